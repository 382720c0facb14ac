package live

import (
	"bytes"
	"context"
	"errors"
	"log"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"velvetgrime/core/budget"
	"velvetgrime/core/cache"
	"velvetgrime/core/par"
	"velvetgrime/core/pix"
	"velvetgrime/internal/store"
)

// Hub holds the open projects and the cache they share.
type Hub struct {
	Store *store.Store
	Cache *cache.Cache
	// Beside is for what DrawBeside draws
	Beside *cache.Cache
	// Transient hubs belong to a process that does not own projects: they read a
	// project anew for every job.
	Transient bool
	// ComeBack is how long a page whose line was cut has to come back and go on with its stroke
	ComeBack time.Duration
	holder   store.Holder
	mu       sync.Mutex
	open     map[string]*Session
	opening  map[string]*opening
	closed   bool
	stop     context.CancelFunc
	beside   atomic.Bool  // something is drawn beside the projects
	drawing  atomic.Int32 // pages for which tiles are made
	bare     atomic.Int32 // those of them that have nothing to show yet
	drawn    atomic.Int64 // when the last of them was done, Unix milliseconds
	ahead    atomic.Int32 // projects of which something is drawn before a page looks at them
}

// First waits, half a minute at most, while a page has nothing to show yet, or would have
// nothing if it were opened: that comes before work that nobody ordered. Its error is the
// context's.
func (h *Hub) First(ctx context.Context) error {
	until := time.Now().Add(30 * time.Second)
	for h.bare.Load()+h.ahead.Load() > 0 && time.Now().Before(until) {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
	return ctx.Err()
}

// restAfter is how long nobody has waited for tiles when it is time for what nobody waits for:
// who works makes a stroke every few seconds.
const restAfter = 8 * time.Second

// Rest waits until no page waits for tiles, nor has for a while: what nobody waits for comes
// then. Its error is the context's. Who waits may hold bytes of the budget.
func (h *Hub) Rest(ctx context.Context) error {
	for h.drawing.Load() > 0 || h.bare.Load() > 0 || time.Since(time.UnixMilli(h.drawn.Load())) < restAfter {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
	return ctx.Err()
}

// Yield makes the cache hold less by so many bytes until it is told otherwise. What was
// drawn beside the projects is given up.
func (h *Hub) Yield(bytes int) {
	h.Cache.Yield(bytes)
	if bytes > 0 && !h.beside.Load() {
		h.Beside.Clear()
	}
}

// DrawBeside lets f draw what belongs to no project, as a picture of the stock, with the cache
// Beside, in memory that it takes from the budget for as long; one f at a time. Its errors
// are those of f and of the context.
func (h *Hub) DrawBeside(ctx context.Context, what string, f func() error) error {
	h.beside.Store(true) // before the bytes are taken: nothing is given up for its own
	release, err := budget.Memory.Brief(ctx, what, besideRoom)
	if err != nil {
		h.beside.Store(false)
		return err
	}
	defer func() {
		h.beside.Store(false)
		release() // others who go on make it yield now
	}()
	return f()
}

// opening is a project that is being loaded: who asks meanwhile waits for it, and for no
// other project.
type opening struct {
	done chan struct{}
	s    *Session
	err  error
}

const (
	idleAfter  = 2 * time.Minute // without a page and without a question a project is closed
	idleAtOnce = time.Second     // or after that, while more than so many are open:
	mostOpen   = 8
	tendEvery  = 4 * time.Second
)

// besideRoom holds what a picture of the stock evaluates, in bytes; with much less the same is
// evaluated over and over.
const besideRoom = 48 << 20

// NewHub returns a hub whose cache holds at most limit bytes.
func NewHub(s *store.Store, limit int) *Hub {
	ctx, stop := context.WithCancel(context.Background())
	h := &Hub{
		Store:    s,
		Cache:    cache.New(limit),
		Beside:   cache.New(besideRoom),
		ComeBack: 20 * time.Second,
		holder:   store.NewHolder(),
		open:     map[string]*Session{},
		opening:  map[string]*opening{},
		stop:     stop,
	}
	go h.tend(ctx)
	return h
}

// tend renews the leases of what is open, and closes what nobody looks at.
func (h *Hub) tend(ctx context.Context) {
	tick := time.NewTicker(tendEvery)
	defer tick.Stop()
	said := "" // the last error, which is told once
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		err := par.Contain(func() error {
			if h.Transient || h.count() == 0 {
				return nil
			}
			ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
			defer cancel()
			if err := h.Store.Renew(ctx, h.holder); err != nil {
				return err
			}
			h.closeIdle()
			return nil
		})
		now := ""
		if err != nil && ctx.Err() == nil {
			now = err.Error()
		}
		if now != "" && now != said {
			log.Printf("tending open projects: %v", err)
		}
		said = now
	}
}

func (h *Hub) count() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.open)
}

