package live

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	jsonpatch "github.com/evanphx/json-patch/v5"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
)

// The triangle at a point of the surface is the one that the point was taken from, wherever on
// it, and the other side of a thin plate is never meant.
func TestTheTriangleAtAPlace(t *testing.T) {
	for _, m := range []*mesh.Model{sample.Bollard(), two(t, nil)} {
		s := &Session{model: m}
		r := rand.New(rand.NewPCG(1, 6))
		for range 400 {
			i := r.IntN(len(m.Tri))
			n := m.FaceNormal(i)
			if n.Length() < 1e-9 {
				continue
			}
			u, v := r.Float32(), r.Float32()
			if u+v > 1 {
				u, v = 1-u, 1-v
			}
			a, b, c := m.Pos[m.Tri[i][0]], m.Pos[m.Tri[i][1]], m.Pos[m.Tri[i][2]]
			p := a.Add(b.Sub(a).Mul(0.02 + 0.94*u)).Add(c.Sub(a).Mul(0.02 + 0.94*v))
			got := s.nearest(p, n.Unit())
			if got < 0 {
				t.Fatalf("there is nothing at %v of triangle %d", p, i)
			}
			// beside it on a flat side is as good
			if away := p.Sub(m.Pos[m.Tri[got][0]]).Dot(m.FaceNormal(int(got)).Unit()); int(got) != i && math.Abs(float64(away)) > 2e-3 {
				t.Fatalf("at a point of triangle %d it finds %d, %v m off", i, got, away)
			}
			if back := s.nearest(p, n.Unit().Mul(-1)); back >= 0 && m.FaceNormal(int(back)).Unit().Dot(n.Unit()) > 0.2 {
				t.Fatalf("asked from behind, triangle %d answers", back)
			}
		}
	}
}

// The edge and the corner that a click means are the nearest ones of its triangle.
func TestTheEdgeAtAPlace(t *testing.T) {
	m := sample.Bollard()
	r := rand.New(rand.NewPCG(2, 6))
	for range 500 {
		i := int32(r.IntN(len(m.Tri)))
		c := m.Tri[i]
		w := [3]float32{r.Float32(), r.Float32(), r.Float32()}
		sum := w[0] + w[1] + w[2]
		var p geom.Vec3
		for k := range 3 {
			p = p.Add(m.Pos[c[k]].Mul(w[k] / sum))
		}
		k, corner := edgeAt(m, i, p)
		near := func(k int) float64 { // to the line of the edge, by sampling it
			a, b := m.Pos[c[k]], m.Pos[c[(k+1)%3]]
			best := math.Inf(1)
			for j := range 257 {
				q := a.Add(b.Sub(a).Mul(float32(j) / 256))
				best = min(best, float64(q.Sub(p).Length()))
			}
			return best
		}
		for o := range 3 {
			if near(k) > near(o)+1e-4 {
				t.Fatalf("edge %d of triangle %d is %v away, edge %d %v", k, i, near(k), o, near(o))
			}
			if d := m.Pos[c[corner]].Sub(p).Length(); d > m.Pos[c[o]].Sub(p).Length()+1e-6 {
				t.Fatalf("corner %d is not the nearest one", corner)
			}
		}
	}
}

// Edges as lines: their ends in space, and on the sheets once where they hang together there,
// twice where islands part; numbers that are no edges are passed over.
func TestEdgesAsLines(t *testing.T) {
	m := sample.Bollard()
	hang, part := int32(-1), int32(-1)
	for i := range m.Tri {
		for k := range 3 {
			if m.Neighbor[i][k].Tri < 0 {
				continue
			}
			if m.UVBorder[i][k] {
				part = int32(3*i + k)
			} else {
				hang = int32(3*i + k)
			}
		}
	}
	if hang < 0 || part < 0 {
		t.Fatal("the bollard has not both kinds of edges")
	}
	if a, b, c := FlatLines(m, []int32{hang}), FlatLines(m, []int32{part}), FlatLines(m, []int32{-7, 1 << 30}); len(a) != 5 || len(b) != 10 || len(c) != 0 {
		t.Errorf("an edge within an island is %d numbers, one between islands %d, none %d", len(a), len(b), len(c))
	}
	both := FlatLines(m, []int32{part})
	o := m.Neighbor[part/3][part%3]
	if both[0] != float32(m.TriSheet[part/3]) || both[5] != float32(m.TriSheet[o.Tri]) {
		t.Errorf("it lies on the sheets %v and %v", both[0], both[5])
	}
	ids := []int32{hang, -1, part}
	lines := Lines(m, ids)
	if len(lines) != 12 {
		t.Fatalf("two edges are %d numbers", len(lines))
	}
	for j, id := range []int32{hang, part} {
		c, k := m.Tri[id/3], id%3
		a, b := m.Pos[c[k]], m.Pos[c[(k+1)%3]]
		if got := lines[6*j : 6*j+6]; !slices.Equal(got, []float32{a.X, a.Y, a.Z, b.X, b.Y, b.Z}) {
			t.Errorf("edge %d goes %v", id, got)
		}
	}
}

