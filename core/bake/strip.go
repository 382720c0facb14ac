package bake

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"runtime"

	"velvetgrime/core/par"
	"velvetgrime/core/pix"

	"github.com/klauspost/compress/zstd"
)

// Piece is a row of tiles of one sheet: what a bake is cut into, so that it shows
// progress, can be stopped and goes on from what is done.
type Piece struct {
	Sheet int
	Row   int
}

// tile is the edge of a tile in texels; small sheets are one tile.
func (b *Baker) tile() int { return min(pix.Size/b.Smooth, b.Size) }

// Pieces lists the work; sheets without UVs have none.
func (b *Baker) Pieces() []Piece {
	var out []Piece
	for s, sheet := range b.Low.Sheets {
		for r := 0; sheet.HasUV && r < b.Size/b.rows(); r++ {
			out = append(out, Piece{s, r})
		}
	}
	return out
}

// rows is how many rows of texels a piece has.
func (b *Baker) rows() int { return min(pix.Size, b.Size) }

// Strip is a baked piece: for each map its values by rows, components together,
// and which texels lie on the surface.
type Strip struct {
	Piece
	Covered []bool
	Maps    [][]float32 // in the order of Baker.Maps
}

// Bake measures one piece on all processors. It stops within a tile's row when
// ctx ends.
func (b *Baker) Bake(ctx context.Context, p Piece) (*Strip, error) {
	rows := b.rows()
	s := &Strip{Piece: p, Covered: make([]bool, rows*b.Size)}
	for _, m := range b.Maps {
		s.Maps = append(s.Maps, make([]float32, rows*b.Size*m.Components))
	}
	edge := b.tile()
	g, gctx := par.WithContext(ctx)
	g.SetLimit(runtime.NumCPU())
	for y := 0; y < rows; y += edge {
		for x := 0; x < b.Size; x += edge {
			g.Go(func() error { return b.bakeTile(gctx, s, x, y) })
		}
	}
	return s, g.Wait()
}

// bakeTile fills the square at (x, y) of the strip: its texels are evaluated at
// Smooth × Smooth places each, of which those on the surface are averaged.
func (b *Baker) bakeTile(ctx context.Context, s *Strip, x, y int) error {
	k, edge := b.Smooth, b.tile()
	size := b.Size * k
	f := b.index[s.Sheet].Tile(size, x*k/pix.Size, (s.Row*b.rows()+y)*k/pix.Size)
	if f.Covered == 0 {
		return ctx.Err()
	}
	w := b.worker()
	defer w.end()
	sum := make([]float32, 4*len(b.Maps))
	sites := make([]site, 0, k*k)
	for ty := range edge {
		if err := par.Turn(ctx); err != nil {
			return err
		}
		for tx := range edge {
			sites = sites[:0]
			for sub := range k * k {
				fx, fy := tx*k+sub%k, ty*k+sub/k
				i := (fy+pix.Margin)*pix.Pitch + fx + pix.Margin
				if f.Inside[i] {
					w.look(f, i, (x*k+fx)+(s.Row*b.rows()+y)*k*size+fy*size)
					sites = append(sites, w.site)
				}
			}
			if len(sites) == 0 {
				continue
			}
			at := (y+ty)*b.Size + x + tx
			s.Covered[at] = true
			clear(sum)
			w.measure(sites, sum)
			for mi, m := range b.Maps {
				copy(s.Maps[mi][at*m.Components:(at+1)*m.Components], sum[4*mi:])
			}
		}
	}
	return nil
}

// even is the cosine between normals of one texel's places above which one of them
// stands for all in the maps that cost rays.
const even = 0.98

// measure writes the means of a texel's places, four numbers a map. Where its
// places see the same, one of them casts all of the texel's rays: a bundle of 64
// costs far less than four of 16.
func (w *worker) measure(sites []site, sum []float32) {
	alike := len(sites) == w.Smooth*w.Smooth
	for i := range sites[1:] {
		a, b := &sites[0], &sites[i+1]
		alike = alike && a.nrm.Dot(b.nrm) > even && a.missed == b.missed && a.group == b.group
	}
	one := int(sites[0].seed>>20) % len(sites)
	w.full = alike
	for i := range sites {
		w.stand(&sites[i])
		for mi, m := range w.Maps {
			share := 1 / float32(len(sites))
			switch {
			case m.flat && i > 0, m.Rays && alike && i != one:
				continue
			case m.flat, m.Rays && alike:
				share = 1
			}
			var value [4]float32
			m.at(w, &w.site, value[:m.Components])
			for c := range m.Components {
				sum[4*mi+c] += value[c] * share
			}
		}
	}
}

