package render

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"runtime"
	"slices"
	"sync"

	"velvetgrime/core/par"

	"github.com/klauspost/compress/zstd"
)

// Film gathers paths: sums over the samples of each pixel, by rows from the upper left corner.
type Film struct {
	W, H int
	// Samples is how many paths of each pixel it holds.
	Samples int
	// Sum is red, green and blue; Square the square of each path's luminance; Albedo and Normal
	// three each; Depth the distance to what is met, metres; Covered how many met something.
	Sum, Albedo, Normal    []float32
	Square, Depth, Covered []float32
	// ID is the part that the first path met: −1 the floor, −2 nothing.
	ID []int32
}

// NewFilm returns an empty one.
func NewFilm(w, h int) *Film {
	n := w * h
	return &Film{
		W: w, H: h, Sum: make([]float32, 3*n), Albedo: make([]float32, 3*n), Normal: make([]float32, 3*n),
		Square: make([]float32, n), Depth: make([]float32, n), Covered: make([]float32, n), ID: make([]int32, n),
	}
}

// Clone is another film of the same paths.
func (f *Film) Clone() *Film {
	c := *f
	for _, p := range []*[]float32{&c.Sum, &c.Albedo, &c.Normal, &c.Square, &c.Depth, &c.Covered} {
		*p = slices.Clone(*p)
	}
	c.ID = slices.Clone(f.ID)
	return &c
}

// FilmBytes is what a film of w × h pixels takes in memory, in bytes.
func FilmBytes(w, h int) int64 { return int64(w) * int64(h) * (9 + 3 + 1) * 4 }

// tile is how many pixels wide and high the pieces are that are traced beside each other.
const tile = 32

// Trace follows count paths of each pixel, from the path number first on. What it returns does
// not depend on how many processors there are. tell, when it is not nil, is told what share is done.
func (t *Traced) Trace(ctx context.Context, first, count int, tell func(share float64)) (*Film, error) {
	if err := par.Turn(ctx); err != nil { // who has nothing to look at comes first
		return nil, err
	}
	s := &t.Still
	f := NewFilm(s.W, s.H)
	f.Samples = count
	across := (s.W + tile - 1) / tile
	pieces := across * ((s.H + tile - 1) / tile)
	var mu sync.Mutex
	next, done := 0, 0
	g, gctx := par.WithContext(ctx)
	for range runtime.NumCPU() {
		g.Go(func() error {
			tr := &tracer{Traced: t}
			for {
				mu.Lock()
				i := next
				next++
				mu.Unlock()
				if i >= pieces {
					return nil
				}
				for y := i / across * tile; y < min((i/across+1)*tile, s.H); y++ {
					if err := gctx.Err(); err != nil {
						return err
					}
					for x := i % across * tile; x < min((i%across+1)*tile, s.W); x++ {
						tr.pixel(f, x, y, first, count)
					}
				}
				mu.Lock()
				if done++; tell != nil {
					tell(float64(done) / float64(pieces))
				}
				mu.Unlock()
			}
		})
	}
	return f, g.Wait()
}

func (t *tracer) pixel(f *Film, x, y, first, count int) {
	i := y*f.W + x
	var s seen
	f.ID[i] = -2
	for n := range count {
		d := newDraws(uint32(y)<<16|uint32(x), uint32(first+n), t.Still.Seed)
		px, py := d.next(), d.next()
		c := t.path(float32(x)+tent(px), float32(y)+tent(py), &d, &s)
		ok := true
		for _, v := range c {
			ok = ok && v == v && v < 1e12
		}
		if !ok {
			continue // a number that is none would stay for good
		}
		l := 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2]
		f.Square[i] += l * l
		for k := range 3 {
			f.Sum[3*i+k] += c[k]
			f.Albedo[3*i+k] += s.albedo[k]
			f.Normal[3*i+k] += s.nrm[k]
		}
		f.Covered[i] += s.covered
		if s.covered > 0 {
			f.Depth[i] += s.depth
		}
		if n == 0 {
			f.ID[i] = s.id
		}
	}
}

