package eval

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

// pulls is a list of strokes and the layer that they lie in, its own or a hand step's.
type pulls struct {
	list  *brush.List
	layer string
}

// before are the strokes before stroke i of the list.
func (q pulls) before(i int) pulls { return pulls{q.list.First(i), q.layer} }

func (p *Program) painting(pl *layerPlan) pulls { return pulls{pl.strokes, pl.layer.ID} }

func (p *Program) handing(s *stack.Step) pulls { return pulls{p.hands[s], p.holders[s]} }

// sights makes the keys of strokes hang, from the first that looks at other layers, on
// what it looks at: what lies below, and what was painted before; or a material.
func (p *Program) sights(u *surface.Surface, q pulls, list []int, keys []Key, channel string, pad float32) []Key {
	if !q.list.Looks() {
		return keys
	}
	out := slices.Clone(keys)
	extra, looked := Key{}, false
	for i, at := range list {
		s := q.list.All[at]
		if s.Alike != nil {
			looked = true
			extra = cache.Join(extra, p.lowerPart(q.layer).key(u, stack.Channel(s.Alike.Channel), pad), 81)
			extra = cache.Join(extra, q.list.Before(at), 82)
		}
		if pl := p.material(s, channel); pl != nil {
			looked = true
			extra = cache.Join(extra, p.ownKey(u, pl, stack.Channel(channel), pad), 86)
		}
		if looked && (s.Elsewhere() || s.Spread() > 0) {
			extra = cache.Join(extra, p.sightsAnywhere(q, channel), 84)
		}
		if looked {
			out[i] = cache.Join(keys[i], extra, 83)
		}
	}
	return out
}

// sightsAnywhere is the key of what the strokes of a list look at, anywhere on the
// model: for what reads them at other places.
func (p *Program) sightsAnywhere(q pulls, channel string) Key {
	k := Key{}
	if !q.list.Looks() {
		return k
	}
	on := p.Scene.Ground().On
	for _, s := range q.list.All {
		if s.Alike != nil {
			k = cache.Join(k, p.lowerPart(q.layer).key(on.Copy(), stack.Channel(s.Alike.Channel), 0), 85)
		}
		if pl := p.material(s, channel); pl != nil {
			k = cache.Join(k, p.ownKey(on.Copy(), pl, stack.Channel(channel), 0), 87)
		}
	}
	return k
}

// material returns the layer whose channel a stroke lays; nil: it lays its values.
func (p *Program) material(s *brush.Stroke, channel string) *layerPlan {
	if s.Of == "" || s.Erase || channel == stack.MaskStream {
		return nil
	}
	if pl := p.all[s.Of]; pl != nil && pl.layer.Kind == stack.Fill && pl.coats[stack.Channel(channel)] != nil {
		return pl
	}
	return nil
}

// laid is what a stroke lays of a material on a surface, one row a component, colours
// sRGB-encoded; nil: it lays its values.
func (p *Program) laid(ctx context.Context, u *surface.Surface, s *brush.Stroke, channel string) (pix.Rows, error) {
	pl := p.material(s, channel)
	if pl == nil {
		return nil, nil
	}
	info, _ := p.Doc.Info(stack.Channel(channel))
	v, err := p.own(ctx, u, pl, info)
	if err != nil {
		return nil, fmt.Errorf("the material %q of a stroke: %w", pl.layer.Name, err)
	}
	return p.encoded(v, info).Rows(len(u.Frame().Pos)), nil
}

// shows is a channel as it shows on a surface at a layer: what lies below, and over it
// what was painted in the layer. One row a component, colours sRGB-encoded.
func (p *Program) shows(ctx context.Context, u *surface.Surface, q pulls, channel stack.Channel) (pix.Rows, error) {
	info, ok := p.Doc.Info(channel)
	if !ok {
		return nil, fmt.Errorf("there is no channel %q by which places could be alike", channel)
	}
	v, err := p.lowerPart(q.layer).Channel(ctx, u, channel)
	if err != nil {
		return nil, err
	}
	n := len(u.Frame().Pos)
	out := make(pix.Rows, len(v))
	for c := range v {
		out[c] = make([]float32, n)
		v[c].Fill(out[c])
	}
	list, keys := p.touching(u, q, string(channel), 0)
	if len(list) == 0 {
		return out, nil
	}
	own, err := p.painted(ctx, u, q, list, keys, string(channel), info.Components)
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
	rows, err := p.shows(ctx, u, q, channel)
	if err != nil {
		return nil, err
	}
	var out []float32
	for _, r := range rows {
		out = append(out, r[0])
	}
	return out, nil
}

// alike lets the coverage of stroke i of a list show only where it looks alike. It writes
// the coverage.
func (p *Program) alike(ctx context.Context, u *surface.Surface, q pulls, i int, cover []float32) error {
	s := q.list.All[i]
	if s.Alike == nil || !slices.ContainsFunc(cover, func(c float32) bool { return c > 0 }) {
		return nil
	}
	rows, err := p.shows(ctx, u, q.before(i), stack.Channel(s.Alike.Channel))
	if err != nil {
		return err
	}
	s.Alike.Hold(cover, rows)
	return nil
}
