package exr

import (
	"encoding/binary"
	"errors"
	"fmt"
)

// PIZ: samples of 16 bits are mapped to few values, go through a wavelet of Haar's kind in two
// dimensions, and are coded by Huffman's method.

const (
	values   = 1 << 16
	codes    = values + 1 // and one for runs
	zeroRun  = 59         // from here on lengths stand for runs of codes that are not used
	longRun  = 63
	leastRun = 2 + longRun - zeroRun
	longest  = 58 // bits
)

func piz(h *header, data []byte, total int, rows []int, top, lines int) ([]byte, error) {
	r := &reader{b: data}
	head := r.take(4)
	if head == nil {
		return nil, errShort
	}
	first, last := int(binary.LittleEndian.Uint16(head)), int(binary.LittleEndian.Uint16(head[2:]))
	var used [values / 8]byte
	if first <= last {
		if last >= len(used) {
			return nil, errors.New("its table of values is too long")
		}
		if b := r.take(last - first + 1); b != nil {
			copy(used[first:], b)
		}
	}
	size := int(r.i32())
	packed := r.take(size)
	if r.err != nil {
		return nil, r.err
	}
	back := make([]uint16, 0, values)
	for v := range values {
		if v == 0 || used[v>>3]&(1<<(v&7)) != 0 {
			back = append(back, uint16(v))
		}
	}
	most := uint16(len(back) - 1)
	back = append(back, make([]uint16, values-len(back))...)

	words := make([]uint16, total/2)
	if err := unhuff(packed, words); err != nil {
		return nil, err
	}
	// channel after channel, all lines of each
	type plane struct {
		data []uint16
		per  int // words a line
	}
	planes := make([]plane, len(h.channels))
	at := 0
	for i, c := range h.channels {
		ny := 0
		for line := range lines {
			if (top+line)%int(c.ys) == 0 {
				ny++
			}
		}
		wide := kindSize[c.kind] / 2
		n := rows[i] * ny * wide
		if at+n > len(words) {
			return nil, errShort
		}
		planes[i] = plane{words[at : at+n], rows[i] * wide}
		for k := range wide {
			unwave(words[at+k:at+n], rows[i], wide, ny, rows[i]*wide, most)
		}
		at += n
	}
	for i, w := range words {
		words[i] = back[w]
	}
	out := make([]byte, 0, total)
	for line := range lines {
		for i, c := range h.channels {
			if (top+line)%int(c.ys) != 0 {
				continue
			}
			p := &planes[i]
			for _, w := range p.data[:p.per] {
				out = binary.LittleEndian.AppendUint16(out, w)
			}
			p.data = p.data[p.per:]
		}
	}
	return out, nil
}

// unwave undoes the wavelet of nx × ny words, ox and oy apart, the largest of which is most.
func unwave(v []uint16, nx, ox, ny, oy int, most uint16) {
	pair := pair16
	if most < 1<<14 {
		pair = pair14
	}
	p := 1
	for p <= min(nx, ny) {
		p <<= 1
	}
	p >>= 1
	p2 := p
	for p >>= 1; p >= 1; p2, p = p, p>>1 {
		y := 0
		for ; y <= ny-p2; y += p2 {
			x := 0
			for ; x <= nx-p2; x += p2 {
				i := y*oy + x*ox
				i01, i10 := i+ox*p, i+oy*p
				i11 := i10 + ox*p
				a, c := pair(v[i], v[i10])
				b, d := pair(v[i01], v[i11])
				v[i], v[i01] = pair(a, b)
				v[i10], v[i11] = pair(c, d)
			}
			if nx&p != 0 {
				i := y*oy + x*ox
				v[i], v[i+oy*p] = pair(v[i], v[i+oy*p])
			}
		}
		if ny&p != 0 {
			for x := 0; x <= nx-p2; x += p2 {
				i := y*oy + x*ox
				v[i], v[i+ox*p] = pair(v[i], v[i+ox*p])
			}
		}
	}
}

// pair14 makes two neighbours of their mean and difference, of values below 2^14.
func pair14(l, h uint16) (a, b uint16) {
	hi := int(int16(h))
	ai := int(int16(l)) + hi&1 + hi>>1
	return uint16(ai), uint16(ai - hi)
}

// pair16 does it modulo 2^16.
func pair16(l, h uint16) (a, b uint16) {
	m, d := int(l), int(h)
	bb := (m - d>>1) & 0xffff
	return uint16(d + bb - 1<<15), uint16(bb)
}

