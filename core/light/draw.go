package light

import (
	"math"
	"sort"

	"velvetgrime/core/geom"
)

// Sampler draws directions from a panorama, the brighter the more often: a piecewise constant
// density over its texels, by rows and then by columns (Pharr, Jakob and Humphreys, "Physically
// Based Rendering", 4th edition, 12.5). It is immutable.
type Sampler struct {
	Panorama *Panorama
	rows     []float64 // cumulated, 0..1
	columns  []float64 // of each row, cumulated, 0..1
	density  []float32 // per steradian, a texel
}

// NewSampler prepares a panorama. Each texel counts with what lies around it, since radiance is
// taken between texels: what can be seen can be drawn.
func NewSampler(p *Panorama) *Sampler {
	s := &Sampler{p, make([]float64, p.H), make([]float64, p.W*p.H), make([]float32, p.W*p.H)}
	lum := make([]float64, p.W*p.H)
	total := 0.0
	for i := range lum {
		lum[i] = float64(Luminance(p.Data[i*3], p.Data[i*3+1], p.Data[i*3+2]))
		total += lum[i]
	}
	least := max(total/float64(len(lum))*1e-3, 1e-12)
	sum := 0.0
	weight := make([]float64, p.W*p.H)
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
			row += weight[i] * omega
			s.columns[i] = row
		}
		for x := range p.W {
			s.columns[y*p.W+x] /= row
		}
		sum += row
		s.rows[y] = sum
	}
	for y := range p.H {
		s.rows[y] /= sum
	}
	for i, w := range weight {
		s.density[i] = float32(w / sum)
	}
	return s
}

// Draw returns a unit direction for two numbers 0..1, and its density per steradian.
func (s *Sampler) Draw(a, b float64) (geom.Vec3, float32) {
	p := s.Panorama
	y := min(sort.Search(p.H, func(i int) bool { return s.rows[i] > a }), p.H-1)
	lo := 0.0
	if y > 0 {
		lo = s.rows[y-1]
	}
	ry := (a - lo) / max(s.rows[y]-lo, 1e-300)
	row := s.columns[y*p.W : (y+1)*p.W]
	x := min(sort.Search(p.W, func(i int) bool { return row[i] > b }), p.W-1)
	lo = 0
	if x > 0 {
		lo = row[x-1]
	}
	rx := (b - lo) / max(row[x]-lo, 1e-300)
	// even over the solid angle of the texel: even in the cosine of the angle from above
	top, low := math.Cos(math.Pi*float64(y)/float64(p.H)), math.Cos(math.Pi*float64(y+1)/float64(p.H))
	cos := top + (low-top)*min(max(ry, 0), 1)
	v := math.Acos(min(max(cos, -1), 1)) / math.Pi
	u := (float64(x) + min(max(rx, 0), 1)) / float64(p.W)
	return Dir(u, v), s.density[y*p.W+x]
}

// Density is how often Draw gives a unit direction, per steradian.
func (s *Sampler) Density(d geom.Vec3) float32 {
	u, v := Place(d)
	p := s.Panorama
	x := min(max(int(u*float64(p.W)), 0), p.W-1)
	y := min(max(int(v*float64(p.H)), 0), p.H-1)
	return s.density[y*p.W+x]
}
