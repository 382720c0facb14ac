package eval

import (
	"fmt"
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
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
	s.Cache.keep(k, p)
	return p, nil
}

// reader returns the value of a cast picture at point i of a surface.
type reader func(u *Surface, i int) [4]float32

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
	sides := [3]*pix.Picture{pic, pic, pic}
	gray := pic.Gray
	for k, param := range []string{"pictureX", "pictureY"} {
		if n := in.Text(param); n != "" {
			if sides[k], err = p.Scene.stored(n); err != nil {
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
	src = wide(nil, n, len(f.Pos))
	once := in.Choice("tiles") == "once"
	if pic.Alpha || once {
		cover = make([]float32, len(f.Pos))
	}
	var read reader
	c := newCast(in)
	switch in.Choice("laid") {
	case "by UVs":
		read = p.byUVs(in, c, pic)
	case "from three sides":
		read = c.threeSides(in, sides, in.Number("soft"))
	case "as a box":
		read = c.threeSides(in, sides, 0)
	default:
		read = c.about(in, pic)
	}
	for i, t := range f.Tri {
		if t < 0 {
			continue
		}
		v := read(u, i)
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

// cast is how a picture's repeats are laid: turned, moved, repeated.
type cast struct {
	size, su, sv float32
	turn         float64
	tiles        string
	seed         uint32
}

func newCast(in step.Input) *cast {
	return &cast{
		in.Number("size"),
		in.Number("shiftU"),
		in.Number("shiftV"),
		float64(in.Number("turn")),
		in.Choice("tiles"),
		uint32(in.Number("seed")),
	}
}

// sample reads a picture at (a, b) in repeats from its middle, right and down, turned
// by some degrees more; size is the edge of a texel in repeats.
func (c *cast) sample(pic *pix.Picture, a, b, size float32, turn float64) [4]float32 {
	if t := c.turn + turn; t != 0 {
		sin, cos := math.Sincos(t * math.Pi / 180)
		a, b = float32(cos)*a+float32(sin)*b, float32(cos)*b-float32(sin)*a
	}
	w, h := pic.Size()
	u, v := a-c.su+0.5, (b-c.sv)*float32(w)/float32(h)+0.5
	switch c.tiles {
	case "mirrored":
		u, v = mirrored(u), mirrored(v)
	case "once":
		if u < 0 || u > 1 || v < 0 || v > 1 {
			return [4]float32{}
		}
		out := pic.Sample(
			min(max(u, 0.5/float32(w)), 1-0.5/float32(w)),
			min(max(v, 0.5/float32(h)), 1-0.5/float32(h)),
			size,
		)
		return out
	case "at random":
		return c.scattered(pic, u, v, size)
	}
	return pic.Sample(u, v, size)
}

func mirrored(v float32) float32 {
	f := float32(math.Floor(float64(v)))
	if int(f)&1 != 0 {
		return 1 - (v - f)
	}
	return v - f
}

// scattered hides the repeat: the plane is cut into triangles, every corner of which
// has a shift of its own, and the three shifted pictures are mixed with sharpened
// weights; the variance that mixing takes away is given back about the picture's mean
// (Heitz and Neyret, "High-Performance By-Example Noise", 2018).
func (c *cast) scattered(pic *pix.Picture, u, v, size float32) [4]float32 {
	const scale = 3.4641016 // cells a repeat
	x, y := scale*(u-0.57735027*v), scale*1.1547005*v
	i, j := noise.Floor(x), noise.Floor(y)
	fx, fy := x-float32(i), y-float32(j)
	type corner struct {
		i, j int32
		w    float32
	}
	list := [3]corner{{i, j, 1 - fx - fy}, {i + 1, j, fx}, {i, j + 1, fy}}
	if fx+fy > 1 {
		list = [3]corner{{i + 1, j + 1, fx + fy - 1}, {i + 1, j, 1 - fy}, {i, j + 1, 1 - fx}}
	}
	var sum, squares float32
	for k := range list {
		w := list[k].w
		list[k].w = w * w * w
		sum += list[k].w
	}
	mean := pic.Sample(0.5, 0.5, 1)
	var out [4]float32
	for _, k := range list {
		w := k.w / sum
		squares += w * w
		h := noise.Hash(k.i, k.j, 3, c.seed)
		s := pic.Sample(u+noise.Random(h, 1), v+noise.Random(h, 2), size)
		for n := range out {
			out[n] += w * s[n]
		}
	}
	back := 1 / float32(math.Sqrt(float64(squares)))
	for n := range 3 {
		out[n] = min(max(mean[n]+(out[n]-mean[n])*back, 0), 1)
	}
	return out
}

func (p *Program) byUVs(in step.Input, c *cast, pic *pix.Picture) reader {
	rep := in.Number("repeat")
	return func(u *Surface, i int) [4]float32 {
		f := u.Frame()
		x := p.Scene.index(int(p.Scene.Model.TriSheet[f.Tri[i]]))
		uv := x.UVAt(f.Tri[i], f.Pos[i])
		return c.sample(pic, (uv.X-0.5)*rep, (uv.Y-0.5)*rep, f.Footprint/x.Scale()*rep, 0)
	}
}

// threeSides casts a picture along each of the three axes and mixes by the normal,
// each with a weight that falls to zero within the join.
func (c *cast) threeSides(in step.Input, sides [3]*pix.Picture, soft float32) reader {
	turns := [3]float64{float64(in.Number("turnX")), float64(in.Number("turnY")), float64(in.Number("turnZ"))}
	middle := vec3(in.Row("at"))
	corner := float32(0.5) // repeats begin at the middle; a single one lies about it
	if c.tiles == "once" {
		corner = 0
	}
	return func(u *Surface, i int) [4]float32 {
		f := u.Frame()
		p, n := f.Pos[i].Sub(middle).Mul(1/c.size), f.Nrm[i]
		var out [4]float32
		for side, w := range step.SideWeights(n, soft) {
			if w <= 0 {
				continue
			}
			a, b := step.SideAt(side, p, n)
			v := c.sample(sides[side], a-corner, b-corner, f.Footprint/c.size, turns[side])
			for k := range out {
				out[k] += w * v[k]
			}
		}
		return out
	}
}

// about casts a picture flat along an axis, or winds it round the axis as a cylinder
// or a ball. Whole repeats go round, so that it meets itself.
func (c *cast) about(in step.Input, pic *pix.Picture) reader {
	how, middle, axis := in.Choice("laid"), vec3(in.Row("at")), vec3(in.Row("along")).Unit()
	right, ahead := axis.Tangents()
	size := in.Bounds.Size()
	radius := float64(size.Length()-float32(math.Abs(float64(size.Dot(axis))))) / 4
	round := float32(max(math.Round(2*math.Pi*radius/float64(c.size)), 1))
	return func(u *Surface, i int) [4]float32 {
		f := u.Frame()
		d := f.Pos[i].Sub(middle)
		texel := f.Footprint / c.size
		if how == "flat" {
			return c.sample(pic, d.Dot(right)/c.size, -d.Dot(ahead)/c.size, texel, 0)
		}
		turn := float32(math.Atan2(float64(d.Dot(ahead)), float64(d.Dot(right))) / (2 * math.Pi))
		up := -d.Dot(axis) / c.size
		if how == "as a ball" {
			l := max(d.Length(), 1e-9)
			up = float32(math.Acos(float64(min(max(d.Dot(axis)/l, -1), 1)))/math.Pi)*round/2 - round/4
		}
		return c.sample(pic, turn*round, up, texel, 0)
	}
}

func vec3(v []float32) geom.Vec3 { return geom.V3(v[0], v[1], v[2]) }

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
