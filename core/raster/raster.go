// Package raster finds, for the texels of a sheet, the places on the surface
// that they stand for. Everything later is evaluated at those places.
package raster

import (
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
)

// Block is the edge of the squares, in texels, whose bounds a frame keeps so
// that a stroke can skip what it does not reach.
const Block = 13

// Frame is a W × H grid of surface points. A texel that lies outside every
// island but within Reach texels of one stands for the point that lies as far
// beyond the seam on the surface, so that slopes and bilinear reads cross it.
type Frame struct {
	W, H      int
	Pos, Nrm  []geom.Vec3
	Tri       []int32 // triangle, or −1 where the texel stands for nothing
	Inside    []bool  // the texel centre lies in an island
	Footprint float32 // mean edge of a texel on the surface, metres
	Covered   int     // texels with Tri ≥ 0
	Blocks    []geom.Box
	Bounds    geom.Box
	Owner     map[int32]int32 // of a tile: the island that a texel outside every island continues
	// Lie is where the points lie beside each other, when Pos is where they are evaluated
	// and that is elsewhere for some; nil: at Pos.
	Lie []geom.Vec3
}

// Beside returns where the points of the frame lie beside each other.
func (f *Frame) Beside() []geom.Vec3 {
	if f.Lie != nil {
		return f.Lie
	}
	return f.Pos
}

// Copy returns a frame with places of its own; what else there is is shared.
func (f *Frame) Copy() *Frame {
	out := *f
	out.Pos, out.Nrm, out.Tri = append(
		[]geom.Vec3(nil),
		f.Pos...), append(
		[]geom.Vec3(nil),
		f.Nrm...), append(
		[]int32(nil),
		f.Tri...)
	return &out
}

// Bytes returns the memory the frame holds.
func (f *Frame) Bytes() int {
	return len(f.Pos)*29 + len(f.Lie)*12 + len(f.Blocks)*24 + len(f.Owner)*16 + 128
}

// BlocksWide returns how many blocks make a row.
func (f *Frame) BlocksWide() int { return (f.W + Block - 1) / Block }

// Reach is how far, in texels, island borders are carried outward.
const Reach = 3

// Index finds the triangles of one sheet by UV.
type Index struct {
	m    *mesh.Model
	grid grid
	area float64 // mean model area per unit of UV area
	// by island: model area and UV area
	scale  map[int32][2]float64
	rank   map[int32]int32 // by island: of two that have a texel the lower one owns it
	shared []uint64        // a bit a triangle of the model; nil: none is
	extent float32         // of the model, metres
}

// NewIndex builds the index of a sheet.
func NewIndex(m *mesh.Model, sheet int) *Index {
	x := &Index{m: m, scale: map[int32][2]float64{}, rank: map[int32]int32{}, extent: m.Bounds.Size().Length()}
	var all []entry
	var world, flat float64
	for i := range m.Tri {
		if int(m.TriSheet[i]) != sheet {
			continue
		}
		a, b, c := x.uv(int32(i))
		w3, w2 := float64(m.FaceNormal(i).Length()), math.Abs(cross(a, b, c))
		world, flat = world+w3, flat+w2
		island := x.scale[m.Island[i]]
		x.scale[m.Island[i]] = [2]float64{island[0] + w3, island[1] + w2}
		for _, e := range shifts(a, b, c) {
			e.tri = int32(i)
			all = append(all, e)
		}
	}
	x.makeGrid(all)
	for k, island := range m.OwnerOrder(sheet) {
		x.rank[island] = int32(k)
	}
	x.findShared(all)
	if flat > 0 {
		x.area = world / flat
	}
	return x
}

func (x *Index) uv(i int32) (a, b, c geom.Vec2) {
	t := x.m.Tri[i]
	return x.m.UV[t[0]], x.m.UV[t[1]], x.m.UV[t[2]]
}

func cross(a, b, c geom.Vec2) float64 {
	return float64(b.X-a.X)*float64(c.Y-a.Y) - float64(b.Y-a.Y)*float64(c.X-a.X)
}

// Tile returns the frame of tile (tx, ty) of the sheet at size texels a side,
// with pix.Margin texels around it: pix.Pitch × pix.Pitch points.
func (x *Index) Tile(size, tx, ty int) *Frame {
	f := newFrame(pix.Pitch, pix.Pitch)
	f.Footprint = float32(math.Sqrt(x.area)) / float32(size)
	ox, oy := tx*pix.Size-pix.Margin, ty*pix.Size-pix.Margin
	best := pix.Lend(len(f.Tri))
	defer pix.Return(best)
	pix.Set(best, Reach*Reach)
	x0, y0, w := float32(ox-Reach), float32(oy-Reach), float32(pix.Pitch+2*Reach)
	x.grid.each(windowOf(x0, y0, x0+w, y0+w, float32(size)), func(l *listed) {
		x.draw(f, l.entry, float64(size), ox, oy, best)
	})
	f.Seal()
	return f
}

