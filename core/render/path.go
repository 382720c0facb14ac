package render

import (
	"math"

	"velvetgrime/core/bsdf"
	"velvetgrime/core/geom"
	"velvetgrime/core/light"
	"velvetgrime/core/spatial"
)

// tracer follows paths; it belongs to one goroutine.
type tracer struct {
	*Traced
	b  spatial.Bundle
	pl place
}

// met is a place that a ray met.
type met struct {
	pos, face, nrm geom.Vec3 // face: the triangle's normal, nrm: that of what is shaded; both to the ray's side
	tx, ty         geom.Vec3 // the frame around nrm
	tri            int32     // −1: the floor
	far            float32
	bsdf           bsdf.BSDF
	emits          [3]float32
	scatter        float32
	color          [3]float32
	outside        bool // it was met from its front
	pane           bool // what goes through it goes another way
}

// smooth is how rough a pane may be through which light goes straight on.
const smooth = 0.15

// passes is by which chance light goes straight on through a place that was looked at: where it
// is not solid, and through a smooth pane, which then gives it its colour.
func (t *tracer) passes(tri int32, dir geom.Vec3) (open, pane float32) {
	open = 1 - t.pl.solid
	if open < 0.001 {
		open = 0
	}
	through := t.pl.more[moreTransmission] * (1 - t.pl.metal)
	if through == 0 || t.pl.rough > smooth {
		return open, 0
	}
	n := t.model.FaceNormal(int(tri)).Unit()
	c := n.Dot(dir)
	k := 1 - max(c, -c)
	f := 0.04 + 0.96*k*k*k*k*k
	return open, (1 - open) * through * (1 - f)
}

// hit finds what a ray meets first; what lets it pass straight on is passed by chance, and colours
// what the path weighs.
func (t *tracer) hit(origin, dir geom.Vec3, d *draws, weight *[3]float32, m *met) bool {
	from := t.span * 1e-5
	far := inf
	m.pane = false
	if t.Still.Ground && dir.Y < 0 && origin.Y > t.floor {
		far = (t.floor - origin.Y) / dir.Y
	}
	start := float32(0)
	for range 64 {
		h := t.tree.Ray(&t.b, origin, dir, from+start, far)
		if h.Tri < 0 {
			break
		}
		t.uvOf(h, m)
		if open, pane := t.passes(h.Tri, dir); open+pane > 0 {
			switch x := d.next(); {
			case x < open:
				start = h.T
				continue
			case x < open+pane:
				start = h.T
				for k := range weight {
					weight[k] *= t.pl.color[k]
				}
				continue
			}
			left := (1 - open) / (1 - open - pane) // what the pane does not let through
			for k := range weight {
				weight[k] *= left
			}
			m.pane = pane > 0
		}
		t.shade(h, origin, dir, m)
		return true
	}
	if far == inf {
		return false
	}
	return t.ground(origin, dir, far, m)
}

func (t *tracer) uvOf(h spatial.Hit, m *met) {
	tri := t.model.Tri[h.Tri]
	if len(t.model.UV) == 0 {
		t.pl = place{color: [3]float32{0.2, 0.2, 0.2}, rough: 0.6, solid: 1, bend: geom.V3(0, 0, 1)}
		t.pl.more = usualMore
		return
	}
	a, b, c := t.model.UV[tri[0]], t.model.UV[tri[1]], t.model.UV[tri[2]]
	w := 1 - h.U - h.V
	t.skins[t.model.TriSheet[h.Tri]].at(
		geom.Vec2{X: a.X*w + b.X*h.U + c.X*h.V, Y: a.Y*w + b.Y*h.U + c.Y*h.V}, &t.pl, t.usual)
}

