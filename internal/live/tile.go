package live

import (
	"encoding/binary"

	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
)

// The first bytes of what goes over the line as bytes.
const (
	frameTile   = 1
	frameCard   = 2
	frameComing = 3
	frameShows  = 4
)

// flagAll is set when all that is seen is as new as what is told.
const flagAll = 1

// The flags of a tile, and those of what is told of tiles to come.
const (
	flagEven    = 1 // one texel stands for all
	flagCoarser = 1 // coarser ones come first, and are to be seen meanwhile
	flagDropped = 2 // they are out of date, and do not come: nobody sees them
)

// tileHead is how many bytes come before a tile's texels.
const tileHead = 10

// encodeTile writes: 1, sheet, map, flags, then size, x, y as little-endian 16 bit, then RGBA
// bytes: the tile's 128 × 128 with the ring of texels around them, or one when even. Texels
// that stand for nothing get what the nearest other ones have, so that nothing shows at the
// islands' edges, however finely they are looked at.
func encodeTile(f *raster.Frame, s slot, planes []pix.Plane) []byte {
	flags := byte(flagEven)
	for _, p := range planes {
		if !p.Uniform() {
			flags = 0
		}
	}
	n := pix.Pitch * pix.Pitch
	if flags == flagEven {
		n = 1
	}
	out := make([]byte, tileHead+4*n)
	out[0], out[1], out[2], out[3] = frameTile, byte(s.Sheet), byte(s.kind), flags
	place(out[4:], s)
	body := out[tileHead:]
	bare := 0
	for k := range n {
		body[k*4+3] = 255
		if n > 1 && f.Tri[k] < 0 {
			bare++
			continue
		}
		for c, p := range planes {
			body[k*4+c] = pix.Byte(p.At(k))
		}
	}
	if n > 1 && bare > 0 && bare < n {
		covered := make([]bool, n)
		for k := range covered {
			covered[k] = f.Tri[k] >= 0
		}
		for k, from := range pix.NearestIn(covered, pix.Pitch, pix.Pitch) {
			copy(body[4*k:4*k+4], body[4*from:4*from+4])
		}
	}
	return out
}

// place writes where a tile is: size, x, y, 16 bit each.
func place(b []byte, s slot) {
	binary.LittleEndian.PutUint16(b, uint16(s.Size))
	binary.LittleEndian.PutUint16(b[2:], uint16(s.X))
	binary.LittleEndian.PutUint16(b[4:], uint16(s.Y))
}

// encodeComing writes which tiles are to come, or are dropped: 3, flags, then of each sheet,
// map, size, x, y.
func encodeComing(slots []slot, flags byte) []byte {
	out := make([]byte, 2+8*len(slots))
	out[0], out[1] = frameComing, flags
	for i, s := range slots {
		b := out[2+8*i:]
		b[0], b[1] = byte(s.Sheet), byte(s.kind)
		place(b[2:], s)
	}
	return out
}

// encodeShows writes up to which request of the page the tiles go that follow, or with all those
// that it has: 4, flags, the number as little-endian 32 bit.
func encodeShows(n int64, all bool) []byte {
	out := []byte{frameShows, 0}
	if all {
		out[1] = flagAll
	}
	return binary.LittleEndian.AppendUint32(out, uint32(n))
}
