package meshio

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"

	"velvetgrime/core/geom"
	"velvetgrime/core/meshopt"

	"github.com/qmuntal/gltf"
)

// Names of extensions that are read.
const (
	meshoptName      = "EXT_meshopt_compression"
	meshoptNewerName = "KHR_meshopt_compression"
	webpName         = "EXT_texture_webp"
	placeName        = "KHR_texture_transform"
)

// needed says why a file cannot be read that needs an extension; nil: it can.
func needed(name string) error {
	switch {
	case slices.Contains([]string{"KHR_mesh_quantization", meshoptName, meshoptNewerName, webpName, placeName}, name),
		strings.HasPrefix(name, "KHR_materials_"):
		return nil
	case name == "KHR_texture_basisu":
		return fmt.Errorf("extensionsRequired: its pictures are Basis textures (%s), which are not read; export it with PNG, JPEG or WebP", name)
	case name == "KHR_draco_mesh_compression":
		return fmt.Errorf("extensionsRequired: its meshes are packed by Draco (%s), which is not read; export it without compression, or with %s", name, meshoptName)
	}
	return fmt.Errorf("extensionsRequired: the file needs %s, which is not read; export it without", name)
}

// extension decodes an extension of some part of a document; false: it has it not, or another one.
func extension(all gltf.Extensions, name string, to any) bool {
	v, ok := all[name]
	if !ok {
		return false
	}
	b, ok := v.(json.RawMessage)
	if !ok {
		var err error
		if b, err = json.Marshal(v); err != nil {
			return false
		}
	}
	return json.Unmarshal(b, to) == nil
}

// standIn reports whether a buffer has no bytes: those that read its views do so from compressed ones.
func standIn(b *gltf.Buffer) bool {
	var says struct{ Fallback bool }
	return b.URI == "" && (extension(b.Extensions, meshoptName, &says) || extension(b.Extensions, meshoptNewerName, &says)) && says.Fallback
}

// packed is a compressed view.
type packedView struct {
	Buffer     int    `json:"buffer"`
	ByteOffset int    `json:"byteOffset"`
	ByteLength int    `json:"byteLength"`
	ByteStride int    `json:"byteStride"`
	Count      int    `json:"count"`
	Mode       string `json:"mode"`
	Filter     string `json:"filter"`
}

// unpacked returns the bytes of a compressed view; ok is false for one that is not compressed.
func (r *gltfReader) unpacked(i int) (data []byte, ok bool, err error) {
	v := r.doc.BufferViews[i]
	var p packedView
	if !extension(v.Extensions, meshoptName, &p) && !extension(v.Extensions, meshoptNewerName, &p) {
		return nil, false, nil
	}
	if data, done := r.unpackedViews[i]; done {
		return data, true, nil
	}
	fail := func(format string, a ...any) ([]byte, bool, error) {
		return nil, true, fmt.Errorf("bufferViews[%d].%s: "+format, append([]any{i, meshoptName}, a...)...)
	}
	if p.Buffer < 0 || p.Buffer >= len(r.buffers) {
		return fail("buffer %d does not exist", p.Buffer)
	}
	b := r.buffers[p.Buffer]
	if p.ByteOffset < 0 || p.ByteLength < 0 || p.ByteOffset > len(b) || p.ByteLength > len(b)-p.ByteOffset {
		return fail("bytes %d+%d lie outside the buffer of %d", p.ByteOffset, p.ByteLength, len(b))
	}
	if p.Count < 0 || p.ByteStride < 0 || int64(p.Count)*int64(p.ByteStride) > r.lim.Bytes-r.unpackedBytes {
		return fail("%d elements of %d bytes are more than is read", p.Count, p.ByteStride)
	}
	data, err = meshopt.Decode(p.Mode, p.Filter, p.Count, p.ByteStride, b[p.ByteOffset:p.ByteOffset+p.ByteLength])
	if err != nil {
		return fail("%w", err)
	}
	if r.unpackedViews == nil {
		r.unpackedViews = map[int][]byte{}
	}
	r.unpackedViews[i] = data
	r.unpackedBytes += int64(len(data))
	return data, true, nil
}

// lying is how a texture lies on the UVs: KHR_texture_transform.
type lying struct {
	Offset   [2]float64 `json:"offset"`
	Rotation float64    `json:"rotation"`
	Scale    [2]float64 `json:"scale"`
	Coord    *int       `json:"texCoord"`
}

// asItIs lies as without the extension.
var asItIs = lying{Scale: [2]float64{1, 1}}

// plain reports whether the texture lies as without.
func (l lying) plain() bool {
	return l.Offset == asItIs.Offset && l.Rotation == 0 && l.Scale == asItIs.Scale
}

// at is where a place of the UVs lies in the texture.
func (l lying) at(uv geom.Vec2) geom.Vec2 {
	if l.plain() {
		return uv
	}
	s, c := math.Sincos(l.Rotation)
	x, y := float64(uv.X)*l.Scale[0], float64(uv.Y)*l.Scale[1]
	return geom.Vec2{X: float32(c*x + s*y + l.Offset[0]), Y: float32(-s*x + c*y + l.Offset[1])}
}

// used is a texture that a material uses.
type used struct {
	texture int
	holds   string
	coord   int
	lies    lying
}

// textures lists what a material uses, the base color first.
func texturesOf(m *gltf.Material) (list []used) {
	add := func(index int, holds string, coord int, all gltf.Extensions) {
		u := used{index, holds, coord, asItIs}
		if extension(all, placeName, &u.lies) && u.lies.Coord != nil {
			u.coord = *u.lies.Coord
		}
		list = append(list, u)
	}
	if p := m.PBRMetallicRoughness; p != nil {
		if t := p.BaseColorTexture; t != nil {
			add(t.Index, "base color", t.TexCoord, t.Extensions)
		}
		if t := p.MetallicRoughnessTexture; t != nil {
			add(t.Index, "occlusion roughness metallic", t.TexCoord, t.Extensions)
		}
	}
	if t := m.NormalTexture; t != nil && t.Index != nil {
		add(*t.Index, "normal", t.TexCoord, t.Extensions)
	}
	if t := m.EmissiveTexture; t != nil {
		add(t.Index, "emissive", t.TexCoord, t.Extensions)
	}
	return list
}

// lies is how the textures of a material lie on the UVs that are read: all that are painted later will
// lie so, too.
func (r *gltfReader) lies(material *int) lying {
	if material == nil || *material < 0 || *material >= len(r.doc.Materials) {
		return asItIs
	}
	for _, u := range texturesOf(r.doc.Materials[*material]) {
		if u.coord == r.uvSet {
			return u.lies
		}
	}
	return asItIs
}

// sourceOf is the number of a texture's picture, −1 when it has none that is read.
func sourceOf(t *gltf.Texture) int {
	if t.Source != nil {
		return *t.Source
	}
	var webp struct{ Source *int }
	if extension(t.Extensions, webpName, &webp) && webp.Source != nil {
		return *webp.Source
	}
	return -1
}
