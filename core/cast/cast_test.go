package cast

import (
	"image"
	"image/color"
	"math"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// ramp is a picture whose red grows to the right and whose green grows downwards.
func ramp() *pix.Picture {
	const n = 64
	img := image.NewNRGBA64(image.Rect(0, 0, n, n))
	for y := range n {
		for x := range n {
			img.SetNRGBA64(x, y, color.NRGBA64{R: uint16(65535 * (2*x + 1) / (2 * n)), G: uint16(65535 * (2*y + 1) / (2 * n)), A: 65535})
		}
	}
	return pix.NewPicture(img)
}

func input(t *testing.T, params map[string]any) step.Input {
	t.Helper()
	s := &stack.Step{Kind: "picture", On: true, Amount: 1, Params: params}
	in, d := step.NewInput(s, nil, geom.Box{Min: geom.V3(-1, -1, -1), Max: geom.V3(1, 1, 1)})
	if d == nil {
		t.Fatal("there is no picture step")
	}
	return in
}

func at(read Reader, pos, nrm geom.Vec3) [4]float32 {
	return read(&raster.Frame{W: 1, H: 1, Pos: []geom.Vec3{pos}, Nrm: []geom.Vec3{nrm}, Tri: []int32{0}, Footprint: 1e-4}, 0)
}

// A picture of half a metre that is cast flat along an axis lies about its middle: a place a
// tenth of a metre to the right of it shows the picture a fifth to the right of its own
// middle; moved and turned it shows what was there.
func TestFlatPlaces(t *testing.T) {
	axis := geom.V3(0, 0, 1)
	right, ahead := axis.Tangents()
	pic := ramp()
	for _, c := range []struct {
		turn, shift float64
		r, a        float32 // metres
		x, y        float32 // of the picture
	}{
		{0, 0, 0, 0, 0.5, 0.5},
		{0, 0, 0.1, 0, 0.7, 0.5},
		{0, 0, 0, 0.1, 0.5, 0.3},
		{0, 0.1, 0.1, 0, 0.6, 0.5},
		{90, 0, 0.1, 0, 0.5, 0.3},
		{180, 0, 0.1, 0.05, 0.3, 0.6},
	} {
		in := input(t, map[string]any{
			"laid": "flat", "along": []any{0.0, 0.0, 1.0}, "at": []any{0.0, 0.0, 0.0},
			"size": 0.5, "turn": c.turn, "shiftU": c.shift, "tiles": "once",
		})
		v := at(New(in).About(in, pic), right.Mul(c.r).Add(ahead.Mul(c.a)).Add(axis.Mul(0.3)), axis)
		if math.Abs(float64(v[0]-c.x)) > 0.01 || math.Abs(float64(v[1]-c.y)) > 0.01 || math.Abs(float64(v[3]-1)) > 1e-5 {
			t.Errorf("%+v: the picture shows its place (%.3f, %.3f), coverage %g", c, v[0], v[1], v[3])
		}
	}
	in := input(t, map[string]any{"laid": "flat", "along": []any{0.0, 0.0, 1.0}, "size": 0.5, "tiles": "once"})
	if v := at(New(in).About(in, pic), right.Mul(0.26), axis); v[3] != 0 {
		t.Errorf("beside a single picture the coverage is %g", v[3])
	}
}

// Mirrored repeats meet themselves at every border.
func TestMirroredRepeats(t *testing.T) {
	in := input(t, map[string]any{"size": 1.0, "tiles": "mirrored"})
	c, pic := New(in), ramp()
	for k := -3; k <= 3; k++ {
		border := float32(k) + 0.5
		for _, d := range []float32{0.01, 0.1, 0.3} {
			a, b := c.Sample(pic, border-d, 0.2, 1e-4, 0), c.Sample(pic, border+d, 0.2, 1e-4, 0)
			if math.Abs(float64(a[0]-b[0])) > 1e-3 {
				t.Errorf("border %g: %.3f on one side and %.3f on the other", border, a[0], b[0])
			}
		}
	}
}

// From three sides a face that looks along an axis shows one picture alone, and the weights
// of a slanted one sum to one.
func TestThreeSides(t *testing.T) {
	even := func(v uint16) *pix.Picture {
		img := image.NewNRGBA64(image.Rect(0, 0, 1, 1))
		img.SetNRGBA64(0, 0, color.NRGBA64{R: v, G: v, B: v, A: 65535})
		return pix.NewPicture(img)
	}
	in := input(t, map[string]any{"size": 1.0})
	read := New(in).ThreeSides(in, [3]*pix.Picture{even(6554), even(32768), even(58982)}, 0.3)
	shown := map[int]bool{}
	for _, n := range []geom.Vec3{{X: 1}, {Y: 1}, {Z: -1}} {
		v := at(read, geom.V3(0.2, 0.3, 0.1), n)
		shown[int(math.Round(float64(v[0])*10))] = true
		if math.Abs(float64(v[3]-1)) > 1e-5 {
			t.Errorf("along %v the coverage is %g", n, v[3])
		}
	}
	if !shown[1] || !shown[5] || !shown[9] {
		t.Errorf("of the three pictures, of a tenth, five and nine tenths, are seen: %v", shown)
	}
	if v := at(read, geom.V3(0.2, 0.3, 0.1), geom.V3(1, 1, 1).Unit()); math.Abs(float64(v[0]-0.5)) > 1e-3 || math.Abs(float64(v[3]-1)) > 1e-5 {
		t.Errorf("a face that looks at all three sides alike shows %v", v)
	}
}
