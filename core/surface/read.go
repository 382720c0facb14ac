package surface

import (
	"context"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
)

// Gather reads on a patch what of gives of tiles: texels of the patch's own island as
// they are, those beyond its borders between the texels of where they lie.
func (u *Surface) Gather(of func(tile *Surface) (pix.Rows, error)) (pix.Rows, error) {
	r := u.reads()
	out := pix.NewRows(1, len(u.Frame().Pos))
	for _, from := range r.tiles {
		tu := u.Scene.OnTile(from.tile)
		v, err := of(tu)
		if err != nil {
			return nil, err
		}
		out = out.Widened(len(v), len(u.Frame().Pos))
		f := tu.Frame()
		for n := range out {
			o, v := out[n], v[min(n, len(v)-1)]
			for _, run := range from.own {
				copy(o[run.to:run.to+run.n], v[run.at:run.at+run.n])
			}
			for i := range from.beyond {
				b := &from.beyond[i]
				o[b.to] = around(v, f, pix.Pitch, int(b.x), int(b.y), b.fx, b.fy)
			}
		}
	}
	return out, nil
}

// reads is where a patch reads what tiles hold.
type reads struct{ tiles []readsOf }

// readsOf is what a patch reads of one tile.
type readsOf struct {
	tile   Tile
	own    []run
	beyond []between
}

// run is a row of n texels that a patch has as they are: from its texel to, from the tile's at.
type run struct{ to, at, n int32 }

// between is a texel of a patch that lies between four of a tile, the first of them at x, y.
type between struct {
	to     int32
	x, y   int16
	fx, fy float32
}

// Bytes implements cache.Sized.
func (r *reads) Bytes() (n int) {
	for _, t := range r.tiles {
		n += len(t.own)*12 + len(t.beyond)*16 + 80
	}
	return n
}

// reads finds where the texels of a patch are read; every filter on it reads them there.
func (u *Surface) reads() *reads {
	key := cache.Join(u.Key, cache.Key{}, 8)
	r, _ := cache.Once(context.Background(), u.Scene.Cache, key, func() (*reads, bool, error) { // never an error
		r := u.findReads()
		u.Put(key, r)
		return r, true, nil
	})
	return r
}

func (u *Surface) findReads() *reads {
	f, g, m := u.Frame(), u.Patch, u.Scene.Model
	r := &reads{}
	index := map[Tile]int{}
	last := -1 // most texels in a row lie on one tile
	of := func(t Tile) *readsOf {
		if last < 0 || r.tiles[last].tile != t {
			n, ok := index[t]
			if !ok {
				n = len(r.tiles)
				index[t], r.tiles = n, append(r.tiles, readsOf{tile: t})
			}
			last = n
		}
		return &r.tiles[last]
	}
	for k, t := range f.Tri {
		if t < 0 {
			continue
		}
		if f.Inside[k] {
			px, py := wrapped(g.X+k%f.W, g.Size), wrapped(g.Y+k/f.W, g.Size)
			s := of(Tile{g.Sheet, g.Size, px / pix.Size, py / pix.Size})
			at := int32((py-s.tile.Y*pix.Size+pix.Margin)*pix.Pitch + px - s.tile.X*pix.Size + pix.Margin)
			if n := len(s.own) - 1; n >= 0 && s.own[n].to+s.own[n].n == int32(k) && s.own[n].at+s.own[n].n == at {
				s.own[n].n++
			} else {
				s.own = append(s.own, run{int32(k), at, 1})
			}
			continue
		}
		sheet := int(m.TriSheet[t])
		index := u.Scene.Index(sheet)
		size := sizeLike(g.Size, index.Footprint(m.Island[t], g.Size), f.Footprint)
		uv := raster.Wrap(index.UVAt(t, f.Pos[k]))
		x, y := min(max(uv.X, 0), 0.999999)*float32(size), min(max(uv.Y, 0), 0.999999)*float32(size)
		s := of(Tile{sheet, size, int(x) / pix.Size, int(y) / pix.Size})
		x, y = x-float32(s.tile.X*pix.Size)+pix.Margin-0.5, y-float32(s.tile.Y*pix.Size)+pix.Margin-0.5
		x0, y0 := int(x), int(y)
		s.beyond = append(s.beyond, between{int32(k), int16(x0), int16(y0), x - float32(x0), y - float32(y0)})
	}
	return r
}

