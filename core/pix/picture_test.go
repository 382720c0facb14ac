package pix

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"strings"
	"testing"

	"golang.org/x/image/tiff"
)

func encoded(t testing.TB, kind string, img image.Image) []byte {
	t.Helper()
	var b bytes.Buffer
	var err error
	switch kind {
	case "png":
		err = png.Encode(&b, img)
	case "jpeg":
		err = jpeg.Encode(&b, img, &jpeg.Options{Quality: 100})
	case "tiff":
		err = tiff.Encode(&b, img, nil)
	}
	if err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestDecodePictures(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 5, 3))
	for i := range img.Pix {
		img.Pix[i] = 200
	}
	for _, kind := range []string{"png", "jpeg", "tiff"} {
		p, err := DecodePicture(bytes.NewReader(encoded(t, kind, img)))
		if err != nil {
			t.Fatalf("%s: %v", kind, err)
		}
		if w, h := p.Size(); w != 5 || h != 3 {
			t.Errorf("%s: %d × %d", kind, w, h)
		}
		if p.Alpha != (kind != "jpeg") {
			t.Errorf("%s: coverage %v", kind, p.Alpha)
		}
	}
	huge := encoded(t, "png", img)
	binary.BigEndian.PutUint32(huge[16:], 1<<20) // the width in the header
	binary.BigEndian.PutUint32(huge[20:], 1<<20)
	if _, err := DecodePicture(bytes.NewReader(huge)); err == nil {
		t.Error("a picture of a million by a million texels is read")
	}
	if _, err := DecodePicture(strings.NewReader("a rope")); err == nil || !strings.Contains(err.Error(), "PNG") {
		t.Errorf("words: %v", err)
	}
}

// Half-covered colours come back as they were before the coverage.
func TestCoverageDoesNotDarken(t *testing.T) {
	img := image.NewRGBA(image.Rect(0, 0, 2, 2)) // multiplied by coverage
	for y := range 2 {
		for x := range 2 {
			img.Set(x, y, color.NRGBA{240, 120, 60, 128})
		}
	}
	v := NewPicture(img).Sample(0.5, 0.5, 0)
	for c, want := range []float64{240, 120, 60, 128} {
		if math.Abs(float64(v[c])*255-want) > 1.1 {
			t.Errorf("component %d is %v, want %v", c, v[c]*255, want)
		}
	}
}

// Mips are means; what is not covered does not count in them.
func TestMips(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 64, 64))
	for y := range 64 {
		for x := range 64 {
			g := uint8(0)
			if (x+y)%2 == 0 {
				g = 200
			}
			img.SetNRGBA(x, y, color.NRGBA{g, g, g, 255})
		}
	}
	p := NewPicture(img)
	if v := p.Sample(0.3, 0.7, 1.0/8); math.Abs(float64(v[0])*255-100) > 1 {
		t.Errorf("a fine chequer from afar is %v, want 100", v[0]*255)
	}
	if v := p.Sample(0.5/64, 0.5/64, 1.0/64); math.Abs(float64(v[0])*255-200) > 1 {
		t.Errorf("the first texel is %v, want 200", v[0]*255)
	}
	a, b := p.Sample(0.25, 0.1, 0), p.Sample(3.25, -1.9, 0)
	if a != b {
		t.Errorf("it does not repeat: %v and %v", a, b)
	}
	half := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	half.SetNRGBA(0, 0, color.NRGBA{200, 100, 50, 255})
	if v := NewPicture(half).Sample(0.5, 0.5, 8); math.Abs(float64(v[0])*255-200) > 1 || math.Abs(float64(v[3])-0.5) > 0.01 {
		t.Errorf("beside nothing: %v", v)
	}
}

func FuzzDecodePicture(f *testing.F) {
	img := image.NewGray(image.Rect(0, 0, 3, 2))
	for _, kind := range []string{"png", "jpeg", "tiff"} {
		f.Add(encoded(f, kind, img))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		conf, _, err := image.DecodeConfig(bytes.NewReader(b))
		if err == nil && conf.Width*conf.Height > 1<<22 {
			t.Skip("large, and allowed")
		}
		p, err := DecodePicture(bytes.NewReader(b))
		if err != nil {
			return
		}
		if v := p.Sample(0.4, 0.6, 0.2); math.IsNaN(float64(v[0])) {
			t.Error("not a number")
		}
	})
}

// A bright disc on clear black: wherever it is read, between texels and between mips, what covers
// anything is as bright as the disc.
func TestWhatIsClearLendsNoColour(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 64, 64))
	for y := range 64 {
		for x := range 64 {
			if (x-32)*(x-32)+(y-32)*(y-32) < 400 {
				img.SetNRGBA(x, y, color.NRGBA{240, 200, 160, 255})
			}
		}
	}
	p := NewPicture(img)
	partly := 0
	for _, size := range []float32{0.001, 0.02, 0.03, 0.05, 0.09} {
		for i := range 4000 {
			u, v := float32(i%61)/61, float32(i%97)/97
			c := p.Sample(u, v, size)
			if c[3] > 0.001 && c[3] < 0.999 {
				partly++
			}
			if c[3] < 0.001 {
				continue
			}
			for k, want := range []float32{240, 200, 160} {
				if d := c[k]*255 - want; d < -1 || d > 1 {
					t.Fatalf("at %v, %v, %v wide, covered by %v, component %d is %v, want %v", u, v, size, c[3], k, c[k]*255, want)
				}
			}
		}
	}
	if partly < 300 {
		t.Fatalf("only %d places lay at the edge", partly)
	}
}
