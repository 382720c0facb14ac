package sample

import (
	"math"

	"velvetgrime/core/mesh"
)

// Trial builds the trial post: the object on which masks, agents and materials are
// shown. It has what weathers differently: a plate with rivets, a rounded block, a
// drum with a groove and a flange, a ball, a handle, inner and outer edges, level,
// steep and overhanging faces. 0.30 m tall, one sheet.
func Trial() *mesh.Model {
	b := newBuilder("Trial post", "Trial")
	b.longest = 0.5
	b.begin("Plate", "Trial")
	b.at = translate(0, 0.011, 0)
	b.box(0.26, 0.022, 0.20, 0.004, 0, nil)
	b.begin("Rivets", "Trial")
	for _, x := range []float64{-0.115, 0.115} {
		for _, z := range []float64{-0.085, 0, 0.085} {
			b.at = translate(x, 0.022, z)
			b.rivet(0.008)
		}
	}
	b.begin("Block", "Trial")
	b.at = translate(-0.055, 0.085, 0.015).Mul(turnY(12))
	b.box(0.10, 0.13, 0.11, 0.007, 2, nil)
	b.begin("Drum", "Trial")
	b.at = translate(0.068, 0.02, -0.005)
	b.lathe(rounded([]p2{{0, 0}, {0.052, 0}, {0.052, 0.010}, {0.044, 0.016}, {0.044, 0.070}, {0.040, 0.074}, {0.040, 0.082}, {0.044, 0.086}, {0.044, 0.130}, {0.056, 0.136}, {0.056, 0.148}, {0.030, 0.156}, {0, 0.158}}, 0.004, 4), 72)
	b.begin("Ball", "Trial")
	b.at = translate(-0.055, 0.185, 0.015)
	var arc []p2
	for k := 0; k <= 24; k++ {
		s, c := math.Sincos(math.Pi * (float64(k)/24 - 0.5))
		arc = append(arc, p2{max(0.042*c, 0), 0.042 * s})
	}
	b.lathe(arc, 48)
	b.begin("Handle", "Trial")
	b.at = translate(0.068, 0, -0.005)
	var path []p3
	for i := 0; i <= 40; i++ {
		a := math.Pi * float64(i) / 40
		path = append(path, p3{0.036 * math.Cos(a), 0.168 + 0.085*math.Pow(math.Sin(a), 0.7), 0})
	}
	b.tube(path, same(0.008), 18, false)
	b.begin("Shelf", "Trial")
	b.at = translate(-0.055, 0.075, 0.082).Mul(turnY(12))
	b.box(0.085, 0.008, 0.040, 0.0025, 0, nil)
	return b.finish()
}
