package material

import "velvetgrime/core/stack"

func init() {
	coat{name: "Enamel, red", tags: []string{"paint", "glossy", "signal"}, dark: "#6f0f12", light: "#8f1a1a", rough: [2]float32{0.12, 0.26}, under: "#3f3b38", metal: 0.85, thick: 0.35}.make()
	coat{name: "Enamel, cream", tags: []string{"paint", "glossy", "cabin"}, dark: "#bfb193", light: "#d3c6a8", rough: [2]float32{0.14, 0.28}, under: "#3f3b38", metal: 0.85, thick: 0.35}.make()
	coat{name: "Deck paint, green", tags: []string{"paint", "matt", "deck"}, dark: "#2c4238", light: "#3b5548", rough: [2]float32{0.5, 0.72}, under: "#7a3a26", metal: 0, thick: 0.5}.make()
	coat{name: "Red lead primer", tags: []string{"paint", "matt", "primer"}, dark: "#8e3219", light: "#a9431f", rough: [2]float32{0.62, 0.82}, under: "#45403c", metal: 0.8, thick: 0.25}.make()
	coat{name: "Tar", tags: []string{"tar", "black", "hull"}, dark: "#0b0b0c", light: "#17171a", rough: [2]float32{0.2, 0.55}, under: "#5d4a35", metal: 0, thick: 0.8, runs: true}.make()
	limewash()
	gilding()
}

// coat is a paint over something else, worn through at edges.
type coat struct {
	name        string
	tags        []string
	dark, light string
	rough       [2]float32
	under       string
	metal       float32 // of what lies under it
	thick       float32 // millimetres
	runs        bool
}

func (c coat) make() {
	k := begin(c.name, "coat", 0.5, c.tags...)
	k.layer("Under it", 1, coats{
		stack.BaseColor: made(k.noise(20, 7, 1), k.ramp(0.2, darker(c.under, 0.75), 0.8, c.under)),
		stack.Roughness: varied(0.45, 0.75, k.noise(50, 6, 2)), stack.Metallic: num(c.metal),
		stack.Height: relief(-0.08, 0.08, k.noise(180, 5, 3)),
	})
	ws := k.worn(0.42, 0.005, 0.014, 5)
	body := k.layer("Coat", 1, coats{
		// one pot of paint: it differs little, and slowly, from place to place
		stack.BaseColor: made(k.noise(2.5, 5, 14), k.ramp(0, between(c.dark, c.light, 0.3), 1, between(c.dark, c.light, 0.75))),
		stack.Roughness: varied(c.rough[0], c.rough[1], k.noise(14, 7, 3)), stack.Metallic: num(0),
		stack.Height: rimmed(mm(c.thick), 0.0016, 0.45),
	}, ws, k.shape("invert", nil))
	if c.runs {
		k.layer("Sags", 0.9, coats{stack.Height: mm(0.7)},
			k.src("drips", params{"size": 0.1, "wide": 0.09, "amount": 0.55, "count": 3.0, "seed": 17.0}),
			k.times("follow", params{"layer": body.ID, "what": "mask"}))
	}
	bs := k.src("bleach", params{"much": 0.4, "grain": 0.02, "seed": 6.0})
	bl := k.layer("Faded", 0.6, coats{stack.BaseColor: with(col("#c9bfae"), "screen", 0.28), stack.Roughness: num(0.8)}, bs,
		k.times("follow", params{"layer": body.ID, "what": "mask"}))
	if c.metal > 0 {
		rl, rs := k.rust(0.5, body, true)
		k.dial("rust", "out of what is chipped", 0.5, param(rl, rs, "much", 0, 1))
	}
	k.dial("how worn", "chipped at edges and where it is touched", 0.42, param(body, ws, "much", 0, 1))
	k.dial("coat colour", "darker, or paler", 0.35, stack.Move{Layer: bl.ID, Path: "channels.baseColor.amount", From: []float64{0}, To: []float64{0.8}})
	k.dial("faded", "by sun and salt", 0.4, param(bl, bs, "much", 0, 1))
	k.dial("thickness", "of the coat", 0.5, value(body, stack.Height, 0.0001, 2*float64(c.thick)/1000))
	k.dirty("#14110e", "#857d6c", 0.35)
	k.end()
}

// darker is a colour by a factor.
func darker(color string, f float32) string { return between("#000000", color, f) }

// between is a colour on the way from one to another, in display values.
func between(a, b string, t float32) string {
	const digits = "0123456789abcdef"
	out := []byte("#")
	from, to := hex(a), hex(b)
	for i := range from {
		n := byte(max(min(from[i]+(to[i]-from[i])*t, 1), 0) * 255)
		out = append(out, digits[n>>4], digits[n&15])
	}
	return string(out)
}

