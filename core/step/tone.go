package step

import (
	"math"
	"sort"

	"velvetgrime/core/blend"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
)

func init() {
	register(Description{
		Kind: "curve", Label: "Curve", Role: "shaper",
		Help:   "Bends the greys by a smooth curve through your points; it never overshoots them.",
		Params: []Param{{Name: "points", Label: "curve", Kind: "curve", Default: []any{[]any{0.0, 0.0}, []any{0.5, 0.5}, []any{1.0, 1.0}}, Help: "in across, out upward"}},
		Run: func(in Input, out []float32) {
			c := pix.NewCurve(in.Rows("points"))
			for i, v := range out {
				out[i] = c.At(v)
			}
		},
	})
	register(Description{
		Kind: "ramp", Label: "Ramp", Role: "shaper",
		Help: "Gives every grey a colour or another grey.",
		Params: []Param{
			{Name: "stops", Label: "ramp", Kind: "ramp", Default: []any{[]any{0.0, 0.0, 0.0, 0.0}, []any{1.0, 1.0, 1.0, 1.0}}, Help: "colours along the greys"},
			{Name: "between", Label: "between", Kind: "choice", Default: "straight", Choices: []string{"straight", "smooth", "steps"}, Help: "how one stop goes over into the next"},
		},
		Colors: func(in Input) bool {
			for _, s := range in.Rows("stops") {
				if s[1] != s[2] || s[2] != s[3] {
					return true
				}
			}
			return false
		},
		Run: func(in Input, out []float32) {
			stops, between := in.Rows("stops"), in.Choice("between")
			for i, v := range out {
				out[i] = rampAt(stops, between, v)[0]
			}
		},
		RunColor: func(in Input, out [3][]float32) {
			stops, between := in.Rows("stops"), in.Choice("between")
			for i := range out[0] {
				c := rampAt(stops, between, pix.Luma(out[0][i], out[1][i], out[2][i]))
				out[0][i], out[1][i], out[2][i] = c[0], c[1], c[2]
			}
		},
	})
	register(Description{
		Kind: "contrast", Label: "Brightness, contrast", Role: "shaper",
		Help: "Shifts all greys and spreads them around the middle.",
		Params: []Param{
			{Name: "brightness", Label: "brightness", Kind: "number", Min: -1, Max: 1, Default: 0.0, Help: "added to every grey"},
			{Name: "contrast", Label: "contrast", Kind: "number", Min: 0, Max: 8, Default: 1.0, Help: "spread around the middle grey"},
		},
		Run: func(in Input, out []float32) {
			b, c := in.Number("brightness"), in.Number("contrast")
			for i, v := range out {
				out[i] = clamp01((v-0.5)*c + 0.5 + b)
			}
		},
	})
	register(Description{
		Kind: "hue", Label: "Hue, saturation", Role: "shaper",
		Help: "Turns the hue, strengthens or drains the colour, lightens or darkens.",
		Params: []Param{
			{Name: "turn", Label: "hue", Kind: "number", Min: -180, Max: 180, Default: 0.0, Unit: "°", Help: "turned around the colour circle"},
			{Name: "saturation", Label: "saturation", Kind: "number", Min: 0, Max: 4, Default: 1.0, Help: "0 is grey"},
			{Name: "lightness", Label: "lightness", Kind: "number", Min: -1, Max: 1, Default: 0.0, Help: "towards black or white"},
		},
		Run: func(in Input, out []float32) { // greys have no hue to turn
			l := in.Number("lightness")
			for i, v := range out {
				out[i] = lighten(v, l)
			}
		},
		RunColor: func(in Input, out [3][]float32) {
			turn, sat, l := in.Number("turn")/360, in.Number("saturation"), in.Number("lightness")
			for i := range out[0] {
				h, s, v := blend.ToHSL(out[0][i], out[1][i], out[2][i])
				r, g, b := blend.FromHSL(h+turn, clamp01(s*sat), v)
				out[0][i], out[1][i], out[2][i] = lighten(r, l), lighten(g, l), lighten(b, l)
			}
		},
	})
	register(Description{
		Kind: "posterize", Label: "Posterize", Role: "shaper", Help: "Keeps only so many greys.",
		Params: []Param{{Name: "count", Label: "greys", Kind: "integer", Min: 2, Max: 64, Default: 4, Help: "how many are left, black and white among them"}},
		Run: func(in Input, out []float32) {
			n := in.Number("count")
			for i, v := range out {
				out[i] = min(float32(math.Floor(float64(clamp01(v)*n))), n-1) / (n - 1)
			}
		},
	})
	register(Description{
		Kind: "color", Label: "Even colour", Role: "source", Group: readings, Help: "One colour everywhere.",
		Params: []Param{{Name: "value", Label: "colour", Kind: "color", Default: []any{0.6, 0.55, 0.5}, Help: "sRGB-encoded"}},
		RunColor: func(in Input, out [3][]float32) {
			v := in.Row("value")
			for c := range out {
				for i := range out[c] {
					out[c][i] = v[c]
				}
			}
		},
	})
}

func lighten(v, l float32) float32 {
	if l > 0 {
		return v + (1-v)*l
	}
	return v * (1 + l)
}

// Grade changes a colour: hue turned in degrees, saturation scaled, then brightness
// added, contrast −1..1 about the middle, and a gamma. Values stay within 0..1.
type Grade struct{ Bright, Contrast, Gamma, Hue, Saturation float32 }

// GradeOf reads the parameters bright, contrast, gamma, hue and saturation.
func GradeOf(in Input) Grade {
	return Grade{in.Number("bright"), in.Number("contrast"), in.Number("gamma"), in.Number("hue"), in.Number("saturation")}
}

// Neutral reports whether the grade changes nothing.
func (g Grade) Neutral() bool { return g == Grade{0, 0, 1, 0, 1} }

// Apply grades a colour, sRGB-encoded.
func (g Grade) Apply(c [3]float32) [3]float32 {
	if g.Hue != 0 || g.Saturation != 1 {
		h, s, l := blend.ToHSL(c[0], c[1], c[2])
		h += g.Hue / 360
		h -= float32(math.Floor(float64(h)))
		c[0], c[1], c[2] = blend.FromHSL(h, clamp01(s*g.Saturation), l)
	}
	slope := (1 + g.Contrast) / max(1-g.Contrast, 0.01)
	if g.Contrast < 0 {
		slope = 1 + g.Contrast
	}
	for k, v := range c {
		v = clamp01(0.5 + (v+g.Bright-0.5)*slope)
		if g.Gamma != 1 {
			v = float32(math.Pow(float64(v), 1/float64(g.Gamma)))
		}
		c[k] = v
	}
	return c
}

func rampAt(stops [][]float32, between string, v float32) [3]float32 {
	col := func(s []float32) [3]float32 { return [3]float32{s[1], s[2], s[3]} }
	n := sort.Search(len(stops), func(i int) bool { return stops[i][0] > v })
	if n == 0 {
		return col(stops[0])
	}
	a := stops[n-1]
	if n == len(stops) || between == "steps" {
		return col(a)
	}
	b := stops[n]
	t := (v - a[0]) / (b[0] - a[0])
	if between == "smooth" {
		t = geom.Smooth(t)
	}
	return [3]float32{a[1] + (b[1]-a[1])*t, a[2] + (b[2]-a[2])*t, a[3] + (b[3]-a[3])*t}
}
