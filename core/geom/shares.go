package geom

import "math"

// Hypot returns √(x² + y²). Squares of numbers of 32 bits neither overflow nor vanish in 64, so it needs
// none of the care, and a third of the time, of math.Hypot.
func Hypot(x, y float32) float32 {
	return float32(math.Sqrt(float64(x)*float64(x) + float64(y)*float64(y)))
}

// Smooth is the cubic from 0 to 1 whose slope is 0 at both ends, 3t² − 2t³, for t of 0..1.
func Smooth(t float32) float32 { return t * t * (3 - 2*t) }

// Smoothstep goes smoothly from 0 at a to 1 at b, which may lie on either side; where both
// are one place it is a hard step there.
func Smoothstep(a, b, v float32) float32 {
	if a == b {
		if v < a {
			return 0
		}
		return 1
	}
	return Smooth(min(max((v-a)/(b-a), 0), 1))
}

// Barycentric returns the shares that the corners a, b and c of a triangle have in the point
// of its plane that lies nearest to p; they make 1, and lie in 0..1 when it lies in the
// triangle. A triangle without an area gives all to a.
func Barycentric(p, a, b, c Vec3) [3]float32 {
	ab, ac, ap := b.Sub(a), c.Sub(a), p.Sub(a)
	d00, d01, d11 := float64(ab.Dot(ab)), float64(ab.Dot(ac)), float64(ac.Dot(ac))
	d20, d21 := float64(ap.Dot(ab)), float64(ap.Dot(ac))
	det := d00*d11 - d01*d01
	if math.Abs(det) < 1e-30 {
		return [3]float32{1, 0, 0}
	}
	v, u := (d11*d20-d01*d21)/det, (d00*d21-d01*d20)/det
	return [3]float32{float32(1 - v - u), float32(v), float32(u)}
}

// Twice2 is twice the area of a triangle in the plane, below nought when it is turned over.
func Twice2(t *[3][2]float64) float64 {
	a, p, q := &t[0], &t[1], &t[2]
	return (p[0]-a[0])*(q[1]-a[1]) - (p[1]-a[1])*(q[0]-a[0])
}

// Barycentric2 is Barycentric in the plane, of a triangle with twice the area twice; ok is false
// for one without an area.
func Barycentric2(t *[3][2]float64, twice, x, y float64) (b [3]float64, ok bool) {
	if math.Abs(twice) < 1e-14 {
		return b, false
	}
	a, p, q := &t[0], &t[1], &t[2]
	b[1] = ((x-a[0])*(q[1]-a[1]) - (y-a[1])*(q[0]-a[0])) / twice
	b[2] = ((p[0]-a[0])*(y-a[1]) - (p[1]-a[1])*(x-a[0])) / twice
	b[0] = 1 - b[1] - b[2]
	return b, true
}
