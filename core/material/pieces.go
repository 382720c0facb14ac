package material

import "velvetgrime/core/stack"

func init() {
	plywood()
	endGrain()
	carvedLime()
	saltTile()
	bone()
	horn()
	glass()
	rubber()
}

// heightOf moves how strongly a layer's height shows.
func heightOf(l *stack.Layer, from, to float64) stack.Move {
	return stack.Move{Layer: l.ID, Path: "channels.height.amount", From: []float64{from}, To: []float64{to}}
}

// roughnessOf moves how strongly a layer's roughness shows.
func roughnessOf(l *stack.Layer, from, to float64) stack.Move {
	return stack.Move{Layer: l.ID, Path: "channels.roughness.amount", From: []float64{from}, To: []float64{to}}
}

func plywood() {
	k := begin("Plywood, marine", "wood", 1, "wood", "board", "ply", "locker")
	// a peeled sheet: wide flames of grain, and the plies at its edges
	face := func(seed float64) []*stack.Step {
		return []*stack.Step{
			k.src("woodgrain", params{"size": 0.016, "late": 0.12, "fibres": 0.7, "knots": 0.1, "wander": 2.2, "seed": seed}),
			k.of("noise", "overlay", 0.6, params{"frequency": 14.0, "octaves": 6.0, "stretch": 9.0, "seed": seed + 1}),
			k.of("fibres", "overlay", 0.4, params{"size": 0.03, "width": 0.00025, "amount": 1.0, "towards": []any{0.0, 1.0, 0.0}, "spread": 0.04, "seed": seed + 2}),
		}
	}
	base := k.layer("Face", 1, coats{
		stack.BaseColor: made(append(face(3), k.ramp(0.1, "#8a6a3e", 0.5, "#b08c57", 0.9, "#caa974"))...),
		stack.Roughness: varied(0.42, 0.68, k.noise(50, 5, 6)), stack.Metallic: num(0), stack.Height: relief(-0.12, 0.03, face(3)...),
	})
	es := k.worn(0.4, 0.006, 0.01, 7)
	el := k.layer("Plies at the edge", 0.9, coats{
		stack.BaseColor: made(k.src("stripes", params{"size": 0.0024, "wobble": 0.15, "seed": 5.0}), k.of("noise", "overlay", 0.4, params{"frequency": 200.0, "octaves": 4.0, "seed": 6.0}), k.ramp(0, "#5f4427", 0.5, "#a17c4a", 1, "#c7a873")),
		stack.Roughness: num(0.9), stack.Height: relief(-0.35, 0, k.src("stripes", params{"size": 0.0024, "wobble": 0.15, "seed": 5.0})),
	}, es)
	gs := k.src("bleach", params{"much": 0.7, "grain": 0.03, "breakup": 0.7, "seed": 8.0})
	gl := k.layer("Greyed", 0.8, coats{stack.BaseColor: made(append(face(3), k.ramp(0.1, "#69645b", 0.9, "#aaa598"))...), stack.Roughness: num(0.9)}, gs)
	ws := k.src("run", params{"from": "rain", "count": 120.0, "width": 0.03, "length": 0.4, "streaks": 0.6, "much": 0.4, "breakup": 0.7, "contrast": 0.2, "seed": 9.0})
	wl := k.layer("Water stains", 0.55, coats{stack.BaseColor: with(col("#4a3722"), "multiply", 0.75)}, ws)
	k.dial("plies", "how far the edges are worn", 0.4, param(el, es, "much", 0, 1))
	k.dial("grey", "by sun and rain", 0.66, amount(gl, 0.41, 1), param(gl, gs, "much", 0.12, 1))
	k.dial("water stains", "where it ran down", 0.4, param(wl, ws, "much", 0, 1))
	k.dial("grain", "how deep it stands", 0.5, heightOf(base, 0, 1))
	k.dirty("#1b150d", "#8f8672", 0.3)
	k.end()
}

// rings turns a slow noise into year rings: each grows darker and ends at once.
func rings(k *maker) *stack.Step {
	var list []any
	const n = 10
	for i := range n {
		at := float64(i) / n
		list = append(list, []any{at + 0.002, 0.95, 0.95, 0.95}, []any{at + 0.06, 0.65, 0.65, 0.65}, []any{at + 0.096, 0.15, 0.15, 0.15})
	}
	return k.shape("ramp", params{"between": "straight", "stops": list})
}

