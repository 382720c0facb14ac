package light

import (
	"math"

	"velvetgrime/core/geom"
)

// room is a box that one stands in, lit by panels: lamps, windows and doors. Metres; the eye is
// at the origin. Its walls are matt, and show what the panels give them, without shadows, and
// once more what all of them give each other, evenly.
type room struct {
	lo, hi  geom.Vec3
	walls   colour // albedo of the four walls
	floor   colour
	ceiling colour
	panels  []panel
	boards  float64 // metres between the joints of the walls' boards; 0: none
	even    colour  // radiance from wall to wall
}

// panel is a rectangle that shines: its middle, its halves to two sides, and the radiance in
// kcd/m² that it sends to its front, which is a × b. behind, when set, is what one sees through
// it.
type panel struct {
	at, a, b geom.Vec3
	shines   colour
	behind   func(d geom.Vec3) colour
	soft     float32 // share of its width over which it fades at its rim
	inward   bool    // it sends light to its front alone
}

func (p *panel) normal() geom.Vec3 { return p.a.Cross(p.b).Unit() }

// gives is the irradiance of a place with normal n, by parts of the panel.
func (p *panel) gives(at, n geom.Vec3) (sum colour) {
	parts := 4
	front := p.normal()
	area := 4 * p.a.Cross(p.b).Length()
	if away := p.at.Sub(at); away.Dot(away) > 12*area { // from afar it is a point
		parts = 1
	}
	area /= float32(parts * parts)
	for i := range parts {
		for k := range parts {
			q := p.at.Add(p.a.Mul((float32(i)+0.5)/float32(parts)*2 - 1)).Add(p.b.Mul((float32(k)+0.5)/float32(parts)*2 - 1))
			to := q.Sub(at)
			r2 := to.Dot(to) + area // near ones do not spike
			w := to.Unit()
			cos, out := max(n.Dot(w), 0), -front.Dot(w)
			if !p.inward {
				out = max(out, -out)
			}
			if out > 0 {
				sum = plus(sum, scaledColour(p.shines).times(cos*out*area/r2))
			}
		}
	}
	return sum
}

// meets is how far a ray from the eye goes to the panel, and where it meets it, −1..1.
func (p *panel) meets(d geom.Vec3) (t, u, v float32, ok bool) {
	n := p.normal()
	c := n.Dot(d)
	if c == 0 {
		return
	}
	if t = n.Dot(p.at) / c; t <= 0 {
		return
	}
	q := d.Mul(t).Sub(p.at)
	u, v = q.Dot(p.a)/p.a.Dot(p.a), q.Dot(p.b)/p.b.Dot(p.b)
	return t, u, v, max(u, -u) < 1 && max(v, -v) < 1
}

// settle finds what the walls give each other: the flux of all panels, spread over the room.
func (r *room) settle() {
	size := r.hi.Sub(r.lo)
	area := 2 * (size.X*size.Y + size.Y*size.Z + size.X*size.Z)
	mean := scaledColour(plus(plus(scaledColour(r.walls).times(2), r.floor), r.ceiling)).times(0.25)
	for i := range r.panels {
		p := &r.panels[i]
		flux := scaledColour(p.shines).times(math.Pi * 4 * p.a.Cross(p.b).Length())
		for k := range r.even {
			r.even[k] += flux[k] / area * mean[k] / (1 - mean[k])
		}
	}
}

