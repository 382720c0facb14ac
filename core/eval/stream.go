package eval

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"velvetgrime/core/blend"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// streamPlan is a stream with the keys of its parameters.
type streamPlan struct {
	steps   []stepPlan
	ground  []float32 // what it begins with, 1 or 3 components
	start   Key
	color   bool         // whether colours are wanted at its end
	content *contentPlan // what it begins with in place of the ground; nil: that
	// of a stream that begins with what was painted: reads it from a tile
	read func(ctx context.Context, u *surface.Surface) (pix.Rows, error)
}

type stepPlan struct {
	step  *stack.Step
	desc  *step.Description
	key   Key
	own   Key // of kind and parameters alone: what a source makes, however it is blended
	inner *streamPlan
	reads map[string]*streamPlan // of an agent
	ways  []string               // over the surface
	walks map[string]*streamPlan // what those read
	look  float32                // how far it looks at neighbours, metres
	reach float32                // within which a stroke may change it: a little more, for coarser texels
	err   error
}

func planStream(list []*stack.Step, ground []float32) *streamPlan {
	sp := &streamPlan{ground: ground, start: cache.NewHash("stream").Str(fmt.Sprint(ground)).Sum()}
	for i, s := range list {
		c := *s
		c.ID, c.Name, c.StrokeID, c.Steps = "", "", nil, nil
		b, _ := json.Marshal(&c)
		pl := stepPlan{step: s, key: cache.NewHash("step").Str(string(b)).Sum()}
		b, _ = json.Marshal(c.Params)
		pl.own = cache.NewHash("own").Str(c.Kind).Str(string(b)).Sum()
		d, ok := step.Get(s.Kind)
		if !ok {
			pl.err = fmt.Errorf("step %d: there is no step %q", i+1, s.Kind)
		}
		pl.desc = d
		if ok && d.Inner != "" {
			pl.inner = planStream(s.Steps, []float32{0.5})
			if s.Kind == stack.Bundle {
				pl.inner = planStream(s.Steps, []float32{0})
			}
		}
		if ok && d.Reads != nil {
			in, _ := step.NewInput(s, nil, noBox)
			pl.reads = map[string]*streamPlan{}
			for name, parts := range d.Reads(in) {
				pl.reads[name] = planStream(steps(parts), []float32{0})
			}
		}
		if ok && d.Surface != nil {
			in, _ := step.NewInput(s, nil, noBox)
			pl.ways, pl.walks = d.Surface(in), map[string]*streamPlan{}
			for name, parts := range surfaceReads(in, pl.ways) {
				pl.walks[name] = planStream(steps(parts), []float32{0})
			}
		}
		if ok && d.Filter != nil {
			in, _ := step.NewInput(s, nil, noBox)
			pl.look = d.Radius(in)
			pl.reach = 1.5 * pl.look
		}
		sp.steps = append(sp.steps, pl)
	}
	return sp
}

// steps makes a stream of what an agent wants to read.
func steps(parts []step.Part) []*stack.Step {
	out := make([]*stack.Step, len(parts))
	for i, p := range parts {
		out[i] = &stack.Step{Kind: p.Kind, On: true, Amount: 1, Params: p.Params}
	}
	return out
}

// active reports whether any of the first steps is switched on.
func (sp *streamPlan) active(upTo int) bool {
	for i := range upTo {
		if sp.steps[i].step.On {
			return true
		}
	}
	return false
}

// single returns the one source that the first steps come to, kept by its own
// parameters and laid as it is over the ground, or nil.
func (sp *streamPlan) single(upTo int) *stepPlan {
	if sp.content != nil {
		return nil
	}
	var found *stepPlan
	for i := range upTo {
		s := &sp.steps[i]
		if !s.step.On {
			continue
		}
		if found != nil || s.desc == nil || !s.desc.Costly || !s.plain() {
			return nil
		}
		found = s
	}
	return found
}

