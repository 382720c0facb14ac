package live

import (
	"cmp"
	"context"
	"encoding/binary"
	"fmt"
	"slices"
	"sync"
	"time"

	"velvetgrime/core/deliver"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"

	"github.com/coder/websocket"
	"golang.org/x/sync/errgroup"
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

func evalCompile(s *Session, d *stack.Document) *eval.Program {
	return eval.Compile(s.Scene, d, "", "")
}

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
	mu    sync.Mutex
	cards map[string]eval.Key
}

func newPusher(v *viewer) *pusher {
	return &pusher{v: v, have: map[slot]sent{}, views: map[string]*eval.Surface{}, cards: map[string]eval.Key{}}
}

const (
	draftSize  = 256
	draftAbove = 10 // changed tiles from which a draft is worth its own pass
)

func (u *pusher) run(ctx context.Context) error {
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-u.v.woken:
		}
		select {
		case u.wish = <-u.v.want:
		default:
		}
		if err := u.pass(ctx); err != nil {
			return err
		}
	}
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

func (u *pusher) key(p *eval.Program, s slot) eval.Key {
	t := p.Scene.OnTile(s.Tile)
	mix := func(cs ...stack.Channel) eval.Key {
		var k eval.Key
		for _, c := range cs {
			x := p.Key(t, c)
			k.Hi, k.Lo = k.Hi*31^x.Hi, k.Lo*31^x.Lo
		}
		return k
	}
	switch s.kind {
	case mapColor:
		return mix(stack.BaseColor, stack.Opacity)
	case mapORM:
		return mix(stack.Occlusion, stack.Roughness, stack.Metallic)
	case mapNormal:
		return mix(stack.Height)
	case mapEmissive:
		return mix(stack.Emissive)
	}
	switch u.wish.alone {
	case "height":
		return mix(stack.Height)
	case "mask":
		return p.MaskKey(t, u.wish.layer)
	}
	return eval.Key{}
}

// pass does one round; it returns early when something newer waits.
func (u *pusher) pass(ctx context.Context) error {
	p := u.v.s.shown()
	u.clock++
	var full, draft []slot
	for sheet, info := range p.Scene.Model.Sheets {
		if !info.HasUV {
			continue
		}
		size := p.Doc.Sheets[info.Name].Size
		if size == 0 {
			size = 1024
		}
		changed := u.changed(p, sheet, size, mapAlone)
		if len(changed) > draftAbove && size > draftSize {
			draft = append(draft, u.changed(p, sheet, draftSize, mapAlone)...)
		}
		full = append(full, changed...)
		if u.wish.alone != "" {
			draft = append(draft, u.changed(p, sheet, min(size, 512), mapCount)...)
		}
	}
	if done, err := u.sendAll(ctx, p, draft, true); err != nil || !done {
		return err
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
	if len(full) > 24 || len(full) == 0 {
		if err := u.pictures(ctx, p); err != nil {
			return err
		}
	}
	if done, err := u.sendAll(ctx, p, full, false); err != nil || !done {
		return err
	}
	if len(full) > 0 && len(full) <= 24 {
		if err := u.pictures(ctx, p); err != nil {
			return err
		}
	}
	if !u.newer() {
		u.v.send(map[string]any{"t": "settled"})
	}
	return nil
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
		for k := from; k < until; k++ {
			s := slot{t, k}
			if h, ok := u.have[s]; !ok || h.key != u.key(p, s) {
				out = append(out, s)
			}
		}
	}
	return out
}