// Image is one finished map of one sheet.
type Image struct {
	Map        string
	Sheet      int
	Size       int
	Components int
	Range      [2]float32 // what 0 and 1 of a whole-number picture stand for
	Data       []float32  // Size × Size × Components by rows, V downward
	Covered    []bool     // the texel lies on the surface; others were carried outward
}

// Assemble joins the strips of a sheet (strip returns them by row) to the map
// number mi and carries its islands outward.
func (b *Baker) Assemble(ctx context.Context, sheet, mi int, strip func(row int) (*Strip, error)) (*Image, error) {
	m := b.Maps[mi]
	img := &Image{Map: m.Name, Sheet: sheet, Size: b.Size, Components: m.Components, Range: m.values(b),
		Data: make([]float32, b.Size*b.Size*m.Components), Covered: make([]bool, b.Size*b.Size)}
	n := b.rows()
	for r := range b.Size / n {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		s, err := strip(r)
		if err != nil {
			return nil, err
		}
		copy(img.Data[r*n*b.Size*m.Components:], s.Maps[mi])
		copy(img.Covered[r*n*b.Size:], s.Covered)
	}
	if m.Name == "normal" || m.Name == "normal-world" || m.Name == "bent" {
		for i := 0; i < len(img.Data); i += 3 {
			v := img.Data[i : i+3]
			if l := float32(math.Sqrt(float64(v[0]*v[0] + v[1]*v[1] + v[2]*v[2]))); l > 1e-12 {
				v[0], v[1], v[2] = v[0]/l, v[1]/l, v[2]/l
			}
		}
	}
	img.dilate(b.Dilate)
	return img, nil
}

// dilate carries the islands outward by up to n texels (−1: everywhere): a texel
// outside takes the value of the nearest one inside.
func (m *Image) dilate(n int) {
	if n == 0 {
		return
	}
	c := m.Components
	for i, f := range pix.Nearest(m.Covered, m.Size) {
		if f >= 0 && !m.Covered[i] && (n < 0 || pix.Apart2(i, int(f), m.Size) <= n*n) {
			copy(m.Data[i*c:i*c+c], m.Data[int(f)*c:int(f)*c+c])
		}
	}
}

// Bytes packs a strip for keeping: a checkpoint of a long bake.
func (s *Strip) Bytes() ([]byte, error) {
	var raw bytes.Buffer
	write := func(v any) { _ = binary.Write(&raw, binary.LittleEndian, v) }
	write([3]int32{int32(s.Sheet), int32(s.Row), int32(len(s.Maps))})
	write(int32(len(s.Covered)))
	write(s.Covered)
	for _, m := range s.Maps {
		write(int32(len(m)))
		write(m)
	}
	e, err := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest))
	if err != nil {
		return nil, err
	}
	defer e.Close()
	return e.EncodeAll(raw.Bytes(), nil), nil
}

// ParseStrip reads what Bytes packed; it fails when that was made for other maps
// or another size.
func (b *Baker) ParseStrip(data []byte) (*Strip, error) {
	d, err := zstd.NewReader(nil, zstd.WithDecoderMaxMemory(4<<30))
	if err != nil {
		return nil, err
	}
	defer d.Close()
	raw, err := d.DecodeAll(data, nil)
	if err != nil {
		return nil, fmt.Errorf("a kept piece of the bake is damaged: %w", err)
	}
	r := bytes.NewReader(raw)
	var head [4]int32
	s := &Strip{}
	if err := binary.Read(r, binary.LittleEndian, &head); err != nil || int(head[2]) != len(b.Maps) ||
		int(head[3]) != b.rows()*b.Size {
		return nil, fmt.Errorf("a kept piece belongs to another bake")
	}
	s.Piece = Piece{int(head[0]), int(head[1])}
	s.Covered = make([]bool, head[3])
	if err := binary.Read(r, binary.LittleEndian, s.Covered); err != nil {
		return nil, io.ErrUnexpectedEOF
	}
	for _, m := range b.Maps {
		var n int32
		if err := binary.Read(r, binary.LittleEndian, &n); err != nil || int(n) != int(head[3])*m.Components {
			return nil, fmt.Errorf("a kept piece belongs to another bake")
		}
		v := make([]float32, n)
		if err := binary.Read(r, binary.LittleEndian, v); err != nil {
			return nil, io.ErrUnexpectedEOF
		}
		s.Maps = append(s.Maps, v)
	}
	return s, nil
}
