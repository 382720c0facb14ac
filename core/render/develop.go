package render

import (
	"bytes"
	"image"
	"image/png"
	"math"

	"velvetgrime/core/exr"
	"velvetgrime/core/geom"
	"velvetgrime/core/light"
	"velvetgrime/core/par"
	"velvetgrime/core/pix"
)

// Tones are how light becomes what a screen shows, by name; each maps linear light to linear
// light between 0 and 1.
var Tones = map[string]func(c [3]float32) [3]float32{
	"":        filmic,
	"filmic":  filmic,
	"neutral": neutral,
	"none":    func(c [3]float32) [3]float32 { return c },
}

// filmic is the fit of the ACES reference transforms that S. Hill published (Baking Lab, 2016), as
// the view has it: with its factor of 1/0.6 before.
func filmic(c [3]float32) [3]float32 {
	for k := range c {
		c[k] /= 0.6
	}
	c = rows(c, [9]float32{0.59719, 0.35458, 0.04823, 0.07600, 0.90834, 0.01566, 0.02840, 0.13383, 0.83777})
	for k, v := range c {
		c[k] = (v*(v+0.0245786) - 0.000090537) / (v*(0.983729*v+0.4329510) + 0.238081)
	}
	return rows(c, [9]float32{1.60475, -0.53108, -0.07367, -0.10208, 1.10813, -0.00605, -0.00327, -0.07276, 1.07602})
}

func rows(c [3]float32, m [9]float32) (o [3]float32) {
	for k := range o {
		o[k] = m[3*k]*c[0] + m[3*k+1]*c[1] + m[3*k+2]*c[2]
	}
	return o
}

// neutral is Khronos' PBR Neutral tone mapper (specification of 2024): colours of products stay as
// they are up to 0.8, and go to white above without turning.
func neutral(c [3]float32) [3]float32 {
	const start, desaturation = 0.8 - 0.04, 0.15
	x := min(c[0], c[1], c[2])
	off := float32(0.04)
	if x < 0.08 {
		off = x - 6.25*x*x
	}
	for k := range c {
		c[k] -= off
	}
	peak := max(c[0], c[1], c[2])
	if peak < start {
		return c
	}
	const d = 1 - start
	to := 1 - d*d/(peak+d-start)
	for k := range c {
		c[k] *= to / peak
	}
	g := 1 - 1/(desaturation*(peak-to)+1)
	for k := range c {
		c[k] += (to - c[k]) * g
	}
	return c
}

// Postcard is a small picture of what a panorama shows around its brightest place, w × w/2 pixels;
// PNG.
func Postcard(p *light.Panorama, w int) ([]byte, error) {
	_, key := p.Smaller(256).Split()
	az := math.Atan2(float64(key.Dir.Z), float64(key.Dir.X)) - 0.35 // a little off the middle
	img := image.NewNRGBA(image.Rect(0, 0, w, w/2))
	gauge := float32(p.Gauge())
	even := p.Smaller(2 * w)
	for y := range w / 2 {
		for x := range w {
			a := az + (float64(x)/float64(w)-0.5)*2.4
			el := (0.5-float64(y)/float64(w/2))*1.2 + 0.12
			s, c := math.Sincos(el)
			d := geom.V3(float32(c*math.Cos(a)), float32(s), float32(c*math.Sin(a)))
			v := even.At(d)
			for k := range v {
				v[k] *= gauge * 0.8
			}
			v = filmic(v)
			for k := range v {
				img.Pix[img.PixOffset(x, y)+k] = byte8(v[k])
			}
			img.Pix[img.PixOffset(x, y)+3] = 255
		}
	}
	var b bytes.Buffer
	err := png.Encode(&b, img)
	return b.Bytes(), err
}

// Beauty is the mean light of each pixel, three numbers each, denoised when that was asked for.
func (f *Film) Beauty(s *Still) []float32 {
	if s.Denoise {
		return denoise(f)
	}
	return f.mean(f.Sum)
}

func (f *Film) mean(sum []float32) []float32 {
	out := make([]float32, len(sum))
	inv := 1 / float32(max(f.Samples, 1))
	for i, v := range sum {
		out[i] = v * inv
	}
	return out
}

