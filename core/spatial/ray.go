package spatial

import (
	"math"
	"math/bits"

	"velvetgrime/core/geom"
)

// MaxRays is how many rays a bundle holds: one bit of a word each.
const MaxRays = 64

// Bundle is up to MaxRays rays that start at one place. Rays that share their
// origin share most of the arithmetic with a node and with a triangle: what does
// not hold the direction is done once for all of them. A Bundle is large; it
// belongs to one goroutine and is used again and again.
type Bundle struct {
	Origin geom.Vec3
	Near   float32 // hits nearer than this are not seen, metres
	n      int
	// by ray: direction, its reciprocal and the farthest distance, eight times each
	// as the wide registers want them
	dir, inv [MaxRays][3][8]float32
	far      [MaxRays][8]float32
	negative [3]uint64 // a bit a ray: the direction's component is below 0
	hit      [MaxRays]int32
	stack    [512]pending
	lanes    [8]float32
	single   [2][8]float32 // of one ray alone: direction, its reciprocal, far, near; origin
}

// pending is a node, or block, that rays enter.
type pending struct {
	at   int32
	from int32 // of one ray alone: the bits of the distance at which it enters
	rays uint64
}

// Hit is where a ray met a triangle.
type Hit struct {
	Tri  int32 // −1: nothing was met
	T    float32
	U, V float32 // the place is (1−U−V)·a + U·b + V·c
}

// Set gives the bundle its rays: directions need no unit length, distances are
// in their lengths. len(dirs) is at most MaxRays; far is the farthest distance.
func (b *Bundle) Set(origin geom.Vec3, dirs []geom.Vec3, near, far float32) {
	b.Origin, b.Near, b.n = origin, near, len(dirs)
	b.negative = [3]uint64{}
	for i, d := range dirs {
		b.put(i, d, far)
	}
}

// least is what a direction's component becomes that is nearer to 0: its
// reciprocal stays finite, and no product with it is not a number.
const least = 1e-18

func (b *Bundle) put(i int, d geom.Vec3, far float32) {
	for a, c := range [3]float32{d.X, d.Y, d.Z} {
		if c < least && c > -least {
			c = least
		}
		if c < 0 {
			b.negative[a] |= 1 << i
		}
		r := 1 / c
		b.dir[i][a], b.inv[i][a] = all(c), all(r)
	}
	b.far[i] = all(far)
	b.hit[i] = -1
}

// all returns the bits of the rays.
func (b *Bundle) all() uint64 {
	if b.n == MaxRays {
		return math.MaxUint64
	}
	return 1<<b.n - 1
}

// Any returns a bit for each ray that meets anything between near and far.
func (t *Tree) Any(b *Bundle) uint64 { return t.cast(b, true) }

// Nearest finds for each ray the triangle that it meets first; At tells the hits.
func (t *Tree) Nearest(b *Bundle) { t.cast(b, false) }

// Distance returns how far ray i of the bundle went in the last Nearest, and
// whether it met anything.
func (b *Bundle) Distance(i int) (float32, bool) { return b.far[i][0], b.hit[i] >= 0 }

// At returns what ray i of the bundle met in the last Nearest.
func (t *Tree) At(b *Bundle, i int) Hit {
	if b.hit[i] < 0 {
		return Hit{Tri: -1}
	}
	c := t.tri[b.hit[i]]
	d := geom.V3(b.dir[i][0][0], b.dir[i][1][0], b.dir[i][2][0])
	h := meet(b.Origin, d, t.pos[c[0]], t.pos[c[1]], t.pos[c[2]])
	return Hit{b.hit[i], b.far[i][0], min(max(h.U, 0), 1), min(max(h.V, 0), 1)}
}

// Ray finds the first triangle that one ray meets.
func (t *Tree) Ray(b *Bundle, origin, dir geom.Vec3, near, far float32) Hit {
	b.Origin, b.Near, b.n = origin, near, 1
	t.one(b, dir, far, false)
	return t.At(b, 0)
}

// Blocked reports whether one ray meets anything.
func (t *Tree) Blocked(b *Bundle, origin, dir geom.Vec3, near, far float32) bool {
	b.Origin, b.Near, b.n = origin, near, 1
	return t.one(b, dir, far, true)
}

// onePlain is a bundle of one.
func (t *Tree) onePlain(b *Bundle, dir geom.Vec3, far float32, anyHit bool) bool {
	b.negative = [3]uint64{}
	b.put(0, dir, far)
	return t.castPlain(b, anyHit) != 0
}

// octants calls f for each of the eight sign patterns with the rays that have it:
// all rays of a call enter a box by the same three of its faces.
func (b *Bundle) octants(alive uint64, f func(octant int, rays uint64)) {
	for o := range 8 {
		m := alive
		for a := range 3 {
			if o>>a&1 == 1 {
				m &= b.negative[a]
			} else {
				m &^= b.negative[a]
			}
		}
		if m != 0 {
			f(o, m)
		}
	}
}

