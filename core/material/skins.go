package material

import "velvetgrime/core/stack"

func init() {
	herringbone()
	netting()
	oilskin()
	feathers()
	lichen()
	barnacles()
	for _, c := range []clean{
		{name: "Clean enamel, red", dark: "#6e1518", light: "#c23a2e", edge: "#f1b59a", rough: 0.3},
		{name: "Clean iron", dark: "#24272d", light: "#565c66", edge: "#aeb8c4", rough: 0.4, metal: 0.7},
		{name: "Clean leather", dark: "#3a2015", light: "#8a5533", edge: "#d3a679", rough: 0.5},
		{name: "Clean leaf", dark: "#24441f", light: "#79a93f", edge: "#d7e99a", rough: 0.6},
		{name: "Clean ice", dark: "#3a6f93", light: "#a9d8ec", edge: "#f2fdff", rough: 0.15, chips: true},
		{name: "Clean sand", dark: "#9a7443", light: "#e0bf84", edge: "#fbe9bf", rough: 0.9},
		{name: "Clean copper", dark: "#5b2a1a", light: "#c5703f", edge: "#f7c79a", rough: 0.3, metal: 1},
		{name: "Clean cloth, plum", dark: "#3b1f3d", light: "#7d4a80", edge: "#c9a0cb", rough: 0.95},
	} {
		c.make()
	}
}

func herringbone() {
	k := begin("Herringbone tweed", "cloth", 0.5, "cloth", "wool", "coat", "pattern")
	bone := func() *stack.Step {
		return k.src("herringbone", params{"size": 0.0016, "count": 5.0, "joint": 0.25, "bevel": 0.2, "vary": 0.55, "seed": 1.0})
	}
	base := k.layer("Tweed", 1, coats{
		stack.BaseColor: made(bone(), k.of("fibres", "overlay", 0.6, params{"size": 0.004, "width": 0.00007, "amount": 1.0, "spread": 1.0, "seed": 2.0}), k.of("noise", "overlay", 0.4, params{"frequency": 25.0, "octaves": 6.0, "seed": 3.0}), k.ramp(0, "#2b2a26", 0.45, "#5d574b", 0.75, "#857c69", 1, "#a89e89")),
		stack.Roughness: num(0.97), stack.Metallic: num(0), stack.Height: relief(-0.25, 0.15, bone(), k.of("fibres", "overlay", 0.5, params{"size": 0.004, "width": 0.00007, "amount": 1.0, "spread": 1.0, "seed": 2.0})),
	})
	k.faded("#b3a88f", 0.6, 0.55, 0.04, 7)
	ns := k.src("speckle", params{"size": 0.0035, "amount": 0.4, "least": 0.4, "ragged": 0.9, "seed": 4.0})
	nl := k.layer("Coloured slubs", 0.8, coats{stack.BaseColor: made(k.src("cells", params{"frequency": 240.0, "seed": 5.0}), k.ramp(0, "#6d3d24", 0.5, "#8a6a3c", 1, "#4f5a48")), stack.Height: mm(0.12)}, ns, k.shape("levels", params{"low": 0.12, "high": 0.3}))
	ws := k.worn(0.35, 0.01, 0.015, 6)
	wl := k.layer("Threadbare", 0.7, coats{stack.BaseColor: with(col("#8f8672"), "normal", 0.6), stack.Height: mm(-0.1), stack.Roughness: num(0.8)}, ws)
	k.dial("slubs", "coloured lumps in the yarn", 0.6, amount(nl, 0, 1))
	k.dial("threadbare", "at edges", 0.35, param(wl, ws, "much", 0, 1))
	k.dial("pile", "how far it stands", 0.6, heightOf(base, 0.1, 1))
	k.dirty("#1d1a15", "#968d7a", 0.3)
	k.end()
}

