package deliver

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	_ "image/jpeg"
	_ "image/png"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"velvetgrime/core/blend"
	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/exr"
	"velvetgrime/core/pix"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"

	"golang.org/x/image/tiff"
	_ "golang.org/x/image/webp"
)

// even is a program whose channels are the same all over the bollard's sheet.
func even(t *testing.T) *eval.Program {
	t.Helper()
	m := sample.Bollard()
	d := stack.New([]string{m.Sheets[0].Name}, 128)
	coat := func(v ...float32) stack.Coat {
		return stack.Coat{On: true, Value: v, Blend: blend.Normal, Amount: 1}
	}
	coats := map[stack.Channel]stack.Coat{
		stack.BaseColor: coat(0.8, 0.4, 0.2), stack.Roughness: coat(0.25), stack.Metallic: coat(0.5),
		stack.Opacity: coat(0.5), stack.Occlusion: coat(0.75), stack.Emissive: coat(0.1, 0.2, 0.3), stack.Height: coat(0.001),
	}
	d.Layers = []*stack.Layer{{ID: "a", Name: "A", Kind: stack.Fill, Visible: true, Amount: 1, Channels: coats}}
	return eval.Compile(eval.NewScene(m, cache.New(64<<20)), d, "", "")
}

// written are the files of a delivery, by name.
func ptr[T any](v T) *T { return &v }

func written(t *testing.T, p *eval.Program, o Order) map[string][]byte {
	t.Helper()
	var mu sync.Mutex
	out := map[string][]byte{}
	err := Write(context.Background(), p, o, func(float64, string) {}, func(name string, file func(io.Writer) error) error {
		var b bytes.Buffer
		err := file(&b)
		mu.Lock()
		defer mu.Unlock()
		out[name] = b.Bytes()
		return err
	})
	if err != nil {
		t.Fatalf("%s: %v", o.Preset.Name, err)
	}
	return out
}

// texelOf is a texel in the midst of an island, by a reader of the standard library or beside it, as
// numbers: 0..1, of EXR as they are.
func texelOf(t *testing.T, name string, b []byte) (v []float64, size int) {
	t.Helper()
	const at = 64
	if strings.HasSuffix(name, ".exr") {
		p, err := exr.Decode(context.Background(), b)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		for _, c := range p.Channels {
			v = append(v, float64(c.Data[at*p.W+at]))
		}
		return v, p.W
	}
	var img image.Image
	var err error
	if strings.HasSuffix(name, ".tif") {
		img, err = tiff.Decode(bytes.NewReader(b))
	} else {
		img, _, err = image.Decode(bytes.NewReader(b))
	}
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	switch c := img.(type) {
	case *image.Gray:
		return []float64{float64(c.GrayAt(at, at).Y) / 255}, c.Rect.Dx()
	case *image.Gray16:
		return []float64{float64(c.Gray16At(at, at).Y) / 65535}, c.Rect.Dx()
	case *image.NRGBA:
		x := c.NRGBAAt(at, at)
		return []float64{float64(x.R) / 255, float64(x.G) / 255, float64(x.B) / 255, float64(x.A) / 255}, c.Rect.Dx()
	case *image.NRGBA64:
		x := c.NRGBA64At(at, at)
		return []float64{float64(x.R) / 65535, float64(x.G) / 65535, float64(x.B) / 65535, float64(x.A) / 65535}, c.Rect.Dx()
	}
	r, g, bl, a := img.At(at, at).RGBA()
	return []float64{float64(r) / 65535, float64(g) / 65535, float64(bl) / 65535, float64(a) / 65535}, img.Bounds().Dx()
}

func (p FilePreset) file(name string) *PresetFile {
	for i := range p.Files {
		if p.Files[i].Map == name {
			return &p.Files[i]
		}
	}
	return nil
}

