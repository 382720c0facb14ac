package live

import (
	"context"
	"errors"
	"fmt"
	"log"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/mesh"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/internal/store"

	"github.com/google/uuid"
)

const snapshotEvery = 40

// unreachable is the error of a change of which it is not known whether it was kept.
type unreachable struct{ err error }

// Error implements error.
func (u *unreachable) Error() string {
	return fmt.Sprintf("the database does not answer, so it is not known yet whether the change was kept: %v", u.err)
}

// Unwrap returns the database's error.
func (u *unreachable) Unwrap() error { return u.err }

// notKept is the error of a change that the database did not take, for a reason of its own:
// asked again it may.
type notKept struct{ err error }

// Error implements error.
func (n *notKept) Error() string {
	return fmt.Sprintf("the change could not be kept and was not made: %v", n.err)
}

// Unwrap returns the database's error.
func (n *notKept) Unwrap() error { return n.err }

// change is one that is about to be kept, or of which that is in doubt.
type change struct {
	entry   store.Entry
	next    *stack.Document
	strokes []*brush.Stroke
	model   *mesh.Model // another one; nil: the same
	hot     string
}

// known reports whether the project holds a request already.
func (s *Session) known(request string) bool { return request != "" && s.requests[request] }

// commit applies, keeps and acknowledges one operation. Strokes are kept that the project
// did not have yet. What was asked for under a request that the project holds is not done
// again.
func (s *Session) commit(actor, kind string, ref int64, op stack.Op, strokes ...*brush.Stroke) error {
	if err := s.settle(); err != nil {
		return err
	}
	request := s.request
	s.request = "" // of several changes of one request the first carries its id
	if s.known(request) {
		return nil
	}
	if request == "" {
		request = uuid.NewString()
	}
	next, inverse, label, err := step.Rules.Apply(s.doc, op)
	if err != nil {
		return err
	}
	model, err := s.prepared(next)
	if err != nil {
		return err
	}
	opJSON, err := stack.EncodeOp(op)
	if err != nil {
		return err
	}
	invJSON, err := stack.EncodeOp(inverse)
	if err != nil {
		return err
	}
	seq := s.seq() + 1
	switch kind {
	case "undo":
		label = "Undo: " + s.label(ref)
	case "redo":
		label = "Redo: " + s.label(ref)
	case "jump":
		label = "Back at: " + s.label(ref)
	}
	var doc []byte
	if seq%snapshotEvery == 0 {
		if doc, err = next.Encode(false); err != nil {
			return err
		}
	}
	if a, ok := op.(stack.AddStroke); ok {
		strokes = append(strokes, a.Stroke)
	}
	c := &change{
		store.Entry{
			ProjectID: s.ID,
			Seq:       seq,
			Actor:     actor,
			Kind:      kind,
			Ref:       ref,
			Label:     label,
			Op:        opJSON,
			Inverse:   invJSON,
			At:        time.Now(),
			Request:   request,
		},
		next,
		strokes,
		model,
		stack.LayerOf(op),
	}
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	err = s.hub.Store.Append(ctx, s.hub.holder, &c.entry, strokes, doc)
	if err == nil {
		s.adopt(c)
		return nil
	}
	// whatever the error says: only the ledger tells whether the entry is kept
	s.doubt = c
	if e := s.settle(); e != nil {
		return e
	}
	if s.known(request) {
		return nil // it is kept; its answer was lost
	}
	if errors.Is(err, store.ErrLeaseLost) {
		go s.hub.end(s, "another server has taken this project over", false)
	}
	return &notKept{err}
}

// settle finds out what became of a change that is in doubt. Its error is that the database
// still does not answer.
func (s *Session) settle() error {
	c := s.doubt
	if c == nil {
		return nil
	}
	var err error
	for began := time.Now(); time.Since(began) < 6*time.Second; time.Sleep(250 * time.Millisecond) {
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		var taken, own bool
		taken, own, err = s.hub.Store.Kept(ctx, &c.entry)
		cancel()
		if err != nil {
			continue
		}
		s.doubt = nil
		switch {
		case own:
			s.adopt(c)
		case taken: // by another server, whose work is not known here
			return s.reload()
		}
		return nil
	}
	return &unreachable{err}
}

// seq returns the number of the ledger's last entry; 0 when there is none.
func (s *Session) seq() int64 {
	if n := len(s.entries); n > 0 {
		return s.entries[n-1].Seq
	}
	return 0
}

// adopt makes a kept change the session's state.
func (s *Session) adopt(c *change) {
	for _, st := range c.strokes {
		s.strokes[st.ID] = st
	}
	was := modelKey(s.doc)
	s.doc = c.next
	if c.model != nil {
		s.take(c.model)
		if modelKey(s.doc) != was {
			s.tellModel()
		}
	}
	s.entries = append(s.entries, c.entry)
	s.requests[c.entry.Request] = true
	if c.hot != "" {
		s.hot = c.hot
	}
}

// reload reads the project anew: something else than this session has changed it.
func (s *Session) reload() error {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	n, err := s.hub.read(ctx, s.ID)
	if err != nil {
		if errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("the project was deleted")
		}
		return &unreachable{err}
	}
	log.Printf("project %q was changed from elsewhere and is read anew", s.Name)
	s.doc, s.entries, s.strokes, s.marks, s.requests = n.doc, n.entries, n.strokes, n.marks, n.requests
	s.take(n.model)
	s.tellModel()
	return fmt.Errorf("the project was changed by another server meanwhile and is shown anew; make the change again")
}