func netting() {
	k := begin("Netting", "cloth", 1, "net", "cord", "fishing", "cover")
	net := func() *stack.Step {
		return k.src("net", params{"size": 0.035, "thread": 0.085, "knot": 0.15, "wobble": 0.35, "seed": 1.0})
	}
	l := k.layer("Cord", 1, coats{
		stack.BaseColor: made(k.src("stripes", params{"size": 0.004, "blur": 0.9, "turn": 35.0, "seed": 2.0}), k.of("fibres", "overlay", 0.5, params{"size": 0.006, "width": 0.0001, "amount": 1.0, "spread": 1.0, "seed": 3.0}), k.of("noise", "overlay", 0.5, params{"frequency": 8.0, "octaves": 6.0, "seed": 4.0}), k.ramp(0, "#1c322e", 0.5, "#2d524b", 1, "#4f7a70")),
		stack.Roughness: num(0.92), stack.Metallic: num(0),
		stack.Height: rimmed(relief(1.2, 2.2, k.src("stripes", params{"size": 0.004, "blur": 0.9, "turn": 35.0, "seed": 2.0})), 0.0015, 0),
	}, net(), k.shape("threshold", params{"cut": 0.5, "soft": 0.15}))
	fs := k.src("bleach", params{"much": 0.65, "grain": 0.05, "breakup": 0.8, "chalk": 0.45, "sky": 0.6, "seed": 5.0})
	fl := k.layer("Faded", 0.9, coats{stack.BaseColor: with(col("#a9b3a4"), "normal", 0.75)}, fs, k.times("follow", params{"layer": l.ID, "what": "mask"}))
	ws := k.src("tide", params{"height": 0.3, "fade": 0.25, "much": 0.5, "grain": 0.03, "breakup": 0.9, "seed": 6.0})
	wl := k.layer("Weed in it", 0.8, coats{stack.BaseColor: made(k.noise(30, 6, 7), k.ramp(0.1, "#1e240e", 0.9, "#4b5420")), stack.Roughness: num(0.6), stack.Height: mm(0.5)}, ws, k.times("follow", params{"layer": l.ID, "what": "mask"}), k.times("noise", params{"frequency": 14.0, "octaves": 5.0, "amplitude": 2.2, "seed": 8.0}))
	k.dial("faded", "by sun", 0.65, param(fl, fs, "much", 0, 1))
	k.dial("weed", "caught in it", 0.5, param(wl, ws, "much", 0, 1))
	k.dial("thickness", "of the cord", 0.6, heightOf(l, 0.2, 1))
	k.end()
}

func oilskin() {
	k := begin("Oilskin, yellow", "cloth", 0.6, "cloth", "waterproof", "coat", "yellow")
	weave := func() *stack.Step {
		return k.src("weave", params{"size": 0.0012, "gap": 0.05, "lift": 0.5, "seed": 1.0})
	}
	base := k.layer("Oiled cloth", 1, coats{
		stack.BaseColor: made(k.src("noise-warped", params{"frequency": 7.0, "octaves": 6.0, "amplitude": 1.4, "seed": 2.0}), k.of("weave", "overlay", 0.12, params{"size": 0.0012, "gap": 0.05, "seed": 1.0}), k.ramp(0.1, "#a5741a", 0.5, "#c9952a", 0.9, "#dcb14b")),
		stack.Roughness: varied(0.14, 0.34, k.noise(16, 6, 3)), stack.Metallic: num(0),
		stack.Height: relief(-0.5, 0.5, k.src("noise-warped", params{"frequency": 14.0, "octaves": 4.0, "warp": 1.2, "amplitude": 1.2, "seed": 4.0}), k.of("weave", "overlay", 0.12, params{"size": 0.0012, "gap": 0.05, "seed": 1.0})),
	})
	k.faded("#c4ae7c", 0.7, 0.55, 0.05, 9)
	cs := k.src("noise-ridged", params{"frequency": 9.0, "octaves": 3.0, "persistence": 0.35, "stretch": 0.6, "seed": 5.0})
	cl := k.layer("Creases", 0.55, coats{stack.BaseColor: with(col("#e6cf8e"), "normal", 0.6), stack.Roughness: num(0.7), stack.Height: mm(-0.3)}, cs, k.shape("levels", params{"low": 0.72, "high": 0.98}), k.times("noise", params{"frequency": 60.0, "octaves": 6.0, "amplitude": 2.0, "seed": 6.0}))
	ws := k.worn(0.4, 0.012, 0.015, 7)
	wl := k.layer("Worn to the cloth", 0.9, coats{stack.BaseColor: made(weave(), k.ramp(0, "#8d7b55", 1, "#c7b78f")), stack.Roughness: num(0.93), stack.Height: relief(-0.15, 0.05, weave())}, ws)
	ss := k.src("run", params{"from": "rain", "count": 140.0, "width": 0.02, "length": 0.35, "streaks": 0.7, "much": 0.4, "breakup": 0.7, "contrast": 0.2, "seed": 8.0})
	sl := k.layer("Salt tracks", 0.5, coats{stack.BaseColor: with(col("#dcd8cb"), "normal", 0.7), stack.Roughness: num(0.85)}, ss)
	k.dial("creases", "pale where it was folded", 0.5, amount(cl, 0, 1))
	k.dial("worn", "to the bare cloth", 0.4, param(wl, ws, "much", 0, 1))
	k.dial("salt", "dried in tracks", 0.4, param(sl, ss, "much", 0, 1))
	k.dial("gloss", "how fresh the oil is", 0.7, roughnessOf(base, 0.3, 1))
	k.dirty("#2a2010", "#938971", 0.3)
	k.end()
}

