package unwrap

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// ends are the places of an edge, welded.
func ends(m *mesh.Model, weld []uint32, id int32) [2]uint32 {
	t := m.Tri[id/3]
	return [2]uint32{weld[t[id%3]], weld[t[(id%3+1)%3]]}
}

// A loop on a tube goes round it and ends where it began; on a border it is the border.
func TestALoopGoesRound(t *testing.T) {
	const around, along = 24, 6
	m := surface(t, around, along, tube)
	weld := mesh.Weld(m.Pos)
	heights := map[float32]bool{}
	for tri := range int32(len(m.Tri)) {
		for k := range 3 {
			a, b := m.Pos[m.Tri[tri][k]], m.Pos[m.Tri[tri][(k+1)%3]]
			if a.Y != b.Y || heights[a.Y] {
				continue
			}
			heights[a.Y] = true
			loop := Loop(m, tri, k)
			if len(loop) != around {
				t.Fatalf("the loop at height %v has %d edges of %d", a.Y, len(loop), around)
			}
			count := map[uint32]int{}
			for _, id := range loop {
				for _, v := range ends(m, weld, id) {
					count[v]++
					if y := m.Pos[v].Y; y != a.Y {
						t.Fatalf("the loop at height %v goes to %v", a.Y, y)
					}
				}
			}
			for v, n := range count {
				if n != 2 {
					t.Fatalf("place %d of a loop has %d of its edges", v, n)
				}
			}
		}
	}
	if len(heights) != along+1 {
		t.Errorf("loops at %d heights of %d", len(heights), along+1)
	}
	// an edge along the tube goes from one end to the other
	for k := range 3 {
		a, b := m.Pos[m.Tri[0][k]], m.Pos[m.Tri[0][(k+1)%3]]
		if a.X == b.X && a.Z == b.Z {
			if got := Loop(m, 0, k); len(got) != along {
				t.Errorf("along the tube it is %d edges, not %d", len(got), along)
			}
		}
	}
}

// A path is a chain between its ends, and none that Dijkstra's own check over all edges
// finds is shorter in the measure that it minimises: no edge shortens it.
func TestAPathIsAChain(t *testing.T) {
	m := surface(t, 14, 14, func(u, v float64) geom.Vec3 {
		return geom.V3(float32(u), float32(0.2*math.Sin(7*u)*math.Cos(5*v)), float32(-v))
	})
	weld := mesh.Weld(m.Pos)
	g := edges(m, 0)
	weight := map[int32]float64{}
	for _, list := range g.out {
		for _, e := range list {
			weight[e.id] = e.weight
		}
	}
	r := rand.New(rand.NewPCG(3, 9))
	for range 60 {
		from, to := r.Int32N(int32(len(m.Tri))), r.Int32N(int32(len(m.Tri)))
		i, j := r.IntN(3), r.IntN(3)
		a, b := weld[m.Tri[from][i]], weld[m.Tri[to][j]]
		path := Path(m, from, i, to, j)
		if a == b {
			if len(path) != 0 {
				t.Fatalf("from a place to itself it is %d edges", len(path))
			}
			continue
		}
		deg := map[uint32]int{}
		length := 0.0
		for _, id := range path {
			e := ends(m, weld, id)
			deg[e[0]]++
			deg[e[1]]++
			length += weight[id]
		}
		for v, n := range deg {
			if want := map[bool]int{true: 1, false: 2}[v == a || v == b]; n != want {
				t.Fatalf("place %d has %d edges of the path; want %d", v, n, want)
			}
		}
		// Bellman and Ford: relax all edges until nothing changes
		best := make([]float64, len(g.pos))
		for k := range best {
			best[k] = math.Inf(1)
		}
		best[g.local[a]] = 0
		for changed := true; changed; {
			changed = false
			for v, list := range g.out {
				for _, e := range list {
					if d := best[v] + e.weight; d < best[e.to]-1e-12 {
						best[e.to], changed = d, true
					}
				}
			}
		}
		if math.Abs(length-best[g.local[b]]) > 1e-9*(1+length) {
			t.Fatalf("the path is %v long; the shortest is %v", length, best[g.local[b]])
		}
	}
	two := plates(t, []float64{1, 1}, func(i int, u, v float64) (float64, float64) { return u / 3, v / 3 })
	if p := Path(two, 0, 0, 2, 0); p != nil {
		t.Errorf("a path between parts that do not hang together: %v", p)
	}
}

