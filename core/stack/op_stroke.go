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
		i, err := strokeIn(l, list, o.StrokeID)
		if err != nil {
			return nil, nil, "", err
		}
		inverse := AddStroke{Target: l.ID, StepID: o.StepID, StrokeID: o.StrokeID, Index: i, Stroke: list[i]}
		return slices.Delete(slices.Clone(list), i, i+1), inverse, "remove stroke", nil
	})
}

// SetStroke puts another stroke in the place of one: the same, drawn anew with other points or
// values. Strokes are values, so the other one has a name of its own.
type SetStroke struct {
	Target   string `json:"target" doc:"the layer's id"`
	StepID   string `json:"step,omitempty" doc:"the hand step's id; empty: the paint layer itself"`
	StrokeID string `json:"stroke"`
	By       string `json:"by,omitempty" doc:"the id of the one that takes its place"`
	Label    string `json:"label,omitempty" doc:"what the ledger says was done to it"`

	// Value comes with a page's operation. What is kept names the stroke, which lies beside it.
	Value *brush.Stroke `json:"value,omitempty" doc:"that one, where the project does not hold it yet"`

	Stroke *brush.Stroke `json:"-"`
}

// Kind implements Op.
func (SetStroke) Kind() string { return "stroke.set" }

func (o SetStroke) layer() string { return o.Target }

func (o SetStroke) carry(strokes map[string]*brush.Stroke) Op {
	if o.Value != nil {
		o.By, o.Stroke, o.Value = o.Value.ID, o.Value, nil
	}
	if o.Stroke == nil {
		o.Stroke = strokes[o.By]
	}
	return o
}

func (o SetStroke) apply(d *Document) (Op, string, error) {
	return d.editStrokes(o.Target, o.StepID, func(l *Layer, list []*brush.Stroke) ([]*brush.Stroke, Op, string, error) {
		i, err := strokeIn(l, list, o.StrokeID)
		if err != nil {
			return nil, nil, "", err
		}
		s := o.Stroke
		if s == nil {
			return nil, nil, "", fmt.Errorf("layer %q: stroke %q is missing", l.Name, o.By)
		}
		if err := s.Check(); err != nil {
			return nil, nil, "", fmt.Errorf("layer %q: %w", l.Name, err)
		}
		if s.ID != o.StrokeID && slices.ContainsFunc(list, func(x *brush.Stroke) bool { return x.ID == s.ID }) {
			return nil, nil, "", fmt.Errorf("layer %q has a stroke %q already", l.Name, s.ID)
		}
		was := list[i]
		list = slices.Clone(list)
		list[i] = s
		label := o.Label
		if label == "" {
			label = "change stroke"
		}
		return list, SetStroke{Target: l.ID, StepID: o.StepID, StrokeID: s.ID, By: was.ID, Label: o.Label, Stroke: was}, label, nil
	})
}

// MoveStroke puts a stroke elsewhere in the order in which they are laid.
type MoveStroke struct {
	Target   string `json:"target" doc:"the layer's id"`
	StepID   string `json:"step,omitempty" doc:"the hand step's id; empty: the paint layer itself"`
	StrokeID string `json:"stroke"`
	Index    int    `json:"index" doc:"among all of them without it; -1: last, over all others"`
}

// Kind implements Op.
func (MoveStroke) Kind() string { return "stroke.move" }

func (o MoveStroke) layer() string { return o.Target }

func (o MoveStroke) apply(d *Document) (Op, string, error) {
	return d.editStrokes(o.Target, o.StepID, func(l *Layer, list []*brush.Stroke) ([]*brush.Stroke, Op, string, error) {
		i, err := strokeIn(l, list, o.StrokeID)
		if err != nil {
			return nil, nil, "", err
		}
		s := list[i]
		list = slices.Delete(slices.Clone(list), i, i+1)
		to, err := slot(o.Index, len(list))
		if err != nil {
			return nil, nil, "", err
		}
		return slices.Insert(list, to, s), MoveStroke{l.ID, o.StepID, s.ID, i}, "order of strokes", nil
	})
}

// strokeIn returns the place of a stroke among others of a layer.
func strokeIn(l *Layer, list []*brush.Stroke, id string) (int, error) {
	i := slices.IndexFunc(list, func(s *brush.Stroke) bool { return s.ID == id })
	if i < 0 {
		return 0, fmt.Errorf("layer %q has no stroke %q", l.Name, id)
	}
	return i, nil
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
