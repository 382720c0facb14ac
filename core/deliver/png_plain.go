//go:build !goexperiment.simd || !amd64

package deliver

// filterWide filters the bytes of a row that go into whole registers, and returns how many these are.
func filterWide(byte, []byte, []byte, []byte, []byte, []byte) int { return 0 }
