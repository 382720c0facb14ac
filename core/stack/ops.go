package stack

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"velvetgrime/core/brush"
)

// Op is one change of a document. Kind decides which fields count:
//
//	layer.add     Layer value, Index (innermost 0; −1 puts it outermost)
//	layer.copy    Target, Layer with the copy's ids and name, Index
//	layer.remove  Target
//	layer.move    Target, Index
//	layer.set     Target, Path name|visible|amount|reach|channels.<channel>, Value
//	step.add      Target layer, Step value, Index (−1 last)
//	step.remove   Target layer, StepID
//	step.move     Target layer, StepID, Index
//	step.set      Target layer, StepID, Path on|blend|amount|params.<name>, Value
//	stroke.add    Target layer, StepID of a hand step or "", Stroke, Index (−1 last)
//	stroke.remove Target layer, StepID or "", StrokeID
//	sheet.size    Target sheet name, Value
//	batch         Ops, all or none
type Op struct {
	Kind     string          `json:"kind"`
	Target   string          `json:"target,omitempty"`
	StepID   string          `json:"step,omitempty"`
	StrokeID string          `json:"stroke,omitempty"`
	Path     string          `json:"path,omitempty"`
	Index    int             `json:"index,omitempty"`
	Value    json.RawMessage `json:"value,omitempty"`
	Layer    *Layer          `json:"layer,omitempty"`
	Step     *Step           `json:"newStep,omitempty"`
	Ops      []Op            `json:"ops,omitempty"`

	// Strokes travel beside the JSON, by id.
	Stroke  *brush.Stroke            `json:"-"`
	Carried map[string]*brush.Stroke `json:"-"`
}

// Apply returns the document after op, the operation that takes it back, and a
// readable line for the ledger. The error says why the operation is refused; the
// document is never changed in place.
func (d *Document) Apply(op Op) (next *Document, inverse Op, label string, err error) {
	if op.Kind == "batch" {
		next = d
		for i, o := range op.Ops {
			var inv Op
			var l string
			if next, inv, l, err = next.Apply(o); err != nil {
				return nil, Op{}, "", err
			}
			inverse.Ops = slices.Insert(inverse.Ops, 0, inv)
			if i == 0 {
				label = l
			}
		}
		inverse.Kind = "batch"
		return next, inverse, label, nil
	}
	c := *d
	next = &c
	if op.Kind == "sheet.size" {
		inverse, label, err = next.setSize(op)
	} else {
		inverse, label, err = next.applyLayer(op)
	}
	if err == nil {
		err = next.Check()
	}
	if err != nil {
		return nil, Op{}, "", err
	}
	return next, inverse, label, nil
}

func raw(v any) json.RawMessage { b, _ := json.Marshal(v); return b }

func (d *Document) setSize(op Op) (Op, string, error) {
	old, ok := d.Sheets[op.Target]
	if !ok {
		return Op{}, "", fmt.Errorf("there is no sheet %q", op.Target)
	}
	var size int
	if err := json.Unmarshal(op.Value, &size); err != nil {
		return Op{}, "", fmt.Errorf("sheet %q: the size is not a number", op.Target)
	}
	d.Sheets = maps.Clone(d.Sheets)
	d.Sheets[op.Target] = SheetSize{size}
	inv := op
	inv.Value = raw(old.Size)
	return inv, fmt.Sprintf("%s: size %d → %d", op.Target, old.Size, size), nil
}

func place(index, n int) (int, error) {
	if index == -1 {
		return n, nil
	}
	if index < 0 || index > n {
		return 0, fmt.Errorf("place %d is outside 0 to %d", index, n)
	}
	return index, nil
}

