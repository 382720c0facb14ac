package unwrap

import (
	"math"
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

// scatter is an island of triangles between random places.
func scatter(r *rand.Rand, n int) *island {
	d := &island{weight: 1, turn: true}
	for i := range n {
		d.tris = append(d.tris, int32(i))
		var t [3][2]float64
		for k := range t {
			t[k] = [2]float64{r.NormFloat64(), 0.3 * r.NormFloat64()}
		}
		d.uv = append(d.uv, t)
	}
	turn := turned(7 * r.Float64())
	d.apply(turn)
	return d
}

// The hull of an island is convex and holds all of it; its corners are corners of the island.
func TestHullsAreConvexAndHoldAll(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 2))
	for range 200 {
		d := scatter(r, 1+r.IntN(12))
		h := d.hull()
		if len(h) < 3 {
			t.Fatalf("a hull of %d corners", len(h))
		}
		cross := func(a, b, c [2]float64) float64 { return (b[0]-a[0])*(c[1]-a[1]) - (b[1]-a[1])*(c[0]-a[0]) }
		way := cross(h[0], h[1], h[2])
		for i := range h {
			a, b := h[i], h[(i+1)%len(h)]
			if cross(a, b, h[(i+2)%len(h)])*way < -1e-12 {
				t.Fatal("it bends inward")
			}
			for _, tri := range d.uv {
				for _, p := range tri {
					if cross(a, b, p)*way < -1e-9 {
						t.Fatalf("%v lies outside of the hull", p)
					}
				}
			}
		}
	}
}

// Tightened, an island lies in about the least box that any turn gives it, and is no other.
func TestIslandsAreTurnedToTheirLeastBox(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 3))
	box := func(d *island) float64 {
		lo, hi := d.bounds()
		return (hi[0] - lo[0]) * (hi[1] - lo[1])
	}
	for range 60 {
		d := scatter(r, 2+r.IntN(9))
		least := box(d)
		for k := range 720 {
			o := &island{tris: d.tris}
			for _, tri := range d.uv {
				o.uv = append(o.uv, tri)
			}
			o.apply(turned(float64(k) * math.Pi / 720))
			least = min(least, box(o))
		}
		area := d.area()
		d.tighten()
		if got := box(d); got > least*1.02 {
			t.Fatalf("its box has %v, the least %v", got, least)
		}
		if math.Abs(d.area()-area) > 1e-9*(1+math.Abs(area)) {
			t.Fatalf("its area went from %v to %v", area, d.area())
		}
	}
}