// shade fills in what is known of a place of the model.
func (t *tracer) shade(h spatial.Hit, origin, dir geom.Vec3, m *met) {
	mo := t.model
	tri := mo.Tri[h.Tri]
	w := 1 - h.U - h.V
	mix := func(a, b, c geom.Vec3) geom.Vec3 { return a.Mul(w).Add(b.Mul(h.U)).Add(c.Mul(h.V)) }
	m.tri, m.far = h.Tri, h.T
	m.pos = mix(mo.Pos[tri[0]], mo.Pos[tri[1]], mo.Pos[tri[2]])
	m.face = mo.FaceNormal(int(h.Tri)).Unit()
	n := mix(mo.Nrm[tri[0]], mo.Nrm[tri[1]], mo.Nrm[tri[2]]).Unit()
	if n == (geom.Vec3{}) {
		n = m.face
	}
	if m.face.Dot(n) < 0 { // wound the other way round than its normals say
		m.face = m.face.Mul(-1)
	}
	p := &t.pl
	tan := t.tang[h.Tri]
	tx := mix(tan[0], tan[1], tan[2])
	tx = tx.Sub(n.Mul(n.Dot(tx))).Unit()
	if tx == (geom.Vec3{}) {
		tx, _ = n.Tangents()
	}
	ty := n.Cross(tx)
	if mo.Mirrored(int(h.Tri)) {
		ty = ty.Mul(-1)
	}
	bent := tx.Mul(p.bend.X).Add(ty.Mul(p.bend.Y)).Add(n.Mul(p.bend.Z)).Unit()
	m.outside = m.face.Dot(dir) < 0
	if !m.outside { // both sides are alike
		m.face, n, bent = m.face.Mul(-1), n.Mul(-1), bent.Mul(-1)
	}
	m.nrm = facing(bent, m.face, dir)
	m.tx = tx.Sub(m.nrm.Mul(m.nrm.Dot(tx))).Unit()
	if m.tx == (geom.Vec3{}) {
		m.tx, _ = m.nrm.Tangents()
	}
	m.ty = m.nrm.Cross(m.tx)
	s := bsdf.Surface{
		Color: p.color, Metal: p.metal, Rough: p.rough, Specular: p.more[moreSpecular],
		Coat: p.more[moreCoat], CoatRough: p.more[moreCoatRough], FuzzRough: 0.5,
		Transmission: p.more[moreTransmission], Aniso: p.more[moreAniso],
	}
	if f := p.more[moreFuzz]; f > 0.002 {
		for k := range 3 {
			s.Fuzz[k] = f * (0.5 + 0.5*p.color[k])
		}
	}
	if m.pane {
		for k := range 3 {
			s.Color[k] *= 1 - s.Transmission
		}
		s.Transmission = 0
	}
	m.bsdf = bsdf.New(s)
	m.emits, m.color = p.emits, p.color
	m.scatter = p.more[moreScattering] * (1 - p.metal)
}

// facing bends a shaded normal until the eye sees its front.
func facing(n, face, dir geom.Vec3) geom.Vec3 {
	const least = 0.02
	if c := -n.Dot(dir); c < least {
		n = n.Add(dir.Mul(c - least)).Unit()
		if -n.Dot(dir) <= 0 || n.Dot(face) <= 0 {
			return face
		}
	}
	return n
}

// reach is how far the floor goes before it fades into what lies behind, by the model's size.
const reach = 4

// ground fills in a place of the floor.
func (t *tracer) ground(origin, dir geom.Vec3, far float32, m *met) bool {
	p := origin.Add(dir.Mul(far))
	off := p.Sub(t.model.Bounds.Center())
	off.Y = 0
	if off.Length() > reach*t.span {
		return false
	}
	*m = met{pos: p, face: geom.V3(0, 1, 0), nrm: geom.V3(0, 1, 0), tx: geom.V3(1, 0, 0), ty: geom.V3(0, 0, -1), tri: -1, far: far, outside: true}
	m.color, m.bsdf = t.earth, t.paved
	return true
}

// fade is how much of the floor is there at a place.
func (t *tracer) fade(p geom.Vec3) float32 {
	off := p.Sub(t.model.Bounds.Center())
	off.Y = 0
	return 1 - geom.Smoothstep(1.2*t.span, reach*t.span, off.Length())
}

// local turns a direction into a place's frame, world back.
func (m *met) local(d geom.Vec3) geom.Vec3 { return geom.V3(d.Dot(m.tx), d.Dot(m.ty), d.Dot(m.nrm)) }
func (m *met) world(d geom.Vec3) geom.Vec3 {
	return m.tx.Mul(d.X).Add(m.ty.Mul(d.Y)).Add(m.nrm.Mul(d.Z))
}

