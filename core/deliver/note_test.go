package deliver

import (
	"bytes"
	"context"
	"errors"
	"hash/adler32"
	"image"
	"image/png"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/exr"
	"velvetgrime/core/pix"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
)

func coated(layers ...*stack.Layer) *eval.Program {
	d := stack.New([]string{"Cast iron"}, 256)
	d.Layers = layers
	return eval.Compile(eval.NewScene(sample.Bollard(), cache.New(64<<20)), d, "", "")
}

func fill(id string, c stack.Channel, v ...float32) *stack.Layer {
	return &stack.Layer{ID: id, Name: id, Kind: stack.Fill, Visible: true, Amount: 1,
		Channels: map[stack.Channel]stack.Coat{c: {On: true, Value: v, Amount: 1, Blend: "normal"}}}
}

func work(t *testing.T, p *eval.Program, preset FilePreset) *Work {
	t.Helper()
	w, err := NewWork(p, Order{Preset: &preset, Project: "Low Wick"})
	if err != nil {
		t.Fatal(err)
	}
	return w
}

// What would change is told file by file: a change of one channel changes the files that hold it, and
// the scenes.
func TestWhatChangedSinceADelivery(t *testing.T) {
	preset := FilePreset{Name: "two", Size: 128, Scenes: []string{"glb"}, Files: []PresetFile{
		{Map: "color", Format: "png8", R: &Component{Source: "baseColor"}, G: &Component{Source: "baseColor", Part: 1}, B: &Component{Source: "baseColor", Part: 2}},
		{Map: "rough", Format: "png8", R: &Component{Source: "roughness"}},
	}}
	red := fill("a", stack.BaseColor, 0.8, 0.2, 0.1)
	w := work(t, coated(red), preset)
	n := &Note{}
	of := w.Of()
	for _, f := range w.Files() {
		n.Files = append(n.Files, NoteFile{Written{Name: f.Name}, of[f.Name]})
	}
	state := func(w *Work) string {
		var s []string
		for _, c := range n.Since(w) {
			s = append(s, c.State)
		}
		return strings.Join(s, " ")
	}
	if got := state(work(t, coated(red), preset)); got != "same same same" {
		t.Errorf("of the same state: %s", got)
	}
	if got := state(work(t, coated(red, fill("b", stack.Roughness, 0.3)), preset)); got != "same changed changed" {
		t.Errorf("with another roughness: %s", got)
	}
	other := preset
	other.Files = append([]PresetFile{}, preset.Files...)
	other.Files[1].Map = "roughness"
	if got := state(work(t, coated(red), other)); got != "same new same gone" {
		t.Errorf("with another name: %s", got)
	}
	other = preset
	other.Size = 256
	if got := state(work(t, coated(red), other)); got != "changed changed changed" {
		t.Errorf("of another size: %s", got)
	}
}

