package brush

import (
	"context"
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
)

// Coverage is what a stroke lays on the points of a frame: how much (0..1, without
// the stroke's strength), and, where its dabs differ in colour, how far the hue is
// turned (−0.5..0.5 of the circle) and the colour lightened (−1..1).
type Coverage struct {
	Cover      []float32
	Hue, Light []float32 // nil when the dabs do not differ
	pits       []float32 // depth of the line's grain, 0..1; nil when it has none
	from, to   int       // the points outside of these are not covered; both 0: not known
	// Tip reads the kit's picture at a place 0..1 right and down, for a texel that is a
	// share of its width: grey times opacity. Without it a kit with a picture lays nothing.
	Tip func(u, v, footprint float32) float32
	// Flat tells the sheet of a point and its UVs there, for outlines drawn on flat sheets;
	// without it a stroke in such an outline lays nothing.
	Flat func(i int) (sheet int, uv geom.Vec2)
	// Stencil reads the picture of the stroke's stencil; without it nothing is held back.
	Stencil StencilReader
	// Colors take the colours of the stencil's picture where it lets the stroke through,
	// sRGB-encoded; nil: nobody asks.
	Colors pix.Rows
}

// NewCoverage is an empty coverage of n points for a stroke.
func (s *Stroke) NewCoverage(n int) *Coverage {
	c := &Coverage{Cover: make([]float32, n), from: n}
	if s.Kit.hasTint() {
		c.Hue, c.Light = make([]float32, n), make([]float32, n)
	}
	if s.Kit.grainIn(GrainLine) {
		c.pits = make([]float32, n)
	}
	return c
}

// Span returns the range of points outside of which nothing is covered.
func (c *Coverage) Span() (from, to int) {
	if c.from == 0 && c.to == 0 {
		return 0, len(c.Cover)
	}
	return min(c.from, c.to), c.to
}

// reached notes that points from..to may be covered now.
func (c *Coverage) reached(from, to int) { c.from, c.to = min(c.from, from), max(c.to, to) }

// Clone returns a copy.
func (c *Coverage) Clone() *Coverage {
	return &Coverage{
		append([]float32(nil), c.Cover...),
		append([]float32(nil), c.Hue...),
		append([]float32(nil), c.Light...),
		append([]float32(nil), c.pits...),
		c.from,
		c.to,
		c.Tip,
		c.Flat,
		c.Stencil,
		c.Colors,
	}
}

// Raise lets the coverage of other places count that points stand for too: of[k] is the
// point of place k. Where a place is covered more than its point was so far the point takes
// its coverage and colours over, and won, when given, is told both.
func (c *Coverage) Raise(o *Coverage, of []int32, won func(point, place int32)) {
	for k, i := range of {
		if o.Cover[k] <= c.Cover[i] {
			continue
		}
		c.reached(int(i), int(i)+1)
		c.Cover[i] = o.Cover[k]
		if c.Hue != nil {
			c.Hue[i], c.Light[i] = o.Hue[k], o.Light[k]
		}
		if won != nil {
			won(i, int32(k))
		}
	}
}

