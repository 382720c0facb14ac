package jobs

import (
	"context"
	"fmt"
	"log"
	"strings"
	"time"

	"velvetgrime/core/par"
	"velvetgrime/internal/build"
	"velvetgrime/internal/store"
)

// Clearing away begins a while after the start, so that it meets nobody who opens his
// project, and is done again now and then.
const (
	clearFirst = 5 * time.Minute
	clearEvery = 6 * time.Hour
)

// clearAway clears away what nothing reaches any more until the context ends.
func (r *Runner) clearAway(ctx context.Context) {
	for wait := clearFirst; ; wait = clearEvery {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
		err := par.Contain(func() error {
			gone, err := r.store.Clear(ctx, store.Usual, build.Sum(), false)
			if len(gone) > 0 {
				log.Printf("cleared away: %s", Sum(gone))
			}
			return err
		})
		if err != nil && ctx.Err() == nil {
			log.Printf("what nothing reaches could not be cleared away: %v", err)
		}
	}
}

// Sum tells in one line what was cleared away: how many of each, and their bytes.
func Sum(gone []store.Gone) string {
	type sum struct {
		n     int
		bytes int64
	}
	var order []string
	all := map[string]*sum{}
	for _, g := range gone {
		if all[g.What] == nil {
			all[g.What] = &sum{}
			order = append(order, g.What)
		}
		all[g.What].n++
		all[g.What].bytes += g.Bytes
	}
	var out []string
	for _, w := range order {
		out = append(out, fmt.Sprintf("%s: %d, %.1f MiB", w, all[w].n, float64(all[w].bytes)/(1<<20)))
	}
	return strings.Join(out, "; ")
}
