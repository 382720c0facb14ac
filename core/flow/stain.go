package flow

import (
	"math"
	"slices"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
)

// Look is how runs are drawn.
type Look struct {
	Width   float32 // of a run that carries what its source gave, metres
	Age     float32 // 0..1: the share of runs that have begun; each strengthens after it has
	Leave   float32 // as the weather's
	Streaks float32 // 0 even, 1 all in streaks
	Rim     float32 // how much more is left at a run's borders, where it dries first
	Ragged  float32 // how uneven the borders are
	Seed    uint32
}

// Stains finds the runs near a place. It is immutable: a look of any age can be drawn
// from it.
type Stains struct {
	width float32
	cell  float32
	list  []stretch // run by run, from above
	cells map[uint64][]int32
	box   geom.Box
}

// stretch is a run between two of its nodes, with what drawing it needs at every place.
type stretch struct {
	run          int32
	foot         bool // the run's last
	a, e         geom.Vec3
	nrm, side    geom.Vec3 // of the surface, and across the run
	inv          float32   // 1 / |e|²
	share, more  float32   // of what the source gave, at a, and how much more at the other end
	at, long     float32   // metres from the run's beginning, and to the other end
	left, less   float32   // what is left a metre, of what the source gave, and how much more at the other end
	widest, rank float32   // in the look's width; the run's
}

func newStretch(run *Run, i, k int) stretch {
	a, b := &run.Nodes[k], &run.Nodes[k+1]
	e := b.Pos.Sub(a.Pos)
	long := e.Length()
	per := 1 / max(run.Source.Amount, 1e-9)
	left := per / max(long, 1e-9)
	return stretch{
		run: int32(i), foot: k+2 >= len(run.Nodes), a: a.Pos, e: e, nrm: a.Nrm, side: a.Nrm.Cross(e),
		inv: 1 / (long * long), share: a.Flow * per, more: (b.Flow - a.Flow) * per, at: a.At, long: b.At - a.At,
		left: a.Left * left, less: (b.Left - a.Left) * left,
		widest: wide(max(a.Flow, b.Flow) * per), rank: run.Source.Rank,
	}
}

// wide is how wide a run is that carries a share of what its source gave, in the look's width.
func wide(share float32) float32 { return min(0.35+0.65*float32(math.Sqrt(float64(share))), maxWide) }

// maxWide is how much wider than Width a run becomes that carries much.
const maxWide = 2.6

// NewStains prepares runs for drawing with a width.
func NewStains(r *Runs, width float32) *Stains {
	s := &Stains{
		width: width,
		cell:  max(width*maxWide*2, r.step),
		cells: map[uint64][]int32{},
		box:   geom.EmptyBox(),
	}
	pad := width * maxWide
	c := func(v float32) int32 { return noise.Floor(v / s.cell) }
	for i := range r.List {
		run := &r.List[i]
		for k := 0; k+1 < len(run.Nodes); k++ {
			a, b := run.Nodes[k].Pos, run.Nodes[k+1].Pos
			if run.Nodes[k].Break || b.Sub(a).Length() < 1e-9 {
				continue
			}
			n := int32(len(s.list))
			s.list = append(s.list, newStretch(run, i, k))
			s.box = s.box.Grow(a).Grow(b)
			for z := c(min(a.Z, b.Z) - pad); z <= c(max(a.Z, b.Z)+pad); z++ {
				for y := c(min(a.Y, b.Y) - pad); y <= c(max(a.Y, b.Y)+pad); y++ {
					for x := c(min(a.X, b.X) - pad); x <= c(max(a.X, b.X)+pad); x++ {
						id := key(x, y, z)
						s.cells[id] = append(s.cells[id], n)
					}
				}
			}
		}
	}
	s.box = s.box.Pad(pad)
	return s
}

// Near reports whether any run may touch a box.
func (s *Stains) Near(b geom.Box) bool { return !b.Empty() && s.box.Overlaps(b) }

// Mark is what one run left at a place: how much when it has run long, and its rank
// among the runs, from which it follows when it begins.
type Mark struct{ Rank, Much float32 }

// At returns how much was left at a place, 0..1; texel is the edge of a texel. The
// look's width is the one that the stains were made with.
func (s *Stains) At(look *Look, p, n geom.Vec3, texel float32) float32 {
	var room [8]Mark
	return Grown(s.Marks(look, p, n, texel, room[:0]), look.Age)
}

// Marks appends to list what the runs left at a place, whatever the age of the look.
func (s *Stains) Marks(look *Look, p, n geom.Vec3, texel float32, list []Mark) []Mark {
	near := s.In(geom.Box{Min: p, Max: p}, look, texel, Stained{})
	return near.Marks(p, n, texel, list)
}

func (s *Stains) marks(near []int32, look *Look, p, n geom.Vec3, texel float32, list []Mark) []Mark {
	last := int32(-1)
	for _, i := range near {
		g := &s.list[i]
		v := g.mark(look, p, n, texel)
		if v <= 0 {
			continue
		}
		// the stretches of a run follow each other: the strongest counts
		if k := len(list) - 1; g.run == last {
			list[k].Much = max(list[k].Much, v)
		} else {
			list, last = append(list, Mark{g.rank, v}), g.run
		}
	}
	return list
}

// Stained are the few stretches of runs that come near a small box: of many places in it
// each is looked for among these alone.
type Stained struct {
	s     *Stains
	look  *Look
	texel float32
	list  []int32
}

