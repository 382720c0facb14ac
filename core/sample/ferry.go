package sample

import (
	"math"

	"velvetgrime/core/mesh"
)

// Ferry builds a piece of the ferry Dunlin's side, 3.2 m long and 2.3 m tall, which faces +Z:
// three strakes of her hull, fender, deck, bulwark, the wall of her house; six sheets.
func Ferry() *mesh.Model {
	b := newBuilder("Ferry Dunlin", "Hull", "Timber", "House", "Rails", "Fittings", "Glass")
	b.longest = 1.7
	ferryHull(b)
	ferryDeck(b)
	ferryHouse(b)
	ferryFender(b)
	return b.finish()
}

const ferryLong = 3.2

// strake is the middle of a hull plate's face, and how far it leans outward, degrees.
func strake(k int) (y, z, lean float64) {
	return 0.20 + 0.385*float64(k), 0.02 + 0.075*float64(k) + 0.012*float64(k*k), []float64{6, 10, 14}[k]
}

func ferryHull(b *builder) {
	for k, name := range []string{"Bottom strake", "Middle strake", "Top strake"} {
		b.begin(name, "Hull")
		y, z, lean := strake(k)
		b.at = translate(0, y, z).Mul(turnX(lean))
		// plates spring a little between their frames
		b.box(ferryLong, 0.41, 0.012, 0.003, 64, func(p p3) p3 { p[2] += 0.004 * math.Sin(p[0]*2*math.Pi/0.53); return p })
	}
	b.begin("Hull rivets", "Hull")
	for k := range 3 {
		y, z, lean := strake(k)
		for i := range 36 {
			x := -1.55 + 3.1*float64(i)/35
			for _, row := range []float64{-0.185, -0.155} {
				b.at = translate(0, y, z).Mul(turnX(lean)).Mul(translate(x+0.02*float64(int(row*1000)%2), row, 0.0068)).Mul(turnX(90))
				b.rivet(0.008)
			}
		}
	}
	b.begin("Scupper", "Hull")
	y, z, lean := strake(2)
	b.at = translate(0.95, y+0.09, z).Mul(turnX(lean + 90))
	b.lathe(rounded([]p2{{0.045, 0}, {0.062, 0}, {0.062, 0.02}, {0.05, 0.028}, {0.045, 0.026}, {0.045, -0.02}}, 0.004, 3), 40)
	b.begin("Rubbing strake", "Timber")
	y, z, _ = strake(2)
	b.at = translate(0, y+0.225, z+0.085)
	b.box(ferryLong, 0.13, 0.13, 0.045, 24, nil)
	b.begin("Strake bolts", "Fittings")
	for i := range 8 {
		b.at = translate(-1.4+0.4*float64(i), y+0.225, z+0.1485).Mul(turnX(90)).Mul(turnY(float64(i * 37 % 60)))
		b.bolt(0.014)
	}
}

func ferryDeck(b *builder) {
	b.begin("Deck", "Timber")
	b.at = translate(0, 1.22, -0.26)
	b.box(ferryLong, 0.05, 0.98, 0.006, 0, nil)
	b.begin("Stanchions", "Rails")
	for i := range 5 {
		x := -1.4 + 0.7*float64(i)
		b.at = translate(x, 1.245, 0.16)
		b.lathe(rounded([]p2{{0, 0}, {0.05, 0}, {0.05, 0.012}, {0.024, 0.02}, {0.02, 0.05}, {0.019, 0.60}, {0.027, 0.62}, {0.03, 0.645}, {0.024, 0.67}, {0, 0.68}}, 0.005, 3), 28)
	}
	line := func(y float64, sag float64) []p3 {
		var p []p3
		for i := 0; i <= 96; i++ {
			x := -1.6 + 3.2*float64(i)/96
			t := math.Mod(x+1.4+7, 0.7) / 0.7
			p = append(p, p3{x, y - sag*4*t*(1-t), 0.16})
		}
		return p
	}
	b.begin("Hand rail", "Rails")
	b.at = translate(0, 0, 0)
	b.tube(line(1.885, 0), same(0.024), 20, false)
	b.begin("Rail wire", "Rails")
	b.tube(line(1.56, 0.012), same(0.007), 10, false)
	b.begin("Deck bollard", "Fittings")
	for _, x := range []float64{-0.55, -0.27} {
		b.at = translate(x, 1.245, -0.12)
		b.lathe(rounded([]p2{{0.062, 0}, {0.052, 0.03}, {0.048, 0.15}, {0.064, 0.175}, {0.066, 0.195}, {0.05, 0.212}, {0, 0.216}}, 0.01, 4), 48)
	}
	b.at = translate(-0.41, 1.255, -0.12)
	b.box(0.5, 0.022, 0.2, 0.006, 0, nil)
	b.begin("Coiled rope", "Fittings")
	var coil []p3
	const turns = 9
	for i := 0; i <= turns*40; i++ {
		t := float64(i) / 40
		r := 0.20 - 0.012*math.Mod(t, 3)*3 + 0.004*math.Sin(t*7)
		s, c := math.Sincos(2 * math.Pi * t)
		coil = append(coil, p3{0.45 + r*c, 1.266 + 0.034*math.Floor(t/3) + 0.004*math.Sin(t*5), -0.2 + r*s})
	}
	b.at = translate(0, 0, 0)
	b.tube(coil, same(0.018), 12, false)
}

