// Package render draws pictures of a model with its stack on the server.
package render

import (
	"context"
	"fmt"
	"image"
	"image/color"
	"math"

	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/spatial"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// Camera looks from Eye at At; Angle is the vertical field of view in degrees.
type Camera struct {
	Eye, At geom.Vec3
	Angle   float64
}

// Around returns a camera that sees a box whole from a direction.
func Around(b geom.Box, from geom.Vec3, angle float64) Camera {
	r := b.Size().Length() / 2
	d := r / float32(math.Sin(angle*math.Pi/360)) * 0.92
	return Camera{b.Center().Add(from.Unit().Mul(d)), b.Center(), angle}
}

// Matrix returns projection times view, in the convention of OpenGL.
func (c Camera) Matrix(aspect float64) geom.Mat4 {
	z := c.Eye.Sub(c.At).Unit()
	x := geom.V3(0, 1, 0).Cross(z).Unit()
	if x == (geom.Vec3{}) {
		x = geom.V3(1, 0, 0)
	}
	y := z.Cross(x)
	dist := float64(c.Eye.Sub(c.At).Length())
	near, far := dist*0.02, dist*10
	f := 1 / math.Tan(c.Angle*math.Pi/360)
	view := geom.Mat4{
		float64(x.X), float64(y.X), float64(z.X), 0,
		float64(x.Y), float64(y.Y), float64(z.Y), 0,
		float64(x.Z), float64(y.Z), float64(z.Z), 0,
		-float64(x.Dot(c.Eye)), -float64(y.Dot(c.Eye)), -float64(z.Dot(c.Eye)), 1,
	}
	proj := geom.Mat4{
		f / aspect,
		0,
		0,
		0,
		0,
		f,
		0,
		0,
		0,
		0,
		(far + near) / (near - far),
		-1,
		0,
		0,
		2 * far * near / (near - far),
		0,
	}
	return proj.Mul(view)
}

// name tells pictures apart.
func (c Camera) name(w, h int) string { return fmt.Sprint("sketch ", c, w, h) }

// fine is how many places along each side a pixel is evaluated at.
const fine = 2

// Mask draws a layer's mask, or with a step's id the stream up to it, in grey on the
// model, lightly shaded so that its form is seen.
func Mask(ctx context.Context, p *eval.Program, layer, stepID string, c Camera, w, h int) (*image.RGBA, error) {
	f := raster.View(p.Scene.Model, c.Matrix(float64(w)/float64(h)), w*fine, h*fine)
	u := p.Scene.OnFrame(f, c.name(w, h))
	var planes []pix.Plane
	var err error
	if stepID != "" {
		planes, err = p.Step(ctx, u, layer, stepID)
	} else {
		var m pix.Plane
		m, err = p.Mask(ctx, u, layer)
		planes = []pix.Plane{m}
	}
	if err != nil || len(planes) == 0 {
		return nil, err
	}
	light := geom.V3(0.35, 0.8, 0.5).Unit()
	return down(f, w, h, func(i int) [3]float32 {
		shade := 0.82 + 0.18*f.Nrm[i].Dot(light)
		v := decode(planes[0].At(i)) * shade
		if len(planes) == 3 {
			return [3]float32{v, decode(planes[1].At(i)) * shade, decode(planes[2].At(i)) * shade}
		}
		return [3]float32{v, v, v}
	}), nil
}

func decode(v float32) float32 { return pix.DecodeSRGB(min(max(v, 0), 1)) }

// backdrop is what is seen beside the model, linear.
const backdrop = 0.105

// down averages the places of each pixel, in linear light.
func down(f *raster.Frame, w, h int, at func(i int) [3]float32) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	back := [3]float32{backdrop, backdrop, backdrop}
	for y := range h {
		for x := range w {
			var sum [3]float32
			for k := range fine * fine {
				i := (y*fine+k/fine)*f.W + x*fine + k%fine
				c := back
				if f.Tri[i] >= 0 {
					c = at(i)
				}
				for n := range sum {
					sum[n] += c[n] / (fine * fine)
				}
			}
			img.SetRGBA(x, y, color.RGBA{byte8(sum[0]), byte8(sum[1]), byte8(sum[2]), 255})
		}
	}
	return img
}

func byte8(v float32) uint8 { return uint8(pix.EncodeSRGB(min(max(v, 0), 1))*255 + 0.5) }

// studio is the light that models are drawn in: a key light with its shadow, a sky, a ground and
// two broad lamps in which metal finds something to mirror. Light goes from the lamps to the
// surface and to the eye, once.
type studio struct {
	eye, right, key geom.Vec3
	tree            *spatial.Tree
	span            float32
	ray             spatial.Bundle
}

// matter is what a place is made of; its colours are linear.
type matter struct {
	color, emits           [3]float32
	rough, metal, openness float32
	clear                  float32 // what of it is seen through, 0..1
}

