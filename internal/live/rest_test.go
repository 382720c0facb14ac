package live

import (
	"context"
	"errors"
	"testing"
	"time"

	"velvetgrime/core/budget"
)

// What nobody waits for comes after what somebody waits for: work that nobody ordered waits
// while a page has nothing to show, pictures of steps while tiles are made; both hear the context.
func TestWhatNobodyWaitsForWaits(t *testing.T) {
	h := &Hub{}
	for _, c := range []struct {
		name  string
		begin func()
		end   func()
		wait  func(ctx context.Context) error
	}{
		{"a page with nothing to show", func() { h.bare.Add(1) }, func() { h.bare.Add(-1) }, h.First},
		{"a page whose tiles are made", func() { h.drawing.Add(1) }, func() { h.drawing.Add(-1) }, h.Rest},
	} {
		if err := c.wait(t.Context()); err != nil {
			t.Fatalf("%s: at rest: %v", c.name, err)
		}
		c.begin()
		ctx, cancel := context.WithCancel(t.Context())
		done := make(chan error, 1)
		go func() { done <- c.wait(ctx) }()
		select {
		case err := <-done:
			t.Fatalf("%s: it did not wait: %v", c.name, err)
		case <-time.After(300 * time.Millisecond):
		}
		cancel()
		if err := <-done; !errors.Is(err, context.Canceled) {
			t.Errorf("%s: who is stopped while he waits gets %v", c.name, err)
		}
		go func() { done <- c.wait(t.Context()) }()
		c.end()
		if err := <-done; err != nil {
			t.Errorf("%s: after it: %v", c.name, err)
		}
	}
}

// A bake that nobody waits for holds its bytes while it rests: who rests does not wait for them.
func TestWhoRestsWithBytesDoesNotWaitForHimself(t *testing.T) {
	budget.Memory.Share(512<<20, nil)
	defer budget.Memory.Share(0, nil)
	release, err := budget.Memory.Hold(t.Context(), 64<<20)
	if err != nil {
		t.Fatal(err)
	}
	defer release()
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second) // met by a hang alone
	defer cancel()
	if err := (&Hub{}).Rest(ctx); err != nil {
		t.Error(err)
	}
}

// A picture of a line-up waits for the others of its own project that have nothing to show, not for those of other
// projects; a page that is no such picture waits for none.
func TestALineUpWaitsForItsOwn(t *testing.T) {
	h := &Hub{}
	ended, end := context.WithCancel(t.Context())
	end() // who would wait comes back with false
	for _, c := range []struct {
		name         string
		aside        bool
		own, another int32
		goesOn       bool
	}{
		{"nobody", true, 0, 0, true},
		{"another project's", true, 0, 2, true},
		{"its own", true, 1, 0, false},
		{"its own, as a page", false, 1, 0, true},
	} {
		s, other := &Session{hub: h}, &Session{hub: h}
		s.bare.Store(c.own)
		other.bare.Store(c.another)
		h.bare.Store(c.own + c.another)
		u := &pusher{v: &viewer{s: s, aside: c.aside}}
		if got := u.siblings(ended); got != c.goesOn {
			t.Errorf("while %s has nothing to show it goes on: %v", c.name, got)
		}
	}
}
