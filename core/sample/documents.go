package sample

import (
	"fmt"
	"math"
	"slices"

	"velvetgrime/core/blend"
	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
)

type coats = map[stack.Channel]stack.Coat

func hex(s string) []float32 {
	var r, g, b int
	_, _ = fmt.Sscanf(s, "#%02x%02x%02x", &r, &g, &b)
	return []float32{float32(r) / 255, float32(g) / 255, float32(b) / 255}
}

func col(s string) stack.Coat {
	return stack.Coat{On: true, Value: hex(s), Blend: blend.Normal, Amount: 1}
}
func num(v float32) stack.Coat {
	return stack.Coat{On: true, Value: []float32{v}, Blend: blend.Normal, Amount: 1}
}
func with(c stack.Coat, m blend.Mode, amount float32) stack.Coat {
	c.Blend, c.Amount = m, amount
	return c
}

// mm is a coat of height.
func mm(v float32) stack.Coat { return with(num(v/1000), "add", 1) }

type params = map[string]any

var stepCount int

func src(kind string, mode blend.Mode, amount float32, p params) *stack.Step {
	stepCount++
	return &stack.Step{ID: fmt.Sprintf("step-%d", stepCount), Kind: kind, On: true, Blend: mode, Amount: amount, Params: p}
}

func shape(kind string, p params) *stack.Step { return src(kind, "", 1, p) }

func layer(id, name string, amount float32, sheets []string, c coats, stream ...*stack.Step) *stack.Layer {
	return &stack.Layer{ID: id, Name: name, Kind: stack.Fill, Visible: true, Amount: amount, Reach: stack.Reach{Sheets: sheets}, Channels: c, Mask: stream}
}

func noiseP(kind string, freq float64, oct int, seed int) params {
	return params{"kind": kind, "frequency": freq, "octaves": float64(oct), "seed": float64(seed)}
}

func stream(steps ...*stack.Step) []*stack.Step { return steps }

func hand() *stack.Step { return src("hand", "", 1, nil) }

