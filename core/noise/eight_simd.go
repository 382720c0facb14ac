//go:build goexperiment.simd && amd64

package noise

import (
	"simd/archsimd"

	"velvetgrime/core/octet"
)

type (
	f8 = archsimd.Float32x8
	i8 = archsimd.Int32x8
)

var wide = archsimd.X86.AVX2()

// Constants come from memory as whole registers: see octet.
type (
	lanes    = [8]float32
	intLanes = [8]int32
)

// shift is a shift by n as a register: a plain n would be set in the older way.
func shift(n uint32) (l [8]uint32) {
	for i := range l {
		l[i] = n
	}
	return
}

func allInt(v int32) (l intLanes) {
	for i := range l {
		l[i] = v
	}
	return
}

var (
	cZero, cHalf, cOne, cTwo           = octet.All(0), octet.All(0.5), octet.All(1), octet.All(2)
	cFar                               = octet.All(1e9)
	cSkew, cUnskew, cThird, cScale     = octet.All(1.0 / 3), octet.All(1.0 / 6), octet.All(2 * (1.0 / 6)), octet.All(76)
	iOne, iEight, iNone, iNoSign, iMix = allInt(1), allInt(8), allInt(0), allInt(0x7fffffff), allInt(0x2c1b3c6d)
	by1, by8, by13, by15, by31         = shift(1), shift(8), shift(13), shift(15), shift(31)
	primes                             = [3]uint32{primeX, primeY, primeZ}
	iTwelve, iThirteen                 = allInt(12), allInt(13)
	iPrimeX, iPrimeY, iPrimeZ          = allInt(int32(primes[0])), allInt(int32(primes[1])), allInt(int32(primes[2]))
)

// spread holds an octave's numbers as whole registers.
type spread struct {
	freq, amp, shift lanes
	seed             intLanes
}

func (o *octave) spread() *spread {
	return &spread{octet.All(o.freq), octet.All(o.amp), octet.All(o.shift), allInt(int32(o.seed ^ 0x9e3779b9))}
}

// Eight evaluates eight points at once, with the processor's wide registers where
// it has them. Every operation is the one of At, in its order and without fused
// multiply-add, so the results are the same to the bit; TestSideBySideMatchesOne holds
// them against each other.
func (s *Sampler) Eight(x, y, z, out *[8]float32) {
	if !wide || s.plain() {
		s.eightPlain(x, y, z, out)
		return
	}
	vx, vy, vz := archsimd.LoadFloat32x8(x), archsimd.LoadFloat32x8(y), archsimd.LoadFloat32x8(z)
	sum := archsimd.LoadFloat32x8(&s.start)
	one, two := archsimd.LoadFloat32x8(&cOne), archsimd.LoadFloat32x8(&cTwo)
	noSign := archsimd.LoadInt32x8(&iNoSign)
	for _, o := range s.spreads {
		f, sh := archsimd.LoadFloat32x8(&o.freq), archsimd.LoadFloat32x8(&o.shift)
		v := simplex8(vx.Mul(f).Add(sh), vy.Mul(f).Add(sh), vz.Mul(f).Add(sh), archsimd.LoadInt32x8(&o.seed))
		switch s.kind {
		case Ridges:
			v = one.Sub(two.Mul(v.AsInt32x8().And(noSign).AsFloat32x8()))
		case Billow:
			v = two.Mul(v.AsInt32x8().And(noSign).AsFloat32x8()).Sub(one)
		}
		sum = sum.Add(archsimd.LoadFloat32x8(&o.amp).Mul(v))
	}
	sum.Max(archsimd.LoadFloat32x8(&cZero)).Min(one).Store(out)
	archsimd.ClearAVXUpperBits()
}

// Wide reports whether wide registers are used.
func Wide() bool { return wide }

// Run evaluates the points that were added.
func (b *Batch) Run() {
	if !wide || b.n < 2 {
		b.runPlain()
		return
	}
	simplex8(
		archsimd.LoadFloat32x8(&b.x), archsimd.LoadFloat32x8(&b.y), archsimd.LoadFloat32x8(&b.z),
		archsimd.LoadInt32x8(&b.seed),
	).Store(&b.Value)
	archsimd.ClearAVXUpperBits()
}

