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
// in which U grows, square to the corner's normal, averaged by corner angle over
// the triangles that share place, normal, UV and handedness there. This is the
// averaging of MikkTSpace (Mikkelsen 2008).
func (m *Model) Tangents() [][3]geom.Vec3 {
	type key struct {
		p, n   geom.Vec3
		uv     geom.Vec2
		mirror bool
	}
	sum := make(map[key]geom.Vec3, len(m.Pos))
	at := func(i, k int) key {
		v := m.Tri[i][k]
		return key{m.Pos[v], m.Nrm[v], m.UV[v], m.Mirrored(i)}
	}
	for i, t := range m.Tri {
		e1, e2 := m.Pos[t[1]].Sub(m.Pos[t[0]]), m.Pos[t[2]].Sub(m.Pos[t[0]])
		v1, v2 := m.UV[t[1]].Y-m.UV[t[0]].Y, m.UV[t[2]].Y-m.UV[t[0]].Y
		dir := e1.Mul(v2).Sub(e2.Mul(v1))
		if !m.Mirrored(i) { // the sign of the UV area
			dir = dir.Mul(-1)
		}
		for k := range 3 {
			n := m.Nrm[t[k]]
			flat := dir.Sub(n.Mul(dir.Dot(n))).Unit()
			a := m.Pos[t[(k+1)%3]].Sub(m.Pos[t[k]])
			b := m.Pos[t[(k+2)%3]].Sub(m.Pos[t[k]])
			a, b = a.Sub(n.Mul(a.Dot(n))).Unit(), b.Sub(n.Mul(b.Dot(n))).Unit()
			angle := float32(math.Acos(float64(min(max(a.Dot(b), -1), 1))))
			sum[at(i, k)] = sum[at(i, k)].Add(flat.Mul(angle))
		}
	}
	out := make([][3]geom.Vec3, len(m.Tri))
	for i, t := range m.Tri {
		for k := range 3 {
			v := sum[at(i, k)].Unit()
			if v == (geom.Vec3{}) {
				v, _ = m.Nrm[t[k]].Tangents()
			}
			out[i][k] = v
		}
	}
	return out
}
