package jobs

import (
	"context"
	"errors"
	"fmt"
	"time"

	"velvetgrime/core/eval"
	"velvetgrime/internal/store"
)

// parts are the parts of a job that one worker is at, and others with it: each is claimed, made, and
// kept as a piece of the job, so that another try goes on with it.
type parts struct {
	r   *Runner
	job string
	by  uint64
	n   int
	// made makes one; what it returns is kept.
	make func(ctx context.Context, i int, tell func(float64)) ([]byte, error)
}

// The name of the piece that tells of which state parts are made; the others are parts and claims.
const partsState = "state"

func partName(i int) string  { return fmt.Sprintf("unit-%05d", i) }
func partClaim(i int) string { return fmt.Sprintf("claim-%05d", i) }

// begin goes on with what an earlier try has made, when it was of the same state.
func (p *parts) begin(ctx context.Context, of *eval.Program) error {
	state, err := stateOf(of)
	if err != nil {
		return err
	}
	was, err := p.r.store.Piece(ctx, p.job, partsState)
	if err == nil && string(was) == state {
		return nil
	}
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	names, err := p.r.store.Pieces(ctx, p.job)
	if err == nil && len(names) > 0 { // of another state: nothing of it is of use
		err = p.r.store.DropPieces(ctx, p.job, names...)
	}
	if err == nil {
		err = p.r.store.PutPiece(ctx, p.job, partsState, []byte(state))
	}
	return err
}

// part returns a part, made here or by another worker.
func (p *parts) part(ctx context.Context, i int, tell func(float64)) ([]byte, error) {
	for {
		data, err := p.r.store.Piece(ctx, p.job, partName(i))
		if err == nil || !errors.Is(err, store.ErrNotFound) {
			return data, err
		}
		mine, err := p.r.store.Claim(ctx, p.job, partClaim(i), p.by, time.Now().Add(-lost))
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
	of, stop := p.r.claimed(ctx, p.job, partClaim(i), p.by)
	defer stop()
	data, err := p.make(of, i, tell)
	if err == nil {
		err = p.r.store.PutPiece(ctx, p.job, partName(i), data)
	}
	return data, err
}

// ahead makes the first part from i on that nobody has claimed; false: there is none.
func (p *parts) ahead(ctx context.Context, i int) (bool, error) {
	for ; i < p.n; i++ {
		if _, err := p.r.store.Piece(ctx, p.job, partName(i)); err == nil {
			continue
		}
		mine, err := p.r.store.Claim(ctx, p.job, partClaim(i), p.by, time.Now().Add(-lost))
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
	state, err := stateOf(of)
	if err != nil {
		return err
	}
	was, err := p.r.store.Piece(ctx, p.job, partsState)
	if err != nil || string(was) != state {
		return err // the project has changed since: what is made here would be of another state
	}
	for {
		now, err := p.r.store.JobByID(ctx, p.job)
		if err != nil || now.State != "running" {
			return err
		}
		more, err := p.ahead(ctx, 0)
		if err != nil || !more {
			return err
		}
	}
}