// overlaid reports whether the first of the steps covers all that the stream begins with.
func (sp *streamPlan) overlaid(upTo int) bool {
	for i := range upTo {
		if s := &sp.steps[i]; s.step.On {
			return s.err == nil && s.desc.Role == "source" && s.desc.Run != nil && !s.desc.Special && !s.desc.Hand &&
				s.desc.RunColor == nil && s.reads == nil && s.ways == nil && s.step.Kind != stack.OtherSide && s.plain()
		}
	}
	return false
}

// plain reports whether a source leaves nothing of what it is laid over.
func (s *stepPlan) plain() bool {
	return (s.step.Blend == "" || s.step.Blend == blend.Normal) && s.step.Amount == 1
}

// lastFilter returns the index of the last step before upTo that looks at
// neighbours, or −1.
func (sp *streamPlan) lastFilter(upTo int) int {
	for i := upTo - 1; i >= 0; i-- {
		if s := &sp.steps[i]; s.step.On && s.desc != nil && s.desc.Filter != nil {
			return i
		}
	}
	return -1
}

// streamKey returns the key of a stream after its first upTo steps on a surface
// and within pad metres around it: filters later in the evaluation read that far.
func (p *Program) streamKey(u *surface.Surface, sp *streamPlan, upTo int, pad float32) Key {
	whole := pad == 0 && upTo == len(sp.steps)
	if whole {
		if k, ok := u.Known[memo{sp, p.facts, p.rough}]; ok {
			return k
		}
	}
	for i := range upTo {
		if s := &sp.steps[i]; s.step.On {
			pad += s.reach
		}
	}
	k := cache.Join(u.Key, sp.start, 11)
	if sp.content != nil {
		k = cache.Join(k, p.contentKey(u, sp.content, pad), 22)
	}
	for i := range upTo {
		s := &sp.steps[i]
		if !s.step.On {
			continue
		}
		pad -= s.reach
		k = cache.Join(k, s.key, 2)
		if s.reach > 0 && u.Tile == nil && u.Patch == nil {
			k = cache.Join(k, p.sizesKey(u), 8) // read from the sheets
		}
		if len(s.step.Strokes) > 0 {
			if _, keys := p.strokes.Touching(u, p.handing(s.step), stack.MaskStream, pad); len(keys) > 0 {
				k = cache.Join(k, keys[len(keys)-1], 3)
			}
		}
		if s.inner != nil {
			k = cache.Join(k, p.streamKey(u, s.inner, len(s.inner.steps), pad+s.reach), 4)
		}
		if s.reads != nil || s.ways != nil {
			k = cache.Join(k, p.readsKey(u, s, pad), 20)
		}
		if s.step.Kind == stack.OtherSide { // it reads what came before anywhere
			k = cache.Join(k, p.keyAnywhere(sp, i), 21)
		}
		if s.step.Kind == stack.BakedStep || s.step.Kind == stack.IDStep {
			k = cache.Join(k, p.baked, 17)
		}
		if s.step.Kind == stack.Follow {
			k = cache.Join(k, p.followKey(u, s.step, pad), 6)
		}
	}
	if whole {
		if u.Known == nil {
			u.Known = map[any]Key{}
		}
		u.Known[memo{sp, p.facts, p.rough}] = k
	}
	return k
}

// stream evaluates the first upTo steps of a stream: one plane of greys or three
// of colours, of the surface's points. The result may be shared: it is not to be
// written.
func (p *Program) stream(ctx context.Context, u *surface.Surface, sp *streamPlan, upTo int) (pix.Rows, error) {
	return p.streamWhere(ctx, u, sp, upTo, nil)
}

