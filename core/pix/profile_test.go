package pix

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"strings"
	"testing"

	"golang.org/x/image/tiff"
)

// profile is one of sRGB's primaries whose components are light as it is; space as it says.
func profile(space string) []byte {
	colorants := [3][3]float64{{0.43607, 0.22249, 0.01392}, {0.38515, 0.71687, 0.09708}, {0.14307, 0.06061, 0.71410}}
	head := make([]byte, 128)
	copy(head[16:], space)
	copy(head[36:], "acsp")
	trc := []byte("curv\x00\x00\x00\x00\x00\x00\x00\x00")
	var table, data []byte
	put := func(name string, b []byte) {
		table = append(table, name...)
		table = binary.BigEndian.AppendUint32(table, uint32(132+12*7+len(data)))
		table = binary.BigEndian.AppendUint32(table, uint32(len(b)))
		data = append(data, b...)
	}
	for k, n := range []string{"r", "g", "b"} {
		xyz := []byte("XYZ \x00\x00\x00\x00")
		for _, v := range colorants[k] {
			xyz = binary.BigEndian.AppendUint32(xyz, uint32(int32(math.Round(v*65536))))
		}
		put(n+"XYZ", xyz)
		put(n+"TRC", trc)
	}
	put("kTRC", trc)
	return append(append(binary.BigEndian.AppendUint32(head, 7), table...), data...)
}

func chunk(name string, data []byte) []byte {
	b := binary.BigEndian.AppendUint32(nil, uint32(len(data)))
	b = append(append(b, name...), data...)
	return binary.BigEndian.AppendUint32(b, crc32.ChecksumIEEE(b[4:]))
}

var half = color.NRGBA{128, 64, 200, 255}

func flat() image.Image {
	img := image.NewNRGBA(image.Rect(0, 0, 16, 16))
	for i := range img.Pix {
		img.Pix[i] = [4]uint8{half.R, half.G, half.B, half.A}[i%4]
	}
	return img
}

// withICC returns the picture in a form, with a profile.
func withICC(t *testing.T, form string, icc []byte) []byte {
	t.Helper()
	var b bytes.Buffer
	switch form {
	case "png":
		if err := png.Encode(&b, flat()); err != nil {
			t.Fatal(err)
		}
		var z bytes.Buffer
		w := zlib.NewWriter(&z)
		_, _ = w.Write(icc)
		_ = w.Close()
		at := 8 + 25 // after the header
		return append(append(bytes.Clone(b.Bytes()[:at]), chunk("iCCP", append([]byte("quay\x00\x00"), z.Bytes()...))...), b.Bytes()[at:]...)
	case "jpeg":
		if err := jpeg.Encode(&b, flat(), &jpeg.Options{Quality: 100}); err != nil {
			t.Fatal(err)
		}
		out := bytes.Clone(b.Bytes()[:2])
		cut := len(icc) / 3
		for k, piece := range [][]byte{icc[cut:], icc[:cut]} { // in another order
			body := append([]byte("ICC_PROFILE\x00"), byte(2-k), 2)
			body = append(body, piece...)
			out = append(out, 0xff, 0xe2)
			out = binary.BigEndian.AppendUint16(out, uint16(len(body)+2))
			out = append(out, body...)
		}
		return append(out, b.Bytes()[2:]...)
	}
	if err := tiff.Encode(&b, flat(), nil); err != nil {
		t.Fatal(err)
	}
	out := b.Bytes()
	dir := binary.LittleEndian.Uint32(out[4:])
	n := int(binary.LittleEndian.Uint16(out[dir:]))
	entries := bytes.Clone(out[dir+2 : int(dir)+2+12*n])
	binary.LittleEndian.PutUint32(out[4:], uint32(len(out)+len(icc)))
	at := uint32(len(out))
	out = append(out, icc...)
	out = binary.LittleEndian.AppendUint16(out, uint16(n+1))
	out = append(out, entries...)
	out = binary.LittleEndian.AppendUint16(out, 34675)
	out = binary.LittleEndian.AppendUint16(out, 7)
	out = binary.LittleEndian.AppendUint32(out, uint32(len(icc)))
	out = binary.LittleEndian.AppendUint32(out, at)
	return binary.LittleEndian.AppendUint32(out, 0)
}

