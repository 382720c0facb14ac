package flow

import (
	"context"
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/noise"
	"velvetgrime/core/spatial"
)

// quad adds a rectangle of n × n cells to a model: corner, and its two sides.
func quad(m *mesh.Model, part uint16, corner, u, v geom.Vec3, n int) {
	first := uint32(len(m.Pos))
	nrm := u.Cross(v).Unit()
	for j := 0; j <= n; j++ {
		for i := 0; i <= n; i++ {
			s, t := float32(i)/float32(n), float32(j)/float32(n)
			m.Pos = append(m.Pos, corner.Add(u.Mul(s)).Add(v.Mul(t)))
			m.Nrm = append(m.Nrm, nrm)
			// every part has the sheet to itself: where it lies does not matter here
			m.UV = append(m.UV, geom.Vec2{X: (float32(part) + s) / 8, Y: t})
		}
	}
	at := func(i, j int) uint32 { return first + uint32(j*(n+1)+i) }
	for j := range n {
		for i := range n {
			m.Tri = append(m.Tri, [3]uint32{at(i, j), at(i+1, j), at(i+1, j+1)}, [3]uint32{at(i, j), at(i+1, j+1), at(i, j+1)})
			m.TriPart = append(m.TriPart, part, part)
			m.TriSheet = append(m.TriSheet, 0, 0)
		}
	}
}

