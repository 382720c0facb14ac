package press

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"math"
	"runtime"
	"slices"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
	"velvetgrime/core/par"
	"velvetgrime/core/pix"

	"github.com/srwiley/oksvg"
	"github.com/srwiley/rasterx"
)

// Stamp is a drawn recipe: size × size heights, 0..1, the first row at the head.
type Stamp struct {
	Size int
	Grey []float32
}

// Draw makes a stamp of size × size, 8..MaxSize. Errors name the shape or treatment.
func Draw(ctx context.Context, r *Recipe, size int) (*Stamp, error) {
	if size < 8 || size > MaxSize {
		return nil, fmt.Errorf("a stamp of %d texels a side is not possible; it goes from 8 to %d", size, MaxSize)
	}
	if err := r.Check(); err != nil {
		return nil, err
	}
	// small ones are made larger and averaged: what is finer than their texels counts too
	if k := min((finest+size-1)/size, 4); k > 1 {
		large, err := drawn(ctx, r, size*k)
		if err != nil {
			return nil, err
		}
		return large.smaller(k), nil
	}
	return drawn(ctx, r, size)
}

const finest = 512

// Weight is what drawing a stamp takes at most, in bytes: a few rows of numbers, and a
// drawing or letters as a picture.
func Weight(size int) int64 {
	n := int64(min(max(size, finest), MaxSize))
	return n * n * 6 * 4
}

func (st *Stamp) smaller(k int) *Stamp {
	out := &Stamp{st.Size / k, make([]float32, st.Size/k*(st.Size/k))}
	out.rows(func(y int) {
		for x := range out.Size {
			var sum float32
			for j := range k {
				for i := range k {
					sum += st.Grey[(y*k+j)*st.Size+x*k+i]
				}
			}
			out.Grey[y*out.Size+x] = sum / float32(k*k)
		}
	})
	return out
}

func drawn(ctx context.Context, r *Recipe, size int) (*Stamp, error) {
	st := &Stamp{size, make([]float32, size*size)}
	begun := false
	for i := range r.Shapes {
		s := &r.Shapes[i]
		if s.Off {
			continue
		}
		v := make([]float32, size*size)
		if err := st.lay(ctx, s, v); err != nil {
			return nil, fmt.Errorf("shape %d (%s): %w", i+1, s.Kind, err)
		}
		st.combine(s.Combine, v, !begun)
		begun = true
	}
	st.clamp()
	for i := range r.After {
		if t := &r.After[i]; !t.Off {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			if err := st.treat(t); err != nil {
				return nil, fmt.Errorf("treatment %d (%s): %w", i+1, t.Kind, err)
			}
			st.clamp()
		}
	}
	return st, nil
}

func (st *Stamp) clamp() {
	for i, v := range st.Grey {
		st.Grey[i] = min(max(v, 0), 1)
	}
}

// pixel is the edge of a texel in the recipe's lengths.
func (st *Stamp) pixel() float32 { return 2 / float32(st.Size) }

// at is where texel i lies.
func (st *Stamp) at(i int) (x, y float32) {
	px := st.pixel()
	return (float32(i%st.Size)+0.5)*px - 1, 1 - (float32(i/st.Size)+0.5)*px
}

// rows calls f for every row, on all processors.
func (st *Stamp) rows(f func(y int)) {
	var wg par.All
	n := runtime.NumCPU()
	for k := range n {
		wg.Go(func() {
			for y := k; y < st.Size; y += n {
				f(y)
			}
		})
	}
	wg.Wait()
}

// each calls f for every texel, on all processors.
func (st *Stamp) each(f func(i int)) {
	st.rows(func(y int) {
		for x := range st.Size {
			f(y*st.Size + x)
		}
	})
}

func (st *Stamp) combine(how string, v []float32, alone bool) {
	if alone && (how == "multiply" || how == "lowest") {
		how = "" // there is nothing below it yet
	}
	for i, b := range v {
		a := &st.Grey[i]
		switch how {
		case "add":
			*a += b
		case "subtract":
			*a -= b
		case "multiply":
			*a *= b
		case "lowest":
			*a = min(*a, b)
		case "difference":
			*a = max(*a-b, b-*a)
		default:
			*a = max(*a, b)
		}
	}
}

// spot is where one of a shape's repeats lies.
type spot struct{ x, y, turn float32 }

