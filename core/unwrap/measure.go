package unwrap

import (
	"cmp"
	"fmt"
	"math"
	"runtime"
	"slices"
	"sort"
	"strings"

	"velvetgrime/core/mesh"
	"velvetgrime/core/par"
)

// Spread is how a quantity is distributed over the surface, by area.
type Spread struct {
	Mean float64 `json:"mean"`
	P95  float64 `json:"p95" doc:"not exceeded on 95 % of the surface"`
	Max  float64 `json:"max"`
}

// Stretch tells how a layout distorts. Both are 1 where nothing is distorted.
type Stretch struct {
	Angle Spread `json:"angle" doc:"longer over shorter axis of what a circle becomes"`
	Area  Spread `json:"area" doc:"area against the sheet's mean, or its inverse, whichever is above 1"`
}

// SheetReport measures the layout of one sheet.
type SheetReport struct {
	Sheet     string     `json:"sheet"`
	Islands   int        `json:"islands"`
	Triangles int        `json:"triangles"`
	Space     float64    `json:"space" doc:"share of the sheet that islands fill, 0..1"`
	Stretch   Stretch    `json:"stretch"`
	Density   [3]float64 `json:"density" doc:"texels a metre at the size: least, mean and most of the islands"`
	Padding   int        `json:"padding" doc:"least distance between islands in texels; -1: a single island"`
	Overlap   int        `json:"overlap" doc:"texels that more than one triangle covers"`
	Shared    []Shared   `json:"shared,omitempty" doc:"pairs of islands that have texels in common, the most first; at most 64"`
	Mirrored  int        `json:"mirrored" doc:"islands"`
	Outside   int        `json:"outside" doc:"islands"`
}

// Shared are two islands that have texels in common: what is painted on either shows on
// both, and what is evaluated or baked is so at the owner's place.
type Shared struct {
	Owner     int32  `json:"owner" doc:"island"`
	Other     int32  `json:"other" doc:"island"`
	OwnerPart string `json:"ownerPart"`
	OtherPart string `json:"otherPart"`
	Texels    int    `json:"texels" doc:"at the size of the report"`
}

// mostShared bounds the pairs that a report lists.
const mostShared = 64

// Finding is something that the checks found, with its place.
type Finding struct {
	Kind  string  `json:"kind" enum:"overlap,mirrored,outside,padding,stretch,density,degenerate,open,nonmanifold,noUV,misses"`
	Grave bool    `json:"grave" doc:"it spoils maps or painting; otherwise it may be meant"`
	Text  string  `json:"text"`
	Sheet string  `json:"sheet,omitempty"`
	Part  string  `json:"part,omitempty"`
	Tris  []int32 `json:"tris" doc:"the place: triangles, at most 4000"`
}

// Report is what Prepare shows and unwrap prints.
type Report struct {
	Size     int           `json:"size" doc:"texels a side that the figures hold for"`
	Islands  int           `json:"islands"`
	Sheets   []SheetReport `json:"sheets"`
	Findings []Finding     `json:"findings"`
}

// Sizes gives the texels a side that sheets are measured at.
type Sizes func(sheet string) int

// Same measures all sheets at one size.
func Same(size int) Sizes { return func(string) int { return size } }

const mostTris = 4000

// Measure checks a model and its layout.
func Measure(m *mesh.Model, size Sizes) *Report {
	r := &Report{Islands: m.Islands, Findings: []Finding{}}
	if len(m.Sheets) > 0 {
		r.Size = size(m.Sheets[0].Name)
	}
	angle, area := Distortion(m)
	// side by side; what they find is told in the order of the sheets
	each := make([]Report, len(m.Sheets))
	var all par.All
	next := make(chan int, len(m.Sheets))
	for s := range m.Sheets {
		next <- s
	}
	close(next)
	for range min(runtime.GOMAXPROCS(0), len(m.Sheets)) {
		all.Go(func() {
			for s := range next {
				each[s].measure(m, s, size(m.Sheets[s].Name), angle, area)
			}
		})
	}
	all.Wait()
	for _, e := range each {
		r.Sheets, r.Findings = append(r.Sheets, e.Sheets...), append(r.Findings, e.Findings...)
	}
	r.surface(m)
	sort.SliceStable(r.Findings, func(a, b int) bool { return r.Findings[a].Grave && !r.Findings[b].Grave })
	return r
}

