package surface

import (
	"slices"

	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
)

// A texel may stand for several places on the model: mirrored halves and repeated pieces
// share UVs. One of the places owns it, and is what the points of surfaces are; the others
// are its echoes. What is evaluated is evaluated at the owner. What is laid, and what a
// reach names, counts through any of them.

// echo is an island on which some points of a surface have other places.
type echo struct {
	sheet, island int32
	box           geom.Box // around its triangles there
}

func (e echo) key(surface cache.Key) cache.Key {
	return cache.Join(surface, cache.Key{Hi: uint64(uint32(e.sheet)), Lo: uint64(uint32(e.island))}, 62)
}

// echoed are the places of an echo, as a frame of one row, and the point of the surface
// that each belongs to.
type echoed struct {
	frame *raster.Frame
	of    []int32
}

// Bytes implements sized.
func (e *echoed) Bytes() int { return e.frame.Bytes() + 4*len(e.of) }

// uvOf returns the UV of a frame's point and the index of its sheet; tile is that of the
// frame, or nil. ok is false for a point that shares its texel with no other place.
func (s *Scene) uvOf(f *raster.Frame, i int, tile *Tile) (x *raster.Index, uv geom.Vec2, ok bool) {
	t := f.Tri[i]
	if t < 0 {
		return nil, uv, false
	}
	if x = s.Index(int(s.Model.TriSheet[t])); !x.Shared(t) {
		return x, uv, false
	}
	if tile != nil && f.Inside[i] {
		at := func(corner, k int) float32 { return (float32(corner*pix.Size-pix.Margin+k) + 0.5) / float32(tile.Size) }
		return x, geom.Vec2{X: at(tile.X, i%f.W), Y: at(tile.Y, i/f.W)}, true
	}
	return x, raster.Wrap(x.UVAt(t, f.Pos[i])), true
}

// sharing tells whether any texel of the sheet that a triangle lies on stands for several places; it
// remembers its last answer, since texels beside each other mostly lie on one sheet.
type sharing struct {
	scene *Scene
	sheet int // whose answer is known, and one more
	any   bool
}

func (s *sharing) on(tri int32) bool {
	if tri < 0 {
		return false
	}
	if sheet := int(s.scene.Model.TriSheet[tri]) + 1; sheet != s.sheet {
		s.sheet, s.any = sheet, s.scene.Index(sheet-1).Shares()
	}
	return s.any
}

// owned puts every point of a frame to the place that owns its texel. Of a tile only the
// points beyond the borders of islands may lie elsewhere; where they lie beside the island
// is kept, for slopes.
func (s *Scene) owned(f *raster.Frame, tile *Tile) *raster.Frame {
	out := f
	some := sharing{scene: s}
	for i, t := range f.Tri {
		if tile != nil && f.Inside[i] || !some.on(t) {
			continue
		}
		x, uv, ok := s.uvOf(f, i, tile)
		if !ok {
			continue
		}
		tri, pos, nrm := x.Owner(uv)
		if tri < 0 || tri == f.Tri[i] {
			continue
		}
		if out == f {
			out = f.Copy()
			out.Lie = f.Pos
		}
		out.Tri[i], out.Pos[i], out.Nrm[i] = tri, pos, nrm
	}
	if out != f {
		out.Seal()
	}
	return out
}

// blocksOf returns the bounds of a frame's points and of their echoes.
func (s *Scene) blocksOf(f *raster.Frame, tile *Tile) *tileBlocks {
	b := &tileBlocks{all: f.Bounds, blocks: f.Blocks, covered: f.Covered}
	type place struct {
		sheet uint16
		cell  int
	}
	seen := map[place]bool{}
	at := map[[2]int32]int{}
	some := sharing{scene: s}
	for i, t := range f.Tri {
		if !some.on(t) {
			continue
		}
		x, uv, ok := s.uvOf(f, i, tile)
		if !ok {
			continue
		}
		sheet := s.Model.TriSheet[f.Tri[i]]
		p := place{sheet, x.Cell(uv)}
		if seen[p] {
			continue
		}
		seen[p] = true
		x.Near(uv, func(t int32) {
			k := [2]int32{int32(sheet), s.Model.Island[t]}
			n, ok := at[k]
			if !ok {
				n = len(b.echoes)
				at[k] = n
				b.echoes = append(b.echoes, echo{k[0], k[1], geom.EmptyBox()})
			}
			for _, v := range s.Model.Tri[t] {
				b.echoes[n].box = b.echoes[n].box.Grow(s.Model.Pos[v])
			}
		})
	}
	if len(b.echoes) > 0 {
		b.blocks = slices.Clip(b.blocks) // the frame's own are not written
		for _, e := range b.echoes {
			b.blocks, b.all = append(b.blocks, e.box), b.all.Union(e.box)
		}
	}
	return b
}

// echoed returns the places of an echo.
func (u *Surface) echoed(e echo) *echoed {
	s := u.Scene
	k := cache.Join(e.key(u.Key), cache.Key{}, 63)
	if v, ok := s.Cache.Get(k); ok {
		return v.(*echoed)
	}
	f := u.Frame()
	out := &echoed{frame: &raster.Frame{H: 1, Footprint: f.Footprint}}
	same := 1e-5 * s.Model.Bounds.Size().Length()
	for i := range f.Tri {
		x, uv, ok := s.uvOf(f, i, u.Tile)
		if !ok || int32(s.Model.TriSheet[f.Tri[i]]) != e.sheet {
			continue
		}
		x.Places(uv, e.island, func(tri int32, pos, nrm geom.Vec3) {
			if pos.Sub(f.Pos[i]).Length() > same || nrm.Dot(f.Nrm[i]) < 0 {
				out.frame.Pos, out.frame.Nrm, out.frame.Tri = append(
					out.frame.Pos,
					pos,
				), append(
					out.frame.Nrm,
					nrm,
				), append(
					out.frame.Tri,
					tri,
				)
				out.of = append(out.of, int32(i))
			}
		})
	}
	out.frame.W = len(out.of)
	out.frame.Seal()
	s.Cache.Put(k, out)
	return out
}

// Covered marks the points of the surface of which any place lies on one of some triangles.
func (u *Surface) Covered(c *Triangles) []bool {
	f := u.Frame()
	out := make([]bool, len(f.Tri))
	for i, t := range f.Tri {
		out[i] = t >= 0 && c.On[t]
	}
	for _, e := range u.bounds().echoes {
		if !c.island[e.island] {
			continue
		}
		at := u.echoed(e)
		for k, i := range at.of {
			out[i] = out[i] || c.On[at.frame.Tri[k]]
		}
	}
	return out
}
