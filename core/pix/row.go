package pix

import "velvetgrime/core/geom"

// What is done to whole rows of a tile, value by value. Eight at a time where the processor has the
// registers for it, with the same bits; the wide forms return how many values they did.

// Unit brings each of a row's values into 0..1; what is no number stays none.
func Unit(row []float32) { unitPlain(row[unitWide(row):]) }

// Set writes one value into a whole row.
func Set(row []float32, v float32) {
	for i := setWide(row, v); i < len(row); i++ {
		row[i] = v
	}
}

// Linear writes add + src·mul into dst, which is as long as src and may be src.
func Linear(dst, src []float32, mul, add float32) {
	for i := linearWide(dst, src, mul, add); i < len(src); i++ {
		dst[i] = add + src[i]*mul
	}
}

// AddPair adds (a + b)·k to dst, which is no longer than a and b.
func AddPair(dst, a, b []float32, k float32) {
	for i := addPairWide(dst, a, b, k); i < len(dst); i++ {
		dst[i] += k * (a[i] + b[i])
	}
}

// Smoothstep lays geom.Smoothstep from a to b over a row.
func Smoothstep(row []float32, a, b float32) {
	n := 0
	if a != b {
		n = smoothWide(row, a, b)
	}
	for i, v := range row[n:] {
		row[n+i] = geom.Smoothstep(a, b, v)
	}
}

// Bytes writes Byte of each value of src into dst, each bytes after the one before.
func Bytes(dst []byte, each int, src []float32) {
	for i := bytesWide(dst, each, src); i < len(src); i++ {
		dst[i*each] = Byte(src[i])
	}
}

// Bytes3 writes Byte of n values (0..1) of each of three planes, from at on, beside each other into dst, which has
// room for 3·n bytes.
func Bytes3(dst []byte, planes *[3]Plane, at, n int) {
	for i := bytes3Wide(dst, planes, at, n); i < n; i++ {
		to := dst[3*i : 3*i+3]
		for c := range to {
			to[c] = Byte(planes[c].At(at + i))
		}
	}
}

func unitPlain(row []float32) {
	for i, v := range row {
		row[i] = min(max(v, 0), 1)
	}
}