func finished(t *testing.T, m *mesh.Model, parts int) *mesh.Model {
	t.Helper()
	m.Sheets = []mesh.Sheet{{Name: "S", HasUV: true}}
	for range parts {
		m.Parts = append(m.Parts, mesh.Part{Name: "P"})
	}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

func tree(t *testing.T, m *mesh.Model) *spatial.Tree {
	t.Helper()
	tr, err := spatial.Build(t.Context(), m.Pos, m.Tri, nil)
	if err != nil {
		t.Fatal(err)
	}
	return tr
}

func TestDistanceOnAPlane(t *testing.T) {
	m := &mesh.Model{}
	quad(m, 0, geom.V3(0, 0, 0), geom.V3(1, 0, 0), geom.V3(0, 0, -1), 4)
	c, _ := NewCloud(t.Context(), finished(t, m, 1), 8000)
	from := geom.V3(0.3, 0, -0.4)
	d := c.Distance([]geom.Vec3{from}, 10)
	worst := 0.0
	for i, p := range c.Pos {
		want := p.Sub(from).Length()
		if want > 5*c.Spacing {
			worst = max(worst, math.Abs(float64(d[i]-want))/float64(want))
		}
		if d[i] < want-1e-4 {
			t.Fatalf("point %v is %v away along the surface, but %v straight", p, d[i], want)
		}
	}
	if worst > 0.09 {
		t.Errorf("distances are up to %.3f too long", worst)
	}
}

// From one side of a thin plate to the other the way is round the edge.
func TestDistanceDoesNotGoThroughAPlate(t *testing.T) {
	m := &mesh.Model{}
	const thin = 0.004
	quad(m, 0, geom.V3(0, 0, 0), geom.V3(1, 0, 0), geom.V3(0, 0, -1), 4)
	quad(m, 0, geom.V3(0, -thin, -1), geom.V3(1, 0, 0), geom.V3(0, 0, 1), 4)
	c, _ := NewCloud(t.Context(), finished(t, m, 1), 12000)
	d := c.Distance([]geom.Vec3{geom.V3(0.5, 0, -0.5)}, 10)
	below := c.Nearest(geom.V3(0.5, -thin, -0.5))
	if c.Nrm[below].Y > 0 {
		for i, p := range c.Pos {
			if c.Nrm[i].Y < 0 && p.Sub(geom.V3(0.5, -thin, -0.5)).Length() < 0.02 {
				below = i
			}
		}
	}
	if c.Nrm[below].Y > 0 || d[below] < 0.9 {
		t.Errorf("the far side is %v away; the way round is at least 1", d[below])
	}
}

func TestSpreadSlowsDown(t *testing.T) {
	m := &mesh.Model{}
	quad(m, 0, geom.V3(0, 0, 0), geom.V3(1, 0, 0), geom.V3(0, 0, -0.2), 2)
	c, _ := NewCloud(t.Context(), finished(t, m, 1), 6000)
	slow := make([]float32, len(c.Pos))
	for i, p := range c.Pos {
		slow[i] = 1
		if p.X > 0.5 {
			slow[i] = 4
		}
	}
	start := int32(c.Nearest(geom.V3(0, 0, -0.1)))
	d := c.Spread([]Seed{{start, 0}}, slow, 10)
	end := c.Nearest(geom.V3(0.9, 0, -0.1))
	if want := 0.5 + 4*0.4; math.Abs(float64(d[end])-want) > 0.15 {
		t.Errorf("the front needs %v to get there, want about %v", d[end], want)
	}
}

// plate is a square metre with a cloud, and the seeds along its edge x = 0.
func plate(t *testing.T) (c *Cloud, edge []Seed) {
	t.Helper()
	m := &mesh.Model{}
	quad(m, 0, geom.V3(0, 0, 0), geom.V3(1, 0, 0), geom.V3(0, 0, -1), 4)
	c, _ = NewCloud(t.Context(), finished(t, m, 1), 12_000)
	for i, p := range c.Pos {
		if p.X < c.Spacing {
			edge = append(edge, Seed{At: int32(i)})
		}
	}
	return c, edge
}

// reached returns the mean time at which a growth takes a strip of the plate about x.
func reached(c *Cloud, when []float32, x float32) float32 {
	var sum, n float32
	for i, p := range c.Pos {
		if p.X > x-c.Spacing && p.X < x+c.Spacing {
			sum, n = sum+when[i], n+1
		}
	}
	return sum / n
}

// The speed of fronts is that of the equations, 2·√(D·(k·s²−m)), from s to s.
func TestAGrowthHasTheSpeedOfItsReaction(t *testing.T) {
	c, edge := plate(t)
	h := c.Spacing
	for _, s := range []float64{0.6, 1, 1.5, 2} {
		speed := make([]float32, len(c.Pos))
		for i := range speed {
			speed[i] = float32(s)
		}
		when, err := c.React(context.Background(), edge, speed, 40*h)
		if err != nil {
			t.Fatal(err)
		}
		got := 8 * h / (reached(c, when, 16*h) - reached(c, when, 8*h))
		want := 2 * math.Sqrt(diffusion*(eats*s*s-dies))
		if math.Abs(float64(got)/want-1) > 0.18 {
			t.Errorf("at speed %v a front goes %.3f, its equations say %.3f", s, got, want)
		}
	}
}

// In dry ground a growth dies; what lies behind it stays sound.
func TestAGrowthDiesWhereItFindsTooLittle(t *testing.T) {
	c, edge := plate(t)
	speed := make([]float32, len(c.Pos))
	for i, p := range c.Pos {
		speed[i] = 1
		if p.X > 0.2 && p.X < 0.4 && p.Z > -0.7 {
			speed[i] = 0.15 // a dry bar, open at one end
		}
	}
	when, err := c.React(context.Background(), edge, speed, 2)
	if err != nil {
		t.Fatal(err)
	}
	var inBar, behind, round float32
	for i, p := range c.Pos {
		switch {
		case p.X > 0.25 && p.X < 0.35 && p.Z > -0.6:
			if !math.IsInf(float64(when[i]), 1) {
				inBar++
			}
		case p.X > 0.42 && p.X < 0.5 && p.Z > -0.2:
			behind = max(behind, when[i])
		case p.X > 0.42 && p.X < 0.5 && p.Z < -0.8:
			round = max(round, when[i])
		}
	}
	if inBar > 0 {
		t.Errorf("the growth took %v points of dry ground", inBar)
	}
	// it comes there round the bar, 0.5 m further: late, but it comes
	if round > 0.7 || behind < round+0.3 || math.IsInf(float64(behind), 1) {
		t.Errorf("beside the bar it arrives by %.2f, behind it by %.2f", round, behind)
	}
}

// A lone seed takes longer to get going than a row; one that begins later is as much
// later everywhere.
func TestSeedsOfAGrowth(t *testing.T) {
	c, edge := plate(t)
	h := c.Spacing
	row, err := c.React(context.Background(), edge, nil, 20*h)
	if err != nil {
		t.Fatal(err)
	}
	for i := range edge {
		edge[i].When = 3 * h
	}
	late, err := c.React(context.Background(), edge, nil, 20*h)
	if err != nil {
		t.Fatal(err)
	}
	for i := range row {
		if row[i] < 15*h && math.Abs(float64(late[i]-row[i]-3*h)) > 1e-3*float64(h) {
			t.Fatalf("point %d: begun 3 spacings later it is reached %.4f spacings later", i, (late[i]-row[i])/h)
		}
	}
	at := c.Nearest(geom.V3(0.5, 0, -0.5))
	lone, err := c.React(context.Background(), []Seed{{At: int32(at)}}, nil, 20*h)
	if err != nil {
		t.Fatal(err)
	}
	for i, p := range c.Pos {
		if d := p.Sub(c.Pos[at]).Length(); d > 5*h && d < 6*h && (lone[i] < d || lone[i] > d+3*h) {
			t.Fatalf("%.1f spacings from a lone seed it arrives at %.1f", d/h, lone[i]/h)
		}
	}
	if lone[at] != 0 {
		t.Errorf("the seed itself is taken at %v", lone[at])
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := c.React(ctx, edge, nil, 1); err == nil {
		t.Error("a cancelled growth went on")
	}
}

func TestAGrowthIsTheSameEveryTime(t *testing.T) {
	c, edge := plate(t)
	grow := func(workers int) []float32 {
		defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(workers))
		when, err := c.React(context.Background(), edge[:3], nil, 30*c.Spacing)
		if err != nil {
			t.Fatal(err)
		}
		return when
	}
	one := grow(1)
	for _, n := range []int{2, 7} {
		for i, v := range grow(n) {
			if v != one[i] {
				t.Fatalf("with %d processors point %d is reached at %v, with one at %v", n, i, v, one[i])
			}
		}
	}
}

func TestBorders(t *testing.T) {
	m := &mesh.Model{}
	quad(m, 0, geom.V3(0, 0, 0), geom.V3(1, 0, 0), geom.V3(0, 0, -1), 3)
	b := NewBorders(finished(t, m, 1), 0, 0.2)
	for _, c := range []struct{ x, z, want float32 }{{0.05, -0.5, 0.05}, {0.5, -0.13, 0.13}, {0.5, -0.5, 0.2}, {0.03, -0.04, 0.03}} {
		if d := b.Distance(geom.V3(c.x, 0, c.z), 0); math.Abs(float64(d-c.want)) > 1e-5 {
			t.Errorf("(%v, %v) is %v from the border, want %v", c.x, c.z, d, c.want)
		}
	}
}

// steps are an upper slope that ends in the air above a lower one of another part.
func steps(t *testing.T) *mesh.Model {
	m := &mesh.Model{}
	quad(m, 0, geom.V3(0, 1, 0), geom.V3(0, -0.5, 0.5), geom.V3(1, 0, 0), 5)
	quad(m, 1, geom.V3(0, 0.42, 0.3), geom.V3(0, -0.4, 0.9), geom.V3(1, 0, 0), 5)
	return finished(t, m, 2)
}

func weather() Weather {
	return Weather{Down: geom.V3(0, -1, 0), Meander: 0.3, Leave: 0.8, Gap: 0.3, Length: 6, Seed: 3}
}

func sources(m *mesh.Model) []Source {
	var list []Source
	for i := range 24 {
		x := 0.05 + 0.9*float32(i)/24
		// on the upper slope, near its top
		p := geom.V3(x, 0.97, 0.03)
		best, at := float32(1e9), int32(0)
		for k, tr := range m.Tri {
			mid := m.Pos[tr[0]].Add(m.Pos[tr[1]]).Add(m.Pos[tr[2]]).Mul(1.0 / 3)
			if d := mid.Sub(p).Length(); d < best && m.TriPart[k] == 0 {
				best, at = d, int32(k)
			}
		}
		list = append(list, Source{Pos: p, Tri: at, Amount: 0.5 + float32(i%4), Rank: float32(i) / 24})
	}
	return list
}

// Every run's water is left on its way, handed on, or drips off; and all of it together
// is what the sources brought.
func TestWaterIsNeitherMadeNorLost(t *testing.T) {
	m := steps(t)
	r, err := Trace(context.Background(), m, tree(t, m), weather(), 0.02, sources(m))
	if err != nil {
		t.Fatal(err)
	}
	var brought, left, dripped float64
	joined := 0
	for _, run := range r.List {
		brought += float64(run.Source.Amount)
		dripped += float64(run.Dripped)
		for _, n := range run.Nodes {
			if n.Left < 0 || n.Flow < 0 {
				t.Fatalf("a node has %v left of %v", n.Left, n.Flow)
			}
			left += float64(n.Left)
		}
		if run.Into >= 0 {
			joined++
		}
	}
	if math.Abs(brought-left-dripped) > 1e-4*brought {
		t.Errorf("%v came, %v was left and %v dripped off", brought, left, dripped)
	}
	if len(r.List) != 24 || brought == 0 || dripped == 0 {
		t.Errorf("%d runs brought %v, %v dripped off", len(r.List), brought, dripped)
	}
	t.Logf("%d of %d runs joined another", joined, len(r.List))
}

func TestRunsGoDownhill(t *testing.T) {
	m := steps(t)
	r, _ := Trace(context.Background(), m, tree(t, m), weather(), 0.02, sources(m))
	over := 0
	for k, run := range r.List {
		parts := map[uint16]bool{}
		for i, n := range run.Nodes {
			parts[m.TriPart[n.Tri]] = true
			if i > 0 && n.Pos.Y > run.Nodes[i-1].Pos.Y+1e-4 {
				t.Fatalf("run %d climbs from %v to %v", k, run.Nodes[i-1].Pos, n.Pos)
			}
			// it stays on its triangle
			tr := m.Tri[n.Tri]
			if d := n.Pos.Sub(m.Pos[tr[0]]).Dot(m.FaceNormal(int(n.Tri)).Unit()); math.Abs(float64(d)) > 1e-3 {
				t.Fatalf("run %d leaves the surface by %v", k, d)
			}
		}
		if len(parts) == 2 {
			over++
		}
	}
	if over < 5 {
		t.Errorf("%d runs go on over the border of the part; most should", over)
	}
}

// A wall whose two halves are islands of their own: the run goes over the seam.
func TestARunGoesOverASeam(t *testing.T) {
	m := &mesh.Model{}
	quad(m, 0, geom.V3(0, 0.5, 0), geom.V3(1, 0, 0), geom.V3(0, 0.5, 0), 3)
	quad(m, 1, geom.V3(0, 0, 0), geom.V3(1, 0, 0), geom.V3(0, 0.5, 0), 3)
	finished(t, m, 2)
	at := int32(-1)
	for k, tr := range m.Tri {
		if m.TriPart[k] == 0 && m.Pos[tr[2]].Y > 0.9 && m.Pos[tr[0]].X < 0.5 && m.Pos[tr[1]].X > 0.5 {
			at = int32(k)
		}
	}
	if at < 0 {
		t.Fatal("no triangle to begin on")
	}
	tr := m.Tri[at]
	p := m.Pos[tr[0]].Add(m.Pos[tr[1]]).Add(m.Pos[tr[2]]).Mul(1.0 / 3)
	w := weather()
	w.Leave = 2
	r, _ := Trace(context.Background(), m, tree(t, m), w, 0.03, []Source{{Pos: p, Tri: at, Amount: 1}})
	islands := map[int32]bool{}
	breaks := 0
	for _, n := range r.List[0].Nodes {
		islands[m.Island[n.Tri]] = true
		if n.Break {
			breaks++
		}
	}
	if len(islands) < 2 || breaks > 0 {
		t.Errorf("the run touches %d islands and falls %d times", len(islands), breaks)
	}
}

func TestRunsAreTheSameEveryTime(t *testing.T) {
	m := steps(t)
	var first *Runs
	for _, n := range []int{1, 2, 4} {
		old := runtime.GOMAXPROCS(n)
		r, _ := Trace(context.Background(), m, tree(t, m), weather(), 0.02, sources(m))
		runtime.GOMAXPROCS(old)
		if first == nil {
			first = r
			continue
		}
		for k := range r.List {
			for i := range r.List[k].Nodes {
				if r.List[k].Nodes[i] != first.List[k].Nodes[i] {
					t.Fatalf("with %d cores node %d of run %d differs", n, i, k)
				}
			}
		}
	}
}

func TestStainsLieOnTheRunAndGrowWithAge(t *testing.T) {
	m := steps(t)
	r, _ := Trace(context.Background(), m, tree(t, m), weather(), 0.02, sources(m))
	s := NewStains(r, 0.02)
	look := Look{Width: 0.02, Age: 1, Leave: 0.8}
	run := r.List[3]
	n := run.Nodes[len(run.Nodes)/2]
	if v := s.At(&look, n.Pos, n.Nrm, 0.001); v < 0.1 {
		t.Errorf("on the run there is %v", v)
	}
	if v := s.At(&look, n.Pos.Sub(n.Nrm.Mul(0.2)), n.Nrm, 0.001); v != 0 {
		t.Errorf("a hand's breadth below the surface there is %v", v)
	}
	if v := s.At(&look, n.Pos, n.Nrm.Mul(-1), 0.001); v != 0 {
		t.Errorf("on the back of the plate there is %v", v)
	}
	sum := func(age float32) (v float32) {
		l := look
		l.Age = age
		for i := range 400 {
			p := geom.V3(float32(i)/400, 0.75, 0.25)
			v += s.At(&l, p, n.Nrm, 0.001)
		}
		return
	}
	if a, b, c := sum(0), sum(0.5), sum(1); a > 0.01*c || b <= a || c <= b {
		t.Errorf("by age there is %v, %v, %v", a, b, c)
	}
}

// What is looked for once for a box gives at every place in it what is looked for at the
// place alone, to the bit, and looks at far fewer segments.
func TestStainsOfABoxAreThoseOfItsPlaces(t *testing.T) {
	m := steps(t)
	r, _ := Trace(context.Background(), m, tree(t, m), weather(), 0.02, sources(m))
	s := NewStains(r, 0.02)
	rng := rand.New(rand.NewPCG(3, 4))
	var near Stained
	hit, in, all := 0, 0, 0
	for _, ragged := range []float32{0, 0.7} {
		look := Look{Width: 0.02, Age: 1, Leave: 0.8, Ragged: ragged, Streaks: 0.4, Rim: 0.5, Seed: 5}
		for range 300 {
			run := r.List[rng.IntN(len(r.List))]
			n := run.Nodes[rng.IntN(len(run.Nodes))]
			half := 0.001 + 0.02*rng.Float32()
			corner := n.Pos.Add(geom.V3(rng.Float32()-0.5, rng.Float32()-0.5, rng.Float32()-0.5).Mul(0.08))
			box := geom.EmptyBox().Grow(corner).Pad(half)
			near = s.In(box, &look, 0.001, near)
			for range 20 {
				p := corner.Add(geom.V3(rng.Float32()*2-1, rng.Float32()*2-1, rng.Float32()*2-1).Mul(half))
				want := s.Marks(&look, p, n.Nrm, 0.001, nil)
				if got := near.Marks(p, n.Nrm, 0.001, nil); !slices.Equal(got, want) {
					t.Fatalf("at %v in a box of %v: %v, at the place alone %v", p, half, got, want)
				}
				if len(want) > 0 {
					hit++
				}
				in += len(near.list)
				all += len(s.cells[key(noise.Floor(p.X/s.cell), noise.Floor(p.Y/s.cell), noise.Floor(p.Z/s.cell))])
			}
		}
	}
	if hit < 1000 || 3*in > 2*all {
		t.Errorf("%d places had marks; %d segments were looked at in place of %d", hit, in, all)
	}
}

// Points lie in memory as on the surface, and still know their places in the sequence that made them.
func TestNeighboursLieBesideEachOther(t *testing.T) {
	m := &mesh.Model{} // large triangles, over which the sequence jumps about
	quad(m, 0, geom.V3(0, 1, 0), geom.V3(0, -0.5, 0.5), geom.V3(1, 0, 0), 1)
	quad(m, 1, geom.V3(0, 0.42, 0.3), geom.V3(0, -0.4, 0.9), geom.V3(1, 0, 0), 1)
	c, err := NewCloud(t.Context(), finished(t, m, 2), 20000)
	if err != nil || len(c.ID) != len(c.Pos) || len(c.Sequence) != len(c.Pos) {
		t.Fatal(len(c.ID), len(c.Sequence), len(c.Pos), err)
	}
	for i, k := range c.ID {
		if c.Sequence[k] != int32(i) {
			t.Fatalf("point %d is the %dth, and the %dth is point %d", i, k, k, c.Sequence[k])
		}
	}
	last := int32(0)
	for _, i := range c.Sequence { // it goes over the triangles in their order
		if c.Tri[i] < last {
			t.Fatalf("triangle %d comes after %d", c.Tri[i], last)
		}
		last = c.Tri[i]
	}
	away, n := 0, 0
	for i := range c.Pos {
		for _, j := range c.Around(i) {
			away, n = away+max(int(j)-i, i-int(j)), n+1
		}
	}
	// on a curve through cubes most neighbours are within some cubes of each other
	if mean := away / n; mean > len(c.Pos)/40 {
		t.Errorf("neighbours lie %d of %d points apart", mean, len(c.Pos))
	}
}
