package paintover

import (
	"encoding/json"
	"fmt"
	"image"
	"math"
	"slices"
	"strings"

	"velvetgrime/core/blend"
	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/ora"
	"velvetgrime/core/stack"
)

// modes are our blend modes by the names of OpenRaster.
var modes = map[string]blend.Mode{
	ora.SrcOver:       blend.Normal,
	"svg:multiply":    "multiply",
	"svg:screen":      "screen",
	"svg:overlay":     "overlay",
	"svg:darken":      "darken",
	"svg:lighten":     "lighten",
	"svg:color-dodge": "color dodge",
	"svg:color-burn":  "color burn",
	"svg:hard-light":  "hard light",
	"svg:soft-light":  "soft light",
	"svg:difference":  "difference",
	"svg:plus":        "add",
	"svg:color":       "color",
	"svg:luminosity":  "luminosity",
	"svg:hue":         "hue",
	"svg:saturation":  "saturation",
}

func modeOf(m string) blend.Mode {
	if b, ok := modes[m]; ok {
		return b
	}
	return blend.Normal
}

// from what degrees on the surface turns away too far to be painted, as slides begin
const fades, ends = 60, 80

// slideID is that of the slide of a layer that was painted over a view: a layer has one.
const slideID = "over"

// GroupID is the id of the group that what was painted over a view goes into.
func GroupID(view string) string { return "over-" + view }

// Op is the change that lays what came back on the model: a group of slides, or, when it was
// there before, that group with what is new in it. newID makes ids.
func (b *Brought) Op(d *stack.Document, m *mesh.Model, newID func() string) (stack.Op, error) {
	id := GroupID(b.ID)
	o := &laying{b: b, m: m, newID: newID}
	g := d.Layer(id)
	if g == nil {
		g := &stack.Layer{
			ID: id, Name: "Paint-over: " + b.Name, Kind: stack.Group, Visible: true, Amount: 1,
			Channels: map[stack.Channel]stack.Coat{},
		}
		for _, a := range slices.Backward(b.Layers) {
			g.Layers = append(g.Layers, o.layer(a))
		}
		return stack.Batch{
			Label: "Take back what was painted over " + b.Name,
			Ops:   []stack.Op{stack.AddLayer{Index: -1, Layer: g}},
		}, nil
	}
	if g.Kind != stack.Group {
		return nil, fmt.Errorf("%q is no group any more; what came back has no place", g.Name)
	}
	o.meet(g, b.Layers)
	if len(o.ops) == 0 {
		return nil, nil
	}
	return stack.Batch{Label: "Take back again what was painted over " + b.Name, Ops: o.ops}, nil
}

type laying struct {
	b     *Brought
	m     *mesh.Model
	newID func() string
	ops   []stack.Op
}

// layer makes a layer of what was added, as it came first.
func (o *laying) layer(a *Added) *stack.Layer {
	l := &stack.Layer{
		ID: o.newID(), Name: nameOf(a), Kind: stack.Paint, Visible: !a.Hidden, Amount: float32(a.Opacity),
		Channels: map[stack.Channel]stack.Coat{},
	}
	if a.Layers != nil {
		l.Kind, l.Blend, l.Isolated = stack.Group, modeOf(a.Mode), a.Isolated
		for _, k := range slices.Backward(a.Layers) {
			l.Layers = append(l.Layers, o.layer(k))
		}
		return l
	}
	l.Channels[stack.BaseColor] = stack.Coat{On: true, Value: []float32{1, 1, 1}, Blend: modeOf(a.Mode), Amount: 1}
	l.Slides = []*stack.Slide{o.slide(a)}
	s := o.stroke()
	l.Strokes, l.StrokeID = []*brush.Stroke{s}, []string{s.ID}
	return l
}

func nameOf(a *Added) string {
	name := a.Name
	if isBack(name) {
		name, _, _ = strings.Cut(name, sign)
	}
	if name = strings.TrimSpace(name); name == "" {
		return "Painted over"
	}
	return name
}

