package api

import (
	"context"
	"slices"
	"sync"
	"testing"
	"time"
)

// Who keeps something does not wait behind the pictures of a shelf; who gives up is in nobody's way.
func TestWhoIsWaitedForComesFirst(t *testing.T) {
	var g gate
	ctx := context.Background()
	if err := g.enter(ctx, false); err != nil {
		t.Fatal(err)
	}
	var mu sync.Mutex
	var order []string
	var all sync.WaitGroup
	waiting := func() int {
		g.mu.Lock()
		defer g.mu.Unlock()
		return len(g.waiting[0]) + len(g.waiting[1])
	}
	come := func(name string, ctx context.Context, first bool) {
		n := waiting()
		all.Go(func() {
			if g.enter(ctx, first) != nil {
				return
			}
			mu.Lock()
			order = append(order, name)
			mu.Unlock()
			g.leave()
		})
		for end := time.Now().Add(time.Minute); waiting() == n && time.Now().Before(end); time.Sleep(time.Millisecond) {
		}
	}
	gone, leave := context.WithCancel(ctx)
	come("shelf 1", ctx, false)
	come("gone", gone, true)
	come("shelf 2", ctx, false)
	come("kept", ctx, true)
	leave()
	for end := time.Now().Add(time.Minute); waiting() > 3 && time.Now().Before(end); time.Sleep(time.Millisecond) {
	}
	g.leave()
	all.Wait()
	if want := []string{"kept", "shelf 1", "shelf 2"}; !slices.Equal(order, want) {
		t.Errorf("they came in the order %v, want %v", order, want)
	}
	// it is open again, and not to who has given up
	if g.enter(gone, true) == nil {
		t.Error("who had given up entered")
	}
	if err := g.enter(ctx, false); err != nil {
		t.Error(err)
	}
	g.leave()
	if g.busy {
		t.Error("it is not open any more")
	}
}
