//go:build goexperiment.simd && amd64

package eval

import (
	"simd/archsimd"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
)

var eights = archsimd.X86.AVX2()

func eight(v float32) (l [8]float32) {
	for i := range l {
		l[i] = v
	}
	return
}

// Constants come from memory as whole registers: see package noise for why.
var e0, eHalf, e1, eFlat, eShort = eight(0), eight(0.5), eight(1), eight(1e-6), eight(1e-20)

// three are eight vectors, by components.
type three struct{ x, y, z [8]float32 }

func (t *three) load() (x, y, z archsimd.Float32x8) {
	return archsimd.LoadFloat32x8(&t.x), archsimd.LoadFloat32x8(&t.y), archsimd.LoadFloat32x8(&t.z)
}

func (t *three) set(v []geom.Vec3) {
	for k := range 8 {
		t.x[k], t.y[k], t.z[k] = v[k].X, v[k].Y, v[k].Z
	}
}

func (t *three) between(a, b []geom.Vec3) {
	for k := range 8 {
		t.x[k], t.y[k], t.z[k] = b[k].X-a[k].X, b[k].Y-a[k].Y, b[k].Z-a[k].Z
	}
}

// eightNormals is one for eight points beside each other, all of them and all beside them standing for
// something, with its operations in their order. It returns for which of them it holds: not for
// those without a slope, nor where texels span no plane.
func eightNormals(f *raster.Frame, pos []geom.Vec3, h []float32, i int, out [3][]float32) uint8 {
	if !eights {
		return 0
	}
	var n, dx, dy three
	n.set(f.Nrm[i : i+8])
	dx.between(pos[i-1:i+7], pos[i+1:i+9])
	dy.between(pos[i-f.W:i-f.W+8], pos[i+f.W:i+f.W+8])
	half, zero := archsimd.LoadFloat32x8(&eHalf), archsimd.LoadFloat32x8(&e0)
	nx, ny, nz := n.load()
	ax, ay, az := dx.load()
	bx, by, bz := dy.load()
	hx := archsimd.LoadFloat32x8Slice(h[i+1:]).Sub(archsimd.LoadFloat32x8Slice(h[i-1:])).Mul(half)
	hy := archsimd.LoadFloat32x8Slice(h[i+f.W:]).Sub(archsimd.LoadFloat32x8Slice(h[i-f.W:])).Mul(half)
	ax, ay, az, bx, by, bz = ax.Mul(half), ay.Mul(half), az.Mul(half), bx.Mul(half), by.Mul(half), bz.Mul(half)
	// laid onto the surface
	d := ax.Mul(nx).Add(ay.Mul(ny)).Add(az.Mul(nz))
	ax, ay, az = ax.Sub(nx.Mul(d)), ay.Sub(ny.Mul(d)), az.Sub(nz.Mul(d))
	d = bx.Mul(nx).Add(by.Mul(ny)).Add(bz.Mul(nz))
	bx, by, bz = bx.Sub(nx.Mul(d)), by.Sub(ny.Mul(d)), bz.Sub(nz.Mul(d))
	// the slope there
	e, g := ax.Mul(ax).Add(ay.Mul(ay)).Add(az.Mul(az)), bx.Mul(bx).Add(by.Mul(by)).Add(bz.Mul(bz))
	m := ax.Mul(bx).Add(ay.Mul(by)).Add(az.Mul(bz))
	det := e.Mul(g).Sub(m.Mul(m))
	u, v := g.Mul(hx).Sub(m.Mul(hy)).Div(det), e.Mul(hy).Sub(m.Mul(hx)).Div(det)
	gx, gy, gz := ax.Mul(u).Add(bx.Mul(v)), ay.Mul(u).Add(by.Mul(v)), az.Mul(u).Add(bz.Mul(v))
	l := e.Sqrt()
	ok := det.Greater(archsimd.LoadFloat32x8(&eFlat).Mul(e).Mul(g)).And(det.Greater(zero)).
		And(l.GreaterEqual(archsimd.LoadFloat32x8(&eShort))).And(gx.Mul(gx).Add(gy.Mul(gy)).Add(gz.Mul(gz)).Greater(zero))
	// along U and up in the picture
	one := archsimd.LoadFloat32x8(&e1)
	l = one.Div(l)
	ax, ay, az = ax.Mul(l), ay.Mul(l), az.Mul(l)
	tx, ty, tz := ny.Mul(az).Sub(nz.Mul(ay)), nz.Mul(ax).Sub(nx.Mul(az)), nx.Mul(ay).Sub(ny.Mul(ax))
	back := tx.Mul(bx).Add(ty.Mul(by)).Add(tz.Mul(bz)).Greater(zero)
	along := zero.Sub(gx.Mul(ax).Add(gy.Mul(ay)).Add(gz.Mul(az)))
	up := gx.Mul(tx).Add(gy.Mul(ty)).Add(gz.Mul(tz))
	up = up.Merge(zero.Sub(up), back)
	l = one.Div(along.Mul(along).Add(up.Mul(up)).Add(one).Sqrt())
	along.Mul(l).StoreSlice(out[0][i:])
	up.Mul(l).StoreSlice(out[1][i:])
	l.StoreSlice(out[2][i:])
	r := ok.ToBits()
	archsimd.ClearAVXUpperBits()
	return uint8(r)
}
