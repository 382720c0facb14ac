// Package octet has what kernels over registers of eight numbers share. All of it lies in memory
// as whole registers: one that is set from a single value is set with an instruction of the older
// kind, and mixing the two kinds costs some processors more than the kernel itself (measured on
// simplex noise: 1290 ns a texel instead of 70).
package octet

// Lane is the number of a lane in all lanes: a register permuted by Lane[n] has its lane n
// everywhere.
var Lane = func() (l [8][8]uint32) {
	for n := range l {
		for i := range l[n] {
			l[n][i] = uint32(n)
		}
	}
	return l
}()

// NoSign masks the sign of floats of 32 bits: what is left of a number is its amount.
var NoSign = func() (l [8]int32) {
	for i := range l {
		l[i] = 0x7fffffff
	}
	return l
}()

// All returns a value in all lanes.
func All(v float32) (l [8]float32) {
	for i := range l {
		l[i] = v
	}
	return l
}
