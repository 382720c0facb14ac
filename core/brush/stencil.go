package brush

import (
	"fmt"
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/warp"
)

// Stencil is a picture held before a view while a stroke is painted: what is light lets paint
// through, or its colours are the paint. The stroke keeps it and its place, so it is drawn anew
// at any size.
type Stencil struct {
	Picture string     `json:"picture" doc:"a stored picture"`
	View    []float32  `json:"view" doc:"view times projection, 16 numbers column by column"`
	Aspect  float32    `json:"aspect" doc:"the view's width over its height"`
	At      [2]float32 `json:"at" doc:"its middle in the view, −1..1 upward, and as much to the right"`
	Wide    float32    `json:"wide" doc:"its width, in halves of the view's height"`
	Form    float32    `json:"form" doc:"the picture's width over its height"`
	Turn    float32    `json:"turn,omitempty" doc:"degrees, anticlockwise"`
	Tiled   bool       `json:"tiled,omitempty" doc:"it repeats; once otherwise, and nothing comes through beside it"`
	Invert  bool       `json:"invert,omitempty" doc:"what is dark lets paint pass"`
	Soft    float32    `json:"soft,omitempty" doc:"how far its edges are softened, in shares of its width, 0..0.2"`
	Fades   float32    `json:"fades,omitempty" doc:"degrees by which the surface turns away from the view where paint begins to fade"`
	Ends    float32    `json:"ends,omitempty" doc:"and where there is none of it; 0: it may turn as far as it likes"`
	Deep    float32    `json:"deep,omitempty" doc:"metres before the view, along it, where paint ends; it begins to fade a tenth before; 0: it goes as far as it likes"`
	Both    bool       `json:"both,omitempty" doc:"of a stroke with symmetry: places that the view sees from behind get what it sees at those that they mirror"`
	Colors  bool       `json:"colors,omitempty" doc:"its colours are the paint of colour channels; its opacity lets paint pass"`

	Warp *warp.Field `json:"warp,omitempty" doc:"where its pixels were pushed; of one that repeats it is not heeded"`
}

// Check returns why a stencil cannot be held; of none nothing.
func (c *Stencil) Check() error {
	if c == nil {
		return nil
	}
	switch {
	case c.Picture == "" || len(c.Picture) > 128:
		return fmt.Errorf("the stencil has no usable picture")
	case len(c.View) != 16:
		return fmt.Errorf("the stencil has a view of %d numbers; it takes 16", len(c.View))
	case !(c.Aspect > 0.01 && c.Aspect < 100) || !(c.Form > 0.01 && c.Form < 100):
		return fmt.Errorf("the stencil's aspect %v or form %v is none", c.Aspect, c.Form)
	case !(c.Wide > 1e-3 && c.Wide < 1000):
		return fmt.Errorf("the stencil is %v wide; it goes from 0.001 to 1000", c.Wide)
	case !(c.Soft >= 0 && c.Soft <= 0.2):
		return fmt.Errorf("the stencil's softness %v goes from 0 to 0.2", c.Soft)
	case !(c.Ends >= 0 && c.Ends <= 180) || !(c.Fades >= 0 && c.Fades <= c.Ends):
		return fmt.Errorf("the stencil's paint fades from %v to %v degrees; these go from 0 to 180, the first is the lower", c.Fades, c.Ends)
	}
	if !(c.Deep >= 0 && c.Deep < 1e6) {
		return fmt.Errorf("the stencil's paint ends %v m before the view", c.Deep)
	}
	for _, v := range append([]float32{c.At[0], c.At[1], c.Turn}, c.View...) {
		if !(v > -1e9 && v < 1e9) {
			return fmt.Errorf("the stencil's view or place has %v in it", v)
		}
	}
	return c.Warp.Check()
}

// Place returns where a place on the model is seen in the picture, 0..1 from its upper left
// corner, and how large a length there is in shares of its width; ok is false behind the view
// and, of one that does not repeat, beside the picture.
func (c *Stencil) Place(p geom.Vec3, length float32) (u, v, size float32, ok bool) {
	m := c.View
	w := m[3]*p.X + m[7]*p.Y + m[11]*p.Z + m[15]
	if w <= 1e-9 {
		return 0, 0, 0, false
	}
	x, y := (m[0]*p.X+m[4]*p.Y+m[8]*p.Z+m[12])/w*c.Aspect, (m[1]*p.X+m[5]*p.Y+m[9]*p.Z+m[13])/w
	x, y = x-c.At[0], y-c.At[1]
	if c.Turn != 0 {
		sin, cos := math.Sincos(float64(c.Turn) * math.Pi / 180)
		x, y = float32(cos)*x+float32(sin)*y, float32(cos)*y-float32(sin)*x
	}
	u, v = x/c.Wide+0.5, 0.5-y/c.Wide*c.Form
	up := float32(math.Sqrt(float64(m[1]*m[1] + m[5]*m[5] + m[9]*m[9])))
	size = length * up / w / c.Wide
	if c.Warp != nil && !c.Tiled {
		var larger float32
		u, v, larger = c.Warp.At(u, v)
		size *= larger
	}
	return u, v, size, c.Tiled || u >= 0 && u <= 1 && v >= 0 && v <= 1
}

