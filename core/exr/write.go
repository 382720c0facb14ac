package exr

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"strings"

	"velvetgrime/core/par"

	"github.com/klauspost/compress/zlib"
)

// Encode writes a picture of w × h texels as a scan-line file with ZIP compression: every channel
// under its name (layers are named before a dot, "depth.Z"), as halves or as floats. Its errors
// name the channel that is none.
func Encode(w, h int, channels []Channel, halves bool) ([]byte, error) {
	if w < 1 || h < 1 || w*h > MaxPixels {
		return nil, fmt.Errorf("a picture of %d × %d texels is none", w, h)
	}
	list := slices.Clone(channels) // they are written by name
	slices.SortFunc(list, func(a, b Channel) int { return strings.Compare(a.Name, b.Name) })
	for i, c := range list {
		switch {
		case len(c.Data) != w*h:
			return nil, fmt.Errorf("channel %q has %d numbers, not %d × %d", c.Name, len(c.Data), w, h)
		case c.Name == "" || len(c.Name) > 255 || strings.ContainsRune(c.Name, 0):
			return nil, fmt.Errorf("channel %q has no name, or one that a file cannot hold", c.Name)
		case i > 0 && list[i-1].Name == c.Name:
			return nil, fmt.Errorf("two channels are named %q", c.Name)
		}
	}
	kind := int32(kindFloat)
	if halves {
		kind = kindHalf
	}
	var b bytes.Buffer
	put := func(v any) { _ = binary.Write(&b, binary.LittleEndian, v) }
	attribute := func(name, kind string, data []byte) {
		b.WriteString(name + "\x00" + kind + "\x00")
		put(int32(len(data)))
		b.Write(data)
	}
	le := func(v ...any) []byte {
		var d bytes.Buffer
		for _, x := range v {
			_ = binary.Write(&d, binary.LittleEndian, x)
		}
		return d.Bytes()
	}
	version := uint32(2)
	if slices.ContainsFunc(list, func(c Channel) bool { return len(c.Name) > 31 }) {
		version |= 0x400 // long names
	}
	b.WriteString(Magic)
	put(version)
	var names []byte
	for _, c := range list {
		names = append(names, c.Name+"\x00"...)
		names = append(names, le(kind, [4]uint8{}, int32(1), int32(1))...) // every texel
	}
	attribute("channels", "chlist", append(names, 0))
	attribute("compression", "compression", []byte{3}) // ZIP, 16 lines a block
	window := le(int32(0), int32(0), int32(w-1), int32(h-1))
	attribute("dataWindow", "box2i", window)
	attribute("displayWindow", "box2i", window)
	attribute("lineOrder", "lineOrder", []byte{0})
	attribute("pixelAspectRatio", "float", le(float32(1)))
	attribute("screenWindowCenter", "v2f", le(float32(0), float32(0)))
	attribute("screenWindowWidth", "float", le(float32(1)))
	b.WriteByte(0)

	const lines = 16
	blocks := make([][]byte, (h+lines-1)/lines)
	failed := make([]error, len(blocks))
	par.Parts(len(blocks), 1, func(from, to int) {
		for i := from; i < to; i++ {
			var data []byte
			for row := i * lines; row < min((i+1)*lines, h); row++ {
				for _, c := range list {
					for _, v := range c.Data[row*w : (row+1)*w] {
						if halves {
							data = binary.LittleEndian.AppendUint16(data, ToHalf(v))
						} else {
							data = binary.LittleEndian.AppendUint32(data, math.Float32bits(v))
						}
					}
				}
			}
			packed, err := zipBlock(data)
			failed[i] = err
			blocks[i] = append(le(int32(i*lines), int32(len(packed))), packed...)
		}
	})
	for _, err := range failed {
		if err != nil {
			return nil, err
		}
	}
	at := uint64(b.Len() + 8*len(blocks))
	for _, k := range blocks {
		put(at)
		at += uint64(len(k))
	}
	for _, k := range blocks {
		b.Write(k)
	}
	return b.Bytes(), nil
}

// zipBlock compresses as OpenEXR does: bytes at even places before those at odd
// ones, each then as its difference from the one before, and that deflated. A block
// that does not get smaller is kept as it is.
func zipBlock(data []byte) ([]byte, error) {
	half := (len(data) + 1) / 2
	t := make([]byte, len(data))
	for i, v := range data {
		t[i/2+i%2*half] = v
	}
	for i := len(t) - 1; i > 0; i-- {
		t[i] = t[i] - t[i-1] + 128
	}
	var out bytes.Buffer
	w := zlib.NewWriter(&out)
	if _, err := w.Write(t); err != nil {
		return nil, err
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	if out.Len() >= len(data) {
		return data, nil
	}
	return out.Bytes(), nil
}

// ToHalf returns the nearest number of 16 bits (IEEE 754 binary16), of two as near the even one;
// what is too large becomes the largest, not infinity, unless it is infinite itself.
func ToHalf(v float32) uint16 {
	b := math.Float32bits(v)
	sign := uint16(b >> 16 & 0x8000)
	exp, man := int(b>>23&0xff)-127, b&0x7fffff
	switch {
	case exp == 128 && man != 0:
		return sign | 0x7e00
	case exp == 128:
		return sign | 0x7c00
	case exp > 15:
		return sign | 0x7bff
	case exp < -25:
		return sign
	case exp < -14: // of the smallest, without a leading one
		man |= 0x800000
		shift := uint(-14 - exp + 13)
		half := man >> shift
		rest := man & (1<<shift - 1)
		if rest > 1<<(shift-1) || rest == 1<<(shift-1) && half&1 == 1 {
			half++
		}
		return sign | uint16(half)
	}
	half := uint32(exp+15)<<10 | man>>13
	if rest := man & 0x1fff; rest > 0x1000 || rest == 0x1000 && half&1 == 1 {
		half++
	}
	return sign | uint16(min(half, 0x7bff))
}
