package brush

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/warp"

	"github.com/zeebo/xxh3"
)

// seenFrom is view times projection, column by column, of a camera at eye that looks at the
// origin: with an opening of 2·atan(open), or without perspective and so far up and down.
func seenFrom(eye geom.Vec3, open float32, flat bool) []float32 {
	back := eye.Unit()
	right := geom.V3(0, 1, 0).Cross(back).Unit()
	up := back.Cross(right)
	const near, far = 0.1, 100
	view := func(p geom.Vec3) [3]float32 {
		d := p.Sub(eye)
		return [3]float32{d.Dot(right), d.Dot(up), d.Dot(back)}
	}
	clip := func(p geom.Vec3) [4]float32 {
		v := view(p)
		if flat {
			return [4]float32{v[0] / open, v[1] / open, (-2*v[2] - far - near) / (far - near), 1}
		}
		return [4]float32{v[0] / open, v[1] / open, (-(far+near)*v[2] - 2*far*near) / (far - near), -v[2]}
	}
	at := clip(geom.Vec3{})
	m := make([]float32, 16)
	for k, axis := range []geom.Vec3{{X: 1}, {Y: 1}, {Z: 1}} {
		c := clip(axis)
		for r := range 4 {
			m[4*k+r] = c[r] - at[r]
		}
	}
	copy(m[12:], at[:])
	return m
}

// From every place the direction to the eye is where the eye is, whatever the view; without
// perspective it is the same everywhere.
func TestTowardsTheEye(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 1))
	any := func(size float32) geom.Vec3 {
		return geom.V3(rng.Float32()*2-1, rng.Float32()*2-1, rng.Float32()*2-1).Mul(size)
	}
	for range 300 {
		eye := any(1).Unit().Mul(3 + 4*rng.Float32())
		p := any(1)
		persp := Stencil{View: seenFrom(eye, 0.2+rng.Float32(), false)}
		if got, want := persp.Towards(p), eye.Sub(p).Unit(); got.Sub(want).Length() > 2e-3 {
			t.Fatalf("from %v the eye at %v is towards %v, it is seen towards %v", p, eye, want, got)
		}
		flat := Stencil{View: seenFrom(eye, 0.5+rng.Float32(), true)}
		if got, want := flat.Towards(p), eye.Unit(); got.Sub(want).Length() > 2e-3 {
			t.Fatalf("without perspective %v, the view comes from %v", got, want)
		}
	}
}

// On a ball the paint fades by the angle between the surface and the way to the eye.
// How deep a place lies is measured along the view, from the eye or the near plane; paint ends
// there, softly.
func TestPaintEndsDeepInTheView(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 1))
	for range 200 {
		eye := geom.V3(rng.Float32()*2-1, rng.Float32()*2-1, rng.Float32()*2-1).Unit().Mul(3 + 4*rng.Float32())
		p := geom.V3(rng.Float32()*2-1, rng.Float32()*2-1, rng.Float32()*2-1)
		want := eye.Sub(p).Dot(eye.Unit())
		persp := Stencil{View: seenFrom(eye, 0.2+rng.Float32(), false), Deep: want}
		if d := persp.depth(p); math.Abs(float64(d-want)) > 1e-3*float64(want) {
			t.Fatalf("from %v the place %v lies %v deep, want %v", eye, p, d, want)
		}
		flat := Stencil{View: seenFrom(eye, 0.5, true), Deep: want}
		if d := flat.depth(p); math.Abs(float64(d-(want-0.1))) > 2e-3*float64(want) {
			t.Fatalf("without perspective it lies %v deep, want %v", d, want-0.1)
		}
		for share, takes := range map[float32][2]float32{1.2: {1, 1}, 1.05: {0.4, 0.6}, 0.99: {0, 0.01}} {
			persp.Deep = want * share
			if v := persp.near(p); v < takes[0]-0.06 || v > takes[1]+0.06 {
				t.Fatalf("%v of its depth it takes %v, want %v", share, v, takes)
			}
		}
	}
	if (&Stencil{View: seenFrom(geom.V3(0, 0, 5), 0.5, false)}).near(geom.V3(0, 0, -90)) != 1 {
		t.Error("without a limit it ends")
	}
}

