package brush

import (
	"context"
	"fmt"
	"math"
	"reflect"
	"strings"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
)

// dabbed is a straight stroke of one metre along x with a kit.
func dabbed(k Kit, points int) *Stroke {
	s := &Stroke{ID: "dabs", Radius: 0.1, Strength: 1, Hardness: 0.5, Kit: &k}
	for i := range points {
		s.Points = append(s.Points, Point{Pos: geom.V3(float32(i)/float32(max(points-1, 1)), 0, 0), Nrm: up, Pressure: 1})
	}
	return s
}

func (s *Stroke) all() (out []dab) {
	s.walk(0, s.Segments(), func(d dab) { out = append(out, d) })
	return
}

// ground is a level square of n × n texels around the origin, side metres wide.
func ground(n int, side float32) *raster.Frame {
	f := &raster.Frame{W: n, H: n, Pos: make([]geom.Vec3, n*n), Nrm: make([]geom.Vec3, n*n), Tri: make([]int32, n*n), Inside: make([]bool, n*n), Footprint: side / float32(n)}
	for i := range f.Pos {
		f.Pos[i] = geom.V3((float32(i%n)+0.5)/float32(n)*side-side/2, 0, (float32(i/n)+0.5)/float32(n)*side-side/2)
		f.Nrm[i], f.Inside[i] = up, true
	}
	f.Seal()
	return f
}

func (s *Stroke) on(f *raster.Frame) *Coverage {
	c := s.NewCoverage(len(f.Pos))
	_ = s.Draw(context.Background(), f, c, 0, s.Segments())
	s.Held(f, c)
	return c
}

func TestDabsLieAtEvenLengthsHoweverManyEventsCame(t *testing.T) {
	few, many := dabbed(Kit{Spacing: 0.2499, Flow: 1}, 2).all(), dabbed(Kit{Spacing: 0.2499, Flow: 1}, 173).all()
	if len(few) != 21 || len(many) != len(few) { // every 0.05 m of one metre, both ends
		t.Fatalf("%d and %d dabs, want 21", len(few), len(many))
	}
	for i := range few {
		if d := few[i].pos.Sub(geom.V3(0.04998*float32(i), 0, 0)).Length(); d > 1e-4 {
			t.Errorf("dab %d lies %v m from its place", i, d)
		}
		if d := few[i].pos.Sub(many[i].pos).Length(); d > 1e-4 || few[i].variant != many[i].variant {
			t.Errorf("dab %d lies %v m elsewhere when more events come", i, d)
		}
	}
}

func TestAPenThatIsOnlySetDownLeavesOneDab(t *testing.T) {
	here := Point{Pos: geom.V3(0.2, 0, 0.1), Nrm: up, Pressure: 1}
	for n := 1; n < 4; n++ {
		s := dabbed(Kit{Spacing: 0.25, Flow: 1}, 1)
		s.Points = nil
		for range n {
			s.Points = append(s.Points, here)
		}
		if d := s.all(); len(d) != 1 || d[0].pos != here.Pos {
			t.Errorf("%d samples at one place leave %d dabs", n, len(d))
		}
		s.Points = append(s.Points, Point{Pos: geom.V3(0.2, 0, 0.21), Nrm: up, Pressure: 1})
		if d := s.all(); len(d) != 3 { // at 0, 5 and 10 cm
			t.Errorf("%d samples and 11 cm leave %d dabs, want 3", n, len(d))
		}
		s.Kit.Build = true
		if d := s.all(); len(d) != 2+max(n-1, 1) { // one for each time that it rested
			t.Errorf("building up, %d samples at rest leave %d dabs", n, len(d))
		}
	}
}

