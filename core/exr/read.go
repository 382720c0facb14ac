// Package exr reads OpenEXR pictures: single-part and multi-part files, by scan lines or tiles, of
// halves, floats and whole numbers, not compressed or by RLE, ZIPS, ZIP, PIZ or PXR24. Sources:
// "OpenEXR File Layout" and "Technical Introduction to OpenEXR" (openexr.com).
package exr

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"velvetgrime/core/budget"

	"github.com/klauspost/compress/zlib"
)

// Magic is what every file begins with.
const Magic = "\x76\x2f\x31\x01"

// MaxPixels bounds a picture.
const MaxPixels = 1 << 26

// Picture is a picture of floats.
type Picture struct {
	W, H     int
	Channels []Channel // by name
	// Primaries are the chromaticities of red, green, blue and white, x and y each; those of Rec.
	// ITU-R BT.709 where the file says nothing
	Primaries [8]float32
}

// Channel is one component of every texel, by rows from the upper left corner.
type Channel struct {
	Name string
	Data []float32
}

// rec709 are the primaries of a file that says nothing.
var rec709 = [8]float32{0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290}

// kinds of samples
const (
	kindUint = iota
	kindHalf
	kindFloat
)

var kindSize = [3]int{4, 2, 4}

type channel struct {
	name   string
	kind   int32
	xs, ys int32
}

// compressions are how many lines a block of each kind has; 0: it is not read.
var compressions = []struct {
	name  string
	lines int
}{
	{"none", 1},
	{"RLE", 1},
	{"ZIPS", 1},
	{"ZIP", 16},
	{"PIZ", 32},
	{"PXR24", 16},
	{"B44", 0},
	{"B44A", 0},
	{"DWAA", 0},
	{"DWAB", 0},
	{"HTJ2K", 0},
}

type header struct {
	channels    []channel
	compression int
	box         [4]int32 // the data window: left, top, right, bottom
	tiled       bool
	tile        [2]uint32
	primaries   [8]float32
	kind        string // of a part
	chunks      int
	has         map[string]bool
}

// reader reads numbers from bytes; after the first that is not there err says so.
type reader struct {
	b   []byte
	at  int
	err error
}

var errShort = errors.New("the file ends in the midst of it")

func (r *reader) take(n int) []byte {
	if r.err == nil && (n < 0 || r.at+n > len(r.b)) {
		r.err = errShort
	}
	if r.err != nil {
		return nil
	}
	r.at += n
	return r.b[r.at-n : r.at]
}

func (r *reader) u32() uint32 {
	if b := r.take(4); b != nil {
		return binary.LittleEndian.Uint32(b)
	}
	return 0
}

func (r *reader) i32() int32   { return int32(r.u32()) }
func (r *reader) f32() float32 { return math.Float32frombits(r.u32()) }

func (r *reader) text() string {
	if r.err != nil {
		return ""
	}
	n := bytes.IndexByte(r.b[r.at:min(r.at+256, len(r.b))], 0)
	if n < 0 {
		r.err = errShort
		return ""
	}
	s := string(r.b[r.at : r.at+n])
	r.at += n + 1
	return s
}

// Config returns a picture's size without reading its texels.
func Config(b []byte) (w, h int, err error) {
	f, err := open(b)
	if err != nil {
		return 0, 0, err
	}
	w, h = f.head.size()
	return w, h, nil
}

// file is a file of which one part is read.
type file struct {
	head  *header
	parts bool
	part  int
	table []uint64
	b     []byte
}

