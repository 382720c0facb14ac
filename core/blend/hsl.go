package blend

import "math"

// ToHSL returns hue, saturation and lightness of a colour, as CSS Color 4, section 7, has
// them; all values 0..1.
func ToHSL(r, g, b float32) (h, s, l float32) {
	hi, lo := max(r, g, b), min(r, g, b)
	l = (hi + lo) / 2
	d := hi - lo
	if d <= 1e-9 {
		return 0, 0, l
	}
	s = d / (1 - float32(math.Abs(float64(2*l-1))))
	switch hi {
	case r:
		h = (g - b) / d
	case g:
		h = 2 + (b-r)/d
	default:
		h = 4 + (r-g)/d
	}
	if h < 0 {
		h += 6
	}
	return h / 6, s, l
}

// FromHSL is its inverse; any hue is taken.
func FromHSL(h, s, l float32) (r, g, b float32) {
	h -= float32(math.Floor(float64(h)))
	f := func(n float32) float32 {
		k := float32(math.Mod(float64(n+h*12), 12))
		return min(max(l-s*min(l, 1-l)*max(-1, min(k-3, 9-k, 1)), 0), 1)
	}
	return f(0), f(8), f(4)
}

// Tinted turns a colour's hue by a share of the circle and makes it lighter (towards
// white) or darker (towards black) by up to half of what is possible; both −1..1.
func Tinted(c [3]float32, hue, light float32) [3]float32 {
	h, s, l := ToHSL(c[0], c[1], c[2])
	if light > 0 {
		l += 0.5 * light * (1 - l)
	} else {
		l += 0.5 * light * l
	}
	h += hue
	h -= float32(math.Floor(float64(h)))
	r, g, b := FromHSL(h, s, l)
	return [3]float32{r, g, b}
}
