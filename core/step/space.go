package step

import (
	"math"

	"velvetgrime/core/geom"
)

// Level of parameters.
const (
	often = 2 // the half dozen that matter
	fine  = 3 // everything
)

// spaceParams are the parameters of sources that are evaluated in space.
var spaceParams = []Param{
	{Name: "space", Label: "laid", Kind: "choice", Default: "in space", Choices: []string{"in space", "by UVs"}, Level: fine, Help: "in space nothing shows a seam; by UVs it follows the sheet"},
	{Name: "along", Label: "along", Kind: "direction", Default: []any{0.0, 1.0, 0.0}, Level: fine, Help: "the direction in which stretching draws the marks out"},
	{Name: "spin", Label: "turn", Kind: "number", Min: -180, Max: 180, Default: 0.0, Unit: "°", Level: fine, Help: "turned about that direction"},
	{Name: "shiftX", Label: "shift x", Kind: "number", Min: -100, Max: 100, Default: 0.0, Unit: "mm", Scale: 1000, Level: fine, Help: "moved along x"},
	{Name: "shiftY", Label: "shift y", Kind: "number", Min: -100, Max: 100, Default: 0.0, Unit: "mm", Scale: 1000, Level: fine, Help: "moved along y"},
	{Name: "shiftZ", Label: "shift z", Kind: "number", Min: -100, Max: 100, Default: 0.0, Unit: "mm", Scale: 1000, Level: fine, Help: "moved along z"},
}

var seedParam = Param{Name: "seed", Label: "seed", Kind: "seed", Min: 0, Max: 99999, Default: 1, Level: often, Help: "another number, another pattern"}

// space turns points of the surface into the space in which a source is evaluated.
type space struct {
	in      Input
	byUV    bool
	axis    geom.Vec3
	squeeze float32 // along the axis, added
	turn    bool
	sin     float32
	cos     float32
	shift   geom.Vec3
}

// space reads the parameters; stretch is how much the marks are drawn out along the
// axis.
func (in Input) space(stretch float32) space {
	s := space{in: in, byUV: in.Choice("space") == "by UVs", axis: vec(in.Row("along")), squeeze: 1/stretch - 1,
		shift: geom.V3(in.Number("shiftX"), in.Number("shiftY"), in.Number("shiftZ"))}
	if a := float64(in.Number("spin")); a != 0 {
		sin, cos := math.Sincos(a * math.Pi / 180)
		s.turn, s.sin, s.cos = true, float32(sin), float32(cos)
	}
	return s
}

// straight reports whether the space is that of the model, but for being moved.
func (s *space) straight() bool { return !s.byUV && !s.turn && s.squeeze == 0 }

// at returns the place of point i.
func (s *space) at(i int) geom.Vec3 {
	p := s.in.Frame.Pos[i]
	if s.byUV {
		p = geom.Vec3{}
		if s.in.UV != nil {
			uv := s.in.UV(i)
			p = geom.V3(uv.X, uv.Y, 0)
		}
	}
	return s.bend(p.Sub(s.shift))
}

// texel returns the two edges of the square of the surface that point i stands for, in
// the source's space times inv.
func (s *space) texel(i int, inv float32) (a, b geom.Vec3) {
	if s.byUV {
		a, b = geom.V3(1, 0, 0), geom.V3(0, 1, 0)
	} else {
		a, b = s.in.Frame.Nrm[i].Tangents()
	}
	w := s.in.Frame.Footprint * inv
	return s.bend(a).Mul(w), s.bend(b).Mul(w)
}

// bend turns and stretches a vector.
func (s *space) bend(p geom.Vec3) geom.Vec3 {
	if s.turn { // about the axis (Rodrigues)
		p = p.Mul(s.cos).Add(s.axis.Cross(p).Mul(s.sin)).Add(s.axis.Mul(s.axis.Dot(p) * (1 - s.cos)))
	}
	if s.squeeze != 0 {
		p = p.Add(s.axis.Mul(s.axis.Dot(p) * s.squeeze))
	}
	return p
}

// each calls f for every point that stands for something and is needed.
func (in Input) each(out []float32, idle float32, f func(i int) float32) {
	for i, t := range in.Frame.Tri {
		if t < 0 || !in.needs(i) {
			out[i] = idle
			continue
		}
		out[i] = f(i)
	}
}

// footprint returns how wide a texel is, in metres, in a space whose marks are drawn out.
func footprint(in Input, stretch float32) float32 { return in.Frame.Footprint * max(1, 1/stretch) }

// edge is 0 below −w/2 and 1 above w/2 of a distance, w being at least a texel.
func edge(d, w, texel float32) float32 {
	w = max(w, texel, 1e-6)
	return geom.Smoothstep(-w/2, w/2, d)
}
