// Package flow finds what goes over a model's surface: distances along it, fronts
// that spread, and water that runs down. Its results are kept in space, not in
// texels, so they are the same at every size.
package flow

import (
	"cmp"
	"context"
	"math"
	"slices"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/noise"
)

// Cloud is points spread evenly over a model's surface, each knowing those around it.
// It is immutable.
type Cloud struct {
	Pos, Nrm []geom.Vec3
	Tri      []int32
	Part     []uint16
	Spacing  float32 // mean distance between neighbours, metres
	// ID is the place of each point in the sequence that made them, Sequence the point at each place of it:
	// what is drawn by lot is drawn by these, so that it does not hang on how points lie in memory.
	ID, Sequence []int32

	first []int32 // neighbours of point i: near[first[i]:first[i+1]]
	near  []int32
	grid  grid
}

// How far, in spacings, values are read from points, and how far points are
// neighbours: ways over neighbours are a few hundredths longer than straight ones, the
// less the more neighbours there are (flow_test.go).
const (
	reach = 2.2
	far   = 3.2
)

// NewCloud spreads about n points over the model: the same for the same model. Points
// lie on triangles by their area, in a sequence that leaves no holes (Roberts, "The
// unreasonable effectiveness of quasirandom sequences", 2018). Its error is the context's.
func NewCloud(ctx context.Context, m *mesh.Model, n int) (*Cloud, error) {
	area := make([]float64, len(m.Tri)+1)
	for i := range m.Tri {
		area[i+1] = area[i] + float64(m.FaceNormal(i).Length())/2
	}
	total := area[len(m.Tri)]
	c := &Cloud{Spacing: float32(math.Sqrt(total / float64(max(n, 1))))}
	if total <= 0 {
		c.first = []int32{0}
		return c, nil
	}
	t := 0
	for i := range n {
		if i&1023 == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		at := (float64(i) + 0.5) / float64(n) * total
		for t+1 < len(m.Tri) && area[t+1] < at {
			t++
		}
		u := math.Mod(0.5+0.7548776662*float64(i), 1)
		v := math.Mod(0.5+0.5698402910*float64(i), 1)
		if u+v > 1 {
			u, v = 1-u, 1-v
		}
		k := m.Tri[t]
		w, a, b := float32(1-u-v), float32(u), float32(v)
		p := m.Pos[k[0]].Mul(w).Add(m.Pos[k[1]].Mul(a)).Add(m.Pos[k[2]].Mul(b))
		nrm := m.Nrm[k[0]].Mul(w).Add(m.Nrm[k[1]].Mul(a)).Add(m.Nrm[k[2]].Mul(b)).Unit()
		if nrm == (geom.Vec3{}) {
			nrm = m.FaceNormal(t).Unit()
		}
		c.Pos, c.Nrm, c.Tri, c.Part = append(
			c.Pos,
			p,
		), append(
			c.Nrm,
			nrm,
		), append(
			c.Tri,
			int32(t),
		), append(
			c.Part,
			m.TriPart[t],
		)
	}
	c.sort()
	c.grid = newGrid(c.Pos, c.Spacing*reach)
	return c, c.join(ctx)
}

// sort brings points that lie beside each other on the surface beside each other in memory: along
// Morton's curve (1966) through cubes of the size that neighbours share. What goes from neighbour to
// neighbour waits for memory otherwise.
func (c *Cloud) sort() {
	box := geom.EmptyBox()
	for _, p := range c.Pos {
		box = box.Grow(p)
	}
	codes := make([]uint64, len(c.Pos))
	order := make([]int32, len(c.Pos))
	for i, p := range c.Pos {
		d := p.Sub(box.Min).Mul(1 / (c.Spacing * far))
		codes[i] = apart(d.X) | apart(d.Y)<<1 | apart(d.Z)<<2
		order[i] = int32(i)
	}
	slices.SortFunc(order, func(a, b int32) int { return cmp.Or(cmp.Compare(codes[a], codes[b]), cmp.Compare(a, b)) })
	c.Pos, c.Nrm, c.Tri, c.Part = sorted(c.Pos, order), sorted(c.Nrm, order), sorted(c.Tri, order), sorted(c.Part, order)
	c.ID, c.Sequence = order, make([]int32, len(order))
	for i, k := range order {
		c.Sequence[k] = int32(i)
	}
}

func sorted[T any](list []T, order []int32) []T {
	out := make([]T, len(list))
	for i, k := range order {
		out[i] = list[k]
	}
	return out
}

