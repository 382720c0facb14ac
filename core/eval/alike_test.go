package eval

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// everything is the area of all triangles of a model.
func everything(m *mesh.Model) *brush.Area {
	return brush.AreaOf(len(m.Tri), func(int) bool { return true }, func(i int) [3]geom.Vec3 {
		return [3]geom.Vec3{m.Pos[m.Tri[i][0]], m.Pos[m.Tri[i][1]], m.Pos[m.Tri[i][2]]}
	})
}

// alikeDocument has red over grey by a gradient's hard border, and metal filled in where
// the base color is like red, in a paint layer above.
func alikeDocument(m *mesh.Model, border float64, before ...*brush.Stroke) *stack.Document {
	d := stack.New([]string{"A"}, 256)
	paint := layer("paint", stack.Paint, map[stack.Channel]stack.Coat{stack.BaseColor: {On: true, Blend: "normal", Amount: 1}, stack.Metallic: {On: true, Blend: "normal", Amount: 1}})
	fill := &brush.Stroke{ID: "fill", Radius: 0.1, Strength: 1, Values: map[string][]float32{"metallic": {1}}, Points: brush.Points{{Pos: geom.V3(0.1, 0, 0.5), Nrm: geom.V3(0, 1, 0), Pressure: 1}},
		Within: everything(m), Fill: &brush.Fill{}, Alike: &brush.Alike{Channel: "baseColor", Value: []float32{0.8, 0.1, 0.1}, Tolerance: 0.1, Soft: 0.5}}
	paint.Strokes = append(before, fill)
	red := layer("red", stack.Fill, map[stack.Channel]stack.Coat{stack.BaseColor: coat(0.8, 0.1, 0.1)}, st("gradient", map[string]any{"axis": "east", "start": border/2 - 0.005, "end": border/2 + 0.005}))
	d.Layers = []*stack.Layer{layer("grey", stack.Fill, map[stack.Channel]stack.Coat{stack.BaseColor: coat(0.3, 0.3, 0.3), stack.Metallic: coat(0)}), red, paint}
	return d
}

func onStrip(x, z float32) *raster.Frame {
	tri := 2 * int32(x) // two triangles a metre
	if z < 1-(x-float32(int(x))) {
		tri++
	}
	return raster.Point(geom.V3(x, 0, z), geom.V3(0, 1, 0), tri)
}

func valueAt(t *testing.T, p *Program, c stack.Channel, x, z float32) float32 {
	t.Helper()
	v, err := p.Channel(context.Background(), p.Scene.OnFrame(onStrip(x, z), fmt.Sprint("p", x, z)), c)
	if err != nil {
		t.Fatal(err)
	}
	return v[0].At(0)
}

// A fill by similar values covers what shows alike: what lies below, and what was painted
// before; when that changes, it does.
func TestFillingWhatIsAlike(t *testing.T) {
	m := strip(t, false)
	s := NewScene(m, cache.New(64<<20))
	compile := func(d *stack.Document) *Program {
		t.Helper()
		if err := step.Rules.Check(d); err != nil {
			t.Fatal(err)
		}
		return Compile(s, d, "", "")
	}
	red := func(p *Program, x float32) bool { return valueAt(t, p, stack.BaseColor, x, 0.5) > 0.7 }
	for _, border := range []float64{0.6, 1.3} {
		p := compile(alikeDocument(m, border))
		n := 0
		for x := float32(0.05); x < 1.95; x += 0.1 {
			if math.Abs(float64(x)-border) < 0.03 {
				continue
			}
			want := float32(0)
			if red(p, x) {
				want, n = 1, n+1
			}
			if got := valueAt(t, p, stack.Metallic, x, 0.5); math.Abs(float64(got-want)) > 0.01 {
				t.Errorf("border at %v: at %.2f metallic is %v, %v is wanted", border, x, got, want)
			}
		}
		if n < 3 || n > 16 {
			t.Fatalf("border at %v: %d places of the strip are red", border, n)
		}
	}
	// what was painted red in the layer before counts, what is painted after does not
	early := stroke("early", map[string][]float32{"baseColor": {0.8, 0.1, 0.1}}, geom.V3(1.7, 0, 0.5))
	late := stroke("late", map[string][]float32{"baseColor": {0.8, 0.1, 0.1}}, geom.V3(1.7, 0, 0.5))
	d := alikeDocument(m, 0.3, early)
	free := float32(1.7)
	if red(compile(alikeDocument(m, 0.3)), free) {
		free, early.Points[0].Pos.X, late.Points[0].Pos.X = 0.2, 0.2, 0.2
	}
	if got := valueAt(t, compile(d), stack.Metallic, free, 0.5); got < 0.99 {
		t.Errorf("what was painted alike before is filled to %v", got)
	}
	d = alikeDocument(m, 0.3)
	top := d.Layers[2]
	top.Strokes = append(top.Strokes, late)
	if got := valueAt(t, compile(d), stack.Metallic, free, 0.5); got > 0.01 {
		t.Errorf("what is painted alike afterwards is filled to %v", got)
	}
	// the tile's own key hangs on what lies below
	key := func(border float64) Key {
		p := compile(alikeDocument(m, border))
		return p.Key(s.OnTile(surface.Tile{Sheet: 0, Size: 128}), stack.Metallic)
	}
	if key(0.6) == key(1.3) {
		t.Error("another border below is the same tile")
	}
	at, err := compile(alikeDocument(m, 1.3)).ShowsAt(context.Background(), s.OnFrame(onStrip(free, 0.5), "at"), "paint", "", stack.BaseColor)
	if err != nil || len(at) != 3 {
		t.Fatal(at, err)
	}
	if _, err := compile(alikeDocument(m, 1.3)).ShowsAt(context.Background(), s.OnFrame(onStrip(free, 0.5), "at"), "paint", "", "rust"); err == nil || !strings.Contains(err.Error(), "rust") {
		t.Errorf("an unknown channel: %v", err)
	}
}

