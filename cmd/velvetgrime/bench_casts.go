package main

import (
	"context"
	"fmt"
	"image"
	"image/color"
	"io"
	"math"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/ora"
	"velvetgrime/core/paintover"
	"velvetgrime/core/pix"
	"velvetgrime/core/render"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
	"velvetgrime/core/warp"
)

// castPicture is a board in two colours, as a decal and a slide show it.
func castPicture() *pix.Picture {
	img := image.NewNRGBA(image.Rect(0, 0, 1024, 512))
	for y := range 512 {
		for x := range 1024 {
			c := color.NRGBA{200, 60, 40, 255}
			if (x/64+y/64)%2 == 0 {
				c = color.NRGBA{230, 220, 190, 255}
			}
			img.SetNRGBA(x, y, c)
		}
	}
	return pix.NewPicture(img)
}

// benchCasts measures pictures on the dressed bollard, without its bakes: one decal and one
// slide that are moved, and forty decals. What counts is every tile that such a move changes,
// all channels.
func benchCasts(ctx context.Context, r *report) error {
	m := sample.Bollard()
	pic := castPicture()
	scene := func() *eval.Scene {
		s := eval.NewScene(m, cache.New(benchCache))
		s.Picture = func(string) (*pix.Picture, error) { return pic, nil }
		return s
	}
	with := func(l *stack.Layer) *stack.Document {
		d := *sample.BollardDocument()
		d.Layers = append(append([]*stack.Layer{}, d.Layers...), l)
		return &d
	}
	coats := map[stack.Channel]stack.Coat{}
	for _, c := range []stack.Channel{stack.BaseColor, stack.Roughness, stack.Height} {
		info, _ := stack.Info(c)
		coats[c] = stack.Coat{On: true, Value: make([]float32, info.Components), Blend: info.Blend, Amount: 1}
	}
	middle, size := m.Bounds.Min.Lerp(m.Bounds.Max, 0.5), m.Bounds.Size()
	// on the post, at an angle and a share of its height
	decal := func(id string, turn float64, height float32, wrapped bool) *stack.Decal {
		sin, cos := math.Sincos(turn)
		n := [3]float32{float32(sin), 0, float32(cos)}
		at := geom.V3(middle.X+n[0]*size.X*0.2, m.Bounds.Min.Y+size.Y*height, middle.Z+n[2]*size.Z*0.2)
		return &stack.Decal{ID: id, Name: id, Picture: "board", Pos: [3]float32{at.X, at.Y, at.Z}, Nrm: n, Up: [3]float32{0, 1, 0},
			Wide: size.Y * 0.2, Depth: size.X * 0.2, Facing: 75, Amount: 1, Wrapped: wrapped}
	}
	layerOf := func(list ...*stack.Decal) *stack.Layer {
		return &stack.Layer{ID: "marks", Name: "Marks", Kind: stack.Decals, Visible: true, Amount: 1, Channels: coats, Decals: list}
	}
	// moved applies operations one after the other and measures what each changes
	moved := func(s *eval.Scene, d *stack.Document, at int, ops []stack.Op) ([]float64, error) {
		p := eval.Compile(s, d, "marks", "")
		if err := evaluateAll(ctx, p, []int{at}, benchChannels); err != nil {
			return nil, err
		}
		known := map[surface.Tile]cache.Key{} // as the service keeps them
		var ms []float64
		for _, tile := range surface.Tiles(0, at) {
			if u := s.OnTile(tile); !u.Empty() {
				known[tile] = p.Key(u, stack.BaseColor)
			}
		}
		for _, op := range ops {
			t := time.Now()
			next, _, _, err := step.Rules.Apply(d, op)
			if err != nil {
				return nil, err
			}
			q := eval.Compile(s, next, "marks", "")
			var changed []surface.Tile
			box, local := eval.OnlyStrokes(p, q)
			for tile, key := range known {
				u := s.OnTile(tile)
				if local && !u.Within(box) {
					continue
				}
				if known[tile] = q.Key(u, stack.BaseColor); key != known[tile] {
					changed = append(changed, tile)
				}
			}
			if len(changed) == 0 {
				return nil, fmt.Errorf("a move changes nothing")
			}
			if err := evaluateTiles(ctx, q, changed, benchChannels); err != nil {
				return nil, err
			}
			ms = append(ms, since(t))
			d, p = next, q
		}
		return ms, nil
	}
	for _, wrapped := range []bool{false, true} {
		name := map[bool]string{false: "flat", true: "wrapped"}[wrapped]
		for _, at := range []int{256, 1024, 2048} {
			var ops []stack.Op
			for i := range 12 {
				ops = append(ops, stack.SetDecal{Target: "marks", Decal: decal("one", 0.1+0.03*float64(i+1), 0.5+0.004*float32(i+1), wrapped)})
			}
			ms, err := moved(scene(), with(layerOf(decal("one", 0.1, 0.5, wrapped))), at, ops)
			if err != nil {
				return err
			}
			r.add("casts", fmt.Sprintf("a %s decal dragged, at %d, all that it changes", name, at), "ms", ms[1:])
		}
	}
	// forty, and what they cost beside the same stack without them
	sw := sweep{Name: "casts", Over: "decals", Unit: "s"}
	for _, n := range []int{0, 10, 40} {
		var list []*stack.Decal
		for i := range n {
			list = append(list, decal(fmt.Sprint(i), float64(i)*0.9, 0.3+0.4*float32(i%9)/9, i%2 == 0))
		}
		s := scene()
		t := time.Now()
		if err := evaluateAll(ctx, eval.Compile(s, with(layerOf(list...)), "", ""), []int{1024}, benchChannels); err != nil {
			return err
		}
		sec := time.Since(t).Seconds()
		r.Results = append(r.Results, result{"casts", fmt.Sprintf("the stack at 1024 from nothing, with %d decals", n), "s", sec, 0, 0})
		if n > 0 {
			sw.Points = append(sw.Points, [2]float64{float64(n), sec})
		}
	}
	sw.Exponent = exponent(sw.Points)
	r.Sweeps = append(r.Sweeps, sw)
	// a slide through which the whole front was painted, seen from before it without perspective
	half := size.Y * 0.55
	view := []float32{1 / half, 0, 0, 0, 0, 1 / half, 0, 0, 0, 0, -0.1 / half, 0, -middle.X / half, -middle.Y / half, 0.1 * middle.Z / half, 1}
	slide := func(x float32) *stack.Slide {
		return &stack.Slide{ID: "first", Name: "Board", Eye: [3]float32{middle.X, middle.Y, middle.Z + 4*size.Z}, Target: [3]float32{middle.X, middle.Y, middle.Z},
			Stencil: brush.Stencil{Picture: "board", View: view, Aspect: 1, At: [2]float32{x, 0}, Wide: 1, Form: 2, Colors: true}}
	}
	l := &stack.Layer{ID: "marks", Name: "Slide", Kind: stack.Paint, Visible: true, Amount: 1, Channels: map[stack.Channel]stack.Coat{stack.BaseColor: coats[stack.BaseColor]}, Slides: []*stack.Slide{slide(0)}}
	for i := range 8 { // strokes across the front
		y := m.Bounds.Min.Y + size.Y*(0.15+0.1*float32(i))
		st := &brush.Stroke{ID: fmt.Sprint("s", i), Radius: size.Y * 0.07, Strength: 1, Hardness: 0.6, Slide: "first", Values: map[string][]float32{"baseColor": {1, 1, 1}}}
		for k := range 9 {
			x := middle.X + size.X*0.3*(float32(k)/4-1)
			st.Points = append(st.Points, brush.Point{Pos: geom.V3(x, y, middle.Z+size.Z*0.2), Nrm: geom.V3(0, 0, 1), Pressure: 1})
		}
		l.Strokes = append(l.Strokes, st)
	}
	for _, at := range []int{256, 1024} {
		var ops []stack.Op
		for i := range 8 {
			ops = append(ops, stack.SetSlide{Target: "marks", Slide: slide(0.02 * float32(i+1))})
		}
		ms, err := moved(scene(), with(l), at, ops)
		if err != nil {
			return err
		}
		r.add("casts", fmt.Sprintf("a slide with eight strokes moved, at %d, all that it changes", at), "ms", ms[1:])
		ops = nil
		for i := range 12 {
			x := 0.4 + 0.02*float32(i)
			ops = append(ops, stack.WarpSlide{Target: "marks", Slide: "first", Brush: &warp.Brush{Does: warp.Push, Radius: 0.15, Strength: 1, Path: []float32{x, 0.5, x + 0.02, 0.5}}})
		}
		if ms, err = moved(scene(), with(l), at, ops); err != nil {
			return err
		}
		r.add("casts", fmt.Sprintf("its picture pushed, a segment, at %d, all that it changes", at), "ms", ms[1:])
	}
	return benchViews(ctx, r, m, scene)
}