// TestOursHoldWhatTheyAreNamedFor reads every file of every preset of ours, and holds its components
// against what the surface is.
func TestOursHoldWhatTheyAreNamedFor(t *testing.T) {
	p := even(t)
	lin := func(v float64) float64 { return float64(pix.DecodeSRGB(float32(v))) }
	enc := func(v float64) float64 { return float64(pix.EncodeSRGB(float32(v))) }
	diffuse := func(c float64) float64 { return enc(lin(c) * 0.5) }
	specular := func(c float64) float64 { return enc(0.04 + 0.5*(lin(c)-0.04)) }
	want := map[string]map[string][]float64{
		"glTF metal-rough": {
			"basecolor": {0.8, 0.4, 0.2}, "orm": {0.75, 0.25, 0.5}, "normal": {0.5, 0.5, 1}, "emissive": {0.1, 0.2, 0.3},
		},
		"packed occlusion-roughness-metallic, normal Y−": {"basecolor": {0.8, 0.4, 0.2}, "orm": {0.75, 0.25, 0.5}, "normal": {0.5, 0.5, 1}},
		"metallic with smoothness in alpha": {
			"basecolor": {0.8, 0.4, 0.2, 0.5}, "metallic_smoothness": {0.5, 0.5, 0.5, 0.75}, "occlusion": {0.75},
		},
		"specular-glossiness": {
			"diffuse":             {diffuse(0.8), diffuse(0.4), diffuse(0.2), 0.5},
			"specular_glossiness": {specular(0.8), specular(0.4), specular(0.2), 0.75},
		},
		"single picture with transparency": {"basecolor": {0.4, 0.2, 0.1, 0.5}},
		"film: one EXR a channel and UDIM": {
			"base_color": {lin(0.8), lin(0.4), lin(0.2)}, "roughness": {0.25}, "height": {0.001}, "normal": {0, 0, 1}, "opacity": {0.5},
		},
		"every channel, 16 bit": {"base_color": {0.8, 0.4, 0.2}, "height": {0.6}, "metallic": {0.5}, "ambient_occlusion": {0.75}},
	}
	tool, _ := exec.LookPath("oiiotool")
	dir, looked := t.TempDir(), []string{}
	for _, preset := range Presets() {
		preset.Size = 128
		o := Order{Preset: &preset, Project: "Low Wick"}
		plan, err := Plan(p, o)
		if err != nil {
			t.Fatal(err)
		}
		files := written(t, p, o)
		if len(files) != len(plan) {
			t.Errorf("%s: %d files, %d were told", preset.Name, len(files), len(plan))
		}
		for _, line := range plan {
			b := files[line.Name]
			if len(b) == 0 || line.Packing == "" {
				t.Errorf("%s: %s is empty, or tells nothing of what it holds", preset.Name, line.Name)
			}
			w := want[preset.Name][line.Map]
			if w == nil {
				continue
			}
			got, size := texelOf(t, line.Name, b)
			if size != 128 {
				t.Errorf("%s is %d texels wide", line.Name, size)
			}
			step := 0.6 / 255
			if line.Depth != 8 {
				step = 6e-4
			}
			for i, v := range w {
				if math.Abs(got[i]-v) > step {
					t.Errorf("%s, %s: component %d is %.4f, not %.4f (%s)", preset.Name, line.Name, i, got[i], v, line.Packing)
				}
			}
			at := filepath.Join(dir, line.Name)
			if tool == "" || slices.Contains(looked, at) {
				continue
			}
			if err := os.WriteFile(at, b, 0o600); err != nil {
				t.Fatal(err)
			}
			looked = append(looked, at)
		}
		delete(want, preset.Name)
	}
	for name := range want {
		t.Errorf("there is no preset %q", name)
	}
	if tool == "" {
		return
	}
	// and by a program that is not ours
	out, err := exec.Command(tool, append([]string{"--info"}, looked...)...).CombinedOutput()
	if n := strings.Count(string(out), "128 x  128"); err != nil || n != len(looked) {
		t.Errorf("another program reads %d of %d files: %s (%v)", n, len(looked), out, err)
	}
}

