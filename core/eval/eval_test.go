package eval

import (
	"context"
	"math"
	"math/rand"
	"slices"
	"testing"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// strip is a flat 2 × 1 m band in the XZ plane, facing up, cut in the middle
// (x = 1) into two islands. The second is laid out turned by a quarter and, when
// split is set, on a sheet of its own.
func strip(t testing.TB, split bool) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Name: "strip", Parts: []mesh.Part{{Name: "Band"}}, Sheets: []mesh.Sheet{{Name: "A", HasUV: true}}}
	if split {
		m.Sheets = append(m.Sheets, mesh.Sheet{Name: "B", HasUV: true})
	}
	quad := func(x0 float32, uv [4]geom.Vec2, sheet uint16) {
		base := uint32(len(m.Pos))
		for i, p := range []geom.Vec3{{X: x0, Z: 1}, {X: x0 + 1, Z: 1}, {X: x0 + 1}, {X: x0}} {
			m.Pos, m.Nrm, m.UV = append(m.Pos, p), append(m.Nrm, geom.V3(0, 1, 0)), append(m.UV, uv[i])
		}
		m.Tri = append(m.Tri, [3]uint32{base, base + 1, base + 2}, [3]uint32{base, base + 2, base + 3})
		m.TriPart, m.TriSheet = append(m.TriPart, 0, 0), append(m.TriSheet, sheet, sheet)
	}
	quad(0, [4]geom.Vec2{{X: .1, Y: .45}, {X: .45, Y: .45}, {X: .45, Y: .1}, {X: .1, Y: .1}}, 0)
	second := [4]geom.Vec2{{X: .9, Y: .9}, {X: .9, Y: .55}, {X: .55, Y: .55}, {X: .55, Y: .9}}
	if split {
		quad(1, second, 1)
	} else {
		quad(1, second, 0)
	}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

func layer(id string, kind string, coats map[stack.Channel]stack.Coat, stream ...*stack.Step) *stack.Layer {
	return &stack.Layer{ID: id, Name: id, Kind: kind, Visible: true, Amount: 1, Channels: coats, Mask: stream}
}

func coat(v ...float32) stack.Coat { return stack.Coat{On: true, Value: v, Blend: "normal", Amount: 1} }

func stroke(id string, value map[string][]float32, pts ...geom.Vec3) *brush.Stroke {
	s := &brush.Stroke{ID: id, Radius: 0.12, Strength: 1, Hardness: 0.3, Values: value}
	for _, p := range pts {
		s.Points = append(s.Points, brush.Point{Pos: p, Nrm: geom.V3(0, 1, 0), Pressure: 1})
	}
	return s
}

func busyDocument() *stack.Document {
	noise := &stack.Step{ID: "n", Kind: "noise", On: true, Amount: 1, Params: map[string]any{"frequency": 6.0}}
	levels := &stack.Step{ID: "l", Kind: "levels", On: true, Amount: 1, Params: map[string]any{"low": 0.3, "high": 0.6}}
	hand := &stack.Step{ID: "h", Kind: "hand", On: true, Amount: 1, Strokes: []*brush.Stroke{stroke("s1", map[string][]float32{"mask": {0}}, geom.V3(0.3, 0, 0.5), geom.V3(1.7, 0, 0.4))}}
	paint := layer("paint", stack.Paint, map[stack.Channel]stack.Coat{stack.BaseColor: {On: true, Amount: 1}})
	paint.Strokes = []*brush.Stroke{stroke("s2", map[string][]float32{"baseColor": {1, 0, 0}}, geom.V3(0.2, 0, 0.2), geom.V3(1.9, 0, 0.9))}
	return &stack.Document{Layers: []*stack.Layer{
		layer("base", stack.Fill, map[stack.Channel]stack.Coat{stack.BaseColor: coat(.2, .3, .4), stack.Roughness: coat(.5)}),
		layer("grime", stack.Fill, map[stack.Channel]stack.Coat{stack.BaseColor: {On: true, Value: []float32{.5, .4, .3}, Blend: "overlay", Amount: .8}, stack.Height: coat(.01)}, noise, levels, hand),
		paint,
	}}
}

