package unwrap

import (
	"context"
	"fmt"
	"math"
	"runtime"
	"slices"
	"sync"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/par"
)

// Options of an unwrap. The zero value of a list means everything.
type Options struct {
	Sheets []string `json:"sheets,omitempty" doc:"only what lies on these sheets"`
	Parts  []string `json:"parts,omitempty" doc:"only these parts"`
	Auto   bool     `json:"auto" doc:"seams are found; otherwise only the given ones are cut"`
	Angle  float64  `json:"angle" minimum:"5" maximum:"180" doc:"degrees above which an edge is cut"`
	Bend   float64  `json:"bend" minimum:"0.01" maximum:"0.5" doc:"how far a chart may be from a developable one; less makes more charts"`
	Seams  []int32  `json:"seams,omitempty" doc:"edges that are cut in any case: 3·triangle + corner"`
	Size   int      `json:"size" minimum:"64" maximum:"16384" doc:"texels a side, for the margin"`
	Margin int      `json:"margin" minimum:"0" maximum:"256" doc:"texels between islands"`
	Sheet  string   `json:"sheet,omitempty" doc:"everything goes on this sheet; it is made when it is not there"`
	Even   bool     `json:"even" doc:"islands of the same sheets that were not unwrapped get the same density"`
}

// Defaults returns options that suit most models.
func Defaults() Options {
	return Options{Auto: true, Angle: 66, Bend: 0.1, Size: 2048, Margin: 8, Even: true}
}

// Check returns what is wrong with the options.
func (o Options) Check() error {
	switch {
	case !(o.Angle >= 5 && o.Angle <= 180):
		return fmt.Errorf("angle %v is outside 5 to 180 degrees", o.Angle)
	case !(o.Bend >= 0.01 && o.Bend <= 0.5):
		return fmt.Errorf("bend %v is outside 0.01 to 0.5", o.Bend)
	case o.Size < 64 || o.Size > 16384:
		return fmt.Errorf("size %d is outside 64 to 16384 texels", o.Size)
	case o.Margin < 0 || o.Margin > 256 || o.Margin*8 > o.Size:
		return fmt.Errorf("a margin of %d texels is outside 0 to an eighth of the size", o.Margin)
	}
	return nil
}

