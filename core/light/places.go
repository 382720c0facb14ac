package light

import (
	"fmt"
	"math"
	"runtime"
	"sync"

	"velvetgrime/core/geom"
)

// Environment is one of ours.
type Environment struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Note string `json:"note" doc:"what there is"`

	// at prepares what lies around, and returns the radiance from a direction in kcd/m²
	at    func() func(d geom.Vec3) colour
	gauge float64 // where it comes exposed; see Panorama.Gauge
}

type colour = [3]float32

// Environments lists ours, the usual one first.
func Environments() []Environment { return places }

// Find returns one of ours.
func Find(id string) (Environment, bool) {
	for _, e := range places {
		if e.ID == id {
			return e, true
		}
	}
	return Environment{}, false
}

// Width is how wide ours are drawn: a texel is about as wide as the sun.
const Width = 1024

var drawn sync.Map // Environment.ID → func() *Panorama

// Panorama draws the environment, once.
func (e Environment) Panorama() *Panorama {
	f, _ := drawn.LoadOrStore(e.ID, sync.OnceValue(func() *Panorama { return e.draw(Width) }))
	return f.(func() *Panorama)()
}

// Small draws the environment with few columns, for a picture of it.
func (e Environment) Small() *Panorama { return e.draw(256) }

func (e Environment) draw(w int) *Panorama {
	p := New(w)
	p.set = e.gauge
	at := e.at()
	var rows sync.WaitGroup
	next := make(chan int)
	for range runtime.NumCPU() {
		rows.Go(func() {
			for y := range next {
				for x := range w {
					c := at(Dir((float64(x)+0.5)/float64(w), (float64(y)+0.5)/float64(p.H)))
					copy(p.Data[(y*w+x)*3:], c[:])
				}
			}
		})
	}
	for y := range p.H {
		next <- y
	}
	close(next)
	rows.Wait()
	return p
}

var places = []Environment{
	{"quay-evening", "Quay, evening", "thin cloud, a low sun, a bright boathouse behind", quayEvening, 1.05},
	{"harbour-noon", "Harbour noon", "a clear sky, the sun high, water and a pale quay", harbourNoon, 0},
	{"dull-morning", "Dull morning", "an overcast sky over grey water, no shadow anywhere", dullMorning, 0},
	{"boathouse-door", "Boathouse door", "dark boards, and one wide door to the light", boathouseDoor, 0},
	{"against-the-sun", "Against the sun", "a low sun over glittering water", againstTheSun, 0},
	{"workshop-lamps", "Workshop lamps", "two warm lamps over the bench, a cold strip behind", workshopLamps, 0},
	{"snow-light", "Snow light", "snow below and a bright low sky: light from everywhere", snowLight, 0},
	{"lamp-room", "Lamp room at night", "night behind the panes, a moon, and one small lamp", lampRoom, 0},
	{"plain-studio", "Plain studio", "two large lamps, a strip, and grey all round", plainStudio, 0},
}

func (e Environment) String() string { return fmt.Sprintf("%s (%s)", e.Name, e.ID) }

func mix(a, b colour, t float32) (c colour) {
	for k := range c {
		c[k] = a[k] + (b[k]-a[k])*t
	}
	return c
}

func (s scaledColour) times(f float32) colour { return colour{s[0] * f, s[1] * f, s[2] * f} }

type scaledColour colour

func gray(v float32) colour { return colour{v, v, v} }

func plus(a, b colour) colour { return colour{a[0] + b[0], a[1] + b[1], a[2] + b[2]} }

func dim(a, b colour) colour { return colour{a[0] * b[0], a[1] * b[1], a[2] * b[2]} }

func exp(x float64) float64 { return math.Exp(x) }

// heaven is a sky by the standard general distribution (CIE S 011 / ISO 15469:2004): its
// gradation a, b and its indicatrix c, d, e, with a sun and with colours of ours.
type heaven struct {
	a, b, c, d, e float64
	zenith        float64 // kcd/m² straight above
	sun           geom.Vec3
	high, low     colour // the colour above, and at the horizon
	lamp          colour // illuminance of a surface that faces the sun, klx
	warm          colour // the colour near the sun
}

// sunRadius is that of the sun as seen, radians; texels are about as wide.
const sunRadius = 0.00465

func (h *heaven) gradation(z float64) float64 {
	return 1 + h.a*exp(h.b/max(math.Cos(z), 1e-3))
}

func (h *heaven) indicatrix(chi float64) float64 {
	cos := math.Cos(chi)
	return 1 + h.c*(exp(h.d*chi)-exp(h.d*math.Pi/2)) + h.e*cos*cos
}

