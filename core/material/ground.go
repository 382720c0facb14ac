package material

import "velvetgrime/core/stack"

func init() {
	granite()
	slate()
	brick()
	concrete()
	snow()
	mud()
	clean{name: "Clean enamel, blue", dark: "#1d3f6e", light: "#2f64a8", edge: "#7fb0e6"}.make()
	clean{name: "Clean stone", dark: "#6d685f", light: "#8d877c", edge: "#cfc8b8", rough: 0.9, chips: true}.make()
	clean{name: "Clean wood", dark: "#7a4a26", light: "#a66c38", edge: "#dca768", rough: 0.8, grain: true}.make()
	clean{name: "Clean gold", dark: "#a8731c", light: "#d79a2b", edge: "#ffe08a", rough: 0.25, metal: 1}.make()
}

func granite() {
	k := begin("Granite setts", "stone", 2, "stone", "quay", "paved")
	speck := func() []*stack.Step {
		return []*stack.Step{k.src("crystals", params{"size": 0.0028, "vary": 1.0, "slope": 0.15, "seed": 1.0}), k.of("crystals", "overlay", 0.6, params{"size": 0.0014, "vary": 1.0, "slope": 0.1, "seed": 11.0}), k.of("speckle", "multiply", 0.7, params{"size": 0.0022, "amount": 0.35, "ragged": 0.9, "seed": 2.0}), k.of("noise", "overlay", 0.4, params{"frequency": 5.0, "octaves": 5.0, "seed": 3.0})}
	}
	setts := func() *stack.Step { return k.src("cobbles", params{"size": 0.14, "seed": 5.0}) }
	k.layer("Granite", 1, coats{
		stack.BaseColor: made(append(speck(), k.ramp(0, "#2a2927", 0.2, "#5a5753", 0.6, "#7d7872", 0.85, "#968f86", 1, "#b3a89c"))...),
		stack.Roughness: varied(0.6, 0.85, k.noise(80, 5, 4)), stack.Metallic: num(0),
		stack.Height: relief(-9, 3, setts(), k.of("noise", "overlay", 0.35, params{"frequency": 60.0, "octaves": 5.0, "seed": 6.0})),
	})
	js := []*stack.Step{setts(), k.shape("invert", nil), k.shape("levels", params{"low": 0.7, "high": 0.88})}
	jl := k.layer("Joints", 1, coats{stack.BaseColor: made(k.noise(90, 6, 7), k.ramp(0.1, "#231f18", 0.9, "#4a4234")), stack.Roughness: num(0.97)}, js...)
	ml := k.layer("Moss in the joints", 0.9, coats{stack.BaseColor: made(k.noise(140, 6, 9), k.ramp(0.1, "#1c2410", 0.6, "#38451c", 1, "#59652d")), stack.Roughness: num(1), stack.Height: relief(0, 3, k.src("tufts", params{"size": 0.012, "amount": 0.9, "seed": 4.0}))},
		setts(), k.shape("invert", nil), k.shape("levels", params{"low": 0.62, "high": 0.85}), k.of("noise", "multiply", 1, params{"frequency": 4.0, "octaves": 7.0, "amplitude": 2.0, "seed": 8.0}),
		k.times("settle", params{"much": 1.0, "grain": 0.05, "breakup": 0.5, "seed": 12.0})) // it comes with the years
	ls := k.src("bleach", params{"much": 0.6, "grain": 0.05, "breakup": 0.8, "sky": 0.8, "seed": 13.0})
	ll := k.layer("Lichen", 0.85, coats{stack.BaseColor: made(k.noise(120, 6, 14), k.ramp(0.1, "#83836f", 0.6, "#a7a68c", 1, "#c6c3a8")), stack.Roughness: num(1), stack.Height: relief(0, 0.4, k.noise(240, 5, 15))}, ls,
		k.times("blooms", params{"size": 0.03, "amount": 0.75, "rings": 0.15, "ragged": 0.9, "seed": 16.0}), k.shape("levels", params{"low": 0.06, "high": 0.22}))
	k.dial("lichen", "in round spots", 0.6, param(ll, ls, "much", 0, 1))
	k.dial("joints", "how much earth lies in them", 0.8, amount(jl, 0, 1))
	k.dial("moss", "in the joints", 0.6, amount(ml, 0, 1))
	k.dirty("#1d1b17", "#8b8577", 0.35)
	k.end()
}

