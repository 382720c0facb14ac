package live

import (
	"slices"
	"sync"

	"velvetgrime/core/eval"
)

// failing is what could not be carried out in the tiles that a page has, so that each
// failure is told once, and when it is gone.
type failing struct {
	mu   sync.Mutex
	of   map[slot][]eval.Failure
	told []eval.Failure
}

// note takes down what failed in a slot; nothing when nothing did.
func (f *failing) note(s slot, list []eval.Failure) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if len(list) == 0 {
		delete(f.of, s)
		return
	}
	if f.of == nil {
		f.of = map[slot][]eval.Failure{}
	}
	f.of[s] = list
}

// tell sends the page all that fails now, when that is something else than before. A
// failure of tiles that the page no longer holds at that size counts as gone.
func (f *failing) tell(u *pusher) {
	f.mu.Lock()
	now := []eval.Failure{}
	for s, list := range f.of {
		if _, there := u.keys[s]; !there {
			delete(f.of, s)
			continue
		}
		for _, x := range list {
			if !slices.Contains(now, x) {
				now = append(now, x)
			}
		}
	}
	slices.SortFunc(now, eval.Failure.Compare)
	changed := !slices.Equal(now, f.told)
	f.told = now
	f.mu.Unlock()
	if changed {
		u.v.post(Failures{"failures", now})
	}
}
