package brush

import (
	"fmt"
	"math"
	"slices"

	"velvetgrime/core/blend"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
)

// Kit is what makes a brush more than a round one that is swept: its tip is set down
// dab by dab along the stroke. A stroke without a kit is swept.
type Kit struct {
	Tip     string  `json:"tip,omitempty" doc:"name of a tip; empty: round"`
	Picture string  `json:"picture,omitempty" doc:"a stored picture instead of a tip: white lays, black does not, and its opacity counts"`
	Spacing float32 `json:"spacing" minimum:"0.02" maximum:"10" doc:"from dab to dab, in diameters"`
	Flow    float32 `json:"flow" minimum:"0" maximum:"1" doc:"what one dab lays of what is still missing to the stroke's strength"`
	Round   float32 `json:"round,omitempty" doc:"height of a dab over its width, 0.05..1; 0: 1"`
	Angle   float32 `json:"angle,omitempty" doc:"degrees that a dab is turned, anticlockwise"`
	Along   bool    `json:"along,omitempty" doc:"dabs turn with the stroke"`
	Scatter float32 `json:"scatter,omitempty" doc:"how far dabs fall from the line, in radii, 0..8"`
	Count   int     `json:"count,omitempty" doc:"dabs at each place, 1..16; 0: 1"`
	Build   bool    `json:"build,omitempty" doc:"a resting pen goes on laying dabs"`
	// What chance changes from dab to dab, 0..1.
	SizeJitter     float32 `json:"sizeJitter,omitempty" doc:"down to this much smaller"`
	AngleJitter    float32 `json:"angleJitter,omitempty" doc:"1: any way"`
	StrengthJitter float32 `json:"strengthJitter,omitempty" doc:"down to this much weaker"`
	HueJitter      float32 `json:"hueJitter,omitempty" doc:"of the colour circle, either way"`
	LightJitter    float32 `json:"lightJitter,omitempty" doc:"lighter or darker"`
	Falloff        Curve   `json:"falloff,omitempty" doc:"what a round dab lays from the middle (0) to the rim (1), instead of the hardness"`
	Grain          *Grain  `json:"grain,omitempty"`
	Pen            []Drive `json:"pen,omitempty"`
	// Facing: paint reaches surfaces turned away from the pen's by so many degrees;
	// it fades over the last Fade of them. 0: 90 and 30.
	Facing float32 `json:"facing,omitempty"`
	Fade   float32 `json:"fade,omitempty"`
	// Through paints all surfaces within the dab's depth, wherever they face.
	Through bool    `json:"through,omitempty"`
	Depth   float32 `json:"depth,omitempty" doc:"how far above and below the pen a dab reaches, in radii, 0.02..4; 0: 1"`
}

// Grain is a texture that lets only part of the paint hold: of the surface, of the line
// that is drawn, so that it runs and bends with it, or of the tip, the same in each dab.
type Grain struct {
	Kind   string  `json:"kind" enum:"cloud,grit,weave,fibre,ripple"`
	Size   float32 `json:"size" doc:"metres"`
	Amount float32 `json:"amount" doc:"0..1"`
	In     string  `json:"in,omitempty" enum:",line,tip" doc:"what it belongs to; empty: the surface"`
}

// What a grain belongs to, besides the surface.
const (
	GrainLine = "line"
	GrainTip  = "tip"
)

// Grains are the kinds of grain.
var Grains = []string{"cloud", "grit", "weave", "fibre", "ripple"}

// Drive has the pen drive one setting: at nothing it is From of what is set, at full
// To; between them as Curve says, or by Bend, which above 1 keeps it low for longer. Lean
// is the direction of the tilt, Twist how the pen is turned round itself: once around from 0 to 1.
type Drive struct {
	By    string  `json:"by" enum:"pressure,tilt,lean,twist"`
	What  string  `json:"what" enum:"size,strength,flow,hardness,spacing,round,scatter,jitter,angle,hue,value"`
	From  float32 `json:"from"`
	To    float32 `json:"to"`
	Bend  float32 `json:"bend,omitempty" doc:"exponent, 0.1..10; 0: 1"`
	Curve Curve   `json:"curve,omitempty" doc:"of one's own, instead of the bend"`
}

// Hand is how a pen is held: Tilt 0 upright, 1 flat on the surface; Lean, to which side, in
// turns anticlockwise from the right of the stroke's up; Twist, how it is turned round itself, in the same.
type Hand struct{ Tilt, Lean, Twist float32 }

// to goes from one hand to another; what is turned, the shorter way round.
func (h Hand) to(o Hand, t float32) Hand {
	round := func(a, b float32) float32 {
		d := b - a
		d -= float32(math.Round(float64(d)))
		v := a + d*t
		return v - float32(math.Floor(float64(v)))
	}
	return Hand{h.Tilt + (o.Tilt-h.Tilt)*t, round(h.Lean, o.Lean), round(h.Twist, o.Twist)}
}

// Drivers are what of a pen can drive a setting.
var Drivers = []string{"pressure", "tilt", "lean", "twist"}

// Driven are the settings that a pen can drive.
var Driven = []string{"size", "strength", "flow", "hardness", "spacing", "round", "scatter", "jitter", "angle", "hue", "value"}

