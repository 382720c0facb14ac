//go:build !goexperiment.simd || !amd64

package spatial

import "velvetgrime/core/geom"

func (t *Tree) cast(b *Bundle, anyHit bool) uint64 { return t.castPlain(b, anyHit) }

// SetFan gives the bundle the directions of a fan, turned into the frame of n.
func (b *Bundle) SetFan(origin geom.Vec3, f *Fan, t, s, n geom.Vec3, near, far float32) {
	b.setFanPlain(origin, f, t, s, n, near, far)
}

func (n *node) away(p *[3][8]float32, out *[8]float32) { n.awayPlain(p, out) }

func all(v float32) [8]float32 { return [8]float32{v, v, v, v, v, v, v, v} }

func (t *Tree) one(b *Bundle, dir geom.Vec3, far float32, anyHit bool) bool {
	return t.onePlain(b, dir, far, anyHit)
}
