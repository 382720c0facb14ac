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
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// texel is the edge of a texel of the test plates, in metres: 1 unit of UV is 2 m
// on a sheet of 512.
const texel = 1.0 / 256

// plate is a flat plate of 256 × 128 texels in the XZ plane, facing up, of squares
// of 16 texels. lay says, for the piece that a column belongs to, the sheet and the
// UV of a place, both in texels.
func plate(t *testing.T, sheets int, piece func(x float64) int, lay func(piece int, x, z float64) (sheet int, u, v float64)) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Parts: []mesh.Part{{Name: "Plate"}}}
	for i := range sheets {
		m.Sheets = append(m.Sheets, mesh.Sheet{Name: fmt.Sprintf("Sheet %d", i+1), HasUV: true})
	}
	const step = 16
	for x := 0.0; x < 256; x += step {
		for z := 0.0; z < 128; z += step {
			first := uint32(len(m.Pos))
			sheet := 0
			for _, c := range [4][2]float64{{0, 0}, {0, step}, {step, step}, {step, 0}} {
				px, pz := x+c[0], z+c[1]
				s, u, v := lay(piece(x), px, pz)
				sheet = s
				m.Pos = append(m.Pos, geom.V3(float32(px*texel), 0, float32(pz*texel)))
				m.Nrm = append(m.Nrm, geom.V3(0, 1, 0))
				m.UV = append(m.UV, geom.Vec2{X: float32(u / 512), Y: float32(v / 512)})
			}
			m.Tri = append(m.Tri, [3]uint32{first, first + 1, first + 2}, [3]uint32{first, first + 2, first + 3})
			m.TriPart = append(m.TriPart, 0, 0)
			m.TriSheet = append(m.TriSheet, uint16(sheet), uint16(sheet))
		}
	}
	// vertices are shared within an island only: the same place and UV is the same vertex
	weld(m)
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

func weld(m *mesh.Model) {
	type key struct {
		p  geom.Vec3
		uv geom.Vec2
	}
	seen := map[key]uint32{}
	for i := range m.Tri {
		for k, v := range m.Tri[i] {
			id := key{m.Pos[v], m.UV[v]}
			if _, ok := seen[id]; !ok {
				seen[id] = v
			}
			m.Tri[i][k] = seen[id]
		}
	}
}

func whole(t *testing.T) *mesh.Model {
	return plate(t, 1, func(float64) int { return 0 }, func(_ int, x, z float64) (int, float64, float64) { return 0, x + 32, z + 32 })
}

// cutUp is the same plate in four islands: straight, turned by 90°, mirrored, and
// one on another sheet.
func cutUp(t *testing.T) *mesh.Model {
	return plate(t, 2, func(x float64) int { return int(x) / 64 }, func(piece int, x, z float64) (int, float64, float64) {
		switch piece {
		case 0:
			return 0, 10 + x, 10 + z
		case 1:
			return 0, 10 + z, 200 + 64 - (x - 64)
		case 2:
			return 0, 300 - (x - 128), 10 + z
		}
		return 1, 50 + x - 192, 77 + z
	})
}

// onPlate evaluates the mask of the only layer on every tile and returns it by
// place on the plate.
func onPlate(t *testing.T, m *mesh.Model, steps []*stack.Step) [256][128]float32 {
	t.Helper()
	return onScene(t, NewScene(m, cache.New(1<<28)), steps, "")
}

// onScene is onPlate for a scene that is there, with a stroke that still grows.
func onScene(t *testing.T, s *Scene, steps []*stack.Step, live string) [256][128]float32 {
	t.Helper()
	m := s.Model
	d := stack.New([]string{"Sheet 1", "Sheet 2"}, 512)
	d.Layers = []*stack.Layer{{ID: "a", Name: "A", Kind: stack.Fill, Visible: true, Amount: 1, Mask: steps}}
	if err := step.Rules.Check(d); err != nil {
		t.Fatal(err)
	}
	p := Compile(s, d, "", live)
	var out [256][128]float32
	for x := range out {
		for z := range out[x] {
			out[x][z] = float32(math.NaN())
		}
	}
	for sheet := range m.Sheets {
		for _, tile := range surface.Tiles(sheet, 512) {
			u := s.OnTile(tile)
			if u.Empty() {
				continue
			}
			v, err := p.Mask(t.Context(), u, "a")
			if err != nil {
				t.Fatal(err)
			}
			f := u.Frame()
			for y := pix.Margin; y < pix.Margin+pix.Size; y++ {
				for x := pix.Margin; x < pix.Margin+pix.Size; x++ {
					if i := y*f.W + x; f.Inside[i] {
						out[int(f.Pos[i].X/texel)][int(f.Pos[i].Z/texel)] = v.At(i)
					}
				}
			}
		}
	}
	return out
}

