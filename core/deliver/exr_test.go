package deliver

import (
	"bytes"
	"encoding/binary"
	"io"
	"math"
	"math/rand/v2"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"

	"github.com/klauspost/compress/zlib"
)

// readEXR reads back what the file layout says of such a file.
func readEXR(t *testing.T, b []byte) (names []string, size int, planes map[string][]float32) {
	t.Helper()
	if binary.LittleEndian.Uint32(b) != 20000630 || binary.LittleEndian.Uint32(b[4:]) != 2 {
		t.Fatalf("it begins with % x", b[:8])
	}
	r := bytes.NewBuffer(b[8:])
	word := func() string { s, _ := r.ReadString(0); return s[:max(len(s)-1, 0)] }
	for {
		name := word()
		if name == "" {
			break
		}
		kind := word()
		n := binary.LittleEndian.Uint32(r.Next(4))
		data := r.Next(int(n))
		switch name {
		case "channels":
			for d := bytes.NewBuffer(data); d.Len() > 1; {
				s, _ := d.ReadString(0)
				names = append(names, s[:len(s)-1])
				if kind := binary.LittleEndian.Uint32(d.Next(16)); kind != 2 {
					t.Fatalf("channel %s is of kind %d, not of floats", s, kind)
				}
			}
		case "dataWindow":
			size = int(binary.LittleEndian.Uint32(data[8:])) + 1
		case "compression":
			if kind != "compression" || data[0] != 3 {
				t.Fatalf("compression is %s %v", kind, data)
			}
		}
	}
	planes = map[string][]float32{}
	for _, n := range names {
		planes[n] = make([]float32, size*size)
	}
	for y := 0; y < size; y += 16 {
		at := binary.LittleEndian.Uint64(r.Next(8))
		if got := int(binary.LittleEndian.Uint32(b[at:])); got != y {
			t.Fatalf("block of line %d begins with line %d", y, got)
		}
		packed := b[at+8:][:binary.LittleEndian.Uint32(b[at+4:])]
		lines := min(16, size-y)
		want := lines * size * len(names) * 4
		data := packed
		if len(packed) < want {
			z, err := zlib.NewReader(bytes.NewReader(packed))
			if err != nil {
				t.Fatal(err)
			}
			d, err := io.ReadAll(z)
			if err != nil || len(d) != want {
				t.Fatal(err, len(d), want)
			}
			for i := 1; i < len(d); i++ {
				d[i] += d[i-1] - 128
			}
			data = make([]byte, want)
			for i := range data {
				data[i] = d[i/2+i%2*((want+1)/2)]
			}
		}
		for row := range lines {
			for _, n := range names {
				for x := range size {
					planes[n][(y+row)*size+x] = math.Float32frombits(binary.LittleEndian.Uint32(data))
					data = data[4:]
				}
			}
		}
	}
	return
}

func TestEXRHoldsTheNumbersExactly(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	const size = 37 // not a whole number of blocks
	for _, n := range []int{1, 3} {
		planes := make([][]float32, n)
		for c := range planes {
			planes[c] = make([]float32, size*size)
			for i := range planes[c] {
				planes[c][i] = float32(c) + float32(i/size)*0.001 - 0.3 // smooth, so that it compresses
				if i%97 == 0 {
					planes[c][i] = float32(r.NormFloat64() * 1e6)
				}
			}
		}
		b, err := EXR(planes, size)
		if err != nil {
			t.Fatal(err)
		}
		names, got, back := readEXR(t, b)
		want := map[int][]string{1: {"Y"}, 3: {"B", "G", "R"}}[n]
		if got != size || len(names) != n || names[0] != want[0] {
			t.Fatalf("channels %v of size %d", names, got)
		}
		for c, name := range map[int][]string{1: {"Y"}, 3: {"R", "G", "B"}}[n] {
			for i, v := range planes[c] {
				if back[name][i] != v {
					t.Fatalf("%s %d is %v, want %v", name, i, back[name][i], v)
				}
			}
		}
		if len(b) > n*size*size*3 {
			t.Errorf("%d bytes for %d numbers: not compressed", len(b), n*size*size)
		}
	}
	if _, err := EXR(make([][]float32, 2), 8); err == nil {
		t.Error("two planes are written")
	}
}

// Numbers are the stack's own: metres, linear light, unit vectors.
func TestNumbersOfASheet(t *testing.T) {
	d := sample.PlainBollard()
	d.Layers = []*stack.Layer{{ID: "a", Name: "A", Kind: stack.Fill, Visible: true, Amount: 1, Channels: map[stack.Channel]stack.Coat{
		stack.BaseColor: {On: true, Value: []float32{0.5, 0.5, 1}, Amount: 1}, stack.Height: {On: true, Value: []float32{0.002}, Blend: "add", Amount: 1}}}}
	p := eval.Compile(eval.NewScene(sample.Bollard(), cache.New(1<<26)), d, "", "")
	for c, want := range map[stack.Channel][]float64{stack.BaseColor: {0.214041, 0.214041, 1}, stack.Height: {0.002}, stack.Normal: {0, 0, 1}} {
		k, _ := Alone(c)
		b, err := Encoded(t.Context(), p, 0, 128, k, 32)
		if err != nil {
			t.Fatal(err)
		}
		_, _, back := readEXR(t, b)
		names := map[int][]string{1: {"Y"}, 3: {"R", "G", "B"}}[len(want)]
		for k := range want {
			for _, x := range back[names[k]] {
				if math.Abs(float64(x)-want[k]) > 1e-5 {
					t.Fatalf("%s component %d is %v, want %v", c, k, x, want[k])
				}
			}
		}
	}
}
