// Package blend holds the blend modes: those of the W3C recommendation
// "Compositing and Blending Level 1", section 10, four plain arithmetic ones, and
// the two ways in which normal maps meet. The backdrop of a channel is always opaque, so the recommendation's
//
//	Co = (1 − αs)·Cb + αs·B(Cb, Cs)
//
// is all that compositing needs here.
package blend

import (
	"fmt"
	"math"
	"slices"
)

// Mode names a blend mode as documents write it.
type Mode string

// Normal replaces the backdrop by the source; Detail lays one normal map over
// another so that both keep their relief.
const (
	Normal Mode = "normal"
	Detail Mode = "detail"
)

// Func is the blend function B(Cb, Cs) of one component.
type Func func(b, s float32) float32

// separable lists the modes that treat each component alone, in menu order.
var separable = []struct {
	mode Mode
	f    Func
}{
	{Normal, func(_, s float32) float32 { return s }},
	{"multiply", func(b, s float32) float32 { return b * s }},
	{"screen", screen},
	{"overlay", func(b, s float32) float32 { return hardLight(s, b) }},
	{"darken", func(b, s float32) float32 { return min(b, s) }},
	{"lighten", func(b, s float32) float32 { return max(b, s) }},
	{"color dodge", func(b, s float32) float32 {
		switch {
		case b <= 0:
			return 0
		case s >= 1:
			return 1
		}
		return min(1, b/(1-s))
	}},
	{"color burn", func(b, s float32) float32 {
		switch {
		case b >= 1:
			return 1
		case s <= 0:
			return 0
		}
		return 1 - min(1, (1-b)/s)
	}},
	{"hard light", hardLight},
	{"soft light", softLight},
	{"difference", func(b, s float32) float32 { return float32(math.Abs(float64(b - s))) }},
	{"exclusion", func(b, s float32) float32 { return b + s - 2*b*s }},
	{"add", func(b, s float32) float32 { return b + s }},
	{"subtract", func(b, s float32) float32 { return b - s }},
	{"divide", func(b, s float32) float32 {
		if s <= 0 {
			return b
		}
		return b / s
	}},
	{"linear light", func(b, s float32) float32 { return b + 2*s - 1 }},
}

// nonSeparable lists the modes that need all three components.
var nonSeparable = []struct {
	mode Mode
	f    func(b, s [3]float32) [3]float32
}{
	{"hue", func(b, s [3]float32) [3]float32 { return setLum(setSat(s, sat(b)), lum(b)) }},
	{"saturation", func(b, s [3]float32) [3]float32 { return setLum(setSat(b, sat(s)), lum(b)) }},
	{"color", func(b, s [3]float32) [3]float32 { return setLum(s, lum(b)) }},
	{"luminosity", func(b, s [3]float32) [3]float32 { return setLum(b, lum(s)) }},
}

func screen(b, s float32) float32 { return b + s - b*s }

func hardLight(b, s float32) float32 {
	if s <= 0.5 {
		return b * (2 * s)
	}
	return screen(b, 2*s-1)
}

func softLight(b, s float32) float32 {
	if s <= 0.5 {
		return b - (1-2*s)*b*(1-b)
	}
	d := float32(math.Sqrt(float64(max(b, 0))))
	if b <= 0.25 {
		d = ((16*b-12)*b + 4) * b
	}
	return b + (2*s-1)*(d-b)
}

// Modes returns every mode in menu order; scalar leaves out those that need a colour.
func Modes(scalar bool) []Mode {
	var m []Mode
	for _, s := range separable {
		m = append(m, s.mode)
	}
	if !scalar {
		for _, s := range nonSeparable {
			m = append(m, s.mode)
		}
	}
	return m
}

// Check returns an error that names an unknown mode; "" stands for normal.
func Check(m Mode, scalar bool) error {
	if m == "" || m == Detail || slices.Contains(Modes(scalar), m) {
		return nil
	}
	return fmt.Errorf("blend mode %q is not one of %v", string(m), Modes(scalar))
}

