package material

import "velvetgrime/core/stack"

func init() {
	wood{name: "Larch planks", tags: []string{"wood", "planks", "hull"}, dark: "#5d3d22", mid: "#86603a", light: "#a98556", grey: 0.35, planks: 0.14, gloss: 0.6}.make()
	wood{name: "Teak deck", tags: []string{"wood", "deck", "caulked"}, dark: "#5a3c22", mid: "#7f5a35", light: "#9c7a4d", grey: 0.45, planks: 0.05, caulk: true, gloss: 0.7}.make()
	wood{name: "Driftwood", tags: []string{"wood", "grey", "washed"}, dark: "#6b655b", mid: "#8f897e", light: "#b3ada1", grey: 0.8, gloss: 0.9}.make()
	wood{name: "Varnished ash", tags: []string{"wood", "varnish", "oar"}, dark: "#7f5527", mid: "#a97a3e", light: "#c79b5d", grey: 0.05, gloss: 0.18}.make()
	sail()
	felt()
	rope()
	leather()
}

type wood struct {
	name             string
	tags             []string
	dark, mid, light string
	grey             float64 // how weathered
	planks           float64 // width in metres, 0: one piece
	caulk            bool
	gloss            float32
}

func (w wood) make() {
	k := begin(w.name, "wood", 1, w.tags...)
	grain := func(seed float64) []*stack.Step {
		return []*stack.Step{
			k.src("woodgrain", params{"size": 0.0038, "late": 0.35, "fibres": 0.55, "wander": 1.2, "seed": seed}),
			k.of("fibres", "overlay", 0.35, params{"size": 0.05, "width": 0.0004, "amount": 1.0, "towards": []any{0.0, 1.0, 0.0}, "spread": 0.05, "seed": seed + 1}),
			k.of("noise", "overlay", 0.3, params{"frequency": 7.0, "octaves": 5.0, "seed": seed + 2}),
		}
	}
	base := k.layer("Wood", 1, coats{
		stack.BaseColor: made(append(grain(3), k.ramp(0.05, w.dark, 0.5, w.mid, 0.95, w.light))...),
		stack.Roughness: varied(max(w.gloss-0.12, 0.08), min(w.gloss+0.15, 1), k.noise(60, 5, 6)), stack.Metallic: num(0),
		stack.Height: relief(-0.16, 0.05, grain(3)...),
	})
	gs := k.src("bleach", params{"much": 0.6, "grain": 0.02, "chalk": 0.6, "seed": 8.0})
	gl := k.layer("Grey skin", 0.95, coats{
		stack.BaseColor: made(append(grain(3), k.ramp(0.05, "#56514a", 0.5, "#87827a", 0.95, "#aeaaa0"))...), stack.Roughness: num(0.92),
		stack.Height: relief(-0.3, 0, k.src("fibres", params{"size": 0.06, "width": 0.0006, "amount": 1.0, "towards": []any{0.0, 1.0, 0.0}, "spread": 0.03, "seed": 9.0})),
	}, gs)
	if w.planks > 0 {
		joint := 0.0022 / w.planks // boards lie close, or as far apart as a caulking iron is thick
		if w.caulk {
			joint = 0.0045 / w.planks
		}
		ps := k.src("planks", params{"size": w.planks, "joint": joint, "bevel": 0.25 * joint, "grain": 0.0, "seed": 5.0})
		seams := k.layer("Seams", 1, coats{
			stack.BaseColor: col(map[bool]string{true: "#101010", false: "#1c140c"}[w.caulk]), stack.Roughness: num(map[bool]float32{true: 0.45, false: 0.95}[w.caulk]),
			stack.Height: rimmed(mm(map[bool]float32{true: -0.3, false: -2}[w.caulk]), 0.0008, 0),
		}, ps, k.shape("threshold", params{"cut": 0.04, "soft": 0.03}), k.shape("invert", nil))
		k.dial("seams", "how much they show", 1, amount(seams, 0, 1))
	}
	cs := k.src("cracks", params{"size": 0.12, "seed": 12.0})
	cl := k.layer("Checks", 0.6, coats{stack.BaseColor: col("#17110b"), stack.Height: mm(-0.8), stack.Roughness: num(0.95)}, cs, k.times("noise", params{"frequency": 9.0, "octaves": 4.0, "amplitude": 2.2, "seed": 13.0}), k.shape("levels", params{"low": 0.35, "high": 0.7}),
		k.times("bleach", params{"much": 1.0, "grain": 0.04, "breakup": 0.4, "sky": 0.3, "seed": 15.0})) // they open as it dries, year by year
	k.dial("grey", "by sun and rain", w.grey, param(gl, gs, "much", 0, 1))
	k.dial("cracked", "along the grain", 0.35, amount(cl, 0, 1))
	k.dial("grain", "how deep it stands", 0.5, stack.Move{Layer: base.ID, Path: "channels.height.amount", From: []float64{0}, To: []float64{1}})
	k.dirty("#1a140d", "#8c8371", 0.35)
	k.end()
}

