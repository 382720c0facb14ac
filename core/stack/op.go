package stack

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"

	"velvetgrime/core/brush"
)

// Op is one change of a document: a value of one of the registered kinds, see OpKinds. As
// JSON it is an object with its kind beside its fields; Any reads and writes that.
type Op interface {
	// Kind is the name under which the operation is registered.
	Kind() string
	// apply changes d, a shallow copy of a document, and returns the operation that takes
	// it back and a line for the ledger. It checks what it names; what is whole only
	// after the last operation of a batch is checked then.
	apply(d *Document) (inverse Op, label string, err error)
}

// carrying is an operation that names strokes, which travel beside the JSON.
type carrying interface {
	Op
	// carry returns the operation with the strokes that it names, by id.
	carry(strokes map[string]*brush.Stroke) Op
}

// Carry gives an operation, and those inside it, the strokes that they name.
func Carry(op Op, strokes map[string]*brush.Stroke) Op {
	if c, ok := op.(carrying); ok {
		return c.carry(strokes)
	}
	return op
}

// Brings lists the strokes that an operation brings into the project.
func Brings(op Op) (list []*brush.Stroke) {
	switch o := op.(type) {
	case AddLayer:
		if o.Layer == nil {
			return nil
		}
		for _, s := range strokesOf(o.Layer) {
			if s != nil {
				list = append(list, s)
			}
		}
	case SetStroke:
		if o.Stroke != nil {
			list = append(list, o.Stroke)
		}
	case Batch:
		for _, k := range o.Ops {
			list = append(list, Brings(k)...)
		}
	}
	return list
}

// LayerOf returns the id of the layer that an operation changes, "" when it changes none
// that is there, or several.
func LayerOf(op Op) string {
	if o, ok := op.(interface{ layer() string }); ok {
		return o.layer()
	}
	return ""
}

// OpKind describes a registered kind of operation.
type OpKind struct {
	Kind string `json:"kind"`
	Help string `json:"help"`
	Zero Op     `json:"-"` // its fields, for those who describe them

	read func(b []byte) (Op, error)
}

func opKind[T Op](help string) OpKind {
	var zero T
	return OpKind{zero.Kind(), help, zero, func(b []byte) (Op, error) {
		var op T
		err := json.Unmarshal(b, &op)
		return op, err
	}}
}

var opKinds = []OpKind{}

func init() { // batches read operations, so this cannot be the variable's own value
	opKinds = []OpKind{
		opKind[AddLayer]("add a layer, with all that is in it"),
		opKind[CopyLayer]("double a layer; the copy brings its id and name"),
		opKind[RemoveLayer]("delete a layer"),
		opKind[MoveLayer]("put a layer elsewhere"),
		opKind[SetLayer]("set one of a layer's settings"),
		opKind[TurnDial]("turn a dial of a group: all that it moves is set"),
		opKind[AddStep]("add a step to a stream"),
		opKind[RemoveStep]("delete a step"),
		opKind[MoveStep]("put a step elsewhere in its layer"),
		opKind[SetStep]("set one of a step's settings, or all its parameters"),
		opKind[AddStroke]("lay a stroke on a paint layer or in a hand step"),
		opKind[RemoveStroke]("take a stroke out"),
		opKind[SetStroke]("draw a stroke anew: with other points, another brush, other values"),
		opKind[MoveStroke]("put a stroke elsewhere in the order in which they are laid"),
		opKind[AddDecal]("set a decal on the surface"),
		opKind[SetDecal]("change a decal: where it lies, what it shows"),
		opKind[MoveDecal]("put a decal elsewhere in the order of its layer"),
		opKind[RemoveDecal]("take a decal off"),
		opKind[SetSlide]("add a slide to a layer, or change it: what was painted through it goes with it"),
		opKind[WarpSlide]("have a brush go over the picture of a slide: push it, let it back, pin it"),
		opKind[RemoveSlide]("take a slide away through which nothing is painted any more"),
		opKind[SizeSheet]("set how many texels a sheet has"),
		opKind[SetLight]("set in what light colours are mixed"),
		opKind[AddChannel]("add a channel to the project"),
		opKind[RemoveChannel]("delete an added channel; the layers lose their coats of it"),
		opKind[SetPalette]("set the project's colours"),
		opKind[KeepJudged]("keep a look or a view, or change one that is kept"),
		opKind[DropJudged]("forget a look or a view"),
		opKind[SetConditions]("set the conditions"),
		opKind[SetPrepared]("set what was prepared, and which sheets there are"),
		opKind[ReplaceDocument]("put another state in the place of this one"),
		opKind[Batch]("several operations as one: all or none"),
	}
}

