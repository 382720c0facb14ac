// Package light holds what lies around a model and lights it: panoramas of radiance, those of
// ours and those that are read, how directions are drawn from them by their brightness, and
// where their brightest place lies.
package light

import (
	"math"

	"velvetgrime/core/geom"
)

// Panorama is the radiance from all sides, with longitude across and latitude down. A texel's
// row 0 looks up; a direction at azimuth atan2(z, x) = −π lies at the left edge, +π at the right.
type Panorama struct {
	W, H int
	// Data are red, green and blue by rows, linear, with the primaries of Rec. ITU-R BT.709: in
	// kcd/m² those of ours, in the units of the file others
	Data []float32

	// set is the gauge of one that comes exposed; 0: it is measured
	set float64
}

// New returns a black panorama w × w/2.
func New(w int) *Panorama { return &Panorama{W: w, H: w / 2, Data: make([]float32, w*(w/2)*3)} }

// Luminance weighs linear colours of Rec. ITU-R BT.709.
func Luminance(r, g, b float32) float32 { return 0.2126*r + 0.7152*g + 0.0722*b }

// Dir is the unit direction of a place, u and v 0..1 from the upper left corner.
func Dir(u, v float64) geom.Vec3 {
	az, el := (u-0.5)*2*math.Pi, (0.5-v)*math.Pi
	s, c := math.Sincos(el)
	sa, ca := math.Sincos(az)
	return geom.V3(float32(c*ca), float32(s), float32(c*sa))
}

// Place is where a unit direction lies: Dir the other way round.
func Place(d geom.Vec3) (u, v float64) {
	u = math.Atan2(float64(d.Z), float64(d.X))/(2*math.Pi) + 0.5
	return u, 0.5 - math.Asin(float64(min(max(d.Y, -1), 1)))/math.Pi
}

// At is the radiance from a unit direction, between four texels.
func (p *Panorama) At(d geom.Vec3) [3]float32 {
	u, v := Place(d)
	x, y := u*float64(p.W)-0.5, v*float64(p.H)-0.5
	fx, fy := math.Floor(x), math.Floor(y)
	ax, ay := float32(x-fx), float32(y-fy)
	x0, x1 := p.column(int(fx)), p.column(int(fx)+1)
	y0, y1 := min(max(int(fy), 0), p.H-1), min(int(fy)+1, p.H-1)
	var out [3]float32
	for k := range out {
		a, b := p.Data[(y0*p.W+x0)*3+k], p.Data[(y0*p.W+x1)*3+k]
		c, e := p.Data[(y1*p.W+x0)*3+k], p.Data[(y1*p.W+x1)*3+k]
		top, low := a+(b-a)*ax, c+(e-c)*ax
		out[k] = top + (low-top)*ay
	}
	return out
}

func (p *Panorama) column(x int) int { return ((x % p.W) + p.W) % p.W }

// texel is the solid angle of a texel of row y, steradians.
func (p *Panorama) texel(y int) float64 {
	top, low := math.Pi*float64(y)/float64(p.H), math.Pi*float64(y+1)/float64(p.H)
	return 2 * math.Pi / float64(p.W) * (math.Cos(top) - math.Cos(low))
}

// Smaller returns the panorama with at most w columns, each texel the mean over its solid angle.
func (p *Panorama) Smaller(w int) *Panorama {
	if w >= p.W {
		return p
	}
	out := New(w)
	out.set = p.set
	sum := make([]float64, len(out.Data))
	weight := make([]float64, w*out.H)
	for y := range p.H {
		omega := p.texel(y)
		to := min(y*out.H/p.H, out.H-1)
		for x := range p.W {
			i := to*w + min(x*w/p.W, w-1)
			weight[i] += omega
			for k := range 3 {
				sum[i*3+k] += omega * float64(p.Data[(y*p.W+x)*3+k])
			}
		}
	}
	for i, v := range sum {
		if weight[i/3] > 0 {
			out.Data[i] = float32(v / weight[i/3])
		}
	}
	return out
}

// Irradiance is what an even surface with normal n gathers, π for a panorama that is 1 all over.
func (p *Panorama) Irradiance(n geom.Vec3) [3]float64 {
	var out [3]float64
	p.each(func(d geom.Vec3, omega float64, c []float32) {
		if cos := float64(d.Dot(n)); cos > 0 {
			for k := range out {
				out[k] += cos * omega * float64(c[k])
			}
		}
	})
	return out
}

// each calls f for the direction, solid angle and colour of every texel.
func (p *Panorama) each(f func(d geom.Vec3, omega float64, c []float32)) {
	across := make([][2]float64, p.W)
	for x := range across {
		across[x][0], across[x][1] = math.Sincos(((float64(x)+0.5)/float64(p.W) - 0.5) * 2 * math.Pi)
	}
	for y := range p.H {
		omega := p.texel(y)
		sin, cos := math.Sincos((0.5 - (float64(y)+0.5)/float64(p.H)) * math.Pi)
		for x, a := range across {
			i := (y*p.W + x) * 3
			f(geom.V3(float32(cos*a[1]), float32(sin), float32(cos*a[0])), omega, p.Data[i:i+3])
		}
	}
}

