package live

import (
	"context"
	"encoding/binary"
	"fmt"
	"time"

	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"

	"github.com/coder/websocket"
)

// The cards' pictures are what the page's camera sees, small.
const cardW, cardH = 132, 72

// look returns what the page's camera sees, small, or nil before it has told.
func (u *pusher) look(p *eval.Program) *surface.Surface {
	if len(u.wish.cards) != 16 {
		return nil
	}
	id := fmt.Sprint(u.wish.cards)
	if u.views[id] == nil {
		clear(u.views)
		clear(u.cards)
		u.views[id] = p.Scene.OnFrame(raster.View(p.Scene.Model, geom.Mat4(u.wish.cards), cardW, cardH), id)
	}
	return u.views[id]
}

// pictures sends the masks of all layers and, of the layer that is open, the
// result of each of its streams up to each step, as seen by the page's camera.
func (u *pusher) pictures(ctx context.Context, p *eval.Program) error {
	view := u.look(p)
	if view == nil {
		return nil
	}
	type card struct{ layer, step string }
	var list []card
	if l := p.Doc.Layer(u.wish.focus); l != nil {
		l.EachStep(func(s *stack.Step) { list = append(list, card{l.ID, s.ID}) })
	}
	p.Doc.Walk(func(l *stack.Layer, _ []*stack.Layer) { list = append(list, card{l.ID, ""}) })
	for _, c := range list {
		if err := u.picture(ctx, p, view, c.layer, c.step); err != nil {
			return err
		}
		if u.newer() {
			return nil
		}
	}
	return nil
}

// picture sends one card when it has changed: 2, the length of its name, width and
// height as little-endian 16 bit, the components (1 or 3), the name, then the
// components of each texel. 0 is kept for what is not the model.
func (u *pusher) picture(ctx context.Context, p *eval.Program, view *surface.Surface, layer, step string) error {
	name, key := layer, p.MaskKey(view, layer)
	if step != "" {
		name, key = layer+"/"+step, p.StepKey(view, layer, step)
	}
	if len(name) > 255 || u.cards[name] == key {
		return nil
	}
	var v []pix.Plane
	var err error
	ctx, passed := eval.PassOver(ctx)
	if step != "" {
		v, err = p.Step(ctx, view, layer, step)
	} else {
		var m pix.Plane
		m, err = p.Mask(ctx, view, layer)
		v = []pix.Plane{m}
	}
	if err != nil || len(v) == 0 {
		if ctx.Err() == nil && step != "" && err != nil {
			u.v.post(StepFailed{"step.error", name, err.Error()})
		}
		return nil
	}
	f := view.Frame()
	head := 7 + len(name)
	out := make([]byte, head+len(v)*cardW*cardH)
	out[0], out[1], out[6] = frameCard, byte(len(name)), byte(len(v))
	binary.LittleEndian.PutUint16(out[2:], cardW)
	binary.LittleEndian.PutUint16(out[4:], cardH)
	copy(out[7:], name)
	for i, t := range f.Tri {
		if t < 0 {
			continue
		}
		for c, q := range v {
			out[head+i*len(v)+c] = 1 + byte(float32(pix.Byte(q.At(i)))*254/255)
		}
	}
	u.cards[name] = key
	wctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	if err := u.v.conn.Write(wctx, websocket.MessageBinary, out); err != nil {
		return err
	}
	for _, x := range passed.List() { // after its picture, which takes an older one back
		if x.Step == step && step != "" {
			return u.v.send(ctx, StepFailed{"step.error", name, x.Why})
		}
	}
	return nil
}
