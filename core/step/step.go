// Package step holds the things a stream is made of. Each kind is one file that
// registers a description; the interface, the checks and the docs are made from it.
package step

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
)

// Param describes one parameter of a step. Kinds and what their values are in a
// document:
//
//	number, integer, seed  a number from Min to Max
//	choice                 one of Choices
//	switch                 true or false
//	color                  [r, g, b], sRGB-encoded 0..1
//	ramp                   [[at, r, g, b], …], at from 0 to 1, rising
//	curve                  [[x, y], …], all 0..1, x rising
//	direction              [x, y, z] in model space, not zero
//	point                  [x, y, z] in model space, metres
//	points                 [[x, y, z], …]
//	names                  [name, …], of parts
//	numbers                [n, …], whole
//	picture                the name of a stored picture, or "" for none
//	layer                  the id of a layer, "below", or "" for none
//	output                 "mask" or a channel
type Param struct {
	Name    string   `json:"name"`
	Label   string   `json:"label"`
	Help    string   `json:"help"`
	Kind    string   `json:"kind" enum:"number,integer,choice,seed,switch,color,ramp,curve,direction,point,points,names,numbers,picture,layer,output"`
	Min     float64  `json:"min"`
	Max     float64  `json:"max"`
	Default any      `json:"default"`
	Unit    string   `json:"unit,omitempty"`
	Scale   float64  `json:"scale" doc:"shown value = stored value × scale"`
	Log     bool     `json:"log,omitempty" doc:"dragging multiplies instead of adding"`
	Choices []string `json:"choices,omitempty"`
	// Level tells who is to see it: 1 everyone, 2 those who want the half dozen that
	// matter, 3 those who want everything; 0 is 1.
	Level int `json:"level,omitempty" doc:"1: everyone sees it, 2: the half dozen that matter, 3: everything"`
	// Goes says how the default changes with the object, from one that is UsualExtent large
	Goes string `json:"goes,omitempty" enum:"with,against" doc:"with: its default grows with the object; against: it falls; none: it is real"`
}

// UsualExtent is the size, in metres, of an object for which the defaults of lengths are right.
const UsualExtent = 0.5

// Length reports whether a parameter is a length on the surface.
func (p Param) Length() bool {
	return p.Unit == "mm" && p.Scale == 1000 && p.Kind == "number" && !strings.HasPrefix(p.Name, "shift")
}

// strewn are the sources that wear lays over an object, and pictures: how large their marks are
// goes with it.
var strewn = []string{
	"scratches", "drips", "flakes", "pits", "splatter", "smears", "leaks", "blooms", "speckle", "cracks", "picture",
}

// goes tells how a default changes with the object. How things weather goes with it, and so do
// noise and filters: they are seen on a thimble as on a hull. What a surface is made of is as
// large on both.
func goes(d *Description, p Param) string {
	switch {
	case p.Name == "frequency" && p.Unit == "/m":
		return "against"
	case p.Length() && p.Name != "height" && (d.Role == "agent" || d.Role == "shaper" || slices.Contains(strewn, d.Kind)):
		return "with"
	}
	return ""
}

// Description is what a kind of step says of itself.
type Description struct {
	Kind   string  `json:"kind"`
	Label  string  `json:"label"`
	Help   string  `json:"help"`
	Role   string  `json:"role" enum:"source,agent,shaper"`
	Params []Param `json:"params"`
	Hand   bool    `json:"hand,omitempty" doc:"painted by hand"`
	// Place says what shape in space the parameters describe, so that it can be drawn
	// and pulled on the model; none when empty.
	Place string `json:"place,omitempty" enum:"axis,line,ball,box,cast" doc:"shape in space that the parameters describe"`
	Inner string `json:"inner,omitempty" doc:"what the stream inside the step is for; none when empty"`

	// Run writes (source) or changes (shaper) one plane of values, one a point.
	// RunColor does it to three; a stream of greys is made one of colours first
	// when the step has no Run, or when Colors says so.
	Run      func(in Input, out []float32)    `json:"-"`
	RunColor func(in Input, out [3][]float32) `json:"-"`
	Colors   func(in Input) bool              `json:"-"`

	// Filter makes a shaper that looks at neighbours: it writes out from src, both
	// planes of in.Frame, which is a patch of the surface laid flat. Points that
	// stand for nothing are to be left out of account. inner is the plane of the
	// stream inside the step, or nil. Radius is how far it looks, in metres;
	// with more texels than Texels in it, a coarser patch is filtered instead.
	// Mix, when there is one, makes the result in filtered from what came before.
	Filter func(in Input, src, inner, out []float32) `json:"-"`
	Radius func(in Input) float32                    `json:"-"`
	Texels int                                       `json:"-"`
	// Spreads says that a filter's result has a meaning beside the surface too.
	Spreads bool                                       `json:"-"`
	Mix     func(in Input, before, filtered []float32) `json:"-"`
	// Costly marks a source that is worth keeping: it honours Need.
	Costly bool `json:"-"`
	// Agents read more than points: Needs names the baked maps that they cannot do well
	// without; Reads gives the streams whose results they get as rows, by name.
	// Surface names what is found by going over the surface, given as rows of the same
	// names: "touch", "joint", "distance", "run" or "creep".
	Needs   []string                         `json:"needs,omitempty" doc:"baked maps that it reads"`
	Reads   func(in Input) map[string][]Part `json:"-"`
	Surface func(in Input) []string          `json:"-"`
	Presets []Preset                         `json:"presets,omitempty" doc:"named settings"`
	// Group is a heading in the list of steps.
	Group string `json:"group,omitempty"`
	// Special marks a step that the evaluation itself carries out.
	Special bool `json:"-"`
}

