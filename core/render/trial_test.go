package render

import (
	"context"
	"math"
	"slices"
	"sync"
	"testing"

	"velvetgrime/core/bake"
	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
	"velvetgrime/core/unwrap"
)

var trial = sync.OnceValues(func() (*Baked, error) { return Trial(context.Background(), 256, cache.New(192<<20)) })

// askew is the trial post with every island turned by an angle of its own, every
// third one mirrored besides, packed anew.
var askew = sync.OnceValues(func() (*Baked, error) {
	ctx := context.Background()
	m := sample.Trial()
	edits := []unwrap.Edit{}
	for i := range m.Islands {
		edits = append(edits, unwrap.Edit{Kind: "turn", Islands: []int32{int32(i)}, Angle: float64(17 + 31*i%180)})
		if i%3 == 0 {
			edits = append(edits, unwrap.Edit{Kind: "mirror", Islands: []int32{int32(i)}})
		}
	}
	for _, e := range append(edits, unwrap.Edit{Kind: "pack", Size: 256, Margin: 4}) {
		l, _, err := e.Apply(ctx, m)
		if err == nil {
			m, err = l.Apply(m)
		}
		if err != nil {
			return nil, err
		}
	}
	s := bake.Default()
	s.Size, s.Samples, s.Smooth, s.Radius = 256, 48, 2, 0.004
	return BakeInMemory(ctx, m, nil, s, []string{"ao", "curvature", "sky", "thickness"}, cache.New(192<<20))
})

func object(t *testing.T) *Baked {
	t.Helper()
	b, err := trial()
	if err != nil {
		t.Fatal(err)
	}
	return b
}

type params = map[string]any

// with returns a program with one step as the mask.
func (b *Baked) with(kind string, p params, change func(*stack.Conditions)) *eval.Program {
	d := b.MaskDocument([]*stack.Step{{ID: "s", Kind: kind, On: true, Amount: 1, Params: p}})
	d.Conditions = TrialConditions()
	if change != nil {
		change(d.Conditions)
	}
	return eval.Compile(b.Scene, d, "", "")
}

// texels calls f for every texel inside an island at a size.
func (b *Baked) texels(t *testing.T, p *eval.Program, size int, f func(pos, nrm geom.Vec3, part string, v float32)) {
	t.Helper()
	b.texelsOf(t, p, size, size/pix.Size, f)
}

// texelsOf is texels for the first tiles of each row and column.
func (b *Baked) texelsOf(t *testing.T, p *eval.Program, size, tiles int, f func(pos, nrm geom.Vec3, part string, v float32)) {
	t.Helper()
	for _, tile := range surface.Tiles(0, size) {
		if tile.X >= tiles || tile.Y >= tiles {
			continue
		}
		u := b.Scene.OnTile(tile)
		v, err := p.Step(context.Background(), u, "mask", "s")
		if err != nil {
			t.Fatal(err)
		}
		fr := u.Frame()
		for y := pix.Margin; y < fr.H-pix.Margin; y++ {
			for x := pix.Margin; x < fr.W-pix.Margin; x++ {
				if i := y*fr.W + x; fr.Inside[i] {
					f(fr.Pos[i], fr.Nrm[i], b.Model.Parts[b.Model.TriPart[fr.Tri[i]]].Name, v[0].At(i))
				}
			}
		}
	}
}

// means returns the mean of a mask where each of the tests holds.
func (b *Baked) means(t *testing.T, p *eval.Program, where ...func(pos, nrm geom.Vec3, part string) bool) []float64 {
	t.Helper()
	sum, n := make([]float64, len(where)), make([]float64, len(where))
	b.texels(t, p, 256, func(pos, nrm geom.Vec3, part string, v float32) {
		for k, w := range where {
			if w(pos, nrm, part) {
				sum[k] += float64(v)
				n[k]++
			}
		}
	})
	for k := range sum {
		if n[k] < 20 {
			t.Fatalf("test %d holds for %v texels only", k, n[k])
		}
		sum[k] /= n[k]
	}
	return sum
}

func anywhere(geom.Vec3, geom.Vec3, string) bool { return true }

