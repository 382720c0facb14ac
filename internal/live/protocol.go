package live

import (
	"bytes"
	"encoding/json"
	"sync"

	"velvetgrime/core/eval"
	"velvetgrime/core/stack"

	"github.com/wI2L/jsondiff"
)

// docs is what a page was told of the state, and what it is to be told next. The session's
// goroutine puts states in; the page's takes the newest out, as a difference to the last.
type docs struct {
	woken chan struct{}
	mu    sync.Mutex
	next  *state

	last *state // of the page's goroutine alone
}

// state is all that a page is told of a project.
type state struct {
	doc     json.RawMessage
	strokes map[string]int
	lines   []LedgerLine
	rest    Doc // what is told each time
}

func (d *docs) put(s *state) {
	d.mu.Lock()
	d.next = s
	d.mu.Unlock()
	select {
	case d.woken <- struct{}{}:
	default:
	}
}

// take returns what the page does not know yet, or nil.
func (d *docs) take() *Doc {
	d.mu.Lock()
	s := d.next
	d.next = nil
	d.mu.Unlock()
	if s == nil {
		return nil
	}
	m := s.differs(d.last)
	d.last = s
	return m
}

// differs is a state as a difference to another one, nil: to nothing.
func (s *state) differs(was *state) *Doc {
	m := s.rest
	m.T = "doc"
	if was == nil {
		m.Doc, m.Strokes, m.Ledger, m.Fresh = s.doc, s.strokes, s.lines, true
		return &m
	}
	if !bytes.Equal(was.doc, s.doc) {
		m.Doc = s.doc
		if p, err := jsondiff.CompareJSON(was.doc, s.doc); err == nil {
			if b, err := json.Marshal(p); err == nil && len(b) < len(s.doc)/2 {
				m.Doc, m.Patch = nil, b
			}
		}
	}
	m.Strokes = map[string]int{}
	for id, n := range s.strokes {
		if was.strokes[id] != n {
			m.Strokes[id] = n
		}
	}
	for id := range was.strokes {
		if _, there := s.strokes[id]; !there {
			m.Strokes[id] = 0
		}
	}
	had := make(map[int64]*LedgerLine, len(was.lines))
	for i := range was.lines {
		had[was.lines[i].Seq] = &was.lines[i]
	}
	for i := range s.lines {
		if l := had[s.lines[i].Seq]; l == nil || !l.same(&s.lines[i]) {
			m.Ledger = append(m.Ledger, s.lines[i])
		}
	}
	return &m
}

func (l *LedgerLine) same(o *LedgerLine) bool {
	return l.Seq == o.Seq && l.Label == o.Label && l.Kind == o.Kind && l.Mine == o.Mine && l.At.Equal(o.At) &&
		l.Mark == o.Mark &&
		l.On == o.On &&
		l.After == o.After &&
		(l.Out == nil) == (o.Out == nil)
}

// pages counts those that look at the project.
func (s *Session) pages() (n int) {
	for v := range s.viewers {
		if !v.aside {
			n++
		}
	}
	return n
}

// tell tells the state to every viewer.
func (s *Session) tell() {
	if len(s.viewers) == 0 {
		return
	}
	common := s.state()
	lines := map[string][]LedgerLine{}
	for v := range s.viewers {
		if v.aside {
			continue
		}
		own := *common
		if lines[v.actor] == nil {
			lines[v.actor] = s.lines(v.actor)
		}
		own.lines = lines[v.actor]
		undo, redo := s.turn(v.actor)
		if k := len(undo); k > 0 {
			own.rest.Undo = s.entries[undo[k-1]].Label
		}
		if k := len(redo); k > 0 {
			own.rest.Redo = s.entries[redo[k-1]].Label
		}
		v.docs.put(&own)
	}
}

// state is what every page is told alike.
func (s *Session) state() *state {
	out := &state{
		strokes: map[string]int{},
		rest:    Doc{Model: modelKey(s.doc), Viewers: s.pages(), Notes: map[string]string{}},
	}
	s.doc.Walk(func(l *stack.Layer, _ []*stack.Layer) {
		if len(l.Strokes) > 0 {
			out.strokes[l.ID] = len(l.Strokes)
		}
		l.EachStep(func(st *stack.Step) {
			if len(st.Strokes) > 0 {
				out.strokes[l.ID+"/"+st.ID] = len(st.Strokes)
			}
		})
	})
	if n := eval.Compile(s.Scene(), s.doc, "", "").Notes(); n != nil {
		out.rest.Notes = n
	}
	out.doc, _ = json.Marshal(s.doc.WithoutStrokes())
	if n := len(s.entries); n > 0 {
		out.rest.Kept = s.entries[n-1].At
	}
	out.rest.Seq = s.seq()
	return out
}