func (u *pusher) sendAll(ctx context.Context, p *eval.Program, slots []slot, draft bool) (bool, error) {
	const batch = 8
	for at := 0; at < len(slots); at += batch {
		g, gctx := errgroup.WithContext(ctx)
		g.SetLimit(2)
		for _, s := range slots[at:min(at+batch, len(slots))] {
			g.Go(func() error { return u.sendTile(gctx, p, s, draft) })
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

func (u *pusher) sendTile(ctx context.Context, p *eval.Program, s slot, draft bool) error {
	t := p.Scene.OnTile(s.Tile)
	key := u.key(p, s)
	if !t.Empty() {
		planes, err := u.planes(ctx, p, t, s.kind)
		if err != nil {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			u.v.send(map[string]any{"t": "error", "message": err.Error()})
			return nil
		}
		wctx, cancel := context.WithTimeout(ctx, 20*time.Second)
		defer cancel()
		if err := u.v.conn.Write(wctx, websocket.MessageBinary, encodeTile(t.Frame(), s, planes, draft)); err != nil {
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
		full := p.Doc.Sheets[p.Scene.Model.Sheets[s.Sheet].Name].Size
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
		n := s.Size / draftSize
		delete(u.have, slot{eval.Tile{Sheet: s.Sheet, Size: draftSize, X: s.X / n, Y: s.Y / n}, s.kind})
	}
	return nil
}

func (u *pusher) planes(ctx context.Context, p *eval.Program, t *eval.Surface, kind int) ([]pix.Plane, error) {
	if kind < mapAlone {
		m, _ := deliver.Find(packed[kind])
		return deliver.Planes(ctx, p, t, m)
	}
	if u.wish.alone == "mask" {
		m, err := p.Mask(ctx, t, u.wish.layer, -1)
		return []pix.Plane{m, m, m}, err
	}
	m, _ := deliver.Find("height")
	h, err := deliver.Planes(ctx, p, t, m)
	if err != nil {
		return nil, err
	}
	return []pix.Plane{h[0], h[0], h[0]}, nil
}

// encodeTile writes: 1, sheet, map, flags (1 even, 2 draft), then size, x, y as
// little-endian 16 bit, then RGBA bytes: 128 × 128 of them, or one when even.
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
	out := make([]byte, 10+4*n)
	out[0], out[1], out[2] = 1, byte(s.Sheet), byte(s.kind)
	if draft {
		flags |= 2
	}
	out[3] = flags
	binary.LittleEndian.PutUint16(out[4:], uint16(s.Size))
	binary.LittleEndian.PutUint16(out[6:], uint16(s.X))
	binary.LittleEndian.PutUint16(out[8:], uint16(s.Y))
	body := out[10:]
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

// pictures sends the mask of every layer and, up to each step, of its stream, as
// seen by the page's camera.
func (u *pusher) pictures(ctx context.Context, p *eval.Program) error {
	view := u.look(p)
	if view == nil {
		return nil
	}
	for i := len(p.Doc.Layers) - 1; i >= 0; i-- {
		l := p.Doc.Layers[i]
		for k := len(l.Mask); k >= 0; k-- {
			name := l.ID
			if k < len(l.Mask) {
				if k == 0 {
					continue
				}
				name = l.ID + "/" + l.Mask[k-1].ID
			} else if k > 0 {
				if err := u.picture(ctx, p, view, l.ID+"/"+l.Mask[k-1].ID, l, k); err != nil {
					return err
				}
			}
			if err := u.picture(ctx, p, view, name, l, k); err != nil {
				return err
			}
			if u.newer() {
				return nil
			}
		}
	}
	return nil
}

func (u *pusher) picture(ctx context.Context, p *eval.Program, view *eval.Surface, name string, l *stack.Layer, upTo int) error {
	short := *l
	short.Mask = l.Mask[:upTo]
	key := eval.Compile(p.Scene, &stack.Document{Layers: []*stack.Layer{&short}}, "", "").MaskKey(view, l.ID)
	if u.cards[name] == key {
		return nil
	}
	m, err := p.Mask(ctx, view, l.ID, upTo)
	if err != nil {
		return nil // the error is told with the tiles
	}
	f := view.Frame()
	out := make([]byte, 6+len(name)+cardW*cardH)
	out[0], out[1] = 2, byte(len(name))
	binary.LittleEndian.PutUint16(out[2:], cardW)
	binary.LittleEndian.PutUint16(out[4:], cardH)
	copy(out[6:], name)
	body := out[6+len(name):]
	for i, t := range f.Tri {
		if t >= 0 { // 0 is kept for what is not the model
			body[i] = 1 + byte(float32(pix.Byte(m.At(i)))*254/255)
		}
	}
	u.cards[name] = key
	wctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	return u.v.conn.Write(wctx, websocket.MessageBinary, out)
}
