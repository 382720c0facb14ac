package main

import (
	"bufio"
	"context"
	"embed"
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"time"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/sample"
	"velvetgrime/core/spatial"
)

// Small C programs that do with a library what a bench does, so that both are measured in
// one run on one machine. They are translated when they are asked for, and left out, with a
// word, where the compiler or the library is not installed.
//
//go:embed beside/*.c
var besides embed.FS

// beside translates and runs one of the programs and returns the numbers that it prints; ok
// is false where that is not possible here.
func (r *report) beside(ctx context.Context, name string, libraries []string, args ...string) (out []float64, ok bool, err error) {
	dir, err := os.MkdirTemp("", "beside")
	if err != nil {
		return nil, false, err
	}
	defer os.RemoveAll(dir)
	source, err := besides.ReadFile("beside/" + name + ".c")
	if err != nil {
		return nil, false, err
	}
	if err := os.WriteFile(filepath.Join(dir, "a.c"), source, 0o600); err != nil {
		return nil, false, err
	}
	flags := []string{"-O3", "-march=native", "a.c", "-o", "a", "-lm", "-lpthread"}
	for _, l := range libraries {
		if strings.HasPrefix(l, "-") {
			flags = append(flags, l)
			continue
		}
		more, err := exec.CommandContext(ctx, "pkg-config", "--cflags", "--libs", l).Output()
		if err != nil {
			fmt.Fprintf(os.Stderr, "beside %s: %s is not installed; it is left out\n", name, l)
			return nil, false, nil
		}
		flags = append(flags, strings.Fields(string(more))...)
	}
	cc := exec.CommandContext(ctx, "cc", flags...)
	cc.Dir = dir
	if b, err := cc.CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "beside %s: it cannot be translated here and is left out: %s\n", name, strings.SplitN(string(b), "\n", 2)[0])
		return nil, false, nil
	}
	b, err := exec.CommandContext(ctx, filepath.Join(dir, "a"), args...).Output()
	if err != nil {
		return nil, false, fmt.Errorf("beside %s: %w", name, err)
	}
	for _, f := range strings.Fields(string(b)) {
		v, err := strconv.ParseFloat(f, 64)
		if err != nil {
			return nil, false, fmt.Errorf("beside %s printed %q", name, b)
		}
		out = append(out, v)
	}
	return out, true, nil
}

// besideRounds is how often each of two is run in turn; the best of each counts.
const besideRounds = 3

// benchBeside measures compositing beside libvips and rays beside Embree.
func benchBeside(ctx context.Context, r *report) error {
	if err := besideStack(ctx, r); err != nil {
		return err
	}
	return besideRays(ctx, r)
}

func (r *report) rate(params, unit string, value, seconds float64) {
	r.Results = append(r.Results, result{"beside", params, unit, value, seconds * 1000, seconds * 1000})
}

func besideStack(ctx context.Context, r *report) error {
	const edge, layers = 2048, 20
	m := sample.Bollard()
	for _, one := range []bool{true, false} {
		d, label := stackDocument(layers, true), "twenty noise masks"
		if one {
			label = "one mask"
			for _, l := range d.Layers {
				l.Mask[0].Params["seed"] = 1.0
			}
		}
		ours, theirs := math.Inf(1), math.Inf(1)
		for range besideRounds {
			t := time.Now()
			p := eval.Compile(eval.NewScene(m, cache.New(benchCache)), d, "", "")
			if err := evaluateAll(ctx, p, []int{edge}, benchChannels); err != nil {
				return err
			}
			ours = min(ours, time.Since(t).Seconds())
			v, ok, err := r.beside(ctx, "stack", []string{"vips"}, fmt.Sprint(edge), fmt.Sprint(layers), fmt.Sprint(runtime.NumCPU()), "3", "4")
			if err != nil || !ok {
				return err
			}
			theirs = min(theirs, v[0])
		}
		rate := func(sec float64) float64 { return edge * edge * layers * 5 / 4 / sec / 1e6 }
		r.rate(fmt.Sprintf("%d, %d layers, %s, 5 channels", edge, layers, label), "M RGBA texel-layers/s", rate(ours), ours)
		r.rate(fmt.Sprintf("%d, %d layers, one given mask, 7 bands, libvips", edge, layers), "M RGBA texel-layers/s", rate(theirs), theirs)
		r.rate("share of libvips, "+label, "×", theirs/ours, 0)
	}
	return nil
}

