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
	// on the other side of the plane of X it faces the other way, and is read from its own left to its right
	r := NewFrame(geom.V3(2, 1, 0.5), geom.V3(1, 0, 0), geom.V3(0, 1, 0.2)).Reflected(geom.V3(0.5, 9, 9), geom.V3(-3, 0, 0))
	if want := NewFrame(geom.V3(-1, 1, 0.5), geom.V3(-1, 0, 0), geom.V3(0, 1, 0.2)); r.At.Sub(want.At).Length()+r.Right.Sub(want.Right).Length()+r.Up.Sub(want.Up).Length() > 1e-5 {
		t.Errorf("on the other side it is %v; want %v", r, want)
	}
	if up := NewFrame(geom.Vec3{}, geom.V3(0, 1, 0), geom.V3(0, 3, 0)).Up; math.Abs(float64(up.Dot(geom.V3(0, 1, 0)))) > 1e-6 || up.Length() < 0.99 {
		t.Errorf("an up along the normal gives %v", up)
	}
}

// A row along a line: evenly from end to end, all round a closed one, by steps from its own place,
// each as far beside the line and turned from it as the decal is; on a ring it is what turning about
// the ring's axis gives.
func TestFramesAlongALine(t *testing.T) {
	side := []float32{0, 0, 0, 0, 1, 0, 1, 0, 0, 0, 1, 0, 4, 0, 0, 0, 1, 0} // along X, facing up, in uneven pieces
	// its head leans 30° from what lies across the line
	lean := NewFrame(geom.V3(2, 0, 0.1), geom.V3(0, 1, 0), geom.V3(0.5, 0, -0.8660254))
	for _, c := range []struct {
		count int
		step  float32
		want  []float32
	}{{5, 0, []float32{0, 1, 2, 3, 4}}, {2, 1.5, []float32{2, 3.5}}, {9, 0.75, []float32{2, 2.75, 3.5}}, {1, 0, []float32{0}}} {
		got := Along(side, lean, c.count, c.step)
		if len(got) != len(c.want) {
			t.Fatalf("%d, %v m apart: %d frames", c.count, c.step, len(got))
		}
		for i, f := range got {
			if f.At.Sub(geom.V3(c.want[i], 0, 0.1)).Length() > 1e-5 || f.Right.Sub(lean.Right).Length() > 1e-5 || f.Up.Sub(lean.Up).Length() > 1e-5 {
				t.Errorf("%d, %v m apart: number %d is %v, its right %v instead of %v", c.count, c.step, i, f.At, f.Right, lean.Right)
			}
		}
	}
	var ring []float32
	const n = 720
	for i := range n + 1 {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / n)
		ring = append(ring, float32(2*cos), 0.5, float32(2*sin), float32(cos), 0, float32(sin))
	}
	first := NewFrame(geom.V3(1.8, 0.9, 0), geom.V3(1, 0, 0), geom.V3(0, 1, 0.3)).Turned(geom.Vec3{}, geom.V3(0, 1, 0), 0.7)
	for i, f := range Along(ring, first, 6, 0) {
		// the ring runs from X to Z: clockwise seen against Y
		want := first.Turned(geom.Vec3{}, geom.V3(0, 1, 0), -2*math.Pi*float64(i)/6)
		if f.At.Sub(want.At).Length() > 1e-3 || f.Right.Sub(want.Right).Length() > 1e-2 || f.Out.Sub(want.Out).Length() > 1e-2 {
			t.Errorf("number %d lies at %v, right %v; want %v, %v", i, f.At, f.Right, want.At, want.Right)
		}
	}
	if got := Along([]float32{1, 1, 1, 0, 1, 0, 1, 1, 1, 0, 1, 0}, first, 3, 0); got != nil {
		t.Errorf("a line of no length gives %v", got)
	}
}

// What flakes off is about the share that is asked for, more of it the more is asked for and
// nowhere back, on texels of any size; letters lose more and less, and another seed other places.
func TestFlakes(t *testing.T) {
	share := func(worn, fine float32, letter, seed int) float64 {
		f := NewFlakes(0.1, seed, fine)
		sum, n := 0.0, 0
		for x := float32(0); x < 0.1; x += 0.1 / 48 {
			for y := float32(0); y < 0.1; y += 0.1 / 48 {
				sum += float64(f.Left(x, y, worn, letter))
				n++
			}
		}
		return 1 - sum/float64(n)
	}
	for _, worn := range []float32{0.1, 0.3, 0.5, 0.8} {
		mean, low, high := 0.0, 1.0, 0.0
		for letter := 1; letter <= 24; letter++ {
			s := share(worn, 0.0005, letter, 1)
			mean, low, high = mean+s/24, min(low, s), max(high, s)
		}
		if math.Abs(mean-float64(worn)) > 0.1 || high-low < 0.15 {
			t.Errorf("%v of the letters should be off: it is %.2f, of each between %.2f and %.2f", worn, mean, low, high)
		}
		if a, b := share(worn, 0.0005, 0, 1), share(worn, 0.004, 0, 1); math.Abs(a-b) > 0.06 {
			t.Errorf("%v worn: %.3f is off on fine texels, %.3f on coarse ones", worn, a, b)
		}
	}
	if share(0, 0.001, 3, 1) != 0 || share(1, 0.001, 3, 1) != 1 {
		t.Error("unworn it is not whole, or fully worn something is left")
	}
	f, g := NewFlakes(0.1, 1, 0.0005), NewFlakes(0.1, 2, 0.0005)
	other := 0
	for i := range 2000 {
		x, y := float32(i%50)*0.002, float32(i/50)*0.0025
		if f.Left(x, y, 0.3, 2) < f.Left(x, y, 0.6, 2) {
			t.Fatalf("at %v, %v more is left where more has come off", x, y)
		}
		if f.Left(x, y, 0.5, 0) != g.Left(x, y, 0.5, 0) {
			other++
		}
	}
	if other < 400 {
		t.Errorf("another seed differs at %d of 2000 places", other)
	}
}
