package step

import (
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
)

// radius is the parameter that every filter has, in metres.
func radius(label, help string) Param {
	return Param{Name: "radius", Label: label, Kind: "number", Min: 0, Max: 10, Default: 0.002, Unit: "mm", Scale: 1000, Log: true, Help: help + ", on the surface"}
}

func reach(factor float32) func(Input) float32 {
	return func(in Input) float32 { return factor * in.Number("radius") }
}

var towards = Param{Name: "direction", Label: "direction", Kind: "direction", Default: []any{0.0, -1.0, 0.0}, Help: "in space; it is laid onto the surface"}

func init() {
	register(Description{
		Kind: "blur", Label: "Blur", Role: "shaper", Texels: 24, Spreads: true,
		Help:   "Softens evenly in all directions (Gaussian), over seams and sheets.",
		Params: []Param{radius("radius", "standard deviation of the softening")},
		Radius: reach(3), Filter: func(in Input, src, _, out []float32) {
			gauss(in.Frame, in.Weight, src, out, in.Number("radius")/in.Frame.Footprint)
		},
	})
	register(Description{
		Kind: "sharpen", Label: "Sharpen", Role: "shaper", Texels: 24, Spreads: true,
		Help: "Brings out what a blur of this radius would take away.",
		Params: []Param{radius("radius", "size of what is brought out"),
			{Name: "strength", Label: "strength", Kind: "number", Min: 0, Max: 10, Default: 1.0, Help: "how much is added"}},
		Radius: reach(3), Filter: func(in Input, src, _, out []float32) {
			gauss(in.Frame, in.Weight, src, out, in.Number("radius")/in.Frame.Footprint)
		},
		Mix: func(in Input, before, filtered []float32) {
			k := in.Number("strength")
			for i, v := range before {
				filtered[i] = clamp01(v + k*(v-filtered[i]))
			}
		},
	})
	register(Description{
		Kind: "smear", Label: "Directional blur", Role: "shaper", Texels: 48,
		Help: "Draws everything out along one direction.",
		Params: []Param{radius("length", "how far"), towards,
			{Name: "way", Label: "way", Kind: "choice", Default: "both", Choices: []string{"both", "forward"}, Help: "to both sides, or trailing forward only, as a run does"}},
		Radius: reach(1), Filter: directional,
	})
	register(Description{
		Kind: "warp", Label: "Warp", Role: "shaper", Texels: 64, Inner: "pushed by",
		Help: "Moves everything as the stream inside says: white forward, black back, middle grey not at all; or down its slopes.",
		Params: []Param{radius("distance", "how far white and black push"), towards,
			{Name: "way", Label: "way", Kind: "choice", Default: "direction", Choices: []string{"direction", "downhill"}, Help: "along the direction, or down the slopes of the inner stream"}},
		Radius: reach(1), Filter: warp,
	})
	register(Description{
		Kind: "slope", Label: "Slope", Role: "shaper", Texels: 4,
		Help: "Reads the greys as heights and shows how steep they are, or how they catch light from a direction.",
		Params: []Param{
			{Name: "height", Label: "white is", Kind: "number", Min: 0.00001, Max: 1, Default: 0.001, Unit: "mm", Scale: 1000, Log: true, Help: "height of white above black"},
			{Name: "show", Label: "show", Kind: "choice", Default: "steepness", Choices: []string{"steepness", "light from direction"}, Help: "flat is black and upright white; or flat is middle grey"},
			{Name: "direction", Label: "direction", Kind: "direction", Default: []any{0.0, 1.0, 0.0}, Help: "where the light comes from"}},
		Radius: func(in Input) float32 { return 0 }, Filter: slope,
	})
	register(Description{
		Kind: "edge", Label: "Edge", Role: "shaper", Texels: 24,
		Help: "White where greys change within the radius, black where they are even.",
		Params: []Param{radius("radius", "half of the line's width"),
			{Name: "strength", Label: "strength", Kind: "number", Min: 0, Max: 20, Default: 1.0, Help: "difference × this is the white"}},
		Radius: reach(1), Filter: func(in Input, src, _, out []float32) {
			lo := make([]float32, len(src))
			r, k := in.Number("radius")/in.Frame.Footprint, in.Number("strength")
			morph(in, src, out, r)
			morph(in, src, lo, -r)
			for i := range out {
				out[i] = clamp01((out[i] - lo[i]) * k)
			}
		},
	})
	register(Description{
		Kind: "expand", Label: "Expand, shrink", Role: "shaper", Texels: 24,
		Help: "Grows what is light by the radius, or what is dark.",
		Params: []Param{radius("radius", "how far"),
			{Name: "grow", Label: "grow", Kind: "choice", Default: "light", Choices: []string{"light", "dark"}, Help: "which of the two grows"}},
		Radius: reach(1), Filter: func(in Input, src, _, out []float32) {
			r := in.Number("radius") / in.Frame.Footprint
			if in.Choice("grow") == "dark" {
				r = -r
			}
			morph(in, src, out, r)
		},
	})
}