// n dabs of weight f on one place leave 1 − (1 − f)ⁿ, never more than the stroke's strength.
func TestFlowBuildsUp(t *testing.T) {
	s := dabbed(Kit{Spacing: 0.05, Flow: 0.1, Falloff: even(1, 1)}, 2)
	n := 0
	for _, d := range s.all() {
		if mag(d.pos.X-0.5) < 0.1 {
			n++
		}
	}
	want := 1 - math.Pow(0.9, float64(n))
	if got := float64(at(s, 0.5, 0, up)); n < 15 || math.Abs(got-want) > 1e-4 {
		t.Errorf("%d dabs leave %v, want %v", n, got, want)
	}
	s.Kit.Flow = 1
	if at(s, 0.5, 0, up) != 1 {
		t.Error("full flow does not cover")
	}
}

func TestAFalloffOfOnesOwn(t *testing.T) {
	s := dabbed(Kit{Spacing: 1, Flow: 1, Falloff: even(1, 0.2, 0.8, 0)}, 1)
	s.Points[0].Pos = geom.V3(0, 0, 0)
	for _, c := range []struct{ d, want float32 }{{0, 1}, {0.1 / 3, 0.2}, {0.2 / 3, 0.8}, {0.05, 0.5}, {0.0999, 0.0024}} {
		if got := at(s, 0, c.d, up); mag(got-c.want) > 2e-3 {
			t.Errorf("at %v m: %v, want %v", c.d, got, c.want)
		}
	}
}

func TestRoundnessAngleAndTheWayOfTheStroke(t *testing.T) {
	flat := Kit{Spacing: 5, Flow: 1, Round: 0.2}
	s := dabbed(flat, 1)
	if at(s, 0.09, 0, up) == 0 || at(s, 0, 0.04, up) != 0 || at(s, 0, 0.015, up) == 0 {
		t.Error("a dab of roundness 0.2 is not five times as wide as high")
	}
	s.Kit.Angle = 90
	if at(s, 0.04, 0, up) != 0 || at(s, 0, 0.09, up) == 0 {
		t.Error("a quarter turn does not turn it")
	}
	along := dabbed(Kit{Spacing: 5, Flow: 1, Round: 0.2, Along: true}, 2)
	along.Points[1].Pos = geom.V3(0, 0, 1) // along z
	if at(along, 0, 0.09, up) == 0 || at(along, 0.04, 0, up) != 0 {
		t.Error("a dab does not turn with the stroke")
	}
}

func TestThePenDrivesWhatItIsToldTo(t *testing.T) {
	s := dabbed(Kit{Spacing: 0.5, Flow: 1, Pen: []Drive{{By: "pressure", What: "size", From: 0.5, To: 1, Bend: 2}, {By: "tilt", What: "flow", From: 1, To: 0}}}, 1)
	s.Points[0].Pressure, s.Tilt = 0.5, []float32{0.25}
	d := s.all()[0]
	if mag(d.r-0.1*0.625) > 1e-6 || mag(d.weight-0.75) > 1e-6 { // 0.5 + 0.5·0.5²; 1 − 0.25
		t.Errorf("radius %v and weight %v, want 0.0625 and 0.75", d.r, d.weight)
	}
}

func TestJitterStaysInItsBoundsAndIsTheSameEachTime(t *testing.T) {
	k := Kit{Spacing: 0.05, Flow: 0.8, SizeJitter: 0.5, StrengthJitter: 0.25, HueJitter: 0.2, LightJitter: 0.3, Scatter: 2, AngleJitter: 1}
	a, b := dabbed(k, 40).all(), dabbed(k, 40).all()
	if !reflect.DeepEqual(a, b) {
		t.Fatal("a stroke drawn twice differs")
	}
	var lo, hi, far float32 = 9, 0, 0
	for _, d := range a {
		lo, hi = min(lo, d.r), max(hi, d.r)
		off := d.pos
		off.X = 0
		far = max(far, off.Length())
		if d.r > 0.1 || d.r < 0.05 || d.weight > 0.8 || d.weight < 0.6 || mag(d.hue) > 0.1 || mag(d.light) > 0.3 {
			t.Fatalf("a dab is out of bounds: %+v", d)
		}
	}
	if hi-lo < 0.03 || far > 0.2 || far < 0.1 {
		t.Errorf("radii %v to %v, scattered up to %v m: not as jitter should", lo, hi, far)
	}
	other := dabbed(k, 40)
	other.ID = "another"
	if reflect.DeepEqual(a, other.all()) {
		t.Error("two strokes have the same chance")
	}
}

