package flow

import (
	"context"
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/noise"
	"velvetgrime/core/spatial"
)

// Weather is what makes water run.
type Weather struct {
	Down    geom.Vec3 // where it falls, unit
	Push    geom.Vec3 // wind along the surface, in shares of gravity
	Meander float32   // 0 straight down, 1 as crooked as a run on rough paint
	Leave   float32   // metres after which a run on an upright wall has left two thirds of its water
	Gap     float32   // how far a drop falls from an edge and still meets what lies below, metres
	Length  float32   // the longest run, metres
	Seed    uint32
}

// Source is where a run begins.
type Source struct {
	Pos    geom.Vec3
	Tri    int32
	Amount float32 // of water, any unit
	Rank   float32 // 0..1: the lower, the earlier it begins to run in the life of the model
}

// Node is a place on a run.
type Node struct {
	Pos, Nrm geom.Vec3
	Tri      int32
	At       float32 // metres from the run's beginning
	Flow     float32 // water that comes by
	Left     float32 // water left between here and the next node
	Break    bool    // the run fell from here through the air: nothing lies between here and the next node
}

// Run is the way of the water from one source. What it brought is what all its nodes
// keep, what went into another run, and what dripped off.
type Run struct {
	Source  Source
	Nodes   []Node
	Into    int // the run that took up what was left, −1: none
	Joined  float32
	Dripped float32
}

// Runs is all of them.
type Runs struct {
	List []Run
	step float32
}

// tracer follows runs over a mesh.
type tracer struct {
	m     *mesh.Model
	w     Weather
	step  float32
	faces []geom.Vec3 // unit normals
	tree  *spatial.Tree
	ray   *spatial.Bundle
	seen  map[uint64][]place // nodes of earlier runs by place
}

type place struct{ run, node int32 }

// Trace lets water run from the sources, one after another: a run that comes near an
// earlier one goes into it. step is the distance of its nodes in metres. Water is
// neither made nor lost: for each run, Amount = what its own nodes keep + Joined +
// Dripped, and what joins another is left on that one's way. The same sources give the
// same runs.
func Trace(
	ctx context.Context,
	m *mesh.Model,
	tree *spatial.Tree,
	w Weather,
	step float32,
	sources []Source,
) (*Runs, error) {
	t := &tracer{
		m:     m,
		w:     w,
		step:  step,
		tree:  tree,
		ray:   &spatial.Bundle{},
		seen:  map[uint64][]place{},
		faces: make([]geom.Vec3, len(m.Tri)),
	}
	for i := range m.Tri {
		t.faces[i] = m.FaceNormal(i).Unit()
	}
	out := &Runs{step: step}
	for _, s := range sources {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if s.Amount > 0 {
			t.follow(out, s)
		}
	}
	return out, nil
}

// downhill returns the way of water on a triangle at a place: gravity and wind along
// the surface, turned by the meander. steep is 0 on the level and 1 on a wall.
func (t *tracer) downhill(tri int32, p geom.Vec3, last geom.Vec3) (dir geom.Vec3, steep float32) {
	n := t.faces[tri]
	g := t.w.Down.Sub(n.Mul(t.w.Down.Dot(n)))
	steep = g.Length()
	if steep < 0.04 { // it stands
		return geom.Vec3{}, 0
	}
	push := t.w.Push.Sub(n.Mul(t.w.Push.Dot(n)))
	g = g.Add(push.Mul(steep)) // wind moves what already runs
	dir = g.Unit()
	if t.w.Meander > 0 {
		q := p.Mul(0.22 / t.step)
		a := t.w.Meander * (1.1 - 0.6*min(steep, 1)) * (noise.Simplex(q.X, q.Y, q.Z, t.w.Seed) + 0.5*noise.Simplex(3.1*q.X, 3.1*q.Y, 3.1*q.Z, t.w.Seed+1))
		s, c := math.Sincos(float64(min(max(a, -1.2), 1.2)))
		dir = dir.Mul(float32(c)).Add(n.Cross(dir).Mul(float32(s)))
	}
	if last != (geom.Vec3{}) { // water keeps its way for a while
		keep := last.Sub(n.Mul(last.Dot(n)))
		if d := dir.Add(keep.Mul(0.6)); d.Length() > 1e-3 && d.Dot(g) > 0 {
			dir = d.Unit()
		}
	}
	return dir, min(steep, 1)
}

