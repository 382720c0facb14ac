package live

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/stack"
)

// asked answers what a page asks for a stroke.
func (e *easel) asked(r *TakeUpRequest) TakenUp {
	e.t.Helper()
	if err := r.answer(context.Background(), e.v); err != nil {
		e.t.Fatal(err)
	}
	for {
		select {
		case m := <-e.v.posts:
			if a, ok := m.(TakenUp); ok {
				return a
			}
		default:
			e.t.Fatal("no answer")
		}
	}
}

// said carries out what a page says, as text.
func (e *easel) said(text string) error {
	e.t.Helper()
	r, err := parse([]byte(text))
	if err != nil {
		e.t.Fatal(err)
	}
	return e.in(func() error {
		e.s.request = r.head().Request
		_, err := r.(deed).do(e.v)
		return err
	})
}

// A stroke is found where it was laid, the topmost first, is drawn anew under a name of its own, is
// found by the old one, too, and is kept; undo brings the old one back.
func TestAStrokeIsTakenUpAgain(t *testing.T) {
	e := newEasel(t)
	for i, id := range []string{"one", "two"} {
		e.draw(e.v, id, 1+4*i, 9)
		e.end(e.v)
	}
	at := func(x float32) *TakeUpRequest {
		return &TakeUpRequest{Layer: "coat", Spot: Spot{Pos: [3]float32{x, 0, 0.5}, Nrm: [3]float32{0, 1, 0}}, Slack: 0.001}
	}
	for _, c := range []struct {
		x    float32
		want string
	}{{0.1, "one"}, {0.3, "two"}, {0.001, "one"}, {0.8, ""}} {
		got := ""
		if a := e.asked(at(c.x)); a.Stroke != nil {
			got = a.Stroke.ID
		}
		if got != c.want {
			t.Errorf("at %v m the stroke %q is taken up, want %q", c.x, got, c.want)
		}
	}
	a := e.asked(at(0.1))
	if a.Index != 0 || a.Count != 2 {
		t.Errorf("it is the %dth of %d", a.Index, a.Count)
	}
	n := *a.Stroke
	n.ID, n.Seed, n.Points = "anew", "one", points(11, 14)
	value, _ := json.Marshal(n)
	change := fmt.Sprintf(`{"t":"op","id":3,"request":"r3","op":{"kind":"stroke.set","target":"coat","stroke":"one","label":"pull stroke","value":%s}}`, value)
	if err := e.said(change); err != nil {
		t.Fatal(err)
	}
	e.want("drawn anew", numbers(11, 14), numbers(5, 9))
	if last := e.s.entries[len(e.s.entries)-1]; strings.Contains(string(last.Op), "points") || !strings.Contains(last.Label, "pull stroke") {
		t.Errorf("the ledger holds %s (%s): the stroke lies beside it", last.Op, last.Label)
	}
	if err := e.said(change); err != nil { // its answer was lost, so it is sent again
		t.Errorf("said twice: %v", err)
	}
	if a := e.asked(&TakeUpRequest{Layer: "coat", Stroke: "one"}); a.Stroke == nil || a.Stroke.ID != "anew" {
		t.Errorf("by its old name %v is found", a.Stroke)
	}
	if a := e.asked(&TakeUpRequest{Layer: "coat", Stroke: "none"}); a.Stroke != nil || a.Index != -1 {
		t.Errorf("by no name %v is found", a.Stroke)
	}
	line := e.s.lines("ann")[0]
	if line.Out == nil || line.Out.Op.(stack.RemoveStroke).StrokeID != "anew" {
		t.Errorf("the ledger does not offer the stroke that was drawn anew: %+v", line.Out)
	}
	if err := e.said(`{"t":"op","id":4,"request":"r4","op":{"kind":"stroke.move","target":"coat","stroke":"anew","index":-1}}`); err != nil {
		t.Fatal(err)
	}
	e.want("moved", numbers(5, 9), numbers(11, 14))
	for range 2 {
		if err := e.in(func() error { return e.s.back("ann", false) }); err != nil {
			t.Fatal(err)
		}
	}
	e.want("taken back", numbers(1, 9), numbers(5, 9))
	if err := e.in(func() error { return e.s.back("ann", true) }); err != nil {
		t.Fatal(err)
	}
	e.want("and made again", numbers(11, 14), numbers(5, 9))
}

// What a page sends in place of a stroke is looked at as every stroke is, and never changes one that is kept.
func TestStrokesInPlaceOfOthersAreRefused(t *testing.T) {
	e := newEasel(t)
	e.draw(e.v, "one", 1, 9)
	e.end(e.v)
	e.draw(e.v, "two", 1, 3)
	e.end(e.v)
	good := brush.Stroke{ID: "anew", Radius: 0.05, Strength: 1, Values: map[string][]float32{"roughness": {0.5}}, Points: points(1, 4)}
	for _, c := range []struct {
		name, of string
		change   func(s *brush.Stroke)
		want     string
	}{
		{"another one's name", "one", func(s *brush.Stroke) { s.ID = "two" }, "already"},
		{"its own name", "one", func(s *brush.Stroke) { s.ID = "one" }, "already"},
		{"no name", "one", func(s *brush.Stroke) { s.ID = "" }, "no usable id"},
		{"no points", "one", func(s *brush.Stroke) { s.Points = nil }, "0 points"},
		{"far away", "one", func(s *brush.Stroke) { s.Points = points(90000, 90003) }, "far from the model"},
		{"in place of none", "three", func(*brush.Stroke) {}, `no stroke "three"`},
	} {
		s := good
		c.change(&s)
		value, _ := json.Marshal(s)
		err := e.said(fmt.Sprintf(`{"t":"op","id":3,"op":{"kind":"stroke.set","target":"coat","stroke":%q,"value":%s}}`, c.of, value))
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", c.name, err, c.want)
		}
	}
	if err := e.said(`{"t":"op","id":3,"op":{"kind":"stroke.set","target":"coat","stroke":"one"}}`); err == nil || !strings.Contains(err.Error(), "missing") {
		t.Errorf("nothing in its place: %v", err)
	}
	e.want("after all of them", numbers(1, 9), numbers(1, 3))
}
