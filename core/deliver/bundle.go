package deliver

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"slices"

	"velvetgrime/core/eval"
	"velvetgrime/core/meshio"
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
			f := File{FileName(m.Name, s.Name, k.Suffix, ".png"), s.Name, k.Name, k.Packing, k.Encoding, depth, size, size * size * k.Channels * depth / 8 / 3}
			total += f.Estimate
			files = append(files, f)
		}
	}
	if o.GLB {
		files = append(files, File{FileName(m.Name, "", "", ".glb"), "all", "model with its maps", "glTF 2.0 metal-rough", "", 8, 0, total + len(m.Tri)*30})
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
func Write(ctx context.Context, p *eval.Program, o Order, progress func(float64, string), put func(name string) (io.Writer, error)) error {
	files, err := Plan(p, o)
	if err != nil {
		return err
	}
	for i, f := range files {
		share := func(s float64) { progress((float64(i)+s)/float64(len(files)), f.Name) }
		share(0)
		var data []byte
		if f.Map == "model with its maps" {
			data, err = GLB(ctx, p, o, share)
		} else {
			k, _ := Find(f.Map)
			var img, e = Image(ctx, p, p.Scene.Model.SheetIndex(f.Sheet), f.Size, k, f.Depth, share)
			if err = e; err == nil {
				data, err = PNG(img)
			}
		}
		if err != nil {
			return fmt.Errorf("%s: %w", f.Name, err)
		}
		w, err := put(f.Name)
		if err != nil {
			return err
		}
		if _, err := w.Write(data); err != nil {
			return fmt.Errorf("%s: %w", f.Name, err)
		}
	}
	progress(1, "")
	return nil
}

// GLB makes the model with all its maps inside.
func GLB(ctx context.Context, p *eval.Program, o Order, progress func(float64)) ([]byte, error) {
	m := p.Scene.Model
	all := make([]meshio.Maps, len(m.Sheets))
	for i, s := range m.Sheets {
		if !s.HasUV {
			continue
		}
		size := sizeOf(p, o, s.Name)
		out := &all[i]
		clear := uses(p, i, stack.Opacity)
		base := "base color"
		if clear {
			base, out.Transparent = "base color with opacity", true
		}
		want := []struct {
			name string
			to   *[]byte
			on   bool
		}{
			{base, &out.BaseColor, true}, {"occlusion roughness metallic", &out.ORM, true},
			{"normal", &out.Normal, uses(p, i, stack.Height)}, {"emissive", &out.Emissive, uses(p, i, stack.Emissive)},
		}
		for k, w := range want {
			if !w.on {
				continue
			}
			kind, _ := Find(w.name)
			img, err := Image(ctx, p, i, size, kind, 8, func(v float64) {
				progress((float64(i) + (float64(k)+v)/4) / float64(len(m.Sheets)))
			})
			if err != nil {
				return nil, fmt.Errorf("sheet %q: %w", s.Name, err)
			}
			if *w.to, err = PNG(img); err != nil {
				return nil, err
			}
		}
	}
	var b bytes.Buffer
	err := meshio.WriteGLB(&b, m, all)
	return b.Bytes(), err
}

// uses reports whether any visible layer that reaches the sheet sets a channel.
func uses(p *eval.Program, sheet int, c stack.Channel) bool {
	name := p.Scene.Model.Sheets[sheet].Name
	for _, l := range p.Doc.Layers {
		if l.Visible && l.Channels[c].On && (len(l.Reach.Sheets) == 0 || slices.Contains(l.Reach.Sheets, name)) {
			return true
		}
	}
	return false
}
