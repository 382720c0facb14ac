package brush

import (
	"encoding/json"
	"math"
	"strings"
	"testing"

	"velvetgrime/core/geom"
)

// grained is a stroke of 0.6 m from a place, turned about the vertical, with a grain, and
// its coverage on a patch that lies under it in the same way.
func grained(in string, from geom.Vec3, turn float64, mirror bool) []float32 {
	sin, cos := math.Sincos(turn)
	x, z := geom.V3(float32(cos), 0, float32(sin)), geom.V3(-float32(sin), 0, float32(cos))
	s := dabbed(Kit{Spacing: 0.1, Flow: 0.06, Along: true, Falloff: even(1, 1), Grain: &Grain{"cloud", 0.03, 1, in}}, 1)
	s.Points = nil
	for i := range 7 {
		s.Points = append(s.Points, Point{Pos: from.Add(x.Mul(0.1 * float32(i))), Nrm: up, Pressure: 1})
	}
	f := ground(128, 0.3)
	for i, p := range f.Pos { // the patch's own x runs along the stroke
		f.Pos[i] = from.Add(x.Mul(p.X + 0.3)).Add(z.Mul(p.Z))
		if mirror {
			f.Pos[i].X = -f.Pos[i].X
		}
	}
	f.Seal()
	if mirror {
		s.Mirror = &Mirror{Planes: []geom.Vec3{{X: 1}}}
	}
	return s.on(f).Cover
}

func apartMean(a, b []float32) (d float64) {
	for i := range a {
		d += math.Abs(float64(a[i]-b[i])) / float64(len(a))
	}
	return d
}

// A grain of the line is the same wherever the line is drawn and however it is turned,
// also on the far side of a plane of symmetry; a grain of the surface is not.
func TestGrainOfTheLineGoesWithIt(t *testing.T) {
	here := grained(GrainLine, geom.V3(0.5, 0, 0.1), 0, false)
	uneven := false
	for _, v := range here {
		uneven = uneven || v > 0.1 && v < 0.6
	}
	if !uneven {
		t.Error("the grain of the line holds everything or nothing")
	}
	for name, there := range map[string][]float32{
		"elsewhere": grained(GrainLine, geom.V3(1.37, 0, 0.62), 0, false),
		"turned":    grained(GrainLine, geom.V3(2, 0, 0.1), 1.1, false),
		"mirrored":  grained(GrainLine, geom.V3(0.5, 0, 0.1), 0, true),
	} {
		if d := apartMean(here, there); d > 0.004 {
			t.Errorf("%s: the grain of the line differs by %.4f", name, d)
		}
	}
	if d := apartMean(grained("", geom.V3(0.5, 0, 0.1), 0, false), grained("", geom.V3(1.37, 0, 0.62), 0, false)); d < 0.1 {
		t.Errorf("the grain of the surface moves with the line: %.4f apart", d)
	}
}

// A grain of the tip is the same in each dab, on whatever surface it is set down.
func TestGrainOfTheTipIsTheSameInEachDab(t *testing.T) {
	dab := func(x float32) []float32 {
		s := dabbed(Kit{Spacing: 1, Flow: 1, Falloff: even(1, 1), Grain: &Grain{"cloud", 0.03, 1, GrainTip}}, 1)
		s.Points[0].Pos.X = x
		f := ground(128, 0.2)
		for i := range f.Pos {
			f.Pos[i].X += x
		}
		f.Seal()
		return s.on(f).Cover
	}
	a := dab(0)
	if d := apartMean(a, dab(0.437)); d > 1e-3 {
		t.Errorf("two dabs differ by %.4f", d)
	}
	low, high := float32(1), float32(0)
	for i, v := range a {
		if x, y := i%128-64, i/128-64; x*x+y*y < 50*50 {
			low, high = min(low, v), max(high, v)
		}
	}
	if low > 0.2 || high < 0.9 {
		t.Errorf("the tip lays from %.2f to %.2f; its grain is not there", low, high)
	}
}

