package bake

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// shape builds models of quads; those with a UV place get that square of the sheet.
type shape struct{ m *mesh.Model }

func newShape(parts ...string) *shape {
	s := &shape{&mesh.Model{Sheets: []mesh.Sheet{{Name: "s", Source: "s", HasUV: true}}}}
	for _, p := range parts {
		s.m.Parts = append(s.m.Parts, mesh.Part{Name: p})
	}
	return s
}

// grid adds a patch of n × n quads over f(u, v), seen from where u × v points; it
// fills the UV square from lo to hi. part −1 is the last one.
func (s *shape) grid(part, n int, lo, hi float32, f func(u, v float64) (p, nrm geom.Vec3)) {
	base := uint32(len(s.m.Pos))
	for j := 0; j <= n; j++ {
		for i := 0; i <= n; i++ {
			u, v := float64(i)/float64(n), float64(j)/float64(n)
			p, nrm := f(u, v)
			s.m.Pos, s.m.Nrm = append(s.m.Pos, p), append(s.m.Nrm, nrm)
			s.m.UV = append(s.m.UV, geom.Vec2{X: lo + (hi-lo)*float32(u), Y: hi - (hi-lo)*float32(v)})
		}
	}
	for j := range n {
		for i := range n {
			a := base + uint32(j*(n+1)+i)
			b, c, d := a+1, a+uint32(n)+2, a+uint32(n)+1
			s.m.Tri = append(s.m.Tri, [3]uint32{a, b, c}, [3]uint32{a, c, d})
			s.m.TriPart = append(s.m.TriPart, uint16(part), uint16(part))
			s.m.TriSheet = append(s.m.TriSheet, 0, 0)
		}
	}
}

// flat is a rectangle at o with the edges a and b, facing a × b.
func flat(o, a, b geom.Vec3) func(u, v float64) (geom.Vec3, geom.Vec3) {
	n := a.Cross(b).Unit()
	return func(u, v float64) (geom.Vec3, geom.Vec3) {
		return o.Add(a.Mul(float32(u))).Add(b.Mul(float32(v))), n
	}
}

func ball(c geom.Vec3, r float64, inward bool) func(u, v float64) (geom.Vec3, geom.Vec3) {
	return func(u, v float64) (geom.Vec3, geom.Vec3) {
		a, b := 2*math.Pi*u, math.Pi*(1-v)
		if inward {
			a = -a
		}
		n := geom.V3(float32(math.Sin(b)*math.Cos(a)), float32(math.Cos(b)), float32(-math.Sin(b)*math.Sin(a)))
		p := c.Add(n.Mul(float32(r)))
		if inward {
			n = n.Mul(-1)
		}
		return p, n
	}
}

func (s *shape) done(t *testing.T) *mesh.Model {
	t.Helper()
	if err := s.m.Finish(); err != nil {
		t.Fatal(err)
	}
	return s.m
}

func quick() Settings {
	s := Default()
	s.Size, s.Samples, s.Smooth = 64, 256, 1
	return s
}

func run(t *testing.T, low, high *mesh.Model, s Settings, maps ...string) (map[string]*Image, *Baker) {
	t.Helper()
	ctx := context.Background()
	b, err := New(ctx, low, high, s, maps)
	if err != nil {
		t.Fatal(err)
	}
	var strips []*Strip
	for _, p := range b.Pieces() {
		st, err := b.Bake(ctx, p)
		if err != nil {
			t.Fatal(err)
		}
		strips = append(strips, st)
	}
	out := map[string]*Image{}
	for i, m := range b.Maps {
		if out[m.Name], err = b.Assemble(ctx, 0, i, func(r int) (*Strip, error) { return strips[r], nil }); err != nil {
			t.Fatal(err)
		}
	}
	return out, b
}

// at reads the texel at a place of the sheet.
func (m *Image) at(u, v float64) []float32 {
	i := int(v*float64(m.Size))*m.Size + int(u*float64(m.Size))
	return m.Data[i*m.Components : (i+1)*m.Components]
}

