package deliver

import (
	"context"
	"image"

	"velvetgrime/core/eval"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// Own draws what one layer itself brings to a channel over a whole sheet, without
// mask and reach, 16 bits a component. Islands are carried outward.
func Own(ctx context.Context, p *eval.Program, sheet, size int, layer string, c stack.Channel) (image.Image, error) {
	raw, covered := make([]float32, size*size*3), make([]bool, size*size)
	for _, t := range surface.Tiles(sheet, size) {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		u := p.Scene.OnTile(t)
		if u.Empty() {
			continue
		}
		v, err := p.Own(ctx, u, layer, c)
		if err != nil {
			return nil, err
		}
		if len(v) == 1 {
			v = []pix.Plane{v[0], v[0], v[0]}
		}
		place(u, t, v, raw, covered, 3)
	}
	spread(raw, covered, size, 3)
	img := image.NewNRGBA64(image.Rect(0, 0, size, size))
	for i := range size * size {
		for k := range 3 {
			w := pix.Word(raw[3*i+k])
			img.Pix[8*i+2*k], img.Pix[8*i+2*k+1] = byte(w>>8), byte(w)
		}
		img.Pix[8*i+6], img.Pix[8*i+7] = 255, 255
	}
	return img, nil
}
