package store

import (
	"bytes"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"

	"github.com/google/uuid"
	"gorm.io/gorm"
)

// bytesOf makes a blob that nobody else has.
func bytesOf(t *testing.T, s *Store) string {
	t.Helper()
	b := make([]byte, 40)
	_, _ = rand.Read(b)
	hash, err := s.PutBlob(ctx, b)
	must(t, err)
	return hash
}

func (s *Store) has(hash string) bool { _, err := s.Blob(ctx, hash); return err == nil }

// clear takes what nothing reaches at once; other tests' rows are as young as these, and
// kept by the times that are not 0.
func clearNow(t *testing.T, s *Store, dry bool) []Gone {
	t.Helper()
	gone, err := s.Clear(ctx, Keep{Bin: time.Hour, Loose: -time.Hour, Results: time.Hour, Pieces: time.Hour}, 1, dry)
	must(t, err)
	return gone
}

// alone gives a test a database schema of its own, as clearing takes everybody's blobs.
func alone(t *testing.T) *Store {
	t.Helper()
	s := openStore(t)
	name := "clear_" + strings.ReplaceAll(uuid.NewString(), "-", "")
	must(t, s.db.Exec("CREATE SCHEMA "+name).Error)
	t.Cleanup(func() { _ = s.db.Exec("DROP SCHEMA " + name + " CASCADE").Error })
	own, err := Open(dsnOf(t) + " search_path=" + name)
	must(t, err)
	t.Cleanup(own.Close)
	return own
}

// Whatever row names a blob keeps it; what no row names is taken, and told first by a dry
// run that takes nothing.
func TestOnlyWhatNothingReachesIsTaken(t *testing.T) {
	s := alone(t)
	p := aProject(t, s)
	reached := map[string]string{}
	blob := func(where string) string { h := bytesOf(t, s); reached[where] = h; return h }
	quoted := func(h string) json.RawMessage { return json.RawMessage(`{"a": {"b": ["` + h + `"]}}`) }
	must(t, s.Change(ctx, p.ID, map[string]any{"model_blob": blob("the model")}))
	h := NewHolder()
	must(t, s.Lease(ctx, p.ID, h))
	stroke := &brush.Stroke{ID: "s", Radius: 1, Kit: &brush.Kit{Picture: blob("a stroke's tip")}, Points: brush.Points{{Nrm: geom.V3(0, 1, 0)}}}
	must(t, s.Append(ctx, h, &Entry{ProjectID: p.ID, Seq: 1, Kind: "do", Op: quoted(blob("an operation")), Inverse: quoted(blob("an inverse")), At: time.Now()}, []*brush.Stroke{stroke}, quoted(blob("a snapshot"))))
	must(t, s.PutClip(ctx, "ann", quoted(blob("a clip"))))
	must(t, s.PutPicture(ctx, &Picture{ProjectID: p.ID, Blob: blob("a picture"), Name: "p", At: time.Now()}))
	must(t, s.PutJob(ctx, &Job{ID: uuid.NewString(), ProjectID: p.ID, Kind: "deliver", State: "done", Args: quoted(blob("a job's order")), Files: quoted(blob("a delivery")), Result: quoted(blob("a result"))}))
	must(t, s.PutStock(ctx, &StockItem{ID: uuid.NewString(), Kind: "mask", Data: quoted(blob("the stock")), At: time.Now()}))
	gone := uuid.NewString()
	must(t, s.PutStock(ctx, &StockItem{ID: gone, Kind: "mask", Data: quoted(blob("a dropped item of the stock")), At: time.Now()}))
	must(t, s.DropStock(ctx, gone))
	binned := aProject(t, s)
	must(t, s.Change(ctx, binned.ID, map[string]any{"model_blob": blob("a project in the bin")}))
	must(t, s.Delete(ctx, binned.ID))
	loose := bytesOf(t, s)

	told := clearNow(t, s, true)
	if len(told) != 1 || told[0].Name != loose || told[0].What != "blob" || told[0].Bytes != 40 {
		t.Errorf("a dry run tells %+v, want the one loose blob of 40 bytes", told)
	}
	if !s.has(loose) {
		t.Fatal("a dry run took it")
	}
	if took := clearNow(t, s, false); !slices.Equal(took, told) || s.has(loose) {
		t.Errorf("taken: %+v; what a dry run told: %+v", took, told)
	}
	for where, h := range reached {
		if !s.has(h) {
			t.Errorf("%s lost its blob", where)
		}
	}
	// what only an expired project reached goes with it
	must(t, s.db.Exec("UPDATE projects SET deleted_at = now() - interval '2 hours' WHERE id = ?", binned.ID).Error)
	clearNow(t, s, false)
	if s.has(reached["a project in the bin"]) || !s.has(reached["the model"]) {
		t.Error("an expired project's blob stays, or another's went")
	}
	if err := s.Restore(ctx, binned.ID); !errors.Is(err, ErrNotFound) {
		t.Errorf("an expired project can be restored: %v", err)
	}
}

