package fold

import (
	"context"
	"slices"
	"sync"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/surface"
)

// sourcing is what a stroke that clones or smears took on one surface so far. A live
// stroke grows: only what it newly covers is taken then.
type sourcing struct {
	mu      sync.Mutex
	n       int // points of the stroke
	trace   *brush.Trace
	through []int32 // of each point, the echo that it was hit through; nil: none
	rows    pix.Rows
}

type takingKey struct {
	channel string
	surface cache.Key
}

// sourced is what was painted before stroke i of a list where it takes from, at its covered
// points: read between the texels of the tiles there, over seams and sheets. Where there is
// no surface near it takes nothing.
func (p *Painter) sourced(
	ctx context.Context,
	u *surface.Surface,
	q Strokes,
	i int,
	c *surface.Hit,
	channel string,
	components int,
) (pix.Rows, error) {
	s, below := q.List.All[i], q.before(i)
	if s.Take != nil && s.Take.Past != "" {
		if at := slices.IndexFunc(q.List.All[:i], func(o *brush.Stroke) bool { return o.ID == s.Take.Past }); at >= 0 {
			below = q.before(at)
		}
	}
	n := len(u.Frame().Pos)
	if below.List.Len() == 0 {
		return pix.NewRows(components+1, n), nil
	}
	t := &sourcing{}
	if s.ID == p.Live {
		t = surface.Beside(p.Scene, s, takingKey{channel, u.Key}, func() *sourcing { return &sourcing{} })
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.trace == nil || t.n > len(s.Points) {
		t.trace, t.rows, t.through = brush.NewTrace(n), pix.NewRows(components+1, n), nil
	}
	t.n = len(s.Points)
	t.moved(c)
	if err := p.take(ctx, u, s, below, t.trace.Grow(s, c.Frame, c.Cover), t, c.Frame, channel, components); err != nil {
		t.trace = nil
		return nil, err
	}
	if s.ID == p.Live {
		return t.rows.Clone(), nil // it goes on growing
	}
	return t.rows, nil
}

// moved forgets what is known of points that are hit through another place than before.
func (t *sourcing) moved(c *surface.Hit) {
	if c.Through == nil && t.through == nil {
		return
	}
	if t.through == nil {
		t.through = make([]int32, len(c.Cover))
	}
	for i := range t.through {
		now := int32(0)
		if c.Through != nil {
			now = c.Through[i]
		}
		if t.through[i] != now {
			t.through[i] = now
			t.trace.Forget(int32(i))
		}
	}
}

// take fills the rows of what was taken at some points.
func (p *Painter) take(
	ctx context.Context,
	u *surface.Surface,
	s *brush.Stroke,
	below Strokes,
	points []int32,
	t *sourcing,
	f *raster.Frame,
	channel string,
	components int,
) error {
	type part struct {
		to    int32
		share float32
	}
	m, tree := p.Scene.Model, p.Scene.Ground().Tree
	far := max(2*s.Radius, 4*f.Footprint)
	var over *mesh.Counterparts
	if s.Counterparts() {
		var err error
		if over, err = p.Scene.OfTake(s.Take); err != nil {
			return err
		}
	}
	var parts []part
	var pos []geom.Vec3
	var tri []int32
	var room [8]brush.Source
	guess := [len(room)]int32{-1, -1, -1, -1, -1, -1, -1, -1} // where the last point's sources were
	for _, i := range points {
		for c := range t.rows {
			t.rows[c][i] = 0
		}
		if over != nil {
			if face := f.Tri[i]; over.To[face] >= 0 {
				x, y := surface.Corners(m, face, f.Pos[i])
				face, at, _, _ := over.Place(m, face, x, y)
				parts, pos, tri = append(parts, part{i, 1}), append(pos, at), append(tri, face)
			}
			continue
		}
		for k, q := range t.trace.Sources(s, f, i, room[:0]) {
			place := tree.ClosestFrom(
				q.Pos,
				far,
				func(t int32) bool { return m.FaceNormal(int(t)).Dot(q.Nrm) > 0 },
				guess[k],
			)
			if guess[k] = place.Tri; place.Tri >= 0 {
				parts, pos, tri = append(parts, part{i, q.Share}), append(pos, place.Pos), append(tri, place.Tri)
			}
		}
	}
	if len(pos) == 0 {
		return nil
	}
	got, err := u.Elsewhere(pos, tri, func(tu *surface.Surface) (pix.Rows, error) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		list, keys := p.Touching(tu, below, channel, 0)
		if len(list) == 0 {
			return pix.NewRows(components+1, len(tu.Frame().Pos)), nil
		}
		v, err := p.Painted(ctx, tu, below, list, keys, channel, components)
		return v, err
	})
	if err != nil {
		return err
	}
	for c := range t.rows {
		for k, q := range parts {
			t.rows[c][q.to] += q.share * got[c][k]
		}
	}
	return nil
}
