// Package paintover sends a view of a model out as a layered picture, and casts what was added to
// it back onto the model: a slide a layer, in one group, which the same picture changes when it
// comes again.
package paintover

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"strings"

	"velvetgrime/core/budget"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/ora"
	"velvetgrime/core/render"
)

// Lens is the view that a picture shows.
type Lens struct {
	View   []float32  `json:"view" minItems:"16" maxItems:"16" doc:"view times projection, 16 numbers column by column"`
	Aspect float32    `json:"aspect" doc:"the view's width over its height"`
	Eye    [3]float32 `json:"eye" doc:"where the camera stands, metres"`
	Target [3]float32 `json:"target" doc:"and what it looks at"`
}

// Note is what a picture that went out says of itself, in a file beside its layers.
type Note struct {
	Format  string `json:"format" doc:"velvetgrime.view"`
	Version int    `json:"version" doc:"1"`
	ID      string `json:"id" doc:"of the view: what comes back under it changes the same group"`
	Project string `json:"project"`
	Name    string `json:"name" doc:"of the picture"`
	Lens
	W   int   `json:"w" doc:"texels"`
	H   int   `json:"h"`
	Own []Own `json:"own" doc:"the layers that went out; they are not taken back"`
}

// Own is a layer that went out.
type Own struct {
	Name  string `json:"name"`
	Print []byte `json:"print" doc:"mean colour of 16 × 16 cells, four bytes each, multiplied by coverage"`
}

// Names of the layers that go out.
const (
	Back      = "Taken back: base color" // and the view's id, see named
	lit       = "Lit"
	shade     = "Light and shade"
	baseColor = "Base color"
	masks     = "Masks"
	shape     = "Silhouette"
)

// sign stands before the view's id in the name of the layer that is taken back: names are what
// other programs keep.
const sign = " · "

// named returns the id of a view in a layer's name.
func named(name string) (id string, ok bool) {
	if !isBack(name) {
		return "", false
	}
	_, id, ok = strings.Cut(name, sign)
	if i := strings.IndexByte(id, ' '); i > 0 { // "… copy", "… 2"
		id = id[:i]
	}
	return id, ok && id != ""
}

func isBack(name string) bool { return strings.HasPrefix(name, Back) }

// noteFile is where the note lies in the archive: in a folder of our own.
const noteFile = "velvetgrime/view.json"

// MaxPixels bounds a picture that goes out.
const MaxPixels = 1 << 24

// Check returns why a note is none that a picture could go out with.
func (n *Note) Check() error {
	switch {
	case n.ID == "" || len(n.ID) > 40 || n.Project == "" || len(n.Project) > 64 || len(n.Name) > 200:
		return errors.New("its id, project or name is empty or too long")
	case len(n.View) != 16:
		return fmt.Errorf("its view has %d numbers; it takes 16", len(n.View))
	case n.W < 16 || n.H < 16 || n.W > MaxPixels/n.H:
		return fmt.Errorf("it is %d × %d texels; 16 × 16 to %d in all are possible", n.W, n.H, MaxPixels)
	case !(n.Aspect > 0.01 && n.Aspect < 100):
		return fmt.Errorf("its aspect is %v", n.Aspect)
	}
	for _, v := range append(append(n.Eye[:], n.Target[:]...), n.View...) {
		if !(v > -1e6 && v < 1e6) {
			return fmt.Errorf("its camera has %v in it", v)
		}
	}
	return nil
}

func vec(v [3]float32) geom.Vec3 { return geom.V3(v[0], v[1], v[2]) }

