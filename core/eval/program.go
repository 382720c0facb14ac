package eval

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"sync"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/fold"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"

	"github.com/zeebo/xxh3"
)

// Program is a document made ready to be evaluated on a scene. It is immutable
// and safe for many goroutines.
type Program struct {
	Scene    *Scene
	Doc      *stack.Document
	layers   []*layerPlan
	all      map[string]*layerPlan // every layer by id, hidden ones too
	hotSteps map[*stack.Step]bool  // the steps of that layer
	hot      map[*layerPlan]bool   // layer that is being edited and the groups around it: what lies below is kept
	live     string                // id of a stroke that still grows
	light    Key                   // how colours are mixed
	sizes    [2]Key                // the sheets' sizes, and these as far as levelFor heeds them for more than one point
	baked    Key                   // which baked maps there are
	facts    Key                   // these and the conditions
	shared   map[Key]bool          // costly sources that occur in several places of the document, by what they make

	holders map[*stack.Step]string      // the layer of each follow step and each that was painted by hand
	hands   map[*stack.Step]*brush.List // what was painted in steps
	strokes *fold.Painter

	mu    sync.Mutex
	below map[string]*Program  // the stack below a layer, by its id
	aged  map[float32]*Program // by years
	whole *Program             // that this is the lower part of; nil: this is whole
	rough bool                 // growths are found roughly
	draft *Program             // the same, rough

	wayKeys  sync.Map // of ways over the surface
	anywhere sync.Map // of what streams are anywhere on the model, by stream and number of steps
}

// layerPlan is a layer with the keys of its parameters.
type layerPlan struct {
	layer   *stack.Layer
	coats   map[stack.Channel]*coatPlan
	mask    *streamPlan
	kids    []*layerPlan
	strokes *brush.List
	reach   Key
	covers  *surface.Triangles // nil: all
	off     *surface.Triangles // what its ID colours do not cover either; nil: nothing
	sheets  []bool             // by sheet: whether any triangle is covered; nil: all
	ids     []stack.IDColor

	followers []*stack.Step // what its agents follow
	sources   []Key         // of its costly sources that read nothing but their parameters
	decals    []*decalPlan  // lowest first
}

// coatPlan is what a layer does to a channel.
type coatPlan struct {
	coat   stack.Coat
	key    Key
	stream *streamPlan // nil when the source is a value
	moved  *streamPlan // what moves in the stream of a layer that holds something, for how much it covers; else nil
	bevel  *streamPlan // the mask with a bevelled border, of a height that asks for one; else nil
}

type planKey struct {
	layer  *stack.Layer
	linear bool
}

// Compile prepares a document. hotLayer is the id of the layer under edit, or
// ""; liveStroke is the id of a stroke that still grows, or "".
func Compile(s *Scene, d *stack.Document, hotLayer, liveStroke string) *Program {
	p := &Program{
		Scene:    s,
		Doc:      d,
		live:     liveStroke,
		all:      map[string]*layerPlan{},
		hot:      map[*layerPlan]bool{},
		hotSteps: map[*stack.Step]bool{},
		holders:  map[*stack.Step]string{},
		hands:    map[*stack.Step]*brush.List{},
		below:    map[string]*Program{},
	}
	p.strokes = &fold.Painter{Scene: s.Scene, Known: s.known, Doc: around{p}, Live: liveStroke}
	p.light = cache.NewHash("light").Str(d.Light).Sum()
	for i, most := range [2]int{math.MaxInt, mostForFrames} {
		heeded := maps.Clone(d.Sheets)
		for name, s := range heeded {
			heeded[name] = stack.SheetSize{Size: min(s.Size, most)}
		}
		b, _ := json.Marshal(heeded)
		p.sizes[i] = cache.NewHash("sizes").Str(string(b)).Sum()
	}
	b, _ := json.Marshal(d.Preparation().Baked)
	p.baked = cache.NewHash("baked").Str(string(b)).Sum()
	b, _ = json.Marshal(d.Facts())
	p.facts = cache.NewHash("facts").Key(p.baked).Str(string(b)).Sum()
	fresh := plans{map[planKey]*layerPlan{}, map[string]*brush.List{}, map[slidKey]*brush.Stroke{}, map[*brush.Stroke]xxh3.Uint128{}}
	s.mu.Lock()
	known := s.plans
	s.mu.Unlock()
	p.layers = p.compile(d.Layers, hotLayer, known, fresh)
	p.shared = sharedSources(p.layers)
	s.mu.Lock()
	s.plans = fresh
	s.mu.Unlock()
	return p
}