// A stroke that looks below makes its layer read what lies below: a layer there that
// follows it would go round in a circle.
func TestLookingBelowMakesNoLoops(t *testing.T) {
	d := alikeDocument(strip(t, false), 1)
	d.Layers[1].Mask = append(d.Layers[1].Mask, st("follow", map[string]any{"layer": "paint", "what": "metallic"}))
	if err := step.Rules.Check(d); err == nil || !strings.Contains(err.Error(), "loop") {
		t.Errorf("a loop is refused with %v", err)
	}
}

// angle is a floor of a square metre and a wall that stands at its side x = 1.
func angle(t *testing.T) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Name: "angle", Parts: []mesh.Part{{Name: "Angle"}}, Sheets: []mesh.Sheet{{Name: "A", HasUV: true}}}
	for k, q := range [2][4]geom.Vec3{{{Z: 1}, {X: 1, Z: 1}, {X: 1}, {}}, {{X: 1, Z: 1}, {X: 1, Y: 1, Z: 1}, {X: 1, Y: 1}, {X: 1}}} {
		base, nrm := uint32(len(m.Pos)), q[1].Sub(q[0]).Cross(q[2].Sub(q[0])).Unit()
		for i, p := range q {
			uv := [4]geom.Vec2{{X: .02, Y: .45}, {X: .47, Y: .45}, {X: .47, Y: .02}, {X: .02, Y: .02}}[i]
			m.Pos, m.Nrm, m.UV = append(m.Pos, p), append(m.Nrm, nrm), append(m.UV, geom.Vec2{X: uv.X + 0.5*float32(k), Y: uv.Y})
		}
		m.Tri = append(m.Tri, [3]uint32{base, base + 1, base + 2}, [3]uint32{base, base + 2, base + 3})
		m.TriPart, m.TriSheet = append(m.TriPart, 0, 0), append(m.TriSheet, 0, 0)
	}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

// Along the surface a ramp goes round the corner as it would on the unfolded sheet;
// straight it does not.
func TestARampAlongTheSurface(t *testing.T) {
	m := angle(t)
	s := NewScene(m, cache.New(64<<20))
	at := func(along bool, p, n geom.Vec3) float32 {
		hand := st("hand", nil)
		hand.Strokes = []*brush.Stroke{{ID: fmt.Sprint("ramp", along), Radius: 0.1, Strength: 1, Values: map[string][]float32{"mask": {1}}, Points: brush.Points{{Pos: geom.V3(0.1, 0, 0.5), Nrm: geom.V3(0, 1, 0), Pressure: 1}},
			Within: everything(m), Fill: &brush.Fill{Ramp: true, Along: along, From: geom.V3(0.1, 0, 0.5), To: geom.V3(1, 0.3, 0.5)}}}
		d := stack.New([]string{"A"}, 256)
		d.Layers = []*stack.Layer{layer("a", stack.Fill, nil, st("even", map[string]any{"value": 0.0}), hand)}
		if err := step.Rules.Check(d); err != nil {
			t.Fatal(err)
		}
		tri := int32(2) // of the wall
		if n.Y > 0.5 {
			tri = 0
		}
		f := raster.Point(p, n, tri)
		v, err := Compile(s, d, "", "").Mask(context.Background(), s.OnFrame(f, fmt.Sprint("ramp", p)), "a")
		if err != nil {
			t.Fatal(err)
		}
		return v.At(0)
	}
	up, left := geom.V3(0, 1, 0), geom.V3(-1, 0, 0)
	for _, c := range []struct {
		p, n            geom.Vec3
		along, straight float64
	}{
		{geom.V3(0.4, 0, 0.5), up, 1 - 0.3/1.2, 1 - 0.27/0.9},
		{geom.V3(0.7, 0, 0.5), up, 1 - 0.6/1.2, 1 - 0.54/0.9},
		{geom.V3(1, 0.15, 0.5), left, 1 - 1.05/1.2, 1 - (0.81+0.045)/0.9},
		{geom.V3(1, 0.8, 0.5), left, 0, 0},
	} {
		if got := float64(at(true, c.p, c.n)); math.Abs(got-c.along) > 0.03 {
			t.Errorf("at %v along the surface it is %.3f, %.3f is wanted", c.p, got, c.along)
		}
		if got := float64(at(false, c.p, c.n)); math.Abs(got-c.straight) > 0.01 {
			t.Errorf("at %v straight it is %.3f, %.3f is wanted", c.p, got, c.straight)
		}
	}
}

