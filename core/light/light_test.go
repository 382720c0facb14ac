package light

import (
	"context"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"velvetgrime/core/geom"
)

func near(t *testing.T, what string, got, want, share float64) {
	t.Helper()
	if math.Abs(got-want) > share*math.Abs(want) {
		t.Errorf("%s is %.5g, not %.5g within %.2g %%", what, got, want, share*100)
	}
}

func TestDirectionsAndPlacesAreInverse(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 1000 {
		u, v := r.Float64(), r.Float64()
		d := Dir(u, v)
		if u2, v2 := Place(d); math.Abs(u-u2) > 1e-4 && v > 0.02 && v < 0.98 || math.Abs(v-v2) > 2e-4 {
			t.Fatalf("%v, %v looks to %v, which lies at %v, %v", u, v, d, u2, v2)
		}
	}
	if d := Dir(0.5, 0); d.Y != 1 {
		t.Errorf("the upper edge looks to %v", d)
	}
	if d := Dir(0.5, 0.5); math.Abs(float64(d.X)-1) > 1e-6 {
		t.Errorf("the middle looks to %v", d)
	}
}

// TestEvenLightGivesPi holds an even panorama against its exact irradiance, and half a one
// against half of it.
func TestEvenLightGivesPi(t *testing.T) {
	p, half := New(128), New(128)
	for i := range p.Data {
		p.Data[i] = 1
		if i/3/128 < 32 {
			half.Data[i] = 1 // the upper hemisphere
		}
	}
	for _, n := range []geom.Vec3{geom.V3(0, 1, 0), geom.V3(1, 0, 0), geom.V3(-0.6, 0, 0.8)} {
		near(t, "irradiance", p.Irradiance(n)[1], math.Pi, 2e-3)
	}
	near(t, "irradiance of a floor", half.Irradiance(geom.V3(0, 1, 0))[0], math.Pi, 2e-3)
	near(t, "irradiance of a wall", half.Irradiance(geom.V3(1, 0, 0))[0], math.Pi/2, 2e-3)
	near(t, "gauge", p.Gauge(), 1, 2e-3)
	// Smaller keeps what there is
	e, _ := Find("harbour-noon")
	big := e.draw(256)
	for _, n := range []geom.Vec3{geom.V3(0, 1, 0), geom.V3(0.6, 0, 0.8)} {
		near(t, "irradiance of a smaller one", big.Smaller(64).Irradiance(n)[1], big.Irradiance(n)[1], 0.05)
	}
}

// TestTheOvercastSkyIsOneThirdAtTheHorizon: type 1 of CIE S 011 is the overcast sky of Moon and
// Spencer but for a hair; at the horizon it is (1 + 4·0) / (1 + 4 e^−0.7) of the zenith.
func TestTheOvercastSkyIsOneThirdAtTheHorizon(t *testing.T) {
	h := &heaven{4, -0.7, 0, -1, 0, 3, from(0, 40), gray(1), gray(1), colour{}, gray(1)}
	up, low := h.at(geom.V3(0, 1, 0)), h.at(geom.V3(1, 0, 0))
	near(t, "the zenith", float64(up[1]), 3, 1e-4)
	near(t, "the horizon", float64(low[1]/up[1]), 1/(1+4*math.Exp(-0.7)), 1e-3)
	// its floor gets 7π/9 of the zenith's luminance under Moon and Spencer; type 1 is near it
	near(t, "the floor", float64(h.upon(gray(1))[0]), 3*7.0/9, 0.05)
}

// TestTheSunHasItsStrength: what a surface that faces the sun gets is what the table says, in
// klx, with the disc drawn at any width.
func TestTheSunHasItsStrength(t *testing.T) {
	for _, id := range []string{"harbour-noon", "against-the-sun"} {
		e, _ := Find(id)
		p := e.draw(Width)
		_, k := p.Split()
		want := map[string]float64{"harbour-noon": 98, "against-the-sun": 33}[id]
		near(t, id+": the key light, klx", float64(k.Color[1]), want, 0.08)
		sun := map[string]geom.Vec3{"harbour-noon": from(43, 56), "against-the-sun": from(38, 13)}[id]
		if off := math.Acos(float64(min(k.Dir.Dot(sun), 1))) * 180 / math.Pi; off > 0.6 {
			t.Errorf("%s: the key light lies %.2f° from the sun", id, off)
		}
	}
}

// TestSplitLosesNothing: what is left and the key light together light a surface as the whole.
func TestSplitLosesNothing(t *testing.T) {
	for _, e := range Environments() {
		p := e.draw(256)
		rest, k := p.Split()
		for _, n := range []geom.Vec3{k.Dir, geom.V3(0, 1, 0), geom.V3(1, 0, 0), geom.V3(0, 0, -1), geom.V3(-0.6, 0.8, 0)} {
			want, got := p.Irradiance(n), rest.Irradiance(n)
			for c := range got {
				got[c] += float64(k.Color[c]) * max(float64(k.Dir.Dot(n)), 0)
				// a wide lamp half behind the surface is a point of the key light
				if math.Abs(got[c]-want[c]) > 0.03*want[c]+0.04*float64(k.Color[c]) {
					t.Errorf("%s, facing %v: %v with the key light apart, %v in one", e.ID, n, got, want)
				}
			}
		}
		for i, v := range p.Data {
			if v < 0 || math.IsNaN(float64(v)) || math.IsInf(float64(v), 0) || rest.Data[i] < 0 {
				t.Fatalf("%s: texel %d is %v, and %v without the key light", e.ID, i/3, v, rest.Data[i])
			}
		}
		if l := k.Dir.Length(); math.Abs(float64(l)-1) > 1e-4 {
			t.Errorf("%s: the key light's direction is %v long", e.ID, l)
		}
	}
}

