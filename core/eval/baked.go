package eval

import (
	"context"
	"fmt"
	"math"
	"slices"

	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// readBaked calls put with the value of a baked map at every point of a surface,
// 0..1 as its picture has it. Points on sheets without the map are left out. It
// reports whether the map was there for any.
func (p *Program) readBaked(
	u *surface.Surface,
	name string,
	put func(i int, v [4]float32, b stack.Baked),
) (bool, error) {
	f, m := u.Frame(), p.Scene.Model
	all := p.Doc.Preparation().Baked
	type source struct {
		pixels pix.Sampler
		b      stack.Baked
	}
	bySheet := make([]*source, len(m.Sheets))
	some := false
	for i, s := range m.Sheets {
		b, ok := all[s.Name][name]
		if !ok || u.Tile != nil && u.Tile.Sheet != i && f.Owner == nil {
			continue
		}
		pic, err := p.Scene.Stored(b.Picture)
		if err != nil {
			return false, fmt.Errorf("the baked map %q of %q: %w", name, s.Name, err)
		}
		bySheet[i], some = &source{pic.At(f.Footprint / p.Scene.Index(i).Scale()), b}, true
	}
	if !some {
		return false, nil
	}
	for i, t := range f.Tri {
		if t < 0 {
			continue
		}
		if src := bySheet[m.TriSheet[t]]; src != nil {
			_, uv := u.UV(i)
			put(i, src.pixels.Sample(uv.X, uv.Y), src.b)
		}
	}
	return true, nil
}

// bakedStep evaluates a step that reads a baked map: one plane, 0..1. Where the map
// is missing it is what an open, even place has.
func (p *Program) bakedStep(u *surface.Surface, s *stack.Step) (pix.Rows, error) {
	in, _ := step.NewInput(s, u.Frame(), p.Scene.Model.Bounds)
	what := in.Choice("map")
	name, f := bakedName(what), func(v float32) float32 { return v }
	neutral := float32(0)
	switch what {
	case "edges":
		f = func(v float32) float32 { return max(2*v-1, 0) }
	case "creases":
		f = func(v float32) float32 { return max(1-2*v, 0) }
	case "curvature":
		neutral = 0.5
	case "occlusion":
		f = func(v float32) float32 { return 1 - v }
	case "sky exposure":
		neutral = 1
	}
	key := cache.NewHash("baked step").Key(u.Key).Key(p.baked).Str(fmt.Sprint(s.Params)).Sum()
	if v, ok := p.Scene.Cache.Get(key); ok {
		return pix.Rows{v.(pix.Rows)[0]}, nil
	}
	out := make([]float32, len(u.Frame().Pos))
	tone := bakedTone(in, what, neutral)
	pix.Plane{Value: tone(neutral)}.Fill(out)
	_, err := p.readBaked(u, name, func(i int, v [4]float32, _ stack.Baked) { out[i] = tone(f(v[0])) })
	if err == nil && u.Tile != nil && u.Tile.Size <= draft {
		p.Scene.Cache.Put(key, pix.Rows{out})
	}
	return pix.Rows{out}, err
}

// bakedTone returns the function that balance, contrast and spread make of a value that
// is neutral on an even, open place.
func bakedTone(in step.Input, what string, neutral float32) func(float32) float32 {
	balance, scale, spread := in.Number("balance"), in.Number("scale"), in.Number("spread")
	if balance == 0 && scale == 1 && spread == 0 {
		return func(v float32) float32 { return v }
	}
	power := math.Pow(2, -2*float64(spread)) // below 1 widens
	return func(v float32) float32 {
		d := v - neutral
		if what == "curvature" { // towards edges, or towards creases
			if d > 0 {
				d *= 1 + min(balance, 0)
			} else {
				d *= 1 - max(balance, 0)
			}
		}
		if power != 1 && d != 0 {
			reach := 1 - neutral
			if d < 0 {
				reach = neutral
			}
			if reach > 0 {
				m := float32(math.Pow(math.Abs(float64(d/reach)), power)) * reach
				d = float32(math.Copysign(float64(m), float64(d)))
			}
		}
		return min(max(neutral+d*scale, 0), 1)
	}
}

// pick is white on the triangles that a step names.
func (p *Program) pick(u *surface.Surface, s *stack.Step) pix.Rows {
	in, _ := step.NewInput(s, nil, noBox)
	m := p.Scene.Model
	var r stack.Reach
	switch s.Kind {
	case step.PickParts:
		r.Parts = in.Names("parts")
	case step.PickIslands:
		for _, v := range in.Row("islands") {
			r.Islands = append(r.Islands, int32(v))
		}
	case step.PickFaces:
		for _, v := range in.Row("faces") {
			r.Faces = append(r.Faces, int32(v))
		}
	}
	out := make([]float32, len(u.Frame().Pos))
	if r.All() { // nothing is picked yet
		return pix.Rows{out}
	}
	for i, on := range u.Covered(surface.TrianglesOf(m, r)) {
		if on {
			out[i] = 1
		}
	}
	return pix.Rows{out}
}

// idStep is white where the ID map has the step's colour.
func (p *Program) idStep(u *surface.Surface, s *stack.Step) (pix.Rows, error) {
	in, _ := step.NewInput(s, u.Frame(), p.Scene.Model.Bounds)
	c := [3]float32(in.Row("color"))
	out, err := p.idCover(u, []stack.IDColor{{Color: c, Tolerance: in.Number("tolerance")}})
	if out == nil {
		out = make([]float32, len(u.Frame().Pos))
	}
	return pix.Rows{out}, err
}

// idCover returns 1 where the ID map has one of the colours, nil when none is asked
// for. The map is read without mixing texels: a mix of two IDs is neither.
func (p *Program) idCover(u *surface.Surface, ids []stack.IDColor) ([]float32, error) {
	if len(ids) == 0 {
		return nil, nil
	}
	f, m := u.Frame(), p.Scene.Model
	out := make([]float32, len(f.Pos))
	for sheet, s := range m.Sheets {
		b, ok := p.Doc.Preparation().Baked[s.Name]["id"]
		if !ok {
			continue
		}
		pic, err := p.Scene.Stored(b.Picture)
		if err != nil {
			return nil, fmt.Errorf("the ID map of %q: %w", s.Name, err)
		}
		x := p.Scene.Index(sheet)
		for i, t := range f.Tri {
			if t < 0 || int(m.TriSheet[t]) != sheet {
				continue
			}
			uv := x.UVAt(t, f.Pos[i])
			v := pic.Nearest(uv.X, uv.Y)
			for _, id := range ids {
				if id.Has(v[0], v[1], v[2]) {
					out[i] = 1
					break
				}
			}
		}
	}
	return out, nil
}

// under names the baked maps that lie under the stack, by channel.
var under = map[stack.Channel]string{stack.Normal: "normal", stack.Occlusion: "ao"}

// Underlaid reports whether a baked map lies under a channel on a sheet: then the channel
// is more than its default although no layer sets it.
func (p *Program) Underlaid(sheet int, c stack.Channel) bool {
	_, ok := p.Doc.Preparation().Baked[p.Scene.Model.Sheets[sheet].Name][under[c]]
	return ok && under[c] != ""
}

// underlay puts baked maps under the stack: the dense model's normal under the
// normal channel, occlusion under its own.
func (p *Program) underlay(u *surface.Surface, info stack.ChannelInfo, c pix.Planes) error {
	name := under[info.Channel]
	if name == "" || len(p.Doc.Preparation().Baked) == 0 {
		return nil
	}
	key := cache.Join(cache.Join(u.Key, p.baked, 78), cache.NewHash("channel").Str(string(info.Channel)).Sum(), 79)
	if v, ok := p.Scene.Cache.Get(key); ok {
		copy(c, v.(pix.Planes))
		return nil
	}
	n := len(u.Frame().Pos)
	rows := make(pix.Rows, len(c))
	for k := range rows {
		rows[k] = make([]float32, n)
		c[k].Fill(rows[k])
	}
	some, err := p.readBaked(u, name, func(i int, v [4]float32, _ stack.Baked) {
		if len(rows) == 1 {
			rows[0][i] = v[0]
			return
		}
		x, y, z := 2*v[0]-1, 2*v[1]-1, 2*v[2]-1
		l := float32(math.Sqrt(float64(x*x + y*y + z*z)))
		if l < 1e-6 {
			return
		}
		rows[0][i], rows[1][i], rows[2][i] = x/l, y/l, z/l
	})
	if err != nil || !some {
		return err
	}
	for k := range c {
		c[k] = pix.Shrunk(rows[k])
	}
	if u.Tile != nil && u.Tile.Size <= draft {
		p.Scene.Cache.Put(key, slices.Clone(c))
	}
	return nil
}

// Own evaluates what a layer itself brings to a channel, without its mask and reach
// and whatever lies below: three planes of sRGB-encoded colours, or one.
func (p *Program) Own(ctx context.Context, u *surface.Surface, layerID string, c stack.Channel) ([]pix.Plane, error) {
	pl := p.all[layerID]
	info, ok := p.Doc.Info(c)
	if pl == nil || !ok {
		return nil, fmt.Errorf("there is no layer %q, or no channel %q", layerID, c)
	}
	if pl.coats[c] == nil {
		return nil, fmt.Errorf("the layer %q does nothing to %s; switch that channel on", pl.layer.Name, info.Label)
	}
	v, err := p.own(ctx, u, pl, info)
	return p.encoded(v, info), err
}

// FacesOfID tells of every face of the model whether the ID map has a colour, by less
// than tolerance in each component, in the face's middle.
func (p *Program) FacesOfID(color []float32, tolerance float32) ([]bool, error) {
	m := p.Scene.Model
	n := len(m.Tri)
	f := &raster.Frame{W: n, H: 1, Pos: make([]geom.Vec3, n), Nrm: make([]geom.Vec3, n), Tri: make([]int32, n)}
	for i, t := range m.Tri {
		f.Pos[i] = m.Pos[t[0]].Add(m.Pos[t[1]]).Add(m.Pos[t[2]]).Mul(1.0 / 3)
		f.Tri[i] = int32(i)
	}
	cover, err := p.idCover(
		p.Scene.At(f),
		[]stack.IDColor{{Color: [3]float32(color), Tolerance: tolerance}},
	)
	out := make([]bool, n)
	for i, v := range cover {
		out[i] = v > 0.5
	}
	return out, err
}

// IDAt returns the colour of the ID map at a surface of one point, nil where there
// is none.
func (p *Program) IDAt(u *surface.Surface) ([]float32, error) {
	f, m := u.Frame(), p.Scene.Model
	t := f.Tri[0]
	if t < 0 {
		return nil, nil
	}
	sheet := m.TriSheet[t]
	b, ok := p.Doc.Preparation().Baked[m.Sheets[sheet].Name]["id"]
	if !ok {
		return nil, nil
	}
	pic, err := p.Scene.Stored(b.Picture)
	if err != nil {
		return nil, err
	}
	uv := p.Scene.Index(int(sheet)).UVAt(t, f.Pos[0])
	v := pic.Nearest(uv.X, uv.Y)
	return v[:3], nil
}
