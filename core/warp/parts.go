package warp

import "github.com/zeebo/xxh3"

// Cells are cells of the grid: those which the places of a part of the picture lie in. The zero
// value has none.
type Cells [cells]uint64 // a row each, a bit a cell

// Add adds the cells of the places from (u0, v0) to (u1, v1), in shares of the picture's width and
// height, and one around them: for the rounding of who found them.
func (c *Cells) Add(u0, v0, u1, v1 float32) {
	at := func(v float32, by int) int { return min(max(int(grid(v))+by, 0), cells-1) }
	x0, x1 := at(u0, -1), at(u1, 1)
	row := ^uint64(0) >> (cells - 1 - max(x1-x0, 0)) << x0
	for y := at(v0, -1); y <= at(v1, 1); y++ {
		c[y] |= row
	}
}

// reads returns which points of a row of the grid cells read: four about each.
func reads(rows uint64) (low uint64, last bool) {
	return rows | rows<<1 | rows>>1 | rows<<2, rows>>(cells-2) != 0
}

// Part names what of a field shows in places of some cells: two fields with the same name there
// move the same by the same. It is zero where nothing is moved.
func (f *Field) Part(c *Cells) (name xxh3.Uint128) {
	if f == nil {
		return name
	}
	read := make([]byte, 0, 4*points)
	moved := false
	for y := range Side {
		var rows uint64
		for k := max(y-2, 0); k <= min(y+1, cells-1); k++ {
			rows |= c[k]
		}
		if rows == 0 {
			continue
		}
		low, last := reads(rows)
		for x := range Side {
			if x < cells && low>>x&1 == 0 || x == cells && !last {
				continue
			}
			b := f.Moved[4*(y*Side+x):][:4]
			moved = moved || b[0]|b[1]|b[2]|b[3] != 0
			read = append(read, b...)
		}
	}
	if !moved {
		return name
	}
	return xxh3.Hash128(read)
}

// Changed returns the cells in which places are seen elsewhere in one field than in another.
func Changed(a, b *Field) *Cells {
	out := &Cells{}
	at := func(f *Field, i int) [4]byte {
		if f == nil {
			return [4]byte{}
		}
		return [4]byte(f.Moved[4*i:])
	}
	for i := range points {
		if at(a, i) == at(b, i) {
			continue
		}
		// a cell reads the points from one before its own to two after it
		x, y := i%Side, i/Side
		for k := max(y-2, 0); k <= min(y+1, cells-1); k++ {
			for j := max(x-2, 0); j <= min(x+1, cells-1); j++ {
				out[k] |= 1 << j
			}
		}
	}
	return out
}

// Meets reports whether cells have any in common.
func (c *Cells) Meets(o *Cells) bool {
	for y, row := range c {
		if row&o[y] != 0 {
			return true
		}
	}
	return false
}
