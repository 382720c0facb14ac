package pix

import (
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"testing"
)

// The nearest covered texel is exactly the one that looking at all of them finds, in
// wide and tall fields, with few and with many of them.
func TestNearestCoveredTexelAgainstEveryTexel(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	for _, c := range []struct{ w, h, many int }{{48, 48, 12}, {48, 48, 700}, {90, 7, 5}, {5, 70, 9}, {1, 40, 3}, {40, 1, 3}, {33, 20, 1}} {
		covered := make([]bool, c.w*c.h)
		var all []int
		for range c.many {
			covered[r.IntN(len(covered))] = true
		}
		for i, on := range covered {
			if on {
				all = append(all, i)
			}
		}
		for i, f := range NearestIn(covered, c.w, c.h) {
			best := 1 << 30
			for _, j := range all {
				best = min(best, Apart2(i, j, c.w))
			}
			if f < 0 || !covered[f] || Apart2(i, int(f), c.w) != best {
				t.Fatalf("%d × %d: texel %d takes %d, and one is %d away (square)", c.w, c.h, i, f, best)
			}
		}
	}
	if f := Nearest(make([]bool, 16), 4); f[5] != -1 {
		t.Errorf("an empty sheet gives %d", f[5])
	}
}

// A large field is worked in bands by all processors, with the same result as by one.
func TestNearestOnAnyNumberOfProcessors(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	covered := make([]bool, 700*500)
	for range 400 {
		covered[r.IntN(len(covered))] = true
	}
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(1))
	one := NearestIn(covered, 700, 500)
	runtime.GOMAXPROCS(3)
	if !slices.Equal(one, NearestIn(covered, 700, 500)) {
		t.Error("three processors find others than one")
	}
}

// Division goes downward for numbers of half a word and of a whole one.
func TestFloorDiv(t *testing.T) {
	for _, a := range []int{0, 1, 7, -1, -7, -8, 1<<31 - 1, -1 << 31, 1 << 31, 1 << 40, -1<<40 - 3} {
		for _, b := range []int{1, 2, 7, 1 << 20, 1 << 33} {
			want := int(math.Floor(float64(a) / float64(b)))
			if got := floorDiv(a, b); got != want {
				t.Errorf("%d by %d is %d, not %d", a, b, got, want)
			}
		}
	}
}
