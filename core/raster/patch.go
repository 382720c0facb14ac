package raster

import (
	"math"
	"slices"
	"sync"

	"velvetgrime/core/geom"
)

// Patch returns a window of one island laid flat: w × h texels from (x0, y0) of
// the sheet at size texels. Inside the island it is as the UVs have it. Beyond the
// island's borders the surface is unfolded into the plane, outward texel by texel:
// each starts at a neighbour that is nearer to the island and walks straight to its
// own place, over whatever triangles lie between, with the island's scale at the
// border. So a filter that works on the patch as on any picture reads over seams,
// turned and mirrored islands, and from sheet to sheet. Where there is no surface
// texels stand for nothing; around a corner of a box, where the plane has more
// room than the surface, two texels may stand for the same place.
func (x *Index) Patch(island int32, size, x0, y0, w, h int) *Frame {
	f := newFrame(w, h)
	f.Footprint = x.Footprint(island, size)
	u := unfolders.Get().(*unfolder)
	defer func() {
		u.x, u.f = nil, nil
		unfolders.Put(u)
	}()
	u.begin(x, f, size, x0, y0)
	first := entry{tri: -1}
	in := windowOf(float32(x0-1), float32(y0-1), float32(x0+w+1), float32(y0+h+1), float32(size))
	x.grid.eachOf(island, in, func(l *listed) {
		if first.tri < 0 || l.tri < first.tri {
			first = l.entry
		}
		u.fill(l.entry, u.uvs(l.entry))
	})
	u.flood(first)
	f.Seal()
	return f
}

// laid is a triangle laid into the plane.
type laid struct {
	tri    int32
	beyond [3]int32 // by edge: 1 + the index in laid of the triangle beyond; 0: not laid yet, -1: there is none
	enter  [3]int8  // by edge: the one of the triangle beyond by which that is entered
	p      [3][2]float64
	det    float64 // twice its area in the plane, below nought when it is turned over
}

// flat is a triangle of the model with its corners at p, in texels of the patch.
func flat(tri int32, p [3][2]float64) laid {
	return laid{tri: tri, p: p, det: geom.Twice2(&p)}
}

// mostLaid is how many triangles of a patch are remembered with what lies beyond them.
var mostLaid = 1 << 15

type unfolder struct {
	x            *Index
	f            *Frame
	laid         []laid
	passed       laid            // a triangle that is not remembered
	at           []int32         // index in laid of the triangle a texel lies on
	own          map[entry]int32 // index in laid of the island's own triangles
	moved        map[int32]entry // by texel: its triangle, where that comes in from another square
	buckets      [][]int32       // texels whose neighbours are to be reached, by distance × 2
	dist         []float32
	size, x0, y0 float64
}

// unfolders are lent from patch to patch: what they hold is as much as the patch itself.
var unfolders = sync.Pool{New: func() any { return &unfolder{own: map[entry]int32{}, moved: map[int32]entry{}} }}

func (u *unfolder) begin(x *Index, f *Frame, size, x0, y0 int) {
	u.x, u.f, u.size, u.x0, u.y0 = x, f, float64(size), float64(x0), float64(y0)
	n := len(f.Tri)
	u.laid, u.at, u.dist = u.laid[:0], slices.Grow(u.at[:0], n)[:n], slices.Grow(u.dist[:0], n)[:n]
	clear(u.own)
	clear(u.moved)
	for b := range u.buckets {
		u.buckets[b] = u.buckets[b][:0]
	}
}

func (u *unfolder) uvs(e entry) (p [3][2]float64) {
	m := u.x.m
	for k, v := range m.Tri[e.tri] {
		p[k] = [2]float64{
			(float64(m.UV[v].X)+float64(e.du))*u.size - u.x0 - 0.5,
			(float64(m.UV[v].Y)+float64(e.dv))*u.size - u.y0 - 0.5,
		}
	}
	return
}

// fill draws one of the island's own triangles, by the rule of Tile for ties.
func (u *unfolder) fill(e entry, p [3][2]float64) {
	i, l := e.tri, flat(e.tri, p)
	if math.Abs(l.det) < 1e-12 {
		return
	}
	f, c := u.f, u.x.corners(u.x.m.Tri[i])
	x0, x1 := max(int(math.Ceil(min(p[0][0], p[1][0], p[2][0])-1e-6)), 0), min(int(math.Floor(max(p[0][0], p[1][0], p[2][0])+1e-6)), f.W-1)
	y0, y1 := max(int(math.Ceil(min(p[0][1], p[1][1], p[2][1])-1e-6)), 0), min(int(math.Floor(max(p[0][1], p[1][1], p[2][1])+1e-6)), f.H-1)
	for y := y0; y <= y1; y++ {
		for xx := x0; xx <= x1; xx++ {
			j := y*f.W + xx
			if f.Tri[j] >= 0 && i > f.Tri[j] {
				continue
			}
			if b, ok := l.inside(float64(xx), float64(y), -1e-9); ok {
				f.Tri[j], f.Inside[j] = i, true
				f.Pos[j], f.Nrm[j] = c.point(b[0], b[1], b[2])
				if e.du|e.dv != 0 {
					u.moved[int32(j)] = e
				} else if len(u.moved) > 0 {
					delete(u.moved, int32(j))
				}
			}
		}
	}
}

