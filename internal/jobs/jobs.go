// Package jobs runs long work on River, a queue in the same PostgreSQL: with
// progress, cancel, and a second try after a crash.
package jobs

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"time"

	"velvetgrime/core/deliver"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
)

// DeliverArgs name the job row that holds the order.
type DeliverArgs struct {
	JobID string `json:"jobId"`
}

// Kind implements river.JobArgs.
func (DeliverArgs) Kind() string { return "deliver" }

// Runner puts jobs in the queue and works on them.
type Runner struct {
	store  *store.Store
	hub    *live.Hub
	pool   *pgxpool.Pool
	client *river.Client[pgx.Tx]
}

type deliverWorker struct {
	river.WorkerDefaults[DeliverArgs]
	r *Runner
}

// Timeout implements river.Worker: a delivery may take as long as it takes.
func (deliverWorker) Timeout(*river.Job[DeliverArgs]) time.Duration { return -1 }

// Start migrates River's tables and, when work is set, starts workers.
func Start(ctx context.Context, dsn string, s *store.Store, hub *live.Hub, work bool) (*Runner, error) {
	pool, err := pgxpool.New(ctx, dsn)
	if err != nil {
		return nil, err
	}
	m, err := rivermigrate.New(riverpgxv5.New(pool), nil)
	if err == nil {
		_, err = m.Migrate(ctx, rivermigrate.DirectionUp, nil)
	}
	if err != nil {
		return nil, fmt.Errorf("migrating the queue: %w", err)
	}
	r := &Runner{store: s, hub: hub, pool: pool}
	workers := river.NewWorkers()
	river.AddWorker(workers, &deliverWorker{r: r})
	r.client, err = river.NewClient(riverpgxv5.New(pool), &river.Config{
		Queues:            map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: 2}},
		Workers:           workers,
		FetchPollInterval: time.Second,
		FetchCooldown:     50 * time.Millisecond,
		Logger:            slog.New(slog.NewTextHandler(io.Discard, nil)),
	})
	if err != nil {
		return nil, err
	}
	if work {
		err = r.client.Start(ctx)
	}
	return r, err
}

// Stop lets running work end for a moment, then stops it.
func (r *Runner) Stop() {
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	_ = r.client.StopAndCancel(ctx)
	r.pool.Close()
}

// Deliver puts an order in the queue.
func (r *Runner) Deliver(ctx context.Context, project string, o deliver.Order) (*store.Job, error) {
	args, err := json.Marshal(o)
	if err != nil {
		return nil, err
	}
	j := &store.Job{ID: uuid.NewString(), ProjectID: project, Kind: "deliver", State: "waiting", Args: args}
	if err := r.store.PutJob(ctx, j); err != nil {
		return nil, err
	}
	_, err = r.client.Insert(ctx, DeliverArgs{j.ID}, &river.InsertOpts{MaxAttempts: 3})
	return j, err
}

// Work implements river.Worker.
func (w *deliverWorker) Work(ctx context.Context, job *river.Job[DeliverArgs]) error {
	r := w.r
	j, err := r.store.JobByID(ctx, job.Args.JobID)
	if err != nil || j.State == "cancelled" || j.State == "done" {
		return err
	}
	err = r.deliver(ctx, j)
	if now, e := r.store.JobByID(context.WithoutCancel(ctx), j.ID); e == nil && now.State == "cancelled" {
		return nil
	}
	if err != nil {
		j.State, j.Note = "failed", err.Error()
	} else {
		j.State, j.Note, j.Progress = "done", "", 1
	}
	return r.store.PutJob(context.WithoutCancel(ctx), j)
}

func (r *Runner) deliver(ctx context.Context, j *store.Job) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	var o deliver.Order
	if err := json.Unmarshal(j.Args, &o); err != nil {
		return err
	}
	s, err := r.hub.Open(ctx, j.ProjectID)
	if err != nil {
		return err
	}
	var files []store.JobFile
	var body *bytes.Buffer
	finish := func() error {
		if body == nil {
			return nil
		}
		f := &files[len(files)-1]
		f.Size = body.Len()
		f.Blob, err = r.store.PutBlob(ctx, body.Bytes())
		return err
	}
	last := time.Time{}
	err = deliver.Write(ctx, s.Program(), o, func(share float64, note string) {
		if time.Since(last) < 150*time.Millisecond {
			return
		}
		last = time.Now()
		if on, err := r.store.Progress(ctx, j.ID, share, note); err == nil && !on {
			cancel()
		}
	}, func(name string) (io.Writer, error) {
		if err := finish(); err != nil {
			return nil, err
		}
		files = append(files, store.JobFile{Name: name})
		body = &bytes.Buffer{}
		return body, nil
	})
	if err == nil {
		err = finish()
	}
	if err != nil {
		return err
	}
	j.Files, err = json.Marshal(files)
	return err
}

// Bundle packs the files of a job into one zip.
func Bundle(ctx context.Context, s *store.Store, files []store.JobFile, w io.Writer) error {
	z := zip.NewWriter(w)
	for _, f := range files {
		data, err := s.Blob(ctx, f.Blob)
		if err != nil {
			return err
		}
		e, err := z.CreateHeader(&zip.FileHeader{Name: f.Name, Method: zip.Store, Modified: time.Now()})
		if err != nil {
			return err
		}
		if _, err := e.Write(data); err != nil {
			return err
		}
	}
	return z.Close()
}
