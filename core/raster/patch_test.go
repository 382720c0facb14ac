package raster

import (
	"math"
	"slices"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// box is a cube of 1 m without bottom and top: four walls, each an island of its
// own in a row on the sheet, 100 texels wide at 512, of n × n squares.
func box(t *testing.T, n int) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Parts: []mesh.Part{{Name: "Crate"}}, Sheets: []mesh.Sheet{{Name: "Crate", HasUV: true}}}
	corners := [5]geom.Vec3{{X: -0.5, Z: 0.5}, {X: 0.5, Z: 0.5}, {X: 0.5, Z: -0.5}, {X: -0.5, Z: -0.5}, {X: -0.5, Z: 0.5}}
	for w := range 4 {
		a, b := corners[w], corners[w+1]
		across := geom.V3(b.Z-a.Z, 0, a.X-b.X).Unit().Mul(-1)
		first, row := uint32(len(m.Pos)), uint32(n+1)
		for y := range n + 1 {
			for x := range n + 1 {
				u, v := float32(x)/float32(n), float32(y)/float32(n)
				m.Pos, m.Nrm = append(m.Pos, a.Add(b.Sub(a).Mul(u)).Add(geom.V3(0, 1-v, 0))), append(m.Nrm, across)
				m.UV = append(m.UV, geom.Vec2{X: (10 + 120*float32(w) + 100*u) / 512, Y: (10 + 100*v) / 512})
			}
		}
		for k := range uint32(n * n) {
			at := first + k/uint32(n)*row + k%uint32(n)
			m.Tri = append(m.Tri, [3]uint32{at + row, at + row + 1, at + 1}, [3]uint32{at + row, at + 1, at})
			m.TriPart, m.TriSheet = append(m.TriPart, 0, 0), append(m.TriSheet, 0, 0)
		}
	}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

// Around the crate a patch goes on from wall to wall: 30 texels beyond the first
// wall's right edge lies the place 0.3 m along the second wall.
func TestAPatchGoesOnOverTheBordersOfAnIsland(t *testing.T) {
	m := box(t, 1)
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
// How finely a surface is divided changes nothing of what a patch stands for, also where more
// triangles lie under it than are remembered; nor does what was laid flat before.
func TestAPatchOfAFineMesh(t *testing.T) {
	plain, fine := box(t, 1), box(t, 120)
	on := func(m *mesh.Model, size int) *Frame { // three quarters of it beyond the first wall
		return NewIndex(m, 0).Patch(m.Island[0], size, 0, 0, size*300/512, size*110/512)
	}
	for _, size := range []int{512, 128} {
		want, got := on(plain, size), on(fine, size)
		differ := 0
		for i, tri := range want.Tri {
			if (tri < 0) != (got.Tri[i] < 0) || tri >= 0 && got.Pos[i].Sub(want.Pos[i]).Length() > 1e-3 {
				differ++
			}
		}
		if differ > 0 {
			t.Errorf("at %d: %d of %d texels stand for other places", size, differ, len(want.Tri))
		}
		if again := on(plain, size); !slices.Equal(again.Pos, want.Pos) || !slices.Equal(again.Tri, want.Tri) {
			t.Errorf("at %d: another patch laid flat between changed one", size)
		}
	}
}

// What is remembered of the triangles beyond each other is what is found anew.
func TestRememberedTrianglesAreThoseFoundAnew(t *testing.T) {
	m := box(t, 24)
	for i, p := range m.Pos { // bent everywhere
		m.Pos[i] = p.Mul(1 + 0.2*float32(math.Sin(9*float64(p.X))*math.Sin(7*float64(p.Z))*math.Cos(5*float64(p.Y))))
	}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	x := NewIndex(m, 0)
	defer func(was int) { mostLaid = was }(mostLaid)
	for _, size := range []int{512, 128, 64} {
		on := func(most int) *Frame {
			mostLaid = most
			return x.Patch(m.Island[0], size, -size/10, -size/10, size/2, size/2)
		}
		if anew, kept := on(0), on(1<<15); !slices.Equal(anew.Pos, kept.Pos) || !slices.Equal(anew.Tri, kept.Tri) {
			t.Errorf("at %d they differ", size)
		}
	}
}

func TestAPatchMayMeetItself(t *testing.T) {
	m := box(t, 1)
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
	m := box(t, 1)
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
