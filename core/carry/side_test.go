package carry

import (
	"fmt"
	"math"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/raster"
)

// pair is a flat plate of w × h squares, and another that is built like its mirror image
// but lies elsewhere, is twice as large and bent: no symmetry in space. Triangle i of the
// first is triangle i of the second; a square of the second may be left out.
func pair(t *testing.T, w, h, without int) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Name: "pair", Parts: []mesh.Part{{Name: "a"}, {Name: "b"}}, Sheets: []mesh.Sheet{{Name: "s", HasUV: true}}}
	for side := range 2 {
		base := uint32(len(m.Pos))
		for y := range h + 1 {
			for x := range w + 1 {
				p, n := geom.V3(float32(x), 0, float32(y)), geom.V3(0, 1, 0)
				if side == 1 {
					// a piece of a cylinder, mirrored
					a := float64(x) * 0.12
					p = geom.V3(-40-10*float32(math.Sin(a)), 10*float32(math.Cos(a)), 2*float32(y)+0.3*float32(x))
					n = geom.V3(-float32(math.Sin(a)), float32(math.Cos(a)), 0)
				}
				m.Pos, m.Nrm = append(m.Pos, p), append(m.Nrm, n)
				m.UV = append(m.UV, geom.Vec2{X: (float32(x)/float32(w) + float32(side)) / 2.1, Y: float32(y) / float32(h+1)})
			}
		}
		at := func(x, y int) uint32 { return base + uint32(y*(w+1)+x) }
		for y := range h {
			for x := range w {
				if side == 1 && y*w+x == without {
					continue
				}
				a, b, c, d := at(x, y), at(x, y+1), at(x+1, y+1), at(x+1, y)
				tris := [][3]uint32{{a, b, c}, {a, c, d}}
				if side == 1 { // wound the other way, and begun at other corners
					tris = [][3]uint32{{c, b, a}, {c, a, d}}
				}
				for _, t := range tris {
					m.Tri, m.TriPart, m.TriSheet = append(m.Tri, t), append(m.TriPart, uint16(side)), append(m.TriSheet, 0)
				}
			}
		}
	}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

func TestCounterpartsByConnectivity(t *testing.T) {
	const w, h = 7, 5
	m := pair(t, w, h, -1)
	half := 2 * w * h
	// from the corner square: there are other ways to lay it, but only one goes all the way
	c, err := m.Match(9, half+9)
	if err != nil {
		t.Fatal(err)
	}
	if c.Count != 2*half {
		t.Fatalf("%d of %d faces have a counterpart", c.Count, 2*half)
	}
	for i := range half {
		if c.To[i] != int32(half+i) || c.To[half+i] != int32(i) || !c.Near(int32(i)) || c.Near(int32(half+i)) {
			t.Fatalf("face %d goes with %d, and back with %d", i, c.To[i], c.To[half+i])
		}
		for _, q := range [][2]float32{{0, 0}, {1, 0}, {0, 1}, {0.2, 0.5}} {
			_, pos, _, _ := c.Place(m, int32(i), q[0], q[1])
			// a corner lies on the corner of the same place in the grid: its number is the same
			if q[0]+q[1] == 0 || q[0] == 1 || q[1] == 1 {
				k := 0
				if q[0] == 1 {
					k = 1
				} else if q[1] == 1 {
					k = 2
				}
				want := m.Pos[m.Tri[i][k]+uint32((w+1)*(h+1))]
				if pos.Sub(want).Length() > 1e-5 {
					t.Fatalf("corner %d of face %d lies at %v, want %v", k, i, pos, want)
				}
			}
		}
	}
	// what is missing on one side has no counterpart, and the rest keeps its own
	m = pair(t, w, h, 2*w+3)
	c, err = m.Match(0, 2*w*h)
	if err != nil {
		t.Fatal(err)
	}
	if c.To[2*(2*w+3)] >= 0 || c.Count < half || c.Count >= 2*half-2 {
		t.Errorf("%d faces have a counterpart; the missing square's is %d", c.Count, c.To[2*(2*w+3)])
	}
	for i := range half {
		want := int32(half + i)
		if i > 2*(2*w+3) {
			want -= 2
		}
		if u := c.To[i]; u >= 0 && u != want {
			t.Fatalf("face %d goes with %d, not with %d", i, u, want)
		}
	}
	for _, bad := range [][2]int{{3, 3}, {-1, 0}, {0, 1 << 20}} {
		if _, err := m.Match(bad[0], bad[1]); err == nil {
			t.Errorf("%v was matched", bad)
		}
	}
}

// paired is a pair of grids of w × h squares with the correspondence of their faces.
func paired(t *testing.T, w, h int) (*mesh.Model, *Sides) {
	t.Helper()
	m := pair(t, w, h, -1)
	c, err := m.Match(9, 2*w*h+9)
	if err != nil {
		t.Fatal(err)
	}
	s, err := NewSides(t.Context(), m, c)
	if err != nil {
		t.Fatal(err)
	}
	return m, s
}