func evaluate(t testing.TB, p *Program, tile surface.Tile, c stack.Channel) [][]float32 {
	t.Helper()
	planes, err := p.Channel(context.Background(), p.Scene.OnTile(tile), c)
	if err != nil {
		t.Fatal(err)
	}
	var out [][]float32
	for _, pl := range planes {
		d := make([]float32, pix.Pitch*pix.Pitch)
		pl.Fill(d)
		out = append(out, d)
	}
	return out
}

// Same document, same texels: whatever the order of tiles, the state of the
// cache, or its size.
func TestSameTexelsInAnyOrderAndWithAnyCache(t *testing.T) {
	m, d := strip(t, false), busyDocument()
	tiles := surface.Tiles(0, 512)
	reference := map[surface.Tile][][]float32{}
	p := Compile(NewScene(m, cache.New(1<<30)), d, "", "")
	for _, tile := range tiles {
		reference[tile] = evaluate(t, p, tile, stack.BaseColor)
	}
	for _, limit := range []int{0, 1 << 20, 1 << 30} {
		q := Compile(NewScene(m, cache.New(limit)), d, "grime", "")
		order := slices.Clone(tiles)
		rand.New(rand.NewSource(int64(limit))).Shuffle(len(order), func(i, j int) { order[i], order[j] = order[j], order[i] })
		done := make(chan struct{})
		for w := range 3 {
			go func() {
				defer func() { done <- struct{}{} }()
				for i := w; i < len(order); i += 3 {
					got := evaluate(t, q, order[i], stack.BaseColor)
					for c := range got {
						if !slices.Equal(got[c], reference[order[i]][c]) {
							t.Errorf("cache of %d bytes: tile %v differs", limit, order[i])
						}
					}
				}
			}()
		}
		for range 3 {
			<-done
		}
	}
}

// at finds the texel of a sheet that lies nearest to a place, inside an island.
func at(f *raster.Frame, p geom.Vec3) (int, float32) {
	best, d := -1, float32(math.Inf(1))
	for i := range f.Pos {
		if q := f.Pos[i].Sub(p).Length(); f.Inside[i] && q < d {
			best, d = i, q
		}
	}
	return best, d
}

func probe(t testing.TB, p *Program, sheet, size int, place geom.Vec3, c stack.Channel) float32 {
	t.Helper()
	value, dist := float32(0), float32(math.Inf(1))
	for _, tile := range surface.Tiles(sheet, size) {
		u := p.Scene.OnTile(tile)
		if i, d := at(u.Frame(), place); i >= 0 && d < dist {
			value, dist = evaluate(t, p, tile, c)[0][i], d
		}
	}
	if dist > 0.02 {
		t.Fatalf("no texel near %v on sheet %d", place, sheet)
	}
	return value
}

func TestStrokeRunsOverSeamAndSheet(t *testing.T) {
	for _, split := range []bool{false, true} {
		m := strip(t, split)
		d := &stack.Document{}
		paint := layer("paint", stack.Paint, map[stack.Channel]stack.Coat{stack.Metallic: {On: true, Amount: 1}})
		paint.Strokes = []*brush.Stroke{stroke("s", map[string][]float32{"metallic": {1}}, geom.V3(0.7, 0, 0.5), geom.V3(1.3, 0, 0.5))}
		d.Layers = []*stack.Layer{paint}
		p := Compile(NewScene(m, cache.New(1<<28)), d, "", "")
		second := 0
		if split {
			second = 1
		}
		left := probe(t, p, 0, 512, geom.V3(0.9, 0, 0.5), stack.Metallic)
		right := probe(t, p, second, 512, geom.V3(1.1, 0, 0.5), stack.Metallic)
		if left < 0.99 || right < 0.99 {
			t.Errorf("split %v: the stroke has %.2f before and %.2f behind the seam, want 1", split, left, right)
		}
		// symmetric about the stroke's line on both sides
		for _, z := range []float32{0.42, 0.58} {
			a := probe(t, p, 0, 512, geom.V3(0.9, 0, z), stack.Metallic)
			b := probe(t, p, second, 512, geom.V3(1.1, 0, z), stack.Metallic)
			if math.Abs(float64(a-b)) > 0.06 {
				t.Errorf("split %v at z=%v: %.3f and %.3f differ over the seam", split, z, a, b)
			}
		}
	}
}

