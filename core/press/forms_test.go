package press

import (
	"context"
	"encoding/json"
	"math"
	"slices"
	"strings"
	"testing"
)

// differ is the mean and the largest difference of two stamps of one size.
func differ(a, b *Stamp) (mean, most float64) {
	for i, v := range a.Grey {
		d := math.Abs(float64(v - b.Grey[i]))
		mean += d
		most = max(most, d)
	}
	return mean / float64(len(a.Grey)), most
}

// mapped is a stamp whose texel (x, y) is the other's at f(x, y).
func (st *Stamp) mapped(f func(x, y int) (int, int)) *Stamp {
	out := &Stamp{st.Size, make([]float32, len(st.Grey))}
	for y := range st.Size {
		for x := range st.Size {
			fx, fy := f(x, y)
			out.Grey[y*st.Size+x] = st.Grey[fy*st.Size+fx]
		}
	}
	return out
}

// every returns a shape of each kind that fills about half of the stamp, with no symmetry of
// its own in the way it lies.
func every(t *testing.T) map[string]Shape {
	t.Helper()
	out := map[string]Shape{}
	for _, k := range shapes {
		s := Shape{Kind: k.Kind, Level: 0.8, Wide: 1.1, Tall: 0.7, X: 0.13, Y: -0.21, Turn: 17, Rise: 0.1, Form: "round"}
		switch k.Kind {
		case "text":
			s.Text = "Berth 7"
		case "outline":
			s.Points = [][2]float32{{-1, -0.8}, {0.9, -1}, {0.4, 0.2}, {1, 0.9}, {-0.7, 1}}
		case "picture":
			s.File = []byte(`<svg viewBox="0 0 40 20"><path d="M2 2h30l4 9-12 7z"/></svg>`)
		}
		out[k.Kind] = s
	}
	return out
}

// rough draws a stamp without averaging a larger one.
func rough(t *testing.T, size int, r Recipe) *Stamp {
	t.Helper()
	st, err := drawn(t.Context(), &r, size)
	if err != nil {
		t.Fatal(err)
	}
	return st
}

// A quarter turn of a shape about the stamp's middle is the stamp turned: frames, rows and
// columns are the same whichever way a shape lies.
func TestAQuarterTurnTurnsTheStamp(t *testing.T) {
	const n = 256
	for kind, s := range every(t) {
		was := rough(t, n, Recipe{Shapes: []Shape{s}})
		turned := s
		turned.Turn += 90 // anticlockwise, with its middle
		turned.X, turned.Y = -s.Y, s.X
		now := rough(t, n, Recipe{Shapes: []Shape{turned}})
		// the texel at column x, row y came from the one a quarter turn back
		want := was.mapped(func(x, y int) (int, int) { return n - 1 - y, x })
		if mean, _ := differ(now, want); mean > 0.0008 || was.area() < 0.05 {
			t.Errorf("%s: a turned shape and a turned stamp differ by %.5f on the mean", kind, mean)
		}
	}
}

// Moving a shape by whole texels moves its heights.
func TestMovingMovesTheHeights(t *testing.T) {
	const n, by = 256, 24
	for kind, s := range every(t) {
		was := rough(t, n, Recipe{Shapes: []Shape{s}})
		s.X += by * 2.0 / n
		s.Y += by * 2.0 / n
		now := rough(t, n, Recipe{Shapes: []Shape{s}})
		for y := range n - by {
			for x := by; x < n; x++ {
				if a, b := was.Grey[(y+by)*n+x-by], now.Grey[y*n+x]; math.Abs(float64(a-b)) > 0.03 {
					t.Fatalf("%s: at %d, %d it is %v; before the move it was %v", kind, x, y, b, a)
				}
			}
		}
	}
}

// The height of a shape scales all of it, and half the size has a quarter of the volume.
func TestHeightAndSizeScale(t *testing.T) {
	for kind, s := range every(t) {
		whole := rough(t, 256, Recipe{Shapes: []Shape{s}})
		low := s
		low.Level = s.Level / 4
		if kind != "picture" { // a picture is read anew: its greys are rounded
			quarter := rough(t, 256, Recipe{Shapes: []Shape{low}})
			for i, v := range whole.Grey {
				if math.Abs(float64(quarter.Grey[i]-v/4)) > 1e-5 {
					t.Fatalf("%s: a quarter of the height is %v, not %v", kind, quarter.Grey[i], v/4)
				}
			}
		}
		small := s
		small.Wide, small.Tall, small.Rise = s.Wide/2, s.Tall/2, s.Rise/2
		a, b := whole.area(), rough(t, 256, Recipe{Shapes: []Shape{small}}).area()
		if math.Abs(a/b-4) > 0.12 {
			t.Errorf("%s: half as large it has %.4f of %.4f", kind, b, a)
		}
	}
}

