package eval

import (
	"reflect"
	"slices"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
	"velvetgrime/core/warp"
)

// OnlyStrokes compares two programs of one scene. When their documents differ in
// nothing but strokes, the slides through which they go, and decals, ok is true, and only tiles whose points come into the box
// can have changed: so that a stroke costs what it touches, and not a key for every
// tile of every sheet.
func OnlyStrokes(a, b *Program) (box geom.Box, ok bool) {
	if a == nil || a.Scene != b.Scene {
		return box, false
	}
	d := differ{geom.EmptyBox(), a, b}
	x, y := *a.Doc, *b.Doc
	x.Layers, y.Layers, x.Palette, y.Palette, x.Judged, y.Judged = nil, nil, nil, nil, nil, nil
	if !reflect.DeepEqual(x, y) || !d.layers(a.Doc.Layers, b.Doc.Layers) {
		return box, false
	}
	var reach float32
	for _, pl := range b.all {
		if pl.entangled() {
			return b.Scene.Model.Bounds, true // what changes in one place may change any other
		}
		reach += b.total(pl.mask) + pl.strokes.Spread()
		for _, c := range pl.decals {
			reach += b.hands[c.Hand].Spread()
		}
		for _, c := range pl.coats {
			if c.stream != nil {
				reach += b.total(c.stream)
			}
		}
	}
	return d.box.Pad(reach), true
}

// total is how far all filters of a stream look together.
func (p *Program) total(sp *streamPlan) (r float32) {
	for i := range sp.steps {
		r += sp.steps[i].reach + p.hands[sp.steps[i].step].Spread()
		if sp.steps[i].inner != nil {
			r += p.total(sp.steps[i].inner)
		}
	}
	return r
}

// entangled reports whether a change of strokes may show in a layer at other places than
// theirs and those around: over the other side, or where a stroke takes from what looks
// at what lies below.
func (pl *layerPlan) entangled() bool {
	mixed := func(list []*brush.Stroke) bool {
		picky := false
		for _, s := range list {
			picky = picky || s.Alike != nil || s.Of != ""
			if picky && s.Elsewhere() {
				return true
			}
		}
		return false
	}
	found := mixed(pl.layer.Strokes)
	pl.layer.EachStep(func(s *stack.Step) {
		found = found || s.Kind == stack.OtherSide && s.On || mixed(s.Strokes)
	})
	return found
}

type differ struct {
	box  geom.Box
	a, b *Program
}

func (d *differ) layers(a, b []*stack.Layer) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i] == b[i] {
			continue
		}
		x, y := *a[i], *b[i]
		if len(x.Channels) != len(y.Channels) {
			return false
		}
		for c, cx := range x.Channels {
			cy, ok := y.Channels[c]
			sx, sy := cx.Stream, cy.Stream
			cx.Stream, cy.Stream = nil, nil
			if !ok || !reflect.DeepEqual(cx, cy) || !d.steps(sx, sy) {
				return false
			}
		}
		for _, l := range []*stack.Layer{&x, &y} {
			l.Channels, l.Mask, l.Layers, l.Strokes, l.StrokeID = nil, nil, nil, nil, nil
			l.Decals, l.Slides = nil, nil
		}
		if !reflect.DeepEqual(x, y) || !d.steps(a[i].Mask, b[i].Mask) || !d.layers(a[i].Layers, b[i].Layers) {
			return false
		}
		d.strokes(a[i].Strokes, b[i].Strokes)
		d.slides(a[i], b[i])
		d.decals(a[i].ID)
	}
	return true
}

