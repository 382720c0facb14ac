package unwrap

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"velvetgrime/core/mesh"
)

// Edit is a change of islands by hand. Kind decides which fields count:
//
//	move      X, Y in shares of the sheet, Y upward
//	turn      Angle in degrees, counter-clockwise, around each island's middle
//	scale     Factor, around each island's middle
//	mirror    left and right change places
//	even      the islands get the mean density of their sheets
//	straight  the outline becomes a rectangle, what is inside follows
//	sheet     Sheet: they go there, made when it is not there; both sheets are packed
//	pack      the sheets of the islands are packed; Pinned islands stay
//	split     each part on Sheets gets a sheet of its own, packed
//	join      what lies on Sheets goes to Sheet, packed at one density
type Edit struct {
	Kind    string   `json:"kind" enum:"move,turn,scale,mirror,even,straight,sheet,pack,split,join"`
	Islands []int32  `json:"islands" doc:"by number; empty: all"`
	X       float64  `json:"x,omitempty"`
	Y       float64  `json:"y,omitempty"`
	Angle   float64  `json:"angle,omitempty"`
	Factor  float64  `json:"factor,omitempty"`
	Sheet   string   `json:"sheet,omitempty"`
	Size    int      `json:"size,omitempty" doc:"texels a side, for the margin of a packing"`
	Margin  int      `json:"margin,omitempty"`
	Sheets  []string `json:"sheets,omitempty" doc:"that are split or joined"`
	Pinned  []int32  `json:"pinned,omitempty" doc:"islands that a packing leaves where they are"`
}

// Apply returns the layout of m after the edit and a line for the ledger.
func (e Edit) Apply(ctx context.Context, m *mesh.Model) (*Layout, string, error) {
	for _, v := range []float64{e.X, e.Y, e.Angle, e.Factor} {
		if math.IsNaN(v) || math.Abs(v) > 1e4 {
			return nil, "", fmt.Errorf("%v is no usable number", v)
		}
	}
	if e.Kind == "split" || e.Kind == "join" {
		return e.regroup(ctx, m)
	}
	chosen := make([]bool, m.Islands)
	for _, i := range e.Islands {
		if i < 0 || int(i) >= m.Islands {
			return nil, "", fmt.Errorf("there is no island %d; the model has %d", i, m.Islands)
		}
		chosen[i] = true
	}
	in := func(t int) bool { return len(e.Islands) == 0 || chosen[m.Island[t]] }
	list := Islands(m, func(t int) bool { return in(t) && m.Sheets[m.TriSheet[t]].HasUV })
	if len(list) == 0 {
		return nil, "", fmt.Errorf("no island with UVs is chosen")
	}
	l := Of(m)
	name := count(len(list), "island", "islands")
	around := func(d *island) [2]float64 {
		lo, hi := d.bounds()
		return [2]float64{(lo[0] + hi[0]) / 2, (lo[1] + hi[1]) / 2}
	}
	label := ""
	switch e.Kind {
	case "move":
		label = "Move " + name
		for _, d := range list {
			d.apply(func(p [2]float64) [2]float64 { return [2]float64{p[0] + e.X, p[1] + e.Y} })
		}
	case "turn":
		label = "Turn " + name
		f := turned(e.Angle * math.Pi / 180)
		for _, d := range list {
			c := around(d)
			d.apply(func(p [2]float64) [2]float64 {
				q := f([2]float64{p[0] - c[0], p[1] - c[1]})
				return [2]float64{q[0] + c[0], q[1] + c[1]}
			})
		}
	case "scale", "mirror":
		label = "Scale " + name
		fx, fy := e.Factor, e.Factor
		if e.Kind == "mirror" {
			label, fx, fy = "Mirror "+name, -1, 1
		} else if !(e.Factor > 0) {
			return nil, "", fmt.Errorf("the factor %v is not above 0", e.Factor)
		}
		for _, d := range list {
			c := around(d)
			d.apply(func(p [2]float64) [2]float64 {
				return [2]float64{(p[0]-c[0])*fx + c[0], (p[1]-c[1])*fy + c[1]}
			})
		}
	case "even":
		label = "Even density of " + name
		e.evenly(m, list)
	case "straight":
		label = "Straighten " + name
		for _, d := range list {
			if err := straighten(ctx, m, d); err != nil {
				return nil, "", err
			}
		}
	case "sheet":
		label = name + " to " + e.Sheet
		if e.Sheet == "" || len(e.Sheet) > 100 {
			return nil, "", fmt.Errorf("give the sheet a name")
		}
		return e.toSheet(ctx, m, l, list, label)
	case "pack":
		return l, "Pack islands", e.pack(ctx, m, l, list)
	default:
		return nil, "", fmt.Errorf("the edit %q is unknown", e.Kind)
	}
	l.take(list)
	return l, label, nil
}

