package store

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"sync"
	"testing"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"

	"github.com/google/uuid"
)

var ctx = context.Background()

func dsnOf(t *testing.T) string {
	t.Helper()
	dsn := os.Getenv("VELVETGRIME_TEST_DATABASE")
	if dsn == "" {
		t.Fatal("VELVETGRIME_TEST_DATABASE is not set; run 'make test-go', which starts a database")
	}
	return dsn
}

func openStore(t *testing.T) *Store {
	t.Helper()
	s, err := Open(dsnOf(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}

func must(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// aProject is a project of its own, so that tests do not meet.
func aProject(t *testing.T, s *Store) *Project {
	t.Helper()
	p := &Project{ID: uuid.NewString(), Name: "Skiff " + t.Name(), ModelName: "skiff.obj", ModelBlob: "none"}
	must(t, s.CreateProject(ctx, p, []byte(`{"first": true}`), nil))
	return p
}

func TestBlobsOfEverySize(t *testing.T) {
	s := openStore(t)
	for _, n := range []int{0, 1, chunkSize - 1, chunkSize, chunkSize + 1, 3*chunkSize + 17} {
		data := make([]byte, n)
		for i := range data {
			data[i] = byte(i*7 + i>>9)
		}
		a, err := s.PutBlob(ctx, data)
		must(t, err)
		b, err := s.PutBlob(ctx, data) // it is there already
		must(t, err)
		back, err := s.Blob(ctx, a)
		must(t, err)
		if a != b || !bytes.Equal(back, data) {
			t.Errorf("%d bytes came back as %d, named %s and %s", n, len(back), a, b)
		}
	}
	if _, err := s.Blob(ctx, "no such"); !errors.Is(err, ErrNotFound) {
		t.Errorf("a blob that is not there: %v", err)
	}
}

func TestProjectsComeAndGo(t *testing.T) {
	s := openStore(t)
	p := aProject(t, s)
	pictured := false
	listed := func() bool {
		list, err := s.Projects(ctx)
		must(t, err)
		for _, q := range list {
			if q.ID == p.ID {
				pictured = q.Pictured
				return len(q.Picture) == 0
			}
		}
		return false
	}
	if !listed() || pictured {
		t.Errorf("it is listed: %v; with a picture: %v", listed(), pictured)
	}
	must(t, s.Change(ctx, p.ID, map[string]any{"name": "Punt", "picture": []byte{1, 2}}))
	if !listed() || !pictured {
		t.Errorf("with a picture it is listed: %v; with one: %v", listed(), pictured)
	}
	if q, err := s.Project(ctx, p.ID); err != nil || q.Name != "Punt" || len(q.Picture) != 2 {
		t.Errorf("changed it is %+v, %v", q, err)
	}
	must(t, s.Delete(ctx, p.ID))
	if _, err := s.Project(ctx, p.ID); !errors.Is(err, ErrNotFound) || listed() {
		t.Errorf("deleted it is still there: %v", err)
	}
	must(t, s.Restore(ctx, p.ID))
	if q, err := s.Project(ctx, p.ID); err != nil || q.Name != "Punt" || !listed() {
		t.Errorf("brought back it is %+v, %v", q, err)
	}
	if err := s.Change(ctx, "none", map[string]any{"name": "x"}); !errors.Is(err, ErrNotFound) {
		t.Errorf("a change of none: %v", err)
	}
}

func aStroke(id string, n int) *brush.Stroke {
	st := &brush.Stroke{ID: id, Radius: 0.01, Strength: 0.5, Does: brush.Opposite, Values: map[string][]float32{"mask": {1}}, Alike: &brush.Alike{Channel: "baseColor", Value: []float32{0.5, 0.25, 0.125}, Tolerance: 0.1},
		Take: &brush.Take{At: geom.V3(1, 2, 3), Nrm: geom.V3(0, 1, 0), To: geom.V3(3, 2, 1), ToNrm: geom.V3(0, 1, 0), Past: "before"}, Tilt: []float32{0.25}}
	for i := range n {
		st.Points = append(st.Points, brush.Point{Pos: geom.V3(float32(i)/3, -1e-5, 4), Nrm: geom.V3(0, 1, 0), Pressure: 0.75})
	}
	return st
}

// Entries, their strokes and snapshots are kept together or not at all.
func TestTheLedgerIsKeptWhole(t *testing.T) {
	s := openStore(t)
	p := aProject(t, s)
	entry := func(seq int64) *Entry {
		return &Entry{ProjectID: p.ID, Seq: seq, Actor: "ann", Kind: "do", Label: fmt.Sprint("change ", seq), Op: json.RawMessage(`{"kind":"x"}`), Inverse: json.RawMessage(`{}`), At: time.Now()}
	}
	one, long := aStroke(uuid.NewString(), 1), aStroke(uuid.NewString(), 5000)
	must(t, s.Append(ctx, "", entry(1), []*brush.Stroke{one, long}, nil))
	must(t, s.Append(ctx, "", entry(2), nil, []byte(`{"after": 2}`)))
	must(t, s.Append(ctx, "", entry(3), []*brush.Stroke{one}, nil)) // a stroke that is there already
	snap, list, err := s.Latest(ctx, p.ID)
	must(t, err)
	if snap.Seq != 2 || len(list) != 3 || list[2].Seq != 3 || list[2].Label != "change 3" {
		t.Errorf("it opens at %d with %+v", snap.Seq, list)
	}
	if at, err := s.SnapshotAt(ctx, p.ID, 1); err != nil || at.Seq != 0 {
		t.Errorf("before 2 the snapshot is %+v, %v", at, err)
	}
	strokes, err := s.Strokes(ctx, p.ID)
	must(t, err)
	for _, want := range []*brush.Stroke{one, long} {
		a, _ := json.Marshal(want)
		b, _ := json.Marshal(strokes[want.ID])
		if !bytes.Equal(a, b) {
			t.Errorf("a stroke of %d points came back as\n%.300s\nnot\n%.300s", len(want.Points), b, a)
		}
	}
	// an entry of a number that is taken leaves nothing of it
	lost := aStroke(uuid.NewString(), 2)
	if err := s.Append(ctx, "", entry(3), []*brush.Stroke{lost}, []byte(`{"wrong": true}`)); err == nil {
		t.Error("the same number was taken twice")
	}
	if strokes, err = s.Strokes(ctx, p.ID); err != nil || strokes[lost.ID] != nil || len(strokes) != 2 {
		t.Errorf("of a refused entry its stroke stayed: %d strokes, %v", len(strokes), err)
	}
	if snap, _, _ := s.Latest(ctx, p.ID); snap.Seq != 2 {
		t.Errorf("of a refused entry its snapshot stayed: %d", snap.Seq)
	}
}

func TestMarksClipsAndPictures(t *testing.T) {
	s := openStore(t)
	p := aProject(t, s)
	for seq, name := range map[int64]string{5: "first coat", 9: "before rust"} {
		must(t, s.PutMark(ctx, Mark{p.ID, seq, name}))
	}
	must(t, s.PutMark(ctx, Mark{p.ID, 5, "base"}))
	must(t, s.PutMark(ctx, Mark{p.ID, 9, ""}))
	if m, err := s.Marks(ctx, p.ID); err != nil || len(m) != 1 || m[0].Name != "base" {
		t.Errorf("marks: %+v, %v", m, err)
	}
	actor := uuid.NewString()
	if _, err := s.Clip(ctx, actor); !errors.Is(err, ErrNotFound) {
		t.Errorf("nothing was copied: %v", err)
	}
	must(t, s.PutClip(ctx, actor, []byte(`{"a":1}`)))
	must(t, s.PutClip(ctx, actor, []byte(`{"a":2}`)))
	if b, err := s.Clip(ctx, actor); err != nil || !bytes.Contains(b, []byte("2")) {
		t.Errorf("copied was %s, %v", b, err)
	}
	for range 2 {
		must(t, s.PutPicture(ctx, &Picture{ProjectID: p.ID, Blob: "b", Name: "plank.png", Width: 4, Height: 8, At: time.Now()}))
	}
	if list, err := s.Pictures(ctx, p.ID); err != nil || len(list) != 1 || list[0].Height != 8 {
		t.Errorf("pictures: %+v, %v", list, err)
	}
}

// A job that was cancelled stays so, whatever its worker says afterwards.
func TestJobsEndOnce(t *testing.T) {
	s := openStore(t)
	p := aProject(t, s)
	job := func() *Job {
		j := &Job{ID: uuid.NewString(), ProjectID: p.ID, Kind: "bake", State: "waiting", Args: json.RawMessage(`{}`), CreatedAt: time.Now(), UpdatedAt: time.Now()}
		must(t, s.PutJob(ctx, j))
		return j
	}
	state := func(j *Job) string {
		got, err := s.JobByID(ctx, j.ID)
		must(t, err)
		return fmt.Sprintf("%s %.2f %s", got.State, got.Progress, got.Note)
	}
	a := job()
	if on, err := s.Progress(ctx, a.ID, 0.25, "half of a half"); err != nil || !on || state(a) != "running 0.25 half of a half" {
		t.Errorf("it goes on: %v %v, %s", on, err, state(a))
	}
	must(t, s.PutPiece(ctx, a.ID, "row 1", []byte{1, 2, 3}))
	must(t, s.PutPiece(ctx, a.ID, "row 1", []byte{4}))
	if b, err := s.Piece(ctx, a.ID, "row 1"); err != nil || len(b) == 0 {
		t.Errorf("a piece of its work: %v %v", b, err)
	}
	if names, err := s.Pieces(ctx, a.ID); err != nil || len(names) != 1 {
		t.Errorf("pieces: %v %v", names, err)
	}
	a.State, a.Progress, a.Note = "done", 1, "baked"
	if on, err := s.EndJob(ctx, a); err != nil || !on || state(a) != "done 1.00 baked" {
		t.Errorf("it ends: %v %v, %s", on, err, state(a))
	}
	if names, _ := s.Pieces(ctx, a.ID); len(names) != 0 {
		t.Errorf("pieces of what is done stay: %v", names)
	}
	if on, _ := s.Progress(ctx, a.ID, 0.5, "late"); on || state(a) != "done 1.00 baked" {
		t.Errorf("what is done goes on: %s", state(a))
	}
	b := job()
	must(t, s.Cancel(ctx, b.ID))
	b.State = "done"
	if on, _ := s.EndJob(ctx, b); on || state(b)[:9] != "cancelled" {
		t.Errorf("what was cancelled ended as %s", state(b))
	}
	alive, err := s.AliveJobs(ctx)
	must(t, err)
	for _, j := range alive {
		if j.ID == a.ID || j.ID == b.ID {
			t.Errorf("%s is listed as alive", state(&j))
		}
	}
}

func TestTilesAreKeptAndDropped(t *testing.T) {
	s := openStore(t)
	p := aProject(t, s)
	var tiles []FinishedTile
	for i := range 120 {
		tiles = append(tiles, FinishedTile{p.ID, []byte(fmt.Sprint("key ", i)), PackTile(bytes.Repeat([]byte{byte(i)}, 3000))})
	}
	must(t, s.KeepTiles(ctx, p.ID, tiles[:80], nil))
	must(t, s.KeepTiles(ctx, p.ID, tiles[60:], [][]byte{[]byte("key 0"), []byte("key 1")}))
	keys, err := s.TileKeys(ctx, p.ID)
	must(t, err)
	if len(keys) != 118 {
		t.Errorf("%d tiles are there, 118 are wanted", len(keys))
	}
	got, err := s.Tiles(ctx, p.ID, [][]byte{[]byte("key 0"), []byte("key 7"), []byte("key 119")})
	must(t, err)
	if len(got) != 2 || len(got["key 7"]) != 3000 || got["key 119"][5] != 119 {
		t.Errorf("%d of them came back", len(got))
	}
	// two pages of one project at a time
	var wg sync.WaitGroup
	for k := range 4 {
		wg.Go(func() {
			if err := s.KeepTiles(ctx, p.ID, []FinishedTile{{p.ID, []byte(fmt.Sprint("more ", k)), PackTile(nil)}}, [][]byte{[]byte("key 5"), []byte("key 6")}); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	if keys, _ = s.TileKeys(ctx, p.ID); len(keys) != 120 {
		t.Errorf("after four at once %d tiles are there, 120 are wanted", len(keys))
	}
}

func TestTheStock(t *testing.T) {
	s := openStore(t)
	kind := "test " + uuid.NewString()
	for _, name := range []string{"Weed", "Salt"} {
		must(t, s.PutStock(ctx, &StockItem{ID: kind + name, Kind: kind, Name: name, Data: json.RawMessage(`[]`), Picture: []byte{9}, At: time.Now()}))
	}
	names := func() (n []string) {
		list, err := s.Stock(ctx, kind)
		must(t, err)
		for _, i := range list {
			n = append(n, i.Name)
		}
		return n
	}
	if got := fmt.Sprint(names()); got != "[Salt Weed]" {
		t.Errorf("by name it is %s", got)
	}
	if i, err := s.StockByID(ctx, kind+"Salt"); err != nil || len(i.Picture) != 1 {
		t.Errorf("%+v %v", i, err)
	}
	must(t, s.DropStock(ctx, kind+"Salt"))
	if got := fmt.Sprint(names()); got != "[Weed]" {
		t.Errorf("after one is dropped it is %s", got)
	}
	must(t, s.RestoreStock(ctx, kind+"Salt"))
	if got := fmt.Sprint(names()); got != "[Salt Weed]" {
		t.Errorf("brought back it is %s", got)
	}
	for what, err := range map[string]error{"drop": s.DropStock(ctx, "none"), "restore": s.RestoreStock(ctx, "none")} {
		if !errors.Is(err, ErrNotFound) {
			t.Errorf("%s of none: %v", what, err)
		}
	}
}

// Looking at a project keeps its picture and is no change of it.
func TestAPictureIsNoChange(t *testing.T) {
	s := openStore(t)
	p := aProject(t, s)
	was, err := s.Project(ctx, p.ID)
	must(t, err)
	must(t, s.Show(ctx, p.ID, []byte{1, 2}))
	now, err := s.Project(ctx, p.ID)
	must(t, err)
	if !now.UpdatedAt.Equal(was.UpdatedAt) || len(now.Picture) != 2 {
		t.Errorf("changed at %v, then at %v; a picture of %d bytes", was.UpdatedAt, now.UpdatedAt, len(now.Picture))
	}
	must(t, s.Change(ctx, p.ID, map[string]any{"name": "Skiff again"}))
	if now, _ = s.Project(ctx, p.ID); !now.UpdatedAt.After(was.UpdatedAt) {
		t.Error("a rename is no change")
	}
	if err := s.Show(ctx, "nobody", nil); !errors.Is(err, ErrNotFound) {
		t.Errorf("a picture of nobody: %v", err)
	}
}
