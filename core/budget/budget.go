// Package budget holds the memory of a process under one bound: what decodes, imports,
// bakes or draws large things takes its bytes first, and waits until there are as many. What
// caches make room meanwhile.
package budget

import (
	"context"
	"fmt"
	"runtime/debug"
	"sync"
)

// Budget is a number of bytes that is shared by three kinds of holders. Pictures (Brief) are
// decoded for a moment, by anybody, and wait for nothing but each other. Models (Take) are
// read, and hold nothing else. Work (Hold) goes on for long, in turn, and decodes pictures
// meanwhile. So nobody waits for himself. The zero value has no bound.
type Budget struct {
	mu      sync.Mutex
	total   int64 // what is refused beyond
	room    int64 // what is given at once, together
	work    int64 // what of it work gets
	held    [kinds]int64
	waiting []*waiter
	yields  func(held int64)
}

type kind int

const (
	brief kind = iota
	model
	work
	kinds
)

type waiter struct {
	kind  kind
	n     int64
	ready chan struct{}
}

// large is what is given back to the system at once, in bytes.
const large = 32 << 20

// Memory is the budget of this process.
var Memory = &Budget{}

// Share bounds the process to total bytes; 0: no bound. Five eighths of it are given, since
// the rest is what the process itself and the least of its caches take; work gets three
// eighths. Only what is more than that by itself gets more, alone. yields, when it is not nil,
// is told what is held each time that changes: what caches gives up as much.
func (b *Budget) Share(total int64, yields func(held int64)) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.total, b.room, b.work, b.yields = total, total*5/8, total*3/8, yields
	b.serve()
}

// Take takes n bytes for reading a model, in the order of asking, and returns what gives them
// back. Its errors are that what needs so much can never have it, with what says what it is,
// and the context's.
func (b *Budget) Take(ctx context.Context, what string, n int64) (release func(), err error) {
	if err := b.possible(what, n); err != nil {
		return nil, err
	}
	return b.wait(ctx, model, n)
}

// Brief takes n bytes for a picture that is decoded, beside whatever work goes on. Its errors
// are those of Take.
func (b *Budget) Brief(ctx context.Context, what string, n int64) (release func(), err error) {
	if err := b.possible(what, n); err != nil {
		return nil, err
	}
	return b.wait(ctx, brief, n)
}

// Hold takes n bytes for work, in the order of asking. It is not refused when that is more
// than there is: then it waits until nobody else holds any. Its error is the context's.
func (b *Budget) Hold(ctx context.Context, n int64) (release func(), err error) {
	return b.wait(ctx, work, n)
}

func (b *Budget) possible(what string, n int64) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.total > 0 && n > b.total {
		return fmt.Errorf(
			"%s needs about %d MiB of memory, and %d are there for it; make it smaller, or start the server with a larger --memory",
			what,
			n>>20,
			b.total>>20,
		)
	}
	return nil
}

func (b *Budget) wait(ctx context.Context, k kind, n int64) (release func(), err error) {
	w := &waiter{k, n, make(chan struct{})}
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
			b.give(k, n)
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
			if n >= large {
				debug.FreeOSMemory() // before the next one takes as much: else both are there for a while
			}
			b.mu.Lock()
			defer b.mu.Unlock()
			b.give(k, n)
		})
	}, nil
}

// Work returns how many bytes work gets together, 0: no bound.
func (b *Budget) Work() int64 {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.work
}

// Held returns the bytes that are taken.
func (b *Budget) Held() int64 {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.all()
}

func (b *Budget) all() int64 { return b.held[brief] + b.held[model] + b.held[work] }

func (b *Budget) give(k kind, n int64) {
	b.held[k] -= n
	b.told()
	b.serve()
}

// serve lets those who wait have their bytes: pictures before all, the others in the order of
// asking, as long as there are enough for the first of them.
func (b *Budget) serve() {
	left := b.waiting[:0:0]
	blocked := [kinds]bool{}
	for _, w := range b.waiting {
		if w.kind == brief && !blocked[brief] {
			blocked[brief] = !b.let(w)
		}
		if w.kind != brief || blocked[brief] {
			left = append(left, w)
		}
	}
	b.waiting = left
	for i := 0; i < len(b.waiting); {
		w := b.waiting[i]
		if w.kind == brief {
			i++
			continue
		}
		if !b.let(w) {
			return
		}
		b.waiting = append(b.waiting[:i:i], b.waiting[i+1:]...)
	}
}

// let gives a waiter its bytes when there are as many now.
func (b *Budget) let(w *waiter) bool {
	if !b.has(w.kind, w.n) {
		return false
	}
	b.held[w.kind] += w.n
	b.told()
	close(w.ready)
	return true
}

func (b *Budget) has(k kind, n int64) bool {
	all := b.all()
	switch {
	case b.total <= 0 || all == 0:
		return true // what is more than there is at all has been refused, or comes alone
	case k == brief && b.held[brief]+b.held[model] == 0:
		return true // work may wait for it
	case k == work && b.held[work]+n > b.work:
		return false
	}
	return all+n <= b.room
}

func (b *Budget) told() {
	if b.yields != nil {
		b.yields(b.all())
	}
}
