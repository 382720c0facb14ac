// Package meshopt reads the compressed buffer views of glTF's EXT_meshopt_compression (vendor extension,
// ratified text of 2021) and of KHR_meshopt_compression, which adds version 1 of the vertex stream and
// colours: vertices as differences, byte by byte; triangles by edges and vertices seen lately; indices
// as differences of two rows.
package meshopt

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"math/bits"
)

// MaxBytes bounds what a stream may come to.
const MaxBytes = 1 << 30

var errShort = errors.New("the stream ends too early")

// Decode reads a stream of count elements of stride bytes each. mode is ATTRIBUTES, TRIANGLES or
// INDICES; filter is "", NONE, OCTAHEDRAL, QUATERNION, EXPONENTIAL or COLOR. The error says what in the
// stream or in what is said of it cannot be.
func Decode(mode, filter string, count, stride int, data []byte) ([]byte, error) {
	if count < 0 || stride < 1 || stride > 256 || int64(count)*int64(stride) > MaxBytes {
		return nil, fmt.Errorf("%d elements of %d bytes are none, or too many", count, stride)
	}
	switch mode {
	case "ATTRIBUTES":
		out, err := vertices(count, stride, data)
		if err == nil {
			err = filtered(filter, out, count, stride)
		}
		return out, err
	case "TRIANGLES", "INDICES":
		if stride != 2 && stride != 4 || filter != "" && filter != "NONE" {
			return nil, fmt.Errorf("indices of %d bytes with the filter %q; they have 2 or 4 bytes, and none", stride, filter)
		}
		read := triangles
		if mode == "INDICES" {
			read = sequence
		}
		list, err := read(count, data)
		if err != nil {
			return nil, err
		}
		out := make([]byte, 0, count*stride)
		for _, v := range list {
			if stride == 2 {
				out = binary.LittleEndian.AppendUint16(out, uint16(v))
			} else {
				out = binary.LittleEndian.AppendUint32(out, v)
			}
		}
		return out, nil
	}
	return nil, fmt.Errorf("the mode %q is none of ATTRIBUTES, TRIANGLES, INDICES", mode)
}

// unzig undoes the folding of negative numbers between positive ones.
func unzig(v uint32) uint32 { return v>>1 ^ -(v & 1) }

// reader takes bytes from a stream, and noughts beyond its end.
type reader struct {
	data  []byte
	at    int
	short bool
}

func (r *reader) take(n int) []byte {
	if n < 0 || n > len(r.data)-r.at {
		r.short = true
		return make([]byte, max(n, 0))
	}
	r.at += n
	return r.data[r.at-n : r.at]
}

func (r *reader) byte() byte { return r.take(1)[0] }

// varint is a number of seven bits a byte, the lowest first.
func (r *reader) varint() (v uint32) {
	for shift := 0; shift < 35; shift += 7 {
		b := r.byte()
		v |= uint32(b&0x7f) << shift
		if b < 0x80 {
			return v
		}
	}
	r.short = true
	return v
}

// group is how many differences stand together.
const group = 16

// vertices reads a stream of vertices: blocks of at most 256 elements, in each byte by byte the
// differences to the element before, which are packed by groups of 16.
func vertices(count, stride int, data []byte) ([]byte, error) {
	if len(data) == 0 || data[0] != 0xa0 && data[0] != 0xa1 {
		return nil, errors.New("this is no stream of vertices of version 0 or 1")
	}
	newer := data[0] == 0xa1
	if stride%4 != 0 {
		return nil, fmt.Errorf("vertices of %d bytes; a multiple of 4 is possible", stride)
	}
	tail, least := stride, 32
	if newer {
		tail, least = stride+stride/4, 24
	}
	end := len(data) - max(tail, least)
	if end < 1 {
		return nil, errShort
	}
	last := append([]byte{}, data[len(data)-tail:][:stride]...)
	var kinds []byte // how differences are meant, by four bytes of an element
	if newer {
		kinds = data[len(data)-tail+stride:]
		for _, k := range kinds {
			if k&3 == 3 {
				return nil, errors.New("a channel's differences are of a kind that there is not")
			}
		}
	}
	r := &reader{data: data[:end], at: 1}
	block := min(8192/stride&^(group-1), 256)
	deltas := make([]byte, block*stride)
	out := make([]byte, count*stride)
	for first := 0; first < count; first += block {
		n := min(count-first, block)
		if err := r.block(deltas, n, stride, newer); err != nil {
			return nil, err
		}
		for e := range n {
			row := out[(first+e)*stride:][:stride]
			for b := 0; b < stride; b += 4 {
				kind := byte(0)
				if newer {
					kind = kinds[b/4]
				}
				element(row[b:b+4], last[b:b+4], deltas[b*block+e:], block, kind)
			}
		}
	}
	if r.short || r.at != end {
		return nil, errShort
	}
	return out, nil
}

