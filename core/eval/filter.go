package eval

import (
	"context"

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
	return p.filteredAt(ctx, u, sp, i, sp.steps[i].desc.Texels)
}

// filteredAt is filtered with a step that looks at most so many texels far: what is read softly
// needs none that are much finer than it is soft.
func (p *Program) filteredAt(ctx context.Context, u *surface.Surface, sp *streamPlan, i, texels int) (pix.Rows, error) {
	key := cache.Join(p.streamKey(u, sp, i+1, 0), Key{Lo: uint64(texels)}, 41)
	return once(ctx, p.Scene, key, func() (out pix.Rows, err error) {
		if u.Tile != nil {
			out, err = p.onCharts(ctx, u, sp, i, texels)
		} else {
			out, err = p.fromTiles(ctx, u, sp, i)
		}
		if err == nil {
			p.Scene.put(ctx, key, out)
		}
		return out, err
	})
}

// prefix evaluates the first steps of a stream on a tile, for a filter; many
// patches read it, so it is kept.
func (p *Program) prefix(ctx context.Context, u *surface.Surface, sp *streamPlan, upTo int) (pix.Rows, error) {
	key := cache.Join(p.streamKey(u, sp, upTo, 0), Key{}, 43)
	read := func(ctx context.Context, u *surface.Surface) (pix.Rows, error) { return p.stream(ctx, u, sp, upTo) }
	if sp.read != nil {
		read = sp.read
	}
	return once(ctx, p.Scene, key, func() (pix.Rows, error) {
		out, err := read(ctx, u)
		if err == nil {
			p.Scene.put(ctx, key, out)
		}
		return out, err
	})
}

// onCharts filters a tile, with a step that looks at most so many texels far.
func (p *Program) onCharts(ctx context.Context, u *surface.Surface, sp *streamPlan, i, texels int) (pix.Rows, error) {
	s := &sp.steps[i]
	before := func(t *surface.Surface) (pix.Rows, error) { return p.prefix(ctx, t, sp, i) }
	fl := surface.Filter{Look: s.look, Texels: texels, Spreads: s.desc.Spreads, Before: before}
	if s.inner != nil {
		fl.Inner = func(t *surface.Surface) (pix.Rows, error) { return p.prefix(ctx, t, s.inner, len(s.inner.steps)) }
	}
	fl.Run = func(f *raster.Frame, weight []float32, need []bool, before, inner, out []float32) {
		in, d := step.NewInput(s.step, f, p.Scene.Model.Bounds)
		in.Weight, in.Need = weight, need
		d.Filter(in, before, inner, out)
	}
	out, err := u.Filtered(ctx, fl)
	if err != nil {
		return nil, err
	}
	in, d := step.NewInput(s.step, u.Frame(), p.Scene.Model.Bounds)
	if d.Mix == nil && s.step.Amount == 1 {
		return out, nil
	}
	was, err := before(u)
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

// fromTiles reads the filtered tiles of the sheets at the points of a frame.
func (p *Program) fromTiles(ctx context.Context, u *surface.Surface, sp *streamPlan, i int) (pix.Rows, error) {
	return p.fromTilesOf(
		ctx,
		u,
		sp,
		i,
		sp.steps[i].desc.Texels,
		func(sheet int) int { return p.levelFor(sheet, u.Frame()) },
	)
}

// fromTilesOf is fromTiles for sheets of the sizes that sizeOf tells, with a step that looks at
// most so many texels far.
func (p *Program) fromTilesOf(
	ctx context.Context,
	u *surface.Surface,
	sp *streamPlan,
	i, texels int,
	sizeOf func(sheet int) int,
) (pix.Rows, error) {
	return u.BetweenTexels(
		sizeOf,
		func(tu *surface.Surface) (pix.Rows, error) { return p.filteredAt(ctx, tu, sp, i, texels) },
	)
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