// at is the sky without the sun, from above the horizon.
func (h *heaven) at(d geom.Vec3) colour {
	z := math.Acos(float64(min(max(d.Y, 0.001), 1)))
	chi := math.Acos(float64(min(max(d.Dot(h.sun), -1), 1)))
	zs := math.Acos(float64(min(max(h.sun.Y, -1), 1)))
	l := h.zenith * h.gradation(z) * h.indicatrix(chi) / (h.gradation(0) * h.indicatrix(zs))
	up := float32(math.Pow(1-float64(max(d.Y, 0)), 3))
	tint := mix(mix(h.high, h.low, up), h.warm, float32(exp(-chi*chi/0.09))*0.8)
	lum := Luminance(tint[0], tint[1], tint[2])
	return scaledColour(tint).times(float32(l) / lum)
}

// shines is the sun itself, spread over what a texel sees.
func (h *heaven) shines(d geom.Vec3) colour {
	const edge = 2 * math.Pi / Width // a texel
	chi := math.Acos(float64(min(max(d.Dot(h.sun), -1), 1)))
	// a disc with soft rims whose light is that of the sun whatever its size
	const r = sunRadius + edge
	if chi > 2*r {
		return colour{}
	}
	s := chi / r
	return scaledColour(h.lamp).times(float32(exp(-s*s*2) / (math.Pi * r * r / 2)))
}

// upon is what lies below the horizon when it is matt and even: what the sky and the sun give it.
func (h *heaven) upon(albedo colour) colour {
	var sum colour
	const n = 24
	for i := range n {
		for k := range 2 * n {
			el := (float64(i) + 0.5) / n * math.Pi / 2
			az := (float64(k) + 0.5) / n * math.Pi
			s, c := math.Sincos(el)
			d := geom.V3(float32(c*math.Cos(az)), float32(s), float32(c*math.Sin(az)))
			sum = plus(sum, scaledColour(h.at(d)).times(float32(s*c*(math.Pi/2/n)*(math.Pi/n))))
		}
	}
	sum = plus(sum, scaledColour(h.lamp).times(max(h.sun.Y, 0)))
	return scaledColour(dim(sum, albedo)).times(1 / math.Pi)
}

// water mirrors the sky by its waves: Schlick's share for an index of 1.33, over what it holds.
func (h *heaven) water(d geom.Vec3, holds colour, waves float64) colour {
	down := float64(max(-d.Y, 0.003))
	share := float32(0.02 + 0.98*math.Pow(1-down, 5))
	// at a flat look waves lean: what is mirrored comes from higher up
	up := geom.V3(d.X, float32(down+waves*(1-down)), d.Z).Unit()
	c := mix(holds, h.at(up), share)
	if h.lamp[0] > 0 { // the sun's glitter, wide as the waves lean
		mirrored := geom.V3(d.X, -d.Y, d.Z)
		side := wrap(math.Atan2(float64(mirrored.Z), float64(mirrored.X)) - math.Atan2(float64(h.sun.Z), float64(h.sun.X)))
		high := math.Asin(float64(mirrored.Y)) - math.Asin(float64(h.sun.Y))
		g := exp(-side*side/(2*waves*waves) - high*high/(2*9*waves*waves))
		grain := 0.4 + 1.2*max(0, math.Sin(410*float64(d.X)+60*math.Sin(9/(down+0.02)))*math.Sin(380*float64(d.Z)+90/(down+0.03)))
		c = plus(c, scaledColour(h.lamp).times(float32(g*grain*float64(share)/(4*math.Pi*waves*waves*3))))
	}
	return c
}

func wrap(a float64) float64 { return math.Atan2(math.Sin(a), math.Cos(a)) }

func from(azimuth, elevation float64) geom.Vec3 {
	s, c := math.Sincos(elevation * math.Pi / 180)
	sa, ca := math.Sincos(azimuth * math.Pi / 180)
	return geom.V3(float32(c*ca), float32(s), float32(c*sa))
}

// eyes is how high above the quay the eye is, metres.
const eyes = 1.3

// ashore reports whether a direction that looks down meets a straight quay that ends so many
// metres before the eye, towards the azimuth of the water.
func ashore(d geom.Vec3, water, metres float64) bool {
	if d.Y >= 0 {
		return false
	}
	s, c := math.Sincos(water)
	far := eyes / float64(-d.Y) * (float64(d.X)*c + float64(d.Z)*s)
	return far < metres
}

