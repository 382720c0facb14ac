package stack

import (
	"fmt"
	"slices"

	"velvetgrime/core/brush"
	"velvetgrime/core/warp"
)

// Slide is one placement of a picture before a camera, through which strokes of a layer were
// painted. It can be moved, turned, exchanged afterwards: what was painted through it goes with
// it.
type Slide struct {
	ID      string        `json:"id"`
	Name    string        `json:"name"`
	Stencil brush.Stencil `json:"stencil" doc:"the picture, the view that it is held before, and its place there"`
	Eye     [3]float32    `json:"eye" doc:"where the camera stood, to go back there"`
	Target  [3]float32    `json:"target" doc:"and what it looked at"`
	Rect    []int         `json:"rect,omitempty" doc:"of one that was painted over a view: where in that picture it lies, texels: left, top, width, height"`
}

// MaxSlides is how many placements a layer may hold.
const MaxSlides = 100

// Slide returns a placement of a layer by id, or nil.
func (l *Layer) Slide(id string) *Slide {
	for _, s := range l.Slides {
		if s.ID == id {
			return s
		}
	}
	return nil
}

func (s *Slide) check() error {
	if s.ID == "" || len(s.ID) > 64 || len(s.Name) > 200 {
		return fmt.Errorf("the id %q is empty, or id or name is too long", s.ID[:min(len(s.ID), 70)])
	}
	for _, v := range [6]float32{s.Eye[0], s.Eye[1], s.Eye[2], s.Target[0], s.Target[1], s.Target[2]} {
		if !(v > -1e6 && v < 1e6) {
			return fmt.Errorf("its camera has %v in it", v)
		}
	}
	if n := len(s.Rect); n != 0 && (n != 4 || s.Rect[2] < 1 || s.Rect[3] < 1) {
		return fmt.Errorf("its place in the picture that it came with is %v; it takes left, top, width and height", s.Rect)
	}
	return s.Stencil.Check()
}

// Through lists the strokes of a layer that were painted through a placement; all of them when
// id is "".
func (l *Layer) Through(id string) (list []*brush.Stroke) {
	add := func(strokes []*brush.Stroke) {
		for _, s := range strokes {
			if s != nil && s.Slide != "" && (id == "" || s.Slide == id) {
				list = append(list, s)
			}
		}
	}
	add(l.Strokes)
	l.EachStep(func(s *Step) { add(s.Strokes) })
	return list
}

func (l *Layer) checkSlides() error {
	if len(l.Slides) > MaxSlides {
		return fmt.Errorf("it holds %d slides; at most %d are possible", len(l.Slides), MaxSlides)
	}
	seen := map[string]bool{}
	for i, s := range l.Slides {
		if s == nil {
			return fmt.Errorf("slide %d is null", i+1)
		}
		if err := s.check(); err != nil {
			return fmt.Errorf("slide %d (%s): %w", i+1, s.Name, err)
		}
		if seen[s.ID] {
			return fmt.Errorf("slide %d (%s): the id %q is used twice", i+1, s.Name, s.ID)
		}
		seen[s.ID] = true
	}
	for _, s := range l.Through("") {
		if !seen[s.Slide] {
			return fmt.Errorf("a stroke was painted through the slide %q, which is not there", s.Slide)
		}
	}
	return nil
}

// withSlides changes the placements of a layer.
func (d *Document) withSlides(target string, f func(l *Layer, list []*Slide) ([]*Slide, error)) error {
	l, err := d.layerTo(target)
	if err != nil {
		return err
	}
	list, err := f(l, slices.Clone(l.Slides))
	if err != nil {
		return err
	}
	if len(list) == 0 {
		list = nil
	}
	d.Layers, _ = replace(d.Layers, l.ID, func(n *Layer) { n.Slides = list })
	return nil
}

// SetSlide adds a placement to a layer, or changes the one that has its id.
type SetSlide struct {
	Target string `json:"target" doc:"the layer's id"`
	Slide  *Slide `json:"value" doc:"all of it"`
	Index  int    `json:"index,omitempty" doc:"of a new one; -1 last"`
	Label  string `json:"label,omitempty" doc:"for the ledger"`
}

// Kind implements Op.
func (SetSlide) Kind() string { return "slide.set" }

func (o SetSlide) layer() string { return o.Target }