// plans are what a scene keeps of the last compiled document: plans of its layers, and
// lists of strokes by the id of their layer or, after a slash, of their step.
type plans struct {
	layers map[planKey]*layerPlan
	lists  map[string]*brush.List
	slid   map[slidKey]*brush.Stroke // strokes with the slide through which they paint

	contents map[*brush.Stroke]xxh3.Uint128 // of those that go through slides
}

type slidKey struct {
	stroke *brush.Stroke
	slide  *stack.Slide
}

// throughSlides returns strokes of a layer with the slides, as they lie now, through which they
// paint. Those whose slide lies where it did are the ones that they were.
func throughSlides(l *stack.Layer, strokes []*brush.Stroke, known, fresh plans) []*brush.Stroke {
	if len(l.Slides) == 0 {
		return strokes
	}
	out := slices.Clone(strokes)
	stencils := map[*stack.Slide][2]xxh3.Uint128{} // as they are, and without their warp
	for i, s := range strokes {
		slide := l.Slide(s.Slide)
		if slide == nil {
			continue
		}
		content, ok := known.contents[s]
		if !ok {
			content = s.Content()
		}
		fresh.contents[s] = content
		k := slidKey{s, slide}
		c := known.slid[k]
		if c == nil {
			of, ok := stencils[slide]
			if !ok {
				bare := slide.Stencil
				bare.Warp = nil
				for i, x := range []*brush.Stencil{&slide.Stencil, &bare} {
					b, _ := json.Marshal(x)
					of[i] = xxh3.Hash128(b)
				}
				stencils[slide] = of
			}
			stencil := slide.Stencil
			c = s.Through(&stencil, content, of[0], of[1])
		}
		fresh.slid[k], out[i] = c, c
	}
	return out
}

// compile plans a list of layers and returns those that show. Plans of layers
// that did not change since the last document are used again.
func (p *Program) compile(list []*stack.Layer, hotLayer string, known, fresh plans) []*layerPlan {
	var out []*layerPlan
	for _, l := range list {
		k := planKey{l, p.Doc.Light == stack.Linear}
		old := known.layers[k]
		pl := &layerPlan{}
		if old != nil {
			*pl = *old
		} else {
			*pl = *p.Scene.plan(l, p.Doc)
		}
		fresh.layers[k] = pl
		list := func(name string, strokes []*brush.Stroke) *brush.List {
			out := brush.NewList(throughSlides(l, strokes, known, fresh), known.lists[name])
			if out != nil {
				fresh.lists[name] = out
			}
			return out
		}
		pl.strokes = list(l.ID, l.Strokes)
		pl.kids = p.compile(l.Layers, hotLayer, known, fresh)
		p.all[l.ID] = pl
		l.EachStep(func(s *stack.Step) {
			if s.Kind == stack.Follow || len(s.Strokes) > 0 {
				p.holders[s] = l.ID
			}
			if len(s.Strokes) > 0 {
				p.hands[s] = list(l.ID+"/"+s.ID, s.Strokes)
			}
		})
		for _, s := range pl.followers {
			p.holders[s] = l.ID
		}
		if l.ID == hotLayer {
			l.EachStep(func(s *stack.Step) { p.hotSteps[s] = true })
		}
		if l.ID == hotLayer || slices.ContainsFunc(pl.kids, func(c *layerPlan) bool { return p.hot[c] }) {
			p.hot[pl] = true
		}
		if l.Visible && l.Amount > 0 {
			out = append(out, pl)
		}
	}
	return out
}

