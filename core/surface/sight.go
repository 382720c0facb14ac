package surface

import (
	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/spatial"
)

// seen takes from a stroke's coverage what cannot be seen from its eye: something lies between, or
// it faces away; of what is cast to both sides, what the eye has to see for it counts. known, when there is one, remembers what was found for each point.
func (s *Scene) seen(f *raster.Frame, stroke *brush.Stroke, cover []float32, known []int8) {
	eye, cast := stroke.Eye, stroke.Cast()
	if eye == nil {
		return
	}
	tree := s.Ground().Tree
	var at [spatial.MaxRays]int
	var dirs [spatial.MaxRays]geom.Vec3
	var b spatial.Bundle
	n := 0
	ask := func() {
		if n == 0 {
			return
		}
		b.Set(*eye, dirs[:n], 0, 1)
		hidden := tree.Any(&b)
		for k := range n {
			is := int8(1)
			if hidden>>k&1 != 0 {
				is, cover[at[k]] = 2, 0
			}
			if known != nil {
				known[at[k]] = is
			}
		}
		n = 0
	}
	for i, c := range cover {
		if c <= 0 || f.Tri[i] < 0 {
			continue
		}
		if known != nil && known[i] != 0 {
			if known[i] == 2 {
				cover[i] = 0
			}
			continue
		}
		// a point a little above the surface, so that its own triangle does not hide it
		p, nrm := f.Pos[i], f.Nrm[i]
		if cast != nil {
			p, nrm = cast(p, nrm)
		}
		to := p.Add(nrm.Mul(2 * f.Footprint)).Sub(*eye)
		if to.Dot(nrm) >= 0 {
			cover[i] = 0
			continue
		}
		at[n], dirs[n] = i, to
		if n++; n == len(at) {
			ask()
		}
	}
	ask()
}
