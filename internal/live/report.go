package live

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"time"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
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
	baked := d.Preparation().Baked
	sizes := fmt.Sprint(d.Sheets)
	for _, sheet := range m.Sheets {
		sizes += baked[sheet.Name]["misses"].Picture
	}
	s.mu.Lock()
	have := s.report
	s.mu.Unlock()
	if have != nil && have.sizes == sizes {
		return have.Report
	}
	r := unwrap.Measure(m, func(sheet string) int { return max(d.Sheets[sheet].Size, 128) })
	for i, sheet := range m.Sheets {
		if b, ok := baked[sheet.Name]["misses"]; ok && b.Missed > 0 {
			r.Add(m, unwrap.Finding{Kind: "misses", Grave: true, Sheet: sheet.Name,
				Text: fmt.Sprintf(
					"%d texels of %q missed the dense model and show the model itself: widen the cage there",
					b.Missed,
					sheet.Name,
				)}, s.missed(m, i, b.Picture))
		}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.model == m {
		s.report = &reported{sizes, r}
	}
	return r
}

// missed returns the triangles of a sheet on which the misses map has something. Small
// triangles are looked at in ten places, larger ones at every texel or so.
func (s *Session) missed(m *mesh.Model, sheet int, blob string) (out []int32) {
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	data, err := s.hub.Store.Blob(ctx, blob)
	if err != nil {
		return nil
	}
	pic, err := pix.DecodePicture(bytes.NewReader(data))
	if err != nil {
		return nil
	}
	w, h := pic.Size()
	values := pic.Component(0)
	apart := func(a, b geom.Vec2) float64 { return math.Hypot(float64(b.X-a.X), float64(b.Y-a.Y)) }
	for i, t := range m.Tri {
		if int(m.TriSheet[i]) != sheet {
			continue
		}
		a, b, c := m.UV[t[0]], m.UV[t[1]], m.UV[t[2]]
		edge := max(apart(a, b), apart(b, c), apart(c, a)) * float64(w)
		n := min(max(int(edge), 3), 256)
		hit := false
		for u := 0; u <= n && !hit; u++ {
			for v := 0; u+v <= n && !hit; v++ {
				fu, fv := float32(u)/float32(n), float32(v)/float32(n)
				x := int((a.X + (b.X-a.X)*fu + (c.X-a.X)*fv) * float32(w))
				y := int((a.Y + (b.Y-a.Y)*fu + (c.Y-a.Y)*fv) * float32(h))
				hit = x >= 0 && y >= 0 && x < w && y < h && values[y*w+x] > 1<<15
			}
		}
		if hit {
			out = append(out, int32(i))
		}
	}
	return out
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
func (v *viewer) edge(r *EdgeRequest) {
	s := v.s
	m := s.Model()
	tri := s.nearest(r.place())
	if tri < 0 {
		return
	}
	k, corner := edgeAt(m, tri, geom.V3(r.Pos[0], r.Pos[1], r.Pos[2]))
	var ids []int32
	switch {
	case r.Kind == "loop":
		ids = unwrap.Loop(m, tri, k)
	case r.Kind == "seam":
		ids = Seam(m, tri, geom.V3(r.Pos[0], r.Pos[1], r.Pos[2]))
	case r.Kind == "path" && r.Seq >= 0 && r.Seq/3 < int64(len(m.Tri)):
		ids = unwrap.Path(m, int32(r.Seq/3), int(r.Seq%3), tri, corner)
	case r.Kind == "path":
		ids = []int32{}
	default:
		ids = []int32{unwrap.ID(m, tri, k)}
	}
	v.post(Edges{"edges", r.ID, r.Kind, ids, Lines(m, ids), FlatLines(m, ids), 3*tri + int32(corner), Rail(m, ids)})
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

// FlatLines returns the ends of edges on the flat sheets: sheet, u, v, u, v each. An
// edge at which islands part is there twice.
func FlatLines(m *mesh.Model, ids []int32) []float32 {
	out := make([]float32, 0, 10*len(ids))
	side := func(tri int32, k int) {
		a, b := m.UV[m.Tri[tri][k]], m.UV[m.Tri[tri][(k+1)%3]]
		out = append(out, float32(m.TriSheet[tri]), a.X, a.Y, b.X, b.Y)
	}
	for _, id := range ids {
		if id < 0 || int(id/3) >= len(m.Tri) {
			continue
		}
		tri, k := id/3, int(id%3)
		side(tri, k)
		if o := m.Neighbor[tri][k]; o.Tri >= 0 && m.UVBorder[tri][k] {
			side(o.Tri, int(o.K))
		}
	}
	return out
}
