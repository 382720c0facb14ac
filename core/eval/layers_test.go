package eval

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"strings"
	"testing"

	"velvetgrime/core/blend"
	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

type coats = map[stack.Channel]stack.Coat

func met(mode blend.Mode, amount float32, v ...float32) stack.Coat {
	return stack.Coat{On: true, Value: v, Blend: mode, Amount: amount}
}

func fill(id string, amount float32, c coats, steps ...*stack.Step) *stack.Layer {
	return &stack.Layer{ID: id, Name: "Coat " + id, Kind: stack.Fill, Visible: true, Amount: amount, Channels: c, Mask: steps}
}

func groupOf(id string, isolated bool, amount float32, mode blend.Mode, steps []*stack.Step, kids ...*stack.Layer) *stack.Layer {
	return &stack.Layer{ID: id, Name: "Group " + id, Kind: stack.Group, Visible: true, Amount: amount, Blend: mode, Isolated: isolated, Mask: steps, Layers: kids}
}

func even(v float64) *stack.Step { return st("even", map[string]any{"value": v}) }

// at evaluates a channel in the middle of the plate.
func middle(t *testing.T, d *stack.Document, c stack.Channel) []float32 {
	t.Helper()
	if err := step.Rules.Check(d); err != nil {
		t.Fatal(err)
	}
	s := NewScene(whole(t), cache.New(1<<26))
	p := Compile(s, d, "", "")
	v, err := p.Channel(t.Context(), s.OnFrame(raster.Point(geom.V3(0.5, 0, 0.25), geom.V3(0, 1, 0), 0), "p"), c)
	if err != nil {
		t.Fatal(err)
	}
	var out []float32
	for _, q := range v {
		out = append(out, q.At(0))
	}
	return out
}

func doc(layers ...*stack.Layer) *stack.Document {
	d := stack.New([]string{"Sheet 1"}, 512)
	d.Layers = layers
	return d
}

func near(t *testing.T, what string, got []float32, want ...float64) {
	t.Helper()
	if len(got) != len(want) {
		t.Fatalf("%s: %v, want %v", what, got, want)
	}
	for i := range want {
		if math.Abs(float64(got[i])-want[i]) > 1e-5 {
			t.Errorf("%s: %v, want %v", what, got, want)
			return
		}
	}
}

// The expected numbers follow the W3C recommendation "Compositing and Blending
// Level 1", worked out by hand with its formulas.
func TestGroups(t *testing.T) {
	rough := func(mode blend.Mode, v float32) coats { return coats{stack.Roughness: met(mode, 1, v)} }
	base := fill("base", 1, rough("normal", 0.8))
	half := fill("half", 0.5, rough("normal", 0.2))
	mult := fill("mult", 1, rough("multiply", 0.5))
	halfMult := fill("halfMult", 0.5, rough("multiply", 0.5))
	for _, c := range []struct {
		name string
		g    *stack.Layer
		want float64
	}{
		{"not isolated, whole: as if there were no group", groupOf("g", false, 1, "", nil, half, mult), 0.25},
		{"not isolated, amount 0.4: goes that far towards it", groupOf("g", false, 0.4, "", nil, half, mult), 0.8 + 0.4*(0.25-0.8)},
		{"not isolated, behind a mask", groupOf("g", false, 1, "", []*stack.Step{even(0.25)}, half, mult), 0.8 + 0.25*(0.25-0.8)},
		{"isolated: multiply meets only what is in the group", groupOf("g", true, 1, "", nil, half), 0.5},
		// over nothing the 0.2 at half is 0.2; multiply by 0.5 at coverage 0.5: Cs' = 0.5·0.5 + 0.5·0.1 = 0.3, all covered
		{"isolated, a multiply over half a coat", groupOf("g", true, 1, "", nil, half, mult), 0.3},
		{"isolated and multiply as a whole", groupOf("g", true, 1, "multiply", nil, fill("x", 1, rough("normal", 0.5))), 0.4},
		{"isolated, masked", groupOf("g", true, 1, "", []*stack.Step{even(0.25)}, half), 0.8 + 0.25*0.5*(0.2-0.8)},
		// αs 0.5, αb 0.5: αo = 0.75; Cs' = 0.5·0.5 + 0.5·(0.2·0.5) = 0.3; Co = (0.5·0.3 + 0.5·0.5·0.2)/0.75 = 4/15
		{"isolated, two half coats", groupOf("g", true, 1, "", nil, half, halfMult), 0.8 + 0.75*(4.0/15-0.8)},
		// C0 0.8; after: 0.5, αg 0.5; without the backdrop C = 0.5 + (0.5−0.8)·(2−1) = 0.2; multiplied: 0.8·0.2
		{"not isolated with a mode of its own", groupOf("g", false, 1, "multiply", nil, half), 0.8 + 0.5*(0.16-0.8)},
		{"hidden layers of a group do nothing", groupOf("g", true, 1, "", nil, hidden(half)), 0.8},
		{"groups in groups", groupOf("g", true, 1, "", nil, groupOf("h", false, 0.5, "", nil, fill("x", 1, rough("normal", 0.2)))), 0.5},
	} {
		near(t, c.name, middle(t, doc(base, c.g), stack.Roughness), c.want)
	}
}

