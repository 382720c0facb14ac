package noise

import "math"

// quintic is the fade of improved noise: slope and bend are 0 at both ends (Perlin,
// "Improving Noise", SIGGRAPH 2002).
func quintic(t float32) float32 { return t * t * t * (t*(6*t-15) + 10) }

func lerp(a, b, t float32) float32 { return a + t*(b-a) }

// corners returns the hashed corners of the unit cube around a point, x fastest, and
// the place within it.
func corners(x, y, z float32, seed uint32) (h [8]uint32, fx, fy, fz float32) {
	i, j, k := floor(x), floor(y), floor(z)
	hx, hy, hz := uint32(i)*primeX, uint32(j)*primeY, uint32(k)*primeZ
	base := seed ^ 0x51ed270b
	for c := range uint32(8) {
		h[c] = mix(base ^ (hx + (c&1)*primeX) ^ (hy + (c>>1&1)*primeY) ^ (hz + (c>>2)*primeZ))
	}
	return h, x - float32(i), y - float32(j), z - float32(k)
}

// Value is value noise, −1..1: a random number at each point of the unit lattice,
// interpolated with a quintic.
func Value(x, y, z float32, seed uint32) float32 {
	h, fx, fy, fz := corners(x, y, z, seed)
	u, v, w := quintic(fx), quintic(fy), quintic(fz)
	at := func(c int) float32 { return float32(h[c]>>8&0xffff)*(2.0/65535) - 1 }
	return lerp(
		lerp(lerp(at(0), at(1), u), lerp(at(2), at(3), u), v),
		lerp(lerp(at(4), at(5), u), lerp(at(6), at(7), u), v),
		w,
	)
}

// Perlin is gradient noise on the cubic lattice, about −1..1 (Perlin, "Improving
// Noise", SIGGRAPH 2002). It is 0 at every lattice point.
func Perlin(x, y, z float32, seed uint32) float32 {
	h, fx, fy, fz := corners(x, y, z, seed)
	u, v, w := quintic(fx), quintic(fy), quintic(fz)
	at := func(c int) float32 {
		g := &gradients[h[c]>>8&15]
		return g[0]*(fx-float32(c&1)) + g[1]*(fy-float32(c>>1&1)) + g[2]*(fz-float32(c>>2))
	}
	return lerp(
		lerp(lerp(at(0), at(1), u), lerp(at(2), at(3), u), v),
		lerp(lerp(at(4), at(5), u), lerp(at(6), at(7), u), v),
		w,
	)
}

// Metric is how distances between cells are measured.
type Metric int

// The usual metrics.
const (
	Euclidean Metric = iota // straight
	Manhattan               // along the axes: diamonds
	Chebyshev               // the longest axis: cubes
)

// Metrics lists the metrics' names in menu order.
var Metrics = []string{"straight", "along axes", "longest axis"}

// Cellular looks for the two nearest of one scattered point per unit cube. It returns
// their distances, a hash that names the nearest point, and the vector to it. jitter,
// 0..1, is how far points leave the middle of their cubes (Worley, "A Cellular
// Texture Basis Function", SIGGRAPH 1996).
func Cellular(x, y, z float32, seed uint32, metric Metric, jitter float32) (f1, f2 float32, id uint32, to [3]float32) {
	i, j, k := floor(x), floor(y), floor(z)
	fx, fy, fz := x-float32(i), y-float32(j), z-float32(k)
	scale := jitter / 1024
	off := 0.5 - jitter/2
	f1, f2, nearest, done := cells(i, j, k, fx, fy, fz, scale, off, seed, metric)
	if !done {
		return cellularPlain(x, y, z, seed, metric, jitter)
	}
	dx, dy, dz := int32(nearest%3-1), int32(nearest/3%3-1), int32(nearest/9-1)
	id = hash(i+dx, j+dy, k+dz, seed)
	to = [3]float32{
		float32(dx) + off + float32(id&1023)*scale - fx,
		float32(dy) + off + float32(id>>10&1023)*scale - fy,
		float32(dz) + off + float32(id>>20&1023)*scale - fz,
	}
	if metric == Euclidean {
		f1, f2 = float32(math.Sqrt(float64(f1))), float32(math.Sqrt(float64(f2)))
	}
	return f1, f2, id, to
}

// cellularPlain is Cellular a cube after the other; TestCubesSideBySide holds them against
// each other.
func cellularPlain(x, y, z float32, seed uint32, metric Metric, jitter float32) (f1, f2 float32, id uint32, to [3]float32) {
	i, j, k := floor(x), floor(y), floor(z)
	fx, fy, fz := x-float32(i), y-float32(j), z-float32(k)
	f1, f2 = 1e9, 1e9
	scale := jitter / 1024
	off := 0.5 - jitter/2
	for dz := int32(-1); dz <= 1; dz++ {
		for dy := int32(-1); dy <= 1; dy++ {
			for dx := int32(-1); dx <= 1; dx++ {
				h := hash(i+dx, j+dy, k+dz, seed)
				px := float32(dx) + off + float32(h&1023)*scale - fx
				py := float32(dy) + off + float32(h>>10&1023)*scale - fy
				pz := float32(dz) + off + float32(h>>20&1023)*scale - fz
				var d float32
				switch metric {
				case Manhattan:
					d = abs(px) + abs(py) + abs(pz)
				case Chebyshev:
					d = max(abs(px), abs(py), abs(pz))
				default:
					d = px*px + py*py + pz*pz
				}
				if d < f1 {
					f1, f2, id, to = d, f1, h, [3]float32{px, py, pz}
				} else if d < f2 {
					f2 = d
				}
			}
		}
	}
	if metric == Euclidean {
		f1, f2 = float32(math.Sqrt(float64(f1))), float32(math.Sqrt(float64(f2)))
	}
	return f1, f2, id, to
}

// Random turns a hash into numbers of 0..1: n says which.
func Random(h uint32, n uint32) float32 {
	h = mix(h ^ n*0x9e3779b9)
	h *= 0x297a2d39
	return float32((h^h>>15)>>8) * (1.0 / (1 << 24))
}

// Hash names a lattice point.
func Hash(x, y, z int32, seed uint32) uint32 { return hash(x, y, z, seed) }

// Floor rounds down, for |v| below a million.
func Floor(v float32) int32 { return floor(v) }
