package mesh_test

import (
	"math"
	"math/rand"
	"slices"
	"strings"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/sample"
)

// plates are squares of a metre in XZ, one beside the other along X, each with UVs that fill
// the unit square that is given (U to the right, V downward).
func plates(t *testing.T, squares ...[2]float32) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Name: "plates", Parts: []mesh.Part{{Name: "p"}}, Sheets: []mesh.Sheet{{Name: "s", HasUV: true}}}
	for i, q := range squares {
		base, x := uint32(len(m.Pos)), float32(2*i)
		m.Pos = append(m.Pos, geom.V3(x, 0, 1), geom.V3(x+1, 0, 1), geom.V3(x+1, 0, 0), geom.V3(x, 0, 0))
		for _, c := range [][2]float32{{0.1, 0.9}, {0.9, 0.9}, {0.9, 0.1}, {0.1, 0.1}} {
			m.UV = append(m.UV, geom.Vec2{X: q[0] + c[0], Y: q[1] + c[1]})
		}
		m.Tri = append(m.Tri, [3]uint32{base, base + 1, base + 2}, [3]uint32{base, base + 2, base + 3})
		m.TriPart, m.TriSheet = append(m.TriPart, 0, 0), append(m.TriSheet, 0, 0)
	}
	m.Nrm = make([]geom.Vec3, len(m.Pos))
	m.SmoothNormals(40)
	return m
}

