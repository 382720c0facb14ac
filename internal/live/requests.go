package live

import (
	"context"
	"encoding/json"
	"fmt"

	"velvetgrime/core/brush"
	"velvetgrime/core/stack"

	"github.com/google/uuid"
)

// What a page says, as text. Each kind is a type of its own with a method that carries it
// out; the page's types are made of them (see Requests).

// Head is what every message of a page begins with.
type Head struct {
	T       string `json:"t"`
	ID      int64  `json:"id,omitempty" doc:"of a page's messages; the answer names it"`
	Request string `json:"request,omitempty" doc:"names what changes the project, for ever: what comes twice, since its answer was lost, is done once"`
	N       int64  `json:"n,omitempty" doc:"counts what changes the picture; a settled tells up to which it goes"`
}

func (h *Head) head() *Head { return h }

// Spot is a place on the surface, metres in model space.
type Spot struct {
	Pos [3]float32 `json:"pos"`
	Nrm [3]float32 `json:"nrm"`
}

// request is a message of a page.
type request interface{ head() *Head }

// deed is one that the session's goroutine carries out.
type deed interface {
	request
	do(v *viewer) (outcome, error)
}

// outcome is what may be another after a deed.
type outcome int

const (
	nothing outcome = iota
	picture         // what is shown
	project         // and what pages are told of the project
)

// question is one that changes nothing, and need not wait for what does.
type question interface {
	request
	answer(ctx context.Context, v *viewer) error
}

// glance is one that says what the page looks at.
type glance interface {
	request
	wish(w wish) wish
}

// RequestKind is one of the kinds of messages that a page sends.
type RequestKind struct {
	T    string
	Help string
	Zero any // a value of its type, for those who describe it

	read func(b []byte) (request, error)
}

func said[T any, P interface {
	*T
	request
}](t, help string) RequestKind {
	var zero T
	return RequestKind{t, help, zero, func(b []byte) (request, error) {
		r := P(new(T))
		return r, json.Unmarshal(b, r)
	}}
}

// Requests are the kinds of messages that pages send.
func Requests() []RequestKind { return requests }

var requests = []RequestKind{
	said[OpRequest]("op", "make and keep a change"),
	said[PreviewRequest]("preview", "show a change to everybody without keeping it; null ends it"),
	said[UndoRequest]("undo", "take the actor's own last change back"),
	said[RedoRequest]("redo", "make what was taken back again"),
	said[JumpRequest]("jump", "go to the state after an entry of the ledger, on any branch"),
	said[MarkRequest]("mark", "name a state"),
	said[CopyRequest]("copy", "keep layers for the actor to paste, here or in another project"),
	said[PasteRequest]("paste", "add what the actor copied last"),
	said[MergeRequest]("merge", "bake a layer and the one below it, or a group, to a picture layer"),
	said[CancelWorkRequest]("work.cancel", "stop long work"),
	said[BeginStrokeRequest](
		"stroke.begin",
		"begin a stroke; the server finds the triangles that it is to stay in, or that it fills",
	),
	said[GrowStrokeRequest]("stroke.add", "add points to the stroke"),
	said[EndStrokeRequest]("stroke.end", "keep the stroke"),
	said[CancelStrokeRequest]("stroke.cancel", "drop the stroke"),
	said[HoverRequest]("near", "the pen hovers there: what a stroke on that layer would need around it is made ready"),
	said[SidesRequest]("sides", "tell how far two faces correspond, or bring strokes over"),
	said[ViewRequest]("view", "where the cards' camera is, and what the page holds and can show of each sheet"),
	said[AloneRequest]("alone", "show one thing alone"),
	said[AlternativeRequest]("alternative", "show this line alone another state, without keeping it"),
	said[FocusRequest]("focus", "say which layer is open: its steps get cards"),
	said[DrillRequest]("drill", "ask for a core sample"),
	said[PickRequest]("pick", "ask what lies at a place"),
	said[EdgeRequest]("edge", "ask which edges a click means"),
	said[TakeUpRequest]("stroke.take", "ask for a stroke, to change it: by its name, or the topmost that covers a place"),
}

// parse reads a message; its error names the kind.
func parse(b []byte) (request, error) {
	var h Head
	if err := json.Unmarshal(b, &h); err != nil {
		return nil, fmt.Errorf("the message is not readable: %w", err)
	}
	for _, k := range requests {
		if k.T != h.T {
			continue
		}
		r, err := k.read(b)
		if c, ok := r.(interface{ check() error }); ok && err == nil {
			err = c.check()
		}
		if err != nil {
			return nil, &misread{h, fmt.Errorf("the message %q is not readable: %w", h.T, err)}
		}
		return r, nil
	}
	return nil, &misread{h, fmt.Errorf("the message %q is unknown", h.T)}
}

// misread is the error of a message of which but the head was read.
type misread struct {
	head Head
	err  error
}

// Error implements error.
func (m *misread) Error() string { return m.err.Error() }

