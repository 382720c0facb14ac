package eval

import (
	"context"
	"fmt"
	"slices"

	"velvetgrime/core/blend"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// state is a channel on its way through the stack. At the bottom it is opaque; in
// an isolated group it begins with nothing and has coverage of its own.
type state struct {
	c     pix.Planes
	a     pix.Plane
	clear bool // a counts; otherwise everything is covered
	owned bool // the memory is ours alone and may be written
}

func (s state) cacheable() pix.Planes {
	if s.clear {
		return append(slices.Clone(s.c), s.a)
	}
	return s.c
}

func cachedState(v pix.Planes, components int) state {
	if len(v) > components {
		return state{c: v[:components], a: v[components], clear: true}
	}
	return state{c: v}
}

// modeOf returns how a layer meets what lies below in a channel, how strongly,
// and whether it touches the channel at all. In a channel for which a group has no
// coat of its own it meets as the group says or, when that says normal or what
// the channel cannot, as a new layer would (height adds).
func (pl *layerPlan) modeOf(info stack.ChannelInfo) (blend.Mode, float32, bool) {
	coat := pl.coats[info.Channel]
	if pl.layer.Kind != stack.Group {
		if coat == nil {
			return "", 0, false
		}
		return coat.coat.Blend, pl.layer.Amount * coat.coat.Amount, true
	}
	if coat != nil {
		return coat.coat.Blend, pl.layer.Amount * coat.coat.Amount, coat.coat.On && coat.coat.Amount > 0
	}
	mode := pl.layer.Blend
	if mode == "" || mode == blend.Normal || !slices.Contains(info.Modes, mode) {
		mode = info.Blend
	}
	return mode, pl.layer.Amount, true
}

// ownKey returns the key of what a layer itself brings to a channel.
func (p *Program) ownKey(u *surface.Surface, pl *layerPlan, c stack.Channel, pad float32) Key {
	info, _ := p.Doc.Info(c)
	k := cache.Join(p.bottom(u, info), Key{}, 13)
	if pl.layer.Kind == stack.Group && !pl.goesOn(c) {
		return p.chain(u, info, pl.kids, cache.Join(k, Key{}, 12), pad)
	}
	coat := pl.coats[c]
	if coat == nil {
		return k
	}
	k = cache.Join(k, coat.key, 1)
	if pl.layer.Kind == stack.Paint {
		if _, sk := p.strokes.Touching(u, p.painting(pl), string(c), pad); len(sk) > 0 {
			k = cache.Join(k, sk[len(sk)-1], 2)
		}
	}
	if pl.layer.Kind == stack.Decals {
		_, dk := p.decalsAt(u, pl, pad)
		k = cache.Join(k, dk, 24)
	}
	if coat.stream != nil {
		k = cache.Join(k, p.streamKey(u, coat.stream, len(coat.stream.steps), pad), 3)
	}
	if coat.moved != nil {
		k = cache.Join(k, p.streamKey(u, coat.moved, len(coat.moved.steps), pad), 23)
	}
	return k
}

// goesOn reports whether what a layer holds of a channel goes through a stream.
func (pl *layerPlan) goesOn(c stack.Channel) bool {
	coat := pl.coats[c]
	return coat != nil && coat.stream != nil && coat.stream.content != nil
}

// after returns the key of a channel's state after one more layer. A layer that
// does not touch the channel here repeats the key.
func (p *Program) after(u *surface.Surface, info stack.ChannelInfo, pl *layerPlan, k Key, pad float32) Key {
	mode, amount, on := pl.modeOf(info)
	if !on || amount == 0 || pl.none(u) {
		return k
	}
	if pl.layer.Kind == stack.Group && !pl.goesOn(info.Channel) {
		from := k
		if pl.layer.Isolated {
			from = p.nothing(u, info)
		}
		kids := p.chain(u, info, pl.kids, from, pad)
		if kids == from {
			return k
		}
		k = cache.Join(k, kids, 15)
		k = cache.Join(k, cache.NewHash("group").Str(fmt.Sprint(mode, amount, pl.layer.Isolated)).Sum(), 16)
		return cache.Join(k, p.maskKey(u, pl, pad), 3)
	}
	if pl.layer.Kind == stack.Decals {
		far := pad
		if pl.goesOn(info.Channel) {
			far += p.total(pl.coats[info.Channel].stream)
		}
		if list, _ := p.decalsAt(u, pl, far); len(list) == 0 {
			return k
		}
	}
	if pl.layer.Kind == stack.Paint {
		far := pad
		if pl.goesOn(info.Channel) {
			far += p.total(pl.coats[info.Channel].stream)
		}
		if list, _ := p.strokes.Touching(u, p.painting(pl), string(info.Channel), far); len(list) == 0 {
			return k
		}
	}
	return cache.Join(
		cache.Join(k, p.ownKey(u, pl, info.Channel, pad), 1),
		p.maskKeyOf(u, pl, pl.maskFor(info.Channel), pad),
		3,
	)
}

// chain returns the key after a whole list of layers.
func (p *Program) chain(u *surface.Surface, info stack.ChannelInfo, list []*layerPlan, k Key, pad float32) Key {
	for _, pl := range list {
		k = p.after(u, info, pl, k, pad)
	}
	return k
}

func (p *Program) bottom(u *surface.Surface, info stack.ChannelInfo) Key {
	k := cache.Join(
		cache.Join(u.Key, p.light, 0),
		cache.NewHash(string(info.Channel)).Str(fmt.Sprint(info.Default)).Sum(),
		5,
	)
	if info.Channel == stack.Normal || info.Channel == stack.Occlusion {
		k = cache.Join(k, p.baked, 17)
	}
	return k
}

// nothing is the key with which the layers of an isolated group begin.
func (p *Program) nothing(u *surface.Surface, info stack.ChannelInfo) Key {
	return cache.Join(p.bottom(u, info), Key{}, 14)
}

func (p *Program) key(u *surface.Surface, c stack.Channel, pad float32) Key {
	info, _ := p.Doc.Info(c)
	return p.chain(u, info, p.layers, p.bottom(u, info), pad)
}

// Key returns the content key of a channel on a surface.
func (p *Program) Key(u *surface.Surface, c stack.Channel) Key { return p.key(u, c, 0) }

// Channel evaluates one channel on a surface: one plane a component. Colours are
// sRGB-encoded, height is in metres, normals are unit vectors. It stops with the
// context's error within one step of a layer.
func (p *Program) Channel(ctx context.Context, u *surface.Surface, c stack.Channel) ([]pix.Plane, error) {
	info, ok := p.Doc.Info(c)
	if !ok {
		return nil, fmt.Errorf("channel %q is unknown", c)
	}
	v, err := p.composite(ctx, u, info)
	return p.encoded(v, info), err
}

// encoded turns what a project mixes into sRGB-encoded colours.
func (p *Program) encoded(v pix.Planes, info stack.ChannelInfo) pix.Planes {
	if !info.Color() || p.Doc.Light != stack.Linear {
		return v
	}
	return v.Map(pix.EncodeSRGB)
}

// Merged composites some layers of one group or of the stack on nothing, innermost
// first: the channel, and its coverage. Colours are sRGB-encoded.
func (p *Program) Merged(
	ctx context.Context,
	u *surface.Surface,
	ids []string,
	c stack.Channel,
) ([]pix.Plane, pix.Plane, error) {
	info, ok := p.Doc.Info(c)
	if !ok {
		return nil, pix.Plane{}, fmt.Errorf("channel %q is unknown", c)
	}
	var list []*layerPlan
	for _, id := range ids {
		if pl := p.all[id]; pl != nil && pl.layer.Visible {
			list = append(list, pl)
		}
	}
	st := state{c: make(pix.Planes, info.Components), clear: true}
	if info.Vector() {
		st.c[2].Value = 1
	}
	st, err := p.run(ctx, u, info, list, st, p.nothing(u, info), false)
	return p.encoded(st.c, info), st.a, err
}

// composite evaluates a channel in the encoding in which the project mixes colours.
func (p *Program) composite(ctx context.Context, u *surface.Surface, info stack.ChannelInfo) (pix.Planes, error) {
	st := state{c: make(pix.Planes, info.Components)}
	for i := range st.c {
		st.c[i].Value = info.Default[i]
		if info.Color() && p.Doc.Light == stack.Linear {
			st.c[i].Value = pix.DecodeSRGB(info.Default[i])
		}
	}
	if err := p.underlay(u, info, st.c); err != nil {
		if err := passed(ctx, "", "", err); err != nil {
			return nil, err
		}
	}
	st, err := p.run(ctx, u, info, p.layers, st, p.bottom(u, info), true)
	return st.c, err
}

// run lays a list of layers over a state whose key is k. The newest state that
// the cache knows is taken up; the state below a layer that is being edited is
// kept, and with keep the last one.
func (p *Program) run(
	ctx context.Context,
	u *surface.Surface,
	info stack.ChannelInfo,
	list []*layerPlan,
	st state,
	k Key,
	keep bool,
) (state, error) {
	keys := p.states(u, info, list, k)
	last := keys[len(list)]
	if !keep || u.Ahead || last == k {
		return p.runFrom(ctx, u, info, list, st, keys)
	}
	v, err := once(ctx, p.Scene, last, func() (pix.Planes, error) {
		st, err := p.runFrom(ctx, u, info, list, st, keys)
		if err == nil && complete(ctx) {
			p.Scene.Cache.Keep(last, st.cacheable())
		}
		return st.cacheable(), err
	})
	if err != nil {
		return st, err
	}
	return cachedState(v, info.Components), nil
}

// states are the keys of a channel's states under, between and over the layers of a list.
func (p *Program) states(u *surface.Surface, info stack.ChannelInfo, list []*layerPlan, k Key) []Key {
	keys := make([]Key, len(list)+1)
	keys[0] = k
	for i, pl := range list {
		keys[i+1] = p.after(u, info, pl, keys[i], 0)
	}
	return keys
}

// newest returns the newest state that the cache knows, and how many layers it has; 0: it knows none.
func (p *Program) newest(u *surface.Surface, list []*layerPlan, keys []Key) (pix.Planes, int) {
	for i := p.upTo(u, list); i > 0 && keys[i] != keys[0]; i-- {
		if i < len(list) && keys[i] == keys[i+1] {
			continue
		}
		if v, ok := p.Scene.Cache.Get(keys[i]); ok {
			return v.(pix.Planes), i
		}
	}
	return nil, 0
}

// runFrom is run for known keys, the first that of the state, without keeping the last one.
func (p *Program) runFrom(
	ctx context.Context,
	u *surface.Surface,
	info stack.ChannelInfo,
	list []*layerPlan,
	st state,
	keys []Key,
) (state, error) {
	k := keys[0]
	kept, from := p.newest(u, list, keys)
	if from > 0 {
		st = cachedState(kept, info.Components)
	}
	for i := from; i < len(list); i++ {
		if p.hot[list[i]] && keys[i] != k {
			p.Scene.put(ctx, keys[i], st.cacheable())
			st.owned = false
		}
		if keys[i] == keys[i+1] {
			continue
		}
		if err := ctx.Err(); err != nil {
			return st, err
		}
		var next state
		err := contained(func() (err error) { next, err = p.over(ctx, u, list[i], info, st, keys[i]); return err })
		if err != nil {
			if err := passed(ctx, list[i].layer.ID, "", err); err != nil {
				return st, fmt.Errorf("layer %q: %w", list[i].layer.Name, err)
			}
			continue
		}
		st = next
	}
	return st, nil
}

// over lays one layer over the state.
func (p *Program) over(
	ctx context.Context,
	u *surface.Surface,
	pl *layerPlan,
	info stack.ChannelInfo,
	st state,
	k Key,
) (state, error) {
	sp := pl.maskFor(info.Channel)
	mask, err := p.maskUpTo(ctx, u, pl, sp, len(sp.steps))
	if err != nil {
		return st, err
	}
	mode, amount, _ := pl.modeOf(info)
	if c := pl.coats[info.Channel]; c != nil && sp == c.bevel {
		amount *= 1 + c.coat.Lip // the bevel's white is the top of its lip
	}
	if mask.Uniform() && mask.Value == 0 {
		return st, nil
	}
	if pl.layer.Kind == stack.Group && !pl.goesOn(info.Channel) {
		return p.group(ctx, u, pl, info, st, k, mask, mode, amount)
	}
	coat := pl.coats[info.Channel]
	if pl.layer.Kind == stack.Fill && coat.stream == nil && !st.clear && !info.Vector() {
		value := p.value(info, coat.coat.Value)
		if mask.Uniform() {
			if out, ok := uniformOver(mode, value, info, st.c, amount*mask.Value); ok {
				return state{c: out, owned: true}, nil
			}
		}
		if mask.Data != nil && blend.Separable(mode) != nil {
			return st.evenly(mode, value, mask.Data, amount).bounded(mode, info), nil
		}
	}
	var counts region
	if !info.Vector() { // what is left elsewhere may have no direction
		counts = p.seenThrough(u, mask)
	}
	own, cover, err := p.ownCovered(ctx, u, pl, info, counts)
	if err != nil {
		return st, err
	}
	alpha := alphaOf(len(u.Frame().Pos), mask, cover, amount)
	defer pix.Return(alpha)
	return st.lay(own, alpha, mode, info), nil
}

// alphaOf multiplies mask, coverage and amount, in a row that is lent.
func alphaOf(n int, mask, cover pix.Plane, amount float32) []float32 {
	alpha := pix.Lend(n)
	mask.Fill(alpha)
	if cover.Data == nil {
		amount *= cover.Value
	} else {
		for k, c := range cover.Data {
			alpha[k] *= c
		}
	}
	if amount != 1 {
		for k := range alpha {
			alpha[k] *= amount
		}
	}
	return alpha
}

// evenly lays one value over the state, which is opaque, by a mask.
func (s state) evenly(mode blend.Mode, value, mask []float32, amount float32) state {
	c := make(pix.Planes, len(s.c))
	for i, q := range s.c {
		switch {
		case q.Uniform():
			c[i].Data = make([]float32, len(mask))
			blend.EvenOver(mode, c[i].Data, q.Value, value[i], mask, amount)
			continue
		case s.owned:
			c[i] = q
		default:
			c[i].Data = slices.Clone(q.Data)
		}
		blend.RowEven(mode, c[i].Data, value[i], mask, amount)
	}
	s.c, s.owned = c, true
	return s
}

// writable returns the state with planes of n values that may be written.
func (s state) writable(n int) state {
	c := make(pix.Planes, len(s.c))
	for i, q := range s.c {
		if s.owned && q.Data != nil {
			c[i] = q
			continue
		}
		c[i].Data = make([]float32, n)
		q.Fill(c[i].Data)
	}
	s.c = c
	if s.clear && !(s.owned && s.a.Data != nil) {
		a := make([]float32, n)
		s.a.Fill(a)
		s.a = pix.Plane{Data: a}
	}
	s.owned = true
	return s
}

// bounded clamps what a mode may have pushed out of the channel's range.
func (s state) bounded(mode blend.Mode, info stack.ChannelInfo) state {
	if info.Channel == stack.Height || info.Vector() || blend.Bounded(mode) {
		return s
	}
	for _, q := range s.c {
		for k, v := range q.Data {
			q.Data[k] = min(max(v, info.Min), info.Max)
		}
	}
	return s
}

// lay composites a source over the state (W3C Compositing, section 5.1 and 10):
// with the backdrop's coverage αb and the source's αs,
//
//	Cs' = (1 − αb)·Cs + αb·B(Cb, Cs)
//	αo  = αs + αb·(1 − αs)
//	Co  = (αs·Cs' + (1 − αs)·αb·Cb) / αo
//
// which over an opaque backdrop is a blend by αs.
func (s state) lay(src pix.Planes, alpha []float32, mode blend.Mode, info stack.ChannelInfo) state {
	n := len(alpha)
	s = s.writable(n)
	dst, rows := s.c.Rows(n), src.Rows(n)
	if !s.clear {
		blendRows(mode, info, dst, rows, alpha)
		return s.bounded(mode, info)
	}
	mixed := dst.Clone()
	blendRows(mode, info, mixed, rows, pix.Ones(n))
	for k, as := range alpha {
		ab := s.a.Data[k]
		ao := as + ab*(1-as)
		if ao > 0 {
			for c := range mixed {
				cs := (1-ab)*rows[c][k] + ab*mixed[c][k]
				dst[c][k] = (as*cs + (1-as)*ab*dst[c][k]) / ao
			}
		}
		s.a.Data[k] = ao
	}
	return s.bounded(mode, info)
}

func blendRows(mode blend.Mode, info stack.ChannelInfo, dst, src pix.Rows, alpha []float32) {
	switch {
	case info.Vector():
		blend.RowNormal(mode, dst.Three(), src.Three(), alpha)
	case info.Components == 3:
		blend.RowColor(mode, dst.Three(), src.Three(), alpha)
	default:
		blend.Row(mode, dst[0], src[0], alpha)
	}
}

// group lays a group over the state. Isolated, its layers are first composited on
// nothing. Otherwise they begin with what lies below: what they change of it
// counts by mask and amount, and a blend mode of the group's own takes the group's
// colour with the backdrop taken out again (W3C Compositing, section 9.1):
// C = Cn + (Cn − C0)·(1/αg − 1).
func (p *Program) group(
	ctx context.Context,
	u *surface.Surface,
	pl *layerPlan,
	info stack.ChannelInfo,
	st state,
	k Key,
	mask pix.Plane,
	mode blend.Mode,
	amount float32,
) (state, error) {
	n := len(u.Frame().Pos)
	coat := pl.coats[info.Channel]
	plain := !pl.layer.Isolated && coat == nil && (pl.layer.Blend == "" || pl.layer.Blend == blend.Normal) ||
		coat != nil && !pl.layer.Isolated && coat.coat.Blend == info.Blend
	if plain && amount == 1 && mask.Uniform() && mask.Value == 1 {
		return p.run(ctx, u, info, pl.kids, st, k, false)
	}
	empty := state{c: make(pix.Planes, info.Components), clear: true}
	if info.Vector() {
		empty.c[2].Value = 1
	}
	if pl.layer.Isolated {
		g, err := p.run(ctx, u, info, pl.kids, empty, p.nothing(u, info), p.hot[pl])
		if err != nil {
			return st, err
		}
		return st.lay(g.c, alphaOf(n, mask, g.a, amount), mode, info), nil
	}
	st.owned = false
	after, err := p.run(ctx, u, info, pl.kids, st, k, false)
	if err != nil {
		return st, err
	}
	if plain {
		return st.towards(after, alphaOf(n, mask, pix.Plane{Value: 1}, amount), info), nil
	}
	g, err := p.run(ctx, u, info, pl.kids, empty, p.nothing(u, info), false)
	if err != nil {
		return st, err
	}
	own := make(pix.Planes, len(after.c))
	for c := range own {
		own[c].Data = make([]float32, n)
		for i := range n {
			cn, c0, ag := after.c[c].At(i), st.c[c].At(i), g.a.At(i)
			v := cn
			if ag > 1e-6 {
				v = cn + (cn-c0)*(1/ag-1)
			}
			own[c].Data[i] = v
			if !info.Vector() && info.Channel != stack.Height {
				own[c].Data[i] = min(max(v, info.Min), info.Max)
			}
		}
	}
	return st.lay(own, alphaOf(n, mask, g.a, amount), mode, info), nil
}

// towards goes from one state to another by alpha, colours weighed by coverage.
func (s state) towards(o state, alpha []float32, info stack.ChannelInfo) state {
	s.owned = false
	s = s.writable(len(alpha))
	if info.Vector() && !s.clear {
		o = o.writable(len(alpha))
		blend.RowNormal(blend.Normal, s.c.Rows(len(alpha)).Three(), o.c.Rows(len(alpha)).Three(), alpha)
		return s
	}
	for k, t := range alpha {
		if !s.clear {
			for c := range s.c {
				s.c[c].Data[k] += t * (o.c[c].At(k) - s.c[c].Data[k])
			}
			continue
		}
		a, b := s.a.Data[k]*(1-t), o.a.At(k)*t
		if a+b > 0 {
			for c := range s.c {
				s.c[c].Data[k] = (a*s.c[c].Data[k] + b*o.c[c].At(k)) / (a + b)
			}
		}
		s.a.Data[k] = a + b
	}
	return s
}

// value returns a coat's value in the encoding in which the project mixes.
func (p *Program) value(info stack.ChannelInfo, v []float32) []float32 {
	if !info.Color() || p.Doc.Light != stack.Linear {
		return v
	}
	out := make([]float32, len(v))
	for i, x := range v {
		out[i] = pix.DecodeSRGB(x)
	}
	return out
}

// own evaluates what a layer itself brings to a channel, where it does not cover
// the channel's empty value.
func (p *Program) own(
	ctx context.Context,
	u *surface.Surface,
	pl *layerPlan,
	info stack.ChannelInfo,
) (pix.Planes, error) {
	empty := make(pix.Planes, info.Components)
	for c := range empty {
		empty[c].Value = p.value(info, info.Default)[c]
	}
	if pl.layer.Kind == stack.Group && !pl.goesOn(info.Channel) {
		st, err := p.run(ctx, u, info, pl.kids, state{c: empty}, p.bottom(u, info), false)
		return st.c, err
	}
	if pl.coats[info.Channel] == nil {
		return empty, nil
	}
	v, cover, err := p.ownCovered(ctx, u, pl, info, nil)
	if err != nil || cover.Uniform() && cover.Value == 1 {
		return v, err
	}
	n := len(u.Frame().Pos)
	return state{c: empty}.lay(v, alphaOf(n, cover, pix.Plane{Value: 1}, 1), blend.Normal, info).c, nil
}

// ownCovered evaluates what a layer itself brings to a channel, where it counts, and how
// much it covers.
func (p *Program) ownCovered(
	ctx context.Context,
	u *surface.Surface,
	pl *layerPlan,
	info stack.ChannelInfo,
	counts region,
) (v pix.Planes, cover pix.Plane, err error) {
	coat := pl.coats[info.Channel]
	cover.Value = 1
	switch {
	case pl.goesOn(info.Channel):
		return p.contentThroughStream(ctx, u, pl, info, counts)
	case pl.layer.Kind == stack.Paint:
		return p.paintedOwn(ctx, u, pl, info)
	case pl.layer.Kind == stack.Picture:
		return p.pictured(u, coat.coat, info)
	case pl.layer.Kind == stack.Decals:
		return p.decaled(ctx, u, pl, info)
	case coat.stream == nil:
		for _, x := range p.value(info, coat.coat.Value) {
			v = append(v, pix.Plane{Value: x})
		}
		return v, cover, nil
	}
	out, err := p.streamWhere(ctx, u, coat.stream, len(coat.stream.steps), counts)
	if err != nil {
		return nil, cover, err
	}
	return p.decoded(out, info, coat.coat), cover, nil
}

// decoded turns a stream's greys or colours into a channel's own numbers.
func (p *Program) decoded(v pix.Rows, info stack.ChannelInfo, coat stack.Coat) pix.Planes {
	if info.Components == 1 {
		r := rangeOf(info, coat)
		row := slices.Clone(v.Gray())
		for k, x := range row {
			row[k] = r[0] + x*(r[1]-r[0])
		}
		return pix.Planes{{Data: row}}
	}
	v = v.Colored()
	out := v.Planes()
	switch {
	case info.Vector():
		out = out.Map(func(x float32) float32 { return 2*x - 1 })
		for k := range out[0].Data {
			n := geom.V3(out[0].Data[k], out[1].Data[k], max(out[2].Data[k], 1e-3)).Unit()
			out[0].Data[k], out[1].Data[k], out[2].Data[k] = n.X, n.Y, n.Z
		}
	case p.Doc.Light == stack.Linear:
		out = out.Map(pix.DecodeSRGB)
	}
	return out
}

func (p *Program) paintedOwn(
	ctx context.Context,
	u *surface.Surface,
	pl *layerPlan,
	info stack.ChannelInfo,
) (pix.Planes, pix.Plane, error) {
	list, keys := p.strokes.Touching(u, p.painting(pl), string(info.Channel), 0)
	out := make(pix.Planes, info.Components)
	if len(list) == 0 {
		for c := range out {
			out[c].Value = info.Default[c]
		}
		return out, pix.Plane{}, nil
	}
	paint, err := p.strokes.Painted(ctx, u, p.painting(pl), list, keys, string(info.Channel), info.Components)
	if err != nil {
		return nil, pix.Plane{}, err
	}
	cov := paint[info.Components]
	for c := range out {
		out[c].Data = make([]float32, len(cov))
		for k, v := range paint[c] {
			if cov[k] > 0 {
				out[c].Data[k] = v / cov[k]
			}
		}
	}
	if info.Color() && p.Doc.Light == stack.Linear {
		out = out.Map(pix.DecodeSRGB)
	}
	return out, pix.Plane{Data: cov}, nil
}

// uniformOver is the fast path of an even coat over an even state; the same
// row functions are used, on rows of one.
func uniformOver(
	mode blend.Mode,
	value []float32,
	info stack.ChannelInfo,
	below pix.Planes,
	alpha float32,
) (pix.Planes, bool) {
	for _, b := range below {
		if !b.Uniform() && !(alpha == 1 && (mode == "" || mode == blend.Normal)) {
			return nil, false
		}
	}
	var d, s [3][]float32
	for c := range 3 {
		i := min(c, info.Components-1)
		d[c], s[c] = []float32{below[i].Value}, []float32{value[i]}
	}
	blend.RowColor(mode, d, s, []float32{alpha})
	out := make(pix.Planes, info.Components)
	for c := range out {
		out[c].Value = d[c][0]
		if info.Channel != stack.Height {
			out[c].Value = min(max(d[c][0], info.Min), info.Max)
		}
	}
	return out, true
}

// NormalKey returns the content key of the normal map.
func (p *Program) NormalKey(u *surface.Surface) Key {
	return cache.Join(p.Key(u, stack.Height), p.Key(u, stack.Normal), 9)
}

// Normal evaluates the final tangent-space normal on a tile: the slope of the
// height, and the normal channel's detail set upon it by reoriented normal
// mapping. Three planes of a unit vector, +X along U, +Y against V (up in the
// picture, as glTF 2.0 has it), +Z outward. The slope is taken on the surface,
// between neighbouring texels' places in space, so it is right across seams and
// for any stretch of the UVs.
func (p *Program) Normal(ctx context.Context, u *surface.Surface) ([]pix.Plane, error) {
	key := p.NormalKey(u)
	return once(ctx, p.Scene, key, func() (pix.Planes, error) { return p.findNormal(ctx, u, key) })
}

// findNormal is Normal without a look at what is kept under its key.
func (p *Program) findNormal(ctx context.Context, u *surface.Surface, key Key) (pix.Planes, error) {
	h, err := p.Channel(ctx, u, stack.Height)
	if err != nil {
		return nil, err
	}
	detail, err := p.Channel(ctx, u, stack.Normal)
	if err != nil {
		return nil, err
	}
	plain := detail[0].Uniform() && detail[1].Uniform() && detail[0].Value == 0 && detail[1].Value == 0
	if h[0].Uniform() && detail[0].Uniform() && detail[1].Uniform() && detail[2].Uniform() {
		return detail, nil
	}
	f := u.Frame()
	out := pix.Planes{
		{Data: make([]float32, len(f.Pos))},
		{Data: make([]float32, len(f.Pos))},
		{Data: make([]float32, len(f.Pos))},
	}
	if h[0].Uniform() {
		pix.Plane{Value: 1}.Fill(out[2].Data)
	} else {
		normals(f, h[0].Data, [3][]float32{out[0].Data, out[1].Data, out[2].Data})
	}
	if !plain {
		for i := range f.Pos {
			n := blend.Reorient(
				[3]float32{out[0].Data[i], out[1].Data[i], out[2].Data[i]},
				[3]float32{detail[0].At(i), detail[1].At(i), detail[2].At(i)},
			)
			out[0].Data[i], out[1].Data[i], out[2].Data[i] = n[0], n[1], n[2]
		}
	}
	if complete(ctx) {
		p.Scene.Cache.Keep(key, out)
	}
	return out, nil
}