// OpKinds lists the kinds of operations.
func OpKinds() []OpKind { return slices.Clone(opKinds) }

// Any is an operation as JSON writes it: {"kind": "layer.move", …its fields}.
type Any struct{ Op }

// MarshalJSON implements json.Marshaler; of no operation it writes null.
func (a Any) MarshalJSON() ([]byte, error) {
	if a.Op == nil {
		return []byte("null"), nil
	}
	b, err := json.Marshal(a.Op)
	if err != nil {
		return nil, err
	}
	out := fmt.Appendf(nil, `{"kind":%q`, a.Kind())
	if b = bytes.TrimSpace(b)[1:]; b[0] != '}' {
		out = append(out, ',')
	}
	return append(out, b...), nil
}

// UnmarshalJSON implements json.Unmarshaler. Its error names the kind and the field.
func (a *Any) UnmarshalJSON(b []byte) error {
	if bytes.Equal(b, []byte("null")) {
		a.Op = nil
		return nil
	}
	if err := CheckNesting(b); err != nil {
		return fmt.Errorf("the operation is not readable: %w", err)
	}
	var head struct {
		Kind string `json:"kind"`
	}
	if err := json.Unmarshal(b, &head); err != nil {
		return fmt.Errorf("the operation is not readable: %w", err)
	}
	for _, k := range opKinds {
		if k.Kind != head.Kind {
			continue
		}
		op, err := k.read(b)
		if err != nil {
			return fmt.Errorf("the operation %s is not readable: %w", head.Kind, err)
		}
		a.Op = op
		return nil
	}
	return fmt.Errorf("the operation %q is unknown", head.Kind)
}

// mostNested is how many lists and objects of an operation may lie inside one another:
// groups in groups and steps in steps are far from it.
const mostNested = 200

// CheckNesting refuses a JSON text in which lists and objects lie too deep inside one another.
func CheckNesting(b []byte) error {
	if nesting(b) > mostNested {
		return fmt.Errorf("more than %d lists and objects lie inside one another", mostNested)
	}
	return nil
}

// nesting counts how many lists and objects of a JSON text lie inside one another.
func nesting(b []byte) (most int) {
	depth, text := 0, false
	for i := 0; i < len(b); i++ {
		switch c := b[i]; {
		case text && c == '\\':
			i++
		case c == '"':
			text = !text
		case text:
		case c == '[' || c == '{':
			depth++
			most = max(most, depth)
		case c == ']' || c == '}':
			depth--
		}
	}
	return most
}

// EncodeOp writes an operation as JSON, without its strokes.
func EncodeOp(op Op) ([]byte, error) { return json.Marshal(Any{op}) }

// DecodeOp reads what EncodeOp wrote, and gives it the strokes that it names.
func DecodeOp(b []byte, strokes map[string]*brush.Stroke) (Op, error) {
	var a Any
	if err := json.Unmarshal(b, &a); err != nil {
		return nil, err
	}
	if a.Op == nil {
		return nil, fmt.Errorf("there is no operation")
	}
	return Carry(a.Op, strokes), nil
}

// Ops are operations as JSON writes them, one after the other.
type Ops []Op

// MarshalJSON implements json.Marshaler.
func (o Ops) MarshalJSON() ([]byte, error) {
	list := make([]Any, len(o))
	for i, op := range o {
		list[i].Op = op
	}
	return json.Marshal(list)
}

// UnmarshalJSON implements json.Unmarshaler.
func (o *Ops) UnmarshalJSON(b []byte) error {
	var list []Any
	if err := json.Unmarshal(b, &list); err != nil {
		return err
	}
	*o = nil
	for i, a := range list {
		if a.Op == nil {
			return fmt.Errorf("operation %d of the batch is null", i+1)
		}
		*o = append(*o, a.Op)
	}
	return nil
}

