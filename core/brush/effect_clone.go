package brush

import "velvetgrime/core/geom"

// Clone lays what was painted around another place over what is there, turned as the
// surface turns between that place and the stroke.
const Clone = "clone"

var _ = register(Effect{Name: Clone, Label: "clones what was painted elsewhere", check: (*Take).takesFrom,
	sources: func(s *Stroke, l foot, q, n geom.Vec3, list []Source) []Source {
		from, nrm := l.twin.pos(s.Take.At), l.twin.dir(s.Take.Nrm.Unit())
		base, up := l.pts[0].Pos, l.pts[0].Nrm.Unit()
		if s.Take.Stays {
			base, up, _ = l.at(l.seg, l.t)
		}
		r := turnTo(up, nrm)
		return append(list, Source{from.Add(r.of(q.Sub(base))), r.of(n), 1})
	},
	lay: func(l *laying) { // over what is there, by its own coverage
		a := l.from[len(l.from)-1]
		for c, row := range l.rows {
			b := l.from[c]
			for k, w := range l.cover {
				if w > 0 {
					row[k] += w * l.s.Strength * (b[k] - a[k]*row[k])
				}
			}
		}
	}})
