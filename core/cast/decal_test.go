package cast

import (
	"math"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// rolled is a surface of n × k quads over f; across is as many sides as go round.
func rolled(t *testing.T, n, k int, f func(u, v float64) geom.Vec3) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Parts: []mesh.Part{{Name: "p"}}, Sheets: []mesh.Sheet{{Name: "s", HasUV: true}}}
	for j := range k + 1 {
		for i := range n + 1 {
			u, v := float64(i)/float64(n), float64(j)/float64(k)
			m.Pos, m.Nrm = append(m.Pos, f(u, v)), append(m.Nrm, geom.V3(0, 1, 0))
			m.UV = append(m.UV, geom.Vec2{X: float32(u), Y: float32(v)})
		}
	}
	for j := range k {
		for i := range n {
			a := uint32(j*(n+1) + i)
			b, c, d := a+1, a+uint32(n)+2, a+uint32(n)+1
			m.Tri = append(m.Tri, [3]uint32{a, b, c}, [3]uint32{a, c, d})
			m.TriPart, m.TriSheet = append(m.TriPart, 0, 0), append(m.TriSheet, 0, 0)
		}
	}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

// On a cylinder and on a cone a wrapped decal keeps its lengths: what lies so far along the
// surface lies so far in the picture, over the seam of the mesh as well.
func TestUnrollingKeepsLengths(t *testing.T) {
	const radius = 0.4
	for name, c := range map[string]struct {
		at   func(angle, h float64) geom.Vec3
		flat func(angle, h float64) (x, y float64) // from the place at angle 0.3, h 0.5, along the surface
	}{
		"cylinder": {
			func(a, h float64) geom.Vec3 {
				return geom.V3(float32(radius*math.Sin(a)), float32(h), float32(radius*math.Cos(a)))
			},
			func(a, h float64) (x, y float64) { return radius * (a - 0.3), h - 0.5 },
		},
		// a cone that opens downward: tip at h = 1.5
		"cone": {
			func(a, h float64) geom.Vec3 {
				r := radius * (1.5 - h)
				return geom.V3(float32(r*math.Sin(a)), float32(h), float32(r*math.Cos(a)))
			},
			func(a, h float64) (x, y float64) {
				slant := math.Hypot(1, radius) * (1.5 - h)
				turn := (a - 0.3) * radius / math.Hypot(1, radius) // of the unrolled sector
				return slant * math.Sin(turn), math.Hypot(1, radius)*1.0 - slant*math.Cos(turn)
			},
		},
	} {
		m := rolled(t, 96, 24, func(u, v float64) geom.Vec3 {
			if u == 1 {
				u = 0
			}
			return c.at(2*math.Pi*u, v)
		})
		start := c.at(0.3, 0.5)
		tri, best := int32(-1), float32(1e9)
		for i, v := range m.Tri {
			mid := m.Pos[v[0]].Add(m.Pos[v[1]]).Add(m.Pos[v[2]]).Mul(1.0 / 3)
			if d := mid.Sub(start).Length(); d < best {
				tri, best = int32(i), d
			}
		}
		nrm := m.FaceNormal(int(tri)).Unit()
		roll := Unroll(m, tri, NewFrame(start, nrm, geom.V3(0, 1, 0)), 0.5)
		if len(roll) < 500 {
			t.Fatalf("%s: %d triangles were laid out", name, len(roll))
		}
		// along the outside, right seen from outside is towards a larger angle
		worst, tried := 0.0, 0
		for i := range roll {
			for _, v := range m.Tri[i] {
				p := m.Pos[v]
				h := float64(p.Y)
				a := math.Atan2(float64(p.X), float64(p.Z))
				if a < 0.3-math.Pi {
					a += 2 * math.Pi
				}
				x, y := c.flat(a, h)
				if math.Hypot(x, y) > 0.45 || math.Hypot(x, y) < 0.05 {
					continue
				}
				got, ok := roll.At(m, i, p)
				if !ok {
					t.Fatal("a laid triangle is not there")
				}
				tried++
				worst = max(worst, math.Hypot(float64(got.X)-x, float64(got.Y)-y)/math.Hypot(x, y))
			}
		}
		if worst > 0.02 || tried < 500 {
			t.Errorf("%s: places lie up to %.1f %% of their distance off, over %d corners", name, 100*worst, tried)
		}
	}
}

