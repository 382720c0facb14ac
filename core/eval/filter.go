package eval

import (
	"context"
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/step"
)

var noBox geom.Box

// filtered evaluates a stream up to and including a step that looks at
// neighbours. On a tile every island is filtered on a patch of its own, laid flat
// over its borders (idea 5 of the engine); on any other surface the result is read
// from the tiles.
func (p *Program) filtered(ctx context.Context, u *Surface, sp *streamPlan, i int) ([][]float32, error) {
	key := join(p.streamKey(u, sp, i+1, 0), Key{}, 41)
	if v, ok := p.Scene.Cache.get(key); ok {
		return rows(v.(planes)), nil
	}
	var out [][]float32
	var err error
	if u.tile != nil {
		out, err = p.onCharts(ctx, u, sp, i)
	} else {
		out, err = p.fromTiles(ctx, u, sp, i)
	}
	if err != nil {
		return nil, err
	}
	p.Scene.put(ctx, key, kept(out))
	return out, nil
}

// before evaluates the first steps of a stream on a tile, for a filter; many
// patches read it, so it is kept.
func (p *Program) before(ctx context.Context, u *Surface, sp *streamPlan, upTo int) ([][]float32, error) {
	key := join(p.streamKey(u, sp, upTo, 0), Key{}, 43)
	if v, ok := p.Scene.Cache.get(key); ok {
		return rows(v.(planes)), nil
	}
	read := func(ctx context.Context, u *Surface) ([][]float32, error) { return p.stream(ctx, u, sp, upTo) }
	if sp.read != nil {
		read = sp.read
	}
	out, err := read(ctx, u)
	if err == nil {
		p.Scene.put(ctx, key, kept(out))
	}
	return out, err
}

func kept(v [][]float32) planes {
	out := make(planes, len(v))
	for c := range v {
		out[c].Data = v[c]
	}
	return out
}

func rows(v planes) [][]float32 {
	out := make([][]float32, len(v))
	for c := range v {
		out[c] = v[c].Data
	}
	return out
}

// wide makes rows of n values with as many planes as asked for.
func wide(out [][]float32, planes, n int) [][]float32 {
	for len(out) < planes {
		row := make([]float32, n)
		if len(out) > 0 {
			copy(row, out[0]) // greys so far
		}
		out = append(out, row)
	}
	return out
}

