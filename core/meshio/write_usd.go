package meshio

import (
	"archive/zip"
	"bufio"
	"bytes"
	"fmt"
	"hash/crc32"
	"io"
	"path"
	"strings"
	"time"

	"velvetgrime/core/geom"
)

// writeUSDA writes the scene as Universal Scene Description in text: a mesh a part and sheet, a
// material a sheet as UsdPreviewSurface (specification of version 2.6). Pictures are named with the
// folder before them.
func (s *Scene) writeUSDA(w io.Writer, folder string) error {
	b := bufio.NewWriterSize(w, 1<<16)
	line := func(depth int, format string, a ...any) {
		b.WriteString(strings.Repeat("    ", depth))
		fmt.Fprintf(b, format, a...)
		b.WriteByte('\n')
	}
	root := plain(s.Name)
	line(0, "#usda 1.0")
	line(0, "(\n    defaultPrim = %q\n    metersPerUnit = 1\n    upAxis = \"Y\"\n)", root)
	line(0, "def Xform %q (\n    kind = \"component\"\n)\n{", root)
	var partNames, sheetNames []string
	for _, p := range s.Model.Parts {
		partNames = append(partNames, p.Name)
	}
	for _, sheet := range s.Model.Sheets {
		sheetNames = append(sheetNames, sheet.Name)
	}
	// Materials is the scope's; no part may be called so
	partNames, sheetNames = names(append([]string{"Materials"}, partNames...))[1:], names(sheetNames)
	meshes := s.byPartAndSheet()
	for p := range s.Model.Parts {
		line(1, "def Xform %q\n    {", partNames[p])
		for sheet := range s.Model.Sheets {
			if tris := meshes[[2]int{p, sheet}]; len(tris) > 0 {
				s.usdMesh(b, line, sheetNames[sheet], "/"+root+"/Materials/"+sheetNames[sheet], tris)
			}
		}
		line(1, "}")
	}
	line(1, "def Scope \"Materials\"\n    {")
	for i := range s.Model.Sheets {
		s.usdMaterial(line, "/"+root+"/Materials/"+sheetNames[i], sheetNames[i], s.Maps[i], folder)
	}
	line(1, "}")
	line(0, "}")
	return b.Flush()
}

// byPartAndSheet lists the triangles of each part on each sheet.
func (s *Scene) byPartAndSheet() map[[2]int][]int {
	out := map[[2]int][]int{}
	for i := range s.Model.Tri {
		k := [2]int{int(s.Model.TriPart[i]), int(s.Model.TriSheet[i])}
		out[k] = append(out[k], i)
	}
	return out
}

func (s *Scene) usdMesh(b *bufio.Writer, line func(int, string, ...any), name, material string, tris []int) {
	m := s.Model
	local := map[uint32]int{}
	var all []uint32
	line(2, "def Mesh %q (\n            prepend apiSchemas = [\"MaterialBindingAPI\"]\n        )\n        {", name)
	b.WriteString("            int[] faceVertexCounts = [")
	for i := range tris {
		if i > 0 {
			b.WriteString(", ")
		}
		b.WriteByte('3')
	}
	b.WriteString("]\n            int[] faceVertexIndices = [")
	for n, i := range tris {
		for k, v := range m.Tri[i] {
			at, ok := local[v]
			if !ok {
				at = len(all)
				local[v], all = at, append(all, v)
			}
			if n+k > 0 {
				b.WriteString(", ")
			}
			fmt.Fprint(b, at)
		}
	}
	b.WriteString("]\n")
	box := geom.EmptyBox()
	for _, v := range all {
		box = box.Grow(m.Pos[v])
	}
	row := func(head string, one func(v uint32) string, tail string) {
		b.WriteString("            " + head + " = [")
		for i, v := range all {
			if i > 0 {
				b.WriteString(", ")
			}
			b.WriteString(one(v))
		}
		b.WriteString("]" + tail + "\n")
	}
	vec := func(p geom.Vec3) string { return fmt.Sprintf("(%g, %g, %g)", p.X, p.Y, p.Z) }
	line(3, "float3[] extent = [%s, %s]", vec(box.Min), vec(box.Max))
	row("point3f[] points", func(v uint32) string { return vec(m.Pos[v]) }, "")
	row("normal3f[] normals", func(v uint32) string {
		n := m.Nrm[v].Unit()
		if n == (geom.Vec3{}) {
			n.Y = 1
		}
		return vec(n)
	}, " (\n                interpolation = \"vertex\"\n            )")
	row("texCoord2f[] primvars:st", func(v uint32) string { return fmt.Sprintf("(%g, %g)", m.UV[v].X, 1-m.UV[v].Y) },
		" (\n                interpolation = \"vertex\"\n            )")
	line(3, "rel material:binding = <%s>", material)
	line(3, "uniform token subdivisionScheme = \"none\"")
	line(2, "}")
}

