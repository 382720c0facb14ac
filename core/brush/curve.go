package brush

import (
	"encoding/json"
	"fmt"

	"velvetgrime/core/pix"
)

// Curve goes through points (x, y), both 0..1, x rising. In JSON it is a list of pairs; a
// flat list of numbers is read as values at even distances.
type Curve [][]float32

// UnmarshalJSON implements json.Unmarshaler.
func (c *Curve) UnmarshalJSON(b []byte) error {
	var flat []float32
	if json.Unmarshal(b, &flat) != nil {
		return json.Unmarshal(b, (*[][]float32)(c))
	}
	*c = even(flat...)
	return nil
}

// even is the curve through values at even distances.
func even(v ...float32) Curve {
	var c Curve
	for i, y := range v {
		c = append(c, []float32{float32(i) / float32(max(len(v)-1, 1)), y})
	}
	return c
}

const maxCurve = 64

func (c Curve) check(what string) error {
	if len(c) == 0 {
		return nil
	}
	if len(c) < 2 || len(c) > maxCurve {
		return fmt.Errorf("the curve of the %s has %d points; 2 to %d are possible", what, len(c), maxCurve)
	}
	last := float32(-1)
	for i, p := range c {
		if len(p) != 2 || !(p[0] > last && p[0] <= 1) || i == 0 && p[0] < 0 || !(p[1] >= 0 && p[1] <= 1) {
			return fmt.Errorf(
				"point %d of the curve of the %s is %v; both numbers go from 0 to 1, and the first rises",
				i+1,
				what,
				p,
			)
		}
		last = p[0]
	}
	return nil
}

// tableSize is how many values stand for a curve where it is asked for every texel.
const tableSize = 65

// table samples a curve; nil for none.
func (c Curve) table() []float32 {
	if len(c) < 2 {
		return nil
	}
	at := pix.NewCurve(c)
	t := make([]float32, tableSize)
	for i := range t {
		t[i] = at.At(float32(i) / (tableSize - 1))
	}
	return t
}

// read takes a value between those of a table.
func read(table []float32, v float32) float32 {
	at := v * (tableSize - 1)
	i := min(max(int(at), 0), tableSize-2)
	return table[i] + (at-float32(i))*(table[i+1]-table[i])
}
