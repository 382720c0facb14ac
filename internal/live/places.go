package live

import (
	"context"
	"fmt"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// What lies at a place on the surface.

// likeness finds what the places that a stroke stays in are to be like, where it begins.
func (v *viewer) likeness(r *BeginStrokeRequest) error {
	a := r.Stroke.Alike
	if a == nil || len(a.Value) > 0 {
		return nil
	}
	u, tri := v.s.point(r.Spot)
	if tri < 0 {
		return fmt.Errorf("there is no surface at the place that the stroke is to be like")
	}
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	var err error
	a.Value, err = v.s.shown().ShowsAt(ctx, u, r.Layer, r.Step, stack.Channel(a.Channel))
	return err
}

// area is the part, island, sheet or face around the place that a request names, or
// the whole model.
func (s *Session) area(r *BeginStrokeRequest) (*brush.Area, error) {
	m := s.Model()
	on := func(int) bool { return true }
	if r.Within != "all" {
		tri := s.nearest(r.place())
		if tri < 0 {
			return nil, fmt.Errorf("there is no surface at the place where the stroke begins")
		}
		switch r.Within {
		case "part":
			on = func(i int) bool { return m.TriPart[i] == m.TriPart[tri] }
		case "island":
			on = func(i int) bool { return m.Island[i] == m.Island[tri] }
		case "sheet":
			on = func(i int) bool { return m.TriSheet[i] == m.TriSheet[tri] }
		case "face":
			on = func(i int) bool { return i == int(tri) }
		case "id":
			same, err := s.sameID(r.Spot)
			if err != nil {
				return nil, err
			}
			on = func(i int) bool { return same[i] }
		default:
			return nil, fmt.Errorf(
				"a stroke cannot stay within a %q; it can within a part, island, sheet, face, ID colour (id) or all",
				r.Within,
			)
		}
	}
	return brush.AreaOf(len(m.Tri), on, func(i int) [3]geom.Vec3 {
		return [3]geom.Vec3{m.Pos[m.Tri[i][0]], m.Pos[m.Tri[i][1]], m.Pos[m.Tri[i][2]]}
	}), nil
}

// sameID tells of every face whether the ID map has, in its middle, the colour that it has
// at the place of a request.
func (s *Session) sameID(at Spot) ([]bool, error) {
	u, tri := s.point(at)
	p := s.shown()
	var color []float32
	if tri >= 0 {
		var err error
		if color, err = p.IDAt(u); err != nil {
			return nil, err
		}
	}
	if len(color) < 3 {
		return nil, fmt.Errorf("there is no ID colour at that place; bake the ID map, or make one, in Prepare")
	}
	return p.FacesOfID(color[:3], 0.02)
}

// drill answers with a core sample: outermost layer first.
func (v *viewer) drill(ctx context.Context, r *DrillRequest) error {
	s := v.s
	u, tri := s.point(r.Spot)
	if tri < 0 {
		return fmt.Errorf("there is no surface at that place")
	}
	p := eval.Compile(s.Scene(), s.shown().Doc, "", "")
	ctx, _ = eval.PassOver(ctx) // what fails is told where its tiles are
	layers, err := p.Drill(ctx, u, r.Kind == "steps")
	if err != nil {
		return fmt.Errorf("drill: %w", err)
	}
	m := s.Model()
	v.post(Drilled{"drill", r.ID, r.Pos, r.Nrm, layers, m.Parts[m.TriPart[tri]].Name, m.Sheets[m.TriSheet[tri]].Name})
	return nil
}

// pick answers with what lies at a point: the names of what it belongs to, and the
// value of every channel, not what the light makes of it.
func (v *viewer) pick(ctx context.Context, r *PickRequest) error {
	s := v.s
	u, tri := s.point(r.Spot)
	if tri < 0 {
		return fmt.Errorf("there is no surface at that place")
	}
	ctx, _ = eval.PassOver(ctx)
	p := s.shown()
	values := map[stack.Channel][]float32{}
	for _, info := range p.Doc.Channels() {
		planes, err := p.Channel(ctx, u, info.Channel)
		if err != nil {
			continue // its error is told with the tiles
		}
		for _, q := range planes {
			values[info.Channel] = append(values[info.Channel], q.At(0))
		}
	}
	m := s.Model()
	id, err := p.IDAt(u)
	if err != nil {
		id = nil // its error is told with the tiles
	}
	v.post(
		Picked{
			"picked",
			r.ID,
			r.Kind,
			tri,
			m.Island[tri],
			m.Parts[m.TriPart[tri]].Name,
			m.Sheets[m.TriSheet[tri]].Name,
			id,
			values,
		},
	)
	return nil
}

// place returns the spot as vectors.
func (s Spot) place() (pos, nrm geom.Vec3) {
	return geom.V3(s.Pos[0], s.Pos[1], s.Pos[2]), geom.V3(s.Nrm[0], s.Nrm[1], s.Nrm[2])
}

// point returns the surface of a place, and its triangle or
// −1.
func (s *Session) point(at Spot) (*surface.Surface, int32) {
	pos, nrm := at.place()
	tri := s.nearest(pos, nrm)
	if tri < 0 {
		return nil, tri
	}
	return s.Scene().OnFrame(raster.Point(pos, nrm, tri), fmt.Sprint("drill", pos, nrm, tri)), tri
}

// nearest returns the triangle at a point that faces the normal, or −1.
func (s *Session) nearest(p, n geom.Vec3) int32 {
	best, tri := float32(1e30), int32(-1)
	m := s.Model()
	for i, t := range m.Tri {
		c := m.Pos[t[0]].Add(m.Pos[t[1]]).Add(m.Pos[t[2]]).Mul(1.0 / 3)
		fn := m.FaceNormal(i).Unit()
		if fn.Dot(n) < 0.2 {
			continue
		}
		plane := p.Sub(c).Dot(fn)
		d := p.Sub(c).Dot(p.Sub(c))
		// a point inside the triangle counts by its distance to the plane
		if inside(p, m.Pos[t[0]], m.Pos[t[1]], m.Pos[t[2]], fn) {
			d = plane * plane * 1e-3
		}
		if d < best {
			best, tri = d, int32(i)
		}
	}
	return tri
}

func inside(p, a, b, c, n geom.Vec3) bool {
	return b.Sub(a).Cross(p.Sub(a)).Dot(n) >= 0 && c.Sub(b).Cross(p.Sub(b)).Dot(n) >= 0 &&
		a.Sub(c).Cross(p.Sub(c)).Dot(n) >= 0
}
