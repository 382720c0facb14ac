package brush

import (
	"fmt"
	"maps"
	"slices"

	"velvetgrime/core/geom"
)

// Effect describes a kind of what strokes do to what was painted before them. Each is a
// file of its own, registered there; a stroke names it in Does.
type Effect struct {
	Name  string `json:"name" doc:"as strokes have it"`
	Label string `json:"label" doc:"for lists: what a stroke of it does"`
	Brush bool   `json:"brush" doc:"a brush may be set to it; else it is a tool's own, or laying"`

	// check returns why a stroke with this place to take from cannot be; nil: it takes none
	check func(t *Take) error
	// spread is the standard deviation, in radii, of the blur of what was painted before
	// that it works with; 0: none
	spread float32
	// sources appends the places that the paint of a point q comes from, where n is the
	// surface's normal; nil: it lays nothing that was painted elsewhere
	sources func(s *Stroke, l foot, q, n geom.Vec3, list []Source) []Source
	// counterparts: it takes from the counterparts of faces, not from places
	counterparts bool
	// lay lays one channel of the stroke on what was painted
	lay func(l *laying)
	// sample is what a preview shows under the stroke and what the stroke makes of it, at a
	// share of the picture's width, which is at a pixel; nil: its values, over a slope
	sample func(share float32, pixel int, values [3]float32) (under, made [3]float32)
}

var effects = map[string]*Effect{}

// register makes an effect known; it returns its name, which is what strokes have.
func register(e Effect) string {
	if effects[e.Name] != nil {
		panic("two effects are called " + e.Name)
	}
	effects[e.Name] = &e
	return e.Name
}

// Effects lists what strokes can do, by name.
func Effects() []Effect {
	var out []Effect
	for _, n := range slices.Sorted(maps.Keys(effects)) {
		out = append(out, *effects[n])
	}
	return out
}

// effect is what the stroke does; an unknown one, which Check refuses, lays its values.
func (s *Stroke) effect() *Effect {
	if s.Erase {
		return &erasing
	}
	if e := effects[s.Does]; e != nil {
		return e
	}
	return effects[Paint]
}

// Elsewhere reports whether the stroke lays what was painted at other places.
func (s *Stroke) Elsewhere() bool {
	e := s.effect()
	return e.sources != nil || e.counterparts
}

// Counterparts reports whether these are the counterparts of the faces that it covers.
func (s *Stroke) Counterparts() bool { return s.effect().counterparts }

// Spread is the standard deviation, in metres, of the blur that a softening or
// sharpening stroke works with; 0: the stroke does not look around itself.
func (s *Stroke) Spread() float32 { return s.effect().spread * s.Radius }

// takesFrom returns why a place to take from is none.
func (t *Take) takesFrom() error {
	if t == nil {
		return fmt.Errorf("a cloning stroke needs a place to take from; mark one first")
	}
	if !t.At.Finite() || !t.Nrm.Finite() || !(t.Nrm.Length() > 0.5) {
		return fmt.Errorf("the place that a cloning stroke takes from is none")
	}
	return nil
}
