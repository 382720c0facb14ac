//go:build !goexperiment.simd || !amd64

package blend

func evenWide(Mode, []float32, float32, []float32, float32) int { return 0 }
