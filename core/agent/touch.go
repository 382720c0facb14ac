package agent

import (
	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
	"velvetgrime/core/step"
)

func init() {
	agent(step.Description{
		Kind: "touch", Label: "Touch", Help: "Grease and polish where hands go: around the touch points, fading along the surface.",
		Presets: []step.Preset{
			{Name: "Polished grip", Params: params{"fingers": 0.1, "much": 0.7}},
			{Name: "Greasy hands", Params: params{"fingers": 0.8, "elsewhere": 0.2}},
			{Name: "Now and then", Params: params{"much": 0.35, "reach": 1.4}},
		},
		Needs: []string{"ao", "curvature"},
		Params: append(common(0.6, 0.01,
			number(often, "reach", "reach", "against the radius of the touch points", 0.2, 4, 1),
			number(often, "fingers", "fingers", "marks of single fingers and wipes", 0, 1, 0.55),
			number(fine, "proud", "on what stands out", "how much hands keep to what stands out", 0, 1, 0.5),
			number(fine, "elsewhere", "elsewhere", "now and then a hand goes to other places", 0, 1, 0.08)),
			following()...),
		Reads: func(in step.Input) map[string][]step.Part {
			return follows(in, map[string][]step.Part{"hidden": baked("occlusion", 0), "wide": baked("edges", 0.003)})
		},
		Surface: func(step.Input) []string { return []string{"touch"} },
		Run: func(in step.Input, out []float32) {
			j := begin(in)
			hidden, wide, touch := j.read("hidden"), j.read("wide"), j.read("touch")
			reach, fingers, proud, elsewhere := j.Number(
				"reach",
			), j.Number(
				"fingers",
			), j.Number(
				"proud",
			), j.Number(
				"elsewhere",
			)
			size := j.Number("grain") * 3
			if elsewhere == 0 {
				j.where(func(i int) bool { return at(touch, i, 2)/reach < 1 })
			}
			wipe := j.field(noise.Billow, j.Number("grain")*2.2, 4, 0.5, 6)
			if elsewhere > 0 {
				j.where(func(i int) bool { return at(touch, i, 2)/reach < 1 || wipe[i] > 0.5 })
			}
			tear, vary := j.tear(), j.vary()
			j.each(out, func(i int) float32 {
				d := at(touch, i, 2) / reach
				s := 1 - ramp(0.1, 1, d)
				s = max(s, elsewhere*ramp(0.5, 0.75, wipe[i]))
				if s <= 0 {
					return 0
				}
				s *= 1 - 0.85*ramp(0.2, 0.75, at(hidden, i, 0))
				s *= 1 - proud*(0.6-0.6*ramp(0, 0.35, at(wide, i, 0)+0.12))
				s *= 0.6 + 0.4*vary[i]
				m := s * 2.4 * j.much
				m += j.inner * 0.6 * (tear[i] - 0.5) * ramp(0.02, 0.35, m)
				if fingers > 0 {
					m *= 1 - fingers*0.75 + fingers*0.75*clamp(finger(j, i, size)+ramp(0.45, 0.9, s*j.much), 0, 1)
				}
				return ramp(0.02, 0.98, m)
			})
		},
	})
}

// finger is the light oval of a fingertip near a place, 0..1.
func finger(j *job, i int, size float32) float32 {
	p, n := j.Frame.Pos[i].Mul(1/size), j.Frame.Nrm[i]
	t, b := n.Tangents()
	var best float32
	x0, y0, z0 := noise.Floor(p.X), noise.Floor(p.Y), noise.Floor(p.Z)
	for dz := int32(-1); dz <= 1; dz++ {
		for dy := int32(-1); dy <= 1; dy++ {
			for dx := int32(-1); dx <= 1; dx++ {
				h := noise.Hash(x0+dx, y0+dy, z0+dz, j.seed+77)
				c := geom.V3(float32(x0+dx)+noise.Random(h, 1), float32(y0+dy)+noise.Random(h, 2), float32(z0+dz)+noise.Random(h, 3)).
					Sub(p)
				if d := c.Dot(n); d > 0.5 || d < -0.5 {
					continue
				}
				x, y := c.Dot(t)/0.34, c.Dot(b)/0.5
				if d := x*x + y*y; d < 1 {
					best = max(best, ramp(1, 0.55, d)*(0.4+0.6*noise.Random(h, 4)))
				}
			}
		}
	}
	return best
}
