package render

import (
	"context"
	"math"
	"math/rand/v2"
	"runtime"
	"testing"

	"velvetgrime/core/blend"
	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/light"
	"velvetgrime/core/mesh"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
)

// shape is a model of parts, each on a sheet of its own that is the same all over.
type shape struct {
	mesh.Model
	skins []skin
}

func (s *shape) part(name string, t texel) {
	s.Parts = append(s.Parts, mesh.Part{Name: name})
	s.Sheets = append(s.Sheets, mesh.Sheet{Name: name, HasUV: true})
	s.skins = append(s.skins, evenSkin(t))
}

func (s *shape) vertex(p, n geom.Vec3, u, v float32) uint32 {
	s.Pos, s.Nrm, s.UV = append(s.Pos, p), append(s.Nrm, n), append(s.UV, geom.Vec2{X: u, Y: v})
	return uint32(len(s.Pos) - 1)
}

func (s *shape) face(a, b, c uint32) {
	i := uint16(len(s.Parts) - 1)
	s.Tri, s.TriPart, s.TriSheet = append(s.Tri, [3]uint32{a, b, c}), append(s.TriPart, i), append(s.TriSheet, i)
}

// quad is a rectangle around at, with half sides a and b; it faces a × b.
func (s *shape) quad(at, a, b geom.Vec3) {
	n := a.Cross(b).Unit()
	v := func(x, y float32) uint32 { return s.vertex(at.Add(a.Mul(x)).Add(b.Mul(y)), n, (x+1)/2, (1-y)/2) }
	p, q, r, t := v(-1, -1), v(1, -1), v(1, 1), v(-1, 1)
	s.face(p, q, r)
	s.face(p, r, t)
}

// ball is a sphere of radius 1 around the origin.
func (s *shape) ball(rings int) {
	first := uint32(len(s.Pos))
	for i := range rings + 1 {
		for k := range 2*rings + 1 {
			sp, cp := math.Sincos(math.Pi * float64(i) / float64(rings))
			sa, ca := math.Sincos(math.Pi * float64(k) / float64(rings))
			p := geom.V3(float32(sp*ca), float32(cp), float32(sp*sa))
			s.vertex(p, p, float32(k)/float32(2*rings), float32(i)/float32(rings))
		}
	}
	w := uint32(2*rings + 1)
	for i := range uint32(rings) {
		for k := range uint32(2 * rings) {
			a := first + i*w + k
			if i > 0 {
				s.face(a, a+1, a+w+1)
			}
			if i < uint32(rings)-1 {
				s.face(a, a+w+1, a+w)
			}
		}
	}
}

func (s *shape) traced(t *testing.T, still Still, sky *light.Panorama) *Traced {
	t.Helper()
	if err := s.Finish(); err != nil {
		t.Fatal(err)
	}
	if still.Exposure == 0 {
		still.Exposure = 1
	}
	tr, err := newTraced(context.Background(), &s.Model, still, sky, s.skins)
	if err != nil {
		t.Fatal(err)
	}
	tr.clamp, tr.gauge = 0, 1
	return tr
}