func (s *Shape) spots() []spot {
	r := s.Repeat
	if r == nil || r.Count < 2 && r.Rows < 2 {
		return []spot{{s.X, s.Y, s.Turn}}
	}
	sin, cos := math.Sincos(float64(r.Angle) * math.Pi / 180)
	var list []spot
	switch r.Kind {
	case "circle":
		for i := range r.Count {
			a := float64(r.Angle) + 360*float64(i)/float64(r.Count)
			si, co := math.Sincos(a * math.Pi / 180)
			t := s.Turn
			if r.Turn {
				t += float32(a)
			}
			// the first one is up, the others follow anticlockwise
			list = append(list, spot{s.X - r.Step*float32(si), s.Y + r.Step*float32(co), t})
		}
	default:
		rows := 1
		if r.Kind == "field" {
			rows = max(r.Rows, 1)
		}
		for j := range rows {
			for i := range r.Count {
				u, v := r.Step*(float32(i)-float32(r.Count-1)/2), r.Step*(float32(rows-1)/2-float32(j))
				list = append(
					list,
					spot{s.X + u*float32(cos) - v*float32(sin), s.Y + u*float32(sin) + v*float32(cos), s.Turn},
				)
			}
		}
	}
	return list
}

// lay writes the heights of a shape and its repeats.
func (st *Stamp) lay(ctx context.Context, s *Shape, v []float32) error {
	w, h := s.size()
	for _, p := range s.spots() {
		if err := ctx.Err(); err != nil {
			return err
		}
		switch s.Kind {
		case "polygon", "star", "cross", "gear", "text", "outline":
			o, err := s.outline(w/2, h/2)
			if err != nil {
				return err
			}
			st.fill(s, o, p, v)
		case "picture":
			pic, err := picture(s.File, st.Size)
			if err != nil {
				return err
			}
			st.place(p, v, w/2, h/2, func(x, y float32) float32 {
				u, t := x/w+0.5, 0.5-y/h
				if u < 0 || u > 1 || t < 0 || t > 1 {
					return 0
				}
				c := pic.Sample(u, t, st.pixel()/w)
				return s.Level * c[0] * c[3]
			})
		default:
			st.place(p, v, w/2, h/2, s.plain(w/2, h/2, st.pixel()))
		}
	}
	return nil
}

// place calls f with the places of a shape that is a wide and b tall each way, in its
// own frame, and keeps the highest.
func (st *Stamp) place(p spot, v []float32, a, b float32, f func(x, y float32) float32) {
	sin, cos := math.Sincos(float64(p.turn) * math.Pi / 180)
	si, co := float32(sin), float32(cos)
	reach := float32(math.Hypot(float64(a), float64(b))) + st.pixel()
	px := st.pixel()
	lo := func(c float32) int { return min(max(int((c-reach+1)/px), 0), st.Size) }
	hi := func(c float32) int { return min(max(int((c+reach+1)/px)+1, 0), st.Size) }
	y0, y1 := lo(-p.y), hi(-p.y)
	st.rows(func(y int) {
		if y < y0 || y >= y1 {
			return
		}
		for x := lo(p.x); x < hi(p.x); x++ {
			i := y*st.Size + x
			gx, gy := st.at(i)
			gx, gy = gx-p.x, gy-p.y
			v[i] = max(v[i], f(co*gx+si*gy, co*gy-si*gx))
		}
	})
}

// risen is the height, 0..1, at a distance inside a border.
func (s *Shape) risen(d, px float32) float32 {
	if s.Rise < px {
		return min(max(0.5+d/px, 0), 1)
	}
	return formed(s.Form, min(max(d/s.Rise, 0), 1))
}

// formed bends a slope 0..1.
func formed(form string, t float32) float32 {
	switch form {
	case "round":
		return float32(math.Sqrt(float64(max(1-(1-t)*(1-t), 0))))
	case "hollow":
		return 1 - float32(math.Sqrt(float64(max(1-t*t, 0))))
	case "soft":
		return geom.Smooth(t)
	}
	return t
}

