package meshio

import (
	"bufio"
	"bytes"
	"cmp"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/url"
	"slices"
	"strings"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"

	"github.com/qmuntal/gltf"
)

// insertion is a glTF file into which materials are put. What they do not concern stays as it was:
// JSON members keep order and content, places in lists stay, so that whatever points at them still
// does, and the bytes of what buffers hold stay.
type insertion struct {
	r    *gltfReader
	s    *Scene
	now  *mesh.Model // as it is painted
	was  *mesh.Model // as the file has it
	maps []*Maps     // by sheet of now

	top                                                                          *object
	accessors, views, images, textures, materials, meshes, nodes, samplers, bufs []json.RawMessage

	base      []int // where each buffer of the file begins in the one that is written; −1: it has no bytes
	held      []byte
	cuts      [][2]int // of held: what nothing needs any more
	bodies    []Body   // come after held
	end       int      // bytes of held and bodies
	beside    bool     // pictures lie beside
	sampler   int
	texture   map[*Picture]int
	bodyViews []int // the views of bodies
	// places that nothing needs any more
	spare    struct{ images, textures, views []int }
	made     map[pair]int
	used     map[string]bool
	tangents [][3]geom.Vec3
}

// pair is a material of the file on a sheet; −1 is the one of primitives without.
type pair struct{ material, sheet int }

// writeGLTF writes the scene as one GLB, or as a glTF file with a buffer beside it.
func (s *Scene) writeGLTF(w io.Writer, glb bool) error {
	r, was, now, maps, err := s.origin()
	if err != nil {
		return err
	}
	in := &insertion{
		r: r, s: s, was: was, now: now, maps: maps, beside: !glb,
		sampler: -1, texture: map[*Picture]int{}, made: map[pair]int{}, used: map[string]bool{},
	}
	if in.top, err = parseObject(r.json); err != nil {
		return err
	}
	for key, to := range in.lists() {
		*to = in.top.list(key)
	}
	in.merge()
	if err := in.embed(); err != nil {
		return err
	}
	in.plan()
	for _, m := range maps {
		if m != nil && m.Normal != nil && in.tangents == nil {
			in.tangents = now.Tangents()
		}
	}
	if err := in.geometry(); err != nil {
		return err
	}
	return in.write(w, glb)
}

func (in *insertion) lists() map[string]*[]json.RawMessage {
	return map[string]*[]json.RawMessage{
		"accessors": &in.accessors, "bufferViews": &in.views, "images": &in.images, "textures": &in.textures,
		"materials": &in.materials, "meshes": &in.meshes, "nodes": &in.nodes, "samplers": &in.samplers, "buffers": &in.bufs,
	}
}

// merge makes one buffer of all that have bytes.
func (in *insertion) merge() {
	for i, b := range in.r.buffers {
		if in.r.doc.Buffers[i].URI == "" && i > 0 || len(b) == 0 {
			in.base = append(in.base, -1)
			continue
		}
		in.held = append(in.held, make([]byte, -len(in.held)&7)...)
		in.base = append(in.base, len(in.held))
		in.held = append(in.held, b...)
	}
	if len(in.base) == 0 || len(in.base) == 1 && in.base[0] == 0 {
		return
	}
	var rest []json.RawMessage // stand-ins that compressed views name
	to := make([]int, len(in.base))
	for i, b := range in.base {
		if b < 0 {
			rest = append(rest, in.bufs[i])
			to[i] = len(rest)
		}
	}
	moved := func(o *object) {
		n := o.number("buffer")
		if n < 0 || n >= len(in.base) {
			return
		}
		o.set("buffer", to[n])
		if b := in.base[n]; b > 0 {
			o.set("byteOffset", b+max(o.number("byteOffset"), 0))
		}
	}
	in.eachView(moved)
	in.bufs = append([]json.RawMessage{raw(map[string]int{"byteLength": 0})}, rest...)
}

// eachView calls f for every view that has a place, and for what a compressed one says of its bytes.
func (in *insertion) eachView(f func(o *object)) {
	for i, v := range in.views {
		if v == nil {
			continue
		}
		o, err := parseObject(v)
		if err != nil {
			continue
		}
		f(o)
		all := o.child("extensions")
		for _, name := range []string{meshoptName, meshoptNewerName} {
			if all.at[name] != nil {
				e := all.child(name)
				f(e)
				all.set(name, e)
				o.set("extensions", all)
			}
		}
		in.views[i] = raw(o)
	}
}

// embed takes pictures that lie beside the file, or in its text, into the buffer.
func (in *insertion) embed() error {
	for i, img := range in.r.doc.Images {
		if img.URI == "" {
			continue
		}
		data, _ := in.r.image(i, in.s.files(), in.s.dir(), in.r.lim.Bytes)
		if data == nil {
			continue // it was missing before
		}
		o, err := parseObject(in.images[i])
		if err != nil {
			return fmt.Errorf("images[%d]: %w", i, err)
		}
		o.drop("uri")
		o.set("bufferView", in.view(data, 0, 0))
		o.set("mimeType", mediaOf(data))
		in.images[i] = raw(o)
	}
	return nil
}

