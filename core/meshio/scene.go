package meshio

import (
	"bytes"
	"fmt"
	"io"
	"io/fs"
	"path"
	"strings"
	"testing/fstest"

	"velvetgrime/core/mesh"

	"github.com/qmuntal/gltf"
)

// Body is what a file holds: *bytes.Reader and *io.SectionReader are some.
type Body interface {
	io.ReaderAt
	Size() int64
}

// Picture is an encoded picture for a material.
type Picture struct {
	Name  string // of its file, with its end
	Media string // media type
	Body  Body
}

// Maps are the pictures of one sheet, by what they hold; nil ones are left out. glTF, USD and MaterialX
// take packed ones, MTL takes single ones.
type Maps struct {
	BaseColor    *Picture // sRGB; with opacity in its fourth component when Transparent
	ORM          *Picture // occlusion, roughness, metallic
	Normal       *Picture // Y up
	Emissive     *Picture // sRGB
	Specular     *Picture // in its fourth component
	Coat         *Picture // weight in red, roughness in green
	Fuzz         *Picture // sRGB colour times weight, roughness in the fourth component
	Transmission *Picture // in red
	Scattering   *Picture // alone
	Anisotropy   *Picture // direction in red and green, strength in blue

	Roughness, Metallic, Opacity *Picture // alone

	Transparent bool
	Glow        float32 // how much brighter than white Emissive's white is; 0 is 1
}

// Original is the file by which a model came in, with the files beside it.
type Original struct {
	Files fs.FS
	Name  string
}

// Scene is a model with its maps, as it is written.
type Scene struct {
	Model    *mesh.Model
	Maps     []*Maps   // by sheet; nil: the materials stay as they are
	Original *Original // nil: there is none
	Name     string    // of its file, without the end
	// Put writes a further file beside the scene's own; without it everything is within. Pictures
	// are not put: they are there.
	Put func(name string, file func(io.Writer) error) error
}

// origin returns the glTF file that the scene is written into, read, with the model as it is there and
// the maps of its sheets: the one that came in, or, where that was none or has become another model,
// one of ours.
func (s *Scene) origin() (r *gltfReader, was, now *mesh.Model, maps []*Maps, err error) {
	if r, was = s.theirs(); r != nil {
		return r, was, s.Model, s.Maps, nil
	}
	var b bytes.Buffer
	if err := WriteGLB(&b, s.Model, Options{}); err != nil {
		return nil, nil, nil, nil, err
	}
	lim := Limits{Bytes: int64(b.Len()) + 1, Triangles: len(s.Model.Tri) + 1, Vertices: 4*len(s.Model.Pos) + 16, Depth: 8}
	files := fstest.MapFS{"ours.glb": &fstest.MapFile{Data: b.Bytes()}}
	if was, r, err = readTraced(files, "ours.glb", lim, true); err != nil {
		return nil, nil, nil, nil, fmt.Errorf("what was written cannot be read: %w", err)
	}
	maps = make([]*Maps, len(was.Sheets))
	for i, sheet := range was.Sheets {
		if k := s.Model.SheetIndex(sheet.Name); k >= 0 {
			maps[i] = s.Maps[k]
		}
	}
	return r, was, was, maps, nil
}

// theirs reads the file that came in; nil when it is no glTF file, or its triangles are not the
// model's any more.
func (s *Scene) theirs() (*gltfReader, *mesh.Model) {
	if !s.Keeps() {
		return nil, nil
	}
	was, r, err := readTraced(s.Original.Files, s.Original.Name, DefaultLimits, true)
	if err != nil || r == nil || len(was.Tri) != len(s.Model.Tri) || len(r.corners) != len(was.Tri) {
		return nil, nil
	}
	for i, t := range was.Tri {
		for k, v := range t {
			if was.Pos[v] != s.Model.Pos[s.Model.Tri[i][k]] {
				return nil, nil
			}
		}
	}
	return r, was
}

// Keeps reports whether the scene came in by a glTF file, so that one that is written can keep
// everything of it.
func (s *Scene) Keeps() bool {
	if s.Original == nil {
		return false
	}
	f := formOf(s.Original.Name)
	return f == &glbForm || f == &gltfForm
}

// Fits reports whether the model is still that of its file, so that one that is written keeps
// everything of it.
func (s *Scene) Fits() bool {
	r, _ := s.theirs()
	return r != nil
}

// HasTangents reports whether a model's file carries tangents.
func HasTangents(o Original) bool {
	data, err := load(o.Files, o.Name, DefaultLimits.Bytes)
	if f := formOf(o.Name); err != nil || f != &glbForm && f != &gltfForm {
		return false
	}
	if bytes.HasPrefix(data, []byte("glTF")) {
		if data, _, err = chunks(data); err != nil {
			return false
		}
	}
	doc, err := document(data)
	if err != nil {
		return false
	}
	for _, m := range doc.Meshes {
		for _, p := range m.Primitives {
			if _, ok := p.Attributes[gltf.TANGENT]; ok {
				return true
			}
		}
	}
	return false
}

// SceneForms lists the kinds of files that carry a model with its maps, by their ends.
var SceneForms = []string{"glb", "gltf", "obj", "usda", "usdz", "mtlx"}

// WriteScene writes the scene's own file of the kind.
func WriteScene(w io.Writer, s *Scene, kind string) error {
	switch kind {
	case "glb", "gltf":
		return s.writeGLTF(w, kind == "glb")
	case "obj":
		return s.writeOBJ(w)
	case "usda":
		return s.writeUSDA(w, "")
	case "usdz":
		return s.writeUSDZ(w)
	case "mtlx":
		return s.writeMaterialX(w)
	}
	return fmt.Errorf("a scene is not written as %q; there are %s", kind, strings.Join(SceneForms, ", "))
}

// plain is a name as every format takes it for an identifier.
func plain(s string) string {
	out := []rune{}
	for _, r := range path.Base(s) {
		switch {
		case r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '_':
			out = append(out, r)
		default:
			out = append(out, '_')
		}
	}
	if len(out) == 0 || out[0] >= '0' && out[0] <= '9' {
		out = append([]rune{'_'}, out...)
	}
	return string(out)
}

// names makes identifiers of names, each another one.
func names(of []string) []string {
	seen := map[string]bool{}
	out := make([]string, len(of))
	for i, s := range of {
		n := plain(s)
		for k := 2; seen[n]; k++ {
			n = fmt.Sprintf("%s_%d", plain(s), k)
		}
		seen[n], out[i] = true, n
	}
	return out
}

// files are those beside the file that came in.
func (s *Scene) files() fs.FS {
	if s.Original == nil {
		return nil
	}
	return s.Original.Files
}

func (s *Scene) dir() string {
	if s.Original == nil {
		return "."
	}
	return path.Dir(s.Original.Name)
}
