package main

import (
	"context"
	"fmt"
	"time"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/render"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// benchSteps measures every source and agent alone on the trial post: million texels
// a second of one core, from nothing, the way over the surface included; and what a
// slider of each agent costs to its draft.
func benchSteps(ctx context.Context, r *report) error {
	t, err := render.Trial(ctx, 256, cache.New(cliCache))
	if err != nil {
		return err
	}
	const size = 1024
	doc := func(d *step.Description, much float64) *stack.Document {
		s := &stack.Step{ID: "s", Kind: d.Kind, On: true, Amount: 1}
		if d.Role == "agent" {
			s.Params = map[string]any{"much": much}
		}
		x := t.MaskDocument([]*stack.Step{s})
		x.Conditions = render.TrialConditions()
		return x
	}
	for _, d := range step.Descriptions() {
		if d.Role == "shaper" || d.Hand || d.Special && d.Kind != stack.BakedStep {
			continue
		}
		run := func(size int, much float64) (texels int, took time.Duration, err error) {
			p := eval.Compile(t.Scene, doc(&d, much), "", "")
			for _, tile := range surface.Tiles(0, size) {
				u := t.Scene.OnTile(tile)
				n := u.Frame().Covered // the frame is not the step's work
				at := time.Now()
				if _, err := p.Step(ctx, u, "mask", "s"); err != nil {
					return 0, 0, err
				}
				took += time.Since(at)
				texels += n
			}
			return texels, took, nil
		}
		n, took, err := run(size, 0.5)
		if err != nil {
			return fmt.Errorf("%s: %w", d.Kind, err)
		}
		rate := float64(n) / took.Seconds() / 1e6
		r.Results = append(r.Results, result{"steps", d.Role + " " + d.Kind, "M texels/s a core", rate, rate, rate})
		if d.Role == "agent" {
			var ms []float64
			for k := range 12 {
				_, took, err := run(256, 0.3+0.03*float64(k))
				if err != nil {
					return err
				}
				ms = append(ms, float64(took.Microseconds())/1000)
			}
			r.add("steps", "agent "+d.Kind+", slider to draft at 256", "ms", ms)
		}
	}
	return nil
}
