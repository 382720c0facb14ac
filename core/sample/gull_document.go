package sample

import (
	"velvetgrime/core/blend"
	"velvetgrime/core/stack"
)

// GullDocument is the stack of the decoy gull: a carved bird in a stylized paint.
// Clean shapes, gradients as from a wide brush, crisp light on the edges, and a coat
// that sun and the years have taken back to the wood where it stands out.
func GullDocument() *stack.Document {
	stepCount = 0
	d := stack.New([]string{"Painted wood"}, 1024)
	d.Conditions = landing()
	d.Conditions.Age, d.Conditions.Sun, d.Conditions.Wetness = 22, 0.8, 0.45
	d.Conditions.Touch = []stack.Touch{{Name: "Back", Pos: [3]float32{0.0, 0.155, 0}, Radius: 0.05}}
	parts := func(l *stack.Layer, names ...string) *stack.Layer {
		l.Reach = stack.Reach{Parts: names}
		return l
	}
	wings := []string{"Wing, right", "Wing, left", "Tail, right", "Tail, left"}
	brushed := func(frequency float64, seed int) *stack.Step {
		return src("noise", blend.Normal, 1, params{"frequency": frequency, "octaves": 3.0, "stretch": 9.0, "along": []any{1.0, 0.15, 0.0}, "amplitude": 1.6, "seed": float64(seed)})
	}
	d.Layers = []*stack.Layer{
		layer("wood", "Carved wood", 1, nil, coats{
			stack.BaseColor: made(src("woodgrain", blend.Normal, 1, params{"size": 0.0042, "along": []any{1.0, 0.06, 0.04}, "fibres": 0.5, "knots": 0.25}), ramp("smooth", 0.1, "#5a3d24", 0.55, "#8f6a43", 1, "#b89164")),
			stack.Roughness: num(0.78), stack.Metallic: num(0), stack.Height: scaled(-0.15, 0.1, src("woodgrain", blend.Normal, 1, params{"size": 0.0042, "along": []any{1.0, 0.06, 0.04}, "fibres": 0.7}))}),
		layer("chisel", "Chisel marks", 1, nil, coats{stack.Height: scaled(-0.5, 0.4, src("hammered", blend.Normal, 1, params{"size": 0.011, "stretch": 2.2, "along": []any{1.0, 0.2, 0.0}, "soft": 0.25}))}),
		layer("ground", "Ground coat", 1, nil, coats{
			stack.BaseColor: made(src("facing", blend.Normal, 1, params{"axis": "up", "start": -0.9, "end": 0.9}), brushedOver(brushed(60, 4), 0.35), ramp("smooth", 0, "#7d7688", 0.35, "#b9b4b9", 0.7, "#e4e0d8", 1, "#f3efe4")),
			stack.Roughness: varied(0.5, 0.72, brushed(140, 9)), stack.Height: rimmed(mm(0.14), 0.0008, 0.25)},
			src("rub", blend.Normal, 1, params{"much": 0.42, "width": 0.003, "grain": 0.009, "breakup": 0.45, "contrast": 0.96, "strays": 0.25, "variation": 0.5, "fine": 0.25, "seed": 12.0}), shape("invert", nil), hand()),
		parts(layer("mantle", "Mantle and wings", 1, nil, coats{
			stack.BaseColor: made(src("gradient", blend.Normal, 1, params{"axis": "east", "start": 0.0, "end": 0.75}), brushedOver(brushed(70, 6), 0.4), ramp("smooth", 0.05, "#1f2530", 0.3, "#39465a", 0.62, "#5d7186", 1, "#8ea3b0")),
			stack.Roughness: num(0.52), stack.Height: rimmed(mm(0.08), 0.0006, 0.2)},
			src("rub", blend.Normal, 1, params{"much": 0.46, "width": 0.0035, "grain": 0.008, "breakup": 0.45, "contrast": 0.96, "strays": 0.3, "variation": 0.5, "fine": 0.25, "seed": 15.0}), shape("invert", nil)), wings...),
		worn(plumage()),
		parts(layer("bill", "Bill", 1, nil, coats{
			stack.BaseColor: made(src("gradient", blend.Normal, 1, params{"axis": "east", "start": 0.86, "end": 1.0}), ramp("smooth", 0, "#d69a2c", 0.6, "#e0a53a", 0.72, "#c3442a", 0.86, "#c3442a", 0.95, "#3a2a22")), stack.Roughness: num(0.34)}), "Bill, right", "Bill, left"),
		parts(layer("stand", "Stand", 1, nil, coats{
			stack.BaseColor: made(src("woodgrain", blend.Normal, 1, params{"size": 0.005, "along": []any{0.0, 0.1, 1.0}}), ramp("smooth", 0, "#2c2018", 1, "#5b4630")), stack.Roughness: num(0.62)}), "Stand"),
		layer("shade", "Painted shade", 0.75, nil, coats{stack.BaseColor: with(col("#3b3560"), "multiply", 0.85)},
			src("baked", blend.Normal, 1, params{"map": "occlusion", "scale": 1.5, "spread": 0.2}), shape("posterize", params{"count": 4.0}), shape("blur", params{"radius": 0.0012})),
		layer("warm", "Warm light from above", 0.5, nil, coats{stack.BaseColor: with(col("#ffe2ab"), "soft light", 1)},
			src("bleach", blend.Normal, 1, params{"much": 0.6, "breakup": 0.2, "chalk": 0.0, "grain": 0.04, "variation": 0.2})),
		parts(layer("edges", "Edge light", 0.8, nil, coats{stack.BaseColor: with(col("#fff6dd"), "screen", 0.75), stack.Roughness: num(0.42)},
			src("baked", blend.Normal, 1, params{"map": "edges", "scale": 2.2}), shape("threshold", params{"cut": 0.42, "soft": 0.25}), src("noise", "multiply", 0.55, params{"frequency": 28.0, "octaves": 3.0, "amplitude": 1.8, "seed": 4.0})), "Body, right", "Body, left", "Bill, right", "Bill, left", "Stand"),
		layer("dirt", "Harbour dust", 0.5, nil, coats{stack.BaseColor: col("#4a4038"), stack.Roughness: num(0.85)},
			src("nook", blend.Normal, 1, params{"much": 0.5, "grain": 0.012, "breakup": 0.35, "film": 0.05, "contrast": 0.4, "fine": 0.2})),
		parts(layer("eye", "Eye", 1, nil, coats{stack.BaseColor: col("#10100f"), stack.Roughness: num(0.08)}), "Eye, right", "Eye, left"),
	}
	return d
}

// brushedOver lays a brushed noise over what came before.
func brushedOver(s *stack.Step, amount float32) *stack.Step {
	s.Blend, s.Amount = "overlay", amount
	return s
}

// worn lets a painted layer chip with the coat below it.
func worn(l *stack.Layer) *stack.Layer {
	l.Mask = stream(src("rub", blend.Normal, 1, params{"much": 0.44, "width": 0.0032, "grain": 0.008, "breakup": 0.45, "contrast": 0.96, "strays": 0.3, "variation": 0.5, "fine": 0.25, "seed": 15.0}), shape("invert", nil))
	return l
}
