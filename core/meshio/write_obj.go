package meshio

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

// WriteOBJ writes the model as Wavefront OBJ: an object a part, a material name a
// sheet, V upward.
func WriteOBJ(w io.Writer, m *mesh.Model) error { return writeOBJ(w, m, "") }

// objName is a name as statements take it: without blanks.
func objName(s string) string { return strings.Join(strings.Fields(s), "_") }

// writeOBJ also names a file of materials, when there is one.
func writeOBJ(w io.Writer, m *mesh.Model, materials string) error {
	b := bufio.NewWriter(w)
	line := func(format string, a ...any) { fmt.Fprintf(b, format+"\n", a...) }
	name := objName
	line("# Velvet Grime, metres, Y up")
	if materials != "" {
		line("mtllib %s", materials)
	}
	for _, p := range m.Pos {
		line("v %g %g %g", p.X, p.Y, p.Z)
	}
	for _, t := range m.UV {
		line("vt %g %g", t.X, 1-t.Y)
	}
	for _, n := range m.Nrm {
		if n == (geom.Vec3{}) {
			n.Y = 1
		}
		line("vn %g %g %g", n.X, n.Y, n.Z)
	}
	for p, part := range m.Parts {
		first, sheet := true, -1
		for i, t := range m.Tri {
			if int(m.TriPart[i]) != p {
				continue
			}
			if first {
				line("o %s", name(part.Name))
				first = false
			}
			if s := int(m.TriSheet[i]); s != sheet {
				sheet = s
				line("usemtl %s", name(m.Sheets[s].Name))
			}
			line("f %d/%d/%d %d/%d/%d %d/%d/%d", t[0]+1, t[0]+1, t[0]+1, t[1]+1, t[1]+1, t[1]+1, t[2]+1, t[2]+1, t[2]+1)
		}
	}
	return b.Flush()
}

// writeOBJ writes the scene as OBJ, with its materials beside it (MTL with the statements for roughness
// and metal of its PBR extension).
func (s *Scene) writeOBJ(w io.Writer) error {
	err := s.Put(s.Name+".mtl", func(w io.Writer) error {
		b := bufio.NewWriter(w)
		line := func(format string, a ...any) { fmt.Fprintf(b, format+"\n", a...) }
		line("# Velvet Grime")
		for i, sheet := range s.Model.Sheets {
			line("newmtl %s", objName(sheet.Name))
			m := s.Maps[i]
			if m == nil {
				line("Kd 0.5 0.5 0.5")
				continue
			}
			line("Kd 1 1 1\nPr 1\nPm 1\nillum 2")
			for _, of := range []struct {
				statement string
				p         *Picture
			}{
				{"map_Kd", m.BaseColor}, {"map_Pr", m.Roughness}, {"map_Pm", m.Metallic}, {"norm", m.Normal}, {"map_Ke", m.Emissive}, {"map_d", m.Opacity},
			} {
				if of.p != nil {
					line("%s %s", of.statement, of.p.Name)
				}
			}
			if m.Emissive != nil {
				line("Ke 1 1 1")
			}
		}
		return b.Flush()
	})
	if err != nil {
		return err
	}
	return writeOBJ(w, s.Model, objName(s.Name)+".mtl")
}
