package paintover

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"math"
	"strings"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/ora"
	"velvetgrime/core/pix"
	"velvetgrime/core/render"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// desk is a project that a view goes out of and comes back to.
type desk struct {
	t        *testing.T
	m        *mesh.Model
	d        *stack.Document
	cam      render.Camera
	note     Note
	pictures map[string][]byte
	ids      int
}

const deskW, deskH = 320, 240

func newDesk(t *testing.T) *desk {
	m := sample.Bollard()
	d := stack.New(nil, 512)
	for _, s := range m.Sheets {
		d.Sheets[s.Name] = stack.SheetSize{Size: 512}
	}
	d.Layers = append(d.Layers, &stack.Layer{
		ID: "coat", Name: "Coat", Kind: stack.Fill, Visible: true, Amount: 1,
		Channels: map[stack.Channel]stack.Coat{stack.BaseColor: {On: true, Value: []float32{0.2, 0.4, 0.6}, Amount: 1}},
	})
	k := &desk{t: t, m: m, d: d, cam: render.Around(m.Bounds, geom.V3(0.4, 0.35, 1), 30), pictures: map[string][]byte{}}
	view := k.cam.Matrix(float64(deskW) / deskH)
	k.note = Note{ID: "a1", Project: "p", Name: "View 1", W: deskW, H: deskH, Lens: Lens{Aspect: float32(deskW) / deskH}}
	for _, v := range view {
		k.note.View = append(k.note.View, float32(v))
	}
	k.note.Eye = [3]float32{k.cam.Eye.X, k.cam.Eye.Y, k.cam.Eye.Z}
	k.note.Target = [3]float32{k.cam.At.X, k.cam.At.Y, k.cam.At.Z}
	return k
}

func (k *desk) program() *eval.Program {
	s := eval.NewScene(k.m, cache.New(64<<20))
	s.Picture = func(name string) (*pix.Picture, error) {
		b := k.pictures[name]
		if b == nil {
			return nil, fmt.Errorf("there is no picture %q", name)
		}
		return pix.DecodePicture(bytes.NewReader(b))
	}
	return eval.Compile(s, k.d, "", "")
}

// out sends the view out and returns the file.
func (k *desk) out() []byte {
	k.t.Helper()
	var b bytes.Buffer
	if err := Out(context.Background(), &b, k.program(), &k.note, func(float64) {}); err != nil {
		k.t.Fatal(err)
	}
	return b.Bytes()
}

func (k *desk) read(file []byte, known func(string) *Note) (*Brought, error) {
	return Read(context.Background(), bytes.NewReader(file), int64(len(file)), known, func(png []byte) (string, error) {
		name := fmt.Sprintf("picture %d", len(k.pictures))
		for n, b := range k.pictures { // pictures are known by what they hold
			if bytes.Equal(b, png) {
				return n, nil
			}
		}
		k.pictures[name] = png
		return name, nil
	}, nil)
}

// take lays what came back on the model, and returns how many operations that took.
func (k *desk) take(file []byte) *Brought {
	k.t.Helper()
	b, err := k.read(file, nil)
	if err != nil {
		k.t.Fatal(err)
	}
	op, err := b.Op(k.d, k.m, func() string { k.ids++; return fmt.Sprint("id", k.ids) })
	if err != nil {
		k.t.Fatal(err)
	}
	if op == nil {
		return b
	}
	// as the ledger keeps it: with what it names, and back
	next, inverse, _, err := step.Rules.Apply(k.d, op)
	if err != nil {
		k.t.Fatal(err)
	}
	before, _ := k.d.Encode(true)
	undone, _, _, err := step.Rules.Apply(next, inverse)
	if err != nil {
		k.t.Fatal(err)
	}
	if after, _ := undone.Encode(true); !bytes.Equal(before, after) {
		k.t.Error("taking it back leaves another document")
	}
	k.d = next
	return b
}

// edited is the file with other layers over those that went out, uppermost first; keep says
// which of what went out stays.
func (k *desk) edited(file []byte, added []*ora.Layer, keep func(l *ora.Layer) bool, note bool) []byte {
	k.t.Helper()
	p, err := ora.Open(bytes.NewReader(file), int64(len(file)))
	if err != nil {
		k.t.Fatal(err)
	}
	var load func(list []*ora.Layer) (out []*ora.Layer)
	load = func(list []*ora.Layer) (out []*ora.Layer) {
		for _, l := range list {
			if l.Group {
				l.Layers = load(l.Layers)
			} else {
				img, release, err := l.Decode(context.Background())
				if err != nil {
					k.t.Fatal(err)
				}
				release()
				l.Image = img
			}
			if keep(l) {
				out = append(out, l)
			}
		}
		return out
	}
	p.Layers = append(added, load(p.Layers)...)
	p.Merged = image.NewNRGBA(image.Rect(0, 0, p.W, p.H))
	extra := map[string][]byte{}
	if note {
		extra[noteFile], _ = p.Extra(noteFile)
	}
	var b bytes.Buffer
	if err := p.Write(&b, extra, nil); err != nil {
		k.t.Fatal(err)
	}
	return b.Bytes()
}