// at is the radiance from a direction.
func (r *room) at(d geom.Vec3) colour {
	best, seen := float32(math.Inf(1)), -1
	var bu, bv float32
	for i := range r.panels {
		p := &r.panels[i]
		if t, u, v, ok := p.meets(d); ok && t < best && (!p.inward || p.normal().Dot(d) < 0) {
			best, seen, bu, bv = t, i, u, v
		}
	}
	// the nearest of the six walls
	far, n, albedo := float32(math.Inf(1)), geom.Vec3{}, r.walls
	wall := func(t float32, in geom.Vec3, a colour) {
		if t > 0 && t < far {
			far, n, albedo = t, in, a
		}
	}
	along := func(o, v float32) float32 {
		if v == 0 {
			return -1
		}
		return o / v
	}
	wall(along(r.lo.X, d.X), geom.V3(1, 0, 0), r.walls)
	wall(along(r.hi.X, d.X), geom.V3(-1, 0, 0), r.walls)
	wall(along(r.lo.Z, d.Z), geom.V3(0, 0, 1), r.walls)
	wall(along(r.hi.Z, d.Z), geom.V3(0, 0, -1), r.walls)
	wall(along(r.lo.Y, d.Y), geom.V3(0, 1, 0), r.floor)
	wall(along(r.hi.Y, d.Y), geom.V3(0, -1, 0), r.ceiling)
	if seen >= 0 && best <= far*1.001 {
		p := &r.panels[seen]
		c := p.shines
		if p.behind != nil {
			c = p.behind(d)
		}
		if p.soft == 0 {
			return c
		}
		rim := float32(ease(0, float64(p.soft), 1-float64(max(bu, -bu, bv, -bv))))
		return mix(r.of(d.Mul(far), n, albedo), c, rim)
	}
	return r.of(d.Mul(far), n, albedo)
}

// of is the radiance of a place of a wall.
func (r *room) of(at, n geom.Vec3, albedo colour) colour {
	e := scaledColour(r.even).times(math.Pi)
	for i := range r.panels {
		e = plus(e, r.panels[i].gives(at, n))
	}
	if r.boards > 0 {
		across := float64(at.X + at.Z)
		if n.Y == 0 {
			across = float64(at.Y)
		}
		in := across/r.boards - math.Floor(across/r.boards)
		shade := 0.85 + 0.15*math.Sin(math.Floor(across/r.boards)*37)
		if in < 0.06 {
			shade = 0.35
		}
		albedo = scaledColour(albedo).times(float32(shade))
	}
	return scaledColour(dim(e, albedo)).times(1 / math.Pi)
}

func boathouseDoor() func(geom.Vec3) colour {
	sky := &heaven{4, -0.7, 0, -1, 0, 5, from(0, 40), colour{0.9, 0.97, 1.07}, colour{0.97, 1, 1.03}, colour{}, colour{1, 1, 1}}
	deep := sky.upon(colour{0.03, 0.045, 0.05})
	out := func(d geom.Vec3) colour {
		if d.Y > shore(math.Atan2(float64(d.Z), float64(d.X)), 0.05) {
			return sky.at(d)
		}
		if d.Y > 0 {
			return scaledColour(deep).times(2)
		}
		return sky.water(d, deep, 0.08)
	}
	r := &room{
		lo: geom.V3(-4, -1.1, -6), hi: geom.V3(4, 3, 3.2),
		walls: colour{0.16, 0.11, 0.075}, floor: colour{0.14, 0.12, 0.1}, ceiling: colour{0.1, 0.075, 0.055}, boards: 0.22,
		panels: []panel{
			{at: geom.V3(-0.4, 0.55, -5.98), a: geom.V3(1.7, 0, 0), b: geom.V3(0, 1.62, 0), shines: colour{3.6, 3.75, 3.9}, behind: out, inward: true},
			{at: geom.V3(3.98, 0.8, 1), a: geom.V3(0, 0, 0.42), b: geom.V3(0, 0.42, 0), shines: colour{3.2, 3.4, 3.7}, behind: out},
		},
	}
	r.settle()
	return r.at
}

