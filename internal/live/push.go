package live

import (
	"cmp"
	"context"
	"encoding/binary"
	"fmt"
	"log"
	"slices"
	"strings"
	"sync"
	"time"

	"velvetgrime/core/deliver"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/par"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"

	"github.com/coder/websocket"
)

// The maps that a page holds for each sheet.
const (
	mapColor = iota // base color and opacity
	mapORM
	mapNormal
	mapEmissive
	mapAlone // height or a mask, when asked for
	mapCount
)

// slot is one map of one tile.
type slot struct {
	eval.Tile
	kind int
}

type sent struct {
	key  eval.Key
	when int64
}

// pusher brings a page's textures to the shown program: drafts first, then tile
// by tile, oldest first. A newer program is taken up after the next few tiles, so
// a fast hand can neither starve a tile nor queue up work.
type pusher struct {
	v     *viewer
	have  map[slot]sent
	clock int64
	wish  wish
	views map[string]*eval.Surface
	wait  bool // until the page has told its sizes
	mu    sync.Mutex
	cards map[string]eval.Key

	// the keys of the program that the last pass showed: those of tiles that a
	// stroke did not touch are not asked for again
	last  *eval.Program
	keys  map[slot]eval.Key
	wishK string
	solo  soloed
	rough int // texels a side of the next draft
	// the page has something to show everywhere, be it coarse
	drafted bool
	ready   map[eval.Tile]bool // where a stroke on readyOf finds what it needs
	readyOf string
	heard   int64  // up to which request of the page this pass goes
	coming  soloed // the pen hovers over another layer than the one under edit
	kept    *kept

	failures failing
}

// soloed is a program that was compiled for one layer: to show it without the others, or
// as the one under edit.
type soloed struct {
	of    *eval.Program
	layer string
	p     *eval.Program
}

func newPusher(v *viewer) *pusher {
	return &pusher{
		v:     v,
		have:  map[slot]sent{},
		views: map[string]*eval.Surface{},
		cards: map[string]eval.Key{},
		keys:  map[slot]eval.Key{},
		ready: map[eval.Tile]bool{},
		rough: draftSize,
		kept:  newKept(v.s.hub.Store, v.s.ID),
	}
}

const (
	draftSize  = 256
	draftQuick = 128 // when drafts of that take longer than the hand waits
	draftAbove = 10  // changed tiles from which a draft is worth its own pass
)

func (u *pusher) run(ctx context.Context) error {
	u.kept.load(ctx)
	keep := func() {
		if err := u.kept.keep(u.have); err != nil {
			log.Print(err)
		}
	}
	defer keep()
	for {
		idle := time.NewTimer(keptAfter)
		select {
		case <-ctx.Done():
			return nil
		case <-idle.C:
			keep()
			continue
		case <-u.v.hovers:
			u.ahead(ctx)
			continue
		case <-u.v.woken:
		}
		idle.Stop()
		u.heard = u.v.done.Load() // before anything is read that may be newer
		select {
		case w := <-u.v.want:
			u.remade(w.gens)
			u.wish = w
		default:
		}
		if u.wait && len(u.wish.sizes) == 0 {
			continue
		}
		if err := u.pass(ctx); err != nil {
			return err
		}
		u.ahead(ctx)
	}
}

// remade forgets what the page held of sheets whose generation is another one now: it has
// made their textures anew and holds nothing.
func (u *pusher) remade(gens []int) {
	for s := range u.have {
		if gen(gens, s.Sheet) != gen(u.wish.gens, s.Sheet) {
			delete(u.have, s)
		}
	}
}

// gen is the generation of a sheet, a byte.
func gen(gens []int, sheet int) byte {
	if sheet < len(gens) {
		return byte(gens[sheet])
	}
	return 0
}

// newer reports whether something changed since the pass began.
func (u *pusher) newer() bool { return len(u.v.woken) > 0 }

// look returns what the page's camera sees, small, or nil before it has told.
func (u *pusher) look(p *eval.Program) *eval.Surface {
	if len(u.wish.cards) != 16 {
		return nil
	}
	id := fmt.Sprint(u.wish.cards)
	if u.views[id] == nil {
		clear(u.views)
		clear(u.cards)
		u.views[id] = p.Scene.OnFrame(raster.View(p.Scene.Model, geom.Mat4(u.wish.cards), cardW, cardH), id)
	}
	return u.views[id]
}

