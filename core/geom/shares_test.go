package geom

import (
	"math"
	"math/rand/v2"
	"testing"
)

// A point made of shares of the corners has these shares, beside the triangle too, and
// whatever stands above it.
func TestShares(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	v := func() Vec3 { return V3(r.Float32()*4-2, r.Float32()*4-2, r.Float32()*4-2) }
	for range 500 {
		a, b, c := v(), v(), v()
		n := b.Sub(a).Cross(c.Sub(a))
		if n.Length() < 0.3 {
			continue
		}
		want := [3]float32{0, r.Float32()*2 - 0.5, r.Float32()*2 - 0.5}
		want[0] = 1 - want[1] - want[2]
		p := a.Mul(want[0]).Add(b.Mul(want[1])).Add(c.Mul(want[2])).Add(n.Mul(r.Float32()))
		got := Barycentric(p, a, b, c)
		for k := range 3 {
			if math.Abs(float64(got[k]-want[k])) > 1e-4 {
				t.Fatalf("%v, want %v", got, want)
			}
		}
		flat := [3][2]float64{{float64(a.X), float64(a.Y)}, {float64(b.X), float64(b.Y)}, {float64(c.X), float64(c.Y)}}
		x := float64(want[0])*flat[0][0] + float64(want[1])*flat[1][0] + float64(want[2])*flat[2][0]
		y := float64(want[0])*flat[0][1] + float64(want[1])*flat[1][1] + float64(want[2])*flat[2][1]
		if g, ok := Barycentric2(&flat, Twice2(&flat), x, y); ok && math.Abs(float64(n.Z)) > 0.1 {
			for k := range 3 {
				if math.Abs(g[k]-float64(want[k])) > 1e-4 {
					t.Fatalf("flat: %v, want %v", g, want)
				}
			}
		}
	}
	if s := Barycentric(V3(1, 1, 1), V3(0, 0, 0), V3(1, 0, 0), V3(2, 0, 0)); s != [3]float32{1, 0, 0} {
		t.Errorf("a triangle without an area gives %v", s)
	}
	line := [3][2]float64{{0, 0}, {1, 1}, {2, 2}}
	if _, ok := Barycentric2(&line, Twice2(&line), 1, 0); ok {
		t.Error("a flat triangle without an area has shares")
	}
}

// The smooth step meets its ends with no slope, its middle half way, and is symmetric.
func TestSmoothstep(t *testing.T) {
	for _, c := range [][4]float32{{2, 4, 1, 0}, {2, 4, 2, 0}, {2, 4, 3, 0.5}, {2, 4, 4, 1}, {2, 4, 9, 1}, {3, 3, 2.9, 0}, {3, 3, 3, 1}, {5, 3, 4, 0.5}, {5, 3, 3, 1}, {5, 3, 6, 0}} {
		if got := Smoothstep(c[0], c[1], c[2]); got != c[3] {
			t.Errorf("from %v to %v at %v: %v, want %v", c[0], c[1], c[2], got, c[3])
		}
	}
	for i := range 101 {
		x := float32(i) / 100
		if s := Smooth(x) + Smooth(1-x); math.Abs(float64(s-1)) > 1e-6 {
			t.Errorf("at %v and its mirror: %v", x, s)
		}
	}
	if d := (Smooth(1e-3) - Smooth(0)) / 1e-3; d > 0.01 {
		t.Errorf("it begins with a slope of %v", d)
	}
}

// The lengths are those of the library's careful function, to half a step of 32 bits.
func TestHypot(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 9))
	for range 20000 {
		scale := float32(math.Pow(10, rng.Float64()*60-30))
		x, y := (rng.Float32()*2-1)*scale, (rng.Float32()*2-1)*scale
		if got, want := Hypot(x, y), float32(math.Hypot(float64(x), float64(y))); got != want &&
			math.Nextafter32(got, want) != want {
			t.Fatalf("√(%v² + %v²) is %v, not %v", x, y, got, want)
		}
	}
	if Hypot(3e38, 0) != 3e38 || Hypot(1e-45, 0) != 1e-45 {
		t.Error("the largest and the smallest are lost")
	}
}
