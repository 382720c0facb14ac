package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"runtime"
	"slices"
	"time"

	"velvetgrime/core/blend"
	"velvetgrime/core/brush"
	"velvetgrime/core/deliver"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"

	"github.com/spf13/cobra"
	"golang.org/x/sync/errgroup"
)

type result struct {
	Name   string  `json:"name"`
	Params string  `json:"params"`
	Unit   string  `json:"unit"`
	Value  float64 `json:"value"`
	P50    float64 `json:"p50"`
	P95    float64 `json:"p95"`
}

type sweep struct {
	Name     string       `json:"name"`
	Over     string       `json:"over"`
	Unit     string       `json:"unit"`
	Points   [][2]float64 `json:"points"`
	Exponent float64      `json:"exponent"`
}

type report struct {
	Machine string   `json:"machine"`
	Results []result `json:"results"`
	Sweeps  []sweep  `json:"sweeps"`
}

func benchCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{Use: "bench [NAME…]", Short: "Measure: stroke, stack, slider-draft, slider-settled, undo, deliver, noise",
		RunE: func(c *cobra.Command, names []string) error {
			r := &report{Machine: fmt.Sprintf("%d cores, %s/%s, %s", runtime.NumCPU(), runtime.GOOS, runtime.GOARCH, runtime.Version())}
			all := []struct {
				name string
				run  func(context.Context, *report) error
			}{{"noise", benchNoise}, {"stack", benchStack}, {"stroke", benchStroke}, {"slider", benchSlider}, {"deliver", benchDeliver}}
			for _, b := range all {
				if len(names) == 0 || slices.ContainsFunc(names, func(n string) bool {
					return n == b.name || n == "undo" && b.name == "slider" || len(n) > 5 && n[:5] == b.name[:5]
				}) {
					if err := b.run(c.Context(), r); err != nil {
						return fmt.Errorf("%s: %w", b.name, err)
					}
				}
			}
			return r.print(c.OutOrStdout(), asJSON)
		}}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

func (r *report) print(w io.Writer, asJSON bool) error {
	if asJSON {
		return json.NewEncoder(w).Encode(r)
	}
	fmt.Fprintln(w, r.Machine)
	for _, x := range r.Results {
		fmt.Fprintf(w, "%-16s %-44s %10.2f %-22s p50 %8.2f  p95 %8.2f\n", x.Name, x.Params, x.Value, x.Unit, x.P50, x.P95)
	}
	for _, s := range r.Sweeps {
		fmt.Fprintf(w, "%-16s over %-12s exponent %.2f  %v %s\n", s.Name, s.Over, s.Exponent, s.Points, s.Unit)
	}
	return nil
}

func percentiles(ms []float64) (p50, p95 float64) {
	slices.Sort(ms)
	return ms[len(ms)/2], ms[min(len(ms)*95/100, len(ms)-1)]
}

// exponent is the slope of a straight line through the points in log-log.
func exponent(p [][2]float64) float64 {
	var sx, sy, sxx, sxy float64
	for _, q := range p {
		x, y := math.Log(q[0]), math.Log(q[1])
		sx, sy, sxx, sxy = sx+x, sy+y, sxx+x*x, sxy+x*y
	}
	n := float64(len(p))
	return (n*sxy - sx*sy) / (n*sxx - sx*sx)
}

func (r *report) add(name, params, unit string, ms []float64) {
	p50, p95 := percentiles(ms)
	r.Results = append(r.Results, result{name, params, unit, p50, p50, p95})
}

func since(t time.Time) float64 { return float64(time.Since(t).Microseconds()) / 1000 }

