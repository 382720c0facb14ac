// Package jobs runs long work on River, a queue in the same PostgreSQL: with
// progress, cancel, retry, and resume from what is done. Workers may run in other
// processes; what a job changes in a project is applied by the server that has it
// open.
package jobs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log"
	"log/slog"
	"maps"
	"sync"
	"time"

	"velvetgrime/core/bsdf"
	"velvetgrime/core/par"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
)

// Args name the job row that holds the order.
type Args struct {
	JobID string `json:"jobId"`
}

// Kind implements river.JobArgs.
func (Args) Kind() string { return "long" }

// HelpArgs name a job that other workers can help with.
type HelpArgs struct {
	Of string `json:"of"`
}

// Kind implements river.JobArgs.
func (HelpArgs) Kind() string { return "help" }

// helpQueue holds what asks for help: each worker gives it once at a time.
const helpQueue = "help"

type helper struct {
	river.WorkerDefaults[HelpArgs]
	r *Runner
}

// Timeout implements river.Worker.
func (helper) Timeout(*river.Job[HelpArgs]) time.Duration { return -1 }

// Work implements river.Worker: it helps with a job, unless this process has it itself.
func (w *helper) Work(ctx context.Context, job *river.Job[HelpArgs]) error {
	j, err := w.r.store.JobByID(ctx, job.Args.Of)
	if err != nil || j.State != "waiting" && j.State != "running" {
		return nil
	}
	kind := kinds[j.Kind]
	if kind.help == nil {
		return nil
	}
	if _, mine := w.r.atWork.Load(j.ID); mine || j.State == "waiting" {
		return river.JobSnooze(time.Second) // another process may take it
	}
	w.r.atWork.Store(j.ID, true)
	defer w.r.atWork.Delete(j.ID)
	return par.Contain(func() error { return kind.help(ctx, w.r, j) })
}

// Runner puts jobs in the queue and works on them.
type Runner struct {
	store  *store.Store
	hub    *live.Hub
	pool   *pgxpool.Pool
	sky    sky
	client *river.Client[pgx.Tx]
	alive  context.Context
	stop   context.CancelFunc
	done   sync.WaitGroup
	Folder *Folder        // for layered pictures, of a Runner that applies; nil: there is none. See Exchange
	Outlet string         // below it deliveries may be put; empty: nowhere
	atWork sync.Map       // ids of the jobs that this process works on
	tried  map[string]int // how often a job's change could not be made; of watch alone
}

// kinds are the kinds of jobs. work does what is long and may run anywhere; it
// fills in the job's Files or Result. help, where there is one, takes parts of a job that another
// worker has. apply makes the change that the result asks
// for, in the server; nil: there is none.
var kinds = map[string]struct {
	work  func(ctx context.Context, r *Runner, t *task) error
	help  func(ctx context.Context, r *Runner, j *store.Job) error
	apply func(ctx context.Context, r *Runner, j *store.Job) (note string, err error)
	// applies reports whether a job asks for a change at all; nil: each does.
	applies func(j *store.Job) bool
}{}

// task is a job at work.
type task struct {
	*store.Job
	tell func(share float64, note string) // also keeps the job alive
}

type worker struct {
	river.WorkerDefaults[Args]
	r *Runner
}

// Timeout implements river.Worker: a job may take as long as it takes.
func (worker) Timeout(*river.Job[Args]) time.Duration { return -1 }

// What a Runner does.
const (
	Work  = 1 << iota // takes jobs from the queue
	Apply             // applies finished ones, tells pages of their progress, and takes up orphans
)

// Start migrates River's tables and starts what does says.
func Start(ctx context.Context, dsn string, s *store.Store, hub *live.Hub, does int) (*Runner, error) {
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
	ctx, stop := context.WithCancel(ctx)
	r := &Runner{store: s, hub: hub, pool: pool, alive: ctx, stop: stop, tried: map[string]int{}}
	workers := river.NewWorkers()
	river.AddWorker(workers, &worker{r: r})
	river.AddWorker(workers, &helper{r: r})
	r.client, err = river.NewClient(riverpgxv5.New(pool), &river.Config{
		Queues: map[string]river.QueueConfig{
			river.QueueDefault: {MaxWorkers: 2},
			patientQueue:       {MaxWorkers: 1},
			helpQueue:          {MaxWorkers: 1},
		},
		Workers:           workers,
		FetchPollInterval: time.Second,
		FetchCooldown:     50 * time.Millisecond,
		Logger:            slog.New(slog.NewTextHandler(io.Discard, nil)),
	})
	if err == nil && does&Work != 0 {
		go bsdf.Prepare() // the first still would wait for it
		err = r.client.Start(ctx)
	}
	if err == nil && does&Apply != 0 {
		r.done.Go(func() { r.watch(ctx) })
		r.done.Go(func() { r.clearAway(ctx) })
	}
	return r, err
}

