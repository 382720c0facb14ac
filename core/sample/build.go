// Package sample makes the sample models and documents of Low Wick landing.
package sample

import (
	"math"
	"sort"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// chart is one UV island before packing, in metres.
type chart struct {
	sheet, first, count int // its vertices
	w, h                float64
}

// builder collects patches; every patch becomes one island.
type builder struct {
	m      *mesh.Model
	part   uint16
	sheet  int
	at     geom.Mat4
	charts []chart
	// longest is how long, in metres, an island may be; longer strips are cut, or
	// one of them would set the texel density of its whole sheet.
	longest float64
}

func newBuilder(name string, sheets ...string) *builder {
	b := &builder{m: &mesh.Model{Name: name}, at: geom.Identity(), longest: 0.13}
	for _, s := range sheets {
		b.m.Sheets = append(b.m.Sheets, mesh.Sheet{Name: s, HasUV: true, Source: s})
	}
	return b
}

func (b *builder) begin(part string, sheet string) {
	b.m.Parts = append(b.m.Parts, mesh.Part{Name: part})
	b.part = uint16(len(b.m.Parts) - 1)
	b.sheet = b.m.SheetIndex(sheet)
	b.at = geom.Identity()
}

func translate(x, y, z float64) geom.Mat4 {
	return geom.TRS([3]float64{x, y, z}, [4]float64{0, 0, 0, 1}, [3]float64{1, 1, 1})
}

func turnY(deg float64) geom.Mat4 {
	s, c := math.Sincos(deg * math.Pi / 360)
	return geom.TRS([3]float64{}, [4]float64{0, s, 0, c}, [3]float64{1, 1, 1})
}

func turnX(deg float64) geom.Mat4 {
	s, c := math.Sincos(deg * math.Pi / 360)
	return geom.TRS([3]float64{}, [4]float64{s, 0, 0, c}, [3]float64{1, 1, 1})
}

func turnZ(deg float64) geom.Mat4 {
	s, c := math.Sincos(deg * math.Pi / 360)
	return geom.TRS([3]float64{}, [4]float64{0, 0, s, c}, [3]float64{1, 1, 1})
}

type p3 = [3]float64
type p2 = [2]float64

// patch adds a grid of points like piece, cut into several islands where the strip
// is much longer than wide and longer than b.longest.
func (b *builder) patch(nu, nv int, w, h float64, f func(i, j int) p3, uv func(i, j int) p2) {
	cutU, cutV := 1, 1
	if w > 2.5*h {
		cutU = max(1, int(math.Ceil(w/b.longest)))
	} else if h > 2.5*w {
		cutV = max(1, int(math.Ceil(h/b.longest)))
	}
	for cu := range cutU {
		for cv := range cutV {
			i0, i1, j0, j1 := nu*cu/cutU, nu*(cu+1)/cutU, nv*cv/cutV, nv*(cv+1)/cutV
			lo, hi := p2{math.Inf(1), math.Inf(1)}, p2{math.Inf(-1), math.Inf(-1)}
			for j := j0; j <= j1; j++ {
				for i := i0; i <= i1; i++ {
					for k, v := range uv(i, j) {
						lo[k], hi[k] = min(lo[k], v), max(hi[k], v)
					}
				}
			}
			if cutU*cutV == 1 {
				lo, hi = p2{}, p2{w, h}
			}
			b.piece(i1-i0, j1-j0, hi[0]-lo[0], hi[1]-lo[1], func(i, j int) p3 { return f(i0+i, j0+j) }, func(i, j int) p2 {
				t := uv(i0+i, j0+j)
				return p2{t[0] - lo[0], t[1] - lo[1]}
			})
		}
	}
}

// piece adds a grid of (nu+1) × (nv+1) points; dU × dV points outward. uv gives
// places in the chart in metres.
func (b *builder) piece(nu, nv int, w, h float64, f func(i, j int) p3, uv func(i, j int) p2) {
	base := len(b.m.Pos)
	for j := 0; j <= nv; j++ {
		for i := 0; i <= nu; i++ {
			p, t := f(i, j), uv(i, j)
			b.m.Pos = append(b.m.Pos, b.at.Point(geom.V3(float32(p[0]), float32(p[1]), float32(p[2]))))
			b.m.UV = append(b.m.UV, geom.Vec2{X: float32(t[0]), Y: float32(t[1])})
			b.m.Nrm = append(b.m.Nrm, geom.Vec3{})
		}
	}
	id := func(i, j int) uint32 { return uint32(base + j*(nu+1) + i) }
	for j := range nv {
		for i := range nu {
			b.tri(id(i, j), id(i+1, j), id(i+1, j+1))
			b.tri(id(i, j), id(i+1, j+1), id(i, j+1))
		}
	}
	b.charts = append(b.charts, chart{b.sheet, base, (nu + 1) * (nv + 1), w, h})
}

func (b *builder) tri(i, j, k uint32) {
	const near = 1e-7
	p := b.m.Pos
	if p[i].Sub(p[j]).Length() < near || p[j].Sub(p[k]).Length() < near || p[i].Sub(p[k]).Length() < near {
		return
	}
	b.m.Tri = append(b.m.Tri, [3]uint32{i, j, k})
	b.m.TriPart, b.m.TriSheet = append(b.m.TriPart, b.part), append(b.m.TriSheet, uint16(b.sheet))
}

// rounded replaces the inner corners of a profile by arcs of about radius r.
func rounded(profile []p2, r float64, steps int) []p2 {
	out := []p2{profile[0]}
	for i := 1; i+1 < len(profile); i++ {
		a, b, c := profile[i-1], profile[i], profile[i+1]
		la, lc := math.Hypot(a[0]-b[0], a[1]-b[1]), math.Hypot(c[0]-b[0], c[1]-b[1])
		d := min(r, la*0.45, lc*0.45)
		s := p2{b[0] + (a[0]-b[0])*d/la, b[1] + (a[1]-b[1])*d/la}
		e := p2{b[0] + (c[0]-b[0])*d/lc, b[1] + (c[1]-b[1])*d/lc}
		for k := 0; k <= steps; k++ {
			t := float64(k) / float64(steps)
			u := 1 - t
			out = append(out, p2{u*u*s[0] + 2*u*t*b[0] + t*t*e[0], u*u*s[1] + 2*u*t*b[1] + t*t*e[1]})
		}
	}
	return append(out, profile[len(profile)-1])
}

// lathe turns a profile (radius, height), from the bottom outward and up, around
// Y. Steep runs are unrolled, flat runs keep their plan view.
func (b *builder) lathe(profile []p2, segments int) {
	flat := func(i int) bool {
		dr, dy := math.Abs(profile[i+1][0]-profile[i][0]), math.Abs(profile[i+1][1]-profile[i][1])
		return dr > 1.7*dy
	}
	for i := 0; i+1 < len(profile); {
		j := i + 1
		for j+1 < len(profile) && flat(j) == flat(i) {
			j++
		}
		b.band(profile[i:j+1], segments, flat(i))
		i = j
	}
}

func (b *builder) band(run []p2, segments int, flat bool) {
	length, mean, reach := make([]float64, len(run)), 0.0, 0.0
	for i, p := range run {
		if i > 0 {
			length[i] = length[i-1] + math.Hypot(p[0]-run[i-1][0], p[1]-run[i-1][1])
		}
		mean += p[0] / float64(len(run))
		reach = max(reach, p[0])
	}
	angle := func(i int) (s, c float64) { return math.Sincos(2 * math.Pi * float64(i%segments) / float64(segments)) }
	point := func(i, j int) p3 { s, c := angle(i); return p3{run[j][0] * c, run[j][1], -run[j][0] * s} }
	if flat {
		down := 1.0
		if run[len(run)-1][0] > run[0][0] {
			down = -1 // seen from below
		}
		b.patch(segments, len(run)-1, 2*reach, 2*reach, point, func(i, j int) p2 {
			s, c := angle(i)
			return p2{reach + run[j][0]*c, reach - down*run[j][0]*s}
		})
		return
	}
	w, h := 2*math.Pi*mean, length[len(run)-1]
	b.patch(segments, len(run)-1, w, h, point, func(i, j int) p2 {
		return p2{w * float64(i) / float64(segments), h - length[j]}
	})
}

// box adds a box with rounded edges of radius r around the origin; bend moves
// its points and may be nil. It is cut finely enough along X to be bent.
func (b *builder) box(sx, sy, sz, r float64, cutsX int, bend func(p3) p3) {
	size := p3{sx / 2, sy / 2, sz / 2}
	steps := func(half float64, cuts int) []float64 {
		var s []float64
		for k := 0; k <= 2; k++ {
			s = append(s, -half+r*(1-math.Cos(math.Pi/4*float64(k)/2))/(1-math.Cos(math.Pi/4)))
		}
		for k := 1; k <= cuts; k++ {
			s = append(s, (-half+r)+(2*half-2*r)*float64(k)/float64(cuts+1))
		}
		n := len(s)
		for k := 2; k >= 0; k-- {
			s = append(s, -s[k])
		}
		_ = n
		return s
	}
	axisSteps := [3][]float64{steps(size[0], cutsX), steps(size[1], 0), steps(size[2], 0)}
	for axis := range 3 {
		for _, sign := range []float64{1, -1} {
			u, v := (axis+1)%3, (axis+2)%3
			if sign < 0 {
				u, v = v, u
			}
			us, vs := axisSteps[u], axisSteps[v]
			w, h := 2*size[u], 2*size[v]
			b.patch(len(us)-1, len(vs)-1, w, h, func(i, j int) p3 {
				var p p3
				p[axis], p[u], p[v] = sign*size[axis], us[i], vs[j]
				var in, d p3
				l := 0.0
				for k := range 3 {
					in[k] = min(max(p[k], -size[k]+r), size[k]-r)
					d[k] = p[k] - in[k]
					l += d[k] * d[k]
				}
				l = math.Sqrt(l)
				for k := range 3 {
					p[k] = in[k] + d[k]/l*r
				}
				if bend != nil {
					p = bend(p)
				}
				return p
			}, func(i, j int) p2 { return p2{us[i] + size[u], h - (vs[j] + size[v])} })
		}
	}
}

// around bends X around the Y axis at radius r; Z points outward.
func around(r float64) func(p3) p3 {
	return func(p p3) p3 {
		a := p[0] / r
		return p3{(r + p[2]) * math.Sin(a), p[1], (r + p[2]) * math.Cos(a)}
	}
}

// tube sweeps a circle along a path; a closed path ends where it began.
func (b *builder) tube(path []p3, radius func(t float64) float64, sides int, closed bool) {
	n := len(path)
	v := func(i int) geom.Vec3 {
		p := path[i]
		return geom.V3(float32(p[0]), float32(p[1]), float32(p[2]))
	}
	tangent := func(i int) geom.Vec3 {
		a, c := max(i-1, 0), min(i+1, n-1)
		if closed && (i == 0 || i == n-1) {
			a, c = n-2, 1
		}
		return v(c).Sub(v(a)).Unit()
	}
	normals := make([]geom.Vec3, n)
	normals[0], _ = tangent(0).Tangents()
	length := make([]float64, n)
	for i := 1; i < n; i++ { // carry the frame along without twist
		t := tangent(i)
		normals[i] = normals[i-1].Sub(t.Mul(normals[i-1].Dot(t))).Unit()
		length[i] = length[i-1] + float64(v(i).Sub(v(i-1)).Length())
	}
	if closed {
		normals[n-1] = normals[0]
	}
	total := length[n-1]
	ring := func(i, k int) p3 {
		t := tangent(i)
		s, c := math.Sincos(2 * math.Pi * float64(k%sides) / float64(sides))
		o := normals[i].Mul(float32(c)).Add(t.Cross(normals[i]).Mul(float32(s))).Mul(float32(radius(length[i] / total)))
		q := v(i).Add(o)
		return p3{float64(q.X), float64(q.Y), float64(q.Z)}
	}
	girth := 2 * math.Pi * radius(0.5)
	b.patch(sides, n-1, girth, total, func(k, i int) p3 { return ring(i, k) }, func(k, i int) p2 {
		return p2{girth * float64(k) / float64(sides), total - length[i]}
	})
	if closed {
		return
	}
	for _, end := range []int{0, n - 1} {
		r := radius(float64(end) / float64(n-1))
		b.patch(sides, 1, 2*r, 2*r, func(k, j int) p3 {
			if end == 0 {
				k = sides - k
			}
			p := ring(end, k)
			for c := range 3 {
				p[c] += (path[end][c] - p[c]) * float64(j)
			}
			return p
		}, func(k, j int) p2 {
			s, c := math.Sincos(2 * math.Pi * float64(k%sides) / float64(sides))
			q := r * float64(1-j)
			return p2{r + q*c, r - q*s}
		})
	}
}

// finish packs the islands of each sheet at one texel density, rebuilds normals
// and checks the model.
func (b *builder) finish() *mesh.Model {
	for s := range b.m.Sheets {
		b.pack(s)
	}
	b.m.SmoothNormals(38)
	if err := b.m.Finish(); err != nil {
		panic(err) // the generator's own mistake
	}
	return b.m
}

func (b *builder) pack(sheet int) {
	var list []chart
	for _, c := range b.charts {
		if c.sheet == sheet {
			list = append(list, c)
		}
	}
	sort.SliceStable(list, func(i, j int) bool { return list[i].h > list[j].h })
	const pad = 5.0 / 1024
	place := func(scale float64, put func(c chart, x, y float64)) bool {
		x, y, row := pad, pad, 0.0
		for _, c := range list {
			w, h := c.w*scale, c.h*scale
			if x+w+pad > 1 {
				x, y, row = pad, y+row+2*pad, 0
			}
			if x+w+pad > 1 || y+h+pad > 1 {
				return false
			}
			if put != nil {
				put(c, x, y)
			}
			x += w + 2*pad
			row = max(row, h)
		}
		return true
	}
	lo, hi := 0.0, 1000.0
	for range 60 {
		if mid := (lo + hi) / 2; place(mid, nil) {
			lo = mid
		} else {
			hi = mid
		}
	}
	place(lo, func(c chart, x, y float64) {
		for i := c.first; i < c.first+c.count; i++ {
			t := &b.m.UV[i]
			*t = geom.Vec2{X: float32(x + float64(t.X)*lo), Y: float32(y + float64(t.Y)*lo)}
		}
	})
}
