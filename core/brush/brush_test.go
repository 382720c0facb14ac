package brush

import (
	"context"
	"encoding/json"
	"math"
	"reflect"
	"strings"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
)

var up = geom.V3(0, 1, 0)

func stroke(points ...Point) *Stroke {
	return &Stroke{ID: "s", Radius: 0.1, Strength: 1, Hardness: 0.5, Points: points}
}

func at(s *Stroke, x, z float32, n geom.Vec3) float32 {
	c := s.NewCoverage(1)
	_ = s.Draw(context.Background(), raster.Point(geom.V3(x, 0, z), n, 0), c, 0, s.Segments())
	return c.Cover[0]
}

// Full to the hardness, nothing at the radius, and 1 − 3u² + 2u³ between.
func TestFalloff(t *testing.T) {
	s := stroke(Point{Nrm: up, Pressure: 1}, Point{Pos: geom.V3(1, 0, 0), Nrm: up, Pressure: 1})
	for _, c := range []struct{ z, want float32 }{{0, 1}, {0.049, 1}, {0.075, 0.5}, {0.0625, 0.84375}, {0.1, 0}, {0.2, 0}} {
		if got := at(s, 0.5, c.z, up); math.Abs(float64(got-c.want)) > 1e-4 {
			t.Errorf("%.3f m beside the line: %v, want %v", c.z, got, c.want)
		}
	}
	if at(s, 1.05, 0, up) != 1 || at(s, 1.2, 0, up) != 0 {
		t.Error("the end is not round")
	}
}

func TestFacingFadesFromSixtyDegrees(t *testing.T) {
	s := stroke(Point{Nrm: up, Pressure: 1})
	for _, c := range []struct{ deg, want float64 }{{0, 1}, {59, 1}, {75.5225, 0.5}, {90, 0}, {150, 0}} {
		sin, cos := math.Sincos(c.deg * math.Pi / 180)
		if got := at(s, 0, 0, geom.V3(float32(sin), float32(cos), 0)); math.Abs(float64(got)-c.want) > 1e-3 {
			t.Errorf("turned %v°: %v, want %v", c.deg, got, c.want)
		}
	}
}

func TestPressureDrivesWhatItIsToldTo(t *testing.T) {
	s := stroke(Point{Nrm: up, Pressure: 0.5}, Point{Pos: geom.V3(1, 0, 0), Nrm: up, Pressure: 1})
	if at(s, 0, 0.04, up) != 1 {
		t.Error("pressure must do nothing when nothing is chosen")
	}
	s.PenFlow = true
	if got := at(s, 0.5, 0, up); math.Abs(float64(got)-0.75) > 1e-5 {
		t.Errorf("half way between pressures the strength is %v, want 0.75", got)
	}
	s.PenFlow, s.PenSize = false, true
	if at(s, 0, 0.06, up) != 0 || at(s, 1, 0.06, up) == 0 {
		t.Error("the radius does not follow the pen")
	}
}

// Whatever a stroke covers it must also say it touches.
func TestTouchesNeverMissesAHit(t *testing.T) {
	s := stroke(Point{Pos: geom.V3(0.2, 0, 0.1), Nrm: up, Pressure: 1}, Point{Pos: geom.V3(0.7, 0, 0.6), Nrm: up, Pressure: 1}, Point{Pos: geom.V3(0.9, 0, 0.1), Nrm: up, Pressure: 1})
	hits := 0
	for i := range 40 {
		for k := range 40 {
			p := geom.V3(float32(i)/40, 0, float32(k)/40)
			f := raster.Point(p, up, 0)
			if at(s, p.X, p.Z, up) > 0 {
				hits++
				if !s.Touches(f.Blocks, 0, 0, s.Segments()) {
					t.Fatalf("covers %v and says it does not touch it", p)
				}
			}
		}
	}
	if hits < 100 || s.Touches(raster.Point(geom.V3(5, 0, 5), up, 0).Blocks, 0, 0, 2) {
		t.Fatalf("%d hits, or a far point counts as touched", hits)
	}
}

func TestOrderOfSegmentsDoesNotMatter(t *testing.T) {
	s := stroke(Point{Nrm: up, Pressure: 1}, Point{Pos: geom.V3(0.1, 0, 0), Nrm: up, Pressure: 0.3}, Point{Pos: geom.V3(0.05, 0, 0.05), Nrm: up, Pressure: 1})
	s.PenFlow = true
	f := raster.Point(geom.V3(0.06, 0, 0.01), up, 0)
	once, pieces := s.NewCoverage(1), s.NewCoverage(1)
	_ = s.Draw(t.Context(), f, once, 0, 2)
	_ = s.Draw(t.Context(), f, pieces, 1, 2)
	_ = s.Draw(t.Context(), f, pieces, 0, 1)
	if once.Cover[0] != pieces.Cover[0] || once.Cover[0] == 0 {
		t.Fatalf("%v at once, %v in pieces", once.Cover[0], pieces.Cover[0])
	}
}

func TestPointsRoundTrip(t *testing.T) {
	p := Points{{geom.V3(1, 2, 3), geom.V3(0, 1, 0), 0.5}, {geom.V3(-1, 0, 4), geom.V3(1, 0, 0), 1}}
	b, err := json.Marshal(p)
	if err != nil || string(b) != "[1,2,3,0,1,0,0.5,-1,0,4,1,0,0,1]" {
		t.Fatal(string(b), err)
	}
	var q Points
	if err := json.Unmarshal(b, &q); err != nil || !reflect.DeepEqual(p, q) {
		t.Fatal(q, err)
	}
	if q, err = Unpack(p.Pack()); err != nil || !reflect.DeepEqual(p, q) {
		t.Fatal(q, err)
	}
	if _, err := Unpack(p.Pack()[:30]); err == nil {
		t.Fatal("a damaged stroke is accepted")
	}
	if err := json.Unmarshal([]byte("[1,2,3]"), &q); err == nil || !strings.Contains(err.Error(), "seven") {
		t.Fatal(err)
	}
}

func TestCheckNamesWhatIsWrong(t *testing.T) {
	nan := float32(math.NaN())
	for want, change := range map[string]func(*Stroke){
		"radius":       func(s *Stroke) { s.Radius = nan },
		"id":           func(s *Stroke) { s.ID = "" },
		"strength":     func(s *Stroke) { s.Strength = 2 },
		"0 points":     func(s *Stroke) { s.Points = nil },
		"point 2":      func(s *Stroke) { s.Points[1].Pos.X = nan },
		"roughness is": func(s *Stroke) { s.Values = map[string][]float32{"roughness": {nan}} },
	} {
		s := stroke(Point{Nrm: up, Pressure: 1}, Point{Nrm: up, Pressure: 1})
		if s.Check() != nil {
			t.Fatal("a good stroke is refused")
		}
		change(s)
		if err := s.Check(); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("error %v does not say %q", err, want)
		}
	}
}

func FuzzUnpack(f *testing.F) {
	f.Add(Points{{geom.V3(1, 2, 3), up, 1}}.Pack())
	f.Fuzz(func(t *testing.T, b []byte) {
		if p, err := Unpack(b); err == nil && len(p)*28 != len(b) {
			t.Fatal("not every byte was read")
		}
	})
}
