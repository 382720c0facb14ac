package ora

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/xml"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"strings"
	"testing"
)

func spot(w, h int, c color.NRGBA) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := 0; i < len(img.Pix); i += 4 {
		img.Pix[i], img.Pix[i+1], img.Pix[i+2], img.Pix[i+3] = c.R, c.G, c.B, c.A
	}
	return img
}

func written(t *testing.T) []byte {
	t.Helper()
	p := &Picture{W: 300, H: 200, Merged: spot(300, 200, color.NRGBA{9, 9, 9, 255}), Layers: []*Layer{
		{Name: "Top & “rust”", X: -5, Y: 7, Opacity: 0.25, Mode: "svg:multiply", Image: spot(20, 10, color.NRGBA{200, 100, 50, 128}), Selected: true},
		{Name: "Group", Group: true, Opacity: 0.5, Hidden: true, Layers: []*Layer{
			{Name: "Inside", Opacity: 1, Image: spot(300, 200, color.NRGBA{1, 2, 3, 255})},
		}},
		{Name: "Last", Opacity: 1, Image: spot(1, 1, color.NRGBA{})},
	}}
	var b bytes.Buffer
	if err := p.Write(&b, map[string][]byte{"velvetgrime/view.json": []byte(`{"a":1}`)}, nil); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// What the specification asks of a file, clause by clause, by means that share nothing with the
// writer but the zip and PNG of the standard library.
func TestWhatIsWrittenIsAsTheFormAsks(t *testing.T) {
	b := written(t)
	// "the mimetype file must be the first, stored, without extra fields": known by its first bytes
	if string(b[30:38]) != "mimetype" || string(b[38:38+len("image/openraster")]) != "image/openraster" {
		t.Errorf("the file begins with %q", b[:60])
	}
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		t.Fatal(err)
	}
	files := map[string]*zip.File{}
	for _, f := range z.File {
		files[f.Name] = f
		if f.Method != zip.Store && f.Method != zip.Deflate {
			t.Errorf("%s is packed by method %d", f.Name, f.Method)
		}
	}
	if f := z.File[0]; f.Name != "mimetype" || f.Method != zip.Store || len(f.Extra) != 0 || f.Flags&8 != 0 {
		t.Errorf("the first file is %q, method %d, extra %v, flags %x", f.Name, f.Method, f.Extra, f.Flags)
	}
	pic := func(name string) image.Config {
		t.Helper()
		f := files[name]
		if f == nil {
			t.Fatalf("there is no %s", name)
		}
		r, _ := f.Open()
		c, err := png.DecodeConfig(r)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		return c
	}
	if c := pic("mergedimage.png"); c.Width != 300 || c.Height != 200 {
		t.Errorf("the merged picture is %d × %d", c.Width, c.Height)
	}
	if c := pic("Thumbnails/thumbnail.png"); c.Width != 256 || c.Height != 170 {
		t.Errorf("the thumbnail is %d × %d", c.Width, c.Height)
	}
	r, err := files["stack.xml"].Open()
	if err != nil {
		t.Fatal(err)
	}
	text, _ := io.ReadAll(r)
	type item struct {
		XMLName xml.Name
		Attr    []xml.Attr `xml:",any,attr"`
		List    []item     `xml:",any"`
	}
	var root item
	if err := xml.Unmarshal(text, &root); err != nil {
		t.Fatalf("%v in %s", err, text)
	}
	var tell func(n item) string
	tell = func(n item) string {
		var s strings.Builder
		s.WriteString(n.XMLName.Local)
		for _, a := range n.Attr {
			fmt.Fprintf(&s, " %s=%s", a.Name.Local, a.Value)
			if a.Name.Local == "src" {
				pic(a.Value)
			}
		}
		for _, k := range n.List {
			s.WriteString("\n" + tell(k))
		}
		return s.String()
	}
	want := `image version=0.0.3 w=300 h=200
stack
layer name=Top & “rust” src=data/layer000.png x=-5 y=7 opacity=0.25 visibility=visible composite-op=svg:multiply selected=true
stack name=Group opacity=0.5 visibility=hidden composite-op=svg:src-over
layer name=Inside src=data/layer001.png x=0 y=0 opacity=1 visibility=visible composite-op=svg:src-over
layer name=Last src=data/layer002.png x=0 y=0 opacity=1 visibility=visible composite-op=svg:src-over`
	if got := tell(root); got != want {
		t.Errorf("the stack is\n%s\nwant\n%s", got, want)
	}
}