func (d *Document) applyLayer(op Op) (Op, string, error) {
	if op.Kind == "layer.add" {
		if op.Layer == nil {
			return Op{}, "", fmt.Errorf("layer.add has no layer")
		}
		at, err := place(op.Index, len(d.Layers))
		if err != nil {
			return Op{}, "", err
		}
		l := *op.Layer
		if err := l.attach(op.Carried); err != nil {
			return Op{}, "", err
		}
		d.Layers = slices.Insert(slices.Clone(d.Layers), at, &l)
		return Op{Kind: "layer.remove", Target: l.ID}, "Add " + l.Name, nil
	}
	i, l := d.Layer(op.Target)
	if l == nil {
		return Op{}, "", fmt.Errorf("there is no layer with the id %q; it may have been deleted in another window", op.Target)
	}
	switch op.Kind {
	case "layer.copy":
		return d.copyLayer(l, op)
	case "layer.remove":
		d.Layers = slices.Delete(slices.Clone(d.Layers), i, i+1)
		return Op{Kind: "layer.add", Index: i, Layer: l, Carried: l.carried()}, "Delete " + l.Name, nil
	case "layer.move":
		if op.Index < 0 || op.Index >= len(d.Layers) {
			return Op{}, "", fmt.Errorf("place %d is outside the stack", op.Index)
		}
		d.Layers = slices.Insert(slices.Delete(slices.Clone(d.Layers), i, i+1), op.Index, l)
		return Op{Kind: op.Kind, Target: op.Target, Index: i}, "Move " + l.Name, nil
	}
	n := *l
	d.Layers = slices.Clone(d.Layers)
	d.Layers[i] = &n
	switch op.Kind {
	case "layer.set":
		return n.set(op)
	case "step.add", "step.remove", "step.move", "step.set":
		return n.applyStep(op)
	case "stroke.add", "stroke.remove":
		return n.applyStroke(op)
	}
	return Op{}, "", fmt.Errorf("the operation %q is unknown", op.Kind)
}

// copyLayer doubles a layer with its strokes; the op brings the new ids.
func (d *Document) copyLayer(l *Layer, op Op) (Op, string, error) {
	if op.Layer == nil || len(op.Layer.Mask) != len(l.Mask) {
		return Op{}, "", fmt.Errorf("layer %q: the copy does not match; it may have changed meanwhile", l.Name)
	}
	at, err := place(op.Index, len(d.Layers))
	if err != nil {
		return Op{}, "", err
	}
	c := *l
	c.ID, c.Name, c.Mask = op.Layer.ID, op.Layer.Name, nil
	for i, s := range l.Mask {
		n := *s
		n.ID = op.Layer.Mask[i].ID
		c.Mask = append(c.Mask, &n)
	}
	d.Layers = slices.Insert(slices.Clone(d.Layers), at, &c)
	return Op{Kind: "layer.remove", Target: c.ID}, "Double " + l.Name, nil
}

// attach fills in the strokes that the JSON names.
func (l *Layer) attach(from map[string]*brush.Stroke) error {
	get := func(ids []string, have []*brush.Stroke) ([]*brush.Stroke, error) {
		if len(have) == len(ids) {
			return have, nil
		}
		var out []*brush.Stroke
		for _, id := range ids {
			s := from[id]
			if s == nil {
				return nil, fmt.Errorf("layer %q: stroke %q is missing", l.Name, id)
			}
			out = append(out, s)
		}
		return out, nil
	}
	var err error
	if l.Strokes, err = get(l.StrokeID, l.Strokes); err != nil {
		return err
	}
	l.Mask = slices.Clone(l.Mask)
	for i, s := range l.Mask {
		if s == nil {
			return fmt.Errorf("layer %q: step %d is null", l.Name, i+1)
		}
		c := *s
		if c.Strokes, err = get(c.StrokeID, c.Strokes); err != nil {
			return err
		}
		l.Mask[i] = &c
	}
	return nil
}

func (l *Layer) carried() map[string]*brush.Stroke {
	return (&Document{Layers: []*Layer{l}}).Strokes()
}

// show writes a value for the ledger.
func show(v any) string {
	switch t := v.(type) {
	case []float32:
		if len(t) == 1 {
			return fmt.Sprintf("%.4g", t[0])
		}
		s := "#"
		for _, c := range t {
			s += fmt.Sprintf("%02x", int(min(max(c, 0), 1)*255+0.5))
		}
		return s
	case float32, float64:
		return fmt.Sprintf("%.4g", t)
	}
	return fmt.Sprint(v)
}

