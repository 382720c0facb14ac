package stack

import (
	"math"
	"strings"
	"testing"
)

// dialled is a group of two coats with a dial that moves a colour, an amount of the same
// coat, a layer's amount and a step's parameter, half of them on a bend.
func dialled() *Document {
	d := New([]string{"Hull"}, 512)
	coat := func(id string) *Layer {
		return &Layer{ID: id, Name: id, Kind: Fill, Visible: true, Amount: 1, Channels: map[Channel]Coat{
			BaseColor: {On: true, Value: []float32{0, 0, 0}, Amount: 1},
		}, Mask: []*Step{{ID: "n", Kind: "noise", On: true, Amount: 1, Params: map[string]any{"frequency": 4.0}}}}
	}
	d.Layers = []*Layer{{
		ID: "g", Name: "Tar", Kind: Group, Visible: true, Amount: 1, Layers: []*Layer{coat("a"), coat("b")},
		Dials: []Dial{{Name: "how worn", Value: 0.5, Usual: 0.5, Moves: []Move{
			{Layer: "a", Path: "channels.baseColor.value", From: []float64{0, 0.2, 1}, To: []float64{1, 0.4, 0}},
			{Layer: "a", Path: "channels.baseColor.amount", From: []float64{1}, To: []float64{0.5}},
			{Layer: "b", Path: "amount", From: []float64{0}, To: []float64{1}, Bend: 2},
			{Layer: "b", Step: "n", Path: "params.frequency", From: []float64{2}, To: []float64{10}},
			{Layer: "gone", Path: "amount", From: []float64{0}, To: []float64{1}},
		}}},
	}}
	return d
}

// Turning a dial is one operation, sets all that it moves, and is taken back to the last bit.
func TestTurningADial(t *testing.T) {
	d := dialled()
	before, _ := d.Encode(false)
	n, inverse, label, err := Rules{}.Apply(d, TurnDial{Target: "g", Dial: "how worn", Value: 0.25})
	if err != nil || label != "Tar: how worn 0.5 → 0.25" {
		t.Fatal(label, err)
	}
	g := n.Layer("g")
	c := n.Layer("a").Channels[BaseColor]
	for i, want := range []float32{0.25, 0.25, 0.75} {
		if math.Abs(float64(c.Value[i]-want)) > 1e-6 {
			t.Errorf("the colour is %v", c.Value)
		}
	}
	if c.Amount != 0.875 || n.Layer("b").Amount != 0.0625 || g.Dials[0].Value != 0.25 {
		t.Errorf("amounts %v and %v, the dial at %v", c.Amount, n.Layer("b").Amount, g.Dials[0].Value)
	}
	if v := n.Layer("b").Mask[0].Params["frequency"]; v != 4.0 {
		t.Errorf("the frequency is %v", v)
	}
	back, _, _, err := Rules{}.Apply(n, inverse)
	if err != nil {
		t.Fatal(err)
	}
	if after, _ := back.Encode(false); string(after) != string(before) {
		t.Errorf("taken back it is\n%s\nand was\n%s", after, before)
	}
}

func TestDialsThatCannotBe(t *testing.T) {
	for what, c := range map[string]struct {
		op   Op
		want string
	}{
		"no such dial":  {TurnDial{Target: "g", Dial: "gloss", Value: 1}, `no dial "gloss"`},
		"no such group": {TurnDial{Target: "x", Dial: "how worn", Value: 1}, "x"},
		"too far":       {TurnDial{Target: "g", Dial: "how worn", Value: 1.5}, "between 0 and 1"},
		"on a coat":     {SetLayer{Target: "a", Path: "dials", Value: raw(dialled().Layers[0].Dials)}, "belong to groups"},
		"of nothing":    {SetLayer{Target: "g", Path: "dials", Value: []byte(`[{"name":"x","value":0,"usual":0,"moves":[]}]`)}, "moves 0 settings"},
		"twice": {SetLayer{Target: "g", Path: "dials", Value: raw(append(dialled().Layers[0].Dials, dialled().Layers[0].Dials...))},
			"two dials are called"},
		"ends that differ": {SetLayer{Target: "g", Path: "dials",
			Value: []byte(`[{"name":"x","value":0,"usual":0,"moves":[{"layer":"a","path":"amount","from":[0],"to":[1,2]}]}]`)}, "as many"},
	} {
		if _, _, _, err := (Rules{}).Apply(dialled(), c.op); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v does not say %q", what, err, c.want)
		}
	}
	d := dialled()
	d.Layers[0].Dials[0].Moves = d.Layers[0].Dials[0].Moves[4:]
	if _, _, _, err := (Rules{}).Apply(d, TurnDial{Target: "g", Dial: "how worn", Value: 1}); err == nil || !strings.Contains(err.Error(), "nothing that the dial") {
		t.Errorf("a dial without anything to move: %v", err)
	}
}

// A copy's dials move the copy.
func TestACopysDialsMoveTheCopy(t *testing.T) {
	d := dialled()
	c := d.Layers[0].Fresh("h")
	for _, m := range c.Dials[0].Moves[:4] {
		if c.find(m.Layer) == nil || d.Layers[0].find(m.Layer) != nil {
			t.Errorf("a move of the copy's dial names layer %q", m.Layer)
		}
	}
	if d.Layers[0].Dials[0].Moves[0].Layer != "a" {
		t.Error("copying changed the first")
	}
}
