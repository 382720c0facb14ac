package unwrap

import (
	"context"
	"math"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/sample"
)

func TestEditsOfIslands(t *testing.T) {
	m := sample.Bollard()
	ctx := context.Background()
	box := func(l *Layout, island int32) (lo, hi [2]float64) {
		lo, hi = [2]float64{9, 9}, [2]float64{-9, -9}
		for i := range m.Tri {
			if m.Island[i] != island {
				continue
			}
			for _, p := range l.UV[i] {
				lo[0], hi[0] = min(lo[0], float64(p.X)), max(hi[0], float64(p.X))
				lo[1], hi[1] = min(lo[1], float64(p.Y)), max(hi[1], float64(p.Y))
			}
		}
		return
	}
	was := Of(m)
	lo, hi := box(was, 2)
	near := func(a, b float64) bool { return math.Abs(a-b) < 1e-5 }
	l, label, err := Edit{Kind: "move", Islands: []int32{2}, X: 0.1, Y: 0.05}.Apply(ctx, m)
	if a, _ := box(l, 2); err != nil || label != "Move 1 island" || !near(a[0], lo[0]+0.1) || !near(a[1], lo[1]-0.05) {
		t.Errorf("moved: %v %q %v → %v", err, label, lo, a)
	}
	if a, _ := box(l, 3); a != func() [2]float64 { a, _ := box(was, 3); return a }() {
		t.Error("another island moved")
	}
	l, _, err = Edit{Kind: "turn", Islands: []int32{2}, Angle: 90}.Apply(ctx, m)
	if a, b := box(l, 2); err != nil || !near(b[0]-a[0], hi[1]-lo[1]) || !near(b[1]-a[1], hi[0]-lo[0]) {
		t.Errorf("turned by a quarter: %v %v %v", err, a, b)
	}
	l, _, err = Edit{Kind: "scale", Islands: []int32{2}, Factor: 2}.Apply(ctx, m)
	if a, b := box(l, 2); err != nil || !near(b[0]-a[0], 2*(hi[0]-lo[0])) || !near(a[0]+b[0], lo[0]+hi[0]) {
		t.Errorf("scaled: %v %v %v", err, a, b)
	}
	half, err := l.Apply(m)
	if err != nil {
		t.Fatal(err)
	}
	l, _, err = Edit{Kind: "even", Islands: []int32{2}}.Apply(ctx, half)
	if err != nil {
		t.Fatal(err)
	}
	even, _ := l.Apply(half)
	if s := Measure(even, Same(512)).Sheets[0]; s.Density[2] > 1.3*s.Density[0] {
		t.Errorf("evened: density %v", s.Density)
	}
	l, _, err = Edit{Kind: "mirror", Islands: []int32{2}}.Apply(ctx, m)
	if err != nil {
		t.Fatal(err)
	}
	mirrored, _ := l.Apply(m)
	if s := Measure(mirrored, Same(512)).Sheets[0]; s.Mirrored != 1 {
		t.Errorf("mirrored: %d islands run backwards", s.Mirrored)
	}
	l, _, err = Edit{Kind: "sheet", Islands: []int32{0, 2}, Sheet: "Second"}.Apply(ctx, m)
	if err != nil || len(l.Sheets) != len(m.Sheets)+1 {
		t.Fatalf("to a sheet of their own: %v, %v", err, l)
	}
	second, err := l.Apply(m)
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range Measure(second, Same(512)).Sheets {
		if s.Overlap > 0 || s.Outside > 0 || s.Sheet == "Second" && s.Islands != 2 {
			t.Errorf("%+v", s)
		}
	}
	for _, bad := range []Edit{{Kind: "bend"}, {Kind: "move", Islands: []int32{999}}, {Kind: "scale"}, {Kind: "move", X: math.NaN()}, {Kind: "sheet"}} {
		if _, _, err := bad.Apply(ctx, m); err == nil {
			t.Errorf("%+v was taken", bad)
		}
	}
}

