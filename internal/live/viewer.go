package live

import (
	"context"
	"encoding/json"
	"fmt"
	"log"
	"runtime/debug"
	"sync"
	"sync/atomic"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
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
	preview *stack.Op
	stroke  *stack.Op // stroke.add with the points so far
	doing   int64     // the number of the request under way
	ways    string    // what a stroke that takes from the other side leaves there: as it is, flip or exchange

	want chan wish       // newest wins
	docs chan docMessage // newest wins
	// small messages from the session's goroutine, which must never wait for a page
	posts chan any
	push  *pusher

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
	n     int64 // of the last request that asked for finer sizes
}

func (v *viewer) wake() {
	select {
	case v.woken <- struct{}{}:
	default:
	}
}

// Serve speaks with one page until the connection ends. With wait no tile is sent
// before the page has told how many texels it can show: it would have to drop them.
func (s *Session) Serve(ctx context.Context, conn *websocket.Conn, actor string, wait bool) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	conn.SetReadLimit(8 << 20)
	v := &viewer{s: s, actor: actor, conn: conn, woken: make(chan struct{}, 1), hovers: make(chan struct{}, 1), want: make(chan wish, 1), docs: make(chan docMessage, 1), posts: make(chan any, 64)}
	v.push = newPusher(v)
	v.push.wait = wait
	s.do(func() {
		s.viewers[v] = true
		s.tell()
		s.tellWork()
		if d, err := s.clip(actor); err == nil && d != nil {
			names := []string{}
			for _, l := range d.Layers {
				names = append(names, l.Name)
			}
			v.post(map[string]any{"t": "clip", "names": names})
		}
		s.refresh()
	})
	defer s.do(func() {
		if v.stroke != nil && len(v.stroke.Stroke.Points) > 0 {
			_ = s.commit(actor, "do", 0, *v.stroke) // a cut line does not lose the stroke
		}
		delete(s.viewers, v)
		s.tell()
		s.refresh()
	})
	go func() {
		if err := v.push.run(ctx); err != nil && ctx.Err() == nil {
			_ = conn.Close(websocket.StatusInternalError, "drawing stopped")
		}
		cancel()
	}()
	go func() {
		for {
			select {
			case <-ctx.Done():
				return
			case m := <-v.docs:
				v.send(m)
			case m := <-v.posts:
				v.send(m)
			}
		}
	}()
	var w wish
	for {
		_, data, err := conn.Read(ctx)
		if err != nil {
			return err
		}
		var r Request
		if err := json.Unmarshal(data, &r); err != nil {
			v.send(map[string]any{"t": "error", "message": "the message is not readable: " + err.Error()})
			continue
		}
		switch r.T {
		case "view":
			if len(r.VP) == 16 || len(r.VP) == 0 {
				w.cards, w.sizes, w.n = r.VP, r.Sizes, max(w.n, r.N)
				v.wish(w)
			}
		case "alone":
			w.alone, w.layer = r.Kind, r.Layer
			v.wish(w)
		case "focus":
			w.focus = r.Layer
			v.wish(w)
		case "drill":
			v.drill(ctx, r)
		case "edge":
			v.edge(r)
		case "pick":
			v.pick(ctx, r)
		default:
			var err error
			s.do(func() {
				v.doing = max(v.doing, r.N)
				err = guarded(r.T, func() error { return v.handle(r) })
				if v.done.Load() < v.doing { // it was refused, and nothing else came of it
					v.done.Store(v.doing)
					v.wake()
				}
			})
			if err != nil {
				v.send(map[string]any{"t": "error", "id": r.ID, "message": err.Error()})
			} else if r.ID != 0 {
				v.send(map[string]any{"t": "ack", "id": r.ID})
			}
		}
	}
}

func (v *viewer) wish(w wish) {
	select {
	case <-v.want:
	default:
	}
	v.want <- w
	v.wake()
}

