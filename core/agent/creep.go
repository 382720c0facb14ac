package agent

import (
	"velvetgrime/core/noise"
	"velvetgrime/core/step"
)

func init() {
	agent(step.Description{
		Kind: "creep", Label: "Creep", Help: "Rust or growth that spreads from seeds over the surface, quicker in the wet.",
		Presets: []step.Preset{
			{Name: "First bloom", Params: params{"much": 0.25, "rate": 0.006}},
			{Name: "Under the paint", Params: params{"from": "joints", "rate": 0.018, "breakup": 0.7}},
			{Name: "Scattered", Params: params{"from": "at random", "rate": 0.008, "seeds": 0.3}},
			{Name: "Verdigris", Params: params{"from": "joints", "rate": 0.01, "wet": 0.9, "contrast": 0.2}},
			{Name: "Lichen", Params: params{"from": "at random", "rate": 0.014, "ring": 0.7, "seeds": 0.15}},
		},
		Needs: []string{"ao", "curvature"},
		Params: append(
			common(
				0.5,
				0.005,
				step.Param{
					Name:    "from",
					Label:   "seeds",
					Kind:    "choice",
					Default: "joints and bare edges",
					Choices: []string{"joints and bare edges", "joints", "what it follows", "at random"},
					Level:   often,
					Help:    "where it begins: joints of parts, edges that wear bare, where a followed layer's mask is white, or anywhere",
				},
				length(
					often,
					"rate",
					"reach in 30 years",
					"how far it has come after thirty years where it is neither wet nor dry",
					0.012,
				),
				number(often, "wet", "wetness", "how much it hurries where it is wet and lags in the dry", 0, 1, 0.6),
				number(fine, "uneven", "unevenness", "how differently it goes from place to place", 0, 1, 0.6),
				number(fine, "seeds", "seeds", "share of the possible seeds that take", 0, 1, 0.35),
				number(fine, "ring", "rings", "how much the growing border differs from what lies behind", 0, 1, 0),
			),
			step.Param{
				Name:    "layer",
				Label:   "follows",
				Kind:    "layer",
				Default: "",
				Level:   often,
				Help:    "a layer whose white is where it begins",
			},
			step.Param{
				Name:    "what",
				Label:   "its",
				Kind:    "output",
				Default: "mask",
				Level:   fine,
				Help:    "its mask or a channel",
			},
			step.Param{
				Name:    "below",
				Label:   "where it is black",
				Kind:    "switch",
				Default: false,
				Level:   fine,
				Help:    "begin where the followed layer does not show: under chipped paint",
			},
		),
		Surface: func(step.Input) []string { return []string{"creep"} },
		Run:     creep,
	})
}

// Seeds returns the stream that gives, at points of the surface, how likely it is that
// a front begins there; nil: everywhere alike.
func Seeds(in step.Input) []step.Part {
	switch from := in.Choice("from"); {
	case from == "what it follows" && in.Text("layer") != "":
		list := []step.Part{{Kind: "follow", Params: params{"layer": in.Text("layer"), "what": in.Text("what")}}}
		if in.Switch("below") {
			list = append(list, step.Part{Kind: "invert"})
		}
		return list
	case from == "joints and bare edges":
		return []step.Part{{Kind: "baked", Params: params{"map": "edges"}}}
	}
	return nil
}

// Wet returns the stream of how wet places stay.
func Wet() []step.Part { return baked("occlusion", 0) }

func creep(in step.Input, out []float32) {
	j := begin(in)
	when := j.read("creep") // metres of a front at even speed
	rate, ring := j.Number("rate"), j.Number("ring")
	// at even wear the front has gone rate; it slows down as its own crust covers it
	far := rate * 2 * pow(j.much, 0.85)
	soft := rate * (0.08 + 0.8*j.soft)
	ragged := rate * 0.9 * j.inner
	if far <= 0 {
		return
	}
	j.where(func(i int) bool { return at(when, i, 1e6) < far*1.6+2.2*rate+ragged })
	tear, vary := j.tear(), j.vary()
	fringe := j.field(noise.Clouds, j.Number("grain")*3, 5, 0.6, 6)
	spots := j.field(noise.Clouds, j.Number("grain")*0.9, 4, 0.6, 7)
	holes := j.field(noise.Clouds, j.Number("grain")*1.6, 4, 0.6, 8)
	torn := ragged * ramp(0, 0.4, j.much)
	// what varies within a texel widens the borders: noises too fine for it, and the way
	// that the front goes in it
	within := func(size float32, octaves int, salt uint32) float32 {
		s := j.sampler(noise.Clouds, j.Number("grain")*size, octaves, 0.6, salt)
		return s.Within()
	}
	soft = softer(soft, 1.1*torn*j.torn(), 1.2*torn*within(3, 5, 6), 0.29*j.Frame.Footprint)
	speck, hole := softer(0.04, within(0.9, 4, 7)), softer(0.05, within(1.6, 4, 8))
	j.each(out, func(i int) float32 {
		t := at(when, i, 1e6)
		if !j.wanted[i] {
			return 0
		}
		front := far*(0.55+0.45*vary[i]) + torn*(1.1*(tear[i]-0.5)+1.2*(fringe[i]-0.5))
		m := ramp(-soft, soft, front-t)
		// outposts before the front, holes behind it
		ahead := 1 - ramp(0, rate*1.1, t-front)
		m = max(m, ramp(0.7-speck, 0.7+speck, spots[i]+0.2*(tear[i]-0.5))*ahead*ahead*0.9)
		m *= 1 - 0.85*ramp(0.75-hole, 0.75+hole, holes[i])*(1-ramp(rate*0.2, rate*1.5, front-t))
		if ring > 0 {
			m *= 1 - ring*0.85*ramp(rate*0.1, rate*0.7, front-t)
		}
		return m
	})
}