func TestStrokesGoToTheOtherSide(t *testing.T) {
	const w, h = 7, 5
	m, s := paired(t, w, h)
	n := 0
	id := func() string { n++; return fmt.Sprint("new", n) }
	line := func(name string, pts ...geom.Vec3) *brush.Stroke {
		st := &brush.Stroke{ID: name, Radius: 0.2, Strength: 1, Values: map[string][]float32{"mask": {1}}}
		for _, p := range pts {
			st.Points = append(st.Points, brush.Point{Pos: p, Nrm: geom.V3(0, 1, 0), Pressure: 0.7})
		}
		return st
	}
	here := line("here", geom.V3(1, 0, 1), geom.V3(2.5, 0, 1.25), geom.V3(4, 0, 3))
	got, err := s.Change([]*brush.Stroke{here}, "copy", id)
	if err != nil || len(got.Come) != 1 || len(got.Gone) != 0 || got.Left != 0 {
		t.Fatalf("%+v, %v", got, err)
	}
	st := got.Come[0]
	// the vertex (1, 1) of the grid there; a point within a square is mixed of its corners
	if want := m.Pos[(w+1)*(h+1)+(w+1)+1]; st.Points[0].Pos.Sub(want).Length() > 1e-3 {
		t.Errorf("the stroke begins at %v, want %v", st.Points[0].Pos, want)
	}
	if st.Points[1].Nrm.Dot(geom.V3(-float32(math.Sin(0.3)), float32(math.Cos(0.3)), 0)) < 0.99 || st.Points[1].Pressure != 0.7 || st.ID == "here" {
		t.Errorf("%+v", st.Points[1])
	}
	if st.Radius < 0.25 || st.Radius > 0.5 {
		t.Errorf("on squares about twice the area its radius is %v, was 0.2", st.Radius)
	}
	back, err := s.Change([]*brush.Stroke{here, st}, "exchange", id)
	if err != nil || len(back.Come) != 2 || len(back.Gone) != 2 {
		t.Fatalf("%+v, %v", back, err)
	}
	for _, b := range back.Come {
		for i, p := range b.Points {
			if b.Points[0].Pos.X > 0 && p.Pos.Sub(here.Points[i].Pos).Length() > 1e-3 {
				t.Errorf("there and back point %d is at %v, was %v", i, p.Pos, here.Points[i].Pos)
			}
		}
	}
	flip, err := s.Change([]*brush.Stroke{here, st}, "flip", id)
	if err != nil || len(flip.Come) != 1 || len(flip.Gone) != 1 || flip.Gone[0] != "here" {
		t.Errorf("%+v, %v", flip, err)
	}
	if _, err := s.Change([]*brush.Stroke{st}, "copy", id); err == nil {
		t.Error("strokes of the far side alone were copied")
	}
	// one that leaves what has a counterpart comes in pieces
	m = pair(t, w, h, 2*w+3)
	c, _ := m.Match(0, 2*w*h)
	s, _ = NewSides(t.Context(), m, c)
	across := line("across", geom.V3(0.5, 0, 2.5), geom.V3(1.4, 0, 2.5), geom.V3(3.5, 0, 2.5), geom.V3(6.2, 0, 2.5))
	if got, err := s.Change([]*brush.Stroke{across}, "copy", id); err != nil || got.Left != 1 || len(got.Come) < 2 {
		t.Errorf("%+v, %v", got, err)
	}
}