func newFrame(w, h int) *Frame {
	f := &Frame{
		W:      w,
		H:      h,
		Pos:    make([]geom.Vec3, w*h),
		Nrm:    make([]geom.Vec3, w*h),
		Tri:    make([]int32, w*h),
		Inside: make([]bool, w*h),
	}
	for i := range f.Tri {
		f.Tri[i] = -1
	}
	return f
}

// Seal computes the bounds of the blocks; a frame that was made by hand needs it before
// it is used.
func (f *Frame) Seal() {
	bw := f.BlocksWide()
	f.Blocks = make([]geom.Box, bw*((f.H+Block-1)/Block))
	f.Bounds, f.Covered = geom.EmptyBox(), 0
	for i := range f.Blocks {
		f.Blocks[i] = geom.EmptyBox()
	}
	for y := range f.H {
		for xx := range f.W {
			if i := y*f.W + xx; f.Tri[i] >= 0 {
				b := &f.Blocks[y/Block*bw+xx/Block]
				*b = b.Grow(f.Pos[i])
				f.Covered++
			}
		}
	}
	for _, b := range f.Blocks {
		f.Bounds = f.Bounds.Union(b)
	}
}

// draw puts triangle i into the frame: texels inside it exactly, texels beyond
// its island borders at the point across the seam.
func (x *Index) draw(f *Frame, e entry, size float64, ox, oy int, best []float32) {
	i, t := e.tri, x.m.Tri[e.tri]
	var p [3][2]float64
	for k, v := range t {
		p[k] = [2]float64{
			(float64(x.m.UV[v].X)+float64(e.du))*size - float64(ox) - 0.5,
			(float64(x.m.UV[v].Y)+float64(e.dv))*size - float64(oy) - 0.5,
		}
	}
	det := (p[1][0]-p[0][0])*(p[2][1]-p[0][1]) - (p[1][1]-p[0][1])*(p[2][0]-p[0][0])
	if math.Abs(det) < 1e-12 {
		return
	}
	border := x.m.UVBorder[i][0] || x.m.UVBorder[i][1] || x.m.UVBorder[i][2]
	pad := 0.0
	if border {
		pad = Reach
	}
	x0 := max(int(math.Ceil(min(p[0][0], p[1][0], p[2][0])-pad)), 0)
	x1 := min(int(math.Floor(max(p[0][0], p[1][0], p[2][0])+pad)), f.W-1)
	y0 := max(int(math.Ceil(min(p[0][1], p[1][1], p[2][1])-pad)), 0)
	y1 := min(int(math.Floor(max(p[0][1], p[1][1], p[2][1])+pad)), f.H-1)
	d := drawn{
		corners: x.corners(t), p: p, det: det,
		ux: p[1][0] - p[0][0], uy: p[1][1] - p[0][1], vx: p[2][0] - p[0][0], vy: p[2][1] - p[0][1],
	}
	put := func(j int, pos, nrm geom.Vec3) {
		// the order of drawing must not matter
		if !f.Inside[j] || x.before(i, f.Tri[j]) {
			f.Inside[j], f.Tri[j] = true, i
			f.Pos[j], f.Nrm[j] = pos, nrm
		} else if i == f.Tri[j] && less(pos, f.Pos[j]) { // a triangle over several squares
			f.Pos[j], f.Nrm[j] = pos, nrm
		}
	}
	var w *wideTriangle
	if x1-x0 >= 8 {
		w = d.widen()
	}
	var at [6]lanes
	for y := y0; y <= y1; y++ {
		fy := float64(y)
		from, to := x0, x1
		if !border && x1-x0 >= wideSpan { // nothing counts outside of the triangle
			l, r := across(&p, fy)
			from, to = max(from, int(math.Floor(l))), min(to, int(math.Ceil(r)))
		}
		rise1, rise2 := (fy-p[0][1])*d.vx, d.ux*(fy-p[0][1])
		xx := from
		for ; w != nil && xx+8 <= to+1; xx += 8 {
			inside := w.eight(float64(xx), rise1, rise2, &at)
			for k := range 8 {
				j := y*f.W + xx + k
				if inside>>k&1 != 0 {
					put(j, geom.Vec3{X: at[0][k], Y: at[1][k], Z: at[2][k]}, geom.Vec3{X: at[3][k], Y: at[4][k], Z: at[5][k]})
				} else if border && !f.Inside[j] {
					x.beyond(f, i, j, p, float64(xx+k), fy, best)
				}
			}
		}
		for ; xx <= to; xx++ {
			fx, j := float64(xx), y*f.W+xx
			if pos, nrm, ok := d.at(fx, rise1, rise2); ok {
				put(j, pos, nrm)
			} else if border && !f.Inside[j] {
				x.beyond(f, i, j, p, fx, fy, best)
			}
		}
	}
}

