package raster_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
)

// slab is a unit square facing up that fills its sheet from 0.1 to 0.9.
func slab(t *testing.T) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Parts: []mesh.Part{{Name: "p"}}, Sheets: []mesh.Sheet{{Name: "s", HasUV: true}},
		Pos: []geom.Vec3{{Z: 1}, {X: 1, Z: 1}, {X: 1}, {}}, UV: []geom.Vec2{{X: .1, Y: .9}, {X: .9, Y: .9}, {X: .9, Y: .1}, {X: .1, Y: .1}},
		Tri: [][3]uint32{{0, 1, 2}, {0, 2, 3}}, TriPart: []uint16{0, 0}, TriSheet: []uint16{0, 0}, Nrm: []geom.Vec3{{Y: 1}, {Y: 1}, {Y: 1}, {Y: 1}}}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

// The place of a texel is the affine image of its centre.
func TestTexelsStandWhereTheirCentresLie(t *testing.T) {
	m := slab(t)
	x := raster.NewIndex(m, 0)
	const size = 256
	for ty := range size / pix.Size {
		for tx := range size / pix.Size {
			f := x.Tile(size, tx, ty)
			for i, p := range f.Pos {
				if !f.Inside[i] {
					continue
				}
				u := (float64(tx*pix.Size+i%f.W-pix.Margin) + 0.5) / size
				v := (float64(ty*pix.Size+i/f.W-pix.Margin) + 0.5) / size
				if math.Abs(float64(p.X)-(u-.1)/.8) > 1e-5 || math.Abs(float64(p.Z)-(v-.1)/.8) > 1e-5 {
					t.Fatalf("texel at UV %.4f %.4f stands for %v", u, v, p)
				}
			}
			if want := float32(1 / 0.8 / size); math.Abs(float64(f.Footprint/want-1)) > 1e-4 {
				t.Fatalf("footprint %v, want %v", f.Footprint, want)
			}
		}
	}
}

// However triangles lie, wide ones and slivers, with borders or among others, each texel within the
// outline stands for its own place, at every size.
func TestNoTexelWithinAnOutlineIsLeftOut(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 7))
	const side = 9
	m := &mesh.Model{Parts: []mesh.Part{{Name: "p"}}, Sheets: []mesh.Sheet{{Name: "s", HasUV: true}}}
	for i := range side * side {
		x, y := float32(i%side)/(side-1), float32(i/side)/(side-1)
		if i%side > 0 && i%side < side-1 && i/side > 0 && i/side < side-1 {
			x, y = x+(rng.Float32()-.5)*.11, y+(rng.Float32()-.5)*.11
		}
		m.Pos, m.Nrm = append(m.Pos, geom.V3(x, 0, y)), append(m.Nrm, geom.V3(0, 1, 0))
		m.UV = append(m.UV, geom.Vec2{X: .1 + .8*x, Y: .1 + .8*y})
	}
	for y := range uint32(side - 1) {
		for x := range uint32(side - 1) {
			a := y*side + x
			m.Tri = append(m.Tri, [3]uint32{a, a + side, a + 1}, [3]uint32{a + 1, a + side, a + side + 1})
		}
	}
	m.TriPart, m.TriSheet = make([]uint16, len(m.Tri)), make([]uint16, len(m.Tri))
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	x := raster.NewIndex(m, 0)
	for _, size := range []int{256, 512, 1024} {
		for ty := range size / pix.Size {
			for tx := range size / pix.Size {
				f := x.Tile(size, tx, ty)
				for i, p := range f.Pos {
					u := (float64(tx*pix.Size+i%f.W-pix.Margin) + 0.5) / float64(size)
					v := (float64(ty*pix.Size+i/f.W-pix.Margin) + 0.5) / float64(size)
					if min(u, v) < .1+1e-6 || max(u, v) > .9-1e-6 {
						continue
					}
					if !f.Inside[i] || math.Abs(float64(p.X)-(u-.1)/.8) > 1e-5 || math.Abs(float64(p.Z)-(v-.1)/.8) > 1e-5 {
						t.Fatalf("at %d the texel at UV %.5f %.5f stands for %v, inside: %v", size, u, v, p, f.Inside[i])
					}
				}
			}
		}
	}
}

// Neighbouring tiles see the same points in their margins.
func TestMarginsAgreeWithTheNextTile(t *testing.T) {
	x := raster.NewIndex(slab(t), 0)
	a, b := x.Tile(256, 0, 0), x.Tile(256, 1, 0)
	for y := range a.H {
		left, right := y*a.W+a.W-1, y*b.W+1 // a's margin is b's first texel
		if a.Pos[left] != b.Pos[right] || a.Tri[left] != b.Tri[right] {
			t.Fatalf("row %d: %v and %v", y, a.Pos[left], b.Pos[right])
		}
	}
}

func TestIslandsAreCarriedOutwardByReachAndNoFarther(t *testing.T) {
	f := raster.NewIndex(slab(t), 0).Tile(128, 0, 0)
	edge := 0.1 * 128 // in texels
	for xx := range 20 {
		i := 64*f.W + xx + pix.Margin
		d := edge - (float64(xx) + 0.5)
		if has := f.Tri[i] >= 0; has != (d <= raster.Reach) {
			t.Errorf("texel %d, %.1f from the island: filled is %v", xx, d, has)
		}
		if f.Tri[i] >= 0 && !f.Inside[i] && f.Pos[i].X != 0 {
			t.Errorf("an open border must be repeated, texel %d stands for %v", xx, f.Pos[i])
		}
	}
}

// A camera straight above sees the slab as it is.
func TestViewSeesTheSurfaceThatFacesIt(t *testing.T) {
	m := slab(t)
	// orthographic: x −1..1 from X 0..1, y up from Z 1..0, depth from Y
	vp := geom.Mat4{0: 2, 6: -1, 9: -2, 12: -1, 13: 1, 15: 1}
	f := raster.View(m, vp, 20, 10)
	if f.Covered != 200 {
		t.Fatalf("%d of 200 points are covered", f.Covered)
	}
	if p := f.Pos[0]; math.Abs(float64(p.X)-0.025) > 1e-5 || math.Abs(float64(p.Z)-0.05) > 1e-5 {
		t.Fatalf("the first point is %v", p)
	}
	vp[9], vp[13] = 2, -1 // from below
	if f := raster.View(m, vp, 20, 10); f.Covered != 0 {
		t.Fatalf("the back is seen in %d points", f.Covered)
	}
}
