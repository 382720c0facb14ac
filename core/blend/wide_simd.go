//go:build goexperiment.simd && amd64

package blend

import "simd/archsimd"

var wide = archsimd.X86.AVX2()

type lanes = [8]float32

func all(v float32) (l lanes) {
	for i := range l {
		l[i] = v
	}
	return
}

// Constants come from memory as whole registers: see package noise for why.
var nought, quarter, half, one, two, four, twelve, sixteen = all(0), all(0.25), all(0.5), all(1), all(2), all(4), all(12), all(16)

// blendWide blends eight values at a time, with the operations of the plain loops in their order,
// and returns how many it did. Of a source that is the same everywhere src is eight of it and step 0;
// else step is 8.
func blendWide(m Mode, dst, src []float32, step int, alpha []float32, amount float32) int {
	if !wide {
		return 0
	}
	n := len(dst) &^ 7
	if n == 0 {
		return 0
	}
	la := all(amount)
	va := archsimd.LoadFloat32x8(&la)
	at := 0
	switch m {
	case "", Normal:
		for i := 0; i < n; i += 8 {
			b, s, a := archsimd.LoadFloat32x8Slice(dst[i:]), archsimd.LoadFloat32x8Slice(src[at:]), archsimd.LoadFloat32x8Slice(alpha[i:])
			b.Add(a.Mul(va).Mul(s.Sub(b))).StoreSlice(dst[i:])
			at += step
		}
	case "multiply":
		for i := 0; i < n; i += 8 {
			b, s, a := archsimd.LoadFloat32x8Slice(dst[i:]), archsimd.LoadFloat32x8Slice(src[at:]), archsimd.LoadFloat32x8Slice(alpha[i:])
			b.Add(a.Mul(va).Mul(b.Mul(s).Sub(b))).StoreSlice(dst[i:])
			at += step
		}
	case "add":
		for i := 0; i < n; i += 8 {
			b, s, a := archsimd.LoadFloat32x8Slice(dst[i:]), archsimd.LoadFloat32x8Slice(src[at:]), archsimd.LoadFloat32x8Slice(alpha[i:])
			b.Add(a.Mul(va).Mul(s)).StoreSlice(dst[i:])
			at += step
		}
	case "screen":
		for i := 0; i < n; i += 8 {
			b, s, a := archsimd.LoadFloat32x8Slice(dst[i:]), archsimd.LoadFloat32x8Slice(src[at:]), archsimd.LoadFloat32x8Slice(alpha[i:])
			b.Add(a.Mul(va).Mul(s.Sub(b.Mul(s)))).StoreSlice(dst[i:])
			at += step
		}
	default:
		if !blendRare(m, dst[:n], src, step, alpha, va) {
			return 0
		}
	}
	archsimd.ClearAVXUpperBits()
	return n
}

// evenOverWide is blendWide of one value over one value, in the modes that most coats have.
func evenOverWide(m Mode, dst []float32, b, s float32, alpha []float32, amount float32) int {
	if !wide || m != "" && m != Normal && m != "add" {
		return 0
	}
	by := s
	if m != "add" {
		by = s - b
	}
	n, lb, lby, la := len(dst)&^7, all(b), all(by), all(amount)
	vb, vby, va := archsimd.LoadFloat32x8(&lb), archsimd.LoadFloat32x8(&lby), archsimd.LoadFloat32x8(&la)
	for i := 0; i < n; i += 8 {
		vb.Add(archsimd.LoadFloat32x8Slice(alpha[i:]).Mul(va).Mul(vby)).StoreSlice(dst[i:])
	}
	archsimd.ClearAVXUpperBits()
	return n
}

// blendRare does the modes that are chosen for each eight values: what is chosen is the same for
// all of a row, and costs little.
func blendRare(m Mode, dst, src []float32, step int, alpha []float32, va archsimd.Float32x8) bool {
	k := rare(m)
	if k == 0 {
		return false
	}
	v0, v1, v2 := archsimd.LoadFloat32x8(&nought), archsimd.LoadFloat32x8(&one), archsimd.LoadFloat32x8(&two)
	vHalf := archsimd.LoadFloat32x8(&half)
	at := 0
	for i := 0; i < len(dst); i += 8 {
		b, s, a := archsimd.LoadFloat32x8Slice(dst[i:]), archsimd.LoadFloat32x8Slice(src[at:]), archsimd.LoadFloat32x8Slice(alpha[i:])
		at += step
		a = a.Mul(va)
		var r archsimd.Float32x8
		switch k {
		case subtracts:
			b.Sub(a.Mul(s)).StoreSlice(dst[i:])
			continue
		case darkens:
			r = b.Min(s)
		case lightens:
			r = b.Max(s)
		case differs:
			r = b.Sub(s).Max(s.Sub(b))
		case excludes:
			r = b.Add(s).Sub(v2.Mul(b).Mul(s))
		case linear:
			r = b.Add(v2.Mul(s)).Sub(v1)
		case divides:
			r = b.Merge(b.Div(s), s.LessEqual(v0))
		case dodges:
			r = v1.Min(b.Div(v1.Sub(s)))
			r = v1.Merge(r, s.GreaterEqual(v1))
			r = v0.Merge(r, b.LessEqual(v0))
		case burns:
			r = v1.Sub(v1.Min(v1.Sub(b).Div(s)))
			r = v0.Merge(r, s.LessEqual(v0))
			r = v1.Merge(r, b.GreaterEqual(v1))
		case hard, overlays:
			under, over := b, s
			if k == overlays {
				under, over = s, b
			}
			t := v2.Mul(over).Sub(v1)
			r = under.Mul(v2.Mul(over)).Merge(under.Add(t).Sub(under.Mul(t)), over.LessEqual(vHalf))
		default: // soft light
			d := b.Max(v0).Sqrt()
			low := archsimd.LoadFloat32x8(&sixteen).Mul(b).Sub(archsimd.LoadFloat32x8(&twelve)).Mul(b).Add(archsimd.LoadFloat32x8(&four)).Mul(b)
			d = low.Merge(d, b.LessEqual(archsimd.LoadFloat32x8(&quarter)))
			light := b.Add(v2.Mul(s).Sub(v1).Mul(d.Sub(b)))
			dark := b.Sub(v1.Sub(v2.Mul(s)).Mul(b).Mul(v1.Sub(b)))
			r = dark.Merge(light, s.LessEqual(vHalf))
		}
		b.Add(a.Mul(r.Sub(b))).StoreSlice(dst[i:])
	}
	return true
}

const (
	subtracts = 1 + iota
	darkens
	lightens
	differs
	excludes
	linear
	divides
	dodges
	burns
	hard
	overlays
	softly
)

func rare(m Mode) int {
	switch m {
	case "subtract":
		return subtracts
	case "darken":
		return darkens
	case "lighten":
		return lightens
	case "difference":
		return differs
	case "exclusion":
		return excludes
	case "linear light":
		return linear
	case "divide":
		return divides
	case "color dodge":
		return dodges
	case "color burn":
		return burns
	case "hard light":
		return hard
	case "overlay":
		return overlays
	case "soft light":
		return softly
	}
	return 0
}