func TestPaintFadesWhereTheSurfaceTurnsAway(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 2))
	eye := geom.V3(0.4, 0.8, 4)
	white := func(u, v, size float32) [4]float32 { return [4]float32{1, 1, 1, 1} }
	f := &raster.Frame{W: 600, H: 1, Footprint: 0.001}
	for range f.W {
		n := geom.V3(rng.Float32()*2-1, rng.Float32()*2-1, rng.Float32()*2-1).Unit()
		f.Pos, f.Nrm, f.Tri = append(f.Pos, n), append(f.Nrm, n), append(f.Tri, 0)
	}
	for _, limit := range [][2]float32{{0, 0}, {60, 80}, {0, 90}, {45, 45}, {100, 180}} {
		c := &Stencil{Picture: "white", View: seenFrom(eye, 0.5, false), Aspect: 1, Wide: 100, Form: 1, Fades: limit[0], Ends: limit[1]}
		if err := c.Check(); err != nil {
			t.Fatal(err)
		}
		cover := make([]float32, f.W)
		for i := range cover {
			cover[i] = 0.8
		}
		c.hold(f, &Coverage{Cover: cover, Stencil: white}, nil)
		between := 0
		for i, p := range f.Pos {
			turned := math.Acos(float64(f.Nrm[i].Dot(eye.Sub(p).Unit()))) * 180 / math.Pi
			want := 0.8
			if limit[1] > 0 {
				s := (turned - float64(limit[0])) / max(float64(limit[1]-limit[0]), 1e-9)
				s = min(max(s, 0), 1)
				want *= 1 - s*s*(3-2*s)
			}
			if limit[0] == limit[1] && math.Abs(turned-float64(limit[0])) < 0.2 {
				continue // on the very border
			}
			if math.Abs(float64(cover[i])-want) > 0.01 {
				t.Fatalf("%v: turned by %.1f degrees it takes %v, want %v", limit, turned, cover[i], want)
			}
			if want > 0.05 && want < 0.75 {
				between++
			}
		}
		if limit[1] > limit[0] && between < 20 {
			t.Errorf("%v: only %d places lie in between", limit, between)
		}
	}
	for _, wrong := range [][2]float32{{-1, 10}, {20, 10}, {0, 181}, {10, 0}} {
		c := &Stencil{Picture: "white", View: seenFrom(eye, 0.5, false), Aspect: 1, Wide: 1, Form: 1, Fades: wrong[0], Ends: wrong[1]}
		if c.Check() == nil {
			t.Errorf("%v is taken", wrong)
		}
	}
}

// In a warped picture a place sees what the warp says lies there, and as much more of it as that
// covers; one that repeats is as it was.
func TestAWarpedStencil(t *testing.T) {
	c := Stencil{View: seenFrom(geom.V3(0, 0, 4), 0.5, false), Aspect: 1, Wide: 1, Form: 1}
	p := geom.V3(0.3, 0.2, 0)
	u, v, size, ok := c.Place(p, 1e-3)
	if !ok {
		t.Fatal("it lies beside the picture")
	}
	w := c
	w.Warp = w.Warp.Brushed(&warp.Brush{Does: warp.Push, Radius: 0.3, Strength: 1, Path: []float32{u - 0.15, v, u - 0.05, v}}, 1)
	wu, wv, larger := w.Warp.At(u, v)
	if wu > u-0.01 {
		t.Fatalf("nothing was pushed: %v to %v", u, wu)
	}
	if gu, gv, gsize, ok := w.Place(p, 1e-3); gu != wu || gv != wv || gsize != size*larger || !ok {
		t.Errorf("it sees (%v, %v), %v large; the warp says (%v, %v), %v", gu, gv, gsize, wu, wv, size*larger)
	}
	w.Tiled = true
	if gu, gv, _, _ := w.Place(p, 1e-3); gu != u || gv != v {
		t.Errorf("one that repeats sees (%v, %v)", gu, gv)
	}
}

