package agent

import (
	"velvetgrime/core/step"
)

func init() {
	agent(step.Description{
		Kind: "scour", Label: "Scour", Help: "Scratches with a direction and a cause, deeper where something rubs by.",
		Presets: []step.Preset{
			{Name: "Strap", Params: params{"spread": 0.08, "size": 0.08, "width": 0.0006}},
			{Name: "Any which way", Params: params{"spread": 1.0, "size": 0.03}},
			{
				Name:   "Dragged",
				Params: params{"much": 0.7, "spread": 0.15, "width": 0.0016, "size": 0.12, "standing": 0.7},
			},
			{
				Name:   "Scrubbed",
				Params: params{"much": 0.8, "spread": 0.6, "width": 0.0004, "size": 0.025, "standing": 0.0},
			},
		},
		Needs: []string{"ao", "curvature"},
		Params: append(common(0.5, 0.02,
			length(often, "size", "length", "of the longest scratches", 0.05),
			length(often, "width", "width", "of a scratch", 0.0009),
			direction(often, "towards", "direction", "the way they run", 1, 0.25, 0.3),
			number(often, "spread", "spread", "how far they leave it; 1 is any direction", 0, 1, 0.3),
			number(fine, "bow", "curvature", "how much they are bent", 0, 2, 0.25),
			number(fine, "sheltered", "shelter", "how much hollows are spared", 0, 1, 0.9),
			number(fine, "standing", "on what stands out", "how much they keep to where neighbours reach", 0, 1, 0.45),
			length(fine, "ends", "ends before", "how far before a joint with another part they fade out", 0.004),
			number(fine, "touched", "by hands", "how many more there are at the touch points", 0, 1, 0.5)),
			following()...),
		Reads: func(in step.Input) map[string][]step.Part {
			return follows(in, map[string][]step.Part{"hidden": baked("occlusion", 0), "wide": baked("edges", 0.006)})
		},
		Surface: func(in step.Input) []string {
			list := []string{"joint"}
			if in.Number("touched") > 0 {
				list = append(list, "touch")
			}
			return list
		},
		Run: scour,
	})
}

func scour(in step.Input, out []float32) {
	j := begin(in)
	hidden, wide, joint, touch := j.read("hidden"), j.read("wide"), j.read("joint"), j.read("touch")
	sheltered, standing, ends, touched := j.Number(
		"sheltered",
	), j.Number(
		"standing",
	), j.Number(
		"ends",
	), j.Number(
		"touched",
	)
	size, width := j.Number("size"), j.Number("width")
	kinds := []step.Scratched{ // a few long deep ones, more short fine ones, and a haze of the finest
		{Size: size, Width: width, Count: 3, Broken: 0.25},
		{Size: size * 0.45, Width: width * 0.55, Count: 5, Broken: 0.35},
		{Size: size * 0.22, Width: width * 0.3, Count: 5, Broken: 0.3},
	}
	deep := []float32{1, 0.7, 0.42}
	for len(kinds) > 1 && kinds[len(kinds)-1].Width < 0.2*j.Frame.Footprint {
		kinds = kinds[:len(kinds)-1] // far finer than a texel: nothing of it would be seen
	}
	on := make([]*step.ScratchedOn, len(kinds))
	for k := range kinds {
		s := &kinds[k]
		s.Spread, s.Bow, s.Axis, s.Seed = j.Number(
			"spread",
		), j.Number(
			"bow",
		), row3(
			j.Row("towards"),
		), j.seed+uint32(
			k,
		)*101
		on[k] = s.On(j.Frame)
	}
	if j.much <= 0 {
		return
	}
	j.where(func(i int) bool { return at(joint, i, 1) > 0 })
	vary, tear := j.vary(), j.tear()
	j.each(out, func(i int) float32 {
		w := 1 - sheltered*ramp(0.12, 0.6, at(hidden, i, 0))
		w *= 1 - standing*(1-ramp(0, 0.3, at(wide, i, 0.15)))
		w *= ramp(0, ends, at(joint, i, 1))
		if touch != nil {
			w *= 1 + touched*1.5*(1-ramp(0.2, 1, touch[i]))
		}
		w *= vary[i] * (1 - j.inner*0.8*(1-ramp(0.3, 0.6, tear[i])))
		share := j.much * w
		if share <= 0.003 {
			return 0
		}
		var best float32
		for k, s := range on {
			if v := s.At(i, min(share*(1.4+0.5*float32(k)), 1)) * deep[k]; v > best {
				best = v
			}
		}
		return best * min(1, 0.4+w)
	})
}
