package bsdf

import (
	"math"
	"math/rand/v2"
	"testing"

	"velvetgrime/core/geom"
)

func looking(degrees float64) geom.Vec3 {
	s, c := math.Sincos(degrees * math.Pi / 180)
	return geom.V3(float32(s), 0, float32(c))
}

// albedo is what a surface sends to wo of even light, by draws that are even themselves.
func albedo(s Surface, wo geom.Vec3, n int) (c [3]float64) {
	b := New(s)
	for i := range n {
		u, v := r2(i)
		_, choose := math.Modf(0.25 + float64(i)*0.6180339887498949)
		_, w, pdf, _ := b.Sample(wo, float32(choose), float32(u), float32(v))
		if pdf > 0 {
			for k := range c {
				c[k] += float64(w[k]) / float64(n)
			}
		}
	}
	return c
}

// TestFacetsOfWidthOne holds the albedo of facets that mirror everything against its exact
// value: for slopes of width 1, seen straight on, D is 1/π and ∫₀¹ μ/(μ+1) dμ = 1 − ln 2.
func TestFacetsOfWidthOne(t *testing.T) {
	got := float64(measure(1, 1).all)
	if want := 1 - math.Ln2; math.Abs(got-want) > 5e-4 {
		t.Errorf("the albedo is %.5f, not %.5f", got, want)
	}
	// mirror-smooth facets lose nothing
	if e := measure(0.3, narrowest).all; e < 0.9995 {
		t.Errorf("smooth facets send back %v", e)
	}
	// Schlick's term, straight on and smooth: nothing is at grazing
	if e := measure(1, narrowest); e.grazing > 1e-6 {
		t.Errorf("straight on %v is mirrored as at grazing", e.grazing)
	}
	// and its mean over all directions is (20 F₀ + 1)/21
	if m := table().mean(narrowest); math.Abs(float64(m.grazing)-1.0/21) > 1e-3 {
		t.Errorf("the mean of Schlick's term is %v, not 1/21", m.grazing)
	}
}

// TestWhiteStaysWhiteInEvenLight is the white furnace: what absorbs nothing sends back all.
func TestWhiteStaysWhiteInEvenLight(t *testing.T) {
	worst := 0.0
	for _, rough := range []float32{0.05, 0.2, 0.35, 0.5, 0.7, 0.85, 1} {
		for _, metal := range []float32{0, 0.5, 1} {
			for _, deg := range []float64{0, 30, 60, 80, 86} {
				s := Surface{Color: Color{1, 1, 1}, Rough: rough, Metal: metal, Specular: 1}
				got := albedo(s, looking(deg), 24_000)[1]
				worst = max(worst, math.Abs(got-1))
				if math.Abs(got-1) > 0.005 {
					t.Errorf("rough %v, metal %v, from %v°: %.4f comes back", rough, metal, deg, got)
				}
			}
		}
	}
	t.Logf("at most %.2f %% off", worst*100)
}

// random is any surface.
func random(r *rand.Rand) Surface {
	c := func() Color { return Color{r.Float32(), r.Float32(), r.Float32()} }
	some := func() float32 {
		if r.IntN(2) == 0 {
			return 0
		}
		return r.Float32()
	}
	s := Surface{
		Color: c(), Metal: some(), Rough: 0.1 + 0.9*r.Float32(), Specular: r.Float32(), Aniso: some() * 0.8,
		Coat: some(), CoatRough: 0.1 + 0.9*r.Float32(), FuzzRough: 0.15 + 0.8*r.Float32(), Transmission: some(),
	}
	if r.IntN(3) == 0 {
		s.Fuzz = c()
	}
	return s
}

func anyDir(r *rand.Rand) geom.Vec3 {
	for {
		d := geom.V3(2*r.Float32()-1, 2*r.Float32()-1, r.Float32())
		if l := d.Length(); l > 0.1 && l < 1 && d.Z > 0.05 {
			return d.Unit()
		}
	}
}

// TestNothingShinesByItself: whatever lies over each other, no more light leaves than came.
func TestNothingShinesByItself(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 60 {
		s := random(r)
		s.Color = Color{1, 1, 1}
		wo := anyDir(r)
		for k, v := range albedo(s, wo, 20_000) {
			if v > 1.012 {
				t.Errorf("%+v from %v: %.4f of component %d comes back", s, wo, v, k)
			}
		}
	}
}

// TestLightGoesBothWaysAlike is Helmholtz's reciprocity.
func TestLightGoesBothWaysAlike(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for range 4000 {
		s := random(r)
		b := New(s)
		o, i := anyDir(r), anyDir(r)
		f, _ := b.Eval(o, i)
		g, _ := b.Eval(i, o)
		for k := range f {
			if d := math.Abs(float64(f[k] - g[k])); d > 2e-3*float64(max(f[k], g[k]))+1e-5 {
				t.Fatalf("%+v: %v one way, %v the other (%v, %v)", s, f, g, o, i)
			}
		}
	}
}

