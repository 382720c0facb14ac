package pix

import (
	"image"
	"image/color"
	"math"
	"testing"
)

func TestMainColoursOfAPicture(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 60, 40))
	stripes := []struct {
		until int
		c     color.NRGBA
	}{{30, color.NRGBA{200, 30, 40, 255}}, {48, color.NRGBA{20, 90, 160, 255}}, {55, color.NRGBA{230, 220, 190, 255}}, {60, color.NRGBA{0, 255, 0, 0}}}
	for x := range 60 {
		for _, s := range stripes {
			if x < s.until {
				for y := range 40 {
					img.SetNRGBA(x, y, s.c)
				}
				break
			}
		}
	}
	p := NewPicture(img)
	got := p.Main(8)
	if len(got) != 3 { // the fourth is not seen
		t.Fatalf("%d colours: %v", len(got), got)
	}
	for i, want := range stripes[:3] {
		for c, v := range []uint8{want.c.R, want.c.G, want.c.B} {
			if math.Abs(float64(got[i][c])-float64(v)/255) > 1e-3 {
				t.Errorf("colour %d is %v, want %v", i+1, got[i], want.c)
			}
		}
	}
	if two := p.Main(2); len(two) != 2 {
		t.Errorf("asked for two: %v", two)
	}
	if none := NewPicture(image.NewNRGBA(image.Rect(0, 0, 4, 4))).Main(5); none != nil {
		t.Errorf("a picture that is not seen has %v", none)
	}
}
