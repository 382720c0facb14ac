package way

import (
	"context"
	"errors"
	"math"
	"strings"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// bent is two plates of one metre that meet at a right angle along the edge x = 1, each a part
// of its own: over the surface it is farther than through the air.
func bent(t *testing.T) *Ground {
	t.Helper()
	m := &mesh.Model{Parts: []mesh.Part{{Name: "floor"}, {Name: "wall"}}, Sheets: []mesh.Sheet{{Name: "s"}}}
	const n = 12
	add := func(part uint16, at func(u, v float32) geom.Vec3, nrm geom.Vec3) {
		base := uint32(len(m.Pos))
		for i := range n + 1 {
			for j := range n + 1 {
				m.Pos, m.Nrm, m.UV = append(m.Pos, at(float32(i)/n, float32(j)/n)), append(m.Nrm, nrm), append(m.UV, geom.Vec2{})
			}
		}
		for i := range uint32(n) {
			for j := range uint32(n) {
				a := base + i*(n+1) + j
				m.Tri = append(m.Tri, [3]uint32{a, a + 1, a + n + 1}, [3]uint32{a + 1, a + n + 2, a + n + 1})
				m.TriPart, m.TriSheet = append(m.TriPart, part, part), append(m.TriSheet, 0, 0)
			}
		}
	}
	add(0, func(u, v float32) geom.Vec3 { return geom.V3(u, 0, v) }, geom.V3(0, 1, 0))
	add(1, func(u, v float32) geom.Vec3 { return geom.V3(1, v, u) }, geom.V3(-1, 0, 0))
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	g, err := NewGround(t.Context(), m, 4000)
	if err != nil {
		t.Fatal(err)
	}
	return g
}

// at reads what was found at a place of a triangle's surface.
func at(f Found, p, n geom.Vec3, tri int32) float32 {
	out := make([]float32, 1)
	f.Row(raster.Point(p, n, tri), out)
	return out[0]
}

var (
	up   = geom.V3(0, 1, 0)
	west = geom.V3(-1, 0, 0)
)

// A distance to points goes over the surface, round the corner; a touch is in radii, and far
// away it is 2.
func TestDistancesGoOverTheSurface(t *testing.T) {
	g := bent(t)
	wall := int32(2 * 12 * 12)
	d, err := distance{From: "points", Points: [][]float32{{0.5, 0, 0.5}}, Far: 2}.Find(t.Context(), g, nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		p, n geom.Vec3
		tri  int32
		want float64
	}{{geom.V3(0.8, 0, 0.5), up, 0, 0.3}, {geom.V3(0.5, 0, 0.1), up, 0, 0.4}, {geom.V3(1, 0.5, 0.5), west, wall, 1.0}} {
		if v := float64(at(d, c.p, c.n, c.tri)); math.Abs(v-c.want) > 0.06 {
			t.Errorf("at %v it is %.3f m over the surface, want %.3f", c.p, v, c.want)
		}
	}
	f, err := touch{[]stack.Touch{{Name: "latch", Pos: [3]float32{0.5, 0, 0.5}, Radius: 0.2}}}.Find(t.Context(), g, nil)
	if err != nil {
		t.Fatal(err)
	}
	if v := at(f, geom.V3(0.6, 0, 0.5), up, 0); math.Abs(float64(v-0.5)) > 0.2 {
		t.Errorf("half a radius away a touch is %.2f radii away", v)
	}
	if v := at(f, geom.V3(1, 0.9, 0.5), west, wall); v != 2 {
		t.Errorf("far away a touch is %.2f radii away, want 2", v)
	}
}

// The joint of two parts is where they meet.
func TestTheJointIsWhereTheyMeet(t *testing.T) {
	g := bent(t)
	f, err := joint{}.Find(t.Context(), g, nil)
	if err != nil {
		t.Fatal(err)
	}
	near, far := at(f, geom.V3(0.99, 0, 0.5), up, 0), at(f, geom.V3(0.75, 0, 0.5), up, 0)
	if near > 0.06 || far < 0.15 || far > 0.35 {
		t.Errorf("one and twenty-five centimetres from the joint it is %.3f and %.3f m away", near, far)
	}
}

// The key of a way is made of all that it depends on: each change of its parameters or of a
// fact that it reads is another key, and the same is the same.
func TestTheKeyIsAllThatAWayDependsOn(t *testing.T) {
	key := func(name string, params map[string]any, c stack.Conditions) string {
		in, _ := step.NewInput(&stack.Step{ID: "s", Kind: "gradient-distance", Params: params}, nil, geom.Box{})
		w, err := Of(name, in, &c, 0.01)
		if err != nil {
			t.Fatal(err)
		}
		k := Key(name, w).Bytes()
		return string(k[:])
	}
	usual := *stack.Usual()
	first := key("distance", map[string]any{"from": "parts", "parts": []any{"floor"}, "far": 0.2}, usual)
	if first != key("distance", map[string]any{"from": "parts", "parts": []any{"floor"}, "far": 0.2}, usual) {
		t.Error("two equal ways have different keys")
	}
	seen := map[string]string{first: "the first"}
	for what, p := range map[string]map[string]any{
		"another part": {"from": "parts", "parts": []any{"wall"}, "far": 0.2},
		"farther":      {"from": "parts", "parts": []any{"floor"}, "far": 0.3},
		"to points":    {"from": "points", "points": []any{[]any{0.0, 0.0, 0.0}}, "far": 0.2},
		"other points": {"from": "points", "points": []any{[]any{0.0, 0.0, 1.0}}, "far": 0.2},
	} {
		k := key("distance", p, usual)
		if other, ok := seen[k]; ok {
			t.Errorf("%s has the key of %s", what, other)
		}
		seen[k] = what
	}
	touched := usual
	touched.Touch = []stack.Touch{{Name: "latch", Radius: 0.1}}
	if key("touch", nil, usual) == key("touch", nil, touched) {
		t.Error("other touch points, the same key")
	}
	dry := usual
	dry.Rain = [3]float32{1, 0, 0}
	if key("joint", nil, usual) != key("joint", nil, dry) {
		t.Error("what a way does not read is in its key")
	}
}

// Each way stops when the context ends; one that is not there is named.
func TestWaysStopAndAreNamed(t *testing.T) {
	g := bent(t)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := NewGround(ctx, g.Model, 4000); !errors.Is(err, context.Canceled) {
		t.Errorf("the ground: %v", err)
	}
	in, _ := step.NewInput(&stack.Step{ID: "s", Kind: "gradient-distance", Params: map[string]any{"from": "parts", "parts": []any{"wall"}}}, nil, geom.Box{})
	w, err := Of("distance", in, nil, 0.01)
	if err != nil {
		t.Fatal(err)
	}
	if f, err := w.Find(ctx, g, nil); !errors.Is(err, context.Canceled) || f != nil {
		t.Errorf("a distance gives %v, %v", f, err)
	}
	if _, err := Of("shortcut", in, nil, 1); err == nil || !strings.Contains(err.Error(), `"shortcut"`) {
		t.Errorf("an unknown way: %v", err)
	}
	if len(Names()) < 5 {
		t.Errorf("there are but %v", Names())
	}
}
