package live

import "testing"

// Caches give way when too much lives, and get it back when there is room; what the budget holds
// counts beside it.
func TestCachesGiveWayToWhatLives(t *testing.T) {
	var yielded []int
	r := &relief{yield: func(b int) { yielded = append(yielded, b) }}
	last := func() int { return yielded[len(yielded)-1] }
	r.look(700, 1000)
	if yielded != nil {
		t.Fatalf("with room they yield %v", yielded)
	}
	r.look(900, 1000)
	if last() != 140 {
		t.Errorf("near the bound they yield %d", last())
	}
	r.held = 50
	r.look(840, 1000) // still too much
	if last() != 140+80+50 {
		t.Errorf("then %d", last())
	}
	n := len(yielded)
	r.look(700, 1000)
	if len(yielded) != n {
		t.Errorf("between the two marks it is %v", yielded)
	}
	r.look(500, 1000)
	if last() != 100+50 {
		t.Errorf("with room again %d", last())
	}
	for range 5 {
		r.look(100, 1000)
	}
	if last() != 50 || r.extra != 0 {
		t.Errorf("at last %d", last())
	}
	for range 20 {
		r.look(2000, 1000)
	}
	if r.extra != 500 {
		t.Errorf("at most half of the bound is given up, not %d", r.extra)
	}
}