// plain returns the heights of a shape that has a formula; a and b are its half axes.
func (s *Shape) plain(a, b, px float32) func(x, y float32) float32 {
	hyp := geom.Hypot
	// distance inside an ellipse, to first order; exact for a circle
	oval := func(x, y, a, b float32) float32 {
		if a == b {
			return a - hyp(x, y)
		}
		k := hyp(x/a, y/b)
		g := hyp(x/(a*a), y/(b*b))
		if g < 1e-6 {
			return min(a, b)
		}
		return min(k*(1-k)/g, min(a, b))
	}
	box := func(x, y, r float32) float32 {
		qx, qy := max(x, -x)-a+r, max(y, -y)-b+r
		return r - hyp(max(qx, 0), max(qy, 0)) - min(max(qx, qy), 0)
	}
	switch s.Kind {
	case "disc":
		return func(x, y float32) float32 { return s.Level * s.risen(oval(x, y, a, b), px) }
	case "ring":
		in := s.Inner
		if in == 0 {
			in = 0.6
		}
		return func(x, y float32) float32 {
			return s.Level * s.risen(min(oval(x, y, a, b), -oval(x, y, a*in, b*in)), px)
		}
	case "bar":
		return func(x, y float32) float32 { return s.Level * s.risen(box(x, y, 0), px) }
	case "rounded bar":
		r := min(s.Corner, a, b)
		return func(x, y float32) float32 { return s.Level * s.risen(box(x, y, r), px) }
	case "dome":
		return func(x, y float32) float32 { r := hyp(x/a, y/b); return s.Level * max(1-r*r, 0) }
	}
	return func(x, y float32) float32 { return s.Level * max(1-hyp(x/a, y/b), 0) } // cone
}

func (s *Shape) outline(a, b float32) (outline, error) {
	n, in := s.Sides, s.Inner
	or := func(usual float32) float32 {
		if in == 0 {
			return usual
		}
		return in
	}
	var o outline
	switch s.Kind {
	case "polygon":
		if n == 0 {
			n = 6
		}
		o = regular(n)
	case "star":
		if n == 0 {
			n = 5
		}
		o = star(n, or(0.5))
	case "gear":
		if n == 0 {
			n = 12
		}
		o = gear(n, or(0.78))
	case "cross":
		o = cross(or(0.35))
	case "text":
		o, err := letters(s.Text, s.Font)
		if err != nil || len(o) == 0 {
			return nil, err
		}
		// as wide as asked, and as tall: or, with no height given, as tall as it comes
		lo, hi := o.bounds()
		kx, ky := 2*a/(hi.x-lo.x), 2*b/(hi.y-lo.y)
		if s.Tall == 0 {
			kx = min(kx, ky)
			ky = kx
		}
		return o.moved(-(lo.x+hi.x)/2, -(lo.y+hi.y)/2).scaled(kx, ky), nil
	default:
		o = loopThrough(s.Points, s.Curved)
	}
	o = o.scaled(a, b)
	if s.Corner > 0 && s.Kind != "outline" {
		o = o.inset(min(s.Corner, 0.45*min(a, b)))
	}
	return o, nil
}