// eps is how far, as a share of it, a texel may lie outside of a triangle and still belong to it.
const eps = -1e-9

// drawn is a triangle that is being drawn: its corners in space and in the frame, twice its area there,
// and the edges from its first corner.
type drawn struct {
	corners
	p                   [3][2]float64
	det, ux, uy, vx, vy float64
}

// at returns the place and the normal of the texel at fx of a row, given by what its corners' weights rise
// by, and whether it lies in the triangle.
func (d *drawn) at(fx, rise1, rise2 float64) (pos, nrm geom.Vec3, ok bool) {
	b1 := ((fx-d.p[0][0])*d.vy - rise1) / d.det
	b2 := (rise2 - d.uy*(fx-d.p[0][0])) / d.det
	b0 := 1 - b1 - b2
	if !(b0 >= eps && b1 >= eps && b2 >= eps) {
		return pos, nrm, false
	}
	pos, nrm = d.point(b0, b1, b2)
	return pos, nrm, true
}

// wideSpan is from how many texels on it costs less to find where a line enters a triangle than to
// ask each texel.
const wideSpan = 24

// across returns from where to where the line at y crosses a triangle, and a little more on either
// side; all of the triangle's width where the line runs close by its lowest or highest corner.
func across(p *[3][2]float64, y float64) (l, r float64) {
	const slack = 1e-3
	l, r = math.Inf(1), math.Inf(-1)
	for k := range 3 {
		a, b := p[k], p[(k+1)%3]
		if a[1] > b[1] {
			a, b = b, a
		}
		if y < a[1]-slack || y > b[1]+slack {
			continue
		}
		if b[1]-a[1] < slack {
			l, r = min(l, a[0], b[0]), max(r, a[0], b[0])
			continue
		}
		m := (b[0] - a[0]) / (b[1] - a[1])
		for _, v := range [2]float64{max(y-slack, a[1]), min(y+slack, b[1])} {
			x := a[0] + (v-a[1])*m
			l, r = min(l, x), max(r, x)
		}
	}
	return l - slack, r + slack
}

// beyond fills texel j from over the nearest border edge of triangle i.
func (x *Index) beyond(f *Frame, i int32, j int, p [3][2]float64, fx, fy float64, best []float32) {
	m, t := x.m, x.m.Tri[i]
	for k := range 3 {
		if !m.UVBorder[i][k] {
			continue
		}
		a, b := p[k], p[(k+1)%3]
		ex, ey := b[0]-a[0], b[1]-a[1]
		l2 := ex*ex + ey*ey
		if l2 < 1e-12 {
			continue
		}
		s := min(max(((fx-a[0])*ex+(fy-a[1])*ey)/l2, 0), 1)
		dx, dy := fx-a[0]-s*ex, fy-a[1]-s*ey
		d2 := float32(dx*dx + dy*dy)
		if d2 > best[j] || d2 == best[j] && f.Tri[j] >= 0 && f.Tri[j] < i {
			continue
		}
		best[j] = d2
		pa, pb := m.Pos[t[k]], m.Pos[t[(k+1)%3]]
		na, nb := m.Nrm[t[k]], m.Nrm[t[(k+1)%3]]
		pos, nrm, tri := pa.Lerp(pb, float32(s)), na.Lerp(nb, float32(s)).Unit(), i
		if o := m.Neighbor[i][k]; o.Tri >= 0 {
			// unfold: as far into the neighbour, square to the edge, as the texel is from it
			ot := m.Tri[o.Tri]
			edge := pb.Sub(pa)
			scale := edge.Length() / float32(math.Sqrt(l2))
			in := m.Pos[ot[(o.K+2)%3]].Sub(pa)
			if u := edge.Unit(); u != (geom.Vec3{}) {
				in = in.Sub(u.Mul(in.Dot(u)))
			}
			dist := float32(math.Sqrt(float64(d2))) * scale
			deep := in.Length()
			if deep > 1e-12 {
				pos = pos.Add(in.Mul(min(dist, deep) / deep))
				nrm = m.Nrm[ot[o.K]].Lerp(m.Nrm[ot[(o.K+1)%3]], 1-float32(s)).
					Lerp(m.Nrm[ot[(o.K+2)%3]], min(dist/deep, 1)).
					Unit()
			}
			tri = o.Tri
		}
		f.Pos[j], f.Nrm[j], f.Tri[j] = pos, nrm, tri
		if f.Owner == nil {
			f.Owner = map[int32]int32{}
		}
		f.Owner[int32(j)] = m.Island[i]
	}
}

