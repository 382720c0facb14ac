package meshio

import (
	"bytes"
	"io/fs"

	"github.com/qmuntal/gltf"
)

// What reading takes in memory at most, in bytes, as measured on meshes of a million
// triangles: of a text or a plain mesh for each byte of its file, of glTF, which says how
// much it holds, for each vertex and triangle and for each byte of its buffers.
const (
	perByte     = 5
	perVertex   = 130
	perTriangle = 200
	perBuffer   = 2
)

// Weigh returns how much memory Read takes for a model, without reading more of it than its
// head: a small file may ask for much. What is not readable weighs what its bytes do; Read
// tells why.
func Weigh(files fs.FS, name string, lim Limits) int64 {
	var total int64
	_ = fs.WalkDir(files, ".", func(_ string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			if i, err := d.Info(); err == nil {
				total += min(i.Size(), lim.Bytes)
			}
		}
		return nil
	})
	if f := formOf(name); f == nil || f.weigh == nil {
		return total * perByte
	}
	data, err := load(files, name, lim.Bytes)
	if err != nil {
		return total
	}
	return formOf(name).weigh(data, lim) + total*perBuffer
}

// gltfWeight is what the nodes of a glTF document hold together, each with its own copy of
// its mesh, within the limits.
func gltfWeight(data []byte, lim Limits) int64 {
	if bytes.HasPrefix(data, []byte("glTF")) {
		doc, _, err := chunks(data)
		if err != nil {
			return 0
		}
		data = doc
	}
	d, err := document(data)
	if err != nil {
		return 0
	}
	count := func(i int) int64 {
		if i < 0 || i >= len(d.Accessors) {
			return 0
		}
		return int64(max(d.Accessors[i].Count, 0))
	}
	var vertices, corners int64
	for _, n := range d.Nodes {
		if n.Mesh == nil || *n.Mesh < 0 || *n.Mesh >= len(d.Meshes) {
			continue
		}
		for _, p := range d.Meshes[*n.Mesh].Primitives {
			v := int64(0)
			if i, ok := p.Attributes[gltf.POSITION]; ok {
				v = count(i)
			}
			c := v
			if p.Indices != nil {
				c = count(*p.Indices)
			}
			if p.Mode != gltf.PrimitiveTriangles { // strips and fans: a triangle a corner
				c *= 3
			}
			vertices, corners = vertices+v, corners+c
		}
	}
	return min(vertices, int64(lim.Vertices))*perVertex + min(corners/3, int64(lim.Triangles))*perTriangle
}
