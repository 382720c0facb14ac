package deliver

import (
	"bytes"
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
