package main

import (
	"context"
	"fmt"
	"time"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/material"
	"velvetgrime/core/par"
	"velvetgrime/core/render"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// benchMaterials measures how long a material takes until its draft can be seen, on one part and
// over a whole dressed object, and six of them beside one another.
func benchMaterials(ctx context.Context, r *report) error {
	for _, name := range []string{"bollard", "lantern"} {
		m, dense, d, s, maps := sample.Dressed(name)
		b, err := render.BakeInMemory(ctx, m, dense, s, maps, cache.New(benchCache))
		if err != nil {
			return err
		}
		d.Prepared = b.Prepared
		p := eval.Compile(b.Scene, d, "", "")
		var tiles []surface.Tile
		for sheet := range m.Sheets {
			tiles = append(tiles, surface.Tile{Sheet: sheet, Size: 128})
		}
		if err := evaluateTiles(ctx, p, tiles, benchChannels); err != nil {
			return err
		}
		with := func(of string, seed int, reach stack.Reach) (*eval.Program, error) {
			got, err := material.Find(of)
			if err != nil {
				return nil, err
			}
			g := got.Group(fmt.Sprint(of, seed), seed)
			g.Reach = reach
			n, _, _, err := step.Rules.Apply(d, stack.AddLayer{Index: -1, Layer: g})
			if err != nil {
				return nil, err
			}
			return eval.Compile(b.Scene, n, "", ""), nil
		}
		six := []string{"Cast iron", "Brass, salt-bitten", "Enamel, red", "Galvanised steel", "Copper with verdigris", "Teak deck"}
		for _, reach := range []stack.Reach{{Parts: []string{m.Parts[0].Name}}, {}} {
			var ms []float64
			for seed := range 2 {
				for _, of := range six {
					t := time.Now()
					with, err := with(of, 100+seed+len(reach.Parts)*10, reach)
					if err != nil {
						return err
					}
					if err := evaluateTiles(ctx, with, tiles, benchChannels); err != nil {
						return err
					}
					ms = append(ms, since(t))
				}
			}
			r.add("materials", fmt.Sprintf("%s, hover to draft on %s", name, map[bool]string{true: "a part", false: "all of it"}[len(reach.Parts) > 0]), "ms", ms)
		}
		t := time.Now()
		g, gctx := par.WithContext(ctx)
		for i, of := range six {
			g.Go(func() error {
				with, err := with(of, 200+i, stack.Reach{})
				if err != nil {
					return err
				}
				return evaluateTiles(gctx, with, tiles, benchChannels)
			})
		}
		if err := g.Wait(); err != nil {
			return err
		}
		r.add("materials", name+", line-up of six, drafts", "ms", []float64{since(t)})
	}
	return nil
}
