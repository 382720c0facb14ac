package eval

import (
	"context"
	"fmt"
	"math"
	"sync"

	"velvetgrime/core/agent"
	"velvetgrime/core/flow"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/noise"
	"velvetgrime/core/raster"
	"velvetgrime/core/spatial"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// ways is what a scene keeps for agents that go over its surface.
type ways struct {
	once  sync.Once
	cloud *flow.Cloud
	tree  *spatial.Tree
	on    *Surface // the cloud's points as a surface

	mu    sync.Mutex
	walks map[Key]*walk
	order []Key // oldest first
}

// walk is the result of one way over the surface, made once for all tiles.
type walk struct {
	mu   sync.Mutex
	done bool
	row  rowOf
	runs *stainer // of runs, in place of a row
}

// rowOf writes what was found on the way at every point of a frame.
type rowOf func(in step.Input, c *stack.Conditions, m *mesh.Model, f *raster.Frame, out []float32)

const (
	cloudPoints = 36_000
	maxWalks    = 48 // of a megabyte or less each
)

func (s *Scene) wander() *ways {
	w := &s.ways
	w.once.Do(func() {
		w.cloud = flow.NewCloud(s.Model, cloudPoints)
		w.walks = map[Key]*walk{}
		w.tree, _ = spatial.Build(s.Model.Pos, s.Model.Tri, nil)
		f := &raster.Frame{W: len(w.cloud.Pos), H: 1, Pos: w.cloud.Pos, Nrm: w.cloud.Nrm, Tri: w.cloud.Tri, Footprint: w.cloud.Spacing}
		f.Seal()
		w.on = s.OnFrame(f, "cloud")
	})
	return w
}

// surfaceReads are the streams that the ways of a step read, by the way's name.
func surfaceReads(in step.Input, names []string) map[string][]step.Part {
	out := map[string][]step.Part{}
	for _, n := range names {
		switch n {
		case "creep":
			if p := agent.Seeds(in); p != nil {
				out["creep"] = p
			}
			out["creep wet"] = agent.Wet()
		case "run":
			if p := agent.Sources(in); p != nil {
				out["run"] = p
			}
		}
	}
	return out
}

// What ways read is read as it is after so many years, whatever the age now: rust
// begins where the paint will have gone, early where it goes early. So moving the age
// moves fronts and brings on runs, but no way is gone again for it.
const (
	early = 15
	late  = 50
)

// atAge returns the program as it were after some years.
func (p *Program) atAge(years float32) *Program {
	if p.whole != nil {
		p = p.whole // what lies below a layer follows layers that lie elsewhere, too
	}
	if p.Doc.Facts().Age == years {
		return p
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if q := p.aged[years]; q != nil {
		return q
	}
	d, c := *p.Doc, *p.Doc.Facts()
	c.Age = years
	d.Conditions = &c
	q := Compile(p.Scene, &d, "", p.live)
	if p.aged == nil {
		p.aged = map[float32]*Program{}
	}
	p.aged[years] = q
	return q
}

type wayName struct {
	step *stepPlan
	name string
}

// wayKey is the key of a way: the parameters and facts on which it depends, and what
// it reads anywhere on the model.
func (p *Program) wayKey(name string, s *stepPlan) Key {
	if k, ok := p.wayKeys.Load(wayName{s, name}); ok {
		return k.(Key)
	}
	k := p.newWayKey(name, s)
	p.wayKeys.Store(wayName{s, name}, k)
	return k
}

func (p *Program) newWayKey(name string, s *stepPlan) Key {
	k := newHash("way").str(name).key(p.Scene.base)
	in, _ := step.NewInput(s.step, nil, p.Scene.Model.Bounds)
	c := p.Doc.Facts()
	switch name {
	case "touch":
		k = k.str(fmt.Sprint(c.Touch))
	case "joint":
	case "distance":
		k = k.str(fmt.Sprint(in.Choice("from"), in.Rows("points"), in.Names("parts"), in.Number("far")))
	case "run":
		k = k.str(fmt.Sprint(c.Up, c.Rain, c.Wind, in.Choice("from"), in.Number("count"), in.Number("length"), in.Number("meander"), in.Number("wind"), in.Number("gap"), in.Number("seed"), c.Touch))
	case "creep":
		k = k.str(fmt.Sprint(c.Wetness, c.Salt, in.Number("share"), c.Up, c.Rain, in.Choice("from"), in.Number("wet"), in.Number("uneven"), in.Number("seeds"), in.Number("seed"), in.Number("grain"), in.Number("rate")))
	}
	on := p.Scene.wander().on
	for _, n := range []string{name, name + " wet"} {
		if sp := s.walks[n]; sp != nil {
			k = k.key(p.atAge(late).streamKey(on.copy(), sp, len(sp.steps), 0))
			if name == "creep" {
				k = k.key(p.atAge(early).streamKey(on.copy(), sp, len(sp.steps), 0))
			}
		}
	}
	return k.sum()
}

// at returns the walk of a key: one that is remembered, or one that has yet to be gone;
// then the oldest may be forgotten.
func (w *ways) at(key Key) *walk {
	w.mu.Lock()
	defer w.mu.Unlock()
	k := w.walks[key]
	if k == nil {
		k = &walk{}
		w.walks[key] = k
		w.order = append(w.order, key)
		for len(w.order) > maxWalks {
			delete(w.walks, w.order[0])
			w.order = w.order[1:]
		}
	}
	return k
}

// copy returns a surface for another goroutine.
func (u *Surface) copy() *Surface { return &Surface{key: u.key, scene: u.scene, frame: u.frame} }

// walked returns the way of a step, going it when it was not gone yet.
func (p *Program) walked(ctx context.Context, name string, in step.Input, s *stepPlan) (*walk, error) {
	w, key := p.Scene.wander(), p.wayKey(name, s)
	k := w.at(key)
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.done {
		return k, nil
	}
	if name == "run" {
		runs, err := p.trace(ctx, in, s)
		if err != nil {
			return nil, err
		}
		k.runs, k.done = &stainer{runs: runs, known: map[float32]*flow.Stains{}}, true
		return k, nil
	}
	row, err := p.walk(ctx, name, in, s)
	if err != nil {
		return nil, err
	}
	k.row, k.done = row, true
	return k, nil
}

// onCloud evaluates what a way reads at the cloud's points; nil when it reads nothing.
func (p *Program) onCloud(ctx context.Context, s *stepPlan, name string) ([]float32, error) {
	sp := s.walks[name]
	if sp == nil {
		return nil, nil
	}
	if m, ok := missingFor(sp); ok && !p.hasBaked(m) {
		return nil, nil
	}
	v, err := p.stream(ctx, p.Scene.wander().on.copy(), sp, len(sp.steps))
	if err != nil {
		return nil, err
	}
	return grey(v), nil
}

func (p *Program) walk(ctx context.Context, name string, in step.Input, s *stepPlan) (rowOf, error) {
	cloud, c := p.Scene.wander().cloud, p.Doc.Facts()
	in.Params = s.step.Params
	switch name {
	case "touch":
		return nearest(cloud, c.Touch), nil
	case "joint":
		var seeds []flow.Seed
		for i, on := range cloud.Joints() {
			if on {
				seeds = append(seeds, flow.Seed{At: int32(i)})
			}
		}
		return sampled(cloud, cloud.Spread(seeds, nil, 20*cloud.Spacing), 1), nil
	case "distance":
		return p.distance(in, cloud)
	case "creep":
		return p.creep(ctx, in, s, cloud)
	}
	return nil, fmt.Errorf("there is no way %q over the surface", name)
}

// trace lets the water of a step run.
func (p *Program) trace(ctx context.Context, in step.Input, s *stepPlan) (*flow.Runs, error) {
	w, m, c := p.Scene.wander(), p.Scene.Model, p.Doc.Facts()
	cloud := w.cloud
	in.Params = s.step.Params
	sources, err := p.sources(ctx, in, s, cloud)
	if err != nil {
		return nil, err
	}
	down := dir(c.Up).Mul(-1)
	wind := dir(c.Wind)
	step := min(max(cloud.Spacing*0.5, in.Number("width")*0.6), cloud.Spacing*1.5)
	weather := flow.Weather{Down: down, Push: wind.Sub(down.Mul(wind.Dot(down))).Mul(in.Number("wind")), Meander: in.Number("meander"), Leave: in.Number("length"),
		Gap: in.Number("gap"), Length: min(in.Number("length")*6, m.Bounds.Size().Length()*3), Seed: uint32(in.Number("seed"))}
	return flow.Trace(ctx, m, w.tree, weather, step, sources)
}

func dir(v [3]float32) geom.Vec3 { return geom.V3(v[0], v[1], v[2]).Unit() }

// sampled reads values of a cloud's points; far is what no point has.
func sampled(c *flow.Cloud, v []float32, far float32) rowOf {
	return func(_ step.Input, _ *stack.Conditions, m *mesh.Model, f *raster.Frame, out []float32) {
		smoothly(f, c.Spacing, out, func(i int) float32 { return c.Sample(v, f.Pos[i], f.Nrm[i], far) })
	}
}

// smoothly fills a row with values that change little within far metres: on frames
// that are much finer than that only each fourth, or second, point of a piece of
// surface is evaluated, and what lies between is interpolated.
func smoothly(f *raster.Frame, far float32, out []float32, at func(i int) float32) {
	s := &sparse{f: f, far: far, out: out, at: at, done: make([]bool, len(out))}
	for y := 0; y < f.H; y += 4 {
		for x := 0; x < f.W; x += 4 {
			s.block(x, y, 4)
		}
	}
}

type sparse struct {
	f    *raster.Frame
	far  float32
	out  []float32
	at   func(i int) float32
	done []bool
}

func (s *sparse) get(i int) float32 {
	if !s.done[i] {
		s.out[i], s.done[i] = s.at(i), true
	}
	return s.out[i]
}

// level reports whether the n × n texels from (x, y), and those behind them, lie on one
// piece of surface that bends little.
func (s *sparse) level(x, y, n int) bool {
	f := s.f
	if x+n >= f.W || y+n >= f.H || f.Footprint*float32(n) > 0.6*s.far {
		return false
	}
	a := y*f.W + x
	for k := 0; k <= n; k++ {
		for l := 0; l <= n; l++ {
			if f.Tri[a+k*f.W+l] < 0 {
				return false
			}
		}
	}
	for _, k := range [3]int{a + n, a + n*f.W, a + n*f.W + n} {
		if f.Nrm[a].Dot(f.Nrm[k]) < 0.8 || f.Pos[a].Sub(f.Pos[k]).Length() > 0.9*s.far {
			return false
		}
	}
	return true
}

func (s *sparse) block(x, y, n int) {
	f := s.f
	if x >= f.W || y >= f.H {
		return
	}
	a := y*f.W + x
	if n == 1 {
		if f.Tri[a] >= 0 {
			s.get(a)
		}
		return
	}
	if !s.level(x, y, n) {
		h := n / 2
		s.block(x, y, h)
		s.block(x+h, y, h)
		s.block(x, y+h, h)
		s.block(x+h, y+h, h)
		return
	}
	va, vb, vc, vd := s.get(a), s.get(a+n), s.get(a+n*f.W), s.get(a+n*f.W+n)
	for k := range n {
		t := float32(k) / float32(n)
		left, right := va+t*(vc-va), vb+t*(vd-vb)
		for l := range n {
			if i := a + k*f.W + l; !s.done[i] {
				s.out[i], s.done[i] = left+float32(l)/float32(n)*(right-left), true
			}
		}
	}
}

// nearest gives how far the nearest touch point is, in its radii; 2 is far.
func nearest(c *flow.Cloud, points []stack.Touch) rowOf {
	v := make([]float32, len(c.Pos))
	for i := range v {
		v[i] = 2
	}
	for _, t := range points {
		for i, d := range c.Distance([]geom.Vec3{geom.V3(t.Pos[0], t.Pos[1], t.Pos[2])}, 2*t.Radius) {
			v[i] = min(v[i], d/t.Radius)
		}
	}
	all := sampled(c, v, 2)
	return func(in step.Input, facts *stack.Conditions, m *mesh.Model, f *raster.Frame, out []float32) {
		for _, t := range points {
			at := geom.V3(t.Pos[0], t.Pos[1], t.Pos[2])
			if (geom.Box{Min: at, Max: at}).Pad(2*t.Radius + 3*c.Spacing).Overlaps(f.Bounds) {
				all(in, facts, m, f, out)
				return
			}
		}
		for i := range out { // no hand comes here
			out[i] = 2
		}
	}
}

// distance serves the distance source.
func (p *Program) distance(in step.Input, c *flow.Cloud) (rowOf, error) {
	m, far := p.Scene.Model, max(in.Number("far"), 1e-5)
	switch in.Choice("from") {
	case "points":
		var at []geom.Vec3
		for _, v := range in.Rows("points") {
			at = append(at, geom.V3(v[0], v[1], v[2]))
		}
		return sampled(c, c.Distance(at, far*1.5+c.Spacing), far), nil
	case "parts":
		names := map[string]bool{}
		for _, n := range in.Names("parts") {
			names[n] = true
		}
		tree, err := spatial.Build(m.Pos, m.Tri, func(i int) bool { return names[m.Parts[m.TriPart[i]].Name] })
		if err != nil || len(names) == 0 {
			return func(_ step.Input, _ *stack.Conditions, _ *mesh.Model, _ *raster.Frame, out []float32) {
				for i := range out {
					out[i] = far
				}
			}, nil
		}
		return func(_ step.Input, _ *stack.Conditions, m *mesh.Model, f *raster.Frame, out []float32) {
			for i, t := range f.Tri {
				if out[i] = far; t < 0 {
					continue
				}
				if names[m.Parts[m.TriPart[t]].Name] {
					out[i] = 0
				} else if q := tree.Closest(f.Pos[i], far, nil); q.Tri >= 0 {
					out[i] = q.Pos.Sub(f.Pos[i]).Length()
				}
			}
		}, nil
	}
	angle := 0.0
	if in.Choice("from") == "sharp edges" {
		angle = 40
	}
	b := flow.NewBorders(m, angle, max(far, m.Bounds.Size().Length()*0.002))
	return func(_ step.Input, _ *stack.Conditions, m *mesh.Model, f *raster.Frame, out []float32) {
		for i, t := range f.Tri {
			if t >= 0 {
				out[i] = b.Distance(f.Pos[i], m.TriPart[t])
			}
		}
	}, nil
}

// creep is a growth that begins at seeds and eats its way over the surface, quicker in
// the wet. Its times are metres of a front at even speed.
func (p *Program) creep(ctx context.Context, in step.Input, s *stepPlan, c *flow.Cloud) (rowOf, error) {
	begins, err := p.atAge(late).onCloud(ctx, s, "creep")
	if err != nil {
		return nil, err
	}
	soon, err := p.atAge(early).onCloud(ctx, s, "creep")
	if err != nil {
		return nil, err
	}
	hidden, err := p.onCloud(ctx, s, "creep wet")
	if err != nil {
		return nil, err
	}
	seed, share := uint32(in.Number("seed")), in.Number("seeds")
	from := in.Choice("from")
	facts := p.Doc.Facts()
	up, rain := dir(facts.Up), dir(facts.Rain)
	// of the conditions it heeds a share
	heeds := func(v float32) float32 { return 0.5 + in.Number("share")*(v-0.5) }
	wetness, salted := heeds(facts.Wetness), 0.4+1.2*heeds(facts.Salt)
	var joints []bool
	if from == "joints" || from == "joints and bare edges" {
		joints = c.Joints()
	}
	var seeds []flow.Seed
	quick := make([]float32, len(c.Pos))
	wet, uneven := in.Number("wet"), in.Number("uneven")
	patch := 0.12 / max(in.Number("grain"), 1e-5)
	for i, q := range c.Pos {
		h := noise.Hash(int32(i), 3, 5, seed)
		// seeds come in groups: where one takes others do
		group := 0.5 + 0.5*noise.Simplex(q.X*patch, q.Y*patch, q.Z*patch, seed+9)
		likely := float32(0)
		switch {
		case from == "at random":
			likely = 0.02
		case joints != nil && joints[i]:
			likely = 1
		}
		if begins != nil {
			if from == "what it follows" {
				likely = max(likely, 4*max(begins[i]-0.4, 0))
			} else {
				likely = max(likely, 1.2*max(begins[i]-0.25, 0))
			}
		}
		if likely > 0 && noise.Random(h, 1) < likely*share*2*group*group*1.6 {
			// some seeds take later than others, and those that were laid bare late much later
			when := noise.Random(h, 2) * 0.8
			if from == "what it follows" && soon != nil && soon[i] < 0.5 {
				when += 0.9
			}
			seeds = append(seeds, flow.Seed{At: int32(i), When: when * in.Number("rate")})
		}
		// wet: hollows that stay damp, faces that look into the rain, what faces up
		w := 0.35*max(c.Nrm[i].Dot(up), 0) + 0.35*max(-c.Nrm[i].Dot(rain), 0)
		if hidden != nil {
			w += 0.5 * hidden[i]
		}
		w *= 0.4 + 1.2*wetness
		quick[i] = (1 - wet) + wet*(0.25+1.9*w)
		n := noise.Simplex(q.X*patch*3, q.Y*patch*3, q.Z*patch*3, seed+11) + 0.6*noise.Simplex(q.X*patch*8, q.Y*patch*8, q.Z*patch*8, seed+12)
		quick[i] *= salted * float32(math.Exp(float64(uneven*1.1*n)))
	}
	most := 6*in.Number("rate") + 4*c.Spacing
	when, err := c.React(ctx, seeds, quick, most)
	if err != nil {
		return nil, err
	}
	return sampled(c, when, most), nil
}

// sources picks where runs begin: so many of the cloud's points, by how much water
// comes to each.
func (p *Program) sources(ctx context.Context, in step.Input, s *stepPlan, c *flow.Cloud) ([]flow.Source, error) {
	facts, m := p.Doc.Facts(), p.Scene.Model
	seed := uint32(in.Number("seed"))
	up, rain := dir(facts.Up), dir(facts.Rain)
	weight := make([]float32, len(c.Pos))
	from := in.Choice("from")
	follow, err := p.atAge(late).onCloud(ctx, s, "run")
	if err != nil {
		return nil, err
	}
	var joints []bool
	if from == "joints" {
		joints = c.Joints()
	}
	var touch []float32
	if from == "touch points" {
		touch = make([]float32, len(c.Pos))
		for _, t := range facts.Touch {
			for i, d := range c.Distance([]geom.Vec3{geom.V3(t.Pos[0], t.Pos[1], t.Pos[2])}, t.Radius) {
				touch[i] = max(touch[i], 1-d/t.Radius)
			}
		}
	}
	var rims *flow.Borders
	far := m.Bounds.Size().Length() * 0.01
	if from == "lower edges" {
		rims = flow.NewBorders(m, 35, far)
	}
	for i := range c.Pos {
		n := c.Nrm[i]
		switch {
		case follow != nil:
			weight[i] = max(follow[i]-0.15, 0)
		case joints != nil:
			if joints[i] && n.Dot(up) > -0.3 {
				weight[i] = 1
			}
		case touch != nil:
			weight[i] = max(touch[i], 0)
		case rims != nil:
			if n.Dot(up) > -0.2 {
				weight[i] = 1 - rims.Distance(c.Pos[i], c.Part[i])/far
			}
		case from == "rain":
			weight[i] = max(-n.Dot(rain), 0) * (0.3 + 0.7*max(n.Dot(up), 0))
		}
		// it runs in some places and not in others
		q := c.Pos[i].Mul(0.5 / (c.Spacing * 8))
		g := 0.5 + 0.6*noise.Simplex(q.X, q.Y, q.Z, seed+21)
		weight[i] *= max(g, 0.05)
	}
	var total float64
	for _, w := range weight {
		total += float64(w)
	}
	if total <= 0 {
		return nil, nil
	}
	count := int(in.Number("count"))
	var out []flow.Source
	var sum float64
	k := 0
	for i, w := range weight { // evenly along the running sum
		sum += float64(w)
		for k < count && sum/total*float64(count) >= float64(k)+float64(noise.Random(noise.Hash(int32(k), 1, 1, seed), 1)) {
			h := noise.Hash(int32(i), int32(k), 8, seed)
			u := noise.Random(h, 2)
			out = append(out, flow.Source{Pos: c.Pos[i], Tri: c.Tri[i], Amount: 0.25 + 0.75*u*u, Rank: noise.Random(h, 3)})
			k++
		}
	}
	return out, nil
}

// stainer draws runs of water, with stains prepared for a few widths.
type stainer struct {
	mu    sync.Mutex
	runs  *flow.Runs
	known map[float32]*flow.Stains
}

func (r *stainer) of(width float32) *flow.Stains {
	r.mu.Lock()
	defer r.mu.Unlock()
	s := r.known[width]
	if s == nil {
		if len(r.known) > 4 {
			clear(r.known)
		}
		s = flow.NewStains(r.runs, width)
		r.known[width] = s
	}
	return s
}

// runRow draws the runs of a step at the points of a surface. On drafts what each run
// left is kept, so that a moved age only weighs it anew.
func (p *Program) runRow(u *Surface, in step.Input, way Key, r *stainer) []float32 {
	f, look := u.Frame(), lookOf(in, in.Facts)
	out := make([]float32, len(f.Pos))
	s := r.of(look.Width)
	if !s.Near(f.Bounds) {
		return out
	}
	if u.tile != nil && u.tile.Size > draft {
		for i, t := range f.Tri {
			if t >= 0 {
				out[i] = s.At(&look, f.Pos[i], f.Nrm[i], f.Footprint)
			}
		}
		return out
	}
	still := look
	still.Age = 0
	key := newHash("marks").key(u.key).key(way).str(fmt.Sprint(still)).sum()
	var counts, marks []float32
	if v, ok := p.Scene.Cache.get(key); ok {
		counts, marks = v.(planes)[0].Data, v.(planes)[1].Data
	} else {
		var list []flow.Mark
		counts = make([]float32, len(f.Pos))
		for i, t := range f.Tri {
			if t < 0 {
				continue
			}
			list = s.Marks(&look, f.Pos[i], f.Nrm[i], f.Footprint, list[:0])
			counts[i] = float32(len(list))
			for _, m := range list {
				marks = append(marks, m.Rank, m.Much)
			}
		}
		p.Scene.Cache.put(key, planes{{Data: counts}, {Data: marks}})
	}
	var room [16]flow.Mark
	for i, n := range counts {
		if n == 0 {
			continue
		}
		list := room[:0]
		for range int(n) {
			list, marks = append(list, flow.Mark{Rank: marks[0], Much: marks[1]}), marks[2:]
		}
		out[i] = flow.Grown(list, look.Age)
	}
	return out
}

// lookOf is what the drawing of runs depends on, besides their ways.
func lookOf(in step.Input, c *stack.Conditions) flow.Look {
	much := in.Number("much")
	years := float32(1)
	if c != nil {
		s := in.Number("share")
		years = 1 - s + s*min(c.Age/45, 1)*1.15
	}
	return flow.Look{Width: in.Number("width"), Age: min(much*years*1.35, 1), Leave: in.Number("length"), Streaks: in.Number("streaks"), Rim: in.Number("rim"),
		Ragged: in.Number("breakup") * 0.8, Seed: uint32(in.Number("seed"))}
}