// closeIdle closes projects that no page looks at and that nobody asked for lately.
func (h *Hub) closeIdle() {
	h.mu.Lock()
	var idle []*Session
	for _, s := range h.open {
		if s.idle() > idleAtOnce {
			idle = append(idle, s)
		}
	}
	slices.SortFunc(idle, func(a, b *Session) int { return int(b.idle() - a.idle()) })
	over := len(h.open) - mostOpen
	h.mu.Unlock()
	for i, s := range idle {
		if i < over || s.idle() > idleAfter {
			h.end(s, "", true)
		}
	}
}

// end closes a session: growing strokes are kept, pages are told why, and the lease is
// given back. With onlyIdle it stays open when someone came meanwhile.
func (h *Hub) end(s *Session, why string, onlyIdle bool) {
	_ = s.unasked(func() {
		h.mu.Lock()
		if onlyIdle && (s.idle() < idleAtOnce || len(s.viewers)+len(s.works) > 0) || h.open[s.ID] != s {
			h.mu.Unlock()
			return
		}
		delete(h.open, s.ID) // who asks from now on opens it anew
		h.mu.Unlock()
		s.keepGrowing()
		for v := range s.viewers {
			v.post(Closed{T: "closed", Why: why})
			v.end()
		}
		for _, w := range s.works {
			w.cancel()
		}
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		if err := h.Store.EndLease(ctx, s.ID, h.holder); err != nil {
			log.Printf("project %q: its lease was not given back: %v", s.Name, err)
		}
		close(s.quit)
	})
}

// End closes a project when it is open; its pages are told why.
func (h *Hub) End(project, why string) {
	h.mu.Lock()
	s := h.open[project]
	h.mu.Unlock()
	if s != nil {
		h.end(s, why, false)
	}
}

// Close keeps the strokes that grow in every open project and closes them all.
func (h *Hub) Close() {
	h.mu.Lock()
	h.closed = true
	var all []*Session
	for _, s := range h.open {
		all = append(all, s)
	}
	h.mu.Unlock()
	h.stop()
	var g par.All
	for _, s := range all {
		g.Go(func() { h.end(s, "the server was stopped", false) })
	}
	g.Wait()
}

// Picture reads a stored picture; its name is that of its blob.
func (h *Hub) Picture(name string) (*pix.Picture, error) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	b, err := h.Store.Blob(ctx, name)
	if err != nil {
		return nil, err
	}
	return pix.DecodePicture(bytes.NewReader(b))
}

// errStopping is returned by a hub that was closed.
var errStopping = errors.New("the server is being stopped")

// Open returns the session of a project, loading it when it is not open yet. Errors are
// ErrNotFound, ErrLeased, the context's, and what is wrong with the project.
func (h *Hub) Open(ctx context.Context, id string) (*Session, error) {
	h.mu.Lock()
	if s := h.open[id]; s != nil {
		s.touch()
		h.mu.Unlock()
		return s, nil
	}
	if h.closed {
		h.mu.Unlock()
		return nil, errStopping
	}
	o := h.opening[id]
	if o == nil {
		o = &opening{done: make(chan struct{})}
		h.opening[id] = o
		// not on the context of who happens to ask first
		go func() {
			ctx, cancel := context.WithTimeout(context.Background(), 10*time.Minute)
			defer cancel()
			o.err = par.Contain(func() (err error) { o.s, err = h.load(ctx, id); return err })
			h.mu.Lock()
			delete(h.opening, id)
			if o.err == nil {
				h.open[id] = o.s
			}
			many := len(h.open) > mostOpen
			h.mu.Unlock()
			close(o.done)
			if many {
				h.closeIdle()
			}
		}()
	}
	h.mu.Unlock()
	select {
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-o.done:
		return o.s, o.err
	}
}

// load takes a project's lease, reads it and starts its session.
func (h *Hub) load(ctx context.Context, id string) (*Session, error) {
	if _, err := h.Store.Project(ctx, id); err != nil {
		return nil, err
	}
	if err := h.Store.Lease(ctx, id, h.holder); err != nil {
		return nil, err
	}
	s, err := h.read(ctx, id)
	if err != nil {
		_ = h.Store.EndLease(context.WithoutCancel(ctx), id, h.holder)
		return nil, err
	}
	go s.run()
	return s, nil
}

// Passing reports whether an error may be gone later: the database does not answer, or
// another server has the project.
func Passing(err error) bool {
	var down *unreachable
	var not *notKept
	return errors.As(err, &down) || errors.As(err, &not) || errors.Is(err, store.ErrLeased) ||
		errors.Is(err, ErrClosed) ||
		errors.Is(err, errStopping)
}
