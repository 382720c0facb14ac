package live

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"velvetgrime/core/eval"
	"velvetgrime/core/par"
	"velvetgrime/core/stack"

	"github.com/coder/websocket"
)

// viewer is one page that looks at a project.
type viewer struct {
	s     *Session
	actor string
	conn  *websocket.Conn
	woken chan struct{}

	// owned by the session's goroutine
	preview  stack.Op
	stroke   *stack.AddStroke // stroke.add with the points so far
	doing    int64            // the number of the request under way
	strokeID string           // under which the page knows that stroke
	had      int              // of its points, how many are kept already
	instead  *alternative     // what this line shows in place of the document; nil: that
	ways     string           // what a stroke that takes from the other side leaves there: as it is, flip or exchange

	want  chan wish // newest wins
	posts chan any  // small messages, in their order
	docs  docs
	push  *pusher
	end   context.CancelFunc           // cuts the line
	shown func()                       // it has something to show
	aside bool                         // a line of a line-up: it is told of tiles alone
	own   atomic.Pointer[eval.Program] // of what it shows in place of the document

	hovers chan struct{} // the pen is over another place
	done   atomic.Int64  // the number of the last request that the shown program holds
	penMu  sync.Mutex
	pen    *pen // nil: not seen yet
}

// wish is what the page wants to see besides the maps.
type wish struct {
	cards []float64 // view-projection of the cards' camera, 16 numbers
	// alone is "", "mask", "step" (layer is layer/step), "layer" (that layer shown without the others), or a
	// channel that the page has no map of
	alone string
	layer string
	focus string // the layer whose steps are shown on cards
	// what the page has room for and holds; of the first seen ones its camera sees something
	pages []page
	seen  int
	heard int64 // tiles that had come when it told that
	told  bool
	n     int64 // of the last request that told another camera or other pages
}

func (v *viewer) wake() {
	select {
	case v.woken <- struct{}{}:
	default:
	}
}

// mostPosts is how many small messages may wait for a page; one that reads none of so many
// is let go, and comes back.
const mostPosts = 1024

// Page says who looks, and how.
type Page struct {
	Actor string
	// Wait: no tile is sent before the page has told what it sees: it would have to drop them
	Wait bool
	// Aside: one more line of a page that is there, for an alternative of a line-up
	Aside bool
}

// Serve speaks with one page until the connection ends. ErrClosed: the session has ended.
func (s *Session) Serve(ctx context.Context, conn *websocket.Conn, page Page) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	conn.SetReadLimit(8 << 20)
	v := &viewer{
		s:      s,
		actor:  page.Actor,
		aside:  page.Aside,
		conn:   conn,
		woken:  make(chan struct{}, 1),
		hovers: make(chan struct{}, 1),
		want:   make(chan wish, 1),
		posts:  make(chan any, mostPosts),
		end:    cancel,
	}
	v.docs.woken = make(chan struct{}, 1)
	v.push = newPusher(v)
	v.push.wait = page.Wait
	s.seen.Add(1)
	defer s.seen.Add(-1)
	v.isBare()
	defer v.shown()
	if err := s.do(func() { s.greet(v) }); err != nil {
		return err
	}
	defer func() {
		_ = s.do(func() {
			s.cut(v)
			delete(s.viewers, v)
			s.tell()
			s.refresh()
		})
	}()
	serve := func(what string, f func() error) {
		go func() {
			defer cancel()
			if err := par.Contain(f); err != nil && ctx.Err() == nil && !gone(err) {
				told(fmt.Sprintf("project %q: %s", s.Name, what), err)
				_ = conn.Close(websocket.StatusInternalError, what+" stopped")
			}
		}()
	}
	serve("drawing", func() error { return v.push.run(ctx) })
	serve("telling", func() error { return v.write(ctx) })
	var w wish
	for {
		_, data, err := conn.Read(ctx)
		if err != nil {
			return err
		}
		r, err := parse(data)
		if err != nil {
			if err := v.refuse(err); err != nil {
				return err
			}
			continue
		}
		if g, ok := r.(glance); ok {
			w = g.wish(w)
			v.wish(w)
			continue
		}
		if err := v.carryOut(ctx, r); err != nil {
			return err
		}
	}
}

// isBare counts a page that has nothing to show yet; shown, called again or not, takes it off.
func (v *viewer) isBare() {
	counts := []*atomic.Int32{&v.s.hub.bare}
	if v.aside {
		counts = append(counts, &v.s.bare)
	}
	for _, n := range counts {
		n.Add(1)
	}
	v.shown = sync.OnceFunc(func() {
		for _, n := range counts {
			n.Add(-1)
		}
	})
}

