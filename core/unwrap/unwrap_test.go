package unwrap

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/sample"
)

// surface builds a grid of n × k quads over f without UVs; around closes it.
func surface(t *testing.T, n, k int, f func(u, v float64) geom.Vec3) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Name: "m", Parts: []mesh.Part{{Name: "p"}}, Sheets: []mesh.Sheet{{Name: "s"}}}
	for j := range k + 1 {
		for i := range n + 1 {
			m.Pos = append(m.Pos, f(float64(i)/float64(n), float64(j)/float64(k)))
			m.Nrm, m.UV = append(m.Nrm, geom.V3(0, 1, 0)), append(m.UV, geom.Vec2{})
		}
	}
	for j := range k {
		for i := range n {
			a := uint32(j*(n+1) + i)
			b, c, d := a+1, a+uint32(n)+2, a+uint32(n)+1
			m.Tri = append(m.Tri, [3]uint32{a, b, c}, [3]uint32{a, c, d})
			m.TriPart, m.TriSheet = append(m.TriPart, 0, 0), append(m.TriSheet, 0, 0)
		}
	}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

func tube(u, v float64) geom.Vec3 {
	if u == 1 {
		u = 0
	}
	sin, cos := math.Sincos(2 * math.Pi * u)
	return geom.V3(float32(cos), float32(v*3), float32(-sin))
}

func dome(part float64) func(u, v float64) geom.Vec3 {
	return func(u, v float64) geom.Vec3 {
		if u == 1 {
			u = 0
		}
		a, b := 2*math.Pi*u, math.Pi*part*(1-v)
		return geom.V3(float32(math.Sin(b)*math.Cos(a)), float32(math.Cos(b)), float32(-math.Sin(b)*math.Sin(a)))
	}
}

func torus(u, v float64) geom.Vec3 {
	if u == 1 {
		u = 0
	}
	if v == 1 {
		v = 0
	}
	a, b := 2*math.Pi*u, 2*math.Pi*v
	r := 2 + 0.6*math.Cos(b)
	return geom.V3(float32(r*math.Cos(a)), float32(0.6*math.Sin(b)), float32(-r*math.Sin(a)))
}

func unwrapped(t *testing.T, m *mesh.Model, o Options) (*mesh.Model, *Report) {
	t.Helper()
	l, err := Unwrap(context.Background(), m, o, func(float64, string) {})
	if err != nil {
		t.Fatal(err)
	}
	out, err := l.Apply(m)
	if err != nil {
		t.Fatal(err)
	}
	return out, Measure(out, Same(o.Size))
}

// sound is what every result must be.
func sound(t *testing.T, name string, m *mesh.Model, r *Report, o Options) {
	t.Helper()
	for _, s := range r.Sheets {
		if s.Overlap > 0 || s.Outside > 0 || s.Mirrored > 0 {
			t.Errorf("%s, %s: %d texels overlap, %d islands outside, %d mirrored", name, s.Sheet, s.Overlap, s.Outside, s.Mirrored)
		}
		if s.Padding >= 0 && s.Padding < o.Margin {
			t.Errorf("%s, %s: islands come within %d texels, margin %d", name, s.Sheet, s.Padding, o.Margin)
		}
		if s.Density[0] < s.Density[1]*0.7 || s.Density[2] > s.Density[1]*1.4 {
			t.Errorf("%s, %s: density %v is uneven", name, s.Sheet, s.Density)
		}
	}
	if len(m.Tri) == 0 {
		t.Errorf("%s: the model is gone", name)
	}
}

// A cylinder is developable: one island without any distortion.
func TestACylinderIsLaidFlatExactly(t *testing.T) {
	m := surface(t, 48, 6, tube)
	o := Defaults()
	got, r := unwrapped(t, m, o)
	sound(t, "cylinder", got, r, o)
	s := r.Sheets[0]
	if s.Islands != 1 || s.Stretch.Angle.Max > 1.01 || s.Stretch.Area.Max > 1.01 {
		t.Errorf("%d islands, stretch %+v; want one without distortion", s.Islands, s.Stretch)
	}
	if s.Space < 0.4 {
		t.Errorf("it fills %v of the sheet", s.Space)
	}
}

