package brush

import (
	"math"
	"reflect"
	"strings"
	"testing"

	"velvetgrime/core/blend"
	"velvetgrime/core/geom"
)

// What JSON schemas say that a stroke can do is what is registered.
func TestWhatAStrokeCanDoIsWhatIsRegistered(t *testing.T) {
	f, _ := reflect.TypeFor[Stroke]().FieldByName("Does")
	listed := map[string]bool{}
	for _, n := range strings.Split(f.Tag.Get("enum"), ",") {
		listed[n] = true
	}
	for _, e := range Effects() {
		if !listed[e.Name] {
			t.Errorf("%q is registered and not in the schema", e.Name)
		}
		if e.Label == "" || e.lay == nil {
			t.Errorf("%q has no words or lays nothing", e.Name)
		}
		delete(listed, e.Name)
	}
	if len(listed) > 0 {
		t.Errorf("the schema has %v, which nobody registered", listed)
	}
}

// fold lays a stroke of strength 0.5 on two points, grey, of which it covers the second: what
// was painted there is 0.6 at a coverage of 0.8, so the rows hold 0.48 and 0.8.
func folded(s *Stroke, from, of [][]float32) (value, coverage float32, kept bool) {
	s.Strength = 0.5
	rows := [][]float32{{0.48, 0.48}, {0.8, 0.8}}
	c := s.NewCoverage(2)
	c.Cover[1] = 0.5
	c.reached(1, 2)
	s.Fold(Painted{Rows: rows, Channel: "roughness", Least: 0.1, Most: 0.9}, c, from, of)
	return rows[0][1], rows[1][1], rows[0][0] == 0.48 && rows[1][0] == 0.8
}

// Each effect by its own formula: a quarter of the way (coverage 0.5, strength 0.5) to where
// it leads, and nothing where it does not cover.
func TestEachEffectByItsFormula(t *testing.T) {
	from := [][]float32{{0.2, 0.2}, {0.4, 0.4}} // 0.5 at a coverage of 0.4
	quarter := func(was, to float32) float32 { return was + 0.25*(to-was) }
	values := map[string][]float32{"roughness": {0.3}}
	for name, c := range map[string]struct {
		s              Stroke
		value, covered float32
	}{
		"paint":     {Stroke{Values: values}, quarter(0.48, 0.3), quarter(0.8, 1)},
		"erase":     {Stroke{Erase: true, Does: Lighten}, 0.36, 0.6},
		"multiply":  {Stroke{Values: values, Blend: "multiply"}, quarter(0.48, 0.2*0.3+0.8*0.6*0.3), quarter(0.8, 1)},
		"lighten":   {Stroke{Does: Lighten}, quarter(0.48, 0.9*0.8), 0.8},
		"darken":    {Stroke{Does: Darken}, quarter(0.48, 0.1*0.8), 0.8},
		"soften":    {Stroke{Does: Soften}, quarter(0.48, 0.2), quarter(0.8, 0.4)},
		"sharpen":   {Stroke{Does: Sharpen}, quarter(0.48, 0.9*0.8), quarter(0.8, 1)}, // both held back
		"smear":     {Stroke{Does: Smear}, quarter(0.48, 0.2), quarter(0.8, 0.4)},
		"pinch":     {Stroke{Does: Pinch}, quarter(0.48, 0.2), quarter(0.8, 0.4)},
		"flatten":   {Stroke{Does: Flatten}, quarter(0.48, 0.2), quarter(0.8, 0.4)},
		"opposite":  {Stroke{Does: Opposite}, quarter(0.48, 0.2), quarter(0.8, 0.4)},
		"clone":     {Stroke{Does: Clone}, 0.48 + 0.25*(0.2-0.4*0.48), 0.8 + 0.25*(0.4-0.4*0.8)},
		"a nothing": {Stroke{Does: Clone, Erase: true}, 0.36, 0.6},
	} {
		v, a, kept := folded(&c.s, from, nil)
		if math.Abs(float64(v-c.value)) > 1e-6 || math.Abs(float64(a-c.covered)) > 1e-6 || !kept {
			t.Errorf("%s: %v at %v, want %v at %v; the other point stays: %v", name, v, a, c.value, c.covered, kept)
		}
	}
	v, _, _ := folded(&Stroke{Values: values}, nil, [][]float32{{0.7, 0.7}})
	if math.Abs(float64(v-quarter(0.48, 0.7))) > 1e-6 {
		t.Errorf("a material of 0.7 comes to %v", v)
	}
}

