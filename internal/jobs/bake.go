package jobs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"velvetgrime/core/bake"
	"velvetgrime/core/budget"
	"velvetgrime/core/deliver"
	"velvetgrime/core/mesh"
	"velvetgrime/core/par"
	"velvetgrime/core/stack"
	"velvetgrime/internal/intake"
	"velvetgrime/internal/store"
)

// BakeOrder is what is to be baked.
type BakeOrder struct {
	Settings bake.Settings `json:"settings"`
	Maps     []string      `json:"maps"`
	Sheets   []string      `json:"sheets,omitempty" doc:"empty: all"`
	Dense    []string      `json:"dense,omitempty" doc:"names of the dense models to bake from; empty: from the model itself"`
	Floats   bool          `json:"floats,omitempty" doc:"the maps are also kept as floating point, for EXR"`
	Patient  bool          `json:"patient,omitempty" doc:"nobody ordered it: pages that have nothing to show yet come first"`
	Idle     bool          `json:"idle,omitempty" doc:"nobody waits for it: it is done while no page waits for tiles, nor has for a while"`
}

// baked is a bake's result: the maps by sheet, and what they were made for.
type baked struct {
	Model, Layout string
	Maps          map[string]map[string]stack.Baked
	Notes         []string
}

func init() {
	k := kinds["bake"]
	k.work, k.apply = bakeMaps, applyBake
	kinds["bake"] = k
}

// prepareBake reads the models of an order and holds the memory that the bake takes, until
// release is called.
func (r *Runner) prepareBake(
	ctx context.Context, project string, o BakeOrder,
) (b *bake.Baker, d *stack.Document, release func(), err error) {
	m, d, err := r.hub.Read(ctx, project)
	if err != nil {
		return nil, nil, nil, err
	}
	for _, s := range o.Sheets {
		if m.SheetIndex(s) < 0 {
			return nil, nil, nil, fmt.Errorf("the model has no sheet %q", s)
		}
	}
	var dense *mesh.Model
	if len(o.Dense) > 0 {
		if dense, err = DenseModel(ctx, r.store, d.Preparation(), o.Dense); err != nil {
			return nil, nil, nil, err
		}
	}
	names := slices.Clone(o.Maps)
	if dense != nil && !slices.Contains(names, "misses") {
		names = append(names, "misses")
	}
	triangles := len(m.Tri)
	if dense != nil {
		triangles += len(dense.Tri)
	}
	if release, err = budget.Memory.Hold(ctx, bakeWeight(&o, triangles)); err != nil {
		return nil, nil, nil, err
	}
	if b, err = bake.New(ctx, m, dense, o.Settings, names); err != nil {
		release()
		return nil, nil, nil, err
	}
	return b, d, release, nil
}

// bakeWeight is what a bake takes in bytes, besides its models: a ray tree of all and those
// of the parts, and its maps as numbers and as pictures.
func bakeWeight(o *BakeOrder, triangles int) int64 {
	size := int64(o.Settings.Size)
	return int64(triangles)*2*treeWeight + size*size*int64(len(o.Maps)+1)*(3*4+8)
}

// treeWeight is what a ray tree takes for a triangle while it is built, as measured.
const treeWeight = 250

// DenseModel reads the dense models of the given names as one.
func DenseModel(ctx context.Context, s *store.Store, p *stack.Prepared, names []string) (*mesh.Model, error) {
	var all []*mesh.Model
	for _, n := range names {
		i := slices.IndexFunc(p.Dense, func(d stack.Dense) bool { return d.Name == n })
		if i < 0 {
			return nil, fmt.Errorf("there is no dense model %q", n)
		}
		data, err := s.Blob(ctx, p.Dense[i].Blob)
		if err != nil {
			return nil, fmt.Errorf("the dense model %q: %w", n, err)
		}
		if err := par.Turn(ctx); err != nil {
			return nil, err
		}
		m, err := intake.Read(ctx, data, p.Dense[i].File, nil)
		if err != nil {
			return nil, fmt.Errorf("the dense model %q: %w", n, err)
		}
		all = append(all, m)
	}
	return mesh.Join(names[0], all...)
}

