package agent

import (
	"velvetgrime/core/step"
)

func init() {
	agent(step.Description{
		Kind: "settle", Label: "Settle", Help: "Dust on what faces up and is sheltered, in drifts against steps.",
		Presets: []step.Preset{
			{Name: "A week's dust", Params: params{"much": 0.25, "contrast": 0.1}},
			{Name: "Loft", Params: params{"much": 0.7, "rained": 0.0, "blown": 0.0, "drifts": 0.8}},
			{Name: "Quay sand", Params: params{"much": 0.5, "slope": 38.0, "drifts": 0.9, "breakup": 0.7}},
			{Name: "Ash", Params: params{"much": 0.6, "contrast": 0.2, "blown": 0.8}},
		},
		Needs: []string{"sky", "ao"},
		Params: append(common(0.5, 0.008,
			number(often, "slope", "slope", "how steep it may be before the dust slides off, in degrees", 5, 90, 50),
			number(often, "drifts", "drifts", "how much heaps up against what rises", 0, 1, 0.55),
			number(fine, "blown", "blown off", "how much the wind clears what it meets", 0, 1, 0.4),
			number(fine, "rained", "rained off", "how much rain clears what lies open", 0, 1, 0.5),
			length(fine, "width", "drift width", "how far a drift reaches", 0.006)),
			following()...),
		Reads: func(in step.Input) map[string][]step.Part {
			return follows(
				in,
				map[string][]step.Part{
					"sky":    baked("sky exposure", 0),
					"hidden": baked("occlusion", 0),
					"heap":   baked("creases", in.Number("width")),
				},
			)
		},
		Run: settle,
	})
}

func settle(in step.Input, out []float32) {
	j := begin(in)
	sky, hidden, heap := j.read("sky"), j.read("hidden"), j.read("heap")
	raised, around := j.read("raised"), j.read("around")
	flat := float32(1) - j.Number("slope")/90
	drifts, blown, rained := j.Number("drifts"), j.Number("blown"), j.Number("rained")
	rained *= j.fact(func() float32 { return 0.3 + 0.7*j.Facts.Wetness }, 0.6)
	wind := row3([]float32{1, 0, 0})
	if j.Facts != nil {
		wind = vec(j.Facts.Wind)
	}
	soft := j.soft*0.8 + 0.2
	level := mix(1.0, 0.16, pow(j.much, 0.75))
	if j.much <= 0 {
		return
	}
	j.where(func(i int) bool { return j.Frame.Nrm[i].Dot(j.up) > flat-0.42 })
	tear, vary := j.tear(), j.vary()
	j.each(out, func(i int) float32 {
		n := j.Frame.Nrm[i]
		up := n.Dot(j.up)
		if up <= flat-0.42 {
			return 0
		}
		lies := ramp(flat-0.22, flat+0.38, up) // it begins to slide before it falls
		seen, a := at(sky, i, 0.5+0.5*up), at(hidden, i, 0)
		// dust comes down from the sky but stays where neither rain nor wind gets at it
		s := lies * (0.35 + 0.65*ramp(0, 0.35, seen))
		s *= 1 - 0.75*rained*ramp(0.45, 0.95, seen)*ramp(0.2, 0.9, up)
		s *= 1 - 0.6*blown*ramp(0, 0.8, -n.Dot(wind))*ramp(0.3, 0.8, seen)
		ring, rise := gathers(raised, around, i)
		drift := max(ramp(0.15, 0.7, a), clamp(2.4*at(heap, i, 0), 0, 1), ring)
		s += drifts * 0.75 * drift * ramp(flat-0.4, flat+0.3, up)
		s *= (1 - 0.5*max(rise, 0)) * (0.5 + 0.5*vary[i])
		open := ramp(0.03, 0.3, s)
		// a thin veil first, and only drifts lie thick
		m := ramp(-soft, soft+0.45, s-level+j.inner*(0.9*(tear[i]-0.5)+0.35*(vary[i]-1))*open)
		return m * (0.62 + 0.38*max(drift*drifts, j.much))
	})
}