// anyState makes a state like the last one, changed here and there.
func anyState(r *rand.Rand, was *state) *state {
	var all []any
	for i := range 20 {
		all = append(all, map[string]any{"id": fmt.Sprint("first ", i), "amount": 1, "name": "Salt"})
	}
	d := map[string]any{"layers": all}
	strokes := map[string]int{}
	var lines []LedgerLine
	if was != nil {
		_ = json.Unmarshal(was.doc, &d)
		for k, v := range was.strokes {
			strokes[k] = v
		}
		lines = slices.Clone(was.lines)
	}
	layers := d["layers"].([]any)
	for range r.IntN(4) {
		switch n := r.IntN(5); {
		case n == 0 || len(layers) == 0:
			layers = slices.Insert(layers, r.IntN(len(layers)+1), any(map[string]any{"id": fmt.Sprint(r.IntN(1000)), "amount": r.Float64(), "name": "Böot / ~1"}))
		case n == 1:
			i := r.IntN(len(layers))
			layers = slices.Delete(layers, i, i+1)
		case n == 2:
			i, j := r.IntN(len(layers)), r.IntN(len(layers))
			layers[i], layers[j] = layers[j], layers[i]
		default:
			layers[r.IntN(len(layers))].(map[string]any)["amount"] = r.Float64()
		}
		switch id := fmt.Sprint("s", r.IntN(6)); r.IntN(3) {
		case 0:
			delete(strokes, id)
		default:
			strokes[id] = 1 + r.IntN(4)
		}
	}
	d["layers"] = layers
	switch r.IntN(3) {
	case 0:
		lines = slices.Insert(lines, 0, LedgerLine{Seq: int64(len(lines) + 1), Label: "Amount", Kind: "do", At: time.Unix(int64(len(lines)), 0), On: true})
	case 1:
		if len(lines) > 0 {
			l := &lines[r.IntN(len(lines))]
			l.On, l.Mark = !l.On, fmt.Sprint("mark ", r.IntN(9))
		}
	}
	b, _ := json.Marshal(d)
	return &state{doc: b, strokes: strokes, lines: lines, rest: Doc{Notes: map[string]string{}}}
}

// A page that is told differences alone has what the session has, however many states it
// missed in between: the document, the strokes and every line of the ledger.
func TestDifferencesComeToTheState(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	d := docs{woken: make(chan struct{}, 1)}
	var now *state
	var doc json.RawMessage
	strokes, lines := map[string]int{}, map[int64]LedgerLine{}
	patched := 0
	for round := range 600 {
		for range 1 + r.IntN(3) { // the newest wins
			now = anyState(r, now)
			d.put(now)
		}
		m := d.take()
		if m == nil || d.take() != nil {
			t.Fatal("there is nothing to tell, or the same twice")
		}
		if m.Fresh != (round == 0) {
			t.Fatalf("round %d is told as fresh: %v", round, m.Fresh)
		}
		switch {
		case m.Doc != nil:
			doc = m.Doc
		case m.Patch != nil:
			patched++
			p, err := jsonpatch.DecodePatch(m.Patch)
			if err != nil {
				t.Fatal(err)
			}
			if doc, err = p.Apply(doc); err != nil {
				t.Fatalf("round %d: %v of %s", round, err, m.Patch)
			}
		}
		if !jsonpatch.Equal(doc, now.doc) {
			t.Fatalf("round %d: the page has %s, the session %s", round, doc, now.doc)
		}
		for id, n := range m.Strokes {
			if strokes[id] = n; n == 0 {
				delete(strokes, id)
			}
		}
		for _, l := range m.Ledger {
			lines[l.Seq] = l
		}
		if fmt.Sprint(strokes) != fmt.Sprint(now.strokes) || len(lines) != len(now.lines) {
			t.Fatalf("round %d: strokes %v and %d lines, want %v and %d", round, strokes, len(lines), now.strokes, len(now.lines))
		}
		for _, l := range now.lines {
			if have := lines[l.Seq]; !have.same(&l) {
				t.Fatalf("round %d: the page has the line %+v, the session %+v", round, have, l)
			}
		}
	}
	if patched < 50 {
		t.Errorf("%d of 600 were told as differences", patched)
	}
}

