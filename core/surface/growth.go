package surface

import (
	"bytes"
	"encoding/json"
	"slices"
	"sync"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
)

// growth is what is known of a stroke that still grows: a longer state of it extends what
// was drawn of a shorter one.
type growth struct {
	id      string
	last    *brush.Stroke // that was asked for last
	setting []byte        // everything but the points

	mu      sync.Mutex
	reaches map[reachKey]*reaching
	covers  map[cache.Key]*covering // by the frame
	beside  map[any]any             // of whoever follows its growth
}

// reaching is up to which segment a stroke was tested for reaching a surface.
type reaching struct {
	yes    bool
	tested int
}

// covering is the coverage of a growing stroke on one frame so far.
type covering struct {
	mu    sync.Mutex
	drawn int // segments in cover
	cover *brush.Coverage
	sight []int8 // of a stroke that paints what is seen: 1 seen, 2 hidden, 0 not asked yet
}

// maxGrowing bounds the strokes that grow at once, a pen each: of one more the oldest is
// drawn anew.
const maxGrowing = 8

// grows returns what is known of a growing stroke. A stroke of the same id with other
// settings, or that begins elsewhere, is another one.
func (s *Scene) grows(st *brush.Stroke) *growth {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, g := range s.growing {
		if g.last == st {
			return g
		}
	}
	bare := *st
	bare.Points = nil
	bare.Unhold()
	setting, _ := json.Marshal(&bare)
	for i, g := range s.growing {
		if g.id != st.ID {
			continue
		}
		if bytes.Equal(g.setting, setting) && extends(g.last, st) {
			g.last = st
			return g
		}
		s.growing = append(s.growing[:i:i], s.growing[i+1:]...)
		break
	}
	g := &growth{
		id:      st.ID,
		last:    st,
		setting: setting,
		reaches: map[reachKey]*reaching{},
		covers:  map[cache.Key]*covering{},
		beside:  map[any]any{},
	}
	s.growing = append(s.growing, g)
	if n := len(s.growing); n > maxGrowing {
		s.growing = append([]*growth(nil), s.growing[n-maxGrowing:]...)
	}
	return g
}

// extends reports whether one of two states of a stroke begins with the other.
func extends(a, b *brush.Stroke) bool {
	n := min(len(a.Points), len(b.Points))
	return n > 0 && slices.Equal(a.Points[:n], b.Points[:n]) && a.HeldAlike(b, n)
}

// Forget drops what was kept to extend a growing stroke.
func (s *Scene) Forget(strokeID string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for i, g := range s.growing {
		if g.id == strokeID {
			s.growing = append(s.growing[:i:i], s.growing[i+1:]...)
			return
		}
	}
}

// touches reports whether the first n segments of the stroke may reach a surface.
func (g *growth) touches(u *Surface, s *brush.Stroke, pad float32, n int) bool {
	u.bounds() // before the lock: it may draw the tile
	g.mu.Lock()
	defer g.mu.Unlock()
	k := reachKey{cache.Key{}, u.Key, pad}
	r := g.reaches[k]
	if r == nil {
		r = &reaching{}
		g.reaches[k] = r
	}
	if r.tested > n { // an older state
		return touchesFrom(u, s, pad, 0, n)
	}
	if !r.yes && r.tested < n {
		r.yes = touchesFrom(u, s, pad, r.tested, n)
	}
	r.tested = n
	return r.yes
}

func (g *growth) on(frame cache.Key) *covering {
	g.mu.Lock()
	defer g.mu.Unlock()
	c := g.covers[frame]
	if c == nil {
		c = &covering{}
		g.covers[frame] = c
	}
	return c
}

// Beside returns what somebody keeps under a name beside a growing stroke, made by fresh
// when there is none.
func Beside[T any](s *Scene, st *brush.Stroke, name any, fresh func() T) T {
	g := s.grows(st)
	g.mu.Lock()
	defer g.mu.Unlock()
	v, ok := g.beside[name].(T)
	if !ok {
		v = fresh()
		g.beside[name] = v
	}
	return v
}
