// Package bsdf tells how a surface sends light on: a rough interface (GGX) over a matt base or a
// metal, with the energy that its facets send to each other, a coat, fuzz, and panes that let light
// through. Directions lie in the frame of the surface: z is its normal; both point away from it.
//
// Sources: Walter and others 2007, "Microfacet Models for Refraction through Rough Surfaces";
// Heitz 2014, "Understanding the Masking-Shadowing Function in Microfacet-Based BRDFs" (the height
// correlated term); Dupuy and Benyoub 2023, "Sampling Visible GGX Normals with Spherical Caps";
// Kulla and Conty 2017, "Revisiting Physically Based Shading at Imageworks" (what facets send to
// each other, and the base below an interface); Estevez and Kulla 2017, "Production Friendly
// Microfacet Sheen BRDF"; the parameters are those of OpenPBR Surface 1.1.
package bsdf

import (
	"math"

	"velvetgrime/core/geom"
)

// Color is a linear colour or three shares.
type Color = [3]float32

// Surface is what a place is made of. The zero value is a black mirror-smooth dielectric with
// no interface; Plain is a usual start.
type Surface struct {
	Color    Color   // of the base: what a matt one sends back, what a metal mirrors straight on
	Metal    float32 // 0..1
	Rough    float32 // 0..1; the width of the facets' slopes is its square
	Specular float32 // weight of the interface of what is no metal, 0..1
	Aniso    float32 // 0..1: how much narrower the slopes are along y than along x

	Coat, CoatRough float32 // 0..1
	Fuzz            Color   // weight and colour in one
	FuzzRough       float32
	Transmission    float32 // 0..1, of a pane without thickness
}

// Plain is grey, matt and without any layer over it.
func Plain() Surface {
	return Surface{Color: Color{0.5, 0.5, 0.5}, Rough: 0.6, Specular: 1, CoatRough: 0.1, FuzzRough: 0.5}
}

// dielectric is what an interface between air and a refractive index of 1.5 mirrors straight on.
const dielectric = 0.04

// BSDF is a surface made ready for directions.
type BSDF struct {
	s         Surface
	ax, ay, a float32 // widths of slopes; a: of one that is as rough all round
	coat      float32 // width of the coat's slopes
	f0        Color   // of metal and the rest mixed
	d0        float32 // of what is no metal
	many      Color   // share that many facets send on, before (1 − E)
	eAvg      float32
	dielAvg   float32 // mean albedo of the interface alone
	coatAvg   float32
	fuzz      float32 // the strongest of its components
	base      Color   // matt albedo
	through   Color   // share that goes through
	pd, pt    float32 // luminance of base and through
}

// narrowest is the narrowest width of slopes: below it directions are too few for numbers of 32 bits.
const narrowest = 2e-3

// New makes a surface ready. Values beyond their ranges are brought into them.
func New(s Surface) BSDF {
	s.Metal, s.Rough, s.Specular = unit(s.Metal), unit(s.Rough), unit(s.Specular)
	s.Coat, s.CoatRough, s.FuzzRough = unit(s.Coat), unit(s.CoatRough), min(max(s.FuzzRough, 0.07), 1)
	s.Transmission, s.Aniso = unit(s.Transmission), min(max(s.Aniso, 0), 0.98)
	b := BSDF{s: s}
	b.a = max(s.Rough*s.Rough, narrowest)
	b.ax, b.ay = b.a, b.a
	if s.Aniso > 0 { // OpenPBR: as rough on the whole
		k := 1 - s.Aniso
		b.ax = max(b.a*sqrt(2/(1+k*k)), narrowest)
		b.ay = max(b.ax*k, narrowest)
		b.a = sqrt(b.ax * b.ay) // for what the tables tell: rather too much of a mirror than light from nowhere
	}
	b.d0 = dielectric * s.Specular
	t := table()
	mean := t.mean(b.a)
	b.eAvg = mean.all
	b.fuzz = max(unit(s.Fuzz[0]), unit(s.Fuzz[1]), unit(s.Fuzz[2]))
	var dielMany float32
	if s.Specular > 0 {
		dielMany = manyFacets(b.d0, mean.all, s.Specular)
	}
	b.dielAvg = b.d0*mean.straight + s.Specular*mean.grazing + dielMany*(1-mean.all)
	for k := range 3 {
		c := unit(s.Color[k])
		b.f0[k] = b.d0 + s.Metal*(c-b.d0)
		b.many[k] = dielMany + s.Metal*(manyFacets(c, mean.all, 1)-dielMany)
		b.base[k] = (1 - s.Metal) * (1 - s.Transmission) * c
		b.through[k] = (1 - s.Metal) * s.Transmission * c
	}
	b.pd, b.pt = lum(b.base), lum(b.through)
	if s.Coat > 0 {
		b.coat = max(s.CoatRough*s.CoatRough, narrowest)
		m := t.mean(b.coat)
		b.coatAvg = dielectric*m.straight + m.grazing + manyFacets(dielectric, m.all, 1)*(1-m.all)
	}
	return b
}

