package unwrap

import (
	"container/heap"
	"context"
	"math"
	"slices"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/par"
)

// Auto returns seams for the given triangles: edges sharper than angle degrees,
// and between those, borders of charts that are nearly developable. Charts grow by
// merging neighbours while the normals keep one angle with some axis, as on a
// plane, a cylinder or a cone (the measure of D-Charts: Julius, Kraevoy and Sheffer
// 2005; merging as in Garland, Willmott and Heckbert 2001). bend is the deviation
// from that, as the root mean square of the cosine, that a chart may have: 0.05
// makes many even charts, 0.2 few that are stretched. Its error is the context's.
func Auto(ctx context.Context, m *mesh.Model, tris []int32, angle, bend float64) (Seams, error) {
	seams, _, err := auto(ctx, m, tris, angle, bend)
	return seams, err
}

// auto also reports whether the surface is noisy.
func auto(ctx context.Context, m *mesh.Model, tris []int32, angle, bend float64) (Seams, bool, error) {
	g := newGrowth(m, tris, math.Cos(angle*math.Pi/180))
	g.merge(ctx, bend)
	if err := ctx.Err(); err != nil {
		return nil, false, err
	}
	g.absorb(3 * bend)
	g.smooth()
	seams := Seams{}
	for _, t := range tris {
		for k := range 3 {
			if o, ok := across(m, t, k); ok {
				if j, have := g.at[o.Tri]; have && g.label(j) != g.label(g.at[t]) {
					seams[ID(m, t, k)] = true
				}
			}
		}
	}
	return seams, g.noisy, ctx.Err()
}

// patch is a growing chart: sums over its triangles, weighted by area.
type patch struct {
	area   float64
	sum    [3]float64
	square [6]float64 // xx yy zz xy xz yz
	border float64
	edges  map[int]float64 // by neighbour: the length of the common border
	age    int
}

type growth struct {
	m       *mesh.Model
	tris    []int32
	at      map[int32]int
	parent  []int
	patches []*patch
	sharp   [][3]bool
	noisy   bool
	final   []int // labels after smoothing; nil before
}

func newGrowth(m *mesh.Model, tris []int32, limit float64) *growth {
	g := &growth{
		m:       m,
		tris:    tris,
		at:      make(map[int32]int, len(tris)),
		parent:  make([]int, len(tris)),
		patches: make([]*patch, len(tris)),
		sharp:   make([][3]bool, len(tris)),
	}
	for i, t := range tris {
		g.at[t], g.parent[i] = i, i
	}
	normal, form := g.normals(limit)
	for i, t := range tris {
		a := float64(m.FaceNormal(int(t)).Length()) / 2
		x, y, z := float64(form[i].X), float64(form[i].Y), float64(form[i].Z)
		g.patches[i] = &patch{
			area:   a,
			sum:    [3]float64{a * x, a * y, a * z},
			square: [6]float64{a * x * x, a * y * y, a * z * z, a * x * y, a * x * z, a * y * z},
			edges:  map[int]float64{},
		}
	}
	for i, t := range tris {
		for k := range 3 {
			l := float64(m.Pos[m.Tri[t][k]].Sub(m.Pos[m.Tri[t][(k+1)%3]]).Length())
			g.patches[i].border += l
			o, ok := across(m, t, k)
			j, have := g.at[o.Tri]
			if !ok || !have || j == i {
				continue
			}
			if float64(normal[i].Dot(normal[j])) < limit && normal[i] != (geom.Vec3{}) && normal[j] != (geom.Vec3{}) {
				g.sharp[i][k] = true
				continue
			}
			g.patches[i].edges[j] += l
		}
	}
	return g
}

// A surface counts as noisy when its triangles turn by so many degrees, in the middle, against
// what their neighbours have together, and there are so many: on a surface that is curved, but
// not noisy, a triangle is about as its neighbours are together, however coarse it is.
const (
	noisyAngle = 5
	noisyCount = 10000
	calmRounds = 12
)

