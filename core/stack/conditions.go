package stack

import (
	"cmp"
	"fmt"
	"math"
)

// Conditions are the project's one set of facts that all agents read. Directions are
// in model space and need not be of unit length.
type Conditions struct {
	Up      [3]float32 `json:"up" doc:"which way is up"`
	Age     float32    `json:"age" minimum:"0" maximum:"100" doc:"years out of doors"`
	Wetness float32    `json:"wetness" minimum:"0" maximum:"1"`
	Salt    float32    `json:"salt" minimum:"0" maximum:"1"`
	Wind    [3]float32 `json:"wind" doc:"where the wind blows to"`
	Rain    [3]float32 `json:"rain" doc:"where the rain falls to"`
	SunAt   [3]float32 `json:"sunAt" doc:"where the sun mostly stands"`
	Sun     float32    `json:"sun" minimum:"0" maximum:"1" doc:"how strong it is"`
	Ground  float32    `json:"ground" doc:"height of the ground above the model's lowest point, metres"`
	Water   float32    `json:"water" doc:"height of the waterline above the ground, metres; 0: there is none"`
	Touch   []Touch    `json:"touch,omitempty" doc:"where hands go"`
}

// Touch is a place that hands go to.
type Touch struct {
	Name   string     `json:"name"`
	Pos    [3]float32 `json:"pos" doc:"on the model"`
	Radius float32    `json:"radius" doc:"how far hands reach from there along the surface, metres"`
}

const maxTouch = 64

// Usual are the conditions of a project that has set none: thirty years on the
// landing.
func Usual() *Conditions {
	return &Conditions{Up: [3]float32{0, 1, 0}, Age: 30, Wetness: 0.5, Salt: 0.5, Sun: 0.6,
		Wind: [3]float32{1, 0, 0.4}, Rain: [3]float32{0.35, -1, 0.15}, SunAt: [3]float32{-0.5, 1, 0.7}}
}

// Facts returns the document's conditions; never nil.
func (d *Document) Facts() *Conditions {
	if d.Conditions == nil {
		return Usual()
	}
	return d.Conditions
}

func (c *Conditions) check() error {
	if c == nil {
		return nil
	}
	for name, v := range map[string][3]float32{"up": c.Up, "the wind": c.Wind, "the rain": c.Rain, "the sun": c.SunAt} {
		l := math.Sqrt(float64(v[0])*float64(v[0]) + float64(v[1])*float64(v[1]) + float64(v[2])*float64(v[2]))
		if !(l > 1e-6 && l < 1e6) {
			return fmt.Errorf("conditions: the direction of %s is none", name)
		}
	}
	for _, r := range []struct {
		name   string
		v, max float32
	}{{"age", c.Age, 100}, {"wetness", c.Wetness, 1}, {"salt", c.Salt, 1}, {"sun", c.Sun, 1}} {
		if !(r.v >= 0 && r.v <= r.max) {
			return fmt.Errorf("conditions: %s %v lies outside 0 to %v", r.name, r.v, r.max)
		}
	}
	for name, v := range map[string]float32{"ground": c.Ground, "waterline": c.Water} {
		if !(v >= -1000 && v <= 1000) {
			return fmt.Errorf("conditions: the %s at %v m is out of reach", name, v)
		}
	}
	if len(c.Touch) > maxTouch {
		return fmt.Errorf("conditions: %d touch points; at most %d are possible", len(c.Touch), maxTouch)
	}
	for i, t := range c.Touch {
		for _, v := range t.Pos {
			if !(v >= -1e5 && v <= 1e5) {
				return fmt.Errorf("conditions: touch point %d (%s) has no place", i+1, t.Name)
			}
		}
		if !(t.Radius > 0 && t.Radius <= 100) || len(t.Name) > 100 {
			return fmt.Errorf(
				"conditions: touch point %d (%s): the radius %v lies outside 0 to 100 m, or the name is too long",
				i+1,
				t.Name,
				t.Radius,
			)
		}
	}
	return nil
}

// SetConditions sets the conditions.
type SetConditions struct {
	Conditions *Conditions `json:"value,omitempty" doc:"none: the usual ones"`
	Label      string      `json:"label,omitempty" doc:"for the ledger"`
}

// Kind implements Op.
func (SetConditions) Kind() string { return "conditions.set" }

func (o SetConditions) apply(d *Document) (Op, string, error) {
	old := d.Conditions
	d.Conditions = o.Conditions
	return SetConditions{old, o.Label}, cmp.Or(o.Label, "Conditions"), nil
}
