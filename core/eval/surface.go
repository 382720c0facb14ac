// Package eval turns a document and a place on the model into texels. Every
// intermediate result has a content key, so nothing is ever marked dirty: what
// did not change keeps its key and is found in the cache. See docs/decisions/0001.
package eval

import (
	"fmt"
	"sync"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/step"
)

// Scene is a model made ready for evaluation; it is shared by all documents.
type Scene struct {
	plainly bool // everything is evaluated everywhere: the reference that where.go is held against

	Model   *mesh.Model
	Cache   *Cache
	base    Key
	indexes []*raster.Index
	once    []sync.Once

	mu      sync.Mutex
	blocks  map[Tile]*tileBlocks
	reaches map[reachKey]bool // whether a stroke reaches a surface
	touch   map[touchKey]*touched
	plans   plans
	ways    ways // what goes over the surface needs

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
func NewScene(m *mesh.Model, cache *Cache) *Scene {
	h := newHash("scene")
	_, _ = h.h.Write(m.Hash[:])
	return &Scene{
		Model: m, Cache: cache, base: h.sum(),
		indexes: make([]*raster.Index, len(m.Sheets)), once: make([]sync.Once, len(m.Sheets)),
		blocks: map[Tile]*tileBlocks{}, reaches: map[reachKey]bool{}, touch: map[touchKey]*touched{},
	}
}

// Surface is a frame with its content key: a tile of a sheet, a patch (a window
// of one island laid flat), what a camera sees, or one point. It belongs to one
// goroutine.
type Surface struct {
	key   Key
	tile  *Tile
	patch *patch
	scene *Scene
	frame *raster.Frame
	masks map[memo]Key // keys that were asked for before
	here  *tileBlocks
	ahead bool // what lies under the layer under edit is wanted, not what is to be seen
}

// memo names a stream's key on a surface; streams are shared between documents that
// may have other baked maps and conditions.
type memo struct {
	stream *streamPlan
	facts  Key
}

// patch names a window of an island: w × h texels from (x, y) of the sheet at
// size.
type patch struct {
	sheet, size, x, y, w, h int
	island                  int32
}

// onPatch returns the surface of a patch.
func (s *Scene) onPatch(p patch) *Surface {
	k := join(s.base, Key{Hi: uint64(p.sheet)<<32 | uint64(p.size), Lo: uint64(uint32(p.island))}, 21)
	k = join(k, Key{Hi: uint64(uint32(p.x))<<32 | uint64(uint32(p.y)), Lo: uint64(p.w)<<32 | uint64(p.h)}, 22)
	return &Surface{key: k, patch: &p, scene: s}
}

func (s *Scene) index(sheet int) *raster.Index {
	s.once[sheet].Do(func() { s.indexes[sheet] = raster.NewIndex(s.Model, sheet) })
	return s.indexes[sheet]
}

// OnTile returns the surface of a tile; its frame is made when first needed.
func (s *Scene) OnTile(t Tile) *Surface {
	k := join(s.base, Key{Hi: uint64(t.Sheet), Lo: uint64(t.Size)}, uint64(t.X)<<32|uint64(t.Y))
	return &Surface{key: k, tile: &t, scene: s}
}

// OnFrame returns the surface of any other frame; id must tell frames apart. Points that
// share their texels with other places are evaluated where these texels are.
func (s *Scene) OnFrame(f *raster.Frame, id string) *Surface {
	return &Surface{key: newHash("frame").key(s.base).str(id).sum(), scene: s, frame: s.owned(f, nil)}
}

// Frame returns the points of the surface.
func (u *Surface) Frame() *raster.Frame {
	if u.frame != nil {
		return u.frame
	}
	k := join(u.key, Key{}, 7)
	if v, ok := u.scene.Cache.get(k); ok {
		u.frame = v.(*raster.Frame)
		return u.frame
	}
	s := u.scene
	if p := u.patch; p != nil {
		u.frame = s.index(p.sheet).Patch(p.island, p.size, p.x, p.y, p.w, p.h)
		s.Cache.put(k, u.frame)
		return u.frame
	}
	u.frame = s.owned(s.index(u.tile.Sheet).Tile(u.tile.Size, u.tile.X, u.tile.Y), u.tile)
	s.Cache.put(k, u.frame)
	b := s.blocksOf(u.frame, u.tile)
	s.mu.Lock()
	s.blocks[*u.tile] = b
	s.mu.Unlock()
	return u.frame
}

func (u *Surface) bounds() *tileBlocks {
	if u.tile != nil {
		u.scene.mu.Lock()
		b := u.scene.blocks[*u.tile]
		u.scene.mu.Unlock()
		if b != nil {
			return b
		}
	}
	if u.here == nil {
		f := u.Frame()
		if u.here = u.scene.blocksOf(f, u.tile); u.tile != nil {
			u.scene.mu.Lock()
			u.scene.blocks[*u.tile] = u.here
			u.scene.mu.Unlock()
		}
	}
	return u.here
}

// Empty reports whether no texel of the surface stands for a place on the model.
func (u *Surface) Empty() bool { return u.bounds().covered == 0 }

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

type reachKey struct {
	stroke  Key // its content
	surface Key
	pad     float32
}

// maxReaches bounds what is remembered of which stroke reaches which surface; dropped
// wholesale when exceeded, as it can be found again.
const maxReaches = 1 << 18

// touches reports whether a stroke, whose content is named by key, may reach the surface
// or come within pad metres of it.
func (u *Surface) touches(s *brush.Stroke, key Key, pad float32, live bool) bool {
	n := len(s.Points) - 1
	if live && n > 0 {
		return u.scene.grows(s).touches(u, s, pad, n)
	}
	k := reachKey{key, u.key, pad}
	sc := u.scene
	sc.mu.Lock()
	yes, ok := sc.reaches[k]
	sc.mu.Unlock()
	if ok {
		return yes
	}
	yes = touchesFrom(u, s, pad, 0, s.Segments())
	sc.mu.Lock()
	defer sc.mu.Unlock()
	if len(sc.reaches) > maxReaches {
		clear(sc.reaches)
	}
	sc.reaches[k] = yes
	return yes
}

func touchesFrom(u *Surface, s *brush.Stroke, pad float32, from, to int) bool {
	b := u.bounds()
	if b.covered == 0 || !b.all.Overlaps(s.Bounds(from, to).Pad(pad)) {
		return false
	}
	return s.Touches(b.blocks, pad, from, to)
}

// hit is what a stroke covers of a surface's points, and where these were hit: the places
// of the surface, or echoes of them.
type hit struct {
	*brush.Coverage
	frame   *raster.Frame
	through []int32 // of each point the echo, from 1, 0 none; nil: none of any
}

// cover returns the coverage of the whole stroke on the surface, through any place that
// its points stand for: of those that a point is hit through the strongest counts.
func (u *Surface) cover(s *brush.Stroke, live bool) (*hit, error) {
	f := u.Frame()
	own, err := u.coverOn(f, u.key, s, live)
	if err != nil {
		return nil, err
	}
	out := &hit{Coverage: own, frame: f}
	echoes := u.bounds().echoes
	if len(echoes) == 0 {
		return out, nil
	}
	box := s.Bounds(0, s.Segments())
	for n, e := range echoes {
		if !e.box.Overlaps(box) {
			continue
		}
		at := u.echoed(e)
		if len(at.of) == 0 || !at.frame.Bounds.Overlaps(box) {
			continue
		}
		c, err := u.coverOn(at.frame, e.key(u.key), s, live)
		if err != nil {
			return nil, err
		}
		out.Raise(c, at.of, func(i, k int32) {
			if !s.Elsewhere() {
				return
			}
			if out.through == nil {
				out.through, out.frame = make([]int32, len(f.Pos)), f.Copy()
			}
			out.through[i] = int32(n + 1)
			out.frame.Pos[i], out.frame.Nrm[i], out.frame.Tri[i] = at.frame.Pos[k], at.frame.Nrm[k], at.frame.Tri[k]
		})
	}
	return out, nil
}

// coverOn returns the coverage of the whole stroke on a frame; key names the frame.
func (u *Surface) coverOn(f *raster.Frame, key Key, s *brush.Stroke, live bool) (*brush.Coverage, error) {
	var tip func(a, b, footprint float32) float32
	if s.Kit != nil && s.Kit.Picture != "" {
		pic, err := u.scene.stored(s.Kit.Picture)
		if err != nil {
			return nil, fmt.Errorf("the tip of a stroke: %w", err)
		}
		tip = func(a, b, footprint float32) float32 {
			v := pic.Sample(a, b, footprint)
			return step.Luma(v[0], v[1], v[2]) * v[3]
		}
	}
	flat := func(i int) (int, geom.Vec2) {
		sheet := int(u.scene.Model.TriSheet[f.Tri[i]])
		return sheet, raster.Wrap(u.scene.index(sheet).UVAt(f.Tri[i], f.Pos[i]))
	}
	n := len(s.Points) - 1
	if !live || n == 0 { // a first point is no finished segment: nothing is kept of it
		out := s.NewCoverage(len(f.Pos))
		out.Tip, out.Flat = tip, flat
		s.Draw(f, out, 0, s.Segments())
		s.Held(f, out)
		u.scene.seen(f, s.Eye, out.Cover, nil)
		return out, u.scene.bound(f, s, out.Cover)
	}
	c := u.scene.grows(s).on(key)
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.drawn > n || c.cover == nil {
		c.cover, c.drawn = s.NewCoverage(len(f.Pos)), 0
	}
	c.cover.Tip, c.cover.Flat = tip, flat
	s.Draw(f, c.cover, c.drawn, n)
	c.drawn = n
	out := c.cover.Clone()
	s.Held(f, out)
	if s.Eye != nil && len(c.sight) != len(f.Pos) {
		c.sight = make([]int8, len(f.Pos))
	}
	u.scene.seen(f, s.Eye, out.Cover, c.sight)
	return out, u.scene.bound(f, s, out.Cover)
}