// TestDirectionsAreDrawnByTheirDensity is a chi-square test of Sample against the density that
// Eval tells, over both hemispheres, with the density integrated within each cell.
func TestDirectionsAreDrawnByTheirDensity(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	const rings, sectors, n = 16, 16, 60_000
	cell := func(d geom.Vec3) int {
		ring := min(int((1-float64(d.Z))/2*rings), rings-1)
		az := (math.Atan2(float64(d.Y), float64(d.X))/(2*math.Pi) + 0.5) * sectors
		return ring*sectors + min(int(az), sectors-1)
	}
	for round := range 24 {
		s := random(r)
		s.Rough = max(s.Rough, 0.3) // narrower ones fall between the points that integrate a cell
		s.CoatRough = max(s.CoatRough, 0.35)
		s.Aniso = min(s.Aniso, 0.4)
		b, wo := New(s), anyDir(r)
		var got, want [rings * sectors]float64
		for range n {
			wi, _, pdf, _ := b.Sample(wo, r.Float32(), r.Float32(), r.Float32())
			if pdf > 0 {
				got[cell(wi)]++
			}
		}
		const fine = 14
		for ring := range rings * fine {
			for sector := range sectors * fine {
				z := 1 - 2*(float64(ring)+0.5)/(rings*fine)
				az := ((float64(sector)+0.5)/(sectors*fine) - 0.5) * 2 * math.Pi
				sin := math.Sqrt(1 - z*z)
				d := geom.V3(float32(sin*math.Cos(az)), float32(sin*math.Sin(az)), float32(z))
				_, pdf := b.Eval(wo, d)
				want[cell(d)] += float64(pdf) * 4 * math.Pi / (rings * sectors * fine * fine)
			}
		}
		chi, cells, whole := 0.0, 0, 0.0
		for i := range got {
			whole += want[i]
			if e := want[i] * n; e >= 8 {
				chi += (got[i] - e) * (got[i] - e) / (e + (0.01*e)*(0.01*e)) // and a hundredth of the cell's integral
				cells++
			}
		}
		if whole > 1.01 {
			t.Errorf("%d: the density over all directions is %.4f", round, whole)
		}
		if bound := float64(cells) + 6*math.Sqrt(2*float64(cells)) + 10; chi > bound {
			t.Errorf("%d: %+v: chi-square %.0f over %d cells, more than %.0f", round, s, chi, cells, bound)
		}
	}
}

// TestSampleAndEvalAgree: the weight of what is drawn is the share with the cosine over the density.
func TestSampleAndEvalAgree(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	for range 4000 {
		b, wo := New(random(r)), anyDir(r)
		wi, w, pdf, way := b.Sample(wo, r.Float32(), r.Float32(), r.Float32())
		if pdf == 0 {
			continue
		}
		if (wi.Z < 0) != (way == Through) {
			t.Fatalf("%v was drawn as way %d", wi, way)
		}
		f, q := b.Eval(wo, wi)
		if math.Abs(float64(pdf-q)) > 1e-3*float64(pdf) {
			t.Fatalf("drawn with %v, told as %v", pdf, q)
		}
		cos := max(wi.Z, -wi.Z)
		for k := range f {
			if v := f[k] * cos / pdf; math.Abs(float64(v-w[k])) > 1e-3*float64(v)+1e-6 || v != v {
				t.Fatalf("the weight is %v, not %v", w, v)
			}
		}
	}
}

// TestAPaneLetsLightThrough: a clear smooth pane shows what lies straight behind, but for what its
// interface mirrors; a coloured one colours it.
func TestAPaneLetsLightThrough(t *testing.T) {
	b := New(Surface{Color: Color{1, 0.5, 0.25}, Rough: 0, Specular: 1, Transmission: 1})
	wo := looking(40)
	var sum Color
	const n = 4000
	astray := 0
	for i := range n {
		u, v := r2(i)
		wi, w, pdf, way := b.Sample(wo, (float32(i)+0.5)/n, float32(u), float32(v))
		if pdf == 0 || way != Through {
			continue
		}
		if off := wi.Add(wo).Length(); off > 0.05 {
			astray++
		}
		for k := range sum {
			sum[k] += w[k] / n
		}
	}
	if astray > n/200 { // the tail of the smoothest slopes
		t.Errorf("%d of %d directions lie not straight behind", astray, n)
	}
	f := 0.04 + 0.96*math.Pow(1-math.Cos(40*math.Pi/180), 5)
	for k, c := range []float64{1, 0.5, 0.25} {
		if want := c * (1 - f); math.Abs(float64(sum[k])-want) > 0.01 {
			t.Errorf("component %d: %v goes through, not %v", k, sum[k], want)
		}
	}
}

// TestAnisotropyStretchesTheHighlight: narrow along y, wide along x, as bright in the middle as its
// widths say.
func TestAnisotropyStretchesTheHighlight(t *testing.T) {
	b := New(Surface{Color: Color{1, 1, 1}, Metal: 1, Rough: 0.5, Specular: 1, Aniso: 0.7})
	up := geom.V3(0, 0, 1)
	side := func(x, y float32) float32 { f, _ := b.Eval(up, geom.V3(x, y, 1).Unit()); return f[0] }
	if side(0.5, 0) < 3*side(0, 0.5) {
		t.Errorf("%v along, %v across", side(0.5, 0), side(0, 0.5))
	}
	mid, _ := b.Eval(up, up)
	if want := 1 / (4 * math.Pi * b.ax * b.ay); math.Abs(float64(mid[0]/want)-1) > 0.15 {
		t.Errorf("the middle is %v, its widths say %v", mid[0], want)
	}
}

func BenchmarkSample(b *testing.B) {
	s := New(Surface{Color: Color{0.5, 0.4, 0.3}, Metal: 0.3, Rough: 0.4, Specular: 1})
	wo := looking(50)
	for i := range b.N {
		u, v := r2(i & 1023)
		s.Sample(wo, float32(u), float32(v), float32(u))
	}
}

func BenchmarkNew(b *testing.B) {
	s := Surface{Color: Color{0.5, 0.4, 0.3}, Metal: 0.3, Rough: 0.4, Specular: 1}
	for range b.N {
		New(s)
	}
}
