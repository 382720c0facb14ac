package deliver

import (
	"bytes"
	"context"
	"encoding/binary"
	"image"
	"image/jpeg"
	"io"
	"math"
	"runtime"
	"slices"
	"sync"

	"velvetgrime/core/eval"
	"velvetgrime/core/exr"
	"velvetgrime/core/par"
	"velvetgrime/core/pix"
	"velvetgrime/core/surface"

	"github.com/HugoSmits86/nativewebp"
)

// sheetSize is at how many texels a preset writes a sheet.
func (p *FilePreset) sheetSize(own int) int {
	switch {
	case p.Size > 0:
		return p.Size
	case p.Share > 1:
		return max(own/p.Share, 128)
	}
	return own
}

func known(list []Source, id string) bool {
	return slices.ContainsFunc(list, func(s Source) bool { return s.ID == id }) || isMore(id)
}

func colour(list []Source, id string) (color, ok bool) {
	for _, s := range list {
		if s.ID == id {
			return s.Color, true
		}
	}
	return false, false
}

// around is how many bytes a texel takes beside what files hold: whether it is covered, and from where
// it is filled.
const around = 5

// weight is what a file takes while it is made, in bytes.
func (f *PresetFile) weight(size int) int64 {
	n := int64(len(f.components())) * int64(formats[f.Format].bits) / 8
	return n * int64(size) * int64(size)
}

// sheetOf is a whole sheet that is being made: numbers by component, of 8 or 16 bits as whole numbers
// between each other, of floats plane by plane.
type sheetOf struct {
	f      *PresetFile
	size   int
	n      int
	bits   int         // a component
	whole  []byte      // of 8 or 16 bits, big-endian
	floats [][]float32 // of 32 bits
}

func newSheetOf(f *PresetFile, size int) *sheetOf {
	s := &sheetOf{f: f, size: size, n: len(f.components()), bits: formats[f.Format].bits}
	if formats[f.Format].bits == 32 {
		for range s.n {
			s.floats = append(s.floats, make([]float32, size*size))
		}
		return s
	}
	s.whole = make([]byte, size*size*s.n*formats[f.Format].bits/8)
	return s
}

// put writes n texels beside each other, from one of the planes' on.
func (s *sheetOf) put(texel int, planes []pix.Plane, at, n int) {
	if s.n == 3 && s.bits == 8 && !s.f.Dithered {
		pix.Bytes3(s.whole[3*texel:3*(texel+n)], (*[3]pix.Plane)(planes), at, n)
		return
	}
	for c, p := range planes {
		if s.floats != nil {
			to := s.floats[c][texel : texel+n]
			if p.Uniform() {
				for i := range to {
					to[i] = p.Value
				}
				continue
			}
			copy(to, p.Data[at:at+n])
			continue
		}
		value := func(i int) float32 { return p.Value }
		if !p.Uniform() {
			row := p.Data[at : at+n]
			value = func(i int) float32 { return row[i] }
		}
		switch {
		case s.bits == 16:
			to := s.whole[2*(texel*s.n+c):]
			for i := range n {
				binary.BigEndian.PutUint16(to[2*i*s.n:], pix.Word(value(i)))
			}
		case s.f.Dithered:
			to := s.whole[texel*s.n+c:]
			x, y := texel%s.size, texel/s.size
			for i := range n {
				to[i*s.n] = pix.Byte(value(i) + bayer(x+i, y)/255)
			}
		case p.Uniform():
			to, v := s.whole[texel*s.n+c:], pix.Byte(p.Value)
			for i := range n {
				to[i*s.n] = v
			}
		default:
			pix.Bytes(s.whole[texel*s.n+c:], s.n, p.Data[at:at+n])
		}
	}
}

// bayer is an even pattern of −½..½ over 8 × 8 texels (Bayer 1973).
func bayer(x, y int) float32 {
	v := 0
	for i := range 3 {
		bx, by := x>>i&1, y>>i&1
		v |= (bx^by)<<(5-2*i) | by<<(4-2*i)
	}
	return (float32(v)+0.5)/64 - 0.5
}