// Develop makes the picture that is shown: exposed, tone mapped, sRGB-encoded, 16 bits. Where
// nothing is met and the background is clear it is clear.
func (f *Film) Develop(s *Still) *image.NRGBA64 { return f.toned(s, f.Beauty(s)) }

// Finish is Develop and Layers, of light from which noise was taken once.
func (f *Film) Finish(s *Still) (*image.NRGBA64, []exr.Channel) {
	light := f.Beauty(s)
	return f.toned(s, light), f.layers(s, light)
}

func (f *Film) toned(s *Still, light []float32) *image.NRGBA64 {
	tone, ok := Tones[s.Tone]
	if !ok {
		tone = filmic
	}
	img := image.NewNRGBA64(image.Rect(0, 0, f.W, f.H))
	clear := s.Background == "clear"
	exposure := float32(s.Exposure)
	par.Parts(f.H, 16, func(from, to int) {
		for i := from * f.W; i < to*f.W; i++ {
			a := float32(1)
			if clear {
				a = f.Covered[i] / float32(max(f.Samples, 1))
			}
			var c [3]float32
			for k := range c {
				c[k] = light[3*i+k] * exposure
				if clear && a > 0 {
					c[k] /= a
				}
			}
			c = tone(c)
			o := 8 * i
			for k := range 3 {
				v := pix.Word(pix.EncodeSRGB(min(max(c[k], 0), 1)))
				img.Pix[o+2*k], img.Pix[o+2*k+1] = uint8(v>>8), uint8(v)
			}
			v := pix.Word(a)
			img.Pix[o+6], img.Pix[o+7] = uint8(v>>8), uint8(v)
		}
	})
	return img
}

// Shown is Develop with 8 bits, for the page.
func (f *Film) Shown(s *Still) *image.NRGBA {
	deep := f.Develop(s)
	img := image.NewNRGBA(deep.Rect)
	for i := range img.Pix {
		v := uint32(deep.Pix[2*i])<<8 | uint32(deep.Pix[2*i+1])
		img.Pix[i] = uint8((v*255 + 32767) / 65535)
	}
	return img
}

// Layers are the light, coverage, and what was met: linear numbers for a picture with layers.
func (f *Film) Layers(s *Still) []exr.Channel { return f.layers(s, f.Beauty(s)) }

func (f *Film) layers(s *Still, light []float32) []exr.Channel {
	n := f.W * f.H
	inv := 1 / float32(max(f.Samples, 1))
	split := func(name string, v []float32, c string) (out []exr.Channel) {
		for k := range 3 {
			p := make([]float32, n)
			for i := range p {
				p[i] = v[3*i+k]
			}
			out = append(out, exr.Channel{Name: name + string(c[k]), Data: p})
		}
		return out
	}
	out := split("", light, "RGB")
	cover := make([]float32, n)
	depth := make([]float32, n)
	id := make([]float32, n)
	for i := range cover {
		cover[i] = f.Covered[i] * inv
		depth[i] = inf
		if f.Covered[i] > 0 {
			depth[i] = f.Depth[i] / f.Covered[i]
		}
		id[i] = float32(f.ID[i] + 2) // 0: nothing, 1: the floor, then the parts in their order
	}
	out = append(out, exr.Channel{Name: "A", Data: cover})
	out = append(out, split("albedo.", f.mean(f.Albedo), "RGB")...)
	out = append(out, split("normal.", f.mean(f.Normal), "XYZ")...)
	out = append(out, exr.Channel{Name: "depth.Z", Data: depth}, exr.Channel{Name: "id.Y", Data: id})
	if s.Denoise {
		out = append(out, split("noisy.", f.mean(f.Sum), "RGB")...)
	}
	return out
}

// Error is the estimated relative standard error of the mean light, over the pixels that met
// something: what more paths would take away.
func (f *Film) Error() float64 {
	n := float64(f.Samples)
	if n < 2 {
		return 1
	}
	sum, light := 0.0, 0.0
	for i := range f.Square {
		if f.Covered[i] == 0 {
			continue
		}
		m := (0.2126*float64(f.Sum[3*i]) + 0.7152*float64(f.Sum[3*i+1]) + 0.0722*float64(f.Sum[3*i+2])) / n
		v := max(float64(f.Square[i])/n-m*m, 0) / (n - 1)
		sum += v
		light += m * m
	}
	if light == 0 {
		return 0
	}
	return math.Sqrt(sum / light)
}
