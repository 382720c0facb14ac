// Package live runs open projects. One goroutine owns a project: everything that
// changes it is a call through its inbox, is validated, applied, written to the
// database, and only then acknowledged and shown to every viewer.
package live

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"sync"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/eval"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/internal/store"
)

// Hub holds the open projects and the cache they share.
type Hub struct {
	Store *store.Store
	Cache *eval.Cache
	// Transient hubs belong to a process that does not own projects: they read a
	// project anew for every job.
	Transient bool
	mu        sync.Mutex
	open      map[string]*Session
}

// NewHub returns a hub whose cache holds at most limit bytes.
func NewHub(s *store.Store, limit int) *Hub {
	return &Hub{Store: s, Cache: eval.NewCache(limit), open: map[string]*Session{}}
}

// Session is one open project.
type Session struct {
	hub   *Hub
	ID    string
	Name  string
	inbox chan func()

	// owned by the goroutine of run
	doc     *stack.Document
	entries []store.Entry
	strokes map[string]*brush.Stroke
	marks   map[int64]string
	viewers map[*viewer]bool
	hot     string
	works   map[int64]*work // long work that ends in a change
	worked  int64

	mu      sync.Mutex
	model   *mesh.Model // with its UV layout; another one after an unwrap
	scene   *eval.Scene
	current *eval.Program // what viewers show, with live strokes and previews
	kept    *stack.Document
	glb     []byte
	report  *reported // what the checks found; nil: not looked yet
}

// Picture reads a stored picture; its name is that of its blob.
func (h *Hub) Picture(name string) (*pix.Picture, error) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	b, err := h.Store.Blob(ctx, name)
	if err != nil {
		return nil, err
	}
	return pix.DecodePicture(bytes.NewReader(b))
}

// Open returns the session of a project, loading it when it is not open yet.
func (h *Hub) Open(ctx context.Context, id string) (*Session, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if s := h.open[id]; s != nil {
		return s, nil
	}
	s, err := h.read(ctx, id)
	if err != nil {
		return nil, err
	}
	go s.run()
	h.open[id] = s
	return s, nil
}

// read loads a project.
func (h *Hub) read(ctx context.Context, id string) (*Session, error) {
	p, err := h.Store.Project(ctx, id)
	if err != nil {
		return nil, err
	}
	marks, err := h.Store.Marks(ctx, id)
	if err != nil {
		return nil, err
	}
	s := &Session{hub: h, ID: id, Name: p.Name, inbox: make(chan func(), 64), viewers: map[*viewer]bool{}, marks: map[int64]string{}}
	for _, k := range marks {
		s.marks[k.Seq] = k.Name
	}
	if s.strokes, err = h.Store.Strokes(ctx, id); err != nil {
		return nil, err
	}
	snap, entries, err := h.Store.Latest(ctx, id)
	if err != nil {
		return nil, err
	}
	s.entries = entries
	if s.doc, err = stack.Decode(snap.Doc, func(id string) *brush.Stroke { return s.strokes[id] }); err != nil {
		return nil, fmt.Errorf("project %q: %w", p.Name, err)
	}
	for _, e := range entries {
		if e.Seq <= snap.Seq {
			continue
		}
		var op stack.Op
		if err := json.Unmarshal(e.Op, &op); err != nil {
			return nil, fmt.Errorf("project %q: entry %d: %w", p.Name, e.Seq, err)
		}
		op.Carry(s.strokes)
		if s.doc, _, _, err = s.doc.Apply(op); err != nil {
			return nil, fmt.Errorf("project %q: entry %d: %w", p.Name, e.Seq, err)
		}
	}
	m, err := h.model(ctx, p, s.doc.Preparation())
	if err != nil {
		return nil, err
	}
	s.take(m)
	s.refresh()
	return s, nil
}

func (s *Session) run() {
	for f := range s.inbox {
		f()
	}
}

// do runs f in the session's goroutine and waits.
func (s *Session) do(f func()) {
	done := make(chan struct{})
	s.inbox <- func() { f(); close(done) }
	<-done
}

// Document returns the current acknowledged document.
func (s *Session) Document() *stack.Document {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.kept
}

// Program returns the acknowledged document ready for evaluation.
func (s *Session) Program() *eval.Program { return eval.Compile(s.Scene(), s.Document(), "", "") }

// GLB returns the bare model for the page.
func (s *Session) GLB() ([]byte, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.glb == nil {
		var b bytes.Buffer
		if err := meshio.WriteGLB(&b, s.model, meshio.Options{}); err != nil {
			return nil, err
		}
		s.glb = b.Bytes()
	}
	return s.glb, nil
}

// refresh makes the program that viewers show: the document, then every
// viewer's preview and growing stroke.
func (s *Session) refresh() {
	d, live := s.doc, ""
	for v := range s.viewers {
		if v.preview != nil {
			if n, _, _, err := d.Apply(*v.preview); err == nil {
				d = n
			}
		}
		if v.stroke != nil && len(v.stroke.Stroke.Points) > 0 {
			if n, _, _, err := d.Apply(*v.stroke); err == nil {
				d, live = n, v.stroke.Stroke.ID
			}
		}
	}
	p := eval.Compile(s.Scene(), d, s.hot, live)
	s.mu.Lock()
	s.current, s.kept = p, s.doc
	s.mu.Unlock()
	for v := range s.viewers {
		v.done.Store(v.doing) // after the program, before the word that there is one
		v.wake()
	}
}

func (s *Session) shown() *eval.Program {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.current
}

const snapshotEvery = 40

// commit applies, keeps and acknowledges one operation. Strokes are kept that the
// project did not have yet.
func (s *Session) commit(actor, kind string, ref int64, op stack.Op, strokes ...*brush.Stroke) error {
	next, inverse, label, err := s.doc.Apply(op)
	if err != nil {
		return err
	}
	changed, err := s.prepared(next)
	if err != nil {
		return err
	}
	opJSON, err := json.Marshal(op)
	if err != nil {
		return err
	}
	invJSON, err := json.Marshal(inverse)
	if err != nil {
		return err
	}
	seq := int64(1)
	if n := len(s.entries); n > 0 {
		seq = s.entries[n-1].Seq + 1
	}
	switch kind {
	case "undo":
		label = "Undo: " + s.label(ref)
	case "redo":
		label = "Redo: " + s.label(ref)
	case "jump":
		label = "Back at: " + s.label(ref)
	}
	e := store.Entry{ProjectID: s.ID, Seq: seq, Actor: actor, Kind: kind, Ref: ref, Label: label, Op: opJSON, Inverse: invJSON, At: time.Now()}
	var doc []byte
	if seq%snapshotEvery == 0 {
		if doc, err = next.Encode(false); err != nil {
			return err
		}
	}
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	if op.Stroke != nil {
		strokes = append(strokes, op.Stroke)
	}
	if err := s.hub.Store.Append(ctx, &e, strokes, doc); err != nil {
		return fmt.Errorf("the change could not be kept and was not made: %w", err)
	}
	for _, st := range strokes {
		s.strokes[st.ID] = st
	}
	was := modelKey(s.doc)
	s.doc = next
	if changed != nil {
		s.take(changed)
		if modelKey(next) != was {
			s.tellModel()
		}
	}
	s.entries = append(s.entries, e)
	if op.Target != "" {
		s.hot = op.Target
	}
	return nil
}
