// Package brush holds strokes as they were made, on the surface in model space,
// and draws their coverage into any frame of surface points.
package brush

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"

	"velvetgrime/core/blend"
	"velvetgrime/core/geom"

	"github.com/zeebo/xxh3"
	"velvetgrime/core/raster"
)

// Point is one sample of the pen on the surface.
type Point struct {
	Pos, Nrm geom.Vec3
	Pressure float32 // 0..1
}

// Points is written to JSON as a flat row of seven numbers a point:
// x y z, normal x y z, pressure.
type Points []Point

// MarshalJSON implements json.Marshaler.
func (p Points) MarshalJSON() ([]byte, error) {
	flat := make([]float32, 0, 7*len(p))
	for _, q := range p {
		flat = append(flat, q.Pos.X, q.Pos.Y, q.Pos.Z, q.Nrm.X, q.Nrm.Y, q.Nrm.Z, q.Pressure)
	}
	return json.Marshal(flat)
}

// UnmarshalJSON implements json.Unmarshaler.
func (p *Points) UnmarshalJSON(b []byte) error {
	var flat []float32
	if err := json.Unmarshal(b, &flat); err != nil {
		return err
	}
	if len(flat)%7 != 0 {
		return fmt.Errorf("a stroke has %d numbers; seven make a point", len(flat))
	}
	*p = nil
	for i := 0; i < len(flat); i += 7 {
		*p = append(
			*p,
			Point{geom.V3(flat[i], flat[i+1], flat[i+2]), geom.V3(flat[i+3], flat[i+4], flat[i+5]), flat[i+6]},
		)
	}
	return nil
}

// Stroke is one pull of the brush. It is immutable; a stroke that still grows is
// a new value with the same ID and more points.
type Stroke struct {
	ID       string               `json:"id"`
	Radius   float32              `json:"radius" doc:"metres at full pressure"`
	Strength float32              `json:"strength" minimum:"0" maximum:"1"`
	Hardness float32              `json:"hardness" minimum:"0" maximum:"1" doc:"share of the radius at full strength"`
	Erase    bool                 `json:"erase,omitempty"`
	PenSize  bool                 `json:"penSize,omitempty" doc:"pressure drives the radius"`
	PenFlow  bool                 `json:"penFlow,omitempty" doc:"pressure drives the strength"`
	Values   map[string][]float32 `json:"values" doc:"what is painted, by channel; \"mask\" in a hand step"`
	Does     string               `json:"does,omitempty" enum:",lighten,darken,soften,sharpen,clone,smear,pinch,flatten,opposite" doc:"empty: lays the values"`
	Blend    blend.Mode           `json:"blend,omitempty" doc:"how the values meet what was painted before; empty: normal"`
	Kit      *Kit                 `json:"kit,omitempty"`
	Mirror   *Mirror              `json:"mirror,omitempty"`
	Within   *Area                `json:"within,omitempty" doc:"what it stays in; none: the whole model"`
	Fill     *Fill                `json:"fill,omitempty" doc:"covers all of that at once"`
	Lasso    *Lasso               `json:"lasso,omitempty" doc:"an outline over a view that it stays in"`
	Stencil  *Stencil             `json:"stencil,omitempty" doc:"a picture held before the view through which it paints"`
	Slide    string               `json:"slide,omitempty" doc:"or the layer's slide through which it paints, by its id"`
	Alike    *Alike               `json:"alike,omitempty" doc:"it stays where it looks like one place; none: anywhere"`
	Eye      *geom.Vec3           `json:"eye,omitempty" doc:"it paints only what is seen from here; none: whatever it reaches"`
	Take     *Take                `json:"take,omitempty" doc:"where a cloning stroke takes from"`
	Of       string               `json:"of,omitempty" doc:"a fill layer's id: its channels are laid, as they are there, in place of the values"`
	Seed     string               `json:"seed,omitempty" doc:"the stroke whose chance it repeats, by its id; none: its own"`
	Flip     bool                 `json:"flip,omitempty" doc:"the tip is mirrored: its right is left"`
	Up       geom.Vec3            `json:"up,omitzero" doc:"what is up for the tip, as the view had it"`
	Tilt     []float32            `json:"tilt,omitempty" doc:"of the pen at each point: 0 upright, 1 flat"`
	Lean     []float32            `json:"lean,omitempty" doc:"where the pen leans to at each point: 0..1, turns anticlockwise from the right of what is up"`
	Twist    []float32            `json:"twist,omitempty" doc:"how far the pen is turned round itself at each point: 0..1, turns anticlockwise"`
	Points   Points               `json:"points"`

	// of one that was given the slide through which it paints: the content of what is drawn of it, of
	// that with the slide, and that slide as it was before its picture was pushed
	drawn, through, unpushed xxh3.Uint128
}

