//go:build goexperiment.simd && amd64

package noise

import "simd/archsimd"

type (
	f8 = archsimd.Float32x8
	i8 = archsimd.Int32x8
)

var wide = archsimd.X86.AVX2()

// gradient components of both halves of the table, as lanes
var gradLow, gradHigh [3][8]float32

func init() {
	for i, g := range gradients {
		for c := range 3 {
			if i < 8 {
				gradLow[c][i] = g[c]
			} else {
				gradHigh[c][i-8] = g[c]
			}
		}
	}
}

// Constants come from memory as whole registers: setting a register from a single
// value is done with an instruction of the older kind, and mixing the two kinds
// costs some processors more than the noise itself (measured: 1290 ns a texel
// instead of 70).
type (
	lanes    = [8]float32
	intLanes = [8]int32
)

func all(v float32) (l lanes) {
	for i := range l {
		l[i] = v
	}
	return
}

// shift is a shift by n as a register: a plain n would be set in the older way.
func shift(n uint32) (l [8]uint32) {
	for i := range l {
		l[i] = n
	}
	return
}

func allInt(v int32) (l intLanes) {
	for i := range l {
		l[i] = v
	}
	return
}

var (
	cZero, cHalf, cOne, cTwo           = all(0), all(0.5), all(1), all(2)
	cSkew, cUnskew, cThird, cScale     = all(1.0 / 3), all(1.0 / 6), all(2 * (1.0 / 6)), all(76)
	iOne, iEight, iNone, iNoSign, iMix = allInt(1), allInt(8), allInt(0), allInt(0x7fffffff), allInt(0x2c1b3c6d)
	by8, by13, by15, by31              = shift(8), shift(13), shift(15), shift(31)
	primes                             = [3]uint32{primeX, primeY, primeZ}
	iPrimeX, iPrimeY, iPrimeZ          = allInt(int32(primes[0])), allInt(int32(primes[1])), allInt(int32(primes[2]))
)

// spread holds an octave's numbers as whole registers.
type spread struct {
	freq, amp, shift lanes
	seed             intLanes
}

func (o *octave) spread() *spread {
	return &spread{all(o.freq), all(o.amp), all(o.shift), allInt(int32(o.seed ^ 0x9e3779b9))}
}

// Eight evaluates eight points at once, with the processor's wide registers where
// it has them. Every operation is the one of At, in its order and without fused
// multiply-add, so the results are the same to the bit; TestEightMatchesOne holds
// them against each other.
func (s *Sampler) Eight(x, y, z, out *[8]float32) {
	if !wide || s.plain() {
		s.eightPlain(x, y, z, out)
		return
	}
	vx, vy, vz := archsimd.LoadFloat32x8(x), archsimd.LoadFloat32x8(y), archsimd.LoadFloat32x8(z)
	sum := archsimd.LoadFloat32x8(&s.start)
	one, two := archsimd.LoadFloat32x8(&cOne), archsimd.LoadFloat32x8(&cTwo)
	noSign := archsimd.LoadInt32x8(&iNoSign)
	for _, o := range s.spreads {
		f, sh := archsimd.LoadFloat32x8(&o.freq), archsimd.LoadFloat32x8(&o.shift)
		v := simplex8(vx.Mul(f).Add(sh), vy.Mul(f).Add(sh), vz.Mul(f).Add(sh), archsimd.LoadInt32x8(&o.seed))
		switch s.kind {
		case Ridges:
			v = one.Sub(two.Mul(v.AsInt32x8().And(noSign).AsFloat32x8()))
		case Billow:
			v = two.Mul(v.AsInt32x8().And(noSign).AsFloat32x8()).Sub(one)
		}
		sum = sum.Add(archsimd.LoadFloat32x8(&o.amp).Mul(v))
	}
	sum.Max(archsimd.LoadFloat32x8(&cZero)).Min(one).Store(out)
	archsimd.ClearAVXUpperBits()
}

// over8 is over, eight times.
func over8(a, b f8) i8 {
	return archsimd.LoadInt32x8(&iOne).Sub(a.Sub(b).AsUint32x8().ShiftRight(archsimd.LoadUint32x8(&by31)).AsInt32x8())
}