// A stroke drawn while it grows is the stroke drawn at once, bit for bit, for every
// brush of the shelf; what it covers it says it touches.
func TestGrowingStrokesOfEveryBrush(t *testing.T) {
	f := ground(96, 0.4)
	names := map[string]bool{}
	for _, m := range Shelf() {
		if names[m.Name] || m.Help == "" || m.Group == "" {
			t.Errorf("brush %q is there twice or says nothing", m.Name)
		}
		names[m.Name] = true
		s := &Stroke{ID: "g-" + m.Name, Radius: 0.03, Strength: m.Strength, Hardness: m.Hardness, Kit: m.Kit, Does: m.Does, Values: m.Values}
		for i := range 24 {
			x := float64(i) / 23
			s.Points = append(s.Points, Point{geom.V3(float32(x)*0.3-0.15, 0, float32(0.05*math.Sin(5*x))), up, float32(0.4 + 0.6*x)})
		}
		if err := s.Check(); err != nil {
			t.Errorf("%s: %v", m.Name, err)
			continue
		}
		once := s.NewCoverage(len(f.Pos))
		_ = s.Draw(t.Context(), f, once, 0, s.Segments())
		grown := s.NewCoverage(len(f.Pos))
		for n := 3; n <= len(s.Points); n++ {
			part := *s
			part.Points = s.Points[:n]
			_ = part.Draw(t.Context(), f, grown, max(n-2, 0)*min(n-3, 1), n-1)
		}
		if !reflect.DeepEqual(once, grown) {
			t.Errorf("%s: what grew differs", m.Name)
		}
		var most, sum float32
		box := s.Bounds(0, s.Segments())
		for i, v := range once.Cover {
			most, sum = max(most, v), sum+v
			p := f.Pos[i]
			if v > 0 && (p.X < box.Min.X || p.X > box.Max.X || p.Z < box.Min.Z || p.Z > box.Max.Z) {
				t.Fatalf("%s: covers %v outside of its bounds", m.Name, p)
			}
		}
		if share := sum / float32(len(f.Pos)); most < 0.15 || share < 0.0008 || share > 0.8 {
			t.Errorf("%s: covers up to %.2f, %.3f of the ground", m.Name, most, share)
		}
	}
	if len(names) < 30 {
		t.Errorf("%d brushes", len(names))
	}
}

// Tips keep within their square and do not show its border; variants differ.
func TestTips(t *testing.T) {
	names, help := Tips()
	for k, name := range names {
		if help[k] == "" {
			t.Errorf("tip %q says nothing", name)
		}
		if name == "" {
			continue
		}
		n := 128
		var first []float32
		for v := range min(tips[name].variants, 3) {
			b, got := bitmap(name, v, float32(n))
			if got != n {
				t.Fatalf("%s: drawn at %d", name, got)
			}
			var sum, rim float32
			for i, g := range b {
				if !(g >= 0 && g <= 1) {
					t.Fatalf("%s: a grey of %v", name, g)
				}
				sum += g
				if x, y := i%n, i/n; x == 0 || y == 0 || x == n-1 || y == n-1 {
					rim = max(rim, g)
				}
			}
			if mean := sum / float32(n*n); mean < 0.004 || mean > 0.85 || rim > 0.3 {
				t.Errorf("%s: mean %.3f, %.2f at the border of its square", name, mean, rim)
			}
			if v == 0 {
				first = b
			} else if reflect.DeepEqual(first, b) {
				t.Errorf("%s: variants are the same", name)
			}
		}
	}
}

