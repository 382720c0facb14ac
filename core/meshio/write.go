package meshio

import (
	"bufio"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"

	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/modeler"
)

// Body is what a file holds: *bytes.Reader and *io.SectionReader are some.
type Body interface {
	io.ReaderAt
	Size() int64
}

// Maps are the encoded pictures (PNG) of one sheet for a GLB; nil ones are left out.
type Maps struct {
	BaseColor, ORM, Normal, Emissive Body
	Transparent                      bool // BaseColor has an alpha that counts
}

// Options of a written model.
type Options struct {
	Maps     []Maps // by sheet; nil: materials are named and plain
	Tangents bool   // also without normal maps
}

// WriteGLB writes the model with one material a sheet and one node a part. The maps are
// copied into the file, not held.
func WriteGLB(w io.Writer, m *mesh.Model, o Options) error {
	maps := o.Maps
	doc := gltf.NewDocument()
	var bodies []Body
	doc.Asset.Generator = "Velvet Grime"
	for i, s := range m.Sheets {
		rough, metal := 1.0, 1.0
		mat := &gltf.Material{
			Name:                 s.Name,
			PBRMetallicRoughness: &gltf.PBRMetallicRoughness{RoughnessFactor: &rough, MetallicFactor: &metal},
		}
		if maps != nil {
			bodies = append(bodies, addMaps(doc, mat, s.Name, maps[i])...)
		} else {
			metal = 0
		}
		doc.Materials = append(doc.Materials, mat)
	}
	var tangents [][3]geom.Vec3
	if o.Tangents {
		tangents = m.Tangents()
	}
	for _, k := range maps {
		if k.Normal != nil && tangents == nil {
			tangents = m.Tangents()
		}
	}
	var root []int
	for p := range m.Parts {
		mesh := &gltf.Mesh{Name: m.Parts[p].Name}
		for s := range m.Sheets {
			var tan [][3]geom.Vec3
			if o.Tangents || maps != nil && maps[s].Normal != nil {
				tan = tangents
			}
			if prim := primitive(doc, m, p, s, tan); prim != nil {
				mesh.Primitives = append(mesh.Primitives, prim)
			}
		}
		if len(mesh.Primitives) == 0 {
			continue
		}
		doc.Meshes = append(doc.Meshes, mesh)
		root = append(root, len(doc.Nodes))
		doc.Nodes = append(doc.Nodes, &gltf.Node{Name: mesh.Name, Mesh: gltf.Index(len(doc.Meshes) - 1)})
	}
	doc.Scenes[0].Nodes = root
	return writeGLB(w, doc, bodies)
}

// writeGLB writes a document with its one buffer, and after what the buffer holds the bodies
// of its pictures, in order; the last views of the buffer are theirs. Source: glTF 2.0, 4.4,
// "GLB File Format Specification".
func writeGLB(w io.Writer, doc *gltf.Document, bodies []Body) error {
	var held []byte
	if len(doc.Buffers) == 0 {
		doc.Buffers = append(doc.Buffers, &gltf.Buffer{})
	}
	held = doc.Buffers[0].Data
	aligned := func(n int) int { return (n + 3) &^ 3 }
	end := len(held)
	for i, b := range bodies {
		doc.Images[i].BufferView = gltf.Index(len(doc.BufferViews))
		end = aligned(end)
		doc.BufferViews = append(doc.BufferViews, &gltf.BufferView{ByteOffset: end, ByteLength: int(b.Size())})
		end += int(b.Size())
	}
	end = aligned(end)
	if end == 0 {
		doc.Buffers = nil
	} else {
		doc.Buffers[0] = &gltf.Buffer{ByteLength: end}
	}
	head, err := json.Marshal(doc)
	if err != nil {
		return err
	}
	head = append(head, "   "[:aligned(len(head))-len(head)]...)
	if total := int64(12+8+len(head)+8) + int64(end); total > math.MaxUint32 {
		return fmt.Errorf(
			"the GLB would have %d MiB; 4 GiB are possible, choose a smaller size or fewer sheets",
			total>>20,
		)
	}
	out := &counting{w: bufio.NewWriterSize(w, 1<<16)}
	out.numbers(0x46546c67, 2, uint32(12+8+len(head)+8+end), uint32(len(head)), 0x4e4f534a)
	out.bytes(head)
	out.numbers(uint32(end), 0x004e4942)
	start := out.n
	out.bytes(held)
	for _, b := range bodies {
		out.pad(start)
		out.copy(b)
	}
	out.pad(start)
	if out.err != nil {
		return out.err
	}
	return out.w.Flush()
}

// counting writes, counts the bytes, and keeps the first error.
type counting struct {
	w   *bufio.Writer
	n   int
	err error
}

func (c *counting) bytes(b []byte) {
	if c.err == nil {
		_, c.err = c.w.Write(b)
		c.n += len(b)
	}
}

