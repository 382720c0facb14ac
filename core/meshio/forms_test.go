package meshio

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"runtime"
	"strings"
	"testing"
	"testing/fstest"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/sample"
)

// A pyramid of a square and four triangles, 1 unit wide, 1 high along Z.
var pyramid = struct {
	pos   [][3]float32
	faces [][]int
}{[][3]float32{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0.5, 0.5, 1}}, [][]int{{3, 2, 1, 0}, {0, 1, 4}, {1, 2, 4}, {2, 3, 4}, {3, 0, 4}}}

func plyOf(form string) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "ply\nformat %s 1.0\ncomment made by hand\nelement vertex 5\nproperty float x\nproperty double y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement face 5\nproperty uchar flags\nproperty list uchar int vertex_indices\nend_header\n", form)
	var order binary.ByteOrder = binary.LittleEndian
	if form == "binary_big_endian" {
		order = binary.BigEndian
	}
	put := func(v any) {
		if form == "ascii" {
			fmt.Fprintf(&b, "%v ", v)
		} else {
			_ = binary.Write(&b, order, v)
		}
	}
	for i, p := range pyramid.pos {
		put(p[0])
		put(float64(p[1]))
		put(p[2])
		put(uint8(51 * i))
		put(uint8(0))
		put(uint8(255))
	}
	for _, f := range pyramid.faces {
		put(uint8(7))
		put(uint8(len(f)))
		for _, c := range f {
			put(int32(c))
		}
	}
	return b.Bytes()
}

func stlOf(ascii bool) []byte {
	var b bytes.Buffer
	var tris [][3]int
	for _, f := range pyramid.faces {
		for i := 1; i+1 < len(f); i++ {
			tris = append(tris, [3]int{f[0], f[i], f[i+1]})
		}
	}
	if ascii {
		b.WriteString("solid pyramid\n")
		for _, t := range tris {
			b.WriteString("facet normal 0 0 0\n outer loop\n")
			for _, c := range t {
				p := pyramid.pos[c]
				fmt.Fprintf(&b, "  vertex %g %g %g\n", p[0], p[1], p[2])
			}
			b.WriteString(" endloop\nendfacet\n")
		}
		b.WriteString("endsolid pyramid\n")
		return b.Bytes()
	}
	b.Write(make([]byte, 80))
	_ = binary.Write(&b, binary.LittleEndian, uint32(len(tris)))
	for _, t := range tris {
		_ = binary.Write(&b, binary.LittleEndian, [3]float32{})
		for _, c := range t {
			_ = binary.Write(&b, binary.LittleEndian, pyramid.pos[c])
		}
		_ = binary.Write(&b, binary.LittleEndian, uint16(0))
	}
	return b.Bytes()
}

func readAs(t *testing.T, name string, data []byte, fit string) *mesh.Model {
	t.Helper()
	files := fstest.MapFS{name: {Data: data}}
	if fit != "" {
		files[FitFile] = &fstest.MapFile{Data: []byte(fit)}
	}
	m, err := Read(files, name, DefaultLimits)
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	return m
}

// The same pyramid from every form: closed, of volume 1/3, standing on the ground.
func TestScansAreRead(t *testing.T) {
	for name, data := range map[string][]byte{
		"ascii.ply": plyOf("ascii"), "little.ply": plyOf("binary_little_endian"), "big.ply": plyOf("binary_big_endian"),
		"ascii.stl": stlOf(true), "binary.stl": stlOf(false),
	} {
		m := readAs(t, name, data, "")
		if len(m.Tri) != 6 {
			t.Errorf("%s: %d triangles, want 6", name, len(m.Tri))
		}
		volume := 0.0
		for i, tri := range m.Tri {
			volume += float64(m.Pos[tri[0]].Dot(m.FaceNormal(i))) / 6
			for k := range 3 {
				if m.Neighbor[i][k].Tri < 0 {
					t.Fatalf("%s: triangle %d has an open edge", name, i)
				}
			}
		}
		if math.Abs(volume-1.0/3) > 1e-6 {
			t.Errorf("%s: volume %v, want 1/3", name, volume)
		}
		if s := m.Bounds; s.Max.Y != 1 || s.Min.Y != 0 {
			t.Errorf("%s: Z of the file is not up: %v", name, s)
		}
		if strings.HasSuffix(name, "ply") {
			found := false
			for v, p := range m.Pos {
				if p == (geom.V3(1, 0, 0)) {
					found = found || m.Color[v] == geom.V3(0.2, 0, 1)
				}
			}
			if !found {
				t.Errorf("%s: the vertex colours are lost: %v", name, m.Color)
			}
		}
	}
}