// Stop lets running work end for a moment, then stops it; what was under way is
// taken up again by the next worker.
func (r *Runner) Stop() {
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	r.stop()
	r.done.Wait()
	_ = r.client.StopAndCancel(ctx)
	r.pool.Close()
}

// Exchange watches a folder in which layered pictures are laid and saved, until the Runner is
// stopped. It is called once, before the first order.
func (r *Runner) Exchange(f *Folder) {
	r.Folder = f
	r.done.Go(func() { r.watchFolder(r.alive) })
}

// Order puts a job in the queue.
func (r *Runner) Order(ctx context.Context, project, kind, actor, label string, args any) (*store.Job, error) {
	if _, ok := kinds[kind]; !ok {
		return nil, fmt.Errorf("there is no kind of job %q", kind)
	}
	b, err := json.Marshal(args)
	if err != nil {
		return nil, err
	}
	j := &store.Job{
		ID:        uuid.NewString(),
		ProjectID: project,
		Kind:      kind,
		State:     "waiting",
		Args:      b,
		Actor:     actor,
		Label:     label,
	}
	// the job and its place in the queue, or neither
	err = pgx.BeginFunc(ctx, r.pool, func(tx pgx.Tx) error {
		sql, args := j.Insert()
		if _, err := tx.Exec(ctx, sql, args...); err != nil {
			return err
		}
		_, err := r.client.InsertTx(ctx, tx, Args{j.ID}, queued(b))
		return err
	})
	if err != nil {
		return nil, err
	}
	return j, nil
}

func (r *Runner) insert(ctx context.Context, id string, args []byte) error {
	_, err := r.client.Insert(ctx, Args{id}, queued(args))
	return err
}

// patientQueue holds what nobody waits for: what stands there, and what waits in it, takes no
// place of what somebody ordered.
const patientQueue = "patient"

// queued says in which queue a job with these arguments waits, and how often it is tried.
func queued(args []byte) *river.InsertOpts {
	opts := &river.InsertOpts{MaxAttempts: 3}
	var says struct{ Patient, Idle bool }
	if json.Unmarshal(args, &says) == nil && (says.Patient || says.Idle) {
		opts.Queue = patientQueue
	}
	return opts
}

// Again takes up a job that failed or was cancelled.
func (r *Runner) Again(ctx context.Context, id string) error {
	on, err := r.store.Again(ctx, id)
	if err == nil && !on {
		err = fmt.Errorf("the job has not ended, or went well; only one that failed or was stopped is tried again")
	}
	if err != nil {
		return err
	}
	if j, err := r.store.JobByID(ctx, id); err == nil && kinds[j.Kind].help != nil {
		r.askHelp(ctx, id)
	}
	return r.insert(ctx, id, nil) // somebody asked for it
}

// beat is how often a worker tells that it lives, and asks whether its job was
// cancelled; one not heard of for lost is taken to be dead.
const (
	beat = 300 * time.Millisecond
	lost = 8 * time.Second
)

// errCancelled ends a job that was cancelled.
var errCancelled = errors.New("cancelled")

// Work implements river.Worker.
func (w *worker) Work(ctx context.Context, job *river.Job[Args]) error {
	r := w.r
	j, err := r.store.JobByID(ctx, job.Args.JobID)
	if err != nil {
		return err
	}
	if j.State != "waiting" && j.State != "running" {
		return nil
	}
	if j.State == "running" && j.Beat != nil && time.Since(*j.Beat) < lost {
		return nil // another worker has it
	}
	kind, ok := kinds[j.Kind]
	if !ok {
		return fmt.Errorf("this worker does not know jobs of the kind %q; it is older than the server", j.Kind)
	}
	work, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var mu sync.Mutex
	share, note := j.Progress, ""
	tell := func() {
		mu.Lock()
		s, n := share, note
		mu.Unlock()
		if on, err := r.store.Progress(ctx, j.ID, s, n); err == nil && !on {
			cancel(errCancelled)
		}
	}
	tell()
	r.atWork.Store(j.ID, true)
	defer r.atWork.Delete(j.ID)
	alive := time.NewTicker(beat)
	ended := make(chan struct{})
	var beating sync.WaitGroup
	beating.Go(func() {
		for {
			select {
			case <-ended:
				return
			case <-alive.C:
				tell()
			}
		}
	})
	// a mistake of ours in a job is its failure; its heart stops with it
	err = par.Contain(func() error {
		return kind.work(work, r, &task{j, func(s float64, n string) {
			mu.Lock()
			share, note = s, n
			mu.Unlock()
		}})
	})
	alive.Stop()
	close(ended)
	beating.Wait()
	if p := (*par.Panic)(nil); errors.As(err, &p) {
		log.Printf("job %s (%s): %v\n%s", j.ID, j.Kind, p.Value, p.Stack)
	}
	switch {
	case context.Cause(work) == errCancelled:
		return nil
	case ctx.Err() != nil:
		return ctx.Err() // the worker stops: another one goes on
	case err != nil:
		j.State, j.Note = "failed", err.Error()
	case kind.apply != nil && (kind.applies == nil || kind.applies(j)):
		j.State, j.Note, j.Progress = "ready", "", 1
	default:
		j.State, j.Note, j.Progress = "done", "", 1
	}
	_, err = r.store.EndJob(context.WithoutCancel(ctx), j)
	return err
}