func st(kind string, params map[string]any, inner ...*stack.Step) *stack.Step {
	stepNumber++
	return &stack.Step{ID: fmt.Sprint("s", stepNumber), Kind: kind, On: true, Amount: 1, Params: params, Steps: inner}
}

var stepNumber int

// stripe is a hard-edged stripe painted across all pieces, over a noise.
func stripe() []*stack.Step {
	hand := st("hand", nil)
	hand.Strokes = []*brush.Stroke{{ID: "stripe", Radius: 9 * texel, Strength: 1, Hardness: 0.8, Values: map[string][]float32{"mask": {1}}, Points: brush.Points{
		{Pos: geom.V3(2*texel, 0, 20*texel), Nrm: geom.V3(0, 1, 0), Pressure: 1}, {Pos: geom.V3(250*texel, 0, 110*texel), Nrm: geom.V3(0, 1, 0), Pressure: 1}}}}
	return []*stack.Step{st("noise", map[string]any{"frequency": 9.0, "octaves": 3.0}), st("levels", map[string]any{"low": 0.4, "high": 0.7, "outHigh": 0.6}), hand}
}

var filters = []struct {
	name  string
	steps func() []*stack.Step
	// inset leaves out what lies so near the plate's open border (not a seam): a
	// wide filter works on coarse texels, and knows where the surface ends only to
	// a quarter of one
	inset int
}{
	{"blur", func() []*stack.Step { return []*stack.Step{st("blur", map[string]any{"radius": 4 * texel})} }, 0},
	{"wide blur", func() []*stack.Step { return []*stack.Step{st("blur", map[string]any{"radius": 20 * texel})} }, 40},
	{"sharpen", func() []*stack.Step { return []*stack.Step{st("sharpen", map[string]any{"radius": 3 * texel})} }, 0},
	{"directional blur", func() []*stack.Step {
		return []*stack.Step{st("smear", map[string]any{"radius": 12 * texel, "direction": []any{1.0, 0.0, 0.3}})}
	}, 0},
	{"warp", func() []*stack.Step {
		return []*stack.Step{st("warp", map[string]any{"radius": 9 * texel, "direction": []any{1.0, 0.0, 0.4}}, st("noise", map[string]any{"frequency": 5.0, "octaves": 2.0}))}
	}, 0},
	{"warp downhill by a blurred stream", func() []*stack.Step {
		return []*stack.Step{st("warp", map[string]any{"radius": 6 * texel, "way": "downhill"}, st("noise", map[string]any{"frequency": 5.0, "octaves": 2.0}), st("blur", map[string]any{"radius": 2 * texel}))}
	}, 0},
	{"slope", func() []*stack.Step {
		return []*stack.Step{st("blur", map[string]any{"radius": 2 * texel}), st("slope", map[string]any{"height": 0.01})}
	}, 0},
	{"light on the slope", func() []*stack.Step {
		return []*stack.Step{st("blur", map[string]any{"radius": 2 * texel}), st("slope", map[string]any{"height": 0.01, "show": "light from direction", "direction": []any{1.0, 0.5, 0.2}})}
	}, 0},
	{"expand", func() []*stack.Step { return []*stack.Step{st("expand", map[string]any{"radius": 3.5 * texel})} }, 0},
	{"edge", func() []*stack.Step { return []*stack.Step{st("edge", map[string]any{"radius": 2 * texel})} }, 0},
}

// A filter must not see how the surface was cut up: the same stripe over straight,
// turned and mirrored islands and over two sheets is the same within an 8-bit step.
func TestFiltersReadOverSeamsAndSheets(t *testing.T) {
	one, four := whole(t), cutUp(t)
	if four.Islands != 4 || one.Islands != 1 {
		t.Fatalf("%d and %d islands", one.Islands, four.Islands)
	}
	for _, c := range filters {
		want := onPlate(t, one, append(stripe(), c.steps()...))
		got := onPlate(t, four, append(stripe(), c.steps()...))
		plain := onPlate(t, one, stripe())
		worst, changed := 0.0, 0
		for x := c.inset; x < 256-c.inset; x++ {
			for z := c.inset; z < 128-c.inset; z++ {
				d := math.Abs(float64(got[x][z] - want[x][z]))
				if math.IsNaN(d) {
					t.Fatalf("%s: no value at %d, %d: %v and %v", c.name, x, z, got[x][z], want[x][z])
				}
				worst = max(worst, d)
				if math.Abs(float64(want[x][z]-plain[x][z])) > 0.02 {
					changed++
				}
			}
		}
		if changed < 500 {
			t.Errorf("%s changes only %d texels: nothing is shown by this", c.name, changed)
		}
		if worst > 1.0/255 {
			t.Errorf("%s: off by %.4f at worst", c.name, worst)
		}
	}
}

