package render

import (
	"math"
	"sort"

	"velvetgrime/core/geom"
	"velvetgrime/core/light"
)

// lamps are the triangles that shine by themselves: places on them are drawn by how much they
// send out, so that a small flame is found.
type lamps struct {
	tri    []int32
	sum    []float64 // cumulated power, 0..1
	often  []float32 // by triangle: how often a place of it is drawn, per square metre
	powers float64   // of all, before the gauge
}

// tries is at how many places of a triangle it is looked whether it shines.
const tries = 16

func newLamps(t *Traced, use func(int) bool) *lamps {
	l := &lamps{}
	m := t.model
	var power []float64
	var areas []float32
	var pl place
	for i, tri := range m.Tri {
		if use != nil && !use(i) {
			continue
		}
		s := &t.skins[m.TriSheet[i]]
		if len(m.UV) == 0 || !s.shines {
			continue
		}
		a, b, c := m.UV[tri[0]], m.UV[tri[1]], m.UV[tri[2]]
		lit := 0.0
		for k := range tries {
			u, v := corner((float32(k%4)+0.5)/4, (float32(k/4)+0.5)/4)
			s.at(geom.Vec2{X: a.X + (b.X-a.X)*u + (c.X-a.X)*v, Y: a.Y + (b.Y-a.Y)*u + (c.Y-a.Y)*v}, &pl, false)
			lit += float64(light.Luminance(pl.emits[0], pl.emits[1], pl.emits[2])) / tries
		}
		if lit < 1e-4 {
			continue
		}
		area := m.FaceNormal(i).Length() / 2
		if area == 0 {
			continue
		}
		l.tri = append(l.tri, int32(i))
		areas = append(areas, area)
		power = append(power, lit*float64(area))
		l.powers += lit * float64(area)
	}
	if len(power) > 0 {
		l.often = make([]float32, len(m.Tri))
	}
	sum := 0.0
	for i, p := range power {
		sum += p
		l.sum = append(l.sum, sum/l.powers)
		l.often[l.tri[i]] = float32(p/l.powers) / areas[i]
	}
	return l
}

// corner maps a square to a triangle, evenly (Heitz 2019 is finer; this is Turk's).
func corner(a, b float32) (u, v float32) {
	s := sqrt32(a)
	return s * (1 - b), s * b
}

// draw returns a place of a triangle that shines, and its density per square metre.
func (l *lamps) draw(a, b, c float32) (tri int32, u, v float32, density float32) {
	x := float64(a)
	i := min(sort.Search(len(l.sum), func(i int) bool { return l.sum[i] > x }), len(l.sum)-1)
	tri = l.tri[i]
	u, v = corner(b, c)
	return tri, u, v, l.density(tri)
}

// density is how often a place of a triangle is drawn, per square metre.
func (l *lamps) density(tri int32) float32 {
	if l.often == nil {
		return 0
	}
	return l.often[tri]
}

func (l *lamps) none() bool { return len(l.tri) == 0 }

var inf = float32(math.Inf(1))
