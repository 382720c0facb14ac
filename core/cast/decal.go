package cast

import (
	"math"

	"velvetgrime/core/geom"
)

// Frame is where a decal lies: right, up and out are unit vectors at right angles.
type Frame struct {
	At, Right, Up, Out geom.Vec3
}

// NewFrame makes a frame at a place of a surface that faces nrm, its head towards up; an up
// along the normal is replaced by any.
func NewFrame(at, nrm, up geom.Vec3) Frame {
	out := nrm.Unit()
	u := up.Sub(out.Mul(up.Dot(out)))
	if u.Length() < 1e-4*up.Length() || u == (geom.Vec3{}) {
		u, _ = out.Tangents()
	}
	u = u.Unit()
	return Frame{at, u.Cross(out).Unit(), u, out}
}

// Shifted is the frame moved along its right.
func (f Frame) Shifted(by float32) Frame {
	f.At = f.At.Add(f.Right.Mul(by))
	return f
}

// Turned is the frame turned about an axis through a place, by an angle in radians,
// anticlockwise seen against the axis (Rodrigues).
func (f Frame) Turned(at, axis geom.Vec3, angle float64) Frame {
	k := axis.Unit()
	sin, cos := math.Sincos(angle)
	turn := func(v geom.Vec3) geom.Vec3 {
		return v.Mul(float32(cos)).Add(k.Cross(v).Mul(float32(sin))).Add(k.Mul(k.Dot(v) * float32(1-cos)))
	}
	return Frame{at.Add(turn(f.At.Sub(at))), turn(f.Right), turn(f.Up), turn(f.Out)}
}

// Flat is a decal that is cast along its normal onto what lies within its depth and faces it.
type Flat struct {
	Frame
	Wide, Tall, Depth float32 // metres
	Facing            float32 // degrees by which the surface may turn away; 180: any
}

// softFacing is over how many degrees a decal fades out before its limit, softDepth over what
// share of its depth.
const (
	softFacing = 8
	softDepth  = 0.15
)

// Place returns where a point of the surface lies in the picture, 0..1 from its upper left
// corner, and how much of the decal it may get there, 0..1. The coordinates count where that is
// above 0.
func (d *Flat) Place(p, n geom.Vec3) (u, v, share float32) {
	to := p.Sub(d.At)
	u, v = to.Dot(d.Right)/d.Wide+0.5, 0.5-to.Dot(d.Up)/d.Tall
	away := max(to.Dot(d.Out), -to.Dot(d.Out)) / d.Depth
	if away >= 1 {
		return u, v, 0
	}
	share = 1 - geom.Smoothstep(1-softDepth, 1, away)
	if d.Facing < 180 {
		angle := float32(math.Acos(float64(min(max(n.Dot(d.Out), -1), 1))) * 180 / math.Pi)
		share *= 1 - geom.Smoothstep(d.Facing-softFacing, d.Facing, angle)
	}
	return u, v, share
}

// Box is around all that the decal can reach.
func (d *Flat) Box() geom.Box {
	b := geom.EmptyBox()
	for k := range 8 {
		s := func(bit int, half float32) float32 {
			if k>>bit&1 == 0 {
				return -half
			}
			return half
		}
		b = b.Grow(d.At.Add(d.Right.Mul(s(0, d.Wide/2))).Add(d.Up.Mul(s(1, d.Tall/2))).Add(d.Out.Mul(s(2, d.Depth))))
	}
	return b
}