func bakeMaps(ctx context.Context, r *Runner, t *task) error {
	var o BakeOrder
	if err := json.Unmarshal(t.Args, &o); err != nil {
		return err
	}
	switch {
	case o.Idle:
		ctx = par.Yielding(ctx, r.hub.Rest)
	case o.Patient:
		ctx = par.Yielding(ctx, r.hub.First)
	}
	if err := par.Turn(ctx); err != nil {
		return err
	}
	t.tell(0, "reading the models")
	b, d, release, err := r.prepareBake(ctx, t.ProjectID, o)
	if err != nil {
		return err
	}
	defer release()
	have, err := r.store.Pieces(ctx, t.ID)
	if err != nil {
		return err
	}
	name := func(p bake.Piece) string { return fmt.Sprintf("%d-%d", p.Sheet, p.Row) }
	pieces := slices.DeleteFunc(b.Pieces(), func(p bake.Piece) bool {
		return len(o.Sheets) > 0 && !slices.Contains(o.Sheets, b.Low.Sheets[p.Sheet].Name)
	})
	if len(pieces) == 0 {
		return fmt.Errorf("no chosen sheet has UVs; unwrap first")
	}
	for i, p := range pieces {
		t.tell(0.95*float64(i)/float64(len(pieces)), b.Low.Sheets[p.Sheet].Name)
		if slices.Contains(have, name(p)) { // from an earlier try
			if data, err := r.store.Piece(ctx, t.ID, name(p)); err == nil {
				if _, err := b.ParseStrip(data); err == nil {
					continue
				}
			}
		}
		if err := par.Turn(ctx); err != nil {
			return err
		}
		strip, err := b.Bake(ctx, p)
		if err != nil {
			return err
		}
		data, err := strip.Bytes()
		if err != nil {
			return err
		}
		if err := r.store.PutPiece(ctx, t.ID, name(p), data); err != nil {
			return err
		}
	}
	prep := d.Preparation()
	out := baked{Model: prep.Model, Layout: prep.Layout, Maps: map[string]map[string]stack.Baked{}, Notes: b.Notes}
	for sheet, s := range b.Low.Sheets {
		if !slices.ContainsFunc(pieces, func(p bake.Piece) bool { return p.Sheet == sheet }) {
			continue
		}
		t.tell(0.95+0.05*float64(sheet)/float64(len(b.Low.Sheets)), "keeping "+s.Name)
		if out.Maps[s.Name], err = r.keepMaps(ctx, t, b, sheet, o); err != nil {
			return err
		}
	}
	t.Result, err = json.Marshal(out)
	return err
}

// keepMaps assembles the maps of a sheet from the kept pieces.
func (r *Runner) keepMaps(
	ctx context.Context,
	t *task,
	b *bake.Baker,
	sheet int,
	o BakeOrder,
) (map[string]stack.Baked, error) {
	out := map[string]stack.Baked{}
	missed := 0
	for i, m := range b.Maps {
		img, err := b.Assemble(ctx, sheet, i, func(row int) (*bake.Strip, error) {
			data, err := r.store.Piece(ctx, t.ID, fmt.Sprintf("%d-%d", sheet, row))
			if err != nil {
				return nil, err
			}
			return b.ParseStrip(data)
		})
		if err != nil {
			return nil, err
		}
		if m.Name == "misses" {
			for k, on := range img.Covered {
				if on && img.Data[k] > 0.5 {
					missed++
				}
			}
		}
		png, err := deliver.PNG(img.Picture())
		if err != nil {
			return nil, err
		}
		blob, err := r.store.PutBlob(ctx, png)
		if err != nil {
			return nil, err
		}
		kept := stack.Baked{Picture: blob, Size: img.Size, Range: img.Range, From: strings.Join(o.Dense, ", ")}
		if o.Floats {
			data, err := deliver.EXR(img.Planes(), img.Size)
			if err != nil {
				return nil, err
			}
			if kept.Floats, err = r.store.PutBlob(ctx, data); err != nil {
				return nil, err
			}
		}
		out[m.Name] = kept
	}
	for k, v := range out {
		v.Missed = missed
		out[k] = v
	}
	return out, nil
}

// applyBake puts the maps into the document.
func applyBake(ctx context.Context, r *Runner, j *store.Job) (string, error) {
	var res baked
	var o BakeOrder
	if err := errors.Join(json.Unmarshal(j.Result, &res), json.Unmarshal(j.Args, &o)); err != nil {
		return "", err
	}
	s, err := r.hub.Open(ctx, j.ProjectID)
	if err != nil {
		return "", err
	}
	err = s.Change(j.Actor, "job:"+j.ID, func(d *stack.Document) (stack.Op, error) {
		p := *d.Preparation()
		if p.Model != res.Model || p.Layout != res.Layout {
			return nil, fmt.Errorf("the model or its UVs were changed meanwhile; bake again")
		}
		all := maps.Clone(p.Baked)
		if all == nil {
			all = map[string]map[string]stack.Baked{}
		}
		for sheet, made := range res.Maps {
			one := maps.Clone(all[sheet])
			if one == nil {
				one = map[string]stack.Baked{}
			}
			maps.Copy(one, made)
			all[sheet] = one
		}
		p.Baked = all
		p.Settings, _ = json.Marshal(o)
		return stack.Prepare(&p, nil, j.Label), nil
	})
	return strings.Join(res.Notes, "; "), err
}
