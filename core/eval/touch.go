package eval

import (
	"slices"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"

	"github.com/zeebo/xxh3"
)

// touched remembers which of the first n strokes of a list touch a tile, so that
// the next stroke costs its own test and not that of the thousands before it.
type touched struct {
	n    int
	hash uint64 // of the first n strokes
	list []*brush.Stroke
	keys []Key
}

type touchKey struct {
	surface Key
	first   string // id of the list's first stroke
	channel string
	pad     float32
}

// listKey names a list of strokes while a program lives.
type listKey struct {
	first *brush.Stroke
	n     int
}

const (
	worthRemembering = 16      // strokes from which a list is remembered
	maxTouched       = 1 << 16 // remembered lists; dropped wholesale when exceeded
)

// running returns for a list of strokes the hash of its first i, at i.
func (p *Program) running(all []*brush.Stroke) []uint64 {
	k := listKey{all[0], len(all)}
	p.mu.Lock()
	defer p.mu.Unlock()
	if r, ok := p.lists[k]; ok {
		return r
	}
	r := make([]uint64, len(all)+1)
	for i, s := range all {
		r[i+1] = xxh3.HashStringSeed(s.ID, r[i]+uint64(len(s.Points)))
	}
	p.lists[k] = r
	return r
}

// boxes returns the boxes around the strokes of a list: where there are thousands, most lie
// elsewhere and need no closer look.
func (p *Program) boxes(all []*brush.Stroke) []geom.Box {
	k := listKey{all[0], len(all)}
	p.mu.Lock()
	defer p.mu.Unlock()
	if b, ok := p.around[k]; ok {
		return b
	}
	b := make([]geom.Box, len(all))
	for i, s := range all {
		b[i] = s.Bounds(0, s.Segments())
	}
	if p.around == nil {
		p.around = map[listKey][]geom.Box{}
	}
	p.around[k] = b
	return b
}

// spread is spreadOf for a list of this program.
func (p *Program) spread(all []*brush.Stroke) float32 {
	if len(all) == 0 {
		return 0
	}
	k := listKey{all[0], len(all)}
	p.mu.Lock()
	defer p.mu.Unlock()
	r, ok := p.spreads[k]
	if !ok {
		r = spreadOf(all)
		p.spreads[k] = r
	}
	return r
}

// spreadOf is how far strokes that soften or sharpen look around themselves: four and
// a half standard deviations of the widest for each of the first few.
func spreadOf(all []*brush.Stroke) float32 {
	var most float32
	n := 0
	for _, s := range all {
		if r := s.Spread(); r > 0 {
			most = max(most, r)
			n++
		}
	}
	return 4.5 * most * float32(min(n, 3))
}

// touching returns the strokes that touch the surface or come within pad metres
// of it, and the chain of their keys.
func (p *Program) touching(u *Surface, q pulls, channel string, pad float32) (list []*brush.Stroke, keys []Key) {
	list, keys = p.touchers(u, q.all, channel, pad)
	return list, p.sights(u, q, list, keys, channel, pad)
}

func (p *Program) touchers(u *Surface, all []*brush.Stroke, channel string, pad float32) (list []*brush.Stroke, keys []Key) {
	pad += p.spread(all)
	var hashes []uint64
	if len(all) > 0 && (len(all) >= worthRemembering || slices.ContainsFunc(all, (*brush.Stroke).Elsewhere)) {
		hashes = p.running(all)
	}
	if len(all) < worthRemembering || u.tile == nil {
		return test(u, all, hashes, nil, channel, pad, nil, nil)
	}
	k := touchKey{u.key, all[0].ID, channel, pad}
	sc := u.scene
	sc.mu.Lock()
	known := sc.touch[k]
	sc.mu.Unlock()
	from := 0
	if known != nil && known.n <= len(all) && known.hash == hashes[known.n] {
		from, list, keys = known.n, known.list, known.keys
	}
	if from == len(all) {
		return list, keys
	}
	var boxes []geom.Box
	if len(all)-from > worthRemembering {
		boxes = p.boxes(all)[from:]
	}
	// appending never writes what another holds: the capacity ends with the length
	list, keys = test(u, all[from:], hashes[from:], boxes, channel, pad, list[:len(list):len(list)], keys[:len(keys):len(keys)])
	if all[len(all)-1].ID == p.live { // it grows: what is remembered ends before it
		n := len(all) - 1
		if from < n {
			before, keysBefore := list, keys
			if m := len(list); m > 0 && list[m-1] == all[n] {
				before, keysBefore = list[:m-1:m-1], keys[:m-1:m-1]
			}
			sc.remember(k, &touched{n, hashes[n], before, keysBefore})
		}
		return list, keys
	}
	sc.remember(k, &touched{len(all), hashes[len(all)], list, keys})
	return list, keys
}

func (s *Scene) remember(k touchKey, t *touched) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.touch) > maxTouched {
		clear(s.touch)
	}
	s.touch[k] = t
}

// test adds the strokes that touch to a list and to the chain of its keys. What a stroke
// takes from elsewhere hangs on all strokes before it: hashes are those of the first i.
// boxes, when there are any, are those around the strokes.
func test(u *Surface, all []*brush.Stroke, hashes []uint64, boxes []geom.Box, channel string, pad float32, list []*brush.Stroke, keys []Key) ([]*brush.Stroke, []Key) {
	k := Key{}
	if len(keys) > 0 {
		k = keys[len(keys)-1]
	}
	var here geom.Box
	if boxes != nil {
		here = u.bounds().all.Pad(pad)
	}
	for i, s := range all {
		if boxes != nil && !here.Overlaps(boxes[i]) {
			continue
		}
		if _, on := s.Values[channel]; !on && !s.Erase {
			continue
		}
		if u.touches(s, pad) {
			k = join(k, newHash(s.ID).str(channel).sum(), uint64(len(s.Points)))
			if s.Elsewhere() {
				k = join(k, newHash("before").num(hashes[i]).sum(), 0)
			}
			list, keys = append(list, s), append(keys, k)
		}
	}
	return list, keys
}
