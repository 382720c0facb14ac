package live

import (
	"errors"
	"testing"

	"velvetgrime/core/budget"
	"velvetgrime/core/cache"
)

type weight int

func (w weight) Bytes() int { return int(w) }

// What is drawn beside the projects takes its bytes from the budget, keeps what it evaluated
// for the next picture, and gives it up as soon as other work goes on.
func TestWhatIsDrawnBesideIsGivenUp(t *testing.T) {
	hub := NewHub(nil, 32<<20)
	hub.Transient = true
	defer hub.Close()
	budget.Memory.Share(512<<20, func(held int64) { hub.Yield(int(held)) })
	defer budget.Memory.Share(0, nil)
	draw := func(n uint64) (kept bool) {
		_, kept = hub.Beside.Get(cache.Key{Hi: 1})
		hub.Beside.Put(cache.Key{Hi: n}, weight(100))
		return kept
	}
	held := func() int { n, _, _ := hub.Beside.Stats(); return n }
	var kept bool
	one := func(n uint64, err error) error {
		return hub.DrawBeside(t.Context(), "a picture", func() error {
			if budget.Memory.Held() < besideRoom {
				t.Error("it takes nothing from the budget")
			}
			kept = draw(n)
			return err
		})
	}
	if err := one(1, nil); err != nil || held() != 100 {
		t.Fatal(err, held())
	}
	if err := one(2, nil); err != nil || !kept || held() != 200 {
		t.Errorf("%v; the second picture found what the first left: %v, %d bytes", err, kept, held())
	}
	release, err := budget.Memory.Hold(t.Context(), 64<<20)
	if err != nil {
		t.Fatal(err)
	}
	if held() != 0 {
		t.Errorf("%d bytes are held while work goes on", held())
	}
	no := errors.New("no")
	if err := one(3, no); err != no || held() != 0 {
		t.Errorf("%v; after a picture beside work %d bytes are held", err, held())
	}
	release()
	if budget.Memory.Held() != 0 {
		t.Error("the budget did not get its bytes back")
	}
}
