package press

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"math"
	"strings"
	"testing"
)

func draw(t *testing.T, size int, r Recipe) *Stamp {
	t.Helper()
	st, err := Draw(context.Background(), &r, size)
	if err != nil {
		t.Fatal(err)
	}
	return st
}

// of is the height at a place of the stamp.
func (st *Stamp) of(x, y float32) float32 {
	n := float32(st.Size)
	return st.Grey[int((1-y)/2*n)*st.Size+int((x+1)/2*n)]
}

// area is the volume under the heights: of an upright shape 1 high, its area.
func (st *Stamp) area() float64 {
	var sum float64
	for _, v := range st.Grey {
		sum += float64(v)
	}
	return sum * 4 / float64(st.Size*st.Size)
}

func TestAreasOfShapes(t *testing.T) {
	pi := math.Pi
	poly := func(n int, r float64) float64 { return float64(n) / 2 * r * r * math.Sin(2*pi/float64(n)) }
	square := [][2]float32{{-1, -1}, {1, -1}, {1, 1}, {-1, 1}}
	for _, c := range []struct {
		name string
		s    Shape
		want float64
	}{
		{"disc", Shape{Kind: "disc", Wide: 1.6}, pi * 0.64},
		{"oval", Shape{Kind: "disc", Wide: 1.8, Tall: 0.6}, pi * 0.9 * 0.3},
		{"oval, turned and moved", Shape{Kind: "disc", Wide: 1.2, Tall: 0.6, Turn: 33, X: 0.2, Y: -0.3}, pi * 0.6 * 0.3},
		{"ring", Shape{Kind: "ring", Wide: 1.6, Inner: 0.5}, pi * 0.64 * 0.75},
		{"hexagon", Shape{Kind: "polygon", Wide: 1.8, Sides: 6, Turn: 11}, poly(6, 0.9)},
		{"triangle", Shape{Kind: "polygon", Wide: 1.8, Sides: 3}, poly(3, 0.9)},
		{"star of five", Shape{Kind: "star", Wide: 1.8, Sides: 5, Inner: 0.5}, 5 * 0.9 * 0.45 * math.Sin(pi/5)},
		{"bar", Shape{Kind: "bar", Wide: 1.5, Tall: 0.4, Turn: 20}, 0.6},
		{"rounded bar", Shape{Kind: "rounded bar", Wide: 1.5, Tall: 0.8, Corner: 0.3}, 1.2 - (4-pi)*0.09},
		{"rounded triangle: less by its corners", Shape{Kind: "polygon", Wide: 1.8, Sides: 3, Corner: 0.1}, poly(3, 0.9) - (3*math.Sqrt(3)-pi)*0.01},
		{"cross", Shape{Kind: "cross", Wide: 1.6, Inner: 0.25}, (1.6*0.4)*2 - 0.16},
		{"dome: half a cylinder", Shape{Kind: "dome", Wide: 1.6}, pi * 0.64 / 2},
		{"cone: a third", Shape{Kind: "cone", Wide: 1.6}, pi * 0.64 / 3},
		{"frustum", Shape{Kind: "disc", Wide: 1.6, Rise: 0.4}, pi / 3 * (0.64 + 0.32 + 0.16)},
		{"pyramid", Shape{Kind: "bar", Wide: 1, Rise: 0.5}, 1.0 / 3},
		{"outline", Shape{Kind: "outline", Wide: 1.2, Tall: 0.8, Points: square}, 0.96},
		{"outline, the other way round", Shape{Kind: "outline", Wide: 1.2, Points: [][2]float32{{-1, 1}, {1, 1}, {1, -1}, {-1, -1}}, Turn: 45}, 1.44},
		{"four in a row", Shape{Kind: "disc", Wide: 0.3, Repeat: &Repeat{Kind: "row", Count: 4, Step: 0.4}}, 4 * pi * 0.0225},
		{"seven around", Shape{Kind: "bar", Wide: 0.2, Tall: 0.4, Repeat: &Repeat{Kind: "circle", Count: 7, Step: 0.6, Turn: true}}, 7 * 0.08},
		{"a field", Shape{Kind: "disc", Wide: 0.2, Repeat: &Repeat{Kind: "field", Count: 3, Rows: 5, Step: 0.35, Angle: 30}}, 15 * pi * 0.01},
	} {
		c.s.Level = 1
		if got := draw(t, 512, Recipe{Shapes: []Shape{c.s}}).area(); math.Abs(got-c.want) > 0.004*c.want+0.001 {
			t.Errorf("%s: area %.4f, want %.4f", c.name, got, c.want)
		}
	}
}

