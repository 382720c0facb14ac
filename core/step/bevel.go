package step

import (
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
)

func init() {
	register(Description{
		Kind: "bevel", Label: "Bevel", Role: "shaper", Texels: 24,
		Help: "Cuts at the middle grey and lets what is inside rise from its border over a set width, as the rim of a coat does.",
		Params: []Param{radius("width", "how far in from the border it has risen"),
			{Name: "form", Label: "form", Kind: "choice", Default: "round", Choices: []string{"round", "straight", "hollow"}, Help: "how it rises"},
			{Name: "lip", Label: "lip", Kind: "number", Min: 0, Max: 1, Default: 0.0, Help: "how far the rim stands above the rest, as flaking paint curls"}},
		Radius: reach(1.2), Filter: bevelled,
	})
}

// bevelled gives 0 outside of where src is half or more, and inside rises with the
// distance to the border. White is the top of the lip: the coat itself is 1/(1+lip).
func bevelled(in Input, src, _, out []float32) {
	f := in.Frame
	r := max(in.Number("radius")/f.Footprint, 1e-3) // texels
	lip, form := in.Number("lip"), in.Choice("form")
	outside := make([]bool, len(src))
	for i, t := range f.Tri {
		outside[i] = t >= 0 && src[i] < 0.5
	}
	from := pix.NearestIn(outside, f.W, f.H)
	profile := func(t float32) float32 {
		h := t
		switch form {
		case "round":
			h = float32(math.Sqrt(float64(1 - (1-t)*(1-t))))
		case "hollow":
			h = t * t
		}
		if lip > 0 { // highest at a third of the way in, gone at the end
			b := 1 - (t-0.35)/0.65
			if t < 0.35 {
				b = t / 0.35
			}
			h = max(h, geom.Smoothstep(0, 0.35, t)) * (1 + lip*geom.Smooth(b))
		}
		return h / (1 + lip)
	}
	for i, t := range f.Tri {
		out[i] = 0
		if t < 0 || outside[i] || !in.needs(i) {
			continue
		}
		j := from[i]
		if j < 0 {
			out[i] = profile(1)
			continue
		}
		// the border crosses the outer texel by as much as that is covered
		d := float32(math.Sqrt(float64(pix.Apart2(i, int(j), f.W)))) - 0.5 + src[j]
		if r < 1 { // narrower than a texel: the mask's own border is all there is
			out[i] = profile(1) * min(src[i]*2-1+(1-r), 1)
			out[i] = max(out[i], 0)
			continue
		}
		out[i] = profile(clamp01(d / r))
	}
}
