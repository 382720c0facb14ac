package surface

import (
	"context"
	"fmt"
	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
)

type reachKey struct {
	stroke  cache.Key // its content
	surface cache.Key
	pad     float32
}

// maxReaches bounds what is remembered of which stroke reaches which surface; dropped
// wholesale when exceeded, as it can be found again.
const maxReaches = 1 << 18

// Touches reports whether a stroke, whose content is named by key, may reach the surface
// or come within pad metres of it.
func (u *Surface) Touches(s *brush.Stroke, key cache.Key, pad float32, live bool) bool {
	n := len(s.Points) - 1
	if live && n > 0 {
		return u.Scene.grows(s).touches(u, s, pad, n)
	}
	if drawn, ok := s.Drawn(); ok {
		key = drawn // wherever its slide lies
	}
	k := reachKey{key, u.Key, pad}
	sc := u.Scene
	sc.mu.Lock()
	yes, ok := sc.reaches[k]
	sc.mu.Unlock()
	if ok {
		return yes
	}
	yes = touchesFrom(u, s, pad, 0, s.Segments())
	sc.mu.Lock()
	defer sc.mu.Unlock()
	if len(sc.reaches) > maxReaches {
		clear(sc.reaches)
	}
	sc.reaches[k] = yes
	return yes
}

func touchesFrom(u *Surface, s *brush.Stroke, pad float32, from, to int) bool {
	b := u.bounds()
	if b.covered == 0 || !b.all.Overlaps(s.Bounds(from, to).Pad(pad)) {
		return false
	}
	return s.Touches(b.blocks, pad, from, to)
}

// Hit is what a stroke covers of a surface's points, and where these were Hit: the places
// of the surface, or echoes of them.
type Hit struct {
	*brush.Coverage
	Frame   *raster.Frame
	Through []int32 // of each point the echo, from 1, 0 none; nil: none of any
}

// Cover returns the coverage of the whole stroke on the surface, through any place that
// its points stand for: of those that a point is hit through the strongest counts. colored asks
// for the colours of its stencil where these are its paint.
func (u *Surface) Cover(ctx context.Context, s *brush.Stroke, live, colored bool) (*Hit, error) {
	f := u.Frame()
	var colors pix.Rows
	if colored && s.Stencil != nil && s.Stencil.Colors {
		colors = pix.NewRows(3, len(f.Pos))
	}
	own, err := u.coverOn(ctx, f, u.Key, s, live, colors)
	if err != nil {
		return nil, err
	}
	out := &Hit{Coverage: own, Frame: f}
	echoes := u.bounds().echoes
	if len(echoes) == 0 {
		return out, nil
	}
	box := s.Bounds(0, s.Segments())
	for n, e := range echoes {
		if !e.box.Overlaps(box) {
			continue
		}
		at := u.echoed(e)
		if len(at.of) == 0 || !at.frame.Bounds.Overlaps(box) {
			continue
		}
		c, err := u.coverOn(ctx, at.frame, e.key(u.Key), s, live, nil)
		if err != nil {
			return nil, err
		}
		raised := false
		out.Raise(c, at.of, func(i, k int32) {
			raised = true
			if !s.Elsewhere() {
				return
			}
			if out.Through == nil {
				out.Through, out.Frame = make([]int32, len(f.Pos)), f.Copy()
			}
			out.Through[i] = int32(n + 1)
			out.Frame.Pos[i], out.Frame.Nrm[i], out.Frame.Tri[i] = at.frame.Pos[k], at.frame.Nrm[k], at.frame.Tri[k]
		})
		if raised && colors != nil { // by what was not covered before
			u.Scene.through(s, out.Frame, own)
		}
	}
	return out, nil
}

