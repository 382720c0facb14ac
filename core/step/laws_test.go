package step

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
)

// Laws that hold for every kind, whatever it draws.

// level is a flat patch of n × n points, a footprint apart, seen from above; its left upper
// texel lies at x, z.
func level(n int, footprint, x, z float32) *raster.Frame {
	f := &raster.Frame{W: n, H: n, Footprint: footprint, Covered: n * n}
	for i := range n * n {
		f.Pos = append(f.Pos, geom.V3(x+(float32(i%n)+0.5)*footprint, 0.01, z+(float32(i/n)+0.5)*footprint))
		f.Nrm = append(f.Nrm, geom.V3(0, 1, 0))
		f.Tri, f.Inside = append(f.Tri, 0), append(f.Inside, true)
	}
	return f
}

var around = geom.Box{Min: geom.V3(-0.5, 0, -0.5), Max: geom.V3(0.5, 1, 0.5)}

// alone are the kinds of a role that need nothing but the points.
func alone(role string) (out []Description) {
	for _, d := range Descriptions() {
		if d.Role == role && !d.Special && d.Reads == nil && d.Surface == nil && !d.Hand && (d.Run != nil || d.RunColor != nil) && d.Filter == nil {
			out = append(out, d)
		}
	}
	return out
}

func inputOf(d *Description, f *raster.Frame, params map[string]any) Input {
	in, _ := NewInput(&stack.Step{ID: "x", Kind: d.Kind, On: true, Amount: 1, Params: params}, f, around)
	in.UV = func(i int) geom.Vec2 { return geom.Vec2{X: f.Pos[i].X, Y: f.Pos[i].Z} }
	in.Sheet = in.UV
	return in
}

// What a source draws at a point is the same whatever else is drawn with it: a tile, its
// margin, or a row of points that lie nowhere near each other. Lines that are finer than texels
// are not passed over where a whole tile is drawn.
func TestASourceIsOfThePointAlone(t *testing.T) {
	const n = 64
	tried := 0
	for _, d := range alone("source") {
		for _, footprint := range []float32{0.002, 0.004} {
			whole := level(n, footprint, 0.03, -0.07)
			apart := *whole
			apart.W, apart.H = n*n, 1
			all, each := evaluated(&d, inputOf(&d, whole, nil), 0), evaluated(&d, inputOf(&d, &apart, nil), 0)
			tried++
			differ := 0
			for i, v := range each {
				if x, y := i%n, i/n%n; x > 0 && y > 0 && x < n-1 && y < n-1 && math.Abs(float64(v-all[i])) > 0.06 {
					differ++
				}
			}
			if share := float64(differ) / float64(len(all)); share > 0.02 {
				t.Errorf("%s at texels of %v m: %.1f %% of the points are others alone than among others", d.Kind, footprint, 100*share)
			}
		}
	}
	if tried < 100 {
		t.Errorf("%d were tried", tried)
	}
}

// A source at coarse texels has on the mean what it has at fine ones: nothing grows darker or
// lighter with the size of a sheet.
func TestSourcesAgreeOverSizes(t *testing.T) {
	const n = 96
	for _, d := range alone("source") {
		mean := func(n int, footprint float32) (sum float64) {
			out := evaluated(&d, inputOf(&d, level(n, footprint, 0.03, -0.07), nil), 0)
			for _, v := range out {
				sum += float64(v)
			}
			return sum / float64(len(out))
		}
		fine, coarse := mean(n, 0.001), mean(n/4, 0.004)
		if math.Abs(fine-coarse) > 0.02 {
			t.Errorf("%s: %.3f on the mean at 1 mm, %.3f at 4 mm", d.Kind, fine, coarse)
		}
	}
}

// Another seed is another pattern of the same kind: other values, about the same mean.
func TestASeedIsAnotherOfTheSame(t *testing.T) {
	const n = 96
	tried := 0
	for _, d := range alone("source") {
		if !slices.ContainsFunc(d.Params, func(p Param) bool { return p.Name == "seed" }) {
			continue
		}
		f := level(n, 0.004, -0.2, -0.2)
		stats := func(seed float64) (mean float64, out []float32) {
			out = evaluated(&d, inputOf(&d, f, map[string]any{"seed": seed}), 0)
			for _, v := range out {
				mean += float64(v) / float64(len(out))
			}
			return mean, out
		}
		a, first := stats(1)
		b, second := stats(2)
		differ := 0
		for i := range first {
			if math.Abs(float64(first[i]-second[i])) > 0.004 {
				differ++
			}
		}
		tried++
		if math.Abs(a-b) > 0.15 {
			t.Errorf("%s: the mean goes from %.3f to %.3f with the seed", d.Kind, a, b)
		}
		regular := slices.Contains([]string{"checks", "corrugation", "dots", "grid", "net", "stripes", "tread"}, d.Kind)
		if lo, hi := slices.Min(first), slices.Max(first); hi-lo > 0.2 && differ < len(first)/200 && !regular {
			t.Errorf("%s: the seed changes %d of %d values", d.Kind, differ, len(first))
		}
	}
	if tried < 25 {
		t.Errorf("%d sources have a seed", tried)
	}
}

