package noise

import (
	"math"
	"testing"
)

func sample(f FBM, n int, footprint float32) (mean, low, high float64) {
	low, high = 2, -2
	for i := range n {
		t := float32(i)
		v := float64(f.At(t*0.137, t*0.0711, float32(math.Sin(float64(t)))*3, footprint))
		mean += v / float64(n)
		low, high = min(low, v), max(high, v)
	}
	return
}

func TestRangeAndMean(t *testing.T) {
	for _, k := range Kinds {
		f := FBM{Kind: Kind(k), Seed: 3, Frequency: 2, Octaves: 5, Lacunarity: 2, Persistence: 0.5}
		mean, low, high := sample(f, 20000, 0)
		if low < 0 || high > 1 || high-low < 0.4 {
			t.Errorf("%s covers %.2f..%.2f; a mask needs more of 0..1", k, low, high)
		}
		if k == string(Clouds) && math.Abs(mean-0.5) > 0.03 {
			t.Errorf("clouds have mean %.3f, want 0.5", mean)
		}
	}
}

// A step of a thousandth of a cycle may change smooth noise only a little.
func TestSimplexIsContinuous(t *testing.T) {
	for i := range 20000 {
		x := float32(i)*0.0377 - 300
		a, b := Simplex(x, x*0.3, -x*0.7, 5), Simplex(x+0.001, x*0.3, -x*0.7, 5)
		if math.Abs(float64(a-b)) > 0.01 {
			t.Fatalf("jump of %v at x=%v", a-b, x)
		}
		if a < -1.05 || a > 1.05 {
			t.Fatalf("value %v at x=%v", a, x)
		}
	}
}

// Gradient noise is zero at every lattice point of the skewed grid.
func TestSimplexIsZeroOnTheLattice(t *testing.T) {
	for i := range int32(40) {
		ii, jj, kk := i-20, (i*7)%11, -(i*5)%13
		g := float32(ii+jj+kk) / 6
		if v := Simplex(float32(ii)-g, float32(jj)-g, float32(kk)-g, 1); math.Abs(float64(v)) > 2e-3 {
			t.Fatalf("lattice point %d has value %v", i, v)
		}
	}
}

func TestOctavesBeyondTheFootprintFade(t *testing.T) {
	f := FBM{Kind: Clouds, Seed: 1, Frequency: 64, Octaves: 4, Lacunarity: 2, Persistence: 0.5}
	_, low, high := sample(f, 2000, 1.0/64)
	if high-low > 1e-6 {
		t.Fatalf("noise above the texel rate still spans %.3f", high-low)
	}
	fine := FBM{Kind: Clouds, Frequency: 4, Octaves: 9, Lacunarity: 2, Persistence: 0.5}
	var worst float64
	for i := range 3000 {
		x := float32(i) * 0.013
		worst = max(worst, math.Abs(float64(fine.At(x, 0, x, 0)-fine.At(x, 0, x, 1.0/256))))
	}
	if worst == 0 || worst > 0.08 {
		t.Fatalf("a coarser footprint changes the value by %.3f; only the finest octaves may go", worst)
	}
}

// Within says how far the values in a texel lie about the one that is given for it: against many
// places in each of many texels, from such as a cycle fills to such as hold many.
func TestWhatVariesWithinATexel(t *testing.T) {
	f := FBM{Kind: Clouds, Seed: 3, Frequency: 20, Octaves: 6, Lacunarity: 2.07, Persistence: 0.6}
	for _, footprint := range []float32{0.0005, 0.002, 0.006, 0.015} {
		s, fine := f.Sampler(footprint), f.Sampler(0)
		var sum float64
		const texels, across = 500, 8
		for n := range texels {
			x, y, z := float32(n)*0.0371, float32(n%71)*0.0173, float32(n%13)*0.191
			given := s.At(x, y, z)
			for k := range across * across {
				a, b := (float32(k%across)+0.5)/across-0.5, (float32(k/across)+0.5)/across-0.5
				d := float64(fine.At(x+a*footprint, y+b*footprint, z) - given)
				sum += d * d / (texels * across * across)
			}
		}
		if got, want := float64(s.Within()), math.Sqrt(sum); math.Abs(got/want-1) > 0.3 {
			t.Errorf("texels of %v: %.4f, many places give %.4f", footprint, got, want)
		}
	}
}

func TestSeedsDiffer(t *testing.T) {
	a := FBM{Kind: Clouds, Seed: 1, Frequency: 3, Octaves: 3, Lacunarity: 2, Persistence: 0.5}
	b := a
	b.Seed = 2
	same := 0
	for i := range 1000 {
		x := float32(i) * 0.1
		if math.Abs(float64(a.At(x, x, 0, 0)-b.At(x, x, 0, 0))) < 1e-4 {
			same++
		}
	}
	if same > 20 {
		t.Fatalf("%d of 1000 values are the same under another seed", same)
	}
}

func TestSideBySideMatchesOne(t *testing.T) {
	for _, k := range Kinds {
		f := FBM{Kind: Kind(k), Seed: 77, Frequency: 31, Octaves: 6, Lacunarity: 2.1, Persistence: 0.6}
		s := f.Sampler(0.0007)
		for i := range 3000 {
			var x, y, z, out [16]float32
			var half [8]float32
			for l := range x {
				v := float32(i*16+l) * 0.0137
				x[l], y[l], z[l] = v-100, -v*0.37+3, float32(math.Sin(float64(v)))*40
			}
			s.Sixteen(&x, &y, &z, &out)
			s.Eight((*[8]float32)(x[:]), (*[8]float32)(y[:]), (*[8]float32)(z[:]), &half)
			for l, got := range out {
				want := s.At(x[l], y[l], z[l])
				if got != want {
					t.Fatalf("%s at %v %v %v: sixteen give %v, one gives %v", k, x[l], y[l], z[l], got, want)
				}
				if l < 8 && half[l] != want {
					t.Fatalf("%s at %v %v %v: eight give %v, one gives %v", k, x[l], y[l], z[l], half[l], want)
				}
			}
		}
	}
}
