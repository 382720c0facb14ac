package raster

import (
	"container/heap"
	"math"

	"velvetgrime/core/geom"
)

// Patch returns a window of one island laid flat: w × h texels from (x0, y0) of
// the sheet at size texels. Inside the island it is as the UVs have it. Beyond the
// island's borders the neighbouring triangles are unfolded into the plane, nearest
// first, with the island's scale at the edge they were reached over: so a filter
// that works on the patch as on any picture reads over seams, turned and mirrored
// islands, and from sheet to sheet. Where the surface cannot be laid flat without
// a gap (around a corner of a box) texels stand for nothing; where it would
// overlap, the nearer way counts.
func (x *Index) Patch(island int32, size, x0, y0, w, h int) *Frame {
	f := newFrame(w, h)
	f.Footprint = x.Footprint(island, size)
	u := unfolder{x: x, f: f, w: float64(w), h: float64(h), seen: map[visit]bool{}}
	const around = 8 // texels beyond the window in which borders are still followed
	lo := func(o int) int { return cell(float32(o-around) / float32(size)) }
	hi := func(o int) int { return cell(float32(o+around) / float32(size)) }
	done := map[int32]bool{}
	for cy := lo(y0); cy <= hi(y0+h); cy++ {
		for cx := lo(x0); cx <= hi(x0+w); cx++ {
			for _, i := range x.grid[cy*cells+cx] {
				if done[i] || x.m.Island[i] != island {
					continue
				}
				done[i] = true
				var p [3][2]float64
				for k, v := range x.m.Tri[i] {
					p[k] = [2]float64{float64(x.m.UV[v].X)*float64(size) - float64(x0) - 0.5, float64(x.m.UV[v].Y)*float64(size) - float64(y0) - 0.5}
				}
				u.fill(i, p, true)
				for k := range 3 {
					if x.m.UVBorder[i][k] {
						u.cross(placed{tri: i, p: p}, k)
					}
				}
			}
		}
	}
	// far more than any sane window needs, so that a pathological mesh cannot hang it
	for budget := 8*w*h + 4096; u.queue.Len() > 0 && budget > 0; budget-- {
		t := heap.Pop(&u.queue).(placed)
		if u.fill(t.tri, t.p, false) > 0 {
			t.idle = 0
		} else if t.idle++; t.idle > 5 && area2(t.p) > 2 {
			continue
		}
		for k := range 3 {
			if int8(k) != t.enter {
				u.cross(t, k)
			}
		}
	}
	f.finish()
	return f
}

// placed is a triangle laid into the plane; over edge enter it was reached.
type placed struct {
	tri   int32
	p     [3][2]float64
	dist  float64 // from the island, along the middles of the edges crossed
	order int     // breaks ties, so that the result depends on nothing else
	enter int8
	idle  int // placements since the last one that covered a new texel
}

// visit names a triangle at a place: reaching it twice in the same place by two
// ways is no news.
type visit struct {
	tri  int32
	x, y int32
}

type unfolder struct {
	x     *Index
	f     *Frame
	w, h  float64
	queue placedHeap
	seen  map[visit]bool
	count int
}

