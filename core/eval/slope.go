package eval

import (
	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/step"
)

// normals turns the slope of a height into unit normals in tangent space, by planes; straight up where
// nothing is.
func normals(f *raster.Frame, h []float32, out [3][]float32) {
	pos := f.Beside()
	for y := range f.H {
		for x := 0; x < f.W; {
			i := y*f.W + x
			if x > 0 && x+8 < f.W && y > 0 && y < f.H-1 && inside(f, i) {
				done := eightNormals(f, pos, h, i, out)
				for k := range 8 {
					if done>>k&1 == 0 {
						one(f, h, i+k, out)
					}
				}
				x += 8
				continue
			}
			one(f, h, i, out)
			x++
		}
	}
}

// inside reports whether eight points beside each other, and all beside them, stand for something.
func inside(f *raster.Frame, i int) bool {
	t := f.Tri[i-1 : i+9]
	all := t[0] | t[9]
	up, here, down := f.Tri[i-f.W:i-f.W+8], t[1:9], f.Tri[i+f.W:i+f.W+8]
	for k := range 8 {
		all |= up[k] | here[k] | down[k]
	}
	return all >= 0 // none is negative
}

// one is normals at one point.
func one(f *raster.Frame, h []float32, i int, out [3][]float32) {
	x, y := i%f.W, i/f.W
	n := [3]float32{0, 0, 1}
	if f.Tri[i] >= 0 && !level(h, f.W, x, y, f.H) {
		px, hx := step.Difference(f, h, i, 1, x > 0, x < f.W-1)
		py, hy := step.Difference(f, h, i, f.W, y > 0, y < f.H-1)
		n = tangentNormal(f.Nrm[i], px, py, hx, hy)
	}
	out[0][i], out[1][i], out[2][i] = n[0], n[1], n[2]
}

// level reports whether a height and those beside it are the same: there is no slope then, whichever of
// them stand for something.
func level(h []float32, w, x, y, tall int) bool {
	if x == 0 || y == 0 || x == w-1 || y == tall-1 {
		return false
	}
	i := y*w + x
	v := h[i]
	return h[i-1] == v && h[i+1] == v && h[i-w] == v && h[i+w] == v
}

// tangentNormal turns a slope on the surface into a normal in tangent space.
func tangentNormal(n, px, py geom.Vec3, hx, hy float32) [3]float32 {
	px, py = px.Sub(n.Mul(px.Dot(n))), py.Sub(n.Mul(py.Dot(n)))
	grad := step.GradientAlong(px, py, hx, hy)
	if grad == (geom.Vec3{}) {
		return [3]float32{0, 0, 1}
	}
	t := px.Unit()
	b := n.Cross(t)
	if b.Dot(py) > 0 { // V grows downward: up in the picture is against py
		b = b.Mul(-1)
	}
	v := geom.V3(-grad.Dot(t), -grad.Dot(b), 1).Unit()
	return [3]float32{v.X, v.Y, v.Z}
}
