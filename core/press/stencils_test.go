package press

import "testing"

// What ships as stencils is open in some places and closed in others, with
// clear borders, and there are two dozen of them at least.
func TestShippedStencils(t *testing.T) {
	n := 0
	for _, s := range Shelf() {
		if s.Group != "stencils" {
			continue
		}
		n++
		st, err := drawn(t.Context(), &s.Recipe, 256)
		if err != nil {
			t.Fatalf("%s: %v", s.Recipe.Name, err)
		}
		light, between := 0, 0
		for _, v := range st.Grey {
			switch {
			case v > 0.9:
				light++
			case v > 0.1:
				between++
			}
		}
		all := float64(len(st.Grey))
		if l, b := float64(light)/all, float64(between)/all; l < 0.02 || l > 0.85 || b > 0.3 {
			t.Errorf("%s: %.3f of it is light, %.3f between", s.Recipe.Name, l, b)
		}
	}
	if n < 24 {
		t.Errorf("%d stencils", n)
	}
}