func (c *counting) numbers(all ...uint32) {
	for _, v := range all {
		c.bytes(binary.LittleEndian.AppendUint32(nil, v))
	}
}

// pad writes noughts until the bytes since start are a multiple of four.
func (c *counting) pad(start int) { c.bytes(make([]byte, (start-c.n)&3)) }

func (c *counting) copy(b Body) {
	if c.err != nil {
		return
	}
	var n int64
	n, c.err = io.Copy(c.w, io.NewSectionReader(b, 0, b.Size()))
	c.n += int(n)
}

// addMaps gives a material its textures, and returns the bodies of their pictures, in order.
func addMaps(doc *gltf.Document, mat *gltf.Material, name string, maps Maps) (bodies []Body) {
	texture := func(kind string, png Body) int {
		img := len(doc.Images)
		doc.Images = append(doc.Images, &gltf.Image{Name: name + " " + kind, MimeType: "image/png"})
		bodies = append(bodies, png)
		if len(doc.Samplers) == 0 {
			doc.Samplers = append(
				doc.Samplers,
				&gltf.Sampler{
					MagFilter: gltf.MagLinear,
					MinFilter: gltf.MinLinearMipMapLinear,
					WrapS:     gltf.WrapRepeat,
					WrapT:     gltf.WrapRepeat,
				},
			)
		}
		doc.Textures = append(doc.Textures, &gltf.Texture{Sampler: gltf.Index(0), Source: gltf.Index(img)})
		return len(doc.Textures) - 1
	}
	for _, t := range []struct {
		kind string
		png  Body
		set  func(int)
	}{
		{"base color", maps.BaseColor, func(i int) { mat.PBRMetallicRoughness.BaseColorTexture = &gltf.TextureInfo{Index: i} }},
		{"occlusion roughness metallic", maps.ORM, func(i int) {
			mat.PBRMetallicRoughness.MetallicRoughnessTexture = &gltf.TextureInfo{Index: i}
			mat.OcclusionTexture = &gltf.OcclusionTexture{Index: gltf.Index(i)}
		}},
		{"normal", maps.Normal, func(i int) { mat.NormalTexture = &gltf.NormalTexture{Index: gltf.Index(i)} }},
		{"emissive", maps.Emissive, func(i int) {
			mat.EmissiveTexture, mat.EmissiveFactor = &gltf.TextureInfo{Index: i}, [3]float64{1, 1, 1}
		}},
	} {
		if t.png == nil {
			continue
		}
		t.set(texture(t.kind, t.png))
	}
	if maps.Transparent {
		mat.AlphaMode = gltf.AlphaBlend
	}
	return bodies
}

// primitive writes the triangles of a part on a sheet; tangents (a corner each)
// may be nil. A vertex whose corners have several tangents is written for each.
func primitive(doc *gltf.Document, m *mesh.Model, part, sheet int, tangents [][3]geom.Vec3) *gltf.Primitive {
	type corner struct {
		v       uint32
		mirror  bool
		tangent geom.Vec3
	}
	local := map[corner]uint32{}
	var tan [][4]float32
	var pos, nrm [][3]float32
	var uv [][2]float32
	var idx []uint32
	for i, t := range m.Tri {
		if int(m.TriPart[i]) != part || int(m.TriSheet[i]) != sheet {
			continue
		}
		mirror := tangents != nil && m.Mirrored(i)
		for k, v := range t {
			c := corner{v: v, mirror: mirror}
			if tangents != nil {
				c.tangent = tangents[i][k]
			}
			id, ok := local[c]
			if !ok {
				id = uint32(len(pos))
				local[c] = id
				if tangents != nil {
					w := float32(1)
					if mirror {
						w = -1
					}
					a := c.tangent
					tan = append(tan, [4]float32{a.X, a.Y, a.Z, w})
				}
				p, n, w := m.Pos[v], m.Nrm[v].Unit(), m.UV[v]
				if n == (geom.Vec3{}) {
					n = geom.V3(0, 1, 0)
				}
				pos, nrm, uv = append(
					pos,
					[3]float32{p.X, p.Y, p.Z},
				), append(
					nrm,
					[3]float32{n.X, n.Y, n.Z},
				), append(
					uv,
					[2]float32{w.X, w.Y},
				)
			}
			idx = append(idx, id)
		}
	}
	if idx == nil {
		return nil
	}
	attributes := map[string]int{
		gltf.POSITION: modeler.WritePosition(
			doc,
			pos,
		), gltf.NORMAL: modeler.WriteNormal(doc, nrm), gltf.TEXCOORD_0: modeler.WriteTextureCoord(doc, uv),
	}
	if tan != nil {
		attributes[gltf.TANGENT] = modeler.WriteTangent(doc, tan)
	}
	return &gltf.Primitive{
		Attributes: attributes,
		Indices:    gltf.Index(modeler.WriteIndices(doc, idx)), Material: gltf.Index(sheet),
	}
}
