package picset

import (
	"context"
	"errors"
	"fmt"
	"image"
	"image/color"
	"math"
	"strings"
	"testing"

	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
)

func flat(w, h int, c color.NRGBA) *pix.Picture {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			img.SetNRGBA(x, y, c)
		}
	}
	return pix.NewPicture(img)
}

// hills is a surface that repeats, in texels, with slopes of its own.
func hills(x, y, n int) (z, right, down float64) {
	a, b := 2*math.Pi*float64(x)/float64(n), 2*math.Pi*float64(y)/float64(n)
	k := 2 * math.Pi / float64(n)
	z = 6*math.Sin(2*a)*math.Cos(b) + 3*math.Cos(3*b+a)
	right = k * (12*math.Cos(2*a)*math.Cos(b) - 3*math.Sin(3*b+a))
	down = k * (-6*math.Sin(2*a)*math.Sin(b) - 9*math.Sin(3*b+a))
	return
}

func normalMap(n int, greenDown bool) *pix.Picture {
	img := image.NewNRGBA64(image.Rect(0, 0, n, n))
	for y := range n {
		for x := range n {
			_, r, d := hills(x, y, n)
			l := math.Sqrt(r*r + d*d + 1)
			green := d / l // up is against down
			if greenDown {
				green = -green
			}
			to := func(v float64) uint16 { return uint16(math.Round((v/2 + 0.5) * 65535)) }
			img.SetNRGBA64(x, y, color.NRGBA64{to(-r / l), to(green), to(1 / l), 65535})
		}
	}
	return pix.NewPicture(img)
}

// What pictures hold is told by their names, in the ways that people write them.
func TestNamesTellChannels(t *testing.T) {
	pic := flat(4, 4, color.NRGBA{10, 20, 30, 255})
	for name, want := range map[string]string{
		"quay_plank_BaseColor.png": "baseColor/-1", "plank albedo.jpg": "baseColor/-1", "plank-diff-2k.png": "baseColor/-1",
		"RopeRoughness.png": "roughness/0", "rope_gloss.png": "roughness/0 inverted", "rope_Smoothness.tif": "roughness/0 inverted",
		"hull_metalness.png": "metallic/0", "hull_AO.png": "ambientOcclusion/0", "hull_ambient_occlusion.png": "ambientOcclusion/0",
		"hull_Displacement.png": "height/0", "hull_alpha.png": "opacity/0", "lamp_emissive.png": "emissive/-1",
		"hull_normal.png": "normal/-1", "hull_nrm.png": "normal/-1", "hull_specular.png": "/-1", "IMG_0042.jpg": "/-1",
		"hull_ORM.png": "ambientOcclusion/0 roughness/1 metallic/2", "hull_rma.png": "roughness/0 metallic/1 ambientOcclusion/2",
		"hull_metallicRoughness.png": "roughness/1 metallic/2", "C:\\work\\normal\\hull_rough.png": "roughness/0", "metal_plate_col.png": "baseColor/-1",
	} {
		var got []string
		for _, r := range Tell("b", name, pic) {
			s := fmt.Sprintf("%s/%d", r.Channel, r.Component)
			if r.Invert {
				s += " inverted"
			}
			got = append(got, s)
		}
		if g := strings.Join(got, " "); g != want {
			t.Errorf("%s is %q, not %q", name, g, want)
		}
	}
	alpha := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	alpha.SetNRGBA(0, 0, color.NRGBA{255, 255, 255, 40})
	alpha.SetNRGBA(1, 0, color.NRGBA{255, 255, 255, 250})
	if rows := Tell("b", "hull_metallic.png", pix.NewPicture(alpha)); len(rows) != 2 || rows[1].Channel != stack.Roughness || rows[1].Component != 3 || !rows[1].Invert {
		t.Errorf("smoothness in alpha is not seen: %+v", rows)
	}
	rows := TellAll([]SetRow{{Name: "a", Channel: stack.Roughness}, {Name: "b", Channel: stack.Roughness}, {Name: "c", Channel: stack.BaseColor}})
	if rows[1].Channel != "" || !strings.Contains(rows[1].Note, "“a” is used") || Photograph(rows) {
		t.Errorf("two of one channel: %+v", rows)
	}
	if one := TellAll([]SetRow{{Name: "IMG_1.jpg"}}); one[0].Channel != stack.BaseColor || !Photograph(one) {
		t.Errorf("a single picture is no photograph: %+v", one)
	}
}

// Which way green goes is found, of a surface that is known.
func TestGreen(t *testing.T) {
	for _, down := range []bool{false, true} {
		got, sure := GreenDown(normalMap(96, down))
		if got != down || sure < 0.9 {
			t.Errorf("green down %v is taken for %v, sure to %.2f", down, got, sure)
		}
	}
	if _, sure := GreenDown(flat(8, 8, color.NRGBA{128, 128, 255, 255})); sure != 0 {
		t.Errorf("of an even map it is sure to %v", sure)
	}
}

