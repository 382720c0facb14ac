package fold

import (
	"sync"
	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/surface"
)

// Known is what is remembered of which strokes touch which tiles, for all documents on a
// scene. It is safe for many goroutines.
type Known struct {
	mu    sync.Mutex
	touch map[touchKey]*touched
}

// NewKnown remembers nothing yet.
func NewKnown() *Known { return &Known{touch: map[touchKey]*touched{}} }

// touched remembers which of the first n strokes of a list touch a tile, so that
// the next stroke costs its own test and not that of the thousands before it.
type touched struct {
	n      int
	before cache.Key // content of the first n strokes
	list   []int     // their places in it
	keys   []cache.Key
}

type touchKey struct {
	surface cache.Key
	first   cache.Key // content of the list's first stroke
	channel string
	pad     float32
}

const (
	worthRemembering = 16      // strokes from which a list is remembered
	maxTouched       = 1 << 16 // remembered lists; dropped wholesale when exceeded
)

// Touching returns the strokes that touch the surface or come within pad metres
// of it, by their places in the list, and the chain of their keys.
func (p *Painter) Touching(u *surface.Surface, q Strokes, channel string, pad float32) (list []int, keys []cache.Key) {
	list, keys = p.remembered(u, q.List, channel, pad)
	return list, p.lookedAt(u, q, list, keys, channel, pad)
}

func (p *Painter) remembered(
	u *surface.Surface,
	all *brush.List,
	channel string,
	pad float32,
) (list []int, keys []cache.Key) {
	n := all.Len()
	if n == 0 {
		return nil, nil
	}
	pad += all.Spread()
	if n < worthRemembering || u.Tile == nil {
		return p.test(u, all, 0, channel, pad, nil, nil)
	}
	k := touchKey{u.Key, all.Key(0), channel, pad}
	sc := p.Known
	sc.mu.Lock()
	known := sc.touch[k]
	sc.mu.Unlock()
	from := 0
	if known != nil && known.n <= n && known.before == all.Before(known.n) {
		from, list, keys = known.n, known.list, known.keys
	}
	if from == n {
		return list, keys
	}
	// appending never writes what another holds: the capacity ends with the length
	list, keys = p.test(u, all, from, channel, pad, list[:len(list):len(list)], keys[:len(keys):len(keys)])
	if all.All[n-1].ID == p.Live { // it grows: what is remembered ends before it
		if from < n-1 {
			before, keysBefore := list, keys
			if m := len(list); m > 0 && list[m-1] == n-1 {
				before, keysBefore = list[:m-1:m-1], keys[:m-1:m-1]
			}
			sc.remember(k, &touched{n - 1, all.Before(n - 1), before, keysBefore})
		}
		return list, keys
	}
	sc.remember(k, &touched{n, all.Before(n), list, keys})
	return list, keys
}

func (s *Known) remember(k touchKey, t *touched) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.touch) > maxTouched {
		clear(s.touch)
	}
	s.touch[k] = t
}

// test adds the strokes from one on that touch to a list and to the chain of its keys.
// What a stroke takes from elsewhere hangs on all strokes before it.
func (p *Painter) test(
	u *surface.Surface,
	all *brush.List,
	from int,
	channel string,
	pad float32,
	list []int,
	keys []cache.Key,
) ([]int, []cache.Key) {
	k := cache.Key{}
	if len(keys) > 0 {
		k = keys[len(keys)-1]
	}
	many := all.Len()-from > worthRemembering
	var here geom.Box
	if many { // most lie elsewhere and need no closer look
		here = u.Bounds().Pad(pad)
	}
	in := cache.NewHash(channel).Sum()
	seen := u.Seen(pad)
	for i := from; i < all.Len(); i++ {
		if many && !here.Overlaps(all.Box(i)) {
			continue
		}
		s := all.All[i]
		if _, on := s.Values[channel]; !on && !s.Erase {
			continue
		}
		if u.Touches(s, all.Key(i), pad, s.ID == p.Live) {
			k = cache.Join(k, cache.Join(seen.Name(s, all.Key(i)), in, 0), 1)
			if s.Elsewhere() {
				k = cache.Join(k, all.Before(i), 2)
			}
			list, keys = append(list, i), append(keys, k)
		}
	}
	return list, keys
}