// Preset is a named set of parameters; those it does not name are the usual ones.
type Preset struct {
	Name   string         `json:"name"`
	Params map[string]any `json:"params"`
}

// Part is one step of a stream that an agent reads.
type Part struct {
	Kind   string
	Params map[string]any
}

// Input is what a step may read.
type Input struct {
	Facts  *stack.Conditions    // of an agent; else nil
	Read   map[string][]float32 // of an agent: what its streams gave, by name; a missing map has no row
	Frame  *raster.Frame
	UV     func(i int) geom.Vec2 // of a point, in metres on its sheet; nil: there are none
	Sheet  func(i int) geom.Vec2 // of a point, in sheets: 0..1; nil: there are none
	Bounds geom.Box              // of the model
	Params map[string]any
	Weight []float32 // of a filter on a coarse patch: the share of each texel that lies on the surface; nil: all or nothing, as the frame says
	Need   []bool    // of a filter: the points whose result will be read; nil: all
	// Keep, when there is one, gives a row that was kept under a name at these points, or
	// makes and keeps it: what a moved slider needs again. The row is not to be written.
	Keep func(name string, make func() []float32) []float32
	desc *Description
}

// Needs reports whether the result at point i will be read.
func (in *Input) Needs(i int) bool { return in.needs(i) }

// needs reports whether the result at point i will be read.
func (in *Input) needs(i int) bool { return in.Need == nil || in.Need[i] }

var registry = map[string]*Description{}

// Register adds a kind of step; it is called from init functions alone.
func Register(d Description) { register(d) }

func register(d Description) {
	for i := range d.Params {
		if d.Params[i].Scale == 0 {
			d.Params[i].Scale = 1
		}
		d.Params[i].Goes = goes(&d, d.Params[i])
	}
	registry[d.Kind] = &d
}

const roles = "source agent shaper"

// Descriptions lists all steps: sources, agents, shapers; each by label.
func Descriptions() []Description {
	var all []Description
	for _, d := range registry {
		all = append(all, *d)
	}
	slices.SortFunc(all, func(a, b Description) int {
		if a.Role != b.Role {
			return strings.Index(roles, a.Role) - strings.Index(roles, b.Role)
		}
		return map[bool]int{true: -1, false: 1}[a.Label < b.Label]
	})
	return all
}

// Get returns the description of a kind.
func Get(kind string) (*Description, bool) { d, ok := registry[kind]; return d, ok }

// NewInput returns what a step reads on a frame.
func NewInput(s *stack.Step, f *raster.Frame, bounds geom.Box) (Input, *Description) {
	d := registry[s.Kind]
	return Input{Frame: f, Bounds: bounds, Params: s.Params, desc: d}, d
}