func hidden(l *stack.Layer) *stack.Layer {
	c := *l
	c.Visible = false
	return &c
}

// A group's layers meet the height as a new layer would, by adding, when the group
// does not say otherwise; a coat of the group's own says otherwise.
func TestAGroupsHeight(t *testing.T) {
	mm := func(mode blend.Mode, v float32) coats { return coats{stack.Height: met(mode, 1, v)} }
	base := fill("base", 1, mm("add", 0.002))
	g := groupOf("g", true, 1, "", nil, fill("x", 1, mm("add", 0.001)))
	near(t, "adds", middle(t, doc(base, g), stack.Height), 0.003)
	g.Channels = coats{stack.Height: met("normal", 1)}
	near(t, "replaces", middle(t, doc(base, g), stack.Height), 0.001)
	g.Channels = coats{stack.Height: met("lighten", 1)}
	near(t, "the higher", middle(t, doc(base, g), stack.Height), 0.002)
	g.Channels = coats{stack.Height: met("darken", 1)}
	near(t, "the lower", middle(t, doc(base, g), stack.Height), 0.001)
	g.Channels = coats{stack.Height: {Blend: "add", Amount: 1}}
	near(t, "switched off", middle(t, doc(base, g), stack.Height), 0.002)
}

func TestLinearLight(t *testing.T) {
	layers := []*stack.Layer{
		fill("black", 1, coats{stack.BaseColor: met("normal", 1, 0, 0, 0), stack.Roughness: met("normal", 1, 0)}),
		fill("white", 0.5, coats{stack.BaseColor: met("normal", 1, 1, 1, 1), stack.Roughness: met("normal", 1, 1)}),
	}
	d := doc(layers...)
	near(t, "encoded", middle(t, d, stack.BaseColor), 0.5, 0.5, 0.5)
	d.Light = stack.Linear
	half := float64(pix.EncodeSRGB(0.5)) // 0.7354
	near(t, "linear", middle(t, d, stack.BaseColor), half, half, half)
	near(t, "a data channel is not touched", middle(t, d, stack.Roughness), 0.5)
}

// Streams as sources: a ramp colours a grey; a scalar's range says what black and
// white mean; an added channel is a channel like the others; what a stream begins
// with is the coat's value.
func TestStreamsOfChannels(t *testing.T) {
	ramp := st("ramp", map[string]any{"stops": []any{[]any{0.0, 1.0, 0.0, 0.0}, []any{0.5, 0.0, 1.0, 0.0}, []any{1.0, 0.0, 0.0, 1.0}}})
	c := met("normal", 1, 0, 0, 0)
	c.Stream = []*stack.Step{even(0.75), ramp}
	near(t, "a ramp", middle(t, doc(fill("a", 1, coats{stack.BaseColor: c})), stack.BaseColor), 0, 0.5, 0.5)

	h := met("add", 1, 0)
	h.Stream, h.Range = []*stack.Step{even(0.75)}, []float32{-0.001, 0.003}
	near(t, "a range", middle(t, doc(fill("a", 1, coats{stack.Height: h})), stack.Height), 0.002)
	r := met("normal", 1, 0.6)
	r.Stream = []*stack.Step{st("invert", nil)}
	near(t, "a shaper alone changes the value", middle(t, doc(fill("a", 1, coats{stack.Roughness: r})), stack.Roughness), 0.4)

	d := doc(fill("a", 0.5, coats{"added.wet": met("normal", 1, 1), "added.tint": met("multiply", 1, 0.5, 1, 0)}))
	d.Added = []stack.AddedChannel{{Channel: "added.wet", Label: "wetness"}, {Channel: "added.tint", Label: "tint", Color: true, Default: []float32{1, 0.5, 1}}}
	near(t, "wetness", middle(t, d, "added.wet"), 0.5)
	near(t, "tint", middle(t, d, "added.tint"), 0.75, 0.5, 0.5)
}

