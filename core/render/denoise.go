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
	g := newGuides(f)
	variance := make([]float32, n)
	now, next := g.newLight(), g.newLight()
	g.near = inf
	for i := range n {
		k := g.at(i)
		lum, tint := float32(0), float32(0)
		for c := range 3 {
			a := albedo[3*i+c] + 0.02
			if f.Covered[i] == 0 {
				a = 1
			}
			now.of[c][k] = f.Sum[3*i+c] * inv / a
			lum += weights[c] * f.Sum[3*i+c] * inv
			tint += weights[c] * a
		}
		variance[i] = max(f.Square[i]*inv-lum*lum, 0) / (tint * tint) * inv
		if f.Covered[i] > 0 {
			g.has[k], g.cover[k] = 1, f.Covered[i]*inv
			for c := range 3 {
				g.normal[c][k] = normal[3*i+c]
			}
			g.depth[k] = f.Depth[i] / f.Covered[i]
			g.near = min(g.near, g.depth[k])
		}
	}
	for i, v := range settle(variance, f.W, f.H) {
		now.variance[g.at(i)] = v
	}
	g.slopes()
	for level := range 5 {
		g.smooth(now, next, 1<<level)
		now, next = next, now
	}
	light := make([]float32, 3*n)
	for i := range n {
		k := g.at(i)
		for c := range 3 {
			if light[3*i+c] = now.of[c][k]; f.Covered[i] > 0 {
				light[3*i+c] *= albedo[3*i+c] + 0.02
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

// guides are what light is smoothed along, as planes that have a border on both sides, where nothing is,
// so that eight pixels beside each other can be smoothed together.
type guides struct {
	w, h, pitch  int
	normal       [3][]float32
	depth, slope []float32 // slope: how much the depth changes a pixel
	cover        []float32 // 0..1
	has          []float32 // 1 where something is met, else 0
	near         float32
}

// litPlanes are light on its way: its components and its variance.
type litPlanes struct {
	of       [3][]float32
	lum      []float32
	variance []float32
}

// border is as wide as the widest step of the wavelet reaches, and eight more.
const border = 2*16 + 8

func newGuides(f *Film) *guides {
	g := &guides{w: f.W, h: f.H, pitch: f.W + 2*border}
	for _, p := range []*[]float32{&g.normal[0], &g.normal[1], &g.normal[2], &g.depth, &g.slope, &g.cover, &g.has} {
		*p = make([]float32, g.pitch*g.h)
	}
	return g
}

func (g *guides) newLight() *litPlanes {
	l := &litPlanes{}
	for _, p := range []*[]float32{&l.of[0], &l.of[1], &l.of[2], &l.lum, &l.variance} {
		*p = make([]float32, g.pitch*g.h)
	}
	return l
}

// at is where a pixel lies in the planes.
func (g *guides) at(i int) int { return i/g.w*g.pitch + i%g.w + border }

// spline is the B3 spline of the wavelet.
var spline = [3]float32{3.0 / 8, 1.0 / 4, 1.0 / 16}

// tap is one of the places that a pixel is smoothed with.
type tap struct {
	dy, off int     // rows, and places in the planes
	weight  float32 // of the spline
	away    float32 // pixels
}

// taps are those beside the pixel itself.
func (g *guides) taps(step int) (out []tap) {
	for dy := -2; dy <= 2; dy++ {
		for dx := -2; dx <= 2; dx++ {
			if dx != 0 || dy != 0 {
				out = append(out, tap{
					dy * step, dy*step*g.pitch + dx*step, spline[max(dx, -dx)] * spline[max(dy, -dy)],
					float32(step) * sqrt32(float32(dx*dx+dy*dy)),
				})
			}
		}
	}
	return out
}

func (g *guides) smooth(from, to *litPlanes, step int) {
	taps := g.taps(step)
	par.Parts(g.h, 8, func(first, end int) {
		for k := first * g.pitch; k < end*g.pitch; k++ {
			from.lum[k] = weights[0]*from.of[0][k] + weights[1]*from.of[1][k] + weights[2]*from.of[2][k]
		}
	})
	par.Parts(g.h, 8, func(first, end int) {
		var row []tap
		for y := first; y < end; y++ {
			row = row[:0]
			for _, t := range taps {
				if y+t.dy >= 0 && y+t.dy < g.h {
					row = append(row, t)
				}
			}
			k := y*g.pitch + border
			for x := g.wide(from, to, k, row); x < g.w; x++ {
				g.pixel(from, to, k+x, row)
			}
		}
	})
}

// pixel smooths one pixel.
func (g *guides) pixel(from, to *litPlanes, i int, taps []tap) {
	if g.has[i] == 0 {
		for c := range 3 {
			to.of[c][i] = from.of[c][i]
		}
		return
	}
	lum := from.lum[i]
	spread := sqrt32(from.variance[i])*4 + 1e-4 + lum*0.004
	total := spline[0] * spline[0]
	sum := [3]float32{total * from.of[0][i], total * from.of[1][i], total * from.of[2][i]}
	vsum := total * total * from.variance[i]
	for _, t := range taps {
		k := i + t.off
		n := g.normal[0][i]*g.normal[0][k] + g.normal[1][i]*g.normal[1][k] + g.normal[2][i]*g.normal[2][k]
		n = max(n, 0)
		n *= n
		n *= n
		n *= n
		n *= n
		n *= n // to the 32nd power
		off := g.depth[i] - g.depth[k]
		kl := lum - from.lum[k]
		d := max(off, -off)/(g.slope[i]*t.away+g.near*1e-3) + max(kl, -kl)/spread
		cover := g.cover[i] - g.cover[k]
		// (1 − d/16)¹⁶ is about exp(−d)
		v := max(1-d*(1.0/16), 0)
		v *= v
		v *= v
		v *= v
		v *= v
		w := t.weight * g.has[k] * n * v * (1 - max(cover, -cover))
		for c := range sum {
			sum[c] += w * from.of[c][k]
		}
		total += w
		vsum += w * w * from.variance[k]
	}
	for c := range sum {
		to.of[c][i] = sum[c] / total
	}
	to.variance[i] = vsum / (total * total)
}

// slopes finds how much the depth changes a pixel.
func (g *guides) slopes() {
	for y := range g.h {
		for x := range g.w {
			i := y*g.pitch + x + border
			best := float32(0)
			for _, s := range [2]int{1, g.pitch} {
				if s == 1 && (x == 0 || x == g.w-1) || s == g.pitch && (y == 0 || y == g.h-1) {
					continue
				}
				least := inf
				for _, k := range [2]int{i - s, i + s} {
					if g.has[k] > 0 {
						d := g.depth[k] - g.depth[i]
						least = min(least, max(d, -d))
					}
				}
				if least < inf {
					best = max(best, least)
				}
			}
			g.slope[i] = best
		}
	}
}
