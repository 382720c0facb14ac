//go:build goexperiment.simd && amd64

package pix

import (
	"encoding/binary"
	"simd/archsimd"
)

var wide = archsimd.X86.AVX2()

func eight(v float32) (l [8]float32) {
	for i := range l {
		l[i] = v
	}
	return
}

// constants come from memory as whole registers: see package noise
var nought, halves, ones, twos, threes, most = eight(0), eight(0.5), eight(1), eight(2), eight(3), eight(255)

var by8, by16 = [8]int32{8, 8, 8, 8, 8, 8, 8, 8}, [8]int32{16, 16, 16, 16, 16, 16, 16, 16}

func load(l *[8]float32) archsimd.Float32x8 { return archsimd.LoadFloat32x8(l) }

func unitWide(row []float32) int {
	if !wide {
		return 0
	}
	n := len(row) &^ 7
	zero, one := load(&nought), load(&ones)
	for i := 0; i < n; i += 8 {
		at := (*[8]float32)(row[i:])
		// of two numbers the second is taken where either is none
		zeroed := zero.Max(load(at))
		one.Min(zeroed).Store(at)
	}
	archsimd.ClearAVXUpperBits()
	return n
}

func setWide(row []float32, v float32) int {
	if !wide {
		return 0
	}
	n, l := len(row)&^7, eight(v)
	all := load(&l)
	for i := 0; i < n; i += 8 {
		all.Store((*[8]float32)(row[i:]))
	}
	archsimd.ClearAVXUpperBits()
	return n
}

func linearWide(dst, src []float32, mul, add float32) int {
	if !wide {
		return 0
	}
	n, m, a := len(src)&^7, eight(mul), eight(add)
	times, plus := load(&m), load(&a)
	for i := 0; i < n; i += 8 {
		plus.Add(load((*[8]float32)(src[i:])).Mul(times)).Store((*[8]float32)(dst[i:]))
	}
	archsimd.ClearAVXUpperBits()
	return n
}

func addPairWide(dst, a, b []float32, k float32) int {
	if !wide {
		return 0
	}
	n, l := len(dst)&^7, eight(k)
	times := load(&l)
	for i := 0; i < n; i += 8 {
		at := (*[8]float32)(dst[i:])
		sum := load((*[8]float32)(a[i:])).Add(load((*[8]float32)(b[i:])))
		load(at).Add(times.Mul(sum)).Store(at)
	}
	archsimd.ClearAVXUpperBits()
	return n
}

func smoothWide(row []float32, a, b float32) int {
	if !wide {
		return 0
	}
	n, from, length := len(row)&^7, eight(a), eight(b-a)
	start, long, zero, one, two, three := load(&from), load(&length), load(&nought), load(&ones), load(&twos), load(&threes)
	for i := 0; i < n; i += 8 {
		at := (*[8]float32)(row[i:])
		t := one.Min(zero.Max(load(at).Sub(start).Div(long)))
		t.Mul(t).Mul(three.Sub(two.Mul(t))).Store(at)
	}
	archsimd.ClearAVXUpperBits()
	return n
}

func bytesWide(dst []byte, each int, src []float32) int {
	if !wide {
		return 0
	}
	n := len(src) &^ 7
	zero, one, full, more := load(&nought), load(&ones), load(&most), load(&halves)
	var v [8]int32
	for i := 0; i < n; i += 8 {
		// what is no number becomes 0
		load((*[8]float32)(src[i:])).Max(zero).Min(one).Mul(full).Add(more).ConvertToInt32().Store(&v)
		switch to := dst[i*each:]; each {
		case 1:
			to = to[:8]
			for k := range 8 {
				to[k] = byte(v[k])
			}
		case 3:
			to = to[:22]
			to[0], to[3], to[6], to[9], to[12], to[15], to[18], to[21] =
				byte(v[0]), byte(v[1]), byte(v[2]), byte(v[3]), byte(v[4]), byte(v[5]), byte(v[6]), byte(v[7])
		default:
			for k := range 8 {
				to[k*each] = byte(v[k])
			}
		}
	}
	archsimd.ClearAVXUpperBits()
	return n
}

func bytes3Wide(dst []byte, planes *[3]Plane, at, n int) int {
	if !wide || n < 9 {
		return 0
	}
	var even [3][8]float32
	var rows [3][]float32
	step := [3]int{8, 8, 8}
	for c, p := range planes {
		if p.Uniform() { // eight of it, again and again
			even[c], step[c] = eight(p.Value), 0
			rows[c] = even[c][:]
			continue
		}
		rows[c] = p.Data[at : at+n]
	}
	zero, one, full, more := load(&nought), load(&ones), load(&most), load(&halves)
	second, third := archsimd.LoadInt32x8(&by8), archsimd.LoadInt32x8(&by16)
	var v [8]uint32
	done := 0
	var from [3]int
	// a texel is written as four bytes, of which the next one writes the last anew: one is left for the plain way
	for ; done+8 < n; done += 8 {
		var bytes [3]archsimd.Int32x8
		for c := range bytes {
			bytes[c] = load((*[8]float32)(rows[c][from[c]:])).Max(zero).Min(one).Mul(full).Add(more).ConvertToInt32()
			from[c] += step[c]
		}
		bytes[0].Or(bytes[1].ShiftLeft(second)).Or(bytes[2].ShiftLeft(third)).AsUint32x8().Store(&v)
		to := dst[3*done : 3*done+25]
		for k := range v {
			binary.LittleEndian.PutUint32(to[3*k:], v[k])
		}
	}
	archsimd.ClearAVXUpperBits()
	return done
}
