// Package par runs work side by side so that a mistake in it stays where it can be
// contained: a panic of one piece is met by who waits for all, and never ends the process.
package par

import (
	"context"
	"fmt"
	"runtime/debug"
	"sync"

	"golang.org/x/sync/errgroup"
)

// Panic is the error of a piece of work that panicked.
type Panic struct {
	Value any
	Stack []byte
}

// Error implements error.
func (p *Panic) Error() string { return fmt.Sprintf("a mistake of ours: %v", p.Value) }

// Contain runs f and returns its error, or a *Panic when it panicked.
func Contain(f func() error) (err error) {
	defer func() {
		if e := recover(); e != nil {
			if p, ok := e.(*Panic); ok {
				err = p
				return
			}
			err = &Panic{e, debug.Stack()}
		}
	}()
	return f()
}

// Group is work side by side of which the first error, or panic, ends the others' context.
type Group struct{ g *errgroup.Group }

// WithContext returns a group and a context that ends with its first error.
func WithContext(ctx context.Context) (*Group, context.Context) {
	g, ctx := errgroup.WithContext(ctx)
	return &Group{g}, ctx
}

// SetLimit bounds how many pieces run at once.
func (g *Group) SetLimit(n int) { g.g.SetLimit(n) }

// Go runs f as soon as the limit allows.
func (g *Group) Go(f func() error) { g.g.Go(func() error { return Contain(f) }) }

// Wait waits for all and returns the first error; a piece that panicked gives a *Panic.
func (g *Group) Wait() error { return g.g.Wait() }

// All is work without errors. A panic of a piece is raised again by Wait, so that who
// contains the caller contains the piece. The zero value is ready.
type All struct {
	wait  sync.WaitGroup
	mu    sync.Mutex
	first error
}

// Go runs f beside the caller.
func (a *All) Go(f func()) {
	a.wait.Go(func() {
		if err := Contain(func() error { f(); return nil }); err != nil {
			a.mu.Lock()
			defer a.mu.Unlock()
			if a.first == nil {
				a.first = err
			}
		}
	})
}

// Wait waits for all pieces.
func (a *All) Wait() {
	a.wait.Wait()
	if a.first != nil {
		panic(a.first)
	}
}
