package eval

import (
	"math"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
)

// pull is a stroke over the plate, in texels of its one sheet.
func pull(id, does string, radius float32, pts ...[2]float32) *brush.Stroke {
	s := &brush.Stroke{ID: id, Does: does, Radius: radius * texel, Strength: 1, Hardness: 0.8, Values: map[string][]float32{"mask": {1}}}
	for _, p := range pts {
		s.Points = append(s.Points, brush.Point{Pos: geom.V3(p[0]*texel, 0, p[1]*texel), Nrm: geom.V3(0, 1, 0), Pressure: 1})
	}
	return s
}

func handOf(list ...*brush.Stroke) []*stack.Step {
	hand := st("hand", nil)
	hand.Strokes = list
	return []*stack.Step{st("even", map[string]any{"value": 0.0}), hand}
}

func apart(a, b [256][128]float32) (worst float64) {
	for x := range 256 {
		for z := range 128 {
			worst = max(worst, math.Abs(float64(a[x][z]-b[x][z])))
		}
	}
	return
}

// What is cloned is what lies there, moved: on the plate by whole texels, so exactly;
// over seams, turned islands and sheets as on one.
func TestCloning(t *testing.T) {
	marks := []*brush.Stroke{pull("dot", "", 9, [2]float32{40, 40}), pull("bar", "", 4, [2]float32{30, 52}, [2]float32{52, 56})}
	along := pull("clone", brush.Clone, 30, [2]float32{150.5, 60.5}, [2]float32{160.5, 62.5})
	along.Hardness = 0.995
	along.Take = &brush.Take{At: geom.V3(40.5*texel, 0, 42.5*texel), Nrm: geom.V3(0, 1, 0)}
	list := append(marks, along)
	want := onPlate(t, whole(t), handOf(list...))
	moved, n := 0.0, 0
	for x := 138; x < 172; x++ {
		for z := 48; z < 76; z++ { // well within the clone
			moved = max(moved, math.Abs(float64(want[x][z]-want[x-110][z-18])))
			if want[x][z] > 0.5 {
				n++
			}
		}
	}
	if moved > 1e-3 || n < 150 {
		t.Errorf("the clone is up to %.4f from what it was made of; %d texels of it are white", moved, n)
	}
	if d := apart(want, onPlate(t, cutUp(t), handOf(list...))); d > 1.0/255 {
		t.Errorf("over seams it is up to %.4f apart", d)
	}
	// from a place that stays, every dab begins there
	stays := pull("stays", brush.Clone, 12, [2]float32{150.5, 40.5}, [2]float32{200.5, 40.5})
	stays.Take = &brush.Take{At: geom.V3(40.5*texel, 0, 40.5*texel), Nrm: geom.V3(0, 1, 0), Stays: true}
	row := onPlate(t, whole(t), handOf(append(marks, stays)...))
	for x := 150; x <= 200; x++ {
		if row[x][40] < 0.95 {
			t.Fatalf("at %d the middle of the dot is %.2f", x, row[x][40])
		}
	}
	// nothing is laid where nothing was painted, and what was there stays
	bare := pull("bare", brush.Clone, 12, [2]float32{40, 40}, [2]float32{44, 40})
	bare.Take = &brush.Take{At: geom.V3(220*texel, 0, 100*texel), Nrm: geom.V3(0, 1, 0)}
	if d := apart(onPlate(t, whole(t), handOf(marks...)), onPlate(t, whole(t), handOf(append(marks, bare)...))); d > 0 {
		t.Errorf("cloning from a bare place changed something by %v", d)
	}
}

