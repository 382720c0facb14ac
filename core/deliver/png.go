package deliver

import (
	"bytes"
	"context"
	"encoding/binary"
	"hash/adler32"
	"hash/crc32"
	"io"
	"runtime"
	"slices"
	"sync"

	"velvetgrime/core/par"

	"github.com/klauspost/compress/flate"
)

// pngStrip is about how many bytes of a picture are packed apart from the others, so that several
// processors pack one picture; the file does not hang on how many there are.
const pngStrip = 1 << 19

// packer is what packing a strip takes: a strip as it is packed, and a packer, which takes more memory than
// that.
type packer struct {
	flat []byte
	z    *flate.Writer
}

var packers = sync.Pool{New: func() any {
	z, err := flate.NewWriter(nil, 1)
	if err != nil {
		panic(err) // there is such a level
	}
	return &packer{z: z}
}}

// png writes the sheet as PNG (W3C Portable Network Graphics, third edition) of 8 or 16 bits: grey,
// colours, or colours with a fourth component.
func (s *sheetOf) png(w io.Writer) error {
	each := s.n * s.bits / 8 // bytes a texel
	row := s.size * each
	rows := max(pngStrip/row, 1)
	head := binary.BigEndian.AppendUint32(nil, uint32(s.size))
	head = binary.BigEndian.AppendUint32(head, uint32(s.size))
	head = append(head, byte(s.bits), map[int]byte{1: 0, 3: 2, 4: 6}[s.n], 0, 0, 0)
	if _, err := io.WriteString(w, "\x89PNG\r\n\x1a\n"); err != nil {
		return err
	}
	if err := pngChunk(w, "IHDR", head); err != nil {
		return err
	}
	type strip struct {
		data []byte
		sum  uint32
		size int
	}
	sum := uint32(1)
	var last strip // the one before
	for first := 0; first < s.size; {
		made := make([]strip, min(runtime.GOMAXPROCS(0), (s.size-first+rows-1)/rows))
		all, _ := par.WithContext(context.Background())
		for i := range made {
			from, to := first, min(first+rows, s.size)
			first = to
			if s.repeats(from, to, row) { // it is packed already
				continue
			}
			all.Go(func() error {
				p := packers.Get().(*packer)
				defer packers.Put(p)
				flat := s.filtered(p.flat, from, to, row, each)
				p.flat = flat
				var b bytes.Buffer
				if from == 0 {
					b.Write([]byte{0x78, 0x01})
				}
				p.z.Reset(&b)
				_, err := p.z.Write(flat)
				if err == nil && to == s.size {
					err = p.z.Close()
				} else if err == nil {
					err = p.z.Flush()
				}
				made[i] = strip{b.Bytes(), adler32.Checksum(flat), len(flat)}
				return err
			})
		}
		if err := all.Wait(); err != nil {
			return err
		}
		for i := range made {
			if made[i].data == nil {
				made[i] = last
			}
			last = made[i]
			sum = adlerJoin(sum, last.sum, last.size)
		}
		if first >= s.size {
			end := &made[len(made)-1]
			end.data = binary.BigEndian.AppendUint32(end.data, sum)
		}
		for _, m := range made {
			if err := pngChunk(w, "IDAT", m.data); err != nil {
				return err
			}
		}
	}
	return pngChunk(w, "IEND", nil)
}

// repeats reports whether the rows from one to another are those just before them, and begin under the same
// row; the first rows of a file and the last ones are packed otherwise than those between.
func (s *sheetOf) repeats(from, to, row int) bool {
	n := to - from
	return from > n && to < s.size &&
		bytes.Equal(s.whole[(from-1)*row:to*row], s.whole[(from-n-1)*row:(to-n)*row])
}