// Out writes a view of a project as a layered picture of n.W × n.H texels: an empty layer on
// top for what is to be taken back, the lit picture, light and shade, the unlit base color, and
// masks. tell is told how much is done, 0..1. Own of n is set.
func Out(ctx context.Context, w io.Writer, p *eval.Program, n *Note, tell func(share float64)) error {
	n.Format, n.Version = "velvetgrime.view", 1
	if err := n.Check(); err != nil {
		return fmt.Errorf("the view cannot go out: %w", err)
	}
	const each = 4*5 + 8 + 4 // its pictures, which part is where, what is made of it meanwhile
	release, err := budget.Memory.Hold(ctx, int64(n.W)*int64(n.H)*each)
	if err != nil {
		return err
	}
	defer release()
	var view geom.Mat4
	for i, v := range n.View {
		view[i] = float64(v)
	}
	const drawn = 0.8
	v, err := render.Paint(ctx, p, view, vec(n.Eye), vec(n.Target), n.W, n.H, func(s float64) { tell(drawn * s) })
	if err != nil {
		return err
	}
	all := v.Lit.Bounds()
	layer := func(name string, img *image.NRGBA, hidden bool) *ora.Layer {
		b := img.Bounds()
		l := &ora.Layer{Name: name, Image: img, X: b.Min.X, Y: b.Min.Y, Opacity: 1, Mode: ora.SrcOver, Hidden: hidden}
		n.Own = append(n.Own, Own{name, fingerprint(img, b.Min, all)})
		return l
	}
	group := &ora.Layer{Name: masks, Group: true, Opacity: 1, Hidden: true}
	for _, part := range v.Parts {
		group.Layers = append(group.Layers, layer(part.Name, part.Mask, false))
	}
	group.Layers = append(group.Layers, layer(shape, v.Silhouette, false))
	light := layer(shade, v.Light, true)
	light.Mode = "svg:multiply"
	top := layer(Back+sign+n.ID, image.NewNRGBA(all), false)
	top.Selected = true
	out := &ora.Picture{W: n.W, H: n.H, Merged: v.Lit, Layers: []*ora.Layer{
		top, layer(lit, v.Lit, false), light, layer(baseColor, v.Base, true), group,
	}}
	note, err := json.Marshal(n)
	if err != nil {
		return err
	}
	return out.Write(w, map[string][]byte{noteFile: note}, func(s float64) error {
		tell(drawn + (1-drawn)*s)
		return ctx.Err()
	})
}

// cells is into how many cells along each side a print divides a picture.
const cells = 16

// fingerprint is the mean colour of the cells of a picture whose upper left corner lies at a place
// of the whole, four bytes each, multiplied by coverage.
func fingerprint(img image.Image, at image.Point, all image.Rectangle) []byte {
	var sum [cells * cells][4]uint64
	b := img.Bounds()
	w, h := all.Dx(), all.Dy()
	for y := b.Min.Y; y < b.Max.Y; y++ {
		v := y - b.Min.Y + at.Y
		if v < 0 || v >= h {
			continue
		}
		row := v * cells / h * cells
		for x := b.Min.X; x < b.Max.X; x++ {
			u := x - b.Min.X + at.X
			if u < 0 || u >= w {
				continue
			}
			o := &sum[row+u*cells/w]
			switch i := img.(type) {
			case *image.NRGBA: // most are
				t := i.Pix[i.PixOffset(x, y):]
				a := uint64(t[3])
				o[0] += uint64(t[0]) * a / 255
				o[1] += uint64(t[1]) * a / 255
				o[2] += uint64(t[2]) * a / 255
				o[3] += a
			default:
				r, g, b, a := img.At(x, y).RGBA()
				o[0] += uint64(r >> 8)
				o[1] += uint64(g >> 8)
				o[2] += uint64(b >> 8)
				o[3] += uint64(a >> 8)
			}
		}
	}
	out := make([]byte, 0, 4*cells*cells)
	for k, o := range sum {
		cx, cy := k%cells, k/cells
		of := uint64(max(((cx+1)*w+cells-1)/cells-(cx*w+cells-1)/cells, 1) *
			max(((cy+1)*h+cells-1)/cells-(cy*h+cells-1)/cells, 1))
		for _, v := range o {
			out = append(out, byte(v/of))
		}
	}
	return out
}

