package unwrap

import (
	"context"
	"math"
	"runtime"
	"slices"

	"velvetgrime/core/mesh"
	"velvetgrime/core/par"
)

// Charts are joined while what they make together is laid flat with less energy
// than joinable, has at most joinMost triangles, and there are at most joinCount.
const (
	joinable  = 4.12 // a fifth in area, or an eighth in angle
	joinedP95 = 1.3  // of the distortion of angle: the worst triangles of a sheet are in its largest charts
	joinMost  = 6000
	joinCount = 1500
	// a chart is not laid flat with others where its faces go round a vertex of its border by so
	// many full turns: it would overlap itself, or be stretched
	widest = 1.1
	// two charts that could not be joined are tried again when they have grown by this share
	again = 0.2
	// a chart with less than this share of the area is a crumb
	crumb = 1.0 / 1500
)

// joinCharts tries to lay neighbouring charts flat together, those with the longest
// common border first, so that the model ends with as few islands as its form
// allows. Seams in kept, and edges whose faces' normals have less than limit as
// cosine, stay. On a noisy surface a crumb is a spike of the noise: it is joined over sharper
// edges, too, and as far as charts may be stretched at all.
func joinCharts(
	ctx context.Context, m *mesh.Model, flat []*island, kept Seams, limit float64, noisy bool,
) ([]*island, error) {
	if len(flat) > joinCount && !noisy {
		return flat, nil
	}
	least := 0.0 // the area of what is no crumb
	for _, d := range flat {
		least += d.area() * crumb
	}
	isCrumb := func(i int) bool { return noisy && flat[i].area() < least }
	owner := map[int32]int{}
	for i, d := range flat {
		for _, t := range d.tris {
			owner[t] = i
		}
	}
	parent := make([]int, len(flat))
	for i := range parent {
		parent[i] = i
	}
	find := func(i int) int {
		for parent[i] != i {
			i = parent[i]
		}
		return i
	}
	type pair struct{ a, b int }
	failed := map[pair]int{} // the number of triangles from which on it is tried again
	for {
		common, border := map[pair]float64{}, make([]float64, len(flat))
		small := make([]bool, len(flat))
		for i, d := range flat {
			small[i] = d != nil && isCrumb(i)
		}
		for i, d := range flat {
			if d == nil {
				continue
			}
			for _, t := range d.tris {
				for k := range 3 {
					l := float64(m.Pos[m.Tri[t][k]].Sub(m.Pos[m.Tri[t][(k+1)%3]]).Length())
					o, ok := across(m, t, k)
					j, have := owner[o.Tri]
					if ok && have && find(j) == i {
						continue
					}
					border[i] += l
					if !ok || !have || find(j) < i || kept[ID(m, t, k)] {
						continue
					}
					n1, n2 := m.FaceNormal(int(t)).Unit(), m.FaceNormal(int(o.Tri)).Unit()
					if float64(n1.Dot(n2)) >= limit || noisy && (small[i] || small[find(j)]) {
						common[pair{i, find(j)}] += l
					}
				}
			}
		}
		var order []pair
		for p := range common {
			if n := len(flat[p.a].tris) + len(flat[p.b].tris); n <= joinMost && n >= failed[p] {
				order = append(order, p)
			}
		}
		share := func(p pair) float64 { return common[p] / min(border[p.a], border[p.b]) }
		slices.SortFunc(order, func(x, y pair) int {
			switch a, b := share(x), share(y); {
			case a > b:
				return -1
			case a < b:
				return 1
			}
			return (x.a-y.a)*len(flat) + x.b - y.b
		})
		// those that have no chart in common are tried side by side
		used := map[int]bool{}
		var tried []pair
		for _, p := range order {
			if !used[p.a] && !used[p.b] && share(p) >= 0.08 {
				used[p.a], used[p.b] = true, true
				tried = append(tried, p)
			}
		}
		if len(tried) == 0 {
			break
		}
		made := make([]*island, len(tried))
		g, gctx := par.WithContext(ctx)
		g.SetLimit(runtime.GOMAXPROCS(0))
		for i, p := range tried {
			g.Go(func() error {
				tris := slices.Concat(flat[p.a].tris, flat[p.b].tris)
				slices.Sort(tris)
				c := newChart(m, tris, kept.within(m, tris))
				most, far := joinable, joinedP95
				if small[p.a] || small[p.b] {
					most, far = worst, math.Inf(1)
				}
				if !c.open() || c.tooWide() || !c.flatten(gctx, 40) {
					return gctx.Err()
				}
				if r := c.rests(); c.energy(r, c.uv) <= most && c.stretched(r) <= far && !c.overlapsItself() {
					made[i] = c.island()
				}
				return gctx.Err()
			})
		}
		if err := g.Wait(); err != nil {
			return nil, err
		}
		for i, p := range tried {
			if made[i] == nil {
				n := len(flat[p.a].tris) + len(flat[p.b].tris)
				failed[p] = n + 1 + int(again*float64(n))
				continue
			}
			flat[p.a], flat[p.b], parent[p.b] = made[i], nil, p.a
			// who could not be joined with a part of it cannot be with all of it, mostly
			for q, n := range failed {
				switch {
				case q.a == p.b && q.b != p.a:
					q.a = p.a
				case q.b == p.b && q.a != p.a:
					q.b = p.a
				default:
					continue
				}
				if q.a > q.b {
					q.a, q.b = q.b, q.a
				}
				failed[q] = max(failed[q], n)
			}
		}
	}
	return slices.DeleteFunc(flat, func(d *island) bool { return d == nil }), nil
}

// widest returns by how much the faces go round a vertex of the border at most, radians; angle gives that of a
// face at its vertex p, towards its two others.
func (c *chart) widest(angle func(p, a, b int) float64) (most float64) {
	turn, border := make([]float64, len(c.pos)), make([]bool, len(c.pos))
	for i, v := range c.vert {
		for k := range 3 {
			turn[v[k]] += angle(v[k], v[(k+1)%3], v[(k+2)%3])
			if _, _, ok := c.inner(i, k); !ok {
				border[v[k]], border[v[(k+1)%3]] = true, true
			}
		}
	}
	for v, a := range turn {
		if border[v] {
			most = max(most, a)
		}
	}
	return most
}

// tooWide reports whether the faces go round a vertex of the border farther than can be laid flat.
func (c *chart) tooWide() bool {
	return c.widest(func(p, a, b int) float64 {
		x, y := c.pos[a].Sub(c.pos[p]), c.pos[b].Sub(c.pos[p])
		return math.Atan2(float64(x.Cross(y).Length()), float64(x.Dot(y)))
	}) > widest*2*math.Pi
}

// stretched returns what the distortion of angle does not exceed on 95 % of the chart.
func (c *chart) stretched(r []rest) float64 {
	var list []weighted
	for i := range r {
		if r[i].area > 0 {
			a, b, d, e := c.jacobian(&r[i], i, c.uv)
			sum, diff := math.Hypot(a+e, b-d), math.Hypot(a-e, b+d)
			list = append(list, weighted{(sum + diff) / math.Abs(sum-diff), r[i].area})
		}
	}
	return spread(list).P95
}

// within returns the seams that lie on the given triangles.
func (s Seams) within(m *mesh.Model, tris []int32) Seams {
	out := Seams{}
	for _, t := range tris {
		for k := range 3 {
			if id := ID(m, t, k); s[id] {
				out[id] = true
			}
		}
	}
	return out
}