// element adds the differences of four bytes, which are apart by step, to what was there last.
func element(to, last, deltas []byte, step int, kind byte) {
	d := [4]uint32{uint32(deltas[0]), uint32(deltas[step]), uint32(deltas[2*step]), uint32(deltas[3*step])}
	switch kind & 3 {
	case 0:
		for i := range 4 {
			last[i] += byte(unzig(d[i]))
		}
	case 1:
		for i := 0; i < 4; i += 2 {
			v := binary.LittleEndian.Uint16(last[i:]) + uint16(unzig(d[i]|d[i+1]<<8))
			binary.LittleEndian.PutUint16(last[i:], v)
		}
	case 2:
		v := bits.RotateLeft32(d[0]|d[1]<<8|d[2]<<16|d[3]<<24, -int(kind>>4))
		binary.LittleEndian.PutUint32(last, binary.LittleEndian.Uint32(last)^v)
	}
	copy(to, last)
}

// block reads the differences of n elements, those of each byte behind one another.
func (r *reader) block(deltas []byte, n, stride int, newer bool) error {
	rows := len(deltas) / stride
	groups := (n + group - 1) / group
	var control []byte
	if newer {
		control = r.take(stride / 4)
	}
	for b := range stride {
		row := deltas[b*rows:][:rows]
		widths := [4]int{0, 2, 4, 8}
		if newer {
			switch control[b/4] >> (b % 4 * 2) & 3 {
			case 0:
				widths = [4]int{0, 1, 2, 4}
			case 1:
				widths = [4]int{1, 2, 4, 8}
			case 2:
				clear(row)
				continue
			case 3:
				copy(row, r.take(n))
				continue
			}
		}
		head := r.take((groups + 3) / 4)
		for g := range groups {
			r.group(row[g*group:][:group], widths[head[g/4]>>(g%4*2)&3])
		}
		if r.short {
			return errShort
		}
	}
	return nil
}

// group reads 16 differences of so many bits; the highest number of these says that a whole byte
// follows.
func (r *reader) group(to []byte, width int) {
	switch width {
	case 0:
		clear(to)
		return
	case 8:
		copy(to, r.take(group))
		return
	}
	packed := r.take(group * width / 8)
	each := 8 / width
	more := byte(1)<<width - 1
	for i := range to {
		shift := (each - 1 - i%each) * width
		if width == 1 {
			shift = i % each // the lowest bit first
		}
		v := packed[i/each] >> shift & more
		if v == more {
			v = r.byte()
		}
		to[i] = v
	}
}

// ring holds the last numbers that were put into it.
type ring[T any] struct {
	list [16]T
	at   int
}

func (r *ring[T]) put(v T) { r.at = (r.at + 1) & 15; r.list[r.at] = v }

// get returns the number that was put i before the last.
func (r *ring[T]) get(i int) T { return r.list[(r.at-i)&15] }

// triangles reads a stream of triangles: each goes on from an edge seen lately, or begins anew, with
// vertices that are new, were seen lately, or are told by their difference.
func triangles(count int, data []byte) ([]uint32, error) {
	if len(data) < 1+16 || data[0] != 0xe1 || count%3 != 0 {
		return nil, errors.New("this is no stream of triangles of version 1")
	}
	n := count / 3
	end := len(data) - 16
	if n > end-1 {
		return nil, errShort
	}
	codes, table := data[1:1+n], data[end:]
	r := &reader{data: data[:end], at: 1 + n}
	var edges ring[[2]uint32]
	var seen ring[uint32]
	var next, last uint32
	free := func() uint32 { next++; return next - 1 }
	told := func() uint32 { last += unzig(r.varint()); return last }
	out := make([]uint32, 0, count)
	for _, code := range codes {
		hi, lo := int(code>>4), int(code&15)
		if hi < 15 {
			e := edges.get(hi)
			var c uint32
			switch {
			case lo == 0:
				c = free()
			case lo < 13:
				c = seen.get(lo)
			case lo == 13:
				last--
				c = last
			case lo == 14:
				last++
				c = last
			default:
				c = told()
			}
			if lo == 0 || lo >= 13 {
				seen.put(c)
			}
			edges.put([2]uint32{c, e[1]})
			edges.put([2]uint32{e[0], c})
			out = append(out, e[0], e[1], c)
			continue
		}
		var both byte
		if lo < 14 {
			both = table[lo]
		} else if both = r.byte(); both == 0 {
			next = 0
		}
		corner := func(code byte, whole bool) (v uint32, fresh bool) {
			switch {
			case code == 0:
				return free(), true
			case code == 15 && whole:
				return told(), true
			}
			return seen.get(int(code) - 1), false
		}
		var a uint32
		if lo == 15 {
			a = told()
		} else {
			a = free()
		}
		b, freshB := corner(both>>4, lo >= 14)
		c, freshC := corner(both&15, lo >= 14)
		seen.put(a)
		if freshB {
			seen.put(b)
		}
		if freshC {
			seen.put(c)
		}
		edges.put([2]uint32{b, a})
		edges.put([2]uint32{c, b})
		edges.put([2]uint32{a, c})
		out = append(out, a, b, c)
	}
	if r.short {
		return nil, errShort
	}
	return out, nil
}