// Through returns the stroke with the slide through which it paints. content is the stroke's own
// Content, slide names the stencil's and unpushed that of the stencil without its warp: strokes of
// many points are not read again for each move of their slide.
func (s *Stroke) Through(c *Stencil, content, slide, unpushed xxh3.Uint128) *Stroke {
	n := *s
	n.Stencil, n.drawn, n.unpushed = c, content, unpushed
	a, b := content.Bytes(), slide.Bytes()
	n.through = xxh3.Hash128(append(a[:], b[:]...))
	return &n
}

// Unpushed names the slide of a stroke that was given one, but for what its picture was pushed by. ok is
// false for strokes without a slide, and where places see it elsewhere than they are.
func (s *Stroke) Unpushed() (slide xxh3.Uint128, ok bool) {
	return s.unpushed, s.drawn != xxh3.Uint128{} && s.Cast() == nil
}

// Drawn names what is drawn of a stroke that was given its slide, before the slide holds any of it
// back; ok is false for others.
func (s *Stroke) Drawn() (key xxh3.Uint128, ok bool) { return s.drawn, s.drawn != xxh3.Uint128{} }

// Lays reports whether the stroke changes each place by what was there alone: it takes nothing from
// beside it, and does not look at what it reaches.
func (s *Stroke) Lays() bool {
	return (s.Does == "" || s.Does == "lighten" || s.Does == "darken") && s.Take == nil && s.Alike == nil && s.Of == ""
}

// MaxPoints bounds one stroke; the page begins a new one before it is reached.
const MaxPoints = 100_000

// Check returns why a stroke cannot be drawn.
func (s *Stroke) Check() error {
	switch {
	case s.ID == "" || len(s.ID) > 64:
		return fmt.Errorf("the stroke has no usable id")
	case len(s.Slide) > 64 || s.Slide != "" && s.Stencil != nil:
		return fmt.Errorf("the stroke's slide has no usable id, or it has a stencil beside it")
	case len(s.Of) > 64:
		return fmt.Errorf("the layer whose material the stroke lays has no usable id")
	case len(s.Seed) > 64:
		return fmt.Errorf("the stroke repeats the chance of one with no usable id")
	case !(s.Radius > 1e-6 && s.Radius < 1e4):
		return fmt.Errorf("stroke radius %v m is outside 0.001 mm to 10 km", s.Radius)
	case !(s.Strength >= 0 && s.Strength <= 1) || !(s.Hardness >= 0 && s.Hardness <= 1):
		return fmt.Errorf("stroke strength %v and hardness %v go from 0 to 1", s.Strength, s.Hardness)
	case len(s.Points) == 0 || len(s.Points) > MaxPoints:
		return fmt.Errorf("the stroke has %d points; 1 to %d are possible", len(s.Points), MaxPoints)
	}
	if n := s.dabs(); n > MaxDabs {
		return fmt.Errorf(
			"the stroke would set about %.0f dabs; at most %d are possible. Set its spacing or its radius higher, or draw it in pieces",
			n,
			MaxDabs,
		)
	}
	for i, p := range s.Points {
		if !p.Pos.Finite() || !p.Nrm.Finite() || !(p.Pressure >= 0 && p.Pressure <= 1) {
			return fmt.Errorf("point %d of the stroke is no place on the surface", i+1)
		}
	}
	for _, row := range s.held() {
		for _, t := range *row {
			if !(t >= 0 && t <= 1) {
				return fmt.Errorf("the pen's tilt, where it leans and how far it is turned go from 0 to 1")
			}
		}
	}
	e, ok := effects[s.Does]
	if !ok {
		return fmt.Errorf("a stroke cannot %q; it can %v", s.Does, slices.Sorted(maps.Keys(effects)))
	}
	if e.check != nil {
		if err := e.check(s.Take); err != nil {
			return err
		}
	}
	if err := checkMode(s.Blend); err != nil {
		return err
	}
	if s.Kit != nil {
		if err := s.Kit.check(); err != nil {
			return err
		}
	}
	if err := s.Within.check(); err != nil {
		return err
	}
	if err := s.Stencil.Check(); err != nil {
		return err
	}
	if err := s.Lasso.check(); err != nil {
		return err
	}
	if err := s.Alike.check(); err != nil {
		return err
	}
	if s.Eye != nil && !s.Eye.Finite() {
		return fmt.Errorf("the place from which the stroke sees is none")
	}
	if f := s.Fill; f != nil && (s.Within == nil || !f.From.Finite() || !f.To.Finite()) {
		return fmt.Errorf("a fill needs an area")
	}
	if s.Mirror != nil {
		if err := s.Mirror.check(); err != nil {
			return err
		}
	}
	for c, v := range s.Values {
		for _, x := range v {
			if !(x > -10 && x < 10) {
				return fmt.Errorf("the stroke's %s is %v", c, x)
			}
		}
	}
	return nil
}