func all(*ora.Layer) bool { return true }

// square is a layer with a square of one colour, laid out at an offset.
func square(name string, r image.Rectangle, c color.NRGBA) *ora.Layer {
	img := image.NewNRGBA(image.Rect(0, 0, r.Dx(), r.Dy()))
	draw.Draw(img, img.Bounds(), image.NewUniform(c), image.Point{}, draw.Src)
	return &ora.Layer{Name: name, X: r.Min.X, Y: r.Min.Y, Opacity: 1, Image: img}
}

// base draws the base color as a camera sees it.
func (k *desk) base(c render.Camera) *image.NRGBA {
	k.t.Helper()
	v, err := render.Paint(context.Background(), k.program(), c.Matrix(float64(deskW)/deskH), c.Eye, c.At, deskW, deskH, nil)
	if err != nil {
		k.t.Fatal(err)
	}
	return v.Base
}

var (
	red  = color.NRGBA{200, 30, 20, 255}
	blue = color.NRGBA{51, 102, 153, 255} // the coat
)

func near(a, b color.NRGBA, by int) bool {
	d := func(x, y uint8) bool { v := int(x) - int(y); return v <= by && v >= -by }
	return d(a.R, b.R) && d(a.G, b.G) && d(a.B, b.B)
}

// count says how many pixels of a view, well inside the model, are of a colour.
func count(img *image.NRGBA, r image.Rectangle, c color.NRGBA, by int) (of, in int) {
	for y := r.Min.Y; y < r.Max.Y; y++ {
		for x := r.Min.X; x < r.Max.X; x++ {
			if p := img.NRGBAAt(x, y); p.A == 255 {
				in++
				if near(p, c, by) {
					of++
				}
			}
		}
	}
	return of, in
}

func TestWhatWasPaintedLiesWhereTheCameraSawIt(t *testing.T) {
	k := newDesk(t)
	file := k.out()
	if b, err := k.read(file, nil); err == nil || !strings.Contains(err.Error(), "nothing was added") {
		t.Fatalf("as it went out it brings %v, %v", b, err)
	}
	rect := image.Rect(140, 110, 180, 150)
	k.take(k.edited(file, []*ora.Layer{square("Notice", rect, red)}, all, true))
	g := k.d.Layer(GroupID("a1"))
	if g == nil || g.Name != "Paint-over: View 1" || len(g.Layers) != 1 || g.Layers[0].Name != "Notice" {
		t.Fatalf("the group is %+v", g)
	}
	same := k.base(k.cam)
	if of, in := count(same, rect.Inset(2), red, 3); in < 800 || of < in*97/100 {
		t.Errorf("of the square %d of %d pixels are red", of, in)
	}
	outside := 0
	for y := range deskH {
		for x := range deskW {
			if p := same.NRGBAAt(x, y); p.A == 255 && !image.Pt(x, y).In(rect.Inset(-2)) && !near(p, blue, 2) {
				outside++
			}
		}
	}
	if outside > 0 {
		t.Errorf("%d pixels beside it have another colour", outside)
	}
	// from behind nothing of it is seen
	behind := k.cam
	behind.Eye = k.cam.At.Mul(2).Sub(k.cam.Eye)
	if of, in := count(k.base(behind), image.Rect(0, 0, deskW, deskH), blue, 3); of != in || in == 0 {
		t.Errorf("from behind %d of %d pixels are as they were", of, in)
	}
}