// In returns what comes near a box, for places that are texel metres apart. It takes over
// what was there before.
func (s *Stains) In(b geom.Box, look *Look, texel float32, was Stained) Stained {
	out := Stained{s, look, texel, was.list[:0]}
	c := func(v float32) int32 { return noise.Floor(v / s.cell) }
	// a stretch is in the cells that its widest run comes to; a coarse texel sees it from beyond
	far := b.Pad(max((&stretch{widest: maxWide}).reach(look, texel)-s.width*maxWide, 0))
	lo, hi := [3]int32{c(far.Min.X), c(far.Min.Y), c(far.Min.Z)}, [3]int32{c(far.Max.X), c(far.Max.Y), c(far.Max.Z)}
	for z := lo[2]; z <= hi[2]; z++ {
		for y := lo[1]; y <= hi[1]; y++ {
			for x := lo[0]; x <= hi[0]; x++ {
				out.nearTo(b, s.cells[key(x, y, z)])
			}
		}
	}
	if lo != hi { // a stretch lies in several cells; runs are told of one after the other
		slices.Sort(out.list)
		out.list = slices.Compact(out.list)
	}
	return out
}

// nearTo adds those of a list that come near a box.
func (s *Stained) nearTo(b geom.Box, list []int32) {
	middle, radius := b.Min.Lerp(b.Max, 0.5), b.Size().Length()/2
	for _, i := range list {
		g := &s.s.list[i]
		if far := radius + g.reach(s.look, s.texel); g.away(middle) < far*far {
			s.list = append(s.list, i)
		}
	}
}

// Within returns what comes near a box within the one that s was looked for in. It takes over
// what was there before.
func (s *Stained) Within(b geom.Box, was Stained) Stained {
	out := Stained{s.s, s.look, s.texel, was.list[:0]}
	out.nearTo(b, s.list)
	return out
}

// Many reports whether so many come near that it is worth looking for them in parts of the box.
func (s *Stained) Many() bool { return len(s.list) > 8 }

// away is the square of the distance of a place from the line.
func (g *stretch) away(p geom.Vec3) float32 {
	d := p.Sub(g.a)
	d = d.Sub(g.e.Mul(min(max(d.Dot(g.e)*g.inv, 0), 1)))
	return d.Dot(d)
}

// reach is how far from the line anything of the run may be.
func (g *stretch) reach(l *Look, texel float32) float32 {
	far := l.Width * g.widest * (1 + 0.5*l.Ragged)
	return max(far, texel) + 0.3*l.Ragged*far
}

// None reports whether nothing comes near.
func (s *Stained) None() bool { return len(s.list) == 0 }

// Marks is Stains.Marks at a place in the box.
func (s *Stained) Marks(p, n geom.Vec3, texel float32, list []Mark) []Mark {
	return s.s.marks(s.list, s.look, p, n, texel, list)
}

// Grown returns how much marks have left at an age: the share of runs that have begun;
// each strengthens after it has.
func Grown(list []Mark, age float32) float32 {
	clean := float32(1)
	for _, m := range list {
		if m.Rank < age {
			grown := geom.Smoothstep(m.Rank, m.Rank+0.35, age)
			clean *= 1 - min(m.Much*(0.35+0.65*grown), 1)
		}
	}
	return 1 - clean
}

// mark is what the stretch left at a place, 0..1.
func (g *stretch) mark(l *Look, p, n geom.Vec3, texel float32) float32 {
	d := p.Sub(g.a)
	t := min(max(d.Dot(g.e)*g.inv, 0), 1)
	d = d.Sub(g.e.Mul(t))
	far2 := d.Dot(d)
	if r := g.reach(l, texel); far2 > r*r || g.nrm.Dot(n) < 0.1 {
		return 0
	}
	// a run lies on the surface: it does not reach through a plate
	up := d.Dot(g.nrm)
	if up > 2*l.Width || up < -2*l.Width {
		return 0
	}
	at := g.at + t*g.long
	w := l.Width * wide(max(g.share+t*g.more, 0))
	w *= geom.Smoothstep(0, 3*l.Width, at) // it begins at a point
	// no farther than its raggedness could bring it
	if far := w * (1 + 0.5*l.Ragged); far2 > pow2(max(far, texel)+0.3*l.Ragged*far) {
		return 0
	}
	side := float32(1)
	if d.Dot(g.side) < 0 {
		side = -1
	}
	k := float32(g.run) * 1.37
	x := side * float32(math.Sqrt(float64(far2)))
	var b noise.Batch
	if l.Ragged > 0 {
		b.Add(at/l.Width*0.25, k, 3, l.Seed)
		b.Add(at/l.Width*0.6, k, 7, l.Seed)
		b.Run()
		w *= 1 + l.Ragged*0.5*b.Value[0]
		x += l.Ragged * 0.3 * w * b.Value[1]
	}
	drawn := max(w, texel)
	x /= drawn
	if x > 1 || x < -1 {
		return 0
	}
	ax := max(x, -x)
	v := 1 - geom.Smoothstep(0.55, 1, ax)
	if l.Rim > 0 {
		v *= 1 - l.Rim*0.6*(1-geom.Smoothstep(0.35, 0.75, ax))
	}
	if l.Streaks > 0 {
		b.Clear()
		b.Add(x*3.1+k, at/l.Width*0.06, k, l.Seed+1)
		b.Add(x*7+k, at/l.Width*0.11, k, l.Seed+2)
		b.Run()
		st := 0.55 + 0.45*b.Value[0] + 0.35*b.Value[1]
		v *= 1 - l.Streaks + l.Streaks*min(max(st, 0), 1.2)
	}
	// what is left a metre, against what a run leaves at its beginning on a wall
	left := (g.left + t*g.less) * l.Leave
	if g.foot {
		left = min(left, 1.4) // where the rest has dried
	}
	left = float32(math.Sqrt(float64(max(left, 0))))
	return max(v*(w/drawn)*min(left, 1.25), 0)
}

func pow2(v float32) float32 { return v * v }
