// Package fold lays lists of strokes over one another on surfaces: which of them reach a
// surface, what each takes from elsewhere, looks at and lays, and what that comes to. What
// a document has around the strokes it knows only as Document.
package fold

import (
	"context"
	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// Document is what strokes find around them.
type Document interface {
	// Info describes a channel.
	Info(c stack.Channel) (stack.ChannelInfo, bool)

	// Below evaluates a channel as it is below a layer, colours sRGB-encoded, into rows that
	// may be written; BelowKey is its key within pad metres.
	Below(ctx context.Context, u *surface.Surface, layer string, c stack.Channel) (pix.Rows, error)
	BelowKey(u *surface.Surface, layer string, c stack.Channel, pad float32) cache.Key

	// Material evaluates what a layer itself brings to a channel; MaterialKey is its key
	// within pad metres, and whether that layer can be laid as a material.
	Material(ctx context.Context, u *surface.Surface, layer string, c stack.Channel) (pix.Rows, error)
	MaterialKey(u *surface.Surface, layer string, c stack.Channel, pad float32) (cache.Key, bool)

	// Blurred blurs, by a radius in metres, what of gives of tiles; key names it.
	Blurred(
		ctx context.Context, u *surface.Surface, radius float32, key cache.Key,
		of func(ctx context.Context, tile *surface.Surface) (pix.Rows, error),
	) (pix.Rows, error)

	// Keep keeps a value when nothing that it was made from failed.
	Keep(ctx context.Context, k cache.Key, v cache.Sized)
}

// Painter folds strokes of a document on the surfaces of a scene.
type Painter struct {
	Scene *surface.Scene
	Known *Known
	Doc   Document
	Live  string // id of a stroke that still grows, or ""
}

// Painted folds strokes into colour times coverage (components planes) and
// coverage (the last plane). list are the places of those that count here. The state below
// the newest stroke is kept, so that a live stroke costs itself only.
func (p *Painter) Painted(
	ctx context.Context,
	u *surface.Surface,
	q Strokes,
	list []int,
	keys []cache.Key,
	channel string,
	components int,
) (pix.Rows, error) {
	name := func(i int) cache.Key { return cache.Join(u.Key, keys[i], 0x7061696e74) }
	n := len(u.Frame().Pos)
	start := 0
	var acc pix.Rows
	for i := len(list) - 1; i >= 0; i-- {
		if v, ok := p.Scene.Cache.Get(name(i)); ok {
			if i == len(list)-1 {
				return v.(pix.Rows), nil
			}
			acc, start = v.(pix.Rows), i+1
			break
		}
	}
	cur := pix.NewRows(components+1, n)
	for c := range acc {
		copy(cur[c], acc[c])
	}
	for i := start; i < len(list); i++ {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		at, s := list[i], q.List.All[list[i]]
		var from pix.Rows
		if s.Spread() > 0 {
			var err error
			if from, err = p.softened(ctx, u, q, at, channel, components); err != nil {
				return nil, err
			}
		}
		c, err := u.Cover(ctx, s, s.ID == p.Live, components == 3 && p.colored(channel))
		if err != nil {
			return nil, err
		}
		if err := p.alike(ctx, u, q, at, c.Cover); err != nil {
			return nil, err
		}
		if s.Elsewhere() {
			if from, err = p.sourced(ctx, u, q, at, c, channel, components); err != nil {
				return nil, err
			}
		}
		of, err := p.laid(ctx, u, s, channel)
		if err != nil {
			return nil, err
		}
		if of == nil {
			of = c.Colors
		}
		p.fold(s, c.Coverage, from, of, cur, channel)
		if i == len(list)-2 {
			p.Doc.Keep(ctx, name(i), cur.Clone())
		}
	}
	p.Doc.Keep(ctx, name(len(list)-1), cur)
	return cur, nil
}

// softened is the blur of what was painted before stroke i of a list, on a surface; over
// seams and sheets as a blur of a stream is.
func (p *Painter) softened(
	ctx context.Context,
	u *surface.Surface,
	q Strokes,
	i int,
	channel string,
	components int,
) (pix.Rows, error) {
	s, below := q.List.All[i], q.before(i)
	key := cache.NewHash("softened").Key(q.List.Key(i)).Str(channel).Key(q.List.Before(i)).
		Key(p.KeyAnywhere(below, channel)).Sum()
	of := func(ctx context.Context, t *surface.Surface) (pix.Rows, error) {
		list, keys := p.Touching(t, below, channel, 0)
		if len(list) == 0 {
			return pix.NewRows(components+1, len(t.Frame().Pos)), nil
		}
		return p.Painted(ctx, t, below, list, keys, channel, components)
	}
	return p.Doc.Blurred(ctx, u, s.Spread(), key, of)
}

// fold lays one stroke on what was painted before it; from is what it takes from there, or
// elsewhere, and of the material that it lays, both or nil.
func (p *Painter) fold(s *brush.Stroke, c *brush.Coverage, from, of pix.Rows, cur pix.Rows, channel string) {
	lo, hi := float32(0), float32(1)
	if info, ok := p.Doc.Info(stack.Channel(channel)); ok && channel != stack.MaskStream {
		lo, hi = info.Min, info.Max
	}
	s.Fold(brush.Painted{Rows: cur, Channel: channel, Least: lo, Most: hi,
		Tints: channel == string(stack.BaseColor) || channel == string(stack.Emissive)}, c, from, of)
}
