package deliver

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"os"
	"path"
	"slices"
	"strings"
	"sync"

	"velvetgrime/core/budget"
	"velvetgrime/core/eval"
	"velvetgrime/core/meshio"
	"velvetgrime/core/par"
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
	Folder  string      `json:"folder,omitempty" doc:"where the files go, too: below the folder that the operator of the server allows"`

	// Original is the file by which the model came in: scenes keep of it what is not painted.
	Original *meshio.Original `json:"-"`
}

// preset is what an order writes, as a preset.
func (o *Order) preset() (*FilePreset, error) {
	if o.Preset != nil {
		return o.Preset, o.Preset.Check()
	}
	p := &FilePreset{Name: "chosen maps", Size: o.Size}
	if o.GLB {
		p.Scenes = []string{"glb"}
	}
	if len(o.Maps) == 0 && !o.GLB {
		return nil, fmt.Errorf("nothing is chosen; choose a map or the GLB, and a sheet that has UVs")
	}
	for _, name := range o.Maps {
		m, ok := Find(name)
		if !ok {
			return nil, fmt.Errorf("there is no map %q", name)
		}
		f, err := m.file(cmp.Or(o.Depth[name], 8))
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		p.Files = append(p.Files, f)
	}
	return p, p.Check()
}

// file is a map as a preset has it.
func (m Map) file(depth int) (PresetFile, error) {
	format := map[int]string{8: "png8", 16: "png16", 32: "exr32"}[depth]
	if format == "" {
		return PresetFile{}, fmt.Errorf("%d bits; 8 or 16 are possible", depth)
	}
	f := PresetFile{Map: m.Suffix, Format: format}
	to := []**Component{&f.R, &f.G, &f.B, &f.A}
	at := 0
	for _, source := range m.sources {
		for part := range source.Parts {
			*to[at] = &Component{Source: source.ID, Part: part}
			at++
		}
	}
	return f, nil
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
	// Scene tells of a model's file which kind it is.
	Scene string `json:"scene,omitempty" doc:"of a file that carries the model: glb, gltf, obj, usda, usdz or mtlx"`
}

// picture is one picture that is made: for a file, for scenes, or for both.
type picture struct {
	file *PresetFile
	line File
	out  bool // written as a file
	held bool // wanted by scenes that have it within
	to   []func(*meshio.Maps, *meshio.Picture)
}

// plan is what an order comes to.
type plan struct {
	preset   *FilePreset
	pictures [][]picture // by sheet of the model; empty: it is not delivered
	scenes   []File
	files    []File // all that are written, in the order of the table
}

// Plan lists the files of an order before anything is computed. The error names
// what in the order cannot be done.
func Plan(p *eval.Program, o Order) ([]File, error) {
	pl, err := planOf(p, o)
	if err != nil {
		return nil, err
	}
	return pl.files, nil
}

func planOf(p *eval.Program, o Order) (*plan, error) {
	preset, err := o.preset()
	if err != nil {
		return nil, err
	}
	m := p.Scene.Model
	for _, s := range o.Sheets {
		if m.SheetIndex(s) < 0 {
			return nil, fmt.Errorf("there is no sheet %q", s)
		}
	}
	pl := &plan{preset: preset, pictures: make([][]picture, len(m.Sheets))}
	sources := Sources(p.Doc)
	taken := map[string]string{}
	total := 0
	for index, s := range m.Sheets {
		if len(o.Sheets) > 0 && !slices.Contains(o.Sheets, s.Name) || !s.HasUV {
			continue
		}
		size := preset.sheetSize(sizeOf(p, s.Name))
		add := func(f *PresetFile) error {
			pic, err := pl.picture(p, sources, o.Project, index, size, f)
			if err != nil {
				return err
			}
			if was, twice := taken[pic.line.Name]; twice {
				return fmt.Errorf("preset %q: %s of %q and of %q would be the same file; have its names tell them apart with {map} and {sheet}",
					preset.Name, pic.line.Name, was, s.Name+", "+f.Map)
			}
			taken[pic.line.Name] = s.Name + ", " + f.Map
			pl.pictures[index] = append(pl.pictures[index], pic)
			return nil
		}
		for i := range preset.Files {
			if err := add(&preset.Files[i]); err != nil {
				return nil, err
			}
			at := &pl.pictures[index][i]
			at.out = true
			total += at.line.Estimate
		}
		for _, r := range roles(p, index, preset.Scenes) {
			pics := &pl.pictures[index]
			at := slices.IndexFunc(*pics, func(k picture) bool { return k.file.alike(&r.file) })
			if at < 0 {
				if slices.ContainsFunc(preset.Files, func(f PresetFile) bool { return f.Map == r.file.Map }) {
					r.file.Map += "_scene" // packed another way than the preset's file of this name
				}
				if err := add(&r.file); err != nil {
					return nil, err
				}
				at = len(*pics) - 1
			}
			pic := &(*pics)[at]
			pic.to = append(pic.to, r.to)
			if r.beside && !pic.out {
				pic.out = true
			}
			if r.held {
				pic.held = true
				total += pic.line.Estimate
			}
		}
		for _, k := range pl.pictures[index] {
			if k.out {
				pl.files = append(pl.files, k.line)
			}
		}
	}
	if len(pl.files) == 0 && !slices.ContainsFunc(pl.pictures, func(l []picture) bool { return len(l) > 0 }) {
		return nil, fmt.Errorf("nothing is written: no chosen sheet has UVs")
	}
	name := FileName(m.Name, "", "", "")
	for _, kind := range preset.Scenes {
		f := File{
			Name: name + "." + kind, Sheet: "all", Map: "model with its maps", Packing: sceneWords[kind], Scene: kind,
			Depth: 8, Estimate: len(m.Tri) * 30,
		}
		if kind == "glb" || kind == "usdz" {
			f.Estimate += total
		} else {
			f.Map = "model"
		}
		if kind == "mtlx" {
			f.Map, f.Estimate = "materials", 2000*len(m.Sheets)
		}
		pl.scenes = append(pl.scenes, f)
		pl.files = append(pl.files, f)
		switch kind {
		case "gltf":
			pl.files = append(pl.files, File{Name: name + ".bin", Sheet: "all", Map: "its geometry", Packing: "buffer of the glTF", Estimate: len(m.Tri) * 30})
		case "obj":
			pl.files = append(pl.files, File{Name: name + ".mtl", Sheet: "all", Map: "its materials", Packing: "MTL", Estimate: 300 * len(m.Sheets)})
		}
	}
	return pl, nil
}

