package step

import (
	"math"
	"math/rand/v2"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
)

// curved is a patch of a ball of a tenth of a metre: n × n points, with a hole in it.
func curved(n int) *raster.Frame {
	f := &raster.Frame{W: n, H: n, Footprint: 0.2 / float32(n), Covered: n * n}
	for i := range n * n {
		x, y := 2*float64(i%n)/float64(n)-1, 2*float64(i/n)/float64(n)-1
		q := geom.V3(float32(math.Sin(x)*math.Cos(y)), float32(math.Sin(y)), float32(math.Cos(x)*math.Cos(y)))
		tri := int32(0)
		if i%n == n/2 && i/n == n/3 {
			tri = -1
		}
		f.Pos, f.Nrm = append(f.Pos, q.Mul(0.1)), append(f.Nrm, q)
		f.Tri, f.Inside = append(f.Tri, tri), append(f.Inside, tri >= 0)
	}
	return f
}

// settings are those of a kind with its numbers and choices at the ends of what is allowed, all
// at one or each by chance, and in between.
func settings(d *Description) (out []map[string]any) {
	pick := func(p Param, at float64) (any, bool) {
		switch p.Kind {
		case "number":
			return p.Min + (p.Max-p.Min)*at, true
		case "integer", "seed":
			return math.Round(p.Min + (p.Max-p.Min)*at), true
		case "switch":
			return at > 0.5, true
		case "choice":
			return p.Choices[min(int(at*float64(len(p.Choices))), len(p.Choices)-1)], true
		}
		return nil, false
	}
	set := func(params map[string]any, p Param, at float64) {
		if v, ok := pick(p, at); ok {
			params[p.Name] = v
		}
	}
	low, high := map[string]any{}, map[string]any{}
	out = append(out, map[string]any{}, low, high)
	r := rand.New(rand.NewPCG(uint64(len(d.Kind)), uint64(d.Kind[0])))
	chance := [5]map[string]any{{}, {}, {}, {}, {}}
	for _, p := range d.Params {
		set(low, p, 0)
		set(high, p, 1)
		for _, c := range chance {
			set(c, p, min(max(2*r.Float64()-0.5, 0), 1)) // each second at an end
		}
	}
	return append(out, chance[:]...)
}

// Whatever is allowed can be carried out, of every kind: it gives numbers, the same ones each
// time, also where nothing came before.
func TestWhateverIsAllowedGivesNumbers(t *testing.T) {
	const n = 8
	frame := curved(n)
	bounds := geom.Box{Min: geom.V3(-0.1, -0.1, -0.1), Max: geom.V3(0.1, 0.1, 0.1)}
	kinds, tried := 0, 0
	for _, d := range Descriptions() {
		if d.Special || d.Reads != nil || d.Surface != nil {
			continue
		}
		kinds++
		for _, params := range settings(&d) {
			s := &stack.Step{ID: "x", Kind: d.Kind, On: true, Amount: 1, Params: params}
			if check(s) != nil { // two that do not go together
				continue
			}
			tried++
			in, _ := NewInput(s, frame, bounds)
			if d.Radius != nil && d.Radius(in) > frame.Footprint*float32(d.Texels) {
				continue // it is done on a coarser patch
			}
			for _, before := range []float32{0, 0.37} {
				first, again := evaluated(&d, in, before), evaluated(&d, in, before)
				for i, v := range first {
					if frame.Tri[i%(n*n)] < 0 {
						continue
					}
					if math.IsNaN(float64(v)) || math.IsInf(float64(v), 0) {
						t.Fatalf("%s with %v on %v gives %v at point %d", d.Kind, params, before, v, i)
					}
					if v != again[i] {
						t.Fatalf("%s with %v gives %v and then %v at point %d", d.Kind, params, v, again[i], i)
					}
				}
			}
		}
	}
	if kinds < 70 || tried < 500 {
		t.Fatalf("%d kinds, %d settings: that tries little", kinds, tried)
	}
}

// evaluated carries a step out on a frame where everything is before, and returns one or three
// planes.
func evaluated(d *Description, in Input, before float32) []float32 {
	n := len(in.Frame.Pos)
	plane := func() []float32 {
		out := make([]float32, n)
		for i := range out {
			out[i] = before
		}
		return out
	}
	switch {
	case d.Filter != nil:
		out := make([]float32, n)
		var inner []float32
		if d.Inner != "" {
			inner = plane()
		}
		d.Filter(in, plane(), inner, out)
		if d.Mix != nil {
			d.Mix(in, plane(), out)
		}
		return out
	case d.Run != nil:
		out := plane()
		d.Run(in, out)
		return out
	}
	color := [3][]float32{plane(), plane(), plane()}
	d.RunColor(in, color)
	return append(append(color[0], color[1]...), color[2]...)
}
