// Package demo loads the sample projects into a store.
package demo

import (
	"archive/zip"
	"bytes"
	"context"
	_ "embed"
	"slices"

	"velvetgrime/core/bake"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/internal/intake"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"
)

// The pictures of the project list, as the page itself takes them; they are
// replaced when a project is opened.
var (
	//go:embed lantern.png
	lanternPicture []byte
	//go:embed bollard.png
	bollardPicture []byte
)

// Load puts the sample projects into an empty store; a store that has any
// project is left as it is. The dressed ones get sheets of size texels a side.
func Load(ctx context.Context, s *store.Store, size int) error {
	have, err := s.Projects(ctx)
	if err != nil || len(have) > 0 {
		return err
	}
	for _, p := range []struct {
		model *mesh.Model
		doc   *stack.Document
		shot  []byte
	}{{sample.Cleat(), nil, nil}, {sample.Gull(), nil, nil}, {sample.Bollard(), sample.BollardDocument(), bollardPicture}, {sample.Lantern(), sample.LanternDocument(), lanternPicture}} {
		if p.doc != nil {
			for name, sheet := range p.doc.Sheets {
				sheet.Size = size
				p.doc.Sheets[name] = sheet
			}
		}
		var b bytes.Buffer
		if err := meshio.WriteGLB(&b, p.model, meshio.Options{}); err != nil {
			return err
		}
		if _, err := intake.Create(ctx, s, "", p.model.Name, map[string][]byte{"model.glb": b.Bytes()}, p.doc, p.shot); err != nil {
			return err
		}
	}
	return nil
}

// order is what the lantern is baked with when the demo is first made.
func order(dense string) jobs.BakeOrder {
	s := bake.Default()
	s.Size, s.Samples, s.Smooth, s.Match, s.Front, s.Back = 512, 32, 2, "exact", 0.003, 0.003
	return jobs.BakeOrder{Settings: s, Maps: []string{"ao", "curvature", "thickness", "sky", "normal", "height", "id"}, Dense: []string{dense}}
}

// Bake makes the lantern's dense counterpart and puts its bakes in the queue, once:
// a lantern that has, or had, a bake is left as it is.
func Bake(ctx context.Context, s *store.Store, hub *live.Hub, r *jobs.Runner) error {
	list, err := s.Projects(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(list, func(p store.Project) bool { return p.Name == "Signal lantern" })
	if i < 0 {
		return nil
	}
	before, err := s.Jobs(ctx, list[i].ID)
	if err != nil || len(before) > 0 {
		return err
	}
	m := sample.LanternDense()
	var glb, packed bytes.Buffer
	if err := meshio.WriteGLB(&glb, m, meshio.Options{}); err != nil {
		return err
	}
	z := zip.NewWriter(&packed)
	const file = "lantern-dense.glb"
	w, err := z.Create(file)
	if err == nil {
		_, err = w.Write(glb.Bytes())
	}
	if err == nil {
		err = z.Close()
	}
	if err != nil {
		return err
	}
	blob, err := s.PutBlob(ctx, packed.Bytes())
	if err != nil {
		return err
	}
	p, err := hub.Open(ctx, list[i].ID)
	if err != nil {
		return err
	}
	dense := stack.Dense{Name: "lantern-dense", Blob: blob, File: file, Triangles: len(m.Tri)}
	err = p.Change("Low Wick landing", func(d *stack.Document) (stack.Op, error) { return d.WithDense(dense), nil })
	if err != nil {
		return err
	}
	_, err = r.Order(ctx, list[i].ID, "bake", "Low Wick landing", "Bake the lantern", order(dense.Name))
	return err
}
