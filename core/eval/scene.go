// Package eval turns a document and a place on the model into texels: keys, what is
// evaluated of a stack and in which order, and how it is composited. Every intermediate
// result has a content key, so nothing is ever marked dirty: what did not change keeps its
// key and is found in the cache. See docs/decisions/0001.
package eval

import (
	"sync"

	"velvetgrime/core/cache"
	"velvetgrime/core/fold"
	"velvetgrime/core/mesh"
	"velvetgrime/core/surface"
)

// Key is the content address of a result.
type Key = cache.Key

// Scene is a model made ready for evaluation; it is shared by all documents.
type Scene struct {
	*surface.Scene
	plainly bool // everything is evaluated everywhere: the reference that where.go is held against

	mu    sync.Mutex
	known *fold.Known
	plans plans
}

// NewScene makes a scene that keeps its results in a cache.
func NewScene(m *mesh.Model, c *cache.Cache) *Scene {
	return &Scene{Scene: surface.NewScene(m, c), known: fold.NewKnown()}
}

// memo names a stream's key on a surface; streams are shared between documents that
// may have other baked maps and conditions.
type memo struct {
	stream *streamPlan
	facts  Key
	rough  bool
}