// inView returns a test whether the camera sees a tile: whether the middle of a
// triangle that it sees lies there.
func (u *pusher) inView(p *eval.Program) func(eval.Tile) bool {
	view := u.look(p)
	if view == nil {
		return func(eval.Tile) bool { return false }
	}
	const grid = 64
	type cell struct{ sheet, x, y int }
	seen := map[cell]bool{}
	m := p.Scene.Model
	for _, t := range view.Frame().Tri {
		if t < 0 {
			continue
		}
		var mid geom.Vec2
		for _, v := range m.Tri[t] {
			mid.X, mid.Y = mid.X+m.UV[v].X/3, mid.Y+m.UV[v].Y/3
		}
		mid = raster.Wrap(mid)
		seen[cell{int(m.TriSheet[t]), int(mid.X * grid), int(mid.Y * grid)}] = true
	}
	return func(t eval.Tile) bool {
		n := max(t.Size/pix.Size, 1) // tiles a side
		span := max(grid/n, 1)
		for y := range span {
			for x := range span {
				if seen[cell{t.Sheet, t.X*grid/n + x, t.Y*grid/n + y}] {
					return true
				}
			}
		}
		return false
	}
}

func (u *pusher) key(p *eval.Program, t *eval.Surface, kind int) eval.Key {
	mix := func(cs ...stack.Channel) eval.Key {
		var k eval.Key
		for _, c := range cs {
			x := p.Key(t, c)
			k.Hi, k.Lo = k.Hi*31^x.Hi, k.Lo*31^x.Lo
		}
		return k
	}
	switch kind {
	case mapColor:
		return mix(stack.BaseColor, stack.Opacity)
	case mapORM:
		return mix(stack.Occlusion, stack.Roughness, stack.Metallic)
	case mapNormal:
		return p.NormalKey(t)
	case mapEmissive:
		return mix(stack.Emissive)
	}
	switch u.wish.alone {
	case "", "layer":
		return eval.Key{}
	case "mask":
		return p.MaskKey(t, u.wish.layer)
	case "step":
		layer, id, _ := strings.Cut(u.wish.layer, "/")
		return p.StepKey(t, layer, id)
	}
	if _, ok := p.Doc.Info(stack.Channel(u.wish.alone)); !ok {
		return eval.Key{}
	}
	return mix(stack.Channel(u.wish.alone))
}

// program returns what this page shows: the session's program, or with one layer
// alone that layer and what holds it, at full amount.
func (u *pusher) program() *eval.Program {
	p := u.v.s.shown()
	if u.wish.alone != "layer" || p.Doc.Layer(u.wish.layer) == nil {
		return p
	}
	if u.solo.of != p || u.solo.layer != u.wish.layer {
		u.solo = soloed{p, u.wish.layer, eval.Compile(p.Scene, p.Doc.Alone(u.wish.layer), "", "")}
	}
	return u.solo.p
}

// begin prepares a pass: which keys of the last one still hold.
func (u *pusher) begin(p *eval.Program) {
	wish := u.wish.alone + " " + u.wish.layer
	if box, ok := eval.OnlyStrokes(u.last, p); ok && wish == u.wishK {
		for s := range u.keys {
			if p.Scene.OnTile(s.Tile).Within(box) {
				delete(u.keys, s)
			}
		}
	} else {
		clear(u.keys)
		clear(u.ready)
	}
	u.last, u.wishK = p, wish
}