// An order is looked at before: each thing that an artist would want to know is said of the sheet, the
// channel and the files that it is about, and nothing is said where all is well.
func TestAnOrderIsWarnedOf(t *testing.T) {
	preset, _ := FindPreset("every channel, 16 bit")
	all := coated(fill("a", stack.BaseColor, 0.8, 0.2, 0.1), fill("h", stack.Height, 0.012))
	list, err := work(t, all, preset).Warnings(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	kinds := map[string]string{}
	for _, w := range list {
		kinds[w.Kind+" "+string(w.Channel)] = w.Text
		if len(w.Files) == 0 || w.Sheet != "Cast iron" {
			t.Errorf("%s is about %v of %q", w.Text, w.Files, w.Sheet)
		}
		if w.Kind == "height" && (w.Place == nil || math.Abs(float64(w.Place[1])) > 1) {
			t.Errorf("the place of the height is %v", w.Place)
		}
	}
	for _, want := range []string{"unpainted metallic", "unpainted emissive", "height height", "tangents normal"} {
		if kinds[want] == "" {
			t.Errorf("nothing is said of %s: %v", want, kinds)
		}
	}
	if kinds["unpainted baseColor"] != "" || !strings.Contains(kinds["height height"], "12.0 mm") {
		t.Errorf("said: %v", kinds)
	}
	half := FilePreset{Name: "small", Size: 128, Files: []PresetFile{{Map: "h", Format: "exr32", R: &Component{Source: "height"}}}}
	if list, _ := work(t, all, half).Warnings(t.Context()); len(list) != 1 || list[0].Kind != "density" {
		t.Errorf("of half the size and floats: %+v", list)
	}
	half.Size = 256
	if list, _ := work(t, all, half).Warnings(t.Context()); len(list) != 0 {
		t.Errorf("where all is well: %+v", list)
	}
	half.Scenes = []string{"usdz"}
	d := *all.Doc
	more, _ := stack.MoreInfo(stack.Fuzz)
	d.Added = []stack.AddedChannel{more.AddedChannel}
	d.Layers = append(append([]*stack.Layer{}, d.Layers...), fill("f", stack.Fuzz, 0.5))
	p := eval.Compile(all.Scene, &d, "", "")
	if list, _ := work(t, p, half).Warnings(t.Context()); len(list) != 1 || list[0].Kind != "format" || !strings.Contains(list[0].Text, "fuzz") {
		t.Errorf("of fuzz in USD: %+v", list)
	}
}

// What is the same of several sheets is said once.
func TestWarningsOfSheetsAreJoined(t *testing.T) {
	var list []Warning
	for _, name := range []string{"Brass", "Enamel", "Rope"} {
		for _, c := range []stack.Channel{stack.Emissive, stack.Opacity} {
			list = joined(list, Warning{Kind: "unpainted", Sheet: name, Channel: c, Files: []string{name + string(c)}}, "nobody paints "+string(c)+" of %s: it is even")
		}
	}
	if len(list) != 2 || list[1].Text != `nobody paints opacity of "Brass", "Enamel", "Rope": it is even` || len(list[1].Files) != 3 {
		t.Errorf("%+v", list)
	}
	if list = joined(list, Warning{Kind: "unpainted", Sheet: "Rope", Channel: stack.Opacity}, "nobody paints opacity of %s: it is odd"); len(list) != 3 {
		t.Error("what is another thing is joined")
	}
}

// Files of every format are read again and are what they should be, to a rounding; what was spoiled,
// has another size, is cut off or empty is found.
func TestDeliveredFilesAreCompared(t *testing.T) {
	layers := []*stack.Layer{fill("a", stack.BaseColor, 0.8, 0.37, 0.21), fill("r", stack.Roughness, 0.437), fill("h", stack.Height, 0.0031)}
	p := coated(layers...)
	rgb := func(format string) PresetFile {
		at := func(k int) *Component { return &Component{Source: "baseColor", Part: k} }
		return PresetFile{Map: format, Format: format, R: at(0), G: at(1), B: at(2), A: &Component{Source: "roughness"}}
	}
	preset := FilePreset{Name: "all", Size: 128}
	for _, f := range []string{"png8", "png16", "tiff8", "tiff16", "tiff32", "exr32", "webp"} {
		one := rgb(f)
		preset.Files = append(preset.Files, one)
		grey := PresetFile{Map: "h" + f, Format: f, R: &Component{Source: "height"}}
		preset.Files = append(preset.Files, grey)
	}
	dithered := rgb("png8")
	dithered.Map, dithered.Dithered = "dithered", true
	preset.Files = append(preset.Files, dithered)
	w := work(t, p, preset)
	files := written(t, p, Order{Preset: &preset, Project: "Low Wick"})
	read := func(name string) ([]byte, error) {
		if b, ok := files[name]; ok {
			return b, nil
		}
		return nil, errors.New("gone")
	}
	list, err := w.Compare(t.Context(), read)
	if err != nil || len(list) != len(preset.Files) {
		t.Fatal(err, len(list))
	}
	for _, c := range list {
		if len(c.Found) > 0 || c.Max > c.Step+1e-6 || c.Mean > c.Max {
			t.Errorf("%s: %+v", c.Name, c)
		}
	}
	if c := list[len(list)-1]; c.Max <= 0.5/255 {
		t.Errorf("what was dithered is rounded: %+v", c)
	}
	lossy := FilePreset{Name: "lossy", Size: 128, Files: []PresetFile{{Map: "j", Format: "jpeg", R: &Component{Source: "roughness"}}}}
	photo := written(t, p, Order{Preset: &lossy})
	got, err := work(t, p, lossy).Compare(t.Context(), func(name string) ([]byte, error) { return photo[name], nil })
	if err != nil || got[0].Step != 0 || got[0].Max > 0.05 || len(got[0].Found) > 0 {
		t.Errorf("JPEG: %v %+v", err, got)
	}
	spoiled := map[string]func(img *image.NRGBA) image.Image{
		"it has 64": func(img *image.NRGBA) image.Image { return img.SubImage(image.Rect(0, 0, 64, 64)) },
		"": func(img *image.NRGBA) image.Image {
			img.Pix[4*(64*128+64)] = 0
			return img
		},
	}
	name := list[0].Name
	good := files[name]
	for want, spoil := range spoiled {
		img, err := png.Decode(bytes.NewReader(good))
		if err != nil {
			t.Fatal(err)
		}
		var b bytes.Buffer
		if err := png.Encode(&b, spoil(img.(*image.NRGBA))); err != nil {
			t.Fatal(err)
		}
		files[name] = b.Bytes()
		list, err := w.Compare(t.Context(), read)
		if err != nil {
			t.Fatal(err)
		}
		if c := list[0]; want != "" && (len(c.Found) != 1 || !strings.Contains(c.Found[0], want)) || want == "" && (c.Max < 0.7 || c.At != [2]int{64, 64}) {
			t.Errorf("%q: %+v", want, c)
		}
	}
	files[name] = []byte("no picture")
	delete(files, list[1].Name)
	list, err = w.Compare(t.Context(), read)
	if err != nil || !strings.Contains(strings.Join(list[0].Found, ""), "cannot be read") || !list[1].Missing {
		t.Errorf("%v: %+v, %+v", err, list[0], list[1])
	}
	// what goes beyond a picture's range is cut off, and said so
	over := coated(fill("h", stack.Height, 0.02))
	one := FilePreset{Name: "h", Size: 128, Files: []PresetFile{{Map: "h", Format: "png8", R: &Component{Source: "height"}}}}
	files = written(t, over, Order{Preset: &one})
	list, err = work(t, over, one).Compare(context.Background(), read)
	if err != nil || len(list) != 1 || !strings.Contains(strings.Join(list[0].Found, ""), "cut off") {
		t.Errorf("%v: %+v", err, list)
	}
}

// Slopes that are finer than steps of 8 bits are found, those that were dithered or are steep are not.
func TestBandsAreFound(t *testing.T) {
	const n = 128
	made := func(rise float64, dither bool) bool {
		full, got, covered := make([]float32, n*n), make([]float32, n*n), make([]bool, n*n)
		for i := range full {
			full[i] = float32(0.3 + rise*float64(i%n)/n)
			v := full[i]
			if dither {
				v += bayer(i%n, i/n) / 255
			}
			got[i], covered[i] = float32(math.Round(float64(v)*255))/255, true
		}
		return banded(full, got, covered, n)
	}
	if !made(0.05, false) || made(0.05, true) || made(0.9, false) || made(0, false) {
		t.Errorf("gentle %v, dithered %v, steep %v, none %v", made(0.05, false), made(0.05, true), made(0.9, false), made(0, false))
	}
}

// One EXR holds many channels, each under its name, and is read again with all of them.
func TestOneFileHoldsManyChannels(t *testing.T) {
	p := coated(fill("a", stack.BaseColor, 0.8, 0.37, 0.21), fill("r", stack.Roughness, 0.437), fill("h", stack.Height, -0.0031))
	at := func(k int) *Component { return &Component{Source: "baseColor", Part: k} }
	more := func(name, source string) NamedComponent { return NamedComponent{name, Component{Source: source}} }
	preset := FilePreset{Name: "one", Size: 128, Files: []PresetFile{{
		Map: "all", Format: "exr32", R: at(0), G: at(1), B: at(2),
		More: []NamedComponent{more("surface.roughness", "roughness"), more("height", "height"), {"normal.X", Component{Source: "made.normal"}}},
	}}}
	files := written(t, p, Order{Preset: &preset})
	w := work(t, p, preset)
	for name, b := range files {
		pic, err := exr.DecodeChannels(t.Context(), b, []string{"height", "surface.roughness", "normal.X", "R"})
		if err != nil {
			t.Fatal(name, err)
		}
		for i, want := range []float64{-0.0031, 0.437, 0, float64(pix.DecodeSRGB(0.8))} {
			if got := float64(pic.Channels[i].Data[64*128+64]); math.Abs(got-want) > 1e-5 {
				t.Errorf("%s is %v, want %v", pic.Channels[i].Name, got, want)
			}
		}
		if _, err := exr.DecodeChannels(t.Context(), b, []string{"moss"}); err == nil {
			t.Error("a channel that is not there is read")
		}
	}
	list, err := w.Compare(t.Context(), func(name string) ([]byte, error) { return files[name], nil })
	if err != nil || len(list) != 1 || len(list[0].Found) > 0 || list[0].Max > 1e-6 {
		t.Errorf("%v: %+v", err, list)
	}
	if !strings.Contains(w.Files()[0].Packing, "surface.roughness = roughness") {
		t.Error(w.Files()[0].Packing)
	}
	for want, bad := range map[string]func(f *PresetFile){
		"EXR alone":  func(f *PresetFile) { f.Format = "png8" },
		"is named":   func(f *PresetFile) { f.More = append(f.More, more("height", "height")) },
		`"R"`:        func(f *PresetFile) { f.More = []NamedComponent{more("R", "height")} },
		`"a b"`:      func(f *PresetFile) { f.More = []NamedComponent{more("a b", "height")} },
		"not got":    func(f *PresetFile) { f.More = []NamedComponent{more("x", "added.none")} },
		"or both":    func(f *PresetFile) { f.More = []NamedComponent{{"x", Component{}}} },
		"0 to 2 are": func(f *PresetFile) { f.More = []NamedComponent{{"x", Component{Source: "height", Part: 3}}} },
	} {
		q := preset
		q.Files = []PresetFile{preset.Files[0]}
		bad(&q.Files[0])
		if _, err := Plan(p, Order{Preset: &q}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
}

// PNG by our own writer is read by the standard library, texel by texel, for any size and however many
// strips it has; sums of texts are joined as zlib joins them.
func TestPNGIsReadByOthers(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, size := range []int{1, 7, 128, 1024} {
		for n, format := range map[int]string{1: "png8", 3: "png16", 4: "png8"} {
			f := &PresetFile{Format: format, R: &Component{}}
			if n > 1 {
				f.G, f.B = &Component{}, &Component{}
			}
			if n > 3 {
				f.A = &Component{}
			}
			s := newSheetOf(f, size)
			for i := range s.whole {
				switch i / 5000 % 3 { // slopes, noise, and one number
				case 0:
					s.whole[i] = byte(i / 40)
				case 1:
					s.whole[i] = byte(r.IntN(256))
				}
			}
			var b bytes.Buffer
			if err := s.png(&b); err != nil {
				t.Fatal(err)
			}
			img, err := png.Decode(&b)
			if err != nil {
				t.Fatalf("%d × %d of %d components: %v", size, size, n, err)
			}
			at := componentsOf(img)
			for i := range size * size {
				got := at(i%size, i/size)
				for c := range n {
					want := float32(s.whole[(i*n+c)*s.bits/8]) / 255
					if s.bits == 16 {
						want = float32(int(s.whole[2*(i*n+c)])<<8|int(s.whole[2*(i*n+c)+1])) / 65535
					}
					if got[c] != want {
						t.Fatalf("%d × %d of %d components: texel %d is %v, want %v", size, size, n, i, got, want)
					}
				}
			}
		}
	}
	for range 200 {
		a, b := make([]byte, r.IntN(200000)), make([]byte, r.IntN(200000))
		for i := range a {
			a[i] = byte(r.Uint32())
		}
		for i := range b {
			b[i] = byte(r.Uint32())
		}
		if got, want := adlerJoin(adler32.Checksum(a), adler32.Checksum(b), len(b)), adler32.Checksum(append(a, b...)); got != want {
			t.Fatalf("%d and %d bytes: %x, want %x", len(a), len(b), got, want)
		}
	}
}
