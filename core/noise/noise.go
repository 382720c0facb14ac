// Package noise evaluates procedural noise in space. Nothing here knows of
// textures: the same point always has the same value, so no seam can show.
package noise

import (
	"math"

	"velvetgrime/core/geom"
)

// Kind is how octaves are shaped before they are added.
type Kind string

// The kinds of noise.
const (
	Clouds Kind = "clouds" // plain fractional Brownian motion
	Ridges Kind = "ridges" // 1 − |n|, sharp crests
	Billow Kind = "billow" // |n|, round pillows with sharp valleys
	Cells  Kind = "cells"  // distance to the nearest of scattered points

	Turbulence Kind = "turbulence" // |n| with each octave's valleys kept sharp
	Multi      Kind = "multi"      // ridges whose finer octaves keep to the crests of the coarser
)

// Basis is what one octave is made of.
type Basis string

// The bases.
const (
	OnSimplex Basis = "" // simplex noise
	OnValue   Basis = "value"
	OnPerlin  Basis = "perlin"
)

// Kinds lists all kinds in menu order.
var Kinds = []string{string(Clouds), string(Ridges), string(Billow), string(Turbulence), string(Multi), string(Cells)}

// FBM is fractional Brownian motion: octaves of noise, each at Lacunarity times
// the frequency and Persistence times the amplitude of the one before.
type FBM struct {
	Kind        Kind
	Basis       Basis
	Seed        uint32
	Frequency   float32 // cycles a metre of the first octave
	Octaves     int     // 1..12
	Lacunarity  float32 // usually 2
	Persistence float32 // 0..1, usually 0.5
}

// Sampler is an FBM made ready for one texel size.
type Sampler struct {
	kind    Kind
	basis   Basis
	octaves []octave
	offset  float32 // what faded octaves add, and the centre
	start   [8]float32
	spreads []*spread     // the octaves as Eight reads them
	wide    []*spreadWide // and as Sixteen does
	within  float32       // standard deviation of the values within a texel
}

type octave struct {
	freq, amp, shift float32
	seed             uint32
}

// mean is the average of one shaped octave, which stands in for it when it fades.
func (k Kind) mean() float32 {
	switch k {
	case Ridges:
		return 0.45
	case Billow, Turbulence:
		return -0.45
	case Multi:
		return -0.2
	}
	return 0
}

// Sampler prepares the noise for texels of footprint metres; an octave whose
// cycle nears a texel or two fades to its mean instead of aliasing (Norton, Rockwood
// and Skolmoski, "Clamping", SIGGRAPH 1982).
func (f FBM) Sampler(footprint float32) Sampler {
	s := Sampler{kind: f.Kind, basis: f.Basis}
	freq, amp := f.Frequency, float32(1)
	var norm, flat, lost, runs float32
	for o := range f.Octaves {
		keep := fade(freq * footprint)
		lost += amp * amp * (1 - keep*keep)
		run := min(slopeOfOctave*freq*footprint, spreadOfOctave) * amp * keep
		runs += run * run
		flat += amp * (1 - keep) * f.Kind.mean()
		if keep > 0 {
			// a shift per octave keeps the lattices from lining up at the origin
			s.octaves = append(s.octaves, octave{freq, amp * keep, float32(o) * 17.31, f.Seed + uint32(o)*0x9e3779b9})
		}
		norm += amp
		freq *= f.Lacunarity
		amp *= f.Persistence
	}
	if norm == 0 {
		norm = 1
	}
	// Simplex rarely leaves ±0.8; widening by 1.15 uses the range of a mask better.
	scale := 0.575 / norm
	for i := range s.octaves {
		s.octaves[i].amp *= scale
		s.spreads = append(s.spreads, s.octaves[i].spread())
		s.wide = append(s.wide, s.spreads[i].wide())
	}
	s.offset = 0.5 + scale*flat
	s.within = scale * float32(math.Sqrt(float64(spreadOfFaded*spreadOfFaded*lost+runs)))
	for i := range s.start {
		s.start[i] = s.offset
	}
	return s
}

// Within returns the standard deviation of the values within a texel about the one that is given
// for it, in units of the values: of the octaves that have faded, and of those that run up and down
// across it (a value that slopes evenly over a square spreads evenly, with a variance of its rise²/12 a way).
func (s *Sampler) Within() float32 { return s.within }

