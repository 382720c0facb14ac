// Package material has ready-made work: groups of layers cut loose from any project, with a
// few named dials on them. What is put down is an ordinary group.
package material

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	_ "velvetgrime/core/agent" // its steps
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// Material is a group of layers that can be put on any model.
type Material struct {
	Name string   `json:"name"`
	Kind string   `json:"kind" doc:"metal, coat, wood, stone, cloth, ground or clean"`
	Tags []string `json:"tags" doc:"what it is good for and made of"`
	Made float64  `json:"made" doc:"size in metres of the object that it was made for"`

	group *stack.Layer
}

// New returns a material of a group that was made elsewhere; it checks the group.
func New(name, kind string, made float64, tags []string, group *stack.Layer) (*Material, error) {
	if group.Kind != stack.Group {
		return nil, fmt.Errorf("%q is no group", name)
	}
	d := stack.New(nil, 512)
	d.Layers = []*stack.Layer{group}
	if err := step.Rules.Check(d); err != nil {
		return nil, fmt.Errorf("the material %q: %w", name, err)
	}
	return &Material{Name: name, Kind: kind, Tags: tags, Made: made, group: group}, nil
}

var shipped []*Material

// All lists the materials that ship, by name.
func All() []*Material { return slices.Clone(shipped) }

// Find returns a shipped material by its name, whatever the case of its letters.
func Find(name string) (*Material, error) {
	for _, m := range shipped {
		if strings.EqualFold(m.Name, name) {
			return m, nil
		}
	}
	return nil, fmt.Errorf("there is no material %q; 'velvetgrime materials' lists those that ship", name)
}

func register(m *Material) {
	i, known := slices.BinarySearchFunc(shipped, m.Name, func(o *Material, name string) int { return strings.Compare(o.Name, name) })
	if known {
		panic("two materials are called " + m.Name)
	}
	shipped = slices.Insert(shipped, i, m)
}

// Dials are the material's dials as they usually stand.
func (m *Material) Dials() []stack.Dial { return slices.Clone(m.group.Dials) }

// Needs lists the baked maps that its agents read, by name; without them they do with less.
func (m *Material) Needs() []string {
	var out []string
	each(m.group, func(s *stack.Step) {
		d, ok := step.Get(s.Kind)
		if !ok || d.Reads == nil {
			return
		}
		in, _ := step.NewInput(s, nil, geom.Box{})
		for _, parts := range d.Reads(in) {
			for _, p := range parts {
				if name, ok := p.Params["map"].(string); ok && p.Kind == stack.BakedStep && !slices.Contains(out, name) {
					out = append(out, name)
				}
			}
		}
	})
	slices.Sort(out)
	return out
}

// Group returns the group to put down: a copy under an id of its own, whose noises are those
// of a seed. Seed 0 is the material as it was made.
func (m *Material) Group(id string, seed int) *stack.Layer { return m.Placed(id, seed, 0) }

// Placed is Group for an object of a size in metres, the longest way through its box: the
// lengths that go with the object are set for it. Size 0 is that which it was made for. Of a
// size two digits count, so that objects about as large get the same.
func (m *Material) Placed(id string, seed int, size float64) *stack.Layer {
	g := m.group.Fresh(id)
	if size > 0 {
		size, _ = strconv.ParseFloat(strconv.FormatFloat(size, 'g', 2, 64), 64)
		Fit(g, size/m.Made)
	}
	g.Made = &stack.Origin{Name: m.Name, Seed: seed}
	if seed != 0 {
		each(g, func(s *stack.Step) { reseed(s, seed) })
	}
	return g
}

// reseed gives a step that has a seed another one, the same for the same two seeds.
func reseed(s *stack.Step, seed int) {
	d, ok := step.Get(s.Kind)
	if !ok || !slices.ContainsFunc(d.Params, func(p step.Param) bool { return p.Name == "seed" }) {
		return
	}
	was, _ := s.Params["seed"].(float64)
	k := cache.NewHash("seed").Num(uint64(int64(was))).Num(uint64(int64(seed))).Sum()
	params := map[string]any{}
	for name, v := range s.Params {
		params[name] = v
	}
	params["seed"] = float64(k.Lo % 1000)
	s.Params = params
}

func each(l *stack.Layer, f func(s *stack.Step)) {
	l.EachStep(f)
	for _, k := range l.Layers {
		each(k, f)
	}
}