func sail() {
	k := begin("Sail canvas", "cloth", 1, "cloth", "canvas", "tan")
	weave := func() *stack.Step {
		return k.src("weave", params{"size": 0.0011, "gap": 0.06, "vary": 0.5, "wobble": 0.25, "seed": 1.0})
	}
	k.layer("Canvas", 1, coats{
		stack.BaseColor: made(weave(), k.of("noise", "overlay", 0.5, params{"frequency": 6.0, "octaves": 7.0, "seed": 2.0}), k.of("smears", "overlay", 0.35, params{"size": 0.3, "wide": 0.25, "seed": 9.0}), k.ramp(0, "#4a2416", 0.5, "#743b24", 1, "#94573a")),
		stack.Roughness: num(0.93), stack.Metallic: num(0), stack.Height: relief(-0.2, 0.2, weave()),
	})
	bs := k.src("bleach", params{"much": 0.62, "grain": 0.05, "breakup": 0.7, "chalk": 0.5, "sky": 0.6, "seed": 4.0})
	bl := k.layer("Bleached", 0.9, coats{stack.BaseColor: with(col("#c2a68d"), "normal", 0.7)}, bs)
	ts := k.src("settle", params{"much": 0.35, "grain": 0.05, "breakup": 0.9, "drifts": 0.5, "seed": 6.0})
	tl := k.layer("Mildew", 0.6, coats{stack.BaseColor: with(col("#2a2a22"), "multiply", 0.9)}, ts, k.times("speckle", params{"size": 0.004, "amount": 0.6, "seed": 5.0}))
	k.dial("bleached", "by sun", 0.62, param(bl, bs, "much", 0, 1))
	k.dial("mildew", "black specks where it stayed wet", 0.35, param(tl, ts, "much", 0, 1))
	k.dirty("#241c14", "#988d78", 0.3)
	k.end()
}

func felt() {
	k := begin("Felt, grey", "cloth", 0.3, "cloth", "soft", "wool")
	// matted wool: lumps of fibres at every scale, with single hairs over them
	mat := func() []*stack.Step {
		return []*stack.Step{
			k.src("noise-warped", params{"frequency": 130.0, "octaves": 6.0, "persistence": 0.72, "warp": 1.6, "amplitude": 1.9, "seed": 1.0}),
			k.of("tufts", "overlay", 0.55, params{"size": 0.005, "amount": 1.0, "fuzz": 1.0, "seed": 2.0}),
			k.of("fibres", "screen", 0.3, params{"size": 0.014, "width": 0.0003, "count": 8.0, "amount": 1.0, "spread": 1.0, "bow": 1.6, "seed": 3.0}),
		}
	}
	base := k.layer("Felt", 1, coats{
		stack.BaseColor: made(append(mat(), k.ramp(0, "#2c2e32", 0.45, "#52555b", 0.75, "#6c6f75", 1, "#94979c"))...),
		stack.Roughness: num(1), stack.Metallic: num(0), stack.Height: relief(-0.7, 0.5, mat()...),
	})
	k.faded("#8b8371", 0.65, 0.6, 0.03, 15)
	ws := k.worn(0.35, 0.008, 0.01, 5)
	wl := k.layer("Thin", 0.7, coats{stack.BaseColor: with(col("#8f8d86"), "normal", 0.5), stack.Height: mm(-0.2)}, ws)
	k.dial("hairy", "how far the hairs stand", 0.5, stack.Move{Layer: base.ID, Path: "channels.height.amount", From: []float64{0.1}, To: []float64{1}})
	k.dial("worn thin", "at edges", 0.35, param(wl, ws, "much", 0, 1))
	k.dirty("#1b1a18", "#958e80", 0.25)
	k.end()
}