// upward are rays for occlusion from the middles of a model's faces: 64 of one origin, over
// the half space about the normal, as far as a tenth of the model.
func upward(m *mesh.Model, most int) (origins []geom.Vec3, dirs [][spatial.MaxRays]geom.Vec3, far float32) {
	rng := rand.New(rand.NewPCG(1, 2))
	every := max(len(m.Tri)/most, 1)
	far = m.Bounds.Size().Length() / 10
	for i := 0; i < len(m.Tri); i += every {
		k := m.Tri[i]
		n := m.FaceNormal(i).Unit()
		if n == (geom.Vec3{}) {
			continue
		}
		a, b := n.Tangents()
		var d [spatial.MaxRays]geom.Vec3
		for j := range d {
			u, v := rng.Float64(), 2*math.Pi*rng.Float64()
			s, c := math.Sincos(v)
			w := math.Sqrt(u)
			d[j] = a.Mul(float32(w * c)).Add(b.Mul(float32(w * s))).Add(n.Mul(float32(math.Sqrt(1 - u))))
		}
		origins = append(origins, m.Pos[k[0]].Add(m.Pos[k[1]]).Add(m.Pos[k[2]]).Mul(1.0/3).Add(n.Mul(1e-4*far)))
		dirs = append(dirs, d)
	}
	return origins, dirs, far
}

func besideRays(ctx context.Context, r *report) error {
	for name, m := range map[string]*mesh.Model{"lantern": sample.Lantern(), "boulder": boulder(250)} {
		origins, dirs, far := upward(m, 30000)
		file, err := raysFile(m, origins, dirs, far)
		if err != nil {
			return err
		}
		defer os.Remove(file)
		t := time.Now()
		tree, err := spatial.Build(ctx, m.Pos, m.Tri, nil)
		if err != nil {
			return err
		}
		built := time.Since(t).Seconds()
		count := float64(len(origins) * spatial.MaxRays)
		ours, theirs, theirBuilt := math.Inf(1), math.Inf(1), math.Inf(1)
		var hits, theirHits int64
		for range besideRounds {
			t := time.Now()
			hits = askAll(tree, origins, dirs, far)
			ours = min(ours, time.Since(t).Seconds())
			v, ok, err := r.beside(ctx, "rays", []string{"-lembree3"}, file, fmt.Sprint(runtime.NumCPU()))
			if err != nil || !ok {
				return err
			}
			theirBuilt, theirs, theirHits = min(theirBuilt, v[0]), min(theirs, v[1]), int64(v[2])
		}
		label := fmt.Sprintf("%s, %d triangles, %.1f million rays", name, len(m.Tri), count/1e6)
		r.rate(fmt.Sprintf("%s, %.2f %% hit, tree in %.2f s", label, float64(hits)/count*100, built), "million rays/s", count/ours/1e6, ours)
		r.rate(fmt.Sprintf("%s, %.2f %% hit, tree in %.2f s, Embree ray by ray", label, float64(theirHits)/count*100, theirBuilt), "million rays/s", count/theirs/1e6, theirs)
		r.rate("share of Embree, "+name, "×", theirs/ours, 0)
	}
	return nil
}

// askAll asks for all rays on all cores and returns how many meet something.
func askAll(tree *spatial.Tree, origins []geom.Vec3, dirs [][spatial.MaxRays]geom.Vec3, far float32) (hits int64) {
	var wg sync.WaitGroup
	n := runtime.NumCPU()
	sums := make([]int64, n)
	for k := range n {
		wg.Go(func() {
			b := new(spatial.Bundle)
			for i := k; i < len(origins); i += n {
				b.Set(origins[i], dirs[i][:], 0, far)
				met := tree.Any(b)
				for ; met != 0; met &= met - 1 {
					sums[k]++
				}
			}
		})
	}
	wg.Wait()
	for _, s := range sums {
		hits += s
	}
	return hits
}

// raysFile writes what the program beside reads.
func raysFile(m *mesh.Model, origins []geom.Vec3, dirs [][spatial.MaxRays]geom.Vec3, far float32) (string, error) {
	f, err := os.CreateTemp("", "rays")
	if err != nil {
		return "", err
	}
	w := bufio.NewWriter(f)
	put := func(v any) { _ = binary.Write(w, binary.LittleEndian, v) } // w keeps its first error
	put([2]uint32{uint32(len(m.Tri)), uint32(len(origins) * spatial.MaxRays)})
	for _, t := range m.Tri {
		for _, k := range t {
			put(m.Pos[k])
		}
	}
	for i, o := range origins {
		for _, d := range dirs[i] {
			put([8]float32{o.X, o.Y, o.Z, d.X, d.Y, d.Z, 0, far})
		}
	}
	if err := w.Flush(); err != nil {
		f.Close()
		return "", err
	}
	return f.Name(), f.Close()
}