// usdMaterial writes a sheet's material.
func (s *Scene) usdMaterial(line func(int, string, ...any), at, name string, m *Maps, folder string) {
	line(2, "def Material %q\n        {", name)
	line(3, "token outputs:surface.connect = <%s/Surface.outputs:surface>", at)
	line(3, "def Shader \"Surface\"\n            {")
	line(4, "uniform token info:id = \"UsdPreviewSurface\"")
	type reader struct {
		name  string
		p     *Picture
		color bool
	}
	var readers []reader
	input := func(kind, input string, p *Picture, texture, output string, color bool) {
		if p == nil {
			return
		}
		line(4, "%s inputs:%s.connect = <%s/%s.outputs:%s>", kind, input, at, texture, output)
		for _, r := range readers {
			if r.name == texture {
				return
			}
		}
		readers = append(readers, reader{texture, p, color})
	}
	if m == nil {
		line(4, "color3f inputs:diffuseColor = (0.5, 0.5, 0.5)")
	} else {
		input("color3f", "diffuseColor", m.BaseColor, "BaseColor", "rgb", true)
		if m.Transparent {
			input("float", "opacity", m.BaseColor, "BaseColor", "a", true)
		}
		input("float", "occlusion", m.ORM, "Packed", "r", false)
		input("float", "roughness", m.ORM, "Packed", "g", false)
		input("float", "metallic", m.ORM, "Packed", "b", false)
		input("normal3f", "normal", m.Normal, "Normal", "rgb", false)
		input("color3f", "emissiveColor", m.Emissive, "Emissive", "rgb", true)
		input("float", "clearcoat", m.Coat, "Coat", "r", false)
		input("float", "clearcoatRoughness", m.Coat, "Coat", "g", false)
	}
	line(4, "token outputs:surface")
	line(3, "}")
	if len(readers) > 0 {
		line(3, "def Shader \"Place\"\n            {")
		line(4, "uniform token info:id = \"UsdPrimvarReader_float2\"")
		line(4, "string inputs:varname = \"st\"")
		line(4, "float2 outputs:result")
		line(3, "}")
	}
	for _, r := range readers {
		line(3, "def Shader %q\n            {", r.name)
		line(4, "uniform token info:id = \"UsdUVTexture\"")
		line(4, "asset inputs:file = @%s@", path.Join(folder, r.p.Name))
		space := "raw"
		if r.color {
			space = "sRGB"
		}
		line(4, "token inputs:sourceColorSpace = %q", space)
		line(4, "float2 inputs:st.connect = <%s/Place.outputs:result>", at)
		line(4, "token inputs:wrapS = \"repeat\"")
		line(4, "token inputs:wrapT = \"repeat\"")
		if r.name == "Normal" {
			line(4, "float4 inputs:scale = (2, 2, 2, 1)")
			line(4, "float4 inputs:bias = (-1, -1, -1, 0)")
		}
		if g := m.Glow; r.name == "Emissive" && g != 0 && g != 1 {
			line(4, "float4 inputs:scale = (%g, %g, %g, 1)", g, g, g)
		}
		for _, o := range []string{"float3 outputs:rgb", "float outputs:r", "float outputs:g", "float outputs:b", "float outputs:a"} {
			line(4, "%s", o)
		}
		line(3, "}")
	}
	line(2, "}")
}

// writeUSDZ packs the scene and its pictures as one file: a zip without compression in which each
// file's bytes begin at a multiple of 64 (USDZ file format specification 1.3).
func (s *Scene) writeUSDZ(w io.Writer) error {
	out := &counting{w: bufio.NewWriterSize(w, 1<<16)}
	z := zip.NewWriter(out)
	add := func(name string, size int64, from func() io.Reader) error {
		sum := crc32.NewIEEE()
		if _, err := io.Copy(sum, from()); err != nil {
			return err
		}
		if err := z.Flush(); err != nil {
			return err
		}
		h := &zip.FileHeader{
			Name: name, Method: zip.Store, CRC32: sum.Sum32(), CompressedSize64: uint64(size), UncompressedSize64: uint64(size),
			Modified: time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC),
		}
		if pad := -(out.n + 30 + len(name)) & 63; pad > 0 {
			if pad < 4 {
				pad += 64
			}
			h.Extra = make([]byte, pad) // a field of our own that holds nothing
			h.Extra[0], h.Extra[1], h.Extra[2], h.Extra[3] = 0x86, 0x19, byte(pad-4), byte((pad-4)>>8)
		}
		to, err := z.CreateRaw(h)
		if err == nil {
			_, err = io.Copy(to, from())
		}
		return err
	}
	var text bytes.Buffer
	if err := s.writeUSDA(&text, "textures"); err != nil {
		return err
	}
	if err := add(plain(s.Name)+".usda", int64(text.Len()), func() io.Reader { return bytes.NewReader(text.Bytes()) }); err != nil {
		return err
	}
	seen := map[*Picture]bool{}
	for _, m := range s.Maps {
		if m == nil {
			continue
		}
		for _, p := range []*Picture{m.BaseColor, m.ORM, m.Normal, m.Emissive, m.Coat} {
			if p == nil || seen[p] {
				continue
			}
			seen[p] = true
			from := func() io.Reader { return io.NewSectionReader(p.Body, 0, p.Body.Size()) }
			if err := add("textures/"+p.Name, p.Body.Size(), from); err != nil {
				return fmt.Errorf("%s: %w", p.Name, err)
			}
		}
	}
	if err := z.Close(); err != nil {
		return err
	}
	if out.err != nil {
		return out.err
	}
	return out.w.Flush()
}

// Write makes counting a writer.
func (c *counting) Write(b []byte) (int, error) {
	c.bytes(b)
	return len(b), c.err
}
