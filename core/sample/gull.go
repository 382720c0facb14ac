package sample

import (
	"math"
	"slices"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// Gull builds the carved decoy gull: 0.36 m long, one sheet. Its left half is the
// right one mirrored and has the same UVs, as carvers of models save space: islands
// overlap, and half of them run backwards. It is there to be unwrapped anew.
func Gull() *mesh.Model {
	b := newBuilder("Decoy gull", "Painted wood")
	b.longest = 0.3
	var right, left []chart
	for _, side := range []float64{1, -1} {
		mark := len(b.charts)
		gullHalf(b, side)
		if side > 0 {
			right = slices.Clone(b.charts[mark:])
		} else {
			left = slices.Clone(b.charts[mark:])
		}
	}
	n := len(left)
	b.charts = b.charts[:len(b.charts)-n]
	b.begin("Stand", "Painted wood")
	b.at = geom.Identity()
	b.lathe(rounded([]p2{{0, 0}, {0.07, 0}, {0.07, 0.014}, {0.062, 0.020}, {0, 0.020}}, 0.004, 3), 48)
	b.lathe([]p2{{0.008, 0.019}, {0.008, 0.092}}, 16)
	b.pack(0)
	for i := range left { // the left half lies where the right one does
		r, l := right[i], left[i]
		type place [3]int32
		key := func(p geom.Vec3) place {
			return place{int32(math.Round(float64(p.X) * 1e6)), int32(math.Round(float64(p.Y) * 1e6)), int32(math.Round(math.Abs(float64(p.Z)) * 1e6))}
		}
		at := map[place]geom.Vec2{}
		for k := range r.count {
			at[key(b.m.Pos[r.first+k])] = b.m.UV[r.first+k]
		}
		for k := range l.count {
			b.m.UV[l.first+k] = at[key(b.m.Pos[l.first+k])]
		}
	}
	b.m.SmoothNormals(50)
	if err := b.m.Finish(); err != nil {
		panic(err) // the generator's own mistake
	}
	return b.m
}

// gullHalf adds one half of the bird; side −1 is the mirrored one.
func gullHalf(b *builder, side float64) {
	name := "right"
	if side < 0 {
		name = "left"
	}
	// mirrored grids run the other way, or they would face inward
	grid := func(nu, nv int, w, h float64, f func(u, v float64) p3) {
		b.patch(nu, nv, w, h, func(i, j int) p3 {
			u := float64(i) / float64(nu)
			if side < 0 {
				u = 1 - u
			}
			p := f(u, float64(j)/float64(nv))
			return p3{p[0], p[1], side * p[2]}
		}, func(i, j int) p2 {
			u := float64(i) / float64(nu)
			if side < 0 {
				u = 1 - u
			}
			return p2{w * u, h - h*float64(j)/float64(nv)}
		})
	}
	// half width and the lowest and highest line along the body, x from tail to bill
	body := func(x float64) (low, high, wide float64) {
		t := min(max((x+0.15)/0.27, 0), 1)
		swell := math.Pow(math.Sin(math.Pi*math.Pow(t, 0.8)), 0.75)
		head := math.Exp(-math.Pow((x-0.098)/0.034, 2))
		low = 0.120 - 0.050*swell + 0.038*t*t
		high = 0.126 + 0.030*swell + 0.060*head + 0.006*t
		wide = 0.010 + 0.044*swell*(1-0.45*t) + 0.010*head
		// both ends are round, and closed
		e := max(0, (t-0.92)/0.08, (0.07-t)/0.07)
		round := math.Sqrt(max(0, 1-e*e))
		mid := (low + high) / 2
		return mid + (low-mid)*round, mid + (high-mid)*round, wide * round
	}
	skin := func(x, a float64) p3 { // a from 0 under the belly to 1 on the back
		low, high, wide := body(x)
		mid, tall := (low+high)/2, (high-low)/2
		s, c := math.Sincos(math.Pi * a)
		return p3{x, mid - tall*c, wide * math.Pow(s, 0.85)}
	}
	b.begin("Body, "+name, "Painted wood")
	b.at = geom.Identity()
	grid(64, 28, 0.27, 0.15, func(u, v float64) p3 { return skin(-0.15+0.27*u, v) })
	b.begin("Tail, "+name, "Painted wood")
	tail := func(u, k, top float64) p3 { // from its end into the body, from the middle outward, from below up
		return p3{-0.205 + 0.075*u, 0.120 + 0.005*u + top*0.006*(0.3+0.5*u), (0.026 - 0.012*u) * k}
	}
	grid(12, 8, 0.06, 0.03, func(u, v float64) p3 { return tail(u, 1-v, 1) })
	grid(12, 8, 0.06, 0.03, func(u, v float64) p3 { return tail(u, v, 0) })
	grid(12, 1, 0.06, 0.003, func(u, v float64) p3 { return tail(u, 1, v) })
	grid(8, 1, 0.03, 0.003, func(u, v float64) p3 { return tail(0, u, v) })
	b.begin("Bill, "+name, "Painted wood")
	grid(16, 10, 0.045, 0.02, func(u, v float64) p3 {
		s, c := math.Sincos(math.Pi * v)
		r := 0.0085 * math.Pow(1-u, 0.7)
		return p3{0.104 + 0.056*u, 0.176 - 0.010*u*u - 1.25*r*c, r * s}
	})
	b.begin("Wing, "+name, "Painted wood")
	wing := func(u, v, out float64) p3 {
		p := skin(0.055-0.203*u, 0.50+0.34*v-0.10*u)
		feather := 0.0022 * math.Abs(math.Sin(math.Pi*(4*v+2*u*u)))
		edge := math.Sin(math.Pi*min(max(v, 0), 1)) * math.Pow(max(0, math.Sin(math.Pi*u)), 0.4) // nothing at its border: it grows out of the body
		lift := (0.010*edge + feather*edge) * out
		return p3{p[0], p[1] + 0.3*lift, p[2] + lift}
	}
	grid(52, 18, 0.235, 0.055, func(u, v float64) p3 { return wing(1-u, v, 1) })
	b.begin("Eye, "+name, "Painted wood")
	eye := skin(0.103, 0.74)
	grid(14, 7, 0.012, 0.006, func(u, v float64) p3 {
		s, c := math.Sincos(2 * math.Pi * u)
		st, ct := math.Sincos(math.Pi / 2 * v)
		const r = 0.0042
		return p3{eye[0] + r*ct*c, eye[1] + r*ct*s, eye[2] - 0.001 + r*0.8*st}
	})
}

// Cleat builds a landing cleat that has no UVs at all: 0.30 m long.
func Cleat() *mesh.Model {
	b := newBuilder("Landing cleat", "Galvanised iron")
	b.longest = 9
	b.begin("Foot", "Galvanised iron")
	b.at = translate(0, 0.009, 0)
	b.box(0.20, 0.018, 0.075, 0.005, 6, nil)
	b.begin("Posts", "Galvanised iron")
	for _, x := range []float64{-0.045, 0.045} {
		b.at = translate(x, 0, 0)
		b.lathe(rounded([]p2{{0.030, 0.016}, {0.022, 0.026}, {0.017, 0.046}, {0.019, 0.064}, {0.012, 0.070}}, 0.008, 4), 32)
	}
	b.begin("Horns", "Galvanised iron")
	var bar []p3
	for i := 0; i <= 48; i++ {
		t := float64(i)/24 - 1
		bar = append(bar, p3{0.15 * t, 0.070 + 0.016*t*t, 0})
	}
	b.at = geom.Identity()
	b.tube(bar, func(t float64) float64 {
		e := math.Abs(2*t - 1)
		return 0.0185 - 0.0075*e*e - 0.006*max(0, (e-0.93)/0.07)
	}, 24, false)
	b.begin("Bolts", "Galvanised iron")
	for _, x := range []float64{-0.083, 0.083} {
		for _, z := range []float64{-0.024, 0.024} {
			b.at = translate(x, 0.017, z)
			b.bolt(0.0062)
		}
	}
	m := b.finish()
	for i := range m.UV {
		m.UV[i] = geom.Vec2{}
	}
	m.Sheets[0].HasUV = false
	if err := m.Finish(); err != nil {
		panic(err)
	}
	return m
}