func pngChunk(w io.Writer, kind string, data []byte) error {
	head := append(binary.BigEndian.AppendUint32(nil, uint32(len(data))), kind...)
	sum := crc32.Update(crc32.ChecksumIEEE(head[4:]), crc32.IEEETable, data)
	for _, b := range [][]byte{head, data, binary.BigEndian.AppendUint32(nil, sum)} {
		if _, err := w.Write(b); err != nil {
			return err
		}
	}
	return nil
}

// adlerJoin is the Adler-32 of two texts of which the second has n bytes, from those of each (zlib,
// adler32_combine).
func adlerJoin(a, b uint32, n int) uint32 {
	const m = 65521
	rest := uint32(n % m)
	a1, a2, b1, b2 := a&0xffff, a>>16, b&0xffff, b>>16
	low := (a1 + b1 + m - 1) % m
	high := (rest*a1%m + a2 + b2 + m - rest) % m
	return high<<16 | low
}

// The filters of rows: what a byte is told by.
const (
	filterSub   = 1 // the one to the left
	filterUp    = 2 // the one above
	filterPaeth = 4 // the nearest to their plane
)

// filtered is rows as they are packed: each by the filter by which, on a sample of it, the least is
// left. They are written over what buf holds, where there is room for them.
func (s *sheetOf) filtered(buf []byte, from, to, row, each int) []byte {
	out := slices.Grow(buf[:0], (to-from)*(row+1))[:(to-from)*(row+1)]
	above := make([]byte, row)
	if from > 0 {
		above = s.whole[(from-1)*row : from*row]
	}
	for y := from; y < to; y++ {
		line := s.whole[y*row : (y+1)*row]
		best, least := byte(filterSub), int(^uint(0)>>1)
		for _, f := range []byte{filterUp, filterSub, filterPaeth} {
			if left := sampled(f, line, above, each); left < least {
				best, least = f, left
			}
		}
		o := out[(y-from)*(row+1):][:row+1]
		o[0] = best
		filter(best, o[1:], line, above, each)
		above = line
	}
	return out
}

// sampled is how much a filter leaves of some of a row's bytes.
func sampled(f byte, line, above []byte, each int) (sum int) {
	const some, of = 32, 512
	var o [some]byte
	for at := each; at+some <= len(line); at += of {
		filter(f, o[:], line[at-each:at+some], above[at-each:at+some], -each)
		for _, v := range o {
			d := int(int8(v))
			sum += max(d, -d)
		}
	}
	return sum
}

// filter writes what a filter leaves of a row; with each below nought the row begins with a texel that
// is read and not written.
func filter(f byte, out, line, above []byte, each int) {
	if each < 0 {
		each = -each
	} else { // the first texel has nothing to its left
		for i := range each {
			if out[i] = line[i]; f != filterSub {
				out[i] -= above[i]
			}
		}
		out = out[each:]
	}
	left, corner := line[:len(out)], above[:len(out)]
	line, above = line[each:][:len(out)], above[each:][:len(out)]
	filterRest(f, out, line, left, above, corner, filterWide(f, out, line, left, above, corner))
}

// filterRest filters what is left of a row from a byte on.
func filterRest(f byte, out, line, left, above, corner []byte, from int) {
	out = out[from:]
	line, left, above, corner = line[from:][:len(out)], left[from:][:len(out)], above[from:][:len(out)], corner[from:][:len(out)]
	switch f {
	case filterSub:
		for i := range out {
			out[i] = line[i] - left[i]
		}
	case filterUp:
		for i := range out {
			out[i] = line[i] - above[i]
		}
	case filterPaeth:
		for i := range out {
			a, b, c := int(left[i]), int(above[i]), int(corner[i])
			pa, pb := b-c, a-c
			pc := pa + pb
			pa, pb, pc = max(pa, -pa), max(pb, -pb), max(pc, -pc)
			switch {
			case pa <= pb && pa <= pc:
				out[i] = line[i] - left[i]
			case pb <= pc:
				out[i] = line[i] - above[i]
			default:
				out[i] = line[i] - corner[i]
			}
		}
	}
}
