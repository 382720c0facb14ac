package agent

import (
	"velvetgrime/core/step"
)

func init() {
	list := common(
		0.5,
		0.003,
		step.Param{
			Name:    "from",
			Label:   "from",
			Kind:    "choice",
			Default: "rain",
			Choices: []string{"rain", "joints", "lower edges", "what it follows", "touch points"},
			Level:   often,
			Help:    "where runs begin: what rain meets, joints of parts, rims, where a followed layer stands out, or the touch points",
		},
		step.Param{
			Name:    "count",
			Label:   "runs",
			Kind:    "integer",
			Min:     1,
			Max:     5000,
			Default: 500,
			Log:     true,
			Level:   often,
			Help:    "how many there can be",
		},
		length(often, "width", "width", "of a run", 0.003),
		length(often, "length", "length", "after which a run on a wall has left two thirds of what it carried", 0.06),
		number(often, "meander", "meander", "how crooked they run", 0, 1.5, 0.35),
		number(often, "streaks", "streaks", "how much a run is all in fine streaks", 0, 1, 0.6),
		number(fine, "rim", "rims", "how much more is left at a run's borders", 0, 1, 0.25),
		number(fine, "wind", "wind", "how far the wind pushes it aside", 0, 1, 0.15),
		length(fine, "gap", "falls", "how far a drop falls from an edge and still goes on below", 0.05),
	)
	agent(step.Description{
		Kind: "run", Label: "Run", Help: "Runs and leaks: water that finds its way down the surface, over seams and from part to part, and leaves what it carries.",
		Presets: []step.Preset{
			{Name: "Sill streaks", Params: params{"from": "lower edges", "width": 0.002, "streaks": 0.8}},
			{Name: "Weeping joints", Params: params{"from": "joints", "count": 260.0, "length": 0.04}},
			{Name: "Long tears", Params: params{"count": 120.0, "length": 0.18, "width": 0.0025, "meander": 0.2}},
			{Name: "Grimy rain", Params: params{"count": 1200.0, "width": 0.004, "streaks": 0.9, "contrast": 0.3}},
		},
		Needs: []string{"ao"},
		Params: append(
			list,
			step.Param{
				Name:    "layer",
				Label:   "follows",
				Kind:    "layer",
				Default: "",
				Level:   often,
				Help:    "a layer from which it runs: rivets, rust",
			},
			step.Param{
				Name:    "what",
				Label:   "its",
				Kind:    "output",
				Default: "mask",
				Level:   fine,
				Help:    "its mask or its height",
			},
		),
		Reads: func(step.Input) map[string][]step.Part {
			return map[string][]step.Part{"hidden": baked("occlusion", 0)}
		},
		Surface: func(step.Input) []string { return []string{"run"} },
		Run: func(in step.Input, out []float32) {
			j := begin(in)
			run, hidden := j.read("run"), j.read("hidden")
			j.where(func(i int) bool { return at(run, i, 0) > 0 })
			tear := j.tear()
			lift := 0.7 + 0.9*j.much
			soft := 1 - j.Number("contrast")
			j.each(out, func(i int) float32 {
				v := at(run, i, 0) * lift
				if v <= 0 {
					return 0
				}
				v *= 1 - j.inner*0.75*(1-ramp(0.2, 0.62, tear[i]))
				v *= 1 - 0.3*ramp(0.5, 0.95, at(hidden, i, 0))
				return ramp(0.10*(1-soft), 1-0.45*(1-soft), v)
			})
		},
	})
}

// Sources returns the stream that tells, at points of the surface, how much water
// begins there; nil when it does not come from a stream.
func Sources(in step.Input) []step.Part {
	if in.Choice("from") == "what it follows" && in.Text("layer") != "" {
		what := in.Text("what")
		p := params{"layer": in.Text("layer"), "what": what}
		if what == "height" {
			p["low"], p["high"], p["masked"] = 0.05, 1.0, true
		}
		return []step.Part{{Kind: "follow", Params: p}}
	}
	return nil
}