// inside returns the barycentric coordinates of a point, and whether none is below
// eps.
func (l *laid) inside(x, y, eps float64) (b [3]float64, ok bool) {
	b, ok = geom.Barycentric2(&l.p, l.det, x, y)
	return b, ok && b[0] >= eps && b[1] >= eps && b[2] >= eps
}

// flood reaches the texels beyond the island, nearest first. An island too small to
// hold a texel's middle begins at the middle of its first triangle.
func (u *unfolder) flood(first entry) {
	f := u.f
	seeds := 0
	for j, t := range f.Tri {
		if t < 0 {
			continue
		}
		x, y := j%f.W, j/f.W
		if x > 0 && f.Tri[j-1] < 0 || y > 0 && f.Tri[j-f.W] < 0 || x < f.W-1 && f.Tri[j+1] < 0 ||
			y < f.H-1 && f.Tri[j+f.W] < 0 {
			e, far := u.moved[int32(j)]
			if !far {
				e = entry{tri: t}
			}
			n, ok := u.own[e]
			if !ok {
				n = u.keep(flat(t, u.uvs(e)))
				u.own[e] = n
			}
			u.at[j] = n
			u.push(int32(j), 0)
			seeds++
		}
	}
	if seeds == 0 && first.tri >= 0 && !f.Inside[0] {
		p := u.uvs(first)
		cx, cy := (p[0][0]+p[1][0]+p[2][0])/3, (p[0][1]+p[1][1]+p[2][1])/3
		x, y := min(max(int(math.Round(cx)), 0), f.W-1), min(max(int(math.Round(cy)), 0), f.H-1)
		u.reach(u.keep(flat(first.tri, p)), cx, cy, x, y, 0)
	}
	steps := [8]struct {
		x, y int
		d    float32
	}{{-1, 0, 1}, {1, 0, 1}, {0, -1, 1}, {0, 1, 1}, {-1, -1, 1.4142}, {1, -1, 1.4142}, {-1, 1, 1.4142}, {1, 1, 1.4142}}
	for b := 0; b < len(u.buckets); b++ {
		for k := 0; k < len(u.buckets[b]); k++ { // it may grow meanwhile
			j := int(u.buckets[b][k])
			x, y := j%f.W, j/f.W
			for _, s := range steps {
				nx, ny := x+s.x, y+s.y
				if nx >= 0 && ny >= 0 && nx < f.W && ny < f.H && f.Tri[ny*f.W+nx] < 0 {
					u.reach(u.at[j], float64(x), float64(y), nx, ny, u.dist[j]+s.d)
				}
			}
		}
	}
}

func (u *unfolder) keep(l laid) int32 {
	u.laid = append(u.laid, l)
	return int32(len(u.laid) - 1)
}

func (u *unfolder) push(j int32, d float32) {
	u.dist[j] = d
	b := int(d * 2)
	for len(u.buckets) <= b {
		u.buckets = append(u.buckets, nil)
	}
	u.buckets[b] = append(u.buckets[b], j)
}

// longest is how many triangles one step of a texel may cross: on a mesh that is
// finer than that, the texel is left to be reached from elsewhere.
const longest = 400

// reach walks from (sx, sy) on a laid triangle straight to texel (x, y).
func (u *unfolder) reach(from int32, sx, sy float64, x, y int, d float32) {
	n, tx, ty := from, float64(x), float64(y)
	cur := &u.laid[n]
	last := -1.0
	enter := -1
	for range longest {
		if b, ok := cur.inside(tx, ty, -1e-7); ok {
			j := y*u.f.W + x
			if n < 0 {
				n = u.keep(*cur)
			}
			u.at[j], u.f.Tri[j] = n, cur.tri
			u.f.Pos[j], u.f.Nrm[j] = u.x.point(u.x.m.Tri[cur.tri], b[0], b[1], b[2])
			u.push(int32(j), d)
			return
		}
		// the edge that the straight way leaves by
		out, where := -1, math.Inf(1)
		turn := 1.0
		if cur.det < 0 {
			turn = -1
		}
		for k := range 3 {
			if k == enter {
				continue
			}
			a, b := &cur.p[k], &cur.p[(k+1)%3]
			ex, ey := b[0]-a[0], b[1]-a[1]
			dt := turn * (ex*(ty-a[1]) - ey*(tx-a[0]))
			if dt >= 0 {
				continue
			}
			ds := turn * (ex*(sy-a[1]) - ey*(sx-a[0]))
			if at := ds / (ds - dt); at < where && at >= last-1e-6 {
				out, where = k, at
			}
		}
		if out < 0 {
			return
		}
		last = where
		if known := cur.beyond[out]; known != 0 {
			if known < 0 {
				return
			}
			n, enter = known-1, int(cur.enter[out])
			cur = &u.laid[n]
			continue
		}
		next, k, ok := u.over(cur, out)
		enter = k
		switch {
		case !ok:
			cur.beyond[out] = -1
			return
		case n >= 0 && len(u.laid) < mostLaid:
			at := u.keep(next)
			u.laid[n].beyond[out], u.laid[n].enter[out] = at+1, int8(k)
			n, cur = at, &u.laid[at]
		default:
			u.passed = next
			n, cur = -1, &u.passed
		}
	}
}

