package main

import (
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/draw"
	"io"
	"math"
	"os"
	"runtime"
	"runtime/debug"
	"runtime/pprof"
	"slices"
	"strings"
	"time"

	"velvetgrime/core/blend"
	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/deliver"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
	"velvetgrime/internal/live"

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

	dsn string
}

// benches lists what can be measured; names says which results a bench gives.
var benches = []struct {
	names []string
	run   func(context.Context, *report) error
}{
	{[]string{"noise"}, benchNoise},
	{[]string{"stack"}, benchStack},
	{[]string{"stroke"}, benchStroke},
	{[]string{"brushes"}, benchBrushes},
	{[]string{"slider-draft", "slider-settled", "undo"}, benchSlider},
	{[]string{"resize"}, benchResize},
	{[]string{"open"}, benchOpen},
	{[]string{"filter"}, benchFilter},
	{[]string{"deep"}, benchDeep},
	{[]string{"page-stroke"}, benchPageStroke},
	{[]string{"open-strokes"}, benchOpenStrokes},
	{[]string{"deliver"}, benchDeliver},
	{[]string{"bake"}, benchBake},
	{[]string{"steps"}, benchSteps},
	{[]string{"documents"}, benchDocuments},
	{[]string{"casts"}, benchCasts},
	{[]string{"materials"}, benchMaterials},
	{[]string{"grime"}, benchGrime},
	{[]string{"still"}, benchStill},
	{[]string{"memory"}, benchMemory},
	{[]string{"beside"}, benchBeside},
}

func benchCommand() *cobra.Command {
	var asJSON, beside bool
	var profile, shots string
	var all []string
	for _, b := range benches {
		all = append(all, b.names...)
	}
	c := &cobra.Command{Use: "bench [NAME…]", Short: "Measure: " + strings.Join(all, ", "), ValidArgs: all,
		RunE: func(c *cobra.Command, names []string) error {
			if shots != "" {
				return pictures(c.Context(), shots, names)
			}
			for _, n := range names {
				if !slices.Contains(all, n) {
					return fmt.Errorf("there is no bench %q; there are %s", n, strings.Join(all, ", "))
				}
			}
			debug.SetMemoryLimit(benchMiB << 20)
			r := &report{Machine: fmt.Sprintf("%d cores, %s/%s, %s", runtime.NumCPU(), runtime.GOOS, runtime.GOARCH, runtime.Version()), dsn: benchDSN}
			if profile != "" {
				f, err := os.Create(profile)
				if err != nil {
					return err
				}
				defer f.Close()
				if err := pprof.StartCPUProfile(f); err != nil {
					return err
				}
				defer pprof.StopCPUProfile()
			}
			for _, b := range benches {
				asked := len(names) == 0 && b.names[0] != "beside" || beside && b.names[0] == "beside"
				if asked || slices.ContainsFunc(names, func(n string) bool { return slices.Contains(b.names, n) }) {
					if err := b.run(c.Context(), r); err != nil {
						return fmt.Errorf("%s: %w", b.names[0], err)
					}
				}
			}
			return r.print(c.OutOrStdout(), asJSON)
		}}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	c.Flags().BoolVar(&beside, "beside", false, "also measure libvips and Embree, where their packages and a C compiler are installed")
	c.Flags().StringVar(&shots, "pictures", "", "instead write contact sheets to this folder: sources, agents, materials, brushes, stamps, lantern, bollard, gull, or those named")
	c.Flags().StringVar(&profile, "profile", "", "also write a CPU profile to this file")
	c.Flags().StringVar(&benchDSN, "database", os.Getenv("VELVETGRIME_DATABASE"), "PostgreSQL for page-stroke and open-strokes; without one they are left out")
	return c
}

var benchDSN string