// Shapers of greys look at one point at a time, and keep the order of greys or turn it over.
func TestShapersOfGreys(t *testing.T) {
	const n = 16
	f := level(n, 0.001, 0, 0)
	r := rand.New(rand.NewPCG(4, 2))
	order := r.Perm(n * n)
	for _, d := range alone("shaper") {
		if d.Run == nil {
			continue
		}
		in := inputOf(&d, f, nil)
		row, mixed := make([]float32, n*n), make([]float32, n*n)
		for i := range row {
			row[i] = float32(i) / (n*n - 1)
		}
		for i, k := range order {
			mixed[i] = row[k]
		}
		d.Run(in, row)
		d.Run(in, mixed)
		for i, k := range order {
			if mixed[i] != row[k] {
				t.Fatalf("%s: a grey becomes %v or %v by its place", d.Kind, mixed[i], row[k])
			}
		}
		up, down := true, true
		for i := 1; i < len(row); i++ {
			up, down = up && row[i] >= row[i-1]-1e-6, down && row[i] <= row[i-1]+1e-6
		}
		if !up && !down {
			t.Errorf("%s: with its usual settings it changes the order of greys", d.Kind)
		}
	}
}

// filtered runs a filter over a plane with a radius in texels of a millimetre.
func filtered(t *testing.T, kind string, f *raster.Frame, src, inner []float32, params map[string]any) []float32 {
	t.Helper()
	d, ok := Get(kind)
	if !ok || d.Filter == nil {
		t.Fatalf("%s is no filter", kind)
	}
	in := inputOf(d, f, params)
	out := make([]float32, len(src))
	d.Filter(in, src, inner, out)
	if d.Mix != nil {
		d.Mix(in, src, out)
	}
	return out
}

func scribble(n int, seed uint64) []float32 {
	r := rand.New(rand.NewPCG(seed, 1))
	out := make([]float32, n*n)
	for i := range out {
		out[i] = float32(r.IntN(3)) / 2
	}
	return out
}

// Filters move with what they filter, are the same from both sides, leave what is even as it
// is, and make nothing lighter than the lightest.
func TestLawsOfFilters(t *testing.T) {
	const n = 40
	f := level(n, 0.001, 0, 0)
	src := scribble(n, 3)
	half := make([]float32, n*n)
	for i := range half {
		half[i] = 0.5
	}
	for kind, c := range map[string]struct {
		params map[string]any
		even   float32 // what a half everywhere becomes
		mirror bool    // left and right are alike to it
	}{
		"blur":    {map[string]any{"radius": 0.002}, 0.5, true},
		"sharpen": {map[string]any{"radius": 0.002}, 0.5, true},
		"smear":   {map[string]any{"radius": 0.005, "direction": []any{0.0, 0.0, 1.0}}, 0.5, true},
		"warp":    {map[string]any{"radius": 0.003, "direction": []any{0.0, 0.0, 1.0}}, 0.5, true},
		"slope":   {map[string]any{"height": 0.001}, 0, true},
		"edge":    {map[string]any{"radius": 0.002}, 0, true},
		"expand":  {map[string]any{"radius": 0.002}, 0.5, true},
	} {
		inner := half
		if kind == "warp" {
			inner = scribble(n, 9)
		}
		for i, v := range filtered(t, kind, f, half, inner, c.params) {
			if math.Abs(float64(v-c.even)) > 1e-5 {
				t.Fatalf("%s: a half everywhere becomes %v at %d", kind, v, i)
			}
		}
		out := filtered(t, kind, f, src, inner, c.params)
		for i, v := range out {
			if v < -1e-6 || v > 1+1e-6 {
				t.Fatalf("%s: %v at %d", kind, v, i)
			}
		}
		// one texel to the right, away from the borders
		shift := func(v []float32) []float32 {
			o := slices.Clone(v)
			for i := range o {
				if i%n > 0 {
					o[i] = v[i-1]
				}
			}
			return o
		}
		moved := filtered(t, kind, f, shift(src), shift(inner), c.params)
		mirror := func(v []float32) []float32 {
			o := make([]float32, len(v))
			for i := range o {
				o[i] = v[i/n*n+n-1-i%n]
			}
			return o
		}
		turned := mirror(filtered(t, kind, f, mirror(src), mirror(inner), c.params))
		for y := 10; y < n-10; y++ {
			for x := 10; x < n-10; x++ {
				i := y*n + x
				if math.Abs(float64(moved[i]-out[i-1])) > 1e-4 {
					t.Fatalf("%s: moved by a texel it is %v, was %v", kind, moved[i], out[i-1])
				}
				if math.Abs(float64(turned[i]-out[i])) > 1e-4 {
					t.Fatalf("%s: seen in a mirror it is %v, was %v", kind, turned[i], out[i])
				}
			}
		}
	}
}

