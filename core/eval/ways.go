package eval

import (
	"context"
	"fmt"
	"sync"

	"velvetgrime/core/flow"
	"velvetgrime/core/step"
	"velvetgrime/core/way"
)

// ways is what a scene keeps for agents that go over its surface.
type ways struct {
	once sync.Once
	*way.Ground
	on *Surface // the ground's points as a surface

	mu    sync.Mutex
	walks map[Key]*walk
	order []Key // oldest first
}

// walk is what one way over the surface found, once for all tiles.
type walk struct {
	mu    sync.Mutex
	found way.Found // nil: not gone yet
}

const maxWalks = 48 // of a megabyte or less each

func (s *Scene) ground() *ways {
	w := &s.ways
	w.once.Do(func() {
		w.Ground, _ = way.NewGround(context.Background(), s.Model, way.Points) // it is finished and has triangles
		w.walks = map[Key]*walk{}
		w.on = s.OnFrame(w.Frame(), "cloud")
	})
	return w
}

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
	return way.Of(name, in, p.Doc.Facts(), p.Scene.ground().Cloud.Spacing)
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
		return newHash(err.Error()).sum() // going it fails with the same
	}
	k := newHash("way").key(way.Key(name, w)).key(p.Scene.base)
	on := p.Scene.ground().on
	for _, r := range w.Readings() {
		if sp := s.walks[r.Name]; sp != nil {
			k = k.str(r.Name).key(p.atAge(r.Years).streamKey(on.copy(), sp, len(sp.steps), 0))
		}
	}
	return k.sum()
}

// at returns the walk of a key: one that is remembered, or one that has yet to be gone;
// then the oldest may be forgotten.
func (w *ways) at(key Key) *walk {
	w.mu.Lock()
	defer w.mu.Unlock()
	k := w.walks[key]
	if k == nil {
		k = &walk{}
		w.walks[key] = k
		w.order = append(w.order, key)
		for len(w.order) > maxWalks {
			delete(w.walks, w.order[0])
			w.order = w.order[1:]
		}
	}
	return k
}

// copy returns a surface for another goroutine.
func (u *Surface) copy() *Surface { return &Surface{key: u.key, scene: u.scene, frame: u.frame} }

// walked returns what the way of a step found, going it when it was not gone yet.
func (p *Program) walked(ctx context.Context, name string, s *stepPlan) (way.Found, error) {
	ground := p.Scene.ground()
	k := ground.at(p.wayKey(name, s))
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.found != nil {
		return k.found, nil
	}
	w, err := p.wayOf(name, s)
	if err != nil {
		return nil, err
	}
	readings := w.Readings()
	rows := make([][]float32, len(readings))
	for i, r := range readings {
		if rows[i], err = p.atAge(r.Years).onGround(ctx, s, r.Name); err != nil {
			return nil, err
		}
	}
	found, err := w.Find(ctx, ground.Ground, func(i int) []float32 { return rows[i] })
	if err == nil && complete(ctx) {
		k.found = found
	}
	return found, err
}

// onGround evaluates what a way reads at the ground's points; nil when it reads nothing.
func (p *Program) onGround(ctx context.Context, s *stepPlan, name string) ([]float32, error) {
	sp := s.walks[name]
	if sp == nil {
		return nil, nil
	}
	if m, ok := missingFor(sp); ok && !p.hasBaked(m) {
		return nil, nil
	}
	v, err := p.stream(ctx, p.Scene.ground().on.copy(), sp, len(sp.steps))
	if err != nil {
		return nil, err
	}
	return grey(v), nil
}

// runRow draws the runs of a step at the points of a surface. On drafts what each run
// left is kept, so that a moved age only weighs it anew.
func (p *Program) runRow(u *Surface, look flow.Look, name Key, r *way.Stainer) []float32 {
	f := u.Frame()
	out := make([]float32, len(f.Pos))
	s := r.Of(look.Width)
	if !s.Near(f.Bounds) {
		return out
	}
	if u.tile != nil && u.tile.Size > draft {
		for i, t := range f.Tri {
			if t >= 0 {
				out[i] = s.At(&look, f.Pos[i], f.Nrm[i], f.Footprint)
			}
		}
		return out
	}
	still := look
	still.Age = 0
	key := newHash("marks").key(u.key).key(name).str(fmt.Sprintf("%+v", still)).sum()
	var counts, marks []float32
	if v, ok := p.Scene.Cache.get(key); ok {
		counts, marks = v.(planes)[0].Data, v.(planes)[1].Data
	} else {
		var list []flow.Mark
		counts = make([]float32, len(f.Pos))
		for i, t := range f.Tri {
			if t < 0 {
				continue
			}
			list = s.Marks(&still, f.Pos[i], f.Nrm[i], f.Footprint, list[:0])
			counts[i] = float32(len(list))
			for _, m := range list {
				marks = append(marks, m.Rank, m.Much)
			}
		}
		p.Scene.Cache.put(key, planes{{Data: counts}, {Data: marks}})
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
