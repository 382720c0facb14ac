package step

import "velvetgrime/core/stack"

func init() {
	register(Description{
		Kind: stack.Follow, Label: "Follow", Role: "source", Group: readings, Special: true,
		Help: "Reads the mask or a channel of another layer, or a channel of everything that lies below.",
		Params: []Param{
			{Name: "layer", Label: "layer", Kind: "layer", Default: "", Help: "which layer is followed"},
			{Name: "what", Label: "reads", Kind: "output", Default: stack.MaskStream, Help: "its mask, or one of its channels"},
			{Name: "low", Label: "black at", Kind: "number", Min: -20, Max: 20, Default: 0.0, Unit: "mm", Help: "the height that is read as black"},
			{Name: "high", Label: "white at", Kind: "number", Min: -20, Max: 20, Default: 1.0, Unit: "mm", Help: "the height that is read as white"},
		},
	})
	register(Description{
		Kind: stack.Bundle, Label: "Bundle", Role: "source", Group: readings, Special: true, Inner: "made of", Params: []Param{},
		Help: "A stream of its own that counts as one step.",
	})
	one := func(name, label string, lo, hi float64, help string) Param {
		return Param{Name: name, Label: label, Kind: "number", Min: lo, Max: hi, Default: 0.0, Level: often, Help: help}
	}
	turn := func(name, label string) Param {
		return Param{Name: name, Label: label, Kind: "number", Min: -180, Max: 180, Default: 0.0, Unit: "°", Level: fine, Help: "turned on this side alone"}
	}
	register(Description{
		Kind: "picture", Label: "Picture", Role: "source", Group: readings, Special: true, Place: "cast",
		Help: "A picture laid by the UVs, or cast on the model at a size in the world.",
		Params: []Param{
			{Name: "picture", Label: "picture", Kind: "picture", Default: "", Help: "which picture"},
			{Name: "laid", Label: "laid", Kind: "choice", Default: "from three sides", Choices: PictureLayouts, Help: "from three sides needs no UVs and shows no seams; along the surface it follows every bend, led by the axis"},
			{Name: "size", Label: "size", Kind: "number", Min: 0.0001, Max: 100, Default: 0.1, Unit: "mm", Scale: 1000, Log: true, Help: "width of one repeat on the model"},
			{Name: "repeat", Label: "repeats", Kind: "number", Min: 0.01, Max: 200, Default: 1.0, Log: true, Help: "how often over the sheet, by UVs"},
			{Name: "turn", Label: "turn", Kind: "number", Min: -180, Max: 180, Default: 0.0, Unit: "°", Help: "turned in its plane"},
			{Name: "soft", Label: "join", Kind: "number", Min: 0, Max: 1, Default: 0.3, Level: often, Help: "how softly the three sides go over into each other"},
			one("shiftU", "shift across", -10, 10, "moved to the side, in repeats"), one("shiftV", "shift down", -10, 10, "moved down, in repeats"),
			{Name: "tiles", Label: "repeat", Kind: "choice", Default: "again", Choices: []string{"again", "mirrored", "at random", "once"}, Level: often, Help: "as it is, each second one mirrored, broken up so that no repeat shows, or a single one"},
			{Name: "at", Label: "middle", Kind: "point", Default: []any{0.0, 0.0, 0.0}, Level: often, Help: "of the cast: pick it on the model"},
			{Name: "along", Label: "axis", Kind: "direction", Default: []any{0.0, 1.0, 0.0}, Level: often, Help: "what it is cast along, or wound round; along the surface, where its head leads"},
			one("bright", "brightness", -1, 1, "added to every value"), one("contrast", "contrast", -1, 1, "spread around the middle grey"),
			{Name: "gamma", Label: "gamma", Kind: "number", Min: 0.1, Max: 10, Default: 1.0, Log: true, Level: often, Help: "above 1 lightens the middle"},
			{Name: "hue", Label: "hue", Kind: "number", Min: -180, Max: 180, Default: 0.0, Unit: "°", Level: often, Help: "turned round the colour wheel"},
			{Name: "saturation", Label: "saturation", Kind: "number", Min: 0, Max: 3, Default: 1.0, Level: often, Help: "0 is grey"},
			{Name: "pictureX", Label: "picture, sides", Kind: "picture", Default: "", Level: fine, Help: "another for left and right, from three sides"},
			{Name: "pictureY", Label: "picture, top", Kind: "picture", Default: "", Level: fine, Help: "another for above and below, from three sides"},
			turn("turnX", "turn, sides"), turn("turnY", "turn, top"), turn("turnZ", "turn, front"),
			{Name: "seed", Label: "seed", Kind: "seed", Min: 0, Max: 99999, Default: 1, Level: fine, Help: "of a random repeat"},
		},
	})
	register(Description{
		Kind: stack.BakedStep, Label: "Baked map", Role: "source", Group: readings, Special: true,
		Help: "A map that was baked in Prepare: what the surface itself tells.",
		Params: []Param{
			{Name: "map", Label: "map", Kind: "choice", Default: "edges", Choices: []string{"edges", "creases", "curvature", "occlusion", "thickness", "sky exposure", "height"}, Help: "edges and creases are the two sides of curvature; occlusion is white where the surface is hidden"},
			one("balance", "balance", -1, 1, "of curvature: towards edges or towards creases"),
			{Name: "scale", Label: "contrast", Kind: "number", Min: 0, Max: 20, Default: 1.0, Log: true, Level: often, Help: "strength of what is read, about its resting value"},
			one("spread", "spread", -1, 1, "above 0 the marks widen, below they shrink to the strongest places"),
		},
	})
	register(Description{
		Kind: stack.IDStep, Label: "ID colour", Role: "source", Group: picks, Special: true,
		Help: "White where the ID map has a colour.",
		Params: []Param{
			{Name: "color", Label: "colour", Kind: "color", Default: []any{1.0, 0.0, 0.0}, Help: "pick it from the ID map"},
			{Name: "tolerance", Label: "tolerance", Kind: "number", Min: 0, Max: 1, Default: 0.02, Help: "how far a component of the colour may be off"},
		},
	})
	register(Description{
		Kind: PickParts, Label: "Parts", Role: "source", Group: picks, Special: true, Help: "White on the chosen parts.",
		Params: []Param{{Name: "parts", Label: "parts", Kind: "names", Default: []any{}, Help: "which parts"}},
	})
	register(Description{
		Kind: PickIslands, Label: "Islands", Role: "source", Group: picks, Special: true, Help: "White on the chosen UV islands.",
		Params: []Param{{Name: "islands", Label: "islands", Kind: "numbers", Default: []any{}, Help: "their numbers; pick them on the model"}},
	})
	register(Description{
		Kind: PickFaces, Label: "Faces", Role: "source", Group: picks, Special: true, Help: "White on the chosen faces.",
		Params: []Param{{Name: "faces", Label: "faces", Kind: "numbers", Default: []any{}, Help: "runs of triangles: first, count, first, count …; pick them on the model"}},
	})
}

// Kinds of steps that pick places of the model.
const (
	PickParts   = "parts"
	PickIslands = "islands"
	PickFaces   = "faces"
)

// PictureLayouts are the ways in which a picture is laid.
var PictureLayouts = []string{"from three sides", "by UVs", "flat", "round an axis", "as a ball", "as a box", AlongSurface}

// AlongSurface is how a picture is laid that follows the surface, along a direction.
const AlongSurface = "along the surface"
