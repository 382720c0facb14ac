package live

import (
	"context"
	"errors"
	"fmt"
	"os"
	"runtime"
	"strings"
	"testing"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
	"velvetgrime/internal/faults"
	"velvetgrime/internal/intake"
	"velvetgrime/internal/store"
)

const plate = "o Plate\nv 0 0 0\nv 1 0 0\nv 1 0 1\nv 0 0 1\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 4/4 3/3 2/2\n"

// through opens a store over a proxy, and a project in it.
func through(t *testing.T) (*faults.Proxy, *Hub, string) {
	t.Helper()
	dsn := os.Getenv("VELVETGRIME_TEST_DATABASE")
	if dsn == "" {
		t.Fatal("VELVETGRIME_TEST_DATABASE is not set; run 'make test-go', which starts a database")
	}
	p, by, err := faults.NewProxy(dsn)
	if err != nil {
		t.Fatal(err)
	}
	s, err := store.Open(by)
	if err != nil {
		t.Fatal(err)
	}
	project, err := intake.Create(t.Context(), s, "", "Plate "+t.Name(), map[string][]byte{"plate.obj": []byte(plate)}, nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	hub := NewHub(s, 32<<20)
	t.Cleanup(func() { p.Up(); hub.Close(); s.Close(); p.Close() })
	return p, hub, project.ID
}

func amountTo(v float32) func(d *stack.Document) (stack.Op, error) {
	return func(d *stack.Document) (stack.Op, error) {
		return stack.SetLayer{Target: d.Layers[0].ID, Path: "amount", Value: fmt.Appendf(nil, "%g", v)}, nil
	}
}

func once(p *faults.Proxy, f faults.Fault) {
	at := func() faults.Fault { p.AtCommit.Store(nil); return f }
	p.AtCommit.Store(&at)
}

// A COMMIT whose reply is lost was made; one that the database never heard of was not. The
// session knows which, and goes on: today's was an entry behind for good.
func TestALostReplyAtCommit(t *testing.T) {
	p, hub, id := through(t)
	s, err := hub.Open(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	want := 0
	for i, f := range []faults.Fault{faults.LoseReply, faults.CutBefore, faults.LoseReply, faults.LoseReply, faults.Delay, faults.CutBefore, faults.None} {
		v := 0.1 + 0.1*float32(i)
		once(p, f)
		err := s.Change("ann", fmt.Sprint("request ", i), amountTo(v))
		if kept := f != faults.CutBefore; (err == nil) != kept {
			t.Fatalf("change %d, fault %d: %v", i, f, err)
		} else if kept {
			want++
		} else if !strings.Contains(err.Error(), "was not made") {
			t.Errorf("change %d: %v", i, err)
		}
		// asked again under the same id it is done, once
		if err := s.Change("ann", fmt.Sprint("request ", i), amountTo(v)); err != nil {
			t.Fatalf("change %d again: %v", i, err)
		} else if f == faults.CutBefore {
			want++
		}
		if got := s.Document().Layers[0].Amount; got != v {
			t.Fatalf("after change %d the amount is %v", i, got)
		}
	}
	_, entries, err := hub.Store.Latest(t.Context(), id)
	if err != nil || len(entries) != want || want != 7 {
		t.Fatalf("%d entries are kept, %d were acknowledged: %v", len(entries), want, err)
	}
	for i, e := range entries {
		if e.Seq != int64(i+1) {
			t.Errorf("entry %d has the place %d", i, e.Seq)
		}
	}
}

// While the database does not answer a change is in doubt and says so; when it answers
// again, the doubt is settled and what was asked again is not done twice.
func TestTheDatabaseDoesNotAnswer(t *testing.T) {
	p, hub, id := through(t)
	s, err := hub.Open(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	p.Down()
	err = s.Change("ann", "a", amountTo(0.3))
	if !Passing(err) {
		t.Fatalf("with no database: %v", err)
	}
	p.Up()
	if err := s.Change("ann", "a", amountTo(0.3)); err != nil {
		t.Fatal(err)
	}
	if err := s.Change("ann", "b", amountTo(0.4)); err != nil {
		t.Fatal(err)
	}
	_, entries, err := hub.Store.Latest(t.Context(), id)
	if err != nil || len(entries) != 2 {
		t.Fatalf("%d entries: %v", len(entries), err)
	}
}

// Two servers never change one project: who comes second is refused until the first is
// gone, and who lost its lease changes nothing any more.
func TestTwoServersOnOneProject(t *testing.T) {
	_, hub, id := through(t)
	ctx := context.Background()
	const other = store.Holder("landing/another boot/1/2/3")
	if err := hub.Store.Lease(ctx, id, other); err != nil {
		t.Fatal(err)
	}
	if _, err := hub.Open(ctx, id); !errors.Is(err, store.ErrLeased) || !Passing(err) {
		t.Fatalf("while another server has it: %v", err)
	}
	if err := hub.Store.EndLease(ctx, id, other); err != nil {
		t.Fatal(err)
	}
	s, err := hub.Open(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Change("ann", "", amountTo(0.5)); err != nil {
		t.Fatal(err)
	}
	// the lease lapsed, as the machine slept, and the other one took the project
	if err := hub.Store.EndLease(ctx, id, hub.holder); err != nil {
		t.Fatal(err)
	}
	if err := hub.Store.Lease(ctx, id, other); err != nil {
		t.Fatal(err)
	}
	if err := s.Change("ann", "", amountTo(0.6)); err == nil || !strings.Contains(err.Error(), "another server") {
		t.Errorf("without a lease: %v", err)
	}
	if _, entries, err := hub.Store.Latest(ctx, id); err != nil || len(entries) != 1 {
		t.Errorf("%d entries are kept: %v", len(entries), err)
	}
}

// A project that nobody looks at is closed, and opened again unnoticed by who holds it;
// growing strokes are kept when it is.
func TestProjectsAreClosedAndOpenedUnnoticed(t *testing.T) {
	_, hub, id := through(t)
	s, err := hub.Open(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	d := s.Document()
	up := geom.V3(0, 1, 0)
	stroke := &brush.Stroke{ID: "cut", Radius: 0.1, Strength: 1, Values: map[string][]float32{"baseColor": {1, 0, 0}}, Points: brush.Points{{Pos: geom.V3(0.2, 0, 0.2), Nrm: up, Pressure: 1}, {Pos: geom.V3(0.5, 0, 0.5), Nrm: up, Pressure: 1}}}
	paint := &stack.Layer{ID: "paint", Name: "Paint", Kind: stack.Paint, Visible: true, Amount: 1, Channels: map[stack.Channel]stack.Coat{stack.BaseColor: {On: true, Amount: 1, Blend: "normal"}}}
	if err := s.Change("ann", "", func(*stack.Document) (stack.Op, error) {
		return stack.AddLayer{Index: len(d.Layers), Layer: paint}, nil
	}); err != nil {
		t.Fatal(err)
	}
	op := stack.AddStroke{Target: "paint", StrokeID: "cut", Index: -1, Stroke: stroke}
	if err := s.do(func() { s.cut(&viewer{s: s, actor: "ann", stroke: &op}) }); err != nil {
		t.Fatal(err)
	}
	hub.end(s, "", true)
	if hub.count() != 1 {
		t.Error("a project that was just asked for is closed")
	}
	s.asked.Store(time.Now().Add(-time.Hour).UnixNano())
	hub.closeIdle()
	if hub.count() != 0 {
		t.Fatal("it is still open")
	}
	select {
	case <-s.gone:
	case <-time.After(time.Minute):
		t.Fatal("its goroutine goes on")
	}
	if err := s.do(func() {}); !errors.Is(err, ErrClosed) {
		t.Errorf("a closed session carries out: %v", err)
	}
	// who still holds the old one changes the new one
	if err := s.Change("ann", "", amountTo(0.7)); err != nil {
		t.Fatal(err)
	}
	n, err := hub.Open(t.Context(), id)
	if err != nil || n == s {
		t.Fatalf("the same session, or none: %v", err)
	}
	got := n.Document()
	if got.Layers[0].Amount != 0.7 || len(got.Layer("paint").Strokes) != 1 || len(got.Layer("paint").Strokes[0].Points) != 2 {
		t.Errorf("after it was closed and opened: %v, %d strokes", got.Layers[0].Amount, len(got.Layer("paint").Strokes))
	}
}

// A mistake of ours in one call costs that call: who waits hears of it, and the next goes on.
func TestAPanicCostsOneCall(t *testing.T) {
	_, hub, id := through(t)
	s, err := hub.Open(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	err = s.Change("ann", "", func(*stack.Document) (stack.Op, error) {
		var d *stack.Document
		return stack.RemoveLayer{Target: d.Layers[0].ID}, nil
	})
	if err == nil || !strings.Contains(err.Error(), "mistake of ours") {
		t.Errorf("a panic becomes %v", err)
	}
	if err := s.Change("ann", "", amountTo(0.2)); err != nil {
		t.Error(err)
	}
}

// A hub that opened projects, served them and closed leaves no goroutine behind.
func TestNothingGoesOnAfterTheHubClosed(t *testing.T) {
	dsn := os.Getenv("VELVETGRIME_TEST_DATABASE")
	if dsn == "" {
		t.Fatal("VELVETGRIME_TEST_DATABASE is not set; run 'make test-go', which starts a database")
	}
	open := func() {
		s, err := store.Open(dsn)
		if err != nil {
			t.Fatal(err)
		}
		defer s.Close()
		hub := NewHub(s, 32<<20)
		defer hub.Close()
		for i := range 3 {
			p, err := intake.Create(t.Context(), s, "", fmt.Sprint("Plate ", i, t.Name()), map[string][]byte{"plate.obj": []byte(plate)}, nil, nil)
			if err != nil {
				t.Fatal(err)
			}
			session, err := hub.Open(t.Context(), p.ID)
			if err != nil {
				t.Fatal(err)
			}
			if err := session.Change("ann", "", amountTo(0.3)); err != nil {
				t.Fatal(err)
			}
		}
	}
	open() // what is made once for the process
	before := runtime.NumGoroutine()
	for range 4 {
		open()
	}
	for range 600 { // those that are about to end
		if runtime.NumGoroutine() <= before {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	b := make([]byte, 1<<16)
	t.Errorf("%d goroutines before, %d after\n%s", before, runtime.NumGoroutine(), b[:runtime.Stack(b, true)])
}