// What lies on both sides of a mirror line is the same there: regular forms have the
// symmetry of their corners.
func TestRegularFormsAreSymmetric(t *testing.T) {
	const n = 240
	mirror := func(x, y int) (int, int) { return n - 1 - x, y }
	for _, s := range []Shape{
		{Kind: "polygon", Sides: 5}, {Kind: "polygon", Sides: 8, Corner: 0.1}, {Kind: "star", Sides: 7, Inner: 0.4},
		{Kind: "gear", Sides: 9, Inner: 0.7}, {Kind: "cross", Inner: 0.3}, {Kind: "ring", Inner: 0.5},
		{Kind: "rounded bar", Corner: 0.2, Tall: 0.6}, {Kind: "cone"}, {Kind: "dome"},
	} {
		s.Level, s.Wide = 1, 1.7
		st := rough(t, n, Recipe{Shapes: []Shape{s}})
		if mean, _ := differ(st, st.mapped(mirror)); mean > 1e-4 {
			t.Errorf("%s: its left and right differ by %.5f", s.Kind, mean)
		}
		if s.Sides == 0 {
			continue
		}
		// a turn by one corner changes nothing
		turned := s
		turned.Turn = 360 / float32(s.Sides)
		if mean, _ := differ(st, rough(t, n, Recipe{Shapes: []Shape{turned}})); mean > 1e-3 {
			t.Errorf("%s of %d: turned by a corner it differs by %.5f", s.Kind, s.Sides, mean)
		}
	}
}

// Letters: as tall as asked, upright, in their order, with their holes, closer where they are kerned.
func TestLetters(t *testing.T) {
	one := draw(t, 400, Recipe{Shapes: []Shape{{Kind: "text", Text: "O", Level: 1, Wide: 1.2, Tall: 1.6}}})
	if one.of(0, 0) > 0.01 || one.of(0, 0.75) < 0.99 || one.of(-0.54, 0) < 0.99 || one.of(0.9, 0.9) > 0.01 {
		t.Error("an O has no hole, or no rim")
	}
	i := draw(t, 400, Recipe{Shapes: []Shape{{Kind: "text", Text: "L", Level: 1, Wide: 1, Tall: 1.6}}})
	if i.of(-0.4, 0.7) < 0.99 || i.of(0.3, -0.7) < 0.99 || i.of(0.3, 0.5) > 0.01 {
		t.Error("an L stands on its head, or is mirrored")
	}
	width := func(text string) float32 {
		o, err := letters(text, "bold")
		if err != nil {
			t.Fatal(err)
		}
		lo, hi := o.bounds()
		return hi.x - lo.x
	}
	if together, apart := width("AVAVAV"), width("AAAVVV"); together > apart {
		t.Errorf("kerned letters take %v, others %v", together, apart)
	}
	if mono, err := letters("ii", "mono"); err != nil {
		t.Fatal(err)
	} else if wide, err := letters("MM", "mono"); err != nil {
		t.Fatal(err)
	} else {
		a, b := mono.bounds()
		c, d := wide.bounds()
		if b.x-a.x < 0.4*(d.x-c.x) {
			t.Error("letters of one width do not stand at one width")
		}
	}
	// with no height of its own a line is as wide as asked and keeps its form
	long := draw(t, 400, Recipe{Shapes: []Shape{{Kind: "text", Text: "LOW WICK", Level: 1, Wide: 1.8}}})
	left, right, top := 400, 0, 400
	for k, v := range long.Grey {
		if v > 0.5 {
			left, right, top = min(left, k%400), max(right, k%400), min(top, k/400)
		}
	}
	if w := float64(right-left+1) / 200; math.Abs(w-1.8) > 0.03 || top < 140 {
		t.Errorf("a line is %.2f wide and begins in row %d", w, top)
	}
	if none := draw(t, 64, Recipe{Shapes: []Shape{{Kind: "text", Text: " ", Level: 1, Wide: 1}}}); none.area() != 0 {
		t.Error("a blank leaves something")
	}
}