func TestFollow(t *testing.T) {
	follow := func(layer, what string) *stack.Step {
		return st(stack.Follow, map[string]any{"layer": layer, "what": what, "low": 0.0, "high": 2.0})
	}
	a := fill("a", 1, coats{stack.Height: met("add", 1, 0.001), stack.BaseColor: met("normal", 1, 0.2, 0.4, 0.6)}, even(0.5))
	b := fill("b", 1, coats{stack.Height: met("add", 1, 0.0005)})
	rough := func(s *stack.Step) *stack.Layer {
		return fill("f", 1, coats{stack.Roughness: met("normal", 1, 1)}, s)
	}
	floor := fill("floor", 1, coats{stack.Roughness: met("normal", 1, 0)})
	for _, c := range []struct {
		name  string
		layer *stack.Layer
		want  float64
	}{
		{"a mask", rough(follow("a", "mask")), 0.5},
		{"a layer's own height: 1 of 2 mm", rough(follow("a", "height")), 0.5},
		{"the height of all below: 0.5 · 1 mm + 0.5 mm", rough(follow(stack.Below, "height")), 0.5},
		{"a colour as grey, by the weights of the recommendation", rough(follow("a", "baseColor")), 0.3*0.2 + 0.59*0.4 + 0.11*0.6},
		{"nothing chosen yet reads black", rough(follow("", "mask")), 0},
	} {
		near(t, c.name, middle(t, doc(floor, a, b, c.layer), stack.Roughness), c.want)
	}
	// a layer that is hidden can be followed all the same; below it counts for nothing
	a.Visible = false
	reader := rough(follow("a", "mask"))
	near(t, "what a hidden layer would cover", middle(t, doc(floor, a, b, reader), stack.Roughness), 0.5)
	near(t, "below, without a hidden layer", middle(t, doc(floor, a, b, rough(follow(stack.Below, "height"))), stack.Roughness), 0.25)
	// what lies below a layer in a group: its siblings, and what lies below the group
	g := groupOf("g", false, 1, "", nil, fill("k", 1, coats{stack.Height: met("add", 1, 0.001)}), rough(follow(stack.Below, "height")))
	near(t, "below within a group", middle(t, doc(floor, b, g, fill("above", 1, coats{stack.Height: met("add", 1, 0.01)})), stack.Roughness), 0.75)
}

// A followed layer's stroke must be seen in what follows it, and only there.
func TestAFollowersKeyHoldsWhatItFollows(t *testing.T) {
	hand := st(stack.Hand, nil)
	a := fill("a", 1, coats{stack.Height: met("add", 1, 0.001)}, hand)
	f := fill("f", 1, coats{stack.Roughness: met("normal", 1, 1)}, st(stack.Follow, map[string]any{"layer": "a", "what": "mask"}), st("blur", map[string]any{"radius": 4 * texel}))
	s := NewScene(whole(t), cache.New(1<<28))
	before := doc(a, f)
	stroke := &brush.Stroke{ID: "s", Radius: 5 * texel, Strength: 1, Values: map[string][]float32{"mask": {0}}, Points: brush.Points{{Pos: geom.V3(20*texel, 0, 64*texel), Nrm: geom.V3(0, 1, 0), Pressure: 1}}}
	after, _, _, err := step.Rules.Apply(before, stack.AddStroke{Target: "a", StepID: hand.ID, StrokeID: "s", Stroke: stroke, Index: -1})
	if err != nil {
		t.Fatal(err)
	}
	p, q := Compile(s, before, "", ""), Compile(s, after, "", "")
	box, only := OnlyStrokes(p, q)
	if !only {
		t.Fatal("a stroke is not seen as a stroke only")
	}
	changed := 0
	for _, tile := range surface.Tiles(0, 512) {
		u, w := s.OnTile(tile), s.OnTile(tile)
		if u.Empty() {
			continue
		}
		differs := p.Key(u, stack.Roughness) != q.Key(w, stack.Roughness)
		if differs {
			changed++
			if !u.Within(box) {
				t.Errorf("tile %+v changed outside the box of the stroke", tile)
			}
		}
		x, _ := p.Channel(t.Context(), u, stack.Roughness)
		y, _ := q.Channel(t.Context(), w, stack.Roughness)
		for i := range u.Frame().Pos {
			if x[0].At(i) != y[0].At(i) && !differs {
				t.Fatalf("tile %+v differs with the same key", tile)
			}
		}
	}
	if changed == 0 || changed > 4 {
		t.Errorf("%d tiles changed", changed)
	}
	if _, only := OnlyStrokes(p, Compile(s, doc(a), "", "")); only {
		t.Error("a layer less is taken for strokes only")
	}
}

