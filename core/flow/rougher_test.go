package flow

import (
	"context"
	"math"
	"testing"

	"velvetgrime/core/geom"
)

// Over a quarter of the points a growth comes about as soon: a front from a row, one through slow
// ground, one from a lone seed.
func TestARougherGrowthComesAboutAsSoon(t *testing.T) {
	c, edge := plate(t)
	h := c.Spacing
	r, err := c.Rougher(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	if n := float64(len(r.Pos)) / float64(len(c.Pos)); math.Abs(n-0.25) > 0.01 {
		t.Fatalf("%v of the points are left", n)
	}
	speed := make([]float32, len(c.Pos))
	for i := range speed {
		speed[i] = 0.7
	}
	lone := []Seed{{At: int32(c.Nearest(geom.V3(0.5, 0, -0.5)))}}
	for name, g := range map[string]struct {
		seeds []Seed
		speed []float32
	}{"a row": {edge, nil}, "slow ground": {edge, speed}, "a lone seed": {lone, nil}} {
		whole, err := c.React(context.Background(), g.seeds, g.speed, 40*h)
		if err != nil {
			t.Fatal(err)
		}
		rough, err := r.React(context.Background(), g.seeds, g.speed, 40*h)
		if err != nil {
			t.Fatal(err)
		}
		var apart, n float64
		for i, p := range c.Pos {
			if v := whole[i]; v > 6*h && v < 18*h {
				apart, n = apart+float64(r.Sample(rough, p, c.Nrm[i], 40*h)-v), n+1
			}
		}
		if n == 0 || math.Abs(apart/n) > 1.2*float64(h) {
			t.Errorf("%s: of %v points the front comes %.2f spacings later on average", name, n, apart/n/float64(h))
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := c.Rougher(ctx); err == nil {
		t.Error("it was made although nobody waits")
	}
}