func TestWhatIsWrittenIsRead(t *testing.T) {
	b := written(t)
	p, err := Open(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		t.Fatal(err)
	}
	if p.W != 300 || p.H != 200 || len(p.Layers) != 3 {
		t.Fatalf("%d × %d, %d layers", p.W, p.H, len(p.Layers))
	}
	top, g := p.Layers[0], p.Layers[1]
	if top.Name != "Top & “rust”" || top.X != -5 || top.Y != 7 || top.Opacity != 0.25 || top.Mode != "svg:multiply" || top.Hidden {
		t.Errorf("the first layer is %+v", top)
	}
	if !g.Group || !g.Hidden || g.Opacity != 0.5 || len(g.Layers) != 1 || g.Layers[0].Name != "Inside" {
		t.Errorf("the group is %+v", g)
	}
	img, release, err := top.Decode(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	defer release()
	if c := color.NRGBAModel.Convert(img.At(3, 3)).(color.NRGBA); c != (color.NRGBA{200, 100, 50, 128}) {
		t.Errorf("its texel is %v", c)
	}
	if x, err := p.Extra("velvetgrime/view.json"); string(x) != `{"a":1}` || err != nil {
		t.Errorf("beside it lies %q, %v", x, err)
	}
	if x, err := p.Extra("velvetgrime/none"); x != nil || err != nil {
		t.Errorf("what is not there is %q, %v", x, err)
	}
}

// packed makes a file of a stack and the pictures that it names.
func packed(stack string, pictures ...string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	put := func(name string, data []byte) {
		f, _ := z.Create(name)
		_, _ = f.Write(data)
	}
	put("stack.xml", []byte(stack))
	for _, name := range pictures {
		var p bytes.Buffer
		_ = png.Encode(&p, spot(4, 4, color.NRGBA{1, 2, 3, 255}))
		put(name, p.Bytes())
	}
	_ = z.Close()
	return b.Bytes()
}

// Files as others lay them out: no mimetype, no thumbnail, attributes left out, numbers written
// otherwise, things in the stack that are no layers.
func TestFilesOfOtherWriters(t *testing.T) {
	b := packed(`<?xml version='1.0' encoding='UTF-8'?>
<!-- by hand --><image w='40' h='30' yres='72' other:note="x" xmlns:other="urn:o"><stack>
 <text x="1" y="1">words<layer src="none"/></text>
 <stack isolation="isolate"><layer src="a/1.png" x="3.0" opacity="1.0000" other:mode="z"><other:extra/></layer><filter type="x"/></stack>
 <layer name="" src="a/1.png" composite-op="svg:plus" visibility="hidden"/></stack></image>`, "a/1.png")
	p, err := Open(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		t.Fatal(err)
	}
	if len(p.Layers) != 2 || !p.Layers[0].Group || !p.Layers[0].Isolated || p.Layers[0].Layers[0].X != 3 ||
		p.Layers[0].Layers[0].Opacity != 1 || !p.Layers[1].Hidden || p.Layers[1].Mode != "svg:plus" {
		t.Errorf("%+v, %+v", p.Layers[0], p.Layers[1])
	}
	if b := packed(`<image w="4" h="4"><stack/></image>`); true {
		if p, err := Open(bytes.NewReader(b), int64(len(b))); err != nil || len(p.Layers) != 0 {
			t.Errorf("an empty stack: %v, %v", p, err)
		}
	}
}

func TestWrongFilesAreRefusedWithThePlace(t *testing.T) {
	deep := strings.Repeat("<stack>", 50) + strings.Repeat("</stack>", 50)
	many := strings.Repeat(`<layer src="p"/>`, 600)
	for _, c := range []struct{ name, stack, says string }{
		{"no image", `<stack/>`, "begins with <stack>"},
		{"no size", `<image><stack/></image>`, "texels"},
		{"huge", `<image w="100000" h="100000"><stack/></image>`, "in all are possible"},
		{"negative", `<image w="-3" h="4"><stack/></image>`, "texels"},
		{"no stack", `<image w="3" h="4"/>`, "no stack"},
		{"two stacks", `<image w="3" h="4"><stack><layer src="p"/></stack><stack/></image>`, "two stacks"},
		{"no picture", `<image w="3" h="4"><stack><layer name="Rust" src="q"/></stack></image>`, "“q” is not"},
		{"opacity", `<image w="3" h="4"><stack><layer name="Rust" src="p" opacity="2"/></stack></image>`, `"Rust": its opacity`},
		{"place", `<image w="3" h="4"><stack><layer name="Rust" src="p" x="1e9"/></stack></image>`, `"Rust": its x`},
		{"half", `<image w="3" h="4"><stack><layer name="Rust" src="p" y="1.5"/></stack></image>`, `"Rust": its y`},
		{"broken", `<image w="3" h="4"><stack><layer`, "not readable"},
		{"deep", `<image w="3" h="4"><stack>` + deep + `</stack></image>`, "others"},
		{"many", `<image w="3" h="4"><stack>` + many + `</stack></image>`, "500 layers"},
		{"entities", `<!DOCTYPE x [<!ENTITY a "aaaa">]><image w="3" h="4"><stack><layer name="&a;" src="p"/></stack></image>`, "not readable"},
	} {
		b := packed(c.stack, "p")
		_, err := Open(bytes.NewReader(b), int64(len(b)))
		if says := strings.NewReplacer("“", `"`, "”", `"`).Replace(c.says); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v, want %q", c.name, err, says)
		}
	}
	if _, err := Open(strings.NewReader("GIF89a"), 6); err == nil || !strings.Contains(err.Error(), "save it as .ora") {
		t.Errorf("another file: %v", err)
	}
}

