package raster

import (
	"math"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// box is a cube of 1 m without bottom and top: four walls, each an island of its
// own in a row on the sheet, 100 texels wide at 512.
func box(t *testing.T) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Parts: []mesh.Part{{Name: "Crate"}}, Sheets: []mesh.Sheet{{Name: "Crate", HasUV: true}}}
	corners := [5]geom.Vec3{{X: -0.5, Z: 0.5}, {X: 0.5, Z: 0.5}, {X: 0.5, Z: -0.5}, {X: -0.5, Z: -0.5}, {X: -0.5, Z: 0.5}}
	for w := range 4 {
		a, b := corners[w], corners[w+1]
		n := geom.V3(b.Z-a.Z, 0, a.X-b.X).Unit().Mul(-1)
		first := uint32(len(m.Pos))
		for _, c := range [4]struct {
			p    geom.Vec3
			u, v float32
		}{{a, 0, 1}, {b, 1, 1}, {b.Add(geom.V3(0, 1, 0)), 1, 0}, {a.Add(geom.V3(0, 1, 0)), 0, 0}} {
			m.Pos, m.Nrm = append(m.Pos, c.p), append(m.Nrm, n)
			m.UV = append(m.UV, geom.Vec2{X: (10 + 120*float32(w) + 100*c.u) / 512, Y: (10 + 100*c.v) / 512})
		}
		m.Tri = append(m.Tri, [3]uint32{first, first + 1, first + 2}, [3]uint32{first, first + 2, first + 3})
		m.TriPart, m.TriSheet = append(m.TriPart, 0, 0), append(m.TriSheet, 0, 0)
	}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

// Around the crate a patch goes on from wall to wall: 30 texels beyond the first
// wall's right edge lies the place 0.3 m along the second wall.
func TestAPatchGoesOnOverTheBordersOfAnIsland(t *testing.T) {
	m := box(t)
	x := NewIndex(m, 0)
	f := x.Patch(m.Island[0], 512, 60, 30, 120, 40) // from the first wall's middle to 70 texels beyond it
	if math.Abs(float64(f.Footprint)-0.01) > 1e-5 {
		t.Fatalf("a texel is %v m wide, want 0.01", f.Footprint)
	}
	for _, c := range []struct {
		col  int
		want geom.Vec3 // at the height of the row
	}{
		{0, geom.V3(0.005, 0, 0.5)}, {49, geom.V3(0.495, 0, 0.5)}, {50, geom.V3(0.5, 0, 0.495)}, {80, geom.V3(0.5, 0, 0.195)}, {119, geom.V3(0.5, 0, -0.195)},
	} {
		const row = 20
		i := row*f.W + c.col
		c.want.Y = 1 - (20+row+0.5)/100
		if f.Tri[i] < 0 || f.Pos[i].Sub(c.want).Length() > 1e-4 {
			t.Errorf("column %d is %v (triangle %d), want %v", c.col, f.Pos[i], f.Tri[i], c.want)
		}
		if own := c.col < 50; f.Inside[i] != own {
			t.Errorf("column %d: own %v, want %v", c.col, f.Inside[i], own)
		}
	}
	// above the open top there is nothing
	f = x.Patch(m.Island[0], 512, 30, 0, 20, 20)
	for col := range 20 {
		if f.Tri[5*20+col] >= 0 || f.Tri[15*20+col] < 0 {
			t.Fatalf("column %d above and below the rim: %d, %d", col, f.Tri[5*20+col], f.Tri[15*20+col])
		}
	}
}

// The walk right around meets the first wall again, and a patch is the same however
// often it is made.
func TestAPatchMayMeetItself(t *testing.T) {
	m := box(t)
	x := NewIndex(m, 0)
	f := x.Patch(m.Island[0], 512, 10, 40, 500, 8)
	i := 4*f.W + 450
	if want := geom.V3(0.005, 1-(30+4.5)/100, 0.5); f.Inside[i] || f.Pos[i].Sub(want).Length() > 1e-3 {
		t.Errorf("450 texels around is %v, want %v again", f.Pos[i], want)
	}
	g := x.Patch(m.Island[0], 512, 10, 40, 500, 8)
	for k := range f.Pos {
		if f.Pos[k] != g.Pos[k] || f.Tri[k] != g.Tri[k] {
			t.Fatalf("texel %d differs when made again", k)
		}
	}
}

func TestUVAt(t *testing.T) {
	m := box(t)
	x := NewIndex(m, 0)
	f := x.Tile(512, 0, 0)
	for i, in := range f.Inside {
		if !in {
			continue
		}
		uv := x.UVAt(f.Tri[i], f.Pos[i])
		wantX, wantY := (float64(i%f.W)-0.5)/512, (float64(i/f.W)-0.5)/512
		if math.Abs(float64(uv.X)-wantX) > 1e-5 || math.Abs(float64(uv.Y)-wantY) > 1e-5 {
			t.Fatalf("texel %d lies at %v, want %v, %v", i, uv, wantX, wantY)
		}
	}
}
