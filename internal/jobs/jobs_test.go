package jobs_test

import (
	"bytes"
	"context"
	"encoding/json"
	"os"
	"strings"
	"testing"
	"time"

	"velvetgrime/core/bake"
	"velvetgrime/core/meshio"
	"velvetgrime/core/sample"
	"velvetgrime/core/unwrap"
	"velvetgrime/internal/intake"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"

	"github.com/google/uuid"
)

// bench is a store with one project, and how to run over it.
type bench struct {
	*testing.T
	dsn     string
	store   *store.Store
	project string
	ctx     context.Context
}

func start(t *testing.T) *bench {
	dsn := os.Getenv("VELVETGRIME_JOBS_DATABASE")
	if dsn == "" {
		t.Skip("VELVETGRIME_JOBS_DATABASE is not set; 'make test-go' sets it")
	}
	s, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	var b bytes.Buffer
	if err := meshio.WriteGLB(&b, sample.Bollard(), meshio.Options{}); err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	p, err := intake.Create(ctx, s, "", "Bollard of the jobs", map[string][]byte{"bollard.glb": b.Bytes()}, nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Delete(ctx, p.ID) })
	return &bench{t, dsn, s, p.ID, ctx}
}

func (b *bench) runner(does int, transient bool) (*jobs.Runner, *live.Hub) {
	b.Helper()
	hub := live.NewHub(b.store, 64<<20)
	hub.Transient = transient
	r, err := jobs.Start(b.ctx, b.dsn, b.store, hub, does)
	if err != nil {
		b.Fatal(err)
	}
	return r, hub
}

func (b *bench) wait(id, why string, until func(j *store.Job) bool) *store.Job {
	b.Helper()
	end := time.Now().Add(15 * time.Minute) // met by a hang alone
	for time.Now().Before(end) {
		j, err := b.store.JobByID(b.ctx, id)
		if err != nil {
			b.Fatal(err)
		}
		if until(j) {
			return j
		}
		time.Sleep(20 * time.Millisecond)
	}
	j, _ := b.store.JobByID(b.ctx, id)
	b.Fatalf("%s: it never comes: the job is %s at %v: %s", why, j.State, j.Progress, j.Note)
	return nil
}

func order(size, samples int) jobs.BakeOrder {
	s := bake.Default()
	s.Size, s.Samples, s.Smooth = size, samples, 1
	return jobs.BakeOrder{Settings: s, Maps: []string{"ao", "curvature"}}
}

// A worker in another process (here: a hub of its own) bakes; the server applies.
// When the worker stops in the midst, the next one goes on from the pieces that are
// kept.
func TestABakeGoesOnFromWhatIsDone(t *testing.T) {
	b := start(t)
	server, hub := b.runner(jobs.Apply, false)
	defer server.Stop()
	first, _ := b.runner(jobs.Work, true)
	j, err := server.Order(b.ctx, b.project, "bake", "tester", "Bake", order(1024, 6))
	if err != nil {
		t.Fatal(err)
	}
	b.wait(j.ID, "some pieces", func(j *store.Job) bool { p, _ := b.store.Pieces(b.ctx, j.ID); return len(p) >= 2 })
	first.Stop()
	kept, err := b.store.Pieces(b.ctx, j.ID)
	if err != nil || len(kept) < 2 || len(kept) > 7 {
		t.Fatalf("after the worker stopped %d pieces are kept (%v)", len(kept), err)
	}
	was, _ := b.store.Piece(b.ctx, j.ID, kept[0])
	second, _ := b.runner(jobs.Work, true)
	defer second.Stop()
	b.wait(j.ID, "the second worker", func(j *store.Job) bool {
		if now, err := b.store.Piece(b.ctx, j.ID, kept[0]); err == nil && !bytes.Equal(now, was) {
			t.Fatal("a kept piece was baked again")
		}
		return j.State == "done"
	})
	p, err := hub.Open(b.ctx, b.project)
	if err != nil {
		t.Fatal(err)
	}
	m := p.Document().Preparation().Baked["Cast iron"]
	if m["ao"].Size != 1024 || m["curvature"].Range != [2]float32{-1, 1} {
		t.Errorf("baked: %+v", m)
	}
	if left, _ := b.store.Pieces(b.ctx, j.ID); len(left) > 0 {
		t.Errorf("%d pieces are left over", len(left))
	}
}

