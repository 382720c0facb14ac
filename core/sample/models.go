package sample

import (
	"math"

	"velvetgrime/core/mesh"
)

func circle(r, y float64, n int) []p3 {
	var p []p3
	for i := 0; i <= n; i++ {
		s, c := math.Sincos(2 * math.Pi * float64(i%n) / float64(n))
		p = append(p, p3{r * c, y, -r * s})
	}
	return p
}

func same(r float64) func(float64) float64 { return func(float64) float64 { return r } }

// bolt stands on the origin: a washer and a chamfered hexagon head.
func (b *builder) bolt(r float64) {
	b.lathe(rounded([]p2{{0, 0}, {1.35 * r, 0}, {1.35 * r, 0.28 * r}, {0, 0.28 * r}}, 0.08*r, 2), 24)
	b.lathe([]p2{{0.9 * r, 0.2 * r}, {r, 0.3 * r}, {r, 0.95 * r}, {0.88 * r, 1.08 * r}, {0, 1.1 * r}}, 6)
}

// rivet stands on the origin: a low dome.
func (b *builder) rivet(r float64) {
	var p []p2
	for k := 0; k <= 5; k++ {
		s, c := math.Sincos(math.Pi / 2 * float64(k) / 5)
		p = append(p, p2{r * c, 0.6 * r * s})
	}
	b.lathe(append([]p2{{r, -0.3 * r}}, p...), 14)
}

// Lantern builds the signal lantern of Low Wick landing: 0.46 m tall to the top
// of its raised bail, five sheets.
func Lantern() *mesh.Model {
	b := newBuilder("Signal lantern", "Cast iron", "Enamel", "Brass", "Glass", "Rope")
	b.begin("Foot", "Cast iron")
	b.lathe(rounded([]p2{{0, 0}, {0.070, 0}, {0.078, 0.004}, {0.104, 0.004}, {0.110, 0}, {0.115, 0}, {0.115, 0.014}, {0.108, 0.018}, {0.090, 0.020}, {0.086, 0.034}, {0.081, 0.040}, {0.081, 0.046}, {0, 0.046}}, 0.004, 4), 96)
	for i := range 6 {
		b.at = turnY(float64(i)*60 + 30).Mul(translate(0.0895, 0.027, 0))
		b.box(0.020, 0.018, 0.006, 0.002, 0, func(p p3) p3 { p[0] -= max(0, p[1]+0.002) * 0.8; return p })
	}
	b.begin("Foot bolts", "Cast iron")
	for i := range 6 {
		b.at = turnY(float64(i) * 60).Mul(translate(0.0995, 0.0185, 0)).Mul(turnY(float64(i * 47 % 60)))
		b.bolt(0.0062)
	}
	b.begin("Drum", "Enamel")
	drum := []p2{{0.060, 0.044}, {0.079, 0.044}, {0.079, 0.054}, {0.082, 0.057}, {0.079, 0.060}, {0.079, 0.100}, {0.082, 0.103}, {0.079, 0.106}, {0.079, 0.113}, {0.070, 0.124}, {0.040, 0.126}}
	b.lathe(rounded(drum, 0.003, 4), 96)
	b.begin("Gallery", "Brass")
	b.lathe(rounded([]p2{{0.062, 0.120}, {0.077, 0.120}, {0.081, 0.123}, {0.081, 0.134}, {0.077, 0.137}, {0.062, 0.137}}, 0.0018, 3), 96)
	for i := range 16 {
		b.at = turnY(float64(i)*22.5 + 11).Mul(translate(0.081, 0.1285, 0)).Mul(turnZ(-90))
		b.rivet(0.0026)
	}
	b.begin("Crown ring", "Brass")
	b.lathe(rounded([]p2{{0.062, 0.228}, {0.077, 0.228}, {0.081, 0.231}, {0.081, 0.241}, {0.077, 0.244}, {0.062, 0.244}}, 0.0018, 3), 96)
	b.begin("Pillars", "Enamel")
	for i := range 4 {
		b.at = turnY(float64(i)*90 + 45).Mul(translate(0, 0.1825, 0))
		b.box(0.020, 0.096, 0.007, 0.0018, 6, around(0.0715))
	}
	b.begin("Panes", "Glass")
	for i := range 3 {
		b.at = turnY(float64(i)*90 - 90).Mul(translate(0, 0.1825, 0))
		b.box(0.094, 0.094, 0.003, 0.0006, 16, around(0.0685))
	}
	b.begin("Burner", "Brass")
	b.at = translate(0, 0.124, 0)
	b.lathe(rounded([]p2{{0, 0}, {0.030, 0}, {0.030, 0.006}, {0.018, 0.010}, {0.018, 0.020}, {0.026, 0.026}, {0.022, 0.036}, {0.009, 0.044}, {0.009, 0.048}, {0, 0.048}}, 0.002, 3), 48)
	b.begin("Cage", "Brass")
	for _, y := range []float64{0.160, 0.205} {
		b.at = translate(0, y, 0)
		b.tube(circle(0.0805, 0, 96), same(0.0021), 10, true)
	}
	for i := range 12 {
		if i%3 == 0 {
			continue
		}
		s, c := math.Sincos(float64(i) * math.Pi / 6)
		b.at = translate(0.0785*s, 0, -0.0785*c)
		b.tube([]p3{{0, 0.132, 0}, {0, 0.16, 0}, {0, 0.18, 0}, {0, 0.205, 0}, {0, 0.233, 0}}, same(0.0019), 10, false)
	}
	lanternDoor(b)
	lanternRoof(b)
	lanternBail(b)
	return b.finish()
}

