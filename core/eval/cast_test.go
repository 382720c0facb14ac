package eval

import (
	"context"
	"image"
	"image/color"
	"math"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// casts is a scene with a picture that is red left, green right, and darker below.
func casts(t *testing.T) *Scene {
	t.Helper()
	s := NewScene(sample.Bollard(), cache.New(64<<20))
	img := image.NewNRGBA(image.Rect(0, 0, 64, 64))
	for i := range 64 * 64 {
		v := uint8(255)
		if i/64 >= 32 {
			v = 128
		}
		c := color.NRGBA{v, 0, 0, 255}
		if i%64 >= 32 {
			c = color.NRGBA{0, v, 0, 255}
		}
		img.SetNRGBA(i%64, i/64, c)
	}
	grey := image.NewGray(image.Rect(0, 0, 8, 8))
	for i := range grey.Pix {
		grey.Pix[i] = 64
	}
	pics := map[string]*pix.Picture{"quarters": pix.NewPicture(img), "grey": pix.NewPicture(grey)}
	s.Picture = func(name string) (*pix.Picture, error) { return pics[name], nil }
	return s
}

// cast returns what a picture step gives at a place with a normal: colour and coverage.
func (s *Scene) cast(t *testing.T, p map[string]any, at, n geom.Vec3) ([3]float32, float32) {
	t.Helper()
	if p["picture"] == nil {
		p["picture"] = "quarters"
	}
	prog := Compile(s, stack.New([]string{"Cast iron"}, 256), "", "")
	f := raster.Point(at, n, 0)
	f.Footprint = 1e-5
	v, cover, err := prog.picture(t.Context(), s.OnFrame(f, "cast"), &stack.Step{Kind: "picture", Params: p})
	if err != nil {
		t.Fatal(err)
	}
	c := float32(1)
	if cover != nil {
		c = cover[0]
	}
	if len(v) == 1 {
		return [3]float32{v[0][0], v[0][0], v[0][0]}, c
	}
	return [3]float32{v[0][0], v[1][0], v[2][0]}, c
}

func TestPicturesAreCast(t *testing.T) {
	s := casts(t)
	up, front := geom.V3(0, 1, 0), geom.V3(0, 0, 1)
	red, green := [3]float32{1, 0, 0}, [3]float32{0, 1, 0}
	for _, c := range []struct {
		name  string
		p     map[string]any
		at, n geom.Vec3
		want  [3]float32
		cover float32
	}{
		// one repeat is 0.4 m; repeats begin at the middle of the cast
		{"three sides, from the front", map[string]any{"size": 0.4}, geom.V3(0.1, -0.1, 0), front, red, 1},
		{"to the right", map[string]any{"size": 0.4}, geom.V3(0.3, -0.1, 0), front, green, 1},
		{"the next repeat", map[string]any{"size": 0.4}, geom.V3(0.5, -0.1, 0), front, red, 1},
		{"mirrored, the next repeat", map[string]any{"size": 0.4, "tiles": "mirrored"}, geom.V3(0.5, -0.1, 0), front, green, 1},
		{"below", map[string]any{"size": 0.4}, geom.V3(0.1, -0.3, 0), front, [3]float32{0.5, 0, 0}, 1},
		{"turned by a half", map[string]any{"size": 0.4, "turn": 180.0, "tiles": "once"}, geom.V3(0.1, 0.1, 0), front, [3]float32{0.5, 0, 0}, 1},
		{"moved by half a repeat", map[string]any{"size": 0.4, "shiftU": 0.5}, geom.V3(0.1, -0.1, 0), front, green, 1},
		{"once, outside", map[string]any{"size": 0.4, "tiles": "once"}, geom.V3(0.3, 0, 0), front, [3]float32{}, 0},
		{"once, about its middle", map[string]any{"size": 0.4, "tiles": "once", "at": []any{1.0, 1.0, 0.0}}, geom.V3(0.9, 1.1, 0), front, red, 1},
		{"another picture on top", map[string]any{"size": 0.4, "pictureY": "grey"}, geom.V3(0.1, 0, 0.1), up, [3]float32{0.25, 0.25, 0.25}, 1},
		{"turned on one side", map[string]any{"size": 0.4, "tiles": "once", "turnZ": 180.0}, geom.V3(-0.1, 0.1, 0), front, [3]float32{0, 0.5, 0}, 1},
		{"hue turned by a third", map[string]any{"size": 0.4, "hue": 120.0}, geom.V3(0.1, -0.1, 0), front, green, 1},
		{"no saturation", map[string]any{"size": 0.4, "saturation": 0.0}, geom.V3(0.1, -0.1, 0), front, [3]float32{0.5, 0.5, 0.5}, 1},
		{"darker", map[string]any{"size": 0.4, "bright": -0.5}, geom.V3(0.1, -0.1, 0), front, [3]float32{0.5, 0, 0}, 1},
	} {
		got, cover := s.cast(t, c.p, c.at, c.n)
		for k := range got {
			if math.Abs(float64(got[k]-c.want[k])) > 0.03 || cover != c.cover {
				t.Errorf("%s: %v covered %v, want %v, %v", c.name, got, cover, c.want, c.cover)
				break
			}
		}
	}
}

// A flat cast is the same all along its axis, and all four quarters are seen across it.
func TestAFlatCast(t *testing.T) {
	s := casts(t)
	seen := map[[3]float32]bool{}
	for _, q := range [][2]float32{{0.05, 0.07}, {-0.05, 0.07}, {0.05, -0.07}, {-0.05, -0.07}} {
		p := map[string]any{"laid": "flat", "along": []any{0.0, 0.0, 1.0}, "tiles": "once", "size": 0.4}
		a, _ := s.cast(t, p, geom.V3(q[0], q[1], 0.3), geom.V3(1, 0, 0))
		b, _ := s.cast(t, p, geom.V3(q[0], q[1], -2), geom.V3(0, 1, 0))
		if a != b {
			t.Errorf("at %v it is %v in front and %v behind", q, a, b)
		}
		seen[a] = true
	}
	if len(seen) != 4 {
		t.Errorf("%d of the four quarters are seen: %v", len(seen), seen)
	}
}

// Wound round an axis a picture meets itself: whole repeats go round.
func TestWoundPicturesMeetThemselves(t *testing.T) {
	s := casts(t)
	for _, laid := range []string{"round an axis", "as a ball"} {
		for k := range 12 {
			y := 0.05 + 0.04*float32(k)
			at := func(angle float64) [3]float32 {
				sin, cos := math.Sincos(angle)
				n := geom.V3(float32(cos), 0, float32(-sin))
				c, _ := s.cast(t, map[string]any{"laid": laid, "size": 0.17}, n.Mul(0.2).Add(geom.V3(0, y, 0)), n)
				return c
			}
			// the join lies where the axis' first tangent points away
			for _, join := range []float64{0, math.Pi / 2, math.Pi, -math.Pi / 2} {
				a, b := at(join-1e-4), at(join+1e-4)
				for c := range a {
					if math.Abs(float64(a[c]-b[c])) > 0.2 && !edgeNear(at, join) {
						t.Fatalf("%s at %v: %v before %v and %v after", laid, y, a, join, b)
					}
				}
			}
		}
	}
}

// edgeNear reports whether the picture's own edge may lie there: it then lies a whole
// number of half repeats on, too.
func edgeNear(at func(float64) [3]float32, angle float64) bool {
	a, b := at(angle-0.02), at(angle+0.02)
	return a != b
}

// At random no shift gives the same picture again, and the mean stays.
func TestRandomRepeatsDoNotRepeat(t *testing.T) {
	s := casts(t)
	front := geom.V3(0, 0, 1)
	same, n := 0, 0
	var mean float64
	for i := range 400 {
		p := geom.V3(0.013*float32(i%20), -0.017*float32(i/20), 0)
		q := map[string]any{"size": 0.1, "tiles": "at random"}
		a, _ := s.cast(t, q, p, front)
		b, _ := s.cast(t, q, p.Add(geom.V3(0.1, 0, 0)), front)
		if math.Abs(float64(a[0]-b[0]))+math.Abs(float64(a[1]-b[1])) < 0.02 {
			same++
		}
		mean += float64(a[0]+a[1]) / 400
		n++
	}
	if same > n/3 {
		t.Errorf("%d of %d places are the same one repeat on", same, n)
	}
	if math.Abs(mean-0.75) > 0.08 { // of the picture: halves of full and half brightness
		t.Errorf("the mean is %.3f, that of the picture 0.75", mean)
	}
}

func TestPicksAndBakedTones(t *testing.T) {
	m := sample.Bollard()
	s := NewScene(m, cache.New(64<<20))
	prog := Compile(s, stack.New([]string{"Cast iron"}, 256), "", "")
	at := func(kind string, p map[string]any, tri int32) float32 {
		f := raster.Point(m.Pos[m.Tri[tri][0]], geom.V3(0, 1, 0), tri)
		return prog.pick(s.OnFrame(f, "pick"), &stack.Step{Kind: kind, Params: p})[0][0]
	}
	last := int32(len(m.Tri) - 1)
	part := m.Parts[m.TriPart[last]].Name
	for _, c := range []struct {
		kind string
		p    map[string]any
		tri  int32
		want float32
	}{
		{step.PickParts, map[string]any{"parts": []any{part}}, last, 1}, {step.PickParts, map[string]any{"parts": []any{part}}, 0, 0}, {step.PickParts, nil, last, 0},
		{step.PickFaces, map[string]any{"faces": []any{4.0, 2.0}}, 5, 1}, {step.PickFaces, map[string]any{"faces": []any{4.0, 2.0}}, 6, 0},
		{step.PickIslands, map[string]any{"islands": []any{float64(m.Island[last])}}, last, 1},
	} {
		if got := at(c.kind, c.p, c.tri); got != c.want {
			t.Errorf("%s %v at triangle %d: %v, want %v", c.kind, c.p, c.tri, got, c.want)
		}
	}
	tone := func(what string, neutral float32, p map[string]any) func(float32) float32 {
		in, _ := step.NewInput(&stack.Step{Kind: stack.BakedStep, Params: p}, nil, noBox)
		return bakedTone(in, what, neutral)
	}
	for _, c := range []struct {
		what        string
		neutral     float32
		p           map[string]any
		v, want     float32
		explanation string
	}{
		{"curvature", 0.5, map[string]any{"scale": 2.0}, 0.6, 0.7, "twice the contrast"},
		{"curvature", 0.5, map[string]any{"balance": -1.0}, 0.8, 0.5, "no edges"},
		{"curvature", 0.5, map[string]any{"balance": 1.0}, 0.2, 0.5, "no creases"},
		{"edges", 0, map[string]any{"spread": 0.5}, 0.25, 0.5, "spread widens by a square root"},
		{"edges", 0, map[string]any{"spread": -0.5}, 0.5, 0.25, "shrunk by a square"},
		{"edges", 0, nil, 0.3, 0.3, "as it is"},
	} {
		if got := tone(c.what, c.neutral, c.p)(c.v); math.Abs(float64(got-c.want)) > 1e-4 {
			t.Errorf("%s: %v becomes %v, want %v", c.explanation, c.v, got, c.want)
		}
	}
}

// The rim of a bevelled coat rises within the width, and beyond it the coat has its
// thickness.
func TestABevelledCoat(t *testing.T) {
	m := plate(t, 1, func(float64) int { return 0 }, func(_ int, x, z float64) (int, float64, float64) { return 0, x, z })
	s := NewScene(m, cache.New(64<<20))
	size := m.Bounds.Size().X
	d := stack.New([]string{m.Sheets[0].Name}, 256)
	half := &stack.Step{ID: "m", Kind: "gradient-box", On: true, Amount: 1, Params: map[string]any{
		"at": []any{float64(m.Bounds.Min.X), 0.0, float64(m.Bounds.Center().Z)}, "width": float64(size), "deep": float64(size) * 4, "tall": 10.0, "fade": 0.0}}
	width := size / 16
	d.Layers = []*stack.Layer{{ID: "a", Name: "A", Kind: stack.Fill, Visible: true, Amount: 1,
		Channels: map[stack.Channel]stack.Coat{stack.Height: {On: true, Value: []float32{0.001}, Blend: "add", Amount: 1, Bevel: width}}}}
	d.Layers[0].Mask = append(d.Layers[0].Mask, half)
	if err := step.Rules.Check(d); err != nil {
		t.Fatal(err)
	}
	p := Compile(s, d, "", "")
	border := m.Bounds.Min.X + size/2
	seen := 0
	for _, tile := range surface.Tiles(0, 256) {
		u := s.OnTile(tile)
		h, err := p.Channel(context.Background(), u, stack.Height)
		if err != nil {
			t.Fatal(err)
		}
		f := u.Frame()
		for i, on := range f.Inside {
			if !on {
				continue
			}
			x := (border - f.Pos[i].X) / width // in widths inside the coat
			want := 0.0
			if x > 0 {
				want = 0.001 * math.Sqrt(1-math.Pow(1-math.Min(float64(x), 1), 2))
			}
			tol := 0.0001
			if math.Abs(float64(x)) < 0.15 {
				tol = 0.0006 // within a texel of the border
			}
			if math.Abs(float64(h[0].At(i))-want) > tol {
				t.Fatalf("%v widths in, the coat is %v mm high, want %.3f", x, h[0].At(i)*1000, want*1000)
			}
			seen++
		}
	}
	if seen < 1000 {
		t.Fatal("nothing was seen")
	}
}

// What agents find over the surface does not depend on the age, so that the age can be
// moved: only what follows changes the ways.
func TestWaysDoNotDependOnTheAge(t *testing.T) {
	m := sample.Bollard()
	s := NewScene(m, cache.New(256<<20))
	salt, share := float32(0.5), 1.0
	doc := func(age float32, cut float64) *Program {
		d := stack.New([]string{"Cast iron"}, 256)
		c := *stack.Usual()
		c.Age, c.Salt = age, salt
		d.Conditions = &c
		one := func(id, kind string, p map[string]any) *stack.Layer {
			only := []*stack.Step{{ID: "s", Kind: kind, On: true, Amount: 1, Params: p}}
			return &stack.Layer{ID: id, Name: id, Kind: stack.Fill, Visible: true, Amount: 1, Mask: only,
				Channels: map[stack.Channel]stack.Coat{stack.Metallic: {On: true, Value: []float32{1}, Blend: "normal", Amount: 1}}}
		}
		d.Layers = []*stack.Layer{one("paint", "gradient", map[string]any{"start": cut, "end": cut + 0.02}), one("rust", "creep", map[string]any{"from": "what it follows", "layer": "paint", "rate": 0.06, "seeds": 0.1, "share": share})}
		if err := step.Rules.Check(d); err != nil {
			t.Fatal(err)
		}
		return Compile(s, d, "", "")
	}
	key := func(p *Program) Key { return p.wayKey("creep", &p.all["rust"].mask.steps[0]) }
	a, b, c := doc(10, 0.9), doc(40, 0.9), doc(40, 0.5)
	if key(a) != key(b) {
		t.Error("another age is another way")
	}
	if key(b) == key(c) {
		t.Error("another mask that is followed is the same way")
	}
	mean := func(p *Program) (sum float64) {
		for _, tile := range surface.Tiles(0, 128) {
			v, err := p.Mask(context.Background(), s.OnTile(tile), "rust")
			if err != nil {
				t.Fatal(err)
			}
			for i := range s.OnTile(tile).Frame().Pos {
				sum += float64(v.At(i))
			}
		}
		return
	}
	young, old := mean(a), mean(b)
	if young < 1 || old < 1.1*young {
		t.Errorf("after 10 years there is %.0f of rust, after 40 %.0f", young, old)
	}
	salt = 1
	salty := mean(doc(10, 0.9))
	salt = 0
	if fresh := mean(doc(10, 0.9)); fresh > 0.9*young || salty < 1.05*young {
		t.Errorf("without salt there is %.0f of rust, with some %.0f, with much %.0f", fresh, young, salty)
	}
	share = 0 // it heeds none of the conditions
	without := mean(doc(10, 0.9))
	salt = 1
	if with := mean(doc(10, 0.9)); with != without {
		t.Errorf("rust that opts out is %.0f without salt and %.0f with it", without, with)
	}
}
