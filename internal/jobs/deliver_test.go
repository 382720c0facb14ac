package jobs_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"velvetgrime/core/deliver"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/sample"
	"velvetgrime/internal/intake"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/store"
)

// row makes the bench's project one of several sheets, so that a delivery has several parts.
func (b *bench) row() {
	b.Helper()
	var all []*mesh.Model
	for i := range 4 {
		m := sample.Bollard()
		m.Sheets = []mesh.Sheet{{Name: fmt.Sprintf("Iron %d", i+1), Source: "Iron", HasUV: true}}
		all = append(all, m)
	}
	m, err := mesh.Join("row", all...)
	if err != nil {
		b.Fatal(err)
	}
	var glb bytes.Buffer
	if err := meshio.WriteGLB(&glb, m, meshio.Options{}); err != nil {
		b.Fatal(err)
	}
	p, err := intake.Create(b.ctx, b.store, "", "Row of bollards", map[string][]byte{"row.glb": glb.Bytes()}, nil, nil)
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = b.store.Delete(b.ctx, p.ID) })
	b.project = p.ID
}

func (b *bench) delivered(id string) (files []store.JobFile, note deliver.Note) {
	b.Helper()
	j := b.wait(id, "the delivery", func(j *store.Job) bool { return j.State == "done" || j.State == "failed" })
	if j.State != "done" {
		b.Fatal(j.Note)
	}
	d, err := b.store.DeliveryByID(b.ctx, id)
	if err != nil {
		b.Fatal(err)
	}
	if err := json.Unmarshal(j.Files, &files); err != nil {
		b.Fatal(err)
	}
	if err := json.Unmarshal(d.Note, &note); err != nil {
		b.Fatal(err)
	}
	return files, note
}

// A delivery is shared by two workers, goes on where one stopped, and is the same, byte for byte, as by
// one; its note tells every file's hash.
func TestADeliveryIsTheSameByOneAndByTwoAndAfterAStop(t *testing.T) {
	b := start(t)
	b.row()
	server, _ := b.runner(jobs.Apply, false)
	defer server.Stop()
	first, _ := b.runner(jobs.Work, true)
	p, _ := deliver.FindPreset("glTF metal-rough")
	p.Size = 512
	o := deliver.Order{Preset: &p, Project: "Row"}
	j, err := server.Deliver(b.ctx, b.project, "", o)
	if err != nil {
		t.Fatal(err)
	}
	units := func(id string) (n int) {
		names, _ := b.store.Pieces(b.ctx, id)
		for _, s := range names {
			if strings.HasPrefix(s, "unit-") {
				n++
			}
		}
		return n
	}
	b.wait(j.ID, "a unit", func(*store.Job) bool { return units(j.ID) >= 1 })
	first.Stop()
	one, _ := b.runner(jobs.Work, true)
	two, _ := b.runner(jobs.Work, true)
	defer two.Stop()
	files, note := b.delivered(j.ID)
	one.Stop()
	if len(files) != 17 || len(note.Files) != len(files) {
		t.Fatalf("%d files, %d in the note", len(files), len(note.Files))
	}
	for i, f := range files {
		if n := note.Files[i]; n.Name != f.Name || n.SHA256 != f.Blob || n.Size != f.Size || n.Of == "" || f.Size == 0 {
			t.Errorf("the note says %+v of %+v", n, f)
		}
	}
	again, err := server.Deliver(b.ctx, b.project, "", o)
	if err != nil {
		t.Fatal(err)
	}
	alone, _ := b.delivered(again.ID)
	for i, f := range files {
		if alone[i] != f {
			t.Errorf("by one worker it is %+v, by two %+v", alone[i], f)
		}
	}
	if units(j.ID) != 0 {
		t.Error("its pieces are left over")
	}
}

// Deliveries go into a folder below the one that the operator allowed, and nowhere else.
func TestADeliveryGoesIntoAFolder(t *testing.T) {
	b := start(t)
	r, _ := b.runner(jobs.Work|jobs.Apply, false)
	defer r.Stop()
	p, _ := deliver.FindPreset("glTF metal-rough")
	p.Size = 128
	o := deliver.Order{Preset: &p, Folder: "quay/bollard"}
	if _, err := r.Deliver(b.ctx, b.project, "", o); err == nil || !strings.Contains(err.Error(), "--deliver-to") {
		t.Fatalf("without a folder that is allowed: %v", err)
	}
	top := t.TempDir()
	r.Outlet = filepath.Join(top, "out")
	if err := os.Mkdir(r.Outlet, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(top, filepath.Join(r.Outlet, "away")); err != nil {
		t.Fatal(err)
	}
	for _, bad := range []string{"..", "../x", "/etc", "away", "quay/../../x"} {
		o.Folder = bad
		if j, err := r.Deliver(b.ctx, b.project, "", o); err == nil {
			t.Errorf("%s is taken: %s", bad, j.State)
		}
	}
	o.Folder = "quay/bollard"
	j, err := r.Deliver(b.ctx, b.project, "", o)
	if err != nil {
		t.Fatal(err)
	}
	files, _ := b.delivered(j.ID)
	for _, f := range files {
		data, err := os.ReadFile(filepath.Join(r.Outlet, "quay", "bollard", f.Name))
		want, _ := b.store.Blob(b.ctx, f.Blob)
		if err != nil || string(data) != string(want) {
			t.Errorf("%s: %v, %d bytes", f.Name, err, len(data))
		}
	}
	left, _ := os.ReadDir(filepath.Join(r.Outlet, "quay", "bollard"))
	if len(left) != len(files) {
		t.Errorf("there are %d files, %d were delivered", len(left), len(files))
	}
	there, err := r.There(o.Folder, []deliver.File{{Name: files[0].Name}, {Name: "another.png"}})
	if err != nil || len(there) != 1 || there[0] != files[0].Name {
		t.Errorf("there are %v (%v)", there, err)
	}
	if there, err := r.There("not made yet", []deliver.File{{Name: "a"}}); err != nil || len(there) != 0 {
		t.Errorf("in a folder that is not there are %v (%v)", there, err)
	}
}
