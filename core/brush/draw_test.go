package brush

import (
	"context"
	"errors"
	"testing"
	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
)

// A stroke that nobody waits for any more stops: a swept one and one of dabs, filled or not.
func TestDrawingHearsTheContext(t *testing.T) {
	line := make([]Point, 5000)
	for i := range line {
		line[i] = Point{Pos: geom.V3(float32(i)*0.001, 0, 0), Nrm: up, Pressure: 1}
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	for name, kit := range map[string]*Kit{"swept": nil, "dabs": {Spacing: 0.2, Flow: 1}} {
		s := stroke(line...)
		s.Kit = kit
		f := raster.Point(geom.V3(4.9, 0, 0), up, 0)
		c := s.NewCoverage(1)
		if err := s.Draw(ctx, f, c, 0, s.Segments()); !errors.Is(err, context.Canceled) || c.Cover[0] != 0 {
			t.Errorf("%s: error %v, and its end covers %g", name, err, c.Cover[0])
		}
		if err := s.Draw(t.Context(), f, c, 0, s.Segments()); err != nil || c.Cover[0] == 0 {
			t.Errorf("%s, while it is waited for: error %v, and its end covers %g", name, err, c.Cover[0])
		}
	}
}
