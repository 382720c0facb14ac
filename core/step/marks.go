package step

import (
	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
	"velvetgrime/core/raster"
)

// A mark is a line on the surface that belongs to a point scattered in space. It is
// laid into the tangent plane of the place that is evaluated, so it runs over seams
// and bends with the surface.

// mark is a place seen from a mark: along and across it, in half lengths from its
// middle.
type mark struct {
	along, across float32
	id            uint32
}

// nearMarks looks for the marks near a point. p is in lengths; axis is the direction that
// they keep to, zero for none; spread, 0..1, is how far they leave it; bow is how much
// they are bent; share is how many of them there are; the caller does nothing with marks farther
// across than most, in half lengths.
func nearMarks(p, n, axis geom.Vec3, seed uint32, count int, share, spread, bow, most float32, f func(m mark)) {
	t, b := marksRun(n, axis)
	const depth = markDepth
	half := 0.5 * (abs32(n.X) + abs32(n.Y) + abs32(n.Z))
	few := shareOfMarks(share)
	// none that matters is farther away: half as long as the longest, as far across, bent, and as deep
	aside := 0.5*most + 0.25*abs32(bow)
	far := 0.25 + aside*aside + depth*depth + spare
	i, j, k := noise.Floor(p.X), noise.Floor(p.Y), noise.Floor(p.Z)
	for dz := int32(-1); dz <= 1; dz++ {
		cz := float32(k+dz) - p.Z
		for dy := int32(-1); dy <= 1; dy++ {
			cy := float32(j+dy) - p.Y
			for dx := int32(-1); dx <= 1; dx++ {
				cx := float32(i+dx) - p.X
				base := cx*n.X + cy*n.Y + cz*n.Z
				if m := base + 0.5*(n.X+n.Y+n.Z); m > depth+half || m < -depth-half {
					continue
				}
				for c := range count {
					id := noise.Hash(i+dx, j+dy, k+dz, seed+uint32(c)*7919)
					if markRank(id) > few {
						continue
					}
					ux, uy, uz := float32(id&1023)*(1.0/1024), float32(id>>10&1023)*(1.0/1024), float32(id>>20&1023)*(1.0/1024)
					if d := base + ux*n.X + uy*n.Y + uz*n.Z; d > depth || d < -depth {
						continue
					}
					to := geom.V3(cx+ux, cy+uy, cz+uz)
					if to.Dot(to) > far {
						continue
					}
					s, co := markTurn(spread, id)
					x, y := -to.Dot(t), -to.Dot(b)
					along, across := co*x+s*y, co*y-s*x
					if along > 0.5 || along < -0.5 {
						continue // beyond the end of the longest
					}
					bent := bow * (noise.Random(id, 4) - 0.5)
					across += bent * along * along * 2
					f(mark{2 * along, 2 * across, id})
				}
			}
		}
	}
}

// A mark is among a share of all marks where its rank is not above that of the share.
func markRank(id uint32) uint32 { return id * 0x9e3779b9 >> 1 }

func shareOfMarks(share float32) uint32 { return uint32(min(float64(share), 1) * (1 << 31)) }

func markParams(list ...Param) []Param {
	return append(list,
		Param{Name: "towards", Label: "direction", Kind: "direction", Default: []any{1.0, 0.3, 0.2}, Level: often, Help: "the way the marks run"},
		Param{Name: "spread", Label: "spread", Kind: "number", Min: 0, Max: 1, Default: 0.25, Level: often, Help: "how far they leave it; 1 is any direction"},
		Param{Name: "bow", Label: "curvature", Kind: "number", Min: 0, Max: 2, Default: 0.25, Level: often, Help: "how much they are bent"})
}

// millimetres is a parameter for a thickness.
func millimetres(name, label, help string, def float64) Param {
	return Param{Name: name, Label: label, Kind: "number", Min: 0.00001, Max: 1, Default: def, Unit: "mm", Scale: 1000, Log: true, Help: help}
}

// Scratched evaluates scratches at a point: depth 0..1. size is their length, width
// their width, both in metres.
type Scratched struct {
	Size, Width, Spread, Bow, Broken, Amount float32
	Count                                    int
	Axis                                     geom.Vec3
	Seed                                     uint32
}

// On prepares to evaluate scratches at the points of a frame.
func (s *Scratched) On(f *raster.Frame) *ScratchedOn {
	half, tx := s.Width/s.Size, f.Footprint/s.Size*2
	return &ScratchedOn{*s, newMarksOn(f, s.Size, s.Axis, s.Seed, s.Count, s.Spread, s.Bow, 4*half+tx)}
}

// ScratchedOn evaluates scratches at the points of a frame. It is of one goroutine.
type ScratchedOn struct {
	Scratched
	marks *MarksOn
}