func benchNoise(_ context.Context, r *report) error {
	f := noise.FBM{Kind: noise.Clouds, Seed: 1, Frequency: 20, Octaves: 5, Lacunarity: 2, Persistence: 0.5}
	s := f.Sampler(0.0003)
	const n = 400_000
	var sink float32
	t := time.Now()
	for i := 0; i < n; i += 8 {
		var x, y, z, v [8]float32
		for l := range 8 {
			x[l] = float32((i+l)%997) * 0.001
			y[l], z[l] = float32((i+l)/997)*0.001, x[l]*0.3
		}
		s.Eight(&x, &y, &z, &v)
		sink += v[0] + v[1] + v[2] + v[3] + v[4] + v[5] + v[6] + v[7]
	}
	ns := float64(time.Since(t).Nanoseconds()) / n
	r.Results = append(r.Results, result{"noise", fmt.Sprintf("clouds, 5 octaves, one core (mean %.2f)", sink/n), "ns a texel", ns, ns, ns})
	return nil
}

// stackDocument is 20 fill layers of 5 channels, each under a mask.
func stackDocument(layers int, masked bool) *stack.Document {
	d := stack.New([]string{"Cast iron"}, 2048)
	modes := []blend.Mode{"normal", "multiply", "overlay", "screen", "soft light"}
	for i := range layers {
		l := &stack.Layer{ID: fmt.Sprint("l", i), Name: fmt.Sprint("Layer ", i), Kind: stack.Fill, Visible: true, Amount: 0.8, Channels: map[stack.Channel]stack.Coat{}}
		for _, c := range []stack.Channel{stack.BaseColor, stack.Roughness, stack.Metallic, stack.Height, stack.Occlusion} {
			info, _ := stack.Info(c)
			coat := stack.Coat{On: true, Value: info.Suggested, Amount: 1}
			if c == stack.BaseColor {
				coat.Blend = modes[i%len(modes)]
			}
			l.Channels[c] = coat
		}
		if masked {
			noise := &stack.Step{ID: "n", Kind: "noise", On: true, Amount: 1, Params: map[string]any{"seed": float64(i), "octaves": 3.0, "frequency": 9.0}}
			l.Mask = append(l.Mask, noise)
		}
		d.Layers = append(d.Layers, l)
	}
	return d
}

func benchStack(ctx context.Context, r *report) error {
	m := sample.Bollard()
	s := sweep{Name: "stack", Over: "size", Unit: "s"}
	for _, size := range []int{512, 1024, 2048} {
		sc := eval.NewScene(m, eval.NewCache(1<<30))
		p := eval.Compile(sc, stackDocument(20, true), "", "")
		t := time.Now()
		if err := allTiles(ctx, p, size); err != nil {
			return err
		}
		sec := time.Since(t).Seconds()
		rate := float64(size*size) * 20 * 5 / 4 / sec / 1e6
		r.Results = append(r.Results, result{"stack", fmt.Sprintf("%d, 20 masked layers, 5 channels, from nothing", size), "M RGBA texel-layers/s", rate, sec * 1000, sec * 1000})
		s.Points = append(s.Points, [2]float64{float64(size), sec})
	}
	s.Exponent = exponent(s.Points)
	r.Sweeps = append(r.Sweeps, s)
	return nil
}

