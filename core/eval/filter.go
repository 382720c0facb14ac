package eval

import (
	"context"
	"math"

	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

var noBox geom.Box

// filtered evaluates a stream up to and including a step that looks at
// neighbours. On a tile every island is filtered on a patch of its own, laid flat
// over its borders (idea 5 of the engine); on any other surface the result is read
// from the tiles.
func (p *Program) filtered(ctx context.Context, u *surface.Surface, sp *streamPlan, i int) (pix.Rows, error) {
	key := cache.Join(p.streamKey(u, sp, i+1, 0), Key{}, 41)
	if v, ok := p.Scene.Cache.Get(key); ok {
		return v.(pix.Rows), nil
	}
	var out pix.Rows
	var err error
	if u.Tile != nil {
		out, err = p.onCharts(ctx, u, sp, i)
	} else {
		out, err = p.fromTiles(ctx, u, sp, i)
	}
	if err != nil {
		return nil, err
	}
	p.Scene.put(ctx, key, out)
	return out, nil
}

// before evaluates the first steps of a stream on a tile, for a filter; many
// patches read it, so it is kept.
func (p *Program) before(ctx context.Context, u *surface.Surface, sp *streamPlan, upTo int) (pix.Rows, error) {
	key := cache.Join(p.streamKey(u, sp, upTo, 0), Key{}, 43)
	if v, ok := p.Scene.Cache.Get(key); ok {
		return v.(pix.Rows), nil
	}
	read := func(ctx context.Context, u *surface.Surface) (pix.Rows, error) { return p.stream(ctx, u, sp, upTo) }
	if sp.read != nil {
		read = sp.read
	}
	out, err := read(ctx, u)
	if err == nil {
		p.Scene.put(ctx, key, out)
	}
	return out, err
}

// onCharts filters each island of a tile on its own patch.
func (p *Program) onCharts(ctx context.Context, u *surface.Surface, sp *streamPlan, i int) (pix.Rows, error) {
	f, t := u.Frame(), u.Tile
	list, of := f.Charts(p.Scene.Model.Island)
	out := pix.NewRows(1, len(f.Pos))
	for k, c := range list {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		w, h := c.X1-c.X0, c.Y1-c.Y0
		q := surface.Patch{Sheet: t.Sheet, Size: t.Size, Island: c.Island, W: w, H: h,
			X: t.X*pix.Size - pix.Margin + c.X0, Y: t.Y*pix.Size - pix.Margin + c.Y0}
		need := make([]bool, w*h)
		for y := range h {
			for x := range w {
				need[y*w+x] = int(of[(c.Y0+y)*f.W+c.X0+x]) == k
			}
		}
		v, err := p.onPatch(ctx, q, need, sp, i)
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
	s := &sp.steps[i]
	in, d := step.NewInput(s.step, f, p.Scene.Model.Bounds)
	if d.Mix == nil && s.step.Amount == 1 {
		return out, nil
	}
	was, err := p.before(ctx, u, sp, i)
	if err != nil {
		return nil, err
	}
	for c := range out {
		w := was[min(c, len(was)-1)]
		if d.Mix != nil {
			d.Mix(in, w, out[c])
		}
		if a := s.step.Amount; a != 1 {
			for k, v := range w {
				out[c][k] = v + a*(out[c][k]-v)
			}
		}
	}
	return out, nil
}

// onPatch filters what q needs, on a patch that is larger by what the step looks
// at, and coarser when it looks far.
func (p *Program) onPatch(ctx context.Context, q surface.Patch, need []bool, sp *streamPlan, i int) (pix.Rows, error) {
	s := &sp.steps[i]
	factor, margin := 1, 1
	texel := p.Scene.Index(q.Sheet).Footprint(q.Island, q.Size)
	if texel > 0 && s.look > 0 {
		far := float64(s.look / texel)
		for far/float64(factor) > float64(s.desc.Texels) && q.Size/factor > 8 {
			factor *= 2
		}
		margin = min(int(math.Ceil(far/float64(factor))), 4*s.desc.Texels) + 1
	}
	// a few sizes of patches serve all filters: laying a patch flat costs more than its rim
	class := 4
	for class < margin {
		class *= 2
	}
	margin = class
	g := surface.Grown(q, factor, margin)
	big := p.Scene.OnPatch(g)
	before, inner, weight, err := p.read(ctx, g, sp, i, factor)
	if err != nil {
		return nil, err
	}
	in, d := step.NewInput(s.step, big.Frame(), p.Scene.Model.Bounds)
	in.Weight, in.Need = weight, surface.Needed(q, g, need, factor)
	out := make(pix.Rows, len(before))
	for c := range before {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		full := make([]float32, len(before[c]))
		d.Filter(in, before[c], inner, full)
		out[c] = surface.Resample(full, big.Frame(), g, q, factor, d.Spreads)
	}
	return out, nil
}

// read reads what a filter works on, on a patch: the stream before it, and the one
// inside it. A coarse patch is read at twice its size and averaged, with the share
// of each texel that lies on the surface, so that hard edges and the surface's own
// border do not depend on where the coarse texels happen to lie.
func (p *Program) read(
	ctx context.Context,
	g surface.Patch,
	sp *streamPlan,
	i, factor int,
) (before pix.Rows, inner, weight []float32, err error) {
	s := &sp.steps[i]
	if factor > 1 {
		g.Size, g.X, g.Y, g.W, g.H = 2*g.Size, 2*g.X, 2*g.Y, 2*g.W, 2*g.H
	}
	at := p.Scene.OnPatch(g)
	if before, err = at.Gather(func(t *surface.Surface) (pix.Rows, error) { return p.before(ctx, t, sp, i) }); err != nil {
		return nil, nil, nil, err
	}
	if s.inner != nil {
		in, err := at.Gather(func(t *surface.Surface) (pix.Rows, error) {
			return p.before(ctx, t, s.inner, len(s.inner.steps))
		})
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

// fromTiles reads the filtered tiles of the sheets at the points of a frame.
func (p *Program) fromTiles(ctx context.Context, u *surface.Surface, sp *streamPlan, i int) (pix.Rows, error) {
	return p.fromTilesOf(ctx, u, sp, i, func(sheet int) int { return p.levelFor(sheet, u.Frame()) })
}

// fromTilesOf is fromTiles for sheets of the sizes that sizeOf tells.
func (p *Program) fromTilesOf(
	ctx context.Context,
	u *surface.Surface,
	sp *streamPlan,
	i int,
	sizeOf func(sheet int) int,
) (pix.Rows, error) {
	return u.BetweenTexels(sizeOf, func(tu *surface.Surface) (pix.Rows, error) { return p.filtered(ctx, tu, sp, i) })
}

// mostForFrames is how finely sheets are read at most for a frame of more than one point.
const mostForFrames = 1024

// sizesKey is the key of all that levelFor reads of the document for a surface.
func (p *Program) sizesKey(u *surface.Surface) Key {
	if u.IsFrame() {
		return p.sizes[1]
	}
	return p.sizes[0]
}

// levelFor returns the size at which a sheet's texels are about as large as a
// frame's points are apart; a single point takes the sheet's own size.
func (p *Program) levelFor(sheet int, f *raster.Frame) int {
	own := p.Doc.Sheets[p.Scene.Model.Sheets[sheet].Name].Size
	if own == 0 {
		own = 1024
	}
	if len(f.Pos) == 1 {
		return own
	}
	size := pix.Size
	for size < min(own, mostForFrames) && f.Footprint > 0 && p.Scene.Index(sheet).Scale()/float32(size) > f.Footprint {
		size *= 2
	}
	return size
}