// mediaOf tells a picture's media type by its first bytes.
func mediaOf(data []byte) string {
	switch {
	case bytes.HasPrefix(data, []byte("\x89PNG")):
		return "image/png"
	case bytes.HasPrefix(data, []byte("RIFF")):
		return "image/webp"
	}
	return "image/jpeg"
}

// view appends bytes to the buffer; target and stride are left out when nought.
func (in *insertion) view(data []byte, target, stride int) int {
	in.held = append(in.held, make([]byte, -len(in.held)&3)...)
	v := map[string]int{"buffer": 0, "byteOffset": len(in.held), "byteLength": len(data)}
	if target != 0 {
		v["target"] = target
	}
	if stride != 0 {
		v["byteStride"] = stride
	}
	in.held = append(in.held, data...)
	in.views = append(in.views, raw(v))
	return len(in.views) - 1
}

// surfaceExtensions say how a material looks; a painted one says it by its maps.
var surfaceExtensions = []string{
	"KHR_materials_specular", "KHR_materials_clearcoat", "KHR_materials_sheen", "KHR_materials_transmission",
	"KHR_materials_anisotropy", "KHR_materials_emissive_strength", "KHR_materials_pbrSpecularGlossiness",
	"KHR_materials_unlit",
}

// bare takes from a material what the maps of its sheet say instead.
func bare(mat json.RawMessage, transparent bool) *object {
	o, err := parseObject(mat)
	if err != nil {
		o = &object{}
	}
	var mode string
	_ = json.Unmarshal(o.at["alphaMode"], &mode)
	o.drop("pbrMetallicRoughness", "normalTexture", "occlusionTexture", "emissiveTexture", "emissiveFactor")
	if !transparent || mode != "MASK" {
		o.drop("alphaMode", "alphaCutoff")
	}
	if transparent && mode != "MASK" {
		o.set("alphaMode", "BLEND")
	}
	e := o.child("extensions")
	e.drop(surfaceExtensions...)
	if o.drop("extensions"); len(e.keys) > 0 {
		o.set("extensions", e)
	}
	return o
}

// plan says which material each of the file's becomes on each of its sheets, and finds the pictures
// that nothing needs any more.
func (in *insertion) plan() {
	first, left := map[int]int{}, map[pair]bool{}
	for _, p := range in.r.pieces {
		for i := p.first; i < p.first+p.count; i++ {
			k := pair{in.materialOf(p), int(in.now.TriSheet[i])}
			if in.maps[k.sheet] == nil {
				left[k] = true
				continue
			}
			if s, ok := first[k.material]; !ok || s > k.sheet {
				first[k.material] = k.sheet
			}
		}
	}
	for m, sheet := range first {
		if m >= 0 {
			in.materials[m] = raw(bare(in.materials[m], in.maps[sheet].Transparent))
			in.made[pair{m, sheet}] = m
		}
	}
	inPlace := sortedPairs(in.made)
	for _, k := range sortedPairs(left) { // the material stays as it was on sheets that are not written
		if _, ok := first[k.material]; ok && k.material >= 0 {
			in.materials = append(in.materials, raw(in.rawMaterial(k.material)))
			in.made[k] = len(in.materials) - 1
		}
	}
	in.unneeded()
	for _, k := range inPlace {
		in.materials[k.material] = in.dressed(in.materials[k.material], in.maps[k.sheet])
	}
}

func sortedPairs[V any](m map[pair]V) (list []pair) {
	for k := range m {
		list = append(list, k)
	}
	slices.SortFunc(list, func(a, b pair) int { return cmp.Or(a.material-b.material, a.sheet-b.sheet) })
	return list
}

func (in *insertion) materialOf(p piece) int {
	if m := in.r.doc.Meshes[p.mesh].Primitives[p.primitive].Material; m != nil {
		return *m
	}
	return -1
}

// unneeded finds textures and pictures that no material names any more. Where the document has
// extensions that may name some, all are needed.
func (in *insertion) unneeded() {
	ext := in.top.child("extensions")
	ext.drop("KHR_lights_punctual", "KHR_materials_variants")
	if len(ext.keys) > 0 {
		return
	}
	live := map[int]bool{}
	for _, m := range in.materials {
		var v any
		if json.Unmarshal(m, &v) == nil {
			textureRefs(v, live)
		}
	}
	images := map[int]bool{}
	for i, t := range in.textures {
		if !live[i] {
			in.spare.textures = append(in.spare.textures, i)
			continue
		}
		var v any
		if json.Unmarshal(t, &v) == nil {
			sources(v, images)
		}
	}
	view := map[int]bool{}
	shared := map[int]bool{}
	for i, img := range in.images {
		o, err := parseObject(img)
		if err != nil {
			continue
		}
		if images[i] {
			shared[o.number("bufferView")] = true
			continue
		}
		in.spare.images = append(in.spare.images, i)
		view[o.number("bufferView")] = true
	}
	for _, a := range in.r.doc.Accessors {
		if a.BufferView != nil {
			shared[*a.BufferView] = true
		}
		if a.Sparse != nil {
			shared[a.Sparse.Indices.BufferView], shared[a.Sparse.Values.BufferView] = true, true
		}
	}
	in.cut(view, shared)
}