// manyFacets is the share of the light that facets send to each other which comes out again
// (Kulla and Conty): f0 is what one facet mirrors straight on, f90 at grazing, all the mean
// albedo of facets that mirror everything.
func manyFacets(f0, all, f90 float32) float32 {
	f := f0 + (f90-f0)/21 // the mean of Schlick's term over all directions
	return f * f * all / (1 - f*(1-all))
}

func unit(v float32) float32 {
	if v != v {
		return 0
	}
	return min(max(v, 0), 1)
}

func sqrt(v float32) float32 { return float32(math.Sqrt(float64(v))) }

func lum(c Color) float32 { return 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2] }

// f90 is what the interface mirrors at grazing.
func (b *BSDF) f90() float32 { return b.s.Specular + b.s.Metal*(1-b.s.Specular) }

// angle holds what a direction alone decides.
type angle struct {
	cos         float32
	e           entry // of the interface
	diel        float32
	coat, fuzz  float32 // albedo
	coatMissing float32
}

func (b *BSDF) angle(w geom.Vec3) (a angle) {
	a.cos = max(w.Z, -w.Z)
	t := table()
	a.e = t.at(a.cos, b.a)
	if b.s.Metal < 1 {
		many := float32(0)
		if b.s.Specular > 0 {
			many = manyFacets(b.d0, b.eAvg, b.s.Specular) * (1 - a.e.all)
		}
		a.diel = b.d0*a.e.straight + b.s.Specular*a.e.grazing + many
	}
	if b.s.Coat > 0 {
		e := t.at(a.cos, b.coat)
		m := t.mean(b.coat).all
		a.coatMissing = 1 - e.all
		a.coat = dielectric*e.straight + e.grazing + manyFacets(dielectric, m, 1)*(1-e.all)
	}
	if b.fuzz > 0 {
		a.fuzz = fuzzTable().at(a.cos, b.s.FuzzRough)
	}
	return a
}

// Eval is the share of light per steradian that comes from wi and goes to wo, without the
// cosine, and how densely Sample draws wi, per steradian.
func (b *BSDF) Eval(wo, wi geom.Vec3) (Color, float32) {
	ao := b.angle(wo)
	return b.eval(wo, wi, &ao)
}

