package stack

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"velvetgrime/core/brush"
)

// title is what the ledger calls a step.
func (s *Step) title() string {
	if s.Name != "" {
		return s.Name
	}
	return s.Kind
}

// AddStep adds a step to a stream.
type AddStep struct {
	Target string `json:"target" doc:"the layer's id"`
	Path   string `json:"path,omitempty" doc:"the stream: mask (or empty), a channel, or step:<id> for the stream in a step"`
	Index  int    `json:"index,omitempty" doc:"-1: last"`
	Step   *Step  `json:"newStep"`

	Strokes map[string]*brush.Stroke `json:"-"`
}

// Kind implements Op.
func (AddStep) Kind() string { return "step.add" }

func (o AddStep) layer() string { return o.Target }

func (o AddStep) carry(strokes map[string]*brush.Stroke) Op { o.Strokes = strokes; return o }

func (o AddStep) apply(d *Document) (Op, string, error) {
	return d.edit(o.Target, func(l *Layer) (Op, string, error) {
		if o.Step == nil {
			return nil, "", fmt.Errorf("layer %q: step.add has no step", l.Name)
		}
		alone := (&Layer{Name: l.Name, Mask: []*Step{o.Step}}).clone()
		if err := alone.attach(func(id string) *brush.Stroke { return o.Strokes[id] }); err != nil {
			return nil, "", err
		}
		s := alone.Mask[0]
		if err := l.insertStep(s, o.Path, o.Index); err != nil {
			return nil, "", err
		}
		return RemoveStep{Target: l.ID, StepID: s.ID}, fmt.Sprintf("%s: add %s", l.Name, s.title()), nil
	})
}

func (l *Layer) insertStep(s *Step, stream string, index int) error {
	list, err := l.Stream(stream)
	if err != nil {
		return err
	}
	i, err := slot(index, len(list))
	if err != nil {
		return fmt.Errorf("layer %q: the step cannot be put there: %w", l.Name, err)
	}
	l.setStream(stream, slices.Insert(slices.Clone(list), i, s))
	return nil
}

func (l *Layer) cutStep(stream string, i int) {
	list, _ := l.Stream(stream)
	l.setStream(stream, slices.Delete(slices.Clone(list), i, i+1))
}

// stepAt returns a step of the layer, its stream and its index there, or an error.
func (l *Layer) stepAt(id string) (*Step, string, int, error) {
	s, stream, i := l.Step(id)
	if s == nil {
		return nil, "", 0, fmt.Errorf("layer %q has no step with the id %q", l.Name, id)
	}
	if strings.HasPrefix(stream, InDecal) {
		return nil, "", 0, fmt.Errorf("layer %q: that step is what was taken off a decal by hand; change the decal", l.Name)
	}
	return s, stream, i, nil
}

// RemoveStep deletes a step.
type RemoveStep struct {
	Target string `json:"target" doc:"the layer's id"`
	StepID string `json:"step"`
}

// Kind implements Op.
func (RemoveStep) Kind() string { return "step.remove" }

func (o RemoveStep) layer() string { return o.Target }

func (o RemoveStep) apply(d *Document) (Op, string, error) {
	return d.edit(o.Target, func(l *Layer) (Op, string, error) {
		s, stream, i, err := l.stepAt(o.StepID)
		if err != nil {
			return nil, "", err
		}
		l.cutStep(stream, i)
		inverse := AddStep{Target: l.ID, Path: stream, Step: s, Index: i, Strokes: strokesOf(&Layer{Mask: []*Step{s}})}
		return inverse, fmt.Sprintf("%s: delete %s", l.Name, s.title()), nil
	})
}

// MoveStep puts a step elsewhere in its layer.
type MoveStep struct {
	Target string `json:"target" doc:"the layer's id"`
	StepID string `json:"step"`
	Path   string `json:"path,omitempty" doc:"the stream: mask (or empty), a channel, or step:<id> for the stream in a step"`
	Index  int    `json:"index,omitempty" doc:"counted without the step itself; -1 last"`
}

// Kind implements Op.
func (MoveStep) Kind() string { return "step.move" }

