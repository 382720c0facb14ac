package eval

import (
	"context"

	"velvetgrime/core/cache"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// What a paint layer, a picture layer or a group holds of a channel goes on through the channel's
// stream: height painted by hand is softened, a picture is graded, a group's result sharpened. The
// stream begins with what is held in place of a ground; what moves over the surface in it moves
// how much is covered as well.

// contentPlan says that a stream begins with what a layer holds of a channel.
type contentPlan struct {
	layer   string
	channel stack.Channel
	covers  bool // it begins with how much is covered, not with the channel
	weighed bool // colours are weighed by how much is covered, so that nothing comes in from where nothing is
}

// holds reports whether layers of a kind hold something of their own.
func holds(kind string) bool {
	return kind == stack.Paint || kind == stack.Picture || kind == stack.Group || kind == stack.Decals
}

// mixing are the steps that are sums of what lies around: what they make of weighed colours,
// divided by what they make of the weights, is the mean colour around.
var mixing = map[string]bool{"blur": true, "smear": true}

// planContent plans the stream of a channel of a layer that holds something; nil when it has none.
func planContent(l *stack.Layer, c stack.Channel, info stack.ChannelInfo, coat *coatPlan) {
	if len(coat.coat.Stream) == 0 {
		return
	}
	if len(coat.coat.Range) != 2 && info.Components == 1 {
		coat.coat.Range = []float32{info.Min, info.Max} // whatever is held is kept
	}
	coat.stream = planStream(coat.coat.Stream, nil)
	coat.stream.color = info.Color()
	coat.stream.content = &contentPlan{layer: l.ID, channel: c}
	var moves []*stack.Step
	alone := true
	for i := range coat.stream.steps {
		s := &coat.stream.steps[i]
		if !s.step.On || s.desc == nil {
			continue
		}
		if s.desc.Filter != nil {
			moves = append(moves, s.step)
		}
		alone = alone && mixing[s.step.Kind]
	}
	// a height that adds to what lies below covers everything: where nothing is held it adds nothing
	if info.Channel != stack.Height && len(moves) > 0 {
		coat.moved = planStream(moves, nil)
		coat.moved.content = &contentPlan{layer: l.ID, channel: c, covers: true}
		coat.stream.content.weighed = alone && !info.Vector()
	}
}

// bare evaluates what a layer holds of a channel, before the channel's stream, and how much it
// covers.
func (p *Program) bare(
	ctx context.Context,
	u *surface.Surface,
	pl *layerPlan,
	info stack.ChannelInfo,
) (pix.Planes, pix.Plane, error) {
	switch pl.layer.Kind {
	case stack.Paint:
		return p.paintedOwn(ctx, u, pl, info)
	case stack.Picture:
		return p.pictured(u, pl.coats[info.Channel].coat, info)
	case stack.Decals:
		return p.decaled(ctx, u, pl, info)
	}
	empty := state{c: make(pix.Planes, info.Components), clear: true}
	if info.Vector() {
		empty.c[2].Value = 1
	}
	st, err := p.run(ctx, u, info, pl.kids, empty, p.nothing(u, info), false)
	return st.c, st.a, err
}

// contentKey is the key of what a stream begins with, within pad metres.
func (p *Program) contentKey(u *surface.Surface, h *contentPlan, pad float32) Key {
	pl := p.all[h.layer]
	info, _ := p.Doc.Info(h.channel)
	k := cache.Join(p.bottom(u, info), pl.coats[h.channel].key, 51)
	if h.covers {
		k = cache.Join(k, Key{}, 52)
	}
	if h.weighed { // another begin: which of the two it is depends on the steps after it
		k = cache.Join(k, Key{}, 53)
	}
	switch pl.layer.Kind {
	case stack.Decals:
		_, dk := p.decalsAt(u, pl, pad)
		k = cache.Join(k, dk, 24)
	case stack.Paint:
		if _, sk := p.strokes.Touching(u, p.painting(pl), string(h.channel), pad); len(sk) > 0 {
			k = cache.Join(k, sk[len(sk)-1], 2)
		}
	case stack.Group:
		k = cache.Join(k, p.chain(u, info, pl.kids, p.nothing(u, info), pad), 12)
	}
	return k
}

// contentRows evaluates what a stream begins with: greys or colours of 0 to 1, as its steps take them.
func (p *Program) contentRows(ctx context.Context, u *surface.Surface, h *contentPlan) (pix.Rows, error) {
	pl := p.all[h.layer]
	info, _ := p.Doc.Info(h.channel)
	v, cover, err := p.bare(ctx, u, pl, info)
	if err != nil {
		return nil, err
	}
	n := len(u.Frame().Pos)
	weight := make([]float32, n)
	cover.Fill(weight)
	if h.covers {
		return pix.Rows{weight}, nil
	}
	out := p.encoded(v, info).Rows(n).Clone()
	r := rangeOf(info, pl.coats[h.channel].coat)
	nothing := info.Default
	for c, row := range out {
		for k, x := range row {
			if !h.weighed { // where nothing is held lies what the channel begins with
				x = weight[k]*x + (1-weight[k])*nothing[c]
			}
			switch {
			case info.Vector():
				x = 0.5 + 0.5*x
			case info.Components == 1:
				x = (x - r[0]) / (r[1] - r[0])
			}
			if h.weighed {
				x *= weight[k]
			}
			row[k] = min(max(x, 0), 1)
		}
	}
	return out, nil
}

// contentThroughStream evaluates what a layer holds of a channel after the channel's stream, and how much
// it covers.
func (p *Program) contentThroughStream(
	ctx context.Context, u *surface.Surface, pl *layerPlan, info stack.ChannelInfo, counts region,
) (pix.Planes, pix.Plane, error) {
	coat := pl.coats[info.Channel]
	out, err := p.streamWhere(ctx, u, coat.stream, len(coat.stream.steps), counts)
	if err != nil {
		return nil, pix.Plane{}, err
	}
	cover := pix.Plane{Value: 1}
	switch {
	case coat.moved != nil:
		rows, err := p.stream(ctx, u, coat.moved, len(coat.moved.steps))
		if err != nil {
			return nil, cover, err
		}
		cover = pix.Plane{Data: rows[0]}
	case info.Channel != stack.Height:
		if _, cover, err = p.bare(ctx, u, pl, info); err != nil {
			return nil, cover, err
		}
	}
	if coat.stream.content.weighed && cover.Data != nil {
		out = out.Clone()
		for _, row := range out {
			for k, a := range cover.Data {
				if a > 1e-4 {
					row[k] = min(row[k]/a, 1)
				}
			}
		}
	}
	return p.decoded(out, info, coat.coat), cover, nil
}