// Line is a job as pages see it.
type Line struct {
	ID       string          `json:"id"`
	Project  string          `json:"project"`
	Kind     string          `json:"kind"`
	Label    string          `json:"label"`
	State    string          `json:"state" enum:"waiting,running,ready,done,failed,cancelled,binned"`
	Progress float64         `json:"progress"`
	Note     string          `json:"note"`
	Files    []store.JobFile `json:"files"`
	At       time.Time       `json:"at"`
}

// LineOf returns what pages see of a job.
func LineOf(j *store.Job) Line {
	out := Line{j.ID, j.ProjectID, j.Kind, j.Label, j.State, j.Progress, j.Note, []store.JobFile{}, j.CreatedAt}
	_ = json.Unmarshal(j.Files, &out.Files)
	return out
}

// watch applies what is ready, tells pages how jobs go, and puts jobs whose worker
// died back in the queue.
func (r *Runner) watch(ctx context.Context) {
	last := map[string]string{} // what pages were told, by job
	tick := time.NewTicker(beat)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if err := par.Contain(func() error { r.look(ctx, last); return nil }); err != nil {
			log.Printf("jobs: %v", err)
		}
	}
}

// look does one round of watch; last is what pages were told, by job.
func (r *Runner) look(ctx context.Context, last map[string]string) {
	if dead, err := r.store.Orphans(ctx, time.Now().Add(-lost)); err == nil {
		for _, j := range dead {
			_ = r.insert(ctx, j.ID, j.Args)
		}
	}
	jobs, err := r.store.AliveJobs(ctx)
	if err != nil {
		return
	}
	now := map[string]string{}
	for i := range jobs {
		j := &jobs[i]
		if j.State == "ready" {
			r.apply(ctx, j)
		}
		line := LineOf(j)
		b, _ := json.Marshal(line)
		if now[j.ID] = string(b); last[j.ID] != string(b) {
			r.hub.Post(j.ProjectID, map[string]any{"t": "job", "job": line})
		}
	}
	for id := range last { // ended since
		if _, alive := now[id]; !alive {
			if j, err := r.store.JobByID(ctx, id); err == nil {
				r.hub.Post(j.ProjectID, map[string]any{"t": "job", "job": LineOf(j)})
			}
		}
	}
	clear(last)
	maps.Copy(last, now)
}

// mostTried is how often a change is tried that cannot be made for now: for some minutes.
const mostTried = 600

// apply makes the change that a finished job asks for, once: the change is kept under the
// job's id, so that a server that ends before it has noted the job's end does not make it
// again.
func (r *Runner) apply(ctx context.Context, j *store.Job) {
	var note string
	err := par.Contain(func() error {
		did, err := r.store.Did(ctx, j.ProjectID, "job:"+j.ID)
		if err == nil && !did {
			note, err = kinds[j.Kind].apply(ctx, r, j)
		}
		return err
	})
	if ctx.Err() != nil {
		return
	}
	if err != nil && live.Passing(err) && r.tried[j.ID] < mostTried {
		r.tried[j.ID]++ // the database does not answer, or another server has the project: later
		return
	}
	delete(r.tried, j.ID)
	j.State, j.Note = "done", note
	if err != nil {
		j.State, j.Note = "failed", err.Error()
	}
	_, _ = r.store.EndJob(context.WithoutCancel(ctx), j)
}

// AtWork reports whether this process works on a job.
func (r *Runner) AtWork(id string) bool {
	_, ok := r.atWork.Load(id)
	return ok
}
