package eval

import (
	"fmt"
	"math"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// sharedHalves is the plate in two halves with the same UVs, the second of which run
// backwards: x and 255 − x have the same texel.
func sharedHalves(t *testing.T) *mesh.Model {
	return plate(t, 1, func(x float64) int { return int(x) / 128 }, func(piece int, x, z float64) (int, float64, float64) {
		if piece == 1 {
			x = 256 - x
		}
		return 0, x + 32, z + 32
	})
}

// apartHalves is the same plate with UVs of its own for each half.
func apartHalves(t *testing.T) *mesh.Model {
	return plate(t, 1, func(x float64) int { return int(x) / 128 }, func(piece int, x, z float64) (int, float64, float64) {
		if piece == 1 {
			return 0, 256 - x + 32, z + 232
		}
		return 0, x + 32, z + 32
	})
}

// texels evaluates the mask of the only layer and returns it by the sheet's texels, NaN
// where there is no surface.
func texels(t *testing.T, s *Scene, l *stack.Layer, live string) (out [512][512]float32) {
	t.Helper()
	d := stack.New([]string{"Sheet 1"}, 512)
	d.Layers = []*stack.Layer{l}
	if err := step.Rules.Check(d); err != nil {
		t.Fatal(err)
	}
	p := Compile(s, d, "", live)
	for x := range out {
		for y := range out[x] {
			out[x][y] = float32(math.NaN())
		}
	}
	for _, tile := range surface.Tiles(0, 512) {
		u := s.OnTile(tile)
		if u.Empty() {
			continue
		}
		v, err := p.Mask(t.Context(), u, l.ID)
		if err != nil {
			t.Fatal(err)
		}
		f := u.Frame()
		for y := pix.Margin; y < pix.Margin+pix.Size; y++ {
			for x := pix.Margin; x < pix.Margin+pix.Size; x++ {
				if i := y*f.W + x; f.Inside[i] {
					out[tile.X*pix.Size+x-pix.Margin][tile.Y*pix.Size+y-pix.Margin] = v.At(i)
				}
			}
		}
	}
	return out
}

func masked1(steps []*stack.Step) *stack.Layer {
	return &stack.Layer{ID: "a", Name: "A", Kind: stack.Fill, Visible: true, Amount: 1, Mask: steps}
}

// everyKind are strokes of every effect on the second half of the plate, each over marks
// that were painted there before.
func everyKind() map[string][]*brush.Stroke {
	marks := []*brush.Stroke{pull("dot", "", 9, [2]float32{200, 40}), pull("bar", "", 5, [2]float32{190, 70}, [2]float32{230, 76})}
	with := func(s ...*brush.Stroke) []*brush.Stroke { return append(append([]*brush.Stroke(nil), marks...), s...) }
	over := func(does string) *brush.Stroke {
		return pull(does, does, 14, [2]float32{194, 44}, [2]float32{212, 60}, [2]float32{206, 80})
	}
	clone := pull("clone", brush.Clone, 12, [2]float32{170.5, 100.5}, [2]float32{176.5, 104.5})
	clone.Take = &brush.Take{At: geom.V3(200.5*texel, 0, 40.5*texel), Nrm: geom.V3(0, 1, 0)}
	erase := over("")
	erase.ID, erase.Erase, erase.Strength = "erase", true, 0.7
	fill := pull("fill", "", 5, [2]float32{200, 60})
	fill.Within = &brush.Area{Faces: []int32{130, 20}, Box: geom.Box{Min: geom.V3(0.5, 0, 0), Max: geom.V3(1, 0, 0.5)}}
	fill.Fill = &brush.Fill{Ramp: true, From: geom.V3(0.5, 0, 0), To: geom.V3(0.9, 0, 0.4)}
	within := over("")
	within.ID, within.Within = "within", &brush.Area{Faces: []int32{192, 12}, Box: geom.Box{Min: geom.V3(0.5, 0, 0), Max: geom.V3(1, 0, 0.5)}}
	tip := over("")
	tip.ID, tip.Kit = "tip", &brush.Kit{Spacing: 0.3, Flow: 0.5, Scatter: 0.4, SizeJitter: 0.5, AngleJitter: 1, Round: 0.5, Grain: &brush.Grain{Kind: "grit", Size: 4 * texel, Amount: 0.7}}
	eye := over("")
	eye.ID, eye.Eye = "seen", &geom.Vec3{X: 0.8, Y: 2, Z: 0.2}
	return map[string][]*brush.Stroke{
		"paint": with(over("")), "erase": with(erase), "clone": with(clone), "fill": with(fill), "within": with(within), "tip": with(tip), "seen": with(eye),
		"smear": with(over(brush.Smear)), "soften": with(over(brush.Soften)), "sharpen": with(over(brush.Sharpen)), "pinch": with(over(brush.Pinch)),
		"flatten": with(over(brush.Flatten)), "darken": with(over(brush.Darken)), "lighten": with(over(brush.Lighten)),
	}
}

// Where two halves share their texels a stroke over the half that does not own them lays
// what it lays where the halves have texels of their own, whatever it does; and one over
// the owner's half leaves what it left before.
func TestStrokesThroughEchoes(t *testing.T) {
	shared, own := NewScene(sharedHalves(t), cache.New(1<<27)), NewScene(apartHalves(t), cache.New(1<<27))
	for name, list := range everyKind() {
		t.Run(name, func(t *testing.T) {
			got, want := texels(t, shared, masked1(handOf(list...)), ""), texels(t, own, masked1(handOf(list...)), "")
			worst, white := 0.0, 0
			for x := 36; x < 156; x++ { // softening reads beyond the middle line, where the other half mirrors it
				for y := 32; y < 160; y++ {
					worst = max(worst, math.Abs(float64(got[x][y]-want[x][y+200])))
					if got[x][y] > 0.3 {
						white++
					}
				}
			}
			if worst > 1.0/255 || white < 100 {
				t.Errorf("on shared texels it is up to %.4f from what it is on texels of its own; %d are white", worst, white)
			}
		})
	}
}

// A stroke over the middle line covers a texel by the stronger of its two places, and the
// same stroke on both sides covers it once.
func TestAStrokeOverTheMiddleLine(t *testing.T) {
	s := NewScene(sharedHalves(t), cache.New(1<<27))
	one := pull("one", "", 20, [2]float32{118, 60})
	one.Strength = 0.5
	got := texels(t, s, masked1(handOf(one)), "")
	alone := texels(t, NewScene(apartHalves(t), cache.New(1<<27)), masked1(handOf(one)), "")
	for x := 32; x < 160; x++ {
		want := max(alone[x][60+32], alone[x][60+232])
		if math.Abs(float64(got[x][60+32]-want)) > 1.0/255 {
			t.Fatalf("%d texels from the middle it is %.3f; the stronger of both sides is %.3f", 160-x, got[x][92], want)
		}
	}
	twice := *one
	twice.Mirror = &brush.Mirror{At: geom.V3(0.5, 0, 0), Planes: []geom.Vec3{{X: 1}}}
	if both := texels(t, s, masked1(handOf(&twice)), ""); both != got {
		for x := range got {
			for y := range got[x] {
				if a, b := got[x][y], both[x][y]; a == a && math.Abs(float64(a-b)) > 1.0/255 {
					t.Fatalf("texel %d, %d: %.3f by one stroke, %.3f by it and its mirror image", x, y, a, b)
				}
			}
		}
	}
}

// What grows through an echo ends as what is drawn at once, to the last bit.
func TestGrowingThroughEchoes(t *testing.T) {
	for name, list := range everyKind() {
		full := list[len(list)-1]
		if len(full.Points) < 2 {
			continue
		}
		// over the middle line, so that points are hit through one place first and then the other
		full.Points[0].Pos.X = 120 * texel
		finished := texels(t, NewScene(sharedHalves(t), cache.New(1<<27)), masked1(handOf(list...)), "")
		s := NewScene(sharedHalves(t), cache.New(1<<27))
		var grown [512][512]float32
		for n := 1; n <= len(full.Points); n++ {
			part := *full
			part.Points = full.Points[:n]
			grown = texels(t, s, masked1(handOf(append(list[:len(list)-1:len(list)-1], &part)...)), full.ID)
		}
		for x := range grown {
			for y := range grown[x] {
				if a, b := grown[x][y], finished[x][y]; a != b && a == a {
					t.Fatalf("%s: texel %d, %d grew to %v and is %v when drawn at once", name, x, y, a, b)
				}
			}
		}
	}
}

// A stray triangle over an island takes no texel from it, whatever its number, and a
// stroke across the island has no hole; the stray one shows it, and paints it.
func TestAStrayTriangleOwnsNothing(t *testing.T) {
	m := whole(t)
	first := uint32(len(m.Pos))
	for _, c := range [3][2]float64{{100, 40}, {130, 90}, {160, 40}} {
		m.Pos = append(m.Pos, geom.V3(float32(c[0]*texel), 1, float32(c[1]*texel)))
		m.Nrm = append(m.Nrm, geom.V3(0, 1, 0))
		m.UV = append(m.UV, geom.Vec2{X: float32((c[0] + 32) / 512), Y: float32((c[1] + 32) / 512)})
	}
	m.Tri = append([][3]uint32{{first, first + 1, first + 2}}, m.Tri...) // the lowest number
	m.TriPart, m.TriSheet = append([]uint16{0}, m.TriPart...), append([]uint16{0}, m.TriSheet...)
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	s := NewScene(m, cache.New(1<<27))
	got := texels(t, s, masked1(handOf(pull("a", "", 20, [2]float32{60, 60}, [2]float32{200, 60}))), "")
	for x := 60; x < 200; x++ {
		for z := 48; z < 72; z++ {
			if got[x+32][z+32] < 0.9 {
				t.Fatalf("the stroke has a hole at %d, %d: %.2f", x, z, got[x+32][z+32])
			}
		}
	}
	over := pull("b", "", 6, [2]float32{130, 60})
	for i := range over.Points {
		over.Points[i].Pos.Y = 1
	}
	if v := texels(t, s, masked1(handOf(over)), "")[130+32][60+32]; v < 0.9 {
		t.Errorf("painted on the stray triangle, its texel is %.2f", v)
	}
	// and when it is chosen, it is the owner
	chosen, err := m.WithOwners([][2]int32{{m.Island[0], m.Island[1]}})
	if err != nil {
		t.Fatal(err)
	}
	if chosen.Hash == m.Hash {
		t.Error("a model with another owner has the same hash")
	}
	f := NewScene(chosen, cache.New(1<<26)).OnTile(surface.Tile{Sheet: 0, Size: 512, X: 1, Y: 0}).Frame()
	i := (60+32+pix.Margin)*f.W + 130 + 32 - 128 + pix.Margin
	if f.Tri[i] != 0 {
		t.Errorf("the chosen owner's texel is triangle %d's", f.Tri[i])
	}
	if _, err := m.WithOwners([][2]int32{{0, 99}}); err == nil {
		t.Error("an island that is not there can be chosen")
	}
}

// UVs that leave the unit square come in on its other side: strokes, blurs and reaches go
// over its edge as over any place.
func TestUVsBeyondTheSquare(t *testing.T) {
	over := plate(t, 1, func(float64) int { return 0 }, func(_ int, x, z float64) (int, float64, float64) { return 0, x + 400, z - 70 })
	within := whole(t)
	list := append(handOf(pull("a", "", 11, [2]float32{20, 20}, [2]float32{230, 110})), st("blur", map[string]any{"radius": 3 * texel}))
	got, want := texels(t, NewScene(over, cache.New(1<<27)), masked1(list), ""), texels(t, NewScene(within, cache.New(1<<27)), masked1(list), "")
	for x := range 256 {
		for z := range 128 {
			a, b := got[(x+400)%512][(z-70+512)%512], want[x+32][z+32]
			if !(math.Abs(float64(a-b)) < 1.0/255) {
				t.Fatalf("at %d, %d it is %.3f over the square's edge, %.3f within it", x, z, a, b)
			}
		}
	}
}

// A reach that names the half which owns nothing shows; what is asked at a place of that
// half is what its texel holds.
func TestReachesAndPicksThroughEchoes(t *testing.T) {
	m := sharedHalves(t)
	s := NewScene(m, cache.New(1<<27))
	l := masked1(nil)
	l.Reach = stack.Reach{Faces: []int32{128, 128}}
	if v := texels(t, s, l, ""); v[100][100] != 1 {
		t.Errorf("a reach of the second half covers its texels by %v", v[100][100])
	}
	noisy := append([]*stack.Step{st("noise", map[string]any{"frequency": 9.0})}, handOf(pull("x", "", 8, [2]float32{40, 40}))[1])
	d := doc(masked1(noisy))
	p := Compile(s, d, "", "")
	at := func(x, z float32, tri int32) float32 {
		pos := geom.V3(x*texel, 0, z*texel)
		v, err := p.Mask(t.Context(), s.OnFrame(raster.Point(pos, geom.V3(0, 1, 0), tri), fmt.Sprint(pos)), "a")
		if err != nil {
			t.Fatal(err)
		}
		return v.At(0)
	}
	sheet := texels(t, s, masked1(noisy), "")
	tri := func(x, z float32) int32 { // two triangles a square of 16, by columns
		lower := int32(1)
		if int(z)%16 > int(x)%16 {
			lower = 0
		}
		return int32(int(x)/16*8+int(z)/16)*2 + lower
	}
	for _, q := range [][2]float32{{40.5, 40.5}, {100.5, 70.5}, {20.5, 100.5}} {
		a, b := at(q[0], q[1], tri(q[0], q[1])), at(256-q[0], q[1], tri(256-q[0], q[1]))
		if a != b || math.Abs(float64(a-sheet[int(q[0])+32][int(q[1])+32])) > 0.02 {
			t.Errorf("at %v the halves say %.4f and %.4f, the sheet %.4f", q, a, b, sheet[int(q[0])+32][int(q[1])+32])
		}
	}
}

// On both halves of a mirrored model a painted hill has a normal that leans away from its
// top: the tangent-space normal of the shared texel, in each half's own tangent frame, is
// the slope of the height there.
func TestNormalsOfMirroredHalves(t *testing.T) {
	m := sharedHalves(t)
	s := NewScene(m, cache.New(1<<27))
	hill := pull("hill", "", 24, [2]float32{200, 64})
	hill.Hardness, hill.Values = 0, map[string][]float32{"height": {0.004}}
	d := doc(&stack.Layer{ID: "p", Name: "P", Kind: stack.Paint, Visible: true, Amount: 1, Channels: coats{stack.Height: met("add", 1)}, Strokes: []*brush.Stroke{hill}, StrokeID: []string{"hill"}})
	p := Compile(s, d, "", "")
	tangents := m.Tangents()
	checked := 0
	for _, side := range []struct{ x, z float32 }{{190, 64}, {210, 64}, {200, 54}, {200, 74}, {256 - 190, 64}, {256 - 210, 64}, {256 - 200, 54}} {
		u, v := side.x+32, side.z+32
		middle := geom.V3(200*texel, 0, 64*texel)
		tri := int32(int(side.x)/16*8+int(side.z)/16) * 2
		if side.x > 128 {
			u = 256 - side.x + 32
		} else {
			middle.X = 56 * texel
		}
		tile := surface.Tile{Sheet: 0, Size: 512, X: int(u) / 128, Y: int(v) / 128}
		n, err := p.Normal(t.Context(), s.OnTile(tile))
		if err != nil {
			t.Fatal(err)
		}
		i := (int(v)-tile.Y*128+pix.Margin)*pix.Pitch + int(u) - tile.X*128 + pix.Margin
		tan := tangents[tri][0]
		sign := float32(1) // glTF's handedness: the bitangent is n × t times it
		if m.Mirrored(int(tri)) {
			sign = -1
		}
		bit := geom.V3(0, 1, 0).Cross(tan).Mul(sign)
		world := tan.Mul(n[0].At(i)).Add(bit.Mul(n[1].At(i)))
		out := geom.V3(side.x*texel, 0, side.z*texel).Sub(middle).Unit()
		if world.Length() < 0.05 || world.Unit().Dot(out) < 0.95 {
			t.Errorf("at %v, %v the normal leans to %v; away from the top is %v", side.x, side.z, world, out)
		}
		checked++
	}
	if checked != 7 {
		t.Fatal("not all were looked at")
	}
}

// On the decoy gull each half is painted: over a wing that owns no texel, over the owner's,
// and at the middle line.
func TestEachHalfOfTheGullIsPainted(t *testing.T) {
	m := sample.Gull()
	s := NewScene(m, cache.New(1<<28))
	tree := s.Ground().Tree
	for _, side := range []float32{1, -1, 0.02} {
		// from the side, onto the flank
		from := geom.V3(0.02, 0.14, 0.5*side)
		if side == 0.02 {
			from = geom.V3(0.02, 0.5, 0.0005)
		}
		place := tree.Closest(from, 1, nil)
		if place.Tri < 0 {
			t.Fatal("there is no gull")
		}
		n := m.FaceNormal(int(place.Tri)).Unit()
		stroke := &brush.Stroke{ID: fmt.Sprint("s", side), Radius: 0.012, Strength: 1, Hardness: 0.8, Values: map[string][]float32{"mask": {1}}, Points: brush.Points{{Pos: place.Pos, Nrm: n, Pressure: 1}}}
		hand := st("hand", nil)
		hand.Strokes = []*brush.Stroke{stroke}
		d := stack.New([]string{m.Sheets[0].Name}, 512)
		d.Layers = []*stack.Layer{masked1([]*stack.Step{even(0), hand})}
		p := Compile(s, d, "", "")
		area := 0.0
		for _, tile := range surface.Tiles(0, 512) {
			u := s.OnTile(tile)
			if u.Empty() {
				continue
			}
			v, err := p.Mask(t.Context(), u, "a")
			if err != nil {
				t.Fatal(err)
			}
			f := u.Frame()
			for i, in := range f.Inside {
				if x, y := i%f.W, i/f.W; in && x >= pix.Margin && y >= pix.Margin && x < pix.Margin+pix.Size && y < pix.Margin+pix.Size && v.At(i) > 0.5 {
					area += float64(f.Footprint * f.Footprint)
				}
			}
		}
		// a disc of the radius at half strength, or at the middle line about half of one
		disc := math.Pi * 0.011 * 0.011
		low, high := 0.75*disc, 1.3*disc
		if side == 0.02 {
			low, high = 0.3*disc, 0.8*disc
		}
		if area < low || area > high {
			t.Errorf("side %v: a stroke covers %.1f mm², a disc of its radius is %.1f", side, area*1e6, disc*1e6)
		}
	}
}
