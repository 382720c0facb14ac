package stack

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"velvetgrime/core/brush"
)

// AddLayer adds a layer with all that is in it.
type AddLayer struct {
	Parent string `json:"parent,omitempty" doc:"the group's id; empty: the stack itself"`
	Index  int    `json:"index,omitempty" doc:"innermost 0; -1 outermost"`
	Layer  *Layer `json:"layer"`

	Strokes map[string]*brush.Stroke `json:"-"`
}

// Kind implements Op.
func (AddLayer) Kind() string { return "layer.add" }

func (o AddLayer) carry(strokes map[string]*brush.Stroke) Op { o.Strokes = strokes; return o }

func (o AddLayer) apply(d *Document) (Op, string, error) {
	if o.Layer == nil {
		return nil, "", fmt.Errorf("layer.add has no layer")
	}
	l := o.Layer.clone()
	if err := l.attach(func(id string) *brush.Stroke { return o.Strokes[id] }); err != nil {
		return nil, "", err
	}
	if err := d.insert(l, o.Parent, o.Index); err != nil {
		return nil, "", err
	}
	return RemoveLayer{Target: l.ID}, "Add " + l.Name, nil
}

// insert puts a layer into a group or the stack.
func (d *Document) insert(l *Layer, parent string, index int) error {
	list, err := d.children(parent)
	if err != nil {
		return err
	}
	i, err := slot(index, len(list))
	if err != nil {
		return err
	}
	if g := d.Layer(parent); g != nil {
		if err := d.unlocked(g); err != nil {
			return err
		}
	}
	d.setChildren(parent, slices.Insert(slices.Clone(list), i, l))
	return nil
}

// RemoveLayer deletes a layer.
type RemoveLayer struct {
	Target string `json:"target" doc:"the layer's id"`
}

// Kind implements Op.
func (RemoveLayer) Kind() string { return "layer.remove" }

func (o RemoveLayer) layer() string { return o.Target }

func (o RemoveLayer) apply(d *Document) (Op, string, error) {
	l, err := d.layerTo(o.Target)
	if err != nil {
		return nil, "", err
	}
	parent, i, _ := d.Place(l.ID)
	list, _ := d.children(parent)
	d.setChildren(parent, slices.Delete(slices.Clone(list), i, i+1))
	return AddLayer{Parent: parent, Index: i, Layer: l, Strokes: strokesOf(l)}, "Delete " + l.Name, nil
}

// MoveLayer puts a layer elsewhere.
type MoveLayer struct {
	Target string `json:"target" doc:"the layer's id"`
	Parent string `json:"parent,omitempty" doc:"the group's id; empty: the stack itself"`
	Index  int    `json:"index,omitempty" doc:"counted without the layer itself; -1 outermost"`
}

// Kind implements Op.
func (MoveLayer) Kind() string { return "layer.move" }

func (o MoveLayer) layer() string { return o.Target }

func (o MoveLayer) apply(d *Document) (Op, string, error) {
	l, err := d.layerTo(o.Target)
	if err != nil {
		return nil, "", err
	}
	parent, i, _ := d.Place(l.ID)
	for g := o.Parent; g != ""; g, _, _ = d.Place(g) {
		if g == l.ID {
			return nil, "", fmt.Errorf("the group %q cannot be put into itself", l.Name)
		}
	}
	list, _ := d.children(parent)
	d.setChildren(parent, slices.Delete(slices.Clone(list), i, i+1))
	if err := d.insert(l, o.Parent, o.Index); err != nil {
		return nil, "", err
	}
	label := "Move " + l.Name
	if g := d.Layer(o.Parent); g != nil && o.Parent != parent {
		label += " into " + g.Name
	}
	return MoveLayer{Target: o.Target, Parent: parent, Index: i}, label, nil
}

// CopyLayer doubles a layer with all that is in it.
type CopyLayer struct {
	Target string `json:"target" doc:"the layer's id"`
	Parent string `json:"parent,omitempty" doc:"the group's id; empty: the stack itself"`
	Index  int    `json:"index,omitempty" doc:"innermost 0; -1 outermost"`
	Layer  *Layer `json:"layer" doc:"id and name of the copy"`
}

// Kind implements Op.
func (CopyLayer) Kind() string { return "layer.copy" }

func (o CopyLayer) layer() string { return o.Target }

func (o CopyLayer) apply(d *Document) (Op, string, error) {
	l, err := d.layerAt(o.Target) // a locked one may be copied
	if err != nil {
		return nil, "", err
	}
	if o.Layer == nil || o.Layer.ID == "" {
		return nil, "", fmt.Errorf("layer %q: the copy has no id", l.Name)
	}
	c := l.renamed(o.Layer.ID)
	c.Name, c.Locked = o.Layer.Name, false
	if err := d.insert(c, o.Parent, o.Index); err != nil {
		return nil, "", err
	}
	return RemoveLayer{Target: c.ID}, "Double " + l.Name, nil
}

