package step

import (
	"math/rand/v2"
	"slices"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
)

// scatteredAbout is the plain way to the points of a scatter: all of the 27 cubes about p.
func scatteredAbout(p geom.Vec3, seed uint32, count int, f func(to geom.Vec3, id uint32)) {
	i, j, k := noise.Floor(p.X), noise.Floor(p.Y), noise.Floor(p.Z)
	for z := k - 1; z <= k+1; z++ {
		for y := j - 1; y <= j+1; y++ {
			for x := i - 1; x <= i+1; x++ {
				for c := range count {
					h := noise.Hash(x, y, z, seed+uint32(c)*7919)
					in := geom.V3(float32(h&1023)*(1.0/1024), float32(h>>10&1023)*(1.0/1024), float32(h>>20&1023)*(1.0/1024))
					f(geom.V3(float32(x)-p.X+in.X, float32(y)-p.Y+in.Y, float32(z)-p.Z+in.Z), h)
				}
			}
		}
	}
}

// What a scatter passes on is what the plain way finds, in its order and to the bit, as far as
// it can matter and no further: along walks over a surface that turns, near and far from nought.
func TestScatteredPointsAreThePlainWays(t *testing.T) {
	type found struct {
		to geom.Vec3
		id uint32
	}
	for _, c := range []struct {
		count             int
		most, slab, share float32
	}{
		{1, 0.83, 0.6, 0}, {2, 0.5, 0, 0.4}, {1, 4, 0, 0}, {1, 0.75, 0.5, 0.7}, {3, 0.45, 0, 1}, {9, 1, 0.2, 0.9},
	} {
		r := rand.New(rand.NewPCG(7, uint64(c.count)))
		for shift := range uint(3) {
			s := scatter{seed: 11, shift: shift, count: c.count, most: c.most, slab: c.slab, share: c.share}
			matter := 0
			for range 40 {
				p := geom.V3(r.Float32()*40-20, r.Float32()*40-20, r.Float32()*40-20)
				n := geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5).Unit()
				for range 120 {
					p = p.Add(geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5).Mul(0.08))
					n = n.Add(geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5).Mul(0.1)).Unit()
					var want, got []found
					scatteredAbout(p, 11, c.count, func(to geom.Vec3, id uint32) {
						if to.Dot(to) > c.most*c.most || c.slab > 0 && abs32(to.Dot(n)) > c.slab || c.share > 0 && noise.Random(id, 1) > c.share {
							return
						}
						want = append(want, found{to, id})
					})
					s.near(p, n, func(to geom.Vec3, id uint32) { got = append(got, found{to, id}) })
					if !slices.Equal(got, want) {
						t.Fatalf("%+v at %v: %v, the plain way gives %v", c, p, got, want)
					}
					matter += len(want)
				}
			}
			if matter == 0 {
				t.Errorf("%+v: none matters", c)
			}
		}
	}
}

// Eight points side by side are looked at as one after the other, to the bit.
func TestScatteredPointsSideBySide(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	some := 0
	for range 3000 {
		q := emptyScattered
		for l := range 1 + r.IntN(8) {
			corner := geom.V3(float32(r.IntN(5)-2), float32(r.IntN(5)-2), float32(r.IntN(5)-2))
			q.set(l, corner, geom.V3(r.Float32(), r.Float32(), r.Float32()), r.Uint32())
		}
		n := geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5).Unit()
		at := [8]float32{r.Float32(), r.Float32(), r.Float32(), n.X, n.Y, n.Z, 12 * r.Float32(), 2 * r.Float32()}
		var to, plain [3][8]float32
		got, want := q.within(&at, &to), q.withinPlain(&at, &plain)
		if got != want || to != plain {
			t.Fatalf("%08b, one after the other %08b; %v, %v", got, want, to, plain)
		}
		if want != 0 && want != 255 {
			some++
		}
	}
	if some < 1000 {
		t.Errorf("%d of 3000 are told apart", some)
	}
}
