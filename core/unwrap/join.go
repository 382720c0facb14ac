package unwrap

import (
	"context"
	"runtime"
	"slices"

	"velvetgrime/core/mesh"
	"velvetgrime/core/par"
)

// Charts are joined while what they make together is laid flat with less energy
// than joinable, has at most joinMost triangles, and there are at most joinCount.
const (
	joinable  = 4.12 // a fifth in area, or an eighth in angle
	joinMost  = 6000
	joinCount = 1500
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
	failed := map[pair]int{} // the number of triangles they had when it failed
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
			if len(flat[p.a].tris)+len(flat[p.b].tris) <= joinMost &&
				failed[p] != len(flat[p.a].tris)+len(flat[p.b].tris) {
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
				most := joinable
				if small[p.a] || small[p.b] {
					most = worst
				}
				if c.open() && c.flatten(gctx, 40) && c.energy(c.rests(), c.uv) <= most && !c.overlapsItself() {
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
				failed[p] = len(flat[p.a].tris) + len(flat[p.b].tris)
				continue
			}
			flat[p.a], flat[p.b], parent[p.b] = made[i], nil, p.a
		}
	}
	return slices.DeleteFunc(flat, func(d *island) bool { return d == nil }), nil
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
