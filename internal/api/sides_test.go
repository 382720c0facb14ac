package api_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"testing"
	"testing/fstest"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/sample"
)

// imported is the bollard as the service holds it.
func imported(t *testing.T) *mesh.Model {
	t.Helper()
	var b bytes.Buffer
	if err := meshio.WriteGLB(&b, sample.Bollard(), meshio.Options{}); err != nil {
		t.Fatal(err)
	}
	m, err := meshio.Read(fstest.MapFS{"bollard.glb": {Data: b.Bytes()}}, "bollard.glb", meshio.Limits{Bytes: 1 << 24, Triangles: 1 << 20, Vertices: 1 << 20, Depth: 8})
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// halves returns a face of the bollard's right half that is well to the side, and the face
// of the left half that mirrors it.
func halves(t *testing.T, m *mesh.Model) (right, left int) {
	t.Helper()
	middle := func(f int) geom.Vec3 {
		k := m.Tri[f]
		return m.Pos[k[0]].Add(m.Pos[k[1]]).Add(m.Pos[k[2]]).Mul(1.0 / 3)
	}
	for a := range m.Tri {
		p := middle(a)
		if p.X < 0.08 || p.Z < 0.02 {
			continue
		}
		for b := range m.Tri {
			q := middle(b)
			if q.X < 0 && p.Sub(geom.V3(-q.X, q.Y, q.Z)).Length() < 1e-5 {
				if c, err := m.Match(a, b); err == nil && c.Count > 50 {
					return a, b
				}
			}
		}
	}
	t.Fatal("the bollard has no mirrored faces")
	return 0, 0
}

// What was painted by hand on one side is copied, flipped and exchanged to the other by two
// picked faces; each is one entry that can be taken back, and what is not there is refused.
func TestStrokesAreBroughtToTheOtherSide(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	m := imported(t)
	right, left := halves(t, m)
	w := s.open(id, "ann")
	w.send(addCoat)
	w.until("the new coat", layers(2))
	k := m.Tri[right]
	p, n := m.Pos[k[0]].Add(m.Pos[k[1]]).Add(m.Pos[k[2]]).Mul(1.0/3), m.FaceNormal(right)
	point := func(x float32) string {
		return fmt.Sprintf("%g,%g,%g,%g,%g,%g,1", p.X, p.Y+x, p.Z, n.X, n.Y, n.Z)
	}
	w.send(`{"t":"stroke.begin","layer":"coat","step":"h","stroke":{"id":"st1","radius":0.01,"strength":1,"hardness":0.5,"values":{"mask":[0]}}}`)
	w.send(`{"t":"stroke.add","points":[%s,%s]}`, point(0), point(0.004))
	w.send(`{"t":"stroke.end","id":3}`)
	before := w.until("the stroke", func(s state) bool { return s.T == "doc" && s.Strokes["coat/h"] == 1 })

	type sides struct {
		T                        string
		ID                       int64
		Count, Of, Strokes, Left int
		Missing                  []float32
	}
	ask := func(id int64, kind, layer string) (got sides) {
		w.send(`{"t":"sides","id":%d,"kind":"%s","seq":%d,"index":%d,"layer":"%s","step":"h"}`, id, kind, right, left, layer)
		w.untilRaw(kind, func(_ state, raw []byte) bool {
			got = sides{}
			_ = json.Unmarshal(raw, &got)
			return got.T == "sides" && got.ID == id
		})
		return got
	}
	if got := ask(10, "show", ""); got.Count < 50 || got.Of < got.Count || len(got.Missing)%9 != 0 {
		t.Errorf("what two faces match: %d of %d, %d numbers of what is missing", got.Count, got.Of, len(got.Missing))
	}
	seq := before.Seq
	for i, c := range []struct {
		kind string
		want int // strokes then
	}{{"copy", 2}, {"flip", 1}, {"exchange", 1}} {
		if got := ask(int64(20+i), c.kind, "coat"); got.Strokes != 1 || got.Left != 0 {
			t.Errorf("%s brings %d strokes and leaves %d", c.kind, got.Strokes, got.Left)
		}
		seq++
		w.until(c.kind, func(s state) bool { return s.T == "doc" && s.Seq == seq && s.Strokes["coat/h"] == c.want })
		w.send(`{"t":"undo"}`)
		seq++
		w.until("undone", func(s state) bool { return s.T == "doc" && s.Seq == seq && s.Strokes["coat/h"] == 1 })
	}
	for i, bad := range []string{
		`"kind":"copy","seq":%d,"index":%d,"layer":"gone","step":"h"`,
		`"kind":"copy","seq":%d,"index":%d,"layer":"coat","step":"gone"`,
		`"kind":"copy","seq":%d,"index":99999999,"layer":"coat","step":"h","x":%d`,
	} {
		w.send(`{"t":"sides","id":%d,`+bad+`}`, 40+i, right, left)
		got := w.until("the refusal", func(s state) bool { return s.T == "error" })
		if got.Message == "" {
			t.Errorf("%s is refused without a word", bad)
		}
	}
}