// Charts are what hangs together without the seams, and every triangle is in one.
func TestChartsPartTheSurface(t *testing.T) {
	const around, along = 16, 5
	m := surface(t, around, along, tube)
	all := make([]int32, len(m.Tri))
	for i := range all {
		all[i] = int32(i)
	}
	if got := Charts(m, all, Seams{}); len(got) != 1 || len(got[0]) != len(all) {
		t.Fatalf("a tube without seams is %d charts", len(got))
	}
	// every loop across cuts it into a ring each
	seams := Seams{}
	for tri := range int32(len(m.Tri)) {
		for k := range 3 {
			a, b := m.Pos[m.Tri[tri][k]], m.Pos[m.Tri[tri][(k+1)%3]]
			if a.Y == b.Y {
				seams[ID(m, tri, k)] = true
			}
		}
	}
	rings := Charts(m, all, seams)
	if len(rings) != along {
		t.Fatalf("cut across it is %d rings of %d", len(rings), along)
	}
	seen := map[int32]bool{}
	for _, ring := range rings {
		if len(ring) != 2*around || !slices.IsSorted(ring) {
			t.Errorf("a ring has %d triangles", len(ring))
		}
		for _, x := range ring {
			seen[x] = true
		}
	}
	if len(seen) != len(all) {
		t.Errorf("%d of %d triangles are in a chart", len(seen), len(all))
	}
	if part := Charts(m, all[:2], Seams{}); len(part) != 1 || len(part[0]) != 2 {
		t.Errorf("two triangles alone: %v", part)
	}
	// an edge has one name from both sides
	for tri := range int32(len(m.Tri)) {
		for k := range 3 {
			if o := m.Neighbor[tri][k]; o.Tri >= 0 && ID(m, tri, k) != ID(m, o.Tri, int(o.K)) {
				t.Fatalf("edge %d of triangle %d has two names", k, tri)
			}
		}
	}
}

// On a box the sharp edges are the seams: six charts that are laid flat exactly.
func TestABoxOpensAtItsEdges(t *testing.T) {
	m := &mesh.Model{Parts: []mesh.Part{{Name: "Crate"}}, Sheets: []mesh.Sheet{{Name: "Deck"}}}
	for c := range 8 {
		m.Pos = append(m.Pos, geom.V3(float32(c&1), float32(c>>1&1)*2, float32(c>>2&1)*3))
		m.Nrm, m.UV = append(m.Nrm, geom.V3(0, 1, 0)), append(m.UV, geom.Vec2{})
	}
	for _, q := range [6][4]uint32{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}} {
		m.Tri = append(m.Tri, [3]uint32{q[0], q[1], q[2]}, [3]uint32{q[0], q[2], q[3]})
	}
	m.TriPart, m.TriSheet = make([]uint16, 12), make([]uint16, 12)
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	all := make([]int32, 12)
	for i := range all {
		all[i] = int32(i)
	}
	seams, err := Auto(t.Context(), m, all, 60, 0.1)
	if err != nil {
		t.Fatal(err)
	}
	if len(seams) != 12 || len(Charts(m, all, seams)) != 6 {
		t.Errorf("%d seams, %d charts; a box has 12 edges and 6 sides", len(seams), len(Charts(m, all, seams)))
	}
	o := Defaults()
	o.Size, o.Margin = 512, 4
	got, r := unwrapped(t, m, o)
	sound(t, "box", got, r, o)
	s := r.Sheets[0]
	if s.Stretch.Angle.Max > 1.001 || s.Stretch.Area.Max > 1.02 || s.Density[2]/s.Density[0] > 1.02 {
		t.Errorf("a box is flat already: %+v, density %v", s.Stretch, s.Density)
	}
}

// The least eigenvalue of a symmetric matrix, against matrices made of known ones.
func TestLeastEigenvalue(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 500 {
		e := [3]float64{r.Float64(), r.Float64() * 3, r.Float64() * 10}
		if r.IntN(5) == 0 {
			e[1] = e[0] // double ones
		}
		// axes: a random orthonormal frame
		n := geom.V3(float32(r.NormFloat64()), float32(r.NormFloat64()), float32(r.NormFloat64())).Unit()
		a := n.Cross(geom.V3(0.3, 0.9, -0.2)).Unit()
		b := n.Cross(a).Unit()
		var m [6]float64
		for k, v := range []geom.Vec3{n, a, b} {
			x, y, z := float64(v.X), float64(v.Y), float64(v.Z)
			for i, c := range [6]float64{x * x, y * y, z * z, x * y, x * z, y * z} {
				m[i] += e[k] * c
			}
		}
		if got, want := least(m[0], m[1], m[2], m[3], m[4], m[5]), slices.Min(e[:]); math.Abs(got-want) > 1e-5 {
			t.Fatalf("of %v it finds %v", e, got)
		}
	}
	if got := least(2, 2, 2, 0, 0, 0); got != 2 {
		t.Errorf("of twice the identity it is %v", got)
	}
}