// apart sets the lowest 21 bits of a number three bits apart.
func apart(v float32) uint64 {
	x := uint64(min(max(v, 0), 1<<21-1))
	x = (x | x<<32) & 0x1f00000000ffff
	x = (x | x<<16) & 0x1f0000ff0000ff
	x = (x | x<<8) & 0x100f00f00f00f00f
	x = (x | x<<4) & 0x10c30c30c30c30c3
	return (x | x<<2) & 0x1249249249249249
}

// join finds the neighbours: near, on surfaces that do not turn their backs on each
// other.
func (c *Cloud) join(ctx context.Context) error {
	far2 := c.Spacing * c.Spacing * far * far
	wide := newGrid(c.Pos, c.Spacing*far)
	c.first = make([]int32, len(c.Pos)+1)
	const together = 512
	rows := make([][]int32, (len(c.Pos)+together-1)/together) // neighbours of so many points each
	inParts(len(rows), func(from, to int) {
		for k := from; k < to && ctx.Err() == nil; k++ {
			var near []int32
			for i := k * together; i < min((k+1)*together, len(c.Pos)); i++ {
				p, n, begin := c.Pos[i], c.Nrm[i], len(near)
				wide.around(p, func(j int32) {
					if d := c.Pos[j].Sub(p); int(j) != i && d.Dot(d) < far2 && n.Dot(c.Nrm[j]) > -0.25 {
						near = append(near, j)
					}
				})
				slices.Sort(near[begin:]) // the grid has no order of its own
				c.first[i+1] = int32(len(near) - begin)
			}
			rows[k] = near
		}
	})
	if err := ctx.Err(); err != nil {
		return err
	}
	for i := range c.Pos {
		c.first[i+1] += c.first[i]
	}
	c.near = slices.Concat(rows...)
	return nil
}

// Around returns the neighbours of point i.
func (c *Cloud) Around(i int) []int32 { return c.near[c.first[i]:c.first[i+1]] }

// Joints marks the points that have neighbours of another part.
func (c *Cloud) Joints() []bool {
	out := make([]bool, len(c.Pos))
	near2 := c.Spacing * c.Spacing * 1.7 * 1.7
	for i := range c.Pos {
		for _, j := range c.Around(i) {
			if d := c.Pos[j].Sub(c.Pos[i]); c.Part[j] != c.Part[i] && d.Dot(d) < near2 {
				out[i] = true
				break
			}
		}
	}
	return out
}

// Nearest returns the point nearest to a place, −1 when none is within three spacings.
func (c *Cloud) Nearest(p geom.Vec3) int {
	best, at := float32(9*c.Spacing*c.Spacing), -1
	c.grid.around(p, func(j int32) {
		if d := c.Pos[j].Sub(p); d.Dot(d) < best {
			best, at = d.Dot(d), int(j)
		}
	})
	return at
}

// Seed is where a front begins, and when.
type Seed struct {
	At   int32
	When float32
}

// Spread returns when a front that begins at the seeds reaches each point: it needs
// slow[i] for every metre about point i (1 makes it a distance). It never reaches a
// point later than most allows; those have +Inf. Dijkstra's search over neighbours.
func (c *Cloud) Spread(seeds []Seed, slow []float32, most float32) []float32 {
	out := make([]float32, len(c.Pos))
	inf := float32(math.Inf(1))
	for i := range out {
		out[i] = inf
	}
	var q queue
	for _, s := range seeds {
		if s.When < out[s.At] {
			out[s.At] = s.When
			q.push(item{s.When, s.At})
		}
	}
	for len(q) > 0 {
		it := q.pop()
		if it.when > out[it.at] {
			continue
		}
		for _, j := range c.Around(int(it.at)) {
			cost := float32(1)
			if slow != nil {
				cost = (slow[it.at] + slow[j]) / 2
			}
			if t := it.when + c.Pos[it.at].Sub(c.Pos[j]).Length()*cost; t < out[j] && t <= most {
				out[j] = t
				q.push(item{t, j})
			}
		}
	}
	return out
}

// Distance returns how far each point lies from the places, along the surface; +Inf
// beyond most metres.
func (c *Cloud) Distance(from []geom.Vec3, most float32) []float32 {
	var seeds []Seed
	for _, p := range from {
		near := c.Nearest(p)
		if near < 0 {
			continue
		}
		c.grid.around(p, func(j int32) {
			// not those on the far side of a thin plate
			if d := c.Pos[j].Sub(p).Length(); d < c.Spacing*reach && c.Nrm[j].Dot(c.Nrm[near]) > 0 {
				seeds = append(seeds, Seed{j, d})
			}
		})
	}
	return c.Spread(seeds, nil, most)
}

