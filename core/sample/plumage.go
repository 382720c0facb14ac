package sample

import (
	"context"
	"fmt"
	"math"

	"velvetgrime/core/blend"
	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/spatial"
	"velvetgrime/core/stack"
)

// painter lays strokes on one side of the gull; the other side is its twin.
type painter struct {
	m    *mesh.Model
	tree *spatial.Tree
	l    *stack.Layer
}

// at finds the surface of the right side at a place seen from the side.
func (p *painter) at(x, y float64) (brush.Point, bool) {
	q := p.tree.Closest(geom.V3(float32(x), float32(y), 0.2), 0.4, func(t int32) bool { return p.m.FaceNormal(int(t)).Z > 0 })
	for range 12 { // the nearest place to a point beside the bird need not be beside it: walk there
		if q.Tri < 0 {
			return brush.Point{}, false
		}
		q = p.tree.Closest(geom.V3(float32(x), float32(y), q.Pos.Z+0.002), 0.4, func(t int32) bool { return p.m.FaceNormal(int(t)).Z > 0 })
	}
	t := p.m.Tri[q.Tri]
	n := p.m.Nrm[t[0]].Mul(1 - q.U - q.V).Add(p.m.Nrm[t[1]].Mul(q.U)).Add(p.m.Nrm[t[2]].Mul(q.V)).Unit()
	off := math.Hypot(float64(q.Pos.X)-x, float64(q.Pos.Y)-y)
	return brush.Point{Pos: q.Pos, Nrm: n, Pressure: 1}, off < 0.012
}

// feather lays one: a dark one, and a lighter one upon it that leaves its rim. It points
// to the tail, turned down by degrees; round is its breadth over its length.
func (p *painter) feather(x, y, size, round, down float64, dark, light string, values map[string]float32) {
	at, ok := p.at(x, y)
	if !ok {
		return
	}
	for k, c := range []string{dark, light} {
		r := size
		if k == 1 {
			r *= 0.88
		}
		kit := &brush.Kit{Tip: "plume", Round: float32(round), Spacing: 1, Flow: 1, Angle: float32(180 + down), AngleJitter: 0.02, LightJitter: 0.22, Depth: 0.6}
		s := &brush.Stroke{ID: fmt.Sprintf("%s-%d", p.l.ID, len(p.l.Strokes)+1), Radius: float32(r), Strength: 0.96, Kit: kit,
			Mirror: &brush.Mirror{Planes: []geom.Vec3{geom.V3(0, 0, 1)}}, Values: map[string][]float32{"baseColor": hex(c)}, Points: brush.Points{at}}
		for c, v := range values {
			if k == 1 || c != "height" {
				s.Values[c] = []float32{v}
			}
		}
		p.l.Strokes, p.l.StrokeID = append(p.l.Strokes, s), append(p.l.StrokeID, s.ID)
	}
}

// between mixes two hex colours.
func between(a, b string, t float64) string {
	x, y := hex(a), hex(b)
	out := "#"
	for c := range x {
		out += fmt.Sprintf("%02x", int(math.Round(255*(float64(x[c])+(float64(y[c])-float64(x[c]))*min(max(t, 0), 1)))))
	}
	return out
}

// plumage is a paint layer: the gull's wing feathers, laid by hand in rows, those below
// and behind first, so that each covers the roots of the next.
func plumage() *stack.Layer {
	m := Gull()
	tree, err := spatial.Build(context.Background(), m.Pos, m.Tri, func(i int) bool { return m.Parts[m.TriPart[i]].Name == "Wing, right" })
	if err != nil {
		panic(err) // the generator's own mistake
	}
	p := &painter{m, tree, &stack.Layer{ID: "plumage", Name: "Plumage", Kind: stack.Paint, Visible: true, Amount: 1,
		Reach: stack.Reach{Parts: []string{"Wing, right", "Wing, left"}},
		Channels: coats{stack.BaseColor: with(stack.Coat{On: true}, blend.Normal, 1), stack.Roughness: with(stack.Coat{On: true}, blend.Normal, 1),
			stack.Height: with(stack.Coat{On: true}, "add", 1)}}}
	// how low and how high the wing goes along the bird
	const bins = 48
	lo, hi := [bins]float64{}, [bins]float64{}
	for i := range lo {
		lo[i], hi[i] = 9, -9
	}
	bin := func(x float64) int { return min(max(int((x+0.19)/0.25*bins), 0), bins-1) }
	for i, t := range m.Tri {
		if m.Parts[m.TriPart[i]].Name == "Wing, right" {
			for _, v := range t {
				k := bin(float64(m.Pos[v].X))
				lo[k], hi[k] = min(lo[k], float64(m.Pos[v].Y)), max(hi[k], float64(m.Pos[v].Y))
			}
		}
	}
	type row struct{ f, from, to, step, size, round, down float64 }
	for _, r := range []row{ // flight feathers, long and narrow, then coverts, smaller and rounder
		{0.06, -0.165, 0.020, 0.0185, 0.036, 0.34, 3}, {0.30, -0.160, 0.032, 0.0150, 0.028, 0.46, 6}, {0.52, -0.150, 0.040, 0.0118, 0.019, 0.62, 9},
		{0.70, -0.130, 0.046, 0.0090, 0.0128, 0.8, 12}, {0.84, -0.110, 0.049, 0.0072, 0.0095, 0.9, 14}, {1.0, -0.090, 0.050, 0.0064, 0.0080, 0.95, 16},
	} {
		n := 0
		for x := r.from; x < r.to; x += r.step {
			k := bin(x)
			if hi[k] < lo[k] {
				continue
			}
			t := (x + 0.172) / 0.222 // 0 at the wing's end, 1 at the shoulder
			sway := 0.0012 * math.Sin(float64(n)*2.4+r.f*9)
			y := lo[k] + (hi[k]-lo[k])*r.f + sway
			light := between(between("#39465a", "#7d93a6", t), "#aebfc9", (r.f-0.3)*0.9)
			if r.f < 0.2 && t < 0.45 {
				light = between("#1b2029", "#3a4556", t/0.45) // the dark ends of the flight feathers
			}
			p.feather(x, y, r.size*(1+0.05*math.Sin(float64(n)*1.7)), r.round, r.down+3*math.Sin(float64(n)*3.1), between(light, "#0c1119", 0.85), light,
				map[string]float32{"roughness": 0.46, "height": 0.00022})
			n++
		}
	}
	return p.l
}