// At returns the depth at a point, 0..1, of amount of the scratches.
func (s *ScratchedOn) At(i int, amount float32) float32 {
	var best float32
	half := s.Width / s.Size
	tx := s.marks.frame.Footprint / s.Size * 2
	s.marks.near(i, amount, func(m mark) {
		u := noise.Random(m.id, 1)
		long := 0.25 + 0.7*u*u
		if m.along < -long || m.along > long || m.across > 4*half+tx || m.across < -4*half-tx {
			return
		}
		e := m.along / long
		// it begins hard and runs out
		press := (1 - e*e) * (0.75 + 0.25*e) * (0.35 + 0.65*noise.Random(m.id, 2))
		w := half * (0.5 + 1.5*noise.Random(m.id, 5)*noise.Random(m.id, 7)) * (0.4 + 0.6*press)
		k := float32(m.id&4095) * 0.21
		d := abs32(m.across + w*0.8*noise.Simplex(m.along*3, k, 0, s.Seed))
		if s.Broken > 0 {
			press *= geom.Smoothstep(s.Broken-0.35, s.Broken+0.1, 0.62+0.5*noise.Simplex(m.along*5/long, k, 9, s.Seed)+0.25*noise.Simplex(m.along*23, k, 5, s.Seed))
		}
		wide := max(w, tx)
		best = max(best, press*(w/wide)*(1-geom.Smoothstep(wide*0.4, wide, d)))
	})
	return clamp01(best * 1.25)
}

