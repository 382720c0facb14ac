package step

import (
	"math/bits"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
)

// Points scattered in space, count in every unit cube, are looked for again and again by
// texels that lie beside each other. A scatter finds them once for a cell of space and
// passes on those few that matter at a place, eight looked at side by side.

// scatter finds scattered points for texels that lie near each other, in the 27 cubes about
// each texel's. It is of one goroutine.
type scatter struct {
	seed  uint32
	count int
	most  float32 // the caller does nothing with points farther away than this, in edges of a cube
	slab  float32 // nor with those farther from the plane through the texel; 0: there is none
	share float32 // nor with those whose noise.Random(id, 1) is above this; 0: there is no telling
	shift uint    // 1 << shift cells are an edge of a unit cube: see cellsFor
	cells [scatterCells]cell
	list  []scattered // of all cells
}

const (
	scatterCells = 512 // that are remembered
	// turned is how far, as a vector, a normal may be from the one that a cell was made for
	turned = 0.12
	// manyScattered is after how many times eight points everything is made anew
	manyScattered = 1 << 11
	// nowhere is where there is no point
	nowhere = 1e9
)

type cell struct {
	x, y, z  int32
	n        geom.Vec3
	from, to int32 // in list
	made     bool
}

// scattered is eight points side by side: their cubes' corners, their places in these, and
// hashes that name them.
type scattered struct {
	corner, in [3][8]float32
	id         [8]uint32
}

// near calls f for the points that matter to a caller at p, on a surface with the normal n
// (which is not looked at without a slab): with the vector from p, and with what names each.
func (s *scatter) near(p, n geom.Vec3, f func(to geom.Vec3, id uint32)) {
	c := s.cell(p, n)
	if c.from == c.to {
		return
	}
	at := [8]float32{p.X, p.Y, p.Z, n.X, n.Y, n.Z, s.most * s.most, s.slab}
	if s.slab == 0 {
		at[3], at[4], at[5] = 0, 0, 0
	}
	var to [3][8]float32
	for k := c.from; k < c.to; k++ {
		q := &s.list[k]
		for found := q.within(&at, &to); found != 0; found &= found - 1 {
			l := bits.TrailingZeros32(found) & 7
			f(geom.V3(to[0][l], to[1][l], to[2][l]), q.id[l])
		}
	}
}

// withinPlain says which of eight points lie within a distance of a place and within a slab of
// the plane through it, as bits, and gives the vectors to them. at is the place, the plane's
// normal, the distance squared, and half of the slab's thickness. eight_simd.go does the same
// at once, to the bit: scatter_test.go holds them against each other.
func (q *scattered) withinPlain(at *[8]float32, to *[3][8]float32) (found uint32) {
	for l := range 8 {
		x, y, z := q.corner[0][l]-at[0]+q.in[0][l], q.corner[1][l]-at[1]+q.in[1][l], q.corner[2][l]-at[2]+q.in[2][l]
		to[0][l], to[1][l], to[2][l] = x, y, z
		if x*x+y*y+z*z <= at[6] && abs32(x*at[3]+y*at[4]+z*at[5]) <= at[7] {
			found |= 1 << l
		}
	}
	return found
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
	middle := [3]float32{(float32(x) + 0.5) * edge, (float32(y) + 0.5) * edge, (float32(z) + 0.5) * edge}
	first := [3]int32{x>>s.shift - 1, y>>s.shift - 1, z>>s.shift - 1}
	most2 := (s.most + spare) * (s.most + spare)
	// how far the cubes before, at and after the cell's lie from it, squared, by axis
	var gap [3][3]float32
	for axis := range gap {
		for d := range gap[axis] {
			m := float32(first[axis]+int32(d)) - middle[axis]
			g := max(m-half, -1-m-half, 0)
			gap[axis][d] = g * g
		}
	}
	// a point counts for the slab farther by what the cell is thick, and by what normals in it
	// may be turned
	thick := s.slab + half*(abs32(n.X)+abs32(n.Y)+abs32(n.Z)) + (s.most+2*half)*2*turned + spare
	wide := thick + 0.5*(abs32(n.X)+abs32(n.Y)+abs32(n.Z))
	beyond := func(d float32) float32 { return max(abs32(d)-half, 0) }
	at := 8 // in the last eight
	for dz := range int32(3) {
		for dy := range int32(3) {
			far := gap[2][dz] + gap[1][dy]
			if far > most2 {
				continue
			}
			for dx := range int32(3) {
				if far+gap[0][dx] > most2 {
					continue
				}
				i, j, k := first[0]+dx, first[1]+dy, first[2]+dz
				corner := geom.V3(float32(i), float32(j), float32(k))
				m := corner.Sub(geom.V3(middle[0], middle[1], middle[2]))
				if s.slab > 0 { // the cube as a whole
					if d := (m.X+0.5)*n.X + (m.Y+0.5)*n.Y + (m.Z+0.5)*n.Z; d > wide || d < -wide {
						continue
					}
				}
				for c := range s.count {
					h := noise.Hash(i, j, k, s.seed+uint32(c)*7919)
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
					if s.share > 0 && noise.Random(h, 1) > s.share {
						continue
					}
					if at == 8 {
						s.list, at = append(s.list, emptyScattered), 0
					}
					s.list[len(s.list)-1].set(at, corner, in, h)
					at++
				}
			}
		}
	}
}

// emptyScattered holds no points.
var emptyScattered = func() (q scattered) {
	for l := range q.id {
		q.set(l, geom.V3(nowhere, nowhere, nowhere), geom.Vec3{}, 0)
	}
	return q
}()

func (q *scattered) set(l int, corner, in geom.Vec3, id uint32) {
	q.corner[0][l], q.corner[1][l], q.corner[2][l] = corner.X, corner.Y, corner.Z
	q.in[0][l], q.in[1][l], q.in[2][l] = in.X, in.Y, in.Z
	q.id[l] = id
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
