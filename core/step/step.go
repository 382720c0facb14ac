// Package step holds the things a stream is made of. Each kind is one file that
// registers a description; the interface, the checks and the docs are made from it.
package step

import (
	"fmt"
	"math"
	"slices"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
)

// Param describes one parameter of a step.
type Param struct {
	Name    string   `json:"name"`
	Label   string   `json:"label"`
	Help    string   `json:"help"`
	Kind    string   `json:"kind" enum:"number,integer,choice,seed,switch"`
	Min     float64  `json:"min"`
	Max     float64  `json:"max"`
	Default any      `json:"default"`
	Unit    string   `json:"unit,omitempty"`
	Scale   float64  `json:"scale" doc:"shown value = stored value × scale"`
	Log     bool     `json:"log,omitempty" doc:"dragging multiplies instead of adding"`
	Choices []string `json:"choices,omitempty"`
}

// Description is what a kind of step says of itself.
type Description struct {
	Kind   string  `json:"kind"`
	Label  string  `json:"label"`
	Help   string  `json:"help"`
	Role   string  `json:"role" enum:"source,shaper"`
	Params []Param `json:"params"`

	// Run writes (source) or changes (shaper) out, one value a point.
	Run func(in Input, out []float32) `json:"-"`
	// Point marks a step whose value depends on nothing but the point itself;
	// a hand step is drawn by the evaluation instead.
	Hand bool `json:"hand,omitempty"`
}

// Input is what a step may read.
type Input struct {
	Frame  *raster.Frame
	Bounds geom.Box // of the model
	Params map[string]any
	desc   *Description
}

var registry = map[string]*Description{}

func register(d Description) {
	for i := range d.Params {
		if d.Params[i].Scale == 0 {
			d.Params[i].Scale = 1
		}
	}
	registry[d.Kind] = &d
}

// Descriptions lists all steps, sources first, by label.
func Descriptions() []Description {
	var all []Description
	for _, d := range registry {
		all = append(all, *d)
	}
	slices.SortFunc(all, func(a, b Description) int {
		if a.Role != b.Role {
			return map[bool]int{true: -1, false: 1}[a.Role == "source"]
		}
		return map[bool]int{true: -1, false: 1}[a.Label < b.Label]
	})
	return all
}

// Get returns the description of a kind.
func Get(kind string) (*Description, bool) { d, ok := registry[kind]; return d, ok }

// Run evaluates one step.
func Run(s *stack.Step, f *raster.Frame, bounds geom.Box, out []float32) {
	d := registry[s.Kind]
	d.Run(Input{f, bounds, s.Params, d}, out)
}

func (in Input) param(name string) Param {
	for _, p := range in.desc.Params {
		if p.Name == name {
			return p
		}
	}
	panic("step " + in.desc.Kind + " has no parameter " + name)
}

// Number returns a numeric parameter or its default.
func (in Input) Number(name string) float32 {
	if v, ok := in.Params[name].(float64); ok {
		return float32(v)
	}
	p := in.param(name)
	switch v := p.Default.(type) {
	case float64:
		return float32(v)
	case int:
		return float32(v)
	}
	return 0
}

// Choice returns a choice parameter or its default.
func (in Input) Choice(name string) string {
	if v, ok := in.Params[name].(string); ok {
		return v
	}
	return in.param(name).Default.(string)
}

// Switch returns a switch parameter or its default.
func (in Input) Switch(name string) bool {
	if v, ok := in.Params[name].(bool); ok {
		return v
	}
	return in.param(name).Default.(bool)
}

func init() { stack.CheckStep = check }

func check(s *stack.Step) error {
	d, ok := registry[s.Kind]
	if !ok {
		return fmt.Errorf("there is no such step")
	}
	if s.ID == "" || len(s.ID) > 64 {
		return fmt.Errorf("the id is empty or too long")
	}
	for name, v := range s.Params {
		i := slices.IndexFunc(d.Params, func(p Param) bool { return p.Name == name })
		if i < 0 {
			return fmt.Errorf("there is no parameter %q", name)
		}
		p := d.Params[i]
		switch p.Kind {
		case "choice":
			if c, ok := v.(string); !ok || !slices.Contains(p.Choices, c) {
				return fmt.Errorf("%s: %v is not one of %v", p.Label, v, p.Choices)
			}
		case "switch":
			if _, ok := v.(bool); !ok {
				return fmt.Errorf("%s: %v is neither true nor false", p.Label, v)
			}
		default:
			n, ok := v.(float64)
			if !ok || math.IsNaN(n) || n < p.Min || n > p.Max {
				return fmt.Errorf("%s: %v lies outside %v to %v", p.Label, v, p.Min, p.Max)
			}
		}
	}
	return nil
}

func clamp01(v float32) float32 { return min(max(v, 0), 1) }

// smooth is the cubic step from 0 at a to 1 at b.
func smooth(a, b, v float32) float32 {
	if a == b {
		if v < a {
			return 0
		}
		return 1
	}
	t := clamp01((v - a) / (b - a))
	return t * t * (3 - 2*t)
}
