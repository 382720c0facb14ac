package deliver

import (
	"bytes"
	"fmt"
	"math"
	"strings"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/pix"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// Two layers that blend normally, baked to pictures, look as they did: in colours,
// in numbers, and in heights below and above nought.
func TestAMergedLayerLooksAsItsLayersDid(t *testing.T) {
	st := func(id string, p map[string]any) *stack.Step {
		return &stack.Step{ID: id, Kind: "noise", On: true, Amount: 1, Params: p}
	}
	coat := func(v ...float32) stack.Coat { return stack.Coat{On: true, Value: v, Blend: "normal", Amount: 1} }
	up := coat(0.001)
	up.Blend = "add"
	down := coat(-0.0007)
	down.Blend = "add"
	layer := func(id string, c map[stack.Channel]stack.Coat, seed float64) *stack.Layer {
		stream := []*stack.Step{st("n", map[string]any{"seed": seed, "amplitude": 2.0})}
		return &stack.Layer{ID: id, Name: id, Kind: stack.Fill, Visible: true, Amount: 0.9, Channels: c, Mask: stream}
	}
	m := sample.Bollard()
	d := stack.New([]string{"Cast iron"}, 256)
	ground := &stack.Layer{ID: "ground", Name: "ground", Kind: stack.Fill, Visible: true, Amount: 1, Channels: map[stack.Channel]stack.Coat{stack.BaseColor: coat(0.1, 0.2, 0.3)}}
	d.Layers = []*stack.Layer{ground,
		layer("a", map[stack.Channel]stack.Coat{stack.BaseColor: coat(0.9, 0.5, 0.1), stack.Height: up}, 1),
		layer("b", map[stack.Channel]stack.Coat{stack.BaseColor: coat(0.1, 0.8, 0.4), stack.Roughness: coat(0.2), stack.Height: down}, 2)}
	stored := map[string][]byte{}
	scene := eval.NewScene(m, cache.New(1<<28))
	scene.Picture = func(name string) (*pix.Picture, error) { return pix.DecodePicture(bytes.NewReader(stored[name])) }
	before := eval.Compile(scene, d, "", "")
	share := 0.0
	merged, err := Merge(t.Context(), before, []string{"a", "b"}, func(png []byte) (string, error) {
		name := fmt.Sprint("p", len(stored))
		stored[name] = png
		return name, nil
	}, func(s float64) {
		if s < share {
			t.Errorf("progress goes back from %v to %v", share, s)
		}
		share = s
	})
	if err != nil {
		t.Fatal(err)
	}
	if share != 1 || len(stored) != 3 || merged.Kind != stack.Picture {
		t.Fatalf("share %v, %d pictures, %s", share, len(stored), merged.Kind)
	}
	merged.ID = "m"
	after := *d
	after.Layers = []*stack.Layer{ground, merged}
	if err := step.Rules.Check(&after); err != nil {
		t.Fatal(err)
	}
	p := eval.Compile(scene, &after, "", "")
	for c, tolerance := range map[stack.Channel]float64{stack.BaseColor: 1e-3, stack.Roughness: 1e-3, stack.Height: 2e-6} {
		for _, tile := range surface.Tiles(0, 256) {
			u := scene.OnTile(tile)
			want, err := before.Channel(t.Context(), u, c)
			if err != nil {
				t.Fatal(err)
			}
			got, err := p.Channel(t.Context(), u, c)
			if err != nil {
				t.Fatal(err)
			}
			for i, in := range u.Frame().Inside {
				for k := range want {
					if d := math.Abs(float64(want[k].At(i) - got[k].At(i))); in && d > tolerance {
						t.Fatalf("%s: %v was %v at texel %d of %+v", c, got[k].At(i), want[k].At(i), i, tile)
					}
				}
			}
		}
	}
	if notes := p.Notes(); len(notes) != 0 {
		t.Errorf("notes at its own size: %v", notes)
	}
	after.Sheets = map[string]stack.SheetSize{"Cast iron": {Size: 1024}}
	// a picture may come with the model as well: it says what is so, and what helps either
	note := eval.Compile(scene, &after, "", "").Notes()["m"]
	for _, says := range []string{"Cast iron", "256 texels", "1024", "merge again", "larger picture"} {
		if !strings.Contains(note, says) {
			t.Errorf("at four times the size %q does not say %q", note, says)
		}
	}
}
