package way

import (
	"velvetgrime/core/flow"
	"velvetgrime/core/raster"
)

// Sampled reads values of a cloud's points; Far is what no point has.
type Sampled struct {
	Cloud *flow.Cloud
	V     []float32
	Far   float32
}

// Row implements Found.
func (s Sampled) Row(f *raster.Frame, out []float32) {
	r := s.Cloud.Reader()
	smoothly(f, s.Cloud.Spacing, out, func(i int) float32 { return r.At(s.V, f.Pos[i], f.Nrm[i], s.Far) })
}

// widest is how many texels apart points are evaluated at most.
const widest = 32

// smoothly fills a row with values that change little within far metres: on frames
// that are much finer than that only some points of a piece of surface are evaluated, a
// half of far apart, and what lies between is interpolated.
func smoothly(f *raster.Frame, far float32, out []float32, at func(i int) float32) {
	s := &sparse{f: f, far: far, out: out, at: at, done: make([]bool, len(out))}
	n := 4
	for n < widest && f.Footprint*float32(2*n) <= 0.6*far {
		n *= 2
	}
	for y := 0; y < f.H; y += n {
		for x := 0; x < f.W; x += n {
			s.block(x, y, n)
		}
	}
}

type sparse struct {
	f    *raster.Frame
	far  float32
	out  []float32
	at   func(i int) float32
	done []bool
}

func (s *sparse) get(i int) float32 {
	if !s.done[i] {
		s.out[i], s.done[i] = s.at(i), true
	}
	return s.out[i]
}

// level reports whether the n × n texels from (x, y), and those behind them, lie on one
// piece of surface that bends little.
func (s *sparse) level(x, y, n int) bool {
	f := s.f
	if x+n >= f.W || y+n >= f.H || f.Footprint*float32(n) > 0.6*s.far {
		return false
	}
	a := y*f.W + x
	for k := 0; k <= n; k++ {
		for l := 0; l <= n; l++ {
			if f.Tri[a+k*f.W+l] < 0 {
				return false
			}
		}
	}
	step := n // the corners; of larger ones more places
	if n > 4 {
		step = n / 4
	}
	for k := 0; k <= n; k += step {
		for l := 0; l <= n; l += step {
			j := a + k*f.W + l
			if f.Nrm[a].Dot(f.Nrm[j]) < 0.8 || f.Pos[a].Sub(f.Pos[j]).Length() > 0.9*s.far {
				return false
			}
		}
	}
	return true
}

func (s *sparse) block(x, y, n int) {
	f := s.f
	if x >= f.W || y >= f.H {
		return
	}
	a := y*f.W + x
	if n == 1 {
		if f.Tri[a] >= 0 {
			s.get(a)
		}
		return
	}
	if !s.level(x, y, n) {
		h := n / 2
		s.block(x, y, h)
		s.block(x+h, y, h)
		s.block(x, y+h, h)
		s.block(x+h, y+h, h)
		return
	}
	va, vb, vc, vd := s.get(a), s.get(a+n), s.get(a+n*f.W), s.get(a+n*f.W+n)
	for k := range n {
		t := float32(k) / float32(n)
		left, right := va+t*(vc-va), vb+t*(vd-vb)
		for l := range n {
			if i := a + k*f.W + l; !s.done[i] {
				s.out[i], s.done[i] = left+float32(l)/float32(n)*(right-left), true
			}
		}
	}
}
