package press

import (
	"fmt"
	"image"
	"strings"

	"velvetgrime/core/pix"

	"golang.org/x/image/vector"
)

// lineHeight is how far lines of words lie apart, in heights of a capital.
const lineHeight = 1.5

// Lettering is words as outlines, ready to be drawn at any size.
type Lettering struct {
	loops      outline
	wide, tall float32 // of the box around them
}

// NewLettering sets lines of words in a font that ships: "", bold, regular or mono. Lines are
// centred. It fails with the letter that the font does not have.
func NewLettering(text, font string) (*Lettering, error) {
	if _, ok := fonts[font]; !ok {
		return nil, fmt.Errorf("there is no font %q", font)
	}
	l := &Lettering{}
	for i, line := range strings.Split(text, "\n") {
		o, err := letters(line, font)
		if err != nil {
			return nil, err
		}
		if len(o) == 0 {
			continue
		}
		lo, hi := o.bounds()
		// a capital is 2 high
		l.loops = append(l.loops, o.moved(-(lo.x+hi.x)/2, -2*lineHeight*float32(i))...)
	}
	if len(l.loops) == 0 {
		return nil, fmt.Errorf("there are no words in it")
	}
	lo, hi := l.loops.bounds()
	l.loops = l.loops.moved(-lo.x, -lo.y)
	l.wide, l.tall = hi.x-lo.x, hi.y-lo.y
	return l, nil
}

// Aspect is how much wider than tall the words are.
func (l *Lettering) Aspect() float32 { return l.wide / l.tall }

// Picture draws the words white, with alpha, so many texels tall (8..4096, and no wider than
// 8192), with a texel of nothing all around.
func (l *Lettering) Picture(tall int) (*pix.Picture, error) {
	scale := float32(min(max(tall, 8), 4096)) / l.tall
	scale = min(scale, 8192/l.wide)
	w, h := int(l.wide*scale+0.5)+2, int(l.tall*scale+0.5)+2
	r := vector.NewRasterizer(w, h)
	for _, loop := range l.loops {
		for i, p := range loop {
			x, y := 1+p.x*scale, float32(h)-1-p.y*scale
			if i == 0 {
				r.MoveTo(x, y)
			} else {
				r.LineTo(x, y)
			}
		}
		r.ClosePath()
	}
	alpha := image.NewAlpha(image.Rect(0, 0, w, h))
	r.Draw(alpha, alpha.Bounds(), image.Opaque, image.Point{})
	img := image.NewNRGBA(alpha.Bounds())
	for i, a := range alpha.Pix {
		copy(img.Pix[4*i:], []byte{255, 255, 255, a})
	}
	return pix.NewPicture(img), nil
}
