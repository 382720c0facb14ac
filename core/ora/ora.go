// Package ora reads and writes OpenRaster files (.ora), the open form of layered pictures: a zip
// with a stack of layers as XML and a PNG a layer (OpenRaster specification 0.0.6, freedesktop).
package ora

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"image"
	"image/png"
	"io"
	"path"
	"strconv"
	"strings"

	"velvetgrime/core/budget"
	"velvetgrime/core/pix"
)

// What a file is bounded by.
const (
	maxFiles  = 4096
	maxLayers = 500
	maxDeep   = 32
	maxStack  = 4 << 20
	maxExtra  = 4 << 20
)

// Ext is what the names of such files end in, and Media their media type.
const (
	Ext   = ".ora"
	Media = "image/openraster"
)

// SrcOver is how a layer meets what lies below when it does not say.
const SrcOver = "svg:src-over"

// Picture is a layered picture.
type Picture struct {
	W, H   int
	Layers []*Layer    // uppermost first
	Merged image.Image // as all visible layers look together; of one that was read it is nil

	files map[string]*zip.File
}

// Layer is one of its layers, or a group of them.
type Layer struct {
	Name     string
	X, Y     int     // of its upper left corner from that of the picture, right and down
	Opacity  float64 // 0..1
	Mode     string  // as the specification names it: "svg:src-over", "svg:multiply" …
	Hidden   bool
	Selected bool
	Isolated bool // of a group: its layers meet each other alone first
	Group    bool
	Layers   []*Layer    // of a group, uppermost first
	Image    image.Image // of a layer to write

	file *zip.File
}

// Open reads a file of n bytes; the layers' pictures are read when they are asked for. Errors
// name the layer, and say what to do.
func Open(r io.ReaderAt, n int64) (*Picture, error) {
	z, err := zip.NewReader(r, n)
	if err != nil {
		return nil, fmt.Errorf("it is no OpenRaster file: %w; save it as .ora", err)
	}
	if len(z.File) > maxFiles {
		return nil, fmt.Errorf("it holds %d files; at most %d are possible", len(z.File), maxFiles)
	}
	p := &Picture{files: map[string]*zip.File{}}
	for _, f := range z.File {
		if p.files[f.Name] != nil {
			return nil, fmt.Errorf("it holds %q twice", f.Name)
		}
		p.files[f.Name] = f
	}
	if f := p.files["mimetype"]; f != nil { // some write it with a line's end, some leave it out
		b, err := read(f, 256)
		if err != nil {
			return nil, err
		}
		if m := strings.TrimSpace(string(b)); m != Media {
			return nil, fmt.Errorf("it says that it is %q, not %s; save it as .ora", m, Media)
		}
	}
	f := p.files["stack.xml"]
	if f == nil {
		return nil, errors.New("it has no stack.xml, so it is no OpenRaster file; save it as .ora")
	}
	b, err := read(f, maxStack)
	if err != nil {
		return nil, err
	}
	return p, p.stack(b)
}

// read returns what a file of the archive holds, at most so many bytes.
func read(f *zip.File, most int64) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", f.Name, err)
	}
	defer r.Close() //nolint:errcheck // it was read
	b, err := io.ReadAll(io.LimitReader(r, most+1))
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", f.Name, err)
	}
	if int64(len(b)) > most {
		return nil, fmt.Errorf("%s is larger than %d bytes", f.Name, most)
	}
	return b, nil
}

// Extra returns a file of the archive that is no part of the form, nil when there is none.
func (p *Picture) Extra(name string) ([]byte, error) {
	f := p.files[name]
	if f == nil {
		return nil, nil
	}
	return read(f, maxExtra)
}

