package live

import (
	"slices"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
)

// How a pen is held is kept as long as it is told of every point: a page that tells it of
// some points only, or begins to tell it later, leaves the row as it was.
func TestHowAPenIsHeldGrowsWithThePoints(t *testing.T) {
	row := grown(nil, []float32{0.1, 0.2}, 0, 2)
	row = grown(row, []float32{0.3}, 2, 1)
	if !slices.Equal(row, []float32{0.1, 0.2, 0.3}) {
		t.Fatalf("%v", row)
	}
	other := grown(row, []float32{0.4}, 3, 1)
	again := grown(row, []float32{0.5}, 3, 1)
	if other[3] != 0.4 || again[3] != 0.5 || len(row) != 3 {
		t.Errorf("two continuations share their memory: %v and %v", other, again)
	}
	for what, got := range map[string][]float32{
		"fewer than the points": grown(row, []float32{0.4}, 3, 2),
		"more than the points":  grown(row, []float32{0.4, 0.5}, 3, 1),
		"told of too late":      grown(nil, []float32{0.4}, 3, 1),
	} {
		if len(got) > 3 {
			t.Errorf("%s: %v", what, got)
		}
	}
}

// The way that is looked ahead is that of the last message, whatever number of samples it
// had; a stroke that has just begun goes nowhere yet.
func TestAheadIsWhereTheLastMessageWent(t *testing.T) {
	at := func(x float32) brush.Point { return brush.Point{Pos: geom.V3(x, 0, 0)} }
	v := &viewer{stroke: &stack.AddStroke{Target: "coat", Stroke: &brush.Stroke{Radius: 0.01, Points: brush.Points{at(0)}}}}
	v.follow(0)
	if v.pen.Goes != (geom.Vec3{}) || v.pen.layer != "coat" || v.pen.Radius != 0.01 {
		t.Errorf("a stroke of one point goes to %+v", v.pen)
	}
	v.stroke.Stroke.Points = append(v.stroke.Stroke.Points, at(0.25), at(0.5), at(1))
	v.follow(1)
	if want := geom.V3(PenLead, 0, 0); v.pen.Goes != want || v.pen.At.X != 1 {
		t.Errorf("three samples over 1 m lead to %v from %v, want %v", v.pen.Goes, v.pen.At, want)
	}
}
