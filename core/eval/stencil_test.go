package eval

import (
	"math"
	"strings"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// above is a camera that looks straight down on the middle of the plate from two metres, its
// head towards −z: what it sees of a height of one metre fills the picture.
func above() []float32 {
	// clip = P·V, column by column; x right, y up in the picture = −z, w = the way down
	const far = 2.0
	k := float32(2 * far / 1.0) // 1/tan: half a metre to each side at the plate
	cx, cz := float32(128*texel), float32(64*texel)
	return []float32{k / 1.5, 0, 0, 0, 0, 0, 0, -1, 0, -k, 0, 0, -k / 1.5 * cx, k * cz, 0, far}
}

// through is a stroke over all of the plate, painted through a stencil of the board.
func through(change func(c *brush.Stencil)) *brush.Stroke {
	s := stroke("s", map[string][]float32{"baseColor": {0.9, 0.9, 0.9}, "roughness": {0.1}}, geom.V3(0, 0, 64*texel), geom.V3(256*texel, 0, 64*texel))
	s.Radius, s.Hardness = 0.6, 0.95
	// a square of half the picture's height: 64 texels on the plate
	s.Stencil = &brush.Stencil{Picture: "board", View: above(), Aspect: 1.5, Wide: 0.5, Form: 1}
	if change != nil {
		change(s.Stencil)
	}
	return s
}

func stencilled(s *brush.Stroke) *stack.Document {
	ground := layer("ground", stack.Fill, coats{stack.BaseColor: coat(0, 1, 0), stack.Roughness: coat(0.75)})
	paint := layer("paint", stack.Paint, coats{stack.BaseColor: coat(0, 0, 0), stack.Roughness: coat(0)})
	paint.Strokes, paint.StrokeID = []*brush.Stroke{s}, []string{s.ID}
	return doc(ground, paint)
}

// Through a stencil whose colours are the paint the picture lies on the plate where the camera
// sees it, its hole and all that lies beside it left out; the stroke's other channels go through
// it as well.
func TestAStencilsColoursAreThePaint(t *testing.T) {
	d := stencilled(through(func(c *brush.Stencil) { c.Colors = true }))
	for name, m := range map[string]func(*testing.T) *Scene{
		"in one piece": func(t *testing.T) *Scene { return decalScene(whole(t)) },
		"in four":      func(t *testing.T) *Scene { return decalScene(cutUp(t)) },
	} {
		s := m(t)
		col, rough := onDeck(t, s, d, stack.BaseColor), onDeck(t, s, d, stack.Roughness)
		for x := 4; x < 252; x++ {
			for z := 4; z < 124; z++ {
				cx, cz := (float64(x)+0.5-96)/8, (float64(z)+0.5-32)/8 // a check is 8 texels
				if math.Abs(cx-math.Round(cx)) < 0.2 || math.Abs(cz-math.Round(cz)) < 0.2 {
					continue
				}
				want, r := [3]float32{0, 1, 0}, float32(0.75)
				if cx >= 0 && cx < 8 && cz >= 0 && cz < 8 && !(int(cx) == 4 && int(cz) == 4) {
					want, r = [3]float32{1, 0, 0}, 0.1
					if (int(cx)+int(cz))%2 == 1 {
						want = [3]float32{0, 0, 1}
					}
				}
				for k := range want {
					if math.Abs(float64(col[x][z][k]-want[k])) > 0.06 {
						t.Fatalf("%s: at %d, %d it is %v, want %v", name, x, z, col[x][z], want)
					}
				}
				if math.Abs(float64(rough[x][z][0]-r)) > 0.06 {
					t.Fatalf("%s: at %d, %d the roughness is %v, want %v", name, x, z, rough[x][z][0], r)
				}
			}
		}
	}
}

// A stencil of greys lets through by its light, turned over by its dark; repeated it goes on
// beside itself; turned and moved it goes with its place.
func TestWhatAStencilLetsThrough(t *testing.T) {
	at := func(x, z int, change func(c *brush.Stencil)) float64 {
		v := onDeck(t, decalScene(whole(t)), stencilled(through(change)), stack.Roughness)
		return float64(0.75-v[x][z][0]) / 0.65 // how much of the paint came through
	}
	near := func(what string, got, want float64) {
		t.Helper()
		if math.Abs(got-want) > 0.06 {
			t.Errorf("%s: %.3f of the paint came through, want %.3f", what, got, want)
		}
	}
	near("red", at(100, 36, nil), 0.3)
	near("blue", at(108, 36, nil), 0.11)
	near("red, turned over", at(100, 36, func(c *brush.Stencil) { c.Invert = true }), 1-0.3)
	near("beside it", at(60, 64, nil), 0)
	near("beside it, repeated", at(36, 36, func(c *brush.Stencil) { c.Tiled, c.Colors = true, true }), 1)
	near("in the hole, repeated", at(68, 68, func(c *brush.Stencil) { c.Tiled, c.Colors = true, true }), 0)
	// moved to the right by an eighth of the height, a check and more: 16 texels
	near("the hole, moved", at(148, 68, func(c *brush.Stencil) { c.Colors, c.At = true, [2]float32{0.25 / 2, 0} }), 0)
	// turned by a quarter anticlockwise the hole, right and below the middle, is right and above it
	near("the hole, turned", at(132, 60, func(c *brush.Stencil) { c.Colors, c.Turn = true, 90 }), 0)
	near("where it was", at(132, 68, func(c *brush.Stencil) { c.Colors, c.Turn = true, 90 }), 1)
}

func TestStencilsThatAreRefused(t *testing.T) {
	for want, change := range map[string]func(c *brush.Stencil){
		"no usable picture": func(c *brush.Stencil) { c.Picture = "" },
		"takes 16":          func(c *brush.Stencil) { c.View = c.View[:9] },
		"aspect 0":          func(c *brush.Stencil) { c.Aspect = 0 },
		"0 wide":            func(c *brush.Stencil) { c.Wide = 0 },
		"softness 3":        func(c *brush.Stencil) { c.Soft = 3 },
		"NaN in it":         func(c *brush.Stencil) { c.Turn = float32(math.NaN()) },
	} {
		if err := through(change).Check(); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q was expected, got %v", want, err)
		}
	}
	s := through(func(c *brush.Stencil) { c.Picture = "gone" })
	if _, err := Compile(decalScene(whole(t)), stencilled(s), "", "").Channel(t.Context(), decalScene(whole(t)).OnTile(surface.Tile{Size: 512, X: 1}), stack.BaseColor); err == nil || !strings.Contains(err.Error(), "the stencil of a stroke") {
		t.Errorf("a picture that is not there: %v", err)
	}
	if got := stencilled(through(nil)).Pictures(); len(got) != 1 || got[0] != "board" {
		t.Errorf("its pictures are %v", got)
	}
}
