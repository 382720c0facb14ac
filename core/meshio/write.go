package meshio

import (
	"bytes"
	"fmt"
	"io"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"

	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/modeler"
)

// Maps are the encoded pictures (PNG) of one sheet for a GLB; nil ones are left out.
type Maps struct {
	BaseColor, ORM, Normal, Emissive []byte
	Transparent                      bool // BaseColor has an alpha that counts
}

// Options of a written model.
type Options struct {
	Maps     []Maps // by sheet; nil: materials are named and plain
	Tangents bool   // also without normal maps
}

// WriteGLB writes the model with one material a sheet and one node a part.
func WriteGLB(w io.Writer, m *mesh.Model, o Options) error {
	maps := o.Maps
	doc := gltf.NewDocument()
	doc.Asset.Generator = "Velvet Grime"
	for i, s := range m.Sheets {
		rough, metal := 1.0, 1.0
		mat := &gltf.Material{
			Name:                 s.Name,
			PBRMetallicRoughness: &gltf.PBRMetallicRoughness{RoughnessFactor: &rough, MetallicFactor: &metal},
		}
		if maps != nil {
			if err := addMaps(doc, mat, s.Name, maps[i]); err != nil {
				return err
			}
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
	return gltf.NewEncoder(w).Encode(doc)
}

func addMaps(doc *gltf.Document, mat *gltf.Material, name string, maps Maps) error {
	texture := func(kind string, png []byte) (int, error) {
		img, err := modeler.WriteImage(doc, name+" "+kind, "image/png", bytes.NewReader(png))
		if err != nil {
			return 0, fmt.Errorf("sheet %q: %w", name, err)
		}
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
		return len(doc.Textures) - 1, nil
	}
	for _, t := range []struct {
		kind string
		png  []byte
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
		i, err := texture(t.kind, t.png)
		if err != nil {
			return err
		}
		t.set(i)
	}
	if maps.Transparent {
		mat.AlphaMode = gltf.AlphaBlend
	}
	return nil
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
