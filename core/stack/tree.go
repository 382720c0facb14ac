package stack

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// Walk calls f for every layer, innermost first, groups before what they hold,
// with the groups around it, outermost group first.
func (d *Document) Walk(f func(l *Layer, around []*Layer)) { walk(d.Layers, nil, f) }

func walk(list, around []*Layer, f func(*Layer, []*Layer)) {
	for _, l := range list {
		if l == nil {
			continue
		}
		f(l, around)
		walk(l.Layers, append(around[:len(around):len(around)], l), f)
	}
}

// Layer returns the layer with an id, wherever it lies, or nil.
func (d *Document) Layer(id string) *Layer {
	var found *Layer
	d.Walk(func(l *Layer, _ []*Layer) {
		if l.ID == id {
			found = l
		}
	})
	return found
}

// Place returns the group that holds a layer ("" for the stack itself) and the
// layer's index there; ok is false when there is no such layer.
func (d *Document) Place(id string) (parent string, index int, ok bool) {
	look := func(list []*Layer) bool {
		index = slices.IndexFunc(list, func(l *Layer) bool { return l.ID == id })
		return index >= 0
	}
	if look(d.Layers) {
		return "", index, true
	}
	d.Walk(func(l *Layer, _ []*Layer) {
		if !ok && look(l.Layers) {
			parent, ok = l.ID, true
		}
	})
	if ok {
		look(d.Layer(parent).Layers)
	}
	return parent, index, ok
}

// around returns the groups that hold a layer, outermost first.
func (d *Document) around(id string) []*Layer {
	var out []*Layer
	d.Walk(func(l *Layer, a []*Layer) {
		if l.ID == id {
			out = a
		}
	})
	return out
}

// children returns the layers of a group, or of the stack for "".
func (d *Document) children(parent string) ([]*Layer, error) {
	if parent == "" {
		return d.Layers, nil
	}
	g := d.Layer(parent)
	if g == nil || g.Kind != Group {
		return nil, fmt.Errorf("there is no group with the id %q; it may have been deleted in another window", parent)
	}
	return g.Layers, nil
}

// setChildren replaces the layers of a group, or of the stack for "", copying
// the groups on the way. The document itself must be a copy already.
func (d *Document) setChildren(parent string, list []*Layer) {
	if parent == "" {
		d.Layers = list
		return
	}
	d.Layers, _ = replace(d.Layers, parent, func(l *Layer) { l.Layers = list })
}

// replace copies the layer with an id and the groups around it, and calls f on
// the copy.
func replace(list []*Layer, id string, f func(*Layer)) ([]*Layer, bool) {
	for i, l := range list {
		if l.ID == id {
			c := *l
			f(&c)
			list = slices.Clone(list)
			list[i] = &c
			return list, true
		}
		if kids, ok := replace(l.Layers, id, f); ok {
			c := *l
			c.Layers = kids
			list = slices.Clone(list)
			list[i] = &c
			return list, true
		}
	}
	return list, false
}

// EachStep calls f for every step of the layer's own streams, inner ones after
// the step that holds them: the mask first, then the channels by name, then what was taken
// off its decals by hand.
func (l *Layer) EachStep(f func(*Step)) {
	l.eachStream(func(_ string, list []*Step) {
		for _, s := range list {
			f(s)
		}
	})
}

// eachStream calls f for every stream of the layer with its name.
func (l *Layer) eachStream(f func(name string, list []*Step)) {
	var into func(string, []*Step)
	into = func(name string, list []*Step) {
		f(name, list)
		for _, s := range list {
			if s != nil && len(s.Steps) > 0 {
				into(InStep+s.ID, s.Steps)
			}
		}
	}
	into(MaskStream, l.Mask)
	for _, c := range slices.Sorted(maps.Keys(l.Channels)) {
		if coat := l.Channels[c]; len(coat.Stream) > 0 {
			into(string(c), coat.Stream)
		}
	}
	for _, c := range l.Decals {
		if c != nil && c.Hand != nil {
			into(InDecal+c.ID, []*Step{c.Hand})
		}
	}
}

// Step returns a step of the layer by id with its stream's name and its index
// there, or nil.
func (l *Layer) Step(id string) (s *Step, stream string, index int) {
	l.eachStream(func(name string, list []*Step) {
		for i, o := range list {
			if s == nil && o.ID == id {
				s, stream, index = o, name, i
			}
		}
	})
	return
}

// Stream returns a stream of the layer by name.
func (l *Layer) Stream(name string) ([]*Step, error) {
	if name == "" || name == MaskStream {
		return l.Mask, nil
	}
	if id, ok := strings.CutPrefix(name, InDecal); ok {
		return nil, fmt.Errorf("%s: the decal %q has no stream; it is only erased by hand", l.where(), id)
	}
	if id, ok := strings.CutPrefix(name, InStep); ok {
		s, _, _ := l.Step(id)
		if s == nil {
			return nil, fmt.Errorf("%s has no step with the id %q", l.where(), id)
		}
		return s.Steps, nil
	}
	c, ok := l.Channels[Channel(name)]
	if !ok {
		return nil, fmt.Errorf("%s has no channel %q; switch it on first", l.where(), name)
	}
	return c.Stream, nil
}

// setStream replaces a stream by name; the layer must be a copy already.
func (l *Layer) setStream(name string, list []*Step) {
	if len(list) == 0 {
		list = nil
	}
	if name == "" || name == MaskStream {
		l.Mask = list
		return
	}
	if id, ok := strings.CutPrefix(name, InStep); ok {
		l.replaceStep(id, func(s *Step) { s.Steps = list })
		return
	}
	l.Channels = maps.Clone(l.Channels)
	c := l.Channels[Channel(name)]
	c.Stream = list
	l.Channels[Channel(name)] = c
}

