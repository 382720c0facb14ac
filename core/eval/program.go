package eval

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"velvetgrime/core/blend"
	"velvetgrime/core/brush"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// Program is a document made ready to be evaluated on a scene. It is immutable
// and safe for many goroutines.
type Program struct {
	Scene  *Scene
	Doc    *stack.Document
	layers []layerPlan
	hot    int    // layer that is being edited: what lies below it is kept
	live   string // id of a stroke that still grows
}

type layerPlan struct {
	layer  *stack.Layer
	coats  map[stack.Channel]Key // parameters of each coat
	steps  []Key                 // parameters of each mask step, without strokes
	reach  Key
	sheets []bool // by sheet index; nil: all
	parts  []bool
}

// Compile prepares a document. hotLayer is the id of the layer under edit, or
// ""; liveStroke is the id of a stroke that still grows, or "".
func Compile(s *Scene, d *stack.Document, hotLayer, liveStroke string) *Program {
	p := &Program{Scene: s, Doc: d, hot: -1, live: liveStroke}
	for _, l := range d.Layers {
		if !l.Visible || l.Amount == 0 {
			continue
		}
		if l.ID == hotLayer {
			p.hot = len(p.layers)
		}
		p.layers = append(p.layers, s.plan(l))
	}
	return p
}

func (s *Scene) plan(l *stack.Layer) layerPlan {
	pl := layerPlan{layer: l, coats: map[stack.Channel]Key{}}
	for c, coat := range l.Channels {
		if coat.On && coat.Amount > 0 {
			b, _ := json.Marshal(coat)
			pl.coats[c] = newHash("coat").str(l.Kind).str(string(b)).str(fmt.Sprint(l.Amount)).sum()
		}
	}
	for _, st := range l.Mask {
		c := *st
		c.ID, c.StrokeID = "", nil
		b, _ := json.Marshal(&c)
		pl.steps = append(pl.steps, newHash("step").str(string(b)).sum())
	}
	b, _ := json.Marshal(l.Reach)
	pl.reach = newHash("reach").str(string(b)).sum()
	pick := func(names []string, n int, name func(int) string) []bool {
		if len(names) == 0 {
			return nil
		}
		on := make([]bool, n)
		for i := range on {
			on[i] = slices.Contains(names, name(i))
		}
		return on
	}
	pl.sheets = pick(l.Reach.Sheets, len(s.Model.Sheets), func(i int) string { return s.Model.Sheets[i].Name })
	pl.parts = pick(l.Reach.Parts, len(s.Model.Parts), func(i int) string { return s.Model.Parts[i].Name })
	return pl
}

// none reports whether the layer cannot reach a tile at all, known from its sheet.
func (pl *layerPlan) none(u *Surface) bool {
	return u.tile != nil && pl.sheets != nil && !pl.sheets[u.tile.Sheet] && pl.parts == nil
}

func (pl *layerPlan) limited() bool { return pl.sheets != nil || pl.parts != nil }

// strokes returns those that touch the surface, and the chain of their keys.
func touching(u *Surface, all []*brush.Stroke, channel string) (list []*brush.Stroke, keys []Key) {
	k := Key{}
	for _, s := range all {
		if _, on := s.Values[channel]; !on && !s.Erase {
			continue
		}
		if u.touches(s) {
			k = join(k, newHash(s.ID).str(channel).sum(), uint64(len(s.Points)))
			list, keys = append(list, s), append(keys, k)
		}
	}
	return
}

// maskKeys returns the key after each step; the last is the mask's.
func (pl *layerPlan) maskKey(u *Surface, upTo int) Key {
	k := join(u.key, Key{Lo: 1}, 11)
	if pl.limited() {
		k = join(k, pl.reach, 1)
	}
	for i, st := range pl.layer.Mask[:upTo] {
		if !st.On {
			continue
		}
		k = join(k, pl.steps[i], 2)
		if len(st.Strokes) > 0 {
			if _, keys := touching(u, st.Strokes, "mask"); len(keys) > 0 {
				k = join(k, keys[len(keys)-1], 3)
			}
		}
	}
	return k
}

// planes is what the cache holds for evaluated results.
type planes []pix.Plane

func (p planes) Bytes() int {
	n := 48
	for _, q := range p {
		n += q.Bytes()
	}
	return n
}

// mask evaluates a layer's mask up to a step; the reach is part of it when
// withReach is set.
func (p *Program) mask(ctx context.Context, u *Surface, pl *layerPlan, upTo int) (pix.Plane, error) {
	key := pl.maskKey(u, upTo)
	if v, ok := p.Scene.Cache.get(key); ok {
		return v.(planes)[0], nil
	}
	plane, err := p.stream(ctx, u, pl, upTo)
	if err != nil {
		return pix.Plane{}, err
	}
	p.Scene.Cache.put(key, planes{plane})
	return plane, nil
}