var sceneWords = map[string]string{
	"glb": "glTF 2.0 metal-rough, one file", "gltf": "glTF 2.0 metal-rough, pictures beside it",
	"obj": "OBJ, with MTL beside it", "usda": "USD in text, UsdPreviewSurface", "usdz": "USD in one file, UsdPreviewSurface",
	"mtlx": "MaterialX, OpenPBR surface",
}

// picture is a line of the table for one file of a sheet.
func (pl *plan) picture(
	p *eval.Program, sources []Source, project string, sheet, size int, f *PresetFile,
) (picture, error) {
	s := p.Scene.Model.Sheets[sheet]
	for _, c := range f.components() {
		if c.Source != "" && !known(sources, c.Source) {
			return picture{}, fmt.Errorf("preset %q: file %q: component %s takes %q, which the project has not got",
				pl.preset.Name, f.Map, c.Name, c.Source)
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
	return picture{file: f, line: File{
		Name:  pl.preset.name(project, p.Scene.Model.Name, s.Name, sheet, f, size),
		Sheet: s.Name, Map: f.Map, Packing: f.Packing(sources), Encoding: encoding, Depth: bits, Size: size,
		Estimate: size * size * len(f.components()) * bits / 8 / 3,
	}}, nil
}

func sizeOf(p *eval.Program, sheet string) int {
	if s, ok := p.Doc.Sheets[sheet]; ok {
		return s.Size
	}
	return 1024
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

// Work is an order that is being carried out: pictures in units that can be made apart, by several
// workers, and after them the scenes.
type Work struct {
	p     *eval.Program
	o     Order
	plan  *plan
	Units []Unit
}

// Unit is some pictures of one sheet that are made together.
type Unit struct {
	sheet int
	list  []picture
	bytes int64
	Name  string // of its first file
}

// NewWork plans an order.
func NewWork(p *eval.Program, o Order) (*Work, error) {
	pl, err := planOf(p, o)
	if err != nil {
		return nil, err
	}
	w := &Work{p: p, o: o, plan: pl}
	for sheet, list := range pl.pictures {
		for len(list) > 0 {
			n, bytes := together(list)
			w.Units = append(w.Units, Unit{sheet, list[:n], bytes, list[0].line.Name})
			list = list[n:]
		}
	}
	return w, nil
}

// Files lists what is written.
func (w *Work) Files() []File { return w.plan.files }

// Make makes the pictures of a unit and gives each to put, also those that only scenes want.
func (w *Work) Make(ctx context.Context, i int, share func(float64), put Put) error {
	u := w.Units[i]
	release, err := budget.Memory.Hold(ctx, u.bytes)
	if err != nil {
		return err
	}
	defer release()
	files := make([]*PresetFile, len(u.list))
	var names []string
	for i, k := range u.list {
		files[i] = k.file
		names = append(names, k.line.Name)
	}
	made, err := evaluated(ctx, w.p, u.sheet, u.list[0].line.Size, w.plan.preset.Padding, files, func(v float64) { share(0.8 * v) })
	if err != nil {
		return fmt.Errorf("%s: %w", strings.Join(names, ", "), err)
	}
	all, _ := par.WithContext(ctx)
	for i, s := range made {
		all.Go(func() error { return put.write(names[i], func(w io.Writer) error { return s.write(heeding{ctx, w}) }) })
	}
	return all.Wait()
}

// Within lists the pictures that scenes have within them.
func (w *Work) Within() (names []string) {
	for _, list := range w.plan.pictures {
		for _, k := range list {
			if k.held {
				names = append(names, k.line.Name)
			}
		}
	}
	return names
}

// Scenes writes the scenes; body gives the pictures of Within.
func (w *Work) Scenes(
	ctx context.Context, body func(name string) (meshio.Body, error), share func(float64, string), put Put,
) (err error) {
	if len(w.plan.scenes) == 0 {
		return nil
	}
	s := &meshio.Scene{
		Model: w.p.Scene.Model, Original: w.o.Original, Name: FileName(w.p.Scene.Model.Name, "", "", ""),
		Put: put.write,
	}
	if s.Maps, err = w.plan.maps(w.p, body); err != nil {
		return err
	}
	for i, f := range w.plan.scenes {
		share(float64(i)/float64(len(w.plan.scenes)), f.Name)
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := put.write(f.Name, func(w io.Writer) error { return meshio.WriteScene(w, s, f.Scene) }); err != nil {
			return err
		}
	}
	return nil
}

// Write makes the files of an order, those of a sheet together, and gives each to put.
// progress gets the share done and what is being made. Pictures that scenes have within wait on the
// disk until the scene is put together.
func Write(
	ctx context.Context,
	p *eval.Program,
	o Order,
	progress func(float64, string),
	put Put,
) error {
	w, err := NewWork(p, o)
	if err != nil {
		return err
	}
	var aside shelf
	defer aside.drop()
	held, out := map[string]bool{}, map[string]bool{}
	for _, n := range w.Within() {
		held[n] = true
	}
	for _, f := range w.Files() {
		out[f.Name] = true
	}
	count := float64(len(w.Units) + 1)
	for i, u := range w.Units {
		share := func(s float64) { progress((float64(i)+s)/count, u.Name) }
		share(0)
		err := w.Make(ctx, i, share, func(name string, file func(io.Writer) error) error {
			if !held[name] {
				return put(name, file)
			}
			if err := aside.put(name, file); err != nil || !out[name] {
				return err
			}
			body, err := aside.body(name)
			if err != nil {
				return err
			}
			return put(name, func(w io.Writer) error { _, err := io.Copy(w, io.NewSectionReader(body, 0, body.Size())); return err })
		})
		if err != nil {
			return err
		}
	}
	err = w.Scenes(ctx, aside.body, func(s float64, name string) { progress((count-1+s)/count, name) }, put)
	if err == nil {
		progress(1, "")
	}
	return err
}

// maps gathers what scenes have of each sheet.
func (pl *plan) maps(p *eval.Program, body func(string) (meshio.Body, error)) ([]*meshio.Maps, error) {
	out := make([]*meshio.Maps, len(pl.pictures))
	for sheet, list := range pl.pictures {
		if len(list) == 0 {
			continue
		}
		out[sheet] = &meshio.Maps{Glow: pl.preset.Glow, Transparent: sets(p, sheet, opacity)}
		for _, k := range list {
			if len(k.to) == 0 {
				continue
			}
			pic := &meshio.Picture{Name: k.line.Name, Media: formats[k.file.Format].media}
			if k.held {
				var err error
				if pic.Body, err = body(k.line.Name); err != nil {
					return nil, err
				}
			}
			for _, to := range k.to {
				to(out[sheet], pic)
			}
		}
	}
	return out, nil
}

// atOnce bounds the bytes of the pictures that are made together, when the budget has no
// bound. What is made apart is evaluated apart, so it is generous.
const atOnce = 960 << 20

// together returns how many of the first pictures fit into memory at once, at least one, and what they
// take.
func together(list []picture) (n int, bytes int64) {
	bytes = around * int64(list[0].line.Size) * int64(list[0].line.Size)
	for _, k := range list {
		w := k.file.weight(k.line.Size)
		if n > 0 && bytes+w > cmp.Or(budget.Memory.Work(), atOnce) {
			break
		}
		bytes += w
		n++
	}
	return n, bytes
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
func (s *shelf) body(name string) (meshio.Body, error) {
	s.mu.Lock()
	f := s.files[name]
	s.mu.Unlock()
	end, err := f.Seek(0, io.SeekEnd)
	return io.NewSectionReader(f, 0, end), err
}

func (s *shelf) drop() {
	for _, f := range s.files {
		_ = f.Close()
		_ = os.Remove(f.Name())
	}
}

// Media is the media type of a file by its name, or empty.
func Media(name string) string {
	for _, f := range formats {
		if strings.HasSuffix(name, f.ext) {
			return f.media
		}
	}
	return map[string]string{
		".usdz": "model/vnd.usdz+zip", ".usda": "model/vnd.usda", ".mtlx": "application/mtlx+xml", ".mtl": "model/mtl", ".bin": "application/octet-stream",
	}[path.Ext(name)]
}
