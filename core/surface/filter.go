package surface

import (
	"context"
	"math"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
)

// Filter is a step that looks at neighbours. It is carried out on patches laid flat, so that
// a blurred stripe over a seam is one stripe (idea 5 of the engine).
type Filter struct {
	Look    float32 // how far it looks, metres
	Texels  int     // how many texels it looks at most; beyond these a coarser patch is taken
	Spreads bool    // it fills gaps of the surface

	// Before gives what is filtered on a tile, Inner, when it is not nil, a grey beside it.
	Before, Inner func(tile *Surface) (pix.Rows, error)

	// Run filters one row of a patch: weight is the share of each texel that lies on the
	// surface, nil where it is all or nothing, need marks what will be read.
	Run func(f *raster.Frame, weight []float32, need []bool, before, inner, out []float32)
}

// Filtered filters each island of a tile on a patch of its own, laid flat over its borders.
func (u *Surface) Filtered(ctx context.Context, fl Filter) (pix.Rows, error) {
	f, t := u.Frame(), u.Tile
	list, of := f.Charts(u.Scene.Model.Island)
	out := pix.NewRows(1, len(f.Pos))
	for k, c := range list {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		w, h := c.X1-c.X0, c.Y1-c.Y0
		q := Patch{Sheet: t.Sheet, Size: t.Size, Island: c.Island, W: w, H: h,
			X: t.X*pix.Size - pix.Margin + c.X0, Y: t.Y*pix.Size - pix.Margin + c.Y0}
		need := make([]bool, w*h)
		for y := range h {
			for x := range w {
				need[y*w+x] = int(of[(c.Y0+y)*f.W+c.X0+x]) == k
			}
		}
		v, err := fl.onPatch(ctx, u.Scene, q, need)
		if err != nil {
			return nil, err
		}
		out = out.Widened(len(v), len(f.Pos))
		for at, on := range need {
			if on {
				for n := range out {
					out[n][(c.Y0+at/w)*f.W+c.X0+at%w] = v[min(n, len(v)-1)][at]
				}
			}
		}
	}
	return out, nil
}

// onPatch filters what q needs, on a patch that is larger by what the step looks
// at, and coarser when it looks far.
func (fl Filter) onPatch(ctx context.Context, s *Scene, q Patch, need []bool) (pix.Rows, error) {
	factor, margin := 1, 1
	texel := s.Index(q.Sheet).Footprint(q.Island, q.Size)
	if texel > 0 && fl.Look > 0 {
		far := float64(fl.Look / texel)
		for far/float64(factor) > float64(fl.Texels) && q.Size/factor > 8 {
			factor *= 2
		}
		margin = min(int(math.Ceil(far/float64(factor))), 4*fl.Texels) + 1
	}
	// a few sizes of patches serve all filters: laying a patch flat costs more than its rim
	class := 4
	for class < margin {
		class *= 2
	}
	margin = class
	g := grown(q, factor, margin)
	big := s.OnPatch(g)
	before, inner, weight, err := fl.read(s, g, factor)
	if err != nil {
		return nil, err
	}
	wanted := needed(q, g, need, factor)
	out := make(pix.Rows, len(before))
	for c := range before {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		full := make([]float32, len(before[c]))
		fl.Run(big.Frame(), weight, wanted, before[c], inner, full)
		out[c] = resample(full, big.Frame(), g, q, factor, fl.Spreads)
	}
	return out, nil
}

// read reads what a filter works on, on a patch: the stream before it, and the one
// inside it. A coarse patch is read at twice its size and averaged, with the share
// of each texel that lies on the surface, so that hard edges and the surface's own
// border do not depend on where the coarse texels happen to lie.
func (fl Filter) read(s *Scene, g Patch, factor int) (before pix.Rows, inner, weight []float32, err error) {
	if factor > 1 {
		g.Size, g.X, g.Y, g.W, g.H = 2*g.Size, 2*g.X, 2*g.Y, 2*g.W, 2*g.H
	}
	at := s.OnPatch(g)
	if before, err = at.Gather(fl.Before); err != nil {
		return nil, nil, nil, err
	}
	if fl.Inner != nil {
		in, err := at.Gather(fl.Inner)
		if err != nil {
			return nil, nil, nil, err
		}
		inner = in.Gray()
	}
	if factor == 1 {
		return before, inner, nil, nil
	}
	f, w := at.Frame(), g.W/2
	weight = make([]float32, w*g.H/2)
	for k, t := range f.Tri {
		if t >= 0 {
			weight[k/f.W/2*w+k%f.W/2] += 0.25
		}
	}
	half := func(v []float32) []float32 {
		out := make([]float32, len(weight))
		for k, t := range f.Tri {
			if t >= 0 {
				out[k/f.W/2*w+k%f.W/2] += v[k]
			}
		}
		for k := range out {
			if weight[k] > 0 {
				out[k] /= 4 * weight[k]
			}
		}
		return out
	}
	for c := range before {
		before[c] = half(before[c])
	}
	if inner != nil {
		inner = half(inner)
	}
	return before, inner, weight, nil
}
