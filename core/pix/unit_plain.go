//go:build !goexperiment.simd || !amd64

package pix

// Unit brings each of a row's values into 0..1; what is no number stays none.
func Unit(row []float32) { unitPlain(row) }