// normals returns the triangles' normals, and those that the form has without its noise: of a
// noisy surface each is averaged with its neighbours' again and again, but not over edges
// sharper than the limit, a cosine.
func (g *growth) normals(limit float64) (normal, form []geom.Vec3) {
	normal = make([]geom.Vec3, len(g.tris))
	area := make([]float32, len(g.tris))
	for i, t := range g.tris {
		n := g.m.FaceNormal(int(t))
		normal[i], area[i] = n.Unit(), n.Length()
	}
	beside := make([][3]int32, len(g.tris))
	var turns []float32
	for i, t := range g.tris {
		for k := range 3 {
			beside[i][k] = -1
			o, ok := across(g.m, t, k)
			j, have := g.at[o.Tri]
			if !ok || !have || j == i {
				continue
			}
			if float64(normal[i].Dot(normal[j])) >= limit {
				beside[i][k] = int32(j)
			}
		}
		var sum geom.Vec3
		for _, j := range beside[i] {
			if j >= 0 {
				sum = sum.Add(normal[j])
			}
		}
		if sum != (geom.Vec3{}) {
			turns = append(turns, normal[i].Dot(sum.Unit()))
		}
	}
	if len(g.tris) < noisyCount || len(turns) == 0 {
		return normal, normal
	}
	slices.Sort(turns)
	if float64(turns[len(turns)/2]) > math.Cos(noisyAngle*math.Pi/180) {
		return normal, normal
	}
	g.noisy = true
	form = slices.Clone(normal)
	next := make([]geom.Vec3, len(form))
	for range calmRounds {
		par.Parts(len(form), 1<<12, func(from, to int) {
			for i := from; i < to; i++ {
				sum := form[i].Mul(area[i])
				for _, j := range beside[i] {
					if j >= 0 && float64(form[i].Dot(form[j])) >= limit {
						sum = sum.Add(form[j].Mul(area[j]))
					}
				}
				next[i] = sum.Unit()
			}
		})
		form, next = next, form
	}
	return normal, form
}

func (g *growth) find(i int) int {
	for g.parent[i] != i {
		g.parent[i] = g.parent[g.parent[i]]
		i = g.parent[i]
	}
	return i
}

func (g *growth) label(i int) int {
	if g.final != nil {
		return g.final[i]
	}
	return g.find(i)
}

// together is the root mean square deviation of the cosine with the best axis that
// two patches would have as one: the root of the least eigenvalue of the normals' covariance.
func together(a, b *patch) float64 {
	w := a.area + b.area
	if w <= 0 {
		return 0
	}
	var e [3]float64
	for i := range e {
		e[i] = (a.sum[i] + b.sum[i]) / w
	}
	q := func(i int) float64 { return (a.square[i] + b.square[i]) / w }
	return math.Sqrt(
		max(least(q(0)-e[0]*e[0], q(1)-e[1]*e[1], q(2)-e[2]*e[2], q(3)-e[0]*e[1], q(4)-e[0]*e[2], q(5)-e[1]*e[2]), 0),
	)
}

// least returns the smallest eigenvalue of a symmetric 3 × 3 matrix (Smith 1961).
func least(xx, yy, zz, xy, xz, yz float64) float64 {
	p1 := xy*xy + xz*xz + yz*yz
	q := (xx + yy + zz) / 3
	p2 := (xx-q)*(xx-q) + (yy-q)*(yy-q) + (zz-q)*(zz-q) + 2*p1
	if p2 < 1e-30 {
		return q
	}
	p := math.Sqrt(p2 / 6)
	a, b, c := (xx-q)/p, (yy-q)/p, (zz-q)/p
	d, e, f := xy/p, xz/p, yz/p
	det := a*(b*c-f*f) - d*(d*c-f*e) + e*(d*f-b*e)
	phi := math.Acos(min(max(det/2, -1), 1)) / 3
	return q + 2*p*math.Cos(phi+2*math.Pi/3)
}

type union struct {
	a, b       int
	ageA, ageB int
	cost       float64
}
type unions []union