// A triangle lies in the layout with the lengths that it has on the surface, on a ball too.
func TestUnrolledTrianglesAreTheirOwnSize(t *testing.T) {
	m := rolled(t, 48, 24, func(u, v float64) geom.Vec3 {
		if u == 1 {
			u = 0
		}
		a, b := 2*math.Pi*u, 0.15+(math.Pi-0.3)*v
		return geom.V3(float32(math.Sin(b)*math.Sin(a)), float32(math.Cos(b)), float32(math.Sin(b)*math.Cos(a)))
	})
	tri := int32(len(m.Tri) / 2)
	at := m.Pos[m.Tri[tri][0]]
	roll := Unroll(m, tri, NewFrame(at, at, geom.V3(0, 1, 0)), 0.5)
	stretched := 0
	for i, c := range roll {
		for k := range 3 {
			a, b := c[k], c[(k+1)%3]
			flat := math.Hypot(float64(b.X-a.X), float64(b.Y-a.Y))
			long := float64(m.Pos[m.Tri[i][(k+1)%3]].Sub(m.Pos[m.Tri[i][k]]).Length())
			if math.Abs(flat/long-1) > 0.15 {
				stretched++
			}
		}
	}
	if stretched > len(roll)*3/50 {
		t.Errorf("%d of %d edges have another length", stretched, 3*len(roll))
	}
	if far, ok := roll.At(m, 0, m.Pos[m.Tri[0][0]]); ok {
		t.Errorf("a triangle at the pole, beyond its reach, lies at %v", far)
	}
}

// A flat decal is cast along its normal: coordinates, depth and facing by their formulas.
func TestPlacesOfAFlatDecal(t *testing.T) {
	d := Flat{Frame: NewFrame(geom.V3(1, 2, 3), geom.V3(0, 0, 2), geom.V3(0.2, 1, 5)), Wide: 0.4, Tall: 0.2, Depth: 0.1, Facing: 60}
	// up is what of it lies in the plane
	if up := geom.V3(0.2, 1, 0).Unit(); d.Up.Sub(up).Length() > 1e-6 || d.Right.Dot(d.Up) > 1e-6 || d.Right.Cross(d.Up).Sub(d.Out).Length() > 1e-6 {
		t.Fatalf("right %v, up %v, out %v", d.Right, d.Up, d.Out)
	}
	p := d.At.Add(d.Right.Mul(0.1)).Add(d.Up.Mul(0.05)).Add(d.Out.Mul(0.03))
	if u, v, s := d.Place(p, d.Out); math.Abs(float64(u-0.75))+math.Abs(float64(v-0.25)) > 1e-5 || s != 1 {
		t.Errorf("a quarter to the right and up lies at %v, %v, share %v", u, v, s)
	}
	if _, _, s := d.Place(d.At.Add(d.Out.Mul(0.11)), d.Out); s != 0 {
		t.Error("beyond its depth it is cast")
	}
	if _, _, s := d.Place(d.At, d.Out.Mul(-1)); s != 0 {
		t.Error("it prints through")
	}
	lean := func(deg float64) float32 {
		sin, cos := math.Sincos(deg * math.Pi / 180)
		_, _, s := d.Place(d.At, d.Out.Mul(float32(cos)).Add(d.Right.Mul(float32(sin))))
		return s
	}
	if a, b, c := lean(50), lean(56), lean(61); a != 1 || b < 0.3 || b > 0.7 || c != 0 {
		t.Errorf("it fades by facing as %v, %v, %v", a, b, c)
	}
	for _, q := range []geom.Vec3{p, d.At.Add(d.Right.Mul(0.2)).Sub(d.Up.Mul(0.1)).Sub(d.Out.Mul(0.1))} {
		if b := d.Box().Pad(1e-5); !b.Overlaps(geom.Box{Min: q, Max: q}) {
			t.Errorf("%v is not in its box", q)
		}
	}
	quarter := d.Turned(geom.V3(1, 2, 0), geom.V3(0, 0, 1), math.Pi/2)
	if quarter.At.Sub(d.At).Length() > 1e-5 || quarter.Right.Sub(d.Up).Length() > 1e-5 {
		t.Errorf("turned by a quarter about itself its right is %v, its up was %v", quarter.Right, d.Up)
	}
	if up := NewFrame(geom.Vec3{}, geom.V3(0, 1, 0), geom.V3(0, 3, 0)).Up; math.Abs(float64(up.Dot(geom.V3(0, 1, 0)))) > 1e-6 || up.Length() < 0.99 {
		t.Errorf("an up along the normal gives %v", up)
	}
}