// Packing leaves pinned islands where they are, and nothing over them.
func TestPinnedIslandsStay(t *testing.T) {
	m := sample.Bollard()
	ctx := context.Background()
	small, _, err := Edit{Kind: "scale", Factor: 0.4}.Apply(ctx, m)
	if err != nil {
		t.Fatal(err)
	}
	m, _ = small.Apply(m)
	pinned := []int32{1, 4}
	l, _, err := Edit{Kind: "pack", Pinned: pinned, Size: 512, Margin: 4}.Apply(ctx, m)
	if err != nil {
		t.Fatal(err)
	}
	for i := range m.Tri {
		for k, v := range m.Tri[i] {
			if (m.Island[i] == 1 || m.Island[i] == 4) && l.UV[i][k] != m.UV[v] {
				t.Fatalf("pinned island %d moved", m.Island[i])
			}
		}
	}
	after, _ := l.Apply(m)
	if s := Measure(after, Same(512)).Sheets[0]; s.Overlap > 0 || s.Padding < 4 || s.Outside > 0 {
		t.Errorf("%+v", s)
	}
}

// A bent strip becomes a rectangle.
func TestStraighten(t *testing.T) {
	m := surface(t, 20, 4, func(u, v float64) geom.Vec3 {
		sin, cos := math.Sincos(u * 2)
		r := 1 + 0.3*v
		return geom.V3(float32(r*sin), 0, float32(-r*cos))
	})
	for i, p := range m.Pos {
		m.UV[i] = geom.Vec2{X: 0.5 + p.X/4, Y: 0.5 + p.Z/4}
	}
	m.Sheets[0].HasUV = true
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	l, _, err := Edit{Kind: "straight"}.Apply(context.Background(), m)
	if err != nil {
		t.Fatal(err)
	}
	after, _ := l.Apply(m)
	d := Islands(after, func(int) bool { return true })[0]
	lo, hi := d.bounds()
	if fill := d.area() / ((hi[0] - lo[0]) * (hi[1] - lo[1])); math.Abs(fill-1) > 1e-4 {
		t.Errorf("the island fills %v of its rectangle", fill)
	}
	if w, h := hi[0]-lo[0], hi[1]-lo[1]; max(w, h)/min(w, h) < 5 {
		t.Errorf("it is %v × %v; the strip is far longer than wide", w, h)
	}
}

// A split gives each part a sheet of its own, a join brings all back on one; nothing
// overlaps, the margin is kept, and everything has one density.
func TestSheetsAreSplitAndJoined(t *testing.T) {
	m := sample.Lantern()
	apply := func(m *mesh.Model, e Edit) *mesh.Model {
		t.Helper()
		e.Size, e.Margin = 256, 2
		l, label, err := e.Apply(context.Background(), m)
		if err != nil {
			t.Fatal(err)
		}
		out, err := l.Apply(m)
		if err != nil || label == "" {
			t.Fatal(err, label)
		}
		return out
	}
	brass := m.Sheets[2].Name
	parts := map[string]bool{}
	for i := range m.Tri {
		if m.TriSheet[i] == 2 {
			parts[m.Parts[m.TriPart[i]].Name] = true
		}
	}
	split := apply(m, Edit{Kind: "split", Sheets: []string{brass}})
	if got, want := len(split.Sheets), len(m.Sheets)-1+len(parts); got != want || split.SheetIndex(brass) >= 0 {
		t.Fatalf("%d sheets after the split, want %d without %q", got, want, brass)
	}
	var names []string
	for p := range parts {
		names = append(names, brass+" "+p)
		if s := split.SheetIndex(brass + " " + p); s < 0 {
			t.Fatalf("there is no sheet for %q", p)
		}
	}
	joined := apply(split, Edit{Kind: "join", Sheets: names, Sheet: "Metal"})
	if len(joined.Sheets) != len(m.Sheets) || joined.SheetIndex("Metal") < 0 {
		t.Fatalf("%d sheets after the join, want %d with Metal", len(joined.Sheets), len(m.Sheets))
	}
	for _, s := range Measure(joined, Same(256)).Sheets {
		if s.Sheet != "Metal" {
			continue
		}
		if s.Overlap != 0 || s.Padding < 2 || s.Outside != 0 {
			t.Errorf("%+v", s)
		}
		if s.Density[2]/s.Density[0] > 1.02 {
			t.Errorf("density from %g to %g", s.Density[0], s.Density[2])
		}
	}
	for _, e := range []Edit{{Kind: "split", Sheets: []string{"No such"}}, {Kind: "join", Sheets: []string{brass}, Sheet: "a"}, {Kind: "join", Sheets: []string{brass, "Rope"}, Sheet: "Glass"}, {Kind: "join", Sheets: []string{brass, "Rope"}}} {
		if _, _, err := e.Apply(context.Background(), m); err == nil {
			t.Errorf("%+v was accepted", e)
		}
	}
}
