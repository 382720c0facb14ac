package step

import (
	"math"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
)

func run(kind string, params map[string]any, p, n geom.Vec3, before float32) float32 {
	out := []float32{before}
	s := &stack.Step{ID: "x", Kind: kind, On: true, Amount: 1, Params: params}
	Run(s, raster.Point(p, n, 0), geom.Box{Min: geom.V3(0, 0, 0), Max: geom.V3(1, 2, 1)}, out)
	return out[0]
}

func TestFormulas(t *testing.T) {
	up := geom.V3(0, 1, 0)
	for _, c := range []struct {
		name      string
		got, want float32
	}{
		{"levels stretch", run("levels", map[string]any{"low": 0.2, "high": 0.6}, geom.Vec3{}, up, 0.4), 0.5},
		{"levels below", run("levels", map[string]any{"low": 0.2, "high": 0.6}, geom.Vec3{}, up, 0.1), 0},
		{"levels gamma 2 is a square root", run("levels", map[string]any{"gamma": 2.0}, geom.Vec3{}, up, 0.25), 0.5},
		{"levels output", run("levels", map[string]any{"outLow": 0.2, "outHigh": 0.4}, geom.Vec3{}, up, 0.5), 0.3},
		{"invert", run("invert", nil, geom.Vec3{}, up, 0.3), 0.7},
		{"threshold above", run("threshold", nil, geom.Vec3{}, up, 0.9), 1},
		{"threshold at the cut", run("threshold", nil, geom.Vec3{}, up, 0.5), 0.5},
		{"gradient half way up", run("gradient", nil, geom.V3(0, 1, 0), up, 0), 0.5},
		{"gradient down at the top", run("gradient", map[string]any{"axis": "down"}, geom.V3(0, 2, 0), up, 0), 0},
		{"gradient down at the floor", run("gradient", map[string]any{"axis": "down"}, geom.V3(0, 0, 0), up, 0), 1},
		{"facing up", run("facing", nil, geom.Vec3{}, up, 0), 1},
		{"facing away", run("facing", nil, geom.Vec3{}, up.Mul(-1), 0), 0},
		{"even", run("even", map[string]any{"value": 0.25}, geom.Vec3{}, up, 0), 0.25},
	} {
		if math.Abs(float64(c.got-c.want)) > 1e-5 {
			t.Errorf("%s: %v, want %v", c.name, c.got, c.want)
		}
	}
}

// The interface and the docs are drawn from the descriptions: they must be whole.
func TestDescriptionsAreWhole(t *testing.T) {
	for _, d := range Descriptions() {
		if d.Label == "" || d.Help == "" || (d.Role != "source" && d.Role != "agent" && d.Role != "shaper") || (d.Run == nil && d.RunColor == nil && d.Filter == nil) != d.Special || (d.Filter == nil) != (d.Radius == nil) || d.Filter != nil && d.Texels < 1 {
			t.Errorf("step %q is described badly: %+v", d.Kind, d)
		}
		defaults := map[string]any{}
		for _, p := range d.Params {
			if p.Label == "" || p.Help == "" || p.Default == nil || p.Scale == 0 {
				t.Errorf("%s: parameter %q lacks label, help, default or scale", d.Kind, p.Name)
			}
			v := p.Default
			if n, ok := v.(int); ok {
				v = float64(n)
			}
			defaults[p.Name] = v
		}
		if err := check(&stack.Step{ID: "x", Kind: d.Kind, Params: defaults}); err != nil {
			t.Errorf("%s: its own defaults are refused: %v", d.Kind, err)
		}
	}
}

func TestNoiseRunsOverTheSurfaceNotTheTexture(t *testing.T) {
	p := geom.V3(0.3, 0.4, 0.5)
	a := run("noise", nil, p, geom.V3(0, 1, 0), 0)
	if b := run("noise", nil, p, geom.V3(1, 0, 0), 0); a != b {
		t.Fatalf("the same place has %v and %v", a, b)
	}
	if b := run("noise", map[string]any{"seed": 7.0}, p, geom.V3(0, 1, 0), 0); a == b {
		t.Fatal("the seed changes nothing")
	}
}
