package brush

import "fmt"

// Opposite makes what is there what it is on the counterparts of its faces, which a face
// and its counterpart tell.
const Opposite = "opposite"

var _ = register(
	Effect{Name: Opposite, Label: "lays what is on the other side", counterparts: true, lay: (*laying).taken,
		check: func(t *Take) error {
			if t == nil {
				return fmt.Errorf(
					"a stroke that takes from the other side needs a face and its counterpart; pick two first",
				)
			}
			if !t.To.Finite() || !t.ToNrm.Finite() || !(t.ToNrm.Length() > 0.5) {
				return fmt.Errorf("the counterpart that a stroke takes from is no place on the surface")
			}
			return t.takesFrom()
		}},
)