// clear is how much light gets from a place to another: past what is not solid, and through smooth
// panes.
func (t *tracer) clear(from, dir geom.Vec3, far float32, d *draws) (tint [3]float32, ok bool) {
	tint = [3]float32{1, 1, 1}
	if t.Still.Ground && dir.Y < 0 && from.Y+dir.Y*far < t.floor && from.Y > t.floor {
		at := from.Add(dir.Mul((from.Y - t.floor) / -dir.Y))
		if d.next() < t.fade(at) {
			return tint, false
		}
	}
	if t.solid {
		return tint, !t.tree.Blocked(&t.b, from, dir, t.span*1e-5, far)
	}
	start := float32(0)
	for range 64 {
		h := t.tree.Ray(&t.b, from, dir, t.span*1e-5+start, far)
		if h.Tri < 0 {
			return tint, true
		}
		t.uvOf(h, nil)
		open, pane := t.passes(h.Tri, dir)
		if open+pane == 0 {
			return tint, false
		}
		switch x := d.next(); {
		case x < open:
		case x < open+pane:
			for k := range tint {
				tint[k] *= t.pl.color[k]
			}
		default:
			return tint, false
		}
		start = h.T
	}
	return tint, false
}

// seen is what the first place of a path tells beside its light.
type seen struct {
	albedo, nrm [3]float32
	depth       float32
	covered     float32
	id          int32
}

// path returns the light of one path, linear, by white at exposure 1.
func (t *tracer) path(x, y float32, d *draws, s *seen) (out [3]float32) {
	u, v := d.next(), d.next()
	origin, dir := t.ray(x, y, u, v)
	bounces := t.Still.Bounces
	if bounces == 0 {
		bounces = 8
	}
	var m met
	weight := [3]float32{1, 1, 1}
	density := float32(0) // of the direction, by which it was drawn; 0: the camera's
	add := func(c [3]float32, share float32, turn int) {
		for k := range out {
			v := weight[k] * c[k] * share
			if t.clamp > 0 && turn > 1 {
				v = min(v, t.clamp)
			}
			out[k] += v
		}
	}
	*s = seen{id: -2, depth: inf}
	for turn := 0; ; turn++ {
		if !t.hit(origin, dir, d, &weight, &m) {
			t.beyond(dir, density, turn, s, add)
			return out
		}
		share := float32(1)
		if m.tri < 0 { // the floor fades into what lies behind
			if share = t.fade(m.pos); share < 1 {
				was := weight
				for k := range weight {
					weight[k] *= 1 - share
				}
				t.beyond(dir, density, turn, s, add)
				for k := range weight {
					weight[k] = was[k] * share
				}
			}
		}
		wo := m.local(dir.Mul(-1))
		if wo.Z <= 0 {
			return out
		}
		if turn == 0 {
			s.albedo, s.depth, s.covered, s.id = m.bsdf.Albedo(wo), m.far, share, -1
			if m.tri >= 0 {
				s.id = int32(t.model.TriPart[m.tri])
			}
			s.nrm = [3]float32{m.nrm.X, m.nrm.Y, m.nrm.Z}
		}
		if e := m.emits; e[0]+e[1]+e[2] > 0 {
			share := float32(1)
			if density > 0 && !t.lamps.none() {
				cos := max(m.face.Dot(dir), -m.face.Dot(dir))
				share = balance(density, t.lamps.density(m.tri)*m.far*m.far/max(cos, 1e-6)*t.lampShare())
			}
			g := t.glow() * share
			add(e, g, turn)
		}
		if turn >= bounces {
			return out
		}
		if m.scatter > 0 && d.next() < m.scatter {
			if !t.walk(&m, &weight, d) {
				return out
			}
			dir = m.face.Mul(-1) // it comes out as from a matt surface
			wo = geom.V3(0, 0, 1)
		}
		t.lit(&m, wo, d, turn+1, add)
		wi, w, pdf, way := m.bsdf.Sample(wo, d.next(), d.next(), d.next())
		if pdf == 0 {
			return out
		}
		dir = m.world(wi)
		if (m.face.Dot(dir) < 0) != (way == bsdf.Through) {
			return out // the shaded normal sends it where the surface is not
		}
		for k := range weight {
			weight[k] *= w[k]
		}
		density = pdf
		origin = m.pos
		if turn >= 1 { // go on by chance
			p := min(max(weight[0], weight[1], weight[2]), 0.97)
			if d.next() >= p {
				return out
			}
			for k := range weight {
				weight[k] /= p
			}
		}
	}
}

