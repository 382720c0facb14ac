package press

import (
	"fmt"
	"math"
	"slices"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/gomonobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"
)

type point struct{ x, y float32 }

// outline is closed loops; what they go round more often one way than the other is
// inside.
type outline [][]point

// regular is a polygon of n corners on the unit circle, the first one up.
func regular(n int) outline {
	return outline{around(n, func(int) float64 { return 1 })}
}

func around(n int, radius func(i int) float64) []point {
	list := make([]point, n)
	for i := range list {
		s, c := math.Sincos(2*math.Pi*float64(i)/float64(n) + math.Pi/2)
		r := radius(i)
		list[i] = point{float32(r * c), float32(r * s)}
	}
	return list
}

func star(n int, inner float32) outline {
	return outline{around(2*n, func(i int) float64 {
		if i%2 == 1 {
			return float64(inner)
		}
		return 1
	})}
}

// gear has teeth whose flanks lean a little.
func gear(n int, root float32) outline {
	var list []point
	for i := range n {
		for _, c := range [4][2]float64{{-0.30, 0}, {-0.19, 1}, {0.19, 1}, {0.30, 0}} {
			s, co := math.Sincos(2*math.Pi*(float64(i)+c[0])/float64(n) + math.Pi/2)
			r := float64(root) + (1-float64(root))*c[1]
			list = append(list, point{float32(r * co), float32(r * s)})
		}
	}
	return outline{list}
}

func cross(b float32) outline {
	return outline{
		{{-b, -1}, {b, -1}, {b, -b}, {1, -b}, {1, b}, {b, b}, {b, 1}, {-b, 1}, {-b, b}, {-1, b}, {-1, -b}, {-b, -b}},
	}
}

// loopThrough is a closed outline through points, curved as Catmull and Rom have it.
func loopThrough(p [][2]float32, curved bool) outline {
	var list []point
	n := len(p)
	at := func(i int) point { q := p[(i+n)%n]; return point{q[0], q[1]} }
	for i := range n {
		list = append(list, at(i))
		if !curved {
			continue
		}
		a, b, c, d := at(i-1), at(i), at(i+1), at(i+2)
		for k := 1; k < 8; k++ {
			t := float32(k) / 8
			list = append(list, point{catmull(a.x, b.x, c.x, d.x, t), catmull(a.y, b.y, c.y, d.y, t)})
		}
	}
	return outline{list}
}

func catmull(a, b, c, d, t float32) float32 {
	return 0.5 * (2*b + (c-a)*t + (2*a-5*b+4*c-d)*t*t + (3*b-a-3*c+d)*t*t*t)
}

var fonts = map[string]*sfnt.Font{}

func init() {
	for name, data := range map[string][]byte{"": gobold.TTF, "bold": gobold.TTF, "regular": goregular.TTF, "mono": gomonobold.TTF} {
		f, err := sfnt.Parse(data)
		if err != nil {
			panic(err)
		}
		fonts[name] = f
	}
}

// letters is a line of text; a capital is 2 high.
func letters(text, face string) (outline, error) {
	list, err := glyphs(text, face, 0)
	return slices.Concat(list...), err
}

