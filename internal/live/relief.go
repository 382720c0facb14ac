package live

import (
	"context"
	"runtime/metrics"
	"sync"
	"time"
)

// relief keeps what lives on the heap away from the bound at which the collector runs without
// end: caches give up what else takes more than it should.
type relief struct {
	mu          sync.Mutex
	held, extra int64
	yield       func(bytes int)
}

// what shares of the bound may live, from where caches give up, and take back
const (
	liveMost  = 0.82
	liveGoal  = 0.76
	liveLeast = 0.62
)

// relieveEvery is how often the heap is looked at.
const relieveEvery = time.Second

// Relieve makes the hub's caches hold less by what the budget holds, of which the function that is
// returned is told, and by what lives beyond four fifths of limit, in bytes, until ctx ends.
func (h *Hub) Relieve(ctx context.Context, limit int64) (held func(bytes int64)) {
	r := &relief{yield: h.Yield}
	go func() {
		tick := time.NewTicker(relieveEvery)
		defer tick.Stop()
		sample := []metrics.Sample{{Name: "/gc/heap/live:bytes"}, {Name: "/gc/cycles/total:gc-cycles"}}
		cycles := uint64(0)
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
			}
			metrics.Read(sample)
			n := sample[1].Value.Uint64()
			if n == cycles {
				continue // what lives is known from the last collection
			}
			cycles = n
			r.look(int64(sample[0].Value.Uint64()), limit)
		}
	}()
	return func(bytes int64) {
		r.mu.Lock()
		defer r.mu.Unlock()
		r.held = bytes
		r.yield(int(r.held + r.extra))
	}
}

// look takes in how much lives.
func (r *relief) look(live, limit int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	was := r.extra
	switch share := float64(live) / float64(limit); {
	case share > liveMost:
		r.extra += live - int64(liveGoal*float64(limit))
	case share < liveLeast && r.extra > 0:
		r.extra -= min(r.extra, int64(liveLeast*float64(limit))-live)
	}
	r.extra = min(r.extra, limit/2)
	if r.extra != was {
		r.yield(int(r.held + r.extra))
	}
}
