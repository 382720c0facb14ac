package warp

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"velvetgrime/core/geom"
)

func near(a, b, by float32) bool { return float32(math.Abs(float64(a-b))) <= by }

// Nothing moves nothing: everywhere lies what lies there.
func TestNothingMovesNothing(t *testing.T) {
	for _, f := range []*Field{nil, kept(make([]float32, 2*points), nil)} {
		for _, p := range [][2]float32{{0, 0}, {0.31, 0.72}, {1, 1}, {-3, 0.5}, {0.5, 9}} {
			if x, y, larger := f.At(p[0], p[1]); x != p[0] || y != p[1] || larger != 1 {
				t.Errorf("at %v lies (%v, %v), %v times as much", p, x, y, larger)
			}
		}
	}
}

// A short push moves every point of the grid by its share of the way: what is seen there lay
// by so much farther back.
func TestAShortPush(t *testing.T) {
	for _, form := range []float32{1, 1.6, 0.4} {
		b := &Brush{Does: Push, Radius: 0.3, Strength: 0.7, Path: []float32{0.5, 0.5, 0.52, 0.51}}
		f := (*Field)(nil).Brushed(b, form)
		for y := range Side {
			for x := range Side {
				u, v := float32(x)*span/cells-Rim, float32(y)*span/cells-Rim
				share := 0.7 * (1 - geom.Smoothstep(0, 1, geom.Hypot(u-0.52, (v-0.51)/form)/0.3))
				gu, gv, _ := f.At(u, v)
				if !near(gu, u-share*0.02, 1.1*unit) || !near(gv, v-share*0.01, 1.1*unit) {
					t.Fatalf("form %v: at (%v, %v), whose share is %v, lies (%v, %v)", form, u, v, share, gu, gv)
				}
			}
		}
	}
}

// What is under a brush of full strength goes with it, however far and by whatever way.
func TestWhatIsPushedGoesAlong(t *testing.T) {
	for name, path := range map[string][]float32{
		"along":     {0.3, 0.5, 0.7, 0.5},
		"in pieces": {0.3, 0.5, 0.41, 0.52, 0.5, 0.47, 0.62, 0.5, 0.7, 0.5},
		"beyond":    {0.9, 0.5, 1.2, 0.6},
		"back":      {0.4, 0.4, 0.6, 0.7, 0.4, 0.4},
	} {
		f := (*Field)(nil).Brushed(&Brush{Does: Push, Radius: 0.25, Strength: 1, Path: path}, 1.3)
		n := len(path)
		if u, v, _ := f.At(path[n-2], path[n-1]); !near(u, path[0], 0.012) || !near(v, path[1], 0.012) {
			t.Errorf("%s: at the end of %v lies (%v, %v)", name, path, u, v)
		}
		if u, v, _ := f.At(0.1, 0.05); u != 0.1 || v != 0.05 {
			t.Errorf("%s: far away lies (%v, %v)", name, u, v)
		}
	}
}

// However one pushes, nothing is folded over: the picture is never seen mirrored. And what a
// length covers is what differences say.
func TestNothingIsFoldedOver(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 1))
	for range 20 {
		var f *Field
		form := 0.5 + 1.5*rng.Float32()
		for range 6 {
			b := &Brush{Does: Push, Radius: 0.08 + 0.3*rng.Float32(), Strength: rng.Float32()}
			at := [2]float32{rng.Float32(), rng.Float32()}
			for range 5 {
				b.Path = append(b.Path, at[0], at[1])
				at[0], at[1] = at[0]+0.15*(rng.Float32()-0.5), at[1]+0.15*(rng.Float32()-0.5)
			}
			f = f.Brushed(b, form)
		}
		for range 4000 {
			u, v := rng.Float32()*1.6-0.3, rng.Float32()*1.6-0.3
			const d = 1e-3
			at := func(u, v float32) (float32, float32, float32) { return f.At(u, v) }
			ax, ay, larger := at(u, v)
			bx, by, _ := at(u+d, v)
			cx, cy, _ := at(u, v+d)
			if turn := (bx-ax)*(cy-ay) - (by-ay)*(cx-ax); turn <= 0 {
				t.Fatalf("at (%v, %v) the picture is folded: %v", u, v, turn/d/d)
			}
			want := max(geom.Hypot(bx-ax, by-ay)/d, geom.Hypot(cx-ax, cy-ay)/d, 1)
			if !near(larger, want, 0.05*want) {
				t.Fatalf("at (%v, %v) a length covers %v, differences say %v", u, v, larger, want)
			}
		}
	}
}

