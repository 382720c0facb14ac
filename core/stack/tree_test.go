package stack_test

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// grouped is: a, g{b, inner{c}}, d. b has a hand step, c a channel made of a stream
// with a bundle in it.
func grouped(t *testing.T) *stack.Document {
	t.Helper()
	d := start(t)
	add := func(parent string, l *stack.Layer) {
		l.Name, l.Visible, l.Amount = "Coat "+l.ID, true, 1
		d = do(t, d, stack.AddLayer{Parent: parent, Index: -1, Layer: l})
	}
	add("", &stack.Layer{ID: "g", Kind: stack.Group})
	add("g", &stack.Layer{ID: "inner", Kind: stack.Group})
	add("", &stack.Layer{ID: "d", Kind: stack.Fill})
	d = do(t, d, stack.MoveLayer{Target: "b", Parent: "g", Index: 0})
	d = do(t, d, stack.MoveLayer{Target: "c", Parent: "inner", Index: 0})
	d = do(t, d, stack.SetLayer{Target: "c", Path: "channels.roughness", Value: json.RawMessage(
		`{"on":true,"value":[0.5],"blend":"multiply","amount":1,"stream":[{"id":"s1","kind":"noise","on":true,"amount":1},{"id":"s2","kind":"bundle","on":true,"amount":0.5,"steps":[{"id":"s3","kind":"hand","on":true,"amount":1}]}]}`)})
	return do(t, d, stack.AddStroke{Target: "c", StepID: "s3", StrokeID: "deep", Stroke: aStroke("deep"), Index: -1})
}

// shape writes the tree as a(b c) with ids.
func shape(list []*stack.Layer) string {
	var out []string
	for _, l := range list {
		s := l.ID
		if l.Kind == stack.Group {
			s += "(" + shape(l.Layers) + ")"
		}
		out = append(out, s)
	}
	return strings.Join(out, " ")
}

var treeOps = []struct {
	op    stack.Op
	after string // the tree, when the operation changes it
}{
	{stack.MoveLayer{Target: "a", Parent: "inner", Index: -1}, "g(b inner(c a)) d"},
	{stack.MoveLayer{Target: "c", Parent: "", Index: 0}, "c a g(b inner()) d"},
	{stack.MoveLayer{Target: "b", Parent: "g", Index: 1}, "a g(inner(c) b) d"},
	{stack.RemoveLayer{Target: "g"}, "a d"},
	{stack.CopyLayer{Target: "g", Index: 2, Layer: &stack.Layer{ID: "k", Name: "Copy"}}, "a g(b inner(c)) k(k.1 k.2(k.3)) d"},
	{stack.AddLayer{Parent: "inner", Index: 0, Layer: &stack.Layer{ID: "n", Name: "New", Kind: stack.Fill, Amount: 1}}, "a g(b inner(n c)) d"},
	{stack.SetLayer{Target: "inner", Path: "isolated", Value: json.RawMessage(`true`)}, ""},
	{stack.SetLayer{Target: "inner", Path: "made", Value: json.RawMessage(`{"name":"Tar","seed":7}`)}, ""},
	{stack.SetLayer{Target: "g", Path: "blend", Value: json.RawMessage(`"screen"`)}, ""},
	{stack.SetLayer{Target: "c", Path: "locked", Value: json.RawMessage(`true`)}, ""},
	{stack.SetLayer{Target: "c", Path: "channels.roughness", Value: json.RawMessage(`{"on":true,"value":[0.1],"amount":1}`)}, ""},
	{stack.SetLayer{Target: "c", Path: "channels.roughness", Value: json.RawMessage(`null`)}, ""},
	{stack.AddStep{Target: "c", Path: "step:s2", Index: 0, Step: &stack.Step{ID: "n1", Kind: "noise", On: true, Amount: 1}}, ""},
	{stack.MoveStep{Target: "c", StepID: "s3", Path: "mask", Index: 0}, ""},
	{stack.MoveStep{Target: "c", StepID: "s1", Path: "step:s2", Index: 1}, ""},
	{stack.SetStep{Target: "c", StepID: "s3", Path: "name", Value: json.RawMessage(`"Thumb"`)}, ""},
	{stack.RemoveStep{Target: "c", StepID: "s2"}, ""},
	{stack.AddStroke{Target: "c", StepID: "s3", StrokeID: "more", Stroke: aStroke("more"), Index: 0}, ""},
	{stack.SetStroke{Target: "c", StepID: "s3", StrokeID: "deep", By: "deeper", Label: "pull stroke", Stroke: aStroke("deeper")}, ""},
	{stack.Batch{Ops: stack.Ops{stack.AddStroke{Target: "c", StepID: "s3", StrokeID: "more", Stroke: aStroke("more"), Index: 0},
		stack.MoveStroke{Target: "c", StepID: "s3", StrokeID: "more", Index: -1}}}, ""},
	{stack.SetLight{Light: "linear"}, ""},
	{stack.AddChannel{Index: -1, Channel: stack.AddedChannel{Channel: "added.wet", Label: "wetness", Color: false}}, ""},
	{stack.Batch{Ops: stack.Ops{stack.AddChannel{Index: -1, Channel: stack.AddedChannel{Channel: "added.w", Label: "w", Color: true}},
		stack.SetLayer{Target: "d", Path: "channels.added.w", Value: json.RawMessage(`{"on":true,"value":[1,0,0],"amount":1}`)}, stack.RemoveChannel{Target: "added.w"}}}, ""},
}