// The same stroke at two sizes: the large one made small agrees with the small one.
func TestStrokesAgreeBetweenSizes(t *testing.T) {
	small, large := ground(64, 0.4), ground(512, 0.4)
	for _, m := range Shelf() {
		s := &Stroke{ID: "size", Radius: 0.05, Strength: 1, Hardness: m.Hardness, Kit: m.Kit}
		for i := range 12 {
			s.Points = append(s.Points, Point{geom.V3(float32(i)*0.025-0.14, 0, float32(i%3)*0.01), up, 0.9})
		}
		if s.Kit != nil { // the grain is of the surface, finer than these texels
			k := *s.Kit
			k.Grain = nil
			s.Kit = &k
		}
		a, b := s.on(small).Cover, s.on(large).Cover
		var diff, sum float64
		for i := range a {
			x, y := i%64, i/64
			var mean float32
			for j := range 64 {
				mean += b[(y*8+j/8)*512+x*8+j%8] / 64
			}
			diff += math.Abs(float64(a[i] - mean))
			sum += float64(mean)
		}
		if n := float64(len(a)); diff/n > 0.025 || sum/n < 0.002 {
			t.Errorf("%s: %.4f a texel apart, mean %.3f", m.Name, diff/n, sum/n)
		}
	}
}

func TestSymmetry(t *testing.T) {
	s := dabbed(Kit{Spacing: 0.2, Flow: 1, Tip: "leaf", Along: true}, 1)
	s.Points[0].Pos = geom.V3(0.3, 0, 0.2)
	s.Mirror = &Mirror{Planes: []geom.Vec3{geom.V3(1, 0, 0), geom.V3(0, 0, 2)}}
	f := ground(128, 1.2)
	c := s.on(f).Cover
	n := 128
	var there float32
	for i, v := range c {
		x, y := i%n, i/n
		there += v
		if mag(v-c[y*n+n-1-x]) > 1e-4 || mag(v-c[(n-1-y)*n+x]) > 1e-4 {
			t.Fatalf("texel %d, %d is %v, its twins %v and %v", x, y, v, c[y*n+n-1-x], c[(n-1-y)*n+x])
		}
	}
	if there < 50 {
		t.Fatalf("only %v texels are covered", there)
	}

	// six times around: each dab 60° on, at the same distance
	s.Mirror = &Mirror{Axis: up, Radial: 6, At: geom.V3(0, 0, 0)}
	for k := range 6 {
		sin, cos := math.Sincos(math.Pi / 3 * float64(k))
		p := geom.V3(0.3*float32(cos)+0.2*float32(sin), 0, 0.2*float32(cos)-0.3*float32(sin))
		if got := at(s, p.X, p.Z, up); got < 0.3 {
			t.Errorf("the %dth of six is %v", k, got)
		}
	}
	// near the plane it fades
	one := stroke(Point{Pos: geom.V3(0.0, 0, 0), Nrm: up, Pressure: 1})
	one.Mirror = &Mirror{Planes: []geom.Vec3{geom.V3(1, 0, 0)}, Fade: 0.1}
	if at(one, 0, 0, up) != 0 {
		t.Error("no fade at the plane")
	}
	one.Points[0].Pos.X = 0.1
	if at(one, 0.1, 0, up) != 1 || at(one, -0.1, 0, up) != 1 {
		t.Error("faded beyond its width")
	}
}

func TestFacingLimits(t *testing.T) {
	s := dabbed(Kit{Spacing: 1, Flow: 1, Facing: 40, Fade: 10}, 1)
	turned := func(deg float64) float32 {
		sin, cos := math.Sincos(deg * math.Pi / 180)
		return at(s, 0, 0, geom.V3(float32(sin), float32(cos), 0))
	}
	if turned(29) != 1 || turned(41) != 0 || turned(35) < 0.3 || turned(35) > 0.7 {
		t.Errorf("29°: %v, 35°: %v, 41°: %v", turned(29), turned(35), turned(41))
	}
}

