package live

import (
	"context"
	"slices"
	"time"

	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/surface"
)

// PenLead is how far ahead of the pen tiles are made ready: what it went since its last
// message, as often.
const PenLead = 8

// pen is where a page's pen is, and what it paints or would paint.
type pen struct {
	eval.Pen
	layer string
}

// penAt notes where the pen is; from is where it was.
func (v *viewer) penAt(layer string, at, from geom.Vec3, radius float32) {
	v.penMu.Lock()
	defer v.penMu.Unlock()
	v.pen = &pen{eval.Pen{At: at, Goes: at.Sub(from).Mul(PenLead), Radius: radius}, layer}
}

// follow notes where the growing stroke is, and where it was when it had fewer points.
func (v *viewer) follow(had int) {
	s := v.stroke.Stroke
	if n := len(s.Points); n > 0 {
		v.penAt(v.stroke.Target, s.Points[n-1].Pos, s.Points[max(min(had, n)-1, 0)].Pos, s.Radius)
	}
}

// hover takes the place over which a pen hovers. A layer that was just taken away, and a
// pen that paints, are left alone.
func (v *viewer) hover(r *HoverRequest) {
	if v.stroke != nil || v.s.doc.Layer(r.Layer) == nil || !(r.Radius > 0) {
		return
	}
	at := geom.V3(r.Pos[0], r.Pos[1], r.Pos[2])
	v.penAt(r.Layer, at, at, 2*r.Radius)
	select {
	case v.hovers <- struct{}{}:
	default:
	}
}

// ahead makes tiles ready that the pen is about to enter, until there is something to
// show: so the first dab on a tile costs what the next one does.
func (u *pusher) ahead(ctx context.Context) {
	u.v.penMu.Lock()
	at := u.v.pen
	u.v.penMu.Unlock()
	if at == nil || u.last == nil || u.newer() || u.last.Doc.Layer(at.layer) == nil {
		return
	}
	p := u.last
	if !p.Edits(at.layer) { // it will be the one under edit
		if u.coming.of != p || u.coming.layer != at.layer {
			u.coming = soloed{p, at.layer, eval.Compile(p.Scene, p.Doc, at.layer, "")}
		}
		p = u.coming.p
	}
	if len(u.ready) > 4096 || u.readyOf != at.layer {
		clear(u.ready)
		u.readyOf = at.layer
	}
	ctx, cancel := u.untilNewer(ctx)
	defer cancel()
	channels := p.Painted(at.layer)
	want := u.wanted(p)
	fine := slices.DeleteFunc(want.seen, func(t surface.Tile) bool {
		return want.over[t] || !p.Scene.Model.Sheets[t.Sheet].HasUV
	})
	_ = p.ReadyAll(ctx, p.Scene.Near(ctx, fine, at.Pen), channels, u.ready) // or the tile will tell when it is shown
}

// untilNewer returns a context that ends when there is something newer to show.
func (u *pusher) untilNewer(ctx context.Context) (context.Context, context.CancelFunc) {
	return until(ctx, time.Millisecond, u.newer)
}

// until returns a context that ends when done holds, which is looked at every so often.
func until(ctx context.Context, every time.Duration, done func() bool) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancel(ctx)
	go func() {
		tick := time.NewTicker(every)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
				if done() {
					cancel()
					return
				}
			}
		}
	}()
	return ctx, cancel
}
