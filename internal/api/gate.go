package api

import (
	"context"
	"slices"
	"sync"
)

// gate lets one at a time through, in the order in which they come, but those that somebody waits
// for before the others. The zero value is open.
type gate struct {
	mu      sync.Mutex
	busy    bool
	waiting [2][]chan struct{} // those that come first, and the others
}

// enter waits for the gate; its error is the context's. Who entered leaves.
func (g *gate) enter(ctx context.Context, first bool) error {
	g.mu.Lock()
	if err := ctx.Err(); err != nil || !g.busy {
		g.busy = g.busy || err == nil
		g.mu.Unlock()
		return err
	}
	k := 1
	if first {
		k = 0
	}
	turn := make(chan struct{})
	g.waiting[k] = append(g.waiting[k], turn)
	g.mu.Unlock()
	select {
	case <-turn:
		return nil
	case <-ctx.Done():
	}
	g.mu.Lock()
	i := slices.Index(g.waiting[k], turn)
	if i >= 0 {
		g.waiting[k] = slices.Delete(g.waiting[k], i, i+1)
	}
	g.mu.Unlock()
	if i < 0 { // it was his turn just now
		g.leave()
	}
	return ctx.Err()
}

func (g *gate) leave() {
	g.mu.Lock()
	defer g.mu.Unlock()
	for k := range g.waiting {
		if len(g.waiting[k]) > 0 {
			close(g.waiting[k][0])
			g.waiting[k] = g.waiting[k][1:]
			return
		}
	}
	g.busy = false
}