func TestShapesOfEveryTopology(t *testing.T) {
	for name, f := range map[string]func(u, v float64) geom.Vec3{
		"half ball": dome(0.5), "whole ball": dome(1), "torus": torus,
	} {
		m := surface(t, 40, 24, f)
		o := Defaults()
		got, r := unwrapped(t, m, o)
		sound(t, name, got, r, o)
		s := r.Sheets[0]
		if s.Stretch.Angle.Mean > 1.35 || s.Stretch.Area.P95 > 2 || s.Islands > 12 {
			t.Errorf("%s: %d islands, stretch %+v", name, s.Islands, s.Stretch)
		}
	}
}

// With no seams found by itself, a closed surface is still opened.
func TestWithoutSeamsAClosedSurfaceIsOpened(t *testing.T) {
	m := surface(t, 32, 16, dome(1))
	o := Defaults()
	o.Auto = false
	got, r := unwrapped(t, m, o)
	sound(t, "ball", got, r, o)
}

func TestTheLanternIsUnwrappedAnew(t *testing.T) {
	m := sample.Lantern()
	o := Defaults()
	o.Sheets, o.Size, o.Margin = []string{"Enamel", "Brass"}, 512, 4
	got, r := unwrapped(t, m, o)
	for _, s := range r.Sheets {
		if s.Sheet != "Enamel" && s.Sheet != "Brass" {
			continue
		}
		if s.Overlap > 0 || s.Outside > 0 || s.Stretch.Angle.P95 > 1.6 || s.Space < 0.45 {
			t.Errorf("%+v", s)
		}
	}
	// what was not chosen is where it was, and triangles keep their places
	for i := range m.Tri {
		for k := range 3 {
			a, b := m.Tri[i][k], got.Tri[i][k]
			if m.Pos[a] != got.Pos[b] || m.Nrm[a] != got.Nrm[b] {
				t.Fatalf("corner %d of triangle %d moved on the model", k, i)
			}
			if n := m.Sheets[m.TriSheet[i]].Name; n != "Enamel" && n != "Brass" && m.UV[a] != got.UV[b] {
				t.Fatalf("triangle %d of %s moved on its sheet", i, n)
			}
		}
	}
}

func TestPartsGoToASheetOfTheirOwn(t *testing.T) {
	m := sample.Bollard()
	o := Defaults()
	o.Parts, o.Sheet = []string{m.Parts[0].Name}, "Extra"
	got, r := unwrapped(t, m, o)
	sheet := got.SheetIndex("Extra")
	if sheet < 0 {
		t.Fatalf("there is no sheet Extra: %v", got.Sheets)
	}
	for i := range got.Tri {
		if (got.TriPart[i] == 0) != (int(got.TriSheet[i]) == sheet) {
			t.Fatalf("triangle %d of part %d lies on sheet %s", i, got.TriPart[i], got.Sheets[got.TriSheet[i]].Name)
		}
	}
	for _, s := range r.Sheets {
		if s.Sheet == "Extra" && (s.Overlap > 0 || s.Space < 0.3) {
			t.Errorf("%+v", s)
		}
	}
}

func TestLayoutsAreKeptAndRefused(t *testing.T) {
	m := sample.Bollard()
	l := Of(m)
	data, err := l.Bytes()
	if err != nil {
		t.Fatal(err)
	}
	back, err := ParseLayout(data)
	if err != nil {
		t.Fatal(err)
	}
	if !slices.Equal(back.UV, l.UV) || !slices.Equal(back.TriSheet, l.TriSheet) || !slices.Equal(back.Sheets, l.Sheets) {
		t.Error("the layout is another one after being kept")
	}
	same, err := back.Apply(m)
	if err != nil || same.Islands != m.Islands {
		t.Errorf("applied: %v, %d islands, want %d", err, same.Islands, m.Islands)
	}
	for n := range 40 {
		if _, err := ParseLayout(data[:len(data)*n/40]); err == nil {
			t.Fatalf("a layout cut off at %d fortieths was taken", n)
		}
	}
	if _, err := back.Apply(sample.Lantern()); err == nil {
		t.Error("a layout of another model was taken")
	}
}