// Layers that were copied are pasted with what this project can do with them: a channel that it
// lacks comes along, of a reach the names stay that are there, a Follow step without what it
// follows is emptied, and a layer within a copied group is copied once.
func TestPastingElsewhere(t *testing.T) {
	e := newEasel(t)
	glow := stack.Channel("added.glow")
	e.op(stack.AddChannel{Channel: stack.AddedChannel{Channel: glow, Label: "Glow"}, Index: -1})
	sheet := e.s.Model().Sheets[0].Name
	layer := func(id string) *stack.Layer {
		return &stack.Layer{ID: id, Name: id, Kind: stack.Fill, Visible: true, Amount: 1}
	}
	group, inner, free := layer("group"), layer("inner"), layer("free")
	group.Kind = stack.Group
	inner.Channels = map[stack.Channel]stack.Coat{glow: {On: true, Blend: "normal", Amount: 1, Value: []float32{0.5}}}
	inner.Reach = stack.Reach{Sheets: []string{sheet}, Islands: []int32{0}}
	follows := stack.Step{ID: "f", Kind: stack.Follow, On: true, Amount: 1, Blend: "normal", Params: map[string]any{"layer": "inner", "what": "mask"}}
	free.Mask = append(free.Mask, &follows)
	group.Layers = []*stack.Layer{inner}
	e.op(stack.AddLayer{Index: -1, Layer: group})
	e.op(stack.AddLayer{Index: -1, Layer: free})
	var names []string
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	must(e.in(func() (err error) { names, err = e.s.copyLayers("ann", []string{"inner", "group"}); return }))
	if !slices.Equal(names, []string{"group"}) {
		t.Errorf("copied are %v", names)
	}
	if err := e.in(func() error { _, err := e.s.copyLayers("ann", []string{"nobody"}); return err }); err == nil {
		t.Error("a layer that is not there was copied")
	}
	n := 0
	id := func() string { n++; return fmt.Sprint("new ", n) }
	must(e.in(func() error { return e.s.paste("ann", "", -1, id) }))
	if p := e.s.Document().Layers[len(e.s.Document().Layers)-1]; p.Name != "group" || p.ID == "group" || len(p.Layers) != 1 || len(p.Layers[0].Reach.Islands) != 1 {
		t.Errorf("pasted where it was: %+v", p)
	}
	if err := e.in(func() error { return e.s.paste("ben", "", -1, id) }); err == nil {
		t.Error("what another artist copied was pasted")
	}

	other := newEasel(t)
	must(e.in(func() (err error) { _, err = e.s.copyLayers("ann", []string{"free", "group"}); return }))
	d, err := e.s.clip("ann")
	must(err)
	// onto a model whose sheet has another name
	m := *other.s.Model()
	m.Sheets = []mesh.Sheet{{Name: "Elsewhere", HasUV: true}}
	(&Session{model: &m, doc: other.s.Document()}).fit(d)
	if r := d.Layer("inner").Reach; len(r.Sheets)+len(r.Islands) != 0 {
		t.Errorf("on another model it reaches %+v", r)
	}
	if f := d.Layer("free").Mask[0].Params["layer"]; f != "inner" {
		t.Errorf("what it follows came along, and it follows %q", f)
	}
	must(e.in(func() (err error) { _, err = e.s.copyLayers("ann", []string{"free"}); return }))
	d, err = e.s.clip("ann")
	must(err)
	must(other.in(func() error { other.s.fit(d); return nil }))
	if f := d.Layer("free").Mask[0].Params["layer"]; f != "" {
		t.Errorf("what it follows stayed behind, and it follows %q", f)
	}
	must(e.in(func() (err error) { _, err = e.s.copyLayers("ann", []string{"group"}); return }))
	must(other.in(func() error { return other.s.paste("ann", "", -1, id) }))
	if i, there := other.s.Document().Info(glow); !there || i.Label != "Glow" {
		t.Error("the channel did not come along")
	}
}
