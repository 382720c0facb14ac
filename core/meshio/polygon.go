package meshio

import "velvetgrime/core/geom"

// cut cuts a polygon of n corners into triangles by taking off one ear after the
// other, so that hollow outlines stay hollow; at gives the corners' places. A polygon
// without area, or of more than 4096 corners, is cut as a fan. Indices are corners.
// Source: G. H. Meisters, "Polygons have ears", 1975.
func cut(n int, at func(i int) geom.Vec3) [][3]int {
	if n < 3 {
		return nil
	}
	out := make([][3]int, 0, n-2)
	fan := func() [][3]int {
		for i := 1; i+1 < n; i++ {
			out = append(out, [3]int{0, i, i + 1})
		}
		return out
	}
	if n == 3 || n > 4096 {
		return fan()
	}
	// the mean normal (Newell), and the plane across its longest axis
	var nrm geom.Vec3
	for i := range n {
		a, b := at(i), at((i+1)%n)
		nrm = nrm.Add(geom.V3((a.Y-b.Y)*(a.Z+b.Z), (a.Z-b.Z)*(a.X+b.X), (a.X-b.X)*(a.Y+b.Y)))
	}
	abs := func(v float32) float32 { return max(v, -v) }
	p := make([][2]float64, n)
	for i := range p {
		q := at(i)
		switch x, y, z := abs(nrm.X), abs(nrm.Y), abs(nrm.Z); {
		case x >= y && x >= z:
			p[i] = [2]float64{float64(q.Y), float64(q.Z)}
			if nrm.X < 0 {
				p[i] = [2]float64{float64(q.Z), float64(q.Y)}
			}
		case y >= z:
			p[i] = [2]float64{float64(q.Z), float64(q.X)}
			if nrm.Y < 0 {
				p[i] = [2]float64{float64(q.X), float64(q.Z)}
			}
		default:
			p[i] = [2]float64{float64(q.X), float64(q.Y)}
			if nrm.Z < 0 {
				p[i] = [2]float64{float64(q.Y), float64(q.X)}
			}
		}
	}
	turn := func(a, b, c int) float64 {
		return (p[b][0]-p[a][0])*(p[c][1]-p[a][1]) - (p[b][1]-p[a][1])*(p[c][0]-p[a][0])
	}
	convex := nrm != geom.Vec3{}
	for i := range n {
		convex = convex && turn(i, (i+1)%n, (i+2)%n) >= 0
	}
	if convex || nrm == (geom.Vec3{}) {
		return fan()
	}
	left := make([]int, n)
	for i := range left {
		left[i] = i
	}
	ear := func(k int) bool {
		m := len(left)
		a, b, c := left[(k+m-1)%m], left[k], left[(k+1)%m]
		if turn(a, b, c) <= 0 {
			return false
		}
		for _, q := range left {
			if p[q] != p[a] && p[q] != p[b] && p[q] != p[c] && turn(a, b, q) >= 0 && turn(b, c, q) >= 0 &&
				turn(c, a, q) >= 0 {
				return false
			}
		}
		return true
	}
	for len(left) > 3 {
		k := 0
		for k < len(left) && !ear(k) {
			k++
		}
		if k == len(left) { // what is left crosses itself
			k = 0
		}
		m := len(left)
		out = append(out, [3]int{left[(k+m-1)%m], left[k], left[(k+1)%m]})
		left = append(left[:k], left[k+1:]...)
	}
	return append(out, [3]int(left))
}
