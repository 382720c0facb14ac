package unwrap

import (
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// plates builds square plates, each a part of its own, an edge long; at(i, u, v) is where the
// place (u, v) of plate i lies on the sheet. Plates do not hang together.
func plates(t *testing.T, edges []float64, at func(i int, u, v float64) (x, y float64)) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Name: "m", Sheets: []mesh.Sheet{{Name: "Deck", HasUV: true}}}
	for i, e := range edges {
		m.Parts = append(m.Parts, mesh.Part{Name: string(rune('A' + i))})
		first := uint32(len(m.Pos))
		for c := range 4 {
			u, v := float64(c&1), float64(c>>1)
			x, y := at(i, u, v)
			m.Pos = append(m.Pos, geom.V3(float32(e*u), float32(3*i), float32(-e*v)))
			m.Nrm = append(m.Nrm, geom.V3(0, 1, 0))
			m.UV = append(m.UV, geom.Vec2{X: float32(x), Y: float32(1 - y)})
		}
		m.Tri = append(m.Tri, [3]uint32{first, first + 1, first + 3}, [3]uint32{first, first + 3, first + 2})
		m.TriPart, m.TriSheet = append(m.TriPart, uint16(i), uint16(i)), append(m.TriSheet, 0, 0)
	}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

func (r *Report) of(kind string) *Finding {
	for i := range r.Findings {
		if r.Findings[i].Kind == kind {
			return &r.Findings[i]
		}
	}
	return nil
}

// What a linear map of a plate does to circles is known: the ratio of its singular values, and
// its determinant as the size.
func TestDistortionOfLinearMaps(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for range 200 {
		long, short := 0.05+0.4*r.Float64(), 0.01+0.04*r.Float64()
		a, b := 2*math.Pi*r.Float64(), 2*math.Pi*r.Float64()
		mirror := float64(1 - 2*r.IntN(2))
		// turn by a, stretch, turn by b
		m := plates(t, []float64{1}, func(_ int, u, v float64) (float64, float64) {
			p := turned(a)([2]float64{u, v})
			q := turned(b)([2]float64{long * p[0], mirror * short * p[1]})
			return q[0] + 0.5, q[1] + 0.5
		})
		angle, area := Distortion(m)
		for i := range m.Tri {
			if math.Abs(angle[i]/(long/short)-1) > 2e-3 || math.Abs(area[i]/(long*short)-1) > 2e-3 {
				t.Fatalf("stretched %v by %v, turned %v and %v: angle %v, area %v", long, short, a, b, angle[i], area[i])
			}
		}
		s := Measure(m, Same(128)).Sheets[0]
		if (s.Mirrored == 1) != (mirror < 0) {
			t.Fatalf("the map with mirror %v is said to have %d mirrored islands", mirror, s.Mirrored)
		}
		if want := 128 * math.Sqrt(long*short); math.Abs(s.Density[1]/want-1) > 2e-3 || math.Abs(s.Space-long*short) > 1e-4 {
			t.Fatalf("density %v, space %v; want %v and %v", s.Density, s.Space, want, long*short)
		}
	}
}

// The figures of a sheet with two plates of known size, and what is found on it.
func TestFiguresOfASheet(t *testing.T) {
	// plate A: 1 m on a quarter of the sheet; plate B: 2 m on an eighth of an edge; 16 of 256 texels between them
	lie := func(gap float64) func(i int, u, v float64) (float64, float64) {
		return func(i int, u, v float64) (float64, float64) {
			if i == 0 {
				return 0.1 + u/4, 0.1 + v/4
			}
			return 0.1 + 0.25 + gap + u/8, 0.1 + v/8
		}
	}
	r := Measure(plates(t, []float64{1, 2}, lie(16.0/256)), Same(256))
	s := r.Sheets[0]
	if s.Islands != 2 || s.Triangles != 4 || s.Overlap != 0 || s.Outside != 0 || s.Mirrored != 0 {
		t.Errorf("%+v", s)
	}
	if math.Abs(s.Space-(1.0/16+1.0/64)) > 1e-5 || math.Abs(s.Density[0]-16) > 0.01 || math.Abs(s.Density[2]-64) > 0.01 {
		t.Errorf("space %v, density %v", s.Space, s.Density)
	}
	if want := 256 * math.Sqrt((1.0/16+1.0/64)/5); math.Abs(s.Density[1]-want) > 0.01 {
		t.Errorf("the mean density is %v, want %v", s.Density[1], want)
	}
	if s.Padding < 15 || s.Padding > 17 || r.of("padding") != nil {
		t.Errorf("16 texels between them are said to be %d", s.Padding)
	}
	if f := r.of("density"); f == nil || !strings.Contains(f.Text, "from 16 to 64") {
		t.Errorf("a density of four to one: %+v", r.Findings)
	}
	if f := r.of("stretch"); f != nil && strings.Contains(f.Text, "drawn out") {
		t.Errorf("squares are no ellipses: %+v", f)
	}
	for i, want := range map[float64]int{0: 0, 1.0 / 256: 1} {
		r := Measure(plates(t, []float64{1, 1}, lie(i)), Same(256))
		if f := r.of("padding"); f == nil || r.Sheets[0].Padding > want {
			t.Errorf("%v apart: padding %d, %+v", i, r.Sheets[0].Padding, r.Findings)
		}
	}
	// the same gap in texels of a larger sheet
	if p := Measure(plates(t, []float64{1, 2}, lie(16.0/256)), Same(4096)).Sheets[0].Padding; p < 250 || p > 258 {
		t.Errorf("at 4096 the gap is %d texels", p)
	}
}