func (p *Program) stream(ctx context.Context, u *Surface, pl *layerPlan, upTo int) (pix.Plane, error) {
	active := slices.IndexFunc(pl.layer.Mask[:upTo], func(s *stack.Step) bool { return s.On }) >= 0
	if !active && !pl.limited() {
		return pix.Plane{Value: 1}, nil
	}
	f := u.Frame()
	n := len(f.Pos)
	out := make([]float32, n)
	first := true
	if !active {
		pix.Plane{Value: 1}.Fill(out)
	}
	var tmp, alpha []float32
	for i, st := range pl.layer.Mask[:upTo] {
		if !st.On {
			continue
		}
		if err := ctx.Err(); err != nil {
			return pix.Plane{}, err
		}
		d, ok := step.Get(st.Kind)
		if !ok {
			return pix.Plane{}, fmt.Errorf("layer %q: step %d: there is no step %q", pl.layer.Name, i+1, st.Kind)
		}
		if tmp == nil {
			tmp, alpha = make([]float32, n), make([]float32, n)
		}
		if first && d.Role == "shaper" || first && d.Hand {
			pix.Plane{Value: 1}.Fill(out)
		}
		switch {
		case d.Hand:
			if list, keys := touching(u, st.Strokes, "mask"); len(list) > 0 {
				paint, err := p.painted(ctx, u, list, keys, "mask", 1)
				if err != nil {
					return pix.Plane{}, err
				}
				v, a := paint[0].Data, paint[1].Data
				for k := range out {
					out[k] += st.Amount * (v[k] - a[k]*out[k])
				}
			}
		case d.Role == "source":
			step.Run(st, f, p.Scene.Model.Bounds, tmp)
			if first && (st.Blend == "" || st.Blend == blend.Normal) && st.Amount == 1 {
				copy(out, tmp)
				break
			}
			if first {
				pix.Plane{Value: 1}.Fill(out) // a mask begins white: an unmasked layer shows
			}
			pix.Plane{Value: st.Amount}.Fill(alpha)
			blend.Row(st.Blend, out, tmp, alpha)
		default:
			copy(tmp, out)
			step.Run(st, f, p.Scene.Model.Bounds, tmp)
			for k := range out {
				out[k] += st.Amount * (tmp[k] - out[k])
			}
		}
		for k, v := range out {
			out[k] = min(max(v, 0), 1)
		}
		first = false
	}
	if pl.limited() {
		m := p.Scene.Model
		for k, t := range f.Tri {
			if t < 0 || pl.sheets != nil && !pl.sheets[m.TriSheet[t]] || pl.parts != nil && !pl.parts[m.TriPart[t]] {
				out[k] = 0
			}
		}
	}
	return shrink(out), nil
}

// shrink makes a uniform plane of data that holds one value.
func shrink(d []float32) pix.Plane {
	for _, v := range d {
		if v != d[0] {
			return pix.Plane{Data: d}
		}
	}
	return pix.Plane{Value: d[0]}
}

// painted folds strokes into colour times coverage (components planes) and
// coverage (the last plane). The state below the newest stroke is kept, so that
// a live stroke costs itself only.
func (p *Program) painted(ctx context.Context, u *Surface, list []*brush.Stroke, keys []Key, channel string, components int) (planes, error) {
	at := func(i int) Key { return join(u.key, keys[i], 0x7061696e74) }
	n := len(u.Frame().Pos)
	start := 0
	var acc planes
	for i := len(list) - 1; i >= 0; i-- {
		if v, ok := p.Scene.Cache.get(at(i)); ok {
			if i == len(list)-1 {
				return v.(planes), nil
			}
			acc, start = v.(planes), i+1
			break
		}
	}
	cur := make(planes, components+1)
	for c := range cur {
		cur[c].Data = make([]float32, n)
		if acc != nil {
			acc[c].Fill(cur[c].Data)
		}
	}
	for i := start; i < len(list); i++ {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		s := list[i]
		cover := u.cover(s, s.ID == p.live)
		value := s.Values[channel]
		for c := range cur {
			v := float32(1) // the last plane is coverage itself
			if c < components && c < len(value) {
				v = value[c]
			}
			if s.Erase {
				v = 0
			}
			d := cur[c].Data
			for k, w := range cover {
				if w > 0 {
					w *= s.Strength
					d[k] += w * (v - d[k])
				}
			}
		}
		if i == len(list)-2 {
			keep := make(planes, len(cur))
			for c := range cur {
				keep[c].Data = slices.Clone(cur[c].Data)
			}
			p.Scene.Cache.put(at(i), keep)
		}
	}
	p.Scene.Cache.put(at(len(list)-1), cur)
	return cur, nil
}
