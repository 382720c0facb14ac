package mesh_test

import (
	"math"
	"strings"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/sample"
)

// square is one unit square in XZ facing up, with U along +X (or −X) and V down.
func square(t *testing.T, mirror bool) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Parts: []mesh.Part{{Name: "p"}}, Sheets: []mesh.Sheet{{Name: "s", HasUV: true}},
		Pos: []geom.Vec3{{Z: 1}, {X: 1, Z: 1}, {X: 1}, {}}, UV: []geom.Vec2{{X: 0, Y: 1}, {X: 1, Y: 1}, {X: 1, Y: 0}, {X: 0, Y: 0}},
		Tri: [][3]uint32{{0, 1, 2}, {0, 2, 3}}, TriPart: []uint16{0, 0}, TriSheet: []uint16{0, 0}, Nrm: make([]geom.Vec3, 4)}
	if mirror {
		for i := range m.UV {
			m.UV[i].X = 1 - m.UV[i].X
		}
	}
	m.SmoothNormals(40)
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

func TestTangentsFollowU(t *testing.T) {
	for _, mirror := range []bool{false, true} {
		m := square(t, mirror)
		want := geom.V3(1, 0, 0)
		if mirror {
			want = want.Mul(-1)
		}
		for i, tri := range m.Tangents() {
			if m.Mirrored(i) != mirror {
				t.Fatalf("mirror %v is not seen", mirror)
			}
			for _, v := range tri {
				if v.Sub(want).Length() > 1e-5 {
					t.Fatalf("mirror %v: tangent %v, want %v", mirror, v, want)
				}
			}
		}
	}
}

func TestTangentsAreUnitAndSquareToNormals(t *testing.T) {
	m := sample.Lantern()
	for i, tri := range m.Tangents() {
		for k, v := range tri {
			n := m.Nrm[m.Tri[i][k]]
			if l := v.Length(); l < 0.999 || l > 1.001 || v.Dot(n) > 0.02 || v.Dot(n) < -0.02 {
				t.Fatalf("triangle %d corner %d: length %v, dot %v", i, k, l, v.Dot(n))
			}
		}
	}
}

func TestTopologyOfASquare(t *testing.T) {
	m := square(t, false)
	f := m.Facts()
	if m.Islands != 1 || f.OpenEdges != 4 || f.Sheets[0].Coverage != 1 || f.Sheets[0].Density != 1024 || f.Sheets[0].Mirrored != 0 {
		t.Fatalf("%d islands, facts %+v", m.Islands, f)
	}
	if m.UVBorder[0] != [3]bool{true, true, false} || m.Neighbor[0][2].Tri != 1 {
		t.Fatalf("borders %v, neighbours %v", m.UVBorder[0], m.Neighbor[0])
	}
}

// The hash is another one whenever anything of the model is that a texel can depend on, and
// the same for the same model.
func TestTheHashCoversAllThatTexelsDependOn(t *testing.T) {
	first := square(t, false)
	fresh := func() *mesh.Model {
		m := square(t, false)
		m.Color = []geom.Vec3{{X: 1}, {X: 1}, {X: 1}, {X: 1}}
		return m
	}
	if first.Hash != square(t, false).Hash {
		t.Fatal("two equal models differ")
	}
	m := fresh()
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	seen := map[[16]byte]string{m.Hash: "nothing"}
	for what, change := range map[string]func(m *mesh.Model){
		"a place":                func(m *mesh.Model) { m.Pos[1].Y += 1e-6 },
		"a normal":               func(m *mesh.Model) { m.Nrm[1] = geom.V3(0, 0.8, 0.6) },
		"a UV":                   func(m *mesh.Model) { m.UV[1].X = 0.9 },
		"a colour":               func(m *mesh.Model) { m.Color[2].Y = 0.1 },
		"no colours":             func(m *mesh.Model) { m.Color = nil },
		"a part's name":          func(m *mesh.Model) { m.Parts[0].Name = "q" },
		"a sheet's name":         func(m *mesh.Model) { m.Sheets[0].Name = "q" },
		"a sheet without UVs":    func(m *mesh.Model) { m.Sheets[0].HasUV = false },
		"a triangle's corners":   func(m *mesh.Model) { m.Tri[0] = [3]uint32{1, 2, 0} },
		"the triangles' order":   func(m *mesh.Model) { m.Tri[0], m.Tri[1] = m.Tri[1], m.Tri[0] },
		"a triangle's part":      func(m *mesh.Model) { m.Parts = append(m.Parts, mesh.Part{Name: "r"}); m.TriPart[1] = 1 },
		"a triangle's sheet":     func(m *mesh.Model) { m.Sheets = append(m.Sheets, mesh.Sheet{Name: "r"}); m.TriSheet[1] = 1 },
		"one part more":          func(m *mesh.Model) { m.Parts = append(m.Parts, mesh.Part{Name: "r"}) },
		"who owns shared texels": func(m *mesh.Model) { m.Owners = [][2]int32{{0, 0}} },
	} {
		m := fresh()
		change(m)
		if err := m.Finish(); err != nil {
			t.Fatalf("%s: %v", what, err)
		}
		if other, ok := seen[m.Hash]; ok {
			t.Errorf("%s and %s give the same hash", what, other)
		}
		seen[m.Hash] = what
	}
}

