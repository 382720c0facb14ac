package bake

import (
	"image"

	"velvetgrime/core/pix"
)

// Picture returns the map as a picture of 16 bits a component: greys for one
// component, colours for three. Range tells what 0 and 1 stand for.
func (m *Image) Picture() image.Image {
	lo, hi := m.Range[0], m.Range[1]
	word := func(i int) (a, b byte) {
		v := pix.Word((m.Data[i] - lo) / (hi - lo))
		return byte(v >> 8), byte(v)
	}
	r := image.Rect(0, 0, m.Size, m.Size)
	if m.Components == 1 {
		g := image.NewGray16(r)
		for i := range m.Data {
			g.Pix[2*i], g.Pix[2*i+1] = word(i)
		}
		return g
	}
	g := image.NewNRGBA64(r)
	for i := range m.Size * m.Size {
		for c := range 3 {
			g.Pix[8*i+2*c], g.Pix[8*i+2*c+1] = word(3*i + c)
		}
		g.Pix[8*i+6], g.Pix[8*i+7] = 255, 255
	}
	return g
}

// Planes returns the map component by component, as the numbers it holds.
func (m *Image) Planes() [][]float32 {
	out := make([][]float32, m.Components)
	for c := range out {
		out[c] = make([]float32, m.Size*m.Size)
		for i := range out[c] {
			out[c][i] = m.Data[i*m.Components+c]
		}
	}
	return out
}
