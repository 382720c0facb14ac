package surface

import (
	"math"
	"math/rand/v2"
	"testing"

	"velvetgrime/core/raster"
)

// What is rounded between texels has no kinks: its slope goes on where texels meet, and what is even
// or slopes evenly stays so. Texels that stand for nothing do not count.
func TestRoundedBetweenTexels(t *testing.T) {
	const n = 12
	f := &raster.Frame{W: n, H: n, Tri: make([]int32, n*n)}
	r := rand.New(rand.NewPCG(1, 2))
	any, slanted := make([]float32, n*n), make([]float32, n*n)
	for i := range any {
		any[i], slanted[i] = r.Float32(), 0.1*float32(i%n)+0.03*float32(i/n)
	}
	for range 300 {
		x, y := 1.5+8*r.Float32(), 1.5+8*r.Float32()
		if got, want := rounded(slanted, f, x, y), 0.1*x+0.03*y; math.Abs(float64(got-want)) > 1e-4 {
			t.Fatalf("%v, %v: %v, an even slope has %v", x, y, got, want)
		}
		at, h := float32(2+r.IntN(8))+0.5, float32(0.01) // where two texels meet
		left, right := rounded(any, f, at, y)-rounded(any, f, at-h, y), rounded(any, f, at+h, y)-rounded(any, f, at, y)
		if d := math.Abs(float64(left - right)); d > 2.5*float64(h*h) { // the second difference is at most 2 here
			t.Fatalf("at %v, %v the slope jumps from %v to %v", at, y, left/h, right/h)
		}
	}
	const hole = 5*n + 5
	f.Tri[hole], any[hole] = -1, 1e6
	if v := rounded(any, f, 5.2, 5.4); v < 0 || v > 1 {
		t.Errorf("%v beside a hole", v)
	}
}