func trace(t *testing.T, tr *Traced, first, n int) *Film {
	t.Helper()
	f, err := tr.Trace(context.Background(), first, n, nil)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

// matt is a texel that is matt and grey, with no interface over it.
func matt(albedo float64) texel {
	r := uint16(math.Sqrt(albedo)*65535 + 0.5)
	x := texel{color: [3]uint16{r, r, r}, rough: 255, solid: 255}
	x.more = moreUsual
	x.more[moreSpecular] = 0
	return x
}

func even(v float32) *light.Panorama {
	p := light.New(64)
	for i := range p.Data {
		p.Data[i] = v
	}
	return p
}

func fromFront(w int) Still {
	return Still{W: w, H: w, Samples: 1, Eye: [3]float64{0, 0, 5}, Angle: 20, Background: "light", Bounces: 32}
}

// where is the mean light of the pixels around a place of the picture, by shares of it.
func (f *Film) where(x, y float64, reach int) float64 {
	sum, n := 0.0, 0.0
	cx, cy := int(x*float64(f.W)), int(y*float64(f.H))
	for b := cy - reach; b <= cy+reach; b++ {
		for a := cx - reach; a <= cx+reach; a++ {
			sum += float64(f.Sum[3*(b*f.W+a)+1]) / float64(f.Samples)
			n++
		}
	}
	return sum / n
}

func near(t *testing.T, what string, got, want, share float64) {
	t.Helper()
	if !(math.Abs(got-want) <= share*math.Abs(want)) {
		t.Errorf("%s is %.4f, not %.4f within %.1f %%", what, got, want, share*100)
	}
}

// TestWhiteCannotBeSeenInEvenLight is the white furnace through all of the tracer.
func TestWhiteCannotBeSeenInEvenLight(t *testing.T) {
	for _, rough := range []uint8{40, 128, 255} {
		for _, metal := range []uint8{0, 128, 255} {
			var s shape
			x := texel{color: [3]uint16{65535, 65535, 65535}, rough: rough, metal: metal, solid: 255, more: moreUsual}
			s.part("ball", x)
			s.ball(24)
			f := trace(t, s.traced(t, fromFront(40), even(1)), 0, 32)
			near(t, "the middle", f.where(0.5, 0.5, 10), 1, 0.005)
			near(t, "the picture", f.where(0.5, 0.5, 18), 1, 0.005)
		}
	}
}

// TestAPlaneInTheSun holds a matt plane against its exact light: albedo · E cos / π.
func TestAPlaneInTheSun(t *testing.T) {
	sky := light.New(256)
	sun := geom.V3(0.3, 0.5, 0.8).Unit()
	for y := range sky.H {
		for x := range sky.W {
			if light.Dir((float64(x)+0.5)/256, (float64(y)+0.5)/128).Dot(sun) > 0.9985 {
				for k := range 3 {
					sky.Data[(y*256+x)*3+k] = 100
				}
			}
		}
	}
	var s shape
	s.part("plane", matt(0.5))
	s.quad(geom.V3(0, 0, 0), geom.V3(4, 0, 0), geom.V3(0, 4, 0))
	f := trace(t, s.traced(t, fromFront(16), sky), 0, 128)
	want := 0.5 * sky.Irradiance(geom.V3(0, 0, 1))[1] / math.Pi
	near(t, "the plane", f.where(0.5, 0.5, 6), want, 0.01)
	// a ball before it throws a shadow
	s.part("lid", matt(0.5))
	s.quad(sun.Mul(1.5), geom.V3(0.5, 0, 0), geom.V3(0, 0.5, 0))
	f = trace(t, s.traced(t, Still{W: 16, H: 16, Samples: 1, Eye: [3]float64{0, 0, 1}, Angle: 20, Background: "light", Bounces: 1}, sky), 0, 16)
	if v := f.where(0.5, 0.5, 3); v > 0.01*want {
		t.Errorf("in the shadow there is %v", v)
	}
}

// TestABallUnderHalfASky: where a matt ball's normal stands at an angle γ from above, a sky that
// is even above the horizon gives (1 + cos γ)/2 of its light.
func TestABallUnderHalfASky(t *testing.T) {
	sky := light.New(256)
	for i := range sky.Data {
		if i < len(sky.Data)/2 {
			sky.Data[i] = 1
		}
	}
	var s shape
	s.part("ball", matt(0.8))
	s.ball(48)
	still := fromFront(64)
	still.Angle, still.Height = 0, 2.2 // without perspective: the height in the picture is the normal's
	f := trace(t, s.traced(t, still, sky), 0, 100)
	for _, up := range []float64{-0.7, -0.3, 0, 0.4, 0.8} {
		y := 0.5 - up/2.2
		up = (0.5 - (math.Floor(y*64)+0.5)/64) * 2.2 // of the pixel's middle
		near(t, "at a height", f.where(0.5, y, 1), 0.8*(1+up)/2, 0.035)
	}
}

// TestAPlaneUnderALamp holds what a lamp gives a place against the exact form of a rectangle
// parallel to it: E = 2L Σ (a/√(1+a²)·atan(b/√(1+a²)) + …) over its four quarters.
func TestAPlaneUnderALamp(t *testing.T) {
	var s shape
	s.part("plane", matt(0.5))
	s.quad(geom.V3(0, 0, 0), geom.V3(6, 0, 0), geom.V3(0, 6, 0))
	lamp := matt(0)
	lamp.emits = [3]uint16{65535, 65535, 65535}
	s.part("lamp", lamp)
	s.quad(geom.V3(0, 0, 1), geom.V3(-0.6, 0, 0), geom.V3(0, 0.4, 0))
	still := fromFront(16)
	still.Eye, still.At = [3]float64{3, 0, 0.8}, [3]float64{0, 0, 0} // under the lamp's rim
	still.Angle = 2
	still.Glow = 2
	f := trace(t, s.traced(t, still, even(0)), 0, 256)
	a, b := 0.6, 0.4 // at a distance of 1
	q := a/math.Sqrt(1+a*a)*math.Atan(b/math.Sqrt(1+a*a)) + b/math.Sqrt(1+b*b)*math.Atan(a/math.Sqrt(1+b*b))
	e := 2 * 4 * q / 2 // radiance 2, four quarters, each L/2 · q
	near(t, "the plane", f.where(0.5, 0.5, 5), 0.5*e/math.Pi, 0.015)
}

// TestMorePathsLessError: the error falls with the root of the paths, or faster.
func TestMorePathsLessError(t *testing.T) {
	e, _ := light.Find("workshop-lamps")
	sky := e.Panorama().Smaller(128)
	var s shape
	x := matt(0.7)
	x.more[moreSpecular], x.rough = 255, 90
	s.part("ball", x)
	s.ball(24)
	s.part("floor", matt(0.4))
	s.quad(geom.V3(0, -1, 0), geom.V3(0, 0, 4), geom.V3(4, 0, 0))
	tr := s.traced(t, fromFront(16), sky)
	truth := trace(t, tr, 1<<20, 2048)
	off := func(n int) float64 {
		sum := 0.0
		f := trace(t, tr, 0, n)
		for i, v := range f.Sum {
			d := float64(v)/float64(n) - float64(truth.Sum[i])/float64(truth.Samples)
			sum += d * d
		}
		return math.Sqrt(sum / float64(len(f.Sum)))
	}
	few, many := off(4), off(256)
	slope := math.Log(many/few) / math.Log(256.0/4)
	t.Logf("the error goes from %.4f to %.4f: slope %.2f", few, many, slope)
	if slope > -0.45 {
		t.Errorf("the error falls with a slope of %.2f, not −0.5", slope)
	}
	// and is about what the film says of itself: each path of a pixel alone would fall so
	f := trace(t, tr, 0, 256)
	if said := f.Error(); said <= 0 || said > 0.2 {
		t.Errorf("the film says that it is %v off", said)
	}
}

func TestTheSameForAnyNumberOfProcessorsAndWorkers(t *testing.T) {
	e, _ := light.Find("quay-evening")
	var s shape
	s.part("ball", matt(0.7))
	s.ball(12)
	tr := s.traced(t, fromFront(70), e.Panorama().Smaller(64))
	sum := func() *Film {
		f := NewFilm(70, 70)
		for _, part := range [][2]int{{0, 1}, {1, 3}, {4, 4}} {
			packed, err := trace(t, tr, part[0], part[1]).Pack() // as another worker sends it
			if err != nil {
				t.Fatal(err)
			}
			o, err := UnpackFilm(packed, 70, 70)
			if err != nil {
				t.Fatal(err)
			}
			if err := f.Add(o); err != nil {
				t.Fatal(err)
			}
		}
		return f
	}
	a := sum()
	was := runtime.GOMAXPROCS(1)
	b := sum()
	runtime.GOMAXPROCS(was)
	for i := range a.Sum {
		if a.Sum[i] != b.Sum[i] {
			t.Fatalf("number %d is %v, and %v on one processor", i, a.Sum[i], b.Sum[i])
		}
	}
	if a.Samples != 8 {
		t.Errorf("%d paths a pixel", a.Samples)
	}
	if _, err := UnpackFilm([]byte("nothing"), 70, 70); err == nil {
		t.Error("what is no film is read")
	}
}

// TestWhatIsNotSolidLetsThrough: half there, half of what lies behind; a pane gives it its colour.
func TestWhatIsNotSolidLetsThrough(t *testing.T) {
	view := func(x texel) [3]float64 {
		var s shape
		s.part("sheet", x)
		s.quad(geom.V3(0, 0, 0), geom.V3(4, 0, 0), geom.V3(0, 4, 0))
		f := trace(t, s.traced(t, fromFront(16), even(1)), 0, 512)
		var c [3]float64
		for i := range c {
			c[i] = float64(f.Sum[3*(8*16+8)+i]) / 512
		}
		return c
	}
	half := matt(0)
	half.solid = 128
	near(t, "half there", view(half)[1], 1-128.0/255, 0.06)
	for _, rough := range []uint8{0, 120} { // straight through, and spread
		pane := matt(1)
		pane.rough, pane.more = rough, moreUsual
		pane.more[moreTransmission] = 255
		pane.color = [3]uint16{65535, 46341, 32768} // 1, ½, ¼
		c := view(pane)
		const back = 0.04
		near(t, "red", c[0], 1, 0.03)
		near(t, "green", c[1], back+(1-back)*0.5, 0.05)
		near(t, "blue", c[2], back+(1-back)*0.25, 0.07)
	}
}

// TestWhatIsOutOfFocusIsWide: the circle that a point far away makes is as wide as lens and
// distance say: aperture · |d − focus| / d, at the distance that is sharp.
func TestWhatIsOutOfFocusIsWide(t *testing.T) {
	var s shape
	lamp := matt(0)
	lamp.emits = [3]uint16{65535, 65535, 65535}
	s.part("edge", lamp) // a half plane: its rim becomes a ramp as wide as the circle
	s.quad(geom.V3(-50, 0, -5), geom.V3(50, 0, 0), geom.V3(0, 50, 0))
	still := fromFront(128)
	still.Angle, still.Focus, still.Aperture = 20, 5, 0.4
	still.Bounces = 1
	f := trace(t, s.traced(t, still, even(0)), 0, 64)
	row := func(x int) float64 {
		sum := 0.0
		for y := 40; y < 88; y++ {
			sum += float64(f.Sum[3*(y*128+x)]) / 64 / 48
		}
		return sum
	}
	// the circle at distance 5: 0.4 · |10 − 5| / 10; a pixel there is 2·5·tan 10° / 128
	wide := 0.4 * 5 / 10 / (2 * 5 * math.Tan(10*math.Pi/180) / 128)
	share := func(x float64) float64 { // of a disc of width 1 that lies left of x, −½..½
		x = min(max(2*x, -1), 1)
		return 0.5 + (x*math.Sqrt(1-x*x)+math.Asin(x))/math.Pi
	}
	for _, off := range []float64{-0.4, -0.25, 0, 0.25, 0.4} {
		x := int(64 + off*wide)
		want := 1 - share((float64(x)+0.5-64)/wide)
		if got := row(x); math.Abs(got-want) > 0.03 {
			t.Errorf("%.2f of the circle off the rim there is %.3f, not %.3f", off, got, want)
		}
	}
}

// TestLightThroughWaxKeepsItsColour: what a walk through the inside sends back is about the colour
// that was asked for, and a thin plate glows from behind where a matt one does not.
func TestLightThroughWaxKeepsItsColour(t *testing.T) {
	for _, c := range []float64{0.3, 0.6, 0.9} {
		x := matt(c)
		x.more[moreScattering] = 255
		var s shape
		s.part("ball", x)
		s.ball(24)
		still := fromFront(24)
		still.Bounces, still.Inside = 64, 0.004
		f := trace(t, s.traced(t, still, even(1)), 0, 32)
		if got := f.where(0.5, 0.5, 5); math.Abs(got-c) > 0.03 {
			t.Errorf("a ball of %.1f shows %.3f", c, got)
		}
	}
	behind := light.New(64) // light from −Z alone
	for i := range behind.Data {
		if light.Dir((float64(i/3%64)+0.5)/64, (float64(i/3/64)+0.5)/32).Z < -0.3 {
			behind.Data[i] = 1
		}
	}
	glow := func(scatters uint8) float64 {
		x := matt(0.8)
		x.more[moreScattering] = scatters
		var s shape
		s.part("plate", x)
		s.quad(geom.V3(0, 0, 0.02), geom.V3(2, 0, 0), geom.V3(0, 2, 0))
		s.quad(geom.V3(0, 0, -0.02), geom.V3(-2, 0, 0), geom.V3(0, 2, 0))
		still := fromFront(16)
		still.Background, still.Bounces, still.Inside = "clear", 64, 0.04
		return trace(t, s.traced(t, still, behind), 0, 128).where(0.5, 0.5, 5)
	}
	if a, b := glow(0), glow(255); a > 1e-3 || b < 0.02 {
		t.Errorf("a matt plate shows %.4f of the light behind it, one of wax %.4f", a, b)
	}
}

// TestDenoisingComesNearer: fewer paths, smoothed, are nearer to the truth than they were, on the
// whole as bright, and a rim stays a rim.
func TestDenoisingComesNearer(t *testing.T) {
	e, _ := light.Find("boathouse-door")
	var s shape
	s.part("ball", matt(0.7))
	s.ball(32)
	s.part("floor", matt(0.25))
	s.quad(geom.V3(0, -1, 0), geom.V3(0, 0, 4), geom.V3(4, 0, 0))
	still := fromFront(64)
	still.Eye = [3]float64{0, 2, 5}
	tr := s.traced(t, still, e.Panorama().Smaller(128))
	truth := trace(t, tr, 1<<20, 256)
	few := trace(t, tr, 0, 4)
	off := func(v []float32) (rms, mean float64) {
		for i, x := range v {
			d := float64(x) - float64(truth.Sum[i])/256
			rms += d * d
			mean += d
		}
		return math.Sqrt(rms / float64(len(v))), mean / float64(len(v))
	}
	noisy, _ := off(few.mean(few.Sum))
	clean, shift := off(denoise(few))
	t.Logf("off by %.4f, smoothed %.4f, on the mean %.5f", noisy, clean, shift)
	if clean > noisy*0.6 {
		t.Errorf("off by %.4f as traced, %.4f smoothed", noisy, clean)
	}
	if math.Abs(shift) > 0.01 {
		t.Errorf("smoothing shifts the picture by %v", shift)
	}
}

// TestTones holds the tone curves against what their sources say.
func TestTones(t *testing.T) {
	if c := neutral([3]float32{0.5, 0.4, 0.3}); math.Abs(float64(c[0]-0.46)) > 1e-5 {
		t.Errorf("a colour of a product is %v: below the start 0.04 goes off, no more", c)
	}
	if c := neutral([3]float32{100, 100, 100}); c[0] < 0.98 || c[0] > 1 {
		t.Errorf("very bright is %v", c)
	}
	if a, b := neutral([3]float32{0.03, 0.03, 0.03}), float32(6.25*0.03*0.03); math.Abs(float64(a[0]-b)) > 1e-6 {
		t.Errorf("dark is %v, not %v", a[0], b)
	}
	if c := filmic([3]float32{0, 0, 0}); c[0] > 1e-3 {
		t.Errorf("black is %v", c)
	}
	if c := filmic([3]float32{0.18, 0.18, 0.18}); c[0] < 0.16 || c[0] > 0.24 || math.Abs(float64(c[0]-c[2])) > 2e-3 {
		t.Errorf("middle grey is %v", c)
	}
	last := float32(-1)
	for v := float32(0); v < 50; v += 0.05 {
		if c := filmic([3]float32{v, v, v}); c[1] < last {
			t.Fatalf("at %v it falls to %v", v, c)
		} else {
			last = c[1]
		}
	}
}

func TestWhatCannotBeDrawnIsRefused(t *testing.T) {
	good := Still{W: 64, H: 64, Samples: 1, Eye: [3]float64{0, 0, 1}, Angle: 30, Exposure: 1}
	if err := good.Check(); err != nil {
		t.Fatal(err)
	}
	for name, change := range map[string]func(*Still){
		"size":     func(s *Still) { s.W = 100_000 },
		"samples":  func(s *Still) { s.Samples = 0 },
		"eye":      func(s *Still) { s.Eye = s.At },
		"no width": func(s *Still) { s.Angle = 0 },
		"number":   func(s *Still) { s.Turn = math.NaN() },
		"dark":     func(s *Still) { s.Exposure = 0 },
		"bounces":  func(s *Still) { s.Bounces = 1000 },
	} {
		s := good
		change(&s)
		if s.Check() == nil {
			t.Errorf("%s: not refused", name)
		}
	}
}

// TestNumbersOfPathsAreEven: each number of a pixel is even over its range, and 64 of them fall
// into 64 different parts of it.
func TestNumbersOfPathsAreEven(t *testing.T) {
	for dim := range 12 {
		var parts [64]int
		for i := range uint32(64) {
			d := newDraws(77, i, 5)
			v := float32(0)
			for range dim + 1 {
				v = d.next()
			}
			if v < 0 || v >= 1 {
				t.Fatalf("%v", v)
			}
			parts[int(v*64)]++
		}
		for i, n := range parts {
			if n != 1 {
				t.Errorf("dimension %d: %d of 64 numbers lie in part %d", dim, n, i)
				break
			}
		}
	}
}

// TestMoreChannelsReachTheSkin: what a project adds under the names of OpenPBR is what a still is
// made of, and what it has not got is as usual.
func TestMoreChannelsReachTheSkin(t *testing.T) {
	m := sample.Bollard()
	d := stack.New([]string{m.Sheets[0].Name}, 64)
	d.Added = []stack.AddedChannel{}
	coats := map[stack.Channel]stack.Coat{}
	for i, c := range stack.More {
		if c.Channel == stack.Fuzz {
			continue
		}
		d.Added = append(d.Added, c.AddedChannel)
		coats[c.Channel] = stack.Coat{On: true, Value: []float32{float32(i+1) / 10}, Blend: blend.Normal, Amount: 1}
	}
	d.Layers = []*stack.Layer{{ID: "a", Name: "A", Kind: stack.Fill, Visible: true, Amount: 1, Channels: coats}}
	p := eval.Compile(eval.NewScene(m, cache.New(64<<20)), d, "", "")
	b, err := Evaluate(context.Background(), p, Sheets(p, 64*64), nil)
	if err != nil {
		t.Fatal(err)
	}
	k := lay(1, b)
	var pl place
	k[0].at(geom.Vec2{X: 0.5, Y: 0.5}, &pl, false)
	for i, c := range stack.More {
		want := float64(i+1) / 10
		if c.Channel == stack.Fuzz {
			want = 0
		}
		if math.Abs(float64(pl.more[i])-want) > 0.01 {
			t.Errorf("%s is %v, not %v", c.Label, pl.more[i], want)
		}
	}
	for i, s := range []stack.Channel{stack.Specular, stack.CoatWeight, stack.CoatRoughness, stack.Fuzz, stack.Transmission, stack.Scattering, stack.Anisotropy} {
		if at := []int{moreSpecular, moreCoat, moreCoatRough, moreFuzz, moreTransmission, moreScattering, moreAniso}[i]; stack.More[at].Channel != s {
			t.Errorf("%s is at another place", s)
		}
	}
}

// Eight pixels at a time and one by one come to the same bits.
func TestSmoothingIsTheSameEightAtATime(t *testing.T) {
	f := NewFilm(75, 40)
	f.Samples = 4
	r := rand.New(rand.NewPCG(5, 6))
	for i := range f.Square {
		if r.IntN(5) == 0 {
			continue
		}
		f.Covered[i], f.Depth[i] = 4-r.Float32(), 4*(1+float32(i%75)*0.01)
		f.Square[i] = r.Float32() * 8
		for k := range 3 {
			f.Sum[3*i+k], f.Albedo[3*i+k], f.Normal[3*i+k] = r.Float32()*4, r.Float32()*4, 4*(0.5+r.Float32()*0.1)
		}
	}
	g := newGuides(f)
	from, to, other := g.newLight(), g.newLight(), g.newLight()
	for i := range f.Square {
		k := g.at(i)
		g.depth[k], g.cover[k] = f.Depth[i]/4, f.Covered[i]/4
		if f.Covered[i] > 0 {
			g.has[k] = 1
		}
		for c := range 3 {
			g.normal[c][k], from.of[c][k] = f.Normal[3*i+c]/4, f.Sum[3*i+c]
		}
		from.variance[k] = f.Square[i]
	}
	g.near = 1
	g.slopes()
	g.smooth(from, to, 4)
	for y := range g.h {
		var row []tap
		for _, t := range g.taps(4) {
			if y+t.dy >= 0 && y+t.dy < g.h {
				row = append(row, t)
			}
		}
		for x := range g.w {
			i := y*g.pitch + border + x
			g.pixel(from, other, i, row)
			if a, b := to.of[1][i], other.of[1][i]; math.Float32bits(a) != math.Float32bits(b) {
				t.Fatalf("at %d, %d: %v and %v", x, y, a, b)
			}
			if a, b := to.variance[i], other.variance[i]; a != b && g.has[i] == 1 {
				t.Fatalf("at %d, %d the variance: %v and %v", x, y, a, b)
			}
		}
	}
}
