package eval

import (
	"cmp"
	"context"
	"sync"

	"velvetgrime/core/cache"
	"velvetgrime/core/par"
	"velvetgrime/core/surface"
)

// Failure is a step or a layer that could not be carried out.
type Failure struct {
	Layer string `json:"layer"`
	Step  string `json:"step,omitempty"` // empty: the layer itself
	Why   string `json:"why"`
}

// Compare puts failures into an order.
func (f Failure) Compare(o Failure) int {
	return cmp.Or(cmp.Compare(f.Layer, o.Layer), cmp.Compare(f.Step, o.Step), cmp.Compare(f.Why, o.Why))
}

// Failures collects what was passed over in an evaluation. It is safe for many goroutines.
type Failures struct {
	mu   sync.Mutex
	list []Failure
	gone map[Failure]bool
}

type failuresKey struct{}

// PassOver returns a context in which what fails is passed over: a step that fails gives
// what came before it, a layer that fails lays nothing, and the rest is evaluated. What was
// passed over is collected, and nothing that came after it is kept. Without it an
// evaluation ends with the first failure.
func PassOver(ctx context.Context) (context.Context, *Failures) {
	f := &Failures{gone: map[Failure]bool{}}
	return context.WithValue(ctx, failuresKey{}, f), f
}

// List returns what was passed over, each once, in the order in which it was met.
func (f *Failures) List() []Failure {
	if f == nil {
		return nil
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	return append([]Failure(nil), f.list...)
}

func failures(ctx context.Context) *Failures {
	f, _ := ctx.Value(failuresKey{}).(*Failures)
	return f
}

// passed notes a failure and returns nil where failures are passed over; else it returns
// the error, and always when the context has ended.
func passed(ctx context.Context, layer, step string, err error) error {
	f := failures(ctx)
	if f == nil || ctx.Err() != nil {
		return err
	}
	x := Failure{layer, step, err.Error()}
	f.mu.Lock()
	defer f.mu.Unlock()
	if !f.gone[x] {
		f.gone[x] = true
		f.list = append(f.list, x)
	}
	return nil
}

// complete reports whether nothing was passed over so far: only then a value may be kept.
func complete(ctx context.Context) bool {
	f := failures(ctx)
	if f == nil {
		return true
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	return len(f.list) == 0
}

// once returns what is kept under a key or finds it; who else asks for it meanwhile waits for
// it instead of finding it, too.
func once[V cache.Sized](ctx context.Context, s *Scene, k Key, find func() (V, error)) (V, error) {
	return cache.Once(ctx, s.Cache, k, func() (V, bool, error) {
		v, err := find()
		return v, complete(ctx), err
	})
}

// put keeps a value in the scene's cache unless something was passed over.
func (s *Scene) put(ctx context.Context, k Key, v cache.Sized) {
	if complete(ctx) {
		s.Cache.Put(k, v)
	}
}

// putOn keeps what was found on the way of a surface unless something was passed over.
func putOn(ctx context.Context, u *surface.Surface, k Key, v cache.Sized) {
	if complete(ctx) {
		u.Put(k, v)
	}
}

// contained turns a panic of f into its error: a mistake of ours in one step costs that
// step, not the evaluation.
func contained(f func() error) error { return par.Contain(f) }