func (s *Scene) plan(l *stack.Layer, d *stack.Document) *layerPlan {
	pl := &layerPlan{layer: l, coats: map[stack.Channel]*coatPlan{}, decals: planDecals(l.Decals)}
	for c, coat := range l.Channels {
		if !coat.On || coat.Amount == 0 {
			if l.Kind == stack.Group {
				pl.coats[c] = &coatPlan{coat: coat}
			}
			continue
		}
		cp := &coatPlan{coat: coat}
		bare := coat
		bare.Stream = nil
		b, _ := json.Marshal(bare)
		cp.key = cache.NewHash("coat").Str(l.Kind).Str(string(b)).Str(fmt.Sprint(l.Amount)).Sum()
		if len(coat.Stream) > 0 && l.Kind == stack.Fill {
			info, _ := d.Info(c)
			cp.stream = planStream(coat.Stream, ground(info, coat))
			cp.stream.color = info.Color()
		}
		if holds(l.Kind) {
			info, _ := d.Info(c)
			planContent(l, c, info, cp)
		}
		pl.coats[c] = cp
	}
	pl.mask = planStream(l.Mask, []float32{1}) // a mask begins white: an unmasked layer shows
	if c := pl.coats[stack.Height]; c != nil && c.coat.Bevel > 0 && pl.mask.active(len(l.Mask)) {
		b := &stack.Step{
			Kind:   "bevel",
			On:     true,
			Amount: 1,
			Params: map[string]any{"radius": float64(c.coat.Bevel), "lip": float64(c.coat.Lip), "form": "round"},
		}
		c.bevel = planStream(append(slices.Clone(l.Mask), b), []float32{1})
	}
	source := func(s *stepPlan) { pl.sources = append(pl.sources, s.own) }
	pl.mask.eachSource(source)
	for _, c := range pl.coats {
		if c.stream != nil {
			c.stream.eachSource(source)
		}
	}
	pl.mask.eachFollower(func(s *stack.Step) { pl.followers = append(pl.followers, s) })
	for _, c := range pl.coats {
		for _, sp := range []*streamPlan{c.stream, c.moved, c.bevel} {
			if sp != nil {
				sp.eachFollower(func(s *stack.Step) { pl.followers = append(pl.followers, s) })
			}
		}
	}
	b, _ := json.Marshal(l.Reach)
	pl.reach = cache.NewHash("reach").Str(string(b)).Sum()
	if !l.Reach.All() {
		pl.cover(s, l.Reach)
		pl.ids = l.Reach.IDs
		if left := l.Reach.Left(); !left.All() && len(pl.ids) > 0 {
			pl.off = surface.TrianglesOf(s.Model, left)
		}
	}
	return pl
}

// eachSource calls f for the costly sources of a stream that read nothing but their parameters, and of
// those within its steps.
func (sp *streamPlan) eachSource(f func(s *stepPlan)) {
	for i := range sp.steps {
		s := &sp.steps[i]
		if !s.step.On || s.desc == nil {
			continue
		}
		if s.desc.Costly && s.reads == nil && s.ways == nil && !s.desc.Special {
			f(s)
		}
		if s.inner != nil {
			s.inner.eachSource(f)
		}
	}
}

// sharedSources finds what occurs more than once in layers that show.
func sharedSources(list []*layerPlan) map[Key]bool {
	seen, shared := map[Key]bool{}, map[Key]bool{}
	var walk func(list []*layerPlan)
	walk = func(list []*layerPlan) {
		for _, pl := range list {
			for _, k := range pl.sources {
				if seen[k] {
					shared[k] = true
				}
				seen[k] = true
			}
			walk(pl.kids)
		}
	}
	walk(list)
	return shared
}

// ground is what a channel's stream begins with: the coat's value.
func ground(info stack.ChannelInfo, coat stack.Coat) []float32 {
	if len(coat.Value) != info.Components {
		return []float32{0}
	}
	out := slices.Clone(coat.Value)
	switch {
	case info.Vector():
		for i, v := range out {
			out[i] = 0.5 + 0.5*v
		}
	case info.Components == 1:
		r := rangeOf(info, coat)
		if r[1] == r[0] {
			return []float32{0}
		}
		out[0] = min(max((out[0]-r[0])/(r[1]-r[0]), 0), 1)
	}
	return out
}

// rangeOf returns what black and white of a stream mean in a scalar channel.
func rangeOf(info stack.ChannelInfo, coat stack.Coat) [2]float32 {
	if len(coat.Range) == 2 {
		return [2]float32{coat.Range[0], coat.Range[1]}
	}
	return info.Range
}

// cover marks the triangles and the sheets that the layer's reach covers.
func (pl *layerPlan) cover(s *Scene, r stack.Reach) {
	m := s.Model
	pl.covers, pl.sheets = surface.TrianglesOf(m, r), make([]bool, len(m.Sheets))
	if len(r.IDs) > 0 { // any sheet may hold the colours
		pl.sheets = nil
		return
	}
	for i, on := range pl.covers.On {
		if on {
			pl.sheets[m.TriSheet[i]] = true
		}
	}
}

// none reports whether the layer cannot reach a tile at all, known from its
// sheet. The tile's margin may show a neighbouring sheet's texels; there the layer
// is then cut one texel early, which no interior texel sees.
func (pl *layerPlan) none(u *surface.Surface) bool {
	return u.Tile != nil && pl.sheets != nil && !pl.sheets[u.Tile.Sheet]
}

