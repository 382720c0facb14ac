package render

import "math/bits"

// draws gives a path its numbers: by Sobol's sequence in four dimensions at a time, scrambled and
// shuffled by hashes as Owen does (Burley 2020, "Practical Hash-based Owen Scrambling"). Each
// number is even over 0..1, and the first 2ⁿ of a pixel are spread evenly in each dimension.
type draws struct {
	index uint32 // the number of the sample
	seed  uint32 // of the pixel
	dim   uint32
	four  [4]uint32
}

func newDraws(pixel, sample, seed uint32) draws {
	return draws{index: sample, seed: hash32(pixel ^ hash32(seed^0x9e3779b9))}
}

// next returns a number 0 ≤ x < 1.
func (d *draws) next() float32 {
	k := d.dim & 3
	if k == 0 {
		d.four = sobol4(d.index, d.seed+d.dim*0x85ebca6b)
	}
	d.dim++
	return float32(d.four[k]>>8) * (1.0 / (1 << 24))
}

func hash32(x uint32) uint32 { // Wellons' lowbias32
	x ^= x >> 16
	x *= 0x7feb352d
	x ^= x >> 15
	x *= 0x846ca68b
	return x ^ x>>16
}

// scramble is a nested uniform scramble of a number (Laine and Karras, with Vegdahl's numbers); x has
// its bits the other way round.
func scramble(x, seed uint32) uint32 {
	x ^= x * 0x3d20adea
	x += seed
	x *= seed>>16 | 1
	x ^= x * 0x05526c56
	x ^= x * 0x53a22864
	return bits.Reverse32(x)
}

// byByte are the points of Sobol's dimensions 2 to 4 (Joe and Kuo 2008, new-joe-kuo-6), by each of
// the four bytes of the number: a point is what its bytes give, taken together. The first dimension
// is the number with its bits the other way round. All are kept with their bits the other way round.
var byByte = func() (out [4][256][3]uint32) {
	type poly struct {
		s, a uint32
		m    []uint32
	}
	for d, p := range []poly{{1, 0, []uint32{1}}, {2, 1, []uint32{1, 3}}, {3, 1, []uint32{1, 3, 1}}} {
		var v [32]uint32
		for i := range uint32(32) {
			if i < p.s {
				v[i] = p.m[i] << (31 - i)
				continue
			}
			v[i] = v[i-p.s] ^ v[i-p.s]>>p.s
			for k := uint32(1); k < p.s; k++ {
				v[i] ^= (p.a >> (p.s - 1 - k) & 1) * v[i-k]
			}
		}
		for i := range out {
			for b := range out[i] {
				for k := range 8 {
					if b>>k&1 != 0 {
						out[i][b][d] ^= bits.Reverse32(v[8*i+k])
					}
				}
			}
		}
	}
	return out
}()

func sobol4(index, seed uint32) (out [4]uint32) {
	seed = hash32(seed)
	index = scramble(bits.Reverse32(index), seed) // shuffled: another order for each four
	out[0] = index
	a, b := &byByte[0][index&255], &byByte[1][index>>8&255]
	c, e := &byByte[2][index>>16&255], &byByte[3][index>>24]
	for d := range 3 {
		out[d+1] = a[d] ^ b[d] ^ c[d] ^ e[d]
	}
	for i := range out {
		out[i] = scramble(out[i], hash32(seed+uint32(i)*0x68bc21eb))
	}
	return out
}
