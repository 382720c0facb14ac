package deliver

import (
	"bytes"
	"image/png"
	"math/rand/v2"
	"testing"
)

// Rows are filtered to the same bytes at once and byte by byte, whatever is in them and however long they
// are; and what they are filtered to gives the row back (Portable Network Graphics specification, 9).
func TestFiltersOfRows(t *testing.T) {
	rng := rand.New(rand.NewPCG(6, 2))
	for i := range 900 {
		each := 1 + i%8
		n := each * (1 + rng.IntN(60))
		line, above := make([]byte, n), make([]byte, n)
		for k := range line {
			switch i % 3 {
			case 0:
				line[k], above[k] = byte(rng.Uint32()), byte(rng.Uint32())
			case 1: // as pictures are
				line[k], above[k] = byte(100+rng.IntN(3)), byte(100+rng.IntN(3))
			default: // the ends of the range
				line[k], above[k] = byte(255*rng.IntN(2)), byte(255*rng.IntN(2))
			}
		}
		for _, f := range []byte{filterSub, filterUp, filterPaeth} {
			out := make([]byte, n)
			filter(f, out, line, above, each)
			back := make([]byte, n)
			for k := range out {
				var a, b, c int
				b = int(above[k])
				if k >= each {
					a, c = int(back[k-each]), int(above[k-each])
				}
				var by int
				switch f {
				case filterSub:
					by = a
				case filterUp:
					by = b
				default:
					p := a + b - c
					far := func(v int) int { return max(p-v, v-p) }
					switch {
					case far(a) <= far(b) && far(a) <= far(c):
						by = a
					case far(b) <= far(c):
						by = b
					default:
						by = c
					}
				}
				back[k] = out[k] + byte(by)
			}
			if !bytes.Equal(back, line) {
				t.Fatalf("filter %d, %d bytes, %d a texel: %v over %v comes back as %v", f, n, each, line, above, back)
			}
		}
	}
}

// Parts of a picture that repeat are packed once, and come back as they are.
func TestWhatRepeatsIsPackedOnce(t *testing.T) {
	const size = 1024
	f := &PresetFile{Format: "png8"}
	s := &sheetOf{f: f, size: size, n: 3, bits: 8, whole: make([]byte, size*size*3)}
	rng := rand.New(rand.NewPCG(1, 9))
	for y := range size {
		for i := range size * 3 {
			at := y*size*3 + i
			switch {
			case y < 60: // noise
				s.whole[at] = byte(rng.Uint32())
			case y < 600:
				s.whole[at] = 40
			case y == 777:
				s.whole[at] = 41
			default:
				s.whole[at] = byte(i % 7)
			}
		}
	}
	var b bytes.Buffer
	if err := s.png(&b); err != nil {
		t.Fatal(err)
	}
	img, err := png.Decode(&b)
	if err != nil {
		t.Fatal(err)
	}
	for y := range size {
		for x := range size {
			r, g, bl, _ := img.At(x, y).RGBA()
			if want := s.whole[(y*size+x)*3:][:3]; byte(r>>8) != want[0] || byte(g>>8) != want[1] || byte(bl>>8) != want[2] {
				t.Fatalf("texel %d, %d: %d %d %d, was %v", x, y, r>>8, g>>8, bl>>8, want)
			}
		}
	}
	rows := pngStrip / (size * 3)
	if !s.repeats(2*rows, 3*rows, size*3) || s.repeats(3*rows, 4*rows, size*3) || s.repeats(5*rows, size, size*3) {
		t.Error("what repeats is not found, or what does not is")
	}
}
