package surface

import (
	"fmt"
	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// matched is a correspondence that two places make, or why they make none.
type matched struct {
	c   *mesh.Counterparts
	err error
}

const maxMatches = 16

// Counterparts returns the correspondence of faces that two places on the surface make.
// Normals of length 0 leave open on which side of a plate they lie.
func (s *Scene) Counterparts(a, an, b, bn geom.Vec3) (*mesh.Counterparts, error) {
	key := fmt.Sprint(a, an, b, bn)
	s.mu.Lock()
	got, ok := s.matches[key]
	s.mu.Unlock()
	if ok {
		return got.c, got.err
	}
	m, tree := s.Model, s.Ground().Tree
	far := m.Bounds.Size().Length() / 20
	face := func(p, n geom.Vec3) int {
		return int(
			tree.Closest(
				p,
				far,
				func(t int32) bool { return n == (geom.Vec3{}) || m.FaceNormal(int(t)).Dot(n) > 0 },
			).Tri,
		)
	}
	x, y := face(a, an), face(b, bn)
	if x < 0 || y < 0 {
		got.err = fmt.Errorf("the two places do not lie on the surface; pick a face and its counterpart")
	} else {
		got.c, got.err = m.Match(x, y)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.matches == nil || len(s.matches) >= maxMatches {
		s.matches = map[string]matched{}
	}
	s.matches[key] = got
	return got.c, got.err
}

// OfTake is Counterparts for what a stroke takes from.
func (s *Scene) OfTake(t *brush.Take) (*mesh.Counterparts, error) {
	return s.Counterparts(t.At, t.Nrm, t.To, t.ToNrm)
}

// Corners returns the shares of a place in its triangle: of the second corner and of the
// third.
func Corners(m *mesh.Model, t int32, p geom.Vec3) (u, v float32) {
	k := m.Tri[t]
	at := geom.Barycentric(p, m.Pos[k[0]], m.Pos[k[1]], m.Pos[k[2]])
	u, v = max(at[1], 0), max(at[2], 0) // a texel may lie a little outside
	if s := u + v; s > 1 {
		u, v = u/s, v/s
	}
	return u, v
}
