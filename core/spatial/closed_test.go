package spatial

import (
	"math"
	"math/rand/v2"
	"testing"

	"velvetgrime/core/geom"
)

// ball is a closed ball of radius 1 around c: rings × 2·rings quadrangles, in two triangles
// each, whose poles are one vertex each.
func ball(c geom.Vec3, rings int) ([]geom.Vec3, [][3]uint32) {
	around := 2 * rings
	pos := []geom.Vec3{c.Add(geom.V3(0, 1, 0)), c.Add(geom.V3(0, -1, 0))}
	at := func(r, s int) uint32 {
		if r == 0 || r == rings {
			return uint32(r / rings)
		}
		return uint32(2 + (r-1)*around + s%around)
	}
	for r := 1; r < rings; r++ {
		for s := range around {
			lat, lon := math.Pi*float64(r)/float64(rings), 2*math.Pi*float64(s)/float64(around)
			pos = append(pos, c.Add(geom.V3(
				float32(math.Sin(lat)*math.Cos(lon)), float32(math.Cos(lat)), float32(math.Sin(lat)*math.Sin(lon)))))
		}
	}
	var tri [][3]uint32
	for r := range rings {
		for s := range around {
			if r > 0 {
				tri = append(tri, [3]uint32{at(r, s), at(r+1, s+1), at(r, s+1)})
			}
			if r < rings-1 {
				tri = append(tri, [3]uint32{at(r, s), at(r+1, s), at(r+1, s+1)})
			}
		}
	}
	return pos, tri
}

func tree(t *testing.T, pos []geom.Vec3, tri [][3]uint32, use func(i int) bool) *Tree {
	t.Helper()
	out, err := Build(t.Context(), pos, tri, use)
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// Nothing gets out of a closed mesh: from a place inside every ray hits, also those that go
// exactly through corners and middles of edges, wherever in the world the mesh lies.
func TestNothingGetsOutOfAClosedMesh(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for _, c := range []geom.Vec3{{}, geom.V3(3, -2, 5), geom.V3(40, 0, -25)} {
		pos, tri := ball(c, 24)
		all := tree(t, pos, tri, nil)
		var b Bundle
		inside := []geom.Vec3{c, c.Add(geom.V3(0.3, 0.2, -0.1)), c.Add(geom.V3(0, -0.7, 0))}
		for _, o := range inside {
			var to []geom.Vec3
			to = append(to, pos...)
			for _, k := range tri {
				for e := range 3 {
					to = append(to, pos[k[e]].Add(pos[k[(e+1)%3]]).Mul(0.5))
				}
			}
			for range 3000 {
				to = append(to, o.Add(geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5)))
			}
			for i := 0; i < len(to); i += MaxRays {
				dirs := make([]geom.Vec3, 0, MaxRays)
				for _, p := range to[i:min(i+MaxRays, len(to))] {
					dirs = append(dirs, p.Sub(o).Unit())
				}
				b.Set(o, dirs, 0, 10)
				all.Nearest(&b)
				for k, d := range dirs {
					far, hit := b.Distance(k)
					// the chord of the ball, which its flat faces cut off by at most what
					// an arc of a 24th of a half turn rises over its chord
					oc := o.Sub(c)
					p := oc.Dot(d)
					chord := -p + float32(math.Sqrt(float64(p*p-oc.Dot(oc)+1)))
					if !hit || far > chord+1e-3 || far < chord-0.05 {
						t.Fatalf("ball at %v: from %v towards %v: hit %v after %v; the ball's skin is %v away", c, o.Sub(c), d, hit, far, chord)
					}
				}
				b.Set(o, dirs, 0, 10)
				if met := all.Any(&b); met != b.all() {
					t.Fatalf("ball at %v: %d of %d rays are met by anything", c, met, len(dirs))
				}
			}
		}
	}
}

// What is selected alone is in the tree, and hits keep the numbers of the whole mesh.
func TestAPartOfAMesh(t *testing.T) {
	pos, tri := ball(geom.Vec3{}, 12)
	upper := func(i int) bool { return pos[tri[i][0]].Y+pos[tri[i][1]].Y+pos[tri[i][2]].Y > 0 }
	half := tree(t, pos, tri, upper)
	n := 0
	for i := range tri {
		if upper(i) {
			n++
		}
	}
	if half.Triangles() != n {
		t.Fatalf("%d triangles, %d are selected", half.Triangles(), n)
	}
	var b Bundle
	if h := half.Ray(&b, geom.V3(0.01, 0.02, 0), geom.V3(0.1, 1, 0.05), 0, 10); h.Tri < 0 || !upper(int(h.Tri)) {
		t.Fatalf("upward: %+v", h)
	}
	if h := half.Ray(&b, geom.V3(0.01, 0.02, 0), geom.V3(0.1, -1, 0.05), 0, 10); h.Tri >= 0 {
		t.Fatalf("downward, where nothing is: %+v", h)
	}
}