// slabs is how light the slabs of a quay are where a direction meets them, with their joints.
func slabs(d geom.Vec3) float32 {
	x, z := float64(d.X/-d.Y)*eyes, float64(d.Z/-d.Y)*eyes
	row := math.Floor(z / 0.8)
	x += 0.37 * math.Mod(row*7, 5)
	fx, fz := x/1.2-math.Floor(x/1.2), z/0.8-math.Floor(z/0.8)
	// joints that are finer than a texel would flicker: they are gone before
	near := ease(0.1, 0.45, float64(-d.Y))
	wide := 0.02 + 0.01/float64(-d.Y)
	if fx < wide || fz < wide {
		return float32(0.94 - 0.22*near)
	}
	return float32(0.94 + near*(0.01+0.07*math.Sin(row*13+math.Floor(x/1.2)*29)))
}

// shore is how high the land stands at an azimuth, as a sine of elevation.
func shore(az, height float64) float32 {
	v := 0.55*math.Sin(az*2+0.7) + 0.3*math.Sin(az*5+2) + 0.2*math.Sin(az*11+1.1) + 0.1*math.Sin(az*29)
	return float32(height * (0.6 + 0.4*v))
}

// houses is the front of a row of sheds along a stretch of quay: what colour stands at a place,
// and whether one does.
func houses(az, from, to float64, y float32) (colour, bool) {
	if az < from || az > to || y < 0 {
		return colour{}, false
	}
	n := (az - from) * 9
	i := math.Floor(n)
	in := n - i
	roof := 0.11 + 0.05*math.Sin(i*2.4)
	top := roof + 0.045*(1-math.Abs(in-0.5)*2)
	if float64(y) > top {
		return colour{}, false
	}
	walls := []colour{{0.55, 0.52, 0.45}, {0.42, 0.12, 0.08}, {0.2, 0.26, 0.3}, {0.6, 0.58, 0.55}, {0.3, 0.2, 0.12}}
	wall := walls[int(math.Abs(i))%len(walls)]
	if float64(y) > roof {
		wall = colour{0.12, 0.11, 0.11}
	}
	if in > 0.38 && in < 0.62 && float64(y) < roof*0.55 { // a door
		wall = gray(0.05)
	}
	return wall, true
}

func harbourNoon() func(geom.Vec3) colour {
	h := &heaven{-1, -0.32, 10, -3, 0.45, 4.5, from(43, 56), colour{0.16, 0.36, 0.86}, colour{0.62, 0.75, 0.92}, colour{104, 98, 90}, colour{1, 0.96, 0.9}}
	quay := h.upon(colour{0.36, 0.34, 0.31})
	front := scaledColour(h.upon(gray(1))).times(0.55)
	hill := h.upon(colour{0.06, 0.085, 0.05})
	deep := h.upon(colour{0.02, 0.045, 0.05})
	return func(d geom.Vec3) colour {
		az := math.Atan2(float64(d.Z), float64(d.X))
		back := math.Abs(wrap(az-math.Pi)) < 1.25 // the quay lies behind, sheds upon it
		if w, ok := houses(wrap(az-math.Pi), -1.2, 1.2, d.Y); ok {
			return dim(w, front)
		}
		switch {
		case d.Y >= 0 && !back && d.Y < shore(az, 0.07):
			return mix(hill, h.at(d), 0.25)
		case d.Y >= 0:
			return plus(h.at(d), h.shines(d))
		case ashore(d, 0, 1.6): // what one stands on
			return scaledColour(quay).times(slabs(d))
		}
		return h.water(d, deep, 0.09)
	}
}

func dullMorning() func(geom.Vec3) colour {
	h := &heaven{4, -0.7, 0, -1, 0, 5.2, from(0, 40), colour{0.9, 0.96, 1.06}, colour{0.97, 0.99, 1.02}, colour{}, colour{0.95, 0.98, 1.03}}
	stone := h.upon(colour{0.2, 0.2, 0.2})
	hill := h.upon(colour{0.05, 0.06, 0.06})
	deep := h.upon(colour{0.03, 0.04, 0.045})
	return func(d geom.Vec3) colour {
		az := math.Atan2(float64(d.Z), float64(d.X))
		switch {
		case d.Y >= 0 && d.Y < shore(az, 0.09):
			return mix(hill, h.at(d), 0.5) // mist
		case d.Y >= 0:
			cloud := 1 + 0.12*math.Sin(az*3+5*float64(d.Y))*math.Sin(az*1.7-9*float64(d.Y)+1)
			return scaledColour(h.at(d)).times(float32(cloud))
		case ashore(d, 1.2, 1.4):
			return scaledColour(stone).times(slabs(d))
		}
		return h.water(d, deep, 0.07)
	}
}

