package eval

import (
	"context"
	"fmt"
	"slices"

	"velvetgrime/core/cache"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
	"velvetgrime/core/way"
)

const agentRole = "agent"

// eachFollower calls f for every follow step that agents read through.
func (sp *streamPlan) eachFollower(f func(*stack.Step)) {
	for i := range sp.steps {
		s := &sp.steps[i]
		for _, all := range []map[string]*streamPlan{s.reads, s.walks} {
			for _, r := range all {
				for k := range r.steps {
					if r.steps[k].step.Kind == stack.Follow {
						f(r.steps[k].step)
					}
				}
			}
		}
		if s.inner != nil {
			s.inner.eachFollower(f)
		}
	}
}

// readNames returns the names of what an agent reads, in order.
func (s *stepPlan) readNames() []string {
	names := make([]string, 0, len(s.reads))
	for n := range s.reads {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}

// readsKey returns the key of everything that an agent reads besides its parameters.
func (p *Program) readsKey(u *surface.Surface, s *stepPlan, pad float32) Key {
	k := cache.Join(p.facts, s.own, 71)
	for _, n := range s.readNames() {
		k = cache.Join(k, p.streamKey(u, s.reads[n], len(s.reads[n].steps), pad), 72)
	}
	for _, n := range s.ways {
		k = cache.Join(k, p.wayKey(n, s), 74)
	}
	return k
}

// agent runs an agent, or another source that goes over the surface: one row, 0..1. The row is shared: it is not to be
// written. With need only those points count, and nothing is kept.
func (p *Program) agent(ctx context.Context, u *surface.Surface, s *stepPlan, need []bool) ([]float32, error) {
	key := cache.Join(u.Key, p.readsKey(u, s, 0), 73)
	if need != nil {
		if v, ok := p.Scene.Cache.Get(key); ok {
			return v.(pix.Rows)[0], nil
		}
		return p.runAgent(ctx, u, s, need)
	}
	out, err := once(ctx, p.Scene, key, func() (pix.Rows, error) {
		row, err := p.runAgent(ctx, u, s, nil)
		if err == nil && p.remembers(u, s) {
			putOn(ctx, u, key, pix.Rows{row})
		}
		return pix.Rows{row}, err
	})
	if err != nil {
		return nil, err
	}
	return out[0], nil
}

// runAgent is agent without a look at what is kept of itself.
func (p *Program) runAgent(ctx context.Context, u *surface.Surface, s *stepPlan, need []bool) ([]float32, error) {
	in, d := p.input(u, s.step)
	in.Facts, in.Read = p.Doc.Facts(), map[string][]float32{}
	if u.Tile == nil || u.Tile.Size <= draft {
		in.Keep = func(name string, make func() []float32) []float32 {
			k := cache.NewHash("field").Key(u.Key).Str(name).Sum()
			if v, ok := p.Scene.Cache.Get(k); ok {
				return v.(pix.Rows)[0]
			}
			row := make()
			p.Scene.Cache.Put(k, pix.Rows{row})
			return row
		}
	}
	for _, n := range s.readNames() {
		if name, ok := missingFor(s.reads[n]); ok && !p.hasBaked(name) {
			continue // it does without
		}
		// several agents read the same, and a moved slider reads it again
		k := cache.Join(p.streamKey(u, s.reads[n], len(s.reads[n].steps), 0), Key{}, 76)
		v, err := once(ctx, p.Scene, k, func() (pix.Rows, error) {
			v, err := p.softly(ctx, u, s.reads[n])
			if err != nil {
				return nil, fmt.Errorf("what it reads (%s): %w", n, err)
			}
			v = pix.Rows{v.Gray()}
			putOn(ctx, u, k, v)
			return v, nil
		})
		if err != nil {
			return nil, err
		}
		in.Read[n] = v[0]
	}
	var err error
	for _, n := range s.ways {
		if in.Read[n], err = p.wayRow(ctx, u, n, in, s); err != nil {
			return nil, err
		}
	}
	row := make([]float32, len(u.Frame().Pos))
	if in.Need = need; need == nil || slices.Contains(need, true) {
		d.Run(in, row)
	}
	return row, ctx.Err()
}

// missingFor returns the baked map that a stream begins with.
func missingFor(sp *streamPlan) (string, bool) {
	if len(sp.steps) == 0 || sp.steps[0].step.Kind != stack.BakedStep {
		return "", false
	}
	what, _ := sp.steps[0].step.Params["map"].(string)
	return bakedName(what), true
}

// hasBaked reports whether any sheet has a baked map.
func (p *Program) hasBaked(name string) bool {
	for _, all := range p.Doc.Preparation().Baked {
		if _, ok := all[name]; ok {
			return true
		}
	}
	return false
}

// bakedName returns the file of baked maps that a choice of the baked step reads.
func bakedName(what string) string {
	switch what {
	case "", "edges", "creases", "curvature":
		return "curvature"
	case "occlusion":
		return "ao"
	case "sky exposure":
		return "sky"
	}
	return what
}

// missing lists the baked maps that an agent needs and that a sheet of its layer has
// not.
func (p *Program) missing(pl *layerPlan, d *step.Description) (out []string) {
	all := p.Doc.Preparation().Baked
	for _, name := range d.Needs {
		for i, sheet := range p.Scene.Model.Sheets {
			if pl.sheets != nil && !pl.sheets[i] || !sheet.HasUV {
				continue
			}
			if _, ok := all[sheet.Name][name]; !ok {
				out = append(out, name)
				break
			}
		}
	}
	return out
}

// wayRow gives what a way found at the points of a surface. Only the drawing of runs
// depends on the age: the others' rows are kept.
func (p *Program) wayRow(
	ctx context.Context,
	u *surface.Surface,
	name string,
	in step.Input,
	s *stepPlan,
) ([]float32, error) {
	find := func() (pix.Rows, error) {
		found, err := p.walked(ctx, name, s)
		if err != nil {
			return nil, err
		}
		if runs, ok := found.(*way.Stainer); ok {
			return pix.Rows{p.runRow(u, way.LookOf(in, in.Facts), p.wayKey(name, s), runs)}, nil
		}
		out := pix.Rows{make([]float32, len(u.Frame().Pos))}
		found.Row(u.Frame(), out[0])
		putOn(ctx, u, cache.Join(u.Key, p.wayKey(name, s), 75), out)
		return out, nil
	}
	var out pix.Rows
	var err error
	if name == "run" {
		out, err = find()
	} else {
		out, err = once(ctx, p.Scene, cache.Join(u.Key, p.wayKey(name, s), 75), find)
	}
	if err != nil {
		return nil, err
	}
	return out[0], nil
}

// softTexels is how far a blur that is read softly looks, in texels, at most: three times its
// radius, on texels of no less than half of that.
const softTexels = 7

// softly evaluates what an agent reads. What ends in a blur is evaluated on sheets whose
// texels are about as large as its radius, however fine the surface itself is, and read
// between those texels: agents need no more, and it costs next to nothing. Sheets are of one
// tile at least, which may be much finer than that: the blur itself is then made on coarser
// texels, or the rims of many small islands would cost more than all else.
func (p *Program) softly(ctx context.Context, u *surface.Surface, sp *streamPlan) (pix.Rows, error) {
	last := len(sp.steps) - 1
	if last < 0 || sp.steps[last].step.Kind != "blur" || sp.steps[last].look <= 0 {
		return p.stream(ctx, u, sp, len(sp.steps))
	}
	radius := sp.steps[last].look / 3
	return p.fromTilesOf(ctx, u, sp, last, softTexels, func(sheet int) int {
		own := 8192
		switch {
		case u.Tile != nil:
			own = u.Tile.Size
		case u.IsFrame(): // a card needs no more than its pixels show
			own = p.levelFor(sheet, u.Frame())
		}
		size := pix.Size
		for size < min(own, 2048) && p.Scene.Index(sheet).Scale()/float32(size) > 0.8*radius {
			size *= 2
		}
		return size
	})
}
