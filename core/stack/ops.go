package stack

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"velvetgrime/core/brush"
)

// Op is one change of a document. Kind decides which fields count:
//
//	layer.add     Layer value, Parent group or "", Index (innermost 0; −1 outermost)
//	layer.copy    Target, Layer with the copy's id and name, Parent, Index
//	layer.remove  Target
//	layer.move    Target, Parent, Index (counted without the layer itself; −1 outermost)
//	layer.set     Target, Path name|visible|locked|amount|blend|isolated|reach|channels.<channel>, Value
//	step.add      Target layer, Path stream, Step value, Index (−1 last)
//	step.remove   Target layer, StepID
//	step.move     Target layer, StepID, Path stream, Index (counted without the step itself)
//	step.set      Target layer, StepID, Path on|name|blend|amount|params.<name>, Value; or params, all of them; a Label for the ledger when the page knows a better one
//	stroke.add    Target layer, StepID of a hand step or "", Stroke, Index (−1 last)
//	stroke.remove Target layer, StepID or "", StrokeID
//	sheet.size    Target sheet name, Value
//	light.set     Value "encoded" or "linear"
//	channel.add   Value a AddedChannel, Index (−1 last)
//	channel.remove Target channel; the layers lose their coats of it
//	palette.set     Value: colours as #rrggbb; Label for the ledger
//	conditions.set  Value: the conditions, or null for the usual ones; Label for the ledger
//	prepare.set   Value: what was prepared, and which sheets there are; Label for the ledger
//	document      Value: everything, as Encode writes it without strokes
//	batch         Ops, all or none; Label for the ledger
type Op struct {
	Kind     string          `json:"kind"`
	Target   string          `json:"target,omitempty"`
	Parent   string          `json:"parent,omitempty"`
	StepID   string          `json:"step,omitempty"`
	StrokeID string          `json:"stroke,omitempty"`
	Path     string          `json:"path,omitempty"`
	Index    int             `json:"index,omitempty"`
	Value    json.RawMessage `json:"value,omitempty"`
	Layer    *Layer          `json:"layer,omitempty"`
	Step     *Step           `json:"newStep,omitempty"`
	Ops      []Op            `json:"ops,omitempty"`
	Label    string          `json:"label,omitempty"`

	// Strokes travel beside the JSON, by id.
	Stroke  *brush.Stroke            `json:"-"`
	Carried map[string]*brush.Stroke `json:"-"`
}

// Apply returns the document after op, the operation that takes it back, and a
// readable line for the ledger. The error says why the operation is refused; the
// document is never changed in place.
func (d *Document) Apply(op Op) (next *Document, inverse Op, label string, err error) {
	c := *d
	next = &c
	if inverse, label, err = next.apply(op); err == nil {
		err = next.Check()
	}
	if err != nil {
		return nil, Op{}, "", err
	}
	return next, inverse, label, nil
}

// apply changes a shallow copy; the check comes once, after the last operation
// of a batch.
func (d *Document) apply(op Op) (Op, string, error) {
	switch op.Kind {
	case "batch":
		inverse, label := Op{Kind: "batch", Label: op.Label}, op.Label
		for _, o := range op.Ops {
			inv, l, err := d.apply(o)
			if err != nil {
				return Op{}, "", err
			}
			inverse.Ops = slices.Insert(inverse.Ops, 0, inv)
			if label == "" {
				label = l
			}
		}
		return inverse, label, nil
	case "sheet.size":
		return d.setSize(op)
	case "light.set":
		return d.setLight(op)
	case "channel.add", "channel.remove":
		return d.applyChannel(op)
	case "prepare.set":
		return d.prepare(op)
	case "conditions.set":
		return d.setConditions(op)
	case "palette.set":
		return d.setPalette(op)
	case "document":
		return d.replaceWhole(op)
	case "layer.add":
		return d.addLayer(op)
	}
	l := d.Layer(op.Target)
	if l == nil {
		return Op{}, "", fmt.Errorf("there is no layer with the id %q; it may have been deleted in another window", op.Target)
	}
	if err := d.unlocked(l, op); err != nil {
		return Op{}, "", err
	}
	switch op.Kind {
	case "layer.copy":
		return d.copyLayer(l, op)
	case "layer.remove":
		return d.removeLayer(l)
	case "layer.move":
		return d.moveLayer(l, op)
	}
	var inverse Op
	var label string
	err := fmt.Errorf("the operation %q is unknown", op.Kind)
	d.Layers, _ = replace(d.Layers, op.Target, func(n *Layer) {
		switch op.Kind {
		case "layer.set":
			inverse, label, err = n.set(op, d)
		case "step.add", "step.remove", "step.move", "step.set":
			inverse, label, err = n.applyStep(op)
		case "stroke.add", "stroke.remove":
			inverse, label, err = n.applyStroke(op)
		}
	})
	return inverse, label, err
}

