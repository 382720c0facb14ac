package meshio

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// rig is a glTF file as others make them: a skinned, morphing, animated flag of two materials, a mesh
// that two nodes show, one of them mirrored, a lamp, a camera, words of somebody's own, pictures within.
type rig struct {
	bin       []byte
	views     []map[string]any
	accessors []map[string]any
}

func (r *rig) put(data []byte) int {
	r.bin = append(r.bin, make([]byte, -len(r.bin)&3)...)
	r.views = append(r.views, map[string]any{"buffer": 0, "byteOffset": len(r.bin), "byteLength": len(data)})
	r.bin = append(r.bin, data...)
	return len(r.views) - 1
}

func (r *rig) floats(kind string, n int, v ...float32) int {
	var b []byte
	for _, x := range v {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(x))
	}
	a := map[string]any{"bufferView": r.put(b), "componentType": 5126, "count": len(v) / n, "type": kind}
	lo, hi := make([]float32, n), make([]float32, n)
	copy(lo, v)
	copy(hi, v)
	for i, x := range v {
		lo[i%n], hi[i%n] = min(lo[i%n], x), max(hi[i%n], x)
	}
	a["min"], a["max"] = lo, hi
	r.accessors = append(r.accessors, a)
	return len(r.accessors) - 1
}

func (r *rig) bytes(kind string, component, n int, v ...byte) int {
	r.accessors = append(r.accessors, map[string]any{
		"bufferView": r.put(v), "componentType": component, "count": len(v) / n, "type": kind,
	})
	return len(r.accessors) - 1
}

// fakePicture is bytes that are recognised, not decoded.
func fakePicture(word string) []byte { return []byte("\x89PNG\r\n\x1a\n" + strings.Repeat(word, 40)) }

