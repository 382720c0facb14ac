package live

import (
	"slices"
	"strings"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// two is a model of two sheets with a square each; edit changes it before it is finished.
func two(t *testing.T, edit func(m *mesh.Model)) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Parts: []mesh.Part{{Name: "left"}, {Name: "right"}}, Sheets: []mesh.Sheet{{Name: "A", HasUV: true}, {Name: "B", HasUV: true}}}
	for k := range 2 {
		x := float32(2 * k)
		base := uint32(4 * k)
		m.Pos = append(m.Pos, geom.V3(x, 0, 1), geom.V3(x+1, 0, 1), geom.V3(x+1, 0, 0), geom.V3(x, 0, 0))
		m.UV = append(m.UV, geom.Vec2{Y: 1}, geom.Vec2{X: 1, Y: 1}, geom.Vec2{X: 1}, geom.Vec2{})
		m.Tri = append(m.Tri, [3]uint32{base, base + 1, base + 2}, [3]uint32{base, base + 2, base + 3})
		m.TriPart, m.TriSheet = append(m.TriPart, uint16(k), uint16(k)), append(m.TriSheet, uint16(k), uint16(k))
	}
	m.Nrm = make([]geom.Vec3, len(m.Pos))
	for i := range m.Nrm {
		m.Nrm[i] = geom.V3(0, 1, 0)
	}
	if edit != nil {
		edit(m)
	}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

// A newer model keeps the baked maps that are still true, and drops the others, telling why:
// those of a sheet whose UVs or surface changed, and of other sheets those that look around.
func TestBakesOfASurfaceThatMovedAreDropped(t *testing.T) {
	baked := func() map[string]stack.Baked {
		return map[string]stack.Baked{"ao": {Picture: "p", Size: 64, Range: [2]float32{0, 1}}, "position": {Picture: "q", Size: 64, Range: [2]float32{0, 1}}}
	}
	d := stack.New([]string{"A", "B"}, 256)
	d.Prepared = &stack.Prepared{Baked: map[string]map[string]stack.Baked{"A": baked(), "B": baked()}}
	d.Layers = []*stack.Layer{{ID: "l", Name: "l", Kind: stack.Fill, Visible: true, Amount: 1, Reach: stack.Reach{Islands: []int32{1}}}}
	before := two(t, nil)
	for what, c := range map[string]struct {
		edit func(m *mesh.Model)
		left []string // sheet/map
		told int
	}{
		"nothing":                      {nil, []string{"A/ao", "A/position", "B/ao", "B/position"}, 0},
		"a vertex of A moves":          {func(m *mesh.Model) { m.Pos[0].Y = 0.3 }, []string{"B/position"}, 3},
		"a normal of A turns":          {func(m *mesh.Model) { m.Nrm[1] = geom.V3(0, 0.8, 0.6) }, []string{"B/position"}, 3},
		"a part of A is renamed":       {func(m *mesh.Model) { m.Parts[0].Name = "other" }, []string{"B/position"}, 3},
		"A's UVs change":               {func(m *mesh.Model) { m.UV[0].X = 0.2 }, []string{"B/ao", "B/position"}, 0},
		"B is a sheet of another name": {func(m *mesh.Model) { m.Sheets[1].Name = "C" }, []string{"A/ao", "A/position"}, 0},
	} {
		op, dropped := relayout(d, before, two(t, c.edit), func(*stack.Prepared) {}, "Newer model")
		next, _, _, err := step.Rules.Apply(d, op)
		if err != nil {
			t.Fatalf("%s: %v", what, err)
		}
		var left []string
		for sheet, all := range next.Preparation().Baked {
			for name := range all {
				left = append(left, sheet+"/"+name)
			}
		}
		slices.Sort(left)
		if !slices.Equal(left, c.left) {
			t.Errorf("%s: %v are left, want %v", what, left, c.left)
		}
		if len(dropped) != c.told || c.told > 0 && !strings.Contains(strings.Join(dropped, " "), "bake it again") {
			t.Errorf("%s: told %q", what, dropped)
		}
	}
}

// What a layer reaches by islands it reaches by faces once the islands are others.
func TestAReachByIslandsBecomesOneByFaces(t *testing.T) {
	before := two(t, nil)
	after := two(t, func(m *mesh.Model) { m.UV[4].X = 0.2 })
	d := stack.New([]string{"A", "B"}, 256)
	d.Layers = []*stack.Layer{
		{ID: "l", Name: "l", Kind: stack.Fill, Visible: true, Amount: 1, Reach: stack.Reach{Islands: []int32{before.Island[2]}}},
		{ID: "locked", Name: "locked", Kind: stack.Fill, Visible: true, Amount: 1, Locked: true, Reach: stack.Reach{Islands: []int32{before.Island[2]}}},
	}
	next, inverse, _, err := step.Rules.Apply(d, Relayout(d, before, after, "blob", "Unwrap"))
	if err != nil {
		t.Fatal(err)
	}
	if r := next.Layer("l").Reach; len(r.Islands) != 0 || !slices.Equal(r.Faces, []int32{2, 2}) {
		t.Errorf("it reaches %+v", r)
	}
	if r := next.Layer("locked").Reach; len(r.Islands) != 1 {
		t.Errorf("a locked layer reaches %+v", r)
	}
	back, _, _, err := step.Rules.Apply(next, inverse)
	if err != nil || len(back.Layer("l").Reach.Islands) != 1 || back.Preparation().Layout != "" {
		t.Errorf("taken back: %v %+v", err, back.Layer("l").Reach)
	}
}
