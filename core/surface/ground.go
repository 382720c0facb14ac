package surface

import (
	"cmp"
	"context"
	"sync"
	"velvetgrime/core/cache"
	"velvetgrime/core/way"
)

// ground is what a scene keeps for what goes over its surface: points, a tree, a cloud.
type ground struct {
	once sync.Once
	*way.Ground
	On    *Surface // the ground's points as a surface
	rough *Surface // those of Roughly; made when first needed
	share *Scene   // whose ground it is, or nil
	scene *Scene   // for which it is

	mu    sync.Mutex
	walks map[cache.Key]*Walk
	order []cache.Key // oldest first
}

// Walk is what one way over the surface found, once for all tiles. Whoever reads or sets
// Found holds the lock.
type Walk struct {
	sync.Mutex
	Found way.Found // nil: not gone yet
}

const maxWalks = 48 // of a megabyte or less each

// Ground returns what goes over the surface needs, made when first asked for.
func (s *Scene) Ground() *ground {
	w := &s.ground
	w.once.Do(func() {
		if w.share != nil {
			w.Ground = w.share.Ground().Ground
		} else {
			points := cmp.Or(s.GroundPoints, way.Points)
			w.Ground, _ = way.NewGround(context.Background(), s.Model, points) // it is finished and has triangles
		}
		w.walks = map[cache.Key]*Walk{}
		w.On = s.OnFrame(w.Frame(), "cloud")
		w.scene = s
	})
	return w
}

// At returns the walk of a key: one that is remembered, or one that has yet to be gone;
// then the oldest may be forgotten.
func (w *ground) At(key cache.Key) *Walk {
	w.mu.Lock()
	defer w.mu.Unlock()
	k := w.walks[key]
	if k == nil {
		k = &Walk{}
		w.walks[key] = k
		w.order = append(w.order, key)
		for len(w.order) > maxWalks {
			delete(w.walks, w.order[0])
			w.order = w.order[1:]
		}
	}
	return k
}

// Roughly returns the points that are enough for ways found roughly as a surface, and what spreads a row of
// theirs over all of the ground's. Its error is the context's.
func (w *ground) Roughly(ctx context.Context) (*Surface, func(row []float32) []float32, error) {
	r, err := w.Rougher(ctx)
	if err != nil {
		return nil, nil, err
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.rough == nil {
		w.rough = w.scene.OnFrame(way.FrameOf(r.Cloud), "rougher cloud")
	}
	return w.rough, r.Spread, nil
}

// Copy returns a surface for another goroutine.
func (u *Surface) Copy() *Surface { return &Surface{Key: u.Key, Scene: u.Scene, frame: u.frame} }
