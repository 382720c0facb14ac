package deliver

import (
	"cmp"
	"context"
	"fmt"
	"image/png"
	"io"
	"os"
	"slices"
	"sync"

	"velvetgrime/core/budget"
	"velvetgrime/core/eval"
	"velvetgrime/core/meshio"
	"velvetgrime/core/par"
	"velvetgrime/core/stack"
)

// Order says what to deliver.
type Order struct {
	Sheets []string       `json:"sheets" doc:"names; empty means all"`
	Maps   []string       `json:"maps" doc:"map names; see the table"`
	Size   int            `json:"size,omitempty" doc:"texels a side; 0 keeps each sheet's own"`
	Depth  map[string]int `json:"depth,omitempty" doc:"bits by map name: 8 or 16"`
	GLB    bool           `json:"glb" doc:"also one GLB with the maps inside"`
	// Preset says what is written instead of Maps, Size, Depth and GLB.
	Preset  *FilePreset `json:"preset,omitempty" doc:"what is written, instead of maps, size, depth and glb"`
	Project string      `json:"project,omitempty" doc:"the project's name, for names of files by a preset"`
}

// File is one line of the table of what will be written.
type File struct {
	Name     string `json:"name"`
	Sheet    string `json:"sheet"`
	Map      string `json:"map"`
	Packing  string `json:"packing"`
	Encoding string `json:"encoding"`
	Depth    int    `json:"depth"`
	Size     int    `json:"size"`
	Estimate int    `json:"estimate" doc:"bytes, a guess from the raw size"`
}

// Plan lists the files of an order before anything is computed. The error names
// what in the order cannot be done.
func Plan(p *eval.Program, o Order) ([]File, error) {
	if o.Preset != nil {
		return PlanPreset(p, PresetOrder{*o.Preset, o.Sheets, o.Project})
	}
	var files []File
	m := p.Scene.Model
	for _, s := range o.Sheets {
		if m.SheetIndex(s) < 0 {
			return nil, fmt.Errorf("there is no sheet %q", s)
		}
	}
	if o.Size != 0 && (o.Size < 128 || o.Size > 8192 || o.Size&(o.Size-1) != 0) {
		return nil, fmt.Errorf("size %d is not a power of two from 128 to 8192", o.Size)
	}
	total := 0
	for _, s := range m.Sheets {
		if len(o.Sheets) > 0 && !slices.Contains(o.Sheets, s.Name) || !s.HasUV {
			continue
		}
		for _, name := range o.Maps {
			k, ok := Find(name)
			if !ok {
				return nil, fmt.Errorf("there is no map %q", name)
			}
			depth := 8
			if d := o.Depth[name]; d != 0 {
				depth = d
			}
			if depth != 8 && depth != 16 {
				return nil, fmt.Errorf("%s: %d bits; 8 or 16 are possible", name, depth)
			}
			size := sizeOf(p, o, s.Name)
			f := File{
				FileName(m.Name, s.Name, k.Suffix, ".png"),
				s.Name,
				k.Name,
				k.Packing,
				k.Encoding,
				depth,
				size,
				size * size * k.Channels * depth / 8 / 3,
			}
			total += f.Estimate
			files = append(files, f)
		}
	}
	if o.GLB {
		files = append(
			files,
			File{
				FileName(m.Name, "", "", ".glb"),
				"all",
				"model with its maps",
				"glTF 2.0 metal-rough",
				"",
				8,
				0,
				total + len(m.Tri)*30,
			},
		)
	}
	if len(files) == 0 {
		return nil, fmt.Errorf("nothing is chosen; choose a map or the GLB, and a sheet that has UVs")
	}
	return files, nil
}

func sizeOf(p *eval.Program, o Order, sheet string) int {
	if o.Size > 0 {
		return o.Size
	}
	if s, ok := p.Doc.Sheets[sheet]; ok {
		return s.Size
	}
	return 1024
}

