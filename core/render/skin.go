package render

import (
	"cmp"
	"context"
	"encoding/binary"
	"math"
	"runtime"
	"slices"
	"sync"

	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/par"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// skin is what the texels of a sheet are made of, for rays that meet it anywhere: blocks, each as fine
// as it is looked at.
type skin struct {
	size, across int      // of the finest lattice of its blocks, and that lattice's tiles along a side
	of           []*Block // by tile of that lattice, row by row
	shines       bool     // some of it is emissive; by look
}

// Block is a tile of a sheet with its margin, made ready for rays.
type Block struct {
	Tile   surface.Tile
	texels []texel // pix.Pitch along a side
	// a place of the sheet, 0..1, times size, less these, is one of texels' middles
	size, left, top float32
}

func newBlock(t surface.Tile) *Block {
	const middle = 0.5 - pix.Margin
	return &Block{
		t, make([]texel, pix.Pitch*pix.Pitch),
		float32(t.Size), float32(t.X*pix.Size) + middle, float32(t.Y*pix.Size) + middle,
	}
}

// texel is kept small: there are millions. Colours are kept as the root of linear light.
type texel struct {
	color, emits        [3]uint16
	bend                [2]int16 // x and y of the normal in tangent space
	height              int16    // micrometres
	rough, metal, solid uint8
	more                [moreCount]uint8
}

// moreUsual is what the channels of stack.More hold in a project that has not got them.
var moreUsual = func() (v [moreCount]uint8) {
	for i, m := range stack.More {
		v[i] = pix.Byte(m.Default[0])
	}
	return v
}()

// usualMore is that as shares.
var usualMore = func() (v [moreCount]float32) {
	for i, u := range moreUsual {
		v[i] = float32(u) / 255
	}
	return v
}()

const (
	moreSpecular = iota
	moreCoat
	moreCoatRough
	moreFuzz
	moreTransmission
	moreScattering
	moreAniso
	moreCount
)

// SkinTexel is how many bytes a texel of a still takes.
const SkinTexel = 28

// skinSizes are the sizes at which sheets are evaluated: their own, halved until all sheets together
// have at most so many texels.
func skinSizes(p *eval.Program, most int) []int {
	sizes := make([]int, len(p.Scene.Model.Sheets))
	total := 0
	for i, s := range p.Scene.Model.Sheets {
		sizes[i] = max(p.Doc.Sheets[s.Name].Size, 64)
		total += sizes[i] * sizes[i]
	}
	for total > most {
		big := 0
		for i, s := range sizes {
			if s > sizes[big] {
				big = i
			}
		}
		if sizes[big] <= 64 {
			break
		}
		total -= sizes[big] * sizes[big] * 3 / 4
		sizes[big] /= 2
	}
	return sizes
}

// Sheets lists tiles of all sheets, with at most so many texels together.
func Sheets(p *eval.Program, most int) (tiles []surface.Tile) {
	for i, size := range skinSizes(p, most) {
		tiles = append(tiles, surface.Tiles(i, size)...)
	}
	return tiles
}

// Evaluate makes tiles of sheets ready for rays, on all cores.
func Evaluate(ctx context.Context, p *eval.Program, tiles []surface.Tile, tell func(share float64)) ([]*Block, error) {
	out := make([]*Block, len(tiles))
	var mu sync.Mutex
	done := 0
	g, gctx := par.WithContext(ctx)
	g.SetLimit(runtime.NumCPU())
	for i, t := range tiles {
		g.Go(func() (err error) {
			if err = gctx.Err(); err != nil {
				return err
			}
			if out[i], err = block(gctx, p, t); err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			if done++; tell != nil {
				tell(float64(done) / float64(len(tiles)))
			}
			return gctx.Err()
		})
	}
	return out, g.Wait()
}

// lay puts blocks together: where several show the same, the finest one is taken. All of every sheet is
// shown by some of them.
func lay(count int, all []*Block) []skin {
	out := make([]skin, count)
	for _, b := range all {
		out[b.Tile.Sheet].size = max(out[b.Tile.Sheet].size, b.Tile.Size)
	}
	for i := range out {
		s := &out[i]
		s.across = max(s.size/pix.Size, 1)
		s.of = make([]*Block, s.across*s.across)
	}
	all = slices.Clone(all)
	slices.SortStableFunc(all, func(a, b *Block) int { return cmp.Compare(a.Tile.Size, b.Tile.Size) })
	for _, b := range all {
		s := &out[b.Tile.Sheet]
		eachUnder(b.Tile, s.size, func(x, y int) { s.of[y*s.across+x] = b })
	}
	for i := range out {
		out[i].join()
	}
	return out
}

// eachUnder calls f for the tiles, by column and row, of a finer lattice of the same sheet that a tile
// covers.
func eachUnder(t surface.Tile, size int, f func(x, y int)) {
	n := max(size/max(t.Size, pix.Size), 1)
	for y := t.Y * n; y < (t.Y+1)*n; y++ {
		for x := t.X * n; x < (t.X+1)*n; x++ {
			f(x, y)
		}
	}
}

// join takes the margins of blocks from their neighbours, where these are as fine: a slope in a margin
// is taken to one side alone.
func (s *skin) join() {
	const last = pix.Pitch - 1
	for y := range s.across {
		for x := range s.across {
			b := s.of[y*s.across+x]
			if b.Tile.Size != s.size {
				continue
			}
			if x > 0 {
				if a := s.of[y*s.across+x-1]; a.Tile.Size == s.size {
					for k := range pix.Pitch {
						b.texels[k*pix.Pitch] = a.texels[k*pix.Pitch+pix.Size]
						a.texels[k*pix.Pitch+last] = b.texels[k*pix.Pitch+pix.Margin]
					}
				}
			}
			if y > 0 {
				if a := s.of[(y-1)*s.across+x]; a.Tile.Size == s.size {
					copy(b.texels[:pix.Pitch], a.texels[pix.Size*pix.Pitch:])
					copy(a.texels[last*pix.Pitch:], b.texels[pix.Margin*pix.Pitch:][:pix.Pitch])
				}
			}
		}
	}
}

// evenSkin is the same all over.
func evenSkin(t texel) skin {
	b := newBlock(surface.Tile{Size: 1})
	for i := range b.texels {
		b.texels[i] = t
	}
	return skin{size: 1, across: 1, of: []*Block{b}}
}

// nothing is a texel of what no surface has.
var nothing = texel{rough: 128, solid: 255, more: moreUsual}

// block makes a tile of a sheet ready for rays.
func block(ctx context.Context, p *eval.Program, t surface.Tile) (*Block, error) {
	b := newBlock(t)
	u := p.Scene.OnTile(t)
	if u.Empty() {
		for i := range b.texels {
			b.texels[i] = nothing
		}
		return b, nil
	}
	of := func(c stack.Channel) ([]pix.Plane, error) { return p.Channel(ctx, u, c) }
	base, err := of(stack.BaseColor)
	if err != nil {
		return nil, err
	}
	emits, err := of(stack.Emissive)
	if err != nil {
		return nil, err
	}
	normal, err := p.Normal(ctx, u)
	if err != nil {
		return nil, err
	}
	var plain [4]pix.Plane
	for i, c := range []stack.Channel{stack.Roughness, stack.Metallic, stack.Opacity, stack.Height} {
		v, err := of(c)
		if err != nil {
			return nil, err
		}
		plain[i] = v[0]
	}
	var more [moreCount]pix.Plane
	var has [moreCount]bool
	for i, m := range stack.More {
		if _, ok := p.Doc.Info(m.Channel); !ok {
			continue
		}
		v, err := of(m.Channel)
		if err != nil {
			return nil, err
		}
		more[i], has[i] = v[0], true
	}
	f := u.Frame()
	covered := make([]bool, len(b.texels))
	for at := range b.texels {
		x := &b.texels[at]
		if *x = nothing; f.Tri[at] < 0 {
			continue
		}
		covered[at] = true
		for k := range 3 {
			x.color[k], x.emits[k] = root(base[k].At(at)), root(emits[k].At(at))
		}
		x.bend = [2]int16{whole15(normal[0].At(at)), whole15(normal[1].At(at))}
		x.rough, x.metal, x.solid = pix.Byte(plain[0].At(at)), pix.Byte(plain[1].At(at)), pix.Byte(plain[2].At(at))
		x.height = int16(min(max(plain[3].At(at)*1e6, -32767), 32767))
		for k := range more {
			if has[k] {
				x.more[k] = pix.Byte(more[k].At(at))
			}
		}
	}
	for k, from := range pix.Nearest(covered, pix.Pitch) {
		if from >= 0 && int(from) != k {
			b.texels[k] = b.texels[from]
		}
	}
	return b, nil
}

// append writes a texel as SkinTexel bytes, read reads it.
func (t *texel) append(b []byte) []byte {
	for _, v := range [...]uint16{
		t.color[0], t.color[1], t.color[2], t.emits[0], t.emits[1], t.emits[2],
		uint16(t.bend[0]), uint16(t.bend[1]), uint16(t.height),
	} {
		b = binary.LittleEndian.AppendUint16(b, v)
	}
	return append(append(b, t.rough, t.metal, t.solid), t.more[:]...)
}

func (t *texel) read(b []byte) {
	get := func(i int) uint16 { return binary.LittleEndian.Uint16(b[2*i:]) }
	t.color, t.emits = [3]uint16{get(0), get(1), get(2)}, [3]uint16{get(3), get(4), get(5)}
	t.bend, t.height = [2]int16{int16(get(6)), int16(get(7))}, int16(get(8))
	b = b[18:]
	t.rough, t.metal, t.solid = b[0], b[1], b[2]
	copy(t.more[:], b[3:])
}

// Pack writes blocks as bytes: of each its tile as four numbers of 32 bits (sheet, size, column, row) and
// its texels, SkinTexel bytes each, by rows, lowest byte first; all of it as zstd.
func Pack(all []*Block) ([]byte, error) {
	var b []byte
	for _, k := range all {
		for _, v := range []int{k.Tile.Sheet, k.Tile.Size, k.Tile.X, k.Tile.Y} {
			b = binary.LittleEndian.AppendUint32(b, uint32(v))
		}
		for i := range k.texels {
			b = k.texels[i].append(b)
		}
	}
	return packed(b)
}

// Unpack reads what Pack wrote, of a model with so many sheets. What is cut off, names a sheet or a tile
// that there is not, or is larger than a gigabyte is an error.
func Unpack(b []byte, count int) ([]*Block, error) {
	b, err := unpacked(b, 1<<30)
	if err != nil {
		return nil, err
	}
	var all []*Block
	for len(b) > 0 {
		var t [4]int
		if len(b) < 4*len(t) {
			return nil, errPiece
		}
		for i := range t {
			t[i] = int(binary.LittleEndian.Uint32(b[4*i:]))
		}
		b = b[4*len(t):]
		k := newBlock(surface.Tile{Sheet: t[0], Size: t[1], X: t[2], Y: t[3]})
		if n := max(t[1]/pix.Size, 1); t[0] >= count || t[1] > 1<<16 || t[2] >= n || t[3] >= n {
			return nil, errPiece
		}
		if len(b) < len(k.texels)*SkinTexel {
			return nil, errPiece
		}
		for i := range k.texels {
			k.texels[i].read(b[i*SkinTexel:])
		}
		b = b[len(k.texels)*SkinTexel:]
		all = append(all, k)
	}
	return all, nil
}

// root is the root of the linear light of an sRGB value, in 16 bits.
func root(v float32) uint16 {
	l := pix.DecodeSRGB(min(max(v, 0), 1))
	return uint16(math.Sqrt(float64(l))*65535 + 0.5)
}

func whole15(v float32) int16 { return int16(min(max(v, -1), 1) * 32767) }

// place is what a place of a sheet is made of: colours linear, all others shares.
type place struct {
	color, emits        [3]float32
	bend                geom.Vec3
	rough, metal, solid float32
	more                [moreCount]float32
}

// look finds out whether it shines, whether light passes anywhere, and whether a channel beyond the usual
// ones changes anything.
func (s *skin) look(solid, usual *bool) {
	var last *Block
	for _, b := range s.of {
		if b == last {
			continue
		}
		last = b
		for i := range b.texels {
			t := &b.texels[i]
			if t.solid != 255 || t.more[moreTransmission] != 0 {
				*solid = false
			}
			if t.more != moreUsual {
				*usual = false
			}
			if t.emits != ([3]uint16{}) {
				s.shines = true
			}
		}
	}
}

// block is the block that shows a place of the sheet, and the place there: the texel to the left of it
// and above, and how far it is from its middle, 0..1.
func (s *skin) block(uv geom.Vec2) (b *Block, at int, ax, ay float32) {
	u, v := uv.X-floor(uv.X), uv.Y-floor(uv.Y)
	n := float32(s.across)
	b = s.of[min(int(v*n), s.across-1)*s.across+min(int(u*n), s.across-1)]
	x, y := u*b.size-b.left, v*b.size-b.top
	x0, y0 := min(max(int(x), 0), pix.Pitch-2), min(max(int(y), 0), pix.Pitch-2)
	return b, y0*pix.Pitch + x0, x - float32(x0), y - float32(y0)
}

// height is the height at a place, metres.
func (s *skin) height(uv geom.Vec2) float32 {
	b, at, ax, ay := s.block(uv)
	t := b.texels[at:]
	h := func(i int) float32 { return float32(t[i].height) }
	top, low := h(0)+(h(1)-h(0))*ax, h(pix.Pitch)+(h(pix.Pitch+1)-h(pix.Pitch))*ax
	return (top + (low-top)*ay) * 1e-6
}

// at reads between four texels; usual: all of them have the usual ones of the channels beyond.
func (s *skin) at(uv geom.Vec2, p *place, usual bool) {
	b, first, ax, ay := s.block(uv)
	*p = place{}
	var bend [2]float32
	for i, w := range [4]float32{(1 - ax) * (1 - ay), ax * (1 - ay), (1 - ax) * ay, ax * ay} {
		t := &b.texels[first+[4]int{0, 1, pix.Pitch, pix.Pitch + 1}[i]]
		for k := range 3 {
			c, e := float32(t.color[k])*(1.0/65535), float32(t.emits[k])*(1.0/65535)
			p.color[k] += w * c * c
			p.emits[k] += w * e * e
		}
		bend[0] += w * float32(t.bend[0])
		bend[1] += w * float32(t.bend[1])
		b := w * (1.0 / 255)
		p.rough += b * float32(t.rough)
		p.metal += b * float32(t.metal)
		p.solid += b * float32(t.solid)
		if usual {
			continue
		}
		for k := range p.more {
			p.more[k] += b * float32(t.more[k])
		}
	}
	if usual {
		p.more = usualMore
	}
	bx, by := bend[0]*(1.0/32767), bend[1]*(1.0/32767)
	p.bend = geom.V3(bx, by, sqrt32(max(1-bx*bx-by*by, 0.01)))
}

func floor(v float32) float32 { return float32(math.Floor(float64(v))) }

func sqrt32(v float32) float32 { return float32(math.Sqrt(float64(v))) }
