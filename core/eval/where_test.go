package eval

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"velvetgrime/core/blend"
	"velvetgrime/core/pix"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// What is evaluated only where it counts gives what is evaluated everywhere, to the bit: over
// random streams in which costly sources, shapers and cheap multipliers follow each other, in
// masks and in coats under them.
func TestOnlyWhereItCountsIsTheSame(t *testing.T) {
	b := newBench(t, sample.Bollard(), 128)
	b.tiles = b.tiles[:1]
	r := rand.New(rand.NewPCG(21, 4))
	costly := []string{"barnacles", "cracks", "noise", "speckle", "scratches", "hammered", "pits"}
	modes := []string{"normal", "multiply", "lighten", "screen", "overlay", "darken", "add", "subtract", "difference"}
	n := 0
	random := func(color bool) []*stack.Step {
		var out []*stack.Step
		for range 2 + r.IntN(4) {
			n++
			s := &stack.Step{ID: fmt.Sprint("s", n), On: true, Amount: []float32{1, 1, 0.6}[r.IntN(3)], Blend: blend.Mode(modes[r.IntN(len(modes))])}
			switch r.IntN(3) * r.IntN(4) { // often a multiplier
			case 0:
				s.Kind, s.Blend, s.Amount = "gradient", "multiply", 1
				s.Params = map[string]any{"axis": []string{"down", "east"}[r.IntN(2)], "start": 0.6 + 0.3*r.Float64(), "end": 0.95}
			case 1:
				s.Kind, s.Blend = "threshold", ""
				s.Params = map[string]any{"cut": 0.2 + 0.5*r.Float64(), "soft": 0.1}
			case 2:
				s.Kind, s.Blend = "levels", ""
				s.Params = map[string]any{"low": 0.3, "high": 0.8}
			default:
				s.Kind = costly[r.IntN(len(costly))]
			}
			out = append(out, s)
		}
		if color {
			n++
			out = append(out, &stack.Step{ID: fmt.Sprint("s", n), Kind: "ramp", On: true, Amount: 1})
		}
		return out
	}
	shown := func(s *Scene, d *stack.Document) []pix.Plane {
		v, err := Compile(s, d, "", "").Channel(t.Context(), s.OnTile(b.tiles[0]), stack.BaseColor)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	skipped := 0
	for i := range 10 {
		d := b.around(st("noise", nil))
		top := d.Layers[2]
		top.Mask = random(false)
		top.Channels = coats{
			stack.BaseColor: {On: true, Amount: 1, Blend: "normal", Value: []float32{1, 1, 1}, Stream: random(true)},
		}
		if err := step.Rules.Check(d); err != nil {
			t.Fatal(err)
		}
		all := b.scene()
		all.plainly = true
		if k := different(shown(b.scene(), d), shown(all, d)); k != 0 {
			t.Fatalf("document %d: %d values differ", i, k)
		}
		p := Compile(b.scene(), d, "", "")
		sp := p.all["top"].maskFor(stack.BaseColor)
		if m := p.ahead(p.Scene.OnTile(b.tiles[0]), sp, 0, len(sp.steps), nil); len(m) > 0 {
			skipped++
		}
	}
	if skipped < 3 {
		t.Errorf("in %d of 10 documents something was looked at ahead: little was tried", skipped)
	}
}