// the 27 cubes around one, in the order in which Cellular looks at them, and five that are
// far away
var (
	around     [4][3]intLanes
	aroundFar  [4][3]lanes
	cellPrimes = [3]uint32{0x8da6b343, 0xd8163841, 0xcb1ab31f}
	iCell      = [3]intLanes{allInt(int32(cellPrimes[0])), allInt(int32(cellPrimes[1])), allInt(int32(cellPrimes[2]))}
	iMixMore   = allInt(0x297a2d39)
	iTen       = allInt(1023)
	by10, by12 = shift(10), shift(12)
	by20       = shift(20)
)

func init() {
	for n := range 32 {
		d := [3]int32{int32(n%3 - 1), int32(n/3%3 - 1), int32(n/9 - 1)}
		for c := range 3 {
			around[n/8][c][n%8], aroundFar[n/8][c][n%8] = d[c], float32(d[c])
			if n >= 27 {
				aroundFar[n/8][c][n%8] = 1e4
			}
		}
	}
}

// cellOf names each of the 32 cubes by its place in the order.
var cellOf [4]intLanes

func init() {
	for n := range 32 {
		cellOf[n/8][n%8] = int32(n)
	}
}

// cells gives the two smallest distances, squared when straight, to the points of the cubes around
// one, and which cube has the nearest. Every operation is the one of Cellular; of equally near ones
// the first in the order counts, as there.
func cells(i, j, k int32, fx, fy, fz, scale, off float32, seed uint32, metric Metric) (f1, f2 float32, nearest int, done bool) {
	if !wide {
		return 0, 0, 0, false
	}
	ints, floats := intLanes{i, j, k, int32(seed)}, lanes{fx, fy, fz, scale, off}
	w, f := archsimd.LoadInt32x8(&ints), archsimd.LoadFloat32x8(&floats)
	l0, l1, l2, l3 := archsimd.LoadUint32x8(&octet.Lane[0]), archsimd.LoadUint32x8(&octet.Lane[1]), archsimd.LoadUint32x8(&octet.Lane[2]), archsimd.LoadUint32x8(&octet.Lane[3])
	vi, vj, vk, vs := w.Permute(l0), w.Permute(l1), w.Permute(l2), w.Permute(l3)
	vx, vy, vz, vscale := f.Permute(l0), f.Permute(l1), f.Permute(l2), f.Permute(l3)
	voff := f.Permute(archsimd.LoadUint32x8(&octet.Lane[4]))
	px, py, pz := archsimd.LoadInt32x8(&iCell[0]), archsimd.LoadInt32x8(&iCell[1]), archsimd.LoadInt32x8(&iCell[2])
	mix, more, ten := archsimd.LoadInt32x8(&iMix), archsimd.LoadInt32x8(&iMixMore), archsimd.LoadInt32x8(&iTen)
	s10, s12, s15, s20 := archsimd.LoadUint32x8(&by10), archsimd.LoadUint32x8(&by12), archsimd.LoadUint32x8(&by15), archsimd.LoadUint32x8(&by20)
	noSign := archsimd.LoadInt32x8(&iNoSign)
	first := archsimd.LoadFloat32x8(&cFar)
	second, which := first, archsimd.LoadInt32x8(&cellOf[0])
	for n := range 4 {
		a, g := &around[n], &aroundFar[n]
		h := vs.Xor(vi.Add(archsimd.LoadInt32x8(&a[0])).Mul(px))
		h = h.Xor(vj.Add(archsimd.LoadInt32x8(&a[1])).Mul(py))
		h = h.Xor(vk.Add(archsimd.LoadInt32x8(&a[2])).Mul(pz))
		h = h.Xor(h.AsUint32x8().ShiftRight(s15).AsInt32x8()).Mul(mix)
		h = h.Xor(h.AsUint32x8().ShiftRight(s12).AsInt32x8()).Mul(more)
		h = h.Xor(h.AsUint32x8().ShiftRight(s15).AsInt32x8())
		x := archsimd.LoadFloat32x8(&g[0]).Add(voff).Add(h.And(ten).ConvertToFloat32().Mul(vscale)).Sub(vx)
		y := archsimd.LoadFloat32x8(&g[1]).Add(voff).Add(h.AsUint32x8().ShiftRight(s10).AsInt32x8().And(ten).ConvertToFloat32().Mul(vscale)).Sub(vy)
		z := archsimd.LoadFloat32x8(&g[2]).Add(voff).Add(h.AsUint32x8().ShiftRight(s20).AsInt32x8().And(ten).ConvertToFloat32().Mul(vscale)).Sub(vz)
		var v f8
		switch metric {
		case Manhattan:
			v = x.AsInt32x8().And(noSign).AsFloat32x8().Add(y.AsInt32x8().And(noSign).AsFloat32x8()).Add(z.AsInt32x8().And(noSign).AsFloat32x8())
		case Chebyshev:
			v = x.AsInt32x8().And(noSign).AsFloat32x8().Max(y.AsInt32x8().And(noSign).AsFloat32x8()).Max(z.AsInt32x8().And(noSign).AsFloat32x8())
		default:
			v = x.Mul(x).Add(y.Mul(y)).Add(z.Mul(z))
		}
		which = archsimd.LoadInt32x8(&cellOf[n]).Merge(which, v.Less(first))
		second = second.Min(first.Max(v))
		first = first.Min(v)
	}
	var firsts, seconds lanes
	var cubes intLanes
	first.Store(&firsts)
	second.Store(&seconds)
	which.Store(&cubes)
	archsimd.ClearAVXUpperBits()
	f1, f2, nearest = firsts[0], seconds[0], int(cubes[0])
	for l := 1; l < 8; l++ {
		v, n := firsts[l], int(cubes[l])
		if v < f1 || v == f1 && n < nearest {
			f1, f2, nearest = v, f1, n
			v = seconds[l]
		}
		if v < f2 {
			f2 = v
		}
	}
	return f1, f2, nearest, true
}

