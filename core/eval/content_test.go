package eval

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// painted is a paint layer on the plate with a stroke across it, and a stream in a channel.
func painted(c stack.Channel, blend string, value []float32, stream ...*stack.Step) *stack.Layer {
	l := layer("paint", stack.Paint, coats{c: {On: true, Blend: "normal", Amount: 1, Stream: stream}})
	if blend != "" {
		coat := l.Channels[c]
		coat.Blend = "add"
		l.Channels[c] = coat
	}
	s := pull("s", "", 16, [2]float32{40, 64}, [2]float32{210, 64})
	s.Values = map[string][]float32{string(c): value}
	l.Strokes = []*brush.Stroke{s}
	return l
}

// across evaluates a channel at places of the plate in texels.
func across(t *testing.T, s *Scene, d *stack.Document, c stack.Channel, places ...[2]float32) (out [][]float32) {
	t.Helper()
	if err := step.Rules.Check(d); err != nil {
		t.Fatal(err)
	}
	p := Compile(s, d, "", "")
	for _, place := range places {
		pos, best := geom.V3(place[0]*texel, 0, place[1]*texel), float32(math.Inf(1))
		var one []float32
		for sheet := range s.Model.Sheets {
			for _, tile := range surface.Tiles(sheet, 512) {
				u := s.OnTile(tile)
				i, far := at(u.Frame(), pos)
				if i < 0 || far >= best {
					continue
				}
				best, one = far, nil
				for _, row := range evaluate(t, p, tile, c) {
					one = append(one, row[i])
				}
			}
		}
		out = append(out, one)
	}
	return out
}

// Height that was painted by hand is softened over its border and turned down by the channel's
// stream, over seams and sheets.
func TestPaintedHeightIsSoftenedAndTurnedDown(t *testing.T) {
	b := newBench(t, cutUp(t), 512)
	middle, border, out := [2]float32{100, 64}, [2]float32{100, 78}, [2]float32{100, 84}
	at := func(stream ...*stack.Step) [][]float32 {
		return across(t, b.scene(), doc2(painted(stack.Height, "add", []float32{0.004}, stream...)), stack.Height, middle, border, out)
	}
	was := at()
	if was[0][0] < 0.0039 || was[2][0] != 0 {
		t.Fatalf("it was painted %v", was)
	}
	soft := at(st("blur", map[string]any{"radius": 8 * texel}))
	if soft[0][0] > 0.98*was[0][0] || soft[2][0] < 0.0002 || soft[1][0] >= soft[0][0] {
		t.Errorf("softened it is %v, it was %v", soft, was)
	}
	half := at(st("contrast", map[string]any{"contrast": 0.5}))
	if math.Abs(float64(half[0][0]-was[0][0]/2)) > 1e-6 || half[2][0] != 0 {
		t.Errorf("turned down by half it is %v, it was %v", half, was)
	}
}

// doc2 is a document of the plate that is cut up, over an even ground.
func doc2(layers ...*stack.Layer) *stack.Document {
	d := stack.New([]string{"Sheet 1", "Sheet 2"}, 512)
	d.Layers = append([]*stack.Layer{fill("ground", 1, coats{stack.BaseColor: met("normal", 1, 1, 1, 1)})}, layers...)
	return d
}

// Softened colours take nothing in from where nothing was painted: red on white goes over pink
// to white.
func TestSoftenedPaintHasNoHalo(t *testing.T) {
	b := newBench(t, cutUp(t), 512)
	d := doc2(painted(stack.BaseColor, "", []float32{1, 0, 0}, st("blur", map[string]any{"radius": 6 * texel})))
	seen := map[bool]bool{}
	for z := float32(64); z < 100; z += 3 {
		c := across(t, b.scene(), d, stack.BaseColor, [2]float32{100, z})[0]
		if c[0] < 0.98 || math.Abs(float64(c[1]-c[2])) > 0.01 {
			t.Errorf("%v texels from the middle it is %v", z-64, c)
		}
		seen[c[1] > 0.2 && c[1] < 0.8] = true
	}
	if !seen[true] {
		t.Error("it is not softened")
	}
}

// The result of a group goes on through its channel's stream, alone and over what lies below.
func TestAGroupsResultGoesOn(t *testing.T) {
	inner := fill("inner", 1, coats{stack.Roughness: met("normal", 1, 0.8)}, even(0.5))
	g := groupOf("g", false, 1, "normal", nil, inner)
	g.Channels = coats{stack.Roughness: {On: true, Blend: "normal", Amount: 1, Stream: []*stack.Step{st("invert", nil)}}}
	below := fill("lower", 1, coats{stack.Roughness: met("normal", 1, 0.4)})
	// alone it holds 0.8 where it covers half, over the channel's default; that is inverted, and laid by half
	info, _ := stack.Info(stack.Roughness)
	held := 0.5*0.8 + 0.5*float64(info.Default[0])
	near(t, "a group that goes on", middle(t, doc(below, g), stack.Roughness), 0.5*(1-held)+0.5*0.4)
	g.Channels[stack.Roughness] = stack.Coat{On: true, Blend: "normal", Amount: 1}
	near(t, "without its stream", middle(t, doc(below, g), stack.Roughness), 0.6)
}