func endGrain() {
	k := begin("End grain, oak", "wood", 0.3, "wood", "block", "end", "chopping")
	rings := func() []*stack.Step {
		return []*stack.Step{
			k.src("noise-simplex", params{"frequency": 9.0, "octaves": 2.0, "persistence": 0.2, "amplitude": 1.5, "seed": 3.0}), rings(k),
			// pores, the ends of the vessels, and rays outward
			k.of("pits", "subtract", 0.5, params{"size": 0.0011, "amount": 0.85, "clump": 0.2, "seed": 4.0}),
			k.of("noise", "overlay", 0.35, params{"frequency": 30.0, "octaves": 9.0, "persistence": 0.62, "seed": 5.0}),
		}
	}
	base := k.layer("Rings", 1, coats{
		stack.BaseColor: made(append(rings(), k.ramp(0, "#3a2412", 0.4, "#7b5831", 0.8, "#a37f4e", 1, "#b6955f"))...),
		stack.Roughness: varied(0.6, 0.85, k.noise(90, 5, 6)), stack.Metallic: num(0), stack.Height: relief(-0.3, 0.05, rings()...),
	})
	k.faded("#8f8a80", 0.7, 0.6, 0.02, 14)
	cs := k.src("cracks", params{"size": 0.09, "seed": 12.0})
	cl := k.layer("Drying cracks", 0.7, coats{stack.BaseColor: col("#160f08"), stack.Height: mm(-1.2), stack.Roughness: num(0.95)}, cs,
		k.times("noise", params{"frequency": 7.0, "octaves": 5.0, "amplitude": 2.2, "seed": 13.0}), k.shape("levels", params{"low": 0.3, "high": 0.6}))
	ks := k.src("scour", params{"much": 0.35, "width": 0.0006, "size": 0.05, "seed": 15.0})
	kl := k.layer("Saw and knife", 0.8, coats{stack.BaseColor: with(col("#c4a878"), "normal", 0.6), stack.Height: mm(-0.25), stack.Roughness: num(0.9)}, ks)
	k.dial("cracked", "from the heart outward", 0.4, amount(cl, 0, 1))
	k.dial("cuts", "left by a saw", 0.35, param(kl, ks, "much", 0, 1))
	k.dial("grain", "how deep it stands", 0.5, heightOf(base, 0, 1))
	k.dirty("#1a120a", "#8b806c", 0.35)
	k.end()
}

func carvedLime() {
	k := begin("Carved lime wood", "wood", 0.25, "wood", "carving", "figure", "pale")
	gouge := func() []*stack.Step {
		return []*stack.Step{
			k.src("hammered", params{"size": 0.009, "deep": 1.0, "soft": 0.08, "stretch": 2.2, "along": []any{0.15, 1.0, 0.1}, "seed": 2.0}), k.shape("levels", params{"low": 0.0, "high": 0.4}),
			k.of("noise", "overlay", 0.12, params{"frequency": 26.0, "octaves": 8.0, "stretch": 3.0, "seed": 3.0}),
		}
	}
	base := k.layer("Lime", 1, coats{
		stack.BaseColor: made(k.src("woodgrain", params{"size": 0.0026, "late": 0.15, "knots": 0.05, "fibres": 0.6, "seed": 1.0}), k.of("noise", "overlay", 0.4, params{"frequency": 9.0, "octaves": 6.0, "seed": 4.0}), k.ramp(0, "#a2865c", 0.5, "#c0a67a", 1, "#d8c49d")),
		stack.Roughness: varied(0.5, 0.75, k.noise(40, 5, 5)), stack.Metallic: num(0), stack.Height: relief(-2.4, 0, gouge()...),
	})
	bs := k.src("bleach", params{"much": 0.65, "grain": 0.03, "breakup": 0.5, "chalk": 0.2, "sky": 0.2, "contrast": 0.2, "seed": 16.0})
	bl := k.layer("Browned", 0.85, coats{stack.BaseColor: with(col("#6f4a22"), "multiply", 0.62)}, bs)
	ws := k.src("nook", params{"much": 0.55, "grain": 0.008, "width": 0.004, "contrast": 0.25, "film": 0.3, "seed": 6.0})
	wl := k.layer("Wax in the cuts", 0.7, coats{stack.BaseColor: with(col("#5e3f1e"), "multiply", 0.8), stack.Roughness: num(0.45)}, ws)
	ts := k.src("touch", params{"much": 0.5, "grain": 0.01, "seed": 7.0})
	tl := k.layer("Polished by hands", 0.7, coats{stack.BaseColor: with(col("#8f6a38"), "multiply", 0.45), stack.Roughness: num(0.28)}, ts)
	k.dial("gouge marks", "from sanded to cut", 0.5, heightOf(base, 0, 1))
	k.dial("browned", "by light and years", 0.65, param(bl, bs, "much", 0, 1))
	k.dial("waxed", "dark in the cuts", 0.6, amount(wl, 0, 1), param(wl, ws, "much", 0.1, 1))
	k.dial("handled", "smooth where hands go", 0.5, param(tl, ts, "much", 0, 1))
	k.dirty("#2a1d0f", "#978b74", 0.3)
	k.end()
}

