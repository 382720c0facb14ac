// Package deliver evaluates whole sheets and writes them as open formats: PNG
// maps and a GLB that carries them.
package deliver

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"slices"
	"strings"
	"sync"

	"velvetgrime/core/eval"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"

	"golang.org/x/sync/errgroup"
)

// Map is one kind of picture that can be delivered.
type Map struct {
	Name     string `json:"name"`
	Suffix   string `json:"suffix" doc:"end of the file name"`
	Packing  string `json:"packing" doc:"what its channels hold"`
	Encoding string `json:"encoding" enum:"sRGB,linear"`
	Channels int    `json:"channels"`
	// Depth16 marks maps that are worth 16 bit.
	Depth16 bool `json:"depth16"`
}

// HeightRange is the height in metres that a height map's black and white stand
// for: −HeightRange to +HeightRange, so that middle grey is 0.
const HeightRange = 0.005

// Maps lists every map in table order.
var Maps = []Map{
	{"base color", "basecolor", "R G B = base color", "sRGB", 3, false},
	{"base color with opacity", "basecolor_opacity", "R G B = base color, A = opacity", "sRGB", 4, false},
	{"occlusion roughness metallic", "orm", "R = ambient occlusion, G = roughness, B = metallic", "linear", 3, false},
	{"normal", "normal", "R G B = tangent-space normal, Y+", "linear", 3, true},
	{"height", "height", "grey: −5 mm black, 0 middle, +5 mm white", "linear", 1, true},
	{"emissive", "emissive", "R G B = emissive", "sRGB", 3, false},
}

// Find returns a map by its name.
func Find(name string) (Map, bool) {
	for _, m := range Maps {
		if m.Name == name {
			return m, true
		}
	}
	return Map{}, false
}

