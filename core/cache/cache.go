// Package cache keeps immutable values by what they were made from. Nothing in it is ever
// marked dirty: what did not change keeps its key and is found again. See
// docs/decisions/0001.
package cache

import (
	"container/list"
	"context"
	"sync"

	"github.com/zeebo/xxh3"
)

// Key is the content address of a value: a hash of what it is made from.
type Key = xxh3.Uint128

// Hash mixes keys, numbers and strings into one key.
type Hash struct{ h *xxh3.Hasher }

// NewHash returns a hash that begins with the kind of what is to be named.
func NewHash(kind string) Hash {
	h := Hash{xxh3.New()}
	return h.Str(kind)
}

// Str mixes in a string with its length.
func (h Hash) Str(s string) Hash { h.Num(uint64(len(s))); _, _ = h.h.WriteString(s); return h }

// Bytes mixes in bytes of a length that is always the same.
func (h Hash) Bytes(b []byte) Hash { _, _ = h.h.Write(b); return h }

// Num mixes in a number.
func (h Hash) Num(n uint64) Hash {
	var b [8]byte
	for i := range b {
		b[i] = byte(n >> (8 * i))
	}
	_, _ = h.h.Write(b[:])
	return h
}

// Key mixes in a key.
func (h Hash) Key(k Key) Hash { return h.Num(k.Hi).Num(k.Lo) }

// Sum returns the key.
func (h Hash) Sum() Key { return h.h.Sum128() }

// Join hashes two keys and a small number without a hasher; it is the inner
// step of every chain.
func Join(a, b Key, n uint64) Key {
	var buf [40]byte
	for i, v := range [5]uint64{a.Hi, a.Lo, b.Hi, b.Lo, n} {
		for k := range 8 {
			buf[i*8+k] = byte(v >> (8 * k))
		}
	}
	return xxh3.Hash128(buf[:])
}

// Sized is anything the cache can hold.
type Sized interface{ Bytes() int }

// Cache maps keys to immutable values, bounded in bytes; the least recently used
// go first. Results that were asked for from outside are kept apart from what was
// needed on the way to them, so that a long way does not drive out what it was gone
// for: they may hold half of the cache. What is made by the thousand, each for a moment, passes through
// an eighth of it, so that it drives out nothing else. It is safe for many goroutines.
type Cache struct {
	mu       sync.Mutex
	limit    int
	full     int // the limit when it yields nothing
	used     [tiers]int
	order    [tiers]*list.List
	entries  map[Key]*list.Element
	finding  map[Key]*finding
	hit, mis int
}

type entry struct {
	key   Key
	value Sized
	tier  int
}

const (
	onTheWay = iota
	result
	passing
	tiers
)

// New returns a cache of at most limit bytes.
func New(limit int) *Cache {
	c := &Cache{limit: limit, full: limit, entries: map[Key]*list.Element{}, finding: map[Key]*finding{}}
	for tier := range c.order {
		c.order[tier] = list.New()
	}
	return c
}

// Yield makes the cache hold less by so many bytes until it is told otherwise, and at
// least an eighth of its limit.
func (c *Cache) Yield(bytes int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.limit = max(c.full-bytes, c.full/8)
	c.trim()
}

// Clear gives up everything.
func (c *Cache) Clear() {
	c.mu.Lock()
	defer c.mu.Unlock()
	clear(c.entries)
	for tier := range c.order {
		c.order[tier].Init()
		c.used[tier] = 0
	}
}

func (c *Cache) Get(k Key) (Sized, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.get(k)
}

func (c *Cache) get(k Key) (Sized, bool) {
	e, ok := c.entries[k]
	if !ok {
		c.mis++
		return nil, false
	}
	c.hit++
	it := e.Value.(*entry)
	c.order[it.tier].MoveToFront(e)
	return it.value, true
}

// finding is a value that somebody is about to find.
type finding struct {
	done  chan struct{} // closed at the end
	value Sized
	whole bool // the value may be shared
}

// Once returns what is kept under a key or, where nothing is, what find finds, which keeps it
// if it is to be kept. Who asks for the same meanwhile waits and shares it, if find calls it whole; if
// not, or if it failed, the next of them finds it. Nobody waits longer than until ctx ends. What
// find needs by Once must not depend on the value itself: keys of contents never do.
func Once[V Sized](ctx context.Context, c *Cache, k Key, find func() (v V, whole bool, err error)) (V, error) {
	for {
		c.mu.Lock()
		if v, ok := c.get(k); ok {
			c.mu.Unlock()
			return v.(V), nil
		}
		f := c.finding[k]
		if f == nil {
			break
		}
		c.mu.Unlock()
		select {
		case <-f.done:
		case <-ctx.Done():
			var none V
			return none, ctx.Err()
		}
		if f.whole {
			return f.value.(V), nil
		}
	}
	f := &finding{done: make(chan struct{})}
	c.finding[k] = f
	c.mu.Unlock()
	defer func() { // after a panic, too
		c.mu.Lock()
		delete(c.finding, k)
		c.mu.Unlock()
		close(f.done)
	}()
	v, whole, err := find()
	f.value, f.whole = v, whole && err == nil
	return v, err
}

// Put keeps what was found on the way.
func (c *Cache) Put(k Key, v Sized) { c.add(k, v, onTheWay) }

// Keep keeps a result.
func (c *Cache) Keep(k Key, v Sized) { c.add(k, v, result) }

// Pass keeps what is wanted for a moment.
func (c *Cache) Pass(k Key, v Sized) { c.add(k, v, passing) }

// Limit returns the bytes that are held at most while nothing is yielded.
func (c *Cache) Limit() int { return c.full }

func (c *Cache) add(k Key, v Sized, tier int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if e, ok := c.entries[k]; ok {
		c.drop(e)
	}
	c.entries[k] = c.order[tier].PushFront(&entry{k, v, tier})
	c.used[tier] += v.Bytes()
	c.trim()
}

// trim drops what is over the limit.
func (c *Cache) trim() {
	for c.used[result] > c.limit/2 && c.order[result].Len() > 1 {
		c.drop(c.order[result].Back())
	}
	for c.used[passing] > c.limit/8 && c.order[passing].Len() > 1 {
		c.drop(c.order[passing].Back())
	}
	for c.held() > c.limit && c.order[onTheWay].Len() > 0 && len(c.entries) > 1 {
		c.drop(c.order[onTheWay].Back())
	}
}

func (c *Cache) held() (bytes int) {
	for _, n := range c.used {
		bytes += n
	}
	return bytes
}

func (c *Cache) drop(e *list.Element) {
	it := e.Value.(*entry)
	c.used[it.tier] -= it.value.Bytes()
	delete(c.entries, it.key)
	c.order[it.tier].Remove(e)
}

// Stats returns the bytes held and how many lookups hit and missed.
func (c *Cache) Stats() (bytes, hits, misses int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.held(), c.hit, c.mis
}
