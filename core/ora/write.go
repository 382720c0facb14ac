package ora

import (
	"archive/zip"
	"bufio"
	"encoding/xml"
	"errors"
	"fmt"
	"hash/crc32"
	"image"
	"image/png"
	"io"
	"maps"
	"slices"
	"strconv"

	"golang.org/x/image/draw"
)

// version is that of the specification which names all that is written.
const version = "0.0.3"

// thumbnail bounds the small picture's sides, texels.
const thumbnail = 256

type xmlImage struct {
	XMLName xml.Name `xml:"image"`
	Version string   `xml:"version,attr"`
	W       int      `xml:"w,attr"`
	H       int      `xml:"h,attr"`
	Stack   xmlStack `xml:"stack"`
}

type xmlStack struct {
	Name    string `xml:"name,attr,omitempty"`
	Opacity string `xml:"opacity,attr,omitempty"`
	Visible string `xml:"visibility,attr,omitempty"`
	Mode    string `xml:"composite-op,attr,omitempty"`
	List    []any
}

type xmlGroup struct {
	XMLName xml.Name `xml:"stack"`
	xmlStack
}

type xmlLayer struct {
	XMLName  xml.Name `xml:"layer"`
	Name     string   `xml:"name,attr"`
	Src      string   `xml:"src,attr"`
	X        int      `xml:"x,attr"`
	Y        int      `xml:"y,attr"`
	Opacity  string   `xml:"opacity,attr"`
	Visible  string   `xml:"visibility,attr"`
	Mode     string   `xml:"composite-op,attr"`
	Selected string   `xml:"selected,attr,omitempty"`
}

var mimeSum = crc32.ChecksumIEEE([]byte(Media))

var visible = map[bool]string{false: "visible", true: "hidden"}

// Write writes the picture. extra are files to lie beside, by name; their names lie in a folder
// of the program's own, as the specification asks. tell, unless it is nil, is told how many of
// the pictures are written, 0..1; what it returns as an error ends the writing.
func (p *Picture) Write(w io.Writer, extra map[string][]byte, tell func(share float64) error) error {
	if p.Merged == nil || p.Merged.Bounds().Dx() != p.W || p.Merged.Bounds().Dy() != p.H {
		return errors.New("a layered picture needs a merged one of its own size")
	}
	z := zip.NewWriter(w)
	file := func(name string, method uint16) (io.Writer, error) {
		return z.CreateHeader(&zip.FileHeader{Name: name, Method: method})
	}
	// first, as it is, so that others know the form by its first bytes
	f, err := z.CreateRaw(&zip.FileHeader{
		Name: "mimetype", Method: zip.Store, CRC32: mimeSum,
		CompressedSize64: uint64(len(Media)), UncompressedSize64: uint64(len(Media)),
	})
	if err == nil {
		_, err = io.WriteString(f, Media)
	}
	if err != nil {
		return err
	}
	count, done := 2, 0
	_ = p.Walk(func(*Layer, []*Layer) error { count++; return nil })
	picture := func(name string, img image.Image) error {
		f, err := file(name, zip.Store)
		if err != nil {
			return err
		}
		b := bufio.NewWriterSize(f, 1<<16)
		e := png.Encoder{CompressionLevel: png.BestSpeed}
		if err := errors.Join(e.Encode(b, img), b.Flush()); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		if done++; tell != nil {
			return tell(float64(done) / float64(count))
		}
		return nil
	}
	n := 0
	var list func(from []*Layer) ([]any, error)
	list = func(from []*Layer) (out []any, err error) {
		for _, l := range from {
			opacity := strconv.FormatFloat(l.Opacity, 'g', 6, 64)
			mode := l.Mode
			if mode == "" {
				mode = SrcOver
			}
			if l.Group {
				g := xmlGroup{xmlStack: xmlStack{Name: l.Name, Opacity: opacity, Visible: visible[l.Hidden], Mode: mode}}
				if g.List, err = list(l.Layers); err != nil {
					return nil, err
				}
				out = append(out, g)
				continue
			}
			src := fmt.Sprintf("data/layer%03d.png", n)
			n++
			if err := picture(src, l.Image); err != nil {
				return nil, err
			}
			x := xmlLayer{
				Name: l.Name, Src: src, X: l.X, Y: l.Y, Opacity: opacity, Visible: visible[l.Hidden], Mode: mode,
			}
			if l.Selected {
				x.Selected = "true"
			}
			out = append(out, x)
		}
		return out, nil
	}
	image := xmlImage{Version: version, W: p.W, H: p.H}
	if image.Stack.List, err = list(p.Layers); err != nil {
		return err
	}
	if err := picture("mergedimage.png", p.Merged); err != nil {
		return err
	}
	if err := picture("Thumbnails/thumbnail.png", small(p.Merged)); err != nil {
		return err
	}
	b, err := xml.MarshalIndent(image, "", " ")
	if err != nil {
		return err
	}
	if f, err = file("stack.xml", zip.Deflate); err == nil {
		_, err = f.Write(append([]byte(xml.Header), b...))
	}
	if err != nil {
		return err
	}
	for _, name := range slices.Sorted(maps.Keys(extra)) {
		if !clean(name) {
			return fmt.Errorf("a file beside the layers cannot be called %q", name)
		}
		if f, err = file(name, zip.Deflate); err == nil {
			_, err = f.Write(extra[name])
		}
		if err != nil {
			return err
		}
	}
	return z.Close()
}

// small is a picture at most as large as a thumbnail may be.
func small(img image.Image) image.Image {
	b := img.Bounds()
	w, h := b.Dx(), b.Dy()
	if most := max(w, h); most > thumbnail {
		w, h = max(w*thumbnail/most, 1), max(h*thumbnail/most, 1)
	}
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	draw.ApproxBiLinear.Scale(out, out.Bounds(), img, b, draw.Src, nil)
	return out
}