// pass does one round; it returns early when something newer waits.
func (u *pusher) pass(ctx context.Context) error {
	p := u.program()
	u.begin(p)
	u.clock++
	var full, draft []slot
	for sheet, info := range p.Scene.Model.Sheets {
		if !info.HasUV {
			continue
		}
		size := u.size(p, sheet)
		changed := u.changed(p, sheet, size, mapAlone)
		if slow := u.kept.without(changed, u.keys); len(slow) > draftAbove && size > draftSize {
			draft = append(draft, u.coarser(p, slow, u.rough)...)
		}
		full = append(full, changed...)
		if u.wish.alone != "" && u.wish.alone != "layer" {
			draft = append(draft, u.changed(p, sheet, min(size, 512), mapCount)...)
		}
	}
	began := time.Now()
	if done, err := u.sendAll(ctx, p, draft, true); err != nil || !done {
		return err
	}
	if !u.drafted && len(draft) > 0 {
		u.drafted = true
		u.v.post(Drafted{"drafted"})
	}
	// a stack that is slow to evaluate gets a coarser draft the next time, and a quick one a finer
	if took := time.Since(began); took > 100*time.Millisecond && len(draft) > 0 {
		u.rough = draftQuick
	} else if took < 25*time.Millisecond && len(draft) > draftAbove {
		u.rough = draftSize
	}
	if len(full) > 1 {
		// what waits longest goes first, so that nothing starves; of those, what is in view
		seen := u.inView(p)
		visible := make(map[slot]int, len(full))
		for _, s := range full {
			if !seen(s.Tile) {
				visible[s] = 1
			}
		}
		slices.SortStableFunc(full, func(a, b slot) int {
			return cmp.Or(cmp.Compare(u.have[a].when, u.have[b].when), visible[a]-visible[b])
		})
	}
	// the cards come before much that has to be evaluated, and after what is kept
	many := len(full) == 0 || len(full) > 24
	first := many && (len(full) == 0 || len(u.kept.without(full, u.keys)) > 24)
	if first {
		if err := u.pictures(ctx, p); err != nil {
			return err
		}
	}
	if done, err := u.sendAll(ctx, p, full, false); err != nil || !done {
		return err
	}
	if !many {
		if err := u.pictures(ctx, p); err != nil {
			return err
		}
	}
	u.failures.tell(u)
	if !u.newer() {
		u.v.post(Settled{"settled", max(u.heard, u.wish.n)})
	}
	if many && !first {
		return u.pictures(ctx, p)
	}
	return nil
}

// size returns how many texels a side of a sheet are shown: its own, or fewer when
// the page's camera is too far away to see them.
func (u *pusher) size(p *eval.Program, sheet int) int {
	size := p.Doc.Sheets[p.Scene.Model.Sheets[sheet].Name].Size
	if size == 0 {
		size = 1024
	}
	if sheet < len(u.wish.sizes) {
		for size > max(u.wish.sizes[sheet], pix.Size) {
			size /= 2
		}
	}
	return size
}

// coarser lists the slots of a smaller size that lie over changed ones.
func (u *pusher) coarser(p *eval.Program, changed []slot, size int) []slot {
	var out []slot
	seen := map[slot]bool{}
	for _, c := range changed {
		n := c.Size / size
		s := slot{eval.Tile{Sheet: c.Sheet, Size: size, X: c.X / n, Y: c.Y / n}, c.kind}
		if seen[s] {
			continue
		}
		seen[s] = true
		key, known := u.keys[s]
		if !known {
			key = u.key(p, p.Scene.OnTile(s.Tile), s.kind)
			u.keys[s] = key
		}
		if h, ok := u.have[s]; !ok || h.key != key {
			out = append(out, s)
		}
	}
	return out
}

// changed lists the slots of a sheet whose key is not what the page has. With
// mapAlone the ordinary maps are listed, with mapCount only the extra one.
func (u *pusher) changed(p *eval.Program, sheet, size, until int) []slot {
	var out []slot
	from := 0
	if until == mapCount {
		from = mapAlone
	}
	for _, t := range eval.Tiles(sheet, size) {
		var surface *eval.Surface // one for all maps: they share keys of masks
		for k := from; k < until; k++ {
			s := slot{t, k}
			key, known := u.keys[s]
			if !known {
				if surface == nil {
					surface = p.Scene.OnTile(t)
				}
				key = u.key(p, surface, k)
				u.keys[s] = key
			}
			if h, ok := u.have[s]; !ok || h.key != key {
				out = append(out, s)
			}
		}
	}
	return out
}

func (u *pusher) sendAll(ctx context.Context, p *eval.Program, slots []slot, draft bool) (bool, error) {
	const batch = 8
	for at := 0; at < len(slots); at += batch {
		some := slots[at:min(at+batch, len(slots))]
		got := u.kept.fetch(ctx, some, u.keys)
		g, gctx := par.WithContext(ctx)
		g.SetLimit(2)
		for _, s := range some {
			g.Go(func() error { return u.sendTile(gctx, p, s, got, draft) })
		}
		if err := g.Wait(); err != nil {
			return false, err
		}
		if u.newer() && at+batch < len(slots) {
			return false, nil
		}
	}
	return true, nil
}

var packed = [mapAlone]string{"base color with opacity", "occlusion roughness metallic", "normal", "emissive"}