func TestCoveredIsAroundWhatCovers(t *testing.T) {
	img := image.NewNRGBA(image.Rect(2, 3, 40, 30))
	if r := Covered(img); !r.Empty() {
		t.Errorf("of nothing %v", r)
	}
	img.SetNRGBA(5, 9, color.NRGBA{A: 1})
	img.SetNRGBA(39, 20, color.NRGBA{A: 255})
	if r := Covered(img); r != image.Rect(5, 9, 40, 21) {
		t.Errorf("it is %v", r)
	}
	deep := image.NewNRGBA64(image.Rect(0, 0, 9, 9))
	deep.SetNRGBA64(4, 5, color.NRGBA64{A: 1})
	if r := Covered(deep); r != image.Rect(4, 5, 5, 6) {
		t.Errorf("in 16 bits it is %v", r)
	}
	if r := Covered(image.NewGray(image.Rect(0, 0, 3, 2))); r != image.Rect(0, 0, 3, 2) {
		t.Errorf("of a whole one %v", r)
	}
}

func FuzzOpen(f *testing.F) {
	f.Add(packed(`<image w="4" h="4"><stack><stack><layer src="p" x="1"/></stack></stack></image>`, "p"))
	f.Add([]byte("PK\x05\x06"))
	f.Fuzz(func(t *testing.T, b []byte) {
		p, err := Open(bytes.NewReader(b), int64(len(b)))
		if err != nil {
			return
		}
		_ = p.Walk(func(l *Layer, _ []*Layer) error {
			if img, release, err := l.Decode(context.Background()); err == nil {
				Covered(img)
				release()
			}
			return nil
		})
	})
}

// FuzzStack reads stacks of any text, with the pictures that they may name.
func FuzzStack(f *testing.F) {
	f.Add(`<image w="4" h="4"><stack><layer src="p" opacity="0.5"/><stack name="g"><layer src="p"/></stack></stack></image>`)
	f.Fuzz(func(t *testing.T, text string) {
		p := &Picture{files: map[string]*zip.File{"p": {}}}
		if p.stack([]byte(text)) == nil && (p.W < 1 || p.H < 1 || p.Layers == nil) {
			t.Fatalf("%q is read as %+v", text, p)
		}
	})
}
