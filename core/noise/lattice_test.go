package noise

import (
	"math"
	"testing"
)

// Gradient noise is 0 at every point of the lattice (Perlin 2002), and value noise is
// the same there whatever the way to it.
func TestLatticePoints(t *testing.T) {
	for i := range int32(60) {
		x, y, z := float32(i-30), float32((i*7)%13-6), float32(-(i*5)%17)
		if v := Perlin(x, y, z, 3); v != 0 {
			t.Fatalf("Perlin noise at the lattice point %v %v %v is %v", x, y, z, v)
		}
		const e = 1e-3
		a, b := Value(x, y, z, 3), Value(x-e, y+e, z-e, 3)
		if math.Abs(float64(a-b)) > 1e-4 || a < -1 || a > 1 {
			t.Fatalf("value noise at %v %v %v: %v and, next to it, %v", x, y, z, a, b)
		}
	}
}

// Steps of a thousandth of a cell change smooth noise by little.
func TestLatticeNoiseIsContinuous(t *testing.T) {
	for i := range 20000 {
		x := float32(i)*0.0377 - 300
		for name, f := range map[string]func(x, y, z float32, seed uint32) float32{"value": Value, "perlin": Perlin} {
			a, b := f(x, x*0.3, -x*0.7, 5), f(x+0.001, x*0.3, -x*0.7, 5)
			if math.Abs(float64(a-b)) > 0.01 || a < -1.1 || a > 1.1 {
				t.Fatalf("%s: %v and %v at x=%v", name, a, b, x)
			}
		}
	}
}

// With no jitter the points are the middles of the cubes, so distances are known.
func TestCellsOfAnEvenLattice(t *testing.T) {
	for _, c := range []struct {
		x, y, z float32
		metric  Metric
		f1, f2  float64
	}{
		{0.5, 0.5, 0.5, Euclidean, 0, 1},
		{0.5, 0.5, 0.9, Euclidean, 0.4, 0.6},
		{0.7, 0.6, 0.5, Euclidean, math.Hypot(0.2, 0.1), math.Hypot(0.8, 0.1)},
		{0.7, 0.6, 0.5, Manhattan, 0.3, 0.9},
		{0.7, 0.6, 0.5, Chebyshev, 0.2, 0.8},
	} {
		f1, f2, _, to := Cellular(c.x, c.y, c.z, 9, c.metric, 0)
		if math.Abs(float64(f1)-c.f1) > 1e-5 || math.Abs(float64(f2)-c.f2) > 1e-5 {
			t.Errorf("%+v: distances %v and %v", c, f1, f2)
		}
		if c.metric == Euclidean && math.Abs(math.Sqrt(float64(to[0]*to[0]+to[1]*to[1]+to[2]*to[2]))-c.f1) > 1e-5 {
			t.Errorf("%+v: the nearest point lies at %v", c, to)
		}
	}
}

// The two nearest points are those that looking at five cubes each way finds.
func TestCellsAgainstManyCubes(t *testing.T) {
	wrong := 0
	const n = 3000
	for i := range n {
		x, y, z := float32(i)*0.131-40, float32(i)*0.071, float32(math.Sin(float64(i)))*9
		f1, f2, _, _ := Cellular(x, y, z, 4, Euclidean, 1)
		a, b := 1e9, 1e9
		ci, cj, ck := floor(x), floor(y), floor(z)
		for dz := int32(-2); dz <= 2; dz++ {
			for dy := int32(-2); dy <= 2; dy++ {
				for dx := int32(-2); dx <= 2; dx++ {
					h := hash(ci+dx, cj+dy, ck+dz, 4)
					px := float64(ci+dx) + float64(h&1023)/1024 - float64(x)
					py := float64(cj+dy) + float64(h>>10&1023)/1024 - float64(y)
					pz := float64(ck+dz) + float64(h>>20&1023)/1024 - float64(z)
					d := math.Sqrt(px*px + py*py + pz*pz)
					if d < a {
						a, b = d, a
					} else if d < b {
						b = d
					}
				}
			}
		}
		if math.Abs(float64(f1)-a) > 1e-4 || math.Abs(float64(f2)-b) > 1e-4 {
			wrong++ // a point two cubes away can be nearer; Worley's looking at 27 cubes allows that
		}
	}
	if wrong > n/100 {
		t.Fatalf("%d of %d places have other distances than all cubes around give", wrong, n)
	}
}

func TestRandomIsEven(t *testing.T) {
	var bins [16]int
	const n = 160000
	for i := range uint32(n) {
		bins[int(Random(Hash(int32(i), int32(i/7), 3, 1), 5)*16)]++
	}
	for k, b := range bins {
		if b < n/16*9/10 || b > n/16*11/10 {
			t.Errorf("bin %d holds %d of %d", k, b, n)
		}
	}
}