// over lays the triangle beyond edge k of t into the plane; it returns the edge by
// which that is entered.
func (u *unfolder) over(t *laid, k int) (n laid, enter int, ok bool) {
	m := u.x.m
	o := m.Neighbor[t.tri][k]
	if o.Tri < 0 {
		return n, 0, false
	}
	a, b := t.p[k], t.p[(k+1)%3]
	ex, ey := b[0]-a[0], b[1]-a[1]
	ot := m.Tri[o.Tri]
	ia, ib, ic := (o.K+1)%3, o.K, (o.K+2)%3 // its corners at a, at b, and the one beyond
	pa, e := m.Pos[ot[ia]], m.Pos[ot[ib]].Sub(m.Pos[ot[ia]])
	l2 := float64(e.Dot(e))
	if l2 < 1e-20 || ex*ex+ey*ey < 1e-18 {
		return n, 0, false
	}
	c := m.Pos[ot[ic]].Sub(pa)
	along := float64(c.Dot(e)) / l2
	across := float64(c.Sub(e.Mul(float32(along))).Length()) / math.Sqrt(l2)
	// away from the corner of t that does not lie on the edge
	q := t.p[(k+2)%3]
	if (q[0]-a[0])*-ey+(q[1]-a[1])*ex > 0 {
		across = -across
	}
	var p [3][2]float64
	p[ia], p[ib] = a, b
	p[ic] = [2]float64{a[0] + ex*along - ey*across, a[1] + ey*along + ex*across}
	return flat(o.Tri, p), int(o.K), true
}

// islandScale returns metres on the surface per unit of UV, in an island's mean.
func (x *Index) islandScale(island int32) float32 {
	if s, ok := x.scale[island]; ok && s[1] > 0 {
		return float32(math.Sqrt(s[0] / s[1]))
	}
	return float32(math.Sqrt(x.area))
}

// Chart is the part of a frame that continues one island.
type Chart struct {
	Island         int32
	X0, Y0, X1, Y1 int // texels of the frame, X1 and Y1 exclusive
}

// Charts lists the islands that a tile's texels belong to or continue, by number,
// and for each texel the island's index in the list, or −1.
func (f *Frame) Charts(island []int32) (list []Chart, of []int16) {
	of = make([]int16, len(f.Tri))
	index := map[int32]int16{}
	for i, t := range f.Tri {
		of[i] = -1
		if t < 0 {
			continue
		}
		k := island[t]
		if o, ok := f.Owner[int32(i)]; ok && !f.Inside[i] {
			k = o
		}
		n, ok := index[k]
		if !ok {
			n = int16(len(list))
			index[k] = n
			list = append(list, Chart{k, f.W, f.H, 0, 0})
		}
		of[i] = n
		c := &list[n]
		x, y := i%f.W, i/f.W
		c.X0, c.Y0, c.X1, c.Y1 = min(c.X0, x), min(c.Y0, y), max(c.X1, x+1), max(c.Y1, y+1)
	}
	return list, of
}

// UVAt returns the UV of a place on a triangle.
func (x *Index) UVAt(tri int32, pos geom.Vec3) geom.Vec2 {
	t := x.m.Tri[tri]
	a, e1, e2 := x.m.Pos[t[0]], x.m.Pos[t[1]].Sub(x.m.Pos[t[0]]), x.m.Pos[t[2]].Sub(x.m.Pos[t[0]])
	p := pos.Sub(a)
	d11, d12, d22 := float64(e1.Dot(e1)), float64(e1.Dot(e2)), float64(e2.Dot(e2))
	p1, p2 := float64(p.Dot(e1)), float64(p.Dot(e2))
	det := d11*d22 - d12*d12
	if det < 1e-30 {
		return x.m.UV[t[0]]
	}
	b1, b2 := float32((d22*p1-d12*p2)/det), float32((d11*p2-d12*p1)/det)
	ua, ub, uc := x.uv(tri)
	return geom.Vec2{X: ua.X + (ub.X-ua.X)*b1 + (uc.X-ua.X)*b2, Y: ua.Y + (ub.Y-ua.Y)*b1 + (uc.Y-ua.Y)*b2}
}

// Scale returns metres on the surface per unit of UV, in the sheet's mean.
func (x *Index) Scale() float32 { return float32(math.Sqrt(x.area)) }

// Footprint returns the edge of a texel on the surface in metres, in an island's
// mean, at size texels a side of its sheet.
func (x *Index) Footprint(island int32, size int) float32 {
	return x.islandScale(island) / float32(size)
}
