package press

import (
	"math"
	"testing"
)

func set(t *testing.T, w Words) *Lettering {
	t.Helper()
	l, err := NewLettering(w)
	if err != nil {
		t.Fatal(err)
	}
	return l
}

// Letters that lie apart make a line longer by that for every letter but the last; it stays as
// tall, and the lines of a block stay in the middle.
func TestLettersLieApart(t *testing.T) {
	for _, font := range []string{"bold", "regular", "mono"} {
		for _, apart := range []float32{-0.1, 0.2, 1} {
			a, b := set(t, Words{Text: "DUNLIN", Font: font}), set(t, Words{Text: "DUNLIN", Font: font, Apart: apart})
			if got, want := b.wide-a.wide, 5*2*apart; math.Abs(float64(got-want)) > 0.01 || a.tall != b.tall {
				t.Errorf("%s, %v apart: %v longer, want %v", font, apart, got, want)
			}
			block := set(t, Words{Text: "DUNLIN\nLOW WICK", Font: font, Apart: apart})
			lo, hi := block.loops.bounds()
			var line outline
			for _, l := range block.loops { // the upper line
				if l[0].y > block.tall/2 {
					line = append(line, l)
				}
			}
			a0, a1 := line.bounds()
			if math.Abs(float64((a0.x+a1.x)-(lo.x+hi.x))) > 0.02 {
				t.Errorf("%s: the first line lies at %v..%v of %v..%v", font, a0.x, a1.x, lo.x, hi.x)
			}
		}
	}
}

// What is cut for a stencil holds together: a bar of what is left goes through every closed part
// of a letter. Letters without such a part, and the dot of an i, are as they were.
func TestBridgesHoldWhatIsClosed(t *testing.T) {
	ink := func(w Words) (all float64, column []float64) {
		p, err := set(t, w).Picture(200)
		if err != nil {
			t.Fatal(err)
		}
		alpha := p.Component(3)
		wide, _ := p.Size()
		column = make([]float64, wide)
		for i, a := range alpha {
			column[i%wide] += float64(a) / 0xffff
			all += float64(a) / 0xffff
		}
		return all, column
	}
	for _, text := range []string{"L", "i", "N", "W7"} {
		a, _ := ink(Words{Text: text, Font: "bold"})
		if b, _ := ink(Words{Text: text, Font: "bold", Gaps: 0.1}); a != b {
			t.Errorf("%q has no closed part, but %v of %v is left", text, b, a)
		}
	}
	for _, text := range []string{"O", "8", "A", "R", "0"} {
		whole, full := ink(Words{Text: text, Font: "bold"})
		last := whole
		for _, gaps := range []float32{0.05, 0.1, 0.2} {
			v, column := ink(Words{Text: text, Font: "bold", Gaps: gaps})
			if v >= last {
				t.Errorf("%q: bridges of %v take nothing more", text, gaps)
			}
			last = v
			empty := 0 // columns that had ink and have none
			for x := range column {
				if column[x] < 0.01 && full[x] > 1 {
					empty++
				}
			}
			l := set(t, Words{Text: text, Font: "bold"})
			if want := float64(gaps) * 2 * 200 / float64(l.tall); math.Abs(float64(empty)-want) > 2.5 {
				t.Errorf("%q: a bar of %d texels is left out, want %v", text, empty, want)
			}
		}
	}
	if b := set(t, Words{Text: "8", Font: "bold", Gaps: 0.1}).bridges; len(b) != 1 {
		t.Errorf("an 8 has %d bars", len(b))
	}
	if b := set(t, Words{Text: "BOOM", Font: "bold", Gaps: 0.1}).bridges; len(b) != 3 {
		t.Errorf("BOOM has %d bars", len(b))
	}
}

func TestWordsThatCannotBeSet(t *testing.T) {
	for _, w := range []Words{{Text: ""}, {Text: " \n "}, {Text: "a", Font: "none"}, {Text: "\u0001"}} {
		if _, err := NewLettering(w); err == nil {
			t.Errorf("%+v is set", w)
		}
	}
}
