package blend

import (
	"math"
	"math/rand"
	"slices"
	"testing"
)

// The values are worked out by hand from the formulas of the W3C recommendation.
func TestSeparableFormulas(t *testing.T) {
	for _, c := range []struct {
		mode       Mode
		b, s, want float32
	}{
		{"normal", 0.2, 0.7, 0.7},
		{"multiply", 0.5, 0.4, 0.2},
		{"screen", 0.5, 0.4, 0.7},
		{"overlay", 0.25, 0.6, 0.3},
		{"overlay", 0.75, 0.6, 0.8},
		{"darken", 0.2, 0.7, 0.2},
		{"lighten", 0.2, 0.7, 0.7},
		{"color dodge", 0.2, 0.5, 0.4},
		{"color dodge", 0, 1, 0},
		{"color dodge", 0.3, 1, 1},
		{"color burn", 0.8, 0.5, 0.6},
		{"color burn", 1, 0, 1},
		{"color burn", 0.9, 0, 0},
		{"hard light", 0.6, 0.25, 0.3},
		{"hard light", 0.6, 0.75, 0.8},
		{"soft light", 0.5, 0.25, 0.375},
		{"soft light", 0.64, 1, 0.8},
		{"soft light", 0.25, 1, 0.5},
		{"soft light", 0.125, 1, 0.34375}, // D(0.125) = ((16·0.125−12)·0.125+4)·0.125
		{"difference", 0.2, 0.7, 0.5},
		{"exclusion", 0.5, 0.4, 0.5},
		{"add", 0.5, 0.7, 1.2},
		{"subtract", 0.5, 0.7, -0.2},
		{"divide", 0.3, 0.6, 0.5},
	} {
		if got := Separable(c.mode)(c.b, c.s); math.Abs(float64(got-c.want)) > 1e-6 {
			t.Errorf("%s(%v, %v) = %v, want %v", c.mode, c.b, c.s, got, c.want)
		}
	}
}

func TestRowMatchesReference(t *testing.T) {
	r := rand.New(rand.NewSource(4))
	const n = 301
	b, s, a := make([]float32, n), make([]float32, n), make([]float32, n)
	for i := range b {
		b[i], s[i], a[i] = r.Float32(), r.Float32(), r.Float32()
	}
	for _, m := range Modes(true) {
		got := append([]float32(nil), b...)
		Row(m, got, s, a)
		f := Separable(m)
		for i := range got {
			want := (1-a[i])*b[i] + a[i]*f(b[i], s[i])
			if math.Abs(float64(got[i]-want)) > 1e-5 {
				t.Fatalf("%s at %d: %v, the formula gives %v", m, i, got[i], want)
			}
		}
	}
}

// luminosity keeps the backdrop's hue and takes the source's Lum; color is its
// mirror image; hue and saturation keep the backdrop's Lum.
func TestNonSeparableKeepWhatTheyPromise(t *testing.T) {
	r := rand.New(rand.NewSource(9))
	for range 500 {
		b := [3]float32{r.Float32(), r.Float32(), r.Float32()}
		s := [3]float32{r.Float32(), r.Float32(), r.Float32()}
		for _, n := range nonSeparable {
			got := n.f(b, s)
			want := lum(b)
			if n.mode == "luminosity" {
				want = lum(s)
			}
			if math.Abs(float64(lum(got)-want)) > 1e-4 {
				t.Fatalf("%s(%v, %v) = %v has Lum %v, want %v", n.mode, b, s, got, lum(got), want)
			}
			for _, c := range got {
				if c < -1e-4 || c > 1.0001 {
					t.Fatalf("%s(%v, %v) = %v leaves 0..1", n.mode, b, s, got)
				}
			}
		}
	}
}

func TestCheckNamesTheUnknownMode(t *testing.T) {
	if Check("hue", false) != nil || Check("", true) != nil {
		t.Fatal("known modes are refused")
	}
	if Check("hue", true) == nil || Check("shine", false) == nil {
		t.Fatal("a mode that cannot be used is accepted")
	}
}

func TestRowEvenMatchesRow(t *testing.T) {
	r := rand.New(rand.NewSource(8))
	const n = 200
	b, s, a, scaled := make([]float32, n), make([]float32, n), make([]float32, n), make([]float32, n)
	for _, m := range Modes(true) {
		value, amount := r.Float32(), r.Float32()
		for i := range b {
			b[i], s[i], a[i] = r.Float32(), value, r.Float32()
			scaled[i] = a[i] * amount
		}
		want, got := append([]float32(nil), b...), append([]float32(nil), b...)
		Row(m, want, s, scaled)
		RowEven(m, got, value, a, amount)
		for i := range got {
			if math.Abs(float64(got[i]-want[i])) > 1e-5 {
				t.Fatalf("%s at %d: even %v, row %v", m, i, got[i], want[i])
			}
			if Bounded(m) && (got[i] < -1e-6 || got[i] > 1+1e-6) {
				t.Fatalf("%s leaves 0..1: %v", m, got[i])
			}
		}
	}
}

