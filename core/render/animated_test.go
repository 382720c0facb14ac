package render

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"testing"

	"golang.org/x/image/webp"
)

// An animated file holds every picture, which another reader finds as it was.
func TestAnAnimatedFileHoldsEveryPicture(t *testing.T) {
	var a Animation
	var want []*image.NRGBA
	for i := range 3 {
		img := image.NewNRGBA(image.Rect(0, 0, 33, 17))
		for k := range 33 * 17 {
			img.SetNRGBA(k%33, k/33, color.NRGBA{uint8(k * (i + 1)), uint8(7 * k), uint8(i * 80), 255})
		}
		if want = append(want, img); a.Add(img) != nil {
			t.Fatal("it is not taken")
		}
	}
	if a.Add(image.NewNRGBA(image.Rect(0, 0, 5, 5))) == nil {
		t.Error("a picture of another size is taken")
	}
	var b bytes.Buffer
	if err := a.Write(&b, 125); err != nil {
		t.Fatal(err)
	}
	le := binary.LittleEndian
	data := b.Bytes()
	if string(data[:4]) != "RIFF" || int(le.Uint32(data[4:])) != len(data)-8 || string(data[8:16]) != "WEBPVP8X" || data[20]&2 == 0 {
		t.Fatalf("it begins with %q", data[:24])
	}
	seen := 0
	for data = data[12:]; len(data) >= 8; {
		kind, n := string(data[:4]), int(le.Uint32(data[4:]))
		if kind == "ANMF" {
			f := data[8 : 8+n]
			if w, ms := int(f[6])|int(f[7])<<8, int(f[12])|int(f[13])<<8; w != 32 || ms != 125 {
				t.Errorf("picture %d is %d wide and stays %d ms", seen, w+1, ms)
			}
			one := append([]byte("WEBP"), f[16:]...)
			img, err := webp.Decode(bytes.NewReader(append(le.AppendUint32([]byte("RIFF"), uint32(len(one))), one...)))
			if err != nil {
				t.Fatal(err)
			}
			for k := range 33 * 17 {
				if got := color.NRGBAModel.Convert(img.At(k%33, k/33)); got != want[seen].At(k%33, k/33) {
					t.Fatalf("picture %d, pixel %d is %v", seen, k, got)
				}
			}
			seen++
		}
		data = data[8+n+n&1:]
	}
	if seen != 3 || (&Animation{}).Write(&b, 40) == nil {
		t.Errorf("%d pictures", seen)
	}
}

// A scene that is turned all round is the same again, half round it is seen from behind.
func TestATurnedScene(t *testing.T) {
	c := Traced{Still: Still{Eye: [3]float64{1, 2, 5}, At: [3]float64{1, 1, 3}, W: 4, H: 4, Angle: 30}}
	for degrees, want := range map[float64][3]float64{0: {1, 2, 5}, 90: {3, 2, 3}, 180: {1, 2, 1}, 360: {1, 2, 5}} {
		got := c.Turned(degrees).Still.Eye
		for k := range 3 {
			if d := got[k] - want[k]; d > 1e-9 || d < -1e-9 {
				t.Errorf("turned by %v° the eye is at %v, want %v", degrees, got, want)
			}
		}
	}
}