// slide places what was added where the camera saw it.
func (o *laying) slide(a *Added) *stack.Slide {
	n := &o.b.Note
	at, wide, form := placed(a.Rect, n)
	return &stack.Slide{
		ID: slideID, Name: nameOf(a), Eye: n.Eye, Target: n.Target, Rect: rectOf(a.Rect),
		Stencil: brush.Stencil{
			Picture: a.Picture, View: n.View, Aspect: n.Aspect, At: at, Wide: wide, Form: form,
			Fades: fades, Ends: ends, Colors: true,
		},
	}
}

// placed is where a piece of the picture lies in the view.
func placed(r image.Rectangle, n *Note) (at [2]float32, wide, form float32) {
	w, h := float32(n.W), float32(n.H)
	at = [2]float32{
		(float32(r.Min.X+r.Max.X)/w - 1) * n.Aspect,
		1 - float32(r.Min.Y+r.Max.Y)/h,
	}
	// the picture's texels are as wide as the view has them, which may not be square by a hair
	return at, 2 * float32(r.Dx()) / w * n.Aspect, float32(r.Dx()) / w * n.Aspect / (float32(r.Dy()) / h)
}

func rectOf(r image.Rectangle) []int { return []int{r.Min.X, r.Min.Y, r.Dx(), r.Dy()} }

// stroke covers all that the camera sees.
func (o *laying) stroke() *brush.Stroke {
	eye := vec(o.b.Eye)
	return &brush.Stroke{
		ID: o.newID(), Radius: max(o.m.Bounds.Size().Length()/100, 1e-5), Strength: 1, Hardness: 1,
		Values: map[string][]float32{string(stack.BaseColor): {1, 1, 1}},
		Within: brush.AreaOf(len(o.m.Tri), func(int) bool { return true }, o.corners),
		Fill:   &brush.Fill{}, Slide: slideID, Eye: &eye,
		Points: brush.Points{{Pos: vec(o.b.Target), Nrm: eye.Sub(vec(o.b.Target)).Unit(), Pressure: 1}},
	}
}

func (o *laying) corners(tri int) (c [3]geom.Vec3) {
	for k, v := range o.m.Tri[tri] {
		c[k] = o.m.Pos[v]
	}
	return c
}

// meet brings a group to what came back, uppermost first: layers are known by their names.
func (o *laying) meet(g *stack.Layer, list []*Added) {
	used := map[string]bool{}
	find := func(a *Added) *stack.Layer {
		for _, l := range slices.Backward(g.Layers) {
			if !used[l.ID] && l.Name == nameOf(a) && (l.Kind == stack.Group) == (a.Layers != nil) &&
				(l.Kind == stack.Group || ofView(l) != nil) {
				used[l.ID] = true
				return l
			}
		}
		return nil
	}
	known := make([]*stack.Layer, len(list))
	for i, a := range list {
		known[i] = find(a)
	}
	for _, l := range g.Layers {
		if !used[l.ID] && cameFrom(l) {
			o.ops = append(o.ops, stack.RemoveLayer{Target: l.ID})
		}
	}
	// from below: each lies above the one before it
	var order []string
	for _, l := range g.Layers {
		if used[l.ID] || !cameFrom(l) {
			order = append(order, l.ID)
		}
	}
	at := -1 // of the one below
	for i := len(list) - 1; i >= 0; i-- {
		l := known[i]
		if l != nil {
			o.change(l, list[i])
			if k := slices.Index(order, l.ID); k > at {
				at = k
				continue
			}
			order = slices.DeleteFunc(order, func(id string) bool { return id == l.ID })
			at-- // it lay below
		} else if at < 0 { // beneath the lowest that was known, or on top of what others put there
			at = len(order) - 1
			for k := i - 1; k >= 0; k-- {
				if known[k] != nil {
					at = slices.Index(order, known[k].ID) - 1
					break
				}
			}
		}
		at++
		if l != nil {
			order = slices.Insert(order, at, l.ID)
			o.ops = append(o.ops, stack.MoveLayer{Target: l.ID, Parent: g.ID, Index: at})
			continue
		}
		fresh := o.layer(list[i])
		order = slices.Insert(order, at, fresh.ID)
		o.ops = append(o.ops, stack.AddLayer{Parent: g.ID, Index: at, Layer: fresh})
	}
}