// maskKey returns the key of a layer's mask with its reach.
func (p *Program) maskKey(u *surface.Surface, pl *layerPlan, pad float32) Key {
	return p.maskKeyOf(u, pl, pl.mask, pad)
}

// maskFor returns the stream that masks a layer in a channel.
func (pl *layerPlan) maskFor(c stack.Channel) *streamPlan {
	if k := pl.coats[c]; k != nil && k.bevel != nil {
		return k.bevel
	}
	return pl.mask
}

func (p *Program) maskKeyOf(u *surface.Surface, pl *layerPlan, sp *streamPlan, pad float32) Key {
	k := p.streamKey(u, sp, len(sp.steps), pad)
	if pl.covers != nil {
		k = cache.Join(k, pl.reach, 1)
	}
	if len(pl.ids) > 0 {
		k = cache.Join(k, p.baked, 17)
	}
	return k
}

// mask evaluates a layer's mask with its reach.
func (p *Program) mask(ctx context.Context, u *surface.Surface, pl *layerPlan) (pix.Plane, error) {
	return p.maskUpTo(ctx, u, pl, pl.mask, len(pl.mask.steps))
}

// maskUpTo evaluates the first steps of a stream that masks a layer, with the layer's
// reach.
func (p *Program) maskUpTo(
	ctx context.Context,
	u *surface.Surface,
	pl *layerPlan,
	sp *streamPlan,
	upTo int,
) (pix.Plane, error) {
	if pl.covers == nil && !sp.active(upTo) {
		return pix.Plane{Value: 1}, nil
	}
	key := cache.Join(p.streamKey(u, sp, upTo, 0), pl.reach, 77)
	if len(pl.ids) > 0 {
		key = cache.Join(key, p.baked, 17)
	}
	find := func() (pix.Planes, error) {
		plane, kept, err := p.findMask(ctx, u, pl, sp, upTo)
		if err == nil && !kept {
			putOn(ctx, u, key, pix.Planes{plane})
		}
		return pix.Planes{plane}, err
	}
	var out pix.Planes
	var err error
	if u.Ahead && p.hot[pl] { // what it is made from is wanted, too
		out, err = find()
	} else {
		out, err = once(ctx, p.Scene, key, find)
	}
	if err != nil {
		return pix.Plane{}, err
	}
	return out[0], nil
}

// findMask is maskUpTo without a look at what is kept of itself. It reports whether its source
// has kept the same already.
func (p *Program) findMask(
	ctx context.Context,
	u *surface.Surface,
	pl *layerPlan,
	sp *streamPlan,
	upTo int,
) (plane pix.Plane, kept bool, err error) {
	reach, err := p.reached(u, pl)
	if err != nil {
		return pix.Plane{}, false, fmt.Errorf("layer %q: reach: %w", pl.layer.Name, err)
	}
	if reach != nil && !p.Scene.plainly && !slices.ContainsFunc(reach, func(v float32) bool { return v != 0 }) {
		return pix.Plane{}, false, nil // whatever its stream says
	}
	var out []float32
	if sp.active(upTo) {
		eval := p.stream
		if reach != nil && !p.Scene.plainly {
			if need := sparseRegion(u, func(i int) bool { return reach[i] != 0 }, nil); need != nil {
				eval = func(ctx context.Context, u *surface.Surface, sp *streamPlan, upTo int) (pix.Rows, error) {
					return p.streamWhere(ctx, u, sp, upTo, need)
				}
			}
		}
		if c := pl.coats[stack.Height]; c != nil && c.bevel != nil && sp == pl.mask {
			eval = p.prefix // the bevel reads the same
		}
		v, err := eval(ctx, u, sp, upTo)
		if err != nil {
			return pix.Plane{}, false, fmt.Errorf("layer %q: %w", pl.layer.Name, err)
		}
		out = v.Gray()
		if only := sp.single(upTo); pl.covers == nil && only != nil && p.remembers(u, only) {
			return pix.Plane{Data: out}, true, nil
		}
	} else {
		out = make([]float32, len(u.Frame().Pos))
		pix.Plane{Value: 1}.Fill(out)
	}
	if reach != nil {
		out = slices.Clone(out) // what a stream gives may be shared
		for k, v := range reach {
			switch v {
			case 0:
				out[k] = 0
			case 1:
			default:
				out[k] *= v
			}
		}
	}
	return pix.Shrunk(out), false, nil
}

