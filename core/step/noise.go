package step

import (
	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
	"velvetgrime/core/pix"
)

// fractal are the parameters of every sum of octaves.
func fractal(extra ...Param) []Param {
	list := append(extra,
		Param{Name: "frequency", Label: "frequency", Kind: "number", Min: 0.01, Max: 20000, Default: 20.0, Unit: "/m", Log: true, Help: "cycles a metre of the largest octave"},
		Param{Name: "octaves", Label: "octaves", Kind: "integer", Min: 1, Max: 12, Default: 5, Help: "how many finer noises are added"},
		Param{Name: "amplitude", Label: "amplitude", Kind: "number", Min: 0, Max: 8, Default: 1.0, Help: "spread around the middle grey"},
		Param{Name: "lacunarity", Label: "lacunarity", Kind: "number", Min: 1, Max: 4, Default: 2.0, Level: often, Help: "how much finer each octave is"},
		Param{Name: "persistence", Label: "persistence", Kind: "number", Min: 0, Max: 1, Default: 0.5, Level: often, Help: "how strong each octave is against the one before"},
		Param{Name: "stretch", Label: "stretch", Kind: "number", Min: 0.05, Max: 50, Default: 1.0, Log: true, Level: often, Help: "above 1 the marks are drawn out along the axis, below 1 across it"},
		seedParam,
		Param{Name: "warp", Label: "warp", Kind: "number", Min: 0, Max: 4, Default: 0.0, Level: often, Help: "how far a coarser noise pushes this one about, in cycles"},
		Param{Name: "offset", Label: "lighter", Kind: "number", Min: -1, Max: 1, Default: 0.0, Level: fine, Help: "added to every grey"},
		Param{Name: "invert", Label: "invert", Kind: "switch", Default: false, Level: fine, Help: "black becomes white and white black"})
	return append(list, spaceParams...)
}

// runFractal evaluates octaves of noise, sixteen points at a time.
func runFractal(in Input, kind noise.Kind, basis noise.Basis, out []float32) {
	n := noise.FBM{
		Kind: kind, Basis: basis, Seed: uint32(in.Number("seed")), Frequency: in.Number("frequency"),
		Octaves: int(in.Number("octaves")), Lacunarity: in.Number("lacunarity"), Persistence: in.Number("persistence"),
	}
	amp, add, warp, stretch := in.Number("amplitude"), 0.5+in.Number("offset"), in.Number("warp"), in.Number("stretch")
	if in.Switch("invert") {
		amp = -amp
	}
	f := in.Frame
	sampler := n.Sampler(footprint(in, stretch))
	sp := in.space(stretch)
	straight := sp.straight()
	var push [3]noise.Sampler // where the points are pushed, a noise an axis
	if warp > 0 {
		for c := range push {
			w := noise.FBM{Kind: noise.Clouds, Seed: n.Seed + 7919*uint32(c+1), Frequency: n.Frequency / 1.7, Octaves: 3, Lacunarity: 2, Persistence: 0.5}
			push[c] = w.Sampler(footprint(in, stretch))
		}
		warp *= 2 / n.Frequency
	}
	var x, y, z, v [16]float32
	var at [16]int
	count := 0
	flush := func() {
		if warp > 0 {
			var d [3][16]float32
			for c := range push {
				push[c].Sixteen(&x, &y, &z, &d[c])
			}
			for l := range x {
				x[l], y[l], z[l] = x[l]+warp*(d[0][l]-0.5), y[l]+warp*(d[1][l]-0.5), z[l]+warp*(d[2][l]-0.5)
			}
		}
		sampler.Sixteen(&x, &y, &z, &v)
		for l, i := range at[:count] {
			out[i] = add + amp*(v[l]-0.5)
		}
		count = 0
	}
	need := in.Need
	for i, t := range f.Tri {
		if t < 0 || need != nil && !need[i] {
			out[i] = 0.5
			continue
		}
		p := f.Pos[i]
		if straight {
			p = p.Sub(sp.shift)
		} else {
			p = sp.at(i)
		}
		l := count & 15
		x[l], y[l], z[l], at[l] = p.X, p.Y, p.Z, i
		if count++; count == 16 {
			flush()
		}
	}
	flush()
	pix.Unit(out)
}

// preset returns a list of parameters with other defaults.
func preset(list []Param, values map[string]any) []Param {
	out := append([]Param(nil), list...)
	for i := range out {
		if v, ok := values[out[i].Name]; ok {
			out[i].Default = v
		}
	}
	return out
}

const (
	noises    = "Noises"
	patterns  = "Patterns"
	marks     = "Marks"
	gradients = "Gradients"
	picks     = "Picks"
	readings  = "Readings"
)

