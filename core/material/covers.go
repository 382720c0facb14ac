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
		// cushions of little stars: dark between them, light where each ends
		stack.BaseColor: made(k.src("tufts", params{"size": 0.0045, "amount": 1.0, "fuzz": 1.0, "seed": 2.0}), k.of("fibres", "screen", 0.35, params{"size": 0.0035, "width": 0.0003, "count": 8.0, "amount": 1.0, "spread": 1.0, "bow": 0.8, "seed": 21.0}), k.of("noise", "overlay", 0.6, params{"frequency": 26.0, "octaves": 7.0, "amplitude": 1.6, "seed": 1.0}),
			k.ramp(0.05, "#141b08", 0.3, "#2c3c12", 0.6, "#4e641b", 0.85, "#7a8b2c", 1, "#b0b34f")),
		stack.Roughness: num(0.98), stack.Metallic: num(0),
		stack.Height: rimmed(relief(0.6, 4.5, k.src("tufts", params{"size": 0.0045, "amount": 1.0, "fuzz": 0.8, "seed": 2.0}), k.of("noise-billow", "overlay", 0.8, params{"frequency": 26.0, "octaves": 3.0, "seed": 3.0})), 0.003, 0),
		// it ends tuft by tuft
	}, ss, ns, k.times("noise", params{"frequency": 12.0, "octaves": 7.0, "amplitude": 2.2, "seed": 8.0}), k.of("tufts", "overlay", 0.3, params{"size": 0.0045, "amount": 1.0, "fuzz": 1.0, "seed": 2.0}), k.shape("levels", params{"low": 0.06, "high": 0.2}))
	k.dial("how much", "from the hollows to all that looks up", 0.6, param(l, ss, "much", 0, 1), param(l, ns, "much", 0.1, 0.9))
	k.dial("how thick", "from a film to cushions", 0.5, stack.Move{Layer: l.ID, Path: "channels.height.amount", From: []float64{0.1}, To: []float64{1}})
	k.dial("green", "from brown and dry to fresh", 1, tint(l, 0.45, 1))
	k.end()
}

func frost() {
	k := begin("Frost", "ground", 0.5, "frost", "cover", "winter")
	needles := func() *stack.Step {
		return k.src("crystals", params{"size": 0.0016, "vary": 1.0, "slope": 1.0, "seed": 6.0})
	}
	ss := k.src("settle", params{"much": 0.7, "grain": 0.01, "breakup": 0.7, "drifts": 0.2, "contrast": 0.2, "seed": 4.0})
	// it comes first where cold air passes, on edges, and on what looks up
	es := k.of("rub", "screen", 0.9, params{"much": 0.5, "width": 0.003, "grain": 0.004, "breakup": 0.5, "contrast": 0.3, "strays": 0.0, "touched": 0.0, "variation": 0.5, "seed": 8.0})
	cs := k.times("crystals", params{"size": 0.0028, "seed": 5.0})
	l := k.layer("Frost", 0.8, coats{
		stack.BaseColor: made(needles(), k.ramp(0, "#a9bac6", 0.5, "#d3dfe7", 1, "#f7fbfd")),
		stack.Roughness: varied(0.25, 0.8, needles()), stack.Metallic: num(0), stack.Height: relief(0, 1.1, needles(), k.of("fibres", "screen", 0.5, params{"size": 0.004, "width": 0.00025, "count": 8.0, "amount": 1.0, "spread": 1.0, "bow": 0.0, "seed": 7.0})),
	}, ss, es, cs)
	k.dial("how much", "from a breath to white", 0.7, param(l, ss, "much", 0, 1), param(l, es, "much", 0, 0.72))
	k.dial("needles", "how large", 0.3, param(l, cs, "size", 0.002, 0.015))
	k.dial("strength", "how much shows through", 0.8, amount(l, 0.2, 1))
	k.end()
}

func sand() {
	k := begin("Wet sand", "ground", 1, "sand", "cover", "beach")
	ss := k.src("settle", params{"much": 0.7, "grain": 0.04, "breakup": 0.7, "drifts": 0.95, "contrast": 0.6, "seed": 4.0})
	l := k.layer("Sand", 1, coats{
		stack.BaseColor: made(k.src("noise", params{"frequency": 9.0, "octaves": 9.0, "persistence": 0.6, "amplitude": 1.4, "seed": 1.0}), k.grit(1500, 0.6, 21), k.of("speckle", "overlay", 0.5, params{"size": 0.0012, "amount": 0.7, "seed": 2.0}), k.ramp(0.1, "#5d5038", 0.5, "#7f7050", 0.9, "#a3946f")),
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
	weed := func() []*stack.Step {
		return []*stack.Step{k.src("noise", params{"frequency": 260.0, "octaves": 6.0, "persistence": 0.6, "stretch": 9.0, "along": []any{0.08, 1.0, 0.05}, "amplitude": 1.5, "seed": 11.0}),
			k.of("fibres", "screen", 0.4, params{"size": 0.02, "width": 0.0005, "count": 8.0, "amount": 1.0, "towards": []any{0.0, -1.0, 0.0}, "spread": 0.14, "bow": 0.5, "seed": 12.0})}
	}
	ts := k.src("tide", params{"height": 0.14, "fade": 0.1, "much": 0.75, "grain": 0.012, "breakup": 0.9, "contrast": 0.4, "seed": 5.0})
	rs := k.of("run", "screen", 0.7, params{"from": "rain", "count": 120.0, "width": 0.008, "length": 0.12, "streaks": 0.8, "much": 0.4, "breakup": 0.7, "contrast": 0.3, "seed": 9.0})
	l := k.layer("Algae", 0.95, coats{
		// threads that hang down, wet, over a film
		stack.BaseColor: made(append(weed(), k.of("noise", "overlay", 0.5, params{"frequency": 20.0, "octaves": 6.0, "amplitude": 1.6, "seed": 1.0}), k.ramp(0.05, "#0d1207", 0.45, "#222d10", 0.8, "#3c4c1a", 1, "#66742e"))...),
		stack.Roughness: varied(0.2, 0.65, weed()...), stack.Metallic: num(0), stack.Height: relief(0, 1.1, weed()...),
	}, ts, rs)
	k.dial("how much", "from a trace to slime", 0.7, param(l, ts, "much", 0, 1))
	k.dial("how high", "it reaches", 0.4, param(l, ts, "height", 0.03, 0.3))
	k.dial("streaks", "that run down", 0.4, param(l, rs, "much", 0, 0.9))
	k.end()
}
