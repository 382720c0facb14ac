package mesh

import (
	"fmt"
	"math"

	"velvetgrime/core/geom"
)

// Counterparts says which triangle corresponds to which, by the mesh's connectivity
// alone: two halves, or two parts, that were built alike, wherever they lie.
type Counterparts struct {
	To    []int32 // the counterpart of a triangle, or −1
	Depth []int32 // edges crossed from the picked face to it; −1 where it was not reached
	Count int     // triangles that have one
	turn  []corner
}

// corner says how the corners of a triangle and its counterpart go together: corner j
// with corner start + way·j.
type corner struct{ start, way int8 }

func wrap(i int) int { return ((i % 3) + 3) % 3 }

func (c corner) of(j int) int { return wrap(int(c.start) + int(c.way)*j) }

// Match finds the whole correspondence from one face and its counterpart. It goes from
// face to face over edges as long as the meshes are alike: borders at the same edges and
// as many triangles around each corner. Of the six ways to lay one face on the other the
// one that reaches most counts; among equals the one that keeps the shapes best.
func (m *Model) Match(a, b int) (*Counterparts, error) {
	if a < 0 || b < 0 || a >= len(m.Tri) || b >= len(m.Tri) {
		return nil, fmt.Errorf("there are no faces %d and %d; the model has %d", a, b, len(m.Tri))
	}
	if a == b {
		return nil, fmt.Errorf("the face and its counterpart are the same face; pick one on the other side")
	}
	weld := Weld(m.Pos)
	valence := map[uint32]int32{}
	for _, t := range m.Tri {
		if !Collapsed(weld, t) {
			for _, v := range t {
				valence[weld[v]]++
			}
		}
	}
	alike := func(t, u int32, c corner) bool {
		for j := range 3 {
			if valence[weld[m.Tri[t][j]]] != valence[weld[m.Tri[u][c.of(j)]]] ||
				(m.Neighbor[t][j].Tri < 0) != (m.Neighbor[u][c.edge(j)].Tri < 0) {
				return false
			}
		}
		return true
	}
	var best *Counterparts
	least := math.Inf(1)
	for _, way := range []int8{-1, 1} {
		for start := range int8(3) {
			got := m.match(int32(a), int32(b), corner{start, way}, alike)
			if got.Count == 0 {
				continue
			}
			off := m.distortion(got)
			if best == nil || got.Count > best.Count || got.Count == best.Count && off < least-1e-9 {
				best, least = got, off
			}
		}
	}
	if best == nil {
		return nil, fmt.Errorf("the two faces do not correspond: around them the mesh is not alike; pick another pair")
	}
	// and back, where the way there did not come by
	for t, u := range best.To {
		if u >= 0 && best.Depth[t] < other && best.To[u] < 0 {
			c := best.turn[t]
			best.To[u], best.Depth[u] = int32(t), best.Depth[t]+other
			best.turn[u] = corner{int8(wrap(-int(c.way) * int(c.start))), c.way}
			best.Count++
		}
	}
	return best, nil
}

// other is added to the depth of faces that are only reached as counterparts.
const other = 1 << 24

// edge returns which edge of the counterpart lies where edge k of a triangle does.
func (c corner) edge(k int) int {
	if c.way > 0 {
		return c.of(k)
	}
	return c.of(k + 1)
}

func (m *Model) match(a, b int32, c corner, alike func(t, u int32, c corner) bool) *Counterparts {
	n := len(m.Tri)
	out := &Counterparts{To: make([]int32, n), Depth: make([]int32, n), turn: make([]corner, n)}
	from := make([]int32, n)
	for i := range n {
		out.To[i], out.Depth[i], from[i] = -1, -1, -1
	}
	if !alike(a, b, c) {
		return out
	}
	out.To[a], out.Depth[a], out.turn[a], from[b] = b, 0, c, a
	out.Count = 1
	queue := []int32{a}
	for len(queue) > 0 {
		t := queue[0]
		queue = queue[1:]
		u, c := out.To[t], out.turn[t]
		for k := range 3 {
			e, f := m.Neighbor[t][k], m.Neighbor[u][c.edge(k)]
			if e.Tri < 0 || f.Tri < 0 || out.To[e.Tri] >= 0 || from[f.Tri] >= 0 {
				continue
			}
			next := corner{int8(wrap(int(f.K) - int(e.K))), 1}
			if c.way < 0 {
				next = corner{int8(wrap(int(f.K) + 1 + int(e.K))), -1}
			}
			if !alike(e.Tri, f.Tri, next) {
				continue
			}
			out.To[e.Tri], out.Depth[e.Tri], out.turn[e.Tri], from[f.Tri] = f.Tri, out.Depth[t]+1, next, e.Tri
			out.Count++
			queue = append(queue, e.Tri)
		}
	}
	return out
}

// distortion is how much counterparts differ in the lengths of their edges, on average.
func (m *Model) distortion(c *Counterparts) float64 {
	var sum float64
	for t, u := range c.To {
		if u < 0 {
			continue
		}
		for k := range 3 {
			a := m.Pos[m.Tri[t][k]].Sub(m.Pos[m.Tri[t][(k+1)%3]]).Length()
			b := m.Pos[m.Tri[u][c.turn[t].of(k)]].Sub(m.Pos[m.Tri[u][c.turn[t].of(k+1)]]).Length()
			sum += math.Abs(math.Log(float64(max(b, 1e-9)) / float64(max(a, 1e-9))))
		}
	}
	return sum / float64(3*c.Count)
}

// Near reports whether a triangle belongs to the side of the face that was picked: fewer
// edges lie between it and that face than between its counterpart and that face.
func (c *Counterparts) Near(t int32) bool {
	d := c.Depth[t]
	if d < 0 {
		return false
	}
	other := c.Depth[c.To[t]]
	return other < 0 || d < other || d == other && t < c.To[t]
}

// Place returns where a place of triangle t lies on its counterpart; u and v are the
// shares of its second and third corner. scale is how much larger the counterpart is.
func (c *Counterparts) Place(m *Model, t int32, u, v float32) (tri int32, pos, nrm geom.Vec3, scale float32) {
	tri = c.To[t]
	for j, share := range [3]float32{1 - u - v, u, v} {
		k := m.Tri[tri][c.turn[t].of(j)]
		pos, nrm = pos.Add(m.Pos[k].Mul(share)), nrm.Add(m.Nrm[k].Mul(share))
	}
	scale = 1
	if a := m.FaceNormal(int(t)).Length(); a > 0 {
		scale = float32(math.Sqrt(float64(m.FaceNormal(int(tri)).Length() / a)))
	}
	return tri, pos, nrm.Unit(), scale
}

// Mirrors reports whether the counterpart of triangle t is its mirror image, not a turned
// copy.
func (c *Counterparts) Mirrors(t int32) bool { return c.turn[t].way < 0 }
