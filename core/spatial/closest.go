package spatial

import (
	"math"

	"velvetgrime/core/geom"
)

// Place is a point of the mesh.
type Place struct {
	Tri      int32 // −1: none within reach
	Pos      geom.Vec3
	U, V     float32 // as in Hit
	Distance float32
}

// Closest returns the place of the mesh that is nearest to p, at most far metres
// away, among the triangles that accept (nil: all) lets pass. Of equally near
// triangles the one of the lowest number is returned.
func (t *Tree) Closest(p geom.Vec3, far float32, accept func(tri int32) bool) Place {
	return t.ClosestFrom(p, far, accept, -1)
}

// ClosestFrom is Closest with a triangle that is likely to be near, or −1: the same place
// is found, and sooner the nearer that triangle is.
func (t *Tree) ClosestFrom(p geom.Vec3, far float32, accept func(tri int32) bool, guess int32) Place {
	best := Place{Tri: -1, Distance: far}
	if len(t.nodes) == 0 {
		return best
	}
	limit := float64(far) * float64(far)
	try := func(tri int32) {
		c := t.tri[tri]
		q, u, v := onTriangle(p, t.pos[c[0]], t.pos[c[1]], t.pos[c[2]])
		s := q.Sub(p)
		d := float64(s.X)*float64(s.X) + float64(s.Y)*float64(s.Y) + float64(s.Z)*float64(s.Z)
		if (d < limit || d == limit && (best.Tri < 0 || tri < best.Tri)) && (accept == nil || accept(tri)) {
			limit = d
			best = Place{tri, q, u, v, float32(math.Sqrt(d))}
		}
	}
	if guess >= 0 {
		try(guess)
	}
	type open struct {
		at int32
		d  float64
	}
	place := [3][8]float32{all(p.X), all(p.Y), all(p.Z)}
	var boxes [8]float32
	stack := make([]open, 1, 64)
	for len(stack) > 0 {
		o := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if o.d > limit {
			continue
		}
		if o.at < 0 {
			k := &t.blocks[^o.at]
			for i := range int(k.count) {
				try(k.tri[i])
			}
			continue
		}
		n := &t.nodes[o.at]
		from := len(stack)
		n.away(&place, &boxes)
		for c, b := range boxes {
			d := float64(b) * nearer
			if d > limit {
				continue
			}
			stack = append(stack, open{n.child[c], d})
			for i := len(stack) - 1; i > from && stack[i-1].d < stack[i].d; i-- { // the nearest on top
				stack[i-1], stack[i] = stack[i], stack[i-1]
			}
		}
	}
	return best
}

// nearer keeps the rounding of boxes' distances from leaving one out that holds the
// nearest.
const nearer = 1 - 1e-6

// awayPlain finds the squared distances of a point, each coordinate eight times, from the
// boxes of the children; infinite where there is none.
func (n *node) awayPlain(p *[3][8]float32, out *[8]float32) {
	*out = [8]float32{}
	for a := range 3 {
		for c := range 8 {
			g := max(n.bound[2*a][c]-p[a][c], p[a][c]-n.bound[2*a+1][c], 0)
			out[c] += g * g
		}
	}
}

// onTriangle returns the point of a triangle nearest to p (Ericson 2005, section
// 5.1.5).
func onTriangle(p, a, b, c geom.Vec3) (q geom.Vec3, u, v float32) {
	ab, ac, ap := b.Sub(a), c.Sub(a), p.Sub(a)
	d1, d2 := ab.Dot(ap), ac.Dot(ap)
	if d1 <= 0 && d2 <= 0 {
		return a, 0, 0
	}
	bp := p.Sub(b)
	d3, d4 := ab.Dot(bp), ac.Dot(bp)
	if d3 >= 0 && d4 <= d3 {
		return b, 1, 0
	}
	if vc := d1*d4 - d3*d2; vc <= 0 && d1 >= 0 && d3 <= 0 {
		s := d1 / (d1 - d3)
		return a.Add(ab.Mul(s)), s, 0
	}
	cp := p.Sub(c)
	d5, d6 := ab.Dot(cp), ac.Dot(cp)
	if d6 >= 0 && d5 <= d6 {
		return c, 0, 1
	}
	if vb := d5*d2 - d1*d6; vb <= 0 && d2 >= 0 && d6 <= 0 {
		s := d2 / (d2 - d6)
		return a.Add(ac.Mul(s)), 0, s
	}
	if va := d3*d6 - d5*d4; va <= 0 && d4-d3 >= 0 && d5-d6 >= 0 {
		s := (d4 - d3) / ((d4 - d3) + (d5 - d6))
		return b.Add(c.Sub(b).Mul(s)), 1 - s, s
	}
	va, vb, vc := d3*d6-d5*d4, d5*d2-d1*d6, d1*d4-d3*d2
	s := 1 / (va + vb + vc)
	u, v = vb*s, vc*s
	return a.Add(ab.Mul(u)).Add(ac.Mul(v)), u, v
}