func TestGrainHoldsLessWhereLessWasLaid(t *testing.T) {
	f := ground(256, 0.1)
	for _, kind := range Grains {
		mean := func(strength float32) (m, bare float64) {
			s := dabbed(Kit{Spacing: 1, Flow: strength, Falloff: even(1, 1), Grain: &Grain{kind, 0.006, 1, ""}}, 1)
			for _, v := range s.on(f).Cover {
				m += float64(v) / float64(len(f.Pos))
				if v < 0.02 {
					bare += 1 / float64(len(f.Pos))
				}
			}
			return
		}
		little, open := mean(0.35)
		much, closed := mean(1)
		if little > 0.3 || much < 0.55 || open < closed+0.2 {
			t.Errorf("%s: %.2f laid with little paint, %.2f with much; bare %.2f and %.2f", kind, little, much, open, closed)
		}
	}
}

func TestKitsThatCannotBeAreRefused(t *testing.T) {
	for want, change := range map[string]func(*Stroke){
		"spacing":        func(s *Stroke) { s.Kit.Spacing = 0.001 },
		"no tip":         func(s *Stroke) { s.Kit.Tip = "anchor" },
		"falloff":        func(s *Stroke) { s.Kit.Falloff = even(1, float32(math.NaN())) },
		"grain":          func(s *Stroke) { s.Kit.Grain = &Grain{"gravel", 1, 1, ""} },
		"cannot drive":   func(s *Stroke) { s.Kit.Pen = []Drive{{By: "thumb", What: "size"}} },
		"blend mode":     func(s *Stroke) { s.Blend = "dissolve" },
		"cannot \"mix\"": func(s *Stroke) { s.Does = "mix" },
		"65 times":       func(s *Stroke) { s.Mirror = &Mirror{Axis: up, Radial: 65} },
		"no axis":        func(s *Stroke) { s.Mirror = &Mirror{Radial: 3} },
		"128 times":      func(s *Stroke) { s.Mirror = &Mirror{Axis: up, Radial: 64, Planes: []geom.Vec3{up}} },
		"tilt":           func(s *Stroke) { s.Tilt = []float32{2} },
	} {
		s := dabbed(Kit{Spacing: 0.1, Flow: 1}, 2)
		if err := s.Check(); err != nil {
			t.Fatal(err)
		}
		change(s)
		err := s.Check()
		if want == "65 times" {
			want = "64 times around"
		}
		if err == nil || !strings.Contains(fmt.Sprint(err), want) {
			t.Errorf("error %v does not say %q", err, want)
		}
	}
}

func TestAreasBoundStrokesAndFills(t *testing.T) {
	f := ground(64, 1)
	corner := func(tri int) [3]geom.Vec3 { return [3]geom.Vec3{f.Pos[tri], f.Pos[tri], f.Pos[tri]} }
	for i := range f.Tri { // each texel a triangle of its own
		f.Tri[i] = int32(i)
	}
	left := AreaOf(len(f.Tri), func(i int) bool { return i%64 < 20 || i == 5000 }, corner)
	for i := range f.Tri {
		if left.Has(int32(i)) != (i%64 < 20) {
			t.Fatalf("triangle %d: in the area %v", i, left.Has(int32(i)))
		}
	}
	for _, k := range []*Kit{nil, {Spacing: 0.1, Flow: 1}} {
		s := stroke(Point{Pos: geom.V3(-0.4, 0, 0), Nrm: up, Pressure: 1}, Point{Pos: geom.V3(0.4, 0, 0), Nrm: up, Pressure: 1})
		s.Kit, s.Within = k, left
		in, out := 0, 0
		for i, v := range s.on(f).Cover {
			if v > 0 && i%64 < 20 {
				in++
			} else if v > 0 {
				out++
			}
		}
		if in < 100 || out > 0 {
			t.Errorf("%d texels inside of the area, %d outside", in, out)
		}
	}
	s := stroke(Point{Nrm: up})
	s.Within, s.Fill = left, &Fill{}
	if err := s.Check(); err != nil {
		t.Fatal(err)
	}
	for i, v := range s.on(f).Cover {
		if (v == 1) != (i%64 < 20) {
			t.Fatalf("texel %d is filled with %v", i, v)
		}
	}
	s.Fill = &Fill{Ramp: true, From: geom.V3(0, 0, -0.25), To: geom.V3(0, 0, 0.25)}
	c := s.on(f).Cover
	for _, q := range []struct {
		row  int
		want float32
	}{{2, 1}, {15, 1}, {32, 0.484375}, {24, 0.734375}, {48, 0}, {60, 0}} {
		if got := c[q.row*64+3]; mag(got-q.want) > 1e-3 {
			t.Errorf("row %d of the ramp: %v, want %v", q.row, got, q.want)
		}
	}
	if !s.Touches(f.Blocks, 0, 0, 1) || s.Bounds(0, 1) != left.Box {
		t.Error("a fill does not touch what it fills")
	}
	s.Within = &Area{Faces: []int32{5, 2, 3, 1}}
	if err := s.Check(); err == nil || !strings.Contains(err.Error(), "run 2") {
		t.Errorf("runs out of order: %v", err)
	}
}