// Of strokes of which one in the middle is drawn anew only that counts, before and after, where those
// upon it lay what they are given; where one takes from what was there all after it count.
func TestAStrokeDrawnAnewIsSeenAsItself(t *testing.T) {
	s := NewScene(whole(t), cache.New(1<<28))
	at := func(id string, x float32) *brush.Stroke {
		return &brush.Stroke{ID: id, Radius: 5 * texel, Strength: 1, Values: map[string][]float32{"mask": {0}}, Points: brush.Points{{Pos: geom.V3(x*texel, 0, 64*texel), Nrm: geom.V3(0, 1, 0), Pressure: 1}}}
	}
	for _, does := range []string{"", "smear"} {
		hand := st(stack.Hand, nil)
		last := at("last", 240)
		last.Does = does
		hand.Strokes = []*brush.Stroke{at("first", 60), at("middle", 120), last}
		before := doc(fill("a", 1, coats{stack.Roughness: met("normal", 1, 1)}, hand))
		after, _, _, err := step.Rules.Apply(before, stack.SetStroke{Target: "a", StepID: hand.ID, StrokeID: "middle", By: "anew", Stroke: at("anew", 150)})
		if err != nil {
			t.Fatal(err)
		}
		p, q := Compile(s, before, "", ""), Compile(s, after, "", "")
		box, only := OnlyStrokes(p, q)
		if !only {
			t.Fatal("a stroke that is drawn anew is not seen as a stroke only")
		}
		from, to := box.Min.X/texel, box.Max.X/texel
		if from < 60 || from > 115 || to < 155 || (to > 220) != (does == "smear") {
			t.Errorf("last stroke %q: what changed goes from %v to %v", does, from, to)
		}
		changed := 0
		for _, tile := range surface.Tiles(0, 512) {
			u := s.OnTile(tile)
			if u.Empty() || p.Key(u, stack.Roughness) == q.Key(s.OnTile(tile), stack.Roughness) {
				continue
			}
			if changed++; !u.Within(box) {
				t.Errorf("tile %+v changed outside the box", tile)
			}
		}
		if changed == 0 {
			t.Error("nothing changed")
		}
	}
}

func TestReachesAreJoined(t *testing.T) {
	m := cutUp(t)
	s := NewScene(m, cache.New(1<<26))
	cover := func(r stack.Reach) (n int) {
		l := fill("a", 1, coats{stack.Roughness: met("normal", 1, 1)})
		l.Reach = r
		for _, on := range Compile(s, doc(l), "", "").layers[0].covers.On {
			if on {
				n++
			}
		}
		return
	}
	for _, c := range []struct {
		r    stack.Reach
		want int
	}{
		{stack.Reach{Sheets: []string{"Sheet 2"}}, 64}, {stack.Reach{Parts: []string{"Plate"}}, 256}, {stack.Reach{Islands: []int32{0, 1}}, 128},
		{stack.Reach{Islands: []int32{0}, Faces: []int32{0, 10, 250, 6}}, 70}, {stack.Reach{Sheets: []string{"nowhere"}}, 0}, {stack.Reach{Faces: []int32{-5, 7, 254, 1 << 20}}, 4},
	} {
		if got := cover(c.r); got != c.want {
			t.Errorf("%+v covers %d of 256 triangles, want %d", c.r, got, c.want)
		}
	}
}

func TestDrillTellsWhatEachLayerAdds(t *testing.T) {
	d := doc(
		fill("a", 1, coats{stack.Roughness: met("normal", 1, 0.8)}),
		groupOf("g", false, 1, "", nil, fill("b", 0.5, coats{stack.Roughness: met("normal", 0.5, 0.2)}, even(0.8), st("invert", nil), even(1))),
		hidden(fill("c", 1, coats{stack.Roughness: met("normal", 1, 0)})),
	)
	d.Layers[1].Layers[0].Mask[2].On = false
	s := NewScene(whole(t), cache.New(1<<26))
	p := Compile(s, d, "", "")
	core, err := p.Drill(t.Context(), s.OnFrame(raster.Point(geom.V3(0.5, 0, 0.25), geom.V3(0, 1, 0), 0), "p"), true)
	if err != nil {
		t.Fatal(err)
	}
	var ids []string
	by := map[string]CoreLayer{}
	for _, l := range core {
		ids = append(ids, l.Layer)
		by[l.Layer] = l
	}
	if got := strings.Join(ids, " "); got != "c g b a" {
		t.Fatalf("the core sample holds %s", got)
	}
	b := by["b"]
	near(t, "mask", []float32{b.Mask}, 0.2)
	near(t, "cover", []float32{b.Cover[stack.Roughness]}, 0.2*0.5*0.5)
	near(t, "own", b.Own[stack.Roughness], 0.2)
	near(t, "result", b.Result[stack.Roughness], 0.8+0.05*(0.2-0.8))
	near(t, "below", by["a"].Result[stack.Roughness], 0.8)
	near(t, "first step", b.Steps[d.Layers[1].Layers[0].Mask[0].ID], 0.8)
	near(t, "second step", b.Steps[d.Layers[1].Layers[0].Mask[1].ID], 0.2)
	if by["c"].Shown || !b.Shown {
		t.Error("a hidden layer is said to show, or a shown one not")
	}
}