// benchViews measures views that go out, and one picture that was painted over all of a view: what
// the camera does not see of the model is found texel by texel.
func benchViews(ctx context.Context, r *report, m *mesh.Model, scene func() *eval.Scene) error {
	c := render.Around(m.Bounds, geom.V3(0.4, 0.35, 1), 30)
	note := paintover.Note{ID: "view", Project: "bench", Name: "View", W: 1280, H: 720, Lens: paintover.Lens{
		Aspect: 16.0 / 9, Eye: [3]float32{c.Eye.X, c.Eye.Y, c.Eye.Z}, Target: [3]float32{c.At.X, c.At.Y, c.At.Z},
	}}
	for _, v := range c.Matrix(16.0 / 9) {
		note.View = append(note.View, float32(v))
	}
	for _, times := range []int{1, 2} {
		n := note
		n.W, n.H = n.W*times, n.H*times
		t := time.Now()
		p := eval.Compile(scene(), sample.BollardDocument(), "", "")
		if err := paintover.Out(ctx, io.Discard, p, &n, func(float64) {}); err != nil {
			return err
		}
		r.Results = append(r.Results, result{"casts", fmt.Sprintf("a view of %d × %d goes out as layers", n.W, n.H), "s", time.Since(t).Seconds(), 0, 0})
	}
	b := &paintover.Brought{Note: note, Layers: []*paintover.Added{
		{Name: "Over", Opacity: 1, Mode: ora.SrcOver, Rect: image.Rect(0, 0, note.W, note.H), Picture: "board"},
	}}
	ids := 0
	d := stack.New([]string{m.Sheets[0].Name}, 1024)
	op, err := b.Op(d, m, func() string { ids++; return fmt.Sprint("over", ids) })
	if err != nil {
		return err
	}
	if d, _, _, err = step.Rules.Apply(d, op); err != nil {
		return err
	}
	sw := sweep{Name: "casts", Over: "texels of a sheet that a painted view is cast on", Unit: "s"}
	for _, at := range []int{1024, 2048, 4096} {
		t := time.Now()
		if err := evaluateAll(ctx, eval.Compile(scene(), d, "", ""), []int{at}, benchChannels); err != nil {
			return err
		}
		sec := time.Since(t).Seconds()
		r.Results = append(r.Results, result{"casts", fmt.Sprintf("a painted view cast at %d from nothing, with what the camera does not see", at), "s", sec, 0, 0})
		sw.Points = append(sw.Points, [2]float64{float64(at) * float64(at), sec})
	}
	sw.Exponent = exponent(sw.Points)
	r.Sweeps = append(r.Sweeps, sw)
	return nil
}
