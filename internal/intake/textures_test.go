package intake_test

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"testing"

	"velvetgrime/core/meshio"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
	"velvetgrime/internal/intake"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"
)

// The pictures that a model's file brings along become a layer that shows them.
func TestTexturesOfAFileBecomeALayer(t *testing.T) {
	dsn := os.Getenv("VELVETGRIME_TEST_DATABASE")
	if dsn == "" {
		t.Skip("VELVETGRIME_TEST_DATABASE is not set; 'make test-go' sets it")
	}
	s, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	even := func(c color.NRGBA) *meshio.Picture {
		img := image.NewNRGBA(image.Rect(0, 0, 8, 8))
		for i := range 64 {
			img.SetNRGBA(i%8, i/8, c)
		}
		var b bytes.Buffer
		if err := png.Encode(&b, img); err != nil {
			t.Fatal(err)
		}
		return &meshio.Picture{Name: "even.png", Media: "image/png", Body: bytes.NewReader(b.Bytes())}
	}
	var glb bytes.Buffer
	maps := []*meshio.Maps{{BaseColor: even(color.NRGBA{200, 100, 50, 255}), ORM: even(color.NRGBA{255, 51, 204, 255}), Normal: even(color.NRGBA{128, 128, 255, 255})}}
	if err := meshio.WriteScene(&glb, &meshio.Scene{Model: sample.Bollard(), Maps: maps, Name: "b"}, "glb"); err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	p, err := intake.Create(ctx, s, "", "Textured bollard", map[string][]byte{"b.glb": glb.Bytes()}, nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = s.Delete(ctx, p.ID) }()
	prog, err := live.NewHub(s, 32<<20).Program(ctx, p.ID)
	if err != nil {
		t.Fatal(err)
	}
	if n := len(prog.Doc.Layers); n != 2 || prog.Doc.Layers[1].Name != "From the file" {
		t.Fatalf("%d layers", n)
	}
	var u *surface.Surface
	for _, tile := range surface.Tiles(0, 256) {
		if q := prog.Scene.OnTile(tile); !q.Empty() {
			u = q
		}
	}
	f := u.Frame()
	at := 0
	for !f.Inside[at] {
		at++
	}
	for c, want := range map[stack.Channel]float64{stack.BaseColor: 200.0 / 255, stack.Roughness: 0.2, stack.Metallic: 0.8} {
		v, err := prog.Channel(ctx, u, c)
		if err != nil {
			t.Fatal(err)
		}
		if got := float64(v[0].At(at)); math.Abs(got-want) > 0.005 {
			t.Errorf("%s is %v, want %v", c, got, want)
		}
	}
	if list, err := s.Pictures(ctx, p.ID); err != nil || len(list) < 4 {
		t.Errorf("the project lists %d pictures (%v)", len(list), err)
	}
}
