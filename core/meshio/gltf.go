package meshio

import (
	"bytes"
	"cmp"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"math"
	"net/url"
	"path"
	"slices"
	"strconv"
	"strings"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"

	"github.com/qmuntal/gltf"
)

var pictures = []string{".png", ".jpg", ".jpeg", ".webp"}

var glbForm = Form{
	Ext: ".glb", Label: "glTF 2.0, one file", Media: "model/gltf-binary", Up: "y", Metres: true,
	read:     readGLTF,
	textures: gltfTextures,
	weigh:    gltfWeight,
	write:    func(w io.Writer, m *mesh.Model) error { return WriteGLB(w, m, Options{}) },
}

var gltfForm = Form{
	Ext: ".gltf", Label: "glTF 2.0 with its files", Media: "model/gltf+json", Up: "y", Metres: true, Beside: append([]string{".bin"}, pictures...),
	read:     readGLTF,
	textures: gltfTextures,
	weigh:    gltfWeight,
}

// chunks returns the JSON and the binary part of a GLB: the container of glTF 2.0, section 4.4.
func chunks(data []byte) (doc, bin []byte, err error) {
	if len(data) < 20 || string(data[:4]) != "glTF" {
		return nil, nil, fmt.Errorf("byte 0: this is not a GLB file (no glTF mark)")
	}
	if v := binary.LittleEndian.Uint32(data[4:]); v != 2 {
		return nil, nil, fmt.Errorf("byte 4: glTF version %d; only 2 is read", v)
	}
	total := binary.LittleEndian.Uint32(data[8:])
	if int64(total) > int64(len(data)) {
		return nil, nil, fmt.Errorf(
			"byte 8: the header claims %d bytes but the file has %d; it was cut off",
			total,
			len(data),
		)
	}
	for at := 12; at+8 <= int(total); {
		n := int(binary.LittleEndian.Uint32(data[at:]))
		kind := binary.LittleEndian.Uint32(data[at+4:])
		if n < 0 || n > int(total)-at-8 {
			return nil, nil, fmt.Errorf("byte %d: a chunk claims %d bytes, %d are left", at, n, int(total)-at-8)
		}
		body := data[at+8 : at+8+n]
		switch {
		case kind == 0x4E4F534A && doc == nil:
			doc = body
		case kind == 0x004E4942 && bin == nil:
			bin = body
		}
		at += 8 + n
	}
	if doc == nil {
		return nil, nil, fmt.Errorf("byte 12: there is no JSON chunk")
	}
	if bin == nil {
		bin = []byte{}
	}
	return doc, bin, nil
}

type gltfReader struct {
	doc     *gltf.Document
	json    []byte
	buffers [][]byte
	lim     Limits
	m       *mesh.Model
	rebuild bool // some primitive had no normals
	// where triangles come from, when that is asked for
	traced  bool
	pieces  []piece
	corners [][3]uint32 // of each triangle: vertices of its primitive, in the model's order
	turned  bool        // its Z was up
	uvSet   int         // which of its UVs are read

	unpackedViews map[int][]byte
	unpackedBytes int64
}

// piece is what one node brings of one primitive.
type piece struct {
	node, mesh, primitive int
	first, count          int // of the model's triangles
	place                 geom.Mat4
}

// openGLTF reads the JSON and the buffers of a file.
func openGLTF(s *source) (*gltfReader, error) {
	r := &gltfReader{json: s.data, lim: s.lim, m: &mesh.Model{}, uvSet: max(s.uv-1, 0)}
	files := s.files
	var bin []byte
	if bytes.HasPrefix(s.data, []byte("glTF")) || s.glb {
		var err error
		if r.json, bin, err = chunks(s.data); err != nil {
			return nil, err
		}
		files = nil // all of it is within
	}
	var err error
	if r.doc, err = document(r.json); err != nil {
		return nil, err
	}
	left := s.lim.Bytes
	for i, b := range r.doc.Buffers {
		body, err := r.buffer(i, b, bin, files, s.dir, left)
		if err != nil {
			return nil, fmt.Errorf("buffers[%d]: %w", i, err)
		}
		left -= int64(len(body))
		r.buffers = append(r.buffers, body)
	}
	return r, nil
}

