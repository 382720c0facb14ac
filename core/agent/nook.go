package agent

import (
	"velvetgrime/core/noise"
	"velvetgrime/core/step"
)

func init() {
	agent(step.Description{
		Kind: "nook", Label: "Nook", Help: "Dirt that stays in crevices and gathers around what stands out.",
		Presets: []step.Preset{
			{Name: "Finger dust", Params: params{"much": 0.3, "contrast": 0.2}},
			{Name: "Lamp black", Params: params{"much": 0.6, "hollows": 0.8, "film": 0.3, "contrast": 0.3}},
			{Name: "Silt", Params: params{"much": 0.7, "width": 0.005, "breakup": 0.7, "washed": 0.7}},
			{Name: "Polish left behind", Params: params{"much": 0.5, "hollows": 0.15, "contrast": 0.8}},
		},
		Needs: []string{"ao", "curvature"},
		Params: append(common(
			0.5,
			0.006,
			length(often, "width", "width", "how far it reaches out of a crevice", 0.003),
			number(
				often,
				"hollows",
				"hollows",
				"how much wide sheltered places count against narrow creases",
				0,
				1,
				0.55,
			),
			number(fine, "film", "film", "a thin veil of the same dirt elsewhere", 0, 1, 0.12),
			number(fine, "washed", "washed", "how much rain keeps open places clean", 0, 1, 0.4),
		),
			following()...),
		Reads: func(in step.Input) map[string][]step.Part {
			w := in.Number("width")
			return follows(
				in,
				map[string][]step.Part{
					"hidden": baked("occlusion", 0),
					"crease": baked("creases", 0),
					"wide":   baked("creases", w*1.5),
					"sky":    baked("sky exposure", 0),
				},
			)
		},
		Run: nook,
	})
}

func nook(in step.Input, out []float32) {
	j := begin(in)
	hidden, crease, wide, sky := j.read("hidden"), j.read("crease"), j.read("wide"), j.read("sky")
	raised, around := j.read("raised"), j.read("around")
	vary := j.vary()
	hollows, film, washed := j.Number("hollows"), j.Number("film"), j.Number("washed")
	washed *= j.fact(func() float32 { return 0.4 + 0.6*j.Facts.Wetness }, 0.7)
	level := mix(0.95, 0.08, pow(j.much, 0.65))
	soft := softer(j.soft+0.2, 1.2*j.inner*j.torn())
	if j.much <= 0 {
		return
	}
	var veil []float32
	var thin float32
	if film > 0 {
		fine := j.sampler(noise.Clouds, j.Number("grain")*5, 6, 0.55, 6)
		thin = softer(0.175, fine.Within())
		veil = j.field(noise.Clouds, j.Number("grain")*5, 6, 0.55, 6)
	}
	j.where(func(i int) bool {
		ring, _ := gathers(raised, around, i)
		return at(hidden, i, 0) > 0.15 || at(crease, i, 0) > 0.01 || at(wide, i, 0) > 0.01 || ring > 0
	})
	tear := j.tear()
	j.each(out, func(i int) float32 {
		a := at(hidden, i, 0)
		c := max(clamp(1.5*at(crease, i, 0), 0, 1), clamp(2.2*at(wide, i, 0), 0, 1))
		s := max(hollows*ramp(0.18, 0.85, a)*1.1, pow(c, 0.75)*(0.7+0.3*ramp(0, 0.4, a)))
		ring, rise := gathers(raised, around, i)
		s = max(s, 0.95*ring)
		s *= 1 - max(rise, 0)
		s *= 1 - 0.6*washed*ramp(0.55, 0.95, at(sky, i, 0.5))
		s *= vary[i]
		open := ramp(0.02, 0.25, s)
		m := ramp(-soft, soft, s-level+j.inner*0.8*(tear[i]-0.5)*open)
		if film > 0 {
			f := film * j.much * ramp(0.525-thin, 0.525+thin, veil[i]) * (0.5 + 0.5*ramp(0.05, 0.4, a)) * vary[i]
			m += (1 - m) * f
		}
		return m
	})
}
