package main

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"net/http/httptest"
	"strings"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/render"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
	"velvetgrime/internal/api"
	"velvetgrime/internal/intake"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"

	"github.com/coder/websocket"
)

// scatter makes strokes over a model, each of a few points along the surface.
func scatter(m *mesh.Model, n int, values map[string][]float32) []*brush.Stroke {
	r := rand.New(rand.NewPCG(7, 11))
	var out []*brush.Stroke
	for i := range n {
		s := &brush.Stroke{ID: fmt.Sprint("s", i), Radius: 0.006 + 0.01*r.Float32(), Strength: 0.8, Hardness: 0.4, Values: values}
		t := m.Tri[r.IntN(len(m.Tri))]
		p, nrm := m.Pos[t[0]], m.Nrm[t[0]]
		side := nrm.Cross(geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5)).Unit()
		for k := range 8 {
			s.Points = append(s.Points, brush.Point{Pos: p.Add(side.Mul(float32(k) * 0.006)), Nrm: nrm, Pressure: 1})
		}
		out = append(out, s)
	}
	return out
}

// benchResize times a sheet going from 1024 to 4096 with 500 strokes on it: to the
// first draft, and to all its texels.
func benchResize(ctx context.Context, r *report) error {
	m := sample.Bollard()
	sc := eval.NewScene(m, cache.New(benchCache))
	d := sample.PlainBollard()
	paint := &stack.Layer{ID: "strokes", Name: "Strokes", Kind: stack.Paint, Visible: true, Amount: 1, Channels: map[stack.Channel]stack.Coat{stack.BaseColor: {On: true, Amount: 1}, stack.Roughness: {On: true, Amount: 1}}}
	paint.Strokes = scatter(m, 500, map[string][]float32{"baseColor": {0.8, 0.7, 0.2}, "roughness": {0.4}})
	for _, s := range paint.Strokes {
		paint.StrokeID = append(paint.StrokeID, s.ID)
	}
	d.Layers = append(d.Layers, paint)
	all := append([]stack.Channel{stack.Opacity, stack.Emissive}, benchChannels...)
	if err := evaluateAll(ctx, eval.Compile(sc, d, "", ""), []int{1024}, all); err != nil {
		return err
	}
	next, _, _, err := step.Rules.Apply(d, stack.SizeSheet{Target: "Cast iron", Size: 4096})
	if err != nil {
		return err
	}
	t := time.Now()
	p := eval.Compile(sc, next, "", "")
	if err := evaluateAll(ctx, p, []int{256}, all); err != nil {
		return err
	}
	r.add("resize", "1024 to 4096, 500 strokes: first draft", "ms", []float64{since(t)})
	if err := evaluateAll(ctx, p, []int{4096}, all); err != nil {
		return err
	}
	r.add("resize", "1024 to 4096, 500 strokes: complete", "ms", []float64{since(t)})
	return nil
}

