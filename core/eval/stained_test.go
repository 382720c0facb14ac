package eval

import (
	"slices"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/flow"
	"velvetgrime/core/geom"
	"velvetgrime/core/sample"
	"velvetgrime/core/spatial"
	"velvetgrime/core/surface"
)

// Runs that are looked for in parts of a block, where many come near it, are those that are
// found by looking at each point alone.
func TestRunsInPartsOfABlockAreThoseOfEachPoint(t *testing.T) {
	m := sample.Bollard()
	s := NewScene(m, cache.New(64<<20))
	c, err := flow.NewCloud(t.Context(), m, 4000)
	if err != nil {
		t.Fatal(err)
	}
	var sources []flow.Source
	for i := 0; i < len(c.Pos); i += 9 { // from everywhere: many come near every block
		sources = append(sources, flow.Source{Pos: c.Pos[i], Tri: c.Tri[i], Amount: 1, Rank: float32(i%7) / 7})
	}
	tree, err := spatial.Build(t.Context(), m.Pos, m.Tri, nil)
	if err != nil {
		t.Fatal(err)
	}
	weather := flow.Weather{Down: geom.V3(0, -1, 0), Leave: 1, Length: 0.2}
	runs, err := flow.Trace(t.Context(), m, tree, weather, 0.004, sources)
	if err != nil {
		t.Fatal(err)
	}
	stains := flow.NewStains(runs, 0.004)
	look := &flow.Look{Width: 0.004, Age: 0.8, Leave: 1, Streaks: 0.7, Rim: 0.5, Ragged: 0.6, Seed: 3}
	for _, size := range []int{128, 1024} {
		found := 0
		for _, tile := range surface.Tiles(0, size)[:1] {
			f := s.OnTile(tile).Frame()
			got := make([][]flow.Mark, len(f.Pos))
			seen := make([]int, len(f.Pos))
			stained(f, stains, look, func(i int, near *flow.Stained) {
				seen[i]++
				got[i] = near.Marks(f.Pos[i], f.Nrm[i], f.Footprint, nil)
			})
			for i, tri := range f.Tri {
				if tri < 0 {
					continue
				}
				want := stains.Marks(look, f.Pos[i], f.Nrm[i], f.Footprint, nil)
				if seen[i] > 1 || !slices.Equal(got[i], want) {
					t.Fatalf("size %d, point %d, seen %d times: %v, alone %v", size, i, seen[i], got[i], want)
				}
				found += len(want)
			}
		}
		if found < 100 {
			t.Errorf("size %d: only %d marks were compared", size, found)
		}
	}
}
