// Package cast lays pictures on places of a model: flat, wound about an axis, from three
// sides, repeated or once.
package cast

import (
	"math"
	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/step"
)

// Reader returns the value of a cast picture at point i of a frame, which lies on the
// model. The fourth component is coverage.
type Reader func(f *raster.Frame, i int) [4]float32

// Repeats is how a picture's repeats are laid: turned, moved, repeated.
type Repeats struct {
	size, su, sv float32
	turn         float64
	tiles        string
	seed         uint32
}

// New returns what the parameters of a picture step say: size in metres, shiftU and shiftV
// in repeats, turn in degrees, tiles by name, seed.
func New(in step.Input) *Repeats {
	return &Repeats{
		in.Number("size"),
		in.Number("shiftU"),
		in.Number("shiftV"),
		float64(in.Number("turn")),
		in.Choice("tiles"),
		uint32(in.Number("seed")),
	}
}

// Sample reads a picture at (a, b) in repeats from its middle, right and down, turned
// by some degrees more; size is the edge of a texel in repeats.
func (c *Repeats) Sample(pic *pix.Picture, a, b, size float32, turn float64) [4]float32 {
	if t := c.turn + turn; t != 0 {
		sin, cos := math.Sincos(t * math.Pi / 180)
		a, b = float32(cos)*a+float32(sin)*b, float32(cos)*b-float32(sin)*a
	}
	w, h := pic.Size()
	u, v := a-c.su+0.5, (b-c.sv)*float32(w)/float32(h)+0.5
	switch c.tiles {
	case "mirrored":
		u, v = mirrored(u), mirrored(v)
	case "once":
		if u < 0 || u > 1 || v < 0 || v > 1 {
			return [4]float32{}
		}
		out := pic.Sample(
			min(max(u, 0.5/float32(w)), 1-0.5/float32(w)),
			min(max(v, 0.5/float32(h)), 1-0.5/float32(h)),
			size,
		)
		return out
	case "at random":
		return c.scattered(pic, u, v, size)
	}
	return pic.Sample(u, v, size)
}

func mirrored(v float32) float32 {
	f := float32(math.Floor(float64(v)))
	if int(f)&1 != 0 {
		return 1 - (v - f)
	}
	return v - f
}

// scattered hides the repeat: the plane is cut into triangles, every corner of which
// has a shift of its own, and the three shifted pictures are mixed with sharpened
// weights; the variance that mixing takes away is given back about the picture's mean
// (Heitz and Neyret, "High-Performance By-Example Noise", 2018).
func (c *Repeats) scattered(pic *pix.Picture, u, v, size float32) [4]float32 {
	const scale = 3.4641016 // cells a repeat
	x, y := scale*(u-0.57735027*v), scale*1.1547005*v
	i, j := noise.Floor(x), noise.Floor(y)
	fx, fy := x-float32(i), y-float32(j)
	type corner struct {
		i, j int32
		w    float32
	}
	list := [3]corner{{i, j, 1 - fx - fy}, {i + 1, j, fx}, {i, j + 1, fy}}
	if fx+fy > 1 {
		list = [3]corner{{i + 1, j + 1, fx + fy - 1}, {i + 1, j, 1 - fy}, {i, j + 1, 1 - fx}}
	}
	var sum, squares float32
	for k := range list {
		w := list[k].w
		list[k].w = w * w * w
		sum += list[k].w
	}
	mean := pic.Sample(0.5, 0.5, 1)
	var out [4]float32
	for _, k := range list {
		w := k.w / sum
		squares += w * w
		h := noise.Hash(k.i, k.j, 3, c.seed)
		s := pic.Sample(u+noise.Random(h, 1), v+noise.Random(h, 2), size)
		for n := range out {
			out[n] += w * s[n]
		}
	}
	back := 1 / float32(math.Sqrt(float64(squares)))
	for n := range 3 {
		out[n] = min(max(mean[n]+(out[n]-mean[n])*back, 0), 1)
	}
	return out
}

// ThreeSides casts a picture along each of the three axes and mixes by the normal,
// each with a weight that falls to zero within the join.
func (c *Repeats) ThreeSides(in step.Input, sides [3]*pix.Picture, soft float32) Reader {
	turns := [3]float64{float64(in.Number("turnX")), float64(in.Number("turnY")), float64(in.Number("turnZ"))}
	middle := vec3(in.Row("at"))
	corner := float32(0.5) // repeats begin at the middle; a single one lies about it
	if c.tiles == "once" {
		corner = 0
	}
	return func(f *raster.Frame, i int) [4]float32 {
		p, n := f.Pos[i].Sub(middle).Mul(1/c.size), f.Nrm[i]
		var out [4]float32
		for side, w := range step.SideWeights(n, soft) {
			if w <= 0 {
				continue
			}
			a, b := step.SideAt(side, p, n)
			v := c.Sample(sides[side], a-corner, b-corner, f.Footprint/c.size, turns[side])
			for k := range out {
				out[k] += w * v[k]
			}
		}
		return out
	}
}

// About casts a picture flat along an axis, or winds it round the axis as a cylinder
// or a ball. Whole repeats go round, so that it meets itself.
func (c *Repeats) About(in step.Input, pic *pix.Picture) Reader {
	how, middle, axis := in.Choice("laid"), vec3(in.Row("at")), vec3(in.Row("along")).Unit()
	right, ahead := axis.Tangents()
	size := in.Bounds.Size()
	radius := float64(size.Length()-float32(math.Abs(float64(size.Dot(axis))))) / 4
	round := float32(max(math.Round(2*math.Pi*radius/float64(c.size)), 1))
	return func(f *raster.Frame, i int) [4]float32 {
		d := f.Pos[i].Sub(middle)
		texel := f.Footprint / c.size
		if how == "flat" {
			return c.Sample(pic, d.Dot(right)/c.size, -d.Dot(ahead)/c.size, texel, 0)
		}
		turn := float32(math.Atan2(float64(d.Dot(ahead)), float64(d.Dot(right))) / (2 * math.Pi))
		up := -d.Dot(axis) / c.size
		if how == "as a ball" {
			l := max(d.Length(), 1e-9)
			up = float32(math.Acos(float64(min(max(d.Dot(axis)/l, -1), 1)))/math.Pi)*round/2 - round/4
		}
		return c.Sample(pic, turn*round, up, texel, 0)
	}
}

func vec3(v []float32) geom.Vec3 { return geom.V3(v[0], v[1], v[2]) }
