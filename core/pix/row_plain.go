//go:build !goexperiment.simd || !amd64

package pix

func unitWide([]float32) int                       { return 0 }
func setWide([]float32, float32) int               { return 0 }
func linearWide(_, _ []float32, _, _ float32) int  { return 0 }
func addPairWide(_, _, _ []float32, _ float32) int { return 0 }
func smoothWide(_ []float32, _, _ float32) int     { return 0 }
func bytesWide(_ []byte, _ int, _ []float32) int   { return 0 }

func bytes3Wide([]byte, *[3]Plane, int, int) int { return 0 }
