package pix

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"velvetgrime/core/geom"
)

// odd are values about which eight at a time could differ from one by one.
var odd = []float32{
	0, 1, -1, 2, float32(math.Inf(1)), float32(math.Inf(-1)), float32(math.NaN()), math.SmallestNonzeroFloat32, -math.SmallestNonzeroFloat32,
	math.Nextafter32(1, 2), math.Nextafter32(1, 0), 0.5 / 255, math.MaxFloat32, -math.MaxFloat32, float32(math.Copysign(0, -1)),
}

// rows calls f with rows of every length up to 70, of odd values among others.
func rows(f func(rng *rand.Rand, row []float32)) {
	rng := rand.New(rand.NewPCG(4, 4))
	for n := range 70 {
		row := make([]float32, n)
		for i := range row {
			if row[i] = rng.Float32()*3 - 1; rng.IntN(3) == 0 {
				row[i] = odd[rng.IntN(len(odd))]
			}
		}
		f(rng, row)
	}
}

// same holds rows against each other to the bit; nought has no sign here.
func same(t *testing.T, what string, got, want []float32) {
	t.Helper()
	for i := range want {
		if got[i] != want[i] && !(got[i] != got[i] && want[i] != want[i]) {
			t.Fatalf("%s: of %d, value %d is %v, one by one %v", what, len(want), i, got[i], want[i])
		}
	}
}

// Whole rows get what each value gets by itself.
func TestRowsAreTheirValues(t *testing.T) {
	rows(func(rng *rand.Rand, row []float32) {
		want := slices.Clone(row)
		for i, v := range want {
			want[i] = min(max(v, 0), 1)
		}
		got := slices.Clone(row)
		Unit(got)
		same(t, "Unit", got, want)

		v := odd[rng.IntN(len(odd))]
		for i := range want {
			want[i] = v
		}
		Set(got, v)
		same(t, "Set", got, want)

		mul, add := rng.Float32()*4-2, rng.Float32()-0.5
		for i, v := range row {
			want[i] = add + v*mul
		}
		Linear(got, row, mul, add)
		same(t, "Linear", got, want)

		more := make([]float32, len(row)+3)
		for i := range more {
			more[i] = rng.Float32()
		}
		for i, v := range row {
			got[i], want[i] = v, v+mul*(more[i]+more[i+3])
		}
		AddPair(got, more, more[3:], mul)
		same(t, "AddPair", got, want)

		a, b := rng.Float32(), rng.Float32()
		if rng.IntN(4) == 0 {
			b = a
		}
		for i, v := range row {
			want[i] = geom.Smoothstep(a, b, v)
		}
		copy(got, row)
		Smoothstep(got, a, b)
		same(t, "Smoothstep", got, want)

		for each := 1; each <= 4; each++ {
			to := make([]byte, len(row)*each)
			for i := range to {
				to[i] = 77
			}
			Bytes(to, each, row)
			for i, b := range to {
				if i%each != 0 {
					if b != 77 {
						t.Fatalf("Bytes wrote between its places: %d of every %d", i, each)
					}
				} else if b != Byte(row[i/each]) {
					t.Fatalf("Bytes: %v is %d, by itself %d", row[i/each], b, Byte(row[i/each]))
				}
			}
		}
		planes := [3]Plane{{Data: row}, {Value: rng.Float32()}, {Data: slices.Concat(row, row)[len(row)/2:]}}
		at := min(2, len(row))
		n := len(row) - at
		to := make([]byte, 3*n)
		Bytes3(to, &planes, at, n)
		for i, b := range to {
			if want := Byte(planes[i%3].At(at + i/3)); b != want {
				t.Fatalf("Bytes3: of %d texels, component %d of %d is %d, by itself %d", n, i%3, i/3, b, want)
			}
		}
	})
}