// unlocked refuses to change a layer that is locked, or lies in a locked group;
// looking (visible) and unlocking stay possible, and so does copying.
func (d *Document) unlocked(l *Layer, op Op) error {
	if op.Kind == "layer.copy" || op.Kind == "layer.set" && (op.Path == "locked" || op.Path == "visible") {
		return nil
	}
	for _, o := range append(d.around(l.ID), l) {
		if o.Locked {
			return fmt.Errorf("%s %q is locked; unlock it to change it", map[bool]string{true: "the group", false: "the layer"}[o.Kind == Group], o.Name)
		}
	}
	return nil
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

func (d *Document) setLight(op Op) (Op, string, error) {
	old := d.Light
	if err := json.Unmarshal(op.Value, &d.Light); err != nil {
		return Op{}, "", fmt.Errorf("the light is not a word: %w", err)
	}
	return Op{Kind: op.Kind, Value: raw(old)}, "Colours mixed as " + map[bool]string{true: "linear light", false: "encoded values"}[d.Light == Linear], nil
}

func (d *Document) applyChannel(op Op) (Op, string, error) {
	if op.Kind == "channel.add" {
		var u AddedChannel
		if err := json.Unmarshal(op.Value, &u); err != nil {
			return Op{}, "", fmt.Errorf("the channel is not readable: %w", err)
		}
		at, err := place(op.Index, len(d.Added))
		if err != nil {
			return Op{}, "", err
		}
		d.Added = slices.Insert(slices.Clone(d.Added), at, u)
		return Op{Kind: "channel.remove", Target: string(u.Channel)}, "Add channel " + u.Label, nil
	}
	ch := Channel(op.Target)
	i := slices.IndexFunc(d.Added, func(u AddedChannel) bool { return u.Channel == ch })
	if i < 0 {
		return Op{}, "", fmt.Errorf("the project has added no channel %q", op.Target)
	}
	u := d.Added[i]
	inverse := Op{Kind: "batch", Ops: []Op{{Kind: "channel.add", Value: raw(u), Index: i}}}
	var locked error
	var has []*Layer
	d.Walk(func(l *Layer, _ []*Layer) {
		if _, ok := l.Channels[ch]; !ok {
			return
		}
		if err := d.unlocked(l, op); err != nil && locked == nil {
			locked = err
		}
		has = append(has, l)
	})
	if locked != nil {
		return Op{}, "", locked
	}
	for _, l := range has {
		inverse.Ops = append(inverse.Ops, Op{Kind: "layer.set", Target: l.ID, Path: "channels." + op.Target, Value: raw(l.Channels[ch]), Carried: carried(l)})
		d.Layers, _ = replace(d.Layers, l.ID, func(n *Layer) {
			n.Channels = maps.Clone(n.Channels)
			delete(n.Channels, ch)
		})
	}
	d.Added = slices.Delete(slices.Clone(d.Added), i, i+1)
	return inverse, "Delete channel " + u.Label, nil
}

func (d *Document) replaceWhole(op Op) (Op, string, error) {
	n, err := Decode(op.Value, func(id string) *brush.Stroke { return op.Carried[id] })
	if err != nil {
		return Op{}, "", err
	}
	old, err := d.Encode(false)
	if err != nil {
		return Op{}, "", err
	}
	inverse := Op{Kind: "document", Value: old, Carried: d.Strokes()}
	*d = *n
	return inverse, "Another state", nil
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

// insert puts a layer into a group or the stack.
func (d *Document) insert(l *Layer, parent string, index int) error {
	list, err := d.children(parent)
	if err != nil {
		return err
	}
	at, err := place(index, len(list))
	if err != nil {
		return err
	}
	if g := d.Layer(parent); g != nil {
		if err := d.unlocked(g, Op{}); err != nil {
			return err
		}
	}
	d.setChildren(parent, slices.Insert(slices.Clone(list), at, l))
	return nil
}

func (d *Document) addLayer(op Op) (Op, string, error) {
	if op.Layer == nil {
		return Op{}, "", fmt.Errorf("layer.add has no layer")
	}
	l := op.Layer.clone()
	if err := l.attach(func(id string) *brush.Stroke { return op.Carried[id] }); err != nil {
		return Op{}, "", err
	}
	if err := d.insert(l, op.Parent, op.Index); err != nil {
		return Op{}, "", err
	}
	return Op{Kind: "layer.remove", Target: l.ID}, "Add " + l.Name, nil
}

func (d *Document) removeLayer(l *Layer) (Op, string, error) {
	parent, i, _ := d.Place(l.ID)
	list, _ := d.children(parent)
	d.setChildren(parent, slices.Delete(slices.Clone(list), i, i+1))
	return Op{Kind: "layer.add", Parent: parent, Index: i, Layer: l, Carried: carried(l)}, "Delete " + l.Name, nil
}

func (d *Document) moveLayer(l *Layer, op Op) (Op, string, error) {
	parent, i, _ := d.Place(l.ID)
	for g := op.Parent; g != ""; g, _, _ = d.Place(g) {
		if g == l.ID {
			return Op{}, "", fmt.Errorf("the group %q cannot be put into itself", l.Name)
		}
	}
	list, _ := d.children(parent)
	d.setChildren(parent, slices.Delete(slices.Clone(list), i, i+1))
	if err := d.insert(l, op.Parent, op.Index); err != nil {
		return Op{}, "", err
	}
	label := "Move " + l.Name
	if g := d.Layer(op.Parent); g != nil && op.Parent != parent {
		label += " into " + g.Name
	}
	return Op{Kind: op.Kind, Target: op.Target, Parent: parent, Index: i}, label, nil
}

// copyLayer doubles a layer with all that is in it; the op brings the new id.
func (d *Document) copyLayer(l *Layer, op Op) (Op, string, error) {
	if op.Layer == nil || op.Layer.ID == "" {
		return Op{}, "", fmt.Errorf("layer %q: the copy has no id", l.Name)
	}
	c := l.renamed(op.Layer.ID)
	c.Name, c.Locked = op.Layer.Name, false
	if err := d.insert(c, op.Parent, op.Index); err != nil {
		return Op{}, "", err
	}
	return Op{Kind: "layer.remove", Target: c.ID}, "Double " + l.Name, nil
}

func carried(l *Layer) map[string]*brush.Stroke {
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
	case nil:
		return "as it was"
	case []any, map[string]any:
		return "…"
	}
	return fmt.Sprint(v)
}

func (l *Layer) set(op Op, d *Document) (Op, string, error) {
	inv := op
	name := l.Name
	if len(op.Path) > 9 && op.Path[:9] == "channels." {
		return l.setCoat(op, d)
	}
	// the field that is set, and how the ledger tells it
	field, line := any(nil), func(old, now string) string { return fmt.Sprintf("%s: %s %s → %s", name, op.Path, old, now) }
	word := func(yes, no string) func(string, string) string {
		return func(_, now string) string { return name + ": " + map[bool]string{true: yes, false: no}[now == "true"] }
	}
	switch op.Path {
	case "name":
		field = &l.Name
	case "amount":
		field = &l.Amount
	case "blend":
		field = &l.Blend
	case "visible":
		field, line = &l.Visible, word("shown", "hidden")
	case "locked":
		field, line = &l.Locked, word("locked", "unlocked")
	case "isolated":
		field, line = &l.Isolated, word("isolated", "not isolated")
	case "reach":
		inv.Value = raw(l.Reach)
		l.Reach = Reach{}
		if err := json.Unmarshal(op.Value, &l.Reach); err != nil {
			return Op{}, "", fmt.Errorf("layer %q: reach: %w", name, err)
		}
		return inv, name + ": reach changed", nil
	default:
		return Op{}, "", fmt.Errorf("layer %q: %s: there is no such setting", name, op.Path)
	}
	inv.Value = raw(field)
	old := shown(inv.Value)
	if err := json.Unmarshal(op.Value, field); err != nil {
		return Op{}, "", fmt.Errorf("layer %q: %s: %w", name, op.Path, err)
	}
	now := shown(raw(field))
	if op.Path == "blend" { // one way to write normal is to leave it out
		old, now = cmp.Or(old, "normal"), cmp.Or(now, "normal")
	}
	return inv, line(old, now), nil
}

// shown writes a JSON value for the ledger.
func shown(b json.RawMessage) string {
	var v any
	_ = json.Unmarshal(b, &v)
	return show(v)
}

func (l *Layer) setCoat(op Op, d *Document) (Op, string, error) {
	ch := Channel(op.Path[9:])
	info, ok := d.Info(ch)
	if !ok {
		return Op{}, "", fmt.Errorf("layer %q: there is no channel %q", l.Name, ch)
	}
	inv := op
	old, had := l.Channels[ch]
	l.Channels = maps.Clone(l.Channels)
	if l.Channels == nil {
		l.Channels = map[Channel]Coat{}
	}
	inv.Value = json.RawMessage("null")
	if had {
		inv.Value, inv.Carried = raw(old), carried(l)
	}
	if string(op.Value) == "null" {
		if delete(l.Channels, ch); len(l.Channels) == 0 {
			l.Channels = nil
		}
		return inv, fmt.Sprintf("%s: %s off", l.Name, info.Label), nil
	}
	var now Coat
	if err := json.Unmarshal(op.Value, &now); err != nil {
		return Op{}, "", fmt.Errorf("layer %q: %s: %w", l.Name, info.Label, err)
	}
	// the page knows streams without their strokes: what it sends back keeps them
	byID := carried(l)
	was := map[string]*Step{}
	walkSteps(old.Stream, func(s *Step) { was[s.ID] = s })
	walkSteps(now.Stream, func(s *Step) {
		if o := was[s.ID]; o != nil && len(s.StrokeID) == 0 {
			s.StrokeID, s.Strokes = o.StrokeID, o.Strokes
		}
	})
	l.Channels[ch] = now
	err := l.attach(func(id string) *brush.Stroke {
		if s := byID[id]; s != nil {
			return s
		}
		return op.Carried[id]
	})
	return inv, l.Name + ": " + info.Label + coatChange(old, now), err
}

func coatChange(old, now Coat) string {
	switch {
	case old.On != now.On:
		return map[bool]string{true: " on", false: " off"}[now.On]
	case !slices.Equal(old.Value, now.Value):
		return fmt.Sprintf(" %s → %s", show(old.Value), show(now.Value))
	case old.Blend != now.Blend:
		return fmt.Sprintf(" blend %s → %s", old.Blend, now.Blend)
	case old.Amount != now.Amount:
		return fmt.Sprintf(" amount %s → %s", show(old.Amount), show(now.Amount))
	case !slices.Equal(old.Range, now.Range):
		return " range changed"
	case len(old.Stream) == 0 && len(now.Stream) > 0:
		return " from a stream"
	case len(old.Stream) > 0 && len(now.Stream) == 0:
		return " from a value"
	}
	return " changed"
}

// title is what the ledger calls a step.
func (s *Step) title() string {
	if s.Name != "" {
		return s.Name
	}
	return s.Kind
}

func (l *Layer) applyStep(op Op) (Op, string, error) {
	if op.Kind == "step.add" {
		if op.Step == nil {
			return Op{}, "", fmt.Errorf("layer %q: step.add has no step", l.Name)
		}
		tmp := (&Layer{Name: l.Name, Mask: []*Step{op.Step}}).clone()
		if err := tmp.attach(func(id string) *brush.Stroke { return op.Carried[id] }); err != nil {
			return Op{}, "", err
		}
		s := tmp.Mask[0]
		if err := l.insertStep(s, op.Path, op.Index); err != nil {
			return Op{}, "", err
		}
		return Op{Kind: "step.remove", Target: l.ID, StepID: s.ID}, fmt.Sprintf("%s: add %s", l.Name, s.title()), nil
	}
	s, stream, i := l.Step(op.StepID)
	if s == nil {
		return Op{}, "", fmt.Errorf("layer %q has no step with the id %q", l.Name, op.StepID)
	}
	switch op.Kind {
	case "step.remove":
		l.cutStep(stream, i)
		return Op{Kind: "step.add", Target: l.ID, Path: stream, Step: s, Index: i, Carried: carried(&Layer{Mask: []*Step{s}})}, fmt.Sprintf("%s: delete %s", l.Name, s.title()), nil
	case "step.move":
		inner := false
		walkSteps(s.Steps, func(o *Step) { inner = inner || op.Path == InStep+o.ID })
		if inner || op.Path == InStep+s.ID {
			return Op{}, "", fmt.Errorf("layer %q: %s cannot be put into itself", l.Name, s.title())
		}
		l.cutStep(stream, i)
		if err := l.insertStep(s, op.Path, op.Index); err != nil {
			return Op{}, "", err
		}
		return Op{Kind: op.Kind, Target: l.ID, StepID: s.ID, Path: stream, Index: i}, fmt.Sprintf("%s: move %s", l.Name, s.title()), nil
	}
	return l.setStep(op, s)
}

func (l *Layer) cutStep(stream string, i int) {
	list, _ := l.Stream(stream)
	l.setStream(stream, slices.Delete(slices.Clone(list), i, i+1))
}

func (l *Layer) insertStep(s *Step, stream string, index int) error {
	list, err := l.Stream(stream)
	if err != nil {
		return err
	}
	at, err := place(index, len(list))
	if err != nil {
		return fmt.Errorf("layer %q: the step cannot be put there: %w", l.Name, err)
	}
	l.setStream(stream, slices.Insert(slices.Clone(list), at, s))
	return nil
}

func (l *Layer) setStep(op Op, s *Step) (Op, string, error) {
	inv := op
	var old, now any
	var err error
	l.replaceStep(s.ID, func(n *Step) {
		field := any(nil)
		switch {
		case op.Path == "on":
			field = &n.On
		case op.Path == "amount":
			field = &n.Amount
		case op.Path == "blend":
			field = &n.Blend
		case op.Path == "name":
			field = &n.Name
		case op.Path == "params":
			var all map[string]any
			inv.Value = raw(n.Params)
			if err = json.Unmarshal(op.Value, &all); err == nil {
				n.Params = all
			}
			return
		case len(op.Path) > 7 && op.Path[:7] == "params.":
			name := op.Path[7:]
			old = n.Params[name]
			inv.Value = raw(old)
			if err = json.Unmarshal(op.Value, &now); err == nil {
				n.Params = maps.Clone(n.Params)
				if n.Params == nil {
					n.Params = map[string]any{}
				}
				n.Params[name] = now
				if now == nil {
					delete(n.Params, name)
				}
			}
			return
		default:
			err = fmt.Errorf("there is no such setting")
			return
		}
		inv.Value = raw(field)
		_ = json.Unmarshal(inv.Value, &old)
		if err = json.Unmarshal(op.Value, field); err == nil {
			_ = json.Unmarshal(op.Value, &now)
		}
	})
	if err != nil {
		return Op{}, "", fmt.Errorf("layer %q: %s: %s: %w", l.Name, s.title(), op.Path, err)
	}
	if op.Label != "" {
		return inv, op.Label, nil
	}
	if op.Path == "params" {
		return inv, fmt.Sprintf("%s: settings of %s", l.Name, s.title()), nil
	}
	path := op.Path
	if len(path) > 7 && path[:7] == "params." {
		path = path[7:]
	}
	return inv, fmt.Sprintf("%s: %s %s %s → %s", l.Name, s.title(), path, show(old), show(now)), nil
}

func (l *Layer) applyStroke(op Op) (Op, string, error) {
	change := func(list []*brush.Stroke) (out []*brush.Stroke, inv Op, label string, err error) {
		inv = Op{Target: l.ID, StepID: op.StepID}
		if op.Kind == "stroke.remove" {
			at := slices.IndexFunc(list, func(s *brush.Stroke) bool { return s.ID == op.StrokeID })
			if at < 0 {
				return nil, Op{}, "", fmt.Errorf("layer %q has no stroke %q", l.Name, op.StrokeID)
			}
			inv.Kind, inv.StrokeID, inv.Index, inv.Carried = "stroke.add", op.StrokeID, at, map[string]*brush.Stroke{op.StrokeID: list[at]}
			return slices.Delete(slices.Clone(list), at, at+1), inv, "remove stroke", nil
		}
		s := op.Stroke
		if s == nil {
			s = op.Carried[op.StrokeID]
		}
		if s == nil {
			return nil, Op{}, "", fmt.Errorf("layer %q: stroke %q is missing", l.Name, op.StrokeID)
		}
		if err := s.Check(); err != nil {
			return nil, Op{}, "", fmt.Errorf("layer %q: %w", l.Name, err)
		}
		at, err := place(op.Index, len(list))
		if err != nil {
			return nil, Op{}, "", err
		}
		inv.Kind, inv.StrokeID = "stroke.remove", s.ID
		return slices.Insert(slices.Clone(list), at, s), inv, map[bool]string{true: "erase", false: "stroke"}[s.Erase], nil
	}
	var inv Op
	var label string
	var err error
	if op.StepID == "" {
		if l.Kind != Paint {
			return Op{}, "", fmt.Errorf("layer %q is a %s layer; paint in a hand step of its mask or in a paint layer", l.Name, l.Kind)
		}
		var list []*brush.Stroke
		if list, inv, label, err = change(l.Strokes); err == nil {
			l.Strokes, l.StrokeID = list, names(list)
		}
		return inv, l.Name + ": " + label, err
	}
	s, stream, _ := l.Step(op.StepID)
	if s == nil || s.Kind != Hand {
		return Op{}, "", fmt.Errorf("layer %q has no hand step %q to paint in; add one to its mask", l.Name, op.StepID)
	}
	var list []*brush.Stroke
	if list, inv, label, err = change(s.Strokes); err == nil {
		l.replaceStep(s.ID, func(n *Step) { n.Strokes, n.StrokeID = list, names(list) })
	}
	if stream != MaskStream {
		stream = s.title()
	}
	return inv, fmt.Sprintf("%s %s: %s", l.Name, stream, label), err
}

func names(list []*brush.Stroke) []string {
	ids := make([]string, len(list))
	for i, s := range list {
		ids[i] = s.ID
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
