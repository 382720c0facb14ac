// Package mesh is the imported model: triangles in model space with the part
// and the sheet that each belongs to, and what touches what.
package mesh

import (
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"sort"

	"velvetgrime/core/geom"
	"velvetgrime/core/par"

	"github.com/zeebo/xxh3"
)

// Part is a named piece of the model.
type Part struct {
	Name string `json:"name"`
}

// Sheet is one set of textures with one UV layout.
type Sheet struct {
	Name   string `json:"name"`
	HasUV  bool   `json:"hasUV"`  // false: nothing can be drawn on it yet
	Source string `json:"source"` // the material it was made from
}

// Model is immutable once Finish has returned. All positions are in metres with
// the node transforms already applied, so that strokes have one space.
type Model struct {
	Name     string
	Parts    []Part
	Sheets   []Sheet
	Pos, Nrm []geom.Vec3
	UV       []geom.Vec2 // V grows downward
	Color    []geom.Vec3 // of the vertices, sRGB-encoded; nil: there are none
	Tri      [][3]uint32
	TriPart  []uint16
	TriSheet []uint16

	Neighbor [][3]Edge // over edge k (corner k to k+1); Tri −1 at a border
	UVBorder [][3]bool // edge k ends a UV island
	Island   []int32   // UV island of each triangle
	Islands  int
	Bounds   geom.Box
	Owners   [][2]int32 // chosen: where both islands have a texel, it is the first one's
	Hash     [16]byte   // of everything that texels depend on
}

// Edge names edge K of a triangle.
type Edge struct {
	Tri int32
	K   int8
}

// Finish checks the model and derives topology, bounds and hash. The error
// names the first thing that is wrong and where.
func (m *Model) Finish() error {
	if len(m.Tri) == 0 {
		return fmt.Errorf("the model has no triangles; export it with its mesh")
	}
	if len(m.Sheets) > 256 || len(m.Parts) > 65535 {
		return fmt.Errorf(
			"the model has %d sheets and %d parts; at most 256 and 65535 are possible",
			len(m.Sheets),
			len(m.Parts),
		)
	}
	m.Bounds = geom.EmptyBox()
	for i, p := range m.Pos {
		if !p.Finite() || max(math.Abs(float64(p.X)), math.Abs(float64(p.Y)), math.Abs(float64(p.Z))) > 1e6 {
			return fmt.Errorf(
				"vertex %d has the position %v, which is no place in space; mend the mesh and export it again",
				i,
				p,
			)
		}
		m.Bounds = m.Bounds.Grow(p)
	}
	for i, t := range m.UV {
		s := float64(t.X) + float64(t.Y)
		if math.IsNaN(s) || math.IsInf(s, 0) {
			return fmt.Errorf("vertex %d has a UV that is not a number", i)
		}
	}
	for i, t := range m.Tri {
		for _, v := range t {
			if int(v) >= len(m.Pos) {
				return fmt.Errorf("triangle %d uses vertex %d of %d", i, v, len(m.Pos))
			}
		}
	}
	m.topology()
	m.Hash = m.hash()
	return nil
}

// hash covers everything of a model that a texel can depend on: places, normals, UVs and
// colours of its vertices, its triangles, the names by which layers reach parts and sheets,
// and which island owns texels that several have.
func (m *Model) hash() [16]byte {
	h := xxh3.New()
	var b []byte
	vectors := func(list []geom.Vec3) {
		b = binary.LittleEndian.AppendUint64(b[:0], uint64(len(list)))
		for _, v := range list {
			for _, x := range [3]float32{v.X, v.Y, v.Z} {
				b = binary.LittleEndian.AppendUint32(b, math.Float32bits(x))
			}
		}
		_, _ = h.Write(b)
	}
	vectors(m.Pos)
	vectors(m.Nrm)
	vectors(m.Color)
	b = b[:0]
	for _, v := range m.UV {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(v.X))
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(v.Y))
	}
	for i, t := range m.Tri {
		for _, v := range t {
			b = binary.LittleEndian.AppendUint32(b, v)
		}
		b = binary.LittleEndian.AppendUint16(b, m.TriSheet[i])
		b = binary.LittleEndian.AppendUint16(b, m.TriPart[i])
	}
	name := func(s string) { b = append(binary.LittleEndian.AppendUint32(b, uint32(len(s))), s...) }
	for _, p := range m.Parts {
		name(p.Name)
	}
	for _, s := range m.Sheets {
		name(s.Name)
		if s.HasUV {
			b = append(b, 1)
		}
	}
	for _, o := range m.Owners {
		b = binary.LittleEndian.AppendUint32(b, uint32(o[0]))
		b = binary.LittleEndian.AppendUint32(b, uint32(o[1]))
	}
	_, _ = h.Write(b)
	return h.Sum128().Bytes()
}

