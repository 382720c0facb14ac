package fold

import (
	"context"
	"fmt"
	"slices"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// Strokes is a list of strokes and the layer that they lie in, its own or a hand step's.
type Strokes struct {
	List  *brush.List
	Layer string
}

// before are the strokes before stroke i of the list.
func (q Strokes) before(i int) Strokes { return Strokes{q.List.First(i), q.Layer} }

// lookedAt makes the keys of strokes hang, from the first that looks at other layers, on
// what it looks at: what lies below, and what was painted before; or a material.
func (p *Painter) lookedAt(
	u *surface.Surface,
	q Strokes,
	list []int,
	keys []cache.Key,
	channel string,
	pad float32,
) []cache.Key {
	if !q.List.Looks() {
		return keys
	}
	out := slices.Clone(keys)
	extra, looked := cache.Key{}, false
	for i, at := range list {
		s := q.List.All[at]
		if s.Alike != nil {
			looked = true
			extra = cache.Join(extra, p.Doc.BelowKey(u, q.Layer, stack.Channel(s.Alike.Channel), pad), 81)
			extra = cache.Join(extra, q.List.Before(at), 82)
		}
		if of, ok := p.materialKey(u, s, channel, pad); ok {
			looked = true
			extra = cache.Join(extra, of, 86)
		}
		if looked && (s.Elsewhere() || s.Spread() > 0) {
			extra = cache.Join(extra, p.KeyAnywhere(q, channel), 84)
		}
		if looked {
			out[i] = cache.Join(keys[i], extra, 83)
		}
	}
	return out
}

// KeyAnywhere is the key of what the strokes of a list look at, anywhere on the
// model: for what reads them at other places.
func (p *Painter) KeyAnywhere(q Strokes, channel string) cache.Key {
	k := cache.Key{}
	if !q.List.Looks() {
		return k
	}
	on := p.Scene.Ground().On
	for _, s := range q.List.All {
		if s.Alike != nil {
			k = cache.Join(k, p.Doc.BelowKey(on.Copy(), q.Layer, stack.Channel(s.Alike.Channel), 0), 85)
		}
		if of, ok := p.materialKey(on.Copy(), s, channel, 0); ok {
			k = cache.Join(k, of, 87)
		}
	}
	return k
}

// materialKey is the key of what a stroke lays of a material on a surface; ok is false for
// one that lays its values.
func (p *Painter) materialKey(u *surface.Surface, s *brush.Stroke, channel string, pad float32) (k cache.Key, ok bool) {
	if s.Of == "" || s.Erase || channel == stack.MaskStream {
		return k, false
	}
	return p.Doc.MaterialKey(u, s.Of, stack.Channel(channel), pad)
}

// laid is what a stroke lays of a material on a surface, one row a component, colours
// sRGB-encoded; nil: it lays its values.
func (p *Painter) laid(ctx context.Context, u *surface.Surface, s *brush.Stroke, channel string) (pix.Rows, error) {
	if _, ok := p.materialKey(u, s, channel, 0); !ok {
		return nil, nil
	}
	return p.Doc.Material(ctx, u, s.Of, stack.Channel(channel))
}

// colored reports whether a channel holds colours.
func (p *Painter) colored(channel string) bool {
	info, ok := p.Doc.Info(stack.Channel(channel))
	return ok && info.Color()
}

// Composite is a channel as it shows on a surface at a layer: what lies below, and over it
// what was painted in the layer. One row a component, colours sRGB-encoded.
func (p *Painter) Composite(
	ctx context.Context,
	u *surface.Surface,
	q Strokes,
	channel stack.Channel,
) (pix.Rows, error) {
	info, ok := p.Doc.Info(channel)
	if !ok {
		return nil, fmt.Errorf("there is no channel %q by which places could be alike", channel)
	}
	out, err := p.Doc.Below(ctx, u, q.Layer, channel)
	if err != nil {
		return nil, err
	}
	list, keys := p.Touching(u, q, string(channel), 0)
	if len(list) == 0 {
		return out, nil
	}
	own, err := p.Painted(ctx, u, q, list, keys, string(channel), info.Components)
	if err != nil {
		return nil, err
	}
	for c := range out {
		for i, a := range own[info.Components] {
			out[c][i] = own[c][i] + (1-a)*out[c][i]
		}
	}
	return out, nil
}

// alike lets the coverage of stroke i of a list show only where it looks alike. It writes
// the coverage.
func (p *Painter) alike(ctx context.Context, u *surface.Surface, q Strokes, i int, cover []float32) error {
	s := q.List.All[i]
	if s.Alike == nil || !slices.ContainsFunc(cover, func(c float32) bool { return c > 0 }) {
		return nil
	}
	rows, err := p.Composite(ctx, u, q.before(i), stack.Channel(s.Alike.Channel))
	if err != nil {
		return err
	}
	s.Alike.Hold(cover, rows)
	return nil
}
