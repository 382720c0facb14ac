package flow

import (
	"math/bits"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
)

// Reader reads values of a cloud's points at places that lie beside each other, as Cloud.Sample
// does and to the bit: it lists the points about a cell once, and weighs eight of them at once. It is of
// one goroutine.
type Reader struct {
	cloud *Cloud
	cells [readerCells]readerCell
	list  []eight // of all cells
}

const (
	readerCells = 64 // that are remembered
	// manyRead is after how many times eight points everything is made anew
	manyRead = 1 << 10
	// nowhere is where there is no point
	nowhere = 1e9
)

// readerCell is a cell of the cloud's grid with the points of it and of the 26 about it.
type readerCell struct {
	x, y, z  int32
	from, to int32 // in list
	made     bool
}

// eight is points side by side.
type eight struct {
	pos, nrm [3][8]float32
	at       [8]int32
}

// noEight holds no points.
var noEight = func() (q eight) {
	for l := range q.at {
		q.pos[0][l] = nowhere
	}
	return q
}()

// Reader prepares to read.
func (c *Cloud) Reader() *Reader { return &Reader{cloud: c} }

// At returns a value of the points, v by their numbers, at a place on the surface in metres with a unit
// normal; far where no point lies near: see Cloud.Sample.
func (r *Reader) At(v []float32, p, n geom.Vec3, far float32) float32 {
	c := r.cloud
	if len(c.grid.table) == 0 {
		return far
	}
	cell := r.cell(p)
	at := [8]float32{p.X, p.Y, p.Z, n.X, n.Y, n.Z, c.Spacing * c.Spacing * reach * reach}
	var w [8]float32
	var sum, weight float32
	for k := cell.from; k < cell.to; k++ {
		q := &r.list[k]
		for found := q.weigh(&at, &w); found != 0; found &= found - 1 {
			l := bits.TrailingZeros32(found) & 7
			sum, weight = sum+w[l]*min(v[q.at[l]], far), weight+w[l]
		}
	}
	if weight < 1e-6 {
		return far
	}
	return sum / weight
}

func (r *Reader) cell(p geom.Vec3) *readerCell {
	g := &r.cloud.grid
	x, y, z := g.cells(p)
	e := &r.cells[noise.Hash(x, y, z, 0)%readerCells]
	if e.made && e.x == x && e.y == y && e.z == z {
		return e
	}
	if len(r.list) > manyRead {
		r.list, r.cells = r.list[:0], [readerCells]readerCell{}
	}
	*e = readerCell{x: x, y: y, z: z, from: int32(len(r.list)), made: true}
	at := 8 // in the last eight
	g.around(p, func(j int32) {
		if at == 8 {
			r.list, at = append(r.list, noEight), 0
		}
		q, pos, nrm := &r.list[len(r.list)-1], r.cloud.Pos[j], r.cloud.Nrm[j]
		q.pos[0][at], q.pos[1][at], q.pos[2][at] = pos.X, pos.Y, pos.Z
		q.nrm[0][at], q.nrm[1][at], q.nrm[2][at] = nrm.X, nrm.Y, nrm.Z
		q.at[at] = j
		at++
	})
	e.to = int32(len(r.list))
	return e
}

// weighPlain says which of eight points count at a place, as bits, and how much each does. at is the
// place, the surface's normal, and the distance squared within which points count. eight_simd.go does the
// same at once, to the bit: reader_test.go holds them against each other.
func (q *eight) weighPlain(at, w *[8]float32) (found uint32) {
	for l := range 8 {
		x, y, z := q.pos[0][l]-at[0], q.pos[1][l]-at[1], q.pos[2][l]-at[2]
		d := x*x + y*y + z*z
		f := q.nrm[0][l]*at[3] + q.nrm[1][l]*at[4] + q.nrm[2][l]*at[5]
		share := 1 - d/at[6]
		w[l] = share * share * f
		if d < at[6] && f > 0 {
			found |= 1 << l
		}
	}
	return found
}