// benchOpen evaluates what the pages of the demo projects show, from nothing: drafts
// of all sheets, then all their texels. It moves the age between, as a hand does.
func benchOpen(ctx context.Context, r *report) error {
	for _, name := range []string{"lantern", "bollard", "gull"} {
		m, dense, d, s, maps := sample.Dressed(name)
		b, err := render.BakeInMemory(ctx, m, dense, s, maps, cache.New(benchCache))
		if err != nil {
			return err
		}
		d.Prepared = b.Prepared
		sc := b.Scene
		sizes := func(limit int) (out []int) {
			for _, s := range m.Sheets {
				out = append(out, min(d.Sheets[s.Name].Size, limit))
			}
			return
		}
		all := append([]stack.Channel{stack.Opacity, stack.Emissive}, benchChannels...)
		timed := func(what string, d *stack.Document, limit int) error {
			t := time.Now()
			if err := evaluateAll(ctx, eval.Compile(sc, d, "", ""), sizes(limit), all); err != nil {
				return err
			}
			r.add("open", name+", evaluation alone: "+what, "ms", []float64{since(t)})
			return nil
		}
		if err := timed("drafts", d, 256); err != nil {
			return err
		}
		// a session sends the coarser draft once the finer one took longer than the hand waits
		for _, size := range []int{256, 128} {
			var ms []float64
			for age := range 12 {
				aged := *d
				c := *d.Facts()
				c.Age = float32(age)*5 + float32(size)/1000
				aged.Conditions = &c
				t := time.Now()
				if err := evaluateAll(ctx, eval.Compile(sc, &aged, "", ""), sizes(size), all); err != nil {
					return err
				}
				if age > 0 { // what does not age is kept from the first
					ms = append(ms, since(t))
				}
			}
			r.add("open", fmt.Sprintf("%s, the age moved: draft of all sheets at %d", name, size), "ms", ms)
		}
		if err := timed("complete", d, 8192); err != nil {
			return err
		}
		if err := timed("the same again, warm", d, 8192); err != nil {
			return err
		}
	}
	return nil
}

// benchFilter times a blur in a mask of the bollard by its radius.
func benchFilter(ctx context.Context, r *report) error {
	m := sample.Bollard()
	sw := sweep{Name: "filter", Over: "radius mm", Unit: "s"}
	for _, mm := range []float64{0.5, 2, 8, 32} {
		d := stack.New([]string{"Cast iron"}, 1024)
		step := func(id, kind string, p map[string]any) *stack.Step {
			return &stack.Step{ID: id, Kind: kind, On: true, Amount: 1, Params: p}
		}
		stream := []*stack.Step{step("n", "noise", nil), step("b", "blur", map[string]any{"radius": mm / 1000})}
		d.Layers = []*stack.Layer{{ID: "a", Name: "A", Kind: stack.Fill, Visible: true, Amount: 1, Mask: stream,
			Channels: map[stack.Channel]stack.Coat{stack.Roughness: {On: true, Value: []float32{1}, Amount: 1}}}}
		t := time.Now()
		if err := evaluateAll(ctx, eval.Compile(eval.NewScene(m, cache.New(benchCache)), d, "", ""), []int{1024}, []stack.Channel{stack.Roughness}); err != nil {
			return err
		}
		r.add("filter", fmt.Sprintf("blur of %g mm under a noise, 1024", mm), "ms", []float64{since(t)})
		sw.Points = append(sw.Points, [2]float64{mm, since(t) / 1000})
	}
	sw.Exponent = exponent(sw.Points)
	r.Sweeps = append(r.Sweeps, sw)
	return nil
}

// benchMemory evaluates more than the cache holds, then paints 10,000 strokes, and
// tells the most that was in use and how the time of a stroke grew.
func benchMemory(ctx context.Context, r *report) error {
	const limit = 256 << 20
	m := sample.Bollard()
	sc := eval.NewScene(m, cache.New(limit))
	watch := watchMemory()
	if err := evaluateAll(ctx, eval.Compile(sc, stackDocument(40, true), "", ""), []int{2048}, benchChannels); err != nil {
		return err
	}
	peak := watch()
	held, _, _ := sc.Cache.Stats()
	r.Results = append(r.Results, result{"memory", fmt.Sprintf("40 layers at 2048, cache of %d MiB holds %d", limit>>20, held>>20), "MiB at most", peak, peak, peak})

	d := stackDocument(4, false)
	d.Layers = append(d.Layers, paintLayer())
	strokes := scatter(m, 10_000, map[string][]float32{"baseColor": {0.8, 0.7, 0.2}})
	watch = watchMemory()
	sw := sweep{Name: "memory", Over: "strokes", Unit: "ms a stroke"}
	last := eval.Compile(sc, d, "paint", "")
	t := time.Now()
	for i, s := range strokes {
		next, _, _, err := step.Rules.Apply(d, stack.AddStroke{Target: "paint", StrokeID: s.ID, Stroke: s, Index: -1})
		if err != nil {
			return err
		}
		d = next
		p := eval.Compile(sc, d, "paint", "")
		box, _ := eval.OnlyStrokes(last, p)
		last = p
		for _, tile := range surface.Tiles(0, 1024) {
			if u := sc.OnTile(tile); u.Within(box) {
				if _, err := p.Channel(ctx, u, stack.BaseColor); err != nil {
					return err
				}
			}
		}
		if n := i + 1; n == 100 || n == 1000 || n == 10_000 {
			prev := 0.0
			if len(sw.Points) > 0 {
				prev = sw.Points[len(sw.Points)-1][0]
			}
			sw.Points = append(sw.Points, [2]float64{float64(n), since(t) / (float64(n) - prev)})
			t = time.Now()
		}
	}
	peak = watch()
	r.Results = append(r.Results, result{"memory", "10,000 strokes at 1024, the same cache", "MiB at most", peak, peak, peak})
	sw.Exponent = exponent(sw.Points)
	r.Sweeps = append(r.Sweeps, sw)
	return nil
}