// follow adds the run of one source.
func (t *tracer) follow(out *Runs, s Source) {
	me := int32(len(out.List))
	r := Run{Source: s, Into: -1}
	water, at := s.Amount, float32(0)
	pos, tri := s.Pos, s.Tri
	var last geom.Vec3
	hang := float32(0)
	still := 0
	for at < t.w.Length && len(r.Nodes) < 4000 {
		n := t.faces[tri]
		if into, ok := t.meets(out, me, pos, n); ok && len(r.Nodes) > 1 {
			r.Into, r.Joined = int(into.run), water
			t.pour(out, into, water)
			water = 0
			break
		}
		dir, steep := t.downhill(tri, pos, last)
		r.Nodes = append(r.Nodes, Node{Pos: pos, Nrm: t.smooth(tri, pos), Tri: tri, At: at, Flow: water})
		if steep < 0.02 { // it stands and dries
			break
		}
		// under an overhang it clings for a while and then drops
		if n.Dot(t.w.Down) > 0.25 {
			if hang += t.step; hang > 6*t.step*(1.2-n.Dot(t.w.Down)) {
				if pos2, tri2, ok := t.fall(pos.Add(n.Mul(t.step*0.05)), tri); ok {
					r.Nodes[len(r.Nodes)-1].Break = true
					pos, tri, last, hang = pos2, tri2, geom.Vec3{}, 0
					continue
				}
				r.Dripped = water
				water = 0
				break
			}
		} else {
			hang = 0
		}
		p2, t2, edge := t.walk(pos, tri, dir, t.step)
		d := p2.Sub(pos).Length()
		// slow water leaves more
		left := water * float32(1-math.Exp(float64(-max(d, t.step*0.05)/(t.w.Leave*(0.12+0.88*steep)))))
		r.Nodes[len(r.Nodes)-1].Left = left
		water -= left
		at += d
		if water < s.Amount*0.004 {
			break
		}
		if edge { // over the rim
			if pos2, tri2, ok := t.fall(p2.Add(dir.Mul(t.step*0.05)).Add(n.Mul(t.step*0.02)), tri); ok {
				r.Nodes = append(r.Nodes, Node{Pos: p2, Nrm: n, Tri: tri, At: at, Flow: water, Break: true})
				pos, tri, last = pos2, tri2, geom.Vec3{}
				continue
			}
			r.Nodes = append(r.Nodes, Node{Pos: p2, Nrm: n, Tri: tri, At: at, Flow: water})
			r.Dripped = water * 0.7 // a drop hangs on the rim
			water *= 0.3
			break
		}
		if d < t.step*0.02 {
			if still++; still > 6 { // it has come to a pit
				break
			}
		} else {
			still = 0
		}
		pos, tri, last = p2, t2, dir
	}
	if k := len(r.Nodes); k > 0 {
		r.Nodes[k-1].Left += water // what is left dries where the run ends
	} else {
		r.Dripped += water
	}
	for i := range r.Nodes {
		k := t.cell(r.Nodes[i].Pos)
		t.seen[k] = append(t.seen[k], place{me, int32(i)})
	}
	out.List = append(out.List, r)
}

func (t *tracer) cell(p geom.Vec3) uint64 {
	c := t.step * 1.5
	return key(noise.Floor(p.X/c), noise.Floor(p.Y/c), noise.Floor(p.Z/c))
}

// meets looks for a node of an earlier run close by, on the same side.
func (t *tracer) meets(out *Runs, me int32, p, n geom.Vec3) (place, bool) {
	for _, c := range t.seen[t.cell(p)] {
		k := &out.List[c.run].Nodes[c.node]
		if d := k.Pos.Sub(p); d.Dot(d) < t.step*t.step*0.36 && k.Nrm.Dot(n) > 0.5 &&
			int(c.node)+1 < len(out.List[c.run].Nodes) {
			return c, true
		}
	}
	return place{}, false
}

// pour lets water join a run at a node: it is left along the rest of its way, in the
// same shares as the run's own.
func (t *tracer) pour(out *Runs, at place, water float32) {
	r := &out.List[at.run]
	for i := int(at.node); i < len(r.Nodes); i++ {
		k := &r.Nodes[i]
		share := float32(1)
		if k.Flow > 0 {
			share = min(k.Left/k.Flow, 1)
		}
		if i == len(r.Nodes)-1 { // the end takes what the end took
			k.Flow += water
			switch {
			case r.Into >= 0:
				r.Joined += water
			case r.Dripped > 0:
				r.Dripped += water * 0.7
				k.Left += water * 0.3
			default:
				k.Left += water
			}
			return
		}
		k.Flow += water
		left := water * share
		k.Left += left
		water -= left
	}
}

