//go:build !goexperiment.simd || !amd64

package raster

type (
	lanes        = [8]float32
	wideTriangle struct{}
)

func (d *drawn) widen() *wideTriangle { return nil }

func (t *wideTriangle) eight(_, _, _ float64, _ *[6]lanes) uint8 { return 0 }
