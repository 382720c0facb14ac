package sample

import (
	"velvetgrime/core/blend"
	"velvetgrime/core/stack"
)

// BollardDocument is the stack of the mooring bollard: tar paint worn off by hawsers,
// rust, weed at the waterline, and what the gulls leave.
func BollardDocument() *stack.Document {
	stepCount = 0
	d := stack.New([]string{"Cast iron"}, 1024)
	d.Conditions = landing()
	d.Conditions.Age, d.Conditions.Wetness, d.Conditions.Water = 40, 0.75, 0.10
	d.Conditions.Touch = []stack.Touch{
		{Name: "Hawser, front", Pos: [3]float32{0.02, 0.30, 0.117}, Radius: 0.16},
		{Name: "Hawser, side", Pos: [3]float32{0.117, 0.28, -0.02}, Radius: 0.13},
		{Name: "Horn, right", Pos: [3]float32{0.2, 0.41, 0.02}, Radius: 0.09},
		{Name: "Horn, left", Pos: [3]float32{-0.2, 0.41, 0.02}, Radius: 0.09},
	}
	worn := func(much float64) *stack.Step {
		return src("rub", blend.Normal, 1, params{"much": much, "width": 0.006, "grain": 0.016, "breakup": 0.8, "contrast": 0.9, "strays": 0.5, "variation": 0.6, "touched": 0.9, "seed": 5.0, "fine": 0.72})
	}
	d.Layers = []*stack.Layer{
		layer("iron", "Bare iron", 1, nil, coats{
			stack.BaseColor: made(src("noise", blend.Normal, 1, params{"frequency": 18.0, "octaves": 7.0, "amplitude": 1.4}), ramp("smooth", 0.2, "#3a3532", 0.8, "#5d5752")),
			stack.Roughness: varied(0.34, 0.62, src("noise", blend.Normal, 1, params{"frequency": 40.0, "octaves": 7.0, "amplitude": 1.5, "seed": 2.0})), stack.Metallic: num(0.85)}),
		layer("skin", "Cast skin", 1, nil, coats{stack.Height: scaled(-0.15, 0.42, src("noise-billow", blend.Normal, 1, params{"frequency": 130.0, "octaves": 5.0, "seed": 4.0}), src("noise", "overlay", 0.7, noiseP("clouds", 14, 4, 8))), stack.Roughness: num(0.6)}),
		layer("hawser", "Hawser scour", 0.8, nil, coats{stack.Roughness: num(0.3), stack.BaseColor: with(col("#8b8680"), blend.Normal, 0.6)},
			src("scour", blend.Normal, 1, params{"much": 0.75, "size": 0.12, "width": 0.0012, "towards": []any{1.0, 0.06, 0.3}, "spread": 0.12, "standing": 0.1, "touched": 1.0})),
		layer("paint", "Tar paint", 1, nil, coats{
			stack.BaseColor: made(src("noise", blend.Normal, 1, params{"frequency": 9.0, "octaves": 7.0, "amplitude": 1.3, "seed": 14.0}), ramp("smooth", 0.2, "#0f1011", 0.8, "#222325")),
			stack.Roughness: varied(0.26, 0.52, src("noise", blend.Normal, 1, params{"frequency": 12.0, "octaves": 7.0, "amplitude": 1.6, "seed": 3.0})),
			stack.Metallic:  num(0), stack.Height: rimmed(mm(0.7), 0.0022, 0.4)}, worn(0.56), shape("invert", nil), hand()),
		layer("sags", "Sags in the paint", 0.8, nil, coats{stack.Height: mm(0.6)},
			src("drips", blend.Normal, 1, params{"size": 0.12, "wide": 0.09, "amount": 0.5, "count": 3.0}), src("follow", "multiply", 1, params{"layer": "paint", "what": "mask"})),
		layer("band", "White band", 1, nil, coats{
			stack.BaseColor: made(src("noise", blend.Normal, 1, params{"frequency": 22.0, "octaves": 7.0, "amplitude": 1.4, "seed": 6.0}), ramp("smooth", 0.15, "#a9a392", 0.8, "#cdc8b9")), stack.Roughness: num(0.46), stack.Metallic: num(0), stack.Height: rimmed(mm(0.25), 0.0012, 0.3)},
			worn(0.66), shape("invert", nil), src("gradient", "multiply", 1, params{"axis": "up", "start": 0.886, "end": 0.889})),
		layer("rust-stain", "Rust stain", 0.55, nil, coats{stack.BaseColor: with(col("#6b3a20"), "multiply", 0.8), stack.Roughness: num(0.6)},
			src("creep", blend.Normal, 1, params{"from": "what it follows", "layer": "paint", "what": "mask", "below": true, "much": 0.7, "rate": 0.03, "grain": 0.012, "breakup": 0.5, "contrast": 0.0, "uneven": 0.7, "seeds": 0.5, "seed": 3.0})),
		layer("rust", "Rust", 1, nil, coats{
			stack.BaseColor: made(rustColours(34)...), stack.Roughness: num(0.9), stack.Metallic: num(0), stack.Height: scaled(-0.1, 0.8, rustHeight(110)...)},
			src("creep", blend.Normal, 1, params{"from": "what it follows", "layer": "paint", "what": "mask", "below": true, "much": 0.66, "rate": 0.016, "grain": 0.008, "breakup": 0.8, "contrast": 0.4, "uneven": 0.7, "seeds": 0.5, "fine": 0.75, "seed": 3.0}),
			src("touch", "subtract", 0.85, params{"much": 0.8, "fingers": 0.0, "reach": 0.8})),
		layer("runs", "Rust runs", 0.85, nil, coats{stack.BaseColor: with(made(src("noise", blend.Normal, 1, noiseP("clouds", 60, 5, 6)), ramp("smooth", 0.2, "#3c1f10", 0.8, "#7d4b26")), blend.Normal, 0.85), stack.Roughness: num(0.68), stack.Metallic: with(num(0), blend.Normal, 0.8)},
			src("run", blend.Normal, 1, params{"from": "what it follows", "layer": "rust", "what": "mask", "count": 420.0, "width": 0.006, "length": 0.11, "streaks": 0.75, "breakup": 0.6, "contrast": 0.4, "much": 0.62, "grain": 0.01, "seed": 4.0})),
		layer("grime", "Grime", 0.8, nil, coats{stack.BaseColor: col("#15110d"), stack.Roughness: num(0.84), stack.Metallic: num(0)},
			src("nook", blend.Normal, 1, params{"much": 0.55, "grain": 0.016, "width": 0.006, "contrast": 0.3, "film": 0.2, "seed": 7.0})),
		layer("weed", "Weed at the foot", 1, nil, coats{
			stack.BaseColor: made(src("noise-warped", blend.Normal, 1, params{"frequency": 30.0, "octaves": 6.0, "amplitude": 1.5, "seed": 3.0}), src("tufts", "overlay", 0.6, params{"size": 0.012}), ramp("smooth", 0.05, "#161c0c", 0.45, "#344019", 0.8, "#586428", 1, "#7d8440")),
			stack.Roughness: varied(0.35, 0.8, src("noise", blend.Normal, 1, noiseP("clouds", 60, 6, 7))), stack.Metallic: num(0), stack.Height: scaled(0, 2.2, src("tufts", blend.Normal, 1, params{"size": 0.011, "amount": 0.95, "fuzz": 0.6}), src("noise", "overlay", 0.5, noiseP("clouds", 220, 5, 9)))},
			src("tide", blend.Normal, 1, params{"from": "waterline", "height": 0.055, "fade": 0.06, "much": 0.75, "grain": 0.014, "breakup": 0.85, "splashed": 0.15, "soaked": 0.8, "contrast": 0.5, "seed": 5.0})),
		layer("barnacles", "Barnacles", 1, nil, coats{
			stack.BaseColor: made(append(shells(), ramp("smooth", 0, "#4e4738", 0.3, "#8a836e", 0.75, "#b9b29d", 1, "#cfcab8"))...),
			stack.Roughness: num(0.86), stack.Metallic: num(0), stack.Height: scaled(0, 4, shells()...)},
			append(shells(), shape("threshold", params{"cut": 0.1, "soft": 0.15}), src("gradient", "multiply", 1, params{"axis": "down", "start": 0.83, "end": 0.92}),
				// in colonies, and the thinner the farther from the water
				src("noise", "multiply", 1, params{"frequency": 9.0, "octaves": 4.0, "amplitude": 2.4, "seed": 51.0}), shape("levels", params{"low": 0.44, "high": 0.6}))...),
		layer("saltline", "Salt rings", 0.6, nil, coats{stack.BaseColor: col("#b9b3a2"), stack.Roughness: num(0.93), stack.Metallic: num(0)},
			src("tide", blend.Normal, 1, params{"from": "waterline", "lies": "in lines", "height": 0.2, "lines": 5.0, "much": 0.7, "grain": 0.012, "breakup": 0.8}), src("noise", "multiply", 1, params{"frequency": 90.0, "octaves": 6.0, "amplitude": 2.0, "seed": 22.0})),
		layer("salt", "Salt and droppings", 0.95, nil, coats{stack.BaseColor: made(src("noise", blend.Normal, 1, noiseP("clouds", 60, 6, 13)), ramp("smooth", 0.25, "#8f8b7d", 0.45, "#c9c5b7", 0.8, "#e0ddd2")), stack.Roughness: num(0.88), stack.Metallic: num(0), stack.Height: mm(0.35)},
			src("splatter", blend.Normal, 1, params{"size": 0.16, "amount": 0.75, "burst": 0.8, "satellites": 0.7, "seed": 9.0}), src("facing", "multiply", 1, params{"axis": "up", "start": 0.35, "end": 0.75}), src("gradient", "multiply", 1, params{"axis": "up", "start": 0.75, "end": 0.85}),
			src("run", "screen", 0.85, params{"from": "rain", "count": 26.0, "width": 0.006, "length": 0.09, "streaks": 0.45, "much": 0.8, "rim": 0.1, "contrast": 0.7, "seed": 31.0})),
		layer("dust", "Settled grit", 0.5, nil, coats{stack.BaseColor: col("#8a8271"), stack.Roughness: num(0.95), stack.Metallic: num(0)},
			src("settle", blend.Normal, 1, params{"much": 0.4, "grain": 0.02, "breakup": 0.8, "drifts": 0.85, "seed": 4.0})),
	}
	return d
}

// shells are barnacles, old and young ones between each other.
func shells() []*stack.Step {
	return []*stack.Step{
		src("barnacles", blend.Normal, 1, params{"size": 0.019, "amount": 0.5, "clump": 0.9}),
		src("barnacles", "lighten", 0.85, params{"size": 0.0095, "amount": 0.5, "clump": 0.8, "seed": 7.0}),
		src("barnacles", "lighten", 0.6, params{"size": 0.005, "amount": 0.4, "clump": 0.7, "seed": 12.0}),
	}
}
