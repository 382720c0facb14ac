package eval

import (
	"math"
	"testing"

	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// What is read softly is blurred on texels about as large as it is soft: over the many rims of a
// cut-up surface that gives what the blur itself gives, as nearly as an eye can see.
func TestSoftlyIsTheBlur(t *testing.T) {
	b := newBench(t, cutUp(t), 128)
	scene := b.scene()
	for _, radius := range []float64{0.02, 0.06, 0.15} {
		noise := st("noise", map[string]any{"frequency": 4.0})
		blur := st("blur", map[string]any{"radius": radius})
		d := doc2(fill("one", 1, coats{stack.Roughness: met("normal", 1, 0.5)}, noise, blur))
		p := Compile(scene, d, "", "")
		sp := p.all["one"].mask
		u := scene.OnTile(surface.Tile{Sheet: 0, Size: 128})
		soft, err := p.softly(t.Context(), u, sp)
		if err != nil {
			t.Fatal(err)
		}
		plain, err := p.stream(t.Context(), u, sp, len(sp.steps))
		if err != nil {
			t.Fatal(err)
		}
		plane := soft.Gray()
		sum, most, n, low, high := 0.0, 0.0, 0, 1.0, 0.0
		for k, on := range u.Frame().Inside {
			if !on {
				continue
			}
			v := float64(plain.Gray()[k])
			e := math.Abs(float64(plane[k]) - v)
			sum, most, n = sum+e, max(most, e), n+1
			low, high = min(low, v), max(high, v)
		}
		t.Logf("radius %g m: %.4f in the mean, %.4f at most, of %.2f to %.2f", radius, sum/float64(n), most, low, high)
		if sum/float64(n) > 0.01 || most > 0.05 {
			t.Errorf("with a radius of %g m it is %.4f beside it in the mean, %.4f at most", radius, sum/float64(n), most)
		}
	}
}