func rope() {
	k := begin("Hemp rope", "cloth", 0.1, "rope", "fibre")
	yarn := func() []*stack.Step {
		return []*stack.Step{
			k.src("stripes", params{"size": 0.011, "share": 0.5, "blur": 1.0, "turn": 38.0, "wobble": 0.12, "vary": 0.25, "seed": 10.0}),
			k.of("stripes", "overlay", 0.7, params{"size": 0.0026, "share": 0.5, "blur": 0.9, "turn": -30.0, "wobble": 0.3, "vary": 0.5, "seed": 11.0}),
			k.of("fibres", "overlay", 0.5, params{"size": 0.03, "width": 0.0004, "amount": 1.0, "towards": []any{0.6, 0.75, 0.3}, "spread": 0.12, "seed": 1.0}),
			k.of("noise", "overlay", 0.4, params{"frequency": 60.0, "octaves": 5.0, "seed": 2.0}),
		}
	}
	k.layer("Hemp", 1, coats{
		stack.BaseColor: made(append(yarn(), k.ramp(0, "#2f2413", 0.3, "#6a5331", 0.65, "#96794b", 1, "#bda06a"))...),
		stack.Roughness: num(0.95), stack.Metallic: num(0), stack.Height: relief(-2.2, 0.8, yarn()...),
	})
	k.faded("#97938a", 0.75, 0.65, 0.02, 15)
	ts := k.src("nook", params{"much": 0.45, "grain": 0.01, "width": 0.004, "contrast": 0.3, "film": 0.2, "seed": 7.0})
	tl := k.layer("Tarred", 0.6, coats{stack.BaseColor: with(col("#1a120b"), "multiply", 0.85), stack.Roughness: num(0.55)}, ts)
	fs := k.worn(0.3, 0.004, 0.006, 5)
	fl := k.layer("Chafed", 0.6, coats{stack.BaseColor: with(col("#c4ad7e"), "normal", 0.6), stack.Height: relief(0, 0.5, k.src("fibres", params{"size": 0.02, "width": 0.0002, "amount": 1.0, "spread": 1.0, "seed": 6.0}))}, fs)
	k.dial("chafed", "pale and hairy where it ran over something", 0.3, param(fl, fs, "much", 0, 1))
	k.dial("tarred", "from dry to black", 0.45, amount(tl, 0.1, 1), param(tl, ts, "much", 0, 1))
	k.dirty("#1c150d", "#a0957d", 0.3)
	k.end()
}

func leather() {
	k := begin("Leather, oiled", "cloth", 0.3, "leather", "brown", "strap")
	skin := func() []*stack.Step {
		return []*stack.Step{k.src("cells", params{"frequency": 420.0, "seed": 1.0}), k.of("noise", "overlay", 0.4, params{"frequency": 90.0, "octaves": 5.0, "seed": 2.0})}
	}
	k.layer("Leather", 1, coats{
		stack.BaseColor: made(k.noise(14, 7, 3), k.of("cells", "overlay", 0.25, params{"frequency": 420.0, "seed": 1.0}), k.ramp(0.1, "#2a160c", 0.5, "#492712", 0.9, "#6a3c1d")),
		stack.Roughness: varied(0.38, 0.62, k.noise(30, 6, 4)), stack.Metallic: num(0), stack.Height: relief(-0.12, 0.06, skin()...),
	})
	ws := k.worn(0.45, 0.006, 0.012, 5)
	wl := k.layer("Scuffed", 0.85, coats{stack.BaseColor: col("#8a5f3a"), stack.Roughness: num(0.75), stack.Height: mm(-0.05)}, ws)
	cs := k.src("cracks", params{"size": 0.02, "seed": 8.0})
	cl := k.layer("Cracked", 0.4, coats{stack.BaseColor: col("#1a0f08"), stack.Height: mm(-0.25)}, cs, k.times("noise", params{"frequency": 16.0, "octaves": 4.0, "amplitude": 2.0, "seed": 9.0}), k.shape("levels", params{"low": 0.3, "high": 0.6}), k.times("bleach", params{"much": 0.9, "grain": 0.02, "sky": 1.0, "seed": 10.0}))
	k.dial("scuffed", "pale at edges", 0.45, param(wl, ws, "much", 0, 1))
	k.dial("cracked", "dried out", 0.3, amount(cl, 0, 1))
	k.dirty("#120b06", "#8d8270", 0.3)
	k.end()
}
