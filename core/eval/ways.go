package eval

import (
	"context"
	"fmt"
	"slices"

	"velvetgrime/core/cache"
	"velvetgrime/core/flow"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
	"velvetgrime/core/way"
)

// surfaceReads are the streams that the ways of a step read, by name. They depend on the
// step alone, not on the conditions.
func surfaceReads(in step.Input, names []string) map[string][]step.Part {
	out := map[string][]step.Part{}
	for _, n := range names {
		if w, err := way.Of(n, in, nil, 1); err == nil {
			for _, r := range w.Readings() {
				out[r.Name] = r.Parts
			}
		}
	}
	return out
}

// atAge returns the program as it were after some years.
func (p *Program) atAge(years float32) *Program {
	if years == way.AsItIs {
		return p
	}
	if p.whole != nil {
		p = p.whole // what lies below a layer follows layers that lie elsewhere, too
	}
	if p.Doc.Facts().Age == years {
		return p
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if q := p.aged[years]; q != nil {
		return q
	}
	d, c := *p.Doc, *p.Doc.Facts()
	c.Age = years
	d.Conditions = &c
	q := Compile(p.Scene, &d, "", p.live)
	q.rough = p.rough
	if p.aged == nil {
		p.aged = map[float32]*Program{}
	}
	p.aged[years] = q
	return q
}

type wayName struct {
	step *stepPlan
	name string
}

// wayOf returns the way of a step.
func (p *Program) wayOf(name string, s *stepPlan) (way.Way, error) {
	in, _ := step.NewInput(s.step, nil, p.Scene.Model.Bounds)
	return way.Of(name, in, p.Doc.Facts(), p.Scene.Ground().Cloud.Spacing)
}

// wayKey is the key of a way: its own, and what it reads anywhere on the model.
func (p *Program) wayKey(name string, s *stepPlan) Key {
	if k, ok := p.wayKeys.Load(wayName{s, name}); ok {
		return k.(Key)
	}
	k := p.newWayKey(name, s)
	p.wayKeys.Store(wayName{s, name}, k)
	return k
}

func (p *Program) newWayKey(name string, s *stepPlan) Key {
	w, err := p.wayOf(name, s)
	if err != nil {
		return cache.NewHash(err.Error()).Sum() // going it fails with the same
	}
	k := cache.NewHash("way").Key(way.Key(name, w)).Key(p.Scene.Base)
	if _, ok := w.(way.Rough); ok && p.rough {
		k = k.Str("roughly")
	}
	on := p.Scene.Ground().On
	for _, r := range w.Readings() {
		if sp := s.walks[r.Name]; sp != nil {
			k = k.Str(r.Name).Key(p.atAge(r.Years).streamKey(on.Copy(), sp, len(sp.steps), 0))
		}
	}
	return k.Sum()
}

// walked returns what the way of a step found, going it when it was not gone yet.
func (p *Program) walked(ctx context.Context, name string, s *stepPlan) (way.Found, error) {
	ground := p.Scene.Ground()
	k := ground.At(p.wayKey(name, s))
	k.Lock()
	defer k.Unlock()
	if k.Found != nil {
		return k.Found, nil
	}
	w, err := p.wayOf(name, s)
	if err != nil {
		return nil, err
	}
	find, on, spread := w.Find, ground.On, func(row []float32) []float32 { return row }
	if r, ok := w.(way.Rough); ok && p.rough {
		find = r.FindRoughly
		if on, spread, err = ground.Roughly(ctx); err != nil {
			return nil, err
		}
	}
	readings := w.Readings()
	rows := make(pix.Rows, len(readings))
	for i, r := range readings {
		if rows[i], err = p.atAge(r.Years).onGround(ctx, on.Copy(), s, r.Name); err != nil {
			return nil, err
		}
		rows[i] = spread(rows[i])
	}
	found, err := find(ctx, ground.Ground, func(i int) []float32 { return rows[i] })
	if err == nil && complete(ctx) {
		k.Found = found
	}
	return found, err
}

// onGround evaluates what a way reads at points of the ground; nil when it reads nothing.
func (p *Program) onGround(ctx context.Context, u *surface.Surface, s *stepPlan, name string) ([]float32, error) {
	sp := s.walks[name]
	if sp == nil {
		return nil, nil
	}
	if m, ok := missingFor(sp); ok && !p.hasBaked(m) {
		return nil, nil
	}
	v, err := p.stream(ctx, u, sp, len(sp.steps))
	if err != nil {
		return nil, err
	}
	return v.Gray(), nil
}

// runRow draws the runs of a step at the points of a surface. On drafts what each run
// left is kept, so that a moved age only weighs it anew.
func (p *Program) runRow(u *surface.Surface, look flow.Look, name Key, r *way.Stainer) []float32 {
	f := u.Frame()
	out := make([]float32, len(f.Pos))
	s := r.Of(look.Width)
	if !s.Near(f.Bounds) {
		return out
	}
	if u.Tile != nil && u.Tile.Size > draft {
		var room [8]flow.Mark
		stained(f, s, &look, func(i int, near *flow.Stained) {
			out[i] = flow.Grown(near.Marks(f.Pos[i], f.Nrm[i], f.Footprint, room[:0]), look.Age)
		})
		return out
	}
	still := look
	still.Age = 0
	key := cache.NewHash("marks").Key(u.Key).Key(name).Str(fmt.Sprintf("%+v", still)).Sum()
	var counts, marks []float32
	if v, ok := p.Scene.Cache.Get(key); ok {
		counts, marks = v.(pix.Rows)[0], v.(pix.Rows)[1]
	} else {
		counts = make([]float32, len(f.Pos))
		found := make([][]flow.Mark, len(f.Pos))
		var room [8]flow.Mark
		stained(f, s, &still, func(i int, near *flow.Stained) {
			found[i] = slices.Clone(near.Marks(f.Pos[i], f.Nrm[i], f.Footprint, room[:0]))
		})
		for i, list := range found {
			counts[i] = float32(len(list))
			for _, m := range list {
				marks = append(marks, m.Rank, m.Much)
			}
		}
		p.Scene.Cache.Put(key, pix.Rows{counts, marks})
	}
	var room [16]flow.Mark
	for i, n := range counts {
		if n == 0 {
			continue
		}
		list := room[:0]
		for range int(n) {
			list, marks = append(list, flow.Mark{Rank: marks[0], Much: marks[1]}), marks[2:]
		}
		out[i] = flow.Grown(list, look.Age)
	}
	return out
}

// stained calls f for every point of a frame near which runs come, block by block, with
// those that come near its block, or near a part of it where they are many.
func stained(f *raster.Frame, s *flow.Stains, look *flow.Look, at func(i int, near *flow.Stained)) {
	var found [4]flow.Stained // by level: a block, its quarters, theirs
	var parts func(level, x0, y0, x1, y1 int)
	parts = func(level, x0, y0, x1, y1 int) {
		if level+1 == len(found) || x1-x0 < 2 || y1-y0 < 2 || !found[level].Many() {
			for y := y0; y < y1; y++ {
				for i := y*f.W + x0; i < y*f.W+x1; i++ {
					if f.Tri[i] >= 0 {
						at(i, &found[level])
					}
				}
			}
			return
		}
		xm, ym := (x0+x1)/2, (y0+y1)/2
		for _, q := range [4][4]int{{x0, y0, xm, ym}, {xm, y0, x1, ym}, {x0, ym, xm, y1}, {xm, ym, x1, y1}} {
			box := geom.EmptyBox()
			for y := q[1]; y < q[3]; y++ {
				for i := y*f.W + q[0]; i < y*f.W+q[2]; i++ {
					if f.Tri[i] >= 0 {
						box = box.Grow(f.Pos[i])
					}
				}
			}
			if box.Empty() {
				continue
			}
			if found[level+1] = found[level].Within(box, found[level+1]); !found[level+1].None() {
				parts(level+1, q[0], q[1], q[2], q[3])
			}
		}
	}
	bw := f.BlocksWide()
	for b, box := range f.Blocks {
		if !s.Near(box) {
			continue
		}
		if found[0] = s.In(box, look, f.Footprint, found[0]); !found[0].None() {
			x, y := b%bw*raster.Block, b/bw*raster.Block
			parts(0, x, y, min(x+raster.Block, f.W), min(y+raster.Block, f.H))
		}
	}
}
