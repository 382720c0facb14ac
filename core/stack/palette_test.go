package stack

import (
	"reflect"
	"strings"
	"testing"
)

func TestPalettesAreSetTakenBackAndChecked(t *testing.T) {
	d := New([]string{"S"}, 512)
	e, inv, label, err := noSteps.Apply(d, SetPalette{[]string{"#c8a13c", "#102030"}, "Keep a colour"})
	if err != nil || label != "Keep a colour" || len(e.Palette) != 2 || d.Palette != nil {
		t.Fatal(err, label, e, d.Palette)
	}
	data, err := e.Encode(false)
	if err != nil {
		t.Fatal(err)
	}
	if f, err := noSteps.Decode(data, nil); err != nil || !reflect.DeepEqual(f.Palette, e.Palette) {
		t.Error("read back:", err)
	}
	if back, _, _, err := noSteps.Apply(e, inv); err != nil || len(back.Palette) != 0 {
		t.Error("taken back:", err)
	}
	for _, bad := range [][]string{{"c8a13c"}, {"#C8A13C"}, {"#12345"}, {"#000000", "red"}, make([]string, MaxPalette+1)} {
		if _, _, _, err := noSteps.Apply(d, SetPalette{Colors: bad}); err == nil || !strings.Contains(err.Error(), "palette") {
			t.Errorf("%.20q is accepted, or the error does not say palette: %v", bad, err)
		}
	}
}