func TestUnitsAndUpAreGuessedOrChosen(t *testing.T) {
	if m := readAs(t, "a.stl", stlOf(true), `{"unit":0.01,"up":"y"}`); m.Bounds.Max.Z < 0.0099 || m.Bounds.Max.Z > 0.0101 {
		t.Errorf("chosen centimetres, Y up: %v", m.Bounds)
	}
	for size, want := range map[float64]float64{0.4: 1, 19: 1, 46: 0.01, 460: 0.001} {
		if g := Guess("x.obj", size); g.Unit != want || g.Up != "y" {
			t.Errorf("%v units of an OBJ: %+v", size, g)
		}
		if g := Guess("x.glb", size); g.Unit != 1 {
			t.Errorf("glTF is in metres: %+v", g)
		}
	}
	files := fstest.MapFS{"a.stl": {Data: stlOf(true)}, FitFile: {Data: []byte(`{"unit":-1}`)}}
	if _, err := Read(files, "a.stl", DefaultLimits); err == nil {
		t.Error("a unit below 0 was taken")
	}
}

func TestDamagedScansAreRefusedWithTheirPlace(t *testing.T) {
	cut := func(b []byte, n int) []byte { return b[:len(b)-n] }
	for name, c := range map[string]struct {
		file string
		data []byte
		want string
	}{
		"no mark":           {"a.ply", []byte("plx"), "byte 0"},
		"endless header":    {"a.ply", []byte("ply\nformat ascii 1.0\n"), "does not end"},
		"unknown type":      {"a.ply", []byte("ply\nformat ascii 1.0\nelement vertex 1\nproperty quad x\nend_header\n"), "line 4"},
		"too many claimed":  {"a.ply", []byte("ply\nformat binary_little_endian 1.0\nelement vertex 900000000\nproperty float x\nend_header\nabcd"), "claim more"},
		"cut off":           {"a.ply", cut(plyOf("binary_little_endian"), 9), "face 4"},
		"missing vertex":    {"a.ply", bytes.Replace(plyOf("ascii"), []byte("3 0 1 4"), []byte("3 0 1 9"), 1), "face 1"},
		"cloud of points":   {"a.ply", []byte("ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nend_header\n1\n"), "no face"},
		"stl cut off":       {"a.stl", cut(stlOf(false), 7), "cut off"},
		"stl of no numbers": {"a.stl", bytes.Replace(stlOf(true), []byte("vertex 0 0 0"), []byte("vertex 0 x 0"), 1), "line"},
		"stl two corners":   {"a.stl", bytes.Replace(stlOf(true), []byte("  vertex 1 1 0\n"), nil, 1), "corners"},
		"empty":             {"a.stl", nil, "byte 0"},
	} {
		_, err := Read(fstest.MapFS{c.file: {Data: c.data}}, c.file, DefaultLimits)
		if err == nil || !strings.Contains(err.Error(), c.want) || !strings.Contains(err.Error(), c.file) {
			t.Errorf("%s: %v, want something about %q", name, err, c.want)
		}
	}
}

// A model written as OBJ comes back with its triangles, parts, sheets and UVs.
func TestOBJIsReadBack(t *testing.T) {
	m := sample.Bollard()
	var b bytes.Buffer
	if err := WriteOBJ(&b, m); err != nil {
		t.Fatal(err)
	}
	back := readAs(t, "bollard.obj", b.Bytes(), `{"unit":1,"up":"y"}`)
	if len(back.Tri) != len(m.Tri) || len(back.Parts) != len(m.Parts) || len(back.Sheets) != len(m.Sheets) || back.Islands != m.Islands {
		t.Fatalf("%d triangles, %d parts, %d sheets, %d islands; want %d, %d, %d, %d", len(back.Tri), len(back.Parts), len(back.Sheets), back.Islands, len(m.Tri), len(m.Parts), len(m.Sheets), m.Islands)
	}
	if a, b := back.Bounds.Size(), m.Bounds.Size(); a.Sub(b).Length() > 1e-5 {
		t.Errorf("size %v, want %v", a, b)
	}
}

func FuzzPLY(f *testing.F) {
	fuzz(f, "a.ply", plyOf("ascii"), plyOf("binary_little_endian"), plyOf("binary_big_endian"))
}
func FuzzSTL(f *testing.F) { fuzz(f, "a.stl", stlOf(true), stlOf(false)) }