// gauss blurs with a Gaussian of sigma texels, in rows and then in columns.
// Points that stand for nothing weigh nothing.
func gauss(f *raster.Frame, share, src, out []float32, sigma float32) {
	if sigma < 0.05 {
		copy(out, src)
		return
	}
	n := int(math.Ceil(float64(3 * sigma)))
	kernel := make([]float32, n+1)
	for i := range kernel {
		kernel[i] = float32(math.Exp(-0.5 * float64(i*i) / float64(sigma*sigma)))
	}
	w := make([]float32, len(src))
	full := true
	for i, t := range f.Tri {
		switch {
		case share != nil:
			w[i] = share[i]
		case t >= 0:
			w[i] = 1
		}
		out[i] = src[i] * w[i]
		full = full && w[i] == 1
	}
	lines(f.W, f.H, 1, f.W, kernel, out, w, full)
	lines(f.H, f.W, f.W, 1, kernel, out, w, full)
	for i, v := range out {
		if w[i] > 1e-9 {
			out[i] = v / w[i]
		} else {
			out[i] = src[i]
		}
	}
}

// lines convolves count lines of n values, stride apart within a line, and their
// weights. The ends of a line are the ends of the patch: beyond them is nothing.
func lines(n, count, stride, step int, kernel, v, w []float32, full bool) {
	k := len(kernel) - 1
	line, weight := make([]float32, n+2*k), make([]float32, n+2*k)
	ones := make([]float32, n)
	if full { // the same weights for every line
		for i := range n {
			for o := -k; o <= k; o++ {
				if i+o >= 0 && i+o < n {
					ones[i] += kernel[max(o, -o)]
				}
			}
		}
	}
	for c := range count {
		base := c * step
		for i := range n {
			line[k+i], weight[k+i] = v[base+i*stride], w[base+i*stride]
		}
		scale := float32(1)
		if full {
			scale = weight[k]
		}
		for i := range n {
			at := k + i
			s, sw := line[at]*kernel[0], weight[at]*kernel[0]
			for o := 1; o <= k; o++ {
				s += kernel[o] * (line[at-o] + line[at+o])
			}
			if full {
				sw = ones[i] * scale
			} else {
				for o := 1; o <= k; o++ {
					sw += kernel[o] * (weight[at-o] + weight[at+o])
				}
			}
			v[base+i*stride], w[base+i*stride] = s, sw
		}
	}
}

// metric returns the surface's derivatives along the patch's rows and columns at
// texel i, per texel.
func metric(f *raster.Frame, i int) (px, py geom.Vec3) {
	x, y := i%f.W, i/f.W
	px, _ = Difference(f, nil, i, 1, x > 0, x < f.W-1)
	py, _ = Difference(f, nil, i, f.W, y > 0, y < f.H-1)
	n := f.Nrm[i]
	return px.Sub(n.Mul(px.Dot(n))), py.Sub(n.Mul(py.Dot(n)))
}

// Difference returns the change of place and of value per texel at point i along
// a stride: central where both neighbours stand for something, one-sided or none
// elsewhere. before and after say whether the neighbours lie in the frame.
func Difference(f *raster.Frame, value []float32, i, stride int, before, after bool) (geom.Vec3, float32) {
	a, b := i, i
	if before && f.Tri[i-stride] >= 0 {
		a = i - stride
	}
	if after && f.Tri[i+stride] >= 0 {
		b = i + stride
	}
	scale := float32(1)
	if b-a > stride {
		scale = 0.5
	}
	pos := f.Beside()
	if value == nil {
		return pos[b].Sub(pos[a]).Mul(scale), 0
	}
	return pos[b].Sub(pos[a]).Mul(scale), (value[b] - value[a]) * scale
}