func TestWhereRepeatsLie(t *testing.T) {
	st := draw(t, 256, Recipe{Shapes: []Shape{{Kind: "disc", Level: 1, Wide: 0.2, X: 0.1, Repeat: &Repeat{Kind: "circle", Count: 4, Step: 0.6}}}})
	for _, p := range [][3]float32{{0.1, 0.6, 1}, {-0.5, 0, 1}, {0.1, -0.6, 1}, {0.7, 0, 1}, {0.1, 0, 0}} {
		if st.of(p[0], p[1]) != p[2] {
			t.Errorf("at %v, %v it is %v", p[0], p[1], st.of(p[0], p[1]))
		}
	}
	st = draw(t, 256, Recipe{Shapes: []Shape{{Kind: "disc", Level: 1, Wide: 0.2, Repeat: &Repeat{Kind: "row", Count: 3, Step: 0.7, Angle: 90}}}})
	if st.of(0, 0.7) != 1 || st.of(0, -0.7) != 1 || st.of(0.7, 0) != 0 {
		t.Error("a row that is turned does not stand upright")
	}
}

func TestCombining(t *testing.T) {
	for how, want := range map[string]float32{"": 0.6, "highest": 0.6, "add": 1, "subtract": 0.2, "multiply": 0.24, "lowest": 0.4, "difference": 0.2} {
		st := draw(t, 64, Recipe{Shapes: []Shape{{Kind: "bar", Level: 0.6, Wide: 2}, {Kind: "bar", Level: 0.4, Wide: 1, Combine: how}}})
		if got := st.of(0.1, 0.1); math.Abs(float64(got-want)) > 1e-6 {
			t.Errorf("%q of 0.6 and 0.4 is %v, want %v", how, got, want)
		}
	}
	if st := draw(t, 64, Recipe{Shapes: []Shape{{Kind: "bar", Level: 0.6, Wide: 2, Off: true}, {Kind: "disc", Level: 0.4, Wide: 1, Combine: "lowest"}}}); math.Abs(float64(st.of(0, 0)-0.4)) > 1e-5 {
		t.Error("the first shape has nothing below it to be the lowest of")
	}
}

func TestRises(t *testing.T) {
	for form, want := range map[string]float64{"": 0.25, "round": math.Sqrt(1 - 0.5625), "hollow": 1 - math.Sqrt(1-0.0625), "soft": 0.15625} {
		st := draw(t, 800, Recipe{Shapes: []Shape{{Kind: "bar", Level: 1, Wide: 1.6, Rise: 0.4, Form: form}}})
		if got := float64(st.of(-0.7, 0.01)); math.Abs(got-want) > 0.01 { // a quarter of the way up
			t.Errorf("%q: %v, want %v", form, got, want)
		}
	}
}

func TestTreatments(t *testing.T) {
	wall := []Shape{{Kind: "bar", Level: 1, Wide: 1, Tall: 4, X: -0.5}} // its border runs through the middle
	st := draw(t, 400, Recipe{Shapes: wall, After: []Treat{{Kind: "soften", Amount: 0.2}}})
	for _, x := range []float32{-0.15, -0.05, 0.0025, 0.05, 0.15} {
		// an edge under a Gaussian; the stated radius is two deviations
		want := 0.5 * (1 - math.Erf(float64(x)/(0.1*math.Sqrt2)))
		if got := float64(st.of(x, 0)); math.Abs(got-want) > 0.01 {
			t.Errorf("softened, at %v: %v, want %v", x, got, want)
		}
	}
	cone := []Shape{{Kind: "cone", Level: 1, Wide: 2}}
	if got, want := draw(t, 512, Recipe{Shapes: cone, After: []Treat{{Kind: "cut", Amount: 0.4, Sharp: 1}}}).area(), math.Pi*0.36; math.Abs(got-want) > 0.005 {
		t.Errorf("a cone cut at 0.4: area %v, want %v", got, want)
	}
	st = draw(t, 256, Recipe{Shapes: cone, After: []Treat{{Kind: "profile", Points: [][2]float32{{0, 0}, {0.5, 1}, {1, 0}}}}})
	if st.of(0.5, 0) < 0.99 || st.of(0, 0) > 0.03 || st.of(0.99, 0) > 0.05 {
		t.Error("the profile does not make a rim")
	}
	st = draw(t, 500, Recipe{Shapes: []Shape{{Kind: "disc", Level: 0.8, Wide: 1.6}}, After: []Treat{{Kind: "bevel", Amount: 0.4}}})
	for _, r := range []float32{0.05, 0.2, 0.35} {
		if got, want := st.of(0.8-r, 0), 0.8*r/0.4; math.Abs(float64(got-want)) > 0.012 {
			t.Errorf("bevel %v inside: %v, want %v", r, got, want)
		}
	}
	st = draw(t, 128, Recipe{Shapes: []Shape{{Kind: "bar", Level: 0.5, Wide: 1}}, After: []Treat{{Kind: "stretch"}, {Kind: "invert"}}})
	if st.of(0, 0) != 0 || st.of(0.9, 0.9) != 1 {
		t.Error("stretched and inverted the shape is not nothing on white")
	}
	st = draw(t, 256, Recipe{Shapes: wall, After: []Treat{{Kind: "soften by", Amount: 0.4, By: "foot to head"}}})
	if sharp, soft := st.of(0.1, -0.95), st.of(0.1, 0.95); sharp > 0.02 || soft < 0.15 {
		t.Errorf("softened from foot to head: beside the border %v at the foot, %v at the head", sharp, soft)
	}
	st = draw(t, 256, Recipe{Shapes: []Shape{{Kind: "bar", Level: 0.5, Wide: 1}}, After: []Treat{{Kind: "noise", Amount: 0.3, Scale: 0.2, Seed: 5}}})
	if st.of(0.9, 0.9) != 0 || st.of(0.1, 0.1) == 0.5 || st.of(0.1, 0.1) == st.of(-0.3, 0.2) {
		t.Error("the noise is not on what stands up alone")
	}
}

