package par

import "context"

type turnKey struct{}

// Yielding returns a context whose work gives way: wherever it asks for its Turn it waits
// until wait returns, whose error ends it.
func Yielding(ctx context.Context, wait func(ctx context.Context) error) context.Context {
	return context.WithValue(ctx, turnKey{}, wait)
}

// Turn returns the context's error; work that gives way waits here, first, until nobody has
// to be let by. Long computations ask it about every few milliseconds.
func Turn(ctx context.Context) error {
	if wait, ok := ctx.Value(turnKey{}).(func(ctx context.Context) error); ok {
		if err := wait(ctx); err != nil {
			return err
		}
	}
	return ctx.Err()
}
