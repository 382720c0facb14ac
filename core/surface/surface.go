// Package surface has the places that are evaluated: tiles of sheets, patches of islands
// laid flat, frames that a camera sees, each with its content key; what covers them of
// strokes and of picked triangles, through every place that their texels stand for; and
// how planes are read between the texels of other places. It knows no document.
package surface

import (
	"context"
	"sync"

	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/warp"
)

// Scene is a model made ready for evaluation; it is shared by all documents.
type Scene struct {
	Model   *mesh.Model
	Cache   *cache.Cache
	Base    cache.Key // of the model
	indexes []*index

	mu      sync.Mutex
	blocks  map[Tile]*tileBlocks
	reaches map[reachKey]bool        // whether a stroke reaches a surface
	slides  map[slideKey]*warp.Cells // which part of a slide's warp lies before a surface; nil: any
	ground  ground

	// GroundPoints is how many points the ground has; 0: as many as agents need.
	GroundPoints int

	growing []*growth          // strokes that grow, the newest last
	matches map[string]matched // of faces with their counterparts, by what was picked

	// Picture returns a stored picture by name; nil when the scene has none.
	Picture func(name string) (*pix.Picture, error)
}

// tileBlocks are the bounds of a tile's blocks, kept for every tile that was
// ever drawn: they decide which strokes a tile's key holds.
type tileBlocks struct {
	all     geom.Box
	blocks  []geom.Box
	covered int
	echoes  []echo
}

// Tile names pix.Size × pix.Size texels of a sheet at a size.
type Tile struct{ Sheet, Size, X, Y int }

// NewScene makes a scene that keeps its results in cache.
func NewScene(m *mesh.Model, c *cache.Cache) *Scene {
	h := cache.NewHash("scene")
	h.Bytes(m.Hash[:])
	return &Scene{
		Model: m, Cache: c, Base: h.Sum(),
		indexes: newIndexes(m),
		blocks:  map[Tile]*tileBlocks{}, reaches: map[reachKey]bool{}, slides: map[slideKey]*warp.Cells{},
	}
}

// index finds the places of a sheet's UVs, made when first needed.
type index struct {
	once sync.Once
	*raster.Index
}

func newIndexes(m *mesh.Model) []*index {
	out := make([]*index, len(m.Sheets))
	for i := range out {
		out[i] = &index{}
	}
	return out
}

// Fresh returns another scene of the same model that shares with it what follows from the
// model alone, and knows nothing else.
func (s *Scene) Fresh(c *cache.Cache) *Scene {
	out := NewScene(s.Model, c)
	out.indexes = s.indexes
	out.ground.share = s
	return out
}

// Surface is a frame with its content key: a tile of a sheet, a patch (a window
// of one island laid flat), what a camera sees, or one point. It belongs to one
// goroutine.
type Surface struct {
	Key   cache.Key
	Tile  *Tile
	Patch *Patch
	Scene *Scene
	frame *raster.Frame
	Known map[any]cache.Key // keys that were asked for before, by whoever makes them
	here  *tileBlocks
	Ahead bool // what lies under the layer under edit is wanted, not what is to be seen
	// Passing says that the surface is one of so many that keeping what is found on the way would drive
	// out everything else.
	Passing bool
}

// Put keeps what was found on the way of the surface.
func (u *Surface) Put(k cache.Key, v cache.Sized) {
	if u.Passing {
		u.Scene.Cache.Pass(k, v)
		return
	}
	u.Scene.Cache.Put(k, v)
}

// Patch names a window of an island: W × H texels from (X, Y) of the sheet at Size.
type Patch struct {
	Sheet, Size, X, Y, W, H int
	Island                  int32
}

// OnPatch returns the surface of a patch.
func (s *Scene) OnPatch(p Patch) *Surface {
	k := cache.Join(s.Base, cache.Key{Hi: uint64(p.Sheet)<<32 | uint64(p.Size), Lo: uint64(uint32(p.Island))}, 21)
	k = cache.Join(
		k,
		cache.Key{Hi: uint64(uint32(p.X))<<32 | uint64(uint32(p.Y)), Lo: uint64(p.W)<<32 | uint64(p.H)},
		22,
	)
	return &Surface{Key: k, Patch: &p, Scene: s}
}

// Index returns what finds the places of a sheet's UVs, made when first needed.
func (s *Scene) Index(sheet int) *raster.Index {
	x := s.indexes[sheet]
	x.once.Do(func() { x.Index = raster.NewIndex(s.Model, sheet) })
	return x.Index
}

// OnTile returns the surface of a tile; its frame is made when first needed.
func (s *Scene) OnTile(t Tile) *Surface {
	k := cache.Join(s.Base, cache.Key{Hi: uint64(t.Sheet), Lo: uint64(t.Size)}, uint64(t.X)<<32|uint64(t.Y))
	return &Surface{Key: k, Tile: &t, Scene: s}
}

