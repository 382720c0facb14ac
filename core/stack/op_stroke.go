package stack

import (
	"fmt"
	"slices"
	"strings"

	"velvetgrime/core/brush"
)

// AddStroke lays a stroke on a paint layer or in a hand step.
type AddStroke struct {
	Target   string `json:"target" doc:"the layer's id"`
	StepID   string `json:"step,omitempty" doc:"the hand step's id; empty: the paint layer itself"`
	StrokeID string `json:"stroke"`
	Index    int    `json:"index,omitempty" doc:"-1: last"`

	Stroke *brush.Stroke `json:"-"`
}

// Kind implements Op.
func (AddStroke) Kind() string { return "stroke.add" }

func (o AddStroke) layer() string { return o.Target }

func (o AddStroke) carry(strokes map[string]*brush.Stroke) Op {
	if o.Stroke == nil {
		o.Stroke = strokes[o.StrokeID]
	}
	return o
}

func (o AddStroke) apply(d *Document) (Op, string, error) {
	return d.editStrokes(o.Target, o.StepID, func(l *Layer, list []*brush.Stroke) ([]*brush.Stroke, Op, string, error) {
		s := o.Stroke
		if s == nil {
			return nil, nil, "", fmt.Errorf("layer %q: stroke %q is missing", l.Name, o.StrokeID)
		}
		if err := s.Check(); err != nil {
			return nil, nil, "", fmt.Errorf("layer %q: %w", l.Name, err)
		}
		i, err := slot(o.Index, len(list))
		if err != nil {
			return nil, nil, "", err
		}
		inverse := RemoveStroke{Target: l.ID, StepID: o.StepID, StrokeID: s.ID}
		return slices.Insert(
			slices.Clone(list),
			i,
			s,
		), inverse, map[bool]string{true: "erase", false: "stroke"}[s.Erase], nil
	})
}

// RemoveStroke takes a stroke out.
type RemoveStroke struct {
	Target   string `json:"target" doc:"the layer's id"`
	StepID   string `json:"step,omitempty" doc:"the hand step's id; empty: the paint layer itself"`
	StrokeID string `json:"stroke"`
}

// Kind implements Op.
func (RemoveStroke) Kind() string { return "stroke.remove" }

func (o RemoveStroke) layer() string { return o.Target }

func (o RemoveStroke) apply(d *Document) (Op, string, error) {
	return d.editStrokes(o.Target, o.StepID, func(l *Layer, list []*brush.Stroke) ([]*brush.Stroke, Op, string, error) {
		i := slices.IndexFunc(list, func(s *brush.Stroke) bool { return s.ID == o.StrokeID })
		if i < 0 {
			return nil, nil, "", fmt.Errorf("layer %q has no stroke %q", l.Name, o.StrokeID)
		}
		inverse := AddStroke{Target: l.ID, StepID: o.StepID, StrokeID: o.StrokeID, Index: i, Stroke: list[i]}
		return slices.Delete(slices.Clone(list), i, i+1), inverse, "remove stroke", nil
	})
}

// editStrokes changes the strokes of a paint layer, or of a hand step in a layer.
func (d *Document) editStrokes(
	layer, step string,
	change func(l *Layer, list []*brush.Stroke) ([]*brush.Stroke, Op, string, error),
) (Op, string, error) {
	return d.edit(layer, func(l *Layer) (Op, string, error) {
		if step == "" {
			if l.Kind != Paint {
				return nil, "", fmt.Errorf(
					"layer %q is a %s layer; paint in a hand step of its mask or in a paint layer",
					l.Name,
					l.Kind,
				)
			}
			list, inverse, label, err := change(l, l.Strokes)
			if err != nil {
				return nil, "", err
			}
			l.Strokes, l.StrokeID = list, names(list)
			return inverse, l.Name + ": " + label, nil
		}
		s, stream, _ := l.Step(step)
		if s == nil {
			if s, _ = l.handed(step); s != nil {
				stream = step
			}
		}
		if s == nil || s.Kind != Hand {
			return nil, "", fmt.Errorf("layer %q has no hand step %q to paint in; add one to its mask", l.Name, step)
		}
		list, inverse, label, err := change(l, s.Strokes)
		if err != nil {
			return nil, "", err
		}
		l.replaceStep(s.ID, func(n *Step) { n.Strokes, n.StrokeID = list, names(list) })
		if id, ok := strings.CutPrefix(stream, InDecal); ok {
			i, err := l.decal(id)
			if err == nil && len(list) == 0 {
				l.setHand(i, nil)
			}
			stream = l.Decals[i].Name
		} else if stream != MaskStream {
			stream = s.title()
		}
		return inverse, fmt.Sprintf("%s %s: %s", l.Name, stream, label), nil
	})
}

func names(list []*brush.Stroke) []string {
	ids := make([]string, len(list))
	for i, s := range list {
		ids[i] = s.ID
	}
	return ids
}
