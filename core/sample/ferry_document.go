package sample

import (
	"fmt"
	"math"

	"velvetgrime/core/blend"
	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/material"
	"velvetgrime/core/mesh"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/warp"
)

// dressing is a shipped material on parts or sheets, with its dials turned.
type dressing struct {
	id, material  string
	seed          int
	sheets, parts []string
	dials         map[string]float64
}

// on puts the material on the top of a model's document.
func (w dressing) on(d *stack.Document, m *mesh.Model) *stack.Document {
	mat, err := material.Find(w.material)
	if err != nil {
		panic(err) // of our own
	}
	g := mat.Placed(w.id, w.seed, m.Extent(w.parts, w.sheets))
	g.Reach = stack.Reach{Sheets: w.sheets, Parts: w.parts}
	d.Layers = append(d.Layers, g)
	for dial, v := range w.dials {
		n, _, _, err := step.Rules.Apply(d, stack.TurnDial{Target: w.id, Dial: dial, Value: v})
		if err != nil {
			panic(fmt.Sprintf("%s: %v", w.material, err))
		}
		d = n
	}
	return d
}

// FerryDocument dresses the piece of the ferry with shipped materials: what an artist gets by
// dropping them on parts and turning dials, with a painted number and the weather over all.
func FerryDocument() *stack.Document {
	m := Ferry()
	var sheets []string
	for _, s := range m.Sheets {
		sheets = append(sheets, s.Name)
	}
	d := stack.New(sheets, 1024)
	c := landing()
	c.Water, c.Age = 0.42, 22
	d.Conditions = c
	all := []dressing{
		{"topsides", "Enamel, blue", 11, []string{"Hull"}, nil, map[string]float64{"how worn": 0.36, "rust": 0.55, "faded": 0.25}},
		{"boot", "Bottom paint, red", 12, nil, []string{"Bottom strake"}, map[string]float64{"how worn": 0.4, "rust": 0.4}},
		{"deck", "Teak deck", 13, []string{"Timber"}, nil, map[string]float64{"grey": 0.6}},
		{"house", "Enamel, cream", 15, []string{"House"}, nil, map[string]float64{"how worn": 0.33, "rust": 0.45, "faded": 0.5}},
		{"panel", "Enamel, black", 16, nil, []string{"Number panel"}, map[string]float64{"how worn": 0.25, "rust": 0.3}},
		{"rails", "Galvanised steel", 17, []string{"Rails"}, nil, map[string]float64{"rust": 0.35}},
		{"brass", "Brass, salt-bitten", 18, nil, []string{"Porthole", "Panel screws", "Strake bolts", "Deck bollard"}, map[string]float64{"verdigris": 0.6}},
		{"ropes", "Hemp rope", 20, nil, []string{"Coiled rope", "Fender ropes"}, nil},
		{"fender", "Rubber, perished", 21, nil, []string{"Fender"}, map[string]float64{"scuffs": 0.7}},
		{"pane", "Old glass, salted", 22, []string{"Glass"}, nil, map[string]float64{"salt": 0.6}},
		{"shells", "Barnacles", 24, nil, []string{"Bottom strake"}, map[string]float64{"how much": 0.35, "how high": 0.12}},
	}
	for _, w := range all {
		d = w.on(d, m)
	}
	d.Layers = append(d.Layers, ferryMural(), ferryNumber(), ferryMarks(), bundle("ferry-weather", "Weather",
		layer("ferry-runs", "Rust runs", 0.75, []string{"Hull", "House"}, coats{stack.BaseColor: with(made(src("noise", blend.Normal, 1, noiseP("clouds", 40, 5, 6)), ramp("smooth", 0.2, "#3c1f10", 0.8, "#7a4a26")), blend.Normal, 0.8), stack.Roughness: num(0.7), stack.Metallic: num(0)},
			src("run", blend.Normal, 1, params{"from": "lower edges", "count": 60.0, "width": 0.008, "length": 0.22, "streaks": 0.8, "meander": 0.3, "breakup": 0.6, "contrast": 0.35, "much": 0.45, "seed": 4.0})),
		layer("ferry-grime", "Grime", 0.7, nil, coats{stack.BaseColor: col("#1b1611"), stack.Roughness: num(0.85), stack.Metallic: num(0)},
			src("nook", blend.Normal, 1, params{"much": 0.5, "grain": 0.02, "width": 0.012, "breakup": 0.65, "contrast": 0.3, "film": 0.15, "seed": 7.0}))))
	return d
}

