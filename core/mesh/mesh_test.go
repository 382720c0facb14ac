package mesh_test

import (
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
