package icc

import (
	"encoding/binary"
	"math"
	"strings"
	"testing"
)

// sRGB's colorants, adapted to D50, as profiles of it have them.
var colorants = [3][3]float64{{0.43607, 0.22249, 0.01392}, {0.38515, 0.71687, 0.09708}, {0.14307, 0.06061, 0.71410}}

// Made makes a profile of colorants and a curve.
func made(space string, xyz [3][3]float64, trc []byte, more map[string][]byte) []byte {
	fixed := func(v float64) []byte { return binary.BigEndian.AppendUint32(nil, uint32(int32(math.Round(v*65536)))) }
	tags := map[string][]byte{"desc": append(append([]byte("desc\x00\x00\x00\x00"), 0, 0, 0, 9), "Quay side\x00"...)}
	if space == "RGB " {
		for k, n := range []string{"r", "g", "b"} {
			b := []byte("XYZ \x00\x00\x00\x00")
			for _, v := range xyz[k] {
				b = append(b, fixed(v)...)
			}
			tags[n+"XYZ"], tags[n+"TRC"] = b, trc
		}
	} else {
		tags["kTRC"] = trc
	}
	for k, v := range more {
		if tags[k] = v; v == nil {
			delete(tags, k)
		}
	}
	head := make([]byte, 128)
	copy(head[16:], space)
	copy(head[36:], "acsp")
	out := binary.BigEndian.AppendUint32(head, uint32(len(tags)))
	at := len(out) + 12*len(tags)
	var data []byte
	for n, b := range tags {
		out = append(out, n...)
		out = binary.BigEndian.AppendUint32(out, uint32(at+len(data)))
		out = binary.BigEndian.AppendUint32(out, uint32(len(b)))
		data = append(data, b...)
	}
	return append(out, data...)
}

func gamma(g float64) []byte {
	return binary.BigEndian.AppendUint16([]byte("curv\x00\x00\x00\x00\x00\x00\x00\x01"), uint16(math.Round(g*256)))
}

// the curve of IEC 61966-2-1 as a formula of kind 3
func srgbCurve() []byte {
	b := []byte("para\x00\x00\x00\x00\x00\x03\x00\x00")
	for _, v := range []float64{2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045} {
		b = binary.BigEndian.AppendUint32(b, uint32(int32(math.Round(v*65536))))
	}
	return b
}