// measure puts a sheet and what is wrong with it into the report.
func (r *Report) measure(m *mesh.Model, s, size int, angle, area []float64) {
	sheet := m.Sheets[s]
	if sheet.HasUV {
		r.Sheets = append(r.Sheets, r.measureSheet(m, s, size, angle, area))
		return
	}
	r.Add(
		m,
		Finding{
			Kind:  "noUV",
			Grave: true,
			Sheet: sheet.Name,
			Text:  fmt.Sprintf("%q has no UVs: nothing can be laid on it until it is unwrapped", sheet.Name),
		},
		trisOf(m, func(t int) bool { return int(m.TriSheet[t]) == s }),
	)
}

func trisOf(m *mesh.Model, use func(t int) bool) (out []int32) {
	for t := range m.Tri {
		if use(t) {
			out = append(out, int32(t))
		}
	}
	return
}

// Add puts a finding with its place into the report; nothing when there is no place.
func (r *Report) Add(m *mesh.Model, f Finding, tris []int32) {
	if len(tris) == 0 {
		return
	}
	part := m.TriPart[tris[0]]
	same := true
	for _, t := range tris {
		same = same && m.TriPart[t] == part
	}
	if same {
		f.Part = m.Parts[part].Name
	}
	f.Tris = tris[:min(len(tris), mostTris)]
	r.Findings = append(r.Findings, f)
}

// Distortion returns for each triangle of a layout the distortion of angle, and the
// size of its image: UV area over surface area, in sheets a square metre. Triangles
// of no area have (1, 0).
func Distortion(m *mesh.Model) (angle, area []float64) {
	angle, area = make([]float64, len(m.Tri)), make([]float64, len(m.Tri))
	for i, t := range m.Tri {
		angle[i] = 1
		p := [3][2]float64{}
		for k, v := range t {
			p[k] = [2]float64{float64(m.UV[v].X), float64(m.UV[v].Y)}
		}
		e1, e2 := m.Pos[t[1]].Sub(m.Pos[t[0]]), m.Pos[t[2]].Sub(m.Pos[t[0]])
		l, twice := float64(e1.Length()), float64(e1.Cross(e2).Length())
		if l < 1e-12 || twice < 1e-14 {
			continue
		}
		x2, y2 := float64(e1.Dot(e2))/l, twice/l
		// columns of the map from the flat triangle to the sheet
		ux, uy := (p[1][0]-p[0][0])/l, (p[1][1]-p[0][1])/l
		vx, vy := (p[2][0]-p[0][0]-ux*x2)/y2, (p[2][1]-p[0][1]-uy*x2)/y2
		sum, diff := math.Hypot(ux+vy, uy-vx), math.Hypot(ux-vy, uy+vx)
		most, least := (sum+diff)/2, math.Abs(sum-diff)/2
		area[i] = most * least
		if least > 1e-12 {
			angle[i] = most / least
		} else {
			angle[i] = math.Inf(1)
		}
	}
	return
}

type weighted struct{ v, w float64 }

func spread(list []weighted) (s Spread) {
	total := 0.0
	for _, x := range list {
		total += x.w
		s.Mean += min(x.v, 100) * x.w
	}
	if total == 0 {
		return Spread{1, 1, 1}
	}
	s.Mean /= total
	slices.SortFunc(list, func(a, b weighted) int {
		switch {
		case a.v < b.v:
			return -1
		case a.v > b.v:
			return 1
		}
		return 0
	})
	sum := 0.0
	for _, x := range list {
		if sum += x.w; sum >= 0.95*total && s.P95 == 0 {
			s.P95 = min(x.v, 1e6)
		}
	}
	s.Max = min(list[len(list)-1].v, 1e6)
	return
}