// The margin of an island stands for the surface over the seam: its points lie
// beyond the cut, on the other island.
func TestMarginIsFilledFromOverTheSeam(t *testing.T) {
	m := strip(t, true)
	f := raster.NewIndex(m, 0).Tile(128, 0, 0)
	beyond := 0
	for i, p := range f.Pos {
		if f.Tri[i] >= 0 && !f.Inside[i] && p.X > 1.0001 {
			beyond++
			if m.TriSheet[f.Tri[i]] != 1 || p.X > 1.12 || math.Abs(float64(p.Y)) > 1e-5 {
				t.Fatalf("margin texel stands for %v on sheet %d", p, m.TriSheet[f.Tri[i]])
			}
		}
	}
	if beyond < 40 {
		t.Fatalf("only %d margin texels reach over the seam", beyond)
	}
}

// The normal's slope is that of the height in space, also beside the seam and on
// the turned island.
func TestNormalFollowsHeightOverTheSeam(t *testing.T) {
	m := strip(t, false)
	ramp := layer("ramp", stack.Fill, map[stack.Channel]stack.Coat{stack.Height: {On: true, Value: []float32{0.01}, Blend: "add", Amount: 1}},
		&stack.Step{ID: "g", Kind: "noise", On: true, Amount: 1, Params: map[string]any{"frequency": 0.8, "octaves": 1.0}})
	p := Compile(NewScene(m, cache.New(1<<28)), &stack.Document{Layers: []*stack.Layer{ramp}}, "", "")
	for _, tile := range surface.Tiles(0, 512) {
		u := p.Scene.OnTile(tile)
		n, err := p.Normal(context.Background(), u)
		if err != nil {
			t.Fatal(err)
		}
		f := u.Frame()
		h, _ := p.Channel(context.Background(), u, stack.Height)
		for i := range f.Pos {
			x, y := i%f.W, i/f.W
			q := f.Pos[i]
			if !f.Inside[i] || x == 0 || y == 0 || x == f.W-1 || y == f.H-1 || min(q.X, q.Z, 2-q.X, 1-q.Z) < 0.02 {
				continue // a tile's own margin, or the band's open border
			}
			// the same slope from noise evaluated a little aside in space
			want := slopeOfNoise(p, f.Pos[i])
			got := math.Hypot(float64(n[0].At(i)), float64(n[1].At(i))) / float64(n[2].At(i))
			if math.Abs(got-want) > 0.0006 {
				t.Fatalf("tile %v texel %d at %v: slope %.5f, want %.5f (height %.5f)", tile, i, f.Pos[i], got, want, h[0].At(i))
			}
		}
	}
}

func slopeOfNoise(p *Program, at geom.Vec3) float64 {
	value := func(q geom.Vec3) float64 {
		f := raster.Point(q, geom.V3(0, 1, 0), 0)
		f.Footprint = 1e-6
		h, _ := p.Channel(context.Background(), p.Scene.OnFrame(f, f.Pos[0].String()), stack.Height)
		return float64(h[0].At(0))
	}
	const e = 0.004
	dx := (value(at.Add(geom.V3(e, 0, 0))) - value(at.Add(geom.V3(-e, 0, 0)))) / (2 * e)
	dz := (value(at.Add(geom.V3(0, 0, e))) - value(at.Add(geom.V3(0, 0, -e)))) / (2 * e)
	return math.Hypot(dx, dz)
}

