//go:build goexperiment.simd && amd64

package noise

import "simd/archsimd"

type (
	f16 = archsimd.Float32x16
	i16 = archsimd.Int32x16
)

// wider says whether there are registers of sixteen.
var wider = archsimd.X86.AVX512()

// twice is a register of eight as one of sixteen.
func twice[T any](l [8]T) (w [16]T) {
	copy(w[:8], l[:])
	copy(w[8:], l[:])
	return w
}

// The constants of eight_simd.go, twice as wide.
var (
	wBy1       = twice(by1)
	wBy13      = twice(by13)
	wBy15      = twice(by15)
	wBy31      = twice(by31)
	wBy8       = twice(by8)
	wCHalf     = twice(cHalf)
	wCOne      = twice(cOne)
	wCScale    = twice(cScale)
	wCSkew     = twice(cSkew)
	wCThird    = twice(cThird)
	wCTwo      = twice(cTwo)
	wCUnskew   = twice(cUnskew)
	wCZero     = twice(cZero)
	wIEight    = twice(iEight)
	wIMix      = twice(iMix)
	wINoSign   = twice(iNoSign)
	wINone     = twice(iNone)
	wIOne      = twice(iOne)
	wIPrimeX   = twice(iPrimeX)
	wIPrimeY   = twice(iPrimeY)
	wIPrimeZ   = twice(iPrimeZ)
	wIThirteen = twice(iThirteen)
	wITwelve   = twice(iTwelve)
)

// spreadWide is spread for registers of sixteen.
type spreadWide struct {
	freq, amp, shift [16]float32
	seed             [16]int32
}

func (o *spread) wide() *spreadWide {
	return &spreadWide{twice(o.freq), twice(o.amp), twice(o.shift), twice(o.seed)}
}

// Sixteen evaluates sixteen points at once where the processor has registers for them, else eight
// and eight. The results are those of At, to the bit; TestSideBySideMatchesOne holds them against each
// other. What follows says again what eight_simd.go says: one text for both would have to go through an
// interface, and calls hand registers over in memory.
func (s *Sampler) Sixteen(x, y, z, out *[16]float32) {
	if !wider || s.plain() {
		s.halves(x, y, z, out)
		return
	}
	vx, vy, vz := archsimd.LoadFloat32x16(x), archsimd.LoadFloat32x16(y), archsimd.LoadFloat32x16(z)
	start := twice(s.start)
	sum := archsimd.LoadFloat32x16(&start)
	one, two := archsimd.LoadFloat32x16(&wCOne), archsimd.LoadFloat32x16(&wCTwo)
	noSign := archsimd.LoadInt32x16(&wINoSign)
	for _, o := range s.wide {
		f, sh := archsimd.LoadFloat32x16(&o.freq), archsimd.LoadFloat32x16(&o.shift)
		v := simplex16(vx.Mul(f).Add(sh), vy.Mul(f).Add(sh), vz.Mul(f).Add(sh), archsimd.LoadInt32x16(&o.seed))
		switch s.kind {
		case Ridges:
			v = one.Sub(two.Mul(v.AsInt32x16().And(noSign).AsFloat32x16()))
		case Billow:
			v = two.Mul(v.AsInt32x16().And(noSign).AsFloat32x16()).Sub(one)
		}
		sum = sum.Add(archsimd.LoadFloat32x16(&o.amp).Mul(v))
	}
	sum.Max(archsimd.LoadFloat32x16(&wCZero)).Min(one).Store(out)
	archsimd.ClearAVXUpperBits()
}

// over16 is over, sixteen times.
func over16(a, b f16) i16 {
	return archsimd.LoadInt32x16(&wIOne).Sub(a.Sub(b).AsUint32x16().ShiftRight(archsimd.LoadUint32x16(&wBy31)).AsInt32x16())
}

