// Package icc reads colour profiles that pictures carry (ICC.1:2022), as far as they are made of
// three primaries and curves, and brings colours from them to sRGB.
package icc

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"strings"
	"unicode/utf16"
)

// Profile is a profile of three colours or of greys.
type Profile struct {
	Name   string
	Gray   bool
	curves [3]curve
	matrix [9]float64 // from its linear colours to linear sRGB, by rows
}

// curve turns an encoded component into linear light: by a table, or by a formula.
type curve struct {
	table []float64
	kind  int // of a formula: ICC.1, table 68
	p     [7]float64
}

// d50ToSRGB goes from CIE XYZ as profiles have it, adapted to D50, to linear sRGB: the inverse of
// the colorants that the sRGB profile of the ICC has (Bradford's adaptation of IEC 61966-2-1).
var d50ToSRGB = [9]float64{
	3.1338561, -1.6168667, -0.4906146,
	-0.9787684, 1.9161415, 0.0334540,
	0.0719453, -0.2289914, 1.4052427,
}

// Parse reads a profile. Its error is that it is damaged, or of a kind that is not read, with the
// remedy.
func Parse(b []byte) (*Profile, error) {
	if len(b) < 132 || string(b[36:40]) != "acsp" {
		return nil, errors.New("its colour profile is damaged")
	}
	p := &Profile{}
	tags := map[string][]byte{}
	n := int(binary.BigEndian.Uint32(b[128:]))
	if n > 200 || len(b) < 132+12*n {
		return nil, errors.New("its colour profile is damaged: its table of tags is too long")
	}
	for i := range n {
		t := b[132+12*i:]
		at, size := uint64(binary.BigEndian.Uint32(t[4:])), uint64(binary.BigEndian.Uint32(t[8:]))
		if at+size > uint64(len(b)) || size < 8 {
			return nil, fmt.Errorf("its colour profile is damaged: the tag %q lies beyond its end", t[:4])
		}
		tags[string(t[:4])] = b[at : at+size]
	}
	p.Name = describe(tags["desc"])
	called := "its colour profile"
	if p.Name != "" {
		called = fmt.Sprintf("its colour profile “%s”", p.Name)
	}
	switch space := string(b[16:20]); space {
	case "GRAY":
		p.Gray = true
		c, err := readCurve(tags["kTRC"])
		if err != nil {
			return nil, fmt.Errorf("%s: %w", called, err)
		}
		p.curves = [3]curve{c, c, c}
		return p, nil
	case "RGB ":
	case "CMYK":
		return nil, fmt.Errorf("%s is for print (CMYK); convert it to sRGB and save it again", called)
	default:
		return nil, fmt.Errorf("%s is of %s; convert it to sRGB and save it again", called, strings.TrimSpace(space))
	}
	if tags["rXYZ"] == nil || tags["A2B0"] != nil && tags["rTRC"] == nil {
		return nil, fmt.Errorf("%s is made of tables, which are not read; convert it to sRGB and save it again", called)
	}
	var m [9]float64
	for k, name := range []string{"r", "g", "b"} {
		xyz := tags[name+"XYZ"]
		if len(xyz) < 20 || string(xyz[:4]) != "XYZ " {
			return nil, fmt.Errorf("%s has no %sXYZ", called, name)
		}
		for row := range 3 {
			m[3*row+k] = float64(int32(binary.BigEndian.Uint32(xyz[8+4*row:]))) / 65536
		}
		c, err := readCurve(tags[name+"TRC"])
		if err != nil {
			return nil, fmt.Errorf("%s: %w", called, err)
		}
		p.curves[k] = c
	}
	p.matrix = product(d50ToSRGB, m)
	return p, nil
}

func product(a, b [9]float64) (c [9]float64) {
	for i := range 3 {
		for j := range 3 {
			for k := range 3 {
				c[3*i+j] += a[3*i+k] * b[3*k+j]
			}
		}
	}
	return c
}

// describe is the name in a description, of either version of the form.
func describe(b []byte) string {
	switch {
	case len(b) >= 12 && string(b[:4]) == "desc":
		n := int(binary.BigEndian.Uint32(b[8:]))
		if n < 0 || 12+n > len(b) {
			return ""
		}
		return strings.Trim(string(b[12:12+n]), "\x00 ")
	case len(b) >= 28 && string(b[:4]) == "mluc":
		size, at := int(binary.BigEndian.Uint32(b[20:])), int(binary.BigEndian.Uint32(b[24:]))
		if size < 0 || at < 0 || size > 1000 || at+size > len(b) {
			return ""
		}
		var u []uint16
		for i := 0; i+1 < size; i += 2 {
			u = append(u, binary.BigEndian.Uint16(b[at+i:]))
		}
		return strings.Trim(string(utf16.Decode(u)), "\x00 ")
	}
	return ""
}

