package exr

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

const testW, testH = 75, 41

// pattern is what the pictures of the tests show: smooth, with edges, negative and large values,
// all of which halves can hold.
func pattern(c, x, y int) float32 {
	switch {
	case x/8 == 3:
		return []float32{-2, 0.5, 1024, 1}[c]
	case y > 30 && x > 40:
		return float32((x*37+y*91+c*13)%256) / 64
	}
	return float32(x)/64 + float32(c)*2 + float32(y)/32
}

// plain writes the pattern without compression, by the means of this test alone.
func plain(names ...string) []byte {
	var b bytes.Buffer
	put := func(v ...any) {
		for _, x := range v {
			_ = binary.Write(&b, binary.LittleEndian, x)
		}
	}
	attribute := func(name, kind string, n int) { b.WriteString(name + "\x00" + kind + "\x00"); put(int32(n)) }
	put(uint32(20000630), uint32(2))
	size := 1
	for _, n := range names {
		size += len(n) + 17
	}
	attribute("channels", "chlist", size)
	for _, n := range names {
		b.WriteString(n + "\x00")
		put(int32(2), uint32(0), int32(1), int32(1))
	}
	b.WriteByte(0)
	attribute("compression", "compression", 1)
	b.WriteByte(0)
	for _, w := range []string{"dataWindow", "displayWindow"} {
		attribute(w, "box2i", 16)
		put(int32(0), int32(0), int32(testW-1), int32(testH-1))
	}
	attribute("lineOrder", "lineOrder", 1)
	b.WriteByte(0)
	attribute("pixelAspectRatio", "float", 4)
	put(float32(1))
	attribute("screenWindowCenter", "v2f", 8)
	put(float32(0), float32(0))
	attribute("screenWindowWidth", "float", 4)
	put(float32(1), uint8(0))
	line := 8 + 4*testW*len(names)
	at := b.Len() + 8*testH
	for y := range testH {
		put(uint64(at + y*line))
	}
	for y := range testH {
		put(int32(y), int32(line-8))
		for i := range names {
			for x := range testW {
				put(pattern(i, x, y))
			}
		}
	}
	return b.Bytes()
}

// check compares a picture whose channels are A, B, G, R of the pattern in the file's order.
func check(t *testing.T, what string, p *Picture, order map[string]int, within float64) {
	t.Helper()
	if p.W != testW || p.H != testH || len(p.Channels) != len(order) {
		t.Fatalf("%s: %d × %d, %d channels", what, p.W, p.H, len(p.Channels))
	}
	for _, c := range p.Channels {
		for i, v := range c.Data {
			want := pattern(order[c.Name], i%testW, i/testW)
			if d := math.Abs(float64(v - want)); d > within*max(1, math.Abs(float64(want))) {
				t.Fatalf("%s: %s at %d, %d is %v, want %v", what, c.Name, i%testW, i/testW, v, want)
			}
		}
	}
}

func TestPlainFiles(t *testing.T) {
	p, err := Decode(context.Background(), plain("A", "B", "G", "R"))
	if err != nil {
		t.Fatal(err)
	}
	check(t, "colours", p, map[string]int{"A": 0, "B": 1, "G": 2, "R": 3}, 0)
	if p.Channels[0].Name != "R" || p.Channels[3].Name != "A" {
		t.Errorf("the channels are %v, %v …", p.Channels[0].Name, p.Channels[3].Name)
	}
	p, err = Decode(context.Background(), plain("Z", "beauty.B", "beauty.G", "beauty.R"))
	if err != nil {
		t.Fatal(err)
	}
	check(t, "a layer's", p, map[string]int{"beauty.B": 1, "beauty.G": 2, "beauty.R": 3}, 0)
	p, err = Decode(context.Background(), plain("depth", "height"))
	if err != nil {
		t.Fatal(err)
	}
	check(t, "the first of others", p, map[string]int{"depth": 0}, 0)
	if w, h, err := Config(plain("Y")); w != testW || h != testH || err != nil {
		t.Errorf("%d × %d, %v", w, h, err)
	}
}

