package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"velvetgrime/core/bake"
	"velvetgrime/core/deliver"
	"velvetgrime/core/mesh"

	"github.com/spf13/cobra"
)

// bakeReport is what bake prints with --json.
type bakeReport struct {
	Files       []string `json:"files"`
	Notes       []string `json:"notes"`
	Triangles   int      `json:"triangles"`
	Seconds     float64  `json:"seconds"`
	Build       float64  `json:"hierarchySeconds"`
	Rays        int64    `json:"rays"`
	MegaRays    float64  `json:"millionRaysPerSecond"`
	PeakMiB     float64  `json:"peakMemoryMiB"`
	Missed      int      `json:"missedTexels"`
	OnSurface   int      `json:"texelsOnSurface"`
	SecondsCast float64  `json:"castSeconds"`
}

func bakeCommand() *cobra.Command {
	s := bake.Default()
	var high []string
	var names, out, format string
	var asJSON bool
	c := &cobra.Command{Use: "bake LOW", Short: "Measure a model into maps: occlusion, curvature, normals and so on", Args: cobra.ExactArgs(1),
		Long: "Measure a model into maps, from itself or from a dense model.\nFiles are named <sheet>_<map>.<ext>. Pictures of 16 bits hold the range that --json and the\nnotes tell; EXR holds the numbers themselves: metres, unit vectors, shares.",
		RunE: func(c *cobra.Command, args []string) error {
			if format != "png16" && format != "exr" {
				return fmt.Errorf("format %q is none of png16, exr", format)
			}
			low, err := readModel(args[0])
			if err != nil {
				return err
			}
			dense, err := readDense(high)
			if err != nil {
				return err
			}
			r, err := bakeFiles(c.Context(), low, dense, s, strings.Split(names, ","), out, format)
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if asJSON {
				e := json.NewEncoder(w)
				e.SetIndent("", "  ")
				return e.Encode(r)
			}
			for _, n := range r.Notes {
				fmt.Fprintln(w, "note:", n)
			}
			for _, f := range r.Files {
				fmt.Fprintln(w, f)
			}
			fmt.Fprintf(w, "%.2f s, of which the ray tree of %d triangles %.2f s; %d rays, %.2f million a second; %d of %d texels missed; peak %.0f MiB\n",
				r.Seconds, r.Triangles, r.Build, r.Rays, r.MegaRays, r.Missed, r.OnSurface, r.PeakMiB)
			return nil
		}}
	f := c.Flags()
	f.StringSliceVar(&high, "high", nil, "dense model; may be given several times")
	f.StringVar(&names, "maps", "ao,curvature,normal-world,position,thickness", "ao, bent, curvature, height, id, misses, normal, normal-world, position, sky, thickness")
	f.IntVar(&s.Size, "size", s.Size, "texels a side")
	f.IntVar(&s.Samples, "samples", s.Samples, "rays a texel")
	f.IntVar(&s.Smooth, "smooth", s.Smooth, "anti-aliasing: 1, 2 or 4 places along each side of a texel")
	f.StringVar(&s.Match, "match", s.Match, "all, exact (part names), suffix")
	f.StringVar(&s.LowSuffix, "low-suffix", s.LowSuffix, "ends the names of parts")
	f.StringVar(&s.HighSuffix, "high-suffix", s.HighSuffix, "ends the names of dense parts, or is followed by more")
	f.Float64Var(&s.Front, "front", 0, "metres before the surface where rays start; 0: a fiftieth of the model")
	f.Float64Var(&s.Back, "back", 0, "metres behind it where they end; 0: as front")
	f.Float64Var(&s.Distance, "distance", 0, "metres that occlusion reaches; 0: any")
	f.StringVar(&s.Self, "self", s.Self, "what occludes: all, or each part only itself (part)")
	f.Float64Var(&s.Radius, "radius", 0, "metres over which curvature is measured; 0: a hundredth of the model")
	f.Float64Var(&s.Thickness, "thickness", 0, "metres that are white; 0: a fifth of the model")
	f.IntVar(&s.Dilate, "dilate", s.Dilate, "texels that islands are carried outward; -1: everywhere")
	f.StringVar(&s.ID, "id", s.ID, "what the ID map tells apart: material, part, color")
	f.StringVarP(&out, "out", "o", ".", "folder to write to")
	f.StringVar(&format, "format", "png16", "png16 or exr")
	f.BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

func readDense(files []string) (*mesh.Model, error) {
	if len(files) == 0 {
		return nil, nil
	}
	var all []*mesh.Model
	for _, f := range files {
		m, err := readModel(f)
		if err != nil {
			return nil, err
		}
		all = append(all, m)
	}
	return mesh.Join(all[0].Name, all...)
}

func bakeFiles(ctx context.Context, low, high *mesh.Model, s bake.Settings, names []string, out, format string) (*bakeReport, error) {
	start := time.Now()
	if high != nil {
		names = append(names, "misses") // counted, and written with the others
	}
	b, err := bake.New(ctx, low, high, s, names)
	if err != nil {
		return nil, err
	}
	pieces := b.Pieces()
	if len(pieces) == 0 {
		return nil, fmt.Errorf("no sheet of %s has UVs; run unwrap first", low.Name)
	}
	// pieces lie on the disk until they are joined: an 8192 sheet does not fit in memory
	dir, err := os.MkdirTemp("", "velvetgrime-bake-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	name := func(p bake.Piece) string { return filepath.Join(dir, fmt.Sprintf("%d-%d", p.Sheet, p.Row)) }
	r := &bakeReport{Notes: append([]string{}, b.Notes...), Files: []string{}}
	cast := time.Now()
	for _, p := range pieces {
		st, err := b.Bake(ctx, p)
		if err != nil {
			return nil, err
		}
		data, err := st.Bytes()
		if err != nil {
			return nil, err
		}
		if err := os.WriteFile(name(p), data, 0o600); err != nil {
			return nil, err
		}
	}
	r.SecondsCast = time.Since(cast).Seconds()
	for sheet := range low.Sheets {
		for i := range b.Maps {
			if !low.Sheets[sheet].HasUV {
				continue
			}
			img, err := b.Assemble(ctx, sheet, i, func(row int) (*bake.Strip, error) {
				data, err := os.ReadFile(name(bake.Piece{Sheet: sheet, Row: row}))
				if err != nil {
					return nil, err
				}
				return b.ParseStrip(data)
			})
			if err != nil {
				return nil, err
			}
			if i == 0 {
				r.OnSurface += count(img.Covered, func(c bool) bool { return c })
			}
			if img.Map == "misses" {
				for k, c := range img.Covered {
					if c && img.Data[k] > 0 {
						r.Missed++
					}
				}
			}
			file, data, err := encodeBaked(img, low.Sheets[sheet].Name, format)
			if err != nil {
				return nil, err
			}
			if err := os.MkdirAll(out, 0o755); err != nil {
				return nil, err
			}
			file = filepath.Join(out, file)
			if err := os.WriteFile(file, data, 0o644); err != nil {
				return nil, err
			}
			r.Files = append(r.Files, file)
		}
	}
	r.Triangles = len(low.Tri)
	if high != nil {
		r.Triangles = len(high.Tri)
	}
	r.Seconds, r.Build, r.Rays, r.PeakMiB = time.Since(start).Seconds(), b.Built().Seconds(), b.Rays(), peakMiB()
	r.MegaRays = float64(r.Rays) / r.SecondsCast / 1e6
	return r, nil
}

func encodeBaked(img *bake.Image, sheet, format string) (name string, data []byte, err error) {
	if format == "exr" {
		data, err = deliver.EXR(img.Planes(), img.Size)
		return fileName(sheet) + "_" + img.Map + ".exr", data, err
	}
	data, err = deliver.PNG(img.Picture())
	return fileName(sheet) + "_" + img.Map + ".png", data, err
}

// fileName replaces what some file system does not take in a name.
func fileName(s string) string {
	return strings.NewReplacer("/", "_", "\\", "_", ":", "_", "*", "_", "?", "_", "\"", "_", "<", "_", ">", "_", "|", "_").Replace(s)
}

func count[T any](list []T, f func(T) bool) (n int) {
	for _, v := range list {
		if f(v) {
			n++
		}
	}
	return n
}

// peakMiB returns the most memory this process has held, or 0 where the system
// does not tell.
func peakMiB() float64 {
	b, _ := os.ReadFile("/proc/self/status")
	for _, l := range strings.Split(string(b), "\n") {
		if v, ok := strings.CutPrefix(l, "VmHWM:"); ok {
			n, _ := strconv.ParseFloat(strings.Fields(v)[0], 64)
			return n / 1024
		}
	}
	return 0
}
