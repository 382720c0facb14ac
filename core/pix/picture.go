package pix

import (
	"context"
	"fmt"
	"image"
	"image/color"
	_ "image/jpeg" // pictures come in these forms
	_ "image/png"
	"io"
	"math"

	_ "golang.org/x/image/tiff"
	_ "golang.org/x/image/webp"

	"velvetgrime/core/budget"
)

// MaxPicture bounds a picture's texels, so that a small file cannot grow to fill
// the memory.
const MaxPicture = 1 << 26

// Picture is a stored picture with its mips. Colours are sRGB-encoded as the file
// has them; all components are 0..1.
type Picture struct {
	levels []level
	Gray   bool // one component in the file
	Alpha  bool // the file has coverage
}

type level struct {
	w, h int
	rgba []uint16 // four a texel
}

// decoding is what a texel takes while it is read, bytes: as the file has it, eight as it is
// kept, and a third of that for mips.
func decoding(m color.Model) int64 {
	const kept = 8 + 3
	switch m {
	case color.GrayModel:
		return 1 + kept
	case color.Gray16Model:
		return 2 + kept
	case color.RGBA64Model, color.NRGBA64Model:
		return 8 + kept
	}
	return 4 + kept
}

// DecodePicture reads a PNG, JPEG, TIFF or WebP file. The size is checked before
// the texels are read.
func DecodePicture(r io.ReadSeeker) (*Picture, error) {
	conf, form, err := image.DecodeConfig(r)
	if err != nil {
		return nil, fmt.Errorf("it is no PNG, JPEG, TIFF or WebP picture: %w", err)
	}
	if conf.Width < 1 || conf.Height < 1 || conf.Width*conf.Height > MaxPicture {
		return nil, fmt.Errorf(
			"it has %d × %d texels; at most %d in all are possible, scale it down",
			conf.Width,
			conf.Height,
			MaxPicture,
		)
	}
	if _, err := r.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	what := fmt.Sprintf("the picture of %d × %d texels", conf.Width, conf.Height)
	release, err := budget.Memory.Brief(
		context.Background(),
		what,
		int64(conf.Width)*int64(conf.Height)*decoding(conf.ColorModel),
	)
	if err != nil {
		return nil, err
	}
	defer release()
	img, _, err := image.Decode(r)
	if err != nil {
		return nil, fmt.Errorf("the %s picture is damaged: %w", form, err)
	}
	return NewPicture(img), nil
}

// NewPicture takes an image over, and makes its mips by averaging 2 × 2.
func NewPicture(img image.Image) *Picture {
	b := img.Bounds()
	p := &Picture{}
	switch img.(type) {
	case *image.Gray, *image.Gray16:
		p.Gray = true
	case *image.NRGBA, *image.NRGBA64, *image.RGBA, *image.RGBA64:
		p.Alpha = true
	}
	l := level{b.Dx(), b.Dy(), make([]uint16, 4*b.Dx()*b.Dy())}
	for y := range l.h {
		for x := range l.w {
			o := 4 * (y*l.w + x)
			if n, ok := img.(*image.NRGBA64); ok {
				c := n.NRGBA64At(b.Min.X+x, b.Min.Y+y)
				l.rgba[o], l.rgba[o+1], l.rgba[o+2], l.rgba[o+3] = c.R, c.G, c.B, c.A
				continue
			}
			r, g, bl, a := img.At(b.Min.X+x, b.Min.Y+y).RGBA()
			if a > 0 && a < 65535 { // as if it were not multiplied by coverage
				r, g, bl = r*65535/a, g*65535/a, bl*65535/a
			}
			l.rgba[o], l.rgba[o+1], l.rgba[o+2], l.rgba[o+3] = uint16(
				min(r, 65535),
			), uint16(
				min(g, 65535),
			), uint16(
				min(bl, 65535),
			), uint16(
				a,
			)
		}
	}
	p.levels = append(p.levels, l)
	for l.w > 1 || l.h > 1 {
		l = l.half()
		p.levels = append(p.levels, l)
	}
	return p
}

