//go:build goexperiment.simd && amd64

package flow

import "simd/archsimd"

var abreast = archsimd.X86.AVX2()

// lane is the number of a lane in all lanes: what spreads that lane over a register. A register
// set from a single value would be set with an instruction of the older kind (see
// noise/eight_simd.go).
var lane = func() (l [7][8]uint32) {
	for n := range l {
		for i := range l[n] {
			l[n][i] = uint32(n)
		}
	}
	return l
}()

var ones, zeros = [8]float32{1, 1, 1, 1, 1, 1, 1, 1}, [8]float32{}

// weigh is weighPlain, of all eight at once.
func (q *eight) weigh(at, w *[8]float32) uint32 {
	if !abreast {
		return q.weighPlain(at, w)
	}
	v := archsimd.LoadFloat32x8(at)
	of := func(n int) archsimd.Float32x8 { return v.Permute(archsimd.LoadUint32x8(&lane[n])) }
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
