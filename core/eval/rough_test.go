package eval

import (
	"math"
	"testing"

	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// A first look at a large sheet finds growths roughly: as much of them, at the same places, give or take
// what a quarter of the points tells less. Whatever else there is is the same to the bit, and so is what is
// no first look.
func TestAFirstLookIsRoughlyTheSame(t *testing.T) {
	b := newBench(t, sample.Bollard(), 128)
	b.shared = surface.NewScene(b.m, nil) // all of the ground's points
	first := surface.Tile{Size: FirstLook}
	for name, s := range map[string]*stack.Step{
		"from joints": st("creep", map[string]any{"from": "joints", "rate": 0.03}),
		"at random":   st("creep", map[string]any{"from": "at random", "rate": 0.02, "much": 0.7}),
		"none":        st("tide", nil),
	} {
		d := b.around(s)
		for sheet, v := range d.Sheets {
			v.Size = 1024
			d.Sheets[sheet] = v
		}
		d.Layers[2].Mask = d.Layers[2].Mask[1:]
		scene := b.scene()
		p := Compile(scene, d, "", "")
		if p.For(surface.Tile{Size: 2 * FirstLook}) != p || p.For(first) == p || p.For(first).For(first) != p.For(first) {
			t.Fatal("what is a first look, and what not, is mixed up")
		}
		rough, err := p.For(first).Mask(t.Context(), scene.OnTile(first), "top")
		if err != nil {
			t.Fatal(err)
		}
		whole, err := p.Mask(t.Context(), scene.OnTile(first), "top")
		if err != nil {
			t.Fatal(err)
		}
		var a, c, apart, n float64
		for i, tri := range scene.OnTile(first).Frame().Tri {
			if tri >= 0 {
				x, y := float64(rough.At(i)), float64(whole.At(i))
				a, c, apart, n = a+x, c+y, apart+math.Abs(x-y), n+1
			}
		}
		switch {
		case name == "none" && apart != 0:
			t.Errorf("what does not grow is apart by %.4f on average", apart/n)
		case name != "none" && (apart == 0 || a < 0.92*c || a > 1.08*c || apart > 0.35*c):
			t.Errorf("%s: at first look %.3f of the surface, in the end %.3f, apart by %.3f", name, a/n, c/n, apart/n)
		}
	}
	small := b.around(st("creep", nil))
	if p := Compile(b.scene(), small, "", ""); p.For(first) != p {
		t.Error("of a sheet that is hardly larger a first look is rough")
	}
}