func readGLTF(s *source) (*mesh.Model, error) {
	r, err := openGLTF(s)
	if err != nil {
		return nil, err
	}
	r.traced = s.trace != nil
	for _, e := range r.doc.ExtensionsRequired {
		if err := needed(e); err != nil {
			return nil, err
		}
	}
	for i, mat := range r.doc.Materials {
		name := mat.Name
		if name == "" {
			name = fmt.Sprintf("Material %d", i+1)
		}
		r.m.Sheets = append(r.m.Sheets, mesh.Sheet{Name: name, Source: name})
	}
	r.m.Sheets = append(r.m.Sheets, mesh.Sheet{Name: "Plain", Source: ""})
	roots, err := r.roots(s.scene)
	if err != nil {
		return nil, err
	}
	visited := make([]bool, len(r.doc.Nodes))
	for _, n := range roots {
		if err := r.node(n, geom.Identity(), 0, visited); err != nil {
			return nil, err
		}
	}
	for r.m.Color != nil && len(r.m.Color) < len(r.m.Pos) {
		r.m.Color = append(r.m.Color, geom.V3(1, 1, 1))
	}
	if r.rebuild {
		r.m.SmoothNormals(40)
	}
	if r.traced {
		*s.trace = r
	}
	return r.m, nil
}

// document reads the JSON of a file and refuses one with holes.
func document(data []byte) (*gltf.Document, error) {
	d := new(gltf.Document)
	var first struct {
		Asset struct{ Version any }
	}
	if json.Unmarshal(data, &first) == nil {
		if v := fmt.Sprint(first.Asset.Version); strings.HasPrefix(v, "1") {
			return nil, fmt.Errorf("asset.version: this is glTF %s; only 2 is read, export it as that", v)
		}
	}
	if err := json.Unmarshal(data, d); err != nil {
		return nil, fmt.Errorf("the JSON is damaged: %w", err)
	}
	if where := hole(d); where != "" {
		return nil, fmt.Errorf("%s is null; an object was expected there", where)
	}
	return d, nil
}

// hole returns the first place in a document that is null where an object has to be, or "".
func hole(d *gltf.Document) string {
	return cmp.Or(
		null("accessors", d.Accessors),
		null("buffers", d.Buffers),
		null("bufferViews", d.BufferViews),
		null("meshes", d.Meshes),
		null(
			"materials",
			d.Materials,
		),
		null("nodes", d.Nodes),
		null("scenes", d.Scenes),
		null("textures", d.Textures),
		null("images", d.Images),
		null("samplers", d.Samplers),
		holeInMesh(d.Meshes),
	)
}

func null[T any](name string, list []*T) string {
	if i := slices.Index(list, nil); i >= 0 {
		return fmt.Sprintf("%s[%d]", name, i)
	}
	return ""
}

func holeInMesh(list []*gltf.Mesh) string {
	for i, m := range list {
		if m == nil {
			continue // named already
		}
		if w := null("primitives", m.Primitives); w != "" {
			return fmt.Sprintf("meshes[%d].%s", i, w)
		}
	}
	return ""
}

// roots returns the nodes at the top of the scene that was asked for.
func (r *gltfReader) roots(scene string) ([]int, error) {
	if scene != "" {
		var names []string
		for i, s := range r.doc.Scenes {
			if s.Name == scene || strconv.Itoa(i+1) == scene {
				return s.Nodes, nil
			}
			names = append(names, fmt.Sprintf("%d %q", i+1, s.Name))
		}
		return nil, fmt.Errorf("scenes: there is no scene %q; the file has %s", scene, strings.Join(names, ", "))
	}
	if s := r.doc.Scene; s != nil && *s >= 0 && *s < len(r.doc.Scenes) {
		return r.doc.Scenes[*s].Nodes, nil
	}
	if len(r.doc.Scenes) > 0 {
		return r.doc.Scenes[0].Nodes, nil
	}
	child := make([]bool, len(r.doc.Nodes))
	for _, n := range r.doc.Nodes {
		for _, c := range n.Children {
			if c >= 0 && c < len(child) {
				child[c] = true
			}
		}
	}
	var roots []int
	for i := range child {
		if !child[i] {
			roots = append(roots, i)
		}
	}
	return roots, nil
}