// benchPage is a page of a real session on loopback, without what a page does with its
// tiles.
type benchPage struct {
	ctx    context.Context
	conn   *websocket.Conn
	finest uint16 // texels a side of the finest tiles that came
}

// openPage opens a project as a page does, on a server of its own.
func openPage(ctx context.Context, st *store.Store, project string) (p *benchPage, done func(), err error) {
	server := httptest.NewServer((&api.Server{Store: st, Hub: live.NewHub(st, benchCache)}).Handler())
	conn, _, err := websocket.Dial(ctx, strings.Replace(server.URL, "http", "ws", 1)+"/api/projects/"+project+"/live?actor=bench", nil)
	if err != nil {
		server.Close()
		return nil, nil, err
	}
	conn.SetReadLimit(1 << 26)
	return &benchPage{ctx: ctx, conn: conn}, func() {
		_ = conn.Close(websocket.StatusNormalClosure, "")
		server.Close()
	}, nil
}

// settled reads until everything is drawn and tells when the last tile came; coarser ones do
// not count.
func (p *benchPage) settled() (lastTile time.Time, err error) {
	for {
		kind, b, err := p.conn.Read(p.ctx)
		if err != nil {
			return lastTile, err
		}
		if kind == websocket.MessageBinary && b[0] == 1 {
			if size := binary.LittleEndian.Uint16(b[4:]); size >= p.finest {
				p.finest, lastTile = size, time.Now()
			}
		} else if strings.Contains(string(b[:min(len(b), 40)]), `"settled"`) && !lastTile.IsZero() {
			return lastTile, nil
		}
	}
}

func (p *benchPage) say(m map[string]any) error {
	b, err := json.Marshal(m)
	if err != nil {
		return err
	}
	return p.conn.Write(p.ctx, websocket.MessageText, b)
}

// stroke paints round the bollard's post and returns the milliseconds from each sample to
// its last tile.
func (p *benchPage) stroke(samples int) (ms []float64, err error) {
	if err := p.say(map[string]any{"t": "stroke.begin", "layer": "paint", "stroke": map[string]any{"id": "bench", "radius": 0.02, "strength": 1, "hardness": 0.5, "values": map[string]any{"baseColor": []float32{1, 0, 0}}}}); err != nil {
		return nil, err
	}
	for i := range samples {
		sin, cos := math.Sincos(float64(i) * 0.02)
		n := geom.V3(float32(sin), 0, float32(cos))
		at := n.Mul(0.119).Add(geom.V3(0, 0.3, 0))
		t := time.Now()
		if err := p.say(map[string]any{"t": "stroke.add", "points": []float32{at.X, at.Y, at.Z, n.X, n.Y, n.Z, 1}}); err != nil {
			return nil, err
		}
		last, err := p.settled()
		if err != nil {
			return nil, err
		}
		ms = append(ms, float64(last.Sub(t).Microseconds())/1000)
		time.Sleep(frameOfPage - time.Since(t))
	}
	return ms, nil
}

