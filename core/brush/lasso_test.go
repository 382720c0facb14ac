package brush

import (
	"math"
	"strings"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
)

// Looked at along −z with a right angle of view: x/−z and y/−z are the picture.
var ahead = []float32{1, 0, 0, 0, 0, 1, 0, 0, 0, 0, -1, -1, 0, 0, -0.2, 0}

func TestALassoLimitsByTheView(t *testing.T) {
	l := &Lasso{View: ahead, Aspect: 1, Outline: [][2]float32{{-0.5, -0.5}, {0.5, -0.5}, {0.5, 0.5}, {-0.5, 0.5}}, Feather: 0.2}
	for _, c := range []struct {
		p    geom.Vec3
		want float64
	}{
		{geom.V3(0, 0, -1), 1}, {geom.V3(0.9, 0, -2), 1 - 0.5*0}, // 0.45: within the feather, see below
		{geom.V3(0.5, 0, -1), 0.5}, {geom.V3(1, 0, -2), 0.5}, {geom.V3(0.56, 0, -1), 0.104}, {geom.V3(0.44, 0, -1), 0.896},
		{geom.V3(0.7, 0, -1), 0}, {geom.V3(0, 0, 1), 0}, // behind the camera
	} {
		if c.p == geom.V3(0.9, 0, -2) {
			c.want = 0.84375 // three quarters of the way: 3·¾² − 2·¾³
		}
		if got := l.At(c.p); math.Abs(float64(got)-c.want) > 1e-3 {
			t.Errorf("at %v: %v, want %v", c.p, got, c.want)
		}
	}
	l.Out = true
	if l.At(geom.V3(0, 0, -1)) != 0 || l.At(geom.V3(2, 0, -1)) != 1 {
		t.Error("outside of it is not the other way round")
	}
	wide := &Lasso{View: ahead, Aspect: 2, Outline: [][2]float32{{-0.5, -0.5}, {0.5, -0.5}, {0.5, 0.5}, {-0.5, 0.5}}, Feather: 0.2}
	// the feather is as wide sideways as it is upward in the picture: 0.45 of the width is 0.1 inside
	if a, b := wide.At(geom.V3(0.45, 0, -1)), wide.At(geom.V3(0, 0.4, -1)); a != 1 || b != 1 {
		t.Errorf("with a wide picture: %v sideways, %v upward", a, b)
	}
}

func TestAStrokeStaysInItsLasso(t *testing.T) {
	f := &raster.Frame{W: 32, H: 1, Footprint: 0.05}
	for i := range 32 {
		f.Pos, f.Nrm, f.Tri, f.Inside = append(f.Pos, geom.V3(float32(i)*0.05-0.8, 0, -1)), append(f.Nrm, geom.V3(0, 0, 1)), append(f.Tri, 0), append(f.Inside, true)
	}
	f.Seal()
	s := &Stroke{ID: "s", Radius: 3, Strength: 1, Hardness: 1, Points: Points{{Pos: geom.V3(0, 0, -1), Nrm: geom.V3(0, 0, 1), Pressure: 1}},
		Lasso: &Lasso{View: ahead, Aspect: 1, Outline: [][2]float32{{-0.31, -1}, {0.41, -1}, {0.41, 1}, {-0.31, 1}}}}
	if err := s.Check(); err != nil {
		t.Fatal(err)
	}
	c := s.NewCoverage(32)
	_ = s.Draw(t.Context(), f, c, 0, 1)
	s.Held(f, c)
	for i, v := range c.Cover {
		x := f.Pos[i].X
		if want := x > -0.31 && x < 0.41; (v > 0.5) != want {
			t.Errorf("at %v it covers %v", x, v)
		}
	}
	for says, bad := range map[string]func(l *Lasso){
		"corners": func(l *Lasso) { l.Outline = l.Outline[:2] },
		"view":    func(l *Lasso) { l.View = l.View[:3] },
		"feather": func(l *Lasso) { l.Feather = -1 },
		"NaN":     func(l *Lasso) { l.Outline[1][0] = float32(math.NaN()) },
	} {
		l := *s.Lasso
		l.Outline = append([][2]float32(nil), l.Outline...)
		bad(&l)
		n := *s
		n.Lasso = &l
		if err := n.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

// An outline over the flat sheets holds what lies in it by its UVs, wherever that is in
// space; of sheets that the view did not show, and of a frame without UVs, nothing is held.
func TestALassoOverFlatSheets(t *testing.T) {
	f := ground(64, 0.2)
	for _, c := range []struct {
		name   string
		sheet  int
		corner []float32
		uvs    bool
		want   func(u, v float32) bool
	}{
		{"one sheet", 0, []float32{0, 0}, true, func(u, _ float32) bool { return u > 0.5 }},
		{"the second beside it", 1, []float32{0, 0, 0.25, 0.1}, true, func(u, _ float32) bool { return u > 0.25 }},
		{"a sheet that was not shown", 1, []float32{0, 0}, true, func(_, _ float32) bool { return false }},
		{"no UVs", 0, []float32{0, 0}, false, func(_, _ float32) bool { return false }},
	} {
		// what the view shows: −1..1 is 0..1 to the right and −1..0 up
		s := dabbed(Kit{Spacing: 1, Flow: 1, Falloff: even(1, 1)}, 1)
		s.Radius = 1
		s.Lasso = &Lasso{View: []float32{2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 1, 0, -1, 1, 0, 1}, Aspect: 1, Flat: c.corner,
			Outline: [][2]float32{{0, -9}, {9, -9}, {9, 9}, {0, 9}}}
		if err := s.Check(); err != nil {
			t.Fatal(err)
		}
		cov := s.NewCoverage(len(f.Pos))
		uv := func(i int) geom.Vec2 {
			return geom.Vec2{X: (float32(i%64) + 0.5) / 64, Y: (float32(i/64) + 0.5) / 64}
		}
		if c.uvs {
			cov.Flat = func(i int) (int, geom.Vec2) { return c.sheet, uv(i) }
		}
		_ = s.Draw(t.Context(), f, cov, 0, s.Segments())
		s.Held(f, cov)
		for i, v := range cov.Cover {
			q := uv(i)
			if want := c.want(q.X, q.Y); want != (v > 0.5) {
				t.Fatalf("%s: at UV %v there is %v", c.name, q, v)
			}
		}
	}
	s := dabbed(Kit{Spacing: 1, Flow: 1}, 1)
	s.Lasso = &Lasso{View: make([]float32, 16), Aspect: 1, Flat: []float32{1}, Outline: make([][2]float32, 3)}
	if err := s.Check(); err == nil || !strings.Contains(err.Error(), "two a sheet") {
		t.Errorf("a sheet with one number is taken: %v", err)
	}
}
