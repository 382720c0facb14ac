//go:build goexperiment.simd && amd64

package blend

import "simd/archsimd"

var wide = archsimd.X86.AVX2()

type lanes = [8]float32

func all(v float32) (l lanes) {
	for i := range l {
		l[i] = v
	}
	return
}

// evenWide does the commonest modes of RowEven eight values at a time, with the
// operations of the plain loops in their order, and returns how many it did. Values
// that are the same for all come from memory as whole registers: see package noise
// for why.
func evenWide(m Mode, dst []float32, s float32, alpha []float32, amount float32) int {
	if !wide {
		return 0
	}
	ls, la := all(s), all(amount)
	n := len(dst) &^ 7
	switch m {
	case "", Normal:
		vs, va := archsimd.LoadFloat32x8(&ls), archsimd.LoadFloat32x8(&la)
		for i := 0; i < n; i += 8 {
			b, a := archsimd.LoadFloat32x8Slice(dst[i:]), archsimd.LoadFloat32x8Slice(alpha[i:])
			b.Add(a.Mul(va).Mul(vs.Sub(b))).StoreSlice(dst[i:])
		}
	case "multiply":
		vs, va := archsimd.LoadFloat32x8(&ls), archsimd.LoadFloat32x8(&la)
		for i := 0; i < n; i += 8 {
			b, a := archsimd.LoadFloat32x8Slice(dst[i:]), archsimd.LoadFloat32x8Slice(alpha[i:])
			b.Add(a.Mul(va).Mul(b.Mul(vs).Sub(b))).StoreSlice(dst[i:])
		}
	case "add":
		vs, va := archsimd.LoadFloat32x8(&ls), archsimd.LoadFloat32x8(&la)
		for i := 0; i < n; i += 8 {
			b, a := archsimd.LoadFloat32x8Slice(dst[i:]), archsimd.LoadFloat32x8Slice(alpha[i:])
			b.Add(a.Mul(va).Mul(vs)).StoreSlice(dst[i:])
		}
	case "screen":
		vs, va := archsimd.LoadFloat32x8(&ls), archsimd.LoadFloat32x8(&la)
		for i := 0; i < n; i += 8 {
			b, a := archsimd.LoadFloat32x8Slice(dst[i:]), archsimd.LoadFloat32x8Slice(alpha[i:])
			b.Add(a.Mul(va).Mul(vs.Sub(b.Mul(vs)))).StoreSlice(dst[i:])
		}
	default:
		return 0
	}
	archsimd.ClearAVXUpperBits()
	return n
}
