package live

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/par"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"

	"github.com/coder/websocket"
	"github.com/google/uuid"
)

// viewer is one page that looks at a project.
type viewer struct {
	s     *Session
	actor string
	conn  *websocket.Conn
	woken chan struct{}

	// owned by the session's goroutine
	preview  *stack.Op
	stroke   *stack.Op // stroke.add with the points so far
	doing    int64     // the number of the request under way
	strokeID string    // under which the page knows that stroke
	had      int       // of its points, how many are kept already
	ways     string    // what a stroke that takes from the other side leaves there: as it is, flip or exchange

	want  chan wish // newest wins
	posts chan any  // small messages, in their order
	docs  docs
	push  *pusher
	end   context.CancelFunc // cuts the line

	hovers chan struct{} // the pen is over another place
	done   atomic.Int64  // the number of the last request that the shown program holds
	penMu  sync.Mutex
	pen    *pen // nil: not seen yet
}

// wish is what the page wants to see besides the maps.
type wish struct {
	cards []float64 // view-projection of the cards' camera, 16 numbers
	// alone is "", "mask", "step" (layer is layer/step), "layer" (that layer shown without the others), or a
	// channel that the page has no map of
	alone string
	layer string
	focus string // the layer whose steps are shown on cards
	// texels a side that the page can show of each sheet from where its camera is;
	// more are sent when it comes nearer
	sizes []int
	// generations of what the page holds of each sheet: a page that makes a sheet's
	// textures anew tells another one, and holds nothing of the sheet then
	gens []int
	n    int64 // of the last request that asked for finer sizes
}

func (v *viewer) wake() {
	select {
	case v.woken <- struct{}{}:
	default:
	}
}

// mostPosts is how many small messages may wait for a page; one that reads none of so many
// is let go, and comes back.
const mostPosts = 1024

// Serve speaks with one page until the connection ends. With wait no tile is sent
// before the page has told how many texels it can show: it would have to drop them.
// ErrClosed: the session has ended.
func (s *Session) Serve(ctx context.Context, conn *websocket.Conn, actor string, wait bool) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	conn.SetReadLimit(8 << 20)
	v := &viewer{s: s, actor: actor, conn: conn, woken: make(chan struct{}, 1), hovers: make(chan struct{}, 1), want: make(chan wish, 1), posts: make(chan any, mostPosts), end: cancel}
	v.docs.woken = make(chan struct{}, 1)
	v.push = newPusher(v)
	v.push.wait = wait
	s.seen.Add(1)
	defer s.seen.Add(-1)
	if err := s.do(func() { s.greet(v) }); err != nil {
		return err
	}
	defer func() {
		_ = s.do(func() {
			s.cut(v)
			delete(s.viewers, v)
			s.tell()
			s.refresh()
		})
	}()
	serve := func(what string, f func() error) {
		go func() {
			defer cancel()
			if err := par.Contain(f); err != nil && ctx.Err() == nil {
				told(fmt.Sprintf("project %q: %s", s.Name, what), err)
				_ = conn.Close(websocket.StatusInternalError, what+" stopped")
			}
		}()
	}
	serve("drawing", func() error { return v.push.run(ctx) })
	serve("telling", func() error { return v.write(ctx) })
	var w wish
	for {
		_, data, err := conn.Read(ctx)
		if err != nil {
			return err
		}
		var r Request
		if err := json.Unmarshal(data, &r); err != nil {
			v.post(Refused{T: "error", Message: "the message is not readable: " + err.Error()})
			continue
		}
		if r.T == "view" && (len(r.VP) == 16 || len(r.VP) == 0) || r.T == "alone" || r.T == "focus" {
			w = w.with(r)
			v.wish(w)
			continue
		}
		if err := v.carryOut(ctx, r); err != nil {
			return err
		}
	}
}

// with is a wish after a message that changes it.
func (w wish) with(r Request) wish {
	switch r.T {
	case "view":
		w.cards, w.sizes, w.gens, w.n = r.VP, r.Sizes, r.Gens, max(w.n, r.N)
	case "alone":
		w.alone, w.layer = r.Kind, r.Layer
	case "focus":
		w.focus = r.Layer
	}
	return w
}

// greet takes a page in.
func (s *Session) greet(v *viewer) {
	s.viewers[v] = true
	s.tell()
	s.tellWork()
	if d, err := s.clip(v.actor); err == nil && d != nil {
		names := []string{}
		for _, l := range d.Layers {
			names = append(names, l.Name)
		}
		v.post(Clip{"clip", names})
	}
	s.refresh()
}

// write sends the page what waits for it.
func (v *viewer) write(ctx context.Context) error {
	for {
		var m any
		select {
		case <-ctx.Done():
			return nil
		case m = <-v.posts:
		case <-v.docs.woken:
			d := v.docs.take()
			if d == nil {
				continue
			}
			m = d
		}
		if err := v.send(ctx, m); err != nil {
			return err
		}
	}
}

