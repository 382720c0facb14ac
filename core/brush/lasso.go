package brush

import (
	"fmt"
	"math"
	"slices"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
)

// Lasso is an outline drawn over a view; a stroke stays within what is seen in it from
// there. It lies in the picture, −1..1 to the right and up, of a camera.
type Lasso struct {
	View    []float32    `json:"view" doc:"view times projection, 16 numbers column by column"`
	Aspect  float32      `json:"aspect" doc:"the picture's width over its height"`
	Outline [][2]float32 `json:"outline" doc:"3 to 400 corners, closed"`
	Feather float32      `json:"feather,omitempty" doc:"width of the soft border, in halves of the picture's height"`
	Out     bool         `json:"out,omitempty" doc:"it stays outside instead"`
	// Flat is set of an outline drawn over the flat sheets: where the corner (0, 0) of each
	// sheet's UVs lies in what the view shows, two numbers a sheet; v goes down from there.
	// Such an outline lies on the sheets, and goes with them when the UVs are laid anew.
	Flat []float32 `json:"flat,omitempty"`
}

func (l *Lasso) check() error {
	if l == nil {
		return nil
	}
	if len(l.View) != 16 || len(l.Outline) < 3 || len(l.Outline) > 400 {
		return fmt.Errorf(
			"a lasso has a view of 16 numbers and 3 to 400 corners, this one %d and %d",
			len(l.View),
			len(l.Outline),
		)
	}
	if len(l.Flat)%2 != 0 || len(l.Flat) > 2000 {
		return fmt.Errorf("the lasso has %d numbers for where sheets lie; it takes two a sheet", len(l.Flat))
	}
	for _, v := range slices.Concat(l.View, l.Flat) {
		if !(v > -1e9 && v < 1e9) {
			return fmt.Errorf("the lasso's view has %v in it", v)
		}
	}
	for _, p := range l.Outline {
		if !(p[0] > -100 && p[0] < 100 && p[1] > -100 && p[1] < 100) {
			return fmt.Errorf("the lasso has a corner at %v", p)
		}
	}
	if !(l.Aspect > 0.01 && l.Aspect < 100) || !(l.Feather >= 0 && l.Feather <= 2) {
		return fmt.Errorf("the lasso's aspect %v or feather %v is none", l.Aspect, l.Feather)
	}
	return nil
}

// At returns how much of a stroke is left at a place, 0..1.
func (l *Lasso) At(p geom.Vec3) float32 {
	v := l.View
	w := v[3]*p.X + v[7]*p.Y + v[11]*p.Z + v[15]
	in := float32(0)
	if w > 1e-9 {
		x, y := (v[0]*p.X+v[4]*p.Y+v[8]*p.Z+v[12])/w, (v[1]*p.X+v[5]*p.Y+v[9]*p.Z+v[13])/w
		d := l.inside(x*l.Aspect, y)
		in = min(max(0.5+d/max(l.Feather, 1e-4), 0), 1)
		in = in * in * (3 - 2*in)
	}
	if l.Out {
		return 1 - in
	}
	return in
}

// inside is how far a point lies inside the outline; outside it is negative.
func (l *Lasso) inside(x, y float32) float32 {
	least, turns := float32(math.Inf(1)), 0
	n := len(l.Outline)
	for i, p := range l.Outline {
		q := l.Outline[(i+1)%n]
		ax, ay, bx, by := p[0]*l.Aspect, p[1], q[0]*l.Aspect, q[1]
		ex, ey, dx, dy := bx-ax, by-ay, x-ax, y-ay
		if l2 := ex*ex + ey*ey; l2 > 0 {
			t := min(max((dx*ex+dy*ey)/l2, 0), 1)
			gx, gy := dx-t*ex, dy-t*ey
			least = min(least, gx*gx+gy*gy)
		}
		if (ay <= y) != (by <= y) {
			if side := ex*dy - ey*dx; ay <= y && side > 0 {
				turns++
			} else if ay > y && side < 0 {
				turns--
			}
		}
	}
	d := float32(math.Sqrt(float64(least)))
	if turns == 0 {
		return -d
	}
	return d
}

// hold lets a coverage show within the lasso alone. flat tells the sheet and the UVs of a
// point.
func (l *Lasso) hold(f *raster.Frame, cover []float32, flat func(i int) (sheet int, uv geom.Vec2)) {
	if l == nil {
		return
	}
	for i, c := range cover {
		if c <= 0 {
			continue
		}
		p := f.Pos[i]
		if len(l.Flat) > 0 {
			var ok bool
			if p, ok = l.onSheets(i, flat); !ok {
				cover[i] = 0
				continue
			}
		}
		cover[i] = c * l.At(p)
	}
}

// onSheets is where a point lies among the flat sheets.
func (l *Lasso) onSheets(i int, flat func(i int) (int, geom.Vec2)) (p geom.Vec3, ok bool) {
	if flat == nil {
		return p, false
	}
	sheet, uv := flat(i)
	if 2*sheet+1 >= len(l.Flat) {
		return p, false
	}
	return geom.V3(l.Flat[2*sheet]+uv.X, l.Flat[2*sheet+1]-uv.Y, 0), true
}
