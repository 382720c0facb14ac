package brush

import (
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
)

// Take is where a cloning stroke takes what it lays from: a place on the surface. What
// lies around it is laid in the surface's own frame, turned as the surface turns between
// there and the stroke, whatever the view was.
type Take struct {
	At    geom.Vec3 `json:"at"`
	Nrm   geom.Vec3 `json:"nrm"`
	Stays bool      `json:"stays,omitempty" doc:"each dab takes from that place; else it moves along with the stroke"`

	// Of a stroke that takes from the counterparts of faces: At lies on a face, To on its
	// counterpart. Past names a stroke: what was painted before that one is taken.
	To    geom.Vec3 `json:"to,omitzero"`
	ToNrm geom.Vec3 `json:"toNrm,omitzero"`
	Past  string    `json:"past,omitempty"`
}

// Source is a place that paint is taken from, and its share; the shares of a point make 1.
type Source struct {
	Pos, Nrm geom.Vec3
	Share    float32
}

// path is a stroke's line at one of its twins, with the way to each point.
type path struct {
	pts []Point
	way []float32
}

func (s *Stroke) path(w twin) path {
	p := path{make([]Point, len(s.Points)), make([]float32, len(s.Points))}
	for i, q := range s.Points {
		p.pts[i] = w.point(q)
		if i > 0 {
			p.way[i] = p.way[i-1] + p.pts[i].Pos.Sub(p.pts[i-1].Pos).Length()
		}
	}
	return p
}

// nearest looks among the segments from one on for one that comes nearer to a point
// than d2, a squared distance; i is −1 when there is none.
func (p *path) nearest(q geom.Vec3, from int, d2 float32) (i int, t, near float32) {
	i, near = -1, d2
	if len(p.pts) == 1 {
		if d := q.Sub(p.pts[0].Pos); d.Dot(d) < d2 {
			return 0, 0, d.Dot(d)
		}
		return
	}
	for k := from; k+1 < len(p.pts); k++ {
		a := p.pts[k].Pos
		e, d := p.pts[k+1].Pos.Sub(a), q.Sub(a)
		l := e.Dot(e)
		u := float32(0)
		if l > 1e-20 {
			u = min(max(d.Dot(e)/l, 0), 1)
		}
		d = d.Sub(e.Mul(u))
		if v := d.Dot(d); v < near {
			i, t, near = k, u, v
		}
	}
	return
}

// at returns the place on segment i, the surface's normal there and the line's direction.
func (p *path) at(i int, t float32) (pos, nrm, dir geom.Vec3) {
	a, b := p.pts[i], p.pts[min(i+1, len(p.pts)-1)]
	return a.Pos.Lerp(b.Pos, t), a.Nrm.Lerp(b.Nrm, t).Unit(), b.Pos.Sub(a.Pos).Unit()
}

// back returns where the line was some metres before.
func (p *path) back(i int, t, far float32) (int, float32) {
	if len(p.pts) == 1 {
		return 0, 0
	}
	way := max(p.way[i]+t*(p.way[i+1]-p.way[i])-far, 0)
	for i > 0 && p.way[i] > way {
		i--
	}
	if l := p.way[i+1] - p.way[i]; l > 1e-12 {
		return i, min((way-p.way[i])/l, 1)
	}
	return i, 0
}

// turn is the shortest turn that brings one direction to another.
type turn struct {
	axis     geom.Vec3
	sin, cos float32
}

func turnTo(a, b geom.Vec3) turn {
	if a == (geom.Vec3{}) || b == (geom.Vec3{}) { // a line of one point has no direction
		return turn{cos: 1}
	}
	c := a.Dot(b)
	x := a.Cross(b)
	l := x.Length()
	if l < 1e-6 {
		if c > 0 {
			return turn{cos: 1}
		}
		t, _ := a.Tangents()
		return turn{axis: t, cos: -1}
	}
	return turn{x.Mul(1 / l), l, c}
}

func (r turn) of(v geom.Vec3) geom.Vec3 {
	if r.sin == 0 && r.cos == 1 {
		return v
	}
	return v.Mul(r.cos).Add(r.axis.Cross(v).Mul(r.sin)).Add(r.axis.Mul(r.axis.Dot(v) * (1 - r.cos)))
}

// foot is the place of a stroke's line, at one of its twins, that lies nearest to a point:
// t of the way along a segment.
type foot struct {
	*path
	twin twin
	seg  int
	t    float32
}

// Trace knows which place of a stroke's line lies nearest to each covered point of a
// frame. It grows with the stroke.
type Trace struct {
	points int
	near   []found
	paths  []path
	twins  []twin
}

type found struct {
	twin, seg int32
	t, d2     float32
}

// NewTrace is the trace of nothing on a frame of n points.
func NewTrace(n int) *Trace {
	t := &Trace{near: make([]found, n)}
	for i := range t.near {
		t.near[i].d2 = float32(math.Inf(1))
	}
	return t
}

// Forget makes the next Grow look for the place of point i anew, on the whole line.
func (t *Trace) Forget(i int32) { t.near[i].d2 = float32(math.Inf(1)) }

// Grow brings a trace up to a stroke that has more points than before, and returns the
// covered points of the frame for which it is another place now.
func (t *Trace) Grow(s *Stroke, f *raster.Frame, cover []float32) (changed []int32) {
	t.twins = s.twins()
	t.paths = t.paths[:0]
	for _, w := range t.twins {
		t.paths = append(t.paths, s.path(w))
	}
	for i, c := range cover {
		if c <= 0 || f.Tri[i] < 0 {
			continue
		}
		n := &t.near[i]
		from := max(t.points-1, 0)
		if math.IsInf(float64(n.d2), 1) {
			from = 0
		}
		was := n.d2
		for k := range t.paths {
			if seg, u, d := t.paths[k].nearest(f.Pos[i], from, n.d2); seg >= 0 {
				*n = found{int32(k), int32(seg), u, d}
			}
		}
		if n.d2 < was {
			changed = append(changed, int32(i))
		}
	}
	t.points = len(s.Points)
	return changed
}

// Sources appends the places that the paint of point i comes from, each with its share.
// They lie on the surface or a little beside it.
func (t *Trace) Sources(s *Stroke, f *raster.Frame, i int32, list []Source) []Source {
	n := &t.near[i]
	return s.effect().sources(s, foot{&t.paths[n.twin], t.twins[n.twin], int(n.seg), n.t}, f.Pos[i], f.Nrm[i], list)
}
