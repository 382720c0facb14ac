package surface

import (
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
)

// Gather reads on a patch what of gives of tiles: texels of the patch's own island as
// they are, those beyond its borders between the texels of where they lie.
func (u *Surface) Gather(of func(tile *Surface) (pix.Rows, error)) (pix.Rows, error) {
	f, g, m := u.Frame(), u.Patch, u.Scene.Model
	out := pix.NewRows(1, len(f.Pos))
	type source struct {
		f *raster.Frame
		v pix.Rows
	}
	known := map[Tile]source{}
	tileAt := func(t Tile) (source, error) {
		if s, ok := known[t]; ok {
			return s, nil
		}
		tu := u.Scene.OnTile(t)
		v, err := of(tu)
		s := source{tu.Frame(), v}
		known[t] = s
		out = out.Widened(len(v), len(f.Pos))
		return s, err
	}
	var last source // most texels in a row lie on one tile
	var lastTile Tile
	for k, t := range f.Tri {
		if t < 0 {
			continue
		}
		tile := Tile{Sheet: g.Sheet, Size: g.Size}
		var x, y float32 // texels from the corner of the sheet
		var px, py int
		own := f.Inside[k]
		if own {
			px, py = wrapped(g.X+k%f.W, g.Size), wrapped(g.Y+k/f.W, g.Size)
			tile.X, tile.Y = px/pix.Size, py/pix.Size
		} else {
			tile.Sheet = int(m.TriSheet[t])
			index := u.Scene.Index(tile.Sheet)
			tile.Size = sizeLike(g.Size, index.Footprint(m.Island[t], g.Size), f.Footprint)
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

// BetweenTexels reads what of gives of tiles of the sheets at the points of a surface,
// between their texels; sizeOf tells how large each sheet is to be.
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
		for _, k := range s.points {
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