// A smear draws a border along with it, over seams as on one sheet, and not against it.
func TestSmearing(t *testing.T) {
	half := pull("half", "", 30, [2]float32{60, 20}, [2]float32{60, 110})
	half.Hardness = 0.995 // its border is at 90
	smear := pull("smear", brush.Smear, 14, [2]float32{70, 64}, [2]float32{140, 64})
	one := onPlate(t, whole(t), handOf(half, smear))
	plain := onPlate(t, whole(t), handOf(half))
	if one[100][64] < 0.25 || plain[100][64] > 0.01 {
		t.Errorf("beyond the border it is %.2f, was %.2f", one[100][64], plain[100][64])
	}
	for x := 92; x < 118; x++ {
		if one[x+1][64] > one[x][64]+1e-3 {
			t.Fatalf("drawn along it does not thin out: %.3f then %.3f at %d", one[x][64], one[x+1][64], x)
		}
	}
	if one[136][64] > 0.01 || math.Abs(float64(one[100][90]-plain[100][90])) > 1e-6 {
		t.Errorf("too far: %.3f at 136, %.3f beside it", one[136][64], one[100][90])
	}
	back := pull("back", brush.Smear, 14, [2]float32{140, 64}, [2]float32{95, 64})
	if v := onPlate(t, whole(t), handOf(half, back)); v[88][64] > 0.9 || v[100][64] > 0.05 {
		t.Errorf("pulled the other way the bare side goes in: %.2f, %.2f", v[88][64], v[100][64])
	}
	more := []*brush.Stroke{half, smear, pull("again", brush.Smear, 12, [2]float32{90, 40}, [2]float32{100, 90}), pull("third", brush.Smear, 12, [2]float32{100, 80}, [2]float32{180, 70})}
	if d := apart(onPlate(t, whole(t), handOf(more...)), onPlate(t, cutUp(t), handOf(more...))); d > 1.5/255 {
		t.Errorf("over seams it is up to %.4f apart", d)
	}
}

// A stroke that grows point by point ends as the finished one does, to the last bit; and
// what it takes from counts: without the mark below nothing is laid.
func TestTakingGrows(t *testing.T) {
	for _, does := range []string{brush.Clone, brush.Smear} {
		full := pull("grows", does, 16, [2]float32{60, 64}, [2]float32{75, 66}, [2]float32{95, 60}, [2]float32{120, 70}, [2]float32{118, 40})
		full.Take = &brush.Take{At: geom.V3(55*texel, 0, 60*texel), Nrm: geom.V3(0, 1, 0)}
		mark := pull("mark", "", 20, [2]float32{60, 50}, [2]float32{70, 80})
		finished := onPlate(t, whole(t), handOf(mark, full))
		m := whole(t)
		s := NewScene(m, cache.New(64<<20))
		var grown [256][128]float32
		for n := 1; n <= len(full.Points); n++ {
			part := *full
			part.Points = full.Points[:n]
			grown = onScene(t, s, handOf(mark, &part), "grows")
		}
		if d := apart(finished, grown); d > 0 {
			t.Errorf("%s: grown it is up to %v from the finished one", does, d)
		}
		without := onScene(t, s, handOf(full), "")
		for x := range 256 {
			for z := range 128 {
				if without[x][z] != 0 {
					t.Fatalf("%s: taken from nothing there is %v at %d, %d", does, without[x][z], x, z)
				}
			}
		}
	}
}

// The surface's frame alone counts: a stroke over an edge lays what lies before the edge
// on the other side, turned with it.
func TestCloningFollowsTheSurface(t *testing.T) {
	s := &brush.Stroke{ID: "c", Does: brush.Clone, Radius: 0.1, Strength: 1, Hardness: 1, Take: &brush.Take{At: geom.V3(0, 0, 0), Nrm: geom.V3(0, 1, 0)}, Points: brush.Points{{Pos: geom.V3(1, 0, 0), Nrm: geom.V3(1, 0, 0), Pressure: 1}}}
	f := raster.Point(geom.V3(1, 0.05, 0.02), geom.V3(1, 0, 0), 0)
	tr := brush.NewTrace(1)
	if got := tr.Grow(s, f, []float32{1}); len(got) != 1 {
		t.Fatal(got)
	}
	list := tr.Sources(s, f, 0, nil)
	// up on the wall is away from it on the floor
	if want := geom.V3(-0.05, 0, 0.02); len(list) != 1 || list[0].Pos.Sub(want).Length() > 1e-6 || list[0].Nrm.Sub(geom.V3(0, 1, 0)).Length() > 1e-6 {
		t.Errorf("taken from %+v, want %v", list, want)
	}
}

