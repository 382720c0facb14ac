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
	smoothly(f, s.Cloud.Spacing, out, func(i int) float32 { return s.Cloud.Sample(s.V, f.Pos[i], f.Nrm[i], s.Far) })
}

// smoothly fills a row with values that change little within far metres: on frames
// that are much finer than that only each fourth, or second, point of a piece of
// surface is evaluated, and what lies between is interpolated.
func smoothly(f *raster.Frame, far float32, out []float32, at func(i int) float32) {
	s := &sparse{f: f, far: far, out: out, at: at, done: make([]bool, len(out))}
	for y := 0; y < f.H; y += 4 {
		for x := 0; x < f.W; x += 4 {
			s.block(x, y, 4)
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
	for _, k := range [3]int{a + n, a + n*f.W, a + n*f.W + n} {
		if f.Nrm[a].Dot(f.Nrm[k]) < 0.8 || f.Pos[a].Sub(f.Pos[k]).Length() > 0.9*s.far {
			return false
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
