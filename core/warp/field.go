// Package warp moves the pixels of a picture in its own space, smoothly: what lies there is
// pushed until it fits, and the picture itself stays what it was.
package warp

import (
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"sync"

	"velvetgrime/core/geom"
)

// A field is a grid of offsets over a picture and half of it around: places are shares of its
// width and height from the upper left corner, 0..1 within.
const (
	// Side is how many points of the grid lie along each edge.
	Side = 65
	// Rim is how far beyond the picture the field goes, in shares of it.
	Rim = 0.5

	points = Side * Side
	cells  = Side - 1
	span   = 1 + 2*Rim
	unit   = 1.0 / 8192 // of an offset as it is kept
)

// Field says what of a picture is seen where: at a place that which lies there in the picture
// itself moved by the offset of that place. Between the points of the grid offsets are
// interpolated by cubics (Catmull and Rom, 1974), beyond it they are those of its border. It is
// not changed once it is made; nil moves nothing.
type Field struct {
	Moved []byte `json:"moved" doc:"offsets of 65 × 65 points by rows, from half a picture beyond its upper left corner to half of one beyond its lower right one: along its width, then its height, each a little-endian 16-bit number of 1/8192 of that"`
	Pins  []byte `json:"pins,omitempty" doc:"how firmly each point is held where it is, 0..255; empty: none is"`

	once  sync.Once
	off   []float32 // two a point
	still *Cells    // those which nothing is moved in; in these no number is read
}

// Check returns why a field is none; of nil nothing.
func (f *Field) Check() error {
	switch {
	case f == nil:
	case len(f.Moved) != 4*points:
		return fmt.Errorf("its warp has %d bytes of offsets; it takes %d", len(f.Moved), 4*points)
	case len(f.Pins) != 0 && len(f.Pins) != points:
		return fmt.Errorf("its warp has %d pins; it takes %d, or none", len(f.Pins), points)
	}
	return nil
}

// offsets are the field's numbers.
func (f *Field) offsets() []float32 {
	f.once.Do(func() {
		f.off = make([]float32, 2*points)
		for i := range f.off {
			f.off[i] = float32(int16(binary.LittleEndian.Uint16(f.Moved[2*i:]))) * unit
		}
		f.still = Changed(f, nil)
		for y := range f.still {
			f.still[y] = ^f.still[y]
		}
	})
	return f.off
}

// kept makes a field of offsets and pins.
func kept(off []float32, pins []byte) *Field {
	f := &Field{Moved: make([]byte, 4*points), Pins: pins}
	for i, v := range off {
		n := math.Round(float64(v) / unit)
		binary.LittleEndian.PutUint16(f.Moved[2*i:], uint16(int16(min(max(n, math.MinInt16), math.MaxInt16))))
	}
	return f
}

// At returns where in the picture lies what is seen at (u, v), and how many times as large a
// part of it a small length there covers, at least 1.
func (f *Field) At(u, v float32) (x, y, larger float32) {
	if f == nil {
		return u, v, 1
	}
	off := f.offsets()
	gx, gy := grid(u), grid(v)
	if f.still[min(int(gy), cells-1)]>>min(int(gx), cells-1)&1 != 0 {
		return u, v, 1
	}
	dx, dy, ju, jv := sampled(off, gx, gy)
	across := (1+ju[0])*(1+ju[0]) + ju[1]*ju[1]
	down := jv[0]*jv[0] + (1+jv[1])*(1+jv[1])
	return u + dx, v + dy, float32(math.Sqrt(float64(max(across, down, 1))))
}

// grid returns where a place lies along the grid, 0..cells; what is no number lies at its begin.
func grid(v float32) float32 {
	if g := (v + Rim) * (cells / span); g > 0 {
		return min(g, cells)
	}
	return 0
}

// sampled reads offsets at a place of the grid, and how they change along the width and the height
// there.
func sampled(off []float32, gx, gy float32) (dx, dy float32, ju, jv [2]float32) {
	x0, y0 := min(int(gx), cells-1), min(int(gy), cells-1)
	wx, sx := cubic(gx - float32(x0))
	wy, sy := cubic(gy - float32(y0))
	// of a row the two in the middle lie beside each other, the outer ones may be those of the border
	before, after := 2*max(x0-1, 0), 2*min(x0+2, cells)
	for j := range 4 {
		row := off[2*Side*min(max(y0-1+j, 0), cells):][:2*Side]
		l, m, r := row[before:before+2], row[2*x0:2*x0+4], row[after:after+2]
		a := wx[0]*l[0] + wx[1]*m[0] + wx[2]*m[2] + wx[3]*r[0]
		b := wx[0]*l[1] + wx[1]*m[1] + wx[2]*m[3] + wx[3]*r[1]
		da := sx[0]*l[0] + sx[1]*m[0] + sx[2]*m[2] + sx[3]*r[0]
		db := sx[0]*l[1] + sx[1]*m[1] + sx[2]*m[3] + sx[3]*r[1]
		dx, dy = dx+wy[j]*a, dy+wy[j]*b
		ju[0], ju[1] = ju[0]+wy[j]*da*(cells/span), ju[1]+wy[j]*db*(cells/span)
		jv[0], jv[1] = jv[0]+sy[j]*a*(cells/span), jv[1]+sy[j]*b*(cells/span)
	}
	return dx, dy, ju, jv
}

// cubic returns the weights of four points about a place between the middle two, and their
// slopes there.
func cubic(t float32) (w, slope [4]float32) {
	t2, t3 := t*t, t*t*t
	w = [4]float32{-0.5*t3 + t2 - 0.5*t, 1.5*t3 - 2.5*t2 + 1, -1.5*t3 + 2*t2 + 0.5*t, 0.5*t3 - 0.5*t2}
	slope = [4]float32{-1.5*t2 + 2*t - 0.5, 4.5*t2 - 5*t, -4.5*t2 + 4*t + 0.5, 1.5*t2 - t}
	return w, slope
}

