package jobs

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"velvetgrime/core/ora"
	"velvetgrime/core/paintover"
	"velvetgrime/core/stack"
	"velvetgrime/internal/store"

	"github.com/google/uuid"
)

// Kinds of the two ways of a view: out, as a layered picture, and back, with what was added.
const (
	viewOut  = "view out"
	viewBack = "view back"
)

// ViewOrder is a view that is to go out.
type ViewOrder struct {
	paintover.Lens
	W      int    `json:"w" minimum:"16" doc:"texels"`
	H      int    `json:"h" minimum:"16"`
	Name   string `json:"name" minLength:"1" maxLength:"100" doc:"of the picture"`
	Folder bool   `json:"folder,omitempty" doc:"it is also laid into the exchange folder"`
}

// backOrder is a picture that came back.
type backOrder struct {
	Blob string `json:"blob"`
	File string `json:"file"`
}

func init() {
	k := kinds[viewOut]
	k.work, k.apply = sendView, layView
	kinds[viewOut] = k
	k = kinds[viewBack]
	k.work, k.apply = readView, takeView
	kinds[viewBack] = k
}

// SendView orders a view as a layered picture.
func (r *Runner) SendView(ctx context.Context, project, actor string, o ViewOrder) (*store.Job, error) {
	n := noteOf(&o, project, "a")
	if err := n.Check(); err != nil {
		return nil, fmt.Errorf("the view cannot go out: %w", err)
	}
	if o.Folder && r.Folder == nil {
		return nil, errors.New("the server has no exchange folder; start it with --exchange DIR, or take the picture by download")
	}
	return r.Order(ctx, project, viewOut, actor, "Send out "+o.Name, o)
}

// TakeView orders that what was added to a layered picture, which is kept as a blob, is laid on
// the project's model.
func (r *Runner) TakeView(ctx context.Context, project, actor, blob, file string) (*store.Job, error) {
	return r.Order(ctx, project, viewBack, actor, "Take back "+file, backOrder{blob, file})
}

func noteOf(o *ViewOrder, project, id string) *paintover.Note {
	return &paintover.Note{ID: id, Project: project, Name: o.Name, Lens: o.Lens, W: o.W, H: o.H}
}

func sendView(ctx context.Context, r *Runner, t *task) error {
	var o ViewOrder
	if err := json.Unmarshal(t.Args, &o); err != nil {
		return err
	}
	p, err := r.hub.Program(ctx, t.ProjectID)
	if err != nil {
		return err
	}
	n := noteOf(&o, t.ProjectID, strings.ReplaceAll(t.ID, "-", "")[:10])
	blob, size, err := r.store.PutBlobOf(ctx, func(w io.Writer) error {
		return paintover.Out(ctx, w, p, n, func(share float64) { t.tell(share, "drawing "+o.Name) })
	})
	if err != nil {
		return err
	}
	if t.Files, err = json.Marshal([]store.JobFile{{Name: fileName(o.Name), Blob: blob, Size: size}}); err != nil {
		return err
	}
	t.Result, err = json.Marshal(n) // for files that lost it
	return err
}

// fileName is a name as every system takes it.
func fileName(name string) string {
	s := strings.Map(func(r rune) rune {
		if r < ' ' || strings.ContainsRune(`/\:*?"<>|`, r) {
			return '-'
		}
		return r
	}, name)
	if s = strings.Trim(s, ". "); s == "" {
		s = "view"
	}
	return s + ora.Ext
}

// layView lays a picture that goes out into the exchange folder.
func layView(ctx context.Context, r *Runner, j *store.Job) (string, error) {
	var o ViewOrder
	if err := json.Unmarshal(j.Args, &o); err != nil || !o.Folder {
		return "", err
	}
	if r.Folder == nil {
		return "", errors.New("the server was started without its exchange folder; start it with --exchange DIR")
	}
	var files []store.JobFile
	if err := json.Unmarshal(j.Files, &files); err != nil {
		return "", err
	}
	for _, f := range files {
		b, err := r.store.Blob(ctx, f.Blob)
		if err != nil {
			return "", err
		}
		path, err := r.Folder.Put(f.Name, b)
		if err != nil {
			return "", err
		}
		return "it lies at " + path, nil
	}
	return "", nil
}

// knownView is the note of a view that went out.
func (r *Runner) knownView(ctx context.Context, id string) *paintover.Note {
	j, err := r.store.JobWithResult(ctx, viewOut, "id", id)
	if err != nil {
		return nil
	}
	var n paintover.Note
	if json.Unmarshal(j.Result, &n) != nil || n.ID != id {
		return nil
	}
	return &n
}

// WhoseView returns of which project a layered picture shows a view.
func (r *Runner) WhoseView(ctx context.Context, file io.ReaderAt, size int64) (project string, err error) {
	n, err := paintover.NoteOf(file, size, func(id string) *paintover.Note { return r.knownView(ctx, id) })
	if err != nil {
		return "", err
	}
	return n.Project, nil
}

func readView(ctx context.Context, r *Runner, t *task) error {
	var o backOrder
	if err := json.Unmarshal(t.Args, &o); err != nil {
		return err
	}
	file, err := r.store.Blob(ctx, o.Blob)
	if err != nil {
		return err
	}
	b, err := paintover.Read(
		ctx, bytes.NewReader(file), int64(len(file)),
		func(id string) *paintover.Note { return r.knownView(ctx, id) },
		func(png []byte) (string, error) { return r.store.PutBlob(ctx, png) },
		func(share float64) { t.tell(share, "reading "+o.File) },
	)
	if err != nil {
		return fmt.Errorf("%s: %w", o.File, err)
	}
	if b.Project != t.ProjectID {
		where := "a project that is not here"
		if p, err := r.store.Project(ctx, b.Project); err == nil {
			where = "the project “" + p.Name + "”"
		}
		return fmt.Errorf("%s shows a view of %s: open that, and drop it there", o.File, where)
	}
	t.Result, err = json.Marshal(b)
	return err
}

// takeView lays what came back on the model. The note says what was not taken.
func takeView(ctx context.Context, r *Runner, j *store.Job) (string, error) {
	var b paintover.Brought
	if err := json.Unmarshal(j.Result, &b); err != nil {
		return "", err
	}
	s, err := r.hub.Open(ctx, j.ProjectID)
	if err != nil {
		return "", err
	}
	op, err := b.Op(s.Document(), s.Model(), uuid.NewString)
	if err == nil && op != nil {
		err = s.Change(j.Actor, "job:"+j.ID, func(d *stack.Document) (stack.Op, error) {
			op, err = b.Op(d, s.Model(), uuid.NewString)
			return op, err
		})
	}
	if err != nil {
		return "", err
	}
	if op == nil {
		b.Said = append([]string{"nothing in it has changed"}, b.Said...)
	}
	return strings.Join(b.Said, "\n"), nil
}