func (v *viewer) send(m any) {
	b, err := json.Marshal(m)
	if err != nil {
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	_ = v.conn.Write(ctx, websocket.MessageText, b)
}

// post queues a small message; one that finds the queue full is dropped, as the
// next of its kind says the same and more.
func (v *viewer) post(m any) {
	select {
	case v.posts <- m:
	default:
	}
}

// tell sends the document to every viewer.
func (s *Session) tell() {
	for v := range s.viewers {
		select {
		case <-v.docs:
		default:
		}
		v.docs <- s.message(v.actor)
	}
}

// guarded carries out a message. A mistake of ours in it costs that message and not the
// server, with everyone else's work: documents are values, so the last one still stands.
func guarded(what string, f func() error) (err error) {
	defer func() {
		if e := recover(); e != nil {
			log.Printf("message %q: %v\n%s", what, e, debug.Stack())
			err = fmt.Errorf("the server failed at %q and did not carry it out: %v; nothing else is lost", what, e)
		}
	}()
	return f()
}

// handle runs in the session's goroutine.
func (v *viewer) handle(r Request) error {
	s := v.s
	changed := true
	var err error
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
			v.post(map[string]any{"t": "clip", "names": names})
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
		if v.stroke == nil {
			return fmt.Errorf("no stroke was begun")
		}
		n := *v.stroke.Stroke
		n.Points = append(n.Points[:len(n.Points):len(n.Points)], r.Points...)
		had := len(v.stroke.Stroke.Points)
		n.Tilt = grown(n.Tilt, r.Tilt, had, len(r.Points))
		n.Lean = grown(n.Lean, r.Lean, had, len(r.Points))
		if err = n.Check(); err == nil {
			err = n.Inside(s.Model().Bounds, had)
		}
		if err == nil {
			v.stroke.Stroke = &n
			v.follow(had)
		}
	case "stroke.end":
		if v.stroke == nil {
			return nil
		}
		op := *v.stroke
		v.stroke = nil
		id := op.StrokeID
		if len(op.Stroke.Points) > 0 {
			var fresh []*brush.Stroke
			if op, fresh, err = s.bothWays(op, v.ways); err == nil {
				err = s.commit(v.actor, "do", 0, op, fresh...)
			}
		}
		s.Scene().Forget(id)
	case "sides":
		changed = r.Kind != "show"
		err = v.sides(r)
	case "stroke.cancel":
		if v.stroke != nil {
			s.Scene().Forget(v.stroke.StrokeID)
		}
		v.stroke = nil
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

// grown appends what a pen says of some more points, as long as it says it of all.
func grown(row, more []float32, had, points int) []float32 {
	if len(more) != points || len(row) != had {
		return row
	}
	return append(row[:had:had], more...)
}

func (v *viewer) beginStroke(r Request) error {
	if r.Stroke == nil {
		return fmt.Errorf("there is no stroke in the message")
	}
	op := stack.Op{Kind: "stroke.add", Target: r.Layer, StepID: r.Step, StrokeID: r.Stroke.ID, Index: -1, Stroke: r.Stroke}
	if v.s.strokes[r.Stroke.ID] != nil {
		return fmt.Errorf("the stroke id %q was used before", r.Stroke.ID)
	}
	if r.Within != "" {
		area, err := v.s.area(r)
		if err != nil {
			return err
		}
		r.Stroke.Within = area
	}
	if a := r.Stroke.Alike; a != nil && len(a.Value) == 0 {
		u, tri := v.s.point(r)
		if tri < 0 {
			return fmt.Errorf("there is no surface at the place that the stroke is to be like")
		}
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		var err error
		if a.Value, err = v.s.shown().ShowsAt(ctx, u, r.Layer, r.Step, stack.Channel(a.Channel)); err != nil {
			return err
		}
	}
	if err := r.Stroke.Inside(v.s.Model().Bounds, 0); err != nil {
		return err
	}
	try := *r.Stroke
	if len(try.Points) == 0 {
		try.Points = brush.Points{{}}
	}
	probe := op
	probe.Stroke = &try
	if _, _, _, err := v.s.doc.Apply(probe); err != nil {
		return err
	}
	v.stroke, v.ways, v.s.hot = &op, r.Kind, r.Layer
	return nil
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
func (v *viewer) drill(ctx context.Context, r Request) {
	s := v.s
	u, tri := s.point(r)
	if tri < 0 {
		return
	}
	p := eval.Compile(s.Scene(), s.shown().Doc, "", "")
	layers, err := p.Drill(ctx, u, r.Kind == "steps")
	if err != nil {
		v.send(map[string]any{"t": "error", "message": "drill: " + err.Error()})
		return
	}
	m := s.Model()
	v.send(map[string]any{"t": "drill", "pos": r.Pos, "nrm": r.Nrm, "layers": layers, "part": m.Parts[m.TriPart[tri]].Name, "sheet": m.Sheets[m.TriSheet[tri]].Name})
}

// pick answers with what lies at a point: the names of what it belongs to, and the
// value of every channel, not what the light makes of it.
func (v *viewer) pick(ctx context.Context, r Request) {
	s := v.s
	u, tri := s.point(r)
	if tri < 0 {
		return
	}
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
	v.send(map[string]any{"t": "picked", "id": r.ID, "idColor": id, "kind": r.Kind, "triangle": tri, "island": m.Island[tri],
		"part": m.Parts[m.TriPart[tri]].Name, "sheet": m.Sheets[m.TriSheet[tri]].Name, "values": values})
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