// onCharts filters each island of a tile on its own patch.
func (p *Program) onCharts(ctx context.Context, u *Surface, sp *streamPlan, i int) ([][]float32, error) {
	f, t := u.Frame(), u.tile
	list, of := f.Charts(p.Scene.Model.Island)
	out := wide(nil, 1, len(f.Pos))
	for k, c := range list {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		w, h := c.X1-c.X0, c.Y1-c.Y0
		q := patch{sheet: t.Sheet, size: t.Size, island: c.Island, w: w, h: h,
			x: t.X*pix.Size - pix.Margin + c.X0, y: t.Y*pix.Size - pix.Margin + c.Y0}
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
		out = wide(out, len(v), len(f.Pos))
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
func (p *Program) onPatch(ctx context.Context, q patch, need []bool, sp *streamPlan, i int) ([][]float32, error) {
	s := &sp.steps[i]
	factor, margin := 1, 1
	texel := p.Scene.index(q.sheet).Footprint(q.island, q.size)
	if texel > 0 && s.look > 0 {
		far := float64(s.look / texel)
		for far/float64(factor) > float64(s.desc.Texels) && q.size/factor > 8 {
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
	g := grown(q, factor, margin)
	big := p.Scene.onPatch(g)
	before, inner, weight, err := p.read(ctx, g, sp, i, factor)
	if err != nil {
		return nil, err
	}
	in, d := step.NewInput(s.step, big.Frame(), p.Scene.Model.Bounds)
	in.Weight, in.Need = weight, needed(q, g, need, factor)
	out := make([][]float32, len(before))
	for c := range before {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		full := make([]float32, len(before[c]))
		d.Filter(in, before[c], inner, full)
		out[c] = resample(full, big.Frame(), g, q, factor, d.Spreads)
	}
	return out, nil
}

// needed marks the texels of the larger patch that the smaller one will read.
func needed(q, g patch, need []bool, factor int) []bool {
	out := make([]bool, g.w*g.h)
	mark := func(x, y, around int) {
		for dy := -around; dy <= around; dy++ {
			for dx := -around; dx <= around; dx++ {
				out[(y+dy)*g.w+x+dx] = true
			}
		}
	}
	for k, on := range need {
		if !on {
			continue
		}
		x, y := q.x+k%q.w, q.y+k/q.w
		if factor == 1 {
			mark(x-g.x, y-g.y, 0)
		} else if cx, cy := floorDiv(x, factor)-g.x, floorDiv(y, factor)-g.y; !out[cy*g.w+cx] || !out[(cy-2)*g.w+cx-2] || !out[(cy+2)*g.w+cx+2] {
			mark(cx, cy, 2)
		}
	}
	return out
}

func floorDiv(v, by int) int { return int(math.Floor(float64(v) / float64(by))) }

// read reads what a filter works on, on a patch: the stream before it, and the one
// inside it. A coarse patch is read at twice its size and averaged, with the share
// of each texel that lies on the surface, so that hard edges and the surface's own
// border do not depend on where the coarse texels happen to lie.
func (p *Program) read(
	ctx context.Context,
	g patch,
	sp *streamPlan,
	i, factor int,
) (before [][]float32, inner, weight []float32, err error) {
	s := &sp.steps[i]
	if factor > 1 {
		g.size, g.x, g.y, g.w, g.h = 2*g.size, 2*g.x, 2*g.y, 2*g.w, 2*g.h
	}
	at := p.Scene.onPatch(g)
	if before, err = p.gather(ctx, at, sp, i); err != nil {
		return nil, nil, nil, err
	}
	if s.inner != nil {
		in, err := p.gather(ctx, at, s.inner, len(s.inner.steps))
		if err != nil {
			return nil, nil, nil, err
		}
		inner = grey(in)
	}
	if factor == 1 {
		return before, inner, nil, nil
	}
	f, w := at.Frame(), g.w/2
	weight = make([]float32, w*g.h/2)
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

// gather reads the first steps of a stream on a patch from the tiles: texels of
// the patch's own island as they are, those beyond its borders between the texels
// of where they lie.
func (p *Program) gather(ctx context.Context, u *Surface, sp *streamPlan, upTo int) ([][]float32, error) {
	f, g, m := u.Frame(), u.patch, p.Scene.Model
	out := wide(nil, 1, len(f.Pos))
	type source struct {
		f *raster.Frame
		v [][]float32
	}
	known := map[Tile]source{}
	tileAt := func(t Tile) (source, error) {
		if s, ok := known[t]; ok {
			return s, nil
		}
		tu := p.Scene.OnTile(t)
		v, err := p.before(ctx, tu, sp, upTo)
		s := source{tu.Frame(), v}
		known[t] = s
		out = wide(out, len(v), len(f.Pos))
		return s, err
	}
	var last source // most texels in a row lie on one tile
	var lastTile Tile
	for k, t := range f.Tri {
		if t < 0 {
			continue
		}
		tile := Tile{Sheet: g.sheet, Size: g.size}
		var x, y float32 // texels from the corner of the sheet
		var px, py int
		own := f.Inside[k]
		if own {
			px, py = wrapped(g.x+k%f.W, g.size), wrapped(g.y+k/f.W, g.size)
			tile.X, tile.Y = px/pix.Size, py/pix.Size
		} else {
			tile.Sheet = int(m.TriSheet[t])
			index := p.Scene.index(tile.Sheet)
			tile.Size = sizeLike(g.size, index.Footprint(m.Island[t], g.size), f.Footprint)
			uv := raster.Wrap(index.UVAt(t, f.Pos[k]))
			x, y = min(max(uv.X, 0), 0.999999)*float32(tile.Size), min(max(uv.Y, 0), 0.999999)*float32(tile.Size)
			tile.X, tile.Y = int(x)/pix.Size, int(y)/pix.Size
		}
		if last.f == nil || tile != lastTile {
			var err error
			if last, err = tileAt(tile); err != nil {
				return nil, err
			}
			lastTile = tile
		}
		if own {
			at := (py-tile.Y*pix.Size+pix.Margin)*pix.Pitch + px - tile.X*pix.Size + pix.Margin
			for n := range out {
				out[n][k] = last.v[min(n, len(last.v)-1)][at]
			}
			continue
		}
		x, y = x-float32(tile.X*pix.Size)+pix.Margin-0.5, y-float32(tile.Y*pix.Size)+pix.Margin-0.5
		x0, y0 := int(x), int(y)
		for n := range out {
			out[n][k] = around(last.v[min(n, len(last.v)-1)], last.f, pix.Pitch, x0, y0, x-float32(x0), y-float32(y0))
		}
	}
	return out, nil
}

// wrapped brings a texel of a sheet of some size into it, as a texture that repeats is read.
func wrapped(v, size int) int { return ((v % size) + size) % size }

// sizeLike returns the power of two by which a sheet's texels are about as large as
// wanted, when they are of footprint at size.
func sizeLike(size int, footprint, wanted float32) int {
	for footprint > 1.42*wanted && size < 8192 {
		size, footprint = 2*size, footprint/2
	}
	for footprint < 0.7*wanted && size > 16 {
		size, footprint = size/2, 2*footprint
	}
	return size
}

// grown returns the patch around q with margin texels of a size that is factor
// times coarser.
func grown(q patch, factor, margin int) patch {
	g := q
	g.size = q.size / factor
	extra := margin
	if factor > 1 {
		extra += 2 // what the finer texels between them read
	}
	g.x, g.y = floorDiv(q.x, factor)-extra, floorDiv(q.y, factor)-extra
	g.w, g.h = floorDiv(q.x+q.w-1, factor)+1+extra-g.x, floorDiv(q.y+q.h-1, factor)+1+extra-g.y
	return g
}

// resample reads a filtered patch at the texels of the smaller, finer one: as it
// is when the sizes agree, by cubic interpolation (Catmull and Rom, 1974) when it
// is coarser, by what there is of it beside gaps.
func resample(v []float32, f *raster.Frame, g, q patch, factor int, spreads bool) []float32 {
	out := make([]float32, q.w*q.h)
	if factor == 1 {
		for y := range q.h {
			at := (q.y-g.y+y)*g.w + q.x - g.x
			copy(out[y*q.w:(y+1)*q.w], v[at:at+q.w])
		}
		return out
	}
	inv := 1 / float32(factor)
	for y := range q.h {
		sy := (float32(q.y+y)+0.5)*inv - 0.5 - float32(g.y)
		y0 := int(math.Floor(float64(sy)))
		wy := catmullRom(sy - float32(y0))
		for x := range q.w {
			sx := (float32(q.x+x)+0.5)*inv - 0.5 - float32(g.x)
			x0 := int(math.Floor(float64(sx)))
			wx := catmullRom(sx - float32(x0))
			var sum float32
			whole := true
			for j := 0; j < 4 && whole; j++ {
				for k := range 4 {
					at := (y0-1+j)*g.w + x0 - 1 + k
					if f.Tri[at] < 0 && !spreads {
						whole = false
						break
					}
					sum += wy[j] * wx[k] * v[at]
				}
			}
			if !whole {
				sum = around(v, f, g.w, x0, y0, sx-float32(x0), sy-float32(y0))
			}
			out[y*q.w+x] = sum
		}
	}
	return out
}

// around interpolates between the four neighbours that stand for something.
func around(v []float32, f *raster.Frame, width, x0, y0 int, fx, fy float32) float32 {
	var sum, weight float32
	for k, w := range [4]float32{(1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy} {
		if at := (y0+k/2)*width + x0 + k%2; f.Tri[at] >= 0 {
			w += 1e-6
			sum, weight = sum+w*v[at], weight+w
		}
	}
	if weight == 0 {
		return 0
	}
	return sum / weight
}

func catmullRom(t float32) [4]float32 {
	t2, t3 := t*t, t*t*t
	return [4]float32{-0.5*t3 + t2 - 0.5*t, 1.5*t3 - 2.5*t2 + 1, -1.5*t3 + 2*t2 + 0.5*t, 0.5*t3 - 0.5*t2}
}

// fromTiles reads the filtered tiles of the sheets at the points of a frame.
func (p *Program) fromTiles(ctx context.Context, u *Surface, sp *streamPlan, i int) ([][]float32, error) {
	return p.fromTilesOf(ctx, u, sp, i, func(sheet int) int { return p.levelFor(sheet, u.Frame()) })
}

// fromTilesOf is fromTiles for sheets of the sizes that sizeOf tells.
func (p *Program) fromTilesOf(
	ctx context.Context,
	u *Surface,
	sp *streamPlan,
	i int,
	sizeOf func(sheet int) int,
) ([][]float32, error) {
	return p.betweenTexels(u, sizeOf, func(tu *Surface) ([][]float32, error) { return p.filtered(ctx, tu, sp, i) })
}

// betweenTexels reads what tiles of the sheets hold at the points of a frame, between
// their texels.
func (p *Program) betweenTexels(
	u *Surface,
	sizeOf func(sheet int) int,
	of func(tu *Surface) ([][]float32, error),
) ([][]float32, error) {
	f, m := u.Frame(), p.Scene.Model
	out := wide(nil, 1, len(f.Pos))
	tiles := map[Tile][]int32{}
	at := make([]geom.Vec2, len(f.Pos)) // texels from the sheet's corner
	for k, t := range f.Tri {
		if t < 0 {
			continue
		}
		sheet := int(m.TriSheet[t])
		size := sizeOf(sheet)
		uv := raster.Wrap(p.Scene.index(sheet).UVAt(t, f.Pos[k]))
		x, y := min(max(uv.X, 0), 0.999999)*float32(size), min(max(uv.Y, 0), 0.999999)*float32(size)
		at[k] = geom.Vec2{X: x, Y: y}
		tile := Tile{sheet, size, int(x) / pix.Size, int(y) / pix.Size}
		tiles[tile] = append(tiles[tile], int32(k))
	}
	for t, points := range tiles {
		tu := p.Scene.OnTile(t)
		v, err := of(tu)
		if err != nil {
			return nil, err
		}
		out = wide(out, len(v), len(f.Pos))
		tf := tu.Frame()
		for _, k := range points {
			x := at[k].X - float32(t.X*pix.Size) + pix.Margin - 0.5
			y := at[k].Y - float32(t.Y*pix.Size) + pix.Margin - 0.5
			x0, y0 := min(max(int(x), 0), tf.W-2), min(max(int(y), 0), tf.H-2)
			for n := range out {
				out[n][k] = around(v[min(n, len(v)-1)], tf, tf.W, x0, y0, x-float32(x0), y-float32(y0))
			}
		}
	}
	return out, nil
}

// mostForFrames is how finely sheets are read at most for a frame of more than one point.
const mostForFrames = 1024

// sizesKey is the key of all that levelFor reads of the document for a surface.
func (p *Program) sizesKey(u *Surface) Key {
	if u.frame != nil && len(u.frame.Pos) > 1 {
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
	for size < min(own, mostForFrames) && f.Footprint > 0 && p.Scene.index(sheet).Scale()/float32(size) > f.Footprint {
		size *= 2
	}
	return size
}