// chosen lists the triangles that the options mean.
func (o Options) chosen(m *mesh.Model) ([]int32, error) {
	sheets, parts := make([]bool, len(m.Sheets)), make([]bool, len(m.Parts))
	for _, n := range o.Sheets {
		i := m.SheetIndex(n)
		if i < 0 {
			return nil, fmt.Errorf("the model has no sheet %q", n)
		}
		sheets[i] = true
	}
	for _, n := range o.Parts {
		i := slices.IndexFunc(m.Parts, func(p mesh.Part) bool { return p.Name == n })
		if i < 0 {
			return nil, fmt.Errorf("the model has no part %q", n)
		}
		parts[i] = true
	}
	var out []int32
	for i := range m.Tri {
		if (len(o.Sheets) == 0 || sheets[m.TriSheet[i]]) && (len(o.Parts) == 0 || parts[m.TriPart[i]]) {
			out = append(out, int32(i))
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("the chosen parts and sheets have no triangle in common")
	}
	return out, nil
}

// Unwrap makes a new layout of the chosen triangles and packs the sheets that they
// lie on. What is not chosen keeps its shape, but may move on those sheets.
func Unwrap(ctx context.Context, m *mesh.Model, o Options, progress func(share float64, note string)) (*Layout, error) {
	if err := o.Check(); err != nil {
		return nil, err
	}
	tris, err := o.chosen(m)
	if err != nil {
		return nil, err
	}
	l := Of(m)
	target := -1
	if o.Sheet != "" {
		target = l.sheet(o.Sheet, m.Sheets[m.TriSheet[tris[0]]].Source)
		if target > 255 {
			return nil, fmt.Errorf("the model has 256 sheets; there is no room for %q", o.Sheet)
		}
	}
	progress(0, "cutting")
	seams := Seams{}
	for _, s := range o.Seams {
		seams[s] = true
	}
	weld := mesh.Weld(m.Pos)
	var thin []int32 // triangles without area follow their neighbours
	tris = slices.DeleteFunc(tris, func(t int32) bool {
		if !mesh.Collapsed(weld, m.Tri[t]) {
			return false
		}
		thin = append(thin, t)
		return true
	})
	noisy := false
	if o.Auto {
		var found Seams
		if found, noisy, err = auto(ctx, m, tris, o.Angle, o.Bend); err != nil {
			return nil, err
		}
		for s := range found {
			seams[s] = true
		}
	}
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	flat, err := flattenAll(
		ctx,
		m,
		Charts(m, tris, seams),
		seams,
		func(share float64) { progress(0.1+0.5*share, "laying flat") },
	)
	if err != nil {
		return nil, err
	}
	if o.Auto {
		kept := Seams{}
		for _, s := range o.Seams {
			kept[s] = true
		}
		progress(0.6, "joining charts")
		if flat, err = joinCharts(ctx, m, flat, kept, math.Cos(o.Angle*math.Pi/180), noisy); err != nil {
			return nil, err
		}
	}
	sheetOf := func(d *island) int {
		if target >= 0 {
			return target
		}
		return int(m.TriSheet[d.tris[0]])
	}
	if o.Auto {
		if flat, err = shorten(ctx, m, flat, sheetOf); err != nil {
			return nil, err
		}
	}
	chosen := make([]bool, len(m.Tri))
	for _, t := range tris {
		chosen[t] = true
	}
	touched := map[int]bool{}
	bySheet := map[int][]*island{}
	for _, d := range flat {
		s := sheetOf(d)
		bySheet[s] = append(bySheet[s], d)
		touched[s] = true
		for _, t := range d.tris {
			l.TriSheet[t] = uint16(s)
		}
	}
	for _, d := range Islands(m, func(t int) bool { return !chosen[t] && touched[int(m.TriSheet[t])] }) {
		s := int(m.TriSheet[d.tris[0]])
		if o.Even {
			d.evenOut(m)
		}
		bySheet[s] = append(bySheet[s], d)
	}
	order := make([]int, 0, len(bySheet))
	for s := range bySheet {
		order = append(order, s)
	}
	slices.Sort(order)
	for i, s := range order {
		progress(0.7+0.3*float64(i)/float64(len(order)), "packing "+l.Sheets[s].Name)
		list := bySheet[s]
		f, err := fit(ctx, list, nil, o.Size, o.Margin)
		if err == nil && o.Auto && f.space < hollowSpace {
			list, f, err = nested(ctx, m, list, f, o, func(d *island) bool { return chosen[d.tris[0]] })
		}
		if err != nil {
			return nil, fmt.Errorf("sheet %q: %w", l.Sheets[s].Name, err)
		}
		f.lay(list)
		l.Sheets[s].HasUV = true
		l.take(list)
	}
	l.follow(m, weld, thin, tris)
	l.dropEmpty()
	progress(1, "done")
	return l, nil
}

// take writes the islands' corners into the layout; V grows downward there.
func (l *Layout) take(list []*island) {
	for _, d := range list {
		for i, t := range d.tris {
			for k := range 3 {
				p := d.uv[i][k]
				l.UV[t][k] = vec([2]float64{p[0], 1 - p[1]})
			}
		}
	}
}

// follow puts the corners of triangles without area where triangles beside them
// have theirs.
func (l *Layout) follow(m *mesh.Model, weld []uint32, thin, tris []int32) {
	if len(thin) == 0 {
		return
	}
	type key struct {
		a, b uint32
		part uint16
	}
	at := map[key][2]geom.Vec2{} // the UVs of an edge of a sound triangle
	on := map[key]uint16{}
	for _, t := range tris {
		for k := range 3 {
			a, b := weld[m.Tri[t][k]], weld[m.Tri[t][(k+1)%3]]
			x, y := l.UV[t][k], l.UV[t][(k+1)%3]
			for _, e := range [2]key{{a, b, m.TriPart[t]}, {b, a, m.TriPart[t]}} {
				at[e], on[e] = [2]geom.Vec2{x, y}, l.TriSheet[t]
				x, y = y, x
			}
		}
	}
	for _, t := range thin {
		for k := range 3 {
			a, b, c := weld[m.Tri[t][k]], weld[m.Tri[t][(k+1)%3]], weld[m.Tri[t][(k+2)%3]]
			e := key{a, b, m.TriPart[t]}
			uv, ok := at[e]
			if a == b || !ok {
				continue
			}
			l.UV[t][k], l.UV[t][(k+1)%3], l.UV[t][(k+2)%3], l.TriSheet[t] = uv[0], uv[1], uv[1], on[e]
			if c == a {
				l.UV[t][(k+2)%3] = uv[0]
			}
			break
		}
	}
}

// shorten halves islands so long that they alone would set the scale of a sheet
// that the rest fills.
func shorten(ctx context.Context, m *mesh.Model, flat []*island, sheet func(d *island) int) ([]*island, error) {
	total := map[int]float64{}
	for _, d := range flat {
		total[sheet(d)] += d.area()
	}
	var out []*island
	for len(flat) > 0 {
		d := flat[0]
		flat = flat[1:]
		lo, hi := d.bounds()
		all := total[sheet(d)]
		longest := 0.95 * math.Sqrt(all/0.75) // of a sheet that is three quarters full
		if max(hi[0]-lo[0], hi[1]-lo[1]) <= longest || len(d.tris) < 4 || d.area() > all/2 {
			out = append(out, d)
			continue
		}
		made, err := d.halved(ctx, m)
		if err != nil {
			return nil, err
		}
		flat = append(flat, made...)
	}
	return out, nil
}

// halved cuts an island across its middle and lays what comes of it flat.
func (d *island) halved(ctx context.Context, m *mesh.Model) (out []*island, err error) {
	c := newChart(m, d.tris, Seams{})
	c.halves()
	for _, piece := range Charts(m, d.tris, c.seams) {
		made, err := flattenOne(ctx, m, piece, c.seams)
		if err != nil {
			return nil, err
		}
		out = append(out, made...)
	}
	return out, nil
}

const (
	// hollowSpace is the share of a sheet below which rings and bows are looked for that keep others from
	// lying close
	hollowSpace = 0.6
	// hollow is the share of its hull below which an island is one
	hollow = 0.42
	// worthCutting is by how much more must fit for the seams that it takes
	worthCutting = 1.06
)

// nested halves rings and bows, twice at most, so that they lie within each other, and returns what
// fits better: the islands as they were, or these. Only what may be cut is.
func nested(
	ctx context.Context, m *mesh.Model, list []*island, was fitted, o Options, may func(d *island) bool,
) ([]*island, fitted, error) {
	total := 0.0
	for _, d := range list {
		total += d.area()
	}
	best, at := list, was
	for range 2 {
		var next []*island
		cut := false
		for _, d := range list {
			lo, hi := d.bounds()
			if !may(d) || len(d.tris) < 4 || max(hi[0]-lo[0], hi[1]-lo[1]) < 0.25*math.Sqrt(total) || d.area() > hollow*d.hullArea() {
				next = append(next, d)
				continue
			}
			made, err := d.halved(ctx, m)
			if err != nil {
				return nil, was, err
			}
			next, cut = append(next, made...), true
		}
		if !cut {
			break
		}
		f, err := fit(ctx, next, nil, o.Size, o.Margin)
		if err != nil {
			return nil, was, err
		}
		if f.space > at.space*worthCutting {
			best, at = next, f
		}
		list = next
	}
	return best, at, nil
}

// hullArea is the area of the island's convex hull.
func (d *island) hullArea() float64 {
	hull, sum := d.hull(), 0.0
	for i := range hull {
		a, b := hull[i], hull[(i+1)%len(hull)]
		sum += a[0]*b[1] - a[1]*b[0]
	}
	return math.Abs(sum) / 2
}

// sheet returns the number of a sheet by name, made when it is not there.
func (l *Layout) sheet(name, source string) int {
	for i, s := range l.Sheets {
		if s.Name == name {
			return i
		}
	}
	l.Sheets = append(l.Sheets, mesh.Sheet{Name: name, HasUV: true, Source: source})
	return len(l.Sheets) - 1
}

// dropEmpty removes sheets on which nothing lies.
func (l *Layout) dropEmpty() {
	used := make([]bool, len(l.Sheets))
	for _, s := range l.TriSheet {
		used[s] = true
	}
	to := make([]uint16, len(l.Sheets))
	var keep []mesh.Sheet
	for i, s := range l.Sheets {
		if used[i] {
			to[i] = uint16(len(keep))
			keep = append(keep, s)
		}
	}
	for i, s := range l.TriSheet {
		l.TriSheet[i] = to[s]
	}
	l.Sheets = keep
}

// flattenAll lays charts flat on all processors; those that fold, lie over
// themselves or are stretched beyond use are cut in two and tried again.
func flattenAll(
	ctx context.Context,
	m *mesh.Model,
	charts [][]int32,
	seams Seams,
	progress func(float64),
) ([]*island, error) {
	var mu sync.Mutex
	done, total := 0, 0
	for _, c := range charts {
		total += len(c)
	}
	results := make([][]*island, len(charts))
	g, gctx := par.WithContext(ctx)
	g.SetLimit(runtime.NumCPU())
	for i, tris := range charts {
		g.Go(func() error {
			out, err := flattenOne(gctx, m, tris, seams)
			results[i] = out
			mu.Lock()
			done += len(tris)
			share := float64(done) / float64(total)
			progress(share)
			mu.Unlock()
			return err
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	return slices.Concat(results...), nil
}

// worst is the symmetric Dirichlet energy above which a chart is cut in two: 4 is
// no distortion, 5 about a half more or less of area or a quarter of angle.
const worst = 4.8

// flattenOne lays a chart flat, or halves of it, and halves of these, down to triangles: none lies over
// itself.
func flattenOne(ctx context.Context, m *mesh.Model, tris []int32, shared Seams) ([]*island, error) {
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	c := newChart(m, tris, shared.within(m, tris)) // its own: charts are laid flat side by side
	good := c.open()
	if good {
		good = c.flatten(ctx, 60)
		if err := ctx.Err(); err != nil {
			return nil, err
		}
	}
	if good && len(tris) > 1 {
		good = c.energy(c.rests(), c.uv) < worst && !c.overlapsItself()
	}
	if good {
		return []*island{c.island()}, nil
	}
	if len(tris) == 1 { // a triangle of no area
		return []*island{{tris: tris, weight: 1, turn: true, uv: [][3][2]float64{{}}}}, nil
	}
	a, b := c.halves()
	if min(len(a), len(b))*64 < len(tris) { // or it would take as many rounds as there are triangles
		a, b = tris[:len(tris)/2], tris[len(tris)/2:]
	}
	var out []*island
	for _, half := range [2][]int32{a, b} {
		for _, piece := range Charts(m, half, c.seams) {
			d, err := flattenOne(ctx, m, piece, c.seams)
			if err != nil {
				return nil, err
			}
			out = append(out, d...)
		}
	}
	return out, nil
}

func (c *chart) island() *island {
	d := &island{tris: c.tris, weight: 1, turn: true}
	for _, v := range c.vert {
		d.uv = append(d.uv, [3][2]float64{c.uv[v[0]], c.uv[v[1]], c.uv[v[2]]})
	}
	d.tighten()
	return d
}

// overlapsItself reports whether the outline of the layout crosses itself, or the
// triangles at a point of it go round more than once. Where no triangle is folded
// that is the same as lying over itself.
func (c *chart) overlapsItself() bool {
	if c.widest(func(p, a, b int) float64 {
		x1, y1, x2, y2 := c.uv[a][0]-c.uv[p][0], c.uv[a][1]-c.uv[p][1], c.uv[b][0]-c.uv[p][0], c.uv[b][1]-c.uv[p][1]
		return math.Atan2(x1*y2-y1*x2, x1*x2+y1*y2)
	}) > 2*math.Pi-1e-4 {
		return true
	}
	type segment struct {
		a, b [2]float64
		i, j int // its vertices
	}
	var rim []segment
	for i, v := range c.vert {
		for k := range 3 {
			if _, _, ok := c.inner(i, k); !ok {
				a, b := v[k], v[(k+1)%3]
				if s := (segment{c.uv[a], c.uv[b], a, b}); s.a != s.b {
					rim = append(rim, s)
				}
			}
		}
	}
	left := func(s *segment) float64 { return min(s.a[0], s.b[0]) }
	slices.SortFunc(rim, func(x, y segment) int {
		switch a, b := left(&x), left(&y); {
		case a < b:
			return -1
		case a > b:
			return 1
		}
		return 0
	})
	side := func(p, q, r [2]float64) float64 { return (q[0]-p[0])*(r[1]-p[1]) - (q[1]-p[1])*(r[0]-p[0]) }
	for n := range rim {
		s := &rim[n]
		right := max(s.a[0], s.b[0])
		for o := n + 1; o < len(rim) && left(&rim[o]) <= right; o++ {
			q := &rim[o]
			if s.i == q.i || s.i == q.j || s.j == q.i || s.j == q.j {
				continue
			}
			if side(s.a, s.b, q.a)*side(s.a, s.b, q.b) < 0 && side(q.a, q.b, s.a)*side(q.a, q.b, s.b) < 0 {
				return true
			}
		}
	}
	return false
}

// centres calls f for each cell whose centre lies strictly inside of a triangle.
func centres(p [3][2]float64, w, h int, f func(x, y int)) {
	det := (p[1][0]-p[0][0])*(p[2][1]-p[0][1]) - (p[1][1]-p[0][1])*(p[2][0]-p[0][0])
	if det == 0 {
		return
	}
	const rim = 1e-6
	x0, x1 := max(int(min(p[0][0], p[1][0], p[2][0])), 0), min(int(max(p[0][0], p[1][0], p[2][0])), w-1)
	y0, y1 := max(int(min(p[0][1], p[1][1], p[2][1])), 0), min(int(max(p[0][1], p[1][1], p[2][1])), h-1)
	for y := y0; y <= y1; y++ {
		for x := x0; x <= x1; x++ {
			fx, fy := float64(x)+0.5, float64(y)+0.5
			b1 := ((fx-p[0][0])*(p[2][1]-p[0][1]) - (fy-p[0][1])*(p[2][0]-p[0][0])) / det
			b2 := ((p[1][0]-p[0][0])*(fy-p[0][1]) - (p[1][1]-p[0][1])*(fx-p[0][0])) / det
			if b1 > rim && b2 > rim && 1-b1-b2 > rim {
				f(x, y)
			}
		}
	}
}

// Islands returns the UV islands of the triangles that use accepts, as they lie; V
// grows upward in them.
func Islands(m *mesh.Model, use func(t int) bool) []*island {
	at := map[int32]*island{}
	var out []*island
	for i, t := range m.Tri {
		if !use(i) {
			continue
		}
		d := at[m.Island[i]]
		if d == nil {
			d = &island{weight: 1, turn: true}
			at[m.Island[i]] = d
			out = append(out, d)
		}
		d.tris = append(d.tris, int32(i))
		var c [3][2]float64
		for k, v := range t {
			c[k] = [2]float64{float64(m.UV[v].X), 1 - float64(m.UV[v].Y)}
		}
		d.uv = append(d.uv, c)
	}
	return out
}

// evenOut scales the island to the area that it has on the model, in metres.
func (d *island) evenOut(m *mesh.Model) {
	world := 0.0
	for _, t := range d.tris {
		world += float64(m.FaceNormal(int(t)).Length()) / 2
	}
	flat := d.area()
	if flat <= 0 || world <= 0 {
		return
	}
	s := math.Sqrt(world / flat)
	d.apply(func(p [2]float64) [2]float64 { return [2]float64{p[0] * s, p[1] * s} })
}
