package step

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
)

// bent is a frame of w × h points on a ball of a radius, with holes, and with a tear: beyond
// it the points lie elsewhere.
func bent(r *rand.Rand, w, h int, radius, texel float32) *raster.Frame {
	f := &raster.Frame{W: w, H: h, Footprint: texel}
	middle := geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5).Mul(4)
	at := geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5).Unit()
	t, b := at.Tangents()
	for y := range h {
		for x := range w {
			far := float32(0)
			if x > w*2/3 {
				far = 1
			}
			n := at.Add(t.Mul((float32(x) + 40*far) * texel / radius)).Add(b.Mul(float32(y) * texel / radius)).Unit()
			f.Nrm = append(f.Nrm, n)
			f.Pos = append(f.Pos, middle.Add(n.Mul(radius)))
			tri := int32(1)
			if r.IntN(9) == 0 {
				tri = -1
			}
			f.Tri = append(f.Tri, tri)
		}
	}
	return f
}

// What is found for a block of texels is what the plain way finds at each, in its order and to
// the bit, as far as it can matter.
func TestMarksOfABlockAreThePlainWays(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 9))
	matter, plain, passed := 0, 0, 0
	for range 160 {
		size := float32(math.Exp(float64(r.Float32()*5 - 4)))
		texel := size * float32(math.Exp(float64(-r.Float32()*5-1)))
		f := bent(r, 21, 18, size*float32(math.Exp(float64(r.Float32()*5-1))), texel)
		axis := geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5).Mul(2)
		if r.IntN(8) == 0 {
			axis = geom.Vec3{}
		}
		count, spread, bow := 1+r.IntN(5), r.Float32(), r.Float32()*4
		most := float32(math.Exp(float64(-r.Float32() * 5)))
		o := newMarksOn(f, size, axis, 77, count, spread, bow, most)
		for i := range f.Pos {
			if f.Tri[i] < 0 {
				continue
			}
			share := r.Float32() * 1.2
			counts := func(m mark) bool { return abs32(m.across) <= most }
			var want, got []mark
			nearMarks(f.Pos[i].Mul(1/size), f.Nrm[i], axis, 77, count, share, spread, bow, 1e6, func(m mark) {
				if plain++; counts(m) {
					want = append(want, m)
				}
			})
			o.near(i, share, func(m mark) {
				if passed++; counts(m) {
					got = append(got, m)
				}
			})
			if !slices.Equal(got, want) {
				t.Fatalf("length %v, texel %v, axis %v, most %v: %v, the plain way gives %v", size, texel, axis, most, got, want)
			}
			matter += len(want)
		}
	}
	if matter < 1000 || passed > plain*3/4 {
		t.Errorf("%d of %d marks matter, %d are passed on", matter, plain, passed)
	}
}

// Eight marks side by side are looked at as one after the other, to the bit.
func TestMarksSideBySide(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	some := 0
	v := func(f float32) geom.Vec3 {
		return geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5).Mul(2 * f)
	}
	for range 4000 {
		q := emptyMarks
		for l := range 1 + r.IntN(8) {
			a := float64(r.Float32()) * 6
			q.set(l, geom.V3(float32(r.IntN(4)-2), float32(r.IntN(4)-2), float32(r.IntN(4)-2)), v(0.5).Add(geom.V3(0.5, 0.5, 0.5)),
				float32(math.Sin(a)), float32(math.Cos(a)), r.Float32()-0.5, r.Uint32())
		}
		n := v(1).Unit()
		tangent, side := marksRun(n, v(1))
		at := placeOfMarks(v(0.9), n, tangent, side, 2*r.Float32())
		var along, across, alongPlain, acrossPlain [8]float32
		got, want := q.near(&at, &along, &across), q.nearPlain(&at, &alongPlain, &acrossPlain)
		if got != want || along != alongPlain || across != acrossPlain {
			t.Fatalf("%08b, one after the other %08b; %v, %v", got, want, along, alongPlain)
		}
		if want != 0 {
			some++
		}
	}
	if some < 100 {
		t.Errorf("only %d of 4000 places are touched", some)
	}
}
