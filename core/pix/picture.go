package pix

import (
	"context"
	"errors"
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
	"velvetgrime/core/icc"
)

// MaxPicture bounds a picture's texels, so that a small file cannot grow to fill
// the memory.
const MaxPicture = 1 << 26

// Picture is a stored picture with its mips. Colours are sRGB-encoded as the file
// has them; all components are 0..1.
type Picture struct {
	levels []level
	Gray   bool   // one component in the file
	Alpha  bool   // the file has coverage
	Light  bool   // the file has light, which is encoded here: see AsNumbers
	draw   Drawer // of a picture that is kept as outlines; nil: of texels
}

// level is a picture at one size: one component a texel of a grey picture, else four.
type level struct {
	w, h, n int
	v       []uint16
}

// decoding is what a texel takes while it is read, bytes: as the file has it, two a component
// as it is kept, and a third of that for mips.
func decoding(m color.Model) int64 {
	const kept, gray = 8 + 3, 2 + 1
	switch m {
	case color.GrayModel:
		return 1 + gray
	case color.Gray16Model:
		return 2 + gray
	case color.RGBA64Model, color.NRGBA64Model:
		return 8 + kept
	}
	return 4 + kept
}

// DecodePicture reads a PNG, JPEG, TIFF, WebP, OpenEXR or Radiance file, or one of a registered form
// that is drawn, as SVG, at its Usual size. The size is checked before
// the texels are read. Colours that a profile describes are brought to sRGB; what is made for print
// is refused.
func DecodePicture(r io.ReadSeeker) (*Picture, error) {
	if p, ok, err := decodeDrawn(r); ok || err != nil {
		return p, err
	}
	if p, ok, err := decodeFloats(r); ok || err != nil {
		return p, err
	}
	conf, form, err := image.DecodeConfig(r)
	if err != nil {
		return nil, fmt.Errorf("it is no PNG, JPEG, TIFF, WebP, OpenEXR, Radiance or SVG picture that is read here: %w; save it as PNG", err)
	}
	if conf.ColorModel == color.CMYKModel {
		return nil, errors.New("it is made for print (CMYK); convert it to sRGB and save it again")
	}
	profile, err := profileOf(r, form)
	if err != nil {
		return nil, err
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
	return newPicture(img, profile), nil
}

// NewPicture takes an image over, and makes its mips by averaging 2 × 2.
func NewPicture(img image.Image) *Picture { return newPicture(img, nil) }

func newPicture(img image.Image, profile *icc.Profile) *Picture {
	b := img.Bounds()
	var gray, alpha bool
	switch img.(type) {
	case *image.Gray, *image.Gray16:
		gray = true
	case *image.NRGBA, *image.NRGBA64, *image.RGBA, *image.RGBA64:
		alpha = true
	}
	l := level{w: b.Dx(), h: b.Dy(), n: 4}
	if gray {
		l.n = 1
	}
	l.v = make([]uint16, l.n*l.w*l.h)
	for y := range l.h {
		for x := range l.w {
			l.put(x, y, img, b.Min.X+x, b.Min.Y+y)
		}
	}
	if profile != nil {
		l.convert(profile)
	}
	return l.picture(gray, alpha)
}

// picture makes a picture of its largest level.
func (l level) picture(gray, alpha bool) *Picture {
	p := &Picture{Gray: gray, Alpha: alpha, levels: []level{l}}
	for l.w > 1 || l.h > 1 {
		l = l.half()
		p.levels = append(p.levels, l)
	}
	return p
}

// put takes texel (ix, iy) of an image over, as if it were not multiplied by coverage.
func (l *level) put(x, y int, img image.Image, ix, iy int) {
	o := l.n * (y*l.w + x)
	switch i := img.(type) {
	case *image.Gray:
		l.v[o] = uint16(i.GrayAt(ix, iy).Y) * 257
		return
	case *image.Gray16:
		l.v[o] = i.Gray16At(ix, iy).Y
		return
	case *image.NRGBA64:
		c := i.NRGBA64At(ix, iy)
		l.v[o], l.v[o+1], l.v[o+2], l.v[o+3] = c.R, c.G, c.B, c.A
		return
	}
	r, g, b, a := img.At(ix, iy).RGBA()
	if a > 0 && a < 65535 {
		r, g, b = r*65535/a, g*65535/a, b*65535/a
	}
	l.v[o], l.v[o+1], l.v[o+2] = uint16(min(r, 65535)), uint16(min(g, 65535)), uint16(min(b, 65535))
	l.v[o+3] = uint16(a)
}

// half averages squares, each texel by its coverage.
func (l level) half() level {
	n := level{w: max(l.w/2, 1), h: max(l.h/2, 1), n: l.n}
	n.v = make([]uint16, n.n*n.w*n.h)
	for y := range n.h {
		for x := range n.w {
			var at [4]int
			for k := range at {
				at[k] = l.n * (min(2*y+k/2, l.h-1)*l.w + min(2*x+k%2, l.w-1))
			}
			if l.n == 1 {
				sum := uint32(0)
				for _, o := range at {
					sum += uint32(l.v[o])
				}
				n.v[y*n.w+x] = uint16(sum / 4)
				continue
			}
			var sum, plain [3]uint64
			var cover uint64
			for _, o := range at {
				a := uint64(l.v[o+3])
				cover += a
				for c := range 3 {
					sum[c] += a * uint64(l.v[o+c])
					plain[c] += uint64(l.v[o+c])
				}
			}
			o := 4 * (y*n.w + x)
			for c := range 3 {
				if cover > 0 {
					n.v[o+c] = uint16(sum[c] / cover)
				} else {
					n.v[o+c] = uint16(plain[c] / 4)
				}
			}
			n.v[o+3] = uint16(cover / 4)
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
		n += 2 * len(l.v)
	}
	return n
}

// Sample reads the picture at (u, v), v growing downward, repeated in both ways;
// footprint is the size of what is asked for in shares of the picture's width. It
// reads bilinearly from the two nearest mips.
func (p *Picture) Sample(u, v, footprint float32) [4]float32 { return p.At(footprint).Sample(u, v) }

// Sampler reads a picture at one footprint.
type Sampler struct {
	a, b *level  // the two nearest mips; b nil: a alone
	t    float32 // the share of b
}

// At returns what reads the picture for things of a footprint, in shares of its width.
func (p *Picture) At(footprint float32) Sampler {
	at := float32(math.Log2(float64(max(footprint*float32(p.levels[0].w), 1e-6))))
	if at <= 0 || len(p.levels) == 1 {
		return Sampler{a: &p.levels[0]}
	}
	k := min(int(at), len(p.levels)-1)
	if k == len(p.levels)-1 {
		return Sampler{a: &p.levels[k]}
	}
	return Sampler{&p.levels[k], &p.levels[k+1], at - float32(k)}
}

// Sample reads at (u, v), v growing downward, repeated in both ways.
func (s Sampler) Sample(u, v float32) [4]float32 {
	if s.a.n == 1 {
		g := s.Gray(u, v)
		return [4]float32{g, g, g, 1}
	}
	a := s.a.sample(u, v)
	if s.b != nil {
		b := s.b.sample(u, v)
		t := s.t
		if cover := a[3] + t*(b[3]-a[3]); a[3] != b[3] && cover > 0 { // colours by how much they cover
			t *= b[3] / cover
			a[3] = cover
		}
		for c := range 3 {
			a[c] += t * (b[c] - a[c])
		}
	}
	return a
}

// Gray reads the first component at (u, v).
func (s Sampler) Gray(u, v float32) float32 {
	a := s.a.gray(u, v)
	if s.b != nil {
		a += s.t * (s.b.gray(u, v) - a)
	}
	return a
}

func floor(x float32) float32 { return float32(math.Floor(float64(x))) }

// corners returns where the four texels around (u, v) lie, and their weights.
func (l *level) corners(u, v float32) (at [4]int, w [4]float32) {
	x, y := (u-floor(u))*float32(l.w)-0.5, (v-floor(v))*float32(l.h)-0.5
	x0, y0 := floor(x), floor(y)
	fx, fy := x-x0, y-y0
	ax, ay := int(x0), int(y0)
	bx, by := ax+1, ay+1
	if ax < 0 {
		ax += l.w
	}
	if ay < 0 {
		ay += l.h
	}
	if bx >= l.w {
		bx -= l.w
	}
	if by >= l.h {
		by -= l.h
	}
	if ax >= l.w { // a share of one is rounded up to it
		ax -= l.w
	}
	if ay >= l.h {
		ay -= l.h
	}
	return [4]int{ay*l.w + ax, ay*l.w + bx, by*l.w + ax, by*l.w + bx},
		[4]float32{(1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy}
}

func (l *level) gray(u, v float32) float32 {
	at, w := l.corners(u, v)
	n := l.n
	return (w[0]*float32(l.v[n*at[0]]) + w[1]*float32(l.v[n*at[1]]) + w[2]*float32(l.v[n*at[2]]) + w[3]*float32(l.v[n*at[3]])) / 65535
}

// sample mixes four texels, each by its coverage: the colour of what is clear is none.
func (l *level) sample(u, v float32) (out [4]float32) {
	at, w := l.corners(u, v)
	a := l.v[4*at[0]+3]
	if a != l.v[4*at[1]+3] || a != l.v[4*at[2]+3] || a != l.v[4*at[3]+3] {
		return l.sampleCovered(at, w)
	}
	for k, o := range at {
		t := l.v[4*o : 4*o+4]
		for c := range out {
			out[c] += w[k] * float32(t[c])
		}
	}
	for c := range out {
		out[c] /= 65535
	}
	return out
}

func (l *level) sampleCovered(at [4]int, w [4]float32) (out [4]float32) {
	for k, o := range at {
		t := l.v[4*o : 4*o+4]
		a := w[k] * float32(t[3])
		for c := range 3 {
			out[c] += a * float32(t[c])
		}
		out[3] += a
	}
	for c := range 3 {
		out[c] /= max(out[3], 1e-9) * 65535
	}
	out[3] /= 65535
	return out
}

// texel returns the four components of texel o, 0..65535.
func (l *level) texel(o int) [4]uint16 {
	if l.n == 1 {
		return [4]uint16{l.v[o], l.v[o], l.v[o], 65535}
	}
	return [4]uint16(l.v[4*o : 4*o+4])
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
	for i := range l.w * l.h {
		for c, v := range l.texel(i) {
			img.Pix[4*i+c] = uint8(v >> 8)
		}
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
	var out [4]float32
	for c, v := range l.texel(at(v, l.h)*l.w + at(u, l.w)) {
		out[c] = float32(v) / 65535
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
			out[c][i] = r[0] + (r[1]-r[0])*float32(l.texel(i)[c])/65535
		}
	}
	return out
}

// Component returns one component of every texel by rows, 0..65535.
func (p *Picture) Component(c int) []uint16 {
	l := p.levels[0]
	out := make([]uint16, l.w*l.h)
	for i := range out {
		out[i] = l.texel(i)[c]
	}
	return out
}
