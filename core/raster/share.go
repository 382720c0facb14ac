package raster

import (
	"cmp"
	"math"
	"slices"

	"velvetgrime/core/geom"
)

// A texel may stand for several places: mirrored halves and repeated pieces lie on the
// same UVs, stray triangles lie over other islands, and UVs that leave the unit square
// come back in on its other side. One of the places owns the texel: sources, agents and
// bakes are evaluated there. The others are its echoes: what is laid on any of them is
// laid on the texel.

// entry is a triangle at one of the unit squares that its UVs reach into.
type entry struct {
	tri    int32
	du, dv int16 // squares to add to its UVs
}

// squares is how many unit squares a triangle's UVs are followed over, each way; on
// surfaces on which a texture repeats more often, the further repeats show what is
// painted but are not painted through.
const squares = 8

// least is the UV by which triangles have to overlap, or to leave the unit square,
// before they count as doing so: a thirtieth of a texel of the largest sheet.
const least = 4e-6

// shifts lists the squares that a triangle with these UVs reaches into, as what moves
// them onto the first.
func shifts(a, b, c geom.Vec2) []entry {
	lo := func(v float32) int { return int(math.Floor(float64(v) + least)) }
	hi := func(v float32) int { return int(math.Ceil(float64(v)-least)) - 1 }
	x0, x1 := lo(min(a.X, b.X, c.X)), hi(max(a.X, b.X, c.X))
	y0, y1 := lo(min(a.Y, b.Y, c.Y)), hi(max(a.Y, b.Y, c.Y))
	if x0 >= 0 && x1 <= 0 && y0 >= 0 && y1 <= 0 {
		return []entry{{}}
	}
	x1, y1 = min(max(x1, x0), x0+squares-1), min(max(y1, y0), y0+squares-1)
	var out []entry
	for y := y0; y <= y1; y++ {
		for x := x0; x <= x1; x++ {
			if max(x, -x, y, -y) < math.MaxInt16 {
				out = append(out, entry{du: int16(-x), dv: int16(-y)})
			}
		}
	}
	return out
}

// Wrap brings a UV into the unit square, as a texture that repeats reads it.
func Wrap(uv geom.Vec2) geom.Vec2 {
	one := func(v float32) float32 {
		if v < 0 || v > 1 {
			return v - float32(math.Floor(float64(v)))
		}
		return v
	}
	return geom.Vec2{X: one(uv.X), Y: one(uv.Y)}
}

func (x *Index) moved(e entry) (a, b, c geom.Vec2) {
	a, b, c = x.uv(e.tri)
	if e.du|e.dv != 0 {
		d := geom.Vec2{X: float32(e.du), Y: float32(e.dv)}
		a, b, c = geom.Vec2{
			X: a.X + d.X,
			Y: a.Y + d.Y,
		}, geom.Vec2{
			X: b.X + d.X,
			Y: b.Y + d.Y,
		}, geom.Vec2{
			X: c.X + d.X,
			Y: c.Y + d.Y,
		}
	}
	return
}

// before reports whether triangle i owns a texel that j has too. A triangle without area
// on the surface never owns what another has.
func (x *Index) before(i, j int32) bool {
	m := x.m
	if a, b := m.Island[i], m.Island[j]; a != b {
		return x.rank[a] < x.rank[b]
	}
	if a, b := x.flat(i), x.flat(j); a != b {
		return b
	}
	return i < j
}

func (x *Index) flat(i int32) bool {
	n := x.m.FaceNormal(int(i))
	return float64(n.Dot(n)) < 1e-20*float64(x.extent)*float64(x.extent)
}

// findShared marks the triangles that overlap another one on the sheet.
func (x *Index) findShared(list []entry) {
	n := len(list)
	if n < 2 {
		return
	}
	box := [4]float32{2, 2, -1, -1}
	for _, e := range list {
		a, b, c := x.moved(e)
		box[0], box[1] = min(box[0], max(min(a.X, b.X, c.X), 0)), min(box[1], max(min(a.Y, b.Y, c.Y), 0))
		box[2], box[3] = max(box[2], min(max(a.X, b.X, c.X), 1)), max(box[3], min(max(a.Y, b.Y, c.Y), 1))
	}
	side := min(max(int(math.Sqrt(float64(n))), 8), 2048)
	sx, sy := float32(side)/max(box[2]-box[0], 1e-9), float32(side)/max(box[3]-box[1], 1e-9)
	at := func(v, from, scale float32) int { return min(max(int((v-from)*scale), 0), side-1) }
	each := func(f func(cell int, k int32)) {
		for k, e := range list {
			a, b, c := x.moved(e)
			x0, x1 := at(min(a.X, b.X, c.X), box[0], sx), at(max(a.X, b.X, c.X), box[0], sx)
			y1 := at(max(a.Y, b.Y, c.Y), box[1], sy)
			for y := at(min(a.Y, b.Y, c.Y), box[1], sy); y <= y1; y++ {
				for xx := x0; xx <= x1; xx++ {
					f(y*side+xx, int32(k))
				}
			}
		}
	}
	starts := make([]int32, side*side+1)
	each(func(cell int, _ int32) { starts[cell+1]++ })
	for i := range side * side {
		starts[i+1] += starts[i]
	}
	members, next := make([]int32, starts[side*side]), slices.Clone(starts)
	each(func(cell int, k int32) { members[next[cell]] = k; next[cell]++ })
	// where very many lie in one place each is taken to overlap: that is slower, not wrong
	budget := 40*n + 1_000_000
	for cell := range side * side {
		in := members[starts[cell]:starts[cell+1]]
		for i, k := range in {
			a := list[k]
			for _, l := range in[i+1:] {
				b := list[l]
				if a.tri == b.tri && a.du == b.du && a.dv == b.dv || x.Shared(a.tri) && x.Shared(b.tri) {
					continue
				}
				budget--
				if budget < 0 || x.overlap(a, b) {
					x.share(a.tri)
					x.share(b.tri)
				}
			}
		}
	}
}

