package pix

import (
	"context"
	"runtime"

	"velvetgrime/core/par"
)

// Nearest returns for every texel of a square sheet the index of the nearest covered
// one: its own when it is covered, −1 when nothing is.
func Nearest(covered []bool, size int) []int32 { return NearestIn(covered, size, size) }

// NearestIn is Nearest for w × h texels.
func NearestIn(covered []bool, w, h int) []int32 {
	from, _ := NearestOf(context.Background(), covered, w, h) // it is never stopped
	return from
}

// NearestOf is NearestIn, which can be stopped. It is exact: the nearest in each texel's own
// column first, then in each row the lower envelope of the parabolas that those make.
// The cost is that of the texels, whatever is covered. Source: P. Felzenszwalb and
// D. Huttenlocher, "Distance transforms of sampled functions", 2012.
func NearestOf(ctx context.Context, covered []bool, w, h int) ([]int32, error) {
	from := make([]int32, w*h)
	bands := 1
	if w*h >= 1<<18 {
		bands = min(runtime.GOMAXPROCS(0), w, h)
	}
	var first par.All
	for b := range bands {
		first.Go(func() { inColumns(ctx, covered, from, w, h, b*w/bands, (b+1)*w/bands) })
	}
	first.Wait()
	var all par.All
	for b := range bands {
		all.Go(func() {
			e := envelope{sites: make([]site, 0, w), was: make([]int32, w)}
			for y := b * h / bands; y < (b+1)*h/bands && ctx.Err() == nil; y++ {
				e.row(from[y*w:(y+1)*w], y, w)
			}
		})
	}
	all.Wait()
	return from, ctx.Err()
}

// inColumns finds the nearest in the column as a row's number, or −1, for columns x0 to x1: from above
// first, then from below.
func inColumns(ctx context.Context, covered []bool, from []int32, w, h, x0, x1 int) {
	for y := 0; y < h && ctx.Err() == nil; y++ {
		row, on, above := from[y*w+x0:y*w+x1], covered[y*w+x0:y*w+x1], from[max(y-1, 0)*w+x0:]
		for x := range row {
			switch {
			case on[x]:
				row[x] = int32(y)
			case y > 0:
				row[x] = above[x]
			default:
				row[x] = -1
			}
		}
	}
	for y := h - 2; y >= 0 && ctx.Err() == nil; y-- {
		row, next := from[y*w+x0:y*w+x1], from[(y+1)*w+x0:(y+1)*w+x1]
		for x, f := range row {
			if g := next[x]; g >= 0 && int(f) != y && (f < 0 || int(g)-y < y-int(f)) {
				row[x] = g
			}
		}
	}
}

// site is a column of a row's lower envelope, and the first texel where it is the
// lowest.
type site struct{ x, from, height int }

type envelope struct {
	sites []site
	was   []int32
}

// row turns the rows of the nearest in each column into indices of the nearest of all.
func (e *envelope) row(f []int32, y, w int) {
	copy(e.was, f)
	e.sites = e.sites[:0]
	for x, g := range e.was {
		// within a run of covered texels each is its own, and beyond it an end of the run is nearer
		if g < 0 || int(g) == y && x > 0 && x+1 < w && int(e.was[x-1]) == y && int(e.was[x+1]) == y {
			continue
		}
		next := site{x: x, height: (int(g) - y) * (int(g) - y)}
		for len(e.sites) > 0 {
			s := e.sites[len(e.sites)-1]
			// lower than s right of where both are (t−s.x)² + height alike
			next.from = floorDiv(next.height+x*x-s.height-s.x*s.x, 2*(x-s.x)) + 1
			if next.from > s.from {
				break
			}
			e.sites, next.from = e.sites[:len(e.sites)-1], 0
		}
		if next.from < w {
			e.sites = append(e.sites, next)
		}
	}
	at := 0
	for x := range f {
		if int(e.was[x]) == y {
			f[x] = int32(y*w + x)
			continue
		}
		if len(e.sites) == 0 {
			f[x] = -1
			continue
		}
		for at+1 < len(e.sites) && e.sites[at+1].from <= x {
			at++
		}
		s := e.sites[at].x
		f[x] = e.was[s]*int32(w) + int32(s)
	}
}

// floorDiv divides by a positive number, downward; what half a word holds takes half of the time.
func floorDiv(a, b int) int {
	if s, t := int32(a), int32(b); int(s) == a && int(t) == b {
		q := s / t
		if q*t > s {
			q--
		}
		return int(q)
	}
	q := a / b
	if q*b > a {
		q--
	}
	return q
}

// Apart2 returns the square of the distance between two texels of rows of w.
func Apart2(i, j, w int) int {
	dx, dy := i%w-j%w, i/w-j/w
	return dx*dx + dy*dy
}
