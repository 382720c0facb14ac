package api

import (
	"fmt"

	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// looser cuts steps and layers loose from their project: it notes the pictures that they show,
// and in words what belongs to the project and does not come along.
type looser struct {
	d      *stack.Document
	inside map[string]bool // ids of layers that come along
	shown  map[string]bool // pictures
	left   []string
}

func newLooser(d *stack.Document) *looser {
	return &looser{d: d, inside: map[string]bool{}, shown: map[string]bool{}}
}

func (o *looser) name(id string) string {
	if l := o.d.Layer(id); l != nil {
		return l.Name
	}
	return "a layer that is gone"
}

// steps returns a stream as it can be used elsewhere.
func (o *looser) steps(list []*stack.Step) (out []*stack.Step) {
	for _, s := range list {
		if s.Kind == stack.Hand {
			o.left = append(
				o.left,
				fmt.Sprintf("what was painted by hand (%d strokes): it lies on this model", len(s.Strokes)),
			)
			continue
		}
		c := *s
		c.Strokes, c.StrokeID = nil, nil
		c.Params = map[string]any{}
		for k, v := range s.Params {
			c.Params[k] = v
		}
		if id, _ := c.Params["layer"].(string); id != "" && id != stack.Below && !o.inside[id] {
			if c.Kind == stack.Follow {
				o.left = append(o.left, fmt.Sprintf("that it follows %s: it follows what lies below", o.name(id)))
				c.Params["layer"] = stack.Below
				if w, _ := c.Params["what"].(string); w == stack.MaskStream || w == "" {
					c.Params["what"] = string(stack.Height)
				}
			} else {
				o.left = append(o.left, fmt.Sprintf("that it follows %s: it follows nothing", o.name(id)))
				c.Params["layer"] = ""
			}
		}
		if d, ok := step.Get(c.Kind); ok {
			for _, p := range d.Params {
				if v, _ := c.Params[p.Name].(string); p.Kind == "picture" && v != "" {
					o.shown[v] = true
				}
			}
		}
		c.Steps = o.steps(s.Steps)
		out = append(out, &c)
	}
	return out
}

// group returns a layer as a group that can be put down elsewhere: a group as it is, another
// one in a group of its own. Reaches and what was painted stay behind.
func (o *looser) group(l *stack.Layer) *stack.Layer {
	var note func(l *stack.Layer)
	note = func(l *stack.Layer) {
		o.inside[l.ID] = true
		for _, k := range l.Layers {
			note(k)
		}
	}
	note(l)
	g := o.layer(l)
	if l.Kind != stack.Group {
		g = &stack.Layer{
			ID:      l.ID + " in a group",
			Name:    l.Name,
			Kind:    stack.Group,
			Visible: true,
			Amount:  1,
			Layers:  []*stack.Layer{g},
		}
		if len(g.ID) > 64 {
			g.ID = "group"
		}
	}
	return g
}

func (o *looser) layer(l *stack.Layer) *stack.Layer {
	c := *l
	c.Locked, c.Strokes, c.StrokeID, c.Layers = false, nil, nil, nil
	if !l.Reach.All() {
		o.left = append(o.left, fmt.Sprintf("where %s lies: it covers what the material is put on", l.Name))
	}
	c.Reach = stack.Reach{}
	c.Mask = o.steps(l.Mask)
	c.Channels = map[stack.Channel]stack.Coat{}
	for ch, coat := range l.Channels {
		if _, ok := stack.Info(ch); !ok {
			o.left = append(o.left, fmt.Sprintf("its channel %s: only this project has it", ch))
			continue
		}
		coat.Stream = o.steps(coat.Stream)
		c.Channels[ch] = coat
	}
	for _, k := range l.Layers {
		if k.Kind == stack.Paint || k.Kind == stack.Picture || k.Kind == stack.Decals {
			o.left = append(o.left, fmt.Sprintf("the layer %s: what it shows lies on this model", k.Name))
			continue
		}
		c.Layers = append(c.Layers, o.layer(k))
	}
	return &c
}
