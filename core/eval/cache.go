package eval

import (
	"container/list"
	"sync"

	"github.com/zeebo/xxh3"
)

// Key is the content address of a value: a hash of what it is made from.
type Key = xxh3.Uint128

// hash mixes keys, numbers and strings into one key.
type hash struct{ h *xxh3.Hasher }

func newHash(kind string) hash {
	h := hash{xxh3.New()}
	return h.str(kind)
}

func (h hash) str(s string) hash { h.num(uint64(len(s))); _, _ = h.h.WriteString(s); return h }

func (h hash) num(n uint64) hash {
	var b [8]byte
	for i := range b {
		b[i] = byte(n >> (8 * i))
	}
	_, _ = h.h.Write(b[:])
	return h
}

func (h hash) key(k Key) hash { return h.num(k.Hi).num(k.Lo) }
func (h hash) sum() Key       { return h.h.Sum128() }

// join hashes two keys and a small number without a hasher; it is the inner
// step of every chain.
func join(a, b Key, n uint64) Key {
	var buf [40]byte
	for i, v := range [5]uint64{a.Hi, a.Lo, b.Hi, b.Lo, n} {
		for k := range 8 {
			buf[i*8+k] = byte(v >> (8 * k))
		}
	}
	return xxh3.Hash128(buf[:])
}

// sized is anything the cache can hold.
type sized interface{ Bytes() int }

// Cache maps keys to immutable values, bounded in bytes; the least recently used
// go first. Results that were asked for from outside are kept apart from what was
// needed on the way to them, so that a long way does not drive out what it was gone
// for: they may hold half of the cache. It is safe for many goroutines.
type Cache struct {
	mu       sync.Mutex
	limit    int
	full     int    // the limit when it yields nothing
	used     [2]int // on the way, results
	order    [2]*list.List
	entries  map[Key]*list.Element
	hit, mis int
}

type entry struct {
	key   Key
	value sized
	tier  int
}

const (
	onTheWay = iota
	result
)

// NewCache returns a cache of at most limit bytes.
func NewCache(limit int) *Cache {
	return &Cache{
		limit:   limit,
		full:    limit,
		order:   [2]*list.List{list.New(), list.New()},
		entries: map[Key]*list.Element{},
	}
}

// Yield makes the cache hold less by so many bytes until it is told otherwise, and at
// least an eighth of its limit.
func (c *Cache) Yield(bytes int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.limit = max(c.full-bytes, c.full/8)
	c.trim()
}

func (c *Cache) get(k Key) (sized, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
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

// put keeps what was found on the way.
func (c *Cache) put(k Key, v sized) { c.add(k, v, onTheWay) }

// keep keeps a result.
func (c *Cache) keep(k Key, v sized) { c.add(k, v, result) }

func (c *Cache) add(k Key, v sized, tier int) {
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
	for c.used[onTheWay]+c.used[result] > c.limit && c.order[onTheWay].Len() > 0 && len(c.entries) > 1 {
		c.drop(c.order[onTheWay].Back())
	}
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
	return c.used[0] + c.used[1], c.hit, c.mis
}