// A stroke that grows lays what it lays when it is finished, its grain too.
func TestGrainOfTheLineGrows(t *testing.T) {
	s := dabbed(Kit{Spacing: 0.1, Flow: 0.5, Grain: &Grain{"grit", 0.03, 1, GrainLine}}, 40)
	f := ground(96, 0.8)
	whole := s.on(f).Cover
	c := s.NewCoverage(len(f.Pos))
	for i := range s.Segments() {
		_ = s.Draw(t.Context(), f, c, i, i+1)
		c = c.Clone()
	}
	s.Held(f, c)
	for i, v := range whole {
		if c.Cover[i] != v {
			t.Fatalf("point %d: %v when it grew, %v at once", i, c.Cover[i], v)
		}
	}
}

// The lean, and how a pen is turned round itself, turn a tip once around, and go between two samples the shorter
// way.
func TestLeanAndTwistTurnTheTip(t *testing.T) {
	for _, by := range []string{"lean", "twist"} {
		s := dabbed(Kit{Spacing: 5, Flow: 1, Round: 0.2, Pen: []Drive{{By: by, What: "angle", From: 0, To: 1}}}, 1)
		for _, c := range []struct {
			turn float32
			x, z float32 // a place that the dab covers
		}{{0, 0.09, 0}, {0.25, 0, 0.09}, {0.5, -0.09, 0}, {0.125, 0.06, -0.06}} {
			if s.Lean = []float32{c.turn}; by == "twist" {
				s.Lean, s.Twist = nil, []float32{c.turn}
			}
			if at(s, c.x, c.z, up) == 0 || at(s, c.z*0.9, -c.x*0.9, up) != 0 {
				t.Errorf("%s of %v: the tip does not lie towards %v, %v", by, c.turn, c.x, c.z)
			}
		}
	}
	h := Hand{0.2, 0.9, 0.1}.to(Hand{0.6, 0.1, 0.9}, 0.75)
	if mag(h.Lean-0.05) > 1e-6 || mag(h.Tilt-0.5) > 1e-6 || mag(h.Twist-0.95) > 1e-6 {
		t.Errorf("between a lean of 0.9 and one of 0.1, a twist of 0.1 and one of 0.9: %v", h)
	}
}

func TestAPenDrivesThroughACurve(t *testing.T) {
	d := Drive{By: "pressure", What: "size", From: 1, To: 3, Bend: 7, Curve: Curve{{0, 0}, {0.5, 1}, {1, 1}}}
	for _, c := range []struct{ p, want float32 }{{0, 1}, {0.5, 3}, {0.8, 3}, {0.25, 2.25}} {
		// the cubic from (0, 0) to (½, 1), monotone, level at its end and of slope 2 at its beginning
		if got := d.at(c.p, Hand{}); mag(got-c.want) > 1e-5 {
			t.Errorf("at pressure %v: %v, want %v", c.p, got, c.want)
		}
	}
}

func TestCurvesInJSON(t *testing.T) {
	for text, want := range map[string]Curve{
		`[1, 0.5, 0]`:                  {{0, 1}, {0.5, 0.5}, {1, 0}},
		`[[0, 1], [0.2, 0.9], [1, 0]]`: {{0, 1}, {0.2, 0.9}, {1, 0}},
	} {
		var c Curve
		if err := json.Unmarshal([]byte(text), &c); err != nil {
			t.Fatal(err)
		}
		if len(c) != len(want) || c.check("falloff") != nil {
			t.Fatalf("%s: %v", text, c)
		}
		for i := range c {
			if c[i][0] != want[i][0] || c[i][1] != want[i][1] {
				t.Errorf("%s: %v, want %v", text, c, want)
			}
		}
	}
	for what, c := range map[string]Curve{
		"one point":  {{0, 1}},
		"back":       {{0.5, 1}, {0.2, 0}},
		"above 1":    {{0, 1.5}, {1, 0}},
		"no pairs":   {{0}, {1}},
		"not at all": {{0, float32(math.NaN())}, {1, 0}},
	} {
		if err := c.check("falloff"); err == nil || !strings.Contains(err.Error(), "curve of the falloff") {
			t.Errorf("%s: %v", what, err)
		}
	}
}
