package surface

import (
	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/warp"
)

// Seen names what a surface's points, and those within some metres of them, see of strokes: of
// one through a slide only what of its picture's warp lies before them, so that a push changes
// the tiles that it shows in and no others. It is for one goroutine.
type Seen struct {
	u   *Surface
	pad float32
	// of the slide asked for last
	slide cache.Key
	warp  *warp.Field
	part  cache.Key
	ok    bool
}

// Seen looks at strokes from a surface and pad metres around.
func (u *Surface) Seen(pad float32) *Seen { return &Seen{u: u, pad: pad} }

// Name names a stroke as it is seen; key names all of it.
func (n *Seen) Name(s *brush.Stroke, key cache.Key) cache.Key {
	slide, ok := s.Unpushed()
	if !ok {
		return key
	}
	if slide != n.slide || s.Stencil.Warp != n.warp {
		n.slide, n.warp, n.part, n.ok = slide, s.Stencil.Warp, cache.Key{}, true
		if n.warp != nil && !s.Stencil.Tiled {
			var c *warp.Cells
			if c, n.ok = n.u.slideCells(s.Stencil, slide, n.pad); n.ok {
				n.part = n.warp.Part(c)
			}
		}
	}
	if !n.ok {
		return key
	}
	drawn, _ := s.Drawn()
	return cache.Join(cache.Join(drawn, slide, 0x7365), n.part, 0x656e)
}

type slideKey struct {
	surface, slide cache.Key
	pad            float32
}

// maxSlideCells bounds what is remembered of which surface sees which part of which slide, half a
// kilobyte each; dropped wholesale when exceeded.
const maxSlideCells = 1 << 14

// slideCells returns the cells of a slide's warp that a surface's points, and those within pad
// metres, may be seen in; ok is false where these may be any.
func (u *Surface) slideCells(c *brush.Stencil, slide cache.Key, pad float32) (cells *warp.Cells, ok bool) {
	k, sc := slideKey{u.Key, slide, pad}, u.Scene
	if u.Key != (cache.Key{}) {
		sc.mu.Lock()
		cells, ok = sc.slides[k]
		sc.mu.Unlock()
		if ok {
			return cells, cells != nil
		}
	}
	cells = &warp.Cells{}
	for _, b := range u.bounds().blocks {
		if b.Empty() {
			continue
		}
		if !c.Cells(b.Pad(pad), cells) {
			cells = nil
			break
		}
	}
	if u.Key != (cache.Key{}) {
		sc.mu.Lock()
		if len(sc.slides) > maxSlideCells {
			clear(sc.slides)
		}
		sc.slides[k] = cells
		sc.mu.Unlock()
	}
	return cells, cells != nil
}