// Saved again the same group changes: pictures are exchanged, layers come, go, and change places;
// what the artist did to the slides meanwhile stays.
func TestSavedAgainTheSameGroupChanges(t *testing.T) {
	k := newDesk(t)
	file := k.out()
	a, b, c := image.Rect(130, 100, 160, 130), image.Rect(160, 100, 190, 130), image.Rect(150, 130, 170, 150)
	green := color.NRGBA{20, 160, 60, 255}
	k.take(k.edited(file, []*ora.Layer{square("Over", b, green), square("Under", a, red)}, all, true))
	group := func() *stack.Layer { return k.d.Layer(GroupID("a1")) }
	names := func() (s string) {
		for _, l := range group().Layers {
			s += l.Name + " "
		}
		return s
	}
	if n := names(); n != "Under Over " {
		t.Fatalf("the group holds %q, innermost first", n)
	}
	// the artist moves one, and paints beside it
	under := group().Layers[0]
	s := *under.Slides[0]
	s.Stencil.At[0] += 0.1
	for _, op := range []stack.Op{
		stack.SetSlide{Target: under.ID, Slide: &s},
		stack.AddLayer{Parent: GroupID("a1"), Index: 1, Layer: &stack.Layer{ID: "own", Name: "Own", Kind: stack.Paint, Visible: true, Amount: 1}},
	} {
		var err error
		if k.d, _, _, err = step.Rules.Apply(k.d, op); err != nil {
			t.Fatal(err)
		}
	}
	// saved as it was nothing happens
	was := k.d
	if k.take(k.edited(file, []*ora.Layer{square("Over", b, green), square("Under", a, red)}, all, true)); k.d != was {
		t.Error("the same file changes the document")
	}
	// another colour in one, the other half clear and multiplied, a third beneath both
	half := square("Over", b, green)
	half.Opacity, half.Mode, half.Hidden = 0.5, "svg:multiply", true
	k.take(k.edited(file, []*ora.Layer{half, square("Under", a, green), square("Third", c, red)}, all, true))
	if n := names(); n != "Third Under Own Over " {
		t.Errorf("the group holds %q", n)
	}
	over, now := group().Layers[3], group().Layers[1]
	if over.Amount != 0.5 || over.Visible || over.Channels[stack.BaseColor].Blend != "multiply" {
		t.Errorf("over is %v, visible %v, %+v", over.Amount, over.Visible, over.Channels)
	}
	if now.ID != under.ID || now.Slides[0].Stencil.At != s.Stencil.At || now.Slides[0].Stencil.Picture == s.Stencil.Picture {
		t.Errorf("under lies at %v, was moved to %v", now.Slides[0].Stencil.At, s.Stencil.At)
	}
	// moved and grown, it is moved by as much
	large := a.Union(image.Rect(100, 60, 110, 70))
	k.take(k.edited(file, []*ora.Layer{square("Third", c, red), square("Under", large, green)}, all, true))
	if n := names(); n != "Under Third Own " {
		t.Errorf("the group holds %q", n)
	}
	l := group().Layers[0]
	at, wide, _ := placed(image.Rect(l.Slides[0].Rect[0], l.Slides[0].Rect[1], l.Slides[0].Rect[0]+l.Slides[0].Rect[2], l.Slides[0].Rect[1]+l.Slides[0].Rect[3]), &k.note)
	got := l.Slides[0].Stencil
	if math.Abs(float64(got.At[0]-at[0]-0.1)) > 1e-5 || math.Abs(float64(got.At[1]-at[1])) > 1e-5 || got.Wide != wide {
		t.Errorf("it lies at %v, %v wide; where it was seen is %v, %v", got.At, got.Wide, at, wide)
	}
}

