package eval

import (
	"context"
	"fmt"
	"math"
	"slices"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// pulls is a list of strokes and the layer that they lie in, its own or a hand step's.
type pulls struct {
	all   []*brush.Stroke
	layer string
}

// before are the strokes before one of the list.
func (q pulls) before(s *brush.Stroke) (pulls, error) {
	at := slices.Index(q.all, s)
	if at < 0 {
		return q, fmt.Errorf("the stroke %q is not in its list", s.ID)
	}
	return pulls{q.all[:at], q.layer}, nil
}

func (p *Program) painting(pl *layerPlan) pulls { return pulls{pl.layer.Strokes, pl.layer.ID} }

func (p *Program) handing(s *stack.Step) pulls { return pulls{s.Strokes, p.holders[s]} }

// picky reports whether any stroke of a list stays where it looks alike.
func (p *Program) picky(all []*brush.Stroke) bool {
	if len(all) == 0 {
		return false
	}
	k := listKey{all[0], len(all)}
	p.mu.Lock()
	defer p.mu.Unlock()
	is, ok := p.picks[k]
	if !ok {
		is = slices.ContainsFunc(all, func(s *brush.Stroke) bool { return s.Alike != nil })
		if p.picks == nil {
			p.picks = map[listKey]bool{}
		}
		p.picks[k] = is
	}
	return is
}

// sights makes the keys of strokes hang, from the first that stays where it looks alike,
// on what it looks at: what lies below, and what was painted before.
func (p *Program) sights(u *Surface, q pulls, list []*brush.Stroke, keys []Key, pad float32) []Key {
	if !p.picky(q.all) {
		return keys
	}
	out := slices.Clone(keys)
	extra, any := Key{}, false
	for i, s := range list {
		if s.Alike != nil {
			any = true
			at := slices.Index(q.all, s)
			extra = join(extra, p.lowerPart(q.layer).key(u, stack.Channel(s.Alike.Channel), pad), 81)
			extra = join(extra, newHash("before").num(p.running(q.all)[max(at, 0)]).sum(), 82)
		}
		if any && (s.Elsewhere() || s.Spread() > 0) {
			extra = join(extra, p.sightsAnywhere(q), 84)
		}
		if any {
			out[i] = join(keys[i], extra, 83)
		}
	}
	return out
}

// sightsAnywhere is the key of what the strokes of a list look at, anywhere on the
// model: for what reads them at other places.
func (p *Program) sightsAnywhere(q pulls) Key {
	k := Key{}
	if !p.picky(q.all) {
		return k
	}
	on := p.Scene.wander().on
	for _, s := range q.all {
		if s.Alike != nil {
			k = join(k, p.lowerPart(q.layer).key(on.copy(), stack.Channel(s.Alike.Channel), 0), 85)
		}
	}
	return k
}

// shows is a channel as it shows on a surface at a layer: what lies below, and over it
// what was painted in the layer. One row a component, colours sRGB-encoded.
func (p *Program) shows(ctx context.Context, u *Surface, q pulls, channel stack.Channel) ([][]float32, error) {
	info, ok := p.Doc.Info(channel)
	if !ok {
		return nil, fmt.Errorf("there is no channel %q by which places could be alike", channel)
	}
	v, err := p.lowerPart(q.layer).Channel(ctx, u, channel)
	if err != nil {
		return nil, err
	}
	n := len(u.Frame().Pos)
	out := make([][]float32, len(v))
	for c := range v {
		out[c] = make([]float32, n)
		v[c].Fill(out[c])
	}
	list, keys := p.touching(u, q, string(channel), 0)
	if len(list) == 0 {
		return out, nil
	}
	own, err := p.painted(ctx, u, q, list, keys, string(channel), info.Components)
	if err != nil {
		return nil, err
	}
	for c := range out {
		for i, a := range own[info.Components].Data {
			out[c][i] = own[c].Data[i] + (1-a)*out[c][i]
		}
	}
	return out, nil
}

// ShowsAt returns a channel as it shows on a surface of one point at a layer, with all
// that was painted in it or in its hand step: what a stroke there would look at.
func (p *Program) ShowsAt(ctx context.Context, u *Surface, layer, handStep string, channel stack.Channel) ([]float32, error) {
	l := p.Doc.Layer(layer)
	if l == nil {
		return nil, fmt.Errorf("there is no layer %q", layer)
	}
	q := pulls{l.Strokes, layer}
	l.EachStep(func(s *stack.Step) {
		if s.ID == handStep && handStep != "" {
			q.all = s.Strokes
		}
	})
	rows, err := p.shows(ctx, u, q, channel)
	if err != nil {
		return nil, err
	}
	var out []float32
	for _, r := range rows {
		out = append(out, r[0])
	}
	return out, nil
}

// held lets a stroke's coverage show only where the stroke may be: where it looks alike,
// where there is another side to take from, and as a ramp along the surface has it. It
// writes the coverage.
func (p *Program) held(ctx context.Context, u *Surface, s *brush.Stroke, q pulls, cover []float32) error {
	if s.Alike == nil && s.Does != brush.Opposite && (s.Fill == nil || !s.Fill.Ramp || !s.Fill.Along) || !slices.ContainsFunc(cover, func(c float32) bool { return c > 0 }) {
		return nil
	}
	if s.Does == brush.Opposite && !s.Erase { // what has no counterpart stays as it is
		over, err := p.Scene.OfTake(s.Take)
		if err != nil {
			return err
		}
		for i, t := range u.Frame().Tri {
			if t < 0 || over.To[t] < 0 {
				cover[i] = 0
			}
		}
	}
	if s.Fill != nil && s.Fill.Ramp && s.Fill.Along {
		p.Scene.ramp(s.Fill, u, cover)
	}
	if s.Alike == nil {
		return nil
	}
	before, err := q.before(s)
	if err != nil {
		return err
	}
	rows, err := p.shows(ctx, u, before, stack.Channel(s.Alike.Channel))
	if err != nil {
		return err
	}
	s.Alike.Hold(cover, rows)
	return nil
}

// straightFor is up to how many spacings of the cloud from end to end a ramp along the
// surface is as good as straight.
const straightFor = 10

// ramp fades a coverage along the surface: from all at one end of a ramp to nothing at
// the other, by the share of the ways to both ends, as they are along the surface. Ends
// that no way joins are joined by the straight line.
func (s *Scene) ramp(f *brush.Fill, u *Surface, cover []float32) {
	w := s.wander()
	key := newHash("ramp").str(fmt.Sprint(f.From, f.To)).key(s.base).sum()
	w.mu.Lock()
	k := w.walks[key]
	if k == nil {
		k = &walk{}
		w.put(key, k)
	}
	w.mu.Unlock()
	k.mu.Lock()
	if !k.done {
		far := float32(math.Inf(1))
		from, to := w.cloud.Distance([]geom.Vec3{f.From}, far), w.cloud.Distance([]geom.Vec3{f.To}, far)
		apart := far
		if i := w.cloud.Nearest(f.To); i >= 0 {
			apart = w.cloud.Sample(from, f.To, w.cloud.Nrm[i], far)
		}
		if k.done = true; apart < far && apart > straightFor*w.cloud.Spacing {
			gone := make([]float32, len(from))
			for i := range gone {
				gone[i] = 1
				// with both ways known, the place by the law of cosines; 0 at From
				if a, b := from[i], to[i]; a < far && b < far {
					gone[i] = min(max((a*a-b*b+apart*apart)/(2*apart*apart), 0), 1)
				}
			}
			k.row = sampled(w.cloud, gone, 1)
		}
	}
	k.mu.Unlock()
	frame := u.Frame()
	if k.row == nil {
		for i, c := range cover {
			if c > 0 {
				cover[i] = c * f.Straight(frame.Pos[i])
			}
		}
		return
	}
	row := make([]float32, len(cover))
	k.row(step.Input{}, nil, s.Model, frame, row)
	for i, v := range row {
		cover[i] *= 1 - v
	}
}