// The exact cases of occlusion: the share that is hidden is the form factor of
// what hides, from a differential area (Howell, catalogue of configuration
// factors, B-4 and B-12 in their limits).
func TestOcclusionAgainstExactCases(t *testing.T) {
	floor := flat(geom.V3(-1, 0, 1), geom.V3(2, 0, 0), geom.V3(0, 0, -2))
	type probe struct{ u, v, want float64 }
	for name, c := range map[string]struct {
		build  func(s *shape)
		probes []probe
	}{
		"open plane": {func(s *shape) { s.grid(0, 4, 0, 1, floor) }, []probe{{0.5, 0.5, 1}, {0.1, 0.9, 1}}},
		"corner of two planes": {func(s *shape) {
			s.grid(0, 4, 0, 0.5, floor)
			// a wall of height h along x = −1, far longer than the floor
			s.grid(0, 4, 0.5, 1, flat(geom.V3(-1, 0, 500), geom.V3(0, 0, -1000), geom.V3(0, 2, 0)))
		}, func() []probe {
			var p []probe
			for _, u := range []float64{0.03125, 0.125, 0.25, 0.375} {
				x := (math.Floor(u*64) + 0.5) / 64 * 4 // from the wall
				p = append(p, probe{u, 0.25, 1 - 0.5*(1-x/math.Hypot(x, 2))})
			}
			return p
		}()},
		"disc over plane": {func(s *shape) {
			s.grid(0, 4, 0, 0.5, floor)
			const h, a = 0.5, 0.6
			s.grid(0, 48, 0.6, 0.9, func(u, v float64) (geom.Vec3, geom.Vec3) {
				sin, cos := math.Sincos(2 * math.Pi * u)
				return geom.V3(float32(a*v*cos+1.0/32), h, float32(a*v*sin-1.0/32)), geom.V3(0, -1, 0)
			})
		}, []probe{{0.25, 0.25, 1 - 0.36/(0.36+0.25)}}},
		"inside of a ball":  {func(s *shape) { s.grid(0, 24, 0, 1, ball(geom.Vec3{}, 1, true)) }, []probe{{0.5, 0.5, 0}, {0.2, 0.3, 0}}},
		"outside of a ball": {func(s *shape) { s.grid(0, 24, 0, 1, ball(geom.Vec3{}, 1, false)) }, []probe{{0.51, 0.51, 1}, {0.21, 0.31, 1}}},
	} {
		s := newShape("p")
		c.build(s)
		set := quick()
		set.Samples = 1024
		got, _ := run(t, s.done(t), nil, set, "ao")
		for _, p := range c.probes {
			if v := float64(got["ao"].at(p.u, p.v)[0]); math.Abs(v-p.want) > 0.012 {
				t.Errorf("%s at (%v, %v): %.4f, exactly %.4f", name, p.u, p.v, v, p.want)
			}
		}
	}
}

// The error of the corner falls at least as fast as one over the root of the rays.
func TestOcclusionErrorFallsWithSamples(t *testing.T) {
	s := newShape("p")
	s.grid(0, 1, 0, 0.5, flat(geom.V3(-1, 0, 1), geom.V3(2, 0, 0), geom.V3(0, 0, -2)))
	s.grid(0, 1, 0.5, 1, flat(geom.V3(-1, 0, 500), geom.V3(0, 0, -1000), geom.V3(0, 2, 0)))
	m := s.done(t)
	rms := func(n int) float64 {
		set := quick()
		set.Samples = n
		got, _ := run(t, m, nil, set, "ao")
		sum, k := 0.0, 0.0
		for x := range 30 {
			for y := range 30 {
				d := (float64(x) + 0.5) / 64 * 4
				e := float64(got["ao"].at((float64(x)+0.5)/64, (float64(y)+0.5)/64)[0]) - (1 - 0.5*(1-d/math.Hypot(d, 2)))
				sum, k = sum+e*e, k+1
			}
		}
		return math.Sqrt(sum / k)
	}
	few, many := rms(16), rms(1024)
	t.Logf("16 rays: %.4f, 1024 rays: %.4f", few, many)
	if many > few/8*1.1 {
		t.Errorf("the error of 16 rays is %v, of 64 times as many %v: it falls slower than the root", few, many)
	}
}

// A slab of thickness t seen against the limit L: the mean of min(t/cos, L) over
// directions that are dense by the cosine is 2t − t²/L.
func TestThicknessOfASlab(t *testing.T) {
	s := newShape("p")
	s.grid(0, 1, 0, 0.5, flat(geom.V3(-50, 0.1, 50), geom.V3(100, 0, 0), geom.V3(0, 0, -100)))
	s.grid(0, 1, 0.5, 1, flat(geom.V3(-50, 0, -50), geom.V3(100, 0, 0), geom.V3(0, 0, 100)))
	set := quick()
	set.Thickness, set.Samples = 1, 1024
	got, _ := run(t, s.done(t), nil, set, "thickness")
	if v := got["thickness"].at(0.25, 0.25)[0]; math.Abs(float64(v)-(0.2-0.01)) > 0.004 {
		t.Errorf("the slab of 0.1 m measures %v, exactly 0.19", v)
	}
	if r := got["thickness"].Range; r != [2]float32{0, 1} {
		t.Errorf("white stands for %v, want 1 m", r)
	}
}

