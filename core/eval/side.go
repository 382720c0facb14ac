package eval

import (
	"context"

	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

type streamPart struct {
	sp   *streamPlan
	upTo int
}

// keyAnywhere is the key of the first steps of a stream anywhere on the model.
func (p *Program) keyAnywhere(sp *streamPlan, upTo int) Key {
	if k, ok := p.anywhere.Load(streamPart{sp, upTo}); ok {
		return k.(Key)
	}
	k := p.streamKey(p.Scene.Ground().On.Copy(), sp, upTo, 0)
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
	u *surface.Surface,
	sp *streamPlan,
	i int,
	out pix.Rows,
) (pix.Rows, error) {
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
		x, y := surface.Corners(m, t, f.Pos[k])
		face, at, _, _ := c.Place(m, t, x, y)
		pos, tri, to = append(pos, at), append(tri, face), append(to, int32(k))
	}
	if len(pos) == 0 {
		return out, nil
	}
	got, err := u.Elsewhere(pos, tri, func(tu *surface.Surface) (pix.Rows, error) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		return p.prefix(ctx, tu, sp, i)
	})
	if err != nil {
		return nil, err
	}
	out = out.Widened(len(got), len(f.Pos))
	for n, row := range out {
		for j, k := range to {
			row[k] += s.Amount * (got[min(n, len(got)-1)][j] - row[k])
		}
	}
	return out, nil
}
