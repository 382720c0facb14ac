package pix

// Nearest returns for every texel of a square sheet the index of the nearest covered
// one: its own when it is covered, −1 when nothing is. Two passes over the sheet hand
// on the nearest known. Source: P.-E. Danielsson, "Euclidean distance mapping", 1980.
func Nearest(covered []bool, size int) []int32 { return NearestIn(covered, size, size) }

// NearestIn is Nearest for w × h texels.
func NearestIn(covered []bool, w, h int) []int32 {
	from := make([]int32, w*h)
	for i := range from {
		from[i] = -1
		if covered[i] {
			from[i] = int32(i)
		}
	}
	pull := func(i, x, y, dx, dy int) {
		if x+dx < 0 || x+dx >= w || y+dy < 0 || y+dy >= h {
			return
		}
		if f := from[i+dy*w+dx]; f >= 0 && (from[i] < 0 || Apart2(i, int(f), w) < Apart2(i, int(from[i]), w)) {
			from[i] = f
		}
	}
	for y := range h {
		for x := range w {
			i := y*w + x
			pull(i, x, y, -1, 0)
			pull(i, x, y, -1, -1)
			pull(i, x, y, 0, -1)
			pull(i, x, y, 1, -1)
		}
		for x := w - 1; x >= 0; x-- {
			pull(y*w+x, x, y, 1, 0)
		}
	}
	for y := h - 1; y >= 0; y-- {
		for x := w - 1; x >= 0; x-- {
			i := y*w + x
			pull(i, x, y, 1, 0)
			pull(i, x, y, 1, 1)
			pull(i, x, y, 0, 1)
			pull(i, x, y, -1, 1)
		}
		for x := range w {
			pull(y*w+x, x, y, -1, 0)
		}
	}
	return from
}

// Apart2 returns the square of the distance between two texels of rows of w.
func Apart2(i, j, w int) int {
	dx, dy := i%w-j%w, i/w-j/w
	return dx*dx + dy*dy
}
