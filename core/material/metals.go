package material

import (
	"velvetgrime/core/blend"
	"velvetgrime/core/stack"
)

func init() {
	castIron()
	galvanised()
	brass()
	copper()
	lead()
	gunmetal()
}

func castIron() {
	k := begin("Cast iron", "metal", 0.5, "iron", "bare", "harbour", "heavy")
	base := k.layer("Iron", 1, coats{
		stack.BaseColor: made(k.noise(18, 7, 1), k.ramp(0.2, "#2b2826", 0.8, "#4a4642")),
		stack.Roughness: varied(0.36, 0.62, k.noise(40, 7, 2)), stack.Metallic: num(0.9),
		stack.Height: relief(-0.12, 0.22, k.src("noise-billow", params{"frequency": 260.0, "octaves": 5.0, "seed": 4.0}),
			k.of("pits", "subtract", 0.6, params{"size": 0.006, "amount": 0.35, "seed": 9.0})),
	})
	ws := k.worn(0.4, 0.004, 0.01, 5)
	wl := k.layer("Bright edges", 1, coats{stack.BaseColor: col("#8d8984"), stack.Roughness: num(0.28), stack.Metallic: num(1)}, ws)
	rl, rs := k.rust(0.45, nil, false)
	k.dial("rust", "from black to eaten all over", 0.45, param(rl, rs, "much", 0, 1))
	k.dial("how worn", "edges rubbed bright", 0.4, param(wl, ws, "much", 0, 1))
	k.dial("roughness", "from ground to sand cast", 0.5, stack.Move{Layer: base.ID, Path: "channels.height.amount", From: []float64{0.2}, To: []float64{1}})
	k.dirty("#14110e", "#7d7567", 0.4)
	k.end()
}

func galvanised() {
	k := begin("Galvanised steel", "metal", 0.5, "steel", "zinc", "bright", "outdoors")
	spangle := func() []*stack.Step {
		return []*stack.Step{k.src("crystals", params{"size": 0.022, "seed": 3.0}), k.of("noise", "overlay", 0.25, params{"frequency": 300.0, "octaves": 4.0, "seed": 8.0})}
	}
	k.layer("Zinc", 1, coats{
		stack.BaseColor: made(append(spangle(), k.ramp(0, "#83888a", 0.5, "#9da2a3", 1, "#b9bdbd"))...),
		stack.Roughness: varied(0.3, 0.52, spangle()...), stack.Metallic: num(1),
	})
	bs := k.src("bleach", params{"much": 0.45, "grain": 0.01, "seed": 6.0})
	wl := k.layer("White bloom", 0.75, coats{stack.BaseColor: col("#b4b7b4"), stack.Roughness: num(0.88), stack.Metallic: num(0.15)}, bs,
		k.times("noise", params{"frequency": 26.0, "octaves": 9.0, "persistence": 0.62, "amplitude": 2.0, "seed": 11.0}))
	rl, rs := k.rust(0.2, nil, false)
	k.dial("bloom", "white, dull zinc", 0.45, param(wl, bs, "much", 0, 1))
	k.dial("rust", "where the zinc has gone", 0.15, param(rl, rs, "much", 0, 0.9))
	k.dirty("#26241f", "#8a857a", 0.35)
	k.end()
}

