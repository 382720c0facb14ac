package stack

import (
	"math"
	"strings"
	"testing"
)

// noSteps are rules that know of no steps.
var noSteps = Rules{}

func TestConditionsAreSetAndTakenBack(t *testing.T) {
	d := New([]string{"S"}, 512)
	if d.Facts().Age != Usual().Age {
		t.Fatal("a project that has set none has the usual conditions")
	}
	c := *Usual()
	c.Age, c.Touch = 7, []Touch{{Name: "Latch", Pos: [3]float32{1, 2, 3}, Radius: 0.1}}
	e, inv, label, err := noSteps.Apply(d, SetConditions{&c, "Seven years"})
	if err != nil || label != "Seven years" || e.Facts().Age != 7 || len(e.Facts().Touch) != 1 {
		t.Fatal(err, label, e.Facts())
	}
	if d.Conditions != nil {
		t.Error("the document before was changed in place")
	}
	back, _, _, err := noSteps.Apply(e, inv)
	if err != nil || back.Conditions != nil {
		t.Error("taken back:", err, back.Conditions)
	}
	data, err := e.Encode(false)
	if err != nil {
		t.Fatal(err)
	}
	f, err := noSteps.Decode(data, nil)
	if err != nil || f.Facts().Touch[0].Name != "Latch" {
		t.Error(err)
	}
}

func TestBadConditionsAreRefused(t *testing.T) {
	for word, change := range map[string]func(*Conditions){
		"age":         func(c *Conditions) { c.Age = -1 },
		"wetness":     func(c *Conditions) { c.Wetness = 1.5 },
		"salt":        func(c *Conditions) { c.Salt = float32(math.NaN()) },
		"direction":   func(c *Conditions) { c.Wind = [3]float32{} },
		"waterline":   func(c *Conditions) { c.Water = 1e9 },
		"touch point": func(c *Conditions) { c.Touch = []Touch{{Name: "A", Radius: 0}} },
		"touch":       func(c *Conditions) { c.Touch = make([]Touch, 65) },
	} {
		c := *Usual()
		change(&c)
		d := New([]string{"S"}, 512)
		d.Conditions = &c
		if err := noSteps.Check(d); err == nil || !strings.Contains(err.Error(), word) {
			t.Errorf("%s: %v", word, err)
		}
	}
}

// An agent that follows a layer counts among those that follow: loops are refused.
func TestAgentsThatFollowInALoopAreRefused(t *testing.T) {
	follow := func(id, other string) *Layer {
		return &Layer{ID: id, Name: id, Kind: Fill, Visible: true, Amount: 1, Mask: []*Step{{ID: "s" + id, Kind: "nook", On: true, Amount: 1, Params: map[string]any{"layer": other, "what": "mask"}}}}
	}
	d := New([]string{"S"}, 512)
	d.Layers = []*Layer{follow("a", "b"), follow("b", "a")}
	if err := noSteps.Check(d); err == nil {
		t.Error("two masks that follow each other are taken")
	}
	d.Layers = []*Layer{follow("a", ""), follow("b", "a")}
	if err := noSteps.Check(d); err != nil {
		t.Error(err)
	}
}