// Every form reads what it writes, is found by its name in any case, and is told to people.
func TestEveryFormReadsWhatItWrites(t *testing.T) {
	m, err := Read(fstest.MapFS{"a.obj": {Data: []byte(cube)}}, "a.obj", DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	written := 0
	for _, f := range Forms() {
		if !Reads("SKIFF"+strings.ToUpper(f.Ext)) || !strings.Contains(Readable(), f.Ext) || f.Label == "" || f.Media == "" {
			t.Errorf("%+v is not told, or not known by its name", f)
		}
		var b bytes.Buffer
		media, err := Write(&b, m, "a"+f.Ext)
		if !f.Writes {
			if err == nil || !strings.Contains(err.Error(), ".glb or .obj") {
				t.Errorf("%s is written, or the refusal does not say what can be: %v", f.Ext, err)
			}
			continue
		}
		written++
		back, rerr := Read(fstest.MapFS{"a" + f.Ext: {Data: b.Bytes()}, FitFile: {Data: []byte(`{"unit":1,"up":"y"}`)}}, "a"+f.Ext, DefaultLimits)
		if err != nil || rerr != nil || media != f.Media || Media("a"+f.Ext) != media {
			t.Errorf("%s: %v %v %s", f.Ext, err, rerr, media)
			continue
		}
		if len(back.Tri) != len(m.Tri) || back.Bounds != m.Bounds {
			t.Errorf("%s: %d triangles in %v come back as %d in %v", f.Ext, len(m.Tri), m.Bounds, len(back.Tri), back.Bounds)
		}
	}
	if written < 2 {
		t.Errorf("%d forms are written", written)
	}
	if Reads("a.txt") || Media("a.png") != "" {
		t.Error("what is no model counts as one")
	}
}

// A file weighs what its nodes make of it, not what its bytes are: each node has its own copy
// of its mesh, and an accessor need not have bytes at all.
func TestWhatASmallFileAsksFor(t *testing.T) {
	doc := func(nodes, vertices int) []byte {
		return fmt.Appendf(nil, `{"asset":{"version":"2.0"},"accessors":[{"componentType":5126,"count":%d,"type":"VEC3"}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"nodes":[%s{"mesh":0}]}`,
			vertices, strings.Repeat(`{"mesh":0},`, nodes-1))
	}
	weigh := func(b []byte) int64 { return Weigh(fstest.MapFS{"a.gltf": {Data: b}}, "a.gltf", DefaultLimits) }
	one, many := doc(1, 3000), doc(100, 3000)
	if w := weigh(one); w < 3000*perVertex+1000*perTriangle || w > 3000*perVertex+1000*perTriangle+int64(len(one))*perBuffer {
		t.Errorf("3,000 vertices weigh %d", w)
	}
	if w, w1 := weigh(many)-int64(len(many))*perBuffer, weigh(one)-int64(len(one))*perBuffer; w != 100*w1 {
		t.Errorf("a hundred nodes on one mesh weigh %d, one %d", w, w1)
	}
	if w, most := weigh(doc(1000, 1<<30)), int64(DefaultLimits.Vertices)*perVertex+int64(DefaultLimits.Triangles)*perTriangle; w > most+1<<20 {
		t.Errorf("what is over the limits weighs %d; it is refused at %d", w, most)
	}
	for _, bad := range []string{``, `{`, `[]`, `{"nodes":[{"mesh":7}]}`, `{"accessors":[{"count":-5}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"nodes":[{"mesh":0}]}`} {
		if w := weigh([]byte(bad)); w < 0 || w > 1<<16 {
			t.Errorf("%q weighs %d", bad, w)
		}
	}
	// measured: what reading really takes lies below
	m := sample.Gull()
	var b bytes.Buffer
	if err := WriteGLB(&b, m, Options{}); err != nil {
		t.Fatal(err)
	}
	files := fstest.MapFS{"a.glb": {Data: b.Bytes()}}
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	if _, err := Read(files, "a.glb", DefaultLimits); err != nil {
		t.Fatal(err)
	}
	runtime.ReadMemStats(&after)
	w := Weigh(files, "a.glb", DefaultLimits)
	if all := int64(after.TotalAlloc - before.TotalAlloc); all > 2*w || w > 4*all { // all that was ever allocated, freed or not
		t.Errorf("%d triangles: allocated %d in all, weighed %d", len(m.Tri), all, w)
	}
}
