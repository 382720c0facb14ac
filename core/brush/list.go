package brush

import (
	"encoding/json"
	"math"

	"velvetgrime/core/geom"

	"github.com/zeebo/xxh3"
)

// List is the strokes of a layer or of a hand step in their order, with what is derived
// from them. It is immutable; a list that goes on from another one shares what it has in
// common with it. The nil list is empty.
type List struct {
	All    []*Stroke
	own    []xxh3.Uint128 // content of each stroke
	before []xxh3.Uint128 // content of the first i
	boxes  []geom.Box
	spread []float32 // of the first i, see Spread
	looks  []int     // of the first i, how many look at other layers
	takes  []int     // of the first i, how many take from elsewhere
}

// NewList derives what is asked of strokes. What it has in common with was, which may be
// nil, is taken over: the same values at the same places.
func NewList(all []*Stroke, was *List) *List {
	n := len(all)
	if n == 0 {
		return nil
	}
	common := 0
	if was != nil {
		for common < min(n, len(was.All)) && was.All[common] == all[common] {
			common++
		}
	}
	l := &List{All: all}
	if common > 0 { // appending never writes what another list holds: the capacity ends with the length
		l.own, l.boxes = was.own[:common:common], was.boxes[:common:common]
		l.before, l.spread = was.before[:common+1:common+1], was.spread[:common+1:common+1]
		l.looks, l.takes = was.looks[:common+1:common+1], was.takes[:common+1:common+1]
	} else {
		l.before, l.spread, l.looks, l.takes = make([]xxh3.Uint128, 1, n+1), make([]float32, 1, n+1), make([]int, 1, n+1), make([]int, 1, n+1)
	}
	var widest float32
	soft := 0
	for _, s := range all[:common] {
		if r := s.Spread(); r > 0 {
			widest = max(widest, r)
			soft++
		}
	}
	count := func(yes bool) int {
		if yes {
			return 1
		}
		return 0
	}
	for i := common; i < n; i++ {
		s := all[i]
		if r := s.Spread(); r > 0 {
			widest = max(widest, r)
			soft++
		}
		key, b := s.Content(), l.before[i]
		var both [32]byte
		kb, bb := key.Bytes(), b.Bytes()
		copy(both[:16], kb[:])
		copy(both[16:], bb[:])
		l.own = append(l.own, key)
		l.before = append(l.before, xxh3.Hash128(both[:]))
		l.boxes = append(l.boxes, s.Bounds(0, s.Segments()))
		l.spread = append(l.spread, 4.5*widest*float32(min(soft, 3)))
		l.looks = append(l.looks, l.looks[i]+count(s.Alike != nil || s.Of != ""))
		l.takes = append(l.takes, l.takes[i]+count(s.Elsewhere()))
	}
	return l
}

// Content is the hash of everything that a stroke is drawn from.
func (s *Stroke) Content() xxh3.Uint128 {
	if _, ok := s.Drawn(); ok {
		return s.through
	}
	bare := *s
	bare.Points = nil
	bare.Unhold()
	h := xxh3.New()
	b, _ := json.Marshal(&bare) // it has no value that JSON cannot hold: Check sees to it
	_, _ = h.Write(b)
	b = b[:0]
	number := func(v float32) {
		u := math.Float32bits(v)
		b = append(b, byte(u), byte(u>>8), byte(u>>16), byte(u>>24))
	}
	for _, p := range s.Points {
		for _, v := range [7]float32{p.Pos.X, p.Pos.Y, p.Pos.Z, p.Nrm.X, p.Nrm.Y, p.Nrm.Z, p.Pressure} {
			number(v)
		}
	}
	for i, row := range s.held() {
		if i == 2 && len(*row) == 0 { // strokes from before pens were turned keep their content
			continue
		}
		number(float32(len(*row)))
		for _, v := range *row {
			number(v)
		}
	}
	_, _ = h.Write(b)
	return h.Sum128()
}

// Len returns how many strokes there are.
func (l *List) Len() int {
	if l == nil {
		return 0
	}
	return len(l.All)
}

// First returns the list of the first n strokes.
func (l *List) First(n int) *List {
	if n <= 0 || l == nil {
		return nil
	}
	return &List{
		l.All[:n:n],
		l.own[:n:n],
		l.before[: n+1 : n+1],
		l.boxes[:n:n],
		l.spread[: n+1 : n+1],
		l.looks[: n+1 : n+1],
		l.takes[: n+1 : n+1],
	}
}

// Key is the content of stroke i.
func (l *List) Key(i int) xxh3.Uint128 { return l.own[i] }

// Before is the content of the first i strokes together.
func (l *List) Before(i int) xxh3.Uint128 {
	if l == nil {
		return xxh3.Uint128{}
	}
	return l.before[i]
}

// Box is around stroke i, metres.
func (l *List) Box(i int) geom.Box { return l.boxes[i] }

// Spread is how far, in metres, strokes that soften or sharpen look around themselves:
// four and a half standard deviations of the widest for each of the first few.
func (l *List) Spread() float32 {
	if l == nil {
		return 0
	}
	return l.spread[len(l.All)]
}

// Looks reports whether any stroke looks at other layers: it stays where these look
// alike, or lays the material of one.
func (l *List) Looks() bool { return l != nil && l.looks[len(l.All)] > 0 }

// Takes reports whether any stroke takes from elsewhere.
func (l *List) Takes() bool { return l != nil && l.takes[len(l.All)] > 0 }
