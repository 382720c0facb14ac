package render

import (
	"bytes"
	"context"
	"fmt"

	"velvetgrime/core/bake"
	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
)

// Baked is a model with baked maps that lie in memory alone.
type Baked struct {
	Model    *mesh.Model
	Scene    *eval.Scene
	Prepared *stack.Prepared
}

// BakeInMemory bakes a model for pictures that need no store: occlusion, curvature,
// sky and thickness at size texels with so many rays. What is evaluated on it goes to c.
func BakeInMemory(
	ctx context.Context,
	m *mesh.Model,
	dense *mesh.Model,
	s bake.Settings,
	maps []string,
	c *cache.Cache,
) (*Baked, error) {
	b, err := bake.New(ctx, m, dense, s, maps)
	if err != nil {
		return nil, err
	}
	strips := map[bake.Piece]*bake.Strip{}
	for _, p := range b.Pieces() {
		if strips[p], err = b.Bake(ctx, p); err != nil {
			return nil, err
		}
	}
	out := &Baked{
		Model:    m,
		Scene:    eval.NewScene(m, c),
		Prepared: &stack.Prepared{Baked: map[string]map[string]stack.Baked{}},
	}
	pics := map[string]*pix.Picture{}
	for name, p := range sample.Pictures() { // a sample document may hold them
		if pics[name], err = pix.DecodePicture(bytes.NewReader(p.PNG)); err != nil {
			return nil, err
		}
	}
	for sheet, sh := range m.Sheets {
		for i, k := range b.Maps {
			img, err := b.Assemble(
				ctx,
				sheet,
				i,
				func(row int) (*bake.Strip, error) { return strips[bake.Piece{Sheet: sheet, Row: row}], nil },
			)
			if err != nil {
				return nil, err
			}
			name := sh.Name + " " + k.Name
			pics[name] = pix.NewPicture(img.Picture())
			if out.Prepared.Baked[sh.Name] == nil {
				out.Prepared.Baked[sh.Name] = map[string]stack.Baked{}
			}
			out.Prepared.Baked[sh.Name][k.Name] = stack.Baked{Picture: name, Size: s.Size, Range: img.Range}
		}
	}
	out.Scene.Picture = func(name string) (*pix.Picture, error) {
		if p := pics[name]; p != nil {
			return p, nil
		}
		return nil, fmt.Errorf("there is no picture %q", name)
	}
	return out, nil
}

// Trial bakes the trial post at size texels. What is evaluated on it goes to c.
func Trial(ctx context.Context, size int, c *cache.Cache) (*Baked, error) {
	s := bake.Default()
	s.Size, s.Samples, s.Smooth, s.Radius = size, 96, 2, 0.004
	return BakeInMemory(ctx, sample.Trial(), nil, s, []string{"ao", "curvature", "sky", "thickness"}, c)
}

// TrialCamera is the view in which the trial post is shown.
func TrialCamera(b geom.Box) Camera { return Around(b, geom.V3(0.32, 0.42, 1), 30) }

// MaskDocument is a document of one layer whose mask is a stream, for a baked model.
func (b *Baked) MaskDocument(steps []*stack.Step) *stack.Document {
	var names []string
	for _, s := range b.Model.Sheets {
		names = append(names, s.Name)
	}
	d := stack.New(names, 512)
	d.Prepared = b.Prepared
	info, _ := stack.Info(stack.BaseColor)
	d.Layers = []*stack.Layer{{ID: "mask", Name: "Mask", Kind: stack.Fill, Visible: true, Amount: 1, Mask: steps,
		Channels: map[stack.Channel]stack.Coat{
			stack.BaseColor: {On: true, Value: []float32{1, 1, 1}, Blend: info.Blend, Amount: 1},
		}}}
	return d
}

// TrialConditions are the usual ones with touch points on the trial post.
func TrialConditions() *stack.Conditions {
	return sample.TrialDocument("", nil).Conditions
}