func workshopLamps() func(geom.Vec3) colour {
	r := &room{
		lo: geom.V3(-3, -1.1, -2.6), hi: geom.V3(3, 1.9, 3),
		walls: colour{0.32, 0.29, 0.25}, floor: colour{0.2, 0.17, 0.14}, ceiling: colour{0.4, 0.38, 0.34}, boards: 0.3,
		panels: []panel{
			{at: geom.V3(-1.1, 1.25, -1.1), a: geom.V3(0.24, 0, 0), b: geom.V3(0, 0.1, 0.2), shines: colour{62, 40, 19}, soft: 0.35},
			{at: geom.V3(1.5, 1.45, -0.5), a: geom.V3(0.2, 0, 0), b: geom.V3(0, 0, 0.2), shines: colour{54, 35, 17}, soft: 0.35},
			{at: geom.V3(0, 1.8, 2.2), a: geom.V3(1.2, 0, 0), b: geom.V3(0, 0, 0.05), shines: colour{7, 8.2, 9.4}, soft: 0.2},
			{at: geom.V3(-2.98, 0.5, 0.6), a: geom.V3(0, 0, 0.5), b: geom.V3(0, 0.4, 0), shines: colour{0.03, 0.05, 0.1}},
		},
	}
	r.settle()
	return r.at
}

func lampRoom() func(geom.Vec3) colour {
	moon := from(125, 38)
	r := &room{
		lo: geom.V3(-1.7, -1.2, -1.7), hi: geom.V3(1.7, 2.1, 1.7),
		walls: colour{0.1, 0.12, 0.11}, floor: colour{0.16, 0.1, 0.06}, ceiling: colour{0.2, 0.19, 0.17},
		panels: []panel{
			{at: geom.V3(0.9, 1.5, -1), a: geom.V3(0.055, 0, 0.05), b: geom.V3(0, 0.09, 0), shines: colour{9, 5.2, 1.9}, soft: 0.5},
		},
	}
	r.settle()
	night := func(d geom.Vec3) colour {
		up := max(d.Y, 0)
		c := mix(colour{0.0005, 0.0007, 0.0011}, colour{0.00008, 0.00014, 0.0004}, float32(math.Sqrt(float64(up))))
		if d.Y < 0 {
			c = scaledColour(c).times(0.4)
		}
		chi := math.Acos(float64(min(d.Dot(moon), 1)))
		halo := float32(exp(-chi * chi / 0.01))
		c = plus(c, scaledColour{0.8, 0.85, 1}.times(halo*0.003))
		const disc = 0.012
		return plus(c, scaledColour{0.85, 0.9, 1}.times(float32(1-ease(disc*0.7, disc*1.3, chi))*2.4))
	}
	return func(d geom.Vec3) colour {
		if _, _, _, ok := r.panels[0].meets(d); ok {
			return r.at(d)
		}
		// panes all round between the sill and the eaves, with bars
		if y := d.Y / max(abs(d.X), abs(d.Z)); y > -0.28 && y < 0.86 {
			az := math.Atan2(float64(d.Z), float64(d.X)) / (2 * math.Pi) * 16
			in := math.Abs(az - math.Round(az))
			cross := math.Abs(float64(y) - 0.3)
			if in > 0.035 && cross > 0.015 {
				// the lamp once more, in the pane
				return plus(night(d), scaledColour(r.at(geom.V3(-d.X, d.Y, -d.Z))).times(0.05))
			}
		}
		return r.at(d)
	}
}

func abs(v float32) float32 { return max(v, -v) }

func plainStudio() func(geom.Vec3) colour {
	r := &room{
		lo: geom.V3(-4, -1.3, -4), hi: geom.V3(4, 3.2, 4),
		walls: gray(0.34), floor: gray(0.42), ceiling: gray(0.3),
		panels: []panel{
			{at: geom.V3(-2.5, 1.5, 1.6), a: geom.V3(0.55, 0, 0.75), b: geom.V3(0.2, 0.95, -0.15), shines: colour{7.4, 7.3, 7.1}, soft: 0.12},
			{at: geom.V3(2.9, 1.0, 0.5), a: geom.V3(-0.1, 0, 0.6), b: geom.V3(0, 1.2, 0), shines: colour{3.1, 3.15, 3.3}, soft: 0.12},
			{at: geom.V3(0, 3.0, -1.2), a: geom.V3(1.6, 0, 0), b: geom.V3(0, 0, 0.3), shines: colour{5.6, 5.7, 5.9}, soft: 0.2},
		},
	}
	r.settle()
	return r.at
}
