package carry

import (
	"context"
	"fmt"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/spatial"
)

// Sides brings strokes over to the counterparts of the faces they lie on.
type Sides struct {
	m    *mesh.Model
	c    *mesh.Counterparts
	tree *spatial.Tree
	far  float32
}

// NewSides prepares it for a model and a correspondence.
func NewSides(ctx context.Context, m *mesh.Model, c *mesh.Counterparts) (*Sides, error) {
	t, err := spatial.Build(ctx, m.Pos, m.Tri, nil)
	return &Sides{m, c, t, m.Bounds.Size().Length() / 20}, err
}

func (s *Sides) at(p, n geom.Vec3) spatial.Place {
	return s.tree.Closest(
		p,
		s.far,
		func(t int32) bool { return n == (geom.Vec3{}) || s.m.FaceNormal(int(t)).Dot(n) > 0 },
	)
}

// Over returns what lies of a stroke on the near side (or with both set on either) as
// strokes on the counterparts: one, or several where it left what has a counterpart. left
// is how many of its points have none or lie on the other side.
func (s *Sides) Over(st *brush.Stroke, both bool, id func() string) (out []*brush.Stroke, left int) {
	var cur *brush.Stroke
	var scale float32
	end := func() {
		if cur != nil && len(cur.Points) > 0 {
			cur.Radius = st.Radius * scale / float32(len(cur.Points))
			out = append(out, cur)
		}
		cur, scale = nil, 0
	}
	for i, p := range st.Points {
		at := s.at(p.Pos, p.Nrm)
		if at.Tri < 0 || s.c.To[at.Tri] < 0 || !both && !s.c.Near(at.Tri) {
			left++
			end()
			continue
		}
		if cur == nil {
			n := *st
			n.ID, n.Points, n.Mirror, n.Lasso = id(), nil, nil, nil
			n.Unhold()
			if n.Seed == "" {
				n.Seed = st.ID // the same chance, so that each dab has its twin
			}
			n.Flip = st.Flip != s.c.Mirrors(at.Tri)
			cur = &n
		}
		_, pos, nrm, k := s.c.Place(s.m, at.Tri, at.U, at.V)
		if nrm == (geom.Vec3{}) {
			nrm = p.Nrm
		}
		cur.Points = append(cur.Points, brush.Point{Pos: pos, Nrm: nrm, Pressure: p.Pressure})
		cur.HoldAs(st, i)
		scale += k
	}
	end()
	for _, n := range out {
		if a := st.Within; a != nil {
			n.Within = s.area(a, both)
		}
		if t := st.Take; t != nil {
			if at := s.at(t.At, t.Nrm); at.Tri >= 0 && s.c.To[at.Tri] >= 0 {
				_, pos, nrm, _ := s.c.Place(s.m, at.Tri, at.U, at.V)
				n.Take = &brush.Take{At: pos, Nrm: nrm, Stays: t.Stays}
			}
		}
	}
	return out, left
}

// area is the counterpart of the faces that a stroke stays in.
func (s *Sides) area(a *brush.Area, both bool) *brush.Area {
	on := map[int]bool{}
	for t := range s.m.Tri {
		if a.Has(int32(t)) && s.c.To[t] >= 0 && (both || s.c.Near(int32(t))) {
			on[int(s.c.To[t])] = true
		}
	}
	return brush.AreaOf(len(s.m.Tri), func(i int) bool { return on[i] }, func(i int) [3]geom.Vec3 {
		return [3]geom.Vec3{s.m.Pos[s.m.Tri[i][0]], s.m.Pos[s.m.Tri[i][1]], s.m.Pos[s.m.Tri[i][2]]}
	})
}

// Ways are what can be done with the two sides.
var Ways = []string{"copy", "flip", "exchange"}

// Change is what a list of strokes becomes: those that go, and those that come.
type Change struct {
	Gone []string
	Come []*brush.Stroke
	Left int // strokes of the near side that lie, with some of their points, on what has no counterpart
}

// Change copies the near side over to the other, flips it over (it leaves the near side),
// or exchanges both. Strokes that lie only partly on a side stay as they are when they
// would have to be cut.
func (s *Sides) Change(list []*brush.Stroke, how string, id func() string) (Change, error) {
	var c Change
	switch how {
	case "copy", "flip", "exchange":
	default:
		return c, fmt.Errorf("two sides cannot be %q; they can be %q", how, Ways)
	}
	for _, st := range list {
		come, left := s.Over(st, how == "exchange", id)
		if len(come) == 0 {
			continue
		}
		if left > 0 {
			c.Left++
		}
		c.Come = append(c.Come, come...)
		if how != "copy" && left == 0 {
			c.Gone = append(c.Gone, st.ID)
		}
	}
	if len(c.Come) == 0 {
		return c, fmt.Errorf("no stroke lies on the side of the picked face")
	}
	return c, nil
}
