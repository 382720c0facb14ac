package brush

import (
	"fmt"
	"math"

	"velvetgrime/core/geom"
)

// Alike keeps a stroke to places that look like one: where a channel, as it shows at the
// stroke's layer (what lies below, and over it what was painted there before), is like
// Value.
type Alike struct {
	Channel   string    `json:"channel"`
	Value     []float32 `json:"value,omitempty" doc:"in the channel's own numbers, colours sRGB-encoded; none: that of the place where the stroke begins"`
	Tolerance float32   `json:"tolerance" minimum:"0" maximum:"1" doc:"how far it may be from that: the greatest difference of a component"`
	Soft      float32   `json:"soft,omitempty" minimum:"0" maximum:"1" doc:"share of the tolerance over which it fades"`
}

func (a *Alike) check() error {
	switch {
	case a == nil:
		return nil
	case a.Channel == "" || len(a.Value) > 4:
		return fmt.Errorf("a stroke on what is alike needs a channel and the value that it is like")
	case !(a.Tolerance >= 0 && a.Tolerance <= 1) || !(a.Soft >= 0 && a.Soft <= 1):
		return fmt.Errorf("the tolerance %v and softness %v of what is alike go from 0 to 1", a.Tolerance, a.Soft)
	}
	for _, v := range a.Value {
		if !(v > -1e4 && v < 1e4) {
			return fmt.Errorf("the value %v that a stroke is to be like is none", v)
		}
	}
	return nil
}

// Hold lets a coverage show where the rows of the channel's components, one value a
// point, are like the value.
func (a *Alike) Hold(cover []float32, rows [][]float32) {
	soft := max(a.Soft*a.Tolerance, 1e-4)
	for i, c := range cover {
		if c <= 0 {
			continue
		}
		most := float32(0)
		for k, row := range rows {
			want := float32(0)
			if k < len(a.Value) {
				want = a.Value[k]
			}
			most = max(most, float32(math.Abs(float64(row[i]-want))))
		}
		t := min(max((a.Tolerance-most)/soft+0.5, 0), 1)
		cover[i] = c * geom.Smooth(t)
	}
}