// Where a profile says that components are light as it is, they are encoded as sRGB.
func TestColourProfilesAreHeeded(t *testing.T) {
	for _, form := range []string{"png", "jpeg", "tiff"} {
		p, err := DecodePicture(bytes.NewReader(withICC(t, form, profile("RGB "))))
		if err != nil {
			t.Errorf("%s: %v", form, err)
			continue
		}
		c := p.Nearest(0.5, 0.5)
		for k, v := range []uint8{half.R, half.G, half.B} {
			want := EncodeSRGB(float32(v) / 255)
			if math.Abs(float64(c[k]-want)) > 2.0/255 {
				t.Errorf("%s: component %d is %v, want %v", form, k, c[k], want)
			}
		}
		if _, err := DecodePicture(bytes.NewReader(withICC(t, form, profile("CMYK")))); err == nil || !strings.Contains(err.Error(), "for print") {
			t.Errorf("%s for print: %v", form, err)
		}
	}
	// a gamma alone, and one that sRGB stands beside
	var b bytes.Buffer
	_ = png.Encode(&b, flat())
	gamma := chunk("gAMA", binary.BigEndian.AppendUint32(nil, 100000))
	insert := func(c ...byte) []byte { return append(append(bytes.Clone(b.Bytes()[:33]), c...), b.Bytes()[33:]...) }
	for name, c := range map[string]struct {
		file []byte
		want float32
	}{
		"light":    {insert(gamma...), EncodeSRGB(128.0 / 255)},
		"the same": {insert(append(chunk("sRGB", []byte{0}), gamma...)...), 128.0 / 255},
		"usual":    {insert(chunk("gAMA", binary.BigEndian.AppendUint32(nil, 45455))...), 128.0 / 255},
	} {
		p, err := DecodePicture(bytes.NewReader(c.file))
		if err != nil {
			t.Fatal(err)
		}
		if got := p.Nearest(0.5, 0.5)[0]; math.Abs(float64(got-c.want)) > 1.0/255 {
			t.Errorf("%s: red is %v, want %v", name, got, c.want)
		}
	}
}

func TestPicturesForPrintAreRefused(t *testing.T) {
	// the frame of a JPEG of four components, with what marks them as inks
	b := []byte{
		0xff, 0xd8,
		0xff, 0xee, 0, 14, 'A', 'd', 'o', 'b', 'e', 0, 100, 0, 0, 0, 0, 0,
		0xff, 0xc0, 0, 20, 8, 0, 16, 0, 16, 4, 1, 0x11, 0, 2, 0x11, 0, 3, 0x11, 0, 4, 0x11, 0,
		0xff, 0xda, 0, 14, 4, 1, 0, 2, 0, 3, 0, 4, 0, 0, 63, 0,
	}
	if _, err := DecodePicture(bytes.NewReader(b)); err == nil || !strings.Contains(err.Error(), "made for print (CMYK)") {
		t.Errorf("%v", err)
	}
}

// Pictures of floats: colours become sRGB and end at white, a single channel stays as it is.
func TestPicturesOfFloats(t *testing.T) {
	var b bytes.Buffer
	fmt.Fprint(&b, "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\nPRIMARIES=0.64 0.33 0.30 0.60 0.15 0.06 0.3127 0.3290\n\n-Y 4 +X 4\n")
	for range 16 {
		b.Write([]byte{128, 64, 255, 129}) // 1.004, 0.504, 1.996
	}
	p, err := DecodePicture(bytes.NewReader(b.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	c := p.Nearest(0.5, 0.5)
	if p.Gray || p.Alpha || c[0] != 1 || c[2] != 1 || math.Abs(float64(c[1]-EncodeSRGB(0.504))) > 1e-3 {
		t.Errorf("of a Radiance picture it is %v", c)
	}
	// who reads numbers gets what is in the file
	if c := p.AsNumbers().Nearest(0.5, 0.5); math.Abs(float64(c[1]-0.504)) > 1e-3 {
		t.Errorf("as numbers it is %v", c)
	}
	p, err = DecodePicture(bytes.NewReader(grayEXR([]float32{-1, 0.2503, 0.5, 7})))
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []float32{0, 0.2503, 0.5, 1} {
		if got := p.AsNumbers().Nearest(float32(i)/4+0.1, 0.5)[0]; !p.Gray || math.Abs(float64(got-want)) > 1e-5 {
			t.Errorf("number %d is %v, want %v", i, got, want)
		}
	}
}

// grayEXR is a row of numbers as OpenEXR, not compressed.
func grayEXR(row []float32) []byte {
	var b bytes.Buffer
	put := func(v ...any) {
		for _, x := range v {
			_ = binary.Write(&b, binary.LittleEndian, x)
		}
	}
	b.WriteString("\x76\x2f\x31\x01\x02\x00\x00\x00channels\x00chlist\x00")
	put(int32(19))
	b.WriteString("Y\x00")
	put(int32(2), uint32(0), int32(1), int32(1), uint8(0))
	b.WriteString("compression\x00compression\x00")
	put(int32(1), uint8(0))
	b.WriteString("dataWindow\x00box2i\x00")
	put(int32(16), int32(5), int32(7), int32(5+len(row)-1), int32(7), uint8(0))
	put(uint64(b.Len()+8), int32(7), int32(4*len(row)), row)
	return b.Bytes()
}
