package brush

import (
	"math"
	"strings"
	"testing"
	"time"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
)

// A stroke of two points far apart spun for ever, and did so at each opening: its dabs are
// counted, and walking ends whatever the numbers are.
func TestWalkingEnds(t *testing.T) {
	up := geom.V3(0, 1, 0)
	f := raster.Point(geom.V3(0, 0, 0), up, 0)
	for _, far := range []float32{1e3, 1e12, 1e30, math.MaxFloat32} {
		for _, radius := range []float32{2e-6, 0.01, 9e3} {
			s := &Stroke{ID: "far", Radius: radius, Strength: 1, Kit: &Kit{Spacing: 0.1, Flow: 1}, Values: map[string][]float32{"mask": {1}},
				Points: Points{{Pos: geom.V3(0, 0, 0), Nrm: up, Pressure: 1}, {Pos: geom.V3(far, 0, 0), Nrm: up, Pressure: 1}}}
			done := make(chan struct{})
			go func() {
				_ = s.Draw(t.Context(), f, s.NewCoverage(1), 0, s.Segments())
				close(done)
			}()
			select {
			case <-done:
			case <-time.After(5 * time.Minute): // met by a hang alone
				t.Fatalf("%v m at a radius of %v m never ends", far, radius)
			}
			if err := s.Check(); float64(far) > 2*float64(MaxDabs)*0.2*float64(radius) && (err == nil || !strings.Contains(err.Error(), "dabs")) {
				t.Errorf("%v m at a radius of %v m: %v", far, radius, err)
			}
		}
	}
	box := geom.Box{Min: geom.V3(-1, -1, -1), Max: geom.V3(1, 1, 1)}
	near := &Stroke{Radius: 0.1, Points: Points{{Pos: geom.V3(2, 0, 0)}}}
	away := &Stroke{Radius: 0.1, Points: Points{{Pos: geom.V3(2, 0, 0)}, {Pos: geom.V3(900, 0, 0)}}}
	if err := near.Inside(box, 0); err != nil {
		t.Error(err)
	}
	if err := away.Inside(box, 0); err == nil || !strings.Contains(err.Error(), "point 2") {
		t.Errorf("a point far away: %v", err)
	}
}
