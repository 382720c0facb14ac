package meshio

import (
	"encoding/json"
	"fmt"
	"io/fs"
	"math"
	"path"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// Fit says what a file's numbers mean. glTF is in metres with Y up by its standard;
// other kinds of file do not tell.
type Fit struct {
	Unit float64 `json:"unit,omitempty" doc:"metres a unit of the file; 0: guessed"`
	Up   string  `json:"up,omitempty" enum:"y,z" doc:"axis of the file that points up; empty: guessed"`
	// Which scene of a glTF file is read.
	Scene string `json:"scene,omitempty" doc:"name of a scene, or its number from 1; empty: the one that the file shows first"`
	// Which UVs of a glTF file that has several are painted on.
	UV int `json:"uv,omitempty" minimum:"0" maximum:"8" doc:"number of a set of UVs from 1; 0: the first"`
}

// FitFile is the name under which a Fit lies beside a model.
const FitFile = "velvetgrime-fit.json"

// Check returns what is wrong with the choice.
func (f Fit) Check() error {
	if !(f.Unit >= 0 && f.Unit <= 1e4) {
		return fmt.Errorf("a unit of %v m is outside 0 to 10 km", f.Unit)
	}
	if f.UV < 0 || f.UV > 8 {
		return fmt.Errorf("there is no set %d of UVs; they are counted from 1", f.UV)
	}
	if len(f.Scene) > 1000 {
		return fmt.Errorf("the scene's name is too long")
	}
	if f.Up != "" && f.Up != "y" && f.Up != "z" {
		return fmt.Errorf("up %q is neither y nor z", f.Up)
	}
	return nil
}

// fitOf reads the Fit beside a model, if there is one.
func fitOf(files fs.FS, name string) (f Fit, err error) {
	b, err := fs.ReadFile(files, path.Join(path.Dir(name), FitFile))
	if err != nil {
		return f, nil
	}
	if err := json.Unmarshal(b, &f); err != nil {
		return f, fmt.Errorf("%s: %w", FitFile, err)
	}
	return f, f.Check()
}

// Guess returns what a file's numbers most likely mean: things that are painted are
// a few centimetres to some metres large, so a model of 20 units and more is in
// centimetres, of 200 and more in millimetres; scanners and printers (PLY, STL) have
// Z up, the others Y.
func Guess(name string, size float64) Fit {
	f := Fit{Unit: 1, Up: "y"}
	form := formOf(name)
	if form != nil {
		f.Up = form.Up
	}
	if form != nil && form.Metres {
		return f
	}
	switch {
	case size >= 200:
		f.Unit = 0.001
	case size >= 20:
		f.Unit = 0.01
	}
	return f
}

// fit brings a model to metres and Y up.
func fit(m *mesh.Model, name string, f Fit) {
	box := geom.EmptyBox()
	for _, p := range m.Pos {
		if p.Finite() {
			box = box.Grow(p)
		}
	}
	if box.Empty() {
		return
	}
	s := box.Size()
	g := Guess(name, float64(max(s.X, s.Y, s.Z)))
	if f.Unit == 0 {
		f.Unit = g.Unit
	}
	if f.Up == "" {
		f.Up = g.Up
	}
	if f.Unit == 1 && f.Up == "y" {
		return
	}
	turn := func(v geom.Vec3) geom.Vec3 {
		if f.Up == "z" {
			return geom.V3(v.X, v.Z, -v.Y)
		}
		return v
	}
	for i := range m.Pos {
		m.Pos[i] = turn(m.Pos[i]).Mul(float32(f.Unit))
		m.Nrm[i] = turn(m.Nrm[i])
	}
}

// builder collects the triangles of a file that has one part and one material.
type builder struct {
	m   *mesh.Model
	lim Limits
}

func newBuilder(part string, lim Limits) *builder {
	return &builder{&mesh.Model{Parts: []mesh.Part{{Name: part}}, Sheets: []mesh.Sheet{{Name: "Plain"}}}, lim}
}

// face adds a polygon; corners are checked against the vertices.
func (b *builder) face(corners ...uint32) error {
	if len(corners) < 3 {
		return fmt.Errorf("a face has %d corners; three are needed", len(corners))
	}
	for _, c := range corners {
		if int(c) >= len(b.m.Pos) {
			return fmt.Errorf("a face uses vertex %d of %d", c, len(b.m.Pos))
		}
	}
	for _, c := range cut(len(corners), func(i int) geom.Vec3 { return b.m.Pos[corners[i]] }) {
		if len(b.m.Tri) >= b.lim.Triangles {
			return fmt.Errorf("more than %d triangles", b.lim.Triangles)
		}
		t := [3]uint32{corners[c[0]], corners[c[1]], corners[c[2]]}
		if t[0] == t[1] || t[1] == t[2] || t[0] == t[2] {
			continue
		}
		b.m.Tri = append(b.m.Tri, t)
		b.m.TriPart, b.m.TriSheet = append(b.m.TriPart, 0), append(b.m.TriSheet, 0)
	}
	return nil
}

func finite(v float64) bool { return !math.IsNaN(v) && !math.IsInf(v, 0) }