// cut finds the bytes of views that only pictures had that nothing needs.
func (in *insertion) cut(dead, shared map[int]bool) {
	span := func(i int) (lo, hi int, ok bool) {
		o, err := parseObject(in.views[i])
		if err != nil || o.number("buffer") != 0 || o.at["extensions"] != nil {
			return 0, 0, false
		}
		lo = max(o.number("byteOffset"), 0)
		return lo, lo + o.number("byteLength"), true
	}
	var free [][2]int
	var gone []int
	for i := range in.views {
		if !dead[i] || shared[i] {
			continue
		}
		if lo, hi, ok := span(i); ok {
			free, gone = append(free, [2]int{lo, hi}), append(gone, i)
		}
	}
	if len(gone) == 0 {
		return
	}
	isGone := map[int]bool{}
	for _, i := range gone {
		isGone[i] = true
	}
	slices.SortFunc(free, func(a, b [2]int) int { return a[0] - b[0] })
	for _, f := range free {
		lo, hi := (f[0]+7)&^7, f[1]&^7
		if n := len(in.cuts); n > 0 && lo < in.cuts[n-1][1] {
			lo = in.cuts[n-1][1]
		}
		for i := range in.views { // what lies in the same bytes stays
			if a, b, ok := span(i); ok && !isGone[i] && a < hi && lo < b {
				hi = lo
			}
		}
		if hi > lo {
			in.cuts = append(in.cuts, [2]int{lo, hi})
		}
	}
	in.spare.views = gone
}

// vacate gives places that are left over a tiny picture.
func (in *insertion) vacate() {
	if len(in.spare.views) == 0 {
		return
	}
	tiny := in.view(onePixel, 0, 0)
	for _, i := range in.spare.views {
		in.views[i] = in.views[tiny]
	}
	for _, i := range in.spare.images {
		in.images[i] = raw(map[string]any{"bufferView": tiny, "mimeType": "image/png"})
	}
}

// onePixel is a black picture of one pixel (PNG).
var onePixel = []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x00\x01\x00\x00\x00\x01\x08\x00\x00\x00\x00:~\x9bU" +
	"\x00\x00\x00\nIDATx\x9cc`\x00\x00\x00\x02\x00\x01H\xaf\xa4q\x00\x00\x00\x00IEND\xaeB`\x82")

// textureRefs collects the numbers of the textures that a material names.
func textureRefs(v any, out map[int]bool) {
	switch v := v.(type) {
	case map[string]any:
		for k, x := range v {
			if t, ok := x.(map[string]any); ok && strings.HasSuffix(strings.ToLower(k), "texture") {
				if n, ok := t["index"].(float64); ok {
					out[int(n)] = true
				}
			}
			textureRefs(x, out)
		}
	case []any:
		for _, x := range v {
			textureRefs(x, out)
		}
	}
}

// sources collects the numbers of the pictures that a texture names, its own and those of extensions.
func sources(v any, out map[int]bool) {
	if m, ok := v.(map[string]any); ok {
		for k, x := range m {
			if n, ok := x.(float64); ok && k == "source" {
				out[int(n)] = true
			}
			sources(x, out)
		}
	}
}

// material returns the number of the material that a material of the file becomes on a sheet.
func (in *insertion) material(k pair) int {
	if n, ok := in.made[k]; ok {
		return n
	}
	m := in.maps[k.sheet]
	if m == nil {
		return k.material
	}
	var o *object
	if k.material < 0 {
		o = bare([]byte("{}"), m.Transparent)
	} else {
		o = bare(raw(in.rawMaterial(k.material)), m.Transparent)
	}
	o.set("name", in.now.Sheets[k.sheet].Name)
	in.materials = append(in.materials, in.dressed(raw(o), m))
	in.made[k] = len(in.materials) - 1
	return in.made[k]
}

// rawMaterial is a material as the file has it.
func (in *insertion) rawMaterial(i int) *object {
	o, err := parseObject(in.top.list("materials")[i])
	if err != nil {
		o = &object{}
	}
	return o
}

