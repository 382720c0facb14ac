package picset

import (
	"context"
	"fmt"
	"image"
	"math"

	"velvetgrime/core/blend"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// SetOrder is what a material is made of.
type SetOrder struct {
	Name  string   `json:"name" minLength:"1" maxLength:"80"`
	Rows  []SetRow `json:"rows" minItems:"1" maxItems:"40"`
	Laid  string   `json:"laid" enum:"from three sides,along the surface,by UVs,as a box" doc:"how the pictures lie on the model"`
	Tiles string   `json:"tiles" enum:"again,mirrored,at random" doc:"how they repeat"`
	Size  float64  `json:"size" minimum:"0.0001" maximum:"100" doc:"width of one repeat, metres"`
	Turn  float64  `json:"turn" minimum:"-180" maximum:"180" doc:"degrees"`
}

// Pictures are where the pictures of a set come from, and where those go that are made of them.
type Pictures struct {
	Load func(blob string) (*pix.Picture, error)
	Keep func(name string, img *image.Gray16) (blob string, err error)
}

// usual is how high the white of a height picture stands when nothing tells, in repeats.
const usual = 0.03

// relative to its usual place a dial goes up to so many times, and as far down
const span = 4.0

// Make makes the group: a fill layer whose channels are the pictures, all laid the same way, with
// dials. Its error names the picture.
func Make(ctx context.Context, o SetOrder, p Pictures) (*stack.Layer, error) {
	k := &maker{order: o, pictures: p, ctx: ctx}
	l := &stack.Layer{ID: "l1", Name: o.Name, Kind: stack.Fill, Visible: true, Amount: 1, Channels: map[stack.Channel]stack.Coat{}}
	k.layer = l
	var normal, height *SetRow
	for i := range o.Rows {
		r := &o.Rows[i]
		switch r.Channel {
		case "":
		case stack.Normal:
			normal = r
		case stack.Height:
			height = r
		case stack.BaseColor, stack.Emissive:
			k.coat(r.Channel, stack.Coat{Blend: blend.Normal}, k.step(r.Picture))
		case stack.Roughness, stack.Metallic, stack.Occlusion, stack.Opacity:
			grey, err := k.grey(r)
			if err != nil {
				return nil, err
			}
			k.coat(r.Channel, stack.Coat{Blend: blend.Normal, Range: []float32{0, 1}}, k.step(grey))
		default:
			return nil, fmt.Errorf("%s: there is no channel %q that a picture can be", r.Name, r.Channel)
		}
	}
	if err := k.relief(normal, height); err != nil {
		return nil, err
	}
	if len(l.Channels) == 0 {
		return nil, fmt.Errorf("no picture has a channel; choose one for at least one picture")
	}
	if Photograph(o.Rows) {
		k.apart()
	}
	return k.group()
}

type maker struct {
	ctx      context.Context
	order    SetOrder
	pictures Pictures
	layer    *stack.Layer
	steps    int
	sizes    []stack.Move // of the dial of size
	relieved float64      // metres from black to white at which the relief is as it was
}

// step is a picture with the placement of all.
func (k *maker) step(blob string) *stack.Step {
	o := k.order
	k.steps++
	s := &stack.Step{ID: fmt.Sprint("s", k.steps), Kind: "picture", On: true, Blend: blend.Normal, Amount: 1, Params: map[string]any{
		"picture": blob, "laid": o.Laid, "tiles": o.Tiles, "size": o.Size, "turn": o.Turn, "seed": 1.0,
	}}
	k.sizes = append(k.sizes, stack.Move{
		Layer: k.layer.ID, Step: s.ID, Path: "params.size", From: []float64{o.Size / span}, To: []float64{o.Size * span}, Bend: 2,
	})
	return s
}

func (k *maker) other(kind string, mode blend.Mode, amount float32, params map[string]any, inner ...*stack.Step) *stack.Step {
	k.steps++
	return &stack.Step{ID: fmt.Sprint("s", k.steps), Kind: kind, On: true, Blend: mode, Amount: amount, Params: params, Steps: inner}
}

func (k *maker) coat(c stack.Channel, coat stack.Coat, steps ...*stack.Step) {
	coat.On, coat.Amount, coat.Stream = true, 1, steps
	n := 1
	if c == stack.BaseColor || c == stack.Emissive {
		n = 3
	}
	coat.Value = make([]float32, n)
	k.layer.Channels[c] = coat
}

// load reads a picture; its error names it.
func (k *maker) load(r *SetRow) (*pix.Picture, error) {
	pic, err := k.pictures.Load(r.Picture)
	if err != nil {
		return nil, fmt.Errorf("the picture %q: %w", r.Name, err)
	}
	if r.Channel != stack.BaseColor && r.Channel != stack.Emissive {
		pic = pic.AsNumbers()
	}
	return pic, nil
}

// grey returns the picture of one component, which is its own when it has no other.
func (k *maker) grey(r *SetRow) (string, error) {
	pic, err := k.load(r)
	if err != nil {
		return "", err
	}
	if pic.Gray && !r.Invert {
		return r.Picture, nil
	}
	if r.Component == 3 && !pic.Alpha {
		return "", fmt.Errorf("the picture %q has no alpha", r.Name)
	}
	w, h := pic.Size()
	img := image.NewGray16(image.Rect(0, 0, w, h))
	c := max(r.Component, 0)
	if pic.Gray {
		c = 0
	}
	for i, v := range pic.Component(c) {
		if r.Invert {
			v = math.MaxUint16 - v
		}
		img.Pix[2*i], img.Pix[2*i+1] = byte(v>>8), byte(v)
	}
	return k.pictures.Keep(fmt.Sprintf("%s, %s", r.Name, r.Channel), img)
}

// relief makes the height of a height picture, of a normal map, or of both: the normal map then
// tells how high white stands. A height goes with every way of laying it and meets what lies
// below; the normal map itself would but where the UVs lie as its maker's did.
func (k *maker) relief(normal, height *SetRow) error {
	share := usual
	blob := ""
	switch {
	case normal == nil && height == nil:
		return nil
	case height != nil:
		grey, err := k.grey(height)
		if err != nil {
			return err
		}
		blob = grey
		if normal == nil {
			break
		}
		n, err := k.load(normal)
		if err != nil {
			return err
		}
		h, err := k.pictures.Load(grey)
		if err != nil {
			return err
		}
		r, err := Relief(k.ctx, h, n, normal.GreenDown)
		if err != nil {
			return err
		}
		if r > 0 {
			share = r
		}
	default:
		n, err := k.load(normal)
		if err != nil {
			return err
		}
		img, r, err := Heights(k.ctx, n, normal.GreenDown)
		if err != nil {
			return err
		}
		if r == 0 {
			return nil // it is even
		}
		if blob, err = k.pictures.Keep(normal.Name+", height", img); err != nil {
			return err
		}
		share = r
	}
	k.relieved = share * k.order.Size
	k.height(k.step(blob))
	return nil
}

// height adds the channel; at half its amount it stands as high as was told.
func (k *maker) height(steps ...*stack.Step) {
	info, _ := stack.Info(stack.Height)
	d := min(float32(k.relieved), info.Max)
	k.coat(stack.Height, stack.Coat{Blend: "add", Range: []float32{-d, d}}, steps...)
	c := k.layer.Channels[stack.Height]
	c.Amount = 0.5
	k.layer.Channels[stack.Height] = c
}

// apart makes of a photograph what it does not hold, as steps: light and dark that spread over
// more than a part of the picture are evened out of the colour; the height is light and dark,
// without the same; the roughness is more where there is detail.
func (k *maker) apart() {
	var own string
	for _, r := range k.order.Rows {
		if r.Channel == stack.BaseColor {
			own = r.Picture
		}
	}
	wide := k.order.Size / 6
	grey := func() *stack.Step {
		s := k.step(own)
		s.Params["saturation"] = 0.0
		return s
	}
	// the far side of light and dark, to be laid over the picture
	far := func(amount float32, mode blend.Mode) *stack.Step {
		blur := k.other("blur", "", 1, map[string]any{"radius": wide})
		k.sizes = append(k.sizes, stack.Move{Layer: k.layer.ID, Step: blur.ID, Path: "params.radius", From: []float64{wide / span}, To: []float64{wide * span}, Bend: 2})
		return k.other("bundle", mode, amount, nil, grey(), blur, k.other("invert", "", 1, nil))
	}
	flat := far(0.6, "overlay")
	k.coat(stack.BaseColor, stack.Coat{Blend: blend.Normal}, k.step(own), flat)
	k.relieved = usual * k.order.Size
	k.height(grey(), far(0.5, blend.Normal), k.other("contrast", "", 1, map[string]any{"contrast": 1.6}))
	fine := k.order.Size / 60
	edge := k.other("edge", "", 1, map[string]any{"radius": fine, "strength": 3.0})
	k.coat(stack.Roughness, stack.Coat{Blend: blend.Normal, Range: []float32{0.45, 1}}, grey(), edge)
	k.sizes = append(k.sizes, stack.Move{Layer: k.layer.ID, Step: edge.ID, Path: "params.radius", From: []float64{fine / span}, To: []float64{fine * span}, Bend: 2})
}

// group puts the layer into a group with dials.
func (k *maker) group() (*stack.Layer, error) {
	g := &stack.Layer{ID: "g", Name: k.order.Name, Kind: stack.Group, Visible: true, Amount: 1, Layers: []*stack.Layer{k.layer}}
	// from size/span to size·span along t²: the size itself
	middle := math.Sqrt((1 - 1/span) / (span - 1/span))
	g.Dials = append(g.Dials, stack.Dial{Name: "size", Help: "how wide one repeat is", Value: middle, Usual: middle, Moves: k.sizes})
	add := func(name, help string, usual float64, moves ...stack.Move) {
		if len(moves) > 0 {
			g.Dials = append(g.Dials, stack.Dial{Name: name, Help: help, Value: usual, Usual: usual, Moves: moves})
		}
	}
	first := func(c stack.Channel, param string, from, to float64) (out []stack.Move) {
		if s := k.layer.Channels[c].Stream; len(s) > 0 {
			out = append(out, stack.Move{Layer: k.layer.ID, Step: s[0].ID, Path: "params." + param, From: []float64{from}, To: []float64{to}})
		}
		return out
	}
	if _, ok := k.layer.Channels[stack.Height]; ok {
		add("relief", "how deep it is", 0.5, stack.Move{Layer: k.layer.ID, Path: "channels.height.amount", From: []float64{0}, To: []float64{1}})
	}
	add("roughness", "up it is duller, down it shines", 0.5, first(stack.Roughness, "bright", -0.5, 0.5)...)
	add("colour strength", "from grey to twice as strong", 0.5, first(stack.BaseColor, "saturation", 0, 2)...)
	add("lightness", "how light its colour is", 0.5, first(stack.BaseColor, "bright", -0.4, 0.4)...)
	d := stack.New(nil, 512)
	d.Layers = []*stack.Layer{g}
	if err := step.Rules.Check(d); err != nil {
		return nil, fmt.Errorf("the material %q: %w", k.order.Name, err)
	}
	return g, nil
}
