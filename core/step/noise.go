package step

import "velvetgrime/core/noise"

func init() {
	register(Description{
		Kind: "noise", Label: "Noise", Role: "source", Costly: true,
		Help: "Fractal noise in space: it runs over seams and sheets without a join.",
		Params: []Param{
			{Name: "kind", Label: "kind", Kind: "choice", Default: "clouds", Choices: noise.Kinds, Help: "clouds, sharp ridges, round billows, or cells around scattered points"},
			{Name: "frequency", Label: "frequency", Kind: "number", Min: 0.01, Max: 20000, Default: 20.0, Unit: "/m", Log: true, Help: "cycles a metre of the largest octave"},
			{Name: "octaves", Label: "octaves", Kind: "integer", Min: 1, Max: 12, Default: 5, Help: "how many finer noises are added"},
			{Name: "lacunarity", Label: "lacunarity", Kind: "number", Min: 1, Max: 4, Default: 2.0, Help: "how much finer each octave is"},
			{Name: "persistence", Label: "persistence", Kind: "number", Min: 0, Max: 1, Default: 0.5, Help: "how strong each octave is against the one before"},
			{Name: "stretch", Label: "stretch", Kind: "number", Min: 0.05, Max: 50, Default: 1.0, Log: true, Help: "above 1 the marks are drawn out upright, below 1 lying"},
			{Name: "amplitude", Label: "contrast", Kind: "number", Min: 0, Max: 8, Default: 1.0, Help: "spread around the middle grey"},
			{Name: "seed", Label: "seed", Kind: "seed", Min: 0, Max: 99999, Default: 1, Help: "another number, another pattern"},
		},
		Run: func(in Input, out []float32) {
			n := noise.FBM{
				Kind: noise.Kind(in.Choice("kind")), Seed: uint32(in.Number("seed")), Frequency: in.Number("frequency"),
				Octaves: int(in.Number("octaves")), Lacunarity: in.Number("lacunarity"), Persistence: in.Number("persistence"),
			}
			amp, inv := in.Number("amplitude"), 1/in.Number("stretch")
			f := in.Frame
			sampler := n.Sampler(f.Footprint * max(1, inv))
			// covered texels are evaluated eight at a time
			var x, y, z, v [8]float32
			var at [8]int
			count := 0
			flush := func() {
				sampler.Eight(&x, &y, &z, &v)
				for l := range count {
					out[at[l]] = clamp01(0.5 + amp*(v[l]-0.5))
				}
				count = 0
			}
			for i, t := range f.Tri {
				if t < 0 || !in.needs(i) {
					out[i] = 0.5
					continue
				}
				p := f.Pos[i]
				x[count], y[count], z[count], at[count] = p.X, p.Y*inv, p.Z, i
				if count++; count == 8 {
					flush()
				}
			}
			flush()
		},
	})
}
