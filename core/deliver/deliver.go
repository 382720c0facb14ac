// Package deliver evaluates whole sheets and writes them as open formats: PNG
// maps and a GLB that carries them.
package deliver

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"runtime"
	"strings"
	"sync"

	"velvetgrime/core/eval"
	"velvetgrime/core/par"
	"velvetgrime/core/pix"
	"velvetgrime/core/surface"
)

// Image evaluates one map of one sheet; see Images.
func Image(
	ctx context.Context,
	p *eval.Program,
	sheet, size int,
	m Map,
	depth int,
	step func(float64),
) (image.Image, error) {
	out, err := Images(ctx, p, sheet, size, []Map{m}, []int{depth}, step)
	if err != nil {
		return nil, err
	}
	return out[0], nil
}

// Images evaluates maps of one sheet at size texels, tile by tile, so that what
// they have in common is evaluated once. depth is 8 or 16 for each. Texels outside
// the islands are filled outward from the islands' edges, so that mips never mix in
// a background. step, when not nil, is called after each tile with the share done.
func Images(
	ctx context.Context,
	p *eval.Program,
	sheet, size int,
	maps []Map,
	depth []int,
	step func(float64),
) ([]image.Image, error) {
	targets := make([]target, len(maps))
	for i, m := range maps {
		if depth[i] != 8 && depth[i] != 16 {
			return nil, fmt.Errorf("depth %d is neither 8 nor 16", depth[i])
		}
		targets[i] = newTarget(size, m.Channels, depth[i])
	}
	covered := make([]bool, size*size)
	tiles := surface.Tiles(sheet, size)
	g, gctx := par.WithContext(ctx)
	g.SetLimit(runtime.NumCPU())
	var mu sync.Mutex
	done := 0
	for _, t := range tiles {
		g.Go(func() error {
			u := p.Scene.OnTile(t)
			for i, m := range maps {
				if u.Empty() {
					break
				}
				planes, err := Planes(gctx, p, u, m)
				if err != nil {
					return err
				}
				u.EachTexel(func(at, texel int) {
					covered[texel] = true
					targets[i].put(texel, planes, at)
				})
			}
			mu.Lock()
			defer mu.Unlock()
			done++
			if step != nil {
				step(float64(done) / float64(len(tiles)))
			}
			return gctx.Err()
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	from := pix.Nearest(covered, size)
	out := make([]image.Image, len(maps))
	for i := range targets {
		targets[i].bleed(from)
		out[i] = targets[i].img
	}
	return out, nil
}

// target is a picture that is being made: its bytes, and how many make a texel.
type target struct {
	img   image.Image
	pix   []byte
	bytes int
	words bool // 16 bit
}

// componentsFor is how many components a picture holds for so many channels.
func componentsFor(channels int) int {
	if channels == 1 {
		return 1
	}
	return 4
}

func newTarget(size, channels, depth int) target {
	r := image.Rect(0, 0, size, size)
	switch {
	case channels == 1 && depth == 8:
		img := image.NewGray(r)
		return target{img, img.Pix, 1, false}
	case channels == 1:
		img := image.NewGray16(r)
		return target{img, img.Pix, 2, true}
	case depth == 8:
		img := image.NewNRGBA(r)
		return target{img, img.Pix, 4, false}
	}
	img := image.NewNRGBA64(r)
	return target{img, img.Pix, 8, true}
}

// put writes one texel; a colour without a fourth component is opaque.
func (t target) put(texel int, planes []pix.Plane, at int) {
	o := texel * t.bytes
	for c := 0; o < (texel+1)*t.bytes; c++ {
		v := float32(1)
		if c < len(planes) {
			v = planes[c].At(at)
		}
		if t.words {
			w := pix.Word(v)
			t.pix[o], t.pix[o+1] = uint8(w>>8), uint8(w)
			o += 2
			continue
		}
		t.pix[o] = pix.Byte(v)
		o++
	}
}

// bleed copies into each texel from where nearest says.
func (t target) bleed(from []int32) {
	for i, k := range from {
		if k >= 0 && int(k) != i {
			copy(t.pix[i*t.bytes:(i+1)*t.bytes], t.pix[int(k)*t.bytes:int(k+1)*t.bytes])
		}
	}
}

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