func (r *gltfReader) buffer(i int, b *gltf.Buffer, bin []byte, files fs.FS, dir string, left int64) ([]byte, error) {
	var body []byte
	switch {
	case standIn(b):
		return nil, nil
	case b.URI == "":
		if i != 0 || bin == nil {
			return nil, fmt.Errorf("there is neither a uri nor a binary chunk")
		}
		body = bin
	case strings.HasPrefix(b.URI, "data:"):
		_, enc, ok := strings.Cut(b.URI, ";base64,")
		if !ok || int64(len(enc)) > 2*left {
			return nil, fmt.Errorf("the data URI is not base64 or too long")
		}
		var err error
		if body, err = base64.StdEncoding.DecodeString(enc); err != nil {
			return nil, fmt.Errorf("the data URI is damaged: %w", err)
		}
	default:
		name, err := url.PathUnescape(b.URI)
		if err != nil || files == nil || !fs.ValidPath(path.Join(dir, name)) || strings.Contains(name, "..") {
			return nil, fmt.Errorf("the file %q lies outside the model's folder; put it beside the model", b.URI)
		}
		if body, err = load(files, path.Join(dir, name), left); err != nil {
			return nil, err
		}
	}
	if b.ByteLength < 0 || b.ByteLength > len(body) {
		return nil, fmt.Errorf("byteLength claims %d bytes, there are %d", b.ByteLength, len(body))
	}
	return body[:b.ByteLength], nil
}

func (r *gltfReader) node(i int, parent geom.Mat4, depth int, visited []bool) error {
	if i < 0 || i >= len(r.doc.Nodes) {
		return fmt.Errorf("nodes[%d] does not exist", i)
	}
	if visited[i] || depth > r.lim.Depth {
		return fmt.Errorf("nodes[%d] is its own ancestor, hangs twice in the tree or too deep", i)
	}
	visited[i] = true
	if err := r.lim.told(0, float64(len(r.m.Pos))/float64(len(r.m.Pos)+1<<16)); err != nil {
		return err
	}
	n := r.doc.Nodes[i]
	t := parent
	if n.Matrix != [16]float64{} && n.Matrix != gltf.DefaultMatrix {
		t = t.Mul(geom.Mat4(n.Matrix))
	} else {
		t = t.Mul(geom.TRS(n.Translation, n.RotationOrDefault(), n.ScaleOrDefault()))
	}
	if n.Mesh != nil {
		if *n.Mesh < 0 || *n.Mesh >= len(r.doc.Meshes) {
			return fmt.Errorf("nodes[%d]: mesh %d does not exist", i, *n.Mesh)
		}
		name := n.Name
		if name == "" {
			name = r.doc.Meshes[*n.Mesh].Name
		}
		if name == "" {
			name = fmt.Sprintf("Part %d", len(r.m.Parts)+1)
		}
		r.m.Parts = append(r.m.Parts, mesh.Part{Name: name})
		for k, p := range r.doc.Meshes[*n.Mesh].Primitives {
			first := len(r.m.Tri)
			if err := r.primitive(p, t); err != nil {
				return fmt.Errorf("meshes[%d].primitives[%d]: %w", *n.Mesh, k, err)
			}
			if r.traced {
				r.pieces = append(r.pieces, piece{i, *n.Mesh, k, first, len(r.m.Tri) - first, t})
			}
		}
	}
	for _, c := range n.Children {
		if err := r.node(c, t, depth+1, visited); err != nil {
			return err
		}
	}
	return nil
}

