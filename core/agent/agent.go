// Package agent holds the weathering generators. Each is one file that registers a
// step: it reads baked maps, the project's conditions and, when asked, the height or
// the mask of another layer, and gives a mask. Nothing here knows of textures.
package agent

import (
	"fmt"
	"math"
	"slices"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
	"velvetgrime/core/step"
)

// Levels of control: one amount, the half dozen that matter, everything.
const (
	often = 2
	fine  = 3
)

type params = map[string]any

// number is a parameter with a plain range.
func number(level int, name, label, help string, lo, hi, def float64) step.Param {
	return step.Param{
		Name:    name,
		Label:   label,
		Kind:    "number",
		Min:     lo,
		Max:     hi,
		Default: def,
		Help:    help,
		Level:   level,
	}
}

// length is a parameter in metres, shown in millimetres.
func length(level int, name, label, help string, def float64) step.Param {
	return step.Param{
		Name:    name,
		Label:   label,
		Kind:    "number",
		Min:     0.00005,
		Max:     10,
		Default: def,
		Unit:    "mm",
		Scale:   1000,
		Log:     true,
		Help:    help,
		Level:   level,
	}
}

func direction(level int, name, label, help string, x, y, z float64) step.Param {
	return step.Param{Name: name, Label: label, Kind: "direction", Default: []any{x, y, z}, Help: help, Level: level}
}

// common adds to an agent's own parameters those that all have. grain is the size of
// its marks in metres.
func common(much, grain float64, own ...step.Param) []step.Param {
	list := []step.Param{number(1, "much", "how much", "0 is new, 1 is as bad as it gets", 0, 1, much)}
	list = append(list, own...)
	return append(
		list,
		number(often, "contrast", "contrast", "0 soft borders, 1 hard ones", 0, 1, 0.6),
		number(often, "breakup", "breakup", "how much a noise tears it up", 0, 1, 0.5),
		length(often, "grain", "grain", "size of the noise that tears it up", grain),
		number(often, "variation", "variation", "how much it differs over the object", 0, 1, 0.4),
		step.Param{
			Name:    "seed",
			Label:   "seed",
			Kind:    "seed",
			Min:     0,
			Max:     99999,
			Default: 1,
			Level:   often,
			Help:    "another number, another pattern",
		},
		number(fine, "share", "by age", "how much of the conditions it heeds; 0 keeps it out of them", 0, 1, 1),
		length(fine, "patches", "patches", "size of the areas by which it varies", grain*14),
		number(fine, "fine", "fineness", "how strong the finest grain is", 0, 1, 0.55),
	)
}

// following are the parameters of agents that notice another layer.
func following() []step.Param {
	return []step.Param{
		{
			Name:    "layer",
			Label:   "follows",
			Kind:    "layer",
			Default: "",
			Level:   fine,
			Help:    "a layer whose relief it notices, or all that lies below",
		},
		{
			Name:    "what",
			Label:   "its",
			Kind:    "output",
			Default: "height",
			Level:   fine,
			Help:    "which of its channels, or its mask",
		},
		{
			Name:    "relief",
			Label:   "relief",
			Kind:    "number",
			Min:     0.01,
			Max:     20,
			Default: 1.0,
			Unit:    "mm",
			Log:     true,
			Level:   fine,
			Help:    "the height that counts as a whole step",
		},
		length(fine, "ring", "ring", "how far around a raised place it gathers", 0.003),
	}
}

// baked is the stream of a baked map, with a blur when radius is above 0.
func baked(what string, radius float32) []step.Part {
	list := []step.Part{{Kind: "baked", Params: params{"map": what}}}
	if radius > 0 {
		list = append(list, blurred(radius))
	}
	return list
}

// blurred softens by about a radius: one of a few, so that agents share what they read.
func blurred(radius float32) step.Part {
	r := math.Exp2(math.Round(math.Log2(max(float64(radius), 1e-4))))
	return step.Part{Kind: "blur", Params: params{"radius": min(r, 0.5)}}
}

// follows adds what an agent reads of the layer that it follows: its relief, and the
// same blurred.
func follows(in step.Input, to map[string][]step.Part) map[string][]step.Part {
	layer := in.Text("layer")
	if layer == "" {
		return to
	}
	relief := float64(in.Number("relief"))
	read := step.Part{
		Kind: "follow",
		Params: params{
			"layer":  layer,
			"what":   in.Text("what"),
			"low":    -relief,
			"high":   relief,
			"masked": in.Text("what") == "height",
		},
	}
	to["raised"] = []step.Part{read}
	to["around"] = []step.Part{read, blurred(in.Number("ring"))}
	return to
}