func saltTile() {
	k := begin("Salt-glazed tile", "stone", 1, "tile", "glaze", "stove", "brown")
	tiles := func() *stack.Step {
		return k.src("bricks", params{"size": 0.1, "aspect": 1.0, "offset": 0.0, "joint": 0.035, "bevel": 0.05, "rough": 0.12, "vary": 0.4, "seed": 1.0})
	}
	base := k.layer("Glaze", 1, coats{
		stack.BaseColor: made(k.src("noise-warped", params{"frequency": 8.0, "octaves": 7.0, "warp": 1.0, "amplitude": 1.5, "seed": 2.0}), k.of("bricks", "overlay", 0.4, params{"size": 0.1, "aspect": 1.0, "offset": 0.0, "joint": 0.035, "bevel": 0.05, "rough": 0.12, "vary": 0.9, "seed": 1.0}),
			k.of("speckle", "multiply", 0.35, params{"size": 0.002, "amount": 0.5, "seed": 5.0}), k.ramp(0, "#2b1710", 0.35, "#5a3018", 0.65, "#7f4c25", 1, "#a67a44")),
		stack.Roughness: varied(0.08, 0.3, k.noise(30, 5, 4)), stack.Metallic: num(0),
		stack.Height: relief(-1.8, 0.3, tiles(), k.of("pits", "multiply", 0.18, params{"size": 0.0026, "amount": 0.9, "clump": 0.1, "seed": 3.0})),
	})
	jl := k.layer("Joints", 1, coats{stack.BaseColor: made(k.noise(90, 5, 6), k.ramp(0.1, "#4d473c", 0.9, "#7d7462")), stack.Roughness: num(0.97)}, tiles(), k.shape("threshold", params{"cut": 0.08, "soft": 0.05}), k.shape("invert", nil))
	cs := k.src("veins", params{"size": 0.02, "width": 0.035, "wander": 1.6, "seed": 8.0})
	cl := k.layer("Crackle", 0.45, coats{stack.BaseColor: with(col("#20130b"), "multiply", 0.8), stack.Height: mm(-0.03), stack.Roughness: num(0.5)}, cs, k.shape("levels", params{"low": 0.5, "high": 0.85}))
	es := k.worn(0.16, 0.003, 0.006, 9)
	el := k.layer("Chipped", 1, coats{stack.BaseColor: made(k.noise(120, 5, 10), k.ramp(0.1, "#6d4630", 0.9, "#94694c")), stack.Roughness: num(0.95), stack.Height: rimmed(mm(-0.5), 0.0006, 0)}, es)
	k.dial("joints", "how much they show", 1, amount(jl, 0.2, 1))
	k.dial("crackle", "of the glaze", 0.45, amount(cl, 0, 1))
	k.dial("chipped", "at edges", 0.16, param(el, es, "much", 0, 1))
	k.dial("gloss", "of the glaze", 0.8, roughnessOf(base, 0.25, 1))
	k.dirty("#17110c", "#8f8674", 0.3)
	k.end()
}

