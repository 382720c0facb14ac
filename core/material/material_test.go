package material_test

import (
	"context"
	"encoding/json"
	"math"
	"slices"
	"sync"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	. "velvetgrime/core/material"
	"velvetgrime/core/pix"
	"velvetgrime/core/render"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// tile evaluates channels of a tile of the trial object.
func tile(t *testing.T, sc *eval.Scene, d *stack.Document, channels ...stack.Channel) []float32 {
	t.Helper()
	p := eval.Compile(sc, d, "", "")
	var out []float32
	for _, c := range channels {
		v, err := p.Channel(t.Context(), sc.OnTile(surface.Tile{Size: 128}), c)
		if err != nil {
			t.Fatal(err)
		}
		for _, row := range pix.Planes(v).Rows(pix.Pitch * pix.Pitch) {
			for _, x := range row {
				if c == stack.Height {
					x *= 1000 // a tenth of a micrometre counts
				}
				out = append(out, x)
			}
		}
	}
	return out
}

var trial = sync.OnceValues(func() (*render.Baked, error) {
	return render.Trial(context.Background(), 256, cache.New(192<<20))
})

// trialObject is the trial object with its bakes, made once.
func trialObject(t *testing.T) *render.Baked {
	t.Helper()
	b, err := trial()
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func differing(a, b []float32) (n int) {
	for i := range a {
		if d := a[i] - b[i]; d > 1e-4 || d < -1e-4 {
			n++
		}
	}
	return
}

// Every material that ships is a valid group with three to eight dials that do something,
// says what it is, and differs by its seed alone.
func TestEveryMaterial(t *testing.T) {
	trial := trialObject(t)
	sc := trial.Scene
	sheet := trial.Model.Sheets[0].Name
	document := func(g *stack.Layer) *stack.Document {
		d := stack.New([]string{sheet}, 256)
		d.Layers, d.Prepared, d.Conditions = []*stack.Layer{g}, trial.Prepared, render.TrialConditions()
		return d
	}
	all := func(d *stack.Document) []float32 {
		return tile(t, sc, d, stack.BaseColor, stack.Roughness, stack.Opacity, stack.Height)
	}
	if len(All()) < 60 {
		t.Errorf("only %d materials ship", len(All()))
	}
	for _, mat := range All() {
		d := document(mat.Group("m", 0))
		if err := step.Rules.Check(d); err != nil {
			t.Errorf("%s: %v", mat.Name, err)
			continue
		}
		if mat.Kind == "" || len(mat.Tags) == 0 || mat.Made <= 0 {
			t.Errorf("%s does not say what it is", mat.Name)
		}
		if n := len(mat.Dials()); n < 3 || n > 8 {
			t.Errorf("%s has %d dials; three to eight are wanted", mat.Name, n)
		}
		was := all(d)
		for _, dial := range mat.Dials() {
			shows := false
			for _, v := range []float64{0, 1} {
				if shows {
					break
				}
				n, _, _, err := step.Rules.Apply(d, stack.TurnDial{Target: "m", Dial: dial.Name, Value: v})
				if err != nil {
					t.Errorf("%s: %v", mat.Name, err)
					continue
				}
				shows = differing(all(n), was) > 0
			}
			if !shows {
				t.Errorf("%s: the dial %q does nothing", mat.Name, dial.Name)
			}
			// turned to where it stands it changes nothing
			n, _, _, err := step.Rules.Apply(d, stack.TurnDial{Target: "m", Dial: dial.Name, Value: dial.Value})
			if err != nil || differing(all(n), was) > 0 {
				t.Errorf("%s: the dial %q does not stand where the material is: %v", mat.Name, dial.Name, err)
			}
		}
		if differing(all(document(mat.Group("m", 5))), was) == 0 {
			t.Errorf("%s: another seed gives the same", mat.Name)
		}
		a, _ := json.Marshal(mat.Group("m", 5))
		b, _ := json.Marshal(mat.Group("m", 5))
		if string(a) != string(b) {
			t.Errorf("%s: the same seed gives two groups", mat.Name)
		}
	}
}

// What lies out of doors is seen to age: colours and roughness after two, fifteen and fifty years
// differ, on average over the trial object, by more than a glance could miss. Covers are apart:
// they are there or not, which their dials say.
func TestAgesDiffer(t *testing.T) {
	trial := trialObject(t)
	for _, mat := range All() {
		if slices.Contains(mat.Tags, "cover") {
			continue
		}
		var at [3][]float32
		for i, years := range []float32{2, 15, 50} {
			d := stack.New([]string{trial.Model.Sheets[0].Name}, 256)
			c := *render.TrialConditions()
			c.Age = years
			d.Layers, d.Prepared, d.Conditions = []*stack.Layer{mat.Group("m", 0)}, trial.Prepared, &c
			at[i] = tile(t, trial.Scene, d, stack.BaseColor, stack.Roughness)
		}
		for i, least := range []float64{0.013, 0.01} {
			var sum float64
			for k, v := range at[i] {
				sum += math.Abs(float64(v - at[i+1][k]))
			}
			if mean := sum / float64(len(at[i])); mean < least {
				t.Errorf("%s: ages %d and %d differ by %.4f on average; %.4f are wanted", mat.Name, i, i+1, mean, least)
			}
		}
	}
}

func TestFindingAMaterial(t *testing.T) {
	if m, err := Find("cast IRON"); err != nil || m.Name != "Cast iron" {
		t.Error(m, err)
	}
	if _, err := Find("unobtainium"); err == nil {
		t.Error("what does not ship is found")
	}
}