// The files of testdata were written by another program from the file that plain makes, a
// compression, a kind of numbers and a layout each.
func TestFilesOfAnotherWriter(t *testing.T) {
	list, _ := filepath.Glob("testdata/*.exr")
	if len(list) < 12 {
		t.Fatalf("there are %d files", len(list))
	}
	for _, name := range list {
		b, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		p, err := Decode(context.Background(), b)
		if strings.Contains(name, "dwa") || strings.Contains(name, "b44") {
			if err == nil || !strings.Contains(err.Error(), "save it with ZIP or PIZ") {
				t.Errorf("%s: %v", name, err)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		within := 0.0
		if strings.Contains(name, "pxr24") && strings.Contains(name, "float") {
			within = 1.0 / (1 << 15)
		}
		check(t, name, p, map[string]int{"A": 0, "B": 1, "G": 2, "R": 3}, within)
	}
}

// With the other program at hand every way is written anew, at sizes of its own.
func TestAgainstTheOtherWriter(t *testing.T) {
	tool, err := exec.LookPath("oiiotool")
	if err != nil {
		t.Skip("oiiotool is not installed")
	}
	dir := t.TempDir()
	from := filepath.Join(dir, "plain.exr")
	if err := os.WriteFile(from, plain("A", "B", "G", "R"), 0o644); err != nil {
		t.Fatal(err)
	}
	type made struct{ c, kind, tile, name string }
	var all []made
	args := []string{from} // one run writes all: it takes longer to start than to write
	for _, kind := range []string{"half", "float"} {
		for _, tile := range []string{"", "24"} {
			for _, c := range []string{"none", "rle", "zips", "zip", "piz", "pxr24"} {
				m := made{c, kind, tile, filepath.Join(dir, c+kind+tile+".exr")}
				args = append(args, "-d", kind, "--compression", c)
				if tile != "" {
					args = append(args, "--tile", tile, tile)
				} else {
					args = append(args, "--scanline")
				}
				args = append(args, "-o", m.name)
				all = append(all, m)
			}
		}
	}
	if out, err := exec.Command(tool, args...).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	for _, m := range all {
		b, err := os.ReadFile(m.name)
		if err != nil {
			t.Fatal(err)
		}
		p, err := Decode(context.Background(), b)
		if err != nil {
			t.Errorf("%s %s %s: %v", m.c, m.kind, m.tile, err)
			continue
		}
		within := 0.0
		if m.c == "pxr24" {
			within = 1.0 / (1 << 15)
		}
		check(t, fmt.Sprint(m.c, " ", m.kind, " ", m.tile), p, map[string]int{"A": 0, "B": 1, "G": 2, "R": 3}, within)
	}
}

func TestHalves(t *testing.T) {
	for h, want := range map[uint16]float32{
		0: 0, 0x3c00: 1, 0xc000: -2, 0x7bff: 65504, 0x0400: 1.0 / 16384, 0x0001: 1.0 / (1 << 24), 0x83ff: -1023.0 / (1 << 24),
		0x7c00: float32(math.Inf(1)), 0x3555: 0.333251953125,
	} {
		if got := Half(h); got != want {
			t.Errorf("%04x is %v, want %v", h, got, want)
		}
	}
	if v := Half(0x7e00); v == v {
		t.Errorf("7e00 is %v, no number it should be", v)
	}
}

func TestWrongFilesSayWhatIsWrong(t *testing.T) {
	good := plain("B", "G", "R")
	change := func(at int, to ...byte) []byte {
		b := bytes.Clone(good)
		copy(b[at:], to)
		return b
	}
	where := func(s string) int { return bytes.Index(good, []byte(s)) }
	for _, c := range []struct {
		name string
		b    []byte
		says string
	}{
		{"another form", []byte("\x89PNG...."), "no OpenEXR"},
		{"a later version", change(4, 3), "version 3"},
		{"deep", change(5, 8), "deep"},
		{"cut", good[:len(good)-3], "ends in the midst"},
		{"cut in the header", good[:40], "header"},
		{"huge", change(where("dataWindow")+len("dataWindow\x00box2i\x00")+4+8, 0xff, 0xff, 0xff, 0x7f), "texels"},
		{"B44", change(where("compression\x00compression")+len("compression\x00compression\x00")+4, 6), "B44"},
		{"unknown compression", change(where("compression\x00compression")+len("compression\x00compression\x00")+4, 99), "99"},
		{"no window", bytes.Replace(good, []byte("dataWindow"), []byte("dataWindoo"), 1), "dataWindow"},
		{"thin", change(where("R\x00")+2+8, 2), "every 2"},
		{"empty", nil, "no OpenEXR"},
	} {
		_, err := Decode(context.Background(), c.b)
		if err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, want %q", c.name, err, c.says)
		}
	}
}

func FuzzDecode(f *testing.F) {
	list, _ := filepath.Glob("testdata/*.exr")
	for _, name := range list {
		if b, err := os.ReadFile(name); err == nil && len(b) < 5000 { // small ones are changed more often
			f.Add(b)
		}
	}
	tiny, _ := filepath.Glob("testdata/tiny/*.exr")
	for _, name := range tiny {
		if b, err := os.ReadFile(name); err == nil {
			f.Add(b)
		}
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		if w, h, err := Config(b); err != nil || w*h > 1<<16 {
			return
		}
		_, _ = Decode(context.Background(), b)
	})
}