// Softening by: hardly where the guide says nought, whole where it says one, and never
// beyond what was there.
func TestSofteningByEachGuide(t *testing.T) {
	stripes := []Shape{{Kind: "bar", Level: 1, Wide: 0.1, Tall: 4, Repeat: &Repeat{Kind: "row", Count: 12, Step: 0.2}}}
	sharp := rough(t, 320, Recipe{Shapes: stripes})
	// how much the heights still go up and down around a place
	swing := func(st *Stamp, x, y float32) float32 {
		lo, hi := float32(1), float32(0)
		for k := range 32 {
			v := st.of(min(max(x+float32(k-16)*0.00625, -0.99), 0.99), y)
			lo, hi = min(lo, v), max(hi, v)
		}
		return hi - lo
	}
	for by, at := range map[string][2][2]float32{
		"middle": {{0.9, 0.9}, {0, 0}}, "rim": {{0, 0}, {0.9, 0.9}},
		"left to right": {{-0.85, 0}, {0.85, 0}}, "foot to head": {{0, -0.95}, {0, 0.95}},
		"picture": {{-0.7, 0}, {0.7, 0}},
	} {
		a := Treat{Kind: "soften by", Amount: 0.3, By: by}
		if by == "picture" {
			a.File = []byte(`<svg viewBox="0 0 2 2"><rect width="1" height="2" fill="#000"/><rect x="1" width="1" height="2" fill="#fff"/></svg>`)
		}
		st := rough(t, 320, Recipe{Shapes: stripes, After: []Treat{a}})
		least, most := swing(st, at[0][0], at[0][1]), swing(st, at[1][0], at[1][1])
		if least < 0.75 || most > 0.35 {
			t.Errorf("%s: where it says nought the stripes keep %.2f of their height, where it says one %.2f", by, least, most)
		}
		if math.Abs(st.area()-sharp.area()) > 0.08*sharp.area() {
			t.Errorf("%s: the volume went from %.3f to %.3f", by, sharp.area(), st.area())
		}
	}
	even := rough(t, 64, Recipe{Shapes: []Shape{{Kind: "bar", Level: 0.5, Wide: 4, Tall: 4}}, After: []Treat{{Kind: "soften by", Amount: 1, By: "heights"}}})
	if lo, hi := slices.Min(even.Grey), slices.Max(even.Grey); lo < 0.49999 || hi > 0.50001 {
		t.Errorf("an even stamp goes from %v to %v", lo, hi)
	}
}

// Heights stay within 0..1 whatever is laid and treated, and what is off leaves no trace.
func TestHeightsStayInRange(t *testing.T) {
	var laid []Shape
	for _, s := range every(t) {
		s.Combine = "add"
		laid = append(laid, s)
	}
	slices.SortFunc(laid, func(a, b Shape) int { return strings.Compare(a.Kind, b.Kind) })
	for _, k := range treats {
		a := Treat{Kind: k.Kind, Amount: 0.7, Sharp: 0.5, Scale: 0.1, Seed: 4, Points: [][2]float32{{0, 1}, {0.4, 0}, {1, 1}}}
		st := rough(t, 96, Recipe{Shapes: laid, After: []Treat{a}})
		for i, v := range st.Grey {
			if !(v >= 0 && v <= 1) {
				t.Fatalf("%s: texel %d is %v", k.Kind, i, v)
			}
		}
		a.Off = true
		off := rough(t, 96, Recipe{Shapes: laid, After: []Treat{a}})
		if _, most := differ(off, rough(t, 96, Recipe{Shapes: laid})); most != 0 {
			t.Errorf("%s: switched off it still changes %v", k.Kind, most)
		}
	}
}

// A recipe is its JSON: read back it draws the same, and it does not draw with what it has
// not checked.
func TestARecipeIsItsJSON(t *testing.T) {
	for _, s := range Shelf()[:12] {
		b, err := json.Marshal(s.Recipe)
		if err != nil {
			t.Fatal(err)
		}
		var r Recipe
		if err := json.Unmarshal(b, &r); err != nil {
			t.Fatal(err)
		}
		if _, most := differ(rough(t, 64, s.Recipe), rough(t, 64, r)); most != 0 {
			t.Errorf("%s: read back it differs by %v", s.Recipe.Name, most)
		}
		if ByName(s.Recipe.Name) == nil {
			t.Errorf("%q is not found by its name", s.Recipe.Name)
		}
	}
	if ByName("Nobody's stamp") != nil {
		t.Error("a stamp that is not on the shelf was found")
	}
	for _, size := range []int{-1, 0, 7} {
		if _, err := Draw(context.Background(), &Recipe{}, size); err == nil {
			t.Errorf("a stamp of %d texels was drawn", size)
		}
	}
	if Weight(4096) < 4096*4096*4 || Weight(8) < 8*8*4 {
		t.Error("drawing a stamp is said to take less than the stamp itself")
	}
}
