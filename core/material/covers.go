package material

import "velvetgrime/core/stack"

func init() {
	moss()
	frost()
	sand()
	algae()
	coat{name: "Enamel, blue", tags: []string{"paint", "glossy", "ferry"}, dark: "#14294a", light: "#1d3d6b", rough: [2]float32{0.12, 0.26}, under: "#3f3b38", metal: 0.85, thick: 0.35}.make()
	coat{name: "Enamel, black", tags: []string{"paint", "glossy", "iron"}, dark: "#0d0d0f", light: "#1b1b1e", rough: [2]float32{0.14, 0.3}, under: "#4a4642", metal: 0.9, thick: 0.3}.make()
	coat{name: "Deck paint, grey", tags: []string{"paint", "matt", "deck"}, dark: "#4f5457", light: "#676c6f", rough: [2]float32{0.5, 0.72}, under: "#6d3a29", metal: 0, thick: 0.5}.make()
	coat{name: "Bottom paint, red", tags: []string{"paint", "matt", "hull"}, dark: "#541612", light: "#70211a", rough: [2]float32{0.66, 0.85}, under: "#33302d", metal: 0.7, thick: 0.4}.make()
	wood{name: "Oak, dark", tags: []string{"wood", "frame", "old"}, dark: "#2b1c11", mid: "#49311d", light: "#6a4a2c", grey: 0.2, gloss: 0.55}.make()
}

func moss() {
	k := begin("Moss", "ground", 1, "moss", "cover", "green", "wet")
	ss := k.src("settle", params{"much": 0.65, "grain": 0.03, "breakup": 0.85, "drifts": 0.6, "contrast": 0.6, "seed": 4.0})
	ns := k.of("nook", "screen", 0.8, params{"much": 0.5, "grain": 0.02, "width": 0.012, "contrast": 0.5, "film": 0.1, "seed": 6.0})
	l := k.layer("Moss", 1, coats{
		stack.BaseColor: made(k.src("noise-warped", params{"frequency": 26.0, "octaves": 7.0, "amplitude": 1.5, "seed": 1.0}), k.of("tufts", "overlay", 0.7, params{"size": 0.007, "amount": 0.9, "seed": 2.0}),
			k.ramp(0.05, "#151c0b", 0.45, "#2f3d17", 0.75, "#4e5f25", 1, "#7a8340")),
		stack.Roughness: num(0.98), stack.Metallic: num(0),
		stack.Height: rimmed(relief(0.3, 2.6, k.src("tufts", params{"size": 0.007, "amount": 0.95, "seed": 2.0}), k.of("noise", "overlay", 0.5, params{"frequency": 40.0, "octaves": 5.0, "seed": 3.0})), 0.003, 0),
	}, ss, ns, k.times("noise", params{"frequency": 12.0, "octaves": 7.0, "amplitude": 2.2, "seed": 8.0}), k.shape("levels", params{"low": 0.12, "high": 0.4}))
	k.dial("how much", "from the hollows to all that looks up", 0.6, param(l, ss, "much", 0, 1), param(l, ns, "much", 0.1, 0.9))
	k.dial("how thick", "from a film to cushions", 0.5, stack.Move{Layer: l.ID, Path: "channels.height.amount", From: []float64{0.1}, To: []float64{1}})
	k.dial("green", "from brown and dry to fresh", 1, tint(l, 0.45, 1))
	k.end()
}

func frost() {
	k := begin("Frost", "ground", 0.5, "frost", "cover", "winter")
	ss := k.src("settle", params{"much": 0.7, "grain": 0.01, "breakup": 0.7, "drifts": 0.2, "contrast": 0.2, "seed": 4.0})
	cs := k.times("crystals", params{"size": 0.006, "seed": 5.0})
	l := k.layer("Frost", 0.8, coats{
		stack.BaseColor: made(k.src("crystals", params{"size": 0.004, "seed": 6.0}), k.ramp(0, "#b9c6cf", 1, "#eef4f7")),
		stack.Roughness: varied(0.4, 0.8, k.src("crystals", params{"size": 0.004, "seed": 6.0})), stack.Metallic: num(0), stack.Height: relief(0, 0.25, k.src("crystals", params{"size": 0.004, "seed": 6.0})),
	}, ss, cs)
	k.dial("how much", "from a breath to white", 0.7, param(l, ss, "much", 0, 1))
	k.dial("needles", "how large", 0.3, param(l, cs, "size", 0.002, 0.015))
	k.dial("strength", "how much shows through", 0.8, amount(l, 0.2, 1))
	k.end()
}

func sand() {
	k := begin("Wet sand", "ground", 1, "sand", "cover", "beach")
	ss := k.src("settle", params{"much": 0.7, "grain": 0.04, "breakup": 0.7, "drifts": 0.95, "contrast": 0.6, "seed": 4.0})
	l := k.layer("Sand", 1, coats{
		stack.BaseColor: made(k.src("noise-warped", params{"frequency": 9.0, "octaves": 8.0, "persistence": 0.62, "amplitude": 1.4, "seed": 1.0}), k.of("speckle", "overlay", 0.5, params{"size": 0.0012, "amount": 0.7, "seed": 2.0}), k.ramp(0.1, "#5d5038", 0.5, "#7f7050", 0.9, "#a3946f")),
		stack.Roughness: varied(0.45, 0.95, k.noise(7, 6, 3)), stack.Metallic: num(0),
		stack.Height: rimmed(relief(0.5, 3, k.src("ripples", params{"size": 0.05, "seed": 5.0}), k.of("noise", "overlay", 0.5, params{"frequency": 300.0, "octaves": 4.0, "seed": 6.0})), 0.006, 0),
	}, ss)
	k.dial("how much", "of it lies there", 0.7, param(l, ss, "much", 0, 1))
	k.dial("wet", "from dry to shining", 0.5, stack.Move{Layer: l.ID, Path: "channels.roughness.amount", From: []float64{0.3}, To: []float64{1}})
	k.dial("ripples", "how deep", 0.6, stack.Move{Layer: l.ID, Path: "channels.height.amount", From: []float64{0.1}, To: []float64{1}})
	k.end()
}

func algae() {
	k := begin("Algae at the waterline", "ground", 0.5, "algae", "cover", "green", "hull")
	ts := k.src("tide", params{"height": 0.14, "fade": 0.1, "much": 0.75, "grain": 0.012, "breakup": 0.9, "contrast": 0.4, "seed": 5.0})
	rs := k.of("run", "screen", 0.7, params{"from": "rain", "count": 120.0, "width": 0.008, "length": 0.12, "streaks": 0.8, "much": 0.4, "breakup": 0.7, "contrast": 0.3, "seed": 9.0})
	l := k.layer("Algae", 0.95, coats{
		stack.BaseColor: made(k.src("noise-warped", params{"frequency": 34.0, "octaves": 7.0, "amplitude": 1.5, "seed": 1.0}), k.ramp(0.05, "#10160a", 0.5, "#263213", 0.9, "#46571f")),
		stack.Roughness: varied(0.25, 0.7, k.noise(40, 6, 2)), stack.Metallic: num(0), stack.Height: relief(0, 0.5, k.noise(160, 6, 3)),
	}, ts, rs)
	k.dial("how much", "from a trace to slime", 0.7, param(l, ts, "much", 0, 1))
	k.dial("how high", "it reaches", 0.4, param(l, ts, "height", 0.03, 0.3))
	k.dial("streaks", "that run down", 0.4, param(l, rs, "much", 0, 0.9))
	k.end()
}