func init() {
	shape := Param{Name: "kind", Label: "shape", Kind: "choice", Default: string(noise.Clouds), Choices: noise.Kinds, Help: "clouds, sharp ridges, round billows, creased turbulence, crests on crests, or cells"}
	simple := func(kind, label, help string, basis noise.Basis, shaped noise.Kind, values params) {
		register(Description{Kind: kind, Label: label, Role: "source", Group: noises, Costly: true, Help: help,
			Params: preset(fractal(), values),
			Run:    func(in Input, out []float32) { runFractal(in, shaped, basis, out) }})
	}
	register(Description{
		Kind: "noise", Label: "Noise", Role: "source", Group: noises, Costly: true,
		Help:   "Fractal noise in space: it runs over seams and sheets without a join.",
		Params: fractal(shape),
		Run: func(in Input, out []float32) {
			runFractal(in, noise.Kind(in.Choice("kind")), noise.OnSimplex, out)
		},
	})
	simple("noise-value", "Value noise", "Random greys on a lattice, softly joined: blotchy, with a hint of squares.", noise.OnValue, noise.Clouds, nil)
	simple("noise-perlin", "Perlin noise", "Gradient noise on a lattice: even hills and hollows.", noise.OnPerlin, noise.Clouds, params{"octaves": 4})
	simple("noise-simplex", "Simplex noise", "One octave of simplex noise: soft spots all of one size.", noise.OnSimplex, noise.Clouds, params{"octaves": 1, "amplitude": 1.6})
	simple("noise-ridged", "Ridged noise", "Crests that carry finer crests, as mountains do.", noise.OnSimplex, noise.Multi, params{"octaves": 6, "amplitude": 1.2})
	simple("noise-billow", "Billow noise", "Round pillows with sharp valleys between.", noise.OnSimplex, noise.Billow, nil)
	simple("noise-turbulence", "Turbulence", "Creases where the noise crosses its middle: smoke, marble, cast skin.", noise.OnSimplex, noise.Turbulence, params{"octaves": 5})
	simple("noise-warped", "Warped noise", "Noise pushed about by another noise: swirls and tongues, as paint and rust flow.", noise.OnSimplex, noise.Clouds, params{"warp": 1.0, "octaves": 5, "amplitude": 1.3})
	register(Description{
		Kind: "cells", Label: "Cells", Role: "source", Group: noises, Costly: true,
		Help: "Scattered points: how far the nearest is, the second, what lies between, or a grey for each cell.",
		Params: append([]Param{
			{Name: "show", Label: "show", Kind: "choice", Default: "nearest", Choices: []string{"nearest", "second", "difference", "cell greys", "cell mounds"}, Help: "distance to the nearest point, to the second, the one less the other, a grey for each cell, or a mound on each point"},
			{Name: "frequency", Label: "frequency", Kind: "number", Min: 0.01, Max: 20000, Default: 60.0, Unit: "/m", Log: true, Help: "cells a metre"},
			{Name: "amplitude", Label: "amplitude", Kind: "number", Min: 0, Max: 8, Default: 1.0, Help: "spread around the middle grey"},
			{Name: "metric", Label: "distance", Kind: "choice", Default: noise.Metrics[0], Choices: noise.Metrics, Level: often, Help: "straight gives pebbles, along axes diamonds, longest axis squares"},
			{Name: "jitter", Label: "disorder", Kind: "number", Min: 0, Max: 1, Default: 1.0, Level: often, Help: "0 sets the points in rows"},
			{Name: "stretch", Label: "stretch", Kind: "number", Min: 0.05, Max: 50, Default: 1.0, Log: true, Level: often, Help: "above 1 the cells are drawn out along the axis"},
			seedParam,
		}, spaceParams...),
		Run: runCells,
	})
	register(Description{
		Kind: "two-colours", Label: "Two colours", Role: "source", Group: noises,
		Help: "Two colours mixed by a noise: the simplest material there is.",
		Params: append([]Param{
			{Name: "one", Label: "one", Kind: "color", Default: []any{0.36, 0.25, 0.16}, Help: "where the noise is dark"},
			{Name: "other", Label: "other", Kind: "color", Default: []any{0.62, 0.48, 0.32}, Help: "where the noise is light"},
		}, preset(fractal(shape), params{"amplitude": 1.6})...),
		RunColor: func(in Input, out [3][]float32) {
			runFractal(in, noise.Kind(in.Choice("kind")), noise.OnSimplex, out[0])
			a, b := in.Row("one"), in.Row("other")
			for i, v := range out[0] {
				out[1][i], out[2][i] = a[1]+v*(b[1]-a[1]), a[2]+v*(b[2]-a[2])
				out[0][i] = a[0] + v*(b[0]-a[0])
			}
		},
	})
}

type params = map[string]any

func runCells(in Input, out []float32) {
	show, freq, seed := in.Choice("show"), in.Number("frequency"), uint32(in.Number("seed"))
	amp, jitter, stretch := in.Number("amplitude"), in.Number("jitter"), in.Number("stretch")
	metric := noise.Euclidean
	for i, m := range noise.Metrics {
		if m == in.Choice("metric") {
			metric = noise.Metric(i)
		}
	}
	sp := in.space(stretch)
	// where a cell is as small as a texel it fades to what it is on average
	keep := 1 - geom.Smoothstep(0.25, 0.5, freq*footprint(in, stretch))
	in.each(out, 0.5, func(i int) float32 {
		if keep == 0 {
			return 0.5
		}
		p := sp.at(i).Mul(freq)
		f1, f2, id, _ := noise.Cellular(p.X, p.Y, p.Z, seed, metric, jitter)
		v := f1
		switch show {
		case "second":
			v = f2 * 0.8
		case "difference":
			v = f2 - f1
		case "cell greys":
			v = noise.Random(id, 1)
		case "cell mounds":
			v = 1 - min(f1*f1*1.6, 1)
		}
		return clamp01(0.5 + amp*keep*(v-0.5))
	})
}