func newStudio(ctx context.Context, m *mesh.Model, eye, at geom.Vec3) (*studio, error) {
	tree, err := spatial.Build(ctx, m.Pos, m.Tri, nil)
	if err != nil {
		return nil, err
	}
	right := eye.Sub(at).Cross(geom.V3(0, 1, 0)).Unit().Mul(-1)
	key := right.Mul(0.5).Add(geom.V3(0, 0.75, 0)).Add(eye.Sub(at).Unit().Mul(0.5)).Unit()
	return &studio{eye: eye, right: right, key: key, tree: tree, span: m.Bounds.Size().Length()}, nil
}

// lit is how much of the key light reaches a place that faces nrm.
func (s *studio) lit(p, nrm geom.Vec3) float32 {
	from := p.Add(nrm.Mul(s.span * 2e-4))
	if hit := s.tree.Ray(&s.ray, from, s.key, s.span*1e-4, s.span*2); hit.Tri >= 0 {
		return 0
	}
	return 1
}

// shine is the light that goes to the eye from a place which faces nrm, and with its relief n,
// 0..1 linear.
func (s *studio) shine(p, nrm, n geom.Vec3, lit float32, m *matter) [3]float32 {
	view := s.eye.Sub(p).Unit()
	ao, rough, metal := m.openness, max(m.rough, 0.05), m.metal
	nv := max(n.Dot(view), 1e-3)
	var f0 [3]float32
	for k := range 3 {
		f0[k] = 0.04 + metal*(m.color[k]-0.04)
	}
	// key light: GGX (Walter and others 2007) with Schlick's Fresnel term
	half := s.key.Add(view).Unit()
	nl, nh, vh := max(n.Dot(s.key), 0), max(n.Dot(half), 0), max(view.Dot(half), 0)
	a2 := rough * rough * rough * rough
	d := nh*nh*(a2-1) + 1
	shadowed := func(x float32) float32 { return max(x*(1-rough*rough/2)+rough*rough/2, 0.05) }
	spec := a2 / (math.Pi * d * d) * 0.25 / shadowed(max(nl, 0.05)) / shadowed(nv)
	fres := pow5(1 - vh)
	r := n.Mul(2 * n.Dot(view)).Sub(view)
	sky := ambient(n, s.right)
	mirror := surroundings(r, s.right, rough)
	rim := pow5(1-nv) * (1 - rough*0.7)
	horizon := min(max(1+1.4*r.Dot(nrm), 0), 1)
	so := min(max(ao+(nv+ao)*(nv+ao)-1, 0), 1) * 0.5
	so = (so + ao*0.5) * horizon
	var through [3]float32
	if m.clear > 0 {
		through = s.through(view, n)
	}
	var out [3]float32
	for k := range 3 {
		diff := m.color[k] * (1 - metal) * (1 - m.clear)
		fk := f0[k] + (1-f0[k])*fres
		e := f0[k] + (max(1-rough, f0[k])-f0[k])*rim
		out[k] = lit*nl*2.3*(diff*(1-fk)/math.Pi+fk*min(spec, 12)) + diff*sky[k]*ao + e*mirror[k]*so + m.emits[k] + m.clear*m.color[k]*through[k]
	}
	for k, v := range out { // a soft shoulder
		out[k] = 1 - float32(math.Exp(float64(-1.44*v)))
	}
	return out
}

// through is the light that comes through clear matter with normal n to an eye in direction view: the
// backdrop, and what a solid body bends into its place (Snell's law at 1.5). What of the model lies
// behind it is not looked for.
func (s *studio) through(view, n geom.Vec3) [3]float32 {
	const ratio = 1 / 1.5
	nv := max(n.Dot(view), 0)
	bent := view.Mul(-ratio).Add(n.Mul(ratio*nv - float32(math.Sqrt(float64(1-ratio*ratio*(1-nv*nv))))))
	out := surroundings(bent, s.right, 0.2)
	for k := range out {
		out[k] = 0.6*backdrop + 0.4*out[k]
	}
	return out
}

// made holds what a frame is made of.
type made struct {
	f       *raster.Frame
	base    []pix.Plane
	numbers [4][]pix.Plane // roughness, metallic, occlusion, opacity
	emits   []pix.Plane
	relief  []geom.Vec3
}

func makeOf(ctx context.Context, p *eval.Program, f *raster.Frame, name string) (*made, error) {
	u := p.Scene.OnFrame(f, name)
	o := &made{f: f}
	var height []pix.Plane
	for ch, to := range map[stack.Channel]*[]pix.Plane{
		stack.BaseColor: &o.base, stack.Roughness: &o.numbers[0], stack.Metallic: &o.numbers[1],
		stack.Occlusion: &o.numbers[2], stack.Opacity: &o.numbers[3], stack.Emissive: &o.emits, stack.Height: &height,
	} {
		var err error
		if *to, err = p.Channel(ctx, u, ch); err != nil {
			return nil, err
		}
	}
	o.relief = relief(f, height[0])
	return o, nil
}

