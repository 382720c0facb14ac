package eval

import (
	"math/rand/v2"
	"slices"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
	"velvetgrime/core/warp"
)

// slid is a layer painted through a slide of the board, its middle at a place in the view.
func slid(t *testing.T, at [2]float32) *stack.Document {
	t.Helper()
	s := through(func(c *brush.Stencil) { c.Colors = true })
	stencil := *s.Stencil
	stencil.At = at
	s.Stencil, s.Slide = nil, "first"
	d := stencilled(s)
	d.Layers[1].Slides = []*stack.Slide{{ID: "first", Name: "Board", Stencil: stencil}}
	if err := step.Rules.Check(d); err != nil {
		t.Fatal(err)
	}
	return d
}

// What was painted through a slide is what it is through a stencil at the same place, and goes
// with the slide when that is moved, as if it had been painted there.
func TestWhatWasPaintedThroughASlideGoesWithIt(t *testing.T) {
	scene := decalScene(cutUp(t))
	for _, at := range [][2]float32{{0, 0}, {0.3, 0.1}, {-0.4, 0}, {0, 0}} {
		moved := onDeck(t, scene, slid(t, at), stack.BaseColor)
		fixed := onDeck(t, decalScene(cutUp(t)), stencilled(through(func(c *brush.Stencil) { c.Colors, c.At = true, at })), stack.BaseColor)
		red := 0
		for x := range moved {
			for z := range moved[x] {
				if moved[x][z] != fixed[x][z] {
					t.Fatalf("at %v: at %d, %d it is %v, painted there it were %v", at, x, z, moved[x][z], fixed[x][z])
				}
				if moved[x][z][0] > 0.9 {
					red++
				}
			}
		}
		if red < 1000 {
			t.Errorf("at %v: it shows on %d texels", at, red)
		}
	}
}

// A slide that is changed keeps its strokes one another's: those of another slide are the very
// same, and keys of tiles that it does not reach are too.
func TestSlidesAreResolvedOnce(t *testing.T) {
	d := slid(t, [2]float32{0, 0})
	s := decalScene(whole(t))
	tile := s.OnTile(surface.Tile{Size: 512, X: 1})
	key := Compile(s, d, "", "").Key(tile, stack.BaseColor)
	other := *d
	l := *d.Layers[1]
	l.Amount = 0.5
	other.Layers = []*stack.Layer{d.Layers[0], &l}
	a, b := Compile(s, d, "", ""), Compile(s, &other, "", "")
	if a.all["paint"].strokes.All[0] != b.all["paint"].strokes.All[0] {
		t.Error("a stroke through a slide that did not move is made anew")
	}
	if a.Key(tile, stack.BaseColor) != key {
		t.Error("the same document has another key")
	}
	next, _, _, err := step.Rules.Apply(d, stack.SetSlide{Target: "paint", Slide: slid(t, [2]float32{0.1, 0}).Layers[1].Slides[0]})
	if err != nil {
		t.Fatal(err)
	}
	if Compile(s, next, "", "").Key(tile, stack.BaseColor) == key {
		t.Error("a slide that was moved keeps the key")
	}
	if len(d.Pictures()) != 1 {
		t.Errorf("the pictures are %v", d.Pictures())
	}
}

// What was painted through a slide goes with what is pushed in its picture, in a warm scene as
// in a fresh one, and comes back with it; what was not pushed stays.
func TestWhatWasPaintedThroughASlideGoesWithWhatIsPushed(t *testing.T) {
	scene := decalScene(cutUp(t))
	d := slid(t, [2]float32{})
	was := onDeck(t, scene, d, stack.BaseColor)
	brush := &warp.Brush{Does: warp.Push, Radius: 0.2, Strength: 1, Path: []float32{0.3, 0.3, 0.45, 0.4}}
	next, back, _, err := step.Rules.Apply(d, stack.WarpSlide{Target: "paint", Slide: "first", Brush: brush})
	if err != nil {
		t.Fatal(err)
	}
	now, fresh := onDeck(t, scene, next, stack.BaseColor), onDeck(t, decalScene(cutUp(t)), next, stack.BaseColor)
	moved, all := 0, 0
	for x := range now {
		for z := range now[x] {
			if now[x][z] != fresh[x][z] {
				t.Fatalf("at %d, %d it is %v, in a fresh scene %v", x, z, now[x][z], fresh[x][z])
			}
			if now[x][z] != was[x][z] {
				moved++
			}
			all++
		}
	}
	if moved == 0 || moved > all/3 {
		t.Errorf("%d of %d places changed", moved, all)
	}
	if d, _, _, err = step.Rules.Apply(next, back); err != nil {
		t.Fatal(err)
	}
	again := onDeck(t, scene, d, stack.BaseColor)
	for x := range again {
		for z := range again[x] {
			if again[x][z] != was[x][z] {
				t.Fatalf("taken back, at %d, %d it is %v and was %v", x, z, again[x][z], was[x][z])
			}
		}
	}
}

