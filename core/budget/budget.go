// Package budget holds the memory of a process under one bound: what decodes, imports,
// bakes or draws large things takes its bytes first, and waits until there are as many. What
// caches make room meanwhile.
package budget

import (
	"context"
	"fmt"
	"sync"
	"sync/atomic"
)

// Budget is a number of bytes that is shared. The zero value has no bound.
type Budget struct {
	mu      sync.Mutex
	total   int64
	held    int64
	taken   atomic.Int64 // held, for those who do not have the lock
	waiting []*waiter
	yields  func(held int64)
	// beside is a budget out of the same memory. What is taken here waits for it, too, as
	// long as others hold something here: so whoever holds some of it gets on.
	beside *Budget
}

type waiter struct {
	n     int64
	ready chan struct{}
}

// Memory is the budget of this process for what is decoded and read: it is held for a moment.
// Work is that for what is worked on for long, and decodes pictures meanwhile: bakes,
// deliveries, stamps. Who holds of Work may take of Memory, never the other way round.
var (
	Memory = &Budget{beside: Work}
	Work   = &Budget{}
)

// Share bounds both to total bytes together, Work to less than half of them; 0: no bound. yields, when
// it is not nil, is told what is held of both each time that changes: what caches gives up
// as much.
func Share(total int64, yields func(held int64)) {
	tell := func(int64) {}
	if yields != nil {
		tell = func(int64) { yields(Memory.taken.Load() + Work.taken.Load()) }
	}
	Work.Set(total*3/8, func(held int64) {
		tell(held)
		Memory.mu.Lock() // who waits there may have room now
		defer Memory.mu.Unlock()
		Memory.serve()
	})
	Memory.Set(total, tell)
}

// Set bounds the budget to total bytes; 0: no bound. yields, when it is not nil, is told
// what is held each time that changes: what caches gives up as much.
func (b *Budget) Set(total int64, yields func(held int64)) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.total, b.yields = total, yields
	b.serve()
}

// Take takes n bytes, in the order of asking, and returns what gives them back. Its errors
// are that what needs so much can never have it, with what says what it is, and the
// context's. It does not nest: who holds some and waits for more may wait for himself.
func (b *Budget) Take(ctx context.Context, what string, n int64) (release func(), err error) {
	b.mu.Lock()
	if b.total > 0 && n > b.total {
		b.mu.Unlock()
		return nil, fmt.Errorf(
			"%s needs about %d MiB of memory, and %d are there for it; make it smaller, or start the server with a larger --memory",
			what,
			n>>20,
			b.total>>20,
		)
	}
	b.mu.Unlock()
	return b.wait(ctx, n)
}

// wait takes n bytes when there are as many, or nobody else holds any.
func (b *Budget) wait(ctx context.Context, n int64) (release func(), err error) {
	w := &waiter{n, make(chan struct{})}
	b.mu.Lock()
	b.waiting = append(b.waiting, w)
	b.serve()
	b.mu.Unlock()
	select {
	case <-w.ready:
	case <-ctx.Done():
		b.mu.Lock()
		defer b.mu.Unlock()
		select {
		case <-w.ready: // just now
			b.give(n)
		default:
			for i, o := range b.waiting {
				if o == w {
					b.waiting = append(b.waiting[:i:i], b.waiting[i+1:]...)
					break
				}
			}
			b.serve()
		}
		return nil, ctx.Err()
	}
	var once sync.Once
	return func() {
		once.Do(func() {
			b.mu.Lock()
			defer b.mu.Unlock()
			b.give(n)
		})
	}, nil
}

// Hold takes n bytes as Take does, but is not refused when that is more than there is: then
// it waits until nobody else holds any. It is for what cannot be done in smaller pieces. Its
// error is the context's.
func (b *Budget) Hold(ctx context.Context, n int64) (release func(), err error) {
	return b.wait(ctx, n)
}

// Total returns the bound, 0: none.
func (b *Budget) Total() int64 {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.total
}

// Held returns the bytes that are taken.
func (b *Budget) Held() int64 {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.held
}

func (b *Budget) give(n int64) {
	b.held -= n
	b.told()
	b.serve()
}

// serve lets those who wait have their bytes, as long as there are enough for the first.
func (b *Budget) serve() {
	for len(b.waiting) > 0 && b.room(b.waiting[0].n) {
		w := b.waiting[0]
		b.waiting = b.waiting[1:]
		b.held += w.n
		b.told()
		close(w.ready)
	}
}

// room reports whether there are n bytes now.
func (b *Budget) room(n int64) bool {
	if b.total <= 0 || b.held == 0 {
		return true // Take has refused what is more than there is at all
	}
	beside := int64(0)
	if b.beside != nil {
		beside = b.beside.taken.Load()
	}
	return b.held+beside+n <= b.total
}

func (b *Budget) told() {
	b.taken.Store(b.held)
	if b.yields != nil {
		b.yields(b.held)
	}
}
