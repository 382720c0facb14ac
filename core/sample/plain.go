package sample

import (
	"velvetgrime/core/blend"
	"velvetgrime/core/stack"
)

// PlainBollard is a light stack for the mooring bollard, of fills, noises and gradients
// alone: for measuring and for driving the interface, where the stack is not the point.
func PlainBollard() *stack.Document {
	stepCount = 0
	d := stack.New([]string{"Cast iron"}, 1024)
	chips := func(low, high float64) []*stack.Step {
		p := noiseP("clouds", 7, 8, 5)
		p["persistence"] = 0.6
		return []*stack.Step{src("noise", blend.Normal, 1, p), shape("levels", params{"low": low, "high": high})}
	}
	d.Layers = []*stack.Layer{
		layer("iron", "Bare iron", 1, nil, coats{stack.BaseColor: col("#403c39"), stack.Roughness: num(0.55), stack.Metallic: num(0.8)}),
		layer("skin", "Cast skin", 1, nil, coats{stack.Height: mm(0.9), stack.Roughness: num(0.7)}, src("noise", blend.Normal, 1, noiseP("billow", 90, 5, 4))),
		layer("paint", "Tar paint", 1, nil, coats{stack.BaseColor: col("#17181a"), stack.Roughness: num(0.34), stack.Metallic: num(0), stack.Height: mm(0.3)}, append(chips(0.40, 0.42), hand())...),
		layer("band", "White band", 0.95, nil, coats{stack.BaseColor: col("#c8c3b4"), stack.Roughness: num(0.45), stack.Metallic: num(0)},
			append(chips(0.47, 0.49), src("gradient", "multiply", 1, params{"axis": "up", "start": 0.885, "end": 0.89}))...),
		layer("rust", "Rust", 0.95, nil, coats{stack.BaseColor: col("#71391b"), stack.Roughness: num(0.9), stack.Metallic: num(0), stack.Height: mm(0.3)},
			append(chips(0.36, 0.45), shape("invert", nil), src("noise", "multiply", 1, noiseP("clouds", 60, 6, 40)), shape("levels", params{"low": 0.1, "high": 0.45}))...),
		layer("weed", "Weed at the foot", 0.8, nil, coats{stack.BaseColor: col("#3c4526"), stack.Roughness: num(0.75), stack.Metallic: num(0), stack.Height: mm(0.5)},
			src("gradient", blend.Normal, 1, params{"axis": "down", "start": 0.7, "end": 1.0}), src("noise", "multiply", 1, noiseP("clouds", 30, 6, 3)), shape("levels", params{"low": 0.2, "high": 0.45})),
		layer("salt", "Salt and droppings", 0.5, nil, coats{stack.BaseColor: col("#cfcabb"), stack.Roughness: num(0.9), stack.Metallic: num(0)},
			src("facing", blend.Normal, 1, params{"axis": "up", "start": 0.5, "end": 1.0}), src("noise", "multiply", 1, noiseP("clouds", 19, 7, 19)), shape("levels", params{"low": 0.5, "high": 0.66})),
	}
	return d
}
