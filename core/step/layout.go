package step

import (
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
)

// A flat pattern is a function of two coordinates in units of its size. place turns
// points of the surface into such coordinates; where several sides of a cast meet,
// the pattern is evaluated on each and mixed.

// Layouts are the ways in which a flat pattern or a picture is laid.
var Layouts = []string{"from three sides", "flat", "round an axis", "by UVs"}

// flatParams are the parameters of every flat pattern.
func flatParams(size float64, list ...Param) []Param {
	out := append([]Param{{Name: "size", Label: "size", Kind: "number", Min: 0.0001, Max: 100, Default: size, Unit: "mm", Scale: 1000, Log: true, Help: "of one piece on the model"}}, list...)
	return append(out, seedParam,
		Param{Name: "turn", Label: "turn", Kind: "number", Min: -180, Max: 180, Default: 0.0, Unit: "°", Level: often, Help: "turned in its plane"},
		Param{Name: "wobble", Label: "wobble", Kind: "number", Min: 0, Max: 2, Default: 0.0, Level: often, Help: "how far a noise pushes the lines about, in pieces"},
		Param{Name: "laid", Label: "laid", Kind: "choice", Default: Layouts[0], Choices: Layouts, Level: often, Help: "cast from three sides, flat along the axis, wound round it, or by the UVs of the sheet"},
		Param{Name: "along", Label: "axis", Kind: "direction", Default: []any{0.0, 1.0, 0.0}, Level: fine, Help: "what a flat cast looks along, or what it is wound round"},
		Param{Name: "soft", Label: "join", Kind: "number", Min: 0, Max: 1, Default: 0.12, Level: fine, Help: "how softly the three sides go over into each other"},
		Param{Name: "shiftU", Label: "shift across", Kind: "number", Min: -100, Max: 100, Default: 0.0, Unit: "mm", Scale: 1000, Level: fine, Help: "moved to the side"},
		Param{Name: "shiftV", Label: "shift along", Kind: "number", Min: -100, Max: 100, Default: 0.0, Unit: "mm", Scale: 1000, Level: fine, Help: "moved up or down"})
}

// layout is flat coordinates made ready.
type layout struct {
	in       Input
	how      string
	inv      float32 // 1 / size
	sin, cos float32
	soft     float32
	wobble   float32
	seed     uint32
	axis     geom.Vec3
	right    geom.Vec3
	ahead    geom.Vec3
	middle   geom.Vec3
	round    float32 // pieces round the axis, whole
	su, sv   float32
}

func (in Input) layout() layout {
	l := layout{in: in, how: in.Choice("laid"), inv: 1 / in.Number("size"), soft: in.Number("soft"), wobble: in.Number("wobble"),
		seed: uint32(in.Number("seed")), axis: vec(in.Row("along")), middle: in.Bounds.Center(), su: in.Number("shiftU"), sv: in.Number("shiftV")}
	sin, cos := math.Sincos(float64(in.Number("turn")) * math.Pi / 180)
	l.sin, l.cos = float32(sin), float32(cos)
	l.right, l.ahead = l.axis.Tangents()
	if l.axis == (geom.Vec3{Y: 1}) {
		l.right, l.ahead = geom.V3(1, 0, 0), geom.V3(0, 0, -1)
	}
	s := in.Bounds.Size()
	radius := float64(s.Length()-float32(math.Abs(float64(s.Dot(l.axis))))) / 4
	l.round = float32(max(math.Round(2*math.Pi*radius*float64(l.inv)), 1))
	return l
}

// turned applies shift, turn and wobble to coordinates in metres and gives pieces.
func (l *layout) turned(i int, u, v float32) (float32, float32) {
	u, v = u-l.su, v-l.sv
	return l.pushed(i, (l.cos*u+l.sin*v)*l.inv, (l.cos*v-l.sin*u)*l.inv)
}

func (l *layout) pushed(i int, u, v float32) (float32, float32) {
	if l.wobble > 0 {
		p := l.in.Frame.Pos[i].Mul(l.inv * 0.7)
		u += l.wobble * 0.6 * noise.Simplex(p.X, p.Y, p.Z, l.seed^0x51)
		v += l.wobble * 0.6 * noise.Simplex(p.X+31, p.Y, p.Z, l.seed^0x52)
	}
	return u, v
}