// A cancelled job stops within a second, keeps what is done, and goes on when it is
// asked to.
func TestABakeIsCancelledAndTakenUpAgain(t *testing.T) {
	b := start(t)
	r, hub := b.runner(jobs.Work|jobs.Apply, false)
	defer r.Stop()
	j, err := r.Order(b.ctx, b.project, "bake", "tester", "Bake", order(512, 112))
	if err != nil {
		t.Fatal(err)
	}
	b.wait(j.ID, "to begin", func(j *store.Job) bool { return j.State == "running" && j.Progress > 0 })
	if err := b.store.Cancel(b.ctx, j.ID); err != nil {
		t.Fatal(err)
	}
	before, _ := b.store.Pieces(b.ctx, j.ID)
	time.Sleep(1200 * time.Millisecond)
	settled, _ := b.store.Pieces(b.ctx, j.ID)
	time.Sleep(1500 * time.Millisecond)
	after, _ := b.store.Pieces(b.ctx, j.ID)
	if len(after) != len(settled) || len(after) > len(before)+1 {
		t.Errorf("pieces when it was cancelled %d, a second later %d, later %d: it went on", len(before), len(settled), len(after))
	}
	if p, _ := hub.Open(b.ctx, b.project); p.Document().Prepared != nil {
		t.Error("a cancelled bake changed the document")
	}
	if err := r.Again(b.ctx, j.ID); err != nil {
		t.Fatal(err)
	}
	b.wait(j.ID, "again", func(j *store.Job) bool { return j.State == "done" })
	if err := r.Again(b.ctx, j.ID); err == nil {
		t.Error("a job that went well is tried again")
	}
}

// Jobs whose worker is not heard of any more are taken over.
func TestOrphansAreTakenUp(t *testing.T) {
	b := start(t)
	r, _ := b.runner(0, false)
	j, err := r.Order(b.ctx, b.project, "unwrap", "tester", "Unwrap", unwrap.Defaults())
	r.Stop()
	if err != nil {
		t.Fatal(err)
	}
	// as a worker leaves it that was killed a while ago
	if on, err := b.store.Progress(b.ctx, j.ID, 0.4, "laying flat"); err != nil || !on {
		t.Fatal(on, err)
	}
	if dead, _ := b.store.Orphans(b.ctx, time.Now().Add(-time.Minute)); len(dead) != 0 {
		for _, d := range dead {
			if d.ID == j.ID {
				t.Fatal("a job just heard of is taken for dead")
			}
		}
	}
	dead, err := b.store.Orphans(b.ctx, time.Now().Add(time.Second))
	found := false
	for _, d := range dead {
		found = found || d.ID == j.ID && d.State == "waiting"
	}
	if err != nil || !found {
		t.Fatalf("the dead worker's job is not taken over: %v, %v", dead, err)
	}
	whole, hub := b.runner(jobs.Work|jobs.Apply, false)
	defer whole.Stop()
	done := b.wait(j.ID, "the next worker", func(j *store.Job) bool { return j.State == "done" })
	p, _ := hub.Open(b.ctx, b.project)
	if p.Document().Preparation().Layout == "" || !strings.Contains(done.Note, "islands") {
		t.Errorf("unwrapped: %+v, note %q", p.Document().Preparation(), done.Note)
	}
}

func TestOrdersAreRefusedWithTheReason(t *testing.T) {
	b := start(t)
	r, _ := b.runner(jobs.Work|jobs.Apply, false)
	defer r.Stop()
	if _, err := r.Order(b.ctx, b.project, "polish", "", "", nil); err == nil {
		t.Error("an unknown kind was taken")
	}
	o := order(256, 8)
	o.Sheets = []string{"Nobody"}
	j, err := r.Order(b.ctx, b.project, "bake", "tester", "Bake", o)
	if err != nil {
		t.Fatal(err)
	}
	if f := b.wait(j.ID, "to fail", func(j *store.Job) bool { return j.State == "failed" }); !strings.Contains(f.Note, `"Nobody"`) {
		t.Errorf("the note is %q", f.Note)
	}
	var line jobs.Line
	raw, _ := json.Marshal(jobs.LineOf(&store.Job{ID: "x", State: "done"}))
	if err := json.Unmarshal(raw, &line); err != nil || line.Files == nil {
		t.Errorf("a job without files: %s", raw)
	}
}

// zipOf keeps the files of a model as an upload does.
func (b *bench) zipOf(files map[string][]byte) jobs.ImportOrder {
	b.Helper()
	zipped, file, err := intake.Pack(files)
	if err != nil {
		b.Fatal(err)
	}
	blob, err := b.store.PutBlob(b.ctx, zipped)
	if err != nil {
		b.Fatal(err)
	}
	return jobs.ImportOrder{Blob: blob, File: file}
}

