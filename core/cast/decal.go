package cast

import (
	"math"
	"slices"

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

// Reflected is the frame on the other side of a plane, through a place and facing a direction: head
// and face are mirrored, and what is read from left to right still is.
func (f Frame) Reflected(at, facing geom.Vec3) Frame {
	n := facing.Unit()
	flip := func(v geom.Vec3) geom.Vec3 { return v.Sub(n.Mul(2 * v.Dot(n))) }
	up, out := flip(f.Up), flip(f.Out)
	return Frame{at.Add(flip(f.At.Sub(at))), up.Cross(out), up, out}
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

// Along is the frames of a decal that is repeated along a line on a surface, of six numbers a
// point: place and how the surface faces; one that ends where it begins is closed. They are count
// many, each as far beside the line, and turned from it, as the decal is where it is nearest to it.
// Round a closed line they begin with the decal's own place, step metres apart, 0: evenly all round;
// along an open one too, as far as it goes, but step 0 spreads them from end to end.
func Along(line []float32, f Frame, count int, step float32) (out []Frame) {
	l := newRail(line)
	if !(l.length > 0) || count < 1 {
		return nil
	}
	begin := l.nearest(f.At)
	own, ok := l.at(begin)
	if !ok {
		return nil
	}
	if step <= 0 {
		step = l.length / float32(count)
		if !l.closed {
			begin, step = 0, l.length/float32(max(count-1, 1))
		}
	}
	for k := range count {
		s := begin + float32(k)*step
		if l.closed {
			s = float32(math.Mod(float64(s), float64(l.length)))
		} else if s > l.length*(1+1e-5) {
			break
		}
		if to, ok := l.at(s); ok {
			out = append(out, f.carried(own, to))
		}
	}
	return out
}

// carried is a frame that lies to another one as it lies to from.
func (f Frame) carried(from, to Frame) Frame {
	turn := func(v geom.Vec3) geom.Vec3 {
		return to.Right.Mul(v.Dot(from.Right)).Add(to.Up.Mul(v.Dot(from.Up))).Add(to.Out.Mul(v.Dot(from.Out)))
	}
	return Frame{to.At.Add(turn(f.At.Sub(from.At))), turn(f.Right), turn(f.Up), turn(f.Out)}
}

// rail is a line on a surface by how far along it a place lies.
type rail struct {
	pos, nrm []geom.Vec3
	far      []float32 // metres along it to each point
	length   float32
	closed   bool
}

func newRail(line []float32) *rail {
	l := &rail{}
	for i := 0; i+5 < len(line); i += 6 {
		p, n := geom.V3(line[i], line[i+1], line[i+2]), geom.V3(line[i+3], line[i+4], line[i+5])
		if k := len(l.pos); k > 0 {
			d := p.Sub(l.pos[k-1]).Length()
			if !(d > 0) { // twice in one place
				continue
			}
			l.length += d
		}
		l.pos, l.nrm, l.far = append(l.pos, p), append(l.nrm, n.Unit()), append(l.far, l.length)
	}
	if n := len(l.pos); n > 0 {
		l.closed = l.pos[0].Sub(l.pos[n-1]).Length() <= 1e-4*l.length
	}
	return l
}

// nearest is how far along the line the place of it lies that is nearest to a point.
func (l *rail) nearest(p geom.Vec3) (far float32) {
	best := float32(math.MaxFloat32)
	for i := range len(l.pos) - 1 {
		side := l.pos[i+1].Sub(l.pos[i])
		t := min(max(p.Sub(l.pos[i]).Dot(side)/side.Dot(side), 0), 1)
		if d := l.pos[i].Add(side.Mul(t)).Sub(p).Length(); d < best {
			best, far = d, l.far[i]+t*(l.far[i+1]-l.far[i])
		}
	}
	return far
}

// at is the frame of a place on the line: its right along the line, its out as the surface faces.
func (l *rail) at(far float32) (Frame, bool) {
	i, _ := slices.BinarySearch(l.far, far)
	i = min(max(i-1, 0), len(l.far)-2)
	t := min(max((far-l.far[i])/(l.far[i+1]-l.far[i]), 0), 1)
	out := l.nrm[i].Mul(1 - t).Add(l.nrm[i+1].Mul(t))
	if out.Length() < 1e-3 {
		out = l.nrm[i]
	}
	out = out.Unit()
	side := l.pos[i+1].Sub(l.pos[i])
	right := side.Sub(out.Mul(side.Dot(out)))
	if right.Length() < 1e-6*side.Length() { // the surface faces along the line
		return Frame{}, false
	}
	right = right.Unit()
	return Frame{l.pos[i].Add(side.Mul(t)), right, out.Cross(right).Unit(), out}, true
}
