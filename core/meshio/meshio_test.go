package meshio

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io/fs"
	"math"
	"runtime"
	"strings"
	"testing"
	"testing/fstest"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/par"
	"velvetgrime/core/sample"
)

func readBytes(name string, data []byte) (*mesh.Model, error) {
	return Read(fstest.MapFS{name: {Data: data}}, name, DefaultLimits)
}

func glb(doc string, bin []byte) []byte {
	for len(doc)%4 != 0 {
		doc += " "
	}
	var b bytes.Buffer
	le := func(v uint32) { _ = binary.Write(&b, binary.LittleEndian, v) }
	b.WriteString("glTF")
	le(2)
	le(uint32(12 + 8 + len(doc) + 8 + len(bin)))
	le(uint32(len(doc)))
	le(0x4E4F534A)
	b.WriteString(doc)
	le(uint32(len(bin)))
	le(0x004E4942)
	b.Write(bin)
	return b.Bytes()
}

// triangle is a GLB of one triangle: 36 bytes of positions, 24 of UVs, 3 indices.
func triangle(edit func(string) string, nan bool) []byte {
	var bin bytes.Buffer
	pos := []float32{0, 0, 0, 1, 0, 0, 0, 1, 0}
	if nan {
		pos[4] = float32(math.NaN())
	}
	_ = binary.Write(&bin, binary.LittleEndian, pos)
	_ = binary.Write(&bin, binary.LittleEndian, []float32{0, 0, 1, 0, 0, 1})
	_ = binary.Write(&bin, binary.LittleEndian, []uint16{0, 1, 2, 0})
	doc := `{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],
"nodes":[{"name":"Plate","mesh":0,"translation":[1,2,3]}],"materials":[{"name":"Tin"}],
"meshes":[{"primitives":[{"attributes":{"POSITION":0,"TEXCOORD_0":1},"indices":2,"material":0}]}],
"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]},
{"bufferView":1,"componentType":5126,"count":3,"type":"VEC2"},{"bufferView":2,"componentType":5123,"count":3,"type":"SCALAR"}],
"bufferViews":[{"buffer":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":24},{"buffer":0,"byteOffset":60,"byteLength":6}],
"buffers":[{"byteLength":68}]}`
	if edit != nil {
		doc = edit(doc)
	}
	return glb(doc, bin.Bytes())
}

func TestReadsGLBWithTransformAndNames(t *testing.T) {
	m, err := readBytes("plate.glb", triangle(nil, false))
	if err != nil {
		t.Fatal(err)
	}
	if len(m.Tri) != 1 || m.Parts[0].Name != "Plate" || m.Sheets[0].Name != "Tin" || !m.Sheets[0].HasUV {
		t.Fatalf("got %d triangles, parts %v, sheets %v", len(m.Tri), m.Parts, m.Sheets)
	}
	if m.Bounds.Min != geom.V3(1, 2, 3) || m.Bounds.Max != geom.V3(2, 3, 3) {
		t.Fatalf("the node's translation is lost: %v", m.Bounds)
	}
	if m.Nrm[0] != geom.V3(0, 0, 1) {
		t.Fatalf("rebuilt normal %v, want +Z", m.Nrm[0])
	}
}

