package deliver

import (
	"fmt"

	"velvetgrime/core/exr"
)

// EXR writes planes of size × size numbers as an OpenEXR file of 32-bit floats: one plane as Y,
// three as R, G, B.
func EXR(planes [][]float32, size int) ([]byte, error) {
	names := []string{"R", "G", "B"}
	if len(planes) == 1 {
		names = []string{"Y"}
	}
	if len(planes) != len(names) {
		return nil, fmt.Errorf("%d planes are neither a grey nor a colour", len(planes))
	}
	list := make([]exr.Channel, len(planes))
	for i, p := range planes {
		list[i] = exr.Channel{Name: names[i], Data: p}
	}
	return exr.Encode(size, size, list, false)
}
