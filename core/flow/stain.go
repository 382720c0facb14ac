package flow

import (
	"cmp"
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
	runs  *Runs
	width float32
	cell  float32
	cells map[uint64][]segment
	box   geom.Box
}

type segment struct{ run, node int32 }

// maxWide is how much wider than Width a run becomes that carries much.
const maxWide = 2.6

// NewStains prepares runs for drawing with a width.
func NewStains(r *Runs, width float32) *Stains {
	s := &Stains{
		runs:  r,
		width: width,
		cell:  max(width*maxWide*2, r.step),
		cells: map[uint64][]segment{},
		box:   geom.EmptyBox(),
	}
	pad := width * maxWide
	c := func(v float32) int32 { return noise.Floor(v / s.cell) }
	for i := range r.List {
		run := &r.List[i]
		for k := 0; k+1 < len(run.Nodes); k++ {
			if run.Nodes[k].Break {
				continue
			}
			a, b := run.Nodes[k].Pos, run.Nodes[k+1].Pos
			s.box = s.box.Grow(a).Grow(b)
			for z := c(min(a.Z, b.Z) - pad); z <= c(max(a.Z, b.Z)+pad); z++ {
				for y := c(min(a.Y, b.Y) - pad); y <= c(max(a.Y, b.Y)+pad); y++ {
					for x := c(min(a.X, b.X) - pad); x <= c(max(a.X, b.X)+pad); x++ {
						id := key(x, y, z)
						s.cells[id] = append(s.cells[id], segment{int32(i), int32(k)})
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
	cell := s.cells[key(noise.Floor(p.X/s.cell), noise.Floor(p.Y/s.cell), noise.Floor(p.Z/s.cell))]
	return s.marks(cell, look, p, n, texel, list)
}

func (s *Stains) marks(segments []segment, look *Look, p, n geom.Vec3, texel float32, list []Mark) []Mark {
	last := int32(-1)
	for _, g := range segments {
		v := s.segment(look, g, p, n, texel)
		if v <= 0 {
			continue
		}
		// segments of a run follow each other: the strongest counts
		if k := len(list) - 1; g.run == last {
			list[k].Much = max(list[k].Much, v)
		} else {
			list, last = append(list, Mark{s.runs.List[g.run].Source.Rank, v}), g.run
		}
	}
	return list
}

// Stained are the few segments of runs that come near a small box: of many places in it
// each is looked for among these alone.
type Stained struct {
	s    *Stains
	look *Look
	list []segment
}

// In returns what comes near a box, for places that are texel metres apart. It takes over
// what was there before.
func (s *Stains) In(b geom.Box, look *Look, texel float32, was Stained) Stained {
	out := Stained{s, look, was.list[:0]}
	c := func(v float32) int32 { return noise.Floor(v / s.cell) }
	lo, hi := [3]int32{c(b.Min.X), c(b.Min.Y), c(b.Min.Z)}, [3]int32{c(b.Max.X), c(b.Max.Y), c(b.Max.Z)}
	middle, radius := b.Min.Lerp(b.Max, 0.5), b.Size().Length()/2
	far := s.width * maxWide * (1 + 0.5*look.Ragged)
	far = radius + max(far, texel) + 0.3*look.Ragged*far
	for z := lo[2]; z <= hi[2]; z++ {
		for y := lo[1]; y <= hi[1]; y++ {
			for x := lo[0]; x <= hi[0]; x++ {
				for _, g := range s.cells[key(x, y, z)] {
					nodes := s.runs.List[g.run].Nodes
					if away(middle, nodes[g.node].Pos, nodes[g.node+1].Pos) < far*far {
						out.list = append(out.list, g)
					}
				}
			}
		}
	}
	if lo != hi { // a segment lies in several cells; runs are told of one after the other
		slices.SortFunc(out.list, func(a, b segment) int {
			return cmp.Or(cmp.Compare(a.run, b.run), cmp.Compare(a.node, b.node))
		})
		out.list = slices.Compact(out.list)
	}
	return out
}

// away is the square of the distance of a place from a line between two.
func away(p, a, b geom.Vec3) float32 {
	e, d := b.Sub(a), p.Sub(a)
	if l := e.Dot(e); l > 0 {
		d = d.Sub(e.Mul(min(max(d.Dot(e)/l, 0), 1)))
	}
	return d.Dot(d)
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

func (s *Stains) segment(l *Look, g segment, p, n geom.Vec3, texel float32) float32 {
	run := &s.runs.List[g.run]
	a, b := &run.Nodes[g.node], &run.Nodes[g.node+1]
	e, d := b.Pos.Sub(a.Pos), p.Sub(a.Pos)
	long := e.Length()
	if long < 1e-9 || a.Nrm.Dot(n) < 0.1 {
		return 0
	}
	t := min(max(d.Dot(e)/(long*long), 0), 1)
	d = d.Sub(e.Mul(t))
	// a run lies on the surface: it does not reach through a plate
	up := d.Dot(a.Nrm)
	if up > 2*l.Width || up < -2*l.Width {
		return 0
	}
	flow := a.Flow + t*(b.Flow-a.Flow)
	at := a.At + t*(b.At-a.At)
	share := flow / max(run.Source.Amount, 1e-9)
	w := l.Width * min(0.35+0.65*float32(math.Sqrt(float64(share))), maxWide)
	w *= geom.Smoothstep(0, 3*l.Width, at) // it begins at a point
	// no farther than its raggedness could bring it
	if far := w * (1 + 0.5*l.Ragged); d.Dot(d) > pow2(max(far, texel)+0.3*l.Ragged*far) {
		return 0
	}
	side := float32(1)
	if d.Dot(a.Nrm.Cross(e)) < 0 {
		side = -1
	}
	k := float32(g.run) * 1.37
	x := side * d.Length()
	if l.Ragged > 0 {
		w *= 1 + l.Ragged*0.5*noise.Simplex(at/l.Width*0.25, k, 3, l.Seed)
		x += l.Ragged * 0.3 * w * noise.Simplex(at/l.Width*0.6, k, 7, l.Seed)
	}
	wide := max(w, texel)
	x /= wide
	if x > 1 || x < -1 {
		return 0
	}
	ax := max(x, -x)
	v := 1 - geom.Smoothstep(0.55, 1, ax)
	if l.Rim > 0 {
		v *= 1 - l.Rim*0.6*(1-geom.Smoothstep(0.35, 0.75, ax))
	}
	if l.Streaks > 0 {
		st := 0.55 + 0.45*noise.Simplex(
			x*3.1+k,
			at/l.Width*0.06,
			k,
			l.Seed+1,
		) + 0.35*noise.Simplex(
			x*7+k,
			at/l.Width*0.11,
			k,
			l.Seed+2,
		)
		v *= 1 - l.Streaks + l.Streaks*min(max(st, 0), 1.2)
	}
	// what is left a metre, against what a run leaves at its beginning on a wall
	left := (a.Left + t*(b.Left-a.Left)) / long * l.Leave / max(run.Source.Amount, 1e-9)
	if g.node+2 >= int32(len(run.Nodes)) {
		left = min(left, 1.4) // the foot, where the rest has dried
	}
	left = float32(math.Sqrt(float64(max(left, 0))))
	return max(v*(w/wide)*min(left, 1.25), 0)
}

func pow2(v float32) float32 { return v * v }
