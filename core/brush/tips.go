package brush

import (
	"cmp"
	"math"
	"slices"
	"sync"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
)

// A tip is a grey in the square −1..1 × −1..1, right and up as seen on the surface.
// edge is how wide a sharp border is to be.
type tip func(x, y, edge float32) float32

// maker makes one variant of a tip.
type maker func(h uint32) tip

// plain is a tip of which there is one variant; varied one that h makes differ.
func plain(f func(x, y, edge float32) float32) maker { return func(uint32) tip { return f } }
func varied(f func(x, y, edge float32, h uint32) float32) maker {
	return func(h uint32) tip { return func(x, y, edge float32) float32 { return f(x, y, edge, h) } }
}

// tips by name. The round tip is not among the drawn ones: it is computed exactly.
var tips = map[string]struct {
	make     maker
	variants uint32
	help     string
}{
	"":        {nil, 1, "a disc whose softness is the hardness, or a falloff of one's own"},
	"slab":    {plain(slab), 1, "a flat bar with sharp edges, as of a scraper"},
	"grit":    {varied(grit), 6, "hard grains"},
	"bristle": {bristle, 6, "the ends of hairs"},
	"sponge":  {varied(sponge), 6, "a sponge's holes"},
	"chalk":   {varied(chalk), 6, "a rough round end"},
	"spatter": {spatter, 8, "drops of all sizes"},
	"flake":   {flake, 8, "a broken piece with corners"},
	"scratch": {varied(scratch), 6, "one thin broken line"},
	"crack":   {varied(crack), 6, "a jagged line that branches"},
	"dust":    {varied(dust), 6, "soft specks"},
	"cloud":   {varied(cloud), 6, "a soft uneven spot"},
	"bloom":   {varied(bloom), 6, "a ragged spot with a dense middle and grains around it, as rust makes"},
	"tuft":    {varied(tuft), 6, "small cushions, as of moss"},
	"leaf":    {plain(leaf), 1, "a pointed leaf"},
	"feather": {varied(feather), 6, "a feather with a shaft and barbs"},
	"plume":   {varied(plume), 6, "a broad feather with a round end"},
	"stitch":  {plain(stitch), 1, "a thread that goes in at both ends"},
	"bead":    {plain(bead), 1, "a crescent, as welding leaves one after the other"},
	"strand":  {plain(strand), 1, "one slanting strand of a rope"},
	"dome":    {plain(dome), 1, "a round head"},
	"ring":    {plain(ring), 1, "a ring"},
	"comb":    {comb, 6, "thin lines beside each other"},
	"drop":    {varied(drop), 6, "a drop that has begun to run"},
}

// Tips returns the names of all tips in order, with what they are.
func Tips() (names, help []string) {
	for n := range tips {
		names = append(names, n)
	}
	slices.SortFunc(names, cmp.Compare[string])
	for _, n := range names {
		help = append(help, tips[n].help)
	}
	return
}

type tipKey struct {
	name    string
	variant uint32
	n       int
}

var drawn = struct {
	sync.Mutex
	all   map[tipKey][]float32
	bytes int
}{all: map[tipKey][]float32{}}

const (
	tipBytes = 48 << 20 // of drawn tips; dropped wholesale when exceeded
	tipLeast = 16
	tipMost  = 512
)

// bitmap is a tip drawn for dabs of so many texels across: n × n greys in rows from
// the bottom. In small ones each is the mean of four places.
func bitmap(name string, h uint32, texels float32) ([]float32, int) {
	t := tips[name]
	n := tipLeast
	for n < tipMost && float32(n) < texels {
		n *= 2
	}
	k := tipKey{name, h % t.variants, n}
	drawn.Lock()
	b := drawn.all[k]
	drawn.Unlock()
	if b != nil {
		return b, n
	}
	b = make([]float32, n*n)
	edge := 2 / float32(n)
	seed := noise.Hash(int32(k.variant), 5, 3, 0x71b5)
	f := t.make(seed)
	side := 1
	if n <= 64 {
		side = 2
	}
	in := 1 / float32(side)
	for i := range b {
		var sum float32
		for s := range side * side {
			x := (float32(i%n)+(float32(s%side)+0.5)*in)*edge - 1
			y := (float32(i/n)+(float32(s/side)+0.5)*in)*edge - 1
			sum += min(max(f(x, y, edge), 0), 1)
		}
		b[i] = sum * in * in
	}
	drawn.Lock()
	defer drawn.Unlock()
	if drawn.bytes += 4 * len(b); drawn.bytes > tipBytes {
		clear(drawn.all)
		drawn.bytes = 4 * len(b)
	}
	drawn.all[k] = b
	return b, n
}