// measureSheet measures a sheet; angle and area are the distortion of all triangles.
func (r *Report) measureSheet(m *mesh.Model, sheet, size int, angle, area []float64) SheetReport {
	name := m.Sheets[sheet].Name
	out := SheetReport{Sheet: name, Padding: -1, Density: [3]float64{math.Inf(1), 0, 0}}
	islands := Islands(m, func(t int) bool { return int(m.TriSheet[t]) == sheet })
	out.Islands = len(islands)
	var world, flat float64
	worldOf := make([]float64, len(islands))
	for i, d := range islands {
		out.Triangles += len(d.tris)
		for _, t := range d.tris {
			w := float64(m.FaceNormal(int(t)).Length()) / 2
			worldOf[i] += w
			world += w
			flat += w * area[t]
		}
	}
	out.Space = flat
	mean := flat / max(world, 1e-30)
	var angles, areas []weighted
	var stretched, squeezed, wide, mirrored, outside []int32
	for i, d := range islands {
		in := 0.0
		mirrors, leaves := false, false
		for k, t := range d.tris {
			w := float64(m.FaceNormal(int(t)).Length()) / 2
			if w < 1e-14 {
				continue
			}
			in += w * area[t]
			ratio := area[t] / mean
			ratio = max(ratio, 1/max(ratio, 1e-9))
			angles, areas = append(angles, weighted{angle[t], w}), append(areas, weighted{ratio, w})
			switch {
			case area[t] < mean/4:
				squeezed = append(squeezed, t)
			case area[t] > mean*4:
				wide = append(wide, t)
			case angle[t] > 2:
				stretched = append(stretched, t)
			}
			mirrors = mirrors || m.Mirrored(int(t))
			for _, p := range d.uv[k] {
				leaves = leaves || min(p[0], p[1]) < -1e-5 || max(p[0], p[1]) > 1.00001
			}
		}
		if worldOf[i] > 0 {
			density := float64(size) * math.Sqrt(in/worldOf[i])
			out.Density[0], out.Density[2] = min(out.Density[0], density), max(out.Density[2], density)
		}
		if mirrors {
			out.Mirrored++
			mirrored = append(mirrored, d.tris...)
		}
		if leaves {
			out.Outside++
			outside = append(outside, d.tris...)
		}
	}
	if math.IsInf(out.Density[0], 1) {
		out.Density[0] = 0
	}
	out.Density[1] = float64(size) * math.Sqrt(mean)
	out.Stretch = Stretch{spread(angles), spread(areas)}
	if out.Mirrored > 0 {
		r.Add(
			m,
			Finding{
				Kind:  "mirrored",
				Sheet: name,
				Text: fmt.Sprintf(
					"%s mirrored on %q: writing on them runs backwards",
					count(out.Mirrored, "island is", "islands are"),
					name,
				),
			},
			mirrored,
		)
	}
	if out.Outside > 0 {
		r.Add(
			m,
			Finding{
				Kind:  "outside",
				Grave: true,
				Sheet: name,
				Text:  fmt.Sprintf("%s the tile of %q", count(out.Outside, "island leaves", "islands leave"), name),
			},
			outside,
		)
	}
	for _, f := range []struct {
		tris []int32
		text string
	}{
		{stretched, "%.0f %% of %q is drawn out: circles become ellipses of more than 2 to 1"},
		{squeezed, "%.0f %% of %q is squeezed: less than half the texels a metre that the sheet has on the mean"},
		{wide, "%.0f %% of %q is spread out: more than twice the texels a metre that the sheet has on the mean"},
	} {
		if share := shareOf(m, f.tris, world); share > 0.02 {
			r.Add(m, Finding{Kind: "stretch", Sheet: name, Text: fmt.Sprintf(f.text, share*100, name)}, f.tris)
		}
	}
	if out.Density[0] > 0 && out.Density[2]/out.Density[0] > 3 {
		var odd []int32
		for i, d := range islands {
			in := 0.0
			for _, t := range d.tris {
				in += area[t] * float64(m.FaceNormal(int(t)).Length()) / 2
			}
			if q := in / max(worldOf[i], 1e-30) / mean; q < 1.0/3 || q > 3 { // at least one is, where they differ by more than 9 in area
				odd = append(odd, d.tris...)
			}
		}
		r.Add(
			m,
			Finding{
				Kind:  "density",
				Sheet: name,
				Text: fmt.Sprintf(
					"texel density on %q goes from %.0f to %.0f a metre",
					name,
					out.Density[0],
					out.Density[2],
				),
			},
			odd,
		)
	}
	r.onGrid(m, &out, islands, size)
	return out
}