// ferryMural is what was painted on the back of her house: the mural, held before a camera behind
// her, pushed a little, and brushed through in rows. It has weathered since.
func ferryMural() *stack.Layer {
	_, name := Mural()
	const (
		back   = -0.735 // the wall's back
		far    = 4.3    // of the camera from it
		height = 1.775  // of the wall's middle
		wide   = 2.78   // of the mural
		aspect = 1.5
	)
	eye := [3]float32{0, height, back - far}
	open := float32(math.Tan(16 * math.Pi / 180)) // half of the camera's opening
	stencil := brush.Stencil{
		Picture: name,
		// it looks along +Z: to the right is −X
		View:   []float32{-1 / (open * aspect), 0, 0, 0, 0, 1 / open, 0, 0, 0, 0, 1, 1, 0, -height / open, -eye[2] - 0.1, -eye[2]},
		Aspect: aspect,
		Wide:   wide / (far * open),
		Form:   muralForm,
		Fades:  60,
		Ends:   80,
		Colors: true,
	}
	for _, path := range [][]float32{{0.72, 0.45, 0.735, 0.43}, {0.2, 0.35, 0.19, 0.33}} {
		stencil.Warp = stencil.Warp.Brushed(&warp.Brush{Does: warp.Push, Radius: 0.16, Strength: 1, Path: path}, muralForm)
	}
	l := &stack.Layer{ID: "mural", Name: "Mural", Kind: stack.Paint, Visible: true, Amount: 0.95, Reach: stack.Reach{Parts: []string{"House wall"}},
		Channels: coats{stack.BaseColor: with(stack.Coat{On: true}, blend.Normal, 1), stack.Roughness: with(stack.Coat{On: true}, blend.Normal, 1)},
		Mask: stream(src("noise", blend.Normal, 1, params{"frequency": 1.9, "octaves": 5.0, "amplitude": 1.5, "persistence": 0.6, "seed": 43.0}),
			src("noise", "screen", 1, params{"frequency": 17.0, "octaves": 9.0, "amplitude": 1.4, "persistence": 0.66, "seed": 41.0}), shape("levels", params{"low": 0.46, "high": 0.52})), // in patches, small bits round them
		Slides: []*stack.Slide{{ID: "mural-slide", Name: "Dunlin", Stencil: stencil, Eye: eye, Target: [3]float32{0, height, back}}}}
	const rows, reach = 9, 0.1
	for i := range rows {
		s := &brush.Stroke{ID: fmt.Sprintf("mural-%d", i+1), Slide: "mural-slide", Radius: reach, Strength: 1, Hardness: 0.7,
			Values: map[string][]float32{"baseColor": {1, 1, 1}, "roughness": {0.62}}}
		y := height + 0.98*(float64(i)/(rows-1)-0.5)
		for k := range 15 {
			x := (wide + 0.1) * (float64(k)/14 - 0.5)
			if i%2 == 1 {
				x = -x
			}
			s.Points = append(s.Points, brush.Point{Pos: geom.V3(float32(x), float32(y+0.008*math.Sin(float64(5*i+k))), back), Nrm: geom.V3(0, 0, -1), Pressure: 1})
		}
		l.Strokes, l.StrokeID = append(l.Strokes, s), append(l.StrokeID, s.ID)
	}
	return l
}

