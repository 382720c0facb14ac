package live

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/internal/store"
)

// The ledger is a tree written down in the order in which it grew. Every entry
// stands after the one whose state it changed: the last one or, after a jump, the
// one that was jumped to. What was jumped over stays, and can be jumped to again.

// tree derives the ledger's shape: parent[i] is the index of the entry whose state
// entry i follows (−1: the beginning), head that of the state now shown, and
// before[i] the head when a jump was made.
func (s *Session) tree() (parent, before []int, head int) {
	head = -1
	parent, before = make([]int, len(s.entries)), make([]int, len(s.entries))
	for i, e := range s.entries {
		before[i] = head
		parent[i] = head
		if r := s.at(e.Ref); r >= 0 && e.Kind == "jump" {
			parent[i] = r
		} else if r >= 0 && s.entries[r].Kind == "jump" {
			parent[i] = before[r] // its undo leads back to where one came from
			if e.Kind == "redo" {
				parent[i] = parent[r]
			}
		} else if e.Kind == "jump" {
			parent[i] = -1 // to the beginning
		}
		head = i
	}
	return
}

// at returns the index of an entry, or −1.
func (s *Session) at(seq int64) int {
	i, ok := slices.BinarySearchFunc(s.entries, seq, func(e store.Entry, q int64) int { return int(e.Seq - q) })
	if !ok {
		return -1
	}
	return i
}

// line reports for every entry whether it is part of what led to the state now
// shown.
func (s *Session) line() []bool {
	parent, _, head := s.tree()
	on := make([]bool, len(s.entries))
	for i := head; i >= 0; i = parent[i] {
		on[i] = true
	}
	return on
}

func (s *Session) label(seq int64) string {
	if seq == 0 {
		return "the beginning"
	}
	if i := s.at(seq); i >= 0 {
		return s.entries[i].Label
	}
	return ""
}

// turn returns what an actor may undo and redo next, as indexes of entries: his
// own changes only, and of these what led to the state now shown.
func (s *Session) turn(actor string) (undo, redo []int) {
	on := s.line()
	pop := func(list []int) []int { return list[:max(len(list)-1, 0)] }
	for i, e := range s.entries {
		if e.Actor != actor || !on[i] {
			continue
		}
		ofJump := false
		if r := s.at(e.Ref); e.Kind != "jump" && r >= 0 {
			ofJump = s.entries[r].Kind == "jump"
		}
		switch e.Kind {
		case "do", "jump":
			undo, redo = append(undo, i), nil
		case "undo":
			if !ofJump { // a jump that was undone is not on this line
				undo = pop(undo)
			}
			redo = append(redo, i)
		case "redo":
			if !ofJump {
				redo = pop(redo)
			}
			undo = append(undo, i)
		}
	}
	return
}

// back undoes (or, forward, redoes) the actor's last change.
func (s *Session) back(actor string, forward bool) error {
	undo, redo := s.turn(actor)
	list, kind := undo, "undo"
	if forward {
		list, kind = redo, "redo"
	}
	if len(list) == 0 {
		return fmt.Errorf("there is nothing of yours to %s", kind)
	}
	at := list[len(list)-1]
	e := s.entries[at]
	ref := e.Seq
	if e.Ref != 0 && e.Kind != "jump" {
		ref = e.Ref
	}
	if r := s.at(ref); r >= 0 && s.entries[r].Kind == "jump" {
		for _, o := range s.entries[at+1:] {
			if o.Actor != actor {
				return fmt.Errorf(
					"others have changed things since %q; to %s it would undo their work too. Jump in the ledger instead",
					e.Label,
					kind,
				)
			}
		}
	}
	op, err := stack.DecodeOp(e.Inverse, s.strokes)
	if err != nil {
		return err
	}
	if err := s.commit(actor, kind, ref, op); err != nil {
		return fmt.Errorf("%s %q: %w", kind, e.Label, err)
	}
	return nil
}

