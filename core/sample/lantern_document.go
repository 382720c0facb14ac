package sample

import (
	"velvetgrime/core/blend"
	"velvetgrime/core/stack"
)

// LanternDocument is the stack of the signal lantern: thirty years on the landing
// stage. Everything but the chalk tally is made by streams and agents.
func LanternDocument() *stack.Document {
	stepCount = 0
	iron, enamel, brass := "Cast iron", "Enamel", "Brass"
	d := stack.New([]string{iron, enamel, brass, "Glass", "Rope"}, 1024)
	d.Conditions = landing()
	d.Conditions.Touch = []stack.Touch{
		{Name: "Latch", Pos: [3]float32{0.048, 0.1825, 0.079}, Radius: 0.028},
		{Name: "Wick wheel", Pos: [3]float32{0.082, 0.080, 0.044}, Radius: 0.030},
		{Name: "Grip", Pos: [3]float32{0, 0.461, 0}, Radius: 0.075},
		{Name: "Door edge", Pos: [3]float32{0.036, 0.21, 0.077}, Radius: 0.022},
		{Name: "Roof", Pos: [3]float32{0.035, 0.262, 0.062}, Radius: 0.032},
	}
	// one agent takes all coats off; deeper coats have smaller holes
	worn := func(much float64) *stack.Step {
		return src("rub", blend.Normal, 1, params{"much": much, "width": 0.0016, "grain": 0.0042, "breakup": 0.75, "contrast": 0.93, "strays": 0.55, "variation": 0.6, "touched": 0.55, "seed": 21.0, "fine": 0.7, "low": 0.35})
	}
	// and what rain and sun get at flakes off in patches that grow
	flaked := func(much float64) *stack.Step {
		return src("creep", "lighten", 1, params{"from": "at random", "seeds": 0.35, "rate": 0.014, "much": much, "wet": 0.95, "uneven": 0.8, "grain": 0.0035, "breakup": 0.9, "contrast": 0.93, "variation": 0.9, "seed": 33.0})
	}
	left := func(much float64) []*stack.Step {
		return stream(worn(much), flaked(much*0.8), shape("invert", nil))
	}

	metal := bundle("metal", "Bare iron",
		layer("bare-iron", "Bare iron", 1, []string{enamel}, coats{
			stack.BaseColor: made(src("noise", blend.Normal, 1, params{"frequency": 60.0, "octaves": 6.0, "amplitude": 1.4}), ramp("smooth", 0.2, "#37322e", 0.8, "#58524c")),
			stack.Roughness: varied(0.38, 0.68, src("noise", blend.Normal, 1, params{"frequency": 130.0, "octaves": 6.0, "amplitude": 1.4, "seed": 6.0})),
			stack.Metallic:  num(0.85)}))

	fittings := bundle("fittings", "Brass fittings",
		layer("brass", "Brass", 1, []string{brass}, coats{
			stack.BaseColor: made(src("noise", blend.Normal, 1, params{"frequency": 45.0, "octaves": 5.0, "amplitude": 1.2, "seed": 2.0}), ramp("smooth", 0.15, "#8e6b35", 0.55, "#b08846", 0.95, "#c9a45c")),
			stack.Roughness: varied(0.28, 0.46, src("noise", blend.Normal, 1, noiseP("clouds", 260, 6, 31))), stack.Metallic: num(1)}),
		layer("tarnish", "Tarnish", 0.92, []string{brass}, coats{
			stack.BaseColor: made(src("noise", blend.Normal, 1, params{"frequency": 80.0, "octaves": 6.0, "amplitude": 1.5, "seed": 5.0}), ramp("smooth", 0.1, "#2c2116", 0.5, "#4b3a21", 0.9, "#6e5730")),
			stack.Roughness: num(0.58), stack.Metallic: num(0.75)},
			src("even", blend.Normal, 1, params{"value": 0.9}),
			src("touch", "subtract", 0.9, params{"much": 0.9, "reach": 1.3, "fingers": 0.3, "elsewhere": 0.1, "seed": 3.0}),
			src("rub", "subtract", 0.6, params{"much": 0.5, "width": 0.0016, "contrast": 0.3, "breakup": 0.5, "strays": 0.1, "grain": 0.003}),
			src("noise", "multiply", 0.75, params{"frequency": 55.0, "octaves": 7.0, "persistence": 0.6, "amplitude": 2.0, "seed": 12.0})),
		layer("verdigris", "Verdigris", 0.85, []string{brass}, coats{
			stack.BaseColor: made(src("noise", blend.Normal, 1, params{"frequency": 210.0, "octaves": 5.0, "amplitude": 1.5, "seed": 7.0}), ramp("smooth", 0.1, "#2f5a4e", 0.5, "#548b78", 0.95, "#8db8a2")),
			stack.Roughness: num(0.88), stack.Metallic: num(0), stack.Height: scaled(0, 0.10, src("noise", blend.Normal, 1, noiseP("clouds", 700, 5, 3)))},
			src("nook", blend.Normal, 1, params{"much": 0.62, "grain": 0.004, "breakup": 0.8, "film": 0.0, "contrast": 0.55, "seed": 5.0}),
			src("creep", "lighten", 0.85, params{"from": "joints", "rate": 0.0035, "much": 0.55, "grain": 0.0025, "breakup": 0.8, "contrast": 0.35, "seeds": 0.25, "seed": 9.0}),
			src("touch", "subtract", 1, params{"much": 1.0, "reach": 1.2, "fingers": 0.0})))

	rope := bundle("rope-coats", "Rope",
		layer("rope", "Tarred rope", 1, []string{"Rope"}, coats{
			stack.BaseColor: made(src("noise", blend.Normal, 1, params{"frequency": 150.0, "octaves": 5.0, "amplitude": 1.5, "seed": 4.0}), ramp("smooth", 0.1, "#3a2a1b", 0.6, "#65503a", 1, "#8a7658")),
			stack.Roughness: num(0.84), stack.Metallic: num(0), stack.Height: scaled(-0.1, 0.15, src("noise-ridged", blend.Normal, 1, params{"frequency": 1300.0, "octaves": 3.0}))}),
		layer("fibres", "Tar", 1, []string{"Rope"}, coats{stack.BaseColor: col("#17110d"), stack.Roughness: varied(0.3, 0.6, src("noise", blend.Normal, 1, noiseP("clouds", 500, 4, 8)))},
			src("nook", blend.Normal, 1, params{"much": 0.75, "grain": 0.004, "contrast": 0.4, "film": 0.35, "hollows": 0.75}), src("noise", "overlay", 0.6, noiseP("clouds", 90, 5, 5))),
		layer("rope-grease", "Hand grease", 0.6, []string{"Rope"}, coats{stack.Roughness: num(0.36), stack.BaseColor: with(col("#2a1f14"), "multiply", 0.6)},
			src("touch", blend.Normal, 1, params{"much": 0.8, "reach": 1.1, "fingers": 0.3})))

	enamels := bundle("enamel-coats", "Enamel",
		layer("primer", "Primer", 1, []string{enamel}, coats{
			stack.BaseColor: made(src("noise", blend.Normal, 1, params{"frequency": 70.0, "octaves": 6.0, "seed": 3.0}), ramp("smooth", 0.2, "#6f675a", 0.8, "#938a79")),
			stack.Roughness: num(0.74), stack.Metallic: num(0), stack.Height: mm(0.05)}, left(0.5)...),
		layer("enamel", "Enamel, red", 1, []string{enamel}, coats{
			stack.BaseColor: made(src("noise", blend.Normal, 1, params{"frequency": 14.0, "octaves": 6.0, "persistence": 0.55, "amplitude": 1.2, "seed": 18.0}), ramp("smooth", 0.15, "#521310", 0.5, "#701a15", 0.9, "#84271d")),
			stack.Roughness: varied(0.2, 0.42, src("noise", blend.Normal, 1, params{"frequency": 38.0, "octaves": 7.0, "amplitude": 1.5, "seed": 19.0}), src("smears", "screen", 0.5, params{"size": 0.06, "spread": 1.0, "amount": 0.7})),
			stack.Metallic:  num(0), stack.Height: rimmed(mm(0.16), 0.0007, 0.35)}, append(left(0.62), hand())...),
		layer("crazing", "Crazing", 0.5, []string{enamel}, coats{stack.BaseColor: with(col("#2a0d0a"), "multiply", 0.7), stack.Height: mm(-0.05), stack.Roughness: num(0.6)},
			src("cracks", blend.Normal, 1, params{"size": 0.011, "width": 0.02, "broken": 0.55, "finer": 0.5, "seed": 3.0}), src("follow", "multiply", 1, params{"layer": "enamel", "what": "mask"}), src("noise", "multiply", 1, params{"frequency": 16.0, "octaves": 5.0, "amplitude": 2.4, "seed": 41.0})),
		layer("fading", "Faded enamel", 0.7, []string{enamel}, coats{stack.BaseColor: with(col("#a5674f"), blend.Normal, 0.4), stack.Roughness: num(0.6)},
			src("bleach", blend.Normal, 1, params{"much": 0.66, "grain": 0.02, "chalk": 0.85, "breakup": 0.75, "variation": 0.7}),
			// rain washes the chalk off again where it runs
			src("run", "subtract", 0.65, params{"from": "rain", "count": 420.0, "width": 0.0045, "length": 0.1, "streaks": 0.85, "contrast": 0.3, "seed": 44.0}),
			src("noise", "multiply", 0.5, params{"frequency": 22.0, "octaves": 5.0, "amplitude": 2.0, "seed": 45.0}), src("follow", "multiply", 1, params{"layer": "enamel", "what": "mask"})),
		layer("scours", "Scours", 0.8, []string{enamel}, coats{stack.BaseColor: col("#c09a86"), stack.Roughness: num(0.68), stack.Height: mm(-0.06)},
			src("scour", blend.Normal, 1, params{"much": 0.62, "size": 0.032, "width": 0.00045, "towards": []any{0.4, 1.0, 0.2}, "spread": 0.35, "standing": 0.4}), src("follow", "multiply", 1, params{"layer": "enamel", "what": "mask"})))

	glass := bundle("glass-coats", "Panes",
		layer("glass", "Glass", 1, []string{"Glass"}, coats{stack.BaseColor: col("#aebfb8"), stack.Roughness: num(0.07), stack.Metallic: num(0), stack.Opacity: num(0.22)}),
		layer("glass-dirt", "Salt and soot on glass", 0.9, []string{"Glass"}, coats{stack.BaseColor: col("#8d8778"), stack.Roughness: num(0.8), stack.Opacity: num(0.85)},
			src("nook", blend.Normal, 1, params{"much": 0.5, "grain": 0.006, "hollows": 0.9, "film": 0.4, "contrast": 0.15}),
			src("run", "screen", 0.6, params{"count": 160.0, "width": 0.002, "length": 0.05, "streaks": 0.8, "from": "rain"}),
			src("noise", "multiply", 0.6, params{"frequency": 60.0, "octaves": 6.0, "amplitude": 2.0, "seed": 3.0})))

	rusty := func(much, rate float64, seed int, p params) *stack.Step {
		q := params{"much": much, "rate": rate, "grain": 0.0022, "breakup": 0.75, "contrast": 0.45, "uneven": 0.7, "wet": 0.7, "seeds": 0.5, "seed": float64(seed), "fine": 0.75}
		for k, v := range p {
			q[k] = v
		}
		return src("creep", blend.Normal, 1, q)
	}
	weather := bundle("weather", "Weather",
		layer("rust", "Rust", 1, []string{enamel}, coats{
			stack.BaseColor: made(rustColours(170)...), stack.Roughness: num(0.88), stack.Metallic: num(0), stack.Height: scaled(-0.04, 0.16, rustHeight(520)...)},
			rusty(0.55, 0.0028, 13, params{"from": "what it follows", "layer": "primer", "what": "mask", "below": true, "seeds": 0.6})),
		layer("rust-stain", "Rust stain", 0.5, []string{enamel}, coats{stack.BaseColor: with(col("#5a2d17"), "multiply", 0.8), stack.Roughness: num(0.6)},
			rusty(0.6, 0.006, 13, params{"from": "what it follows", "layer": "primer", "what": "mask", "below": true, "seeds": 0.6, "contrast": 0.0, "breakup": 0.5})),
		layer("runs", "Rust runs", 0.8, []string{enamel, iron, brass}, coats{stack.BaseColor: with(made(src("noise", blend.Normal, 1, noiseP("clouds", 200, 5, 6)), ramp("smooth", 0.2, "#3c1f10", 0.8, "#7a4a26")), blend.Normal, 0.85), stack.Roughness: num(0.66), stack.Metallic: with(num(0), blend.Normal, 0.8)},
			src("run", blend.Normal, 1, params{"from": "what it follows", "layer": "rust", "what": "mask", "count": 420.0, "width": 0.0016, "length": 0.030, "streaks": 0.7, "meander": 0.3, "breakup": 0.55, "contrast": 0.45, "much": 0.62, "seed": 4.0})),
		layer("rain-dirt", "Rain streaks", 0.5, []string{enamel, brass}, coats{stack.BaseColor: with(col("#1d1813"), blend.Normal, 0.8), stack.Roughness: num(0.72)},
			src("run", blend.Normal, 1, params{"from": "lower edges", "count": 520.0, "width": 0.0022, "length": 0.035, "streaks": 0.85, "meander": 0.25, "contrast": 0.2, "much": 0.55, "seed": 14.0})),
		layer("grime", "Grime", 0.85, []string{enamel, brass, iron}, coats{stack.BaseColor: col("#17120d"), stack.Roughness: num(0.82), stack.Metallic: num(0)},
			src("nook", blend.Normal, 1, params{"much": 0.6, "grain": 0.005, "width": 0.002, "breakup": 0.6, "contrast": 0.3, "film": 0.22, "seed": 7.0})),
		layer("soot", "Soot", 0.85, []string{enamel, brass}, coats{stack.BaseColor: with(col("#14110f"), blend.Normal, 0.9), stack.Roughness: num(0.86), stack.Metallic: num(0)},
			src("gradient", blend.Normal, 1, params{"axis": "up", "start": 0.6, "end": 0.8}), src("facing", "multiply", 0.5, params{"axis": "down", "start": -0.6, "end": 0.8}), src("noise-warped", "multiply", 1, params{"frequency": 34.0, "octaves": 6.0, "amplitude": 1.6, "seed": 14.0}), shape("levels", params{"low": 0.14, "high": 0.6, "outHigh": 0.9})),
		layer("salt", "Salt line", 0.75, []string{iron, enamel}, coats{stack.BaseColor: made(src("crystals", blend.Normal, 1, params{"size": 0.0009}), ramp("straight", 0, "#a39d8d", 1, "#d6d0c0")), stack.Roughness: num(0.92), stack.Metallic: num(0), stack.Height: scaled(0, 0.07, src("crystals", blend.Normal, 1, params{"size": 0.0009}))},
			src("tide", blend.Normal, 1, params{"lies": "in lines", "height": 0.085, "fade": 0.01, "lines": 4.0, "breakup": 0.8, "grain": 0.004, "much": 0.7, "seed": 6.0}), src("noise", "multiply", 1, params{"frequency": 260.0, "octaves": 6.0, "amplitude": 2.2, "seed": 2.0}), shape("levels", params{"low": 0.1, "high": 0.5})),
		layer("dust", "Settled dust", 0.6, nil, coats{stack.BaseColor: col("#8f8674"), stack.Roughness: num(0.94), stack.Metallic: with(num(0), blend.Normal, 0.9)},
			src("settle", blend.Normal, 1, params{"much": 0.42, "grain": 0.006, "breakup": 0.75, "drifts": 0.7, "seed": 19.0}), hand()),
		layer("edge-shine", "Edges polished by hands", 0.7, []string{brass, iron}, coats{stack.Roughness: num(0.22), stack.BaseColor: with(col("#d9b876"), "screen", 0.2)},
			src("touch", blend.Normal, 1, params{"much": 0.7, "proud": 0.9, "fingers": 0.15}), src("baked", "multiply", 1, params{"map": "edges", "scale": 3.0, "spread": 0.6})))
	d.Layers = []*stack.Layer{metal}
	d = dressing{"cast-iron", "Cast iron", 14, []string{iron}, nil, map[string]float64{"rust": 0.55, "how worn": 0.3}}.on(d, Lantern())
	d.Layers = append(d.Layers, fittings, rope, glass, enamels, makersName(), weather, tally())
	return d
}