// frame evaluates a tile, or takes it as it was kept; nil where no surface is.
func (u *pusher) frame(
	ctx context.Context,
	p *eval.Program,
	s slot,
	key eval.Key,
	got map[string][]byte,
	draft bool,
) ([]byte, error) {
	if b, ok := got[u.kept.name(s, key)]; ok && s.kind < mapAlone {
		return b, nil
	}
	t := p.Scene.OnTile(s.Tile)
	if t.Empty() {
		if s.kind < mapAlone {
			u.kept.add(s, key, nil)
		}
		return nil, nil
	}
	var planes []pix.Plane
	ctx, passed := eval.PassOver(ctx)
	err := guarded("tile", func() (err error) { planes, err = u.planes(ctx, p, t, s.kind); return err })
	if err != nil {
		return nil, err
	}
	b := encodeTile(t.Frame(), s, planes, draft)
	if u.failures.note(s, passed.List()); s.kind < mapAlone && u.wish.alone != "layer" && len(passed.List()) == 0 {
		u.kept.add(s, key, b)
	}
	return b, nil
}

func (u *pusher) sendTile(ctx context.Context, p *eval.Program, s slot, got map[string][]byte, draft bool) error {
	u.mu.Lock()
	key := u.keys[s]
	u.mu.Unlock()
	b, err := u.frame(ctx, p, s, key, got, draft)
	if err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		// the whole tile: it is told with what else failed, and not tried again until its key changes
		u.failures.note(s, []eval.Failure{{Why: err.Error()}})
		b = nil
	}
	if len(b) > 0 {
		wctx, cancel := context.WithTimeout(ctx, 20*time.Second)
		defer cancel()
		b = withGen(b, gen(u.wish.gens, s.Sheet))
		if err := u.v.conn.Write(wctx, websocket.MessageBinary, b); err != nil {
			return err
		}
	}
	u.mu.Lock()
	defer u.mu.Unlock()
	u.have[s] = sent{key, u.clock}
	if s.kind == mapAlone {
		return nil
	}
	// a draft overwrites the page's lower mips of the tiles below it, and they overwrite it
	if draft {
		full := u.size(p, s.Sheet)
		n := full / s.Size
		for y := range n {
			for x := range n {
				o := slot{eval.Tile{Sheet: s.Sheet, Size: full, X: s.X*n + x, Y: s.Y*n + y}, s.kind}
				if h, ok := u.have[o]; ok {
					u.have[o] = sent{eval.Key{}, h.when}
				}
			}
		}
	} else if s.Size > draftSize {
		for _, size := range [2]int{draftSize, draftQuick} {
			n := s.Size / size
			delete(u.have, slot{eval.Tile{Sheet: s.Sheet, Size: size, X: s.X / n, Y: s.Y / n}, s.kind})
		}
	}
	return nil
}

func (u *pusher) planes(ctx context.Context, p *eval.Program, t *eval.Surface, kind int) ([]pix.Plane, error) {
	if kind < mapAlone {
		m, _ := deliver.Find(packed[kind])
		return deliver.Planes(ctx, p, t, m)
	}
	if u.wish.alone == "mask" {
		m, err := p.Mask(ctx, t, u.wish.layer)
		return []pix.Plane{m, m, m}, err
	}
	if u.wish.alone == "step" {
		layer, id, _ := strings.Cut(u.wish.layer, "/")
		v, err := p.Step(ctx, t, layer, id)
		switch len(v) {
		case 0:
			return []pix.Plane{{}, {}, {}}, err
		case 1:
			v = []pix.Plane{v[0], v[0], v[0]}
		}
		return v, err
	}
	v, err := deliver.Shown(ctx, p, t, stack.Channel(u.wish.alone))
	if err == nil && len(v) == 1 {
		v = []pix.Plane{v[0], v[0], v[0]}
	}
	return v, err
}

// withGen returns a frame that is marked as made for a generation; the frame itself is
// kept, and is the same for all.
func withGen(b []byte, g byte) []byte {
	if b[10] == g {
		return b
	}
	b = slices.Clone(b)
	b[10] = g
	return b
}

// tileHead is how many bytes come before a tile's texels.
const tileHead = 11