// Cells adds the cells of its warp in which places in a box may be seen, and reports whether these
// are all: false when the box reaches behind the view.
func (c *Stencil) Cells(box geom.Box, cells *warp.Cells) bool {
	bare := *c
	bare.Warp, bare.Tiled = nil, true
	lo, hi := [2]float32{math.MaxFloat32, math.MaxFloat32}, [2]float32{-math.MaxFloat32, -math.MaxFloat32}
	for i := range 8 {
		p := box.Min
		if i&1 != 0 {
			p.X = box.Max.X
		}
		if i&2 != 0 {
			p.Y = box.Max.Y
		}
		if i&4 != 0 {
			p.Z = box.Max.Z
		}
		u, v, _, ok := bare.Place(p, 0)
		if !ok {
			return false
		}
		lo[0], lo[1], hi[0], hi[1] = min(lo[0], u), min(lo[1], v), max(hi[0], u), max(hi[1], v)
	}
	cells.Add(lo[0], lo[1], hi[0], hi[1])
	return true
}

// Towards returns the direction from a place to the eye of the view, or against the view where
// it has no perspective: along it a place is seen where it was, and comes nearer.
func (c *Stencil) Towards(p geom.Vec3) geom.Vec3 {
	m := c.View
	row := func(k int) (v geom.Vec3, at float32) {
		v = geom.V3(m[k], m[4+k], m[8+k])
		return v, v.Dot(p) + m[12+k]
	}
	right, x := row(0)
	up, y := row(1)
	deep, z := row(2)
	far, w := row(3)
	// x/w and y/w stay as they are
	d := right.Sub(far.Mul(x / w)).Cross(up.Sub(far.Mul(y / w)))
	if deep.Sub(far.Mul(z/w)).Dot(d)*w > 0 {
		d = d.Mul(-1)
	}
	return d.Unit()
}

// depth returns how far before the view a place lies, along it, metres: from the eye, or from
// its near plane when it has no perspective.
func (c *Stencil) depth(p geom.Vec3) float32 {
	m := c.View
	far := geom.V3(m[3], m[7], m[11])
	if l := far.Length(); l > 1e-9 {
		return (far.Dot(p) + m[15]) / l
	}
	deep := geom.V3(m[2], m[6], m[10])
	return (deep.Dot(p) + m[14] + 1) / max(deep.Length(), 1e-9)
}

// near is how much of the paint a place takes by how deep it lies.
func (c *Stencil) near(p geom.Vec3) float32 {
	if c.Deep == 0 {
		return 1
	}
	return 1 - geom.Smoothstep(0.9*c.Deep, c.Deep, c.depth(p))
}

// facing is how much of the paint a place takes that faces n.
func (c *Stencil) facing(p, n geom.Vec3) float32 {
	if c.Ends == 0 {
		return 1
	}
	turned := math.Acos(float64(min(max(n.Dot(c.Towards(p)), -1), 1))) * 180 / math.Pi
	if c.Fades == c.Ends {
		return map[bool]float32{true: 1}[turned < float64(c.Ends)]
	}
	return 1 - geom.Smoothstep(c.Fades, c.Ends, float32(turned))
}

// Cast returns of a stroke whose stencil is cast to both sides which place, with which normal, the
// view has to see for another one to be painted: itself where it faces the view, else the one of
// those that it mirrors that faces it most. Of other strokes it is nil.
func (s *Stroke) Cast() func(p, n geom.Vec3) (geom.Vec3, geom.Vec3) {
	if s.Stencil == nil || !s.Stencil.Both || s.Mirror == nil {
		return nil
	}
	twins := s.twins()[1:]
	faces := func(p, n geom.Vec3) float32 {
		if s.Eye != nil {
			return n.Dot(s.Eye.Sub(p).Unit())
		}
		return n.Dot(s.Stencil.Towards(p))
	}
	return func(p, n geom.Vec3) (geom.Vec3, geom.Vec3) {
		most := faces(p, n)
		if most > 0 {
			return p, n
		}
		at, nrm := p, n
		for _, w := range twins {
			back := w.inverse()
			q, m := back.pos(p), back.dir(n)
			if f := faces(q, m); f > most {
				at, nrm, most = q, m, f
			}
		}
		return at, nrm
	}
}

// StencilReader reads a stencil's picture at a place in it: colour and opacity; size is that of
// what is asked for, in shares of its width.
type StencilReader func(u, v, size float32) [4]float32

// hold lets a coverage through where the stencil does.
func (c *Stencil) hold(f *raster.Frame, out *Coverage, cast func(p, n geom.Vec3) (geom.Vec3, geom.Vec3)) {
	if c == nil || out.Stencil == nil {
		return
	}
	from, to := out.Span()
	for i := from; i < to; i++ {
		a := out.Cover[i]
		if a <= 0 {
			continue
		}
		p, n := f.Pos[i], f.Nrm[i]
		if cast != nil {
			p, n = cast(p, n)
		}
		u, v, size, ok := c.Place(p, f.Footprint)
		if !ok {
			out.Cover[i] = 0
			continue
		}
		x := out.Stencil(u, v, max(size, c.Soft))
		if out.Colors != nil {
			out.Colors[0][i], out.Colors[1][i], out.Colors[2][i] = x[0], x[1], x[2]
		}
		through := x[3]
		if !c.Colors {
			light := pix.Luma(x[0], x[1], x[2])
			if c.Invert {
				light = 1 - light
			}
			through *= light
		}
		out.Cover[i] = a * through * c.facing(p, n) * c.near(p)
	}
}
