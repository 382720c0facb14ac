package sample

import (
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/noise"
)

// finish of a sheet's dense counterpart: how long its edges are at most, and how
// its surface is moved along the normal, in metres.
type finish struct {
	edge float32
	move func(p, n geom.Vec3) float32
}

// LanternDense is the dense counterpart of the lantern, with the same part names:
// cast iron with its sand-mould skin, dented enamel, worked brass, weld beads round
// the drum, and a grip of twisted strands.
func LanternDense() *mesh.Model {
	m := Lantern()
	m.Name = "Signal lantern, dense"
	cast := field(noise.Billow, 260, 2, 11)
	waves := field(noise.Clouds, 55, 3, 12)
	pits := field(noise.Ridges, 210, 3, 13)
	peel := field(noise.Clouds, 110, 2, 14)
	work := field(noise.Clouds, 170, 3, 15)
	dents := []struct {
		at            geom.Vec3
		radius, depth float32
	}{
		{geom.V3(0.052, 0.078, 0.058), 0.013, 0.0011}, {geom.V3(-0.030, 0.092, 0.073), 0.009, 0.0007}, {geom.V3(0.076, 0.066, -0.014), 0.016, 0.0014},
		{geom.V3(-0.074, 0.075, -0.025), 0.011, 0.0009}, {geom.V3(0.030, 0.262, 0.068), 0.014, 0.0013}, {geom.V3(-0.058, 0.256, 0.040), 0.010, 0.0009},
		{geom.V3(0.062, 0.258, -0.034), 0.012, 0.0011}, {geom.V3(0.018, 0.326, 0.055), 0.008, 0.0006}, {geom.V3(0.020, 0.19, 0.076), 0.010, 0.0006},
	}
	hit := func(p geom.Vec3) (d float32) {
		for _, k := range dents {
			if l := p.Sub(k.at).Length() / k.radius; l < 1 {
				d -= k.depth * (1 - l*l) * (1 - l*l)
				// the metal rises a little around a dent
			} else if l < 1.5 {
				d += k.depth * 0.08 * (1.5 - l) * (l - 1) * 16
			}
		}
		return
	}
	finishes := map[string]finish{
		"Cast iron": {0.0024, func(p, n geom.Vec3) float32 {
			return 0.00030*cast(p) + 0.00030*waves(p) - 0.00028*max(0, pits(p)-0.55)
		}},
		"Enamel": {0.0046, func(p, n geom.Vec3) float32 { return 0.000035*peel(p) + hit(p) }},
		"Brass":  {0.0034, func(p, n geom.Vec3) float32 { return 0.00007*work(p) + 0.5*hit(p) }},
		"Glass":  {0.02, func(p, n geom.Vec3) float32 { return 0 }},
	}
	dense := without(m, "Grip")
	for round := 0; round < 6 && subdivide(dense, func(s int) float32 { return finishes[dense.Sheets[s].Name].edge }); round++ {
	}
	displace(dense, func(s int) func(p, n geom.Vec3) float32 { return finishes[dense.Sheets[s].Name].move })
	b := newBuilder("extra", "Enamel", "Rope")
	b.begin("Drum", "Enamel")
	for _, y := range []float64{0.0455, 0.1005} { // weld beads: overlapping scallops
		b.at = translate(0, y, 0)
		b.tube(circle(0.0793, 0, 420), func(t float64) float64 {
			s := math.Abs(math.Sin(t * math.Pi * 105))
			return 0.0011 + 0.0005*s + 0.0002*math.Sin(t*97)
		}, 10, true)
	}
	b.begin("Grip", "Rope")
	b.at = geom.Identity()
	for k := range 3 {
		b.tube(strand(gripPath(3), 0.0019, 0.011, float64(k)/3), same(0.0023), 9, false)
	}
	out, err := mesh.Join(m.Name, dense, b.finish())
	if err != nil {
		panic(err) // the generator's own mistake
	}
	out.SmoothNormals(50)
	if err := out.Finish(); err != nil {
		panic(err)
	}
	return out
}

// field is a noise around 0 with a frequency a metre.
func field(kind noise.Kind, frequency float32, octaves int, seed uint32) func(p geom.Vec3) float32 {
	s := noise.FBM{Kind: kind, Frequency: frequency, Octaves: octaves, Lacunarity: 2, Persistence: 0.5, Seed: seed}.Sampler(0)
	return func(p geom.Vec3) float32 { return 2*s.At(p.X, p.Y, p.Z) - 1 }
}

// without returns the model without one part.
func without(m *mesh.Model, part string) *mesh.Model {
	out := &mesh.Model{Name: m.Name, Parts: m.Parts, Sheets: m.Sheets, Pos: m.Pos, Nrm: m.Nrm, UV: m.UV}
	for i, t := range m.Tri {
		if m.Parts[m.TriPart[i]].Name != part {
			out.Tri, out.TriPart, out.TriSheet = append(out.Tri, t), append(out.TriPart, m.TriPart[i]), append(out.TriSheet, m.TriSheet[i])
		}
	}
	return out
}

