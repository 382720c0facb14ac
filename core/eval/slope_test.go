package eval

import (
	"math/rand"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
)

// Eight normals at once are those of each point alone, to the bit: over any places, heights that are
// level in parts, points that are missing, texels that span no plane, and places that lie elsewhere.
func TestNormalsOfEightEqualThoseOfOne(t *testing.T) {
	r := rand.New(rand.NewSource(5))
	slopes := 0
	for round := range 40 {
		const w, h = 41, 23
		f := &raster.Frame{W: w, H: h, Pos: make([]geom.Vec3, w*h), Nrm: make([]geom.Vec3, w*h), Tri: make([]int32, w*h)}
		height := make([]float32, w*h)
		any := func() float32 { return r.Float32()*2 - 1 }
		for i := range f.Pos {
			x, y := float32(i%w), float32(i/w)
			f.Pos[i] = geom.V3(x+0.3*any(), 0.4*any(), y+0.3*any()).Mul(0.001)
			f.Nrm[i] = geom.V3(0.3*any(), 1, 0.3*any()).Unit()
			if i%w < 20 || round%2 == 0 {
				height[i] = any() * 0.002
			}
			switch {
			case round%4 == 1 && r.Intn(60) == 0:
				f.Tri[i] = -1
			case round%4 == 3 && i/w > 12:
				f.Pos[i].Z = 0.005 // no plane
			}
		}
		if round%5 == 0 { // beside the island
			f.Lie = make([]geom.Vec3, w*h)
			for i, p := range f.Pos {
				f.Lie[i] = p.Add(geom.V3(any(), any(), any()).Mul(0.0002))
			}
		}
		var got, want [3][]float32
		for c := range 3 {
			got[c], want[c] = make([]float32, w*h), make([]float32, w*h)
		}
		normals(f, height, got)
		for i := range f.Pos {
			one(f, height, i, want)
			for c := range 3 {
				if got[c][i] != want[c][i] {
					t.Fatalf("round %d, point %d: %v, alone %v", round, i,
						[3]float32{got[0][i], got[1][i], got[2][i]}, [3]float32{want[0][i], want[1][i], want[2][i]})
				}
			}
			if want[2][i] < 0.999 {
				slopes++
			}
		}
	}
	if slopes < 5000 {
		t.Errorf("only %d points with a slope: the test shows little", slopes)
	}
}