// open reads headers and the table of chunks of the part that has colours, else of the first.
func open(b []byte) (*file, error) {
	r := &reader{b: b}
	if string(r.take(4)) != Magic {
		return nil, errors.New("it is no OpenEXR file")
	}
	version := r.u32()
	if version&0xff != 2 {
		return nil, fmt.Errorf("it is of version %d of OpenEXR; 2 is read", version&0xff)
	}
	if version&0x800 != 0 {
		return nil, errors.New("it holds deep pixels; flatten it and save it again")
	}
	many := version&0x1000 != 0
	var heads []*header
	for {
		h, err := readHeader(r, version&0x200 != 0)
		if err != nil {
			return nil, fmt.Errorf("its header: %w", err)
		}
		if h == nil {
			if many && len(heads) > 0 {
				break
			}
			return nil, errors.New("its header is empty")
		}
		if heads = append(heads, h); !many {
			break
		}
		if len(heads) > 256 {
			return nil, errors.New("it has more than 256 parts")
		}
	}
	f := &file{b: b, parts: many}
	best := -1
	for i, h := range heads {
		if h.kind == "deepscanline" || h.kind == "deeptile" {
			continue
		}
		if best < 0 || len(h.pick()) > len(heads[best].pick()) && len(heads[best].pick()) < 3 {
			best = i
		}
	}
	if best < 0 {
		return nil, errors.New("it holds deep pixels alone; flatten it and save it again")
	}
	for i, h := range heads {
		n := h.chunks
		if n == 0 {
			n = h.count()
		}
		if n < 0 || n > len(b)/8 {
			return nil, fmt.Errorf("it says that it has %d chunks, for which it is too short", n)
		}
		table := r.take(8 * n)
		if r.err != nil {
			return nil, fmt.Errorf("its table of chunks: %w", r.err)
		}
		if i == best {
			f.head, f.part = h, i
			f.table = make([]uint64, n)
			for k := range f.table {
				f.table[k] = binary.LittleEndian.Uint64(table[8*k:])
			}
		}
	}
	return f, f.head.check()
}

func readHeader(r *reader, tiled bool) (*header, error) {
	h := &header{tiled: tiled, primaries: rec709, has: map[string]bool{}}
	for {
		name := r.text()
		if r.err != nil {
			return nil, r.err
		}
		if name == "" {
			break
		}
		kind, n := r.text(), int(r.i32())
		v := &reader{b: r.take(n)}
		if r.err != nil {
			return nil, fmt.Errorf("%s: %w", name, r.err)
		}
		h.has[name] = true
		switch name {
		case "channels":
			for {
				c := channel{name: v.text()}
				if c.name == "" || v.err != nil {
					break
				}
				c.kind = v.i32()
				v.take(4)
				c.xs, c.ys = v.i32(), v.i32()
				h.channels = append(h.channels, c)
				if len(h.channels) > 1024 {
					return nil, errors.New("it has more than 1024 channels")
				}
			}
		case "compression":
			if c := v.take(1); c != nil {
				h.compression = int(c[0])
			}
		case "dataWindow":
			for k := range h.box {
				h.box[k] = v.i32()
			}
		case "tiles":
			h.tiled = true
			h.tile = [2]uint32{v.u32(), v.u32()}
		case "chromaticities":
			for k := range h.primaries {
				h.primaries[k] = v.f32()
			}
		case "type":
			if kind == "string" {
				h.kind = string(v.b)
			}
		case "chunkCount":
			h.chunks = int(v.i32())
		}
		if v.err != nil {
			return nil, fmt.Errorf("%s: %w", name, v.err)
		}
	}
	if len(h.has) == 0 {
		return nil, nil
	}
	if h.kind != "" {
		h.tiled = h.kind == "tiledimage"
	}
	return h, nil
}

func (h *header) size() (w, ht int) {
	return int(int64(h.box[2]) - int64(h.box[0]) + 1), int(int64(h.box[3]) - int64(h.box[1]) + 1)
}

