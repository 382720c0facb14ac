package eval

import (
	"context"
	"fmt"

	"velvetgrime/core/blend"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
)

// chain returns the key of a channel's result after each layer; index 0 is the
// empty stack. A layer that does not touch the channel here repeats the key.
func (p *Program) chain(u *Surface, info stack.ChannelInfo) []Key {
	k := join(u.key, newHash(string(info.Channel)).sum(), 5)
	keys := make([]Key, 1, len(p.layers)+1)
	keys[0] = k
	for i := range p.layers {
		pl := &p.layers[i]
		coat, ok := pl.coats[info.Channel]
		if ok && !pl.none(u) {
			if pl.layer.Kind == stack.Paint {
				if _, sk := touching(u, pl.layer.Strokes, string(info.Channel)); len(sk) > 0 {
					k = join(join(k, coat, 1), sk[len(sk)-1], 2)
					k = join(k, pl.maskKey(u, len(pl.layer.Mask)), 3)
				}
			} else {
				k = join(join(k, coat, 1), pl.maskKey(u, len(pl.layer.Mask)), 3)
			}
		}
		keys = append(keys, k)
	}
	return keys
}

// Key returns the content key of a channel on a surface.
func (p *Program) Key(u *Surface, c stack.Channel) Key {
	info, _ := stack.Info(c)
	keys := p.chain(u, info)
	return keys[len(keys)-1]
}

