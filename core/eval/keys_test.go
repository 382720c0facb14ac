package eval

import (
	"fmt"
	"image"
	"image/color"
	"maps"
	"math/rand/v2"
	"os"
	"reflect"
	"slices"
	"strings"
	"sync"
	"testing"

	_ "velvetgrime/core/agent"
	"velvetgrime/core/bake"
	"velvetgrime/core/blend"
	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/fold"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// The property of this file: whatever is changed in a document, a scene that knows what
// came before gives what a scene that knows nothing gives, to the last bit. So a key that
// leaves out something that was read cannot stay unnoticed.

// full also tries what takes long: the soak sets it.
var full = os.Getenv("VELVETGRIME_SOAK") != ""

// workbench is a model with pictures under names, on which documents are evaluated warm and
// fresh. What depends on the model alone is shared, so that a fresh scene is quick.
type workbench struct {
	m      *mesh.Model
	shared *surface.Scene // what is shared
	tiles  []surface.Tile
	cache  int
	upper  bool          // only the upper layer's mask is looked at
	points *raster.Frame // in place of tiles only the upper layer's mask at these points is looked at; nil: tiles
}

func newBench(t *testing.T, m *mesh.Model, size int) *workbench {
	t.Helper()
	b := &workbench{m: m, shared: surface.NewScene(m, nil), cache: 64 << 20}
	b.shared.GroundPoints = 2500
	// the fullest tile, and one that lies at a border
	s := b.scene()
	all := surface.Tiles(0, size)
	slices.SortFunc(all, func(x, y surface.Tile) int { return s.OnTile(y).Frame().Covered - s.OnTile(x).Frame().Covered })
	b.tiles = all[:min(2, len(all))]
	return b
}

func (b *workbench) scene() *Scene {
	s := &Scene{Scene: b.shared.Fresh(cache.New(b.cache)), known: fold.NewKnown()}
	s.Picture = func(name string) (*pix.Picture, error) { return picture(name), nil }
	return s
}

// picture makes a picture out of its name: another name, another picture.
var picture = func() func(string) *pix.Picture {
	var mu sync.Mutex
	known := map[string]*pix.Picture{}
	return func(name string) *pix.Picture {
		mu.Lock()
		defer mu.Unlock()
		if p := known[name]; p != nil {
			return p
		}
		seed := uint64(1)
		for _, c := range name {
			seed = seed*131 + uint64(c)
		}
		r := rand.New(rand.NewPCG(seed, 7))
		img := image.NewNRGBA(image.Rect(0, 0, 64, 64))
		for i := range 64 * 64 {
			img.SetNRGBA(i%64, i/64, color.NRGBA{uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(r.IntN(256)), 255})
		}
		known[name] = pix.NewPicture(img)
		return known[name]
	}
}()

// result is everything that a document shows on the bench's tiles.
func (b *workbench) result(t *testing.T, s *Scene, d *stack.Document, live string) (out []pix.Plane) {
	t.Helper()
	hot := ""
	if len(d.Layers) > 0 {
		hot = d.Layers[len(d.Layers)-1].ID
	}
	p := Compile(s, d, hot, live)
	mask := func(u *surface.Surface, layer string) {
		m, err := p.Mask(t.Context(), u, layer)
		if err != nil {
			m = pix.Plane{Value: 17} // it fails in both, or it is seen
		}
		out = append(out, m)
	}
	switch {
	case b.points != nil:
		mask(s.OnFrame(b.points, "points"), hot)
		return out
	case b.upper:
		mask(s.OnTile(b.tiles[0]), hot)
		return out
	}
	for _, tile := range b.tiles {
		for _, c := range []stack.Channel{stack.BaseColor, stack.Roughness, stack.Height} {
			v, err := p.Channel(t.Context(), s.OnTile(tile), c)
			if err != nil {
				v = []pix.Plane{{Value: 17}}
			}
			out = append(out, v...)
		}
		d.Walk(func(l *stack.Layer, _ []*stack.Layer) { mask(s.OnTile(tile), l.ID) })
	}
	return out
}

func different(a, b []pix.Plane) (n int) {
	if len(a) != len(b) {
		return -1
	}
	for k := range a {
		for i := range max(len(a[k].Data), len(b[k].Data), 1) {
			if a[k].At(i) != b[k].At(i) {
				n++
			}
		}
	}
	return n
}

// conditionsOf are conditions with every fact set to something that shows.
func conditionsOf(m *mesh.Model) *stack.Conditions {
	c := stack.Usual()
	p := m.Pos[m.Tri[len(m.Tri)/2][0]]
	c.Touch = []stack.Touch{{Name: "here", Pos: [3]float32{p.X, p.Y, p.Z}, Radius: 0.05}}
	c.Water, c.Ground = 0.03, 0.01
	return c
}

func prepared(m *mesh.Model) *stack.Prepared {
	p := &stack.Prepared{Baked: map[string]map[string]stack.Baked{}}
	for _, s := range m.Sheets {
		all := map[string]stack.Baked{}
		for _, k := range bake.Maps() {
			name := k.Name
			all[name] = stack.Baked{Picture: s.Name + name, Size: 64, Range: [2]float32{0, 1}}
		}
		p.Baked[s.Name] = all
	}
	return p
}

// around is a document with a step in the mask of its upper layer, over two others that
// can be followed.
func (b *workbench) around(s *stack.Step) *stack.Document {
	names := []string{}
	for _, sh := range b.m.Sheets {
		names = append(names, sh.Name)
	}
	d := stack.New(names, b.tiles[0].Size)
	d.Prepared, d.Conditions = prepared(b.m), conditionsOf(b.m)
	under := &stack.Layer{ID: "under", Name: "Under", Kind: stack.Fill, Visible: true, Amount: 1, Channels: coats{stack.BaseColor: met("normal", 1, 0.6, 0.3, 0.2), stack.Height: {On: true, Amount: 1, Blend: "add", Value: []float32{0.002}}},
		Mask: row(&stack.Step{ID: "u", Kind: "noise", On: true, Amount: 1, Params: map[string]any{"frequency": 30.0}})}
	other := &stack.Layer{ID: "other", Name: "Other", Kind: stack.Fill, Visible: true, Amount: 1, Channels: coats{stack.Roughness: met("normal", 1, 0.8)}, Mask: row(&stack.Step{ID: "o", Kind: "noise", On: true, Amount: 1, Params: map[string]any{"frequency": 60.0, "seed": 5.0}})}
	top := fill("top", 1, coats{stack.BaseColor: met("normal", 1, 0.1, 0.2, 0.9), stack.Roughness: met("normal", 1, 0.2)}, &stack.Step{ID: "first", Kind: "noise", On: true, Amount: 1, Params: map[string]any{"frequency": 20.0}}, s)
	d.Layers = []*stack.Layer{under, other, top}
	return d
}

func row(steps ...*stack.Step) []*stack.Step { return steps }

// values are some that a parameter can have, none its default.
func values(p step.Param, m *mesh.Model) []any {
	at := func(i int) []any {
		v := m.Pos[m.Tri[i][0]]
		return []any{float64(v.X), float64(v.Y), float64(v.Z)}
	}
	switch p.Kind {
	case "number":
		lo, hi := p.Min, p.Max
		if d, ok := p.Default.(float64); ok && (p.Log || p.Unit == "m" || hi > 20) { // far from its range's middle
			return []any{min(max(1.7*d, lo+0.001*(hi-lo)), hi)}
		}
		return []any{lo + 0.31*(hi-lo)}
	case "integer", "seed":
		return []any{min(p.Min+3, p.Max), min(p.Min+1, p.Max)}
	case "choice":
		var out []any
		for _, c := range p.Choices {
			if c != p.Default {
				out = append(out, c)
			}
		}
		return out
	case "switch":
		return []any{p.Default == false}
	case "color":
		return []any{[]any{0.2, 0.7, 0.4}}
	case "ramp":
		return []any{[]any{[]any{0.1, 0.9, 0.1, 0.3}, []any{0.8, 0.2, 0.6, 0.1}}}
	case "curve":
		return []any{[]any{[]any{0.0, 0.7}, []any{0.6, 0.1}, []any{1.0, 0.8}}}
	case "direction":
		return []any{[]any{0.3, 0.5, 0.8}}
	case "point":
		return []any{at(3)}
	case "points":
		return []any{[]any{at(1), at(len(m.Tri) / 3)}}
	case "names":
		return []any{[]any{m.Parts[0].Name}}
	case "numbers":
		return []any{[]any{0.0, float64(min(40, len(m.Tri)))}}
	case "picture":
		return []any{"a picture", "another picture"}
	case "layer":
		return []any{"under", "other", stack.Below}
	case "output":
		return []any{stack.MaskStream, string(stack.Height), string(stack.BaseColor)}
	}
	return nil
}

// Every parameter of every registered step, one after another in one scene.
func TestWarmIsFreshForEveryParameter(t *testing.T) {
	b := newBench(t, sample.Trial(), 128)
	b.tiles = b.tiles[:1]
	onTile := *b
	onTile.upper = true // agents read blurs, which are quicker from a tile than at single points
	tile := b.scene().OnTile(b.tiles[0]).Frame()
	b.points = &raster.Frame{H: 1, Footprint: tile.Footprint}
	for i := 0; i < len(tile.Tri); i += 13 {
		if tile.Inside[i] {
			b.points.Pos, b.points.Nrm, b.points.Tri = append(b.points.Pos, tile.Pos[i]), append(b.points.Nrm, tile.Nrm[i]), append(b.points.Tri, tile.Tri[i])
		}
	}
	b.points.W = len(b.points.Pos)
	b.points.Seal()
	common := map[string]bool{} // parameters of more than one agent
	first := map[string]bool{}
	for _, d := range step.Descriptions() {
		for _, p := range d.Params {
			if d.Role == "agent" {
				common[p.Name] = common[p.Name] || first[p.Name]
				first[p.Name] = true
			}
		}
	}
	count, shows := 0, 0
	var mu sync.Mutex
	t.Run("all", func(t *testing.T) {
		for _, d := range step.Descriptions() {
			if d.Hand { // what is painted is tried below
				continue
			}
			t.Run(d.Kind, func(t *testing.T) {
				t.Parallel()
				b := b
				if d.Role == "agent" {
					b = &onTile
				}
				base := &stack.Step{ID: "it", Kind: d.Kind, On: true, Amount: 0.8, Blend: "normal", Params: map[string]any{}}
				if d.Inner != "" {
					base.Steps = []*stack.Step{{ID: "in", Kind: "noise", On: true, Amount: 1, Params: map[string]any{"frequency": 40.0}}}
				}
				for _, p := range d.Params { // what it needs before anything shows
					switch p.Kind {
					case "picture", "points", "names", "numbers":
						base.Params[p.Name] = values(p, b.m)[0]
					case "layer":
						base.Params[p.Name] = "other"
					}
				}
				warm := b.scene()
				first := b.result(t, warm, b.around(base), "")
				some := false
				try := func(what string, s *stack.Step, change func(d *stack.Document)) {
					doc := b.around(s)
					if change != nil {
						change(doc)
					}
					if err := step.Rules.Check(doc); err != nil {
						return // it cannot be set
					}
					got, want := b.result(t, warm, doc, ""), b.result(t, b.scene(), doc, "")
					if n := different(got, want); n != 0 {
						t.Errorf("%s: %d values differ from a fresh scene's", what, n)
					}
					some = some || different(want, first) != 0
					mu.Lock()
					count++
					if different(want, first) != 0 {
						shows++
					}
					mu.Unlock()
				}
				with := func(change func(s *stack.Step)) *stack.Step {
					s := *base
					s.Params = maps.Clone(base.Params)
					change(&s)
					return &s
				}
				for _, p := range d.Params {
					if d.Role == "agent" && !full && d.Kind != "rub" && common[p.Name] {
						continue // all agents have it, from one place
					}
					for i, v := range values(p, b.m) {
						if i > 0 && d.Role == "agent" && !full {
							break
						}
						try(fmt.Sprintf("%s = %v", p.Name, v), with(func(s *stack.Step) { s.Params[p.Name] = v }), nil)
					}
				}
				try("off", with(func(s *stack.Step) { s.On = false }), nil)
				try("amount", with(func(s *stack.Step) { s.Amount = 0.4 }), nil)
				try("blend", with(func(s *stack.Step) { s.Blend = "multiply" }), nil)
				if base.Steps != nil {
					try("what is in it", with(func(s *stack.Step) {
						s.Steps = []*stack.Step{{ID: "in", Kind: "noise", On: true, Amount: 1, Params: map[string]any{"frequency": 90.0}}}
					}), nil)
				}
				if d.Role == "agent" || d.Special || d.Surface != nil || d.Reads != nil {
					for name, change := range factChanges(b.m) {
						if d.Role == "agent" && !full && slices.Contains([]string{"Wind", "Rain", "SunAt", "Sun", "Ground", "Water"}, name) && d.Kind != "run" && d.Kind != "tide" && d.Kind != "bleach" {
							continue // the key of an agent holds all facts
						}
						if what, ok := strings.CutPrefix(name, "baked "); ok && !full && d.Role == "agent" && !slices.Contains(d.Needs, what) || strings.HasPrefix(name, "no ") && !full {
							continue
						}
						try("conditions: "+name, base, change)
					}
				}
				if n := different(b.result(t, warm, b.around(base), ""), first); n != 0 {
					t.Errorf("back where it began %d values differ", n)
				}
				if !some {
					t.Error("nothing that was changed showed: the test proves nothing here")
				}
			})
		}
	})
	t.Logf("%d changes, of which %d show", count, shows)
	if count < 350 || shows < count/2 {
		t.Errorf("only %d changes, of which %d show", count, shows)
	}
}

// factChanges change each of the conditions, each baked map, and the layers around.
func factChanges(m *mesh.Model) map[string]func(d *stack.Document) {
	out := map[string]func(d *stack.Document){}
	n := reflect.TypeOf(stack.Conditions{}).NumField()
	for i := range n {
		f := reflect.TypeOf(stack.Conditions{}).Field(i)
		out[f.Name] = func(d *stack.Document) {
			c := *d.Conditions
			v := reflect.ValueOf(&c).Elem().Field(i)
			switch f.Type.Kind() {
			case reflect.Float32:
				v.SetFloat(v.Float()*0.5 + 0.02)
			case reflect.Array:
				v.Set(reflect.ValueOf([3]float32{0.4, -0.7, 0.3}))
			case reflect.Slice:
				p := m.Pos[m.Tri[len(m.Tri)/5][0]]
				v.Set(reflect.ValueOf([]stack.Touch{{Name: "there", Pos: [3]float32{p.X, p.Y, p.Z}, Radius: 0.08}}))
			}
			d.Conditions = &c
		}
	}
	for name := range prepared(m).Baked[m.Sheets[0].Name] {
		out["baked "+name] = func(d *stack.Document) {
			p := *d.Prepared
			p.Baked = map[string]map[string]stack.Baked{}
			for sheet, all := range d.Prepared.Baked {
				all = maps.Clone(all)
				all[name] = stack.Baked{Picture: sheet + name + " anew", Size: 64, Range: [2]float32{0, 1}}
				p.Baked[sheet] = all
			}
			d.Prepared = &p
		}
		out["no "+name] = func(d *stack.Document) {
			p := *d.Prepared
			p.Baked = map[string]map[string]stack.Baked{}
			for sheet, all := range d.Prepared.Baked {
				all = maps.Clone(all)
				delete(all, name)
				p.Baked[sheet] = all
			}
			d.Prepared = &p
		}
	}
	out["what it follows"] = func(d *stack.Document) {
		l := *d.Layers[1]
		l.Mask = row(&stack.Step{ID: "o", Kind: "noise", On: true, Amount: 1, Params: map[string]any{"frequency": 33.0}})
		d.Layers[1] = &l
	}
	out["what lies below"] = func(d *stack.Document) {
		l := *d.Layers[0]
		l.Amount = 0.3
		d.Layers[0] = &l
	}
	return out
}

// Every field of a stroke: the same id with anything else changed is another stroke.
func TestWarmIsFreshForEveryFieldOfAStroke(t *testing.T) {
	b := newBench(t, whole(t), 512)
	base := func() []*brush.Stroke {
		return []*brush.Stroke{pull("mark", "", 20, [2]float32{60, 60}, [2]float32{110, 66}), pull("it", "", 16, [2]float32{62, 58}, [2]float32{80, 80}, [2]float32{120, 64})}
	}
	kit := func() *brush.Kit {
		return &brush.Kit{Spacing: 0.2, Flow: 0.6, Scatter: 0.3, SizeJitter: 0.3, Grain: &brush.Grain{Kind: "grit", Size: 5 * texel, Amount: 0.6}}
	}
	area := &brush.Area{Faces: []int32{0, 120}, Box: geom.Box{Min: geom.V3(0, 0, 0), Max: geom.V3(0.5, 0, 0.5)}}
	changes := map[string]func(s *brush.Stroke){
		"radius": func(s *brush.Stroke) { s.Radius *= 1.2 }, "strength": func(s *brush.Stroke) { s.Strength = 0.4 }, "hardness": func(s *brush.Stroke) { s.Hardness = 0.1 },
		"erase": func(s *brush.Stroke) { s.Erase = true }, "values": func(s *brush.Stroke) { s.Values = map[string][]float32{"mask": {0.3}} },
		"a point": func(s *brush.Stroke) { s.Points[1].Pos.Z += 9 * texel }, "the last point": func(s *brush.Stroke) { s.Points[2].Pos.X += 9 * texel }, "pressure": func(s *brush.Stroke) { s.PenFlow = true; s.Points[1].Pressure = 0.3 },
		"pen size": func(s *brush.Stroke) { s.PenSize = true; s.Points[1].Pressure = 0.3 }, "normal": func(s *brush.Stroke) { s.Points[1].Nrm = geom.V3(0.6, 0.8, 0) },
		"blend": func(s *brush.Stroke) {
			s.Blend = blend.Mode("multiply")
			s.Values = map[string][]float32{"mask": {0.5}}
		}, "kit": func(s *brush.Stroke) { s.Kit = kit() },
		"mirror": func(s *brush.Stroke) { s.Mirror = &brush.Mirror{At: geom.V3(0.3, 0, 0), Planes: []geom.Vec3{{X: 1}}} }, "within": func(s *brush.Stroke) { s.Within = area },
		"fill": func(s *brush.Stroke) { s.Within, s.Fill = area, &brush.Fill{} },
		"ramp": func(s *brush.Stroke) { s.Within, s.Fill = area, &brush.Fill{Ramp: true, To: geom.V3(0.5, 0, 0)} },
		"along": func(s *brush.Stroke) {
			s.Within, s.Fill = area, &brush.Fill{Ramp: true, Along: true, To: geom.V3(0.5, 0, 0)}
		},
		"eye":  func(s *brush.Stroke) { s.Eye = &geom.Vec3{X: 0.1, Y: -1, Z: 0.1} },
		"seed": func(s *brush.Stroke) { s.Kit, s.Seed = kit(), "another" },
		"flip": func(s *brush.Stroke) {
			s.Kit, s.Flip = &brush.Kit{Spacing: 0.2, Flow: 1, Tip: "chalk", AngleJitter: 0.2}, true
		},
		"up": func(s *brush.Stroke) { s.Kit, s.Up = &brush.Kit{Spacing: 0.2, Flow: 1, Round: 0.3}, geom.V3(1, 0, 0.4) },
		"tilt": func(s *brush.Stroke) {
			s.Kit, s.Tilt = &brush.Kit{Spacing: 0.2, Flow: 1, Pen: []brush.Drive{{What: "size", By: "tilt", From: 0.2, To: 1}}}, []float32{0, 1, 0.5}
		},
		"lighten": func(s *brush.Stroke) { s.Does = brush.Lighten }, "darken": func(s *brush.Stroke) { s.Does = brush.Darken }, "soften": func(s *brush.Stroke) { s.Does = brush.Soften },
		"sharpen": func(s *brush.Stroke) { s.Does = brush.Sharpen }, "smear": func(s *brush.Stroke) { s.Does = brush.Smear }, "pinch": func(s *brush.Stroke) { s.Does = brush.Pinch }, "flatten": func(s *brush.Stroke) { s.Does = brush.Flatten },
		"clone": func(s *brush.Stroke) {
			s.Does, s.Take = brush.Clone, &brush.Take{At: geom.V3(0.25, 0, 0.25), Nrm: geom.V3(0, 1, 0)}
		},
		"clone from elsewhere": func(s *brush.Stroke) {
			s.Does, s.Take = brush.Clone, &brush.Take{At: geom.V3(0.35, 0, 0.25), Nrm: geom.V3(0, 1, 0)}
		},
		"clone that stays": func(s *brush.Stroke) {
			s.Does, s.Take = brush.Clone, &brush.Take{At: geom.V3(0.35, 0, 0.25), Nrm: geom.V3(0, 1, 0), Stays: true}
		},
	}
	for _, e := range brush.Effects() {
		if changes[e.Name] == nil && e.Name != brush.Paint && e.Name != brush.Opposite { // side_test has that
			t.Errorf("no change tries what %q reads", e.Name)
		}
	}
	warm := b.scene()
	count := 0
	document := func(list []*brush.Stroke) *stack.Document { return doc(masked1(handOf(list...))) }
	first := b.result(t, warm, document(base()), "")
	for name, change := range changes {
		list := base()
		change(list[1])
		d := document(list)
		if err := step.Rules.Check(d); err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		got, want := b.result(t, warm, d, ""), b.result(t, b.scene(), d, "")
		if n := different(got, want); n != 0 {
			t.Errorf("%s: %d values differ from a fresh scene's", name, n)
		}
		if different(want, first) == 0 && name != "normal" && name != "flatten" && name != "seed" && name != "flip" && name != "tilt" {
			t.Errorf("%s shows nothing", name)
		}
		// and while it grows: the same id again with other settings
		for n := 2; n <= 3; n++ {
			part := *list[1]
			part.Points = part.Points[:n:n]
			if part.Tilt != nil {
				part.Tilt = part.Tilt[:n:n]
			}
			d := document([]*brush.Stroke{list[0], &part})
			if n := different(b.result(t, warm, d, "it"), b.result(t, b.scene(), d, "")); n != 0 {
				t.Errorf("%s, growing: %d values differ", name, n)
			}
		}
		count++
	}
	if count < 30 {
		t.Errorf("only %d were tried", count)
	}
}

// A copied layer that is painted on further shows its own stroke, and the original its own.
func TestACopiedLayerHasItsOwnStrokes(t *testing.T) {
	b := newBench(t, whole(t), 512)
	var list []*brush.Stroke
	for i := range 20 {
		list = append(list, pull(fmt.Sprint("s", i), "", 6, [2]float32{20 + 8*float32(i), 40}))
	}
	layer := func(id string, more *brush.Stroke) *stack.Layer {
		l := masked1(handOf(append(list[:len(list):len(list)], more)...))
		l.ID, l.Name = id, id
		l.Channels = coats{stack.Roughness: met("normal", 1, 0.9)}
		return l
	}
	d := doc(layer("a", pull("x", "", 12, [2]float32{60, 90})), layer("b", pull("y", "", 12, [2]float32{150, 90})))
	warm := b.scene()
	before := doc(masked1(handOf(list...)))
	b.result(t, warm, before, "")
	if n := different(b.result(t, warm, d, ""), b.result(t, b.scene(), d, "")); n != 0 {
		t.Errorf("%d values differ from a fresh scene's", n)
	}
	p := Compile(warm, d, "", "")
	at := func(layer string, x, z int) float32 {
		tile := surface.Tile{Sheet: 0, Size: 512, X: (x + 32) / 128, Y: (z + 32) / 128}
		m, err := p.Mask(t.Context(), warm.OnTile(tile), layer)
		if err != nil {
			t.Fatal(err)
		}
		return m.At((z+32-tile.Y*128+pix.Margin)*pix.Pitch + x + 32 - tile.X*128 + pix.Margin)
	}
	if at("a", 60, 90) < 0.9 || at("a", 150, 90) > 0.1 || at("b", 150, 90) < 0.9 || at("b", 60, 90) > 0.1 {
		t.Errorf("the original shows %v and %v, the copy %v and %v", at("a", 60, 90), at("a", 150, 90), at("b", 60, 90), at("b", 150, 90))
	}
}

// Random operations on a document, in a scene that keeps all and in one that can keep
// next to nothing: both give what a fresh one does.
func TestWarmIsFreshOverRandomOperations(t *testing.T) {
	b := newBench(t, cutUp(t), 512)
	roomy := b.scene()
	tiny := b.scene()
	tiny.Cache = cache.New(1 << 18) // a few tiles
	r := rand.New(rand.NewPCG(11, 12))
	d := stack.New([]string{"Sheet 1", "Sheet 2"}, 512)
	labels := decalLayer()
	soft := labels.Channels[stack.Roughness]
	soft.Source, soft.Stream = "grey", []*stack.Step{st("blur", map[string]any{"radius": 3 * texel})}
	labels.Channels[stack.Roughness] = soft
	d.Layers = []*stack.Layer{labels}
	n := 0
	name := func(what string) string { n++; return fmt.Sprint(what, n) }
	kinds := []string{"noise", "levels", "blur", "invert", "slope", "even", "warp"}
	random := func() *stack.Step {
		s := &stack.Step{ID: name("step"), Kind: kinds[r.IntN(len(kinds))], On: true, Amount: float32(0.3 + 0.7*r.Float64()), Params: map[string]any{}}
		switch s.Kind {
		case "noise":
			s.Params["seed"], s.Params["frequency"] = float64(r.IntN(50)), 2+20*r.Float64()
		case "blur":
			s.Params["radius"] = (1 + 6*r.Float64()) * texel
		case "warp":
			s.Params["radius"] = 6 * texel
			s.Steps = []*stack.Step{{ID: name("in"), Kind: "noise", On: true, Amount: 1, Params: map[string]any{"frequency": 5.0}}}
		}
		return s
	}
	var back []*stack.Document
	does := []string{"", "", "", brush.Soften, brush.Smear, brush.Darken}
	many := 20
	if full {
		many = 150
	}
	for i := range many {
		var op stack.Op
		pick := func() *stack.Layer {
			for {
				if l := d.Layers[r.IntN(len(d.Layers))]; l.Kind == stack.Fill {
					return l
				}
			}
		}
		switch k := r.IntN(12); {
		case len(d.Layers) < 3 || k == 0 && len(d.Layers) < 6:
			l := fill(name("layer"), 0.5+0.5*r.Float32(), coats{stack.Roughness: met("normal", 1, r.Float32()), stack.BaseColor: met("multiply", 0.8, r.Float32(), 0.4, 0.6)}, random(), st("hand", nil))
			l.Mask[1].ID = name("hand")
			op = stack.AddLayer{Index: r.IntN(len(d.Layers) + 1), Layer: l}
		case k == 1 && len(d.Layers) > 3:
			op = stack.RemoveLayer{Target: pick().ID}
		case k < 5: // a stroke
			l := pick()
			s := pull(name("stroke"), does[r.IntN(len(does))], 4+14*r.Float32(), [2]float32{250 * r.Float32(), 120 * r.Float32()}, [2]float32{250 * r.Float32(), 120 * r.Float32()})
			hand := l.Mask[len(l.Mask)-1]
			op = stack.AddStroke{Target: l.ID, StepID: hand.ID, StrokeID: s.ID, Index: -1, Stroke: s}
			if n := len(hand.Strokes); n > 1 { // one that is there is pulled, or laid in another order
				was := hand.Strokes[r.IntN(n)]
				s.Seed = was.ID
				op = stack.SetStroke{Target: l.ID, StepID: hand.ID, StrokeID: was.ID, By: s.ID, Stroke: s}
				if k == 4 {
					op = stack.MoveStroke{Target: l.ID, StepID: hand.ID, StrokeID: was.ID, Index: r.IntN(n)}
				}
			}
		case k == 5 && len(back) > 3: // back to an older state
			d = back[len(back)-1-r.IntN(3)]
			back = append(back, d)
			continue
		case k > 9: // a decal is set, or moved
			c := label(name("decal"), 250*r.Float32(), 120*r.Float32(), 20+60*r.Float32())
			c.Wrapped, c.Amount, c.Up = r.IntN(3) == 0, 0.4+0.6*r.Float32(), [3]float32{r.Float32() - 0.5, 0, r.Float32() - 0.5}
			if r.IntN(2) == 0 {
				c.Picture, c.Text, c.Color = "", "BERTH 7", [3]float32{0.9, r.Float32(), 0.1}
			}
			op = stack.AddDecal{Target: "labels", Index: -1, Decal: c}
			if have := d.Layer("labels").Decals; len(have) > 2 {
				c.ID = have[r.IntN(len(have))].ID
				op = stack.SetDecal{Target: "labels", Decal: c}
			}
		default:
			l := pick()
			op = stack.AddStep{Target: l.ID, Path: stack.MaskStream, Index: 0, Step: random()}
			if len(l.Mask) > 3 {
				op = stack.RemoveStep{Target: l.ID, StepID: l.Mask[0].ID}
			}
		}
		next, _, _, err := step.Rules.Apply(d, op)
		if err != nil {
			b, _ := stack.EncodeOp(op)
			t.Fatalf("operation %d: %v: %s", i, err, b)
		}
		d = next
		back = append(back, d)
		want := b.result(t, b.scene(), d, "")
		for scene, s := range map[string]*Scene{"a scene that keeps all": roomy, "a scene that keeps nothing": tiny} {
			if n := different(b.result(t, s, d, ""), want); n != 0 {
				t.Fatalf("after operation %d (%s) %s differs from a fresh one in %d values", i, op.Kind(), scene, n)
			}
		}
	}
}

// Each baked map, as channels and steps show it: another picture, size or range, and none.
// What shows it is seen in a warm scene as in a fresh one; all together at least the maps
// show that lie under channels or that a step reads.
func TestWarmIsFreshForEveryBakedMap(t *testing.T) {
	b := newBench(t, sample.Bollard(), 128)
	sheet := b.m.Sheets[0].Name
	var steps []*stack.Step
	read, _ := step.Get(stack.BakedStep)
	for _, c := range read.Params[0].Choices {
		steps = append(steps, &stack.Step{ID: c, Kind: stack.BakedStep, On: true, Amount: 0.3, Blend: "add", Params: map[string]any{"map": c}})
	}
	steps = append(steps, &stack.Step{ID: "id", Kind: stack.IDStep, On: true, Amount: 0.3, Blend: "add"})
	document := func(all map[string]stack.Baked) *stack.Document {
		d := b.around(st("noise", nil))
		d.Layers[2].Mask = append(d.Layers[2].Mask, steps...)
		d.Prepared = &stack.Prepared{Baked: map[string]map[string]stack.Baked{sheet: all}}
		return d
	}
	shown := func(s *Scene, d *stack.Document) (out []pix.Plane) {
		p := Compile(s, d, "", "")
		for _, tile := range b.tiles[:1] {
			for _, c := range []stack.Channel{stack.BaseColor, stack.Normal, stack.Occlusion} {
				v, err := p.Channel(t.Context(), s.OnTile(tile), c)
				if err != nil {
					t.Fatal(err)
				}
				out = append(out, v...)
			}
		}
		return out
	}
	first := prepared(b.m).Baked[sheet]
	warm := b.scene()
	was := shown(warm, document(first))
	showing := map[string]bool{}
	for _, k := range bake.Maps() {
		for how, change := range map[string]func(all map[string]stack.Baked){
			"another picture": func(all map[string]stack.Baked) { one := all[k.Name]; one.Picture += " anew"; all[k.Name] = one },
			"another range": func(all map[string]stack.Baked) {
				one := all[k.Name]
				one.Range = [2]float32{-0.5, 0.7}
				all[k.Name] = one
			},
			"another size":   func(all map[string]stack.Baked) { one := all[k.Name]; one.Size = 32; all[k.Name] = one },
			"numbers beside": func(all map[string]stack.Baked) { one := all[k.Name]; one.Floats = one.Picture; all[k.Name] = one },
			"none":           func(all map[string]stack.Baked) { delete(all, k.Name) },
		} {
			all := maps.Clone(first)
			change(all)
			now := shown(warm, document(all))
			if n := different(now, shown(b.scene(), document(all))); n != 0 {
				t.Errorf("%s, %s: %d values differ from a fresh scene", k.Name, how, n)
			}
			showing[k.Name] = showing[k.Name] || different(now, was) != 0
		}
		if n := different(shown(warm, document(first)), was); n != 0 {
			t.Errorf("%s: back again %d values are others", k.Name, n)
		}
	}
	for _, name := range []string{"ao", "curvature", "sky", "thickness", "normal"} {
		if !showing[name] {
			t.Errorf("no change of %s shows: nothing was tried", name)
		}
	}
}

// A sheet that is raised to a finer size keeps what is shown of it at the sizes that it had:
// it is seen as it was until finer tiles come, and nothing is evaluated twice.
func TestARaisedSheetKeepsItsCoarserTiles(t *testing.T) {
	m, _, d, _, _ := sample.Dressed("bollard")
	sc := NewScene(m, cache.New(64<<20))
	sized := func(n int) *Program {
		o, _, _, err := step.Rules.Apply(d, stack.SizeSheet{Target: m.Sheets[0].Name, Size: n})
		if err != nil {
			t.Fatal(err)
		}
		return Compile(sc, o, "", "")
	}
	small, large := sized(1024), sized(4096)
	for _, tile := range surface.Tiles(0, 512) {
		for _, c := range []stack.Channel{stack.BaseColor, stack.Roughness, stack.Height, stack.Normal} {
			if small.Key(sc.OnTile(tile), c) != large.Key(sc.OnTile(tile), c) {
				t.Fatalf("%s of tile %+v has another key in a larger sheet", c, tile)
			}
		}
	}
}
