package live

import (
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// Rail chains edges of a model to a line that a stroke can run along: six numbers a
// point, its place and the way the surface faces there. A closed line ends where it
// begins. When the edges are no single line the longest way from the first one is taken.
func Rail(m *mesh.Model, ids []int32) []float32 {
	weld := mesh.Weld(m.Pos)
	type side struct {
		to   uint32
		edge int
	}
	next := map[uint32][]side{}
	at := map[uint32]geom.Vec3{}
	nrm := map[uint32]geom.Vec3{}
	var first uint32
	for i, id := range ids {
		if id < 0 || int(id/3) >= len(m.Tri) {
			continue
		}
		t, k := id/3, int(id%3)
		va, vb := m.Tri[t][k], m.Tri[t][(k+1)%3]
		a, b := weld[va], weld[vb]
		next[a], next[b] = append(next[a], side{b, i}), append(next[b], side{a, i})
		at[a], at[b] = m.Pos[va], m.Pos[vb]
		n := m.FaceNormal(int(t)).Unit()
		if o := m.Neighbor[t][k]; o.Tri >= 0 {
			n = n.Add(m.FaceNormal(int(o.Tri)).Unit())
		}
		nrm[a], nrm[b] = nrm[a].Add(n), nrm[b].Add(n)
		if i == 0 {
			first = a
		}
	}
	if len(at) == 0 {
		return nil
	}
	used := make([]bool, len(ids))
	walk := func(from uint32) (list []uint32) {
		list = []uint32{from}
		for {
			moved := false
			for _, s := range next[from] {
				if !used[s.edge] {
					used[s.edge], from, moved = true, s.to, true
					list = append(list, from)
					break
				}
			}
			if !moved {
				return
			}
		}
	}
	line := walk(first)
	if line[len(line)-1] != first { // an open one goes on to the other side
		back := walk(first)
		for i := range back[1:] {
			line = append([]uint32{back[i+1]}, line...)
		}
	}
	out := make([]float32, 0, 6*len(line))
	for _, v := range line {
		p, n := at[v], nrm[v].Unit()
		out = append(out, p.X, p.Y, p.Z, n.X, n.Y, n.Z)
	}
	return out
}

// Seam returns the border of the UV island around a place of triangle tri: the edges of
// the one closed line of it that comes nearest. None when the island has no border.
func Seam(m *mesh.Model, tri int32, p geom.Vec3) []int32 {
	weld := mesh.Weld(m.Pos)
	from := map[uint32][]int32{}
	best, least := int32(-1), float32(0)
	for t := range m.Tri {
		if m.Island[t] != m.Island[tri] {
			continue
		}
		for k := range 3 {
			if !m.UVBorder[t][k] {
				continue
			}
			id := int32(3*t + k)
			a, b := m.Pos[m.Tri[t][k]], m.Pos[m.Tri[t][(k+1)%3]]
			from[weld[m.Tri[t][k]]] = append(from[weld[m.Tri[t][k]]], id)
			e, d := b.Sub(a), p.Sub(a)
			u := float32(0)
			if l := e.Dot(e); l > 0 {
				u = min(max(d.Dot(e)/l, 0), 1)
			}
			d = d.Sub(e.Mul(u))
			if v := d.Dot(d); best < 0 || v < least {
				best, least = id, v
			}
		}
	}
	if best < 0 {
		return nil
	}
	used := map[int32]bool{}
	var out []int32
	for id := best; ; {
		used[id] = true
		out = append(out, id)
		end := weld[m.Tri[id/3][(id%3+1)%3]]
		next := int32(-1)
		for _, o := range from[end] {
			if !used[o] {
				next = o
				break
			}
		}
		if next < 0 {
			return out
		}
		id = next
	}
}
