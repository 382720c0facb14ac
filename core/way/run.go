package way

import (
	"context"
	"sync"

	"velvetgrime/core/agent"
	"velvetgrime/core/flow"
	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

func init() {
	of["run"] = func(in step.Input, c stack.Conditions, spacing float32) Way {
		w := run{
			From:   in.Choice("from"),
			Follow: agent.Sources(in),
			Up:     c.Up,
			Rain:   c.Rain,
			Wind:   c.Wind,
			Count:  int(in.Number("count")),
			Length: in.Number("length"),
			Meander: in.Number(
				"meander",
			),
			Push: in.Number("wind"),
			Gap:  in.Number("gap"),
			Seed: uint32(in.Number("seed")),
			Step: min(max(spacing*0.5, in.Number("width")*0.6), spacing*1.5),
		}
		if w.From == "touch points" {
			w.Touch = c.Touch
		}
		return w
	}
}

// run is water that finds its way down.
type run struct {
	From           string
	Follow         []step.Part
	Touch          []stack.Touch
	Up, Rain, Wind [3]float32
	Count          int
	Length         float32
	Meander        float32
	Push           float32 // of the wind
	Gap            float32
	Seed           uint32
	Step           float32 // by which it is followed, metres
}

// Readings implements Way.
func (w run) Readings() []Reading {
	if w.Follow == nil {
		return nil
	}
	return []Reading{{"run", w.Follow, late}}
}

// Find implements Way.
func (w run) Find(ctx context.Context, g *Ground, read func(i int) []float32) (Found, error) {
	var follow []float32
	if w.Follow != nil {
		follow = read(0)
	}
	sources, err := w.sources(ctx, g, follow)
	if err != nil {
		return nil, err
	}
	down, wind := dir(w.Up).Mul(-1), dir(w.Wind)
	weather := flow.Weather{
		Down:    down,
		Push:    wind.Sub(down.Mul(wind.Dot(down))).Mul(w.Push),
		Meander: w.Meander,
		Leave:   w.Length,
		Gap:     w.Gap,
		Length:  min(w.Length*6, g.Model.Bounds.Size().Length()*3),
		Seed:    w.Seed,
	}
	runs, err := flow.Trace(ctx, g.Model, g.Tree, weather, w.Step, sources)
	if err != nil {
		return nil, err
	}
	return &Stainer{runs: runs, known: map[float32]*flow.Stains{}}, nil
}

// sources picks where runs begin: so many of the ground's points, by how much water
// comes to each.
func (w run) sources(ctx context.Context, g *Ground, follow []float32) ([]flow.Source, error) {
	c, m := g.Cloud, g.Model
	up, rain := dir(w.Up), dir(w.Rain)
	weight := make([]float32, len(c.Pos))
	var joints []bool
	if w.From == "joints" {
		joints = c.Joints()
	}
	var near []float32
	if w.From == "touch points" {
		near = make([]float32, len(c.Pos))
		for _, t := range w.Touch {
			for i, d := range c.Distance([]geom.Vec3{place(t.Pos)}, t.Radius) {
				near[i] = max(near[i], 1-d/t.Radius)
			}
		}
	}
	var rims *flow.Borders
	far := m.Bounds.Size().Length() * 0.01
	if w.From == "lower edges" {
		rims = flow.NewBorders(m, 35, far)
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	for i := range c.Pos {
		n := c.Nrm[i]
		switch {
		case follow != nil:
			weight[i] = max(follow[i]-0.15, 0)
		case joints != nil:
			if joints[i] && n.Dot(up) > -0.3 {
				weight[i] = 1
			}
		case near != nil:
			weight[i] = max(near[i], 0)
		case rims != nil:
			if n.Dot(up) > -0.2 {
				weight[i] = 1 - rims.Distance(c.Pos[i], c.Part[i])/far
			}
		case w.From == "rain":
			weight[i] = max(-n.Dot(rain), 0) * (0.3 + 0.7*max(n.Dot(up), 0))
		}
		// it runs in some places and not in others
		q := c.Pos[i].Mul(0.5 / (c.Spacing * 8))
		v := 0.5 + 0.6*noise.Simplex(q.X, q.Y, q.Z, w.Seed+21)
		weight[i] *= max(v, 0.05)
	}
	var total float64
	for _, v := range weight {
		total += float64(v)
	}
	if total <= 0 {
		return nil, nil
	}
	var out []flow.Source
	var sum float64
	k := 0
	for at, i := range c.Sequence { // evenly along the running sum
		sum += float64(weight[i])
		for k < w.Count && sum/total*float64(w.Count) >= float64(k)+float64(noise.Random(noise.Hash(int32(k), 1, 1, w.Seed), 1)) {
			h := noise.Hash(int32(at), int32(k), 8, w.Seed)
			u := noise.Random(h, 2)
			out = append(
				out,
				flow.Source{Pos: c.Pos[i], Tri: c.Tri[i], Amount: 0.25 + 0.75*u*u, Rank: noise.Random(h, 3)},
			)
			k++
		}
	}
	return out, nil
}

// Stainer draws runs of water, with stains prepared for a few widths.
type Stainer struct {
	mu    sync.Mutex
	runs  *flow.Runs
	known map[float32]*flow.Stains
}

// Of returns the stains of runs of a width, metres.
func (r *Stainer) Of(width float32) *flow.Stains {
	r.mu.Lock()
	defer r.mu.Unlock()
	s := r.known[width]
	if s == nil {
		if len(r.known) > 4 {
			clear(r.known)
		}
		s = flow.NewStains(r.runs, width)
		r.known[width] = s
	}
	return s
}

// Row implements Found; what runs leave depends on a look, see Of.
func (r *Stainer) Row(*raster.Frame, []float32) {}

// LookOf is what the drawing of runs depends on besides their ways.
func LookOf(in step.Input, c *stack.Conditions) flow.Look {
	much := in.Number("much")
	years := float32(1)
	if c != nil {
		s := in.Number("share")
		years = 1 - s + s*min(c.Age/45, 1)*1.15
	}
	return flow.Look{
		Width:   in.Number("width"),
		Age:     min(much*years*1.35, 1),
		Leave:   in.Number("length"),
		Streaks: in.Number("streaks"),
		Rim:     in.Number("rim"),
		Ragged:  in.Number("breakup") * 0.8,
		Seed:    uint32(in.Number("seed")),
	}
}