// bits reads bits, the highest of a byte first.
type bits struct {
	b    []byte
	at   int
	hold uint64
	n    int
}

func (r *bits) get(n int) (uint64, bool) {
	for r.n < n {
		if r.at >= len(r.b) {
			return 0, false
		}
		r.hold = r.hold<<8 | uint64(r.b[r.at])
		r.at++
		r.n += 8
	}
	r.n -= n
	return r.hold >> r.n & (1<<n - 1), true
}

// unhuff decodes words that were coded by Huffman's method, with codes by length and order.
func unhuff(data []byte, out []uint16) error {
	if len(data) == 0 && len(out) == 0 {
		return nil
	}
	r := &reader{b: data}
	low, high := r.u32(), r.u32()
	r.u32()
	count := r.u32()
	r.u32()
	if r.err != nil {
		return r.err
	}
	if low >= codes || high >= codes || low > high {
		return fmt.Errorf("its codes go from %d to %d", low, high)
	}
	lengths := make([]uint8, codes)
	br := &bits{b: data[r.at:]}
	for i := int(low); i <= int(high); i++ {
		l, ok := br.get(6)
		if !ok {
			return errShort
		}
		zeros := 0
		switch {
		case l == longRun:
			n, ok := br.get(8)
			if !ok {
				return errShort
			}
			zeros = int(n) + leastRun
		case l >= zeroRun:
			zeros = int(l) - zeroRun + 2
		default:
			lengths[i] = uint8(l)
			continue
		}
		if i+zeros > int(high)+1 {
			return errors.New("its table of codes is too long")
		}
		i += zeros - 1
	}
	// codes by length, the longest first: canonical
	var many, next, start [longest + 2]uint64
	for _, l := range lengths {
		many[l]++
	}
	many[0] = 0
	c := uint64(0)
	for l := longest; l > 0; l-- {
		start[l] = c
		c = (c + many[l]) >> 1
	}
	// symbols of each length, in order
	var of [longest + 1][]int32
	for s, l := range lengths {
		if l > 0 {
			of[l] = append(of[l], int32(s))
			next[l]++
		}
	}
	// short codes at once
	const quick = 12
	type entry struct {
		symbol int32
		length uint8
	}
	table := make([]entry, 1<<quick)
	for l := 1; l <= quick; l++ {
		for k, s := range of[l] {
			code := start[l] + uint64(k)
			if code >= 1<<l {
				return errors.New("its codes are none")
			}
			from := code << (quick - l)
			for i := range uint64(1) << (quick - l) {
				table[from+i] = entry{s, uint8(l)}
			}
		}
	}
	at := r.at + br.at
	if uint64(count) > uint64(len(data)-at)*8 {
		return errShort
	}
	br = &bits{b: data[at:]}
	left := int(count)
	n := 0
	for left > 0 {
		symbol, length := int32(-1), 0
		// look ahead, with nothing after the end
		for br.n < quick && br.at < len(br.b) {
			br.hold = br.hold<<8 | uint64(br.b[br.at])
			br.at++
			br.n += 8
		}
		var peek uint64
		if br.n >= quick {
			peek = br.hold >> (br.n - quick) & (1<<quick - 1)
		} else {
			peek = br.hold << (quick - br.n) & (1<<quick - 1)
		}
		if e := table[peek]; e.length > 0 && int(e.length) <= left && int(e.length) <= br.n {
			symbol, length = e.symbol, int(e.length)
			br.n -= length
		} else {
			code := uint64(0)
			for length < longest && length < left {
				b, ok := br.get(1)
				if !ok {
					return errShort
				}
				code = code<<1 | b
				length++
				if k := code - start[length]; len(of[length]) > 0 && code >= start[length] && k < uint64(len(of[length])) {
					symbol = of[length][k]
					break
				}
			}
			if symbol < 0 {
				return errors.New("it holds a code that there is not")
			}
		}
		left -= length
		if symbol != int32(high) {
			if n >= len(out) {
				return errors.New("it unpacks to more than it should")
			}
			out[n] = uint16(symbol)
			n++
			continue
		}
		times, ok := br.get(8) // a run of the last one
		if !ok || left < 8 {
			return errShort
		}
		left -= 8
		if n == 0 || n+int(times) > len(out) {
			return errors.New("a run in it is too long")
		}
		for range times {
			out[n] = out[n-1]
			n++
		}
	}
	if n != len(out) {
		return fmt.Errorf("it unpacks to %d words instead of %d", n, len(out))
	}
	return nil
}