func (o *made) at(i int) (m matter) {
	m.rough, m.metal, m.openness = o.numbers[0][0].At(i), o.numbers[1][0].At(i), o.numbers[2][0].At(i)
	for k := range 3 {
		m.color[k] = decode(o.base[k].At(i))
		if o.emits != nil {
			m.emits[k] = decode(o.emits[k].At(i))
		}
	}
	return m
}

// Sketch draws the model shaded. It is quick, not exact.
func Sketch(ctx context.Context, p *eval.Program, c Camera, w, h int) (*image.RGBA, error) {
	f := raster.View(p.Scene.Model, c.Matrix(float64(w)/float64(h)), w*fine, h*fine)
	o, err := makeOf(ctx, p, f, c.name(w, h))
	if err != nil {
		return nil, err
	}
	s, err := newStudio(ctx, p.Scene.Model, c.Eye, c.At)
	if err != nil {
		return nil, err
	}
	return down(f, w, h, func(i int) [3]float32 {
		m := o.at(i)
		m.clear = 1 - min(max(o.numbers[3][0].At(i), 0), 1)
		return s.shine(f.Pos[i], f.Nrm[i], o.relief[i], s.lit(f.Pos[i], f.Nrm[i]), &m)
	}), nil
}

func pow5(v float32) float32 { v = min(max(v, 0), 1); return v * v * v * v * v }

// ambient is the light that an even surface with normal n gathers.
func ambient(n, right geom.Vec3) [3]float32 {
	up := 0.5 + 0.5*n.Y
	side := max(-n.Dot(right), 0)
	return [3]float32{0.20 + 0.42*up + 0.08*side, 0.20 + 0.44*up + 0.09*side, 0.19 + 0.50*up + 0.12*side}
}

// surroundings is what a mirror of some roughness sees in direction r.
func surroundings(r, right geom.Vec3, rough float32) [3]float32 {
	blur := 0.06 + 0.9*rough
	ground := [3]float32{0.10, 0.095, 0.085}
	sky := [3]float32{0.62, 0.70, 0.82}
	low := [3]float32{0.95, 0.92, 0.86}
	t := geom.Smoothstep(-blur, blur, r.Y)
	hor := float32(math.Exp(float64(-(r.Y - 0.08) * (r.Y - 0.08) / (0.03 + 0.5*rough*rough))))
	lamp := func(d geom.Vec3, size, power float32) float32 {
		c := r.Dot(d.Unit())
		s := size + 0.8*rough
		return power * geom.Smoothstep(
			float32(math.Cos(float64(s*1.6))),
			float32(math.Cos(float64(s*0.5))),
			c,
		) * size / s
	}
	l := lamp(
		right.Mul(-0.9).Add(geom.V3(0, 0.35, 0)),
		0.38,
		2.6,
	) + lamp(
		right.Mul(0.8).Add(geom.V3(0, 0.9, 0)),
		0.30,
		3.2,
	)
	var out [3]float32
	for k := range 3 {
		out[k] = ground[k] + t*(sky[k]*(0.55+0.45*max(r.Y, 0))-ground[k]) + 0.45*hor*low[k] + l
	}
	return out
}

// relief returns the normals that the height makes, from neighbouring pixels on the
// same surface.
func relief(f *raster.Frame, h pix.Plane) []geom.Vec3 {
	out := append([]geom.Vec3(nil), f.Nrm...)
	if h.Uniform() {
		return out
	}
	far := f.Footprint * 12
	pair := func(i, step int, lo, hi bool) (geom.Vec3, float32, bool) {
		a, b := i, i
		if lo && f.Tri[i-step] >= 0 && f.Pos[i-step].Sub(f.Pos[i]).Length() < far && f.Nrm[i-step].Dot(f.Nrm[i]) > 0.6 {
			a = i - step
		}
		if hi && f.Tri[i+step] >= 0 && f.Pos[i+step].Sub(f.Pos[i]).Length() < far && f.Nrm[i+step].Dot(f.Nrm[i]) > 0.6 {
			b = i + step
		}
		return f.Pos[b].Sub(f.Pos[a]), h.Data[b] - h.Data[a], a != b
	}
	for i, t := range f.Tri {
		if t < 0 {
			continue
		}
		x, y := i%f.W, i/f.W
		px, hx, ok := pair(i, 1, x > 0, x < f.W-1)
		py, hy, ok2 := pair(i, f.W, y > 0, y < f.H-1)
		if !ok || !ok2 {
			continue
		}
		g := step.Gradient(f.Nrm[i], px, py, hx, hy)
		if l := g.Length(); l > 2.5 {
			g = g.Mul(2.5 / l)
		}
		if n := f.Nrm[i].Sub(g).Unit(); n != (geom.Vec3{}) {
			out[i] = n
		}
	}
	return out
}