// Of a side view of a ball that is cast to both sides, the far half gets what the near one gets at
// the places that it mirrors; without it the far half gets nothing, and the near one the same.
func TestASideIsCastToBoth(t *testing.T) {
	eye := geom.V3(5, 0.6, 0.3)
	picture := func(u, v, size float32) [4]float32 { return [4]float32{u, v, 0, 1 - 0.5*u*v} }
	rng := rand.New(rand.NewPCG(4, 4))
	f := &raster.Frame{H: 1, Footprint: 0.001}
	for range 400 { // pairs about the plane x = 0.2
		n := geom.V3(rng.Float32()*2-1, rng.Float32()*2-1, rng.Float32()*2-1).Unit()
		m := geom.V3(-n.X, n.Y, n.Z)
		f.Pos = append(f.Pos, n.Add(geom.V3(0.2, 0, 0)), m.Add(geom.V3(0.2, 0, 0)))
		f.Nrm = append(f.Nrm, n, m)
	}
	f.W = len(f.Pos)
	for _, looks := range []bool{true, false} { // with an eye of the stroke's own, or that of the view
		s := &Stroke{
			Stencil: &Stencil{Picture: "side", View: seenFrom(eye, 0.5, false), Aspect: 1, Wide: 2, Form: 1, Fades: 60, Ends: 80, Both: true, Colors: true},
			Mirror:  &Mirror{At: geom.V3(0.2, 0, 0), Planes: []geom.Vec3{{X: 1}}},
		}
		if looks {
			s.Eye = &eye
		}
		laid := func() []float32 {
			cover := make([]float32, f.W)
			for i := range cover {
				cover[i] = 1
			}
			s.Stencil.hold(f, &Coverage{Cover: cover, Stencil: picture}, s.Cast())
			return cover
		}
		both := laid()
		s.Stencil.Both = false
		one := laid()
		far := 0
		for i := range f.W {
			to := eye.Sub(f.Pos[i]).Unit()
			other := i ^ 1
			switch {
			case f.Nrm[i].Dot(to) > 0:
				if both[i] != one[i] {
					t.Fatalf("what the view sees gets %v, without the other side %v", both[i], one[i])
				}
			case f.Nrm[other].Dot(eye.Sub(f.Pos[other]).Unit()) > 0:
				far++
				if d := both[i] - both[other]; d > 1e-4 || d < -1e-4 {
					t.Fatalf("at %v the far side gets %v, the near one %v", f.Pos[i], both[i], both[other])
				}
				if one[i] != 0 {
					t.Fatalf("what the view does not see gets %v", one[i])
				}
			}
		}
		if far < 100 {
			t.Errorf("%d places lie on the far side", far)
		}
	}
	if (&Stroke{Stencil: &Stencil{Both: true}}).Cast() != nil || (&Stroke{Mirror: &Mirror{}}).Cast() != nil {
		t.Error("a stroke without symmetry, or without a stencil, is cast to both sides")
	}
}

// A stroke that is given its slide is named by both: by another slide or another stroke it is another
// one, and what is drawn of it before the slide is named by the stroke alone.
func TestAStrokeThroughASlideIsNamedByBoth(t *testing.T) {
	stroke := func(x float32) *Stroke {
		return &Stroke{ID: "s", Radius: 0.1, Strength: 1, Slide: "a", Points: Points{{Pos: geom.V3(x, 0, 0), Nrm: geom.V3(0, 0, 1), Pressure: 1}}}
	}
	name := func(text string) xxh3.Uint128 { return xxh3.HashString128(text) }
	seen := map[xxh3.Uint128]string{}
	for _, x := range []float32{0, 1} {
		for _, slide := range []string{"here", "there"} {
			s := stroke(x)
			n := s.Through(&Stencil{Picture: slide}, s.Content(), name(slide), name(slide+" unpushed"))
			what := fmt.Sprint(x, slide)
			if was, ok := seen[n.Content()]; ok {
				t.Errorf("%s is named as %s", what, was)
			}
			seen[n.Content()] = what
			if d, ok := n.Drawn(); !ok || d != s.Content() || n.Stencil.Picture != slide || s.Stencil != nil {
				t.Errorf("%s: drawn %v, %v, its stencil is %v, that of the stroke %v", what, d, ok, n.Stencil, s.Stencil)
			}
		}
	}
	if _, ok := stroke(0).Drawn(); ok {
		t.Error("a stroke without its slide is named as one with it")
	}
}
