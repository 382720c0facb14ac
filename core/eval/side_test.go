package eval

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// The strip's two squares correspond by half a turn about (1, 0.5): the mesh says so,
// there is no plane of symmetry.
func opposite(x, z float32) (float32, float32) { return 2 - x, 1 - z }

var stripPair = []any{[]any{0.2, 0.0, 0.9}, []any{1.8, 0.0, 0.1}}

// masks returns a way to read the mask of a stream on the strip.
func masks(t *testing.T, s *Scene, steps []*stack.Step) func(x, z float32) float64 {
	t.Helper()
	d := stack.New([]string{"A"}, 512)
	d.Layers = []*stack.Layer{layer("a", stack.Fill, nil, steps...)}
	if err := step.Rules.Check(d); err != nil {
		t.Fatal(err)
	}
	p := Compile(s, d, "", "")
	return func(x, z float32) float64 {
		t.Helper()
		v, err := p.Mask(context.Background(), s.OnFrame(onStrip(x, z), fmt.Sprint("side", x, z)), "a")
		if err != nil {
			t.Fatal(err)
		}
		return float64(v.At(0))
	}
}

func dab(id string, x, z float32) *brush.Stroke {
	return stroke(id, map[string][]float32{"mask": {1}}, geom.V3(x, 0, z), geom.V3(x+0.2, 0, z))
}

func TestTheOtherSideOfAStream(t *testing.T) {
	m := strip(t, false)
	s := NewScene(m, cache.New(64<<20))
	content := func() []*stack.Step { // different on both sides
		hand := st("hand", nil)
		hand.Strokes = []*brush.Stroke{dab("near", 0.3, 0.3), dab("far", 1.2, 0.2)}
		return []*stack.Step{st("noise", map[string]any{"frequency": 3.0, "octaves": 1.0}), hand}
	}
	was := masks(t, s, content())
	for _, way := range []string{"copy", "flip", "exchange"} {
		is := masks(t, s, append(content(), st(stack.OtherSide, map[string]any{"pair": stripPair, "way": way})))
		for _, x := range []float32{0.1, 0.33, 0.4, 0.55, 0.8} {
			for _, z := range []float32{0.2, 0.31, 0.7, 0.85} {
				ox, oz := opposite(x, z)
				near, far := was(x, z), was(ox, oz)
				wantNear, wantFar := near, near
				switch way {
				case "flip":
					wantNear = 0
				case "exchange":
					wantNear = far
				}
				if got := is(x, z); math.Abs(got-wantNear) > 0.02 {
					t.Errorf("%s: the near side at %.2f, %.2f is %.3f, %.3f is wanted", way, x, z, got, wantNear)
				}
				if got := is(ox, oz); math.Abs(got-wantFar) > 0.02 {
					t.Errorf("%s: the other side of %.2f, %.2f is %.3f, %.3f is wanted", way, x, z, got, wantFar)
				}
			}
		}
	}
	// half of it is the mean; without a pair nothing happens
	half := st(stack.OtherSide, map[string]any{"pair": stripPair})
	half.Amount = 0.5
	ox, oz := opposite(0.4, 0.3)
	if got, want := masks(t, s, append(content(), half))(ox, oz), (was(0.4, 0.3)+was(ox, oz))/2; math.Abs(got-want) > 0.02 {
		t.Errorf("half the other side is %.3f, %.3f is wanted", got, want)
	}
	if got, want := masks(t, s, append(content(), st(stack.OtherSide, nil)))(ox, oz), was(ox, oz); got != want {
		t.Errorf("without a pair it is %v, %v before", got, want)
	}
	// a stroke on one side changes the other's tile
	key := func(z float32) Key {
		c := content()
		c[1].Strokes[0] = dab(fmt.Sprint("near", z), 0.3, z)
		d := stack.New([]string{"A"}, 512)
		d.Layers = []*stack.Layer{layer("a", stack.Fill, nil, append(c, st(stack.OtherSide, map[string]any{"pair": stripPair}))...)}
		return Compile(s, d, "", "").MaskKey(s.OnFrame(onStrip(1.7, 0.7), "key"), "a")
	}
	if key(0.3) == key(0.5) {
		t.Error("another stroke on the near side is the same on the other")
	}
}