// stack reads the stack of layers.
func (p *Picture) stack(b []byte) error {
	d := xml.NewDecoder(bytes.NewReader(b))
	d.CharsetReader = func(name string, r io.Reader) (io.Reader, error) {
		return nil, fmt.Errorf("it is written in %s; the form asks for UTF-8", name)
	}
	var open []*Layer // groups, the root first
	layers, skipped := 0, 0
	for {
		t, err := d.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			return fmt.Errorf("stack.xml is not readable: %w", err)
		}
		switch t := t.(type) {
		case xml.StartElement:
			if skipped > 0 {
				skipped++
				continue
			}
			attr := attributes(t)
			switch {
			case t.Name.Local == "image" && p.W == 0 && len(open) == 0:
				if p.W, err = strconv.Atoi(attr["w"]); err == nil {
					p.H, err = strconv.Atoi(attr["h"])
				}
				if err != nil || p.W < 1 || p.H < 1 || p.W > pix.MaxPicture/p.H {
					return fmt.Errorf("stack.xml says that the picture has %q × %q texels; 1 to %d in all are possible",
						attr["w"], attr["h"], pix.MaxPicture)
				}
			case p.W == 0:
				return fmt.Errorf("stack.xml begins with <%s>, not with an <image> that says how large it is", t.Name.Local)
			case t.Name.Local == "stack" && len(open) == 0:
				if p.Layers != nil {
					return errors.New("stack.xml has two stacks in its image; one is possible")
				}
				open = append(open, &Layer{Group: true})
			case (t.Name.Local == "stack" || t.Name.Local == "layer") && len(open) > 0:
				if layers++; layers > maxLayers {
					return fmt.Errorf("it has more than %d layers; merge some", maxLayers)
				}
				l, err := p.layer(t.Name.Local, attr)
				if err != nil {
					return err
				}
				above := open[len(open)-1]
				above.Layers = append(above.Layers, l)
				if !l.Group {
					skipped = 1
					continue
				}
				if open = append(open, l); len(open) > maxDeep {
					return fmt.Errorf("the group %q lies in %d others; at most %d are possible", l.Name, len(open)-1, maxDeep)
				}
			default: // text, and what others add
				skipped = 1
			}
		case xml.EndElement:
			if skipped > 0 {
				skipped--
			} else if len(open) > 0 {
				if p.Layers = open[0].Layers; p.Layers == nil {
					p.Layers = []*Layer{}
				}
				open = open[:len(open)-1]
			}
		}
	}
	if p.W == 0 || p.Layers == nil {
		return errors.New("stack.xml has no stack of layers in it")
	}
	return nil
}

func attributes(t xml.StartElement) map[string]string {
	out := map[string]string{}
	for _, a := range t.Attr {
		if a.Name.Space == "" {
			out[a.Name.Local] = a.Value
		}
	}
	return out
}

func (p *Picture) layer(kind string, attr map[string]string) (*Layer, error) {
	l := &Layer{Name: attr["name"], Opacity: 1, Mode: SrcOver, Group: kind == "stack"}
	if len(l.Name) > 200 {
		l.Name = strings.ToValidUTF8(l.Name[:200], "")
	}
	number := func(name string, to *int) error {
		s, ok := attr[name]
		if !ok {
			return nil
		}
		v, err := strconv.ParseFloat(s, 64) // some write "3.0"
		if err != nil || !(v > -1e6 && v < 1e6) || v != float64(int(v)) {
			return fmt.Errorf("the layer %q: its %s is %q, not a whole number of texels", l.Name, name, s)
		}
		*to = int(v)
		return nil
	}
	if err := errors.Join(number("x", &l.X), number("y", &l.Y)); err != nil {
		return nil, err
	}
	if s, ok := attr["opacity"]; ok {
		v, err := strconv.ParseFloat(s, 64)
		if err != nil || !(v >= 0 && v <= 1) {
			return nil, fmt.Errorf("the layer %q: its opacity is %q; it goes from 0 to 1", l.Name, s)
		}
		l.Opacity = v
	}
	if m := attr["composite-op"]; m != "" {
		l.Mode = m
	}
	l.Hidden = attr["visibility"] == "hidden"
	l.Isolated = attr["isolation"] == "isolate"
	if l.Group {
		return l, nil
	}
	src := attr["src"]
	if l.file = p.files[src]; l.file == nil {
		return nil, fmt.Errorf("the layer %q: its picture %q is not in the file", l.Name, src)
	}
	return l, nil
}

