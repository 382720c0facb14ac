package carry

import (
	"math"
	"testing"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
)

// swollen is the bollard a thousandth larger, its triangles in another order.
func swollen(t *testing.T) (from, to *mesh.Model) {
	t.Helper()
	from, to = sample.Bollard(), sample.Bollard()
	for i := range to.Pos {
		to.Pos[i] = to.Pos[i].Mul(1.001)
	}
	n := len(to.Tri)
	for i := range n / 2 {
		j := n - 1 - i
		to.Tri[i], to.Tri[j] = to.Tri[j], to.Tri[i]
		to.TriPart[i], to.TriPart[j] = to.TriPart[j], to.TriPart[i]
		to.TriSheet[i], to.TriSheet[j] = to.TriSheet[j], to.TriSheet[i]
	}
	if err := to.Finish(); err != nil {
		t.Fatal(err)
	}
	return
}

func TestStrokesGoToTheNearestSurface(t *testing.T) {
	from, to := swollen(t)
	c, err := New(t.Context(), from, to)
	if err != nil {
		t.Fatal(err)
	}
	s := &brush.Stroke{ID: "old", Radius: 0.01, Strength: 1}
	for i := 0; i < len(from.Tri); i += 997 {
		v := from.Tri[i][0]
		s.Points = append(s.Points, brush.Point{Pos: from.Pos[v], Nrm: from.Nrm[v], Pressure: 0.5})
	}
	got, ok := c.Stroke(s, "new")
	if !ok || got.ID != "new" || s.ID != "old" || len(got.Points) != len(s.Points) {
		t.Fatalf("carried %v, %d of %d points", ok, len(got.Points), len(s.Points))
	}
	for i, p := range got.Points {
		d := p.Pos.Sub(s.Points[i].Pos).Length()
		if d > 0.012*from.Bounds.Size().Length() {
			t.Fatalf("point %d moved by %v", i, d)
		}
		if p.Nrm.Dot(s.Points[i].Nrm) < 0 || math.Abs(float64(p.Nrm.Length())-1) > 1e-3 {
			t.Fatalf("point %d looks elsewhere: %v, was %v", i, p.Nrm, s.Points[i].Nrm)
		}
	}
	far := &brush.Stroke{ID: "far", Radius: 0.01, Points: brush.Points{{Pos: geom.V3(50, 0, 0), Nrm: geom.V3(1, 0, 0)}}}
	if _, ok := c.Stroke(far, "x"); ok {
		t.Error("a stroke far from the new model was carried")
	}
}

func TestReachesMeanTheSameTriangles(t *testing.T) {
	from, to := swollen(t)
	c, _ := New(t.Context(), from, to)
	n := int32(len(from.Tri))
	r, lost := c.Reach(stack.Reach{Faces: []int32{100, 60}, Parts: []string{from.Parts[0].Name, "Gone"}, Sheets: []string{"Nowhere"}})
	if len(lost) != 2 || len(r.Parts) != 1 || len(r.Sheets) != 0 {
		t.Errorf("lost %v, reach %+v", lost, r)
	}
	got := map[int32]bool{}
	for k := 0; k < len(r.Faces); k += 2 {
		for i := range r.Faces[k+1] {
			got[r.Faces[k]+i] = true
		}
	}
	right := 0
	for i := int32(100); i < 160; i++ {
		if got[n-1-i] {
			right++
		}
	}
	if right < 55 || len(got) > 66 {
		t.Errorf("%d of 60 triangles are meant, %d in all", right, len(got))
	}
}

// What belongs to a stroke goes along with it: the faces that it stays in by where they
// lie, the places that it takes from, and how the pen was held at the points that are left.
func TestWhatBelongsToAStrokeGoesAlong(t *testing.T) {
	from, to := swollen(t)
	c, err := New(t.Context(), from, to)
	if err != nil {
		t.Fatal(err)
	}
	n := int32(len(from.Tri))
	corners := func(i int) [3]geom.Vec3 {
		return [3]geom.Vec3{from.Pos[from.Tri[i][0]], from.Pos[from.Tri[i][1]], from.Pos[from.Tri[i][2]]}
	}
	on := func(m *mesh.Model, v uint32) brush.Point {
		return brush.Point{Pos: m.Pos[v], Nrm: m.Nrm[v], Pressure: 1}
	}
	far := brush.Point{Pos: geom.V3(50, 0, 0), Nrm: geom.V3(1, 0, 0)}
	a, b, e := from.Tri[100][0], from.Tri[2000][1], from.Tri[5000][2]
	s := &brush.Stroke{ID: "old", Radius: 0.01, Strength: 1, Does: brush.Opposite,
		Within: brush.AreaOf(int(n), func(i int) bool { return i >= 100 && i < 160 }, corners),
		Take:   &brush.Take{At: from.Pos[a], Nrm: from.Nrm[a], To: from.Pos[b], ToNrm: from.Nrm[b]},
		Points: brush.Points{on(from, a), far, on(from, e)}, Tilt: []float32{0.1, 0.2, 0.3}, Lean: []float32{0.6, 0.7, 0.8}, Twist: []float32{0, 0.1, 0.9}}
	got, ok := c.Stroke(s, "new")
	if !ok || len(got.Points) != 2 {
		t.Fatalf("carried %v with %d points, want the two that lie on the model", ok, len(got.Points))
	}
	if len(got.Tilt) != 2 || got.Tilt[1] != 0.3 || len(got.Lean) != 2 || got.Lean[0] != 0.6 || got.Lean[1] != 0.8 || len(got.Twist) != 2 || got.Twist[1] != 0.9 {
		t.Errorf("how the pen was held: %v, %v and %v", got.Tilt, got.Lean, got.Twist)
	}
	right, all := 0, 0
	for i := range n {
		if got.Within.Has(i) {
			all++
			if j := n - 1 - i; j >= 100 && j < 160 {
				right++
			}
		}
	}
	if right < 55 || all > 66 {
		t.Errorf("it stays in %d of the 60 faces, and in %d altogether", right, all)
	}
	for what, d := range map[string]float32{
		"the place it takes from": got.Take.At.Sub(from.Pos[a].Mul(1.001)).Length(),
		"its counterpart":         got.Take.To.Sub(from.Pos[b].Mul(1.001)).Length(),
	} {
		if d > 1e-3 {
			t.Errorf("%s lies %v m beside where it was", what, d)
		}
	}
	if s.Take.At != from.Pos[a] || s.Within.Has(0) || len(s.Points) != 3 {
		t.Error("the old stroke was changed")
	}
	// a clone's source that is nowhere near stays as it is; an area that is nowhere ends it
	s.Does, s.Within, s.Take = brush.Clone, nil, &brush.Take{At: far.Pos, Nrm: far.Nrm}
	if got, ok := c.Stroke(s, "new"); !ok || got.Take.At != far.Pos {
		t.Errorf("a source that is nowhere near: %v, %v", got.Take, ok)
	}
	s.Within = &brush.Area{}
	if _, ok := c.Stroke(s, "new"); ok {
		t.Error("a stroke whose area is gone was carried")
	}
}
