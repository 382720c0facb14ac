package live

import (
	"context"
	"fmt"

	"velvetgrime/core/brush"
	"velvetgrime/core/carry"
	"velvetgrime/core/stack"

	"github.com/google/uuid"
)

// shownMissing bounds how many faces without a counterpart the page is shown.
const shownMissing = 3000

// sides brings strokes to the other side of a correspondence that two picked faces make,
// or tells how far it reaches. Kind is show, copy, flip or exchange; Seq and Index are the
// faces.
func (v *viewer) sides(r *SidesRequest) error {
	s := v.s
	m := s.Model()
	c, err := m.Match(int(r.Seq), r.Index)
	if err != nil {
		return err
	}
	if r.Kind == "show" {
		of, missing := 0, []float32{}
		for t, part := range m.TriPart {
			if part != m.TriPart[r.Seq] && part != m.TriPart[r.Index] {
				continue
			}
			of++
			if c.To[t] >= 0 || len(missing) >= 9*shownMissing {
				continue
			}
			for _, k := range m.Tri[t] {
				missing = append(missing, m.Pos[k].X, m.Pos[k].Y, m.Pos[k].Z)
			}
		}
		v.post(Sides{T: "sides", ID: r.ID, Count: c.Count, Of: of, Missing: missing})
		return nil
	}
	l := s.doc.Layer(r.Layer)
	if l == nil {
		return fmt.Errorf("there is no layer %q", r.Layer)
	}
	list := l.Strokes
	if r.Step != "" {
		st, _, _ := l.Step(r.Step)
		if st == nil {
			return fmt.Errorf("layer %q has no step %q", l.Name, r.Step)
		}
		list = st.Strokes
	}
	over, err := carry.NewSides(context.Background(), m, c)
	if err != nil {
		return err
	}
	change, err := over.Change(list, r.Kind, uuid.NewString)
	if err != nil {
		return fmt.Errorf("layer %q: %w", l.Name, err)
	}
	words := map[string]string{
		"copy":     "copied to the other side",
		"flip":     "flipped to the other side",
		"exchange": "exchanged with the other side",
	}
	op := stack.Batch{Label: fmt.Sprintf("%s: %s", l.Name, words[r.Kind])}
	for _, id := range change.Gone {
		op.Ops = append(op.Ops, stack.RemoveStroke{Target: l.ID, StepID: r.Step, StrokeID: id})
	}
	var fresh []*brush.Stroke
	for _, st := range change.Come {
		op.Ops = append(op.Ops, stack.AddStroke{Target: l.ID, StepID: r.Step, StrokeID: st.ID, Index: -1, Stroke: st})
		fresh = append(fresh, st)
	}
	if err := s.commit(v.actor, "do", 0, op, fresh...); err != nil {
		return err
	}
	v.post(Sides{T: "sides", ID: r.ID, Count: c.Count, Strokes: len(change.Come), Left: change.Left})
	return nil
}

// bothWays makes of a stroke that takes from the other side one that also leaves there
// nothing (flip), or what was here (exchange); other strokes it returns as they are.
func (s *Session) bothWays(op stack.AddStroke, ways string) (stack.Op, []*brush.Stroke, error) {
	st := op.Stroke
	if !st.Counterparts() || st.Take == nil || ways != "flip" && ways != "exchange" {
		return op, nil, nil
	}
	c, err := s.Scene().OfTake(st.Take)
	if err != nil {
		return op, nil, err
	}
	over, err := carry.NewSides(context.Background(), s.Model(), c)
	if err != nil {
		return op, nil, err
	}
	back, _ := over.Over(st, true, uuid.NewString)
	words := map[string]string{"flip": "flipped to this side", "exchange": "exchanged with the other side"}
	batch := stack.Batch{
		Label: fmt.Sprintf("%s: %s under the brush", s.nameOf(op.Target), words[ways]),
		Ops:   stack.Ops{op},
	}
	fresh := []*brush.Stroke{st}
	for _, b := range back {
		take := *st.Take
		take.Past = st.ID
		b.Take = &take
		if b.Erase = ways == "flip"; b.Erase {
			b.Does, b.Take = brush.Paint, nil
		}
		batch.Ops = append(
			batch.Ops,
			stack.AddStroke{Target: op.Target, StepID: op.StepID, StrokeID: b.ID, Index: -1, Stroke: b},
		)
		fresh = append(fresh, b)
	}
	return batch, fresh, nil
}

func (s *Session) nameOf(layer string) string {
	if l := s.doc.Layer(layer); l != nil {
		return l.Name
	}
	return layer
}