// On a ball of radius R curvature is radius ÷ R, on its inside the negative; on a
// plane 0 (see the next test).
func TestCurvature(t *testing.T) {
	for _, c := range []struct {
		inward bool
		want   float64
	}{{false, 0.1}, {true, -0.1}} {
		s := newShape("p")
		s.grid(0, 96, 0, 1, ball(geom.Vec3{}, 0.5, c.inward))
		set := quick()
		set.Radius = 0.05
		got, _ := run(t, s.done(t), nil, set, "curvature")
		for _, p := range [][2]float64{{0.5, 0.5}, {0.3, 0.4}, {0.8, 0.6}} {
			if v := float64(got["curvature"].at(p[0], p[1])[0]); math.Abs(v-c.want) > 0.01 {
				t.Errorf("inward %v: %v, want %v", c.inward, v, c.want)
			}
		}
	}
}

func TestCreaseAndEdgeHaveTheirSigns(t *testing.T) {
	for _, c := range []struct {
		wall func(u, v float64) (geom.Vec3, geom.Vec3)
		sign float64
	}{
		{flat(geom.V3(0, -1, 1), geom.V3(0, 0, -1), geom.V3(0, 1, 0)), 1}, // falls away, seen from −x
		{flat(geom.V3(0, 0, 1), geom.V3(0, 0, -1), geom.V3(0, 1, 0)), -1}, // rises, seen from +x
	} {
		s := newShape("p")
		s.grid(0, 8, 0, 0.5, flat(geom.V3(0, 0, 1), geom.V3(1, 0, 0), geom.V3(0, 0, -1)))
		w := c.wall
		if c.sign < 0 {
			s.grid(0, 8, 0.5, 1, func(u, v float64) (geom.Vec3, geom.Vec3) { p, _ := w(1-u, v); return p, geom.V3(1, 0, 0) })
		} else {
			s.grid(0, 8, 0.5, 1, func(u, v float64) (geom.Vec3, geom.Vec3) { p, _ := w(1-u, v); return p, geom.V3(-1, 0, 0) })
		}
		set := quick()
		set.Radius = 0.1
		got, _ := run(t, s.done(t), nil, set, "curvature")
		near, far := float64(got["curvature"].at(0.012, 0.25)[0]), float64(got["curvature"].at(0.3, 0.25)[0])
		if near*c.sign < 0.15 || math.Abs(far) > 0.01 {
			t.Errorf("sign %v: beside the edge %v, away from it %v", c.sign, near, far)
		}
	}
}

// A dense plane that lies 2 cm above the low one and is tilted: height and normal
// have their exact values; a shifted cage misses it, and the misses are counted.
func TestReliefFromADenseModel(t *testing.T) {
	low := newShape("Lid")
	low.grid(0, 1, 0, 1, flat(geom.V3(0, 0, 1), geom.V3(1, 0, 0), geom.V3(0, 0, -1)))
	high := newShape("Lid")
	const slope = 0.1
	high.grid(0, 8, 0, 1, flat(geom.V3(-1, 0.02-slope*1.5, 2), geom.V3(3, slope*3, 0), geom.V3(0, 0, -3)))
	set := quick()
	set.Front, set.Back, set.Smooth = 0.2, 0.2, 2
	got, b := run(t, low.done(t), high.done(t), set, "height", "normal", "misses", "position", "normal-world")
	for _, p := range [][2]float64{{0.5, 0.5}, {0.1, 0.8}, {0.9, 0.2}} {
		x := (math.Floor(p[0]*64) + 0.5) / 64
		want := 0.02 + slope*(x-0.5)
		if v := float64(got["height"].at(p[0], p[1])[0]); math.Abs(v-want) > 1e-4 {
			t.Errorf("height at %v: %v, exactly %v", p, v, want)
		}
		n := got["normal"].at(p[0], p[1])
		l := math.Hypot(1, slope)
		if math.Abs(float64(n[0])+slope/l) > 1e-4 || math.Abs(float64(n[1])) > 1e-4 || math.Abs(float64(n[2])-1/l) > 1e-4 {
			t.Errorf("normal at %v: %v, exactly (%v, 0, %v)", p, n, -slope/l, 1/l)
		}
		if got["misses"].at(p[0], p[1])[0] != 0 {
			t.Errorf("a miss at %v", p)
		}
		if y := float64(got["position"].at(p[0], p[1])[1]); math.Abs(y-want) > 1e-4 {
			t.Errorf("position at %v: y %v, want %v", p, y, want)
		}
	}
	if len(b.Notes) != 0 {
		t.Errorf("notes: %v", b.Notes)
	}
	set.Front, set.Back = 0.001, 0.001
	got, _ = run(t, low.m, high.m, set, "height", "misses")
	if got["misses"].at(0.9, 0.5)[0] != 1 || got["height"].at(0.9, 0.5)[0] != 0 {
		t.Error("a cage too narrow shows no misses")
	}
	set.Cage = map[string][2]float64{"Lid": {0.2, 0.2}}
	got, _ = run(t, low.m, high.m, set, "misses")
	if got["misses"].at(0.9, 0.5)[0] != 0 {
		t.Error("the part's own cage is not used")
	}
}