// A mirrored stroke is the mirror image down to its single dabs: tip, chance and turn.
func TestMirroredStrokesAreMirrorImages(t *testing.T) {
	const w, h = 7, 5
	m := &mesh.Model{Name: "two", Parts: []mesh.Part{{Name: "a"}, {Name: "b"}}, Sheets: []mesh.Sheet{{Name: "s", HasUV: true}}}
	up := geom.V3(0, 1, 0)
	for side := range 2 {
		base, sign := uint32(len(m.Pos)), float32(1-2*side)
		for y := range h + 1 {
			for x := range w + 1 {
				m.Pos, m.Nrm = append(m.Pos, geom.V3(sign*float32(x+1), 0, float32(y))), append(m.Nrm, up)
				m.UV = append(m.UV, geom.Vec2{X: (float32(x)/float32(w) + float32(side)) / 2.1, Y: float32(y) / float32(h+1)})
			}
		}
		at := func(x, y int) uint32 { return base + uint32(y*(w+1)+x) }
		for y := range h {
			for x := range w {
				a, b, c, d := at(x, y), at(x, y+1), at(x+1, y+1), at(x+1, y)
				tris := [][3]uint32{{a, b, c}, {a, c, d}}
				if side == 1 {
					tris = [][3]uint32{{c, b, a}, {d, c, a}}
				}
				for _, t := range tris {
					m.Tri, m.TriPart, m.TriSheet = append(m.Tri, t), append(m.TriPart, uint16(side)), append(m.TriSheet, 0)
				}
			}
		}
	}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	c, err := m.Match(9, 2*w*h+9)
	if err != nil {
		t.Fatal(err)
	}
	if !c.Mirrors(9) {
		t.Fatal("the plates are mirror images")
	}
	s, err := NewSides(t.Context(), m, c)
	if err != nil {
		t.Fatal(err)
	}
	for _, kit := range []brush.Kit{
		{Spacing: 0.6, Flow: 1, Tip: "leaf", Angle: 25},
		{Spacing: 0.6, Flow: 1, Tip: "leaf", Along: true, Angle: 40, AngleJitter: 0.3, SizeJitter: 0.5, Scatter: 0.6, Count: 2},
	} {
		k := kit
		st := &brush.Stroke{ID: "one", Radius: 0.7, Strength: 1, Hardness: 0.5, Kit: &k, Values: map[string][]float32{"mask": {1}}}
		for i := range 9 {
			st.Points = append(st.Points, brush.Point{Pos: geom.V3(2+0.6*float32(i), 0, 2.5+float32(math.Sin(float64(i)))), Nrm: up, Pressure: 1})
		}
		n := 0
		over, left := s.Over(st, false, func() string { n++; return fmt.Sprint("over", n) })
		if len(over) != 1 || left != 0 {
			t.Fatalf("%d strokes came over, %d points were left", len(over), left)
		}
		cover := func(b *brush.Stroke, sign float32) []float32 {
			f := &raster.Frame{W: 120, H: 80, Footprint: 0.06}
			for y := range f.H {
				for x := range f.W {
					f.Pos, f.Nrm, f.Tri = append(f.Pos, geom.V3(sign*(1+float32(x)*0.06), 0, float32(y)*0.06)), append(f.Nrm, up), append(f.Tri, 0)
				}
			}
			f.Seal()
			c := b.NewCoverage(len(f.Pos))
			_ = b.Draw(t.Context(), f, c, 0, b.Segments())
			return c.Cover
		}
		here, there := cover(st, 1), cover(over[0], -1)
		var sum, off float64
		for i := range here {
			sum += float64(here[i])
			off += math.Abs(float64(here[i] - there[i]))
		}
		if sum < 100 || off > 0.01*sum {
			t.Errorf("%+v: %.1f of %.1f differ from the mirror image", kit, off, sum)
		}
		// without its flip it is another stroke: the tip has a handedness
		plain := *over[0]
		plain.Flip = false
		off = 0
		for i, v := range cover(&plain, -1) {
			off += math.Abs(float64(here[i] - v))
		}
		if off < 0.1*sum {
			t.Errorf("%+v: unmirrored it differs by %.1f of %.1f; the test says nothing", kit, off, sum)
		}
	}
}

// The faces that a stroke stays in, the place that it clones from and the pen's hold go
// over to the other side with it.
func TestWhatBelongsToAStrokeGoesToTheOtherSide(t *testing.T) {
	const w, h = 7, 5
	m, s := paired(t, w, h)
	const half = 2 * w * h
	up := geom.V3(0, 1, 0)
	st := &brush.Stroke{ID: "here", Radius: 0.2, Strength: 1, Does: brush.Clone, Values: map[string][]float32{"mask": {1}},
		Take: &brush.Take{At: geom.V3(2, 0, 2), Nrm: up, Stays: true}, Tilt: []float32{0.2, 0.4}, Lean: []float32{0, 0.25},
		Points: brush.Points{{Pos: geom.V3(1, 0, 1), Nrm: up, Pressure: 1}, {Pos: geom.V3(3, 0, 1.5), Nrm: up, Pressure: 1}},
		Within: brush.AreaOf(2*half, func(i int) bool { return i < 12 }, func(i int) [3]geom.Vec3 {
			return [3]geom.Vec3{m.Pos[m.Tri[i][0]], m.Pos[m.Tri[i][1]], m.Pos[m.Tri[i][2]]}
		})}
	got, err := s.Change([]*brush.Stroke{st}, "copy", func() string { return "there" })
	if err != nil || len(got.Come) != 1 {
		t.Fatalf("%+v, %v", got, err)
	}
	n := got.Come[0]
	for i := range int32(2 * half) {
		if want := i >= half && i < half+12; n.Within.Has(i) != want {
			t.Errorf("it stays in face %d: %v, want %v", i, !want, want)
		}
	}
	// the vertex (2, 2) of the grid there
	if want := m.Pos[(w+1)*(h+1)+2*(w+1)+2]; n.Take.At.Sub(want).Length() > 1e-3 || !n.Take.Stays {
		t.Errorf("it clones from %+v, want %v", n.Take, want)
	}
	if fmt.Sprint(n.Tilt, n.Lean) != "[0.2 0.4] [0 0.25]" {
		t.Errorf("the pen is held %v, %v", n.Tilt, n.Lean)
	}
	if _, err := s.Change(nil, "swap", nil); err == nil {
		t.Error("sides can be swapped by a word that is none")
	}
}
