package cast

import (
	"context"
	"math"
	"slices"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
)

// Flow lays a plane over a model so that it runs along a direction of the surface everywhere: the
// surface is covered with overlapping patches, each unrolled about its middle, turned to the flow there,
// and moved so that it goes on from the patch before it. On what can be laid flat they all agree;
// where it bends both ways, or the flow turns, they meet in a narrow blend (after Praun, Finkelstein
// and Hoppe, "Lapped Textures", SIGGRAPH 2000, with the patches' phases joined).
type Flow struct {
	m       *mesh.Model
	radius  float32 // of a patch, metres
	patches []flowPatch
	cells   map[[3]int32][]int32 // patches that reach into a cell, radius metres wide
}

// flowPatch is the surface around a place, with what its middle is in the plane.
type flowPatch struct {
	at     geom.Vec3
	out    geom.Vec3
	lay    Unrolled
	tris   []int32 // of lay, ascending
	origin geom.Vec2
}

// mostPatches bounds them: more lie farther apart.
const mostPatches = 20_000

// weak is the share of a direction along the surface below which there is no telling where it leads:
// the patch goes on as the one before it.
const weak = 0.25

// NewFlow lays the plane along a direction: what is up in it leads that way. size is about how
// large what is laid is, metres: patches are half as large, so that it is seen whole in most of them.
// Its error is the context's.
func NewFlow(ctx context.Context, m *mesh.Model, along geom.Vec3, size float32) (*Flow, error) {
	area := float32(0)
	order := make([]int32, len(m.Tri))
	areas := make([]float32, len(m.Tri))
	for i := range m.Tri {
		order[i], areas[i] = int32(i), m.FaceNormal(i).Length()/2
		area += areas[i]
	}
	// a hexagonal lattice of this distance has so many points
	apart := min(max(size/2, float32(math.Sqrt(float64(area)/mostPatches/0.866))), m.Bounds.Size().Length()/3)
	f := &Flow{m: m, radius: apart, cells: map[[3]int32][]int32{}}
	if !(apart > 0) {
		return f, nil
	}
	// large faces first: the plane lies well on them
	slices.SortStableFunc(order, func(a, b int32) int {
		switch {
		case areas[a] > areas[b]:
			return -1
		case areas[a] < areas[b]:
			return 1
		}
		return 0
	})
	along = along.Unit()
	for _, tri := range order {
		t := m.Tri[tri]
		middle := m.Pos[t[0]].Add(m.Pos[t[1]]).Add(m.Pos[t[2]]).Mul(1.0 / 3)
		if !(areas[tri] > 0) || f.covered(tri, middle) {
			continue
		}
		up, _ := m.FaceNormal(int(tri)).Unit().Tangents()
		first := f.seed(tri, middle, along, up, nil)
		// what begins anew is in step with the model's middle
		p := &f.patches[first]
		fr := f.frame(tri, middle, along, up)
		p.origin = geom.Vec2{X: middle.Dot(fr.Right), Y: middle.Dot(fr.Up)}
		for next := first; next < len(f.patches); next++ {
			if next%64 == 0 && ctx.Err() != nil {
				return nil, ctx.Err()
			}
			f.grow(next, along)
		}
	}
	return f, ctx.Err()
}

// frame is how a patch lies at a place: along the flow, or as up says where that is weak.
func (f *Flow) frame(tri int32, at, along, up geom.Vec3) Frame {
	n := f.m.FaceNormal(int(tri)).Unit()
	if on := along.Sub(n.Mul(along.Dot(n))); on.Length() > weak {
		up = on
	}
	return NewFrame(at, n, up)
}

// seed adds a patch; origin nil: that of a new beginning.
func (f *Flow) seed(tri int32, at, along, up geom.Vec3, origin *geom.Vec2) int {
	fr := f.frame(tri, at, along, up)
	p := flowPatch{at: at, out: fr.Out, lay: Unroll(f.m, tri, fr, 1.3*f.radius)}
	if origin != nil {
		p.origin = *origin
	}
	for i := range p.lay {
		p.tris = append(p.tris, i)
	}
	slices.Sort(p.tris)
	k := int32(len(f.patches))
	f.patches = append(f.patches, p)
	lo, hi := f.cell(at.Sub(geom.V3(1, 1, 1).Mul(1.3*f.radius))), f.cell(at.Add(geom.V3(1, 1, 1).Mul(1.3*f.radius)))
	for x := lo[0]; x <= hi[0]; x++ {
		for y := lo[1]; y <= hi[1]; y++ {
			for z := lo[2]; z <= hi[2]; z++ {
				c := [3]int32{x, y, z}
				f.cells[c] = append(f.cells[c], k)
			}
		}
	}
	return int(k)
}

func (f *Flow) cell(p geom.Vec3) [3]int32 {
	fl := func(v float32) int32 { return int32(math.Floor(float64(v / f.radius))) }
	return [3]int32{fl(p.X), fl(p.Y), fl(p.Z)}
}