// Sample returns a value of the points at any place on the surface: a smooth mean of
// those near it on the same side. far stands for places that have none, and for
// points that no front reached.
func (c *Cloud) Sample(v []float32, p, n geom.Vec3, far float32) float32 {
	var sum, weight float32
	r2 := c.Spacing * c.Spacing * reach * reach
	c.grid.around(p, func(j int32) {
		d := c.Pos[j].Sub(p)
		l := d.Dot(d)
		if l >= r2 {
			return
		}
		f := c.Nrm[j].Dot(n)
		if f <= 0 {
			return
		}
		w := 1 - l/r2
		w = w * w * f
		sum, weight = sum+w*min(v[j], far), weight+w
	})
	if weight < 1e-6 {
		return far
	}
	return sum / weight
}

// Bytes returns the memory that the cloud holds.
func (c *Cloud) Bytes() int { return len(c.Pos)*(24+4+2+4+8+12) + len(c.near)*4 }

// grid finds points by place.
type grid struct {
	cell  float32
	order []int32
	table []slot // open addressing, a power of two of slots
}

type slot struct {
	key        uint64
	start, end int32 // in order; equal: the slot is free
}

func home(k uint64) uint64 { k *= 0x9e3779b97f4a7c15; return k ^ k>>29 }

// find returns what lies in a cell.
func (g *grid) find(k uint64) []int32 {
	mask := uint64(len(g.table) - 1)
	for i := home(k) & mask; ; i = (i + 1) & mask {
		s := &g.table[i]
		if s.start == s.end {
			return nil
		}
		if s.key == k {
			return g.order[s.start:s.end]
		}
	}
}

func key(x, y, z int32) uint64 {
	return uint64(uint32(x)&0x1fffff)<<42 | uint64(uint32(y)&0x1fffff)<<21 | uint64(uint32(z)&0x1fffff)
}

func newGrid(pos []geom.Vec3, cell float32) grid {
	g := grid{cell: cell}
	keys := make([]uint64, len(pos))
	g.order = make([]int32, len(pos))
	for i, p := range pos {
		keys[i] = key(g.cells(p))
		g.order[i] = int32(i)
	}
	slices.SortStableFunc(g.order, func(a, b int32) int {
		switch {
		case keys[a] < keys[b]:
			return -1
		case keys[a] > keys[b]:
			return 1
		}
		return 0
	})
	size := 16
	for size < 3*len(pos) {
		size *= 2
	}
	g.table = make([]slot, size)
	for i := 0; i < len(g.order); {
		k, j := keys[g.order[i]], i
		for j < len(g.order) && keys[g.order[j]] == k {
			j++
		}
		at := home(k) & uint64(size-1)
		for g.table[at].start != g.table[at].end {
			at = (at + 1) & uint64(size-1)
		}
		g.table[at] = slot{k, int32(i), int32(j)}
		i = j
	}
	return g
}

func (g *grid) cells(p geom.Vec3) (x, y, z int32) {
	return noise.Floor(p.X / g.cell), noise.Floor(p.Y / g.cell), noise.Floor(p.Z / g.cell)
}

// around calls f for every point within one cell of p, and some beyond.
func (g *grid) around(p geom.Vec3, f func(j int32)) {
	if len(g.table) == 0 {
		return
	}
	x, y, z := g.cells(p)
	for dz := int32(-1); dz <= 1; dz++ {
		for dy := int32(-1); dy <= 1; dy++ {
			for dx := int32(-1); dx <= 1; dx++ {
				for _, j := range g.find(key(x+dx, y+dy, z+dz)) {
					f(j)
				}
			}
		}
	}
}

type item struct {
	when float32
	at   int32
}

// queue is a heap, least first; equal times go by number, so that the order of work
// does not depend on anything else.
type queue []item

func (a item) before(b item) bool { return a.when < b.when || a.when == b.when && a.at < b.at }

func (q *queue) push(it item) {
	h := append(*q, it)
	i := len(h) - 1
	for i > 0 {
		up := (i - 1) / 2
		if !h[i].before(h[up]) {
			break
		}
		h[i], h[up] = h[up], h[i]
		i = up
	}
	*q = h
}

func (q *queue) pop() item {
	h := *q
	top := h[0]
	n := len(h) - 1
	h[0] = h[n]
	h = h[:n]
	for i := 0; ; {
		k := 2*i + 1
		if k >= n {
			break
		}
		if k+1 < n && h[k+1].before(h[k]) {
			k++
		}
		if !h[k].before(h[i]) {
			break
		}
		h[i], h[k] = h[k], h[i]
		i = k
	}
	*q = h
	return top
}
