//go:build goexperiment.simd && amd64

package pix

import "simd/archsimd"

var (
	wide   = archsimd.X86.AVX2()
	ones   = [8]float32{1, 1, 1, 1, 1, 1, 1, 1} // constants come from memory as whole registers: see package noise
	nought [8]float32
)

// Unit brings each of a row's values into 0..1; what is no number stays none.
func Unit(row []float32) {
	n := 0
	if wide {
		n = len(row) &^ 7
		zero, one := archsimd.LoadFloat32x8(&nought), archsimd.LoadFloat32x8(&ones)
		for i := 0; i < n; i += 8 {
			at := (*[8]float32)(row[i:])
			// of two numbers the second is taken where either is none
			zeroed := zero.Max(archsimd.LoadFloat32x8(at))
			one.Min(zeroed).Store(at)
		}
		archsimd.ClearAVXUpperBits()
	}
	unitPlain(row[n:])
}
