package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"runtime/pprof"
	"slices"
	"strings"
	"syscall"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/render"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// benchDocuments measures what artists make: the dressed samples, and outside models named by
// VELVETGRIME_BENCH_MODELS (files, separated by colons) under the bollard's coats. Each is
// evaluated whole, every channel of every sheet, from nothing and after single changes.
func benchDocuments(ctx context.Context, r *report) error {
	sizes := []int{1024, 2048}
	if s := os.Getenv("VELVETGRIME_BENCH_SIZES"); s != "" {
		sizes = nil
		for _, f := range strings.Split(s, ",") {
			var n int
			if _, err := fmt.Sscan(f, &n); err != nil {
				return fmt.Errorf("the size %q is no number", f)
			}
			sizes = append(sizes, n)
		}
	}
	names := []string{"bollard", "lantern", "gull"}
	if s := os.Getenv("VELVETGRIME_BENCH_DOCUMENTS"); s != "" {
		names = strings.Split(s, ",")
	}
	for _, name := range names {
		m, dense, d, s, maps := sample.Dressed(name)
		if err := benchDocument(ctx, r, name, m, func(room int) (*render.Baked, error) {
			return render.BakeInMemory(ctx, m, dense, s, maps, cache.New(room))
		}, d, sizes); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
	}
	for _, file := range filepath.SplitList(os.Getenv("VELVETGRIME_BENCH_MODELS")) {
		m, err := meshio.Read(os.DirFS(filepath.Dir(file)), filepath.Base(file), meshio.DefaultLimits)
		if err != nil {
			return err
		}
		s, maps := sample.Bakes("bollard")
		d := onModel(sample.BollardDocument(), m)
		if err := benchDocument(ctx, r, "an outside model", m, func(room int) (*render.Baked, error) {
			return render.BakeInMemory(ctx, m, nil, s, maps, cache.New(room))
		}, d, sizes); err != nil {
			return fmt.Errorf("%s: %w", file, err)
		}
	}
	return nil
}

// onModel gives a document the sheets of another model; its layers reach all of them.
func onModel(d *stack.Document, m *mesh.Model) *stack.Document {
	n := *d
	n.Sheets = map[string]stack.SheetSize{}
	for _, s := range m.Sheets {
		n.Sheets[s.Name] = stack.SheetSize{Size: 1024}
	}
	var all func(list []*stack.Layer) []*stack.Layer
	all = func(list []*stack.Layer) (out []*stack.Layer) {
		for _, l := range list {
			c := *l
			c.Reach = stack.Reach{}
			c.Layers = all(l.Layers)
			out = append(out, &c)
		}
		return out
	}
	n.Layers = all(d.Layers)
	return &n
}

// changesOf are single changes of a document, as an artist makes them.
func changesOf(d *stack.Document, m *mesh.Model) []struct {
	what string
	op   stack.Op
} {
	value := func(v any) json.RawMessage { b, _ := json.Marshal(v); return b }
	var painted, lowest, top *stack.Layer
	d.Walk(func(l *stack.Layer, _ []*stack.Layer) {
		if l.Kind == stack.Group || !l.Visible {
			return
		}
		if lowest == nil {
			lowest = l
		}
		top = l
		for _, s := range l.Mask {
			if s.Kind == stack.Hand {
				painted = l
			}
		}
	})
	facts := *d.Facts()
	facts.Age++
	out := []struct {
		what string
		op   stack.Op
	}{
		{"amount of the lowest layer", stack.SetLayer{Target: lowest.ID, Path: "amount", Value: value(0.9 * lowest.Amount)}},
		{"amount of the top layer", stack.SetLayer{Target: top.ID, Path: "amount", Value: value(0.9 * top.Amount)}},
		{"age by a year", stack.SetConditions{Conditions: &facts}},
		{"top layer hidden", stack.SetLayer{Target: top.ID, Path: "visible", Value: value(false)}},
	}
	if painted != nil {
		t := m.Tri[len(m.Tri)/3]
		at := m.Pos[t[0]].Add(m.Pos[t[1]]).Add(m.Pos[t[2]]).Mul(1.0 / 3)
		n := m.FaceNormal(len(m.Tri) / 3).Unit()
		far := m.Bounds.Size().Length() * 0.03
		st := &brush.Stroke{ID: "bench", Radius: far, Strength: 1, Hardness: 0.5, Values: map[string][]float32{"mask": {0}},
			Points: brush.Points{{Pos: at, Nrm: n, Pressure: 1}, {Pos: at.Add(m.Pos[t[1]].Sub(at).Unit().Mul(far)), Nrm: n, Pressure: 1}}}
		hand := ""
		for _, s := range painted.Mask {
			if s.Kind == stack.Hand {
				hand = s.ID
			}
		}
		out = append(out, struct {
			what string
			op   stack.Op
		}{"a stroke in a hand step", stack.AddStroke{Target: painted.ID, StepID: hand, StrokeID: st.ID, Index: -1, Stroke: st}})
	}
	return out
}