// dressed gives a bare material the maps of its sheet.
func (in *insertion) dressed(mat json.RawMessage, m *Maps) json.RawMessage {
	o, err := parseObject(mat)
	if err != nil {
		o = &object{}
	}
	type info struct {
		Index int `json:"index"`
		Coord int `json:"texCoord,omitempty"`
	}
	tex := func(p *Picture) info { return info{in.textureOf(p), in.r.uvSet} }
	pbr := &object{}
	if m.BaseColor != nil {
		pbr.set("baseColorTexture", tex(m.BaseColor))
	}
	if m.ORM != nil {
		pbr.set("metallicRoughnessTexture", tex(m.ORM))
		o.set("occlusionTexture", tex(m.ORM))
	} else {
		pbr.set("metallicFactor", 0)
	}
	o.set("pbrMetallicRoughness", pbr)
	if m.Normal != nil {
		o.set("normalTexture", tex(m.Normal))
	}
	if m.Emissive != nil {
		o.set("emissiveTexture", tex(m.Emissive))
		o.set("emissiveFactor", []int{1, 1, 1})
	}
	e := o.child("extensions")
	add := func(name string, members ...any) {
		x := &object{}
		for i := 0; i < len(members); i += 2 {
			x.set(members[i].(string), members[i+1])
		}
		e.set(name, x)
		in.used[name] = true
	}
	if m.Specular != nil {
		add("KHR_materials_specular", "specularTexture", tex(m.Specular))
	}
	if m.Coat != nil {
		add("KHR_materials_clearcoat", "clearcoatFactor", 1, "clearcoatTexture", tex(m.Coat),
			"clearcoatRoughnessFactor", 1, "clearcoatRoughnessTexture", tex(m.Coat))
	}
	if m.Fuzz != nil {
		add("KHR_materials_sheen", "sheenColorFactor", []int{1, 1, 1}, "sheenColorTexture", tex(m.Fuzz),
			"sheenRoughnessFactor", 1, "sheenRoughnessTexture", tex(m.Fuzz))
	}
	if m.Transmission != nil {
		add("KHR_materials_transmission", "transmissionFactor", 1, "transmissionTexture", tex(m.Transmission))
	}
	if m.Anisotropy != nil {
		add("KHR_materials_anisotropy", "anisotropyStrength", 1, "anisotropyTexture", tex(m.Anisotropy))
	}
	if m.Emissive != nil && m.Glow != 0 && m.Glow != 1 {
		add("KHR_materials_emissive_strength", "emissiveStrength", m.Glow)
	}
	if len(e.keys) > 0 {
		o.set("extensions", e)
	}
	return raw(o)
}

// textureOf puts a picture into the file once; places that nothing needs any more are taken first.
func (in *insertion) textureOf(p *Picture) int {
	if n, ok := in.texture[p]; ok {
		return n
	}
	take := func(spare *[]int, list *[]json.RawMessage) (i int) {
		if len(*spare) > 0 {
			i, *spare = (*spare)[0], (*spare)[1:]
			return i
		}
		*list = append(*list, nil)
		return len(*list) - 1
	}
	if in.sampler < 0 {
		usual := raw(map[string]int{"magFilter": 9729, "minFilter": 9987, "wrapS": 10497, "wrapT": 10497})
		if in.sampler = slices.IndexFunc(in.samplers, func(m json.RawMessage) bool { return bytes.Equal(m, usual) }); in.sampler < 0 {
			in.samplers = append(in.samplers, usual)
			in.sampler = len(in.samplers) - 1
		}
	}
	name := strings.TrimSuffix(p.Name, extOf(p.Name))
	i := take(&in.spare.images, &in.images)
	if in.beside {
		in.images[i] = raw(map[string]any{"name": name, "uri": (&url.URL{Path: p.Name}).EscapedPath()})
	} else {
		v := take(&in.spare.views, &in.views)
		in.views[v] = nil // its place is known when all others are
		in.bodies, in.bodyViews = append(in.bodies, p.Body), append(in.bodyViews, v)
		in.images[i] = raw(map[string]any{"name": name, "bufferView": v, "mimeType": p.Media})
	}
	t := take(&in.spare.textures, &in.textures)
	if p.Media == "image/webp" {
		in.textures[t] = raw(map[string]any{
			"sampler": in.sampler, "extensions": map[string]any{webpName: map[string]int{"source": i}},
		})
		in.used[webpName] = true
	} else {
		in.textures[t] = raw(map[string]any{"sampler": in.sampler, "source": i})
	}
	in.texture[p] = t
	return t
}

func extOf(name string) string {
	if i := strings.LastIndexByte(name, '.'); i >= 0 {
		return name[i:]
	}
	return ""
}

// geometry brings meshes to what is painted: UVs that were made anew, tangents that the normal maps
// want, materials where a primitive lies on several sheets. A mesh that several nodes show is written
// for each of those that differ.
func (in *insertion) geometry() error {
	byNode := map[int][]piece{}
	var order []int
	for _, p := range in.r.pieces {
		if byNode[p.node] == nil {
			order = append(order, p.node)
		}
		byNode[p.node] = append(byNode[p.node], p)
	}
	groups := map[int][]int{} // nodes that stand for others, by mesh
	target := map[int]int{}   // by such a node: its mesh
	for _, n := range order {
		pieces := byNode[n]
		m := pieces[0].mesh
		like := slices.IndexFunc(groups[m], func(o int) bool { return in.alike(pieces, byNode[o]) })
		if like >= 0 {
			in.show(n, m, target[groups[m][like]])
			continue
		}
		made, err := in.rebuilt(m, pieces)
		if err != nil {
			return fmt.Errorf("meshes[%d]: %w", m, err)
		}
		to := m
		if len(groups[m]) > 0 {
			in.meshes = append(in.meshes, made)
			to = len(in.meshes) - 1
		} else {
			in.meshes[m] = made
		}
		groups[m], target[n] = append(groups[m], n), to
		in.show(n, m, to)
	}
	return nil
}

