package brush

import "math"

// Soften takes what is there towards its own blur, Sharpen away from that, by as much
// (an unsharp mask) and within what the channel can have.
const (
	Soften  = "soften"
	Sharpen = "sharpen"
)

// blurred is the standard deviation of the blur, in radii of the stroke.
const blurred = 0.22

func (l *laying) sharpen() {
	cov := l.coverage()
	for c, row := range l.rows {
		b := l.from[min(c, len(l.from)-1)]
		l.towards(row, func(k int, was float32) float32 {
			least, most := l.least*cov[k], l.most*cov[k]
			if c == l.components() {
				least, most = 0, 1
			}
			return min(max(2*was-b[k], least), most)
		})
	}
}

// bars are what previews have under these: soft ones and hard ones.
func bars(pixel int) (soft, hard [3]float32) {
	wave := math.Sin(float64(pixel) * 2 * math.Pi / 18)
	s, h := float32(0.45+0.13*wave), float32(0.45+0.2*min(max(wave*4, -1), 1))
	return [3]float32{s, s, s}, [3]float32{h, h, h}
}

var (
	_ = register(
		Effect{Name: Soften, Label: "softens what is there", Brush: true, spread: blurred, lay: (*laying).taken,
			sample: func(_ float32, pixel int, _ [3]float32) (under, made [3]float32) {
				soft, hard := bars(pixel)
				return hard, soft
			}},
	)
	_ = register(
		Effect{Name: Sharpen, Label: "sharpens what is there", Brush: true, spread: blurred, lay: (*laying).sharpen,
			sample: func(_ float32, pixel int, _ [3]float32) (under, made [3]float32) { return bars(pixel) }},
	)
)
