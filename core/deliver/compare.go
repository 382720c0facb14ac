package deliver

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"image"
	_ "image/jpeg" // are read back
	_ "image/png"
	"io"
	"math"
	"strings"

	"velvetgrime/core/eval"
	"velvetgrime/core/exr"

	"github.com/klauspost/compress/zlib"
	_ "golang.org/x/image/tiff" // are read back
	_ "golang.org/x/image/webp"
)

// Compared is a written file beside what it should hold: both as numbers from 0 to 1, of floats as they
// are.
type Compared struct {
	Name    string   `json:"name"`
	Max     float64  `json:"max" doc:"largest difference of a component over the islands"`
	Mean    float64  `json:"mean" doc:"mean difference of a component over the islands"`
	Step    float64  `json:"step" doc:"half a step of the file's numbers, a whole one of dithered ones: what rounding alone comes to; 0 of floats, and of JPEG, which loses more"`
	Found   []string `json:"found" doc:"what is wrong with the file"`
	Missing bool     `json:"missing,omitempty" doc:"the file was cleared away"`
	At      [2]int   `json:"at" doc:"the texel of the largest difference, from the upper left"`
}

// pixels are a file's components, read by a reader of that format.
type pixels struct {
	w, h   int
	planes [][]float32 // 0..1; of floats as they are
}

// readBack reads a written picture.
func readBack(ctx context.Context, f *PresetFile, name string, data []byte) (*pixels, error) {
	if strings.HasSuffix(name, ".exr") {
		img, err := exr.DecodeChannels(ctx, data, f.names())
		if err != nil {
			return nil, err
		}
		p := &pixels{w: img.W, h: img.H}
		for _, c := range img.Channels {
			p.planes = append(p.planes, c.Data)
		}
		return p, nil
	}
	if p := readFloatTIFF(data); p != nil {
		return p, nil
	}
	img, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	b := img.Bounds()
	p := &pixels{w: b.Dx(), h: b.Dy(), planes: make([][]float32, 4)}
	for k := range p.planes {
		p.planes[k] = make([]float32, p.w*p.h)
	}
	at := componentsOf(img)
	for y := range p.h {
		for x := range p.w {
			v := at(b.Min.X+x, b.Min.Y+y)
			for k := range 4 {
				p.planes[k][y*p.w+x] = v[k]
			}
		}
	}
	return p, nil
}

// componentsOf reads a picture's components as its file has them, not multiplied by the fourth.
func componentsOf(img image.Image) func(x, y int) [4]float32 {
	switch m := img.(type) {
	case *image.Gray:
		return func(x, y int) [4]float32 { v := float32(m.GrayAt(x, y).Y) / 255; return [4]float32{v, v, v, 1} }
	case *image.Gray16:
		return func(x, y int) [4]float32 { v := float32(m.Gray16At(x, y).Y) / 65535; return [4]float32{v, v, v, 1} }
	case *image.NRGBA:
		return func(x, y int) [4]float32 {
			c := m.NRGBAAt(x, y)
			return [4]float32{float32(c.R) / 255, float32(c.G) / 255, float32(c.B) / 255, float32(c.A) / 255}
		}
	case *image.NRGBA64:
		return func(x, y int) [4]float32 {
			c := m.NRGBA64At(x, y)
			return [4]float32{float32(c.R) / 65535, float32(c.G) / 65535, float32(c.B) / 65535, float32(c.A) / 65535}
		}
	}
	return func(x, y int) [4]float32 {
		r, g, b, a := img.At(x, y).RGBA()
		return [4]float32{float32(r) / 65535, float32(g) / 65535, float32(b) / 65535, float32(a) / 65535}
	}
}

