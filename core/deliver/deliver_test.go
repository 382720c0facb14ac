package deliver_test

import (
	"bytes"
	"context"
	"errors"
	"image"
	"image/png"
	"io"
	"math"
	"strings"
	"sync"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/deliver"
	"velvetgrime/core/eval"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/pix"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"

	"testing/fstest"

	"github.com/qmuntal/gltf"
)

func bollard(t *testing.T) *eval.Program {
	t.Helper()
	m := sample.Bollard()
	return eval.Compile(eval.NewScene(m, cache.New(256<<20)), sample.PlainBollard(), "", "")
}

func picture(t *testing.T, p *eval.Program, name string, size, depth int) image.Image {
	t.Helper()
	m, ok := deliver.Find(name)
	if !ok {
		t.Fatal("no map", name)
	}
	img, err := deliver.Image(context.Background(), p, 0, size, m, depth)
	if err != nil {
		t.Fatal(err)
	}
	return img
}

// Round the islands the picture must go on with the islands' own colours, to the
// last corner: a colour that no layer made would show at seams under mips.
func TestNoBackgroundShowsAroundIslands(t *testing.T) {
	d := stack.New([]string{"Cast iron"}, 256)
	d.Layers = []*stack.Layer{{ID: "a", Name: "a", Kind: stack.Fill, Visible: true, Amount: 1,
		Channels: map[stack.Channel]stack.Coat{stack.BaseColor: {On: true, Value: []float32{0.8, 0.4, 0.2}, Amount: 1}}}}
	m := sample.Bollard()
	p := eval.Compile(eval.NewScene(m, cache.New(64<<20)), d, "", "")
	img := picture(t, p, "base color", 256, 8).(*image.NRGBA)
	for i := 0; i < len(img.Pix); i += 4 {
		if img.Pix[i] != 204 || img.Pix[i+1] != 102 || img.Pix[i+2] != 51 {
			t.Fatalf("texel %d,%d is %v", i/4%256, i/4/256, img.Pix[i:i+4])
		}
	}
}

func TestNormalsHaveUnitLengthAndDepthAgrees(t *testing.T) {
	p := bollard(t)
	eight := picture(t, p, "normal", 256, 8).(*image.NRGBA)
	sixteen := picture(t, p, "normal", 256, 16).(*image.NRGBA64)
	bent := 0
	for i := range 256 * 256 {
		var v [3]float64
		for c := range 3 {
			w := float64(int(sixteen.Pix[i*8+c*2])<<8|int(sixteen.Pix[i*8+c*2+1])) / 65535
			v[c] = w*2 - 1
			if math.Abs(w-float64(eight.Pix[i*4+c])/255) > 0.003 {
				t.Fatalf("texel %d: 8 bit and 16 bit differ", i)
			}
		}
		if l := math.Hypot(math.Hypot(v[0], v[1]), v[2]); math.Abs(l-1) > 0.001 {
			t.Fatalf("texel %d has a normal of length %.4f", i, l)
		}
		if math.Hypot(v[0], v[1]) > 0.02 {
			bent++
		}
	}
	if bent < 5000 {
		t.Fatalf("only %d texels are bent; height does not reach the normal map", bent)
	}
}

func TestPlanListsAndRefuses(t *testing.T) {
	p := bollard(t)
	files, err := deliver.Plan(p, deliver.Order{Maps: []string{"base color", "height"}, Depth: map[string]int{"height": 16}, GLB: true})
	if err != nil || len(files) != 3 || files[1].Depth != 16 || files[0].Name != "Mooring_bollard_Cast_iron_basecolor.png" {
		t.Fatalf("%v, %+v", err, files)
	}
	for _, o := range []deliver.Order{{}, {Maps: []string{"sparkle"}}, {Sheets: []string{"Sail"}, GLB: true}, {Maps: []string{"normal"}, Size: 700}, {Maps: []string{"normal"}, Depth: map[string]int{"normal": 12}}} {
		if _, err := deliver.Plan(p, o); err == nil {
			t.Errorf("order %+v is accepted", o)
		}
	}
}

// What is written can be read again, by the standard library and by our importer.
func TestWrittenFilesOpenAgain(t *testing.T) {
	p := bollard(t)
	files := map[string]*bytes.Buffer{}
	var mu sync.Mutex
	var last float64
	err := deliver.Write(context.Background(), p, deliver.Order{Maps: []string{"base color with opacity", "height"}, Size: 128, GLB: true, Depth: map[string]int{"height": 16}},
		func(s float64, _ string) {
			if s < last-1e-9 {
				t.Errorf("progress falls from %v to %v", last, s)
			}
			last = s
		}, func(n string, file func(io.Writer) error) error {
			b := &bytes.Buffer{}
			mu.Lock()
			files[n] = b
			mu.Unlock()
			return file(b)
		})
	if err != nil || last != 1 || len(files) != 3 {
		t.Fatal(err, last, len(files))
	}
	for n, b := range files {
		if strings.HasSuffix(n, ".glb") {
			var m *mesh.Model
			m, err = meshio.Read(fstest.MapFS{"a.glb": {Data: b.Bytes()}}, "a.glb", meshio.DefaultLimits)
			if err != nil || len(m.Tri) != len(p.Scene.Model.Tri) {
				t.Fatal(n, err)
			}
			continue
		}
		c, err := png.DecodeConfig(b)
		if err != nil || c.Width != 128 {
			t.Fatal(n, err, c.Width)
		}
	}
}

