package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"
	"sync"

	"velvetgrime/core/cache"
	"velvetgrime/core/deliver"
	"velvetgrime/core/eval"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"

	"github.com/spf13/cobra"
)

const cliCache = 512 << 20

// cliHeap is from where on the collector works harder while files are delivered, so that all of it
// stays within two GiB.
const cliHeap = 1800 << 20

func readModel(path string) (*mesh.Model, error) {
	return meshio.Read(os.DirFS(filepath.Dir(path)), filepath.Base(path), meshio.DefaultLimits)
}

func readDocument(path string) (*stack.Document, error) {
	b, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	d, err := step.Rules.Decode(b, nil)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return d, nil
}

func inspectCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{Use: "inspect MODEL", Short: "Say what is in a model and what is wrong with it", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			m, err := readModel(args[0])
			if err != nil {
				return err
			}
			f := m.Facts()
			out := c.OutOrStdout()
			if asJSON {
				e := json.NewEncoder(out)
				e.SetIndent("", "  ")
				return e.Encode(f)
			}
			fmt.Fprintf(out, "%s: %d triangles, %d vertices, %d islands, %.3f × %.3f × %.3f m, %d open edges\n", f.Name, f.Triangles, f.Vertices, f.Islands, f.Size[0], f.Size[1], f.Size[2], f.OpenEdges)
			fmt.Fprintln(out, "\nparts")
			for _, p := range f.Parts {
				fmt.Fprintf(out, "  %-28s %7d triangles\n", p.Name, p.Triangles)
			}
			fmt.Fprintln(out, "\nsheets")
			for _, s := range f.Sheets {
				fmt.Fprintf(out, "  %-28s %7d triangles  %4d islands  %3.0f %% filled  %.0f texels/m at 1024  %d mirrored\n", s.Name, s.Triangles, s.Islands, s.Coverage*100, s.Density, s.Mirrored)
			}
			if len(f.Problems) > 0 {
				fmt.Fprintln(out, "\nproblems")
				for _, p := range f.Problems {
					fmt.Fprintln(out, "  "+p)
				}
			}
			return nil
		}}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

// mapOf returns the map that eval writes under a name: a channel's alone, or the packed one.
func mapOf(name string) (deliver.Map, error) {
	if m, ok := deliver.Alone(stack.Channel(name)); ok {
		return m, nil
	}
	for _, m := range deliver.Maps {
		if m.Suffix == name {
			return m, nil
		}
	}
	return deliver.Map{}, fmt.Errorf("channel %q is unknown; see --help", name)
}

func evalCommand() *cobra.Command {
	var model, sheet, channels, out, format string
	var size int
	c := &cobra.Command{Use: "eval DOC.json", Short: "Evaluate a document without server or database", Args: cobra.ExactArgs(1),
		Long: "Evaluate a document on a model and write one picture for each sheet and channel.\nChannels: baseColor, roughness, metallic, height, ambientOcclusion, opacity, emissive,\nnormal, orm (occlusion, roughness and metallic in one picture).",
		RunE: func(c *cobra.Command, args []string) error {
			m, err := readModel(model)
			if err != nil {
				return err
			}
			d, err := readDocument(args[0])
			if err != nil {
				return err
			}
			depth := map[string]int{"png8": 8, "png16": 16, "exr": 32}[format]
			if depth == 0 {
				return fmt.Errorf("format %q is none of png8, png16, exr", format)
			}
			if size < 128 || size > 8192 || size&(size-1) != 0 {
				return fmt.Errorf("size %d is not a power of two from 128 to 8192", size)
			}
			if sheet != "" && m.SheetIndex(sheet) < 0 {
				return fmt.Errorf("the model has no sheet %q", sheet)
			}
			scene := eval.NewScene(m, cache.New(cliCache))
			scene.Picture = picturesBeside(args[0])
			p := eval.Compile(scene, d, "", "")
			for i, s := range m.Sheets {
				if sheet != "" && s.Name != sheet || !s.HasUV {
					continue
				}
				for _, ch := range strings.Split(channels, ",") {
					ch := stack.Channel(strings.TrimSpace(ch))
					if depth == 32 && ch == "orm" {
						return fmt.Errorf("orm is a packing for pictures; ask for ambientOcclusion, roughness and metallic")
					}
					k, err := mapOf(string(ch))
					if err != nil {
						return err
					}
					b, err := deliver.Encoded(c.Context(), p, i, size, k, depth)
					if err != nil {
						return err
					}
					suffix, ext := k.Suffix, ".png"
					if depth == 32 {
						suffix, ext = string(ch), ".exr"
					}
					if err := write(out, deliver.FileName(m.Name, s.Name, suffix, ext), b, c.OutOrStdout()); err != nil {
						return err
					}
				}
			}
			return nil
		}}
	c.Flags().StringVar(&model, "model", "", "model file (.glb, .gltf, .obj)")
	c.Flags().StringVar(&sheet, "sheet", "", "one sheet only")
	c.Flags().StringVar(&channels, "channels", "baseColor,orm,normal", "what to write")
	c.Flags().StringVarP(&out, "out", "o", ".", "folder to write to")
	c.Flags().StringVar(&format, "format", "png8", "png8, png16, or exr: 32-bit floats, colours as linear light, height in metres")
	c.Flags().IntVar(&size, "size", 1024, "texels a side")
	_ = c.MarkFlagRequired("model")
	return c
}