// Two parts close together: with match by name a part sees only its counterpart,
// without it the neighbour's.
func TestPartsAreMatchedByName(t *testing.T) {
	floor := func(y float32) func(u, v float64) (geom.Vec3, geom.Vec3) {
		return flat(geom.V3(0, y, 1), geom.V3(1, 0, 0), geom.V3(0, 0, -1))
	}
	for _, c := range []struct {
		match, lowName, otherName, highName, highOther string
		want                                           float64
	}{
		{"exact", "Lid", "Cap", "lid", "CAP", 0.01},
		{"suffix", "Lid_low", "Cap_low", "Lid_high_2", "Cap_high", 0.01},
		{"all", "Lid", "Cap", "Lid", "Cap", 0.03},
	} {
		low := newShape(c.lowName, c.otherName)
		low.grid(0, 1, 0, 0.5, floor(0))
		low.grid(1, 1, 0.5, 1, floor(0.03))
		high := newShape(c.highName, c.highOther)
		high.grid(0, 1, 0, 1, floor(0.01))
		high.grid(1, 1, 0, 1, floor(0.03))
		set := quick()
		set.Match, set.Front, set.Back = c.match, 0.1, 0.1
		got, b := run(t, low.done(t), high.done(t), set, "height", "ao")
		if v := float64(got["height"].at(0.25, 0.25)[0]); math.Abs(v-c.want) > 1e-5 {
			t.Errorf("%s: height %v, want %v (notes %v)", c.match, v, c.want, b.Notes)
		}
		if m := Matches(low.m, high.m, set); c.match != "all" && (len(m[c.lowName]) != 1 || m[c.lowName][0] != c.highName) {
			t.Errorf("%s: matches %v", c.match, m)
		}
		set.Self = "part"
		got, _ = run(t, low.m, high.m, set, "ao")
		if v := got["ao"].at(0.25, 0.25)[0]; c.match != "all" && v != 1 {
			t.Errorf("%s: the neighbour occludes (%v) though each part sees only itself", c.match, v)
		}
	}
}

func TestUnmatchedPartsAreNamed(t *testing.T) {
	low := newShape("Lid", "Loop")
	low.grid(0, 1, 0, 0.5, flat(geom.V3(0, 0, 1), geom.V3(1, 0, 0), geom.V3(0, 0, -1)))
	low.grid(1, 1, 0.5, 1, flat(geom.V3(3, 0, 1), geom.V3(1, 0, 0), geom.V3(0, 0, -1)))
	high := newShape("Lid", "Chain")
	high.grid(0, 1, 0, 1, flat(geom.V3(0, 0, 1), geom.V3(1, 0, 0), geom.V3(0, 0, -1)))
	high.grid(1, 1, 0, 1, flat(geom.V3(0, 5, 1), geom.V3(1, 0, 0), geom.V3(0, 0, -1)))
	set := quick()
	set.Match = "exact"
	got, b := run(t, low.done(t), high.done(t), set, "ao", "thickness", "curvature", "misses")
	text := strings.Join(b.Notes, "\n")
	if !strings.Contains(text, `"Loop"`) || !strings.Contains(text, `"Chain"`) {
		t.Errorf("notes: %s", text)
	}
	if got["misses"].at(0.75, 0.75)[0] != 0 {
		t.Error("a part without counterpart counts as missed")
	}
}