func TestNothingReachesThroughAThinPlate(t *testing.T) {
	front := geom.V3(0.5, 0, 0.5)
	s := stroke("s", nil, front)
	top, bottom := raster.Point(front, geom.V3(0, 1, 0), 0), raster.Point(front.Add(geom.V3(0, -0.001, 0)), geom.V3(0, -1, 0), 0)
	for _, kit := range []*brush.Kit{nil, {Spacing: 0.1, Flow: 1}} {
		s.Kit = kit
		a, b := s.NewCoverage(1), s.NewCoverage(1)
		_ = s.Draw(t.Context(), top, a, 0, 1)
		_ = s.Draw(t.Context(), bottom, b, 0, 1)
		if a.Cover[0] != 1 || b.Cover[0] != 0 {
			t.Fatalf("coverage %v in front and %v behind, want 1 and 0", a.Cover[0], b.Cover[0])
		}
	}
	s.Kit = &brush.Kit{Spacing: 0.1, Flow: 1, Through: true}
	b := s.NewCoverage(1)
	if _ = s.Draw(t.Context(), bottom, b, 0, 1); b.Cover[0] < 0.9 {
		t.Fatalf("coverage %v behind, painted right through", b.Cover[0])
	}
}

// A stroke drawn sample by sample while it grows is the stroke drawn at once.
func TestLiveStrokeEqualsTheFinishedOne(t *testing.T) {
	m := strip(t, false)
	var pts []geom.Vec3
	for i := range 40 {
		pts = append(pts, geom.V3(0.1+0.045*float32(i), 0, 0.5+0.3*float32(math.Sin(float64(i)/4))))
	}
	whole := stroke("w", map[string][]float32{"metallic": {0.8}}, pts...)
	doc := func(s *brush.Stroke) *stack.Document {
		l := layer("paint", stack.Paint, map[stack.Channel]stack.Coat{stack.Metallic: {On: true, Amount: 1}})
		l.Strokes = []*brush.Stroke{stroke("old", map[string][]float32{"metallic": {0.3}}, pts[3], pts[9]), s}
		return &stack.Document{Layers: []*stack.Layer{l}}
	}
	sc := NewScene(m, cache.New(1<<28))
	for n := 1; n <= len(pts); n += 3 {
		part := *whole
		part.Points = whole.Points[:n]
		for _, tile := range surface.Tiles(0, 256) {
			evaluate(t, Compile(sc, doc(&part), "paint", "w"), tile, stack.Metallic)
		}
	}
	fresh := NewScene(m, cache.New(1<<28))
	for _, tile := range surface.Tiles(0, 256) {
		live := evaluate(t, Compile(sc, doc(whole), "paint", "w"), tile, stack.Metallic)
		once := evaluate(t, Compile(fresh, doc(whole), "", ""), tile, stack.Metallic)
		if !slices.Equal(live[0], once[0]) {
			t.Fatalf("tile %v: the live stroke differs from the finished one", tile)
		}
	}
}

// What a draft shows is what the settled size shows, within what a coarser texel
// can hold.
func TestLevelsAgree(t *testing.T) {
	m, d := strip(t, false), busyDocument()
	p := Compile(NewScene(m, cache.New(1<<30)), d, "", "")
	worst := 0.0
	for i := range 40 {
		place := geom.V3(0.15+0.042*float32(i), 0, 0.3+0.01*float32(i%30))
		if math.Abs(float64(place.X-1)) < 0.05 {
			continue
		}
		a := probe(t, p, 0, 1024, place, stack.BaseColor)
		b := probe(t, p, 0, 512, place, stack.BaseColor)
		worst = max(worst, math.Abs(float64(a-b)))
	}
	if worst > 0.12 {
		t.Fatalf("a level differs from the next by %.3f", worst)
	}
}

