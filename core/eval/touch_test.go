package eval

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// What is remembered of which strokes touch a tile must give the keys that a scene
// which remembers nothing gives, whatever was added, taken back, put in between or
// still grows.
func TestRememberedTouchesAreThoseOfAFreshScene(t *testing.T) {
	m := whole(t)
	r := rand.New(rand.NewPCG(5, 6))
	warm := NewScene(m, cache.New(1<<26))
	l := &stack.Layer{ID: "a", Name: "A", Kind: stack.Paint, Visible: true, Amount: 1, Channels: coats{stack.BaseColor: met("normal", 1)}}
	random := func(id string, points int) *brush.Stroke {
		s := &brush.Stroke{ID: id, Radius: 6 * texel, Strength: 1, Values: map[string][]float32{"baseColor": {1, 0, 0}}}
		x, z := r.Float32()*240, r.Float32()*120
		for i := range points {
			s.Points = append(s.Points, brush.Point{Pos: geom.V3((x+float32(4*i))*texel, 0, z*texel), Nrm: geom.V3(0, 1, 0), Pressure: 1})
		}
		return s
	}
	compare := func(what, live string) {
		t.Helper()
		c := *l
		d := doc(&c)
		fresh := NewScene(m, cache.New(1<<26))
		p, q := Compile(warm, d, "a", live), Compile(fresh, d, "a", live)
		for _, tile := range surface.Tiles(0, 512) {
			if p.Key(warm.OnTile(tile), stack.BaseColor) != q.Key(fresh.OnTile(tile), stack.BaseColor) {
				t.Fatalf("%s: tile %+v has another key than in a fresh scene", what, tile)
			}
		}
	}
	for i := range 60 {
		l.Strokes = append(l.Strokes[:len(l.Strokes):len(l.Strokes)], random(fmt.Sprint("s", i), 1+r.IntN(4)))
		if i > 10 {
			compare(fmt.Sprint("stroke ", i), "")
		}
		switch {
		case i%7 == 6: // two taken back
			l.Strokes = l.Strokes[:len(l.Strokes)-2]
			compare("taken back", "")
		case i%11 == 10: // one taken out in the middle
			at := len(l.Strokes) / 2
			l.Strokes = append(append([]*brush.Stroke(nil), l.Strokes[:at]...), l.Strokes[at+1:]...)
			compare("taken out", "")
		case i%5 == 4: // one that grows, and is dropped at last
			kept := l.Strokes
			grown := random(fmt.Sprint("live", i), 5)
			for n := 1; n <= 5; n++ {
				s := *grown
				s.Points = grown.Points[:n]
				l.Strokes = append(kept[:len(kept):len(kept)], &s)
				compare("growing", s.ID)
			}
			warm.Forget(grown.ID)
			l.Strokes = kept
			compare("dropped", "")
		}
	}
}
