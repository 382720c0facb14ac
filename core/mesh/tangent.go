package mesh

import (
	"math"

	"velvetgrime/core/geom"
)

// Mirrored reports whether the UVs of a triangle run the other way round than its
// corners do on the surface seen from outside.
func (m *Model) Mirrored(i int) bool {
	t := m.Tri[i]
	a, b, c := m.UV[t[0]], m.UV[t[1]], m.UV[t[2]]
	// V grows downward, so a face that is not mirrored runs clockwise in UV
	return (b.X-a.X)*(c.Y-a.Y)-(b.Y-a.Y)*(c.X-a.X) > 0
}

// Tangents returns a unit tangent for each corner of each triangle: the direction
// in which U grows, square to the corner's normal, as MikkTSpace makes it
// (Mikkelsen 2008, "Simulation of Wrinkled Surfaces Revisited", appendix A, and
// the reference implementation, with its default threshold of 180 degrees):
// triangles around a vertex that hang together over edges whose ends agree in
// place, normal and UV, and that have the same handedness, share one tangent,
// weighted by corner angle. Triangles without UV area take part in whatever group
// they touch without adding to it.
func (m *Model) Tangents() [][3]geom.Vec3 {
	g := newGrouping(m)
	out := make([][3]geom.Vec3, len(m.Tri))
	for i := range out {
		out[i] = [3]geom.Vec3{{X: 1}, {X: 1}, {X: 1}}
	}
	for i := range m.Tri {
		for k := range 3 {
			if !g.good[i] || g.flat[i] || g.done[i][k] {
				continue
			}
			g.average(g.collect(int32(i), k), out)
		}
	}
	g.degenerate(out)
	return out
}

// average gives the corners of a group their tangents. A corner leaves out those
// whose directions are exactly opposed to its own, as the reference does: around the
// pole of a ball they would cancel each other.
func (g *grouping) average(members []Edge, out [][3]geom.Vec3) {
	type one struct{ s, t, share geom.Vec3 }
	list := make([]one, len(members))
	for i, e := range members {
		n := g.m.Nrm[g.m.Tri[e.Tri][e.K]]
		plane := func(v geom.Vec3) geom.Vec3 { return v.Sub(n.Mul(n.Dot(v))).Unit() }
		list[i] = one{s: plane(g.dir[e.Tri]), t: plane(g.other[e.Tri])}
		if !g.flat[e.Tri] {
			list[i].share = g.share(e)
		}
	}
	for i, e := range members {
		var sum geom.Vec3
		for j := range list {
			if i == j || g.flat[members[j].Tri] || g.flat[e.Tri] ||
				list[i].s.Dot(list[j].s) > -1 && list[i].t.Dot(list[j].t) > -1 {
				sum = sum.Add(list[j].share)
			}
		}
		out[e.Tri][e.K] = sum.Unit()
	}
}

// grouping is what the sharing of tangents is decided by.
type grouping struct {
	m      *Model
	corner [][3]uint32 // vertices that agree in place, normal and UV are one
	next   [][3]Edge   // over edge k; Tri −1: none
	dir    []geom.Vec3 // where U grows on each triangle, unit length
	other  []geom.Vec3 // where V grows
	good   []bool      // the three corners are three places
	flat   []bool      // the UVs have no area
	keeps  []bool      // the handedness: UV and surface run the same way round
	done   [][3]bool
}

