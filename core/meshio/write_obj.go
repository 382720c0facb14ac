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
func WriteOBJ(w io.Writer, m *mesh.Model) error {
	b := bufio.NewWriter(w)
	line := func(format string, a ...any) { fmt.Fprintf(b, format+"\n", a...) }
	name := func(s string) string { return strings.Join(strings.Fields(s), "_") }
	line("# Velvet Grime, metres, Y up")
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