func (l *Layer) set(op Op) (Op, string, error) {
	inv := op
	bad := func(err error) (Op, string, error) {
		return Op{}, "", fmt.Errorf("layer %q: %s: %w", l.Name, op.Path, err)
	}
	name := l.Name
	change := func(what string, old, now any) (Op, string, error) {
		inv.Value = raw(old)
		return inv, fmt.Sprintf("%s: %s %s → %s", name, what, show(old), show(now)), nil
	}
	switch op.Path {
	case "name":
		old := l.Name
		if err := json.Unmarshal(op.Value, &l.Name); err != nil {
			return bad(err)
		}
		return change("name", old, l.Name)
	case "visible":
		old := l.Visible
		if err := json.Unmarshal(op.Value, &l.Visible); err != nil {
			return bad(err)
		}
		inv.Value = raw(old)
		return inv, name + map[bool]string{true: ": shown", false: ": hidden"}[l.Visible], nil
	case "amount":
		old := l.Amount
		if err := json.Unmarshal(op.Value, &l.Amount); err != nil {
			return bad(err)
		}
		return change("amount", old, l.Amount)
	case "reach":
		old := l.Reach
		l.Reach = Reach{}
		if err := json.Unmarshal(op.Value, &l.Reach); err != nil {
			return bad(err)
		}
		inv.Value = raw(old)
		return inv, name + ": reach changed", nil
	}
	if len(op.Path) > 9 && op.Path[:9] == "channels." {
		ch := Channel(op.Path[9:])
		info, ok := Info(ch)
		if !ok {
			return bad(fmt.Errorf("there is no such channel"))
		}
		old, had := l.Channels[ch]
		l.Channels = maps.Clone(l.Channels)
		if l.Channels == nil {
			l.Channels = map[Channel]Coat{}
		}
		if string(op.Value) == "null" {
			delete(l.Channels, ch)
			inv.Value = raw(old)
			return inv, fmt.Sprintf("%s: %s off", name, info.Label), nil
		}
		var now Coat
		if err := json.Unmarshal(op.Value, &now); err != nil {
			return bad(err)
		}
		l.Channels[ch] = now
		inv.Value = json.RawMessage("null")
		if had {
			inv.Value = raw(old)
		}
		return inv, name + ": " + info.Label + coatChange(old, now), nil
	}
	return bad(fmt.Errorf("there is no such setting"))
}

func coatChange(old, now Coat) string {
	switch {
	case old.On != now.On:
		return map[bool]string{true: " on", false: " off"}[now.On]
	case !slices.Equal(old.Value, now.Value):
		return fmt.Sprintf(" %s → %s", show(old.Value), show(now.Value))
	case old.Blend != now.Blend:
		return fmt.Sprintf(" blend %s → %s", old.Blend, now.Blend)
	}
	return fmt.Sprintf(" amount %s → %s", show(old.Amount), show(now.Amount))
}

func (l *Layer) applyStep(op Op) (Op, string, error) {
	if op.Kind == "step.add" {
		at, err := place(op.Index, len(l.Mask))
		if err != nil || op.Step == nil {
			return Op{}, "", fmt.Errorf("layer %q: the step cannot be put there", l.Name)
		}
		s := *op.Step
		tmp := &Layer{Name: l.Name, Mask: []*Step{&s}}
		if err := tmp.attach(op.Carried); err != nil {
			return Op{}, "", err
		}
		l.Mask = slices.Insert(slices.Clone(l.Mask), at, tmp.Mask[0])
		return Op{Kind: "step.remove", Target: l.ID, StepID: s.ID}, fmt.Sprintf("%s: add %s", l.Name, s.Kind), nil
	}
	i, s := l.Step(op.StepID)
	if s == nil {
		return Op{}, "", fmt.Errorf("layer %q has no step with the id %q", l.Name, op.StepID)
	}
	l.Mask = slices.Clone(l.Mask)
	switch op.Kind {
	case "step.remove":
		l.Mask = slices.Delete(l.Mask, i, i+1)
		carried := (&Layer{Mask: []*Step{s}}).carried()
		return Op{Kind: "step.add", Target: l.ID, Step: s, Index: i, Carried: carried}, fmt.Sprintf("%s: delete %s", l.Name, s.Kind), nil
	case "step.move":
		if op.Index < 0 || op.Index >= len(l.Mask) {
			return Op{}, "", fmt.Errorf("layer %q: place %d is outside the stream", l.Name, op.Index)
		}
		l.Mask = slices.Insert(slices.Delete(l.Mask, i, i+1), op.Index, s)
		return Op{Kind: op.Kind, Target: l.ID, StepID: s.ID, Index: i}, fmt.Sprintf("%s: move %s", l.Name, s.Kind), nil
	}
	n := *s
	l.Mask[i] = &n
	inv := op
	var old, now any
	var err error
	switch {
	case op.Path == "on":
		old = n.On
		err = json.Unmarshal(op.Value, &n.On)
		now = n.On
	case op.Path == "amount":
		old = n.Amount
		err = json.Unmarshal(op.Value, &n.Amount)
		now = n.Amount
	case op.Path == "blend":
		old = n.Blend
		err = json.Unmarshal(op.Value, &n.Blend)
		now = n.Blend
	case len(op.Path) > 7 && op.Path[:7] == "params.":
		old = n.Params[op.Path[7:]]
		if err = json.Unmarshal(op.Value, &now); err == nil {
			n.Params = maps.Clone(n.Params)
			if n.Params == nil {
				n.Params = map[string]any{}
			}
			n.Params[op.Path[7:]] = now
			if now == nil {
				delete(n.Params, op.Path[7:])
			}
		}
	default:
		err = fmt.Errorf("there is no such setting")
	}
	if err != nil {
		return Op{}, "", fmt.Errorf("layer %q: step %d (%s): %s: %w", l.Name, i+1, s.Kind, op.Path, err)
	}
	inv.Value = raw(old)
	return inv, fmt.Sprintf("%s: %s %s %s → %s", l.Name, s.Kind, op.Path, show(old), show(now)), nil
}

