package render

import (
	"cmp"
	"maps"
	"math"
	"slices"

	"velvetgrime/core/eval"
	"velvetgrime/core/pix"
	"velvetgrime/core/spatial"
	"velvetgrime/core/surface"
)

// What a still shows of a sheet is as fine as its pixels, the rest coarse: light that was sent on is
// wide. Rays through some of the pixels find what is seen, also in mirrors and through panes.

const (
	probed  = 2    // one ray in so many pixels each way
	mirrors = 2    // how many mirrors a ray follows
	glossy  = 0.25 // up to which roughness a surface mirrors what can be told apart
)

// seenTile is a tile of a sheet's own lattice.
type seenTile struct{ sheet, x, y int }

// wanted gathers which tiles are seen, and how often their sides may be halved.
type wanted struct {
	*tracer
	sizes  []int     // of the sheets
	dense  []float32 // texels a metre, by triangle; 0: not known yet
	levels map[seenTile]int
}

// Wants lists the tiles without which the picture would be coarser than its pixels; of a turntable, those
// of so many pictures. All of them together have at most as many texels as a still may have.
func (t *Traced) Wants(p *eval.Program, pictures int) []surface.Tile {
	if len(t.model.UV) == 0 {
		return nil
	}
	w := &wanted{
		tracer: &tracer{Traced: t}, sizes: make([]int, len(t.model.Sheets)),
		dense: make([]float32, len(t.model.Tri)), levels: map[seenTile]int{},
	}
	for i, s := range t.model.Sheets {
		w.sizes[i] = p.Doc.Sheets[s.Name].Size
	}
	every := probed
	if pictures > 1 {
		every *= 2 // each place is seen from several sides
	}
	for i := range pictures {
		w.Traced = t
		if pictures > 1 {
			w.Traced = t.Turned(360 * float64(i) / float64(pictures))
		}
		for y := 0; y < t.Still.H; y += every {
			for x := 0; x < t.Still.W; x += every {
				w.probe(x, y)
			}
		}
	}
	most := texelsFor(&t.Still)
	for halved := 0; ; halved++ {
		if list := w.list(halved); len(list)*pix.Size*pix.Size <= most {
			return list
		}
	}
}

// probe follows the ray through a pixel's middle.
func (w *wanted) probe(x, y int) {
	origin, dir := w.ray(float32(x)+0.5, float32(y)+0.5, 0.5, 0.5)
	pixel := 2 * w.half / float32(w.Still.H) // its width, metres, or at a distance of 1
	gone, wider := float32(0), float32(0)    // how far the ray has come, and what mirrors have widened it by
	spread := float32(0)
	var m met
	for turn := 0; turn <= mirrors; {
		h := w.tree.Ray(&w.b, origin, dir, w.span*1e-5, inf)
		if h.Tri < 0 {
			return
		}
		gone += h.T
		wide := pixel
		if w.Still.Angle > 0 {
			wide *= gone
		}
		wider += spread * h.T
		w.uvOf(h, &m)
		w.mark(h, wide+wider)
		if open, pane := w.passes(h.Tri, dir); open+pane > 0 {
			origin = origin.Add(dir.Mul(h.T))
			turn++ // it goes straight on, also through what is partly open
			continue
		}
		if w.pl.rough > glossy {
			return
		}
		spread += w.pl.rough * w.pl.rough // about the slopes of its facets
		w.shade(h, origin, dir, &m)
		origin, dir = m.pos, dir.Sub(m.nrm.Mul(2*dir.Dot(m.nrm)))
		turn++
	}
}

// mark notes that a place is seen by something so many metres wide.
func (w *wanted) mark(h spatial.Hit, wide float32) {
	m := w.model
	s := int(m.TriSheet[h.Tri])
	size := w.sizes[s]
	tri := m.Tri[h.Tri]
	a, b, c := m.UV[tri[0]], m.UV[tri[1]], m.UV[tri[2]]
	if w.dense[h.Tri] == 0 {
		area := (b.X-a.X)*(c.Y-a.Y) - (b.Y-a.Y)*(c.X-a.X)
		in := m.FaceNormal(int(h.Tri)).Length()
		w.dense[h.Tri] = max(sqrt32(max(area, -area)/max(in, 1e-20)), 1e-9)
	}
	level := max(int(math.Round(math.Log2(float64(w.dense[h.Tri]*float32(size)*wide)))), 0)
	k := 1 - h.U - h.V
	u, v := a.X*k+b.X*h.U+c.X*h.V, a.Y*k+b.Y*h.U+c.Y*h.V
	n := max(size/pix.Size, 1)
	at := seenTile{s, min(int((u-floor(u))*float32(n)), n-1), min(int((v-floor(v))*float32(n)), n-1)}
	if was, ok := w.levels[at]; !ok || level < was {
		w.levels[at] = level
	}
}

// list lists the tiles that what was seen needs beyond what is there, all coarser by halved.
func (w *wanted) list(halved int) []surface.Tile {
	all := map[surface.Tile]bool{}
	for at, level := range w.levels {
		size := w.sizes[at.sheet]
		level += halved
		for level > 0 && size>>level < pix.Size {
			level--
		}
		if size>>level > w.skins[at.sheet].size {
			all[surface.Tile{Sheet: at.sheet, Size: size >> level, X: at.x >> level, Y: at.y >> level}] = true
		}
	}
	list := slices.SortedFunc(maps.Keys(all), func(a, b surface.Tile) int {
		return cmp.Or(cmp.Compare(a.Size, b.Size), cmp.Compare(a.Sheet, b.Sheet), cmp.Compare(a.Y, b.Y), cmp.Compare(a.X, b.X))
	})
	shown := map[seenTile]int{} // by tile of the sheets' own lattices, which one of the list shows it
	for i, t := range list {
		eachUnder(t, w.sizes[t.Sheet], func(x, y int) { shown[seenTile{t.Sheet, x, y}] = i })
	}
	needed := map[int]bool{} // what finer ones show whole is not
	for _, i := range shown {
		needed[i] = true
	}
	var out []surface.Tile
	for i, t := range list {
		if needed[i] {
			out = append(out, t)
		}
	}
	return out
}
