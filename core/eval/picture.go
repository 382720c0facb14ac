package eval

import (
	"context"
	"fmt"

	"velvetgrime/core/cache"
	"velvetgrime/core/cast"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// picture reads a picture step: one or three planes, and its coverage or nil.
func (p *Program) picture(ctx context.Context, u *surface.Surface, s *stack.Step) (src pix.Rows, cover []float32, err error) {
	f := u.Frame()
	in, _ := step.NewInput(s, f, p.Scene.Model.Bounds)
	name := in.Text("picture")
	if name == "" {
		return nil, nil, nil // none chosen yet
	}
	fine := in.Number("size") / f.Footprint // how many texels of the surface a repeat has
	if in.Choice("laid") == "by UVs" {
		fine = pix.Finest / max(in.Number("repeat"), 1)
	}
	pic, err := p.Scene.StoredFor(name, fine)
	if err != nil {
		return nil, nil, err
	}
	sides := [3]*pix.Picture{pic, pic, pic}
	gray := pic.Gray
	for k, param := range []string{"pictureX", "pictureY"} {
		if n := in.Text(param); n != "" {
			if sides[k], err = p.Scene.StoredFor(n, fine); err != nil {
				return nil, nil, err
			}
			gray = gray && sides[k].Gray
		}
	}
	n := 3
	grade := step.GradeOf(in)
	if gray {
		n = 1
		grade.Hue, grade.Saturation = 0, 1
	}
	src = pix.NewRows(n, len(f.Pos))
	once := in.Choice("tiles") == "once"
	if pic.Alpha || once {
		cover = make([]float32, len(f.Pos))
	}
	var read cast.Reader
	c := cast.New(in)
	switch in.Choice("laid") {
	case "by UVs":
		read = p.byUVs(in, c, pic)
	case "from three sides":
		read = c.ThreeSides(in, sides, in.Number("soft"))
	case "as a box":
		read = c.ThreeSides(in, sides, 0)
	case step.AlongSurface:
		flow, err := p.flow(ctx, in)
		if err != nil {
			return nil, nil, err
		}
		read = c.Along(flow, pic)
	default:
		read = c.About(in, pic)
	}
	for i, t := range f.Tri {
		if t < 0 {
			continue
		}
		v := read(f, i)
		if !grade.Neutral() {
			g := grade.Apply([3]float32(v[:3]))
			copy(v[:3], g[:])
		}
		for c := range src {
			src[c][i] = v[c]
		}
		if cover != nil {
			cover[i] = v[3]
		}
	}
	return src, cover, nil
}

// flow is the plane over the model that a picture is laid on along the surface. Several steps of
// one size and direction share it.
func (p *Program) flow(ctx context.Context, in step.Input) (*cast.Flow, error) {
	a, size := in.Row("along"), in.Number("size")
	key := cache.Join(p.Scene.Base, cache.NewHash("flow").Str(fmt.Sprint(a, size)).Sum(), 66)
	return once(ctx, p.Scene, key, func() (*cast.Flow, error) {
		f, err := cast.NewFlow(ctx, p.Scene.Model, geom.V3(a[0], a[1], a[2]), size)
		if err == nil {
			p.Scene.Cache.Keep(key, f)
		}
		return f, err
	})
}

func (p *Program) byUVs(in step.Input, c *cast.Repeats, pic *pix.Picture) cast.Reader {
	rep := in.Number("repeat")
	return func(f *raster.Frame, i int) [4]float32 {
		x := p.Scene.Index(int(p.Scene.Model.TriSheet[f.Tri[i]]))
		uv := x.UVAt(f.Tri[i], f.Pos[i])
		return c.Sample(pic, (uv.X-0.5)*rep, (uv.Y-0.5)*rep, f.Footprint/x.Scale()*rep, 0)
	}
}

// pictured reads a picture layer: what was baked for a channel, and its coverage.
func (p *Program) pictured(u *surface.Surface, coat stack.Coat, info stack.ChannelInfo) (pix.Planes, pix.Plane, error) {
	f, m := u.Frame(), p.Scene.Model
	out := make(pix.Planes, info.Components)
	for c := range out {
		out[c].Data = make([]float32, len(f.Pos))
	}
	cover := make([]float32, len(f.Pos))
	pics := map[uint16]*pix.Picture{}
	for sheet, s := range m.Sheets {
		if name := coat.Pictures[s.Name]; name != "" {
			pic, err := p.Scene.Stored(name)
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
		x := p.Scene.Index(int(m.TriSheet[t]))
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
		out = out.Map(pix.DecodeSRGB)
	}
	return out, pix.Plane{Data: cover}, nil
}
