package cast

import (
	"container/heap"
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// Unrolled is the surface around a place laid out flat, triangle by triangle: where the corners
// of each lie, in metres to the right and up. What can be unrolled without stretch, a cylinder
// or a cone, keeps all its lengths; elsewhere those along the ways out from the middle.
type Unrolled map[int32][3]geom.Vec2

// Unroll lays the surface out from a place on triangle tri as far as reach metres. Each triangle
// is laid beside the one before it about their common edge; of several ways to it the shortest
// is taken, and none that would bring a place nearer than it is through space. Corners that were laid before are used again where they nearly agree, so that
// curved surfaces tear far out only. It stops at edges that more than two triangles or only one
// have.
func Unroll(m *mesh.Model, tri int32, f Frame, reach float32) Unrolled {
	out := Unrolled{}
	t := m.Tri[tri]
	// the first one is turned into the plane of the frame about its own place, not cast on it
	n := m.FaceNormal(int(tri)).Unit()
	if n.Dot(f.Out) < 0 {
		n = n.Mul(-1)
	}
	up := f.Up.Sub(n.Mul(f.Up.Dot(n)))
	if up.Length() < 1e-4 {
		up, _ = n.Tangents()
	}
	up = up.Unit()
	own := Frame{f.At, up.Cross(n).Unit(), up, n}
	flat := func(p geom.Vec3) geom.Vec2 {
		to := p.Sub(own.At)
		return geom.Vec2{X: to.Dot(own.Right), Y: to.Dot(own.Up)}
	}
	out[tri] = [3]geom.Vec2{flat(m.Pos[t[0]]), flat(m.Pos[t[1]]), flat(m.Pos[t[2]])}
	corners := map[geom.Vec3]geom.Vec2{} // by place: vertices part at seams
	keep := func(i int32) {
		for k, v := range m.Tri[i] {
			if _, ok := corners[m.Pos[v]]; !ok {
				corners[m.Pos[v]] = out[i][k]
			}
		}
	}
	keep(tri)
	var q fronts
	spread := func(i int32) {
		for k := range 3 {
			o := m.Neighbor[i][k]
			if o.Tri < 0 {
				continue
			}
			if _, done := out[o.Tri]; done {
				continue
			}
			a, b := out[i][k], out[i][(k+1)%3]
			if d := toSegment(a, b); d <= reach {
				heap.Push(&q, front{d, i, int32(k), o.Tri, int32(o.K)})
			}
		}
	}
	spread(tri)
	for q.Len() > 0 {
		e := heap.Pop(&q).(front)
		if _, done := out[e.to]; done {
			continue
		}
		// edge k of the one before runs from a to b; beside it the same edge runs back
		a, b := out[e.from][e.k], out[e.from][(e.k+1)%3]
		c := m.Tri[e.to]
		ka, kb, kc := (e.toK+1)%3, e.toK, (e.toK+2)%3
		pa, pb, pc := m.Pos[c[ka]], m.Pos[c[kb]], m.Pos[c[kc]]
		l := pb.Sub(pa).Length()
		if l < 1e-12 {
			continue
		}
		along := pc.Sub(pa).Dot(pb.Sub(pa)) / (l * l)
		away := pc.Sub(pa).Sub(pb.Sub(pa).Mul(along)).Length()
		ex, ey := b.X-a.X, b.Y-a.Y
		fl := float32(math.Hypot(float64(ex), float64(ey)))
		if fl < 1e-12 {
			continue
		}
		// away from the one before, whose third corner lies to one side of a → b
		third := out[e.from][(e.k+2)%3]
		side := float32(1)
		if ex*(third.Y-a.Y)-ey*(third.X-a.X) > 0 {
			side = -1
		}
		at := geom.Vec2{X: a.X + ex*along - side*ey/fl*away, Y: a.Y + ey*along + side*ex/fl*away}
		if had, ok := corners[pc]; ok {
			if d := math.Hypot(float64(had.X-at.X), float64(had.Y-at.Y)); d < 0.2*float64(max(l, away)) {
				at = had
			}
		}
		// nothing lies nearer along the surface than through space: a way that went round a bend
		// comes out so, and is not gone on with
		if math.Hypot(float64(at.X), float64(at.Y)) < 0.97*float64(pc.Sub(f.At).Length()) {
			continue
		}
		var laid [3]geom.Vec2
		laid[ka], laid[kb], laid[kc] = a, b, at
		out[e.to] = laid
		keep(e.to)
		spread(e.to)
	}
	return out
}

// toSegment is how far the middle, the origin, is from a segment.
func toSegment(a, b geom.Vec2) float32 {
	ex, ey := b.X-a.X, b.Y-a.Y
	t := float32(0)
	if l := ex*ex + ey*ey; l > 0 {
		t = min(max(-(a.X*ex+a.Y*ey)/l, 0), 1)
	}
	return float32(math.Hypot(float64(a.X+t*ex), float64(a.Y+t*ey)))
}

// At returns where a point of triangle tri lies in the layout.
func (u Unrolled) At(m *mesh.Model, tri int32, p geom.Vec3) (geom.Vec2, bool) {
	c, ok := u[tri]
	if !ok {
		return geom.Vec2{}, false
	}
	t := m.Tri[tri]
	a, b, d := m.Pos[t[0]], m.Pos[t[1]], m.Pos[t[2]]
	e1, e2, to := b.Sub(a), d.Sub(a), p.Sub(a)
	d11, d12, d22 := e1.Dot(e1), e1.Dot(e2), e2.Dot(e2)
	det := d11*d22 - d12*d12
	if det <= 0 {
		return c[0], true
	}
	x, y := to.Dot(e1), to.Dot(e2)
	s, w := (x*d22-y*d12)/det, (y*d11-x*d12)/det
	return geom.Vec2{
		X: c[0].X + s*(c[1].X-c[0].X) + w*(c[2].X-c[0].X),
		Y: c[0].Y + s*(c[1].Y-c[0].Y) + w*(c[2].Y-c[0].Y),
	}, true
}

// front is an edge over which the layout grows.
type front struct {
	far     float32
	from, k int32
	to, toK int32
}

type fronts []front

func (q fronts) Len() int { return len(q) }
func (q fronts) Less(i, j int) bool {
	a, b := &q[i], &q[j]
	return a.far < b.far || a.far == b.far && (a.to < b.to || a.to == b.to && a.from < b.from)
}
func (q fronts) Swap(i, j int) { q[i], q[j] = q[j], q[i] }
func (q *fronts) Push(x any)   { *q = append(*q, x.(front)) }
func (q *fronts) Pop() any {
	o := *q
	x := o[len(o)-1]
	*q = o[:len(o)-1]
	return x
}