func (in *insertion) show(node, was, to int) {
	if was == to {
		return
	}
	if o, err := parseObject(in.nodes[node]); err == nil {
		o.set("mesh", to)
		in.nodes[node] = raw(o)
	}
}

// alike reports whether two nodes' triangles lie on the same sheets with the same UVs.
func (in *insertion) alike(a, b []piece) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i].primitive != b[i].primitive || a[i].count != b[i].count {
			return false
		}
		for k := range a[i].count {
			t, u := a[i].first+k, b[i].first+k
			if in.now.TriSheet[t] != in.now.TriSheet[u] {
				return false
			}
			for c := range 3 {
				ct := c
				if c > 0 && a[i].place.Mirrors() != b[i].place.Mirrors() {
					ct = 3 - c
				}
				if in.now.UV[in.now.Tri[t][ct]] != in.now.UV[in.now.Tri[u][c]] {
					return false
				}
			}
		}
	}
	return true
}

// rebuilt is a mesh as a node's pieces want it.
func (in *insertion) rebuilt(m int, pieces []piece) (json.RawMessage, error) {
	o, err := parseObject(in.top.list("meshes")[m])
	if err != nil {
		return nil, err
	}
	byPrimitive := map[int]piece{}
	for _, p := range pieces {
		byPrimitive[p.primitive] = p
	}
	var out []json.RawMessage
	changed := false
	for i, p := range o.list("primitives") {
		piece, ok := byPrimitive[i]
		if !ok || piece.count == 0 {
			out = append(out, p)
			continue
		}
		list, err := in.primitive(p, piece)
		if err != nil {
			return nil, fmt.Errorf("primitives[%d]: %w", i, err)
		}
		changed = changed || list != nil
		if list == nil {
			list = []json.RawMessage{p}
		}
		out = append(out, list...)
	}
	if !changed {
		return in.top.list("meshes")[m], nil
	}
	o.set("primitives", out)
	return raw(o), nil
}

// vertex is what a corner of a triangle holds besides what the file has for it.
type vertex struct {
	old     uint32
	uv      geom.Vec2
	normal  geom.Vec3
	tangent geom.Vec3
	mirror  bool
}

// primitive is a primitive as its piece wants it: nil when it is that already.
func (in *insertion) primitive(prim json.RawMessage, p piece) ([]json.RawMessage, error) {
	o, err := parseObject(prim)
	if err != nil {
		return nil, err
	}
	doc := in.r.doc.Meshes[p.mesh].Primitives[p.primitive]
	old := in.materialOf(p)
	var sheets []int
	newUV, tangents := false, false
	plain := in.r.lies(doc.Material).plain() // else what lies on them now lies as they are read
	for i := p.first; i < p.first+p.count; i++ {
		s := int(in.now.TriSheet[i])
		if !slices.Contains(sheets, s) {
			sheets = append(sheets, s)
		}
		tangents = tangents || in.maps[s] != nil && in.maps[s].Normal != nil
		for c := range 3 {
			newUV = newUV || !plain || in.now.UV[in.now.Tri[i][c]] != in.was.UV[in.was.Tri[i][c]]
		}
	}
	slices.Sort(sheets)
	_, hasNormals := doc.Attributes[gltf.NORMAL]
	if tangents && hasNormals && !newUV && in.agree(doc, p) {
		tangents = false
	}
	if len(sheets) == 1 && !newUV && !tangents {
		if m := in.material(pair{old, sheets[0]}); m != old {
			o.set("material", m)
			return []json.RawMessage{raw(o)}, nil
		}
		return nil, nil
	}
	normals := tangents && !hasNormals
	rows := map[int]*vertexRow{}
	for i := p.first; i < p.first+p.count; i++ {
		s := int(in.now.TriSheet[i])
		row := rows[s]
		if row == nil {
			row = &vertexRow{at: map[vertex]uint32{}}
			rows[s] = row
		}
		corners := [3]int{0, 1, 2}
		if p.place.Mirrors() {
			corners = [3]int{0, 2, 1}
		}
		for _, c := range corners {
			v := vertex{old: in.r.corners[i][c]}
			at := in.now.Tri[i][c]
			if newUV {
				v.uv = in.now.UV[at]
			}
			if normals {
				v.normal = in.local(p.place, in.now.Nrm[at], true)
			}
			if tangents {
				v.tangent, v.mirror = in.local(p.place, in.tangents[i][c], false), in.now.Mirrored(i) != p.place.Mirrors()
			}
			row.add(v)
		}
	}
	if len(sheets) == 1 && rows[sheets[0]].each() {
		return []json.RawMessage{in.inPlace(o, doc, rows[sheets[0]], newUV, normals, tangents, pair{old, sheets[0]})}, nil
	}
	var out []json.RawMessage
	for _, s := range sheets {
		one, err := in.gathered(prim, doc, rows[s], newUV, normals, tangents, pair{old, s})
		if err != nil {
			return nil, err
		}
		out = append(out, one)
	}
	return out, nil
}