// A push changes tiles that see what is pushed, and no others of those that its strokes cover: what
// keeps its key is to the bit what it is in a fresh scene, push after push, with the strokes mirrored
// to both sides, too.
func TestAPushChangesTheTilesThatSeeIt(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 2))
	for name, of := range map[string]func(s *brush.Stroke){
		"plain":    func(*brush.Stroke) {},
		"mirrored": func(s *brush.Stroke) { s.Mirror = &brush.Mirror{Planes: []geom.Vec3{{X: 1}}} },
		"both":     func(s *brush.Stroke) { s.Mirror = &brush.Mirror{Planes: []geom.Vec3{{X: 1}}} },
	} {
		scene, d := decalScene(cutUp(t)), slid(t, [2]float32{})
		of(d.Layers[1].Strokes[0])
		d.Layers[1].Slides[0].Stencil.Both = name == "both"
		evaluate := func(s *Scene, p *Program, tile surface.Tile) []pix.Plane {
			got, err := p.Channel(t.Context(), s.OnTile(tile), stack.BaseColor)
			if err != nil {
				t.Fatal(err)
			}
			return got
		}
		a := Compile(scene, d, "", "")
		kept, covered := 0, 0
		for range 6 {
			x, y := rng.Float32(), rng.Float32()
			next, _, _, err := step.Rules.Apply(d, stack.WarpSlide{Target: "paint", Slide: "first", Brush: &warp.Brush{
				Does: warp.Push, Radius: 0.05 + 0.1*rng.Float32(), Strength: 1, Path: []float32{x, y, x + 0.05, y - 0.04}}})
			if err != nil {
				t.Fatal(err)
			}
			within(t, scene, name, d, next, 1024)
			b, fresh := Compile(scene, next, "", ""), decalScene(cutUp(t))
			f := Compile(fresh, next, "", "")
			for _, tile := range surface.Tiles(0, 1024) {
				u := scene.OnTile(tile)
				if u.Empty() {
					continue
				}
				same := a.Key(u, stack.BaseColor) == b.Key(u, stack.BaseColor)
				if list, _ := b.strokes.Touching(u, b.painting(b.all["paint"]), string(stack.BaseColor), 0); len(list) > 0 {
					covered++
					if same {
						kept++
					}
				}
				if !slices.EqualFunc(evaluate(scene, b, tile), evaluate(fresh, f, tile), func(x, y pix.Plane) bool { return slices.Equal(x.Data, y.Data) && x.Value == y.Value }) {
					t.Fatalf("%s: tile %v is another one in a fresh scene; its key stayed: %v", name, tile, same)
				}
			}
			d, a = next, b
		}
		if local := name != "both"; local && kept < covered/3 || !local && kept > 0 {
			t.Errorf("%s: of %d tiles that it covers %d keep their key", name, covered, kept)
		}
	}
}

// A slide that is moved or pushed, set anew or let go changes what lies under its strokes alone: that
// is known without the key of every tile.
func TestAMovedSlideChangesWhatIsUnderItsStrokes(t *testing.T) {
	s := decalScene(whole(t))
	d := slid(t, [2]float32{})
	push := stack.WarpSlide{Target: "paint", Slide: "first", Brush: &warp.Brush{Does: warp.Push, Radius: 0.3, Strength: 1, Path: []float32{0.3, 0.5, 0.6, 0.5}}}
	moved := *d.Layers[1].Slides[0]
	moved.Stencil.At[0] += 0.3
	other := moved
	other.ID = "unused"
	for name, op := range map[string]stack.Op{"pushed": push, "moved": stack.SetSlide{Target: "paint", Slide: &moved}, "another": stack.SetSlide{Target: "paint", Slide: &other, Index: -1}} {
		next, _, _, err := step.Rules.Apply(d, op)
		if err != nil {
			t.Fatal(err)
		}
		inside, _, changed := within(t, s, name, d, next, 512)
		if want := name != "another"; (changed > 0) != want || inside > 0 != want {
			t.Errorf("%s: %d tiles lie inside, %d change", name, inside, changed)
		}
	}
}

// within compares two documents where it is known what changes between them: how many tiles of the
// first sheet lie inside of that and beyond it, and how many have another key. None beyond may.
func within(t *testing.T, s *Scene, name string, d, next *stack.Document, size int) (inside, beyond, changed int) {
	t.Helper()
	a, b := Compile(s, d, "", ""), Compile(s, next, "", "")
	box, ok := OnlyStrokes(a, b)
	if !ok {
		t.Fatalf("%s: it is not known where", name)
	}
	for _, tile := range surface.Tiles(0, size) {
		u := s.OnTile(tile)
		if u.Empty() {
			continue
		}
		other := a.Key(u, stack.BaseColor) != b.Key(u, stack.BaseColor)
		if other {
			changed++
		}
		if u.Within(box) {
			inside++
			continue
		}
		if beyond++; other {
			t.Errorf("%s: tile %v changes, beyond %v", name, tile, box)
		}
	}
	return inside, beyond, changed
}
