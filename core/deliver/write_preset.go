package deliver

import (
	"context"
	"encoding/binary"
	"fmt"
	"image"
	"image/jpeg"
	"image/png"
	"io"
	"math"
	"runtime"
	"slices"
	"sync"

	"velvetgrime/core/budget"
	"velvetgrime/core/eval"
	"velvetgrime/core/exr"
	"velvetgrime/core/par"
	"velvetgrime/core/pix"
	"velvetgrime/core/surface"

	"github.com/HugoSmits86/nativewebp"
)

// PresetOrder is a delivery by a preset.
type PresetOrder struct {
	Preset  FilePreset `json:"preset"`
	Sheets  []string   `json:"sheets,omitempty" doc:"names; empty: all"`
	Project string     `json:"project,omitempty" doc:"the project's name, for names of files"`
}

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

// PlanPreset lists the files of an order before anything is computed. Its error names what cannot
// be done.
func PlanPreset(p *eval.Program, o PresetOrder) ([]File, error) {
	if err := o.Preset.Check(); err != nil {
		return nil, err
	}
	m := p.Scene.Model
	for _, s := range o.Sheets {
		if m.SheetIndex(s) < 0 {
			return nil, fmt.Errorf("there is no sheet %q", s)
		}
	}
	sources := Sources(p.Doc)
	var files []File
	names := map[string]string{}
	total := 0
	for index, s := range m.Sheets {
		if len(o.Sheets) > 0 && !slices.Contains(o.Sheets, s.Name) || !s.HasUV {
			continue
		}
		size := o.Preset.sheetSize(sizeOf(p, Order{}, s.Name))
		for i := range o.Preset.Files {
			f := &o.Preset.Files[i]
			for k, c := range f.components() {
				if c != nil && c.Source != "" && !known(sources, c.Source) {
					return nil, fmt.Errorf("preset %q: file %q: component %s takes %q, which the project has not got",
						o.Preset.Name, f.Map, "RGBA"[k:k+1], c.Source)
				}
			}
			form := formats[f.Format]
			bits := form.bits
			if f.Format == "exr16" {
				bits = 16
			}
			encoding := "linear"
			if c, _ := colour(sources, f.R.Source); c && !f.Linear && !form.float {
				encoding = "sRGB"
			}
			line := File{
				Name:  o.Preset.name(o.Project, m.Name, s.Name, index, f, size),
				Sheet: s.Name, Map: f.Map, Packing: f.Packing(sources), Encoding: encoding, Depth: bits, Size: size,
				Estimate: size * size * f.count() * bits / 8 / 3,
			}
			if was, twice := names[line.Name]; twice {
				return nil, fmt.Errorf("preset %q: %s of %q and of %q would be the same file; have its names tell them apart with {map} and {sheet}",
					o.Preset.Name, line.Name, was, s.Name+", "+f.Map)
			}
			names[line.Name] = s.Name + ", " + f.Map
			total += line.Estimate
			files = append(files, line)
		}
	}
	if o.Preset.GLB {
		files = append(files, File{
			Name: FileName(m.Name, "", "", ".glb"), Sheet: "all", Map: "model with its maps",
			Packing: "glTF 2.0 metal-rough", Depth: 8, Estimate: total + len(m.Tri)*30,
		})
	}
	if len(files) == 0 {
		return nil, fmt.Errorf("nothing is written: no chosen sheet has UVs")
	}
	return files, nil
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

// WritePreset makes the files of an order, those of a sheet together, and gives each to put.
func WritePreset(ctx context.Context, p *eval.Program, o PresetOrder, progress func(float64, string), put Put) error {
	plan, err := PlanPreset(p, o)
	if err != nil {
		return err
	}
	byName := map[string]*PresetFile{}
	for i := range o.Preset.Files {
		byName[o.Preset.Files[i].Map] = &o.Preset.Files[i]
	}
	for i := 0; i < len(plan); {
		share := func(n int) func(float64) {
			return func(s float64) { progress((float64(i)+s*float64(n))/float64(len(plan)), plan[i].Name) }
		}
		if plan[i].Map == "model with its maps" && byName[plan[i].Map] == nil {
			order := Order{Sheets: o.Sheets, Size: o.Preset.Size, GLB: true}
			if err := wholeModel(ctx, p, order, plan[i:i+1], share(1), put); err != nil {
				return err
			}
			i++
			continue
		}
		n, bytes := 0, int64(0)
		var files []*PresetFile
		for _, l := range plan[i:] {
			f := byName[l.Map]
			if f == nil || l.Sheet != plan[i].Sheet {
				break
			}
			w := f.weight(l.Size)
			if n > 0 && bytes+w > mostAtOnce() {
				break
			}
			bytes += w
			files = append(files, f)
			n++
		}
		if err := presetFiles(ctx, p, &o.Preset, plan[i:i+n], files, bytes, share(n), put); err != nil {
			return err
		}
		i += n
	}
	progress(1, "")
	return nil
}

// weight is what a file takes while it is made, in bytes.
func (f *PresetFile) weight(size int) int64 {
	n := int64(f.count()) * int64(formats[f.Format].bits) / 8
	return (n + 5) * int64(size) * int64(size)
}

// sheetOf is a whole sheet that is being made: numbers by component, of 8 or 16 bits as whole numbers
// between each other, of floats plane by plane.
type sheetOf struct {
	f      *PresetFile
	size   int
	n      int
	whole  []byte      // of 8 or 16 bits, big-endian
	floats [][]float32 // of 32 bits
}

func newSheetOf(f *PresetFile, size int) *sheetOf {
	s := &sheetOf{f: f, size: size, n: f.count()}
	if formats[f.Format].bits == 32 {
		for range s.n {
			s.floats = append(s.floats, make([]float32, size*size))
		}
		return s
	}
	s.whole = make([]byte, size*size*s.n*formats[f.Format].bits/8)
	return s
}

// put writes one texel.
func (s *sheetOf) put(texel int, planes []pix.Plane, at int) {
	if s.floats != nil {
		for c, p := range planes {
			s.floats[c][texel] = p.At(at)
		}
		return
	}
	for c, p := range planes {
		v := p.At(at)
		if formats[s.f.Format].bits == 16 {
			binary.BigEndian.PutUint16(s.whole[2*(texel*s.n+c):], pix.Word(v))
			continue
		}
		if s.f.Dithered {
			v += bayer(texel%s.size, texel/s.size) / 255
		}
		s.whole[texel*s.n+c] = pix.Byte(v)
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

// fill copies from where the nearest covered texel is, up to a distance; beyond it the texel stays as
// it is. 0: everywhere.
func (s *sheetOf) fill(from []int32, padding int) {
	far := padding * padding
	each := s.n * formats[s.f.Format].bits / 8
	for i, k := range from {
		if k < 0 || int(k) == i || padding < 0 {
			continue
		}
		if far > 0 {
			dx, dy := i%s.size-int(k)%s.size, i/s.size-int(k)/s.size
			if dx*dx+dy*dy > far {
				continue
			}
		}
		if s.floats != nil {
			for _, p := range s.floats {
				p[i] = p[k]
			}
			continue
		}
		copy(s.whole[i*each:(i+1)*each], s.whole[int(k)*each:int(k+1)*each])
	}
}

func presetFiles(
	ctx context.Context, p *eval.Program, preset *FilePreset, lines []File, files []*PresetFile, bytes int64,
	share func(float64), put Put,
) error {
	release, err := budget.Memory.Hold(ctx, bytes)
	if err != nil {
		return err
	}
	defer release()
	size := lines[0].Size
	sheet := p.Scene.Model.SheetIndex(lines[0].Sheet)
	made := make([]*sheetOf, len(files))
	for i, f := range files {
		made[i] = newSheetOf(f, size)
	}
	covered := make([]bool, size*size)
	tiles := surface.Tiles(sheet, size)
	g, gctx := par.WithContext(ctx)
	g.SetLimit(runtime.NumCPU())
	var mu sync.Mutex
	done := 0
	for _, t := range tiles {
		g.Go(func() error {
			u := p.Scene.OnTile(t)
			for i, f := range files {
				if u.Empty() {
					break
				}
				planes, err := f.planes(gctx, p, u, pix.Pitch*pix.Pitch)
				if err != nil {
					return fmt.Errorf("%s: %w", lines[i].Name, err)
				}
				u.EachTexel(func(at, texel int) {
					covered[texel] = true
					made[i].put(texel, planes, at)
				})
			}
			mu.Lock()
			defer mu.Unlock()
			done++
			share(0.8 * float64(done) / float64(len(tiles)))
			return gctx.Err()
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	from := pix.Nearest(covered, size)
	all, _ := par.WithContext(ctx)
	for i, s := range made {
		all.Go(func() error {
			s.fill(from, preset.Padding)
			return put.write(lines[i].Name, s.write)
		})
	}
	return all.Wait()
}

// write encodes the sheet.
func (s *sheetOf) write(w io.Writer) error {
	switch s.f.Format {
	case "png8", "png16":
		return (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(w, s.image())
	case "webp":
		return nativewebp.Encode(w, s.image(), nil)
	case "jpeg":
		q := s.f.Quality
		if q == 0 {
			q = 92
		}
		return jpeg.Encode(w, s.image(), &jpeg.Options{Quality: q})
	case "exr16", "exr32":
		names := []string{"R", "G", "B", "A"}
		if s.n == 1 {
			names = []string{"Y"}
		}
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
