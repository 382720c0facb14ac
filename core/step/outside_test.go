package step

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"
	"velvetgrime/core/blend"

	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"

	"github.com/disintegration/imaging"
)

// flat is a patch of n × n points, a metre apart, all on the surface.
func flat(n int) *raster.Frame {
	f := &raster.Frame{W: n, H: n, Footprint: 1, Covered: n * n}
	for i := range n * n {
		f.Pos = append(f.Pos, geom.V3(float32(i%n), 0, float32(i/n)))
		f.Nrm = append(f.Nrm, geom.V3(0, 1, 0))
		f.Tri = append(f.Tri, 0)
		f.Inside = append(f.Inside, true)
	}
	return f
}

func runFilter(kind string, f *raster.Frame, params map[string]any, src, inner []float32) []float32 {
	in, d := NewInput(&stack.Step{Kind: kind, Params: params}, f, geom.Box{})
	out := make([]float32, len(src))
	d.Filter(in, src, inner, out)
	if d.Mix != nil {
		d.Mix(in, src, out)
	}
	return out
}

// speckle is a picture of blocks and single dots, and the same as an image.
func speckle(n int) ([]float32, *image.NRGBA) {
	r := rand.New(rand.NewPCG(1, 2))
	v, img := make([]float32, n*n), image.NewNRGBA(image.Rect(0, 0, n, n))
	for i := range v {
		g := uint8(40)
		if (i%n/9+i/n/7)%2 == 0 {
			g = 210
		}
		if r.IntN(12) == 0 {
			g = uint8(r.IntN(256))
		}
		v[i] = float32(g) / 255
		img.SetNRGBA(i%n, i/n, color.NRGBA{g, g, g, 255})
	}
	return v, img
}

func worst(t *testing.T, n, border int, got []float32, want *image.NRGBA) float64 {
	t.Helper()
	d := 0.0
	for y := border; y < n-border; y++ {
		for x := border; x < n-border; x++ {
			d = max(d, math.Abs(float64(got[y*n+x])-float64(want.NRGBAAt(x, y).R)/255))
		}
	}
	return d
}

// The pictures of an image library are the reference: it works in 8 bits, so up to
// one step of rounding in each of its two passes is its own.
func TestAgainstAnImageLibrary(t *testing.T) {
	const n = 96
	v, img := speckle(n)
	for _, sigma := range []float64{0.8, 2, 5} {
		got := runFilter("blur", flat(n), map[string]any{"radius": sigma}, v, nil)
		if d := worst(t, n, int(4*sigma)+1, got, imaging.Blur(img, sigma)); d > 2.0/255 {
			t.Errorf("blur of %v: off by %.4f", sigma, d)
		}
	}
	for _, g := range []float64{0.5, 1.8} {
		got := append([]float32(nil), v...)
		Run(&stack.Step{Kind: "levels", Params: map[string]any{"gamma": g}}, flat(n), geom.Box{}, got)
		if d := worst(t, n, 0, got, imaging.AdjustGamma(img, g)); d > 1.0/255 {
			t.Errorf("gamma %v: off by %.4f", g, d)
		}
	}
	got := append([]float32(nil), v...)
	Run(&stack.Step{Kind: "invert"}, flat(n), geom.Box{}, got)
	if d := worst(t, n, 0, got, imaging.Invert(img)); d > 1e-6 {
		t.Errorf("invert: off by %.4f", d)
	}
}

