package press

import (
	"bytes"
	"fmt"
	"math"
	"strings"
	"testing"

	"velvetgrime/core/pix"
)

// half is a drawing twice as wide as tall: red left of a slanted line, clear right of it.
const half = `<?xml version="1.0"?><svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><path d="M0 0 L120 0 L80 100 L0 100 Z" fill="#c02010"/></svg>`

func decode(t *testing.T, file string) *pix.Picture {
	t.Helper()
	p, err := pix.DecodePicture(bytes.NewReader([]byte(file)))
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// A drawing is a picture as any, with its colours and what it covers; asked for finer it is drawn
// anew: its borders are as sharp as the texels then are.
func TestDrawingsArePictures(t *testing.T) {
	p := decode(t, half)
	if w, h := p.Size(); w != pix.Usual || h != pix.Usual/2 || !p.Alpha || !p.Drawn() {
		t.Fatalf("it is %d × %d, covers: %v, drawn: %v", w, h, p.Alpha, p.Drawn())
	}
	for _, size := range []int{0, 2048, 4096} {
		f, err := p.Finer(size)
		if err != nil {
			t.Fatal(err)
		}
		w, h := f.Size()
		if want := max(size, pix.Usual); w != want || h != want/2 {
			t.Fatalf("of %d asked for, it has %d × %d", size, w, h)
		}
		// the area is exact, and only texels on the line are neither one nor the other
		sum, between := 0.0, 0
		for y := range h {
			for x := range w {
				v := f.Nearest((float32(x)+0.5)/float32(w), (float32(y)+0.5)/float32(h))
				sum += float64(v[3])
				if v[3] > 0.02 && v[3] < 0.98 {
					between++
				}
				if v[3] > 0.5 && math.Abs(float64(v[0])-192.0/255) > 0.01 {
					t.Fatalf("at %d, %d it is %v", x, y, v)
				}
			}
		}
		if share := sum / float64(w*h); math.Abs(share-0.5) > 1e-3 || between > 2*h {
			t.Errorf("%d texels wide it covers %.4f, %d texels in part", w, share, between)
		}
	}
	// one of texels stays as it is
	flat, err := pix.NewPicture(p.Small(64)).Finer(4096)
	if w, _ := flat.Size(); err != nil || w > 64 {
		t.Errorf("a picture of texels became %d wide: %v", w, err)
	}
}

// A stamp that is kept as a picture is its recipe: drawn at its size it is the stamp.
func TestStampsArePictures(t *testing.T) {
	r := &Recipe{Name: "Rivet", Shapes: []Shape{{Kind: "disc", Level: 1, Wide: 1.2, Rise: 0.4, Form: "round"}}}
	file, err := r.AsPicture()
	if err != nil {
		t.Fatal(err)
	}
	p := decode(t, string(file))
	if !p.Gray || !p.Drawn() {
		t.Fatalf("grey %v, drawn %v", p.Gray, p.Drawn())
	}
	fine, err := p.Finer(2048)
	if err != nil {
		t.Fatal(err)
	}
	st, err := Draw(t.Context(), r, 2048)
	if err != nil {
		t.Fatal(err)
	}
	for i := 0; i < len(st.Grey); i += 997 {
		v := fine.Nearest((float32(i%2048)+0.5)/2048, (float32(i/2048)+0.5)/2048)
		if math.Abs(float64(v[0]-st.Grey[i])) > 1e-4 {
			t.Fatalf("texel %d is %v, of the stamp %v", i, v[0], st.Grey[i])
		}
	}
	again := &Recipe{Name: "In itself", Shapes: []Shape{{Kind: "picture", Level: 1, Wide: 1, File: file}}}
	if _, err := Draw(t.Context(), again, 64); err == nil || !strings.Contains(err.Error(), "cannot be laid in another") {
		t.Errorf("a stamp in a stamp: %v", err)
	}
	for want, file := range map[string]string{
		"recipe cannot be read":  `{"format":"velvetgrime.stamp"`,
		"there is no such shape": `{"format":"velvetgrime.stamp","recipe":{"name":"x","shapes":[{"kind":"cloud"}]}}`,
		"uses itself":            `<svg viewBox="0 0 1 1"><g id="a"><use href="#a"/></g></svg>`,
		"has no size":            `<html></html>`,
		"is no PNG, JPEG, TIFF,": fmt.Sprint("stamp", r),
	} {
		if _, err := pix.DecodePicture(strings.NewReader(file)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.40s: %v; %q was expected", file, err, want)
		}
	}
}
