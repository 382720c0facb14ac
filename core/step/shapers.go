package step

import (
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
)

func init() {
	register(Description{
		Kind: "levels", Label: "Levels", Role: "shaper",
		Help: "Stretches a range of greys to the full range, bends the middle, and limits the result.",
		Params: []Param{
			{Name: "low", Label: "black at", Kind: "number", Min: 0, Max: 1, Default: 0.0, Help: "this grey and darker becomes black"},
			{Name: "high", Label: "white at", Kind: "number", Min: 0, Max: 1, Default: 1.0, Help: "this grey and lighter becomes white"},
			{Name: "gamma", Label: "gamma", Kind: "number", Min: 0.05, Max: 20, Default: 1.0, Log: true, Help: "above 1 lightens the middle"},
			{Name: "outLow", Label: "darkest", Kind: "number", Min: 0, Max: 1, Default: 0.0, Help: "what black becomes"},
			{Name: "outHigh", Label: "lightest", Kind: "number", Min: 0, Max: 1, Default: 1.0, Help: "what white becomes"},
		},
		Run: func(in Input, out []float32) {
			lo, hi, g := in.Number("low"), in.Number("high"), 1/float64(in.Number("gamma"))
			a, b := in.Number("outLow"), in.Number("outHigh")
			inv := 1 / max(hi-lo, 1e-6)
			for i, v := range out {
				out[i] = (v - lo) * inv
			}
			pix.Unit(out)
			if g != 1 {
				for i, t := range out {
					out[i] = float32(math.Pow(float64(t), g))
				}
			}
			if a != 0 || b != 1 {
				pix.Linear(out, out, b-a, a)
			}
		},
	})
	register(Description{
		Kind: "invert", Label: "Invert", Role: "shaper", Help: "Black becomes white and white black.", Params: []Param{},
		Run: func(_ Input, out []float32) {
			for i, v := range out {
				out[i] = 1 - v
			}
		},
	})
	register(Description{
		Kind: "threshold", Label: "Threshold", Role: "shaper", Help: "Cuts at a grey, with a soft or a sharp edge.",
		Params: []Param{
			{Name: "cut", Label: "cut at", Kind: "number", Min: 0, Max: 1, Default: 0.5, Help: "lighter shows"},
			{Name: "soft", Label: "softness", Kind: "number", Min: 0, Max: 1, Default: 0.05, Help: "width of the edge in greys"},
		},
		Run: func(in Input, out []float32) {
			c, s := in.Number("cut"), in.Number("soft")/2
			for i, v := range out {
				out[i] = geom.Smoothstep(c-s, c+s, v)
			}
		},
	})
}
