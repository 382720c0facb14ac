package live

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
)

// easel is a project on a plate of a metre with a paint layer, and a page without a line.
type easel struct {
	t *testing.T
	s *Session
	v *viewer
}

func newEasel(t *testing.T) *easel {
	t.Helper()
	_, hub, id := through(t)
	s, err := hub.Open(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	e := &easel{t, s, nil}
	e.op(stack.AddLayer{Index: -1, Layer: &stack.Layer{ID: "coat", Name: "Coat", Kind: stack.Paint, Visible: true, Amount: 1}})
	e.v = e.page("ann")
	return e
}

func (e *easel) op(op stack.Op) {
	e.t.Helper()
	if err := e.s.Change("ann", "", func(*stack.Document) (stack.Op, error) { return op, nil }); err != nil {
		e.t.Fatal(err)
	}
}

func (e *easel) page(actor string) *viewer {
	v := &viewer{s: e.s, actor: actor, woken: make(chan struct{}, 1), posts: make(chan any, mostPosts), end: func() {}}
	v.docs.woken = make(chan struct{}, 1)
	e.in(func() error { e.s.viewers[v] = true; return nil })
	return v
}

// in runs a call in the session's goroutine.
func (e *easel) in(f func() error) (err error) {
	e.t.Helper()
	if gone := e.s.do(func() { err = f(); e.s.refresh() }); gone != nil {
		e.t.Fatal(gone)
	}
	return err
}

func (e *easel) begin(id string) *BeginStrokeRequest {
	return &BeginStrokeRequest{Layer: "coat", Stroke: &brush.Stroke{ID: id, Radius: 0.05, Strength: 1, Hardness: 0.5, Values: map[string][]float32{"roughness": {0.2}}}}
}

// points go along the plate, numbered from one on.
func points(from, to int) (out brush.Points) {
	for i := from; i <= to; i++ {
		out = append(out, brush.Point{Pos: geom.V3(float32(i)*0.05, 0, 0.5), Nrm: geom.V3(0, 1, 0), Pressure: 1})
	}
	return out
}

func (e *easel) draw(v *viewer, id string, from, to int) {
	e.t.Helper()
	if err := e.in(func() error { return v.beginStroke(e.begin(id)) }); err != nil {
		e.t.Fatal(err)
	}
	e.grow(v, from, to)
}

func (e *easel) grow(v *viewer, from, to int) {
	e.t.Helper()
	if err := e.in(func() error { return v.growStroke(&GrowStrokeRequest{Points: points(from, to)}) }); err != nil {
		e.t.Fatal(err)
	}
}

func (e *easel) end(v *viewer) {
	e.t.Helper()
	if err := e.in(v.endStroke); err != nil {
		e.t.Fatal(err)
	}
}

// kept are the points of the layer's strokes, as the database has them, by their numbers.
func (e *easel) kept() (out [][]int) {
	e.t.Helper()
	strokes, err := e.s.hub.Store.Strokes(e.t.Context(), e.s.ID)
	if err != nil {
		e.t.Fatal(err)
	}
	for _, id := range e.s.Document().Layer("coat").StrokeID {
		var n []int
		for _, p := range strokes[id].Points {
			n = append(n, int(p.Pos.X/0.05+0.5))
		}
		out = append(out, n)
	}
	return out
}

func (e *easel) want(what string, want ...[]int) {
	e.t.Helper()
	if got := e.kept(); fmt.Sprint(got) != fmt.Sprint(want) {
		e.t.Errorf("%s: %v are kept, want %v", what, got, want)
	}
}

func numbers(from, to int) (out []int) {
	for i := from; i <= to; i++ {
		out = append(out, i)
	}
	return out
}

// A stroke is shown while it grows, is kept when it ends, and is nowhere when it is dropped.
func TestAStrokeGrows(t *testing.T) {
	e := newEasel(t)
	e.draw(e.v, "one", 1, 3)
	e.grow(e.v, 4, 9)
	if n := len(e.s.shown().Doc.Layer("coat").Strokes); n != 1 || len(e.s.Document().Layer("coat").Strokes) != 0 {
		t.Errorf("while it grows %d strokes are shown, %d are kept", n, len(e.s.Document().Layer("coat").Strokes))
	}
	e.end(e.v)
	e.want("ended", numbers(1, 9))
	e.draw(e.v, "two", 1, 5)
	e.in(func() error { e.v.cancelStroke(); return nil })
	e.end(e.v) // of nothing
	if n := len(e.s.shown().Doc.Layer("coat").Strokes); n != 1 {
		t.Errorf("%d strokes are shown after one was dropped", n)
	}
	e.want("dropped", numbers(1, 9))
	// a stroke without a point leaves nothing
	if err := e.in(func() error { return e.v.beginStroke(e.begin("three")) }); err != nil {
		t.Fatal(err)
	}
	e.end(e.v)
	e.want("without a point", numbers(1, 9))
}

// A page whose line is cut in a stroke goes on with it when it is back, and nothing is there
// twice; when it comes too late, what it draws more is a stroke of its own that begins where
// the first one ends.
func TestAStrokeWhosePageWasGone(t *testing.T) {
	e := newEasel(t)
	e.draw(e.v, "one", 1, 6)
	leave := func(v *viewer) {
		e.in(func() error { e.s.cut(v); delete(e.s.viewers, v); return nil })
	}
	leave(e.v)
	e.want("just cut")
	back := e.page("ann")
	e.draw(back, "one", 1, 4) // the whole of it again, in pieces
	e.grow(back, 5, 8)
	e.end(back)
	e.want("back in time", numbers(1, 8))

	e.draw(back, "two", 1, 5)
	leave(back)
	e.in(func() error { e.s.keepGrowing(); return nil })
	e.want("kept without its page", numbers(1, 8), numbers(1, 5))
	late := e.page("ann")
	e.draw(late, "two", 1, 3)
	e.grow(late, 4, 4)
	e.grow(late, 5, 9)
	e.end(late)
	e.want("back too late", numbers(1, 8), numbers(1, 5), numbers(5, 9))
	// one that has nothing new to say leaves nothing
	e.draw(late, "two", 1, 5)
	e.end(late)
	e.want("nothing new", numbers(1, 8), numbers(1, 5), numbers(5, 9))
	// one that goes before it drew a point is nothing to keep
	if err := e.in(func() error { return late.beginStroke(e.begin("three")) }); err != nil {
		t.Fatal(err)
	}
	leave(late)
	e.in(func() error { e.s.keepGrowing(); return nil })
	e.want("gone before its first point", numbers(1, 8), numbers(1, 5), numbers(5, 9))
	if n := len(e.s.growing); n != 0 {
		t.Errorf("%d strokes still grow", n)
	}
}

// What cannot be drawn is refused when it begins, or with the points that it does not take,
// and the page can go on.
func TestStrokesThatAreRefused(t *testing.T) {
	e := newEasel(t)
	e.op(stack.AddLayer{Index: -1, Layer: &stack.Layer{ID: "shut", Name: "Shut", Kind: stack.Paint, Visible: true, Amount: 1, Locked: true}})
	for want, change := range map[string]func(r *BeginStrokeRequest){
		"no stroke in":     func(r *BeginStrokeRequest) { r.Stroke = nil },
		"nobody":           func(r *BeginStrokeRequest) { r.Layer = "nobody" },
		"lock":             func(r *BeginStrokeRequest) { r.Layer = "shut" },
		"radius":           func(r *BeginStrokeRequest) { r.Stroke.Radius = -1 },
		`within a "house"`: func(r *BeginStrokeRequest) { r.Within = "house"; r.Spot = top },
		"no ID colour":     func(r *BeginStrokeRequest) { r.Within = "id"; r.Spot = top },
		"no surface":       func(r *BeginStrokeRequest) { r.Within = "part"; r.Spot = Spot{Nrm: [3]float32{0, -1, 0}} },
		"be like": func(r *BeginStrokeRequest) {
			r.Stroke.Alike = &brush.Alike{Channel: "roughness"}
			r.Spot = Spot{Nrm: [3]float32{0, -1, 0}}
		},
		"far from the model": func(r *BeginStrokeRequest) { r.Stroke.Points = brush.Points{{Pos: geom.V3(90, 0, 0)}} },
		"has no usable id":   func(r *BeginStrokeRequest) { r.Stroke.ID = "" },
	} {
		r := e.begin("refused")
		change(r)
		err := e.in(func() error { return e.v.beginStroke(r) })
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q was expected, got %v", want, err)
		}
		if e.v.stroke != nil {
			t.Fatalf("%s: it grows all the same", want)
		}
	}
	if err := e.in(func() error { return e.v.growStroke(&GrowStrokeRequest{Points: points(1, 2)}) }); err == nil {
		t.Error("points came to no stroke")
	}
	e.draw(e.v, "one", 1, 4)
	far := brush.Points{{Pos: geom.V3(0, 500, 0), Nrm: geom.V3(0, 1, 0), Pressure: 1}}
	if err := e.in(func() error { return e.v.growStroke(&GrowStrokeRequest{Points: far}) }); err == nil {
		t.Error("a point 500 m away was taken")
	}
	e.grow(e.v, 5, 6)
	e.end(e.v)
	e.want("the stroke without what was refused", numbers(1, 6))
}