// ferryNumber is her number on its panel, painted by hand.
func ferryNumber() *stack.Layer {
	l := &stack.Layer{ID: "number", Name: "Number 27", Kind: stack.Paint, Visible: true, Amount: 1, Reach: stack.Reach{Parts: []string{"Number panel"}},
		Channels: coats{stack.BaseColor: with(stack.Coat{On: true}, blend.Normal, 1), stack.Roughness: with(stack.Coat{On: true}, blend.Normal, 1)},
		Mask:     stream(src("noise", blend.Normal, 1, params{"frequency": 60.0, "octaves": 6.0, "amplitude": 1.4, "seed": 10.0}), shape("levels", params{"low": 0.12, "high": 0.32}))}
	mark := func(points ...p2) {
		s := &brush.Stroke{ID: fmt.Sprintf("number-%d", len(l.Strokes)+1), Radius: 0.026, Strength: 1, Hardness: 0.92,
			Values: map[string][]float32{"baseColor": hex("#d9d2bd"), "roughness": {0.4}}}
		for _, p := range points {
			s.Points = append(s.Points, brush.Point{Pos: geom.V3(float32(-0.95+p[0]), float32(1.93+p[1]), -0.688), Nrm: geom.V3(0, 0, 1), Pressure: 1})
		}
		l.Strokes, l.StrokeID = append(l.Strokes, s), append(l.StrokeID, s.ID)
	}
	var two []p2
	for i := 0; i <= 12; i++ {
		s, c := math.Sincos(math.Pi * (1 - 1.25*float64(i)/12))
		two = append(two, p2{-0.15 + 0.085*c, 0.05 + 0.075*s})
	}
	mark(append(two, p2{-0.235, -0.125})...)
	mark(p2{-0.235, -0.125}, p2{-0.06, -0.125})
	mark(p2{0.06, 0.125}, p2{0.235, 0.125})
	mark(p2{0.235, 0.125}, p2{0.18, 0.03}, p2{0.13, -0.06}, p2{0.11, -0.125})
	return l
}

// ferryMarks are what is lettered on her: her name over the strakes, the tide scale down all
// three of them, and a warning on the wall of her house. Old paint, and worn as such.
func ferryMarks() *stack.Layer {
	l := &stack.Layer{ID: "marks", Name: "Lettering", Kind: stack.Decals, Visible: true, Amount: 1,
		Channels: coats{stack.BaseColor: with(col("#d9d2bd"), blend.Normal, 1), stack.Roughness: num(0.45), stack.Metallic: num(0)},
		Mask:     stream(src("noise", blend.Normal, 1, params{"frequency": 70.0, "octaves": 7.0, "amplitude": 1.3, "seed": 31.0}), shape("levels", params{"low": 0.27, "high": 0.42}))}
	white, red := [3]float32{0.86, 0.83, 0.74}, [3]float32{0.45, 0.12, 0.08}
	mark := func(id, name, text, font string, color [3]float32, at, nrm [3]float32, wide, depth float32) *stack.Decal {
		return &stack.Decal{ID: id, Name: name, Text: text, Font: font, Color: color, Pos: at, Nrm: nrm, Up: [3]float32{0, 1, 0}, Wide: wide, Depth: depth, Facing: 75, Amount: 1}
	}
	l.Decals = []*stack.Decal{
		mark("her-name", "Her name", "DUNLIN", "bold", white, [3]float32{0.5, 0.985, 0.23}, [3]float32{0, -0.24, 0.97}, 0.95, 0.12),
		mark("tide-scale", "Tide scale", "- 9\n- 8\n- 7\n- 6\n- 5\n- 4\n- 3\n- 2", "mono", white, [3]float32{1.36, 0.62, 0.14}, [3]float32{0, -0.18, 0.98}, 0.11, 0.3),
		mark("warning", "Warning", "MIND THE\nRAMP", "bold", red, [3]float32{0.63, 1.83, -0.7}, [3]float32{0, 0, 1}, 0.32, 0.05),
	}
	return l
}