func (u unions) Len() int { return len(u) }
func (u unions) Less(i, j int) bool {
	x, y := &u[i], &u[j]
	if x.cost != y.cost {
		return x.cost < y.cost
	}
	return x.a < y.a || x.a == y.a && x.b < y.b
}
func (u unions) Swap(i, j int) { u[i], u[j] = u[j], u[i] }
func (u *unions) Push(x any)   { *u = append(*u, x.(union)) }
func (u *unions) Pop() any {
	o := *u
	x := o[len(o)-1]
	*u = o[:len(o)-1]
	return x
}

// price orders unions: the deviation, and a little for a ragged outline.
func (g *growth) price(a, b int) (err, cost float64) {
	x, y := g.patches[a], g.patches[b]
	err = together(x, y)
	outline := x.border + y.border - 2*x.edges[b]
	round := outline / math.Sqrt(4*math.Pi*max(x.area+y.area, 1e-30))
	return err, err + 0.004*round
}

func (g *growth) merge(ctx context.Context, limit float64) {
	var heapOf unions
	offer := func(a, b int) {
		a, b = min(a, b), max(a, b)
		if err, cost := g.price(a, b); err <= limit {
			heap.Push(&heapOf, union{a, b, g.patches[a].age, g.patches[b].age, cost})
		}
	}
	for i, p := range g.patches {
		for j := range p.edges {
			if i < j {
				offer(i, j)
			}
		}
	}
	for n := 0; heapOf.Len() > 0; n++ {
		if n&255 == 0 && ctx.Err() != nil {
			return
		}
		u := heap.Pop(&heapOf).(union)
		if g.patches[u.a] == nil || g.patches[u.b] == nil || g.patches[u.a].age != u.ageA ||
			g.patches[u.b].age != u.ageB {
			continue
		}
		keep := g.join(u.a, u.b)
		for j := range g.patches[keep].edges {
			offer(keep, j)
		}
	}
}

// join makes one patch of two and returns its number.
func (g *growth) join(a, b int) int {
	if len(g.patches[a].edges) < len(g.patches[b].edges) {
		a, b = b, a
	}
	p, q := g.patches[a], g.patches[b]
	p.border += q.border - 2*p.edges[b]
	p.area += q.area
	for i := range p.sum {
		p.sum[i] += q.sum[i]
	}
	for i := range p.square {
		p.square[i] += q.square[i]
	}
	delete(p.edges, b)
	for j, l := range q.edges {
		if j == a {
			continue
		}
		p.edges[j] += l
		delete(g.patches[j].edges, b)
		g.patches[j].edges[a] += l
	}
	p.age++
	g.parent[b], g.patches[b] = a, nil
	return a
}

// absorb gives charts too small to be worth an island to the neighbour that they
// suit best.
func (g *growth) absorb(limit float64) {
	total := 0.0
	var order []int
	for i, p := range g.patches {
		if p != nil {
			total += p.area
			order = append(order, i)
		}
	}
	slices.SortStableFunc(order, func(a, b int) int {
		switch x, y := g.patches[a].area, g.patches[b].area; {
		case x < y:
			return -1
		case x > y:
			return 1
		}
		return 0
	})
	for _, i := range order {
		p := g.patches[i]
		if p == nil || p.area > total/200 {
			continue
		}
		best, least := -1, limit
		for j := range p.edges {
			if err, _ := g.price(i, j); err < least || err == least && j < best {
				best, least = j, err
			}
		}
		if best >= 0 {
			g.join(i, best)
		}
	}
}

// smooth straightens borders: a triangle with two of its edges in another chart
// goes over to it.
func (g *growth) smooth() {
	label := make([]int, len(g.tris))
	for i := range label {
		label[i] = g.find(i)
	}
	for range 4 {
		changed := false
		for i, t := range g.tris {
			count := map[int]int{}
			for k := range 3 {
				if o, ok := across(g.m, t, k); ok && !g.sharp[i][k] {
					if j, have := g.at[o.Tri]; have {
						count[label[j]]++
					}
				}
			}
			for l, n := range count {
				if n >= 2 && l != label[i] && count[label[i]] < 2 {
					label[i], changed = l, true
				}
			}
		}
		if !changed {
			break
		}
	}
	g.final = label
}