func TestHostileGLBIsRefusedWithPlaceAndReason(t *testing.T) {
	swap := func(a, b string) func(string) string {
		return func(s string) string { return strings.Replace(s, a, b, 1) }
	}
	good := triangle(nil, false)
	short := append([]byte(nil), good...)[:len(good)-20]
	huge := append([]byte(nil), good...)
	binary.LittleEndian.PutUint32(huge[12:], 4_000_000_000)
	for name, c := range map[string]struct {
		data []byte
		want string
	}{
		"truncated":           {short, "cut off"},
		"chunk claims 4 GB":   {huge, "claims 4000000000 bytes"},
		"not a GLB":           {[]byte("hello, this is text and no model at all"), "no glTF mark"},
		"index out of range":  {triangle(swap(`{"bufferView":2,`, `{"bufferView":1,"byteOffset":8,`), false), "vertex 16256 of 3"},
		"NaN position":        {triangle(nil, true), "not a number"},
		"count claims 4 G":    {triangle(swap(`"count":3,"type":"VEC3"`, `"count":4000000000,"type":"VEC3"`), false), "count 4000000000"},
		"count beyond buffer": {triangle(swap(`"count":3,"type":"VEC3"`, `"count":3000000,"type":"VEC3"`), false), "claim more"},
		"view outside buffer": {triangle(swap(`"byteOffset":36`, `"byteOffset":360`), false), "outside the buffer"},
		"negative offset":     {triangle(swap(`"byteOffset":36`, `"byteOffset":-36`), false), ""},
		"buffer lies":         {triangle(swap(`"byteLength":68`, `"byteLength":99999999`), false), "claims 99999999"},
		"own ancestor":        {triangle(swap(`"mesh":0,`, `"mesh":0,"children":[0],`), false), "own ancestor"},
		"needs an extension":  {triangle(swap(`"scene":0`, `"extensionsRequired":["KHR_draco_mesh_compression"],"scene":0`), false), "KHR_draco_mesh_compression"},
		"file outside folder": {triangle(swap(`{"byteLength":68}`, `{"byteLength":68,"uri":"../../etc/passwd"}`), false), "outside the model's folder"},
		"mesh that is not":    {triangle(swap(`"mesh":0`, `"mesh":7`), false), "mesh 7"},
		"no triangles":        {triangle(swap(`"nodes":[0]`, `"nodes":[]`), false), "no triangles"},
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, err := readBytes("bad.glb", c.data)
		runtime.ReadMemStats(&after)
		if err == nil {
			t.Errorf("%s: accepted", name)
			continue
		}
		if !strings.Contains(err.Error(), c.want) || !strings.Contains(err.Error(), "bad.glb") {
			t.Errorf("%s: %q does not say %q and the file", name, err, c.want)
		}
		if grown := after.TotalAlloc - before.TotalAlloc; grown > 4<<20 {
			t.Errorf("%s: refusing took %d bytes of memory", name, grown)
		}
	}
}

const cube = `# a unit cube with UVs on one face
o Crate lid
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
vt 0 0
vt 1 0
vt 1 1
vt 0 1
vn 0 0 1
usemtl Deal board
f 1/1/1 2/2/1 3/3/1 4/4/1
g Rim
usemtl Hoop
f -4 -3 -2
`

func TestReadsOBJ(t *testing.T) {
	m, err := readBytes("crate.obj", []byte(cube))
	if err != nil {
		t.Fatal(err)
	}
	if len(m.Tri) != 3 || len(m.Parts) != 2 || m.Parts[0].Name != "Crate lid" || m.Sheets[1].Name != "Hoop" {
		t.Fatalf("%d triangles, parts %v, sheets %v", len(m.Tri), m.Parts, m.Sheets)
	}
	if !m.Sheets[0].HasUV || m.Sheets[1].HasUV {
		t.Fatalf("UVs: %v; only the first sheet has them", m.Sheets)
	}
	if got := m.UV[m.Tri[0][0]]; got != (geom.Vec2{X: 0, Y: 1}) {
		t.Fatalf("V must grow downward: %v", got)
	}
	if p := m.Facts().Problems; len(p) != 1 || !strings.Contains(p[0], "Hoop") {
		t.Fatalf("problems %v; the sheet without UVs must be named", p)
	}
}

