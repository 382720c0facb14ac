package spatial

import (
	"math"

	"velvetgrime/core/geom"
)

// Fan is a set of unit directions around +Z, laid out for the wide registers.
type Fan struct {
	n       int
	x, y, z [MaxRays / 8][8]float32
}

// NewFan takes at most MaxRays directions.
func NewFan(dirs []geom.Vec3) *Fan {
	f := &Fan{n: min(len(dirs), MaxRays)}
	for i := range MaxRays {
		d := geom.V3(0, 0, 1)
		if i < f.n {
			d = dirs[i]
		}
		f.x[i/8][i%8], f.y[i/8][i%8], f.z[i/8][i%8] = d.X, d.Y, d.Z
	}
	return f
}

// Len returns how many directions the fan has.
func (f *Fan) Len() int { return f.n }

// Dir returns direction i in the frame (t, s, n).
func (f *Fan) Dir(i int, t, s, n geom.Vec3) geom.Vec3 {
	x, y, z := f.x[i/8][i%8], f.y[i/8][i%8], f.z[i/8][i%8]
	return geom.V3(t.X*x+s.X*y+n.X*z, t.Y*x+s.Y*y+n.Y*z, t.Z*x+s.Z*y+n.Z*z)
}

func (b *Bundle) setFanPlain(origin geom.Vec3, f *Fan, t, s, n geom.Vec3, near, far float32) {
	b.Origin, b.Near, b.n, b.negative = origin, near, f.n, [3]uint64{}
	for i := range f.n {
		b.put(i, f.Dir(i, t, s, n), far)
	}
}

// Disc returns n points of the unit disc, even and without a grid: the R2 sequence
// (Roberts 2018) from a start that seed sets, mapped to the disc by Shirley and
// Chiu (1997).
func Disc(n int, seed uint32) [][2]float64 {
	const a, b = 0.7548776662466927, 0.5698402909980532
	h := func(x uint32) float64 {
		x ^= x >> 16
		x *= 0x7feb352d
		x ^= x >> 15
		x *= 0x846ca68b
		x ^= x >> 16
		return float64(x) / (1 << 32)
	}
	u0, v0 := h(seed*2+1), h(seed*2+2)
	out := make([][2]float64, n)
	for i := range out {
		_, u := math.Modf(u0 + a*float64(i))
		_, v := math.Modf(v0 + b*float64(i))
		x, y := 2*u-1, 2*v-1
		var r, phi float64
		switch {
		case x == 0 && y == 0:
		case math.Abs(x) > math.Abs(y):
			r, phi = x, math.Pi/4*(y/x)
		default:
			r, phi = y, math.Pi/2-math.Pi/4*(x/y)
		}
		sin, cos := math.Sincos(phi)
		out[i] = [2]float64{r * cos, r * sin}
	}
	return out
}

// Cosine returns n directions around +Z whose density is the cosine with it, so
// that a plain mean over them is weighted by the cosine (Malley's method).
func Cosine(n int, seed uint32) []geom.Vec3 {
	out := make([]geom.Vec3, n)
	for i, p := range Disc(n, seed) {
		out[i] = geom.V3(float32(p[0]), float32(p[1]), float32(math.Sqrt(max(0, 1-p[0]*p[0]-p[1]*p[1]))))
	}
	return out
}