// As other programs write: the note is lost, layers lie in groups with blend modes of their own,
// in 16 bits, pictures are cut to what they hold; what was painted on the lit picture is not taken,
// and that is said.
func TestFilesThatOthersSave(t *testing.T) {
	k := newDesk(t)
	file := k.out()
	deep := image.NewNRGBA64(image.Rect(0, 0, 20, 20))
	draw.Draw(deep, deep.Bounds(), image.NewUniform(color.NRGBA64{40000, 12345, 777, 65535}), image.Point{}, draw.Src)
	group := &ora.Layer{Name: "Marks", Group: true, Opacity: 0.5, Mode: "svg:screen", Layers: []*ora.Layer{
		{Name: "Deep", X: 150, Y: 110, Opacity: 0.25, Mode: "svg:dst-out", Image: deep},
		{Name: "Nothing", Opacity: 1, Image: image.NewNRGBA(image.Rect(0, 0, 5, 5))},
	}}
	smeared := func(l *ora.Layer) bool {
		if l.Name == lit {
			img := image.NewNRGBA(l.Image.Bounds())
			draw.Draw(img, img.Bounds(), l.Image, image.Point{}, draw.Src)
			draw.Draw(img, image.Rect(100, 100, 130, 130), image.NewUniform(red), image.Point{}, draw.Src)
			l.Image = img
		}
		if l.Name == masks {
			return false
		}
		if isBack(l.Name) { // painted on, and cut to that
			l.Image = square("", image.Rect(0, 0, 10, 10), red).Image
			l.X, l.Y, l.Name = 120, 120, l.Name+" copy"
		}
		return true
	}
	saved := k.edited(file, []*ora.Layer{group}, smeared, false)
	if _, err := k.read(saved, nil); err == nil || !strings.Contains(err.Error(), "from where its view was seen") {
		t.Fatalf("without its note: %v", err)
	}
	b, err := k.read(saved, func(id string) *Note {
		if id == k.note.ID {
			return &k.note
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if len(b.Layers) != 2 || b.Layers[0].Name != "Marks" || len(b.Layers[0].Layers) != 1 || nameOf(b.Layers[1]) != Back {
		t.Fatalf("it brings %+v", b.Layers)
	}
	if len(b.Said) != 2 || !strings.Contains(strings.Join(b.Said, "\n"), "“Lit” itself is not taken") || !strings.Contains(strings.Join(b.Said, "\n"), "svg:dst-out") {
		t.Errorf("it says %q", b.Said)
	}
	img, err := png.Decode(bytes.NewReader(k.pictures[b.Layers[0].Layers[0].Picture]))
	if err != nil {
		t.Fatal(err)
	}
	r := b.Layers[0].Layers[0].Rect
	if c := color.NRGBA64Model.Convert(img.At(152-r.Min.X, 112-r.Min.Y)).(color.NRGBA64); c != (color.NRGBA64{40000, 12345, 777, 65535}) {
		t.Errorf("its texel is %v: 16 bits stay 16 bits", c)
	}
	op, err := b.Op(k.d, k.m, func() string { k.ids++; return fmt.Sprint("id", k.ids) })
	if err != nil {
		t.Fatal(err)
	}
	d, _, _, err := step.Rules.Apply(k.d, op)
	if err != nil {
		t.Fatal(err)
	}
	g := d.Layer(GroupID("a1")).Layers[1]
	if g.Kind != stack.Group || g.Blend != "screen" || g.Amount != 0.5 || !g.Isolated || g.Layers[0].Amount != 0.25 {
		t.Errorf("the group is %+v", g)
	}
}

func TestPicturesOfAnotherSizeAreRefused(t *testing.T) {
	k := newDesk(t)
	file := k.out()
	p, err := ora.Open(bytes.NewReader(file), int64(len(file)))
	if err != nil {
		t.Fatal(err)
	}
	note, _ := p.Extra(noteFile)
	var b bytes.Buffer
	err = (&ora.Picture{W: 100, H: 100, Merged: image.NewNRGBA(image.Rect(0, 0, 100, 100)), Layers: []*ora.Layer{
		square("Over", image.Rect(0, 0, 10, 10), red),
	}}).Write(&b, map[string][]byte{noteFile: note}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := k.read(b.Bytes(), nil); err == nil || !strings.Contains(err.Error(), "320 × 240") || !strings.Contains(err.Error(), "100 × 100") {
		t.Errorf("of another size: %v", err)
	}
	wrong := bytes.Replace(note, []byte(`"version":1`), []byte(`"version":7`), 1)
	b.Reset()
	err = (&ora.Picture{W: deskW, H: deskH, Merged: image.NewNRGBA(image.Rect(0, 0, deskW, deskH))}).Write(&b, map[string][]byte{noteFile: wrong}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := k.read(b.Bytes(), nil); err == nil || !strings.Contains(err.Error(), "version 7") {
		t.Errorf("of a later form: %v", err)
	}
}

// A print knows a picture again after what other programs do to it, and notices a dab.
func TestPrints(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 200, 130))
	for i := range img.Pix {
		img.Pix[i] = uint8(i * 7 / 5)
	}
	whole := img.Bounds()
	is := fingerprint(img, image.Point{}, whole)
	multiplied := image.NewRGBA(whole)
	draw.Draw(multiplied, whole, img, image.Point{}, draw.Src)
	if !same(is, fingerprint(multiplied, image.Point{}, whole)) {
		t.Error("multiplied by coverage it is another one")
	}
	cut := img.SubImage(image.Rect(10, 20, 200, 130))
	dots := image.NewNRGBA(whole)
	draw.Draw(dots, image.Rect(10, 20, 200, 130), img, image.Pt(10, 20), draw.Src)
	if !same(fingerprint(cut, image.Pt(10, 20), whole), fingerprint(dots, image.Point{}, whole)) {
		t.Error("cut to what it holds it is another one")
	}
	draw.Draw(img, image.Rect(60, 60, 64, 64), image.NewUniform(color.NRGBA{255, 255, 255, 255}), image.Point{}, draw.Src)
	if same(is, fingerprint(img, image.Point{}, whole)) {
		t.Error("with a dab on it it is the same")
	}
}