// at returns the factor (of the angle: turns; of the hue: turns of the colour circle) for
// a pen's pressure and how it is held.
func (d Drive) at(pressure float32, hand Hand) float32 {
	v := pressure
	switch d.By {
	case "tilt":
		v = hand.Tilt
	case "lean":
		v = hand.Lean
	case "twist":
		v = hand.Twist
	}
	switch {
	case len(d.Curve) > 1:
		v = pix.NewCurve(d.Curve).At(v)
	case d.Bend > 0 && d.Bend != 1:
		v = float32(math.Pow(float64(max(v, 0)), float64(d.Bend)))
	}
	return d.From + (d.To-d.From)*v
}

// Mirror repeats a stroke: over planes through a point, then around an axis.
type Mirror struct {
	At     geom.Vec3   `json:"at"`
	Planes []geom.Vec3 `json:"planes,omitempty" doc:"normals, at most three"`
	Axis   geom.Vec3   `json:"axis,omitempty"`
	Radial int         `json:"radial,omitempty" doc:"times around the axis, 2..64; 0 or 1: none"`
	// Fade weakens dabs near a plane, so that both sides do not meet as twins; metres.
	Fade float32 `json:"fade,omitempty"`
}

const maxTwins = 64

// diameters below which two dabs are never set.
const leastSpacing = 0.02

func (k *Kit) check() error {
	type limit struct {
		name      string
		v, lo, hi float32
	}
	for _, l := range []limit{
		{"spacing", k.Spacing, leastSpacing, 10}, {"flow", k.Flow, 0, 1}, {"roundness", k.round(), 0.05, 1},
		{"angle", k.Angle, -360, 360}, {"scatter", k.Scatter, 0, 8}, {"count", float32(k.Count), 0, 16},
		{"size jitter", k.SizeJitter, 0, 1}, {"angle jitter", k.AngleJitter, 0, 1}, {"strength jitter", k.StrengthJitter, 0, 1},
		{"hue jitter", k.HueJitter, 0, 1}, {"light jitter", k.LightJitter, 0, 1},
		{"facing", k.Facing, 0, 180}, {"fade", k.Fade, 0, 180}, {"depth", k.depth(), 0.02, 4},
	} {
		if !(l.v >= l.lo && l.v <= l.hi) {
			return fmt.Errorf("the brush's %s is %v; it goes from %v to %v", l.name, l.v, l.lo, l.hi)
		}
	}
	if _, ok := tips[k.Tip]; !ok {
		return fmt.Errorf("there is no tip %q", k.Tip)
	}
	if err := k.Falloff.check("falloff"); err != nil {
		return err
	}
	if g := k.Grain; g != nil && (!slices.Contains(Grains, g.Kind) || !(g.Size > 1e-6 && g.Size < 1e3) || !(g.Amount >= 0 && g.Amount <= 1) || g.In != "" && g.In != GrainLine && g.In != GrainTip) {
		return fmt.Errorf("the grain %q of %v m at %v in %q is none; there are %v, of the surface, line or tip", g.Kind, g.Size, g.Amount, g.In, Grains)
	}
	for _, d := range k.Pen {
		if !slices.Contains(Drivers, d.By) || !slices.Contains(Driven, d.What) || !(d.From >= 0 && d.From <= 8) || !(d.To >= 0 && d.To <= 8) || !(d.Bend >= 0 && d.Bend <= 10) {
			return fmt.Errorf("%q cannot drive %q from %v to %v", d.By, d.What, d.From, d.To)
		}
		if err := d.Curve.check(d.By + " that drives " + d.What); err != nil {
			return err
		}
	}
	return nil
}

func (m *Mirror) check() error {
	switch {
	case len(m.Planes) > 3 || m.Radial < 0 || m.Radial > maxTwins:
		return fmt.Errorf("a stroke is mirrored over at most three planes and %d times around", maxTwins)
	case !m.At.Finite() || !(m.Fade >= 0 && m.Fade < 1e4):
		return fmt.Errorf("the planes of the symmetry lie nowhere")
	case m.Radial > 1 && !(m.Axis.Length() > 0.5):
		return fmt.Errorf("the symmetry has no axis")
	}
	for _, n := range m.Planes {
		if !n.Finite() || !(n.Length() > 0.5) {
			return fmt.Errorf("a plane of the symmetry faces nowhere")
		}
	}
	if max(m.Radial, 1)<<len(m.Planes) > maxTwins {
		return fmt.Errorf("the stroke would be there %d times; %d are possible", max(m.Radial, 1)<<len(m.Planes), maxTwins)
	}
	return nil
}

func (k *Kit) round() float32 {
	if k.Round == 0 {
		return 1
	}
	return k.Round
}

func (k *Kit) depth() float32 {
	if k.Depth == 0 {
		return 1
	}
	return k.Depth
}

// reach is how far from the line a stroke of radius 1 can lay paint: the corners of
// its tip, and what is scattered.
func (k *Kit) reach() float32 {
	if k == nil {
		return 1
	}
	size, scatter := float32(1), k.Scatter
	for _, d := range k.Pen {
		switch d.What {
		case "size":
			size *= max(d.From, d.To)
		case "scatter":
			scatter *= max(d.From, d.To)
		}
	}
	return size * (max(math.Sqrt2, k.depth()) + scatter)
}

// hasTint reports whether dabs differ in colour.
func (k *Kit) hasTint() bool {
	return k != nil && (k.HueJitter > 0 || k.LightJitter > 0 || slices.ContainsFunc(k.Pen, func(d Drive) bool { return d.What == "hue" || d.What == "value" }))
}

// checkMode returns why a blend mode cannot be used by a stroke.
func checkMode(m blend.Mode) error {
	if m == "" {
		return nil
	}
	return blend.Check(m, false)
}
