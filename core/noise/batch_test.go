package noise

import (
	"math/rand/v2"
	"testing"
)

func places(rng *rand.Rand) (x, y, z float32, seed uint32) {
	size := [4]float32{1, 30, 3000, 90000}[rng.IntN(4)]
	c := func() float32 { return (rng.Float32()*2 - 1) * size }
	return c(), c(), c(), rng.Uint32()
}

// Several noises at once are those that are evaluated one after the other, to the bit.
func TestABatchIsItsPoints(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	var b Batch
	for range 20000 {
		n := 1 + rng.IntN(8)
		var want [8]float32
		b.Clear()
		for i := range n {
			x, y, z, seed := places(rng)
			if at := b.Add(x, y, z, seed); at != i {
				t.Fatalf("point %d is at %d", i, at)
			}
			want[i] = Simplex(x, y, z, seed)
		}
		b.Run()
		for i := range n {
			if b.Value[i] != want[i] {
				t.Fatalf("point %d of %d: %v, alone %v", i, n, b.Value[i], want[i])
			}
		}
		b.runPlain()
		for i := range n {
			if b.Value[i] != want[i] {
				t.Fatalf("plainly point %d: %v, alone %v", i, b.Value[i], want[i])
			}
		}
	}
}

// Octaves that are evaluated side by side are those one after the other, to the bit.
func TestOctavesSideBySide(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for _, kind := range []Kind{Clouds, Ridges, Billow, Turbulence, Multi, Cells} {
		for octaves := 1; octaves <= 9; octaves++ {
			s := FBM{Kind: kind, Seed: rng.Uint32(), Frequency: 0.7, Octaves: octaves, Lacunarity: 2.1, Persistence: 0.55}.Sampler(0.001)
			for range 300 {
				x, y, z, _ := places(rng)
				x, y, z = x*0.01, y*0.01, z*0.01 // the finest octave stays below a million
				if got, want := s.At(x, y, z), s.atPlain(x, y, z); got != want {
					t.Fatalf("%v, %d octaves, at %v %v %v: %v, one after the other %v", kind, octaves, x, y, z, got, want)
				}
			}
		}
	}
}

// Cubes that are looked at side by side give what they give one after the other, to the bit.
func TestCubesSideBySide(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for _, metric := range []Metric{Euclidean, Manhattan, Chebyshev} {
		for range 20000 {
			x, y, z, seed := places(rng)
			jitter := [3]float32{0, rng.Float32(), 1}[rng.IntN(3)]
			f1, f2, id, to := Cellular(x, y, z, seed, metric, jitter)
			w1, w2, wid, wto := cellularPlain(x, y, z, seed, metric, jitter)
			if f1 != w1 || f2 != w2 || id != wid || to != wto {
				t.Fatalf("metric %d at %v %v %v: %v %v %x %v, one after the other %v %v %x %v", metric, x, y, z, f1, f2, id, to, w1, w2, wid, wto)
			}
		}
	}
}

var sink float32

func BenchmarkAt(b *testing.B) {
	s := FBM{Kind: Clouds, Seed: 3, Frequency: 1, Octaves: 5, Lacunarity: 2.1, Persistence: 0.5}.Sampler(0.001)
	b.Run("side by side", func(b *testing.B) {
		for i := range b.N {
			sink = s.At(float32(i)*0.01, 0.3, 0.7)
		}
	})
	b.Run("plain", func(b *testing.B) {
		for i := range b.N {
			sink = s.atPlain(float32(i)*0.01, 0.3, 0.7)
		}
	})
}

func BenchmarkCellular(b *testing.B) {
	b.Run("side by side", func(b *testing.B) {
		for i := range b.N {
			sink, _, _, _ = Cellular(float32(i)*0.01, 0.3, 0.7, 5, Euclidean, 1)
		}
	})
	b.Run("plain", func(b *testing.B) {
		for i := range b.N {
			sink, _, _, _ = cellularPlain(float32(i)*0.01, 0.3, 0.7, 5, Euclidean, 1)
		}
	})
}