func simplex8(x, y, z f8, base i8) f8 {
	skew, unskew := archsimd.LoadFloat32x8(&cSkew), archsimd.LoadFloat32x8(&cUnskew)
	s := x.Add(y)
	s = s.Add(z).Mul(skew)
	i, j, k := s.Add(x).Floor().ConvertToInt32(), s.Add(y).Floor().ConvertToInt32(), s.Add(z).Floor().ConvertToInt32()
	t := i.Add(j).Add(k).ConvertToFloat32().Mul(unskew)
	x0, y0, z0 := x.Sub(
		i.ConvertToFloat32().Sub(t),
	), y.Sub(
		j.ConvertToFloat32().Sub(t),
	), z.Sub(
		k.ConvertToFloat32().Sub(t),
	)

	one := archsimd.LoadInt32x8(&iOne)
	xy, xz, yz := over8(x0, y0), over8(x0, z0), over8(y0, z0)
	rx, ry, rz := xy.Add(xz), one.Sub(xy).Add(yz), one.Add(one).Sub(xz).Sub(yz)
	by := archsimd.LoadInt32x8(&iOne)
	i1, j1, k1 := rx.ShiftRight(by), ry.ShiftRight(by), rz.ShiftRight(by)
	i2, j2, k2 := rx.Add(one).ShiftRight(by), ry.Add(one).ShiftRight(by), rz.Add(one).ShiftRight(by)

	px, py, pz := archsimd.LoadInt32x8(&iPrimeX), archsimd.LoadInt32x8(&iPrimeY), archsimd.LoadInt32x8(&iPrimeZ)
	hx, hy, hz := i.Mul(px), j.Mul(py), k.Mul(pz)
	h0 := base.Xor(hx).Xor(hy).Xor(hz)
	h1 := base.Xor(hx.Add(i1.Mul(px)).Xor(hy.Add(j1.Mul(py))).Xor(hz.Add(k1.Mul(pz))))
	h2 := base.Xor(hx.Add(i2.Mul(px)).Xor(hy.Add(j2.Mul(py))).Xor(hz.Add(k2.Mul(pz))))
	h3 := base.Xor(hx.Add(px).Xor(hy.Add(py)).Xor(hz.Add(pz)))

	third, half := archsimd.LoadFloat32x8(&cThird), archsimd.LoadFloat32x8(&cHalf)
	n := corner8(x0, y0, z0, h0)
	n = n.Add(
		corner8(
			x0.Sub(i1.ConvertToFloat32()).Add(unskew),
			y0.Sub(j1.ConvertToFloat32()).Add(unskew),
			z0.Sub(k1.ConvertToFloat32()).Add(unskew),
			h1,
		),
	)
	n = n.Add(
		corner8(
			x0.Sub(i2.ConvertToFloat32()).Add(third),
			y0.Sub(j2.ConvertToFloat32()).Add(third),
			z0.Sub(k2.ConvertToFloat32()).Add(third),
			h2,
		),
	)
	n = n.Add(corner8(x0.Sub(half), y0.Sub(half), z0.Sub(half), h3))
	return archsimd.LoadFloat32x8(&cScale).Mul(n)
}

func corner8(x, y, z f8, h i8) f8 {
	b := archsimd.LoadFloat32x8(&cHalf).Sub(x.Mul(x)).Sub(y.Mul(y)).Sub(z.Mul(z)).AsInt32x8()
	// nothing where b is negative
	t := b.Max(archsimd.LoadInt32x8(&iNone)).AsFloat32x8()
	t = t.Mul(t)
	u := h.AsUint32x8()
	u = u.Xor(u.ShiftRight(archsimd.LoadUint32x8(&by15)))
	u = u.AsInt32x8().Mul(archsimd.LoadInt32x8(&iMix)).AsUint32x8()
	u = u.Xor(u.ShiftRight(archsimd.LoadUint32x8(&by13))).ShiftRight(archsimd.LoadUint32x8(&by8))
	high := u.AsInt32x8().And(archsimd.LoadInt32x8(&iEight)).Equal(archsimd.LoadInt32x8(&iEight))
	gx := archsimd.LoadFloat32x8(&gradHigh[0]).
		Permute(u).
		Merge(archsimd.LoadFloat32x8(&gradLow[0]).Permute(u), high)
		// Permute looks at three bits
	gy := archsimd.LoadFloat32x8(&gradHigh[1]).Permute(u).Merge(archsimd.LoadFloat32x8(&gradLow[1]).Permute(u), high)
	gz := archsimd.LoadFloat32x8(&gradHigh[2]).Permute(u).Merge(archsimd.LoadFloat32x8(&gradLow[2]).Permute(u), high)
	return t.Mul(t).Mul(gx.Mul(x).Add(gy.Mul(y)).Add(gz.Mul(z)))
}