// The benches run with the memory that the server has when nothing is said, and
// with its share of that for the cache.
const (
	benchMiB   = 1536
	benchCache = benchMiB << 20 * 6 / 10
)

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
	run := func(size, layers, channels int) (sec, peak float64, err error) {
		sc := eval.NewScene(m, cache.New(benchCache))
		p := eval.Compile(sc, stackDocument(layers, true), "", "")
		watch := watchMemory()
		t := time.Now()
		err = evaluateAll(ctx, p, []int{size}, benchChannels[:channels])
		sec = time.Since(t).Seconds()
		return sec, watch(), err
	}
	if err := r.reference(2048, 20*5/4); err != nil {
		return err
	}
	// what compositing alone takes: the same stack, all masks of one noise
	d := stackDocument(20, true)
	for _, l := range d.Layers {
		l.Mask[0].Params["seed"] = 1.0
	}
	t := time.Now()
	if err := evaluateAll(ctx, eval.Compile(eval.NewScene(m, cache.New(benchCache)), d, "", ""), []int{2048}, benchChannels); err != nil {
		return err
	}
	ms := since(t)
	r.Results = append(r.Results, result{"stack", "2048, 20 layers under one and the same mask, 5 channels", "M RGBA texel-layers/s", 2048 * 2048 * 25 / ms / 1e3, ms, ms})
	for _, s := range []struct {
		over string
		at   [][3]int // size, layers, channels
	}{
		{"size", [][3]int{{512, 20, 5}, {1024, 20, 5}, {2048, 20, 5}, {4096, 20, 5}}},
		{"layers", [][3]int{{1024, 5, 5}, {1024, 10, 5}, {1024, 20, 5}, {1024, 40, 5}}},
		{"channels", [][3]int{{1024, 20, 1}, {1024, 20, 2}, {1024, 20, 5}}},
	} {
		sw := sweep{Name: "stack", Over: s.over, Unit: "s"}
		for _, c := range s.at {
			var ms []float64
			var mib float64
			for range map[bool]int{true: 5, false: 1}[c[0] <= 1024] {
				sec, peak, err := run(c[0], c[1], c[2])
				if err != nil {
					return err
				}
				ms, mib = append(ms, sec*1000), max(mib, peak)
			}
			p50, p95 := percentiles(ms)
			if s.over == "size" {
				rate := float64(c[0]*c[0]) * 20 * 5 / 4 / (p50 / 1000) / 1e6
				r.Results = append(r.Results, result{"stack", fmt.Sprintf("%d, 20 masked layers, 5 channels, %.0f MiB", c[0], mib), "M RGBA texel-layers/s", rate, p50, p95})
			}
			sw.Points = append(sw.Points, [2]float64{float64(c[slices.Index([]string{"size", "layers", "channels"}, s.over)]), p50 / 1000})
		}
		sw.Exponent = exponent(sw.Points)
		r.Sweeps = append(r.Sweeps, sw)
	}
	return nil
}

// reference composites as many full-size 8-bit RGBA pictures over each other by
// masks with Go's image/draw, each on all cores in strips.
func (r *report) reference(size, layers int) error {
	dst, src, mask := image.NewRGBA(image.Rect(0, 0, size, size)), image.NewRGBA(image.Rect(0, 0, size, size)), image.NewAlpha(image.Rect(0, 0, size, size))
	for i := range src.Pix {
		src.Pix[i] = uint8(i * 7)
	}
	for i := range mask.Pix {
		mask.Pix[i] = uint8(i * 5)
	}
	t := time.Now()
	n := runtime.NumCPU()
	for range layers {
		var g errgroup.Group
		for k := range n {
			g.Go(func() error {
				strip := image.Rect(0, k*size/n, size, (k+1)*size/n)
				draw.DrawMask(dst, strip, src, strip.Min, mask, strip.Min, draw.Over)
				return nil
			})
		}
		if err := g.Wait(); err != nil {
			return err
		}
	}
	ms := since(t)
	rate := float64(size*size) * float64(layers) / ms / 1e3
	r.Results = append(r.Results, result{"stack", fmt.Sprintf("%d, beside it: %d masked composites of image/draw", size, layers), "M RGBA texel-layers/s", rate, ms, ms})
	return nil
}

var benchChannels = []stack.Channel{stack.BaseColor, stack.Roughness, stack.Metallic, stack.Height, stack.Occlusion}

// evaluateAll evaluates channels of whole sheets, tile by tile on all cores; a size
// a sheet, 0 for none.
func evaluateAll(ctx context.Context, p *eval.Program, sizes []int, channels []stack.Channel) error {
	var tiles []surface.Tile
	for sheet, size := range sizes {
		if size > 0 {
			tiles = append(tiles, surface.Tiles(sheet, size)...)
		}
	}
	return evaluateTiles(ctx, p, tiles, channels)
}

// evaluateTiles evaluates channels of tiles on all cores.
func evaluateTiles(ctx context.Context, p *eval.Program, tiles []surface.Tile, channels []stack.Channel) error {
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.NumCPU())
	few := len(tiles) < runtime.NumCPU()
	for _, t := range tiles {
		if few { // as the page's tiles are made
			g.Go(func() error { p.For(t).Masks(ctx, p.Scene.OnTile(t), channels); return nil })
		}
		g.Go(func() error {
			u, p := p.Scene.OnTile(t), p.For(t) // as the page has it
			if u.Empty() {
				return nil
			}
			for _, c := range channels {
				if _, err := p.Channel(ctx, u, c); err != nil {
					return err
				}
			}
			_, err := p.Normal(ctx, u)
			return err
		})
	}
	return g.Wait()
}