func TestTreeOperationsCanBeTakenBack(t *testing.T) {
	for _, c := range treeOps {
		d := grouped(t)
		before := text(t, d)
		next, inverse, label, err := step.Rules.Apply(d, c.op)
		if err != nil {
			t.Errorf("%s: %v", said(c.op), err)
			continue
		}
		if text(t, d) != before {
			t.Errorf("%s changed the document in place", said(c.op))
		}
		if c.after != "" && shape(next.Layers) != c.after {
			t.Errorf("%s: %s, want %s", c.op.Kind(), shape(next.Layers), c.after)
		}
		// both go through JSON, as in the database; strokes are found by id
		b, _ := stack.EncodeOp(inverse)
		back, err := stack.DecodeOp(b, merge(d.Strokes(), next.Strokes()))
		if err != nil || label == "" {
			t.Fatalf("%s: %v, label %q", said(c.op), err, label)
		}
		if d, _, _, err = step.Rules.Apply(next, back); err != nil {
			t.Errorf("%s: taking it back: %v", c.op.Kind(), err)
		} else if text(t, d) != before {
			t.Errorf("%s is not taken back:\n%s\n%s", said(c.op), text(t, d), before)
		}
	}
}

func merge(a, b map[string]*brush.Stroke) map[string]*brush.Stroke {
	for k, v := range b {
		a[k] = v
	}
	return a
}

func TestRefusals(t *testing.T) {
	follow := func(id, layer, what string) *stack.Step {
		return &stack.Step{ID: id, Kind: stack.Follow, On: true, Amount: 1, Params: map[string]any{"layer": layer, "what": what}}
	}
	addTo := func(target string, s *stack.Step) stack.Op {
		return stack.AddStep{Target: target, Index: -1, Step: s}
	}
	gone := stack.RemoveLayer{Target: "a"}
	lock := stack.SetLayer{Target: "g", Path: "locked", Value: json.RawMessage(`true`)}
	for _, c := range []struct {
		name string
		ops  []stack.Op
		want []string // words that the refusal holds
	}{
		{"a layer follows itself", []stack.Op{addTo("a", follow("f", "a", "mask"))}, []string{`"Coat a"`, "itself"}},
		{"two follow each other", []stack.Op{addTo("a", follow("f", "d", "mask")), addTo("d", follow("f", "a", "mask"))}, []string{`"Coat a"`, `"Coat d"`, "loop"}},
		{"below follows above that follows below", []stack.Op{addTo("d", follow("f", stack.Below, "roughness")), addTo("a", follow("f", "d", "mask"))}, []string{`"Coat a"`, `"Coat d"`}},
		{"what is followed is not there", []stack.Op{addTo("a", follow("f", "gone", "mask"))}, []string{`"Coat a"`, "not there"}},
		{"a followed layer is deleted", []stack.Op{addTo("d", follow("f", "a", "mask")), gone}, []string{`"Coat d"`, "not there"}},
		{"a group goes into itself", []stack.Op{stack.MoveLayer{Target: "g", Parent: "inner", Index: 0}}, []string{"itself"}},
		{"a bundle goes into itself", []stack.Op{stack.MoveStep{Target: "c", StepID: "s2", Path: "step:s2", Index: 0}}, []string{"itself"}},
		{"a locked group's layer changes", []stack.Op{lock, stack.SetLayer{Target: "c", Path: "amount", Value: json.RawMessage(`0.2`)}}, []string{`"Coat g"`, "locked", "unlock"}},
		{"something is put into a locked group", []stack.Op{lock, stack.MoveLayer{Target: "a", Parent: "g", Index: 0}}, []string{"locked"}},
		{"a mode that the channel cannot have", []stack.Op{stack.SetLayer{Target: "a", Path: "channels.height", Value: json.RawMessage(`{"on":true,"value":[0],"blend":"multiply","amount":1}`)}}, []string{"height", "multiply"}},
		{"a channel of nobody", []stack.Op{stack.SetLayer{Target: "a", Path: "channels.added.no", Value: json.RawMessage(`{"on":true,"value":[0],"amount":1}`)}}, []string{"added.no"}},
		{"a light that is none", []stack.Op{stack.SetLight{Light: "warm"}}, []string{"warm"}},
		{"a stream of a channel that is off", []stack.Op{stack.AddStep{Target: "a", Path: "metallic", Index: 0, Step: &stack.Step{ID: "x", Kind: "noise", Amount: 1}}}, []string{"metallic", "switch it on"}},
	} {
		d := grouped(t)
		var err error
		for i, op := range c.ops {
			var next *stack.Document
			if next, _, _, err = step.Rules.Apply(d, op); err == nil {
				d = next
			} else if i < len(c.ops)-1 {
				t.Fatalf("%s: already %s is refused: %v", c.name, op.Kind(), err)
			}
		}
		if err == nil {
			t.Errorf("%s is not refused", c.name)
			continue
		}
		for _, w := range c.want {
			if !strings.Contains(err.Error(), w) {
				t.Errorf("%s: %q does not say %s", c.name, err, w)
			}
		}
	}
}

