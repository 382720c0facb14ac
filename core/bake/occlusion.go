package bake

import (
	"math/bits"

	"velvetgrime/core/geom"
	"velvetgrime/core/spatial"
)

func unit(*Baker) [2]float32 { return [2]float32{0, 1} }
func both(*Baker) [2]float32 { return [2]float32{-1, 1} }

func init() {
	register(Kind{
		Name: "ao", Label: "Ambient occlusion", Components: 1, Rays: true, values: unit,
		Help: "The share of the half space above that is open, weighted by the cosine: 1 in the open, 0 closed in.",
		at:   func(w *worker, s *site, out []float32) { out[0] = w.see().open },
	})
	register(Kind{
		Name: "sky", Label: "Sky exposure", Components: 1, Rays: true, values: unit,
		Help: "How much of an even sky's light arrives, against open level ground: where rain and dust fall.",
		at:   func(w *worker, s *site, out []float32) { out[0] = w.see().sky },
	})
	register(Kind{
		Name: "bent", Label: "Bent normal", Components: 3, Signed: true, Rays: true, values: both,
		Help: "The mean open direction in model space.",
		at: func(w *worker, s *site, out []float32) {
			b := w.see().bent
			out[0], out[1], out[2] = b.X, b.Y, b.Z
		},
	})
}

// sight is what a place sees of its surroundings.
type sight struct {
	open, sky float32
	bent      geom.Vec3
}

// see casts the site's rays once for all maps that are made of them.
func (w *worker) see() *sight {
	if w.looked {
		return &w.visible
	}
	w.looked = true
	s := &w.site
	w.visible = sight{}
	tree := w.around()
	var free, n, up int
	var sum geom.Vec3
	for _, fan := range w.directions() {
		w.bundle.SetFan(s.from, fan, w.x, w.y, s.nrm, 0, float32(w.Distance))
		met := tree.Any(w.bundle)
		w.rays += int64(fan.Len())
		n += fan.Len()
		free += fan.Len() - bits.OnesCount64(met)
		for i := range fan.Len() {
			if met>>i&1 == 0 {
				d := fan.Dir(i, w.x, w.y, s.nrm)
				sum = sum.Add(d)
				if d.Y > 0 {
					up++
				}
			}
		}
	}
	w.visible.open, w.visible.sky = float32(free)/float32(n), float32(up)/float32(n)
	if w.visible.bent = sum.Unit(); w.visible.bent == (geom.Vec3{}) {
		w.visible.bent = s.nrm
	}
	return &w.visible
}

func init() {
	register(Kind{
		Name: "thickness", Label: "Thickness", Components: 1, Rays: true, own: true,
		Help:   "The mean way through the body beneath, weighted by the cosine; white at the chosen thickness.",
		values: func(b *Baker) [2]float32 { return [2]float32{0, float32(b.Thickness)} },
		at:     func(w *worker, s *site, out []float32) { out[0] = w.depth() },
	})
}

// depth casts the site's rays inward and returns their mean length in metres.
func (w *worker) depth() float32 {
	s := &w.site
	far := float32(w.Thickness)
	from := s.pos.Sub(s.face.Mul(w.eps))
	in := s.nrm.Mul(-1)
	var sum float32
	n := 0
	for _, fan := range w.directions() {
		w.bundle.SetFan(from, fan, w.x, w.y, in, 0, far)
		s.group.Nearest(w.bundle)
		w.rays += int64(fan.Len())
		for i := range fan.Len() {
			t, _ := w.bundle.Distance(i)
			sum += t
		}
		n += fan.Len()
	}
	return sum / float32(n)
}

// rise is how high above the surface, in radii, curvature looks from.
const rise = 0.5

func init() {
	register(Kind{
		Name: "curvature", Label: "Curvature", Components: 1, Signed: true, Rays: true, own: true, values: both,
		Help: "How the surface bends within the chosen radius: above the middle outward (edges), below it inward (creases). On a ball of radius R it is radius ÷ R.",
		at:   func(w *worker, s *site, out []float32) { out[0] = w.bend() },
	})
}

// bend is the mean over the disc of the normal curvature towards places of the
// surface around the site, (n' − n)·(p' − p) / |p' − p|², times the radius. On a
// sphere every term is exact, whatever the distance.
func (w *worker) bend() float32 {
	s := &w.site
	r := float32(w.Radius)
	high := r * rise
	w.rays++
	if h := s.group.Ray(w.bundle, s.from, s.nrm, 0, high); h.Tri >= 0 {
		high = h.T * 0.7 // under a low ceiling
	}
	// the fan looks down on the disc: x and y in radii, at a height of rise
	fan := w.disc()
	k := high / rise
	w.bundle.SetFan(s.pos.Add(s.nrm.Mul(high)), fan, w.x.Mul(r/k), w.y.Mul(r/k), s.nrm, 0, 2.5*k)
	s.group.Nearest(w.bundle)
	w.rays += int64(fan.Len())
	src := w.source
	if s.group == w.lowTree {
		src = w.Low
	}
	var sum float32
	for i := range fan.Len() {
		sum += w.bendTo(s.group, i, src.Pos, src.Nrm, src.Tri)
	}
	return min(max(sum/float32(fan.Len()), -1), 1)
}

// disc returns the directions in which curvature looks.
func (w *worker) disc() *spatial.Fan {
	if w.full {
		return w.discs[w.site.seed%variants]
	}
	return w.fewDiscs[w.site.seed%variants]
}

func (w *worker) bendTo(tree *spatial.Tree, i int, pos, nrm []geom.Vec3, tri [][3]uint32) float32 {
	s, r := &w.site, float32(w.Radius)
	h := tree.At(w.bundle, i)
	if h.Tri < 0 {
		return 1 // beyond an edge
	}
	b := [3]float32{1 - h.U - h.V, h.U, h.V}
	t := tri[h.Tri]
	d := mix(pos, t, b).Sub(s.pos)
	l2 := d.Dot(d)
	if l2 < r*r*1e-4 {
		return 0
	}
	n := mix(nrm, t, b).Unit()
	return min(max(n.Sub(s.nrm).Dot(d)/l2*r, -2), 2)
}