// Write makes the files of an order, those of a sheet side by side, and gives each to put.
// progress gets the share done and what is being made.
func Write(
	ctx context.Context,
	p *eval.Program,
	o Order,
	progress func(float64, string),
	put Put,
) error {
	if o.Preset != nil {
		return WritePreset(ctx, p, PresetOrder{*o.Preset, o.Sheets, o.Project}, progress, put)
	}
	files, err := Plan(p, o)
	if err != nil {
		return err
	}
	for i := 0; i < len(files); {
		// the pictures of a sheet are evaluated together, and encoded side by side
		n := together(files[i:])
		share := func(s float64) { progress((float64(i)+s*float64(n))/float64(len(files)), files[i].Name) }
		share(0)
		write := pictures
		if files[i].Map == "model with its maps" {
			write = wholeModel
		}
		if err := write(ctx, p, o, files[i:i+n], share, put); err != nil {
			return err
		}
		i += n
	}
	progress(1, "")
	return nil
}

// Put makes a place for a file, lets it be written there, and keeps it when it is whole.
// Several may be called at once.
type Put func(name string, file func(io.Writer) error) error

// write puts one file.
func (put Put) write(name string, file func(io.Writer) error) error {
	if err := put(name, file); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	return nil
}

// wholeModel makes the model with its maps.
func wholeModel(
	ctx context.Context, p *eval.Program, o Order, files []File, share func(float64), put Put,
) error {
	return put.write(files[0].Name, func(w io.Writer) error { return GLB(ctx, p, o, w, share) })
}

// pictures makes pictures of one sheet, within the budget of memory.
func pictures(
	ctx context.Context, p *eval.Program, _ Order, files []File, share func(float64), put Put,
) error {
	var maps []Map
	var depth []int
	for _, f := range files {
		k, _ := Find(f.Map)
		maps, depth = append(maps, k), append(depth, f.Depth)
	}
	names := make([]string, len(files))
	for i, f := range files {
		names[i] = f.Name
	}
	sheet := p.Scene.Model.SheetIndex(files[0].Sheet)
	return encode(ctx, p, sheet, files[0].Size, maps, depth, names, func(v float64) { share(0.8 * v) }, put)
}