// landing are the conditions of Low Wick landing.
func landing() *stack.Conditions {
	c := stack.Usual()
	c.Wetness, c.Salt, c.Sun, c.Age = 0.62, 0.7, 0.55, 30
	return c
}

// makersName is stamped into the plate on the drum and filled with black; what is worn and
// tarnished above lies over it.
func makersName() *stack.Layer {
	words := &stack.Layer{ID: "makers-name", Name: "Maker's name", Kind: stack.Decals, Visible: true, Amount: 1, Reach: stack.Reach{Parts: []string{"Number plate"}},
		Channels: coats{stack.BaseColor: with(col("#140e08"), blend.Normal, 1), stack.Roughness: num(0.7), stack.Metallic: num(0), stack.Height: mm(-0.35)},
		Mask:     stream(src("noise", blend.Normal, 1, params{"frequency": 140.0, "octaves": 6.0, "amplitude": 1.4, "seed": 52.0}), shape("levels", params{"low": 0.04, "high": 0.22}))}
	const y, front = 0.080, 0.0815 // the plate's middle
	for i, line := range []string{"D. WICK", "LAMPWRIGHT"} {
		words.Decals = append(words.Decals, &stack.Decal{ID: "makers-" + string(rune('a'+i)), Name: line, Text: line, Font: "bold", Color: [3]float32{0.08, 0.05, 0.03}, Apart: [2]float32{0.12, 0.1}[i],
			Pos: [3]float32{0, [2]float32{y + 0.0047, y - 0.0052}[i], front}, Nrm: [3]float32{0, 0, 1}, Up: [3]float32{0, 1, 0}, Wide: [2]float32{0.032, 0.038}[i], Depth: 0.008, Facing: 80, Amount: 1})
	}
	return words
}