func benchDocument(
	ctx context.Context, r *report, name string, m *mesh.Model, bake func(cache int) (*render.Baked, error),
	d *stack.Document, sizes []int,
) error {
	layers := 0
	d.Walk(func(l *stack.Layer, _ []*stack.Layer) {
		if l.Kind != stack.Group {
			layers++
		}
	})
	for _, size := range sizes {
		b, err := bake(benchCache)
		if err != nil {
			return err
		}
		sized := *d
		sized.Prepared = b.Prepared
		sized.Sheets = map[string]stack.SheetSize{}
		each := make([]int, len(m.Sheets))
		covered := 0
		for i, s := range m.Sheets {
			if s.HasUV {
				each[i], sized.Sheets[s.Name] = size, stack.SheetSize{Size: size}
				covered += coveredOf(b.Scene, i, size)
			}
		}
		measured := func(what string, covered int, evaluate func(ctx context.Context) error) (err error) {
			cpu := cpuSeconds()
			t := time.Now()
			// a profile can be asked for one of them: -tagfocus
			pprof.Do(ctx, pprof.Labels("what", name+" "+what), func(ctx context.Context) { err = evaluate(ctx) })
			if err != nil {
				return err
			}
			sec := time.Since(t).Seconds()
			cpu = cpuSeconds() - cpu
			label := fmt.Sprintf("%s at %d, %d layers, %s", name, size, layers, what)
			r.Results = append(r.Results, result{"documents", label, "s", sec, 0, 0})
			per := cpu * 1e6 / float64(covered) / float64(layers)
			r.Results = append(r.Results, result{"documents", label, "core-µs a texel and layer", per, 0, 0})
			return nil
		}
		measure := func(what string, d *stack.Document) error {
			return measured(what, covered, func(ctx context.Context) error {
				return evaluateAll(ctx, eval.Compile(b.Scene, d, "", ""), each, benchChannels)
			})
		}
		if err := measure("from nothing", &sized); err != nil {
			return err
		}
		for _, c := range changesOf(&sized, m) {
			next, _, _, err := step.Rules.Apply(&sized, c.op)
			if err != nil {
				return fmt.Errorf("%s: %w", c.what, err)
			}
			if err := measure(c.what, next); err != nil {
				return err
			}
		}
		if size == 1024 { // at the end: it takes the cache
			raised := sized
			raised.Sheets = map[string]stack.SheetSize{}
			for s := range sized.Sheets {
				raised.Sheets[s] = stack.SheetSize{Size: 4096}
			}
			tiles, covered := inView(b.Scene, 4096, 40)
			err := measured("raised to 4096, 40 tiles of it", covered, func(ctx context.Context) error {
				return evaluateTiles(ctx, eval.Compile(b.Scene, &raised, "", ""), tiles, benchChannels)
			})
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// inView returns neighbouring tiles of the first sheet at a size that lie on the surface for
// the most part, from the middle outward, and how many of their texels do.
func inView(s *eval.Scene, size, count int) (tiles []surface.Tile, covered int) {
	all := surface.Tiles(0, size)
	middle := size / pix.Size / 2
	off := func(t surface.Tile) int { return max(t.X-middle, middle-t.X) + max(t.Y-middle, middle-t.Y) }
	slices.SortStableFunc(all, func(a, b surface.Tile) int { return off(a) - off(b) })
	for _, t := range all {
		if n := countCovered(s.OnTile(t).Frame()); n > pix.Size*pix.Size*6/10 && len(tiles) < count {
			tiles, covered = append(tiles, t), covered+n
		}
	}
	return tiles, covered
}

// coveredOf counts the texels of a sheet that lie on the surface.
func coveredOf(s *eval.Scene, sheet, size int) (n int) {
	for _, t := range surface.Tiles(sheet, size) {
		f := s.OnTile(t).Frame()
		n += countCovered(f)
	}
	return n
}

func countCovered(f *raster.Frame) (n int) {
	for _, t := range f.Tri {
		if t >= 0 {
			n++
		}
	}
	return n
}

// cpuSeconds is how long the process's threads have worked in all.
func cpuSeconds() float64 {
	var u syscall.Rusage
	if syscall.Getrusage(syscall.RUSAGE_SELF, &u) != nil {
		return 0
	}
	return float64(u.Utime.Sec+u.Stime.Sec) + float64(u.Utime.Usec+u.Stime.Usec)/1e6
}