// picturesBeside reads pictures by paths relative to a document.
func picturesBeside(doc string) func(string) (*pix.Picture, error) {
	return func(name string) (*pix.Picture, error) {
		f, err := os.Open(filepath.Join(filepath.Dir(doc), filepath.FromSlash(name)))
		if err != nil {
			return nil, err
		}
		defer f.Close()
		return pix.DecodePicture(f)
	}
}

func write(dir, name string, data []byte, out io.Writer) error {
	return writeFile(dir, name, func(w io.Writer) error { _, err := w.Write(data); return err }, out)
}

// writeFile makes a file in a folder, which is there in whole or not at all, and says so.
func writeFile(dir, name string, file func(io.Writer) error, out io.Writer) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	f, err := os.CreateTemp(dir, ".velvetgrime-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	err = file(f)
	n, _ := f.Seek(0, io.SeekEnd)
	err = errors.Join(err, f.Chmod(0o644), f.Close())
	path := filepath.Join(dir, name)
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	if err == nil {
		_, err = fmt.Fprintf(out, "%s  %d bytes\n", path, n)
	}
	return err
}

func exportCommand() *cobra.Command {
	var project, doc, model, out, maps, dsn, preset, report string
	var size int
	var glb bool
	var scenes []string
	c := &cobra.Command{Use: "export", Short: "Deliver the maps and the GLB of a project or of a document", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			debug.SetMemoryLimit(cliHeap) // the sheets of 8192 texels are as large as all else
			p, original, done, err := program(c.Context(), project, doc, model, dsn)
			if err != nil {
				return err
			}
			defer done()
			o := deliver.Order{Size: size, GLB: glb, Original: original}
			if maps != "" {
				o.Maps = strings.Split(maps, ",")
			}
			if preset != "" {
				if o.Preset, err = presetOf(preset); err != nil {
					return err
				}
				if o.Project = project; project == "" {
					o.Project = p.Scene.Model.Name
				}
				if size != 0 {
					o.Preset.Size, o.Preset.Share = size, 0
				}
			}
			if o.Preset != nil && len(scenes) > 0 {
				o.Preset.Scenes = scenes
			}
			return exported(c, p, o, out, report)
		}}
	c.Flags().StringVar(&project, "project", "", "name or id of a project in the database")
	c.Flags().StringVar(&doc, "document", "", "document file, instead of a project")
	c.Flags().StringVar(&model, "model", "", "model file for --document; without a document it is delivered bare")
	c.Flags().StringVarP(&out, "out", "o", ".", "folder to write to")
	c.Flags().StringVar(&maps, "maps", "base color,occlusion roughness metallic,normal", "maps by name, with commas; empty for none")
	c.Flags().IntVar(&size, "size", 0, "texels a side; 0 keeps each sheet's own")
	c.Flags().BoolVar(&glb, "glb", true, "also write the GLB")
	c.Flags().StringSliceVar(&scenes, "scenes", nil, "with --preset: kinds of files that carry the model instead of the preset's: "+strings.Join(meshio.SceneForms, ", "))
	c.Flags().StringVar(&report, "report", "", "a file (.json) that lists what was written, with sizes and hashes; - for the output, instead of lines of text")
	c.Flags().StringVar(&preset, "preset", "", "what is written, instead of maps and GLB: a preset by its name, or a file (.json)")
	c.Flags().StringVar(&dsn, "database", os.Getenv("VELVETGRIME_DATABASE"), "PostgreSQL connection string")
	return c
}