// corners are the places and the normals of a triangle's corners.
type corners struct{ p3, n3 [3]geom.Vec3 }

func (x *Index) corners(t [3]uint32) (c corners) {
	for k, v := range t {
		c.p3[k], c.n3[k] = x.m.Pos[v], x.m.Nrm[v]
	}
	return c
}

func (c *corners) point(b0, b1, b2 float64) (p, n geom.Vec3) {
	w0, w1, w2 := float32(b0), float32(b1), float32(b2)
	p = c.p3[0].Mul(w0).Add(c.p3[1].Mul(w1)).Add(c.p3[2].Mul(w2))
	n = c.n3[0].Mul(w0).Add(c.n3[1].Mul(w1)).Add(c.n3[2].Mul(w2)).Unit()
	return
}

func (x *Index) point(t [3]uint32, b0, b1, b2 float64) (p, n geom.Vec3) {
	c := x.corners(t)
	return c.point(b0, b1, b2)
}

// View returns the frame of what a camera sees: w × h points, found with a depth
// buffer. vp is projection times view in the convention of OpenGL. Masks are
// shown on cards this way.
func View(m *mesh.Model, vp geom.Mat4, w, h int) *Frame {
	f := newFrame(w, h)
	depth := make([]float64, w*h)
	for i := range depth {
		depth[i] = math.Inf(1)
	}
	x := &Index{m: m}
	for i, t := range m.Tri {
		var p [3][4]float64
		ok := true
		for k, v := range t {
			cx, cy, cz, cw := vp.Clip(m.Pos[v])
			ok = ok && cw > 1e-6
			p[k] = [4]float64{(cx/cw*0.5+0.5)*float64(w) - 0.5, (0.5-cy/cw*0.5)*float64(h) - 0.5, cz / cw, 1 / cw}
		}
		det := (p[1][0]-p[0][0])*(p[2][1]-p[0][1]) - (p[1][1]-p[0][1])*(p[2][0]-p[0][0])
		if !ok || det > -1e-12 { // seen from behind, or edge-on
			continue
		}
		for y := max(int(math.Ceil(min(p[0][1], p[1][1], p[2][1]))), 0); y <= min(int(max(p[0][1], p[1][1], p[2][1])), h-1); y++ {
			for xx := max(int(math.Ceil(min(p[0][0], p[1][0], p[2][0]))), 0); xx <= min(int(max(p[0][0], p[1][0], p[2][0])), w-1); xx++ {
				fx, fy, j := float64(xx), float64(y), y*w+xx
				b1 := ((fx-p[0][0])*(p[2][1]-p[0][1]) - (fy-p[0][1])*(p[2][0]-p[0][0])) / det
				b2 := ((p[1][0]-p[0][0])*(fy-p[0][1]) - (p[1][1]-p[0][1])*(fx-p[0][0])) / det
				b0 := 1 - b1 - b2
				z := b0*p[0][2] + b1*p[1][2] + b2*p[2][2]
				if b0 < 0 || b1 < 0 || b2 < 0 || z >= depth[j] || z < -1 {
					continue
				}
				depth[j] = z
				q0, q1, q2 := b0*p[0][3], b1*p[1][3], b2*p[2][3]
				q := q0 + q1 + q2
				f.Pos[j], f.Nrm[j] = x.point(t, q0/q, q1/q, q2/q)
				f.Tri[j], f.Inside[j] = int32(i), true
			}
		}
	}
	f.Seal()
	if f.Covered > 0 {
		f.Footprint = f.Bounds.Size().Length() / float32(w)
	}
	return f
}

// Point returns the frame of one place on the surface, for a core sample.
func Point(pos, nrm geom.Vec3, tri int32) *Frame {
	f := newFrame(1, 1)
	f.Pos[0], f.Nrm[0], f.Tri[0], f.Inside[0] = pos, nrm, tri, true
	f.Footprint = 1e-4
	f.Seal()
	return f
}