// lanternDoor is the fourth side: a louvred enamel door that faces +Z.
func lanternDoor(b *builder) {
	const face = 18.0 // degrees the door is turned to the light
	b.begin("Door", "Enamel")
	b.at = translate(0, 0.1825, 0)
	b.box(0.098, 0.090, 0.005, 0.0016, 16, around(0.0745))
	b.begin("Door louvres", "Enamel")
	for i := range 4 {
		b.at = translate(0, 0.157+0.017*float64(i), 0)
		b.box(0.058, 0.0075, 0.008, 0.0022, 12, func(p p3) p3 {
			p[2] += 0.002 - p[1]*0.55
			return around(0.0765)(p)
		})
	}
	b.begin("Hinges", "Brass")
	for _, y := range []float64{0.155, 0.210} {
		b.at = turnY(-41).Mul(translate(0, y, 0.0795))
		b.lathe(rounded([]p2{{0, -0.009}, {0.0034, -0.009}, {0.0034, 0.009}, {0, 0.009}}, 0.0008, 2), 20)
		b.at = translate(0, y, 0)
		b.box(0.026, 0.012, 0.0018, 0.0006, 8, func(p p3) p3 { p[0] -= 0.040; return around(0.0778)(p) })
		for k := range 2 {
			b.at = turnY(-36 + 10*float64(k)).Mul(translate(0, y, 0.0787)).Mul(turnX(90))
			b.rivet(0.0017)
		}
	}
	b.begin("Latch", "Brass")
	b.at = turnY(31).Mul(translate(0, 0.1825, 0.077)).Mul(turnX(90))
	b.lathe(rounded([]p2{{0, 0}, {0.0075, 0}, {0.0075, 0.002}, {0.0028, 0.003}, {0.0028, 0.008}, {0.0058, 0.010}, {0.0058, 0.015}, {0, 0.016}}, 0.001, 3), 32)
	b.begin("Number plate", "Brass")
	b.at = turnY(face - 18).Mul(translate(0, 0.080, 0))
	b.box(0.056, 0.022, 0.0024, 0.0010, 12, around(0.0795))
	for _, a := range []float64{-18, 18} {
		b.at = turnY(a).Mul(translate(0, 0.080, 0.0806)).Mul(turnX(90))
		b.rivet(0.0016)
	}
	b.begin("Wick wheel", "Brass")
	b.at = turnY(62).Mul(translate(0, 0.080, 0.079)).Mul(turnX(90))
	b.lathe(rounded([]p2{{0, 0}, {0.009, 0}, {0.009, 0.003}, {0.003, 0.004}, {0.003, 0.014}, {0.0115, 0.015}, {0.0115, 0.020}, {0.003, 0.021}, {0, 0.0215}}, 0.0008, 2), 28)
}