// value evaluates a flat pattern at point i.
func (l *layout) value(i int, f func(u, v float32) float32) float32 {
	p, n := l.in.Frame.Pos[i], l.in.Frame.Nrm[i]
	switch l.how {
	case "by UVs":
		if l.in.UV == nil {
			return f(0, 0)
		}
		uv := l.in.UV(i)
		return f(l.turned(i, uv.X, uv.Y))
	case "flat":
		d := p.Sub(l.middle)
		return f(l.turned(i, d.Dot(l.right), -d.Dot(l.ahead)))
	case "round an axis":
		d := p.Sub(l.middle)
		angle := math.Atan2(float64(d.Dot(l.ahead)), float64(d.Dot(l.right))) / (2 * math.Pi)
		return f(l.pushed(i, float32(angle)*l.round, (d.Dot(l.axis)-l.sv)*l.inv))
	}
	var sum float32
	for side, w := range SideWeights(n, l.soft) {
		if w > 0 {
			a, b := SideAt(side, p, n)
			sum += w * f(l.turned(i, a, b))
		}
	}
	return sum
}

// SideAt returns the coordinates, in metres, at which a cast along axis side (x, y, z)
// reads for a point with a normal: right and down, as seen from that side.
func SideAt(side int, p, n geom.Vec3) (a, b float32) {
	a, b = p.X, -p.Y
	switch {
	case side == 0:
		if a = -p.Z; n.X < 0 {
			a = -a
		}
	case side == 1:
		a, b = p.X, p.Z
	case n.Z < 0:
		a = -a
	}
	return a, b
}

// SideWeights returns how much each axis shows on a surface with normal n: all of
// the one it faces most, mixed where two are within soft of each other.
func SideWeights(n geom.Vec3, soft float32) [3]float32 {
	abs := func(v float32) float32 { return max(v, -v) }
	w := [3]float32{abs(n.X), abs(n.Y), abs(n.Z)}
	top := max(w[0], w[1], w[2])
	band := max(soft*0.7, 1e-4)
	var sum float32
	for c := range w {
		w[c] = max(w[c]-top+band, 0)
		sum += w[c]
	}
	for c := range w {
		w[c] /= sum
	}
	return w
}

// flatPattern registers a flat pattern. make reads the parameters once and returns the
// pattern: greys by place in pieces; texel is the edge of a texel in pieces, for
// edges that must not be finer.
func flatPattern(kind, label, help string, size float64, list []Param, make func(in Input, texel float32, seed uint32) func(u, v float32) float32) {
	register(Description{Kind: kind, Label: label, Help: help, Role: "source", Group: patterns, Costly: true, Params: flatParams(size, list...),
		Run: func(in Input, out []float32) {
			l := in.layout()
			texel := in.Frame.Footprint * l.inv
			n := samplesOf(texel)
			one := make(in, min(texel/float32(n), 1), l.seed)
			thin, wide := in.thin(texel), one
			f := spread(one, n, texel, thin)
			if n == 2 && thin {
				wide = make(in, min(texel*finds, 1), l.seed)
			}
			keep, usual := float32(1), float32(0.5)
			if texel > 0.8 { // pieces of few texels fade to what they are on average
				keep = 1 - geom.Smoothstep(0.8, 2, texel)
				usual = average(make(in, 0.05, l.seed))
			}
			of := func(f func(u, v float32) float32) func(i int) float32 {
				return func(i int) float32 {
					if keep == 0 {
						return usual
					}
					return clamp01(usual + keep*(l.value(i, f)-usual))
				}
			}
			in.averaged(out, n, thin, of(wide), of(one), of(f))
		}})
}

// finds is how many texels wide edges are drawn where it is looked for texels that one runs
// through: a line thinner than a texel shows at the middles beside it, and none is passed over.
const finds = 2

// thin reports whether a pattern has lines that may be thinner than texels, whose edge is given
// in pieces: those of its parameters that are the width of one say so.
func (in Input) thin(texel float32) bool {
	for _, p := range in.desc.Params {
		switch p.Name {
		case "line", "joint", "width", "gap", "thread":
			if w := in.Number(p.Name); w > 0 && w < 3*texel {
				return true
			}
		}
	}
	return false
}

// samplesOf returns how thoroughly a texel is averaged: 1 at its middle alone where the
// pieces are large, 2 and 3 where lines of them are as fine as the texels.
func samplesOf(texel float32) int {
	switch {
	case texel > 0.15:
		return 3
	case texel > 0.025:
		return 2
	}
	return 1
}

