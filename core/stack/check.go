package stack

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"velvetgrime/core/blend"
	"velvetgrime/core/brush"
)

// Rules are what a document must keep besides its own: which steps there are is not known
// here. Package step has the rules of the steps that are registered.
type Rules struct {
	Step func(*Step) error // why a step's kind or parameters cannot be; nil: all can
}

// Limits that keep a document within what can be evaluated and drawn.
const (
	MaxLayers = 1000
	MaxSteps  = 200 // in one layer
	MaxDepth  = 16  // groups in groups, streams in streams
)

// Check returns the first thing in a document that cannot be, with its place.
func (r Rules) Check(d *Document) error {
	if d.Light != "" && d.Light != "encoded" && d.Light != Linear {
		return fmt.Errorf("light %q is neither encoded nor linear", d.Light)
	}
	for name, s := range d.Sheets {
		if s.Size < 128 || s.Size > 8192 || s.Size&(s.Size-1) != 0 {
			return fmt.Errorf("sheet %q: size %d is not a power of two from 128 to 8192", name, s.Size)
		}
	}
	if err := d.checkAdded(); err != nil {
		return err
	}
	if err := checkJudged(d.Judged); err != nil {
		return err
	}
	if err := checkPalette(d.Palette); err != nil {
		return err
	}
	if err := d.Conditions.check(); err != nil {
		return err
	}
	if err := d.Prepared.check(); err != nil {
		return err
	}
	seen := map[string]bool{}
	var first error
	d.Walk(func(l *Layer, around []*Layer) {
		if first != nil {
			return
		}
		if err := l.check(d, r); err != nil {
			first = fmt.Errorf("%s: %w", l.where(), err)
		} else if seen[l.ID] {
			first = fmt.Errorf("%s: the id %q is used twice", l.where(), l.ID)
		} else if len(around) > MaxDepth {
			first = fmt.Errorf("%s: lies in more than %d groups", l.where(), MaxDepth)
		}
		seen[l.ID] = true
	})
	if first != nil {
		return first
	}
	if len(seen) > MaxLayers {
		return fmt.Errorf("the stack has %d layers; at most %d are possible", len(seen), MaxLayers)
	}
	return d.checkFollow()
}

func unit(what string, v float32) error {
	if !(v >= 0 && v <= 1) {
		return fmt.Errorf("%s is %v; it goes from 0 to 1", what, v)
	}
	return nil
}

func (l *Layer) check(d *Document, r Rules) error {
	if l.ID == "" || l.ID == Below || len(l.ID) > 64 || len(l.Name) > 200 {
		return fmt.Errorf("the id %q is empty or reserved, or id or name is too long", l.ID[:min(len(l.ID), 70)])
	}
	if !slices.Contains([]string{Fill, Paint, Group, Picture, Decals}, l.Kind) {
		return fmt.Errorf("kind %q is none of fill, paint, group, picture, decals", l.Kind)
	}
	if len(l.Layers) > 0 && l.Kind != Group {
		return fmt.Errorf("a %s layer cannot hold layers; only a group can", l.Kind)
	}
	if slices.Contains(l.Layers, nil) {
		return fmt.Errorf("a layer in it is null")
	}
	if err := unit("amount", l.Amount); err != nil {
		return err
	}
	if err := checkDials(l); err != nil {
		return err
	}
	if err := l.checkDecals(); err != nil {
		return err
	}
	if err := l.checkSlides(); err != nil {
		return err
	}
	if err := blend.Check(l.Blend, false); err != nil {
		return err
	}
	if len(l.Reach.Faces)%2 != 0 || len(l.Reach.Left().Faces)%2 != 0 {
		return fmt.Errorf("reach: the list of faces is cut short; it holds pairs of first and count")
	}
	for c, coat := range l.Channels {
		if err := l.checkCoat(d, c, coat); err != nil {
			return err
		}
	}
	count := 0
	ids := map[string]bool{}
	var first error
	l.eachStream(func(name string, list []*Step) {
		for i, s := range list {
			if first != nil {
				return
			}
			if !strings.HasPrefix(name, InDecal) { // a layer may hold as many decals as it may
				count++
			}
			if err := s.check(ids, r); err != nil {
				first = fmt.Errorf("%sstep %d (%s): %w", streamName(name), i+1, kindOf(s), err)
			}
		}
	})
	if first == nil && count > MaxSteps {
		first = fmt.Errorf("its streams have %d steps; at most %d are possible", count, MaxSteps)
	}
	return first
}