func (l *Layer) applyStroke(op Op) (Op, string, error) {
	list, ids, where := &l.Strokes, &l.StrokeID, l.Name
	if op.StepID != "" {
		i, s := l.Step(op.StepID)
		if s == nil || s.Kind != "hand" {
			return Op{}, "", fmt.Errorf("layer %q has no hand step %q to paint in; add one to its mask", l.Name, op.StepID)
		}
		n := *s
		l.Mask = slices.Clone(l.Mask)
		l.Mask[i] = &n
		list, ids, where = &n.Strokes, &n.StrokeID, l.Name+" mask"
	} else if l.Kind != Paint {
		return Op{}, "", fmt.Errorf("layer %q is a fill layer; paint in a hand step of its mask or in a paint layer", l.Name)
	}
	if op.Kind == "stroke.add" {
		s := op.Stroke
		if s == nil {
			s = op.Carried[op.StrokeID]
		}
		if s == nil {
			return Op{}, "", fmt.Errorf("layer %q: stroke %q is missing", l.Name, op.StrokeID)
		}
		if err := s.Check(); err != nil {
			return Op{}, "", fmt.Errorf("layer %q: %w", l.Name, err)
		}
		at, err := place(op.Index, len(*list))
		if err != nil {
			return Op{}, "", err
		}
		*list = slices.Insert(slices.Clone(*list), at, s)
		*ids = names(*list)
		verb := "stroke"
		if s.Erase {
			verb = "erase"
		}
		return Op{Kind: "stroke.remove", Target: l.ID, StepID: op.StepID, StrokeID: s.ID}, where + ": " + verb, nil
	}
	at := slices.IndexFunc(*list, func(s *brush.Stroke) bool { return s.ID == op.StrokeID })
	if at < 0 {
		return Op{}, "", fmt.Errorf("layer %q has no stroke %q", l.Name, op.StrokeID)
	}
	s := (*list)[at]
	*list = slices.Delete(slices.Clone(*list), at, at+1)
	*ids = names(*list)
	return Op{Kind: "stroke.add", Target: l.ID, StepID: op.StepID, StrokeID: s.ID, Index: at,
		Carried: map[string]*brush.Stroke{s.ID: s}}, where + ": remove stroke", nil
}

func names(list []*brush.Stroke) []string {
	ids := make([]string, len(list))
	for i, s := range list {
		ids[i] = s.ID
	}
	return ids
}

// StrokeIDs lists every stroke that the operation needs carried beside it.
func (op Op) StrokeIDs() []string {
	var ids []string
	if op.Kind == "stroke.add" {
		ids = append(ids, op.StrokeID)
	}
	if op.Layer != nil {
		ids = append(ids, op.Layer.StrokeID...)
		for _, s := range op.Layer.Mask {
			ids = append(ids, s.StrokeID...)
		}
	}
	if op.Step != nil {
		ids = append(ids, op.Step.StrokeID...)
	}
	for _, o := range op.Ops {
		ids = append(ids, o.StrokeIDs()...)
	}
	return ids
}

// Carry gives the operation and those inside it the strokes they name.
func (op *Op) Carry(strokes map[string]*brush.Stroke) {
	op.Carried = strokes
	for i := range op.Ops {
		op.Ops[i].Carry(strokes)
	}
}
