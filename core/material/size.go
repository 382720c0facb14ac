package material

import (
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// Lengths of a material are real or go with the object. What a surface is made of is real: a
// thread of canvas, a ring of wood and a brick are as large on a thimble as on a hull. How it
// weathers goes with the object: a rubbed edge, a line of mud and a run of rust are seen on both.

// mostFit bounds by how much lengths go with an object, either way.
const mostFit = 20

// Fit sets the lengths of a group that go with the object, and the ends of the dials that move
// them, for an object so many times as large as the one that it was made for.
func Fit(g *stack.Layer, times float64) {
	if !(times > 0) {
		return
	}
	scale(g, min(max(times, 1.0/mostFit), mostFit), func(d *step.Description, p step.Param) bool {
		return d.Role == "agent" && p.Length()
	})
}

// scale multiplies chosen parameters, and the ends of the dials that move them.
func scale(g *stack.Layer, times float64, chosen func(d *step.Description, p step.Param) bool) {
	changed := map[string]map[string]func(v float64) float64{} // by step, then parameter
	each(g, func(s *stack.Step) {
		d, ok := step.Get(s.Kind)
		if !ok {
			return
		}
		params := map[string]any{}
		for name, v := range s.Params {
			params[name] = v
		}
		of := map[string]func(v float64) float64{}
		for _, p := range d.Params {
			usual, number := p.Default.(float64)
			if !number || !chosen(d, p) {
				continue
			}
			v, given := s.Params[p.Name].(float64)
			if !given {
				v = usual
			}
			fit := func(v float64) float64 { return min(max(v*times, p.Min), p.Max) }
			params[p.Name] = fit(v)
			of["params."+p.Name] = fit
		}
		if len(of) > 0 {
			s.Params = params
			changed[s.ID] = of
		}
	})
	for i := range g.Dials {
		dial := &g.Dials[i]
		dial.Moves = append([]stack.Move(nil), dial.Moves...)
		for k, m := range dial.Moves {
			if fit := changed[m.Step][m.Path]; fit != nil && len(m.From) == 1 {
				dial.Moves[k].From, dial.Moves[k].To = []float64{fit(m.From[0])}, []float64{fit(m.To[0])}
			}
		}
	}
}