func slate() {
	k := begin("Slate", "stone", 1, "stone", "roof", "split")
	split := func() []*stack.Step {
		// it splits in leaves: flat, drawn out along the bed, with steps where a leaf broke off
		return []*stack.Step{k.src("crystals", params{"size": 0.045, "vary": 0.3, "slope": 0.12, "stretch": 3.5, "along": []any{0.25, 1.0, 0.1}, "seed": 1.0}),
			k.of("noise", "overlay", 0.55, params{"frequency": 22.0, "octaves": 8.0, "persistence": 0.58, "stretch": 4.0, "along": []any{0.25, 1.0, 0.1}, "seed": 2.0}),
			k.of("noise-ridged", "overlay", 0.3, params{"frequency": 130.0, "octaves": 5.0, "stretch": 6.0, "along": []any{0.25, 1.0, 0.1}, "seed": 21.0})}
	}
	base := k.layer("Slate", 1, coats{
		stack.BaseColor: made(append(split(), k.grit(700, 0.45, 31), k.ramp(0.05, "#1e2226", 0.5, "#353b41", 0.85, "#4c5258", 1, "#6d7275"))...),
		stack.Roughness: varied(0.42, 0.72, append(split(), k.grit(700, 0.45, 31))...), stack.Metallic: num(0), stack.Height: relief(-0.9, 0.9, split()...),
	})
	k.faded("#6d6c66", 0.5, 0.5, 0.06, 9)
	// leaves come off at the edges and leave steps; what lies bare is paler
	fs := k.worn(0.45, 0.006, 0.016, 14)
	fl := k.layer("Leaves off", 1, coats{
		stack.BaseColor: made(append(split(), k.grit(700, 0.45, 31), k.ramp(0.05, "#32373b", 0.5, "#4b5156", 0.85, "#63696c", 1, "#7f8283"))...), stack.Roughness: num(0.82),
		stack.Height: rimmed(relief(-1.4, -0.8, split()...), 0.0012, 0),
	}, fs)
	ls := k.times("bleach", params{"much": 0.7, "grain": 0.02, "breakup": 0.8, "sky": 0.7, "seed": 5.0})
	ll := k.layer("Lichen", 0.9, coats{stack.BaseColor: made(k.noise(160, 6, 6), k.ramp(0.1, "#6d6f4a", 0.6, "#99986c", 1, "#bab790")), stack.Roughness: num(1), stack.Height: rimmed(relief(0.1, 0.5, k.noise(240, 5, 7)), 0.0008, 0.3)},
		// small ones, and few that are old
		k.src("blooms", params{"size": 0.022, "amount": 0.5, "rings": 0.2, "ragged": 0.9, "seed": 8.0}),
		k.of("blooms", "screen", 1, params{"size": 0.075, "amount": 0.45, "rings": 0.35, "ragged": 0.9, "seed": 18.0}),
		ls, k.shape("levels", params{"low": 0.08, "high": 0.24}))
	k.dial("split", "how rough it broke", 0.5, stack.Move{Layer: base.ID, Path: "channels.height.amount", From: []float64{0}, To: []float64{1}})
	k.dial("leaves off", "at the edges", 0.45, param(fl, fs, "much", 0, 1))
	k.dial("lichen", "in round spots", 0.7, param(ll, ls, "much", 0, 1))
	k.dirty("#14130f", "#8c877b", 0.3)
	k.end()
}