func (r *gltfReader) primitive(p *gltf.Primitive, t geom.Mat4) error {
	if p.Mode != gltf.PrimitiveTriangles && p.Mode != gltf.PrimitiveTriangleStrip &&
		p.Mode != gltf.PrimitiveTriangleFan {
		return nil // points and lines have no surface
	}
	pi, ok := p.Attributes[gltf.POSITION]
	if !ok {
		return fmt.Errorf("there is no POSITION")
	}
	pos, err := r.floats(pi, 3)
	if err != nil {
		return fmt.Errorf("POSITION: %w", err)
	}
	n, base := len(pos)/3, uint32(len(r.m.Pos))
	if int(base)+n > r.lim.Vertices {
		return fmt.Errorf("more than %d vertices", r.lim.Vertices)
	}
	attr := func(name string, k int) ([]float32, error) {
		i, ok := p.Attributes[name]
		if !ok {
			return nil, nil
		}
		v, err := r.floats(i, k)
		if err == nil && len(v) != n*k {
			err = fmt.Errorf("has %d vertices, POSITION has %d", len(v)/k, n)
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		return v, nil
	}
	nrm, err := attr(gltf.NORMAL, 3)
	if err != nil {
		return err
	}
	uv, err := attr(fmt.Sprintf("TEXCOORD_%d", r.uvSet), 2)
	if err != nil {
		return err
	}
	lies := r.lies(p.Material)
	var colors []float32
	width := 3
	if i, ok := p.Attributes[gltf.COLOR_0]; ok && i >= 0 && i < len(r.doc.Accessors) {
		if r.doc.Accessors[i].Type == gltf.AccessorVec4 {
			width = 4
		}
		if colors, err = attr(gltf.COLOR_0, width); err != nil {
			return err
		}
	}
	r.rebuild = r.rebuild || nrm == nil
	var idx []uint32
	if p.Indices != nil {
		if idx, err = r.indices(*p.Indices); err != nil {
			return fmt.Errorf("indices: %w", err)
		}
	} else {
		for i := range n {
			idx = append(idx, uint32(i))
		}
	}
	for i := range n {
		q := geom.V3(pos[3*i], pos[3*i+1], pos[3*i+2])
		r.m.Pos = append(r.m.Pos, t.Point(q))
		var nn geom.Vec3
		if nrm != nil {
			nn = t.Normal(geom.V3(nrm[3*i], nrm[3*i+1], nrm[3*i+2]))
		}
		r.m.Nrm = append(r.m.Nrm, nn)
		var w geom.Vec2
		if uv != nil {
			w = lies.at(geom.Vec2{X: uv[2*i], Y: uv[2*i+1]})
		}
		r.m.UV = append(r.m.UV, w)
		if colors != nil {
			for len(r.m.Color) < len(r.m.Pos)-1 { // primitives before this one had none
				r.m.Color = append(r.m.Color, geom.V3(1, 1, 1))
			}
			c := colors[width*i:]
			r.m.Color = append(r.m.Color, encoded(c[0], c[1], c[2]))
		}
	}
	sheet := len(r.m.Sheets) - 1
	if p.Material != nil {
		if *p.Material < 0 || *p.Material >= len(r.doc.Materials) {
			return fmt.Errorf("material %d does not exist", *p.Material)
		}
		sheet = *p.Material
	}
	tri := func(a, b, c uint32) error {
		if len(r.m.Tri) >= r.lim.Triangles {
			return fmt.Errorf("more than %d triangles", r.lim.Triangles)
		}
		if t.Mirrors() {
			b, c = c, b
		}
		if r.traced {
			r.corners = append(r.corners, [3]uint32{a, b, c})
		}
		r.m.Tri = append(r.m.Tri, [3]uint32{base + a, base + b, base + c})
		r.m.TriPart = append(r.m.TriPart, uint16(len(r.m.Parts)-1))
		r.m.TriSheet = append(r.m.TriSheet, uint16(sheet))
		return nil
	}
	step, last := 3, len(idx)-2
	if p.Mode != gltf.PrimitiveTriangles {
		step = 1
	} else if len(idx)%3 != 0 {
		return fmt.Errorf("indices: %d is no multiple of three", len(idx))
	}
	for i := 0; i < last; i += step {
		a, b, c := idx[i], idx[i+1], idx[i+2]
		switch {
		case p.Mode == gltf.PrimitiveTriangleFan:
			a = idx[0]
		case p.Mode == gltf.PrimitiveTriangleStrip && i%2 == 1:
			a, b = b, a
		}
		if int(max(a, b, c)) >= n {
			return fmt.Errorf("indices: corner %d is vertex %d of %d", i, max(a, b, c), n)
		}
		if a == b || b == c || a == c {
			continue
		}
		if err := tri(a, b, c); err != nil {
			return err
		}
	}
	return nil
}

var componentSize = map[gltf.ComponentType]int{
	gltf.ComponentByte: 1, gltf.ComponentUbyte: 1, gltf.ComponentShort: 2, gltf.ComponentUshort: 2, gltf.ComponentUint: 4, gltf.ComponentFloat: 4,
}

// span returns the bytes of count elements, checked against view and buffer.
func (r *gltfReader) span(view *int, offset, count, elem int) (data []byte, stride int, err error) {
	if view == nil || *view < 0 || *view >= len(r.doc.BufferViews) {
		return nil, 0, fmt.Errorf("its buffer view does not exist")
	}
	v := r.doc.BufferViews[*view]
	whole, packed, err := r.unpacked(*view)
	if err != nil {
		return nil, 0, err
	}
	if packed {
		return part(whole, *view, v.ByteStride, offset, count, elem)
	}
	if v.Buffer < 0 || v.Buffer >= len(r.buffers) {
		return nil, 0, fmt.Errorf("bufferViews[%d]: buffer %d does not exist", *view, v.Buffer)
	}
	b := r.buffers[v.Buffer]
	if v.ByteOffset < 0 || v.ByteLength < 0 || v.ByteOffset > len(b) || v.ByteLength > len(b)-v.ByteOffset {
		return nil, 0, fmt.Errorf(
			"bufferViews[%d]: bytes %d+%d lie outside the buffer of %d",
			*view,
			v.ByteOffset,
			v.ByteLength,
			len(b),
		)
	}
	return part(b[v.ByteOffset:v.ByteOffset+v.ByteLength], *view, v.ByteStride, offset, count, elem)
}

// part is span within the bytes of a view.
func part(b []byte, view, stride, offset, count, elem int) (data []byte, _ int, err error) {
	if stride == 0 {
		stride = elem
	}
	if stride < elem || stride > 252 && stride != elem {
		return nil, 0, fmt.Errorf("bufferViews[%d]: stride %d does not fit elements of %d bytes", view, stride, elem)
	}
	if offset < 0 || offset > len(b) || int64(count-1)*int64(stride)+int64(elem) > int64(len(b)-offset) {
		return nil, 0, fmt.Errorf(
			"%d elements of %d bytes claim more than the %d bytes of bufferViews[%d]",
			count,
			elem,
			len(b),
			view,
		)
	}
	return b[offset:], stride, nil
}

func (r *gltfReader) accessor(i, limit int) (*gltf.Accessor, error) {
	if i < 0 || i >= len(r.doc.Accessors) {
		return nil, fmt.Errorf("accessors[%d] does not exist", i)
	}
	a := r.doc.Accessors[i]
	if a.Count < 1 || a.Count > limit {
		return nil, fmt.Errorf("accessors[%d]: count %d is outside 1 to %d", i, a.Count, limit)
	}
	return a, nil
}

func one(b []byte, t gltf.ComponentType, normalized bool) float32 {
	var v, full float64
	switch t {
	case gltf.ComponentByte:
		v, full = float64(int8(b[0])), 127
	case gltf.ComponentUbyte:
		v, full = float64(b[0]), 255
	case gltf.ComponentShort:
		v, full = float64(int16(binary.LittleEndian.Uint16(b))), 32767
	case gltf.ComponentUshort:
		v, full = float64(binary.LittleEndian.Uint16(b)), 65535
	case gltf.ComponentUint:
		v, full = float64(binary.LittleEndian.Uint32(b)), math.MaxUint32
	default:
		return math.Float32frombits(binary.LittleEndian.Uint32(b))
	}
	if normalized {
		v = max(v/full, -1)
	}
	return float32(v)
}

// floats reads an accessor of k components, with its sparse part.
func (r *gltfReader) floats(i, k int) ([]float32, error) {
	a, err := r.accessor(i, r.lim.Vertices)
	if err != nil {
		return nil, err
	}
	if want := map[int]gltf.AccessorType{2: gltf.AccessorVec2, 3: gltf.AccessorVec3, 4: gltf.AccessorVec4}[k]; a.Type != want {
		return nil, fmt.Errorf("accessors[%d] has not %d components", i, k)
	}
	size := componentSize[a.ComponentType]
	if size == 0 {
		return nil, fmt.Errorf("accessors[%d]: unknown component type", i)
	}
	fill := func(out []float32, view *int, offset, count int, at func(int) int) error {
		data, stride, err := r.span(view, offset, count, size*k)
		if err != nil {
			return fmt.Errorf("accessors[%d]: %w", i, err)
		}
		for e := range count {
			for c := range k {
				v := one(data[e*stride+c*size:], a.ComponentType, a.Normalized)
				if math.IsNaN(float64(v)) || math.IsInf(float64(v), 0) {
					return fmt.Errorf("accessors[%d]: element %d is not a number", i, e)
				}
				out[at(e)*k+c] = v
			}
		}
		return nil
	}
	if a.BufferView != nil {
		if _, _, err := r.span(a.BufferView, a.ByteOffset, a.Count, size*k); err != nil {
			return nil, fmt.Errorf("accessors[%d]: %w", i, err)
		}
	} else if a.Sparse == nil {
		return nil, fmt.Errorf("accessors[%d]: there is no data", i)
	}
	out := make([]float32, a.Count*k)
	if a.BufferView != nil {
		if err := fill(out, a.BufferView, a.ByteOffset, a.Count, func(e int) int { return e }); err != nil {
			return nil, err
		}
	}
	if s := a.Sparse; s != nil {
		if s.Count < 1 || s.Count > a.Count {
			return nil, fmt.Errorf("accessors[%d].sparse: count %d is outside 1 to %d", i, s.Count, a.Count)
		}
		at, err := r.integers(&s.Indices.BufferView, s.Indices.ByteOffset, s.Count, s.Indices.ComponentType)
		if err != nil {
			return nil, fmt.Errorf("accessors[%d].sparse: %w", i, err)
		}
		for _, v := range at {
			if int(v) >= a.Count {
				return nil, fmt.Errorf("accessors[%d].sparse: index %d of %d", i, v, a.Count)
			}
		}
		if err := fill(out, &s.Values.BufferView, s.Values.ByteOffset, s.Count, func(e int) int { return int(at[e]) }); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (r *gltfReader) indices(i int) ([]uint32, error) {
	a, err := r.accessor(i, 3*r.lim.Triangles)
	if err != nil {
		return nil, err
	}
	return r.integers(a.BufferView, a.ByteOffset, a.Count, a.ComponentType)
}

func (r *gltfReader) integers(view *int, offset, count int, t gltf.ComponentType) ([]uint32, error) {
	size := componentSize[t]
	if t != gltf.ComponentUbyte && t != gltf.ComponentUshort && t != gltf.ComponentUint {
		return nil, fmt.Errorf("indices must be unsigned whole numbers")
	}
	data, stride, err := r.span(view, offset, count, size)
	if err != nil {
		return nil, err
	}
	out := make([]uint32, count)
	for e := range out {
		b := data[e*stride:]
		switch size {
		case 1:
			out[e] = uint32(b[0])
		case 2:
			out[e] = uint32(binary.LittleEndian.Uint16(b))
		default:
			out[e] = binary.LittleEndian.Uint32(b)
		}
	}
	return out, nil
}
