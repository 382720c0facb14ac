package render

import (
	"velvetgrime/core/par"
)

// denoise takes noise away, and leaves what the surface shows: the light without the colour of
// what it falls on is smoothed by a wavelet with holes whose weights end where normals, depth or
// light beyond its own noise differ (Dammertz and others 2010, "Edge-Avoiding À-Trous Wavelet
// Transform"; the weights by variance are those of Schied and others 2017, "Spatiotemporal
// Variance-Guided Filtering"), and is coloured again.
func denoise(f *Film) []float32 {
	n, inv := f.W*f.H, 1/float32(max(f.Samples, 1))
	albedo, normal := f.mean(f.Albedo), f.mean(f.Normal)
	light, variance := make([]float32, 3*n), make([]float32, n)
	depth := make([]float32, n)
	near := inf
	for i := range n {
		lum, tint := float32(0), float32(0)
		for k := range 3 {
			a := albedo[3*i+k] + 0.02
			if f.Covered[i] == 0 {
				a = 1
			}
			light[3*i+k] = f.Sum[3*i+k] * inv / a
			lum += weights[k] * f.Sum[3*i+k] * inv
			tint += weights[k] * a
		}
		variance[i] = max(f.Square[i]*inv-lum*lum, 0) / (tint * tint) * inv
		if f.Covered[i] > 0 {
			depth[i] = f.Depth[i] / f.Covered[i]
			near = min(near, depth[i])
		}
	}
	variance = settle(variance, f.W, f.H)
	guide := &guides{f: f, normal: normal, depth: depth, near: near, inv: inv}
	for level := range 5 {
		light, variance = guide.smooth(light, variance, 1<<level)
	}
	for i := range n {
		for k := range 3 {
			if f.Covered[i] > 0 {
				light[3*i+k] *= albedo[3*i+k] + 0.02
			}
		}
	}
	return light
}

var weights = [3]float32{0.2126, 0.7152, 0.0722}

// settle spreads the variance a little: of few paths it is itself noise.
func settle(v []float32, w, h int) []float32 {
	out := make([]float32, len(v))
	par.Parts(h, 16, func(from, to int) {
		for y := from; y < to; y++ {
			for x := range w {
				sum, n := float32(0), float32(0)
				for dy := -2; dy <= 2; dy++ {
					for dx := -2; dx <= 2; dx++ {
						if a, b := x+dx, y+dy; a >= 0 && b >= 0 && a < w && b < h {
							sum += v[b*w+a]
							n++
						}
					}
				}
				out[y*w+x] = sum / n
			}
		}
	})
	return out
}

type guides struct {
	f             *Film
	normal, depth []float32
	near, inv     float32
}

// spline is the B3 spline of the wavelet.
var spline = [3]float32{3.0 / 8, 1.0 / 4, 1.0 / 16}

func (g *guides) smooth(light, variance []float32, step int) (out, left []float32) {
	w, h := g.f.W, g.f.H
	out, left = make([]float32, len(light)), make([]float32, len(variance))
	par.Parts(h, 8, func(from, to int) {
		for y := from; y < to; y++ {
			for x := range w {
				g.pixel(light, variance, out, left, x, y, step)
			}
		}
	})
	return out, left
}

func (g *guides) pixel(light, variance, out, left []float32, x, y, step int) {
	w, h := g.f.W, g.f.H
	i := y*w + x
	if g.f.Covered[i] == 0 {
		copy(out[3*i:3*i+3], light[3*i:3*i+3])
		return
	}
	lum := weights[0]*light[3*i] + weights[1]*light[3*i+1] + weights[2]*light[3*i+2]
	spread := 4*sqrt32(variance[i]) + 1e-4 + 0.004*lum
	slope := g.slope(x, y)
	var sum [3]float32
	var total, vsum float32
	for dy := -2; dy <= 2; dy++ {
		for dx := -2; dx <= 2; dx++ {
			a, b := x+dx*step, y+dy*step
			if a < 0 || b < 0 || a >= w || b >= h {
				continue
			}
			k := b*w + a
			if g.f.Covered[k] == 0 {
				continue
			}
			weight := spline[max(dx, -dx)] * spline[max(dy, -dy)]
			if k != i {
				n := g.normal[3*i]*g.normal[3*k] + g.normal[3*i+1]*g.normal[3*k+1] + g.normal[3*i+2]*g.normal[3*k+2]
				n = max(n, 0)
				n *= n
				n *= n
				n *= n
				n *= n
				n *= n // to the 32nd power
				off := g.depth[i] - g.depth[k]
				away := float32(step) * sqrt32(float32(dx*dx+dy*dy))
				kl := weights[0]*light[3*k] + weights[1]*light[3*k+1] + weights[2]*light[3*k+2]
				d := max(off, -off)/(slope*away+g.near*1e-3) + max(lum-kl, kl-lum)/spread
				cover := 1 - max(g.f.Covered[i]-g.f.Covered[k], g.f.Covered[k]-g.f.Covered[i])*g.inv
				if d > 8 || n == 0 {
					continue
				}
				weight *= n * falls(d) * cover
			}
			for c := range sum {
				sum[c] += weight * light[3*k+c]
			}
			total += weight
			vsum += weight * weight * variance[k]
		}
	}
	for c := range sum {
		out[3*i+c] = sum[c] / total
	}
	left[i] = vsum / (total * total)
}

// falls is about exp(−d): (1 − d/16)¹⁶ for d below 16, which weights can be as well.
func falls(d float32) float32 {
	v := 1 - d*(1.0/16)
	v *= v
	v *= v
	v *= v
	return v * v
}

// slope is how much the depth changes a pixel.
func (g *guides) slope(x, y int) float32 {
	w, h := g.f.W, g.f.H
	i := y*w + x
	best := float32(0)
	for _, s := range [2]int{1, w} {
		if s == 1 && (x == 0 || x == w-1) || s == w && (y == 0 || y == h-1) {
			continue
		}
		least := inf
		for _, k := range [2]int{i - s, i + s} {
			if g.f.Covered[k] > 0 {
				d := g.depth[k] - g.depth[i]
				least = min(least, max(d, -d))
			}
		}
		if least < inf {
			best = max(best, least)
		}
	}
	return best
}
