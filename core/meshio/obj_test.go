package meshio

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
)

// scribbled is an OBJ file with all that the format allows, and with a line that is wrong
// when bad.
func scribbled(r *rand.Rand, bad bool) string {
	var b strings.Builder
	v, vt, vn := 0, 0, 0
	wrong := -1
	if bad {
		wrong = 20 + r.IntN(60)
	}
	corner := func() string {
		at := func(n int) int {
			if r.IntN(3) == 0 {
				return -1 - r.IntN(n)
			}
			return 1 + r.IntN(n)
		}
		switch r.IntN(4) {
		case 0:
			return fmt.Sprint(at(v))
		case 1:
			return fmt.Sprintf("%d/%d", at(v), at(vt))
		case 2:
			return fmt.Sprintf("%d//%d", at(v), at(vn))
		}
		return fmt.Sprintf("%d/%d/%d", at(v), at(vt), at(vn))
	}
	for i := range 90 {
		if i == wrong {
			b.WriteString([]string{"f 1 2\n", "v 1 2\n", "f 1 2 9999\n", "f 1/1/1/1 2 3\n", "vn 1 x 2\n", "f -9999 1 2\n"}[r.IntN(6)])
		}
		kind := r.IntN(8)
		if i < 9 {
			kind = i % 3
		}
		switch kind {
		case 0:
			v++
			fmt.Fprintf(&b, "v %g %g %g", r.Float64(), r.Float64(), r.Float64())
			if i > 40 && r.IntN(3) == 0 {
				fmt.Fprintf(&b, " %g 0.5 1", r.Float64())
			}
			b.WriteString(" # a place\n")
		case 1:
			vt++
			fmt.Fprintf(&b, "vt %g %g\r\n", r.Float64(), r.Float64())
		case 2:
			vn++
			fmt.Fprintf(&b, "vn %g %g 1\n", r.Float64(), r.Float64())
		case 3:
			fmt.Fprintf(&b, "g part %d\n\n", r.IntN(3))
		case 4:
			fmt.Fprintf(&b, "  usemtl m%d\n", r.IntN(3))
		default:
			b.WriteString("f")
			for range 3 + r.IntN(4) {
				b.WriteString(" " + corner())
				if r.IntN(6) == 0 {
					b.WriteString(" \\ \n")
				}
			}
			b.WriteString("\n")
		}
	}
	return b.String()
}

// However a file is cut into pieces, the model is the same, and so is the line at which it is
// wrong.
func TestAnOBJInPieces(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	defer func(n int) { objPiece = n }(objPiece)
	failed := 0
	for n := range 200 {
		text := scribbled(r, n%3 == 0)
		objPiece = 1 << 20
		want, wantErr := readOBJ([]byte(text), DefaultLimits)
		if wantErr != nil {
			failed++
			if n%3 != 0 {
				t.Fatalf("%v\n%s", wantErr, text)
			}
		}
		for _, objPiece = range []int{1, 17, 200, 1000} {
			got, err := readOBJ([]byte(text), DefaultLimits)
			if fmt.Sprint(err) != fmt.Sprint(wantErr) {
				t.Fatalf("in pieces of %d: %v, want %v\n%s", objPiece, err, wantErr, text)
			}
			if !reflect.DeepEqual(got, want) {
				t.Fatalf("in pieces of %d it is another model\n%s", objPiece, text)
			}
		}
	}
	if failed < 60 {
		t.Errorf("%d of 67 wrong files were refused", failed)
	}
}

// The line that is wrong is the one of the file, with those before it that go on.
func TestAnOBJNamesItsLine(t *testing.T) {
	text := "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 \\\n 2 \\\n 3\n\nf 1 2 4\n"
	for _, objPiece = range []int{4, 1 << 17} {
		if _, err := readOBJ([]byte(text), DefaultLimits); err == nil || !strings.HasPrefix(err.Error(), "line 8: ") ||
			!strings.Contains(err.Error(), "no such vertex") {
			t.Errorf("in pieces of %d: %v", objPiece, err)
		}
	}
	lim := DefaultLimits
	lim.Vertices = 2
	if _, err := readOBJ([]byte(text), lim); err == nil || !strings.HasPrefix(err.Error(), "line 3: ") {
		t.Errorf("too many vertices: %v", err)
	}
	objPiece = 1 << 17
}