// Unwrap returns the reason.
func (m *misread) Unwrap() error { return m.err }

// OpRequest makes and keeps a change.
type OpRequest struct {
	Head
	Op stack.Any `json:"op"`
}

func (r *OpRequest) do(v *viewer) (outcome, error) {
	if r.Op.Op == nil {
		return project, fmt.Errorf("there is no operation in the message")
	}
	v.preview = nil
	op := stack.Carry(r.Op.Op, v.s.strokes)
	if v.s.known(v.s.request) {
		return project, v.s.commit(v.actor, "do", 0, op) // it is kept: what it brought is there
	}
	fresh, err := v.s.brought(op)
	if err != nil {
		return project, err
	}
	return project, v.s.commit(v.actor, "do", 0, op, fresh...)
}

// PreviewRequest shows a change to everybody without keeping it.
type PreviewRequest struct {
	Head
	Op *stack.Any `json:"op,omitempty" doc:"none: ends it"`
}

func (r *PreviewRequest) do(v *viewer) (outcome, error) {
	if v.preview = nil; r.Op != nil && r.Op.Op != nil {
		v.preview = stack.Carry(r.Op.Op, v.s.strokes)
		v.s.hot = stack.LayerOf(r.Op.Op)
	}
	return picture, nil
}

// UndoRequest takes the actor's own last change back.
type UndoRequest struct{ Head }

func (r *UndoRequest) do(v *viewer) (outcome, error) { return project, v.s.back(v.actor, false) }

// RedoRequest makes the change again that the actor took back last.
type RedoRequest struct{ Head }

func (r *RedoRequest) do(v *viewer) (outcome, error) { return project, v.s.back(v.actor, true) }

// JumpRequest goes to the state after an entry of the ledger.
type JumpRequest struct {
	Head
	Seq int64 `json:"seq" doc:"0: the beginning"`
}

func (r *JumpRequest) do(v *viewer) (outcome, error) { return project, v.s.jump(v.actor, r.Seq) }

// MarkRequest names a state.
type MarkRequest struct {
	Head
	Seq  int64  `json:"seq" doc:"of the entry; 0: the beginning"`
	Name string `json:"name" doc:"empty: takes the mark away"`
}

func (r *MarkRequest) do(v *viewer) (outcome, error) { return project, v.s.mark(r.Seq, r.Name) }

// CopyRequest keeps layers for the actor to paste.
type CopyRequest struct {
	Head
	Layers []string `json:"layers" doc:"ids"`
}

func (r *CopyRequest) do(v *viewer) (outcome, error) {
	names, err := v.s.copyLayers(v.actor, r.Layers)
	if err == nil {
		v.post(Clip{"clip", names})
	}
	return picture, err
}

// PasteRequest adds what the actor copied last.
type PasteRequest struct {
	Head
	Parent string `json:"parent" doc:"the group's id; empty: the stack itself"`
	Index  int    `json:"index" doc:"-1: outermost"`
}

func (r *PasteRequest) do(v *viewer) (outcome, error) {
	return project, v.s.paste(v.actor, r.Parent, r.Index, uuid.NewString)
}

// MergeRequest bakes a layer and the one below it, or a group, to a picture layer.
type MergeRequest struct {
	Head
	Layer string `json:"layer"`
}

func (r *MergeRequest) do(v *viewer) (outcome, error) {
	return picture, v.s.mergeDown(v.actor, r.Layer, uuid.NewString)
}

// CancelWorkRequest stops long work.
type CancelWorkRequest struct {
	Head
	Seq int64 `json:"seq" doc:"the work's id"`
}

func (r *CancelWorkRequest) do(v *viewer) (outcome, error) {
	if w := v.s.works[r.Seq]; w != nil {
		w.cancel()
	}
	return picture, nil
}

// BeginStrokeRequest begins a stroke.
type BeginStrokeRequest struct {
	Head
	Layer  string        `json:"layer"`
	Step   string        `json:"step,omitempty" doc:"the hand step's id; empty: the paint layer itself"`
	Stroke *brush.Stroke `json:"stroke" doc:"without points"`
	Within string        `json:"within,omitempty" enum:",part,island,sheet,face,id,all" doc:"what it stays in, by the place where it begins"`
	Spot
	Kind string `json:"kind,omitempty" enum:",copy,flip,exchange" doc:"what a stroke that takes from the other side leaves there: what is there, nothing, or what was here"`
}

func (r *BeginStrokeRequest) do(v *viewer) (outcome, error) { return picture, v.beginStroke(r) }

// GrowStrokeRequest adds points to the stroke.
type GrowStrokeRequest struct {
	Head
	Points brush.Points `json:"points"`
	Tilt   []float32    `json:"tilt,omitempty" doc:"of the pen, one a point, or none"`
	Lean   []float32    `json:"lean,omitempty" doc:"and to which side"`
	Twist  []float32    `json:"twist,omitempty" doc:"and how far it is turned round itself"`
}

