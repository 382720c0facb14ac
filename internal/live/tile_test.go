package live

import (
	"testing"

	"velvetgrime/core/pix"
	"velvetgrime/core/raster"
	"velvetgrime/core/surface"
)

// A tile goes with the ring of texels around it, each texel that stands for nothing with what
// the nearest other one has; an even one is one texel.
func TestATileBringsItsRing(t *testing.T) {
	f := &raster.Frame{W: pix.Pitch, H: pix.Pitch, Tri: make([]int32, pix.Pitch*pix.Pitch)}
	red := make([]float32, len(f.Tri))
	for i := range f.Tri {
		if x := i % pix.Pitch; x >= 40 {
			f.Tri[i] = -1
			red[i] = 0.5
		} else {
			red[i] = float32(x) / 255
		}
	}
	s := slot{surface.Tile{Sheet: 2, Size: 4096, X: 300 % 32, Y: 7}, mapNormal}
	b := encodeTile(f, s, []pix.Plane{{Data: red}, {Value: 1}, {Value: 0}})
	if len(b) != tileHead+4*pix.Pitch*pix.Pitch || string(b[:tileHead]) != "\x01\x02\x02\x00\x00\x10\x0c\x00\x07\x00" {
		t.Fatalf("%d bytes, beginning with %x", len(b), b[:tileHead])
	}
	for i := range f.Tri {
		x := i % pix.Pitch
		want := byte(min(x, 39))
		if got := b[tileHead+4*i:][:4]; got[0] != want || got[1] != 255 || got[2] != 0 || got[3] != 255 {
			t.Fatalf("texel %d, %d has %v, want %d in red", x, i/pix.Pitch, got, want)
		}
	}
	if b := encodeTile(f, s, []pix.Plane{{Value: 0.2}, {Value: 1}, {Value: 0}}); len(b) != tileHead+4 || b[3]&flagEven == 0 || b[tileHead] != 51 {
		t.Errorf("an even tile is %v", b)
	}
	if b := encodeComing([]slot{s, s}, flagDropped); len(b) != 18 || b[0] != frameComing || b[1] != flagDropped || b[10] != 2 || b[11] != mapNormal {
		t.Errorf("what is dropped goes as %v", b)
	}
}
