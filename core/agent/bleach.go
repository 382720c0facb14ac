package agent

import (
	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
	"velvetgrime/core/step"
)

func init() {
	agent(step.Description{
		Kind: "bleach", Label: "Bleach", Help: "Fading by sky and sun, and what the shade has spared.",
		Presets: []step.Preset{
			{Name: "One summer", Params: params{"much": 0.3}},
			{Name: "South wall", Params: params{"much": 0.7, "sky": 0.1}},
			{Name: "Chalked", Params: params{"much": 0.75, "chalk": 0.9}},
		},
		Needs: []string{"sky"},
		Params: append(common(0.5, 0.03,
			number(often, "sky", "by the sky", "how much the open sky fades, against the sun alone", 0, 1, 0.4),
			number(often, "chalk", "chalking", "how patchy it becomes as the paint turns to powder", 0, 1, 0.35),
			number(fine, "edges", "at edges", "how much sooner edges fade", 0, 1, 0.3)),
			following()...),
		Reads: func(in step.Input) map[string][]step.Part {
			return follows(
				in,
				map[string][]step.Part{
					"sky":    baked("sky exposure", 0.002),
					"hidden": baked("occlusion", 0.002),
					"wide":   baked("edges", 0.004),
				},
			)
		},
		Run: func(in step.Input, out []float32) {
			j := begin(in)
			sky, hidden, wide := j.read("sky"), j.read("hidden"), j.read("wide")
			tear, vary := j.tear(), j.vary()
			chalk := j.field(noise.Clouds, j.Number("grain")*0.18, 6, 0.62, 6)
			bySky, chalky, edges := j.Number("sky"), j.Number("chalk"), j.Number("edges")
			sun, strength := geom.V3(-0.4, 0.75, 0.5).Unit(), float32(0.6)
			if j.Facts != nil {
				sun, strength = vec(j.Facts.SunAt), j.fact(func() float32 { return j.Facts.Sun }, 0.6)
			}
			j.each(out, func(i int) float32 {
				n := j.Frame.Nrm[i]
				open := at(sky, i, 0.5+0.5*n.Dot(j.up))
				direct := max(n.Dot(sun), 0) * ramp(0.05, 0.5, open+0.25)
				s := bySky*open*0.9 + (1-bySky)*direct
				s *= 1 - 0.5*at(hidden, i, 0)
				s *= 1 + edges*ramp(0, 0.4, at(wide, i, 0))
				s *= 0.45 + 0.9*strength
				s *= 0.55 + 0.45*vary[i]
				m := s * (0.25 + 1.1*j.much) * ramp(0, 0.12, j.much)
				m += j.inner * 0.35 * (tear[i] - 0.5) * ramp(0.05, 0.4, m)
				if chalky > 0 {
					m += chalky * 0.5 * (ramp(0.42, 0.75, chalk[i]) - 0.3) * ramp(0.25, 0.8, m)
				}
				return ramp(0, 1, m)
			})
		},
	})
}
