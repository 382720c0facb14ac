package live

import (
	"errors"
	"testing"
)

// refusedDeed is a deed that is refused, after which the picture and the project may be others.
type refusedDeed struct{ Head }

func (r *refusedDeed) do(*viewer) (outcome, error) { return project, errors.New("no") }

// An answer goes before anything is shown that came of it: "settled" that goes up to a request
// must not overtake the answer to it.
func TestAnAnswerGoesFirst(t *testing.T) {
	_, hub, id := through(t)
	s, err := hub.Open(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	v := &viewer{s: s, woken: make(chan struct{}, 1), posts: make(chan any)} // nobody takes a post
	v.docs.woken = make(chan struct{}, 1)
	posts, shown := 0, int64(-1)
	v.end = func() { // so each one ends here
		posts, shown = posts+1, v.done.Load()
	}
	if err := s.do(func() { s.viewers[v] = true }); err != nil {
		t.Fatal(err)
	}
	if err := v.carryOut(t.Context(), &refusedDeed{Head{T: "op", ID: 1, N: 4}}); err != nil {
		t.Fatal(err)
	}
	if posts != 1 || shown != 0 || v.done.Load() != 4 {
		t.Errorf("%d answers; up to %d was shown at it, and %d afterwards; 1, 0 and 4 are right", posts, shown, v.done.Load())
	}
}