// over8 is over, eight times.
func over8(a, b f8) i8 {
	return archsimd.LoadInt32x8(&iOne).Sub(a.Sub(b).AsUint32x8().ShiftRight(archsimd.LoadUint32x8(&by31)).AsInt32x8())
}

func simplex8(x, y, z f8, base i8) f8 {
	skew, unskew := archsimd.LoadFloat32x8(&cSkew), archsimd.LoadFloat32x8(&cUnskew)
	s := x.Add(y)
	s = s.Add(z).Mul(skew)
	i, j, k := s.Add(x).Floor().ConvertToInt32(), s.Add(y).Floor().ConvertToInt32(), s.Add(z).Floor().ConvertToInt32()
	t := i.Add(j).Add(k).ConvertToFloat32().Mul(unskew)
	x0, y0, z0 := x.Sub(
		i.ConvertToFloat32().Sub(t),
	), y.Sub(
		j.ConvertToFloat32().Sub(t),
	), z.Sub(
		k.ConvertToFloat32().Sub(t),
	)

	one := archsimd.LoadInt32x8(&iOne)
	xy, xz, yz := over8(x0, y0), over8(x0, z0), over8(y0, z0)
	rx, ry, rz := xy.Add(xz), one.Sub(xy).Add(yz), one.Add(one).Sub(xz).Sub(yz)
	by := archsimd.LoadInt32x8(&iOne)
	i1, j1, k1 := rx.ShiftRight(by), ry.ShiftRight(by), rz.ShiftRight(by)
	i2, j2, k2 := rx.Add(one).ShiftRight(by), ry.Add(one).ShiftRight(by), rz.Add(one).ShiftRight(by)
	none := archsimd.LoadInt32x8(&iNone)
	step := func(is, prime i8) i8 { return none.Sub(is).And(prime) } // is times prime, of 0 and 1

	px, py, pz := archsimd.LoadInt32x8(&iPrimeX), archsimd.LoadInt32x8(&iPrimeY), archsimd.LoadInt32x8(&iPrimeZ)
	hx, hy, hz := i.Mul(px), j.Mul(py), k.Mul(pz)
	h0 := base.Xor(hx).Xor(hy).Xor(hz)
	h1 := base.Xor(hx.Add(step(i1, px)).Xor(hy.Add(step(j1, py))).Xor(hz.Add(step(k1, pz))))
	h2 := base.Xor(hx.Add(step(i2, px)).Xor(hy.Add(step(j2, py))).Xor(hz.Add(step(k2, pz))))
	h3 := base.Xor(hx.Add(px).Xor(hy.Add(py)).Xor(hz.Add(pz)))

	third, half := archsimd.LoadFloat32x8(&cThird), archsimd.LoadFloat32x8(&cHalf)
	// each corner is corner, eight times; its parts are small enough to become parts of this function, where
	// they stay in registers: a call hands its registers over in memory
	n := fall8(x0, y0, z0).Mul(along8(x0, y0, z0, mix8(h0)))
	x1, y1, z1 := x0.Sub(i1.ConvertToFloat32()).Add(unskew), y0.Sub(j1.ConvertToFloat32()).Add(unskew), z0.Sub(k1.ConvertToFloat32()).Add(unskew)
	n = n.Add(fall8(x1, y1, z1).Mul(along8(x1, y1, z1, mix8(h1))))
	x1, y1, z1 = x0.Sub(i2.ConvertToFloat32()).Add(third), y0.Sub(j2.ConvertToFloat32()).Add(third), z0.Sub(k2.ConvertToFloat32()).Add(third)
	n = n.Add(fall8(x1, y1, z1).Mul(along8(x1, y1, z1, mix8(h2))))
	x1, y1, z1 = x0.Sub(half), y0.Sub(half), z0.Sub(half)
	n = n.Add(fall8(x1, y1, z1).Mul(along8(x1, y1, z1, mix8(h3))))
	return archsimd.LoadFloat32x8(&cScale).Mul(n)
}