func kindOf(s *Step) string {
	if s == nil {
		return "null"
	}
	return s.Kind
}

func streamName(name string) string {
	if name == MaskStream || strings.HasPrefix(name, InStep) || strings.HasPrefix(name, InDecal) {
		return ""
	}
	return name + ": "
}

func (s *Step) check(ids map[string]bool, r Rules) error {
	if s == nil {
		return fmt.Errorf("there is nothing")
	}
	if r.Step != nil {
		if err := r.Step(s); err != nil {
			return err
		}
	}
	if err := unit("amount", s.Amount); err != nil {
		return err
	}
	if len(s.Name) > 100 {
		return fmt.Errorf("the name is longer than 100 letters")
	}
	if err := blend.Check(s.Blend, false); err != nil {
		return err
	}
	if ids[s.ID] {
		return fmt.Errorf("the id %q is used twice", s.ID)
	}
	ids[s.ID] = true
	return nil
}

func (l *Layer) checkCoat(d *Document, c Channel, coat Coat) error {
	info, ok := d.Info(c)
	if !ok {
		return fmt.Errorf("channel %q is unknown", c)
	}
	if err := unit(info.Label+": amount", coat.Amount); err != nil {
		return err
	}
	if coat.Blend != "" && !slices.Contains(info.Modes, coat.Blend) {
		return fmt.Errorf("%s: blend mode %q is not one of %v", info.Label, string(coat.Blend), info.Modes)
	}
	if !slices.Contains([]string{"", "value", "color", "grey", "coverage"}, coat.Source) {
		return fmt.Errorf("%s: the source %q is none of value, color, grey, coverage", info.Label, coat.Source)
	}
	if (l.Kind == Fill || l.Kind == Decals) && len(coat.Value) != info.Components {
		return fmt.Errorf("%s: %d numbers where %d are needed", info.Label, len(coat.Value), info.Components)
	}
	if !(coat.Bevel >= 0 && coat.Bevel <= 1) || !(coat.Lip >= 0 && coat.Lip <= 1) {
		return fmt.Errorf("%s: the bevel %v m or the lip %v lies outside 0 to 1", info.Label, coat.Bevel, coat.Lip)
	}
	if len(coat.Range) != 0 && len(coat.Range) != 2 {
		return fmt.Errorf(
			"%s: the range has %d numbers; it needs what black and what white means",
			info.Label,
			len(coat.Range),
		)
	}
	for _, v := range slices.Concat(coat.Value, coat.Range) {
		if math.IsNaN(float64(v)) || v < info.Min || v > info.Max {
			return fmt.Errorf("%s: %v lies outside %v to %v", info.Label, v, info.Min, info.Max)
		}
	}
	return nil
}

// node is a thing that can be followed: a layer's mask, or what it does to a
// channel.
type node struct {
	layer string
	what  string
}

// Follows reports whether a step reads another layer: a follow step, or an agent
// that was given a layer.
func (s *Step) Follows() bool {
	layer, _ := s.Params["layer"].(string)
	return s.Kind == Follow || layer != ""
}

// Sources returns what such a step reads: the layer's id or Below, and MaskStream or
// a channel. Agents read the height when they are told nothing else.
func (s *Step) Sources() (layer, what string) {
	layer, _ = s.Params["layer"].(string)
	what, _ = s.Params["what"].(string)
	switch {
	case what != "":
	case s.Kind == Follow:
		what = MaskStream
	default:
		what = string(Height)
	}
	return
}

