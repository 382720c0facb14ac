package live

import (
	"encoding/json"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/eval"
	"velvetgrime/core/stack"
)

// Request is what the page sends as text; T decides which fields count. See
// docs/formats/live.md.
type Request struct {
	T      string        `json:"t"`
	ID     int           `json:"id"`
	N      int64         `json:"n"` // counts what changes the picture; a "settled" tells up to which it goes
	Op     *stack.Op     `json:"op"`
	Stroke *brush.Stroke `json:"stroke"`
	Points brush.Points  `json:"points"`
	Tilt   []float32     `json:"tilt"`   // of the pen, one a point, or none
	Lean   []float32     `json:"lean"`   // and to which side
	Within string        `json:"within"` // part, island, sheet, face or all: what a stroke stays in, by the place it begins
	Layer  string        `json:"layer"`
	Layers []string      `json:"layers"`
	Parent string        `json:"parent"`
	Index  int           `json:"index"`
	Step   string        `json:"step"`
	Kind   string        `json:"kind"`
	Name   string        `json:"name"`
	Seq    int64         `json:"seq"`
	VP     []float64     `json:"vp"`
	Sizes  []int         `json:"sizes"`
	Pos    [3]float32    `json:"pos"`
	Nrm    [3]float32    `json:"nrm"`
	Radius float32       `json:"radius"`
}

// line is one entry of the ledger as the page shows it.
type line struct {
	Seq   int64     `json:"seq"`
	Label string    `json:"label"`
	Kind  string    `json:"kind"`
	Mine  bool      `json:"mine"`
	At    time.Time `json:"at"`
	Mark  string    `json:"mark,omitempty"`
	On    bool      `json:"on"`    // led to the state now shown
	After int64     `json:"after"` // the entry whose state it changed; 0 the beginning
	// Out takes the stroke of this entry out, whatever came after it; none when the
	// stroke is not there.
	Out json.RawMessage `json:"out,omitempty"`
}

// docMessage tells the page the whole state.
type docMessage struct {
	T       string          `json:"t"`
	Seq     int64           `json:"seq"`
	Doc     json.RawMessage `json:"doc"`
	Strokes map[string]int  `json:"strokes"` // count by layer or layer/step id
	Ledger  []line          `json:"ledger"`  // newest first
	Undo    string          `json:"undo"`    // label of what undo takes back, or ""
	Redo    string          `json:"redo"`
	Kept    time.Time       `json:"kept"`
	Viewers int             `json:"viewers"`
	// Notes are what the document cannot give at its sheets' sizes, by layer or
	// layer/step id.
	Notes map[string]string `json:"notes"`
	Model string            `json:"model"` // another one: the model or its UVs changed
}

func (s *Session) message(actor string) docMessage {
	m := docMessage{T: "doc", Model: modelKey(s.doc), Strokes: map[string]int{}, Viewers: len(s.viewers)}
	s.doc.Walk(func(l *stack.Layer, _ []*stack.Layer) {
		if len(l.Strokes) > 0 {
			m.Strokes[l.ID] = len(l.Strokes)
		}
		l.EachStep(func(st *stack.Step) {
			if len(st.Strokes) > 0 {
				m.Strokes[l.ID+"/"+st.ID] = len(st.Strokes)
			}
		})
	})
	m.Notes = map[string]string{}
	if n := eval.Compile(s.Scene(), s.doc, "", "").Notes(); n != nil {
		m.Notes = n
	}
	m.Doc, _ = json.Marshal(s.doc.WithoutStrokes())
	n := len(s.entries)
	if n > 0 {
		m.Seq, m.Kept = s.entries[n-1].Seq, s.entries[n-1].At
	}
	m.Ledger = s.lines(actor)
	undo, redo := s.turn(actor)
	if k := len(undo); k > 0 {
		m.Undo = s.entries[undo[k-1]].Label
	}
	if k := len(redo); k > 0 {
		m.Redo = s.entries[redo[k-1]].Label
	}
	return m
}
