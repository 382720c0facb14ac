package cast

import (
	"context"
	"errors"
	"math"
	"reflect"
	"testing"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// dominant is the part of a place that weighs most; all shares must sum to 1.
func dominant(t *testing.T, f *Flow, tri int32, p geom.Vec3) (best Part) {
	t.Helper()
	list := f.At(tri, p, nil)
	sum := float32(0)
	for _, a := range list {
		if sum += a.Share; a.Share > best.Share {
			best = a
		}
	}
	if len(list) == 0 || math.Abs(float64(sum-1)) > 1e-4 {
		t.Fatalf("at %v there are %d parts of together %v", p, len(list), sum)
	}
	return best
}

// middles calls f for places within each triangle.
func middles(m *mesh.Model, f func(tri int32, p geom.Vec3)) {
	for i, v := range m.Tri {
		a, b, c := m.Pos[v[0]], m.Pos[v[1]], m.Pos[v[2]]
		for _, w := range [][3]float32{{0.34, 0.33, 0.33}, {0.8, 0.1, 0.1}, {0.1, 0.1, 0.8}, {0.05, 0.9, 0.05}} {
			f(int32(i), a.Mul(w[0]).Add(b.Mul(w[1])).Add(c.Mul(w[2])))
		}
	}
}

// On a board the plane is the board: every patch agrees, right and along the flow, over triangles of
// any size and form, as far as its borders.
func TestFlowOverABoard(t *testing.T) {
	m := rolled(t, 7, 3, func(u, v float64) geom.Vec3 { // uneven, and slanted in space
		x, y := 3*u*u, v*(1+0.2*v)
		return geom.V3(float32(x), float32(0.8*y), float32(-0.6*y))
	})
	f, err := NewFlow(t.Context(), m, geom.V3(0, 1, 0), 0.5)
	if err != nil {
		t.Fatal(err)
	}
	var off geom.Vec2
	first := true
	middles(m, func(tri int32, p geom.Vec3) {
		for _, a := range f.At(tri, p, nil) {
			// the board's right is −X seen from where it faces, or X; along the flow is up the slope
			right := m.FaceNormal(int(tri)).Unit()
			r := geom.V3(0, 0.8, -0.6).Cross(right)
			d := geom.Vec2{X: a.X - p.Dot(r), Y: a.Y - p.Dot(geom.V3(0, 0.8, -0.6))}
			if first {
				off, first = d, false
			}
			if math.Hypot(float64(d.X-off.X), float64(d.Y-off.Y)) > 1e-4 {
				t.Fatalf("at %v the plane is shifted by %v, elsewhere by %v", p, d, off)
			}
		}
		dominant(t, f, tri, p)
	})
}

// On a pipe the flow runs along it, so does the plane, everywhere; round it lengths stay but for the
// line where it comes round to itself.
func TestFlowAlongAPipe(t *testing.T) {
	const radius = 0.3
	m := rolled(t, 64, 20, func(u, v float64) geom.Vec3 {
		if u == 1 {
			u = 0
		}
		sin, cos := math.Sincos(2 * math.Pi * u)
		return geom.V3(float32(radius*sin), float32(2*v), float32(radius*cos))
	})
	f, err := NewFlow(t.Context(), m, geom.V3(0, 1, 0), 0.3)
	if err != nil {
		t.Fatal(err)
	}
	again, _ := NewFlow(t.Context(), m, geom.V3(0, 1, 0), 0.3)
	if !reflect.DeepEqual(f.patches, again.patches) {
		t.Error("laid twice it is not the same")
	}
	var offY float32
	first, torn, tried := true, 0, 0
	middles(m, func(tri int32, p geom.Vec3) {
		a := dominant(t, f, tri, p)
		if first {
			offY, first = a.Y-p.Y, false
		}
		if d := a.Y - p.Y - offY; math.Abs(float64(d)) > 0.01 {
			t.Fatalf("at height %v the plane is at %v, %v off", p.Y, a.Y, d)
		}
		// a little farther round
		v := m.Tri[tri]
		for _, k := range v {
			q := p.Add(m.Pos[k].Sub(p).Mul(0.5))
			b := dominant(t, f, tri, q)
			long, laid := q.Sub(p).Length(), math.Hypot(float64(b.X-a.X), float64(b.Y-a.Y))
			tried++
			if math.Abs(laid-float64(long)) > 0.03*float64(long)+1e-4 {
				torn++
			}
		}
	})
	if torn*25 > tried {
		t.Errorf("at %d of %d places lengths do not stay", torn, tried)
	}
}

// A ball cannot be laid flat: yet every place of it lies in the plane, most of them among neighbours
// that keep their lengths, and the flow leads up wherever it leads anywhere.
func TestFlowOverABall(t *testing.T) {
	m := rolled(t, 64, 32, func(u, v float64) geom.Vec3 {
		if u == 1 {
			u = 0
		}
		a, b := 2*math.Pi*u, 0.03+(math.Pi-0.06)*v
		return geom.V3(float32(math.Sin(b)*math.Sin(a)), float32(math.Cos(b)), float32(math.Sin(b)*math.Cos(a)))
	})
	f, err := NewFlow(t.Context(), m, geom.V3(0, 1, 0), 0.4)
	if err != nil {
		t.Fatal(err)
	}
	steep, straight, several, places := 0, 0, 0, 0
	middles(m, func(tri int32, p geom.Vec3) {
		a := dominant(t, f, tri, p)
		places++
		if a.Share < 0.9 {
			several++
		}
		n := m.FaceNormal(int(tri)).Unit()
		up := geom.V3(0, 1, 0).Sub(n.Mul(n.Y))
		if up.Length() < 0.4 {
			return
		}
		q := p.Add(up.Unit().Mul(0.004))
		b := dominant(t, f, tri, q)
		steep++
		if math.Abs(float64(b.Y-a.Y)-0.004) < 0.0004 && math.Abs(float64(b.X-a.X)) < 0.0012 {
			straight++
		}
	})
	if straight*10 < steep*8 {
		t.Errorf("only at %d of %d places it leads up", straight, steep)
	}
	if several*2 > places {
		t.Errorf("at %d of %d places no patch prevails: it is all blend", several, places)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := NewFlow(ctx, m, geom.V3(0, 1, 0), 0.02); !errors.Is(err, context.Canceled) {
		t.Errorf("cancelled it says %v", err)
	}
}