func decode(v float64) float64 {
	if v <= 0.04045 {
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}

func near(t *testing.T, what string, got [3]float32, want [3]float64, within float64) {
	t.Helper()
	for k := range 3 {
		if math.Abs(float64(got[k])-want[k]) > within {
			t.Fatalf("%s is %v, want %v", what, got, want)
		}
	}
}

func TestSRGBIsItself(t *testing.T) {
	p, err := Parse(made("RGB ", colorants, srgbCurve(), nil))
	if err != nil {
		t.Fatal(err)
	}
	if !p.SRGB() || p.Name != "Quay side" {
		t.Errorf("%q is not taken to be sRGB", p.Name)
	}
	r := p.Reader()
	for _, c := range [][3]float32{{0, 0, 0}, {1, 1, 1}, {0.2, 0.5, 0.9}, {0.03, 0.7, 0.1}} {
		near(t, "the colour", r.RGB(c), [3]float64{decode(float64(c[0])), decode(float64(c[1])), decode(float64(c[2]))}, 2e-3)
	}
}

func TestCurvesAndPrimaries(t *testing.T) {
	// light as it is, the primaries in another order
	p, err := Parse(made("RGB ", [3][3]float64{colorants[1], colorants[2], colorants[0]}, gamma(1), nil))
	if err != nil {
		t.Fatal(err)
	}
	if p.SRGB() {
		t.Error("it is taken to be sRGB")
	}
	near(t, "a turned colour", p.Reader().RGB([3]float32{0.25, 0.5, 0.75}), [3]float64{0.75, 0.25, 0.5}, 2e-3)
	table := []byte("curv\x00\x00\x00\x00\x00\x00\x00\x03\x00\x00\x40\x00\xff\xff") // 0, a quarter, 1
	if p, err = Parse(made("RGB ", colorants, table, nil)); err != nil {
		t.Fatal(err)
	}
	near(t, "a colour of a table", p.Reader().RGB([3]float32{0.25, 0.5, 0.75}), [3]float64{0.125, 0.25, 0.625}, 2e-3)
	if p, err = Parse(made("GRAY", colorants, gamma(2), nil)); err != nil || !p.Gray {
		t.Fatal(err)
	}
	near(t, "a grey", p.Reader().RGB([3]float32{0.5, 0.5, 0.5}), [3]float64{0.25, 0.25, 0.25}, 2e-3)
	if p, err = Parse(made("RGB ", colorants, []byte("curv\x00\x00\x00\x00\x00\x00\x00\x00"), nil)); err != nil {
		t.Fatal(err)
	}
	near(t, "light as it is", p.Reader().RGB([3]float32{0.3, 0.3, 0.3}), [3]float64{0.3, 0.3, 0.3}, 2e-3)
}

func TestWhatIsNotReadSaysWhatToDo(t *testing.T) {
	for _, c := range []struct {
		name string
		b    []byte
		says string
	}{
		{"nothing", nil, "damaged"},
		{"print", made("CMYK", colorants, gamma(1), nil), "“Quay side” is for print (CMYK); convert it to sRGB"},
		{"Lab", made("Lab ", colorants, gamma(1), nil), "of Lab"},
		{"tables", made("RGB ", colorants, gamma(1), map[string][]byte{"rXYZ": nil, "A2B0": make([]byte, 40)}), "made of tables"},
		{"no curve", made("RGB ", colorants, gamma(1), map[string][]byte{"gTRC": nil}), "curve"},
		{"a wrong curve", made("RGB ", colorants, append([]byte("para\x00\x00\x00\x00\x00\x09"), make([]byte, 30)...), nil), "kind 9"},
	} {
		if _, err := Parse(c.b); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, want %q", c.name, err, c.says)
		}
	}
}

// The primaries of sRGB are the identity; those of Rec. 2020 go where its own document puts them
// (ITU-R BT.2087, table 4, to two digits); white stays white.
func TestPrimaries(t *testing.T) {
	_, same, err := FromPrimaries([8]float32{0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290})
	if err != nil || !same {
		t.Errorf("its own: same %v, %v", same, err)
	}
	m, same, err := FromPrimaries([8]float32{0.708, 0.292, 0.170, 0.797, 0.131, 0.046, 0.3127, 0.3290})
	if err != nil || same {
		t.Fatal(err)
	}
	for i, want := range []float64{1.6605, -0.5876, -0.0728, -0.1246, 1.1329, -0.0083, -0.0182, -0.1006, 1.1187} {
		if math.Abs(m[i]-want) > 3e-3 {
			t.Errorf("number %d is %v, want %v", i, m[i], want)
		}
	}
	if m, _, err = FromPrimaries([8]float32{0.64, 0.33, 0.29, 0.60, 0.15, 0.06, 1.0 / 3, 1.0 / 3}); err != nil {
		t.Fatal(err)
	}
	w := apply(m, [3]float64{1, 1, 1})
	near(t, "white", [3]float32{float32(w[0]), float32(w[1]), float32(w[2])}, [3]float64{1, 1, 1}, 1e-3)
	if _, _, err := FromPrimaries([8]float32{0.3, 0.3, 0.3, 0.3, 0.3, 0.3, 0.3, 0.3}); err == nil {
		t.Error("one point is taken for three primaries")
	}
}

func FuzzParse(f *testing.F) {
	f.Add(made("RGB ", colorants, gamma(2.2), nil))
	f.Add(made("GRAY", colorants, srgbCurve(), nil))
	f.Fuzz(func(t *testing.T, b []byte) {
		if p, err := Parse(b); err == nil {
			p.SRGB()
		}
	})
}