// Models are read by a worker: a new project is there when the job is done, a dense
// model and a newer one are put into the open project, and a damaged file fails the
// job with the place, changing nothing.
func TestModelsAreReadAsJobs(t *testing.T) {
	b := start(t)
	r, hub := b.runner(jobs.Work|jobs.Apply, false)
	defer r.Stop()
	ended := func(j *store.Job) bool { return j.State == "done" || j.State == "failed" }
	run := func(project, kind string, o jobs.ImportOrder) *store.Job {
		t.Helper()
		j, err := r.Order(b.ctx, project, kind, "tester", kind, o)
		if err != nil {
			t.Fatal(err)
		}
		return b.wait(j.ID, kind, ended)
	}
	slab := b.zipOf(map[string][]byte{"slab.obj": []byte("o Slab\nv 0 0 0\nv 1 0 0\nv 1 0 1\nv 0 0 1\nf 4 3 2 1\n")})
	slab.Name = "Slab of the quay"
	fresh := uuid.NewString()
	if j := run(fresh, "project", slab); j.State != "done" {
		t.Fatal(j.Note)
	}
	defer func() { _ = b.store.Delete(b.ctx, fresh) }()
	if p, err := b.store.Project(b.ctx, fresh); err != nil || p.Name != "Slab of the quay" {
		t.Fatalf("%+v %v", p, err)
	}
	if j := run(b.project, "dense model", slab); j.State != "done" {
		t.Fatal(j.Note)
	}
	s, err := hub.Open(b.ctx, b.project)
	if err != nil {
		t.Fatal(err)
	}
	if d := s.Document().Preparation().Dense; len(d) != 1 || d[0].Name != "slab" || d[0].Triangles != 2 {
		t.Fatalf("dense models: %+v", d)
	}
	before := len(s.Model().Tri)
	bad := b.zipOf(map[string][]byte{"bad.ply": []byte("ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nend_header\nnone\n")})
	for _, kind := range []string{"newer model", "dense model", "project"} {
		id := b.project
		if kind == "project" {
			id = uuid.NewString()
		}
		j := run(id, kind, bad)
		if j.State != "failed" || !strings.Contains(j.Note, "bad.ply: vertex 0") {
			t.Errorf("%s: %s %q", kind, j.State, j.Note)
		}
		if _, err := b.store.Project(b.ctx, id); kind == "project" && err == nil {
			t.Error("a project was made of a damaged file")
		}
	}
	if len(s.Model().Tri) != before || len(s.Document().Preparation().Dense) != 1 {
		t.Error("a damaged file changed the project")
	}
	if j := run(b.project, "newer model", slab); j.State != "done" || len(s.Model().Tri) != 2 {
		t.Errorf("%s %q, %d triangles", j.State, j.Note, len(s.Model().Tri))
	}
}

// A worker that ended after it had taken a job from the queue, and before it said so, leaves
// a job that waits and that nothing in the queue will begin: it is begun all the same.
func TestAJobThatNothingBeginsIsBegun(t *testing.T) {
	b := start(t)
	args, _ := json.Marshal(order(128, 1))
	j := &store.Job{ID: uuid.NewString(), ProjectID: b.project, Kind: "bake", State: "waiting", Args: args, Label: "Bake"}
	if err := b.store.PutJob(b.ctx, j); err != nil {
		t.Fatal(err)
	}
	server, hub := b.runner(jobs.Work|jobs.Apply, false)
	defer hub.Close()
	defer server.Stop()
	done := b.wait(j.ID, "the job to be done", func(j *store.Job) bool { return j.State == "done" || j.State == "failed" })
	if done.State != "done" || done.Lost != 1 {
		t.Errorf("it ends as %s, after %d lost workers: %s", done.State, done.Lost, done.Note)
	}
}

// A job whose workers end again and again has failed, with the reason, and is not tried for ever.
func TestAJobThatEndsItsWorkersFails(t *testing.T) {
	b := start(t)
	old := time.Now().Add(-time.Hour)
	j := &store.Job{ID: uuid.NewString(), ProjectID: b.project, Kind: "bake", State: "running", Args: []byte("{}"), Beat: &old, Lost: 2}
	if err := b.store.PutJob(b.ctx, j); err != nil {
		t.Fatal(err)
	}
	if _, err := b.store.Orphans(b.ctx, time.Now().Add(-time.Minute)); err != nil {
		t.Fatal(err)
	}
	if got, err := b.store.JobByID(b.ctx, j.ID); err != nil || got.State != "failed" || !strings.Contains(got.Note, "3 times") {
		t.Errorf("it is %+v (%v)", got, err)
	}
}