// A picture keeps its numbers when it is laid by the UVs at its own size, and its
// mips are means.
func TestPictures(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 512, 512))
	for y := range 512 {
		for x := range 512 {
			img.SetNRGBA(x, y, color.NRGBA{uint8(x / 2), uint8(y / 2), 200, 255})
		}
	}
	var file bytes.Buffer
	if err := png.Encode(&file, img); err != nil {
		t.Fatal(err)
	}
	c := met("normal", 1, 0, 0, 0)
	c.Stream = []*stack.Step{st("picture", map[string]any{"picture": "p.png", "laid": "by UVs"})}
	d := doc(fill("a", 1, coats{stack.BaseColor: c}))
	s := NewScene(whole(t), cache.New(1<<28))
	reads := 0
	s.Picture = func(name string) (*pix.Picture, error) {
		reads++
		if name != "p.png" {
			return nil, fmt.Errorf("no such file")
		}
		return pix.DecodePicture(bytes.NewReader(file.Bytes()))
	}
	p := Compile(s, d, "", "")
	for _, size := range []int{512, 128} {
		u := s.OnTile(surface.Tile{Sheet: 0, Size: size, X: 0, Y: 0})
		v, err := p.Channel(t.Context(), u, stack.BaseColor)
		if err != nil {
			t.Fatal(err)
		}
		f := u.Frame()
		for i, in := range f.Inside {
			if !in {
				continue
			}
			x, y := float64(f.Pos[i].X/texel)+32, float64(f.Pos[i].Z/texel)+32 // texels of the picture
			if math.Abs(float64(v[0].At(i))-(x-0.5)/2/255) > 2.0/255 || math.Abs(float64(v[1].At(i))-(y-0.5)/2/255) > 2.0/255 {
				t.Fatalf("size %d: %v, %v at %v, %v", size, v[0].At(i)*255, v[1].At(i)*255, x/2, y/2)
			}
		}
	}
	if reads != 1 {
		t.Errorf("the picture was read %d times", reads)
	}
	c.Stream = []*stack.Step{st("picture", map[string]any{"picture": "gone.png"})}
	p = Compile(s, doc(fill("a", 1, coats{stack.BaseColor: c})), "", "")
	_, err := p.Channel(t.Context(), s.OnTile(surface.Tile{Sheet: 0, Size: 128, X: 0, Y: 0}), stack.BaseColor)
	if err == nil || !strings.Contains(err.Error(), `layer "Coat a"`) || !strings.Contains(err.Error(), "gone.png") || !strings.Contains(err.Error(), "step 1") {
		t.Errorf("a missing picture is told as %v", err)
	}
}

// The whole stack must not depend on what the cache still holds, nor on how small
// it is.
func TestATinyCacheGivesTheSameTexels(t *testing.T) {
	var steps []*stack.Step
	steps = append(append(steps, stripe()...), st("blur", map[string]any{"radius": 6 * texel}), st("sharpen", map[string]any{"radius": 2 * texel}))
	big := onPlate(t, cutUp(t), steps)
	m := cutUp(t)
	d := doc(fill("a", 1, nil, steps...))
	d.Sheets["Sheet 2"] = stack.SheetSize{Size: 512}
	s := NewScene(m, cache.New(1000))
	p := Compile(s, d, "", "")
	for _, tile := range surface.Tiles(0, 512)[:6] {
		u := s.OnTile(tile)
		if u.Empty() {
			continue
		}
		v, err := p.Mask(t.Context(), u, "a")
		if err != nil {
			t.Fatal(err)
		}
		f := u.Frame()
		for i, in := range f.Inside {
			x, z := int(f.Pos[i].X/texel), int(f.Pos[i].Z/texel)
			if in && math.Abs(float64(v.At(i)-big[x][z])) > 1e-6 {
				t.Fatalf("%v at %d, %d; with a large cache %v", v.At(i), x, z, big[x][z])
			}
		}
	}
	if bytes, _, _ := s.Cache.Stats(); bytes > 1<<20 {
		t.Errorf("the cache holds %d bytes", bytes)
	}
}