// What can be worked out by hand.
func TestFiltersOnKnownShapes(t *testing.T) {
	const n = 41
	f := flat(n)
	at := func(v []float32, x, y int) float64 { return float64(v[y*n+x]) }
	edge, dot, slant, even := make([]float32, n*n), make([]float32, n*n), make([]float32, n*n), make([]float32, n*n)
	for i := range edge {
		if i%n >= 20 {
			edge[i] = 1
		}
		slant[i] = float32(i%n) / n
		even[i] = 0.3
	}
	dot[20*n+20] = 1
	near := func(what string, got, want, tolerance float64) {
		t.Helper()
		if math.Abs(got-want) > tolerance {
			t.Errorf("%s: %.4f, want %.4f", what, got, want)
		}
	}
	// a Gaussian of an edge is the normal distribution: the texel of the edge lies half a texel inside
	blurred := runFilter("blur", f, map[string]any{"radius": 3.0}, edge, nil)
	near("blurred edge, 4 texels inside", at(blurred, 24, 20), 0.5*(1+math.Erf(4.5/3/math.Sqrt2)), 0.004)
	near("blurred edge, 4 texels outside", at(blurred, 15, 20), 0.5*(1-math.Erf(4.5/3/math.Sqrt2)), 0.004)
	for _, kind := range []string{"blur", "sharpen", "smear", "expand", "warp"} {
		near(kind+" leaves what is even", at(runFilter(kind, f, map[string]any{"radius": 4.0}, even, slant), 20, 20), 0.3, 1e-5)
	}
	near("an edge has none inside what is even", at(runFilter("edge", f, map[string]any{"radius": 2.0}, edge, nil), 30, 20), 0, 0)
	near("edge", at(runFilter("edge", f, map[string]any{"radius": 2.0}, edge, nil), 21, 20), 1, 0)
	grown := runFilter("expand", f, map[string]any{"radius": 5.0}, dot, nil)
	near("a dot grows to its radius", at(grown, 25, 20), 1, 0)
	near("and not further", at(grown, 26, 20), 0, 0)
	near("in the diagonal as far: √18 < 5", at(grown, 23, 23), 1, 0)
	near("√32 > 5", at(grown, 24, 24), 1+5-math.Sqrt(32), 1e-3) // by its share of the last texel
	near("dark grows over a dot", at(runFilter("expand", f, map[string]any{"radius": 1.0, "grow": "dark"}, dot, nil), 20, 20), 0, 0)
	// white n metres high over n metres: 45° is half of upright
	near("slope of 45°", at(runFilter("slope", f, map[string]any{"height": float64(n)}, slant, nil), 20, 20), 0.5, 1e-3)
	// light along +x on a slope that rises along +x comes from behind it: 0.5 − 0.5·sin 45°
	light := map[string]any{"height": float64(n), "show": "light from direction", "direction": []any{1.0, 0.0, 0.0}}
	near("light from where it rises", at(runFilter("slope", f, light, slant, nil), 20, 20), 0.5-0.5/math.Sqrt2, 1e-3)
	smeared := runFilter("smear", f, map[string]any{"radius": 6.0, "direction": []any{1.0, 0.0, 0.0}}, dot, nil)
	near("a smear runs along", at(smeared, 23, 20), at(smeared, 17, 20), 1e-5)
	if at(smeared, 23, 20) < 0.04 || at(smeared, 20, 23) != 0 || at(smeared, 28, 20) != 0 {
		t.Errorf("smeared to %v along, %v across, %v beyond", at(smeared, 23, 20), at(smeared, 20, 23), at(smeared, 28, 20))
	}
	run := runFilter("smear", f, map[string]any{"radius": 6.0, "direction": []any{1.0, 0.0, 0.0}, "way": "forward"}, dot, nil)
	if at(run, 23, 20) < 0.08 || at(run, 17, 20) != 0 {
		t.Errorf("a run trails to %v forward and %v back", at(run, 23, 20), at(run, 17, 20))
	}
	white := make([]float32, n*n)
	for i := range white {
		white[i] = 1
	}
	pushed := runFilter("warp", f, map[string]any{"radius": 4.0, "direction": []any{1.0, 0.0, 0.0}}, dot, white)
	near("white pushes forward", at(pushed, 24, 20), 1, 1e-4)
	downhill := runFilter("warp", f, map[string]any{"radius": 4.0, "way": "downhill"}, slant, slant)
	if at(downhill, 20, 20) >= at(slant, 20, 20) {
		t.Error("downhill is uphill")
	}
}

// What stands for nothing must not be read.
func TestFiltersLeaveGapsOut(t *testing.T) {
	const n = 31
	f := flat(n)
	v := make([]float32, n*n)
	for i := range v {
		v[i] = 0.25
		if i%n > 18 {
			f.Tri[i], v[i] = -1, float32(math.Inf(1))
		}
	}
	for _, kind := range []string{"blur", "sharpen", "smear", "expand", "edge", "slope", "warp"} {
		out := runFilter(kind, f, map[string]any{}, v, v)
		if kind != "slope" {
			out = runFilter(kind, f, map[string]any{"radius": 5.0}, v, v)
		}
		want := 0.25
		if kind == "edge" || kind == "slope" {
			want = 0
		}
		if got := float64(out[15*n+17]); math.Abs(got-want) > 1e-5 {
			t.Errorf("%s beside a gap: %v, want %v", kind, got, want)
		}
	}
}

