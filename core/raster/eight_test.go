package raster

import (
	"math/rand/v2"
	"testing"

	"velvetgrime/core/geom"
)

// Eight texels of a row get, to the bit, what each gets by itself: also on triangles that are thin or turned,
// and where a normal has no length.
func TestEightTexelsAreWhatEachIs(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 8))
	some := func() geom.Vec3 { return geom.V3(rng.Float32()*4-2, rng.Float32()*4-2, rng.Float32()*4-2) }
	seen := 0
	for i := range 4000 {
		var d drawn
		for k := range 3 {
			d.p[k] = [2]float64{rng.Float64() * 60, rng.Float64() * 60}
			if i%5 == 0 { // thin
				d.p[k][1] = 20 + d.p[k][1]/40
			}
			if i%7 == 0 { // on the texels' middles
				d.p[k] = [2]float64{float64(rng.IntN(60)), float64(rng.IntN(60))}
			}
			d.p3[k] = some()
			if i%3 > 0 {
				d.n3[k] = some().Unit()
			}
		}
		d.ux, d.uy, d.vx, d.vy = d.p[1][0]-d.p[0][0], d.p[1][1]-d.p[0][1], d.p[2][0]-d.p[0][0], d.p[2][1]-d.p[0][1]
		if d.det = d.ux*d.vy - d.uy*d.vx; d.det == 0 {
			continue
		}
		w := d.widen()
		if w == nil {
			t.Skip("there are no wide registers")
		}
		y, x := float64(rng.IntN(60)), float64(rng.IntN(60))
		rise1, rise2 := (y-d.p[0][1])*d.vx, d.ux*(y-d.p[0][1])
		var out [6]lanes
		inside := w.eight(x, rise1, rise2, &out)
		for k := range 8 {
			pos, nrm, ok := d.at(x+float64(k), rise1, rise2)
			if ok != (inside>>k&1 != 0) {
				t.Fatalf("%d: texel %d lies within %v by itself, %08b beside the others", i, k, ok, inside)
			}
			if !ok {
				continue
			}
			seen++
			got := [2]geom.Vec3{{X: out[0][k], Y: out[1][k], Z: out[2][k]}, {X: out[3][k], Y: out[4][k], Z: out[5][k]}}
			if got != [2]geom.Vec3{pos, nrm} {
				t.Fatalf("%d: texel %d is %v, by itself %v %v", i, k, got, pos, nrm)
			}
		}
	}
	if seen < 1000 {
		t.Errorf("%d texels lay in a triangle", seen)
	}
}
