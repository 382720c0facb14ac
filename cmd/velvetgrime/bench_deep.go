package main

import (
	"context"
	"fmt"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// benchDeep leans on the stack: 40 masked layers over four sheets of 4096. It
// times the first draft, what a camera that sees the whole model needs (1024), a
// stroke and its undo, each to all changed tiles of the size that is shown, and
// then one whole sheet at 4096.
func benchDeep(ctx context.Context, r *report) error {
	m := sample.Lantern()
	sc := eval.NewScene(m, cache.New(benchCache))
	d := stackDocument(40, true)
	d.Sheets = map[string]stack.SheetSize{}
	for i, s := range m.Sheets {
		d.Sheets[s.Name] = stack.SheetSize{Size: map[bool]int{true: 4096, false: 128}[i < 4]}
	}
	paint := &stack.Layer{ID: "strokes", Name: "Strokes", Kind: stack.Paint, Visible: true, Amount: 1, Channels: map[stack.Channel]stack.Coat{stack.BaseColor: {On: true, Amount: 1}}}
	d.Layers = append(d.Layers[:20:20], append([]*stack.Layer{paint}, d.Layers[20:]...)...)
	all := append([]stack.Channel{stack.Opacity, stack.Emissive}, benchChannels...)
	watch := watchMemory()
	t := time.Now()
	p := eval.Compile(sc, d, "strokes", "")
	if err := evaluateAll(ctx, p, []int{256, 256, 256, 256}, all); err != nil {
		return err
	}
	r.add("deep", "40 layers, 4 sheets of 4096: first draft", "ms", []float64{since(t)})
	if err := evaluateAll(ctx, p, []int{1024, 1024, 1024, 1024}, all); err != nil {
		return err
	}
	r.add("deep", "the same, complete for the whole model in view", "ms", []float64{since(t)})

	var stroke, undo []float64
	changed := func(from, to *eval.Program) error {
		box, _ := eval.OnlyStrokes(from, to)
		for sheet := range 4 {
			for _, tile := range surface.Tiles(sheet, 1024) {
				if u := sc.OnTile(tile); u.Within(box) {
					if _, err := to.Channel(ctx, u, stack.BaseColor); err != nil {
						return err
					}
				}
			}
		}
		return nil
	}
	for i, s := range scatter(m, 40, map[string][]float32{"baseColor": {0.8, 0.7, 0.2}}) {
		s.Radius = 0.004
		s.Points = s.Points[:2]
		t := time.Now()
		next, inv, _, err := step.Rules.Apply(d, stack.AddStroke{Target: "strokes", StrokeID: s.ID, Stroke: s, Index: -1})
		if err != nil {
			return err
		}
		q := eval.Compile(sc, next, "strokes", "")
		if err := changed(p, q); err != nil {
			return err
		}
		stroke = append(stroke, since(t))
		t = time.Now()
		b, err := stack.EncodeOp(inv)
		if err != nil {
			return err
		}
		back, err := stack.DecodeOp(b, map[string]*brush.Stroke{s.ID: s})
		if err != nil {
			return err
		}
		prev, _, _, err := step.Rules.Apply(next, back)
		if err != nil {
			return err
		}
		again := eval.Compile(sc, prev, "strokes", "")
		if err := changed(q, again); err != nil {
			return err
		}
		undo = append(undo, since(t))
		if i%2 == 0 { // half of them stay
			d, p = next, q
		} else {
			d, p = prev, again
		}
	}
	r.add("deep", "a short stroke between 40 layers, to all its tiles", "ms", stroke)
	r.add("deep", "its undo", "ms", undo)
	t = time.Now()
	if err := evaluateAll(ctx, p, []int{4096}, all); err != nil {
		return err
	}
	r.add("deep", "one of the sheets at 4096, complete", "ms", []float64{since(t)})
	peak := watch()
	r.Results = append(r.Results, result{"deep", fmt.Sprintf("memory meanwhile, bound %d", benchMiB), "MiB at most", peak, peak, peak})
	return nil
}
