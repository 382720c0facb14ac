package rgbe

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"velvetgrime/core/exr"
)

// want is what the pictures of the tests show.
func want(x, y int) [3]float32 { return [3]float32{float32(x) + 1, float32(y) * 2, 0.25} }

func bytesOf(c [3]float32) [4]byte {
	top := max(c[0], c[1], c[2])
	if top < 1e-32 {
		return [4]byte{}
	}
	f, e := math.Frexp(float64(top))
	k := f * 256 / float64(top)
	return [4]byte{byte(float64(c[0]) * k), byte(float64(c[1]) * k), byte(float64(c[2]) * k), byte(e + 128)}
}

// written is a picture as it is, by the newer or by the older runs.
func written(w, h int, how, size, more string, at func(i, n int) (x, y int)) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "#?RADIANCE\n# made by a test\n%sFORMAT=32-bit_rle_rgbe\n\n%s\n", more, size)
	for n := range h {
		row := make([][4]byte, w)
		for i := range w {
			x, y := at(i, n)
			row[i] = bytesOf(want(x, y))
		}
		switch how {
		case "plain":
			for _, t := range row {
				b.Write(t[:])
			}
		case "old":
			for i := 0; i < w; {
				k := i + 1
				for k < w && row[k] == row[i] && k-i < 256 {
					k++
				}
				b.Write(row[i][:])
				if k-i > 1 {
					b.Write([]byte{1, 1, 1, byte(k - i - 1)})
				}
				i = k
			}
		case "new":
			b.Write([]byte{2, 2, byte(w >> 8), byte(w)})
			for c := range 4 {
				for i := 0; i < w; {
					k := i + 1
					for k < w && row[k][c] == row[i][c] && k-i < 127 {
						k++
					}
					if k-i > 2 {
						b.Write([]byte{byte(128 + k - i), row[i][c]})
					} else {
						k = i + 1
						b.Write([]byte{1, row[i][c]})
					}
					i = k
				}
			}
		}
	}
	return b.Bytes()
}

func same(t *testing.T, what string, p *Picture, w, h int, scale float32) {
	t.Helper()
	if p.W != w || p.H != h {
		t.Fatalf("%s: %d × %d", what, p.W, p.H)
	}
	for y := range h {
		for x := range w {
			for k, v := range want(x, y) {
				got := p.Data[3*(y*w+x)+k] * scale
				top := max(want(x, y)[0], want(x, y)[1])
				if d := got - v; d > top/100 || d < -top/100 {
					t.Fatalf("%s: component %d at %d, %d is %v, want %v", what, k, x, y, got, v)
				}
			}
		}
	}
}

func TestEveryWayOfWriting(t *testing.T) {
	const w, h = 21, 13
	straight := func(i, n int) (int, int) { return i, n }
	for _, how := range []string{"plain", "old", "new"} {
		p, err := Decode(context.Background(), bytes.NewReader(written(w, h, how, fmt.Sprintf("-Y %d +X %d", h, w), "", straight)))
		if err != nil {
			t.Fatalf("%s: %v", how, err)
		}
		same(t, how, p, w, h, 1)
	}
	for size, at := range map[string]func(i, n int) (int, int){
		fmt.Sprintf("+Y %d +X %d", h, w): func(i, n int) (int, int) { return i, h - 1 - n },
		fmt.Sprintf("-Y %d -X %d", h, w): func(i, n int) (int, int) { return w - 1 - i, n },
		fmt.Sprintf("+Y %d -X %d", h, w): func(i, n int) (int, int) { return w - 1 - i, h - 1 - n },
	} {
		p, err := Decode(context.Background(), bytes.NewReader(written(w, h, "new", size, "", at)))
		if err != nil {
			t.Fatalf("%s: %v", size, err)
		}
		same(t, size, p, w, h, 1)
	}
	for size, at := range map[string]func(i, n int) (int, int){
		fmt.Sprintf("+X %d -Y %d", w, h): func(i, n int) (int, int) { return n, i },
		fmt.Sprintf("-X %d +Y %d", w, h): func(i, n int) (int, int) { return w - 1 - n, h - 1 - i },
	} {
		p, err := Decode(context.Background(), bytes.NewReader(written(h, w, "new", size, "", at)))
		if err != nil {
			t.Fatalf("%s: %v", size, err)
		}
		same(t, size, p, w, h, 1)
	}
	p, err := Decode(context.Background(), bytes.NewReader(written(w, h, "new", "-Y 13 +X 21", "EXPOSURE= 2\nEXPOSURE=4.0\n", straight)))
	if err != nil {
		t.Fatal(err)
	}
	same(t, "exposed", p, w, h, 8)
}

