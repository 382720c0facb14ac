package eval

import (
	"fmt"
	"image"
	"image/color"
	"math"
	"slices"
	"strings"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// board is a picture of 8 × 8 checks, red and blue, with a hole in its middle check.
func board() *pix.Picture {
	img := image.NewNRGBA(image.Rect(0, 0, 256, 256))
	for y := range 256 {
		for x := range 256 {
			c := color.NRGBA{255, 0, 0, 255}
			if (x/32+y/32)%2 == 1 {
				c = color.NRGBA{0, 0, 255, 255}
			}
			if x/32 == 4 && y/32 == 4 {
				c.A = 0
			}
			img.SetNRGBA(x, y, c)
		}
	}
	return pix.NewPicture(img)
}

func decalScene(m *mesh.Model) *Scene {
	s := NewScene(m, cache.New(1<<28))
	pic := board()
	s.Picture = func(name string) (*pix.Picture, error) {
		if name != "board" {
			return nil, fmt.Errorf("there is no picture %q", name)
		}
		return pic, nil
	}
	return s
}

// label is a decal of the board on the plate, its middle in texels of the plate.
func label(id string, x, z, wide float32) *stack.Decal {
	return &stack.Decal{ID: id, Name: id, Picture: "board", Pos: [3]float32{x * texel, 0, z * texel}, Nrm: [3]float32{0, 1, 0}, Up: [3]float32{0, 0, -1},
		Wide: wide * texel, Depth: 0.05, Facing: 70, Amount: 1}
}

func decalLayer(list ...*stack.Decal) *stack.Layer {
	l := layer("labels", stack.Decals, coats{stack.BaseColor: coat(0, 0, 0), stack.Roughness: coat(0.25)})
	l.Decals = list
	return l
}

func decalDoc(list ...*stack.Decal) *stack.Document {
	ground := layer("ground", stack.Fill, coats{stack.BaseColor: coat(0, 1, 0), stack.Roughness: coat(0.75)})
	return doc(ground, decalLayer(list...))
}

// onDeck returns a channel by place on the plate.
func onDeck(t *testing.T, s *Scene, d *stack.Document, c stack.Channel) (out [256][128][3]float32) {
	t.Helper()
	if err := step.Rules.Check(d); err != nil {
		t.Fatal(err)
	}
	p := Compile(s, d, "", "")
	for sheet := range s.Model.Sheets {
		for _, tile := range surface.Tiles(sheet, 512) {
			u := s.OnTile(tile)
			if u.Empty() {
				continue
			}
			rows := evaluate(t, p, tile, c)
			f := u.Frame()
			for y := pix.Margin; y < pix.Margin+pix.Size; y++ {
				for x := pix.Margin; x < pix.Margin+pix.Size; x++ {
					if i := y*f.W + x; f.Inside[i] {
						for k := range rows {
							out[int(f.Pos[i].X/texel)][int(f.Pos[i].Z/texel)][k] = rows[k][i]
						}
					}
				}
			}
		}
	}
	return out
}

// The checks of a decal lie where geometry says, to a texel; what it does not cover is as below,
// in every channel that the layer has.
func TestADecalLiesWhereItIsSet(t *testing.T) {
	s := decalScene(whole(t))
	d := decalDoc(label("a", 128, 64, 64))
	col, rough := onDeck(t, s, d, stack.BaseColor), onDeck(t, s, d, stack.Roughness)
	for x := 1; x < 255; x++ {
		for z := 1; z < 127; z++ {
			// its upper left corner is at 96, 32; a check is 8 texels
			cx, cz := (float64(x)+0.5-96)/8, (float64(z)+0.5-32)/8
			want, r := [3]float32{0, 1, 0}, float32(0.75)
			if cx >= 0 && cx < 8 && cz >= 0 && cz < 8 && !(int(cx) == 4 && int(cz) == 4) {
				want, r = [3]float32{1, 0, 0}, 0.25
				if (int(cx)+int(cz))%2 == 1 {
					want = [3]float32{0, 0, 1}
				}
			}
			if fx, fz := math.Abs(cx-math.Round(cx)), math.Abs(cz-math.Round(cz)); min(fx, fz) < 0.2 {
				continue // a border of checks runs through, or beside
			}
			for k := range want {
				if math.Abs(float64(col[x][z][k]-want[k])) > 0.05 {
					t.Fatalf("at %d, %d it is %v, want %v", x, z, col[x][z], want)
				}
			}
			if math.Abs(float64(rough[x][z][0]-r)) > 0.02 {
				t.Fatalf("at %d, %d the roughness is %v, want %v", x, z, rough[x][z][0], r)
			}
		}
	}
}

// A decal whose corners are pulled fills the quad between them, its middle where the diagonals meet;
// flat and wrapped, over seams too. Corners that cross are refused.
func TestCornersOfADecalArePulled(t *testing.T) {
	d := label("a", 128, 64, 64) // from 96, 32 to 160, 96
	d.Corners = []float32{-0.5, -0.25, 0.25, 0, 0, 0.25, 0, 0}
	corners := [4][2]float64{{64, 16}, {176, 32}, {160, 112}, {96, 96}}
	inside := func(x, z, by float64) (in, out bool) { // well inside, well outside
		in = true
		for k := range 4 {
			a, b := corners[k], corners[(k+1)%4]
			off := ((b[0]-a[0])*(z-a[1]) - (b[1]-a[1])*(x-a[0])) / math.Hypot(b[0]-a[0], b[1]-a[1])
			in, out = in && off > by, out || off < -by
		}
		return
	}
	for _, wrapped := range []bool{false, true} {
		d.Wrapped = wrapped
		for _, m := range []*mesh.Model{whole(t), cutUp(t)} {
			col := onDeck(t, decalScene(m), decalDoc(d), stack.BaseColor)
			for x := 1; x < 255; x++ {
				for z := 1; z < 127; z++ {
					bare := col[x][z][1] > 0.99
					in, out := inside(float64(x)+0.5, float64(z)+0.5, 1.5)
					if out && !bare {
						t.Fatalf("wrapped %v: at %d, %d beyond its corners it is %v", wrapped, x, z, col[x][z])
					}
					// the hole is the check below and to the right of the middle
					if hole := math.Hypot(float64(x)-128.5, float64(z)-80.5) < 14; in && bare && !hole {
						t.Fatalf("wrapped %v: at %d, %d between its corners nothing lies", wrapped, x, z)
					}
				}
			}
			// the diagonals meet at 64 + s·96, 16 + s·96 = 176 − r·80, 32 + r·64: s = 11/18
			const mx, mz = 122, 74
			a, b := col[mx-3][mz-3], col[mx+5][mz-3] // up to the left red, up to the right blue
			if a[0] < 0.9 || b[2] < 0.9 {
				t.Errorf("wrapped %v: about the middle at %d, %d it is %v and %v", wrapped, mx, mz, a, b)
			}
		}
	}
	bad := *d
	bad.Corners = []float32{0.8, 0.8, 0, 0, 0, 0, 0, 0}
	if err := step.Rules.Check(decalDoc(&bad)); err == nil || !strings.Contains(err.Error(), "upper left corner") {
		t.Errorf("corners that cross: %v", err)
	}
}

// A decal over four islands on two sheets, turned and mirrored, is the one on a seamless sheet;
// flat and wrapped, with words and with a row.
func TestADecalKnowsNoSeams(t *testing.T) {
	words := label("w", 128, 64, 200)
	words.Picture, words.Text, words.Color = "", "DUNLIN\n12", [3]float32{1, 1, 1}
	row := label("r", 30, 64, 24)
	row.Row = &stack.DecalRow{Kind: "row", Count: 6, Step: 38 * texel}
	wrapped := label("u", 120, 60, 90)
	wrapped.Wrapped = true
	flipped := label("f", 128, 64, 90)
	flipped.Flip, flipped.Up = true, [3]float32{1, 0, 1}
	for _, d := range []*stack.Decal{label("a", 128, 64, 100), words, row, wrapped, flipped} {
		a, b := onDeck(t, decalScene(whole(t)), decalDoc(d), stack.BaseColor), onDeck(t, decalScene(cutUp(t)), decalDoc(d), stack.BaseColor)
		shown := 0
		for x := range a {
			for z := range a[x] {
				if a[x][z] != [3]float32{0, 1, 0} {
					shown++
				}
				for k := range 3 {
					if math.Abs(float64(a[x][z][k]-b[x][z][k])) > 0.02 {
						t.Fatalf("%s: at %d, %d it is %v in one piece and %v in four", d.ID, x, z, a[x][z], b[x][z])
					}
				}
			}
		}
		if shown < 300 {
			t.Errorf("%s: it shows on %d texels", d.ID, shown)
		}
	}
}

// slab is a thin plate of two sides, and a smaller one that lies above a half of it.
func slab(t *testing.T) *mesh.Model {
	t.Helper()
	m := &mesh.Model{Parts: []mesh.Part{{Name: "Slab"}, {Name: "Lid"}}, Sheets: []mesh.Sheet{{Name: "Sheet 1", HasUV: true}}}
	quad := func(part uint16, y float32, x0, x1 float32, up bool, u0, v0, w float32) {
		first := uint32(len(m.Pos))
		n := geom.V3(0, 1, 0)
		if !up {
			n = geom.V3(0, -1, 0)
		}
		for _, c := range [4][2]float32{{0, 0}, {0, 1}, {1, 1}, {1, 0}} {
			m.Pos = append(m.Pos, geom.V3(x0+(x1-x0)*c[0], y, c[1]))
			m.Nrm, m.UV = append(m.Nrm, n), append(m.UV, geom.Vec2{X: u0 + w*c[0], Y: v0 + w*c[1]})
		}
		a, b := [3]uint32{first, first + 1, first + 2}, [3]uint32{first, first + 2, first + 3}
		if !up {
			a[1], a[2], b[1], b[2] = a[2], a[1], b[2], b[1]
		}
		m.Tri, m.TriPart, m.TriSheet = append(m.Tri, a, b), append(m.TriPart, part, part), append(m.TriSheet, 0, 0)
	}
	quad(0, 0, 0, 1, true, 0.05, 0.05, 0.4)
	quad(0, -0.002, 0, 1, false, 0.55, 0.05, 0.4)
	quad(1, 0.02, 0.5, 1, true, 0.05, 0.55, 0.4)
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	return m
}

// A decal does not print through a thin plate, nor on what lies under something else within its
// depth; it does where that is asked for.
func TestADecalDoesNotPrintThrough(t *testing.T) {
	m := slab(t)
	d := &stack.Decal{ID: "a", Name: "a", Text: "MMMM", Color: [3]float32{1, 1, 1}, Pos: [3]float32{0.5, 0, 0.5}, Nrm: [3]float32{0, 1, 0}, Up: [3]float32{0, 0, -1},
		Wide: 0.9, Tall: 0.9, Depth: 0.1, Facing: 70, Amount: 1}
	shows := func(d *stack.Decal) (top, under, below, lid int) {
		s := decalScene(m)
		p := Compile(s, decalDoc(d), "", "")
		for _, tile := range surface.Tiles(0, 256) {
			f := s.OnTile(tile).Frame()
			rows := evaluate(t, p, tile, stack.BaseColor)
			for i, tri := range f.Tri {
				if tri < 0 || !f.Inside[i] || rows[0][i] < 0.5 {
					continue
				}
				switch {
				case tri >= 4:
					lid++
				case tri >= 2:
					below++
				case f.Pos[i].X > 0.5:
					under++
				default:
					top++
				}
			}
		}
		return
	}
	if top, under, below, lid := shows(d); top < 200 || under > 20 || below > 0 || lid < 200 {
		t.Errorf("it shows on %d texels of the top, %d under the lid, %d of the other side, %d of the lid", top, under, below, lid)
	}
	through := *d
	through.Through = true
	if _, under, below, _ := shows(&through); under < 200 || below > 0 {
		t.Errorf("let through it shows on %d texels under the lid and %d of the side that looks away", under, below)
	}
	through.Facing = 180
	if _, _, below, _ := shows(&through); below < 200 {
		t.Errorf("on whatever way it faces it shows on %d texels of the other side", below)
	}
}

// What a picture says covers: by its light, its dark, and a key colour; a number can be taken
// from its grey or its coverage; height is raised by it.
func TestWhatOfADecalCovers(t *testing.T) {
	s := decalScene(whole(t))
	at := func(c stack.Channel, change func(l *stack.Layer, d *stack.Decal)) (red, blue, hole float32) {
		l := label("a", 128, 64, 64)
		dd := decalDoc(l)
		change(dd.Layers[1], l)
		v := onDeck(t, s, dd, c)
		return v[100][36][0], v[108][36][0], v[132][68][0] // checks 0,0 and 1,0, and the hole
	}
	if r, b, h := at(stack.Roughness, func(_ *stack.Layer, d *stack.Decal) { d.Cover, d.Key = "key", [3]float32{0, 0, 1} }); r > 0.26 || b < 0.74 || h < 0.74 {
		t.Errorf("with blue as key the roughness is %v on red, %v on blue, %v in the hole", r, b, h)
	}
	if r, b, _ := at(stack.Roughness, func(_ *stack.Layer, d *stack.Decal) { d.Cover = "dark" }); math.Abs(float64(r-(0.75-0.5*(1-0.3)))) > 0.02 || math.Abs(float64(b-(0.75-0.5*(1-0.11)))) > 0.02 {
		t.Errorf("by its dark the roughness is %v on red and %v on blue", r, b)
	}
	source := func(name string) func(l *stack.Layer, d *stack.Decal) {
		return func(l *stack.Layer, _ *stack.Decal) {
			c := l.Channels[stack.Roughness]
			c.Source = name
			l.Channels[stack.Roughness] = c
		}
	}
	if r, b, _ := at(stack.Roughness, source("grey")); math.Abs(float64(r-0.3)) > 0.02 || math.Abs(float64(b-0.11)) > 0.02 {
		t.Errorf("from its grey the roughness is %v on red and %v on blue", r, b)
	}
	if r, _, h := at(stack.Height, func(l *stack.Layer, _ *stack.Decal) {
		l.Channels[stack.Height] = stack.Coat{On: true, Blend: "add", Amount: 1, Value: []float32{0.003}}
	}); math.Abs(float64(r-0.003)) > 1e-5 || h != 0 {
		t.Errorf("it is raised by %v, in the hole by %v", r, h)
	}
}

// A decal that moves is drawn anew only where it was and where it is; one that is hidden is
// nowhere; the order counts; a point of it is found.
func TestADecalIsLocal(t *testing.T) {
	s := decalScene(whole(t))
	a, b := decalDoc(label("a", 40, 64, 20)), decalDoc(label("a", 44, 64, 20))
	pa, pb := Compile(s, a, "", ""), Compile(s, b, "", "")
	same, other := 0, 0
	for _, tile := range surface.Tiles(0, 2048) {
		u := s.OnTile(tile)
		if u.Empty() {
			continue
		}
		if pa.Key(u, stack.BaseColor) == pb.Key(u, stack.BaseColor) {
			same++
		} else {
			other++
		}
	}
	if other == 0 || other > same {
		t.Errorf("of %d tiles %d are others", same+other, other)
	}
	over, under := label("over", 128, 64, 60), label("under", 128, 64, 60)
	over.Cover, over.Key = "key", [3]float32{0, 0, 1} // red alone is left of it
	under.Cover, under.Key = "key", [3]float32{1, 0, 0}
	both := onDeck(t, s, decalDoc(under, over), stack.BaseColor)
	if both[101][40] == [3]float32{0, 1, 0} || both[108][40] == [3]float32{0, 1, 0} {
		t.Error("of two on each other one is not seen through the other")
	}
	hidden := label("h", 128, 64, 60)
	hidden.Hidden = true
	for _, row := range onDeck(t, s, decalDoc(hidden), stack.BaseColor) {
		if slices.ContainsFunc(row[1:127], func(v [3]float32) bool { return v[1] < 0.99 && v != [3]float32{} }) {
			t.Fatal("a hidden decal shows")
		}
	}
	u := s.OnFrame(onStrip(101*texel, 40*texel), "there")
	p := Compile(s, decalDoc(under, over), "", "")
	if ids := p.DecalsAt(u, "labels"); len(ids) != 1 {
		t.Errorf("at the point lie %v", ids)
	}
	if ids := p.DecalsAt(s.OnFrame(onStrip(10*texel, 40*texel), "beside"), "labels"); len(ids) != 0 {
		t.Errorf("beside it lie %v", ids)
	}
	lost := label("l", 128, 64, 60)
	lost.Picture = "gone"
	if _, err := Compile(s, decalDoc(lost), "", "").Channel(t.Context(), s.OnTile(surface.Tile{Size: 512, X: 1}), stack.BaseColor); err == nil {
		t.Error("a picture that is not there is no error")
	}
}

// On a post whose head flares out, what is wrapped round it does not turn up elsewhere: a way
// round a bend that comes back nearer than it is through space is none.
func TestAWrappedDecalStaysInItsPlace(t *testing.T) {
	s := decalScene(sample.Bollard())
	d := &stack.Decal{ID: "a", Text: "BERTH 12", Pos: [3]float32{0.0538, 0.39602, 0.10895}, Nrm: [3]float32{0.439, -0.128, 0.889}, Up: [3]float32{0, 1, 0}, Wide: 0.4, Wrapped: true, Amount: 1}
	plan := planDecals([]*stack.Decal{d})[0]
	roll := Compile(s, stack.New([]string{"Cast iron"}, 256), "", "").unrolled(plan, 0.064)
	within := 0
	for tri, c := range roll {
		for k, v := range s.Model.Tri[tri] {
			if math.Abs(float64(c[k].X)) > 0.2 || math.Abs(float64(c[k].Y)) > 0.032 {
				continue
			}
			within++
			if p := s.Model.Pos[v]; math.Abs(float64(p.Y-d.Pos[1])) > 0.06 {
				t.Fatalf("%v is laid to %v, beside the words at a height of %v", p, c[k], d.Pos[1])
			}
		}
	}
	if within < 500 {
		t.Errorf("%d corners lie under the words", within)
	}
}

// What is erased of a decal by hand is gone from it alone: the one that lies under it shows, where
// it is put back it is there, and tiles that no stroke reaches keep their keys.
func TestADecalIsErasedByHand(t *testing.T) {
	hand := func(strokes ...*brush.Stroke) *stack.Document {
		over, under := label("over", 128, 64, 64), label("under", 128, 64, 64)
		under.Cover, under.Amount = "dark", 1 // other colours: its own
		under.Picture = "board"
		over.Hand = &stack.Step{ID: "decal:over", Kind: stack.Hand, On: true, Amount: 1, Strokes: strokes}
		for _, s := range strokes {
			over.Hand.StrokeID = append(over.Hand.StrokeID, s.ID)
		}
		under.Flip = true
		return decalDoc(under, over)
	}
	rub := func(id string, x, z float32, erase bool) *brush.Stroke {
		p := brush.Point{Pos: geom.V3(x*texel, 0, z*texel), Nrm: geom.V3(0, 1, 0), Pressure: 1}
		return &brush.Stroke{ID: id, Radius: 9 * texel, Strength: 1, Hardness: 1, Erase: !erase, Values: map[string][]float32{"mask": {0}}, Points: brush.Points{p}}
	}
	s := decalScene(whole(t))
	whole, alone := onDeck(t, s, hand(), stack.BaseColor), decalDoc(hand().Layers[1].Decals[0])
	under := onDeck(t, s, alone, stack.BaseColor)
	erased := onDeck(t, s, hand(rub("a", 108, 44, true)), stack.BaseColor)
	back := onDeck(t, s, hand(rub("a", 108, 44, true), rub("b", 108, 44, false)), stack.BaseColor)
	off := 0
	for x := 96; x < 160; x++ {
		for z := 32; z < 96; z++ {
			far := math.Hypot(float64(x)+0.5-108, float64(z)+0.5-44)
			switch {
			case far < 7 && erased[x][z] != under[x][z]:
				t.Fatalf("at %d, %d, erased, it is %v, below it lies %v", x, z, erased[x][z], under[x][z])
			case far > 11 && erased[x][z] != whole[x][z]:
				t.Fatalf("at %d, %d, beside, it is %v, was %v", x, z, erased[x][z], whole[x][z])
			case far < 7 && whole[x][z] != under[x][z]:
				off++
			}
			for k := range 3 {
				if math.Abs(float64(back[x][z][k]-whole[x][z][k])) > 0.01 && (far < 7 || far > 11) {
					t.Fatalf("at %d, %d, put back, it is %v, was %v", x, z, back[x][z], whole[x][z])
				}
			}
		}
	}
	if off < 50 {
		t.Fatalf("below looks as above at all but %d places: nothing was tried", off)
	}
	p, q := Compile(s, hand(), "", ""), Compile(s, hand(rub("a", 108, 44, true)), "", "")
	same, other := 0, 0
	for _, tile := range surface.Tiles(0, 512) {
		if u := s.OnTile(tile); p.Key(u, stack.BaseColor) == q.Key(u, stack.BaseColor) {
			same++
		} else {
			other++
		}
	}
	if same == 0 || other == 0 {
		t.Errorf("%d tiles keep their key, %d do not", same, other)
	}
}

// Flakes that come off bare what lies below, the more the more it is worn.
func TestADecalFlakes(t *testing.T) {
	s := decalScene(whole(t))
	left := func(change func(d *stack.Decal)) (n int) {
		d := label("a", 128, 64, 100)
		change(d)
		for _, row := range onDeck(t, s, decalDoc(d), stack.Roughness) {
			for _, v := range row {
				if v[0] < 0.5 {
					n++
				}
			}
		}
		return n
	}
	for name, set := range map[string]func(d *stack.Decal){
		"picture": func(*stack.Decal) {},
		"words":   func(d *stack.Decal) { d.Picture, d.Text, d.Tall = "", "DUN\nLIN", 60*texel },
	} {
		all := left(set)
		last := all
		for _, worn := range []float32{0.2, 0.5, 0.9} {
			n := left(func(d *stack.Decal) { set(d); d.Worn = worn })
			if share := 1 - float64(n)/float64(all); n >= last || math.Abs(share-float64(worn)) > 0.25 {
				t.Errorf("%s worn by %v: %d of %d texels are left", name, worn, n, all)
			}
			last = n
		}
	}
}

// A drawing set as a decal is drawn as fine as the surface's texels ask for, and no finer.
func TestADrawnDecalIsAsFineAsTheSurface(t *testing.T) {
	s := decalScene(whole(t))
	s.Picture = func(string) (*pix.Picture, error) {
		return pix.DecodePicture(strings.NewReader(`<svg viewBox="0 0 2 1"><circle cx="1" cy="0.5" r="0.5" fill="#00f"/></svg>`))
	}
	d := label("a", 128, 64, 64)
	d.Wide = 2
	p := Compile(s, decalDoc(d), "", "")
	for footprint, want := range map[float32]int{0.1: 1024, 0.0019: 2048, 0.0012: 2048, 0.0006: 4096, 0.0001: 4096} {
		pic, tall, err := p.decalPicture(p.all["labels"].decals[0], footprint)
		if err != nil {
			t.Fatal(err)
		}
		if w, h := pic.Size(); w != want || h != want/2 || tall != 1 {
			t.Errorf("on texels of %v m it has %d × %d texels and is %v m tall; %d were expected", footprint, w, h, tall, want)
		}
	}
}

// A decal that is moved, changed, added, hidden, reordered or erased changes what lies where it is and
// was alone: that is known without the key of every tile.
func TestAMovedDecalChangesWhereItIsAndWas(t *testing.T) {
	s := decalScene(whole(t))
	first := func() []*stack.Decal {
		return []*stack.Decal{label("a", 40, 40, 30), label("b", 50, 40, 30), label("c", 60, 90, 20)}
	}
	for name, change := range map[string]func(list []*stack.Decal) []*stack.Decal{
		"moved":     func(l []*stack.Decal) []*stack.Decal { l[2].Pos[0] += 20 * texel; return l },
		"wrapped":   func(l []*stack.Decal) []*stack.Decal { l[0].Wrapped = true; return l },
		"fainter":   func(l []*stack.Decal) []*stack.Decal { l[1].Amount = 0.3; return l },
		"hidden":    func(l []*stack.Decal) []*stack.Decal { l[1].Hidden = true; return l },
		"reordered": func(l []*stack.Decal) []*stack.Decal { l[0], l[1] = l[1], l[0]; return l },
		"added":     func(l []*stack.Decal) []*stack.Decal { return append(l, label("d", 30, 100, 20)) },
		"taken off": func(l []*stack.Decal) []*stack.Decal { return l[:2] },
		"in a row": func(l []*stack.Decal) []*stack.Decal {
			l[2].Row = &stack.DecalRow{Kind: "row", Count: 3, Step: 15 * texel}
			return l
		},
		"erased": func(l []*stack.Decal) []*stack.Decal {
			st := &brush.Stroke{ID: "s", Radius: 6 * texel, Strength: 1, Values: map[string][]float32{"mask": {0}}, Points: brush.Points{{Pos: geom.V3(40*texel, 0, 40*texel), Nrm: geom.V3(0, 1, 0), Pressure: 1}}}
			l[0].Hand = &stack.Step{ID: "decal:a", Kind: stack.Hand, On: true, Amount: 1, Strokes: []*brush.Stroke{st}, StrokeID: []string{"s"}}
			return l
		},
		"renamed": func(l []*stack.Decal) []*stack.Decal { l[0].Name = "other"; return l },
	} {
		d := decalDoc(first()...)
		next := *d
		next.Layers = []*stack.Layer{d.Layers[0], decalLayer(change(first())...)}
		_, beyond, changed := within(t, s, name, d, &next, 2048)
		if (changed > 0) != (name != "renamed") || beyond == 0 {
			t.Errorf("%s: %d tiles change, %d lie beyond", name, changed, beyond)
		}
	}
}
