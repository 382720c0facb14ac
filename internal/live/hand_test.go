package live

import (
	"slices"
	"testing"
)

// How a pen is held is kept as long as it is told of every point: a page that tells it of
// some points only, or begins to tell it later, leaves the row as it was.
func TestHowAPenIsHeldGrowsWithThePoints(t *testing.T) {
	row := grown(nil, []float32{0.1, 0.2}, 0, 2)
	row = grown(row, []float32{0.3}, 2, 1)
	if !slices.Equal(row, []float32{0.1, 0.2, 0.3}) {
		t.Fatalf("%v", row)
	}
	other := grown(row, []float32{0.4}, 3, 1)
	again := grown(row, []float32{0.5}, 3, 1)
	if other[3] != 0.4 || again[3] != 0.5 || len(row) != 3 {
		t.Errorf("two continuations share their memory: %v and %v", other, again)
	}
	for what, got := range map[string][]float32{
		"fewer than the points": grown(row, []float32{0.4}, 3, 2),
		"more than the points":  grown(row, []float32{0.4, 0.5}, 3, 1),
		"told of too late":      grown(nil, []float32{0.4}, 3, 1),
	} {
		if len(got) > 3 {
			t.Errorf("%s: %v", what, got)
		}
	}
}
