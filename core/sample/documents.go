package sample

import (
	"fmt"
	"math"

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

// rustColours is iron going from black scale over brown to what is fresh and lighter, in patches
// of about a metre over frequency, granular down to the texel. Orange is rare: a bright, smooth
// one reads as embers.
func rustColours(frequency float64) []*stack.Step {
	return []*stack.Step{
		src("noise", blend.Normal, 1, params{"kind": "clouds", "frequency": frequency * 0.8, "octaves": 7.0, "persistence": 0.66, "amplitude": 1.35, "seed": 33.0}),
		src("noise", "overlay", 0.55, params{"kind": "clouds", "frequency": frequency * 11, "octaves": 5.0, "persistence": 0.7, "amplitude": 2.0, "seed": 34.0}),
		ramp("smooth", 0.1, "#17110e", 0.32, "#2e1f18", 0.52, "#432d22", 0.72, "#593a29", 0.9, "#714a30", 1, "#8f6844")}
}

// rustHeight is its crust.
func rustHeight(frequency float64) []*stack.Step {
	return []*stack.Step{
		src("noise", blend.Normal, 1, params{"kind": "clouds", "frequency": frequency, "octaves": 6.0, "persistence": 0.62, "amplitude": 1.4, "seed": 12.0}),
		src("pits", "subtract", 0.5, params{"size": 1.3 / frequency, "amount": 0.55, "seed": 4.0})}
}

// ramp gives greys colours: places and hex colours in turn.
func ramp(between string, stops ...any) *stack.Step {
	var list []any
	for i := 0; i+1 < len(stops); i += 2 {
		c := hex(stops[i+1].(string))
		at := 0.0
		switch v := stops[i].(type) {
		case float64:
			at = v
		case int:
			at = float64(v)
		}
		list = append(list, []any{at, float64(c[0]), float64(c[1]), float64(c[2])})
	}
	return shape("ramp", params{"between": between, "stops": list})
}

// rimmed lets a coat of height rise from its border over width metres, with a lip.
func rimmed(c stack.Coat, width, lip float32) stack.Coat {
	c.Bevel, c.Lip = width, lip
	return c
}

// varied is a number from lo to hi made of a stream.
func varied(lo, hi float32, steps ...*stack.Step) stack.Coat {
	return stack.Coat{On: true, Value: []float32{lo}, Stream: steps, Range: []float32{lo, hi}, Blend: blend.Normal, Amount: 1}
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
