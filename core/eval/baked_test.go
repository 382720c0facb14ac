package eval

import (
	"context"
	"image"
	"image/color"
	"math"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/pix"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// split is a picture whose left half has one colour and whose right half another.
func split(l, r color.NRGBA64) *pix.Picture {
	img := image.NewNRGBA64(image.Rect(0, 0, 64, 64))
	for i := range 64 * 64 {
		c := l
		if i%64 >= 32 {
			c = r
		}
		img.SetNRGBA64(i%64, i/64, c)
	}
	return pix.NewPicture(img)
}

func word(v float64) uint16 { return uint16(math.Round(v * 65535)) }

// Baked maps are read by steps, reaches and the channels they lie under; a new bake
// is a new key.
func TestBakedMapsAreRead(t *testing.T) {
	m := sample.Bollard()
	scene := NewScene(m, cache.New(64<<20))
	grey := func(v float64) color.NRGBA64 { return color.NRGBA64{word(v), word(v), word(v), 65535} }
	pictures := map[string]*pix.Picture{
		"ao": split(grey(0.25), grey(0.75)), "curve": split(grey(0.2), grey(0.9)),
		"id":     split(color.NRGBA64{65535, 0, 0, 65535}, color.NRGBA64{0, 65535, 0, 65535}),
		"normal": split(color.NRGBA64{word(0.5 + 0.3), word(0.5), word(0.5 + 0.4), 65535}, color.NRGBA64{word(0.5), word(0.5), 65535, 65535}),
	}
	scene.Picture = func(name string) (*pix.Picture, error) { return pictures[name], nil }
	sheet := m.Sheets[0].Name
	doc := stack.New([]string{sheet}, 256)
	layer := func(id string) *stack.Layer {
		l := &stack.Layer{ID: id, Name: id, Kind: stack.Fill, Visible: true, Amount: 1, Channels: map[stack.Channel]stack.Coat{stack.Metallic: {On: true, Value: []float32{1}, Blend: "normal", Amount: 1}}}
		doc.Layers = append(doc.Layers, l)
		return l
	}
	only := func(s *stack.Step) []*stack.Step { return []*stack.Step{s} }
	baked := func(what string) *stack.Step {
		return &stack.Step{ID: what, Kind: stack.BakedStep, On: true, Blend: "normal", Amount: 1, Params: map[string]any{"map": what}}
	}
	layer("edges").Mask = only(baked("edges"))
	layer("creases").Mask = only(baked("creases"))
	layer("occlusion").Mask = only(baked("occlusion"))
	layer("pick").Mask = only(&stack.Step{ID: "pick", Kind: stack.IDStep, On: true, Blend: "normal", Amount: 1, Params: map[string]any{"color": []any{0.0, 1.0, 0.0}}})
	layer("reach").Reach.IDs = []stack.IDColor{{Color: [3]float32{1, 0, 0}}}
	bare := doc
	with := *doc
	entry := func(name string, r [2]float32) stack.Baked { return stack.Baked{Picture: name, Size: 64, Range: r} }
	with.Prepared = &stack.Prepared{Baked: map[string]map[string]stack.Baked{sheet: {
		"ao": entry("ao", [2]float32{0, 1}), "curvature": entry("curve", [2]float32{-1, 1}), "id": entry("id", [2]float32{0, 1}), "normal": entry("normal", [2]float32{-1, 1})}}}
	if err := step.Rules.Check(&with); err != nil {
		t.Fatal(err)
	}
	p, none := Compile(scene, &with, "", ""), Compile(scene, bare, "", "")
	// the green half of the ID map, face by face
	green, err := p.FacesOfID([]float32{0, 1, 0}, 0.02)
	if err != nil {
		t.Fatal(err)
	}
	for i, c := range m.Tri {
		x := (m.UV[c[0]].X + m.UV[c[1]].X + m.UV[c[2]].X) / 3
		if abs := math.Abs(float64(x) - 0.5); abs > 0.01 && green[i] != (x > 0.5) {
			t.Fatalf("face %d at u = %.3f has the green ID: %v", i, x, green[i])
		}
	}
	left, right := 0, 0
	for _, tile := range surface.Tiles(0, 256) {
		u := scene.OnTile(tile)
		if u.Empty() {
			continue
		}
		read := func(q *Program, id string) pix.Plane {
			v, err := q.Mask(context.Background(), u, id)
			if err != nil {
				t.Fatal(err)
			}
			return v
		}
		masks := map[string]pix.Plane{}
		for _, id := range []string{"edges", "creases", "occlusion", "pick", "reach"} {
			masks[id] = read(p, id)
			if p.MaskKey(u, id) == none.MaskKey(u, id) {
				t.Fatalf("the mask %s has one key with and without baked maps", id)
			}
			if v := read(none, id); !v.Uniform() || v.Value != 0 {
				t.Fatalf("without baked maps %s is %v", id, v.Value)
			}
		}
		ao, err := p.Channel(context.Background(), u, stack.Occlusion)
		if err != nil {
			t.Fatal(err)
		}
		normal, _ := p.Channel(context.Background(), u, stack.Normal)
		f := u.Frame()
		for i, tri := range f.Tri {
			if !f.Inside[i] {
				continue
			}
			x := scene.Index(0).UVAt(tri, f.Pos[i]).X
			if math.Abs(float64(x)-0.5) < 0.05 || x < 0.05 || x > 0.95 {
				continue
			}
			want := map[string]float32{"edges": 0.8, "creases": 0, "occlusion": 0.25, "pick": 1, "reach": 0, "ao": 0.75, "nx": 0, "nz": 1}
			if x < 0.5 {
				left++
				want = map[string]float32{"edges": 0, "creases": 0.6, "occlusion": 0.75, "pick": 0, "reach": 1, "ao": 0.25, "nx": 0.6, "nz": 0.8}
			} else {
				right++
			}
			got := map[string]float32{"ao": ao[0].At(i), "nx": normal[0].At(i), "nz": normal[2].At(i)}
			for id, m := range masks {
				got[id] = m.At(i)
			}
			for id, w := range want {
				if math.Abs(float64(got[id]-w)) > 2e-4 {
					t.Fatalf("%s at u = %v is %v, want %v", id, x, got[id], w)
				}
			}
		}
	}
	if left == 0 || right == 0 {
		t.Fatalf("%d and %d texels were looked at", left, right)
	}
}

// Preparing is undone like everything else.
func TestPreparingHasAnInverse(t *testing.T) {
	d := stack.New([]string{"a"}, 256)
	p := &stack.Prepared{Layout: "blob", Seams: []int32{1, 5, 9}}
	next, inverse, label, err := step.Rules.Apply(d, stack.Prepare(p, map[string]stack.SheetSize{"a": {Size: 256}, "b": {Size: 512}}, "Unwrap"))
	if err != nil || label != "Unwrap" || len(next.Sheets) != 2 || next.Preparation().Layout != "blob" {
		t.Fatalf("%v, %q, %+v", err, label, next)
	}
	back, _, _, err := step.Rules.Apply(next, inverse)
	if err != nil || len(back.Sheets) != 1 || back.Prepared != nil {
		t.Fatalf("undone: %v, %+v", err, back)
	}
	if _, _, _, err := step.Rules.Apply(d, stack.Prepare(&stack.Prepared{Seams: []int32{5, 1}}, nil, "")); err == nil {
		t.Error("seams out of order were taken")
	}
}
