package step

import (
	"math"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
)

// plate is a w × h frame of texels of one millimetre.
func plate(w, h int) *raster.Frame {
	f := &raster.Frame{W: w, H: h, Footprint: 0.001}
	for y := range h {
		for x := range w {
			f.Pos = append(f.Pos, geom.V3(float32(x)*0.001, 0, float32(y)*0.001))
			f.Nrm, f.Tri, f.Inside = append(f.Nrm, geom.V3(0, 1, 0)), append(f.Tri, 0), append(f.Inside, true)
		}
	}
	f.Seal()
	return f
}

func bevelOf(p map[string]any, w, h int, src func(x, y int) float32) []float32 {
	f := plate(w, h)
	in, d := NewInput(&stack.Step{Kind: "bevel", Params: p}, f, geom.Box{})
	row, out := make([]float32, w*h), make([]float32, w*h)
	for i := range row {
		row[i] = src(i%w, i/w)
	}
	d.Filter(in, row, nil, out)
	return out
}

// A half plane: the height rises straight with the distance to the border, which lies
// between texels 9 and 10, and ends after the width.
func TestBevelOfAHalfPlane(t *testing.T) {
	half := func(x, _ int) float32 {
		if x < 10 {
			return 0
		}
		return 1
	}
	out := bevelOf(map[string]any{"radius": 0.006, "form": "straight"}, 30, 9, half)
	for x := range 30 {
		want := math.Min(math.Max((float64(x)-9.5)/6, 0), 1)
		if x < 10 {
			want = 0
		}
		if got := float64(out[4*30+x]); math.Abs(got-want) > 0.01 {
			t.Errorf("straight, texel %d: %.3f, want %.3f", x, got, want)
		}
	}
	round := bevelOf(map[string]any{"radius": 0.006}, 30, 9, half)
	for x := 10; x < 30; x++ {
		d := math.Min((float64(x)-9.5)/6, 1)
		if want := math.Sqrt(1 - (1-d)*(1-d)); math.Abs(float64(round[4*30+x])-want) > 0.01 {
			t.Errorf("round, texel %d: %.3f, want %.3f", x, round[4*30+x], want)
		}
	}
}

// The border goes through a texel that the mask covers in part, so the bevel moves with
// it by parts of a texel.
func TestBevelFollowsTheMaskWithinATexel(t *testing.T) {
	at := func(cover float32) float32 {
		return bevelOf(map[string]any{"radius": 0.008, "form": "straight"}, 30, 3, func(x, _ int) float32 {
			switch {
			case x < 10:
				return 0
			case x == 10:
				return cover
			}
			return 1
		})[30+14]
	}
	if a, b := at(0.1), at(0.4); math.Abs(float64(b-a)-0.3/8) > 0.005 {
		t.Errorf("with a tenth covered the height is %v, with four tenths %v; want 0.3 of a texel between", a, b)
	}
}

// With a lip the rim stands above the coat: white is its top.
func TestBevelWithALip(t *testing.T) {
	out := bevelOf(map[string]any{"radius": 0.010, "lip": 0.5}, 40, 3, func(x, _ int) float32 {
		if x < 10 {
			return 0
		}
		return 1
	})[40:80]
	top, where := float32(0), 0
	for x, v := range out {
		if v > top {
			top, where = v, x
		}
	}
	if coat := out[35]; math.Abs(float64(coat)-1/1.5) > 0.01 || top < 0.93 || where < 11 || where > 16 {
		t.Errorf("the rim is %.3f high at texel %d, the coat %.3f; want 1 near 13 and 0.667", top, where, coat)
	}
}
