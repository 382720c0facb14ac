package eval

import (
	"velvetgrime/core/blend"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// Work that cannot be seen is not done: a source that is multiplied by black later on, or
// whose coat lies under a black mask, is evaluated only where it shows. What a stream gives
// is the same to the last bit; only where it does not count is anything left there.

// region marks the points of a surface at which a stream's result counts; nil: at all.
type region []bool

// seenThrough marks where a mask is not black, when that is less than half of the surface; else it
// returns nil.
func (p *Program) seenThrough(u *surface.Surface, mask pix.Plane) region {
	if mask.Data == nil || p.Scene.plainly {
		return nil
	}
	return sparseRegion(u, func(i int) bool { return mask.Data[i] > 0 }, nil)
}

// sparseRegion marks where f holds, within another choice, when that is less than half of the
// surface; else it returns that choice.
func sparseRegion(u *surface.Surface, f func(i int) bool, within region) region {
	frame := u.Frame()
	out, count := make(region, len(frame.Pos)), 0
	for i, t := range frame.Tri {
		if t >= 0 && (within == nil || within[i]) && f(i) {
			out[i] = true
			if count++; count*2 >= frame.Covered {
				return within
			}
		}
	}
	if count*2 >= frame.Covered { // nothing is covered
		return within
	}
	return out
}

// multiplier is a later step of a stream that is evaluated before its turn.
type multiplier struct {
	row  []float32
	need region // of the steps before it
}

// over multiplies what came before by what was evaluated.
func (m multiplier) over(out pix.Rows) {
	ones := pix.Ones(len(m.row))
	if len(out) == 3 {
		blend.RowColor("multiply", [3][]float32(out), [3][]float32{m.row, m.row, m.row}, ones)
		return
	}
	blend.Row("multiply", out[0], m.row, ones)
}

// ahead evaluates the cheap sources of a stream that multiply what came before them, by the
// index of their step: where one is black, nothing before it counts. It looks for them only
// where something before costs much.
func (p *Program) ahead(u *surface.Surface, sp *streamPlan, from, upTo int, need region) map[int]multiplier {
	if p.Scene.plainly {
		return nil
	}
	costly := false
	var out map[int]multiplier
	var order []int
	for i := from; i < upTo; i++ {
		s := &sp.steps[i]
		if !s.step.On || s.err != nil {
			continue
		}
		if costly && s.blackens() {
			in, d := p.input(u, s.step)
			row := make([]float32, len(u.Frame().Pos))
			d.Run(in, row)
			if out == nil {
				out = map[int]multiplier{}
			}
			out[i] = multiplier{row: row}
			order = append(order, i)
		}
		costly = costly || s.desc.Costly || s.reads != nil || s.ways != nil
	}
	for k := len(order) - 1; k >= 0; k-- {
		m := out[order[k]]
		need = sparseRegion(u, func(i int) bool { return m.row[i] > 0 }, need)
		out[order[k]] = multiplier{m.row, need}
	}
	return out
}

// blackens reports whether a step is a source that costs little and multiplies all that came
// before it by what it is.
func (s *stepPlan) blackens() bool {
	d := s.desc
	return d.Role == "source" && d.Run != nil && !d.Costly && !d.Special && !d.Hand && d.RunColor == nil &&
		s.reads == nil && s.ways == nil && s.step.Blend == "multiply" && s.step.Amount == 1 &&
		s.step.Kind != stack.OtherSide
}

// needBefore is where the result of step i counts: the choice of the next multiplier after
// it, or that of the whole stream.
func needBefore(ahead map[int]multiplier, i int, upTo int, need region) region {
	for j := i + 1; j < upTo && len(ahead) > 0; j++ {
		if m, ok := ahead[j]; ok {
			return m.need
		}
	}
	return need
}