// exported writes the files of an order to a folder, and tells of each.
func exported(c *cobra.Command, p *eval.Program, o deliver.Order, dir, report string) error {
	text := c.OutOrStdout()
	if report == "-" {
		text = io.Discard
	}
	plan, err := deliver.Plan(p, o)
	if err != nil {
		return err
	}
	var mu sync.Mutex
	made := map[string]deliver.Written{}
	err = deliver.Write(c.Context(), p, o, func(float64, string) {}, func(name string, file func(io.Writer) error) error {
		sum := deliver.NewSum()
		err := writeFile(dir, name, func(w io.Writer) error { return file(io.MultiWriter(w, sum)) }, text)
		mu.Lock()
		defer mu.Unlock()
		made[name] = sum.Written(name)
		return err
	})
	if err != nil || report == "" {
		return err
	}
	list := []deliver.Written{}
	for _, f := range plan {
		list = append(list, made[f.Name])
	}
	b, err := json.MarshalIndent(map[string]any{"files": list}, "", "  ")
	if err != nil {
		return err
	}
	if b = append(b, '\n'); report == "-" {
		_, err = c.OutOrStdout().Write(b)
		return err
	}
	return os.WriteFile(report, b, 0o644)
}

// originalOf is the file of a model, with what lies beside it.
func originalOf(path string) *meshio.Original {
	return &meshio.Original{Files: os.DirFS(filepath.Dir(path)), Name: filepath.Base(path)}
}

// presetOf is a preset of ours by its name, or one from a file.
func presetOf(name string) (*deliver.FilePreset, error) {
	if p, ok := deliver.FindPreset(name); ok {
		return &p, nil
	}
	b, err := os.ReadFile(name)
	if os.IsNotExist(err) {
		var names []string
		for _, p := range deliver.Presets() {
			names = append(names, p.Name)
		}
		return nil, fmt.Errorf("%q is neither a preset (%s) nor a file", name, strings.Join(names, "; "))
	}
	var p deliver.FilePreset
	if err == nil {
		err = json.Unmarshal(b, &p)
	}
	if err == nil {
		err = p.Check()
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return &p, nil
}

// program opens what export was asked for.
func program(ctx context.Context, project, doc, model, dsn string) (*eval.Program, *meshio.Original, func(), error) {
	if project != "" {
		s, err := store.Open(dsn)
		if err != nil {
			return nil, nil, nil, err
		}
		list, err := s.Projects(ctx)
		if err != nil {
			return nil, nil, nil, err
		}
		i := slices.IndexFunc(list, func(p store.Project) bool { return p.ID == project || p.Name == project })
		if i < 0 {
			return nil, nil, nil, fmt.Errorf("there is no project %q", project)
		}
		hub := live.NewHub(s, cliCache)
		hub.Transient = true // a server may have the project open
		p, err := hub.Program(ctx, list[i].ID)
		if err != nil {
			return nil, nil, nil, err
		}
		original, err := hub.Original(ctx, list[i].ID)
		if err != nil {
			return nil, nil, nil, err
		}
		return p, original, s.Close, nil
	}
	if model == "" {
		return nil, nil, nil, fmt.Errorf("give --project, or --model with --document")
	}
	m, err := readModel(model)
	if err != nil {
		return nil, nil, nil, err
	}
	d := stack.New(nil, 1024)
	if doc != "" {
		if d, err = readDocument(doc); err != nil {
			return nil, nil, nil, err
		}
	}
	return eval.Compile(eval.NewScene(m, cache.New(cliCache)), d, "", ""), originalOf(model), func() {}, nil
}
