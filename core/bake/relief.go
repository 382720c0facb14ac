package bake

import (
	"math"

	"velvetgrime/core/geom"
)

func init() {
	register(Kind{
		Name: "normal-world", Label: "World-space normal", Components: 3, Signed: true, values: both,
		Help: "The surface's direction in model space.",
		at:   func(w *worker, s *site, out []float32) { out[0], out[1], out[2] = s.nrm.X, s.nrm.Y, s.nrm.Z },
	})
	register(Kind{
		Name: "position", Label: "Position", Components: 3,
		Help: "The place in model space; a picture goes from the least to the greatest coordinate of the model, the same for all three axes.",
		values: func(b *Baker) [2]float32 {
			o := b.source.Bounds.Union(b.Low.Bounds)
			return [2]float32{min(o.Min.X, o.Min.Y, o.Min.Z), max(o.Max.X, o.Max.Y, o.Max.Z)}
		},
		at: func(w *worker, s *site, out []float32) { out[0], out[1], out[2] = s.pos.X, s.pos.Y, s.pos.Z },
	})
	register(Kind{
		Name: "height", Label: "Height", Components: 1, Signed: true,
		Help: "How far, in metres, the dense surface lies above the model along its normal; a picture goes as far as the cage.",
		values: func(b *Baker) [2]float32 {
			most := max(b.Front, b.Back)
			for _, c := range b.Cage {
				most = max(most, c[0], c[1])
			}
			return [2]float32{-float32(most), float32(most)}
		},
		at: func(w *worker, s *site, out []float32) { out[0] = s.pos.Sub(s.lowPos).Dot(s.lowNrm) },
	})
	register(Kind{
		Name: "normal", Label: "Tangent-space normal", Components: 3, Signed: true, values: both,
		Help: "The dense surface's direction against the model's own, MikkTSpace, +Y up.",
		at:   func(w *worker, s *site, out []float32) { w.inTangentSpace(s, out) },
	})
	register(Kind{
		Name: "misses", Label: "Misses", Components: 1, values: unit, flat: true,
		Help: "White where the rays of the cage met nothing of the dense model.",
		at: func(w *worker, s *site, out []float32) {
			if s.missed {
				out[0] = 1
			}
		},
	})
	register(Kind{
		Name: "id", Label: "ID", Components: 3, values: unit, flat: true,
		Help: "A flat colour for each material, part or vertex colour.",
		at:   func(w *worker, s *site, out []float32) { w.identify(s, out) },
	})
}

// inTangentSpace writes the measured normal in the frame of the low model, which
// is interpolated without making it unit or square, as MikkTSpace has it decoded.
func (w *worker) inTangentSpace(s *site, out []float32) {
	m := w.Low
	c := m.Tri[s.lowTri]
	n := mix(m.Nrm, c, s.share)
	var t geom.Vec3
	for k := range 3 {
		t = t.Add(w.tangents[s.lowTri][k].Mul(s.share[k]))
	}
	bt := n.Cross(t)
	if m.Mirrored(int(s.lowTri)) {
		bt = bt.Mul(-1)
	}
	// solve x·t + y·b + z·n = measured, by Cramer's rule
	det := t.Dot(bt.Cross(n))
	if math.Abs(float64(det)) < 1e-12 {
		out[2] = 1
		return
	}
	v := geom.V3(s.nrm.Dot(bt.Cross(n))/det, s.nrm.Dot(n.Cross(t))/det, s.nrm.Dot(t.Cross(bt))/det).Unit()
	out[0], out[1], out[2] = v.X, v.Y, v.Z
}

func (w *worker) identify(s *site, out []float32) {
	m := w.source
	if !s.dense || s.missed {
		m = w.Low
	}
	if w.ID == "color" && m.Color != nil {
		// the nearest corner's, so that the colours stay flat
		t := m.Tri[s.tri]
		b := geom.Barycentric(s.pos, m.Pos[t[0]], m.Pos[t[1]], m.Pos[t[2]])
		k := 0
		for i := range b {
			if b[i] > b[k] {
				k = i
			}
		}
		c := m.Color[t[k]]
		out[0], out[1], out[2] = c.X, c.Y, c.Z
		return
	}
	name := m.Sheets[m.TriSheet[s.tri]].Source
	if w.ID == "part" {
		name = m.Parts[m.TriPart[s.tri]].Name
	}
	c := FlatColor(name)
	out[0], out[1], out[2] = c[0], c[1], c[2]
}

// FlatColor returns the ID colour of a name: bright, and the same wherever the
// name occurs. The components are sRGB-encoded.
func FlatColor(name string) [3]float32 {
	h := uint32(2166136261) // FNV-1a
	for _, c := range []byte(name) {
		h = (h ^ uint32(c)) * 16777619
	}
	h = hash(h)
	hue, light := float64(h&0xffff)/65536*6, 0.55+0.45*float64(h>>16&0xff)/255
	x := 1 - math.Abs(math.Mod(hue, 2)-1)
	c := [][3]float64{{1, x, 0}, {x, 1, 0}, {0, 1, x}, {0, x, 1}, {x, 0, 1}, {1, 0, x}}[int(hue)]
	var out [3]float32
	for i := range c {
		out[i] = float32(math.Round((0.15+0.85*c[i])*light*255) / 255)
	}
	return out
}