// carryOut does what a page asks for and answers; its error is that the session has ended.
func (v *viewer) carryOut(ctx context.Context, r Request) error {
	answer := func(err error) {
		switch {
		case err != nil:
			v.post(Refused{T: "error", ID: r.ID, Message: err.Error(), Again: Passing(err)})
		case r.ID != 0:
			v.post(Ack{"ack", r.ID})
		}
	}
	switch r.T {
	case "drill", "edge", "pick": // they change nothing, and need not wait for what does
		answer(guarded(r.T, func() error { return v.look(ctx, r) }))
		return nil
	}
	return v.s.do(func() {
		v.doing = max(v.doing, r.N)
		// "settled" may tell of what is drawn only after this answer, so it goes first
		answer(guarded(r.T, func() error { return v.handle(r) }))
		if v.done.Load() < v.doing { // it was refused, and nothing else came of it
			v.done.Store(v.doing)
			v.wake()
		}
	})
}

// look answers a question about a place.
func (v *viewer) look(ctx context.Context, r Request) error {
	switch r.T {
	case "drill":
		return v.drill(ctx, r)
	case "edge":
		v.edge(r)
		return nil
	}
	return v.pick(ctx, r)
}

func (v *viewer) wish(w wish) {
	select {
	case <-v.want:
	default:
	}
	v.want <- w
	v.wake()
}

func (v *viewer) send(ctx context.Context, m any) error {
	b, err := json.Marshal(m)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	return v.conn.Write(ctx, websocket.MessageText, b)
}

// post queues a small message. A page that reads none of very many is let go.
func (v *viewer) post(m any) {
	select {
	case v.posts <- m:
	default:
		v.end()
	}
}

// guarded carries out a message. A mistake of ours in it costs that message and not the
// server, with everyone else's work: documents are values, so the last one still stands.
func guarded(what string, f func() error) error {
	err := par.Contain(f)
	if p := (*par.Panic)(nil); errors.As(err, &p) {
		told(fmt.Sprintf("message %q", what), err)
		return fmt.Errorf("the server failed at %q and did not carry it out: %v; nothing else is lost", what, p.Value)
	}
	return err
}

// handle runs in the session's goroutine.
func (v *viewer) handle(r Request) error {
	s := v.s
	changed := true
	var err error
	s.request = r.Request
	defer func() { s.request = "" }()
	switch r.T {
	case "op":
		if r.Op == nil {
			return fmt.Errorf("there is no operation in the message")
		}
		r.Op.Carry(s.strokes)
		v.preview = nil
		err = s.commit(v.actor, "do", 0, *r.Op)
	case "preview":
		changed = false
		v.preview = r.Op
		if r.Op != nil {
			s.hot = r.Op.Target
		}
	case "undo", "redo":
		err = s.back(v.actor, r.T == "redo")
	case "jump":
		err = s.jump(v.actor, r.Seq)
	case "mark":
		err = s.mark(r.Seq, r.Name)
	case "copy":
		changed = false
		var names []string
		if names, err = s.copyLayers(v.actor, r.Layers); err == nil {
			v.post(Clip{"clip", names})
		}
	case "paste":
		err = s.paste(v.actor, r.Parent, r.Index, uuid.NewString)
	case "merge":
		changed = false
		err = s.mergeDown(v.actor, r.Layer, uuid.NewString)
	case "work.cancel":
		changed = false
		if w := s.works[r.Seq]; w != nil {
			w.cancel()
		}
	case "stroke.begin":
		changed = false
		err = v.beginStroke(r)
	case "stroke.add":
		changed = false
		err = v.growStroke(r)
	case "stroke.end":
		err = v.endStroke()
	case "sides":
		changed = r.Kind != "show"
		err = v.sides(r)
	case "stroke.cancel":
		changed = false
		v.cancelStroke()
	case "near":
		v.near(r)
		return nil
	default:
		return fmt.Errorf("the message %q is unknown", r.T)
	}
	s.refresh()
	if changed {
		s.tell()
	}
	return err
}

// likeness finds what the places that a stroke stays in are to be like, where it begins.
func (v *viewer) likeness(r Request) error {
	a := r.Stroke.Alike
	if a == nil || len(a.Value) > 0 {
		return nil
	}
	u, tri := v.s.point(r)
	if tri < 0 {
		return fmt.Errorf("there is no surface at the place that the stroke is to be like")
	}
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	var err error
	a.Value, err = v.s.shown().ShowsAt(ctx, u, r.Layer, r.Step, stack.Channel(a.Channel))
	return err
}