// Separable returns the function of a mode, or nil for one that needs a colour.
func Separable(m Mode) Func {
	if m == "" {
		m = Normal
	}
	for _, s := range separable {
		if s.mode == m {
			return s.f
		}
	}
	return nil
}

// Row blends src over dst in place by alpha (0..1) along one row of equal
// length. The common modes have loops of their own; TestRowMatchesReference
// holds them against the functions of the table.
func Row(m Mode, dst, src, alpha []float32) {
	src, alpha = src[:len(dst)], alpha[:len(dst)]
	done := blendWide(m, dst, src, 8, alpha, 1)
	rowPlain(m, dst[done:], src[done:], alpha[done:])
}

// rowPlain is the plain form of Row; TestWideMatchesPlain holds the wide one against it, bit for bit.
func rowPlain(m Mode, dst, src, alpha []float32) {
	src, alpha = src[:len(dst)], alpha[:len(dst)]
	switch m {
	case "", Normal:
		for i, b := range dst {
			dst[i] = b + alpha[i]*(src[i]-b)
		}
	case "multiply":
		for i, b := range dst {
			dst[i] = b + alpha[i]*(b*src[i]-b)
		}
	case "add":
		for i, b := range dst {
			dst[i] = b + alpha[i]*src[i]
		}
	case "subtract":
		for i, b := range dst {
			dst[i] = b - alpha[i]*src[i]
		}
	case "screen":
		for i, b := range dst {
			dst[i] = b + alpha[i]*(src[i]-b*src[i])
		}
	case "overlay":
		for i, b := range dst {
			s := src[i]
			v := 2 * b * s
			if b > 0.5 {
				v = s + (2*b - 1) - s*(2*b-1)
			}
			dst[i] = b + alpha[i]*(v-b)
		}
	case "soft light":
		for i, b := range dst {
			dst[i] = b + alpha[i]*(softLight(b, src[i])-b)
		}
	default:
		f := Separable(m)
		for i, b := range dst {
			dst[i] = b + alpha[i]*(f(b, src[i])-b)
		}
	}
}

// RowEven blends one value over dst in place, by alpha scaled by amount: what Row
// does with a source that is the same everywhere, without its memory traffic.
// TestRowEvenMatchesRow holds the two against each other.
func RowEven(m Mode, dst []float32, s float32, alpha []float32, amount float32) {
	alpha = alpha[:len(dst)]
	same := [8]float32{s, s, s, s, s, s, s, s}
	done := blendWide(m, dst, same[:], 0, alpha, amount)
	evenPlain(m, dst[done:], s, alpha[done:], amount)
}

// EvenOver writes into dst what RowEven makes of a backdrop that is b everywhere.
// TestEvenOverMatchesRowEven holds the two against each other, bit for bit.
func EvenOver(m Mode, dst []float32, b, s float32, alpha []float32, amount float32) {
	done := evenOverWide(m, dst, b, s, alpha, amount)
	rest := dst[done:]
	for i := range rest {
		rest[i] = b
	}
	RowEven(m, rest, s, alpha[done:], amount)
}

// evenPlain is the plain form of RowEven; TestWideMatchesPlain holds the wide one
// against it, bit for bit.
func evenPlain(m Mode, dst []float32, s float32, alpha []float32, amount float32) {
	alpha = alpha[:len(dst)]
	switch m {
	case "", Normal:
		for i, b := range dst {
			dst[i] = b + alpha[i]*amount*(s-b)
		}
	case "multiply":
		for i, b := range dst {
			dst[i] = b + alpha[i]*amount*(b*s-b)
		}
	case "add", "subtract":
		if m == "subtract" {
			s = -s
		}
		for i, b := range dst {
			dst[i] = b + alpha[i]*amount*s
		}
	case "screen":
		for i, b := range dst {
			dst[i] = b + alpha[i]*amount*(s-b*s)
		}
	case "soft light":
		for i, b := range dst {
			dst[i] = b + alpha[i]*amount*(softLight(b, s)-b)
		}
	default:
		f := Separable(m)
		for i, b := range dst {
			dst[i] = b + alpha[i]*amount*(f(b, s)-b)
		}
	}
}