// sampled reads a drawn tip between its texels; nothing lies outside.
func sampled(b []float32, n int, x, y float32) float32 {
	u, v := (x+1)*0.5*float32(n)-0.5, (y+1)*0.5*float32(n)-0.5
	if !(u > -1 && v > -1 && u < float32(n) && v < float32(n)) {
		return 0
	}
	i, j := int(u+1)-1, int(v+1)-1
	fu, fv := u-float32(i), v-float32(j)
	at := func(i, j int) float32 {
		if i < 0 || j < 0 || i >= n || j >= n {
			return 0
		}
		return b[j*n+i]
	}
	low := at(i, j) + fu*(at(i+1, j)-at(i, j))
	high := at(i, j+1) + fu*(at(i+1, j+1)-at(i, j+1))
	return low + fv*(high-low)
}

func hyp(x, y float32) float32 { return float32(math.Sqrt(float64(x*x + y*y))) }
func mag(v float32) float32    { return max(v, -v) }

// within is 1 where d is below 0, over a border of the given width.
func within(d, edge float32) float32 { return min(max(0.5-d/max(edge, 1e-4), 0), 1) }

// line is what a line of half width w covers at a distance d of its middle; one
// thinner than the border is as much weaker.
func line(d, w, edge float32) float32 {
	edge = max(edge, 1e-4)
	d = mag(d)
	return min(max(0.5-(d-w)/edge, 0), 1) - min(max(0.5-(d+w)/edge, 0), 1)
}

// ball fades a square to a disc, so that no corner shows.
func ball(x, y, from float32) float32 { return 1 - geom.Smoothstep(from, 1, hyp(x, y)) }

func octaves(x, y float32, h uint32, n int) float32 {
	var sum, amp, all float32 = 0, 1, 0
	for k := range n {
		sum += amp * noise.Simplex(x, y, float32(k)*7.3, h+uint32(k))
		all += amp
		x, y, amp = x*2.03, y*2.03, amp*0.55
	}
	return sum / all
}

func slab(x, y, edge float32) float32 {
	return within(mag(x)-0.94, 2*edge) * within(mag(y)-0.30, 2*edge)
}

func grit(x, y, _ float32, h uint32) float32 {
	f1, _, id, _ := noise.Cellular(x*7, y*7, 0.5, h, noise.Euclidean, 0.9)
	size := 0.12 + 0.38*noise.Random(id, 2)
	return within(
		f1-size,
		0.12,
	) * geom.Smoothstep(
		1.05,
		0.5,
		hyp(x, y)+0.35*noise.Random(id, 3),
	) * (0.5 + 0.5*noise.Random(id, 4))
}

func bristle(h uint32) tip {
	type hair struct{ x, y, r, v float32 }
	var hairs []hair
	for k := range uint32(44) {
		sin, cos := math.Sincos(2 * math.Pi * float64(noise.Random(h, 3*k)))
		d := float32(math.Sqrt(float64(noise.Random(h, 3*k+1)))) * 0.86
		hairs = append(
			hairs,
			hair{
				d * float32(cos),
				d * float32(sin),
				0.03 + 0.06*noise.Random(h, 3*k+2),
				0.35 + 0.65*noise.Random(h^9, k),
			},
		)
	}
	return func(x, y, _ float32) (v float32) {
		for _, q := range hairs {
			if dx, dy := (x-q.x)*0.7, y-q.y; dx*dx+dy*dy < q.r*q.r {
				v = max(v, (1-geom.Smoothstep(0.3*q.r, q.r, hyp(dx, dy)))*q.v)
			}
		}
		return
	}
}

func sponge(x, y, _ float32, h uint32) float32 {
	f1, f2, _, _ := noise.Cellular(x*4.5, y*4.5, 0.5, h, noise.Euclidean, 1)
	holes := geom.Smoothstep(0.05, 0.28, f2-f1) // walls between holes stay
	return (1 - 0.92*holes*geom.Smoothstep(-0.3, 0.5, octaves(x*3, y*3, h, 2))) * geom.Smoothstep(
		1,
		0.62,
		hyp(x, y)+0.22*octaves(x*3, y*3, h^1, 3),
	)
}

