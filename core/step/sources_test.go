package step

import (
	"math"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
)

// There are the sources that an artist expects, each with a heading.
func TestThereAreManySources(t *testing.T) {
	groups := map[string]int{}
	for _, d := range Descriptions() {
		if d.Role == "source" {
			groups[d.Group]++
		}
	}
	total := 0
	for _, n := range groups {
		total += n
	}
	if total < 60 || groups[""] > 0 || groups["Noises"] < 9 || groups["Patterns"] < 24 || groups["Marks"] < 12 || groups["Gradients"] < 7 || groups["Picks"] < 4 {
		t.Errorf("%d sources: %v", total, groups)
	}
}

func value(kind string, p map[string]any, at, n geom.Vec3) float64 {
	f := raster.Point(at, n, 0)
	f.Footprint = 1e-5
	in, d := NewInput(&stack.Step{Kind: kind, Params: p}, f, geom.Box{Min: geom.V3(-0.5, 0, -0.5), Max: geom.V3(0.5, 1, 0.5)})
	out := make([]float32, 1)
	d.Run(in, out)
	return float64(out[0])
}

// Patterns and gradients at places where geometry says what they are. Seen from above
// a cast from three sides reads x to the right and z downward.
func TestPatternsByGeometry(t *testing.T) {
	up := geom.V3(0, 1, 0)
	p := func(x, z float32) geom.Vec3 { return geom.V3(x, 0, z) }
	for _, c := range []struct {
		name string
		got  float64
		want float64
	}{
		{"stripe", value("stripes", map[string]any{"size": 0.1}, p(0.05, 0), up), 1},
		{"between stripes", value("stripes", map[string]any{"size": 0.1}, p(0.1, 0), up), 0},
		{"light check", value("checks", map[string]any{"size": 0.1}, p(0.05, 0.05), up), 1},
		{"dark check", value("checks", map[string]any{"size": 0.1}, p(0.15, 0.05), up), 0},
		{"turned check", value("checks", map[string]any{"size": 0.1, "turn": 90.0}, p(0.15, 0.05), up), 1},
		{"middle of a dot", value("dots", map[string]any{"size": 0.1}, p(0.05, 0.05), up), 1},
		{"between dots", value("dots", map[string]any{"size": 0.1}, p(0, 0), up), 0},
		{"joint of bricks", value("bricks", map[string]any{"size": 0.1}, p(0.07, 0.1), up), 0},
		{"a brick", value("bricks", map[string]any{"size": 0.1, "vary": 0.0, "offset": 0.0}, p(0.13, 0.05), up), 1},
		{"middle of a hexagon", value("hexagons", map[string]any{"size": 0.1, "vary": 0.0}, p(0.05, 0.0866), up), 1},
		{"grid line", value("grid", map[string]any{"size": 0.1}, p(0.1, 0.05), up), 1},
		{"in a mesh of the grid", value("grid", map[string]any{"size": 0.1}, p(0.15, 0.15), up), 0},
		{"corrugation, crest", value("corrugation", map[string]any{"size": 0.1}, p(0.025, 0), up), 1},
		{"corrugation, valley", value("corrugation", map[string]any{"size": 0.1}, p(0.075, 0), up), 0},
		{"knurl, top", value("knurl", map[string]any{"size": 0.1, "flat": 0.0}, p(0.05, 0), up), 1},
		{"half way between two points", value("gradient-line", map[string]any{"from": []any{0.0, 0.0, 0.0}, "to": []any{1.0, 0.0, 0.0}}, p(0.5, 0.3), up), 0.5},
		{"a quarter, straight", value("gradient-line", map[string]any{"from": []any{0.0, 0.0, 0.0}, "to": []any{1.0, 0.0, 0.0}, "soft": "straight"}, p(0.25, 0.3), up), 0.25},
		{"within the ball", value("gradient-radial", map[string]any{"at": []any{0.0, 0.0, 0.0}, "radius": 0.2, "core": 0.5}, p(0.09, 0), up), 1},
		{"beyond the ball", value("gradient-radial", map[string]any{"at": []any{0.0, 0.0, 0.0}, "radius": 0.2}, p(0.21, 0), up), 0},
		{"in the box", value("gradient-box", map[string]any{"at": []any{0.0, 0.0, 0.0}, "width": 0.2}, p(0.09, 0), up), 1},
		{"half out of the box", value("gradient-box", map[string]any{"at": []any{0.0, 0.0, 0.0}, "width": 0.2, "fade": 0.02}, p(0.11, 0), up), 0.5},
		{"the box turned", value("gradient-box", map[string]any{"at": []any{0.0, 0.0, 0.0}, "width": 0.4, "deep": 0.02, "fade": 0.01, "turn": 90.0}, p(0, 0.15), up), 1},
		{"facing as set", value("facing", map[string]any{"axis": "as set", "towards": []any{0.0, 1.0, 0.0}}, p(0, 0), up), 1},
	} {
		if math.Abs(c.got-c.want) > 0.02 {
			t.Errorf("%s: %.3f, want %.3f", c.name, c.got, c.want)
		}
	}
}

