package agent

import (
	"velvetgrime/core/noise"
	"velvetgrime/core/step"
)

func init() {
	agent(step.Description{
		Kind: "tide", Label: "Tide", Help: "What climbs from the ground or the waterline: mud, salt, moss, and the lines that old water left.",
		Presets: []step.Preset{
			{Name: "Splash of mud", Params: params{"height": 0.05, "splashed": 0.8, "breakup": 0.8}},
			{Name: "Salt rings", Params: params{"lies": "in lines", "lines": 5.0, "contrast": 0.5}},
			{
				Name:   "Weed band",
				Params: params{"from": "waterline", "lies": "in a band", "height": 0.05, "breakup": 0.7},
			},
			{Name: "Damp foot", Params: params{"height": 0.09, "fade": 0.08, "contrast": 0.1, "splashed": 0.0}},
		},
		Needs: []string{"ao"},
		Params: append(common(
			0.5,
			0.012,
			step.Param{
				Name:    "from",
				Label:   "from",
				Kind:    "choice",
				Default: "ground",
				Choices: []string{"ground", "waterline"},
				Level:   often,
				Help:    "where its height is measured from",
			},
			length(often, "height", "height", "how high it climbs", 0.06),
			length(often, "fade", "fade", "how softly it ends above", 0.03),
			step.Param{
				Name:    "lies",
				Label:   "lies",
				Kind:    "choice",
				Default: "below",
				Choices: []string{"below", "in a band", "in lines"},
				Level:   often,
				Help:    "all of what lies below, a band about the line, or the lines that were left",
			},
			number(fine, "soaked", "soaked up", "how much higher it climbs in crevices", 0, 1, 0.5),
			number(fine, "splashed", "splashes", "spots thrown above the line", 0, 1, 0.35),
			number(fine, "lines", "lines", "how many old lines show", 1, 12, 4),
		),
			following()...),
		Reads: func(in step.Input) map[string][]step.Part {
			return follows(
				in,
				map[string][]step.Part{"hidden": baked("occlusion", 0), "crease": baked("creases", 0.002)},
			)
		},
		Run: tide,
	})
}

func tide(in step.Input, out []float32) {
	j := begin(in)
	hidden, crease := j.read("hidden"), j.read("crease")
	raised, around := j.read("raised"), j.read("around")
	height, fade, lies := j.Number("height"), j.Number("fade"), j.Choice("lies")
	soaked, splashed, lines := j.Number("soaked"), j.Number("splashed"), j.Number("lines")
	base := j.Bounds.Min.Dot(j.up)
	if j.up.Y < 0.999 { // the lowest point of a box that stands at an angle
		b := j.Bounds
		base = min(
			b.Min.X*j.up.X,
			b.Max.X*j.up.X,
		) + min(
			b.Min.Y*j.up.Y,
			b.Max.Y*j.up.Y,
		) + min(
			b.Min.Z*j.up.Z,
			b.Max.Z*j.up.Z,
		)
	}
	if j.Facts != nil {
		base += j.Facts.Ground
		if j.Choice("from") == "waterline" {
			base += j.Facts.Water
		}
	}
	top := height * (0.25 + 0.75*pow(j.much, 0.8)) * (0.6 + 0.8*j.fact(func() float32 { return j.Facts.Wetness }, 0.5))
	soft := softer(j.soft*0.6+0.03, 0.9*j.inner*j.torn())
	// lines are what salt water leaves
	salted := 0.4 + 1.2*j.fact(func() float32 { return j.Facts.Salt }, 0.5)
	if j.much <= 0 {
		return
	}
	// how high the highest tongue or splash can be
	highest := top*(1+1.6*soaked)*1.9 + fade*(2.2+5*splashed)
	j.where(func(i int) bool {
		h := j.Frame.Pos[i].Dot(j.up) - base
		return h < highest && (lies == "below" || h > -highest)
	})
	tear, vary := j.tear(), j.vary()
	broad := j.field(noise.Clouds, height*1.6, 4, 0.55, 6)
	var spots []float32
	var speck float32
	if splashed > 0 && lies == "below" {
		fine := j.sampler(noise.Billow, j.Number("grain")*0.8, 4, 0.6, 7)
		spots, speck = j.field(noise.Billow, j.Number("grain")*0.8, 4, 0.6, 7), softer(0.05, fine.Within())
	}
	j.each(out, func(i int) float32 {
		if !j.wanted[i] {
			return 0
		}
		a := at(hidden, i, 0)
		ring, _ := gathers(raised, around, i)
		climb := soaked * (0.5*ramp(0.2, 0.8, a) + 0.7*clamp(2*at(crease, i, 0), 0, 1) + 0.4*ring)
		h := j.Frame.Pos[i].Dot(j.up) - base
		// the line wanders: broad tongues, and small teeth
		line := top * (1 + climb + 0.9*(broad[i]-0.5)*vary[i])
		x := (h - line) / max(fade, 1e-5) // 0 at the line, 1 where it has ended
		teeth := j.inner * 1.8 * (tear[i] - 0.5)
		switch lies {
		case "in a band":
			d := h / max(line, 1e-5) // −1..1 across the band
			b := 1 - d*d
			return ramp(0.25-soft, 0.25+soft+0.35, b+0.55*teeth) * min(0.35+j.much, 1)
		case "in lines":
			k := h/max(top, 1e-5)*lines + 0.8*(broad[i]-0.5) + 0.25*teeth
			_, f := floor(k)
			edge := ramp(0.45, 0.97, f) * (1 - ramp(0.97, 1, f))
			return salted * edge * (1 - ramp(0.8, 1.05, h/max(line, 1e-5))) * ramp(
				0.25,
				0.6,
				tear[i],
			) * (0.3 + 0.7*j.much)
		}
		m := ramp(-soft, soft, 0.5-x*0.5+0.5*teeth-0.12)
		m *= mix(0.55+0.45*ramp(0.3, 0.62, tear[i]), 1, ramp(0.2, 1, j.much))
		if spots != nil {
			s := ramp(0.67-speck, 0.67+speck, spots[i]) * ramp(1+4*splashed, 0.2, x) * splashed
			m = max(m, s*min(1, 1.4*j.much))
		}
		return m
	})
}

func floor(v float32) (int32, float32) { n := noise.Floor(v); return n, v - float32(n) }
