package bake

import (
	"math"
	"sync"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/spatial"
)

// site is one place that is measured: a place of the low model, and the place of
// the measured surface that it stands for.
type site struct {
	lowPos, lowNrm geom.Vec3
	lowTri         int32
	share          [3]float32 // of the low triangle's corners

	pos, nrm, face geom.Vec3 // on the measured surface: place, shading normal, unit normal of the face
	from           geom.Vec3 // where rays start: pos, a little outward
	tri            int32     // of the measured surface
	group          *spatial.Tree
	dense, missed  bool
	seed           uint32
}

// worker measures; it belongs to one goroutine.
type worker struct {
	*Baker
	site    site
	bundle  *spatial.Bundle
	rays    int64
	x, y    geom.Vec3 // a frame around site.nrm, turned by site.seed
	visible sight
	looked  bool // visible is that of this site
	full    bool // the site casts all rays of its texel
}

// stand takes a site that was looked at before.
func (w *worker) stand(s *site) {
	w.site, w.looked = *s, false
	x, y := s.nrm.Tangents()
	sin, cos := math.Sincos(float64(s.seed>>8) * (2 * math.Pi / (1 << 24)))
	c, sn := float32(cos), float32(sin)
	w.x, w.y = x.Mul(c).Add(y.Mul(sn)), y.Mul(c).Sub(x.Mul(sn))
}

// directions returns those in which the site casts rays.
func (w *worker) directions() []*spatial.Fan {
	if w.full {
		return w.fans[w.site.seed%variants]
	}
	return w.few[w.site.seed%variants]
}

var bundles = sync.Pool{New: func() any { return &spatial.Bundle{} }}

func (b *Baker) worker() *worker {
	return &worker{Baker: b, bundle: bundles.Get().(*spatial.Bundle)}
}

func (w *worker) end() {
	w.Baker.rays.Add(w.rays)
	bundles.Put(w.bundle)
}

func hash(x uint32) uint32 {
	x ^= x >> 16
	x *= 0x7feb352d
	x ^= x >> 15
	x *= 0x846ca68b
	return x ^ x>>16
}

func mix(v []geom.Vec3, t [3]uint32, s [3]float32) geom.Vec3 {
	return v[t[0]].Mul(s[0]).Add(v[t[1]].Mul(s[1])).Add(v[t[2]].Mul(s[2]))
}

// look sets the site to point i of the frame. salt tells texels apart.
func (w *worker) look(f *raster.Frame, i, salt int) {
	s := &w.site
	m := w.Low
	*s = site{lowPos: f.Pos[i], lowNrm: f.Nrm[i], lowTri: f.Tri[i], seed: hash(uint32(salt) + 1)}
	t := m.Tri[s.lowTri]
	s.share = geom.Barycentric(s.lowPos, m.Pos[t[0]], m.Pos[t[1]], m.Pos[t[2]])
	part := m.TriPart[s.lowTri]
	s.group = w.group[part]
	s.dense = w.dense && s.group != nil
	if s.dense {
		s.missed = !w.shoot(s, m.Parts[part].Name, mix(w.cageN, t, s.share).Unit())
	}
	if !s.dense || s.missed {
		s.pos, s.nrm, s.tri = s.lowPos, s.lowNrm, s.lowTri
		s.face = m.FaceNormal(int(s.tri)).Unit()
		if s.group == nil {
			s.group = w.lowTree
		}
	}
	if s.nrm == (geom.Vec3{}) {
		s.nrm = s.face
	}
	if s.nrm == (geom.Vec3{}) {
		s.nrm = geom.V3(0, 1, 0)
	}
	s.from = s.pos.Add(s.face.Mul(w.eps))
	if !w.dense {
		s.from = w.lifted(t, s).Add(s.face.Mul(w.eps))
	}
}

// lifted moves the place outward to where the smooth surface would be that the
// normals tell of, so that coarse facets do not shade themselves (Hanika 2021,
// "Hacking the Shadow Terminator").
func (w *worker) lifted(t [3]uint32, s *site) geom.Vec3 {
	out := s.pos
	for k, v := range t {
		n := w.Low.Nrm[v]
		if d := s.pos.Sub(w.Low.Pos[v]).Dot(n); d < 0 {
			out = out.Sub(n.Mul(d * s.share[k]))
		}
	}
	return out
}

// shoot finds the dense surface along a ray from before the low one to behind it;
// faces seen from behind are passed through.
func (w *worker) shoot(s *site, part string, dir geom.Vec3) bool {
	if dir == (geom.Vec3{}) {
		dir = s.lowNrm
	}
	front, back := w.cage(part, w.diagonal)
	from, far := s.lowPos.Add(dir.Mul(float32(front))), float32(front+back)
	for range 8 {
		w.rays++
		h := s.group.Ray(w.bundle, from, dir.Mul(-1), 0, far)
		if h.Tri < 0 {
			return false
		}
		src := w.source
		c := src.Tri[h.Tri]
		face := src.FaceNormal(int(h.Tri)).Unit()
		if face.Dot(dir) > 0 {
			b := [3]float32{1 - h.U - h.V, h.U, h.V}
			s.pos, s.nrm, s.face, s.tri = mix(src.Pos, c, b), mix(src.Nrm, c, b).Unit(), face, h.Tri
			if s.nrm == (geom.Vec3{}) {
				s.nrm = face
			}
			return true
		}
		step := h.T + w.eps
		from, far = from.Sub(dir.Mul(step)), far-step
		if far <= 0 {
			return false
		}
	}
	return false
}

// around returns the tree that occludes: the whole model's, or the part's own.
func (w *worker) around() *spatial.Tree {
	if w.Self == "part" {
		return w.site.group
	}
	return w.whole
}