// encode makes maps of a sheet together, within the budget of memory, and writes each as PNG
// under its name.
func encode(
	ctx context.Context, p *eval.Program, sheet, size int, maps []Map, depth []int, names []string,
	share func(float64), put Put,
) error {
	release, err := budget.Memory.Hold(ctx, weight(size, maps, depth))
	if err != nil {
		return err
	}
	defer release()
	made, err := Images(ctx, p, sheet, size, maps, depth, share)
	if err != nil {
		return fmt.Errorf("%s: %w", names[0], err)
	}
	all, _ := par.WithContext(ctx)
	for i, img := range made {
		all.Go(func() error {
			return put.write(names[i], func(w io.Writer) error {
				return (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(w, img)
			})
		})
	}
	return all.Wait()
}

// weight is what pictures of a sheet take while they are made, in bytes: their texels, and
// what fills them outward. They are encoded row by row.
func weight(size int, maps []Map, depth []int) int64 {
	n := int64(5)
	for i, d := range depth {
		n += int64(componentsFor(maps[i].Channels)) * int64(d) / 8
	}
	return n * int64(size) * int64(size)
}

// atOnce bounds the bytes of the pictures that are made together, when the budget has no
// bound.
const atOnce = 400 << 20

// together returns how many of the first files are pictures of one sheet and fit
// into memory at once; at least one.
func together(files []File) int {
	n := 0
	most := mostAtOnce()
	var maps []Map
	var depth []int
	for _, f := range files {
		k, _ := Find(f.Map)
		maps, depth = append(maps, k), append(depth, f.Depth)
		bytes := weight(f.Size, maps, depth)
		if f.Sheet != files[0].Sheet || f.Size != files[0].Size || f.Map == "model with its maps" ||
			n > 0 && bytes > most {
			break
		}
		n++
	}
	return max(n, 1)
}

// GLB writes the model with all its maps inside. The maps wait on the disk until the file is
// put together.
func GLB(ctx context.Context, p *eval.Program, o Order, w io.Writer, progress func(float64)) error {
	m := p.Scene.Model
	all := make([]meshio.Maps, len(m.Sheets))
	var aside shelf
	defer aside.drop()
	for i, s := range m.Sheets {
		if !s.HasUV {
			continue
		}
		share := func(v float64) { progress((float64(i) + v) / float64(len(m.Sheets))) }
		var err error
		if all[i], err = mapsOf(ctx, p, i, sizeOf(p, o, s.Name), &aside, share); err != nil {
			return fmt.Errorf("sheet %q: %w", s.Name, err)
		}
	}
	return meshio.WriteGLB(w, m, meshio.Options{Maps: all})
}

// shelf keeps files on the disk for a while, by name.
type shelf struct {
	mu    sync.Mutex
	files map[string]*os.File
}

func (s *shelf) put(name string, file func(io.Writer) error) error {
	f, err := os.CreateTemp("", "velvetgrime-map-*")
	if err != nil {
		return err
	}
	s.mu.Lock()
	if s.files == nil {
		s.files = map[string]*os.File{}
	}
	s.files[name] = f
	s.mu.Unlock()
	return file(f)
}

// body returns a file that was put.
func (s *shelf) body(name string) (*io.SectionReader, error) {
	f := s.files[name]
	end, err := f.Seek(0, io.SeekEnd)
	return io.NewSectionReader(f, 0, end), err
}

func (s *shelf) drop() {
	for _, f := range s.files {
		_ = f.Close()
		_ = os.Remove(f.Name())
	}
}

// mapsOf makes the maps of one sheet as glTF has them, within the budget of memory.
func mapsOf(
	ctx context.Context, p *eval.Program, sheet, size int, aside *shelf, share func(float64),
) (out meshio.Maps, err error) {
	clear := sets(p, sheet, stack.Opacity)
	base := "base color"
	if clear {
		base, out.Transparent = "base color with opacity", true
	}
	want := []struct {
		name string
		to   *meshio.Body
		on   bool
	}{
		{base, &out.BaseColor, true},
		{"occlusion roughness metallic", &out.ORM, true},
		{"normal", &out.Normal, sets(p, sheet, stack.Height) || sets(p, sheet, stack.Normal)},
		{"emissive", &out.Emissive, sets(p, sheet, stack.Emissive)},
	}
	var maps []Map
	var to []*meshio.Body
	var names []string
	var depth []int
	for _, w := range want {
		if w.on {
			kind, _ := Find(w.name)
			maps, to, depth = append(maps, kind), append(to, w.to), append(depth, 8)
			names = append(names, fmt.Sprintf("%s of sheet %q", w.name, p.Scene.Model.Sheets[sheet].Name))
		}
	}
	for i := 0; i < len(maps); {
		n := 1
		for i+n < len(maps) && weight(size, maps[i:i+n+1], depth[i:i+n+1]) <= mostAtOnce() {
			n++
		}
		part := func(v float64) { share((float64(i) + v*float64(n)) / float64(len(maps))) }
		err := encode(ctx, p, sheet, size, maps[i:i+n], depth[i:i+n], names[i:i+n], part, aside.put)
		if err != nil {
			return out, err
		}
		i += n
	}
	for i, name := range names {
		if *to[i], err = aside.body(name); err != nil {
			return out, err
		}
	}
	return out, nil
}

// mostAtOnce bounds the bytes of the pictures that are made together.
func mostAtOnce() int64 { return cmp.Or(budget.Memory.Work(), atOnce) }

// sets reports whether a channel can be more than its default on a sheet: a visible layer
// that reaches it sets it, or a baked map lies under it.
func sets(p *eval.Program, sheet int, c stack.Channel) bool {
	if p.Underlaid(sheet, c) {
		return true
	}
	name := p.Scene.Model.Sheets[sheet].Name
	found := false
	p.Doc.Walk(func(l *stack.Layer, around []*stack.Layer) {
		shown := l.Visible && l.Kind != stack.Group && l.Channels[c].On
		for _, g := range around {
			shown = shown && g.Visible
		}
		only := len(l.Reach.Parts)+len(l.Reach.Islands)+len(l.Reach.Faces) == 0 && len(l.Reach.Sheets) > 0
		found = found || shown && (!only || slices.Contains(l.Reach.Sheets, name))
	})
	return found
}
