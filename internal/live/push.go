package live

import (
	"cmp"
	"context"
	"log"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"velvetgrime/core/deliver"
	"velvetgrime/core/eval"
	"velvetgrime/core/par"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"

	"github.com/coder/websocket"
)

// The maps that a page holds for each sheet.
const (
	mapColor = iota // base color and opacity
	mapORM
	mapNormal
	mapEmissive
	mapAlone // height or a mask, when asked for
	mapClear // specular, coat, its roughness, transmission, of a project that has one of them
	mapSoft  // fuzz, scattering, anisotropy, likewise
	mapCount
)

// beyond are the channels of the last two.
var beyond = map[int][]stack.Channel{
	mapClear: {stack.Specular, stack.CoatWeight, stack.CoatRoughness, stack.Transmission},
	mapSoft:  {stack.Fuzz, stack.Scattering, stack.Anisotropy},
}

// packs are the channels of the others but the last alone.
var packs = [mapAlone][]stack.Channel{
	mapColor:    {stack.BaseColor, stack.Opacity},
	mapORM:      {stack.Occlusion, stack.Roughness, stack.Metallic},
	mapNormal:   {stack.Height, stack.Normal},
	mapEmissive: {stack.Emissive},
}

// made lists the channels of which some maps are made.
func made(maps []slot) (out []stack.Channel) {
	for _, s := range maps {
		if s.kind < mapAlone {
			out = append(out, packs[s.kind]...)
		}
		out = append(out, beyond[s.kind]...)
	}
	return out
}

// has reports whether a document has any of some channels.
func has(d *stack.Document, list []stack.Channel) bool {
	return slices.ContainsFunc(list, func(c stack.Channel) bool { _, ok := d.Info(c); return ok })
}

// kept reports whether a map is one of the surface, which is kept beyond this page.
func kept(kind int) bool { return kind != mapAlone }

// slot is one map of one tile.
type slot struct {
	surface.Tile
	kind int
}

// sent is what a page was sent: of which content, in which pass, and as which of its tiles.
type sent struct {
	key    eval.Key
	when   int64
	number int64
}

// pusher brings what a page holds to the shown program: where much changed coarser tiles
// first, then tile by tile, those that wait longest first. A newer program is taken up after
// the next few tiles, so a fast hand can neither starve a tile nor queue up work. Nothing is
// evaluated that the page does not see.
type pusher struct {
	v     *viewer
	have  map[slot]sent
	clock int64
	wish  wish
	views map[string]*surface.Surface
	wait  bool // until the page has told what it sees
	mu    sync.Mutex
	line  sync.Mutex // of the tiles, so that they are counted in the order in which they go
	count int64      // tiles that went
	cards map[string]eval.Key

	// the keys of the program that the last pass showed: those of tiles that a
	// stroke did not touch are not asked for again
	last  *eval.Program
	keys  map[slot]eval.Key
	wishK string
	solo  soloed
	// the page has something to show everywhere, be it coarse
	drafted bool
	ready   map[surface.Tile]bool // where a stroke on readyOf finds what it needs
	readyOf string
	heard   int64  // up to which request of the page this pass goes
	showed  int64  // and up to which it was told that tiles go
	coming  soloed // the pen hovers over another layer than the one under edit
	store   *tileStore

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
		views: map[string]*surface.Surface{},
		cards: map[string]eval.Key{},
		keys:  map[slot]eval.Key{},
		ready: map[surface.Tile]bool{},
		store: newTileStore(v.s.hub.Store, v.s.ID),
	}
}

const (
	draftSize  = 256 // of whom never told what he sees
	draftQuick = 128
	draftAbove = 10 // changed tiles from which coarser ones come first
	tellAbove  = 4  // and from which the page is told how many come
)

func (u *pusher) run(ctx context.Context) error {
	u.store.load(ctx)
	keep := func() {
		if err := u.store.keep(u.have); err != nil {
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
			u.wish = w
			u.forgetDropped()
		default:
		}
		if u.wait && !u.wish.told {
			u.foresee(ctx)
			continue
		}
		if err := u.busy(ctx); err != nil {
			return err
		}
		u.ahead(ctx)
	}
}