// Compare reads the pictures of a delivery again and holds them against what the project is now. read
// gives a file, or an error when it is not there any more.
func (w *Work) Compare(ctx context.Context, read func(name string) ([]byte, error)) (list []Compared, err error) {
	for _, u := range w.Units {
		for _, k := range u.list {
			if !k.out {
				continue
			}
			data, err := read(k.line.Name)
			if err != nil {
				list = append(list, Compared{Name: k.line.Name, Missing: true, Found: []string{"the file is not there any more"}})
				continue
			}
			c, err := w.compare(ctx, u.sheet, &k, data)
			if err != nil {
				return nil, fmt.Errorf("%s: %w", k.line.Name, err)
			}
			list = append(list, *c)
		}
	}
	return list, nil
}

func (w *Work) compare(ctx context.Context, sheet int, k *picture, data []byte) (*Compared, error) {
	c := &Compared{Name: k.line.Name, Found: []string{}}
	got, err := readBack(ctx, k.file, k.line.Name, data)
	if err != nil {
		c.Found = append(c.Found, fmt.Sprintf("it cannot be read: %v", err))
		return c, nil
	}
	if got.w != k.line.Size || got.h != k.line.Size {
		c.Found = append(c.Found, fmt.Sprintf("it has %d × %d texels, %d × %d were asked for", got.w, got.h, k.line.Size, k.line.Size))
		return c, nil
	}
	full, covered, err := exact(ctx, w.p, sheet, k.line.Size, k.file)
	if err != nil {
		return nil, err
	}
	form := formats[k.file.Format]
	if !form.float && k.file.Format != "jpeg" {
		c.Step = 0.5 / float64(int(1)<<form.bits-1)
		if k.file.Dithered && form.bits == 8 {
			c.Step *= 2
		}
	}
	sum, n := 0.0, 0
	for comp, plane := range full {
		if comp >= len(got.planes) {
			c.Found = append(c.Found, fmt.Sprintf("component %s is not there", k.file.names()[comp]))
			continue
		}
		for i, v := range plane {
			if !covered[i] {
				continue
			}
			if !form.float {
				v = min(max(v, 0), 1)
			}
			d := math.Abs(float64(got.planes[comp][i] - v))
			sum, n = sum+d, n+1
			if d > c.Max {
				c.Max, c.At = d, [2]int{i % got.w, i / got.w}
			}
		}
	}
	c.Mean = sum / float64(max(n, 1))
	c.Found = append(c.Found, faults(k.file, full, got, covered)...)
	return c, nil
}

// The bounds from which a file is said to be at fault.
const (
	clippedShare = 0.001 // of the islands' texels beyond what the file's numbers hold
	smooth       = 4.0 / 255
)

// faults finds what is wrong with a file: numbers that were cut off, slopes that became steps, nothing
// but one number where there should be more.
func faults(f *PresetFile, full [][]float32, got *pixels, covered []bool) (list []string) {
	form := formats[f.Format]
	for comp, plane := range full {
		if comp >= len(got.planes) {
			continue
		}
		name := f.names()[comp]
		lo, hi := float32(math.Inf(1)), float32(math.Inf(-1))
		low, high := lo, hi
		beyond, n := 0, 0
		for i, v := range plane {
			if !covered[i] {
				continue
			}
			n++
			lo, hi = min(lo, v), max(hi, v)
			low, high = min(low, got.planes[comp][i]), max(high, got.planes[comp][i])
			if v < -1e-4 || v > 1+1e-4 {
				beyond++
			}
		}
		if n == 0 {
			continue
		}
		if !form.float && float64(beyond) > clippedShare*float64(n) {
			list = append(list, fmt.Sprintf("%s is cut off: %s of it lies beyond what the file holds", name, percent(beyond, n)))
		}
		if low == high && hi-lo > 2.0/255 {
			list = append(list, fmt.Sprintf("%s is empty: one number everywhere, where it should go from %.3g to %.3g", name, lo, hi))
		} else if form.bits == 8 && !f.Dithered && banded(plane, got.planes[comp], covered, got.w) {
			list = append(list, fmt.Sprintf("%s is banded: its slopes are finer than steps of 8 bits; have it dithered, or take 16 bits", name))
		}
	}
	return list
}