// check returns why a part cannot be read.
func (h *header) check() error {
	w, ht := h.size()
	for _, name := range []string{"channels", "compression", "dataWindow"} {
		if !h.has[name] {
			return fmt.Errorf("its header does not say its %s", name)
		}
	}
	switch {
	case w < 1 || ht < 1 || w > MaxPixels/ht:
		return fmt.Errorf("it has %d × %d texels; 1 to %d in all are possible", w, ht, MaxPixels)
	case h.compression >= len(compressions):
		return fmt.Errorf("it is compressed in a way (%d) that is not known; save it with ZIP or PIZ", h.compression)
	case compressions[h.compression].lines == 0:
		return fmt.Errorf("it is compressed by %s, which loses detail and is not read; save it with ZIP or PIZ", compressions[h.compression].name)
	case h.tiled && (h.tile[0] < 1 || h.tile[1] < 1 || h.tile[0] > 1<<16 || h.tile[1] > 1<<16):
		return fmt.Errorf("its tiles are %d × %d", h.tile[0], h.tile[1])
	case len(h.channels) == 0:
		return errors.New("it has no channels")
	}
	for _, c := range h.channels {
		if c.kind < 0 || c.kind > kindFloat {
			return fmt.Errorf("its channel %q holds numbers of kind %d, which there are not", c.name, c.kind)
		}
		if c.xs < 1 || c.ys < 1 {
			return fmt.Errorf("its channel %q has a sample every %d × %d texels", c.name, c.xs, c.ys)
		}
		if (c.xs > 1 || c.ys > 1) && (h.tiled || slices.Contains(h.pick(), c.name)) {
			return fmt.Errorf("its channel %q has a sample every %d × %d texels; save it as R, G, B in full", c.name, c.xs, c.ys)
		}
	}
	return nil
}

// count is how many chunks a part has in all that is read: blocks of lines, or tiles of the
// first level.
func (h *header) count() int {
	w, ht := h.size()
	if w < 1 || ht < 1 {
		return 0
	}
	if h.tiled {
		if h.tile[0] < 1 || h.tile[1] < 1 {
			return 0
		}
		return ((w-1)/int(h.tile[0]) + 1) * ((ht-1)/int(h.tile[1]) + 1)
	}
	if h.compression >= len(compressions) || compressions[h.compression].lines == 0 {
		return 0
	}
	return (ht-1)/compressions[h.compression].lines + 1
}

// pick lists the channels that make a picture: R, G, B and A where they are, of the file itself
// or of the first of its layers that has them; else Y and A, else the first one.
func (h *header) pick() []string {
	has := map[string]bool{}
	for _, c := range h.channels {
		has[c.name] = true
	}
	try := func(prefix string, names ...string) (out []string) {
		for _, n := range names {
			if has[prefix+n] {
				out = append(out, prefix+n)
			}
		}
		if len(out) < len(names) {
			return nil
		}
		if has[prefix+"A"] {
			out = append(out, prefix+"A")
		}
		return out
	}
	prefixes := []string{""}
	for _, c := range h.channels {
		if i := strings.LastIndexByte(c.name, '.'); i >= 0 && !slices.Contains(prefixes, c.name[:i+1]) {
			prefixes = append(prefixes, c.name[:i+1])
		}
	}
	for _, names := range [][]string{{"R", "G", "B"}, {"Y"}} {
		for _, p := range prefixes {
			if out := try(p, names...); out != nil {
				return out
			}
		}
	}
	for _, c := range h.channels {
		return []string{c.name}
	}
	return nil
}

// Decode reads the channels of a file that make a picture: three colours or one grey, and
// coverage, the last, where there is one. Errors name what is wrong and what to do.
func Decode(ctx context.Context, b []byte) (*Picture, error) { return DecodeChannels(ctx, b, nil) }

