package deliver

import (
	"bytes"
	"encoding/binary"
	"io"

	"github.com/klauspost/compress/zlib"
)

// The tags that are written, by their numbers in TIFF 6.0; deflate is that of its supplement of 2002.
const (
	tiffWidth           = 256
	tiffLength          = 257
	tiffBits            = 258
	tiffCompression     = 259
	tiffPhotometric     = 262
	tiffStripOffsets    = 273
	tiffSamples         = 277
	tiffRowsPerStrip    = 278
	tiffStripByteCounts = 279
	tiffPlanar          = 284
	tiffExtraSamples    = 338
	tiffSampleFormat    = 339
)

// tiff writes the sheet as a baseline TIFF of one picture, big-endian, in strips with deflate:
// whole numbers of 8 or 16 bits, or floats of 32. A fourth component is coverage, as it is said.
func (s *sheetOf) tiff(w io.Writer) error {
	const rows = 64
	bits := formats[s.f.Format].bits
	var strips [][]byte
	for y := 0; y < s.size; y += rows {
		var b bytes.Buffer
		z, err := zlib.NewWriterLevel(&b, zlib.BestSpeed)
		if err != nil {
			return err
		}
		if _, err := z.Write(s.strip(y, min(y+rows, s.size))); err != nil {
			return err
		}
		if err := z.Close(); err != nil {
			return err
		}
		strips = append(strips, b.Bytes())
	}
	type entry struct {
		tag, kind uint16
		values    []uint32
	}
	const short, long = 3, 4
	repeat := func(v uint32) (l []uint32) {
		for range s.n {
			l = append(l, v)
		}
		return l
	}
	photometric, format := uint32(2), uint32(1)
	if s.n == 1 {
		photometric = 1
	}
	if bits == 32 {
		format = 3
	}
	entries := []entry{
		{tiffWidth, long, []uint32{uint32(s.size)}},
		{tiffLength, long, []uint32{uint32(s.size)}},
		{tiffBits, short, repeat(uint32(bits))},
		{tiffCompression, short, []uint32{8}},
		{tiffPhotometric, short, []uint32{photometric}},
		{tiffStripOffsets, long, make([]uint32, len(strips))},
		{tiffSamples, short, []uint32{uint32(s.n)}},
		{tiffRowsPerStrip, long, []uint32{rows}},
		{tiffStripByteCounts, long, make([]uint32, len(strips))},
		{tiffPlanar, short, []uint32{1}},
	}
	if s.n == 4 {
		extra := uint32(2) // coverage that colours are not multiplied by
		if s.f.Premultiplied {
			extra = 1
		}
		entries = append(entries, entry{tiffExtraSamples, short, []uint32{extra}})
	}
	entries = append(entries, entry{tiffSampleFormat, short, repeat(format)})

	width := func(kind uint16) int { return map[uint16]int{short: 2, long: 4}[kind] }
	aside := 8 + 2 + 12*len(entries) + 4 // where values stand that an entry has no room for
	at := aside
	for _, e := range entries {
		if n := len(e.values) * width(e.kind); n > 4 {
			at += n
		}
	}
	for i, b := range strips {
		entries[5].values[i], entries[8].values[i] = uint32(at), uint32(len(b))
		at += len(b)
	}
	head := binary.BigEndian.AppendUint32([]byte("MM\x00\x2a"), 8)
	head = binary.BigEndian.AppendUint16(head, uint16(len(entries)))
	var more []byte
	for _, e := range entries {
		head = binary.BigEndian.AppendUint16(head, e.tag)
		head = binary.BigEndian.AppendUint16(head, e.kind)
		head = binary.BigEndian.AppendUint32(head, uint32(len(e.values)))
		var v []byte
		for _, x := range e.values {
			if e.kind == short {
				v = binary.BigEndian.AppendUint16(v, uint16(x))
			} else {
				v = binary.BigEndian.AppendUint32(v, x)
			}
		}
		if len(v) > 4 {
			head = binary.BigEndian.AppendUint32(head, uint32(aside+len(more)))
			more = append(more, v...)
			continue
		}
		head = append(head, append(v, make([]byte, 4-len(v))...)...)
	}
	head = append(binary.BigEndian.AppendUint32(head, 0), more...)
	if _, err := w.Write(head); err != nil {
		return err
	}
	for _, b := range strips {
		if _, err := w.Write(b); err != nil {
			return err
		}
	}
	return nil
}

// strip is the bytes of rows from on, up to to.
func (s *sheetOf) strip(from, to int) []byte {
	if s.floats == nil {
		row := s.size * s.n * formats[s.f.Format].bits / 8
		return s.whole[from*row : to*row]
	}
	out := make([]byte, 0, (to-from)*s.size*s.n*4)
	for i := from * s.size; i < to*s.size; i++ {
		for _, p := range s.floats {
			out = binary.BigEndian.AppendUint32(out, f32(p[i]))
		}
	}
	return out
}