func (b *BSDF) eval(wo, wi geom.Vec3, ao *angle) (f Color, pdf float32) {
	if wo.Z <= 0 || wi.Z == 0 {
		return
	}
	p := b.shares(ao)
	ai := b.angle(wi)
	if wi.Z < 0 {
		if p.through == 0 {
			return
		}
		up := geom.V3(wi.X, wi.Y, -wi.Z)
		g, gpdf := b.facets(wo, up, b.ax, b.ay)
		shape := g + (1-ao.e.all)*(1-ai.e.all)/(math.Pi*(1-b.eAvg))
		over := 1 - max(ao.diel, ai.diel)
		over *= 1 - b.s.Coat*max(ao.coat, ai.coat)
		over *= 1 - b.fuzz*max(ao.fuzz, ai.fuzz)
		for k := range f {
			f[k] = b.through[k] * over * shape
		}
		return f, p.through * (ao.e.all*gpdf + (1-ao.e.all)*ai.cos/math.Pi)
	}
	h := wo.Add(wi).Unit()
	g, gpdf := b.facets(wo, wi, b.ax, b.ay)
	fres := pow5(1 - max(h.Dot(wo), 0))
	missing := (1 - ao.e.all) * (1 - ai.e.all) / (math.Pi * (1 - b.eAvg))
	f90 := b.f90()
	under := float32(1)
	matt := (1 - ao.diel) * (1 - ai.diel) / (math.Pi * (1 - b.dielAvg))
	if b.s.Coat > 0 {
		under = 1 - b.s.Coat*max(ao.coat, ai.coat)
		matt *= (1 - b.s.Coat*ao.coat) * (1 - b.s.Coat*ai.coat) / (1 - b.s.Coat*b.coatAvg)
	}
	for k := range f {
		f[k] = under*((b.f0[k]+(f90-b.f0[k])*fres)*g+b.many[k]*missing) + b.base[k]*matt
	}
	pdf = p.facets*gpdf + p.matt*ai.cos/math.Pi
	if b.s.Coat > 0 {
		c, cpdf := b.facets(wo, wi, b.coat, b.coat)
		m := table().mean(b.coat).all
		v := (dielectric + (1-dielectric)*fres) * c
		v += manyFacets(dielectric, m, 1) * ao.coatMissing * ai.coatMissing / (math.Pi * (1 - m))
		for k := range f {
			f[k] += b.s.Coat * v
		}
		pdf += p.coat * cpdf
	}
	if b.fuzz > 0 {
		over := 1 - b.fuzz*max(ao.fuzz, ai.fuzz)
		v := charlie(h.Z, wo.Z, wi.Z, b.s.FuzzRough)
		for k := range f {
			f[k] = f[k]*over + unit(b.s.Fuzz[k])*v
		}
	}
	return f, pdf
}

func pow5(v float32) float32 { s := v * v; return s * s * v }

// lambda is Smith's, of GGX.
func lambda(w geom.Vec3, ax, ay float32) float32 {
	x, y := ax*w.X, ay*w.Y
	return (sqrt(1+(x*x+y*y)/(w.Z*w.Z)) - 1) / 2
}

// facets is D·G₂ / 4cosₒcosᵢ of facets that mirror everything, and how densely visible ones
// send wo to wi.
func (b *BSDF) facets(wo, wi geom.Vec3, ax, ay float32) (f, pdf float32) {
	h := wo.Add(wi)
	l := h.Length()
	if l < 1e-9 || wi.Z <= 0 {
		return 0, 0
	}
	h = h.Mul(1 / l)
	x, y := h.X/ax, h.Y/ay
	q := x*x + y*y + h.Z*h.Z
	d := 1 / (math.Pi * ax * ay * q * q)
	lo, li := lambda(wo, ax, ay), lambda(wi, ax, ay)
	f = d / (4 * wo.Z * wi.Z * (1 + lo + li))
	pdf = d / (4 * wo.Z * (1 + lo))
	return f, pdf
}

// visible draws a facet's normal that wo sees (Dupuy and Benyoub).
func visible(wo geom.Vec3, ax, ay, u, v float32) geom.Vec3 {
	s := geom.V3(wo.X*ax, wo.Y*ay, wo.Z).Unit()
	phi := 2 * math.Pi * float64(u)
	z := (1-v)*(1+s.Z) - s.Z
	sin := sqrt(max(1-z*z, 0))
	sp, cp := math.Sincos(phi)
	h := s.Add(geom.V3(sin*float32(cp), sin*float32(sp), z))
	return geom.V3(h.X*ax, h.Y*ay, max(h.Z, 1e-7)).Unit()
}

// charlie is the fuzz's share: its distribution, with Neubelt and Pettineo's visibility.
func charlie(h, o, i, rough float32) float32 {
	inv := 1 / float64(rough)
	sin := math.Sqrt(max(1-float64(h)*float64(h), 0))
	d := (2 + inv) * math.Pow(sin, inv) / (2 * math.Pi)
	return float32(d / (4 * float64(o+i-o*i)))
}