func TestAgentsWearWhereTheyShould(t *testing.T) {
	b := object(t)
	blockEdge := func(p, n geom.Vec3, part string) bool { // rounded: the normal lies between two sides
		s := max(abs(n.X), abs(n.Y), abs(n.Z))
		return part == "Block" && p.Y > 0.05 && s < 0.9
	}
	blockFace := func(p, n geom.Vec3, part string) bool { return part == "Block" && n.Z > 0.97 && p.Y > 0.1 }
	groove := func(p, n geom.Vec3, part string) bool { return part == "Drum" && p.Y > 0.095 && p.Y < 0.101 }
	drum := func(p, n geom.Vec3, part string) bool { return part == "Drum" && p.Y > 0.05 && p.Y < 0.08 }
	foot := func(p, n geom.Vec3, part string) bool { return part == "Drum" && p.Y > 0.021 && p.Y < 0.025 } // at the joint with the plate
	top := func(p, n geom.Vec3, part string) bool {
		return part == "Plate" && n.Y > 0.99 && p.X > 0.0 && p.Z > 0.06
	}
	under := func(_, n geom.Vec3, part string) bool { return part != "Plate" && n.Y < -0.7 }
	low := func(p, n geom.Vec3, _ string) bool { return p.Y < 0.02 && n.Y > -0.5 }
	high := func(p, _ geom.Vec3, _ string) bool { return p.Y > 0.15 }
	sunny := func(_, n geom.Vec3, part string) bool {
		return part == "Ball" && n.Dot(geom.V3(-0.5, 1, 0.7).Unit()) > 0.8
	}
	shady := func(_, n geom.Vec3, part string) bool {
		return part == "Ball" && n.Dot(geom.V3(-0.5, 1, 0.7).Unit()) < -0.6
	}
	handle := func(p, _ geom.Vec3, part string) bool { return part == "Handle" && p.Y > 0.245 }
	for _, c := range []struct {
		kind       string
		more, less func(p, n geom.Vec3, part string) bool
	}{
		{"rub", blockEdge, blockFace}, {"nook", groove, drum}, {"settle", top, under}, {"tide", low, high},
		{"bleach", sunny, shady}, {"touch", handle, blockFace}, {"scour", blockFace, foot},
	} {
		q := params{"much": 0.6}
		if c.kind == "scour" { // wide enough for the texels of this test
			q["width"], q["size"] = 0.003, 0.06
		}
		p := b.with(c.kind, q, nil)
		m := b.means(t, p, c.more, c.less)
		if m[0] < 0.01 || m[0] < 2*m[1] {
			t.Errorf("%s: %.3f where there should be more, %.3f where less", c.kind, m[0], m[1])
		}
	}
}

func abs(v float32) float32 { return max(v, -v) }

// Every agent grows with its amount and with the age, is nothing when new, and stays
// as it is at any age when it is kept out of the conditions.
func TestAgentsGrowWithAmountAndAge(t *testing.T) {
	b := object(t)
	for _, d := range step.Descriptions() {
		// those that find ways over the surface and a few that read bakes; all of them are
		// tested by themselves in package agent
		if d.Role != "agent" || d.Kind == "settle" || d.Kind == "bleach" || d.Kind == "tide" || d.Kind == "scour" {
			continue
		}
		mean := func(p params, age float32) float64 {
			return b.means(t, b.with(d.Kind, p, func(c *stack.Conditions) { c.Age = age }), anywhere)[0]
		}
		little, much := mean(params{"much": 0.3}, 30), mean(params{"much": 0.8}, 30)
		if much < 0.004 || much <= little {
			t.Errorf("%s: mean %.4f at 0.3 and %.4f at 0.8", d.Kind, little, much)
		}
		fresh, worn, wreck := mean(params{"much": 0.6}, 0), mean(params{"much": 0.6}, 20), mean(params{"much": 0.6}, 50)
		if fresh > 0.001 || worn <= fresh || wreck <= worn {
			t.Errorf("%s: new %.4f, after 20 years %.4f, after 50 %.4f", d.Kind, fresh, worn, wreck)
		}
		if a, o := mean(params{"much": 0.6, "share": 0.0}, 0), mean(params{"much": 0.6, "share": 0.0}, 50); a != o || a < 0.003 {
			t.Errorf("%s, kept out: %.4f when new, %.4f after 50 years", d.Kind, a, o)
		}
	}
}

