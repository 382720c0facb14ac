package brush

import "velvetgrime/core/geom"

// Pinch draws what is there together, towards the line.
const Pinch = "pinch"

// pinched is by how much of its distance from the line a pinching stroke draws paint in.
const pinched = 0.45

var _ = register(Effect{Name: Pinch, Label: "draws it together", Brush: true, lay: (*laying).taken,
	// from farther out, most halfway to the rim, and not at all at it
	sources: func(s *Stroke, l foot, q, n geom.Vec3, list []Source) []Source {
		pos, _, _ := l.at(l.seg, l.t)
		off := q.Sub(pos)
		u := min(off.Length()/s.Radius, 1)
		return append(list, Source{pos.Add(off.Mul(1 + pinched*(1-u)*(1-u))), n, 1})
	}})
