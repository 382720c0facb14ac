package pix

import (
	"math/rand/v2"
	"testing"
)

// The handed-on nearest texel is never farther than the true one by more than the
// method's small error, and covered texels are their own.
func TestNearestCoveredTexelAgainstEveryTexel(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	const n = 48
	for range 8 {
		covered := make([]bool, n*n)
		for range 12 {
			covered[r.IntN(n*n)] = true
		}
		off := 0
		for i, f := range Nearest(covered, n) {
			if covered[i] && int(f) != i {
				t.Fatalf("texel %d is covered but takes %d", i, f)
			}
			best := 1 << 30
			for j, c := range covered {
				if c {
					best = min(best, Apart2(i, j, n))
				}
			}
			got := Apart2(i, int(f), n)
			if got > best+2*n { // a step of less than one texel
				t.Fatalf("texel %d: %d away, the nearest %d (squares)", i, got, best)
			}
			if got != best {
				off++
			}
		}
		if off > n*n/100 {
			t.Errorf("%d of %d texels miss their nearest", off, n*n)
		}
	}
	if f := Nearest(make([]bool, 16), 4); f[5] != -1 {
		t.Errorf("an empty sheet gives %d", f[5])
	}
}