const (
	// spreadOfOctave is the standard deviation of simplex noise, spreadOfFaded of what has faded of it: its
	// highest and lowest are cut off at a mask's ends.
	spreadOfOctave, spreadOfFaded = 0.39, 0.35
	// slopeOfOctave is that of its values within a square of the edge 1 which it crosses evenly: its slope
	// along one axis is 1.71 (root of the mean square), and a slope of g spreads over ±g/2, two ways.
	slopeOfOctave = 1.71 * 0.408
)

// At returns the value at a point, 0..1 with a mean near 0.5 for clouds.
func (s *Sampler) At(x, y, z float32) float32 {
	if s.basis != OnSimplex || s.kind == Cells || len(s.octaves) < 2 || len(s.octaves) > 8 || !Wide() {
		return s.atPlain(x, y, z)
	}
	// the octaves side by side
	b := Batch{}
	for i := range s.octaves {
		o := &s.octaves[i]
		b.Add(x*o.freq+o.shift, y*o.freq+o.shift, z*o.freq+o.shift, o.seed)
	}
	b.Run()
	sum, crest := s.offset, float32(1)
	for i := range s.octaves {
		var v float32
		v, crest = s.kind.shaped(b.Value[i], crest)
		sum += s.octaves[i].amp * v
	}
	return clamp01(sum)
}

// atPlain is At an octave after the other; TestOctavesSideBySide holds them against each other.
func (s *Sampler) atPlain(x, y, z float32) float32 {
	sum, crest := s.offset, float32(1)
	for i := range s.octaves {
		o := &s.octaves[i]
		px, py, pz := x*o.freq+o.shift, y*o.freq+o.shift, z*o.freq+o.shift
		if s.kind == Cells {
			sum += o.amp * (2*Cell(px, py, pz, o.seed) - 1)
			continue
		}
		var v float32
		v, crest = s.kind.shaped(s.basis.at(px, py, pz, o.seed), crest)
		sum += o.amp * v
	}
	return clamp01(sum)
}

// shaped is what a kind makes of an octave; crest is how high the octave before it was.
func (k Kind) shaped(v, crest float32) (float32, float32) {
	switch k {
	case Ridges:
		v = 1 - 2*abs(v)
	case Billow:
		v = 2*abs(v) - 1
	case Turbulence:
		v = 2*float32(math.Sqrt(float64(abs(v)))) - 1.35
	case Multi:
		// Musgrave, "Texturing and Modeling", 1994: an octave weighs as the one before it was high
		r := 1 - abs(v)
		r *= r
		v, crest = 2*r*crest-1, min(2*r*crest, 1)
	}
	return v, crest
}

// at returns one octave of the basis, about −1..1.
func (b Basis) at(x, y, z float32, seed uint32) float32 {
	switch b {
	case OnValue:
		return Value(x, y, z, seed)
	case OnPerlin:
		return Perlin(x, y, z, seed)
	}
	return Simplex(x, y, z, seed)
}

// plain reports whether Eight has to go point by point.
func (s *Sampler) plain() bool {
	return s.basis != OnSimplex || s.kind == Cells || s.kind == Turbulence || s.kind == Multi
}

// At is Sampler and At in one, for single points.
func (f FBM) At(x, y, z, footprint float32) float32 {
	s := f.Sampler(footprint)
	return s.At(x, y, z)
}