func (r *GrowStrokeRequest) do(v *viewer) (outcome, error) { return picture, v.growStroke(r) }

// EndStrokeRequest keeps the stroke.
type EndStrokeRequest struct{ Head }

func (r *EndStrokeRequest) do(v *viewer) (outcome, error) { return project, v.endStroke() }

// CancelStrokeRequest drops the stroke.
type CancelStrokeRequest struct{ Head }

func (r *CancelStrokeRequest) do(v *viewer) (outcome, error) { v.cancelStroke(); return picture, nil }

// HoverRequest says over which place the pen is.
type HoverRequest struct {
	Head
	Layer  string     `json:"layer"`
	Pos    [3]float32 `json:"pos"`
	Radius float32    `json:"radius" doc:"metres"`
}

func (r *HoverRequest) do(v *viewer) (outcome, error) { v.hover(r); return nothing, nil }

// SidesRequest tells how far two faces correspond, or brings strokes over.
type SidesRequest struct {
	Head
	Kind  string `json:"kind" enum:"show,copy,flip,exchange"`
	Seq   int64  `json:"seq" doc:"a face"`
	Index int    `json:"index" doc:"its counterpart"`
	Layer string `json:"layer,omitempty"`
	Step  string `json:"step,omitempty"`
}

func (r *SidesRequest) do(v *viewer) (outcome, error) {
	if r.Kind == "show" {
		return nothing, v.sides(r)
	}
	return project, v.sides(r)
}

// ViewRequest says what the page holds and can show.
type ViewRequest struct {
	Head
	VP    []float64 `json:"vp" doc:"view-projection of the cards' camera, 16 numbers; what it sees is drawn first"`
	Pages []int     `json:"pages" doc:"the tiles for which the page has room, five numbers each: sheet, texels a side of the whole sheet, x, y, and a bit for each map of it that the page holds; what is to come first, first"`
	Seen  int       `json:"seen" doc:"of how many of them, from the first, the camera sees something: these are kept up to date, of the others the page is told when they are not"`
	Heard int64     `json:"heard" doc:"how many tiles had come over this line"`
}

func (r *ViewRequest) check() error {
	if len(r.VP) != 16 && len(r.VP) != 0 {
		return fmt.Errorf("a camera has 16 numbers, not %d", len(r.VP))
	}
	if r.Seen < 0 {
		return fmt.Errorf("%d pages are seen; it cannot be fewer than none", r.Seen)
	}
	_, err := readPages(r.Pages)
	return err
}

func (r *ViewRequest) wish(w wish) wish {
	pages, err := readPages(r.Pages)
	if err != nil {
		return w
	}
	w.cards, w.pages, w.seen, w.heard, w.told, w.n = r.VP, pages, r.Seen, r.Heard, true, max(w.n, r.N)
	return w
}

// AloneRequest shows one thing alone.
type AloneRequest struct {
	Head
	Kind  string `json:"kind" doc:"mask, step (the stream up to it), layer, a channel that no map holds, or empty: all"`
	Layer string `json:"layer" doc:"of a step: layer/step"`
}

func (r *AloneRequest) wish(w wish) wish { w.alone, w.layer = r.Kind, r.Layer; return w }

// FocusRequest says which layer is open.
type FocusRequest struct {
	Head
	Layer string `json:"layer"`
}

func (r *FocusRequest) wish(w wish) wish { w.focus = r.Layer; return w }

// DrillRequest asks for a core sample.
type DrillRequest struct {
	Head
	Spot
	Kind string `json:"kind,omitempty" enum:",steps" doc:"steps: with every step's value"`
}

func (r *DrillRequest) answer(ctx context.Context, v *viewer) error { return v.drill(ctx, r) }

// PickRequest asks what lies at a place.
type PickRequest struct {
	Head
	Spot
	Kind string `json:"kind,omitempty" doc:"comes back with the answer"`
}

func (r *PickRequest) answer(ctx context.Context, v *viewer) error { return v.pick(ctx, r) }

// EdgeRequest asks which edges a click means.
type EdgeRequest struct {
	Head
	Spot
	Kind string `json:"kind" enum:"edge,loop,path,seam"`
	Seq  int64  `json:"seq" doc:"the corner (3·triangle + corner) at which a path begins"`
}

func (r *EdgeRequest) answer(_ context.Context, v *viewer) error { v.edge(r); return nil }

// TakeUpRequest asks for a stroke, to change it.
type TakeUpRequest struct {
	Head
	Layer  string `json:"layer"`
	Step   string `json:"step,omitempty" doc:"the hand step's id; empty: the paint layer itself"`
	Stroke string `json:"stroke,omitempty" doc:"its id, or that of one that it was drawn anew from; empty: the topmost at the place"`
	Spot
	Slack float32 `json:"slack,omitempty" doc:"metres beside it that a click may be"`
}

func (r *TakeUpRequest) answer(_ context.Context, v *viewer) error { return v.takeUp(r) }