func bone() {
	k := begin("Bone, weathered", "cloth", 0.2, "bone", "carving", "pale", "handle")
	pores := func() []*stack.Step {
		return []*stack.Step{
			k.src("fibres", params{"size": 0.012, "width": 0.00022, "amount": 0.9, "towards": []any{0.0, 1.0, 0.0}, "spread": 0.08, "bow": 0.1, "seed": 1.0}),
			k.of("pits", "subtract", 0.6, params{"size": 0.0013, "amount": 0.45, "clump": 0.7, "stretch": 3.0, "seed": 2.0}),
		}
	}
	base := k.layer("Bone", 1, coats{
		stack.BaseColor: made(k.src("noise", params{"frequency": 16.0, "octaves": 9.0, "persistence": 0.58, "stretch": 3.0, "amplitude": 1.3, "seed": 3.0}), k.of("fibres", "overlay", 0.4, params{"size": 0.012, "width": 0.00022, "amount": 0.9, "towards": []any{0.0, 1.0, 0.0}, "spread": 0.08, "seed": 1.0}), k.ramp(0.1, "#b19f7d", 0.5, "#d2c4a3", 0.9, "#e6dcc3")),
		stack.Roughness: varied(0.35, 0.6, k.noise(50, 5, 4)), stack.Metallic: num(0), stack.Height: relief(-0.15, 0.02, pores()...),
	})
	ys := k.src("nook", params{"much": 0.5, "grain": 0.01, "width": 0.006, "contrast": 0.2, "film": 0.4, "seed": 5.0})
	yl := k.layer("Yellowed", 0.7, coats{stack.BaseColor: with(col("#a3763a"), "multiply", 0.7)}, ys)
	cs := k.src("cracks", params{"size": 0.016, "width": 0.03, "wander": 0.35, "stretch": 3.0, "broken": 0.3, "finer": 0.6, "seed": 6.0})
	cl := k.layer("Fine cracks", 0.8, coats{stack.BaseColor: col("#4b3820"), stack.Height: mm(-0.12)}, cs, k.times("noise", params{"frequency": 18.0, "octaves": 4.0, "amplitude": 2.0, "seed": 7.0}), k.shape("levels", params{"low": 0.4, "high": 0.7}))
	ps := k.src("touch", params{"much": 0.45, "grain": 0.008, "seed": 8.0})
	pl := k.layer("Polished", 0.8, coats{stack.Roughness: num(0.16), stack.BaseColor: with(col("#c9a765"), "multiply", 0.35)}, ps)
	k.dial("yellowed", "by age, in the hollows", 0.5, amount(yl, 0, 1), param(yl, ys, "much", 0.1, 1))
	k.dial("cracked", "along its length", 0.45, amount(cl, 0, 1))
	k.dial("polished", "where hands go", 0.45, param(pl, ps, "much", 0, 1))
	k.dial("pores", "how deep", 0.5, heightOf(base, 0, 1))
	k.dirty("#2c2214", "#9a907c", 0.3)
	k.end()
}

func horn() {
	k := begin("Horn, polished", "cloth", 0.15, "horn", "dark", "handle", "translucent")
	cloud := func() []*stack.Step {
		return []*stack.Step{
			k.src("noise-warped", params{"frequency": 13.0, "octaves": 6.0, "warp": 1.4, "amplitude": 1.6, "seed": 1.0}),
			k.of("fibres", "overlay", 0.45, params{"size": 0.05, "width": 0.0005, "amount": 1.0, "towards": []any{0.0, 1.0, 0.0}, "spread": 0.05, "bow": 0.2, "seed": 2.0}),
		}
	}
	base := k.layer("Horn", 1, coats{
		stack.BaseColor: made(append(cloud(), k.ramp(0.05, "#0b0907", 0.35, "#1c140d", 0.6, "#39281a", 0.82, "#5d4427", 1, "#86683d"))...),
		stack.Roughness: varied(0.08, 0.22, k.noise(60, 5, 4)), stack.Metallic: num(0),
		stack.Height: relief(-0.05, 0.02, k.src("fibres", params{"size": 0.05, "width": 0.0005, "amount": 1.0, "towards": []any{0.0, 1.0, 0.0}, "spread": 0.05, "seed": 2.0})),
	})
	ss := k.src("scour", params{"much": 0.35, "width": 0.0003, "size": 0.03, "seed": 5.0})
	sl := k.layer("Scratches", 0.6, coats{stack.Roughness: num(0.55), stack.Height: mm(-0.02), stack.BaseColor: with(col("#bda883"), "screen", 0.2)}, ss)
	ds := k.worn(0.35, 0.005, 0.01, 6)
	dl := k.layer("Dry edges", 0.8, coats{stack.BaseColor: made(k.noise(70, 5, 7), k.ramp(0.1, "#6d5a3e", 0.9, "#a08c69")), stack.Roughness: num(0.7)}, ds)
	k.dial("scratched", "by use", 0.35, param(sl, ss, "much", 0, 1))
	k.dial("dry", "pale where it flakes", 0.35, param(dl, ds, "much", 0, 1))
	k.dial("polish", "from dull to bright", 0.8, roughnessOf(base, 0.2, 1))
	k.dirty("#15100a", "#8e846f", 0.25)
	k.end()
}

