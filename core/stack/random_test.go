package stack_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// randomOp makes an operation that may or may not be possible.
func randomOp(r *rand.Rand, d *stack.Document, n int) stack.Op {
	var ids, groups, steps []string
	d.Walk(func(l *stack.Layer, _ []*stack.Layer) {
		ids = append(ids, l.ID)
		if l.Kind == stack.Group {
			groups = append(groups, l.ID)
		}
		l.EachStep(func(s *stack.Step) { steps = append(steps, s.ID) })
	})
	groups, steps, ids = append(groups, ""), append(steps, "none"), append(ids, "gone")
	pick := func(list []string) string { return list[r.IntN(len(list))] }
	raw := func(v any) json.RawMessage { b, _ := json.Marshal(v); return b }
	target, step := pick(ids), pick(steps)
	stream := pick([]string{"mask", "roughness", "step:" + step})
	place := r.IntN(5) - 1
	fresh := func(kind string) *stack.Step {
		s := &stack.Step{ID: fmt.Sprint("new", n), Kind: kind, On: true, Amount: 1}
		if kind == stack.Follow {
			s.Params = map[string]any{"layer": pick(ids), "what": pick([]string{"mask", "roughness"})}
		}
		return s
	}
	a := func(id string) *stack.Decal {
		var corners []float32
		if r.IntN(3) == 0 {
			corners = []float32{r.Float32() - 0.5, 0, 0, 0.2, 0, 0, 0, 0}
		}
		return &stack.Decal{ID: id, Name: "Decal", Text: "12", Nrm: [3]float32{0, 1, 0}, Up: [3]float32{1, 0, 0}, Wide: 0.1, Depth: 0.1, Facing: 60 + 100*r.Float32(), Amount: 1, Corners: corners, Locked: r.IntN(6) == 0}
	}
	switch r.IntN(18) {
	case 15:
		return stack.AddLayer{Index: place, Layer: &stack.Layer{ID: fmt.Sprint("d", n), Name: "D", Kind: stack.Decals, Visible: true, Amount: 1, Decals: []*stack.Decal{a("first")}}}
	case 16, 17:
		d.Walk(func(l *stack.Layer, _ []*stack.Layer) {
			if l.Kind == stack.Decals && (step == "none" || r.IntN(2) == 0) {
				target = l.ID
			}
		})
		switch id := pick([]string{"first", "second", "gone"}); r.IntN(4) {
		case 0:
			return stack.AddDecal{Target: target, Index: place, Decal: a(pick([]string{"second", fmt.Sprint("e", n)}))}
		case 1:
			return stack.SetDecal{Target: target, Decal: a(id)}
		case 2:
			return stack.MoveDecal{Target: target, Decal: id, Index: place}
		default:
			return stack.RemoveDecal{Target: target, Decal: id}
		}
	case 0:
		return stack.AddLayer{Parent: pick(groups), Index: place, Layer: &stack.Layer{ID: fmt.Sprint("l", n), Name: "L", Kind: pick([]string{stack.Fill, stack.Group, stack.Paint}), Visible: true, Amount: 0.5}}
	case 1:
		return stack.RemoveLayer{Target: target}
	case 2, 3:
		return stack.MoveLayer{Target: target, Parent: pick(groups), Index: place}
	case 4:
		return stack.CopyLayer{Target: target, Parent: pick(groups), Index: place, Layer: &stack.Layer{ID: fmt.Sprint("c", n), Name: "C"}}
	case 5:
		return stack.SetLayer{Target: target, Path: pick([]string{"amount", "visible", "isolated", "locked", "blend", "name"}), Value: raw([]any{0.3, true, "multiply"}[r.IntN(3)])}
	case 6:
		return stack.SetLayer{Target: target, Path: "channels.roughness", Value: raw(stack.Coat{On: true, Value: []float32{0.5}, Amount: 1, Stream: []*stack.Step{fresh("noise")}})}
	case 7:
		return stack.SetLayer{Target: target, Path: "channels." + pick([]string{"roughness", "height", "added.x"}), Value: json.RawMessage("null")}
	case 8, 9:
		return stack.AddStep{Target: target, Path: stream, Index: place, Step: fresh(pick([]string{"noise", "bundle", "hand", "levels", "follow", "warp"}))}
	case 10:
		return stack.RemoveStep{Target: target, StepID: step}
	case 11:
		return stack.MoveStep{Target: target, StepID: step, Path: stream, Index: place}
	case 12:
		return stack.SetStep{Target: target, StepID: step, Path: pick([]string{"on", "amount", "params.frequency", "params.layer"}), Value: raw([]any{0.5, false, "a", nil}[r.IntN(4)])}
	case 13:
		return stack.AddStroke{Target: target, StepID: pick([]string{"", step}), StrokeID: fmt.Sprint("k", n), Stroke: aStroke(fmt.Sprint("k", n)), Index: place}
	}
	var laid []string
	if l := d.Layer(target); l != nil {
		for _, s := range l.Mask {
			if s.ID == step {
				laid = s.StrokeID
			}
		}
		if len(laid) == 0 {
			step, laid = "", l.StrokeID
		}
	}
	if len(laid) > 0 && r.IntN(2) == 0 {
		id := fmt.Sprint("k", n)
		return stack.SetStroke{Target: target, StepID: step, StrokeID: pick(laid), By: id, Stroke: aStroke(id)}
	}
	if len(laid) > 0 {
		return stack.MoveStroke{Target: target, StepID: step, StrokeID: pick(laid), Index: place}
	}
	if r.IntN(2) == 0 {
		return stack.RemoveChannel{Target: "added.x"}
	}
	return stack.AddChannel{Index: -1, Channel: stack.AddedChannel{Channel: "added.x", Label: "x"}}
}