// fall8 is how much of a corner a place has.
func fall8(x, y, z f8) f8 {
	b := archsimd.LoadFloat32x8(&cHalf).Sub(x.Mul(x)).Sub(y.Mul(y)).Sub(z.Mul(z)).AsInt32x8()
	t := b.Max(archsimd.LoadInt32x8(&iNone)).AsFloat32x8() // nothing where it is negative
	t = t.Mul(t)
	return t.Mul(t)
}

// mix8 is mix, and the place in the table of gradients in its lowest bits.
func mix8(h i8) i8 {
	u := h.AsUint32x8()
	u = u.Xor(u.ShiftRight(archsimd.LoadUint32x8(&by15)))
	u = u.AsInt32x8().Mul(archsimd.LoadInt32x8(&iMix)).AsUint32x8()
	return u.Xor(u.ShiftRight(archsimd.LoadUint32x8(&by13))).ShiftRight(archsimd.LoadUint32x8(&by8)).AsInt32x8()
}

// along8 is a place along the gradient of the table: two of its components, each with a sign.
func along8(x, y, z f8, g i8) f8 {
	eight, twelve, thirteen := archsimd.LoadInt32x8(&iEight), archsimd.LoadInt32x8(&iTwelve), archsimd.LoadInt32x8(&iThirteen)
	first := y.Merge(x, g.And(eight).Equal(eight))
	second := y.Merge(x.Merge(z, g.And(thirteen).Equal(twelve)), g.And(twelve).Equal(archsimd.LoadInt32x8(&iNone)))
	// the lowest bit of the place becomes the first's sign, the next one the second's
	up := archsimd.LoadUint32x8(&by31)
	bits := g.AsUint32x8()
	one, two := bits.ShiftLeft(up), bits.ShiftRight(archsimd.LoadUint32x8(&by1)).ShiftLeft(up)
	return first.AsUint32x8().Xor(one).AsFloat32x8().Add(second.AsUint32x8().Xor(two).AsFloat32x8())
}
