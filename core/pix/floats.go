package pix

import (
	"context"
	"io"
	"slices"

	"velvetgrime/core/exr"
	"velvetgrime/core/icc"
	"velvetgrime/core/rgbe"
)

// maxFloatFile bounds a picture of floats, which is read as a whole.
const maxFloatFile = 1 << 30

// decodeFloats reads an OpenEXR or a Radiance picture; ok is false when it is neither. Colours
// become sRGB, as other pictures have them, and end at white; a single channel holds numbers, and
// stays as it is between 0 and 1.
func decodeFloats(r io.ReadSeeker) (p *Picture, ok bool, err error) {
	head := make([]byte, 10)
	n, _ := io.ReadFull(r, head)
	if _, err := r.Seek(0, io.SeekStart); err != nil {
		return nil, false, err
	}
	switch {
	case n >= 4 && string(head[:4]) == exr.Magic:
		b, err := io.ReadAll(io.LimitReader(r, maxFloatFile))
		if err != nil {
			return nil, true, err
		}
		e, err := exr.Decode(context.Background(), b)
		if err != nil {
			return nil, true, err
		}
		p, err = fromEXR(e)
		return p, true, err
	case rgbe.Is(head[:n]):
		h, err := rgbe.Decode(context.Background(), r)
		if err != nil {
			return nil, true, err
		}
		p, err = fromRGBE(h)
		return p, true, err
	}
	return nil, false, nil
}

func fromEXR(e *exr.Picture) (*Picture, error) {
	n := len(e.Channels)
	gray := n < 3
	l := level{w: e.W, h: e.H, n: 4}
	if n == 1 {
		l.n = 1
	}
	m, same, err := icc.FromPrimaries(e.Primaries)
	if err != nil && !gray {
		return nil, err
	}
	l.v = make([]uint16, l.n*l.w*l.h)
	for i := range l.w * l.h {
		o := l.n * i
		if gray {
			g := whole16(e.Channels[0].Data[i])
			l.v[o] = g
			if n == 2 { // with coverage
				l.v[o+1], l.v[o+2], l.v[o+3] = g, g, whole16(e.Channels[1].Data[i])
			}
			continue
		}
		c := [3]float32{e.Channels[0].Data[i], e.Channels[1].Data[i], e.Channels[2].Data[i]}
		a := float32(1)
		if n == 4 {
			if a = e.Channels[3].Data[i]; a > 0 { // EXR multiplies by coverage
				for k := range c {
					c[k] /= min(a, 1)
				}
			}
		}
		if !same {
			c = times(m, c)
		}
		for k := range 3 {
			l.v[o+k] = encode16(c[k])
		}
		l.v[o+3] = whole16(a)
	}
	p := l.picture(l.n == 1, n == 2 || n == 4)
	p.Light = !gray
	return p, nil
}

// AsNumbers returns the picture for who reads numbers, not colours: what was light in the file is
// as it was there.
func (p *Picture) AsNumbers() *Picture {
	if !p.Light {
		return p
	}
	l := p.levels[0]
	l.v = slices.Clone(l.v)
	for i := 0; i < len(l.v); i += 4 {
		for k := range 3 {
			l.v[i+k] = whole16(DecodeSRGB(float32(l.v[i+k]) / 65535))
		}
	}
	return l.picture(p.Gray, p.Alpha)
}

func fromRGBE(h *rgbe.Picture) (*Picture, error) {
	m, same, err := icc.FromPrimaries(h.Primaries)
	if err != nil {
		return nil, err
	}
	if h.XYZ {
		m, same = icc.FromXYZ, false
	}
	l := level{w: h.W, h: h.H, n: 4}
	l.v = make([]uint16, 4*l.w*l.h)
	for i := range l.w * l.h {
		c := [3]float32(h.Data[3*i : 3*i+3])
		if !same {
			c = times(m, c)
		}
		for k := range 3 {
			l.v[4*i+k] = encode16(c[k])
		}
		l.v[4*i+3] = 65535
	}
	p := l.picture(false, false)
	p.Light = true
	return p, nil
}

func times(m [9]float64, c [3]float32) (out [3]float32) {
	for k := range 3 {
		out[k] = float32(m[3*k])*c[0] + float32(m[3*k+1])*c[1] + float32(m[3*k+2])*c[2]
	}
	return out
}