// castPlain is the plain reference of the wide path, with the same arithmetic in
// the same order.
func (t *Tree) castPlain(b *Bundle, anyHit bool) (met uint64) {
	if len(t.nodes) == 0 {
		return 0
	}
	b.octants(b.all(), func(octant int, rays uint64) {
		met |= t.octantPlain(b, octant, rays, anyHit)
	})
	return met
}

func (t *Tree) octantPlain(b *Bundle, octant int, rays uint64, anyHit bool) (met uint64) {
	b.stack[0] = pending{rays: rays}
	for top := 1; top > 0; {
		top--
		p := b.stack[top]
		p.rays &^= met * toBit(anyHit)
		if p.rays == 0 {
			continue
		}
		if p.at < 0 {
			met |= t.blocks[^p.at].plain(b, p.rays, anyHit)
			continue
		}
		n := &t.nodes[p.at]
		var to [8]uint64
		for m := p.rays; m != 0; m &= m - 1 {
			i := bits.TrailingZeros64(m)
			for c := range 8 {
				near, far := b.Near, b.far[i][0]
				for a, o := range [3]float32{b.Origin.X, b.Origin.Y, b.Origin.Z} {
					s := octant >> a & 1
					near = max(near, (n.bound[2*a+s][c]-o)*b.inv[i][a][0])
					far = min(far, (n.bound[2*a+1-s][c]-o)*b.inv[i][a][0]*slack)
				}
				if near <= far {
					to[c] |= 1 << i
				}
			}
		}
		top = b.push(top, n, &to, octant)
	}
	return met
}

func toBit(v bool) uint64 {
	if v {
		return 1
	}
	return 0
}

// slack widens the far side of a box by the rounding of its distance (Ize 2013,
// "Robust BVH Ray Traversal").
const slack = 1.0000004

func (b *Bundle) push(top int, n *node, to *[8]uint64, octant int) int {
	for _, c := range n.order[octant] {
		if r := to[c&7]; r != 0 && top < len(b.stack) {
			b.stack[top] = pending{at: n.child[c&7], rays: r}
			top++
		}
	}
	return top
}

// plain meets rays with the triangles (Möller and Trumbore 1997), rearranged so
// that what does not hold the direction stands outside of the loop over rays.
func (k *block) plain(b *Bundle, rays uint64, anyHit bool) (met uint64) {
	for c := range int(k.count) {
		e1 := geom.V3(k.e1[0][c], k.e1[1][c], k.e1[2][c])
		e2 := geom.V3(k.e2[0][c], k.e2[1][c], k.e2[2][c])
		s := b.Origin.Sub(geom.V3(k.v0[0][c], k.v0[1][c], k.v0[2][c]))
		ua, va, n := e2.Cross(s), s.Cross(e1), e2.Cross(e1)
		td := e2.Dot(va)
		rim := rimOf(s, e1, e2, n)
		for m := rays; m != 0; m &= m - 1 {
			i := bits.TrailingZeros64(m)
			d := geom.V3(b.dir[i][0][0], b.dir[i][1][0], b.dir[i][2][0])
			inv := 1 / d.Dot(n)
			u, v, at := d.Dot(ua)*inv, d.Dot(va)*inv, td*inv
			if u >= -rim && v >= -rim && u+v <= 1+rim && at >= b.Near && at <= b.far[i][0] {
				if !anyHit && at == b.far[i][0] && b.hit[i] >= 0 && b.hit[i] < k.tri[c] {
					continue // equally far: the lower number, whatever the order
				}
				met |= 1 << i
				if !anyHit {
					b.hit[i] = k.tri[c]
					for l := range 8 {
						b.far[i][l] = at
					}
				}
			}
		}
	}
	return met
}

// rimOf is how far, in shares of the triangle, a ray may pass beside an edge and still meet
// it, so that none slips through between two triangles: what rounding can make of the shares,
// which is the more the farther the triangle lies from the origin for its size.
func rimOf(s, e1, e2, n geom.Vec3) float32 {
	return min(slip*(l1(s)*(l1(e1)+l1(e2)))/l1(n)+leastRim, mostRim)
}

const (
	slip     = 3e-7 // five times a number's rounding
	leastRim = 1e-6
	mostRim  = 1e-3
)

// l1 is the length of a vector along the axes.
func l1(v geom.Vec3) float32 { return max(v.X, -v.X) + max(v.Y, -v.Y) + max(v.Z, -v.Z) }

func meet(o, d, a, p, q geom.Vec3) Hit {
	e1, e2, s := p.Sub(a), q.Sub(a), o.Sub(a)
	inv := 1 / d.Dot(e2.Cross(e1))
	return Hit{U: d.Dot(e2.Cross(s)) * inv, V: d.Dot(s.Cross(e1)) * inv, T: e2.Dot(s.Cross(e1)) * inv}
}

// octant returns the signs that most rays have: the children are walked in its
// order.
func (b *Bundle) octant() (o int) {
	for a := range 3 {
		if 2*bits.OnesCount64(b.negative[a]) > b.n {
			o |= 1 << a
		}
	}
	return o
}
