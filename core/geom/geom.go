// Package geom holds the small vectors, boxes and matrices that the other core
// packages share. Coordinates are float32 in metres, right-handed, Y up (the
// convention of glTF 2.0).
package geom

import (
	"fmt"
	"math"
)

// Vec2 is a point or direction in texture space; V grows downward as in glTF.
type Vec2 struct{ X, Y float32 }

// Vec3 is a point or direction in model space.
type Vec3 struct{ X, Y, Z float32 }

// V3 makes a Vec3.
func V3(x, y, z float32) Vec3 { return Vec3{x, y, z} }

// Add returns a + b.
func (a Vec3) Add(b Vec3) Vec3 { return Vec3{a.X + b.X, a.Y + b.Y, a.Z + b.Z} }

// Sub returns a − b.
func (a Vec3) Sub(b Vec3) Vec3 { return Vec3{a.X - b.X, a.Y - b.Y, a.Z - b.Z} }

// Mul returns a scaled by s.
func (a Vec3) Mul(s float32) Vec3 { return Vec3{a.X * s, a.Y * s, a.Z * s} }

// Dot returns the inner product.
func (a Vec3) Dot(b Vec3) float32 { return a.X*b.X + a.Y*b.Y + a.Z*b.Z }

// Cross returns the outer product a × b.
func (a Vec3) Cross(b Vec3) Vec3 {
	return Vec3{a.Y*b.Z - a.Z*b.Y, a.Z*b.X - a.X*b.Z, a.X*b.Y - a.Y*b.X}
}

// Length returns the Euclidean length.
func (a Vec3) Length() float32 { return float32(math.Sqrt(float64(a.Dot(a)))) }

// Unit returns a at length one, or the zero vector when a has no direction.
func (a Vec3) Unit() Vec3 {
	l := a.Length()
	if l < 1e-20 {
		return Vec3{}
	}
	return a.Mul(1 / l)
}

// Lerp returns a + (b−a)·t.
func (a Vec3) Lerp(b Vec3, t float32) Vec3 { return a.Add(b.Sub(a).Mul(t)) }

// Finite reports whether no component is NaN or infinite.
func (a Vec3) Finite() bool {
	s := float64(a.X) + float64(a.Y) + float64(a.Z)
	return !math.IsNaN(s) && !math.IsInf(s, 0)
}

// Tangents returns two unit vectors that make a right-handed frame with the
// unit vector n, without a branch that jumps (Duff et al., "Building an
// Orthonormal Basis, Revisited", JCGT 2017).
func (n Vec3) Tangents() (t, b Vec3) {
	sign := float32(math.Copysign(1, float64(n.Z)))
	a := -1 / (sign + n.Z)
	c := n.X * n.Y * a
	return Vec3{1 + sign*n.X*n.X*a, sign * c, -sign * n.X}, Vec3{c, sign + n.Y*n.Y*a, -n.Y}
}

// Box is an axis-aligned box. The zero value is not empty; use EmptyBox.
type Box struct{ Min, Max Vec3 }

// EmptyBox returns a box that holds nothing and grows from its first point.
func EmptyBox() Box {
	i := float32(math.Inf(1))
	return Box{Vec3{i, i, i}, Vec3{-i, -i, -i}}
}

// Empty reports whether the box holds no point.
func (b Box) Empty() bool { return b.Min.X > b.Max.X }

// Grow returns the box that also holds p.
func (b Box) Grow(p Vec3) Box {
	return Box{
		Vec3{min(b.Min.X, p.X), min(b.Min.Y, p.Y), min(b.Min.Z, p.Z)},
		Vec3{max(b.Max.X, p.X), max(b.Max.Y, p.Y), max(b.Max.Z, p.Z)},
	}
}

// Union returns the box around both.
func (b Box) Union(o Box) Box {
	if o.Empty() {
		return b
	}
	return b.Grow(o.Min).Grow(o.Max)
}

// Pad returns the box widened by d on every side.
func (b Box) Pad(d float32) Box {
	v := Vec3{d, d, d}
	return Box{b.Min.Sub(v), b.Max.Add(v)}
}

// Overlaps reports whether the two boxes share a point.
func (b Box) Overlaps(o Box) bool {
	return b.Min.X <= o.Max.X && b.Max.X >= o.Min.X &&
		b.Min.Y <= o.Max.Y && b.Max.Y >= o.Min.Y &&
		b.Min.Z <= o.Max.Z && b.Max.Z >= o.Min.Z
}

