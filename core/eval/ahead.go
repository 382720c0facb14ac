package eval

import (
	"cmp"
	"context"
	"slices"
	"sync"

	"velvetgrime/core/geom"
	"velvetgrime/core/par"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// Pen is where a pen is, over the model or on it, and where it goes; metres, in the model's
// space.
type Pen struct {
	At     geom.Vec3
	Goes   geom.Vec3 // the way from At over the next moments
	Radius float32   // of its dabs
}

// Near returns those of some tiles whose points come within one and a half radii of the
// box around the pen's way, the nearest to the pen first. Tiles that were never drawn are
// drawn for it, until the context ends: then it returns those that it knows.
func (s *Scene) Near(ctx context.Context, tiles []surface.Tile, pen Pen) []surface.Tile {
	box := geom.EmptyBox().Grow(pen.At).Grow(pen.At.Add(pen.Goes)).Pad(1.5 * pen.Radius)
	far := func(t surface.Tile) float32 {
		d := s.OnTile(t).Bounds().Away(pen.At)
		return d.Dot(d)
	}
	var out []surface.Tile
	for _, t := range tiles {
		if ctx.Err() != nil {
			break
		}
		if s.OnTile(t).Within(box) {
			out = append(out, t)
		}
	}
	slices.SortStableFunc(out, func(a, b surface.Tile) int { return cmp.Compare(far(a), far(b)) })
	return out
}

// Ready makes what a stroke on the layer under edit will need on a surface and does not
// change itself: the points, the state of a channel below the layer, the masks of the
// layers above. It stops with the context's error within one step of a layer, and what
// was made until then is kept.
func (p *Program) Ready(ctx context.Context, u *surface.Surface, c stack.Channel) error {
	info, ok := p.Doc.Info(c)
	if !ok || u.Empty() {
		return nil
	}
	u.Ahead = true
	defer func() { u.Ahead = false }()
	_, err := p.composite(ctx, u, info)
	return err
}

// ReadyAll makes tiles ready that are not done yet, two at a time, and notes each as done.
// It returns the first error, a step's or the context's; nil does not mean that all are
// done when the context has ended.
func (p *Program) ReadyAll(
	ctx context.Context,
	tiles []surface.Tile,
	channels []stack.Channel,
	done map[surface.Tile]bool,
) error {
	var mu sync.Mutex
	g, ctx := par.WithContext(ctx)
	g.SetLimit(2)
	for _, t := range tiles {
		mu.Lock()
		was := done[t]
		mu.Unlock()
		if was || ctx.Err() != nil {
			continue
		}
		g.Go(func() error {
			u := p.Scene.OnTile(t)
			for _, c := range channels {
				if err := p.Ready(ctx, u, c); err != nil {
					return err
				}
			}
			mu.Lock()
			defer mu.Unlock()
			done[t] = true
			return nil
		})
	}
	return g.Wait()
}

// Painted lists the channels that a stroke on a layer may change: those it paints, or for
// a stroke on its mask all that it covers.
func (p *Program) Painted(layer string) []stack.Channel {
	pl := p.all[layer]
	if pl == nil {
		return nil
	}
	var out []stack.Channel
	for _, info := range p.Doc.Channels() {
		if _, _, on := pl.modeOf(info); on {
			out = append(out, info.Channel)
		}
	}
	return out
}

// Edits reports whether a layer is the one under edit.
func (p *Program) Edits(layer string) bool { return p.all[layer] != nil && p.hot[p.all[layer]] }

// upTo is the number of layers of a list after which a kept state may be taken up: all,
// or, on a surface that is made ready, those below the layer under edit.
func (p *Program) upTo(u *surface.Surface, list []*layerPlan) int {
	if u.Ahead {
		for i := len(list) - 1; i >= 0; i-- {
			if p.hot[list[i]] {
				return i
			}
		}
	}
	return len(list)
}

// Masks finds the masks that some channels need on a surface, from the top down, for who lays these
// channels from the bottom up meanwhile: the two meet halfway. What fails is left to the other, who
// says so.
func (p *Program) Masks(ctx context.Context, u *surface.Surface, channels []stack.Channel) {
	needed := map[*layerPlan]bool{}
	for _, c := range channels {
		info, ok := p.Doc.Info(c)
		if !ok {
			continue
		}
		keys := p.states(u, info, p.layers, p.bottom(u, info))
		_, from := p.newest(u, p.layers, keys)
		for i, pl := range p.layers[from:] {
			if keys[from+i] != keys[from+i+1] {
				needed[pl] = true
			}
		}
	}
	p.masks(ctx, u, p.layers, func(pl *layerPlan) bool { return needed[pl] })
}

func (p *Program) masks(ctx context.Context, u *surface.Surface, list []*layerPlan, needed func(*layerPlan) bool) {
	for _, pl := range slices.Backward(list) {
		if ctx.Err() != nil || pl.none(u) || !needed(pl) {
			continue
		}
		sp := pl.maskFor(stack.Height) // the bevel's reads the plain one
		_ = contained(func() error {
			m, err := p.maskUpTo(ctx, u, pl, sp, len(sp.steps))
			if err == nil && !(m.Uniform() && m.Value == 0) {
				p.masks(ctx, u, pl.kids, func(*layerPlan) bool { return true })
			}
			return err
		})
	}
}
