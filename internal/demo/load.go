// Package demo loads the sample projects into a store.
package demo

import (
	"bytes"
	"context"
	_ "embed"

	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/internal/api"
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
// project is left as it is.
func Load(ctx context.Context, s *store.Store) error {
	have, err := s.Projects(ctx)
	if err != nil || len(have) > 0 {
		return err
	}
	for _, p := range []struct {
		model *mesh.Model
		doc   *stack.Document
		shot  []byte
	}{{sample.Bollard(), sample.BollardDocument(), bollardPicture}, {sample.Lantern(), sample.LanternDocument(), lanternPicture}} {
		var b bytes.Buffer
		if err := meshio.WriteGLB(&b, p.model, meshio.Options{}); err != nil {
			return err
		}
		if _, err := api.Create(ctx, s, p.model.Name, map[string][]byte{"model.glb": b.Bytes()}, p.doc, p.shot); err != nil {
			return err
		}
	}
	return nil
}