func strokesOf(l *Layer) map[string]*brush.Stroke {
	return (&Document{Layers: []*Layer{l}}).Strokes()
}

// channelPath begins the path of a layer's setting that is its coat of a channel.
const channelPath = "channels."

// SetLayer sets one of a layer's settings.
type SetLayer struct {
	Target string          `json:"target" doc:"the layer's id"`
	Path   string          `json:"path" doc:"name, visible, locked, amount, blend, isolated, reach, dials, made or channels.<channel>"`
	Value  json.RawMessage `json:"value" doc:"of the setting; null takes a channel off"`

	Strokes map[string]*brush.Stroke `json:"-"`
}

// Kind implements Op.
func (SetLayer) Kind() string { return "layer.set" }

func (o SetLayer) layer() string { return o.Target }

func (o SetLayer) carry(strokes map[string]*brush.Stroke) Op { o.Strokes = strokes; return o }

// SetReach returns the operation that sets a layer's reach.
func SetReach(layer string, r Reach) Op { return SetLayer{Target: layer, Path: "reach", Value: raw(r)} }

func (o SetLayer) apply(d *Document) (inverse Op, label string, err error) {
	l, err := d.layerAt(o.Target)
	if err != nil {
		return nil, "", err
	}
	if o.Path != "locked" && o.Path != "visible" { // looking and unlocking stay possible
		if err := d.unlocked(l); err != nil {
			return nil, "", err
		}
	}
	d.Layers, _ = replace(d.Layers, o.Target, func(l *Layer) {
		if ch, ok := strings.CutPrefix(o.Path, channelPath); ok {
			inverse, label, err = l.setCoat(o, Channel(ch), d)
			return
		}
		inverse, label, err = l.set(o)
	})
	return inverse, label, err
}

func (l *Layer) set(o SetLayer) (Op, string, error) {
	inv := o
	inv.Strokes = nil
	name := l.Name
	// the field that is set, and how the ledger tells it
	field, line := any(
		nil,
	), func(old, now string) string { return fmt.Sprintf("%s: %s %s → %s", name, o.Path, old, now) }
	word := func(yes, no string) func(string, string) string {
		return func(_, now string) string { return name + ": " + map[bool]string{true: yes, false: no}[now == "true"] }
	}
	switch o.Path {
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
	case "dials":
		inv.Value = raw(l.Dials)
		l.Dials = nil
		if err := json.Unmarshal(o.Value, &l.Dials); err != nil {
			return nil, "", fmt.Errorf("layer %q: dials: %w", name, err)
		}
		return inv, name + ": dials changed", nil
	case "made":
		inv.Value = raw(l.Made)
		l.Made = nil
		if err := json.Unmarshal(o.Value, &l.Made); err != nil {
			return nil, "", fmt.Errorf("layer %q: what it was made of: %w", name, err)
		}
		return inv, name + ": what it was made of changed", nil
	case "reach":
		inv.Value = raw(l.Reach)
		l.Reach = Reach{}
		if err := json.Unmarshal(o.Value, &l.Reach); err != nil {
			return nil, "", fmt.Errorf("layer %q: reach: %w", name, err)
		}
		return inv, name + ": reach changed", nil
	default:
		return nil, "", fmt.Errorf("layer %q: %s: there is no such setting", name, o.Path)
	}
	inv.Value = raw(field)
	old := shown(inv.Value)
	if err := json.Unmarshal(o.Value, field); err != nil {
		return nil, "", fmt.Errorf("layer %q: %s: %w", name, o.Path, err)
	}
	now := shown(raw(field))
	if o.Path == "blend" { // one way to write normal is to leave it out
		old, now = cmp.Or(old, "normal"), cmp.Or(now, "normal")
	}
	return inv, line(old, now), nil
}

func (l *Layer) setCoat(o SetLayer, ch Channel, d *Document) (Op, string, error) {
	info, ok := d.Info(ch)
	if !ok {
		return nil, "", fmt.Errorf("layer %q: there is no channel %q", l.Name, ch)
	}
	inv := o
	old, had := l.Channels[ch]
	l.Channels = maps.Clone(l.Channels)
	if l.Channels == nil {
		l.Channels = map[Channel]Coat{}
	}
	inv.Value = json.RawMessage("null")
	if had {
		inv.Value, inv.Strokes = raw(old), strokesOf(l)
	}
	if string(o.Value) == "null" {
		if delete(l.Channels, ch); len(l.Channels) == 0 {
			l.Channels = nil
		}
		return inv, fmt.Sprintf("%s: %s off", l.Name, info.Label), nil
	}
	var now Coat
	if err := json.Unmarshal(o.Value, &now); err != nil {
		return nil, "", fmt.Errorf("layer %q: %s: %w", l.Name, info.Label, err)
	}
	// the page knows streams without their strokes: what it sends back keeps them
	byID := strokesOf(l)
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
		return o.Strokes[id]
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
