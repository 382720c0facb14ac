package pix

// Nearest returns for every texel of a square sheet the index of the nearest covered
// one: its own when it is covered, −1 when nothing is. Two passes over the sheet hand
// on the nearest known. Source: P.-E. Danielsson, "Euclidean distance mapping", 1980.
func Nearest(covered []bool, size int) []int32 {
	from := make([]int32, size*size)
	for i := range from {
		from[i] = -1
		if covered[i] {
			from[i] = int32(i)
		}
	}
	pull := func(i, x, y, dx, dy int) {
		if x+dx < 0 || x+dx >= size || y+dy < 0 || y+dy >= size {
			return
		}
		if f := from[i+dy*size+dx]; f >= 0 && (from[i] < 0 || Apart2(i, int(f), size) < Apart2(i, int(from[i]), size)) {
			from[i] = f
		}
	}
	for y := range size {
		for x := range size {
			i := y*size + x
			pull(i, x, y, -1, 0)
			pull(i, x, y, -1, -1)
			pull(i, x, y, 0, -1)
			pull(i, x, y, 1, -1)
		}
		for x := size - 1; x >= 0; x-- {
			pull(y*size+x, x, y, 1, 0)
		}
	}
	for y := size - 1; y >= 0; y-- {
		for x := size - 1; x >= 0; x-- {
			i := y*size + x
			pull(i, x, y, 1, 0)
			pull(i, x, y, 1, 1)
			pull(i, x, y, 0, 1)
			pull(i, x, y, -1, 1)
		}
		for x := range size {
			pull(y*size+x, x, y, -1, 0)
		}
	}
	return from
}

// Apart2 returns the square of the distance between two texels of a sheet.
func Apart2(i, j, size int) int {
	dx, dy := i%size-j%size, i/size-j/size
	return dx*dx + dy*dy
}
