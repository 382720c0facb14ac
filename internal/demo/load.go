// Package demo loads the sample projects into a store.
package demo

import (
	"archive/zip"
	"bytes"
	"context"
	_ "embed"
	"fmt"
	"image/png"
	"slices"
	"time"

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
	//go:embed ferry.png
	ferryPicture []byte
)

// Load puts the sample projects into an empty store; a store that has any
// project is left as it is. The dressed ones get sheets of size texels a side. Plain
// leaves the bollard with a light stack and the gull with none.
func Load(ctx context.Context, s *store.Store, size int, plain bool) error {
	have, err := s.Projects(ctx)
	if err != nil || len(have) > 0 {
		return err
	}
	bollard, gull, ferry := sample.BollardDocument(), sample.GullDocument(), sample.FerryDocument()
	if plain {
		bollard, gull, ferry = sample.PlainBollard(), nil, nil
	}
	for _, p := range []struct {
		model *mesh.Model
		doc   *stack.Document
		shot  []byte
	}{{sample.Cleat(), nil, nil}, {sample.Gull(), gull, nil}, {sample.Ferry(), ferry, ferryPicture}, {sample.Bollard(), bollard, bollardPicture}, {sample.Lantern(), sample.LanternDocument(), lanternPicture}} {
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
		made, err := intake.Create(ctx, s, "", p.model.Name, map[string][]byte{"model.glb": b.Bytes()}, p.doc, p.shot)
		if err == nil && p.doc != nil {
			err = addPictures(ctx, s, made.ID, p.doc)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// addPictures gives a project the pictures that its document holds.
func addPictures(ctx context.Context, s *store.Store, project string, d *stack.Document) error {
	for _, name := range d.Pictures() {
		p, known := sample.Pictures()[name]
		if !known {
			return fmt.Errorf("the sample picture %s is not there", name)
		}
		c, err := png.DecodeConfig(bytes.NewReader(p.PNG))
		if err != nil {
			return err
		}
		if _, err := s.PutBlob(ctx, p.PNG); err != nil {
			return err
		}
		row := &store.Picture{ProjectID: project, Blob: name, Name: p.File, Width: c.Width, Height: c.Height, At: time.Now()}
		if err := s.PutPicture(ctx, row); err != nil {
			return err
		}
	}
	return nil
}

// Bake puts the bakes of the dressed projects in the queue, once: a project that has,
// or had, a bake is left as it is. The lantern gets its dense counterpart first.
func Bake(ctx context.Context, s *store.Store, hub *live.Hub, r *jobs.Runner) error {
	list, err := s.Projects(ctx)
	if err != nil {
		return err
	}
	type order struct {
		project, label string
		bake           jobs.BakeOrder
		dense          *mesh.Model
	}
	var all []order
	for _, p := range []struct{ project, name string }{
		{"Signal lantern", "lantern"}, {"Mooring bollard", "bollard"}, {"Decoy gull", "gull"}, {"Ferry Dunlin", "ferry"},
	} {
		i := slices.IndexFunc(list, func(o store.Project) bool { return o.Name == p.project })
		if i < 0 {
			continue
		}
		before, err := s.Jobs(ctx, list[i].ID)
		if err != nil {
			return err
		}
		if len(before) > 0 {
			continue
		}
		settings, maps := sample.Bakes(p.name)
		o := order{list[i].ID, "Bake " + p.project, jobs.BakeOrder{Settings: settings, Maps: maps, Idle: true}, nil}
		if p.name == "lantern" {
			o.dense = sample.LanternDense()
		}
		all = append(all, o)
	}
	// small at once, and from the models themselves, so that what is worn is worn from the
	// beginning; as it is to be when nobody waits for anything else
	for _, o := range all {
		small := o.bake
		small.Idle, small.Patient = false, true
		small.Settings.Size, small.Settings.Samples, small.Settings.Smooth = 128, 16, 1
		small.Maps = slices.DeleteFunc(slices.Clone(small.Maps), func(name string) bool {
			return name == "normal" || name == "height" || name == "id"
		})
		if _, err := r.Order(ctx, o.project, "bake", "Low Wick landing", o.label+", small", small); err != nil {
			return err
		}
	}
	for _, o := range all {
		if o.dense != nil {
			if err := addDense(ctx, s, hub, o.project, o.dense, &o.bake); err != nil {
				return err
			}
		}
		if _, err := r.Order(ctx, o.project, "bake", "Low Wick landing", o.label, o.bake); err != nil {
			return err
		}
	}
	return nil
}

// addDense gives a project a dense model and has the order bake from it.
func addDense(
	ctx context.Context,
	s *store.Store,
	hub *live.Hub,
	project string,
	m *mesh.Model,
	o *jobs.BakeOrder,
) error {
	const name, file = "lantern-dense", "lantern-dense.glb"
	var glb, packed bytes.Buffer
	if err := meshio.WriteGLB(&glb, m, meshio.Options{}); err != nil {
		return err
	}
	z := zip.NewWriter(&packed)
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
	p, err := hub.Open(ctx, project)
	if err != nil {
		return err
	}
	o.Dense = []string{name}
	dense := stack.Dense{Name: name, Blob: blob, File: file, Triangles: len(m.Tri)}
	return p.Change(
		"Low Wick landing",
		"",
		func(d *stack.Document) (stack.Op, error) { return d.WithDense(dense), nil },
	)
}