func FuzzParseLayout(f *testing.F) {
	l := Of(sample.Bollard())
	data, _ := l.Bytes()
	f.Add(data)
	f.Add([]byte{})
	f.Fuzz(func(t *testing.T, b []byte) {
		if l, err := ParseLayout(b); err == nil && len(l.UV) != len(l.TriSheet) {
			t.Error("a layout of two lengths")
		}
	})
}

// On a tube the loop of a ring edge is the ring, of a long edge the line to both
// ends, of an end's edge the rim.
func TestLoops(t *testing.T) {
	const n, k = 24, 8
	m := surface(t, n, k, tube)
	quad := func(i, j int) int32 { return int32(2 * (j*n + i)) }
	for name, c := range map[string]struct {
		tri  int32
		k    int
		want int
	}{
		"ring":  {quad(3, 4), 0, n}, // the lower edge of a quad
		"along": {quad(3, 4), 1, k}, // its side
		"rim":   {quad(5, 0), 0, n}, // at the open end
	} {
		if got := Loop(m, c.tri, c.k); len(got) != c.want {
			t.Errorf("%s: %d edges, want %d", name, len(got), c.want)
		}
	}
	path := Path(m, quad(0, 0), 0, quad(0, k-1), 2)
	if len(path) < k || len(path) > k+2 {
		t.Errorf("the path from end to end has %d edges, want about %d", len(path), k)
	}
}

// The measures against layouts whose distortion is known.
func TestMeasuresOfKnownLayouts(t *testing.T) {
	m := surface(t, 4, 4, func(u, v float64) geom.Vec3 { return geom.V3(float32(u), 0, float32(-v)) })
	lay := func(f func(x, y float64) (float64, float64)) *mesh.Model {
		for i, p := range m.Pos {
			u, v := f(float64(p.X), -float64(p.Z))
			m.UV[i] = geom.Vec2{X: float32(u), Y: float32(1 - v)}
		}
		m.Sheets[0].HasUV = true
		if err := m.Finish(); err != nil {
			t.Fatal(err)
		}
		return m
	}
	has := func(r *Report, kind string) bool {
		return slices.ContainsFunc(r.Findings, func(f Finding) bool { return f.Kind == kind })
	}
	r := Measure(lay(func(x, y float64) (float64, float64) { return 0.25 + x/2, 0.25 + y/2 }), Same(256))
	s := r.Sheets[0]
	if math.Abs(s.Stretch.Angle.Max-1) > 1e-5 || math.Abs(s.Space-0.25) > 1e-5 || math.Abs(s.Density[1]-128) > 1e-3 || s.Overlap != 0 || has(r, "mirrored") {
		t.Errorf("a scaled square: %+v", s)
	}
	r = Measure(lay(func(x, y float64) (float64, float64) { return x * 0.9, y * 0.3 }), Same(256))
	if s := r.Sheets[0]; math.Abs(s.Stretch.Angle.Mean-3) > 1e-4 || !has(r, "stretch") {
		t.Errorf("three times as wide: %+v", s.Stretch)
	}
	r = Measure(lay(func(x, y float64) (float64, float64) { return 1 - x, y }), Same(256))
	if !has(r, "mirrored") || r.Sheets[0].Mirrored != 1 {
		t.Errorf("mirrored: %+v", r.Findings)
	}
	r = Measure(lay(func(x, y float64) (float64, float64) { return x + 0.5, y }), Same(256))
	if !has(r, "outside") {
		t.Errorf("outside: %+v", r.Findings)
	}
	r = Measure(lay(func(x, y float64) (float64, float64) { return math.Abs(x-0.5) + 0.1, y * 0.8 }), Same(256))
	if !has(r, "overlap") || r.Sheets[0].Overlap < 5000 {
		t.Errorf("folded over itself: %+v, %+v", r.Sheets[0], r.Findings)
	}
	if !has(r, "open") {
		t.Error("the open edges of a plate are not found")
	}
}