func brass() {
	k := begin("Brass, salt-bitten", "metal", 0.2, "brass", "fittings", "salt", "polished")
	k.layer("Brass", 1, coats{
		stack.BaseColor: made(k.noise(24, 6, 1), k.ramp(0.2, "#9a7637", 0.8, "#b8934d")),
		stack.Roughness: varied(0.16, 0.34, k.noise(60, 6, 2)), stack.Metallic: num(1),
	})
	scour := k.src("scour", params{"much": 0.5, "size": 0.05, "width": 0.0003, "standing": 0.2, "touched": 0.7, "seed": 8.0})
	sl := k.layer("Polishing scratches", 0.6, coats{stack.Roughness: num(0.42), stack.Height: mm(-0.01)}, scour)
	// it comes over the years, wherever nothing rubs
	tarnish := []*stack.Step{k.worn(0.55, 0.005, 0.012, 3), k.shape("invert", nil), k.times("bleach", params{"much": 1.0, "sky": 1.0, "edges": 0.0, "chalk": 0.2, "contrast": 0.1, "breakup": 0.6, "grain": 0.014, "seed": 24.0})}
	tl := k.layer("Tarnish", 0.92, coats{
		stack.BaseColor: made(append(k.skin(26, 4), k.ramp(0.1, "#1c140b", 0.4, "#352612", 0.65, "#50391b", 0.9, "#6e5328"))...),
		stack.Roughness: varied(0.34, 0.62, k.skin(26, 4)...), stack.Metallic: num(0.75),
	}, tarnish...)
	k.layer("Breath of tarnish", 0.55, coats{
		stack.BaseColor: with(made(append(k.skin(26, 4), k.ramp(0.2, "#5e451f", 0.8, "#a37c3b"))...), blend.Normal, 0.8),
	}, k.src("noise", params{"frequency": 20.0, "octaves": 8.0, "persistence": 0.62, "amplitude": 2.0, "seed": 27.0}), k.times("follow", params{"layer": tl.ID, "what": "mask"}))
	ns := k.src("nook", params{"much": 0.5, "grain": 0.008, "width": 0.005, "contrast": 0.55, "film": 0.1, "seed": 15.0})
	vl := k.layer("Verdigris", 0.9, coats{
		stack.BaseColor: made(k.noise(120, 8, 6), k.grit(1300, 0.5, 66), k.ramp(0.1, "#2f5a4c", 0.5, "#5a8a76", 0.9, "#9abfab")),
		stack.Roughness: num(0.93), stack.Metallic: num(0), stack.Height: relief(0, 0.16, k.noise(220, 7, 7), k.grit(1700, 0.4, 67)),
	}, ns, k.times("noise", params{"frequency": 55.0, "octaves": 6.0, "amplitude": 2.0, "seed": 19.0}))
	k.dial("tarnish", "from polished to brown", 0.7, amount(tl, 0, 1))
	k.dial("rubbed bright", "where hands and edges keep it bright", 0.55, param(tl, tarnish[0], "much", 0, 1))
	k.dial("verdigris", "salt in the hollows", 0.45, param(vl, ns, "much", 0, 1))
	k.dial("scratches", "from polishing", 0.5, param(sl, scour, "much", 0, 1))
	k.dirty("#171209", "#8b806c", 0.25)
	k.end()
}

func copper() {
	k := begin("Copper with verdigris", "metal", 0.5, "copper", "roof", "green", "weathered")
	k.layer("Copper", 1, coats{
		stack.BaseColor: made(k.noise(20, 6, 1), k.ramp(0.2, "#8e4f33", 0.8, "#b56f4b")),
		stack.Roughness: varied(0.22, 0.4, k.noise(50, 6, 2)), stack.Metallic: num(1),
	})
	ts := []*stack.Step{k.worn(0.4, 0.005, 0.012, 3), k.shape("invert", nil)}
	tl := k.layer("Brown skin", 0.9, coats{
		stack.BaseColor: made(append(k.skin(18, 4), k.ramp(0.1, "#24150f", 0.5, "#45281b", 0.9, "#6b4129"))...),
		stack.Roughness: varied(0.4, 0.6, k.skin(18, 4)...), stack.Metallic: num(0.7),
	}, ts...)
	rs := k.src("run", params{"from": "rain", "count": 260.0, "width": 0.008, "length": 0.25, "streaks": 0.8, "much": 0.6, "breakup": 0.7, "contrast": 0.4, "seed": 9.0})
	gs := k.of("nook", "screen", 1, params{"much": 0.55, "grain": 0.014, "width": 0.01, "contrast": 0.5, "film": 0.35, "seed": 5.0})
	vl := k.layer("Verdigris", 0.95, coats{
		stack.BaseColor: made(k.noise(70, 9, 6), k.grit(900, 0.5, 66), k.ramp(0.1, "#335e50", 0.5, "#69998a", 0.9, "#a4c9ba")),
		stack.Roughness: num(0.95), stack.Metallic: num(0), stack.Height: relief(0, 0.16, k.noise(160, 8, 7), k.grit(1400, 0.4, 67)),
	}, rs, gs, k.times("noise", params{"frequency": 40.0, "octaves": 7.0, "amplitude": 2.2, "seed": 29.0}), k.shape("levels", params{"low": 0.1, "high": 0.55}))
	k.dial("brown", "the skin that air makes", 0.9, amount(tl, 0, 1))
	k.dial("verdigris", "from none to green all over", 0.55, param(vl, gs, "much", 0, 1), param(vl, rs, "much", 0.05, 1))
	k.dial("rubbed", "edges bare again", 0.4, param(tl, ts[0], "much", 0, 1))
	k.dirty("#1a1511", "#85806f", 0.25)
	k.end()
}

