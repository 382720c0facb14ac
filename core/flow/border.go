package flow

import (
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/noise"
)

// Borders is line segments of a model that distances can be measured from.
type Borders struct {
	a, b  []geom.Vec3
	part  []uint16
	far   float32
	cells map[uint64][]int32
}

// NewBorders collects the edges where a part ends, or those sharper than angle degrees
// when angle is above 0. Distances are known up to far metres.
func NewBorders(m *mesh.Model, angle float64, far float32) *Borders {
	x := &Borders{far: far, cells: map[uint64][]int32{}}
	limit := float32(math.Cos(angle * math.Pi / 180))
	for i, t := range m.Tri {
		for k := range 3 {
			o := m.Neighbor[i][k]
			ends := o.Tri < 0 || m.TriPart[o.Tri] != m.TriPart[i]
			if angle > 0 {
				ends = o.Tri < 0 || m.FaceNormal(i).Unit().Dot(m.FaceNormal(int(o.Tri)).Unit()) < limit
			}
			if !ends || o.Tri > int32(i) && angle > 0 {
				continue
			}
			x.add(m.Pos[t[k]], m.Pos[t[(k+1)%3]], m.TriPart[i])
		}
	}
	return x
}

// add puts a segment into every cell within far of it.
func (x *Borders) add(a, b geom.Vec3, part uint16) {
	n := int32(len(x.a))
	x.a, x.b, x.part = append(x.a, a), append(x.b, b), append(x.part, part)
	c := func(v float32) int32 { return noise.Floor(v / x.far) }
	for z := c(min(a.Z, b.Z) - x.far); z <= c(max(a.Z, b.Z)+x.far); z++ {
		for y := c(min(a.Y, b.Y) - x.far); y <= c(max(a.Y, b.Y)+x.far); y++ {
			for xx := c(min(a.X, b.X) - x.far); xx <= c(max(a.X, b.X)+x.far); xx++ {
				x.cells[key(xx, y, z)] = append(x.cells[key(xx, y, z)], n)
			}
		}
	}
}

// Distance returns how far a place of a part is from that part's borders, at most far.
func (x *Borders) Distance(p geom.Vec3, part uint16) float32 {
	best := x.far * x.far
	c := func(v float32) int32 { return noise.Floor(v / x.far) }
	for _, i := range x.cells[key(c(p.X), c(p.Y), c(p.Z))] {
		if x.part[i] == part {
			best = min(best, toSegment2(p, x.a[i], x.b[i]))
		}
	}
	return float32(math.Sqrt(float64(best)))
}

// toSegment2 is the square of the distance from p to the segment ab.
func toSegment2(p, a, b geom.Vec3) float32 {
	e, d := b.Sub(a), p.Sub(a)
	if l := e.Dot(e); l > 0 {
		d = d.Sub(e.Mul(min(max(d.Dot(e)/l, 0), 1)))
	}
	return d.Dot(d)
}