// To grow what is dark is to grow what is light of the opposite; growing by a radius draws a
// point out to a disc of it.
func TestExpanding(t *testing.T) {
	const n = 41
	f := level(n, 0.001, 0, 0)
	src := scribble(n, 5)
	opposite := func(v []float32) []float32 {
		o := slices.Clone(v)
		for i := range o {
			o[i] = 1 - o[i]
		}
		return o
	}
	dark := filtered(t, "expand", f, src, nil, map[string]any{"radius": 0.0025, "grow": "dark"})
	light := opposite(filtered(t, "expand", f, opposite(src), nil, map[string]any{"radius": 0.0025}))
	for i := range dark {
		if math.Abs(float64(dark[i]-light[i])) > 1e-6 {
			t.Fatalf("at %d it is %v and %v", i, dark[i], light[i])
		}
	}
	dot := make([]float32, n*n)
	dot[n*n/2] = 1
	for _, r := range []float64{1, 3, 6.5} {
		area := 0.0
		for i, v := range filtered(t, "expand", f, dot, nil, map[string]any{"radius": r / 1000}) {
			d := math.Hypot(float64(i%n-n/2), float64(i/n-n/2))
			if d <= r && v != 1 || d >= r+1 && v != 0 {
				t.Fatalf("grown by %v it is %v at %v texels", r, v, d)
			}
			area += float64(v)
		}
		if want := math.Pi * (r + 0.5) * (r + 0.5); math.Abs(area-want) > 0.12*want {
			t.Errorf("grown by %v it covers %.1f texels, want about %.1f", r, area, want)
		}
	}
}

// Two blurs are one whose variance is theirs together, and a blur keeps the sum of a dot.
func TestBlursAdd(t *testing.T) {
	const n = 64
	f := level(n, 0.001, 0, 0)
	dot := make([]float32, n*n)
	dot[n/2*n+n/2] = 1
	by := func(v []float32, r float64) []float32 {
		return filtered(t, "blur", f, v, nil, map[string]any{"radius": r})
	}
	twice, once := by(by(dot, 0.003), 0.004), by(dot, 0.005)
	sum := 0.0
	for i, v := range once {
		sum += float64(v)
		d2 := float64((i%n-n/2)*(i%n-n/2) + (i/n-n/2)*(i/n-n/2))
		if want := math.Exp(-d2/50) / (50 * math.Pi); math.Abs(float64(v)-want) > 1e-4 || math.Abs(float64(v-twice[i])) > 1e-4 {
			t.Fatalf("at %d: %v, by two blurs %v, by the formula %v", i, v, twice[i], want)
		}
	}
	if math.Abs(sum-1) > 0.01 {
		t.Errorf("a dot of 1 comes to %v", sum)
	}
}

// The slope of a value on a surface is the same in whatever way the surface is laid out: texels
// may be oblong and lie askew.
func TestGradientInAnyFrame(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 1))
	for range 400 {
		v := func() geom.Vec3 {
			return geom.V3(float32(r.NormFloat64()), float32(r.NormFloat64()), float32(r.NormFloat64()))
		}
		n := v().Unit()
		g := v()
		g = g.Sub(n.Mul(g.Dot(n))) // the slope lies on the surface
		px, py := v(), v()
		if px.Cross(py).Length() < 0.3*px.Length()*py.Length() || math.Abs(float64(px.Cross(py).Unit().Dot(n))) < 0.3 {
			continue
		}
		flat := func(p geom.Vec3) geom.Vec3 { return p.Sub(n.Mul(p.Dot(n))) }
		got := Gradient(n, px, py, g.Dot(flat(px)), g.Dot(flat(py)))
		if got.Sub(g).Length() > 1e-3*(1+g.Length()) {
			t.Fatalf("the slope %v is found as %v over %v and %v", g, got, px, py)
		}
	}
	if got := Gradient(geom.V3(0, 1, 0), geom.V3(1, 0, 0), geom.V3(2, 0, 0), 1, 2); got != (geom.Vec3{}) {
		t.Errorf("over a line it is %v", got)
	}
}
