package stack_test

import (
	"encoding/json"
	"math"
	"strings"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// plaque is a decal as a page sets it.
func plaque(id string) *stack.Decal {
	return &stack.Decal{ID: id, Name: "Plaque " + id, Text: "LOW WICK", Nrm: [3]float32{0, 0, 1}, Up: [3]float32{0, 1, 0}, Wide: 0.2, Depth: 0.05, Facing: 70, Amount: 1}
}

// The decals of a layer keep their order, are changed whole, and everything is taken back to the
// byte.
func TestDecalsAreSetMovedAndTakenBack(t *testing.T) {
	d := do(t, start(t), stack.AddLayer{Index: -1, Layer: &stack.Layer{ID: "labels", Name: "Labels", Kind: stack.Decals, Visible: true, Amount: 1}})
	order := func(d *stack.Document) (out string) {
		for _, c := range d.Layer("labels").Decals {
			out += c.ID
		}
		return out
	}
	larger := plaque("b")
	larger.Wide, larger.Row = 0.6, &stack.DecalRow{Kind: "axis", Count: 5, Axis: [3]float32{0, 1, 0}}
	for _, c := range []struct {
		op   stack.Op
		want string
	}{
		{stack.AddDecal{Target: "labels", Index: -1, Decal: plaque("a")}, "a"},
		{stack.AddDecal{Target: "labels", Index: -1, Decal: plaque("b")}, "ab"},
		{stack.AddDecal{Target: "labels", Index: 0, Decal: plaque("c")}, "cab"},
		{stack.MoveDecal{Target: "labels", Decal: "c", Index: -1}, "abc"},
		{stack.SetDecal{Target: "labels", Decal: larger, Label: "Larger"}, "abc"},
		{stack.RemoveDecal{Target: "labels", Decal: "a"}, "bc"},
	} {
		before, _ := d.Encode(true)
		next, inverse, label, err := step.Rules.Apply(d, c.op)
		if err != nil || label == "" || order(next) != c.want {
			t.Fatalf("%s: %v, %q, %s", c.op.Kind(), err, label, order(next))
		}
		back, _, _, err := step.Rules.Apply(next, inverse)
		if err != nil {
			t.Fatal(err)
		}
		if again, _ := back.Encode(true); string(again) != string(before) {
			t.Errorf("%s is not taken back exactly", c.op.Kind())
		}
		d = next
	}
	if got := d.Layer("labels").Decals[0]; got.Wide != 0.6 || got.Row.Count != 5 {
		t.Errorf("it was changed to %+v", got)
	}
}

// What cannot be is refused, with the decal and what is wrong with it.
func TestDecalsThatAreRefused(t *testing.T) {
	d := do(t, start(t), stack.AddLayer{Index: -1, Layer: &stack.Layer{ID: "labels", Name: "Labels", Kind: stack.Decals, Visible: true, Amount: 1, Decals: []*stack.Decal{plaque("there")}}})
	for want, change := range map[string]func(c *stack.Decal){
		"its width is 0 m":                        func(c *stack.Decal) { c.Wide = 0 },
		"its width is NaN":                        func(c *stack.Decal) { c.Wide = float32(math.NaN()) },
		"its depth is -1":                         func(c *stack.Decal) { c.Depth = -1 },
		"is no direction":                         func(c *stack.Decal) { c.Nrm = [3]float32{} },
		"a picture and words":                     func(c *stack.Decal) { c.Picture = "p" },
		"longer than 200 letters":                 func(c *stack.Decal) { c.Text = strings.Repeat("ä", 201) },
		"eight lines":                             func(c *stack.Decal) { c.Text = strings.Repeat("\n", 9) },
		`there is no font "gothic"`:               func(c *stack.Decal) { c.Font = "gothic" },
		`what covers, "half"`:                     func(c *stack.Decal) { c.Cover = "half" },
		"faces up to 0 degrees":                   func(c *stack.Decal) { c.Facing = 0 },
		"amount is 2":                             func(c *stack.Decal) { c.Amount = 2 },
		"no usable number":                        func(c *stack.Decal) { c.Pos[1] = float32(math.Inf(1)) },
		"is repeated 900 times":                   func(c *stack.Decal) { c.Row = &stack.DecalRow{Kind: "row", Count: 900} },
		`repeated as "pile"`:                      func(c *stack.Decal) { c.Row = &stack.DecalRow{Kind: "pile", Count: 3} },
		"its axis is no direction":                func(c *stack.Decal) { c.Row = &stack.DecalRow{Kind: "axis", Count: 3} },
		"2 of it has flaked off":                  func(c *stack.Decal) { c.Worn = 2 },
		"its seed is -1":                          func(c *stack.Decal) { c.Seed = -1 },
		"by hand is a noise step":                 func(c *stack.Decal) { c.Hand = &stack.Step{ID: "n", Kind: "noise"} },
		`it can be a hand step "decal:new" alone`: func(c *stack.Decal) { c.Hand = &stack.Step{ID: "n", Kind: "hand", On: true} },
		"its line has 6 numbers":                  func(c *stack.Decal) { c.Row = &stack.DecalRow{Kind: "line", Count: 3, Line: make([]float32, 6)} },
		"no usable place": func(c *stack.Decal) {
			c.Row = &stack.DecalRow{Kind: "line", Count: 3, Line: append(make([]float32, 11), float32(math.NaN()))}
		},
		`the id "there" is used`: func(c *stack.Decal) { c.ID = "there" },
		`the id "" is empty`:     func(c *stack.Decal) { c.ID = "" },
	} {
		c := plaque("new")
		change(c)
		if _, _, _, err := step.Rules.Apply(d, stack.AddDecal{Target: "labels", Index: -1, Decal: c}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q was expected, got %v", want, err)
		}
	}
	for want, op := range map[string]stack.Op{
		"is no decal layer":   stack.AddDecal{Target: "a", Index: -1, Decal: plaque("x")},
		"has no decal":        stack.SetDecal{Target: "labels", Decal: plaque("gone")},
		"has no decal \"no\"": stack.RemoveDecal{Target: "labels", Decal: "no"},
		"decal.add has no":    stack.AddDecal{Target: "labels"},
		"decal.set has no":    stack.SetDecal{Target: "labels"},
		"cannot hold decals":  stack.AddLayer{Index: -1, Layer: &stack.Layer{ID: "q", Name: "Q", Kind: stack.Fill, Visible: true, Amount: 1, Decals: []*stack.Decal{plaque("x")}}},
		"decal 1 is null":     stack.AddLayer{Index: -1, Layer: &stack.Layer{ID: "q", Name: "Q", Kind: stack.Decals, Visible: true, Amount: 1, Decals: []*stack.Decal{nil}}},
		"the source":          stack.SetLayer{Target: "labels", Path: "channels.roughness", Value: json.RawMessage(`{"on":true,"value":[0.5],"amount":1,"source":"luck"}`)},
	} {
		if _, _, _, err := step.Rules.Apply(d, op); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q was expected, got %v", want, err)
		}
	}
	// a locked one is not changed until it is unlocked, and can be in one go
	locked := plaque("there")
	locked.Locked = true
	d = do(t, d, stack.SetDecal{Target: "labels", Decal: locked})
	moved := *locked
	moved.Pos[0] = 1
	if _, _, _, err := step.Rules.Apply(d, stack.SetDecal{Target: "labels", Decal: &moved}); err == nil || !strings.Contains(err.Error(), "unlock it first") {
		t.Errorf("a locked decal is moved: %v", err)
	}
	moved.Locked = false
	if got := do(t, d, stack.SetDecal{Target: "labels", Decal: &moved}).Layer("labels").Decals[0]; got.Pos[0] != 1 {
		t.Error("an unlocked decal is not moved")
	}
}

