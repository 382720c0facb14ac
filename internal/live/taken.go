package live

import (
	"fmt"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
)

// takeUp answers which stroke is meant.
func (v *viewer) takeUp(r *TakeUpRequest) error {
	l := v.s.Document().Layer(r.Layer)
	if l == nil {
		return fmt.Errorf("there is no layer %q any more", r.Layer)
	}
	list := l.Strokes
	if r.Step != "" {
		s, _, _ := l.Step(r.Step)
		if s == nil || s.Kind != stack.Hand {
			return fmt.Errorf("layer %q has no hand step %q", l.Name, r.Step)
		}
		list = s.Strokes
	}
	i := -1
	if r.Stroke != "" {
		i = descended(list, r.Stroke)
	} else {
		pos, _ := r.place()
		i = covering(list, pos, r.Slack)
	}
	a := TakenUp{T: "stroke", ID: r.ID, Layer: r.Layer, Step: r.Step, Index: i, Count: len(list)}
	if i >= 0 {
		a.Stroke = list[i]
	}
	v.post(a)
	return nil
}

// descended returns the place of a stroke, or of one that was drawn anew from it, which repeats
// its chance; −1: there is none.
func descended(list []*brush.Stroke, id string) int {
	found := -1
	for i, s := range list {
		if s.ID == id {
			return i
		}
		if s.Seed == id && found < 0 {
			found = i
		}
	}
	return found
}

// covering returns the topmost stroke with a line that comes within its radius, and the slack, of
// a place; −1: there is none. Fills have no line.
func covering(list []*brush.Stroke, p geom.Vec3, slack float32) int {
	for i := len(list) - 1; i >= 0; i-- {
		s := list[i]
		if s.Fill != nil || len(s.Points) == 0 {
			continue
		}
		far := s.Radius + slack
		a := s.Points[0].Pos
		for _, q := range s.Points {
			if offLine(p, a, q.Pos) <= far {
				return i
			}
			a = q.Pos
		}
	}
	return -1
}

// offLine is the distance of p from the line between a and b.
func offLine(p, a, b geom.Vec3) float32 {
	d, t := b.Sub(a), float32(0)
	if l := d.Dot(d); l > 0 {
		t = min(max(p.Sub(a).Dot(d)/l, 0), 1)
	}
	return p.Sub(a.Lerp(b, t)).Length()
}

// brought lists the strokes that a page's operation brings and the project does not have. One
// that it has under the same name with other content is refused: strokes are never changed,
// others take their place.
func (s *Session) brought(op stack.Op) ([]*brush.Stroke, error) {
	var fresh []*brush.Stroke
	for _, st := range stack.Brings(op) {
		had := s.strokes[st.ID]
		switch {
		case had == st:
			continue
		case had != nil:
			return nil, fmt.Errorf("the project has a stroke %q already; one that is drawn anew needs a name of its own", st.ID)
		}
		if err := st.Inside(s.Model().Bounds, 0); err != nil {
			return nil, err
		}
		fresh = append(fresh, st)
	}
	return fresh, nil
}
