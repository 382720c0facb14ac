//go:build goexperiment.simd && amd64

package step

import (
	"simd/archsimd"

	"velvetgrime/core/octet"
)

var wide = archsimd.X86.AVX2()

var ones, twos, depths = octet.All(1), octet.All(2), octet.All(markDepth)

// within is withinPlain, of all eight at once.
func (q *scattered) within(at *[8]float32, to *[3][8]float32) uint32 {
	if !wide {
		return q.withinPlain(at, to)
	}
	v := archsimd.LoadFloat32x8(at)
	one := func(n int) archsimd.Float32x8 { return v.Permute(archsimd.LoadUint32x8(&octet.Lane[n])) }
	x := archsimd.LoadFloat32x8(&q.corner[0]).Sub(one(0)).Add(archsimd.LoadFloat32x8(&q.in[0]))
	y := archsimd.LoadFloat32x8(&q.corner[1]).Sub(one(1)).Add(archsimd.LoadFloat32x8(&q.in[1]))
	z := archsimd.LoadFloat32x8(&q.corner[2]).Sub(one(2)).Add(archsimd.LoadFloat32x8(&q.in[2]))
	x.Store(&to[0])
	y.Store(&to[1])
	z.Store(&to[2])
	d := x.Mul(one(3)).Add(y.Mul(one(4))).Add(z.Mul(one(5))).AsInt32x8().And(archsimd.LoadInt32x8(&octet.NoSign)).AsFloat32x8()
	far := x.Mul(x).Add(y.Mul(y)).Add(z.Mul(z))
	found := uint32(far.LessEqual(one(6)).And(d.LessEqual(one(7))).ToBits())
	archsimd.ClearAVXUpperBits()
	return found
}

// near is nearPlain, of all eight at once.
func (q *eightMarks) near(at *markPlace, along, across *[8]float32) uint32 {
	if !wide {
		return q.nearPlain(at, along, across)
	}
	a, b := archsimd.LoadFloat32x8(&at[0]), archsimd.LoadFloat32x8(&at[1])
	ofA := func(n int) archsimd.Float32x8 { return a.Permute(archsimd.LoadUint32x8(&octet.Lane[n])) }
	ofB := func(n int) archsimd.Float32x8 { return b.Permute(archsimd.LoadUint32x8(&octet.Lane[n])) }
	sign := archsimd.LoadInt32x8(&octet.NoSign)
	abs := func(v archsimd.Float32x8) archsimd.Float32x8 { return v.AsInt32x8().And(sign).AsFloat32x8() }
	one, two := archsimd.LoadFloat32x8(&ones), archsimd.LoadFloat32x8(&twos)
	x, y, z := archsimd.LoadFloat32x8(&q.corner[0]), archsimd.LoadFloat32x8(&q.corner[1]), archsimd.LoadFloat32x8(&q.corner[2])
	next := abs(x.Sub(ofB(4))).LessEqual(one).And(abs(y.Sub(ofB(5))).LessEqual(one)).And(abs(z.Sub(ofB(6))).LessEqual(one))
	x, y, z = x.Sub(ofA(0)), y.Sub(ofA(1)), z.Sub(ofA(2))
	ux, uy, uz := archsimd.LoadFloat32x8(&q.in[0]), archsimd.LoadFloat32x8(&q.in[1]), archsimd.LoadFloat32x8(&q.in[2])
	nx, ny, nz := ofA(3), ofA(4), ofA(5)
	deep := x.Mul(nx).Add(y.Mul(ny)).Add(z.Mul(nz)).Add(ux.Mul(nx)).Add(uy.Mul(ny)).Add(uz.Mul(nz))
	x, y, z = ux.Add(x), uy.Add(y), uz.Add(z)
	// turned the other way: both are taken from nought where the plain way negates them
	u := x.Mul(ofA(6)).Add(y.Mul(ofA(7))).Add(z.Mul(ofB(0)))
	v := x.Mul(ofB(1)).Add(y.Mul(ofB(2))).Add(z.Mul(ofB(3)))
	zero := one.Sub(one)
	u, v = zero.Sub(u), zero.Sub(v)
	sin, cos := archsimd.LoadFloat32x8(&q.sin), archsimd.LoadFloat32x8(&q.cos)
	m, w := cos.Mul(u).Add(sin.Mul(v)), cos.Mul(v).Sub(sin.Mul(u))
	w = w.Add(archsimd.LoadFloat32x8(&q.bow).Mul(m).Mul(m).Mul(two)).Mul(two)
	m = m.Mul(two)
	found := uint32(next.And(abs(deep).LessEqual(archsimd.LoadFloat32x8(&depths))).And(abs(m).LessEqual(one)).And(abs(w).LessEqual(ofB(7))).ToBits())
	m.Store(along)
	w.Store(across)
	archsimd.ClearAVXUpperBits()
	return found
}
