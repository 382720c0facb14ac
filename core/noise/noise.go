// Package noise evaluates procedural noise in space. Nothing here knows of
// textures: the same point always has the same value, so no seam can show.
package noise

import "math"

// Kind is how octaves are shaped before they are added.
type Kind string

// The kinds of noise.
const (
	Clouds Kind = "clouds" // plain fractional Brownian motion
	Ridges Kind = "ridges" // 1 − |n|, sharp crests
	Billow Kind = "billow" // |n|, round pillows with sharp valleys
	Cells  Kind = "cells"  // distance to the nearest of scattered points
)

// Kinds lists all kinds in menu order.
var Kinds = []string{string(Clouds), string(Ridges), string(Billow), string(Cells)}

// FBM is fractional Brownian motion: octaves of noise, each at Lacunarity times
// the frequency and Persistence times the amplitude of the one before.
type FBM struct {
	Kind        Kind
	Seed        uint32
	Frequency   float32 // cycles a metre of the first octave
	Octaves     int     // 1..12
	Lacunarity  float32 // usually 2
	Persistence float32 // 0..1, usually 0.5
}

// At returns the value at a point, 0..1 with a mean near 0.5 for clouds.
// footprint is the size in metres of the texel that asks; an octave whose cycle
// nears two texels fades to its mean instead of aliasing (Norton, Rockwood and
// Skolmoski, "Clamping", SIGGRAPH 1982).
func (f FBM) At(x, y, z, footprint float32) float32 {
	freq, amp := f.Frequency, float32(1)
	var sum, norm float32
	for o := range f.Octaves {
		keep := fade(freq * footprint)
		seed := f.Seed + uint32(o)*0x9e3779b9
		// a shift per octave keeps the lattices from lining up at the origin
		shift := float32(o) * 17.31
		var v, mean float32
		if keep > 0 {
			px, py, pz := x*freq+shift, y*freq+shift, z*freq+shift
			switch f.Kind {
			case Ridges:
				v = 1 - 2*abs(Simplex(px, py, pz, seed))
			case Billow:
				v = 2*abs(Simplex(px, py, pz, seed)) - 1
			case Cells:
				v = 2*Cell(px, py, pz, seed) - 1
			default:
				v = Simplex(px, py, pz, seed)
			}
		}
		switch f.Kind {
		case Ridges:
			mean = 0.45
		case Billow:
			mean = -0.45
		}
		sum += amp * (mean + keep*(v-mean))
		norm += amp
		freq *= f.Lacunarity
		amp *= f.Persistence
	}
	if norm == 0 {
		return 0.5
	}
	// Simplex rarely leaves ±0.8; widening by 1.15 uses the range of a mask better.
	return clamp01(0.5 + 0.575*sum/norm)
}

// fade is 1 while a cycle has four texels or more and 0 at two.
func fade(cyclesPerTexel float32) float32 {
	t := clamp01((0.5 - cyclesPerTexel) / 0.25)
	return t * t * (3 - 2*t)
}

func abs(v float32) float32 { return math.Float32frombits(math.Float32bits(v) &^ (1 << 31)) }

func clamp01(v float32) float32 { return min(max(v, 0), 1) }

func hash(x, y, z int32, seed uint32) uint32 {
	h := seed ^ uint32(x)*0x8da6b343 ^ uint32(y)*0xd8163841 ^ uint32(z)*0xcb1ab31f
	h ^= h >> 15
	h *= 0x2c1b3c6d
	h ^= h >> 12
	h *= 0x297a2d39
	return h ^ h>>15
}

func floor(v float32) int32 {
	i := int32(v)
	if float32(i) > v {
		i--
	}
	return i
}

// grad gives the inner product of the offset with one of twelve edge directions
// (Perlin, "Improving Noise", SIGGRAPH 2002).
func grad(h uint32, x, y, z float32) float32 {
	h &= 15
	u, v := y, z
	if h < 8 {
		u = x
	}
	if h < 4 {
		v = y
	} else if h == 12 || h == 14 {
		v = x
	}
	if h&1 != 0 {
		u = -u
	}
	if h&2 != 0 {
		v = -v
	}
	return u + v
}

// Simplex is gradient noise on a simplex lattice in three dimensions, about
// −1..1 (Perlin 2001, in the form of Gustavson, "Simplex noise demystified",
// 2005). Its derivative is continuous everywhere.
func Simplex(x, y, z float32, seed uint32) float32 {
	const skew, unskew = 1.0 / 3, 1.0 / 6
	s := (x + y + z) * skew
	i, j, k := floor(x+s), floor(y+s), floor(z+s)
	t := float32(i+j+k) * unskew
	x0, y0, z0 := x-(float32(i)-t), y-(float32(j)-t), z-(float32(k)-t)

	var i1, j1, k1, i2, j2, k2 int32
	switch {
	case x0 >= y0 && y0 >= z0:
		i1, i2, j2 = 1, 1, 1
	case x0 >= y0 && x0 >= z0:
		i1, i2, k2 = 1, 1, 1
	case x0 >= y0:
		k1, i2, k2 = 1, 1, 1
	case y0 < z0:
		k1, j2, k2 = 1, 1, 1
	case x0 < z0:
		j1, j2, k2 = 1, 1, 1
	default:
		j1, i2, j2 = 1, 1, 1
	}
	n := corner(x0, y0, z0, i, j, k, seed)
	n += corner(x0-float32(i1)+unskew, y0-float32(j1)+unskew, z0-float32(k1)+unskew, i+i1, j+j1, k+k1, seed)
	n += corner(x0-float32(i2)+2*unskew, y0-float32(j2)+2*unskew, z0-float32(k2)+2*unskew, i+i2, j+j2, k+k2, seed)
	n += corner(x0-0.5, y0-0.5, z0-0.5, i+1, j+1, k+1, seed)
	return 32 * n
}

func corner(x, y, z float32, i, j, k int32, seed uint32) float32 {
	t := 0.6 - x*x - y*y - z*z
	if t <= 0 {
		return 0
	}
	t *= t
	return t * t * grad(hash(i, j, k, seed), x, y, z)
}

// Cell is the distance to the nearest of one scattered point per unit cube,
// 0..1 (Worley, "A Cellular Texture Basis Function", SIGGRAPH 1996).
func Cell(x, y, z float32, seed uint32) float32 {
	i, j, k := floor(x), floor(y), floor(z)
	best := float32(4)
	for dz := int32(-1); dz <= 1; dz++ {
		for dy := int32(-1); dy <= 1; dy++ {
			for dx := int32(-1); dx <= 1; dx++ {
				h := hash(i+dx, j+dy, k+dz, seed)
				px := float32(i+dx) + float32(h&1023)/1024 - x
				py := float32(j+dy) + float32(h>>10&1023)/1024 - y
				pz := float32(k+dz) + float32(h>>20&1023)/1024 - z
				best = min(best, px*px+py*py+pz*pz)
			}
		}
	}
	return min(1, float32(math.Sqrt(float64(best))))
}