// banded reports whether much of a plane rises so evenly that a file of 8 bits shows it as wide steps:
// runs of eight texels that are one number in the file and none in truth.
func banded(full, got []float32, covered []bool, w int) bool {
	const run = 8
	flat, all := 0, 0
	for i := 0; i+run < len(full); i += run {
		if i%w+run >= w || !covered[i] || !covered[i+run-1] {
			continue
		}
		all++
		rises, steady := true, true
		for k := 1; k < run; k++ {
			d := full[i+k] - full[i+k-1]
			rises = rises && covered[i+k] && d*(full[i+run-1]-full[i]) > 0
			steady = steady && got[i+k] == got[i]
		}
		if t := math.Abs(float64(full[i+run-1] - full[i])); rises && steady && t > 1e-4 && t < smooth {
			flat++
		}
	}
	return all > 0 && float64(flat) > 0.2*float64(all)
}

// exact evaluates a file of a sheet without rounding it, and says which texels lie on islands.
func exact(ctx context.Context, p *eval.Program, sheet, size int, f *PresetFile) ([][]float32, []bool, error) {
	s := &sheetOf{f: f, size: size, n: len(f.components()), bits: 32}
	for range s.n {
		s.floats = append(s.floats, make([]float32, size*size))
	}
	covered, err := texels(ctx, p, sheet, size, []*sheetOf{s}, nil)
	return s.floats, covered, err
}

// readFloatTIFF reads a TIFF of floats as this package writes them; nil: it is another one.
func readFloatTIFF(data []byte) *pixels {
	if len(data) < 16 || string(data[:4]) != "MM\x00*" {
		return nil
	}
	be := binary.BigEndian
	tags := map[uint16][]uint32{}
	at := int(be.Uint32(data[4:]))
	if at+2 > len(data) {
		return nil
	}
	count := int(be.Uint16(data[at:]))
	for i := range count {
		e := at + 2 + 12*i
		if e+12 > len(data) {
			return nil
		}
		kind, n := be.Uint16(data[e+2:]), int(be.Uint32(data[e+4:]))
		width := map[uint16]int{3: 2, 4: 4}[kind]
		from := e + 8
		if n*width > 4 {
			from = int(be.Uint32(data[e+8:]))
		}
		if width == 0 || n < 0 || n > 1<<20 || from < 0 || from+n*width > len(data) {
			return nil
		}
		for k := range n {
			if width == 2 {
				tags[be.Uint16(data[e:])] = append(tags[be.Uint16(data[e:])], uint32(be.Uint16(data[from+2*k:])))
			} else {
				tags[be.Uint16(data[e:])] = append(tags[be.Uint16(data[e:])], be.Uint32(data[from+4*k:]))
			}
		}
	}
	first := func(tag uint16) int {
		if len(tags[tag]) == 0 {
			return 0
		}
		return int(tags[tag][0])
	}
	if first(tiffSampleFormat) != 3 || first(tiffBits) != 32 || len(tags[tiffStripOffsets]) != len(tags[tiffStripByteCounts]) {
		return nil
	}
	p := &pixels{w: first(tiffWidth), h: first(tiffLength)}
	n := first(tiffSamples)
	if p.w < 1 || p.h < 1 || p.w > 1<<14 || p.h > 1<<14 || n < 1 || n > 4 {
		return nil
	}
	var all []byte
	for i, o := range tags[tiffStripOffsets] {
		size := tags[tiffStripByteCounts][i]
		if uint64(o)+uint64(size) > uint64(len(data)) {
			return nil
		}
		z, err := zlib.NewReader(bytes.NewReader(data[o : o+size]))
		if err != nil {
			return nil
		}
		b, err := io.ReadAll(io.LimitReader(z, int64(4*n*p.w*p.h)))
		if err != nil {
			return nil
		}
		all = append(all, b...)
	}
	if len(all) != 4*n*p.w*p.h {
		return nil
	}
	for k := range n {
		plane := make([]float32, p.w*p.h)
		for i := range plane {
			plane[i] = math.Float32frombits(be.Uint32(all[4*(i*n+k):]))
		}
		p.planes = append(p.planes, plane)
	}
	return p
}