func TestAPictureAsTip(t *testing.T) {
	f := ground(64, 0.4)
	s := dabbed(Kit{Spacing: 1, Flow: 1, Picture: "arrow"}, 1)
	s.Points[0].Pos, s.Up = geom.V3(0, 0, 0), geom.V3(0, 0, -1)
	c := s.NewCoverage(len(f.Pos))
	_ = s.Draw(t.Context(), f, c, 0, 1)
	for _, v := range c.Cover {
		if v != 0 {
			t.Fatal("without its picture it lays something")
		}
	}
	var widest float32
	c.Tip = func(u, v, footprint float32) float32 { // a quarter, upper right
		widest = max(widest, footprint)
		if u > 0.5 && v < 0.5 {
			return 0.75
		}
		return 0
	}
	_ = s.Draw(t.Context(), f, c, 0, 1)
	for i, v := range c.Cover {
		p := f.Pos[i]
		inside := p.X > 0 && p.X < 0.1 && p.Z < 0 && p.Z > -0.1
		if (v > 0) != inside || inside && mag(v-0.75) > 1e-5 {
			t.Fatalf("at %v: %v", p, v)
		}
	}
	if mag(widest-0.4/64/0.2) > 1e-6 {
		t.Errorf("the footprint of a texel is told as %v", widest)
	}
	if d := c.Clone(); d.Tip == nil {
		t.Error("a copy has no tip")
	}
}

