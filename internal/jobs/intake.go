package jobs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"velvetgrime/core/stack"
	"velvetgrime/internal/intake"
	"velvetgrime/internal/store"
)

// ImportOrder is a model to read. What becomes of it is the job's kind: "project", a
// new project; "newer model", it takes the place of the project's; "dense model", one
// to bake from.
type ImportOrder struct {
	Name string `json:"name,omitempty" doc:"of the new project; empty: the file's"`
	Blob string `json:"blob" doc:"zip of the model and its files"`
	File string `json:"file" doc:"the model in it"`
}

// imported is what is known after the reading.
type imported struct {
	Name      string
	Triangles int
}

func init() {
	for _, into := range []string{"project", "newer model", "dense model"} {
		k := kinds[into]
		k.work, k.apply = importModel, applyImport
		kinds[into] = k
	}
}

// importModel reads the model: what is wrong with the file is found here. A new
// project is made at once, as no page has it open.
func importModel(ctx context.Context, r *Runner, t *task) error {
	var o ImportOrder
	if err := json.Unmarshal(t.Args, &o); err != nil {
		return err
	}
	zipped, err := r.store.Blob(ctx, o.Blob)
	if err != nil {
		return err
	}
	m, err := intake.Read(ctx, zipped, o.File, func(share float64) { t.tell(0.8*share, "reading "+o.File) })
	if err != nil {
		return err
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	t.tell(0.9, fmt.Sprintf("%d triangles", len(m.Tri)))
	if t.Kind == "project" {
		p := &store.Project{ID: t.ProjectID, Name: o.Name, ModelName: o.File, ModelBlob: o.Blob}
		if _, err := r.store.Project(ctx, p.ID); err == nil {
			return nil // an earlier try came this far
		}
		if err := intake.Found(ctx, r.store, p, m, zipped, nil); err != nil {
			return err
		}
	}
	t.Result, err = json.Marshal(imported{m.Name, len(m.Tri)})
	return err
}

// applyImport puts the model into the project that asked for it. The note lists what
// could not be carried over, a line each.
func applyImport(ctx context.Context, r *Runner, j *store.Job) (string, error) {
	var o ImportOrder
	var res imported
	if err := errors.Join(json.Unmarshal(j.Args, &o), json.Unmarshal(j.Result, &res)); err != nil {
		return "", err
	}
	if j.Kind == "project" {
		return "", nil
	}
	s, err := r.hub.Open(ctx, j.ProjectID)
	if err != nil {
		return "", err
	}
	if j.Kind == "dense model" {
		return "", s.Change(j.Actor, "job:"+j.ID, func(d *stack.Document) (stack.Op, error) {
			return d.WithDense(stack.Dense{Name: res.Name, Blob: o.Blob, File: o.File, Triangles: res.Triangles}), nil
		})
	}
	zipped, err := r.store.Blob(ctx, o.Blob)
	if err != nil {
		return "", err
	}
	m, err := intake.Read(ctx, zipped, o.File, nil)
	if err != nil {
		return "", err
	}
	lost, err := s.Replace(j.Actor, "job:"+j.ID, m, o.Blob, o.File)
	return strings.Join(lost, "\n"), err
}