// One value over another is what it is over a row of it, to the bit, in every mode.
func TestEvenOverMatchesRowEven(t *testing.T) {
	r := rand.New(rand.NewSource(9))
	for _, m := range append(Modes(true), "") {
		for n := range 40 {
			want, got, a := make([]float32, n), make([]float32, n), make([]float32, n)
			b, s, amount := r.Float32(), r.Float32(), r.Float32()
			for i := range a {
				want[i], got[i], a[i] = b, -7, r.Float32()
			}
			RowEven(m, want, s, a, amount)
			EvenOver(m, got, b, s, a, amount)
			if !slices.Equal(got, want) {
				t.Fatalf("%s of %v over %v, %d values: %v, over a row %v", m, s, b, n, got, want)
			}
		}
	}
}

func TestLinearLightAndNormals(t *testing.T) {
	f := Separable("linear light")
	for _, c := range [][3]float32{{0.5, 0.5, 0.5}, {0.2, 0.75, 0.7}, {0.9, 0.25, 0.4}} {
		if got := f(c[0], c[1]); math.Abs(float64(got-c[2])) > 1e-6 {
			t.Errorf("linear light of %v over %v is %v, want %v", c[1], c[0], got, c[2])
		}
	}
	if Bounded("linear light") {
		t.Error("linear light can leave 0 to 1")
	}
	lean := func(deg float64) [3]float32 {
		return [3]float32{float32(math.Sin(deg * math.Pi / 180)), 0, float32(math.Cos(deg * math.Pi / 180))}
	}
	flat := [3]float32{0, 0, 1}
	for _, c := range []struct {
		what       string
		b, s, want [3]float32
	}{
		{"flat detail leaves what is there", lean(30), flat, lean(30)},
		{"detail over a flat surface is the detail", flat, lean(25), lean(25)},
		{"leaning twice adds the angles", lean(30), lean(20), lean(50)},
		{"and against each other takes them away", lean(30), lean(-30), flat},
	} {
		got := Reorient(c.b, c.s)
		for k := range got {
			if math.Abs(float64(got[k]-c.want[k])) > 1e-5 {
				t.Errorf("%s: %v, want %v", c.what, got, c.want)
				break
			}
		}
	}
	d := [3][]float32{{0}, {0}, {1}}
	s := lean(40)
	RowNormal(Detail, d, [3][]float32{{s[0]}, {s[1]}, {s[2]}}, []float32{0})
	if d[2][0] != 1 {
		t.Errorf("at no amount the backdrop becomes %v", d)
	}
	RowNormal(Normal, d, [3][]float32{{s[0]}, {s[1]}, {s[2]}}, []float32{1})
	if math.Abs(float64(d[0][0]-s[0])) > 1e-6 {
		t.Errorf("replaced it is %v", d)
	}
}

func TestWideMatchesPlain(t *testing.T) {
	r := rand.New(rand.NewSource(8))
	same := func(what string, m Mode, a, b []float32) {
		t.Helper()
		for i := range a {
			if a[i] != b[i] {
				t.Fatalf("%s over %s, %d of it: %v and %v at %d", m, what, len(a), a[i], b[i], i)
			}
		}
	}
	for _, m := range append(Modes(true), "") {
		for _, n := range []int{0, 1, 7, 8, 9, 64, 131} {
			a, b, alpha := make([]float32, n), make([]float32, n), make([]float32, n)
			for i := range a {
				a[i], alpha[i] = r.Float32(), r.Float32()
				b[i] = a[i]
			}
			s, amount := r.Float32(), r.Float32()
			RowEven(m, a, s, alpha, amount)
			evenPlain(m, b, s, alpha, amount)
			same("one value", m, a, b)
			// of a source of its own for each, and at the ends of the range
			src := make([]float32, n)
			for i := range src {
				src[i] = r.Float32()
				switch r.Intn(8) {
				case 0:
					src[i] = 0
				case 1:
					src[i] = 1
				case 2:
					a[i] = 0
				case 3:
					a[i] = 1
				case 4:
					a[i] = 0.25
				case 5:
					src[i] = 0.5
				}
				b[i] = a[i]
			}
			Row(m, a, src, alpha)
			rowPlain(m, b, src, alpha)
			same("a row", m, a, b)
		}
	}
}