// half averages squares, each texel by its coverage.
func (l level) half() level {
	n := level{max(l.w/2, 1), max(l.h/2, 1), nil}
	n.rgba = make([]uint16, 4*n.w*n.h)
	for y := range n.h {
		for x := range n.w {
			var sum [3]uint64
			var cover uint64
			var plain [3]uint64
			for k := range 4 {
				o := 4 * (min(2*y+k/2, l.h-1)*l.w + min(2*x+k%2, l.w-1))
				a := uint64(l.rgba[o+3])
				cover += a
				for c := range 3 {
					sum[c] += a * uint64(l.rgba[o+c])
					plain[c] += uint64(l.rgba[o+c])
				}
			}
			o := 4 * (y*n.w + x)
			for c := range 3 {
				if cover > 0 {
					n.rgba[o+c] = uint16(sum[c] / cover)
				} else {
					n.rgba[o+c] = uint16(plain[c] / 4)
				}
			}
			n.rgba[o+3] = uint16(cover / 4)
		}
	}
	return n
}

// Size returns the picture's width and height in texels.
func (p *Picture) Size() (w, h int) { return p.levels[0].w, p.levels[0].h }

// Bytes returns the memory the picture holds.
func (p *Picture) Bytes() int {
	n := 64
	for _, l := range p.levels {
		n += 8 * l.w * l.h
	}
	return n
}

// Sample reads the picture at (u, v), v growing downward, repeated in both ways;
// footprint is the size of what is asked for in shares of the picture's width. It
// reads bilinearly from the two nearest mips.
func (p *Picture) Sample(u, v, footprint float32) [4]float32 {
	at := float32(math.Log2(float64(max(footprint*float32(p.levels[0].w), 1e-6))))
	if at <= 0 || len(p.levels) == 1 {
		return p.levels[0].sample(u, v)
	}
	k := min(int(at), len(p.levels)-1)
	a := p.levels[k].sample(u, v)
	if k == len(p.levels)-1 {
		return a
	}
	b, t := p.levels[k+1].sample(u, v), at-float32(k)
	for c := range a {
		a[c] += t * (b[c] - a[c])
	}
	return a
}

func (l level) sample(u, v float32) [4]float32 {
	fl := func(x float32) float32 { return float32(math.Floor(float64(x))) }
	x, y := (u-fl(u))*float32(l.w)-0.5, (v-fl(v))*float32(l.h)-0.5
	x0, y0 := fl(x), fl(y)
	fx, fy := x-x0, y-y0
	wrap := func(i, n int) int { return (i + n) % n }
	var out [4]float32
	for k, w := range [4]float32{(1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy} {
		o := 4 * (wrap(int(y0)+k/2, l.h)*l.w + wrap(int(x0)+k%2, l.w))
		for c := range out {
			out[c] += w * float32(l.rgba[o+c])
		}
	}
	for c := range out {
		out[c] /= 65535
	}
	return out
}

// Small returns the first mip that is at most edge texels wide and high.
func (p *Picture) Small(edge int) image.Image {
	l := p.levels[len(p.levels)-1]
	for _, q := range p.levels {
		if q.w <= edge && q.h <= edge {
			l = q
			break
		}
	}
	img := image.NewNRGBA(image.Rect(0, 0, l.w, l.h))
	for i, v := range l.rgba {
		img.Pix[i] = uint8(v >> 8)
	}
	return img
}

// Nearest reads the texel at (u, v) as it is, repeated in both ways.
func (p *Picture) Nearest(u, v float32) [4]float32 {
	l := p.levels[0]
	at := func(x float32, n int) int {
		i := int(math.Floor(float64(x) * float64(n)))
		return ((i % n) + n) % n
	}
	o := 4 * (at(v, l.h)*l.w + at(u, l.w))
	var out [4]float32
	for c := range out {
		out[c] = float32(l.rgba[o+c]) / 65535
	}
	return out
}

// Numbers returns the picture's components as numbers: black is r[0], white r[1].
func (p *Picture) Numbers(r [2]float32) [][]float32 {
	l := p.levels[0]
	n := 3
	if p.Gray {
		n = 1
	}
	out := make([][]float32, n)
	for c := range out {
		out[c] = make([]float32, l.w*l.h)
		for i := range out[c] {
			out[c][i] = r[0] + (r[1]-r[0])*float32(l.rgba[4*i+c])/65535
		}
	}
	return out
}

// Component returns one component of every texel by rows, 0..65535.
func (p *Picture) Component(c int) []uint16 {
	l := p.levels[0]
	out := make([]uint16, l.w*l.h)
	for i := range out {
		out[i] = l.rgba[4*i+c]
	}
	return out
}
