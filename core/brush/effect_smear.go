package brush

import "velvetgrime/core/geom"

// Smear draws what is there along the stroke.
const Smear = "smear"

// Pull is how far a smearing stroke draws paint along, in radii.
const Pull = 3

// smears is from how many places along the line a smear is mixed.
const smears = 6

var _ = register(Effect{Name: Smear, Label: "smears what is there along", lay: (*laying).taken,
	sources: func(s *Stroke, l foot, q, n geom.Vec3, list []Source) []Source {
		pos, up, dir := l.at(l.seg, l.t)
		far := min(Pull*s.Radius, l.way[l.seg]+l.t*(l.way[min(l.seg+1, len(l.way)-1)]-l.way[l.seg]))
		off := q.Sub(pos)
		for k := range smears {
			u := (float32(k) + 0.5) / smears
			a, b := l.back(l.seg, l.t, far*u)
			pos, nrm, way := l.at(a, b)
			// as the surface turns, then as the line turns on it
			r := turnTo(up, nrm)
			x := turnTo(r.of(dir), way)
			list = append(list, Source{pos.Add(x.of(r.of(off))), r.of(n), (1.3 - u) / (0.8 * smears)})
		}
		return list
	}})
