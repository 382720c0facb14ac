package warp

import (
	"math"
	"strings"
	"testing"
)

// Pulled corners come from the picture's corners, straight lines stay straight: where the diagonals
// meet, its middle lies; and the gradients are those of finite differences.
func TestCornersPulled(t *testing.T) {
	off := [8]float32{0.1, 0.05, -0.15, 0.2, 0.3, 0.1, -0.05, -0.25}
	q, err := NewQuad(off)
	if err != nil {
		t.Fatal(err)
	}
	near := func(what string, got, want float32, by float64) {
		t.Helper()
		if math.Abs(float64(got-want)) > by {
			t.Errorf("%s: %v, want %v", what, got, want)
		}
	}
	var at [4][2]float32
	for k, c := range [4][2]float32{{0, 0}, {1, 0}, {1, 1}, {0, 1}} {
		at[k] = [2]float32{c[0] + off[2*k], c[1] + off[2*k+1]}
		x, y, _, _, ok := q.Back(at[k][0], at[k][1])
		if !ok {
			t.Fatalf("corner %d lies nowhere", k)
		}
		near("a corner across", x, c[0], 1e-5)
		near("a corner down", y, c[1], 1e-5)
	}
	// the diagonals: at[0] + s (at[2] − at[0]) = at[1] + r (at[3] − at[1])
	ax, ay, bx, by := at[2][0]-at[0][0], at[2][1]-at[0][1], at[3][0]-at[1][0], at[3][1]-at[1][1]
	s := ((at[1][0]-at[0][0])*by - (at[1][1]-at[0][1])*bx) / (ax*by - ay*bx)
	mx, my := at[0][0]+s*ax, at[0][1]+s*ay
	x, y, gx, gy, _ := q.Back(mx, my)
	near("the middle across", x, 0.5, 1e-5)
	near("the middle down", y, 0.5, 1e-5)
	const h = 1e-3
	x1, y1, _, _, _ := q.Back(mx+h, my)
	x2, y2, _, _, _ := q.Back(mx, my+h)
	near("x over u", gx[0], (x1-x)/h, 0.01)
	near("x over v", gx[1], (x2-x)/h, 0.01)
	near("y over u", gy[0], (y1-y)/h, 0.01)
	near("y over v", gy[1], (y2-y)/h, 0.01)
	if wide, tall := QuadReach(off); wide != 1.6 || math.Abs(float64(tall-1.2)) > 1e-6 {
		t.Errorf("they lie %v by %v halves from the middle", wide, tall)
	}
}

// Corners that do not go round the picture are refused by name.
func TestCornersThatCrossAreRefused(t *testing.T) {
	for name, off := range map[string][8]float32{
		"upper left":  {0.7, 0.7},
		"lower right": {0, 0, 0, 0, -0.6, -0.6, 0, 0},
		"corner":      {1, 0, -1, 0}, // the upper ones exchanged
	} {
		if _, err := NewQuad(off); err == nil || !strings.Contains(err.Error(), name) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := NewQuad([8]float32{}); err != nil {
		t.Error(err)
	}
}
