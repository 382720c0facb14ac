package live

import (
	"encoding/json"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/eval"
	"velvetgrime/core/stack"
)

// What the server tells a page as text. T names the kind; answers carry the ID of the
// request that they answer. Pages get these types generated (see Messages); tiles and
// pictures go as binary frames, docs/formats/live.md tells how.

// Ack says that a request was carried out, and what it changed is kept.
type Ack struct {
	T   string `json:"t" enum:"ack"`
	ID  int64  `json:"id"`
	Seq int64  `json:"seq,omitempty" doc:"of a change: the ledger's last entry then; a state that is told with it or a later one holds the change"`
}

// Refused says why a request was not carried out; without an ID what else went wrong.
type Refused struct {
	T       string `json:"t" enum:"error"`
	ID      int64  `json:"id,omitempty"`
	Message string `json:"message"`
	Again   bool   `json:"again,omitempty" doc:"it is not known whether it was kept: it is to be sent again, and counts but once"`
}

// LedgerLine is one entry of the ledger.
type LedgerLine struct {
	Seq   int64     `json:"seq"`
	Label string    `json:"label"`
	Kind  string    `json:"kind"`
	Mine  bool      `json:"mine"`
	At    time.Time `json:"at"`
	Mark  string    `json:"mark,omitempty"`
	On    bool      `json:"on" doc:"led to the state now shown"`
	After int64     `json:"after" doc:"the entry whose state it changed; 0 the beginning"`
	// Out takes the stroke of this entry out, whatever came after it; none when the
	// stroke is not there.
	Out *stack.Any `json:"out,omitempty"`
}

// Doc tells the state, as a difference to what the page was told last: what is left out is
// as it was.
type Doc struct {
	T       string            `json:"t" enum:"doc"`
	Seq     int64             `json:"seq"`
	Doc     json.RawMessage   `json:"doc,omitempty" doc:"the whole document without strokes"`
	Patch   json.RawMessage   `json:"patch,omitempty" doc:"or what changed in it (RFC 6902)"`
	Strokes map[string]int    `json:"strokes,omitempty" doc:"count by layer or layer/step id; 0: none any more"`
	Ledger  []LedgerLine      `json:"ledger,omitempty" doc:"new and changed lines"`
	Fresh   bool              `json:"fresh,omitempty" doc:"the lines are all there are"`
	Undo    string            `json:"undo" doc:"label of what undo takes back, or empty"`
	Redo    string            `json:"redo"`
	Kept    time.Time         `json:"kept"`
	Viewers int               `json:"viewers"`
	Notes   map[string]string `json:"notes" doc:"what the document cannot give at its sheets' sizes, by layer or layer/step id"`
	Model   string            `json:"model" doc:"another one: the model or its UVs changed"`
}

// Settled says that everything the page asked for up to request N is drawn.
type Settled struct {
	T string `json:"t" enum:"settled"`
	N int64  `json:"n"`
}

// Drafted says that there is something to show everywhere, be it coarse.
type Drafted struct {
	T string `json:"t" enum:"drafted"`
}

// Drilled is a core sample, outermost layer first.
type Drilled struct {
	T      string           `json:"t" enum:"drill"`
	ID     int64            `json:"id"`
	Pos    [3]float32       `json:"pos"`
	Nrm    [3]float32       `json:"nrm"`
	Layers []eval.CoreLayer `json:"layers"`
	Part   string           `json:"part"`
	Sheet  string           `json:"sheet"`
}

// Picked is what lies at a point: what it belongs to, and the value of every channel.
type Picked struct {
	T        string                      `json:"t" enum:"picked"`
	ID       int64                       `json:"id"`
	Kind     string                      `json:"kind"`
	Triangle int32                       `json:"triangle"`
	Island   int32                       `json:"island"`
	Part     string                      `json:"part"`
	Sheet    string                      `json:"sheet"`
	IDColor  []float32                   `json:"idColor" doc:"of the ID map there; null where there is none"`
	Values   map[stack.Channel][]float32 `json:"values"`
}

// Edges are those that a click means.
type Edges struct {
	T      string    `json:"t" enum:"edges"`
	ID     int64     `json:"id"`
	Kind   string    `json:"kind"`
	Edges  []int32   `json:"edges"`
	Lines  []float32 `json:"lines" doc:"their ends in space, six numbers each"`
	Flat   []float32 `json:"flat" doc:"on the flat sheets: sheet, u, v, u, v each"`
	Corner int32     `json:"corner" doc:"the nearest: 3·triangle + corner"`
	Rail   []float32 `json:"rail" doc:"the same as one line: place and normal, six numbers a point"`
}

// TakenUp is a stroke that was asked for.
type TakenUp struct {
	T      string        `json:"t" enum:"stroke"`
	ID     int64         `json:"id"`
	Layer  string        `json:"layer"`
	Step   string        `json:"step,omitempty"`
	Stroke *brush.Stroke `json:"stroke" doc:"null: there is none"`
	Index  int           `json:"index" doc:"in the order in which they are laid"`
	Count  int           `json:"count" doc:"how many there are on the layer or in the step"`
}

// Sides tells how far a correspondence reaches, or what was brought over.
type Sides struct {
	T       string    `json:"t" enum:"sides"`
	ID      int64     `json:"id"`
	Count   int       `json:"count"`
	Of      int       `json:"of,omitempty"`
	Missing []float32 `json:"missing,omitempty" doc:"faces without a counterpart, nine numbers each"`
	Strokes int       `json:"strokes,omitempty"`
	Left    int       `json:"left,omitempty"`
}

// Works lists what is under way that ends in a change.
type Works struct {
	T     string     `json:"t" enum:"works"`
	Works []workLine `json:"works"`
}

// Clip names the layers that can be pasted.
type Clip struct {
	T     string   `json:"t" enum:"clip"`
	Names []string `json:"names"`
}

// StepFailed says why a step on a card cannot be carried out.
type StepFailed struct {
	T       string `json:"t" enum:"step.error"`
	Name    string `json:"name" doc:"layer/step id"`
	Message string `json:"message"`
}

// Failures are all steps and layers that could not be carried out in what the page shows.
type Failures struct {
	T    string         `json:"t" enum:"failures"`
	List []eval.Failure `json:"list"`
}

// ModelChanged says that the model or its UVs are others now.
type ModelChanged struct {
	T   string `json:"t" enum:"model"`
	Key string `json:"key"`
}

// Closed says that the project was closed, and why; empty: it can be opened again.
type Closed struct {
	T   string `json:"t" enum:"closed"`
	Why string `json:"why"`
}

// Messages are one of each kind of message to the page: its types are made of them.
func Messages() []any {
	return []any{
		Ack{},
		Refused{},
		Doc{},
		Settled{},
		Drafted{},
		Drilled{},
		Picked{},
		Edges{},
		TakenUp{},
		Sides{},
		Works{},
		Clip{},
		StepFailed{},
		Failures{},
		ModelChanged{},
		Closed{},
	}
}
