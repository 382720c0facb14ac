package agent

import (
	"velvetgrime/core/noise"
	"velvetgrime/core/step"
)

func init() {
	agent(step.Description{
		Kind: "rub", Label: "Rub", Help: "Edge wear: what stands out loses its coat where hands and neighbours rub.",
		Presets: []step.Preset{
			{Name: "First season", Params: params{"much": 0.25, "strays": 0.1, "breakup": 0.7}},
			{Name: "Shouldered", Params: params{"much": 0.55, "width": 0.002, "strays": 0.3, "variation": 0.6}},
			{Name: "Chain side", Params: params{"much": 0.6, "sided": 0.8, "strays": 0.4, "grain": 0.006}},
			{Name: "Worn round", Params: params{"much": 0.75, "width": 0.004, "contrast": 0.25, "breakup": 0.25}},
			{
				Name:   "Chipped enamel",
				Params: params{"much": 0.5, "contrast": 0.95, "strays": 0.6, "grain": 0.007, "breakup": 0.8},
			},
		},
		Needs: []string{"curvature", "ao"},
		Params: append(common(0.5, 0.004,
			length(often, "width", "width", "how far the wear reaches in from an edge", 0.0012),
			number(often, "strays", "strays", "loose chips away from the edges", 0, 1, 0.25),
			direction(fine, "towards", "from", "the side from which it is rubbed", 0, 0, 1),
			number(fine, "sided", "one-sided", "how much only that side wears", 0, 1, 0),
			number(fine, "sheltered", "shelter", "how much hollows are spared", 0, 1, 0.8),
			number(fine, "touched", "by hands", "how much more wears at the touch points", 0, 1, 0.5),
			number(fine, "low", "lower down", "how much more wears near the ground", 0, 1, 0.15)),
			following()...),
		Reads: func(in step.Input) map[string][]step.Part {
			w := in.Number("width")
			return follows(
				in,
				map[string][]step.Part{
					"edge":   baked("edges", 0),
					"wide":   baked("edges", w*1.5),
					"hidden": baked("occlusion", 0),
				},
			)
		},
		Surface: func(in step.Input) []string {
			if in.Number("touched") > 0 {
				return []string{"touch"}
			}
			return nil
		},
		Run: rub,
	})
}

func rub(in step.Input, out []float32) {
	j := begin(in)
	edge, wide, hidden, touch := j.read("edge"), j.read("wide"), j.read("hidden"), j.read("touch")
	raised, around := j.read("raised"), j.read("around")
	side, sided := row3(j.Row("towards")), j.Number("sided")
	sheltered, touched, strays, low := j.Number("sheltered"), j.Number("touched"), j.Number("strays"), j.Number("low")
	floor := j.Bounds.Min.Dot(j.up)
	tall := max(j.Bounds.Size().Dot(j.up), 1e-6)
	level := mix(1.12, 0.14, pow(j.much, 0.75))
	if j.much <= 0 {
		return
	}
	if strays == 0 { // nothing happens away from the edges
		j.where(func(i int) bool {
			_, rise := gathers(raised, around, i)
			return at(edge, i, 0) > 0.05 || at(wide, i, 0) > 0.04 || rise > 0 || touched > 0 && at(touch, i, 2) < 1
		})
	}
	chips := j.field(noise.Clouds, j.Number("grain")*2.6, 5, 0.6, 5)
	fine := j.sampler(noise.Clouds, j.Number("grain")*2.6, 5, 0.6, 5)
	// a loose chip is there or not, but its rim runs through texels, which it covers in part
	const rim = 0.02
	stray, chip := 0.78-0.2*strays*j.much, softer(rim, fine.Within())
	partly := 1 - rim*rim/(chip*chip) // how much of the rim's width is the texel's
	vary := j.vary()
	if strays > 0 { // or nowhere but in the chips
		j.where(func(i int) bool {
			_, rise := gathers(raised, around, i)
			return at(edge, i, 0) > 0.05 || at(wide, i, 0) > 0.04 || rise > 0 || touched > 0 && at(touch, i, 2) < 1 ||
				chips[i] > stray-max(chip, 0.08)
		})
	}
	tear := j.tear()
	soft := softer(j.soft, 1.25*j.inner*j.torn(), 0.9*j.inner*fine.Within())
	j.each(out, func(i int) float32 {
		n := j.Frame.Nrm[i]
		// what stands out: the edge itself, and less so what lies near it
		e := max(
			0.95*pow(clamp(1.5*(at(edge, i, 0)-0.05), 0, 1), 0.75),
			0.8*pow(clamp(2.2*(at(wide, i, 0)-0.04), 0, 1), 0.75),
		)
		_, rise := gathers(raised, around, i)
		e = max(e, rise)
		e *= 1 - sheltered*ramp(0.25, 0.75, at(hidden, i, 0))
		e *= 1 - sided*(1-ramp(-0.3, 0.6, n.Dot(side)))
		h := 1 - (j.Frame.Pos[i].Dot(j.up)-floor)/tall
		e *= 1 + low*(h-0.3)
		e *= 0.35 + 0.65*vary[i]
		t := float32(0)
		if touched > 0 && touch != nil {
			t = touched * (1 - ramp(0.15, 1, touch[i]))
			e = max(e+0.35*t*ramp(0.05, 0.4, e), 0.75*t*t)
		}
		// chips in the open: fewer where it is sheltered
		soft := soft
		if strays > 0 {
			c := ramp(stray-chip, stray+chip, chips[i])
			s := 0.95 * c * (1 - sheltered*at(hidden, i, 0)) * vary[i]
			if s > e {
				e = s
				soft += 2 * (1 - c) * s * partly
			}
		}
		open := ramp(0.02, 0.2, e)
		return ramp(-soft, soft, e-level+j.inner*(1.25*(tear[i]-0.5)+0.9*(chips[i]-0.5))*open)
	})
}