// A stroke that lays a material lays what its layer makes there, channel by channel, and
// goes on doing so when the material changes; of a layer that is gone its values stay.
func TestMaterialsAsPaint(t *testing.T) {
	m := strip(t, false)
	s := NewScene(m, cache.New(64<<20))
	doc := func(scale float64, gone bool) *Program {
		d := stack.New([]string{"A"}, 256)
		rust := layer("rust", stack.Fill, map[stack.Channel]stack.Coat{
			stack.BaseColor: coat(0.5, 0.2, 0.1),
			stack.Roughness: {On: true, Blend: "normal", Amount: 1, Value: []float32{0.5}, Stream: []*stack.Step{st("noise", map[string]any{"frequency": scale})}}})
		rust.Visible = false // it need not show itself
		paint := layer("paint", stack.Paint, map[stack.Channel]stack.Coat{stack.BaseColor: {On: true, Blend: "normal", Amount: 1}, stack.Roughness: {On: true, Blend: "normal", Amount: 1}})
		b := stroke("b", map[string][]float32{"baseColor": {0.9, 0.9, 0.9}, "roughness": {0.05}}, geom.V3(0.4, 0, 0.5), geom.V3(1.6, 0, 0.5))
		b.Of, b.Hardness = "rust", 1
		paint.Strokes = []*brush.Stroke{b}
		d.Layers = []*stack.Layer{layer("grey", stack.Fill, map[stack.Channel]stack.Coat{stack.BaseColor: coat(0.3, 0.3, 0.3), stack.Roughness: coat(0.95)}), rust, paint}
		if gone {
			d.Layers = []*stack.Layer{d.Layers[0], paint}
		}
		if err := step.Rules.Check(d); err != nil {
			t.Fatal(err)
		}
		return Compile(s, d, "", "")
	}
	own := func(p *Program, x float32) float32 {
		info, _ := p.Doc.Info(stack.Roughness)
		v, err := p.own(context.Background(), s.OnFrame(onStrip(x, 0.5), fmt.Sprint("own", x)), p.all["rust"], info)
		if err != nil {
			t.Fatal(err)
		}
		return v[0].At(0)
	}
	fine, coarse := doc(9, false), doc(3, false)
	differs := 0
	for x := float32(0.5); x < 1.55; x += 0.07 {
		for _, p := range []*Program{fine, coarse} {
			if got, want := valueAt(t, p, stack.Roughness, x, 0.5), own(p, x); math.Abs(float64(got-want)) > 1e-3 {
				t.Errorf("at %.2f the roughness is %v, the material's %v", x, got, want)
			}
			if got := valueAt(t, p, stack.BaseColor, x, 0.5); math.Abs(float64(got-0.5)) > 1e-3 {
				t.Errorf("at %.2f the red is %v, the material's 0.5", x, got)
			}
		}
		if math.Abs(float64(own(fine, x)-own(coarse, x))) > 0.05 {
			differs++
		}
	}
	if differs < 5 {
		t.Errorf("the two materials differ in %d places", differs)
	}
	if a, b := fine.Key(s.OnTile(surface.Tile{Size: 128}), stack.Roughness), coarse.Key(s.OnTile(surface.Tile{Size: 128}), stack.Roughness); a == b {
		t.Error("another material is the same tile")
	}
	if got := valueAt(t, doc(9, true), stack.Roughness, 1, 0.5); math.Abs(float64(got)-0.05) > 1e-6 {
		t.Errorf("without its layer the stroke lays %v, its value is 0.05", got)
	}
	// the material must not follow what is painted with it
	d := *fine.Doc
	l := *d.Layers[1]
	l.Channels = map[stack.Channel]stack.Coat{stack.Roughness: {On: true, Blend: "normal", Amount: 1, Value: []float32{0.5}, Stream: []*stack.Step{st("follow", map[string]any{"layer": "paint", "what": "roughness"})}}}
	d.Layers = []*stack.Layer{d.Layers[0], &l, d.Layers[2]}
	if err := step.Rules.Check(&d); err == nil || !strings.Contains(err.Error(), "loop") {
		t.Errorf("a material that follows what is painted with it is refused with %v", err)
	}
}
