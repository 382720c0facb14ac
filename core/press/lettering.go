package press

import (
	"fmt"
	"image"
	"math"
	"slices"
	"strings"

	"velvetgrime/core/pix"

	"golang.org/x/image/vector"
)

// lineHeight is how far lines of words lie apart, in heights of a capital.
const lineHeight = 1.5

// Words is what is set, and how.
type Words struct {
	Text  string  // lines of it
	Font  string  // one that ships: "", bold, regular or mono
	Apart float32 // how much farther apart letters lie, in heights of a capital
	Gaps  float32 // the bridges that hold a stencil's closed parts, in heights of a capital; 0: none
}

// Lettering is words as outlines, ready to be drawn at any size.
type Lettering struct {
	loops      outline
	bridges    outline // what is left out of them
	letters    []point // two a letter: the corners of the box around it
	wide, tall float32 // of the box around them
}

// NewLettering sets lines of words, centred. It fails with the letter that the font does not
// have.
func NewLettering(w Words) (*Lettering, error) {
	if _, ok := fonts[w.Font]; !ok {
		return nil, fmt.Errorf("there is no font %q", w.Font)
	}
	l := &Lettering{}
	for i, line := range strings.Split(w.Text, "\n") {
		list, err := glyphs(line, w.Font, w.Apart)
		if err != nil {
			return nil, err
		}
		o := slices.Concat(list...)
		if len(o) == 0 {
			continue
		}
		lo, hi := o.bounds()
		// a capital is 2 high
		x, y := -(lo.x+hi.x)/2, -2*lineHeight*float32(i)
		l.loops = append(l.loops, o.moved(x, y)...)
		for _, g := range list {
			if len(g) > 0 {
				a, b := g.moved(x, y).bounds()
				l.letters = append(l.letters, a, b)
			}
		}
		if w.Gaps > 0 {
			for _, g := range list {
				l.bridges = append(l.bridges, g.bridges(2*w.Gaps).moved(x, y)...)
			}
		}
	}
	if len(l.loops) == 0 {
		return nil, fmt.Errorf("there are no words in it")
	}
	lo, hi := l.loops.bounds()
	l.loops, l.bridges = l.loops.moved(-lo.x, -lo.y), l.bridges.moved(-lo.x, -lo.y)
	l.wide, l.tall = hi.x-lo.x, hi.y-lo.y
	for i := range l.letters {
		l.letters[i].x -= lo.x
		l.letters[i].y -= lo.y
	}
	return l, nil
}

// Capital is how tall a capital is beside all the words.
func (l *Lettering) Capital() float32 { return 2 / l.tall }

// Letter is the number, from 1, of the letter that is nearest to a place: 0..1 from the upper
// left corner of the words.
func (l *Lettering) Letter(x, y float32) int {
	x, y = x*l.wide, (1-y)*l.tall
	best, near := 0, float32(math.MaxFloat32)
	for i := 0; i < len(l.letters); i += 2 {
		a, b := l.letters[i], l.letters[i+1]
		dx, dy := max(a.x-x, 0, x-b.x), max(a.y-y, 0, y-b.y)
		if d := dx*dx + dy*dy; d < near {
			best, near = i/2+1, d
		}
	}
	return best
}

// Aspect is how much wider than tall the words are.
func (l *Lettering) Aspect() float32 { return l.wide / l.tall }

// Picture draws the words white, with alpha, so many texels tall (8..4096, and no wider than
// 8192), with a texel of nothing all around.
func (l *Lettering) Picture(tall int) (*pix.Picture, error) {
	scale := float32(min(max(tall, 8), 4096)) / l.tall
	scale = min(scale, 8192/l.wide)
	w, h := int(l.wide*scale+0.5)+2, int(l.tall*scale+0.5)+2
	alpha, cut := l.loops.cover(w, h, scale), l.bridges.cover(w, h, scale)
	img := image.NewNRGBA(alpha.Bounds())
	for i, a := range alpha.Pix {
		a = uint8(int(a) * (255 - int(cut.Pix[i])) / 255)
		copy(img.Pix[4*i:], []byte{255, 255, 255, a})
	}
	return pix.NewPicture(img), nil
}

// cover is how much of each texel lies within an outline, a texel off the corner.
func (o outline) cover(w, h int, scale float32) *image.Alpha {
	alpha := image.NewAlpha(image.Rect(0, 0, w, h))
	if len(o) == 0 {
		return alpha
	}
	r := vector.NewRasterizer(w, h)
	for _, loop := range o {
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
	r.Draw(alpha, alpha.Bounds(), image.Opaque, image.Point{})
	return alpha
}

// bridges are the upright bars, so wide, through the closed parts of a letter: what holds them
// when the letter is cut out of a sheet.
func (o outline) bridges(wide float32) (out outline) {
	var at []float32
	for i := range o {
		lo, hi := o[i : i+1].bounds()
		for k := range o {
			a, b := o[k : k+1].bounds()
			if k == i || a.x >= lo.x || a.y >= lo.y || b.x <= hi.x || b.y <= hi.y {
				continue
			}
			x := (lo.x + hi.x) / 2
			// of parts above each other one bar goes through both
			if !slices.ContainsFunc(at, func(v float32) bool { return v-x < wide && x-v < wide }) {
				at = append(at, x)
				out = append(out, []point{{x - wide/2, a.y - wide}, {x + wide/2, a.y - wide}, {x + wide/2, b.y + wide}, {x - wide/2, b.y + wide}})
			}
			break
		}
	}
	return out
}
