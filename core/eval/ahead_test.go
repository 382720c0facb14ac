package eval

import (
	"context"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// missed is how often the cache was asked for something that it did not have.
func missed(c *cache.Cache) int { _, _, m := c.Stats(); return m }

// A stroke that enters a tile which was made ready finds everything below and above its
// layer, in groups too, and shows what it shows without that.
func TestReadyTilesHoldWhatAStrokeNeeds(t *testing.T) {
	noise := func(id string, seed float64) []*stack.Step {
		return []*stack.Step{{ID: id, Kind: "noise", On: true, Amount: 1, Params: map[string]any{"seed": seed, "frequency": 9.0}}}
	}
	coat := func(id string, seed float64, v float32) *stack.Layer {
		return &stack.Layer{ID: id, Name: id, Kind: stack.Fill, Visible: true, Amount: 0.8, Mask: noise(id+"n", seed),
			Channels: map[stack.Channel]stack.Coat{stack.Roughness: {On: true, Value: []float32{v}, Amount: 1}}}
	}
	st := &brush.Stroke{ID: "s", Radius: 0.02, Strength: 1, Hardness: 0.5, Values: map[string][]float32{"roughness": {1}}}
	for _, a := range []float32{0, 0.01} {
		st.Points = append(st.Points, brush.Point{Pos: geom.V3(a, 0.3, 0.119), Nrm: geom.V3(0, 0, 1), Pressure: 1})
	}
	for _, where := range []string{"stack", "group", "isolated group"} {
		d := stack.New([]string{"Cast iron"}, 512)
		paint := &stack.Layer{ID: "paint", Name: "Paint", Kind: stack.Paint, Visible: true, Amount: 1,
			Channels: map[stack.Channel]stack.Coat{stack.Roughness: {On: true, Amount: 1}}}
		d.Layers = []*stack.Layer{coat("a", 1, 0.2), coat("b", 2, 0.9), paint, coat("c", 3, 0.4)}
		if where != "stack" {
			d.Layers = []*stack.Layer{coat("base", 7, 0.3), {ID: "g", Name: "g", Kind: stack.Group, Visible: true, Amount: 1, Isolated: where != "group", Layers: d.Layers}, coat("top", 8, 0.5)}
		}
		painted, _, _, err := step.Rules.Apply(d, stack.AddStroke{Target: "paint", StrokeID: "s", Stroke: st, Index: -1})
		if err != nil {
			t.Fatal(err)
		}
		ctx := context.Background()
		run := func(ready bool) (misses int, v float32) {
			sc := NewScene(sample.Bollard(), cache.New(256<<20))
			before := Compile(sc, d, "paint", "")
			tiles := sc.Near(t.Context(), surface.Tiles(0, 512), Pen{At: st.Points[0].Pos, Radius: 0.02})
			if len(tiles) == 0 {
				t.Fatal("no tile is near the stroke")
			}
			for _, tile := range surface.Tiles(0, 512) { // shown before, but with another layer under edit
				if _, err := Compile(sc, d, "", "").Channel(ctx, sc.OnTile(tile), stack.Roughness); err != nil {
					t.Fatal(err)
				}
			}
			if ready {
				for _, tile := range tiles {
					if err := before.Ready(ctx, sc.OnTile(tile), stack.Roughness); err != nil {
						t.Fatal(err)
					}
				}
			}
			after := Compile(sc, painted, "paint", "s")
			was := missed(sc.Cache)
			ran := 0
			for _, tile := range tiles {
				u := sc.OnTile(tile)
				if !u.Touches(st, st.Content(), 0, false) {
					continue
				}
				ran++
				p, err := after.Channel(ctx, u, stack.Roughness)
				if err != nil {
					t.Fatal(err)
				}
				for i, tri := range u.Frame().Tri {
					if tri >= 0 {
						v += p[0].At(i)
					}
				}
			}
			if ran == 0 {
				t.Fatal("the stroke touches none of the tiles near it")
			}
			return (missed(sc.Cache) - was) / ran, v
		}
		cold, a := run(false)
		warm, b := run(true)
		if a != b {
			t.Errorf("%s: what was made ready changes what is shown: %v, %v", where, a, b)
		}
		if warm >= cold {
			t.Errorf("%s: %d lookups a tile miss with what was made ready, %d without", where, warm, cold)
		}
	}
}

// Near lists what the pen's way comes close to, the nearest first, and nothing on the
// far side of the model.
func TestTilesNearAPen(t *testing.T) {
	sc := NewScene(sample.Bollard(), cache.New(64<<20))
	all := surface.Tiles(0, 1024)
	at := geom.V3(0, 0.3, 0.119)
	here := sc.Near(t.Context(), all, Pen{At: at, Radius: 0.01})
	if len(here) == 0 || len(here) == len(all) {
		t.Fatalf("%d of %d tiles are near a pen", len(here), len(all))
	}
	ahead := sc.Near(t.Context(), all, Pen{At: at, Goes: geom.V3(0, 0.15, 0), Radius: 0.01})
	if len(ahead) <= len(here) {
		t.Errorf("%d tiles on the pen's way, %d at its place", len(ahead), len(here))
	}
	last := float32(-1)
	for _, tile := range ahead {
		d := sc.OnTile(tile).Bounds().Away(at)
		if d.Dot(d) < last {
			t.Error("the tiles are not in the order of their distance")
		}
		last = d.Dot(d)
	}
}