// dabs estimates how many dabs the stroke sets, from its length and spacing.
func (s *Stroke) dabs() float64 {
	if s.Kit == nil || s.Fill != nil || len(s.Points) < 2 {
		return 0
	}
	length := 0.0
	for i := 1; i < len(s.Points); i++ {
		length += float64(s.Points[i].Pos.Sub(s.Points[i-1].Pos).Length())
	}
	return length / float64(max(s.Kit.Spacing, leastSpacing)*2*s.Radius) * float64(max(s.Kit.Count, 1))
}

// Inside reports whether the points from one on lie within a box or near it: no farther
// than its own size. A stroke is made on a surface, so none lies elsewhere.
func (s *Stroke) Inside(box geom.Box, from int) error {
	near := box.Pad(box.Size().Length() + s.Radius)
	for i := from; i < len(s.Points); i++ {
		if p := s.Points[i].Pos; !near.Overlaps(geom.Box{Min: p, Max: p}) {
			return fmt.Errorf(
				"point %d of the stroke lies at %v m, far from the model; nothing is painted there",
				i+1,
				p,
			)
		}
	}
	return nil
}

func (s *Stroke) radius(p Point) float32 {
	if s.PenSize {
		return s.Radius * max(p.Pressure, 0.02)
	}
	return s.Radius
}

func (s *Stroke) flow(p Point) float32 {
	if s.PenFlow {
		return p.Pressure
	}
	return 1
}

// Segments returns how many swept segments a stroke of n points has: a single
// point makes one.
func (s *Stroke) Segments() int { return max(len(s.Points)-1, 1) }

// segment returns the two ends of segment i.
func (s *Stroke) segment(i int) (a, b Point) {
	return s.Points[i], s.Points[min(i+1, len(s.Points)-1)]
}

// Bounds returns the box that segments from..to (exclusive) can touch.
func (s *Stroke) Bounds(from, to int) geom.Box {
	box := geom.EmptyBox()
	if s.Fill != nil {
		return s.Within.Box
	}
	for _, w := range s.twins() {
		for i := from; i < to; i++ {
			box = box.Union(s.bounds(i, w))
		}
	}
	return box
}

// bounds is the box of one segment at one of the places where it is mirrored to.
func (s *Stroke) bounds(i int, w twin) geom.Box {
	a, b := s.segment(i)
	r := max(s.radius(a), s.radius(b)) * s.Kit.reach()
	return geom.EmptyBox().Grow(w.pos(a.Pos)).Grow(w.pos(b.Pos)).Pad(r)
}

// Touches reports whether segments from..to may reach a texel of the frame's
// blocks, or come within pad metres of one. It may say yes for a near miss, never
// no for a hit.
func (s *Stroke) Touches(blocks []geom.Box, pad float32, from, to int) bool {
	if s.Fill != nil {
		box := s.Within.Box.Pad(pad)
		return slices.ContainsFunc(blocks, func(b geom.Box) bool { return b.Overlaps(box) })
	}
	for _, w := range s.twins() {
		for i := from; i < to; i++ {
			box := s.bounds(i, w).Pad(pad)
			for _, b := range blocks {
				if b.Overlaps(box) {
					return true
				}
			}
		}
	}
	return false
}