// What is no model is refused by the first thing that is wrong and where it is.
func TestModelsThatAreRefused(t *testing.T) {
	nan := float32(math.NaN())
	for want, change := range map[string]func(m *mesh.Model){
		"no triangles":                func(m *mesh.Model) { m.Tri = nil },
		"vertex 2 has the position":   func(m *mesh.Model) { m.Pos[2].X = nan },
		"vertex 3 has the position":   func(m *mesh.Model) { m.Pos[3].Z = 2e6 },
		"vertex 1 has a UV":           func(m *mesh.Model) { m.UV[1].Y = nan },
		"triangle 1 uses vertex 9 of": func(m *mesh.Model) { m.Tri[1][2] = 9 },
		"300 sheets":                  func(m *mesh.Model) { m.Sheets = make([]mesh.Sheet, 300) },
	} {
		m := square(t, false)
		change(m)
		if err := m.Finish(); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v does not say %q", err, want)
		}
	}
}

// Two models joined are one whose parts and sheets of the same name are told apart or
// shared, with every triangle on its own.
func TestJoinedModelsKeepTheirTriangles(t *testing.T) {
	a, b := square(t, false), square(t, true)
	j, err := mesh.Join("both", a, b)
	if err != nil {
		t.Fatal(err)
	}
	if len(j.Tri) != 4 || len(j.Pos) != 8 || j.Bounds != a.Bounds {
		t.Fatalf("%d triangles, %d vertices, bounds %v", len(j.Tri), len(j.Pos), j.Bounds)
	}
	for i := range 2 {
		for k := range 3 {
			if p, q := j.Pos[j.Tri[2+i][k]], b.Pos[b.Tri[i][k]]; p != q {
				t.Errorf("corner %d of triangle %d of the second lies at %v, not %v", k, i, p, q)
			}
			if p, q := j.UV[j.Tri[2+i][k]], b.UV[b.Tri[i][k]]; p != q {
				t.Errorf("its UV is %v, not %v", p, q)
			}
		}
	}
}

// Vertices at one place are one for topology, whatever their UVs; a hair apart they are two.
func TestWeldingIsByPlace(t *testing.T) {
	w := mesh.Weld([]geom.Vec3{{X: 1}, {X: 2}, {X: 1}, {X: 1, Y: 1e-3}})
	if w[0] != w[2] || w[0] == w[1] || w[0] == w[3] {
		t.Errorf("welded to %v", w)
	}
	if !mesh.Collapsed(w, [3]uint32{0, 1, 2}) || mesh.Collapsed(w, [3]uint32{0, 1, 3}) {
		t.Error("a triangle with two corners at one place has collapsed, no other")
	}
}

// Normals are smooth over a fold below the angle, and each its face's own above it.
func TestNormalsSmoothBelowTheAngle(t *testing.T) {
	fold := func(height float32) *mesh.Model {
		m := &mesh.Model{Parts: []mesh.Part{{Name: "p"}}, Sheets: []mesh.Sheet{{Name: "s"}},
			Pos: []geom.Vec3{{}, {Z: 1}, {X: 1}, {X: 1, Z: 1}, {X: 2, Y: height}, {X: 2, Y: height, Z: 1}}, UV: make([]geom.Vec2, 6), Nrm: make([]geom.Vec3, 6),
			Tri: [][3]uint32{{0, 1, 2}, {2, 1, 3}, {2, 3, 4}, {4, 3, 5}}, TriPart: make([]uint16, 4), TriSheet: make([]uint16, 4)}
		m.SmoothNormals(40)
		if err := m.Finish(); err != nil {
			t.Fatal(err)
		}
		return m
	}
	split := func(m *mesh.Model) (most float64) { // between the two sides, at the fold
		for _, v := range m.Tri[1] {
			for _, w := range m.Tri[2] {
				if m.Pos[v] == m.Pos[w] {
					most = max(most, math.Acos(min(float64(m.Nrm[v].Dot(m.Nrm[w])), 1))*180/math.Pi)
				}
			}
		}
		return most
	}
	if a := split(fold(0.5)); a > 1 { // 27°
		t.Errorf("over a fold of 27° the normals differ by %.0f°", a)
	}
	if a := split(fold(1.5)); math.Abs(a-56.3) > 1 { // 56°
		t.Errorf("over a fold of 56° the normals differ by %.0f°", a)
	}
}
