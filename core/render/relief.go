package render

import (
	"context"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/spatial"
)

// Relief moves the surface by its heights: triangles are divided until their edges are as short as a
// pixel, and their corners moved along the normal. Where they meet, on one sheet or over a seam, they
// move by one mean, so that nothing tears.

const (
	reliefMost   = 1 << 20 // triangles, about
	reliefUnseen = 4       // how much coarser it is outside the picture, or turned away
	reliefDeep   = 14      // how often an edge is halved at most
	// ReliefTriangle is what a triangle of it takes in memory, bytes.
	ReliefTriangle = 500
)

// ReliefBytes is what the relief of a still takes in memory at most.
func ReliefBytes(s *Still) int64 {
	if !s.Relief {
		return 0
	}
	return reliefMost * ReliefTriangle
}

// edge names an edge by its ends, the smaller first.
type edge struct{ a, b uint32 }

func newEdge(a, b uint32) edge { return edge{min(a, b), max(a, b)} }

// raising is a model that is being divided.
type raising struct {
	t    *Traced
	m    *mesh.Model // what it becomes
	tang [][3]geom.Vec3
	// weld names the place of each vertex: those at one place have one name
	weld   []uint32
	places uint32
	rank   []float32       // of each place: how much longer its edges may be, for it is turned away
	half   map[edge]uint32 // vertex in the middle of an edge between vertices
	middle map[edge]uint32 // place in the middle of an edge between places
	scale  float32         // of what an edge may be long
	// pixel is the width of one, metres, or at a distance of 1
	pixel float32
}

// raise replaces the model by one whose surface is moved.
func (t *Traced) raise(ctx context.Context) error {
	m := t.model
	if len(m.UV) == 0 {
		return nil
	}
	raised := make([]bool, len(t.skins))
	some := false
	for i := range t.skins {
		raised[i] = t.skins[i].raised()
		some = some || raised[i]
	}
	if !some {
		return nil
	}
	r := &raising{
		t:     t,
		m:     &mesh.Model{Name: m.Name, Parts: m.Parts, Sheets: m.Sheets, Bounds: m.Bounds},
		half:  map[edge]uint32{},
		weld:  make([]uint32, len(m.Pos)),
		scale: 1, middle: map[edge]uint32{},
		pixel: 2 * t.half / float32(t.Still.H),
	}
	r.m.Pos, r.m.Nrm, r.m.UV = append(r.m.Pos, m.Pos...), append(r.m.Nrm, m.Nrm...), append(r.m.UV, m.UV...)
	at := map[geom.Vec3]uint32{}
	for i, p := range m.Pos {
		id, ok := at[p]
		if !ok {
			id = uint32(len(at))
			at[p] = id
		}
		r.weld[i] = id
	}
	r.places = uint32(len(at))
	r.rank = make([]float32, len(at))
	for i := range r.rank {
		r.rank[i] = reliefUnseen
	}
	for i, c := range m.Tri {
		to := m.Pos[c[0]].Sub(t.eye)
		if t.Still.Angle == 0 {
			to = t.ahead
		}
		front := -m.FaceNormal(i).Dot(to)
		if m.Nrm[c[0]].Dot(m.FaceNormal(i)) < 0 {
			front = -front
		}
		if front > 0 || t.Still.Round {
			for _, v := range c {
				r.rank[r.weld[v]] = 1
			}
		}
	}
	shown := func(i int) bool { return raised[m.TriSheet[i]] && (t.use == nil || t.use(i)) }
	for {
		n := 0.0
		for i := range m.Tri {
			if shown(i) {
				c := m.Tri[i]
				rank := (r.rank[r.weld[c[0]]] + r.rank[r.weld[c[1]]] + r.rank[r.weld[c[2]]]) / 3
				e := float64(rank * r.length(m.Pos[c[0]].Add(m.Pos[c[1]]).Add(m.Pos[c[2]]).Mul(1.0/3)))
				n += 1 + float64(m.FaceNormal(i).Length())*5/(e*e) // edges are 0.5 to 1 of what they may be
			}
		}
		if n <= reliefMost {
			break
		}
		r.scale *= 1.25
	}
	for i, c := range m.Tri {
		if i&1023 == 0 {
			if err := ctx.Err(); err != nil {
				return err
			}
		}
		if t.use != nil && !t.use(i) {
			continue
		}
		part, sheet := m.TriPart[i], m.TriSheet[i]
		deep := 0
		if shown(i) {
			deep = reliefDeep
		}
		r.divide(c, t.tang[i], part, sheet, deep)
	}
	r.half, r.middle = nil, nil
	r.move()
	tree, err := spatial.Build(ctx, r.m.Pos, r.m.Tri, nil)
	if err != nil {
		return err
	}
	t.model, t.tang, t.tree, t.use = r.m, r.tang, tree, nil
	return nil
}

// length is how long an edge around a place may be.
func (r *raising) length(p geom.Vec3) float32 {
	t := r.t
	to := p.Sub(t.eye)
	away := to.Dot(t.ahead)
	wide := r.pixel
	reach := t.half
	if t.Still.Angle > 0 {
		near := max(away, t.span*0.01)
		wide, reach = wide*near, reach*near
	}
	aspect := float32(t.Still.W) / float32(t.Still.H)
	x, y := to.Dot(t.right)-float32(t.Still.Shift[0])*reach, to.Dot(t.up)-float32(t.Still.Shift[1])*reach
	const beside = 1.1
	wide = max(wide, t.span*1e-4)
	if away < 0 || max(x, -x) > beside*aspect*reach || max(y, -y) > beside*reach {
		wide = max(wide*reliefUnseen, t.span*2e-3)
	}
	return wide * 1.5 * r.scale
}