func newGrouping(m *Model) *grouping {
	n := len(m.Tri)
	g := &grouping{
		m:      m,
		corner: make([][3]uint32, n),
		next:   make([][3]Edge, n),
		dir:    make([]geom.Vec3, n),
		other:  make([]geom.Vec3, n),
		good:   make([]bool, n),
		flat:   make([]bool, n),
		keeps:  make([]bool, n),
		done:   make([][3]bool, n),
	}
	type same struct {
		p, n geom.Vec3
		uv   geom.Vec2
	}
	first := make(map[same]uint32, len(m.Pos))
	weld := make([]uint32, len(m.Pos))
	for v := range m.Pos {
		k := same{m.Pos[v], m.Nrm[v], m.UV[v]}
		if _, ok := first[k]; !ok {
			first[k] = uint32(v)
		}
		weld[v] = first[k]
	}
	type ends [2]uint32
	open := make(map[ends][]Edge, 3*n/2)
	for i, t := range m.Tri {
		a, b, c := m.Pos[t[0]], m.Pos[t[1]], m.Pos[t[2]]
		g.good[i] = a != b && b != c && a != c
		for k, v := range t {
			g.corner[i][k] = weld[v]
			g.next[i][k] = Edge{Tri: -1}
		}
		ua, ub, uc := m.UV[t[0]], m.UV[t[1]], m.UV[t[2]]
		x1, y1, x2, y2 := ub.X-ua.X, ub.Y-ua.Y, uc.X-ua.X, uc.Y-ua.Y
		area := x1*y2 - y1*x2
		g.keeps[i], g.flat[i] = area > 0, math.Abs(float64(area)) <= math.SmallestNonzeroFloat32*(1<<23)
		s := b.Sub(a).Mul(y2).Sub(c.Sub(a).Mul(y1))
		if area < 0 {
			s = s.Mul(-1)
		}
		v := c.Sub(a).Mul(x1).Sub(b.Sub(a).Mul(x2))
		if area < 0 {
			v = v.Mul(-1)
		}
		g.dir[i], g.other[i] = s.Unit(), v.Unit()
	}
	for i := range m.Tri {
		if !g.good[i] {
			continue
		}
		for k := range 3 {
			a, b := g.corner[i][k], g.corner[i][(k+1)%3]
			list := open[ends{b, a}]
			if len(list) == 0 {
				open[ends{a, b}] = append(open[ends{a, b}], Edge{int32(i), int8(k)})
				continue
			}
			o := list[0]
			open[ends{b, a}] = list[1:]
			g.next[i][k], g.next[o.Tri][o.K] = o, Edge{int32(i), int8(k)}
		}
	}
	return g
}

// collect walks around the vertex at corner k of triangle i and returns the
// corners that share its tangent.
func (g *grouping) collect(i int32, k int) []Edge {
	vertex, keeps := g.corner[i][k], g.keeps[i]
	g.done[i][k] = true
	members, todo := []Edge{{i, int8(k)}}, []Edge{{i, int8(k)}}
	for len(todo) > 0 {
		e := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		for _, o := range [2]Edge{g.next[e.Tri][e.K], g.next[e.Tri][(e.K+2)%3]} {
			if o.Tri < 0 {
				continue
			}
			for c := range 3 {
				if g.corner[o.Tri][c] != vertex {
					continue
				}
				if !g.done[o.Tri][c] {
					if g.flat[o.Tri] && g.done[o.Tri] == [3]bool{} {
						g.keeps[o.Tri] = keeps
					}
					if g.keeps[o.Tri] == keeps {
						g.done[o.Tri][c] = true
						members, todo = append(members, Edge{o.Tri, int8(c)}), append(todo, Edge{o.Tri, int8(c)})
					}
				}
				break
			}
		}
	}
	return members
}

// share is what one corner adds to its group: its triangle's direction in the
// plane of the normal, weighted by the corner's angle there.
func (g *grouping) share(e Edge) geom.Vec3 {
	m, t, k := g.m, g.m.Tri[e.Tri], int(e.K)
	n := m.Nrm[t[k]]
	plane := func(v geom.Vec3) geom.Vec3 { return v.Sub(n.Mul(n.Dot(v))).Unit() }
	p := m.Pos[t[k]]
	a, b := plane(m.Pos[t[(k+2)%3]].Sub(p)), plane(m.Pos[t[(k+1)%3]].Sub(p))
	return plane(g.dir[e.Tri]).Mul(float32(math.Acos(float64(min(max(a.Dot(b), -1), 1)))))
}

// degenerate gives triangles of no area the tangents of a sound one at the same
// vertex.
func (g *grouping) degenerate(out [][3]geom.Vec3) {
	sound := map[uint32]geom.Vec3{}
	for i := range out {
		for k := range 3 {
			if _, have := sound[g.corner[i][k]]; g.good[i] && !have {
				sound[g.corner[i][k]] = out[i][k]
			}
		}
	}
	for i := range out {
		for k := range 3 {
			if v, ok := sound[g.corner[i][k]]; ok && !g.good[i] {
				out[i][k] = v
			}
		}
	}
}
