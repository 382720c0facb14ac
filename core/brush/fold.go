package brush

import "velvetgrime/core/blend"

// Painted is what was painted of one channel on the points of a frame: colour times
// coverage, a row a component, and in the last row coverage itself. Fold writes it.
type Painted struct {
	Rows        [][]float32
	Channel     string
	Least, Most float32 // of the channel's values
	Tints       bool    // dabs may differ in colour there
}

// laying is a stroke's part in one channel, cut to the points that the stroke may cover.
type laying struct {
	s           *Stroke
	rows        [][]float32 // written; the last is coverage
	cover       []float32   // of the stroke, 0..1, without its strength
	hue, light  []float32   // of its dabs; nil where they do not differ
	from        [][]float32 // what is taken, in rows as Painted has them
	of          [][]float32 // the material that is laid, a row a component; nil: value
	value       [3]float32
	least, most float32
}

// Fold lays the stroke, where c covers, on what was painted before it. from is what it
// takes, in rows as Painted has them: the blur of what was painted for a stroke with a
// Spread, what was painted elsewhere for one that takes from there; of is the material that
// it lays in place of its values, a row a component. Both may be nil.
func (s *Stroke) Fold(p Painted, c *Coverage, from, of [][]float32) {
	a, b := c.Span() // a stroke covers few of a tile's rows
	l := laying{
		s:     s,
		rows:  spanOf(p.Rows, a, b),
		cover: c.Cover[a:b],
		from:  spanOf(from, a, b),
		of:    spanOf(of, a, b),
		least: p.Least,
		most:  p.Most,
	}
	if p.Tints && c.Hue != nil {
		l.hue, l.light = c.Hue[a:b], c.Light[a:b]
	}
	v := s.Values[p.Channel]
	for i := range l.value {
		l.value[i] = 1
		if i < len(v) {
			l.value[i] = v[i]
		}
	}
	s.effect().lay(&l)
}

// spanOf cuts rows to a range of points; nil stays nil.
func spanOf(rows [][]float32, a, b int) [][]float32 {
	if rows == nil {
		return nil
	}
	out := make([][]float32, len(rows))
	for i, r := range rows {
		out[i] = r[a:b]
	}
	return out
}

// components is how many values the channel has.
func (l *laying) components() int { return len(l.rows) - 1 }

// coverage is the row of what is covered already.
func (l *laying) coverage() []float32 { return l.rows[len(l.rows)-1] }

// towards takes a row to what goal says, by the stroke's coverage.
func (l *laying) towards(row []float32, goal func(k int, was float32) float32) {
	for k, w := range l.cover {
		if w > 0 {
			row[k] += w * l.s.Strength * (goal(k, row[k]) - row[k])
		}
	}
}

// taken takes every row to what is taken.
func (l *laying) taken() {
	for c, row := range l.rows {
		b := l.from[min(c, len(l.from)-1)]
		l.towards(row, func(k int, _ float32) float32 { return b[k] })
	}
}

// plain lays the values, or the material, as they are.
func (l *laying) plain() {
	for c, row := range l.rows {
		v, of := float32(1), []float32(nil) // the last row is coverage itself
		if c < l.components() {
			v = l.value[c]
			if l.of != nil {
				of = l.of[c]
			}
		}
		for k, w := range l.cover {
			if w > 0 {
				if of != nil {
					v = of[k]
				}
				row[k] += w * l.s.Strength * (v - row[k])
			}
		}
	}
}

// mixed lays them point by point: each has its own colour, or meets what is there by a
// blend mode.
func (l *laying) mixed() {
	n, cov := l.components(), l.coverage()
	var b, src [3][]float32
	for c := range 3 {
		b[c], src[c] = make([]float32, 1), make([]float32, 1)
	}
	one := []float32{1}
	for k, w := range l.cover {
		if w <= 0 {
			continue
		}
		w *= l.s.Strength
		v := l.value
		for c := range l.of {
			v[c] = l.of[c][k]
		}
		if l.hue != nil && n == 3 {
			v = blend.Tinted(v, l.hue[k], l.light[k])
		}
		if a := cov[k]; a > 0 && l.s.Blend != "" {
			for i := range 3 {
				j := min(i, n-1)
				b[i][0], src[i][0] = l.rows[j][k]/a, v[j]
			}
			blend.RowColor(l.s.Blend, b, src, one)
			for i := range n {
				v[i] = min(max((1-a)*v[i]+a*b[i][0], l.least), l.most)
			}
		}
		for i := range n {
			l.rows[i][k] += w * (v[i] - l.rows[i][k])
		}
		cov[k] += w * (1 - cov[k])
	}
}
