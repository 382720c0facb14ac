package step

import "velvetgrime/core/stack"

func init() {
	register(Description{
		Kind: stack.Follow, Label: "Follow", Role: "source", Special: true,
		Help: "Reads the mask or a channel of another layer, or a channel of everything that lies below.",
		Params: []Param{
			{Name: "layer", Label: "layer", Kind: "layer", Default: "", Help: "which layer is followed"},
			{Name: "what", Label: "reads", Kind: "output", Default: stack.MaskStream, Help: "its mask, or one of its channels"},
			{Name: "low", Label: "black at", Kind: "number", Min: -20, Max: 20, Default: 0.0, Unit: "mm", Help: "the height that is read as black"},
			{Name: "high", Label: "white at", Kind: "number", Min: -20, Max: 20, Default: 1.0, Unit: "mm", Help: "the height that is read as white"},
		},
	})
	register(Description{
		Kind: stack.Bundle, Label: "Bundle", Role: "source", Special: true, Inner: "made of", Params: []Param{},
		Help: "A stream of its own that counts as one step.",
	})
	register(Description{
		Kind: "picture", Label: "Picture", Role: "source", Special: true,
		Help: "A picture laid by the UVs, or cast from three sides at a size in the world.",
		Params: []Param{
			{Name: "picture", Label: "picture", Kind: "picture", Default: "", Help: "which picture"},
			{Name: "laid", Label: "laid", Kind: "choice", Default: "from three sides", Choices: []string{"from three sides", "by UVs"}, Help: "from three sides needs no UVs and shows no seams"},
			{Name: "size", Label: "size", Kind: "number", Min: 0.0001, Max: 100, Default: 0.1, Unit: "mm", Scale: 1000, Log: true, Help: "width of one repeat on the model, from three sides"},
			{Name: "repeat", Label: "repeats", Kind: "number", Min: 0.01, Max: 200, Default: 1.0, Log: true, Help: "how often over the sheet, by UVs"},
			{Name: "turn", Label: "turn", Kind: "number", Min: -180, Max: 180, Default: 0.0, Unit: "°", Help: "turned in its plane"},
			{Name: "soft", Label: "join", Kind: "number", Min: 0, Max: 1, Default: 0.3, Help: "how softly the three sides go over into each other"},
		},
	})
	register(Description{
		Kind: stack.BakedStep, Label: "Baked map", Role: "source", Special: true,
		Help: "A map that was baked in Prepare: what the surface itself tells.",
		Params: []Param{
			{Name: "map", Label: "map", Kind: "choice", Default: "edges", Choices: []string{"edges", "creases", "curvature", "occlusion", "thickness", "sky exposure", "height"}, Help: "edges and creases are the two sides of curvature; occlusion is white where the surface is hidden"},
		},
	})
	register(Description{
		Kind: stack.IDStep, Label: "ID colour", Role: "source", Special: true,
		Help: "White where the ID map has a colour.",
		Params: []Param{
			{Name: "color", Label: "colour", Kind: "color", Default: []any{1.0, 0.0, 0.0}, Help: "pick it from the ID map"},
			{Name: "tolerance", Label: "tolerance", Kind: "number", Min: 0, Max: 1, Default: 0.02, Help: "how far a component of the colour may be off"},
		},
	})
}
