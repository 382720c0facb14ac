package pix

import (
	"math"
	"sort"
)

// Curve is a monotone cubic Hermite spline (Fritsch and Carlson, "Monotone
// Piecewise Cubic Interpolation", 1980).
type Curve struct {
	p [][]float32
	m []float32
}

// NewCurve returns the curve through points (x, y) that rise in x; one at least.
func NewCurve(p [][]float32) Curve {
	n := len(p)
	c := Curve{p, make([]float32, n)}
	slope := make([]float32, max(n-1, 0))
	for i := range slope {
		if dx := p[i+1][0] - p[i][0]; dx > 1e-9 {
			slope[i] = (p[i+1][1] - p[i][1]) / dx
		}
	}
	for i := range c.m {
		switch {
		case n == 1:
		case i == 0:
			c.m[i] = slope[0]
		case i == n-1:
			c.m[i] = slope[n-2]
		case slope[i-1]*slope[i] > 0:
			c.m[i] = (slope[i-1] + slope[i]) / 2
		}
	}
	for i, s := range slope {
		if s == 0 {
			c.m[i], c.m[i+1] = 0, 0
			continue
		}
		a, b := c.m[i]/s, c.m[i+1]/s
		if r := a*a + b*b; r > 9 {
			k := 3 / float32(math.Sqrt(float64(r)))
			c.m[i], c.m[i+1] = k*a*s, k*b*s
		}
	}
	return c
}

// At returns the curve's value; before the first and behind the last point it is theirs.
func (c Curve) At(v float32) float32 {
	n := sort.Search(len(c.p), func(i int) bool { return c.p[i][0] > v })
	if n == 0 {
		return c.p[0][1]
	}
	if n == len(c.p) {
		return c.p[n-1][1]
	}
	a, b := c.p[n-1], c.p[n]
	h := b[0] - a[0]
	t := (v - a[0]) / h
	t2, t3 := t*t, t*t*t
	return a[1]*(2*t3-3*t2+1) + h*c.m[n-1]*(t3-2*t2+t) + b[1]*(3*t2-2*t3) + h*c.m[n]*(t3-t2)
}