// benchStroke draws a stroke across the bollard's post in small segments and
// times each from sample to the finished base color of the tiles it touches (not
// packed for the page).
func benchStroke(ctx context.Context, r *report) error {
	m := sample.Bollard()
	sw := sweep{Name: "stroke", Over: "size", Unit: "ms p50"}
	for _, size := range []int{1024, 2048, 4096} {
		sc := eval.NewScene(m, eval.NewCache(3<<30))
		d := stackDocument(20, true)
		paint := &stack.Layer{ID: "paint", Name: "Paint", Kind: stack.Paint, Visible: true, Amount: 1, Channels: map[stack.Channel]stack.Coat{stack.BaseColor: {On: true, Amount: 1}}}
		d.Layers = append(d.Layers[:10:10], append([]*stack.Layer{paint}, d.Layers[10:]...)...)
		st := &brush.Stroke{ID: "bench", Radius: 0.02, Strength: 1, Hardness: 0.5, Values: map[string][]float32{"baseColor": {1, 0, 0}}}
		var ms []float64
		touched := 0
		tiles := eval.Tiles(0, size)
		for i := range 70 {
			a := float64(i) * 0.02
			n := geom.V3(float32(math.Sin(a)), 0, float32(math.Cos(a)))
			next := *st
			next.Points = append(next.Points[:len(next.Points):len(next.Points)], brush.Point{Pos: n.Mul(0.119).Add(geom.V3(0, 0.3, 0)), Nrm: n, Pressure: 1})
			st = &next
			t := time.Now()
			live, _, _, err := d.Apply(stack.Op{Kind: "stroke.add", Target: "paint", StrokeID: st.ID, Stroke: st, Index: -1})
			if err != nil {
				return err
			}
			p := eval.Compile(sc, live, "paint", st.ID)
			g, gctx := errgroup.WithContext(ctx)
			g.SetLimit(2) // as the live session does it
			for _, tile := range tiles {
				u := sc.OnTile(tile)
				if u.Empty() || !st.Touches(u.Frame().Blocks, 0, max(0, st.Segments()-1), st.Segments()) {
					continue
				}
				touched++
				g.Go(func() error {
					_, err := p.Channel(gctx, u, stack.BaseColor)
					return err
				})
			}
			if err := g.Wait(); err != nil {
				return err
			}
			if i >= 10 { // the first ones fill the cache below and above the layer
				ms = append(ms, since(t))
			}
		}
		r.add("stroke", fmt.Sprintf("%d, 21 layers, %.1f tiles a segment", size, float64(touched)/70), "ms a segment", ms)
		p50, _ := percentiles(ms)
		sw.Points = append(sw.Points, [2]float64{float64(size), p50})
	}
	sw.Exponent = exponent(sw.Points)
	r.Sweeps = append(r.Sweeps, sw)
	return nil
}

func allTiles(ctx context.Context, p *eval.Program, size int) error {
	for _, k := range []string{"base color with opacity", "occlusion roughness metallic", "normal"} {
		mp, _ := deliver.Find(k)
		if _, err := deliver.Image(ctx, p, 0, size, mp, 8, nil); err != nil {
			return err
		}
	}
	return nil
}

func benchSlider(ctx context.Context, r *report) error {
	sc := eval.NewScene(sample.Bollard(), eval.NewCache(2<<30))
	d := stackDocument(20, true)
	if err := allTiles(ctx, eval.Compile(sc, d, "l10", ""), 256); err != nil {
		return err
	}
	var draft, settled, undo []float64
	for i := range 8 {
		v, _ := json.Marshal(0.2 + 0.05*float64(i))
		next, inv, _, err := d.Apply(stack.Op{Kind: "step.set", Target: "l10", StepID: "n", Path: "params.persistence", Value: v})
		if err != nil {
			return err
		}
		t := time.Now()
		p := eval.Compile(sc, next, "l10", "")
		if err := allTiles(ctx, p, 256); err != nil {
			return err
		}
		draft = append(draft, since(t))
		if i < 3 {
			t = time.Now()
			if err := allTiles(ctx, p, 2048); err != nil {
				return err
			}
			settled = append(settled, since(t))
		}
		back, _, _, err := next.Apply(inv)
		if err != nil {
			return err
		}
		t = time.Now()
		if err := allTiles(ctx, eval.Compile(sc, back, "l10", ""), 256); err != nil {
			return err
		}
		undo = append(undo, since(t))
	}
	r.add("slider-draft", "noise of layer 10 of 20, at 256", "ms", draft)
	r.add("slider-settled", "the same at 2048, pictures packed", "ms", settled[1:])
	r.add("undo", "the same taken back, at 256", "ms", undo)
	return nil
}

func benchDeliver(ctx context.Context, r *report) error {
	sc := eval.NewScene(sample.Bollard(), eval.NewCache(1<<30))
	p := eval.Compile(sc, sample.BollardDocument(), "", "")
	t := time.Now()
	o := deliver.Order{Maps: []string{"base color", "occlusion roughness metallic", "normal", "height", "emissive"}, Size: 2048}
	if err := deliver.Write(ctx, p, o, func(float64, string) {}, func(string) (io.Writer, error) { return io.Discard, nil }); err != nil {
		return err
	}
	r.add("deliver", "one sheet of 2048, five 8-bit PNG", "ms", []float64{since(t)})
	return nil
}
