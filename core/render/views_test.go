package render

import (
	"context"
	"math"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
)

// The pictures of a view hang together: what is clear in one is clear in all, masks of the parts
// make up the silhouette, the base color is the coat's own whatever the light does, and bands
// leave no joint.
func TestViewsOfAModelHangTogether(t *testing.T) {
	m := sample.Lantern()
	d := stack.New([]string{m.Sheets[0].Name}, 256)
	for _, s := range m.Sheets {
		d.Sheets[s.Name] = stack.SheetSize{Size: 256}
	}
	d.Layers = append(d.Layers, &stack.Layer{
		ID: "coat", Name: "Coat", Kind: stack.Fill, Visible: true, Amount: 1,
		Channels: map[stack.Channel]stack.Coat{stack.BaseColor: {On: true, Value: []float32{0.2, 0.4, 0.6}, Amount: 1}},
	})
	p := eval.Compile(eval.NewScene(m, cache.New(64<<20)), d, "", "")
	c := Around(m.Bounds, geom.V3(0.55, 0.28, 1), 30)
	const w, h = 300, 420
	last := 0.0
	view := c.Matrix(float64(w) / h)
	v, err := Paint(context.Background(), p, view, c.Eye, c.At, w, h, func(s float64) {
		if s <= last {
			t.Errorf("progress goes from %v to %v", last, s)
		}
		last = s
	})
	if err != nil {
		t.Fatal(err)
	}
	if last != 1 || len(v.Parts) < 3 {
		t.Fatalf("it ended at %v with %d parts", last, len(v.Parts))
	}
	seen, dark, light := 0, 255, 0
	for y := range h {
		for x := range w {
			a := v.Silhouette.NRGBAAt(x, y).A
			sum := 0
			for _, part := range v.Parts {
				sum += int(part.Mask.NRGBAAt(x, y).A)
			}
			if math.Abs(float64(sum-int(a))) > 4 || v.Lit.NRGBAAt(x, y).A != a || v.Light.NRGBAAt(x, y).A != a {
				t.Fatalf("at %d, %d the silhouette covers %d, the parts %d, the lit picture %d", x, y, a, sum, v.Lit.NRGBAAt(x, y).A)
			}
			if a == 0 {
				continue
			}
			seen++
			if b := v.Base.NRGBAAt(x, y); abs8(b.R, 51) > 1 || abs8(b.G, 102) > 1 || abs8(b.B, 153) > 1 {
				t.Fatalf("the base color at %d, %d is %v", x, y, b)
			}
			l := v.Light.NRGBAAt(x, y)
			dark, light = min(dark, int(l.G)), max(light, int(l.G))
		}
	}
	if seen < w*h/8 || light-dark < 80 {
		t.Errorf("%d pixels are seen, in light from %d to %d", seen, dark, light)
	}
	// the same view in one band, and one drawn at another size, agree with it
	whole, err := Sketch(context.Background(), p, c, w, h)
	if err != nil {
		t.Fatal(err)
	}
	off := 0
	for y := range h {
		for x := range w {
			if v.Silhouette.NRGBAAt(x, y).A != 255 {
				continue
			}
			a, b := v.Lit.NRGBAAt(x, y), whole.RGBAAt(x, y)
			if abs8(a.R, b.R) > 3 || abs8(a.G, b.G) > 3 || abs8(a.B, b.B) > 3 {
				off++
			}
		}
	}
	if off > seen/200 {
		t.Errorf("%d of %d pixels differ from the view drawn whole", off, seen)
	}
	// a large one, of which each pixel is evaluated once: as dense, and of the same colours
	was := supersampled
	supersampled = 1
	defer func() { supersampled = was }()
	large, err := Paint(context.Background(), p, view, c.Eye, c.At, w, h, nil)
	if err != nil {
		t.Fatal(err)
	}
	off = 0
	for y := range h {
		for x := range w {
			a := v.Silhouette.NRGBAAt(x, y)
			if large.Silhouette.NRGBAAt(x, y).A != a.A {
				t.Fatalf("at %d, %d it covers %d, not %d", x, y, large.Silhouette.NRGBAAt(x, y).A, a.A)
			}
			if b := large.Base.NRGBAAt(x, y); a.A > 0 && (abs8(b.R, 51) > 1 || abs8(b.G, 102) > 1 || abs8(b.B, 153) > 1) {
				t.Fatalf("its base color at %d, %d is %v", x, y, b)
			}
			if p, q := large.Lit.NRGBAAt(x, y), v.Lit.NRGBAAt(x, y); a.A == 255 && abs8(p.G, q.G) > 40 {
				off++
			}
		}
	}
	if off > seen/50 {
		t.Errorf("%d of %d pixels look otherwise", off, seen)
	}
	stop, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := Paint(stop, p, view, c.Eye, c.At, w, h, nil); err == nil {
		t.Error("it cannot be stopped")
	}
}

func abs8(a, b uint8) int { return max(int(a)-int(b), int(b)-int(a)) }
