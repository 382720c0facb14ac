//go:build goexperiment.simd && amd64

package deliver

import "simd/archsimd"

var wide = archsimd.X86.AVX2()

// filterWide filters the bytes of a row that go into whole registers, 32 at a time, and returns how
// many these are.
func filterWide(f byte, out, line, left, above, corner []byte) int {
	if !wide {
		return 0
	}
	n := len(out) &^ 31
	load := func(p []byte, i int) archsimd.Uint8x32 { return archsimd.LoadUint8x32((*[32]uint8)(p[i:])) }
	store := func(v archsimd.Uint8x32, i int) { v.Store((*[32]uint8)(out[i:])) }
	switch f {
	case filterSub:
		for i := 0; i < n; i += 32 {
			store(load(line, i).Sub(load(left, i)), i)
		}
	case filterUp:
		for i := 0; i < n; i += 32 {
			store(load(line, i).Sub(load(above, i)), i)
		}
	case filterPaeth:
		for i := 0; i < n; i += 32 {
			a, b, c := load(left, i), load(above, i), load(corner, i)
			// distances of bytes are bytes; that of a + b − c to c is their sum where both lie on one side of c
			// (more than a byte holds is more than either of them), else their difference
			pa, pb := b.Max(c).Sub(b.Min(c)), a.Max(c).Sub(a.Min(c))
			sum, between, above := pa.AddSaturated(pb), pa.Max(pb).Sub(pa.Min(pb)), b.GreaterEqual(c)
			pc := sum.Merge(between, above).Merge(between.Merge(sum, above), a.GreaterEqual(c))
			first := pa.LessEqual(pb).And(pa.LessEqual(pc))
			store(load(line, i).Sub(a.Merge(b.Merge(c, pb.LessEqual(pc)), first)), i)
		}
	default:
		return 0
	}
	archsimd.ClearAVXUpperBits()
	return n
}