// TestEveryFormatIsReadElsewhere writes one colour in all formats, with and without coverage, and has
// it read by others.
func TestEveryFormatIsReadElsewhere(t *testing.T) {
	p := even(t)
	tool, _ := exec.LookPath("oiiotool")
	dir := t.TempDir()
	var args, asked []string
	var wanted [][]float64
	at := func(k int) *Component { return &Component{Source: string(stack.BaseColor), Part: k} }
	for format, form := range formats {
		for _, n := range []int{1, 3, 4} {
			f := PresetFile{Map: "m", Format: format, R: at(0), Quality: 100}
			if n > 1 {
				f.G, f.B = at(1), at(2)
			}
			if n == 4 {
				if f.A = (&Component{Source: string(stack.Opacity)}); !form.alpha {
					continue
				}
			}
			o := Order{Preset: &FilePreset{Name: format, Files: []PresetFile{f}, Size: 128}}
			for name, b := range written(t, p, o) {
				want := []float64{0.8, 0.4, 0.2, 0.5}
				if form.float {
					for k := range 3 {
						want[k] = float64(pix.DecodeSRGB(float32(want[k])))
					}
				}
				if format != "tiff32" {
					got, _ := texelOf(t, name, b)
					for k := range n {
						if math.Abs(got[k]-want[k]) > 0.6/255+0.01*btof(format == "jpeg") {
							t.Errorf("%s with %d components: component %d is %.4f, not %.4f", format, n, k, got[k], want[k])
						}
					}
				}
				file := filepath.Join(dir, fmt.Sprint(n, format, filepath.Ext(name)))
				if err := os.WriteFile(file, b, 0o600); err != nil {
					t.Fatal(err)
				}
				if n == 4 && !strings.HasPrefix(format, "exr") {
					for k := range 3 {
						want[k] *= 0.5 // the other program multiplies by coverage when it reads
					}
				}
				args = append(args, file, "--cut", "1x1+64+64", "--printstats", "--pop")
				asked = append(asked, fmt.Sprintf("%s with %d components", format, n))
				wanted = append(wanted, want[:n])
			}
		}
	}
	if tool == "" {
		return
	}
	out, err := exec.Command(tool, args...).CombinedOutput()
	if err != nil {
		t.Fatalf("another program says %s", out)
	}
	got := means(string(out))
	if len(got) != len(asked) {
		t.Fatalf("another program reads %d of %d files: %s", len(got), len(asked), out)
	}
	for i, name := range asked {
		for k, w := range wanted[i] {
			if len(got[i]) < len(wanted[i]) || math.Abs(got[i][k]-w) > 1.2/255+0.01*btof(strings.HasPrefix(name, "jpeg")) {
				t.Errorf("%s: another program reads %v, not %v", name, got[i], wanted[i])
				break
			}
		}
	}
}

func btof(b bool) float64 {
	if b {
		return 1
	}
	return 0
}

// means are the means that the other program tells, a row a file.
func means(s string) (all [][]float64) {
	for _, line := range strings.Split(s, "\n") {
		rest, ok := strings.CutPrefix(strings.TrimSpace(line), "Stats Avg:")
		if !ok {
			continue
		}
		var v []float64
		for _, w := range strings.Fields(rest) {
			x, err := strconv.ParseFloat(w, 64)
			if err != nil {
				break
			}
			if x > 1.0001 { // of whole numbers it tells those
				x /= map[bool]float64{true: 255, false: 65535}[x <= 255]
			}
			v = append(v, x)
		}
		all = append(all, v)
	}
	return all
}