// watchMemory samples the heap in use until it is asked for the highest, in MiB.
func watchMemory() func() float64 {
	runtime.GC()
	stop, done := make(chan bool), make(chan float64)
	go func() {
		var peak uint64
		var m runtime.MemStats
		for {
			runtime.ReadMemStats(&m)
			peak = max(peak, m.HeapInuse+m.StackInuse)
			select {
			case <-stop:
				done <- float64(peak) / (1 << 20)
				return
			case <-time.After(20 * time.Millisecond):
			}
		}
	}()
	return func() float64 { stop <- true; return <-done }
}

// pulled is a stroke across the bollard's post as the bench draws it.
type pulled struct {
	size, layers int
	radius       float32
	kit          *brush.Kit
	before       int // strokes that are there already
	does         string
}

// frameOfPage is how often a page hands on what the pen did.
const frameOfPage = 16 * time.Millisecond

// run draws the stroke in small segments, one a frame of a page, and times each from
// sample to the finished base color of the tiles it touches (not packed for the page), in
// milliseconds. Between them it does what the live session does then: it makes ready where
// the pen goes.
func (b pulled) run(ctx context.Context) (ms []float64, tilesEach float64, err error) {
	sc := eval.NewScene(sample.Bollard(), cache.New(benchCache))
	d := stackDocument(b.layers, true)
	paint := paintLayer()
	at := func(a float64) brush.Point {
		n := geom.V3(float32(math.Sin(a)), 0, float32(math.Cos(a)))
		return brush.Point{Pos: n.Mul(0.119).Add(geom.V3(0, 0.3, 0)), Nrm: n, Pressure: 1}
	}
	values := map[string][]float32{"baseColor": {1, 0, 0}}
	for i := range b.before {
		s := &brush.Stroke{ID: fmt.Sprint("was", i), Radius: b.radius, Strength: 1, Hardness: 0.5, Values: values, Kit: b.kit}
		for k := range 4 {
			s.Points = append(s.Points, at(float64(i%60)*0.02+float64(k)*0.02))
		}
		paint.Strokes = append(paint.Strokes, s)
	}
	half := b.layers / 2
	d.Layers = append(d.Layers[:half:half], append([]*stack.Layer{paint}, d.Layers[half:]...)...)
	st := &brush.Stroke{ID: "bench", Radius: b.radius, Strength: 1, Hardness: 0.5, Values: values, Kit: b.kit, Does: b.does, Take: &brush.Take{At: at(0.4).Pos, Nrm: at(0.4).Nrm}}
	touched := 0
	var tiles []surface.Tile
	var blocks [][]geom.Box
	for _, tile := range surface.Tiles(0, b.size) {
		if u := sc.OnTile(tile); !u.Empty() {
			tiles, blocks = append(tiles, tile), append(blocks, u.Frame().Blocks)
		}
	}
	ready := map[surface.Tile]bool{}
	for i := range 70 {
		next := *st
		next.Points = append(next.Points[:len(next.Points):len(next.Points)], at(float64(i)*0.02))
		st = &next
		t := time.Now()
		grown, _, _, err := step.Rules.Apply(d, stack.AddStroke{Target: "paint", StrokeID: st.ID, Stroke: st, Index: -1})
		if err != nil {
			return nil, 0, err
		}
		p := eval.Compile(sc, grown, "paint", st.ID)
		g, gctx := errgroup.WithContext(ctx)
		g.SetLimit(2) // as the live session does it
		for k, tile := range tiles {
			if !st.Touches(blocks[k], 0, max(0, st.Segments()-1), st.Segments()) {
				continue
			}
			u := sc.OnTile(tile)
			touched++
			g.Go(func() error {
				_, err := p.Channel(gctx, u, stack.BaseColor)
				return err
			})
		}
		if err := g.Wait(); err != nil {
			return nil, 0, err
		}
		if i >= 10 { // the first ones fill the cache below and above the layer
			ms = append(ms, since(t))
		}
		if rest := frameOfPage - time.Since(t); rest > 0 && i > 0 {
			idle, cancel := context.WithTimeout(ctx, rest)
			pen := eval.Pen{At: at(float64(i) * 0.02).Pos, Radius: b.radius}
			pen.Goes = pen.At.Sub(at(float64(i-1) * 0.02).Pos).Mul(live.PenLead)
			_ = p.ReadyAll(idle, sc.Near(idle, tiles, pen), []stack.Channel{stack.BaseColor}, ready)
			<-idle.Done()
			cancel()
		}
	}
	return ms, float64(touched) / 70, nil
}

// sweepStroke runs one kind of stroke after the other and notes how the cost grows.
func (r *report) sweepStroke(ctx context.Context, name, over string, list []pulled, by func(pulled) float64) error {
	sw := sweep{Name: name, Over: over, Unit: "ms p50"}
	for _, b := range list {
		ms, tiles, err := b.run(ctx)
		if err != nil {
			return err
		}
		r.add(name, fmt.Sprintf("%d, %d layers, dab %.0f mm, %d strokes before, %.1f tiles a segment", b.size, b.layers+1, b.radius*2000, b.before, tiles), "ms a segment", ms)
		p50, _ := percentiles(ms)
		sw.Points = append(sw.Points, [2]float64{by(b), p50})
	}
	sw.Exponent = exponent(sw.Points)
	r.Sweeps = append(r.Sweeps, sw)
	return nil
}

