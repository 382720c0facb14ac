package step

import (
	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
)

// Points scattered in space, count in every unit cube, are looked for again and again by
// texels that lie beside each other. A scatter finds them once for a cell of space and
// passes on those few that can matter there; near and nearPlane (solids.go) are the plain way
// and give the same, as scatter_test.go holds.

// scatter finds scattered points for texels that lie near each other. It is of one goroutine.
type scatter struct {
	seed  uint32
	count int
	reach float32 // distance to cubes beyond which their points do not count, as near has it
	depth float32 // and beyond which from the plane through p; 0: there is none
	most  float32 // the caller does nothing with points farther away than this
	slab  float32 // nor with those farther from the plane; 0: there is none
	shift uint    // 1 << shift cells are an edge of a unit cube: see cellsFor
	cells [scatterCells]cell
	list  []scattered // of all cells
}

const (
	scatterCells = 512 // that are remembered
	// turned is how far, as a vector, a normal may be from the one that a cell was made for
	turned = 0.12
	// manyScattered is after how many points everything is made anew
	manyScattered = 1 << 14
)

type cell struct {
	x, y, z  int32
	n        geom.Vec3
	from, to int32 // in list
	made     bool
}

// scattered is a point: its cube's corner, its place in the cube, its hash, and which of the
// 27 cubes about the cell's it is of.
type scattered struct {
	corner, in geom.Vec3
	id         uint32
	dx, dy, dz int8
}

// near calls f as nearPlane does, in the same order, for all points that can matter to the
// caller; n is not looked at without a depth.
func (s *scatter) near(p, n geom.Vec3, f func(to geom.Vec3, id uint32)) {
	c := s.cell(p, n)
	if c.from == c.to {
		return
	}
	i, j, k := noise.Floor(p.X), noise.Floor(p.Y), noise.Floor(p.Z)
	gx, gy, gz := gaps(p.X, i), gaps(p.Y, j), gaps(p.Z, k)
	reach := s.reach * s.reach
	thick := s.depth + 0.5*(abs32(n.X)+abs32(n.Y)+abs32(n.Z))
	for _, q := range s.list[c.from:c.to] {
		if gz[q.dz+1]+gy[q.dy+1]+gx[q.dx+1] > reach {
			continue
		}
		x, y, z := q.corner.X-p.X, q.corner.Y-p.Y, q.corner.Z-p.Z
		if s.depth > 0 {
			if d := (x+0.5)*n.X + (y+0.5)*n.Y + (z+0.5)*n.Z; d > thick || d < -thick {
				continue
			}
		}
		f(geom.V3(x+q.in.X, y+q.in.Y, z+q.in.Z), q.id)
	}
}

// gaps are the squared distances of v to the cubes before, at and after its own, i.
func gaps(v float32, i int32) [3]float32 {
	d := v - float32(i)
	return [3]float32{d * d, 0, (1 - d) * (1 - d)}
}

// cell returns what is known of the cell of a point on a surface with a normal.
func (s *scatter) cell(p, n geom.Vec3) *cell {
	per := float32(int32(1) << s.shift)
	x, y, z := noise.Floor(p.X*per), noise.Floor(p.Y*per), noise.Floor(p.Z*per)
	c := &s.cells[(uint32(x)*73856093^uint32(y)*19349663^uint32(z)*83492791)%scatterCells]
	if c.made && c.x == x && c.y == y && c.z == z {
		if s.slab == 0 {
			return c
		}
		if d := c.n.Sub(n); d.Dot(d) <= turned*turned {
			return c
		}
	}
	if len(s.list) > manyScattered {
		s.list = s.list[:0]
		s.cells = [scatterCells]cell{}
	}
	*c = cell{x: x, y: y, z: z, n: n, from: int32(len(s.list)), made: true}
	s.fill(x, y, z, n)
	c.to = int32(len(s.list))
	return c
}

// fill lists the points that can matter anywhere in a cell.
func (s *scatter) fill(x, y, z int32, n geom.Vec3) {
	edge := 1 / float32(int32(1)<<s.shift)
	half := 0.5 * edge
	// a point counts for the slab farther by what the cell is thick, and by what normals in it
	// may be turned
	middle := geom.V3(
		(float32(x)+0.5)*edge, (float32(y)+0.5)*edge, (float32(z)+0.5)*edge,
	)
	i, j, k := x>>s.shift, y>>s.shift, z>>s.shift
	beyond := func(d float32) float32 { return max(abs32(d)-half, 0) }
	most2 := (s.most + spare) * (s.most + spare)
	thick := s.slab + half*(abs32(n.X)+abs32(n.Y)+abs32(n.Z)) + (s.most+2*half)*2*turned + spare
	wide := thick + 0.5*(abs32(n.X)+abs32(n.Y)+abs32(n.Z))
	for dz := int32(-1); dz <= 1; dz++ {
		for dy := int32(-1); dy <= 1; dy++ {
			for dx := int32(-1); dx <= 1; dx++ {
				corner := geom.V3(float32(i+dx), float32(j+dy), float32(k+dz))
				// the cube as a whole
				m := corner.Sub(middle)
				if s.slab > 0 {
					if d := (m.X+0.5)*n.X + (m.Y+0.5)*n.Y + (m.Z+0.5)*n.Z; d > wide || d < -wide {
						continue
					}
				}
				g := geom.V3(max(m.X-half, -1-m.X-half, 0), max(m.Y-half, -1-m.Y-half, 0), max(m.Z-half, -1-m.Z-half, 0))
				if g.Dot(g) > most2 {
					continue
				}
				for c := range s.count {
					h := noise.Hash(i+dx, j+dy, k+dz, s.seed+uint32(c)*7919)
					in := geom.V3(
						float32(h&1023)*(1.0/1024), float32(h>>10&1023)*(1.0/1024), float32(h>>20&1023)*(1.0/1024),
					)
					to := m.Add(in)
					if s.slab > 0 {
						if d := to.Dot(n); d > thick || d < -thick {
							continue
						}
					}
					if b := geom.V3(beyond(to.X), beyond(to.Y), beyond(to.Z)); b.Dot(b) > most2 {
						continue
					}
					s.list = append(s.list, scattered{corner, in, h, int8(dx), int8(dy), int8(dz)})
				}
			}
		}
	}
}

// cellsFor is the shift of a scatter for texels of so many units: some of them share a cell,
// and no cell is larger than a cube.
func cellsFor(texel float32) uint {
	switch {
	case texel < 0.04:
		return 2
	case texel < 0.08:
		return 1
	}
	return 0
}

// spare is for rounding.
const spare = 1e-3
