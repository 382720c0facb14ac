package live

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/stack"
	"velvetgrime/internal/store"
)

// copyLayers keeps layers with all that is in them for the actor to paste here or
// in another project. They are kept as a document of their own.
func (s *Session) copyLayers(actor string, ids []string) ([]string, error) {
	d := stack.New(nil, 1024)
	d.Added = s.doc.Added
	var names []string
	s.doc.Walk(func(l *stack.Layer, around []*stack.Layer) {
		inside := slices.ContainsFunc(around, func(g *stack.Layer) bool { return slices.Contains(ids, g.ID) })
		if slices.Contains(ids, l.ID) && !inside {
			d.Layers = append(d.Layers, l)
			names = append(names, l.Name)
		}
	})
	if len(names) == 0 {
		return nil, fmt.Errorf("no layer is selected to copy")
	}
	b, err := d.Encode(true)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	return names, s.hub.Store.PutClip(ctx, actor, b)
}

// clip returns what the actor copied last, or nil.
func (s *Session) clip(actor string) (*stack.Document, error) {
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	b, err := s.hub.Store.Clip(ctx, actor)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return stack.DecodeLoose(b)
}

// paste adds what the actor copied last. Parts, islands and faces that a reach
// names mean nothing on another model: of a reach only the names stay that are
// there, and a layer whose reach names none of them covers everything. A channel
// that only the other project has is added. Follow steps keep what they follow
// when it was copied with them, and else are emptied.
func (s *Session) paste(actor, parent string, index int, newID func() string) error {
	d, err := s.clip(actor)
	if err != nil {
		return err
	}
	if d == nil || len(d.Layers) == 0 {
		return fmt.Errorf("nothing was copied yet; select layers and copy them first")
	}
	op := stack.Batch{Label: "Paste " + d.Layers[0].Name}
	if n := len(d.Layers); n > 1 {
		op.Label = fmt.Sprintf("Paste %d layers", n)
	}
	used := map[stack.Channel]bool{}
	d.Walk(func(l *stack.Layer, _ []*stack.Layer) {
		for c := range l.Channels {
			used[c] = true
		}
	})
	for _, u := range d.Added {
		if _, have := s.doc.Info(u.Channel); !have && used[u.Channel] {
			op.Ops = append(op.Ops, stack.AddChannel{Channel: u, Index: -1})
		}
	}
	s.fit(d)
	var strokes []*brush.Stroke
	for id, st := range d.Strokes() {
		if s.strokes[id] == nil {
			strokes = append(strokes, st)
		}
	}
	for i, l := range d.Renamed(newID) {
		at := index
		if at >= 0 {
			at += i
		}
		op.Ops = append(op.Ops, stack.AddLayer{Parent: parent, Index: at, Layer: l})
	}
	return s.commit(actor, "do", 0, op, strokes...)
}

// fit takes out of copied layers what this model or document does not have.
func (s *Session) fit(d *stack.Document) {
	has := func(list []string, n int, name func(int) string) (out []string) {
		for i := range n {
			if slices.Contains(list, name(i)) {
				out = append(out, name(i))
			}
		}
		return
	}
	d.Walk(func(l *stack.Layer, _ []*stack.Layer) {
		same := s.doc.Layer(l.ID) != nil && sameReach(s.doc.Layer(l.ID).Reach, l.Reach)
		if !same {
			m := s.Model()
			there := func(r stack.Reach) stack.Reach {
				return stack.Reach{
					Sheets: has(r.Sheets, len(m.Sheets), func(i int) string { return m.Sheets[i].Name }),
					Parts:  has(r.Parts, len(m.Parts), func(i int) string { return m.Parts[i].Name }),
					IDs:    r.IDs,
				}
			}
			l.Reach = there(l.Reach).But(there(l.Reach.Left()))
		}
		l.EachStep(func(st *stack.Step) {
			if id, _ := st.Sources(); st.Follows() && id != "" && id != stack.Below && d.Layer(id) == nil &&
				s.doc.Layer(id) == nil {
				st.Params["layer"] = ""
			}
		})
	})
}

func sameReach(a, b stack.Reach) bool {
	return slices.Equal(a.Sheets, b.Sheets) && slices.Equal(a.Parts, b.Parts) && slices.Equal(a.Islands, b.Islands) &&
		slices.Equal(a.Faces, b.Faces) &&
		slices.Equal(a.IDs, b.IDs) &&
		(a.Off == nil && b.Off == nil || a.Off != nil && b.Off != nil && sameReach(a.Left(), b.Left()))
}