// Islands that lie wholly on each other are meant, those that lie over a part of each other are
// not; the owner is the one with more of the sheet, and the report says how much they share.
func TestSharedIslands(t *testing.T) {
	on := func(shift float64) *mesh.Model {
		return plates(t, []float64{1, 2, 1}, func(i int, u, v float64) (float64, float64) {
			k := []float64{0.25, 0.26, 0.25}[i]
			return []float64{0.1, 0.1 + shift, 0.7}[i] + k*u, 0.1 + k*v
		})
	}
	r := Measure(on(0), Same(256))
	s := r.Sheets[0]
	if f := r.of("overlap"); f == nil || f.Grave || len(f.Tris) != 4 {
		t.Errorf("wholly on each other: %+v", r.Findings)
	}
	if len(s.Shared) != 1 || s.Shared[0].OwnerPart != "B" || s.Shared[0].OtherPart != "A" || s.Shared[0].Texels != s.Overlap || s.Overlap < 63*63 || s.Overlap > 65*65 {
		t.Errorf("shared %+v of %d texels", s.Shared, s.Overlap)
	}
	r = Measure(on(0.125), Same(256))
	if f := r.of("overlap"); f == nil || !f.Grave || r.Findings[0].Kind != "overlap" {
		t.Errorf("half on each other: %+v", r.Findings)
	}
	if n := r.Sheets[0].Overlap; n < 31*62 || n > 33*66 {
		t.Errorf("half of 64 × 64 texels are %d", n)
	}
	if f := Measure(on(0.3), Same(256)).of("overlap"); f != nil {
		t.Errorf("beside each other: %+v", f)
	}
}

// What lies over itself is told apart from what lies over another.
func TestIslandsThatLieOverThemselves(t *testing.T) {
	folded := func(u, v float64) (float64, float64) { // one corner is laid onto the other half
		if u > 0.5 && v < 0.5 {
			return 0.2, 0.8
		}
		return u, v
	}
	for _, c := range []struct {
		apart float64
		want  string
	}{{0.5, "2 islands lie over themselves on "}, {0.1, "1 pair of islands overlaps, 2 islands lie over themselves on "}} {
		f := Measure(plates(t, []float64{1, 1}, func(i int, u, v float64) (float64, float64) {
			u, v = folded(u, v)
			return 0.1 + c.apart*float64(i) + 0.3*u, 0.1 + 0.3*v
		}), Same(256)).of("overlap")
		if f == nil || !f.Grave || !strings.HasPrefix(f.Text, c.want) {
			t.Errorf("%v apart: %+v", c.apart, f)
		}
	}
}

// brute looks at every pair of texels of different islands.
func brute(owner []int32, n int) float64 {
	best := math.Inf(1)
	for i, a := range owner {
		for j := i + 1; j < len(owner) && a >= 0; j++ {
			if b := owner[j]; b >= 0 && a != b {
				dx, dy := math.Abs(float64(i%n-j%n)), math.Abs(float64(i/n-j/n))
				best = min(best, math.Hypot(max(dx-1, 0), max(dy-1, 0)))
			}
		}
	}
	return best
}

