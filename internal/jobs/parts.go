package jobs

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"velvetgrime/core/eval"
	"velvetgrime/internal/store"
)

// parts are the parts of a job that one worker is at, and others with it: each is claimed, made, and
// kept as a piece of the job, so that another try goes on with it.
type parts struct {
	r    *Runner
	job  string
	kind string // tells the names of their pieces apart from others
	by   uint64
	n    int
	// made makes one; what it returns is kept.
	make func(ctx context.Context, i int, tell func(float64)) ([]byte, error)
}

func (p *parts) name(i int) string  { return fmt.Sprintf("%s-%05d", p.kind, i) }
func (p *parts) claim(i int) string { return fmt.Sprintf("claim-%s-%05d", p.kind, i) }

// state is the name of the piece that tells of which state of a project a job's pieces are made.
const state = "state"

// begin goes on with what an earlier try of a job has made, when it was of the same state; fresh: there is
// nothing of it.
func (r *Runner) begin(ctx context.Context, job string, of *eval.Program) (fresh bool, err error) {
	now, err := stateOf(of)
	if err != nil {
		return false, err
	}
	was, err := r.store.Piece(ctx, job, state)
	if err == nil && string(was) == now {
		return false, nil
	}
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return false, err
	}
	names, err := r.store.Pieces(ctx, job)
	if err == nil && len(names) > 0 { // of another state: nothing of it is of use
		err = r.store.DropPieces(ctx, job, names...)
	}
	if err == nil {
		err = r.store.PutPiece(ctx, job, state, []byte(now))
	}
	return true, err
}

// ofState tells whether a job's pieces are of the state that a project has here: otherwise it has changed
// since, and what is made here would be of another one.
func (r *Runner) ofState(ctx context.Context, job string, of *eval.Program) (bool, error) {
	now, err := stateOf(of)
	if err != nil {
		return false, err
	}
	was, err := r.store.Piece(ctx, job, state)
	return err == nil && string(was) == now, err
}

// running tells whether a job is still worked at by the one that has it.
func (r *Runner) running(ctx context.Context, job string) (bool, error) {
	j, err := r.store.JobByID(ctx, job)
	return err == nil && j.State == "running", err
}

// part returns a part, made here or by another worker.
func (p *parts) part(ctx context.Context, i int, tell func(float64)) ([]byte, error) {
	for {
		data, err := p.r.store.Piece(ctx, p.job, p.name(i))
		if err == nil || !errors.Is(err, store.ErrNotFound) {
			return data, err
		}
		mine, err := p.r.store.Claim(ctx, p.job, p.claim(i), p.by, time.Now().Add(-lost))
		if err != nil {
			return nil, err
		}
		if mine {
			return p.keep(ctx, i, tell)
		}
		ahead, err := p.ahead(ctx, i+1) // another worker has it: one of the later ones is made meanwhile
		if err != nil {
			return nil, err
		}
		if !ahead {
			select {
			case <-ctx.Done():
				return nil, ctx.Err()
			case <-time.After(beat):
			}
		}
	}
}

// keep makes a part that was claimed, and keeps it.
func (p *parts) keep(ctx context.Context, i int, tell func(float64)) ([]byte, error) {
	of, stop := p.r.claimed(ctx, p.job, p.claim(i), p.by)
	defer stop()
	data, err := p.make(of, i, tell)
	if err == nil {
		err = p.r.store.PutPiece(ctx, p.job, p.name(i), data)
	}
	return data, err
}

// ahead makes the first part from i on that nobody has claimed; false: there is none.
func (p *parts) ahead(ctx context.Context, i int) (bool, error) {
	names, err := p.r.store.Pieces(ctx, p.job)
	if err != nil {
		return false, err
	}
	for ; i < p.n; i++ {
		if slices.Contains(names, p.name(i)) {
			continue
		}
		mine, err := p.r.store.Claim(ctx, p.job, p.claim(i), p.by, time.Now().Add(-lost))
		if err != nil {
			return false, err
		}
		if mine {
			_, err := p.keep(ctx, i, func(float64) {})
			return true, err
		}
	}
	return false, nil
}

// help makes parts of a job that another worker has, while that runs.
func (p *parts) help(ctx context.Context, of *eval.Program) error {
	if ok, err := p.r.ofState(ctx, p.job, of); !ok {
		return err
	}
	for {
		if on, err := p.r.running(ctx, p.job); !on {
			return err
		}
		more, err := p.ahead(ctx, 0)
		if err != nil || !more {
			return err
		}
	}
}
