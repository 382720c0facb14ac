package material

import (
	"fmt"

	"velvetgrime/core/blend"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// How materials are written down: a maker numbers layers and steps, so that dials can name
// them.

type params = map[string]any

type coats = map[stack.Channel]stack.Coat

type maker struct {
	m     *Material
	group *stack.Layer
	steps int
}

// begin begins a material; size is that of the object it is made for, metres.
func begin(name, kind string, size float64, tags ...string) *maker {
	g := &stack.Layer{ID: "g", Name: name, Kind: stack.Group, Visible: true, Amount: 1}
	return &maker{m: &Material{Name: name, Kind: kind, Tags: tags, Made: size, group: g}, group: g}
}

func (k *maker) end() { register(k.m) }

// of makes a step that meets what came before it by a mode, so strongly.
func (k *maker) of(kind string, mode blend.Mode, amount float32, p params) *stack.Step {
	k.steps++
	return &stack.Step{ID: fmt.Sprint("s", k.steps), Kind: kind, On: true, Blend: mode, Amount: amount, Params: p}
}

func (k *maker) src(kind string, p params) *stack.Step   { return k.of(kind, blend.Normal, 1, p) }
func (k *maker) times(kind string, p params) *stack.Step { return k.of(kind, "multiply", 1, p) }
func (k *maker) shape(kind string, p params) *stack.Step { return k.of(kind, "", 1, p) }

// noise is a fractal noise: waves a metre, octaves, seed.
func (k *maker) noise(frequency, octaves, seed float64) *stack.Step {
	return k.src("noise", params{"frequency": frequency, "octaves": octaves, "amplitude": 1.4, "seed": seed})
}

// layer adds a fill layer over those that are there.
func (k *maker) layer(name string, amount float32, c coats, stream ...*stack.Step) *stack.Layer {
	l := &stack.Layer{
		ID: fmt.Sprint("l", len(k.group.Layers)+1), Name: name, Kind: stack.Fill, Visible: true, Amount: amount, Channels: c, Mask: stream,
	}
	k.group.Layers = append(k.group.Layers, l)
	return l
}

// ramp gives greys colours: places and colours as #rrggbb in turn.
func (k *maker) ramp(stops ...any) *stack.Step {
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
	return k.shape("ramp", params{"between": "smooth", "stops": list})
}

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

// mm is an even height, added.
func mm(v float32) stack.Coat {
	return stack.Coat{On: true, Value: []float32{v / 1000}, Blend: "add", Amount: 1}
}

func with(c stack.Coat, m blend.Mode, amount float32) stack.Coat {
	c.Blend, c.Amount = m, amount
	return c
}

// rimmed lets a height rise from its border over width metres, with a lip.
func rimmed(c stack.Coat, width, lip float32) stack.Coat {
	c.Bevel, c.Lip = width, lip
	return c
}

// made is a colour made of a stream.
func made(steps ...*stack.Step) stack.Coat {
	return stack.Coat{On: true, Value: []float32{0, 0, 0}, Stream: steps, Blend: blend.Normal, Amount: 1}
}

// varied is a number from lo to hi made of a stream.
func varied(lo, hi float32, steps ...*stack.Step) stack.Coat {
	return stack.Coat{On: true, Value: []float32{0}, Stream: steps, Range: []float32{lo, hi}, Blend: blend.Normal, Amount: 1}
}

// relief is a height made of a stream, from lo to hi millimetres, added.
func relief(lo, hi float32, steps ...*stack.Step) stack.Coat {
	return stack.Coat{On: true, Value: []float32{0}, Stream: steps, Range: []float32{lo / 1000, hi / 1000}, Blend: "add", Amount: 1}
}

// dial adds a dial; usual is where it stands, and what the layers have is to agree with that.
func (k *maker) dial(name, help string, usual float64, moves ...stack.Move) {
	k.group.Dials = append(k.group.Dials, stack.Dial{Name: name, Help: help, Value: usual, Usual: usual, Moves: moves})
	g := stack.New(nil, 512)
	g.Layers = []*stack.Layer{k.group}
	n, _, _, err := step.Rules.Apply(g, stack.TurnDial{Target: k.group.ID, Dial: name, Value: usual})
	if err != nil {
		panic(fmt.Sprintf("%s: dial %s: %v", k.m.Name, name, err))
	}
	*k.group = *n.Layers[0]
}

// param moves a parameter of a step of a layer.
func param(l *stack.Layer, s *stack.Step, name string, from, to float64) stack.Move {
	return stack.Move{Layer: l.ID, Step: s.ID, Path: "params." + name, From: []float64{from}, To: []float64{to}}
}

// amount moves how strong a layer is.
func amount(l *stack.Layer, from, to float64) stack.Move {
	return stack.Move{Layer: l.ID, Path: "amount", From: []float64{from}, To: []float64{to}}
}

// value moves an even value of a coat.
func value(l *stack.Layer, c stack.Channel, from, to float64) stack.Move {
	return stack.Move{Layer: l.ID, Path: "channels." + string(c) + ".value", From: []float64{from}, To: []float64{to}}
}

// tint moves how strongly a layer's colour shows.
func tint(l *stack.Layer, from, to float64) stack.Move {
	return stack.Move{Layer: l.ID, Path: "channels." + string(stack.BaseColor) + ".amount", From: []float64{from}, To: []float64{to}}
}
