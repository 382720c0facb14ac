package live

import (
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
)

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