// balance is the balance heuristic (Veach 1995).
func balance(a, b float32) float32 { return a / (a + b) }

func (t *Traced) glow() float32 {
	if t.Still.Glow == 0 {
		return 1
	}
	return float32(t.Still.Glow)
}

// lampShare is how often a lamp is asked instead of the environment.
func (t *Traced) lampShare() float32 {
	if t.lamps.none() {
		return 0
	}
	return 0.5
}

// beyond adds what lies behind everything.
func (t *tracer) beyond(dir geom.Vec3, density float32, turn int, s *seen, add func([3]float32, float32, int)) {
	if turn == 0 {
		switch t.Still.Background {
		case "light":
			c := t.behind.At(times3(&t.turn, dir))
			for k := range c {
				c[k] *= t.gauge
			}
			add(c, 1, turn)
		case "", "plain":
			add(plainBack, 1/float32(t.Still.Exposure), turn)
		}
		return
	}
	share := t.gauge
	c, drawn := t.sky.Look(times3(&t.turn, dir))
	if density > 0 {
		share *= balance(density, drawn*(1-t.lampShare()))
	}
	add(c, share, turn)
}

// plainBack is the grey of the view's background, linear.
var plainBack = [3]float32{0.102, 0.102, 0.102}

// lit adds what the environment and lamps send to a place and from there to wo.
func (t *tracer) lit(m *met, wo geom.Vec3, d *draws, turn int, add func([3]float32, float32, int)) {
	which, a, b := d.next(), d.next(), d.next()
	if ls := t.lampShare(); which < ls {
		tri, u, v, density := t.lamps.draw(which/ls, a, b)
		t.fromLamp(m, wo, tri, u, v, density*ls, d, turn, add)
		return
	}
	to, c, density := t.sky.Draw(a, b)
	dir := times3(&t.back, to)
	density *= 1 - t.lampShare()
	f, pdf := t.sent(m, wo, dir)
	if f == ([3]float32{}) {
		return
	}
	tint, ok := t.clear(m.pos, dir, inf, d)
	if !ok {
		return
	}
	for k := range c {
		c[k] *= f[k] * tint[k] * t.gauge
	}
	add(c, balance(density, pdf)/density, turn)
}

// sent is the share of light from a direction that goes to wo, with the cosine.
func (t *tracer) sent(m *met, wo, dir geom.Vec3) (f [3]float32, pdf float32) {
	wi := m.local(dir)
	if (wi.Z < 0) != (m.face.Dot(dir) < 0) {
		return f, 0
	}
	f, pdf = m.bsdf.Eval(wo, wi)
	cos := max(wi.Z, -wi.Z)
	for k := range f {
		f[k] *= cos
	}
	return f, pdf
}

func (t *tracer) fromLamp(
	m *met, wo geom.Vec3, tri int32, u, v, density float32, d *draws, turn int, add func([3]float32, float32, int),
) {
	mo := t.model
	c := mo.Tri[tri]
	w := 1 - u - v
	at := mo.Pos[c[0]].Mul(w).Add(mo.Pos[c[1]].Mul(u)).Add(mo.Pos[c[2]].Mul(v))
	to := at.Sub(m.pos)
	far := to.Length()
	if far < t.span*1e-5 {
		return
	}
	dir := to.Mul(1 / far)
	cos := mo.FaceNormal(int(tri)).Unit().Dot(dir)
	cos = max(cos, -cos) // it shines to both sides
	if cos < 1e-6 {
		return
	}
	f, pdf := t.sent(m, wo, dir)
	if f == ([3]float32{}) {
		return
	}
	tint, ok := t.clear(m.pos, dir, far*(1-1e-4), d)
	if !ok {
		return
	}
	t.uvOf(spatial.Hit{Tri: tri, U: u, V: v}, nil)
	perAngle := density * far * far / cos
	e := t.pl.emits
	for k := range e {
		e[k] *= f[k] * t.glow() * t.pl.solid * tint[k]
	}
	add(e, balance(perAngle, pdf)/perAngle, turn)
}