// shares are how often each way is drawn.
type shares struct{ coat, facets, matt, through float32 }

func (b *BSDF) shares(ao *angle) (p shares) {
	p.facets = lum(b.f0)*ao.e.straight + b.f90()*ao.e.grazing
	p.matt = b.pd*(1-ao.diel) + lum(b.many)*(1-ao.e.all)
	p.through = b.pt * (1 - ao.diel)
	if b.s.Coat > 0 {
		p.coat = b.s.Coat * ao.coat
		left := 1 - b.s.Coat*ao.coat
		p.facets, p.matt, p.through = p.facets*left, p.matt*left, p.through*left
	}
	if b.fuzz > 0 { // drawn with what is matt
		p.matt += b.fuzz * ao.fuzz
	}
	sum := p.coat + p.facets + p.matt + p.through
	if sum <= 0 {
		return shares{matt: 1}
	}
	p.coat, p.facets, p.matt, p.through = p.coat/sum, p.facets/sum, p.matt/sum, p.through/sum
	return p
}

// Way is by which of a surface's ways a direction was drawn.
type Way int

// The ways.
const (
	Matt Way = iota
	Mirrored
	Through
)

// Sample draws where light comes from that goes to wo, from three numbers 0..1. weight is the
// share with the cosine over the density; a density of 0 says that nothing was drawn.
func (b *BSDF) Sample(wo geom.Vec3, choose, u, v float32) (wi geom.Vec3, weight Color, pdf float32, way Way) {
	if wo.Z <= 0 {
		return
	}
	ao := b.angle(wo)
	p := b.shares(&ao)
	switch {
	case choose < p.coat:
		wi = mirror(wo, visible(wo, b.coat, b.coat, u, v))
		way = Mirrored
	case choose < p.coat+p.facets:
		wi = mirror(wo, visible(wo, b.ax, b.ay, u, v))
		way = Mirrored
	case choose < p.coat+p.facets+p.matt || p.through == 0:
		wi = cosine(u, v)
	default:
		in := (choose - (1 - p.through)) / p.through // what is left of the number
		if in < ao.e.all {
			wi = mirror(wo, visible(wo, b.ax, b.ay, u, v))
		} else {
			wi = cosine(u, v)
		}
		wi.Z = -wi.Z
		if wi.Z >= 0 {
			return wi, weight, 0, Through
		}
		way = Through
	}
	if way != Through && wi.Z <= 0 {
		return wi, weight, 0, way
	}
	f, pdf := b.eval(wo, wi, &ao)
	if !(pdf > 0) {
		return wi, weight, 0, way
	}
	cos := max(wi.Z, -wi.Z) / pdf
	for k := range f {
		weight[k] = f[k] * cos
	}
	return wi, weight, pdf, way
}

func mirror(wo, h geom.Vec3) geom.Vec3 { return h.Mul(2 * wo.Dot(h)).Sub(wo) }

func cosine(u, v float32) geom.Vec3 {
	r := sqrt(u)
	s, c := math.Sincos(2 * math.Pi * float64(v))
	return geom.V3(r*float32(c), r*float32(s), sqrt(max(1-u, 1e-9)))
}

// Albedo is about what share of the light that comes evenly from all sides goes to wo, and what
// colour it has: the feature that denoising looks at.
func (b *BSDF) Albedo(wo geom.Vec3) (c Color) {
	a := b.angle(geom.V3(wo.X, wo.Y, max(wo.Z, 0.02)))
	for k := range c {
		c[k] = b.f0[k]*a.e.straight + b.f90()*a.e.grazing + b.many[k]*(1-a.e.all)
		c[k] += (b.base[k] + b.through[k]) * (1 - a.diel)
		c[k] = c[k]*(1-b.s.Coat*a.coat) + b.s.Coat*a.coat
		c[k] = c[k]*(1-b.fuzz*a.fuzz) + unit(b.s.Fuzz[k])*a.fuzz
	}
	return c
}

// Matt is the albedo of what lies below the interface.
func (b *BSDF) Matt() Color { return b.base }