// walk goes up to length metres from p on a triangle along dir, over its edges into
// the triangles beyond. edge says that it has come to the mesh's rim.
func (t *tracer) walk(p geom.Vec3, tri int32, dir geom.Vec3, length float32) (geom.Vec3, int32, bool) {
	from := int32(-1)
	for range 32 {
		k, far := t.exit(p, tri, dir, from)
		if far >= length || k < 0 {
			return t.inside(p.Add(dir.Mul(length)), tri), tri, false
		}
		p = p.Add(dir.Mul(far))
		length -= far
		o := t.m.Neighbor[tri][k]
		if o.Tri < 0 {
			return p, tri, true
		}
		// the way goes on as far round the edge as the surface bends
		e := t.edge(tri, k)
		a, b := t.faces[tri], t.faces[o.Tri]
		in := e.Cross(a) // out of this triangle
		if in.Dot(t.m.Pos[t.m.Tri[tri][(k+2)%3]].Sub(t.m.Pos[t.m.Tri[tri][k]])) > 0 {
			in = in.Mul(-1)
		}
		on := e.Cross(b)
		if on.Dot(t.m.Pos[t.m.Tri[o.Tri][(o.K+2)%3]].Sub(t.m.Pos[t.m.Tri[o.Tri][o.K]])) < 0 {
			on = on.Mul(-1)
		}
		dir = e.Mul(dir.Dot(e)).Add(on.Mul(dir.Dot(in)))
		// into a valley the water runs along its floor
		if g, steep := t.downhill(o.Tri, p, geom.Vec3{}); steep > 0 && g.Dot(on) < 0 {
			w := t.w.Down.Add(t.w.Push)
			along := e
			if along.Dot(w) < 0 {
				along = along.Mul(-1)
			}
			if along.Dot(w) < 0.02 {
				return p, o.Tri, false
			}
			// keep to the edge, a hair inside the triangle beyond
			q := p.Add(along.Mul(min(length, e.Mul(1).Length()*t.edgeLength(tri, k)*0.5)))
			return t.inside(q, o.Tri), o.Tri, false
		}
		dir = dir.Unit()
		if dir == (geom.Vec3{}) {
			return p, o.Tri, false
		}
		from, tri = int32(o.K), o.Tri
		p = t.inside(p, tri)
	}
	return p, tri, false
}

func (t *tracer) edge(tri int32, k int) geom.Vec3 {
	c := t.m.Tri[tri]
	return t.m.Pos[c[(k+1)%3]].Sub(t.m.Pos[c[k]]).Unit()
}

func (t *tracer) edgeLength(tri int32, k int) float32 {
	c := t.m.Tri[tri]
	return t.m.Pos[c[(k+1)%3]].Sub(t.m.Pos[c[k]]).Length()
}

// exit returns the edge by which a ray in a triangle's plane leaves it, and how far it
// is; not the edge from, by which it came.
func (t *tracer) exit(p geom.Vec3, tri int32, dir geom.Vec3, from int32) (edge int, far float32) {
	n, c := t.faces[tri], t.m.Tri[tri]
	edge, far = -1, float32(math.Inf(1))
	for k := range 3 {
		if int32(k) == from {
			continue
		}
		a, b := t.m.Pos[c[k]], t.m.Pos[c[(k+1)%3]]
		out := b.Sub(a).Cross(n) // points outward
		speed := dir.Dot(out)
		if speed <= 1e-9 {
			continue
		}
		if d := max(a.Sub(p).Dot(out)/speed, 0); d < far {
			edge, far = k, d
		}
	}
	return edge, far
}

// inside returns the place of a triangle nearest to p.
func (t *tracer) inside(p geom.Vec3, tri int32) geom.Vec3 {
	c := t.m.Tri[tri]
	n := t.faces[tri]
	a := t.m.Pos[c[0]]
	p = p.Sub(n.Mul(p.Sub(a).Dot(n)))
	for k := range 3 {
		q, r := t.m.Pos[c[k]], t.m.Pos[c[(k+1)%3]]
		out := r.Sub(q).Cross(n)
		if l := out.Dot(out); l > 0 {
			if d := p.Sub(q).Dot(out); d > 0 {
				p = p.Sub(out.Mul(d / l))
			}
		}
	}
	return p
}

// smooth is the interpolated normal of a place on a triangle.
func (t *tracer) smooth(tri int32, p geom.Vec3) geom.Vec3 {
	c := t.m.Tri[tri]
	a, b, d := t.m.Pos[c[0]], t.m.Pos[c[1]], t.m.Pos[c[2]]
	n := b.Sub(a).Cross(d.Sub(a))
	l := n.Dot(n)
	if l == 0 {
		return t.faces[tri]
	}
	w1 := p.Sub(a).Cross(d.Sub(a)).Dot(n) / l
	w2 := b.Sub(a).Cross(p.Sub(a)).Dot(n) / l
	out := t.m.Nrm[c[0]].Mul(1 - w1 - w2).Add(t.m.Nrm[c[1]].Mul(w1)).Add(t.m.Nrm[c[2]].Mul(w2)).Unit()
	if out == (geom.Vec3{}) {
		return t.faces[tri]
	}
	return out
}

// fall returns where a drop from p meets another surface within the gap.
func (t *tracer) fall(p geom.Vec3, tri int32) (geom.Vec3, int32, bool) {
	if t.tree == nil || t.w.Gap <= 0 {
		return p, tri, false
	}
	h := t.tree.Ray(t.ray, p, t.w.Down, t.step*0.02, t.w.Gap)
	if h.Tri < 0 || h.Tri == tri || t.faces[h.Tri].Dot(t.w.Down) > 0.2 {
		return p, tri, false
	}
	return t.inside(p.Add(t.w.Down.Mul(h.T)), h.Tri), h.Tri, true
}