func brick() {
	k := begin("Brick, sooted", "stone", 2, "brick", "wall", "chimney")
	bricks := func() *stack.Step { return k.src("bricks", params{"size": 0.075, "seed": 1.0}) }
	k.layer("Brick", 1, coats{
		stack.BaseColor: made(k.src("noise", params{"frequency": 7.0, "octaves": 9.0, "persistence": 0.6, "amplitude": 1.5, "seed": 2.0}), k.of("bricks", "overlay", 0.35, params{"size": 0.075, "vary": 1.0, "seed": 1.0}), k.grit(420, 0.6, 22), k.ramp(0.05, "#43200f", 0.45, "#73371e", 0.8, "#945133", 1, "#ad7350")),
		stack.Roughness: num(0.94), stack.Metallic: num(0), stack.Height: relief(-5, 1, bricks(), k.of("noise", "overlay", 0.2, params{"frequency": 70.0, "octaves": 8.0, "persistence": 0.6, "seed": 3.0}), k.grit(420, 0.3, 22)),
	})
	// frost takes the fired skin off: softer, redder brick behind it, crumbling
	bs := k.src("rub", params{"much": 0.5, "width": 0.012, "grain": 0.02, "breakup": 0.8, "contrast": 0.8, "strays": 0.85, "variation": 0.8, "touched": 0.3, "low": 0.5, "fine": 0.7, "seed": 11.0})
	bl := k.layer("Skin off", 1, coats{
		stack.BaseColor: made(k.src("noise", params{"frequency": 60.0, "octaves": 8.0, "persistence": 0.66, "amplitude": 1.5, "seed": 12.0}), k.grit(420, 0.6, 23), k.ramp(0.05, "#5c2c17", 0.5, "#8c4726", 0.9, "#b0683e")),
		stack.Roughness: num(0.99), stack.Height: rimmed(relief(-2.6, -1.2, k.noise(110, 7, 13)), 0.0018, 0),
	}, bs)
	k.faded("#a5877a", 0.55, 0.5, 0.05, 9)
	jl := k.layer("Mortar", 1, coats{stack.BaseColor: made(k.noise(70, 8, 4), k.of("terrazzo", "overlay", 0.45, params{"size": 0.0022, "seed": 26.0}), k.ramp(0.1, "#625a49", 0.6, "#8a816c", 1, "#aaa18b")), stack.Roughness: num(0.98),
		stack.Height: relief(-0.5, 0.4, k.noise(300, 6, 27))}, bricks(), k.shape("threshold", params{"cut": 0.12, "soft": 0.08}), k.shape("invert", nil))
	ss := k.src("nook", params{"much": 0.6, "grain": 0.05, "width": 0.03, "contrast": 0.2, "film": 0.6, "seed": 7.0})
	sl := k.layer("Soot", 0.8, coats{stack.BaseColor: with(col("#12100f"), "multiply", 0.85)}, ss)
	// salts that the wet brings out, and the rain washes down
	es := k.src("run", params{"from": "rain", "count": 220.0, "width": 0.018, "length": 0.3, "streaks": 0.5, "much": 0.55, "breakup": 0.8, "contrast": 0.2, "seed": 14.0})
	el := k.layer("Salts", 0.45, coats{stack.BaseColor: with(col("#c9bfae"), "screen", 0.6), stack.Roughness: num(1)}, es, k.times("noise", params{"frequency": 26.0, "octaves": 7.0, "amplitude": 2.0, "seed": 15.0}))
	k.dial("mortar", "how clean it is pointed", 1, amount(jl, 0.2, 1))
	k.dial("skin off", "where frost got into it", 0.5, param(bl, bs, "much", 0, 1))
	k.dial("salts", "pale, down from the joints", 0.45, amount(el, 0, 1))
	k.dial("soot", "from smoke", 0.6, amount(sl, 0.2, 1), param(sl, ss, "much", 0, 1))
	k.dirty("#1b1612", "#8f8674", 0.25)
	k.end()
}

func concrete() {
	k := begin("Concrete", "stone", 2, "concrete", "quay", "cast")
	k.layer("Concrete", 1, coats{
		stack.BaseColor: made(k.src("noise", params{"frequency": 3.0, "octaves": 10.0, "persistence": 0.6, "amplitude": 1.4, "seed": 1.0}), k.grit(500, 0.55, 2), k.ramp(0.05, "#5b574e", 0.5, "#827d72", 0.9, "#a6a195")),
		stack.Roughness: varied(0.78, 0.97, k.noise(30, 8, 3)), stack.Metallic: num(0),
		stack.Height: relief(-0.6, 0.1, k.noise(60, 9, 4), k.grit(500, 0.4, 2), k.of("pits", "subtract", 0.9, params{"size": 0.014, "amount": 0.5, "seed": 5.0})),
	})
	ws := k.worn(0.4, 0.012, 0.02, 6)
	wl := k.layer("Broken edges", 1, coats{stack.BaseColor: made(k.src("terrazzo", params{"size": 0.012, "seed": 7.0}), k.ramp(0, "#5c574d", 0.5, "#8d877a", 1, "#b3aca0")), stack.Height: relief(-2.5, -0.8, k.noise(120, 6, 8)), stack.Roughness: num(0.97)}, ws)
	rs := k.src("run", params{"from": "rain", "count": 160.0, "width": 0.02, "length": 0.5, "streaks": 0.8, "much": 0.5, "breakup": 0.6, "contrast": 0.2, "seed": 9.0})
	rl := k.layer("Streaks", 0.6, coats{stack.BaseColor: with(col("#3f3b33"), "multiply", 0.8)}, rs)
	k.dial("broken", "edges with the stones showing", 0.4, param(wl, ws, "much", 0, 1))
	k.dial("streaks", "dark where water runs", 0.5, param(rl, rs, "much", 0, 1))
	k.dirty("#1f1c16", "#938c7d", 0.35)
	k.end()
}

func snow() {
	k := begin("Snow", "ground", 1, "snow", "cover", "winter")
	ss := k.src("settle", params{"much": 0.75, "grain": 0.03, "breakup": 0.6, "drifts": 0.9, "contrast": 0.8, "seed": 4.0})
	sl := k.layer("Snow", 1, coats{
		stack.BaseColor: made(k.noise(8, 6, 1), k.ramp(0.1, "#cdd6de", 0.9, "#eef2f5")), stack.Roughness: varied(0.55, 0.85, k.noise(400, 4, 2)), stack.Metallic: num(0),
		stack.Height: rimmed(relief(2, 8, k.noise(12, 5, 3), k.of("noise", "overlay", 0.25, params{"frequency": 90.0, "octaves": 5.0, "seed": 5.0})), 0.012, 0),
	}, ss)
	k.dial("how deep", "from a dusting to covered", 0.75, param(sl, ss, "much", 0, 1), stack.Move{Layer: sl.ID, Path: "channels.height.amount", From: []float64{0.1}, To: []float64{1}})
	k.dial("drifted", "where the wind has left it", 0.9, param(sl, ss, "drifts", 0, 1))
	k.dial("edges", "from thawed to sharp", 0.8, param(sl, ss, "contrast", 0.1, 1))
	k.end()
}