func finish(t *testing.T, m *mesh.Model) *mesh.Model {
	t.Helper()
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

func sheetNames(m *mesh.Model) (out []string) {
	for _, s := range m.Sheets {
		out = append(out, s.Name)
	}
	return out
}

// UDIM numbers count ten to a row and rows upward (1001 + u + 10·v); V of ours runs downward.
func TestUnitSquaresBecomeSheets(t *testing.T) {
	m := plates(t, [2]float32{0, 0}, [2]float32{1, 0}, [2]float32{9, -2}, [2]float32{0, -1})
	if err := m.SplitTiles(); err != nil {
		t.Fatal(err)
	}
	finish(t, m)
	if got := sheetNames(m); !slices.Equal(got, []string{"s 1001", "s 1002", "s 1011", "s 1030"}) {
		t.Fatalf("the sheets are %v", got)
	}
	for i, uv := range m.UV[len(m.UV)-4:] {
		if uv.X < 0 || uv.X > 1 || uv.Y < 0 || uv.Y > 1 {
			t.Errorf("vertex %d has the UV %v outside of its sheet", i, uv)
		}
	}
	f := m.Facts()
	for i, s := range f.Sheets {
		if s.Triangles != 2 || s.Outside != 0 || math.Abs(s.Coverage-0.64) > 1e-3 {
			t.Errorf("sheet %d: %+v", i, s)
		}
	}
}

// Squares without a number are those of textures that repeat: they fold onto the first.
func TestSquaresWithoutANumberAreFolded(t *testing.T) {
	m := plates(t, [2]float32{0, 0}, [2]float32{-1, 0}, [2]float32{10, 0}, [2]float32{0, 1})
	if err := m.SplitTiles(); err != nil {
		t.Fatal(err)
	}
	finish(t, m)
	if got := sheetNames(m); !slices.Equal(got, []string{"s"}) {
		t.Fatalf("the sheets are %v", got)
	}
	if f := m.Facts().Sheets[0]; f.Outside != 0 || f.Triangles != 8 {
		t.Fatalf("%+v", f)
	}
}

func TestTooManySquaresAreRefused(t *testing.T) {
	var squares [][2]float32
	for i := range 257 {
		squares = append(squares, [2]float32{float32(i % 10), -float32(i / 10)})
	}
	if err := plates(t, squares...).SplitTiles(); err == nil || !strings.Contains(err.Error(), "257 unit squares") {
		t.Fatalf("%v", err)
	}
}

// Sheets as tiles of one, split again, are the sheets there were: each triangle on the one
// that it was on, with its UVs.
func TestTilesComeBackAsSheets(t *testing.T) {
	for _, m := range []*mesh.Model{sample.Lantern(), sample.Bollard()} {
		one, err := m.AsTiles()
		if err != nil {
			t.Fatal(err)
		}
		if len(one.Sheets) != 1 {
			t.Fatalf("%d sheets", len(one.Sheets))
		}
		if err := one.SplitTiles(); err != nil {
			t.Fatal(err)
		}
		back := finish(t, one)
		if len(back.Sheets) != len(m.Sheets) || len(back.Tri) != len(m.Tri) {
			t.Fatalf("%s: %d sheets of %d, %d triangles of %d", m.Name, len(back.Sheets), len(m.Sheets), len(back.Tri), len(m.Tri))
		}
		for i := range m.Tri {
			if back.TriSheet[i] != m.TriSheet[i] {
				t.Fatalf("%s: triangle %d went from sheet %d to %d", m.Name, i, m.TriSheet[i], back.TriSheet[i])
			}
			for k := range 3 {
				a, b := m.UV[m.Tri[i][k]], back.UV[back.Tri[i][k]]
				if math.Abs(float64(a.X-b.X))+math.Abs(float64(a.Y-b.Y)) > 1e-5 {
					t.Fatalf("%s: triangle %d corner %d: %v became %v", m.Name, i, k, a, b)
				}
			}
		}
	}
}

// Of two islands the larger owns what both cover, wherever it stands among the triangles,
// and a choice puts the other one first.
func TestTheLargerIslandOwns(t *testing.T) {
	m := plates(t, [2]float32{0, 0}, [2]float32{0, 0})
	for v := range 4 { // the first plate is small on the sheet
		m.UV[v] = geom.Vec2{X: 0.4 + m.UV[v].X/5, Y: 0.4 + m.UV[v].Y/5}
	}
	finish(t, m)
	small, large := m.Island[0], m.Island[2]
	if got := m.OwnerOrder(0); !slices.Equal(got, []int32{large, small}) {
		t.Fatalf("the order is %v", got)
	}
	chosen, err := m.WithOwners([][2]int32{{small, large}})
	if err != nil {
		t.Fatal(err)
	}
	if got := chosen.OwnerOrder(0); !slices.Equal(got, []int32{small, large}) {
		t.Fatalf("chosen, the order is %v", got)
	}
	if got := m.OwnerOrder(0); got[0] != large {
		t.Fatal("the choice changed the model it was made for")
	}
	if chosen.Hash == m.Hash {
		t.Fatal("another owner, the same hash")
	}
	both, err := chosen.WithOwners([][2]int32{{small, large}, {large, small}})
	if err != nil || both.OwnerOrder(0)[0] != large {
		t.Fatalf("of contrary choices the last does not count: %v", err)
	}
	for _, p := range [][2]int32{{0, 0}, {-1, 0}, {0, int32(m.Islands)}} {
		if _, err := m.WithOwners([][2]int32{p}); err == nil || !strings.Contains(err.Error(), "no pair") {
			t.Errorf("%v: %v", p, err)
		}
	}
}

// grid is a plate of n × n cells in XY, as two triangles each, moved by off and, mirrored,
// turned over in X with its corners the other way round.
func grid(n int, off geom.Vec3, mirrored bool) *mesh.Model {
	m := &mesh.Model{Name: "g", Parts: []mesh.Part{{Name: "g"}}, Sheets: []mesh.Sheet{{Name: "g"}}}
	for y := range n + 1 {
		for x := range n + 1 {
			p := geom.V3(float32(x), float32(y), float32((x*x+3*y)%5)/9)
			if mirrored {
				p.X = -p.X
			}
			m.Pos, m.UV = append(m.Pos, p.Add(off)), append(m.UV, geom.Vec2{})
		}
	}
	at := func(x, y int) uint32 { return uint32(y*(n+1) + x) }
	for y := range n {
		for x := range n {
			for _, t := range [][3]uint32{{at(x, y), at(x+1, y), at(x+1, y+1)}, {at(x, y), at(x+1, y+1), at(x, y+1)}} {
				if mirrored {
					t[1], t[2] = t[2], t[1]
				}
				m.Tri = append(m.Tri, t)
				m.TriPart, m.TriSheet = append(m.TriPart, 0), append(m.TriSheet, 0)
			}
		}
	}
	m.Nrm = make([]geom.Vec3, len(m.Pos))
	m.SmoothNormals(40)
	return m
}

// From one pair of faces the whole of two parts is paired, whether the other is a copy or a
// mirror image, and places go to where they are on the counterpart.
func TestCounterpartsOfTwoParts(t *testing.T) {
	const n = 6
	far := geom.V3(40, 3, 0)
	for _, mirrored := range []bool{false, true} {
		a := finish(t, grid(n, geom.Vec3{}, false))
		b := finish(t, grid(n, far, mirrored))
		m, err := mesh.Join("two", a, b)
		if err != nil {
			t.Fatal(err)
		}
		face := len(a.Tri)/2 + 3
		c, err := m.Match(face, face+len(a.Tri))
		if err != nil {
			t.Fatal(err)
		}
		if c.Count != 2*len(a.Tri) {
			t.Fatalf("mirrored %v: %d of %d triangles are paired", mirrored, c.Count, 2*len(a.Tri))
		}
		r := rand.New(rand.NewSource(4))
		for i := range a.Tri {
			if c.To[i] != int32(i+len(a.Tri)) || c.To[c.To[i]] != int32(i) || c.Mirrors(int32(i)) != mirrored {
				t.Fatalf("mirrored %v: triangle %d goes to %d, which goes to %d", mirrored, i, c.To[i], c.To[c.To[i]])
			}
			if !c.Near(int32(i)) || c.Near(c.To[i]) {
				t.Fatalf("triangle %d is on the wrong side", i)
			}
			u, v := r.Float32()/2, r.Float32()/2
			at := a.Pos[a.Tri[i][0]].Mul(1 - u - v).Add(a.Pos[a.Tri[i][1]].Mul(u)).Add(a.Pos[a.Tri[i][2]].Mul(v))
			if mirrored {
				at.X = -at.X
			}
			_, pos, nrm, scale := c.Place(m, int32(i), u, v)
			if d := pos.Sub(at.Add(far)).Length(); d > 1e-4 || math.Abs(float64(scale-1)) > 1e-4 || math.Abs(float64(nrm.Length()-1)) > 1e-4 {
				t.Fatalf("mirrored %v: triangle %d is %v off, scale %v, normal %v", mirrored, i, d, scale, nrm)
			}
		}
	}
}

func TestFacesThatDoNotCorrespond(t *testing.T) {
	a, b := finish(t, grid(4, geom.Vec3{}, false)), finish(t, grid(5, geom.V3(30, 0, 0), false))
	m, err := mesh.Join("two", a, b)
	if err != nil {
		t.Fatal(err)
	}
	for want, p := range map[string][2]int{
		"the same face":       {3, 3},
		"no faces -1 and 2":   {-1, 2},
		"do not correspond":   {0, len(a.Tri) + 12}, // a corner of one, the middle of the other
		"; the model has 82":  {0, 1000},
		"pick another pair":   {0, len(a.Tri) + 12},
		"on the other side":   {5, 5},
		"no faces 0 and 1000": {0, 1000},
	} {
		if _, err := m.Match(p[0], p[1]); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v: %v does not say %q", p, err, want)
		}
	}
}

// The longest way through a box of 3 × 4 × 12 metres is 13 metres (5, 12, 13).
func TestExtent(t *testing.T) {
	m := plates(t, [2]float32{0, 0}, [2]float32{0, 0})
	m.Parts = []mesh.Part{{Name: "near"}, {Name: "far"}}
	m.TriPart[2], m.TriPart[3] = 1, 1
	corners := []geom.Vec3{{}, {X: 3}, {X: 3, Y: 4, Z: 12}, {Y: 4}}
	copy(m.Pos, corners)
	finish(t, m)
	if e := m.Extent([]string{"near"}, nil); math.Abs(e-13) > 1e-5 {
		t.Errorf("the part is %v m long", e)
	}
	if e := m.Extent([]string{"far"}, nil); math.Abs(e-math.Sqrt2) > 1e-5 {
		t.Errorf("the plate is %v m long", e)
	}
	if e, whole := m.Extent(nil, nil), m.Extent([]string{"near", "far"}, nil); e != whole || e != m.Extent(nil, []string{"s"}) {
		t.Errorf("the whole is %v, its parts %v", e, whole)
	}
	if e := m.Extent([]string{"nothing"}, nil); e != 0 {
		t.Errorf("nothing is %v m long", e)
	}
}
