// Package unwrap cuts a model into charts, lays them flat and packs them on
// sheets. Triangles keep their numbers, so whatever refers to the surface stays
// where it was.
package unwrap

import (
	"container/heap"
	"math"
	"slices"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// Seams are edges that are cut, each by the lower of its two names 3·triangle +
// corner.
type Seams map[int32]bool

// ID returns the one name of an edge that two triangles share.
func ID(m *mesh.Model, tri int32, k int) int32 {
	id := 3*tri + int32(k)
	if o := m.Neighbor[tri][k]; o.Tri >= 0 {
		id = min(id, 3*o.Tri+int32(o.K))
	}
	return id
}

// across returns the triangle over an edge, unless that belongs to another part or
// sheet.
func across(m *mesh.Model, tri int32, k int) (mesh.Edge, bool) {
	o := m.Neighbor[tri][k]
	return o, o.Tri >= 0 && m.TriPart[o.Tri] == m.TriPart[tri] && m.TriSheet[o.Tri] == m.TriSheet[tri]
}

// chart is a piece of the surface that is laid flat as a whole.
type chart struct {
	m     *mesh.Model
	seams Seams
	tris  []int32
	at    map[int32]int // place in tris
	// local vertices: what hangs together at a corner without crossing a seam
	vert [][3]int
	pos  []geom.Vec3
	uv   [][2]float64
}

// Charts groups triangles that hang together over edges that are no seams; each
// group is in rising order, and so are the groups.
func Charts(m *mesh.Model, tris []int32, seams Seams) [][]int32 {
	in := make(map[int32]int, len(tris))
	for _, t := range tris {
		in[t] = -1
	}
	sorted := slices.Clone(tris)
	slices.Sort(sorted)
	var out [][]int32
	for _, t := range sorted {
		if in[t] >= 0 {
			continue
		}
		group := []int32{t}
		in[t] = len(out)
		for i := 0; i < len(group); i++ {
			for k := range 3 {
				o, ok := across(m, group[i], k)
				if !ok || seams[ID(m, group[i], k)] {
					continue
				}
				if at, have := in[o.Tri]; have && at < 0 {
					in[o.Tri] = len(out)
					group = append(group, o.Tri)
				}
			}
		}
		slices.Sort(group)
		out = append(out, group)
	}
	return out
}

func newChart(m *mesh.Model, tris []int32, seams Seams) *chart {
	c := &chart{m: m, seams: seams, tris: tris, at: make(map[int32]int, len(tris))}
	for i, t := range tris {
		c.at[t] = i
	}
	c.weld()
	return c
}

// inner returns the triangle of the chart over an edge that is no seam.
func (c *chart) inner(i, k int) (j, jk int, ok bool) {
	t := c.tris[i]
	o, ok := across(c.m, t, k)
	if !ok || c.seams[ID(c.m, t, k)] {
		return 0, 0, false
	}
	j, ok = c.at[o.Tri]
	return j, int(o.K), ok
}

// weld numbers the local vertices.
func (c *chart) weld() {
	parent := make([]int, 3*len(c.tris))
	for i := range parent {
		parent[i] = i
	}
	find := func(i int) int {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	for i := range c.tris {
		for k := range 3 {
			if j, jk, ok := c.inner(i, k); ok {
				parent[find(3*i+k)] = find(3*j + (jk+1)%3)
				parent[find(3*i+(k+1)%3)] = find(3*j + jk)
			}
		}
	}
	number := map[int]int{}
	c.vert, c.pos = make([][3]int, len(c.tris)), nil
	for i, t := range c.tris {
		for k := range 3 {
			r := find(3*i + k)
			v, ok := number[r]
			if !ok {
				v = len(c.pos)
				number[r] = v
				c.pos = append(c.pos, c.m.Pos[c.m.Tri[t][k]])
			}
			c.vert[i][k] = v
		}
	}
}

// loops returns the chart's borders as rows of local vertices, the longest first,
// and the Euler characteristic of the chart.
func (c *chart) loops() (loops [][]int, euler int) {
	next := map[int]int{}
	edges := 0
	for i := range c.tris {
		for k := range 3 {
			j, _, ok := c.inner(i, k)
			if !ok {
				next[c.vert[i][k]] = c.vert[i][(k+1)%3]
			}
			if !ok || j > i || j == i {
				edges++
			}
		}
	}
	starts := make([]int, 0, len(next))
	for v := range next {
		starts = append(starts, v)
	}
	slices.Sort(starts)
	seen := map[int]bool{}
	for _, v := range starts {
		if seen[v] {
			continue
		}
		var loop []int
		for n := v; !seen[n]; {
			seen[n] = true
			loop = append(loop, n)
			to, ok := next[n]
			if !ok {
				break
			}
			n = to
		}
		loops = append(loops, loop)
	}
	slices.SortStableFunc(loops, func(a, b []int) int { return len(b) - len(a) })
	return loops, len(c.pos) - edges + len(c.tris)
}

// edgeTo is an edge of the chart from one local vertex to another.
type edgeTo struct {
	to     int
	id     int32
	weight float64
}

func (c *chart) graph() [][]edgeTo {
	g := make([][]edgeTo, len(c.pos))
	for i, t := range c.tris {
		for k := range 3 {
			j, _, ok := c.inner(i, k)
			if !ok || j < i {
				continue
			}
			a, b := c.vert[i][k], c.vert[i][(k+1)%3]
			w := c.cost(t, c.tris[j], a, b)
			id := ID(c.m, t, k)
			g[a], g[b] = append(g[a], edgeTo{b, id, w}), append(g[b], edgeTo{a, id, w})
		}
	}
	return g
}

// cost is how dear it is to cut an edge: its length, cheaper where the surface
// bends and where it faces down or back, so that seams lie where nobody looks.
func (c *chart) cost(t, o int32, a, b int) float64 {
	n1, n2 := c.m.FaceNormal(int(t)).Unit(), c.m.FaceNormal(int(o)).Unit()
	bend := (1 - float64(n1.Dot(n2))) / 2
	hidden := 0.5 - 0.5*float64(n1.Add(n2).Unit().Dot(geom.V3(0, 0.5, 0.866)))
	return float64(c.pos[a].Sub(c.pos[b]).Length()) * (1 - 0.6*math.Sqrt(bend)) * (1 - 0.4*hidden)
}

type reached struct {
	v int
	d float64
}
type frontier []reached

func (f frontier) Len() int           { return len(f) }
func (f frontier) Less(i, j int) bool { return f[i].d < f[j].d || f[i].d == f[j].d && f[i].v < f[j].v }
func (f frontier) Swap(i, j int)      { f[i], f[j] = f[j], f[i] }
func (f *frontier) Push(x any)        { *f = append(*f, x.(reached)) }
func (f *frontier) Pop() any {
	o := *f
	x := o[len(o)-1]
	*f = o[:len(o)-1]
	return x
}

// shortest walks from any of from to the first vertex that goal accepts (Dijkstra)
// and returns the edges on the way; without a goal that accepts, the way to the
// farthest vertex.
func shortest(g [][]edgeTo, from []int, goal func(v int) bool) (path []int32, end int) {
	dist := make([]float64, len(g))
	back, by := make([]int, len(g)), make([]int32, len(g))
	for i := range dist {
		dist[i], back[i] = math.Inf(1), -1
	}
	var f frontier
	for _, v := range from {
		dist[v] = 0
		heap.Push(&f, reached{v, 0})
	}
	end = -1
	last := -1
	for f.Len() > 0 {
		r := heap.Pop(&f).(reached)
		if r.d > dist[r.v] {
			continue
		}
		last = r.v
		if goal(r.v) {
			end = r.v
			break
		}
		for _, e := range g[r.v] {
			if d := r.d + e.weight; d < dist[e.to] {
				dist[e.to], back[e.to], by[e.to] = d, r.v, e.id
				heap.Push(&f, reached{e.to, d})
			}
		}
	}
	if end < 0 {
		end = last
	}
	for v := end; v >= 0 && back[v] >= 0; v = back[v] {
		path = append(path, by[v])
	}
	return path, end
}

// open cuts the chart until it is a disc: it can be laid flat then. It returns
// false when that needs cutting the chart in two.
func (c *chart) open() bool {
	for range 64 {
		loops, euler := c.loops()
		switch {
		case len(loops) == 1 && euler == 1:
			return true
		case len(loops) == 0: // closed: cut from one end to the other
			g := c.graph()
			_, a := shortest(g, []int{0}, func(int) bool { return false })
			path, _ := shortest(g, []int{a}, func(int) bool { return false })
			c.cut(path)
		case len(loops) > 1:
			first := map[int]bool{}
			for _, v := range loops[0] {
				first[v] = true
			}
			other := map[int]bool{}
			for _, l := range loops[1:] {
				for _, v := range l {
					if first[v] {
						return false // a vertex of two borders
					}
					other[v] = true
				}
			}
			path, end := shortest(c.graph(), loops[0], func(v int) bool { return other[v] })
			if !other[end] {
				return false
			}
			c.cut(path)
		default:
			return false // a handle
		}
	}
	return false
}

func (c *chart) cut(path []int32) {
	for _, id := range path {
		c.seams[id] = true
	}
	c.weld()
}

// halves parts the triangles in two of about the same number: those nearer to one
// end and those nearer to the other, and makes the border a seam.
func (c *chart) halves() ([]int32, []int32) {
	far := func(from []int) []int {
		d := make([]int, len(c.tris))
		for i := range d {
			d[i] = -1
		}
		queue := slices.Clone(from)
		for _, i := range from {
			d[i] = 0
		}
		for n := 0; n < len(queue); n++ {
			for k := range 3 {
				if j, _, ok := c.inner(queue[n], k); ok && d[j] < 0 {
					d[j] = d[queue[n]] + 1
					queue = append(queue, j)
				}
			}
		}
		return d
	}
	end := func(d []int) int {
		best := 0
		for i := range d {
			if d[i] > d[best] {
				best = i
			}
		}
		return best
	}
	a := end(far([]int{0}))
	da := far([]int{a})
	b := end(da)
	db := far([]int{b})
	side := make([]bool, len(c.tris))
	var l, r []int32
	for i, t := range c.tris {
		if side[i] = da[i] > db[i]; side[i] {
			r = append(r, t)
		} else {
			l = append(l, t)
		}
	}
	for i, t := range c.tris {
		for k := range 3 {
			if j, _, ok := c.inner(i, k); ok && side[i] != side[j] {
				c.seams[ID(c.m, t, k)] = true
			}
		}
	}
	return l, r
}