// Loop returns the edges of the loop that an edge lies in: it goes on over each
// vertex to the edge that lies opposite in the order around it (of an even number
// of edges), else to the one that is straightest within 60 degrees, and ends where
// there is none. On a border the loop is the border.
func Loop(m *mesh.Model, tri int32, k int) []int32 {
	g := edges(m, int32(m.TriPart[tri]))
	start := ID(m, tri, k)
	e := g.edge[start]
	out := []int32{start}
	seen := map[int32]bool{start: true}
	for _, end := range [2]int{0, 1} {
		at, from, id := e[end], e[1-end], start
		for {
			next, to := g.straight(at, from, id)
			if next < 0 || seen[next] {
				break
			}
			seen[next] = true
			out = append(out, next)
			from, at, id = at, to, next
		}
	}
	slices.Sort(out)
	return out
}

// Path returns the edges of the shortest way between two places of a part, given
// as corners (triangle, corner); nil when they do not hang together.
func Path(m *mesh.Model, fromTri int32, fromK int, toTri int32, toK int) []int32 {
	if m.TriPart[fromTri] != m.TriPart[toTri] {
		return nil
	}
	g := edges(m, int32(m.TriPart[fromTri]))
	a, b := g.vertex(m, fromTri, fromK), g.vertex(m, toTri, toK)
	path, end := shortest(g.out, []int{a}, func(v int) bool { return v == b })
	if end != b {
		return nil
	}
	slices.Sort(path)
	return path
}

// wires are the edges of a part between welded places.
type wires struct {
	weld  []uint32
	local map[uint32]int
	pos   []geom.Vec3
	out   [][]edgeTo
	edge  map[int32][2]int
	open  map[int32]bool // at a border of the surface
	bend  map[int32]float64
}

func (g *wires) vertex(m *mesh.Model, tri int32, k int) int { return g.local[g.weld[m.Tri[tri][k]]] }

func edges(m *mesh.Model, part int32) *wires {
	g := &wires{
		weld:  mesh.Weld(m.Pos),
		local: map[uint32]int{},
		edge:  map[int32][2]int{},
		open:  map[int32]bool{},
		bend:  map[int32]float64{},
	}
	c := &chart{m: m}
	for i := range m.Tri {
		if int32(m.TriPart[i]) != part {
			continue
		}
		var v [3]int
		for k, x := range m.Tri[i] {
			w := g.weld[x]
			at, ok := g.local[w]
			if !ok {
				at = len(g.pos)
				g.local[w] = at
				g.pos, g.out = append(g.pos, m.Pos[x]), append(g.out, nil)
			}
			v[k] = at
		}
		for k := range 3 {
			id := ID(m, int32(i), k)
			if _, have := g.edge[id]; have || v[k] == v[(k+1)%3] {
				continue
			}
			a, b := v[k], v[(k+1)%3]
			g.edge[id] = [2]int{a, b}
			o := m.Neighbor[i][k]
			w := float64(g.pos[a].Sub(g.pos[b]).Length())
			if g.open[id] = o.Tri < 0; !g.open[id] {
				c.pos = g.pos
				w = c.cost(int32(i), o.Tri, a, b)
				g.bend[id] = 1 - float64(m.FaceNormal(i).Unit().Dot(m.FaceNormal(int(o.Tri)).Unit()))
			}
			g.out[a], g.out[b] = append(g.out[a], edgeTo{b, id, w}), append(g.out[b], edgeTo{a, id, w})
		}
	}
	return g
}

// straight returns the edge that goes on from the edge from–at, or −1. Edges that
// bend as the last one did are preferred: a click on a rim takes the rim.
func (g *wires) straight(at, from int, last int32) (id int32, to int) {
	dir := g.pos[at].Sub(g.pos[from]).Unit()
	best := 0.5 // cosine of 60 degrees
	id = -1
	for _, e := range g.out[at] {
		if e.to == from || g.open[e.id] != g.open[last] {
			continue
		}
		score := float64(g.pos[e.to].Sub(g.pos[at]).Unit().Dot(dir)) - 0.5*math.Abs(g.bend[e.id]-g.bend[last])
		if g.open[last] {
			score++ // a border goes round corners
		}
		if score > best || score == best && e.id < id {
			best, id, to = score, e.id, e.to
		}
	}
	return id, to
}