// Random changes of what layers hold and of the streams after it: a scene that knows what came
// before gives what a fresh one gives.
func TestWarmIsFreshAfterWhatIsHeld(t *testing.T) {
	b := newBench(t, cutUp(t), 512)
	warm := b.scene()
	r := rand.New(rand.NewPCG(3, 4))
	paint := layer("paint", stack.Paint, coats{stack.BaseColor: met("normal", 1), stack.Roughness: met("normal", 0.8), stack.Height: met("add", 1)})
	kid := fill("kid", 1, coats{stack.Roughness: met("normal", 1, 0.7), stack.BaseColor: met("normal", 1, 0.2, 0.5, 0.4)}, st("noise", map[string]any{"frequency": 9.0}), st("hand", nil))
	kid.Mask[1].ID = "hand"
	g := groupOf("group", false, 1, "normal", nil, kid)
	g.Channels = coats{stack.Roughness: met("normal", 1), stack.BaseColor: met("normal", 1)}
	d := doc2(g, paint)
	n := 0
	name := func(what string) string { n++; return fmt.Sprint(what, n) }
	many := 24
	if full {
		many = 120
	}
	channels := []stack.Channel{stack.BaseColor, stack.Roughness, stack.Height}
	for i := range many {
		c := channels[r.IntN(3)]
		target := "paint"
		if r.IntN(3) == 0 && c != stack.Height {
			target = "group"
		}
		var op stack.Op
		switch k := r.IntN(6); {
		case k < 2:
			s := pull(name("stroke"), []string{"", "", brush.Soften, brush.Smear}[r.IntN(4)], 4+14*r.Float32(), [2]float32{250 * r.Float32(), 120 * r.Float32()}, [2]float32{250 * r.Float32(), 120 * r.Float32()})
			s.Values = map[string][]float32{"baseColor": {r.Float32(), 0.5, 0.1}, "roughness": {r.Float32()}, "height": {0.004 * r.Float32()}, "mask": {r.Float32()}}
			if op = (stack.AddStroke{Target: "paint", StrokeID: s.ID, Index: -1, Stroke: s}); k == 1 {
				s.Does = ""
				op = stack.AddStroke{Target: "kid", StepID: "hand", StrokeID: s.ID, Index: -1, Stroke: s}
			}
		case k == 2:
			list := d.Layer(target).Channels[c].Stream
			if len(list) == 0 {
				continue
			}
			op = stack.RemoveStep{Target: target, StepID: list[r.IntN(len(list))].ID}
		default:
			s := &stack.Step{ID: name("step"), On: true, Amount: 0.3 + 0.7*r.Float32(), Params: map[string]any{}}
			switch s.Kind = []string{"blur", "levels", "invert", "noise", "sharpen"}[r.IntN(5)]; s.Kind {
			case "blur", "sharpen":
				s.Params["radius"] = (1 + 5*r.Float64()) * texel
			case "noise":
				s.Blend, s.Amount = "multiply", 0.5
			}
			op = stack.AddStep{Target: target, Path: string(c), Index: 0, Step: s}
		}
		next, _, _, err := step.Rules.Apply(d, op)
		if err != nil {
			b, _ := stack.EncodeOp(op)
			t.Fatalf("operation %d: %v: %s", i, err, b)
		}
		d = next
		if n := different(b.result(t, warm, d, ""), b.result(t, b.scene(), d, "")); n != 0 {
			t.Fatalf("after operation %d (%s) %d values differ from a fresh scene's", i, op.Kind(), n)
		}
	}
}

// What is held begins a stream weighed by how much it covers where its steps only mix, and
// plain where they do not: the one is not taken for the other when the steps change.
func TestWhatIsHeldBeginsAnewWithOtherSteps(t *testing.T) {
	b := newBench(t, cutUp(t), 512)
	warm := b.scene()
	paint := layer("paint", stack.Paint, coats{stack.Roughness: met("normal", 0.8)})
	d := doc2(paint)
	s := pull("one", "", 14, [2]float32{60, 60}, [2]float32{200, 90})
	s.Values = map[string][]float32{"roughness": {0.9}}
	change := func(op stack.Op) {
		next, _, _, err := step.Rules.Apply(d, op)
		if err != nil {
			t.Fatal(err)
		}
		d = next
	}
	change(stack.AddStroke{Target: "paint", StrokeID: "one", Index: -1, Stroke: s})
	for _, kind := range []string{"blur", "sharpen", "blur"} {
		change(stack.AddStep{Target: "paint", Path: "roughness", Step: &stack.Step{ID: "s", Kind: kind, On: true, Amount: 1, Params: map[string]any{"radius": 4 * texel}}})
		if n := different(b.result(t, warm, d, ""), b.result(t, b.scene(), d, "")); n != 0 {
			t.Errorf("with %s %d values differ from a fresh scene's", kind, n)
		}
		change(stack.RemoveStep{Target: "paint", StepID: "s"})
	}
}