// facing fades a dab out where the surface turns away from it, so that a stroke
// cannot print through a thin plate: full up to 60° between the normals, nothing
// from 90°.
func facing(cos float32) float32 { return min(max(cos*2, 0), 1) }

// sweep raises cover (one value 0..1 for each point of the frame) to the coverage
// of segments from..to. Within a stroke overlapping segments do not add up: the
// strongest counts, so the result depends on no order and a stroke may be drawn
// in pieces. Strength is applied by the caller.
func (s *Stroke) sweep(ctx context.Context, f *raster.Frame, out *Coverage, from, to int, w twin) error {
	cover, bw := out.Cover, f.BlocksWide()
	for i := from; i < to; i++ {
		if (i-from)%dabsBetween == dabsBetween-1 && ctx.Err() != nil {
			return ctx.Err()
		}
		a, b := s.segment(i)
		box := s.bounds(i, w)
		if !f.Bounds.Overlaps(box) {
			continue
		}
		seg := newSwept(s, w.point(a), w.point(b))
		near := s.Mirror.nearPlane(a.Pos.Lerp(b.Pos, 0.5))
		for k, blk := range f.Blocks {
			if !blk.Overlaps(box) {
				continue
			}
			x0, y0 := k%bw*raster.Block, k/bw*raster.Block
			out.reached(y0*f.W, min(y0+raster.Block, f.H)*f.W)
			for y := y0; y < min(y0+raster.Block, f.H); y++ {
				for j := y*f.W + x0; j < y*f.W+min(x0+raster.Block, f.W); j++ {
					if f.Tri[j] >= 0 && s.Within.Has(f.Tri[j]) {
						if c := seg.at(f.Pos[j], f.Nrm[j]) * near; c > cover[j] {
							cover[j] = c
						}
					}
				}
			}
		}
	}
	return nil
}

// swept is one segment with everything that does not change over texels.
type swept struct {
	a, d         geom.Vec3
	na, dn       geom.Vec3
	inv          float32 // 1 / |d|²
	r0, dr       float32
	f0, df, hard float32
}

func newSwept(s *Stroke, a, b Point) swept {
	w := swept{
		a:    a.Pos,
		d:    b.Pos.Sub(a.Pos),
		na:   a.Nrm,
		dn:   b.Nrm.Sub(a.Nrm),
		r0:   s.radius(a),
		f0:   s.flow(a),
		hard: min(s.Hardness, 0.995),
	}
	w.dr, w.df = s.radius(b)-w.r0, s.flow(b)-w.f0
	if l := w.d.Dot(w.d); l > 1e-20 {
		w.inv = 1 / l
	}
	return w
}

func (w *swept) at(p, n geom.Vec3) float32 {
	q := p.Sub(w.a)
	t := min(max(q.Dot(w.d)*w.inv, 0), 1)
	off := q.Sub(w.d.Mul(t))
	r := w.r0 + w.dr*t
	d2 := off.Dot(off)
	if d2 >= r*r {
		return 0
	}
	u := (float32(math.Sqrt(float64(d2)))/r - w.hard) / (1 - w.hard)
	c := float32(1)
	if u > 0 {
		c = 1 - geom.Smooth(u)
	}
	return c * (w.f0 + w.df*t) * facing(w.na.Add(w.dn.Mul(t)).Dot(n))
}

// Pack writes the points as little-endian float32, seven a point.
func (p Points) Pack() []byte {
	var b bytes.Buffer
	_ = binary.Write(&b, binary.LittleEndian, []Point(p))
	return b.Bytes()
}

// Unpack reads what Pack wrote.
func Unpack(b []byte) (Points, error) {
	if len(b)%28 != 0 || len(b)/28 > MaxPoints {
		return nil, fmt.Errorf("packed stroke of %d bytes is damaged", len(b))
	}
	p := make([]Point, len(b)/28)
	return p, binary.Read(bytes.NewReader(b), binary.LittleEndian, p)
}