// A blob must have been out of reach for as long as is asked, and counts anew when it is put
// again or reached again.
func TestALooseBlobHasAGracePeriod(t *testing.T) {
	s := alone(t)
	p := aProject(t, s)
	long := Keep{Bin: time.Hour, Loose: time.Hour, Results: time.Hour, Pieces: time.Hour}
	data := []byte("tar on the slip")
	hash, err := s.PutBlob(ctx, data)
	must(t, err)
	run := func() {
		t.Helper()
		_, err := s.Clear(ctx, long, 1, false)
		must(t, err)
	}
	age := func() {
		must(t, s.db.Exec("UPDATE loose_blobs SET since = since - interval '50 minutes'").Error)
	}
	run()
	age()
	_, err = s.PutBlob(ctx, data) // someone brings the same bytes
	must(t, err)
	run()
	age()
	run()
	if !s.has(hash) {
		t.Fatal("taken 50 minutes after it was put again")
	}
	must(t, s.PutPicture(ctx, &Picture{ProjectID: p.ID, Blob: hash, Name: "p", At: time.Now()}))
	age()
	run()
	must(t, s.db.Exec("DELETE FROM pictures").Error)
	run()
	age()
	run()
	if !s.has(hash) {
		t.Fatal("taken though it was reached 50 minutes ago")
	}
	age()
	run()
	if s.has(hash) {
		t.Error("still there after its time")
	}
}

// Who puts a blob that was out of reach for long, while others clear away, has it.
func TestPuttingWhileClearing(t *testing.T) {
	s := alone(t)
	stop := make(chan struct{})
	var g sync.WaitGroup
	g.Go(func() {
		for {
			select {
			case <-stop:
				return
			default:
			}
			must(t, s.db.Exec("UPDATE loose_blobs SET since = since - interval '1 hour'").Error)
			_, err := s.Clear(ctx, Keep{Bin: time.Hour, Loose: 30 * time.Minute, Results: time.Hour, Pieces: time.Hour}, 1, false)
			must(t, err)
		}
	})
	defer g.Wait()
	defer close(stop)
	p := aProject(t, s)
	for i := range 40 {
		data := fmt.Appendf(nil, "plank %d", i%4)
		// put and reached in one transaction, as imports do; between the two nobody may take it
		err := s.db.Transaction(func(tx *gorm.DB) error {
			own := &Store{tx}
			hash, err := own.PutBlob(ctx, data)
			if err != nil {
				return err
			}
			return own.PutPicture(ctx, &Picture{ProjectID: p.ID, Blob: hash, Name: fmt.Sprint(i), At: time.Now()})
		})
		must(t, err)
		list, err := s.Pictures(ctx, p.ID)
		must(t, err)
		for _, q := range list {
			if !s.has(q.Blob) {
				t.Fatalf("round %d: the blob of a picture is gone", i)
			}
		}
		must(t, s.db.Exec("DELETE FROM pictures WHERE project_id = ?", p.ID).Error)
	}
}