// differ is how far the places of a texel may lie apart before more are taken: an edge
// or a line runs through it then.
const differ = 0.07

// agree is how far the means of the first and of the second few places may lie apart before the
// rest are taken: what slopes evenly has the same mean by both, an edge has not.
const agree = 0.03

// sampling lists places within a texel, in edges of it from its middle. The first few are taken
// always, the second few where those differ, the rest where the means of these differ, too. Each set
// is spread evenly: one place in every row and column of its own grid.
type sampling struct{ first, second, more [][2]float32 }

var (
	four = [][2]float32{{-0.125, -0.375}, {0.375, -0.125}, {0.125, 0.375}, {-0.375, 0.125}}
	// the same mirrored: eight in all, none beside another
	others = [][2]float32{{0.125, -0.375}, {-0.375, -0.125}, {-0.125, 0.375}, {0.375, 0.125}}
	// of patterns whose pieces are large, or have thin lines, and of those whose lines are as fine as texels;
	// a flat one is cheap and may be as regular as a grid
	largePieces = sampling{lattice(2, 1), nil, lattice(6, 5)}
	thinLines   = sampling{four, nil, lattice(6, 5)}
	// in space more than eight places cost what they are worth: the rest of the error is that of the
	// edges, which are drawn as wide as a part of the texel
	fineSolid = sampling{four, others, nil}
	fineFlat  = sampling{four, nil, lattice(21, 13)}
	// of pieces about as large as a texel: what a few places agree on is where they fall in
	// each piece alike, and may be anything
	tinyPieces = sampling{lattice(34, 21), nil, nil}
)

// lattice is a rank-1 lattice of n places with the step k.
func lattice(n, k int) (list [][2]float32) {
	for i := range n {
		a, b := (float32(i)+0.5)/float32(n), (float32(i*k%n)+0.5)/float32(n)
		list = append(list, [2]float32{a - 0.5, b - 0.5})
	}
	return
}

// mean averages f over a texel: over a few places, and over more where these differ.
func (sets *sampling) mean(f func(a, b float32) float32) float32 {
	least, most, sum := float32(2), float32(-1), float32(0)
	for _, c := range sets.first {
		g := f(c[0], c[1])
		sum += g
		least, most = min(least, g), max(most, g)
	}
	n := len(sets.first)
	if most-least <= differ {
		return sum / float32(n)
	}
	if len(sets.second) > 0 {
		var again float32
		for _, c := range sets.second {
			again += f(c[0], c[1])
		}
		a, b := sum/float32(n), again/float32(len(sets.second))
		sum, n = sum+again, n+len(sets.second)
		if a-b <= agree && b-a <= agree {
			return sum / float32(n)
		}
	}
	for _, c := range sets.more {
		sum += f(c[0], c[1])
	}
	return sum / float32(n+len(sets.more))
}

// averaged fills a row with a pattern's means over texels. Of a pattern of large pieces middle,
// its value at a texel's middle, is enough where it is about that of the texels beside: only
// where an edge runs through is the mean taken. Where lines may be thin, it is wide, the same
// with its edges drawn wide, that is compared.
func (in Input) averaged(out []float32, n int, thin bool, wide, middle, mean func(i int) float32) {
	f := in.Frame
	if n != 2 || f.W < 2 || f.H < 2 {
		in.each(out, 0, mean)
		return
	}
	about := make([]float32, len(out))
	if in.Need == nil {
		in.each(about, 0, wide)
	} else {
		wider := in
		wider.Need = make([]bool, len(out))
		for i, need := range in.Need {
			if need {
				x, y := i%f.W, i/f.W
				for v := max(y-1, 0); v <= min(y+1, f.H-1); v++ {
					for u := max(x-1, 0); u <= min(x+1, f.W-1); u++ {
						wider.Need[v*f.W+u] = true
					}
				}
			}
		}
		wider.each(about, 0, wide)
	}
	// the texels above and below, beside, and where lines may be thin across: one may run
	// between two rows of texels that it makes alike
	ways := [8]int{-f.W, f.W, -1, 1, -f.W - 1, -f.W + 1, f.W - 1, f.W + 1}
	those := ways[:4]
	if thin {
		those = ways[:]
	}
	in.each(out, 0, func(i int) float32 {
		v, others := about[i], 0
		x, y := i%f.W, i/f.W
		inner := x > 0 && y > 0 && x < f.W-1 && y < f.H-1
		for _, way := range those {
			j := i + way
			if !inner && (j < 0 || j >= len(about) || j%f.W-x > 1 || x-j%f.W > 1) || f.Tri[j] < 0 {
				continue
			}
			others++
			if d := about[j] - v; d > differ || d < -differ {
				return mean(i)
			}
		}
		if others == 0 {
			return mean(i)
		}
		if !thin {
			return v
		}
		return middle(i)
	})
}