// What is followed may lie anywhere, as long as there is no way round: a mask may
// read its own layer's height, and a layer above may read one below that reads
// another.
func TestFollowingWithoutALoop(t *testing.T) {
	d := grouped(t)
	for target, layer := range map[string]string{"a": "c", "d": stack.Below, "c": "b"} {
		what := "mask"
		if layer == stack.Below {
			what = "roughness"
		}
		d = do(t, d, stack.AddStep{Target: target, Index: -1, Step: &stack.Step{ID: "f", Kind: stack.Follow, On: true, Amount: 1, Params: map[string]any{"layer": layer, "what": what}}})
	}
	d = do(t, d, stack.AddStep{Target: "b", Index: -1, Step: &stack.Step{ID: "own", Kind: stack.Follow, On: true, Amount: 1, Params: map[string]any{"layer": "b", "what": "roughness"}}})
	if _, err := d.Encode(true); err != nil {
		t.Fatal(err)
	}
}

func TestACopyOfAGroupFollowsItsOwn(t *testing.T) {
	d := grouped(t)
	d = do(t, d, stack.AddStep{Target: "b", Index: -1, Step: &stack.Step{ID: "f", Kind: stack.Follow, On: true, Amount: 1, Params: map[string]any{"layer": "c", "what": "mask"}}})
	d = do(t, d, stack.CopyLayer{Target: "g", Index: -1, Layer: &stack.Layer{ID: "k", Name: "Copy"}})
	s, stream, _ := d.Layer("k.1").Step("f")
	if layer, _ := s.Sources(); layer != "k.3" || stream != stack.MaskStream {
		t.Fatalf("the copy follows %s in %s, not the copy of what it followed", layer, stream)
	}
	if s, _, _ := d.Layer("b").Step("f"); s.Params["layer"] != "c" {
		t.Fatal("the original follows the copy")
	}
	if n := len(d.Layer("k.3").Channels["roughness"].Stream[1].Steps[0].Strokes); n != 1 {
		t.Fatalf("the copy's hand step has %d strokes", n)
	}
}

// The page sends a channel back without its strokes: they must not get lost.
func TestAChannelThatIsSetKeepsItsStrokes(t *testing.T) {
	d := grouped(t)
	shown, _ := json.Marshal(d.WithoutStrokes().Layer("c").Channels["roughness"])
	if strings.Contains(string(shown), "deep") {
		t.Fatal("strokes are shown")
	}
	d = do(t, d, stack.SetLayer{Target: "c", Path: "channels.roughness", Value: json.RawMessage(strings.Replace(string(shown), "multiply", "screen", 1))})
	c := d.Layer("c").Channels["roughness"]
	if c.Blend != "screen" || len(c.Stream[1].Steps[0].Strokes) != 1 {
		t.Fatalf("blend %s, strokes %v", c.Blend, c.Stream[1].Steps[0].StrokeID)
	}
}

func TestAloneAndPlaces(t *testing.T) {
	d := grouped(t)
	alone := d.Alone("c")
	var shows, all []string
	alone.Walk(func(l *stack.Layer, around []*stack.Layer) {
		all = append(all, l.ID)
		if l.Visible && !slices.ContainsFunc(around, func(g *stack.Layer) bool { return !g.Visible }) {
			shows = append(shows, l.ID)
		}
	})
	if !slices.Equal(shows, []string{"g", "inner", "c"}) || !slices.Equal(all, []string{"a", "g", "b", "inner", "c", "d"}) {
		t.Errorf("of c alone %v show, of %v", shows, all)
	}
	if l := d.Layer("a"); !l.Visible {
		t.Error("the document itself was changed")
	}
	if err := step.Rules.Check(alone); err != nil {
		t.Errorf("c alone is no document: %v", err)
	}
	parent, index, ok := d.Place("inner")
	if parent != "g" || index != 1 || !ok {
		t.Errorf("inner lies in %q at %d", parent, index)
	}
	if _, _, ok := d.Place("nobody"); ok {
		t.Error("nobody has a place")
	}
	var order []string
	d.Walk(func(l *stack.Layer, around []*stack.Layer) {
		order = append(order, l.ID+strings.Repeat("'", len(around)))
	})
	if !slices.Equal(order, []string{"a", "g", "b'", "inner'", "c''", "d"}) {
		t.Errorf("walked %v", order)
	}
}