// coverOn returns the coverage of the whole stroke on a frame; key names the frame. colors take those of
// its stencil, or are nil.
func (u *Surface) coverOn(
	ctx context.Context,
	f *raster.Frame,
	key cache.Key,
	s *brush.Stroke,
	live bool,
	colors pix.Rows,
) (*brush.Coverage, error) {
	var tip func(a, b, footprint float32) float32
	if s.Kit != nil && s.Kit.Picture != "" {
		pic, err := u.Scene.Stored(s.Kit.Picture)
		if err != nil {
			return nil, fmt.Errorf("the tip of a stroke: %w", err)
		}
		tip = func(a, b, footprint float32) float32 {
			v := pic.Sample(a, b, footprint)
			return pix.Luma(v[0], v[1], v[2]) * v[3]
		}
	}
	stencil, err := u.Scene.stencilOf(s)
	if err != nil {
		return nil, err
	}
	flat := func(i int) (int, geom.Vec2) {
		sheet := int(u.Scene.Model.TriSheet[f.Tri[i]])
		return sheet, raster.Wrap(u.Scene.Index(sheet).UVAt(f.Tri[i], f.Pos[i]))
	}
	n := len(s.Points) - 1
	if !live || n == 0 { // a first point is no finished segment: nothing is kept of it
		out := u.Scene.drawn(s, key)
		if out == nil {
			out = s.NewCoverage(len(f.Pos))
			out.Tip, out.Flat, out.Stencil = tip, flat, stencil
			if err := s.Draw(ctx, f, out, 0, s.Segments()); err != nil {
				return nil, err
			}
			u.Scene.keepDrawn(s, key, out)
		}
		out.Tip, out.Flat, out.Stencil, out.Colors = tip, flat, stencil, colors
		s.Held(f, out)
		u.Scene.seen(f, s, out.Cover, nil)
		return out, u.Scene.bound(f, s, out.Cover)
	}
	c := u.Scene.grows(s).on(key)
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.drawn > n || c.cover == nil {
		c.cover, c.drawn = s.NewCoverage(len(f.Pos)), 0
	}
	c.cover.Tip, c.cover.Flat, c.cover.Stencil = tip, flat, stencil
	if err := s.Draw(ctx, f, c.cover, c.drawn, n); err != nil {
		c.cover = nil // a part of it is drawn
		return nil, err
	}
	c.drawn = n
	out := c.cover.Clone()
	out.Colors = colors
	s.Held(f, out)
	if s.Eye != nil && len(c.sight) != len(f.Pos) {
		c.sight = make([]int8, len(f.Pos))
	}
	u.Scene.seen(f, s, out.Cover, c.sight)
	return out, u.Scene.bound(f, s, out.Cover)
}

// drawnCover is what a stroke covers of a surface before its slide holds any of it back.
type drawnCover struct{ *brush.Coverage }

// Bytes implements cache.Sized.
func (c drawnCover) Bytes() int { return 64 + 4*(len(c.Cover)+len(c.Hue)+len(c.Light)) }

func drawnKey(s *brush.Stroke, key cache.Key) (k cache.Key, ok bool) {
	d, ok := s.Drawn()
	return cache.Join(key, d, 0x6472), ok && key != (cache.Key{})
}

// drawn returns what was kept of a stroke that paints through a slide, to be written; nil when there is
// nothing: its slide may be moved and pushed, and all that changes is what it lets through.
func (s *Scene) drawn(stroke *brush.Stroke, key cache.Key) *brush.Coverage {
	k, ok := drawnKey(stroke, key)
	if !ok {
		return nil
	}
	if v, ok := s.Cache.Get(k); ok {
		return v.(drawnCover).Clone()
	}
	return nil
}

func (s *Scene) keepDrawn(stroke *brush.Stroke, key cache.Key, c *brush.Coverage) {
	k, ok := drawnKey(stroke, key)
	if !ok {
		return
	}
	bare := c.Clone()
	bare.Tip, bare.Flat, bare.Stencil = nil, nil, nil
	s.Cache.Put(k, drawnCover{bare})
}

// stencilOf returns what reads the picture of a stroke's stencil; nil: it has none.
func (s *Scene) stencilOf(stroke *brush.Stroke) (brush.StencilReader, error) {
	if stroke.Stencil == nil {
		return nil, nil
	}
	pic, err := s.Stored(stroke.Stencil.Picture)
	if err != nil {
		return nil, fmt.Errorf("the stencil of a stroke: %w", err)
	}
	tiled := stroke.Stencil.Tiled
	w, h := pic.Size()
	return func(u, v, size float32) [4]float32 {
		if !tiled { // the other side does not come in at its border
			u, v = min(max(u, 0.5/float32(w)), 1-0.5/float32(w)), min(max(v, 0.5/float32(h)), 1-0.5/float32(h))
		}
		return pic.Sample(u, v, size)
	}, nil
}

// through reads the colours of a stroke's stencil at the places of a frame where the stroke
// covers anything, sRGB-encoded.
func (s *Scene) through(stroke *brush.Stroke, f *raster.Frame, c *brush.Coverage) {
	cast := stroke.Cast()
	for i, a := range c.Cover {
		if a <= 0 {
			continue
		}
		p := f.Pos[i]
		if cast != nil {
			p, _ = cast(p, f.Nrm[i])
		}
		if u, v, size, ok := stroke.Stencil.Place(p, f.Footprint); ok {
			x := c.Stencil(u, v, max(size, stroke.Stencil.Soft))
			c.Colors[0][i], c.Colors[1][i], c.Colors[2][i] = x[0], x[1], x[2]
		}
	}
}
