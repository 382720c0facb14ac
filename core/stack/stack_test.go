package stack_test

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
	_ "velvetgrime/core/step"
)

func start(t *testing.T) *stack.Document {
	t.Helper()
	d := stack.New([]string{"Hull"}, 1024)
	for _, id := range []string{"a", "b", "c"} {
		d = do(t, d, stack.Op{Kind: "layer.add", Index: -1, Layer: &stack.Layer{ID: id, Name: "Coat " + id, Kind: stack.Fill, Visible: true, Amount: 1,
			Channels: map[stack.Channel]stack.Coat{stack.Roughness: {On: true, Value: []float32{0.42}, Amount: 1}}}})
	}
	return do(t, d, stack.Op{Kind: "step.add", Target: "b", Index: -1, Step: &stack.Step{ID: "h", Kind: "hand", On: true, Amount: 1}})
}

func do(t *testing.T, d *stack.Document, op stack.Op) *stack.Document {
	t.Helper()
	next, _, _, err := d.Apply(op)
	if err != nil {
		t.Fatalf("%s: %v", op.Kind, err)
	}
	return next
}

func text(t *testing.T, d *stack.Document) string {
	t.Helper()
	b, err := d.Encode(true)
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

func aStroke(id string) *brush.Stroke {
	return &brush.Stroke{ID: id, Radius: 0.01, Strength: 1, Values: map[string][]float32{"mask": {0}}, Points: brush.Points{{Pos: geom.V3(1, 2, 3), Nrm: geom.V3(0, 1, 0), Pressure: 1}}}
}

func steps(id string) []*stack.Step { return []*stack.Step{{ID: id}} }

var ops = []stack.Op{
	{Kind: "layer.add", Index: 1, Layer: &stack.Layer{ID: "n", Name: "New", Kind: stack.Paint, Amount: 1}},
	{Kind: "layer.remove", Target: "b"},
	{Kind: "layer.move", Target: "a", Index: 2},
	{Kind: "layer.copy", Target: "b", Index: 2, Layer: &stack.Layer{ID: "b2", Name: "Copy", Mask: steps("h2")}},
	{Kind: "layer.set", Target: "a", Path: "name", Value: json.RawMessage(`"Tar"`)},
	{Kind: "layer.set", Target: "a", Path: "visible", Value: json.RawMessage(`false`)},
	{Kind: "layer.set", Target: "a", Path: "amount", Value: json.RawMessage(`0.3`)},
	{Kind: "layer.set", Target: "a", Path: "reach", Value: json.RawMessage(`{"sheets":["Hull"]}`)},
	{Kind: "layer.set", Target: "a", Path: "channels.roughness", Value: json.RawMessage(`{"on":true,"value":[0.31],"blend":"multiply","amount":1}`)},
	{Kind: "layer.set", Target: "a", Path: "channels.height", Value: json.RawMessage(`{"on":true,"value":[0.001],"blend":"add","amount":1}`)},
	{Kind: "step.add", Target: "b", Index: 0, Step: &stack.Step{ID: "n1", Kind: "noise", On: true, Amount: 1}},
	{Kind: "step.remove", Target: "b", StepID: "h"},
	{Kind: "step.set", Target: "b", StepID: "h", Path: "on", Value: json.RawMessage(`false`)},
	{Kind: "stroke.add", Target: "b", StepID: "h", StrokeID: "s", Stroke: aStroke("s"), Index: -1},
	{Kind: "sheet.size", Target: "Hull", Value: json.RawMessage(`2048`)},
	{Kind: "batch", Ops: []stack.Op{{Kind: "layer.remove", Target: "a"}, {Kind: "layer.move", Target: "c", Index: 0}}},
}

// Every operation leaves the old document as it was, says what it did, survives
// being written as JSON, and is taken back by its inverse exactly.
func TestEveryOperationCanBeTakenBack(t *testing.T) {
	for _, op := range ops {
		d := start(t)
		d = do(t, d, stack.Op{Kind: "stroke.add", Target: "b", StepID: "h", StrokeID: "old", Stroke: aStroke("old"), Index: -1})
		before := text(t, d)
		next, inverse, label, err := d.Apply(op)
		if err != nil {
			t.Errorf("%s %s: %v", op.Kind, op.Path, err)
			continue
		}
		if text(t, d) != before {
			t.Errorf("%s %s changed the old document", op.Kind, op.Path)
		}
		if text(t, next) == before || label == "" {
			t.Errorf("%s %s did nothing or has no label", op.Kind, op.Path)
		}
		b, _ := json.Marshal(inverse)
		var read stack.Op
		if err := json.Unmarshal(b, &read); err != nil {
			t.Fatal(err)
		}
		read.Carry(map[string]*brush.Stroke{"old": aStroke("old"), "s": aStroke("s")})
		back, _, _, err := next.Apply(read)
		if err != nil {
			t.Errorf("undo of %s %s: %v", op.Kind, op.Path, err)
			continue
		}
		if got := text(t, back); got != before {
			t.Errorf("undo of %s %s left\n%s\nwant\n%s", op.Kind, op.Path, got, before)
		}
	}
}

func TestLabelsAreReadable(t *testing.T) {
	_, _, label, err := start(t).Apply(ops[8])
	if err != nil || label != "Coat a: roughness 0.42 → 0.31" {
		t.Fatalf("label %q, error %v", label, err)
	}
}

func TestRefusalsNameTheThing(t *testing.T) {
	for _, c := range []struct {
		op   stack.Op
		want string
	}{
		{stack.Op{Kind: "layer.set", Target: "zz", Path: "name", Value: json.RawMessage(`"x"`)}, `no layer with the id "zz"`},
		{stack.Op{Kind: "layer.set", Target: "a", Path: "amount", Value: json.RawMessage(`7`)}, `layer "Coat a": amount is 7`},
		{stack.Op{Kind: "layer.set", Target: "a", Path: "channels.roughness", Value: json.RawMessage(`{"on":true,"value":[2],"amount":1}`)}, "roughness: 2 lies outside"},
		{stack.Op{Kind: "layer.set", Target: "a", Path: "channels.roughness", Value: json.RawMessage(`{"on":true,"value":[1],"blend":"hue","amount":1}`)}, `blend mode "hue"`},
		{stack.Op{Kind: "step.add", Target: "a", Step: &stack.Step{ID: "q", Kind: "sparkle", Amount: 1}}, `step 1 (sparkle): there is no such step`},
		{stack.Op{Kind: "step.add", Target: "a", Step: &stack.Step{ID: "q", Kind: "noise", Amount: 1, Params: map[string]any{"octaves": 99.0}}}, "octaves: 99 lies outside 1 to 12"},
		{stack.Op{Kind: "stroke.add", Target: "a", StrokeID: "s", Stroke: aStroke("s"), Index: -1}, "is a fill layer"},
		{stack.Op{Kind: "sheet.size", Target: "Hull", Value: json.RawMessage(`1000`)}, "not a power of two"},
		{stack.Op{Kind: "layer.shine", Target: "a"}, `"layer.shine" is unknown`},
		{stack.Op{Kind: "batch", Ops: []stack.Op{{Kind: "layer.remove", Target: "a"}, {Kind: "layer.remove", Target: "a"}}}, "no layer"},
	} {
		_, _, _, err := start(t).Apply(c.op)
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: error %v does not say %q", c.op.Kind, err, c.want)
		}
	}
}

func TestDocumentRoundTripWithStrokes(t *testing.T) {
	d := do(t, start(t), stack.Op{Kind: "stroke.add", Target: "b", StepID: "h", StrokeID: "s", Stroke: aStroke("s"), Index: -1})
	b, _ := d.Encode(true)
	back, err := stack.Decode(b, nil)
	if err != nil {
		t.Fatal(err)
	}
	again, _ := back.Encode(true)
	if !bytes.Equal(b, again) {
		t.Fatalf("came back as\n%s", again)
	}
	without, _ := d.Encode(false)
	if _, err := stack.Decode(without, nil); err == nil || !strings.Contains(err.Error(), `stroke "s" is missing`) {
		t.Fatalf("a missing stroke is not named: %v", err)
	}
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte(`{"format":"velvetgrime.document","version":1,"layers":[{"id":"a","kind":"fill","mask":[{"id":"n","kind":"noise"}]}]}`))
	f.Add([]byte(`{"format":"velvetgrime.document","version":1,"layers":[null]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		d, err := stack.Decode(data, nil)
		if err == nil && d.Check() != nil {
			t.Fatal("an accepted document does not pass its own check")
		}
	})
}
