package live

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"velvetgrime/core/deliver"
	"velvetgrime/core/eval"
	"velvetgrime/core/par"
	"velvetgrime/core/stack"
)

// work is something long that ends in a change of the document. It runs beside the
// session on the document as it was when it began.
type work struct {
	label  string
	share  float64
	cancel context.CancelFunc
}

// begin runs f beside the session. What f returns is applied in the session's
// goroutine; it may refuse when the document has changed too much meanwhile.
func (s *Session) begin(
	actor, label string,
	f func(ctx context.Context, progress func(float64)) (func() error, error),
) {
	ctx, cancel := context.WithCancel(context.Background())
	if s.works == nil {
		s.works = map[int64]*work{}
	}
	s.worked++
	id := s.worked
	s.works[id] = &work{label: label, cancel: cancel}
	s.tellWork()
	go func() {
		last := time.Now()
		var end func() error
		err := par.Contain(func() (err error) {
			end, err = f(ctx, func(share float64) {
				if time.Since(last) > 100*time.Millisecond {
					last = time.Now()
					s.later(func() {
						if w := s.works[id]; w != nil {
							w.share = share
							s.tellWork()
						}
					})
				}
			})
			return err
		})
		s.later(func() {
			delete(s.works, id)
			stopped := ctx.Err() != nil
			cancel()
			if err == nil && !stopped {
				err = par.Contain(end)
			}
			if err != nil && !stopped {
				s.tellError(actor, label+": "+err.Error())
			}
			s.tellWork()
			s.tell()
			s.refresh()
		})
	}()
}

// workLine is long work as the page shows it.
type workLine struct {
	ID    int64   `json:"id"`
	Label string  `json:"label"`
	Share float64 `json:"share"`
}

func (s *Session) tellWork() {
	list := []workLine{}
	for id, w := range s.works {
		list = append(list, workLine{id, w.label, w.share})
	}
	for v := range s.viewers {
		v.post(Works{"works", list})
	}
}

func (s *Session) tellError(actor, message string) {
	for v := range s.viewers {
		if v.actor == actor {
			v.post(Refused{T: "error", Message: message})
		}
	}
}

func mustJSON(v any) json.RawMessage { b, _ := json.Marshal(v); return b }

// mergeDown bakes a layer and the one below it, or a group, to a picture layer.
func (s *Session) mergeDown(actor, id string, newID func() string) error {
	parent, index, ok := s.doc.Place(id)
	if !ok {
		return fmt.Errorf("there is no layer with the id %q", id)
	}
	l := s.doc.Layer(id)
	ids, at := []string{id}, index
	if l.Kind != stack.Group {
		siblings := s.doc.Layers
		if g := s.doc.Layer(parent); g != nil {
			siblings = g.Layers
		}
		if index == 0 {
			return fmt.Errorf("%q is the innermost layer there; nothing lies below it to merge with", l.Name)
		}
		at = index - 1
		ids = []string{siblings[at].ID, id}
	}
	for _, k := range ids {
		if o := s.doc.Layer(k); o.Locked {
			return fmt.Errorf("%q is locked; unlock it to merge it", o.Name)
		}
		if o := s.doc.Layer(k); !o.Visible {
			return fmt.Errorf("%q is hidden and would be lost; show it or delete it first", o.Name)
		}
	}
	before := make([]*stack.Layer, len(ids))
	for i, k := range ids {
		before[i] = s.doc.Layer(k)
	}
	p := eval.Compile(s.Scene(), s.doc, "", "")
	s.begin(actor, "Merge "+l.Name, func(ctx context.Context, progress func(float64)) (func() error, error) {
		baked, err := deliver.Merge(
			ctx,
			p,
			ids,
			func(png []byte) (string, error) { return s.hub.Store.PutBlob(ctx, png) },
			progress,
		)
		if err != nil {
			return nil, err
		}
		baked.ID = newID()
		return func() error {
			op := stack.Batch{Label: "Merge " + l.Name}
			for i, k := range ids {
				if s.doc.Layer(k) != before[i] {
					return fmt.Errorf("%q was changed meanwhile; merge again", before[i].Name)
				}
				op.Ops = append(op.Ops, stack.RemoveLayer{Target: k})
			}
			if now, i, ok := s.doc.Place(ids[0]); ok {
				parent, at = now, i
			}
			op.Ops = append(op.Ops, stack.AddLayer{Parent: parent, Index: at, Layer: baked})
			return s.commit(actor, "do", 0, op)
		}, nil
	})
	return nil
}