func pieces(thin bool) *sampling {
	if thin {
		return &thinLines
	}
	return &largePieces
}

// spread averages a flat pattern over a texel.
func spread(f func(u, v float32) float32, n int, texel float32, thin bool) func(u, v float32) float32 {
	if n == 1 {
		return f
	}
	sets := pieces(thin)
	switch {
	case texel > 0.6:
		sets = &tinyPieces
	case n > 2:
		sets = &fineFlat
	}
	return func(u, v float32) float32 {
		return sets.mean(func(a, b float32) float32 { return f(u+a*texel, v+b*texel) })
	}
}

// spreadSolid averages a pattern in space over the square of the surface that a texel
// stands for: edges gives its two edges at point i.
func spreadSolid(f func(p geom.Vec3, i int) float32, n int, thin bool, edges func(i int) (a, b geom.Vec3)) func(p geom.Vec3, i int) float32 {
	if n == 1 {
		return f
	}
	sets := pieces(thin)
	if n > 2 {
		sets = &fineSolid
	}
	return func(p geom.Vec3, i int) float32 {
		u, v := edges(i)
		return sets.mean(func(a, b float32) float32 { return f(p.Add(u.Mul(a)).Add(v.Mul(b)), i) })
	}
}

// average is the mean of a flat pattern over some pieces.
func average(f func(u, v float32) float32) float32 {
	const n = 48
	var sum float32
	for y := range n {
		for x := range n {
			sum += f(float32(x)*0.173+0.05, float32(y)*0.167+0.03)
		}
	}
	return sum / (n * n)
}

// solidPattern registers a pattern in space. make returns greys by place in units of size.
func solidPattern(kind, label, help, group string, size float64, list []Param, make func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32) {
	all := append([]Param{{Name: "size", Label: "size", Kind: "number", Min: 0.0001, Max: 100, Default: size, Unit: "mm", Scale: 1000, Log: true, Help: "of one piece on the model"}}, list...)
	all = append(all, seedParam, Param{Name: "stretch", Label: "stretch", Kind: "number", Min: 0.05, Max: 50, Default: 1.0, Log: true, Level: often, Help: "above 1 drawn out along the axis, below 1 across it"})
	register(Description{Kind: kind, Label: label, Help: help, Role: "source", Group: group, Costly: true, Params: append(all, spaceParams...),
		Run: func(in Input, out []float32) {
			inv, stretch := 1/in.Number("size"), in.Number("stretch")
			texel := footprint(in, stretch) * inv
			seed := uint32(in.Number("seed"))
			n := samplesOf(texel)
			sp := in.space(stretch)
			one := make(in, min(texel*[4]float32{0, 1, 0.5, 0.4}[n], 1), seed)
			thin, wide := in.thin(texel), one
			f := spreadSolid(one, n, thin, func(i int) (a, b geom.Vec3) { return sp.texel(i, inv) })
			if n == 2 && thin {
				wide = make(in, min(texel*finds, 1), seed)
			}
			keep, usual := float32(1), float32(0.5)
			if texel > 0.8 {
				keep = 1 - geom.Smoothstep(0.8, 2, texel)
				usual = averageSolid(make(in, 0.05, seed))
			}
			of := func(f func(p geom.Vec3, i int) float32) func(i int) float32 {
				return func(i int) float32 {
					if keep == 0 {
						return usual
					}
					return clamp01(usual + keep*(f(sp.at(i).Mul(inv), i)-usual))
				}
			}
			in.averaged(out, n, thin, of(wide), of(one), of(f))
		}})
}

func averageSolid(f func(p geom.Vec3, i int) float32) float32 {
	const n = 2000
	var sum float32
	for i := range n {
		h := uint32(i)*747796405 + 7
		sum += f(geom.V3(noise.Random(h, 1), noise.Random(h, 2), noise.Random(h, 3)).Mul(17), 0)
	}
	return sum / n
}