// Pinching makes a stripe under the line narrower; flattening takes what is there to the
// value where the stroke began. Both over seams as on one sheet.
func TestPinchingAndFlattening(t *testing.T) {
	stripe := pull("stripe", "", 12, [2]float32{20, 64}, [2]float32{230, 64})
	pinch := pull("pinch", brush.Pinch, 40, [2]float32{60, 64}, [2]float32{190, 64})
	width := func(v [256][128]float32, x int) (n float64) {
		for z := range 128 {
			n += float64(v[x][z])
		}
		return
	}
	plain, one := onPlate(t, whole(t), handOf(stripe)), onPlate(t, whole(t), handOf(stripe, pinch))
	if a, b := width(plain, 120), width(one, 120); b > 0.85*a || b < 0.4*a {
		t.Errorf("the stripe is %.1f texels wide pinched, %.1f before", b, a)
	}
	if d := apart(one, onPlate(t, cutUp(t), handOf(stripe, pinch))); d > 1.0/255 {
		t.Errorf("pinched over seams it is up to %.4f apart", d)
	}
	half := pull("half", "", 20, [2]float32{60, 20}, [2]float32{60, 110})
	half.Strength = 0.5
	level := pull("level", brush.Flatten, 10, [2]float32{60, 64}, [2]float32{160, 64})
	level.Hardness = 0.9
	flat := onPlate(t, whole(t), handOf(half, level))
	for _, x := range []int{60, 80, 100, 150} {
		if math.Abs(float64(flat[x][64])-0.5) > 0.01 {
			t.Errorf("at %d it is %.3f, where the stroke began it was 0.5", x, flat[x][64])
		}
	}
	if flat[120][90] > 0.001 {
		t.Error("it was levelled beside the stroke")
	}
}

// A stroke right through the bollard's post from one side leaves the far side alone when
// it paints only what is seen, and what the horn hides.
func TestOnlyWhatIsSeenIsPainted(t *testing.T) {
	m := sample.Bollard()
	s := NewScene(m, cache.New(64<<20))
	st := &brush.Stroke{ID: "s", Radius: 0.3, Strength: 1, Hardness: 0.99, Kit: &brush.Kit{Spacing: 0.1, Flow: 1, Through: true, Depth: 4}, Values: map[string][]float32{"mask": {1}},
		Points: brush.Points{{Pos: geom.V3(0, 0.3, 0.12), Nrm: geom.V3(0, 0, 1), Pressure: 1}}}
	cover := func(p, n geom.Vec3) float32 {
		c, err := s.OnFrame(raster.Point(p, n, 0), p.String()).Cover(t.Context(), st, false, false)
		if err != nil {
			t.Fatal(err)
		}
		return c.Cover[0]
	}
	front, back := geom.V3(0, 0.3, 0.119), geom.V3(0, 0.3, -0.119)
	under := geom.V3(0.2, 0.34, 0) // below the horn, which lies at 0.37
	if cover(front, geom.V3(0, 0, 1)) < 0.9 || cover(back, geom.V3(0, 0, -1)) < 0.9 {
		t.Fatalf("through paints both sides: %v, %v", cover(front, geom.V3(0, 0, 1)), cover(back, geom.V3(0, 0, -1)))
	}
	eye := geom.V3(0, 0.3, 2)
	st.Eye = &eye
	if cover(front, geom.V3(0, 0, 1)) < 0.9 || cover(back, geom.V3(0, 0, -1)) != 0 || cover(back, geom.V3(0, 0.8, 0.6).Unit()) != 0 {
		t.Errorf("from the front: %v, %v and %v behind", cover(front, geom.V3(0, 0, 1)), cover(back, geom.V3(0, 0, -1)), cover(back, geom.V3(0, 0.8, 0.6).Unit()))
	}
	above := geom.V3(0.2, 2, 0.001)
	st.Eye = &above
	if v := cover(under, geom.V3(0, 0.6, 0.8).Unit()); v != 0 {
		t.Errorf("below the horn, seen from above: %v", v)
	}
}
