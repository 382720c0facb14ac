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
	Model   *mesh.Model
	Cache   *Cache
	base    Key
	indexes []*raster.Index
	once    []sync.Once

	mu     sync.Mutex
	blocks map[Tile]*tileBlocks
	covers map[coverKey]*covering
	touch  map[touchKey]*touched
	plans  map[planKey]*layerPlan // of the layers of the last compiled document
	ways   ways                   // what goes over the surface needs

	takings map[takingKey]*taking // of live strokes
	matches map[string]matched    // of faces with their counterparts, by what was picked

	// Picture returns a stored picture by name; nil when the scene has none.
	Picture func(name string) (*pix.Picture, error)
}

// tileBlocks are the bounds of a tile's blocks, kept for every tile that was
// ever drawn: they decide which strokes a tile's key holds.
type tileBlocks struct {
	all     geom.Box
	blocks  []geom.Box
	covered int
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
		blocks: map[Tile]*tileBlocks{}, covers: map[coverKey]*covering{},
		plans: map[planKey]*layerPlan{}, touch: map[touchKey]*touched{},
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
	ahead bool         // what lies under the layer under edit is wanted, not what is to be seen
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

// OnFrame returns the surface of any other frame; id must tell frames apart.
func (s *Scene) OnFrame(f *raster.Frame, id string) *Surface {
	return &Surface{key: newHash("frame").key(s.base).str(id).sum(), scene: s, frame: f}
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
	u.frame = s.index(u.tile.Sheet).Tile(u.tile.Size, u.tile.X, u.tile.Y)
	s.Cache.put(k, u.frame)
	s.mu.Lock()
	s.blocks[*u.tile] = &tileBlocks{u.frame.Bounds, u.frame.Blocks, u.frame.Covered}
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
	f := u.Frame()
	return &tileBlocks{f.Bounds, f.Blocks, f.Covered}
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

type coverKey struct {
	stroke  string
	surface Key
	pad     float32
}

// covering is the coverage of one stroke on one surface so far. A live stroke
// grows; its coverage is then extended, not made again.
type covering struct {
	mu      sync.Mutex
	touched bool
	tested  int // segments tested for touching
	drawn   int // segments in cover
	cover   *brush.Coverage
	sight   []int8 // of a stroke that paints what is seen: 1 seen, 2 hidden, 0 not asked yet
}

// maxCoverings bounds what is remembered of which stroke touches which surface;
// dropped wholesale when exceeded, as it can be made again.
const maxCoverings = 1 << 18

func (u *Surface) covering(s *brush.Stroke, pad float32) *covering {
	sc := u.scene
	sc.mu.Lock()
	defer sc.mu.Unlock()
	k := coverKey{s.ID, u.key, pad}
	c := sc.covers[k]
	if c == nil {
		if len(sc.covers) > maxCoverings {
			clear(sc.covers)
		}
		c = &covering{}
		sc.covers[k] = c
	}
	return c
}

// touches reports whether the stroke may reach the surface or come within pad
// metres of it.
func (u *Surface) touches(s *brush.Stroke, pad float32) bool {
	c := u.covering(s, pad)
	c.mu.Lock()
	defer c.mu.Unlock()
	n := len(s.Points) - 1
	if n == 0 || c.tested > n { // a first point, or an older state of a live stroke
		return touchesFrom(u, s, pad, 0, s.Segments())
	}
	if !c.touched && c.tested < n {
		c.touched = touchesFrom(u, s, pad, c.tested, n)
	}
	c.tested = n
	return c.touched
}

func touchesFrom(u *Surface, s *brush.Stroke, pad float32, from, to int) bool {
	b := u.bounds()
	if b.covered == 0 || !b.all.Overlaps(s.Bounds(from, to).Pad(pad)) {
		return false
	}
	return s.Touches(b.blocks, pad, from, to)
}

// cover returns the coverage of the whole stroke on the surface.
func (u *Surface) cover(s *brush.Stroke, live bool) (*brush.Coverage, error) {
	f := u.Frame()
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
		return sheet, u.scene.index(sheet).UVAt(f.Tri[i], f.Pos[i])
	}
	n := len(s.Points) - 1
	if !live || n == 0 { // a first point is no finished segment: nothing is kept of it
		out := s.NewCoverage(len(f.Pos))
		out.Tip, out.Flat = tip, flat
		s.Draw(f, out, 0, s.Segments())
		s.Held(f, out)
		u.scene.seen(f, s.Eye, out.Cover, nil)
		return out, nil
	}
	c := u.covering(s, 0)
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
	return out, nil
}

// Forget drops what was kept to extend a live stroke.
func (s *Scene) Forget(strokeID string) {
	// a covering's lock may be held by one who waits for the scene's: never take
	// the two the other way round
	var found []*covering
	s.mu.Lock()
	for k, c := range s.covers {
		if k.stroke == strokeID {
			found = append(found, c)
		}
	}
	for k := range s.takings {
		if k.stroke == strokeID {
			delete(s.takings, k)
		}
	}
	s.mu.Unlock()
	for _, c := range found {
		c.mu.Lock()
		c.cover, c.sight, c.drawn = nil, nil, 0
		c.mu.Unlock()
	}
}
