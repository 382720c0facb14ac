package live

import (
	"context"
	"fmt"

	"velvetgrime/core/brush"
	"velvetgrime/core/carry"
	"velvetgrime/core/mesh"
	"velvetgrime/core/stack"

	"github.com/google/uuid"
)

// Replace puts a newer version of the model in the place of the old one. Layers,
// strokes and reaches are carried over to the nearest surface; what could not be is
// returned, by layer. It is one change, and undone as one. request is as Change has it.
func (s *Session) Replace(actor, request string, m *mesh.Model, blob, file string) (lost []string, err error) {
	lost = []string{}
	before := s.Model()
	c, err := carry.New(context.Background(), before, m)
	if err != nil {
		return nil, err
	}
	var fresh []*brush.Stroke
	err = s.run1(func() error {
		d := s.doc
		op, dropped := relayout(d, before, m, func(p *stack.Prepared) {
			p.Model, p.ModelFile, p.Layout, p.Seams = blob, file, "", nil
		}, "Newer model")
		lost = append(lost, dropped...)
		op.Ops = op.Ops[:1] // reaches are carried below
		d.Walk(func(l *stack.Layer, _ []*stack.Layer) {
			if l.Locked {
				lost = append(lost, fmt.Sprintf("%s is locked: its strokes and reach stay as they are", l.Name))
				return
			}
			if !l.Reach.All() {
				r, gone := c.Reach(l.Reach)
				for _, g := range gone {
					lost = append(lost, fmt.Sprintf("%s: its reach named the %s, which the model has not", l.Name, g))
				}
				if r.All() { // nothing is left: it must not become everything
					r.Parts = []string{"(gone)"}
				}
				op.Ops = append(op.Ops, stack.SetReach(l.ID, r))
			}
			moved, gone := 0, 0
			take := func(step string, list []*brush.Stroke) {
				for i, st := range list {
					n, ok := c.Stroke(st, uuid.NewString())
					op.Ops = append(op.Ops, stack.RemoveStroke{Target: l.ID, StepID: step, StrokeID: st.ID})
					if !ok {
						gone++
						continue
					}
					fresh = append(fresh, n)
					op.Ops = append(
						op.Ops,
						stack.AddStroke{Target: l.ID, StepID: step, StrokeID: n.ID, Stroke: n, Index: i - (gone)},
					)
					moved++
				}
			}
			take("", l.Strokes)
			l.EachStep(func(st *stack.Step) { take(st.ID, st.Strokes) })
			if gone > 0 {
				lost = append(
					lost,
					fmt.Sprintf("%s: %d of %d strokes lie too far from the new model", l.Name, gone, gone+moved),
				)
			}
		})
		if s.Model() != before {
			return fmt.Errorf("the model was changed meanwhile; bring the newer one in again")
		}
		s.request = request
		err := s.commit(actor, "do", 0, op, fresh...)
		s.request = ""
		if err == nil {
			s.tell()
			s.refresh()
		}
		return err
	})
	return lost, err
}
