package render

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/light"
	"velvetgrime/core/pix"
	"velvetgrime/core/sample"
	"velvetgrime/core/spatial"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// waves is a skin of 128 texels whose height goes along U, by so many metres up and down.
func waves(deep float64) skin {
	b := newBlock(surface.Tile{Size: pix.Size})
	for y := range pix.Pitch {
		for x := range pix.Pitch {
			t := matt(0.5)
			u := (float64(x-pix.Margin) + 0.5) / pix.Size
			t.height = int16(deep * 1e6 * math.Sin(2*math.Pi*4*u))
			b.texels[y*pix.Pitch+x] = t
		}
	}
	return skin{size: pix.Size, across: 1, of: []*Block{b}}
}

// A plane whose heights are waves lies, raised, where these say, between texels too.
func TestReliefLiesWhereItsHeightsSay(t *testing.T) {
	var s shape
	s.part("plane", matt(0.5))
	s.skins[0] = waves(0.02)
	s.quad(geom.Vec3{}, geom.V3(0.5, 0, 0), geom.V3(0, 0, -0.5))
	tr := s.traced(t, Still{W: 256, H: 256, Samples: 1, Relief: true, Eye: [3]float64{0, 1, 0.001}, Angle: 60}, even(1))
	if len(tr.model.Tri) < 5000 || len(tr.model.Tri) > reliefMost {
		t.Fatalf("%d triangles", len(tr.model.Tri))
	}
	var b spatial.Bundle
	for range 500 {
		x, z := rand.Float32()*0.9-0.45, rand.Float32()*0.9-0.45
		h := tr.tree.Ray(&b, geom.V3(x, 1, z), geom.V3(0, -1, 0), 0, 2)
		want := 0.02 * math.Sin(2*math.Pi*4*float64(x+0.5))
		if got := 1 - float64(h.T); h.Tri < 0 || math.Abs(got-want) > 0.0006 { // of texels, between which it is straight
			t.Fatalf("at %v it lies at %v, not at %v", x, got, want)
		}
	}
}

// A closed body with hard edges and a seam at each of them stays closed.
func TestReliefTearsNothing(t *testing.T) {
	var s shape
	s.part("crate", matt(0.5))
	s.skins[0] = waves(0.01)
	for k := range 3 {
		var a, b, n [3]float32
		n[k], a[(k+1)%3], b[(k+2)%3] = 0.5, 0.5, 0.5
		v := func(c [3]float32, f float32) geom.Vec3 { return geom.V3(c[0], c[1], c[2]).Mul(f) }
		s.quad(v(n, 1), v(a, 1), v(b, 1))
		s.quad(v(n, -1), v(b, 1), v(a, 1))
	}
	tr := s.traced(t, Still{W: 200, H: 200, Samples: 1, Relief: true, Eye: [3]float64{0.8, 1, 2}, Angle: 40}, even(1))
	if len(tr.model.Tri) < 5000 {
		t.Fatalf("%d triangles", len(tr.model.Tri))
	}
	var b spatial.Bundle
	r := rand.New(rand.NewPCG(1, 2))
	for range 20000 {
		d := geom.V3(float32(r.NormFloat64()), float32(r.NormFloat64()), float32(r.NormFloat64())).Unit()
		if h := tr.tree.Ray(&b, geom.Vec3{}, d, 0, inf); h.Tri < 0 {
			t.Fatalf("a ray gets out at %v", d)
		}
	}
	// what is flat stays as it is
	flat := s
	flat.skins = []skin{evenSkin(matt(0.5))}
	if tr := flat.traced(t, tr.Still, even(1)); len(tr.model.Tri) != 12 {
		t.Errorf("without heights it has %d triangles", len(tr.model.Tri))
	}
}

