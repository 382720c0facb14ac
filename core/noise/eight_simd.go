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

// Eight evaluates eight points at once, with the processor's wide registers where
// it has them. Every operation is the one of At, in its order and without fused
// multiply-add, so the results are the same to the bit; TestEightMatchesOne holds
// them against each other.
func (s *Sampler) Eight(x, y, z, out *[8]float32) {
	if !wide || s.kind == Cells {
		s.eightPlain(x, y, z, out)
		return
	}
	vx, vy, vz := archsimd.LoadFloat32x8(x), archsimd.LoadFloat32x8(y), archsimd.LoadFloat32x8(z)
	sum := archsimd.BroadcastFloat32x8(s.offset)
	one, two := archsimd.BroadcastFloat32x8(1), archsimd.BroadcastFloat32x8(2)
	noSign := archsimd.BroadcastInt32x8(0x7fffffff)
	for i := range s.octaves {
		o := &s.octaves[i]
		f, sh := archsimd.BroadcastFloat32x8(o.freq), archsimd.BroadcastFloat32x8(o.shift)
		at := func(v f8) f8 { return v.Mul(f).Add(sh) }
		v := simplex8(at(vx), at(vy), at(vz), o.seed)
		switch s.kind {
		case Ridges:
			v = one.Sub(two.Mul(v.AsInt32x8().And(noSign).AsFloat32x8()))
		case Billow:
			v = two.Mul(v.AsInt32x8().And(noSign).AsFloat32x8()).Sub(one)
		}
		sum = sum.Add(archsimd.BroadcastFloat32x8(o.amp).Mul(v))
	}
	sum.Max(archsimd.BroadcastFloat32x8(0)).Min(one).Store(out)
}

// over8 is over, eight times.
func over8(a, b f8) i8 {
	return archsimd.BroadcastInt32x8(1).Sub(a.Sub(b).AsUint32x8().ShiftAllRight(31).AsInt32x8())
}

func simplex8(x, y, z f8, seed uint32) f8 {
	skew, unskew := archsimd.BroadcastFloat32x8(1.0/3), archsimd.BroadcastFloat32x8(1.0/6)
	s := x.Add(y)
	s = s.Add(z).Mul(skew)
	skewed := func(v f8) i8 { return v.Add(s).Floor().ConvertToInt32() }
	i, j, k := skewed(x), skewed(y), skewed(z)
	t := i.Add(j).Add(k).ConvertToFloat32().Mul(unskew)
	x0, y0, z0 := x.Sub(i.ConvertToFloat32().Sub(t)), y.Sub(j.ConvertToFloat32().Sub(t)), z.Sub(k.ConvertToFloat32().Sub(t))

	one := archsimd.BroadcastInt32x8(1)
	xy, xz, yz := over8(x0, y0), over8(x0, z0), over8(y0, z0)
	rx, ry, rz := xy.Add(xz), one.Sub(xy).Add(yz), one.Add(one).Sub(xz).Sub(yz)
	i1, j1, k1 := rx.ShiftAllRight(1), ry.ShiftAllRight(1), rz.ShiftAllRight(1)
	i2, j2, k2 := rx.Add(one).ShiftAllRight(1), ry.Add(one).ShiftAllRight(1), rz.Add(one).ShiftAllRight(1)

	var primes = [3]uint32{primeX, primeY, primeZ}
	px, py, pz := archsimd.BroadcastInt32x8(int32(primes[0])), archsimd.BroadcastInt32x8(int32(primes[1])), archsimd.BroadcastInt32x8(int32(primes[2]))
	hx, hy, hz := i.Mul(px), j.Mul(py), k.Mul(pz)
	base := archsimd.BroadcastInt32x8(int32(seed ^ 0x9e3779b9))
	h0 := base.Xor(hx).Xor(hy).Xor(hz)
	h1 := base.Xor(hx.Add(i1.Mul(px)).Xor(hy.Add(j1.Mul(py))).Xor(hz.Add(k1.Mul(pz))))
	h2 := base.Xor(hx.Add(i2.Mul(px)).Xor(hy.Add(j2.Mul(py))).Xor(hz.Add(k2.Mul(pz))))
	h3 := base.Xor(hx.Add(px).Xor(hy.Add(py)).Xor(hz.Add(pz)))

	third, half := archsimd.BroadcastFloat32x8(2*(1.0/6)), archsimd.BroadcastFloat32x8(0.5)
	n := corner8(x0, y0, z0, h0)
	n = n.Add(corner8(x0.Sub(i1.ConvertToFloat32()).Add(unskew), y0.Sub(j1.ConvertToFloat32()).Add(unskew), z0.Sub(k1.ConvertToFloat32()).Add(unskew), h1))
	n = n.Add(corner8(x0.Sub(i2.ConvertToFloat32()).Add(third), y0.Sub(j2.ConvertToFloat32()).Add(third), z0.Sub(k2.ConvertToFloat32()).Add(third), h2))
	n = n.Add(corner8(x0.Sub(half), y0.Sub(half), z0.Sub(half), h3))
	return archsimd.BroadcastFloat32x8(76).Mul(n)
}

func corner8(x, y, z f8, h i8) f8 {
	b := archsimd.BroadcastFloat32x8(0.5).Sub(x.Mul(x)).Sub(y.Mul(y)).Sub(z.Mul(z)).AsInt32x8()
	t := b.AndNot(b.ShiftAllRight(31)).AsFloat32x8()
	t = t.Mul(t)
	u := h.AsUint32x8()
	u = u.Xor(u.ShiftAllRight(15))
	u = u.AsInt32x8().Mul(archsimd.BroadcastInt32x8(0x2c1b3c6d)).AsUint32x8()
	u = u.Xor(u.ShiftAllRight(13)).ShiftAllRight(8)
	high := u.And(archsimd.BroadcastUint32x8(8)).NotEqual(archsimd.BroadcastUint32x8(0))
	g := func(c int) f8 {
		lo, hi := archsimd.LoadFloat32x8(&gradLow[c]), archsimd.LoadFloat32x8(&gradHigh[c])
		return hi.Permute(u).Merge(lo.Permute(u), high) // Permute looks at three bits
	}
	return t.Mul(t).Mul(g(0).Mul(x).Add(g(1).Mul(y)).Add(g(2).Mul(z)))
}