// Run evaluates one step that needs nothing but the points themselves.
func Run(s *stack.Step, f *raster.Frame, bounds geom.Box, out []float32) {
	in, d := NewInput(s, f, bounds)
	d.Run(in, out)
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

// Text returns a parameter that is a word, or its default.
func (in Input) Text(name string) string {
	if v, ok := in.Params[name].(string); ok {
		return v
	}
	v, _ := in.param(name).Default.(string)
	return v
}

// Rows returns a parameter that is a list of rows of numbers (a ramp, a curve),
// or its default.
func (in Input) Rows(name string) [][]float32 {
	if v, ok := rows(in.Params[name]); ok {
		return v
	}
	v, _ := rows(in.param(name).Default)
	return v
}

// Row returns a parameter that is one row of numbers (a colour, a direction), or
// its default.
func (in Input) Row(name string) []float32 {
	if v, ok := row(in.Params[name]); ok {
		return v
	}
	v, _ := row(in.param(name).Default)
	return v
}

// Names returns a parameter that is a list of words.
func (in Input) Names(name string) (out []string) {
	list, _ := in.Params[name].([]any)
	for _, v := range list {
		if t, ok := v.(string); ok {
			out = append(out, t)
		}
	}
	return out
}

func row(v any) ([]float32, bool) {
	list, ok := v.([]any)
	if !ok {
		return nil, false
	}
	var out []float32
	for _, x := range list {
		n, ok := x.(float64)
		if !ok || math.IsNaN(n) || math.IsInf(n, 0) {
			return nil, false
		}
		out = append(out, float32(n))
	}
	return out, true
}

func rows(v any) ([][]float32, bool) {
	list, ok := v.([]any)
	if !ok {
		return nil, false
	}
	var out [][]float32
	for _, x := range list {
		r, ok := row(x)
		if !ok {
			return nil, false
		}
		out = append(out, r)
	}
	return out, true
}

// Rules are those of documents whose steps are registered here.
var Rules = stack.Rules{Step: check}

func check(s *stack.Step) error {
	d, ok := registry[s.Kind]
	if !ok {
		return fmt.Errorf("there is no such step")
	}
	if s.ID == "" || len(s.ID) > 64 {
		return fmt.Errorf("the id is empty or too long")
	}
	if len(s.Steps) > 0 && d.Inner == "" {
		return fmt.Errorf("there can be no stream inside it")
	}
	for name, v := range s.Params {
		i := slices.IndexFunc(d.Params, func(p Param) bool { return p.Name == name })
		if i < 0 {
			return fmt.Errorf("there is no parameter %q", name)
		}
		if err := d.Params[i].check(v); err != nil {
			return fmt.Errorf("%s: %w", d.Params[i].Label, err)
		}
	}
	return nil
}

// maxRows bounds ramps and curves, maxPoints lists of places.
const (
	maxRows   = 64
	maxPoints = 256
)

func (p Param) check(v any) error {
	switch p.Kind {
	case "choice":
		if c, ok := v.(string); !ok || !slices.Contains(p.Choices, c) {
			return fmt.Errorf("%v is not one of %v", v, p.Choices)
		}
	case "switch":
		if _, ok := v.(bool); !ok {
			return fmt.Errorf("%v is neither true nor false", v)
		}
	case "picture", "layer", "output":
		if t, ok := v.(string); !ok || len(t) > 200 {
			return fmt.Errorf("%v is not a name", v)
		}
	case "color":
		c, ok := row(v)
		if !ok || len(c) != 3 || slices.Min(c) < 0 || slices.Max(c) > 1 {
			return fmt.Errorf("%v is not three numbers from 0 to 1", v)
		}
	case "direction":
		c, ok := row(v)
		if !ok || len(c) != 3 || geom.V3(c[0], c[1], c[2]).Length() < 1e-6 {
			return fmt.Errorf("%v is not a direction of three numbers", v)
		}
	case "point":
		if c, ok := row(v); !ok || len(c) != 3 || !at(c).Finite() || at(c).Length() > 1e6 {
			return fmt.Errorf("%v is not a place of three numbers", v)
		}
	case "points":
		list, ok := rows(v)
		if !ok || len(list) > maxPoints {
			return fmt.Errorf("it is not a list of at most %d points", maxPoints)
		}
		for k, c := range list {
			if len(c) != 3 || !at(c).Finite() || at(c).Length() > 1e6 {
				return fmt.Errorf("point %d is not a place of three numbers", k+1)
			}
		}
	case "names":
		list, ok := v.([]any)
		if !ok || len(list) > 65535 {
			return fmt.Errorf("it is not a list of names")
		}
		for _, n := range list {
			if t, ok := n.(string); !ok || len(t) > 400 {
				return fmt.Errorf("%v is not a name", n)
			}
		}
	case "numbers":
		c, ok := row(v)
		if !ok || len(c) > 1<<20 {
			return fmt.Errorf("it is not a list of numbers")
		}
		for _, n := range c {
			if n < 0 || n != float32(int32(n)) {
				return fmt.Errorf("%v is not a whole number", n)
			}
		}
	case "ramp", "curve":
		want := map[string]int{"ramp": 4, "curve": 2}[p.Kind]
		list, ok := rows(v)
		if !ok || len(list) < 1 || len(list) > maxRows {
			return fmt.Errorf("it is not a list of 1 to %d points", maxRows)
		}
		for k, r := range list {
			if len(r) != want || slices.Min(r) < 0 || slices.Max(r) > 1 {
				return fmt.Errorf("point %d is not %d numbers from 0 to 1", k+1, want)
			}
			if k > 0 && r[0] < list[k-1][0] {
				return fmt.Errorf("point %d lies before the one in front of it", k+1)
			}
		}
	default:
		n, ok := v.(float64)
		if !ok || math.IsNaN(n) || n < p.Min || n > p.Max {
			return fmt.Errorf("%v lies outside %v to %v", v, p.Min, p.Max)
		}
	}
	return nil
}

func clamp01(v float32) float32 { return min(max(v, 0), 1) }