func lanternRoof(b *builder) {
	b.begin("Roof", "Enamel")
	roof := []p2{{0.060, 0.242}, {0.084, 0.242}, {0.092, 0.239}, {0.0945, 0.241}, {0.092, 0.247}, {0.066, 0.272}, {0.050, 0.281}, {0.047, 0.284}, {0.047, 0.316}, {0.020, 0.317}}
	b.lathe(rounded(roof, 0.0035, 4), 96)
	b.begin("Vents", "Enamel")
	for i := range 10 {
		b.at = turnY(float64(i)*36 + 18).Mul(translate(0, 0.299, 0))
		b.box(0.014, 0.020, 0.007, 0.0024, 4, func(p p3) p3 {
			p[2] += max(0, -p[1]+0.004) * 0.28
			return around(0.0475)(p)
		})
	}
	b.begin("Cap", "Enamel")
	b.lathe(rounded([]p2{{0.046, 0.318}, {0.060, 0.314}, {0.063, 0.316}, {0.062, 0.320}, {0.050, 0.333}, {0.026, 0.342}, {0.012, 0.344}, {0, 0.3445}}, 0.003, 4), 80)
	b.begin("Finial", "Brass")
	b.at = translate(0, 0.342, 0)
	b.lathe(rounded([]p2{{0, 0}, {0.012, 0}, {0.012, 0.003}, {0.006, 0.005}, {0.0045, 0.009}, {0.0085, 0.014}, {0.0085, 0.018}, {0.004, 0.023}, {0, 0.0235}}, 0.002, 4), 40)
}

func lanternBail(b *builder) {
	b.begin("Lugs", "Brass")
	for _, side := range []float64{-1, 1} {
		b.at = translate(side*0.0855, 0.234, 0)
		b.box(0.012, 0.030, 0.014, 0.002, 0, nil)
		b.at = translate(side*0.0915, 0.240, 0).Mul(turnZ(-side * 90))
		b.lathe(rounded([]p2{{0, 0}, {0.0065, 0}, {0.0065, 0.0075}, {0, 0.0085}}, 0.0015, 3), 24)
	}
	b.begin("Bail", "Cast iron")
	b.at = translate(0, 0, 0)
	var path []p3
	for i := 0; i <= 80; i++ {
		path = append(path, bailArc(float64(i)/40-1))
	}
	b.tube(path, same(0.0032), 14, false)
	b.begin("Grip", "Rope")
	coil := gripPath(1)
	b.tube(coil, func(t float64) float64 { return 0.0040 * min(1, 0.35+12*min(t, 1-t)) }, 12, false)
}

// bailArc is the bail's middle line, t −1..1 from lug to lug; a little egg-shaped.
func bailArc(t float64) p3 {
	a := t * math.Pi / 2
	return p3{0.0965 * math.Sin(a), 0.240 + 0.215*math.Pow(math.Cos(a), 0.82), 0}
}

// gripPath is the middle line of the cord that is wound round the bail.
func gripPath(finer int) []p3 {
	var coil []p3
	const turns = 17
	per := 14 * finer
	for i := 0; i <= turns*per; i++ {
		t := (float64(i)/float64(turns*per) - 0.5) * 0.92
		p, q := bailArc(t), bailArc(t+0.001)
		dx, dy := q[0]-p[0], q[1]-p[1]
		l := math.Hypot(dx, dy)
		s, c := math.Sincos(2 * math.Pi * float64(i) / float64(per))
		const out = 0.0060
		coil = append(coil, p3{p[0] - dy/l*out*c, p[1] + dx/l*out*c, out * s})
	}
	return coil
}

// Bollard builds the mooring bollard: 0.62 m tall, one sheet.
func Bollard() *mesh.Model {
	b := newBuilder("Mooring bollard", "Cast iron")
	b.longest = 0.5
	b.begin("Base plate", "Cast iron")
	b.lathe(rounded([]p2{{0, 0}, {0.30, 0}, {0.30, 0.035}, {0.285, 0.045}, {0.18, 0.055}, {0.15, 0.075}}, 0.012, 5), 96)
	b.begin("Post", "Cast iron")
	b.lathe(rounded([]p2{{0.155, 0.06}, {0.135, 0.12}, {0.118, 0.24}, {0.120, 0.40}, {0.140, 0.47}, {0.185, 0.505}, {0.195, 0.53}, {0.188, 0.565}, {0.13, 0.60}, {0.06, 0.615}, {0, 0.617}}, 0.03, 6), 96)
	b.begin("Horns", "Cast iron")
	var bar []p3
	for i := 0; i <= 40; i++ {
		t := float64(i)/20 - 1
		bar = append(bar, p3{0.26 * t, 0.37 + 0.012*t*t, 0})
	}
	b.tube(bar, func(t float64) float64 {
		e := math.Abs(2*t - 1)
		return 0.030 + 0.012*e*e*e - 0.04*max(0, e-0.94)
	}, 32, false)
	b.begin("Bolts", "Cast iron")
	for i := range 8 {
		b.at = turnY(float64(i) * 45).Mul(translate(0.235, 0.049, 0)).Mul(turnY(float64(i * 31 % 60)))
		b.bolt(0.021)
	}
	return b.finish()
}