// FuzzHuffman decodes what may be coded by Huffman's method.
func FuzzHuffman(f *testing.F) {
	f.Add([]byte("\x00\x00\x00\x00\x02\x00\x00\x00\x00\x00\x00\x00\x08\x00\x00\x00\x00\x00\x00\x00\x04\x10\x40\xff\xff"), uint16(8))
	f.Fuzz(func(t *testing.T, b []byte, n uint16) { _ = unhuff(b, make([]uint16, n)) })
}

// TestWhatIsWrittenIsRead holds the writer against the reader, and halves against every number of
// 16 bits.
func TestWhatIsWrittenIsRead(t *testing.T) {
	for h := range 1 << 16 {
		if v := Half(uint16(h)); v == v && ToHalf(v) != uint16(h) {
			t.Fatalf("%#04x is %v, which is written as %#04x", h, v, ToHalf(v))
		}
	}
	for v, want := range map[float32]uint16{1: 0x3c00, 65520: 0x7bff, 1e30: 0x7bff, 2.9802322e-8: 0, 3e-8: 1, 1.00048828125: 0x3c00, 1.0005: 0x3c01} {
		if got := ToHalf(v); got != want {
			t.Errorf("%v becomes %#04x, not %#04x", v, got, want)
		}
	}
	const w, h = 37, 21
	plane := func(k float32) []float32 {
		p := make([]float32, w*h)
		for i := range p {
			p[i] = k * float32(i%64) / 8
		}
		return p
	}
	in := []Channel{{"R", plane(1)}, {"G", plane(2)}, {"B", plane(-1)}, {"A", plane(0.125)}, {"depth.Z", plane(3)}, {strings.Repeat("n", 40) + ".X", plane(1)}}
	for _, halves := range []bool{false, true} {
		b, err := Encode(w, h, in, halves)
		if err != nil {
			t.Fatal(err)
		}
		p, err := Decode(context.Background(), b)
		if err != nil {
			t.Fatal(err)
		}
		if p.W != w || p.H != h || len(p.Channels) != 4 {
			t.Fatalf("%d × %d with %d channels", p.W, p.H, len(p.Channels))
		}
		for i, name := range []string{"R", "G", "B", "A"} {
			if p.Channels[i].Name != name || !slices.Equal(p.Channels[i].Data, in[i].Data) {
				t.Errorf("channel %s is not what was written", name)
			}
		}
		if tool, err := exec.LookPath("oiiotool"); err == nil {
			file := filepath.Join(t.TempDir(), "layers.exr")
			if err := os.WriteFile(file, b, 0o600); err != nil {
				t.Fatal(err)
			}
			out, err := exec.Command(tool, "--info", "-v", file).CombinedOutput()
			if err != nil || !strings.Contains(string(out), "depth.Z") || !strings.Contains(string(out), "37 x   21, 6 channel") {
				t.Errorf("another program says: %s (%v)", out, err)
			}
		}
	}
	for _, bad := range [][]Channel{{{"R", nil}}, {{"", plane(1)}}, {{"R", plane(1)}, {"R", plane(1)}}} {
		if _, err := Encode(w, h, bad, false); err == nil {
			t.Errorf("%q: not refused", bad[0].Name)
		}
	}
}