// Packing keeps its margins with islands of any form.
func TestPackingKeepsTheMargin(t *testing.T) {
	var list []*island
	for i := range 40 {
		d := &island{weight: 1, turn: true, tris: []int32{int32(i)}}
		a := float64(i%7)*0.3 + 0.2
		d.uv = [][3][2]float64{{{0, 0}, {a, 0.1 * a}, {0.2 * a, 0.5 + 0.02*float64(i)}}}
		list = append(list, d)
	}
	const size, margin = 512, 6
	if _, err := pack(context.Background(), list, size, margin); err != nil {
		t.Fatal(err)
	}
	owner := make([]int32, size*size)
	for i := range owner {
		owner[i] = -1
	}
	filled := 0
	for i, d := range list {
		var p [3][2]float64
		for k := range 3 {
			p[k] = [2]float64{d.uv[0][k][0] * size, d.uv[0][k][1] * size}
		}
		centres(p, size, size, func(x, y int) {
			if owner[y*size+x] >= 0 {
				t.Fatalf("islands %d and %d overlap", i, owner[y*size+x])
			}
			owner[y*size+x] = int32(i)
			filled++
		})
	}
	if gap, _ := padding(owner, size); gap < margin {
		t.Errorf("the least gap is %d texels, want %d", gap, margin)
	}
	if filled < size*size/3 {
		t.Errorf("only %d of %d texels are used", filled, size*size)
	}
	stopped, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := pack(stopped, list, size, margin); err == nil {
		t.Error("a cancelled packing went on")
	}
}