// Draw adds segments from..to of the stroke, in this order, to its coverage.
//
// A swept stroke's coverage is the strongest of its segments. Dabs add up: each lays
// its share of what is missing, c + w (1 − c), so flow builds up to the strength of
// the stroke and never over it.
// It stops with the context's error within a few dozen dabs; the coverage is then a part of
// what it was to be.
func (s *Stroke) Draw(ctx context.Context, f *raster.Frame, c *Coverage, from, to int) error {
	if s.Fill != nil {
		c.reached(0, len(f.Pos))
		for i, t := range f.Tri {
			if t >= 0 && s.Within.Has(t) {
				c.Cover[i] = s.Fill.at(f.Pos[i])
			}
		}
		return nil
	}
	var fall []float32
	if s.Kit != nil {
		fall = s.Kit.Falloff.table()
	}
	for _, w := range s.twins() {
		if s.Kit == nil {
			if err := s.sweep(ctx, f, c, from, to, w); err != nil {
				return err
			}
			continue
		}
		n := 0
		var err error
		s.walk(from, to, func(d dab) {
			if n++; n%dabsBetween == 0 && err == nil {
				err = ctx.Err()
			}
			if err == nil {
				s.lay(f, c, d, w, fall)
			}
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// dabsBetween is after how many dabs, or segments, it is asked whether they are still wanted:
// some tens of microseconds where they lie elsewhere, a few milliseconds where not.
const dabsBetween = 64

// lay sets one dab down at one of the places where the stroke is mirrored to; fall is the
// table of its own falloff, or nil.
func (s *Stroke) lay(f *raster.Frame, c *Coverage, d dab, w twin, fall []float32) {
	k := s.Kit
	if d.weight <= 0 {
		return
	}
	pos, nrm, ax, ay := w.pos(d.pos), w.dir(d.nrm), w.dir(d.x), w.dir(d.y)
	reach := d.r * max(math.Sqrt2, k.depth())
	box := geom.EmptyBox().Grow(pos).Pad(reach)
	if !f.Bounds.Overlaps(box) {
		return
	}
	var bits []float32
	n := 0
	if k.Picture != "" && c.Tip == nil {
		return
	}
	if k.Picture == "" && k.Tip != "" {
		bits, n = bitmap(k.Tip, d.variant, 2*d.r/max(f.Footprint, 1e-9))
	}
	look := s.facing()
	soft := 1 / (d.r * k.depth())
	hard := min(d.hard, 0.995)
	way := w.dir(d.way)
	side := w.dir(d.way.Cross(d.nrm)) // as the twin turns it: its grain is mirrored too
	inTip, seen := k.grainIn(GrainTip), k.Grain.seen(f.Footprint)
	tall := float32(1)
	if inTip {
		tall = 1 / max(d.y.Length()*d.r, 1e-6)
	}
	bw := f.BlocksWide()
	for b, blk := range f.Blocks {
		if !blk.Overlaps(box) {
			continue
		}
		x0, y0 := b%bw*raster.Block, b/bw*raster.Block
		c.reached(y0*f.W, min(y0+raster.Block, f.H)*f.W)
		for y := y0; y < min(y0+raster.Block, f.H); y++ {
			for j := y*f.W + x0; j < y*f.W+min(x0+raster.Block, f.W); j++ {
				if f.Tri[j] < 0 {
					continue
				}
				q := f.Pos[j].Sub(pos)
				u, v := q.Dot(ax), q.Dot(ay)
				if u > 1 || u < -1 || v > 1 || v < -1 {
					continue
				}
				z := mag(q.Dot(nrm)) * soft
				if z >= 1 {
					continue
				}
				var a float32
				switch {
				case k.Picture != "":
					if a = c.Tip((u+1)/2, (1-v)/2, f.Footprint/(2*d.r)); a <= 0 {
						continue
					}
				case bits == nil:
					e := u*u + v*v
					if e >= 1 {
						continue
					}
					a = falloff(fall, float32(math.Sqrt(float64(e))), hard)
				default:
					if a = sampled(bits, n, u, v); a == 0 {
						continue
					}
				}
				if z > 0.5 {
					a *= 4 * (1 - z) * z // smooth to nothing at the depth: 1 at half of it
				}
				if !k.Through {
					a *= look(nrm.Dot(f.Nrm[j]))
				}
				if inTip {
					h := grainAt(k.Grain.Kind, geom.V3(u*d.r, v*d.r*tall, 0), geom.V3(0, 0, 1), 1/k.Grain.Size)
					a *= paintInGrain(h, a/2, seen) // one dab reaches down half of it
				}
				if a *= d.weight; a <= 0 || !s.Within.Has(f.Tri[j]) {
					continue
				}
				had := c.Cover[j]
				now := had + a*(1-had)
				c.Cover[j] = now
				if c.Hue != nil {
					// what is laid last counts by its share of what is there
					t := a / max(now, 1e-6)
					t = min(t, 1)
					c.Hue[j] += t * (d.hue - c.Hue[j])
					c.Light[j] += t * (d.light - c.Light[j])
				}
				if c.pits != nil {
					h := grainAt(
						k.Grain.Kind,
						geom.V3(q.Dot(side), d.along+q.Dot(way), 0),
						geom.V3(0, 0, 1),
						1/k.Grain.Size,
					)
					c.pits[j] += min(a/max(now, 1e-6), 1) * (h - c.pits[j])
				}
			}
		}
	}
}

// falloff is what a round dab lays at a distance of its middle, in radii.
func falloff(table []float32, d, hard float32) float32 {
	if table != nil {
		return read(table, d)
	}
	u := (d - hard) / (1 - hard)
	if u <= 0 {
		return 1
	}
	return 1 - geom.Smooth(u)
}

// facing returns how much paint a surface takes by the cosine of the angle between
// its normal and the pen's.
func (s *Stroke) facing() func(cos float32) float32 {
	k := s.Kit
	if k == nil || k.Facing == 0 && k.Fade == 0 {
		return facing
	}
	limit, fade := float64(k.Facing), float64(k.Fade)
	if limit == 0 {
		limit = 90
	}
	fade = max(min(fade, limit), 1)
	none, all := float32(math.Cos(limit*math.Pi/180)), float32(math.Cos((limit-fade)*math.Pi/180))
	return func(cos float32) float32 { return min(max((cos-none)/max(all-none, 1e-4), 0), 1) }
}

// Held lets only that part of a coverage stay that the grain of the surface holds.
// It is done once, on the whole stroke: where more paint was laid, deeper places
// are filled.
func (s *Stroke) Held(f *raster.Frame, c *Coverage) {
	s.Lasso.hold(f, c.Cover, c.Flat)
	s.Stencil.hold(f, c, s.Cast())
	if s.Kit == nil || s.Kit.Grain == nil || s.Kit.Grain.Amount == 0 {
		return
	}
	g := s.Kit.Grain
	inv, seen := 1/g.Size, g.seen(f.Footprint)
	for i, v := range c.Cover {
		if v == 0 || f.Tri[i] < 0 {
			continue
		}
		switch g.In {
		case "":
			c.Cover[i] = v * paintInGrain(grainAt(g.Kind, f.Pos[i], f.Nrm[i], inv), v, seen)
		case GrainLine:
			c.Cover[i] = v * paintInGrain(c.pits[i], v, seen)
		}
	}
}

// paintInGrain is the share of a coverage that a grain holds: paint reaches down to a depth that
// grows with its amount. h is 0 on a hill and 1 in a pit.
func paintInGrain(h, cover, seen float32) float32 {
	return 1 - seen + seen*geom.Smoothstep(h*0.85-0.15, h*0.85+0.15, cover)
}

// seen is how much of a grain shows where a texel has such a footprint: in one of less
// than two texels its mean is all there is.
func (g *Grain) seen(footprint float32) float32 {
	if g == nil {
		return 0
	}
	return g.Amount * (1 - geom.Smoothstep(0.4, 1, footprint/g.Size))
}

func (k *Kit) grainIn(in string) bool {
	return k != nil && k.Grain != nil && k.Grain.In == in && k.Grain.Amount > 0
}

func grainAt(kind string, p, n geom.Vec3, inv float32) float32 {
	q := p.Mul(inv)
	switch kind {
	case "grit":
		f1, _, id, _ := noise.Cellular(q.X, q.Y, q.Z, 0x6172, noise.Euclidean, 1)
		return min(max(f1*0.9+0.5*(noise.Random(id, 1)-0.4), 0), 1)
	case "weave":
		// threads over and under, on the two axes that the surface faces least
		a, b := q.X, q.Z
		if mag(n.Y) < mag(n.X) || mag(n.Y) < mag(n.Z) {
			if b = q.Y; mag(n.X) > mag(n.Z) {
				a = q.Z
			}
		}
		s, t := math.Sincos(math.Pi * float64(a))
		u, v := math.Sincos(math.Pi * float64(b))
		over := float32(s*s*u*u + t*t*v*v)
		return min(max(1-1.1*over, 0), 1)
	case "ripple": // bows close behind each other, each steep at its front
		bow := float64(
			q.Y,
		) + 0.7*math.Sqrt(
			1+0.5*float64(q.X*q.X),
		) + 0.14*float64(
			noise.Simplex(q.X*0.6, q.Y*0.35, q.Z*0.6, 0x72),
		)
		t := float32(bow - math.Floor(bow))
		return 1 - t*t*geom.Smoothstep(1, 0.86, t)
	case "fibre":
		return min(
			max(0.5+0.55*noise.Simplex(q.X*3, q.Y*0.35, q.Z*3, 0x66)+0.2*noise.Simplex(q.X*7, q.Y*0.8, q.Z*7, 0x67), 0),
			1,
		)
	}
	v := 0.62*noise.Simplex(
		q.X,
		q.Y,
		q.Z,
		0x63,
	) + 0.3*noise.Simplex(
		q.X*2.1,
		q.Y*2.1,
		q.Z*2.1,
		0x64,
	) + 0.15*noise.Simplex(
		q.X*4.3,
		q.Y*4.3,
		q.Z*4.3,
		0x65,
	)
	return min(max(0.5+0.6*v, 0), 1)
}
