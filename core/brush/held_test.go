package brush

import (
	"encoding/json"
	"slices"
	"strings"
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

// What is said of a pen goes along point by point, is compared as far as it is said of both, and counts for what
// is drawn; a stroke of which a turned pen says nothing is what it was before pens were turned.
func TestATurnedPenGoesAlong(t *testing.T) {
	s := dabbed(Kit{Spacing: 5, Flow: 1}, 1)
	old := s.Content()
	s.Hold([]float32{0.2}, nil, []float32{0.75}, 0, 1)
	if s.Content() == old {
		t.Error("how a pen is turned does not count")
	}
	var o Stroke
	o.HoldAs(s, 0)
	o.HoldAs(s, 1) // of which nothing is said
	if !slices.Equal(o.Tilt, []float32{0.2}) || o.Lean != nil || !slices.Equal(o.Twist, []float32{0.75}) {
		t.Errorf("held %v, %v, %v", o.Tilt, o.Lean, o.Twist)
	}
	if !o.HeldAlike(s, 1) {
		t.Error("what was taken over is not alike")
	}
	if o.Twist[0] = 0.5; o.HeldAlike(s, 1) || !o.HeldAlike(s, 0) {
		t.Error("another turn is alike, or none is not")
	}
	var back Stroke
	b, _ := json.Marshal(s)
	if err := json.Unmarshal(b, &back); err != nil || !slices.Equal(back.Twist, s.Twist) {
		t.Errorf("read back: %v, %v", back.Twist, err)
	}
	if s.Unhold(); s.Content() != old || s.Twist != nil {
		t.Error("an unheld pen leaves something")
	}
	s.Twist = []float32{1.5}
	if err := s.Check(); err == nil || !strings.Contains(err.Error(), "turned") {
		t.Errorf("a turn of one and a half: %v", err)
	}
}