// busy does a pass, and says meanwhile that somebody waits for it.
func (u *pusher) busy(ctx context.Context) error {
	u.v.s.hub.drawing.Add(1)
	defer func() {
		u.v.s.hub.drawn.Store(time.Now().UnixMilli())
		u.v.s.hub.drawing.Add(-1)
	}()
	return u.pass(ctx)
}

// newer reports whether something changed since the pass began.
func (u *pusher) newer() bool { return len(u.v.woken) > 0 }

// siblings waits, a picture of a line-up, while others of the project have nothing to show yet:
// all are compared before one is made finer. Ten seconds end it. False: something newer waits.
func (u *pusher) siblings(ctx context.Context) bool {
	const often = 20 * time.Millisecond
	for waited := time.Duration(0); u.v.aside && u.v.s.bare.Load() > 0 && waited < 10*time.Second; waited += often {
		if u.newer() || ctx.Err() != nil {
			return false
		}
		time.Sleep(often)
	}
	return true
}

func (u *pusher) key(p *eval.Program, t *surface.Surface, kind int) eval.Key {
	mix := func(cs ...stack.Channel) eval.Key {
		var k eval.Key
		for _, c := range cs {
			x := p.Key(t, c)
			k.Hi, k.Lo = k.Hi*31^x.Hi, k.Lo*31^x.Lo
		}
		return k
	}
	p = p.For(*t.Tile)
	switch kind {
	case mapColor, mapORM, mapEmissive:
		return mix(packs[kind]...)
	case mapNormal:
		return p.NormalKey(t)
	case mapClear, mapSoft:
		return mix(slices.DeleteFunc(slices.Clone(beyond[kind]), func(c stack.Channel) bool { return !has(p.Doc, []stack.Channel{c}) })...)
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
	if own := u.v.own.Load(); own != nil {
		return own
	}
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
	want := u.wanted(p)
	changed := u.changed(p, want.seen)
	if err := u.shows(ctx, false); err != nil {
		return err
	}
	slow := u.store.missing(changed, u.keys)
	u.order(changed, want)
	var later []slot // the coarser ones, when finer ones come first
	if len(slow) > draftAbove {
		slices.SortStableFunc(changed, func(a, b slot) int { return u.rank(a, want) - u.rank(b, want) })
	} else {
		changed, later = apart(changed, want)
	}
	if len(changed) > tellAbove {
		flags := byte(0)
		if len(slow) > draftAbove {
			flags = flagCoarser
		}
		if err := u.write(ctx, encodeComing(append(slices.Clone(changed), later...), flags)); err != nil {
			return err
		}
	}
	drafted := func() {
		if !u.drafted {
			u.drafted = true
			u.v.shown()
			u.v.post(Drafted{"drafted"})
		}
	}
	for len(changed) > 0 && want.over[changed[0].Tile] { // a size after the other
		n := 1
		for n < len(changed) && changed[n].Size == changed[0].Size {
			n++
		}
		if done, err := u.sendAll(ctx, p, changed[:n]); err != nil || !done {
			return err
		}
		drafted()
		changed = changed[n:]
		if !u.siblings(ctx) {
			return nil
		}
	}
	// the cards come before much that has to be evaluated, and after what is kept
	many := len(changed) == 0 || len(changed) > 24
	first := many && (len(changed) == 0 || len(u.store.missing(changed, u.keys)) > 24)
	if first {
		if err := u.pictures(ctx, p); err != nil {
			return err
		}
	}
	if u.drafted && len(slow) > 0 && !u.siblings(ctx) {
		return nil
	}
	if done, err := u.sendAll(ctx, p, append(changed, later...)); err != nil || !done {
		return err
	}
	drafted()
	if err := u.shows(ctx, true); err != nil {
		return err
	}
	if !many {
		if err := u.pictures(ctx, p); err != nil {
			return err
		}
	}
	u.failures.tell(u)
	if err := u.outdate(ctx, p, want.aside); err != nil {
		return err
	}
	if !u.newer() {
		u.v.post(Settled{"settled", max(u.heard, u.wish.n)})
	}
	if many && !first {
		return u.pictures(ctx, p)
	}
	return nil
}

// shows tells the page up to which of its requests the tiles go that follow; with all, that
// every one which it sees does.
func (u *pusher) shows(ctx context.Context, all bool) error {
	if u.heard == u.showed && !all {
		return nil
	}
	u.showed = u.heard
	return u.write(ctx, encodeShows(u.heard, all))
}

// order sorts slots: what waits longest goes first, so that nothing starves; of those, in the
// order of what is wanted.
func (u *pusher) order(slots []slot, want wanted) {
	at := make(map[surface.Tile]int, len(want.seen))
	for i, t := range want.seen {
		at[t] = i
	}
	slices.SortStableFunc(slots, func(a, b slot) int {
		return cmp.Or(cmp.Compare(u.have[a].when, u.have[b].when), at[a.Tile]-at[b.Tile])
	})
}

// rank is 0 for the finest tiles of a place at the end, and less the coarser a tile is.
func (u *pusher) rank(s slot, want wanted) int {
	if !want.over[s.Tile] {
		return 0
	}
	return s.Size - 2*maxSize
}

// apart parts the finest tiles of each place from those over them.
func apart(slots []slot, want wanted) (fine, over []slot) {
	for _, s := range slots {
		if want.over[s.Tile] {
			over = append(over, s)
		} else {
			fine = append(fine, s)
		}
	}
	return
}

// outdate tells the page which of the tiles that it does not see are out of date, and forgets
// them: it asks for them when it sees them.
func (u *pusher) outdate(ctx context.Context, p *eval.Program, aside []surface.Tile) error {
	var held []surface.Tile
	for _, t := range aside {
		for k := range mapCount {
			if _, there := u.have[slot{t, k}]; there {
				held = append(held, t)
				break
			}
		}
	}
	gone := u.changed(p, held)
	if len(gone) == 0 {
		return nil
	}
	for _, s := range gone {
		delete(u.have, s)
	}
	return u.write(ctx, encodeComing(gone, flagDropped))
}

// changed lists the slots of tiles whose key is not what the page has.
func (u *pusher) changed(p *eval.Program, tiles []surface.Tile) []slot {
	var out []slot
	kinds := []int{mapColor, mapORM, mapNormal, mapEmissive}
	if u.wish.alone != "" && u.wish.alone != "layer" {
		kinds = append(kinds, mapAlone)
	}
	for _, k := range []int{mapClear, mapSoft} {
		if has(p.Doc, beyond[k]) {
			kinds = append(kinds, k)
		}
	}
	for _, t := range tiles {
		if !p.Scene.Model.Sheets[t.Sheet].HasUV {
			continue
		}
		var surface *surface.Surface // one for all maps: they share keys of masks
		for _, k := range kinds {
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

// sendAll sends slots, a tile with all its maps after the other: they share most of what they
// are made from. False: something newer waits.
func (u *pusher) sendAll(ctx context.Context, p *eval.Program, slots []slot) (bool, error) {
	tiles := byTile(slots)
	batch := runtime.GOMAXPROCS(0)
	for len(tiles) > 0 {
		some := tiles[:min(batch, len(tiles))]
		tiles = tiles[len(some):]
		got := u.store.fetch(ctx, slices.Concat(some...), u.keys)
		g, gctx := par.WithContext(ctx)
		if len(some) < batch { // not enough tiles for all cores: their maps side by side, and masks ahead of them
			for _, maps := range some {
				if channels := made(u.store.missing(maps, u.keys)); len(channels) > 0 {
					g.Go(func() error {
						ctx, _ := eval.PassOver(gctx)
						p.For(maps[0].Tile).Masks(ctx, p.Scene.OnTile(maps[0].Tile), channels)
						return nil
					})
				}
			}
			some = halves(some)
		}
		for _, maps := range some {
			g.Go(func() error {
				for _, s := range maps {
					if err := u.sendTile(gctx, p, s, got); err != nil {
						return err
					}
				}
				return nil
			})
		}
		if err := g.Wait(); err != nil {
			return false, err
		}
		if u.newer() && len(tiles) > 0 {
			return false, nil
		}
	}
	return true, nil
}

// halves parts the maps of each tile in two.
func halves(tiles [][]slot) (out [][]slot) {
	for _, maps := range tiles {
		half := (len(maps) + 1) / 2
		out = append(out, maps[:half], maps[half:])
	}
	return out
}

// write sends bytes to the page.
func (u *pusher) write(ctx context.Context, b []byte) error {
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	return u.v.conn.Write(ctx, websocket.MessageBinary, b)
}

var packed = [mapAlone]string{"base color with opacity", "occlusion roughness metallic", "normal", "emissive"}

// frame evaluates a tile, or takes it as it was kept; nil where no surface is.
func (u *pusher) frame(
	ctx context.Context,
	p *eval.Program,
	s slot,
	key eval.Key,
	got map[string][]byte,
) ([]byte, error) {
	if b, ok := got[u.store.name(s, key)]; ok && kept(s.kind) {
		return b, nil
	}
	t := p.Scene.OnTile(s.Tile)
	if t.Empty() {
		if kept(s.kind) {
			u.store.add(s, key, nil)
		}
		return nil, nil
	}
	var planes []pix.Plane
	ctx, passed := eval.PassOver(ctx)
	err := guarded("tile", func() (err error) { planes, err = u.planes(ctx, p, t, s.kind); return err })
	if err != nil {
		return nil, err
	}
	b := encodeTile(t.Frame(), s, planes)
	if u.failures.note(s, passed.List()); kept(s.kind) && u.wish.alone != "layer" && !u.v.aside &&
		len(passed.List()) == 0 {
		u.store.add(s, key, b)
	}
	return b, nil
}

func (u *pusher) sendTile(ctx context.Context, p *eval.Program, s slot, got map[string][]byte) error {
	u.mu.Lock()
	key := u.keys[s]
	u.mu.Unlock()
	b, err := u.frame(ctx, p, s, key, got)
	if err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		// the whole tile: it is told with what else failed, and not tried again until its key changes
		u.failures.note(s, []eval.Failure{{Why: err.Error()}})
		b = nil
	}
	number := int64(0)
	if len(b) > 0 {
		u.line.Lock()
		u.count++
		number = u.count
		err := u.write(ctx, b)
		u.line.Unlock()
		if err != nil {
			return err
		}
	}
	u.mu.Lock()
	defer u.mu.Unlock()
	u.have[s] = sent{key, u.clock, number}
	return nil
}

// byTile puts the maps of each tile together, in the order in which the tiles come first.
func byTile(slots []slot) (tiles [][]slot) {
	at := map[surface.Tile]int{}
	for _, s := range slots {
		i, known := at[s.Tile]
		if !known {
			i = len(tiles)
			at[s.Tile] = i
			tiles = append(tiles, nil)
		}
		tiles[i] = append(tiles[i], s)
	}
	return tiles
}

func (u *pusher) planes(ctx context.Context, p *eval.Program, t *surface.Surface, kind int) ([]pix.Plane, error) {
	p = p.For(*t.Tile)
	if list := beyond[kind]; list != nil {
		out := make([]pix.Plane, len(list))
		for i, c := range list {
			if m, _ := stack.MoreInfo(c); !has(p.Doc, list[i:i+1]) {
				out[i] = pix.Plane{Value: m.Default[0]}
				continue
			}
			v, err := p.Channel(ctx, t, c)
			if err != nil {
				return nil, err
			}
			out[i] = v[0]
		}
		return out, nil
	}
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