// Whatever is done in whatever order: what is refused leaves no trace, what is done
// keeps the document valid, goes through JSON, and can be taken back step by step
// to the very beginning.
func TestAnyRowOfOperationsCanBeTakenBack(t *testing.T) {
	done := 0
	for seed := range uint64(150) {
		r := rand.New(rand.NewPCG(seed, 77))
		d := grouped(t)
		strokes := map[string]*brush.Stroke{}
		type change struct {
			before  string
			inverse []byte
			op      stack.Op
		}
		var history []change
		for n := range 40 {
			op := randomOp(r, d, n)
			before := text(t, d)
			next, inverse, label, err := step.Rules.Apply(d, op)
			if text(t, d) != before {
				t.Fatalf("seed %d: %s changed the document in place", seed, op.Kind())
			}
			if err != nil {
				continue
			}
			done++
			if label == "" {
				t.Fatalf("seed %d: %s has no line for the ledger", seed, op.Kind())
			}
			b, _ := stack.EncodeOp(inverse)
			merge(merge(strokes, d.Strokes()), next.Strokes())
			history = append(history, change{before, b, op})
			whole, err := next.Encode(true)
			if err != nil {
				t.Fatal(err)
			}
			if _, err := step.Rules.Decode(whole, nil); err != nil {
				t.Fatalf("seed %d: after %s the document is not read again: %v", seed, op.Kind(), err)
			}
			d = next
		}
		for i := len(history) - 1; i >= 0; i-- {
			back, err := stack.DecodeOp(history[i].inverse, strokes)
			if err != nil {
				t.Fatal(err)
			}
			prev, _, _, err := step.Rules.Apply(d, back)
			if err != nil {
				t.Fatalf("seed %d: taking back %s: %v", seed, said(history[i].op), err)
			}
			if text(t, prev) != history[i].before {
				t.Fatalf("seed %d: %s is not taken back exactly", seed, said(history[i].op))
			}
			d = prev
		}
	}
	if done < 1500 {
		t.Errorf("only %d operations were possible: little was tried", done)
	}
}

// What comes over the line as an operation is refused, or leads to a document that passes
// its own check and goes back byte for byte.
func FuzzOperations(f *testing.F) {
	for _, op := range ops {
		b, _ := stack.EncodeOp(op)
		f.Add(b)
	}
	f.Add([]byte(`{"kind":"batch","ops":[{"kind":"layer.remove","target":"a"},{"kind":"step.add","target":"b","path":"mask","index":-1,"newStep":{"id":"o","kind":"other-side","on":true,"amount":1,"params":{"pair":[[0,0,0],[1,1,1]],"way":"flip"}}}]}`))
	f.Add([]byte(`{"kind":"conditions.set","value":{"up":[0,1,0],"age":1e9}}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		op, err := stack.DecodeOp(data, nil)
		if err != nil {
			return
		}
		d := stack.New([]string{"Hull"}, 1024)
		for _, id := range []string{"a", "b"} {
			painted := steps("h" + id)
			painted[0].Kind, painted[0].On, painted[0].Amount = stack.Hand, true, 1
			d.Layers = append(d.Layers, &stack.Layer{ID: id, Name: id, Kind: stack.Fill, Visible: true, Amount: 1, Mask: painted})
		}
		before, _ := d.Encode(true)
		next, inverse, _, err := step.Rules.Apply(d, op)
		if after, _ := d.Encode(true); string(after) != string(before) {
			t.Fatal("the document that was changed is not what it was")
		}
		if err != nil {
			return
		}
		if err := step.Rules.Check(next); err != nil {
			t.Fatalf("an accepted operation makes %v", err)
		}
		back, _, _, err := step.Rules.Apply(next, inverse)
		if err != nil {
			t.Fatalf("it cannot be taken back: %v", err)
		}
		if again, _ := back.Encode(true); string(again) != string(before) {
			t.Fatalf("taken back it is\n%s\nnot\n%s", again, before)
		}
	})
}