// outward copies, in the rows from y0 to y1 of sheets of one size, from where the nearest covered texel is,
// up to a distance; beyond it a texel stays as it is. 0: everywhere. What is copied from is not written.
func outward(ctx context.Context, made []*sheetOf, from []int32, padding, y0, y1 int) error {
	far, size := padding*padding, made[0].size
	for y := y0; y < y1 && padding >= 0; y++ {
		if err := ctx.Err(); err != nil {
			return err
		}
		row := from[y*size : (y+1)*size]
		for x, of := range row {
			if k := int(of); far > 0 && k >= 0 {
				if dx, dy := x-k%size, y-k/size; dx*dx+dy*dy > far {
					row[x] = -1
				}
			}
		}
		for _, s := range made {
			s.take(y*size, row)
		}
	}
	return nil
}

// take makes the texels from i on what those are that are given for them; below nought: as they are.
func (s *sheetOf) take(i int, from []int32) {
	for _, p := range s.floats {
		to := p[i : i+len(from)]
		for x, k := range from {
			if k >= 0 {
				to[x] = p[k]
			}
		}
	}
	if s.floats != nil {
		return
	}
	each := s.n * s.bits / 8
	to := s.whole[i*each : (i+len(from))*each]
	switch each { // a call for a few bytes takes longer than they do
	case 1:
		for x, k := range from {
			if k >= 0 {
				to[x] = s.whole[k]
			}
		}
	case 3:
		for x, k := range from {
			if int(k) == i+x || k < 0 {
				continue
			}
			t, p := to[3*x:3*x+3], s.whole[3*int(k):3*int(k)+3]
			t[0], t[1], t[2] = p[0], p[1], p[2]
		}
	default:
		for x, k := range from {
			if int(k) != i+x && k >= 0 {
				copy(to[x*each:(x+1)*each], s.whole[int(k)*each:])
			}
		}
	}
}

// evaluated makes files of one sheet, tile by tile, so that what they have in common is evaluated once.
// Texels outside the islands are filled outward from the islands' edges, up to padding texels (0:
// everywhere, below: not at all), so that mips never mix in a background. share, when not nil, is called
// after each tile with the share done.
func evaluated(
	ctx context.Context, p *eval.Program, sheet, size, padding int, files []*PresetFile, share func(float64),
) ([]*sheetOf, error) {
	made := make([]*sheetOf, len(files))
	for i, f := range files {
		made[i] = newSheetOf(f, size)
	}
	covered, err := texels(ctx, p, sheet, size, made, share)
	if err != nil {
		return nil, err
	}
	from, err := pix.NearestOf(ctx, covered, size, size)
	if err != nil {
		return nil, err
	}
	all, _ := par.WithContext(ctx)
	for b, n := 0, runtime.GOMAXPROCS(0); b < n && len(made) > 0; b++ {
		all.Go(func() error { return outward(ctx, made, from, padding, b*size/n, (b+1)*size/n) })
	}
	return made, all.Wait()
}

// texelBytes is about what is kept on the way of a texel: its place, and a value of each of a dozen masks.
const texelBytes = 80