func glass() {
	k := begin("Old glass, salted", "stone", 0.3, "glass", "pane", "lamp", "clear")
	base := k.layer("Glass", 1, coats{
		stack.BaseColor: made(k.noise(4, 4, 1), k.ramp(0.2, "#9fb3a6", 0.8, "#c3d2c6")), stack.Roughness: num(0.04), stack.Metallic: num(0),
		stack.Opacity: num(0.22), stack.Height: relief(-0.25, 0.25, k.src("noise-simplex", params{"frequency": 18.0, "octaves": 3.0, "stretch": 2.0, "seed": 2.0})),
	})
	bs := k.src("bubbles", params{"size": 0.005, "amount": 0.35, "rim": 0.85, "stretch": 1.7, "seed": 4.0})
	bl := k.layer("Seeds in it", 0.7, coats{stack.Opacity: num(0.5), stack.BaseColor: with(col("#e3ece6"), "normal", 0.8), stack.Height: mm(0.05)}, bs, k.shape("levels", params{"low": 0.05, "high": 0.95}))
	ss := k.src("settle", params{"much": 0.4, "grain": 0.01, "breakup": 0.9, "drifts": 0.4, "seed": 5.0})
	sl := k.layer("Salt bloom", 0.85, coats{stack.BaseColor: col("#d3d5d0"), stack.Roughness: num(0.8), stack.Opacity: num(0.8)}, ss, k.times("blooms", params{"size": 0.012, "seed": 6.0}))
	gs := k.src("nook", params{"much": 0.5, "grain": 0.01, "width": 0.008, "contrast": 0.3, "film": 0.12, "seed": 7.0})
	gl := k.layer("Grime", 0.85, coats{stack.BaseColor: col("#35301f"), stack.Roughness: num(0.75), stack.Opacity: num(0.85)}, gs)
	k.dial("clear", "how much is seen through it", 0.7, value(base, stack.Opacity, 0.6, 0.06))
	k.dial("waves", "of a cast pane", 0.5, heightOf(base, 0, 1))
	k.dial("seeds", "bubbles in it", 0.5, amount(bl, 0, 1))
	k.dial("salt", "dried on it", 0.4, param(sl, ss, "much", 0, 1))
	k.dial("how dirty", "in the corners", 0.4, param(gl, gs, "much", 0, 1))
	k.end()
}

func rubber() {
	k := begin("Rubber, perished", "cloth", 0.5, "rubber", "fender", "seal", "black")
	base := k.layer("Rubber", 1, coats{
		stack.BaseColor: made(k.noise(12, 7, 1), k.ramp(0.15, "#101011", 0.85, "#242425")), stack.Roughness: varied(0.5, 0.75, k.noise(24, 6, 2)), stack.Metallic: num(0),
		stack.Height: relief(-0.08, 0.08, k.noise(90, 6, 3)),
	})
	bs := k.src("bleach", params{"much": 0.62, "grain": 0.02, "breakup": 0.7, "chalk": 0.5, "sky": 0.7, "seed": 4.0})
	bl := k.layer("Bloom", 0.85, coats{stack.BaseColor: made(k.noise(40, 6, 5), k.ramp(0.1, "#3e3f42", 0.9, "#65676a")), stack.Roughness: num(0.9)}, bs)
	// where ozone and sun get at it a net of short, gaping cracks
	cs := k.src("cracks", params{"size": 0.007, "width": 0.09, "wander": 0.5, "broken": 0.2, "finer": 0.8, "seed": 6.0})
	cl := k.layer("Perished", 1, coats{stack.BaseColor: col("#050505"), stack.Height: mm(-0.45), stack.Roughness: num(0.98)}, cs, k.of("noise", "multiply", 0.8, params{"frequency": 14.0, "octaves": 6.0, "amplitude": 1.8, "offset": 0.2, "seed": 7.0}), k.shape("levels", params{"low": 0.2, "high": 0.45}),
		k.times("bleach", params{"much": 0.9, "grain": 0.03, "sky": 1.0, "seed": 10.0})) // it goes where it lies open, over the years
	ss := k.src("scour", params{"much": 0.45, "width": 0.0009, "size": 0.06, "seed": 8.0})
	sl := k.layer("Scuffs of paint", 0.8, coats{stack.BaseColor: col("#a9a79c"), stack.Roughness: num(0.8), stack.Height: mm(0.02)}, ss, k.times("noise", params{"frequency": 9.0, "octaves": 5.0, "amplitude": 2.0, "seed": 9.0}))
	k.dial("bloom", "grey where the sun was", 0.6, amount(bl, 0.25, 1), param(bl, bs, "much", 0.1, 1))
	k.dial("perished", "cracked all over", 0.6, amount(cl, 0, 1))
	k.dial("scuffs", "off the hulls that lay there", 0.45, param(sl, ss, "much", 0, 1))
	wet := k.layer("Wet", 0.3, coats{stack.Roughness: num(0.1)}, k.noise(9, 5, 11), k.shape("levels", params{"low": 0.3, "high": 0.7}))
	k.dial("wet", "from dry to shining", 0.3, amount(wet, 0, 1))
	k.dial("skin", "how rough it was cast", 0.5, heightOf(base, 0, 1))
	k.dirty("#171512", "#8a8372", 0.35)
	k.end()
}
