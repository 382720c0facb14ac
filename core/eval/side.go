package eval

import (
	"context"
	"fmt"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/raster"
	"velvetgrime/core/step"
)

// matched is a correspondence that two places make, or why they make none.
type matched struct {
	c   *mesh.Counterparts
	err error
}

const maxMatches = 16

// Counterparts returns the correspondence of faces that two places on the surface make.
// Normals of length 0 leave open on which side of a plate they lie.
func (s *Scene) Counterparts(a, an, b, bn geom.Vec3) (*mesh.Counterparts, error) {
	key := fmt.Sprint(a, an, b, bn)
	s.mu.Lock()
	got, ok := s.matches[key]
	s.mu.Unlock()
	if ok {
		return got.c, got.err
	}
	m, tree := s.Model, s.ground().Tree
	far := m.Bounds.Size().Length() / 20
	face := func(p, n geom.Vec3) int {
		return int(
			tree.Closest(
				p,
				far,
				func(t int32) bool { return n == (geom.Vec3{}) || m.FaceNormal(int(t)).Dot(n) > 0 },
			).Tri,
		)
	}
	x, y := face(a, an), face(b, bn)
	if x < 0 || y < 0 {
		got.err = fmt.Errorf("the two places do not lie on the surface; pick a face and its counterpart")
	} else {
		got.c, got.err = m.Match(x, y)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.matches == nil || len(s.matches) >= maxMatches {
		s.matches = map[string]matched{}
	}
	s.matches[key] = got
	return got.c, got.err
}

// OfTake is Counterparts for what a stroke takes from.
func (s *Scene) OfTake(t *brush.Take) (*mesh.Counterparts, error) {
	return s.Counterparts(t.At, t.Nrm, t.To, t.ToNrm)
}

// corners returns the shares of a place in its triangle: of the second corner and of the
// third.
func corners(m *mesh.Model, t int32, p geom.Vec3) (u, v float32) {
	k := m.Tri[t]
	at := geom.Barycentric(p, m.Pos[k[0]], m.Pos[k[1]], m.Pos[k[2]])
	u, v = max(at[1], 0), max(at[2], 0) // a texel may lie a little outside
	if s := u + v; s > 1 {
		u, v = u/s, v/s
	}
	return u, v
}

// elsewhere reads planes at places, between the texels of sheets as fine as a surface.
func (p *Program) elsewhere(
	u *Surface,
	pos []geom.Vec3,
	tri []int32,
	of func(tu *Surface) ([][]float32, error),
) ([][]float32, error) {
	f := u.Frame()
	there := &Surface{
		scene: p.Scene,
		frame: &raster.Frame{W: len(pos), H: 1, Pos: pos, Tri: tri, Footprint: f.Footprint},
	}
	return p.betweenTexels(there, func(sheet int) int {
		if u.tile != nil && u.tile.Sheet == sheet {
			return u.tile.Size
		}
		size := 128
		for size < 8192 && p.Scene.index(sheet).Scale()/float32(size) > 1.2*f.Footprint {
			size *= 2
		}
		return size
	}, of)
}

type streamPart struct {
	sp   *streamPlan
	upTo int
}

// keyAnywhere is the key of the first steps of a stream anywhere on the model.
func (p *Program) keyAnywhere(sp *streamPlan, upTo int) Key {
	if k, ok := p.anywhere.Load(streamPart{sp, upTo}); ok {
		return k.(Key)
	}
	k := p.streamKey(p.Scene.ground().on.copy(), sp, upTo, 0)
	p.anywhere.Store(streamPart{sp, upTo}, k)
	return k
}

// pairOf returns the face and their counterpart of an other-side step; ok is false while
// none are picked.
func pairOf(in step.Input) (a, b geom.Vec3, ok bool) {
	pair := in.Rows("pair")
	if len(pair) < 2 {
		return a, b, false
	}
	at := func(v []float32) geom.Vec3 { return geom.V3(v[0], v[1], v[2]) }
	return at(pair[0]), at(pair[1]), true
}

// otherSide carries out the step of that name: out, which came before it, is brought to
// the counterparts.
func (p *Program) otherSide(
	ctx context.Context,
	u *Surface,
	sp *streamPlan,
	i int,
	out [][]float32,
) ([][]float32, error) {
	s := sp.steps[i].step
	in, _ := step.NewInput(s, u.Frame(), p.Scene.Model.Bounds)
	a, b, ok := pairOf(in)
	if !ok {
		return out, nil
	}
	c, err := p.Scene.Counterparts(a, geom.Vec3{}, b, geom.Vec3{})
	if err != nil {
		return nil, err
	}
	m, f, way := p.Scene.Model, u.Frame(), in.Choice("way")
	var pos []geom.Vec3
	var tri, to []int32
	for k, t := range f.Tri {
		if t < 0 || c.To[t] < 0 {
			continue
		}
		if near := c.Near(t); near && way != step.SideExchange {
			if way == step.SideFlip {
				for _, row := range out {
					row[k] -= s.Amount * row[k]
				}
			}
			continue
		}
		x, y := corners(m, t, f.Pos[k])
		face, at, _, _ := c.Place(m, t, x, y)
		pos, tri, to = append(pos, at), append(tri, face), append(to, int32(k))
	}
	if len(pos) == 0 {
		return out, nil
	}
	got, err := p.elsewhere(u, pos, tri, func(tu *Surface) ([][]float32, error) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		return p.before(ctx, tu, sp, i)
	})
	if err != nil {
		return nil, err
	}
	out = wide(out, len(got), len(f.Pos))
	for n, row := range out {
		for j, k := range to {
			row[k] += s.Amount * (got[min(n, len(got)-1)][j] - row[k])
		}
	}
	return out, nil
}
