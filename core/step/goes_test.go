package step

import "testing"

// Defaults that go with the object: how things weather, noise and filters. What a surface is
// made of is real, and so is where something lies.
func TestWhichDefaultsGoWithTheObject(t *testing.T) {
	want := map[string]string{
		"noise.frequency": "against",
		"blur.radius":     "with",
		"scratches.size":  "with",
		"weave.size":      "",
		"bricks.size":     "",
		"noise.shiftX":    "",
		"noise.octaves":   "",
		"slope.height":    "",
		"bevel.radius":    "with",
		"picture.size":    "with",
	}
	seen := 0
	for _, d := range Descriptions() {
		for _, p := range d.Params {
			if w, ok := want[d.Kind+"."+p.Name]; ok {
				if seen++; p.Goes != w {
					t.Errorf("%s of %s goes %q, not %q", p.Name, d.Kind, p.Goes, w)
				}
			}
			if _, number := p.Default.(float64); p.Goes != "" && !number {
				t.Errorf("%s of %s goes with the object and is no number", p.Name, d.Kind)
			}
		}
	}
	if seen != len(want) {
		t.Errorf("%d of %d parameters are there", seen, len(want))
	}
}