// WithOwners returns the model with other choices of which island owns a texel that two
// have; of contrary choices the last counts. Pairs of islands that are not there are an
// error that names them.
func (m *Model) WithOwners(pairs [][2]int32) (*Model, error) {
	for _, p := range pairs {
		if p[0] == p[1] || min(p[0], p[1]) < 0 || int(max(p[0], p[1])) >= m.Islands {
			return nil, fmt.Errorf(
				"islands %d and %d are no pair of the model's %d islands; choose the owner of their texels again",
				p[0],
				p[1],
				m.Islands,
			)
		}
	}
	out := *m
	out.Owners = pairs
	out.Hash = out.hash()
	return &out, nil
}

// Weld returns for each vertex the index of the first one at the same place. Places
// within about a millionth of the model's size are the same: many programs write
// the pole of a ball as points that differ in the last digit.
func Weld(pos []geom.Vec3) []uint32 {
	box := geom.EmptyBox()
	for _, p := range pos {
		box = box.Grow(p)
	}
	cell := max(float64(box.Size().Length())*1e-6, 1e-30)
	round := func(v float32) int64 { return int64(math.Round(float64(v) / cell)) }
	place := func(i uint32) [3]int64 { return [3]int64{round(pos[i].X), round(pos[i].Y), round(pos[i].Z)} }
	hashes := make([]uint32, len(pos))
	par.Parts(len(pos), 1<<14, func(from, to int) {
		for i := from; i < to; i++ {
			h := uint64(0)
			for _, c := range place(uint32(i)) {
				h = (h ^ uint64(c)) * 0x9e3779b97f4a7c15
				h ^= h >> 29
			}
			hashes[i] = uint32(h >> 32)
		}
	})
	bits := max(math.Ilogb(float64(len(pos)+1))+2, 4)
	table := make([]uint32, 1<<bits) // of the first at each place: one more than its index
	mask := uint32(len(table) - 1)
	w := make([]uint32, len(pos))
	for i := range pos {
		at := hashes[i] & mask
		for ; table[at] != 0; at = (at + 1) & mask {
			if j := table[at] - 1; hashes[j] == hashes[i] && place(j) == place(uint32(i)) {
				w[i] = j
				break
			}
		}
		if table[at] == 0 {
			table[at], w[i] = uint32(i)+1, uint32(i)
		}
	}
	return w
}

// Collapsed reports whether two corners of a triangle are at the same place. Such
// triangles have no neighbours: their edges are those of the triangles around them.
func Collapsed(weld []uint32, t [3]uint32) bool {
	return weld[t[0]] == weld[t[1]] || weld[t[1]] == weld[t[2]] || weld[t[0]] == weld[t[2]]
}