// laid returns the step in texels that goes one metre along a direction in space,
// laid onto the surface at texel i; shorter where the surface turns away from it.
func laid(f *raster.Frame, i int, dir geom.Vec3) (dx, dy float32) {
	px, py := metric(f, i)
	e, g2, g := px.Dot(px), px.Dot(py), py.Dot(py)
	det := e*g - g2*g2
	if det <= 1e-6*e*g || det <= 0 {
		return 0, 0
	}
	a, b := dir.Dot(px), dir.Dot(py)
	return (a*g - b*g2) / det, (b*e - a*g2) / det
}

// tap reads a plane between texels; nothing where nothing is.
func tap(f *raster.Frame, src []float32, x, y float32) (float32, bool) {
	x, y = min(max(x, 0), float32(f.W-1)-1e-3), min(max(y, 0), float32(f.H-1)-1e-3)
	x0, y0 := int(x), int(y)
	if x0 < 0 || y0 < 0 {
		return 0, false
	}
	fx, fy := x-float32(x0), y-float32(y0)
	i := y0*f.W + x0
	if f.Tri[i]|f.Tri[i+1]|f.Tri[i+f.W]|f.Tri[i+f.W+1] >= 0 { // none is negative
		a := src[i] + fx*(src[i+1]-src[i])
		b := src[i+f.W] + fx*(src[i+f.W+1]-src[i+f.W])
		return a + fy*(b-a), true
	}
	var sum, weight float32
	for k, w := range [4]float32{(1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy} {
		if j := i + k/2*f.W + k%2; f.Tri[j] >= 0 && w > 0 {
			sum, weight = sum+w*src[j], weight+w
		}
	}
	if weight < 1e-6 {
		return 0, false
	}
	return sum / weight, true
}

func vec(v []float32) geom.Vec3 { return geom.V3(v[0], v[1], v[2]).Unit() }

// directional averages along the direction, with a window that falls to its ends:
// first a few texels, then these means so far apart, which is as good as all the
// texels between and costs a fraction.
func directional(in Input, src, _, out []float32) {
	f, dir, r := in.Frame, vec(in.Row("direction")), in.Number("radius")
	taps := max(int(math.Ceil(float64(r/f.Footprint))), 1)
	dx, dy := make([]float32, len(src)), make([]float32, len(src))
	for i, t := range f.Tri {
		if t >= 0 {
			dx[i], dy[i] = laid(f, i, dir)
		}
	}
	gap := 1
	if taps > 8 {
		gap = min(taps/4, 6)
		near := make([]float32, len(src))
		along(f, src, near, dx, dy, f.Footprint*float32(gap)/2, gap/2+1, false, nil)
		src = near
	}
	along(f, src, out, dx, dy, r, (taps+gap-1)/gap, in.Choice("way") == "forward", in.Need)
}

// along averages values over r metres to both sides, taps to each; forward only
// those that lie behind, so that everything trails forward.
func along(f *raster.Frame, src, out, dx, dy []float32, r float32, taps int, forward bool, need []bool) {
	sides := []float32{-r, r}
	if forward {
		sides = sides[:1]
	}
	for i, t := range f.Tri {
		out[i] = src[i]
		if t < 0 || need != nil && !need[i] || dx[i] == 0 && dy[i] == 0 {
			continue
		}
		x, y := float32(i%f.W), float32(i/f.W)
		sum, weight := src[i], float32(1)
		for k := 1; k <= taps; k++ {
			at := float32(k) / (float32(taps) + 0.5)
			w := 1 - at*at
			for _, side := range sides {
				if v, ok := tap(f, src, x+at*side*dx[i], y+at*side*dy[i]); ok {
					sum, weight = sum+w*v, weight+w
				}
			}
		}
		out[i] = sum / weight
	}
}

func warp(in Input, src, inner, out []float32) {
	f, dir, r := in.Frame, vec(in.Row("direction")), in.Number("radius")
	downhill := in.Choice("way") == "downhill"
	for i, t := range f.Tri {
		out[i] = src[i]
		if t < 0 || inner == nil || !in.needs(i) {
			continue
		}
		x, y := float32(i%f.W), float32(i/f.W)
		var dx, dy float32
		if downhill {
			// one radius for a slope that goes from black to white within the radius
			if g := gradient(f, inner, i).Mul(r); g.Dot(g) > 0 {
				if l := g.Length(); l > 1 {
					g = g.Mul(1 / l)
				}
				dx, dy = laid(f, i, g)
			}
		} else {
			dx, dy = laid(f, i, dir.Mul(2*inner[i]-1))
		}
		if v, ok := tap(f, src, x-dx*r, y-dy*r); ok {
			out[i] = v
		}
	}
}

// gradient returns the slope of a plane on the surface, per metre.
func gradient(f *raster.Frame, v []float32, i int) geom.Vec3 {
	x, y := i%f.W, i/f.W
	px, hx := Difference(f, v, i, 1, x > 0, x < f.W-1)
	py, hy := Difference(f, v, i, f.W, y > 0, y < f.H-1)
	return Gradient(f.Nrm[i], px, py, hx, hy)
}

// Gradient returns the slope on the surface of a value whose derivatives along
// the surface's own derivatives px and py are hx and hy: G⁻¹·(hx, hy) in the metric
// G of px and py. It is zero where px and py span no plane.
func Gradient(n, px, py geom.Vec3, hx, hy float32) geom.Vec3 {
	return GradientAlong(px.Sub(n.Mul(px.Dot(n))), py.Sub(n.Mul(py.Dot(n))), hx, hy)
}

// GradientAlong is Gradient where px and py lie on the surface.
func GradientAlong(px, py geom.Vec3, hx, hy float32) geom.Vec3 {
	e, f, g := px.Dot(px), px.Dot(py), py.Dot(py)
	det := e*g - f*f
	if det <= 1e-6*e*g || det <= 0 {
		return geom.Vec3{}
	}
	return px.Mul((g*hx - f*hy) / det).Add(py.Mul((e*hy - f*hx) / det))
}

func slope(in Input, src, _, out []float32) {
	f, h, dir := in.Frame, in.Number("height"), vec(in.Row("direction"))
	light := in.Choice("show") != "steepness"
	for i, t := range f.Tri {
		out[i] = 0
		if t < 0 || !in.needs(i) {
			continue
		}
		g := gradient(f, src, i).Mul(h)
		if light {
			d := dir.Sub(f.Nrm[i].Mul(dir.Dot(f.Nrm[i]))) // what of the light runs along the surface
			out[i] = clamp01(0.5 - 0.5*g.Dot(d)/float32(math.Sqrt(float64(1+g.Dot(g)))))
			continue
		}
		out[i] = float32(math.Atan(float64(g.Length())) / (math.Pi / 2))
	}
}

// morph takes the lightest value within r texels, or the darkest for a negative
// r. The part of a texel that r has beyond a whole number counts by its share, so
// that the radius acts smoothly.
func morph(in Input, src, out []float32, r float32) {
	f := in.Frame
	sign := float32(1)
	if r < 0 {
		r, sign = -r, -1
	}
	n := int(math.Ceil(float64(r)))
	type offset struct {
		dx, dy int
		share  float32
	}
	var disc []offset
	for dy := -n; dy <= n; dy++ {
		for dx := -n; dx <= n; dx++ {
			if d := geom.Hypot(float32(dx), float32(dy)); d > 0 && d < r+1 {
				disc = append(disc, offset{dx, dy, min(1, r+1-d)})
			}
		}
	}
	for i, t := range f.Tri {
		v := src[i]
		out[i] = v
		if t < 0 || r == 0 || !in.needs(i) {
			continue
		}
		x, y := i%f.W, i/f.W
		best := v * sign
		for _, o := range disc {
			nx, ny := x+o.dx, y+o.dy
			if nx < 0 || ny < 0 || nx >= f.W || ny >= f.H {
				continue
			}
			j := ny*f.W + nx
			if s := src[j] * sign; s > best && f.Tri[j] >= 0 {
				if c := v*sign + o.share*(s-v*sign); c > best {
					best = c
				}
			}
		}
		out[i] = best * sign
	}
}