// Away returns the way from the nearest point of the box to p: zero inside.
func (b Box) Away(p Vec3) Vec3 {
	off := func(v, lo, hi float32) float32 { return v - min(max(v, lo), hi) }
	return Vec3{off(p.X, b.Min.X, b.Max.X), off(p.Y, b.Min.Y, b.Max.Y), off(p.Z, b.Min.Z, b.Max.Z)}
}

// Center returns the middle of the box.
func (b Box) Center() Vec3 { return b.Min.Add(b.Max).Mul(0.5) }

// Size returns the edge lengths.
func (b Box) Size() Vec3 { return b.Max.Sub(b.Min) }

// Mat4 is a 4 × 4 matrix in column order, as glTF stores it.
type Mat4 [16]float64

// Identity returns the matrix that changes nothing.
func Identity() Mat4 { return Mat4{0: 1, 5: 1, 10: 1, 15: 1} }

// Mul returns the matrix that applies b first, then a.
func (a Mat4) Mul(b Mat4) Mat4 {
	var r Mat4
	for c := range 4 {
		for i := range 4 {
			for k := range 4 {
				r[c*4+i] += a[k*4+i] * b[c*4+k]
			}
		}
	}
	return r
}

// Point transforms a point (w = 1, no perspective division).
func (a Mat4) Point(p Vec3) Vec3 {
	x, y, z := float64(p.X), float64(p.Y), float64(p.Z)
	return Vec3{
		float32(a[0]*x + a[4]*y + a[8]*z + a[12]),
		float32(a[1]*x + a[5]*y + a[9]*z + a[13]),
		float32(a[2]*x + a[6]*y + a[10]*z + a[14]),
	}
}

// Clip transforms a point to homogeneous clip coordinates.
func (a Mat4) Clip(p Vec3) (x, y, z, w float64) {
	px, py, pz := float64(p.X), float64(p.Y), float64(p.Z)
	return a[0]*px + a[4]*py + a[8]*pz + a[12], a[1]*px + a[5]*py + a[9]*pz + a[13],
		a[2]*px + a[6]*py + a[10]*pz + a[14], a[3]*px + a[7]*py + a[11]*pz + a[15]
}

// Normal transforms a surface normal: by the cofactors of the upper 3 × 3 part,
// which is the inverse transpose up to scale and stands also where the matrix
// cannot be inverted. The result has unit length.
func (a Mat4) Normal(n Vec3) Vec3 {
	x, y, z := float64(n.X), float64(n.Y), float64(n.Z)
	c := func(i, j, k, l int) float64 { return a[i]*a[j] - a[k]*a[l] }
	v := Vec3{
		float32(c(5, 10, 6, 9)*x + c(2, 9, 1, 10)*y + c(1, 6, 2, 5)*z),
		float32(c(6, 8, 4, 10)*x + c(0, 10, 2, 8)*y + c(2, 4, 0, 6)*z),
		float32(c(4, 9, 5, 8)*x + c(1, 8, 0, 9)*y + c(0, 5, 1, 4)*z),
	}
	if a.Mirrors() {
		v = v.Mul(-1)
	}
	return v.Unit()
}

// Mirrors reports whether the matrix turns a right-handed frame into a left-handed one.
func (a Mat4) Mirrors() bool {
	return a[0]*(a[5]*a[10]-a[6]*a[9])-a[4]*(a[1]*a[10]-a[2]*a[9])+a[8]*(a[1]*a[6]-a[2]*a[5]) < 0
}

// TRS builds the matrix of a glTF node: scale s, then rotation q (x, y, z, w), then translation t.
func TRS(t [3]float64, q [4]float64, s [3]float64) Mat4 {
	x, y, z, w := q[0], q[1], q[2], q[3]
	return Mat4{
		(1 - 2*(y*y+z*z)) * s[0], 2 * (x*y + z*w) * s[0], 2 * (x*z - y*w) * s[0], 0,
		2 * (x*y - z*w) * s[1], (1 - 2*(x*x+z*z)) * s[1], 2 * (y*z + x*w) * s[1], 0,
		2 * (x*z + y*w) * s[2], 2 * (y*z - x*w) * s[2], (1 - 2*(x*x+y*y)) * s[2], 0,
		t[0], t[1], t[2], 1,
	}
}

// String writes the vector for keys and errors.
func (a Vec3) String() string { return fmt.Sprintf("(%g, %g, %g)", a.X, a.Y, a.Z) }
