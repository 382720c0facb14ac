package brush

import (
	"math"
	"slices"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"

	"github.com/zeebo/xxh3"
)

// dab is one tip set down on the surface.
type dab struct {
	pos, nrm   geom.Vec3
	x, y       geom.Vec3 // the tip's axes, over its half width and half height
	r          float32
	weight     float32 // flow × strength of this dab
	hue, light float32
	hard       float32 // share of the radius at full
	variant    uint32
	way        geom.Vec3 // where the line goes, along the surface
	along      float32   // how far along it
}

// factors are what the pen makes of the settings at one point.
type factors struct {
	size, strength, flow, hard, apart, round, scatter, jitter float32 // times what is set
	angle, hue, value                                         float32 // beside it: turns, turns of the colour circle, lighter or darker
}

func (s *Stroke) factors(p Point, hand Hand) factors {
	f := factors{size: 1, strength: 1, flow: 1, hard: 1, apart: 1, round: 1, scatter: 1, jitter: 1}
	if s.PenSize {
		f.size = max(p.Pressure, 0.02)
	}
	if s.PenFlow {
		f.strength = p.Pressure
	}
	for _, d := range s.Kit.Pen {
		v := d.at(p.Pressure, hand)
		switch d.What {
		case "size":
			f.size *= max(v, 0.02)
		case "strength":
			f.strength *= min(v, 1)
		case "flow":
			f.flow *= v
		case "round":
			f.round *= v
		case "scatter":
			f.scatter *= v
		case "jitter": // of all that differs by chance
			f.jitter *= v
		case "angle":
			f.angle += v
		case "hardness":
			f.hard *= v
		case "spacing":
			f.apart *= v
		case "hue":
			f.hue += v
		case "value": // 1 is as set
			f.value += v - 1
		}
	}
	return f
}

// hand returns how the pen is held at point i.
func (s *Stroke) hand(i int) (h Hand) {
	if i < len(s.Tilt) {
		h.Tilt = s.Tilt[i]
	}
	if i < len(s.Lean) {
		h.Lean = s.Lean[i]
	}
	if i < len(s.Twist) {
		h.Twist = s.Twist[i]
	}
	return h
}

// held are the rows that say how the pen was held: one number a point, or none.
func (s *Stroke) held() [3]*[]float32 { return [3]*[]float32{&s.Tilt, &s.Lean, &s.Twist} }

// Unhold forgets how the pen was held.
func (s *Stroke) Unhold() {
	for _, row := range s.held() {
		*row = nil
	}
}

// HoldAs takes over how the pen was held at point i of another stroke, for the point that comes next.
func (s *Stroke) HoldAs(o *Stroke, i int) {
	to := s.held()
	for k, row := range o.held() {
		if i < len(*row) {
			*to[k] = append(*to[k], (*row)[i])
		}
	}
}

// HeldAlike reports whether the pen of two strokes was held alike at their first n points, as far as that is
// said of both.
func (s *Stroke) HeldAlike(o *Stroke, n int) bool {
	to := o.held()
	for k, row := range s.held() {
		a, b := *row, *to[k]
		if m := min(n, len(a), len(b)); (len(a) == 0) != (len(b) == 0) || !slices.Equal(a[:m], b[:m]) {
			return false
		}
	}
	return true
}

// Hold says how the pen was held (each row 0..1, as in Stroke) at n points that follow on the first had ones; a row that does not say it of
// all of them is as it was.
func (s *Stroke) Hold(tilt, lean, twist []float32, had, n int) {
	for k, row := range s.held() {
		*row = grown(*row, [3][]float32{tilt, lean, twist}[k], had, n)
	}
}

// grown appends what a pen says of some more points, as long as it says it of all.
func grown(row, more []float32, had, points int) []float32 {
	if len(more) != points || len(row) != had {
		return row
	}
	return append(row[:had:had], more...)
}

// MaxDabs bounds the dabs of one stroke; of one that would have more the rest is left out.
const MaxDabs = 1 << 20