// A hit lies between near and far, and the shares of its corners give its place.
func TestHitsLieWhereTheySay(t *testing.T) {
	pos, tri := ball(geom.V3(1, 2, 3), 16)
	all := tree(t, pos, tri, nil)
	r := rand.New(rand.NewPCG(9, 1))
	var b Bundle
	for range 500 {
		o := geom.V3(1+4*(r.Float32()-0.5), 2+4*(r.Float32()-0.5), 3+4*(r.Float32()-0.5))
		d := geom.V3(1, 2, 3).Sub(o).Add(geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5))
		h := all.Ray(&b, o, d, 0, 10)
		if h.Tri < 0 {
			continue
		}
		k := tri[h.Tri]
		at := pos[k[0]].Mul(1 - h.U - h.V).Add(pos[k[1]].Mul(h.U)).Add(pos[k[2]].Mul(h.V))
		if off := at.Sub(o.Add(d.Mul(h.T))).Length(); off > 2e-5*(1+d.Length()) {
			t.Fatalf("a hit on triangle %d is %v away from where its shares say", h.Tri, off)
		}
		if again := all.Ray(&b, o, d, 0, h.T*0.999); again.Tri >= 0 {
			t.Fatalf("nearer than the nearest hit at %v there is another at %v", h.T, again.T)
		}
		if behind := all.Ray(&b, o, d, h.T*1.001, 10); behind.Tri >= 0 && behind.T < h.T {
			t.Fatalf("beyond %v a hit at %v", h.T, behind.T)
		}
	}
}

// Meshes that cannot be split: all triangles in one place, or without any area.
func TestTrianglesInOnePlace(t *testing.T) {
	pos := []geom.Vec3{{X: 0}, {X: 1}, {Y: 1}, {X: 2}}
	tri := make([][3]uint32, 5000)
	for i := range tri {
		tri[i] = [3]uint32{0, 1, 2}
	}
	same := tree(t, pos, tri, nil)
	var b Bundle
	if h := same.Ray(&b, geom.V3(0.2, 0.2, 1), geom.V3(0, 0, -1), 0, 10); h.Tri < 0 || math.Abs(float64(h.T-1)) > 1e-6 {
		t.Errorf("%+v", h)
	}
	if p := same.Closest(geom.V3(0.2, 0.2, 0.5), 10, nil); p.Tri != 0 || math.Abs(float64(p.Distance-0.5)) > 1e-6 {
		t.Errorf("of equally near ones not the lowest: %+v", p)
	}
	for i := range tri {
		tri[i] = [3]uint32{0, 1, 3} // a line
	}
	thin := tree(t, pos, tri, nil)
	if h := thin.Ray(&b, geom.V3(0.5, 0, 1), geom.V3(0, 0, -1), 0, 10); h.Tri >= 0 {
		t.Errorf("a line was hit: %+v", h)
	}
	if p := thin.Closest(geom.V3(1.5, 0, 0.25), 10, nil); math.Abs(float64(p.Distance-0.25)) > 1e-6 {
		t.Errorf("the nearest place of a line: %+v", p)
	}
}

// A guess changes nothing of what is found, and what is not accepted, or too far, is not found.
func TestTheClosestPlaceByAGuess(t *testing.T) {
	pos, tri := ball(geom.Vec3{}, 20)
	all := tree(t, pos, tri, nil)
	r := rand.New(rand.NewPCG(5, 6))
	for range 400 {
		p := geom.V3(3*(r.Float32()-0.5), 3*(r.Float32()-0.5), 3*(r.Float32()-0.5))
		want := all.Closest(p, 10, nil)
		if got := all.ClosestFrom(p, 10, nil, int32(r.IntN(len(tri)))); got != want {
			t.Fatalf("at %v: %+v by a guess, %+v without", p, got, want)
		}
		// a ball's skin, but for what its flat faces cut off
		if d := math.Abs(float64(p.Length() - 1)); math.Abs(float64(want.Distance)-d) > 0.02 {
			t.Fatalf("at %v the skin is %v away, found %v", p, d, want.Distance)
		}
		if got := all.Closest(p, want.Distance*0.99, nil); got.Tri >= 0 {
			t.Fatalf("nearer than the nearest: %+v, %+v", got, want)
		}
		even := func(i int32) bool { return i%2 == 0 }
		if got := all.Closest(p, 10, even); got.Tri%2 != 0 || got.Distance < want.Distance {
			t.Fatalf("not accepted, and found: %+v", got)
		}
	}
}

// Points of the disc are even: in each ring of equal area as many, and no two in one place.
func TestPointsOfTheDiscAreEven(t *testing.T) {
	const n, rings = 4000, 8
	for seed := range uint32(4) {
		var count [rings]int
		var x, y float64
		for _, p := range Disc(n, seed) {
			rr := p[0]*p[0] + p[1]*p[1]
			if rr > 1 {
				t.Fatalf("%v is beyond the disc", p)
			}
			count[min(int(rr*rings), rings-1)]++
			x, y = x+p[0]/n, y+p[1]/n
		}
		for i, c := range count {
			if c < n/rings*9/10 || c > n/rings*11/10 {
				t.Errorf("seed %d: ring %d has %d of %d points", seed, i, c, n)
			}
		}
		if math.Hypot(x, y) > 0.01 {
			t.Errorf("seed %d: the mean is at %v, %v", seed, x, y)
		}
	}
}
