package stack_test

import (
	"strings"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/warp"
)

func placement(id string, at float32) *stack.Slide {
	return &stack.Slide{ID: id, Name: "Wall", Stencil: brush.Stencil{Picture: "wall", View: make([]float32, 16), Aspect: 1.5, Wide: 1, Form: 1, At: [2]float32{at, 0}}}
}

func pushed(does string) *warp.Brush {
	return &warp.Brush{Does: does, Radius: 0.2, Strength: 1, Path: []float32{0.4, 0.5, 0.5, 0.5}}
}

// A slide is added, moved and taken back; it stays while something is painted through it, and a
// stroke goes through none that is not there.
func TestSlidesOfALayer(t *testing.T) {
	d := do(t, start(t), stack.AddLayer{Index: -1, Layer: &stack.Layer{ID: "paint", Name: "Paint", Kind: stack.Paint, Visible: true, Amount: 1}})
	stroke := aStroke("s")
	stroke.Slide = "wall"
	lay := stack.AddStroke{Target: "paint", StrokeID: "s", Stroke: stroke, Index: -1}
	if _, _, _, err := step.Rules.Apply(d, lay); err == nil || !strings.Contains(err.Error(), `through the slide "wall", which is not there`) {
		t.Errorf("a stroke through no slide: %v", err)
	}
	for _, op := range []stack.Op{
		stack.SetSlide{Target: "paint", Slide: placement("other", 0), Index: -1},
		stack.SetSlide{Target: "paint", Slide: placement("wall", 0), Index: 0},
		stack.SetSlide{Target: "paint", Slide: placement("wall", 0.4), Label: "Moved"},
		stack.RemoveSlide{Target: "paint", Slide: "other"},
		stack.WarpSlide{Target: "paint", Slide: "wall", Brush: pushed(warp.Push)},
		stack.WarpSlide{Target: "paint", Slide: "wall", Brush: pushed(warp.Pin)},
		stack.WarpSlide{Target: "paint", Slide: "wall", Brush: pushed(warp.Smooth)},
		lay,
	} {
		before, _ := d.Encode(true)
		next, inverse, label, err := step.Rules.Apply(d, op)
		if err != nil || label == "" {
			t.Fatalf("%s: %v", op.Kind(), err)
		}
		back, _, _, err := step.Rules.Apply(next, inverse)
		if err != nil {
			t.Fatal(err)
		}
		if again, _ := back.Encode(true); string(again) != string(before) {
			t.Errorf("%s is not taken back exactly", op.Kind())
		}
		d = next
	}
	if got := d.Layer("paint").Slide("wall"); got == nil || got.Stencil.At[0] != 0.4 {
		t.Errorf("it lies at %+v", got)
	}
	b, _ := d.Encode(true)
	if again, err := step.Rules.Decode(b, nil); err != nil || len(again.Layer("paint").Strokes) != 1 {
		t.Errorf("read again: %v", err)
	}
	if w := d.Layer("paint").Slide("wall").Stencil.Warp; w == nil || w.Pins == nil {
		t.Errorf("its warp is %v", w)
	} else if u, _, _ := w.At(0.45, 0.5); u > 0.449 {
		t.Errorf("what was pushed to 0.45 lies at %v", u)
	}
	bad := placement("bad", 0)
	bad.Stencil.Wide = -1
	tiled, torn := placement("tiled", 0), placement("torn", 0)
	tiled.Stencil.Tiled, torn.Stencil.Warp = true, &warp.Field{Moved: []byte{1}}
	d = do(t, d, stack.SetSlide{Target: "paint", Slide: tiled, Index: -1})
	both := aStroke("b")
	both.Slide, both.Stencil = "wall", &placement("x", 0).Stencil
	for want, op := range map[string]stack.Op{
		"1 strokes were painted through": stack.RemoveSlide{Target: "paint", Slide: "wall"},
		"has no slide":                   stack.RemoveSlide{Target: "paint", Slide: "gone"},
		"slide.set has no":               stack.SetSlide{Target: "paint"},
		"is -1 wide":                     stack.SetSlide{Target: "paint", Slide: bad},
		"no layer with the id":           stack.SetSlide{Target: "zz", Slide: placement("wall", 0)},
		"does not \"paint\"":             stack.WarpSlide{Target: "paint", Slide: "wall", Brush: pushed("paint")},
		"slide.warp has no":              stack.WarpSlide{Target: "paint", Slide: "wall"},
		"repeats and cannot be pushed":   stack.WarpSlide{Target: "paint", Slide: "tiled", Brush: pushed(warp.Push)},
		"no slide \"far\"":               stack.WarpSlide{Target: "paint", Slide: "far", Brush: pushed(warp.Push)},
		"bytes of offsets":               stack.SetSlide{Target: "paint", Slide: torn},
		"a stencil beside it":            stack.AddStroke{Target: "paint", StrokeID: "b", Stroke: both, Index: -1},
	} {
		if _, _, _, err := step.Rules.Apply(d, op); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q was expected, got %v", want, err)
		}
	}
}