func (e Edit) evenly(m *mesh.Model, list []*island) {
	world, flat := make([]float64, len(m.Sheets)), make([]float64, len(m.Sheets))
	_, area := Distortion(m)
	for t := range m.Tri {
		w := float64(m.FaceNormal(t).Length()) / 2
		world[m.TriSheet[t]] += w
		flat[m.TriSheet[t]] += w * area[t]
	}
	for _, d := range list {
		s := m.TriSheet[d.tris[0]]
		lo, hi := d.bounds()
		d.evenOut(m) // to metres
		k := math.Sqrt(flat[s] / max(world[s], 1e-30))
		nlo, nhi := d.bounds()
		d.apply(func(p [2]float64) [2]float64 {
			return [2]float64{
				(p[0]-(nlo[0]+nhi[0])/2)*k + (lo[0]+hi[0])/2,
				(p[1]-(nlo[1]+nhi[1])/2)*k + (lo[1]+hi[1])/2,
			}
		})
	}
}

// margins returns what a packing keeps to.
func (e Edit) margins() (size, margin int, err error) {
	size, margin = e.Size, e.Margin
	if size == 0 {
		size, margin = 2048, 8
	}
	o := Defaults()
	o.Size, o.Margin = size, margin
	return size, margin, o.Check()
}

// pack packs the sheets that islands lie on, whole.
func (e Edit) pack(ctx context.Context, m *mesh.Model, l *Layout, list []*island) error {
	size, margin, err := e.margins()
	if err != nil {
		return err
	}
	sheets := map[uint16]bool{}
	for _, d := range list {
		sheets[m.TriSheet[d.tris[0]]] = true
	}
	for s := range m.Sheets {
		if !sheets[uint16(s)] {
			continue
		}
		all := Islands(m, func(t int) bool { return int(m.TriSheet[t]) == s })
		var free, fixed []*island
		for _, d := range all {
			if slices.Contains(e.Pinned, m.Island[d.tris[0]]) {
				fixed = append(fixed, d)
			} else {
				free = append(free, d)
			}
		}
		if _, err := packBeside(ctx, free, fixed, size, margin); err != nil {
			return fmt.Errorf("sheet %q: %w", m.Sheets[s].Name, err)
		}
		l.take(free)
	}
	return nil
}

// regroup splits or joins whole sheets.
func (e Edit) regroup(ctx context.Context, m *mesh.Model) (*Layout, string, error) {
	size, margin, err := e.margins()
	if err != nil {
		return nil, "", err
	}
	in := make([]bool, len(m.Sheets))
	for _, n := range e.Sheets {
		s := m.SheetIndex(n)
		if s < 0 || !m.Sheets[s].HasUV {
			return nil, "", fmt.Errorf("the model has no sheet %q with UVs", n)
		}
		in[s] = true
	}
	l := Of(m)
	groups := map[string][]*island{} // by the sheet they go to
	var order []string
	source := map[string]string{}
	for _, d := range Islands(m, func(t int) bool { return in[m.TriSheet[t]] }) {
		from, to := m.Sheets[m.TriSheet[d.tris[0]]], e.Sheet
		if e.Kind == "split" {
			to = from.Name + " " + m.Parts[m.TriPart[d.tris[0]]].Name
		}
		if groups[to] == nil {
			order = append(order, to)
		}
		groups[to], source[to] = append(groups[to], d), from.Source
	}
	label := fmt.Sprintf("Split %s into %s", strings.Join(e.Sheets, ", "), count(len(order), "sheet", "sheets"))
	switch {
	case e.Kind == "split" && len(order) <= len(e.Sheets):
		return nil, "", fmt.Errorf("%s holds a single part; there is nothing to split", strings.Join(e.Sheets, ", "))
	case e.Kind == "join" && len(e.Sheets) < 2:
		return nil, "", fmt.Errorf("choose at least two sheets to join")
	case e.Kind == "join" && (e.Sheet == "" || len(e.Sheet) > 100):
		return nil, "", fmt.Errorf("give the joined sheet a name")
	case e.Kind == "join":
		if s := m.SheetIndex(e.Sheet); s >= 0 && !in[s] {
			return nil, "", fmt.Errorf("there is another sheet %q; give the joined one a name of its own", e.Sheet)
		}
		label = fmt.Sprintf("Join %s as %s", strings.Join(e.Sheets, ", "), e.Sheet)
	}
	for _, to := range order {
		s := l.sheet(to, source[to])
		if s > 255 {
			return nil, "", fmt.Errorf("the model would have more than 256 sheets")
		}
		l.Sheets[s].HasUV = true
		for _, d := range groups[to] {
			for _, t := range d.tris {
				l.TriSheet[t] = uint16(s)
			}
			d.evenOut(m)
		}
		if _, err := pack(ctx, groups[to], size, margin); err != nil {
			return nil, "", fmt.Errorf("sheet %q: %w", to, err)
		}
		l.take(groups[to])
	}
	l.dropEmpty()
	return l, label, nil
}