func (o SetSlide) apply(d *Document) (Op, string, error) {
	if o.Slide == nil {
		return nil, "", fmt.Errorf("slide.set has no slide")
	}
	if err := o.Slide.check(); err != nil {
		return nil, "", fmt.Errorf("slide %q: %w", o.Slide.Name, err)
	}
	if len(o.Label) > 100 {
		return nil, "", fmt.Errorf("the line for the ledger is longer than 100 letters")
	}
	var inverse Op = RemoveSlide{o.Target, o.Slide.ID}
	label := "Keep " + o.Slide.Name
	err := d.withSlides(o.Target, func(_ *Layer, list []*Slide) ([]*Slide, error) {
		c := *o.Slide
		if i := slices.IndexFunc(list, func(s *Slide) bool { return s.ID == c.ID }); i >= 0 {
			label = "Move " + c.Name
			inverse = SetSlide{Target: o.Target, Slide: list[i], Label: o.Label}
			list[i] = &c
			return list, nil
		}
		i, err := slot(o.Index, len(list))
		if err != nil {
			return nil, err
		}
		return slices.Insert(list, i, &c), nil
	})
	if o.Label != "" {
		label = o.Label
	}
	return inverse, label, err
}

// WarpSlide has a brush go over the picture of a placement: what lies there is pushed, let back,
// pinned.
type WarpSlide struct {
	Target string      `json:"target" doc:"the layer's id"`
	Slide  string      `json:"slide" doc:"its id"`
	Brush  *warp.Brush `json:"value" doc:"the brush, and where it went"`
}

// Kind implements Op.
func (WarpSlide) Kind() string { return "slide.warp" }

func (o WarpSlide) layer() string { return o.Target }

// warps says what a brush did, for the ledger.
var warps = map[string]string{
	warp.Push:   "Push the picture of %s",
	warp.Smooth: "Smooth the picture of %s",
	warp.Pin:    "Pin the picture of %s",
	warp.Unpin:  "Unpin the picture of %s",
}

func (o WarpSlide) apply(d *Document) (Op, string, error) {
	if o.Brush == nil {
		return nil, "", fmt.Errorf("slide.warp has no brush")
	}
	if err := o.Brush.Check(); err != nil {
		return nil, "", fmt.Errorf("slide.warp: %w", err)
	}
	var back SetSlide
	err := d.withSlides(o.Target, func(l *Layer, list []*Slide) ([]*Slide, error) {
		i := slices.IndexFunc(list, func(s *Slide) bool { return s.ID == o.Slide })
		if i < 0 {
			return nil, fmt.Errorf("layer %q has no slide %q", l.Name, o.Slide)
		}
		if list[i].Stencil.Tiled {
			return nil, fmt.Errorf("the picture of %q repeats and cannot be pushed; have it lie once", list[i].Name)
		}
		back = SetSlide{Target: o.Target, Slide: list[i]}
		c := *list[i]
		c.Stencil.Warp = c.Stencil.Warp.Brushed(o.Brush, c.Stencil.Form)
		list[i] = &c
		return list, nil
	})
	if err != nil {
		return nil, "", err
	}
	label := fmt.Sprintf(warps[o.Brush.Does], back.Slide.Name)
	back.Label = label
	return back, label, nil
}

// RemoveSlide takes a placement away through which nothing is painted any more.
type RemoveSlide struct {
	Target string `json:"target" doc:"the layer's id"`
	Slide  string `json:"slide" doc:"its id"`
}

// Kind implements Op.
func (RemoveSlide) Kind() string { return "slide.remove" }

func (o RemoveSlide) layer() string { return o.Target }

func (o RemoveSlide) apply(d *Document) (Op, string, error) {
	var back SetSlide
	err := d.withSlides(o.Target, func(l *Layer, list []*Slide) ([]*Slide, error) {
		i := slices.IndexFunc(list, func(s *Slide) bool { return s.ID == o.Slide })
		if i < 0 {
			return nil, fmt.Errorf("layer %q has no slide %q", l.Name, o.Slide)
		}
		if n := len(l.Through(o.Slide)); n > 0 {
			return nil, fmt.Errorf("%d strokes were painted through the slide %q; take them out first", n, list[i].Name)
		}
		back = SetSlide{Target: o.Target, Slide: list[i], Index: i}
		return slices.Delete(list, i, i+1), nil
	})
	if err != nil {
		return nil, "", err
	}
	return back, "Take away " + back.Slide.Name, nil
}