// ofView is the slide of a layer that was painted over a view.
func ofView(l *stack.Layer) *stack.Slide {
	if s := l.Slide(slideID); s != nil && s.Rect != nil {
		return s
	}
	return nil
}

// cameFrom reports whether all of a layer was painted over a view.
func cameFrom(l *stack.Layer) bool {
	if l.Kind != stack.Group {
		return ofView(l) != nil
	}
	for _, k := range l.Layers {
		if !cameFrom(k) {
			return false
		}
	}
	return len(l.Layers) > 0
}

func (o *laying) set(l *stack.Layer, path string, value any) {
	b, err := json.Marshal(value)
	if err != nil {
		panic(err) // numbers, names, a coat
	}
	o.ops = append(o.ops, stack.SetLayer{Target: l.ID, Path: path, Value: b})
}

// change brings a layer to what came back.
func (o *laying) change(l *stack.Layer, a *Added) {
	if l.Amount != float32(a.Opacity) {
		o.set(l, "amount", float32(a.Opacity))
	}
	if l.Visible == a.Hidden {
		o.set(l, "visible", !a.Hidden)
	}
	if a.Layers != nil {
		if m := modeOf(a.Mode); l.Blend != m && !(l.Blend == "" && m == blend.Normal) {
			o.set(l, "blend", m)
		}
		if l.Isolated != a.Isolated {
			o.set(l, "isolated", a.Isolated)
		}
		o.meet(l, a.Layers)
		return
	}
	coat := l.Channels[stack.BaseColor]
	if m := modeOf(a.Mode); coat.Blend != m && !(coat.Blend == "" && m == blend.Normal) {
		coat.Blend = m
		o.set(l, "channels."+string(stack.BaseColor), coat)
	}
	s := *ofView(l)
	if s.Stencil.Picture == a.Picture {
		return
	}
	was := image.Rect(s.Rect[0], s.Rect[1], s.Rect[0]+s.Rect[2], s.Rect[1]+s.Rect[3])
	s.Stencil.Picture, s.Rect = a.Picture, rectOf(a.Rect)
	if was != a.Rect {
		s.Stencil = o.moved(s.Stencil, was, a.Rect, &s)
	}
	o.ops = append(o.ops, stack.SetSlide{Target: l.ID, Slide: &s})
}

// moved places another piece of a picture as the one before it was placed since it came: moved,
// turned and sized alike. What was pushed in it is pushed no longer, which is said.
func (o *laying) moved(c brush.Stencil, was, now image.Rectangle, s *stack.Slide) brush.Stencil {
	n := &o.b.Note
	wasAt, wasWide, _ := placed(was, n)
	at, wide, form := placed(now, n)
	scale := c.Wide / wasWide
	sin, cos := math.Sincos(float64(c.Turn) * math.Pi / 180)
	dx, dy := (at[0]-wasAt[0])*scale, (at[1]-wasAt[1])*scale
	c.At = [2]float32{
		c.At[0] + float32(cos)*dx - float32(sin)*dy,
		c.At[1] + float32(sin)*dx + float32(cos)*dy,
	}
	c.Wide, c.Form = wide*scale, form
	if c.Warp != nil {
		c.Warp = nil
		o.b.Said = append(o.b.Said, fmt.Sprintf("“%s” reaches farther than before: what was pushed in it is pushed no longer", s.Name))
	}
	return c
}