func (e Edit) toSheet(
	ctx context.Context,
	m *mesh.Model,
	l *Layout,
	list []*island,
	label string,
) (*Layout, string, error) {
	size, margin, err := e.margins()
	if err != nil {
		return nil, "", err
	}
	to := l.sheet(e.Sheet, m.Sheets[m.TriSheet[list[0].tris[0]]].Source)
	if to > 255 {
		return nil, "", fmt.Errorf("the model has 256 sheets; there is no room for %q", e.Sheet)
	}
	l.Sheets[to].HasUV = true
	for _, d := range list {
		for _, t := range d.tris {
			l.TriSheet[t] = uint16(to)
		}
	}
	all := list
	if to < len(m.Sheets) {
		chosen := map[int32]bool{}
		for _, d := range list {
			chosen[m.Island[d.tris[0]]] = true
		}
		all = append(all, Islands(m, func(t int) bool { return int(m.TriSheet[t]) == to && !chosen[m.Island[t]] })...)
	}
	for _, d := range all {
		d.evenOut(m)
	}
	if _, err := pack(ctx, all, size, margin); err != nil {
		return nil, "", fmt.Errorf("sheet %q: %w", e.Sheet, err)
	}
	l.take(all)
	l.dropEmpty()
	return l, label, nil
}

// straighten makes the outline of an island a rectangle: its four sharpest corners
// become the rectangle's, its sides keep their lengths, and what is inside follows
// by mean weights.
func straighten(ctx context.Context, m *mesh.Model, d *island) error {
	seams := Seams{} // what is a border of the island now
	for _, t := range d.tris {
		for k := range 3 {
			if m.UVBorder[t][k] {
				seams[ID(m, t, k)] = true
			}
		}
	}
	tris := slices.Clone(d.tris)
	c := newChart(m, tris, seams)
	c.uv = make([][2]float64, len(c.pos))
	for i, v := range c.vert {
		for k := range 3 {
			c.uv[v[k]] = d.uv[i][k]
		}
	}
	loops, euler := c.loops()
	if len(loops) != 1 || euler != 1 || len(loops[0]) < 4 {
		return fmt.Errorf("an island with holes cannot become a rectangle; cut it open first")
	}
	rim := loops[0]
	n := len(rim)
	corners := sharpest(c.uv, rim)
	// lengths of the four sides on the surface
	along := make([]float64, n+1)
	for i := range rim {
		along[i+1] = along[i] + float64(c.pos[rim[i]].Sub(c.pos[rim[(i+1)%n]]).Length())
	}
	side := func(a, b int) float64 {
		if b > a {
			return along[b] - along[a]
		}
		return along[n] - along[a] + along[b]
	}
	w := (side(corners[0], corners[1]) + side(corners[2], corners[3])) / 2
	h := (side(corners[1], corners[2]) + side(corners[3], corners[0])) / 2
	if w <= 0 || h <= 0 {
		return fmt.Errorf("an island without length cannot become a rectangle")
	}
	before := d.area()
	lo, hi := d.bounds()
	at := [5][2]float64{{0, 0}, {w, 0}, {w, h}, {0, h}, {0, 0}}
	fixed := make([]bool, len(c.pos))
	for s := range 4 {
		a, b := corners[s], corners[(s+1)%4]
		whole := side(a, b)
		for i := a; i != b; i = (i + 1) % n {
			t := 0.0
			if i != a && whole > 0 {
				t = side(a, i) / whole
			}
			c.uv[rim[i]] = [2]float64{at[s][0] + (at[s+1][0]-at[s][0])*t, at[s][1] + (at[s+1][1]-at[s][1])*t}
			fixed[rim[i]] = true
		}
	}
	if !c.harmonic(
		ctx,
		fixed,
		func(a, b int) float64 { return 1 / max(float64(c.pos[a].Sub(c.pos[b]).Length()), 1e-9) },
	) {
		return fmt.Errorf("the island cannot be straightened")
	}
	for i, v := range c.vert {
		for k := range 3 {
			d.uv[i][k] = c.uv[v[k]]
		}
	}
	k := math.Sqrt(before / max(d.area(), 1e-30))
	d.apply(func(p [2]float64) [2]float64 {
		return [2]float64{(p[0]-w/2)*k + (lo[0]+hi[0])/2, (p[1]-h/2)*k + (lo[1]+hi[1])/2}
	})
	return nil
}

// sharpest returns the places in the outline of the four corners that turn most,
// in the order of the outline.
func sharpest(uv [][2]float64, rim []int) [4]int {
	n := len(rim)
	reach := max(n/40, 1) // a corner may be rounded
	bend := make([]float64, n)
	for i := range rim {
		p, a, b := uv[rim[i]], uv[rim[(i-reach+n)%n]], uv[rim[(i+reach)%n]]
		x1, y1, x2, y2 := p[0]-a[0], p[1]-a[1], b[0]-p[0], b[1]-p[1]
		bend[i] = math.Atan2(x1*y2-y1*x2, x1*x2+y1*y2)
	}
	var out []int
	for len(out) < 4 {
		best := -1
		for i := range bend {
			near := false
			for _, o := range out {
				d := (i - o + n) % n
				near = near || min(d, n-d) < max(n/16, 1)
			}
			if !near && !slices.Contains(out, i) && (best < 0 || bend[i] > bend[best]) {
				best = i
			}
		}
		if best < 0 { // a short outline: any that is left
			for i := range bend {
				if !slices.Contains(out, i) {
					best = i
					break
				}
			}
		}
		out = append(out, best)
	}
	slices.Sort(out)
	return [4]int(out)
}