// What is pinned stays; unpinned it goes along again.
func TestPins(t *testing.T) {
	pin := &Brush{Does: Pin, Radius: 0.2, Strength: 1, Path: []float32{0.5, 0.5}}
	pushed := &Brush{Does: Push, Radius: 0.3, Strength: 1, Path: []float32{0.4, 0.5, 0.6, 0.5}}
	f := (*Field)(nil).Brushed(pin, 1)
	held := f.Brushed(pushed, 1)
	for _, p := range [][2]float32{{0.5, 0.5}, {0.53, 0.47}} {
		if u, v, _ := held.At(p[0], p[1]); !near(u, p[0], 0.01) || !near(v, p[1], 0.01) {
			t.Errorf("pinned, %v is seen as (%v, %v)", p, u, v)
		}
	}
	if u, _, _ := held.At(0.5, 0.25); !near(u, 0.5, 0.2) || near(u, 0.5, 0.002) {
		t.Errorf("beside the pins nothing moved: %v", u)
	}
	unpin := *pin
	unpin.Does, unpin.Radius = Unpin, 0.5
	free := f.Brushed(&unpin, 1)
	if free.Pins != nil {
		t.Error("all is freed, and pins are kept")
	}
	if u, _, _ := free.Brushed(pushed, 1).At(0.6, 0.5); !near(u, 0.4, 0.012) {
		t.Errorf("freed, what was pinned does not go along: %v", u)
	}
}

// Smoothed back, what was pushed comes nearer to where it was with each dab, and never beyond.
func TestSmoothedBack(t *testing.T) {
	f := (*Field)(nil).Brushed(&Brush{Does: Push, Radius: 0.3, Strength: 1, Path: []float32{0.4, 0.5, 0.6, 0.5}}, 1)
	far := func() float32 { u, _, _ := f.At(0.6, 0.5); return 0.6 - u }
	was := far()
	for range 40 {
		f = f.Brushed(&Brush{Does: Smooth, Radius: 0.5, Strength: 1, Path: []float32{0.6, 0.5}}, 1)
		if now := far(); now >= was && was > unit || now < 0 {
			t.Fatalf("from %v it goes to %v", was, now)
		} else {
			was = now
		}
	}
	if was > 2*unit {
		t.Errorf("after forty dabs it is still %v away", was)
	}
}

