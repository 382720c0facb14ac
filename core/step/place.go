package step

import (
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
)

var axes = map[string]geom.Vec3{
	"up": {Y: 1}, "down": {Y: -1}, "east": {X: 1}, "west": {X: -1}, "south": {Z: 1}, "north": {Z: -1},
}

var axisNames = []string{"up", "down", "east", "west", "south", "north"}

func init() {
	register(Description{
		Kind: "gradient", Label: "Gradient", Role: "source",
		Help: "Grey by the place on the model: black at one end of an axis, white at the other.",
		Params: []Param{
			{Name: "axis", Label: "towards", Kind: "choice", Default: "up", Choices: axisNames, Help: "where it grows white"},
			{Name: "start", Label: "black until", Kind: "number", Min: -0.5, Max: 1.5, Default: 0.0, Unit: "%", Scale: 100, Help: "share of the model's length"},
			{Name: "end", Label: "white from", Kind: "number", Min: -0.5, Max: 1.5, Default: 1.0, Unit: "%", Scale: 100, Help: "share of the model's length"},
		},
		Run: func(in Input, out []float32) {
			a := axes[in.Choice("axis")]
			from, to := in.Bounds.Min, in.Bounds.Max
			if a.X+a.Y+a.Z < 0 {
				from, to = to, from
			}
			length := to.Sub(from).Dot(a)
			if length <= 0 {
				length = 1
			}
			s, e := in.Number("start"), in.Number("end")
			for i, p := range in.Frame.Pos {
				out[i] = smooth(s, e, p.Sub(from).Dot(a)/length)
			}
		},
	})
	register(Description{
		Kind: "facing", Label: "Facing", Role: "source",
		Help: "White where the surface faces a direction, black where it turns away.",
		Params: []Param{
			{Name: "axis", Label: "direction", Kind: "choice", Default: "up", Choices: axisNames, Help: "what white faces"},
			{Name: "start", Label: "black until", Kind: "number", Min: -1, Max: 1, Default: 0.2, Help: "cosine of the angle to the direction"},
			{Name: "end", Label: "white from", Kind: "number", Min: -1, Max: 1, Default: 0.9, Help: "cosine of the angle to the direction"},
		},
		Run: func(in Input, out []float32) {
			a := axes[in.Choice("axis")]
			s, e := in.Number("start"), in.Number("end")
			for i, n := range in.Frame.Nrm {
				out[i] = smooth(s, e, n.Dot(a))
			}
		},
	})
	register(Description{
		Kind: "even", Label: "Even grey", Role: "source", Help: "One grey everywhere.",
		Params: []Param{{Name: "value", Label: "grey", Kind: "number", Min: 0, Max: 1, Default: 1.0, Help: "0 hides, 1 shows"}},
		Run: func(in Input, out []float32) {
			v := in.Number("value")
			for i := range out {
				out[i] = v
			}
		},
	})
	register(Description{
		Kind: stack.Hand, Label: "Hand", Role: "source", Hand: true, Special: true, Params: []Param{},
		Help: "Painted by hand over what came before; erasing brings that back.",
	})
}
