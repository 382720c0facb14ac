package deliver

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"io"
	"slices"

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

// Write makes the files of an order one after another and hands each to put.
// progress gets the share done and what is being made.
func Write(
	ctx context.Context,
	p *eval.Program,
	o Order,
	progress func(float64, string),
	put func(name string) (io.Writer, error),
) error {
	files, err := Plan(p, o)
	if err != nil {
		return err
	}
	hand := func(e *encoding) error {
		data, err := e.wait()
		if err == nil {
			var w io.Writer
			if w, err = put(e.name); err == nil {
				_, err = w.Write(data)
			}
		}
		if err != nil {
			return fmt.Errorf("%s: %w", e.name, err)
		}
		return nil
	}
	for i := 0; i < len(files); {
		// the pictures of a sheet are evaluated together, and encoded side by side
		n := together(files[i:])
		share := func(s float64) { progress((float64(i)+s*float64(n))/float64(len(files)), files[i].Name) }
		share(0)
		make := pictures
		if files[i].Map == "model with its maps" {
			make = wholeModel
		}
		if err := make(ctx, p, o, files[i:i+n], share, hand); err != nil {
			return err
		}
		i += n
	}
	progress(1, "")
	return nil
}

// wholeModel makes the model with its maps.
func wholeModel(
	ctx context.Context, p *eval.Program, o Order, files []File, share func(float64), hand func(*encoding) error,
) error {
	return hand(encode(files[0].Name, func() ([]byte, error) { return GLB(ctx, p, o, share) }))
}

// pictures makes pictures of one sheet, each with its encoding, within the budget of memory.
func pictures(
	ctx context.Context, p *eval.Program, _ Order, files []File, share func(float64), hand func(*encoding) error,
) error {
	var maps []Map
	var depth []int
	for _, f := range files {
		k, _ := Find(f.Map)
		maps, depth = append(maps, k), append(depth, f.Depth)
	}
	release, err := budget.Work.Hold(ctx, weight(files[0].Size, depth))
	if err != nil {
		return err
	}
	defer release()
	sheet := p.Scene.Model.SheetIndex(files[0].Sheet)
	made, err := Images(ctx, p, sheet, files[0].Size, maps, depth, func(v float64) { share(0.8 * v) })
	if err != nil {
		return fmt.Errorf("%s: %w", files[0].Name, err)
	}
	var all []*encoding
	for k, img := range made {
		all = append(all, encode(files[k].Name, func() ([]byte, error) { return PNG(img) }))
	}
	for i, e := range all {
		if err = hand(e); err != nil {
			for _, left := range all[i+1:] { // they hold their pictures until they end
				_, _ = left.wait()
			}
			return err
		}
	}
	return nil
}

// weight is what pictures of a sheet take while they are made and encoded, in bytes: their
// texels, as much again as PNG at most, and what fills them outward.
func weight(size int, depth []int) int64 {
	n := int64(9)
	for _, d := range depth {
		n += 2 * 4 * int64(d) / 8
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
	var depth []int
	for _, f := range files {
		depth = append(depth, f.Depth)
		bytes := weight(f.Size, depth)
		if f.Sheet != files[0].Sheet || f.Size != files[0].Size || f.Map == "model with its maps" ||
			n > 0 && bytes > most {
			break
		}
		n++
	}
	return max(n, 1)
}

// encoding is a file that is being encoded.
type encoding struct {
	name string
	done chan struct{}
	data []byte
	err  error
}

func encode(name string, f func() ([]byte, error)) *encoding {
	e := &encoding{name: name, done: make(chan struct{})}
	go func() {
		defer close(e.done)
		e.err = par.Contain(func() (err error) { e.data, err = f(); return err })
	}()
	return e
}

func (e *encoding) wait() ([]byte, error) {
	<-e.done
	return e.data, e.err
}

// GLB makes the model with all its maps inside.
func GLB(ctx context.Context, p *eval.Program, o Order, progress func(float64)) ([]byte, error) {
	m := p.Scene.Model
	all := make([]meshio.Maps, len(m.Sheets))
	for i, s := range m.Sheets {
		if !s.HasUV {
			continue
		}
		share := func(v float64) { progress((float64(i) + v) / float64(len(m.Sheets))) }
		var err error
		if all[i], err = mapsOf(ctx, p, i, sizeOf(p, o, s.Name), share); err != nil {
			return nil, fmt.Errorf("sheet %q: %w", s.Name, err)
		}
	}
	var b bytes.Buffer
	err := meshio.WriteGLB(&b, m, meshio.Options{Maps: all})
	return b.Bytes(), err
}

// mapsOf makes the maps of one sheet as glTF has them, within the budget of memory.
func mapsOf(
	ctx context.Context, p *eval.Program, sheet, size int, share func(float64),
) (out meshio.Maps, err error) {
	clear := sets(p, sheet, stack.Opacity)
	base := "base color"
	if clear {
		base, out.Transparent = "base color with opacity", true
	}
	want := []struct {
		name string
		to   *[]byte
		on   bool
	}{
		{base, &out.BaseColor, true},
		{"occlusion roughness metallic", &out.ORM, true},
		{"normal", &out.Normal, sets(p, sheet, stack.Height) || sets(p, sheet, stack.Normal)},
		{"emissive", &out.Emissive, sets(p, sheet, stack.Emissive)},
	}
	var maps []Map
	var to []*[]byte
	var depth []int
	for _, w := range want {
		if w.on {
			kind, _ := Find(w.name)
			maps, to, depth = append(maps, kind), append(to, w.to), append(depth, 8)
		}
	}
	for i := 0; i < len(maps); {
		n := 1
		for i+n < len(maps) && weight(size, depth[i:i+n+1]) <= mostAtOnce() {
			n++
		}
		part := func(v float64) { share((float64(i) + v*float64(n)) / float64(len(maps))) }
		if err := encoded(ctx, p, sheet, size, maps[i:i+n], depth[i:i+n], to[i:i+n], part); err != nil {
			return out, err
		}
		i += n
	}
	return out, nil
}

// encoded makes maps of a sheet together and writes each as PNG to where it belongs.
func encoded(
	ctx context.Context, p *eval.Program, sheet, size int, maps []Map, depth []int, to []*[]byte,
	share func(float64),
) error {
	release, err := budget.Work.Hold(ctx, weight(size, depth))
	if err != nil {
		return err
	}
	defer release()
	made, err := Images(ctx, p, sheet, size, maps, depth, share)
	if err != nil {
		return err
	}
	var all []*encoding
	for _, img := range made {
		all = append(all, encode("", func() ([]byte, error) { return PNG(img) }))
	}
	for k, e := range all {
		var failed error
		if *to[k], failed = e.wait(); err == nil {
			err = failed
		}
	}
	return err
}

// mostAtOnce bounds the bytes of the pictures that are made together.
func mostAtOnce() int64 { return cmp.Or(budget.Work.Total(), atOnce) }

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
