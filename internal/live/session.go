// Package live runs open projects. One goroutine owns a project: everything that
// changes it is a call through its inbox, is validated, applied, written to the
// database, and only then acknowledged and shown to every viewer.
package live

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log"
	"sync"
	"sync/atomic"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/eval"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/par"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/internal/store"
)

// Session is one open project.
type Session struct {
	hub   *Hub
	ID    string
	Name  string
	inbox chan func()
	quit  chan struct{} // closed: the session ends after what it is at
	gone  chan struct{} // closed: it has ended
	asked atomic.Int64  // when it was asked for last, nanoseconds since 1970
	seen  atomic.Int32  // pages that look at it
	bare  atomic.Int32  // lines of line-ups that have nothing to show yet
	// when it was changed while no page looked at it, nanoseconds since 1970; 0: what a page asks
	// for first was drawn since, or it was not
	unseen atomic.Int64

	// owned by the goroutine of run
	doc      *stack.Document
	entries  []store.Entry
	strokes  map[string]*brush.Stroke
	marks    map[int64]string
	viewers  map[*viewer]bool
	hot      string
	works    map[int64]*work // long work that ends in a change
	worked   int64
	request  string                // the id of what is being carried out; empty: none was given
	requests map[string]bool       // the ids of all that was carried out
	doubt    *change               // of which it is not known whether it was kept
	growing  map[string]*cutStroke // strokes whose page is gone, by id

	mu           sync.Mutex
	model        *mesh.Model // with its UV layout; another one after an unwrap
	scene        *eval.Scene
	current      *eval.Program // what viewers show, with live strokes and previews
	acknowledged *stack.Document
	glb          []byte
	report       *reported // what the checks found; nil: not looked yet
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
	s := &Session{
		hub:      h,
		ID:       id,
		Name:     p.Name,
		inbox:    make(chan func(), 64),
		quit:     make(chan struct{}),
		gone:     make(chan struct{}),
		viewers:  map[*viewer]bool{},
		marks:    map[int64]string{},
		requests: map[string]bool{},
		growing:  map[string]*cutStroke{},
	}
	s.touch()
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
	for _, e := range entries {
		if e.Request != "" {
			s.requests[e.Request] = true
		}
	}
	if s.doc, err = step.Rules.Decode(snap.Doc, func(id string) *brush.Stroke { return s.strokes[id] }); err != nil {
		return nil, fmt.Errorf("project %q: %w", p.Name, err)
	}
	for _, e := range entries {
		if e.Seq <= snap.Seq {
			continue
		}
		op, err := stack.DecodeOp(e.Op, s.strokes)
		if err != nil {
			return nil, fmt.Errorf("project %q: entry %d: %w", p.Name, e.Seq, err)
		}
		if s.doc, _, _, err = step.Rules.Apply(s.doc, op); err != nil {
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

// run is the session's goroutine. A mistake of ours in one call costs that call: documents
// are values, so the last one still stands.
func (s *Session) run() {
	defer close(s.gone)
	one := func(f func()) {
		if err := par.Contain(func() error { f(); return nil }); err != nil {
			told(fmt.Sprintf("project %q", s.Name), err)
		}
	}
	for {
		select {
		case f := <-s.inbox:
			one(f)
		case <-s.quit:
			for {
				select {
				case f := <-s.inbox: // who was in time is served
					one(f)
				default:
					return
				}
			}
		}
	}
}

// told logs an error, with its stack when it is a mistake of ours.
func told(what string, err error) {
	if p := (*par.Panic)(nil); errors.As(err, &p) {
		log.Printf("%s: %v\n%s", what, p.Value, p.Stack)
		return
	}
	log.Printf("%s: %v", what, err)
}

// ErrClosed is returned by a session that has ended; the project can be opened again.
var ErrClosed = errors.New("the project was closed")

// do runs f in the session's goroutine and waits; ErrClosed when the session has ended.
func (s *Session) do(f func()) error {
	s.touch()
	return s.unasked(f)
}

// unasked is do for what is no sign that somebody wants the project.
func (s *Session) unasked(f func()) error {
	done := make(chan struct{})
	select {
	case s.inbox <- func() { defer close(done); f() }:
	case <-s.gone:
		return ErrClosed
	}
	select {
	case <-done:
		return nil
	case <-s.gone:
		select {
		case <-done:
			return nil
		default:
			return ErrClosed
		}
	}
}

// later runs f in the session's goroutine without waiting for it; not when it has ended.
func (s *Session) later(f func()) {
	select {
	case s.inbox <- f:
	case <-s.gone:
	}
}

// touch notes that the session is asked for.
func (s *Session) touch() { s.asked.Store(time.Now().UnixNano()) }

// idle is for how long nobody has looked at the project or asked for it.
func (s *Session) idle() time.Duration {
	if s.seen.Load() > 0 {
		return 0
	}
	return time.Since(time.Unix(0, s.asked.Load()))
}

// Document returns the current acknowledged document.
func (s *Session) Document() *stack.Document {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.acknowledged
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
			if n, _, _, err := step.Rules.Apply(d, v.preview); err == nil {
				d = n
			}
		}
		if v.stroke != nil && len(v.stroke.Stroke.Points) > 0 {
			if n, _, _, err := step.Rules.Apply(d, *v.stroke); err == nil {
				d, live = n, v.stroke.Stroke.ID
			}
		}
	}
	p := eval.Compile(s.Scene(), d, s.hot, live)
	s.mu.Lock()
	was := s.acknowledged
	s.current, s.acknowledged = p, s.doc
	s.mu.Unlock()
	if was != nil && was != s.doc && len(s.viewers) == 0 {
		s.unseen.Store(time.Now().UnixNano())
	}
	for v := range s.viewers {
		if v.instead != nil {
			if own, err := v.instead.compile(s, d); err == nil { // else what it changed is gone
				v.own.Store(own)
			}
		}
		v.done.Store(v.doing) // after the program, before the word that there is one
		v.wake()
	}
}

func (s *Session) shown() *eval.Program {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.current
}
