package pix

import (
	"math"
	"testing"
)

// The fixed points are those of IEC 61966-2-1.
func TestSRGB(t *testing.T) {
	for _, c := range []struct{ lin, enc float64 }{{0, 0}, {0.0031308, 0.04045}, {0.21404, 0.5}, {1, 1}} {
		if got := EncodeSRGB(float32(c.lin)); math.Abs(float64(got)-c.enc) > 1e-4 {
			t.Errorf("EncodeSRGB(%v) = %v, want %v", c.lin, got, c.enc)
		}
		if got := DecodeSRGB(float32(c.enc)); math.Abs(float64(got)-c.lin) > 1e-4 {
			t.Errorf("DecodeSRGB(%v) = %v, want %v", c.enc, got, c.lin)
		}
	}
}

func TestQuantize(t *testing.T) {
	nan := float32(math.NaN())
	for _, c := range []struct {
		v float32
		b uint8
		w uint16
	}{{-1, 0, 0}, {nan, 0, 0}, {0.5, 128, 32768}, {1, 255, 65535}, {9, 255, 65535}} {
		if Byte(c.v) != c.b || Word(c.v) != c.w {
			t.Errorf("%v gives %d and %d, want %d and %d", c.v, Byte(c.v), Word(c.v), c.b, c.w)
		}
	}
}