// replaceStep copies a step and those around it, and calls f on the copy; the
// layer must be a copy already.
func (l *Layer) replaceStep(id string, f func(*Step)) {
	var in func([]*Step) ([]*Step, bool)
	in = func(list []*Step) ([]*Step, bool) {
		for i, s := range list {
			c := *s
			ok := s.ID == id
			if ok {
				f(&c)
			} else {
				c.Steps, ok = in(s.Steps)
			}
			if ok {
				list = slices.Clone(list)
				list[i] = &c
				return list, true
			}
		}
		return list, false
	}
	if list, ok := in(l.Mask); ok {
		l.Mask = list
		return
	}
	for ch, coat := range l.Channels {
		if list, ok := in(coat.Stream); ok {
			l.Channels = maps.Clone(l.Channels)
			coat.Stream = list
			l.Channels[ch] = coat
			return
		}
	}
	for i, c := range l.Decals {
		if c.Hand == nil {
			continue
		}
		if list, ok := in([]*Step{c.Hand}); ok {
			n := *c
			n.Hand = list[0]
			l.Decals = slices.Clone(l.Decals)
			l.Decals[i] = &n
			return
		}
	}
}

// clone copies a layer with all that hangs from it but the strokes themselves.
func (l *Layer) clone() *Layer {
	c := *l
	c.Mask = cloneSteps(l.Mask)
	c.Channels = maps.Clone(l.Channels)
	if len(c.Channels) == 0 {
		c.Channels = nil
	}
	for ch, coat := range c.Channels {
		coat.Stream = cloneSteps(coat.Stream)
		c.Channels[ch] = coat
	}
	c.Layers, c.Dials = nil, slices.Clone(l.Dials)
	c.Decals, c.Slides = slices.Clone(l.Decals), slices.Clone(l.Slides) // but for their hands they are never written
	for i, d := range c.Decals {
		if d != nil && d.Hand != nil {
			n := *d
			n.Hand = cloneSteps([]*Step{d.Hand})[0]
			c.Decals[i] = &n
		}
	}
	for _, k := range l.Layers {
		c.Layers = append(c.Layers, k.clone())
	}
	return &c
}

// cloneSteps returns nil for an empty stream: there is one way to write it.
func cloneSteps(list []*Step) []*Step {
	if len(list) == 0 {
		return nil
	}
	out := make([]*Step, len(list))
	for i, s := range list {
		if s == nil {
			continue
		}
		c := *s
		c.Steps = cloneSteps(s.Steps)
		c.Params = maps.Clone(s.Params)
		out[i] = &c
	}
	return out
}

// Fresh returns a copy of a layer under a new id; the ids of what is inside follow from it.
func (l *Layer) Fresh(id string) *Layer { return l.renamed(id) }

// renamed returns a copy with new ids: the layer's own is id, those inside it
// follow from it. Follow steps that read a layer inside read its copy.
func (l *Layer) renamed(id string) *Layer {
	c := l.clone()
	ids := map[string]string{l.ID: id}
	n := 0
	walk(c.Layers, nil, func(k *Layer, _ []*Layer) {
		n++
		ids[k.ID] = fmt.Sprintf("%s.%d", id, n)
	})
	walk([]*Layer{c}, nil, func(k *Layer, _ []*Layer) {
		k.ID = ids[k.ID]
		for i, dial := range k.Dials {
			k.Dials[i].Moves = slices.Clone(dial.Moves)
			for j, m := range dial.Moves {
				if to, ok := ids[m.Layer]; ok {
					k.Dials[i].Moves[j].Layer = to
				}
			}
		}
		k.EachStep(func(s *Step) {
			if to, ok := ids[fmt.Sprint(s.Params["layer"])]; ok && s.Follows() {
				s.Params["layer"] = to
			}
		})
	})
	return c
}

// WithoutStrokes returns a copy that names no strokes: they are many, and of no
// use to who only shows the stack.
func (d *Document) WithoutStrokes() *Document {
	c := *d
	c.Layers = make([]*Layer, len(d.Layers))
	for i, l := range d.Layers {
		c.Layers[i] = l.clone()
	}
	c.Walk(func(l *Layer, _ []*Layer) {
		l.StrokeID, l.Strokes = nil, nil
		l.EachStep(func(s *Step) { s.StrokeID, s.Strokes = nil, nil })
	})
	return &c
}

// Renamed returns the document's layers with new ids, so that they can be added to
// another document; follow steps among them read the copies.
func (d *Document) Renamed(newID func() string) []*Layer {
	all := (&Layer{ID: newID(), Kind: Group, Layers: d.Layers}).renamed(newID())
	return all.Layers
}

// Alone returns the document with one layer, what it holds and the groups around it, and
// no other layer showing. The layer is shown even when it is hidden; the others stay, as
// it may follow them or lay their material.
func (d *Document) Alone(id string) *Document {
	var only func(list []*Layer) ([]*Layer, bool)
	only = func(list []*Layer) (out []*Layer, found bool) {
		for _, l := range list {
			c := *l
			if c.Visible = l.ID == id; !c.Visible {
				if kids, ok := only(l.Layers); ok {
					c.Layers, c.Visible = kids, true
				}
			}
			found = found || c.Visible
			out = append(out, &c)
		}
		return
	}
	n := *d
	n.Layers, _ = only(d.Layers)
	return &n
}
