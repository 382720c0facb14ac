package render

import (
	"context"
	"fmt"
	"image"
	"image/color"
	"maps"
	"runtime"
	"slices"
	"sync"

	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/par"
	"velvetgrime/core/raster"
)

// Views are pictures of one view of a model. All lie on nothing: where the model is not seen
// they are clear.
type Views struct {
	Lit        *image.NRGBA // as it looks in the studio's light
	Base       *image.NRGBA // its base color, without light
	Light      *image.NRGBA // light and shade alone: all of it even grey, of half the light
	Silhouette *image.NRGBA // white where the model is
	Parts      []PartMask   // of the parts that are seen, the first MaxMasks
}

// PartMask is white where a part is seen.
type PartMask struct {
	Name string
	Mask *image.NRGBA // its bounds are around what is seen
}

// MaxMasks is of how many parts masks are made, in the order of the model.
const MaxMasks = 64

// banded bounds the places that are evaluated at a time.
const banded = 1 << 18

// supersampled is up to how many pixels what the model is made of is evaluated at several places
// a pixel, as in sketches; in larger pictures it is so once, and only how much a pixel covers is
// found finer.
var supersampled = 1 << 20

// Paint draws a view through a matrix (projection times view, in the convention of OpenGL) from
// an eye, towards a place, w × h pixels, band by band on all cores, so that a large one takes
// little more memory than its pictures. tell is told how much is done, 0..1.
func Paint(
	ctx context.Context, p *eval.Program, view geom.Mat4, eye, at geom.Vec3, w, h int, tell func(share float64),
) (*Views, error) {
	m := p.Scene.Model
	s, err := newStudio(ctx, m, eye, at)
	if err != nil {
		return nil, err
	}
	all := image.Rect(0, 0, w, h)
	v := &Views{image.NewNRGBA(all), image.NewNRGBA(all), image.NewNRGBA(all), image.NewNRGBA(all), nil}
	b := &banding{p: p, view: view, w: w, h: h, v: v, per: fine, seen: map[uint16]image.Rectangle{}}
	if w*h > supersampled {
		b.per = 1
	}
	b.of = make([]uint16, w*h*fine*fine)
	rows := max(banded/(w*b.per*b.per), 1)
	// one length for all bands, so that they meet
	b.footprint = pixel(view, m.Bounds.Center(), h*b.per)
	g, gctx := par.WithContext(ctx)
	g.SetLimit(runtime.NumCPU())
	var mu sync.Mutex
	done := 0
	for top := 0; top < h; top += rows {
		n := min(rows, h-top)
		g.Go(func() error {
			if err := gctx.Err(); err != nil {
				return err
			}
			own := *s // rays of one's own
			seen, err := b.draw(gctx, &own, top, n)
			if err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			for part, r := range seen {
				b.seen[part] = b.seen[part].Union(r)
			}
			if done += n; tell != nil {
				tell(float64(done) / float64(h))
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	v.masks(m, b.of, b.seen, w)
	return v, nil
}

// banding is a view that is drawn in bands.
type banding struct {
	p         *eval.Program
	view      geom.Mat4
	w, h, per int // per: places along each side of a pixel that are evaluated
	footprint float32
	v         *Views
	of        []uint16 // the part that each of fine × fine places of a pixel shows, from 1; 0: none
	seen      map[uint16]image.Rectangle
}

// draw draws n rows from top on, and returns where parts are seen in them.
func (b *banding) draw(ctx context.Context, s *studio, top, n int) (map[uint16]image.Rectangle, error) {
	// a row more on both sides: relief is of neighbours
	const beside = 1
	m, w := b.p.Scene.Model, b.w
	part := band(b.view, b.h, top-beside, n+2*beside)
	shape := raster.View(m, part, w*fine, (n+2*beside)*fine)
	if shape.Covered == 0 {
		return nil, nil
	}
	f := shape
	if b.per != fine {
		f = raster.View(m, part, w*b.per, (n+2*beside)*b.per)
	}
	f.Footprint = b.footprint
	o, err := makeOf(ctx, b.p, f, fmt.Sprint("view ", b.view, w, b.h, b.per, top))
	if err != nil {
		return nil, err
	}
	seen := map[uint16]image.Rectangle{}
	grey := [3]float32{0.5, 0.5, 0.5}
	for y := range n {
		for x := range w {
			covered := 0
			for k := range fine * fine {
				i := ((y+beside)*fine+k/fine)*shape.W + x*fine + k%fine
				if shape.Tri[i] < 0 {
					continue
				}
				covered++
				id := m.TriPart[shape.Tri[i]] + 1
				b.of[((top+y)*w+x)*fine*fine+k] = id
				seen[id] = seen[id].Union(image.Rect(x, top+y, x+1, top+y+1))
			}
			if covered == 0 {
				continue
			}
			var lit, base, light [3]float32
			count := float32(0)
			for _, i := range b.places(f, x, y+beside) {
				count++
				is := o.at(i)
				even := matter{color: grey, rough: 0.9, openness: is.openness}
				got := s.lit(f.Pos[i], f.Nrm[i])
				for c, a := range s.shine(f.Pos[i], f.Nrm[i], o.relief[i], got, &is) {
					lit[c] += a
					base[c] += is.color[c]
				}
				for c, a := range s.shine(f.Pos[i], f.Nrm[i], o.relief[i], got, &even) {
					light[c] += a
				}
			}
			if count == 0 {
				continue // a sliver that no place of a pixel meets
			}
			a := uint8(covered * 255 / (fine * fine))
			set := func(img *image.NRGBA, sum [3]float32) {
				img.SetNRGBA(x, top+y, color.NRGBA{byte8(sum[0] / count), byte8(sum[1] / count), byte8(sum[2] / count), a})
			}
			set(b.v.Lit, lit)
			set(b.v.Base, base)
			set(b.v.Light, light)
			b.v.Silhouette.SetNRGBA(x, top+y, color.NRGBA{255, 255, 255, a})
		}
	}
	return seen, nil
}

// places lists the evaluated places of a pixel that lie on the model; where it is but touched, those
// of the pixels around it.
func (b *banding) places(f *raster.Frame, x, y int) (list []int) {
	for k := range b.per * b.per {
		if i := (y*b.per+k/b.per)*f.W + x*b.per + k%b.per; f.Tri[i] >= 0 {
			list = append(list, i)
		}
	}
	if list != nil || b.per > 1 {
		return list
	}
	for dy := -1; dy <= 1; dy++ {
		for dx := -1; dx <= 1; dx++ {
			if u, v := x+dx, y+dy; u >= 0 && u < f.W && v >= 0 && v < f.H && f.Tri[v*f.W+u] >= 0 {
				list = append(list, v*f.W+u)
			}
		}
	}
	return list
}

// masks makes the masks of the parts.
func (v *Views) masks(m *mesh.Model, of []uint16, seen map[uint16]image.Rectangle, w int) {
	for _, part := range slices.Sorted(maps.Keys(seen)) {
		if len(v.Parts) == MaxMasks {
			break
		}
		box := seen[part]
		mask := image.NewNRGBA(box)
		for y := box.Min.Y; y < box.Max.Y; y++ {
			for x := box.Min.X; x < box.Max.X; x++ {
				count := 0
				for _, o := range of[(y*w+x)*fine*fine : (y*w+x+1)*fine*fine] {
					if o == part {
						count++
					}
				}
				if count > 0 {
					mask.SetNRGBA(x, y, color.NRGBA{255, 255, 255, uint8(count * 255 / (fine * fine))})
				}
			}
		}
		v.Parts = append(v.Parts, PartMask{m.Parts[part-1].Name, mask})
	}
}

// band is the part of a view that has n of its h rows from the row top on.
func band(view geom.Mat4, h, top, n int) geom.Mat4 {
	// y of the whole, 1 at its upper border, becomes scale·y + shift
	scale := float64(h) / float64(n)
	middle := 1 - (2*float64(top)+float64(n))/float64(h)
	part := geom.Mat4{1, 0, 0, 0, 0, scale, 0, 0, 0, 0, 1, 0, 0, -scale * middle, 0, 1}
	return part.Mul(view)
}

// pixel is how large one of h rows of a view is at a place, metres.
func pixel(view geom.Mat4, at geom.Vec3, h int) float32 {
	_, _, _, w := view.Clip(at)
	up := geom.V3(float32(view[1]), float32(view[5]), float32(view[9])).Length()
	return float32(2*max(w, 1e-6)) / max(up*float32(h), 1e-9)
}