var top = Spot{Pos: [3]float32{0.5, 0, 0.5}, Nrm: [3]float32{0, 1, 0}}

// What a stroke stays in is what lies around the place where it begins.
func TestWhatAStrokeStaysIn(t *testing.T) {
	m := two(t, nil)
	s := &Session{model: m}
	left, right := Spot{Pos: [3]float32{0.2, 0, 0.5}, Nrm: [3]float32{0, 1, 0}}, Spot{Pos: [3]float32{2.8, 0.01, 0.5}, Nrm: [3]float32{0, 1, 0}}
	inside := func(a *brush.Area) (out []int) {
		for i := range m.Tri {
			if a.Has(int32(i)) {
				out = append(out, i)
			}
		}
		return out
	}
	for _, c := range []struct {
		within string
		at     Spot
		want   []int
	}{
		{"part", left, []int{0, 1}}, {"part", right, []int{2, 3}}, {"island", right, []int{2, 3}},
		{"sheet", left, []int{0, 1}}, {"all", left, []int{0, 1, 2, 3}},
	} {
		a, err := s.area(&BeginStrokeRequest{Within: c.within, Spot: c.at})
		if err != nil || !slices.Equal(inside(a), c.want) {
			t.Errorf("within the %s at %v: %v, %v", c.within, c.at.Pos, inside(a), err)
		}
	}
	for _, at := range []Spot{left, right} {
		a, err := s.area(&BeginStrokeRequest{Within: "face", Spot: at})
		if got := inside(a); err != nil || len(got) != 1 || got[0] != int(s.nearest(at.place())) {
			t.Errorf("within the face at %v: %v, %v", at.Pos, got, err)
		}
	}
}