func shareOf(m *mesh.Model, tris []int32, world float64) float64 {
	sum := 0.0
	for _, t := range tris {
		sum += float64(m.FaceNormal(int(t)).Length()) / 2
	}
	return sum / max(world, 1e-30)
}

func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// onGrid finds overlaps and padding at texel centres; sheets above 2048 are
// measured at that and scaled.
func (r *Report) onGrid(m *mesh.Model, out *SheetReport, islands []*island, size int) {
	cells := min(size, 2048)
	owner := make([]int32, cells*cells)
	tri := make([]int32, cells*cells)
	for i := range owner {
		owner[i] = -1
	}
	over := map[[2]int32]map[int32]bool{}
	texels, common := make([]int, len(islands)), map[[2]int32]int{}
	for i, d := range islands {
		for k, t := range d.tris {
			var p [3][2]float64
			for c := range 3 {
				p[c] = [2]float64{d.uv[k][c][0] * float64(cells), d.uv[k][c][1] * float64(cells)}
			}
			centres(p, cells, cells, func(x, y int) {
				at := y*cells + x
				texels[i]++
				if o := owner[at]; o >= 0 {
					out.Overlap++
					pair := [2]int32{min(o, int32(i)), max(o, int32(i))}
					common[pair]++
					if over[pair] == nil {
						over[pair] = map[int32]bool{}
					}
					over[pair][t], over[pair][tri[at]] = true, true
				}
				owner[at], tri[at] = int32(i), t
			})
		}
	}
	if len(over) > 0 {
		all := map[int32]bool{}
		parts := map[uint16]bool{}
		for _, tris := range over {
			for t := range tris {
				all[t] = true
				parts[m.TriPart[t]] = true
			}
		}
		tris := make([]int32, 0, len(all))
		for t := range all {
			tris = append(tris, t)
		}
		slices.Sort(tris)
		selves := 0
		for p := range over {
			if p[0] == p[1] {
				selves++
			}
		}
		var texts []string
		if n := len(over) - selves; n > 0 {
			texts = append(texts, count(n, "pair of islands overlaps", "pairs of islands overlap"))
		}
		if selves > 0 {
			texts = append(texts, count(selves, "island lies over itself", "islands lie over themselves"))
		}
		text := fmt.Sprintf("%s on %q", strings.Join(texts, ", "), out.Sheet)
		out.Shared = shared(m, islands, common)
		// halves and repeats that lie wholly on each other are meant; a part of one is not
		stray := false
		for p, n := range common {
			stray = stray || p[0] == p[1] || float64(n) < 0.9*float64(min(texels[p[0]], texels[p[1]]))
		}
		r.Add(m, Finding{Kind: "overlap", Grave: stray, Sheet: out.Sheet, Text: text}, tris)
	}
	gap, a := padding(owner, cells)
	if gap < 0 {
		return
	}
	out.Padding = gap * size / cells
	if out.Padding < 2 && len(over) == 0 {
		r.Add(
			m,
			Finding{
				Kind:  "padding",
				Sheet: out.Sheet,
				Text: fmt.Sprintf(
					"islands of %q come within %s of each other: colours bleed in mips",
					out.Sheet,
					count(out.Padding, "texel", "texels"),
				),
			},
			islands[a].tris,
		)
	}
}

