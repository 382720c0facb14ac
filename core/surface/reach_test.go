package surface

import (
	"testing"

	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
)

// What a reach leaves out is not covered, whatever else names it; a reach that names nothing
// covers all the rest.
func TestWhatAReachLeavesOut(t *testing.T) {
	m := sample.Lantern()
	part := m.Parts[1].Name
	sheet := m.Sheets[0].Name
	is := func(i int) bool { return m.Parts[m.TriPart[i]].Name == part }
	on := func(i int) bool { return m.Sheets[m.TriSheet[i]].Name == sheet }
	left := &stack.Off{Parts: []string{part}}
	for name, c := range map[string]struct {
		r    stack.Reach
		want func(i int) bool
	}{
		"all but a part":     {stack.Reach{Off: left}, func(i int) bool { return !is(i) }},
		"a sheet but a part": {stack.Reach{Sheets: []string{sheet}, Off: left}, func(i int) bool { return on(i) && !is(i) }},
		"a part but itself":  {stack.Reach{Parts: []string{part}, Off: left}, func(int) bool { return false }},
		"all but faces":      {stack.Reach{Off: &stack.Off{Faces: []int32{3, 4}}}, func(i int) bool { return i < 3 || i > 6 }},
		"all but an island":  {stack.Reach{Off: &stack.Off{Islands: []int32{2}}}, func(i int) bool { return m.Island[i] != 2 }},
		"all":                {stack.Reach{Off: &stack.Off{}}, func(int) bool { return true }},
		"colours alone":      {stack.Reach{IDs: []stack.IDColor{{}}}, func(int) bool { return false }},
	} {
		got := TrianglesOf(m, c.r).On
		for i := range m.Tri {
			if got[i] != c.want(i) {
				t.Errorf("%s: triangle %d is covered: %v", name, i, got[i])
				break
			}
		}
		if c.r.All() != (name == "all") {
			t.Errorf("%s: it says that it is all: %v", name, c.r.All())
		}
	}
}