func chalk(x, y, _ float32, h uint32) float32 {
	d := hyp(x, y) + 0.16*octaves(x*4, y*4, h, 3)
	return geom.Smoothstep(0.86, 0.7, d) * (0.25 + 0.75*geom.Smoothstep(-0.35, 0.2, octaves(x*11, y*11, h^5, 3)))
}

func spatter(h uint32) tip {
	type drop struct{ x, y, lx, ly, r, long float32 }
	var drops []drop
	for k := range uint32(30) {
		sin, cos := math.Sincos(2 * math.Pi * float64(noise.Random(h, 4*k)))
		r := 0.012 + 0.16*float32(math.Pow(float64(noise.Random(h, 4*k+2)), 5))
		d := noise.Random(h, 4*k+1) * (0.97 - r)
		lx, ly := float32(cos), float32(sin)
		drops = append(drops, drop{d * lx, d * ly, lx, ly, r, 1 + 0.5*d}) // drawn out, away from the middle
	}
	return func(x, y, edge float32) (v float32) {
		for _, q := range drops {
			dx, dy := x-q.x, y-q.y
			if far := 2*q.r + 2*edge; dx*dx+dy*dy < far*far {
				v = max(v, within(hyp((dx*q.lx+dy*q.ly)/q.long, dy*q.lx-dx*q.ly)-q.r, 2*edge))
			}
		}
		return
	}
}

func flake(h uint32) tip {
	// a polygon of uneven corners, nibbled at
	const corners = 7
	var sides [corners]struct{ x, y, off float32 }
	for k := range uint32(corners) {
		sin, cos := math.Sincos(2 * math.Pi * float64((float32(k)+0.6*noise.Random(h, k))/corners))
		sides[k].x, sides[k].y, sides[k].off = float32(cos), float32(sin), 0.36+0.46*noise.Random(h, k+20)
	}
	return func(x, y, edge float32) float32 {
		d := float32(9)
		for _, q := range sides {
			d = min(d, q.off-(x*q.x+y*q.y))
		}
		d += 0.07*octaves(x*6, y*6, h, 2) + 0.02*octaves(x*19, y*19, h^2, 1)
		return within(-d, 2*edge) * within(hyp(x, y)-0.95, 2*edge)
	}
}

func scratch(x, y, edge float32, h uint32) float32 {
	bow := 0.14 * (noise.Random(h, 1) - 0.5)
	off := y - bow*(1-x*x) - 0.02*noise.Simplex(x*5, 3, 1, h)
	width := 0.05 * (1 - geom.Smoothstep(0.55, 0.98, mag(x))) * (0.6 + 0.6*octaves(x*4, 1, h, 2))
	breaks := geom.Smoothstep(-0.62, -0.4, octaves(x*3.5, 9, h, 2))
	return line(off, width, max(2*edge, 0.02)) * breaks * geom.Smoothstep(0.98, 0.9, mag(x))
}

func crack(x, y, edge float32, h uint32) float32 {
	var v float32
	for k := range uint32(3) {
		s := h + k*77
		from := -0.95 + 0.5*noise.Random(s, 1)*float32(min(k, 1))
		to := 0.95 - 0.5*noise.Random(s, 2)*float32(min(k, 1))
		slope := float32(0)
		if k > 0 {
			slope = 1.1 * (noise.Random(s, 3) - 0.5)
		}
		main := 0.22*octaves(x*2.2, 0.3, h, 3) + 0.05*octaves(x*9, 2, h, 2)
		off := y - main - slope*max(x-from, 0)*float32(min(k, 1)) - 0.05*octaves(x*7, 5, s, 2)*float32(min(k, 1))
		end := min(x-from, to-x)
		w := (0.012 + 0.028*min(max(end, 0), 0.5)) * (0.5 + 0.8*geom.Smoothstep(-0.6, 0.5, octaves(x*5, 8, s, 2)))
		v = max(v, line(off, w, max(2*edge, 0.012))*geom.Smoothstep(0, 0.06, end))
	}
	return v * ball(x, y, 0.93)
}

func dust(x, y, _ float32, h uint32) float32 {
	f1, _, id, _ := noise.Cellular(x*9, y*9, 0.5, h, noise.Euclidean, 1)
	r := 0.25 + 0.45*noise.Random(id, 1)
	speck := geom.Smoothstep(r, 0.3*r, f1)
	if noise.Random(id, 2) < 0.3 {
		speck = 0
	}
	return speck * (0.4 + 0.6*noise.Random(id, 3)) * ball(x, y, 0.4)
}

