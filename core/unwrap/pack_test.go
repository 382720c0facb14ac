package unwrap

import (
	"math/rand/v2"
	"testing"
)

// plain is a board that looks at each cell.
type plain struct {
	n    int
	full []bool
}

func (p plain) fits(s *stencil, x, y int) bool {
	for dy := range s.h {
		for dx := range s.w {
			if s.row[dy][dx/64]>>(dx%64)&1 == 1 && p.full[(y+dy)*p.n+x+dx] {
				return false
			}
		}
	}
	return true
}

// What fits where on a board is what looking at every cell says, for stencils with holes, over
// the rim and of any size.
func TestABoardFindsTheFirstFreePlace(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	scribble := func(most int) *stencil {
		s := newStencil(1+r.IntN(most), 1+r.IntN(most))
		for y := range s.h {
			for range 1 + r.IntN(3) {
				x := r.IntN(s.w)
				s.set(x-r.IntN(5), x+r.IntN(s.w), y)
			}
		}
		return s
	}
	found := 0
	for range 60 {
		n := 20 + r.IntN(180)
		b, p := newBoard(n), plain{n, make([]bool, n*n)}
		for range 30 {
			s := scribble(n / 3)
			edge := r.IntN(4)
			b.hint = map[[2]int]int{}
			x, y, ok := b.find(s, edge, n)
			step := max(1, min(s.w, s.h)/24)
			wx, wy, want := 0, 0, false
			for y := edge; y+s.h+edge <= n && !want; y += step {
				for x := edge; x+s.w+edge <= n && !want; x++ {
					if p.fits(s, x, y) {
						wx, wy, want = x, y, true
					}
				}
			}
			if ok != want || x != wx || y != wy {
				t.Fatalf("a stencil of %d × %d goes to %d, %d (%v); the first free place of %d is %d, %d (%v)", s.w, s.h, x, y, ok, n, wx, wy, want)
			}
			if ok {
				found++
			}
			// it takes its place with a margin, over the rim too
			fat := s.fat(2)
			x, y = x-2, y-2
			b.occupy(fat, x, y)
			for dy := range fat.h {
				for dx := range fat.w {
					if px, py := x+dx, y+dy; fat.row[dy][dx/64]>>(dx%64)&1 == 1 && px >= 0 && py >= 0 && px < n && py < n {
						p.full[py*n+px] = true
					}
				}
			}
		}
		for i, full := range p.full {
			if b.row(0, i/n)[i%n/64]>>(i%n%64)&1 == 1 != full {
				t.Fatalf("cell %d, %d of %d: %v", i%n, i/n, n, full)
			}
		}
	}
	if found < 300 {
		t.Errorf("%d places were found", found)
	}
}