// texels evaluates sheets that are made together, and says which texels lie on islands.
func texels(
	ctx context.Context, p *eval.Program, sheet, size int, made []*sheetOf, share func(float64),
) ([]bool, error) {
	covered := make([]bool, size*size)
	tiles := surface.Tiles(sheet, size)
	passing := size*size*texelBytes > p.Scene.Cache.Limit()/4
	g, gctx := par.WithContext(ctx)
	g.SetLimit(runtime.NumCPU())
	var mu sync.Mutex
	done := 0
	for _, t := range tiles {
		g.Go(func() error {
			if err := gctx.Err(); err != nil { // there are thousands, each with a frame of its own
				return err
			}
			u := p.Scene.OnTile(t)
			u.Passing = passing
			if !u.Empty() {
				all := make([][]pix.Plane, len(made))
				for i, s := range made {
					var err error
					if all[i], err = s.f.planes(gctx, p, u, pix.Pitch*pix.Pitch); err != nil {
						return err
					}
				}
				u.EachRun(func(at, texel, n int) {
					for k := range n {
						covered[texel+k] = true
					}
					for i, s := range made {
						s.put(texel, all[i], at, n)
					}
				})
			}
			mu.Lock()
			defer mu.Unlock()
			done++
			if share != nil {
				share(float64(done) / float64(len(tiles)))
			}
			return gctx.Err()
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	return covered, nil
}

// alone evaluates one map of one sheet at size texels, of 8 or 16 bits, or of 32 as floats.
func alone(ctx context.Context, p *eval.Program, sheet, size int, m Map, depth int) (*sheetOf, error) {
	f, err := m.file(depth)
	if err != nil {
		return nil, err
	}
	made, err := evaluated(ctx, p, sheet, size, 0, []*PresetFile{&f}, nil)
	if err != nil {
		return nil, err
	}
	return made[0], nil
}

// Image evaluates one map of one sheet at size texels, of 8 or 16 bits.
func Image(ctx context.Context, p *eval.Program, sheet, size int, m Map, depth int) (image.Image, error) {
	s, err := alone(ctx, p, sheet, size, m, depth)
	if err != nil {
		return nil, err
	}
	return s.image(), nil
}

// Encoded evaluates one map of one sheet and writes it: as PNG of 8 or 16 bits, or, of 32, as EXR of
// plain numbers: colours as linear light, height in metres, normals as unit vectors (Y up).
func Encoded(ctx context.Context, p *eval.Program, sheet, size int, m Map, depth int) ([]byte, error) {
	s, err := alone(ctx, p, sheet, size, m, depth)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = s.write(&b)
	return b.Bytes(), err
}

// heeding is a writer that takes nothing more once its context has ended, so that what encodes stops.
type heeding struct {
	ctx context.Context
	io.Writer
}

func (h heeding) Write(b []byte) (int, error) {
	if err := h.ctx.Err(); err != nil {
		return 0, err
	}
	return h.Writer.Write(b)
}

// write encodes the sheet.
func (s *sheetOf) write(w io.Writer) error {
	switch s.f.Format {
	case "png8", "png16":
		return s.png(w)
	case "webp":
		return nativewebp.Encode(w, s.image(), nil)
	case "jpeg":
		q := s.f.Quality
		if q == 0 {
			q = 92
		}
		return jpeg.Encode(w, s.image(), &jpeg.Options{Quality: q})
	case "exr16", "exr32":
		names := s.f.names()
		var list []exr.Channel
		for i, p := range s.floats {
			list = append(list, exr.Channel{Name: names[i], Data: p})
		}
		b, err := exr.Encode(s.size, s.size, list, s.f.Format == "exr16")
		if err == nil {
			_, err = w.Write(b)
		}
		return err
	}
	return s.tiff(w)
}

// image is the sheet as the encoders take it.
func (s *sheetOf) image() image.Image {
	r := image.Rect(0, 0, s.size, s.size)
	deep := formats[s.f.Format].bits == 16
	switch {
	case s.n == 1 && deep:
		return &image.Gray16{Pix: s.whole, Stride: 2 * s.size, Rect: r}
	case s.n == 1:
		return &image.Gray{Pix: s.whole, Stride: s.size, Rect: r}
	case s.n == 4 && deep:
		return &image.NRGBA64{Pix: s.whole, Stride: 8 * s.size, Rect: r}
	case s.n == 4:
		return &image.NRGBA{Pix: s.whole, Stride: 4 * s.size, Rect: r}
	}
	each := 1
	if deep {
		each = 2
	}
	out := make([]byte, s.size*s.size*4*each)
	for i := range s.size * s.size {
		copy(out[i*4*each:], s.whole[i*3*each:(i+1)*3*each])
		for k := range each {
			out[i*4*each+3*each+k] = 255
		}
	}
	if deep {
		return &image.NRGBA64{Pix: out, Stride: 8 * s.size, Rect: r}
	}
	return &image.NRGBA{Pix: out, Stride: 4 * s.size, Rect: r}
}

func f32(v float32) uint32 { return math.Float32bits(v) }
