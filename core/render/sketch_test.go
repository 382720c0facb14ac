package render

import (
	"testing"

	"velvetgrime/core/geom"
)

// Clear matter shows what is behind it in its own colour, and goes on mirroring; what is not clear is as it was.
func TestGlassIsSeenThrough(t *testing.T) {
	s := &studio{eye: geom.V3(0, 0, 2), right: geom.V3(1, 0, 0), key: geom.V3(0, 1, 0)}
	n := geom.V3(0, 0, 1)
	light := func(clear float32, color [3]float32) [3]float32 {
		return s.shine(geom.Vec3{}, n, n, 1, &matter{color: color, rough: 0.1, openness: 1, clear: clear})
	}
	white, green := [3]float32{1, 1, 1}, [3]float32{0, 1, 0}
	solid, pane := light(0, white), light(1, white)
	if pane[1] > 0.8*solid[1] {
		t.Errorf("a white pane gives %.3f of light, a white wall %.3f: the dark backdrop is not seen", pane[1], solid[1])
	}
	tinted, black := light(1, green), light(1, [3]float32{})
	if tinted[1] <= tinted[0] || tinted[1] <= black[1] {
		t.Errorf("through green glass comes %v, through black %v", tinted, black)
	}
	if black[1] <= 0 {
		t.Error("black glass mirrors nothing")
	}
}
