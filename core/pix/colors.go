package pix

import (
	"cmp"
	"math"
	"slices"
)

// Main returns up to n colours that stand for a picture's, the most frequent first, as
// sRGB-encoded triples of 0..1: median cut of what is opaque (P. Heckbert, "Color image
// quantization for frame buffer display", 1982), then the mean of each box.
func (p *Picture) Main(n int) [][3]float32 {
	type box struct{ list [][3]float32 }
	const most = 1 << 14
	w, h := p.Size()
	step := max(int(math.Sqrt(float64(w)*float64(h)/most)), 1)
	first := box{}
	for y := step / 2; y < h; y += step {
		for x := step / 2; x < w; x += step {
			if c := p.Nearest((float32(x)+0.5)/float32(w), (float32(y)+0.5)/float32(h)); c[3] > 0.5 {
				first.list = append(first.list, [3]float32(c[:3]))
			}
		}
	}
	if len(first.list) == 0 || n < 1 {
		return nil
	}
	longest := func(b box) (axis int, span float32) {
		for c := range 3 {
			lo, hi := float32(2), float32(-1)
			for _, v := range b.list {
				lo, hi = min(lo, v[c]), max(hi, v[c])
			}
			if hi-lo > span {
				axis, span = c, hi-lo
			}
		}
		return
	}
	boxes := []box{first}
	for len(boxes) < n {
		pick, best := -1, float32(0)
		for i, b := range boxes {
			if _, s := longest(b); s > 0.02 && s*float32(math.Sqrt(float64(len(b.list)))) > best {
				pick, best = i, s*float32(math.Sqrt(float64(len(b.list))))
			}
		}
		if pick < 0 {
			break // what is left is even
		}
		b := boxes[pick]
		axis, _ := longest(b)
		slices.SortFunc(b.list, func(p, q [3]float32) int { return cmp.Compare(p[axis], q[axis]) })
		// at the median, moved so that equal colours stay together
		cut := len(b.list) / 2
		for cut < len(b.list) && b.list[cut][axis] == b.list[cut-1][axis] {
			cut++
		}
		if cut == len(b.list) {
			for cut = len(b.list) / 2; b.list[cut][axis] == b.list[cut-1][axis]; {
				cut--
			}
		}
		boxes[pick].list = b.list[:cut]
		boxes = append(boxes, box{b.list[cut:]})
	}
	slices.SortStableFunc(boxes, func(a, b box) int { return len(b.list) - len(a.list) })
	var out [][3]float32
	for _, b := range boxes {
		var m [3]float64
		for _, v := range b.list {
			for c := range 3 {
				m[c] += float64(v[c]) / float64(len(b.list))
			}
		}
		out = append(out, [3]float32{float32(m[0]), float32(m[1]), float32(m[2])})
	}
	return out
}