// area is the part, island, sheet or face around the place that a request names, or
// the whole model.
func (s *Session) area(r Request) (*brush.Area, error) {
	m := s.Model()
	on := func(int) bool { return true }
	if r.Within != "all" {
		tri := s.nearest(geom.V3(r.Pos[0], r.Pos[1], r.Pos[2]), geom.V3(r.Nrm[0], r.Nrm[1], r.Nrm[2]))
		if tri < 0 {
			return nil, fmt.Errorf("there is no surface at the place where the stroke begins")
		}
		switch r.Within {
		case "part":
			on = func(i int) bool { return m.TriPart[i] == m.TriPart[tri] }
		case "island":
			on = func(i int) bool { return m.Island[i] == m.Island[tri] }
		case "sheet":
			on = func(i int) bool { return m.TriSheet[i] == m.TriSheet[tri] }
		case "face":
			on = func(i int) bool { return i == int(tri) }
		case "id":
			same, err := s.sameID(r)
			if err != nil {
				return nil, err
			}
			on = func(i int) bool { return same[i] }
		default:
			return nil, fmt.Errorf("a stroke cannot stay within a %q; it can within a part, island, sheet, face, ID colour (id) or all", r.Within)
		}
	}
	return brush.AreaOf(len(m.Tri), on, func(i int) [3]geom.Vec3 {
		return [3]geom.Vec3{m.Pos[m.Tri[i][0]], m.Pos[m.Tri[i][1]], m.Pos[m.Tri[i][2]]}
	}), nil
}

// sameID tells of every face whether the ID map has, in its middle, the colour that it has
// at the place of a request.
func (s *Session) sameID(r Request) ([]bool, error) {
	u, tri := s.point(r)
	p := s.shown()
	var color []float32
	if tri >= 0 {
		var err error
		if color, err = p.IDAt(u); err != nil {
			return nil, err
		}
	}
	if len(color) < 3 {
		return nil, fmt.Errorf("there is no ID colour at that place; bake the ID map, or make one, in Prepare")
	}
	return p.FacesOfID(color[:3], 0.02)
}

// drill answers with a core sample: outermost layer first.
func (v *viewer) drill(ctx context.Context, r Request) error {
	s := v.s
	u, tri := s.point(r)
	if tri < 0 {
		return fmt.Errorf("there is no surface at that place")
	}
	p := eval.Compile(s.Scene(), s.shown().Doc, "", "")
	ctx, _ = eval.PassOver(ctx) // what fails is told where its tiles are
	layers, err := p.Drill(ctx, u, r.Kind == "steps")
	if err != nil {
		return fmt.Errorf("drill: %w", err)
	}
	m := s.Model()
	v.post(Drilled{"drill", r.ID, r.Pos, r.Nrm, layers, m.Parts[m.TriPart[tri]].Name, m.Sheets[m.TriSheet[tri]].Name})
	return nil
}

// pick answers with what lies at a point: the names of what it belongs to, and the
// value of every channel, not what the light makes of it.
func (v *viewer) pick(ctx context.Context, r Request) error {
	s := v.s
	u, tri := s.point(r)
	if tri < 0 {
		return fmt.Errorf("there is no surface at that place")
	}
	ctx, _ = eval.PassOver(ctx)
	p := s.shown()
	values := map[stack.Channel][]float32{}
	for _, info := range p.Doc.Channels() {
		planes, err := p.Channel(ctx, u, info.Channel)
		if err != nil {
			continue // its error is told with the tiles
		}
		for _, q := range planes {
			values[info.Channel] = append(values[info.Channel], q.At(0))
		}
	}
	m := s.Model()
	id, err := p.IDAt(u)
	if err != nil {
		id = nil // its error is told with the tiles
	}
	v.post(Picked{"picked", r.ID, r.Kind, tri, m.Island[tri], m.Parts[m.TriPart[tri]].Name, m.Sheets[m.TriSheet[tri]].Name, id, values})
	return nil
}

// point returns the surface of the place that a request names, and its triangle or
// −1.
func (s *Session) point(r Request) (*eval.Surface, int32) {
	pos, nrm := geom.V3(r.Pos[0], r.Pos[1], r.Pos[2]), geom.V3(r.Nrm[0], r.Nrm[1], r.Nrm[2])
	tri := s.nearest(pos, nrm)
	if tri < 0 {
		return nil, tri
	}
	return s.Scene().OnFrame(raster.Point(pos, nrm, tri), fmt.Sprint("drill", pos, nrm, tri)), tri
}

// nearest returns the triangle at a point that faces the normal, or −1.
func (s *Session) nearest(p, n geom.Vec3) int32 {
	best, tri := float32(1e30), int32(-1)
	m := s.Model()
	for i, t := range m.Tri {
		c := m.Pos[t[0]].Add(m.Pos[t[1]]).Add(m.Pos[t[2]]).Mul(1.0 / 3)
		fn := m.FaceNormal(i).Unit()
		if fn.Dot(n) < 0.2 {
			continue
		}
		plane := p.Sub(c).Dot(fn)
		d := p.Sub(c).Dot(p.Sub(c))
		// a point inside the triangle counts by its distance to the plane
		if inside(p, m.Pos[t[0]], m.Pos[t[1]], m.Pos[t[2]], fn) {
			d = plane * plane * 1e-3
		}
		if d < best {
			best, tri = d, int32(i)
		}
	}
	return tri
}

func inside(p, a, b, c, n geom.Vec3) bool {
	return b.Sub(a).Cross(p.Sub(a)).Dot(n) >= 0 && c.Sub(b).Cross(p.Sub(b)).Dot(n) >= 0 && a.Sub(c).Cross(p.Sub(c)).Dot(n) >= 0
}
