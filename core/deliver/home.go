package deliver

import (
	"errors"
	"fmt"
	"math"
	"strings"

	"velvetgrime/core/stack"
)

// Corrections are what was turned in the target view until the delivery looked right there.
type Corrections struct {
	Roughness  float32 `json:"roughness" minimum:"0" maximum:"4" doc:"multiplied by it"`
	Metallic   float32 `json:"metallic" minimum:"0" maximum:"4" doc:"multiplied by it"`
	Brightness float32 `json:"brightness" minimum:"0.05" maximum:"8" doc:"of the base color: its light is multiplied by it"`
	Normal     float32 `json:"normal" minimum:"0" maximum:"4" doc:"strength: slopes are multiplied by it"`
}

// Layer is a layer that brings the corrections home, to lie on top of the stack; it is hidden until it
// is accepted. What is multiplied by less than one is multiplied by a value, by more it is divided by
// one; a normal's strength is that of the heights, which are added once more as far as they are to grow.
func (c Corrections) Layer(id string) (*stack.Layer, error) {
	l := &stack.Layer{ID: id, Kind: stack.Fill, Amount: 1, Channels: map[stack.Channel]stack.Coat{}}
	var says []string
	times := func(of stack.Channel, label string, k float32, least, most float32, color bool) error {
		if !(k >= least && k <= most) {
			return fmt.Errorf("%s times %v; %v to %v are possible", label, k, least, most)
		}
		if math.Abs(float64(k-1)) < 0.005 {
			return nil
		}
		says = append(says, fmt.Sprintf("%s × %.2g", label, k))
		if color {
			k = coded(k)
		}
		coat := stack.Coat{On: true, Amount: 1, Blend: "multiply", Value: []float32{k}}
		if k > 1 {
			coat.Blend, coat.Value = "divide", []float32{1 / k}
		}
		if color {
			coat.Value = []float32{coat.Value[0], coat.Value[0], coat.Value[0]}
		}
		l.Channels[of] = coat
		return nil
	}
	err := errors.Join(
		times(stack.BaseColor, "brightness", c.Brightness, 0.05, 8, true),
		times(stack.Roughness, "roughness", c.Roughness, 0, 4, false),
		times(stack.Metallic, "metallic", c.Metallic, 0, 4, false),
	)
	if !(c.Normal >= 0 && c.Normal <= 4) {
		err = errors.Join(err, fmt.Errorf("normals of strength %v; 0 to 4 are possible", c.Normal))
	}
	if err != nil {
		return nil, err
	}
	if more := float64(c.Normal) - 1; math.Abs(more) >= 0.005 {
		says = append(says, fmt.Sprintf("normal × %.2g", c.Normal))
		// millimetres that are read as black and white: the channel holds no more than twenty either way
		reach := min(20, 20/math.Abs(more))
		l.Channels[stack.Height] = stack.Coat{
			On: true, Amount: 1, Blend: "add", Value: []float32{0},
			Range: []float32{float32(-reach / 1000 * more), float32(reach / 1000 * more)},
			Stream: []*stack.Step{{
				ID: id + "-height", Kind: stack.Follow, On: true, Amount: 1, Blend: "normal",
				Params: map[string]any{"layer": stack.Below, "what": string(stack.Height), "low": -reach, "high": reach},
			}},
		}
	}
	if len(says) == 0 {
		return nil, errors.New("nothing was corrected: everything is times one")
	}
	l.Name = "From the target view: " + strings.Join(says, ", ")
	return l, nil
}

// coded is by what a colour's sRGB-encoded components are multiplied so that its light is multiplied by
// k: exactly for a middle grey, to a few per cent for all from a twentieth of white on.
func coded(k float32) float32 {
	encode := func(v float64) float64 {
		if v <= 0.0031308 {
			return 12.92 * v
		}
		return 1.055*math.Pow(v, 1/2.4) - 0.055
	}
	return float32(encode(0.2*float64(k)) / encode(0.2))
}