func TestPresetsThatCannotBeAreRefusedByFileAndComponent(t *testing.T) {
	p := even(t)
	good := func() FilePreset {
		return FilePreset{Name: "mine", Files: []PresetFile{{Map: "a", Format: "png8", R: &Component{Source: "roughness"}}}, Size: 128}
	}
	half, five := float32(0.5), float32(5)
	for want, change := range map[string]func(*FilePreset){
		"no name":                   func(p *FilePreset) { p.Name = " " },
		"0 files":                   func(p *FilePreset) { p.Files = nil },
		"size 100":                  func(p *FilePreset) { p.Size = 100 },
		"{colour}":                  func(p *FilePreset) { p.Pattern = "{model} {colour}" },
		`format "gif"`:              func(p *FilePreset) { p.Files[0].Format = "gif" },
		"two of three":              func(p *FilePreset) { p.Files[0].G = p.Files[0].R },
		"holds nothing":             func(p *FilePreset) { p.Files[0].R = nil },
		"neither":                   func(p *FilePreset) { p.Files[0].R = &Component{} },
		"or both":                   func(p *FilePreset) { p.Files[0].R = &Component{Source: "height", Value: &half} },
		"is 5":                      func(p *FilePreset) { p.Files[0].R = &Component{Value: &five} },
		"part 7":                    func(p *FilePreset) { p.Files[0].R.Part = 7 },
		`takes "added.moss"`:        func(p *FilePreset) { p.Files[0].R.Source = "added.moss" },
		"two files are named":       func(p *FilePreset) { p.Files = append(p.Files, p.Files[0]) },
		"JPEG has no fourth":        func(p *FilePreset) { f := &p.Files[0]; f.Format, f.G, f.B, f.A = "jpeg", f.R, f.R, f.R },
		"premultiplied, and has no": func(p *FilePreset) { p.Files[0].Premultiplied = true },
		"would be the same file": func(p *FilePreset) {
			p.Pattern = "all"
			p.Files = append(p.Files, PresetFile{Map: "b", Format: "png8", R: p.Files[0].R})
		},
	} {
		bad := good()
		change(&bad)
		if _, err := Plan(p, Order{Preset: &bad}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
	if _, err := Plan(p, Order{Preset: ptr(good()), Sheets: []string{"Moss"}}); err == nil {
		t.Error("a sheet that is not there: not refused")
	}
	// a channel beyond the usual ones that the project has not got is as it is without
	off := good()
	off.Files[0].R.Source = string(stack.Specular)
	for name, b := range written(t, p, Order{Preset: &off}) {
		if v, _ := texelOf(t, name, b); v[0] != 1 {
			t.Errorf("specular, off, is %v", v)
		}
	}
}

func TestNamesPaddingDitheringAndShares(t *testing.T) {
	p := even(t)
	pr := FilePreset{Name: "mine", Pattern: "{project} {map} {size}.{udim}", Share: 2, Files: []PresetFile{{Map: "rough", Format: "png8", R: &Component{Source: "roughness"}}}}
	p.Doc.Sheets[p.Scene.Model.Sheets[0].Name] = stack.SheetSize{Size: 512}
	plan, err := Plan(p, Order{Preset: &pr, Project: "Low Wick"})
	if err != nil || plan[0].Name != "Low_Wick rough 256.1001.png" || plan[0].Size != 256 {
		t.Errorf("%+v, %v", plan, err)
	}
	bare := func(padding int) (n int) {
		q := pr
		q.Share, q.Size, q.Padding = 0, 128, padding
		for _, b := range written(t, p, Order{Preset: &q}) {
			img, _, err := image.Decode(bytes.NewReader(b))
			if err != nil {
				t.Fatal(err)
			}
			for _, v := range img.(*image.Gray).Pix {
				if v == 0 {
					n++
				}
			}
		}
		return n
	}
	all, none, two := bare(0), bare(-1), bare(2)
	if all != 0 || none == 0 || two == 0 || two >= none {
		t.Errorf("%d texels are bare when all is filled, %d with two texels around islands, %d with none", all, two, none)
	}
	// dithered, a value between two steps is on the mean what it is
	v := float32(100.5 / 255)
	q := FilePreset{Name: "d", Size: 128, Files: []PresetFile{{Map: "m", Format: "png8", Dithered: true, R: &Component{Value: &v}}}}
	for _, b := range written(t, p, Order{Preset: &q}) {
		img, _, err := image.Decode(bytes.NewReader(b))
		if err != nil {
			t.Fatal(err)
		}
		sum, n := 0.0, 0.0
		g := img.(*image.Gray)
		for y := 56; y < 72; y++ {
			for x := 56; x < 72; x++ {
				sum += float64(g.GrayAt(x, y).Y)
				n++
			}
		}
		if math.Abs(sum/n-100.5) > 0.05 {
			t.Errorf("dithered it is %.3f on the mean, not 100.5", sum/n)
		}
	}
	seen := map[float32]bool{}
	for i := range 64 {
		seen[bayer(i%8, i/8)] = true
	}
	if len(seen) != 64 {
		t.Errorf("the pattern has %d steps, not 64", len(seen))
	}
}

func TestPresetsAreData(t *testing.T) {
	for _, p := range Presets() {
		if err := p.Check(); err != nil {
			t.Error(err)
		}
		b, err := json.Marshal(p)
		if err != nil {
			t.Fatal(err)
		}
		var q FilePreset
		if err := json.Unmarshal(b, &q); err != nil || q.Check() != nil || len(q.Files) != len(p.Files) {
			t.Errorf("%s: not read back: %v", p.Name, err)
		}
	}
}

func FuzzPreset(f *testing.F) {
	for _, p := range Presets() {
		b, err := json.Marshal(p)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(b)
	}
	d := stack.New([]string{"Iron"}, 128)
	f.Fuzz(func(t *testing.T, b []byte) {
		var p FilePreset
		if json.Unmarshal(b, &p) != nil || p.Check() != nil {
			return
		}
		for i := range p.Files {
			name := p.name("a", "b", "Deck 1003", 0, &p.Files[i], 512)
			if name == "" || strings.ContainsAny(name, "/\\\x00") || p.Files[i].Packing(Sources(d)) == "" {
				t.Fatalf("file %q", name)
			}
			if n := p.Files[i].count(); n != 1 && n != 3 && n != 4 {
				t.Fatalf("%d components", n)
			}
		}
	})
}