// fill writes the heights inside an outline that lies at a spot. Distances are found in
// a band along the border alone, as wide as the shape rises; the winding row by row.
func (st *Stamp) fill(s *Shape, o outline, p spot, v []float32) {
	n, px := st.Size, st.pixel()
	sin, cos := math.Sincos(float64(p.turn) * math.Pi / 180)
	round := float32(0)
	if s.Corner > 0 && s.Kind != "outline" && s.Kind != "text" {
		w, h := s.size()
		round = min(s.Corner, 0.45*min(w, h)/2)
	}
	band := max(s.Rise, px) + round + px
	dist := make([]float32, n*n) // squared, to the border
	for i := range dist {
		dist[i] = band * band
	}
	type crossing struct {
		x   float32
		way int
	}
	cuts := make([][]crossing, n)
	column := func(x float32) float32 { return (x + 1) / px } // texels from the left
	line := func(y float32) float32 { return (1 - y) / px }
	cell := func(v float32) int { return min(max(int(math.Floor(float64(v))), 0), n) }
	for _, loop := range o {
		pts := make([]point, len(loop))
		for i, q := range loop {
			pts[i] = point{p.x + float32(cos)*q.x - float32(sin)*q.y, p.y + float32(sin)*q.x + float32(cos)*q.y}
		}
		for i, a := range pts {
			b := pts[(i+1)%len(pts)]
			ex, ey := b.x-a.x, b.y-a.y
			l2 := ex*ex + ey*ey
			if l2 == 0 {
				continue
			}
			x0, x1 := cell(column(min(a.x, b.x)-band)), cell(column(max(a.x, b.x)+band)+1)
			y0, y1 := cell(line(max(a.y, b.y)+band)), cell(line(min(a.y, b.y)-band)+1)
			for y := y0; y < y1; y++ {
				gy := 1 - (float32(y)+0.5)*px - a.y
				for x := x0; x < x1; x++ {
					gx := (float32(x)+0.5)*px - 1 - a.x
					t := min(max((gx*ex+gy*ey)/l2, 0), 1)
					dx, dy := gx-t*ex, gy-t*ey
					if d := dx*dx + dy*dy; d < dist[y*n+x] {
						dist[y*n+x] = d
					}
				}
			}
			for y := cell(line(max(a.y, b.y)) - 1); y < cell(line(min(a.y, b.y))+1); y++ {
				gy := 1 - (float32(y)+0.5)*px
				if (a.y <= gy) != (b.y <= gy) {
					way := 1
					if a.y > gy {
						way = -1
					}
					cuts[y] = append(cuts[y], crossing{a.x + (gy-a.y)/(b.y-a.y)*ex, way})
				}
			}
		}
	}
	st.rows(func(y int) {
		c := cuts[y]
		slices.SortFunc(c, func(a, b crossing) int {
			if a.x < b.x {
				return -1
			}
			if a.x > b.x {
				return 1
			}
			return a.way - b.way
		})
		turns, k := 0, 0
		for x := range n {
			gx := (float32(x)+0.5)*px - 1
			for k < len(c) && c[k].x <= gx {
				turns += c[k].way
				k++
			}
			i := y*n + x
			d := float32(math.Sqrt(float64(dist[i])))
			if turns == 0 {
				d = -d
			}
			if d+round > -px {
				v[i] = max(v[i], s.Level*s.risen(d+round, px))
			}
		}
	})
}

// picture reads a shape's file: an SVG drawing is drawn about as large as the stamp.
// The grey is in the first component, how much is there in the last.
func picture(file []byte, size int) (p *pix.Picture, err error) {
	if len(file) == 0 {
		return nil, fmt.Errorf("it has no picture yet; bring one in")
	}
	if isStamp(file) {
		return nil, fmt.Errorf("its picture is a stamp; a stamp cannot be laid in another one as a picture")
	}
	if !isXML(file[:min(len(file), 1024)]) {
		p, err := pix.DecodePicture(bytes.NewReader(file))
		if err != nil {
			return nil, err
		}
		if p.Gray {
			return p, nil
		}
		return greyed(p)
	}
	if file, err = plain(file); err != nil {
		return nil, fmt.Errorf("the SVG drawing is not drawn: %w", err)
	}
	img, err := drawSVG(file, min(max(size, 64), 2048))
	if err != nil {
		return nil, err
	}
	return greyed(pix.NewPicture(img))
}

// isXML reports whether a file that begins so is text of elements.
func isXML(head []byte) bool {
	return bytes.HasPrefix(bytes.TrimSpace(bytes.TrimPrefix(head, []byte("\ufeff"))), []byte("<"))
}

// drawSVG draws a plain drawing with so many texels along its longer side.
func drawSVG(file []byte, size int) (img *image.RGBA, err error) {
	defer func() { // of the SVG reader
		if e := recover(); e != nil {
			img, err = nil, fmt.Errorf("the SVG drawing cannot be read: %v", e)
		}
	}()
	icon, err := oksvg.ReadIconStream(bytes.NewReader(file), oksvg.IgnoreErrorMode)
	if err != nil {
		return nil, fmt.Errorf("the SVG drawing cannot be read: %w", err)
	}
	box := icon.ViewBox
	if !(box.W > 0 && box.H > 0 && box.W < 1e6 && box.H < 1e6) {
		return nil, fmt.Errorf("the SVG drawing has no size; give it a viewBox")
	}
	most := float64(size)
	w, h := int(math.Ceil(most*min(1, box.W/box.H))), int(math.Ceil(most*min(1, box.H/box.W)))
	img = image.NewRGBA(image.Rect(0, 0, max(w, 1), max(h, 1)))
	icon.SetTarget(0, 0, float64(w), float64(h))
	icon.Draw(rasterx.NewDasher(w, h, rasterx.NewScannerGV(w, h, img, img.Bounds())), 1)
	return img, nil
}

