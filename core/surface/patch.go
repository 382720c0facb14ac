package surface

import (
	"math"
	"velvetgrime/core/raster"
)

// needed marks the texels of the larger patch that the smaller one will read.
func needed(q, g Patch, need []bool, factor int) []bool {
	out := make([]bool, g.W*g.H)
	mark := func(x, y, around int) {
		for dy := -around; dy <= around; dy++ {
			for dx := -around; dx <= around; dx++ {
				out[(y+dy)*g.W+x+dx] = true
			}
		}
	}
	for k, on := range need {
		if !on {
			continue
		}
		x, y := q.X+k%q.W, q.Y+k/q.W
		if factor == 1 {
			mark(x-g.X, y-g.Y, 0)
		} else if cx, cy := floorDiv(x, factor)-g.X, floorDiv(y, factor)-g.Y; !out[cy*g.W+cx] || !out[(cy-2)*g.W+cx-2] || !out[(cy+2)*g.W+cx+2] {
			mark(cx, cy, 2)
		}
	}
	return out
}

func floorDiv(v, by int) int { return int(math.Floor(float64(v) / float64(by))) }

// wrapped brings a texel of a sheet of some size into it, as a texture that repeats is read.
func wrapped(v, size int) int { return ((v % size) + size) % size }

// sizeLike returns the power of two by which a sheet's texels are about as large as
// wanted, when they are of footprint at size.
func sizeLike(size int, footprint, wanted float32) int {
	for footprint > 1.42*wanted && size < 8192 {
		size, footprint = 2*size, footprint/2
	}
	for footprint < 0.7*wanted && size > 16 {
		size, footprint = size/2, 2*footprint
	}
	return size
}

// grown returns the patch around q with margin texels of a size that is factor
// times coarser.
func grown(q Patch, factor, margin int) Patch {
	g := q
	g.Size = q.Size / factor
	extra := margin
	if factor > 1 {
		extra += 2 // what the finer texels between them read
	}
	g.X, g.Y = floorDiv(q.X, factor)-extra, floorDiv(q.Y, factor)-extra
	g.W, g.H = floorDiv(q.X+q.W-1, factor)+1+extra-g.X, floorDiv(q.Y+q.H-1, factor)+1+extra-g.Y
	return g
}

// resample reads a filtered patch at the texels of the smaller, finer one: as it
// is when the sizes agree, by cubic interpolation (Catmull and Rom, 1974) when it
// is coarser, by what there is of it beside gaps.
func resample(v []float32, f *raster.Frame, g, q Patch, factor int, spreads bool) []float32 {
	out := make([]float32, q.W*q.H)
	if factor == 1 {
		for y := range q.H {
			at := (q.Y-g.Y+y)*g.W + q.X - g.X
			copy(out[y*q.W:(y+1)*q.W], v[at:at+q.W])
		}
		return out
	}
	inv := 1 / float32(factor)
	for y := range q.H {
		sy := (float32(q.Y+y)+0.5)*inv - 0.5 - float32(g.Y)
		y0 := int(math.Floor(float64(sy)))
		wy := catmullRom(sy - float32(y0))
		for x := range q.W {
			sx := (float32(q.X+x)+0.5)*inv - 0.5 - float32(g.X)
			x0 := int(math.Floor(float64(sx)))
			wx := catmullRom(sx - float32(x0))
			var sum float32
			whole := true
			for j := 0; j < 4 && whole; j++ {
				for k := range 4 {
					at := (y0-1+j)*g.W + x0 - 1 + k
					if f.Tri[at] < 0 && !spreads {
						whole = false
						break
					}
					sum += wy[j] * wx[k] * v[at]
				}
			}
			if !whole {
				sum = around(v, f, g.W, x0, y0, sx-float32(x0), sy-float32(y0))
			}
			out[y*q.W+x] = sum
		}
	}
	return out
}

// around interpolates between the four neighbours that stand for something.
func around(v []float32, f *raster.Frame, width, x0, y0 int, fx, fy float32) float32 {
	var sum, weight float32
	for k, w := range [4]float32{(1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy} {
		if at := (y0+k/2)*width + x0 + k%2; f.Tri[at] >= 0 {
			w += 1e-6
			sum, weight = sum+w*v[at], weight+w
		}
	}
	if weight == 0 {
		return 0
	}
	return sum / weight
}

// rounded is a quadratic B-spline through the nine texels about a place, of those that stand for
// something: its slope goes evenly from texel to texel, too. x and y are counted from the middle of
// the first texel.
func rounded(v []float32, f *raster.Frame, x, y float32) float32 {
	cx, cy := min(max(int(x+0.5), 1), f.W-2), min(max(int(y+0.5), 1), f.H-2)
	weights := func(t float32) [3]float32 {
		t = min(max(t, -0.5), 0.5)
		return [3]float32{0.5 * (0.5 - t) * (0.5 - t), 0.75 - t*t, 0.5 * (0.5 + t) * (0.5 + t)}
	}
	wx, wy := weights(x-float32(cx)), weights(y-float32(cy))
	var sum, weight float32
	for k := range 9 {
		if at := (cy+k/3-1)*f.W + cx + k%3 - 1; f.Tri[at] >= 0 {
			w := wx[k%3]*wy[k/3] + 1e-6
			sum, weight = sum+w*v[at], weight+w
		}
	}
	if weight == 0 {
		return 0
	}
	return sum / weight
}

func catmullRom(t float32) [4]float32 {
	t2, t3 := t*t, t*t*t
	return [4]float32{-0.5*t3 + t2 - 0.5*t, 1.5*t3 - 2.5*t2 + 1, -1.5*t3 + 2*t2 + 0.5*t, 0.5*t3 - 0.5*t2}
}
