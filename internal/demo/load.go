// Package demo loads the sample projects into a store.
package demo

import (
	"bytes"
	"context"

	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/internal/api"
	"velvetgrime/internal/store"
)

// Load puts the sample projects into an empty store; a store that has any
// project is left as it is.
func Load(ctx context.Context, s *store.Store) error {
	have, err := s.Projects(ctx)
	if err != nil || len(have) > 0 {
		return err
	}
	for _, p := range []struct {
		model *mesh.Model
		doc   *stack.Document
	}{{sample.Bollard(), sample.BollardDocument()}, {sample.Lantern(), sample.LanternDocument()}} {
		var b bytes.Buffer
		if err := meshio.WriteGLB(&b, p.model, nil); err != nil {
			return err
		}
		if _, err := api.Create(ctx, s, p.model.Name, map[string][]byte{"model.glb": b.Bytes()}, p.doc, nil); err != nil {
			return err
		}
	}
	return nil
}
