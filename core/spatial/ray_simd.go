//go:build goexperiment.simd && amd64

package spatial

import (
	"math/bits"
	"simd/archsimd"
	"unsafe"

	"velvetgrime/core/geom"
)

type (
	f8 = archsimd.Float32x8
	i8 = archsimd.Int32x8
)

var wide = archsimd.X86.AVX2()

// Constants come from memory as whole registers; see core/noise for the reason.
var (
	cSlack, cOne               = all(slack), all(1)
	cSlip, cLeastRim, cMostRim = all(slip), all(leastRim), all(mostRim)
	cLeast, cMinusLeast, cZero = all(least), all(-least), all(0)
	spread                     [8][8]uint32
	childBit                   [8][32]uint8
)

func init() {
	for i := range spread {
		for k := range 8 {
			spread[i][k] = uint32(i)
		}
		for k := range 32 {
			childBit[i][k] = 1 << i
		}
	}
}

func all(v float32) [8]float32 { return [8]float32{v, v, v, v, v, v, v, v} }

func (t *Tree) cast(b *Bundle, anyHit bool) (met uint64) {
	if !wide {
		return t.castPlain(b, anyHit)
	}
	if len(t.nodes) == 0 {
		return 0
	}
	var origin [3][8]float32
	origin[0], origin[1], origin[2] = all(b.Origin.X), all(b.Origin.Y), all(b.Origin.Z)
	b.lanes = all(b.Near)
	met = t.allWide(b, &origin, b.all(), anyHit)
	archsimd.ClearAVXUpperBits()
	return met
}

// allWide walks the tree with all rays at once. There is no plain floating-point
// arithmetic in it: mixing it with the wide registers is slow on some processors.
// Distances are compared as whole numbers where one is picked: for numbers above 0
// the order is the same.
func (t *Tree) allWide(b *Bundle, origin *[3][8]float32, rays uint64, anyHit bool) (met uint64) {
	octant := b.octant()
	kill := ^uint64(0) * toBit(anyHit)
	b.stack[0] = pending{rays: rays}
	for top := 1; top > 0; {
		top--
		p := b.stack[top]
		p.rays &^= met & kill
		if p.rays == 0 {
			continue
		}
		if p.at < 0 {
			met |= t.blocks[^p.at].wide(b, origin, p.rays, anyHit)
			continue
		}
		n := &t.nodes[p.at]
		ox, oy, oz := archsimd.LoadFloat32x8(
			&origin[0],
		), archsimd.LoadFloat32x8(
			&origin[1],
		), archsimd.LoadFloat32x8(
			&origin[2],
		)
		lx := archsimd.LoadFloat32x8(&n.bound[0]).Sub(ox)
		ly := archsimd.LoadFloat32x8(&n.bound[2]).Sub(oy)
		lz := archsimd.LoadFloat32x8(&n.bound[4]).Sub(oz)
		hx := archsimd.LoadFloat32x8(&n.bound[1]).Sub(ox)
		hy := archsimd.LoadFloat32x8(&n.bound[3]).Sub(oy)
		hz := archsimd.LoadFloat32x8(&n.bound[5]).Sub(oz)
		near, slk := archsimd.LoadFloat32x8(&b.lanes), archsimd.LoadFloat32x8(&cSlack)
		var hits [MaxRays]uint8 // by ray: the children that it enters, a bit each
		some := uint8(0)
		for m := p.rays; m != 0; m &= m - 1 {
			i := bits.TrailingZeros64(m) & (MaxRays - 1)
			inv := &b.inv[i]
			ix, iy, iz := archsimd.LoadFloat32x8(
				&inv[0],
			), archsimd.LoadFloat32x8(
				&inv[1],
			), archsimd.LoadFloat32x8(
				&inv[2],
			)
			ax, bx := lx.Mul(ix), hx.Mul(ix)
			ay, by := ly.Mul(iy), hy.Mul(iy)
			az, bz := lz.Mul(iz), hz.Mul(iz)
			tn := ax.Min(bx).Max(ay.Min(by)).Max(az.Min(bz).Max(near))
			tf := ax.Max(bx).Min(ay.Max(by)).Min(az.Max(bz)).Mul(slk).Min(archsimd.LoadFloat32x8(&b.far[i]))
			h := tn.LessEqual(tf).ToBits()
			some |= h
			hits[i] = h
		}
		some &= n.valid
		if some == 0 {
			continue
		}
		// from the children of each ray to the rays of each child
		low, high := archsimd.LoadUint8x32((*[32]uint8)(hits[:32])), archsimd.LoadUint8x32((*[32]uint8)(hits[32:]))
		for _, c := range n.order[octant] {
			if some>>(c&7)&1 == 0 {
				continue
			}
			bit := archsimd.LoadUint8x32(&childBit[c&7])
			r := uint64(low.And(bit).Equal(bit).ToBits()) | uint64(high.And(bit).Equal(bit).ToBits())<<32
			if top < len(b.stack) {
				b.stack[top] = pending{at: n.child[c&7], rays: r}
				top++
			}
		}
	}
	return met
}

