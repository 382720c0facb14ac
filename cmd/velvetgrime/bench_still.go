package main

import (
	"context"
	"fmt"
	"math"
	"runtime"
	"time"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/light"
	"velvetgrime/core/mesh"
	"velvetgrime/core/render"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
)

// benchStill measures stills: the dressed lantern at 1280 × 800, until something is seen, until it
// is presentable (8 paths, denoised) and with 64 paths; and paths a second over triangles, on balls
// of one coat.
func benchStill(ctx context.Context, r *report) error {
	e, _ := light.Find("quay-evening")
	sky := e.Panorama()
	s := render.Still{W: 1280, H: 800, Exposure: 1, Background: "light", Ground: true, Denoise: true, Samples: 64}
	m, dense, d, set, maps := sample.Dressed("lantern")
	b, err := render.BakeInMemory(ctx, m, dense, set, maps, cache.New(cliCache))
	if err != nil {
		return err
	}
	with := *d
	with.Prepared = b.Prepared
	p := eval.Compile(b.Scene, &with, "", "")
	view(&s, m, geom.V3(0.45, 0.35, 1), 50)
	add := func(what string, since time.Time) {
		r.Results = append(r.Results, result{"still", what, "s", time.Since(since).Seconds(), 0, 0})
	}
	begun := time.Now()
	clay, err := render.Clay(ctx, m, render.Glimpse(s), sky)
	if err != nil {
		return err
	}
	glimpse := func(t *render.Traced, paths int, what string) error {
		f, err := t.Trace(ctx, 0, paths, nil)
		if err == nil {
			f.Develop(&t.Still)
			add(what, begun)
		}
		return err
	}
	if err := glimpse(clay, 1, "the lantern, light and shadow to look at"); err != nil {
		return err
	}
	b0, err := render.Evaluate(ctx, p, render.Sheets(p, render.GlimpseTexels), nil)
	if err != nil {
		return err
	}
	t, err := clay.Finer(ctx, render.Glimpse(s), b0)
	if err != nil {
		return err
	}
	if err := glimpse(t, render.GlimpseSamples, "its coarse sheets to look at"); err != nil {
		return err
	}
	t = t.As(s)
	tiles := t.Wants(p, 1)
	b1, err := render.Evaluate(ctx, p, tiles, nil)
	if err != nil {
		return err
	}
	if t, err = t.Finer(ctx, s, b1); err != nil {
		return err
	}
	add(fmt.Sprintf("its sheets are there as fine as they are seen, %d tiles", len(tiles)), begun)
	film := render.NewFilm(s.W, s.H)
	traced := time.Now()
	for _, u := range [][2]int{{0, 8}, {8, 56}} {
		f, err := t.Trace(ctx, u[0], u[1], nil)
		if err != nil {
			return err
		}
		if err := film.Add(f); err != nil {
			return err
		}
		if u[0] == 0 {
			film.Develop(&s)
			add("presentable: 8 paths a pixel, denoised", begun)
		}
	}
	rate := float64(s.W*s.H*64) / time.Since(traced).Seconds() / 1e6
	add("64 paths a pixel", begun)
	add("64 paths a pixel, tracing alone", traced)
	r.Results = append(r.Results, result{"still", fmt.Sprintf("1280 × 800, %d cores; the light is off by %.1f %%", runtime.NumCPU(), film.Error()*100), "million paths a second", rate, 0, 0})

	sw := sweep{Name: "still", Over: "triangles", Unit: "microseconds a path"}
	for _, rings := range []int{16, 64, 256, 512} {
		m := globe(rings)
		doc := stack.New([]string{"ball"}, 256)
		p := eval.Compile(eval.NewScene(m, cache.New(benchCache)), doc, "", "")
		s := render.Still{W: 320, H: 320, Exposure: 1, Samples: 8}
		view(&s, m, geom.V3(0.4, 0.3, 1), 80)
		t, err := render.NewTraced(ctx, p, s, sky, 1, nil)
		if err != nil {
			return err
		}
		begun := time.Now()
		if _, err := t.Trace(ctx, 0, 8, nil); err != nil {
			return err
		}
		sw.Points = append(sw.Points, [2]float64{float64(len(m.Tri)), time.Since(begun).Seconds() * 1e6 / (320 * 320 * 8)})
	}
	sw.Exponent = exponent(sw.Points)
	r.Sweeps = append(r.Sweeps, sw)
	return nil
}

// globe is a ball of rings × 2·rings squares.
func globe(rings int) *mesh.Model {
	m := &mesh.Model{Name: "ball", Parts: []mesh.Part{{Name: "ball"}}, Sheets: []mesh.Sheet{{Name: "ball", HasUV: true}}}
	w := 2*rings + 1
	for i := range rings + 1 {
		for k := range w {
			sp, cp := math.Sincos(math.Pi * float64(i) / float64(rings))
			sa, ca := math.Sincos(math.Pi * float64(k) / float64(rings))
			n := geom.V3(float32(sp*ca), float32(cp), float32(sp*sa))
			m.Pos, m.Nrm = append(m.Pos, n.Mul(0.1)), append(m.Nrm, n)
			m.UV = append(m.UV, geom.Vec2{X: float32(k) / float32(2*rings), Y: float32(i) / float32(rings)})
		}
	}
	for i := range rings {
		for k := range 2 * rings {
			a := uint32(i*w + k)
			if i > 0 {
				m.Tri = append(m.Tri, [3]uint32{a, a + 1, a + uint32(w) + 1})
			}
			if i < rings-1 {
				m.Tri = append(m.Tri, [3]uint32{a, a + uint32(w) + 1, a + uint32(w)})
			}
		}
	}
	m.TriPart, m.TriSheet = make([]uint16, len(m.Tri)), make([]uint16, len(m.Tri))
	if err := m.Finish(); err != nil {
		panic(err)
	}
	return m
}
