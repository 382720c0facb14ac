package eval

import (
	"context"
	"slices"

	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// CoreLayer is what one layer adds at one point.
type CoreLayer struct {
	Layer  string                      `json:"layer"`
	Mask   float32                     `json:"mask" doc:"the mask with its reach, without the amount"`
	Amount float32                     `json:"amount"`
	Shown  bool                        `json:"shown" doc:"false when it or a group around it is hidden"`
	Steps  map[string][]float32        `json:"steps" doc:"after each step of its streams: a grey, or a colour"`
	Own    map[stack.Channel][]float32 `json:"own" doc:"what it brings to each channel it has"`
	Cover  map[stack.Channel]float32   `json:"cover" doc:"mask × amounts: how much of it lies over what is below"`
	Result map[stack.Channel][]float32 `json:"result" doc:"each channel with everything up to this layer"`
}

// Drill takes a core sample on a surface of one point: every layer, outermost
// first, groups before what they hold. Colours are sRGB-encoded. withSteps also
// evaluates every step of every stream.
func (p *Program) Drill(ctx context.Context, u *surface.Surface, withSteps bool) ([]CoreLayer, error) {
	return p.drillList(ctx, u, p.Doc.Layers, withSteps, true)
}

func (p *Program) drillList(
	ctx context.Context,
	u *surface.Surface,
	list []*stack.Layer,
	withSteps, shown bool,
) ([]CoreLayer, error) {
	var out []CoreLayer
	for _, l := range slices.Backward(list) {
		d, err := p.drillOne(ctx, u, l, withSteps)
		if err != nil && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		d.Shown = shown && l.Visible
		inside, err := p.drillList(ctx, u, l.Layers, withSteps, d.Shown)
		if err != nil {
			return nil, err
		}
		out = append(append(out, d), inside...)
	}
	return out, nil
}

// drillOne leaves out what cannot be evaluated: the layer's error is told where
// its tiles are.
func (p *Program) drillOne(ctx context.Context, u *surface.Surface, l *stack.Layer, withSteps bool) (CoreLayer, error) {
	d := CoreLayer{
		Layer:  l.ID,
		Amount: l.Amount,
		Steps:  map[string][]float32{},
		Own:    map[stack.Channel][]float32{},
		Cover:  map[stack.Channel]float32{},
		Result: map[stack.Channel][]float32{},
	}
	pl := p.all[l.ID]
	m, err := p.mask(ctx, u, pl)
	if err != nil {
		return d, err
	}
	d.Mask = m.At(0)
	row := func(v pix.Planes) []float32 {
		var out []float32
		for _, q := range v {
			out = append(out, q.At(0))
		}
		return out
	}
	if withSteps {
		l.EachStep(func(s *stack.Step) {
			if v, err := p.Step(ctx, u, l.ID, s.ID); err == nil {
				d.Steps[s.ID] = row(v)
			}
		})
	}
	upTo := p.part(l.ID, true)
	for _, info := range p.Doc.Channels() {
		v, err := upTo.Channel(ctx, u, info.Channel)
		if err != nil {
			return d, err
		}
		d.Result[info.Channel] = row(v)
		if coat := pl.coats[info.Channel]; coat == nil || l.Kind == stack.Group {
			continue
		}
		own, cover, err := p.ownCovered(ctx, u, pl, info, nil)
		if err != nil {
			return d, err
		}
		_, amount, _ := pl.modeOf(info)
		d.Own[info.Channel] = row(p.encoded(own, info))
		d.Cover[info.Channel] = d.Mask * amount * cover.At(0)
	}
	return d, nil
}
