package live

import (
	"encoding/json"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/stack"
)

// Request is what the page sends as text; T decides which fields count. See
// docs/formats/live.md.
type Request struct {
	T      string        `json:"t"`
	ID     int           `json:"id"`
	Op     *stack.Op     `json:"op"`
	Stroke *brush.Stroke `json:"stroke"`
	Points brush.Points  `json:"points"`
	Layer  string        `json:"layer"`
	Step   string        `json:"step"`
	Kind   string        `json:"kind"`
	VP     []float64     `json:"vp"`
	Pos    [3]float32    `json:"pos"`
	Nrm    [3]float32    `json:"nrm"`
}

// line is one entry of the ledger as the page shows it.
type line struct {
	Seq   int64     `json:"seq"`
	Label string    `json:"label"`
	Kind  string    `json:"kind"`
	Mine  bool      `json:"mine"`
	At    time.Time `json:"at"`
}

// docMessage tells the page the whole state.
type docMessage struct {
	T       string          `json:"t"`
	Seq     int64           `json:"seq"`
	Doc     json.RawMessage `json:"doc"`
	Strokes map[string]int  `json:"strokes"` // count by layer or step id
	Ledger  []line          `json:"ledger"`  // newest first
	Undo    string          `json:"undo"`    // label of what undo takes back, or ""
	Redo    string          `json:"redo"`
	Kept    time.Time       `json:"kept"`
	Viewers int             `json:"viewers"`
}

func (s *Session) message(actor string) docMessage {
	// stroke ids are many and of no use to the page: it gets counts
	m := docMessage{T: "doc", Strokes: map[string]int{}, Viewers: len(s.viewers)}
	d := *s.doc
	d.Layers = make([]*stack.Layer, len(s.doc.Layers))
	for i, l := range s.doc.Layers {
		c := *l
		c.StrokeID = nil
		if len(l.Strokes) > 0 {
			m.Strokes[l.ID] = len(l.Strokes)
		}
		c.Mask = make([]*stack.Step, len(l.Mask))
		for k, st := range l.Mask {
			sc := *st
			sc.StrokeID = nil
			if len(st.Strokes) > 0 {
				m.Strokes[st.ID] = len(st.Strokes)
			}
			c.Mask[k] = &sc
		}
		d.Layers[i] = &c
	}
	m.Doc, _ = json.Marshal(&d)
	n := len(s.entries)
	if n > 0 {
		m.Seq, m.Kept = s.entries[n-1].Seq, s.entries[n-1].At
	}
	for i := n - 1; i >= 0 && i >= n-80; i-- {
		e := s.entries[i]
		m.Ledger = append(m.Ledger, line{e.Seq, e.Label, e.Kind, e.Actor == actor, e.At})
	}
	undo, redo := s.turn(actor)
	if k := len(undo); k > 0 {
		m.Undo = s.entries[undo[k-1]].Label
	}
	if k := len(redo); k > 0 {
		m.Redo = s.entries[redo[k-1]].Label
	}
	return m
}