// Apply returns a document after op, the operation that takes it back, and a
// readable line for the ledger. The error says why the operation is refused; the
// document is never changed in place.
func (r Rules) Apply(d *Document, op Op) (next *Document, inverse Op, label string, err error) {
	if op == nil {
		return nil, nil, "", fmt.Errorf("there is no operation")
	}
	c := *d
	next = &c
	if inverse, label, err = op.apply(next); err == nil {
		err = r.Check(next)
	}
	if err != nil {
		return nil, nil, "", err
	}
	return next, inverse, label, nil
}

// Batch is several operations that are done all or not at all.
type Batch struct {
	Label string `json:"label,omitempty" doc:"for the ledger; empty: that of the first"`
	Ops   Ops    `json:"ops"`
}

// Kind implements Op.
func (Batch) Kind() string { return "batch" }

func (o Batch) apply(d *Document) (Op, string, error) {
	inverse, label := Batch{Label: o.Label}, o.Label
	for _, each := range o.Ops {
		inv, l, err := each.apply(d)
		if err != nil {
			return nil, "", err
		}
		inverse.Ops = slices.Insert(inverse.Ops, 0, inv)
		if label == "" {
			label = l
		}
	}
	return inverse, label, nil
}

func (o Batch) carry(strokes map[string]*brush.Stroke) Op {
	o.Ops = slices.Clone(o.Ops)
	for i := range o.Ops {
		o.Ops[i] = Carry(o.Ops[i], strokes)
	}
	return o
}

// ReplaceDocument puts another state in the place of this one.
type ReplaceDocument struct {
	Document json.RawMessage `json:"value" doc:"everything, as Encode writes it without strokes"`

	Strokes map[string]*brush.Stroke `json:"-"`
}

// Kind implements Op.
func (ReplaceDocument) Kind() string { return "document" }

func (o ReplaceDocument) apply(d *Document) (Op, string, error) {
	n, err := decode(o.Document, func(id string) *brush.Stroke { return o.Strokes[id] })
	if err != nil {
		return nil, "", err
	}
	old, err := d.Encode(false)
	if err != nil {
		return nil, "", err
	}
	inverse := ReplaceDocument{Document: old, Strokes: d.Strokes()}
	*d = *n
	return inverse, "Another state", nil
}

func (o ReplaceDocument) carry(strokes map[string]*brush.Stroke) Op {
	o.Strokes = strokes
	return o
}

// unlocked refuses to change a layer that is locked, or lies in a locked group.
func (d *Document) unlocked(l *Layer) error {
	for _, o := range append(d.around(l.ID), l) {
		if o.Locked {
			return fmt.Errorf(
				"%s %q is locked; unlock it to change it",
				map[bool]string{true: "the group", false: "the layer"}[o.Kind == Group],
				o.Name,
			)
		}
	}
	return nil
}

// layerTo returns the layer with an id, to be changed; its error is that there is none, or
// that it is locked.
func (d *Document) layerTo(id string) (*Layer, error) {
	l, err := d.layerAt(id)
	if err != nil {
		return nil, err
	}
	return l, d.unlocked(l)
}

// layerAt returns the layer with an id, or an error.
func (d *Document) layerAt(id string) (*Layer, error) {
	l := d.Layer(id)
	if l == nil {
		return nil, fmt.Errorf("there is no layer with the id %q; it may have been deleted in another window", id)
	}
	return l, nil
}

// edit changes a copy of a layer that is unlocked.
func (d *Document) edit(id string, f func(l *Layer) (Op, string, error)) (inverse Op, label string, err error) {
	if _, err := d.layerTo(id); err != nil {
		return nil, "", err
	}
	d.Layers, _ = replace(d.Layers, id, func(l *Layer) { inverse, label, err = f(l) })
	return inverse, label, err
}

func raw(v any) json.RawMessage { b, _ := json.Marshal(v); return b }

// slot returns the index that is meant in a list of n: −1 is after the last.
func slot(index, n int) (int, error) {
	if index == -1 {
		return n, nil
	}
	if index < 0 || index > n {
		return 0, fmt.Errorf("place %d is outside 0 to %d", index, n)
	}
	return index, nil
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

// shown writes a JSON value for the ledger.
func shown(b json.RawMessage) string {
	var v any
	_ = json.Unmarshal(b, &v)
	return show(v)
}