// vertexRow is the vertices of a primitive that is written.
type vertexRow struct {
	at  map[vertex]uint32
	all []vertex
	idx []uint32
}

func (r *vertexRow) add(v vertex) {
	k, ok := r.at[v]
	if !ok {
		k = uint32(len(r.all))
		r.at[v] = k
		r.all = append(r.all, v)
	}
	r.idx = append(r.idx, k)
}

// each reports whether no vertex of the file became several.
func (r *vertexRow) each() bool {
	seen := map[uint32]bool{}
	for _, v := range r.all {
		if seen[v.old] {
			return false
		}
		seen[v.old] = true
	}
	return true
}

// local brings a direction of the model back into a node.
func (in *insertion) local(place geom.Mat4, v geom.Vec3, normal bool) geom.Vec3 {
	if in.r.turned {
		v = geom.V3(v.X, -v.Z, v.Y)
	}
	x, y, z := float64(v.X), float64(v.Y), float64(v.Z)
	col := func(i int) [3]float64 { return [3]float64{place[4*i], place[4*i+1], place[4*i+2]} }
	var rows [3][3]float64
	for i := range 3 {
		a, b := col((i+1)%3), col((i+2)%3)
		rows[i] = [3]float64{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
		if place.Mirrors() { // the inverse up to a positive number
			rows[i] = [3]float64{-rows[i][0], -rows[i][1], -rows[i][2]}
		}
		if normal { // by the transposed matrix
			rows[i] = col(i)
		}
	}
	var out [3]float64
	length := 0.0
	for i, r := range rows {
		out[i] = r[0]*x + r[1]*y + r[2]*z
		length += out[i] * out[i]
	}
	if length = math.Sqrt(length); !(length > 1e-30) {
		return geom.V3(1, 0, 0)
	}
	return geom.V3(float32(out[0]/length), float32(out[1]/length), float32(out[2]/length))
}

// agree reports whether the file's tangents are those of the normal maps.
func (in *insertion) agree(doc *gltf.Primitive, p piece) bool {
	i, ok := doc.Attributes[gltf.TANGENT]
	if !ok {
		return false
	}
	tan, err := in.r.floats(i, 4)
	if err != nil {
		return false
	}
	for k := p.first; k < p.first+p.count; k++ {
		for c := range 3 {
			v := 4 * int(in.r.corners[k][c])
			if v+3 >= len(tan) {
				return false
			}
			t := in.local(p.place, in.tangents[k][c], false)
			if t.Dot(geom.V3(tan[v], tan[v+1], tan[v+2])) < 0.999 || (tan[v+3] < 0) != (in.now.Mirrored(k) != p.place.Mirrors()) {
				return false
			}
		}
	}
	return true
}

// floatsView writes rows of n floats as an accessor.
func (in *insertion) floatAccessor(kind string, rows int, n int, at func(i, k int) float32) int {
	data := make([]byte, 0, 4*rows*n)
	for i := range rows {
		for k := range n {
			data = binary.LittleEndian.AppendUint32(data, math.Float32bits(at(i, k)))
		}
	}
	in.accessors = append(in.accessors, raw(map[string]any{
		"bufferView": in.view(data, 34962, 0), "componentType": 5126, "count": rows, "type": kind,
	}))
	return len(in.accessors) - 1
}

// extra writes what a row's vertices hold besides what the file has; all is how many vertices there are,
// and which of them is which.
func (in *insertion) extra(attributes *object, all []vertex, newUV, normals, tangents bool) {
	if newUV {
		attributes.set(fmt.Sprintf("TEXCOORD_%d", in.r.uvSet), in.floatAccessor("VEC2", len(all), 2, func(i, k int) float32 {
			return []float32{all[i].uv.X, all[i].uv.Y}[k]
		}))
	}
	if normals {
		attributes.set(gltf.NORMAL, in.floatAccessor("VEC3", len(all), 3, func(i, k int) float32 {
			n := all[i].normal
			if n == (geom.Vec3{}) {
				n = geom.V3(0, 1, 0)
			}
			return []float32{n.X, n.Y, n.Z}[k]
		}))
	}
	if tangents {
		attributes.set(gltf.TANGENT, in.floatAccessor("VEC4", len(all), 4, func(i, k int) float32 {
			v, w := all[i].tangent, float32(1)
			if all[i].mirror {
				w = -1
			}
			if v == (geom.Vec3{}) {
				v.X = 1
			}
			return []float32{v.X, v.Y, v.Z, w}[k]
		}))
	}
}

// inPlace adds to a primitive whose vertices stay as they are.
func (in *insertion) inPlace(
	o *object, doc *gltf.Primitive, row *vertexRow, newUV, normals, tangents bool, k pair,
) json.RawMessage {
	all := make([]vertex, in.r.doc.Accessors[doc.Attributes[gltf.POSITION]].Count)
	for _, v := range row.all {
		all[v.old] = v
	}
	attributes := o.child("attributes")
	in.extra(attributes, all, newUV, normals, tangents)
	o.set("attributes", attributes)
	if m := in.material(k); m != k.material {
		o.set("material", m)
	}
	return raw(o)
}

// gathered is a primitive whose vertices are told apart anew; whatever the file has for them, also
// skins and morphs, goes along.
func (in *insertion) gathered(
	prim json.RawMessage, doc *gltf.Primitive, row *vertexRow, newUV, normals, tangents bool, k pair,
) (json.RawMessage, error) {
	o, err := parseObject(prim)
	if err != nil {
		return nil, err
	}
	along := func(attributes *object) error {
		for _, name := range slices.Clone(attributes.keys) {
			if newUV && name == fmt.Sprintf("TEXCOORD_%d", in.r.uvSet) || tangents && name == gltf.TANGENT {
				continue
			}
			n, err := in.gather(attributes.number(name), row.all)
			if err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
			attributes.set(name, n)
		}
		return nil
	}
	attributes := o.child("attributes")
	if err := along(attributes); err != nil {
		return nil, err
	}
	in.extra(attributes, row.all, newUV, normals, tangents)
	o.set("attributes", attributes)
	if targets := o.list("targets"); targets != nil {
		for i, t := range targets {
			a, err := parseObject(t)
			if err != nil {
				return nil, err
			}
			if tangents {
				a.drop(gltf.TANGENT) // how other tangents would move
			}
			if err := along(a); err != nil {
				return nil, fmt.Errorf("targets[%d]: %w", i, err)
			}
			targets[i] = raw(a)
		}
		o.set("targets", targets)
	}
	var idx []byte
	kind := 5125
	if len(row.all) < 65535 {
		kind = 5123
	}
	for _, v := range row.idx {
		if kind == 5123 {
			idx = binary.LittleEndian.AppendUint16(idx, uint16(v))
			continue
		}
		idx = binary.LittleEndian.AppendUint32(idx, v)
	}
	in.accessors = append(in.accessors, raw(map[string]any{
		"bufferView": in.view(idx, 34963, 0), "componentType": kind, "count": len(row.idx), "type": "SCALAR",
	}))
	o.set("indices", len(in.accessors)-1)
	o.drop("mode")
	if m := in.material(k); m >= 0 && m != k.material {
		o.set("material", m)
	}
	return raw(o), nil
}

// gather writes an accessor whose elements are those of the vertices' old ones.
func (in *insertion) gather(i int, all []vertex) (int, error) {
	a, err := in.r.accessor(i, in.r.lim.Vertices)
	if err != nil {
		return 0, err
	}
	n := map[gltf.AccessorType]int{gltf.AccessorScalar: 1, gltf.AccessorVec2: 2, gltf.AccessorVec3: 3, gltf.AccessorVec4: 4}[a.Type]
	size := componentSize[a.ComponentType]
	if n == 0 || size == 0 {
		return 0, fmt.Errorf("accessors[%d] holds what no vertex has", i)
	}
	elem := n * size
	stride := (elem + 3) &^ 3
	dense, err := in.r.dense(i, a, elem)
	if err != nil {
		return 0, err
	}
	data := make([]byte, stride*len(all))
	lo, hi := make([]float64, n), make([]float64, n)
	for k := range n {
		lo[k], hi[k] = math.Inf(1), math.Inf(-1)
	}
	for j, v := range all {
		if int(v.old) >= a.Count {
			return 0, fmt.Errorf("accessors[%d] has %d elements, vertex %d is asked for", i, a.Count, v.old)
		}
		e := dense[int(v.old)*elem:][:elem]
		copy(data[j*stride:], e)
		for k := range n {
			x := float64(one(e[k*size:], a.ComponentType, false))
			lo[k], hi[k] = min(lo[k], x), max(hi[k], x)
		}
	}
	o, err := parseObject(in.top.list("accessors")[i])
	if err != nil {
		return 0, err
	}
	if stride == elem {
		stride = 0
	}
	o.drop("sparse", "byteOffset")
	o.set("bufferView", in.view(data, 34962, stride))
	o.set("count", len(all))
	if len(a.Min) > 0 {
		o.set("min", lo)
		o.set("max", hi)
	}
	in.accessors = append(in.accessors, raw(o))
	return len(in.accessors) - 1, nil
}

// dense is an accessor's elements one after the other, its sparse part in place.
func (r *gltfReader) dense(i int, a *gltf.Accessor, elem int) ([]byte, error) {
	out := make([]byte, a.Count*elem)
	if a.BufferView != nil {
		data, stride, err := r.span(a.BufferView, a.ByteOffset, a.Count, elem)
		if err != nil {
			return nil, fmt.Errorf("accessors[%d]: %w", i, err)
		}
		for e := range a.Count {
			copy(out[e*elem:], data[e*stride:][:elem])
		}
	}
	if s := a.Sparse; s != nil {
		at, err := r.integers(&s.Indices.BufferView, s.Indices.ByteOffset, s.Count, s.Indices.ComponentType)
		if err != nil {
			return nil, fmt.Errorf("accessors[%d].sparse: %w", i, err)
		}
		data, stride, err := r.span(&s.Values.BufferView, s.Values.ByteOffset, s.Count, elem)
		if err != nil {
			return nil, fmt.Errorf("accessors[%d].sparse: %w", i, err)
		}
		for e, v := range at {
			if int(v) >= a.Count {
				return nil, fmt.Errorf("accessors[%d].sparse: index %d of %d", i, v, a.Count)
			}
			copy(out[int(v)*elem:], data[e*stride:][:elem])
		}
	}
	return out, nil
}

// write puts the file together.
func (in *insertion) write(w io.Writer, glb bool) error {
	in.vacate()
	held := in.cutOut()
	in.end = len(held)
	for i, b := range in.bodies {
		in.end = (in.end + 3) &^ 3
		in.views[in.bodyViews[i]] = raw(map[string]int{"buffer": 0, "byteOffset": in.end, "byteLength": int(b.Size())})
		in.end += int(b.Size())
	}
	in.end = (in.end + 3) &^ 3
	if in.end > 0 {
		var buffer *object
		if len(in.bufs) == 0 {
			in.bufs = append(in.bufs, nil)
		} else {
			buffer, _ = parseObject(in.bufs[0])
		}
		if buffer == nil {
			buffer = &object{}
		}
		buffer.set("byteLength", in.end)
		if buffer.drop("uri"); !glb {
			buffer.set("uri", (&url.URL{Path: in.s.Name + ".bin"}).EscapedPath())
		}
		in.bufs[0] = raw(buffer)
	}
	for _, key := range []string{"buffers", "bufferViews", "accessors", "images", "samplers", "textures", "materials", "meshes", "nodes"} {
		if list := *in.lists()[key]; len(list) > 0 {
			in.top.set(key, list)
		}
	}
	in.extensions()
	head, err := json.Marshal(in.top)
	if err != nil {
		return err
	}
	if glb {
		return container(w, head, held, in.bodies, in.end)
	}
	if in.end > 0 {
		err := in.s.Put(in.s.Name+".bin", func(w io.Writer) error {
			out := &counting{w: bufio.NewWriterSize(w, 1<<16)}
			return out.buffer(held, in.bodies)
		})
		if err != nil {
			return err
		}
	}
	_, err = w.Write(head)
	return err
}

// cutOut is what the buffer held, without what nothing needs; the views move along.
func (in *insertion) cutOut() []byte {
	if len(in.cuts) == 0 {
		return in.held
	}
	var out []byte
	from := 0
	for _, c := range in.cuts {
		out = append(out, in.held[from:c[0]]...)
		from = c[1]
	}
	out = append(out, in.held[from:]...)
	moved := func(o *object) {
		at, less := max(o.number("byteOffset"), 0), 0
		if o.number("buffer") != 0 {
			return
		}
		for _, c := range in.cuts {
			if c[1] <= at {
				less += c[1] - c[0]
			}
		}
		if less > 0 {
			o.set("byteOffset", at-less)
		}
	}
	in.eachView(moved)
	return out
}

// extensions brings the list of those that are used to what is used now: an extension that the file
// mentioned and mentions no longer is none any more.
func (in *insertion) extensions() {
	var now []byte
	for _, k := range in.top.keys {
		if !strings.HasPrefix(k, "extensionsUsed") && !strings.HasPrefix(k, "extensionsRequired") {
			now = append(now, in.top.at[k]...)
		}
	}
	mentions := func(in []byte, name string) bool { return bytes.Contains(in, []byte(`"`+name+`":`)) }
	old, err := parseObject(in.r.json)
	if err != nil {
		return
	}
	old.drop("extensionsUsed", "extensionsRequired")
	before := raw(old)
	for _, key := range []string{"extensionsUsed", "extensionsRequired"} {
		var list []string
		_ = json.Unmarshal(in.top.at[key], &list)
		list = slices.DeleteFunc(list, func(n string) bool { return mentions(before, n) && !mentions(now, n) })
		var more []string
		for n := range in.used {
			if !slices.Contains(list, n) && (key == "extensionsUsed" || n == webpName) {
				more = append(more, n)
			}
		}
		slices.Sort(more)
		if list = append(list, more...); len(list) == 0 {
			in.top.drop(key)
			continue
		}
		in.top.set(key, list)
	}
}