func (x *Index) share(tri int32) {
	if x.shared == nil {
		x.shared = make([]uint64, (len(x.m.Tri)+63)/64)
	}
	x.shared[tri>>6] |= 1 << (tri & 63)
}

// Shared reports whether any texel of a triangle stands for another place too.
func (x *Index) Shared(tri int32) bool { return x.shared != nil && x.shared[tri>>6]>>(tri&63)&1 != 0 }

// Shares reports whether any triangle of the sheet is Shared.
func (x *Index) Shares() bool { return x.shared != nil }

// overlap reports whether two triangles have an area in common: no edge of either has all
// of the other behind it.
func (x *Index) overlap(a, b entry) bool {
	var p, q [3]geom.Vec2
	p[0], p[1], p[2] = x.moved(a)
	q[0], q[1], q[2] = x.moved(b)
	return !apart(&p, &q) && !apart(&q, &p)
}

func apart(p, q *[3]geom.Vec2) bool {
	det := cross(p[0], p[1], p[2])
	if math.Abs(det) < 1e-14 {
		return true
	}
	turn := 1.0
	if det < 0 {
		turn = -1
	}
	for k := range 3 {
		a, b := p[k], p[(k+1)%3]
		length := math.Hypot(float64(b.X-a.X), float64(b.Y-a.Y))
		deepest := math.Inf(-1)
		for _, v := range q {
			deepest = max(deepest, turn*cross(a, b, v))
		}
		if deepest <= least*length {
			return true
		}
	}
	return false
}

// hold returns the barycentric shares of a UV in a triangle, when it lies in it.
func (x *Index) hold(e entry, uv geom.Vec2) (b [3]float64, ok bool) {
	pa, pb, pc := x.moved(e)
	det := cross(pa, pb, pc)
	if math.Abs(det) < 1e-14 {
		return b, false
	}
	b[1] = cross(pa, uv, pc) / det
	b[2] = cross(pa, pb, uv) / det
	b[0] = 1 - b[1] - b[2]
	const eps = -1e-6
	return b, b[0] >= eps && b[1] >= eps && b[2] >= eps
}

// Owner returns the place that owns a UV of the sheet; tri is −1 where there is none.
func (x *Index) Owner(uv geom.Vec2) (tri int32, pos, nrm geom.Vec3) {
	uv = Wrap(uv)
	tri = -1
	for _, i := range x.grid.at(cell(uv.Y)*cells + cell(uv.X)) {
		l := &x.grid.list[i]
		if l.beside(uv) {
			continue
		}
		e := l.entry
		if tri >= 0 && e.tri != tri && !x.before(e.tri, tri) {
			continue
		}
		if b, ok := x.hold(e, uv); ok {
			p, n := x.point(x.m.Tri[e.tri], b[0], b[1], b[2])
			if e.tri != tri || less(p, pos) {
				tri, pos, nrm = e.tri, p, n
			}
		}
	}
	return
}

// less puts places of one triangle that have the same texel into an order.
func less(a, b geom.Vec3) bool {
	return cmp.Or(cmp.Compare(a.X, b.X), cmp.Compare(a.Y, b.Y), cmp.Compare(a.Z, b.Z)) < 0
}

// Places calls f for every place of an island that a UV of the sheet stands for.
func (x *Index) Places(uv geom.Vec2, island int32, f func(tri int32, pos, nrm geom.Vec3)) {
	uv = Wrap(uv)
	for _, i := range x.grid.at(cell(uv.Y)*cells + cell(uv.X)) {
		l := &x.grid.list[i]
		if l.beside(uv) {
			continue
		}
		e := l.entry
		if x.m.Island[e.tri] != island || !x.Shared(e.tri) {
			continue
		}
		if b, ok := x.hold(e, uv); ok {
			pos, nrm := x.point(x.m.Tri[e.tri], b[0], b[1], b[2])
			f(e.tri, pos, nrm)
		}
	}
}

// Near calls f for the shared triangles that lie near a UV of the sheet, within a 64th
// of its side; cell tells UVs apart that have the same ones.
func (x *Index) Near(uv geom.Vec2, f func(tri int32)) {
	for _, i := range x.grid.at(x.Cell(uv)) {
		if e := x.grid.list[i]; x.Shared(e.tri) {
			f(e.tri)
		}
	}
}

// Cell numbers the squares of the sheet within which Near tells the same.
func (x *Index) Cell(uv geom.Vec2) int {
	uv = Wrap(uv)
	return cell(uv.Y)*cells + cell(uv.X)
}