// glyphs are the letters of a line of text, each by itself, with so much more between them, in
// heights of a capital; a capital is 2 high.
func glyphs(text, face string, apart float32) ([]outline, error) {
	f := fonts[face]
	const em = 1 << 10
	ppem := fixed.I(em)
	var buf sfnt.Buffer
	m, err := f.Metrics(&buf, ppem, font.HintingNone)
	if err != nil {
		return nil, err
	}
	var list []outline
	var pen fixed.Int26_6
	before := sfnt.GlyphIndex(0)
	for _, r := range text {
		g, err := f.GlyphIndex(&buf, r)
		if err != nil {
			return nil, err
		}
		if g == 0 {
			return nil, fmt.Errorf("the font has no letter %q", r)
		}
		if before != 0 {
			if k, err := f.Kern(&buf, before, g, ppem, font.HintingNone); err == nil {
				pen += k
			}
		}
		before = g
		segs, err := f.LoadGlyph(&buf, g, ppem, nil)
		if err != nil {
			return nil, err
		}
		var out outline
		var loop []point
		at := func(p fixed.Point26_6) point { return point{float32(p.X+pen) / 64, -float32(p.Y) / 64} }
		for _, s := range segs {
			switch s.Op {
			case sfnt.SegmentOpMoveTo:
				if len(loop) > 2 {
					out = append(out, loop)
				}
				loop = []point{at(s.Args[0])}
			case sfnt.SegmentOpLineTo:
				loop = append(loop, at(s.Args[0]))
			case sfnt.SegmentOpQuadTo:
				a, b, c := loop[len(loop)-1], at(s.Args[0]), at(s.Args[1])
				for k := 1; k <= 8; k++ {
					t := float32(k) / 8
					u := 1 - t
					loop = append(loop, point{u*u*a.x + 2*u*t*b.x + t*t*c.x, u*u*a.y + 2*u*t*b.y + t*t*c.y})
				}
			case sfnt.SegmentOpCubeTo:
				a, b, c, d := loop[len(loop)-1], at(s.Args[0]), at(s.Args[1]), at(s.Args[2])
				for k := 1; k <= 10; k++ {
					t := float32(k) / 10
					u := 1 - t
					w := [4]float32{u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t}
					loop = append(
						loop,
						point{w[0]*a.x + w[1]*b.x + w[2]*c.x + w[3]*d.x, w[0]*a.y + w[1]*b.y + w[2]*c.y + w[3]*d.y},
					)
				}
			}
		}
		if len(loop) > 2 {
			out = append(out, loop)
		}
		adv, err := f.GlyphAdvance(&buf, g, ppem, font.HintingNone)
		if err != nil {
			return nil, err
		}
		pen += adv + fixed.Int26_6(apart*float32(m.CapHeight))
		if len(out) > 0 {
			height := float32(m.CapHeight) / 64
			list = append(list, out.scaled(2/height, 2/height))
		}
	}
	return list, nil
}

// scaled stretches an outline.
func (o outline) scaled(x, y float32) outline {
	out := make(outline, len(o))
	for i, loop := range o {
		out[i] = make([]point, len(loop))
		for k, p := range loop {
			out[i][k] = point{p.x * x, p.y * y}
		}
	}
	return out
}

// moved shifts an outline.
func (o outline) moved(x, y float32) outline {
	out := make(outline, len(o))
	for i, loop := range o {
		out[i] = make([]point, len(loop))
		for k, p := range loop {
			out[i][k] = point{p.x + x, p.y + y}
		}
	}
	return out
}

// bounds are its lower left and upper right corners.
func (o outline) bounds() (lo, hi point) {
	inf := float32(math.Inf(1))
	lo, hi = point{inf, inf}, point{-inf, -inf}
	for _, loop := range o {
		for _, p := range loop {
			lo, hi = point{min(lo.x, p.x), min(lo.y, p.y)}, point{max(hi.x, p.x), max(hi.y, p.y)}
		}
	}
	return lo, hi
}

// inset moves the sides of a convex or star-like loop inward by r, so that rounding its
// corners by r brings it back to its size.
func (o outline) inset(r float32) outline {
	if r <= 0 {
		return o
	}
	out := make(outline, len(o))
	for n, loop := range o {
		area := float32(0)
		for i, p := range loop {
			q := loop[(i+1)%len(loop)]
			area += p.x*q.y - q.x*p.y
		}
		way := float32(1)
		if area < 0 {
			way = -1
		}
		out[n] = make([]point, len(loop))
		for i, p := range loop {
			a, b := loop[(i+len(loop)-1)%len(loop)], loop[(i+1)%len(loop)]
			ax, ay := unit(p.x-a.x, p.y-a.y)
			bx, by := unit(b.x-p.x, b.y-p.y)
			// inward normals of the sides before and behind the corner
			nx, ny := -way*(ay+by), way*(ax+bx)
			d := 1 + ax*bx + ay*by
			if d < 0.1 {
				d = 0.1
			}
			out[n][i] = point{p.x + r*nx/d, p.y + r*ny/d}
		}
	}
	return out
}

func unit(x, y float32) (float32, float32) {
	l := float32(math.Hypot(float64(x), float64(y)))
	if l < 1e-9 {
		return 0, 0
	}
	return x / l, y / l
}
