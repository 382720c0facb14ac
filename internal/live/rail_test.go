package live

import (
	"math"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/sample"
	"velvetgrime/core/unwrap"
)

// A loop round the bollard is one closed line of even height, its normals outward.
func TestALoopIsOneLine(t *testing.T) {
	m := sample.Bollard()
	// an edge of the post that runs round it
	tri, edge := int32(-1), 0
	for i, c := range m.Tri {
		for k := range 3 {
			a, b := m.Pos[c[k]], m.Pos[c[(k+1)%3]]
			if m.Parts[m.TriPart[i]].Name == "Post" && tri < 0 && a.Y == b.Y && a.Y > 0.2 && a.Y < 0.4 {
				tri, edge = int32(i), k
			}
		}
	}
	if tri < 0 {
		t.Fatal("no edge runs round the post")
	}
	rail := Rail(m, unwrap.Loop(m, tri, edge))
	n := len(rail) / 6
	if n < 90 {
		t.Fatalf("%d points", n)
	}
	if rail[0] != rail[6*(n-1)] || rail[2] != rail[6*(n-1)+2] {
		t.Error("it does not end where it begins")
	}
	seen := map[[2]float32]bool{}
	for i := range n - 1 {
		p, nrm := geom.V3(rail[6*i], rail[6*i+1], rail[6*i+2]), geom.V3(rail[6*i+3], rail[6*i+4], rail[6*i+5])
		if math.Abs(float64(p.Y-rail[1])) > 1e-6 || nrm.Dot(geom.V3(p.X, 0, p.Z).Unit()) < 0.8 {
			t.Fatalf("point %d at %v faces %v", i, p, nrm)
		}
		if seen[[2]float32{p.X, p.Z}] {
			t.Fatalf("point %d was there before", i)
		}
		seen[[2]float32{p.X, p.Z}] = true
		if q := geom.V3(rail[6*i+6], rail[6*i+7], rail[6*i+8]); q.Sub(p).Length() > 0.02 {
			t.Fatalf("from point %d it jumps by %v", i, q.Sub(p).Length())
		}
	}
	// edges in any order, and an open line begun in its middle, make the same line
	ids := unwrap.Loop(m, tri, edge)[:20]
	mixed := append(append([]int32{}, ids[10:]...), ids[:10]...)
	if a, b := len(Rail(m, ids)), len(Rail(m, mixed)); a != b || a != 21*6 {
		t.Errorf("an open line has %d numbers, mixed up %d, want %d", a, b, 21*6)
	}
	if Rail(m, nil) != nil || Rail(m, []int32{-1, 1 << 30}) != nil {
		t.Error("no edges made a line")
	}
}

// The seam of an island is a closed line of its own border edges.
func TestASeamIsTheIslandsBorder(t *testing.T) {
	m := sample.Bollard()
	ids := Seam(m, 0, m.Pos[m.Tri[0][0]])
	if len(ids) < 10 {
		t.Fatalf("%d edges", len(ids))
	}
	for _, id := range ids {
		if m.Island[id/3] != m.Island[0] || !m.UVBorder[id/3][id%3] {
			t.Fatalf("edge %d is no border of the island", id)
		}
	}
	rail := Rail(m, ids)
	n := len(rail) - 6
	if rail[0] != rail[n] || rail[1] != rail[n+1] || rail[2] != rail[n+2] {
		t.Error("it is not closed")
	}
}