// A hump of 2 mm on the block gets a ring of dirt when the agent follows its layer.
func TestNookGathersAroundWhatItFollows(t *testing.T) {
	b := object(t)
	mean := func(follows bool) (ring, top float64) {
		hump := &stack.Step{ID: "h", Kind: "gradient-box", On: true, Amount: 1, Params: params{"at": []any{-0.055, 0.1, 0.07}, "width": 0.03, "tall": 0.03, "deep": 0.03, "fade": 0.001, "turn": 0.0}}
		p := params{"much": 0.7, "film": 0.0, "breakup": 0.0, "variation": 0.0}
		if follows {
			p["layer"], p["ring"], p["relief"] = "bumps", 0.004, 2.0
		}
		d := b.MaskDocument([]*stack.Step{{ID: "s", Kind: "nook", On: true, Amount: 1, Params: p}})
		bumps := &stack.Layer{ID: "bumps", Name: "Bumps", Kind: stack.Fill, Visible: true, Amount: 1,
			Channels: map[stack.Channel]stack.Coat{stack.Height: {On: true, Value: []float32{0.002}, Blend: "add", Amount: 1}}}
		bumps.Mask = append(bumps.Mask, hump)
		d.Layers = append(d.Layers, bumps)
		if err := step.Rules.Check(d); err != nil {
			t.Fatal(err)
		}
		at := func(p geom.Vec3) float32 {
			p = p.Sub(geom.V3(-0.055, 0.1, 0.07))
			return max(abs(p.X), abs(p.Y)) - 0.015
		}
		m := b.means(t, eval.Compile(b.Scene, d, "", ""),
			func(p, n geom.Vec3, part string) bool {
				return part == "Block" && n.Z > 0.9 && at(p) > 0.001 && at(p) < 0.004
			},
			func(p, n geom.Vec3, part string) bool { return part == "Block" && n.Z > 0.9 && at(p) < -0.006 })
		return m[0], m[1]
	}
	ring, top := mean(true)
	bare, _ := mean(false)
	if ring < 0.15 || ring < 3*bare+0.05 || top > ring/3 {
		t.Errorf("dirt around the hump %.3f, on it %.3f, and %.3f there when it follows nothing", ring, top, bare)
	}
}

// A mask is the same at every size: a place of it at 512, against the same made at 4096 and averaged, texel by
// texel. Those with lines finer than a texel of 512 (0.6 mm) may be a little further off.
func TestMasksAgreeTexelByTexel(t *testing.T) {
	b := object(t)
	const span = 32 // texels a side of the place, at 512
	// cells returns the mean of the mask in each texel of 512, and how much of it is surface
	cells := func(p *eval.Program, size int) (sum, n [span * span]float64) {
		k := size / 512
		side := span * k // texels at this size
		for y := 0; y < max(side/pix.Size, 1); y++ {
			for x := 0; x < max(side/pix.Size, 1); x++ {
				// the place is the first of its tile at 512
				u := b.Scene.OnTile(surface.Tile{Sheet: 0, Size: size, X: k + x, Y: k + y})
				v, err := p.Step(context.Background(), u, "mask", "s")
				if err != nil {
					t.Fatal(err)
				}
				f := u.Frame()
				for j := range min(side, pix.Size) {
					for i := range min(side, pix.Size) {
						if at := (j+pix.Margin)*f.W + i + pix.Margin; f.Inside[at] {
							c := (y*pix.Size+j)/k*span + (x*pix.Size+i)/k
							sum[c] += float64(v[0].At(at))
							n[c]++
						}
					}
				}
			}
		}
		return
	}
	for _, d := range step.Descriptions() {
		if d.Role == "shaper" || d.Hand || d.Special && d.Kind != stack.BakedStep || d.RunColor != nil && d.Run == nil {
			continue
		}
		p := b.with(d.Kind, nil, nil)
		small, there := cells(p, 512)
		for _, size := range []int{1024, 2048, 4096} {
			large, n := cells(p, size)
			var diff, count float64
			for c := range small {
				if there[c] > 0 && n[c] == float64(size/512*size/512) {
					diff += math.Abs(small[c] - large[c]/n[c])
					count++
				}
			}
			if count < span*span/4 {
				t.Fatalf("%s: only %v texels are surface", d.Kind, count)
			}
			if diff/count > 0.02 {
				t.Errorf("%s: %.4f a texel between 512 and %d", d.Kind, diff/count, size)
			}
		}
	}
}