// encodeTile writes: 1, sheet, map, flags (1 even, 2 draft), then size, x, y as
// little-endian 16 bit, the sheet's generation, then RGBA bytes: 128 × 128 of them, or one when even.
// Texels that stand for nothing get the mean of the others, so that mips stay
// clean.
func encodeTile(f *raster.Frame, s slot, planes []pix.Plane, draft bool) []byte {
	flags := byte(1)
	for _, p := range planes {
		if !p.Uniform() {
			flags = 0
		}
	}
	n := pix.Size * pix.Size
	if flags == 1 {
		n = 1
	}
	out := make([]byte, tileHead+4*n)
	out[0], out[1], out[2] = 1, byte(s.Sheet), byte(s.kind)
	if draft {
		flags |= 2
	}
	out[3] = flags
	binary.LittleEndian.PutUint16(out[4:], uint16(s.Size))
	binary.LittleEndian.PutUint16(out[6:], uint16(s.X))
	binary.LittleEndian.PutUint16(out[8:], uint16(s.Y))
	body := out[tileHead:]
	var sum [4]int
	count := 0
	for k := range n {
		i := (k/pix.Size+pix.Margin)*pix.Pitch + k%pix.Size + pix.Margin
		body[k*4+3] = 255
		if n > 1 && f.Tri[i] < 0 {
			continue
		}
		count++
		for c, p := range planes {
			b := pix.Byte(p.At(i))
			body[k*4+c] = b
			sum[c] += int(b)
		}
	}
	if count == 0 || n == 1 {
		return out
	}
	for k := range n {
		if i := (k/pix.Size+pix.Margin)*pix.Pitch + k%pix.Size + pix.Margin; f.Tri[i] < 0 {
			for c := range planes {
				body[k*4+c] = byte(sum[c] / count)
			}
		}
	}
	return out
}

// The cards' pictures are what the page's camera sees, small.
const cardW, cardH = 132, 72

// pictures sends the masks of all layers and, of the layer that is open, the
// result of each of its streams up to each step, as seen by the page's camera.
func (u *pusher) pictures(ctx context.Context, p *eval.Program) error {
	view := u.look(p)
	if view == nil {
		return nil
	}
	type card struct{ layer, step string }
	var list []card
	if l := p.Doc.Layer(u.wish.focus); l != nil {
		l.EachStep(func(s *stack.Step) { list = append(list, card{l.ID, s.ID}) })
	}
	p.Doc.Walk(func(l *stack.Layer, _ []*stack.Layer) { list = append(list, card{l.ID, ""}) })
	for _, c := range list {
		if err := u.picture(ctx, p, view, c.layer, c.step); err != nil {
			return err
		}
		if u.newer() {
			return nil
		}
	}
	return nil
}

// picture sends one card when it has changed: 2, the length of its name, width and
// height as little-endian 16 bit, the components (1 or 3), the name, then the
// components of each texel. 0 is kept for what is not the model.
func (u *pusher) picture(ctx context.Context, p *eval.Program, view *eval.Surface, layer, step string) error {
	name, key := layer, p.MaskKey(view, layer)
	if step != "" {
		name, key = layer+"/"+step, p.StepKey(view, layer, step)
	}
	if len(name) > 255 || u.cards[name] == key {
		return nil
	}
	var v []pix.Plane
	var err error
	ctx, passed := eval.PassOver(ctx)
	if step != "" {
		v, err = p.Step(ctx, view, layer, step)
	} else {
		var m pix.Plane
		m, err = p.Mask(ctx, view, layer)
		v = []pix.Plane{m}
	}
	if err != nil || len(v) == 0 {
		if ctx.Err() == nil && step != "" && err != nil {
			u.v.post(StepFailed{"step.error", name, err.Error()})
		}
		return nil
	}
	f := view.Frame()
	head := 7 + len(name)
	out := make([]byte, head+len(v)*cardW*cardH)
	out[0], out[1], out[6] = 2, byte(len(name)), byte(len(v))
	binary.LittleEndian.PutUint16(out[2:], cardW)
	binary.LittleEndian.PutUint16(out[4:], cardH)
	copy(out[7:], name)
	for i, t := range f.Tri {
		if t < 0 {
			continue
		}
		for c, q := range v {
			out[head+i*len(v)+c] = 1 + byte(float32(pix.Byte(q.At(i)))*254/255)
		}
	}
	u.cards[name] = key
	wctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	if err := u.v.conn.Write(wctx, websocket.MessageBinary, out); err != nil {
		return err
	}
	for _, x := range passed.List() { // after its picture, which takes an older one back
		if x.Step == step && step != "" {
			return u.v.send(ctx, StepFailed{"step.error", name, x.Why})
		}
	}
	return nil
}