// A bake that goes on from kept pieces gives the same as one in a row, and other
// processors' number does not matter.
func TestKeptPiecesGiveTheSame(t *testing.T) {
	s := newShape("p")
	s.grid(0, 12, 0, 1, ball(geom.Vec3{}, 1, false))
	m := s.done(t)
	set := quick()
	set.Size = 256
	set.Samples = 8
	ctx := context.Background()
	b, err := New(ctx, m, nil, set, []string{"ao", "bent", "id"})
	if err != nil {
		t.Fatal(err)
	}
	pieces := b.Pieces()
	if len(pieces) != 2 {
		t.Fatalf("%d pieces, want 2 rows of tiles", len(pieces))
	}
	one, err := b.Bake(ctx, pieces[1])
	if err != nil {
		t.Fatal(err)
	}
	data, err := one.Bytes()
	if err != nil {
		t.Fatal(err)
	}
	kept, err := b.ParseStrip(data)
	if err != nil {
		t.Fatal(err)
	}
	again, _ := b.Bake(ctx, pieces[1])
	for i := range kept.Maps {
		if !slices.Equal(kept.Maps[i], again.Maps[i]) || !slices.Equal(kept.Covered, again.Covered) {
			t.Fatalf("map %s differs", b.Maps[i].Name)
		}
	}
	other, _ := New(ctx, m, nil, quick(), []string{"ao"})
	if _, err := other.ParseStrip(data); err == nil {
		t.Error("a piece of another bake was taken")
	}
	if _, err := b.ParseStrip(data[:len(data)/2]); err == nil {
		t.Error("half a piece was taken")
	}
	stopped, cancel := context.WithCancel(ctx)
	cancel()
	if _, err := b.Bake(stopped, pieces[0]); err == nil {
		t.Error("a cancelled bake went on")
	}
}

func TestIslandsAreCarriedOutward(t *testing.T) {
	for _, n := range []int{0, 4, -1} {
		img := &Image{Size: 16, Components: 2, Data: make([]float32, 512), Covered: make([]bool, 256)}
		for i := range img.Covered {
			if x, y := i%16, i/16; x >= 6 && x < 10 && y >= 6 && y < 10 {
				img.Covered[i] = true
				img.Data[2*i], img.Data[2*i+1] = float32(x), float32(y)
			}
		}
		img.dilate(n)
		for i := range img.Covered {
			x, y := i%16, i/16
			wx, wy := min(max(x, 6), 9), min(max(y, 6), 9)
			d := (x-wx)*(x-wx) + (y-wy)*(y-wy)
			want := [2]float32{float32(wx), float32(wy)}
			if n >= 0 && d > n*n {
				want = [2]float32{}
			}
			if got := [2]float32{img.Data[2*i], img.Data[2*i+1]}; got != want {
				t.Fatalf("dilate %d: texel (%d, %d) is %v, want %v", n, x, y, got, want)
			}
		}
	}
}

func TestSettingsAreChecked(t *testing.T) {
	s := newShape("p")
	s.grid(0, 1, 0, 1, flat(geom.V3(0, 0, 1), geom.V3(1, 0, 0), geom.V3(0, 0, -1)))
	m := s.done(t)
	for want, change := range map[string]func(*Settings){
		"power of two": func(s *Settings) { s.Size = 1000 },
		"samples":      func(s *Settings) { s.Samples = 0 },
		"match":        func(s *Settings) { s.Match = "sometimes" },
		"cage names":   func(s *Settings) { s.Cage = map[string][2]float64{"Nobody": {1, 1}} },
		"distance":     func(s *Settings) { s.Front = math.NaN() },
		"smooth":       func(s *Settings) { s.Smooth = 3 },
	} {
		set := quick()
		change(&set)
		if _, err := New(context.Background(), m, nil, set, []string{"ao"}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("want an error about %q, got %v", want, err)
		}
	}
	if _, err := New(context.Background(), m, nil, quick(), []string{"shine"}); err == nil || !strings.Contains(err.Error(), "curvature") {
		t.Errorf("an unknown map: %v", err)
	}
}

// ExampleMatches shows the rule of suffixes.
func ExampleMatches() {
	low := &mesh.Model{Parts: []mesh.Part{{Name: "Drum_low"}, {Name: "Bail_low"}}}
	high := &mesh.Model{Parts: []mesh.Part{{Name: "Drum_high"}, {Name: "Drum_high_rivets"}, {Name: "Bail_high"}}}
	s := Default()
	s.Match = "suffix"
	m := Matches(low, high, s)
	fmt.Println(m["Drum_low"], m["Bail_low"])
	// Output: [Drum_high Drum_high_rivets] [Bail_high]
}
