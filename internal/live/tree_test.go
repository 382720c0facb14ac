package live

import (
	"maps"
	"math/rand"
	"testing"

	"velvetgrime/internal/store"
)

// remembered is a ledger of two artists whose state is a set of changes, kept beside it: what
// was done, less what was undone, and all of another state after a jump.
type remembered struct {
	s      *Session
	states []map[int64]bool // after each entry
}

func (r *remembered) now() map[int64]bool {
	if len(r.states) == 0 {
		return map[int64]bool{}
	}
	return r.states[len(r.states)-1]
}

func (r *remembered) after(i int) map[int64]bool {
	if i < 0 {
		return map[int64]bool{}
	}
	return r.states[i]
}

func (r *remembered) add(actor, kind string, ref int64, state map[int64]bool) {
	seq := int64(len(r.states) + 1)
	state = maps.Clone(state)
	if kind == "do" {
		state[seq] = true
	}
	r.s.entries = append(r.s.entries, store.Entry{Seq: seq, Actor: actor, Kind: kind, Ref: ref})
	r.states = append(r.states, state)
}

// back does what undo and redo do: it takes the newest of the actor's list. It reports whether
// there was one, and none of another's work would go with it.
func (r *remembered) back(actor string, forward bool) bool {
	undo, redo := r.s.turn(actor)
	list, kind := undo, "undo"
	if forward {
		list, kind = redo, "redo"
	}
	if len(list) == 0 {
		return false
	}
	i := list[len(list)-1]
	e := r.s.entries[i]
	ref := e.Seq
	if e.Kind != "jump" && e.Ref != 0 {
		ref = e.Ref
	}
	state := maps.Clone(r.now())
	switch of := r.s.entries[ref-1]; {
	case of.Kind == "jump":
		for _, o := range r.s.entries[i+1:] {
			if o.Actor != actor {
				return false
			}
		}
		state = r.after(int(ref) - 2) // before the jump
		if forward {
			state = r.after(int(of.Ref) - 1)
		}
	case forward:
		state[ref] = true
	default:
		if !state[ref] {
			panic("what is to be undone is not there")
		}
		delete(state, ref)
	}
	r.add(actor, kind, ref, state)
	return true
}

// onLine is the state that the entries on the line to what is shown give, one after the other.
func (r *remembered) onLine() map[int64]bool {
	state := map[int64]bool{}
	for i, on := range r.s.line() {
		e := r.s.entries[i]
		ofJump := e.Ref > 0 && r.s.entries[e.Ref-1].Kind == "jump"
		switch {
		case !on || e.Kind == "jump" || ofJump:
		case e.Kind == "undo":
			delete(state, e.Ref)
		case e.Kind == "redo":
			state[e.Ref] = true
		default:
			state[e.Seq] = true
		}
	}
	return state
}

// Whatever two artists do, undo, redo and jump to: the line through the ledger leads to the
// state that is shown, what one may undo is there, and is one's own, and undoing a thing and
// redoing it changes nothing.
func TestTheLineLeadsToWhatIsShown(t *testing.T) {
	undone, redone, jumped := 0, 0, 0
	for seed := range int64(400) {
		rnd := rand.New(rand.NewSource(seed))
		r := &remembered{s: &Session{}}
		for range 40 {
			actor := []string{"ann", "bo"}[rnd.Intn(2)]
			switch n := len(r.states); rnd.Intn(6) {
			case 0, 1:
				r.add(actor, "do", 0, r.now())
			case 2, 3:
				before := r.now()
				if !r.back(actor, false) {
					continue
				}
				undone++
				if rnd.Intn(2) == 0 {
					if !r.back(actor, true) || !maps.Equal(r.now(), before) {
						t.Fatalf("seed %d, entry %d: undone and redone, %v became %v", seed, n, before, r.now())
					}
				}
			case 4:
				if r.back(actor, true) {
					redone++
				}
			default:
				to := int64(rnd.Intn(n + 1))
				r.add(actor, "jump", to, r.after(int(to)-1))
				jumped++
			}
			if got := r.onLine(); !maps.Equal(got, r.now()) {
				t.Fatalf("seed %d, entry %d (%+v): the line leads to %v, shown is %v", seed, len(r.states), r.s.entries[len(r.states)-1], got, r.now())
			}
			for _, who := range []string{"ann", "bo"} {
				undo, _ := r.s.turn(who)
				for _, i := range undo {
					e := r.s.entries[i]
					if e.Actor != who {
						t.Fatalf("seed %d: %s may undo what %s did", seed, who, e.Actor)
					}
					if of := max(e.Ref, 0); e.Kind == "do" && !r.now()[e.Seq] || e.Kind == "redo" && r.s.entries[of-1].Kind != "jump" && !r.now()[of] {
						t.Fatalf("seed %d, after entry %d: %s may undo entry %d (%s), which is not there: %v", seed, len(r.states), who, e.Seq, e.Kind, r.now())
					}
				}
			}
		}
	}
	if min(undone, redone, jumped) < 100 {
		t.Fatalf("%d undone, %d redone, %d jumps: that tries little", undone, redone, jumped)
	}
}
