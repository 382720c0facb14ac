package par

import (
	"context"
	"errors"
	"testing"
)

// Work that gives way waits at each turn, also in contexts made from its own; other work
// hears of its context alone.
func TestTurns(t *testing.T) {
	asked, gone := 0, errors.New("gone")
	var answer error
	ctx, cancel := context.WithCancel(Yielding(t.Context(), func(context.Context) error { asked++; return answer }))
	if err := Turn(ctx); err != nil || asked != 1 {
		t.Errorf("a turn: %v, asked %d times", err, asked)
	}
	if answer = gone; Turn(ctx) != gone {
		t.Error("what ends the waiting does not end the work")
	}
	answer = nil
	cancel()
	if err := Turn(ctx); !errors.Is(err, context.Canceled) {
		t.Errorf("a context that has ended gives %v", err)
	}
	if err := Turn(t.Context()); err != nil {
		t.Errorf("work that does not give way: %v", err)
	}
}
