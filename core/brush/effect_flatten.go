package brush

import "velvetgrime/core/geom"

// Flatten takes what is there to what it is where the stroke began.
const Flatten = "flatten"

var _ = register(Effect{Name: Flatten, Label: "levels to where it began", Brush: true, lay: (*laying).taken,
	sources: func(_ *Stroke, l foot, _, _ geom.Vec3, list []Source) []Source {
		return append(list, Source{l.pts[0].Pos, l.pts[0].Nrm.Unit(), 1})
	}})