func mud() {
	k := begin("Mud, splashed", "ground", 1, "mud", "cover", "wet")
	ts := k.src("tide", params{"height": 0.12, "fade": 0.12, "much": 0.6, "grain": 0.02, "breakup": 0.9, "contrast": 0.55, "seed": 5.0})
	ps := k.of("splatter", "screen", 0.9, params{"size": 0.08, "amount": 0.6, "burst": 0.7, "satellites": 0.8, "seed": 9.0})
	ml := k.layer("Mud", 1, coats{
		// one silt: what differs is how far it has dried, and the grains in it
		stack.BaseColor: made(k.src("noise", params{"frequency": 11.0, "octaves": 9.0, "persistence": 0.58, "amplitude": 1.1, "seed": 1.0}), k.grit(600, 0.5, 21), k.ramp(0.1, "#2c2115", 0.5, "#45341f", 0.9, "#63503a")),
		stack.Roughness: varied(0.4, 0.95, k.noise(11, 8, 1)), stack.Metallic: num(0), stack.Height: rimmed(relief(0, 3.6, k.src("noise", params{"frequency": 15.0, "octaves": 9.0, "persistence": 0.6, "amplitude": 1.7, "seed": 3.0}), // thick where it was thrown, a film where it ran off
			k.of("cracks", "subtract", 0.3, params{"size": 0.024, "width": 0.03, "wander": 0.3, "broken": 0.45, "seed": 24.0})), 0.003, 0.2),
	}, ts, ps)
	k.dial("how much", "from a line at the foot to splashed all over", 0.7, param(ml, ts, "much", 0, 1), param(ml, ps, "amount", 0, 0.9))
	k.dial("how high", "it stands", 0.4, param(ml, ts, "height", 0.02, 0.3))
	k.dial("dry", "from wet to cracked and pale", 0.4, stack.Move{Layer: ml.ID, Path: "channels.roughness.amount", From: []float64{1}, To: []float64{0.3}})
	k.end()
}

// clean is a material of clean shapes: painted gradients, crisp light at edges.
type clean struct {
	name, dark, light, edge string
	rough, metal            float32
	chips, grain            bool
}

func (c clean) make() {
	k := begin(c.name, "clean", 1, "clean", "painted", "crisp")
	if c.rough == 0 {
		c.rough = 0.35
	}
	stream := []*stack.Step{k.src("gradient", params{"axis": "up", "start": 0.0, "end": 1.0})}
	if c.grain {
		stream = append(stream, k.of("woodgrain", "overlay", 0.5, params{"size": 0.03, "seed": 2.0}), k.shape("posterize", params{"count": 6.0}))
	} else {
		stream = append(stream, k.of("noise", "overlay", 0.25, params{"frequency": 3.0, "octaves": 2.0, "seed": 2.0}))
	}
	if c.chips {
		stream = append(stream, k.of("crystals", "overlay", 0.5, params{"size": 0.09, "vary": 0.8, "slope": 0.4, "seed": 4.0}))
	}
	base := k.layer("Body", 1, coats{stack.BaseColor: made(append(stream, k.ramp(0, c.dark, 1, c.light))...), stack.Roughness: num(c.rough), stack.Metallic: num(c.metal)})
	ns := k.src("nook", params{"much": 0.6, "grain": 0.03, "width": 0.02, "contrast": 0.5, "film": 0.0, "breakup": 0.1, "fine": 0.0, "seed": 3.0})
	nl := k.layer("Shade in the hollows", 0.6, coats{stack.BaseColor: with(col(c.dark), "multiply", 0.8)}, ns)
	es := k.src("rub", params{"much": 0.45, "width": 0.01, "grain": 0.03, "breakup": 0.15, "contrast": 0.95, "strays": 0.0, "variation": 0.2, "touched": 0.0, "fine": 0.0, "seed": 5.0})
	el := k.layer("Light at the edges", 0.9, coats{stack.BaseColor: col(c.edge), stack.Roughness: num(c.rough * 0.8)}, es)
	k.dial("edge light", "how broad the light edges are", 0.45, param(el, es, "much", 0, 1))
	k.dial("shade", "in the hollows", 0.6, amount(nl, 0, 1))
	k.dial("gloss", "from matt to shining", 0.5, value(base, stack.Roughness, 0.95, 0.1))
	k.end()
}