// same reports whether two prints are those of one picture, give or take what rounding does.
func same(a, b []byte) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if d := int(a[i]) - int(b[i]); d < -2 || d > 2 {
			return false
		}
	}
	return true
}

// Added is a layer that was painted over a view, or a group of them.
type Added struct {
	Name     string
	Opacity  float64
	Mode     string // of OpenRaster
	Hidden   bool
	Layers   []*Added        // of a group, uppermost first; nil of a layer
	Rect     image.Rectangle // where in the picture its own lies
	Picture  string          // as it is kept
	Isolated bool
}

// Brought is what came back.
type Brought struct {
	Note
	Layers []*Added // uppermost first
	Said   []string // what was not taken, and why
}

// Read finds what was added to a picture that went out, and keeps it: keep stores a PNG and
// returns its name. known finds the note of a view by its id, for files that lost theirs; it may
// be nil. Errors say what is wrong with the file, and what to do.
func Read(
	ctx context.Context, r io.ReaderAt, size int64,
	known func(id string) *Note, keep func(png []byte) (string, error), tell func(share float64),
) (*Brought, error) {
	file, err := ora.Open(r, size)
	if err != nil {
		return nil, err
	}
	b := &Brought{}
	if err := b.find(file, known); err != nil {
		return nil, err
	}
	if file.W != b.W || file.H != b.H {
		return nil, fmt.Errorf(
			"the picture went out with %d × %d texels and comes back with %d × %d, so it no longer lies where the camera saw it; give it its size again, without cutting it",
			b.W, b.H, file.W, file.H)
	}
	total, done := 0, 0
	_ = file.Walk(func(*ora.Layer, []*ora.Layer) error { total++; return nil })
	var list func(from []*ora.Layer) ([]*Added, error)
	list = func(from []*ora.Layer) (out []*Added, err error) {
		for _, l := range from {
			a := &Added{Name: l.Name, Opacity: l.Opacity, Mode: l.Mode, Hidden: l.Hidden}
			if l.Group {
				if a.Layers, err = list(l.Layers); err != nil {
					return nil, err
				}
				a.Isolated = l.Isolated || l.Opacity < 1 || l.Mode != ora.SrcOver
				if len(a.Layers) > 0 {
					out = append(out, a)
				}
				continue
			}
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			taken, err := b.take(ctx, l, a, keep)
			if err != nil {
				return nil, err
			}
			if taken {
				out = append(out, a)
			}
			if done++; tell != nil {
				tell(float64(done) / float64(total))
			}
		}
		return out, nil
	}
	if b.Layers, err = list(file.Layers); err != nil {
		return nil, err
	}
	if len(b.Layers) == 0 {
		return nil, errors.New(strings.Join(append([]string{
			"nothing was added to the picture: its new layers are empty. Paint on the layer “" + Back + "” or on new ones"}, b.Said...), "; "))
	}
	return b, nil
}

// NoteOf returns the note of a file; known is as Read has it.
func NoteOf(r io.ReaderAt, size int64, known func(id string) *Note) (*Note, error) {
	file, err := ora.Open(r, size)
	if err != nil {
		return nil, err
	}
	b := &Brought{}
	return &b.Note, b.find(file, known)
}

// find reads the note of a file.
func (b *Brought) find(file *ora.Picture, known func(id string) *Note) error {
	note, err := file.Extra(noteFile)
	if err != nil {
		return err
	}
	if note != nil {
		if err := json.Unmarshal(note, &b.Note); err != nil {
			return fmt.Errorf("what it says of its camera is not readable: %w", err)
		}
		if b.Format != "velvetgrime.view" || b.Version != 1 {
			return fmt.Errorf("what it says of its camera is of the form %q, version %d; this one reads velvetgrime.view 1", b.Format, b.Version)
		}
		if err := b.Check(); err != nil {
			return fmt.Errorf("what it says of its camera cannot be: %w", err)
		}
		return nil
	}
	// many a program keeps layers' names and nothing else
	if known != nil {
		_ = file.Walk(func(l *ora.Layer, _ []*ora.Layer) error {
			if id, ok := named(l.Name); ok && b.ID == "" {
				if n := known(id); n != nil {
					b.Note = *n
				}
			}
			return nil
		})
	}
	if b.ID == "" {
		return errors.New(
			"it does not say from where its view was seen: the program that saved it left that out, and the layer that names the view was renamed or deleted. Send the view out again, and copy what was painted over into that picture")
	}
	return nil
}