// subdivide halves every edge that is longer than its sheet's limit; triangles are
// cut by which of their edges were. Both sides of an edge cut it in the same place,
// so no crack opens. It reports whether anything was cut.
func subdivide(m *mesh.Model, limit func(sheet int) float32) bool {
	type edge struct{ a, b uint32 }
	middle := map[edge]uint32{}
	cut := func(a, b uint32, l float32) (uint32, bool) {
		if m.Pos[a].Sub(m.Pos[b]).Length() <= l {
			return 0, false
		}
		k := edge{min(a, b), max(a, b)}
		v, ok := middle[k]
		if !ok {
			v = uint32(len(m.Pos))
			middle[k] = v
			n := m.Nrm[a].Add(m.Nrm[b]).Unit()
			p := m.Pos[a].Lerp(m.Pos[b], 0.5)
			// towards the curved surface that the normals tell of (Boubekeur and Alexa 2008)
			qa := p.Sub(m.Nrm[a].Mul(p.Sub(m.Pos[a]).Dot(m.Nrm[a])))
			qb := p.Sub(m.Nrm[b].Mul(p.Sub(m.Pos[b]).Dot(m.Nrm[b])))
			p = p.Lerp(qa.Lerp(qb, 0.5), 0.6)
			m.Pos, m.Nrm = append(m.Pos, p), append(m.Nrm, n)
			m.UV = append(m.UV, geom.Vec2{X: (m.UV[a].X + m.UV[b].X) / 2, Y: (m.UV[a].Y + m.UV[b].Y) / 2})
		}
		return v, true
	}
	var tri [][3]uint32
	var part, sheet []uint16
	for i, t := range m.Tri {
		l := limit(int(m.TriSheet[i]))
		put := func(list ...[3]uint32) {
			for _, n := range list {
				tri, part, sheet = append(tri, n), append(part, m.TriPart[i]), append(sheet, m.TriSheet[i])
			}
		}
		var mid [3]uint32
		var on [3]bool
		n, first := 0, 0
		for k := range 3 {
			if mid[k], on[k] = cut(t[k], t[(k+1)%3], l); on[k] {
				n++
			}
		}
		switch n {
		case 0:
			put(t)
		case 3:
			put([3]uint32{t[0], mid[0], mid[2]}, [3]uint32{mid[0], t[1], mid[1]}, [3]uint32{mid[2], mid[1], t[2]}, mid)
		case 1:
			for !on[first] {
				first++
			}
			a, b, c := t[first], t[(first+1)%3], t[(first+2)%3]
			put([3]uint32{a, mid[first], c}, [3]uint32{mid[first], b, c})
		case 2:
			for on[first] { // the edge that stays
				first++
			}
			a, b, c := t[first], t[(first+1)%3], t[(first+2)%3]
			put([3]uint32{a, b, mid[(first+1)%3]}, [3]uint32{a, mid[(first+1)%3], mid[(first+2)%3]}, [3]uint32{mid[(first+2)%3], mid[(first+1)%3], c})
		}
	}
	m.Tri, m.TriPart, m.TriSheet = tri, part, sheet
	return len(middle) > 0
}

// displace moves vertices along the mean normal of their place, the same for all
// vertices there, so that hard edges stay closed.
func displace(m *mesh.Model, move func(sheet int) func(p, n geom.Vec3) float32) {
	weld := mesh.Weld(m.Pos)
	sum := make([]geom.Vec3, len(m.Pos))
	sheet := make([]uint16, len(m.Pos))
	for i, t := range m.Tri {
		n := m.FaceNormal(i)
		for _, v := range t {
			sum[weld[v]] = sum[weld[v]].Add(n)
			sheet[weld[v]] = m.TriSheet[i]
		}
	}
	pos := make([]geom.Vec3, len(m.Pos))
	for v, p := range m.Pos {
		w := weld[v]
		n := sum[w].Unit()
		pos[v] = p.Add(n.Mul(move(int(sheet[w]))(m.Pos[w], n)))
	}
	m.Pos = pos
}

// strand winds around a path at a distance, once every pitch metres.
func strand(path []p3, out, pitch, phase float64) []p3 {
	v := func(p p3) geom.Vec3 { return geom.V3(float32(p[0]), float32(p[1]), float32(p[2])) }
	var made []p3
	var n geom.Vec3
	length := 0.0
	for i := range path {
		a, c := v(path[max(i-1, 0)]), v(path[min(i+1, len(path)-1)])
		t := c.Sub(a).Unit()
		if i == 0 {
			n, _ = t.Tangents()
		} else {
			n = n.Sub(t.Mul(n.Dot(t))).Unit()
			length += float64(v(path[i]).Sub(v(path[i-1])).Length())
		}
		s, co := math.Sincos(2 * math.Pi * (length/pitch + phase))
		q := v(path[i]).Add(n.Mul(float32(out * co))).Add(t.Cross(n).Mul(float32(out * s)))
		made = append(made, p3{float64(q.X), float64(q.Y), float64(q.Z)})
	}
	return made
}
