package light

import (
	"math"

	"velvetgrime/core/geom"
)

// Sampler draws directions from a panorama, the brighter the more often: a piecewise constant
// density over its texels, by rows and then by columns (Pharr, Jakob and Humphreys, "Physically
// Based Rendering", 4th edition, 12.5). It is immutable.
type Sampler struct {
	Panorama *Panorama
	texels   [][4]float32 // colour, and density per steradian
	rows     []float32    // cumulated, 0..1
	columns  []float32    // of each row, cumulated, 0..1
	heights  []float32    // cosine of the angle from above at each row's upper edge
	guide    []int32      // the first row for each 256th
	starts   []uint16     // of each row, its first column for each of so many shares
}

const starts = 64

// NewSampler prepares a panorama. Each texel counts with what lies around it, since radiance is
// taken between texels: what can be seen can be drawn.
func NewSampler(p *Panorama) *Sampler {
	s := &Sampler{
		p, make([][4]float32, p.W*p.H), make([]float32, p.H), make([]float32, p.W*p.H),
		make([]float32, p.H+1), make([]int32, 257), make([]uint16, p.H*starts),
	}
	lum := make([]float64, p.W*p.H)
	total := 0.0
	for i := range lum {
		lum[i] = float64(Luminance(p.Data[i*3], p.Data[i*3+1], p.Data[i*3+2]))
		total += lum[i]
	}
	least := max(total/float64(len(lum))*1e-3, 1e-12)
	weight := make([]float64, p.W*p.H)
	rows := make([]float64, p.H)
	sum := 0.0
	for y := range p.H {
		omega := p.texel(y)
		row := 0.0
		for x := range p.W {
			w := 0.0
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					share := float64((2-dy*dy)*(2-dx*dx)) / 16
					w += share * lum[min(max(y+dy, 0), p.H-1)*p.W+p.column(x+dx)]
				}
			}
			i := y*p.W + x
			weight[i] = max(w, least)
			row += weight[i]
		}
		at := 0.0
		for x := range p.W {
			at += weight[y*p.W+x]
			s.columns[y*p.W+x] = float32(at / row)
		}
		s.columns[(y+1)*p.W-1] = 1
		sum += row * omega
		rows[y] = sum
	}
	for y := range p.H {
		s.rows[y] = float32(rows[y] / sum)
	}
	s.rows[p.H-1] = 1
	for y := range p.H + 1 {
		s.heights[y] = float32(math.Cos(math.Pi * float64(y) / float64(p.H)))
	}
	y := 0
	for i := range s.guide {
		for y < p.H-1 && s.rows[y] <= float32(i)/256 {
			y++
		}
		s.guide[i] = int32(y)
	}
	for y := range p.H {
		row, x := s.columns[y*p.W:(y+1)*p.W], 0
		for i := range starts {
			for x < p.W-1 && row[x] <= float32(i)/starts {
				x++
			}
			s.starts[y*starts+i] = uint16(x)
		}
	}
	for i, w := range weight {
		s.texels[i] = [4]float32{p.Data[3*i], p.Data[3*i+1], p.Data[3*i+2], float32(w / sum)}
	}
	return s
}

// Draw returns a unit direction for two numbers 0..1, its radiance, and its density per
// steradian.
func (s *Sampler) Draw(a, b float32) (d geom.Vec3, c [3]float32, density float32) {
	p := s.Panorama
	y := int(s.guide[min(int(a*256), 255)])
	for y < p.H-1 && s.rows[y] <= a {
		y++
	}
	lo := float32(0)
	if y > 0 {
		lo = s.rows[y-1]
	}
	ry := within(a-lo, s.rows[y]-lo)
	row := s.columns[y*p.W : (y+1)*p.W]
	x := int(s.starts[y*starts+min(int(b*starts), starts-1)])
	for x < p.W-1 && row[x] <= b {
		x++
	}
	lo = 0
	if x > 0 {
		lo = row[x-1]
	}
	rx := within(b-lo, row[x]-lo)
	// even over the solid angle of the texel: even in the cosine of the angle from above
	up := s.heights[y] + (s.heights[y+1]-s.heights[y])*ry
	sin := float32(math.Sqrt(float64(max(1-up*up, 0))))
	u := (float32(x) + rx) / float32(p.W)
	sa, ca := math.Sincos(2 * math.Pi * (float64(u) - 0.5))
	d = geom.V3(sin*float32(ca), up, sin*float32(sa))
	c, _ = s.between(float32(x)+rx-0.5, atan2(sin, up)*(1/math.Pi)*float32(p.H)-0.5)
	return d, c, s.texels[y*p.W+x][3]
}

func within(part, whole float32) float32 {
	if whole <= 0 {
		return 0.5
	}
	return min(max(part/whole, 0), 0.99999)
}

// between is the radiance between four texels, and the density of the one that holds the place.
func (s *Sampler) between(x, y float32) (c [3]float32, density float32) {
	p := s.Panorama
	fx, fy := float32(math.Floor(float64(x))), float32(math.Floor(float64(y)))
	ax, ay := x-fx, y-fy
	x0 := int(fx)
	if x0 < 0 {
		x0 += p.W
	}
	x0 = min(x0, p.W-1)
	x1 := x0 + 1
	if x1 == p.W {
		x1 = 0
	}
	y0, y1 := max(int(fy), 0)*p.W, min(int(fy)+1, p.H-1)*p.W
	q00, q10, q01, q11 := &s.texels[y0+x0], &s.texels[y0+x1], &s.texels[y1+x0], &s.texels[y1+x1]
	w00, w10, w01, w11 := (1-ax)*(1-ay), ax*(1-ay), (1-ax)*ay, ax*ay
	for k := range c {
		c[k] = q00[k]*w00 + q10[k]*w10 + q01[k]*w01 + q11[k]*w11
	}
	// the nearest texel holds the place
	n := q00
	switch {
	case ax >= 0.5 && ay >= 0.5:
		n = q11
	case ax >= 0.5:
		n = q10
	case ay >= 0.5:
		n = q01
	}
	return c, n[3]
}

// Look is the radiance from a unit direction, and how often Draw gives it, per steradian.
func (s *Sampler) Look(d geom.Vec3) (c [3]float32, density float32) {
	u := atan2(d.Z, d.X)*(1/(2*math.Pi)) + 0.5
	r := float32(math.Sqrt(float64(d.X*d.X + d.Z*d.Z)))
	v := 0.5 - atan2(d.Y, r)*(1/math.Pi)
	return s.between(u*float32(s.Panorama.W)-0.5, v*float32(s.Panorama.H)-0.5)
}

// atan2 is the angle of a place, within 2·10⁻⁶ radians: Abramowitz and Stegun 4.4.49 after the
// angle was brought below π/4.
func atan2(y, x float32) float32 {
	ax, ay := max(x, -x), max(y, -y)
	hi, lo := max(ax, ay), min(ax, ay)
	if hi == 0 {
		return 0
	}
	t := lo / hi
	q := t * t
	a := ((((((((0.0028662257*q-0.0161657367)*q+0.0429096138)*q-0.0752896400)*q+0.1065626393)*q-
		0.1420889944)*q+0.1999355085)*q-0.3333314528)*q + 1) * t
	if ay > ax {
		a = math.Pi/2 - a
	}
	if x < 0 {
		a = math.Pi - a
	}
	if y < 0 {
		a = -a
	}
	return a
}