// LanternDocument is the stack of the signal lantern.
func LanternDocument() *stack.Document {
	stepCount = 0
	iron, enamel, brass := "Cast iron", "Enamel", "Brass"
	d := stack.New([]string{iron, enamel, brass, "Glass", "Rope"}, 1024)
	chips := func(low, high float64) []*stack.Step {
		// one field of damage for every coat of the enamel: the deeper the coat, the smaller its hole
		p := noiseP("clouds", 34, 7, 21)
		p["persistence"] = 0.62
		g := params{"axis": "up", "start": -0.2, "end": 0.32}
		return []*stack.Step{src("noise", blend.Normal, 1, p), src("gradient", "soft light", 0.75, g), shape("levels", params{"low": low, "high": high})}
	}
	all := []*stack.Layer{
		layer("bare-iron", "Bare iron", 1, []string{iron, enamel}, coats{stack.BaseColor: col("#45403c"), stack.Roughness: num(0.58), stack.Metallic: num(0.8)}),
		layer("cast-skin", "Cast skin", 1, []string{iron}, coats{stack.BaseColor: with(col("#26231f"), "multiply", 0.3), stack.Roughness: num(0.7), stack.Height: mm(0.34)},
			src("noise", blend.Normal, 1, noiseP("billow", 340, 5, 4)), src("noise", "overlay", 0.7, noiseP("clouds", 45, 4, 9)), shape("levels", params{"low": 0.12, "high": 0.72})),
		layer("brass", "Brass", 1, []string{brass}, coats{stack.BaseColor: col("#c19a50"), stack.Roughness: num(0.27), stack.Metallic: num(1)}),
		layer("hand-rub", "Hand rub", 0.8, []string{brass}, coats{stack.Roughness: num(0.42), stack.BaseColor: with(col("#8d7440"), blend.Normal, 0.55)},
			src("noise", blend.Normal, 1, noiseP("clouds", 240, 7, 31)), shape("levels", params{"low": 0.34, "high": 0.7})),
		layer("tarnish", "Tarnish", 0.9, []string{brass}, coats{stack.BaseColor: col("#4a3a22"), stack.Roughness: num(0.62), stack.Metallic: num(0.55)},
			src("noise", blend.Normal, 1, noiseP("clouds", 42, 6, 12)), src("facing", "multiply", 0.4, params{"axis": "down", "start": -0.8, "end": 0.6}), shape("levels", params{"low": 0.40, "high": 0.66, "outHigh": 0.9})),
		layer("verdigris", "Verdigris", 0.8, []string{brass}, coats{stack.BaseColor: col("#5f8a78"), stack.Roughness: num(0.85), stack.Metallic: num(0), stack.Height: mm(0.06)},
			src("noise", blend.Normal, 1, noiseP("clouds", 95, 7, 77)), shape("levels", params{"low": 0.60, "high": 0.74})),
		layer("rope", "Tarred rope", 1, []string{"Rope"}, coats{stack.BaseColor: col("#5b4530"), stack.Roughness: num(0.82), stack.Metallic: num(0)}),
		layer("fibres", "Fibres and tar", 1, []string{"Rope"}, coats{stack.BaseColor: col("#1c1510"), stack.Roughness: num(0.5), stack.Height: mm(0.3)},
			src("noise", blend.Normal, 1, noiseP("ridges", 800, 4, 3)), src("noise", "overlay", 0.8, noiseP("clouds", 120, 3, 5))),
		layer("glass", "Glass", 1, []string{"Glass"}, coats{stack.BaseColor: col("#b9c9c2"), stack.Roughness: num(0.07), stack.Metallic: num(0), stack.Opacity: num(0.24)}),
		layer("primer", "Primer", 1, []string{enamel}, coats{stack.BaseColor: col("#9a9180"), stack.Roughness: num(0.72), stack.Metallic: num(0), stack.Height: mm(0.05)}, chips(0.372, 0.382)...),
		layer("enamel", "Enamel, red", 1, []string{enamel}, coats{stack.BaseColor: col("#8c1f1a"), stack.Roughness: num(0.24), stack.Metallic: num(0), stack.Height: mm(0.16)}, append(chips(0.408, 0.416), hand())...),
		layer("fading", "Faded enamel", 0.45, []string{enamel}, coats{stack.BaseColor: with(col("#c0705c"), "soft light", 0.8), stack.Roughness: num(0.4)},
			src("noise", blend.Normal, 1, noiseP("clouds", 11, 7, 8)), shape("levels", params{"low": 0.3, "high": 0.9})),
		layer("rust", "Rust", 0.95, []string{iron, enamel}, coats{stack.BaseColor: made(rustColours(300)...), stack.Roughness: num(0.88), stack.Metallic: num(0), stack.Height: scaled(-0.05, 0.22, src("noise", blend.Normal, 1, noiseP("billow", 420, 5, 12)))},
			append(chips(0.34, 0.44), shape("invert", nil), src("noise", "multiply", 1, noiseP("clouds", 260, 6, 40)), shape("levels", params{"low": 0.1, "high": 0.5}))...),
		layer("runs", "Rust runs", 0.75, []string{enamel, iron}, coats{stack.BaseColor: with(made(rustColours(140)...), "multiply", 0.9), stack.Roughness: num(0.62)},
			src(stack.Follow, blend.Normal, 1, params{"layer": "rust", "what": "mask"}),
			src("noise", "multiply", 1, params{"kind": "clouds", "frequency": 130.0, "octaves": 3.0, "stretch": 6.0, "seed": 6.0}),
			shape("threshold", params{"cut": 0.12, "soft": 0.2}),
			shape("smear", params{"radius": 0.024, "direction": []any{0.0, -1.0, 0.0}, "way": "forward"}),
			src("noise", "multiply", 0.8, params{"kind": "clouds", "frequency": 240.0, "octaves": 4.0, "stretch": 16.0, "seed": 61.0}),
			shape("levels", params{"low": 0.015, "high": 0.11, "outHigh": 0.9})),
		layer("soot", "Soot", 0.85, []string{enamel, brass}, coats{stack.BaseColor: with(col("#1d1a18"), blend.Normal, 0.85), stack.Roughness: num(0.8), stack.Metallic: num(0)},
			src("gradient", blend.Normal, 1, params{"axis": "up", "start": 0.56, "end": 0.82}), src("noise", "multiply", 1, noiseP("clouds", 60, 6, 14)), shape("levels", params{"low": 0.08, "high": 0.5, "outHigh": 0.85})),
		layer("salt", "Salt line", 0.4, []string{iron, enamel}, coats{stack.BaseColor: col("#c9c4b4"), stack.Roughness: num(0.9), stack.Metallic: num(0), stack.Height: mm(0.05)},
			src("gradient", blend.Normal, 1, params{"axis": "down", "start": 0.84, "end": 1.0}), src("noise", "multiply", 1, noiseP("clouds", 150, 8, 2)), shape("levels", params{"low": 0.3, "high": 0.62, "outHigh": 0.85})),
		layer("dust", "Settled dust", 0.38, nil, coats{stack.BaseColor: col("#a39a88"), stack.Roughness: num(0.93), stack.Metallic: with(num(0), blend.Normal, 0.8)},
			src("facing", blend.Normal, 1, params{"axis": "up", "start": 0.35, "end": 0.95}), src("noise", "multiply", 1, noiseP("clouds", 34, 7, 19)), shape("levels", params{"low": 0.1, "high": 0.75}), hand()),
		tally(),
	}
	// the same coats, sorted as one would: what belongs together lies in a group
	take := func(ids ...string) (out []*stack.Layer) {
		for _, l := range all {
			if slices.Contains(ids, l.ID) {
				out = append(out, l)
			}
		}
		return
	}
	d.Layers = []*stack.Layer{
		bundle("metal", "Bare iron", take("bare-iron", "cast-skin")...),
		bundle("fittings", "Brass fittings", take("brass", "hand-rub", "tarnish", "verdigris")...),
		bundle("rope-coats", "Rope", take("rope", "fibres")...),
		take("glass")[0],
		bundle("enamel-coats", "Enamel", take("primer", "enamel", "fading")...),
		bundle("weather", "Weather", take("rust", "runs", "soot", "salt", "dust")...),
		take("chalk")[0],
	}
	return d
}

