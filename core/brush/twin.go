package brush

import (
	"math"

	"velvetgrime/core/geom"
)

// twin is one of the places where a mirrored stroke lies: a turn or a reflection
// about a point.
type twin struct {
	m    [9]float32
	at   geom.Vec3
	flip bool // the image is a mirror image
}

func (w twin) dir(v geom.Vec3) geom.Vec3 {
	m := &w.m
	return geom.V3(m[0]*v.X+m[1]*v.Y+m[2]*v.Z, m[3]*v.X+m[4]*v.Y+m[5]*v.Z, m[6]*v.X+m[7]*v.Y+m[8]*v.Z)
}

func (w twin) pos(p geom.Vec3) geom.Vec3 { return w.dir(p.Sub(w.at)).Add(w.at) }

func (w twin) point(p Point) Point { return Point{w.pos(p.Pos), w.dir(p.Nrm), p.Pressure} }

// inverse is the other way round: its matrix is orthogonal.
func (w twin) inverse() twin {
	m := &w.m
	return twin{[9]float32{m[0], m[3], m[6], m[1], m[4], m[7], m[2], m[5], m[8]}, w.at, w.flip}
}

func identity(at geom.Vec3) twin { return twin{m: [9]float32{1, 0, 0, 0, 1, 0, 0, 0, 1}, at: at} }

// reflected is I − 2nnᵀ after w.
func (w twin) reflected(n geom.Vec3) twin {
	out := twin{at: w.at, flip: !w.flip}
	for c := range 3 {
		v := geom.V3(w.m[c], w.m[3+c], w.m[6+c])
		v = v.Sub(n.Mul(2 * v.Dot(n)))
		out.m[c], out.m[3+c], out.m[6+c] = v.X, v.Y, v.Z
	}
	return out
}

// turned is a turn by an angle around an axis (Rodrigues) after w.
func (w twin) turned(axis geom.Vec3, angle float64) twin {
	sin, cos := math.Sincos(angle)
	s, k := float32(sin), float32(cos)
	out := twin{at: w.at, flip: w.flip}
	for c := range 3 {
		v := geom.V3(w.m[c], w.m[3+c], w.m[6+c])
		v = v.Mul(k).Add(axis.Cross(v).Mul(s)).Add(axis.Mul(axis.Dot(v) * (1 - k)))
		out.m[c], out.m[3+c], out.m[6+c] = v.X, v.Y, v.Z
	}
	return out
}

// twins lists where the stroke lies, itself first.
func (s *Stroke) twins() []twin {
	if s.Mirror == nil {
		return []twin{identity(geom.Vec3{})}
	}
	m := s.Mirror
	out := []twin{identity(m.At)}
	for _, n := range m.Planes {
		for _, w := range out[:len(out):len(out)] {
			out = append(out, w.reflected(n.Unit()))
		}
	}
	if m.Radial > 1 {
		first := out
		out = nil
		for k := range m.Radial {
			for _, w := range first {
				out = append(out, w.turned(m.Axis.Unit(), 2*math.Pi*float64(k)/float64(m.Radial)))
			}
		}
	}
	return out
}

// nearPlane is how much of a dab at p is left of the fade at the planes.
func (m *Mirror) nearPlane(p geom.Vec3) float32 {
	if m == nil || m.Fade == 0 {
		return 1
	}
	out := float32(1)
	for _, n := range m.Planes {
		d := p.Sub(m.At).Dot(n.Unit())
		x := min(max(d, -d)/m.Fade, 1)
		out *= x * x * (3 - 2*x)
	}
	return out
}