// Gauge is by what radiance is multiplied so that, at exposure 1, a white surface of middling
// position is as bright as white: π over the mean luminous irradiance of six sides.
func (p *Panorama) Gauge() float64 {
	if p.set > 0 {
		return p.set
	}
	small := p.Smaller(128)
	sum := 0.0
	for _, n := range []geom.Vec3{
		geom.V3(1, 0, 0), geom.V3(-1, 0, 0), geom.V3(0, 1, 0),
		geom.V3(0, -1, 0), geom.V3(0, 0, 1), geom.V3(0, 0, -1),
	} {
		e := small.Irradiance(n)
		sum += 0.2126*e[0] + 0.7152*e[1] + 0.0722*e[2]
	}
	if sum <= 0 {
		return 1
	}
	return math.Pi * 6 / sum
}

// lit is a direction, and how bright its texel is: luminance times solid angle.
type lit struct {
	dir geom.Vec3
	lum float64
}

func (p *Panorama) lights() []lit {
	out := make([]lit, 0, p.W*p.H)
	p.each(func(d geom.Vec3, omega float64, c []float32) {
		out = append(out, lit{d, omega * float64(Luminance(c[0], c[1], c[2]))})
	})
	return out
}

// Key is the light from the brightest place of a panorama, as one lamp far away.
type Key struct {
	Dir    geom.Vec3  // towards it, a unit direction
	Color  [3]float32 // irradiance of a surface that faces it
	Radius float64    // radians, as seen: what softens its shadows
}

// Split takes the key light out of a panorama: what is left and the light together give a
// surface what the panorama gives. A small and very bright place (the sun) is taken out down to
// what surrounds it; of a wide one, like a door, a share stays, so that it is still mirrored.
func (p *Panorama) Split() (*Panorama, Key) {
	best, at := -1.0, geom.V3(0, 1, 0)
	lights := p.Smaller(64).lights()
	// the brightest place is one of some size: what a cone of ten degrees gathers
	cone := float32(math.Cos(10 * math.Pi / 180))
	for _, l := range lights {
		sum := 0.0
		for _, o := range lights {
			if l.dir.Dot(o.dir) > cone {
				sum += o.lum
			}
		}
		if sum > best*(1+1e-6) {
			best, at = sum, l.dir
		}
	}
	mean, whole := 0.0, 0.0
	p.each(func(_ geom.Vec3, omega float64, c []float32) {
		mean += omega * float64(Luminance(c[0], c[1], c[2])) / (4 * math.Pi)
	})
	e := p.Irradiance(at)
	whole = 0.2126*e[0] + 0.7152*e[1] + 0.0722*e[2]
	rest := &Panorama{p.W, p.H, append([]float32(nil), p.Data...), p.set}
	const spike = 8 // times the mean: what lies above is the lamp itself
	taken := rest.take(at, 12, func(l float64) float64 { return min(1, spike*mean/l) })
	if taken.lum < 0.25*whole {
		const stays = 0.6
		more := rest.take(at, 30, func(float64) float64 { return stays })
		taken = taken.and(more)
	}
	k := Key{Dir: at}
	if taken.lum > 0 {
		k.Dir = taken.dir.Unit()
		k.Radius = math.Sqrt(max(taken.spread(), 0))
		for i, v := range taken.color {
			k.Color[i] = float32(v)
		}
	}
	return rest, k
}

// taken is light that was taken out of a panorama.
type taken struct {
	color [3]float64
	lum   float64
	dir   geom.Vec3 // sum of directions, weighed by luminance
}

func (t taken) and(o taken) taken {
	for k := range t.color {
		t.color[k] += o.color[k]
	}
	t.lum += o.lum
	t.dir = t.dir.Add(o.dir)
	return t
}

// spread is the mean square angle from the middle, radians².
func (t taken) spread() float64 { return 2 * (1 - float64(t.dir.Length())/t.lum) }

// take lowers what lies within some degrees of a direction to a share that left tells of a
// texel's luminance, and returns what went.
func (p *Panorama) take(at geom.Vec3, degrees float64, left func(l float64) float64) (t taken) {
	cone := float32(math.Cos(degrees * math.Pi / 180))
	p.each(func(d geom.Vec3, omega float64, c []float32) {
		l := float64(Luminance(c[0], c[1], c[2]))
		if d.Dot(at) < cone || l <= 0 {
			return
		}
		share := left(l)
		for k := range c {
			t.color[k] += omega * float64(c[k]) * (1 - share)
			c[k] *= float32(share)
		}
		w := omega * l * (1 - share)
		t.lum += w
		t.dir = t.dir.Add(d.Mul(float32(w)))
	})
	return t
}
