package unwrap

import (
	"context"
	"errors"
	"math"
	"math/bits"
	"runtime"
	"slices"

	"velvetgrime/core/geom"
	"velvetgrime/core/par"
)

// island is a laid-out chart on its way to a place on a sheet. uv are its corners
// in metres, or in any unit that all islands of a packing share.
type island struct {
	tris []int32
	uv   [][3][2]float64
	// weight multiplies the island's size against the common density
	weight float64
	turn   bool // it may be turned
}

func (d *island) bounds() (lo, hi [2]float64) {
	lo, hi = [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
	for _, t := range d.uv {
		for _, p := range t {
			for a := range 2 {
				lo[a], hi[a] = min(lo[a], p[a]), max(hi[a], p[a])
			}
		}
	}
	return
}

func (d *island) area() float64 {
	sum := 0.0
	for _, t := range d.uv {
		sum += math.Abs((t[1][0]-t[0][0])*(t[2][1]-t[0][1])-(t[1][1]-t[0][1])*(t[2][0]-t[0][0])) / 2
	}
	return sum
}

// apply maps every corner.
func (d *island) apply(f func(p [2]float64) [2]float64) {
	for i := range d.uv {
		for k := range 3 {
			d.uv[i][k] = f(d.uv[i][k])
		}
	}
}

func turned(angle float64) func(p [2]float64) [2]float64 {
	sin, cos := math.Sincos(angle)
	return func(p [2]float64) [2]float64 { return [2]float64{cos*p[0] - sin*p[1], sin*p[0] + cos*p[1]} }
}

// tighten turns the island so that its bounding rectangle is least, the long side
// lying.
func (d *island) tighten() {
	hull := d.hull()
	best, at := math.Inf(1), 0.0
	for i := range hull {
		a, b := hull[i], hull[(i+1)%len(hull)]
		angle := math.Atan2(b[1]-a[1], b[0]-a[0])
		f := turned(-angle)
		lo, hi := [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
		for _, p := range hull {
			p = f(p)
			for k := range 2 {
				lo[k], hi[k] = min(lo[k], p[k]), max(hi[k], p[k])
			}
		}
		w, h := hi[0]-lo[0], hi[1]-lo[1]
		if h > w {
			angle += math.Pi / 2
		}
		if area := w * h; area < best*(1-1e-9) {
			best, at = area, angle
		}
	}
	d.apply(turned(-at))
}

// hull returns the convex hull (Andrew 1979).
func (d *island) hull() [][2]float64 {
	var pts [][2]float64
	for _, t := range d.uv {
		pts = append(pts, t[:]...)
	}
	slices.SortFunc(pts, func(a, b [2]float64) int {
		switch {
		case a[0] < b[0] || a[0] == b[0] && a[1] < b[1]:
			return -1
		case a == b:
			return 0
		}
		return 1
	})
	pts = slices.Compact(pts)
	half := func(pts [][2]float64) (out [][2]float64) {
		for _, p := range pts {
			for n := len(out); n >= 2; n = len(out) {
				a, b := out[n-2], out[n-1]
				if (b[0]-a[0])*(p[1]-a[1])-(b[1]-a[1])*(p[0]-a[0]) > 0 {
					break
				}
				out = out[:n-1]
			}
			out = append(out, p)
		}
		return out
	}
	low := half(pts)
	slices.Reverse(pts)
	high := half(pts)
	if len(low) < 2 {
		return low
	}
	return append(low[:len(low)-1], high[:len(high)-1]...)
}

// stencil is the cells of a grid that an island touches.
type stencil struct {
	w, h int
	row  [][]uint64
}

func newStencil(w, h int) *stencil {
	s := &stencil{w: w, h: h, row: make([][]uint64, h)}
	words := make([]uint64, h*((w+63)/64))
	n := (w + 63) / 64
	for y := range s.row {
		s.row[y] = words[y*n : (y+1)*n]
	}
	return s
}

func (s *stencil) set(x0, x1, y int) {
	x0, x1 = max(x0, 0), min(x1, s.w-1)
	if x0 > x1 {
		return
	}
	row, from, to := s.row[y], x0/64, x1/64
	first, last := ^uint64(0)<<(x0%64), ^uint64(0)>>(63-x1%64)
	if from == to {
		row[from] |= first & last
		return
	}
	row[from] |= first
	for i := from + 1; i < to; i++ {
		row[i] = ^uint64(0)
	}
	row[to] |= last
}

// draw marks every cell that a triangle touches; corners are in cells.
func (s *stencil) draw(p [3][2]float64) {
	y0 := max(int(math.Floor(min(p[0][1], p[1][1], p[2][1]))), 0)
	y1 := min(int(math.Floor(max(p[0][1], p[1][1], p[2][1]))), s.h-1)
	for y := y0; y <= y1; y++ {
		lo, hi := math.Inf(1), math.Inf(-1)
		take := func(x float64) { lo, hi = min(lo, x), max(hi, x) }
		for k := range 3 {
			a, b := p[k], p[(k+1)%3]
			if a[1] >= float64(y) && a[1] <= float64(y+1) {
				take(a[0])
			}
			for _, at := range [2]float64{float64(y), float64(y + 1)} {
				if (a[1]-at)*(b[1]-at) < 0 {
					take(a[0] + (at-a[1])/(b[1]-a[1])*(b[0]-a[0]))
				}
			}
		}
		if lo <= hi {
			s.set(int(math.Floor(lo)), int(math.Floor(hi)), y)
		}
	}
}

// fat returns the stencil with all cells to which fewer than n free ones lie
// between.
func (s *stencil) fat(n int) *stencil {
	out := newStencil(s.w+2*n, s.h+2*n)
	for y := range s.h {
		for x := 0; x < s.w; {
			if s.row[y][x/64]>>(x%64)&1 == 0 {
				x++
				continue
			}
			from := x
			for x < s.w && s.row[y][x/64]>>(x%64)&1 == 1 {
				x++
			}
			for dy := -n; dy <= n; dy++ {
				e := max(dy, -dy, 1) - 1 // rows of cells between
				r := int(math.Ceil(math.Sqrt(float64(n*n - e*e))))
				out.set(from+n-r, x-1+n+r, y+n+dy)
			}
		}
	}
	return out
}

// run is a row of cells that hang together: n of them from at.
type run struct{ at, n int }

// runs lists the rows of a stencil as runs, in an order in which those far apart come first:
// where it does not fit that shows soon.
func (s *stencil) runs() (rows []int, of [][]run) {
	of = make([][]run, s.h)
	for y, words := range s.row {
		for x := 0; x < s.w; {
			left := words[x/64] >> (x % 64)
			if left == 0 {
				x = (x/64 + 1) * 64
				continue
			}
			x += bits.TrailingZeros64(left)
			from := x
			for x < s.w {
				free := ^words[x/64] >> (x % 64)
				if free == 0 {
					x = (x/64 + 1) * 64
					continue
				}
				x += bits.TrailingZeros64(free)
				break
			}
			of[y] = append(of[y], run{from, min(x, s.w) - from})
		}
	}
	seen := make([]bool, s.h)
	for step := bits.Len(uint(s.h)); step >= 0; step-- {
		for y := 0; y < s.h; y += 1 << step {
			if !seen[y] {
				seen[y] = true
				rows = append(rows, y)
			}
		}
		if !seen[s.h-1] {
			seen[s.h-1] = true
			rows = append(rows, s.h-1)
		}
	}
	return rows, of
}

// board is the occupied cells of a sheet. Bit x of row y of level k says whether any of the
// 1 << k cells from x on is occupied: so a run of any length is looked up for all places of a
// row at once, by two shifts.
type board struct {
	n, words int
	level    [][]uint64
	hint     map[[2]int]int // by size class: the row where the last one of it fitted
	blocked  []uint64
}

func newBoard(n int) *board {
	b := &board{n: n, words: (n + 63) / 64, hint: map[[2]int]int{}}
	for k := 0; 1<<k <= n; k++ {
		b.level = append(b.level, make([]uint64, n*b.words))
	}
	b.blocked = make([]uint64, b.words)
	return b
}

// copyOf returns a board with the same cells occupied.
func (b *board) copyOf() *board {
	c := newBoard(b.n)
	for k := range b.level {
		copy(c.level[k], b.level[k])
	}
	return c
}

func (b *board) row(k, y int) []uint64 { return b.level[k][y*b.words : (y+1)*b.words] }

// orShifted adds bits of from, moved down by places, to to.
func orShifted(to, from []uint64, places int) {
	word, shift := places/64, uint(places%64)
	if word >= len(from) {
		return
	}
	from = from[word:]
	n := min(len(from), len(to))
	if shift == 0 {
		for i, v := range from[:n] {
			to[i] |= v
		}
		return
	}
	for i := range n {
		v := from[i] >> shift
		if i+1 < len(from) {
			v |= from[i+1] << (64 - shift)
		}
		to[i] |= v
	}
}

// orShiftedUp adds bits of from, moved up by places, to to.
func orShiftedUp(to, from []uint64, places int) {
	word, shift := places/64, uint(places%64)
	for i, v := range from {
		if at := word + i; at < len(to) {
			to[at] |= v << shift
		}
		if at := word + i + 1; shift > 0 && at < len(to) {
			to[at] |= v >> (64 - shift)
		}
	}
}

func (b *board) occupy(s *stencil, x, y int) {
	for dy := range s.h {
		py := y + dy
		if py < 0 || py >= b.n {
			continue
		}
		row := b.row(0, py)
		if x < 0 {
			orShifted(row, s.row[dy], -x)
		} else {
			orShiftedUp(row, s.row[dy], x)
		}
		if tail := b.n % 64; tail != 0 { // nothing beyond the rim
			row[len(row)-1] &= 1<<tail - 1
		}
		for k := 1; k < len(b.level); k++ {
			up, low := b.row(k, py), b.row(k-1, py)
			copy(up, low)
			orShifted(up, low, 1<<(k-1))
		}
	}
}

// find returns the first free place by rows, no nearer to the rim than edge.
func (b *board) find(s *stencil, edge, limit int) (x, y int, ok bool) {
	class := [2]int{bits.Len(uint(s.w)), bits.Len(uint(s.h))}
	step := max(1, min(s.w, s.h)/24)
	last := b.n - edge - s.w // the last place in a row
	if last < edge {
		return 0, 0, false
	}
	order, of := s.runs()
	for y := max(edge, b.hint[class]-s.h); y+s.h+edge <= b.n && y < limit; y += step {
		if x := b.freeInRow(order, of, y, edge, last); x >= 0 {
			return x, y, true
		}
	}
	return 0, 0, false
}

// freeInRow returns the first place from edge to last at which a stencil fits with its lower
// row at y; −1: there is none.
func (b *board) freeInRow(order []int, of [][]run, y, edge, last int) int {
	clear(b.blocked)
	for _, dy := range order {
		for _, r := range of[dy] {
			k := bits.Len(uint(r.n)) - 1
			row := b.row(k, y+dy)
			orShifted(b.blocked, row, r.at)
			if more := r.n - 1<<k; more > 0 {
				orShifted(b.blocked, row, r.at+more)
			}
		}
		if b.firstFree(edge, last) < 0 {
			return -1
		}
	}
	return b.firstFree(edge, last)
}

// firstFree returns the first bit from edge to last that is not blocked, or −1.
func (b *board) firstFree(edge, last int) int {
	for w := edge / 64; w <= last/64; w++ {
		free := ^b.blocked[w]
		if w == edge/64 {
			free &= ^uint64(0) << (edge % 64)
		}
		if free != 0 {
			if x := w*64 + bits.TrailingZeros64(free); x <= last {
				return x
			}
			return -1
		}
	}
	return -1
}

// errFull says that islands do not fit at a scale.
var errFull = errors.New("the islands do not fit, however small: take a smaller margin between them, a larger sheet, or put some parts on another one")

// place is where an island lies: turned by quarter turns, then moved, in cells.
type place struct {
	quarter int
	x, y    float64
}

func quarterTurn(n int) func(p [2]float64) [2]float64 {
	return func(p [2]float64) [2]float64 {
		for range n {
			p = [2]float64{-p[1], p[0]}
		}
		return p
	}
}

// stencilOf draws the island at scale (cells a unit), turned; low is its lower
// corner.
func (d *island) stencilOf(scale float64, quarter int) (s *stencil, low [2]float64) {
	f := quarterTurn(quarter)
	low = [2]float64{math.Inf(1), math.Inf(1)}
	high := [2]float64{math.Inf(-1), math.Inf(-1)}
	for _, t := range d.uv {
		for _, p := range t {
			p = f(p)
			for a := range 2 {
				low[a], high[a] = min(low[a], p[a]), max(high[a], p[a])
			}
		}
	}
	size := func(a int) int { return int(math.Floor((high[a]-low[a])*scale+1e-9)) + 1 }
	s = newStencil(size(0), size(1))
	for _, t := range d.uv {
		var c [3][2]float64
		for k := range 3 {
			p := f(t[k])
			c[k] = [2]float64{(p[0] - low[0]) * scale, (p[1] - low[1]) * scale}
		}
		s.draw(c)
	}
	return s, low
}

// greatness says how early an island of w × h is placed: great ones first.
type greatness func(w, h float64) float64

// by are ways to order islands. Which of them leaves less room between such as come hangs on their
// outlines.
var by = []greatness{
	func(w, h float64) float64 { return max(w, h) },
	func(w, h float64) float64 { return w * h },
}

// tryAt places all islands at a scale, or returns errFull.
func tryAt(
	ctx context.Context, list []*island, taken *board, great greatness, scale float64, cells, margin int,
) ([]place, error) {
	b := taken.copyOf()
	edge := (margin + 1) / 2
	order := make([]int, len(list))
	rank := make([]float64, len(list))
	for i, d := range list {
		order[i] = i
		lo, hi := d.bounds()
		w, h := (hi[0]-lo[0])*d.weight, (hi[1]-lo[1])*d.weight
		if rank[i] = great(w, h); max(w, h)*scale > float64(cells) {
			return nil, errFull
		}
	}
	slices.SortStableFunc(order, func(a, b int) int {
		switch {
		case rank[a] > rank[b]:
			return -1
		case rank[a] < rank[b]:
			return 1
		}
		return a - b
	})
	out := make([]place, len(list))
	for _, i := range order {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		d := list[i]
		quarters := 4
		if !d.turn {
			quarters = 1
		}
		var best *stencil
		var at place
		bx, by, limit := 0, 0, cells
		lowest := math.MaxInt
		for q := range quarters {
			s, low := d.stencilOf(scale*d.weight, q)
			x, y, ok := b.find(s, edge, limit)
			if ok && y+s.h < lowest {
				best, bx, by, lowest = s, x, y, y+s.h
				at = place{q, float64(x) - low[0]*scale*d.weight, float64(y) - low[1]*scale*d.weight}
				limit = min(cells, lowest)
			}
		}
		if best == nil {
			return nil, errFull
		}
		b.hint[[2]int{bits.Len(uint(best.w)), bits.Len(uint(best.h))}] = by
		b.occupy(best.fat(margin), bx-margin, by-margin)
		out[i] = at
	}
	return out, nil
}

// largest finds about the largest scale below full at which all islands fit. Several are tried
// side by side; of these the largest that fits counts, as if they were tried in turn.
func largest(
	ctx context.Context, list []*island, taken *board, full float64, cells, gap int,
) (places []place, scale float64, err error) {
	const (
		finer = 0.94
		// many are so many that another order takes longer than it is worth: they fill gaps in any
		many = 2000
	)
	// try tries scales, each in an order, side by side: where it does not fit there are no places
	try := func(n int, at func(i int) (greatness, float64)) ([][]place, error) {
		tries := make([][]place, n)
		g, gctx := par.WithContext(ctx)
		for i := range tries {
			g.Go(func() (err error) {
				great, scale := at(i)
				tries[i], err = tryAt(gctx, list, taken, great, scale, cells, gap)
				if errors.Is(err, errFull) {
					return nil
				}
				return err
			})
		}
		return tries, g.Wait()
	}
	scale = full * 0.98
	for places == nil {
		tries, err := try(runtime.GOMAXPROCS(0), func(i int) (greatness, float64) { return by[0], scale * math.Pow(finer, float64(i)) })
		if err != nil {
			return nil, 0, err
		}
		for _, p := range tries {
			if places = p; p != nil {
				break
			}
			if scale *= finer; scale < full*1e-3 {
				return nil, 0, errFull
			}
		}
	}
	// between what fits and what did not, in whatever order
	orders := len(by)
	if len(list) > many {
		orders = 1
	}
	for up := scale / finer; up/scale > 1.006; {
		mid := math.Sqrt(up * scale)
		tries, err := try(orders, func(i int) (greatness, float64) { return by[i], mid })
		if err != nil {
			return nil, 0, err
		}
		if i := slices.IndexFunc(tries, func(p []place) bool { return p != nil }); i >= 0 {
			places, scale = tries[i], mid
		} else {
			up = mid
		}
	}
	return places, scale, nil
}

// fitted is where islands lie on a sheet of cells, at cells a unit.
type fitted struct {
	places []place
	scale  float64
	cells  int
	space  float64 // share of the sheet that they cover
}

// fit finds places for islands on one sheet of size texels at one density, as large as they fit, with
// at least margin texels between them and half of that at the rim, around others that stay where they
// are.
func fit(ctx context.Context, list, fixed []*island, size, margin int) (f fitted, err error) {
	f.cells = min(size, 2048) // a cell is lost about every island: of a thousand a thirtieth of the sheet at 1024
	gap := (margin*f.cells + size - 1) / size
	total := 0.0
	for _, d := range list {
		total += d.area() * d.weight * d.weight
	}
	if total <= 0 {
		return f, errors.New("the islands have no area")
	}
	taken := newBoard(f.cells)
	for _, d := range fixed {
		s, low := d.stencilOf(float64(f.cells), 0)
		// its place among the cells may lie anywhere: one cell more covers that
		taken.occupy(
			s.fat(gap+1),
			int(math.Floor(low[0]*float64(f.cells)))-gap-1,
			int(math.Floor(low[1]*float64(f.cells)))-gap-1,
		)
	}
	full := float64(f.cells) / math.Sqrt(total) // all of the sheet filled
	f.places, f.scale, err = largest(ctx, list, taken, full, f.cells, gap)
	f.space = f.scale / full * f.scale / full
	return f, err
}

// lay makes the islands' corners places on the sheet, 0..1, and returns the scale: sheet edges a unit.
func (f fitted) lay(list []*island) float64 {
	for i, d := range list {
		turn, at, s := quarterTurn(f.places[i].quarter), f.places[i], f.scale*d.weight
		d.apply(func(p [2]float64) [2]float64 {
			p = turn(p)
			return [2]float64{(p[0]*s + at.x) / float64(f.cells), (p[1]*s + at.y) / float64(f.cells)}
		})
	}
	return f.scale / float64(f.cells)
}

// pack lays islands on one sheet: see fit and lay.
func pack(ctx context.Context, list []*island, size, margin int) (float64, error) {
	return packBeside(ctx, list, nil, size, margin)
}

// packBeside packs islands around others that stay where they are on the sheet.
func packBeside(ctx context.Context, list, fixed []*island, size, margin int) (float64, error) {
	if len(list) == 0 {
		return 1, nil
	}
	f, err := fit(ctx, list, fixed, size, margin)
	if err != nil {
		return 0, err
	}
	return f.lay(list), nil
}

func vec(p [2]float64) geom.Vec2 { return geom.Vec2{X: float32(p[0]), Y: float32(p[1])} }