// reached returns how far a layer's reach covers each point of a surface, 0..1; nil: it covers
// all.
func (p *Program) reached(u *surface.Surface, pl *layerPlan) ([]float32, error) {
	if pl.covers == nil {
		return nil, nil
	}
	byID, err := p.idCover(u, pl.ids)
	if err != nil {
		return nil, err
	}
	out := make([]float32, len(u.Frame().Pos))
	for k, on := range u.Covered(pl.covers) {
		if on {
			out[k] = 1
		} else if byID != nil {
			out[k] = byID[k]
		}
	}
	if pl.off != nil {
		for k, off := range u.Covered(pl.off) {
			if off {
				out[k] = 0
			}
		}
	}
	return out, nil
}

// lowerPart returns the program of what lies below a layer: its siblings within
// its group, and all below the groups around it.
func (p *Program) lowerPart(id string) *Program { return p.part(id, false) }

// FirstLook is how many texels a side a sheet has at most of which a first look is taken.
const FirstLook = 128

// For returns the program that shows a tile: this one, or where a tile is a first look at a sheet that has
// much more to show, one that takes less time.
func (p *Program) For(t surface.Tile) *Program {
	name := p.Scene.Model.Sheets[t.Sheet].Name
	if t.Size > FirstLook || p.Doc.Sheets[name].Size <= 2*FirstLook {
		return p
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.draft == nil {
		p.draft = p.copy()
		p.draft.Doc, p.draft.layers, p.draft.rough = p.Doc, p.layers, true
		p.draft.draft = p.draft
	}
	return p.draft
}

// part returns the program of what lies below a layer, or of that and the layer.
func (p *Program) part(id string, with bool) *Program {
	name := id
	if with {
		name += "+"
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if q := p.below[name]; q != nil {
		return q
	}
	q := p.copy()
	if q.whole == nil {
		q.whole = p
	}
	d := *p.Doc
	d.Layers, _ = cutLayers(p.Doc.Layers, id, with)
	q.Doc, q.layers = &d, p.cut(d.Layers)
	p.below[name] = q
	return q
}

// copy returns a program of the same layers that is to show others of them, or otherwise.
func (p *Program) copy() *Program {
	q := &Program{
		Scene:    p.Scene,
		whole:    p.whole,
		rough:    p.rough,
		live:     p.live,
		all:      p.all,
		hot:      p.hot,
		holders:  p.holders,
		light:    p.light,
		sizes:    p.sizes,
		baked:    p.baked,
		facts:    p.facts,
		hotSteps: p.hotSteps,
		shared:   p.shared,
		hands:    p.hands,
		below:    map[string]*Program{},
	}
	q.strokes = &fold.Painter{Scene: p.Scene.Scene, Known: p.Scene.known, Doc: around{q}, Live: p.live}
	return q
}

// cut returns the plans of a shortened list of layers, by its order; groups keep
// of their layers what the list keeps.
func (p *Program) cut(list []*stack.Layer) []*layerPlan {
	var out []*layerPlan
	for _, l := range list {
		if !l.Visible || l.Amount == 0 {
			continue
		}
		pl := p.all[l.ID]
		if pl.layer != l { // a group that was shortened
			g := *pl
			g.kids = p.cut(l.Layers)
			pl = &g
		}
		out = append(out, pl)
	}
	return out
}

// cutLayers returns the layers below one, and the layer itself when with is set;
// the groups around it are shortened.
func cutLayers(list []*stack.Layer, id string, with bool) ([]*stack.Layer, bool) {
	for i, l := range list {
		if l.ID == id {
			if with {
				i++
			}
			return list[:i:i], true
		}
		if kids, ok := cutLayers(l.Layers, id, with); ok {
			g := *l
			g.Layers = kids
			return append(list[:i:i], &g), true
		}
	}
	return list, false
}

// Mask evaluates the mask of a layer with its reach. It works on hidden layers too.
func (p *Program) Mask(ctx context.Context, u *surface.Surface, layerID string) (pix.Plane, error) {
	pl := p.all[layerID]
	if pl == nil {
		return pix.Plane{}, fmt.Errorf("there is no layer %q", layerID)
	}
	return p.mask(ctx, u, pl)
}

// MaskKey returns the content key of a layer's whole mask on a surface.
func (p *Program) MaskKey(u *surface.Surface, layerID string) Key {
	pl := p.all[layerID]
	if pl == nil {
		return Key{}
	}
	return p.maskKey(u, pl, 0)
}
