package brush

import (
	"context"
	"image"
	"image/color"
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
)

// flatGround is a level frame of w × h points, one a pixel, of the given edge in metres;
// rows go from the top.
func flatGround(w, h int, texel float32) *raster.Frame {
	f := &raster.Frame{
		W:      w,
		H:      h,
		Pos:    make([]geom.Vec3, w*h),
		Nrm:    make([]geom.Vec3, w*h),
		Tri:    make([]int32, w*h),
		Inside: make([]bool, w*h),
	}
	for i := range f.Pos {
		f.Pos[i] = geom.V3((float32(i%w)+0.5-float32(w)/2)*texel, 0, (float32(i/w)+0.5-float32(h)/2)*texel)
		f.Nrm[i], f.Tri[i], f.Inside[i] = geom.V3(0, 1, 0), 0, true
	}
	f.Footprint = texel
	f.Seal()
	return f
}

// Preview draws a wave of a stroke, as it will be: w × h pixels, with pressure that
// rises and falls. The stroke gives everything but its points; its radius is fitted
// to the height. Colours are laid on grey; heights are lit from the upper left.
func Preview(s Stroke, w, h int) *image.RGBA {
	const texel = 0.0002 // metres a pixel
	f := flatGround(w, h, texel)
	grow := float32(1) // room for what is scattered
	if s.Kit != nil {
		grow = 1 + 0.6*min(s.Kit.Scatter, 1.5)
	}
	fit := float32(h) * texel * 0.30 / grow
	if s.Kit != nil && s.Kit.Grain != nil && s.Radius > 0 {
		g := *s.Kit.Grain
		g.Size = min(max(g.Size*fit/s.Radius, 3*texel), float32(h)*texel/4)
		k := *s.Kit
		k.Grain = &g
		s.Kit = &k
	}
	scale := fit / max(s.Radius, 1e-6)
	if s.Radius <= 0 {
		scale = 1
	}
	s.ID, s.Radius, s.Points, s.Mirror = "preview", fit, nil, nil
	s.Unhold()
	s.Up = geom.V3(0, 0, -1)
	const n = 60
	for i := range n + 1 {
		t := float64(i) / n
		x := (t - 0.5) * (float64(w) - 1.5*float64(fit/texel)) * texel
		z := math.Sin(t*2*math.Pi) * float64(h) * texel * 0.13
		s.Points = append(
			s.Points,
			Point{
				geom.V3(float32(x), 0, float32(z)),
				geom.V3(0, 1, 0),
				float32(math.Pow(math.Sin(math.Pi*(0.06+0.86*t)), 0.8)),
			},
		)
	}
	c := s.NewCoverage(len(f.Pos))
	_ = s.Draw(context.Background(), f, c, 0, s.Segments()) // a few dozen dabs
	s.Held(f, c)

	paint := [3]float32{0.88, 0.87, 0.84}
	if v := s.Values["baseColor"]; len(v) == 3 {
		paint = [3]float32{v[0], v[1], v[2]}
	} else if v := s.Values["mask"]; len(v) == 1 {
		paint = [3]float32{v[0], v[0], v[0]}
	}
	height := float32(0)
	if v := s.Values["height"]; len(v) == 1 {
		height = v[0] * scale / texel // slope of one pixel
		if s.Values["baseColor"] != nil {
			height *= 0.35
		}
	}
	at := func(x, y int) float32 { return c.Cover[min(max(y, 0), h-1)*w+min(max(x, 0), w-1)] }
	sample := s.effect().sample
	if sample == nil {
		sample = func(share float32, _ int, values [3]float32) (under, made [3]float32) { return slope(share), values }
	}
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			i := y*w + x
			back, v := sample(float32(x)/float32(w), x, paint)
			if s.Values["baseColor"] == nil && height != 0 {
				v = [3]float32{0.5, 0.5, 0.5}
			}
			if s.Blend == "multiply" {
				for k := range v {
					v[k] *= back[k]
				}
			}
			a := c.Cover[i] * s.Strength
			var light float32 = 1
			if height != 0 {
				dx, dy := (at(x+1, y)-at(x-1, y))*height/2, (at(x, y+1)-at(x, y-1))*height/2
				l := float32(1 / math.Sqrt(float64(1+dx*dx+dy*dy)))
				light = max(0.25, (0.45*dx+0.55*dy+0.7)*l/0.7)
			}
			var out [3]uint8
			for k := range out {
				q := v[k]
				if c.Light != nil {
					q += c.Light[i] * 0.5 * q
				}
				out[k] = uint8(min(max((back[k]+a*(q-back[k]))*light, 0), 1)*255 + 0.5)
			}
			img.SetRGBA(x, y, color.RGBA{out[0], out[1], out[2], 255})
		}
	}
	return img
}

// Check returns why no stroke can be made with the brush.
func (m Made) Check() error {
	st := m.Stroke()
	st.ID, st.Points = "try", Points{{}}
	if st.Radius == 0 {
		st.Radius = 0.01
	}
	return st.Check()
}

// Stroke returns a stroke of the brush, without points.
func (m Made) Stroke() Stroke {
	return Stroke{
		Radius:   m.Radius,
		Strength: m.Strength,
		Hardness: m.Hardness,
		Does:     m.Does,
		Blend:    m.Blend,
		PenSize:  m.PenSize,
		PenFlow:  m.PenFlow,
		Kit:      m.Kit,
		Values:   m.Values,
	}
}

// slope is what a preview of what works on paint has under it.
func slope(share float32) [3]float32 {
	g := 0.25 + 0.4*share
	return [3]float32{g, g, g}
}