// Read back from JSON a field is the same; one of another size, and brushes out of their
// ranges, are refused with what is wrong.
func TestWhatIsRefused(t *testing.T) {
	f := (*Field)(nil).Brushed(&Brush{Does: Push, Radius: 0.3, Strength: 1, Path: []float32{0.4, 0.5, 0.6, 0.5}}, 1)
	b, err := json.Marshal(f)
	if err != nil {
		t.Fatal(err)
	}
	var g Field
	if err := json.Unmarshal(b, &g); err != nil || g.Check() != nil {
		t.Fatal(err, g.Check())
	}
	u, v, _ := f.At(0.55, 0.52)
	if gu, gv, _ := g.At(0.55, 0.52); gu != u || gv != v {
		t.Errorf("(%v, %v) is read back as (%v, %v)", u, v, gu, gv)
	}
	nan := float32(math.NaN())
	for want, check := range map[string]error{
		"bytes of offsets": (&Field{Moved: make([]byte, 12)}).Check(),
		"pins":             (&Field{Moved: make([]byte, 4*points), Pins: make([]byte, 3)}).Check(),
		"does not":         (&Brush{Does: "paint", Path: []float32{0, 0}, Radius: 0.1}).Check(),
		"path has 3":       (&Brush{Does: Push, Path: []float32{0, 0, 1}, Radius: 0.1}).Check(),
		"the place":        (&Brush{Does: Push, Path: []float32{0, nan}, Radius: 0.1}).Check(),
		"radius":           (&Brush{Does: Push, Path: []float32{0, 0}, Radius: nan}).Check(),
		"strength":         (&Brush{Does: Push, Path: []float32{0, 0}, Radius: 0.1, Strength: 2}).Check(),
	} {
		if check == nil || !strings.Contains(check.Error(), want) {
			t.Errorf("%q is not told: %v", want, check)
		}
	}
	if err := (*Field)(nil).Check(); err != nil {
		t.Error(err)
	}
}

// What names a part of a field names all that is seen there: pushed on, places in cells whose name stayed
// are seen where they were, to the bit; so are all beyond the cells that are told to have changed. Where
// nothing was pushed a field has the name of none.
func TestPartsOfAField(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 8))
	var f *Field
	stayed, others := 0, 0
	for range 30 {
		b := &Brush{Does: Push, Radius: 0.03 + 0.2*rng.Float32(), Strength: 1}
		for range 3 {
			b.Path = append(b.Path, rng.Float32()*1.8-0.4, rng.Float32()*1.8-0.4)
		}
		g := f.Brushed(b, 1.4)
		changed := Changed(f, g)
		for range 60 {
			u, v := rng.Float32()*2.4-0.7, rng.Float32()*2.4-0.7
			w, h := 0.3*rng.Float32(), 0.3*rng.Float32()
			var c Cells
			c.Add(u, v, u+w, v+h)
			same := f.Part(&c) == g.Part(&c)
			if same {
				stayed++
			} else {
				others++
			}
			if !same && !c.Meets(changed) {
				t.Fatalf("a part about (%v, %v) has another name, and none of its cells changed", u, v)
			}
			for range 20 {
				x, y := u+w*rng.Float32(), v+h*rng.Float32()
				ax, ay, al := f.At(x, y)
				bx, by, bl := g.At(x, y)
				if moved := ax != bx || ay != by || al != bl; moved && (same || !c.Meets(changed)) {
					t.Fatalf("(%v, %v) is seen at (%v, %v) and then at (%v, %v); the name of its part stayed: %v", x, y, ax, ay, bx, by, same)
				}
			}
		}
		for range 4000 { // of one cell alone, with nothing around it for rounding
			x, y := rng.Float32()*2-0.5, rng.Float32()*2-0.5
			var c Cells
			c[min(int(grid(y)), cells-1)] |= 1 << min(int(grid(x)), cells-1)
			ax, ay, _ := f.At(x, y)
			bx, by, _ := g.At(x, y)
			if (ax != bx || ay != by) && (f.Part(&c) == g.Part(&c) || !c.Meets(changed)) {
				t.Fatalf("(%v, %v) is seen elsewhere, and its cell has the same name", x, y)
			}
		}
		if rng.IntN(6) == 0 {
			g = nil // let go
		}
		f = g
	}
	if stayed < 100 || others < 100 {
		t.Errorf("%d parts stayed, %d did not", stayed, others)
	}
	far := (*Field)(nil).Brushed(&Brush{Does: Push, Radius: 0.1, Strength: 1, Path: []float32{0.2, 0.2, 0.25, 0.2}}, 1)
	var c Cells
	c.Add(0.6, 0.6, 1, 1)
	if far.Part(&c) != (*Field)(nil).Part(&c) {
		t.Error("where nothing was pushed a field has a name of its own")
	}
}