// one casts a ray alone: what a bundle keeps by ray stays in registers, and what lies farther than
// what was met is not entered.
func (t *Tree) one(b *Bundle, dir geom.Vec3, far float32, anyHit bool) bool {
	if !wide {
		return t.onePlain(b, dir, far, anyHit)
	}
	b.hit[0] = -1
	if len(t.nodes) == 0 {
		return false
	}
	octant := 0
	d := [3]float32{dir.X, dir.Y, dir.Z}
	for a, c := range d {
		if c < least && c > -least {
			d[a] = least
		} else if c < 0 {
			octant |= 1 << a
		}
	}
	b.single = [2][8]float32{
		{d[0], d[1], d[2], 1 / d[0], 1 / d[1], 1 / d[2], far, b.Near},
		{b.Origin.X, b.Origin.Y, b.Origin.Z},
	}
	met := t.oneWide(b, octant, anyHit)
	archsimd.ClearAVXUpperBits()
	return met
}

// oneWide walks the tree with the ray in single; there is no plain floating-point arithmetic in it.
func (t *Tree) oneWide(b *Bundle, octant int, anyHit bool) (met bool) {
	lane := func(v f8, k int) f8 { return v.Permute(archsimd.LoadUint32x8(&spread[k])) }
	ray, from := archsimd.LoadFloat32x8(&b.single[0]), archsimd.LoadFloat32x8(&b.single[1])
	for a := range 3 {
		lane(ray, a).Store(&b.dir[0][a])
	}
	ix, iy, iz := lane(ray, 3), lane(ray, 4), lane(ray, 5)
	lane(ray, 6).Store(&b.far[0])
	near := lane(ray, 7)
	near.Store(&b.lanes)
	var origin [3][8]float32
	ox, oy, oz := lane(from, 0), lane(from, 1), lane(from, 2)
	ox.Store(&origin[0])
	oy.Store(&origin[1])
	oz.Store(&origin[2])
	far := (*[8]int32)(unsafe.Pointer(&b.far[0])) // of numbers from 0 on the order is that of their bits
	slk := archsimd.LoadFloat32x8(&cSlack)
	b.stack[0] = pending{}
	for top := 1; top > 0; {
		top--
		p := b.stack[top]
		if p.from > far[0]+8 { // with more than the rounding of a box's distance
			continue
		}
		if p.at < 0 {
			if t.blocks[^p.at].wide(b, &origin, 1, anyHit) != 0 {
				met = true
				if anyHit {
					return true
				}
			}
			continue
		}
		n := &t.nodes[p.at]
		ax, bx := archsimd.LoadFloat32x8(&n.bound[0]).Sub(ox).Mul(ix), archsimd.LoadFloat32x8(&n.bound[1]).Sub(ox).Mul(ix)
		ay, by := archsimd.LoadFloat32x8(&n.bound[2]).Sub(oy).Mul(iy), archsimd.LoadFloat32x8(&n.bound[3]).Sub(oy).Mul(iy)
		az, bz := archsimd.LoadFloat32x8(&n.bound[4]).Sub(oz).Mul(iz), archsimd.LoadFloat32x8(&n.bound[5]).Sub(oz).Mul(iz)
		tn := ax.Min(bx).Max(ay.Min(by)).Max(az.Min(bz).Max(near))
		tf := ax.Max(bx).Min(ay.Max(by)).Min(az.Max(bz)).Mul(slk).Min(archsimd.LoadFloat32x8(&b.far[0]))
		h := tn.LessEqual(tf).ToBits() & n.valid
		if h == 0 {
			continue
		}
		var enters [8]int32
		tn.AsInt32x8().Store(&enters)
		if h&(h-1) == 0 { // one child
			c := bits.TrailingZeros8(h) & 7
			if top < len(b.stack) {
				b.stack[top] = pending{at: n.child[c], from: enters[c]}
				top++
			}
			continue
		}
		for _, c := range n.order[octant] {
			if h>>(c&7)&1 != 0 && top < len(b.stack) {
				b.stack[top] = pending{at: n.child[c&7], from: enters[c&7]}
				top++
			}
		}
	}
	return met
}