func lead() {
	k := begin("Sheet lead", "metal", 0.5, "lead", "roof", "soft", "dull")
	k.layer("Lead", 1, coats{
		stack.BaseColor: made(append(k.skin(12, 1), k.ramp(0.1, "#43464a", 0.5, "#606468", 0.9, "#888b8d"))...),
		stack.Roughness: varied(0.44, 0.74, k.skin(12, 1)...), stack.Metallic: num(0.65),
		stack.Height: relief(-0.3, 0.3, k.src("hammered", params{"size": 0.03, "seed": 6.0}), k.of("noise", "overlay", 0.4, params{"frequency": 12.0, "octaves": 3.0, "seed": 3.0})),
	})
	ws := k.worn(0.5, 0.006, 0.012, 8)
	wl := k.layer("Scraped", 1, coats{stack.BaseColor: col("#9b9ea1"), stack.Roughness: num(0.34), stack.Metallic: num(0.95)}, ws)
	ss := k.src("run", params{"from": "rain", "count": 200.0, "width": 0.01, "length": 0.2, "streaks": 0.7, "much": 0.5, "breakup": 0.7, "contrast": 0.3, "seed": 14.0})
	sl := k.layer("Pale runs", 0.6, coats{stack.BaseColor: col("#a5a8a6"), stack.Roughness: num(0.85), stack.Metallic: num(0.2)}, ss)
	k.dial("scraped", "bright where something went over it", 0.5, param(wl, ws, "much", 0, 1))
	k.dial("runs", "pale where rain runs", 0.5, param(sl, ss, "much", 0, 1))
	k.dirty("#1c1b19", "#88847a", 0.4)
	k.end()
}

func gunmetal() {
	k := begin("Gunmetal bronze", "metal", 0.3, "bronze", "fittings", "dark")
	k.layer("Bronze", 1, coats{
		stack.BaseColor: made(k.noise(22, 6, 1), k.ramp(0.2, "#6d5434", 0.8, "#8e7148")),
		stack.Roughness: varied(0.26, 0.42, k.noise(60, 6, 2)), stack.Metallic: num(1),
	})
	ps := []*stack.Step{k.worn(0.5, 0.004, 0.01, 3), k.shape("invert", nil)}
	pl := k.layer("Patina", 0.95, coats{
		stack.BaseColor: made(append(k.skin(24, 4), k.ramp(0.1, "#15110c", 0.45, "#2a2219", 0.75, "#403322", 1, "#5e4b30"))...),
		stack.Roughness: varied(0.36, 0.62, k.skin(24, 4)...), stack.Metallic: num(0.7),
	}, ps...)
	ns := k.src("nook", params{"much": 0.35, "grain": 0.007, "width": 0.004, "contrast": 0.5, "film": 0.05, "seed": 11.0})
	gl := k.layer("Green in the hollows", 0.8, coats{stack.BaseColor: col("#4c7766"), stack.Roughness: num(0.9), stack.Metallic: num(0)}, ns,
		k.times("noise", params{"frequency": 70.0, "octaves": 6.0, "amplitude": 2.0, "seed": 19.0}))
	k.dial("patina", "from bare to almost black", 0.95, amount(pl, 0, 1))
	k.dial("rubbed", "edges and what is touched", 0.5, param(pl, ps[0], "much", 0, 1))
	k.dial("green", "in the hollows", 0.35, param(gl, ns, "much", 0, 1))
	k.dirty("#12100c", "#857d6b", 0.3)
	k.end()
}