func TestHostileOBJNamesTheLine(t *testing.T) {
	for text, want := range map[string]string{
		"v 0 0 zero\n":                            "line 1",
		"v 0 0 NaN\n":                             "line 1",
		"v 0 0 0\nf 1 2 3\n":                      "line 2",
		"v 0 0 0\nf 1/9 1 1\n":                    "no such UV",
		"v 0 0 0\nf 1 1\n":                        "three are needed",
		"v 0 0 0\nf 1///1 1 1\n":                  "more than three",
		"v 0 0 0\n":                               "no face",
		"v 0 0 0\nf 0 1 1\n":                      "no such vertex",
		"v 1e30 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n": "no place in space",
	} {
		if _, err := readBytes("bad.obj", []byte(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: error %v does not say %q", text, err, want)
		}
	}
}

func TestUDIMTilesBecomeSheets(t *testing.T) {
	text := "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0.1 0.1\nvt 0.9 0.1\nvt 0.1 0.9\nvt 1.1 1.1\nvt 1.9 1.1\nvt 1.1 1.9\nusemtl Hull\nf 1/1 2/2 3/3\nf 1/4 2/5 3/6\n"
	m, err := readBytes("hull.obj", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	if len(m.Sheets) != 2 || m.Sheets[0].Name != "Hull 1001" || m.Sheets[1].Name != "Hull 1012" {
		t.Fatalf("sheets %v, want Hull 1001 and Hull 1012", m.Sheets)
	}
	for _, tri := range m.Tri {
		for _, v := range tri {
			if uv := m.UV[v]; uv.X < 0 || uv.X > 1 || uv.Y < 0 || uv.Y > 1 {
				t.Fatalf("UV %v was not moved into its sheet", uv)
			}
		}
	}
}

// UVs that repeat to the left of and below the first square have no UDIM number.
func TestRepeatedUVsAreFoldedOntoTheFirstSquare(t *testing.T) {
	text := "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0.1 0.1\nvt 0.9 0.1\nvt 0.1 0.9\nvt -0.9 -0.9\nvt -0.1 -0.9\nvt -0.9 -0.1\nusemtl Planks\nf 1/1 2/2 3/3\nf 1/4 2/5 3/6\n"
	m, err := readBytes("planks.obj", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	if len(m.Sheets) != 1 || m.Sheets[0].Name != "Planks" || m.Facts().Sheets[0].Outside != 0 {
		t.Fatalf("sheets %v, %d triangles outside", m.Sheets, m.Facts().Sheets[0].Outside)
	}
}

func TestWriteAndReadAreMirrorImages(t *testing.T) {
	m, err := readBytes("crate.obj", []byte(cube))
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := WriteGLB(&b, m, Options{}); err != nil {
		t.Fatal(err)
	}
	back, err := readBytes("crate.glb", b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	if len(back.Tri) != len(m.Tri) || fmt.Sprint(back.Parts) != fmt.Sprint(m.Parts) || fmt.Sprint(back.Sheets) != fmt.Sprint(m.Sheets) || back.Bounds != m.Bounds {
		t.Fatalf("came back as %d triangles, %v, %v", len(back.Tri), back.Parts, back.Sheets)
	}
}

func fuzz(f *testing.F, name string, seeds ...[]byte) {
	for _, s := range seeds {
		f.Add(s)
	}
	lim := Limits{Bytes: 1 << 20, Triangles: 1 << 16, Vertices: 1 << 16, Depth: 16}
	f.Fuzz(func(t *testing.T, data []byte) {
		var files fs.FS = fstest.MapFS{name: {Data: data}}
		m, err := Read(files, name, lim)
		if p := (*par.Panic)(nil); errors.As(err, &p) {
			t.Fatalf("%v\n%s", p, p.Stack)
		}
		if err != nil {
			return
		}
		for _, tri := range m.Tri {
			for _, v := range tri {
				if int(v) >= len(m.Pos) || len(m.UV) != len(m.Pos) || len(m.Nrm) != len(m.Pos) {
					t.Fatal("an accepted model is not whole")
				}
			}
		}
	})
}

func FuzzGLB(f *testing.F) { fuzz(f, "a.glb", triangle(nil, false), triangle(nil, true)) }
func FuzzGLTF(f *testing.F) {
	seeds := [][]byte{[]byte(`{"asset":{"version":"2.0"},"buffers":[{"byteLength":3,"uri":"data:;base64,AAAA"}]}`)}
	for _, s := range hostile {
		seeds = append(seeds, []byte(s))
	}
	fuzz(f, "a.gltf", seeds...)
}

// hostile are small documents with holes, circles and claims that do not hold.
var hostile = []string{
	`{"asset":{"version":"2.0"},"buffers":[null]}`,
	`{"asset":{"version":"2.0"},"nodes":[null],"scenes":[{"nodes":[0]}]}`,
	`{"asset":{"version":"2.0"},"scenes":[null]}`,
	`{"asset":{"version":"2.0"},"scenes":[null],"scene":0}`,
	`{"asset":{"version":"2.0"},"materials":[null],"scenes":[{"nodes":[]}]}`,
	`{"asset":{"version":"2.0"},"meshes":[null],"nodes":[{"mesh":0}],"scenes":[{"nodes":[0]}]}`,
	`{"asset":{"version":"2.0"},"meshes":[{"primitives":[null]}],"nodes":[{"mesh":0}],"scenes":[{"nodes":[0]}]}`,
	`{"asset":{"version":"2.0"},"accessors":[null],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"nodes":[{"mesh":0}],"scenes":[{"nodes":[0]}]}`,
	`{"asset":{"version":"2.0"},"bufferViews":[null],"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"nodes":[{"mesh":0}],"scenes":[{"nodes":[0]}]}`,
	`{"asset":{"version":"2.0"},"nodes":[{"children":[0]}],"scenes":[{"nodes":[0]}]}`,
	`{"asset":{"version":"2.0"},"nodes":[{"children":[1]},{"children":[0]}],"scenes":[{"nodes":[0]}]}`,
	`{"asset":{"version":"2.0"},"nodes":[{"mesh":-1}],"scenes":[{"nodes":[0,0,0]}]}`,
	`{"asset":{"version":"2.0"},"accessors":[{"componentType":5126,"count":2000000000,"type":"VEC3"}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"nodes":[{"mesh":0}],"scenes":[{"nodes":[0]}]}`,
	`{"asset":{"version":"2.0"},"accessors":[{"componentType":5126,"count":3,"type":"VEC3","sparse":{"count":9,"indices":{"bufferView":4},"values":{"bufferView":-3}}}],"meshes":[{"primitives":[{"attributes":{"POSITION":0},"indices":7}]}],"nodes":[{"mesh":0}],"scenes":[{"nodes":[0]}]}`,
}

// Documents with holes and circles are refused by an error that names the place, never by
// a panic that someone else has to contain.
func TestHostileDocumentsAreRefused(t *testing.T) {
	for i, s := range hostile {
		for _, ext := range []string{".gltf", ".glb"} {
			data := []byte(s)
			if ext == ".glb" {
				data = chunked(s)
			}
			_, err := readBytes("a"+ext, data)
			if p := (*par.Panic)(nil); err == nil || errors.As(err, &p) {
				t.Errorf("%d as %s: %v", i, ext, err)
			}
			if i < 9 && (err == nil || !strings.Contains(err.Error(), "is null")) {
				t.Errorf("%d as %s: the error %v does not name the hole", i, ext, err)
			}
			if _, err := Textures(fstest.MapFS{"a" + ext: {Data: data}}, "a"+ext, DefaultLimits); err != nil {
				if p := (*par.Panic)(nil); errors.As(err, &p) {
					t.Errorf("%d as %s, its textures: %v", i, ext, err)
				}
			}
		}
	}
}

// chunked is a GLB of one JSON chunk.
func chunked(s string) []byte {
	for len(s)%4 != 0 {
		s += " "
	}
	out := []byte("glTF")
	for _, n := range []int{2, 20 + len(s), len(s), 0x4e4f534a} {
		out = append(out, byte(n), byte(n>>8), byte(n>>16), byte(n>>24))
	}
	return append(out, s...)
}

func FuzzOBJ(f *testing.F) { fuzz(f, "a.obj", []byte(cube)) }

// Sheets saved as UDIM tiles are the same sheets when they are read again.
func TestSheetsGoOutAsTilesAndComeBack(t *testing.T) {
	m := sample.Lantern()
	tiled, err := m.AsTiles()
	if err != nil {
		t.Fatal(err)
	}
	if len(tiled.Sheets) != 1 {
		t.Fatalf("%d sheets", len(tiled.Sheets))
	}
	var b bytes.Buffer
	if err := WriteGLB(&b, tiled, Options{}); err != nil {
		t.Fatal(err)
	}
	back, err := readBytes("lantern.glb", b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	if len(back.Sheets) != len(m.Sheets) || len(back.Tri) != len(m.Tri) {
		t.Fatalf("%d sheets and %d triangles came back, %d and %d went out", len(back.Sheets), len(back.Tri), len(m.Sheets), len(m.Tri))
	}
	area := func(m *mesh.Model) map[int]float64 {
		out := map[int]float64{}
		for i, c := range m.Tri {
			p, q, r := m.UV[c[0]], m.UV[c[1]], m.UV[c[2]]
			out[int(m.TriSheet[i])] += math.Abs(float64((q.X-p.X)*(r.Y-p.Y)-(q.Y-p.Y)*(r.X-p.X))) / 2
		}
		return out
	}
	was, is := area(m), area(back)
	for s := range m.Sheets {
		if want := fmt.Sprint(m.Name, " ", 1001+s); back.Sheets[s].Name != want {
			t.Errorf("sheet %d is called %q, want %q", s, back.Sheets[s].Name, want)
		}
		if math.Abs(was[s]-is[s]) > 1e-3*was[s] {
			t.Errorf("%s fills %g of its sheet, %g before", m.Sheets[s].Name, is[s], was[s])
		}
	}
}