// What was taken off a decal by hand stays on it when it is moved, by who does not know the
// strokes, goes with it when it is taken away, and comes back with it, over the form that is kept.
func TestADecalIsErasedByHand(t *testing.T) {
	d := do(t, start(t), stack.AddLayer{Index: -1, Layer: &stack.Layer{ID: "labels", Name: "Labels", Kind: stack.Decals, Visible: true, Amount: 1, Decals: []*stack.Decal{plaque("p"), plaque("q")}}})
	s := &brush.Stroke{ID: "s1", Radius: 0.1, Strength: 1, Erase: true, Points: brush.Points{{Nrm: geom.V3(0, 0, 1), Pressure: 1}}}
	untouched := text(t, d)
	d = do(t, d, stack.AddStroke{Target: "labels", StepID: "decal:p", StrokeID: "s1", Index: -1, Stroke: s})
	if again := text(t, do(t, d, stack.RemoveStroke{Target: "labels", StepID: "decal:p", StrokeID: "s1"})); again != untouched {
		t.Errorf("the only stroke is not taken back:\n%s", again)
	}
	held := func(d *stack.Document) int { return len(d.Layer("labels").Decals[0].Hand.Strokes) }
	if held(d) != 1 || len(d.Strokes()) != 1 {
		t.Fatalf("the hand holds %d strokes, the document %d", held(d), len(d.Strokes()))
	}
	if told := d.WithoutStrokes(); held(told) != 0 || held(d) != 1 {
		t.Error("what is told has strokes, or telling took them away")
	}
	moved := *d.WithoutStrokes().Layer("labels").Decals[0]
	moved.Pos[0] = 3
	bare := moved
	bare.Hand = nil
	before := text(t, d)
	keeps := map[string]int{"move": 1, "unaware": 1}
	for name, op := range map[string]stack.Op{
		"move":      stack.SetDecal{Target: "labels", Decal: &moved},
		"take off":  stack.RemoveDecal{Target: "labels", Decal: "p"},
		"unaware":   stack.SetDecal{Target: "labels", Decal: &bare},
		"whole":     stack.SetDecal{Target: "labels", Decal: &bare, Whole: true},
		"take back": stack.RemoveStroke{Target: "labels", StepID: "decal:p", StrokeID: "s1"},
	} {
		next, inverse, _, err := step.Rules.Apply(d, op)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if n := len(next.Strokes()); keeps[name] != n || name == "move" && next.Layer("labels").Decals[0].Pos[0] != 3 {
			t.Errorf("%s leaves %d strokes", name, n)
		}
		b, err := stack.EncodeOp(inverse)
		if err != nil {
			t.Fatal(err)
		}
		back, err := stack.DecodeOp(b, d.Strokes())
		if err != nil {
			t.Fatal(err)
		}
		if again := text(t, do(t, next, back)); again != before {
			t.Errorf("%s is not taken back:\n%s\nbefore\n%s", name, again, before)
		}
	}
	copied := do(t, d, stack.CopyLayer{Target: "labels", Index: -1, Layer: &stack.Layer{ID: "copy", Name: "Copy"}})
	if n := len(copied.Layer("copy").Decals[0].Hand.Strokes); n != 1 {
		t.Errorf("a copy of the layer has %d strokes on its decal", n)
	}
	for want, op := range map[string]stack.Op{
		"change the decal": stack.RemoveStep{Target: "labels", StepID: "decal:p"},
		"has no stream":    stack.AddStep{Target: "labels", Path: stack.InDecal + "p", Index: -1, Step: &stack.Step{ID: "n", Kind: "hand", On: true}},
	} {
		if _, _, _, err := step.Rules.Apply(d, op); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q was expected, got %v", want, err)
		}
	}
}
