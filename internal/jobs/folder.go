package jobs

import (
	"context"
	"fmt"
	"io/fs"
	"log"
	"os"
	"path/filepath"
	"strings"
	"time"

	"velvetgrime/core/ora"
	"velvetgrime/core/par"
)

// Folder is the exchange folder: layered pictures lie there for other programs, and what these
// save over them comes back.
type Folder struct {
	dir   string
	known map[string]stamp // files as they were when they were last taken or laid, of watch alone
	seen  map[string]stamp // files that have changed since, as they were a moment ago
	put   chan put
}

// stamp tells whether a file was written since.
type stamp struct {
	size int64
	at   time.Time
}

type put struct {
	name string
	is   stamp
}

// lookEvery is how often the folder is looked at. A file is taken when it has been the same for
// two looks: it is not being written then.
const lookEvery = 500 * time.Millisecond

// NewFolder returns the exchange folder dir, which it makes when it is not there. What lies in it
// already is taken when it was never taken, nor laid there as it is.
func NewFolder(dir string) (*Folder, error) {
	dir, err := filepath.Abs(dir)
	if err == nil {
		err = os.MkdirAll(dir, 0o777)
	}
	if err != nil {
		return nil, fmt.Errorf("the exchange folder: %w", err)
	}
	return &Folder{dir: dir, known: map[string]stamp{}, seen: map[string]stamp{}, put: make(chan put, 64)}, nil
}

// Put lays a file into the folder, beside those that have its name, and returns its path.
func (f *Folder) Put(name string, data []byte) (string, error) {
	base := strings.TrimSuffix(name, ora.Ext)
	for n := 1; ; n++ {
		if n > 1 {
			name = fmt.Sprintf("%s %d%s", base, n, ora.Ext)
		}
		path := filepath.Join(f.dir, name)
		if _, err := os.Lstat(path); err == nil && n < 1000 {
			continue
		}
		// whole or not at all: other programs look at the folder, too
		t, err := os.CreateTemp(f.dir, ".out-*")
		if err != nil {
			return "", err
		}
		_, err = t.Write(data)
		if e := t.Close(); err == nil {
			err = e
		}
		if err == nil {
			err = os.Chmod(t.Name(), 0o644)
		}
		var info fs.FileInfo
		if err == nil {
			info, err = os.Stat(t.Name())
		}
		if err == nil {
			select {
			case f.put <- put{name, stamp{info.Size(), info.ModTime()}}: // before it can be seen
			default: // nobody watches
			}
			err = os.Rename(t.Name(), path)
		}
		if err != nil {
			_ = os.Remove(t.Name())
			return "", fmt.Errorf("the exchange folder: %w", err)
		}
		return path, nil
	}
}

func (f *Folder) each(do func(name string, is stamp)) error {
	list, err := os.ReadDir(f.dir)
	if err != nil {
		return fmt.Errorf("the exchange folder: %w", err)
	}
	for _, e := range list {
		if !strings.EqualFold(filepath.Ext(e.Name()), ora.Ext) || strings.HasPrefix(e.Name(), ".") || !e.Type().IsRegular() {
			continue
		}
		if info, err := e.Info(); err == nil {
			do(e.Name(), stamp{info.Size(), info.ModTime()})
		}
	}
	return nil
}

// look finds files that were saved, and have been at rest since the last look.
func (f *Folder) look() (saved []string, err error) {
	for {
		select {
		case p := <-f.put:
			f.known[p.name] = p.is
			continue
		default:
		}
		break
	}
	seen := map[string]stamp{}
	err = f.each(func(name string, is stamp) {
		if f.known[name] == is {
			return
		}
		if f.seen[name] == is {
			saved = append(saved, name)
			f.known[name] = is
			return
		}
		seen[name] = is
	})
	f.seen = seen
	return saved, err
}

// watchFolder takes what is saved in the exchange folder until the context ends.
func (r *Runner) watchFolder(ctx context.Context) {
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	said := ""
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		err := par.Contain(func() error {
			saved, err := r.Folder.look()
			for _, name := range saved {
				if err := r.takeFile(ctx, name); err != nil && ctx.Err() == nil {
					log.Printf("exchange folder: %s: %v", name, err)
					r.tellWhy(name, err)
				}
			}
			return err
		})
		now := ""
		if err != nil {
			now = err.Error()
		}
		if now != "" && now != said {
			log.Printf("exchange folder: %v", err)
		}
		said = now
	}
}

// takeFile has a job take a file of the folder.
func (r *Runner) takeFile(ctx context.Context, name string) error {
	path := filepath.Join(r.Folder.dir, name)
	file, err := os.Open(path)
	if err != nil {
		return err
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return err
	}
	if info.Size() > MaxViewBytes {
		return fmt.Errorf("it is larger than %d MB", MaxViewBytes>>20)
	}
	project, err := r.WhoseView(ctx, file, info.Size())
	if err != nil {
		return err
	}
	if _, err := r.store.Project(ctx, project); err != nil {
		return fmt.Errorf("it shows a view of a project that is not on this server, or was deleted")
	}
	blob, err := r.store.PutBlobFrom(ctx, file)
	if err != nil {
		return err
	}
	if named, err := r.store.JobNames(ctx, blob); err != nil || named {
		return err // before the server was started anew
	}
	_, err = r.TakeView(ctx, project, "", blob, name)
	if err == nil {
		_ = os.Remove(why(path))
	}
	return err
}

// MaxViewBytes bounds a layered picture that comes back.
const MaxViewBytes = 1 << 30

func why(path string) string {
	return strings.TrimSuffix(path, filepath.Ext(path)) + " was not taken.txt"
}

// tellWhy says beside a file, of which no project is known that could say so, why it was not
// taken.
func (r *Runner) tellWhy(name string, err error) {
	text := fmt.Sprintf("%s was not taken back: %v.\n", name, err)
	_ = os.WriteFile(why(filepath.Join(r.Folder.dir, name)), []byte(text), 0o644)
}