// DecodeChannels reads channels by name, in their order; nil: those of Decode. The error names one
// that is not there.
func DecodeChannels(ctx context.Context, b []byte, names []string) (*Picture, error) {
	f, err := open(b)
	if err != nil {
		return nil, err
	}
	h := f.head
	w, ht := h.size()
	if names == nil {
		names = h.pick()
	}
	for _, n := range names {
		if !slices.ContainsFunc(h.channels, func(c channel) bool { return c.name == n }) {
			return nil, fmt.Errorf("it has no channel %q", n)
		}
	}
	release, err := budget.Memory.Brief(ctx, fmt.Sprintf("the picture of %d × %d texels", w, ht), int64(w)*int64(ht)*int64(4*len(names)))
	if err != nil {
		return nil, err
	}
	defer release()
	p := &Picture{W: w, H: ht, Primaries: h.primaries}
	for _, n := range names {
		p.Channels = append(p.Channels, Channel{Name: n, Data: make([]float32, w*ht)})
	}
	if need := h.count(); len(f.table) < need {
		return nil, fmt.Errorf("it has %d chunks of %d", len(f.table), need)
	}
	for k, n := 0, h.count(); k < n; k++ {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if err := f.chunk(k, p); err != nil {
			return nil, fmt.Errorf("chunk %d of %d: %w", k+1, n, err)
		}
	}
	return p, nil
}

// chunk reads one chunk into the picture.
func (f *file) chunk(k int, p *Picture) error {
	h := f.head
	if f.table[k] > uint64(len(f.b)) {
		return errShort
	}
	r := &reader{b: f.b, at: int(f.table[k])}
	if f.parts {
		if n := int(r.i32()); r.err == nil && n != f.part {
			return fmt.Errorf("it is of part %d, not %d", n, f.part)
		}
	}
	var x, y, w, n int // where in the picture the chunk lies
	if h.tiled {
		tx, ty, lx, ly := r.i32(), r.i32(), r.i32(), r.i32()
		if r.err == nil && (lx != 0 || ly != 0 || tx < 0 || ty < 0) {
			return fmt.Errorf("it is the tile %d, %d of the level %d, %d", tx, ty, lx, ly)
		}
		x, y = int(tx)*int(h.tile[0]), int(ty)*int(h.tile[1])
		w, n = min(int(h.tile[0]), p.W-x), min(int(h.tile[1]), p.H-y)
	} else {
		y = int(int64(r.i32()) - int64(h.box[1]))
		w, n = p.W, min(compressions[h.compression].lines, p.H-y)
	}
	size := int(r.i32())
	data := r.take(size)
	if r.err != nil {
		return r.err
	}
	if x < 0 || y < 0 || w < 1 || n < 1 {
		return fmt.Errorf("it lies at %d, %d, beside the picture", x, y)
	}
	// how long it is when it is unpacked
	var rows []int // of each channel, how many samples a line
	total := 0
	for _, c := range h.channels {
		s := samples(h.box[0]+int32(x), w, c.xs)
		rows = append(rows, s)
		for line := range n {
			if (int(h.box[1])+y+line)%int(c.ys) == 0 {
				total += s * kindSize[c.kind]
			}
		}
	}
	raw := data
	var err error
	if len(data) != total { // else it would not have become smaller
		if raw, err = unpack(h, data, total, rows, int(h.box[1])+y, n); err != nil {
			return err
		}
	}
	at := 0
	for line := range n {
		for i, c := range h.channels {
			if (int(h.box[1])+y+line)%int(c.ys) != 0 {
				continue
			}
			length := rows[i] * kindSize[c.kind]
			for j := range p.Channels {
				if p.Channels[j].Name == c.name {
					o := (y+line)*p.W + x
					floats(p.Channels[j].Data[o:o+w], raw[at:at+length], c.kind)
				}
			}
			at += length
		}
	}
	return nil
}

// samples is how many of w texels from one on a channel has that has every step-th.
func samples(from int32, w int, step int32) int {
	if step == 1 {
		return w
	}
	n := 0
	for i := range w {
		if (int(from)+i)%int(step) == 0 {
			n++
		}
	}
	return n
}

func floats(to []float32, from []byte, kind int32) {
	for i := range to {
		switch kind {
		case kindHalf:
			to[i] = Half(binary.LittleEndian.Uint16(from[2*i:]))
		case kindFloat:
			to[i] = math.Float32frombits(binary.LittleEndian.Uint32(from[4*i:]))
		default:
			to[i] = float32(binary.LittleEndian.Uint32(from[4*i:]))
		}
	}
}