// benchProject keeps a bollard with a document in the database until it is told to drop it.
func benchProject(ctx context.Context, st *store.Store, d *stack.Document) (id string, drop func(), err error) {
	var glb bytes.Buffer
	if err := meshio.WriteGLB(&glb, sample.Bollard(), meshio.Options{}); err != nil {
		return "", nil, err
	}
	p, err := intake.Create(ctx, st, "", "Bench", map[string][]byte{"bollard.glb": glb.Bytes()}, d, nil)
	if err != nil {
		return "", nil, err
	}
	return p.ID, func() { _ = st.Delete(context.Background(), p.ID) }, nil
}

func paintLayer() *stack.Layer {
	return &stack.Layer{ID: "paint", Name: "Paint", Kind: stack.Paint, Visible: true, Amount: 1, Channels: map[stack.Channel]stack.Coat{stack.BaseColor: {On: true, Amount: 1}}}
}

// benchPageStroke paints over a real session: from a sample sent over the socket on
// loopback to the last tile that it changes.
func benchPageStroke(ctx context.Context, r *report) error {
	if r.dsn == "" {
		return nil
	}
	st, err := store.Open(r.dsn)
	if err != nil {
		return err
	}
	defer st.Close()
	d := stackDocument(20, true)
	d.Layers = append(d.Layers[:10:10], append([]*stack.Layer{paintLayer()}, d.Layers[10:]...)...)
	project, drop, err := benchProject(ctx, st, d)
	if err != nil {
		return err
	}
	defer drop()
	page, done, err := openPage(ctx, st, project)
	if err != nil {
		return err
	}
	defer done()
	if _, err := page.settled(); err != nil {
		return err
	}
	ms, err := page.stroke(60)
	if err != nil {
		return err
	}
	r.add("page-stroke", "2048, 21 layers, sample to its last tile", "ms", ms[10:])
	return nil
}

// benchOpenStrokes opens a project with ten thousand strokes: with nothing kept of its
// texels, again with what that left, and the first stroke after that.
func benchOpenStrokes(ctx context.Context, r *report) error {
	if r.dsn == "" {
		return nil
	}
	st, err := store.Open(r.dsn)
	if err != nil {
		return err
	}
	defer st.Close()
	d := stackDocument(4, false)
	paint := paintLayer()
	paint.Strokes = scatter(sample.Bollard(), 10_000, map[string][]float32{"baseColor": {0.8, 0.7, 0.2}})
	for _, s := range paint.Strokes {
		paint.StrokeID = append(paint.StrokeID, s.ID)
	}
	d.Layers = append(d.Layers, paint)
	project, drop, err := benchProject(ctx, st, d)
	if err != nil {
		return err
	}
	defer drop()
	for _, what := range []string{"nothing kept of it", "from what is kept"} {
		t := time.Now()
		page, done, err := openPage(ctx, st, project)
		if err != nil {
			return err
		}
		_, first, err := page.conn.Read(ctx) // the document: the strokes are there
		if err != nil {
			done()
			return err
		}
		r.add("open-strokes", fmt.Sprintf("10,000 strokes, %s: the document, %d kB", what, len(first)>>10), "ms", []float64{since(t)})
		if _, err = page.settled(); err == nil {
			r.add("open-strokes", "10,000 strokes, "+what+": all of 2048", "ms", []float64{since(t)})
			if what == "from what is kept" {
				var ms []float64
				if ms, err = page.stroke(40); err == nil {
					r.add("open-strokes", "a stroke over them, first sample", "ms", ms[:1])
					r.add("open-strokes", "the same, the other samples", "ms", ms[1:])
				}
			}
		}
		done()
		if err != nil {
			return err
		}
	}
	return nil
}