// greyed makes a picture one of greys. One all in black counts by its coverage.
func greyed(p *pix.Picture) (*pix.Picture, error) {
	w, h := p.Size()
	img := image.NewNRGBA64(image.Rect(0, 0, w, h))
	most := float32(0)
	grey := make([]float32, w*h)
	alpha := make([]float32, w*h)
	for i := range grey {
		c := p.Nearest((float32(i%w)+0.5)/float32(w), (float32(i/w)+0.5)/float32(h))
		grey[i], alpha[i] = 0.2126*c[0]+0.7152*c[1]+0.0722*c[2], c[3]
		most = max(most, grey[i]*c[3])
	}
	for i, g := range grey {
		if most < 0.02 {
			g = 1
		}
		o := 8 * i
		for c := range 3 {
			put16(img.Pix[o+2*c:], g)
		}
		put16(img.Pix[o+6:], alpha[i])
	}
	return pix.NewPicture(img), nil
}

func put16(b []byte, v float32) {
	n := uint16(min(max(v, 0), 1)*65535 + 0.5)
	b[0], b[1] = byte(n>>8), byte(n)
}

func (st *Stamp) treat(t *Treat) error {
	switch t.Kind {
	case "soften":
		st.Grey = st.blurred(t.Amount * 0.5)
	case "soften by":
		return st.softenBy(t)
	case "cut":
		st.cut(t.Amount, t.Sharp)
	case "profile":
		rows := make([][]float32, len(t.Points))
		for i, p := range t.Points {
			rows[i] = []float32{p[0], p[1]}
		}
		c := pix.NewCurve(rows)
		for i, v := range st.Grey {
			st.Grey[i] = c.At(v)
		}
	case "bevel":
		st.bevel(t.Amount, t.Form)
	case "noise":
		f := st.clouds(t)
		st.each(func(i int) {
			if v := st.Grey[i]; v > 0 {
				st.Grey[i] = v + 2*t.Amount*(f[i]-0.5)*min(v*8, 1)
			}
		})
	case "stretch":
		lo, hi := slices.Min(st.Grey), slices.Max(st.Grey)
		if hi > lo {
			for i, v := range st.Grey {
				st.Grey[i] = (v - lo) / (hi - lo)
			}
		}
	case "invert":
		for i, v := range st.Grey {
			st.Grey[i] = 1 - v
		}
	}
	return nil
}

// clouds is a soft noise all over the stamp, 0..1.
func (st *Stamp) clouds(t *Treat) []float32 {
	scale := t.Scale
	if scale == 0 {
		scale = 0.2
	}
	s := noise.FBM{
		Kind:        noise.Clouds,
		Seed:        uint32(t.Seed),
		Frequency:   1 / scale,
		Octaves:     6,
		Lacunarity:  2.1,
		Persistence: 0.55,
	}.Sampler(
		st.pixel(),
	)
	out := make([]float32, len(st.Grey))
	st.rows(func(y int) {
		var u, v, w, got [16]float32
		for x := 0; x < st.Size; x += len(u) {
			for k := range u {
				u[k], v[k] = st.at(y*st.Size + min(x+k, st.Size-1))
				w[k] = 0.37
			}
			s.Sixteen(&u, &v, &w, &got)
			copy(out[y*st.Size+x:(y+1)*st.Size], got[:])
		}
	})
	return out
}

// cut makes what is above a level 1. Where it is sharper than a texel the slope of what
// is there smooths the border.
func (st *Stamp) cut(level, sharp float32) {
	n := st.Size
	old := slices.Clone(st.Grey)
	at := func(x, y int) float32 { return old[min(max(y, 0), n-1)*n+min(max(x, 0), n-1)] }
	soft := 0.5 * (1 - sharp) * (1 - sharp)
	st.rows(func(y int) {
		for x := range n {
			gx, gy := (at(x+1, y)-at(x-1, y))/2, (at(x, y+1)-at(x, y-1))/2
			w := max(soft, 0.6*geom.Hypot(gx, gy), 1e-5)
			t := min(max((at(x, y)-level)/(2*w)+0.5, 0), 1)
			if soft > 0.6*w {
				t = geom.Smooth(t)
			}
			st.Grey[y*n+x] = t
		}
	})
}