func init() {
	way := func(in Input) geom.Vec3 { return vec(in.Row("towards")) }
	surface := func(kind, label, help string, size float64, list []Param, make func(in Input, seed uint32) func(n geom.Vec3, i int) float32) {
		all := append([]Param{{Name: "size", Label: "length", Kind: "number", Min: 0.0005, Max: 100, Default: size, Unit: "mm", Scale: 1000, Log: true, Help: "of the longest marks"}}, list...)
		register(Description{Kind: kind, Label: label, Help: help, Role: "source", Group: marks, Costly: true, Params: append(all, seedParam),
			Run: func(in Input, out []float32) {
				f := make(in, uint32(in.Number("seed")))
				in.each(out, 0, func(i int) float32 { return clamp01(f(in.Frame.Nrm[i], i)) })
			}})
	}
	surface("scratches", "Scratches", "Fine lines with a cause: a direction, a press that runs out, breaks.", 0.05, markParams(
		millimetres("width", "width", "of a scratch", 0.0005), number("count", "count", "how many lie about one place", 1, 8, 4),
		number("amount", "density", "share of them that shows", 0, 1, 0.8), number("broken", "breakage", "how much they skip", 0, 1, 0.35)),
		func(in Input, seed uint32) func(n geom.Vec3, i int) float32 {
			s := Scratched{Size: in.Number("size"), Width: in.Number("width"), Spread: in.Number("spread"), Bow: in.Number("bow"), Broken: in.Number("broken"),
				Amount: in.Number("amount"), Count: int(in.Number("count")), Axis: way(in), Seed: seed}
			on := s.On(in.Frame)
			return func(_ geom.Vec3, i int) float32 { return on.At(i, s.Amount) }
		})
	surface("smears", "Smears", "Wide soft wipes of a hand or a rag, streaked along their way.", 0.12, markParams(
		number("wide", "width", "of a wipe against its length", 0.05, 1, 0.3), number("amount", "density", "share of them that shows", 0, 1, 0.6), number("streaks", "streaks", "how strongly they are streaked", 0, 1, 0.6)),
		func(in Input, seed uint32) func(n geom.Vec3, i int) float32 {
			wide, amount, streaks, spread, bow, axis := in.Number("wide"), in.Number("amount"), in.Number("streaks"), in.Number("spread"), in.Number("bow"), way(in)
			marks := newMarksOn(in.Frame, in.Number("size"), axis, seed, 2, spread, bow, wide)
			return func(_ geom.Vec3, i int) float32 {
				var best float32
				marks.near(i, amount, func(m mark) {
					long := 0.4 + 0.5*noise.Random(m.id, 1)
					w := wide * (0.5 + 0.5*noise.Random(m.id, 5))
					x, y := m.along/long, m.across/w
					if x*x > 1 || y*y > 1 {
						return
					}
					k := float32(m.id&4095) * 0.21
					v := (1 - geom.Smoothstep(0.5, 1, abs32(y))) * (1 - geom.Smoothstep(0.2, 1, abs32(x)))
					st := 0.5 + 0.5*noise.Simplex(x*0.6, y*6+k, k, seed) + 0.3*noise.Simplex(x*0.9, y*17+k, k, seed+1)
					best = max(best, v*(1-streaks+streaks*st)*(0.5+0.5*noise.Random(m.id, 2)))
				})
				return best
			}
		})
	surface("fibres", "Fibres", "Short bent hairs that lie about.", 0.012, markParams(
		millimetres("width", "thickness", "of a fibre", 0.0001), number("count", "count", "how many lie about one place", 1, 8, 4), number("amount", "density", "share of them that shows", 0, 1, 0.8)),
		func(in Input, seed uint32) func(n geom.Vec3, i int) float32 {
			size, width, spread, bow, axis, count, amount := in.Number("size"), in.Number("width"), in.Number("spread"), in.Number("bow"), way(in), int(in.Number("count")), in.Number("amount")
			half, tx := width/size, in.Frame.Footprint/size*2
			marks := newMarksOn(in.Frame, size, axis, seed, count, 0.2+0.8*spread, bow*4, max(half, tx))
			return func(_ geom.Vec3, i int) float32 {
				var best float32
				marks.near(i, amount, func(m mark) {
					long := 0.3 + 0.6*noise.Random(m.id, 1)
					if abs32(m.along) > long {
						return
					}
					wide := max(half, tx)
					best = max(best, (half/wide)*(1-geom.Smoothstep(wide*0.3, wide, abs32(m.across)))*(0.5+0.5*noise.Random(m.id, 2))*(1-geom.Smoothstep(0.8*long, long, abs32(m.along))))
				})
				return best
			}
		})
	surface("drips", "Drips", "Drops that ran down and dried: a thin tail, a heavy foot.", 0.06, []Param{
		{Name: "towards", Label: "down", Kind: "direction", Default: []any{0.0, -1.0, 0.0}, Level: often, Help: "the way they run"},
		number("wide", "width", "of a drip against its length", 0.005, 0.3, 0.05), number("count", "count", "how many lie about one place", 1, 8, 3), number("amount", "density", "share of them that shows", 0, 1, 0.6), number("wander", "wander", "how crooked they run", 0, 1, 0.3)},
		func(in Input, seed uint32) func(n geom.Vec3, i int) float32 {
			wide, amount, wander, axis, count := in.Number("wide"), in.Number("amount"), in.Number("wander"), way(in), int(in.Number("count"))
			tx := in.Frame.Footprint / in.Number("size") * 2
			// the foot is as wide as a drip, the tail less, and a crooked one leaves its line
			marks := newMarksOn(in.Frame, in.Number("size"), axis, seed, count, 0, 0, max(wide, tx)+0.13*wander)
			return func(n geom.Vec3, i int) float32 {
				// nothing runs where the surface lies level
				slope := geom.Smoothstep(0.1, 0.35, axis.Sub(n.Mul(n.Dot(axis))).Length())
				if slope == 0 {
					return 0
				}
				var best float32
				marks.near(i, amount, func(m mark) {
					long := 0.15 + 0.8*noise.Random(m.id, 1)*noise.Random(m.id, 2)
					k := float32(m.id&4095) * 0.21
					x := (m.along + long) / (2 * long) // 0 at the top
					y := m.across + wander*0.12*noise.Simplex(m.along*2.2, k, 0, seed)
					w := wide * (0.35 + 0.65*noise.Random(m.id, 5))
					foot := length((m.along-long)/1.4, y)
					drop := 1 - geom.Smoothstep(w*0.8, w, foot)
					tail := float32(0)
					if x > 0 && x < 1 {
						tw := w * (0.35 + 0.35*x)
						tail = (0.35 + 0.45*x) * (1 - geom.Smoothstep(tw*0.5, max(tw, tx), abs32(y)))
					}
					best = max(best, max(drop, tail))
				})
				return best * slope
			}
		})
	surface("leaks", "Leaks", "Stains that fan out and fade below a source, in many fine streaks.", 0.15, []Param{
		{Name: "towards", Label: "down", Kind: "direction", Default: []any{0.0, -1.0, 0.0}, Level: often, Help: "the way they run"},
		number("wide", "width", "of a leak against its length", 0.02, 1, 0.16), number("amount", "density", "share of them that shows", 0, 1, 0.6), number("streaks", "streaks", "how strongly they are streaked", 0, 1, 0.7)},
		func(in Input, seed uint32) func(n geom.Vec3, i int) float32 {
			wide, amount, streaks, axis := in.Number("wide"), in.Number("amount"), in.Number("streaks"), way(in)
			marks := newMarksOn(in.Frame, in.Number("size"), axis, seed, 2, 0, 0, 1.2*wide+0.05)
			return func(n geom.Vec3, i int) float32 {
				slope := geom.Smoothstep(0.1, 0.35, axis.Sub(n.Mul(n.Dot(axis))).Length())
				if slope == 0 {
					return 0
				}
				var dry float32 = 1
				marks.near(i, amount, func(m mark) {
					long := 0.3 + 0.6*noise.Random(m.id, 1)
					x := (m.along + long) / (2 * long)
					if x < 0 || x > 1 {
						return
					}
					w := wide * (0.3 + 0.7*noise.Random(m.id, 5)) * (0.6 + 0.6*x)
					k := float32(m.id&4095) * 0.21
					y := (m.across + 0.04*noise.Simplex(m.along*2, k, 3, seed)) / w
					if y*y > 1 {
						return
					}
					st := 0.5 + 0.5*noise.Simplex(m.along*0.8, y*5+k, k, seed) + 0.35*noise.Simplex(m.along*1.5, y*13+k, k, seed+1)
					reach := 0.55 + 0.5*noise.Simplex(y*3+k, 0, k, seed+2)
					v := geom.Smoothstep(0, 0.03, x) * (1 - geom.Smoothstep(reach*0.25, max(reach, 0.1), x)) * (1 - geom.Smoothstep(0.6, 1, abs32(y)))
					dry *= 1 - clamp01(v*(1-streaks+streaks*st))
				})
				return (1 - dry) * slope
			}
		})
}