// A cast wound round an axis meets itself: just before and just after a whole turn it
// is the same.
func TestWoundPatternsMeetThemselves(t *testing.T) {
	for _, kind := range []string{"stripes", "bricks", "hexagons", "weave", "scales"} {
		for k := range 20 {
			y := 0.04 + 0.045*float32(k)
			at := func(angle float64) float64 {
				s, c := math.Sincos(angle)
				n := geom.V3(float32(c), 0, float32(-s))
				return value(kind, map[string]any{"laid": "round an axis", "size": 0.05}, n.Mul(0.3).Add(geom.V3(0, y, 0)), n)
			}
			if a, b := at(math.Pi-1e-5), at(-math.Pi+1e-5); math.Abs(a-b) > 0.02 && kind != "stripes" {
				// pieces are told apart by number: their greys may differ, their joints may not
				if (a > 0.05) != (b > 0.05) {
					t.Errorf("%s at %v: %v before the join and %v after", kind, y, a, b)
				}
			}
		}
	}
}

func TestNoiseIsInvertedShiftedAndTurned(t *testing.T) {
	up := geom.V3(0, 1, 0)
	q := geom.V3(0.123, 0.4, -0.2)
	a := value("noise", nil, q, up)
	if b := value("noise", map[string]any{"invert": true}, q, up); math.Abs(a+b-1) > 1e-5 {
		t.Errorf("a noise of %v is inverted to %v", a, b)
	}
	if b := value("noise", map[string]any{"shiftX": 0.3, "shiftZ": -0.1}, q.Add(geom.V3(0.3, 0, -0.1)), up); math.Abs(a-b) > 1e-4 {
		t.Errorf("moved along with the place the noise is %v, was %v", b, a)
	}
	// a quarter turn about the upright takes x to −z
	if b := value("noise", map[string]any{"spin": 90.0}, geom.V3(q.Z, q.Y, -q.X).Mul(-1).Add(geom.V3(0, 2*q.Y, 0)), up); math.Abs(a-b) > 0.02 {
		b2 := value("noise", map[string]any{"spin": 90.0}, geom.V3(q.Z, q.Y, -q.X), up)
		b3 := value("noise", map[string]any{"spin": 90.0}, geom.V3(-q.Z, q.Y, q.X), up)
		if math.Abs(a-b2) > 0.02 && math.Abs(a-b3) > 0.02 {
			t.Errorf("turned with the place the noise is %v, %v or %v, was %v", b, b2, b3, a)
		}
	}
	if b := value("noise", map[string]any{"stretch": 4.0}, geom.V3(q.X, 4*q.Y, q.Z), up); math.Abs(a-b) > 1e-3 {
		t.Errorf("four times as far along the stretch the noise is %v, was %v", b, a)
	}
}

func TestParameterKindsAreChecked(t *testing.T) {
	for _, c := range []struct {
		kind, name string
		v          any
		ok         bool
	}{
		{"gradient-line", "from", []any{1.0, 2.0, 3.0}, true}, {"gradient-line", "from", []any{1.0, 2.0}, false}, {"gradient-line", "from", "here", false},
		{"gradient-distance", "points", []any{[]any{0.0, 0.0, 0.0}}, true}, {"gradient-distance", "points", []any{[]any{0.0}}, false}, {"gradient-distance", "points", []any{}, true},
		{"parts", "parts", []any{"Roof"}, true}, {"parts", "parts", []any{3.0}, false},
		{"faces", "faces", []any{0.0, 12.0}, true}, {"faces", "faces", []any{-1.0}, false}, {"islands", "islands", []any{1.5}, false},
	} {
		err := Rules.Step(&stack.Step{ID: "a", Kind: c.kind, Params: map[string]any{c.name: c.v}})
		if (err == nil) != c.ok {
			t.Errorf("%s.%s = %v: %v", c.kind, c.name, c.v, err)
		}
	}
}

func TestGrade(t *testing.T) {
	g := Grade{Gamma: 1, Saturation: 1}
	if c := g.Apply([3]float32{0.2, 0.5, 0.8}); !g.Neutral() || math.Abs(float64(c[0])-0.2)+math.Abs(float64(c[2])-0.8) > 1e-5 {
		t.Error("a neutral grade changes colours")
	}
	red := [3]float32{1, 0, 0}
	if c := (Grade{Gamma: 1, Saturation: 1, Hue: 120}).Apply(red); c[1] < 0.99 || c[0] > 0.01 {
		t.Errorf("red turned by a third is %v, want green", c)
	}
	if c := (Grade{Gamma: 1}).Apply([3]float32{0.8, 0.2, 0.2}); math.Abs(float64(c[0]-c[1])) > 1e-4 {
		t.Errorf("without saturation it is %v", c)
	}
	if c := (Grade{Gamma: 2, Saturation: 1}).Apply([3]float32{0.25, 0.25, 0.25}); math.Abs(float64(c[0])-0.5) > 1e-4 {
		t.Errorf("gamma 2 of a quarter is %v, want a half", c)
	}
}