func benchStroke(ctx context.Context, r *report) error {
	usual := pulled{size: 2048, layers: 20, radius: 0.02}
	with := func(n int, change func(*pulled, int)) (list []pulled) {
		for i := range n {
			b := usual
			change(&b, i)
			list = append(list, b)
		}
		return
	}
	sizes := func(n int) []pulled { return with(n, func(b *pulled, i int) { b.size = 1024 << i }) }
	if err := r.sweepStroke(ctx, "stroke", "size", sizes(4), func(b pulled) float64 { return float64(b.size) }); err != nil {
		return err
	}
	if err := r.sweepStroke(ctx, "stroke", "layers", with(3, func(b *pulled, i int) { b.layers = 10 << i }), func(b pulled) float64 { return float64(b.layers) }); err != nil {
		return err
	}
	if err := r.sweepStroke(ctx, "stroke", "radius", with(4, func(b *pulled, i int) { b.radius = 0.01 * float32(int(1)<<i) }), func(b pulled) float64 { return float64(b.radius) }); err != nil {
		return err
	}
	return r.sweepStroke(ctx, "stroke", "strokes before", with(3, func(b *pulled, i int) { b.before = 500 << (2 * i) }), func(b pulled) float64 { return float64(b.before) })
}

// benchBrushes draws the same stroke with brushes of the shelf.
func benchBrushes(ctx context.Context, r *report) error {
	for _, m := range brush.Shelf() {
		switch m.Name {
		case "Round", "Marker", "Mist", "Dry bristle", "Wall chalk", "Rust bloom", "Plumage", "Salt spatter":
		default:
			continue
		}
		ms, tiles, err := pulled{size: 2048, layers: 20, radius: 0.02, kit: m.Kit}.run(ctx)
		if err != nil {
			return err
		}
		r.add("brushes", fmt.Sprintf("%s, 2048, 21 layers, dab 40 mm, %.1f tiles a segment", m.Name, tiles), "ms a segment", ms)
	}
	for _, does := range []string{brush.Soften, brush.Clone, brush.Smear} {
		ms, tiles, err := pulled{size: 2048, layers: 20, radius: 0.02, before: 60, does: does}.run(ctx)
		if err != nil {
			return err
		}
		r.add("brushes", fmt.Sprintf("%s, 2048, 21 layers, 60 strokes below, dab 40 mm, %.1f tiles a segment", does, tiles), "ms a segment", ms)
	}
	return nil
}

func allTiles(ctx context.Context, p *eval.Program, size int) error {
	for _, k := range []string{"base color with opacity", "occlusion roughness metallic", "normal"} {
		mp, _ := deliver.Find(k)
		if _, err := deliver.Image(ctx, p, 0, size, mp, 8); err != nil {
			return err
		}
	}
	return nil
}

func benchSlider(ctx context.Context, r *report) error {
	sc := eval.NewScene(sample.Bollard(), cache.New(benchCache))
	d := stackDocument(20, true)
	if err := allTiles(ctx, eval.Compile(sc, d, "l10", ""), 256); err != nil {
		return err
	}
	var draft, settled, undo []float64
	for i := range 8 {
		v, _ := json.Marshal(0.2 + 0.05*float64(i))
		next, inv, _, err := step.Rules.Apply(d, stack.SetStep{Target: "l10", StepID: "n", Path: "params.persistence", Value: v})
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
		back, _, _, err := step.Rules.Apply(next, inv)
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
	sc := eval.NewScene(sample.Bollard(), cache.New(benchCache))
	p := eval.Compile(sc, sample.PlainBollard(), "", "")
	sw := sweep{Name: "deliver", Over: "size", Unit: "s"}
	for _, size := range []int{1024, 2048, 4096} {
		t := time.Now()
		o := deliver.Order{Maps: []string{"base color", "occlusion roughness metallic", "normal", "height", "emissive"}, Size: size}
		if err := deliver.Write(ctx, p, o, func(float64, string) {}, func(_ string, file func(io.Writer) error) error { return file(io.Discard) }); err != nil {
			return err
		}
		r.add("deliver", fmt.Sprintf("one sheet of %d, five 8-bit PNG", size), "ms", []float64{since(t)})
		sw.Points = append(sw.Points, [2]float64{float64(size), since(t) / 1000})
	}
	sw.Exponent = exponent(sw.Points)
	r.Sweeps = append(r.Sweeps, sw)
	return nil
}
