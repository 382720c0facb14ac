package jobs

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"io"
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
	err = deliver.Write(ctx, p, o, t.tell, func(name string) (io.Writer, error) {
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
