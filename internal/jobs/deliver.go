package jobs

import (
	"archive/zip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sync"
	"time"

	"velvetgrime/core/deliver"
	"velvetgrime/core/eval"
	"velvetgrime/core/meshio"
	"velvetgrime/internal/store"
)

// Delivery is the kind of jobs that write files.
const Delivery = "deliver"

func init() {
	k := kinds[Delivery]
	k.work, k.help, k.apply = deliverFiles, helpDeliver, putFiles
	k.applies = func(j *store.Job) bool {
		var o deliver.Order
		return json.Unmarshal(j.Args, &o) == nil && o.Folder != ""
	}
	kinds[Delivery] = k
}

// Deliver puts an order of files in the queue, and asks other workers to help where it has several
// parts.
func (r *Runner) Deliver(ctx context.Context, project, actor string, o deliver.Order) (*store.Job, error) {
	if o.Folder != "" {
		if _, err := r.There(o.Folder, nil); err != nil {
			return nil, err
		}
	}
	label := "Deliver"
	if o.Preset != nil {
		label = o.Preset.Name
	}
	j, err := r.Order(ctx, project, Delivery, actor, label, o)
	if err == nil {
		r.askHelp(ctx, j.ID)
	}
	return j, err
}

// delivering is a delivery that one worker is at.
type delivering struct {
	parts
	w *deliver.Work
}

// beginDelivery plans a delivery of the project as it is now.
func (r *Runner) beginDelivery(ctx context.Context, j *store.Job) (*delivering, *eval.Program, deliver.Order, int64, error) {
	var o deliver.Order
	if err := json.Unmarshal(j.Args, &o); err != nil {
		return nil, nil, o, 0, err
	}
	p, seq, err := r.hub.ProgramAt(ctx, j.ProjectID)
	if err != nil {
		return nil, nil, o, 0, err
	}
	if o.Original, err = r.hub.Original(ctx, j.ProjectID); err != nil {
		return nil, nil, o, 0, err
	}
	w, err := deliver.NewWork(p, o)
	if err != nil {
		return nil, nil, o, 0, err
	}
	d := &delivering{w: w}
	d.parts = parts{r, j.ID, "unit", rand.Uint64(), len(w.Units), d.make}
	return d, p, o, seq, nil
}

// deliverFiles is the work of the one that has the job: unit by unit, those of other workers among
// them, then the scenes and the note.
func deliverFiles(ctx context.Context, r *Runner, t *task) error {
	begun := time.Now()
	d, p, o, seq, err := r.beginDelivery(ctx, t.Job)
	if err != nil {
		return err
	}
	if _, err := r.begin(ctx, t.ID, p); err != nil {
		return err
	}
	made := map[string]store.JobFile{}
	count := float64(len(d.w.Units) + 1)
	for i, u := range d.w.Units {
		tell := func(s float64) { t.tell((float64(i)+s)/count, u.Name) }
		tell(0)
		data, err := d.part(ctx, i, tell)
		if err != nil {
			return err
		}
		list, err := filesOf(data)
		if err != nil {
			return err
		}
		for _, f := range list {
			made[f.Name] = f
		}
	}
	var aside []*os.File
	defer func() {
		for _, f := range aside {
			_ = f.Close()
			_ = os.Remove(f.Name())
		}
	}()
	body := func(name string) (meshio.Body, error) {
		f, err := os.CreateTemp("", "velvetgrime-map-*")
		if err != nil {
			return nil, err
		}
		aside = append(aside, f)
		if err := r.store.BlobTo(ctx, made[name].Blob, f); err != nil {
			return nil, err
		}
		return io.NewSectionReader(f, 0, int64(made[name].Size)), nil
	}
	var mu sync.Mutex
	err = d.w.Scenes(ctx, body, func(s float64, name string) { t.tell((count-1+s)/count, name) }, r.keeping(ctx, &mu, made))
	if err != nil {
		return err
	}
	files := []store.JobFile{}
	of := d.w.Of()
	note := deliver.Note{ID: t.ID, At: time.Now().UTC(), Seq: seq, Order: o, Seconds: time.Since(begun).Seconds(), Folder: o.Folder}
	for _, f := range d.w.Files() {
		m := made[f.Name]
		files = append(files, m)
		note.Files = append(note.Files, deliver.NoteFile{Written: deliver.Written{Name: m.Name, Size: m.Size, SHA256: m.Blob}, Of: of[f.Name]})
	}
	if t.Files, err = json.Marshal(files); err != nil {
		return err
	}
	return r.store.PutDelivery(ctx, t.ProjectID, note.ID, note.At, note)
}

