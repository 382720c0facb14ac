package live

import (
	"context"
	"errors"
	"log"
	"runtime"
	"time"

	"velvetgrime/core/eval"
	"velvetgrime/core/par"
	"velvetgrime/core/surface"
)

// mostFirst is of how many sheets the coarsest tile, which shows a sheet whole, is made ahead.
const mostFirst = 16

// firstAsked lists what any page asks for first: the coarsest tile of every sheet, in all of
// its maps.
func firstAsked(p *eval.Program) (slots []slot) {
	made := 0
	for i, sheet := range p.Scene.Model.Sheets {
		if !sheet.HasUV || made == mostFirst {
			continue
		}
		made++
		for kind := range packed {
			slots = append(slots, slot{surface.Tile{Sheet: i, Size: eval.FirstLook}, kind})
		}
	}
	return slots
}

// keysOf returns the keys of slots; false: stop held before all were there.
func (u *pusher) keysOf(p *eval.Program, slots []slot, stop func() bool) (map[slot]eval.Key, bool) {
	keys := make(map[slot]eval.Key, len(slots))
	for _, s := range slots {
		if stop() {
			return nil, false
		}
		keys[s] = u.key(p, p.Scene.OnTile(s.Tile), s.kind)
	}
	return keys, true
}

// foresee evaluates what any page asks for first while the page still reads the model and
// finds what it sees. It ends when the page has told.
func (u *pusher) foresee(ctx context.Context) {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	ctx, _ = eval.PassOver(ctx) // what fails is told where its tiles are
	p := u.program()
	slots := firstAsked(p)
	keys, whole := u.keysOf(p, slots, u.newer)
	if !whole {
		return
	}
	g, ctx := par.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for _, maps := range byTile(u.store.missing(slots, keys)) {
		g.Go(func() error {
			t := p.Scene.OnTile(maps[0].Tile)
			for _, s := range maps {
				if u.newer() {
					return nil
				}
				if _, err := u.planes(ctx, p, t, s.kind); err != nil {
					return err // it will be met, and told, when the tile is asked for
				}
			}
			return nil
		})
	}
	_ = g.Wait()
}

// lookEvery is how often DrawFirst looks whether there is anything for it to do.
const lookEvery = 200 * time.Millisecond

// DrawFirst draws, until its context ends, what a page would ask for first of open projects
// that were changed while no page looked at them, by a bake or an import, and keeps it: who
// opens one sees it at once. It gives way to every page.
func (h *Hub) DrawFirst(ctx context.Context) {
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		for s := h.unseen(); s != nil && ctx.Err() == nil; s = h.unseen() {
			h.ahead.Add(1)
			err := guarded("what is shown first", func() error { return s.drawFirst(ctx) })
			h.ahead.Add(-1)
			if err != nil && ctx.Err() == nil {
				log.Printf("project %q: what is shown first was not drawn: %v", s.Name, err)
			}
		}
	}
}

// unseen returns an open project that was changed while no page looked at it and of which
// nothing was drawn since, the one that waits longest; nil: there is none, or a page waits for
// tiles.
func (h *Hub) unseen() *Session {
	if h.waitedFor() {
		return nil
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	var first *Session
	for _, s := range h.open {
		if at := s.unseen.Load(); at > 0 && s.seen.Load() == 0 && (first == nil || at < first.unseen.Load()) {
			first = s
		}
	}
	return first
}

// waitedFor reports whether a page waits for tiles.
func (h *Hub) waitedFor() bool { return h.drawing.Load() > 0 || h.bare.Load() > 0 }

// drawFirst draws and keeps what a page asks for first, unless it is kept; until a page waits
// for tiles, or the project is changed.
func (s *Session) drawFirst(ctx context.Context) error {
	began := s.unseen.Load()
	ctx, stop := until(ctx, 5*time.Millisecond, func() bool { return s.hub.waitedFor() || s.unseen.Load() != began })
	defer stop()
	p := s.shown()
	u := &pusher{store: newTileStore(s.hub.Store, s.ID), have: map[slot]sent{}}
	u.store.load(ctx)
	slots := firstAsked(p)
	keys, whole := u.keysOf(p, slots, func() bool { return ctx.Err() != nil })
	if !whole {
		return nil
	}
	for a, key := range keys {
		u.have[a] = sent{key: key}
	}
	g, gctx := par.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for _, maps := range byTile(u.store.missing(slots, keys)) {
		g.Go(func() error {
			t := p.Scene.OnTile(maps[0].Tile)
			for _, a := range maps {
				if err := u.first(gctx, p, t, a, keys[a]); err != nil {
					return err
				}
			}
			return nil
		})
	}
	err := g.Wait()
	if ctx.Err() != nil {
		err = nil // what is there is kept, the rest comes at the next rest
	} else {
		s.unseen.CompareAndSwap(began, 0) // also when it failed: it is told once, and met by who opens it
	}
	return errors.Join(err, u.store.keep(u.have))
}

// first draws one map of a tile and remembers it to be kept, unless a step failed in it.
func (u *pusher) first(ctx context.Context, p *eval.Program, t *surface.Surface, a slot, key eval.Key) error {
	if t.Empty() {
		u.store.add(a, key, nil)
		return nil
	}
	ctx, passed := eval.PassOver(ctx)
	planes, err := u.planes(ctx, p, t, a.kind)
	if err == nil && len(passed.List()) == 0 {
		u.store.add(a, key, encodeTile(t.Frame(), a, planes))
	}
	return err
}