// blurred returns the heights under a Gaussian of a standard deviation in halves of the
// stamp; beyond its borders they go on as at them.
func (st *Stamp) blurred(sigma float32) []float32 {
	n := st.Size
	s := float64(sigma) / float64(st.pixel())
	if s < 0.1 {
		return slices.Clone(st.Grey)
	}
	half := int(math.Ceil(3 * s))
	kernel, sum := make([]float32, half+1), float32(0)
	for i := range kernel {
		kernel[i] = float32(math.Exp(-float64(i*i) / (2 * s * s)))
		sum += kernel[i]
		if i > 0 {
			sum += kernel[i]
		}
	}
	for i := range kernel {
		kernel[i] /= sum
	}
	across, down := make([]float32, n*n), make([]float32, n*n)
	st.rows(func(y int) {
		from, to := st.Grey[y*n:(y+1)*n], across[y*n:(y+1)*n]
		line := make([]float32, n+2*half)
		for i := range line {
			line[i] = from[min(max(i-half, 0), n-1)]
		}
		pix.Linear(to, from, kernel[0], 0)
		for o := 1; o <= half; o++ {
			pix.AddPair(to, line[half-o:], line[half+o:], kernel[o])
		}
	})
	st.rows(func(y int) {
		row := func(y int) []float32 { y = min(max(y, 0), n-1); return across[y*n : (y+1)*n] }
		to := down[y*n : (y+1)*n]
		pix.Linear(to, row(y), kernel[0], 0)
		for o := 1; o <= half; o++ {
			pix.AddPair(to, row(y-o), row(y+o), kernel[o])
		}
	})
	return down
}

func (st *Stamp) softenBy(t *Treat) error {
	var by func(i int) float32
	switch t.By {
	case "middle", "rim":
		by = func(i int) float32 {
			x, y := st.at(i)
			r := min(geom.Hypot(x, y), 1)
			if t.By == "middle" {
				r = 1 - r
			}
			return r
		}
	case "left to right":
		by = func(i int) float32 { x, _ := st.at(i); return (x + 1) / 2 }
	case "foot to head":
		by = func(i int) float32 { _, y := st.at(i); return (y + 1) / 2 }
	case "heights":
		old := slices.Clone(st.Grey)
		by = func(i int) float32 { return old[i] }
	case "picture":
		pic, err := picture(t.File, st.Size)
		if err != nil {
			return err
		}
		by = func(i int) float32 {
			x, y := st.at(i)
			c := pic.Sample((x+1)/2, (1-y)/2, 1/float32(st.Size))
			return c[0] * c[3]
		}
	default:
		f := st.clouds(t)
		by = func(i int) float32 { return min(max((f[i]-0.5)*2.5+0.5, 0), 1) }
	}
	// between steps of blur, from none to the whole radius
	const steps = 5
	levels := [steps][]float32{slices.Clone(st.Grey)}
	for k := 1; k < steps; k++ {
		levels[k] = st.blurred(t.Amount * 0.5 * float32(k*k) / ((steps - 1) * (steps - 1)))
	}
	st.each(func(i int) {
		a, b := levels[1][i], levels[steps-1][i]
		if a == b && a == levels[0][i] {
			return // even all around
		}
		f := float32(math.Sqrt(float64(by(i)))) * (steps - 1)
		k := min(int(f), steps-2)
		st.Grey[i] = levels[k][i] + (f-float32(k))*(levels[k+1][i]-levels[k][i])
	})
	return nil
}

// bevel lets what stands up (higher than half of the highest) rise from its borders.
func (st *Stamp) bevel(width float32, form string) {
	n, px := st.Size, st.pixel()
	if width < px {
		return
	}
	top := slices.Max(st.Grey)
	low := make([]bool, n*n)
	some := false
	for i, v := range st.Grey {
		low[i] = v <= top/2
		some = some || low[i]
	}
	from := pix.Nearest(low, n)
	for i, v := range st.Grey {
		d := float32(math.Inf(1))
		if f := from[i]; some && f >= 0 {
			// from the border of the texel, so that it is the same at every size
			d = (float32(math.Sqrt(float64(pix.Apart2(i, int(f), n)))) - 0.5) * px
		}
		x, y := st.at(i)
		d = min(d, 1-max(x, -x), 1-max(y, -y)) // the stamp ends there
		st.Grey[i] = v * formed(form, min(max(d/width, 0), 1))
	}
}
