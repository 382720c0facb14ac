//go:build !goexperiment.simd || !amd64

package eval

import (
	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
)

func eightNormals(*raster.Frame, []geom.Vec3, []float32, int, [3][]float32) uint8 { return 0 }