func TestTheOtherSideRefusesWhatDoesNotMatch(t *testing.T) {
	s := NewScene(strip(t, false), cache.New(1<<20))
	for want, pair := range map[string][2]geom.Vec3{
		"same face": {geom.V3(0.2, 0, 0.9), geom.V3(0.25, 0, 0.9)},
		"surface":   {geom.V3(0.2, 9, 0.9), geom.V3(1.8, 0, 0.1)},
	} {
		_, err := s.Counterparts(pair[0], geom.Vec3{}, pair[1], geom.Vec3{})
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v: refused with %v, not with %q", pair, err, want)
		}
	}
	for what, take := range map[string]*brush.Take{"pick two": nil, "no place on the surface": {At: geom.V3(0.2, 0, 0.9), Nrm: geom.V3(0, 1, 0)}} {
		st := dab("x", 1.5, 0.5)
		st.Does, st.Take = brush.Opposite, take
		if err := st.Check(); err == nil || !strings.Contains(err.Error(), what) {
			t.Errorf("a stroke with %+v is refused with %v", take, err)
		}
	}
}

// Under the brush the surface becomes as its counterpart is, fading with the dab; both
// ways round at once the two sides change places.
func TestTheOtherSideUnderTheBrush(t *testing.T) {
	m := strip(t, false)
	s := NewScene(m, cache.New(64<<20))
	up := geom.V3(0, 1, 0)
	over := func(id string, x, z float32, past string) *brush.Stroke {
		b := &brush.Stroke{ID: id, Radius: 0.3, Strength: 1, Hardness: 0.6, Does: brush.Opposite, Values: map[string][]float32{"mask": {1}},
			Take:   &brush.Take{At: geom.V3(0.2, 0, 0.9), Nrm: up, To: geom.V3(1.8, 0, 0.1), ToNrm: up, Past: past},
			Points: brush.Points{{Pos: geom.V3(x, 0, z), Nrm: up, Pressure: 1}}}
		return b
	}
	stream := func(list ...*brush.Stroke) []*stack.Step {
		hand := st("hand", nil)
		hand.Strokes = list
		return []*stack.Step{st("even", map[string]any{"value": 0.0}), hand}
	}
	near, far := dab("near", 0.3, 0.4), dab("far", 1.45, 0.45)
	was := masks(t, s, stream(near, far))
	is := masks(t, s, stream(near, far, over("here", 1.6, 0.6, "")))
	for _, c := range [][2]float32{{1.6, 0.6}, {1.5, 0.5}, {1.7, 0.65}, {1.55, 0.7}} {
		ox, oz := opposite(c[0], c[1])
		if got, want := is(c[0], c[1]), was(ox, oz); math.Abs(got-want) > 0.02 {
			t.Errorf("under the brush at %v it is %.3f, its counterpart %.3f", c, got, want)
		}
		if got, want := is(ox, oz), was(ox, oz); got != want {
			t.Errorf("what is taken from changed from %v to %v", want, got)
		}
	}
	// halfway out the dab it is halfway between
	x, z := float32(1.6+0.3*0.8), float32(0.6)
	ox, oz := opposite(x, z)
	lo, hi := min(was(x, z), was(ox, oz)), max(was(x, z), was(ox, oz))
	if got := is(x, z); hi-lo > 0.2 && (got < lo+0.05 || got > hi-0.05) {
		t.Errorf("at the dab's rim it is %.3f, between %.3f and %.3f", got, lo, hi)
	}
	a, b := opposite(1.6, 0.6)
	both := masks(t, s, stream(near, far, over("one", 1.6, 0.6, ""), over("two", a, b, "one")))
	for _, c := range [][2]float32{{1.6, 0.6}, {1.5, 0.5}, {1.7, 0.65}} {
		ox, oz := opposite(c[0], c[1])
		if x, y := both(c[0], c[1]), both(ox, oz); math.Abs(x-was(ox, oz)) > 0.02 || math.Abs(y-was(c[0], c[1])) > 0.02 {
			t.Errorf("exchanged at %v the sides are %.3f and %.3f, they were %.3f and %.3f", c, x, y, was(c[0], c[1]), was(ox, oz))
		}
	}
}
