package flow

import (
	"context"
	"math"

	"velvetgrime/core/geom"
)

// Rougher is a quarter of a cloud's points: a growth over them is there in a tenth of the time, and
// comes about as it does over all.
type Rougher struct {
	*Cloud // without ID and Sequence
	whole  *Cloud
	of     []int32 // the point that stands for each of the whole cloud; −1: none is near
}

// oneOf is how many points one of a rougher cloud stands for.
const oneOf = 4

// startsIn is how far from a seed, in spacings, the points lie at which it begins: a lone one of so few
// points would be too slow to begin.
const startsIn = 1.15

// Rougher takes one point of every four, in the sequence that made them: they lie as evenly. Its
// error is the context's.
func (c *Cloud) Rougher(ctx context.Context) (*Rougher, error) {
	r := &Rougher{whole: c, Cloud: &Cloud{Spacing: c.Spacing * float32(math.Sqrt(oneOf))}, of: make([]int32, len(c.Pos))}
	for i, id := range c.ID {
		if id%oneOf == 0 {
			r.Pos, r.Nrm = append(r.Pos, c.Pos[i]), append(r.Nrm, c.Nrm[i])
			r.Tri, r.Part = append(r.Tri, c.Tri[i]), append(r.Part, c.Part[i])
		}
	}
	r.grid = newGrid(r.Pos, r.Spacing*reach)
	if err := r.join(ctx); err != nil {
		return nil, err
	}
	for i, p := range c.Pos {
		r.of[i] = r.beside(p, c.Nrm[i])
	}
	return r, ctx.Err()
}

// beside returns the nearest point to a place on the same side of the surface; −1: none is near.
func (c *Cloud) beside(p, n geom.Vec3) int32 {
	best, at := float32(math.Inf(1)), int32(-1)
	c.grid.around(p, func(j int32) {
		if d := c.Pos[j].Sub(p); d.Dot(d) < best && c.Nrm[j].Dot(n) > 0 {
			best, at = d.Dot(d), j
		}
	})
	return at
}

// React is Cloud.React for seeds and speeds of the whole cloud: seeds begin at the points that stand
// for theirs, and these are as quick as those that they stand for are on average. What it returns, metres
// as there, is of the rougher cloud's points. Its error is the context's.
func (r *Rougher) React(ctx context.Context, seeds []Seed, speed []float32, most float32) ([]float32, error) {
	var begins []Seed
	for _, s := range seeds {
		if r.of[s.At] < 0 {
			continue
		}
		p, n := r.whole.Pos[s.At], r.whole.Nrm[s.At]
		r.grid.around(p, func(j int32) {
			if d := r.Pos[j].Sub(p).Length(); d < startsIn*r.Spacing && r.Nrm[j].Dot(n) > 0 || j == r.of[s.At] {
				begins = append(begins, Seed{j, s.When + d})
			}
		})
	}
	if speed == nil {
		return r.Cloud.React(ctx, begins, nil, most)
	}
	mean, count := make([]float32, len(r.Pos)), make([]float32, len(r.Pos))
	for i, v := range speed {
		if at := r.of[i]; at >= 0 {
			mean[at], count[at] = mean[at]+v, count[at]+1
		}
	}
	for i, n := range count {
		mean[i] /= max(n, 1) // each stands for itself at least
	}
	return r.Cloud.React(ctx, begins, mean, most)
}

// Spread gives every point of the whole cloud what the one has that stands for it, nought where none is
// near; nil for nil.
func (r *Rougher) Spread(row []float32) []float32 {
	if row == nil {
		return nil
	}
	out := make([]float32, len(r.of))
	for i, at := range r.of {
		if at >= 0 {
			out[i] = row[at]
		}
	}
	return out
}
