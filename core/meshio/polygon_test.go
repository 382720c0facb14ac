package meshio

import (
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"
	"testing/fstest"

	"velvetgrime/core/geom"
)

// A hollow outline keeps its area and its side on every plane; a fan would cover the
// hollow, and turn triangles over.
func TestHollowPolygonsStayHollow(t *testing.T) {
	// an arrow head, a comb, and a square with a notch whose corners touch a line
	shapes := [][][2]float32{
		{{0, 0}, {4, 0}, {1, 1}, {0, 4}},
		{{0, 0}, {7, 0}, {7, 3}, {6, 3}, {6, 1}, {5, 1}, {5, 3}, {4, 3}, {4, 1}, {3, 1}, {3, 3}, {0, 3}},
		{{0, 0}, {2, 0}, {2, 2}, {1, 2}, {1, 1}, {0, 1}},
	}
	planes := []func(a, b float32) geom.Vec3{
		func(a, b float32) geom.Vec3 { return geom.V3(a, b, 0) },
		func(a, b float32) geom.Vec3 { return geom.V3(b, 0, a) },
		func(a, b float32) geom.Vec3 { return geom.V3(2, a, b) },
		func(a, b float32) geom.Vec3 { return geom.V3(a, b, a+b) },
		func(a, b float32) geom.Vec3 { return geom.V3(-a, b, 1) }, // seen from behind
	}
	for k, s := range shapes {
		flat := 0.0
		for i := range s {
			j := (i + 1) % len(s)
			flat += float64(s[i][0]*s[j][1]-s[j][0]*s[i][1]) / 2
		}
		for start := range s {
			for q, plane := range planes {
				at := func(i int) geom.Vec3 { p := s[(i+start)%len(s)]; return plane(p[0], p[1]) }
				whole, want := 0.0, flat
				if q == 3 {
					want *= math.Sqrt(3)
				}
				var side geom.Vec3
				tris := cut(len(s), at)
				for _, c := range tris {
					n := at(c[1]).Sub(at(c[0])).Cross(at(c[2]).Sub(at(c[0])))
					if side.Dot(n) < 0 {
						t.Fatalf("shape %d from %d on plane %d: a triangle is turned over", k, start, q)
					}
					side = side.Add(n)
					whole += float64(n.Length()) / 2
				}
				if len(tris) != len(s)-2 || math.Abs(whole-want) > 1e-4 {
					t.Errorf("shape %d from %d on plane %d: %d triangles of area %g, want %g", k, start, q, len(tris), whole, want)
				}
			}
		}
	}
	if n := len(cut(2, nil)); n != 0 {
		t.Errorf("two corners make %d triangles", n)
	}
}

// Pictures of a material file are found by their statements, behind options and
// behind the paths of the machine that wrote them.
func TestPicturesOfAMaterialFile(t *testing.T) {
	files := fstest.MapFS{
		"crate.obj":       {Data: []byte("mtllib crate.mtl\n" + cube)},
		"crate.mtl":       {Data: []byte("# made by hand\nnewmtl Tarred planks\nKd 1 1 1\nmap_Kd -s 2 2 1 -clamp on planks wet.png\nmap_Pr C:\\landing\\rough.png\nmap_bump -bm 0.4 dents.png\nmap_d missing.png\nnewmtl Iron\nmap_Kd ../../secret.png\n")},
		"planks wet.png":  {Data: []byte("A")},
		"rough.png":       {Data: []byte("B")},
		"dents.png":       {Data: []byte("C")},
		"other/dents.png": {Data: []byte("D")},
	}
	got, err := Textures(files, "crate.obj", DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	var text []string
	for _, p := range got {
		text = append(text, fmt.Sprintf("%s/%s/%s/%s", p.Material, p.Holds, p.Name, p.Data))
	}
	want := "Tarred planks/base color/planks wet.png/A|Tarred planks/roughness/rough.png/B|Tarred planks/height/dents.png/C"
	if s := strings.Join(text, "|"); s != want {
		t.Errorf("%s\nwant %s", s, want)
	}
}

// One scene of several is read: the first shown, or the one that is named.
func TestAScenesNameChoosesIt(t *testing.T) {
	const file = `{"asset":{"version":"2.0"},"scene":1,"scenes":[{"name":"Tarn","nodes":[0]},{"name":"Lamp","nodes":[1,2]}],
	"nodes":[{"name":"a","mesh":0},{"name":"b","mesh":0},{"name":"c","mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
	"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}],"bufferViews":[{"buffer":0,"byteLength":36}],
	"buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA"}]}`
	for scene, want := range map[string]string{"": "b c", "Tarn": "a", "1": "a", "2": "b c", "Quay": "no scene"} {
		files := fstest.MapFS{"a.gltf": {Data: []byte(file)}, FitFile: {Data: []byte(fmt.Sprintf(`{"scene":%q}`, scene))}}
		m, err := Read(files, "a.gltf", DefaultLimits)
		if err != nil {
			if want != "no scene" || !strings.Contains(err.Error(), `no scene "Quay"; the file has 1 "Tarn", 2 "Lamp"`) {
				t.Errorf("%q: %v", scene, err)
			}
			continue
		}
		var parts []string
		for _, p := range m.Parts {
			parts = append(parts, p.Name)
		}
		if s := strings.Join(parts, " "); s != want {
			t.Errorf("%q: %s, want %s", scene, s, want)
		}
	}
}

// A reading is told of, and ends when it is no longer wanted.
func TestAReadingCanBeStopped(t *testing.T) {
	var b strings.Builder
	b.WriteString(cube)
	for b.Len() < 1<<20 {
		b.WriteString("v 0 0 0\n")
	}
	enough := errors.New("enough")
	var told []float64
	lim := DefaultLimits
	lim.Tell = func(share float64) error {
		told = append(told, share)
		if share > 0.5 {
			return enough
		}
		return nil
	}
	_, err := Read(fstest.MapFS{"long.obj": {Data: []byte(b.String())}}, "long.obj", lim)
	if !errors.Is(err, enough) || len(told) < 3 || told[len(told)-1] > 0.7 {
		t.Errorf("%v after %v", err, told)
	}
}

// What a material file says cannot hang or crash the reading.
func FuzzMTL(f *testing.F) {
	f.Add([]byte("newmtl a\nmap_Kd -s 1 1 1 b.png\nmap_bump -bm\nnorm -o 1\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		_, _ = Textures(fstest.MapFS{"a.obj": {Data: []byte("mtllib a.mtl\n")}, "a.mtl": {Data: data}, "b.png": {Data: []byte("x")}}, "a.obj", DefaultLimits)
	})
}