// fade is 1 while a cycle has five texels or more and 0 at one and a half, which is close
// to what a texel's own square leaves of a noise whose cycles are of many lengths.
func fade(cyclesPerTexel float32) float32 {
	return geom.Smooth(clamp01((0.65 - cyclesPerTexel) / 0.45))
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

// floor rounds down, without a branch, for |v| below a million.
func floor(v float32) int32 { return int32(float64(v)+1<<20) - 1<<20 }

// gradients are the twelve edge directions of a cube, four of them twice
// (Perlin, "Improving Noise", SIGGRAPH 2002). A table costs a load where choosing
// by bits costs branches that the processor cannot guess.
var gradients = [16][3]float32{
	{1, 1, 0}, {-1, 1, 0}, {1, -1, 0}, {-1, -1, 0}, {1, 0, 1}, {-1, 0, 1}, {1, 0, -1}, {-1, 0, -1},
	{0, 1, 1}, {0, -1, 1}, {0, 1, -1}, {0, -1, -1}, {1, 1, 0}, {0, -1, 1}, {-1, 1, 0}, {0, -1, -1},
}

// over is 1 where a ≥ b and 0 elsewhere, without a branch: the sign bit of a−b.
func over(a, b float32) int32 { return int32(1 - math.Float32bits(a-b)>>31) }

const (
	primeX = 0x8da6b343
	primeY = 0xd8163841
	primeZ = 0xcb1ab31f
)

// mix spreads the bits of a lattice point's number.
func mix(h uint32) uint32 {
	h ^= h >> 15
	h *= 0x2c1b3c6d
	return h ^ h>>13
}

// Simplex is gradient noise on a simplex lattice in three dimensions, about
// −1..1 (Perlin 2001, in the form of Gustavson, "Simplex noise demystified",
// 2005). The kernels end at √½, inside their neighbours' cells, so that value and
// slope are continuous everywhere: the customary wider 0.6 jumps at cell borders,
// which shows as creases in a normal map made from it.
func Simplex(x, y, z float32, seed uint32) float32 {
	const skew, unskew = 1.0 / 3, 1.0 / 6
	s := (x + y + z) * skew
	i, j, k := floor(x+s), floor(y+s), floor(z+s)
	t := float32(i+j+k) * unskew
	x0, y0, z0 := x-(float32(i)-t), y-(float32(j)-t), z-(float32(k)-t)

	// ranks of the three offsets: 2 is the largest, 0 the smallest
	xy, xz, yz := over(x0, y0), over(x0, z0), over(y0, z0)
	rx, ry, rz := xy+xz, 1-xy+yz, 2-xz-yz
	i1, j1, k1 := rx>>1, ry>>1, rz>>1
	i2, j2, k2 := (rx+1)>>1, (ry+1)>>1, (rz+1)>>1

	base := seed ^ 0x9e3779b9
	hx, hy, hz := uint32(i)*primeX, uint32(j)*primeY, uint32(k)*primeZ
	h1 := (hx + uint32(i1)*primeX) ^ (hy + uint32(j1)*primeY) ^ (hz + uint32(k1)*primeZ)
	h2 := (hx + uint32(i2)*primeX) ^ (hy + uint32(j2)*primeY) ^ (hz + uint32(k2)*primeZ)
	h3 := (hx + primeX) ^ (hy + primeY) ^ (hz + primeZ)
	n := corner(x0, y0, z0, base^hx^hy^hz)
	n += corner(x0-float32(i1)+unskew, y0-float32(j1)+unskew, z0-float32(k1)+unskew, base^h1)
	n += corner(x0-float32(i2)+2*unskew, y0-float32(j2)+2*unskew, z0-float32(k2)+2*unskew, base^h2)
	n += corner(x0-0.5, y0-0.5, z0-0.5, base^h3)
	return 76 * n
}

func corner(x, y, z float32, h uint32) float32 {
	b := math.Float32bits(0.5 - x*x - y*y - z*z)
	t := math.Float32frombits(b &^ uint32(int32(b)>>31)) // nothing below 0
	t *= t
	g := &gradients[mix(h)>>8&15]
	return t * t * (g[0]*x + g[1]*y + g[2]*z)
}

// Batch is up to eight points of Simplex, each with a seed of its own, that are evaluated at
// once: what one place needs several noises for costs little more than one. The zero value
// is empty.
type Batch struct {
	Value   [8]float32 // of the points in the order in which they were added, after Run
	x, y, z [8]float32
	seed    [8]int32
	n       int
}

// Add adds a point and returns its place in Value.
func (b *Batch) Add(x, y, z float32, seed uint32) int {
	b.x[b.n], b.y[b.n], b.z[b.n], b.seed[b.n] = x, y, z, int32(seed^0x9e3779b9)
	b.n++
	return b.n - 1
}

// Clear makes it empty.
func (b *Batch) Clear() { b.n = 0 }

// runPlain is Run a point after the other, with the same bits.
func (b *Batch) runPlain() {
	for i := range b.n {
		b.Value[i] = Simplex(b.x[i], b.y[i], b.z[i], uint32(b.seed[i])^0x9e3779b9)
	}
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

// halves is Sixteen in two halves.
func (s *Sampler) halves(x, y, z, out *[16]float32) {
	for at := 0; at < 16; at += 8 {
		s.Eight((*[8]float32)(x[at:]), (*[8]float32)(y[at:]), (*[8]float32)(z[at:]), (*[8]float32)(out[at:]))
	}
}

// eightPlain is the reference of Eight.
func (s *Sampler) eightPlain(x, y, z, out *[8]float32) {
	for i := range out {
		out[i] = s.At(x[i], y[i], z[i])
	}
}