// Image evaluates one map of one sheet at size texels. depth is 8 or 16. Texels
// outside the islands are filled outward from the islands' edges, so that mips
// never mix in a background. step, when not nil, is called after each tile with
// the share done.
func Image(ctx context.Context, p *eval.Program, sheet, size int, m Map, depth int, step func(float64)) (image.Image, error) {
	if depth != 8 && depth != 16 {
		return nil, fmt.Errorf("depth %d is neither 8 nor 16", depth)
	}
	raw := make([]float32, size*size*m.Channels)
	covered := make([]bool, size*size)
	tiles := eval.Tiles(sheet, size)
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(2)
	var mu sync.Mutex
	done := 0
	for _, t := range tiles {
		g.Go(func() error {
			if err := drawTile(ctx, p, t, m, raw, covered); err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			done++
			if step != nil {
				step(float64(done) / float64(len(tiles)))
			}
			return ctx.Err()
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	spread(raw, covered, size, m.Channels)
	return quantize(raw, size, m.Channels, depth), nil
}

// Planes returns the components of a map on a surface, 0..1.
func Planes(ctx context.Context, p *eval.Program, u *eval.Surface, m Map) ([]pix.Plane, error) {
	get := func(cs ...stack.Channel) ([]pix.Plane, error) {
		var out []pix.Plane
		for _, c := range cs {
			v, err := p.Channel(ctx, u, c)
			if err != nil {
				return nil, err
			}
			out = append(out, v...)
		}
		return out, nil
	}
	if info, ok := stack.Info(stack.Channel(m.Suffix)); ok && info.Components == 1 && info.Channel != stack.Height {
		return get(info.Channel) // a scalar channel alone, for eval
	}
	switch m.Suffix {
	case "basecolor":
		return get(stack.BaseColor)
	case "basecolor_opacity":
		return get(stack.BaseColor, stack.Opacity)
	case "orm":
		return get(stack.Occlusion, stack.Roughness, stack.Metallic)
	case "emissive":
		return get(stack.Emissive)
	case "height":
		h, err := get(stack.Height)
		if err != nil {
			return nil, err
		}
		return scaled(h, 0.5/HeightRange), nil
	}
	n, err := p.Normal(ctx, u)
	if err != nil {
		return nil, err
	}
	return scaled(n, 0.5), nil
}

// Shown returns a channel as a picture shows it, 0..1: height around middle grey
// by HeightRange, normals from −1..1.
func Shown(ctx context.Context, p *eval.Program, u *eval.Surface, c stack.Channel) ([]pix.Plane, error) {
	v, err := p.Channel(ctx, u, c)
	switch {
	case err != nil:
		return nil, err
	case c == stack.Height:
		return scaled(v, 0.5/HeightRange), nil
	case c == stack.Normal:
		return scaled(v, 0.5), nil
	}
	return v, nil
}

// scaled returns 0.5 + v·s for every plane.
func scaled(in []pix.Plane, s float32) []pix.Plane {
	out := slices.Clone(in)
	for i, p := range in {
		out[i].Value = 0.5 + p.Value*s
		if p.Data != nil {
			out[i].Data = make([]float32, len(p.Data))
			for k, v := range p.Data {
				out[i].Data[k] = 0.5 + v*s
			}
		}
	}
	return out
}

func drawTile(ctx context.Context, p *eval.Program, t eval.Tile, m Map, raw []float32, covered []bool) error {
	u := p.Scene.OnTile(t)
	if u.Empty() {
		return nil
	}
	planes, err := Planes(ctx, p, u, m)
	if err != nil {
		return err
	}
	place(u, t, planes, raw, covered, m.Channels)
	return nil
}

// place writes a tile's components into a whole sheet's, n a texel.
func place(u *eval.Surface, t eval.Tile, planes []pix.Plane, raw []float32, covered []bool, n int) {
	f := u.Frame()
	for y := range min(pix.Size, t.Size) {
		for x := range min(pix.Size, t.Size) {
			i := (y+pix.Margin)*pix.Pitch + x + pix.Margin
			if f.Tri[i] < 0 {
				continue
			}
			o := (t.Y*pix.Size+y)*t.Size + t.X*pix.Size + x
			covered[o] = true
			for c, pl := range planes {
				raw[o*n+c] = pl.At(i)
			}
		}
	}
}

// spread fills uncovered texels from the nearest covered ones, by a sweep of
// rings outward (breadth first), to the whole picture.
func spread(raw []float32, covered []bool, size, channels int) {
	var ring []int32
	for i, c := range covered {
		if c {
			x, y := i%size, i/size
			if x > 0 && !covered[i-1] || x < size-1 && !covered[i+1] || y > 0 && !covered[i-size] || y < size-1 && !covered[i+size] {
				ring = append(ring, int32(i))
			}
		}
	}
	for len(ring) > 0 {
		var next []int32
		for _, i := range ring {
			x, y := int(i)%size, int(i)/size
			for _, d := range [4][2]int{{-1, 0}, {1, 0}, {0, -1}, {0, 1}} {
				nx, ny := x+d[0], y+d[1]
				if nx < 0 || ny < 0 || nx >= size || ny >= size || covered[ny*size+nx] {
					continue
				}
				j := ny*size + nx
				covered[j] = true
				copy(raw[j*channels:(j+1)*channels], raw[int(i)*channels:(int(i)+1)*channels])
				next = append(next, int32(j))
			}
		}
		ring = next
	}
}

func quantize(raw []float32, size, channels, depth int) image.Image {
	r := image.Rect(0, 0, size, size)
	at := func(i, c int) float32 {
		if channels == 1 {
			c = 0
		}
		if c >= channels {
			return 1
		}
		return raw[i*channels+c]
	}
	if channels == 1 {
		if depth == 16 {
			img := image.NewGray16(r)
			for i := range size * size {
				img.SetGray16(i%size, i/size, color.Gray16{Y: pix.Word(at(i, 0))})
			}
			return img
		}
		img := image.NewGray(r)
		for i := range size * size {
			img.Pix[i] = pix.Byte(at(i, 0))
		}
		return img
	}
	if depth == 16 {
		img := image.NewNRGBA64(r)
		for i := range size * size {
			for c := range 4 {
				w := pix.Word(at(i, c))
				img.Pix[i*8+c*2], img.Pix[i*8+c*2+1] = uint8(w>>8), uint8(w)
			}
		}
		return img
	}
	img := image.NewNRGBA(r)
	for i := range size * size {
		for c := range 4 {
			img.Pix[i*4+c] = pix.Byte(at(i, c))
		}
	}
	return img
}

// PNG encodes a picture.
func PNG(img image.Image) ([]byte, error) {
	var b bytes.Buffer
	err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, img)
	return b.Bytes(), err
}

// FileName makes a name of a model, a sheet and a suffix that every file system takes.
func FileName(model, sheet, suffix, ext string) string {
	clean := func(s string) string {
		return strings.Map(func(r rune) rune {
			switch {
			case r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '-':
				return r
			}
			return '_'
		}, s)
	}
	parts := []string{clean(model)}
	for _, s := range []string{sheet, suffix} {
		if s != "" {
			parts = append(parts, clean(s))
		}
	}
	return strings.Join(parts, "_") + ext
}