// Every stamp of the shelf can be made; those with the finest parts, and some others,
// are the same at every size.
func TestShelf(t *testing.T) {
	seen := map[string]bool{}
	for i, s := range Shelf() {
		r := s.Recipe
		if seen[r.Name] || s.Group == "" {
			t.Errorf("%q is there twice, or in no group", r.Name)
		}
		seen[r.Name] = true
		small := draw(t, 32, r)
		if small.area() < 0.1 {
			t.Errorf("%s is next to nothing", r.Name)
		}
		if s.Group != "vents" && s.Group != "rope" && i%7 > 0 {
			continue
		}
		small = draw(t, 64, r)
		large := draw(t, 256, r).smaller(4)
		var diff float64
		for i, v := range small.Grey {
			diff += math.Abs(float64(v - large.Grey[i]))
		}
		if n := float64(len(small.Grey)); diff/n > 0.012 {
			t.Errorf("%s: sizes differ by %.4f a texel", r.Name, diff/n)
		}
	}
	if len(seen) < 30 {
		t.Errorf("%d stamps", len(seen))
	}
}

func TestRefusals(t *testing.T) {
	for want, r := range map[string]Recipe{
		"shape 2 (blot): there is no such shape": {Shapes: []Shape{{Kind: "disc"}, {Kind: "blot"}}},
		"its height is 3":                        {Shapes: []Shape{{Kind: "disc", Level: 3}}},
		"its rise is NaN":                        {Shapes: []Shape{{Kind: "disc", Rise: float32(math.NaN())}}},
		"2 sides":                                {Shapes: []Shape{{Kind: "polygon", Sides: 2}}},
		"the font has no letter '語'":             {Shapes: []Shape{{Kind: "text", Text: "語", Wide: 1}}},
		"25 letters":                             {Shapes: []Shape{{Kind: "text", Text: strings.Repeat("a", 25)}}},
		"outline has 2 points":                   {Shapes: []Shape{{Kind: "outline", Points: [][2]float32{{0, 0}, {1, 1}}}}},
		"repeated 1000 times":                    {Shapes: []Shape{{Kind: "disc", Repeat: &Repeat{Kind: "row", Count: 1000, Step: 0.1}}}},
		"no picture yet":                         {Shapes: []Shape{{Kind: "picture", Level: 1}}},
		"is no PNG, JPEG":                        {Shapes: []Shape{{Kind: "picture", Level: 1, File: []byte("nothing")}}},
		"SVG drawing":                            {Shapes: []Shape{{Kind: "picture", Level: 1, File: []byte("<svg><path d='M0 0")}}},
		"treatment 1 (polish)":                   {After: []Treat{{Kind: "polish"}}},
		"from left to right":                     {After: []Treat{{Kind: "profile", Points: [][2]float32{{0.5, 0}, {0.2, 1}}}}},
	} {
		if _, err := Draw(context.Background(), &r, 32); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q was expected, got %v", want, err)
		}
	}
	if _, err := Draw(context.Background(), &Recipe{}, 100000); err == nil {
		t.Error("a stamp of 100000 texels was made")
	}
	ctx, stop := context.WithCancel(context.Background())
	stop()
	if _, err := Draw(ctx, &Shelf()[0].Recipe, 64); err == nil {
		t.Error("a cancelled stamp was made")
	}
}

