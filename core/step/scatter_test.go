package step

import (
	"math/rand/v2"
	"slices"
	"testing"

	"velvetgrime/core/geom"
)

// What a scatter passes on is what the plain way does, in its order and to the bit, as far as
// it can matter: along walks over a surface that turns, near and far from nought.
func TestScatteredPointsAreThePlainWays(t *testing.T) {
	type found struct {
		to geom.Vec3
		id uint32
	}
	for _, c := range []struct {
		count              int
		reach, depth, most float32
		slab               float32
	}{
		{1, 0.8, 0.6, 0.83, 0.6}, {2, 0.5, 0, 0.5, 0}, {1, 2, 0, 9, 0}, {1, 0.71, 0.5, 0.75, 0.5}, {3, 0.7, 0, 0.45, 0},
	} {
		r := rand.New(rand.NewPCG(7, uint64(c.count)))
		for shift := range uint(3) {
			s := scatter{seed: 11, shift: shift, count: c.count, reach: c.reach, depth: c.depth, most: c.most, slab: c.slab}
			matter, passed, plain := 0, 0, 0
			for range 40 {
				p := geom.V3(r.Float32()*40-20, r.Float32()*40-20, r.Float32()*40-20)
				n := geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5).Unit()
				for range 120 {
					p = p.Add(geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5).Mul(0.08))
					n = n.Add(geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5).Mul(0.1)).Unit()
					counts := func(q found) bool {
						return q.to.Length() <= c.most && (c.slab == 0 || abs32(q.to.Dot(n)) <= c.slab)
					}
					var want, got []found
					nearPlane(p, n, c.depth, 11, c.count, c.reach, func(to geom.Vec3, id uint32) {
						plain++
						if q := (found{to, id}); counts(q) {
							want = append(want, q)
						}
					})
					s.near(p, n, func(to geom.Vec3, id uint32) {
						passed++
						if q := (found{to, id}); counts(q) {
							got = append(got, q)
						}
					})
					if !slices.Equal(got, want) {
						t.Fatalf("%+v at %v: %v, the plain way gives %v", c, p, got, want)
					}
					matter += len(want)
				}
			}
			if matter == 0 || passed > plain {
				t.Errorf("%+v: %d of %d points matter, %d are passed on", c, matter, plain, passed)
			}
		}
	}
}
