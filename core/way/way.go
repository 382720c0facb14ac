// Package way finds what has to be found over the whole surface of a model at once: how
// far it is to a hand's place or a joint, where water runs, when a growth arrives. What
// was found once is then read at the points of any frame.
package way

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"sync"

	"velvetgrime/core/flow"
	"velvetgrime/core/mesh"
	"velvetgrime/core/par"
	"velvetgrime/core/raster"
	"velvetgrime/core/spatial"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"

	"github.com/zeebo/xxh3"
)

// Ground is what ways go over.
type Ground struct {
	Model *mesh.Model
	Cloud *flow.Cloud
	Tree  *spatial.Tree

	mu    sync.Mutex
	rough *flow.Rougher // made when first needed
}

// Rougher is the cloud of ways that are found roughly. Its error is the context's.
func (g *Ground) Rougher(ctx context.Context) (*flow.Rougher, error) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.rough != nil {
		return g.rough, nil
	}
	r, err := g.Cloud.Rougher(ctx)
	if err == nil {
		g.rough = r
	}
	return r, err
}

// Points is how many points stand for a surface.
const Points = 36_000

// NewGround prepares a model, for which about so many points stand.
func NewGround(ctx context.Context, m *mesh.Model, points int) (*Ground, error) {
	g := &Ground{Model: m}
	work, ctx := par.WithContext(ctx)
	work.Go(func() (err error) { g.Cloud, err = flow.NewCloud(ctx, m, points); return })
	work.Go(func() (err error) { g.Tree, err = spatial.Build(ctx, m.Pos, m.Tri, nil); return })
	if err := work.Wait(); err != nil {
		return nil, err
	}
	return g, nil
}

// Frame are the cloud's points.
func (g *Ground) Frame() *raster.Frame { return FrameOf(g.Cloud) }

// FrameOf are the points of a cloud.
func FrameOf(c *flow.Cloud) *raster.Frame {
	f := &raster.Frame{W: len(c.Pos), H: 1, Pos: c.Pos, Nrm: c.Nrm, Tri: c.Tri, Footprint: c.Spacing}
	f.Seal()
	return f
}

// Way is a value: all that it depends on, besides the ground and what its readings give,
// is in its exported fields. Its key is made of these, and finding sees nothing else.
type Way interface {
	// Readings are the streams that it reads at the ground's points.
	Readings() []Reading
	// Find goes over the ground; read gives a reading's row, nil where it reads nothing.
	// It stops with the context's error.
	Find(ctx context.Context, g *Ground, read func(i int) []float32) (Found, error)
}

// Rough is a way that can be found roughly, in much less time, for a first look.
type Rough interface {
	Way
	// FindRoughly is Find with what differs from it in places by as little as a coarse look hides.
	FindRoughly(ctx context.Context, g *Ground, read func(i int) []float32) (Found, error)
}

// Reading is a stream as it is after so many years; with AsItIs at the age that it has.
type Reading struct {
	Name  string
	Parts []step.Part
	Years float32
}

// AsItIs leaves the age of a reading as the conditions have it.
const AsItIs = -1

// Found writes what was found at every point of a frame.
type Found interface {
	Row(f *raster.Frame, out []float32)
}

// of makes the ways, by name, from a step's parameters, the conditions and how far the
// ground's points are apart, metres.
var of = map[string]func(in step.Input, c stack.Conditions, spacing float32) Way{}

// Names lists the ways, in order.
func Names() []string {
	var out []string
	for n := range of {
		out = append(out, n)
	}
	slices.Sort(out)
	return out
}

// Of returns the way of a name for a step.
func Of(name string, in step.Input, c *stack.Conditions, spacing float32) (Way, error) {
	f := of[name]
	if f == nil {
		return nil, fmt.Errorf("there is no way %q over the surface", name)
	}
	if c == nil {
		c = stack.Usual()
	}
	return f(in, *c, spacing), nil
}

// Key is the content of a way; what its readings give is not part of it.
func Key(name string, w Way) xxh3.Uint128 {
	b, _ := json.Marshal(w) // of numbers and words alone
	h := xxh3.New()
	_, _ = h.WriteString(name + "\x00")
	_, _ = h.Write(b)
	return h.Sum128()
}