// checkFollow refuses follow steps that read nothing, or themselves by any way
// round, and names the layers that make the loop.
func (d *Document) checkFollow() error {
	reads := map[node][]node{}
	names := map[string]string{}
	reading := false
	var below []*Layer // every layer walked so far: all that can lie below
	var first error
	d.Walk(func(l *Layer, around []*Layer) {
		names[l.ID] = l.Name
		own := append([]*Layer(nil), below...)
		read := func(from node, s *Step) {
			if !s.Follows() || !s.On {
				return
			}
			reading = true
			layer, what := s.Sources()
			if layer == "" {
				return // not chosen yet: it reads black
			}
			if layer != Below {
				if d.Layer(layer) == nil && first == nil {
					first = fmt.Errorf(
						"%s: follows a layer that is not there; choose another or delete the step",
						l.where(),
					)
				}
				reads[from] = append(reads[from], node{layer, what})
				return
			}
			for _, o := range own {
				reads[from] = append(reads[from], node{o.ID, what}, node{o.ID, MaskStream})
			}
		}
		looks := func(from node, list []*brush.Stroke) {
			for _, s := range list {
				if s != nil && s.Of != "" && !s.Erase && from.what != MaskStream {
					reading = true
					reads[from] = append(reads[from], node{s.Of, from.what})
				}
				if s == nil || s.Alike == nil {
					continue
				}
				reading = true
				for _, o := range own {
					reads[from] = append(reads[from], node{o.ID, s.Alike.Channel}, node{o.ID, MaskStream})
				}
			}
		}
		stream := func(from node, list []*Step) {
			walkSteps(list, func(s *Step) {
				read(from, s)
				if s.On {
					looks(from, s.Strokes)
				}
			})
		}
		for c := range l.Channels {
			looks(node{l.ID, string(c)}, l.Strokes)
			for _, d := range l.Decals {
				if d.Hand != nil {
					looks(node{l.ID, string(c)}, d.Hand.Strokes)
				}
			}
		}
		stream(node{l.ID, MaskStream}, l.Mask)
		for c, coat := range l.Channels {
			if coat.On {
				stream(node{l.ID, string(c)}, coat.Stream)
			}
		}
		// a group's channel is made of its layers
		for _, g := range around {
			for c := range l.Channels {
				reads[node{g.ID, string(c)}] = append(
					reads[node{g.ID, string(c)}],
					node{l.ID, string(c)},
					node{l.ID, MaskStream},
				)
			}
		}
		below = append(below, l)
	})
	if first != nil || !reading {
		return first
	}
	return findLoop(reads, names)
}

func walkSteps(list []*Step, f func(*Step)) {
	for _, s := range list {
		if s != nil {
			f(s)
			walkSteps(s.Steps, f)
		}
	}
}

func findLoop(reads map[node][]node, names map[string]string) error {
	state := map[node]int{} // 1 being walked, 2 known to be free of loops
	var path []node
	var visit func(n node) error
	visit = func(n node) error {
		switch state[n] {
		case 2:
			return nil
		case 1:
			at := slices.Index(path, n)
			var who []string
			for _, p := range append(path[at:], n) {
				if q := fmt.Sprintf("%q", names[p.layer]); len(who) == 0 || who[len(who)-1] != q {
					who = append(who, q)
				}
			}
			if len(who) == 1 {
				return fmt.Errorf("%s would follow itself; choose another layer to follow", who[0])
			}
			return fmt.Errorf("a loop: %s; let one of them follow something else", strings.Join(who, " follows "))
		}
		state[n] = 1
		path = append(path, n)
		for _, o := range reads[n] {
			if err := visit(o); err != nil {
				return err
			}
		}
		path = path[:len(path)-1]
		state[n] = 2
		return nil
	}
	order := slices.SortedFunc(maps.Keys(reads), func(a, b node) int {
		return cmp.Or(cmp.Compare(a.layer, b.layer), cmp.Compare(a.what, b.what))
	})
	for _, n := range order { // the same loop is always told the same way
		if err := visit(n); err != nil {
			return err
		}
	}
	return nil
}
