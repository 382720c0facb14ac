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

// Options of a written model.
type Options struct {
	Tangents bool
}

// WriteGLB writes the bare model with one material a sheet and one node a part.
func WriteGLB(w io.Writer, m *mesh.Model, o Options) error {
	doc := gltf.NewDocument()
	doc.Asset.Generator = "Velvet Grime"
	for _, s := range m.Sheets {
		rough, metal := 1.0, 0.0
		doc.Materials = append(doc.Materials, &gltf.Material{
			Name:                 s.Name,
			PBRMetallicRoughness: &gltf.PBRMetallicRoughness{RoughnessFactor: &rough, MetallicFactor: &metal},
		})
	}
	var tangents [][3]geom.Vec3
	if o.Tangents {
		tangents = m.Tangents()
	}
	var root []int
	for p := range m.Parts {
		mesh := &gltf.Mesh{Name: m.Parts[p].Name}
		for s := range m.Sheets {
			if prim := primitive(doc, m, p, s, tangents); prim != nil {
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
	var held []byte
	if len(doc.Buffers) > 0 {
		held = doc.Buffers[0].Data
		doc.Buffers[0] = &gltf.Buffer{ByteLength: (len(held) + 3) &^ 3}
	}
	head, err := json.Marshal(doc)
	if err != nil {
		return err
	}
	return container(w, head, held, nil, (len(held)+3)&^3)
}

// container writes a GLB: the JSON, and the buffer of end bytes, which holds some and after them, each
// from a multiple of four on, bodies. Source: glTF 2.0, 4.4, "GLB File Format Specification".
func container(w io.Writer, head, held []byte, bodies []Body, end int) error {
	head = append(head, "   "[:-len(head)&3]...)
	total := int64(12+8+len(head)) + int64(end)
	if end > 0 {
		total += 8
	}
	if total > math.MaxUint32 {
		return fmt.Errorf(
			"the GLB would have %d MiB; 4 GiB are possible, choose a smaller size or fewer sheets",
			total>>20,
		)
	}
	out := &counting{w: bufio.NewWriterSize(w, 1<<16)}
	out.numbers(0x46546c67, 2, uint32(total), uint32(len(head)), 0x4e4f534a)
	out.bytes(head)
	if end > 0 {
		out.numbers(uint32(end), 0x004e4942)
	}
	return out.buffer(held, bodies)
}

// buffer writes bytes and bodies, each from a multiple of four on, and ends.
func (c *counting) buffer(held []byte, bodies []Body) error {
	start := c.n
	c.bytes(held)
	for _, b := range bodies {
		c.pad(start)
		c.copy(b)
	}
	c.pad(start)
	if c.err != nil {
		return c.err
	}
	return c.w.Flush()
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
