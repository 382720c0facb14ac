package sample

import (
	"bytes"
	"crypto/sha256"
	enc "encoding/hex"
	"image"
	"image/color"
	"image/png"
	"math"
	"sync"

	"velvetgrime/core/noise"
	"velvetgrime/core/pix"
)

// muralForm is the mural's width over its height.
const muralForm = 2.9

// Mural is a picture to be brushed through a slide: a dunlin on the flats of the landing, in the
// few flat colours of a sign painter, drawn here. It returns the picture as PNG, and the name
// under which a document holds it: that of its content.
var Mural = sync.OnceValues(func() (data []byte, name string) {
	const tall = 352
	wide := int(math.Round(tall * muralForm))
	img := image.NewNRGBA(image.Rect(0, 0, wide, tall))
	for y := range tall {
		for x := range wide {
			u, v := (float64(x)+0.5)/tall, (float64(y)+0.5)/tall
			c := muralAt(u, v)
			// the brush went along, and the paint is not even
			w := noise.Simplex(float32(u)*7, float32(v)*90, 0, 5)*0.5 + noise.Simplex(float32(u)*3, float32(v)*3, 0, 6)
			k := float32(1 + 0.035*float64(w))
			img.SetNRGBA(x, y, color.NRGBA{pix.Byte(c[0] * k), pix.Byte(c[1] * k), pix.Byte(c[2] * k), 255})
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		panic(err) // into memory
	}
	sum := sha256.Sum256(b.Bytes())
	return b.Bytes(), enc.EncodeToString(sum[:])
})

// Picture is one that a sample document holds: its bytes, and the file that they are said to be.
type Picture struct {
	PNG  []byte
	File string
}

// Pictures are what the sample documents hold, by the names under which they do.
func Pictures() map[string]Picture {
	data, name := Mural()
	return map[string]Picture{name: {data, "dunlin.png"}}
}

// muralAt is the colour of the mural at a place, in heights of it from the upper left corner.
func muralAt(u, v float64) [3]float32 {
	c := muralPaints["#e6d8b2"]
	over := func(name string, far float64) { // far is the distance to its border, negative within
		if far > 1.0/320 {
			return
		}
		h := muralPaints[name]
		t := float32(min(max(0.5-far*320, 0), 1))
		for i := range c {
			c[i] += t * (h[i] - c[i])
		}
	}
	wave := func(k, phase float64) float64 { return math.Sin(u*k+phase) + 0.4*math.Sin(u*k*2.3+1.7*phase) }
	disc := func(x, y, r float64) float64 { return math.Hypot(u-x, v-y) - r }
	oval := func(x, y, a, b, turn float64) float64 {
		s, k := math.Sincos(turn)
		p, q := ((u-x)*k+(v-y)*s)/a, ((v-y)*k-(u-x)*s)/b
		return (math.Hypot(p, q) - 1) * min(a, b)
	}
	line := func(x0, y0, x1, y1, r0, r1 float64) float64 { // tapered
		dx, dy := x1-x0, y1-y0
		t := min(max(((u-x0)*dx+(v-y0)*dy)/(dx*dx+dy*dy), 0), 1)
		return math.Hypot(u-x0-t*dx, v-y0-t*dy) - (r0 + t*(r1-r0))
	}
	// sky in four bands, the sun low over the water
	over("#e2c994", 0.20+0.012*wave(2.1, 0.3)-v)
	over("#dcb27a", 0.36+0.010*wave(2.7, 1.1)-v)
	over("#cf9163", 0.48+0.008*wave(3.3, 2.0)-v)
	over("#b8462f", disc(2.16, 0.47, 0.19))
	// the far shore, and water down to the flats
	over("#5a6a5f", 0.525+0.012*wave(4.2, 0.4)*max(1-u/2.2, 0)-v)
	over("#2f6470", 0.57-v)
	for i, y := range []float64{0.60, 0.645, 0.70} { // the sun's way
		r := 0.17 - 0.035*float64(i)
		over("#b8462f", max(math.Abs(v-y)-0.011, math.Abs(u-2.16-0.02*float64(i))-r))
	}
	over("#3f7f86", max(math.Abs(v-0.655-0.006*wave(16, 0.2))-0.008, math.Abs(u-0.95)-0.6))
	over("#3f7f86", max(math.Abs(v-0.70-0.006*wave(14, 2.2))-0.008, math.Abs(u-1.3)-0.42))
	over("#8a6a48", 0.765+0.014*wave(3.1, 0.9)-v)
	over("#6a4d34", 0.875+0.016*wave(2.6, 2.4)-v)
	// a boat at anchor
	over("#24313a", max(math.Abs(u-1.52)-(0.15-(v-0.55)*0.9), 0.535-v, v-0.585))
	over("#24313a", line(1.5, 0.54, 1.5, 0.33, 0.006, 0.004))
	over("#8d3426", max(1.508-u, v-0.515, (u-1.508)-(v-0.335)*0.6))
	// the bird: legs, body, wing, head and bill
	over("#2b2622", line(0.58, 0.68, 0.565, 0.86, 0.008, 0.006))
	over("#2b2622", line(0.68, 0.68, 0.70, 0.86, 0.008, 0.006))
	over("#e9e0cb", oval(0.62, 0.55, 0.235, 0.135, -0.12))
	over("#2b2622", oval(0.64, 0.625, 0.115, 0.055, -0.05))
	over("#9a5a34", oval(0.56, 0.505, 0.215, 0.085, -0.2))
	over("#5c3722", oval(0.47, 0.53, 0.18, 0.035, -0.28))
	over("#e9e0cb", disc(0.84, 0.385, 0.072))
	over("#9a5a34", max(disc(0.838, 0.383, 0.073), v-0.372))
	over("#e9e0cb", line(0.79, 0.47, 0.83, 0.40, 0.07, 0.06))
	over("#2b2622", line(0.90, 0.39, 0.985, 0.402, 0.013, 0.009))
	over("#2b2622", line(0.985, 0.402, 1.045, 0.432, 0.009, 0.004))
	over("#171412", disc(0.862, 0.38, 0.010))
	// a flock far off
	for i, b := range [][3]float64{{1.12, 0.20, 1}, {1.26, 0.14, 0.8}, {1.30, 0.24, 0.9}, {1.42, 0.18, 0.7}, {1.55, 0.12, 0.75}, {1.66, 0.20, 0.6}, {1.80, 0.15, 0.55}} {
		s := 0.05 * b[2]
		up := 0.5 + 0.25*math.Sin(float64(i)*2.4)
		over("#3b332c", line(b[0]-s, b[1]-s*up, b[0], b[1], 0.003, 0.008*b[2]))
		over("#3b332c", line(b[0], b[1], b[0]+s, b[1]-s*up, 0.008*b[2], 0.003))
	}
	// its border
	edge := min(u, v, muralForm-u, 1-v)
	over("#efe6cf", edge-0.045)
	over("#8d3426", edge-0.022)
	return c
}

// muralPaints are the sign painter's colours.
var muralPaints = map[string][3]float32{}

func init() {
	for _, s := range []string{
		"#e6d8b2", "#e2c994", "#dcb27a", "#cf9163", "#b8462f", "#5a6a5f", "#2f6470", "#3f7f86", "#8a6a48",
		"#6a4d34", "#24313a", "#8d3426", "#2b2622", "#e9e0cb", "#9a5a34", "#5c3722", "#171412", "#3b332c", "#efe6cf",
	} {
		muralPaints[s] = [3]float32(hex(s))
	}
}
