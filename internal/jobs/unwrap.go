package jobs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"velvetgrime/core/stack"
	"velvetgrime/core/unwrap"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"
)

// unwrapped is an unwrap's result.
type unwrapped struct {
	Model, Was, Layout string
}

func init() {
	k := kinds["unwrap"]
	k.work, k.apply = unwrapModel, applyUnwrap
	kinds["unwrap"] = k
}

func unwrapModel(ctx context.Context, r *Runner, t *task) error {
	var o unwrap.Options
	if err := json.Unmarshal(t.Args, &o); err != nil {
		return err
	}
	m, d, err := r.hub.Read(ctx, t.ProjectID)
	if err != nil {
		return err
	}
	l, err := unwrap.Unwrap(ctx, m, o, t.tell)
	if err != nil {
		return err
	}
	if _, err := l.Apply(m); err != nil {
		return err
	}
	data, err := l.Bytes()
	if err != nil {
		return err
	}
	blob, err := r.store.PutBlob(ctx, data)
	if err != nil {
		return err
	}
	p := d.Preparation()
	t.Result, err = json.Marshal(unwrapped{p.Model, p.Layout, blob})
	return err
}

func applyUnwrap(ctx context.Context, r *Runner, j *store.Job) (string, error) {
	var res unwrapped
	if err := json.Unmarshal(j.Result, &res); err != nil {
		return "", err
	}
	s, err := r.hub.Open(ctx, j.ProjectID)
	if err != nil {
		return "", err
	}
	data, err := r.store.Blob(ctx, res.Layout)
	if err != nil {
		return "", err
	}
	l, err := unwrap.ParseLayout(data)
	if err != nil {
		return "", err
	}
	before := s.Model()
	after, err := l.Apply(before)
	if err != nil {
		return "", errors.Join(fmt.Errorf("the model was changed meanwhile; unwrap again"), err)
	}
	from := unwrap.Measure(before, unwrap.Same(1024))
	to := unwrap.Measure(after, unwrap.Same(1024))
	err = s.Change(j.Actor, "job:"+j.ID, func(d *stack.Document) (stack.Op, error) {
		if p := d.Preparation(); p.Model != res.Model || p.Layout != res.Was {
			return nil, fmt.Errorf("the model or its UVs were changed meanwhile; unwrap again")
		}
		return live.Relayout(d, before, after, res.Layout, j.Label), nil
	})
	return fmt.Sprintf("%d islands (%d before)", to.Islands, from.Islands), err
}
