package material

import (
	"math"
	"testing"

	"velvetgrime/core/stack"
)

// On an object ten times as large what weathers it is ten times as large, and what it is made
// of is not; the dials that move lengths go with them; a dial as it stands changes nothing.
func TestLengthsGoWithTheObject(t *testing.T) {
	m, err := Find("Enamel, red")
	if err != nil {
		t.Fatal(err)
	}
	find := func(g *stack.Layer, kind, param string) (v float64) {
		each(g, func(s *stack.Step) {
			if x, ok := s.Params[param].(float64); ok && s.Kind == kind && v == 0 {
				v = x
			}
		})
		return
	}
	was, large := m.Placed("g", 0, m.Made), m.Placed("g", 0, 10*m.Made)
	for _, c := range []struct {
		kind, param string
		times       float64
	}{{"rub", "width", 10}, {"rub", "grain", 10}, {"noise", "frequency", 1}} {
		a, b := find(was, c.kind, c.param), find(large, c.kind, c.param)
		if a == 0 || math.Abs(b/a-c.times) > 1e-6 {
			t.Errorf("%s of %s goes from %v to %v, not %v times", c.param, c.kind, a, b, c.times)
		}
	}
	if g := m.Group("g", 0); find(g, "rub", "width") != find(was, "rub", "width") {
		t.Error("for its own size it is changed")
	}

	mud, err := Find("Mud, splashed")
	if err != nil {
		t.Fatal(err)
	}
	high := func(g *stack.Layer) stack.Move {
		for _, d := range g.Dials {
			if d.Name == "how high" {
				return d.Moves[0]
			}
		}
		t.Fatal("it has no such dial")
		return stack.Move{}
	}
	a, b := high(mud.Placed("g", 0, mud.Made)), high(mud.Placed("g", 0, 3*mud.Made))
	if math.Abs(b.To[0]/a.To[0]-3) > 1e-6 || math.Abs(b.From[0]/a.From[0]-3) > 1e-6 {
		t.Errorf("the dial goes from %v to %v, and from %v to %v", a.From, a.To, b.From, b.To)
	}
	if other := high(mud.Placed("g", 0, 0)); other.To[0] != a.To[0] {
		t.Error("putting it down changed the material itself")
	}
}