// job is one run of an agent.
type job struct {
	step.Input
	much  float32 // by age
	up    geom.Vec3
	seed  uint32
	soft  float32 // half the width of borders in score
	inner float32 // breakup

	wanted []bool // where fields are evaluated; nil: everywhere
}

// age returns how much of its marks an object has after some years: 0 new, 1 after
// thirty, a little more later. Wear slows down as what wears first is gone.
func age(years float32) float32 {
	return float32((1 - math.Exp(-float64(years)/18)) / (1 - math.Exp(-30.0/18)))
}

func begin(in step.Input) *job {
	j := &job{
		Input: in,
		seed:  uint32(in.Number("seed")),
		inner: in.Number("breakup"),
		up:    geom.V3(0, 1, 0),
		much:  in.Number("much"),
	}
	if in.Facts != nil {
		s := in.Number("share")
		j.much *= 1 - s + s*age(in.Facts.Age)
		j.up = vec(in.Facts.Up)
	}
	j.much = min(j.much, 1)
	c := in.Number("contrast")
	j.soft = 0.008 + 0.3*(1-c)*(1-c)
	return j
}

// facts returns a fact of the conditions or what stands for it.
func (j *job) fact(v func() float32, otherwise float32) float32 {
	if j.Facts == nil {
		return otherwise
	}
	s := j.Number("share")
	return otherwise + s*(v()-otherwise)
}

func vec(v [3]float32) geom.Vec3 { return geom.V3(v[0], v[1], v[2]).Unit() }

func row3(v []float32) geom.Vec3 { return geom.V3(v[0], v[1], v[2]).Unit() }

// where marks the points at which a first score could be changed by a noise: fields
// are evaluated there alone, and read as even grey elsewhere.
func (j *job) where(f func(i int) bool) {
	j.wanted = make([]bool, len(j.Frame.Tri))
	for i, t := range j.Frame.Tri {
		j.wanted[i] = t >= 0 && j.Needs(i) && f(i)
	}
}

// sampler prepares the noise of a field.
func (j *job) sampler(kind noise.Kind, size float32, octaves int, persistence float32, salt uint32) noise.Sampler {
	return noise.FBM{
		Kind:        kind,
		Seed:        j.seed + salt*7919,
		Frequency:   0.5 / size,
		Octaves:     octaves,
		Lacunarity:  2.07,
		Persistence: persistence,
	}.Sampler(
		j.Frame.Footprint,
	)
}

// softer widens the border of a threshold, whose half width is soft, by what varies within
// a texel; spreads are standard deviations (noise.Sampler.Within). What is cut at a level
// texel by texel is then what finer texels cut at it have on average: the derivative of
// the border, 6t(1−t), has a variance of soft²/5.
func softer(soft float32, spreads ...float32) float32 {
	sum := soft * soft
	for _, s := range spreads {
		sum += 5 * s * s
	}
	return float32(math.Sqrt(float64(sum)))
}

// field evaluates a noise at every point, 0..1 about ½. size is its largest mark.
func (j *job) field(kind noise.Kind, size float32, octaves int, persistence float32, salt uint32) []float32 {
	if j.Keep != nil && j.Need == nil {
		name := fmt.Sprint("field", kind, size, octaves, persistence, j.seed+salt*7919)
		return j.Keep(name, func() []float32 {
			all := *j
			all.wanted, all.Keep = nil, nil // elsewhere another age may want it
			return all.field(kind, size, octaves, persistence, salt)
		})
	}
	s := j.sampler(kind, size, octaves, persistence, salt)
	f := j.Frame
	out := make([]float32, len(f.Pos))
	var x, y, z, v [16]float32
	var at [16]int
	n := 0
	for i, t := range f.Tri {
		out[i] = 0.5
		if t < 0 || j.wanted != nil && !j.wanted[i] || !j.Needs(i) {
			continue
		}
		p := f.Pos[i]
		x[n], y[n], z[n], at[n] = p.X, p.Y, p.Z, i
		if n++; n == len(x) {
			s.Sixteen(&x, &y, &z, &v)
			for l, i := range at {
				out[i] = v[l]
			}
			n = 0
		}
	}
	if n > 0 {
		s.Sixteen(&x, &y, &z, &v)
		for l, i := range at[:n] {
			out[i] = v[l]
		}
	}
	return out
}