func TestCancelledDeliveryStops(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	count := 0
	err := deliver.Write(ctx, bollard(t), deliver.Order{Maps: []string{"normal"}, Size: 1024}, func(s float64, _ string) {
		if s > 0.1 {
			cancel()
		}
		count++
	}, func(_ string, file func(io.Writer) error) error { return file(io.Discard) })
	if err == nil || count > 30 {
		t.Fatalf("error %v after %d reports", err, count)
	}
}

// A sheet whose normals lie in a baked map alone has them in the GLB, as its PNG has: layers
// need not set them.
func TestABakedNormalAloneIsInTheGLB(t *testing.T) {
	m := sample.Bollard()
	tilted := image.NewNRGBA(image.Rect(0, 0, 4, 4))
	for i := 0; i < len(tilted.Pix); i += 4 {
		copy(tilted.Pix[i:], []byte{200, 128, 230, 255})
	}
	images := func(baked map[string]stack.Baked) (n int, normal bool) {
		d := stack.New([]string{"Cast iron"}, 64)
		d.Layers = []*stack.Layer{{ID: "a", Name: "a", Kind: stack.Fill, Visible: true, Amount: 1,
			Channels: map[stack.Channel]stack.Coat{stack.BaseColor: {On: true, Value: []float32{0.8, 0.4, 0.2}, Amount: 1}}}}
		d.Prepared = &stack.Prepared{Baked: map[string]map[string]stack.Baked{"Cast iron": baked}}
		sc := eval.NewScene(m, cache.New(64<<20))
		sc.Picture = func(string) (*pix.Picture, error) { return pix.NewPicture(tilted), nil }
		var b bytes.Buffer
		err := deliver.Write(t.Context(), eval.Compile(sc, d, "", ""), deliver.Order{GLB: true}, func(float64, string) {},
			func(_ string, file func(io.Writer) error) error { return file(&b) })
		if err != nil {
			t.Fatal(err)
		}
		var doc gltf.Document
		if err := gltf.NewDecoder(&b).Decode(&doc); err != nil {
			t.Fatal(err)
		}
		return len(doc.Images), doc.Materials[0].NormalTexture != nil
	}
	if n, normal := images(nil); n != 2 || normal {
		t.Errorf("without a normal anywhere the GLB has %d pictures, a normal map: %v", n, normal)
	}
	if n, normal := images(map[string]stack.Baked{"normal": {Picture: "p", Size: 4, Range: [2]float32{-1, 1}}}); n != 3 || !normal {
		t.Errorf("with a baked normal the GLB has %d pictures, a normal map: %v", n, normal)
	}
}

// A delivery that is stopped stops: no further tile is begun, and no further byte is written.
func TestAStoppedDeliveryStops(t *testing.T) {
	m := sample.Bollard()
	c := cache.New(64 << 20)
	p := eval.Compile(eval.NewScene(m, c), sample.PlainBollard(), "", "")
	o := deliver.Order{Maps: []string{"base color"}, Size: 2048}
	put := func(_ string, file func(io.Writer) error) error { return file(io.Discard) }
	ctx, cancel := context.WithCancel(context.Background())
	err := deliver.Write(ctx, p, o, func(share float64, _ string) {
		if share > 0 {
			cancel()
		}
	}, put)
	if !errors.Is(err, context.Canceled) {
		t.Fatalf("stopped while it evaluates: %v", err)
	}
	// each of its 256 tiles would ask for a frame
	if _, _, misses := c.Stats(); misses > 100 {
		t.Errorf("%d things were looked for", misses)
	}
	ctx, cancel = context.WithCancel(context.Background())
	w := &stopping{stop: cancel}
	o.Size = 1024
	err = deliver.Write(ctx, p, o, func(float64, string) {}, func(_ string, file func(io.Writer) error) error { return file(w) })
	if !errors.Is(err, context.Canceled) || w.after > 0 {
		t.Errorf("stopped while it writes: %v, after %d more bytes", err, w.after)
	}
	if _, err := pix.NearestOf(ctx, make([]bool, 64), 8, 8); !errors.Is(err, context.Canceled) {
		t.Errorf("the nearest are looked for to the end: %v", err)
	}
}

// stopping is a writer that stops what writes at its first byte.
type stopping struct {
	stop  func()
	after int
}

func (s *stopping) Write(b []byte) (int, error) {
	if s.stop == nil {
		s.after += len(b)
		return len(b), nil
	}
	s.stop()
	s.stop = nil
	return len(b), nil
}
