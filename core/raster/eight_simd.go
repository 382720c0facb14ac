//go:build goexperiment.simd && amd64

package raster

import "simd/archsimd"

var wide = archsimd.X86.AVX2()

type (
	four  = [4]float64
	lanes = [8]float32
)

func four1(v float64) four { return four{v, v, v, v} }

func lanes1(v float32) (l lanes) {
	for i := range l {
		l[i] = v
	}
	return l
}

// constants come from memory as whole registers: see package noise
var (
	along          = [2]four{{0, 1, 2, 3}, {4, 5, 6, 7}}
	within, whole  = four1(eps), four1(1)
	unit, shortest = lanes1(1), lanes1(1e-20)
	nought         lanes
)

// wideTriangle is a triangle as eight reads it.
type wideTriangle struct {
	left, vy, uy, det four
	corner            [6][3]lanes // X, Y, Z of the place and of the normal, by corner
}

func (d *drawn) widen() *wideTriangle {
	if !wide {
		return nil
	}
	t := &wideTriangle{left: four1(d.p[0][0]), vy: four1(d.vy), uy: four1(d.uy), det: four1(d.det)}
	for k := range 3 {
		p, n := d.p3[k], d.n3[k]
		for c, v := range [6]float32{p.X, p.Y, p.Z, n.X, n.Y, n.Z} {
			t.corner[c][k] = lanes1(v)
		}
	}
	return t
}

// eight is at, for eight texels of a row from x on; every operation is that of at, in its order. A bit is
// set for each of them that lies in the triangle.
func (t *wideTriangle) eight(x, rise1, rise2 float64, out *[6]lanes) (inside uint8) {
	lx, l1, l2 := four1(x), four1(rise1), four1(rise2)
	vx, r1, r2 := archsimd.LoadFloat64x4(&lx), archsimd.LoadFloat64x4(&l1), archsimd.LoadFloat64x4(&l2)
	left, vy, uy, det := archsimd.LoadFloat64x4(&t.left), archsimd.LoadFloat64x4(&t.vy), archsimd.LoadFloat64x4(&t.uy), archsimd.LoadFloat64x4(&t.det)
	least64, all := archsimd.LoadFloat64x4(&within), archsimd.LoadFloat64x4(&whole)
	var w [3]archsimd.Float32x8
	for half := range 2 {
		dx := vx.Add(archsimd.LoadFloat64x4(&along[half])).Sub(left)
		b1 := dx.Mul(vy).Sub(r1).Div(det)
		b2 := r2.Sub(uy.Mul(dx)).Div(det)
		b0 := all.Sub(b1).Sub(b2)
		in := b0.GreaterEqual(least64).And(b1.GreaterEqual(least64)).And(b2.GreaterEqual(least64))
		inside |= in.ToBits() << (4 * half)
		if half == 0 {
			w[0], w[1], w[2] = w[0].SetLo(b0.ConvertToFloat32()), w[1].SetLo(b1.ConvertToFloat32()), w[2].SetLo(b2.ConvertToFloat32())
		} else {
			w[0], w[1], w[2] = w[0].SetHi(b0.ConvertToFloat32()), w[1].SetHi(b1.ConvertToFloat32()), w[2].SetHi(b2.ConvertToFloat32())
		}
	}
	if inside == 0 {
		archsimd.ClearAVXUpperBits()
		return 0
	}
	mixed := func(c int) archsimd.Float32x8 {
		k := &t.corner[c]
		return archsimd.LoadFloat32x8(&k[0]).Mul(w[0]).Add(archsimd.LoadFloat32x8(&k[1]).Mul(w[1])).Add(archsimd.LoadFloat32x8(&k[2]).Mul(w[2]))
	}
	mixed(0).Store(&out[0])
	mixed(1).Store(&out[1])
	mixed(2).Store(&out[2])
	nx, ny, nz := mixed(3), mixed(4), mixed(5)
	length := nx.Mul(nx).Add(ny.Mul(ny)).Add(nz.Mul(nz)).Sqrt()
	none := length.Less(archsimd.LoadFloat32x8(&shortest))
	by := archsimd.LoadFloat32x8(&nought).Merge(archsimd.LoadFloat32x8(&unit).Div(length), none)
	zero := archsimd.LoadFloat32x8(&nought)
	zero.Merge(nx.Mul(by), none).Store(&out[3])
	zero.Merge(ny.Mul(by), none).Store(&out[4])
	zero.Merge(nz.Mul(by), none).Store(&out[5])
	archsimd.ClearAVXUpperBits()
	return inside
}