func limewash() {
	k := begin("Limewash", "coat", 2, "lime", "wall", "chalky", "boathouse")
	k.layer("Plaster", 1, coats{
		stack.BaseColor: made(k.noise(6, 7, 1), k.ramp(0.2, "#8d8069", 0.8, "#a99b80")), stack.Roughness: num(0.95), stack.Metallic: num(0),
		stack.Height: relief(-1, 1, k.noise(14, 6, 2)),
	})
	// it comes off in scales, by the years and where the weather is; what stays goes to powder
	ws := k.src("noise", params{"frequency": 6.0, "octaves": 9.0, "persistence": 0.64, "amplitude": 1.9, "offset": 0.2, "seed": 4.0})
	as := k.of("bleach", "subtract", 0.45, params{"much": 0.75, "sky": 0.8, "grain": 0.012, "breakup": 0.9, "contrast": 0.5, "chalk": 0.6, "seed": 24.0})
	ls := k.shape("levels", params{"low": 0.24, "high": 0.3})
	brush := func() *stack.Step {
		return k.src("noise", params{"frequency": 190.0, "octaves": 5.0, "persistence": 0.6, "stretch": 14.0, "along": []any{0.35, 1.0, 0.2}, "amplitude": 1.7, "seed": 5.0})
	}
	wl := k.layer("Lime", 1, coats{
		stack.BaseColor: made(k.src("noise", params{"frequency": 3.0, "octaves": 9.0, "persistence": 0.6, "amplitude": 1.4, "seed": 7.0}), brushed(brush()), k.grit(900, 0.3, 27), k.ramp(0.05, "#a59c86", 0.4, "#cfc8b5", 0.75, "#e0dbcc", 1, "#ece9de")),
		stack.Roughness: num(0.97), stack.Metallic: num(0),
		stack.Height: rimmed(relief(0.2, 0.6, brush(), k.grit(700, 0.35, 28)), 0.0015, 0.35),
	}, ws, as, ls)
	rs := k.src("run", params{"from": "rain", "count": 160.0, "width": 0.02, "length": 0.6, "streaks": 0.8, "much": 0.45, "breakup": 0.6, "contrast": 0.2, "seed": 9.0})
	rl := k.layer("Rain streaks", 0.5, coats{stack.BaseColor: with(col("#6f6a58"), "multiply", 0.8)}, rs)
	k.dial("flaked", "how much has come off", 0.35, param(wl, ls, "low", 0, 0.6), param(wl, ls, "high", 0.06, 0.72))
	k.dial("streaks", "left by rain", 0.45, param(rl, rs, "much", 0, 1))
	k.dial("brush marks", "how deep", 0.5, stack.Move{Layer: wl.ID, Path: "channels.height.amount", From: []float64{0}, To: []float64{1}})
	k.dirty("#3a3425", "#a39a85", 0.35)
	k.end()
}

// brushed lays marks of a brush over what came before.
func brushed(s *stack.Step) *stack.Step {
	s.Blend, s.Amount = "overlay", 0.35
	return s
}

func gilding() {
	k := begin("Gilding, rubbed", "coat", 0.2, "gold", "leaf", "carving")
	k.layer("Red ground", 1, coats{
		stack.BaseColor: made(k.noise(30, 6, 1), k.ramp(0.2, "#56190f", 0.8, "#74291a")), stack.Roughness: num(0.6), stack.Metallic: num(0),
	})
	ws := k.worn(0.4, 0.003, 0.006, 5)
	// leaves lap over each other, wrinkle, and split in hair-fine lines
	laps := func() *stack.Step {
		return k.src("bricks", params{"size": 0.07, "aspect": 1.0, "joint": 0.006, "bevel": 0.03, "rough": 0.2, "vary": 0.6, "seed": 9.0})
	}
	gl := k.layer("Leaf", 1, coats{
		stack.BaseColor: made(k.noise(60, 9, 4), k.of("bricks", "overlay", 0.35, params{"size": 0.07, "aspect": 1.0, "joint": 0.006, "bevel": 0.03, "rough": 0.2, "vary": 0.6, "seed": 9.0}), k.ramp(0.1, "#a97a2a", 0.5, "#c99a42", 0.9, "#e0b765")), stack.Roughness: varied(0.14, 0.36, k.noise(160, 7, 6)),
		stack.Metallic: num(1), stack.Height: rimmed(relief(0, 0.05, laps(), k.of("noise-ridged", "overlay", 0.4, params{"frequency": 90.0, "octaves": 4.0, "seed": 10.0})), 0.0004, 0),
	}, ws, k.shape("invert", nil), k.of("cracks", "subtract", 0.8, params{"size": 0.016, "width": 0.008, "wander": 0.3, "broken": 0.6, "finer": 0.5, "seed": 8.0}))
	k.dial("rubbed", "through to the red ground", 0.4, param(gl, ws, "much", 0, 1))
	k.dial("gloss", "from burnished to dull", 0.3, stack.Move{Layer: gl.ID, Path: "channels.roughness.amount", From: []float64{1}, To: []float64{0.4}})
	k.dirty("#1d1108", "#8d8270", 0.45)
	k.end()
}