// An edit above leaves what lies below in the cache; undo finds everything there.
func TestKeysChangeOnlyWhereTheStrokeIs(t *testing.T) {
	m, d := strip(t, false), busyDocument()
	sc := NewScene(m, cache.New(1<<30))
	p := Compile(sc, d, "paint", "")
	s := stroke("new", map[string][]float32{"baseColor": {0, 1, 0}}, geom.V3(0.2, 0, 0.85))
	s.Radius = 0.04
	next, inv, label, err := step.Rules.Apply(d, stack.AddStroke{Target: "paint", StrokeID: "new", Stroke: s, Index: -1})
	if err != nil || label == "" {
		t.Fatal(err, label)
	}
	q := Compile(sc, next, "paint", "")
	changed := 0
	tiles := surface.Tiles(0, 1024)
	for _, tile := range tiles {
		if p.Key(sc.OnTile(tile), stack.BaseColor) != q.Key(sc.OnTile(tile), stack.BaseColor) {
			changed++
		}
		if p.Key(sc.OnTile(tile), stack.Roughness) != q.Key(sc.OnTile(tile), stack.Roughness) {
			t.Fatal("a colour stroke changes the key of roughness")
		}
	}
	if changed == 0 || changed > 4 {
		t.Fatalf("a dab of 4 cm changes the keys of %d of %d tiles", changed, len(tiles))
	}
	back, _, _, err := step.Rules.Apply(next, inv)
	if err != nil {
		t.Fatal(err)
	}
	for _, tile := range tiles {
		if Compile(sc, back, "", "").Key(sc.OnTile(tile), stack.BaseColor) != p.Key(sc.OnTile(tile), stack.BaseColor) {
			t.Fatal("undo does not bring the key back")
		}
	}
}

func TestCancelStopsAndCacheStaysBounded(t *testing.T) {
	m, d := strip(t, false), busyDocument()
	c := cache.New(1 << 20)
	p := Compile(NewScene(m, c), d, "", "")
	for _, tile := range surface.Tiles(0, 1024) {
		evaluate(t, p, tile, stack.BaseColor)
		if used, _, _ := c.Stats(); used > 1<<21 {
			t.Fatalf("the cache holds %d bytes of 1 MiB", used)
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := Compile(NewScene(m, cache.New(1<<20)), d, "", "").Channel(ctx, p.Scene.OnTile(surface.Tiles(0, 512)[0]), stack.BaseColor); err == nil {
		t.Fatal("a cancelled evaluation goes on")
	}
}

func TestReachLimitsALayerToItsSheet(t *testing.T) {
	m := strip(t, true)
	l := layer("only", stack.Fill, map[stack.Channel]stack.Coat{stack.Metallic: coat(1)})
	l.Reach.Sheets = []string{"B"}
	p := Compile(NewScene(m, cache.New(1<<26)), &stack.Document{Layers: []*stack.Layer{l}}, "", "")
	if a, b := probe(t, p, 0, 256, geom.V3(.5, 0, .5), stack.Metallic), probe(t, p, 1, 256, geom.V3(1.5, 0, .5), stack.Metallic); a != 0 || b != 1 {
		t.Fatalf("metallic is %v outside and %v inside the reach", a, b)
	}
}

// A stroke ends (Forget) while tiles are still being drawn with it.
func TestForgettingAStrokeWhileItIsDrawnDoesNotLock(t *testing.T) {
	m := strip(t, false)
	sc := NewScene(m, cache.New(0)) // nothing is kept, so every use looks up bounds and coverage
	done := make(chan struct{})
	go func() {
		defer close(done)
		for i := range 60 {
			s := stroke("s", map[string][]float32{"metallic": {1}}, geom.V3(0.1, 0, 0.5), geom.V3(0.1+float32(i)*0.02, 0, 0.5), geom.V3(1.2, 0, 0.2))
			l := layer("paint", stack.Paint, map[stack.Channel]stack.Coat{stack.Metallic: {On: true, Amount: 1}})
			l.Strokes = []*brush.Stroke{s}
			p := Compile(sc, &stack.Document{Layers: []*stack.Layer{l}}, "paint", "s")
			for _, tile := range surface.Tiles(0, 256) {
				_, _ = p.Channel(context.Background(), sc.OnTile(tile), stack.Metallic)
			}
		}
	}()
	go func() {
		for {
			select {
			case <-done:
				return
			default:
				sc.Forget("s")
			}
		}
	}()
	select {
	case <-done:
	case <-time.After(10 * time.Minute):
		t.Fatal("drawing and forgetting wait for each other")
	}
}