// The bin tells when each project expires; what is discarded is gone with all its rows, and
// only what is in the bin can be.
func TestTheBin(t *testing.T) {
	s := alone(t)
	p, other := aProject(t, s), aProject(t, s)
	h := NewHolder()
	must(t, s.Lease(ctx, p.ID, h))
	must(t, s.Append(ctx, h, &Entry{ProjectID: p.ID, Seq: 1, Kind: "do", Op: json.RawMessage(`{}`), Inverse: json.RawMessage(`{}`), At: time.Now()}, nil, nil))
	job := &Job{ID: uuid.NewString(), ProjectID: p.ID, Kind: "bake", State: "done"}
	none := json.RawMessage(`{}`)
	job.Args, job.Files, job.Result = none, none, none
	must(t, s.PutJob(ctx, job))
	must(t, s.PutPiece(ctx, job.ID, "a", []byte{1}))
	must(t, s.PutMark(ctx, Mark{p.ID, 1, "m"}))
	if err := s.Discard(ctx, p.ID); !errors.Is(err, ErrNotFound) {
		t.Fatalf("a project that was not deleted is discarded: %v", err)
	}
	must(t, s.Delete(ctx, p.ID))
	list, err := s.Bin(ctx, Keep{Bin: 24 * time.Hour})
	must(t, err)
	if len(list) != 1 || list[0].ID != p.ID || list[0].Expires.Sub(list[0].DeletedAt.Time) != 24*time.Hour {
		t.Fatalf("in the bin: %+v", list)
	}
	must(t, s.Discard(ctx, p.ID))
	var left int64
	for _, table := range []string{"entries", "snapshots", "marks", "jobs", "leases"} {
		var n int64
		must(t, s.db.Raw("SELECT count(*) FROM "+table+" WHERE project_id = ?", p.ID).Scan(&n).Error)
		left += n
	}
	if left != 0 || s.Restore(ctx, p.ID) == nil {
		t.Errorf("%d rows are left of a discarded project, or it comes back", left)
	}
	if _, err := s.Project(ctx, other.ID); err != nil {
		t.Errorf("another project went too: %v", err)
	}
}

// Tiles that other builds drew, and what jobs that ended left, goes after its time.
func TestOldResultsAndOthersTilesGo(t *testing.T) {
	s := alone(t)
	p := aProject(t, s)
	old, young := &Job{ID: uuid.NewString(), ProjectID: p.ID, Kind: "deliver", State: "done", Label: "Deliver"}, &Job{ID: uuid.NewString(), ProjectID: p.ID, Kind: "deliver", State: "done"}
	running := &Job{ID: uuid.NewString(), ProjectID: p.ID, Kind: "bake", State: "running"}
	none := json.RawMessage(`{}`)
	for _, j := range []*Job{old, young, running} {
		j.Args, j.Files, j.Result = none, none, none
		must(t, s.PutJob(ctx, j))
		must(t, s.PutPiece(ctx, j.ID, "a", []byte{1}))
	}
	must(t, s.db.Exec("UPDATE jobs SET updated_at = now() - interval '2 hours' WHERE id IN (?, ?)", old.ID, running.ID).Error)
	own := append([]byte{0, 0, 0, 0, 0, 0, 0, 1}, 9)
	must(t, s.KeepTiles(ctx, p.ID, []FinishedTile{{ProjectID: p.ID, Key: own, Data: []byte{1}}, {ProjectID: p.ID, Key: []byte("anothers"), Data: []byte{1}}}, nil))
	clearNow(t, s, false)
	if _, err := s.JobByID(ctx, old.ID); !errors.Is(err, ErrNotFound) {
		t.Error("an old delivery stays")
	}
	for _, j := range []*Job{young, running} {
		if _, err := s.Piece(ctx, j.ID, "a"); err != nil {
			t.Errorf("a %s job's pieces went", j.State)
		}
	}
	keys, err := s.TileKeys(ctx, p.ID)
	must(t, err)
	if len(keys) != 1 || !bytes.Equal(keys[0], own) {
		t.Errorf("the tiles %v are left, want %v, that of this build", keys, own)
	}
}