// tear is the noise that breaks marks up, widened to use its range.
func (j *job) tear() []float32 {
	list := j.field(noise.Clouds, j.Number("grain"), 6, 0.35+0.4*j.Number("fine"), 1)
	out := make([]float32, len(list))
	for i, v := range list {
		out[i] = 0.5 + 1.5*(v-0.5)
	}
	return out
}

// torn is the standard deviation of the tear noise within a texel.
func (j *job) torn() float32 {
	s := j.sampler(noise.Clouds, j.Number("grain"), 6, 0.35+0.4*j.Number("fine"), 1)
	return 1.5 * s.Within()
}

// vary is 1 on average, more here and less there.
func (j *job) vary() []float32 {
	k := j.Number("variation") * 2.4
	list := j.field(noise.Clouds, j.Number("patches"), 3, 0.5, 2)
	out := make([]float32, len(list))
	for i, v := range list {
		out[i] = max(1+k*(v-0.5)*1.6, 0)
	}
	return out
}

// read returns a row that the agent was given, or none.
func (j *job) read(name string) []float32 { return j.Read[name] }

// at reads a row that may be missing.
func at(row []float32, i int, otherwise float32) float32 {
	if row == nil {
		return otherwise
	}
	return row[i]
}

// gathers tells how much place i lies in the ring around something raised that the
// agent follows, and how far it is raised or sunk itself: −1..1.
func gathers(raised, around []float32, i int) (ring, step float32) {
	if raised == nil || around == nil {
		return 0, 0
	}
	r, a := 2*raised[i]-1, 2*around[i]-1
	return clamp(2.5*(a-r), 0, 1), clamp(2*(r-a), -1, 1)
}

// each writes f of every point that stands for something.
func (j *job) each(out []float32, f func(i int) float32) {
	for i, t := range j.Frame.Tri {
		if t >= 0 && j.Needs(i) {
			out[i] = clamp(f(i), 0, 1)
		}
	}
}

func clamp(v, lo, hi float32) float32 { return min(max(v, lo), hi) }

// ramp goes smoothly from 0 at a to 1 at b; where b is not beyond a it is a hard step.
func ramp(a, b, v float32) float32 { return geom.Smoothstep(a, max(a, b), v) }

func pow(v, e float32) float32 {
	if v <= 0 {
		return 0
	}
	if e == 0.75 { // the common one, without logarithms
		r := float32(math.Sqrt(float64(v)))
		return r * float32(math.Sqrt(float64(r)))
	}
	return float32(math.Pow(float64(v), float64(e)))
}

func mix(a, b, t float32) float32 { return a + t*(b-a) }

// agent registers an agent. What it does not say of itself in its own way every agent
// can do: end before joints with other parts, and spare sheltered places.
func agent(d step.Description) {
	d.Role, d.Group = "agent", "Agents"
	d.Params = slices.Clip(d.Params)
	has := func(name string) bool {
		return slices.ContainsFunc(d.Params, func(p step.Param) bool { return p.Name == name })
	}
	ends, spares := !has("ends"), !has("sheltered")
	if ends {
		p := length(fine, "ends", "ends before", "how far before a joint with another part it fades out", 0)
		p.Min = 0
		d.Params = append(d.Params, p)
	}
	if spares {
		d.Params = append(d.Params, number(fine, "sheltered", "shelter", "how much hollows are spared", 0, 1, 0))
	}
	run, surface, reads := d.Run, d.Surface, d.Reads
	d.Surface = func(in step.Input) (list []string) {
		if surface != nil {
			list = surface(in)
		}
		if ends && in.Number("ends") > 0 {
			list = append(list, "joint")
		}
		return list
	}
	d.Reads = func(in step.Input) map[string][]step.Part {
		list := map[string][]step.Part{}
		if reads != nil {
			list = reads(in)
		}
		if spares && in.Number("sheltered") > 0 {
			list["shelter"] = baked("occlusion", 0)
		}
		return list
	}
	d.Run = func(in step.Input, out []float32) {
		run(in, out)
		joint, hidden := in.Read["joint"], in.Read["shelter"]
		if ends && joint != nil {
			far := in.Number("ends")
			for i := range out {
				out[i] *= ramp(0, far, joint[i])
			}
		}
		if spares && hidden != nil {
			k := in.Number("sheltered")
			for i := range out {
				out[i] *= 1 - k*ramp(0.15, 0.7, hidden[i])
			}
		}
	}
	step.Register(d)
}