// take finds out whether a layer was added, and keeps it when it was.
func (b *Brought) take(ctx context.Context, l *ora.Layer, a *Added, keep func([]byte) (string, error)) (bool, error) {
	img, release, err := l.Decode(ctx)
	if err != nil {
		return false, err
	}
	defer release()
	all := image.Rect(0, 0, b.W, b.H)
	at := image.Pt(l.X, l.Y)
	print := fingerprint(img, at, all)
	ours := false
	for _, o := range b.Own {
		if o.Name == l.Name && !isBack(o.Name) {
			ours = true
		}
		if same(o.Print, print) {
			return false, nil // as it went out, or empty
		}
	}
	if ours {
		b.Said = append(b.Said, fmt.Sprintf("what was painted on “%s” itself is not taken: paint on a layer of its own", l.Name))
		return false, nil
	}
	// what covers anything, as it lies in the whole, and a little around it
	shift := at.Sub(img.Bounds().Min)
	rect := ora.Covered(img).Add(shift).Intersect(all)
	if rect.Empty() {
		return false, nil
	}
	if _, ok := modes[l.Mode]; !ok {
		b.Said = append(b.Said, fmt.Sprintf("the layer “%s” meets what is below it as “%s”, which this program does not know: it is laid as usual", l.Name, l.Mode))
	}
	a.Rect = rect.Inset(-around(rect)).Intersect(all.Inset(-margin))
	data, err := cut(img, shift, a.Rect)
	if err != nil {
		return false, fmt.Errorf("the layer %q: %w", l.Name, err)
	}
	a.Picture, err = keep(data)
	return true, err
}

// margin is how far a picture goes on with nothing beyond what covers, texels: what is read
// between texels ends there.
const margin = 2

// around is how much room is left around what was painted, so that it can grow a little without
// another placement.
func around(r image.Rectangle) int { return max(r.Dx(), r.Dy())/10 + margin }

// cut writes a piece of a picture as PNG, in 16 bits when it has them. Where nothing covers, its
// colours go on, so that edges keep theirs.
func cut(img image.Image, shift image.Point, rect image.Rectangle) ([]byte, error) {
	from := rect.Sub(shift)
	switch img.(type) {
	case *image.NRGBA64, *image.RGBA64, *image.Gray16:
		out := image.NewNRGBA64(image.Rect(0, 0, rect.Dx(), rect.Dy()))
		each(from, img.Bounds(), func(x, y int) {
			out.Set(x-from.Min.X, y-from.Min.Y, img.At(x, y))
		})
		return encode(out)
	}
	out := image.NewNRGBA(image.Rect(0, 0, rect.Dx(), rect.Dy()))
	each(from, img.Bounds(), func(x, y int) {
		out.SetNRGBA(x-from.Min.X, y-from.Min.Y, color.NRGBAModel.Convert(img.At(x, y)).(color.NRGBA))
	})
	return encode(out)
}

func each(r, within image.Rectangle, f func(x, y int)) {
	r = r.Intersect(within)
	for y := r.Min.Y; y < r.Max.Y; y++ {
		for x := r.Min.X; x < r.Max.X; x++ {
			f(x, y)
		}
	}
}

func encode(img image.Image) ([]byte, error) {
	var b bytes.Buffer
	e := png.Encoder{CompressionLevel: png.BestSpeed}
	err := e.Encode(&b, img)
	return b.Bytes(), err
}
