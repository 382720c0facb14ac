package stack_test

import (
	"bytes"
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

func start(t *testing.T) *stack.Document {
	t.Helper()
	d := stack.New([]string{"Hull"}, 1024)
	for _, id := range []string{"a", "b", "c"} {
		d = do(t, d, stack.AddLayer{Index: -1, Layer: &stack.Layer{ID: id, Name: "Coat " + id, Kind: stack.Fill, Visible: true, Amount: 1,
			Channels: map[stack.Channel]stack.Coat{stack.Roughness: {On: true, Value: []float32{0.42}, Amount: 1}}}})
	}
	return do(t, d, stack.AddStep{Target: "b", Index: -1, Step: &stack.Step{ID: "h", Kind: "hand", On: true, Amount: 1}})
}

func do(t *testing.T, d *stack.Document, op stack.Op) *stack.Document {
	t.Helper()
	next, _, _, err := step.Rules.Apply(d, op)
	if err != nil {
		t.Fatalf("%s: %v", op.Kind(), err)
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

// said is an operation for a message.
func said(op stack.Op) string {
	b, _ := stack.EncodeOp(op)
	return string(b)
}

func steps(id string) []*stack.Step { return []*stack.Step{{ID: id}} }

var ops = []stack.Op{
	stack.AddLayer{Index: 1, Layer: &stack.Layer{ID: "n", Name: "New", Kind: stack.Paint, Amount: 1}},
	stack.RemoveLayer{Target: "b"},
	stack.MoveLayer{Target: "a", Index: 2},
	stack.CopyLayer{Target: "b", Index: 2, Layer: &stack.Layer{ID: "b2", Name: "Copy", Mask: steps("h2")}},
	stack.SetLayer{Target: "a", Path: "name", Value: json.RawMessage(`"Tar"`)},
	stack.SetLayer{Target: "a", Path: "visible", Value: json.RawMessage(`false`)},
	stack.SetLayer{Target: "a", Path: "amount", Value: json.RawMessage(`0.3`)},
	stack.SetLayer{Target: "a", Path: "reach", Value: json.RawMessage(`{"sheets":["Hull"]}`)},
	stack.SetLayer{Target: "a", Path: "channels.roughness", Value: json.RawMessage(`{"on":true,"value":[0.31],"blend":"multiply","amount":1}`)},
	stack.SetLayer{Target: "a", Path: "channels.height", Value: json.RawMessage(`{"on":true,"value":[0.001],"blend":"add","amount":1}`)},
	stack.AddStep{Target: "b", Index: 0, Step: &stack.Step{ID: "n1", Kind: "noise", On: true, Amount: 1}},
	stack.RemoveStep{Target: "b", StepID: "h"},
	stack.SetStep{Target: "b", StepID: "h", Path: "on", Value: json.RawMessage(`false`)},
	stack.AddStroke{Target: "b", StepID: "h", StrokeID: "s", Stroke: aStroke("s"), Index: -1},
	stack.SizeSheet{Target: "Hull", Size: 2048},
	stack.Batch{Ops: stack.Ops{stack.RemoveLayer{Target: "a"}, stack.MoveLayer{Target: "c", Index: 0}}},
}

// Every operation leaves the old document as it was, says what it did, survives
// being written as JSON, and is taken back by its inverse exactly.
func TestEveryOperationCanBeTakenBack(t *testing.T) {
	for _, op := range ops {
		d := start(t)
		d = do(t, d, stack.AddStroke{Target: "b", StepID: "h", StrokeID: "old", Stroke: aStroke("old"), Index: -1})
		before := text(t, d)
		next, inverse, label, err := step.Rules.Apply(d, op)
		if err != nil {
			t.Errorf("%s: %v", said(op), err)
			continue
		}
		if text(t, d) != before {
			t.Errorf("%s changed the old document", said(op))
		}
		if text(t, next) == before || label == "" {
			t.Errorf("%s did nothing or has no label", said(op))
		}
		b, _ := stack.EncodeOp(inverse)
		read, err := stack.DecodeOp(b, map[string]*brush.Stroke{"old": aStroke("old"), "s": aStroke("s")})
		if err != nil {
			t.Fatal(err)
		}
		back, _, _, err := step.Rules.Apply(next, read)
		if err != nil {
			t.Errorf("undo of %s: %v", said(op), err)
			continue
		}
		if got := text(t, back); got != before {
			t.Errorf("undo of %s left\n%s\nwant\n%s", said(op), got, before)
		}
	}
}

func TestLabelsAreReadable(t *testing.T) {
	_, _, label, err := step.Rules.Apply(start(t), ops[8])
	if err != nil || label != "Coat a: roughness 0.42 → 0.31" {
		t.Fatalf("label %q, error %v", label, err)
	}
}

func TestRefusalsNameTheThing(t *testing.T) {
	for _, c := range []struct {
		op   stack.Op
		want string
	}{
		{stack.SetLayer{Target: "zz", Path: "name", Value: json.RawMessage(`"x"`)}, `no layer with the id "zz"`},
		{stack.SetLayer{Target: "a", Path: "amount", Value: json.RawMessage(`7`)}, `layer "Coat a": amount is 7`},
		{stack.SetLayer{Target: "a", Path: "channels.roughness", Value: json.RawMessage(`{"on":true,"value":[2],"amount":1}`)}, "roughness: 2 lies outside"},
		{stack.SetLayer{Target: "a", Path: "channels.roughness", Value: json.RawMessage(`{"on":true,"value":[1],"blend":"hue","amount":1}`)}, `blend mode "hue"`},
		{stack.AddStep{Target: "a", Step: &stack.Step{ID: "q", Kind: "sparkle", Amount: 1}}, `step 1 (sparkle): there is no such step`},
		{stack.AddStep{Target: "a", Step: &stack.Step{ID: "q", Kind: "noise", Amount: 1, Params: map[string]any{"octaves": 99.0}}}, "octaves: 99 lies outside 1 to 12"},
		{stack.AddStroke{Target: "a", StrokeID: "s", Stroke: aStroke("s"), Index: -1}, "is a fill layer"},
		{stack.SizeSheet{Target: "Hull", Size: 1000}, "not a power of two"},
		{stack.Batch{Ops: stack.Ops{stack.RemoveLayer{Target: "a"}, stack.RemoveLayer{Target: "a"}}}, "no layer"},
	} {
		_, _, _, err := step.Rules.Apply(start(t), c.op)
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: error %v does not say %q", c.op.Kind(), err, c.want)
		}
	}
}

func TestDocumentRoundTripWithStrokes(t *testing.T) {
	d := do(t, start(t), stack.AddStroke{Target: "b", StepID: "h", StrokeID: "s", Stroke: aStroke("s"), Index: -1})
	b, _ := d.Encode(true)
	back, err := step.Rules.Decode(b, nil)
	if err != nil {
		t.Fatal(err)
	}
	again, _ := back.Encode(true)
	if !bytes.Equal(b, again) {
		t.Fatalf("came back as\n%s", again)
	}
	without, _ := d.Encode(false)
	if _, err := step.Rules.Decode(without, nil); err == nil || !strings.Contains(err.Error(), `stroke "s" is missing`) {
		t.Fatalf("a missing stroke is not named: %v", err)
	}
}

// What the line brings is refused by its kind and field.
func TestOperationsThatAreNotReadable(t *testing.T) {
	deep := strings.Repeat(`{"kind":"batch","ops":[`, 5000) + strings.Repeat(`]}`, 5000)
	for text, want := range map[string]string{
		`{"kind":"layer.shine","target":"a"}`:                `"layer.shine" is unknown`,
		`{"target":"a"}`:                                     `"" is unknown`,
		`{"kind":"sheet.size","target":"S","value":"large"}`: "sheet.size",
		`{"kind":"batch","ops":[null]}`:                      "operation 1 of the batch is null",
		`{"kind":"batch","ops":[{"kind":"no"}]}`:             `"no" is unknown`,
		`null`:                                               "no operation",
		`[]`:                                                 "not readable",
		deep:                                                 "inside one another",
	} {
		if _, err := stack.DecodeOp([]byte(text), nil); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.60s: error %v does not say %q", text, err, want)
		}
	}
}

// Every kind is written and read as what it is, and says what it does.
func TestEveryKindOfOperationIsRegistered(t *testing.T) {
	tried := map[string]bool{"document": true} // tried where the ledger jumps
	for _, op := range ops {
		tried[op.Kind()] = true
	}
	for _, c := range treeOps {
		tried[c.op.Kind()] = true
	}
	for _, k := range []stack.Op{stack.RemoveStroke{}, stack.MoveStroke{}, stack.RemoveChannel{}, stack.TurnDial{}, stack.SetPalette{}, stack.KeepJudged{}, stack.DropJudged{}, stack.SetConditions{}, stack.SetPrepared{}, stack.AddDecal{}, stack.SetDecal{}, stack.MoveDecal{}, stack.RemoveDecal{}, stack.SetSlide{}, stack.WarpSlide{}, stack.RemoveSlide{}} {
		tried[k.Kind()] = true // the tests beside them
	}
	for _, k := range stack.OpKinds() {
		b, err := stack.EncodeOp(k.Zero)
		if err != nil {
			t.Fatal(err)
		}
		op, err := stack.DecodeOp(b, nil)
		if err != nil || reflect.TypeOf(op) != reflect.TypeOf(k.Zero) || k.Help == "" {
			t.Errorf("%s is read as %T: %v", b, op, err)
		}
		if !tried[k.Kind] {
			t.Errorf("no test takes %s back", k.Kind)
		}
	}
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte(`{"format":"velvetgrime.document","version":1,"layers":[{"id":"a","kind":"fill","mask":[{"id":"n","kind":"noise"}]}]}`))
	f.Add([]byte(`{"format":"velvetgrime.document","version":1,"layers":[null]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		d, err := step.Rules.Decode(data, nil)
		if err == nil && step.Rules.Check(d) != nil {
			t.Fatal("an accepted document does not pass its own check")
		}
	})
}