// walk calls f for every dab of segments from..to (exclusive). Dabs lie at even
// lengths along the line through the points, however many points there are; those
// of a segment depend on what came before it, never on what follows, so a stroke
// that grows keeps the dabs it has.
func (s *Stroke) walk(from, to int, f func(dab)) {
	k := s.Kit
	seed := uint32(xxh3.HashString(s.ID))
	if s.Seed != "" {
		seed = uint32(xxh3.HashString(s.Seed))
	}
	next, index, gone := float32(0), uint32(0), float32(0)
	for i := 0; i < to && index < MaxDabs; i++ {
		a, b := s.segment(i)
		ha, hb := s.hand(i), s.hand(min(i+1, len(s.Points)-1))
		line := b.Pos.Sub(a.Pos)
		length := line.Length()
		if length == 0 {
			if i == 0 || k.Build { // a pen that is only set down leaves one dab
				if i >= from {
					s.set(a, ha, geom.Vec3{}, gone, seed, index, f)
				}
				index++
			}
			if i == 0 {
				next = s.apart(a, ha)
			}
			continue
		}
		// the way the stroke goes: looked at over a little of what was before
		way := line
		for j := i - 1; j >= max(i-4, 0) && way.Length() < 0.5*s.Radius; j-- {
			way = b.Pos.Sub(s.Points[j].Pos)
		}
		for next <= length && index < MaxDabs {
			t := next / length
			p := Point{
				a.Pos.Add(line.Mul(t)),
				a.Nrm.Add(b.Nrm.Sub(a.Nrm).Mul(t)),
				a.Pressure + (b.Pressure-a.Pressure)*t,
			}
			hand := ha.to(hb, t)
			if i >= from {
				s.set(p, hand, way, gone+next, seed, index, f)
			}
			index++
			on := next + s.apart(p, hand)
			if on <= next { // so far from the last dab that the distance to the next is lost in its rounding
				next = length + s.apart(p, hand)
				break
			}
			next = on
		}
		next -= length
		gone += length
	}
}

// apart is how far the next dab is from one at p, in metres.
func (s *Stroke) apart(p Point, hand Hand) float32 {
	f := s.factors(p, hand)
	return max(s.Kit.Spacing*f.apart, leastSpacing) * 2 * s.Radius * f.size
}

// set makes the dabs of one place.
func (s *Stroke) set(p Point, hand Hand, way geom.Vec3, along float32, seed, index uint32, f func(dab)) {
	k := s.Kit
	n := p.Nrm.Unit()
	fs := s.factors(p, hand)
	for c := range uint32(max(k.Count, 1)) {
		h := noise.Hash(int32(index), int32(c), 11, seed)
		differs := func(much float32) float32 { return min(much*fs.jitter, 1) }
		d := dab{pos: p.Pos, nrm: n, variant: h}
		d.r = s.Radius * fs.size * (1 - differs(k.SizeJitter)*noise.Random(h, 1))
		d.weight = min(
			k.Flow*fs.flow,
			1,
		) * fs.strength * (1 - differs(k.StrengthJitter)*noise.Random(h, 2)) * s.Mirror.nearPlane(
			p.Pos,
		)
		d.hue = differs(k.HueJitter)*(2*noise.Random(h, 3)-1)/2 + fs.hue
		d.light = min(max(differs(k.LightJitter)*(2*noise.Random(h, 4)-1)+fs.value, -1), 1)
		d.hard = min(s.Hardness*fs.hard, 1)
		right := s.across(n)
		d.way, d.along = n.Cross(right), along
		if w := way.Sub(n.Mul(way.Dot(n))); w.Length() > 1e-9 {
			if d.way = w.Unit(); k.Along {
				right = d.way
			}
		}
		up := n.Cross(right)
		if s.Flip && k.Along { // the way is what it is
			up = up.Mul(-1)
		} else if s.Flip {
			right = right.Mul(-1)
		}
		if sc := k.Scatter * fs.scatter; sc > 0 {
			// even over a disc
			dist := sc * s.Radius * fs.size * float32(math.Sqrt(float64(noise.Random(h, 5))))
			sin, cos := math.Sincos(2 * math.Pi * float64(noise.Random(h, 6)))
			d.pos = d.pos.Add(right.Mul(dist * float32(cos))).Add(up.Mul(dist * float32(sin)))
		}
		angle := float64(
			k.Angle,
		)/360 + float64(
			fs.angle,
		) + float64(
			differs(k.AngleJitter),
		)*(float64(noise.Random(h, 7))-0.5)
		sin, cos := math.Sincos(2 * math.Pi * angle)
		d.x = right.Mul(float32(cos)).Add(up.Mul(float32(sin))).Mul(1 / d.r)
		d.y = up.Mul(float32(cos)).Sub(right.Mul(float32(sin))).Mul(1 / (d.r * min(max(k.round()*fs.round, 0.05), 1)))
		f(d)
	}
}

// across is the tip's right on a surface with normal n: as the stroke's up has it.
func (s *Stroke) across(n geom.Vec3) geom.Vec3 {
	up := s.Up
	if up == (geom.Vec3{}) {
		up = geom.V3(0, 1, 0)
	}
	r := up.Cross(n)
	if r.Length() < 0.05 { // level ground: the right of one who looks along −z
		r = geom.V3(1, 0, 0).Sub(n.Mul(n.X))
	}
	return r.Unit()
}
