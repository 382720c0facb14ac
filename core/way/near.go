package way

import (
	"context"

	"velvetgrime/core/flow"
	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/spatial"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

func init() {
	of["touch"] = func(_ step.Input, c stack.Conditions, _ float32) Way { return touch{c.Touch} }
	of["joint"] = func(step.Input, stack.Conditions, float32) Way { return joint{} }
	of["distance"] = func(in step.Input, _ stack.Conditions, _ float32) Way {
		d := distance{From: in.Choice("from"), Far: max(in.Number("far"), 1e-5)}
		switch d.From {
		case "points":
			d.Points = in.Rows("points")
		case "parts":
			d.Parts = in.Names("parts")
		}
		return d
	}
}

// bare is a way that reads no stream.
type bare struct{}

func (bare) Readings() []Reading { return nil }

// touch is how far the nearest touch point is, in its radii; 2 is far.
type touch struct{ Points []stack.Touch }

func (touch) Readings() []Reading { return nil }

func (t touch) Find(ctx context.Context, g *Ground, _ func(int) []float32) (Found, error) {
	c := g.Cloud
	v := make([]float32, len(c.Pos))
	for i := range v {
		v[i] = 2
	}
	for _, p := range t.Points {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		for i, d := range c.Distance([]geom.Vec3{place(p.Pos)}, 2*p.Radius) {
			v[i] = min(v[i], d/p.Radius)
		}
	}
	return touched{Sampled{c, v, 2}, t.Points}, nil
}

type touched struct {
	Sampled
	points []stack.Touch
}

// Row implements Found.
func (t touched) Row(f *raster.Frame, out []float32) {
	for _, p := range t.points {
		at := place(p.Pos)
		if (geom.Box{Min: at, Max: at}).Pad(2*p.Radius + 3*t.Cloud.Spacing).Overlaps(f.Bounds) {
			t.Sampled.Row(f, out)
			return
		}
	}
	for i := range out { // no hand comes here
		out[i] = 2
	}
}

func place(v [3]float32) geom.Vec3 { return geom.V3(v[0], v[1], v[2]) }

// joint is how far it is to where parts meet, metres.
type joint struct{ bare }

func (joint) Find(ctx context.Context, g *Ground, _ func(int) []float32) (Found, error) {
	c := g.Cloud
	var seeds []flow.Seed
	for i, on := range c.Joints() {
		if on {
			seeds = append(seeds, flow.Seed{At: int32(i)})
		}
	}
	return Sampled{c, c.Spread(seeds, nil, 20*c.Spacing), 1}, ctx.Err()
}

// distance serves the distance source, metres.
type distance struct {
	bare
	From   string
	Points [][]float32
	Parts  []string
	Far    float32
}

func (d distance) Find(ctx context.Context, g *Ground, _ func(int) []float32) (Found, error) {
	m, c := g.Model, g.Cloud
	switch d.From {
	case "points":
		var at []geom.Vec3
		for _, v := range d.Points {
			at = append(at, geom.V3(v[0], v[1], v[2]))
		}
		return Sampled{c, c.Distance(at, d.Far*1.5+c.Spacing), d.Far}, ctx.Err()
	case "parts":
		names := map[string]bool{}
		for _, n := range d.Parts {
			names[n] = true
		}
		in := make([]bool, len(m.Parts))
		for i, p := range m.Parts {
			in[i] = names[p.Name]
		}
		tree, err := spatial.Build(ctx, m.Pos, m.Tri, func(i int) bool { return in[m.TriPart[i]] })
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err != nil || len(names) == 0 {
			return even(d.Far), nil
		}
		return toParts{g, in, tree, d.Far}, ctx.Err()
	}
	angle := 0.0
	if d.From == "sharp edges" {
		angle = 40
	}
	return toBorders{g, flow.NewBorders(m, angle, max(d.Far, m.Bounds.Size().Length()*0.002))}, ctx.Err()
}

// even is the same everywhere.
type even float32

// Row implements Found.
func (e even) Row(_ *raster.Frame, out []float32) {
	for i := range out {
		out[i] = float32(e)
	}
}

type toParts struct {
	g    *Ground
	in   []bool
	tree *spatial.Tree
	far  float32
}

// Row implements Found.
func (d toParts) Row(f *raster.Frame, out []float32) {
	for i, t := range f.Tri {
		if out[i] = d.far; t < 0 {
			continue
		}
		if d.in[d.g.Model.TriPart[t]] {
			out[i] = 0
		} else if q := d.tree.Closest(f.Pos[i], d.far, nil); q.Tri >= 0 {
			out[i] = q.Pos.Sub(f.Pos[i]).Length()
		}
	}
}

type toBorders struct {
	g *Ground
	b *flow.Borders
}

// Row implements Found.
func (d toBorders) Row(f *raster.Frame, out []float32) {
	for i, t := range f.Tri {
		if t >= 0 {
			out[i] = d.b.Distance(f.Pos[i], d.g.Model.TriPart[t])
		}
	}
}
