package flow

import (
	"math/rand/v2"
	"testing"

	"velvetgrime/core/geom"
)

// What is read at places beside each other, and at places far from each other, is what Sample gives
// at each, to the bit: on the surface, over it, beyond the points, and with normals that turn away.
func TestReadingIsSampling(t *testing.T) {
	c, _ := plate(t)
	rnd := rand.New(rand.NewPCG(2, 6))
	v := make([]float32, len(c.Pos))
	for i := range v {
		v[i] = rnd.Float32() * 3
	}
	r := c.Reader()
	p, none := geom.V3(0, 0, 0), 0
	const far = 2.5
	for k := range 6000 {
		p = p.Add(geom.V3(rnd.Float32()-0.5, 0, rnd.Float32()-0.5).Mul(c.Spacing))
		if k%100 == 0 { // elsewhere
			p = geom.V3(rnd.Float32()*1.1, (rnd.Float32()-0.5)*4*c.Spacing, -rnd.Float32()*1.1)
		}
		n := geom.V3(rnd.Float32()-0.5, 1.2*rnd.Float32()-0.2, rnd.Float32()-0.5).Unit()
		got, want := r.At(v, p, n, far), c.Sample(v, p, n, far)
		if got != want {
			t.Fatalf("at %v: %v, a sample is %v", p, got, want)
		}
		if want == far {
			none++
		}
	}
	if none < 50 || none > 5000 {
		t.Errorf("%d of 6000 places have no points", none)
	}
	if got := (&Cloud{}).Reader().At(nil, p, geom.V3(0, 1, 0), far); got != far {
		t.Errorf("of no points: %v", got)
	}
}

// Eight points side by side are weighed as one after the other, to the bit.
func TestPointsSideBySide(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	some := 0
	for range 2000 {
		q := noEight
		for l := range 1 + r.IntN(8) {
			for a := range 3 {
				q.pos[a][l], q.nrm[a][l] = 2*r.Float32()-1, 2*r.Float32()-1
			}
		}
		at := [8]float32{r.Float32(), r.Float32(), r.Float32(), r.Float32() - 0.5, r.Float32() - 0.5, r.Float32() - 0.5, 2 * r.Float32()}
		var got, want [8]float32
		a, b := q.weigh(&at, &got), q.weighPlain(&at, &want)
		if a != b {
			t.Fatalf("%08b, one after the other %08b", a, b)
		}
		for l := range 8 {
			if b>>l&1 != 0 && got[l] != want[l] {
				t.Fatalf("%v, one after the other %v", got, want)
			}
		}
		if b != 0 {
			some++
		}
	}
	if some < 500 {
		t.Errorf("only %d of 2000 have any", some)
	}
}