// cross lays the triangle beyond edge k of t into the plane and queues it.
func (u *unfolder) cross(t placed, k int) {
	m := u.x.m
	o := m.Neighbor[t.tri][k]
	if o.Tri < 0 {
		return
	}
	a, b := t.p[k], t.p[(k+1)%3]
	ex, ey := b[0]-a[0], b[1]-a[1]
	if l := math.Hypot(ex, ey); l < 1e-9 || !u.near(a, b) {
		return
	}
	ot := m.Tri[o.Tri]
	ia, ib, ic := (o.K+1)%3, o.K, (o.K+2)%3 // its corners at a, at b, and the one beyond
	pa, e := m.Pos[ot[ia]], m.Pos[ot[ib]].Sub(m.Pos[ot[ia]])
	l2 := float64(e.Dot(e))
	if l2 < 1e-20 {
		return
	}
	c := m.Pos[ot[ic]].Sub(pa)
	along := float64(c.Dot(e)) / l2
	across := float64(c.Sub(e.Mul(float32(along))).Length()) / math.Sqrt(l2)
	// away from the corner of t that does not lie on the edge
	q := t.p[(k+2)%3]
	if (q[0]-a[0])*-ey+(q[1]-a[1])*ex > 0 {
		across = -across
	}
	n := placed{tri: o.Tri, enter: o.K, idle: t.idle, order: u.count}
	n.p[ia], n.p[ib] = a, b
	n.p[ic] = [2]float64{a[0] + ex*along - ey*across, a[1] + ey*along + ex*across}
	v := visit{o.Tri, int32(math.Round((n.p[0][0] + n.p[1][0] + n.p[2][0]) * 2)), int32(math.Round((n.p[0][1] + n.p[1][1] + n.p[2][1]) * 2))}
	if u.seen[v] {
		return
	}
	u.seen[v] = true
	mx, my := (a[0]+b[0])/2, (a[1]+b[1])/2
	if t.order > 0 || t.dist > 0 {
		n.dist = t.dist + math.Hypot(mx-(t.p[t.enter][0]+t.p[(t.enter+1)%3][0])/2, my-(t.p[t.enter][1]+t.p[(t.enter+1)%3][1])/2)
	}
	u.count++
	n.order = u.count
	heap.Push(&u.queue, n)
}

// near reports whether an edge lies in the window or a little beyond it.
func (u *unfolder) near(a, b [2]float64) bool {
	const around = 8
	return max(a[0], b[0]) > -around && min(a[0], b[0]) < u.w+around && max(a[1], b[1]) > -around && min(a[1], b[1]) < u.h+around
}

func area2(p [3][2]float64) float64 {
	return math.Abs((p[1][0]-p[0][0])*(p[2][1]-p[0][1]) - (p[1][1]-p[0][1])*(p[2][0]-p[0][0]))
}

// fill draws a triangle into texels that stand for nothing yet, and returns how
// many it took. Own triangles of the island follow Tile's rule for ties.
func (u *unfolder) fill(i int32, p [3][2]float64, own bool) int {
	det := (p[1][0]-p[0][0])*(p[2][1]-p[0][1]) - (p[1][1]-p[0][1])*(p[2][0]-p[0][0])
	if math.Abs(det) < 1e-12 {
		return 0
	}
	f, t := u.f, u.x.m.Tri[i]
	eps := -1e-7
	if own {
		eps = -1e-9
	}
	took := 0
	for y := max(int(math.Ceil(min(p[0][1], p[1][1], p[2][1])-1e-6)), 0); y <= min(int(math.Floor(max(p[0][1], p[1][1], p[2][1])+1e-6)), f.H-1); y++ {
		for xx := max(int(math.Ceil(min(p[0][0], p[1][0], p[2][0])-1e-6)), 0); xx <= min(int(math.Floor(max(p[0][0], p[1][0], p[2][0])+1e-6)), f.W-1); xx++ {
			j := y*f.W + xx
			if f.Tri[j] >= 0 && !(own && i < f.Tri[j]) {
				continue
			}
			fx, fy := float64(xx), float64(y)
			b1 := ((fx-p[0][0])*(p[2][1]-p[0][1]) - (fy-p[0][1])*(p[2][0]-p[0][0])) / det
			b2 := ((p[1][0]-p[0][0])*(fy-p[0][1]) - (p[1][1]-p[0][1])*(fx-p[0][0])) / det
			b0 := 1 - b1 - b2
			if b0 < eps || b1 < eps || b2 < eps {
				continue
			}
			f.Tri[j], f.Inside[j] = i, own
			f.Pos[j], f.Nrm[j] = u.x.point(t, b0, b1, b2)
			took++
		}
	}
	return took
}

type placedHeap []placed

func (h placedHeap) Len() int { return len(h) }
func (h placedHeap) Less(a, b int) bool {
	return h[a].dist < h[b].dist || h[a].dist == h[b].dist && h[a].order < h[b].order
}
func (h placedHeap) Swap(a, b int) { h[a], h[b] = h[b], h[a] }
func (h *placedHeap) Push(v any)   { *h = append(*h, v.(placed)) }
func (h *placedHeap) Pop() any {
	old := *h
	v := old[len(old)-1]
	*h = old[:len(old)-1]
	return v
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
