package live

import (
	"context"
	"encoding/binary"
	"fmt"
	"sync"
	"time"

	"velvetgrime/core/eval"
	"velvetgrime/internal/build"
	"velvetgrime/internal/store"
)

// tileStore is what a page was sent, kept in the database under the keys of its content,
// so that the same project opens the next time without being evaluated: the
// textures come from there until something is changed.
type tileStore struct {
	store   *store.Store
	project string

	mu    sync.Mutex
	known map[string]bool // what the database has; nil before it was asked
	fresh map[slot]store.FinishedTile
	bytes int
}

const (
	keptBytes = 48 << 20         // of fresh tiles in memory
	keptTiles = 6000             // of a project in the database
	keptAfter = 12 * time.Second // of rest
)

func newTileStore(s *store.Store, project string) *tileStore {
	return &tileStore{store: s, project: project, fresh: map[slot]store.FinishedTile{}}
}

// name is a slot's content key as the database has it: 25 bytes.
func (k *tileStore) name(s slot, key eval.Key) string {
	b := binary.BigEndian.AppendUint64(make([]byte, 0, 25), build.Sum())
	b = binary.BigEndian.AppendUint64(b, key.Hi)
	b = binary.BigEndian.AppendUint64(b, key.Lo)
	return string(append(b, byte(s.kind)))
}

// load asks the database what it has. What cannot be read is evaluated.
func (k *tileStore) load(ctx context.Context) {
	if k.known != nil || k.store == nil {
		return
	}
	keys, err := k.store.TileKeys(ctx, k.project)
	if err != nil {
		keys = nil
	}
	k.known = make(map[string]bool, len(keys))
	for _, key := range keys {
		k.known[string(key)] = true
	}
}

// missing lists those of some slots that have to be evaluated.
func (k *tileStore) missing(slots []slot, keys map[slot]eval.Key) []slot {
	if len(k.known) == 0 {
		return slots
	}
	var out []slot
	for _, s := range slots {
		if !kept(s.kind) || !k.known[k.name(s, keys[s])] {
			out = append(out, s)
		}
	}
	return out
}

// fetch returns those of some slots that are kept, by name.
func (k *tileStore) fetch(ctx context.Context, slots []slot, keys map[slot]eval.Key) map[string][]byte {
	var names [][]byte
	for _, s := range slots {
		if n := k.name(s, keys[s]); kept(s.kind) && k.known[n] {
			names = append(names, []byte(n))
		}
	}
	if len(names) == 0 {
		return nil
	}
	got, err := k.store.Tiles(ctx, k.project, names)
	if err != nil {
		return nil
	}
	return got
}

// add remembers an evaluated tile until the next rest.
func (k *tileStore) add(s slot, key eval.Key, frame []byte) {
	n := k.name(s, key)
	k.mu.Lock()
	full := k.store == nil || k.known == nil || k.known[n] || k.bytes > keptBytes
	k.mu.Unlock()
	if full {
		return
	}
	t := store.FinishedTile{ProjectID: k.project, Key: []byte(n), Data: store.PackTile(frame)}
	k.mu.Lock()
	defer k.mu.Unlock()
	k.bytes += len(t.Data) - len(k.fresh[s].Data)
	k.fresh[s] = t
}

// keep writes what is fresh, and drops what the page no longer shows.
func (k *tileStore) keep(shown map[slot]sent) error {
	if k.store == nil || k.known == nil {
		return nil
	}
	now := make(map[string]bool, len(shown))
	for s, h := range shown {
		if kept(s.kind) {
			now[k.name(s, h.key)] = true
		}
	}
	var tiles []store.FinishedTile
	for _, t := range k.fresh {
		if now[string(t.Key)] {
			tiles = append(tiles, t)
		}
	}
	var drop [][]byte
	if len(k.known)+len(tiles) > keptTiles { // what other views showed goes when there is too much
		for n := range k.known {
			if !now[n] {
				drop = append(drop, []byte(n))
			}
		}
	}
	clear(k.fresh)
	k.bytes = 0
	if len(tiles) == 0 {
		return nil // a page that shows less than the last one drops nothing
	}
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	if err := k.store.KeepTiles(ctx, k.project, tiles, drop); err != nil {
		return fmt.Errorf("finished tiles were not kept: %w", err)
	}
	for _, n := range drop {
		delete(k.known, string(n))
	}
	for _, t := range tiles {
		k.known[string(t.Key)] = true
	}
	return nil
}