// Pressure and tilt drive all that a dab has, each through its own curve.
func TestThePenDrivesEverySetting(t *testing.T) {
	at := func(what string, from, to float32, pressure float32) (dab, []dab) {
		s := dabbed(Kit{Spacing: 0.25, Flow: 0.5, Round: 1, Scatter: 0, Pen: []Drive{{By: "pressure", What: what, From: from, To: to}}}, 2)
		for i := range s.Points {
			s.Points[i].Pressure = pressure
		}
		list := s.all()
		return list[0], list
	}
	for _, c := range []struct {
		what string
		of   func(dab) float32
		want func(factor float32) float32
	}{
		{"size", func(d dab) float32 { return d.r }, func(k float32) float32 { return 0.1 * k }},
		{"strength", func(d dab) float32 { return d.weight }, func(k float32) float32 { return 0.5 * min(k, 1) }},
		{"flow", func(d dab) float32 { return d.weight }, func(k float32) float32 { return min(0.5*k, 1) }},
		{"hardness", func(d dab) float32 { return d.hard }, func(k float32) float32 { return min(0.5*k, 1) }},
		{"hue", func(d dab) float32 { return d.hue }, func(k float32) float32 { return k }},
		{"value", func(d dab) float32 { return d.light }, func(k float32) float32 { return min(max(k-1, -1), 1) }},
	} {
		for _, p := range []float32{0, 0.25, 1} {
			d, _ := at(c.what, 0.5, 1.5, p)
			if got, want := c.of(d), c.want(0.5+p); math.Abs(float64(got-want)) > 1e-5 {
				t.Errorf("%s at pressure %v is %v, %v is wanted", c.what, p, got, want)
			}
		}
	}
	_, close := at("spacing", 1, 3, 0)
	_, wide := at("spacing", 1, 3, 1)
	if n, m := len(close), len(wide); n < 20 || m < n/3 || m > n/3+1 {
		t.Errorf("at three times the spacing there are %d dabs, %d at one", m, n)
	}
	turned, _ := at("angle", 0, 0.5, 0.5) // a quarter turn
	plain, _ := at("angle", 0, 0.5, 0)
	if c := turned.x.Unit().Dot(plain.x.Unit()); math.Abs(float64(c)) > 1e-5 {
		t.Errorf("a quarter turn leaves a cosine of %v", c)
	}
	// hardness shows: more of the dab is full
	full := func(pressure float32) (n int) {
		s := dabbed(Kit{Spacing: 0.25, Flow: 1, Pen: []Drive{{By: "pressure", What: "hardness", From: 0, To: 1.8}}}, 1)
		s.Points[0].Pressure = pressure
		for _, c := range s.on(ground(64, 0.3)).Cover {
			if c > 0.99 {
				n++
			}
		}
		return
	}
	// full within the share of the radius that the hardness is
	area := func(share float64) float64 { return math.Pi * share * share * 0.1 * 0.1 / (0.3 / 64 * 0.3 / 64) }
	if soft, hard := full(0), full(1); soft > 40 || math.Abs(float64(hard)-area(0.9)) > 0.1*area(0.9) {
		t.Errorf("of a soft dab %d texels are full, of a hard one %d of %.0f", soft, hard, area(0.9))
	}
	for _, what := range Driven {
		s := dabbed(Kit{Spacing: 0.25, Flow: 1, Pen: []Drive{{By: "tilt", What: what, From: 0.5, To: 1}}}, 3)
		s.Tilt = []float32{0, 0.5, 1}
		if err := s.Check(); err != nil {
			t.Errorf("tilt cannot drive %s: %v", what, err)
		}
	}
	tinted := dabbed(Kit{Spacing: 0.25, Flow: 1, Pen: []Drive{{By: "tilt", What: "hue", From: 0, To: 0.25}}}, 2)
	if tinted.NewCoverage(4).Hue == nil {
		t.Error("a driven hue has no plane of its own")
	}
}

// What the pen drives of the jitter scales all that differs by chance: without it every dab
// is alike, in full each differs as much as is set, and never more than wholly.
func TestAPenDrivesHowMuchDabsDiffer(t *testing.T) {
	spread := func(pressure, to float32) (size, weight, turn float32) {
		s := dabbed(Kit{Spacing: 0.05, Flow: 1, SizeJitter: 0.4, StrengthJitter: 0.3, AngleJitter: 0.5, Pen: []Drive{{By: "pressure", What: "jitter", From: 0, To: to}}}, 2)
		for i := range s.Points {
			s.Points[i].Pressure = pressure
		}
		if err := s.Check(); err != nil {
			t.Fatal(err)
		}
		list := s.all()
		low, high, least, most, bent := float32(9), float32(0), float32(9), float32(0), float32(0)
		for _, d := range list {
			low, high = min(low, d.r), max(high, d.r)
			least, most = min(least, d.weight), max(most, d.weight)
			bent = max(bent, 1-d.x.Unit().Dot(geom.V3(1, 0, 0)))
		}
		return high - low, most - least, bent
	}
	if size, weight, turn := spread(0, 1); size != 0 || weight != 0 || turn > 1e-6 {
		t.Errorf("without pressure dabs differ by %v, %v and %v", size, weight, turn)
	}
	size, weight, turn := spread(1, 1)
	if mag(size-0.04) > 0.006 || mag(weight-0.3) > 0.05 || turn < 0.8 {
		t.Errorf("in full they differ by %v of 0.04 m, %v of 0.3 and up to a cosine of %v", size, weight, 1-turn)
	}
	if half, _, _ := spread(0.5, 1); mag(half-size/2) > 0.004 {
		t.Errorf("half pressed they differ by %v, in full by %v", half, size)
	}
	if over, _, _ := spread(1, 8); over > 0.1 {
		t.Errorf("driven beyond all of it they differ by %v of 0.1 m", over)
	}
}