// What a brush does to a field.
const (
	Push   = "push"   // moves what lies under it along
	Smooth = "smooth" // lets it go back to where it was
	Pin    = "pin"    // holds it where it is
	Unpin  = "unpin"
)

// Brush changes a field along a path.
type Brush struct {
	Does     string    `json:"does" doc:"push, smooth, pin or unpin"`
	Path     []float32 `json:"path" doc:"places it goes over, two numbers each: shares of the picture's width and height from its upper left corner"`
	Radius   float32   `json:"radius" doc:"in shares of the picture's width, 0.01..1"`
	Strength float32   `json:"strength" doc:"0..1"`
}

// mostPath is how many places a path may have.
const mostPath = 4096

// Check returns why a brush cannot be used.
func (b *Brush) Check() error {
	switch {
	case !slices.Contains([]string{Push, Smooth, Pin, Unpin}, b.Does):
		return fmt.Errorf("a brush does not %q a picture; it can push, smooth, pin or unpin it", b.Does)
	case len(b.Path) < 2 || len(b.Path)%2 != 0 || len(b.Path) > 2*mostPath:
		return fmt.Errorf("its path has %d numbers; it takes two for each of up to %d places", len(b.Path), mostPath)
	case !(b.Radius >= 0.01 && b.Radius <= 1):
		return fmt.Errorf("its radius %v goes from 0.01 to 1", b.Radius)
	case !(b.Strength >= 0 && b.Strength <= 1):
		return fmt.Errorf("its strength %v goes from 0 to 1", b.Strength)
	}
	for _, v := range b.Path {
		if !(v >= -10 && v <= 10) {
			return fmt.Errorf("its path has the place %v in it; places lie between -10 and 10", v)
		}
	}
	return nil
}

// step is how far a brush goes at a time, in shares of its radius: with the steepest slope of
// its falloff, 1.5 to the radius, nothing is folded over.
const step = 0.25

// Brushed returns a field, or nil, after a brush went over it; form is the picture's width over
// its height.
func (f *Field) Brushed(b *Brush, form float32) *Field {
	off, pins := make([]float32, 2*points), []byte(nil)
	if f != nil {
		copy(off, f.offsets())
		pins = slices.Clone(f.Pins)
	}
	if b.Does == Pin && pins == nil {
		pins = make([]byte, points)
	}
	was := make([]float32, len(off))
	for i := 0; i+1 < len(b.Path); i += 2 {
		to := [2]float32{b.Path[i], b.Path[i+1]}
		if i == 0 {
			if b.Does != Push {
				dab(off, pins, b, form, to)
			}
			continue
		}
		from := [2]float32{b.Path[i-2], b.Path[i-1]}
		far := geom.Hypot(to[0]-from[0], (to[1]-from[1])/form)
		n := max(int(math.Ceil(float64(far/(step*b.Radius)))), 1)
		for k := range n {
			at := func(k int) [2]float32 {
				t := float32(k) / float32(n)
				return [2]float32{from[0] + t*(to[0]-from[0]), from[1] + t*(to[1]-from[1])}
			}
			if b.Does == Push {
				copy(was, off)
				push(was, off, pins, b, form, at(k), at(k+1))
			} else {
				dab(off, pins, b, form, at(k+1))
			}
		}
	}
	if pins != nil && !slices.ContainsFunc(pins, func(p byte) bool { return p > 0 }) {
		pins = nil
	}
	return kept(off, pins)
}

// about calls f for the points of the grid near a place with how much of the brush they get,
// its falloff smooth from the middle to the radius.
func (b *Brush) about(form float32, at [2]float32, f func(i int, u, v, share float32)) {
	grid := func(v float32) int { return int(grid(v)) }
	down := b.Radius * form
	for y := grid(at[1] - down); y <= min(grid(at[1]+down)+1, cells); y++ {
		for x := grid(at[0] - b.Radius); x <= min(grid(at[0]+b.Radius)+1, cells); x++ {
			u, v := float32(x)*(span/cells)-Rim, float32(y)*(span/cells)-Rim
			d := geom.Hypot(u-at[0], (v-at[1])/form) / b.Radius
			if share := b.Strength * (1 - geom.Smoothstep(0, 1, d)); share > 0 {
				f(y*Side+x, u, v, share)
			}
		}
	}
}

// push moves what is seen about a place along with it: what is seen then at p was seen before
// at p less what p was moved by.
func push(was, off []float32, pins []byte, b *Brush, form float32, from, to [2]float32) {
	b.about(form, to, func(i int, u, v, share float32) {
		if pins != nil {
			share *= 1 - float32(pins[i])/255
		}
		mu, mv := share*(to[0]-from[0]), share*(to[1]-from[1])
		dx, dy, _, _ := sampled(was, grid(u-mu), grid(v-mv))
		off[2*i], off[2*i+1] = dx-mu, dy-mv
	})
}

// dab does at a place what needs no way: it lets go, holds, or frees.
func dab(off []float32, pins []byte, b *Brush, form float32, at [2]float32) {
	b.about(form, at, func(i int, _, _, share float32) {
		switch b.Does {
		case Smooth:
			if pins != nil {
				share *= 1 - float32(pins[i])/255
			}
			off[2*i] *= 1 - 0.3*share
			off[2*i+1] *= 1 - 0.3*share
		case Pin:
			pins[i] = max(pins[i], byte(255*min(2*share, 1)))
		case Unpin:
			if pins != nil {
				pins[i] = min(pins[i], byte(255*(1-min(2*share, 1))))
			}
		}
	})
}