func feathers() {
	k := begin("Feathers, grey", "cloth", 0.3, "feather", "bird", "grey", "soft")
	coat := func() *stack.Step {
		return k.src("scales", params{"size": 0.02, "depth": 0.45, "joint": 0.005, "vary": 0.45, "wobble": 0.5, "seed": 1.0})
	}
	barbs := func(seed float64) *stack.Step {
		// they lie side by side, close, and part here and there
		return k.of("noise", "overlay", 0.75, params{"frequency": 420.0, "octaves": 4.0, "persistence": 0.6, "stretch": 16.0, "along": []any{0.22, 1.0, 0.12}, "amplitude": 1.9, "seed": seed})
	}
	base := k.layer("Feathers", 1, coats{
		stack.BaseColor: made(coat(), barbs(2), k.of("noise", "overlay", 0.35, params{"frequency": 10.0, "octaves": 5.0, "seed": 3.0}), k.ramp(0, "#4d5259", 0.4, "#757b81", 0.75, "#92979c", 1, "#b6babd")),
		stack.Roughness: varied(0.6, 0.85, coat()), stack.Metallic: num(0), stack.Height: relief(-0.5, 0.4, coat(), barbs(2)),
	})
	k.faded("#8f8370", 0.5, 0.5, 0.02, 9)
	qs := k.src("scales", params{"size": 0.02, "depth": 1.0, "joint": 0.005, "vary": 0.0, "wobble": 0.5, "seed": 1.0})
	tl := k.layer("Pale rims", 0.35, coats{stack.BaseColor: col("#e4e4e0")}, qs, k.shape("levels", params{"low": 0.72, "high": 0.95}))
	ss := k.src("speckle", params{"size": 0.004, "amount": 0.4, "stretch": 2.0, "ragged": 0.8, "seed": 5.0})
	sl := k.layer("Dark flecks", 0.5, coats{stack.BaseColor: with(col("#23262b"), "multiply", 0.9)}, ss, k.shape("levels", params{"low": 0.12, "high": 0.3}))
	ws := k.worn(0.35, 0.006, 0.008, 6)
	wl := k.layer("Ruffled", 0.7, coats{stack.BaseColor: with(col("#b7b3a9"), "normal", 0.6), stack.Height: relief(0, 0.5, k.src("fibres", params{"size": 0.006, "width": 0.0001, "amount": 1.0, "spread": 1.0, "seed": 7.0}))}, ws)
	k.dial("rims", "pale ends of each feather", 0.35, amount(tl, 0, 1))
	k.dial("flecks", "dark spots", 0.4, amount(sl, 0, 1))
	k.dial("ruffled", "at edges", 0.35, param(wl, ws, "much", 0, 1))
	k.dial("lay", "how far they stand off", 0.6, heightOf(base, 0.1, 1))
	k.dirty("#1c1a16", "#9a9484", 0.2)
	k.end()
}

