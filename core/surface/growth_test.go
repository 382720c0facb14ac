package surface

import (
	"fmt"
	"testing"
	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/sample"
)

// However many strokes grow and are never ended, no more are remembered than pens can be.
func TestStrokesThatNeverEndAreForgotten(t *testing.T) {
	s := NewScene(sample.Bollard(), cache.New(1<<20))
	up := geom.V3(0, 1, 0)
	stroke := func(i, points int) *brush.Stroke {
		st := &brush.Stroke{ID: fmt.Sprint("s", i), Radius: 0.01}
		for k := range points {
			st.Points = append(st.Points, brush.Point{Pos: geom.V3(float32(k), 0, 0), Nrm: up, Pressure: 1})
		}
		return st
	}
	for i := range 5 * maxGrowing {
		s.grows(stroke(i, 2))
	}
	if n := len(s.growing); n != maxGrowing {
		t.Errorf("%d growing strokes are remembered; at most %d pens draw", n, maxGrowing)
	}
	last := 5*maxGrowing - 1
	g := s.grows(stroke(last, 5))
	if g.last.Segments() != 4 || len(s.growing) != maxGrowing {
		t.Error("a stroke that went on is another one")
	}
	moved := stroke(last, 5)
	moved.Points[4].Pos.Z = 1
	if s.grows(moved) == g {
		t.Error("a stroke whose last point lies elsewhere goes on with what was drawn of it")
	}
	g = s.grows(stroke(last, 5))
	other := stroke(last, 5)
	other.Radius = 0.5
	if s.grows(other) == g {
		t.Error("a stroke of the same id with another radius goes on with what was drawn of the first")
	}
	s.Forget(other.ID)
	if n := len(s.growing); n != maxGrowing-1 {
		t.Errorf("%d are remembered after one was forgotten", n)
	}
}
