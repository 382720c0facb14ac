package agent

import (
	"math"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

const side = 64 // points a side of the frames

var agents = []string{"rub", "nook", "settle", "run", "tide", "scour", "bleach", "creep", "touch"}

// frame is a square of points: place and normal by two shares.
func frame(at func(u, v float32) (pos, nrm geom.Vec3)) *raster.Frame {
	f := &raster.Frame{W: side, H: side, Footprint: 0.4 / side}
	for y := range side {
		for x := range side {
			p, n := at((float32(x)+0.5)/side, (float32(y)+0.5)/side)
			f.Pos, f.Nrm, f.Tri = append(f.Pos, p), append(f.Nrm, n), append(f.Tri, 0)
		}
	}
	f.Seal()
	return f
}

// plate lies flat and looks up, half a metre a side.
func plate() *raster.Frame {
	return frame(func(u, v float32) (geom.Vec3, geom.Vec3) {
		return geom.V3(u*0.5, 0, v*0.5), geom.V3(0, 1, 0)
	})
}

// wall stands; v goes up it.
func wall() *raster.Frame {
	return frame(func(u, v float32) (geom.Vec3, geom.Vec3) { return geom.V3(u*0.5, v*0.5, 0), geom.V3(0, 0, 1) })
}

type rows map[string]func(i int) float32

// weather runs an agent on a frame with what it reads.
func weather(t *testing.T, kind string, f *raster.Frame, p params, facts *stack.Conditions, read rows) []float32 {
	t.Helper()
	s := &stack.Step{ID: "a", Kind: kind, On: true, Amount: 1, Params: p}
	if err := step.Rules.Step(s); err != nil {
		t.Fatal(err)
	}
	in, d := step.NewInput(s, f, geom.Box{Min: geom.V3(0, 0, 0), Max: geom.V3(0.5, 0.5, 0.5)})
	in.Facts, in.Read = facts, map[string][]float32{}
	for name, of := range read {
		row := make([]float32, len(f.Pos))
		for i := range row {
			row[i] = of(i)
		}
		in.Read[name] = row
	}
	out := make([]float32, len(f.Pos))
	d.Run(in, out)
	return out
}

func mean(v []float32) float64 {
	sum := 0.0
	for _, x := range v {
		sum += float64(x)
	}
	return sum / float64(len(v))
}

// part is the mean over the rows of points from one share of the height to another.
func part(v []float32, from, to float64) float64 {
	return mean(v[int(from*side)*side : int(to*side)*side])
}

// worn is what every agent finds something in: edges and hollows in stripes, water that
// ran, a front that spreads from one side, a hand at a corner.
func worn() rows {
	wave := func(i int, k float64) float32 {
		return float32(0.5 + 0.5*math.Sin(float64(i%side)/side*math.Pi*2*k))
	}
	return rows{"edge": func(i int) float32 { return wave(i, 3) }, "wide": func(i int) float32 { return 0.7 * wave(i, 3) }, "hidden": func(i int) float32 { return 0.8 * wave(i, 2) },
		"crease": func(i int) float32 { return 0.4 * wave(i, 2) }, "heap": func(i int) float32 { return 0.3 * wave(i, 2) }, "sky": func(i int) float32 { return 1 - 0.7*wave(i, 2) },
		"run": func(i int) float32 { return wave(i, 5) }, "creep": func(i int) float32 { return 0.05 * float32(i%side) / side }, "touch": func(i int) float32 { return 2 * float32(i%side) / side }}
}

func TestAgentsKeepToTheirRange(t *testing.T) {
	for _, kind := range agents {
		for _, f := range []*raster.Frame{plate(), wall()} {
			for _, much := range []float64{0, 0.3, 1} {
				v := weather(t, kind, f, params{"much": much}, stack.Usual(), worn())
				for i, x := range v {
					if !(x >= 0 && x <= 1) {
						t.Fatalf("%s at %v: point %d is %v", kind, much, i, x)
					}
				}
				// how far runs have come is what the row of runs says already
				if much == 0 && kind != "run" && mean(v) != 0 {
					t.Errorf("%s that is not to do anything leaves %.4f", kind, mean(v))
				}
			}
		}
	}
}

func TestMoreIsMore(t *testing.T) {
	for _, kind := range agents {
		last := -1.0
		for _, much := range []float64{0.15, 0.3, 0.5, 0.75, 1} {
			f := plate()
			if kind == "tide" {
				f = wall()
			}
			m := mean(weather(t, kind, f, params{"much": much}, nil, worn()))
			if m < last-1e-4 {
				t.Errorf("%s: at %v it covers %.4f, before %.4f", kind, much, m, last)
			}
			last = m
		}
		least := 0.02
		if kind == "scour" { // far finer than these points
			least = 0.0005
		}
		if last < least {
			t.Errorf("%s at its most covers %.4f of what is all edges and hollows", kind, last)
		}
	}
}

// The age is one fact for all: new is bare, old is worse, and who opts out does not
// notice. Of runs the row says how far they have come.
func TestTheAgeOfThings(t *testing.T) {
	at := func(kind string, share, years float64) float64 {
		c := *stack.Usual()
		c.Age = float32(years)
		f := plate()
		if kind == "tide" {
			f = wall()
		}
		return mean(weather(t, kind, f, params{"much": 0.6, "share": share}, &c, worn()))
	}
	for _, kind := range agents {
		if kind == "run" {
			continue
		}
		young, mid, old := at(kind, 1, 0), at(kind, 1, 10), at(kind, 1, 50)
		if young > 0.002 || !(mid > young) || !(old > mid) {
			t.Errorf("%s covers %.4f when new, %.4f after 10 years, %.4f after 50", kind, young, mid, old)
		}
		if a, b := at(kind, 0, 0), at(kind, 0, 50); a != b || a == 0 {
			t.Errorf("%s that opts out covers %.4f when new and %.4f after 50 years", kind, a, b)
		}
	}
	if age(0) != 0 || math.Abs(float64(age(30))-1) > 1e-6 || age(50) <= 1 || age(50) > 1.3 {
		t.Errorf("age: %v, %v, %v", age(0), age(30), age(50))
	}
}

func TestSeedsMakeOthersOfAKind(t *testing.T) {
	for _, kind := range agents {
		f := plate()
		if kind == "tide" {
			f = wall()
		}
		run := func(seed float64) []float32 {
			return weather(t, kind, f, params{"much": 0.6, "seed": seed, "breakup": 0.8, "grain": 0.05}, nil, worn())
		}
		a, again, b := run(1), run(1), run(2)
		same := 0
		for i := range a {
			if a[i] != again[i] {
				t.Fatalf("%s: point %d is %v, then %v", kind, i, a[i], again[i])
			}
			if a[i] == b[i] {
				same++
			}
		}
		if same == len(a) {
			t.Errorf("%s: another seed makes no difference", kind)
		}
		if d := math.Abs(mean(a) - mean(b)); d > 0.12 {
			t.Errorf("%s: another seed covers %.3f more or less", kind, d)
		}
	}
}

func TestRubKeepsToWhatStandsOut(t *testing.T) {
	read := rows{"edge": func(i int) float32 { return b2f(i/side < side/4) }, "wide": func(i int) float32 { return 0 }}
	v := weather(t, "rub", plate(), params{"much": 0.6, "strays": 0.0}, nil, read)
	if edge, rest := part(v, 0, 0.25), part(v, 0.25, 1); edge < 0.5 || rest != 0 {
		t.Errorf("edges are worn to %.3f, the rest to %.3f", edge, rest)
	}
	read["hidden"] = func(i int) float32 { return b2f(i%side < side/2) }
	v = weather(t, "rub", plate(), params{"much": 0.6, "strays": 0.0, "sheltered": 1.0}, nil, read)
	for i := range side * side / 4 {
		if i%side < side/2-1 && v[i] > 0.01 {
			t.Fatalf("sheltered, point %d is worn to %v", i, v[i])
		}
	}
	// a hand wears what it holds
	read["touch"] = func(i int) float32 { return 0 }
	held := part(weather(t, "rub", plate(), params{"much": 0.3, "strays": 0.0, "touched": 1.0}, nil, read), 0, 0.25)
	delete(read, "touch")
	if free := part(weather(t, "rub", plate(), params{"much": 0.3, "strays": 0.0, "touched": 1.0}, nil, read), 0, 0.25); held < free+0.1 {
		t.Errorf("held it is worn to %.3f, else %.3f", held, free)
	}
}

func b2f(b bool) float32 {
	if b {
		return 1
	}
	return 0
}

func TestNookKeepsToHollows(t *testing.T) {
	read := rows{"hidden": func(i int) float32 { return b2f(i/side < side/4) }}
	v := weather(t, "nook", plate(), params{"much": 0.6, "film": 0.0}, nil, read)
	if in, out := part(v, 0, 0.25), part(v, 0.25, 1); in < 0.5 || out > 0.005 {
		t.Errorf("hollows are %.3f, the open is %.3f", in, out)
	}
}

// A rivet that an agent follows gets its ring of dirt and is clean on top; wear takes
// its top.
func TestARivetIsNoticed(t *testing.T) {
	d := func(i int) float64 { return math.Hypot(float64(i%side)-31.5, float64(i/side)-31.5) }
	read := rows{"raised": func(i int) float32 { return 0.5 + 0.5*b2f(d(i) < 8) }, "around": func(i int) float32 {
		return float32(0.5 + 0.5/(1+math.Exp((d(i)-9)/2.5)))
	}}
	spot := func(v []float32, from, to float64) float64 {
		sum, n := 0.0, 0.0
		for i, x := range v {
			if r := d(i); r >= from && r < to {
				sum, n = sum+float64(x), n+1
			}
		}
		return sum / n
	}
	nook := weather(t, "nook", plate(), params{"much": 0.6, "film": 0.0}, nil, read)
	if ring, top, far := spot(nook, 8, 11), spot(nook, 0, 6), spot(nook, 24, 30); ring < top+0.3 || ring < far+0.3 {
		t.Errorf("dirt: ring %.3f, top %.3f, far off %.3f", ring, top, far)
	}
	rub := weather(t, "rub", plate(), params{"much": 0.9, "strays": 0.0}, nil, read)
	if rim, far := spot(rub, 5, 8), spot(rub, 24, 30); rim < far+0.2 {
		t.Errorf("wear: rim %.3f, far off %.3f", rim, far)
	}
}

func TestDustLiesOnWhatLooksUp(t *testing.T) {
	tilted := func(deg float64) float64 {
		a := deg * math.Pi / 180
		f := frame(func(u, v float32) (geom.Vec3, geom.Vec3) {
			return geom.V3(u*0.5, 0, v*0.5), geom.V3(0, float32(math.Cos(a)), float32(math.Sin(a)))
		})
		return mean(weather(t, "settle", f, params{"much": 0.8}, nil, rows{"sky": func(int) float32 { return 0.5 }}))
	}
	flat, slope, upright, under := tilted(0), tilted(40), tilted(90), tilted(150)
	if flat < 0.3 || slope >= flat || upright > 0.02 || under != 0 {
		t.Errorf("dust lies %.3f thick when flat, %.3f at 40°, %.3f upright, %.3f below", flat, slope, upright, under)
	}
	// drifts lie in corners
	corner := weather(t, "settle", plate(), params{"much": 0.5, "drifts": 1.0}, nil, rows{"heap": func(i int) float32 { return 0.5 * b2f(i/side < side/4) }})
	if in, out := part(corner, 0, 0.25), part(corner, 0.25, 1); in < out+0.1 {
		t.Errorf("in the corner it is %.3f, outside %.3f", in, out)
	}
}

func TestTheTideClimbsFromItsLine(t *testing.T) {
	p := params{"much": 0.7, "height": 0.1, "fade": 0.02, "splashed": 0.0}
	v := weather(t, "tide", wall(), p, stack.Usual(), nil)
	if low, high := part(v, 0, 0.1), part(v, 0.7, 1); low < 0.6 || high != 0 {
		t.Errorf("at the foot %.3f, high up %.3f", low, high)
	}
	c := *stack.Usual()
	c.Ground = 0.2
	up := weather(t, "tide", wall(), p, &c, nil)
	if a, b := part(v, 0.3, 0.45), part(up, 0.3, 0.45); b < a+0.3 {
		t.Errorf("on ground that is higher it covers %.3f there, before %.3f", b, a)
	}
	c = *stack.Usual()
	c.Water = 0.25
	band := weather(t, "tide", wall(), params{"much": 0.7, "height": 0.05, "from": "waterline", "lies": "in a band"}, &c, nil)
	if at, below, above := part(band, 0.47, 0.53), part(band, 0, 0.2), part(band, 0.8, 1); at < 0.3 || below > 0.01 || above > 0.01 {
		t.Errorf("a band at the waterline: %.3f there, %.3f below, %.3f above", at, below, above)
	}
	lines := func(salt float32) float64 {
		c := *stack.Usual()
		c.Salt = salt
		return mean(weather(t, "tide", wall(), params{"much": 0.7, "height": 0.2, "lies": "in lines"}, &c, nil))
	}
	if fresh, salty := lines(0), lines(1); fresh <= 0 || salty < 2.5*fresh {
		t.Errorf("lines of fresh water cover %.4f, of salt water %.4f", fresh, salty)
	}
}

func TestBleachingFacesTheSun(t *testing.T) {
	facing := func(sun [3]float32) float64 {
		c := *stack.Usual()
		c.SunAt = sun
		return mean(weather(t, "bleach", wall(), params{"much": 0.7, "sky": 0.0}, &c, rows{"sky": func(int) float32 { return 0.8 }}))
	}
	if front, aside, behind := facing([3]float32{0, 0, 1}), facing([3]float32{1, 0, 0.4}), facing([3]float32{0, 0, -1}); front < aside+0.1 || behind > 0.02 {
		t.Errorf("the sun in front fades %.3f, from the side %.3f, from behind %.3f", front, aside, behind)
	}
}

func TestCreepGoesAsFarAsItsRate(t *testing.T) {
	// a front that goes 50 mm over the plate from one side
	read := rows{"creep": func(i int) float32 { return 0.05 * (float32(i%side) + 0.5) / side }}
	reach := func(rate float64) float64 {
		return mean(weather(t, "creep", plate(), params{"much": 0.45, "rate": rate, "breakup": 0.0, "variation": 0.0, "contrast": 1.0}, nil, read))
	}
	// half of the plate at 25 mm: far = 2·rate·much^0.85
	want := func(rate float64) float64 { return 2 * rate * math.Pow(0.45, 0.85) / 0.05 }
	for _, rate := range []float64{0.01, 0.02, 0.03} {
		if got := reach(rate); math.Abs(got-want(rate)) > 0.2*want(rate)+0.02 {
			t.Errorf("at a rate of %v m it covers %.3f, %.3f is wanted", rate, got, want(rate))
		}
	}
}

func TestHandsReachAsFarAsTheyReach(t *testing.T) {
	v := weather(t, "touch", plate(), params{"much": 0.8, "elsewhere": 0.0, "fingers": 0.0, "proud": 0.0}, nil, rows{"touch": func(i int) float32 { return 2 * float32(i/side) / side }})
	if near, far := part(v, 0, 0.15), part(v, 0.55, 1); near < 0.5 || far != 0 {
		t.Errorf("near a hand %.3f, out of reach %.3f", near, far)
	}
}

func TestScratchesFollowTheirDirection(t *testing.T) {
	run := func(x, y, z float64) []float32 {
		return weather(t, "scour", plate(), params{"much": 1.0, "towards": []any{x, y, z}, "spread": 0.0, "bow": 0.0, "width": 0.02, "size": 0.3, "breakup": 0.0, "standing": 0.0}, nil, nil)
	}
	// along a scratch little changes from point to point, across it much
	change := func(v []float32, dx, dy int) float64 {
		sum := 0.0
		for y := range side - 1 {
			for x := range side - 1 {
				sum += math.Abs(float64(v[(y+dy)*side+x+dx] - v[y*side+x]))
			}
		}
		return sum
	}
	alongX, alongZ := run(1, 0, 0), run(0, 0, 1)
	if a, b := change(alongX, 1, 0), change(alongX, 0, 1); a > 0.6*b {
		t.Errorf("scratches along x change by %.1f along x and by %.1f across", a, b)
	}
	if a, b := change(alongZ, 0, 1), change(alongZ, 1, 0); a > 0.6*b {
		t.Errorf("scratches along z change by %.1f along z and by %.1f across", a, b)
	}
}

// What every agent can do.
func TestEveryAgentEndsBeforeJoints(t *testing.T) {
	for _, kind := range agents {
		f := plate()
		if kind == "tide" {
			f = wall()
		}
		read := worn()
		read["joint"] = func(i int) float32 { return 0.1 * b2f(i/side < side/2) } // metres
		v := weather(t, kind, f, params{"much": 1.0, "ends": 0.02}, nil, read)
		if m := part(v, 0.55, 1); m != 0 {
			t.Errorf("%s goes on to the joint: %.4f", kind, m)
		}
	}
}

// square is a square of n × n points that stands.
func square(n int, edge float32) *raster.Frame {
	f := &raster.Frame{W: n, H: n, Footprint: edge / float32(n)}
	for y := range n {
		for x := range n {
			at := geom.V3((float32(x)+0.5)*edge/float32(n), (float32(y)+0.5)*edge/float32(n), 0)
			f.Pos, f.Nrm, f.Tri = append(f.Pos, at), append(f.Nrm, geom.V3(0, 0, 1)), append(f.Tri, 0)
		}
	}
	f.Seal()
	return f
}

// A border that runs through a texel covers it in part: texels hold about what the finer ones in their
// place hold on average, for chips in the open and for a tide's splashes.
func TestBordersCoverTexelsInPart(t *testing.T) {
	const n, finer, edge = 48, 8, 0.06
	for kind, c := range map[string]struct {
		p    params
		most float64 // share of a texel by which those that are covered in part may be off on average
	}{
		"rub":  {params{"much": 0.6, "strays": 0.9, "grain": 0.006, "contrast": 0.85, "breakup": 0.5, "fine": 0.7}, 0.2},
		"tide": {params{"much": 0.7, "height": 0.012, "fade": 0.004, "grain": 0.006, "contrast": 1.0, "breakup": 1.0, "splashed": 1.0}, 0.055},
	} {
		coarse := weather(t, kind, square(n, edge), c.p, nil, nil)
		fine := weather(t, kind, square(n*finer, edge), c.p, nil, nil)
		var off, partly float64
		for i, v := range coarse {
			var sum float32
			for k := range finer * finer {
				sum += fine[(i/n*finer+k/finer)*n*finer+i%n*finer+k%finer]
			}
			want := sum / (finer * finer)
			if want > 0.05 && want < 0.95 {
				off, partly = off+math.Abs(float64(v-want)), partly+1
			}
		}
		if partly < 50 || off/partly > c.most {
			t.Errorf("%s: of %.0f texels that are covered in part %.3f is wrong on average, at most %.3f is allowed", kind, partly, off/partly, c.most)
		}
	}
}
