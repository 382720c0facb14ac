package press

import (
	"encoding/binary"
	"image"
	"io"
	"math"

	"image/png"

	"velvetgrime/core/pix"
)

// Looks are the ways in which a stamp can be shown.
var Looks = []string{"relief", "grey", "normal", "occlusion"}

// Deep is how high white stands in a look, in halves of the stamp.
const Deep = 0.3

// Image shows a stamp: as a lit relief, in its greys, as normals (+Y up) or as occlusion.
func (st *Stamp) Image(look string) *image.NRGBA {
	n := st.Size
	img := image.NewNRGBA(image.Rect(0, 0, n, n))
	var open []float32
	if look == "relief" || look == "occlusion" {
		open = st.occlusion()
	}
	st.rows(func(y int) {
		for x := range n {
			i := y*n + x
			var c [3]float32
			switch look {
			case "grey":
				v := pix.EncodeSRGB(st.Grey[i])
				c = [3]float32{v, v, v}
			case "normal":
				nx, ny, nz := st.normal(x, y)
				c = [3]float32{nx/2 + 0.5, ny/2 + 0.5, nz/2 + 0.5}
			case "occlusion":
				c = [3]float32{open[i], open[i], open[i]}
			default:
				c = st.lit(x, y, open[i])
			}
			o := 4 * i
			img.Pix[o], img.Pix[o+1], img.Pix[o+2], img.Pix[o+3] = pix.Byte(c[0]), pix.Byte(c[1]), pix.Byte(c[2]), 255
		}
	})
	return img
}

// normal is the direction that the relief faces at a texel: x right, y up, z to us.
func (st *Stamp) normal(x, y int) (nx, ny, nz float32) {
	n := st.Size
	at := func(x, y int) float32 { return st.Grey[min(max(y, 0), n-1)*n+min(max(x, 0), n-1)] }
	k := Deep / (2 * st.pixel())
	nx, ny = -(at(x+1, y)-at(x-1, y))*k, (at(x, y+1)-at(x, y-1))*k
	l := 1 / float32(math.Sqrt(float64(nx*nx+ny*ny+1)))
	return nx * l, ny * l, l
}

// lit shades a texel as cast metal under a lamp at the upper left and a dim sky.
func (st *Stamp) lit(x, y int, open float32) [3]float32 {
	nx, ny, nz := st.normal(x, y)
	lamp := max(nx*-0.49+ny*0.53+nz*0.69, 0)
	hx, hy, hz := float32(-0.265), float32(0.287), float32(0.92) // half way between the lamp and us
	gloss := float32(math.Pow(float64(max(nx*hx+ny*hy+nz*hz, 0)), 38))
	sky := 0.5 + 0.5*ny
	v := open*(0.08+0.14*sky) + lamp*(0.34+0.66*open)*0.62
	g := pix.EncodeSRGB(min(v*0.5+gloss*0.28*open, 1))
	return [3]float32{g * 0.99, g, g * 1.0}
}

// occlusion is 1 where nothing stands around a place: the sky above its horizon, looked
// for in sixteen directions (Bavoil, Sainz and Dimitrov, "Image-Space Horizon-Based
// Ambient Occlusion", 2008, for a height field).
func (st *Stamp) occlusion() []float32 {
	n := st.Size
	out := make([]float32, n*n)
	const ways, marks = 16, 8
	type mark struct {
		x, y, step int
		per        float32 // what a height there weighs: one through its distance
	}
	reach := 0.25 / float64(st.pixel()) // in texels
	var looks [ways][]mark
	for k := range looks {
		s, c := math.Sincos(2 * math.Pi * (float64(k) + 0.5) / ways)
		for m := 1; m <= marks; m++ {
			r := reach * float64(m*m) / (marks * marks)
			if r < 0.7 {
				continue
			}
			x, y := int(math.Round(c*r)), int(math.Round(s*r))
			looks[k] = append(looks[k], mark{x, y, y*n + x, Deep / (float32(r) * st.pixel())})
		}
	}
	st.rows(func(y int) {
		for x := range n {
			i := y*n + x
			h := st.Grey[i]
			sum := float32(0)
			for _, marks := range looks {
				most := float32(0) // tangent of the horizon
				for _, m := range marks {
					if uint(x+m.x) >= uint(n) || uint(y+m.y) >= uint(n) {
						continue
					}
					if v := (st.Grey[i+m.step] - h) * m.per; v > most {
						most = v
					}
				}
				if most > 0 {
					sum += most * most / (1 + most*most) // squared sine: cosine-weighted sky that is hidden
				}
			}
			out[i] = 1 - sum/ways
		}
	})
	return out
}

// WritePNG writes the heights as a PNG of 16 bits a texel, one grey.
func (st *Stamp) WritePNG(w io.Writer) error {
	img := image.NewGray16(image.Rect(0, 0, st.Size, st.Size))
	for i, v := range st.Grey {
		binary.BigEndian.PutUint16(img.Pix[2*i:], uint16(v*65535+0.5))
	}
	return (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(w, img)
}