// Half returns a number of 16 bits (IEEE 754 binary16) as one of 32.
func Half(h uint16) float32 {
	sign, exp, frac := uint32(h&0x8000)<<16, uint32(h>>10&31), uint32(h&0x3ff)
	switch {
	case exp == 31: // infinite, or no number
		return math.Float32frombits(sign | 0x7f800000 | frac<<13)
	case exp != 0:
		return math.Float32frombits(sign | (exp+112)<<23 | frac<<13)
	}
	v := float32(frac) / (1 << 24)
	return math.Float32frombits(math.Float32bits(v) | sign)
}

// unpack undoes a block's compression.
func unpack(h *header, data []byte, total int, rows []int, top, lines int) ([]byte, error) {
	switch compressions[h.compression].name {
	case "RLE":
		out, err := runs(data, total)
		if err != nil {
			return nil, err
		}
		return whole(out), nil
	case "ZIPS", "ZIP":
		out, err := inflate(data, total)
		if err != nil {
			return nil, err
		}
		return whole(out), nil
	case "PXR24":
		return pxr24(h, data, total, rows, top, lines)
	case "PIZ":
		return piz(h, data, total, rows, top, lines)
	}
	return nil, fmt.Errorf("it has %d bytes instead of %d", len(data), total)
}

func inflate(data []byte, total int) ([]byte, error) {
	z, err := zlib.NewReader(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	out := make([]byte, total)
	if _, err := io.ReadFull(z, out); err != nil {
		return nil, fmt.Errorf("it unpacks to less than its %d bytes: %w", total, err)
	}
	return out, nil
}

// runs unpacks run-length coding: a negative count is of bytes as they are.
func runs(data []byte, total int) ([]byte, error) {
	out := make([]byte, 0, total)
	for len(data) > 0 && len(out) < total {
		n := int(int8(data[0]))
		data = data[1:]
		if n < 0 {
			if -n > len(data) {
				return nil, errShort
			}
			out = append(out, data[:-n]...)
			data = data[-n:]
			continue
		}
		if len(data) == 0 {
			return nil, errShort
		}
		out = append(out, bytes.Repeat(data[:1], n+1)...)
		data = data[1:]
	}
	if len(out) != total {
		return nil, fmt.Errorf("it unpacks to %d bytes instead of %d", len(out), total)
	}
	return out, nil
}

// whole undoes the differences, and puts the two halves of a block back in turn.
func whole(t []byte) []byte {
	for i := 1; i < len(t); i++ {
		t[i] = t[i-1] + t[i] - 128
	}
	out := make([]byte, len(t))
	half := (len(t) + 1) / 2
	for i := range out {
		out[i] = t[i/2+i%2*half]
	}
	return out
}

// pxr24 undoes what rounds floats to 24 bits: planes of bytes, by differences.
func pxr24(h *header, data []byte, total int, rows []int, top, lines int) ([]byte, error) {
	packed := 0
	planes := [3]int{kindUint: 4, kindHalf: 2, kindFloat: 3}
	each := func(f func(i int, c channel)) {
		for line := range lines {
			for i, c := range h.channels {
				if (top+line)%int(c.ys) == 0 {
					f(i, c)
				}
			}
		}
	}
	each(func(i int, c channel) { packed += rows[i] * planes[c.kind] })
	in, err := inflate(data, packed)
	if err != nil {
		return nil, err
	}
	out := make([]byte, 0, total)
	each(func(i int, c channel) {
		n := planes[c.kind]
		sum := uint32(0)
		for x := range rows[i] {
			d := uint32(0)
			for k := range n {
				d = d<<8 | uint32(in[k*rows[i]+x])
			}
			switch c.kind {
			case kindHalf:
				sum += d
				out = binary.LittleEndian.AppendUint16(out, uint16(sum))
			case kindFloat:
				sum += d << 8
				out = binary.LittleEndian.AppendUint32(out, sum)
			default:
				sum += d
				out = binary.LittleEndian.AppendUint32(out, sum)
			}
		}
		in = in[n*rows[i]:]
	})
	return out, nil
}