// Bounded reports whether a mode keeps values of 0..1 within 0..1.
func Bounded(m Mode) bool {
	return m != "add" && m != "subtract" && m != "divide" && m != "linear light"
}

// RowColor blends three component rows; it serves every mode.
func RowColor(m Mode, dst, src [3][]float32, alpha []float32) {
	var f func(b, s [3]float32) [3]float32
	for _, n := range nonSeparable {
		if n.mode == m {
			f = n.f
		}
	}
	if f == nil {
		for c := range 3 {
			Row(m, dst[c], src[c], alpha)
		}
		return
	}
	for i, a := range alpha {
		b := [3]float32{dst[0][i], dst[1][i], dst[2][i]}
		r := f(b, [3]float32{src[0][i], src[1][i], src[2][i]})
		for c := range 3 {
			dst[c][i] = b[c] + a*(r[c]-b[c])
		}
	}
}

// The helpers below are those of the recommendation, section 10.2.

func lum(c [3]float32) float32 { return 0.3*c[0] + 0.59*c[1] + 0.11*c[2] }

func sat(c [3]float32) float32 { return max(c[0], c[1], c[2]) - min(c[0], c[1], c[2]) }

func clipColor(c [3]float32) [3]float32 {
	l, n, x := lum(c), min(c[0], c[1], c[2]), max(c[0], c[1], c[2])
	for i := range c {
		if n < 0 {
			c[i] = l + (c[i]-l)*l/(l-n)
		}
		if x > 1 {
			c[i] = l + (c[i]-l)*(1-l)/(x-l)
		}
	}
	return c
}

func setLum(c [3]float32, l float32) [3]float32 {
	d := l - lum(c)
	return clipColor([3]float32{c[0] + d, c[1] + d, c[2] + d})
}

// setSat spreads the components so that the smallest is 0 and the largest is s.
func setSat(c [3]float32, s float32) [3]float32 {
	lo, d := min(c[0], c[1], c[2]), sat(c)
	if d <= 0 {
		return [3]float32{}
	}
	for i := range c {
		c[i] = (c[i] - lo) * s / d
	}
	return c
}

// RowNormal blends rows of unit vectors by alpha in place. Detail is reoriented
// normal mapping (Barré-Brisebois and Hill, "Blending in Detail", 2012): the
// source, first turned towards flat as alpha falls, is set upon the backdrop.
// Every other mode replaces the backdrop.
func RowNormal(m Mode, dst, src [3][]float32, alpha []float32) {
	for i, a := range alpha {
		if a == 0 {
			continue
		}
		b := [3]float32{dst[0][i], dst[1][i], dst[2][i]}
		s := [3]float32{src[0][i], src[1][i], src[2][i]}
		var r [3]float32
		if m == Detail {
			r = Reorient(b, unit3([3]float32{s[0] * a, s[1] * a, s[2]*a + 1 - a}))
		} else {
			r = unit3([3]float32{b[0] + a*(s[0]-b[0]), b[1] + a*(s[1]-b[1]), b[2] + a*(s[2]-b[2])})
		}
		dst[0][i], dst[1][i], dst[2][i] = r[0], r[1], r[2]
	}
}

// Reorient sets the unit vector s, given above the flat surface, upon one that
// leans as b does.
func Reorient(b, s [3]float32) [3]float32 {
	tz := b[2] + 1
	if tz < 1e-6 {
		return s
	}
	d := (b[0]*-s[0] + b[1]*-s[1] + tz*s[2]) / tz
	return unit3([3]float32{b[0]*d + s[0], b[1]*d + s[1], tz*d - s[2]})
}

func unit3(v [3]float32) [3]float32 {
	l := float32(math.Sqrt(float64(v[0]*v[0] + v[1]*v[1] + v[2]*v[2])))
	if l < 1e-12 {
		return [3]float32{0, 0, 1}
	}
	return [3]float32{v[0] / l, v[1] / l, v[2] / l}
}