func ferryHouse(b *builder) {
	b.begin("House wall", "House")
	b.at = translate(0, 1.775, -0.72)
	b.box(ferryLong, 1.06, 0.03, 0.004, 12, nil)
	b.begin("Wall battens", "House")
	for _, x := range []float64{-1.5, -0.35, 0.62, 1.5} {
		b.at = translate(x, 1.775, -0.70)
		b.box(0.05, 1.04, 0.022, 0.005, 0, nil)
	}
	b.begin("Number panel", "House")
	b.at = translate(-0.95, 1.93, -0.696)
	b.box(0.74, 0.40, 0.016, 0.005, 0, nil)
	b.begin("Panel screws", "Fittings")
	for _, s := range []p2{{-0.34, -0.17}, {0.34, -0.17}, {-0.34, 0.17}, {0.34, 0.17}} {
		b.at = translate(-0.95+s[0], 1.93+s[1], -0.688).Mul(turnX(90))
		b.rivet(0.009)
	}
	b.begin("Porthole", "Fittings")
	b.at = translate(0.14, 1.93, -0.706).Mul(turnX(90))
	b.lathe(rounded([]p2{{0.15, 0}, {0.205, 0}, {0.205, 0.014}, {0.19, 0.024}, {0.168, 0.028}, {0.15, 0.02}, {0.15, -0.01}}, 0.005, 4), 80)
	for i := range 8 {
		s, c := math.Sincos(float64(i)*math.Pi/4 + 0.2)
		b.at = translate(0.14+0.188*c, 1.93+0.188*s, -0.686).Mul(turnX(90))
		b.rivet(0.009)
	}
	b.begin("Porthole pane", "Glass")
	b.at = translate(0.14, 1.93, -0.702).Mul(turnX(90))
	b.lathe([]p2{{0.155, 0}, {0.1, 0.004}, {0, 0.006}}, 60)
	b.begin("Vent", "House")
	b.at = translate(1.06, 1.72, -0.69)
	b.box(0.46, 0.46, 0.05, 0.008, 0, nil)
	for i := range 6 {
		b.at = translate(1.06, 1.56+0.065*float64(i), -0.652)
		b.box(0.38, 0.02, 0.05, 0.005, 8, func(p p3) p3 { p[1] -= p[2] * 0.8; return p })
	}
	b.begin("Grab rail", "Rails")
	b.at = translate(0, 0, 0)
	b.tube([]p3{{-0.5, 1.50, -0.70}, {-0.5, 1.50, -0.655}, {-0.48, 1.50, -0.64}, {-0.2, 1.50, -0.64}, {0.2, 1.50, -0.64}, {0.48, 1.50, -0.64}, {0.5, 1.50, -0.655}, {0.5, 1.50, -0.70}}, same(0.014), 14, false)
}

// ferryFender hangs over the side on two ropes.
func ferryFender(b *builder) {
	b.begin("Fender", "Fittings")
	b.at = translate(-0.62, 0.62, 0.46).Mul(turnX(96))
	b.tube(circle(0.205, 0, 72), same(0.082), 32, true)
	b.begin("Fender ropes", "Fittings")
	for _, x := range []float64{-0.68, -0.56} {
		b.at = translate(0, 0, 0)
		var p []p3
		for i := 0; i <= 40; i++ {
			t := float64(i) / 40
			p = append(p, p3{x + 0.02*math.Sin(t*5), 0.80 + 1.08*t, 0.46 - 0.275*math.Pow(t, 1.6) + 0.06*math.Sin(math.Pi*t)})
		}
		b.tube(p, same(0.013), 10, false)
	}
}
