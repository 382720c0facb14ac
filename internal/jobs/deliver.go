package jobs

import (
	"archive/zip"
	"context"
	"encoding/json"
	"io"
	"sync"
	"time"

	"velvetgrime/core/deliver"
	"velvetgrime/internal/store"
)

func init() {
	k := kinds["deliver"]
	k.work = deliverFiles
	kinds["deliver"] = k
}

func deliverFiles(ctx context.Context, r *Runner, t *task) error {
	var o deliver.Order
	if err := json.Unmarshal(t.Args, &o); err != nil {
		return err
	}
	p, err := r.hub.Program(ctx, t.ProjectID)
	if err != nil {
		return err
	}
	if o.Original, err = r.hub.Original(ctx, t.ProjectID); err != nil {
		return err
	}
	plan, err := deliver.Plan(p, o)
	if err != nil {
		return err
	}
	var mu sync.Mutex
	done := map[string]store.JobFile{}
	err = deliver.Write(ctx, p, o, t.tell, func(name string, file func(io.Writer) error) error {
		blob, size, err := r.store.PutBlobOf(ctx, file)
		mu.Lock()
		defer mu.Unlock()
		done[name] = store.JobFile{Name: name, Blob: blob, Size: size}
		return err
	})
	if err != nil {
		return err
	}
	files := make([]store.JobFile, len(plan))
	for i, f := range plan {
		files[i] = done[f.Name]
	}
	t.Files, err = json.Marshal(files)
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