// TestDirectionsAreDrawnByTheirDensity is a chi-square test of the draws against the density.
func TestDirectionsAreDrawnByTheirDensity(t *testing.T) {
	for _, id := range []string{"harbour-noon", "workshop-lamps"} {
		e, _ := Find(id)
		s := NewSampler(e.draw(64))
		const w, h, n = 16, 8, 200_000
		var got [w * h]float64
		r := rand.New(rand.NewPCG(3, 4))
		for range n {
			d, c, pdf := s.Draw(r.Float32(), r.Float32())
			u, v := Place(d)
			if x, y := u*64, v*32; math.Abs(x-math.Round(x)) > 2e-2 && math.Abs(y-math.Round(y)) > 2e-2 {
				// at a texel's rim it may be its neighbour's
				seen, q := s.Look(d)
				if math.Abs(float64(pdf-q)) > 1e-3*float64(pdf) {
					t.Fatalf("%s: drawn with %v, found with %v at %v, %v", id, pdf, q, x, y)
				}
				if want := s.Panorama.At(d); math.Abs(float64(seen[1]-want[1])) > 2e-3*float64(want[1])+1e-3 {
					t.Fatalf("%s: %v seen, %v there", id, seen, want)
				} else if math.Abs(float64(c[1]-want[1])) > 5e-3*float64(want[1])+5e-3 {
					t.Fatalf("%s: %v drawn, %v there", id, c, want)
				}
			}
			got[min(int(v*h), h-1)*w+min(int(u*w), w-1)]++
		}
		// what is expected: the density over the cell
		chi, whole, cells := 0.0, 0.0, 0
		for y := range h {
			for x := range w {
				want := 0.0
				for ty := range 4 {
					for tx := range 4 {
						row := y*4 + ty
						want += float64(s.texels[row*64+x*4+tx][3]) * s.Panorama.texel(row)
					}
				}
				whole += want
				if want*n < 5 {
					continue
				}
				o := got[y*w+x] - want*n
				chi += o * o / (want * n)
				cells++
			}
		}
		near(t, "the density over all directions", whole, 1, 1e-4)
		// a mean of one a cell; six deviations of the chi-square law above it is no chance
		if bound := float64(cells) + 6*math.Sqrt(2*float64(cells)); chi > bound {
			t.Errorf("%s: chi-square %.0f over %d cells, more than %.0f", id, chi, cells, bound)
		}
		// and they estimate what a surface gets
		n2 := geom.V3(0.2, 0.9, 0.3).Unit()
		sum := 0.0
		for range n {
			d, c, pdf := s.Draw(r.Float32(), r.Float32())
			sum += float64(c[1]) * max(float64(d.Dot(n2)), 0) / float64(pdf) / n
		}
		near(t, id+": irradiance by draws", sum, s.Panorama.Irradiance(n2)[1], 0.03)
	}
}

func TestAnglesAreFoundFast(t *testing.T) {
	r := rand.New(rand.NewPCG(13, 14))
	for range 20_000 {
		x, y := float32(r.NormFloat64()), float32(r.NormFloat64())
		if got, want := float64(atan2(y, x)), math.Atan2(float64(y), float64(x)); math.Abs(got-want) > 3e-6 {
			t.Fatalf("atan2(%v, %v) is %v, not %v", y, x, got, want)
		}
	}
}

func TestWhatIsNoPanoramaIsRefusedByReason(t *testing.T) {
	for file, want := range map[string]string{
		"":                                    "neither",
		"\x89PNG\r\n":                         "neither",
		hdrOf(20, 20, "\x80\x80\x80\x81"):     "twice as wide",
		hdrOf(16, 8, "\x00\x00\x00\x00"):      "black",
		hdrOf(16, 8, "\x80\x80\x80\x81")[:90]: "",
	} {
		if _, err := Read(context.Background(), []byte(file)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.20q: %v, and not %q", file, err, want)
		}
	}
	p, err := Read(context.Background(), []byte(hdrOf(16, 8, "\x80\x40\x20\x82")))
	if err != nil {
		t.Fatal(err)
	}
	if c := p.At(geom.V3(0, 1, 0)); c[0] < 1.9 || c[0] > 2.3 || c[1] < 0.9 || c[1] > 1.1 {
		t.Errorf("2, 1, ½ with the primaries of such files is read as %v", c)
	}
}

// hdrOf is a Radiance file all of one colour.
func hdrOf(w, h int, texel string) string {
	size := "-Y " + itoa(h) + " +X " + itoa(w) + "\n"
	return "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n" + size + strings.Repeat(texel, w*h)
}

func itoa(v int) string { return string(rune('0'+v/10)) + string(rune('0'+v%10)) }

func FuzzRead(f *testing.F) {
	f.Add([]byte(hdrOf(16, 8, "\x80\x40\x20\x82")))
	f.Fuzz(func(t *testing.T, b []byte) {
		p, err := Read(context.Background(), b)
		if err != nil {
			return
		}
		if len(p.Data) != p.W*p.H*3 || p.W > Widest {
			t.Fatalf("%d × %d with %d numbers", p.W, p.H, len(p.Data))
		}
		if g := p.Gauge(); math.IsNaN(g) || g <= 0 {
			t.Fatalf("gauge %v", g)
		}
	})
}