// Another program's file has what that program says is in it.
func TestAFileOfAnotherWriter(t *testing.T) {
	tool, err := exec.LookPath("oiiotool")
	if err != nil {
		t.Skip("oiiotool is not installed")
	}
	dir := t.TempDir()
	hdr, back := filepath.Join(dir, "a.hdr"), filepath.Join(dir, "a.exr")
	for _, args := range [][]string{
		{"--pattern", "fill:topleft=0,0.5,3:topright=8,0.01,0:bottomleft=1,1,1:bottomright=0.2,90,0.3", "90x50", "3", "-o", hdr},
		{hdr, "-d", "float", "-o", back},
	} {
		if out, err := exec.Command(tool, args...).CombinedOutput(); err != nil {
			t.Fatalf("%v: %s", err, out)
		}
	}
	b, err := os.ReadFile(hdr)
	if err != nil {
		t.Fatal(err)
	}
	p, err := Decode(context.Background(), bytes.NewReader(b))
	if err != nil {
		t.Fatal(err)
	}
	e, err := os.ReadFile(back)
	if err != nil {
		t.Fatal(err)
	}
	q, err := exr.Decode(context.Background(), e)
	if err != nil {
		t.Fatal(err)
	}
	for i := range p.W * p.H {
		top := max(q.Channels[0].Data[i], q.Channels[1].Data[i], q.Channels[2].Data[i])
		for k := range 3 {
			// one of 256, of the largest component: whether the middle or the edge of a step is meant
			if d := p.Data[3*i+k] - q.Channels[k].Data[i]; d > top/120 || d < -top/120 {
				t.Fatalf("component %d of %d is %v, the other program says %v", k, i, p.Data[3*i+k], q.Channels[k].Data[i])
			}
		}
	}
}

func TestWrongFilesSayWhatIsWrong(t *testing.T) {
	straight := func(i, n int) (int, int) { return i, n }
	good := string(written(21, 13, "new", "-Y 13 +X 21", "", straight))
	for _, c := range []struct{ name, b, says string }{
		{"no end", "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n", "does not end"},
		{"another form", strings.Replace(good, "rgbe", "abcd", 1), "of the form"},
		{"no size", strings.Replace(good, "-Y 13 +X 21", "13 by 21", 1), "its size"},
		{"twice Y", strings.Replace(good, "-Y 13 +X 21", "-Y 13 +Y 21", 1), "texels"},
		{"huge", strings.Replace(good, "-Y 13 +X 21", "-Y 99999 +X 99999", 1), "texels"},
		{"cut", good[:len(good)-4], "line 13 of 13"},
		{"wrong length", strings.Replace(good, "\x02\x02\x00\x15", "\x02\x02\x00\x16", 1), "line 1 of 13"},
	} {
		if _, err := Decode(context.Background(), strings.NewReader(c.b)); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, want %q", c.name, err, c.says)
		}
	}
}

func FuzzDecode(f *testing.F) {
	straight := func(i, n int) (int, int) { return i, n }
	for _, how := range []string{"plain", "old", "new"} {
		f.Add(written(9, 3, how, "-Y 3 +X 9", "EXPOSURE=2\nPRIMARIES=.6 .3 .3 .6 .1 .1 .3 .3\n", straight))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		if w, h, err := Config(bytes.NewReader(b)); err != nil || w*h > 1<<16 {
			return
		}
		_, _ = Decode(context.Background(), bytes.NewReader(b))
	})
}