// steps is how often light is scattered inside at most.
const steps = 512

// walk leads light through the inside of the model from where it enters to where it leaves: a
// random walk, whose lengths and albedo come from the colour that is to be seen (Chiang, Kutz and
// Burley 2016, "Practical and Controllable Subsurface Scattering for Production Path Tracing"). m
// becomes the place where it leaves; false: it did not.
func (t *tracer) walk(m *met, weight *[3]float32, d *draws) bool {
	length := t.inside
	var single, sigma [3]float32
	for k, c := range m.color {
		a := float64(min(c, 0.98))
		single[k] = float32(1 - math.Exp(-5.09406*a+2.61188*a*a-4.31805*a*a*a))
		s := 1.9 - a + 3.5*(a-0.8)*(a-0.8)
		sigma[k] = float32(1 / (float64(length*tint(m.color, k)) * s))
	}
	p := m.pos
	dir := m.face.Mul(-1)
	{ // it enters evenly, by the cosine
		tx, ty := dir.Tangents()
		x, y := disc(d.next(), d.next())
		z := sqrt32(max(1-x*x-y*y, 0))
		dir = tx.Mul(x).Add(ty.Mul(y)).Add(dir.Mul(z)).Unit()
	}
	for i := range steps {
		near := t.span * 1e-5
		if i > 0 {
			near = 0 // it lies within
		}
		// a component is chosen by what it carries, and all are weighed by it (one-sample balance)
		sum := weight[0] + weight[1] + weight[2]
		if sum <= 0 {
			return false
		}
		pick := d.next() * sum
		k := 0
		for k < 2 && pick >= weight[k] {
			pick -= weight[k]
			k++
		}
		far := -float32(math.Log(float64(max(1-d.next(), 1e-7)))) / sigma[k]
		h := t.tree.Ray(&t.b, p, dir, near, far)
		var chance float32
		if h.Tri >= 0 {
			for c := range 3 {
				chance += weight[c] / sum * expf(-sigma[c]*h.T)
			}
			for c := range 3 {
				weight[c] *= expf(-sigma[c]*h.T) / chance
			}
			t.uvOf(h, m)
			t.shade(h, p, dir, m)
			if m.outside {
				return false // an open or turned surface: it never was inside
			}
			// it leaves: what is shaded is its outside
			m.face, m.nrm, m.ty, m.outside = m.face.Mul(-1), m.nrm.Mul(-1), m.ty.Mul(-1), true
			m.bsdf = bsdf.New(bsdf.Surface{Color: [3]float32{1, 1, 1}, Rough: 1})
			m.emits = [3]float32{}
			return true
		}
		for c := range 3 {
			chance += weight[c] / sum * sigma[c] * expf(-sigma[c]*far)
		}
		for c := range 3 {
			weight[c] *= single[c] * sigma[c] * expf(-sigma[c]*far) / chance
		}
		p = p.Add(dir.Mul(far))
		z := 1 - 2*d.next()
		s, c := math.Sincos(2 * math.Pi * float64(d.next()))
		r := sqrt32(max(1-z*z, 0))
		dir = geom.V3(r*float32(c), r*float32(s), z)
	}
	return false
}

// tint is how much farther a component goes than the rest: what a thing shows, goes deeper.
func tint(c [3]float32, k int) float32 {
	l := light.Luminance(c[0], c[1], c[2])
	return min(max(0.4+0.6*c[k]/max(l, 1e-3), 0.3), 2)
}

func expf(v float32) float32 { return float32(math.Exp(float64(v))) }