// grow adds patches around one, where its plane has their middles and none is near yet.
func (f *Flow) grow(k int, along geom.Vec3) {
	for side := range 6 {
		sin, cos := math.Sincos(float64(side) * math.Pi / 3)
		p := f.patches[k] // the list may have moved
		q := geom.Vec2{X: f.radius * float32(cos), Y: f.radius * float32(sin)}
		tri, at, up, ok := f.lift(&p, q)
		if !ok || f.taken(at, f.m.FaceNormal(int(tri)).Unit()) {
			continue
		}
		f.seed(tri, at, along, up, &geom.Vec2{X: p.origin.X + q.X, Y: p.origin.Y + q.Y})
	}
}

// lift finds where a place in a patch's plane lies on the surface, and where the plane's up leads there.
func (f *Flow) lift(p *flowPatch, q geom.Vec2) (tri int32, at, up geom.Vec3, ok bool) {
	for _, i := range p.tris {
		c := p.lay[i]
		e1, e2, to := sub2(c[1], c[0]), sub2(c[2], c[0]), sub2(q, c[0])
		det := e1.X*e2.Y - e1.Y*e2.X
		if det == 0 {
			continue
		}
		s, t := (to.X*e2.Y-to.Y*e2.X)/det, (e1.X*to.Y-e1.Y*to.X)/det
		if s < 0 || t < 0 || s+t > 1 {
			continue
		}
		v := f.m.Tri[i]
		a := f.m.Pos[v[0]]
		d1, d2 := f.m.Pos[v[1]].Sub(a), f.m.Pos[v[2]].Sub(a)
		// the shares by which the plane's (0, 1) is made of the two sides
		return i, a.Add(d1.Mul(s)).Add(d2.Mul(t)), d1.Mul(-e2.X / det).Add(d2.Mul(e1.X / det)), true
	}
	return 0, geom.Vec3{}, geom.Vec3{}, false
}

func sub2(a, b geom.Vec2) geom.Vec2 { return geom.Vec2{X: a.X - b.X, Y: a.Y - b.Y} }

// taken reports whether a patch lies near already, on what faces about the same way.
func (f *Flow) taken(at, out geom.Vec3) bool {
	for _, k := range f.cells[f.cell(at)] {
		p := &f.patches[k]
		if p.at.Sub(at).Length() < 0.62*f.radius && p.out.Dot(out) > 0.2 {
			return true
		}
	}
	return false
}

// covered reports whether a patch has a place of a triangle within its radius.
func (f *Flow) covered(tri int32, at geom.Vec3) bool {
	for _, k := range f.cells[f.cell(at)] {
		if q, ok := f.patches[k].lay.At(f.m, tri, at); ok && q.X*q.X+q.Y*q.Y < f.radius*f.radius {
			return true
		}
	}
	return false
}

// Part is a place in the plane, metres to the right and along the flow, and its share.
type Part struct {
	X, Y, Share float32
}

// At adds to list where a place of a triangle lies in the plane, with shares that sum to 1: one place in
// most of a patch, several where patches meet, none where there is no surface of any area.
func (f *Flow) At(tri int32, p geom.Vec3, list []Part) []Part {
	sum := float32(0)
	begin := len(list)
	best, nearest := Part{}, float32(math.MaxFloat32)
	for _, k := range f.cells[f.cell(p)] {
		patch := &f.patches[k]
		q, ok := patch.lay.At(f.m, tri, p)
		if !ok {
			continue
		}
		far := (q.X*q.X + q.Y*q.Y) / (f.radius * f.radius)
		at := Part{q.X + patch.origin.X, q.Y + patch.origin.Y, 1}
		if far < nearest {
			best, nearest = at, far
		}
		if far >= 1 {
			continue
		}
		// the nearest one prevails but for a narrow border
		w := 1 - far
		w *= w
		w *= w
		w *= w
		at.Share = w * w
		sum += at.Share
		list = append(list, at)
	}
	if sum == 0 {
		if nearest < math.MaxFloat32 { // at a border, beyond the last patch's middle
			return append(list, best)
		}
		return list
	}
	kept := list[begin:begin]
	for _, at := range list[begin:] {
		if at.Share > 0.01*sum {
			kept = append(kept, at)
		}
	}
	sum = 0
	for _, at := range kept {
		sum += at.Share
	}
	for i := range kept {
		kept[i].Share /= sum
	}
	return list[:begin+len(kept)]
}

// Bytes implements cache.Sized.
func (f *Flow) Bytes() int {
	n := 64 + 48*len(f.cells)
	for i := range f.patches {
		n += 96 + 44*len(f.patches[i].tris)
	}
	return n
}

// Along casts a picture on the plane that a flow lays over the model; what it is mixed of where
// patches meet keeps its contrast.
func (c *Repeats) Along(flow *Flow, pic *pix.Picture) Reader {
	mean := pic.Sample(0.5, 0.5, 1)
	return func(f *raster.Frame, i int) (out [4]float32) {
		var room [16]Part
		squares := float32(0)
		list := flow.At(f.Tri[i], f.Pos[i], room[:0])
		for _, at := range list {
			v := c.Sample(pic, at.X/c.size, -at.Y/c.size, f.Footprint/c.size, 0)
			squares += at.Share * at.Share
			for k := range out {
				out[k] += at.Share * v[k]
			}
		}
		if len(list) < 2 || c.tiles == "once" {
			return out
		}
		back := 1 / float32(math.Sqrt(float64(squares)))
		for k := range 3 {
			out[k] = min(max(mean[k]+(out[k]-mean[k])*back, 0), 1)
		}
		return out
	}
}