// The height of a normal map is the surface that it was made of.
func TestHeightsOfANormalMap(t *testing.T) {
	const n = 96
	img, relief, err := Heights(t.Context(), normalMap(n, true), true)
	if err != nil {
		t.Fatal(err)
	}
	lo, hi := math.Inf(1), math.Inf(-1)
	for y := range n {
		for x := range n {
			z, _, _ := hills(x, y, n)
			lo, hi = min(lo, z), max(hi, z)
		}
	}
	if want := (hi - lo) / n; math.Abs(relief-want) > 0.02*want {
		t.Errorf("it is %.4f widths high, not %.4f", relief, want)
	}
	worst := 0.0
	for y := range n {
		for x := range n {
			z, _, _ := hills(x, y, n)
			g := float64(img.Gray16At(x, y).Y)/65535*(hi-lo) + lo
			worst = max(worst, math.Abs(g-z)/(hi-lo))
		}
	}
	if worst > 0.01 {
		t.Errorf("it is off by %.3f of its height", worst)
	}
	// a height picture of the same surface gets its scale from the map
	r, err := Relief(t.Context(), pix.NewPicture(img), normalMap(n, false), false)
	if err != nil || math.Abs(r-relief) > 0.03*relief {
		t.Errorf("the picture stands %.4f widths high, not %.4f: %v", r, relief, err)
	}
	if r, _ := Relief(t.Context(), pix.NewPicture(img), normalMap(n, true), false); r > 0.9*relief {
		t.Errorf("with green taken the wrong way it fits as well: %v", r)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, _, err := Heights(ctx, normalMap(n, true), true); !errors.Is(err, context.Canceled) {
		t.Errorf("it does not stop: %v", err)
	}
}

// A set becomes one group whose channels are laid the same way; what is packed or inverted is
// split; its dials turn.
func TestASetBecomesAMaterial(t *testing.T) {
	packed := flat(4, 4, color.NRGBA{200, 60, 255, 255})
	set := map[string]*pix.Picture{"col": flat(4, 4, color.NRGBA{120, 80, 40, 255}), "orm": packed, "nrm": normalMap(64, false)}
	kept := map[string]*image.Gray16{}
	p := Pictures{
		Load: func(b string) (*pix.Picture, error) {
			if img := kept[b]; img != nil {
				return pix.NewPicture(img), nil
			}
			if set[b] == nil {
				return nil, errors.New("it is not there")
			}
			return set[b], nil
		},
		Keep: func(name string, img *image.Gray16) (string, error) { kept[name] = img; return name, nil },
	}
	o := SetOrder{Name: "Quay plank", Laid: "from three sides", Tiles: "at random", Size: 0.4, Rows: []SetRow{
		{Picture: "col", Name: "c", Channel: stack.BaseColor, Component: -1},
		{Picture: "orm", Name: "o", Channel: stack.Roughness, Component: 1, Invert: true},
		{Picture: "orm", Name: "o", Channel: stack.Metallic, Component: 2},
		{Picture: "nrm", Name: "n", Channel: stack.Normal, Component: -1},
		{Picture: "col", Name: "left", Channel: ""},
	}}
	g, err := Make(t.Context(), o, p)
	if err != nil {
		t.Fatal(err)
	}
	l := g.Layers[0]
	if len(l.Channels) != 4 || len(g.Dials) < 4 {
		t.Fatalf("it has %d channels and %d dials", len(l.Channels), len(g.Dials))
	}
	for c, coat := range l.Channels {
		s := coat.Stream[0]
		if s.Kind != "picture" || s.Params["laid"] != o.Laid || s.Params["tiles"] != o.Tiles || s.Params["size"] != o.Size || s.Params["seed"] != 1.0 {
			t.Errorf("%s is laid otherwise: %v", c, s.Params)
		}
	}
	if v := kept["o, roughness"].Gray16At(0, 0).Y >> 8; v != 255-60 {
		t.Errorf("gloss 60 became roughness %d", v)
	}
	if r := l.Channels[stack.Height].Range; r[1] <= 0 || r[1] > 0.02 || r[0] != -r[1] {
		t.Errorf("the height goes from %v to %v", r[0], r[1])
	}
	for want, rows := range map[string][]SetRow{
		`the picture "x": it is not`:     {{Picture: "gone", Name: "x", Channel: stack.Roughness}},
		`the picture "x" has no alpha`:   {{Picture: "grey", Name: "x", Channel: stack.Roughness, Component: 3}},
		"no picture has a channel":       {{Picture: "col", Name: "x"}},
		`there is no channel "shine"`:    {{Picture: "col", Name: "x", Channel: "shine"}},
		`the picture "y": it is not the`: {{Picture: "gone", Name: "y", Channel: stack.Normal}},
	} {
		set["grey"] = pix.NewPicture(image.NewGray(image.Rect(0, 0, 2, 2)))
		bad := o
		bad.Rows = rows
		if want == `the picture "x" has no alpha` {
			bad.Rows[0].Invert = true
		}
		if _, err := Make(t.Context(), bad, p); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("error %v does not say %q", err, want)
		}
	}

	// a photograph gets what it does not hold
	o.Rows = []SetRow{{Picture: "col", Name: "c", Channel: stack.BaseColor, Component: -1}}
	if g, err = Make(t.Context(), o, p); err != nil {
		t.Fatal(err)
	}
	if l = g.Layers[0]; len(l.Channels) != 3 || len(l.Channels[stack.BaseColor].Stream) != 2 || len(l.Channels[stack.Height].Stream) != 3 {
		t.Errorf("the photograph was not taken apart: %v", l.Channels)
	}
}
