package pix

import (
	"math"
	"math/rand/v2"
	"testing"
)

// Eight at a time gives the bits that one by one does, for rows of any length: what is not finite or no
// number, and what lies about the ends, too.
func TestUnit(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	odd := []float32{0, 1, -1, 2, float32(math.Inf(1)), float32(math.Inf(-1)), float32(math.NaN()), math.SmallestNonzeroFloat32, -math.SmallestNonzeroFloat32, math.Nextafter32(1, 2), math.Nextafter32(1, 0)}
	for n := range 70 {
		row, want := make([]float32, n), make([]float32, n)
		for i := range row {
			if row[i] = rng.Float32()*3 - 1; rng.IntN(3) == 0 {
				row[i] = odd[rng.IntN(len(odd))]
			}
		}
		copy(want, row)
		Unit(row)
		unitPlain(want)
		for i := range row {
			if math.Float32bits(row[i]) != math.Float32bits(want[i]) && !(row[i] != row[i] && want[i] != want[i]) {
				t.Fatalf("of %d, value %d is %v, one by one %v", n, i, row[i], want[i])
			}
		}
	}
}