// gone reports whether a line ended because the page went away, which is nobody's mistake.
func gone(err error) bool {
	return errors.Is(err, net.ErrClosed) || errors.Is(err, syscall.EPIPE) || errors.Is(err, syscall.ECONNRESET)
}

// greet takes a page in.
func (s *Session) greet(v *viewer) {
	s.viewers[v] = true
	if v.aside {
		v.wake()
		return
	}
	s.tell()
	s.tellWork()
	if d, err := s.clip(v.actor); err == nil && d != nil {
		names := []string{}
		for _, l := range d.Layers {
			names = append(names, l.Name)
		}
		v.post(Clip{"clip", names})
	}
	s.refresh()
}

// write sends the page what waits for it.
func (v *viewer) write(ctx context.Context) error {
	for {
		var m any
		select {
		case <-ctx.Done():
			return nil
		case m = <-v.posts:
		case <-v.docs.woken:
			d := v.docs.take()
			if d == nil {
				continue
			}
			m = d
		}
		if err := v.send(ctx, m); err != nil {
			return err
		}
	}
}

// refuse tells why a message was not read. It was heard nonetheless: what the page sees does
// not wait for it.
func (v *viewer) refuse(why error) error {
	no := Refused{T: "error", Message: why.Error()}
	m := (*misread)(nil)
	if errors.As(why, &m) {
		no.ID = m.head.ID
	}
	v.post(no)
	if m == nil || m.head.N == 0 {
		return nil
	}
	return v.s.do(func() { v.heardOf(m.head.N) })
}

// heardOf notes that a request was carried out or refused, in the session's goroutine.
func (v *viewer) heardOf(n int64) {
	v.doing = max(v.doing, n)
	if v.done.Load() < v.doing { // nothing else came of it
		v.done.Store(v.doing)
		v.wake()
	}
}

// carryOut does what a page asks for and answers; its error is that the session has ended.
func (v *viewer) carryOut(ctx context.Context, r request) error {
	h := r.head()
	answer := func(seq int64, err error) {
		switch {
		case err != nil:
			v.post(Refused{T: "error", ID: h.ID, Message: err.Error(), Again: Passing(err)})
		case h.ID != 0:
			v.post(Ack{"ack", h.ID, seq})
		}
	}
	if q, ok := r.(question); ok {
		answer(0, guarded(h.T, func() error { return q.answer(ctx, v) }))
		return nil
	}
	return v.s.do(func() {
		v.doing = max(v.doing, h.N)
		changed := nothing
		// "settled" may tell of what is drawn only after this answer, so it goes before anything is shown
		err := guarded(h.T, func() (err error) {
			changed, err = v.carry(r.(deed))
			return err
		})
		answer(v.s.seq(), err)
		if err := guarded(h.T, func() error { return v.show(changed) }); err != nil {
			v.post(Refused{T: "error", Message: err.Error()})
		}
		v.heardOf(h.N)
	})
}

// carry does a deed, in the session's goroutine.
func (v *viewer) carry(r deed) (outcome, error) {
	v.s.request = r.head().Request
	defer func() { v.s.request = "" }()
	return r.do(v)
}

// show shows and tells what came of a deed.
func (v *viewer) show(changed outcome) error {
	if changed >= picture {
		v.s.refresh()
	}
	if changed >= project {
		v.s.tell()
	}
	return nil
}

func (v *viewer) wish(w wish) {
	select {
	case <-v.want:
	default:
	}
	v.want <- w
	v.wake()
}

func (v *viewer) send(ctx context.Context, m any) error {
	b, err := json.Marshal(m)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	return v.conn.Write(ctx, websocket.MessageText, b)
}

// post queues a small message. A page that reads none of very many is let go.
func (v *viewer) post(m any) {
	select {
	case v.posts <- m:
	default:
		v.end()
	}
}

// guarded carries out a message. A mistake of ours in it costs that message and not the
// server, with everyone else's work: documents are values, so the last one still stands.
func guarded(what string, f func() error) error {
	err := par.Contain(f)
	if p := (*par.Panic)(nil); errors.As(err, &p) {
		told(fmt.Sprintf("message %q", what), err)
		return fmt.Errorf("the server failed at %q and did not carry it out: %v; nothing else is lost", what, p.Value)
	}
	return err
}
