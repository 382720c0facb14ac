// Package intake makes projects of models that come from outside.
package intake

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"maps"
	"slices"

	"velvetgrime/core/brush"
	"velvetgrime/core/budget"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/par"
	"velvetgrime/core/stack"
	"velvetgrime/internal/store"

	"github.com/google/uuid"
)

// Opener opens a file that comes from outside.
type Opener func() (io.ReadCloser, error)

// Bytes opens what is in memory already.
func Bytes(b []byte) Opener {
	return func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(b)), nil }
}

// Pack zips a model with its files; file is the model among them.
func Pack(files map[string][]byte) (zipped []byte, file string, err error) {
	open := map[string]Opener{}
	for name, b := range files {
		open[name] = Bytes(b)
	}
	var packed bytes.Buffer
	file, err = PackTo(&packed, open)
	return packed.Bytes(), file, err
}

// PackTo zips a model with its files to w, a buffer of each at a time, and returns which of
// them is the model. The same files make the same zip.
func PackTo(w io.Writer, files map[string]Opener) (file string, err error) {
	z := zip.NewWriter(w)
	for _, f := range slices.Sorted(maps.Keys(files)) {
		if err := packOne(z, f, files[f]); err != nil {
			return "", fmt.Errorf("%s: %w", f, err)
		}
		if meshio.Reads(f) {
			if file != "" {
				return "", fmt.Errorf("there are two models, %s and %s; send one", file, f)
			}
			file = f
		}
	}
	if file == "" {
		return "", fmt.Errorf(
			"there is no model among the files; send one that ends in %s, with the files that belong to it",
			meshio.Readable(),
		)
	}
	return file, z.Close()
}

func packOne(z *zip.Writer, name string, open Opener) error {
	from, err := open()
	if err != nil {
		return err
	}
	defer from.Close()
	to, err := z.Create(name)
	if err == nil {
		_, err = io.Copy(to, from)
	}
	return err
}

// Read reads a model from a zip of its files. tell, if not nil, is told which share
// is read; the reading ends with ctx.
func Read(ctx context.Context, zipped []byte, file string, tell func(share float64)) (*mesh.Model, error) {
	z, err := zip.NewReader(bytes.NewReader(zipped), int64(len(zipped)))
	if err != nil {
		return nil, err
	}
	need := meshio.Weigh(z, file, meshio.DefaultLimits) + int64(len(zipped))
	release, err := budget.Memory.Take(ctx, "the model", need)
	if err != nil {
		return nil, err
	}
	defer release()
	lim := meshio.DefaultLimits
	lim.Tell = func(share float64) error {
		if tell != nil {
			tell(share)
		}
		return par.Turn(ctx) // a dense model for a bake that nobody waits for gives way
	}
	return meshio.Read(z, file, lim)
}

// Create reads a model from files, makes a project of it with a first document
// and keeps both. Nothing is kept when anything fails. id may be empty, doc nil.
func Create(
	ctx context.Context,
	s *store.Store,
	id, name string,
	files map[string][]byte,
	doc *stack.Document,
	picture []byte,
) (*store.Project, error) {
	zipped, file, err := Pack(files)
	if err != nil {
		return nil, err
	}
	blob, err := s.PutBlob(ctx, zipped)
	if err != nil {
		return nil, err
	}
	m, err := Read(ctx, zipped, file, nil)
	if err != nil {
		return nil, err
	}
	p := &store.Project{ID: id, Name: name, ModelName: file, ModelBlob: blob, Picture: picture}
	return p, Found(ctx, s, p, m, zipped, doc)
}

// Found makes the project p of a model that was read from the zip of its files. Its
// empty ID and Name are filled in; a nil doc becomes a bare surface with the pictures
// that the files bring along.
func Found(
	ctx context.Context,
	s *store.Store,
	p *store.Project,
	m *mesh.Model,
	zipped []byte,
	doc *stack.Document,
) error {
	if p.Name == "" {
		p.Name = m.Name
	}
	if p.ID == "" {
		p.ID = uuid.NewString()
	}
	var brought []store.Picture
	if doc == nil {
		var sheets []string
		for _, sh := range m.Sheets {
			sheets = append(sheets, sh.Name)
		}
		doc = stack.New(sheets, 1024)
		doc.Layers = append(
			doc.Layers,
			&stack.Layer{ID: uuid.NewString(), Name: "Bare surface", Kind: stack.Fill, Visible: true, Amount: 1,
				Channels: map[stack.Channel]stack.Coat{
					stack.BaseColor: {On: true, Value: []float32{0.55, 0.54, 0.52}, Blend: "normal", Amount: 1},
					stack.Roughness: {On: true, Value: []float32{0.55}, Blend: "normal", Amount: 1},
				}},
		)
		var err error
		if brought, err = broughtAlong(ctx, s, p.ID, zipped, p.ModelName, m, doc); err != nil {
			return err
		}
	}
	body, err := doc.Encode(false)
	if err != nil {
		return err
	}
	var strokes []*brush.Stroke
	for _, st := range doc.Strokes() {
		strokes = append(strokes, st)
	}
	if err := s.CreateProject(ctx, p, body, strokes); err != nil {
		return err
	}
	for i := range brought {
		if err := s.PutPicture(ctx, &brought[i]); err != nil {
			return err
		}
	}
	return nil
}
