package light

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"

	"velvetgrime/core/exr"
	"velvetgrime/core/icc"
	"velvetgrime/core/rgbe"
)

// Widest is how many columns a panorama keeps: what is read wider is made smaller.
const Widest = 2048

// Read reads a panorama from a Radiance or an OpenEXR picture. Errors say what is wrong and what
// to do; a picture whose width is not twice its height is none.
func Read(ctx context.Context, b []byte) (*Panorama, error) {
	p, err := decode(ctx, b)
	if err != nil {
		return nil, err
	}
	if p.W < 8 || math.Abs(float64(p.W)/float64(p.H)-2) > 0.02 {
		return nil, fmt.Errorf(
			"the picture is %d × %d; a panorama is twice as wide as it is high, with longitude across and latitude down",
			p.W, p.H)
	}
	sum := 0.0
	for i, v := range p.Data {
		switch {
		case v != v:
			return nil, fmt.Errorf("the texel at %d, %d is not a number", i/3%p.W, i/3/p.W)
		case v < 0: // what a wide gamut leaves outside ours
			p.Data[i] = 0
		case v > math.MaxFloat32/1e6:
			p.Data[i] = math.MaxFloat32 / 1e6
		}
		sum += float64(p.Data[i])
	}
	if sum == 0 {
		return nil, errors.New("the panorama is black all over, and lights nothing")
	}
	even := &Panorama{W: p.W, H: p.H, Data: p.Data}
	if p.W > Widest {
		return even.Smaller(Widest), nil
	}
	return even, nil
}

// decode reads a picture's colours and gives them the primaries of Rec. ITU-R BT.709.
func decode(ctx context.Context, b []byte) (*Panorama, error) {
	switch {
	case rgbe.Is(b):
		p, err := rgbe.Decode(ctx, bytes.NewReader(b))
		if err != nil {
			return nil, err
		}
		m, same, err := icc.FromPrimaries(p.Primaries)
		if err != nil {
			return nil, err
		}
		if p.XYZ {
			m, same = icc.FromXYZ, false
		}
		out := &Panorama{W: p.W, H: p.H, Data: p.Data}
		if !same {
			out.turn(m)
		}
		return out, nil
	case bytes.HasPrefix(b, []byte(exr.Magic)):
		p, err := exr.Decode(ctx, b)
		if err != nil {
			return nil, err
		}
		out := &Panorama{W: p.W, H: p.H, Data: make([]float32, p.W*p.H*3)}
		for k := range 3 {
			from := p.Channels[0].Data
			if len(p.Channels) >= 3 {
				from = p.Channels[k].Data
			}
			for i, v := range from {
				out.Data[i*3+k] = v
			}
		}
		if len(p.Channels) < 3 {
			return out, nil
		}
		m, same, err := icc.FromPrimaries(p.Primaries)
		if err != nil {
			return nil, err
		}
		if !same {
			out.turn(m)
		}
		return out, nil
	}
	return nil, errors.New("a panorama is a Radiance (.hdr) or an OpenEXR (.exr) picture; this is neither")
}

// turn multiplies every colour by a matrix, row by row.
func (p *Panorama) turn(m [9]float64) {
	for i := 0; i < len(p.Data); i += 3 {
		c := [3]float32(p.Data[i : i+3])
		for k := range 3 {
			p.Data[i+k] = float32(m[3*k])*c[0] + float32(m[3*k+1])*c[1] + float32(m[3*k+2])*c[2]
		}
	}
}