func againstTheSun() func(geom.Vec3) colour {
	h := &heaven{-1, -0.3, 16, -3, 0.3, 1.6, from(38, 13), colour{0.3, 0.42, 0.72}, colour{0.95, 0.72, 0.48}, colour{46, 33, 18}, colour{1, 0.78, 0.5}}
	quay := h.upon(colour{0.2, 0.18, 0.16})
	hill := h.upon(colour{0.03, 0.03, 0.03})
	deep := h.upon(colour{0.012, 0.018, 0.024})
	return func(d geom.Vec3) colour {
		az := math.Atan2(float64(d.Z), float64(d.X))
		switch {
		case d.Y >= 0 && d.Y < shore(az, 0.06):
			return mix(hill, h.at(d), 0.3)
		case d.Y >= 0:
			return plus(h.at(d), h.shines(d))
		case ashore(d, 0.66, 1.2):
			return scaledColour(quay).times(slabs(d))
		}
		return h.water(d, deep, 0.07)
	}
}

func snowLight() func(geom.Vec3) colour {
	h := &heaven{1.1, -0.8, 0.5, -1.5, 0.1, 6, from(200, 22), colour{0.88, 0.95, 1.08}, colour{0.98, 0.99, 1.02}, colour{}, colour{1, 0.97, 0.92}}
	snow := h.upon(colour{0.82, 0.84, 0.88})
	trees := h.upon(colour{0.03, 0.035, 0.035})
	return func(d geom.Vec3) colour {
		az := math.Atan2(float64(d.Z), float64(d.X))
		tops := shore(az, 0.08) + float32(0.02*math.Abs(math.Sin(az*60))*math.Abs(math.Sin(az*23)))
		switch {
		case d.Y >= 0 && d.Y < tops:
			return mix(trees, h.at(d), 0.35)
		case d.Y >= 0:
			return h.at(d)
		}
		drift := float32(1 + 0.05*math.Sin(float64(d.X/(d.Y-0.05))*2)*math.Sin(float64(d.Z/(d.Y-0.05))*1.5+1))
		return scaledColour(snow).times(drift)
	}
}

// The light in which the view begins: thin cloud over water, a low sun behind it, a bright
// door and a dark quay. The page draws the same without asking.
func quayEvening() func(geom.Vec3) colour {
	sun := from(0.75*180/math.Pi, 0.62*180/math.Pi)
	soft := func(dx, dy, w, h float64) float64 {
		return (1 - ease(w*0.6, w, math.Abs(dx))) * (1 - ease(h*0.6, h, math.Abs(dy)))
	}
	return func(d geom.Vec3) colour {
		az, el := math.Atan2(float64(d.Z), float64(d.X)), math.Asin(float64(min(max(d.Y, -1), 1)))
		up := float64(d.Y)
		var c [3]float64
		if up >= 0 {
			k := math.Pow(1-up, 3)
			cloud := 0.5 + 0.5*math.Sin(az*3+4*up)*math.Sin(az*1.7-9*up+1)
			s := 0.42 + 0.3*k + 0.12*cloud*(1-k)
			c = [3]float64{s * (0.92 + 0.22*k), s * (0.98 + 0.06*k), s * (1.1 - 0.14*k)}
		} else {
			k := math.Pow(1+up, 4)
			c = [3]float64{0.07 + 0.24*k, 0.068 + 0.23*k, 0.066 + 0.22*k}
		}
		off := wrap(az-0.75)*wrap(az-0.75) + (el-0.62)*(el-0.62)
		glow := exp(-off/0.02)*15 + exp(-off/0.3)*1.1
		door := soft(wrap(az+1.55), el-0.35, 0.34, 0.62) * 3.4
		back := soft(wrap(az-2.85), el-0.5, 0.2, 0.7) * 4
		c[0] += glow + door*0.95 + back*0.86
		c[1] += glow*0.9 + door + back*0.94
		c[2] += glow*0.74 + door*1.06 + back*1.1
		// the key light of the view: what it gives a surface that faces it, from a small disc
		const r = 0.03
		if chi := math.Acos(float64(min(d.Dot(sun), 1))); chi < r {
			for k, v := range []float64{1, 0.871, 0.715} {
				c[k] += 1.6 * v / (math.Pi * r * r)
			}
		}
		return colour{float32(c[0]), float32(c[1]), float32(c[2])}
	}
}

func ease(a, b, v float64) float64 {
	t := min(max((v-a)/(b-a), 0), 1)
	return t * t * (3 - 2*t)
}