// OnFrame returns the surface of any other frame; id must tell frames apart. Points that
// share their texels with other places are evaluated where these texels are.
func (s *Scene) OnFrame(f *raster.Frame, id string) *Surface {
	return &Surface{Key: cache.NewHash("frame").Key(s.Base).Str(id).Sum(), Scene: s, frame: s.owned(f, nil)}
}

// At returns the surface of a frame without a name: of what is read there nothing is kept.
func (s *Scene) At(f *raster.Frame) *Surface { return &Surface{Scene: s, frame: f} }

// Frame returns the points of the surface.
func (u *Surface) Frame() *raster.Frame {
	if u.frame != nil {
		return u.frame
	}
	k := cache.Join(u.Key, cache.Key{}, 7)
	// without an error, and without an end before it is there
	u.frame, _ = cache.Once(context.Background(), u.Scene.Cache, k, func() (*raster.Frame, bool, error) { return u.found(k), true, nil })
	return u.frame
}

// found makes the points of the surface and keeps them.
func (u *Surface) found(k cache.Key) *raster.Frame {
	s := u.Scene
	if p := u.Patch; p != nil {
		f := s.Index(p.Sheet).Patch(p.Island, p.Size, p.X, p.Y, p.W, p.H)
		s.Cache.Put(k, f)
		return f
	}
	f := s.owned(s.Index(u.Tile.Sheet).Tile(u.Tile.Size, u.Tile.X, u.Tile.Y), u.Tile)
	u.Put(k, f)
	b := s.blocksOf(f, u.Tile)
	s.mu.Lock()
	s.blocks[*u.Tile] = b
	s.mu.Unlock()
	return f
}

func (u *Surface) bounds() *tileBlocks {
	if u.Tile != nil {
		u.Scene.mu.Lock()
		b := u.Scene.blocks[*u.Tile]
		u.Scene.mu.Unlock()
		if b != nil {
			return b
		}
	}
	if u.here == nil {
		f := u.Frame()
		if u.here = u.Scene.blocksOf(f, u.Tile); u.Tile != nil {
			u.Scene.mu.Lock()
			u.Scene.blocks[*u.Tile] = u.here
			u.Scene.mu.Unlock()
		}
	}
	return u.here
}

// EachTexel calls f for every texel of a tile's surface that stands for something, with its index
// in the tile's planes and in its sheet.
func (u *Surface) EachTexel(f func(at, texel int)) {
	u.EachRun(func(at, texel, n int) {
		for k := range n {
			f(at+k, texel+k)
		}
	})
}

// EachRun is EachTexel for rows of n such texels beside each other.
func (u *Surface) EachRun(f func(at, texel, n int)) {
	t, frame := u.Tile, u.Frame()
	size := min(pix.Size, t.Size)
	for y := range size {
		first := (y+pix.Margin)*pix.Pitch + pix.Margin
		row := frame.Tri[first : first+size]
		texel := (t.Y*pix.Size+y)*t.Size + t.X*pix.Size
		for x := 0; x < size; x++ {
			if row[x] < 0 {
				continue
			}
			from := x
			for x < size && row[x] >= 0 {
				x++
			}
			f(first+from, texel+from, x-from)
		}
	}
}

// UV returns where point i of the surface lies on its sheet, and the sheet's index. The
// points of a tile that lie on its own texels need no search.
func (u *Surface) UV(i int) (*raster.Index, geom.Vec2) {
	f := u.frame
	x := u.Scene.Index(int(u.Scene.Model.TriSheet[f.Tri[i]]))
	if t := u.Tile; t != nil && f.Inside[i] {
		inv := 1 / float32(t.Size)
		row := uint32(i) / uint32(f.W) // divided as short numbers, in half the time
		col := uint32(i) - row*uint32(f.W)
		return x, geom.Vec2{
			X: (float32(t.X*pix.Size-pix.Margin+int(col)) + 0.5) * inv,
			Y: (float32(t.Y*pix.Size-pix.Margin+int(row)) + 0.5) * inv,
		}
	}
	return x, x.UVAt(f.Tri[i], f.Pos[i])
}

// Bounds returns the box around the surface's points and their echoes.
func (u *Surface) Bounds() geom.Box { return u.bounds().all }

// Empty reports whether no texel of the surface stands for a place on the model.
func (u *Surface) Empty() bool { return u.bounds().covered == 0 }

// Within reports whether the box around the surface's points overlaps another.
func (u *Surface) Within(box geom.Box) bool {
	b := u.bounds()
	return b.covered > 0 && b.all.Overlaps(box)
}

// IsFrame reports whether the surface is a frame of several points: neither a tile nor a
// patch nor one point.
func (u *Surface) IsFrame() bool { return u.Tile == nil && u.Patch == nil && len(u.frame.Pos) > 1 }

// Tiles lists the tiles of a sheet at a size, by rows.
func Tiles(sheet, size int) []Tile {
	var t []Tile
	n := max(size/pix.Size, 1)
	for y := range n {
		for x := range n {
			t = append(t, Tile{sheet, size, x, y})
		}
	}
	return t
}
