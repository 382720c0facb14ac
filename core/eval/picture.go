package eval

import (
	"fmt"
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// stored returns a picture by name, from the cache when it is there.
func (s *Scene) stored(name string) (*pix.Picture, error) {
	k := newHash("picture").str(name).sum()
	if v, ok := s.Cache.get(k); ok {
		return v.(*pix.Picture), nil
	}
	if s.Picture == nil {
		return nil, fmt.Errorf("picture %q is missing", name)
	}
	p, err := s.Picture(name)
	if err != nil {
		return nil, fmt.Errorf("picture %q: %w", name, err)
	}
	s.Cache.put(k, p)
	return p, nil
}

// picture reads a picture step: one or three planes, and its coverage or nil.
func (p *Program) picture(u *Surface, s *stack.Step) (src [][]float32, cover []float32, err error) {
	f := u.Frame()
	in, _ := step.NewInput(s, f, p.Scene.Model.Bounds)
	name := in.Text("picture")
	if name == "" {
		return nil, nil, nil // none chosen yet
	}
	pic, err := p.Scene.stored(name)
	if err != nil {
		return nil, nil, err
	}
	n := 3
	if pic.Gray {
		n = 1
	}
	src = wide(nil, n, len(f.Pos))
	if pic.Alpha {
		cover = make([]float32, len(f.Pos))
	}
	read := p.byUVs(in, pic)
	if in.Choice("laid") != "by UVs" {
		read = threeSides(in, pic)
	}
	for i, t := range f.Tri {
		if t < 0 {
			continue
		}
		v := read(u, i)
		for c := range src {
			src[c][i] = v[c]
		}
		if cover != nil {
			cover[i] = v[3]
		}
	}
	return src, cover, nil
}

func (p *Program) byUVs(in step.Input, pic *pix.Picture) func(u *Surface, i int) [4]float32 {
	rep := in.Number("repeat")
	sin, cos := math.Sincos(float64(in.Number("turn")) * math.Pi / 180)
	w, h := pic.Size()
	aspect := float32(w) / float32(h)
	return func(u *Surface, i int) [4]float32 {
		f := u.Frame()
		x := p.Scene.index(int(p.Scene.Model.TriSheet[f.Tri[i]]))
		uv := x.UVAt(f.Tri[i], f.Pos[i])
		a, b := float64(uv.X)-0.5, float64(uv.Y)-0.5
		size := f.Footprint / x.Scale()
		return pic.Sample(float32(cos*a+sin*b)*rep+0.5, (float32(cos*b-sin*a)*rep)*aspect+0.5, size*rep)
	}
}

// threeSides casts the picture along the three axes and mixes by the normal, each
// with a weight that falls to zero within the join.
func threeSides(in step.Input, pic *pix.Picture) func(u *Surface, i int) [4]float32 {
	size, soft := in.Number("size"), in.Number("soft")
	sin, cos := math.Sincos(float64(in.Number("turn")) * math.Pi / 180)
	w, h := pic.Size()
	aspect := float32(w) / float32(h)
	return func(u *Surface, i int) [4]float32 {
		f := u.Frame()
		p, n := f.Pos[i].Mul(1/size), f.Nrm[i]
		weights := sideWeights(n, soft)
		var out [4]float32
		var cover float32
		for side, w := range weights {
			if w <= 0 {
				continue
			}
			a, b := float64(p.X), float64(-p.Y) // seen from the front: right is +X, down is −Y
			switch {
			case side == 0:
				a = float64(-p.Z)
				if n.X < 0 {
					a = -a
				}
			case side == 1:
				a, b = float64(p.X), float64(p.Z)
			case n.Z < 0:
				a = -a
			}
			v := pic.Sample(float32(cos*a+sin*b), float32(cos*b-sin*a)*aspect, f.Footprint/size)
			for c := range 3 {
				out[c] += w * v[c]
			}
			cover += w * v[3]
		}
		out[3] = cover
		return out
	}
}

// sideWeights returns how much each axis shows on a surface with normal n: all of
// the one it faces most, mixed where two are within soft of each other.
func sideWeights(n geom.Vec3, soft float32) [3]float32 {
	abs := func(v float32) float32 { return max(v, -v) }
	w := [3]float32{abs(n.X), abs(n.Y), abs(n.Z)}
	top := max(w[0], w[1], w[2])
	band := max(soft*0.7, 1e-4)
	var sum float32
	for c := range w {
		w[c] = max(w[c]-top+band, 0)
		sum += w[c]
	}
	for c := range w {
		w[c] /= sum
	}
	return w
}

// pictured reads a picture layer: what was baked for a channel, and its coverage.
func (p *Program) pictured(u *Surface, coat stack.Coat, info stack.ChannelInfo) (planes, pix.Plane, error) {
	f, m := u.Frame(), p.Scene.Model
	out := make(planes, info.Components)
	for c := range out {
		out[c].Data = make([]float32, len(f.Pos))
	}
	cover := make([]float32, len(f.Pos))
	pics := map[uint16]*pix.Picture{}
	for sheet, s := range m.Sheets {
		if name := coat.Pictures[s.Name]; name != "" {
			pic, err := p.Scene.stored(name)
			if err != nil {
				return nil, pix.Plane{}, err
			}
			pics[uint16(sheet)] = pic
		}
	}
	r := rangeOf(info, coat)
	for i, t := range f.Tri {
		if t < 0 {
			continue
		}
		pic := pics[m.TriSheet[t]]
		if pic == nil {
			continue
		}
		x := p.Scene.index(int(m.TriSheet[t]))
		uv := x.UVAt(t, f.Pos[i])
		v := pic.Sample(uv.X, uv.Y, f.Footprint/x.Scale())
		cover[i] = v[3]
		switch {
		case info.Components == 1:
			out[0].Data[i] = r[0] + v[0]*(r[1]-r[0])
		case info.Vector():
			n := geom.V3(2*v[0]-1, 2*v[1]-1, 2*v[2]-1).Unit()
			out[0].Data[i], out[1].Data[i], out[2].Data[i] = n.X, n.Y, n.Z
		default:
			for c := range 3 {
				out[c].Data[i] = v[c]
			}
		}
	}
	if info.Color() && p.Doc.Light == stack.Linear {
		out = mapped(out, pix.DecodeSRGB)
	}
	return out, pix.Plane{Data: cover}, nil
}