// bundle is a group that lets its layers meet what lies below.
func bundle(id, name string, layers ...*stack.Layer) *stack.Layer {
	return &stack.Layer{ID: id, Name: name, Kind: stack.Group, Visible: true, Amount: 1, Layers: layers}
}

// made is a colour made of a stream.
func made(steps ...*stack.Step) stack.Coat {
	return stack.Coat{On: true, Value: []float32{0, 0, 0}, Stream: steps, Blend: blend.Normal, Amount: 1}
}

// scaled is a height made of a stream, from lo to hi millimetres.
func scaled(lo, hi float32, steps ...*stack.Step) stack.Coat {
	return stack.Coat{On: true, Value: []float32{0}, Stream: steps, Range: []float32{lo / 1000, hi / 1000}, Blend: "add", Amount: 1}
}

// rustColours is iron going from black scale over brown to fresh orange, in grains
// of a noise with so many cycles a metre.
func rustColours(frequency float64) []*stack.Step {
	stop := func(at float64, h string) []any {
		c := hex(h)
		return []any{at, float64(c[0]), float64(c[1]), float64(c[2])}
	}
	p := noiseP("clouds", frequency, 7, 33)
	p["amplitude"] = 1.5
	return []*stack.Step{src("noise", blend.Normal, 1, p),
		shape("ramp", params{"between": "smooth", "stops": []any{stop(0.1, "#2b1a12"), stop(0.4, "#5a2a14"), stop(0.62, "#7d3c1a"), stop(0.85, "#a8602c"), stop(1, "#b98046")}})}
}

// tally is a paint layer: a watchman's chalk marks on the drum.
func tally() *stack.Layer {
	l := &stack.Layer{ID: "chalk", Name: "Chalk tally", Kind: stack.Paint, Visible: true, Amount: 0.85,
		Channels: coats{stack.BaseColor: with(stack.Coat{On: true}, blend.Normal, 1), stack.Roughness: with(stack.Coat{On: true}, blend.Normal, 1)},
		Mask:     stream(src("noise", blend.Normal, 1, noiseP("clouds", 900, 4, 5)), shape("levels", params{"low": 0.3, "high": 0.55}))}
	place := func(deg, y float64) brush.Point {
		s, c := math.Sincos(deg * math.Pi / 180)
		n := geom.V3(float32(s), 0, float32(c))
		return brush.Point{Pos: n.Mul(0.079).Add(geom.V3(0, float32(y), 0)), Nrm: n, Pressure: 0.8}
	}
	mark := func(d0, y0, d1, y1 float64) {
		s := &brush.Stroke{ID: fmt.Sprintf("chalk-%d", len(l.Strokes)+1), Radius: 0.0016, Strength: 0.9, Hardness: 0.5, PenFlow: true,
			Values: map[string][]float32{"baseColor": hex("#dcd8ca"), "roughness": {0.95}}}
		for k := 0; k <= 8; k++ {
			t := float64(k) / 8
			s.Points = append(s.Points, place(d0+(d1-d0)*t+0.4*math.Sin(7*t), y0+(y1-y0)*t))
		}
		l.Strokes, l.StrokeID = append(l.Strokes, s), append(l.StrokeID, s.ID)
	}
	for k := range 4 {
		x := 27 + 4.2*float64(k)
		mark(x, 0.095, x-0.8, 0.068)
	}
	mark(23.5, 0.073, 43, 0.090)
	return l
}

// BollardDocument is the stack of the mooring bollard.
func BollardDocument() *stack.Document {
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
