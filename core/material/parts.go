package material

import (
	"velvetgrime/core/blend"
	"velvetgrime/core/stack"
)

// What many materials share: how they wear, rust, gather dirt and dust.

// worn is where edges and what is touched are rubbed; width in metres.
func (k *maker) worn(much, width, grain, seed float64) *stack.Step {
	return k.src("rub", params{"much": much, "width": width, "grain": grain, "breakup": 0.8, "contrast": 0.85, "strays": 0.45,
		"variation": 0.6, "touched": 0.8, "seed": seed, "fine": 0.7})
}

// rustColours is iron going from black scale over brown to what is fresh and lighter, in patches,
// granular down to the texel. Orange is rare: a bright, smooth one reads as embers.
func (k *maker) rustColours(frequency float64) stack.Coat {
	return made(
		k.src("noise", params{"frequency": frequency * 0.8, "octaves": 7.0, "persistence": 0.66, "amplitude": 1.35, "seed": 33.0}),
		k.of("noise", "overlay", 0.55, params{"frequency": frequency * 11, "octaves": 5.0, "persistence": 0.7, "amplitude": 2.0, "seed": 34.0}),
		k.ramp(0.1, "#1b110b", 0.32, "#381c0e", 0.52, "#542b14", 0.72, "#71401d", 0.9, "#925826", 1, "#b07c3c"))
}

// skin is what air makes of a metal, or years of a stone: clouds at every scale down to the texel.
// Clouds that are pushed about read as marble.
func (k *maker) skin(frequency, seed float64) []*stack.Step {
	return []*stack.Step{
		k.src("noise", params{"frequency": frequency, "octaves": 8.0, "persistence": 0.62, "amplitude": 1.5, "seed": seed}),
		k.of("noise", "overlay", 0.5, params{"frequency": frequency * 16, "octaves": 5.0, "persistence": 0.72, "amplitude": 2.0, "seed": seed + 40}),
	}
}

// grit is grain that is seen close up alone, dark and light.
func (k *maker) grit(frequency float64, amount float32, seed float64) *stack.Step {
	return k.of("noise", "overlay", amount, params{"frequency": frequency, "octaves": 4.0, "persistence": 0.75, "amplitude": 2.2, "seed": seed})
}

// rust adds rust that begins where layer shows, or, with an empty name, at what lies open.
func (k *maker) rust(much float64, from *stack.Layer, below bool) (*stack.Layer, *stack.Step) {
	p := params{"much": much, "rate": 0.014, "grain": 0.006, "breakup": 0.8, "contrast": 0.5, "uneven": 0.7, "seeds": 0.5, "seed": 21.0}
	if from != nil {
		p["from"], p["layer"], p["what"], p["below"] = "what it follows", from.ID, "mask", below
	}
	s := k.src("creep", p)
	l := k.layer("Rust", 1, coats{
		stack.BaseColor: k.rustColours(42), stack.Roughness: num(0.92), stack.Metallic: num(0),
		stack.Height: relief(-0.1, 0.5,
			k.src("noise", params{"frequency": 150.0, "octaves": 6.0, "persistence": 0.62, "amplitude": 1.4, "seed": 12.0}),
			k.of("pits", "subtract", 0.5, params{"size": 0.008, "amount": 0.55, "seed": 4.0})),
	}, s)
	return l, s
}

// grime adds dirt in the hollows.
func (k *maker) grime(color string, much float64) (*stack.Layer, *stack.Step) {
	s := k.src("nook", params{"much": much, "grain": 0.012, "width": 0.006, "contrast": 0.3, "film": 0.25, "seed": 7.0})
	l := k.layer("Grime", 0.85, coats{stack.BaseColor: with(col(color), blend.Normal, 0.9), stack.Roughness: num(0.85), stack.Metallic: num(0)}, s)
	return l, s
}

// dust adds what settles on what looks up.
func (k *maker) dust(color string, much float64) (*stack.Layer, *stack.Step) {
	s := k.src("settle", params{"much": much, "grain": 0.018, "breakup": 0.8, "drifts": 0.7, "seed": 4.0})
	l := k.layer("Dust", 0.6, coats{stack.BaseColor: col(color), stack.Roughness: num(0.96), stack.Metallic: num(0)}, s)
	return l, s
}

// faded takes what lies open to sky and sun towards a colour over the years, unevenly, and adds its
// dial; mix, 0..1, is how far at most, usual, 0..1, where the dial stands, grain the size of its marks
// in metres.
func (k *maker) faded(color string, mix float32, usual, grain, seed float64) {
	s := k.src("bleach", params{"much": usual, "grain": grain, "breakup": 0.7, "chalk": 0.45, "sky": 0.6, "seed": seed})
	l := k.layer("Faded", 0.95, coats{stack.BaseColor: with(col(color), blend.Normal, mix)}, s)
	k.dial("faded", "by sun and years", usual, param(l, s, "much", 0, 1))
}

// dirty adds grime and dust and the dial for both.
func (k *maker) dirty(grime, dust string, usual float64) {
	g, gs := k.grime(grime, 0.5)
	d, ds := k.dust(dust, 0.35)
	k.dial("how dirty", "dirt in the hollows and dust on what looks up", usual,
		param(g, gs, "much", 0, 1), param(d, ds, "much", 0, 0.8))
}