func (o MoveStep) layer() string { return o.Target }

func (o MoveStep) apply(d *Document) (Op, string, error) {
	return d.edit(o.Target, func(l *Layer) (Op, string, error) {
		s, stream, i, err := l.stepAt(o.StepID)
		if err != nil {
			return nil, "", err
		}
		inner := o.Path == InStep+s.ID
		walkSteps(s.Steps, func(k *Step) { inner = inner || o.Path == InStep+k.ID })
		if inner {
			return nil, "", fmt.Errorf("layer %q: %s cannot be put into itself", l.Name, s.title())
		}
		l.cutStep(stream, i)
		if err := l.insertStep(s, o.Path, o.Index); err != nil {
			return nil, "", err
		}
		return MoveStep{
				Target: l.ID,
				StepID: s.ID,
				Path:   stream,
				Index:  i,
			}, fmt.Sprintf(
				"%s: move %s",
				l.Name,
				s.title(),
			), nil
	})
}

// paramPath begins the path of a step's setting that is one of its parameters.
const paramPath = "params."

// SetStep sets one of a step's settings, or all its parameters.
type SetStep struct {
	Target string          `json:"target" doc:"the layer's id"`
	StepID string          `json:"step"`
	Path   string          `json:"path" doc:"on, name, blend, amount, params.<name>, or params: all of them"`
	Value  json.RawMessage `json:"value" doc:"of the setting; null gives a parameter its usual value"`
	Label  string          `json:"label,omitempty" doc:"for the ledger; empty: made from the setting"`
}

// Kind implements Op.
func (SetStep) Kind() string { return "step.set" }

func (o SetStep) layer() string { return o.Target }

func (o SetStep) apply(d *Document) (Op, string, error) {
	return d.edit(o.Target, func(l *Layer) (Op, string, error) {
		s, _, _, err := l.stepAt(o.StepID)
		if err != nil {
			return nil, "", err
		}
		inverse := o
		var old, now any
		l.replaceStep(s.ID, func(n *Step) { inverse.Value, old, now, err = n.set(o) })
		if err != nil {
			return nil, "", fmt.Errorf("layer %q: %s: %s: %w", l.Name, s.title(), o.Path, err)
		}
		if o.Label != "" {
			return inverse, o.Label, nil
		}
		if o.Path == "params" {
			return inverse, fmt.Sprintf("%s: settings of %s", l.Name, s.title()), nil
		}
		path := strings.TrimPrefix(o.Path, paramPath)
		return inverse, fmt.Sprintf("%s: %s %s %s → %s", l.Name, s.title(), path, show(old), show(now)), nil
	})
}

// set changes a step that is a copy already, and returns what was there, as JSON and, for
// the ledger, as values.
func (s *Step) set(o SetStep) (was json.RawMessage, old, now any, err error) {
	field := any(nil)
	name, isParam := strings.CutPrefix(o.Path, paramPath)
	switch {
	case o.Path == "on":
		field = &s.On
	case o.Path == "amount":
		field = &s.Amount
	case o.Path == "blend":
		field = &s.Blend
	case o.Path == "name":
		field = &s.Name
	case o.Path == "params":
		was = raw(s.Params)
		var all map[string]any
		if err = json.Unmarshal(o.Value, &all); err == nil {
			s.Params = all
		}
		return was, nil, nil, err
	case isParam && name != "":
		old = s.Params[name]
		if err = json.Unmarshal(o.Value, &now); err != nil {
			return nil, nil, nil, err
		}
		s.Params = maps.Clone(s.Params)
		if s.Params == nil {
			s.Params = map[string]any{}
		}
		s.Params[name] = now
		if now == nil {
			delete(s.Params, name)
		}
		return raw(old), old, now, nil
	default:
		return nil, nil, nil, fmt.Errorf("there is no such setting")
	}
	was = raw(field)
	_ = json.Unmarshal(was, &old)
	if err = json.Unmarshal(o.Value, field); err == nil {
		_ = json.Unmarshal(o.Value, &now)
	}
	return was, old, now, err
}