func readCurve(b []byte) (curve, error) {
	if len(b) < 12 {
		return curve{}, errors.New("a curve is missing; convert it to sRGB and save it again")
	}
	switch string(b[:4]) {
	case "curv":
		n := int(binary.BigEndian.Uint32(b[8:]))
		switch {
		case n == 0:
			return curve{kind: 0, p: [7]float64{1}}, nil
		case n < 0 || n > 1<<16 || len(b) < 12+2*n:
			return curve{}, errors.New("a curve is damaged")
		case n == 1:
			return curve{kind: 0, p: [7]float64{float64(binary.BigEndian.Uint16(b[12:])) / 256}}, nil
		}
		c := curve{table: make([]float64, n)}
		for i := range c.table {
			c.table[i] = float64(binary.BigEndian.Uint16(b[12+2*i:])) / 65535
		}
		return c, nil
	case "para":
		kind := int(binary.BigEndian.Uint16(b[8:]))
		if kind > 4 {
			return curve{}, fmt.Errorf("a curve is of kind %d, which there is not", kind)
		}
		n := [5]int{1, 3, 4, 5, 7}[kind]
		if len(b) < 12+4*n {
			return curve{}, errors.New("a curve is damaged")
		}
		c := curve{kind: kind}
		for i := range n {
			c.p[i] = float64(int32(binary.BigEndian.Uint32(b[12+4*i:]))) / 65536
		}
		return c, nil
	}
	return curve{}, fmt.Errorf("a curve is of the form %q; convert it to sRGB and save it again", b[:4])
}

func power(x, g float64) float64 { return math.Pow(max(x, 0), g) }

// at returns the linear light of an encoded component, 0..1.
func (c *curve) at(x float64) float64 {
	if c.table != nil {
		t := x * float64(len(c.table)-1)
		i := min(max(int(t), 0), len(c.table)-2)
		f := min(max(t-float64(i), 0), 1)
		return c.table[i] + f*(c.table[i+1]-c.table[i])
	}
	g, a, b, cc, d, e, f := c.p[0], c.p[1], c.p[2], c.p[3], c.p[4], c.p[5], c.p[6]
	switch c.kind {
	case 0:
		return power(x, g)
	case 1:
		if x >= -b/a {
			return power(a*x+b, g)
		}
		return 0
	case 2:
		if x >= -b/a {
			return power(a*x+b, g) + cc
		}
		return cc
	case 3:
		if x >= d {
			return power(a*x+b, g)
		}
		return cc * x
	}
	if x >= d {
		return power(a*x+b, g) + e
	}
	return cc*x + f
}

// Reader turns encoded components of 16 bits into linear sRGB, which goes beyond 0..1 where a
// profile does.
type Reader struct {
	linear [3][]float32 // of 4096 values of a component
	m      [9]float64
	gray   bool
}

const steps = 4096

// Reader prepares the profile for many texels.
func (p *Profile) Reader() *Reader {
	r := &Reader{m: p.matrix, gray: p.Gray}
	for k := range 3 {
		r.linear[k] = make([]float32, steps+1)
		for i := range r.linear[k] {
			r.linear[k][i] = float32(p.curves[k].at(float64(i) / steps))
		}
	}
	return r
}

// RGB returns the linear sRGB of a colour, or of a grey, whose components are 0..1.
func (r *Reader) RGB(c [3]float32) (out [3]float32) {
	var l [3]float64
	for k := range 3 {
		t := min(max(c[k], 0), 1) * steps
		i := min(int(t), steps-1)
		l[k] = float64(r.linear[k][i] + (t-float32(i))*(r.linear[k][i+1]-r.linear[k][i]))
	}
	if r.gray {
		return [3]float32{float32(l[0]), float32(l[1]), float32(l[2])}
	}
	for k := range 3 {
		out[k] = float32(r.m[3*k]*l[0] + r.m[3*k+1]*l[1] + r.m[3*k+2]*l[2])
	}
	return out
}