// Channel evaluates one channel on a surface: one plane a component. Colours are
// sRGB-encoded, height is in metres. It stops with the context's error within
// one layer of a tile.
func (p *Program) Channel(ctx context.Context, u *Surface, c stack.Channel) ([]pix.Plane, error) {
	info, ok := stack.Info(c)
	if !ok {
		return nil, fmt.Errorf("channel %q is unknown", c)
	}
	keys := p.chain(u, info)
	state := make(planes, info.Components)
	for i := range state {
		state[i].Value = info.Default[i]
	}
	from := 0
	for i := len(p.layers); i > 0; i-- {
		if i < len(p.layers) && keys[i] == keys[i+1] && i > 0 {
			continue
		}
		if v, ok := p.Scene.Cache.get(keys[i]); ok {
			state, from = v.(planes), i
			break
		}
	}
	owned := false // whether the state's memory is ours alone and may be written
	for i := from; i < len(p.layers); i++ {
		if i == p.hot && i > 0 {
			p.Scene.Cache.put(keys[i], state)
			owned = false
		}
		if keys[i] == keys[i+1] {
			continue
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		next, fresh, err := p.over(ctx, u, &p.layers[i], info, state, owned)
		if err != nil {
			return nil, err
		}
		state, owned = next, owned || fresh
	}
	if from < len(p.layers) {
		p.Scene.Cache.put(keys[len(p.layers)], state)
	}
	return state, nil
}

// over lays one layer over the state. With owned it may write into the state's
// planes; fresh reports that the result is made of new memory.
func (p *Program) over(ctx context.Context, u *Surface, pl *layerPlan, info stack.ChannelInfo, below planes, owned bool) (out planes, fresh bool, err error) {
	mask, err := p.mask(ctx, u, pl, len(pl.layer.Mask))
	if err != nil {
		return nil, false, err
	}
	coat := pl.layer.Channels[info.Channel]
	amount := pl.layer.Amount * coat.Amount
	fill := pl.layer.Kind == stack.Fill
	if mask.Uniform() && mask.Value == 0 {
		return below, false, nil
	}
	if fill && mask.Uniform() {
		if out, ok := uniformOver(coat, info, below, amount*mask.Value); ok {
			return out, true, nil
		}
	}
	n := len(u.Frame().Pos)
	out = make(planes, info.Components)
	for c := range out {
		if owned && below[c].Data != nil {
			out[c] = below[c]
			continue
		}
		out[c].Data = make([]float32, n)
		below[c].Fill(out[c].Data)
	}
	if fill && mask.Data != nil && blend.Separable(coat.Blend) != nil {
		for c := range out {
			blend.RowEven(coat.Blend, out[c].Data, coat.Value[c], mask.Data, amount)
		}
	} else if err := p.blendRows(ctx, u, pl, info, coat, mask, amount, out); err != nil {
		return nil, false, err
	}
	if info.Channel != stack.Height && !blend.Bounded(coat.Blend) {
		for c := range out {
			d := out[c].Data
			for k, v := range d {
				d[k] = min(max(v, info.Min), info.Max)
			}
		}
	}
	return out, true, nil
}

// blendRows is the general way: source and alpha as planes.
func (p *Program) blendRows(ctx context.Context, u *Surface, pl *layerPlan, info stack.ChannelInfo, coat stack.Coat, mask pix.Plane, amount float32, out planes) error {
	n := len(u.Frame().Pos)
	alpha := make([]float32, n)
	mask.Fill(alpha)
	src := make([][]float32, info.Components)
	if pl.layer.Kind == stack.Fill {
		for c := range src {
			src[c] = make([]float32, n)
			pix.Plane{Value: coat.Value[c]}.Fill(src[c])
		}
	} else {
		list, keys := touching(u, pl.layer.Strokes, string(info.Channel))
		paint, err := p.painted(ctx, u, list, keys, string(info.Channel), info.Components)
		if err != nil {
			return err
		}
		cov := paint[info.Components].Data
		for c := range src {
			src[c] = make([]float32, n)
			for k, v := range paint[c].Data {
				if cov[k] > 0 {
					src[c][k] = v / cov[k]
				}
			}
		}
		for k := range alpha {
			alpha[k] *= cov[k]
		}
	}
	if amount != 1 {
		for k := range alpha {
			alpha[k] *= amount
		}
	}
	if info.Components == 3 {
		blend.RowColor(coat.Blend, [3][]float32{out[0].Data, out[1].Data, out[2].Data}, [3][]float32{src[0], src[1], src[2]}, alpha)
	} else {
		blend.Row(coat.Blend, out[0].Data, src[0], alpha)
	}
	return nil
}

// uniformOver is the fast path of an even coat over an even state; the same
// row functions are used, on rows of one.
func uniformOver(coat stack.Coat, info stack.ChannelInfo, below planes, alpha float32) (planes, bool) {
	for _, b := range below {
		if !b.Uniform() && !(alpha == 1 && (coat.Blend == "" || coat.Blend == blend.Normal)) {
			return nil, false
		}
	}
	var d, s [3][]float32
	for c := range 3 {
		i := min(c, info.Components-1)
		d[c], s[c] = []float32{below[i].Value}, []float32{coat.Value[i]}
	}
	blend.RowColor(coat.Blend, d, s, []float32{alpha})
	out := make(planes, info.Components)
	for c := range out {
		out[c].Value = d[c][0]
		if info.Channel != stack.Height {
			out[c].Value = min(max(d[c][0], info.Min), info.Max)
		}
	}
	return out, true
}

// Mask evaluates the mask of a layer up to (not including) step upTo; −1 takes
// all steps. Reach is part of it. It works on hidden layers too.
func (p *Program) Mask(ctx context.Context, u *Surface, layerID string, upTo int) (pix.Plane, error) {
	_, l := p.Doc.Layer(layerID)
	if l == nil {
		return pix.Plane{}, fmt.Errorf("there is no layer %q", layerID)
	}
	pl := p.Scene.plan(l)
	if upTo < 0 || upTo > len(l.Mask) {
		upTo = len(l.Mask)
	}
	return p.mask(ctx, u, &pl, upTo)
}

// MaskKey returns the content key of a layer's whole mask on a surface.
func (p *Program) MaskKey(u *Surface, layerID string) Key {
	_, l := p.Doc.Layer(layerID)
	if l == nil {
		return Key{}
	}
	pl := p.Scene.plan(l)
	return pl.maskKey(u, len(l.Mask))
}

// NormalKey returns the content key of the normal map.
func (p *Program) NormalKey(u *Surface) Key { return join(p.Key(u, stack.Height), Key{}, 9) }

// Normal evaluates the tangent-space normal that follows from height on a tile:
// three planes of a unit vector, +X along U, +Y against V (up in the picture, as
// glTF 2.0 has it), +Z outward. The slope is taken on the surface, between
// neighbouring texels' places in space, so it is right across seams and for any
// stretch of the UVs: with Px, Py the surface's derivatives and hx, hy those of
// height, the gradient is G⁻¹·(hx, hy) in the metric G of Px, Py.
func (p *Program) Normal(ctx context.Context, u *Surface) ([]pix.Plane, error) {
	key := p.NormalKey(u)
	if v, ok := p.Scene.Cache.get(key); ok {
		return v.(planes), nil
	}
	h, err := p.Channel(ctx, u, stack.Height)
	if err != nil {
		return nil, err
	}
	flat := planes{{Value: 0}, {Value: 0}, {Value: 1}}
	if h[0].Uniform() {
		return flat, nil
	}
	f := u.Frame()
	out := planes{{Data: make([]float32, len(f.Pos))}, {Data: make([]float32, len(f.Pos))}, {Data: make([]float32, len(f.Pos))}}
	height := h[0].Data
	for y := range f.H {
		for x := range f.W {
			i := y*f.W + x
			n := geom.V3(0, 0, 1)
			if f.Tri[i] >= 0 {
				px, hx := derivative(f.Pos, f.Tri, height, i, 1, x > 0, x < f.W-1)
				py, hy := derivative(f.Pos, f.Tri, height, i, f.W, y > 0, y < f.H-1)
				n = slope(f.Nrm[i], px, py, hx, hy)
			}
			out[0].Data[i], out[1].Data[i], out[2].Data[i] = n.X, n.Y, n.Z
		}
	}
	p.Scene.Cache.put(key, out)
	return out, nil
}

// derivative takes the central difference of place and height where both
// neighbours stand for something, and a one-sided one elsewhere.
func derivative(pos []geom.Vec3, tri []int32, h []float32, i, stride int, before, after bool) (geom.Vec3, float32) {
	a, b := i, i
	if before && tri[i-stride] >= 0 {
		a = i - stride
	}
	if after && tri[i+stride] >= 0 {
		b = i + stride
	}
	return pos[b].Sub(pos[a]), h[b] - h[a]
}

func slope(n, px, py geom.Vec3, hx, hy float32) geom.Vec3 {
	px, py = px.Sub(n.Mul(px.Dot(n))), py.Sub(n.Mul(py.Dot(n)))
	e, f, g := px.Dot(px), px.Dot(py), py.Dot(py)
	det := e*g - f*f
	if det <= 1e-6*e*g || det <= 0 {
		return geom.V3(0, 0, 1)
	}
	grad := px.Mul((g*hx - f*hy) / det).Add(py.Mul((e*hy - f*hx) / det))
	t := px.Unit()
	b := n.Cross(t)
	if b.Dot(py) > 0 { // V grows downward: up in the picture is against py
		b = b.Mul(-1)
	}
	return geom.V3(-grad.Dot(t), -grad.Dot(b), 1).Unit()
}