func simplex16(x, y, z f16, base i16) f16 {
	skew, unskew := archsimd.LoadFloat32x16(&wCSkew), archsimd.LoadFloat32x16(&wCUnskew)
	s := x.Add(y)
	s = s.Add(z).Mul(skew)
	i, j, k := s.Add(x).FloorScaled(0).ConvertToInt32(), s.Add(y).FloorScaled(0).ConvertToInt32(), s.Add(z).FloorScaled(0).ConvertToInt32()
	t := i.Add(j).Add(k).ConvertToFloat32().Mul(unskew)
	x0, y0, z0 := x.Sub(
		i.ConvertToFloat32().Sub(t),
	), y.Sub(
		j.ConvertToFloat32().Sub(t),
	), z.Sub(
		k.ConvertToFloat32().Sub(t),
	)

	one := archsimd.LoadInt32x16(&wIOne)
	xy, xz, yz := over16(x0, y0), over16(x0, z0), over16(y0, z0)
	rx, ry, rz := xy.Add(xz), one.Sub(xy).Add(yz), one.Add(one).Sub(xz).Sub(yz)
	by := archsimd.LoadInt32x16(&wIOne)
	i1, j1, k1 := rx.ShiftRight(by), ry.ShiftRight(by), rz.ShiftRight(by)
	i2, j2, k2 := rx.Add(one).ShiftRight(by), ry.Add(one).ShiftRight(by), rz.Add(one).ShiftRight(by)
	none := archsimd.LoadInt32x16(&wINone)
	step := func(is, prime i16) i16 { return none.Sub(is).And(prime) } // is times prime, of 0 and 1

	px, py, pz := archsimd.LoadInt32x16(&wIPrimeX), archsimd.LoadInt32x16(&wIPrimeY), archsimd.LoadInt32x16(&wIPrimeZ)
	hx, hy, hz := i.Mul(px), j.Mul(py), k.Mul(pz)
	h0 := base.Xor(hx).Xor(hy).Xor(hz)
	h1 := base.Xor(hx.Add(step(i1, px)).Xor(hy.Add(step(j1, py))).Xor(hz.Add(step(k1, pz))))
	h2 := base.Xor(hx.Add(step(i2, px)).Xor(hy.Add(step(j2, py))).Xor(hz.Add(step(k2, pz))))
	h3 := base.Xor(hx.Add(px).Xor(hy.Add(py)).Xor(hz.Add(pz)))

	third, half := archsimd.LoadFloat32x16(&wCThird), archsimd.LoadFloat32x16(&wCHalf)
	// each corner is corner, sixteen times; its parts are small enough to become parts of this function, where
	// they stay in registers: a call hands its registers over in memory
	n := fall16(x0, y0, z0).Mul(along16(x0, y0, z0, mix16(h0)))
	x1, y1, z1 := x0.Sub(i1.ConvertToFloat32()).Add(unskew), y0.Sub(j1.ConvertToFloat32()).Add(unskew), z0.Sub(k1.ConvertToFloat32()).Add(unskew)
	n = n.Add(fall16(x1, y1, z1).Mul(along16(x1, y1, z1, mix16(h1))))
	x1, y1, z1 = x0.Sub(i2.ConvertToFloat32()).Add(third), y0.Sub(j2.ConvertToFloat32()).Add(third), z0.Sub(k2.ConvertToFloat32()).Add(third)
	n = n.Add(fall16(x1, y1, z1).Mul(along16(x1, y1, z1, mix16(h2))))
	x1, y1, z1 = x0.Sub(half), y0.Sub(half), z0.Sub(half)
	n = n.Add(fall16(x1, y1, z1).Mul(along16(x1, y1, z1, mix16(h3))))
	return archsimd.LoadFloat32x16(&wCScale).Mul(n)
}

// fall16 is how much of a corner a place has.
func fall16(x, y, z f16) f16 {
	b := archsimd.LoadFloat32x16(&wCHalf).Sub(x.Mul(x)).Sub(y.Mul(y)).Sub(z.Mul(z)).AsInt32x16()
	t := b.Max(archsimd.LoadInt32x16(&wINone)).AsFloat32x16() // nothing where it is negative
	t = t.Mul(t)
	return t.Mul(t)
}

// mix16 is mix, and the place in the table of gradients in its lowest bits.
func mix16(h i16) i16 {
	u := h.AsUint32x16()
	u = u.Xor(u.ShiftRight(archsimd.LoadUint32x16(&wBy15)))
	u = u.AsInt32x16().Mul(archsimd.LoadInt32x16(&wIMix)).AsUint32x16()
	return u.Xor(u.ShiftRight(archsimd.LoadUint32x16(&wBy13))).ShiftRight(archsimd.LoadUint32x16(&wBy8)).AsInt32x16()
}

// along16 is a place along the gradient of the table: two of its components, each with a sign.
func along16(x, y, z f16, g i16) f16 {
	eight, twelve, thirteen := archsimd.LoadInt32x16(&wIEight), archsimd.LoadInt32x16(&wITwelve), archsimd.LoadInt32x16(&wIThirteen)
	first := y.Merge(x, g.And(eight).Equal(eight))
	second := y.Merge(x.Merge(z, g.And(thirteen).Equal(twelve)), g.And(twelve).Equal(archsimd.LoadInt32x16(&wINone)))
	// the lowest bit of the place becomes the first's sign, the next one the second's
	up := archsimd.LoadUint32x16(&wBy31)
	bits := g.AsUint32x16()
	one, two := bits.ShiftLeft(up), bits.ShiftRight(archsimd.LoadUint32x16(&wBy1)).ShiftLeft(up)
	return first.AsUint32x16().Xor(one).AsFloat32x16().Add(second.AsUint32x16().Xor(two).AsFloat32x16())
}
