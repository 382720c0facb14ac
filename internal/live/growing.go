package live

import (
	"fmt"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"

	"github.com/google/uuid"
)

// A stroke belongs to the page that draws it until it is kept. A page whose line is cut
// sends the whole stroke again when it is back; one that does not come back loses nothing
// that the server had: what there was of its stroke is kept after a while, and when the
// project is closed.

// cutStroke is a stroke whose page is gone.
type cutStroke struct {
	op    stack.AddStroke
	ways  string
	actor string
	timer *time.Timer
}

// cut takes a growing stroke over from a page that is gone.
func (s *Session) cut(v *viewer) {
	if v.stroke == nil || len(v.stroke.Stroke.Points) == 0 {
		v.stroke = nil
		return
	}
	id := v.stroke.StrokeID
	c := &cutStroke{*v.stroke, v.ways, v.actor, nil}
	v.stroke = nil
	s.growing[id] = c
	c.timer = time.AfterFunc(s.hub.ComeBack, func() {
		s.later(func() {
			if s.growing[id] == c {
				s.keepCut(id)
				s.tell()
				s.refresh()
			}
		})
	})
}

// keepCut keeps what there is of a stroke whose page is gone.
func (s *Session) keepCut(id string) {
	c := s.growing[id]
	delete(s.growing, id)
	c.timer.Stop()
	s.request = id
	if err := s.keepStroke(c.actor, c.op, c.ways); err != nil {
		told(fmt.Sprintf("project %q: a stroke that was cut off", s.Name), err)
	}
	s.request = ""
}

// keepGrowing keeps all strokes that grow, as they are: the project is being closed.
func (s *Session) keepGrowing() {
	for v := range s.viewers {
		s.cut(v)
	}
	for id := range s.growing {
		s.keepCut(id)
	}
}

// keepStroke commits a stroke, and what it leaves on the other side.
func (s *Session) keepStroke(actor string, op stack.AddStroke, ways string) error {
	defer s.Scene().Forget(op.StrokeID)
	all, fresh, err := s.bothWays(op, ways)
	if err != nil {
		return err
	}
	return s.commit(actor, "do", 0, all, fresh...)
}

// beginStroke takes up a stroke. One that the project has already, since its page was gone
// too long, goes on as a stroke of its own; what was kept of it is left out by the page's
// first points.
func (v *viewer) beginStroke(r *BeginStrokeRequest) error {
	s := v.s
	if r.Stroke == nil {
		return fmt.Errorf("there is no stroke in the message")
	}
	if c := s.growing[r.Stroke.ID]; c != nil { // the page is back, and sends it whole
		c.timer.Stop()
		delete(s.growing, r.Stroke.ID)
	}
	v.had = 0
	v.strokeID = r.Stroke.ID
	if had := s.strokes[r.Stroke.ID]; had != nil {
		v.had = len(had.Points)
		n := *r.Stroke
		n.ID = uuid.NewString()
		r.Stroke = &n
	}
	s.Scene().Forget(r.Stroke.ID)
	op := stack.AddStroke{Target: r.Layer, StepID: r.Step, StrokeID: r.Stroke.ID, Index: -1, Stroke: r.Stroke}
	if r.Within != "" {
		area, err := s.area(r)
		if err != nil {
			return err
		}
		r.Stroke.Within = area
	}
	if err := v.likeness(r); err != nil {
		return err
	}
	if err := r.Stroke.Inside(s.Model().Bounds, 0); err != nil {
		return err
	}
	try := *r.Stroke
	if len(try.Points) == 0 {
		try.Points = brush.Points{{}}
	}
	probe := op
	probe.Stroke = &try
	if _, _, _, err := step.Rules.Apply(s.doc, probe); err != nil {
		return err
	}
	v.stroke, v.ways, s.hot = &op, r.Kind, r.Layer
	return nil
}

// growStroke adds points to the growing stroke.
func (v *viewer) growStroke(r *GrowStrokeRequest) error {
	if v.stroke == nil {
		return fmt.Errorf("no stroke was begun")
	}
	n := *v.stroke.Stroke
	had := len(n.Points)
	points := r.Points
	held := [3][]float32{r.Tilt, r.Lean, r.Twist}
	if v.had > 0 { // these are kept already; the last of them is where it goes on
		drop := min(v.had-1, len(points))
		v.had -= drop
		if v.had <= 1 {
			v.had = 0
		}
		points = points[drop:]
		for k, row := range held {
			if len(row) == len(r.Points) {
				held[k] = row[drop:]
			}
		}
	}
	n.Points = append(n.Points[:had:had], points...)
	n.Hold(held[0], held[1], held[2], had, len(points))
	if len(n.Points) == 0 {
		return nil
	}
	if err := n.Check(); err != nil {
		return err
	}
	if err := n.Inside(v.s.Model().Bounds, had); err != nil {
		return err
	}
	v.stroke.Stroke = &n
	v.follow(had)
	return nil
}

// endStroke keeps the growing stroke.
func (v *viewer) endStroke() error {
	if v.stroke == nil {
		return nil
	}
	op := *v.stroke
	v.stroke = nil
	n := len(op.Stroke.Points)
	if n == 0 || n == 1 && v.strokeID != op.StrokeID { // nothing but where what is kept ended
		v.s.Scene().Forget(op.StrokeID)
		return nil
	}
	return v.s.keepStroke(v.actor, op, v.ways)
}

// cancelStroke drops the growing stroke.
func (v *viewer) cancelStroke() {
	if v.stroke != nil {
		v.s.Scene().Forget(v.stroke.StrokeID)
	}
	v.stroke = nil
}
