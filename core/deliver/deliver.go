// Package deliver evaluates whole sheets and writes them as open formats: pictures packed by presets,
// and files that carry the model with them. It tells before what there is to know, and afterwards what
// was written and whether it is what it should be.
package deliver

import (
	"bytes"
	"image"
	"image/png"
	"strings"

	"velvetgrime/core/pix"
	"velvetgrime/core/surface"
)

// place writes a tile's components into a whole sheet's, n a texel.
func place(u *surface.Surface, t surface.Tile, planes []pix.Plane, raw []float32, covered []bool, n int) {
	u.EachTexel(func(at, texel int) {
		covered[texel] = true
		for c, pl := range planes {
			raw[texel*n+c] = pl.At(at)
		}
	})
}

// spread fills uncovered texels of n numbers each.
func spread(raw []float32, covered []bool, size, n int) {
	for i, k := range pix.Nearest(covered, size) {
		if k >= 0 && int(k) != i {
			copy(raw[i*n:(i+1)*n], raw[int(k)*n:int(k+1)*n])
		}
	}
}

// PNG encodes a picture.
func PNG(img image.Image) ([]byte, error) {
	var b bytes.Buffer
	err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, img)
	return b.Bytes(), err
}

// FileName makes a name of a model, a sheet and a suffix that every file system takes.
func FileName(model, sheet, suffix, ext string) string {
	parts := []string{clean(model)}
	for _, s := range []string{sheet, suffix} {
		if s != "" {
			parts = append(parts, clean(s))
		}
	}
	return strings.Join(parts, "_") + ext
}