func newRig(t *testing.T) []byte {
	t.Helper()
	r := &rig{}
	old, kept := r.put(fakePicture("superseded ")), r.put(fakePicture("the sail maker's "))
	pos := r.floats("VEC3", 3, 0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0)
	nrm := r.floats("VEC3", 3, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1)
	uv := r.floats("VEC2", 2, 0.1, 0.9, 0.9, 0.9, 0.9, 0.1, 0.1, 0.1)
	second := r.floats("VEC2", 2, 0, 0, 1, 0, 1, 1, 0, 1)
	idx := r.bytes("SCALAR", 5121, 1, 0, 1, 2, 0, 2, 3)
	joints := r.bytes("VEC4", 5121, 4, 0, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0)
	weights := r.floats("VEC4", 4, 1, 0, 0, 0, 1, 0, 0, 0, 0.5, 0.5, 0, 0, 0.25, 0.75, 0, 0)
	morph := r.floats("VEC3", 3, 0, 0, 0.1, 0, 0, 0.2, 0, 0, 0.3, 0, 0, 0.4)
	bind := r.floats("MAT4", 16, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1)
	times := r.floats("SCALAR", 1, 0, 1)
	turns := r.floats("VEC4", 4, 0, 0, 0, 1, 0, 0, 1, 0)
	delete(r.accessors[bind], "min")
	delete(r.accessors[bind], "max")
	doc := map[string]any{
		"asset": map[string]any{"version": "2.0", "generator": "the sail loft"}, "scene": 0,
		"scenes":         []any{map[string]any{"nodes": []int{0, 1, 2, 3, 4, 5}}},
		"extensionsUsed": []string{"KHR_lights_punctual", "KHR_materials_clearcoat", "LOFT_seams"},
		"extensions":     map[string]any{"KHR_lights_punctual": map[string]any{"lights": []any{map[string]any{"type": "point"}}}},
		"cameras":        []any{map[string]any{"type": "perspective", "perspective": map[string]any{"yfov": 0.7, "znear": 0.01}}},
		"nodes": []any{
			map[string]any{"name": "Flag", "mesh": 0, "skin": 0, "extras": map[string]any{"sewn": "by <hand> & needle"}},
			map[string]any{"name": "Root"}, map[string]any{"name": "Tip", "translation": []int{1, 0, 0}, "camera": 0},
			map[string]any{"name": "Block", "mesh": 1, "translation": []int{3, 0, 0}},
			map[string]any{"name": "Block, other side", "mesh": 1, "translation": []int{5, 0, 0}, "scale": []float64{-1, 2, 1}},
			map[string]any{"name": "Lamp", "extensions": map[string]any{"KHR_lights_punctual": map[string]int{"light": 0}}},
		},
		"skins": []any{map[string]any{"joints": []int{1, 2}, "inverseBindMatrices": bind}},
		"animations": []any{map[string]any{
			"channels": []any{map[string]any{"sampler": 0, "target": map[string]any{"node": 2, "path": "rotation"}}},
			"samplers": []any{map[string]int{"input": times, "output": turns}},
		}},
		"meshes": []any{
			map[string]any{"name": "Flag", "weights": []float64{0.5}, "primitives": []any{map[string]any{
				"attributes": map[string]int{"POSITION": pos, "NORMAL": nrm, "TEXCOORD_0": uv, "TEXCOORD_1": second, "JOINTS_0": joints, "WEIGHTS_0": weights},
				"indices":    idx, "material": 0, "targets": []any{map[string]int{"POSITION": morph}}, "extras": map[string]int{"seam": 7},
			}}},
			map[string]any{"name": "Block", "primitives": []any{map[string]any{
				"attributes": map[string]int{"POSITION": pos, "NORMAL": nrm, "TEXCOORD_0": uv}, "indices": idx, "material": 1,
			}}},
			map[string]any{"name": "Spare", "primitives": []any{map[string]any{
				"attributes": map[string]int{"POSITION": pos, "NORMAL": nrm, "TEXCOORD_0": uv}, "indices": idx, "material": 2,
			}}},
		},
		"materials": []any{
			map[string]any{"name": "Canvas", "doubleSided": true, "alphaMode": "MASK", "alphaCutoff": 0.3,
				"pbrMetallicRoughness": map[string]any{"baseColorTexture": map[string]int{"index": 0}, "metallicFactor": 0},
				"extensions":           map[string]any{"KHR_materials_clearcoat": map[string]int{"clearcoatFactor": 1}, "LOFT_seams": map[string]int{"width": 2}}},
			map[string]any{"name": "Oak", "pbrMetallicRoughness": map[string]any{"baseColorTexture": map[string]int{"index": 0}}},
			map[string]any{"name": "Label", "pbrMetallicRoughness": map[string]any{"baseColorTexture": map[string]int{"index": 1}}},
		},
		"textures":    []any{map[string]int{"source": 0}, map[string]int{"source": 1}},
		"images":      []any{map[string]any{"bufferView": old, "mimeType": "image/png"}, map[string]any{"bufferView": kept, "mimeType": "image/png"}},
		"accessors":   r.accessors,
		"bufferViews": r.views,
		"buffers":     []any{map[string]int{"byteLength": (len(r.bin) + 3) &^ 3}},
	}
	head, err := json.Marshal(doc)
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := container(&b, head, r.bin, nil, (len(r.bin)+3)&^3); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func pictureOf(word string) *Picture {
	return &Picture{Name: word + ".png", Media: "image/png", Body: bytes.NewReader(fakePicture(word))}
}

// opened is a file with what its accessors hold.
type opened struct {
	r   *gltfReader
	m   *mesh.Model
	top map[string]any
	raw []byte
}

func open(t *testing.T, files fstest.MapFS, name string) *opened {
	t.Helper()
	m, r, err := readTraced(files, name, DefaultLimits, true)
	if err != nil {
		t.Fatal(err)
	}
	o := &opened{r: r, m: m, raw: files[name].Data}
	if err := json.Unmarshal(r.json, &o.top); err != nil {
		t.Fatal(err)
	}
	return o
}

// holds is an accessor's elements as bytes.
func (o *opened) holds(t *testing.T, i int) string {
	t.Helper()
	a := o.r.doc.Accessors[i]
	n := map[string]int{"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}[o.top["accessors"].([]any)[i].(map[string]any)["type"].(string)]
	d, err := o.r.dense(i, a, n*componentSize[a.ComponentType])
	if err != nil {
		t.Fatal(err)
	}
	return string(d)
}

func inserted(t *testing.T, s *Scene, kind string) (*opened, fstest.MapFS) {
	t.Helper()
	files := fstest.MapFS{}
	put := func(name string, file func(io.Writer) error) error {
		var b bytes.Buffer
		err := file(&b)
		files[name] = &fstest.MapFile{Data: b.Bytes()}
		return err
	}
	s.Put, s.Name = put, "flag"
	if err := put("flag."+kind, func(w io.Writer) error { return WriteScene(w, s, kind) }); err != nil {
		t.Fatal(err)
	}
	return open(t, files, "flag."+kind), files
}

// What is painted goes into the very file that came in: nodes, skins, animations, morphs, cameras,
// lights, words of somebody's own and materials that nobody painted stay as they were.
func TestMapsGoIntoTheFileThatCameIn(t *testing.T) {
	files := fstest.MapFS{"flag.glb": {Data: newRig(t)}}
	was := open(t, files, "flag.glb")
	if len(was.m.Sheets) != 2 {
		t.Fatalf("sheets %v", was.m.Sheets)
	}
	s := &Scene{Model: was.m, Original: &Original{files, "flag.glb"}, Maps: []*Maps{
		{BaseColor: pictureOf("canvas"), ORM: pictureOf("packed"), Coat: pictureOf("lacquer"), Fuzz: pictureOf("nap"), Glow: 3, Emissive: pictureOf("glow")},
		{BaseColor: pictureOf("oak"), ORM: pictureOf("grain"), Transparent: true},
	}}
	for _, kind := range []string{"glb", "gltf"} {
		is, out := inserted(t, s, kind)
		for _, key := range []string{"asset", "scene", "scenes", "nodes", "skins", "animations", "cameras", "meshes", "extensions", "accessors"} {
			if a, b := fmt.Sprint(was.top[key]), fmt.Sprint(is.top[key]); a != b {
				t.Errorf("%s: %s became %s", kind, a, b)
			}
		}
		for i := range was.r.doc.Accessors {
			if was.holds(t, i) != is.holds(t, i) {
				t.Errorf("%s: accessor %d holds something else", kind, i)
			}
		}
		mats := is.top["materials"].([]any)
		canvas, label := mats[0].(map[string]any), mats[2].(map[string]any)
		if fmt.Sprint(label) != fmt.Sprint(was.top["materials"].([]any)[2]) {
			t.Errorf("%s: the material that nobody painted became %v", kind, label)
		}
		e := canvas["extensions"].(map[string]any)
		if canvas["doubleSided"] != true || canvas["alphaMode"] != nil || canvas["alphaCutoff"] != nil || e["LOFT_seams"] == nil ||
			e["KHR_materials_sheen"] == nil || e["KHR_materials_emissive_strength"].(map[string]any)["emissiveStrength"] != 3.0 ||
			e["KHR_materials_clearcoat"].(map[string]any)["clearcoatTexture"] == nil || canvas["normalTexture"] != nil {
			t.Errorf("%s: the painted material is %v", kind, canvas)
		}
		if oak := mats[1].(map[string]any); oak["alphaMode"] != "BLEND" {
			t.Errorf("%s: the transparent material is %v", kind, oak)
		}
		used := fmt.Sprint(is.top["extensionsUsed"])
		for _, n := range []string{"KHR_lights_punctual", "LOFT_seams", "KHR_materials_sheen", "KHR_materials_clearcoat", "KHR_materials_emissive_strength"} {
			if strings.Count(used, n) != 1 {
				t.Errorf("%s: extensions in use are %s", kind, used)
			}
		}
		// pictures that are superseded are gone, the others are there
		var all []byte
		for _, f := range out {
			all = append(all, f.Data...)
		}
		if bytes.Contains(all, []byte("superseded superseded")) || !bytes.Contains(all, fakePicture("the sail maker's ")) {
			t.Errorf("%s: of the pictures that came in the wrong ones are there", kind)
		}
		if inside := bytes.Contains(all, fakePicture("canvas")); inside != (kind == "glb") {
			t.Errorf("%s: the new pictures are within: %v", kind, inside)
		}
		if kind == "gltf" {
			if !strings.Contains(fmt.Sprint(is.top["images"]), "uri:canvas.png") || out["flag.bin"] == nil {
				t.Errorf("the pictures are %v", is.top["images"])
			}
		}
		list, err := Textures(out, "flag."+kind, DefaultLimits)
		if want := map[string]int{"glb": 6, "gltf": 1}[kind]; err != nil || len(list) != want {
			t.Errorf("%s: %d pictures are found (%v)", kind, len(list), err)
		}
	}
}

// A normal map brings tangents, in the space of each node's mesh; vertices stay where they need not
// be told apart.
func TestANormalMapBringsTangents(t *testing.T) {
	files := fstest.MapFS{"flag.glb": {Data: newRig(t)}}
	was := open(t, files, "flag.glb")
	s := &Scene{Model: was.m, Original: &Original{files, "flag.glb"}, Maps: []*Maps{{Normal: pictureOf("n")}, {Normal: pictureOf("m")}}}
	is, _ := inserted(t, s, "glb")
	if a, b := len(is.r.doc.Nodes), len(is.r.doc.Meshes); a != 6 || b != 3 {
		t.Fatalf("%d nodes, %d meshes", a, b)
	}
	for m := range 2 {
		p := is.r.doc.Meshes[m].Primitives[0]
		if p.Indices == nil || *p.Indices != *was.r.doc.Meshes[m].Primitives[0].Indices {
			t.Errorf("mesh %d has other indices", m)
		}
		tan, err := is.r.floats(p.Attributes["TANGENT"], 4)
		if err != nil || len(tan) != 16 {
			t.Fatal(err, len(tan))
		}
		for i := range 4 { // U grows along X, V downward along Y: the bitangent points up
			if tan[4*i] < 0.999 || tan[4*i+3] != 1 {
				t.Errorf("mesh %d: tangent %d is %v", m, i, tan[4*i:4*i+4])
			}
		}
	}
	// what has the right tangents keeps them
	var again bytes.Buffer
	r := &Scene{Model: is.m, Original: &Original{fstest.MapFS{"flag.glb": {Data: is.raw}}, "flag.glb"}, Maps: s.Maps}
	if err := WriteScene(&again, r, "glb"); err != nil {
		t.Fatal(err)
	}
	twice := open(t, fstest.MapFS{"again.glb": {Data: again.Bytes()}}, "again.glb")
	if a, b := len(is.r.doc.Accessors), len(twice.r.doc.Accessors); a != b {
		t.Errorf("a second time there are %d accessors, %d before", b, a)
	}
	if len(again.Bytes()) > len(is.raw)+64 {
		t.Errorf("a second time it has %d bytes, %d before", again.Len(), len(is.raw))
	}
}

// corners are what each corner of each triangle of a mesh holds, attribute by attribute.
func (o *opened) corners(t *testing.T, m *mesh.Model) (list []map[string]string) {
	t.Helper()
	for _, p := range o.r.pieces {
		prim := o.r.doc.Meshes[p.mesh].Primitives[p.primitive]
		hold := map[string]string{}
		for name, i := range prim.Attributes {
			hold[name] = o.holds(t, i)
		}
		for _, target := range prim.Targets {
			for name, i := range target {
				hold["target "+name] = o.holds(t, i)
			}
		}
		n := o.r.doc.Accessors[prim.Attributes["POSITION"]].Count
		for i := p.first; i < p.first+p.count; i++ {
			for k := range 3 {
				v := int(o.r.corners[i][k])
				c := map[string]string{"node": o.r.doc.Nodes[p.node].Name, "material": o.r.doc.Materials[*prim.Material].Name}
				for name, b := range hold {
					c[name] = b[v*len(b)/n : (v+1)*len(b)/n]
				}
				list = append(list, c)
			}
		}
	}
	return list
}

// UVs that were made anew, sheets that were split: corners are told apart, and keep their skin, their
// morphs and their further UVs. A mesh that two nodes show is two meshes where they differ.
func TestNewUVsGoIntoTheFileWithSkinAndMorphs(t *testing.T) {
	files := fstest.MapFS{"flag.glb": {Data: newRig(t)}}
	was := open(t, files, "flag.glb")
	m := *was.m
	m.UV, m.Pos, m.Nrm, m.Tri = nil, nil, nil, nil
	m.Sheets = []mesh.Sheet{{Name: "One", HasUV: true}, {Name: "Two", HasUV: true}, {Name: "Three", HasUV: true}}
	m.TriSheet = nil
	for i, tri := range was.m.Tri { // each triangle an island of its own, those of the flag on two sheets
		var c [3]uint32
		for k, v := range tri {
			c[k] = uint32(len(m.Pos))
			m.Pos, m.Nrm = append(m.Pos, was.m.Pos[v]), append(m.Nrm, was.m.Nrm[v])
			m.UV = append(m.UV, geom.Vec2{X: was.m.UV[v].X/4 + float32(i%3)/3, Y: was.m.UV[v].Y/4 + float32(i/3)/3})
		}
		m.Tri = append(m.Tri, c)
		m.TriSheet = append(m.TriSheet, uint16([]int{0, 1, 2, 2, 2, 2}[i]))
	}
	if err := m.Finish(); err != nil {
		t.Fatal(err)
	}
	s := &Scene{Model: &m, Original: &Original{files, "flag.glb"}, Maps: []*Maps{
		{BaseColor: pictureOf("one"), Normal: pictureOf("n")}, {BaseColor: pictureOf("two")}, {BaseColor: pictureOf("three")},
	}}
	is, _ := inserted(t, s, "glb")
	if len(is.r.doc.Meshes) != 4 || len(is.m.Sheets) != 3 {
		t.Fatalf("%d meshes, sheets %v", len(is.r.doc.Meshes), is.m.Sheets)
	}
	a, b := was.corners(t, was.m), is.corners(t, is.m)
	if len(a) != len(b) {
		t.Fatalf("%d corners, %d before", len(b), len(a))
	}
	for i := range a {
		for _, name := range slices.Sorted(maps.Keys(a[i])) {
			if name != "TEXCOORD_0" && name != "material" && a[i][name] != b[i][name] {
				t.Errorf("corner %d: %s is %x, was %x", i, name, b[i][name], a[i][name])
			}
		}
		v := m.Tri[i/3][i%3]
		want := binary.LittleEndian.AppendUint32(binary.LittleEndian.AppendUint32(nil, math.Float32bits(m.UV[v].X)), math.Float32bits(m.UV[v].Y))
		if b[i]["TEXCOORD_0"] != string(want) {
			t.Errorf("corner %d has UVs of %x, want %x", i, b[i]["TEXCOORD_0"], want)
		}
	}
	if b[0]["material"] != "Canvas" || b[3]["material"] != "Two" || b[6]["material"] != "Oak" {
		t.Errorf("materials %s, %s, %s", b[0]["material"], b[3]["material"], b[6]["material"])
	}
	if _, ok := b[0]["TANGENT"]; !ok {
		t.Error("the sheet with a normal map has no tangents")
	}
	for key := range was.top {
		if slices.Contains([]string{"skins", "animations", "cameras", "extensions", "scenes"}, key) && fmt.Sprint(was.top[key]) != fmt.Sprint(is.top[key]) {
			t.Errorf("%s became %v", key, is.top[key])
		}
	}
}

// What is not the file's model any more, or came by another kind of file, is written as ours.
func TestWhatIsNotTheFilesIsWrittenAsOurs(t *testing.T) {
	files := fstest.MapFS{"flag.glb": {Data: newRig(t)}}
	was := open(t, files, "flag.glb")
	m := *was.m
	m.Pos = slices.Clone(m.Pos)
	m.Pos[0].Z++
	s := &Scene{Model: &m, Original: &Original{files, "flag.glb"}, Maps: []*Maps{{BaseColor: pictureOf("one"), Normal: pictureOf("n")}, nil}}
	is, _ := inserted(t, s, "glb")
	if is.top["animations"] != nil || len(is.m.Tri) != len(m.Tri) || is.r.doc.Materials[0].NormalTexture == nil {
		t.Errorf("it has %v", slices.Sorted(maps.Keys(is.top)))
	}
	if _, ok := is.r.doc.Meshes[0].Primitives[0].Attributes["TANGENT"]; !ok {
		t.Error("there are no tangents")
	}
}

// A sheet that is not written keeps the material that it had, also where another sheet of the same
// material is written.
func TestASheetThatIsNotWrittenKeepsItsMaterial(t *testing.T) {
	files := fstest.MapFS{"flag.glb": {Data: newRig(t)}}
	was := open(t, files, "flag.glb")
	m := *was.m
	m.Sheets = append(slices.Clone(m.Sheets), mesh.Sheet{Name: "Rest", HasUV: true})
	m.TriSheet = slices.Clone(m.TriSheet)
	m.TriSheet[1] = 2
	s := &Scene{Model: &m, Original: &Original{files, "flag.glb"}, Maps: []*Maps{{BaseColor: pictureOf("one")}, nil, nil}}
	is, _ := inserted(t, s, "glb")
	prims := is.r.doc.Meshes[0].Primitives
	if len(prims) != 2 || *prims[0].Material != 0 || *prims[1].Material != 3 {
		t.Fatalf("%d primitives", len(prims))
	}
	mats := is.top["materials"].([]any)
	for i, k := range map[int]int{3: 0, 1: 1, 2: 2} {
		if fmt.Sprint(mats[i]) != fmt.Sprint(was.top["materials"].([]any)[k]) {
			t.Errorf("material %d is %v", i, mats[i])
		}
	}
	if !bytes.Contains(is.raw, fakePicture("superseded ")) {
		t.Error("the picture of a material that stays is gone")
	}
}

// Lists of JSON keep their order, and what nobody sets keeps its bytes.
func TestObjectsKeepTheirOrder(t *testing.T) {
	const text = `{"z":1,"a":{"y":[1.50,2e3],"b":"<&>"},"m":null}`
	o, err := parseObject([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	if b, err := o.MarshalJSON(); err != nil || string(b) != text {
		t.Fatalf("%s (%v)", b, err)
	}
	c := o.child("a")
	c.set("b", 3)
	c.set("c", true)
	o.set("a", c)
	o.drop("z", "absent")
	if b, _ := o.MarshalJSON(); string(b) != `{"a":{"y":[1.50,2e3],"b":3,"c":true},"m":null}` {
		t.Errorf("%s", b)
	}
	for _, bad := range []string{"", "[1]", `{"a":`, `{"a":1`, "null"} {
		if _, err := parseObject([]byte(bad)); err == nil && bad != `{"a":1` {
			t.Errorf("%q is read as an object", bad)
		}
	}
}