// SRGB reports whether colours are as good as sRGB already: none moves by more than one of 255.
func (p *Profile) SRGB() bool {
	r := p.Reader()
	for i := range 9 {
		for _, c := range [][3]float32{
			{float32(i) / 8, float32(i) / 8, float32(i) / 8}, {float32(i) / 8, 0.5, 0.2},
			{0.2, float32(i) / 8, 0.5}, {0.5, 0.2, float32(i) / 8},
		} {
			l := r.RGB(c)
			for k := range 3 {
				if d := encode(l[k]) - c[k]; d > 1.0/255 || d < -1.0/255 {
					return false
				}
			}
		}
	}
	return true
}

// encode is the transfer function of IEC 61966-2-1.
func encode(l float32) float32 {
	switch {
	case l <= 0:
		return 0
	case l <= 0.0031308:
		return 12.92 * l
	}
	return float32(1.055*math.Pow(float64(l), 1/2.4) - 0.055)
}

// FromPrimaries returns what brings linear colours with these chromaticities of red, green, blue
// and white, x and y each, to linear sRGB, by rows, with white as white (Bradford's adaptation);
// same is that they are as good as sRGB's own. Its error is that they span no colours.
func FromPrimaries(p [8]float32) (m [9]float64, same bool, err error) {
	var xyz [4][3]float64
	for k := range xyz {
		x, y := float64(p[2*k]), float64(p[2*k+1])
		if !(math.Abs(y) > 1e-4) || math.Abs(x) > 10 || math.Abs(y) > 10 {
			return m, false, fmt.Errorf("its primaries are %v, which span no colours", p)
		}
		xyz[k] = [3]float64{x / y, 1, (1 - x - y) / y}
	}
	var c [9]float64
	for k := range 3 {
		for row := range 3 {
			c[3*row+k] = xyz[k][row]
		}
	}
	inv, ok := inverse(c)
	if !ok {
		return m, false, fmt.Errorf("its primaries are %v, which span no colours", p)
	}
	share := apply(inv, xyz[3]) // how much of each makes white
	for k := range 3 {
		for row := range 3 {
			c[3*row+k] *= share[k]
		}
	}
	bradford := [9]float64{0.8951, 0.2664, -0.1614, -0.7502, 1.7135, 0.0367, 0.0389, -0.0685, 1.0296}
	from, to := apply(bradford, xyz[3]), apply(bradford, [3]float64{0.9642, 1, 0.8249})
	back, _ := inverse(bradford)
	var scale [9]float64
	for k := range 3 {
		if !(math.Abs(from[k]) > 1e-6) {
			return m, false, fmt.Errorf("its white is %v, %v, which is none", p[6], p[7])
		}
		scale[4*k] = to[k] / from[k]
	}
	m = product(d50ToSRGB, product(back, product(scale, product(bradford, c))))
	same = true
	for i, v := range m {
		want := 0.0
		if i%4 == 0 {
			want = 1
		}
		if math.Abs(v-want) > 2e-3 {
			same = false
		}
	}
	return m, same, nil
}

func apply(m [9]float64, v [3]float64) (out [3]float64) {
	for i := range 3 {
		for k := range 3 {
			out[i] += m[3*i+k] * v[k]
		}
	}
	return out
}

func inverse(m [9]float64) (out [9]float64, ok bool) {
	det := m[0]*(m[4]*m[8]-m[5]*m[7]) - m[1]*(m[3]*m[8]-m[5]*m[6]) + m[2]*(m[3]*m[7]-m[4]*m[6])
	if !(math.Abs(det) > 1e-9) {
		return out, false
	}
	for i := range 3 {
		for j := range 3 {
			a, b := (j+1)%3, (j+2)%3
			c, d := (i+1)%3, (i+2)%3
			out[3*i+j] = (m[3*a+c]*m[3*b+d] - m[3*a+d]*m[3*b+c]) / det
		}
	}
	return out, true
}

// FromXYZ brings CIE XYZ with a white of D65 to linear sRGB (IEC 61966-2-1), by rows.
var FromXYZ = [9]float64{
	3.2404542, -1.5371385, -0.4985314,
	-0.9692660, 1.8760108, 0.0415560,
	0.0556434, -0.2040259, 1.0572252,
}

// Gamma is a profile of sRGB's primaries whose components are powers of light: light = v^g.
func Gamma(g float64) *Profile {
	c := curve{p: [7]float64{g}}
	return &Profile{curves: [3]curve{c, c, c}, matrix: [9]float64{1, 0, 0, 0, 1, 0, 0, 0, 1}}
}
