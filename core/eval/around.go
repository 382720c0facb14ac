package eval

import (
	"context"
	"fmt"
	"velvetgrime/core/cache"
	"velvetgrime/core/fold"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

func (p *Program) painting(pl *layerPlan) fold.Strokes {
	return fold.Strokes{List: pl.strokes, Layer: pl.layer.ID}
}

func (p *Program) handing(s *stack.Step) fold.Strokes {
	return fold.Strokes{List: p.hands[s], Layer: p.holders[s]}
}

// ShowsAt returns a channel as it shows on a surface of one point at a layer, with all
// that was painted in it or in its hand step: what a stroke there would look at.
func (p *Program) ShowsAt(
	ctx context.Context,
	u *surface.Surface,
	layer, handStep string,
	channel stack.Channel,
) ([]float32, error) {
	l := p.Doc.Layer(layer)
	if l == nil || p.all[layer] == nil {
		return nil, fmt.Errorf("there is no layer %q", layer)
	}
	q := p.painting(p.all[layer])
	l.EachStep(func(s *stack.Step) {
		if s.ID == handStep && handStep != "" {
			q = p.handing(s)
		}
	})
	rows, err := p.strokes.Composite(ctx, u, q, channel)
	if err != nil {
		return nil, err
	}
	var out []float32
	for _, r := range rows {
		out = append(out, r[0])
	}
	return out, nil
}

// around is what strokes find of a program around them.
type around struct{ *Program }

// Info implements fold.Document.
func (p around) Info(c stack.Channel) (stack.ChannelInfo, bool) { return p.Doc.Info(c) }

// Below implements fold.Document.
func (p around) Below(ctx context.Context, u *surface.Surface, layer string, c stack.Channel) (pix.Rows, error) {
	v, err := p.lowerPart(layer).Channel(ctx, u, c)
	if err != nil {
		return nil, err
	}
	return pix.Planes(v).Rows(len(u.Frame().Pos)).Clone(), nil
}

// BelowKey implements fold.Document.
func (p around) BelowKey(u *surface.Surface, layer string, c stack.Channel, pad float32) Key {
	return p.lowerPart(layer).key(u, c, pad)
}

// Material implements fold.Document.
func (p around) Material(ctx context.Context, u *surface.Surface, layer string, c stack.Channel) (pix.Rows, error) {
	pl := p.all[layer]
	info, _ := p.Doc.Info(c)
	v, err := p.own(ctx, u, pl, info)
	if err != nil {
		return nil, fmt.Errorf("the material %q of a stroke: %w", pl.layer.Name, err)
	}
	return p.encoded(v, info).Rows(len(u.Frame().Pos)), nil
}

// MaterialKey implements fold.Document.
func (p around) MaterialKey(u *surface.Surface, layer string, c stack.Channel, pad float32) (k Key, ok bool) {
	pl := p.all[layer]
	if pl == nil || pl.layer.Kind != stack.Fill || pl.coats[c] == nil {
		return k, false
	}
	return p.ownKey(u, pl, c, pad), true
}

// Blurred implements fold.Document.
func (p around) Blurred(
	ctx context.Context, u *surface.Surface, radius float32, key Key,
	of func(ctx context.Context, tile *surface.Surface) (pix.Rows, error),
) (pix.Rows, error) {
	params := map[string]any{"radius": float64(radius)}
	sp := planStream([]*stack.Step{{Kind: "blur", On: true, Amount: 1, Params: params}}, nil)
	sp.start, sp.read = key, of
	return p.filtered(ctx, u, sp, 0)
}

// Keep implements fold.Document.
func (p around) Keep(ctx context.Context, k Key, v cache.Sized) { p.Scene.put(ctx, k, v) }