// sequence reads a stream of indices, each told by its difference to the last one of one of two rows.
func sequence(count int, data []byte) ([]uint32, error) {
	if len(data) < 1+4 || data[0] != 0xd1 {
		return nil, errors.New("this is no stream of indices of version 1")
	}
	if count > len(data) {
		return nil, errShort
	}
	r := &reader{data: data[:len(data)-4], at: 1}
	var last [2]uint32
	out := make([]uint32, 0, count)
	for range count {
		v := r.varint()
		row := &last[v&1]
		*row += unzig(v >> 1)
		out = append(out, *row)
	}
	if r.short {
		return nil, errShort
	}
	return out, nil
}

// filtered undoes what was done to the numbers before they were packed.
func filtered(filter string, out []byte, count, stride int) error {
	fits := map[string]bool{
		"": true, "NONE": true, "OCTAHEDRAL": stride == 4 || stride == 8, "QUATERNION": stride == 8,
		"EXPONENTIAL": true, "COLOR": stride == 4 || stride == 8,
	}
	if !fits[filter] {
		return fmt.Errorf("the filter %q is none, or not one of vertices of %d bytes", filter, stride)
	}
	wide := stride == 8
	get := func(i int) float64 {
		if wide {
			return float64(int16(binary.LittleEndian.Uint16(out[2*i:])))
		}
		return float64(int8(out[i]))
	}
	put := func(i int, v float64) {
		if wide {
			binary.LittleEndian.PutUint16(out[2*i:], uint16(int32(v)))
			return
		}
		out[i] = byte(int32(v))
	}
	for e := range count {
		switch filter {
		case "OCTAHEDRAL":
			octahedral(4*e, get, put, wide)
		case "QUATERNION":
			quaternion(4*e, get, put)
		case "COLOR":
			color(out[e*stride:], wide)
		}
	}
	if filter == "EXPONENTIAL" {
		for i := 0; i+4 <= len(out); i += 4 {
			v := int32(binary.LittleEndian.Uint32(out[i:]))
			f := math.Ldexp(float64(v<<8>>8), int(v>>24))
			binary.LittleEndian.PutUint32(out[i:], math.Float32bits(float32(f)))
		}
	}
	return nil
}

// round is to the nearest whole number, halves away from nought.
func round(v float64) float64 {
	if v < 0 {
		return math.Trunc(v - 0.5)
	}
	return math.Trunc(v + 0.5)
}

// octahedral unfolds a unit vector from two numbers and what one is; the fourth stays.
func octahedral(i int, get func(int) float64, put func(int, float64), wide bool) {
	one := get(i + 2)
	if one == 0 {
		return
	}
	most := 127.0
	if wide {
		most = 32767
	}
	x, y := get(i)/one, get(i+1)/one
	z := 1 - math.Abs(x) - math.Abs(y)
	t := max(-z, 0)
	x -= math.Copysign(t, x)
	y -= math.Copysign(t, y)
	h := most / math.Sqrt(x*x+y*y+z*z)
	put(i, round(x*h))
	put(i+1, round(y*h))
	put(i+2, round(z*h))
}

// quaternion finds the greatest of four components from the other three.
func quaternion(i int, get func(int) float64, put func(int, float64)) {
	w := int(get(i + 3))
	greatest := w & 3
	s := math.Sqrt2 / 2 / float64(w|3)
	x, y, z := get(i)*s, get(i+1)*s, get(i+2)*s
	v := math.Sqrt(max(0, 1-x*x-y*y-z*z))
	for k, c := range [4]float64{v, x, y, z} {
		put(i+(greatest+k)%4, round(c*32767))
	}
}

// color brings a colour back from brightness and two differences; the highest bit of the fourth number
// says of how many bits they are.
func color(b []byte, wide bool) {
	var u [4]uint32
	var s [4]int32
	most := 255.0
	for i := range 4 {
		if wide {
			u[i] = uint32(binary.LittleEndian.Uint16(b[2*i:]))
			s[i] = int32(int16(u[i]))
			most = 65535
		} else {
			u[i], s[i] = uint32(b[i]), int32(int8(b[i]))
		}
	}
	scale := uint32(1)<<bits.Len32(u[3]) - 1
	y, co, cg := int32(u[0]), s[1], s[2]
	a := u[3] & (scale >> 1)
	a = a<<1 | a&1
	if scale == 0 {
		return
	}
	for i, v := range [4]int32{y + co - cg, y + cg, y - co - cg, int32(a)} {
		f := round(float64(v) * most / float64(scale))
		if wide {
			binary.LittleEndian.PutUint16(b[2*i:], uint16(int32(f)))
		} else {
			b[i] = byte(int32(f))
		}
	}
}
