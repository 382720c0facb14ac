package stack

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
)

// Dial is a named control of a group: it moves parameters of what lies inside, each over a
// range and along a curve.
type Dial struct {
	Name  string  `json:"name"`
	Help  string  `json:"help,omitempty" doc:"what turning it up does"`
	Value float64 `json:"value" minimum:"0" maximum:"1" doc:"where it stands"`
	Usual float64 `json:"usual" minimum:"0" maximum:"1" doc:"where it stood when it was made"`
	Moves []Move  `json:"moves"`
}

// Move is one setting that a dial moves.
type Move struct {
	Layer string    `json:"layer" doc:"its id: the group itself, or one inside"`
	Step  string    `json:"step,omitempty" doc:"the step's id; empty: a setting of the layer"`
	Path  string    `json:"path" doc:"amount, channels.<channel>.value or channels.<channel>.amount of a layer; amount or params.<name> of a step"`
	From  []float64 `json:"from" doc:"the setting with the dial at 0: one number, or a row such as a colour"`
	To    []float64 `json:"to" doc:"and with the dial at 1"`
	Bend  float64   `json:"bend,omitempty" doc:"exponent of the way between; 0: 1, straight"`
}

// Limits of dials.
const (
	MaxDials = 24 // of one group
	MaxMoves = 64 // of one dial
)

// At returns the setting with the dial at v, 0..1.
func (m Move) At(v float64) []float64 {
	if m.Bend > 0 {
		v = math.Pow(v, m.Bend)
	}
	out := make([]float64, len(m.From))
	for i := range out {
		out[i] = m.From[i] + v*(m.To[i]-m.From[i])
	}
	return out
}

// value is the setting as JSON: a coat's value is always a row, all else of one number is one.
func (m Move) value(v float64) json.RawMessage {
	at := m.At(v)
	for i := range at { // as many places as a float32 has
		at[i] = math.Round(at[i]*1e7) / 1e7
	}
	if len(at) == 1 && !strings.HasSuffix(m.Path, ".value") {
		return raw(at[0])
	}
	return raw(at)
}

func checkDials(l *Layer) error {
	if len(l.Dials) > 0 && l.Kind != Group {
		return fmt.Errorf("dials belong to groups; put the layer into one")
	}
	if len(l.Dials) > MaxDials {
		return fmt.Errorf("it has %d dials; at most %d are possible", len(l.Dials), MaxDials)
	}
	names := map[string]bool{}
	for _, d := range l.Dials {
		if err := d.check(); err != nil {
			return fmt.Errorf("dial %q: %w", d.Name, err)
		}
		if names[d.Name] {
			return fmt.Errorf("two dials are called %q; give one another name", d.Name)
		}
		names[d.Name] = true
	}
	return nil
}

func (d Dial) check() error {
	if d.Name == "" || len(d.Name) > 60 {
		return fmt.Errorf("its name has %d letters; 1 to 60 are possible", len(d.Name))
	}
	for _, v := range []float64{d.Value, d.Usual} {
		if !(v >= 0 && v <= 1) {
			return fmt.Errorf("it stands at %v; it goes from 0 to 1", v)
		}
	}
	if len(d.Moves) == 0 || len(d.Moves) > MaxMoves {
		return fmt.Errorf("it moves %d settings; 1 to %d are possible", len(d.Moves), MaxMoves)
	}
	for _, m := range d.Moves {
		if len(m.From) == 0 || len(m.From) > 4 || len(m.From) != len(m.To) {
			return fmt.Errorf(
				"%s goes from %d numbers to %d; both need one to four, as many",
				m.Path,
				len(m.From),
				len(m.To),
			)
		}
		for _, v := range slices.Concat(m.From, m.To, []float64{m.Bend}) {
			if math.IsNaN(v) || math.IsInf(v, 0) || math.Abs(v) > 1e6 {
				return fmt.Errorf("%s: %v is no number that a setting can have", m.Path, v)
			}
		}
		if m.Bend < 0 {
			return fmt.Errorf("%s: its bend is below 0", m.Path)
		}
	}
	return nil
}

// TurnDial turns a dial of a group: all that it moves is set, as one operation.
type TurnDial struct {
	Target string  `json:"target" doc:"the group's id"`
	Dial   string  `json:"dial" doc:"its name"`
	Value  float64 `json:"value" minimum:"0" maximum:"1" doc:"where it stands then"`
}

// Kind implements Op.
func (TurnDial) Kind() string { return "dial.turn" }

func (o TurnDial) layer() string { return o.Target }

func (o TurnDial) apply(d *Document) (Op, string, error) {
	g, err := d.layerAt(o.Target)
	if err != nil {
		return nil, "", err
	}
	i := slices.IndexFunc(g.Dials, func(d Dial) bool { return d.Name == o.Dial })
	if i < 0 {
		return nil, "", fmt.Errorf("layer %q has no dial %q", g.Name, o.Dial)
	}
	if !(o.Value >= 0 && o.Value <= 1) {
		return nil, "", fmt.Errorf("layer %q: dial %q: %v is not between 0 and 1", g.Name, o.Dial, o.Value)
	}
	dials := slices.Clone(g.Dials)
	was := dials[i].Value
	dials[i].Value = o.Value
	inverse := Batch{}
	set := func(op Op) error {
		inv, _, err := op.apply(d)
		if err == nil {
			inverse.Ops = slices.Insert(inverse.Ops, 0, inv)
		}
		return err
	}
	if err := set(SetLayer{Target: g.ID, Path: "dials", Value: raw(dials)}); err != nil {
		return nil, "", err
	}
	for _, m := range dials[i].Moves {
		if op := m.op(d.Layer(g.ID), o.Value); op != nil { // two may move parts of one coat
			if err := set(op); err != nil {
				return nil, "", fmt.Errorf("layer %q: dial %q: %w", g.Name, o.Dial, err)
			}
		}
	}
	if len(inverse.Ops) == 1 {
		return nil, "", fmt.Errorf(
			"layer %q: nothing that the dial %q moves is there any more; delete it, or make it anew", g.Name, o.Dial,
		)
	}
	inverse.Label = fmt.Sprintf("%s: %s %.2g → %.2g", g.Name, o.Dial, was, o.Value)
	return inverse, inverse.Label, nil
}

// op sets what a move moves, for a dial at v; nil when it is not in the group any more.
func (m Move) op(g *Layer, v float64) Op {
	l := g.find(m.Layer)
	if l == nil {
		return nil
	}
	if m.Step != "" {
		if s, _, _ := l.Step(m.Step); s == nil {
			return nil
		}
		return SetStep{Target: l.ID, StepID: m.Step, Path: m.Path, Value: m.value(v)}
	}
	ch, part, ok := strings.Cut(strings.TrimPrefix(m.Path, channelPath), ".")
	if !strings.HasPrefix(m.Path, channelPath) || !ok {
		return SetLayer{Target: l.ID, Path: m.Path, Value: m.value(v)}
	}
	coat, on := l.Channels[Channel(ch)]
	if !on {
		return nil
	}
	switch part {
	case "value":
		coat.Value = nil
		for _, x := range m.At(v) {
			coat.Value = append(coat.Value, float32(x))
		}
	case "amount":
		coat.Amount = float32(m.At(v)[0])
	default:
		return nil
	}
	return SetLayer{Target: l.ID, Path: channelPath + ch, Value: raw(coat)}
}

// find returns the group or a layer inside it.
func (l *Layer) find(id string) *Layer {
	if l.ID == id {
		return l
	}
	for _, k := range l.Layers {
		if f := k.find(id); f != nil {
			return f
		}
	}
	return nil
}