// The factor solves what it was made of.
func TestEnvelopeSolves(t *testing.T) {
	const n = 60
	s := newSymmetric(n)
	for i := range n {
		s.add(i, i, 4)
		if i > 0 {
			s.add(i, i-1, -1)
		}
		if i >= 10 {
			s.add(i, i-10, -1)
		}
	}
	want, rhs := make([]float64, n), make([]float64, n)
	for i := range want {
		want[i] = math.Sin(float64(i))
	}
	for i, r := range s.row {
		for j, v := range r {
			rhs[i] += v * want[j]
		}
	}
	f, err := s.factor(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	x, y := make([]float64, n), make([]float64, n)
	f.solve(rhs, x)
	s.gradients(t.Context(), rhs, y, 400)
	for i := range want {
		if math.Abs(x[i]-want[i]) > 1e-10 || math.Abs(y[i]-want[i]) > 1e-6 {
			t.Fatalf("unknown %d: %v by factor, %v by steps, want %v", i, x[i], y[i], want[i])
		}
	}
	s.add(3, 3, -100)
	if _, err := s.factor(t.Context()); err == nil {
		t.Error("an indefinite matrix was factored")
	}
}

// The energy's slope is its derivative, measured by small steps.
func TestSlopeIsTheDerivative(t *testing.T) {
	m := surface(t, 3, 3, func(u, v float64) geom.Vec3 { return geom.V3(float32(u), float32(0.3*u*v), float32(-v)) })
	c := newChart(m, []int32{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17}, Seams{})
	if !c.open() {
		t.Fatal("no disc")
	}
	r := c.rests()
	c.conformal(t.Context(), r)
	for i := range c.uv {
		c.uv[i][0] += 0.03 * math.Sin(float64(7*i))
		c.uv[i][1] *= 1.2
	}
	area := 0.0
	for i := range r {
		area += r[i].area
	}
	g := [2][]float64{make([]float64, len(c.pos)), make([]float64, len(c.pos))}
	c.slope(r, c.uv, &g)
	const h = 1e-6
	for v := range c.pos {
		for d := range 2 {
			c.uv[v][d] += h
			up := c.energy(r, c.uv)
			c.uv[v][d] -= 2 * h
			down := c.energy(r, c.uv)
			c.uv[v][d] += h
			if want := (up - down) / (2 * h) * area; math.Abs(g[d][v]-want) > 1e-4*(1+math.Abs(want)) {
				t.Fatalf("vertex %d, %d: slope %v, measured %v", v, d, g[d][v], want)
			}
		}
	}
}

func TestUnwrapRefuses(t *testing.T) {
	m := sample.Bollard()
	for _, change := range []func(o *Options){
		func(o *Options) { o.Sheets = []string{"Nobody"} },
		func(o *Options) { o.Parts = []string{"Nobody"} },
		func(o *Options) { o.Angle = 0 },
		func(o *Options) { o.Margin = 300 },
		func(o *Options) { o.Bend = math.NaN() },
	} {
		o := Defaults()
		change(&o)
		if _, err := Unwrap(context.Background(), m, o, func(float64, string) {}); err == nil {
			t.Errorf("%+v was taken", o)
		}
	}
}

// Each of the long steps stops soon when the context ends, and says so.
func TestLongStepsStop(t *testing.T) {
	m := surface(t, 40, 40, func(u, v float64) geom.Vec3 { return geom.V3(float32(u), float32(u*v), float32(v)) })
	tris := make([]int32, len(m.Tri))
	for i := range tris {
		tris[i] = int32(i)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := Auto(ctx, m, tris, 60, 0.1); !errors.Is(err, context.Canceled) {
		t.Errorf("seams: %v", err)
	}
	s := newSymmetric(3)
	for i := range 3 {
		s.add(i, i, 2)
	}
	if _, err := s.factor(ctx); !errors.Is(err, context.Canceled) {
		t.Errorf("factorisation: %v", err)
	}
	if _, err := flattenAll(ctx, m, [][]int32{tris[:200]}, Seams{}, func(float64) {}); !errors.Is(err, context.Canceled) {
		t.Errorf("laying flat: %v", err)
	}
}

// The steps of a winding stair that goes round its post once and a half cannot be laid flat together; those of
// three quarters can.
func TestAWindingStairIsTooWide(t *testing.T) {
	for _, turns := range []float64{0.75, 1.5} {
		m := &mesh.Model{Parts: []mesh.Part{{Name: "Stair"}}, Sheets: []mesh.Sheet{{Name: "S"}}, Pos: []geom.Vec3{{}}}
		const steps = 12
		for i := range steps + 1 {
			a := 2 * math.Pi * turns * float64(i) / steps
			m.Pos = append(m.Pos, geom.V3(float32(math.Cos(a)), 0.002*float32(i), float32(math.Sin(a)))) // it climbs
		}
		var tris []int32
		for i := range uint32(steps) {
			m.Tri = append(m.Tri, [3]uint32{0, i + 2, i + 1})
			tris = append(tris, int32(i))
		}
		m.UV = make([]geom.Vec2, len(m.Pos))
		m.TriPart, m.TriSheet = make([]uint16, steps), make([]uint16, steps)
		m.SmoothNormals(180)
		if err := m.Finish(); err != nil {
			t.Fatal(err)
		}
		if got := newChart(m, tris, Seams{}).tooWide(); got != (turns > 1) {
			t.Errorf("its faces go round the post %v times; too wide: %v", turns, got)
		}
	}
}

// A scan is noisy: its charts follow its form, and its spikes are no islands.
func TestAScanHasFewIslands(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	const n, around = 72, 76
	m := &mesh.Model{Parts: []mesh.Part{{Name: "Scan"}}, Sheets: []mesh.Sheet{{Name: "S"}}}
	for i := range n + 1 {
		for j := range around {
			a, b := math.Pi*float64(i)/n, 2*math.Pi*float64(j)/around
			size := 1 + 0.2*math.Sin(3*b)*math.Sin(2*a) + 0.013*r.NormFloat64()
			sin, cos := math.Sincos(a)
			m.Pos = append(m.Pos, geom.V3(float32(size*sin*math.Cos(b)), float32(size*cos), float32(size*sin*math.Sin(b))))
			m.UV = append(m.UV, geom.Vec2{})
		}
	}
	for i := range uint32(n) {
		for j := range uint32(around) {
			a, b := i*around+j, i*around+(j+1)%around
			m.Tri = append(m.Tri, [3]uint32{a, b, b + around}, [3]uint32{a, b + around, a + around})
		}
	}
	m.TriPart, m.TriSheet = make([]uint16, len(m.Tri)), make([]uint16, len(m.Tri))
	m.SmoothNormals(180)
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	o := Defaults()
	l, err := Unwrap(t.Context(), m, o, func(float64, string) {})
	if err != nil {
		t.Fatal(err)
	}
	u, err := l.Apply(m)
	if err != nil {
		t.Fatal(err)
	}
	if u.Islands > 60 {
		t.Errorf("%d triangles came to %d islands", len(m.Tri), u.Islands)
	}
	for _, s := range Measure(u, func(string) int { return 2048 }).Sheets {
		if s.Overlap > 0 || s.Stretch.Angle.P95 > 1.3 || s.Stretch.Area.P95 > 1.3 {
			t.Errorf("it lies %+v", s)
		}
	}
}

// A sheet that is crumpled to the last triangle is halved until nothing lies over itself.
func TestACrumpledSheetDoesNotLieOverItself(t *testing.T) {
	const n = 61
	r := rand.New(rand.NewPCG(3, 5))
	m := &mesh.Model{Parts: []mesh.Part{{Name: "Crumpled"}}, Sheets: []mesh.Sheet{{Name: "S"}}}
	for range n * n {
		m.Pos = append(m.Pos, geom.V3(r.Float32(), r.Float32(), r.Float32()))
		m.UV = append(m.UV, geom.Vec2{})
	}
	var tris []int32
	for y := range uint32(n - 1) {
		for x := range uint32(n - 1) {
			a := y*n + x
			m.Tri = append(m.Tri, [3]uint32{a, a + 1, a + n}, [3]uint32{a + 1, a + n + 1, a + n})
		}
	}
	m.TriPart, m.TriSheet = make([]uint16, len(m.Tri)), make([]uint16, len(m.Tri))
	m.SmoothNormals(180)
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	for i := range m.Tri {
		tris = append(tris, int32(i))
	}
	list, err := flattenOne(t.Context(), m, tris, Seams{})
	if err != nil {
		t.Fatal(err)
	}
	laid := 0
	for _, d := range list {
		laid += len(d.tris)
		lo, hi := d.bounds()
		scale := 100 / max(hi[0]-lo[0], hi[1]-lo[1])
		taken, over := map[[2]int]bool{}, 0
		for _, c := range d.uv {
			for k := range c {
				c[k] = [2]float64{(c[k][0] - lo[0]) * scale, (c[k][1] - lo[1]) * scale}
			}
			centres(c, 101, 101, func(x, y int) {
				if taken[[2]int{x, y}] {
					over++
				}
				taken[[2]int{x, y}] = true
			})
		}
		if over > 0 {
			t.Errorf("an island of %d triangles lies over itself in %d places", len(d.tris), over)
		}
	}
	if laid != len(tris) {
		t.Errorf("%d of %d triangles are laid", laid, len(tris))
	}
}

// Thin rings that would each take a square of the sheet are cut into bows that lie within each other;
// where that brings nothing no seam is made.
func TestRingsAreNested(t *testing.T) {
	rings := func(n int, inner float64) *mesh.Model {
		var m *mesh.Model
		for k := range n {
			one := surface(t, 48, 1, func(u, v float64) geom.Vec3 {
				if u == 1 {
					u = 0
				}
				sin, cos := math.Sincos(2 * math.Pi * u)
				r := inner + (1-inner)*v
				return geom.V3(float32(r*cos), float32(k), float32(r*sin))
			})
			if m == nil {
				m = one
				continue
			}
			first := uint32(len(m.Pos))
			m.Pos, m.Nrm, m.UV = append(m.Pos, one.Pos...), append(m.Nrm, one.Nrm...), append(m.UV, one.UV...)
			for _, tri := range one.Tri {
				m.Tri = append(m.Tri, [3]uint32{tri[0] + first, tri[1] + first, tri[2] + first})
			}
			m.TriPart, m.TriSheet = append(m.TriPart, one.TriPart...), append(m.TriSheet, one.TriSheet...)
		}
		if err := m.Finish(); err != nil {
			t.Fatal(err)
		}
		return m
	}
	o := Defaults()
	o.Size, o.Margin = 512, 2
	for _, c := range []struct {
		inner  float64
		least  float64
		pieces [2]int
	}{{0.93, 0.5, [2]int{25, 96}}, {0.3, 0.45, [2]int{12, 12}}} {
		m, r := unwrapped(t, rings(12, c.inner), o)
		sound(t, "rings", m, r, o)
		s := r.Sheets[0]
		if s.Space < c.least || s.Islands < c.pieces[0] || s.Islands > c.pieces[1] || s.Overlap > 0 {
			t.Errorf("rings of %v: %d islands fill %.2f, %d overlap", c.inner, s.Islands, s.Space, s.Overlap)
		}
	}
}
