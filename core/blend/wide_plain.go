//go:build !goexperiment.simd || !amd64

package blend

func evenOverWide(Mode, []float32, float32, float32, []float32, float32) int { return 0 }

func blendWide(Mode, []float32, []float32, int, []float32, float32) int { return 0 }