func TestTones(t *testing.T) {
	pts := func(v ...float64) []any {
		var out []any
		for i := 0; i < len(v); i += 2 {
			out = append(out, []any{v[i], v[i+1]})
		}
		return out
	}
	grey := func(kind string, p map[string]any, v float32) float32 {
		return run(kind, p, geom.Vec3{}, geom.V3(0, 1, 0), v)
	}
	ramp := map[string]any{"stops": []any{[]any{0.2, 0.0, 0.0, 0.0}, []any{0.6, 1.0, 1.0, 1.0}, []any{0.8, 0.5, 0.5, 0.5}}}
	steps := map[string]any{"stops": ramp["stops"], "between": "steps"}
	for _, c := range []struct {
		what      string
		got, want float32
	}{
		{"a straight curve", grey("curve", nil, 0.3), 0.3},
		{"a curve goes through its points", grey("curve", map[string]any{"points": pts(0, 0.1, 0.4, 0.8, 1, 0.9)}, 0.4), 0.8},
		{"before the first", grey("curve", map[string]any{"points": pts(0.2, 0.1, 1, 1)}, 0.1), 0.1},
		{"one point", grey("curve", map[string]any{"points": pts(0.5, 0.7)}, 0.9), 0.7},
		{"ramp between", grey("ramp", ramp, 0.4), 0.5},
		{"ramp before", grey("ramp", ramp, 0.1), 0},
		{"ramp in steps", grey("ramp", steps, 0.79), 1},
		{"ramp after", grey("ramp", steps, 0.9), 0.5},
		{"contrast", grey("contrast", map[string]any{"contrast": 2.0, "brightness": 0.1}, 0.6), 0.8},
		{"four greys", grey("posterize", nil, 0.3), 1.0 / 3},
		{"the last grey is white", grey("posterize", nil, 1), 1},
		{"lighter", grey("hue", map[string]any{"lightness": 0.5}, 0.4), 0.7},
		{"darker", grey("hue", map[string]any{"lightness": -0.5}, 0.4), 0.2},
	} {
		if math.Abs(float64(c.got-c.want)) > 1e-5 {
			t.Errorf("%s: %v, want %v", c.what, c.got, c.want)
		}
	}
	// Fritsch and Carlson: between rising points the curve never falls
	c := pix.NewCurve([][]float32{{0, 0}, {0.1, 0.5}, {0.15, 0.5}, {0.9, 0.52}, {1, 1}})
	last := float32(-1)
	for i := range 1001 {
		if v := c.At(float32(i) / 1000); v < last-1e-6 {
			t.Fatalf("the curve falls at %v", float32(i)/1000)
		} else {
			last = v
		}
	}
}

// CSS Color 4 gives these pairs: hsl(120 100% 25%) is the keyword green, and so on.
func TestHue(t *testing.T) {
	for _, c := range []struct{ h, s, l, r, g, b float32 }{
		{120.0 / 360, 1, 0.25, 0, 0.501961 / 1.003922, 0}, {0, 0, 0.5, 0.5, 0.5, 0.5}, {39.0 / 360, 1, 0.5, 1, 0.65, 0}, {300.0 / 360, 0.5, 0.5, 0.75, 0.25, 0.75},
	} {
		r, g, b := blend.FromHSL(c.h, c.s, c.l)
		if math.Abs(float64(r-c.r))+math.Abs(float64(g-c.g))+math.Abs(float64(b-c.b)) > 1e-5 {
			t.Errorf("hsl(%v %v %v) = %v %v %v, want %v %v %v", c.h*360, c.s, c.l, r, g, b, c.r, c.g, c.b)
		}
		h, s, l := blend.ToHSL(c.r, c.g, c.b)
		if math.Abs(float64(h-c.h))+math.Abs(float64(s-c.s))+math.Abs(float64(l-c.l)) > 1e-5 {
			t.Errorf("back: %v %v %v, want %v %v %v", h*360, s, l, c.h*360, c.s, c.l)
		}
	}
	in, d := NewInput(&stack.Step{Kind: "hue", Params: map[string]any{"turn": 120.0}}, raster.Point(geom.Vec3{}, geom.V3(0, 1, 0), 0), geom.Box{})
	v := [3][]float32{{1}, {0}, {0}}
	d.RunColor(in, v)
	if v[0][0] > 1e-5 || math.Abs(float64(v[1][0]-1)) > 1e-5 || v[2][0] > 1e-5 {
		t.Errorf("red turned by 120° is %v", v)
	}
}

func TestParametersOfNewKindsAreChecked(t *testing.T) {
	for _, c := range []struct {
		kind, name string
		v          any
		ok         bool
	}{
		{"curve", "points", []any{[]any{0.0, 0.0}}, true}, {"curve", "points", []any{}, false}, {"curve", "points", []any{[]any{0.5, 0.0}, []any{0.2, 1.0}}, false},
		{"curve", "points", []any{[]any{0.5, 1.5}}, false}, {"curve", "points", "line", false}, {"ramp", "stops", []any{[]any{0.5, 1.0}}, false},
		{"smear", "direction", []any{0.0, 0.0, 0.0}, false}, {"smear", "direction", []any{0.0, 1.0, 0.0}, true}, {"color", "value", []any{0.1, 0.2}, false},
		{"color", "value", []any{0.1, 0.2, math.NaN()}, false}, {"follow", "layer", 3.0, false}, {"picture", "picture", "plank.png", true},
	} {
		err := check(&stack.Step{ID: "x", Kind: c.kind, Params: map[string]any{c.name: c.v}})
		if (err == nil) != c.ok {
			t.Errorf("%s %s = %v: %v", c.kind, c.name, c.v, err)
		}
	}
	if check(&stack.Step{ID: "x", Kind: "blur", Steps: []*stack.Step{{ID: "y", Kind: "noise"}}}) == nil {
		t.Error("a blur may not hold a stream")
	}
}