func cloud(x, y, _ float32, h uint32) float32 {
	d := hyp(x, y)
	return geom.Smoothstep(1, 0.1, d+0.3*octaves(x*1.8, y*1.8, h, 4)*geom.Smoothstep(1.1, 0.4, d)) * ball(x, y, 0.7)
}

func bloom(x, y, _ float32, h uint32) float32 {
	r := hyp(x, y)
	d := r*(1+0.3*octaves(x*1.6, y*1.6, h, 3)) + 0.17*octaves(x*4.5, y*4.5, h^3, 4)
	// dense in the middle, eaten away outward, and grains that ran ahead of it
	grain := octaves(x*10, y*10, h^7, 3)
	body := geom.Smoothstep(
		0.16,
		-0.3,
		d-0.68+0.26*grain,
	) * (0.62 + 0.38*geom.Smoothstep(-0.45, 0.35, octaves(x*4, y*4, h^5, 3)))
	stain := 0.3 * geom.Smoothstep(0.98, 0.5, d) * (0.6 + 0.4*octaves(x*3, y*3, h^8, 2))
	f1, _, id, _ := noise.Cellular(x*8, y*8, 0.5, h^11, noise.Euclidean, 1)
	ahead := geom.Smoothstep(0.34*max(1-0.7*d, 0), 0.1*max(1-0.7*d, 0), f1) * (0.4 + 0.6*noise.Random(id, 1))
	if noise.Random(id, 2) > 0.62-0.35*d {
		ahead = 0
	}
	return max(body, max(stain, 0), ahead) * ball(x, y, 0.8)
}

func tuft(x, y, _ float32, h uint32) float32 {
	var v float32
	for _, f := range [2]float32{4, 8} {
		f1, _, id, _ := noise.Cellular(x*f, y*f, 0.5, h+uint32(f), noise.Euclidean, 0.9)
		r := 0.3 + 0.35*noise.Random(id, 1)
		b := max(1-f1/r, 0)
		v = max(
			v,
			float32(
				math.Sqrt(float64(b)),
			)*(0.55+0.45*noise.Random(id, 2))*geom.Smoothstep(
				0.95,
				0.5,
				hyp(x, y)+0.4*noise.Random(id, 4),
			),
		)
	}
	return v
}

func leaf(x, y, edge float32) float32 {
	x /= 0.94
	w := 0.34 * (1 - x*x) * (1 - 0.35*x)
	rib := line(y, 0.02, 2*edge)
	return within(mag(y)-w, 3*edge) * (1 - 0.35*rib)
}

func feather(x, y, edge float32, h uint32) float32 {
	// the shaft lies along x; barbs slant towards the tip
	w := 0.34 * float32(math.Pow(float64(max(1-x*x*x*x, 0)), 0.5)) * geom.Smoothstep(-1, -0.55, x)
	barb := x - 0.9*mag(y)
	lines := 0.72 + 0.28*noise.Simplex(barb*26, 1, y*3, h)
	split := geom.Smoothstep(-0.75, -0.6, octaves(barb*5, sign(y)*3, h^4, 2)) // barbs that have come apart
	shaft := line(y, 0.022*(1.1-x), 2*edge)
	return max(
		within(mag(y)-w, 3*edge)*lines*(0.3+0.7*split)*geom.Smoothstep(1.02, 0.6, hyp(x, 2.2*y)),
		shaft*geom.Smoothstep(0.99, 0.9, mag(x)),
	)
}

func plume(x, y, edge float32, h uint32) float32 {
	// broad and round towards +x, lost at its root
	w := float32(0.62)
	if x > 0.2 {
		t := (x - 0.2) / 0.76
		w *= float32(math.Sqrt(float64(max(1-t*t, 0))))
	} else {
		w *= 0.55 + 0.45*geom.Smoothstep(-1, 0.2, x)
	}
	w += 0.02 * noise.Simplex(x*3, 1, sign(y), h)
	barb := x*0.8 - 0.7*mag(y)
	lines := 0.88 + 0.12*noise.Simplex(barb*34, 2, y*4, h)
	slit := 1 - 0.75*line(
		barb-0.1-0.35*noise.Random(h, uint32(3+sign(y))),
		0.02,
		3*edge,
	)*geom.Smoothstep(
		0.15,
		0.5,
		mag(y)/max(w, 0.05),
	)
	return within(mag(y)-w, 3*edge) * lines * slit * geom.Smoothstep(-0.98, -0.45, x) * (1 - 0.3*line(y, 0.025, 2*edge))
}

func sign(v float32) float32 {
	if v < 0 {
		return -1
	}
	return 1
}

