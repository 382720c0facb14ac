//go:build !goexperiment.simd || !amd64

package render

func (g *guides) wide(from, to *litPlanes, k int, taps []tap) int { return 0 }
