package brush

import "velvetgrime/core/blend"

// Paint lays the stroke's values, or the material of a layer.
const Paint = ""

var _ = register(Effect{Name: Paint, Label: "lays", lay: func(l *laying) {
	normal := l.s.Blend == "" || l.s.Blend == blend.Normal
	if normal && (l.hue == nil || l.components() != 3) {
		l.plain()
		return
	}
	l.mixed()
}, sample: func(_ float32, _ int, values [3]float32) (under, made [3]float32) {
	return [3]float32{0.36, 0.36, 0.36}, values
}})
