package deliver

import (
	"math"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/pix"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// What was turned in the target view comes home as a layer that does the same once it is shown, and
// nothing before.
func TestCorrectionsComeHome(t *testing.T) {
	slope := fill("h", stack.Height, 0)
	coat := slope.Channels[stack.Height]
	coat.Stream = []*stack.Step{{ID: "n", Kind: "noise", On: true, Amount: 1, Blend: "normal", Params: map[string]any{"frequency": 20.0}}}
	coat.Range = []float32{-0.001, 0.002}
	slope.Channels[stack.Height] = coat
	d := stack.New([]string{"Cast iron"}, 256)
	d.Layers = []*stack.Layer{fill("c", stack.BaseColor, 0.4, 0.3, 0.2), fill("r", stack.Roughness, 0.4), fill("m", stack.Metallic, 0.3), slope}
	scene := eval.NewScene(sample.Bollard(), cache.New(64<<20))
	lin := func(v float32) float64 { return float64(pix.DecodeSRGB(v)) }
	for _, c := range []Corrections{{0.5, 0.5, 0.5, 0.25}, {1.5, 2, 1.6, 3.5}, {1, 1, 1, 0}, {2, 1, 1, 1}} {
		l, err := c.Layer("home")
		if err != nil {
			t.Fatal(err)
		}
		on := func(visible bool) *eval.Program {
			own := *l
			own.Visible = visible
			next, _, _, err := step.Rules.Apply(d, stack.AddLayer{Index: len(d.Layers), Layer: &own})
			if err != nil {
				t.Fatal(err)
			}
			return eval.Compile(scene, next, "", "")
		}
		if l.Visible {
			t.Error("it is shown before anybody accepted it")
		}
		was, hidden, is := eval.Compile(scene, d, "", ""), on(false), on(true)
		for _, tile := range surface.Tiles(0, 256) {
			u := scene.OnTile(tile)
			if u.Empty() {
				continue
			}
			for ch, want := range map[stack.Channel]func(v float32) float64{
				stack.BaseColor: func(v float32) float64 { return min(lin(v)*float64(c.Brightness), 1) },
				stack.Roughness: func(v float32) float64 { return min(float64(v*c.Roughness), 1) },
				stack.Metallic:  func(v float32) float64 { return min(float64(v*c.Metallic), 1) },
				stack.Height:    func(v float32) float64 { return float64(v * c.Normal) },
			} {
				read := func(p *eval.Program) float32 {
					v, err := p.Channel(t.Context(), u, ch)
					if err != nil {
						t.Fatal(err)
					}
					return v[0].At(70*pix.Pitch + 70)
				}
				a, b := read(was), read(is)
				if read(hidden) != a {
					t.Errorf("hidden it changes %s", ch)
				}
				got := float64(b)
				tolerance := 1e-4
				if ch == stack.BaseColor {
					got = lin(b)
					tolerance = 0.03 * want(a)
				}
				if ch == stack.Height {
					tolerance = 1e-6
				}
				if math.Abs(got-want(a)) > tolerance {
					t.Errorf("%+v: %s is %v, want %v", c, ch, got, want(a))
				}
			}
		}
	}
	for _, bad := range []Corrections{{1, 1, 1, 1}, {-1, 1, 1, 1}, {1, 5, 1, 1}, {1, 1, 0, 1}, {1, 1, 1, 9}, {float32(math.NaN()), 1, 1, 1}} {
		if _, err := bad.Layer("home"); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}