// What is seen of a sheet is as fine as the picture's pixels, what is not seen stays coarse; packed and
// read again it is the same scene.
func TestSheetsAreAsFineAsTheyAreSeen(t *testing.T) {
	ctx := context.Background()
	m := sample.Bollard()
	const size = 2048
	d := stack.New([]string{m.Sheets[0].Name}, size)
	p := eval.Compile(eval.NewScene(m, cache.New(64<<20)), d, "", "")
	sky := light.New(64)
	at := m.Bounds.Center()
	still := Still{W: 240, H: 160, Samples: 1, Exposure: 1, At: [3]float64{float64(at.X), float64(at.Y), float64(at.Z)}, Angle: 30}
	close := float64(m.Bounds.Size().Length()) * 0.4
	still.Eye = [3]float64{still.At[0] + close, still.At[1] + close/3, still.At[2] + close/2}
	clay, err := Clay(ctx, m, still, sky)
	if err != nil {
		t.Fatal(err)
	}
	first, err := Evaluate(ctx, p, Sheets(p, GlimpseTexels), nil)
	if err != nil {
		t.Fatal(err)
	}
	coarse, err := clay.Finer(ctx, still, first)
	if err != nil {
		t.Fatal(err)
	}
	tiles := coarse.Wants(p, 1)
	b, err := Evaluate(ctx, p, tiles, nil)
	if err != nil {
		t.Fatal(err)
	}
	fine, err := coarse.Finer(ctx, still, b)
	if err != nil {
		t.Fatal(err)
	}
	if n := len(tiles); n == 0 || n > size*size/pix.Size/pix.Size/2 {
		t.Fatalf("%d tiles are wanted", n)
	}
	tr := &tracer{Traced: fine}
	checked := 0
	for y := 1; y < still.H; y += 3 {
		for x := 1; x < still.W; x += 3 {
			origin, dir := tr.ray(float32(x), float32(y), 0.5, 0.5)
			h := tr.tree.Ray(&tr.b, origin, dir, 0, inf)
			if h.Tri < 0 {
				continue
			}
			c := m.Tri[h.Tri]
			k := 1 - h.U - h.V
			uv := geom.Vec2{
				X: m.UV[c[0]].X*k + m.UV[c[1]].X*h.U + m.UV[c[2]].X*h.V,
				Y: m.UV[c[0]].Y*k + m.UV[c[1]].Y*h.U + m.UV[c[2]].Y*h.V,
			}
			blk, _, _, _ := fine.skins[0].block(uv)
			area := (m.UV[c[1]].X-m.UV[c[0]].X)*(m.UV[c[2]].Y-m.UV[c[0]].Y) - (m.UV[c[1]].Y-m.UV[c[0]].Y)*(m.UV[c[2]].X-m.UV[c[0]].X)
			dense := math.Sqrt(math.Abs(float64(area))/float64(m.FaceNormal(int(h.Tri)).Length())) * float64(blk.Tile.Size)
			wide := 2 * float64(tr.half) * float64(h.T) / float64(still.H)
			checked++
			if dense*wide < 0.7 && blk.Tile.Size < size {
				t.Fatalf("at %d, %d a pixel has %.2f texels of %d", x, y, dense*wide, blk.Tile.Size)
			}
		}
	}
	if checked < 500 {
		t.Fatalf("%d places seen", checked)
	}
	data, err := Pack(b)
	if err != nil {
		t.Fatal(err)
	}
	again, err := Unpack(data, 1)
	if err != nil || len(again) != len(b) {
		t.Fatal(err)
	}
	two, err := coarse.Finer(ctx, still, again)
	if err != nil {
		t.Fatal(err)
	}
	if x, y := trace(t, fine, 0, 1), trace(t, two, 0, 1); !same(x.Sum, y.Sum) {
		t.Error("another picture after packing")
	}
	if _, err := Unpack(data[:len(data)/2], 1); err == nil {
		t.Error("half of it is read")
	}
	if _, err := Unpack(data, 0); err == nil {
		t.Error("a sheet that is not there is read")
	}
}

func same(a, b []float32) bool {
	for i := range a {
		if a[i] != b[i] {
			return false
		}
	}
	return len(a) == len(b)
}