// The largest step over a seam is not larger than inside islands, for each source and
// agent: steps are between a texel inside an island and the place one texel on, be it
// beside it or over the seam, in its own island there.
func TestNoSeamShows(t *testing.T) {
	b, err := askew()
	if err != nil {
		t.Fatal(err)
	}
	const size = 256
	tiles := surface.Tiles(0, size)
	for _, d := range step.Descriptions() {
		if d.Role == "shaper" || d.Hand || d.Special && d.Kind != stack.BakedStep || d.RunColor != nil && d.Run == nil || d.Kind == "gradient-uv" || d.Kind == stack.BakedStep {
			continue // along the UVs there is a step at every seam by its nature; a baked map has its own texels
		}
		p := b.with(d.Kind, nil, nil)
		var inside, over float64
		var sumIn, sumOver, nIn, nOver float64
		for _, tile := range tiles {
			u := b.Scene.OnTile(tile)
			f := u.Frame()
			v, err := p.Step(context.Background(), u, "mask", "s")
			if err != nil {
				t.Fatal(err)
			}
			for y := pix.Margin; y < f.H-pix.Margin-1; y++ {
				for x := pix.Margin; x < f.W-pix.Margin-1; x++ {
					i := y*f.W + x
					if !f.Inside[i] {
						continue
					}
					for _, j := range []int{i + 1, i + f.W} {
						if f.Tri[j] < 0 || f.Nrm[i].Dot(f.Nrm[j]) < 0.97 {
							continue // a sharp edge is a step of its own
						}
						dist := float64(f.Pos[i].Sub(f.Pos[j]).Length() / f.Footprint)
						if dist > 2 {
							continue
						}
						// over a seam texels may lie farther apart than inside
						s := math.Abs(float64(v[0].At(i)-v[0].At(j))) / max(dist, 1)
						if f.Inside[j] {
							inside, sumIn, nIn = max(inside, s), sumIn+s, nIn+1
						} else {
							over, sumOver, nOver = max(over, s), sumOver+s, nOver+1
						}
					}
				}
			}
		}
		if nOver < 100 {
			t.Fatalf("only %v pairs lie over a seam", nOver)
		}
		if over > inside*1.1+0.01 || sumOver/nOver > 3*sumIn/nIn+0.02 {
			t.Errorf("%s: steps over seams up to %.3f, mean %.4f; inside islands up to %.3f, mean %.4f", d.Kind, over, sumOver/nOver, inside, sumIn/nIn)
		}
	}
}

func TestPicturesShowTheModel(t *testing.T) {
	b := object(t)
	p := b.with("noise", nil, nil)
	cam := TrialCamera(b.Model.Bounds)
	img, err := Mask(context.Background(), p, "mask", "s", cam, 90, 70)
	if err != nil {
		t.Fatal(err)
	}
	back := img.RGBAAt(0, 0)
	seen := 0
	for y := range 70 {
		for x := range 90 {
			if img.RGBAAt(x, y) != back {
				seen++
			}
		}
	}
	if seen < 90*70/8 || seen > 90*70*3/4 {
		t.Errorf("the object covers %d of %d pixels", seen, 90*70)
	}
	sk, err := Sketch(context.Background(), p, cam, 90, 70)
	if err != nil || sk.Bounds() != img.Bounds() {
		t.Fatal(err)
	}
	var greys []int
	for y := range 70 {
		for x := range 90 {
			if img.RGBAAt(x, y) != back {
				greys = append(greys, int(sk.RGBAAt(x, y).G))
			}
		}
	}
	slices.Sort(greys)
	if a, b := greys[len(greys)/10], greys[len(greys)*9/10]; b-a < 40 {
		t.Errorf("greys from %d to %d: it has no form", a, b)
	}
}

// Every agent can end before a joint with another part, and spare sheltered places.
func TestAgentsEndBeforeJoints(t *testing.T) {
	b := object(t)
	foot := func(p, n geom.Vec3, part string) bool { return part == "Drum" && p.Y > 0.021 && p.Y < 0.026 }
	for _, kind := range []string{"tide", "nook"} {
		p := params{"much": 0.8, "height": 0.1}
		if kind == "nook" {
			p = params{"much": 0.8}
		}
		before := b.means(t, b.with(kind, p, nil), foot)[0]
		p["ends"] = 0.02
		after := b.means(t, b.with(kind, p, nil), foot)[0]
		p["ends"], p["sheltered"] = 0.0, 1.0
		spared := b.means(t, b.with(kind, p, nil), foot)[0]
		if before < 0.2 || after > before/2 || spared > before*0.8 {
			t.Errorf("%s at the foot of the drum: %.3f, ending before it %.3f, sparing it %.3f", kind, before, after, spared)
		}
	}
}