// long tells whether an edge is to be halved; it hangs on its ends' places alone, so that both sides
// agree.
func (r *raising) long(a, b uint32) bool {
	p, q := r.m.Pos[a], r.m.Pos[b]
	rank := (r.rank[r.weld[a]] + r.rank[r.weld[b]]) / 2
	return q.Sub(p).Length() > rank*r.length(p.Add(q).Mul(0.5))
}

// mid returns the vertex in the middle of an edge.
func (r *raising) mid(a, b uint32) uint32 {
	e := newEdge(a, b)
	if v, ok := r.half[e]; ok {
		return v
	}
	m := r.m
	v := uint32(len(m.Pos))
	r.half[e] = v
	m.Pos = append(m.Pos, m.Pos[e.a].Add(m.Pos[e.b]).Mul(0.5))
	m.Nrm = append(m.Nrm, m.Nrm[e.a].Add(m.Nrm[e.b]).Unit())
	p, q := m.UV[e.a], m.UV[e.b]
	m.UV = append(m.UV, geom.Vec2{X: (p.X + q.X) / 2, Y: (p.Y + q.Y) / 2})
	w := newEdge(r.weld[a], r.weld[b])
	place, ok := r.middle[w]
	if !ok {
		place = r.places
		r.middle[w] = place
		r.rank = append(r.rank, (r.rank[w.a]+r.rank[w.b])/2)
		r.places++
	}
	r.weld = append(r.weld, place)
	return v
}

// divide halves the long edges of a triangle, and goes on with what it falls into.
func (r *raising) divide(c [3]uint32, tang [3]geom.Vec3, part, sheet uint16, deep int) {
	var long [3]bool
	n, first := 0, 0
	if deep > 0 {
		for k := range 3 {
			if long[k] = r.long(c[k], c[(k+1)%3]); long[k] {
				n++
			}
		}
	}
	if n == 0 {
		r.m.Tri = append(r.m.Tri, c)
		r.m.TriPart, r.m.TriSheet = append(r.m.TriPart, part), append(r.m.TriSheet, sheet)
		r.tang = append(r.tang, tang)
		return
	}
	switch { // turned so that the one that differs comes first
	case n == 1:
		for !long[first] {
			first++
		}
	case n == 2:
		for long[first] {
			first++
		}
	}
	v := [3]uint32{c[first], c[(first+1)%3], c[(first+2)%3]}
	tv := [3]geom.Vec3{tang[first], tang[(first+1)%3], tang[(first+2)%3]}
	half := func(i, k int) (uint32, geom.Vec3) { return r.mid(v[i], v[k]), tv[i].Add(tv[k]).Mul(0.5) }
	go3 := func(a, b, c uint32, ta, tb, tc geom.Vec3) {
		r.divide([3]uint32{a, b, c}, [3]geom.Vec3{ta, tb, tc}, part, sheet, deep-1)
	}
	switch n {
	case 1:
		m, tm := half(0, 1)
		go3(v[0], m, v[2], tv[0], tm, tv[2])
		go3(m, v[1], v[2], tm, tv[1], tv[2])
	case 2: // the first edge is short
		m, tm := half(1, 2)
		q, tq := half(2, 0)
		go3(q, m, v[2], tq, tm, tv[2])
		if r.m.Pos[m].Sub(r.m.Pos[v[0]]).Length() <= r.m.Pos[q].Sub(r.m.Pos[v[1]]).Length() {
			go3(v[0], v[1], m, tv[0], tv[1], tm)
			go3(v[0], m, q, tv[0], tm, tq)
		} else {
			go3(v[0], v[1], q, tv[0], tv[1], tq)
			go3(v[1], m, q, tv[1], tm, tq)
		}
	default:
		a, ta := half(0, 1)
		b, tb := half(1, 2)
		d, td := half(2, 0)
		go3(v[0], a, d, tv[0], ta, td)
		go3(a, v[1], b, ta, tv[1], tb)
		go3(d, b, v[2], td, tb, tv[2])
		go3(a, b, d, ta, tb, td)
	}
}

// move moves all places, each by the mean of what its vertices say.
func (r *raising) move() {
	m := r.m
	off := make([]geom.Vec3, r.places)
	count := make([]float32, r.places)
	told := make([]bool, len(m.Pos))
	for i, c := range m.Tri {
		s := &r.t.skins[m.TriSheet[i]]
		for _, v := range c {
			if told[v] {
				continue
			}
			told[v] = true
			w := r.weld[v]
			off[w] = off[w].Add(m.Nrm[v].Mul(s.height(m.UV[v])))
			count[w]++
		}
	}
	for v := range m.Pos {
		if n := count[r.weld[v]]; n > 0 {
			m.Pos[v] = m.Pos[v].Add(off[r.weld[v]].Mul(1 / n))
			m.Bounds = m.Bounds.Grow(m.Pos[v])
		}
	}
}

// raised tells whether there are heights at all.
func (s *skin) raised() bool {
	for _, b := range s.of {
		for i := range b.texels {
			if b.texels[i].height != 0 {
				return true
			}
		}
	}
	return false
}