// documentAt makes the document again as it was after an entry; 0 is the
// beginning.
func (s *Session) documentAt(ctx context.Context, seq int64) (*stack.Document, error) {
	snap, err := s.hub.Store.SnapshotAt(ctx, s.ID, seq)
	if err != nil {
		return nil, err
	}
	d, err := step.Rules.Decode(snap.Doc, func(id string) *brush.Stroke { return s.strokes[id] })
	if err != nil {
		return nil, err
	}
	for _, e := range s.entries {
		if e.Seq <= snap.Seq || e.Seq > seq {
			continue
		}
		op, err := stack.DecodeOp(e.Op, s.strokes)
		if err != nil {
			return nil, fmt.Errorf("entry %d: %w", e.Seq, err)
		}
		if d, _, _, err = step.Rules.Apply(d, op); err != nil {
			return nil, fmt.Errorf("entry %d: %w", e.Seq, err)
		}
	}
	return d, nil
}

// jump goes to the state after an entry, wherever in the tree it stands; 0 is the
// beginning. What comes next grows from there.
func (s *Session) jump(actor string, seq int64) error {
	if seq != 0 && s.at(seq) < 0 {
		return fmt.Errorf("the ledger has no entry %d", seq)
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	d, err := s.documentAt(ctx, seq)
	if err != nil {
		return fmt.Errorf("the state after entry %d: %w", seq, err)
	}
	doc, err := d.Encode(false)
	if err != nil {
		return err
	}
	return s.commit(actor, "jump", seq, stack.ReplaceDocument{Document: doc, Strokes: s.strokes})
}

// mark names a place in the ledger; an empty name takes the mark away.
func (s *Session) mark(seq int64, name string) error {
	if len(name) > 80 {
		return fmt.Errorf("the mark's name has more than 80 letters")
	}
	if seq != 0 && s.at(seq) < 0 {
		return fmt.Errorf("the ledger has no entry %d to mark", seq)
	}
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	if err := s.hub.Store.PutMark(ctx, store.Mark{ProjectID: s.ID, Seq: seq, Name: name}); err != nil {
		return fmt.Errorf("the mark could not be kept: %w", err)
	}
	if s.marks[seq] = name; name == "" {
		delete(s.marks, seq)
	}
	return nil
}

// ledgerLength is how many entries the page is told.
const ledgerLength = 300

// lines returns the newest entries, newest first, and those that are marked.
func (s *Session) lines(actor string) []LedgerLine {
	on := s.line()
	parent, _, _ := s.tree()
	var out []LedgerLine
	var there map[string]bool
	for i := len(s.entries) - 1; i >= 0; i-- {
		e := s.entries[i]
		mark := s.marks[e.Seq]
		if len(s.entries)-i > ledgerLength && mark == "" {
			continue
		}
		l := LedgerLine{
			Seq:   e.Seq,
			Label: e.Label,
			Kind:  e.Kind,
			Mine:  e.Actor == actor,
			At:    e.At,
			Mark:  mark,
			On:    on[i],
		}
		if id, remove := strokeOf(&e); id != "" {
			if there == nil {
				there = strokesIn(s.doc)
			}
			if there[id] {
				l.Out = &stack.Any{Op: remove}
			}
		}
		if parent[i] >= 0 {
			l.After = s.entries[parent[i]].Seq
		}
		out = append(out, l)
	}
	return append(out, LedgerLine{Label: "The beginning", Kind: "start", Mark: s.marks[0], On: true})
}

// strokeOf returns the stroke that an entry laid, or drew anew, and the operation that removes it.
func strokeOf(e *store.Entry) (id string, remove stack.Op) {
	if e.Kind != "do" || !bytes.Contains(e.Op, []byte(`"stroke.add"`)) && !bytes.Contains(e.Op, []byte(`"stroke.set"`)) {
		return "", nil
	}
	op, err := stack.DecodeOp(e.Op, nil)
	if err != nil {
		return "", nil
	}
	switch o := op.(type) {
	case stack.AddStroke:
		return o.StrokeID, stack.RemoveStroke{Target: o.Target, StepID: o.StepID, StrokeID: o.StrokeID}
	case stack.SetStroke:
		return o.By, stack.RemoveStroke{Target: o.Target, StepID: o.StepID, StrokeID: o.By}
	}
	return "", nil
}

// strokesIn are the ids of all strokes of a document.
func strokesIn(d *stack.Document) map[string]bool {
	out := map[string]bool{}
	d.Walk(func(l *stack.Layer, _ []*stack.Layer) {
		for _, id := range l.StrokeID {
			out[id] = true
		}
		l.EachStep(func(st *stack.Step) {
			for _, id := range st.StrokeID {
				out[id] = true
			}
		})
	})
	return out
}