// A stroke set down dab by dab is the same over seams and sheets as on one island: it
// lies on the surface, not on the texels.
func TestBrushesPaintOverSeamsAndSheets(t *testing.T) {
	one, four := whole(t), cutUp(t)
	for _, m := range brush.Shelf() {
		if m.Kit == nil {
			continue
		}
		hand := st("hand", nil)
		s := &brush.Stroke{ID: "over " + m.Name, Radius: 14 * texel, Strength: 1, Hardness: m.Hardness, Kit: m.Kit, Values: map[string][]float32{"mask": {1}}}
		for i := range 12 {
			s.Points = append(s.Points, brush.Point{Pos: geom.V3((20+float32(i)*19)*texel, 0, (40+float32(i%3)*20)*texel), Nrm: geom.V3(0, 1, 0), Pressure: 0.4 + 0.05*float32(i)})
		}
		hand.Strokes = []*brush.Stroke{s}
		want, got := onPlate(t, one, []*stack.Step{hand}), onPlate(t, four, []*stack.Step{hand})
		worst, painted := 0.0, 0
		for x := range 256 {
			for z := range 128 {
				worst = max(worst, math.Abs(float64(got[x][z]-want[x][z])))
				if want[x][z] > 0.05 {
					painted++
				}
			}
		}
		if painted < 60 || worst > 1.0/255 {
			t.Errorf("%s: %d texels painted, up to %.4f apart over the seams", m.Name, painted, worst)
		}
	}
}

// Softening and sharpening by hand look at what was painted before, over seams and
// sheets: the border of a hard stripe becomes soft under the brush, and only there.
func TestSofteningByHandGoesOverSeams(t *testing.T) {
	pull := func(id, does string, radius float32, z float32) *brush.Stroke {
		s := &brush.Stroke{ID: id, Does: does, Radius: radius * texel, Strength: 1, Hardness: 0.9, Values: map[string][]float32{"mask": {1}}}
		for i := range 9 {
			s.Points = append(s.Points, brush.Point{Pos: geom.V3((10+float32(i)*29)*texel, 0, z*texel), Nrm: geom.V3(0, 1, 0), Pressure: 1})
		}
		return s
	}
	stripe := func(more ...*brush.Stroke) []*stack.Step {
		hand := st("hand", nil)
		hand.Strokes = append([]*brush.Stroke{pull("stripe", "", 20, 64)}, more...)
		return []*stack.Step{st("even", map[string]any{"value": 0.0}), hand}
	}
	one, four := whole(t), cutUp(t)
	hard := onPlate(t, one, stripe())
	var soft [256][128]float32
	for _, c := range []struct {
		name string
		list []*brush.Stroke
	}{
		{"softened", []*brush.Stroke{pull("soft", brush.Soften, 16, 46)}},
		{"softened twice", []*brush.Stroke{pull("soft", brush.Soften, 16, 46), pull("again", brush.Soften, 16, 44)}},
		{"softened and sharpened", []*brush.Stroke{pull("soft", brush.Soften, 16, 46), pull("sharp", brush.Sharpen, 16, 46)}},
	} {
		want, got := onPlate(t, one, stripe(c.list...)), onPlate(t, four, stripe(c.list...))
		worst := 0.0
		for x := range 256 {
			for z := range 128 {
				worst = max(worst, math.Abs(float64(got[x][z]-want[x][z])))
			}
		}
		if worst > 1.0/255 {
			t.Errorf("%s: up to %.4f apart over the seams", c.name, worst)
		}
		if c.name == "softened" {
			soft = want
		}
		steepest := func(v [256][128]float32, lo, hi int) (m float64) {
			for z := lo; z < hi; z++ {
				m = max(m, math.Abs(float64(v[128][z+1]-v[128][z])))
			}
			return
		}
		was, now := steepest(hard, 40, 52), steepest(want, 40, 52)
		if was < 0.1 {
			t.Fatalf("the stripe has no border: steps of %.3f", was)
		}
		switch c.name {
		case "softened", "softened twice":
			if now > 0.5*was {
				t.Errorf("%s: steps of up to %.3f, %.3f before", c.name, now, was)
			}
		default:
			if s := steepest(soft, 40, 52); now < 1.15*s {
				t.Errorf("%s: steps of up to %.3f, %.3f when softened", c.name, now, s)
			}
		}
		if a, b := steepest(hard, 76, 90), steepest(want, 76, 90); math.Abs(a-b) > 1e-4 {
			t.Errorf("%s: the other border was changed too: %.4f, %.4f", c.name, a, b)
		}
	}
}
