//go:build goexperiment.simd && amd64

package flow

import (
	"simd/archsimd"

	"velvetgrime/core/octet"
)

var abreast = archsimd.X86.AVX2()

var ones, zeros = octet.All(1), octet.All(0)

// weigh is weighPlain, of all eight at once.
func (q *eight) weigh(at, w *[8]float32) uint32 {
	if !abreast {
		return q.weighPlain(at, w)
	}
	v := archsimd.LoadFloat32x8(at)
	of := func(n int) archsimd.Float32x8 { return v.Permute(archsimd.LoadUint32x8(&octet.Lane[n])) }
	x := archsimd.LoadFloat32x8(&q.pos[0]).Sub(of(0))
	y := archsimd.LoadFloat32x8(&q.pos[1]).Sub(of(1))
	z := archsimd.LoadFloat32x8(&q.pos[2]).Sub(of(2))
	d := x.Mul(x).Add(y.Mul(y)).Add(z.Mul(z))
	f := archsimd.LoadFloat32x8(&q.nrm[0]).Mul(of(3)).Add(archsimd.LoadFloat32x8(&q.nrm[1]).Mul(of(4))).Add(archsimd.LoadFloat32x8(&q.nrm[2]).Mul(of(5)))
	most := of(6)
	share := archsimd.LoadFloat32x8(&ones).Sub(d.Div(most))
	share.Mul(share).Mul(f).Store(w)
	found := uint32(d.Less(most).And(f.Greater(archsimd.LoadFloat32x8(&zeros))).ToBits())
	archsimd.ClearAVXUpperBits()
	return found
}
