//go:build goexperiment.simd && amd64

package render

import "simd/archsimd"

var eights = archsimd.X86.AVX2()

func all(v float32) (l [8]float32) {
	for i := range l {
		l[i] = v
	}
	return
}

// Constants come from memory as whole registers: see package noise for why.
var v0, v1, v4, v16th, vFaint, vShare, vMiddle = all(0), all(1), all(4), all(1.0 / 16), all(1e-4), all(0.004), all(spline[0] * spline[0])

// wide smooths a row from its place in the planes on, eight pixels at a time, with the operations of
// pixel in their order, and returns how many it did.
func (g *guides) wide(from, to *litPlanes, at int, taps []tap) int {
	if !eights {
		return 0
	}
	nought, one, sixteenth := archsimd.LoadFloat32x8(&v0), archsimd.LoadFloat32x8(&v1), archsimd.LoadFloat32x8(&v16th)
	middle := archsimd.LoadFloat32x8(&vMiddle)
	closest := all(g.near * 1e-3)
	least := archsimd.LoadFloat32x8(&closest)
	load := func(p []float32, i int) archsimd.Float32x8 { return archsimd.LoadFloat32x8Slice(p[i:]) }
	consts := make([][2][8]float32, len(taps))
	for i, t := range taps {
		consts[i] = [2][8]float32{all(t.weight), all(t.away)}
	}
	n := g.w &^ 7
	for x := 0; x < n; x += 8 {
		i := at + x
		nx, ny, nz := load(g.normal[0], i), load(g.normal[1], i), load(g.normal[2], i)
		depth, slope, cover, lum := load(g.depth, i), load(g.slope, i), load(g.cover, i), load(from.lum, i)
		variance := load(from.variance, i)
		spread := variance.Sqrt().Mul(archsimd.LoadFloat32x8(&v4)).Add(archsimd.LoadFloat32x8(&vFaint)).
			Add(lum.Mul(archsimd.LoadFloat32x8(&vShare)))
		total := middle
		s0, s1, s2 := middle.Mul(load(from.of[0], i)), middle.Mul(load(from.of[1], i)), middle.Mul(load(from.of[2], i))
		vsum := middle.Mul(middle).Mul(variance)
		for j := range taps {
			k := i + taps[j].off
			n := nx.Mul(load(g.normal[0], k)).Add(ny.Mul(load(g.normal[1], k))).Add(nz.Mul(load(g.normal[2], k))).Max(nought)
			n = n.Mul(n)
			n = n.Mul(n)
			n = n.Mul(n)
			n = n.Mul(n)
			n = n.Mul(n)
			off := depth.Sub(load(g.depth, k))
			kl := lum.Sub(load(from.lum, k))
			d := off.Max(nought.Sub(off)).Div(slope.Mul(archsimd.LoadFloat32x8(&consts[j][1])).Add(least)).
				Add(kl.Max(nought.Sub(kl)).Div(spread))
			c := cover.Sub(load(g.cover, k))
			v := one.Sub(d.Mul(sixteenth)).Max(nought)
			v = v.Mul(v)
			v = v.Mul(v)
			v = v.Mul(v)
			v = v.Mul(v)
			w := archsimd.LoadFloat32x8(&consts[j][0]).Mul(load(g.has, k)).Mul(n).Mul(v).Mul(one.Sub(c.Max(nought.Sub(c))))
			s0, s1, s2 = s0.Add(w.Mul(load(from.of[0], k))), s1.Add(w.Mul(load(from.of[1], k))), s2.Add(w.Mul(load(from.of[2], k)))
			total = total.Add(w)
			vsum = vsum.Add(w.Mul(w).Mul(load(from.variance, k)))
		}
		s0.Div(total).StoreSlice(to.of[0][i:])
		s1.Div(total).StoreSlice(to.of[1][i:])
		s2.Div(total).StoreSlice(to.of[2][i:])
		vsum.Div(total.Mul(total)).StoreSlice(to.variance[i:])
	}
	archsimd.ClearAVXUpperBits()
	for x := range n { // where nothing is met it stays
		if i := at + x; g.has[i] == 0 {
			for c := range 3 {
				to.of[c][i] = from.of[c][i]
			}
		}
	}
	return n
}