// The way of plain values and the one that goes point by point give the same where the
// colours do not differ.
func TestPlainAndMixedLayingAgree(t *testing.T) {
	for _, of := range [][][]float32{nil, {{0.9, 0.2}, {0.1, 0.3}, {0.5, 0.4}}} {
		lay := func(f func(*laying)) [][]float32 {
			l := &laying{s: &Stroke{Strength: 0.7}, rows: [][]float32{{0.1, 0}, {0.2, 0}, {0.3, 0}, {0.5, 0}}, cover: []float32{0.3, 1}, of: of, value: [3]float32{0.8, 0.5, 0.1}, most: 1}
			f(l)
			return l.rows
		}
		if a, b := lay((*laying).plain), lay((*laying).mixed); !reflect.DeepEqual(a, b) {
			t.Errorf("material %v: %v and %v", of != nil, a, b)
		}
	}
}

// A dab's hue turns the colour that is laid, and only in channels that may differ.
func TestDabsThatDifferInColour(t *testing.T) {
	s := &Stroke{Strength: 1, Kit: &Kit{Spacing: 0.2, Flow: 1, HueJitter: 0.3}, Values: map[string][]float32{"baseColor": {0.8, 0.2, 0.2}}}
	for _, tints := range []bool{true, false} {
		rows := [][]float32{{0}, {0}, {0}, {0}}
		c := s.NewCoverage(1)
		c.Cover[0], c.Hue[0] = 1, 1.0/3
		c.reached(0, 1)
		s.Fold(Painted{Rows: rows, Channel: "baseColor", Most: 1, Tints: tints}, c, nil, nil)
		want := [3]float32{0.8, 0.2, 0.2}
		if tints {
			want = blend.Tinted(want, 1.0/3, 0)
		}
		for i, w := range want {
			if math.Abs(float64(rows[i][0]-w)) > 1e-6 {
				t.Errorf("tints %v: %v, want %v", tints, rows, want)
				break
			}
		}
	}
}

// Where paint is taken from, on a plane: cloning by the distance to the place that was
// marked, levelling from where the stroke began, drawing together from farther out.
func TestWherePaintIsTakenFrom(t *testing.T) {
	up := geom.V3(0, 1, 0)
	s := &Stroke{Radius: 0.1, Points: Points{{geom.V3(0, 0, 0), up, 1}, {geom.V3(1, 0, 0), up, 1}}, Take: &Take{At: geom.V3(0, 0, 5), Nrm: up}}
	p := s.path(s.twins()[0])
	q := geom.V3(0.5, 0, 0.05)
	for does, want := range map[string]geom.Vec3{
		Clone:   geom.V3(0.5, 0, 5.05),
		Flatten: geom.V3(0, 0, 0),
		Pinch:   geom.V3(0.5, 0, 0.05*(1+pinched/4)),
	} {
		s.Does = does
		list := s.effect().sources(s, foot{&p, s.twins()[0], 0, 0.5}, q, up, nil)
		if len(list) != 1 || list[0].Pos.Sub(want).Length() > 1e-6 || list[0].Share != 1 {
			t.Errorf("%s takes from %+v, want %v", does, list, want)
		}
	}
	s.Does = Smear
	list := s.effect().sources(s, foot{&p, s.twins()[0], 0, 0.5}, q, up, nil)
	share := float32(0)
	for _, from := range list {
		share += from.Share
		if d := from.Pos.Sub(q); d.X > 0 || d.X < -Pull*s.Radius || math.Abs(float64(d.Z)) > 1e-6 {
			t.Errorf("a smear takes from %v, which is not behind it", from.Pos)
		}
	}
	if math.Abs(float64(share-1)) > 1e-5 {
		t.Errorf("the shares of a smear make %v", share)
	}
}