func (k *block) wide(b *Bundle, origin *[3][8]float32, rays uint64, anyHit bool) (met uint64) {
	e1x, e1y := archsimd.LoadFloat32x8(&k.e1[0]), archsimd.LoadFloat32x8(&k.e1[1])
	e2x, e2y := archsimd.LoadFloat32x8(&k.e2[0]), archsimd.LoadFloat32x8(&k.e2[1])
	e1z, e2z := archsimd.LoadFloat32x8(&k.e1[2]), archsimd.LoadFloat32x8(&k.e2[2])
	s0 := archsimd.LoadFloat32x8(&origin[0]).Sub(archsimd.LoadFloat32x8(&k.v0[0]))
	s1 := archsimd.LoadFloat32x8(&origin[1]).Sub(archsimd.LoadFloat32x8(&k.v0[1]))
	s2 := archsimd.LoadFloat32x8(&origin[2]).Sub(archsimd.LoadFloat32x8(&k.v0[2]))
	uax, uay, uaz := e2y.Mul(s2).Sub(e2z.Mul(s1)), e2z.Mul(s0).Sub(e2x.Mul(s2)), e2x.Mul(s1).Sub(e2y.Mul(s0))
	vax, vay, vaz := s1.Mul(e1z).Sub(s2.Mul(e1y)), s2.Mul(e1x).Sub(s0.Mul(e1z)), s0.Mul(e1y).Sub(s1.Mul(e1x))
	nx, ny, nz := e2y.Mul(e1z).Sub(e2z.Mul(e1y)), e2z.Mul(e1x).Sub(e2x.Mul(e1z)), e2x.Mul(e1y).Sub(e2y.Mul(e1x))
	td := e2x.Mul(vax).Add(e2y.Mul(vay)).Add(e2z.Mul(vaz))
	one, zero := archsimd.LoadFloat32x8(&cOne), archsimd.LoadFloat32x8(&cZero)
	rim := archsimd.LoadFloat32x8(&cSlip).
		Mul(l1Wide(zero, s0, s1, s2).Mul(l1Wide(zero, e1x, e1y, e1z).Add(l1Wide(zero, e2x, e2y, e2z)))).
		Div(l1Wide(zero, nx, ny, nz)).
		Add(archsimd.LoadFloat32x8(&cLeastRim)).
		Min(archsimd.LoadFloat32x8(&cMostRim))
	low, high := zero.Sub(rim), one.Add(rim)
	near := archsimd.LoadFloat32x8(&b.lanes)
	for m := rays; m != 0; m &= m - 1 {
		i := bits.TrailingZeros64(m) & (MaxRays - 1)
		d := &b.dir[i]
		dx, dy, dz := archsimd.LoadFloat32x8(&d[0]), archsimd.LoadFloat32x8(&d[1]), archsimd.LoadFloat32x8(&d[2])
		inv := one.Div(dx.Mul(nx).Add(dy.Mul(ny)).Add(dz.Mul(nz)))
		u := dx.Mul(uax).Add(dy.Mul(uay)).Add(dz.Mul(uaz)).Mul(inv)
		v := dx.Mul(vax).Add(dy.Mul(vay)).Add(dz.Mul(vaz)).Mul(inv)
		at := td.Mul(inv)
		ok := u.GreaterEqual(low).And(v.GreaterEqual(low)).And(u.Add(v).LessEqual(high)).
			And(at.GreaterEqual(near)).And(at.LessEqual(archsimd.LoadFloat32x8(&b.far[i])))
		h := uint32(ok.ToBits())
		if h == 0 {
			continue
		}
		met |= 1 << i
		if anyHit {
			continue
		}
		var ts [8]int32
		at.AsInt32x8().Store(&ts)
		far := (*[8]int32)(unsafe.Pointer(&b.far[i]))
		best, tri := far[0], b.hit[i]
		for ; h != 0; h &= h - 1 {
			c := bits.TrailingZeros32(h) & 7
			if ts[c] < best || ts[c] == best && (tri < 0 || k.tri[c] < tri) {
				best, tri = ts[c], k.tri[c]
			}
		}
		b.hit[i] = tri
		for l := range far {
			far[l] = best
		}
	}
	return met
}

