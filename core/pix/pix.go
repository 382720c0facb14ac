// Package pix holds the texel planes on which the stack is evaluated and the
// encodings at their borders.
package pix

import "math"

// Size is the edge of a tile in texels. 128 × 128 float32 are 64 KiB, so that
// the planes of one blend stay in the second-level cache.
const Size = 128

// Margin is the ring of texels around a tile that is evaluated with it, so that
// slopes at the tile's border are the same as inside. See docs/decisions/0002.
const Margin = 1

// Pitch is the row length of an evaluated tile, margin included.
const Pitch = Size + 2*Margin

// Plane is one component of a tile or frame. A uniform plane holds no data.
// Planes are immutable once they are handed out.
type Plane struct {
	Value float32   // the value everywhere when Data is nil
	Data  []float32 // W × H values by rows, or nil
}

// At returns the value at index i.
func (p Plane) At(i int) float32 {
	if p.Data == nil {
		return p.Value
	}
	return p.Data[i]
}

// Uniform reports whether one value holds everywhere.
func (p Plane) Uniform() bool { return p.Data == nil }

// Fill writes the plane into dst, whatever its form.
func (p Plane) Fill(dst []float32) {
	if p.Data != nil {
		copy(dst, p.Data)
		return
	}
	Set(dst, p.Value)
}

// Bytes returns the memory that the plane holds.
func (p Plane) Bytes() int { return 24 + 4*len(p.Data) }

// EncodeSRGB turns linear light into the sRGB encoding (IEC 61966-2-1).
func EncodeSRGB(l float32) float32 {
	if l <= 0.0031308 {
		return 12.92 * l
	}
	return float32(1.055*math.Pow(float64(l), 1/2.4) - 0.055)
}

// DecodeSRGB turns an sRGB-encoded value into linear light (IEC 61966-2-1).
func DecodeSRGB(e float32) float32 {
	if e <= 0.04045 {
		return e / 12.92
	}
	return float32(math.Pow((float64(e)+0.055)/1.055, 2.4))
}

// Byte quantizes 0..1 to 0..255, rounding to nearest and clamping; NaN gives 0.
func Byte(v float32) uint8 {
	if !(v > 0) {
		return 0
	}
	if v >= 1 {
		return 255
	}
	return uint8(v*255 + 0.5)
}

// Word quantizes 0..1 to 0..65535, rounding to nearest and clamping; NaN gives 0.
func Word(v float32) uint16 {
	if !(v > 0) {
		return 0
	}
	if v >= 1 {
		return 65535
	}
	return uint16(v*65535 + 0.5)
}