// wide is half of the width of what a pixel sees, in pixels: what is nearer to its middle counts
// for more.
const wide = 0.75

// tent is a place around a pixel's middle by a tent, from an even number.
func tent(u float32) float32 {
	if u < 0.5 {
		return 0.5 + wide*(sqrt32(2*u)-1)
	}
	return 0.5 + wide*(1-sqrt32(2-2*u))
}

// Add adds another film's paths. Films are added in the order of their paths, so that the sums do
// not hang on who traced them.
func (f *Film) Add(o *Film) error {
	if f.W != o.W || f.H != o.H {
		return fmt.Errorf("a film of %d × %d pixels is added to one of %d × %d", o.W, o.H, f.W, f.H)
	}
	if f.Samples == 0 {
		copy(f.ID, o.ID)
	}
	f.Samples += o.Samples
	for _, p := range [][2][]float32{
		{f.Sum, o.Sum}, {f.Albedo, o.Albedo}, {f.Normal, o.Normal},
		{f.Square, o.Square}, {f.Depth, o.Depth}, {f.Covered, o.Covered},
	} {
		for i, v := range p[1] {
			p[0][i] += v
		}
	}
	return nil
}

const filmMagic = "vgfilm1\n"

// Pack writes a film as bytes.
func (f *Film) Pack() ([]byte, error) {
	n := f.W * f.H
	b := make([]byte, 0, 13*4*n+24)
	b = append(b, filmMagic...)
	for _, v := range []int{f.W, f.H, f.Samples} {
		b = binary.LittleEndian.AppendUint32(b, uint32(v))
	}
	for _, p := range [][]float32{f.Sum, f.Albedo, f.Normal, f.Square, f.Depth, f.Covered} {
		for _, v := range p {
			b = binary.LittleEndian.AppendUint32(b, math.Float32bits(v))
		}
	}
	for _, v := range f.ID {
		b = binary.LittleEndian.AppendUint32(b, uint32(v))
	}
	return packed(b)
}

func packed(b []byte) ([]byte, error) {
	z, err := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(1))
	if err != nil {
		return nil, err
	}
	defer z.Close()
	return z.EncodeAll(b, nil), nil
}

// unpacked reads what packed wrote, of at most so many bytes.
func unpacked(b []byte, most int64) ([]byte, error) {
	z, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(uint64(most)))
	if err != nil {
		return nil, err
	}
	defer z.Close()
	if b, err = z.DecodeAll(b, nil); err != nil {
		return nil, fmt.Errorf("a piece of a still: %w", err)
	}
	return b, nil
}

var errPiece = errors.New("a piece of a still is of another size")

// UnpackFilm reads what Pack wrote.
func UnpackFilm(b []byte, w, h int) (*Film, error) {
	b, err := unpacked(b, FilmBytes(w, h)+64)
	if err != nil {
		return nil, err
	}
	f := NewFilm(w, h)
	if len(b) != 13*4*w*h+20 || string(b[:8]) != filmMagic ||
		int(binary.LittleEndian.Uint32(b[8:])) != w || int(binary.LittleEndian.Uint32(b[12:])) != h {
		return nil, errPiece
	}
	f.Samples = int(binary.LittleEndian.Uint32(b[16:]))
	b = b[20:]
	for _, p := range [][]float32{f.Sum, f.Albedo, f.Normal, f.Square, f.Depth, f.Covered} {
		for i := range p {
			p[i] = math.Float32frombits(binary.LittleEndian.Uint32(b[4*i:]))
		}
		b = b[4*len(p):]
	}
	for i := range f.ID {
		f.ID[i] = int32(binary.LittleEndian.Uint32(b[4*i:]))
	}
	return f, nil
}