func (m *Model) topology() {
	n := len(m.Tri)
	weld := Weld(m.Pos)
	m.Neighbor, m.UVBorder = make([][3]Edge, n), make([][3]bool, n)
	open := newOpenEdges(len(m.Pos))
	parent := make([]int32, n)
	for i := range parent {
		parent[i] = int32(i)
		m.Neighbor[i] = [3]Edge{{Tri: -1}, {Tri: -1}, {Tri: -1}}
		m.UVBorder[i] = [3]bool{true, true, true}
	}
	find := func(i int32) int32 {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	for i, t := range m.Tri {
		if Collapsed(weld, t) {
			continue
		}
		for k := range 3 {
			a, b := t[k], t[(k+1)%3]
			wa, wb := weld[a], weld[b]
			o, ok := open.take(wb, wa)
			if !ok {
				open.put(wa, wb, Edge{int32(i), int8(k)})
				continue
			}
			m.Neighbor[i][k] = o
			m.Neighbor[o.Tri][o.K] = Edge{int32(i), int8(k)}
			ot := m.Tri[o.Tri]
			if m.UV[ot[o.K]] == m.UV[b] && m.UV[ot[(o.K+1)%3]] == m.UV[a] && m.TriSheet[i] == m.TriSheet[o.Tri] {
				m.UVBorder[i][k], m.UVBorder[o.Tri][o.K] = false, false
				parent[find(int32(i))] = find(o.Tri)
			}
		}
	}
	uses := make([]int32, len(m.Pos)) // a triangle at each vertex
	for i, t := range m.Tri {
		for _, v := range t {
			uses[v] = int32(i)
		}
	}
	for i, t := range m.Tri {
		if Collapsed(weld, t) { // it belongs to the island that it touches
			for _, v := range t {
				parent[find(int32(i))] = find(uses[v])
			}
		}
	}
	m.Island, m.Islands = make([]int32, n), 0
	number := make([]int32, n) // of the island with that root, and one more
	for i := range m.Tri {
		r := find(int32(i))
		if number[r] == 0 {
			m.Islands++
			number[r] = int32(m.Islands)
		}
		m.Island[i] = number[r] - 1
	}
}

// openEdges are edges of triangles that have met no other triangle yet, by their two ends.
type openEdges struct {
	first []int32 // by the one end: one more than the place of its first edge
	all   []openEdge
	free  int32 // one more than the first place that is not used
}

type openEdge struct {
	end  uint32
	next int32
	edge Edge
}

func newOpenEdges(vertices int) *openEdges { return &openEdges{first: make([]int32, vertices)} }

// put adds an edge; it replaces one with the same ends.
func (o *openEdges) put(a, b uint32, e Edge) {
	for i := o.first[a]; i != 0; i = o.all[i-1].next {
		if o.all[i-1].end == b {
			o.all[i-1].edge = e
			return
		}
	}
	at := o.free
	if at == 0 {
		o.all = append(o.all, openEdge{})
		at = int32(len(o.all))
	} else {
		o.free = o.all[at-1].next
	}
	o.all[at-1] = openEdge{b, o.first[a], e}
	o.first[a] = at
}

// take removes an edge and returns it.
func (o *openEdges) take(a, b uint32) (Edge, bool) {
	for at := &o.first[a]; *at != 0; at = &o.all[*at-1].next {
		if i := *at; o.all[i-1].end == b {
			e := o.all[i-1].edge
			*at = o.all[i-1].next
			o.all[i-1].next, o.free = o.free, i
			return e, true
		}
	}
	return Edge{}, false
}

// FaceNormal returns the cross product of two edges: its length is twice the area.
func (m *Model) FaceNormal(i int) geom.Vec3 {
	t := m.Tri[i]
	return m.Pos[t[1]].Sub(m.Pos[t[0]]).Cross(m.Pos[t[2]].Sub(m.Pos[t[0]]))
}

// SmoothNormals rebuilds all normals: faces that meet at less than angle
// (degrees) share theirs, weighted by area and corner angle; vertices are split
// where they must differ.
func (m *Model) SmoothNormals(angle float64) {
	weld := Weld(m.Pos)
	limit := float32(math.Cos(angle * math.Pi / 180))
	n := len(m.Tri)
	face, unit, angles := make([]geom.Vec3, n), make([]geom.Vec3, n), make([][3]float32, n)
	par.Parts(n, 1<<12, func(from, to int) {
		for i := from; i < to; i++ {
			face[i] = m.FaceNormal(i)
			unit[i] = face[i].Unit()
			angles[i] = m.cornerAngles(i)
		}
	})
	start, around := facesAround(weld, m.Tri)
	normal := make([][3]geom.Vec3, n)
	par.Parts(n, 1<<12, func(from, to int) {
		for i := from; i < to; i++ {
			for k, v := range m.Tri[i] {
				w := weld[v]
				var sum geom.Vec3
				for _, c := range around[start[w]:start[w+1]] {
					if o := c / 3; unit[o].Dot(unit[i]) >= limit {
						sum = sum.Add(face[o].Mul(angles[o][c%3]))
					}
				}
				if normal[i][k] = sum.Unit(); normal[i][k] == (geom.Vec3{}) {
					normal[i][k] = geom.V3(0, 1, 0)
				}
			}
		}
	})
	// a vertex is made anew for each of its normals, in the order in which they come
	var out Model
	first := make([]uint32, len(m.Pos)) // one more than the first made of each vertex
	var next []uint32                   // and than the next made of the same one
	tri := make([][3]uint32, n)
	for i, t := range m.Tri {
		for k, v := range t {
			made := first[v]
			for made != 0 && out.Nrm[made-1] != normal[i][k] {
				made = next[made-1]
			}
			if made == 0 {
				out.Pos, out.Nrm = append(out.Pos, m.Pos[v]), append(out.Nrm, normal[i][k])
				out.UV = append(out.UV, m.UV[v])
				if m.Color != nil {
					out.Color = append(out.Color, m.Color[v])
				}
				made = uint32(len(out.Pos))
				next, first[v] = append(next, first[v]), made
			}
			tri[i][k] = made - 1
		}
	}
	m.Pos, m.Nrm, m.UV, m.Color, m.Tri = out.Pos, out.Nrm, out.UV, out.Color, tri
}

// cornerAngles returns the angles of a triangle, in radians.
func (m *Model) cornerAngles(i int) (out [3]float32) {
	t := m.Tri[i]
	for k := range 3 {
		a := m.Pos[t[(k+1)%3]].Sub(m.Pos[t[k]]).Unit()
		b := m.Pos[t[(k+2)%3]].Sub(m.Pos[t[k]]).Unit()
		out[k] = float32(math.Acos(float64(min(max(a.Dot(b), -1), 1))))
	}
	return out
}

// facesAround lists the corners (3 · triangle + corner) that meet at each welded vertex w:
// those from start[w] to start[w+1], in the order of the triangles.
func facesAround(weld []uint32, tri [][3]uint32) (start []int32, corners []int32) {
	start, corners = make([]int32, len(weld)+1), make([]int32, 3*len(tri))
	for _, t := range tri {
		for _, v := range t {
			start[weld[v]+1]++
		}
	}
	for i := range weld {
		start[i+1] += start[i]
	}
	at := slices.Clone(start[:len(weld)])
	for i, t := range tri {
		for k, v := range t {
			w := weld[v]
			corners[at[w]] = int32(3*i + k)
			at[w]++
		}
	}
	return start, corners
}

// SplitTiles turns sheets whose UVs lie in several unit squares into one sheet
// a square (UDIM: 1001 + u + 10·v, v counted upward) and moves each into 0..1.
// Squares that UDIM has no number for (left of the first column, right of the
// tenth, below the first row) come from textures that repeat: they are folded onto
// the first square.
func (m *Model) SplitTiles() error {
	type key struct {
		sheet uint16
		u, v  int
	}
	tile := func(i int) key {
		var c geom.Vec2
		for _, v := range m.Tri[i] {
			c.X, c.Y = c.X+m.UV[v].X/3, c.Y+m.UV[v].Y/3
		}
		return key{m.TriSheet[i], int(math.Floor(float64(c.X))), int(math.Floor(float64(c.Y)))}
	}
	home := func(k key) key { // the sheet's square that a tile belongs to
		if k.u < 0 || k.u > 9 || k.v > 0 {
			return key{sheet: k.sheet}
		}
		return k
	}
	seen := map[key]int{}
	var order []key
	for i := range m.Tri {
		k := home(tile(i))
		if seen[k]++; seen[k] == 1 {
			order = append(order, k)
		}
	}
	sort.SliceStable(order, func(a, b int) bool {
		x, y := order[a], order[b]
		return x.sheet < y.sheet || x.sheet == y.sheet && (x.v > y.v || x.v == y.v && x.u < y.u)
	})
	count := map[uint16]int{}
	for _, k := range order {
		count[k.sheet]++
	}
	if len(order) > 256 {
		return fmt.Errorf("the UVs lie in %d unit squares; at most 256 are possible", len(order))
	}
	index := map[key]uint16{}
	var sheets []Sheet
	for _, k := range order {
		index[k] = uint16(len(sheets))
		s := m.Sheets[k.sheet]
		if count[k.sheet] > 1 {
			s.Name = fmt.Sprintf("%s %d", s.Name, 1001+k.u-10*k.v)
		}
		sheets = append(sheets, s)
	}
	type vkey struct {
		v uint32
		k key
	}
	moved := map[vkey]uint32{}
	for i := range m.Tri {
		k := tile(i)
		for c, v := range m.Tri[i] {
			if k.u != 0 || k.v != 0 {
				id, ok := moved[vkey{v, k}]
				if !ok {
					id = uint32(len(m.Pos))
					moved[vkey{v, k}] = id
					m.Pos, m.Nrm = append(m.Pos, m.Pos[v]), append(m.Nrm, m.Nrm[v])
					m.UV = append(m.UV, geom.Vec2{X: m.UV[v].X - float32(k.u), Y: m.UV[v].Y - float32(k.v)})
					if m.Color != nil {
						m.Color = append(m.Color, m.Color[v])
					}
				}
				m.Tri[i][c] = id
			}
		}
		m.TriSheet[i] = index[home(k)]
	}
	m.Sheets = sheets
	return nil
}

// SheetIndex returns the index of a sheet by name, or −1.
func (m *Model) SheetIndex(name string) int {
	for i, s := range m.Sheets {
		if s.Name == name {
			return i
		}
	}
	return -1
}

// Join returns one model with everything of all; parts and sheets keep their names.
func Join(name string, models ...*Model) (*Model, error) {
	out := &Model{Name: name}
	colors := false
	for _, m := range models {
		colors = colors || m.Color != nil
	}
	for _, m := range models {
		if len(out.Parts)+len(m.Parts) > 65535 {
			return nil, fmt.Errorf("together the models have more than 65535 parts")
		}
		base, part, sheet := uint32(len(out.Pos)), uint16(len(out.Parts)), uint16(len(out.Sheets))
		out.Parts, out.Sheets = append(out.Parts, m.Parts...), append(out.Sheets, m.Sheets...)
		out.Pos, out.Nrm, out.UV = append(out.Pos, m.Pos...), append(out.Nrm, m.Nrm...), append(out.UV, m.UV...)
		for v := range m.Pos {
			if colors && m.Color == nil {
				out.Color = append(out.Color, geom.V3(1, 1, 1))
			} else if colors {
				out.Color = append(out.Color, m.Color[v])
			}
		}
		for i, t := range m.Tri {
			out.Tri = append(out.Tri, [3]uint32{t[0] + base, t[1] + base, t[2] + base})
			out.TriPart = append(out.TriPart, m.TriPart[i]+part)
			out.TriSheet = append(out.TriSheet, m.TriSheet[i]+sheet)
		}
	}
	return out, out.Finish()
}

// AsTiles returns the model with all sheets as UDIM tiles of one: the first sheet is
// tile 1001, ten stand in a row. A sheet without UVs keeps none.
func (m *Model) AsTiles() (*Model, error) {
	out := &Model{
		Name: m.Name, Parts: m.Parts, Sheets: []Sheet{{Name: m.Name, Source: m.Name, HasUV: true}},
		Pos: slices.Clone(m.Pos), Nrm: slices.Clone(m.Nrm), UV: slices.Clone(m.UV), Color: slices.Clone(m.Color),
		Tri: slices.Clone(m.Tri), TriPart: m.TriPart, TriSheet: make([]uint16, len(m.Tri)),
	}
	type key struct {
		v     uint32
		sheet uint16
	}
	moved := map[key]uint32{}
	for i := range out.Tri {
		s := m.TriSheet[i]
		if s == 0 || !m.Sheets[s].HasUV {
			continue
		}
		for k, v := range out.Tri[i] {
			id, ok := moved[key{v, s}]
			if !ok {
				id = uint32(len(out.Pos))
				moved[key{v, s}] = id
				out.Pos, out.Nrm = append(out.Pos, m.Pos[v]), append(out.Nrm, m.Nrm[v])
				out.UV = append(out.UV, geom.Vec2{X: m.UV[v].X + float32(s%10), Y: m.UV[v].Y - float32(s/10)})
				if m.Color != nil {
					out.Color = append(out.Color, m.Color[v])
				}
			}
			out.Tri[i][k] = id
		}
	}
	if m.Color == nil {
		out.Color = nil
	}
	return out, out.Finish()
}

// Extent is the longest way through the box of what lies on some parts or sheets, by name,
// metres; without any of the whole model.
func (m *Model) Extent(parts, sheets []string) float64 {
	if len(parts)+len(sheets) == 0 {
		return float64(m.Bounds.Size().Length())
	}
	box := geom.EmptyBox()
	for i, tri := range m.Tri {
		if slices.Contains(parts, m.Parts[m.TriPart[i]].Name) || slices.Contains(sheets, m.Sheets[m.TriSheet[i]].Name) {
			for _, v := range tri {
				box = box.Grow(m.Pos[v])
			}
		}
	}
	if box.Empty() {
		return 0
	}
	return float64(box.Size().Length())
}