func stitch(x, y, _ float32) float32 {
	const half, r = 0.55, 0.26
	d := hyp(max(mag(x)-half, 0), y) / r
	if d >= 1 {
		return 0
	}
	twist := 0.86 + 0.14*float32(math.Cos(float64(9*(x+0.8*y))*2))
	sink := 1 - 0.45*geom.Smoothstep(0.3, 0.8, mag(x))
	return float32(math.Sqrt(float64(1-d*d))) * twist * sink
}

func bead(x, y, _ float32) float32 {
	// a disc from which the next one's place is taken
	d := hyp(x, y) / 0.95
	if d >= 1 {
		return 0
	}
	dome := float32(math.Sqrt(float64(1 - d*d)))
	ripple := 0.82 + 0.18*geom.Smoothstep(0.55, 0.95, hyp(x+0.45, y))
	return dome * ripple * geom.Smoothstep(-0.95, 0.2, x+0.4)
}

func strand(x, y, _ float32) float32 {
	// a bar that slants, round in section, thin at the ends
	const slant = 0.65
	u, v := x*0.84-y*0.54, x*0.54+y*0.84
	w := 0.34 * (1 - 0.5*mag(v)*mag(v))
	d := (u - slant*0.12*v*v*v) / w
	if mag(d) >= 1 || mag(v) >= 1 {
		return 0
	}
	fibre := 0.93 + 0.07*float32(math.Cos(float64(d)*14+float64(v)*6))
	return float32(math.Sqrt(float64(1-d*d))) * fibre * geom.Smoothstep(1, 0.75, mag(v))
}

func dome(x, y, _ float32) float32 {
	d := hyp(x, y) / 0.9
	if d >= 1 {
		return 0
	}
	// a cap: a flat washer would be a step, this rises steeply and rounds over
	return float32(math.Pow(float64(1-d*d), 0.42))
}

func ring(x, y, edge float32) float32 {
	return within(mag(hyp(x, y)-0.74)-0.16, 3*edge)
}

func comb(h uint32) tip {
	var at, width, grey [9]float32
	for k := range uint32(9) {
		at[k] = -0.8 + 0.2*float32(k) + 0.06*(noise.Random(h, k)-0.5)
		width[k], grey[k] = 0.012+0.03*noise.Random(h, k+40), 0.5+0.5*noise.Random(h, k+80)
	}
	return func(x, y, edge float32) (v float32) {
		for k := range at {
			v = max(v, line(y-at[k], width[k], max(2*edge, 0.02))*grey[k])
		}
		return v * geom.Smoothstep(0.95, 0.6, mag(x))
	}
}

func drop(x, y, edge float32, h uint32) float32 {
	// a splash with an uneven rim and flung specks, and one or two runs from it
	wide := 0.42 + 0.14*noise.Random(h, 1)
	cy := y - 0.48
	a := float32(math.Atan2(float64(cy), float64(x)))
	rim := 0.16*noise.Simplex(
		2*float32(math.Cos(float64(a))),
		2*float32(math.Sin(float64(a))),
		3,
		h,
	) + 0.08*noise.Simplex(
		5*float32(math.Cos(float64(a))),
		5*float32(math.Sin(float64(a))),
		9,
		h,
	)
	v := within(hyp(x, cy*1.15)-wide*(0.82+rim*1.6), 3*edge)
	for k := range uint32(2) {
		cx := 0.5 * wide * (noise.Random(h, 10+k) - 0.5) * float32(1+k)
		end := -0.82 + 0.8*noise.Random(h, 20+k)*float32(k)
		w := (0.035 + 0.05*noise.Random(h, 30+k)) * (0.55 + 0.45*geom.Smoothstep(end+0.5, end, y))
		off := x - cx - 0.05*noise.Simplex(1, y*1.7, float32(k), h)
		v = max(v, line(off, w, 3*edge)*within(end-y, 3*edge)*within(y-0.5, 0.1))
		v = max(v, within(hyp(off, (y-end)*0.8)-w*1.35, 3*edge)) // where it stopped
	}
	for k := range uint32(5) {
		sin, cos := math.Sincos(2 * math.Pi * float64(noise.Random(h, 40+k)))
		d := wide * (1 + 0.7*noise.Random(h, 50+k))
		v = max(v, within(hyp(x-d*float32(cos), (cy-d*float32(sin))*1.1)-0.02-0.035*noise.Random(h, 60+k), 3*edge))
	}
	return v * within(max(mag(x), mag(y))-0.96, 2*edge)
}