func TestPictures(t *testing.T) {
	svg := `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 20"><rect x="0" y="0" width="20" height="20"/></svg>`
	st := draw(t, 128, Recipe{Shapes: []Shape{{Kind: "picture", Level: 0.5, Wide: 1.6, Tall: 0.8, File: []byte(svg)}}})
	if st.of(-0.4, 0) != 0.5 || st.of(0.4, 0) != 0 || st.of(-0.4, 0.6) != 0 {
		t.Errorf("a black drawing's left half is %v, its right half %v", st.of(-0.4, 0), st.of(0.4, 0))
	}
	white := strings.Replace(svg, "<rect", `<rect x="20" width="20" height="20" fill="#fff"/><rect`, 1)
	st = draw(t, 128, Recipe{Shapes: []Shape{{Kind: "picture", Level: 1, Wide: 1.6, Tall: 0.8, File: []byte(white)}}})
	if st.of(-0.4, 0) != 0 || st.of(0.4, 0) < 0.99 {
		t.Error("in a drawing with white, white is high")
	}
	img := image.NewGray16(image.Rect(0, 0, 4, 4))
	for i := range 16 {
		img.SetGray16(i%4, i/4, color.Gray16{Y: 12345})
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	st = draw(t, 64, Recipe{Shapes: []Shape{{Kind: "picture", Level: 1, Wide: 2, File: b.Bytes()}}})
	if math.Abs(float64(st.of(0, 0))-12345.0/65535) > 1e-4 {
		t.Errorf("a grey of 12345 is %v", st.of(0, 0)*65535)
	}
}

func TestDelivery(t *testing.T) {
	st := draw(t, 300, Recipe{Shapes: []Shape{{Kind: "dome", Level: 1, Wide: 2}}})
	var b bytes.Buffer
	if err := st.WritePNG(&b); err != nil {
		t.Fatal(err)
	}
	img, err := png.Decode(&b)
	if err != nil {
		t.Fatal(err)
	}
	g, ok := img.(*image.Gray16)
	if !ok || g.Bounds().Dx() != 300 {
		t.Fatalf("delivered as %T of %v", img, img.Bounds())
	}
	steps := map[uint16]bool{}
	for i, v := range st.Grey {
		got := g.Gray16At(i%300, i/300).Y
		if math.Abs(float64(got)-float64(v)*65535) > 0.51 {
			t.Fatalf("texel %d is %v of %v", i, got, v*65535)
		}
		steps[got] = true
	}
	if len(steps) < 2000 {
		t.Errorf("%d greys: no more than 8 bits would give some hundred", len(steps))
	}
}

func TestLooks(t *testing.T) {
	st := draw(t, 128, Recipe{Shapes: []Shape{{Kind: "cone", Level: 1, Wide: 1.8}}})
	n := st.Image("normal").NRGBAAt(96, 64) // right of the middle
	want := 1 / math.Hypot(1, Deep/0.9)
	if math.Abs(float64(n.R)/255-(0.5+0.5*want*Deep/0.9)) > 0.01 || math.Abs(float64(n.G)/255-0.5) > 0.01 || math.Abs(float64(n.B)/255-(0.5+0.5*want)) > 0.01 {
		t.Errorf("the right side of a cone faces %v", n)
	}
	if up := st.Image("normal").NRGBAAt(64, 32); up.G < 140 || up.R < 120 || up.R > 135 {
		t.Errorf("the upper side of a cone faces %v; green is up", up)
	}
	pit := draw(t, 128, Recipe{Shapes: []Shape{{Kind: "bar", Level: 1, Wide: 4}, {Kind: "disc", Level: 1, Wide: 0.3, Combine: "subtract"}}})
	if o := pit.Image("occlusion"); o.NRGBAAt(64, 64).R > 120 || o.NRGBAAt(10, 10).R != 255 {
		t.Errorf("occlusion in a pit %v, on the plain %v", o.NRGBAAt(64, 64), o.NRGBAAt(10, 10))
	}
}

func FuzzDrawings(f *testing.F) {
	f.Add([]byte(`<svg viewBox="0 0 9 9"><path d="M1 1h5v5z" transform="rotate(20)"/></svg>`))
	f.Add([]byte(`<svg viewBox="0 0 1 1"><g><circle r="2"/><ellipse/></g></svg>`))
	f.Add([]byte("\x89PNG\r\n\x1a\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if len(data) > 1<<14 {
			return
		}
		st, err := Draw(context.Background(), &Recipe{Shapes: []Shape{{Kind: "picture", Level: 1, Wide: 2, File: data}}}, 32)
		if err == nil && len(st.Grey) != 32*32 {
			t.Fatal("no stamp and no error")
		}
	})
}
