package way

import (
	"context"
	"math"

	"velvetgrime/core/agent"
	"velvetgrime/core/flow"
	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// What ways read is read as it is after so many years, whatever the age now: rust
// begins where the paint will have gone, early where it goes early. So moving the age
// moves fronts and brings on runs, but no way is gone again for it.
const (
	early = 15
	late  = 50
)

func init() {
	of["creep"] = func(in step.Input, c stack.Conditions, _ float32) Way {
		// of the conditions it heeds a share
		share := in.Number("share")
		heeds := func(v float32) float32 { return 0.5 + share*(v-0.5) }
		w := creep{
			From:    in.Choice("from"),
			Seeds:   agent.Seeds(in),
			Wetness: heeds(c.Wetness),
			Salted:  0.4 + 1.2*heeds(c.Salt),
			Up:      c.Up,
			Rain:    c.Rain,
			Share: in.Number(
				"seeds",
			),
			Seed:   uint32(in.Number("seed")),
			Wet:    in.Number("wet"),
			Uneven: in.Number("uneven"),
			Grain:  in.Number("grain"),
			Rate:   in.Number("rate"),
		}
		return w
	}
}

// creep is a growth that begins at seeds and eats its way over the surface, quicker in
// the wet. Its times are metres of a front at even speed.
type creep struct {
	From                     string
	Seeds                    []step.Part
	Wetness, Salted          float32
	Up, Rain                 [3]float32
	Share                    float32 // of possible seeds that take
	Seed                     uint32
	Wet, Uneven, Grain, Rate float32
}

// Readings implements Way.
func (w creep) Readings() []Reading {
	list := []Reading{{"creep wet", agent.Wet(), AsItIs}}
	if w.Seeds != nil {
		list = append(list, Reading{"creep", w.Seeds, late}, Reading{"creep", w.Seeds, early})
	}
	return list
}

func dir(v [3]float32) geom.Vec3 { return geom.V3(v[0], v[1], v[2]).Unit() }

// Find implements Way.
func (w creep) Find(ctx context.Context, g *Ground, read func(i int) []float32) (Found, error) {
	seeds, quick, most, err := w.begin(ctx, g.Cloud, read)
	if err != nil {
		return nil, err
	}
	when, err := g.Cloud.React(ctx, seeds, quick, most)
	if err != nil {
		return nil, err
	}
	return Sampled{g.Cloud, when, most}, nil
}

// FindRoughly implements Rough.
func (w creep) FindRoughly(ctx context.Context, g *Ground, read func(i int) []float32) (Found, error) {
	seeds, quick, most, err := w.begin(ctx, g.Cloud, read)
	if err != nil {
		return nil, err
	}
	r, err := g.Rougher(ctx)
	if err != nil {
		return nil, err
	}
	when, err := r.React(ctx, seeds, quick, most)
	if err != nil {
		return nil, err
	}
	return Sampled{r.Cloud, when, most}, nil
}

// begin returns where it begins, how quick it is about each point, and until when it goes.
func (w creep) begin(
	ctx context.Context, c *flow.Cloud, read func(i int) []float32,
) (seeds []flow.Seed, quick []float32, most float32, err error) {
	hidden := read(0)
	var begins, soon []float32
	if w.Seeds != nil {
		begins, soon = read(1), read(2)
	}
	up, rain := dir(w.Up), dir(w.Rain)
	var joints []bool
	if w.From == "joints" || w.From == "joints and bare edges" {
		joints = c.Joints()
	}
	quick = make([]float32, len(c.Pos))
	patch := 0.12 / max(w.Grain, 1e-5)
	for i, q := range c.Pos {
		if i&4095 == 0 && ctx.Err() != nil {
			return nil, nil, 0, ctx.Err()
		}
		h := noise.Hash(c.ID[i], 3, 5, w.Seed)
		// seeds come in groups: where one takes others do
		group := 0.5 + 0.5*noise.Simplex(q.X*patch, q.Y*patch, q.Z*patch, w.Seed+9)
		likely := float32(0)
		switch {
		case w.From == "at random":
			likely = 0.02
		case joints != nil && joints[i]:
			likely = 1
		}
		if begins != nil {
			if w.From == "what it follows" {
				likely = max(likely, 4*max(begins[i]-0.4, 0))
			} else {
				likely = max(likely, 1.2*max(begins[i]-0.25, 0))
			}
		}
		if likely > 0 && noise.Random(h, 1) < likely*w.Share*2*group*group*1.6 {
			// some seeds take later than others, and those that were laid bare late much later
			when := noise.Random(h, 2) * 0.8
			if w.From == "what it follows" && soon != nil && soon[i] < 0.5 {
				when += 0.9
			}
			seeds = append(seeds, flow.Seed{At: int32(i), When: when * w.Rate})
		}
		// wet: hollows that stay damp, faces that look into the rain, what faces up
		damp := 0.35*max(c.Nrm[i].Dot(up), 0) + 0.35*max(-c.Nrm[i].Dot(rain), 0)
		if hidden != nil {
			damp += 0.5 * hidden[i]
		}
		damp *= 0.4 + 1.2*w.Wetness
		quick[i] = (1 - w.Wet) + w.Wet*(0.25+1.9*damp)
		n := noise.Simplex(
			q.X*patch*3,
			q.Y*patch*3,
			q.Z*patch*3,
			w.Seed+11,
		) + 0.6*noise.Simplex(
			q.X*patch*8,
			q.Y*patch*8,
			q.Z*patch*8,
			w.Seed+12,
		)
		quick[i] *= w.Salted * float32(math.Exp(float64(w.Uneven*1.1*n)))
	}
	return seeds, quick, 6*w.Rate + 4*c.Spacing, nil
}
