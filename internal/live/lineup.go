package live

import (
	"context"
	"fmt"
	"time"

	"velvetgrime/core/eval"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// An alternative is what one line shows in place of the document, beside others of a line-up:
// the document with a change made to it, or as it was after an entry. Nothing of it is kept, and
// other pages see nothing of it.

// AlternativeRequest has this line show an alternative.
type AlternativeRequest struct {
	Head
	Op  *stack.Any `json:"op,omitempty" doc:"a change that is made to what everybody sees; none: as it is"`
	Seq *int64     `json:"seq,omitempty" doc:"as it was after that entry, 0: at the beginning; in place of a change"`
}

func (r *AlternativeRequest) do(v *viewer) (outcome, error) {
	a := &alternative{}
	if r.Op != nil && r.Op.Op != nil {
		a.op = stack.Carry(r.Op.Op, v.s.strokes)
	}
	if r.Seq != nil {
		if *r.Seq != 0 && v.s.at(*r.Seq) < 0 {
			return nothing, fmt.Errorf("the ledger has no entry %d", *r.Seq)
		}
		ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
		defer cancel()
		d, err := v.s.documentAt(ctx, *r.Seq)
		if err != nil {
			return nothing, fmt.Errorf("the state after entry %d: %w", *r.Seq, err)
		}
		if modelKey(d) != modelKey(v.s.doc) {
			return nothing, fmt.Errorf(
				"after entry %d the project had another model or other UVs; go there to see it",
				*r.Seq,
			)
		}
		a.doc = d
	}
	p, err := a.compile(v.s, v.s.doc)
	if err != nil {
		return nothing, err
	}
	v.instead = a
	v.own.Store(p)
	v.wake()
	return nothing, nil
}

// alternative is a change to what is shown, or a state of its own.
type alternative struct {
	op  stack.Op
	doc *stack.Document
}

// compile prepares what the alternative makes of a document.
func (a *alternative) compile(s *Session, d *stack.Document) (*eval.Program, error) {
	switch {
	case a.doc != nil:
		d = a.doc
	case a.op != nil:
		n, _, _, err := step.Rules.Apply(d, a.op)
		if err != nil {
			return nil, err
		}
		d = n
	}
	return eval.Compile(s.Scene(), d, "", ""), nil
}