func lichen() {
	k := begin("Lichen", "ground", 1, "lichen", "cover", "stone", "orange")
	spot := func(name, dark, mid, light string, size, much, seed float64) (*stack.Layer, *stack.Step) {
		s := k.times("bleach", params{"much": much, "grain": 0.02, "breakup": 0.6, "contrast": 0.3, "sky": 0.9, "seed": seed})
		l := k.layer(name, 1, coats{
			stack.BaseColor: made(k.src("tufts", params{"size": size / 9, "amount": 0.9, "fuzz": 0.8, "seed": seed + 1}), k.of("blooms", "overlay", 0.7, params{"size": size, "seed": seed + 2}), k.of("noise", "overlay", 0.5, params{"frequency": 160.0, "octaves": 4.0, "seed": seed + 3}), k.ramp(0, dark, 0.5, mid, 1, light)),
			stack.Roughness: num(0.98), stack.Metallic: num(0), stack.Height: rimmed(relief(0.15, 0.7, k.src("tufts", params{"size": size / 9, "amount": 0.9, "fuzz": 0.8, "seed": seed + 1})), 0.0008, 0.5),
		}, k.src("blooms", params{"size": size, "amount": 0.9, "rings": 0.15, "ragged": 0.9, "seed": seed + 2}), k.shape("levels", params{"low": 0.03, "high": 0.15}),
			s, k.of("noise", "overlay", 0.5, params{"frequency": 110.0, "octaves": 4.0, "amplitude": 1.8, "seed": seed + 4}), k.shape("levels", params{"low": 0.08, "high": 0.18}))
		return l, s
	}
	grey, gs := spot("Grey crust", "#5f645a", "#959a8c", "#c3c7b8", 0.05, 0.75, 10)
	gold, os := spot("Orange crust", "#7c4a12", "#b8741d", "#dba240", 0.03, 0.7, 30)
	k.dial("how much", "from first spots to overgrown", 0.6, param(grey, gs, "much", 0, 1), param(gold, os, "much", 0, 0.9))
	k.dial("orange", "of the second kind", 0.7, amount(gold, 0, 1))
	k.dial("crust", "how thick", 0.6, heightOf(grey, 0.1, 1), heightOf(gold, 0.1, 1))
	k.end()
}

func barnacles() {
	k := begin("Barnacles", "ground", 1, "barnacle", "cover", "hull", "shell")
	ts := k.src("tide", params{"height": 0.3, "fade": 0.12, "much": 0.75, "grain": 0.03, "breakup": 0.9, "contrast": 0.6, "seed": 2.0})
	// where one has settled others follow, year by year
	cs := k.times("creep", params{"from": "at random", "much": 0.8, "rate": 0.035, "grain": 0.03, "breakup": 0.9, "contrast": 0.6, "seeds": 0.35, "uneven": 0.8, "wet": 0.3, "seed": 8.0})
	shells := func() *stack.Step {
		return k.src("barnacles", params{"size": 0.009, "amount": 0.75, "clump": 1.0, "seed": 1.0})
	}
	film := k.layer("Slime", 0.75, coats{
		stack.BaseColor: made(k.src("noise", params{"frequency": 60.0, "octaves": 8.0, "persistence": 0.66, "stretch": 3.0, "along": []any{0.05, 1.0, 0.05}, "amplitude": 1.7, "seed": 3.0}), k.grit(700, 0.5, 23), k.ramp(0.05, "#12160b", 0.5, "#262c17", 0.9, "#474d2b")),
		stack.Roughness: varied(0.22, 0.6, k.noise(90, 6, 24)), stack.Metallic: num(0), stack.Height: relief(0, 0.35, k.src("noise", params{"frequency": 120.0, "octaves": 6.0, "persistence": 0.6, "stretch": 3.0, "along": []any{0.05, 1.0, 0.05}, "seed": 25.0})),
	}, k.src("tide", params{"height": 0.5, "fade": 0.25, "much": 0.7, "grain": 0.03, "breakup": 0.9, "contrast": 0.3, "seed": 4.0}))
	l := k.layer("Shells", 1, coats{
		stack.BaseColor: made(shells(), k.of("noise", "overlay", 0.5, params{"frequency": 120.0, "octaves": 5.0, "seed": 5.0}), k.ramp(0, "#23211d", 0.25, "#6f695c", 0.6, "#9a9382", 1, "#c4bdab")),
		stack.Roughness: num(0.9), stack.Metallic: num(0), stack.Height: relief(0, 5, shells()),
		// they settle in patches and leave much bare between these; towards the rims of a patch they
		// lie deeper in the slime, none is cut in half
	}, ts, cs, k.shape("levels", params{"low": 0.3, "high": 0.5}), k.times("barnacles", params{"size": 0.009, "amount": 0.75, "clump": 1.0, "seed": 1.0}), k.shape("levels", params{"low": 0.02, "high": 0.16}))
	k.dial("how much", "of it is covered", 0.8, param(l, cs, "much", 0, 1))
	k.dial("how high", "the tide stood", 0.4, param(l, ts, "height", 0.03, 0.705))
	k.dial("slime", "between them", 0.7, amount(film, 0, 1))
	k.end()
}