// BetweenTexels reads what of gives of tiles of the sheets at the points of a surface,
// between their texels, and rounded where a frame's points lie closer than these; sizeOf tells how
// large each sheet is to be.
func (u *Surface) BetweenTexels(
	sizeOf func(sheet int) int,
	of func(tile *Surface) (pix.Rows, error),
) (pix.Rows, error) {
	f, m := u.Frame(), u.Scene.Model
	out := pix.NewRows(1, len(f.Pos))
	type source struct {
		tile   Tile
		points []int32
	}
	var list []source
	index, last := map[Tile]int{}, -1   // most points lie on the tile of the one before
	at := make([]geom.Vec2, len(f.Pos)) // texels from the sheet's corner
	sizes := make([]int, len(m.Sheets))
	for k, t := range f.Tri {
		if t < 0 {
			continue
		}
		sheet := int(m.TriSheet[t])
		if sizes[sheet] == 0 {
			sizes[sheet] = sizeOf(sheet)
		}
		size := sizes[sheet]
		_, uv := u.UV(k)
		uv = raster.Wrap(uv)
		x, y := min(max(uv.X, 0), 0.999999)*float32(size), min(max(uv.Y, 0), 0.999999)*float32(size)
		at[k] = geom.Vec2{X: x, Y: y}
		tile := Tile{sheet, size, int(x) / pix.Size, int(y) / pix.Size}
		if last < 0 || list[last].tile != tile {
			n, ok := index[tile]
			if !ok {
				n = len(list)
				index[tile], list = n, append(list, source{tile: tile})
			}
			last = n
		}
		list[last].points = append(list[last].points, int32(k))
	}
	for _, s := range list {
		t := s.tile
		tu := u.Scene.OnTile(t)
		v, err := of(tu)
		if err != nil {
			return nil, err
		}
		out = out.Widened(len(v), len(f.Pos))
		tf := tu.Frame()
		// seen from so near that a texel is many points, what lies evenly between texels shows their
		// squares as soon as its slope does
		near := u.IsFrame() && tf.Footprint > f.Footprint
		for _, k := range s.points {
			x := at[k].X - float32(t.X*pix.Size) + pix.Margin - 0.5
			y := at[k].Y - float32(t.Y*pix.Size) + pix.Margin - 0.5
			if near {
				for n := range out {
					out[n][k] = rounded(v[min(n, len(v)-1)], tf, x, y)
				}
				continue
			}
			x0, y0 := min(max(int(x), 0), tf.W-2), min(max(int(y), 0), tf.H-2)
			for n := range out {
				out[n][k] = around(v[min(n, len(v)-1)], tf, tf.W, x0, y0, x-float32(x0), y-float32(y0))
			}
		}
	}
	return out, nil
}

// Elsewhere reads what of gives of tiles at other places, between the texels of sheets as
// fine as the surface.
func (u *Surface) Elsewhere(
	pos []geom.Vec3,
	tri []int32,
	of func(tile *Surface) (pix.Rows, error),
) (pix.Rows, error) {
	f := u.Frame()
	there := u.Scene.At(&raster.Frame{W: len(pos), H: 1, Pos: pos, Tri: tri, Footprint: f.Footprint})
	return there.BetweenTexels(func(sheet int) int {
		if u.Tile != nil && u.Tile.Sheet == sheet {
			return u.Tile.Size
		}
		size := 128
		for size < 8192 && u.Scene.Index(sheet).Scale()/float32(size) > 1.2*f.Footprint {
			size *= 2
		}
		return size
	}, of)
}
