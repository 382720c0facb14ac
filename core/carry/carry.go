// Package carry brings work from one version of a model to another: strokes and
// reaches go to the nearest surface.
package carry

import (
	"context"
	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/spatial"
	"velvetgrime/core/stack"
)

// Carrier knows the old and the new model.
type Carrier struct {
	from, to *mesh.Model
	tree     *spatial.Tree
	far      float32
}

// New prepares carrying. What lies farther than a twentieth of the model from the
// new surface, or only near to faces that look elsewhere, is not carried.
func New(ctx context.Context, from, to *mesh.Model) (*Carrier, error) {
	t, err := spatial.Build(ctx, to.Pos, to.Tri, nil)
	return &Carrier{from, to, t, from.Bounds.Size().Length() / 20}, err
}

// place returns the place of the new model for a point of the old one. Faces that
// look away from n by more than a right angle are not taken.
func (c *Carrier) place(p, n geom.Vec3) (spatial.Place, bool) {
	at := c.tree.Closest(
		p,
		c.far,
		func(t int32) bool { return n == (geom.Vec3{}) || c.to.FaceNormal(int(t)).Dot(n) > 0 },
	)
	return at, at.Tri >= 0
}

// Stroke returns the stroke on the new model under another id: every point goes to
// the nearest place, and its normal with it. It reports false when less than half
// of the points find one.
func (c *Carrier) Stroke(s *brush.Stroke, id string) (*brush.Stroke, bool) {
	n := *s
	n.ID, n.Points = id, nil
	n.Unhold()
	if a := s.Within; a != nil { // the faces nearest to its faces
		r, _ := c.Reach(stack.Reach{Faces: a.Faces})
		on := map[int]bool{}
		for k := 0; k+1 < len(r.Faces); k += 2 {
			for i := range r.Faces[k+1] {
				on[int(r.Faces[k]+i)] = true
			}
		}
		m := c.to
		n.Within = brush.AreaOf(len(m.Tri), func(i int) bool { return on[i] }, func(i int) [3]geom.Vec3 {
			return [3]geom.Vec3{m.Pos[m.Tri[i][0]], m.Pos[m.Tri[i][1]], m.Pos[m.Tri[i][2]]}
		})
		if len(n.Within.Faces) == 0 {
			return &n, false
		}
	}
	if t := s.Take; t != nil { // the place that is cloned goes along
		if at, ok := c.place(t.At, t.Nrm); ok {
			moved := *t
			moved.At = at.Pos
			if to, ok := c.place(t.To, t.ToNrm); ok && s.Counterparts() {
				moved.To = to.Pos
			}
			n.Take = &moved
		}
	}
	for i, p := range s.Points {
		at, ok := c.place(p.Pos, p.Nrm)
		if !ok {
			continue
		}
		t := c.to.Tri[at.Tri]
		nrm := c.to.Nrm[t[0]].Mul(1 - at.U - at.V).Add(c.to.Nrm[t[1]].Mul(at.U)).Add(c.to.Nrm[t[2]].Mul(at.V)).Unit()
		if nrm == (geom.Vec3{}) {
			nrm = p.Nrm
		}
		n.Points = append(n.Points, brush.Point{Pos: at.Pos, Nrm: nrm, Pressure: p.Pressure})
		n.HoldAs(s, i)
	}
	return &n, 2*len(n.Points) >= len(s.Points) && len(n.Points) > 0
}

// Reach returns a reach that means the same on the new model: parts and sheets by
// their names, islands and faces by the triangles nearest to theirs. lost names what
// the new model has not.
func (c *Carrier) Reach(r stack.Reach) (out stack.Reach, lost []string) {
	if left := r.Left(); !left.All() {
		bare := r
		bare.Off = nil
		out, lost = c.Reach(bare)
		off, gone := c.Reach(left)
		return out.But(off), append(lost, gone...)
	}
	out.IDs = r.IDs
	for _, n := range r.Sheets {
		if c.to.SheetIndex(n) >= 0 {
			out.Sheets = append(out.Sheets, n)
		} else {
			lost = append(lost, "sheet "+n)
		}
	}
	parts := map[string]bool{}
	for _, p := range c.to.Parts {
		parts[p.Name] = true
	}
	for _, n := range r.Parts {
		if parts[n] {
			out.Parts = append(out.Parts, n)
		} else {
			lost = append(lost, "part "+n)
		}
	}
	if len(r.Islands)+len(r.Faces) == 0 {
		return out, lost
	}
	was := make([]bool, len(c.from.Tri))
	islands := map[int32]bool{}
	for _, i := range r.Islands {
		islands[i] = true
	}
	for i := range was {
		was[i] = islands[c.from.Island[i]]
	}
	for k := 0; k+1 < len(r.Faces); k += 2 {
		for i := max(int(r.Faces[k]), 0); i < min(int(r.Faces[k]+r.Faces[k+1]), len(was)); i++ {
			was[i] = true
		}
	}
	old, err := spatial.Build(context.Background(), c.from.Pos, c.from.Tri, nil)
	if err != nil {
		return out, append(lost, "faces")
	}
	some := false
	for i, t := range c.to.Tri {
		mid := c.to.Pos[t[0]].Add(c.to.Pos[t[1]]).Add(c.to.Pos[t[2]]).Mul(1.0 / 3)
		n := c.to.FaceNormal(i)
		at := old.Closest(mid, c.far, func(o int32) bool { return c.from.FaceNormal(int(o)).Dot(n) > 0 })
		if at.Tri < 0 || !was[at.Tri] {
			continue
		}
		some = true
		if k := len(out.Faces); k > 0 && out.Faces[k-2]+out.Faces[k-1] == int32(i) {
			out.Faces[k-1]++
		} else {
			out.Faces = append(out.Faces, int32(i), 1)
		}
	}
	if !some {
		lost = append(lost, "faces")
	}
	return out, lost
}