// slides grows the box by the strokes that go through placements which are not the same: moved, these
// change what is under those strokes; pushed, what of it sees a part of the picture that was.
func (d *differ) slides(a, b *stack.Layer) {
	for _, l := range []*stack.Layer{a, b} {
		for _, s := range l.Slides {
			x, y := a.Slide(s.ID), b.Slide(s.ID)
			if x == y || x != nil && y != nil && reflect.DeepEqual(x, y) {
				continue
			}
			pushed := onlyPushed(x, y)
			for _, st := range l.Through(s.ID) {
				if pushed == nil || x.Stencil.Both && st.Mirror != nil {
					d.box = d.box.Union(st.Bounds(0, st.Segments()))
					continue
				}
				for i := range st.Segments() {
					box, cells := st.Bounds(i, i+1), warp.Cells{}
					if !x.Stencil.Cells(box, &cells) || cells.Meets(pushed) {
						d.box = d.box.Union(box)
					}
				}
			}
		}
	}
}

// onlyPushed returns where in two slides places are seen elsewhere in their picture when nothing else
// differs between them; else nil.
func onlyPushed(a, b *stack.Slide) *warp.Cells {
	if a == nil || b == nil || a.Stencil.Tiled {
		return nil
	}
	x, y := *a, *b
	x.Stencil.Warp, y.Stencil.Warp = nil, nil
	if !reflect.DeepEqual(x, y) {
		return nil
	}
	return warp.Changed(a.Stencil.Warp, b.Stencil.Warp)
}

// decals grows the box by the decals of a layer that lie elsewhere, are others, or lie over each other
// in another order, and by what was taken off them by hand.
func (d *differ) decals(layer string) {
	plans := [2][]*decalPlan{d.a.all[layer].decals, d.b.all[layer].decals}
	known := [2]map[Key]bool{{}, {}}
	for i, list := range plans {
		for _, p := range list {
			known[i][p.key] = true
		}
	}
	var common [2][]Key
	for i, prog := range []*Program{d.a, d.b} {
		for _, p := range plans[i] {
			if known[1-i][p.key] {
				common[i] = append(common[i], p.key)
			} else {
				d.box = d.box.Union(p.box(prog.tallest(p)))
			}
		}
	}
	if !slices.Equal(common[0], common[1]) { // their order is another
		for i, prog := range []*Program{d.a, d.b} {
			for _, p := range plans[i] {
				d.box = d.box.Union(p.box(prog.tallest(p)))
			}
		}
	}
	was := map[string][]*brush.Stroke{}
	for _, p := range plans[0] {
		was[p.ID] = p.Erased()
	}
	for _, p := range plans[1] {
		d.strokes(was[p.ID], p.Erased())
	}
}

func (d *differ) steps(a, b []*stack.Step) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i] == b[i] {
			continue
		}
		x, y := *a[i], *b[i]
		for _, s := range []*stack.Step{&x, &y} {
			s.Steps, s.Strokes, s.StrokeID = nil, nil, nil
		}
		if !reflect.DeepEqual(x, y) || !d.steps(a[i].Steps, b[i].Steps) {
			return false
		}
		d.strokes(a[i].Strokes, b[i].Strokes)
	}
	return true
}

// strokes grows the box by what is not the same at the ends of two lists. Of a
// stroke that only grew, what was there before does not count.
func (d *differ) strokes(a, b []*brush.Stroke) {
	same := 0
	for same < len(a) && same < len(b) && a[same] == b[same] {
		same++
	}
	a, b = a[same:], b[same:]
	if len(a) == 1 && len(b) == 1 && a[0].ID == b[0].ID && len(b[0].Points) >= len(a[0].Points) &&
		slices.Equal(a[0].Points, b[0].Points[:len(a[0].Points)]) {
		d.box = d.box.Union(b[0].Bounds(max(len(a[0].Points)-2, 0), b[0].Segments()))
		return
	}
	// of strokes that lay what they are given, and take nothing from what was there, those after a change
	// are as they were
	for n := min(len(a), len(b)); n > 0 && a[len(a)-1] == b[len(b)-1] && a[len(a)-1].Lays(); n-- {
		a, b = a[:len(a)-1], b[:len(b)-1]
	}
	for _, list := range [][]*brush.Stroke{a, b} {
		for _, s := range list {
			d.box = d.box.Union(s.Bounds(0, s.Segments()))
		}
	}
}