// The least gap between islands is what looking at every pair of texels finds, to a texel.
func TestPaddingAgainstEveryPair(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	tried := 0
	for range 120 {
		const n = 40
		owner := make([]int32, n*n)
		for i := range owner {
			owner[i] = -1
		}
		for k := range 2 + r.IntN(3) {
			x, y, w, h := r.IntN(n-8), r.IntN(n-8), 1+r.IntN(8), 1+r.IntN(8)
			for j := range w * h {
				owner[(y+j/w)*n+x+j%w] = int32(k)
			}
		}
		want := brute(owner, n)
		gap, island := padding(owner, n)
		if math.IsInf(want, 1) {
			if gap != -1 {
				t.Fatalf("a single island has a gap of %d", gap)
			}
			continue
		}
		tried++
		if math.Abs(float64(gap)-math.Floor(want)) > 1 {
			t.Fatalf("the gap is %d; looking at all it is %v", gap, want)
		}
		if !slices.Contains(owner, island) {
			t.Fatalf("island %d is not there", island)
		}
	}
	if tried < 80 {
		t.Errorf("only %d had two islands", tried)
	}
}

// What is wrong with the mesh itself is found with its place: edges of three faces, triangles
// without area, open edges, sheets without UVs, islands that leave the tile.
func TestFaultsOfAMesh(t *testing.T) {
	m := &mesh.Model{
		Parts:  []mesh.Part{{Name: "Fin"}},
		Sheets: []mesh.Sheet{{Name: "Deck", HasUV: true}, {Name: "Bare"}},
		Pos:    []geom.Vec3{geom.V3(0, 0, 0), geom.V3(1, 0, 0), geom.V3(0, 1, 0), geom.V3(0, -1, 0), geom.V3(0, 0, 1), geom.V3(0.5, 0, 0)},
	}
	for _, p := range m.Pos {
		m.Nrm, m.UV = append(m.Nrm, geom.V3(0, 0, 1)), append(m.UV, geom.Vec2{X: p.X, Y: p.Y})
	}
	// three fins on the edge 0–1, and a triangle of no area on it
	m.Tri = [][3]uint32{{0, 1, 2}, {1, 0, 3}, {0, 1, 4}, {0, 5, 1}}
	m.TriPart, m.TriSheet = make([]uint16, 4), []uint16{0, 0, 1, 0}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	r := Measure(m, Same(64))
	if f := r.of("nonmanifold"); f == nil || !strings.HasPrefix(f.Text, "1 edge has") || len(f.Tris) != 3 || f.Part != "Fin" {
		t.Errorf("three faces at an edge: %+v", f)
	}
	if f := r.of("degenerate"); f == nil || !slices.Equal(f.Tris, []int32{3}) {
		t.Errorf("a triangle without area: %+v", f)
	}
	if f := r.of("noUV"); f == nil || !f.Grave || f.Sheet != "Bare" || !slices.Equal(f.Tris, []int32{2}) {
		t.Errorf("a sheet without UVs: %+v", f)
	}
	if f := r.of("outside"); f == nil || !f.Grave {
		t.Errorf("an island that goes to −1: %+v", f)
	}
	if f := r.of("open"); f == nil || f.Grave {
		t.Errorf("open edges: %+v", f)
	}
	for i := 1; i < len(r.Findings); i++ {
		if r.Findings[i].Grave && !r.Findings[i-1].Grave {
			t.Error("what is grave does not come first")
		}
	}
	var none Report
	if none.Add(m, Finding{Kind: "misses"}, nil); len(none.Findings) != 0 {
		t.Error("a finding without a place was added")
	}
}

// The mean of a spread is by area; 95 % and the most are of its order.
func TestSpreads(t *testing.T) {
	var list []weighted
	for i := range 100 {
		list = append(list, weighted{float64(i), 1})
	}
	if s := spread(list); math.Abs(s.Mean-49.5) > 1e-9 || s.P95 != 94 || s.Max != 99 {
		t.Errorf("%+v", s)
	}
	if s := spread([]weighted{{1, 3}, {5, 1}}); s.Mean != 2 || s.P95 != 5 || s.Max != 5 {
		t.Errorf("%+v", s)
	}
	if s := spread([]weighted{{1, 99}, {math.Inf(1), 1}}); s.P95 != 1 || s.Mean > 2 || math.IsInf(s.Max, 0) {
		t.Errorf("one triangle without an image: %+v", s)
	}
	if s := spread(nil); s != (Spread{1, 1, 1}) {
		t.Errorf("of nothing: %+v", s)
	}
}
