package par

import "runtime"

// Parts calls f for parts of 0..n that together are all of it, side by side; least is how many
// are worth a part of their own.
func Parts(n, least int, f func(from, to int)) {
	parts := min(runtime.GOMAXPROCS(0), n/max(least, 1))
	if parts <= 1 {
		if n > 0 {
			f(0, n)
		}
		return
	}
	var all All
	for i := range parts {
		all.Go(func() { f(i*n/parts, (i+1)*n/parts) })
	}
	all.Wait()
}