// Decode reads a layer's picture. What it takes is of the budget until release is called.
func (l *Layer) Decode(ctx context.Context) (img image.Image, release func(), err error) {
	fail := func(err error) (image.Image, func(), error) {
		return nil, nil, fmt.Errorf("the layer %q: %w", l.Name, err)
	}
	if l.file == nil {
		return fail(errors.New("it has no picture"))
	}
	head, err := l.file.Open()
	if err != nil {
		return fail(err)
	}
	conf, err := png.DecodeConfig(head)
	_ = head.Close()
	if err != nil {
		return fail(fmt.Errorf("its picture %s is no PNG: %w", l.file.Name, err))
	}
	if conf.Width < 1 || conf.Height < 1 || conf.Width > pix.MaxPicture/conf.Height {
		return fail(fmt.Errorf("its picture has %d × %d texels; at most %d in all are possible",
			conf.Width, conf.Height, pix.MaxPicture))
	}
	// as it is decoded, cut out and written again
	release, err = budget.Memory.Brief(ctx, fmt.Sprintf("the layer %q", l.Name), int64(conf.Width)*int64(conf.Height)*24)
	if err != nil {
		return fail(err)
	}
	r, err := l.file.Open()
	if err == nil {
		img, err = png.Decode(r)
		_ = r.Close()
	}
	if err != nil {
		release()
		return fail(fmt.Errorf("its picture %s is damaged: %w", l.file.Name, err))
	}
	return img, release, nil
}

// Walk calls f with every layer that is no group, uppermost first, and the groups that it lies
// in, the outermost first.
func (p *Picture) Walk(f func(l *Layer, in []*Layer) error) error {
	var walk func(list, in []*Layer) error
	walk = func(list, in []*Layer) error {
		for _, l := range list {
			var err error
			if l.Group {
				err = walk(l.Layers, append(in[:len(in):len(in)], l))
			} else {
				err = f(l, in)
			}
			if err != nil {
				return err
			}
		}
		return nil
	}
	return walk(p.Layers, nil)
}

// Covered returns the smallest rectangle around all of a picture that covers anything; it is
// empty when nothing does.
func Covered(img image.Image) image.Rectangle {
	b := img.Bounds()
	if o, ok := img.(interface{ Opaque() bool }); ok && o.Opaque() {
		return b
	}
	out := image.Rectangle{}
	if i, ok := img.(*image.NRGBA); ok { // most are
		for y := b.Min.Y; y < b.Max.Y; y++ {
			row := i.Pix[i.PixOffset(b.Min.X, y):][:4*b.Dx()]
			from, to := 3, len(row)-1
			for from < len(row) && row[from] == 0 {
				from += 4
			}
			if from > to {
				continue
			}
			for row[to] == 0 {
				to -= 4
			}
			out = out.Union(image.Rect(b.Min.X+from/4, y, b.Min.X+to/4+1, y+1))
		}
		return out
	}
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			if _, _, _, a := img.At(x, y).RGBA(); a > 0 {
				out = out.Union(image.Rect(x, y, x+1, y+1))
			}
		}
	}
	return out
}

// clean reports whether a name can be that of a file beside those of the form.
func clean(name string) bool {
	return name != "" && path.Clean(name) == name && !path.IsAbs(name) && !strings.HasPrefix(name, "..") &&
		name != "stack.xml" && name != "mimetype" && name != "mergedimage.png" &&
		!strings.HasPrefix(name, "data/") && !strings.HasPrefix(name, "Thumbnails/")
}