// streamWhere is stream where its result counts; elsewhere it gives anything.
func (p *Program) streamWhere(
	ctx context.Context, u *surface.Surface, sp *streamPlan, upTo int, need region,
) (pix.Rows, error) {
	n := len(u.Frame().Pos)
	if only := sp.single(upTo); only != nil {
		for i := range upTo {
			if s := &sp.steps[i]; s.step.On {
				row, err := p.plainSource(ctx, u, s, nil, make([]float32, n), true, need)
				return pix.Rows{row}, err
			}
		}
	}
	var out pix.Rows
	from := 0
	overlaid := sp.overlaid(upTo)
	if last := sp.lastFilter(upTo); last >= 0 {
		var v pix.Rows
		err := contained(func() (err error) { v, err = p.filtered(ctx, u, sp, last); return err })
		if err != nil {
			if err := passed(ctx, "", sp.steps[last].step.ID, err); err != nil {
				return nil, err
			}
			if v, err = p.stream(ctx, u, sp, last); err != nil {
				return nil, err
			}
		}
		out, from = v.Clone(), last+1
	} else if sp.content != nil {
		var err error
		if out, err = p.contentRows(ctx, u, sp.content); err != nil {
			return nil, err
		}
	} else {
		for _, g := range sp.ground {
			row := make([]float32, n)
			if g != 0 && !overlaid {
				pix.Set(row, g)
			}
			out = append(out, row)
		}
	}
	first := from == 0 && sp.content == nil
	later := p.ahead(u, sp, from, upTo, need)
	var scratch []float32
	defer func() { pix.Return(scratch) }()
	for i := from; i < upTo; i++ {
		s := &sp.steps[i]
		if !s.step.On {
			continue
		}
		if s.err != nil {
			if err := passed(ctx, "", s.step.ID, s.err); err != nil {
				return nil, err
			}
			continue
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if scratch == nil {
			scratch = pix.Lend(n)
		}
		was := out
		err := contained(func() (err error) {
			switch {
			case s.step.Kind == stack.OtherSide:
				out, err = p.otherSide(ctx, u, sp, i, out)
			case s.desc.Hand:
				err = p.hand(ctx, u, s.step, out)
			case s.desc.Role != "shaper":
				if m, ok := later[i]; ok {
					m.over(out)
					break
				}
				out, err = p.source(ctx, u, s, out, scratch, first, needBefore(later, i, upTo, need))
			default:
				out = p.shape(u, s, out, scratch)
			}
			return err
		})
		if err != nil {
			if err := passed(ctx, "", s.step.ID, err); err != nil {
				return nil, fmt.Errorf("step %d (%s): %w", i+1, s.step.Kind, err)
			}
			if out = was; first && overlaid {
				for k, g := range sp.ground {
					pix.Set(out[k], g)
				}
			}
			continue
		}
		for _, row := range out {
			pix.Unit(row)
		}
		first = false
	}
	return out, nil
}

func (p *Program) hand(ctx context.Context, u *surface.Surface, s *stack.Step, out pix.Rows) error {
	list, keys := p.strokes.Touching(u, p.handing(s), stack.MaskStream, 0)
	if len(list) == 0 {
		return nil
	}
	paint, err := p.strokes.Painted(ctx, u, p.handing(s), list, keys, stack.MaskStream, 1)
	if err != nil {
		return err
	}
	v, a := paint[0], paint[1]
	for _, row := range out {
		for k := range row {
			row[k] += s.Amount * (v[k] - a[k]*row[k])
		}
	}
	return nil
}

// source blends what a source makes over what came before.
func (p *Program) source(
	ctx context.Context,
	u *surface.Surface,
	s *stepPlan,
	out pix.Rows,
	scratch []float32,
	first bool,
	counts region,
) (pix.Rows, error) {
	var src pix.Rows
	var cover []float32
	var err error
	switch {
	case s.reads != nil || s.ways != nil:
		need := counts
		if p.hotSteps[s.step] {
			need = nil // the next change of the layer under edit finds it kept
		}
		if !first && len(out) == 1 {
			need = p.wanted(u, s.step, out[0], need)
		}
		row, err := p.agent(ctx, u, s, need)
		if err != nil {
			return out, err
		}
		src = pix.Rows{row}
	case s.desc.Special:
		src, cover, err = p.special(ctx, u, s)
		if err != nil || src == nil {
			return out, err
		}
	case s.desc.RunColor != nil:
		in, d := p.input(u, s.step)
		src = pix.Rows{make([]float32, len(scratch)), make([]float32, len(scratch)), make([]float32, len(scratch))}
		d.RunColor(in, [3][]float32(src))
	default:
		row, err := p.plainSource(ctx, u, s, out, scratch, first, counts)
		if err != nil {
			return out, err
		}
		src = pix.Rows{row}
	}
	if first && s.plain() && cover == nil { // nothing of the ground is left
		if len(src) != len(out) {
			return src.Clone(), nil
		}
		for k, row := range src {
			copy(out[k], row)
		}
		return out, nil
	}
	if len(src) == 3 {
		out = out.Colored()
	}
	alpha := pix.Ones(len(scratch))
	if s.step.Amount != 1 || cover != nil {
		alpha = pix.Lend(len(scratch))
		defer pix.Return(alpha)
		pix.Set(alpha, s.step.Amount)
		for k, c := range cover {
			alpha[k] *= c
		}
	}
	if len(out) == 3 {
		three := [3][]float32{src[0], src[0], src[0]}
		if len(src) == 3 {
			three = [3][]float32(src)
		}
		blend.RowColor(s.step.Blend, [3][]float32(out), three, alpha)
		return out, nil
	}
	mode := s.step.Blend
	if mode != "" && blend.Separable(mode) == nil { // of two greys only the luminosity can be taken over
		if mode != "luminosity" {
			return out, nil
		}
		mode = blend.Normal
	}
	blend.Row(mode, out[0], src[0], alpha)
	return out, nil
}

// input returns what a step reads on a surface, its places on the sheets included.
func (p *Program) input(u *surface.Surface, s *stack.Step) (step.Input, *step.Description) {
	in, d := step.NewInput(s, u.Frame(), p.Scene.Model.Bounds)
	m := p.Scene.Model
	in.Sheet = func(i int) geom.Vec2 {
		t := in.Frame.Tri[i]
		return p.Scene.Index(int(m.TriSheet[t])).UVAt(t, in.Frame.Pos[i])
	}
	in.UV = func(i int) geom.Vec2 {
		uv := in.Sheet(i)
		k := p.Scene.Index(int(m.TriSheet[in.Frame.Tri[i]])).Scale()
		return geom.Vec2{X: uv.X * k, Y: uv.Y * k}
	}
	return in, d
}

// wanted marks where a source that multiplies or darkens is not laid over black, within
// another choice, when that is less than half of the surface.
func (p *Program) wanted(u *surface.Surface, s *stack.Step, out []float32, within region) region {
	if s.Blend != "multiply" && s.Blend != "darken" {
		return within
	}
	return sparseRegion(u, func(i int) bool { return out[i] > 0 }, within)
}

// plainSource runs a source of greys. What takes long is kept by its own
// parameters, so that moving a later slider, or the same noise in another layer,
// does not run it again. Where it multiplies what is black already it need not run
// at all: a mask that shows in few places costs those places.
func (p *Program) plainSource(
	ctx context.Context, u *surface.Surface, s *stepPlan, out pix.Rows, scratch []float32, first bool, counts region,
) ([]float32, error) {
	in, d := p.input(u, s.step)
	if !d.Costly {
		d.Run(in, scratch)
		return scratch, ctx.Err()
	}
	key := cache.Join(u.Key, s.own, 51)
	if v, ok := p.Scene.Cache.Get(key); ok {
		return v.(pix.Rows)[0], nil
	}
	need := counts
	if p.hotSteps[s.step] {
		need = nil // as above: moving a later slider does not run it again
	}
	if !first && len(out) == 1 {
		need = p.wanted(u, s.step, out[0], need)
	}
	if need != nil {
		if in.Need = need; slices.Contains(need, true) {
			d.Run(in, scratch)
		} else {
			clear(scratch) // what is multiplied by it is black, and stays a number
		}
		return scratch, ctx.Err()
	}
	rows, err := once(ctx, p.Scene, key, func() (pix.Rows, error) {
		row := make([]float32, len(u.Frame().Pos))
		d.Run(in, row)
		if p.remembers(u, s) {
			u.Put(key, pix.Rows{row})
		}
		return pix.Rows{row}, ctx.Err()
	})
	if err != nil {
		return nil, err
	}
	return rows[0], nil
}

// remembers reports whether what a step makes by itself is worth its memory: on drafts,
// which are few and asked for again at once, in the layer under edit, and where the same is
// made in several places of the document. Elsewhere masks and channels are kept, which is all that a
// change needs again.
func (p *Program) remembers(u *surface.Surface, s *stepPlan) bool {
	return u.Tile == nil || u.Tile.Size <= draft || p.hotSteps[s.step] || p.shared[s.own]
}

// draft is the largest size of a sheet, in texels a side, at which what a change needs
// again is kept however small it is: drafts are few, and a slider asks for them at once.
const draft = 512

// special carries out the sources that read more than their own parameters.
func (p *Program) special(
	ctx context.Context,
	u *surface.Surface,
	s *stepPlan,
) (src pix.Rows, cover []float32, err error) {
	switch s.step.Kind {
	case stack.Bundle:
		if !s.inner.active(len(s.inner.steps)) {
			return nil, nil, nil
		}
		src, err = p.stream(ctx, u, s.inner, len(s.inner.steps))
		return src, nil, err
	case stack.Follow:
		src, err = p.follow(ctx, u, s.step)
		return src, nil, err
	case "picture":
		return p.picture(ctx, u, s.step)
	case stack.BakedStep:
		src, err = p.bakedStep(u, s.step)
		return src, nil, err
	case stack.IDStep:
		src, err = p.idStep(u, s.step)
		return src, nil, err
	case step.PickParts, step.PickIslands, step.PickFaces:
		return p.pick(u, s.step), nil, nil
	}
	return nil, nil, fmt.Errorf("there is no way to carry it out")
}

// shape runs a shaper that needs nothing but the values.
func (p *Program) shape(u *surface.Surface, s *stepPlan, out pix.Rows, scratch []float32) pix.Rows {
	in, d := step.NewInput(s.step, u.Frame(), p.Scene.Model.Bounds)
	if len(out) == 1 && d.Run == nil || d.Colors != nil && d.Colors(in) {
		out = out.Colored()
	}
	if len(out) == 3 && d.RunColor != nil {
		v := out.Clone()
		d.RunColor(in, [3][]float32(v))
		for c, row := range out {
			mix(row, v[c], s.step.Amount)
		}
		return out
	}
	for _, row := range out {
		copy(scratch, row)
		d.Run(in, scratch)
		mix(row, scratch, s.step.Amount)
	}
	return out
}

func mix(row, v []float32, amount float32) {
	if amount == 1 {
		copy(row, v)
		return
	}
	for k := range row {
		row[k] += amount * (v[k] - row[k])
	}
}

// masked reports whether a follow step of an agent reads the relief that a layer makes,
// not the height of its coat.
func masked(s *stack.Step) bool { on, _ := s.Params["masked"].(bool); return on }

// followKey returns the key of what a follow step reads within pad metres.
func (p *Program) followKey(u *surface.Surface, s *stack.Step, pad float32) Key {
	layer, what := s.Sources()
	if layer == stack.Below {
		return p.lowerPart(p.holders[s]).key(u, stack.Channel(what), pad)
	}
	pl := p.all[layer]
	if pl == nil {
		return Key{}
	}
	if what == stack.MaskStream {
		return p.maskKey(u, pl, pad)
	}
	k := p.ownKey(u, pl, stack.Channel(what), pad)
	if masked(s) {
		k = cache.Join(k, p.maskKey(u, pl, pad), 7)
	}
	return k
}

// follow evaluates what a follow step reads.
func (p *Program) follow(ctx context.Context, u *surface.Surface, s *stack.Step) (pix.Rows, error) {
	layer, what := s.Sources()
	n := len(u.Frame().Pos)
	full := func(v pix.Planes) pix.Rows { return v.Rows(n).Clone() }
	if layer == "" {
		return pix.Rows{make([]float32, n)}, nil
	}
	if layer != stack.Below && p.all[layer] == nil {
		return nil, fmt.Errorf("the layer it follows is not there; choose another")
	}
	if what == stack.MaskStream && layer != stack.Below {
		m, err := p.mask(ctx, u, p.all[layer])
		return full(pix.Planes{m}), err
	}
	info, ok := p.Doc.Info(stack.Channel(what))
	if !ok {
		return nil, fmt.Errorf("what lies below has no %s to follow; choose a channel", what)
	}
	var v pix.Planes
	var err error
	if layer == stack.Below {
		v, err = p.lowerPart(p.holders[s]).composite(ctx, u, info)
	} else {
		v, err = p.own(ctx, u, p.all[layer], info)
	}
	if err != nil {
		return nil, err
	}
	out := full(v)
	if masked(s) && layer != stack.Below {
		// the relief that a layer makes: where its mask shows nothing it makes none
		m, err := p.mask(ctx, u, p.all[layer])
		if err != nil {
			return nil, err
		}
		amount := p.all[layer].layer.Amount
		for k := range out[0] {
			out[0][k] *= m.At(k) * amount
		}
	}
	if info.Channel == stack.Height {
		in, _ := step.NewInput(s, u.Frame(), p.Scene.Model.Bounds)
		lo, hi := in.Number("low")/1000, in.Number("high")/1000
		scale := 1 / max(hi-lo, 1e-9)
		for k, h := range out[0] {
			out[0][k] = (h - lo) * scale
		}
	}
	if info.Vector() {
		for _, row := range out {
			for k, x := range row {
				row[k] = 0.5 + 0.5*x
			}
		}
	}
	return out, nil
}

// find returns a step's place in a layer: the layer's plan, the plan of its stream
// and how many steps come before its end.
func (p *Program) find(layerID, stepID string) (pl *layerPlan, sp *streamPlan, upTo int) {
	pl = p.all[layerID]
	if pl == nil {
		return nil, nil, 0
	}
	var look func(s *streamPlan)
	look = func(s *streamPlan) {
		for i := range s.steps {
			if s.steps[i].step.ID == stepID {
				sp, upTo = s, i+1
			}
			if s.steps[i].inner != nil {
				look(s.steps[i].inner)
			}
		}
	}
	look(pl.mask)
	for _, c := range pl.coats {
		if c.stream != nil {
			look(c.stream)
		}
	}
	return pl, sp, upTo
}

// Step evaluates a stream up to and including one step: one plane of greys or
// three of sRGB-encoded colours. The reach of the layer is not part of it. A step
// of a channel that is switched off gives nothing.
func (p *Program) Step(ctx context.Context, u *surface.Surface, layerID, stepID string) ([]pix.Plane, error) {
	_, sp, upTo := p.find(layerID, stepID)
	if sp == nil {
		return nil, nil
	}
	v, err := p.stream(ctx, u, sp, upTo)
	if err != nil {
		return nil, err
	}
	var out []pix.Plane
	for _, row := range v {
		out = append(out, pix.Plane{Data: row})
	}
	return out, nil
}

// StepKey returns the content key of what Step gives.
func (p *Program) StepKey(u *surface.Surface, layerID, stepID string) Key {
	_, sp, upTo := p.find(layerID, stepID)
	if sp == nil {
		return Key{}
	}
	return cache.Join(p.streamKey(u, sp, upTo, 0), Key{}, 31)
}
