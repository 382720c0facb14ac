package jobs

import (
	"archive/zip"
	"context"
	"encoding/json"
	"io"
	"os"
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
	// each goes through the disk: a picture of 8192 texels a side is not to be held twice
	var body *os.File
	finish := func() error {
		if body == nil {
			return nil
		}
		defer drop(body)
		f := &files[len(files)-1]
		n, err := body.Seek(0, io.SeekEnd)
		if err == nil {
			f.Size = int(n)
			f.Blob, err = r.store.PutBlobFrom(ctx, body)
		}
		return err
	}
	err = deliver.Write(ctx, p, o, t.tell, func(name string) (io.Writer, error) {
		err := finish()
		body = nil
		if err == nil {
			files = append(files, store.JobFile{Name: name})
			body, err = os.CreateTemp("", "velvetgrime-delivery-*")
		}
		return body, err
	})
	if err == nil {
		err = finish()
	} else if body != nil {
		drop(body)
	}
	if err != nil {
		return err
	}
	t.Files, err = json.Marshal(files)
	return err
}

// drop closes a file and takes it away.
func drop(f *os.File) {
	_ = f.Close()
	_ = os.Remove(f.Name())
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