// shared lists the pairs of islands that have texels in common, with their owner.
func shared(m *mesh.Model, islands []*island, common map[[2]int32]int) []Shared {
	rank := map[int32]int{}
	var out []Shared
	for p, n := range common {
		a, b := islands[p[0]].tris[0], islands[p[1]].tris[0]
		if p[0] == p[1] {
			continue
		}
		if len(rank) == 0 {
			for k, i := range m.OwnerOrder(int(m.TriSheet[a])) {
				rank[i] = k
			}
		}
		if rank[m.Island[b]] < rank[m.Island[a]] {
			a, b = b, a
		}
		out = append(out, Shared{m.Island[a], m.Island[b], m.Parts[m.TriPart[a]].Name, m.Parts[m.TriPart[b]].Name, n})
	}
	slices.SortFunc(out, func(a, b Shared) int {
		return cmp.Or(b.Texels-a.Texels, int(a.Owner-b.Owner), int(a.Other-b.Other))
	})
	return out[:min(len(out), mostShared)]
}

// padding returns the least number of free texels between two islands, and one of
// the two; −1 when there are no two. The nearest island is handed on from texel to
// texel; where two fronts meet, their ways add up.
func padding(owner []int32, n int) (gap int, island int32) {
	from := make([]int32, len(owner))
	for i := range from {
		from[i] = -1
		if owner[i] >= 0 {
			from[i] = int32(i)
		}
	}
	gap = -1
	best := math.Inf(1)
	dist := func(a, b int32) float64 {
		dx, dy := math.Abs(float64(int(a)%n-int(b)%n)), math.Abs(float64(int(a)/n-int(b)/n))
		return math.Hypot(max(dx-1, 0), max(dy-1, 0))
	}
	around := [4]int32{-1, 1, -int32(n), int32(n)}
	var ring []int32
	for y := range n {
		for x := range n {
			i := int32(y*n + x)
			if o := owner[i]; o >= 0 { // its rim
				for k, in := range [4]bool{x > 0, x < n-1, y > 0, y < n-1} {
					if in && owner[i+around[k]] != o {
						ring = append(ring, i)
						break
					}
				}
			}
		}
	}
	for step := 0; len(ring) > 0 && float64(step) <= best+1; step++ {
		var next []int32
		for _, i := range ring {
			x, y := int(i)%n, int(i)/n
			for k, in := range [4]bool{x > 0, x < n-1, y > 0, y < n-1} {
				if !in {
					continue
				}
				j := i + around[k]
				if from[j] < 0 {
					from[j] = from[i]
					next = append(next, j)
				} else if a, b := owner[from[i]], owner[from[j]]; a != b {
					if d := dist(from[i], from[j]); d < best {
						best, gap, island = d, int(d), a
					}
				}
			}
		}
		ring = next
	}
	return gap, island
}

// surface finds what is wrong with the mesh itself.
func (r *Report) surface(m *mesh.Model) {
	var thin, open []int32
	edges := 0
	count3 := map[[2]uint32][]int32{}
	weld := mesh.Weld(m.Pos)
	longest := float64(m.Bounds.Size().Length())
	for i, t := range m.Tri {
		if float64(m.FaceNormal(i).Length())/2 < longest*longest*1e-13 {
			thin = append(thin, int32(i))
			continue
		}
		border := false
		for k := range 3 {
			a, b := weld[t[k]], weld[t[(k+1)%3]]
			if a == b {
				continue
			}
			e := [2]uint32{min(a, b), max(a, b)}
			count3[e] = append(count3[e], int32(i))
			if m.Neighbor[i][k].Tri < 0 {
				border = true
				edges++
			}
		}
		if border {
			open = append(open, int32(i))
		}
	}
	var many []int32
	manyEdges := 0
	for _, tris := range count3 {
		if len(tris) > 2 {
			manyEdges++
			many = append(many, tris...)
		}
	}
	slices.Sort(many)
	many = slices.Compact(many)
	r.Add(
		m,
		Finding{Kind: "degenerate", Text: count(len(thin), "triangle has no area", "triangles have no area")},
		thin,
	)
	r.Add(
		m,
		Finding{Kind: "nonmanifold", Text: count(manyEdges, "edge has", "edges have") + " more than two faces"},
		many,
	)
	r.Add(
		m,
		Finding{
			Kind: "open",
			Text: count(edges, "edge is", "edges are") + " open: thickness and curvature are less sure there",
		},
		open,
	)
}