// keeping keeps what is put as blobs, by name.
func (r *Runner) keeping(ctx context.Context, mu *sync.Mutex, made map[string]store.JobFile) deliver.Put {
	return func(name string, file func(io.Writer) error) error {
		blob, size, err := r.store.PutBlobOf(ctx, file)
		mu.Lock()
		defer mu.Unlock()
		made[name] = store.JobFile{Name: name, Blob: blob, Size: size}
		return err
	}
}

// make makes a unit.
func (d *delivering) make(ctx context.Context, i int, tell func(float64)) ([]byte, error) {
	var mu sync.Mutex
	made := map[string]store.JobFile{}
	if err := d.w.Make(ctx, i, tell, d.r.keeping(ctx, &mu, made)); err != nil {
		return nil, err
	}
	list := []store.JobFile{}
	for _, f := range made {
		list = append(list, f)
	}
	return json.Marshal(list)
}

// filesOf reads what a part of a job came to.
func filesOf(data []byte) (list []store.JobFile, err error) {
	err = json.Unmarshal(data, &list)
	return list, err
}

// helpDeliver makes units of a delivery that another worker has.
func helpDeliver(ctx context.Context, r *Runner, j *store.Job) error {
	d, p, _, _, err := r.beginDelivery(ctx, j)
	if err != nil {
		return err
	}
	if len(d.w.Units) < 2 {
		return nil
	}
	return d.help(ctx, p)
}

// putFiles puts what was delivered into the folder that was asked for.
func putFiles(ctx context.Context, r *Runner, j *store.Job) (string, error) {
	var o deliver.Order
	if err := json.Unmarshal(j.Args, &o); err != nil {
		return "", err
	}
	var files []store.JobFile
	if err := json.Unmarshal(j.Files, &files); err != nil {
		return "", err
	}
	root, err := r.outlet(o.Folder, true)
	if err != nil {
		return "", err
	}
	defer root.Close()
	for _, f := range files {
		part := ".part-" + f.Name
		to, err := root.Create(part)
		if err != nil {
			return "", fmt.Errorf("%s: %w", f.Name, err)
		}
		err = errors.Join(r.store.BlobTo(ctx, f.Blob, to), to.Close())
		if err == nil {
			err = root.Rename(part, f.Name)
		}
		if err != nil {
			_ = root.Remove(part)
			return "", fmt.Errorf("%s: %w", f.Name, err)
		}
	}
	return fmt.Sprintf("%d files put into %s", len(files), o.Folder), nil
}

// outlet opens a folder below the one that the operator allowed; no name and no link leads out of that.
func (r *Runner) outlet(folder string, make bool) (*os.Root, error) {
	if r.Outlet == "" {
		return nil, fmt.Errorf("this server puts no files into folders; its operator allows one with --deliver-to")
	}
	if !filepath.IsLocal(folder) {
		return nil, fmt.Errorf("the folder %q does not lie below the one for deliveries; name one like quay/bollard", folder)
	}
	root, err := os.OpenRoot(r.Outlet)
	if err != nil {
		return nil, fmt.Errorf("the folder for deliveries: %w", err)
	}
	defer root.Close()
	if make {
		if err := root.MkdirAll(folder, 0o755); err != nil {
			return nil, fmt.Errorf("the folder %q cannot be made below the one for deliveries: %w", folder, err)
		}
	}
	sub, err := root.OpenRoot(folder)
	if err != nil {
		return nil, fmt.Errorf("the folder %q cannot be opened below the one for deliveries: %w", folder, err)
	}
	return sub, nil
}

// There lists which of some files are in a folder already. A folder that is not there holds none.
func (r *Runner) There(folder string, files []deliver.File) (names []string, err error) {
	root, err := r.outlet(folder, false)
	if errors.Is(err, os.ErrNotExist) && r.Outlet != "" {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer root.Close()
	for _, f := range files {
		if _, err := root.Lstat(f.Name); err == nil {
			names = append(names, f.Name)
		}
	}
	return names, nil
}

// Bundle packs the files of a job into one zip, as they come from the database.
func Bundle(ctx context.Context, s *store.Store, files []store.JobFile, w io.Writer) error {
	z := zip.NewWriter(w)
	for _, f := range files {
		e, err := z.CreateHeader(&zip.FileHeader{Name: f.Name, Method: zip.Store, Modified: time.Now()})
		if err != nil {
			return err
		}
		if err := s.BlobTo(ctx, f.Blob, e); err != nil {
			return err
		}
	}
	return z.Close()
}