// l1Wide is l1 of eight vectors.
func l1Wide(zero, x, y, z f8) f8 {
	return x.Max(zero.Sub(x)).Add(y.Max(zero.Sub(y))).Add(z.Max(zero.Sub(z)))
}

// SetFan gives the bundle the directions of a fan, turned into the frame of n.
func (b *Bundle) SetFan(origin geom.Vec3, f *Fan, t, s, n geom.Vec3, near, far float32) {
	if !wide {
		b.setFanPlain(origin, f, t, s, n, near, far)
		return
	}
	b.Origin, b.Near, b.n, b.negative = origin, near, f.n, [3]uint64{}
	frame := [3][3][8]float32{
		{all(t.X), all(s.X), all(n.X)},
		{all(t.Y), all(s.Y), all(n.Y)},
		{all(t.Z), all(s.Z), all(n.Z)},
	}
	fars := all(far)
	one, small, minus, zero := archsimd.LoadFloat32x8(
		&cOne,
	), archsimd.LoadFloat32x8(
		&cLeast,
	), archsimd.LoadFloat32x8(
		&cMinusLeast,
	), archsimd.LoadFloat32x8(
		&cZero,
	)
	farv := archsimd.LoadFloat32x8(&fars)
	for g := 0; g*8 < f.n; g++ {
		x, y, z := archsimd.LoadFloat32x8(&f.x[g]), archsimd.LoadFloat32x8(&f.y[g]), archsimd.LoadFloat32x8(&f.z[g])
		for a := range 3 {
			w := &frame[a]
			d := archsimd.LoadFloat32x8(&w[0]).
				Mul(x).
				Add(archsimd.LoadFloat32x8(&w[1]).Mul(y)).
				Add(archsimd.LoadFloat32x8(&w[2]).Mul(z))
			d = small.Merge(d, d.Less(small).And(d.Greater(minus)))
			r := one.Div(d)
			b.negative[a] |= uint64(d.Less(zero).ToBits()) << (8 * g)
			for k := range 8 {
				at := archsimd.LoadUint32x8(&spread[k])
				d.Permute(at).Store(&b.dir[g*8+k][a])
				r.Permute(at).Store(&b.inv[g*8+k][a])
			}
		}
		for k := range 8 {
			farv.Store(&b.far[g*8+k])
		}
	}
	archsimd.ClearAVXUpperBits()
	for i := range f.n {
		b.hit[i] = -1
	}
}

func (n *node) away(p *[3][8]float32, out *[8]float32) {
	if !wide {
		n.awayPlain(p, out)
		return
	}
	zero := archsimd.LoadFloat32x8(&cZero)
	x, y, z := archsimd.LoadFloat32x8(&p[0]), archsimd.LoadFloat32x8(&p[1]), archsimd.LoadFloat32x8(&p[2])
	x = archsimd.LoadFloat32x8(&n.bound[0]).Sub(x).Max(x.Sub(archsimd.LoadFloat32x8(&n.bound[1]))).Max(zero)
	y = archsimd.LoadFloat32x8(&n.bound[2]).Sub(y).Max(y.Sub(archsimd.LoadFloat32x8(&n.bound[3]))).Max(zero)
	z = archsimd.LoadFloat32x8(&n.bound[4]).Sub(z).Max(z.Sub(archsimd.LoadFloat32x8(&n.bound[5]))).Max(zero)
	x.Mul(x).Add(y.Mul(y)).Add(z.Mul(z)).Store(out)
	archsimd.ClearAVXUpperBits()
}
