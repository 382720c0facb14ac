package brush

// Lighten raises what is there towards the most that its channel can have, Darken lowers it
// towards the least; what is not painted stays so.
const (
	Lighten = "lighten"
	Darken  = "darken"
)

// toEnd takes the channel's values to one of its ends, as far as they are covered.
func (l *laying) toEnd(end float32) {
	cov := l.coverage()
	for _, row := range l.rows[:l.components()] {
		l.towards(row, func(k int, _ float32) float32 { return end * cov[k] })
	}
}

var (
	_ = register(
		Effect{Name: Lighten, Label: "lifts what is there", Brush: true, lay: func(l *laying) { l.toEnd(l.most) },
			sample: func(share float32, _ int, _ [3]float32) (under, made [3]float32) {
				return slope(share), [3]float32{1, 1, 1}
			}},
	)
	_ = register(
		Effect{Name: Darken, Label: "sinks what is there", Brush: true, lay: func(l *laying) { l.toEnd(l.least) },
			sample: func(share float32, _ int, _ [3]float32) (under, made [3]float32) { return slope(share), [3]float32{} }},
	)
)
