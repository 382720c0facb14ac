package live

import (
	"fmt"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/unwrap"
)

// reported is a report with what it was made for.
type reported struct {
	sizes string
	*unwrap.Report
}

// Report checks the model and its UVs at the sizes that the sheets have.
func (s *Session) Report() *unwrap.Report {
	d, m := s.Document(), s.Model()
	sizes := fmt.Sprint(d.Sheets)
	s.mu.Lock()
	have := s.report
	s.mu.Unlock()
	if have != nil && have.sizes == sizes {
		return have.Report
	}
	r := unwrap.Measure(m, func(sheet string) int { return max(d.Sheets[sheet].Size, 128) })
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.model == m {
		s.report = &reported{sizes, r}
	}
	return r
}

// edgeAt returns the edge of a triangle that lies nearest to a point of it, and
// the nearest corner.
func edgeAt(m *mesh.Model, tri int32, p geom.Vec3) (k, corner int) {
	t := m.Tri[tri]
	best, near := float32(1e30), float32(1e30)
	for i := range 3 {
		a, b := m.Pos[t[i]], m.Pos[t[(i+1)%3]]
		e := b.Sub(a)
		l := e.Dot(e)
		if l == 0 {
			continue
		}
		s := min(max(p.Sub(a).Dot(e)/l, 0), 1)
		if d := p.Sub(a.Add(e.Mul(s))).Length(); d < best {
			best, k = d, i
		}
		if d := p.Sub(a).Length(); d < near {
			near, corner = d, i
		}
	}
	return
}

// edge answers which edges a click on the model means: the one nearest to it, the
// whole loop that it lies in, or the way from the last click's corner to this one's.
func (v *viewer) edge(r Request) {
	s := v.s
	m := s.Model()
	tri := s.nearest(geom.V3(r.Pos[0], r.Pos[1], r.Pos[2]), geom.V3(r.Nrm[0], r.Nrm[1], r.Nrm[2]))
	if tri < 0 {
		return
	}
	k, corner := edgeAt(m, tri, geom.V3(r.Pos[0], r.Pos[1], r.Pos[2]))
	var ids []int32
	switch {
	case r.Kind == "loop":
		ids = unwrap.Loop(m, tri, k)
	case r.Kind == "path" && r.Seq >= 0 && r.Seq/3 < int64(len(m.Tri)):
		ids = unwrap.Path(m, int32(r.Seq/3), int(r.Seq%3), tri, corner)
	case r.Kind == "path":
		ids = []int32{}
	default:
		ids = []int32{unwrap.ID(m, tri, k)}
	}
	v.send(map[string]any{"t": "edges", "id": r.ID, "kind": r.Kind, "edges": ids, "lines": Lines(m, ids), "corner": 3*tri + int32(corner)})
}

// Lines returns the ends of edges in space: six numbers each.
func Lines(m *mesh.Model, ids []int32) []float32 {
	out := make([]float32, 0, 6*len(ids))
	for _, id := range ids {
		if id < 0 || int(id/3) >= len(m.Tri) {
			continue
		}
		t := m.Tri[id/3]
		a, b := m.Pos[t[id%3]], m.Pos[t[(id+1)%3]]
		out = append(out, a.X, a.Y, a.Z, b.X, b.Y, b.Z)
	}
	return out
}
